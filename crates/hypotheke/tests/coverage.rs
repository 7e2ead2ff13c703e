//! Which rules scenarios test: what is noticed, what is not, what has no effect, and scenarios that
//! would notice it.

use std::collections::BTreeMap;
use std::num::NonZeroUsize;
use std::path::Path;
use std::sync::Arc;

use hypotheke::coverage::{ChangeVerdict, Coverage, CoverageOptions, Tested, coverage};
use hypotheke::scenario::ReportDetail;
use hypotheke::text::Source;
use hypotheke::{Ruleset, ScenarioFile};

const RULES: &str = r#"
[kind.flare]
stack-limit = 6
weight = 0.3
tags = ["signal"]
[kind.drum]
stack-limit = 4
weight = 40
[kind.logbook]
protected = true
[kind.pole]
occupies-slots = ["left", "right"]
[mark.wet]
[container.depot]
slots = 6
[container.sled]
slots = 4
weight-cap = 100
admits = "not signal or wet"
[container.chest]
slots = 2
take-by = "nobody"
[container.hands]
slot = [{ name = "left" }, { name = "right" }]
"#;

pub(crate) fn look(rules: &str, scenarios: &str, threads: usize) -> Coverage {
    let rules = Arc::new(Ruleset::from_toml("rules.toml", rules).unwrap_or_else(|errors| panic!("{errors}")));
    let file = ScenarioFile::parse(Source::new("x.scenario", scenarios)).unwrap_or_else(|errors| panic!("{errors}"));
    let playable = file.check(&rules).unwrap_or_else(|errors| panic!("{errors}"));
    let held = playable.run(ReportDetail::Failures).all(|report| report.passed());
    assert!(held, "the scenarios hold");
    let threads = NonZeroUsize::new(threads).expect("at least one");
    coverage(&rules, &[playable], CoverageOptions { threads, suggest: true }, |_, _| {})
}

/// `subject: rule: change` of all with that verdict.
pub(crate) fn described(found: &Coverage, wanted: fn(&ChangeVerdict) -> bool) -> Vec<String> {
    let rules = found.rules().iter();
    let changes = rules.flat_map(|rule| rule.changes.iter().map(move |change| (rule, change)));
    changes
        .filter(|(_, change)| wanted(&change.verdict))
        .map(|(rule, change)| format!("{}: {}: {}", rule.subject.name, rule.text, change.text))
        .collect()
}

pub(crate) fn unnoticed(found: &Coverage) -> Vec<String> {
    described(found, |verdict| matches!(verdict, ChangeVerdict::Undetected { .. }))
}

fn without_effect(found: &Coverage) -> Vec<String> {
    described(found, |verdict| matches!(verdict, ChangeVerdict::Equivalent { .. }))
}

const NOTHING: &str = "scenario nothing\n  end\n    depot: nothing\n";

#[test]
fn every_single_rule_is_changed() {
    let found = look(RULES, NOTHING, 2);
    assert_eq!(
        unnoticed(&found),
        [
            "flare: stack-limit 6: 5",
            "flare: stack-limit 6: 7",
            "flare: stack-limit 6: without it",
            "flare: weight 0.3: 0.2",
            "flare: weight 0.3: 0.4",
            "flare: weight 0.3: without it",
            "flare: tag signal: without it",
            "drum: stack-limit 4: 3",
            "drum: stack-limit 4: 5",
            "drum: stack-limit 4: without it",
            "drum: weight 40: 39",
            "drum: weight 40: 41",
            "drum: weight 40: without it",
            "logbook: protected: not protected",
            "pole: occupies-slots left: not occupied",
            "pole: occupies-slots right: not occupied",
            "depot: slots 6: 5",
            "depot: slots 6: 7",
            "sled: weight-cap 100: 99.7",
            "sled: weight-cap 100: 100.3",
            "sled: weight-cap 100: without it",
            "sled: admits `not signal or wet`: without it",
            "sled: admits: `or` in `not signal or wet`: `not signal and wet`",
            "sled: admits: term `not signal`: `signal`",
            "sled: admits: term `wet`: `not wet`",
            "sled: slots 4: 3",
            "sled: slots 4: 5",
            "chest: take-by nobody: anyone",
            "chest: slots 2: 1",
            "chest: slots 2: 3",
            "hands: slot left before slot right: the other way round",
        ]
    );
    assert_eq!((found.percent(), found.count(Tested::Not)), (0, 18));
}

