//! What scenarios can say beyond single operations: tables, shared steps, lists over several lines,
//! moments, and every way to say what must hold. Each is shown to hold, and to fail where it
//! should.

use std::sync::Arc;

use hypotheke::scenario::{Finding, ReportDetail, ResolvedScenarioFile, RunOptions, Scenario, ScenarioReport, run_all};
use hypotheke::text::Source;
use hypotheke::{NamedOperation, Ruleset, ScenarioFile};
use proptest::prelude::*;

const RULES: &str = r#"
format = 1
units = { weight = "kg" }
[kind.flare]
stack-limit = 6
weight = 0.2
tags = ["signal"]
[kind.drum]
stack-limit = 4
weight = 40
[kind.bag]
pack = "bag"
weight = 1
[kind.core]
properties = { reading = 0 }
[mark.wet]
[container.depot]
slots = 6
[container.sled]
slots = 4
weight-cap = 100
min-slots = 2
max-slots = 6
[container.vault]
slots = 2
exclusive = true
[container.bag]
slots = 3
[container.pockets]
slots = 2
[holder.ann]
carries = ["pockets"]
shortcuts = 2
[holder.bea]
carries = ["pockets"]
[start]
depot = ["6 flare", "3 drum"]
"#;

fn rules() -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}")))
}

fn parse(text: &str) -> ScenarioFile {
    ScenarioFile::parse(Source::new("x.scenario", text)).unwrap_or_else(|errors| panic!("{errors}\n{text}"))
}

fn play(text: &str) -> Vec<ScenarioReport> {
    let file = parse(text);
    file.check(&rules()).unwrap_or_else(|errors| panic!("{errors}\n{text}")).run(ReportDetail::Failures).collect()
}

fn faults(text: &str) -> Vec<String> {
    let errors = match ScenarioFile::parse(Source::new("x.scenario", text)) {
        Err(errors) => errors,
        Ok(file) => file.check(&rules()).map(|_| ()).expect_err(text),
    };
    let found = errors.diagnostics();
    let described = |fault: &hypotheke::text::Diagnostic| {
        let at = found.line_column(fault.location());
        format!("{}:{} {}", at.line, at.column, fault.message())
    };
    found.iter().map(described).collect()
}

