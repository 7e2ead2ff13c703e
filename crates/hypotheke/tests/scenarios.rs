//! Scenario files: reading, printing, and what playing them says.

use std::sync::Arc;

use hypotheke::scenario::{Answer, Finding, ReportDetail, ScenarioReport};
use hypotheke::text::Source;
use hypotheke::{Ruleset, ScenarioFile};
use proptest::prelude::*;

fn rules() -> Arc<Ruleset> {
    let text = include_str!("laws/rules.toml");
    Arc::new(Ruleset::from_toml("rules.toml", text).expect("the rules of the laws"))
}

fn parse(text: &str) -> ScenarioFile {
    ScenarioFile::parse(Source::new("x.scenario", text)).unwrap_or_else(|errors| panic!("{errors}\n{text}"))
}

fn play(text: &str) -> Vec<ScenarioReport> {
    let file = parse(text);
    let playable = file.check(&rules()).unwrap_or_else(|errors| panic!("{errors}\n{text}"));
    playable.run(ReportDetail::Failures).collect()
}

/// `line:column 'text': message (help)` of everything that is wrong.
fn faults(text: &str) -> Vec<String> {
    let errors = match ScenarioFile::parse(Source::new("x.scenario", text)) {
        Err(errors) => errors,
        Ok(file) => file.check(&rules()).map(|_| ()).expect_err(text),
    };
    let found = errors.diagnostics();
    let line = |fault: &hypotheke::text::Diagnostic| {
        let at = found.line_column(fault.location());
        let text = found.source(fault.location()).map_or("", |source| source.slice(fault.location().span));
        format!("{}:{} '{text}': {}", at.line, at.column, fault.message())
    };
    found.iter().map(line).collect()
}