#[test]
fn what_a_scenario_shows_is_noticed_and_nothing_else() {
    let scenario = "scenario cap\n  start\n    depot: 4 drum, 2 flare (wet)\n  steps\n    move 2 drum from depot to sled\n    \
                    move 1 drum from depot to sled -> refused: weight-cap, 120 kg of 100 kg\n";
    let rules = RULES.replace("[kind.flare]", "units = { weight = \"kg\" }\n[kind.flare]");
    let found = look(&rules, scenario, 1);
    let noticed = described(&found, |verdict| matches!(verdict, ChangeVerdict::Detected { .. }));
    assert_eq!(
        noticed,
        [
            "drum: weight 40: 39",
            "drum: weight 40: 41",
            "drum: weight 40: without it",
            "sled: weight-cap 100: 99.7",
            "sled: weight-cap 100: 100.3",
            "sled: weight-cap 100: without it",
            "sled: admits: `or` in `not signal or wet`: `not signal and wet`",
            "sled: admits: term `not signal`: `signal`",
        ],
        "the figures of a refusal show a cap that is one off"
    );
    let cap = found.rules().iter().find(|rule| rule.text == "weight-cap 100").expect("the cap");
    assert_eq!(cap.tested(), Tested::Complete);
    let filter = found.rules().iter().find(|rule| rule.text.starts_with("admits `")).expect("the filter");
    assert_eq!(filter.tested(), Tested::Not);
}