#[test]
fn each_line_holds_or_fails_as_the_world_is() {
    let before = "scenario x\n  start as ruleset\n    vault/1: 1 flare (wet)\n    depot/4: 1 bag\n    depot/4/: 2 flare\n  steps\n    \
                  ann moves 2 flare from depot/0 to pockets\n    ann opens vault\n    ann binds flare to shortcuts/1\n";
    for (line, holds) in [
        ("now places of wet: vault/1", true),
        ("now places of flare: vault/1, depot/0, ann.pockets/0, depot/4/0", true),
        ("now places of flare: depot/0", false),
        ("now places of core: nothing", true),
        ("now places of drum: nothing", false),
        ("now vault is open to ann", true),
        ("now vault is open to bea", false),
        ("now vault is closed to bea", true),
        ("now vault is closed to ann", false),
        ("now ann.shortcuts/1 points at flare", true),
        ("now ann.shortcuts/1 points at drum", false),
        ("now ann.shortcuts/0 points at nothing", true),
        ("now ann.shortcuts/1 points at nothing", false),
        ("now room for drum in sled = 2", true),
        ("now room for drum in sled > 2", false),
        ("now room for flare in depot/0 = 2", true),
        ("now events: ann.shortcuts/1 points at flare", true),
        ("now events: nothing", false),
        ("now unchanged since start", false),
        ("now nothing changed", false),
        ("ann binds flare to shortcuts/1\n    now nothing changed", true),
        ("ann binds flare to shortcuts/1  -> nothing changed", true),
        ("ann binds drum to shortcuts/0  -> nothing changed", false),
        ("move 9 drum from depot to sled  -> refused: not-enough, 9 of 3; up to 2", true),
        ("move 9 drum from depot to sled  -> refused: not-enough, 9 of 3; up to 3", false),
        ("move 9 drum from depot to sled  -> refused; up to 2", true),
        ("move up to 9 drum from depot to sled  -> moved 2 of 9", true),
        ("move up to 9 drum from depot to sled  -> moved 2 of 8", false),
        ("move 9 drum from depot to sled  -> refused\n    now nothing changed\n    now events: nothing", true),
        ("sort sled\n    now nothing changed", true),
        ("save then load\n    now nothing changed", true),
        ("save then load\n    now events: nothing", true),
        ("save then load\n    now vault is open to ann\n    ann moves 2 flare from pockets to depot/5", true),
        ("snapshot here\n    depart sled\n    save then load\n    arrive sled\n    now unchanged since here", true),
        (
            "ann lifts from depot/0\n    save then load\n    now ann.hand: 4 flare\n    ann returns\n    now depot/0: 4 flare",
            true,
        ),
        (
            "snapshot here\n    move 1 drum from depot to sled\n    move 1 drum from sled to depot\n    now unchanged since here",
            true,
        ),
        ("snapshot here\n    move 1 drum from depot to sled\n    now unchanged since here", false),
        ("snapshot here\n    drop 1 drum from depot\n    now unchanged since here", false),
        ("snapshot here\n    ann closes vault\n    now unchanged since here", false),
        ("snapshot here\n    unbind ann.shortcuts/1\n    now unchanged since here", false),
        ("snapshot here\n    resize sled to 5\n    now unchanged since here", false),
        ("snapshot here\n    mark depot/0 wet\n    now unchanged since here", false),
        ("snapshot here\n    ann lifts 1 from depot/0\n    now unchanged since here", false),
        ("snapshot here\n    move 1 flare from depot/4/ to depot/4/2\n    now unchanged since here", false),
        ("undo\n    now events: nothing", true),
        ("undo\n    now ann.shortcuts/1 points at nothing", true),
        ("undo\n    undo\n    undo\n    now unchanged since start", true),
        ("undo\n    undo\n    undo\n    undo", false),
        ("undo revision 2", false),
        ("undo  -> refused: stale", false),
        ("undo revision 3", true),
        ("request a: move 1 drum from depot to sled\n    request a: move 1 drum from depot to sled", true),
        ("request a: move 1 drum from depot to sled\n    request a: move 2 drum from depot to sled", false),
        ("at revision 3: move 1 drum from depot to sled  -> moved 1", true),
        ("at revision 2: move 1 drum from depot to sled", false),
        ("at revision 2: move 1 drum from depot to sled  -> refused: stale, 2 of 3", true),
        ("at revision 2: move 1 drum from depot to sled  -> refused: stale, 2 of 4", false),
        ("drop 1 drum from depot at 1,-2.5\n    now ground at 1,-2.5: 1 drum", true),
        ("drop 1 drum from depot at 1,-2.5\n    now ground at 1,2.5: 1 drum", false),
        ("drop 1 drum from depot at 1,-2.5\n    now ground at 0,0 has: 1 drum", false),
        ("now origin of ann: nothing", true),
        ("ann lifts from depot/0\n    now origin of ann: depot/0", true),
        ("ann lifts from depot/0\n    now origin of ann: depot/1", false),
        ("ann lifts from depot/0\n    now origin of ann: nothing", false),
        ("together (sort depot; move 9 drum from depot to sled)  -> refused in step 2: not-enough", true),
        ("together (sort depot; move 9 drum from depot to sled)  -> refused in step 1", false),
        ("together (sort depot; move 9 drum from depot to sled)  -> refused at the end", false),
        ("together (sort depot; move 3 drum from depot to sled)  -> refused at the end: weight-cap", true),
        ("move 1 drum from depot to ann  -> refused: unknown", true),
        ("split 1 from depot/0 to depot/5\n    now events: 1 flare: depot/0 to depot/5", true),
        ("split 1 from depot/0 to depot/5\n    now events: 1 flare: depot/0 to depot/4", false),
        ("create 1 drum in sled\n    now events: 1 drum created in sled/0", true),
        ("consume 1 drum from depot\n    now events: 1 drum consumed from depot/1", true),
        ("swap depot/0 with depot/1\n    now events: depot/0 and depot/1 swapped", true),
        ("mark depot/0 wet\n    now events: depot/0 became wet", true),
        ("unmark vault/1 wet\n    now events: vault/1 became plain", true),
        ("resize sled to 6\n    now events: sled has 6 slots instead of 4", true),
        ("ann closes vault\n    now events: ann closed vault", true),
        ("bea opens sled\n    now events: bea opened sled", true),
        ("depart sled\n    now events: sled departed with nothing", true),
        ("depart ann\n    now events has: ann departed with 2 items", true),
        ("drop 1 drum from depot at 1,-2.5\n    now events: 1 drum: depot/1 to ground/#7 at 1,-2.5", true),
        ("move flare from depot to sled\n    now events has: 2 flare: depot/4/0 to sled/0", false),
        ("ann moves flare from pockets to depot\n    now events has: ann.shortcuts/1 points at nothing", true),
    ] {
        let report = &play(&format!("{before}    {line}\n"))[0];
        let last_holds = report.passed();
        assert_eq!(
            last_holds,
            holds,
            "{line}\n{:?}",
            report.failures().iter().map(|failure| &failure.finding).collect::<Vec<_>>()
        );
        if !holds {
            let lines = before.matches('\n').count() - 5 + line.matches('\n').count();
            assert_eq!(report.failures()[0].step, Some(lines), "{line}: the last line is the one that fails");
        }
    }
}

