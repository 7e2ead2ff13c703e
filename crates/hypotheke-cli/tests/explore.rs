//! Exploration from the command line: the loopholes of the demo, and what stops a search.

use serde_json::Value;
use snapbox::str;

use super::{golden, hypotheke, output, traverse};

#[test]
fn a_trade_that_makes_money_is_found_and_the_right_price_has_none() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    hypotheke(&demo).args(["explore", "canteen"]).assert().code(1).stdout_eq(golden("explore-canteen.txt"));
    let fixed = output(hypotheke(&demo).args(["explore", "canteen/fixed.toml", "canteen/claims"]), 0);
    assert!(fixed.contains("All reachable states were seen") && fixed.contains("3 claims: all hold"), "{fixed}");
}

#[test]
fn the_cycle_of_the_workshop_is_named_and_found_and_the_right_recipe_has_none() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let checked = hypotheke(&demo).args(["check", "workshop/salvage.toml"]).output().expect("it runs");
    let warnings = String::from_utf8_lossy(&checked.stderr).into_owned();
    assert!(warnings.contains("a cycle gains 1 strap") && warnings.contains("recipe splint; recipe take-apart"));
    let args = ["explore", "workshop/salvage.toml", "workshop/claims/bench.claims"];
    hypotheke(&demo).args(args).assert().code(1).stdout_eq(golden("explore-workshop.txt"));
    let right = output(hypotheke(&demo).args(["explore", "workshop/rules.toml", "workshop/claims"]), 0);
    assert!(right.contains("10 claims: all hold"), "{right}");
    let checked = hypotheke(&demo).args(["check", "workshop/rules.toml"]).output().expect("it runs");
    assert_eq!(String::from_utf8_lossy(&checked.stderr), "");
}

#[test]
fn each_loophole_is_found_and_the_fixed_rules_have_none() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    hypotheke(&demo)
        .args(["explore", "--rules", "loopholes/rules.toml"])
        .assert()
        .code(1)
        .stdout_eq(golden("explore.txt"));
    hypotheke(&demo)
        .args(["explore", "--rules", "loopholes/fixed.toml"])
        .assert()
        .success()
        .stdout_eq(golden("explore-fixed.txt"));
    for rules in ["rules", "fixed"] {
        let rules = format!("loopholes/{rules}.toml");
        let described = |more: &[&str]| {
            let status = i32::from(rules.ends_with("/rules.toml"));
            let text =
                output(hypotheke(&demo).args(["explore", "--rules", &rules, "--format", "json"]).args(more), status);
            serde_json::from_str::<Value>(&text).expect("JSON")
        };
        let (fewer, all) = (described(&[]), described(&["--no-symmetry"]));
        for (one, other) in fewer["files"].as_array().unwrap().iter().zip(all["files"].as_array().unwrap()) {
            assert!(one["states"].as_u64().unwrap() <= other["states"].as_u64().unwrap());
            for (claim, same) in one["claims"].as_array().unwrap().iter().zip(other["claims"].as_array().unwrap()) {
                assert_eq!(claim["status"], same["status"], "{claim}");
                let length = |claim: &Value| claim["trace"]["steps"].as_array().map(Vec::len);
                assert_eq!(length(claim), length(same), "{claim}");
                assert!(length(claim) <= Some(6), "{claim}");
            }
        }
    }
}

#[test]
fn the_exit_status_shows_why_a_search_stopped() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    std::fs::create_dir(demo.join("claims")).expect("a folder");
    std::fs::write(demo.join("claims/sled.claims"), "always\n  count of fuel in sled <= 8\n").expect("written");
    let depth = output(hypotheke(&demo).args(["explore", "--depth", "1"]), 0);
    assert!(depth.contains("All states within 1 operation were seen"), "{depth}");
    assert!(depth.contains("no violation found  always count of fuel in sled <= 8"), "{depth}");
    let memory = output(hypotheke(&demo).args(["explore", "--memory", "0"]), 3);
    assert!(memory.contains("Stopped at 0 MB"), "{memory}");
    output(hypotheke(&demo).args(["explore", "--memory", "0", "--accept-partial"]), 0);
    let states = output(hypotheke(&demo).args(["explore", "--states", "500"]), 0);
    assert!(
        states.contains("Stopped at 500 states") && states.contains("1 claim: no violation found; 1 inconclusive"),
        "{states}"
    );
    let huge = ["explore", "--depth", "0", "--states", "1000000000000000000", "--memory", "1000000000000000000"];
    output(hypotheke(&demo).args(huge), 0);
    let time = output(hypotheke(&demo).args(["explore", "--time", "0", "--format", "json"]), 3);
    let time: Value = serde_json::from_str(&time).expect("JSON");
    assert_eq!((&time["files"][0]["stopped-by"], &time["files"][0]["complete"]), (&"time".into(), &false.into()));
}

