//! Playing scenarios: which, how far, again and again, and for continuous integration; their
//! layout.

use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};

use snapbox::str;

use super::{golden, hypotheke, output, traverse};

#[test]
fn some_scenarios_are_chosen_by_a_part_of_their_title() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let described = output(hypotheke(&rules).args(["verify", "--list", "--only", "ARCHIVE", "--only", "logbook"]), 0);
    assert!(
        described.contains("What is archived stays in the chest") && described.contains("The logbook is neither lost")
    );
    assert!(described.ends_with("2 scenarios passed   8 steps, 2 checks\n"), "{described}");
    hypotheke(&rules).args(["verify", "--only", "nothing of it"]).assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: no scenario has `nothing of it` in its title
  help: Write a part of the title; case does not matter

"#]]);
}

#[test]
fn the_first_failure_may_be_enough() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let described =
        output(hypotheke(&rules).args(["verify", "scenarios", "failing", "--rules", "rules.toml", "--fail-fast"]), 1);
    assert!(
        described.contains("The sled takes a fourth drum")
            && !described.contains("The freezer takes contaminated jars")
    );
    assert!(described.contains("stopped at the first failure (`--fail-fast`)\n"), "{described}");
}

#[test]
fn the_number_of_threads_changes_nothing() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let with = |threads| {
        let arguments = ["verify", "scenarios", "failing", "--rules", "rules.toml", "--steps", "--threads", threads];
        output(hypotheke(&rules).args(arguments), 1)
    };
    assert_eq!(with("1"), with("4"));
}

#[test]
fn continuous_integration_gets_each_scenario_and_row_as_a_test() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let arguments = ["verify", "failing", "scenarios/limits.scenario", "--rules", "rules.toml", "--format", "junit"];
    hypotheke(&rules).args(arguments).assert().code(1).stdout_eq(golden("junit.xml"));
}

#[test]
fn files_are_brought_into_their_layout_and_comments_are_kept() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules).args(["fmt", "--check"]).assert().success().stdout_eq("6 files already formatted\n");
    let untidy = "# Of ropes.\nscenario  ropes   # a title keeps its hash\n start\n   depot :2 rope-coil # two\n\n\n steps\n  \
                  move 1 rope-coil from depot to sled->moved 1\n move 1 rope-coil from sled to depot -> moved 1\n";
    let tidy = "# Of ropes.\nscenario ropes   # a title keeps its hash\n  start\n    depot: 2 rope-coil  # two\n  steps\n    \
                move 1 rope-coil from depot to sled  -> moved 1\n    move 1 rope-coil from sled to depot  -> moved 1\n";
    let file = rules.join("scenarios/ropes.scenario");
    std::fs::write(&file, untidy).expect("written");
    hypotheke(&rules).args(["fmt", "--check"]).assert().code(1).stdout_eq(str![[r#"
would change   scenarios/ropes.scenario
6 files already formatted
next: hypotheke fmt

"#]]);
    assert_eq!(std::fs::read_to_string(&file).expect("the file"), untidy, "--check changes nothing");
    hypotheke(&rules).arg("fmt").assert().success();
    assert_eq!(std::fs::read_to_string(&file).expect("the file"), tidy);
    hypotheke(&rules).args(["fmt", "-"]).stdin(untidy).assert().success().stdout_eq(tidy);
    // An unreadable file does not stop the others.
    std::fs::write(&file, untidy).expect("written");
    std::fs::write(rules.join("scenarios/wrong.scenario"), "scenario x\n  steps\n    move\n").expect("written");
    hypotheke(&rules).arg("fmt").assert().code(2);
    assert_eq!(std::fs::read_to_string(&file).expect("the file"), tidy);
}

/// Runs once, waits, and runs again when a file has changed.
#[test]
fn watched_files_are_run_again() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let mut child = Command::new(snapbox::cmd::cargo_bin!("hypotheke"))
        .args(["verify", "--watch", "--only", "archive"])
        .current_dir(&rules)
        .stdout(Stdio::piped())
        .spawn()
        .expect("started");
    let mut lines = BufReader::new(child.stdout.take().expect("its output")).lines();
    let mut summary = || {
        lines
            .by_ref()
            .map(|line| line.expect("text"))
            .find(|line| line.contains("waiting for changes"))
            .expect("it waits");
    };
    summary();
    let text = std::fs::read_to_string(rules.join("rules.toml")).expect("the rules");
    std::fs::write(rules.join("rules.toml"), text.replace("take-by = \"nobody\"", "take-by = \"anyone\""))
        .expect("written");
    let failed = lines.by_ref().map(|line| line.expect("text")).find(|line| line.contains("1 of 1 scenario failed"));
    assert!(failed.is_some());
    child.kill().expect("ended");
    child.wait().expect("ended");
}

#[test]
fn a_million_steps_run() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let round = "    move 1 fuel-drum from depot to sled\n    move 1 fuel-drum from sled to depot\n";
    let text = format!("scenario many\n  start as ruleset\n  steps\n{}", round.repeat(500_000));
    let described = output(hypotheke(&rules).args(["verify", "-"]).stdin(text), 0);
    assert!(described.ends_with("1 scenario passed   1000000 steps, 0 checks\n"), "{described}");
}