#[test]
fn a_table_is_played_row_by_row_and_each_has_its_verdict() {
    let text = "scenario Drums\n  table drums | into | answer\n    1 | sled | moved 1\n    2 | sled/3 | moved 2\n    3 | sled | refused: weight-cap, 120 kg of 100 kg\n    \
                2 | sled | refused\n  start as ruleset\n  steps\n    move $drums drum from depot to $into -> $answer\n  end\n    sled has: nothing\n";
    let reports = play(text);
    let described: Vec<(Option<String>, bool)> = reports.iter().map(|report| (report.row(), report.passed())).collect();
    assert_eq!(
        described,
        [
            (Some("drums 1, into sled, answer moved 1".to_owned()), true),
            (Some("drums 2, into sled/3, answer moved 2".to_owned()), true),
            (Some("drums 3, into sled, answer refused: weight-cap, 120 kg of 100 kg".to_owned()), true),
            (Some("drums 2, into sled, answer refused".to_owned()), false),
        ]
    );
    let file = parse(text);
    let source = file.source();
    let row_line = source.line_column(reports[3].span().start()).line;
    let step = &reports[3].failures()[0];
    assert_eq!((row_line, source.line_column(step.span.start()).line), (6, 9));
    assert_eq!(step.sentence, "move $drums drum from depot to $into -> $answer");
}

#[test]
fn kinds_places_holders_and_starts_stand_in_tables_too() {
    let text = "start few\n  depot: 2 flare, 2 drum\nstart many\n  depot: 6 flare, 4 drum\n\
                scenario Any\n  table who | kind | slot | base | n\n    ann | flare | 0 | few | 2\n    bea | drum | 1 | many | 4\n  start as $base\n  steps\n    \
                $who moves $kind from depot to pockets/$slot\n  end\n    $who.pockets: $n $kind\n    $who.pockets/$slot: $n $kind\n";
    let reports = play(text);
    assert_eq!(reports.len(), 2);
    assert!(reports.iter().all(ScenarioReport::passed), "{:?}", reports[0].failures());
}