#[test]
fn what_is_wrong_with_claims_is_drawn() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    hypotheke(&demo).arg("explore").assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: this folder has no claims file
  help: Name claims files or a folder with them

"#]]);
    std::fs::write(demo.join("a.claims"), "always\n  no contaminatd in freezer\nforbidden\n  drop logbok\n")
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
    for step in ["move 1 sample-case from depot/2 to freezer/0", "mark archive/", "All walks completed"] {
        assert!(one.contains(step), "{step} in {one}");
    }
    assert!(one.contains("inconclusive        recoverable surveyor has: 1 logbook"), "{one}");
    // What is recoverable takes a search, so that a walk leaves it inconclusive.
    let fixed = walk(&["--rules", "loopholes/fixed.toml"], 3);
    assert!(fixed.contains("6 claims: no violation found; 5 inconclusive"), "{fixed}");
    let json = walk(&["--rules", "loopholes/fixed.toml", "--shard", "2/3", "--format", "json"], 3);
    let json: Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!((&json["files"][0]["walks"]["completed"], &json["files"][0]["complete"]), (&100.into(), &false.into()));
    for bad in ["0/3", "4/3", "x", "1/0"] {
        hypotheke(&demo).args(["explore", "--walks", "3", "--shard", bad]).assert().code(2);
    }
    hypotheke(&demo).args(["explore", "--walks", "3", "--depth", "2"]).assert().code(2);
}

#[test]
fn a_counterexample_is_written_as_a_scenario() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let explore = ["explore", "--rules", "loopholes/rules.toml", "--output", "found"];
    let described = output(hypotheke(&demo).args(explore), 1);
    for name in ["case-1", "fuel-1", "logbook-2", "mark-1"] {
        assert!(described.contains(&format!("wrote  found/{name}.scenario")), "{name} in {described}");
    }
    let verify = |rules: &str, name: &str, status| {
        output(hypotheke(&demo).args(["verify", &format!("found/{name}.scenario"), "--rules", rules]), status)
    };
    for name in ["case-1", "fuel-1", "logbook-2"] {
        verify("loopholes/rules.toml", name, 1);
        verify("loopholes/fixed.toml", name, 0);
    }
    // An existing file is kept.
    hypotheke(&demo).args(explore).assert().code(2);
}

