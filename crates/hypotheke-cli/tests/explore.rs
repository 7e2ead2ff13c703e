//! Exploration from the command line: the loopholes of the demo, and what stops a search.

use serde_json::Value;
use snapbox::str;

use super::{golden, hypotheke, output, traverse};

#[test]
fn each_loophole_is_found_and_the_mended_rules_have_none() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    hypotheke(&demo)
        .args(["explore", "--rules", "loopholes/rules.toml"])
        .assert()
        .code(1)
        .stdout_eq(golden("explore.txt"));
    hypotheke(&demo)
        .args(["explore", "--rules", "loopholes/mended.toml"])
        .assert()
        .success()
        .stdout_eq(golden("explore-mended.txt"));
    for rules in ["rules", "mended"] {
        let rules = format!("loopholes/{rules}.toml");
        let told = |more: &[&str]| {
            let status = i32::from(rules.ends_with("/rules.toml"));
            let text =
                output(hypotheke(&demo).args(["explore", "--rules", &rules, "--format", "json"]).args(more), status);
            serde_json::from_str::<Value>(&text).expect("JSON")
        };
        let (fewer, all) = (told(&[]), told(&["--no-symmetry"]));
        for (one, other) in fewer["files"].as_array().unwrap().iter().zip(all["files"].as_array().unwrap()) {
            assert!(one["worlds"].as_u64() <= other["worlds"].as_u64());
            for (claim, same) in one["claims"].as_array().unwrap().iter().zip(other["claims"].as_array().unwrap()) {
                assert_eq!(claim["status"], same["status"], "{claim}");
                let length = |claim: &Value| claim["trail"]["steps"].as_array().map(Vec::len);
                assert_eq!(length(claim), length(same), "{claim}");
                assert!(length(claim) <= Some(6), "{claim}");
            }
        }
    }
}

#[test]
fn what_stops_a_search_is_told_by_the_exit_status() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    std::fs::create_dir(demo.join("claims")).expect("a folder");
    std::fs::write(demo.join("claims/sled.claims"), "always\n  count of fuel in sled <= 8\n").expect("written");
    let depth = output(hypotheke(&demo).args(["explore", "--depth", "1"]), 0);
    assert!(depth.contains("every world within 1 operations was seen; there are others"), "{depth}");
    assert!(depth.contains("holds so far  always count of fuel in sled <= 8"), "{depth}");
    let memory = output(hypotheke(&demo).args(["explore", "--memory", "0"]), 3);
    assert!(memory.contains("stopped at 0 MB; there are other worlds"), "{memory}");
    output(hypotheke(&demo).args(["explore", "--memory", "0", "--accept-partial"]), 0);
    let worlds = output(hypotheke(&demo).args(["explore", "--worlds", "500"]), 0);
    assert!(worlds.contains("stopped at 500 worlds") && worlds.contains("1 claim: none broken, 1 open"), "{worlds}");
    let huge = ["explore", "--depth", "0", "--worlds", "1000000000000000000", "--memory", "1000000000000000000"];
    output(hypotheke(&demo).args(huge), 0);
    let time = output(hypotheke(&demo).args(["explore", "--time", "0", "--format", "json"]), 3);
    let time: Value = serde_json::from_str(&time).expect("JSON");
    assert_eq!((&time["files"][0]["stopped-by"], &time["files"][0]["exhausted"]), (&"time".into(), &false.into()));
}

#[test]
fn what_is_wrong_with_claims_is_drawn() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    hypotheke(&demo).arg("explore").assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: no file of claims is named, and there is no folder `claims`
  help: name files of claims or a folder: `hypotheke explore FILE`

"#]]);
    std::fs::write(demo.join("a.claims"), "always\n  no contaminatd in freezer\nnever\n  drop logbok\n")
        .expect("written");
    hypotheke(&demo)
        .args(["explore", "a.claims"])
        .assert()
        .code(2)
        .stdout_eq("")
        .stderr_eq(golden("claims-faults.txt"));
    hypotheke(&demo).args(["explore", "-"]).stdin("always\n  count of core <= 1\n").assert().code(2);
    let piped = hypotheke(&demo).args(["explore", "-", "--depth", "1"]).stdin("always\n  count of fuel in sled <= 8\n");
    piped.assert().success();
}

#[test]
fn walks_find_the_loopholes_too_on_any_number_of_threads() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let walk = |more: &[&str], status| {
        output(hypotheke(&demo).args(["explore", "--walks", "300", "--steps", "12"]).args(more), status)
    };
    let one = walk(&["--rules", "loopholes/rules.toml", "--threads", "1"], 1);
    assert_eq!(one, walk(&["--rules", "loopholes/rules.toml", "--threads", "3"], 1));
    for step in ["move 1 sample-case from depot/2 to freezer/0", "mark archive/", "all walks were walked"] {
        assert!(one.contains(step), "{step} in {one}");
    }
    assert!(one.contains("undecided     recoverable surveyor has: 1 logbook"), "{one}");
    let mended = walk(&["--rules", "loopholes/mended.toml"], 0);
    assert!(mended.contains("6 claims: none broken, 5 open"), "{mended}");
    let json = walk(&["--rules", "loopholes/mended.toml", "--shard", "2/3", "--format", "json"], 0);
    let json: Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!((&json["files"][0]["walks"], &json["files"][0]["exhausted"]), (&100.into(), &false.into()));
    for bad in ["0/3", "4/3", "x", "1/0"] {
        hypotheke(&demo).args(["explore", "--walks", "3", "--shard", bad]).assert().code(2);
    }
    hypotheke(&demo).args(["explore", "--walks", "3", "--depth", "2"]).assert().code(2);
}

#[test]
fn a_trail_is_kept_as_a_scenario_that_fails_until_the_rules_are_mended() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let explore = ["explore", "--rules", "loopholes/rules.toml", "--write", "found"];
    let told = output(hypotheke(&demo).args(explore), 1);
    for name in ["case-1", "fuel-1", "logbook-2", "mark-1"] {
        assert!(told.contains(&format!("wrote  found/{name}.scenario")), "{name} in {told}");
    }
    let verify = |rules: &str, name: &str, status| {
        output(hypotheke(&demo).args(["verify", &format!("found/{name}.scenario"), "--rules", rules]), status)
    };
    for name in ["case-1", "fuel-1", "logbook-2"] {
        verify("loopholes/rules.toml", name, 1);
        verify("loopholes/mended.toml", name, 0);
    }
    // What is there is not written over.
    hypotheke(&demo).args(explore).assert().code(2);
}