#[test]
fn faults_of_tables_lists_and_names_have_their_places() {
    let inside = |lines: &str| format!("scenario x\n  steps\n    {lines}\n");
    let table = |rows: &str, line: &str| format!("scenario x\n  table n | to\n{rows}\n  steps\n    {line}\n");
    for (text, expected) in [
        (
            table("    1 | sled\n    2", "move $n drum from depot to $to"),
            vec!["4:5 this row has 1 cells, the table has 2 columns"],
        ),
        (table("    1 | ", "move $n drum from depot to $to"), vec!["3:5 a cell of this row is empty"]),
        (table("", "move $n drum from depot to $to"), vec!["2:3 this table has no rows"]),
        (table("    1 | sled", "move $m drum from depot to sled"), vec!["5:10 unknown column `m`"]),
        (
            table("    1 | sled\n    x | sled", "move $n drum from depot to sled -> moved 1"),
            vec!["6:13 expected `from`, found `drum`"],
        ),
        (table("    1 | sled\n    2 | slod", "move $n drum from depot to $to"), vec!["6:32 unknown place `slod`"]),
        ("scenario x\n  table n | n\n    1 | 2\n".into(), vec!["2:13 there are two columns `n`"]),
        ("scenario x\n  table N\n    1\n".into(), vec!["2:9 invalid name `N` of a column"]),
        ("scenario x\n  steps\n  table n\n    1\n".into(), vec!["3:3 a table must follow the title"]),
        (inside("together\n    move 1 drum from depot to sled"), vec!["3:5 the end of this list is missing"]),
        (inside("done"), vec!["3:5 no list of operations ends here"]),
        (inside("together\n    now depot: nothing\n    done"), vec!["4:5 `now` is not an operation"]),
        (inside("do load"), vec!["3:8 unknown steps `load`"]),
        (
            "steps a\n  do b\nsteps b\n  do a\nscenario x\n  steps\n    do a\n".into(),
            vec!["4:6 steps `a` call themselves"],
        ),
        (
            "steps a\n  sort depot\nsteps a\n  sort sled\nscenario x\n".into(),
            vec!["3:7 there are two lists of steps `a`"],
        ),
        (inside("now nothing changed"), vec!["3:5 no operation precedes this line"]),
        (inside("now events: nothing"), vec!["3:5 no operation precedes this line"]),
        (inside("save and load"), vec!["3:10 expected `then`, found `and`"]),
        (inside("now unchanged since noon"), vec!["3:25 unknown snapshot `noon`"]),
        (inside("snapshot a\n    snapshot a"), vec!["4:14 snapshot `a` already exists"]),
        (inside("snapshot start"), vec!["3:14 snapshot `start` already exists"]),
        (inside("now depot is shut to ann"), vec!["3:18 expected `open to` or `closed to`, found `shut`"]),
        (inside("now depot points at flare"), vec!["3:9 `depot` is not a shortcut"]),
        (inside("now places of flair: depot/0"), vec!["3:19 unknown kind, tag or mark `flair`"]),
        (inside("now room for flair in depot = 2"), vec!["3:18 unknown kind `flair`"]),
        (inside("sort depot\n    now events: 2 flair: depot/0 to sled/0"), vec!["4:19 unknown kind `flair`"]),
        (inside("sort depot\n    now events: 2 flare: depot/0 to slad/0"), vec!["4:37 unknown place `slad`"]),
        (
            inside("sort depot\n    now events: depot burned"),
            vec!["4:23 expected an event, as `verify --steps` shows it, found `burned`"],
        ),
        (inside("sort depot -> refused; 3 might go"), vec!["3:28 expected `up`, found `3`"]),
        (inside("sort depot -> moved 3, gone 2"), vec!["3:26 unexpected `,` after the sentence"]),
    ] {
        assert_eq!(faults(&text), expected, "{text}");
    }
}

#[test]
fn lists_with_too_many_steps_are_refused() {
    let mut text = String::from("steps l0\n  sort depot\n");
    for level in 1..40 {
        text.push_str(&format!("steps l{level}\n  do l{0}\n  do l{0}\n", level - 1));
    }
    text.push_str("scenario x\n  steps\n    do l39\n");
    let found = faults(&text);
    assert!(found[0].ends_with("`l20` has more than 1000000 steps in total"), "{found:?}");

    let mut text = String::from("steps l0\n  sort depot\n");
    let mut starts = String::from("start s0\n  depot: nothing\n");
    for level in (1..5_000).rev() {
        text.push_str(&format!("steps l{level}\n  do l{}\n", level - 1));
        starts.push_str(&format!("start s{level} as s{}\n", level - 1));
    }
    assert!(!faults(&format!("{text}scenario x\n")).is_empty());
    assert!(!faults(&format!("{starts}scenario x\n")).is_empty());
}

