//! The laws, each a scenario in `tests/laws` whose title says it, behind one runner.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use hypotheke::conformance::{Engine, Implementation};
use hypotheke::scenario::{Expected, ReportDetail, Step};
use hypotheke::{NamedAction, NamedOperation, Reason, Ruleset, ScenarioFile, Snapshot};

use crate::names::{Plain, rules_of};

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/laws")
}

fn files() -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> =
        std::fs::read_dir(folder()).expect("the laws").map(|entry| entry.expect("an entry").path()).collect();
    files.retain(|path| path.extension().is_some_and(|extension| extension == "scenario"));
    files.sort();
    files
}

#[test]
fn every_law_holds() {
    let rules = Arc::new(Ruleset::load(folder().join("rules.toml")).expect("the rules of the laws"));
    let mut broken = Vec::new();
    let mut played = 0;
    for path in files() {
        let file = ScenarioFile::load(&path).unwrap_or_else(|error| panic!("{error}"));
        let playable = file.check(&rules).unwrap_or_else(|error| panic!("{error}"));
        for report in playable.run(ReportDetail::Failures) {
            played += 1;
            for failure in report.failures() {
                broken.push(format!("{}\n  {}\n  {:?}", report.title(), failure.sentence, failure.finding));
            }
        }
    }
    assert!(broken.is_empty(), "{}", broken.join("\n"));
    assert!(played >= 225, "only {played} laws were run");
}

/// Every law of the page has a case, and every case a law of the page.
#[test]
fn each_law_has_cases() {
    let page = std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/reference/laws.md"));
    let page = page.expect("the page of the laws");
    let number = |line: &str| line.strip_prefix("- **").and_then(|rest| Some(rest.split_once("** ")?.0.to_owned()));
    let laws: BTreeSet<String> = page.lines().filter_map(number).collect();
    let loaded = files().into_iter().map(|path| ScenarioFile::load(&path).unwrap_or_else(|error| panic!("{error}")));
    let titles = |file: ScenarioFile| file.scenarios().map(|it| it.title.to_string()).collect::<Vec<_>>();
    let first_word = |title: String| title.split(' ').next().expect("a word").to_owned();
    let cases: BTreeSet<String> = loaded.flat_map(titles).map(first_word).collect();
    assert_eq!(laws.difference(&cases).collect::<Vec<_>>(), Vec::<&String>::new(), "laws without a case");
    assert_eq!(cases.difference(&laws).collect::<Vec<_>>(), Vec::<&String>::new(), "cases without a law");
}

/// The model knows no newcomers, no slots by row and column, and no numbers at random.
fn is_beyond_the_model(operation: &NamedOperation) -> bool {
    match &operation.action {
        NamedAction::Together { steps } => steps.iter().any(is_beyond_the_model),
        NamedAction::Arrive { who } => who.newcomer.is_some(),
        NamedAction::Drop { landing, .. } if landing.within.is_some() => true,
        _ => operation.to_string().contains('@'),
    }
}

/// What two implementations play, side by side.
struct SideBySide {
    engine: Engine,
    plain: Plain,
    /// As it was before each operation that was applied.
    before: Vec<Snapshot>,
    /// The requests that were applied.
    answered: BTreeSet<String>,
    steps: usize,
    difference: Option<String>,
}

impl SideBySide {
    fn go_on_from(&mut self, snapshot: &Snapshot) {
        self.engine.start(snapshot).expect("a world");
        self.plain.start(snapshot).expect("a world");
    }

    /// False if it is beyond the model.
    fn step(&mut self, file: &ScenarioFile, step: &Step) -> bool {
        match step {
            Step::Operation(operation, _) => self.perform(operation),
            Step::Together(list, _) => self.perform(list.operation()),
            // The model has no requests: stale or answered ones never reach it.
            Step::Request(_, Expected::Refused { reason: Some(Reason::Stale), .. }) => true,
            Step::Request(sent, _) => {
                let is_again = sent.id.as_ref().is_some_and(|id| self.answered.contains(id.as_str()));
                let goes_on = is_again || self.perform(&sent.operation);
                self.answered.extend(sent.id.as_ref().map(ToString::to_string));
                goes_on
            }
            Step::Undo { expected: Expected::Complete, .. } => {
                let before = self.before.pop().expect("an operation");
                self.go_on_from(&before);
                true
            }
            Step::Do(name) => {
                let shared = file.shared_steps().find(|shared| shared.name == *name).expect("shared steps");
                shared.steps.iter().all(|step| self.step(file, &step.item))
            }
            Step::Undo { .. } | Step::Snapshot(_) | Step::SaveThenLoad | Step::Now(_) => true,
        }
    }

