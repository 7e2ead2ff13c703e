//! What of the start a trace takes: enough, and no more.

use std::sync::Arc;

use hypotheke::explore::{Bounds, ClaimsFile, Exploration, ExplorationReport, Status, Trace, Walks};
use hypotheke::scenario::ReportDetail;
use hypotheke::text::Source;
use hypotheke::{Ruleset, ScenarioFile};
use proptest::prelude::*;

use super::exploration::{ready, small};

fn claims(text: &str) -> ClaimsFile {
    ClaimsFile::parse(Source::new("a.claims", text)).unwrap_or_else(|errors| panic!("{errors}"))
}

fn walk(rules: &Arc<Ruleset>, text: &str) -> ExplorationReport {
    let exploration = Exploration::new(rules, &claims(text)).unwrap_or_else(|errors| panic!("{errors}"));
    exploration.walk(Walks { count: 300, steps: 30, ..Walks::default() }, &mut |_| None)
}

fn search(rules: &Arc<Ruleset>, text: &str) -> ExplorationReport {
    let exploration = Exploration::new(rules, &claims(text)).unwrap_or_else(|errors| panic!("{errors}"));
    exploration.within(Bounds { states: Some(3_000), ..Bounds::default() }).search()
}

fn trace(found: &ExplorationReport, nth: usize) -> &Trace {
    match &found.verdicts[nth].status {
        Status::Violated(trace) => trace,
        other => panic!("{}: {other:?}", found.verdicts[nth].claim),
    }
}

/// Whether a claim holds with only these items, and no longer after the steps.
fn breaks(rules: &Arc<Ruleset>, start: &[String], steps: &[String], claim: &str) -> bool {
    let indented = |lines: &[String]| lines.iter().map(|line| format!("    {line}\n")).collect::<String>();
    let (start, steps) = (indented(start), indented(steps));
    let text = format!("scenario a\n  start\n{start}  steps\n    now {claim}\n{steps}  end\n    {claim}\n");
    let file =
        ScenarioFile::parse(Source::new("a.scenario", &*text)).unwrap_or_else(|errors| panic!("{errors}\n{text}"));
    let Ok(playable) = file.check(rules) else { return false };
    let report = playable.run(ReportDetail::Failures).next().expect("one scenario");
    matches!(report.failures(), [failure] if failure.step.is_none())
}

/// Each start with one stack removed, or one item less.
fn smaller(start: &[String]) -> Vec<Vec<String>> {
    let mut all = Vec::new();
    for (nth, line) in start.iter().enumerate() {
        let without = |instead: Option<String>| {
            let lines = start.iter().enumerate();
            lines.filter_map(|(at, line)| if at == nth { instead.clone() } else { Some(line.clone()) }).collect()
        };
        all.push(without(None));
        let (place, contents) = line.split_once(": ").expect("a place and its contents");
        let (count, what) = contents.split_once(' ').expect("a number of a kind");
        let count: u32 = count.parse().expect("a count");
        if count > 1 && !what.contains(", ") {
            all.push(without(Some(format!("{place}: {} {what}", count - 1))));
        }
    }
    all
}

fn camp() -> Arc<Ruleset> {
    ready(
        Ruleset::builder()
            .mark("contaminated")
            .kind("core", |kind| kind.property("reading", 0.into()))
            .kind("fuel", |kind| kind.stack_limit(20))
            .kind("flare", |kind| kind.stack_limit(9))
            .kind("case", |kind| kind.pack("case"))
            .container("case", |it| it.slots(2))
            .container("depot", |it| it.slots(5))
            .container("freezer", |it| it.slots(2).admits("not contaminated"))
            .container("sled", |it| it.slots(2))
            .start("depot/1", ["1 core (contaminated, reading 3.2)"])
            .start("depot/2", ["15 fuel"])
            .start("depot/4", ["1 case"])
            .start("depot/4/0", ["9 flare"])
            .start("sled/1", ["1 case"])
            .start("ground", ["4 flare", "1 core"]),
    )
}