#[test]
fn shared_steps_fail_where_they_stand_and_say_who_asked() {
    let text = "steps load\n  move 1 drum from depot to sled\n  move 9 drum from depot to sled\n\
                scenario x\n  steps\n    sort depot\n    do load\n";
    let report = &play(text)[0];
    let failure = &report.failures()[0];
    let file = parse(text);
    let line = |span: hypotheke::text::Span| file.source().line_column(span.start()).line;
    assert_eq!((line(failure.span), failure.called_at.map(line), failure.step), (3, Some(7), Some(2)));
    assert_eq!(report.operations(), 3);
}

#[test]
fn a_list_over_several_lines_is_one_operation() {
    let text = "scenario x\n  start as ruleset\n  steps\n    together\n      move 2 drum from depot to sled\n      move 6 flare from depot to sled\n    done -> done 8\n    \
                ann together  # nobody else\n      ann moves 1 flare from sled to pockets\n      ann moves 99 drum from sled to depot\n    done -> refused: not-enough, 99 of 2\n  end\n    ann: nothing\n    sled: 2 drum, 6 flare\n";
    let report = &play(text)[0];
    assert!(report.passed(), "{:?}", report.failures());
    assert_eq!(report.operations(), 2);
}

#[test]
fn a_refusal_that_was_not_expected_tells_all_that_stands_in_the_way() {
    let report = &play("scenario x\n  start as ruleset\n  steps\n    move 9 drum from depot to sled\n")[0];
    let Finding::Answer { reasons, .. } = &report.failures()[0].finding else { panic!("an answer") };
    let codes: Vec<&str> = reasons.iter().map(|reason| reason.split(':').next().unwrap_or_default()).collect();
    assert_eq!(codes, ["not-enough", "weight-cap"], "{reasons:?}");
}

#[test]
fn differences_are_listed_by_place_without_ids() {
    let report = &play(
        "scenario x\n  start as ruleset\n    depot/4: 1 bag\n    depot/4/: 2 flare\n  steps\n    move bag from depot/4 to depot/5\n    now unchanged since start\n",
    )[0];
    let Finding::Worlds { differences, .. } = &report.failures()[0].finding else { panic!("worlds") };
    let described: Vec<String> =
        differences.iter().map(|found| format!("{}: {} -> {}", found.place, found.before, found.after)).collect();
    assert_eq!(
        described,
        [
            "depot/4: 1 bag -> nothing",
            "depot/4/0: 2 flare -> nothing",
            "depot/5: nothing -> 1 bag",
            "depot/5/0: nothing -> 2 flare",
        ]
    );
}

#[test]
fn the_world_before_a_step_that_fails_comes_with_it() {
    let report = &play(
        "scenario x\n  start as ruleset\n  steps\n    move 1 drum from depot to sled\n    move up to 9 drum from depot to sled\n  end\n    sled: nothing\n",
    )[0];
    let failure = &report.failures()[0];
    let sled = |world: &hypotheke::World| {
        world.stack(world.container("sled").expect("a sled"), 0).map_or(0, hypotheke::StackView::count)
    };
    assert_eq!((failure.before.as_ref().map(sled), sled(&failure.world)), (Some(1), 2));
    let names: Vec<String> = failure.places.iter().map(|&id| failure.world.container_name(id)).collect();
    assert_eq!(names, ["depot", "sled"]);
}

fn files_of(texts: &[String]) -> Vec<ScenarioFile> {
    texts.iter().map(|text| parse(text)).collect()
}