    fn perform(&mut self, operation: &NamedOperation) -> bool {
        if is_beyond_the_model(operation) {
            return false;
        }
        let before = self.engine.snapshot();
        let (ours, theirs) = (self.engine.perform(operation), self.plain.perform(operation));
        let (our_world, their_world) = (self.engine.snapshot(), self.plain.snapshot());
        if !ours.agrees(&theirs, operation) {
            self.difference = Some(format!("{operation}\n  engine: {ours:?}\n  model:  {theirs:?}"));
        } else if our_world != their_world {
            let worlds = [our_world, their_world].map(|world| serde_json::to_string(&world).expect("JSON"));
            self.difference = Some(format!("{operation}\n  engine: {}\n  model:  {}", worlds[0], worlds[1]));
        }
        if ours.is_applied() {
            self.before.push(before);
        }
        self.steps += 1;
        self.difference.is_none()
    }
}

/// The same cases on the model: the same answers, and the same worlds after each step.
#[test]
fn every_law_holds_in_the_model() {
    let rules = Arc::new(Ruleset::load(folder().join("rules.toml")).expect("the rules of the laws"));
    let (mut steps, mut whole, mut cut, mut differences) = (0, 0, 0, Vec::new());
    for path in files() {
        let file = ScenarioFile::load(&path).unwrap_or_else(|error| panic!("{error}"));
        let playable = file.check(&rules).unwrap_or_else(|error| panic!("{error}"));
        for (_, body) in file.scenarios().flat_map(hypotheke::scenario::Scenario::runs) {
            let start = playable.start(body).expect("a start").snapshot();
            let (engine, plain) = (Engine::new(&rules), Plain::new(rules_of(&rules)));
            let (before, answered) = (Vec::new(), BTreeSet::new());
            let mut both = SideBySide { engine, plain, before, answered, steps: 0, difference: None };
            both.go_on_from(&start);
            let is_complete = body.steps.iter().all(|step| both.step(&file, &step.item));
            (whole, cut) = (whole + usize::from(is_complete), cut + usize::from(!is_complete));
            steps += both.steps;
            differences.extend(both.difference);
        }
    }
    assert!(differences.is_empty(), "{}", differences.join("\n"));
    println!("{steps} steps in {whole} cases, {cut} of them cut short");
    assert!(whole >= 220 && cut <= 12, "{whole} whole, {cut} cut short");
}

/// A law that nothing could break would be no law: with the limits gone, most of them fail.
#[test]
fn the_laws_notice_rules_that_are_missing() {
    let text = std::fs::read_to_string(folder().join("rules.toml")).expect("the rules of the laws");
    for (what, without) in [("stack-limit = ", "# "), ("weight-cap = ", "# "), ("admits = ", "note = ")] {
        let lines = text.lines().map(|line| {
            if line.starts_with(what) { line.replacen(what, &format!("{without}{what}"), 1) } else { line.to_owned() }
        });
        let lines = lines.map(|line| line.replacen("note = admits = ", "note = ", 1));
        // A filter that is gone can't go deep.
        let lines: Vec<String> = lines.filter(|line| !(what == "admits = " && line == "deep = true")).collect();
        let rules =
            Arc::new(Ruleset::from_toml("rules.toml", &lines.join("\n")).unwrap_or_else(|errors| panic!("{errors}")));
        let noticed = files().iter().any(|path| {
            let file = ScenarioFile::load(path).unwrap_or_else(|error| panic!("{error}"));
            // A start that is no longer valid counts too.
            file.check(&rules).is_err()
                || file.check(&rules).expect("checked").run(ReportDetail::Failures).any(|report| !report.passed())
        });
        assert!(noticed, "no law notices that `{what}` is gone");
    }
}