#[test]
fn a_ruleset_makes_claims_itself() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let rules = std::fs::read_to_string(demo.join("loopholes/fixed.toml")).expect("rules");
    let claims = "\n[claims]\nexplore = ['verbs move', 'containers depot, vault']\nalways = ['count of logbook = 1']\nforbidden = ['move logbook to vault']\n";
    std::fs::write(demo.join("claiming.toml"), format!("{rules}{claims}")).expect("written");
    let described = output(hypotheke(&demo).args(["explore", "--rules", "claiming.toml"]), 0);
    assert!(described.starts_with("claiming.toml\n  holds               always count of logbook = 1\n"), "{described}");
    assert!(
        described.contains("All reachable states were seen") && described.contains("2 claims: all hold"),
        "{described}"
    );
    output(hypotheke(&demo).args(["check", "claiming.toml"]), 0);
    std::fs::write(
        demo.join("claiming.toml"),
        format!("{rules}\n[claims]\nalways = [\n  'count of lgbook = 1',\n  'free slot',\n]\n"),
    )
    .expect("written");
    hypotheke(&demo).args(["check", "claiming.toml"]).assert().code(2).stderr_eq(str![[r#"
error[bad-sentence]: expected `slots`, found `slot`
  --> claiming.toml:91:9
   |
91 |   'free slot',
   |         ^^^^

1 error

"#]]);
}

#[test]
fn combined_parts_equal_the_whole_run() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let walk = |more: &[&str]| {
        let args = ["explore", "--rules", "loopholes/rules.toml", "--walks", "90", "--steps", "12", "--format", "json"];
        output(hypotheke(&demo).args(args).args(more), 1)
    };
    let whole = walk(&[]);
    for part in 1..=3 {
        std::fs::write(demo.join(format!("{part}.json")), walk(&["--shard", &format!("{part}/3")])).expect("written");
    }
    let combine = |files: &[&str], status| {
        output(hypotheke(&demo).args(["explore", "--format", "json", "--combine"]).args(files), status)
    };
    assert_eq!(combine(&["3.json", "1.json", "2.json"], 1), whole);
    let text = output(hypotheke(&demo).args(["explore", "--combine", "1.json", "3.json", "--chart", "parts.svg"]), 1);
    assert!(
        text.contains("violated            always") && text.ends_with("missing  2/3\nwrote  parts.svg\n"),
        "{text}"
    );
    assert!(std::fs::read_to_string(demo.join("parts.svg")).expect("a chart").contains("operations of the walks"));
    let refused = |files: &[&str]| {
        let ran = hypotheke(&demo).args(["explore", "--combine"]).args(files).assert().code(2);
        String::from_utf8_lossy(&ran.get_output().stderr).into_owned()
    };
    assert!(refused(&["1.json", "1.json"]).contains("are the same part"));
    assert!(refused(&["1.json", "rules.toml"]).contains("`rules.toml` is not an output of `explore --format json`"));
    // A job that was killed while it wrote.
    let written = std::fs::read_to_string(demo.join("2.json")).expect("a part");
    for most in [0, 1, written.len() / 2, written.trim_end().len() - 1] {
        std::fs::write(demo.join("cut.json"), &written[..most]).expect("written");
        assert!(refused(&["1.json", "cut.json"]).contains("`cut.json` is not an output"), "cut at {most}");
    }
    std::fs::write(demo.join("4.json"), walk(&["--shard", "2/3", "--seed", "5"])).expect("written");
    assert!(refused(&["1.json", "4.json"]).contains("are parts of different walks"));
    let search = ["explore", "--rules", "loopholes/fixed.toml", "--format", "json"];
    std::fs::write(demo.join("5.json"), output(hypotheke(&demo).args(search), 0)).expect("written");
    assert!(refused(&["5.json"]).contains("has no random walks"));
}

#[test]
fn a_chart_shows_states_by_depth_and_refusals_by_reason() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let args =
        ["explore", "--rules", "loopholes/fixed.toml", "loopholes/claims/logbook.claims", "--chart", "states.svg"];
    assert!(output(hypotheke(&demo).args(args), 0).ends_with("wrote  states.svg\n"));
    let chart = std::fs::read_to_string(demo.join("states.svg")).expect("a chart");
    let labels = [
        "<svg",
        "states by number of operations from the start",
        "refusals by reason",
        "not-admitted",
        "logbook.claims",
    ];
    assert!(labels.iter().all(|label| chart.contains(label)), "{chart}");
    let nowhere = ["explore", "--rules", "loopholes/fixed.toml", "--chart", "no/where.svg"];
    hypotheke(&demo).args(nowhere).assert().code(2);
}

#[test]
fn concurrent_requests_lose_and_duplicate_nothing() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let claims = "start\n  depot: 1 fuel-can\nexplore\n  verbs move\n  containers depot\n  actors surveyor, driver\n";
    std::fs::write(demo.join("both.claims"), claims).expect("written");
    let args = ["explore", "--rules", "loopholes/fixed.toml", "both.claims", "--concurrent-requests", "1"];
    let described = output(hypotheke(&demo).args(args), 0);
    assert!(
        described.contains("no item lost or duplicated; every result equals that of a sequential order\n"),
        "{described}"
    );
    let json: Value =
        serde_json::from_str(&output(hypotheke(&demo).args(args).args(["--format", "json"]), 0)).expect("JSON");
    let concurrent = &json["files"][0]["concurrent"];
    assert!(
        concurrent["interleavings"].as_u64() > Some(500)
            && concurrent["complete"] == true
            && concurrent["failure"].is_null(),
        "{concurrent}"
    );
    // A new stack on the ground is a change, too.
    let brought = "start\n  depot: 1 logbook\nexplore\n  verbs move\n  create up to 2 logbook\n  containers freezer\nalways\n  count of logbook = 1\n";
    std::fs::write(demo.join("brought.claims"), brought).expect("written");
    let found = output(hypotheke(&demo).args(["explore", "brought.claims"]), 1);
    assert!(
        found.contains("      1  create 1 logbook in ground\n      count of logbook is 2\n")
            && found.contains("ground, stack 1  nothing        1 logbook at 0,0"),
        "{found}"
    );
    // A requested bound gives status 0, the default bound gives 3.
    let bounded = output(hypotheke(&demo).args(args).args(["--network-steps", "2000"]), 0);
    assert!(bounded.contains("2000 network steps"), "{bounded}");
    let fuel =
        ["explore", "--rules", "loopholes/fixed.toml", "loopholes/claims/fuel.claims", "--concurrent-requests", "2"];
    let stopped = output(hypotheke(&demo).args(fuel), 3);
    assert!(stopped.contains("`--network-steps`"), "{stopped}");
    for wrong in
        [&["--network-steps", "0"][..], &["--network-steps", "9", "--walks", "3"], &["--network-steps", "many"]]
    {
        hypotheke(&demo).args(["explore", "--rules", "loopholes/fixed.toml"]).args(wrong).assert().code(2);
    }
}

