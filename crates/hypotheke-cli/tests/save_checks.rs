//! `saves` from the command line: what holds, what does not, and what was not seen.

use std::fs;

use serde_json::Value;
use snapbox::str;

use super::{golden, hypotheke, output, traverse, write_refusing_rules};

#[test]
fn saves_of_the_demo_keep_what_they_should() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    hypotheke(&at).arg("saves").assert().success().stdout_eq(golden("saves.txt")).stderr_eq("");
}

#[test]
fn saves_go_over_to_the_rules_that_are_to_come() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    let args = ["saves", "earlier", "--rules", "earlier/rules-2.toml", "--mended", "rules.toml", "--joins", "1"];
    hypotheke(&at).args(args).assert().success().stdout_eq(golden("saves-mended.txt"));
}

#[test]
fn what_the_mended_rules_refuse_is_told_with_its_trail() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    write_refusing_rules(&at);
    let args = ["saves", "--mended", "earlier/refusing.toml", "--joins", "1"];
    hypotheke(&at).args(args).assert().code(1).stdout_eq(golden("saves-refused.txt"));
    let json: Value = serde_json::from_str(&output(hypotheke(&at).args(args).args(["--format", "json"]), 1)).unwrap();
    let verdicts: Vec<(&str, &str)> = json["checks"]
        .as_array()
        .unwrap()
        .iter()
        .map(|check| (check["check"].as_str().unwrap(), check["verdict"].as_str().unwrap()))
        .collect();
    let expected = [
        ("every-step", "holds"),
        ("every-stop", "holds"),
        ("two-servers", "holds"),
        ("kept-saves", "holds"),
        ("mended-rules", "broken"),
    ];
    assert_eq!(verdicts, expected);
    assert!(json["checks"][4]["failure"]["trace"][0].as_str().is_some_and(|first| first.starts_with("scenario ")));
}

#[test]
fn a_search_that_is_cut_short_says_so() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    let cut = ["saves", "scenarios/camp.scenario", "--time", "0"];
    let told = output(hypotheke(&at).args(cut), 3);
    assert!(told.contains("so far two servers   1 state"), "{told}");
    assert!(told.contains("stopped by `--time` before all was tried"), "{told}");
    assert!(told.contains("no failure found; 1 check incomplete"), "{told}");
    output(hypotheke(&at).args(cut).arg("--accept-partial"), 0);
    let told = output(hypotheke(&at).args(["saves", "scenarios/camp.scenario", "--states", "50"]), 3);
    assert!(told.contains("stopped by `--states` before all was tried"), "{told}");
}

#[test]
fn kept_saves_that_are_no_saves_are_bad_input() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    fs::write(at.join("saves/broken.json"), "{").unwrap();
    let whole = fs::read_to_string(at.join("saves/night.json")).unwrap();
    fs::write(at.join("saves/edited.json"), whole.replace("\"count\": 3", "\"count\": 4")).unwrap();
    let args = ["saves", "scenarios/camp.scenario", "--joins", "1"];
    hypotheke(&at).args(args).assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: cannot load `saves/broken.json`: line 1, column 1: EOF while parsing an object
  help: Try an earlier save of the same world
error: `saves/edited.json` can't be loaded: checksum mismatch: the file says b1f5d9b5, its contents give fc6bfe81
  help: If it was edited on purpose, add `--allow-edited`

"#]]);
}

#[test]
fn a_scenario_that_fails_and_rules_without_holders_are_told() {
    let folder = tempfile::tempdir().unwrap();
    let rules = "format = 1\n[kind.flare]\n[container.depot]\nslots = 2\n[start]\ndepot = [\"1 flare\"]\n";
    fs::write(folder.path().join("rules.toml"), rules).unwrap();
    let play = "scenario It is gone\n  steps\n    consume flare from depot\n  end\n    depot: 1 flare\n";
    fs::write(folder.path().join("gone.scenario"), play).unwrap();
    hypotheke(folder.path()).args(["saves", "gone.scenario"]).assert().success().stdout_eq(str![[r#"
a ruleset without a title   version 1
holds  every step    2 worlds and 0 departures of 1 scenario saved and loaded in both forms
                     a save has 576 bytes in JSON and 410 in binary form
                     1 scenario played no further than where an expectation fails: `hypotheke
                     verify`
holds  every stop    2 of 2 saves; the writer crashed 356 times, once after each of its steps
                     each of 1152 disks after a power cut has an intact save
-      two servers   no holder of the ruleset can depart
-      kept saves    no saves in a folder `saves` beside the ruleset
-      mended rules  not run: name the next ruleset with `--next-rules FILE`

all 2 checks hold
next   `--mended FILE` carries every save over to the rules that are to come

"#]]);
    hypotheke(folder.path()).arg("saves").assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: no scenario is named, and unknown folder `scenarios`
  help: Name scenario files or a folder: `hypotheke verify FILE`

"#]]);
}