#[test]
fn each_fault_is_found_at_its_place() {
    let inside = |section: &str, line: &str| format!("scenario x\n  {section}\n    {line}\n");
    let mut wrong = Vec::new();
    for (text, expected) in [
        (String::new(), "1:1 '': this file has no scenarios"),
        ("# only a comment\n".into(), "1:1 '': this file has no scenarios"),
        ("scenario\n  steps\n".into(), "1:1 'scenario': the title is missing"),
        ("scenario x\nscenario x\n".into(), "2:10 'x': there are two scenarios `x`"),
        ("steps\n".into(), "1:1 'steps': this line is in no scenario"),
        (
            "move 1 flare from store to twos".into(),
            "1:1 'move 1 flare from store to twos': this line is in no scenario",
        ),
        ("start\n  store: 1 flare\nscenario x".into(), "1:1 'start': this start is in no scenario"),
        (
            "scenario x\n  store: 1 flare\n  twos: 2 flare".into(),
            "2:3 'store: 1 flare': this line is in no part of the scenario",
        ),
        (inside("start", "store at 1,2: 1 flare"), "3:5 'store': `store` has no positions"),
        (inside("end", "origin of ann: store"), "3:20 'store': `store` is not a slot"),
        (inside("end", "origin of store: nothing"), "3:15 'store': `store` is not a holder"),
        (inside("steps", "undo -> moved 2"), "3:10 '->': an undo has no amount"),
        (inside("steps", "undo"), "3:5 'undo': no operation precedes this line"),
        (inside("steps", "request a move 1 flare from store to twos"), "3:15 'move': expected `:`, found `move`"),
        (inside("steps", "at revision x: sort store"), "3:17 'x': `x` is not a count"),
        (inside("steps", "together (sort store) -> refused in step 0"), "3:46 '0': the first step is step 1"),
        (inside("start over", "store: 1 flare"), "2:12 'r': expected `limits` at the end of the line"),
        ("scenario x\n  steps\n  start\n".into(), "3:3 'start': Write one start, before the steps"),
        ("scenario x\n  end\n  steps\n".into(), "3:3 'steps': a scenario has one start, then steps, then one end"),
        ("start a\nstart a\nscenario x".into(), "2:7 'a': there are two starts `a`"),
        ("scenario x\n  start as b\n".into(), "2:12 'b': unknown start `b`"),
        ("start a as a\nscenario x\n  start as a".into(), "1:12 'a': start `a` refers to itself"),
        (inside("start", "store 1 flare"), "3:11 '1': expected `:`, found `1`"),
        (inside("start", "store: 9 core"), "3:12 '9 core': the start is not valid: store has room for 8 of 9"),
        (inside("start", "stoer: 1 flare"), "3:5 'stoer': unknown place `stoer`"),
        (inside("start", "bag: 1 flare"), "3:5 'bag': several places have the name `bag`"),
        (inside("steps", "fetch 1 flare"), "3:5 'fetch': `fetch` is not an operation"),
        (inside("steps", "move 1 flar from store to twos"), "3:12 'flar': unknown kind `flar`"),
        (inside("steps", "move 1 flare from store/8 to twos"), "3:23 'store/8': `store` has no slot 8"),
        (inside("steps", "move 1 flare from store/hat to twos"), "3:23 'store/hat': `store` has no slot named `hat`"),
        (
            inside("steps", "move 1 flare from store@2,0 to twos"),
            "3:23 'store@2,0': `store` has no slot in row 2, column 0",
        ),
        (
            inside("steps", "move 1 flare from store to ground"),
            "3:32 'ground': `ground` is neither a slot nor a container",
        ),
        (inside("steps", "move 1 flare from store to ann"), "3:32 'ann': `ann` is neither a slot nor a container"),
        (inside("steps", "swap store with twos/0"), "3:10 'store': `store` is not a slot"),
        (inside("steps", "drop flare"), "3:5 'drop flare': `drop` requires a place"),
        (inside("steps", "carla drops flare"), "3:5 'carla': unknown holder `carla`"),
        (inside("steps", "pick up flare from store to twos"), "3:24 'store': `store` is not on the ground"),
        (inside("steps", "drop flare from store -> lost 1"), "3:30 'lost': unknown result `lost`"),
        (inside("steps", "drop flare from store -> refused: to-heavy"), "3:39 'to-heavy': unknown reason `to-heavy`"),
        (inside("steps", "create 1 flare (dry) in store"), "3:21 'dry': unknown mark `dry`"),
        (
            inside("steps", "create 1 flare (reading 2) in store"),
            "3:21 'reading': kind `flare` has no number property `reading`",
        ),
        (
            inside("steps", "sort store by colour"),
            "3:19 'colour': expected `kind`, `name`, `weight`, `value` or `count`, found `colour`",
        ),
        (inside("steps", "sort store/0"), "3:10 'store/0': `store/0` is not a container"),
        (inside("steps", "resize store"), "3:16 'e': expected `to` at the end of the line"),
        (inside("steps", "resize store to 4 with care"), "3:28 'care': expected `spill`, found `care`"),
        (inside("steps", "open vault"), "3:5 'open vault': `open` requires an acting holder"),
        (inside("steps", "leave"), "3:5 'leave': `leave` requires an acting holder"),
        (inside("steps", "ann opens ground"), "3:15 'ground': `ground` is not a container"),
        (inside("steps", "depart ann.bag"), "3:12 'ann.bag': `ann.bag` cannot depart alone"),
        (inside("steps", "depart store/0/"), "3:12 'store/0/': `store/0/` cannot depart alone"),
        (inside("steps", "depart store/0"), "3:12 'store/0': `store/0` cannot depart alone"),
        (inside("steps", "depart ground"), "3:12 'ground': `ground` cannot depart alone"),
        (inside("steps", "arrive stoor"), "3:12 'stoor': no `stoor` has departed"),
        (inside("steps", "arrive gus as anne"), "3:19 'anne': the ruleset has no holder `anne`"),
        (inside("steps", "gus drops 1 flare"), "3:5 'gus': unknown holder `gus`"),
        (inside("steps", "bind flare to store/0"), "3:19 'store/0': `store/0` is not a shortcut"),
        (inside("steps", "emil binds flare to shortcuts/9"), "3:25 'shortcuts/9': `shortcuts/9` is not a shortcut"),
        (inside("steps", "emil binds flair to shortcuts/0"), "3:16 'flair': unknown kind `flair`"),
        (inside("steps", "create 1 flare in emil.shortcuts/0"), "3:23 'emil.shortcuts/0': `emil.shortcuts/0` is empty"),
        (inside("steps", "drop flare from emil.shortcuts/0"), "3:21 'emil.shortcuts/0': `emil.shortcuts/0` is empty"),
        (inside("end", "shortcuts of emil: flare,"), "3:29 ',': expected a kind or `nothing` at the end of the line"),
        (inside("end", "shortcuts of emil: flair"), "3:24 'flair': unknown kind `flair`"),
        (inside("end", "shortcuts of ann: flare"), "3:18 'ann': holder `ann` has 0 shortcuts, not 1"),
        (inside("end", "shortcuts of store: flare"), "3:18 'store': `store` is not a holder"),
        (inside("steps", "now store has 1 flare"), "3:19 '1': expected `:`, found `1`"),
        (inside("end", "weight of store = 3 lb"), "3:25 'lb': unexpected unit `lb`"),
        (inside("end", "weight of store 3"), "3:21 '3': expected `=`, `!=`, `<`, `<=`, `>` or `>=`, found `3`"),
        (inside("end", "count of nothings = 3"), "3:14 'nothings': unknown kind, tag or mark `nothings`"),
        (inside("end", "free slots of ann = 3"), "3:19 'ann': `ann` is not a container"),
        (inside("end", "store: 1 flare, "), "3:19 ',': expected a count at the end of the line"),
    ] {
        let found = faults(&text);
        if found != [expected] {
            wrong.push(format!("{text}\n    expected {expected}\n    found    {found:?}"));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn all_faults_are_listed_in_one_run() {
    let text = "scenario x\n  steps\n    fetch flare\n    move flare to twos\n  end\n    weight store = 1\n";
    assert_eq!(faults(text).len(), 3);
}

#[test]
fn a_line_of_a_megabyte_is_refused() {
    let text = format!("scenario x\n  steps\n    move {} flare from store to twos\n", "9".repeat(1_000_000));
    assert_eq!(faults(&text), ["3:1 ' ': this line has more than 100000 bytes"]);
}

#[test]
fn what_was_expected_stands_beside_what_was_found() {
    let reports = play(
        "scenario a\n  start\n    store: 2 rope\n  steps\n    move 3 rope from store to twos\n\
         scenario b\n  start\n    store: 2 rope\n  steps\n    move 1 rope from store to twos -> refused\n\
         scenario c\n  start\n    store: 2 rope\n  steps\n    move up to 3 rope from store to twos\n\
         scenario d\n  start\n    store: 2 rope\n  steps\n    move 3 rope from store to twos -> refused: not-enough, 3 of 1\n\
         scenario e\n  start\n    store: 2 rope\n  steps\n    move 1 rope from store to twos -> moved 2\n",
    );
    let answers: Vec<(String, String)> = reports
        .iter()
        .map(|report| match &report.failures()[0].finding {
            Finding::Answer { expected, found, .. } => (expected.clone(), found.clone()),
            other => panic!("{other:?}"),
        })
        .collect();
    let expected = [
        ("moved in full", "refused: not-enough: store contains 2; 3 were requested; up to 2"),
        ("refused", "moved 1"),
        ("moved in full", "moved 2 of 3"),
        ("refused: not-enough, 3 of 1", "refused: not-enough: store contains 2; 3 were requested; up to 2"),
        ("moved 2", "moved 1"),
    ];
    assert_eq!(answers, expected.map(|(expected, found)| (expected.to_owned(), found.to_owned())));
}

#[test]
fn contents_are_compared_sort_by_sort() {
    let reports = play(
        "scenario x\n  start\n    store: 3 rope, 1 core (wet), 2 flare\n  end\n    store: 2 rope, 1 core, 2 flare\n    store has: 1 rope\n",
    );
    let [failure] = reports[0].failures() else { panic!("one line fails") };
    let Finding::Contents { place, rows } = &failure.finding else { panic!("{:?}", failure.finding) };
    assert_eq!(place, "store");
    let rows: Vec<(&str, Option<u64>, u64, bool)> =
        rows.iter().map(|row| (row.item.as_str(), row.expected, row.found, row.matches)).collect();
    assert_eq!(
        rows,
        [
            ("rope", Some(2), 3, false),
            ("core", Some(1), 0, false),
            ("flare", Some(2), 2, true),
            ("core (wet)", None, 1, false)
        ]
    );
}

#[test]
fn a_failed_step_ends_its_scenario_and_no_other() {
    let reports = play(
        "scenario a\n  steps\n    create 1 rope in store\n    consume 2 rope from store\n    create 9 rope in store\n  end\n    store: nothing\n\
         scenario b\n  start\n    store: nothing\n  end\n    store: nothing\n    weight of store > 1\n    free slots of store = 1\n",
    );
    assert_eq!((reports[0].operations(), reports[0].failures().len(), reports[0].checks()), (2, 1, 0));
    assert_eq!(reports[0].failures()[0].step, Some(2));
    assert_eq!((reports[1].failures().len(), reports[1].checks()), (2, 3));
    assert!(reports[1].failures().iter().all(|failure| failure.step.is_none()));
}

#[test]
fn a_start_replaces_the_places_it_names() {
    let text = "[kind.a]\nstack-limit = 9\n[container.x]\nslots = 2\n[container.y]\nslots = 2\n[start]\nx = [\"3 a\"]\ny = [\"4 a\"]";
    let rules = Arc::new(Ruleset::from_toml("rules.toml", text).expect("valid"));
    let file = parse(
        "start base as ruleset\n  x: 1 a\nscenario without one\n  end\n    x: 3 a\n    y: 4 a\n\
         scenario of its own\n  start\n    x: 2 a\n  end\n    x: 2 a\n    y: nothing\n\
         scenario as ruleset\n  start as ruleset\n    x: 2 a\n  end\n    x: 2 a\n    y: 4 a\n\
         scenario shared\n  start as base\n    y: nothing\n  end\n    x: 1 a\n    y: nothing\n",
    );
    for report in file.check(&rules).expect("known names").run(ReportDetail::Failures) {
        assert!(report.passed(), "{}: {:?}", report.title(), report.failures());
    }
}

#[test]
fn playing_leaves_no_trace_in_the_file_and_is_the_same_each_time() {
    let text = "scenario x\n  start\n    store: 6 flare\n  steps\n    drop 2 flare from store at 1,1 within 5\n    drop 3 flare from store within 2.5\n";
    let ground = |report: &ScenarioReport| {
        let end = report.end().expect("kept with all steps");
        end.ground().map(|(stack, at)| (stack.id(), stack.count(), at)).collect::<Vec<_>>()
    };
    let play = |text: &str| {
        let file = parse(text);
        let playable = file.check(&rules()).expect("known names");
        playable.run(ReportDetail::Steps).collect::<Vec<_>>()
    };
    let (one, other) = (play(text), play(text));
    assert_eq!(ground(&one[0]), ground(&other[0]));
    for (_, _, at) in ground(&one[0]) {
        assert!(at.x.thousandths().abs() <= 6_000 && at.y.thousandths().abs() <= 6_000, "{at:?}");
    }
    let positions: std::collections::BTreeSet<_> = ground(&one[0]).iter().map(|(_, _, at)| (at.x, at.y)).collect();
    assert_eq!(positions.len(), 2, "each stack is scattered separately");
}

#[test]
fn printing_keeps_comments_and_meaning() {
    let text = "# Of the file.\nstart b over limits\n  ground at 1,2: 2 rope\nstart a as b over limits\n  store: 2 rope  # a remark\n\n# Of the scenario.\nscenario Ropes # 1\n  start as a\n    # Of a place.\n    \
                twos: nothing\n  steps\n    ann moves 1 rope from store to bag -> moved 1\n    now weight of ann <= 8 kg\n    \
                move 9 rope from store to twos -> refused: not-enough, 9 of 1\n    \
                request r at revision 1: move 1 rope from store to twos -> refused: no-room\n    undo revision 1\n    \
                together (sort store; sort twos) -> refused in step 2: no-put\n    together (sort store) -> refused at the end\n    \
                now ground at 1,-2.5 has: 1 rope\n    now origin of ann: store/1\n  end\n    store has: 1 rope\n    count of rope in ann = 1\n# At the end.\n";
    let file = parse(text);
    let printed = file.to_string();
    assert_eq!(parse(&printed), file, "{printed}");
    for comment in ["# Of the file.", "# a remark", "# Of the scenario.", "# Of a place.", "# At the end.", "Ropes # 1"]
    {
        assert!(printed.contains(comment), "{comment} is lost:\n{printed}");
    }
    assert_eq!(parse(&printed).to_string(), printed, "what is canonical stays as it is");
}

fn any_line() -> impl Strategy<Value = String> {
    let place = prop::sample::select(vec!["store", "twos/1", "ann.bag", "ground", "box-a", "rack/gas", "store@1,2"]);
    let contents =
        prop::sample::select(vec!["nothing", "2 rope", "1 flare, 3 drum", "1 core (wet, reading 3.5), 2 feather"]);
    let amount = prop::sample::select(vec!["", "3 ", "up to 4 ", "all "]);
    let step = (
        amount,
        place.clone(),
        place.clone(),
        prop::sample::select(vec!["", " -> refused", " -> moved 2", " -> refused: no-room, 3 of 1"]),
    )
        .prop_map(|(amount, from, to, answer)| format!("    move {amount}rope from {from} to {to}{answer}"));
    let check = (place, prop::sample::select(vec!["", " has"]), contents)
        .prop_map(|(place, has, contents)| format!("{place}{has}: {contents}"));
    prop_oneof![step, check.prop_map(|check| format!("    now {check}  # remark"))]
}

proptest! {
    #[test]
    fn printing_then_parsing_gives_the_same_file(lines in prop::collection::vec(any_line(), 0..12)) {
        let file = parse(&format!("scenario Any\n  steps\n{}\n", lines.join("\n")));
        let printed = file.to_string();
        prop_assert_eq!(&parse(&printed), &file, "{}", printed);
        prop_assert_eq!(parse(&printed).to_string(), printed);
    }
}

#[test]
fn a_stack_is_looked_for_when_its_line_is_played() {
    let reports = play(
        "scenario a\n  start\n    ground: 1 flare\n  steps\n    pick up from ground/#7 to store\n\
         scenario b\n  start\n    ground: 1 flare\n  steps\n    pick up from ground/#7 to store -> refused: unknown\n\
         scenario c\n  start\n    ground: 1 flare\n  end\n    ground/#1: 1 flare\n    ground/#7: nothing\n",
    );
    let failed: Vec<usize> = reports.iter().map(|report| report.failures().len()).collect();
    assert_eq!(failed, [1, 0, 1]);
    let Finding::Answer { found, .. } = &reports[0].failures()[0].finding else { panic!("an answer") };
    assert_eq!(found, "refused: unknown: stack #7 is not on the ground");
    let Finding::Unresolved(why) = &reports[2].failures()[0].finding else { panic!("a place that is not there") };
    assert_eq!(why, "stack #7 is not on the ground");
}

#[test]
fn a_trace_tells_every_step_with_its_answer_and_events() {
    let text = "scenario x\n  start\n    store: 4 flare\n  steps\n    move up to 9 flare from store to twos -> moved 4\n    now twos has: 2 flare\n    \
                consume 1 rope from store -> refused\n    drop from ground/#99 -> refused\n";
    let file = parse(text);
    let playable = file.check(&rules()).unwrap_or_else(|errors| panic!("{errors}"));
    let report = playable.run(ReportDetail::Steps).next().expect("a report");
    assert!(report.passed(), "{:?}", report.failures());
    let described: Vec<String> = report
        .steps()
        .iter()
        .map(|step| match &step.answer {
            Answer::Applied { verb, outcome } => outcome.text(verb),
            Answer::Refused { refusal, because } => format!("{}: {because}", refusal.reason()),
            Answer::Unresolved(why) => why.clone(),
            Answer::Checked { passed } => passed.to_string(),
        })
        .collect();
    assert_eq!(
        described,
        ["moved 4 of 9", "true", "empty-source: store contains no rope", "stack #99 is not on the ground"]
    );
    assert_eq!(report.steps()[0].events, ["2 flare: store/0 to twos/0", "2 flare: store/0 to twos/1"]);
    assert!(report.steps()[1].events.is_empty());
    assert_eq!((report.operations(), report.checks()), (3, 1));
    assert_eq!(playable.run(ReportDetail::Failures).next().expect("a report").steps().len(), 0);
}

/// Over limits is not beyond what can be counted or laid anywhere.
#[test]
fn a_start_over_limits_has_bounds_too() {
    let is_laid = |contents: &str| {
        let file = parse(&format!("scenario x\n  start over limits\n    {contents}\n"));
        file.check(&rules()).is_ok()
    };
    for line in
        ["store/0: 4000000000 flare", "store: 24 rope", "ground: 3000000 flare", "tank: 9 rope", "ann.hand: 9 drum"]
    {
        assert!(is_laid(line), "{line}");
    }
    for line in [
        "store: 4000000 rope",
        "ground: 4294967295 core",
        "store/0: 2 satchel",
        "ann: 99 rope",
        "twos/0: 4 flare, 4 rope",
    ] {
        assert!(!is_laid(line), "{line}");
    }
    let heavy = Ruleset::builder()
        .kind("stone", |kind| kind.weight("999999999999.999".parse().unwrap()))
        .container("store", |it| it.slots(2))
        .build();
    let file = parse("scenario x\n  start over limits\n    store/0: 4000000000 stone\n");
    assert!(file.check(&Arc::new(heavy.unwrap())).is_err());
}

#[test]
fn a_trace_tells_requests_and_undone_operations() {
    let text = "scenario x\n  start\n    store: 4 rope\n  steps\n    request a at revision 0: consume 1 rope from store\n    \
                request a: consume 1 rope from store\n    undo revision 1\n    undo -> refused: stale\n";
    let file = parse(text);
    let playable = file.check(&rules()).unwrap_or_else(|errors| panic!("{errors}"));
    let report = playable.run(ReportDetail::Steps).next().expect("a report");
    assert!(report.passed());
    let described: Vec<(&str, usize, String)> = report
        .steps()
        .iter()
        .map(|step| {
            let answer = match &step.answer {
                Answer::Applied { verb, outcome } => outcome.text(verb),
                Answer::Refused { refusal, .. } => format!("refused: {}", refusal.reason()),
                other => format!("{other:?}"),
            };
            (step.sentence.as_str(), step.events.len(), answer)
        })
        .collect();
    assert_eq!(
        described,
        [
            ("request a at revision 0: consume 1 rope from store", 1, "consumed 1".to_owned()),
            ("request a: consume 1 rope from store", 0, "consumed 1".to_owned()),
            ("undo revision 1", 0, "undone 1".to_owned()),
            ("undo", 0, "refused: stale".to_owned()),
        ]
    );
}

#[test]
fn failures_bring_the_places_they_have_to_do_with_and_the_world_of_that_moment() {
    let reports = play(
        "scenario x\n  start\n    store: 4 flare\n    ann.bag: 1 rope\n  steps\n    ann moves 1 flare from store to bag\n    ann moves 9 flare from store to bag\n",
    );
    let [failure] = reports[0].failures() else { panic!("one failure") };
    let names: Vec<String> = failure.places.iter().map(|&id| failure.world.container_name(id)).collect();
    assert_eq!(names, ["store", "ann.bag"]);
    let bag = failure.world.container("ann.bag").expect("a bag");
    assert_eq!(failure.world.stacks(bag).count(), 2, "the first step was performed, the second not");
}

#[test]
fn scenarios_are_read_from_files_too() {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.scenario");
    std::fs::write(&path, "\u{feff}scenario From a file\r\n  end\r\n    store: nothing\r\n").expect("written");
    let file = ScenarioFile::load(&path).unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(
        file.scenarios().next().map(|scenario| scenario.title.as_str().to_owned()),
        Some("From a file".to_owned())
    );
    assert!(file.source().name().ends_with("x.scenario"));
    assert!(file.check(&rules()).expect("known names").run(ReportDetail::Failures).all(|report| report.passed()));
    let error = ScenarioFile::load(folder.path()).expect_err("a folder").to_string();
    assert!(error.ends_with("it is a folder, not a file"), "{error}");
}

#[test]
fn what_is_measured_is_compared_as_the_line_says() {
    let start = "scenario x\n  start\n    store: 2 rope, 1 flare (wet), 1 core (reading 1), 1 feather\n    ground: 1 flare (wet)\n";
    for (line, holds) in [
        ("weight of store = 13.1 kg", true),
        ("weight of store/0 = 13.1", false),
        ("weight of store/0 = 6.4", true),
        ("weight of ann < 1", true),
        ("weight of ground != 0.3 kg", false),
        ("count of rope = 2", true),
        ("count of rope in store/1 = 0", true),
        ("count of sample >= 1", true),
        ("count of wet = 2", true),
        ("count of wet in store <= 1", true),
        ("count of flare in ground > 1", false),
        ("free slots of store = 4", true),
        ("free slots of box-a > 2", false),
    ] {
        assert_eq!(play(&format!("{start}  end\n    {line}\n"))[0].passed(), holds, "{line}");
    }
}