#[test]
fn what_another_limit_shadows_has_no_effect() {
    for (rules, expected) in [
        // Two slots of four drums weigh 320 at most.
        (
            "[kind.drum]\nweight = 40\nstack-limit = 4\n[container.x]\nslots = 2\nweight-cap = 400",
            vec!["x: weight-cap 400: 360", "x: weight-cap 400: 440", "x: weight-cap 400: without it"],
        ),
        (
            "[kind.drum]\nweight = 40\nstack-limit = 4\n[container.x]\nslots = 2\nweight-cap = 340",
            vec!["x: weight-cap 340: 380", "x: weight-cap 340: without it"],
        ),
        // At most two drums, whatever the slots take; a tent may be in the other slot.
        (
            "[kind.drum]\nweight = 40\nstack-limit = 4\n[kind.tent]\nweight = 9\n[container.x]\nslots = 2\nweight-cap = 101\ncaps = [{ of = \"drum\", count = 2 }]",
            vec!["x: weight-cap 101: 110", "x: weight-cap 101: without it"],
        ),
        // With a pack in it there is room for any weight.
        (
            "[kind.drum]\nweight = 40\nstack-limit = 4\n[kind.bag]\npack = \"bag\"\n[container.bag]\nslots = 1\n[container.x]\nslots = 2\nweight-cap = 400",
            vec![],
        ),
        (
            "[kind.drum]\nstack-limit = 4\n[container.x]\nslots = 2\nstack-limit = 6",
            vec!["x: stack-limit 6: 5", "x: stack-limit 6: 7", "x: stack-limit 6: without it"],
        ),
        (
            "[kind.drum]\nstack-limit = 4\n[container.x]\nslots = 2\nstack-limit = 4",
            vec!["x: stack-limit 4: 5", "x: stack-limit 4: without it"],
        ),
        (
            "[kind.drum]\nstack-limit = 4\n[container.x]\nslots = 2\ncaps = [{ of = \"drum\", count = 9 }]",
            vec!["x: cap 9 of `drum`: 8", "x: cap 9 of `drum`: 10", "x: cap 9 of `drum`: without it"],
        ),
        (
            "[tag.fuel]\nstack-limit = 3\n[kind.drum]\nstack-limit = 4\ntags = [\"fuel\"]\n[container.x]\nslots = 1",
            vec![
                "fuel: stack-limit 3: 2",
                "fuel: stack-limit 3: 4",
                "fuel: stack-limit 3: without it",
                "drum: tag fuel: without it",
            ],
        ),
        (
            "[tag.fuel]\nstack-limit = 3\n[kind.drum]\nstack-limit = 3\ntags = [\"fuel\"]\n[container.x]\nslots = 1",
            vec![
                "fuel: stack-limit 3: 2",
                "fuel: stack-limit 3: 4",
                "fuel: stack-limit 3: without it",
                "drum: stack-limit 3: without it",
                "drum: tag fuel: without it",
            ],
        ),
        // The slot lets in what the container lets in.
        (
            "[kind.drum]\ntags = [\"fuel\"]\n[kind.tent]\n[container.x]\nadmits = \"fuel\"\nslot = [{ name = \"a\", admits = \"fuel\" }]",
            vec!["x: slot a: admits `fuel`: without it"],
        ),
        (
            "[kind.drum]\ntags = [\"fuel\"]\n[kind.tent]\n[container.x]\nadmits = \"fuel\"\nslot = [{ admits = \"fuel\" }]",
            vec![],
        ),
        // What becomes unfit in the container may still be kept out of the slot.
        (
            "[mark.wet]\n[kind.drum]\n[container.x]\nadmits = \"not wet\"\nslot = [{ name = \"a\", admits = \"not wet\" }]",
            vec![],
        ),
        (
            "[kind.drum]\ntags = [\"fuel\"]\n[container.x]\nslots = 1\nadmits = \"fuel or drum\"",
            vec![
                "drum: tag fuel: without it",
                "x: admits `fuel or drum`: without it",
                "x: admits: `or` in `fuel or drum`: `fuel and drum`",
                "x: admits: term `fuel`: `not fuel`",
                "x: admits: term `drum`: `not drum`",
            ],
        ),
        (
            "[kind.drum]\nproperties = { wear = 0 }\n[container.x]\nslots = 1\nadmits = \"wear < 3 or wear >= 3\"",
            vec!["x: admits `wear < 3 or wear >= 3`: without it"],
        ),
    ] {
        let found = look(rules, "scenario nothing\n  end\n    x: nothing\n", 1);
        assert_eq!(without_effect(&found), expected, "{rules}");
    }
}

