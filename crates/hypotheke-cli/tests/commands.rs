//! Each command on the demo's data, its output compared whole.

use serde_json::Value;
use snapbox::str;

use super::{golden, hypotheke, output, traverse, write_refusing_rules};

fn here() -> tempfile::TempDir {
    tempfile::tempdir().expect("a folder")
}

#[test]
fn demo_tells_the_whole_story() {
    hypotheke(here().path()).arg("demo").assert().success().stdout_eq(golden("demo.txt")).stderr_eq("");
}

#[test]
fn demo_in_json_is_json() {
    let value: Value =
        serde_json::from_str(&output(hypotheke(here().path()).args(["demo", "--format", "json"]), 0)).expect("JSON");
    let scenarios = value["scenarios"].as_array().expect("a list");
    assert!(scenarios.len() >= 12 && scenarios.iter().all(|scenario| scenario["verdict"] == "passed"));
}

#[test]
fn demo_writes_its_files_or_nothing() {
    let folder = here();
    hypotheke(folder.path())
        .args(["demo", "--output", "new/traverse"])
        .assert()
        .success()
        .stdout_eq(golden("demo-write.txt"));
    let written = std::fs::read_to_string(folder.path().join("new/traverse/rules.toml")).expect("the ruleset");
    assert_eq!(written, include_str!("../demo/rules.toml"));
    hypotheke(folder.path()).args(["demo", "--output", "new/traverse"]).assert().code(2).stderr_eq(str![[r#"
error: `new/traverse` is not empty; nothing was written
  help: Name a new folder

"#]]);
    hypotheke(folder.path()).args(["demo", "--output", "new/traverse/rules.toml"]).assert().code(2);
    std::fs::create_dir(folder.path().join("empty")).expect("a folder");
    hypotheke(folder.path()).args(["demo", "--output", "empty"]).assert().success();
    let left: Vec<_> = std::fs::read_dir(folder.path())
        .expect("the folder")
        .map(|entry| entry.expect("an entry").file_name())
        .collect();
    assert_eq!(left.len(), 2, "nothing unfinished is left: {left:?}");
}

#[test]
fn ask_says_yes_no_or_how_many() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let requested = |question: &str| output(hypotheke(&rules).args(["ask", question]), 0);
    assert_eq!(
        requested("move 3 fuel-drum from depot to sled"),
        "yes      move 3 fuel-drum from depot to sled\n         moved 3\n         3 fuel-drum: depot/0 to sled/2\n"
    );
    hypotheke(&rules).args(["ask", "move 12 fuel-drum from depot to sled"]).assert().success().stdout_eq(str![[r#"
no       move 12 fuel-drum from depot to sled
         refused: cap; up to 3

2 reasons, each checked on its own
  cap                  sled would contain 12 fuel; its cap is 8
                       Raise this cap of sled to 12, or remove 4 fuel from sled first
  weight-cap           sled would weigh 573.3 kg; its cap is 180 kg
                       Raise the weight cap of sled to 573.3 kg, or remove 393.3 kg from sled first
next: hypotheke ask 'move up to 3 fuel-drum from depot to sled'

"#]]);
    assert!(requested("move up to 12 fuel-drum from depot to sled").starts_with("partly   "));
    assert!(
        requested("together (move 1 flare from depot to sled; move 9 tent from depot to sled)").contains("step 2: ")
    );
    let many = requested("create up to 4294967295 flare in ground");
    assert!(many.lines().count() < 24 && many.contains("more changes"), "{many:.2000}");
    // The suggested operation succeeds.
    assert!(requested("move up to 3 fuel-drum from depot to sled").starts_with("yes"));
}

#[test]
fn ask_goes_on_from_what_has_happened() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let question = ["ask", "surveyor drops 1 flare from depot", "--after"];
    let json = [&question[..], &["driver opens depot", "--format", "json"]].concat();
    let value: Value = serde_json::from_str(&output(hypotheke(&rules).args(json), 0)).expect("JSON");
    assert_eq!((value["answer"].as_str(), value["reasons"][0]["reason"].as_str()), (Some("refused"), Some("in-use")));
    assert_eq!(value["reasons"][0]["remedy"], "Let driver close depot first");
    // The question comes after all of them.
    let both = [&question[..], &["driver opens depot", "--after", "driver leaves"]].concat();
    assert!(output(hypotheke(&rules).args(both), 0).starts_with("yes"));
    let away = ["ask", "arrive sled", "--after", "depart sled"];
    assert!(output(hypotheke(&rules).args(away), 0).contains("sled arrived with 3 items"));
    for (after, message) in
        [("move 99 flare from depot to sled", "would be refused"), ("move 1 flar from depot to sled", "flar")]
    {
        let requested = [&question[..], &[after]].concat();
        let assert = hypotheke(&rules).args(requested).assert().code(2);
        assert!(String::from_utf8_lossy(&assert.get_output().stderr).contains(message));
    }
}

#[test]
fn ask_tells_a_holder_nothing_about_what_it_may_not_see() {
    let folder = tempfile::tempdir().expect("a folder");
    let rules = "[kind.tin]\n[kind.pouch]\npack = \"pouch\"\n[container.pouch]\nslots = 2\nmust-open = true\n\
        [container.mailbox]\nslots = 2\nowner = \"ines\"\ntake-by = \"owner\"\nopen-by = \"owner\"\n\
        [holder.ines]\n[holder.guest]\n[start]\nmailbox = [\"1 pouch\"]\n";
    std::fs::write(folder.path().join("rules.toml"), rules).expect("written");
    let requested = |question: &str| output(hypotheke(folder.path()).args(["ask", question, "rules.toml"]), 0);
    let (there, not_there) =
        (requested("guest drops 1 tin from mailbox/0/"), requested("guest drops 1 tin from mailbox/1/"));
    assert_eq!(there.replace("mailbox/0/", "mailbox/1/"), not_there);
    assert!(there.contains("refused: not-allowed"), "{there}");
    assert!(requested("ines drops 1 tin from mailbox/0/").contains("refused: not-open"));
}

#[test]
fn a_question_that_can_t_be_read_is_pointed_at() {
    let folder = traverse();
    hypotheke(&folder.path().join("traverse"))
        .args(["ask", "move 3 flar from depot to sled"])
        .assert()
        .code(2)
        .stderr_eq(str![[r#"
error[unknown-kind]: unknown kind `flar`
 --> question:1:8
  |
1 | move 3 flar from depot to sled
  |        ^^^^
  |
  = help: Did you mean `flare`?

1 error

"#]]);
}

#[test]
fn check_accepts_the_demo() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules).arg("check").assert().success().stdout_eq(golden("check.txt")).stderr_eq("");
    let json: Value =
        serde_json::from_str(&output(hypotheke(&rules).args(["check", "--format", "json"]), 0)).expect("JSON");
    assert_eq!((json["kinds"].as_u64(), json["diagnostics"].as_array().map(Vec::len)), (Some(44), Some(0)));
}

#[test]
fn show_gives_the_prices_of_each_deal() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let shown = output(hypotheke(&rules).args(["show", "canteen", "counter"]), 0);
    let deals: Vec<&str> = shown.lines().skip_while(|line| !line.contains("deal ")).collect();
    assert_eq!(
        deals,
        [
            "  deal provisions by crew",
            "    buy   1 cocoa-tin  for 4 chit",
            "    sell  1 cocoa-tin  for 2 chit",
            "    buy   1 soup-cube  for 2 chit",
            "    sell  1 soup-cube  for 1 chit",
            "  deal phone by mara",
            "    buy   1 field-phone  for 12 chit",
        ]
    );
    let json = output(hypotheke(&rules).args(["show", "canteen", "outer-camp", "--format", "json"]), 0);
    let json: Value = serde_json::from_str(&json).expect("JSON");
    let lot = &json["containers"][0]["deals"][0]["lots"][0];
    assert_eq!((&lot["verb"], &lot["gets"][0]["count"]), (&"sell".into(), &5.into()));
}

#[test]
fn show_draws_all_of_it() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules).arg("show").assert().success().stdout_eq(golden("show.txt"));
    hypotheke(&rules)
        .args(["show", "rules.toml", "surveyor", "locker-a"])
        .assert()
        .success()
        .stdout_eq(golden("show-places.txt"));
    let kinds = output(hypotheke(&rules).args(["show", "--part", "kinds"]), 0);
    assert!(kinds.contains("fuel-drum") && !kinds.contains("slots taken"));
    let json: Value =
        serde_json::from_str(&output(hypotheke(&rules).args(["show", "--format", "json"]), 0)).expect("JSON");
    let freezer = json["containers"]
        .as_array()
        .expect("a list")
        .iter()
        .find(|container| container["path"] == "freezer")
        .expect("the freezer");
    assert_eq!(freezer["stacks"][0]["properties"]["reading"], "3.2");
    assert_eq!(freezer["admits"], "sample and not contaminated");
}

#[test]
fn show_does_not_know_every_place() {
    let folder = traverse();
    hypotheke(&folder.path().join("traverse")).args(["show", "rules.toml", "sledge"]).assert().code(2).stderr_eq(str![
        [r#"
error: unknown place `sledge`
  help: Did you mean `sled`?

"#]
    ]);
}

#[test]
fn verify_runs_the_scenarios_of_the_folder() {
    let folder = traverse();
    hypotheke(&folder.path().join("traverse"))
        .arg("verify")
        .assert()
        .success()
        .stdout_eq(golden("verify.txt"))
        .stderr_eq("");
    let elsewhere = output(hypotheke(folder.path()).args(["verify", "--rules", "traverse/rules.toml"]), 0);
    assert!(elsewhere.ends_with("133 scenarios passed   240 steps, 297 checks\n"), "{elsewhere}");
}

#[test]
fn verify_draws_failures() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules)
        .args(["verify", "failing"])
        .assert()
        .code(1)
        .stdout_eq(golden("verify-failing.txt"))
        .stderr_eq("");
    let json = output(hypotheke(&rules).args(["verify", "failing", "--format", "json"]), 1);
    let value: Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!((value["failed"].as_u64(), value["passed"].as_u64()), (Some(3), Some(0)));
    assert_eq!(value["scenarios"][0]["failures"][0]["line"], 9);
    assert_eq!(value["scenarios"][2]["failures"][0]["contents"][1]["item"], "tent");
}

#[test]
fn verify_lists_every_step_on_request() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules)
        .args(["verify", "scenarios/sled.scenario", "--steps"])
        .assert()
        .success()
        .stdout_eq(golden("verify-steps.txt"));
    let json = output(hypotheke(&rules).args(["verify", "scenarios/sled.scenario", "--steps", "--format", "json"]), 0);
    let value: Value = serde_json::from_str(&json).expect("JSON");
    let refused = &value["scenarios"][0]["step-reports"][1]["answer"];
    assert_eq!((refused["refused"].as_str(), refused["figures"]["value"].as_str()), (Some("weight-cap"), Some("204")));
}

