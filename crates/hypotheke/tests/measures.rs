//! Quantities that are compared with each other, with the start, and of each member of a group.

use std::sync::Arc;

use hypotheke::Ruleset;
use hypotheke::ScenarioFile;
use hypotheke::explore::{Bounds, ClaimsFile, Exploration, Status};
use hypotheke::scenario::{Finding, ReportDetail};
use hypotheke::text::Source;

const RULES: &str = r#"
[kind.coin]
value = 1
stack-limit = 50
[kind.core]
value = 20
weight = 4
[kind.tin]
value = 3
[container.depot]
slots = 4
[container.pockets]
slots = 3
[holder.diver]
copies = ["mara", "ines"]
groups = ["crew"]
carries = ["pockets"]
[holder.guest]
carries = ["pockets"]
[start]
"mara.pockets" = ["8 coin"]
"ines.pockets" = ["5 coin", "1 tin"]
"guest.pockets" = ["9 coin"]
depot = ["1 core"]
"#;

fn rules() -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}")))
}

/// How the check fails after the steps, if it does.
fn failure(steps: &[&str], check: &str) -> Option<String> {
    let steps: String = steps.iter().map(|step| format!("    {step}\n")).collect();
    let text = format!("scenario one\n  steps\n{steps}  end\n    {check}\n");
    let file = ScenarioFile::parse(Source::new("x.scenario", text)).unwrap_or_else(|errors| panic!("{errors}"));
    let rules = rules();
    let ready = file.check(&rules).unwrap_or_else(|errors| panic!("{errors}"));
    let report = ready.run(ReportDetail::Failures).next().expect("one scenario");
    report.failures().first().map(|failure| match &failure.finding {
        Finding::Measure { what, comparison, expected, expected_of, found, .. } => {
            let of = expected_of.as_deref().unwrap_or("number");
            format!("{what} {found}, not {} {expected} ({of})", comparison.symbol())
        }
        other => format!("{other:?}"),
    })
}

fn faults(check: &str) -> String {
    let text = format!("scenario one\n  end\n    {check}\n");
    let file = match ScenarioFile::parse(Source::new("x.scenario", text)) {
        Ok(file) => file,
        Err(errors) => return errors.to_string(),
    };
    let rules = rules();
    file.check(&rules).map(|_| ()).expect_err(check).to_string()
}

#[test]
fn a_quantity_is_compared_with_another_one() {
    let moved = ["move 1 core from depot to mara.pockets"];
    assert_eq!(failure(&[], "value of mara = value of ines"), None);
    assert_eq!(failure(&[], "count of coin in mara > count of coin in ines"), None);
    assert_eq!(
        failure(&moved, "value of mara <= value of ines").as_deref(),
        Some("value of mara 28, not <= 8 (value of ines)")
    );
    assert_eq!(
        failure(&moved, "weight of depot >= weight of mara").as_deref(),
        Some("weight of depot 0, not >= 4 (weight of mara)")
    );
}

#[test]
fn a_quantity_is_compared_with_the_start() {
    let moved = ["move 1 core from depot to mara.pockets"];
    assert_eq!(failure(&[], "value of mara = value of mara at start"), None);
    assert_eq!(
        failure(&moved, "value of mara <= value of mara at start").as_deref(),
        Some("value of mara 28, not <= 8 (value of mara at start)")
    );
    assert_eq!(failure(&moved, "value of depot < value of depot at start"), None);
    // Items that came later count as zero at the start.
    let came = ["arrive lena as diver", "create 2 coin in lena.pockets"];
    assert_eq!(
        failure(&came, "value of each crew <= value of each crew at start").as_deref(),
        Some("value of lena 2, not <= 0 (value of lena at start)")
    );
}

#[test]
fn a_quantity_is_checked_of_each_member_of_a_group() {
    assert_eq!(failure(&[], "count of coin in each crew <= 8"), None);
    assert_eq!(
        failure(&[], "count of coin in each crew <= 7").as_deref(),
        Some("count of coin in mara 8, not <= 7 (number)")
    );
    assert_eq!(
        failure(&[], "free slots of each crew.pockets >= 2").as_deref(),
        Some("free slots of ines.pockets 1, not >= 2 (number)")
    );
    let came = ["arrive lena as diver", "create 9 coin in lena.pockets"];
    assert_eq!(
        failure(&came, "count of coin in each crew <= 8").as_deref(),
        Some("count of coin in lena 9, not <= 8 (number)")
    );
    assert_eq!(failure(&["depart mara", "depart ines"], "count of coin in each crew <= 0"), None);
}

#[test]
fn groups_that_are_not_there_are_faults() {
    assert!(faults("count of coin in each crow <= 8").contains("no holder is in group `crow`"));
    assert!(faults("count of coin in each mara <= 8").contains("no holder is in group `mara`"));
    assert!(faults("count of coin in crew <= 8").contains("unknown place `crew`"));
    assert!(faults("value of mara <= value of each crew").contains("the left side names no group"));
    assert!(faults("value of diver = 1").contains("unknown place `diver`"));
    assert!(faults("value of mara <= value of mara at end").contains("start"));
}

#[test]
fn a_search_finds_who_gains_something() {
    let claims = "start\n  mara.pockets: 2 coin\n  ines.pockets: 1 coin\n  guest.pockets: 1 coin\n  depot: 1 core\nexplore\n  actors crew\n  verbs move\nalways\n  \
                  value of each crew <= value of each crew at start\n  count of coin in each crew <= 2\n  \
                  value of guest = value of guest at start\n";
    let file = ClaimsFile::parse(Source::new("a.claims", claims)).unwrap_or_else(|errors| panic!("{errors}"));
    let found = Exploration::new(&rules(), &file)
        .unwrap_or_else(|errors| panic!("{errors}"))
        .within(Bounds::default())
        .search();
    let trace = |nth: usize| match &found.verdicts[nth].status {
        Status::Violated(trace) => trace,
        other => panic!("{other:?}"),
    };
    assert_eq!(trace(0).steps.len(), 1, "{:?}", trace(0));
    assert!(trace(0).steps[0].contains("core"), "{:?}", trace(0).steps);
    assert!(trace(0).message.contains("at start is"), "{}", trace(0).message);
    // The other lends some of theirs by the depot.
    assert_eq!(trace(1).steps.len(), 2, "{:?}", trace(1).steps);
    assert!(matches!(found.verdicts[2].status, Status::Holds), "{:?}", found.verdicts[2].status);
    // The start that it leaves has the core, and nothing that only counts at the start.
    let start = trace(0).start.clone().expect("a start");
    assert_eq!(start, ["depot/0: 1 core"]);
}