fn laws() -> Ruleset {
    Ruleset::load(Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/laws/rules.toml")).expect("the rules of the laws")
}

/// Each scenario that is suggested holds, and pasted in it makes the change noticed.
#[test]
fn suggested_scenarios_notice_what_they_were_suggested_for() {
    let rules = Arc::new(laws());
    let threads = NonZeroUsize::new(2).expect("two");
    let run = |text: &str, suggest: bool| {
        let file = ScenarioFile::parse(Source::new("x.scenario", text)).unwrap_or_else(|errors| panic!("{errors}"));
        let playable = file.check(&rules).unwrap_or_else(|errors| panic!("{errors}\n{text}"));
        for report in playable.run(ReportDetail::Failures) {
            assert!(report.passed(), "{}: {:?}", report.title(), report.failures()[0].finding);
        }
        coverage(&rules, &[playable], CoverageOptions { threads, suggest }, |_, _| {})
    };
    let found = run("scenario nothing\n  end\n    store: nothing\n", true);
    let mut suggested: BTreeMap<String, String> = BTreeMap::new();
    let mut without = Vec::new();
    for rule in found.rules() {
        for change in &rule.changes {
            match &change.verdict {
                ChangeVerdict::Undetected { suggestion: Some(text) } => {
                    let key = format!("{}: {}: {}", rule.subject.name, rule.text, change.text);
                    suggested.insert(key, text.clone());
                }
                ChangeVerdict::Undetected { suggestion: None } => {
                    without.push(format!("{}: {}: {}", rule.subject.name, rule.text, change.text));
                }
                _ => {}
            }
        }
    }
    let are_enough = suggested.len() > 100 && without.len() * 10 < suggested.len();
    assert!(are_enough, "{} found, {} not: {without:#?}", suggested.len(), without.len());
    let texts: Vec<String> = suggested
        .values()
        .enumerate()
        .map(|(number, text)| text.replacen("scenario ", &format!("scenario {number} "), 1))
        .collect();
    let again = run(&texts.join("\n"), false);
    let left = unnoticed(&again);
    let missed: Vec<&String> = suggested.keys().filter(|key| left.contains(key)).collect();
    assert!(missed.is_empty(), "{missed:?}");
}

/// The values are large, as a wait may be.
#[test]
fn a_wait_to_its_minimum_is_suggested_for_a_property_that_falls() {
    let rules = "[kind.bread]\nproperties = { freshness = 9000 }\n[container.depot]\nslots = 2\n\
                 [property.freshness]\nfalls = { by = 1500, every = 2, min = 3000 }\n";
    let found = look(rules, NOTHING, 1);
    let minimum = found.rules().iter().find(|rule| rule.text == "falls to 3000").expect("a rule");
    let waits = |change: &ChangeVerdict| match change {
        ChangeVerdict::Undetected { suggestion } => suggestion.as_ref().is_some_and(|text| text.contains("wait 10")),
        _ => false,
    };
    assert!(!minimum.changes.is_empty() && minimum.changes.iter().all(|change| waits(&change.verdict)));
}

#[test]
fn whom_a_slot_is_for_is_shown_by_what_is_put_in_and_taken_out() {
    let rules = "[kind.flare]\n[container.tray]\nslot = [{ put-by = \"ann\" }, { take-by = \"nobody\" }]\n\
                 [container.bag]\nslots = 2\n[holder.ann]\ncarries = [\"bag\"]\n[holder.bert]\ncarries = [\"bag\"]\n";
    let found = look(rules, "scenario nothing\n  end\n    tray: nothing\n", 1);
    let suggested = |text: &str| {
        let rule = found.rules().iter().find(|rule| rule.text == text).expect("a rule");
        match &rule.changes[0].verdict {
            ChangeVerdict::Undetected { suggestion: Some(text) } => text.clone(),
            other => panic!("{other:?}"),
        }
    };
    assert!(suggested("slot 0: put-by ann").contains("bert picks up 1 flare to tray/0"));
    assert!(suggested("slot 1: take-by nobody").contains("drop 1 flare from tray/1"));
}

#[test]
fn threads_change_nothing() {
    let one = look(RULES, NOTHING, 1);
    for threads in [2, 5] {
        assert_eq!(format!("{one:?}"), format!("{:?}", look(RULES, NOTHING, threads)));
    }
}

#[test]
fn what_no_scenario_can_test_is_listed_and_a_rule_without_a_choice_is_not_called_redundant() {
    let rules = "title = \"Camp\"\nrequest-window = 9\n[kind.flare]\nname = \"Flare\"\n[kind.pole]\nname = \"Pole\"\noccupies-slots = [\"top\"]\n\
                 [container.depot]\nslots = 2\nslot = [{ name = \"top\" }]\n[claims]\nalways = [\"count of flare = 0\"]\n";
    let found = look(rules, NOTHING, 1);
    let listed: Vec<(String, usize)> = found.not_testable().iter().map(|it| (it.setting.clone(), it.count)).collect();
    let expected = [("claim", 1), ("name", 2), ("request-window", 1), ("title", 1)];
    assert_eq!(listed, expected.map(|(setting, count)| (setting.to_owned(), count)));
    let name = found.rules().iter().find(|rule| rule.text == "slot top: name").expect("the rule");
    assert_eq!((name.tested(), found.count(Tested::OnlyChoice)), (Tested::OnlyChoice, 1), "the pole needs it");
}
