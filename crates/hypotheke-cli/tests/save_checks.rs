//! `test-saves` from the command line: passed, failed and incomplete tests.

use std::fs;

use serde_json::Value;
use snapbox::str;

use super::{golden, hypotheke, output, traverse, write_refusing_rules};

#[test]
fn saves_of_the_demo_keep_what_they_should() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    hypotheke(&at).arg("test-saves").assert().success().stdout_eq(golden("saves.txt")).stderr_eq("");
}

#[test]
fn saves_migrate_to_the_next_rules() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    let args = ["test-saves", "earlier", "--next-rules", "rules.toml", "--joins", "1"];
    hypotheke(&at).args(args).assert().success().stdout_eq(golden("saves-fixed.txt"));
}

#[test]
fn a_refused_migration_is_reported_with_its_trace() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    write_refusing_rules(&at);
    let args = ["test-saves", "--next-rules", "earlier/refusing.toml", "--joins", "1"];
    hypotheke(&at).args(args).assert().code(1).stdout_eq(golden("saves-refused.txt"));
    let json: Value = serde_json::from_str(&output(hypotheke(&at).args(args).args(["--format", "json"]), 1)).unwrap();
    let verdicts: Vec<(&str, &str)> = json["checks"]
        .as_array()
        .unwrap()
        .iter()
        .map(|check| (check["check"].as_str().unwrap(), check["verdict"].as_str().unwrap()))
        .collect();
    let expected = [
        ("round-trip", "passed"),
        ("crash-safety", "passed"),
        ("server-handover", "passed"),
        ("existing-saves", "passed"),
        ("migration", "failed"),
    ];
    assert_eq!(verdicts, expected);
    assert!(json["checks"][4]["failure"]["trace"][0].as_str().is_some_and(|first| first.starts_with("scenario ")));
}

#[test]
fn a_search_that_is_cut_short_says_so() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    let cut = ["test-saves", "scenarios/camp.scenario", "--time", "0"];
    let described = output(hypotheke(&at).args(cut), 3);
    assert!(described.contains("partial server handover 1 state"), "{described}");
    assert!(described.contains("stopped early by `--time`"), "{described}");
    assert!(described.contains("no failure found; 1 check incomplete"), "{described}");
    output(hypotheke(&at).args(cut).arg("--accept-partial"), 0);
    let described = output(hypotheke(&at).args(["test-saves", "scenarios/camp.scenario", "--states", "50"]), 3);
    assert!(described.contains("stopped early by `--states`"), "{described}");
}

#[test]
fn unreadable_saves_are_bad_input() {
    let folder = traverse();
    let at = folder.path().join("traverse");
    fs::write(at.join("saves/broken.json"), "{").unwrap();
    let whole = fs::read_to_string(at.join("saves/night.json")).unwrap();
    fs::write(at.join("saves/edited.json"), whole.replace("\"count\": 3", "\"count\": 4")).unwrap();
    let args = ["test-saves", "scenarios/camp.scenario", "saves", "--joins", "1"];
    hypotheke(&at).args(args).assert().code(2).stderr_eq(str![[r#"
error: cannot load `saves/edited.json`: checksum mismatch: the file says 1961be7e, its contents give 3527d21e
  help: If it was edited on purpose, add `--allow-edited`

"#]]);
}

#[test]
fn failing_scenarios_and_rules_without_holders_are_reported() {
    let folder = tempfile::tempdir().unwrap();
    let rules = "format = 1\n[kind.flare]\n[container.depot]\nslots = 2\n[start]\ndepot = [\"1 flare\"]\n";
    fs::write(folder.path().join("rules.toml"), rules).unwrap();
    let play = "scenario It is gone\n  steps\n    consume flare from depot\n  end\n    depot: 1 flare\n";
    fs::write(folder.path().join("gone.scenario"), play).unwrap();
    hypotheke(folder.path()).args(["test-saves", "gone.scenario"]).assert().success().stdout_eq(str![[r#"
Untitled ruleset   version 1
passed  round trip      2 worlds and 0 departures of 1 scenario saved and loaded in both forms
                        a save has 583 bytes in JSON and 418 in binary form
                        1 scenario stopped early at a failure: `hypotheke verify`
passed  crash safety    2 of 2 saves; the writer crashed 356 times, once after each of its steps
                        each of 1152 disks after a power cut has an intact save
-       server handover no holder of the ruleset can depart
-       existing saves  no saves among the files
-       migration       not run: name the next ruleset with `--next-rules FILE`

2 checks passed, 3 not run
next: add `--next-rules FILE` to migrate every save to the next ruleset

"#]]);
}