#[test]
fn threads_change_nothing_and_the_first_failure_can_end_the_report() {
    let scenario = |n: usize| {
        let expected = if n % 7 == 5 { 9 } else { 2 };
        format!(
            "scenario s{n}\n  start as ruleset\n  steps\n    move 2 drum from depot to sled\n  end\n    sled: {expected} drum\n"
        )
    };
    let texts: Vec<String> = (0..4).map(|file| (0..25).map(|n| scenario(file * 25 + n)).collect()).collect();
    let (files, rules) = (files_of(&texts), rules());
    let playable: Vec<ResolvedScenarioFile<'_>> =
        files.iter().map(|file| file.check(&rules).expect("known names")).collect();
    let titles = |threads: usize, fail_fast: bool, chosen: fn(&Scenario) -> bool| {
        let threads = threads.try_into().expect("at least one");
        let reports = run_all(&playable, chosen, RunOptions { detail: ReportDetail::Failures, threads, fail_fast });
        reports
            .iter()
            .map(|(file, report)| format!("{file} {} {}", report.title(), report.passed()))
            .collect::<Vec<_>>()
    };
    let all = titles(1, false, |_| true);
    assert_eq!((all.len(), all.iter().filter(|line| line.ends_with("false")).count()), (100, 14));
    for threads in [2, 3, 8] {
        assert_eq!(titles(threads, false, |_| true), all);
        assert_eq!(titles(threads, true, |_| true), all[..6]);
    }
    assert_eq!(titles(1, true, |_| true), all[..6]);
    assert_eq!(titles(2, false, |scenario| scenario.title.as_str() == "s60"), ["2 s60 true"]);
}