#[test]
fn standard_input_is_read_where_a_dash_stands() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let scenario = "scenario From elsewhere\n  start\n    depot: 1 flare\n  end\n    depot: 1 flare\n";
    let run = output(hypotheke(&rules).args(["verify", "-"]).stdin(scenario), 0);
    assert!(run.ends_with("1 scenario passed   0 steps, 1 check\n"), "{run}");
    let checked = output(hypotheke(&rules).args(["check", "-"]).stdin(include_str!("../demo/rules.toml")), 0);
    assert!(checked.contains("44 kinds"), "{checked}");
}

#[test]
fn colour_is_for_terminals_and_for_those_who_ask() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    assert!(!output(hypotheke(&rules).arg("verify"), 0).contains('\u{1b}'));
    assert!(output(hypotheke(&rules).args(["verify", "--color", "always"]), 0).contains('\u{1b}'));
    let plain = output(hypotheke(&rules).arg("verify"), 0);
    assert_eq!(output(hypotheke(&rules).arg("verify").env("NO_COLOR", "1"), 0), plain);
}

#[test]
fn no_line_is_wider_than_100_columns() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    for arguments in
        [&["demo"][..], &["show"], &["verify", "--steps"], &["--help"], &["verify", "--help"], &["show", "--help"]]
    {
        for line in output(hypotheke(&rules).args(arguments), 0).lines() {
            assert!(line.chars().count() <= 100, "{arguments:?}: {line}");
        }
    }
    for line in output(hypotheke(&rules).args(["verify", "failing"]), 1).lines() {
        assert!(line.chars().count() <= 100, "{line}");
    }
}

