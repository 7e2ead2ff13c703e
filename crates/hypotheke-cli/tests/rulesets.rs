//! What the rules mean together: which are tested, what fits where, the differences from an earlier
//! version.

use std::path::Path;

use serde_json::Value;

use super::{golden, hypotheke, output, traverse};

/// Writes a file anew, with something in it replaced.
fn edit(path: &Path, from: &str, to: &str) {
    let text = std::fs::read_to_string(path).expect("a file");
    assert!(text.contains(from), "{from}");
    std::fs::write(path, text.replacen(from, to, 1)).expect("written");
}

fn json(folder: &Path, arguments: &[&str], status: i32) -> Value {
    let text = output(hypotheke(folder).args(arguments).args(["--format", "json"]), status);
    serde_json::from_str(&text).expect("JSON")
}

/// The rules that are not tested, each with what it is written for.
fn untested(found: &Value) -> Vec<String> {
    let rules = found["rules"].as_array().expect("a list").iter();
    let missed = rules.filter(|rule| rule["verdict"] == "untested" || rule["verdict"] == "partly-tested");
    missed.map(|rule| format!("{} {}", rule["subject"], rule["rule"]).replace('"', "")).collect()
}

#[test]
fn the_demo_s_scenarios_test_all_of_its_rules() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules).arg("coverage").assert().success().stdout_eq(golden("coverage.txt")).stderr_eq("");
    let one = output(hypotheke(&rules).args(["coverage", "--show-changes", "--threads", "1"]), 0);
    assert_eq!(output(hypotheke(&rules).args(["coverage", "--show-changes", "--threads", "3"]), 0), one);
}

#[test]
fn without_a_scenario_its_rule_is_named_and_the_suggested_scenario_tests_it_again() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let limits = rules.join("scenarios/limits.scenario");
    let text = std::fs::read_to_string(&limits).expect("the scenarios");
    let taken_out = text.find("scenario A locker is full").expect("the scenario");
    let after = text[taken_out..].find("scenario No fuel").expect("the next one") + taken_out;
    std::fs::write(&limits, format!("{}{}", &text[..taken_out], &text[after..])).expect("written");

    let found = json(&rules, &["coverage"], 1);
    assert_eq!(untested(&found), ["locker weight-cap 30"]);
    hypotheke(&rules).arg("coverage").assert().code(1).stdout_eq(golden("coverage-untested.txt"));

    // What it suggests is pasted.
    let rule = found["rules"].as_array().expect("a list").iter().find(|rule| rule["verdict"] == "untested");
    let changes = rule.expect("the rule")["changes"].as_array().expect("a list").clone();
    let suggested: Vec<&str> = changes.iter().filter_map(|change| change["suggestion"].as_str()).collect();
    assert!(!suggested.is_empty());
    std::fs::write(rules.join("scenarios/pasted.scenario"), suggested.join("\n")).expect("written");
    assert_eq!(untested(&json(&rules, &["coverage"], 0)), Vec::<String>::new());
}

#[test]
fn coverage_requires_scenarios_that_pass() {
    let folder = traverse();
    hypotheke(&folder.path().join("traverse")).args(["coverage", "failing"]).assert().code(2).stdout_eq("").stderr_eq(
        snapbox::str![[r#"
error: the scenario `The sled takes a fourth drum` fails with the present rules
  help: Fix it first: `hypotheke verify` shows the failure. Coverage requires scenarios that pass

"#]],
    );
}

#[test]
fn fits_draws_what_fits_where() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules).arg("fits").assert().success().stdout_eq(golden("fits.txt"));
    hypotheke(&rules).args(["fits", "--by-tag"]).assert().success().stdout_eq(golden("fits-by-tag.txt"));
    let fuel = json(&rules, &["fits", "rules.toml", "sled", "--of", "fuel"], 0);
    let drum = &fuel["fits"][0];
    // Of four drums the sled bears three: 184 kg would be too much.
    assert_eq!((&drum["per-slot"], &drum["per-container"]), (&Value::from(4), &Value::from(3)));
    assert_eq!(drum["limited-by"], "weight");
    hypotheke(&rules).args(["fits", "rules.toml", "slde"]).assert().code(2).stdout_eq("").stderr_eq(snapbox::str![[r#"
error: unknown container `slde`
  help: The containers are depot, sled, freezer, quarantine, archive, locker, instrument-case, pockets, harness, rucksack, hold

"#]]);
}

/// What the table says is what the engine does.
#[test]
fn as_many_fit_as_the_table_says() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let mut requested = 0;
    for fit in
        json(&rules, &["fits", "rules.toml", "sled", "freezer", "archive"], 0)["fits"].as_array().expect("a list")
    {
        let (kind, container) = (fit["kind"].as_str().expect("a kind"), fit["container"].as_str().expect("a place"));
        let question = format!("create up to 1000000 {kind} in {container}");
        let answer = json(&rules, &["ask", &question, "--after", "consume from sled"], 0);
        // The freezer has a core in it from the start.
        let taken = u64::from(container == "freezer");
        let expected = fit["per-container"].as_u64().unwrap_or(0);
        let free =
            if container == "freezer" { expected - expected.div_ceil(8).min(expected) * taken } else { expected };
        assert_eq!(answer["max-amount"].as_u64(), Some(free), "{kind} in {container}: {fit}");
        requested += 1;
    }
    assert!(requested > 100, "{requested}");
}

#[test]
fn a_table_for_spreadsheets_has_no_formulas() {
    let folder = tempfile::tempdir().expect("a folder");
    let rules = "[kind.rope]\nname = \"=1+1\"\n[kind.flare]\nname = 'a, \"b\"'\n[container.sled]\nslots = 1\n";
    std::fs::write(folder.path().join("rules.toml"), rules).expect("written");
    hypotheke(folder.path()).args(["fits", "--format", "csv"]).assert().success().stdout_eq(snapbox::str![[r#"
kind,name,container,slots,admitted,rule,per-slot,per-container,limited-by,limit-owner,recipes
rope,'=1+1,sled,,yes,,1,1,room,,
flare,"a, ""b""",sled,,yes,,1,1,room,,

"#]]);
}

#[test]
fn compare_tells_what_differs_in_meaning_and_which_scenarios_come_out_otherwise() {
    let folder = traverse();
    let (old, new) = (folder.path().join("traverse/rules.toml"), folder.path().join("new.toml"));
    std::fs::copy(&old, &new).expect("copied");
    std::fs::copy(folder.path().join("traverse/items.csv"), folder.path().join("items.csv")).expect("copied");
    // Another text of the same meaning.
    edit(&new, "weight-cap = 180", "weight-cap = 180.0 # kilograms");
    let scenarios = ["traverse/scenarios"];
    let compare = |status| {
        let command = hypotheke(folder.path()).args(["compare", "traverse/rules.toml", "new.toml"]).args(scenarios);
        output(command, status)
    };
    let same = "every scenario has the same verdict\nthe rulesets have the same meaning   0 scenarios with a different verdict; 133 ran with both\n";
    assert_eq!(compare(0), same);
    edit(&new, "weight-cap = 180.0", "weight-cap = 200");
    edit(&new, "admits = \"not sample\"", "admits = \"not sample.ice\"");
    edit(&folder.path().join("items.csv"), "flare,Flare,signal,0.3", "flare,Flare,signal,0.31");
    snapbox::Assert::new().action_env("SNAPSHOTS").eq(compare(1), golden("compare.txt"));
}