/// A sentence of each sort, with names that the rules know.
fn any_sentence() -> impl Strategy<Value = String> {
    let place = || prop::sample::select(vec!["depot", "sled/1", "ann.pockets", "depot/4/", "depot/4/1", "sled@0,1"]);
    let slot = || prop::sample::select(vec!["depot/0", "sled/1", "depot/4/1"]);
    let kind = || prop::sample::select(vec!["flare", "drum", "bag"]);
    let amount = || prop::sample::select(vec!["", "3 ", "up to 4 ", "all "]);
    let answer = || {
        prop::sample::select(vec![
            "",
            " -> refused",
            " -> refused: cap, 9 of 8",
            " -> refused: no-room, 3 of 1; up to 1",
            " -> refused; up to 2",
            " -> nothing changed",
            " -> moved 2",
            " -> moved 2 of 3",
        ])
    };
    let operation = || {
        prop_oneof![
            (amount(), kind(), place(), place())
                .prop_map(|(n, kind, from, to)| format!("move {n}{kind} from {from} to {to}")),
            (amount(), place(), place()).prop_map(|(n, from, to)| format!("ann moves {n}from {from} to {to}")),
            (1u32..9, kind(), place()).prop_map(|(n, kind, to)| format!("create {n} {kind} (wet) in {to}")),
            (amount(), kind(), place()).prop_map(|(n, kind, from)| format!("consume {n}{kind} from {from}")),
            (1u32..9, slot(), place()).prop_map(|(n, from, to)| format!("split {n} from {from} to {to}")),
            (slot(), slot()).prop_map(|(from, onto)| format!("merge {from} onto {onto}")),
            (slot(), slot()).prop_map(|(one, other)| format!("swap {one} with {other}")),
            (amount(), kind(), -9i32..9).prop_map(|(n, kind, x)| format!("ann drops {n}{kind} at {x},2.5 within 3")),
            (amount(), kind()).prop_map(|(n, kind)| format!("ann picks up {n}{kind}")),
            slot().prop_map(|from| format!("ann lifts half from {from}")),
            place().prop_map(|to| format!("ann puts up to 2 in {to}")),
            Just("ann returns".to_owned()),
            (slot(), place()).prop_map(|(from, to)| format!("ann unequips from {from} to {to}")),
            slot().prop_map(|from| format!("ann equips from {from}")),
            Just("sort sled by weight".to_owned()),
            Just("resize sled to 3 with spill".to_owned()),
            Just("ann opens vault".to_owned()),
            Just("ann closes vault".to_owned()),
            Just("ann leaves".to_owned()),
            kind().prop_map(|kind| format!("ann binds {kind} to shortcuts/1")),
            Just("unbind ann.shortcuts/0".to_owned()),
            slot().prop_map(|at| format!("mark {at} wet")),
            slot().prop_map(|at| format!("unmark {at} wet")),
            slot().prop_map(|at| format!("set reading of {at} to -4.125")),
            Just("depart sled".to_owned()),
            Just("arrive cara as ann".to_owned()),
            Just("together (sort sled; ann leaves)".to_owned()),
        ]
    };
    let contents = || prop::sample::select(vec!["nothing", "2 flare", "1 core (wet, reading 3.5), 2 drum"]);
    let check = prop_oneof![
        (place(), contents()).prop_map(|(at, what)| format!("{at}: {what}")),
        (place(), contents()).prop_map(|(at, what)| format!("{at} has: {what}")),
        place().prop_map(|at| format!("weight of {at} <= 4.5 kg")),
        (kind(), place()).prop_map(|(kind, at)| format!("count of {kind} in {at} != 4")),
        kind().prop_map(|kind| format!("count of {kind} >= 1")),
        Just("free slots of depot > 1".to_owned()),
        (kind(), place()).prop_map(|(kind, at)| format!("room for {kind} in {at} = 4")),
        Just("encumbrance of ann: nothing".to_owned()),
        Just("shortcuts of ann: flare, nothing".to_owned()),
        Just("ann.shortcuts/0 points at flare".to_owned()),
        Just("vault is open to ann".to_owned()),
        Just("vault is closed to bea".to_owned()),
        (kind(), slot(), slot()).prop_map(|(kind, a, b)| format!("places of {kind}: {a}, {b}")),
        Just("unchanged since start".to_owned()),
        Just("nothing changed".to_owned()),
        Just(
            "events: 2 flare: depot/0 to sled/1; sled has 3 slots instead of 4; depot/0 became wet, reading 3"
                .to_owned()
        ),
        Just(
            "events has: 1 bag: depot/4 to ground/#12 at 1,2; ann closed vault; sled departed with 3 items".to_owned()
        ),
    ];
    let list = prop::collection::vec(operation(), 1..4)
        .prop_map(|lines| format!("together\n      # why\n      {}\n    done -> done 3", lines.join("\n      ")));
    prop_oneof![
        4 => (operation(), answer()).prop_map(|(operation, answer)| operation + answer),
        4 => check.prop_map(|check| format!("now {check}")),
        1 => list,
        1 => Just("do shared".to_owned()),
        1 => Just("# a comment\n\n    sort depot  # and a remark".to_owned()),
    ]
}

proptest! {
    #[test]
    fn printing_then_parsing_gives_the_same_scenario(lines in prop::collection::vec(any_sentence(), 1..14), table in any::<bool>()) {
        let table = if table { "  table n | what\n   1 | moved 1\n    # of the row\n    22 | refused: cap, 9 of 8\n" } else { "" };
        let text = format!("# File.\n\nsteps shared\n  sort depot\n\nscenario Any\n{table}  steps\n    {}\n  # The end.\n  end\n    depot has: 1 flare\n# Last.\n", lines.join("\n    "));
        let file = parse(&text);
        let printed = file.to_string();
        prop_assert_eq!(&parse(&printed), &file, "{}", printed);
        prop_assert_eq!(parse(&printed).to_string(), printed.clone());
        for comment in ["# File.", "# The end.", "# Last."] {
            prop_assert!(printed.contains(comment));
        }
        prop_assert_eq!(printed.matches('#').count(), text.matches('#').count(), "no comment is lost or duplicated");
    }

    /// What a scenario says is what `ask` and the library take, and what is printed says the same.
    #[test]
    fn operations_print_as_they_are_read(line in any_sentence()) {
        if let Ok(operation) = line.parse::<NamedOperation>() {
            let printed = operation.to_string();
            prop_assert_eq!(printed.parse::<NamedOperation>().expect("a printed sentence"), operation);
        }
    }
}