#[test]
fn the_same_input_gives_the_same_bytes() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    for arguments in [
        &["show"][..],
        &["verify", "--steps"],
        &["show", "--format", "json"],
        &["verify", "--format", "json", "--steps"],
    ] {
        assert_eq!(output(hypotheke(&rules).args(arguments), 0), output(hypotheke(&rules).args(arguments), 0));
    }
}

#[test]
fn completions_are_printed_for_each_shell() {
    for shell in ["bash", "elvish", "fish", "powershell", "zsh"] {
        let script = output(hypotheke(here().path()).args(["--completions", shell]), 0);
        assert!(script.contains("hypotheke") && script.contains("verify"), "{shell}");
    }
}

#[test]
fn bad_input_outweighs_a_failure_and_a_failure_outweighs_a_search_that_stopped() {
    let folder = traverse();
    let demo = folder.path().join("traverse");
    let write = |name: &str, text: &str| std::fs::write(demo.join(name), text).expect("written");
    write("bad.scenario", "scenario A\n  steps\n    frobnicate\n");
    write("messy.scenario", "scenario A\n  start\n     depot:   1   flare\n");
    write("broken.json", "{");
    let rules = std::fs::read_to_string(demo.join("rules.toml")).expect("the rules");
    write(
        "strict.toml",
        &rules.replace("not-admitted = \"spill\"", "not-admitted = \"spill\"\nunknown-kinds = \"refuse\""),
    );
    let failing: [(&[&str], &str); 4] = [
        (&["verify", "failing", "--rules", "rules.toml"], "bad.scenario"),
        (&["coverage", "scenarios/camp.scenario", "--no-suggestions"], "bad.scenario"),
        (&["fmt", "--check", "messy.scenario"], "bad.scenario"),
        (&["migrate", "--rules", "strict.toml", "saves/autumn.json"], "broken.json"),
    ];
    for (command, bad) in failing {
        output(hypotheke(&demo).args(command), 1);
        output(hypotheke(&demo).args(command).arg(bad), 2);
    }
    for file in ["bad.scenario", "messy.scenario", "broken.json"] {
        std::fs::remove_file(demo.join(file)).expect("removed");
    }
    write_refusing_rules(&demo);
    let refused = ["test-saves", "--next-rules", "earlier/refusing.toml", "--joins", "1", "--states", "5"];
    let described = output(hypotheke(&demo).args(refused), 1);
    assert!(described.contains("stopped early by `--states`"), "{described}");
    write("rules.toml", "format = 1\nfrobnicate = 2\n");
    output(hypotheke(&demo).args(refused), 2);
}