#[test]
fn a_long_list_of_used_items_is_cut() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let rules = "format = 1\n[kind.flare]\n[container.depot]\nslots = 8\n[container.sled]\nslots = 1\n";
    std::fs::write(demo.join("flares.toml"), rules).expect("written");
    let claims = "start\n  depot: 8 flare\nexplore\n  verbs move\nalways\n  count of flare in depot >= 8\n";
    std::fs::write(demo.join("flares.claims"), claims).expect("written");
    let args = ["explore", "--rules", "flares.toml", "flares.claims", "--output", "found"];
    let described = output(hypotheke(&demo).args(args), 1);
    let from = "    from depot/0: 1 flare\n         depot/1: 1 flare\n";
    let more = "         depot/5: 1 flare\n         and the contents of 2 more places\n      1  move 1 flare from depot/0 to sled/0\n";
    assert!(described.contains(from) && described.contains(more), "{described}");
    let written = std::fs::read_to_string(demo.join("found/flares-1.scenario")).expect("it was written");
    assert!(written.contains("    depot/7: 1 flare\n  steps\n"), "all of it: {written}");
    let created = "start\n  depot: 2 flare\nexplore\n  verbs move\n  create up to 3 flare\nforbidden\n  create flare\n";
    std::fs::write(demo.join("created.claims"), created).expect("written");
    let described = output(hypotheke(&demo).args(["explore", "--rules", "flares.toml", "created.claims"]), 1);
    assert!(described.contains("    from nothing\n      1  create 1 flare in depot"), "{described}");
    let part = "start\n  depot: 8 flare\nexplore\n  verbs move\nalways\n  count of flare in sled = 0\n";
    std::fs::write(demo.join("flares.claims"), part).expect("written");
    let walks = ["explore", "--rules", "flares.toml", "flares.claims", "--walks", "9", "--format", "json"];
    let written: Value = serde_json::from_str(&output(hypotheke(&demo).args(walks), 1)).expect("JSON");
    let trace = &written["files"][0]["claims"][0]["trace"];
    assert_eq!(trace["start"], serde_json::json!(["depot/0: 1 flare"]), "{trace}");
    std::fs::write(demo.join("part.json"), written.to_string()).expect("written");
    let combined = output(hypotheke(&demo).args(["explore", "--combine", "part.json"]), 1);
    assert!(
        combined.contains("    from depot/0: 1 flare\n      1  move 1 flare from depot/0 to sled/0\n"),
        "{combined}"
    );
}

#[test]
fn a_counterexample_that_is_kept_fails_until_the_rules_are_fixed() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    output(hypotheke(&demo).args(["explore", "--rules", "loopholes/rules.toml", "--output", "found"]), 1);
    let mut found: Vec<_> =
        std::fs::read_dir(demo.join("found")).expect("a folder").map(|it| it.unwrap().path()).collect();
    found.sort();
    assert_eq!(found.len(), 4, "{found:?}");
    for scenario in &found {
        let verify =
            |rules: &str, status| output(hypotheke(&demo).arg("verify").arg(scenario).args(["--rules", rules]), status);
        let failed = verify("loopholes/rules.toml", 1);
        assert!(failed.contains("1 of 1 scenario"), "{failed}");
        verify("loopholes/fixed.toml", 0);
    }
    // No rule refuses a mark, so that its scenario says what must be at the end.
    let mark = std::fs::read_to_string(demo.join("found/mark-1.scenario")).expect("the scenario");
    assert!(
        mark.ends_with("    mark archive/0 contaminated\n  end\n    count of contaminated in archive = 0\n"),
        "{mark}"
    );
}