#[test]
fn a_trace_has_only_the_used_part_of_the_start() {
    let rules = camp();
    let text = "explore\n  consume fuel\nalways\n  no contaminated in freezer\n  count of fuel in sled <= 3\n  count of fuel >= 15\n\
                forbidden\n  drop flare\n  pick-up core\n";
    for found in [walk(&rules, text), search(&rules, text)] {
        let [cased, fuelled, used, dropped, picked] = [0, 1, 2, 3, 4].map(|nth| trace(&found, nth));
        let of = |trace: &Trace| trace.start.clone().unwrap_or_else(|| panic!("{:?}", trace.steps));
        assert_eq!(of(cased).len(), 2, "the core and a case: {:?}", of(cased));
        assert_eq!(of(cased)[0], "depot/1: 1 core (contaminated, reading 3.2)");
        assert!(of(cased)[1].ends_with(": 1 case"));
        assert_eq!(of(picked), ["ground: 1 core"]);
        assert!(of(dropped).iter().any(|line| line.contains("flare")) && of(dropped).len() <= 2, "{:?}", of(dropped));
        // Half of the 15: of one, half and all the least that is too much.
        assert_eq!(fuelled.steps, ["move 8 fuel from depot/2 to sled/0"]);
        assert_eq!(of(fuelled), ["depot/2: 8 fuel"]);
        assert!(used.steps[0].starts_with("consume 1 fuel from depot"), "{:?}", used.steps);
        assert_eq!(of(used), ["depot/2: 15 fuel"], "with less it would not hold at the start");
    }
}

#[test]
fn where_it_is_not_known_the_scenario_has_the_whole_start() {
    let rules = ready(
        Ruleset::builder()
            .kind("logbook", |kind| kind)
            .container("depot", |it| it.slots(1))
            .container("vault", |it| it.slots(1).no_take())
            .start("depot", ["1 logbook"]),
    );
    let text = "start as ruleset\nalways\n  count of logbook = 0\nrecoverable\n  depot has: 1 logbook\n";
    let found = search(&rules, text);
    assert_eq!((trace(&found, 0).steps.len(), &trace(&found, 0).start), (0, &None), "it is so before the first step");
    assert_eq!((trace(&found, 1).steps.len(), &trace(&found, 1).start), (1, &None), "no single world shows it");
    let written = claims(text).scenario_of(&found.verdicts[1]).expect("it is broken");
    assert!(written.contains("\n  start as ruleset\n  steps\n"), "{written}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// The scenario that is written fails where it should, and from no smaller start.
    #[test]
    fn the_reported_start_is_enough_and_minimal(rules in small(), walked in any::<bool>()) {
        const CLAIMS: [&str; 4] =
            ["count of k1 in sled <= 1", "free slots of depot >= 2", "count of k0 in depot >= 1", "count of case in sled = 0"];
        let lines: String = CLAIMS.iter().map(|claim| format!("  {claim}\n")).collect();
        let text = format!("explore\n  verbs move, swap, drop, pick-up, split\nalways\n{lines}");
        let found = if walked { walk(&rules, &text) } else { search(&rules, &text) };
        for (verdict, claim) in found.verdicts.iter().zip(CLAIMS) {
            let Status::Violated(trace) = &verdict.status else { continue };
            if trace.steps.is_empty() {
                prop_assert_eq!(&trace.start, &None);
                continue;
            }
            let start = trace.start.as_ref().expect("it is known");
            prop_assert!(breaks(&rules, start, &trace.steps, claim), "{start:?} {:?}", trace.steps);
            for less in smaller(start) {
                prop_assert!(!breaks(&rules, &less, &trace.steps, claim), "{less:?} {:?}", trace.steps);
            }
            let scenario = claims(&text).scenario_of(verdict).expect("it is broken");
            let file = ScenarioFile::parse(Source::new("a.scenario", &*scenario)).expect("a scenario");
            let report = file.check(&rules).expect("known names").run(ReportDetail::Failures).next().expect("a report");
            let failed: Vec<_> = report.failures().iter().map(|failure| failure.step).collect();
            prop_assert_eq!(failed, [Some(trace.steps.len())], "{}", scenario);
        }
    }
}
