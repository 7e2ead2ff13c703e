//! Wrong usage and bad input: one clear error each, status 2, nothing on standard output.

use serde_json::Value;
use snapbox::str;

use super::{golden, hypotheke, output, traverse};

#[test]
fn wrong_usage_ends_with_2() {
    let folder = tempfile::tempdir().expect("a folder");
    for arguments in [
        &[][..],
        &["vrify"],
        &["check", "--format", "xml"],
        &["check", "a", "b"],
        &["demo", "--output"],
        &["--completions", "cmd"],
    ] {
        hypotheke(folder.path()).args(arguments).assert().code(2).stdout_eq("");
    }
}

#[test]
fn what_is_not_there_is_named() {
    let folder = tempfile::tempdir().expect("a folder");
    hypotheke(folder.path()).arg("check").assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: no ruleset found: there is no `rules.toml` here or in a folder above
  help: Name a ruleset, such as `rules.toml`, or start from the demo: `hypotheke demo --output FOLDER`

"#]]);
    hypotheke(folder.path()).args(["check", "."]).assert().code(2).stderr_eq(str![[r#"
error: no ruleset found: there is no `rules.toml` here or in a folder above
  help: Name a ruleset, such as `rules.toml`, or start from the demo: `hypotheke demo --output FOLDER`

"#]]);
    let traverse = traverse();
    let rules = traverse.path().join("traverse");
    std::fs::create_dir(rules.join("none")).expect("a folder");
    hypotheke(&rules).args(["verify", "none"]).assert().code(2).stderr_eq(str![[r#"
error: `none` has no scenario file
  help: Name scenario files or a folder with them

"#]]);
    std::fs::remove_dir_all(rules.join("scenarios")).expect("removed");
    hypotheke(&rules).arg("verify").assert().code(2).stderr_eq(str![[r#"
error: this folder has no scenario file
  help: Name scenario files or a folder with them

"#]]);
}

#[test]
fn all_faults_of_a_ruleset_are_drawn_with_their_lines() {
    let traverse = traverse();
    let rules = traverse.path().join("traverse");
    let text = std::fs::read_to_string(rules.join("rules.toml")).expect("the ruleset");
    let broken = text
        .replace("admits = \"not sample\"", "admits = \"not smaple\"")
        .replace("weight-cap = 30", "weight-cap = 30.0005")
        .replace("\nslots = 24", "\nslotz = 24")
        .replace("\"1 tent\"", "\"1 tnet\"");
    std::fs::write(rules.join("rules.toml"), broken).expect("written");
    let table = std::fs::read_to_string(rules.join("items.csv")).expect("the table");
    std::fs::write(
        rules.join("items.csv"),
        table.replace("ration-box,Ration box,food,10,", "ration-box,Ration box,food,\"10,5\","),
    )
    .expect("written");
    hypotheke(&rules).arg("check").assert().code(2).stdout_eq("").stderr_eq(golden("check-faults.txt"));
    let json: Value =
        serde_json::from_str(&output(hypotheke(&rules).args(["check", "--format", "json"]), 2)).expect("JSON");
    let faults = json["diagnostics"].as_array().expect("a list");
    assert_eq!(faults.len(), 6);
    assert_eq!((faults[1]["line"].as_u64(), faults[1]["code"].as_str()), (Some(72), Some("unknown-key")));
}

#[test]
fn what_is_not_listed_is_counted() {
    let folder = tempfile::tempdir().expect("a folder");
    let unknown: String = (0..250).map(|key| format!("zz{key} = 1\n")).collect();
    std::fs::write(folder.path().join("rules.toml"), unknown).expect("written");
    let drawn = hypotheke(folder.path()).arg("check").assert().code(2).get_output().stderr.clone();
    let drawn = String::from_utf8(drawn).expect("text");
    assert!(drawn.ends_with("150 more not listed\n\n250 errors\n"), "{drawn}");
    let json = output(hypotheke(folder.path()).args(["check", "--format", "json"]), 2);
    let json: Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!((json["diagnostics"].as_array().expect("a list").len(), json["unlisted"].as_u64()), (100, Some(150)));
}

#[test]
fn warnings_are_drawn_and_end_with_0() {
    let folder = tempfile::tempdir().expect("a folder");
    let rules = "[kind.anvil]\nweight = 90\ntags = [\"iron\"]\n[container.sled]\nslots = 4\nweight-cap = 80\n";
    std::fs::write(folder.path().join("rules.toml"), rules).expect("written");
    hypotheke(folder.path())
        .arg("check")
        .assert()
        .success()
        .stdout_eq(golden("check-warnings-out.txt"))
        .stderr_eq(golden("check-warnings-err.txt"));
}

#[test]
fn faults_of_all_scenario_files_are_listed_in_one_run() {
    let traverse = traverse();
    let rules = traverse.path().join("traverse");
    std::fs::write(rules.join("scenarios/a.scenario"), "scenario A\n  steps\n    move 1 flar from depot to sled\n")
        .expect("written");
    std::fs::write(rules.join("scenarios/b.scenario"), "scenario B\n  steps\n    move 1 flare from depot/99 to sled\n")
        .expect("written");
    let assert = hypotheke(&rules).arg("verify").assert().code(2).stderr_eq(golden("verify-faults.txt"));
    // The other files are run.
    assert!(
        String::from_utf8_lossy(&assert.get_output().stdout)
            .contains("133 scenarios passed   240 steps, 297 checks\n2 files NOT INCLUDED")
    );
    let junit = output(hypotheke(&rules).args(["verify", "--format", "junit"]), 2);
    assert_eq!(junit.matches("<error message=").count(), 2, "{junit}");
    assert!(junit.contains("<testsuite name=\"scenarios/a.scenario\""), "{junit}");
    let json: Value =
        serde_json::from_str(&output(hypotheke(&rules).args(["verify", "--format", "json"]), 2)).expect("JSON");
    assert_eq!(json["diagnostics"].as_array().map(Vec::len), Some(2));
}

#[test]
fn claims_files_with_errors_are_counted() {
    let traverse = traverse();
    let rules = traverse.path().join("traverse/loopholes");
    std::fs::write(rules.join("claims/bad.claims"), "always\n  count of smoke <= 1\n").expect("written");
    let text = output(hypotheke(&rules).args(["explore", "fixed.toml", "claims"]), 2);
    assert!(text.ends_with("6 claims: all hold\n1 file NOT INCLUDED: see the errors\n"), "{text}");
}

#[test]
fn json_results_contain_the_errors_of_unreadable_files() {
    let traverse = traverse();
    let demo = traverse.path().join("traverse");
    std::fs::write(demo.join("scenarios/bad.scenario"), "scenario A\n  steps\n    fly\n").expect("written");
    let commands: [&[&str]; 4] = [
        &["verify"],
        &["fmt", "--check"],
        &["compare", "rules.toml", "rules.toml", "scenarios"],
        &["test-saves", "scenarios/bad.scenario", "scenarios/camp.scenario", "--joins", "1"],
    ];
    for command in commands {
        let json = output(hypotheke(&demo).args(command).args(["--format", "json"]), 2);
        let json: Value = serde_json::from_str(&json).expect("JSON");
        assert_eq!(json["diagnostics"][0]["file"], "scenarios/bad.scenario", "{command:?}: {json}");
    }
}

#[test]
fn numbers_out_of_range_are_reported_with_the_range() {
    let folder = tempfile::tempdir().expect("a folder");
    for (arguments, range) in [
        (["explore", "--depth", "99999999999999999999"], "from 0 to 4294967295"),
        (["explore", "--states", "-1"], "at least 0"),
        (["verify", "--threads", "0"], "at least 1"),
        (["coverage", "--threads", "many"], "at least 1"),
        (["explore", "--concurrent-requests", "9"], "from 1 to 4"),
        (["test-saves", "--joins", "0"], "from 1 to 9"),
    ] {
        let assert = hypotheke(folder.path()).args(arguments).assert().code(2);
        let text = String::from_utf8_lossy(&assert.get_output().stderr).into_owned();
        assert!(text.contains(range), "{arguments:?}: {text}");
    }
}

#[test]
fn a_missing_named_ruleset_is_reported_with_its_scenario() {
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::write(folder.path().join("a.scenario"), "ruleset old/rules.toml\nscenario A\n").expect("written");
    hypotheke(folder.path()).args(["verify", "a.scenario"]).assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: `a.scenario` names the ruleset `old/rules.toml`, which does not exist
  help: Correct its line `ruleset`, relative to the folder of the file

"#]]);
}

#[test]
fn names_can_not_steer_the_terminal() {
    let folder = tempfile::tempdir().expect("a folder");
    let rules = "title = \"a\\u001b[2Jb\"\n[kind.flare]\nname = \"\\u001b]0;x\\u0007\\u202e\"\n[container.c]\nname = \"\\u009b31m\"\nslots = 2\n[start]\nc = [\"1 flare\"]\n";
    std::fs::write(folder.path().join("rules.toml"), rules).expect("written");
    let steers = |text: &str| text.chars().any(|c| c.is_control() && c != '\n' || c == '\u{202e}');
    for arguments in [&["show"][..], &["check"], &["show", "--format", "json"]] {
        let text = output(hypotheke(folder.path()).args(arguments), 0);
        assert!(!steers(&text), "{arguments:?}: {text:?}");
    }
    let scenario = "scenario \u{1b}[31mred\u{7}\n  steps\n    create 1 fl\u{1b}[5mare in c\n";
    let found = hypotheke(folder.path()).args(["verify", "-"]).stdin(scenario).assert().code(2).get_output().clone();
    assert!(!steers(&String::from_utf8(found.stderr).expect("text")));
    let scenario = "scenario \u{1b}[31mred\u{7}\n  end\n    c: 2 flare\n";
    assert!(!steers(&output(hypotheke(folder.path()).args(["verify", "-"]).stdin(scenario), 1)));
}

/// A pipe was waited for without end, and a device filled the memory.
#[cfg(unix)]
#[test]
fn pipes_and_devices_are_not_read() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let made = std::process::Command::new("mkfifo").arg(demo.join("pipe")).status().expect("mkfifo");
    assert!(made.success());
    for place in ["pipe", "/dev/zero"] {
        for command in [
            &["check", place][..],
            &["show", place],
            &["verify", place],
            &["explore", place],
            &["explore", "--combine", place],
            &["migrate", place],
            &["ask", "drop 1 flare", "--rules", place],
        ] {
            let described = hypotheke(&demo).args(command).assert().code(2).stdout_eq("").get_output().stderr.clone();
            let described = String::from_utf8(described).expect("text");
            assert!(described.contains("not a file") && described.contains(place), "{command:?}: {described}");
        }
    }
}

/// What can't be written is reported, whatever was requested.
#[cfg(target_os = "linux")]
#[test]
fn a_full_device_is_reported() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    for command in [
        &["--help"][..],
        &["--version"],
        &["--completions", "bash"],
        &["--schema", "show"],
        &["show"],
        &["show", "--format", "json"],
        &["verify"],
        &["fits", "--format", "csv"],
        &["explore", "--rules", "loopholes/fixed.toml", "--format", "json"],
    ] {
        let full = std::fs::File::options().write(true).open("/dev/full").expect("a full device");
        let binary = snapbox::cmd::cargo_bin!("hypotheke");
        let ended =
            std::process::Command::new(binary).current_dir(&demo).args(command).stdout(full).output().expect("it runs");
        let described = String::from_utf8(ended.stderr).expect("text");
        assert_eq!(ended.status.code(), Some(2), "{command:?}: {described}");
        assert!(described.contains("cannot write"), "{command:?}: {described}");
    }
}
