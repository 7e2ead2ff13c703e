//! Running scenarios.

use std::sync::Arc;

use super::answer::{Played, check_answer, is_refused_so, refusal_text};
use super::check::{ResolvedScenarioFile, START};
use super::checks::{self, list_finding};
use super::diff;
use super::print::step_texts;
use super::report::{Answer, Failure, Finding, ReportDetail, ScenarioReport, StepReport, row_text};
use super::shared::SharedLists;
use super::tree::{Body, Check, Expected, Line, Mode, Scenario, SentRequest, Step};
use crate::audit::{IncrementalAudit, Law, StepAudit, Violation, audit};
use crate::id::ContainerId;
use crate::language::{NamedAction, NamedOperation};
use crate::ops::{Outcome, Reason, ResolveError};
use crate::replication::{Request, RequestLimits, Taken};
use crate::save::Save;
use crate::snapshot::Departures;
use crate::text::{Span, Word};
use crate::world::{Place, World};

impl ResolvedScenarioFile<'_> {
    /// Runs all scenarios, in order. A scenario with a table runs once for each row.
    pub fn run(&self, detail: ReportDetail) -> impl Iterator<Item = ScenarioReport> + '_ {
        self.file.scenarios().flat_map(move |scenario| self.run_scenario(scenario, detail))
    }

    /// Runs one scenario: once, or once for each row of its table.
    pub fn run_scenario<'p>(
        &'p self,
        scenario: &'p Scenario,
        detail: ReportDetail,
    ) -> impl Iterator<Item = ScenarioReport> + 'p {
        let columns: Arc<[String]> = scenario.columns().map(ToString::to_string).collect();
        scenario.runs().map(move |(row, body)| {
            let mut player = Player::new(self, scenario, body, detail);
            if let Some(row) = row {
                player.report.span = row.span;
                player.report.columns = Arc::clone(&columns);
                player.report.cells = row.item.cells.iter().map(ToString::to_string).collect();
            }
            player.play(body);
            player.into_report()
        })
    }
}

impl ResolvedScenarioFile<'_> {
    /// The world at the start of a body.
    ///
    /// # Errors
    /// The error of an invalid start.
    pub fn start(&self, body: &Body) -> Result<World, ResolveError> {
        self.file.start_world(&self.rules, body.start.as_ref().map(|line| &line.item))
    }

    /// The bodies of a scenario with its title: one, or one for each row of its table.
    pub(crate) fn bodies<'p>(&'p self, scenario: &'p Scenario) -> impl Iterator<Item = (String, &'p Body)> {
        let title = scenario.title.as_str();
        scenario.runs().map(move |(row, body)| match row {
            None => (title.to_owned(), body),
            Some(row) => (format!("{title}: {}", row_text(scenario.columns().zip(&row.item.cells))), body),
        })
    }

    /// Runs one body and shows the world at the start and after each operation. True if all results
    /// are as expected.
    pub(crate) fn run_shown<'p>(&'p self, scenario: &'p Scenario, body: &'p Body, show: &'p mut Show<'p>) -> bool {
        let mut player = Player::new(self, scenario, body, ReportDetail::Failures);
        (player.checks, player.show) = (false, Some(show));
        player.play(body);
        player.report.passed()
    }
}

impl<'f> ResolvedScenarioFile<'f> {
    /// The same scenarios with a different ruleset that knows the same names.
    pub(crate) fn by_other_rules(&self, rules: &std::sync::Arc<crate::ruleset::Ruleset>) -> ResolvedScenarioFile<'f> {
        ResolvedScenarioFile { rules: std::sync::Arc::clone(rules), ..self.clone() }
    }

    /// Whether all results of one row are as expected.
    pub(crate) fn holds(&self, scenario: &Scenario, body: &Body) -> bool {
        let mut player = Player::new(self, scenario, body, ReportDetail::Failures);
        player.checks = false;
        player.play(body);
        player.report.passed()
    }
}

/// A callback that is shown each world and the operation that led to it.
type Show<'p> = dyn FnMut(Option<&str>, &World) + 'p;

struct Player<'p> {
    file: &'p ResolvedScenarioFile<'p>,
    scenario: &'p Scenario,
    body: &'p Body,
    detail: ReportDetail,
    report: ScenarioReport,
    world: World,
    departures: Departures,
    /// Named snapshots, including the start if a check compares with it.
    snapshots: Vec<(&'p str, World)>,
    /// The error of an invalid start.
    unresolved: Option<String>,
    /// The world before the latest operation, if a check compares with it.
    before: Option<World>,
    compares: bool,
    /// Whether the latest operation was applied.
    applied: bool,
    /// The present step: its number, and the location of the call for shared steps.
    number: usize,
    called_at: Option<Span>,
    /// The maximum number of operations to run.
    most: usize,
    /// Nothing has been over a limit so far, so an excess is a violation.
    within_limits: bool,
    /// Whether every world is audited and failures are reported.
    checks: bool,
    watch: IncrementalAudit,
    /// The callback for every world.
    show: Option<&'p mut Show<'p>>,
}

impl<'p> Player<'p> {
    fn new(
        file: &'p ResolvedScenarioFile<'p>,
        scenario: &'p Scenario,
        body: &'p Body,
        detail: ReportDetail,
    ) -> Player<'p> {
        let start = file.file.start_world(&file.rules, body.start.as_ref().map(|line| &line.item));
        let (mut world, unresolved) = match start {
            Ok(world) => (world, None),
            Err(error) => (World::empty(&file.rules), Some(error.to_string())),
        };
        let report = ScenarioReport {
            title: scenario.title.to_string(),
            span: scenario.title.span(),
            columns: Arc::default(),
            cells: Vec::new(),
            operations: 0,
            checks: 0,
            steps: Vec::new(),
            failures: Vec::new(),
            start: (detail == ReportDetail::Steps).then(|| Box::new(world.clone())),
            end: None,
        };
        let watch = IncrementalAudit::new(&world);
        if body.steps.iter().any(is_undo) || file.shared.any(is_undo) {
            world.set_undo_limit(usize::MAX);
        }
        Player {
            file,
            scenario,
            body,
            detail,
            report,
            world,
            departures: Departures::new(),
            snapshots: Vec::new(),
            before: None,
            unresolved,
            compares: asks(body, &file.shared, |check| matches!(check, Check::NothingChanged)),
            applied: false,
            number: 0,
            called_at: None,
            most: usize::MAX,
            within_limits: false,
            checks: true,
            watch,
            show: None,
        }
    }

    /// A world is large compared with the rest of a report, and each of many rows may have one.
    fn into_report(self) -> ScenarioReport {
        let end = (self.detail == ReportDetail::Steps).then(|| Box::new(self.world));
        ScenarioReport { end, ..self.report }
    }

    fn play(&mut self, body: &'p Body) {
        if let Some(message) = self.unresolved.take() {
            return self.fail(self.scenario.title.span(), Finding::Unresolved(message), Vec::new());
        }
        self.within_limits = self.audit(body.start.as_ref().map_or(self.scenario.title.span(), |line| line.span));
        if let Some(show) = &mut self.show {
            show(None, &self.world);
        }
        if asks(body, &self.file.shared, Check::reads_start) {
            self.snapshots.push((START, self.world.clone()));
        }
        for (number, step) in body.steps.iter().enumerate() {
            self.number = number + 1;
            if self.step(step) || !self.report.failures.is_empty() {
                return;
            }
        }
        self.number = 0;
        for check in &body.end {
            self.check(check.span, &check.item);
        }
    }

    /// Runs a step; true if the run ends.
    fn step(&mut self, step: &'p Line<Step>) -> bool {
        match &step.item {
            Step::Operation(operation, expected) => return self.operation(step, operation, None, expected),
            Step::Together(list, expected) => return self.operation(step, list.operation(), None, expected),
            Step::Request(sent, expected) => return self.operation(step, &sent.operation, Some(sent), expected),
            Step::Undo { revision, expected } => return self.undo(step, *revision, expected),
            Step::Do(name) => return self.shared(step, name),
            Step::Snapshot(name) => self.snapshots.push((name.as_str(), self.world.clone())),
            Step::SaveThenLoad => self.save_then_load(step),
            Step::Now(check) => self.now(step, check),
        }
        false
    }

    /// Both forms of the save load as the same world, and the run continues with it.
    fn save_then_load(&mut self, line: &Line<Step>) {
        let save = Save::of(&self.world);
        let read = |bytes: &[u8]| Save::read(bytes).and_then(|save| save.world(&self.file.rules));
        let loaded = read(save.to_json().as_bytes()).and_then(|from_json| Ok([from_json, read(&save.to_bytes())?]));
        let found = match loaded {
            Ok(worlds) if worlds.iter().any(|world| world.snapshot() != *save.snapshot()) => "another world".to_owned(),
            Ok([_, world]) => {
                self.before = self.compares.then(|| self.world.clone());
                (self.world, self.applied) = (world, false);
                if self.detail == ReportDetail::Steps {
                    let (sentence, answer) = (line.item.to_string(), Answer::Checked { passed: true });
                    self.report.steps.push(StepReport { sentence, span: line.span, answer, events: Vec::new() });
                }
                return;
            }
            Err(error) => error.to_string(),
        };
        let expected = "the same world".to_owned();
        self.fail(line.span, Finding::Answer { expected, found, reasons: Vec::new() }, Vec::new());
    }

    fn shared(&mut self, line: &'p Line<Step>, name: &Word) -> bool {
        let outer = self.called_at.or(Some(line.span));
        for step in self.file.shared.steps(name, &mut Vec::new()).unwrap_or_default() {
            let before = std::mem::replace(&mut self.called_at, outer);
            let enough = self.step(step);
            self.called_at = before;
            if enough || !self.report.failures.is_empty() {
                return true;
            }
        }
        false
    }

    fn sentence(&self, span: Span) -> String {
        self.file.file.source().slice(span).to_owned()
    }

    fn fail(&mut self, span: Span, finding: Finding, places: Vec<ContainerId>) {
        let (sentence, world) = (self.sentence(span), self.world.clone());
        let step = (self.number > 0).then_some(self.number);
        let called = self.called_at;
        self.report.failures.push(Failure {
            sentence,
            span,
            step,
            called_at: called,
            finding,
            places,
            world,
            before: None,
        });
    }

    fn operation(
        &mut self,
        line: &Line<Step>,
        operation: &NamedOperation,
        sent: Option<&SentRequest>,
        expected: &Expected,
    ) -> bool {
        if self.report.operations == self.most {
            return true;
        }
        let world = &mut self.world;
        self.before = self.compares.then(|| world.clone());
        let (mut broken, mut repeated) = (Vec::new(), false);
        let played = match operation.resolve_with(world, &self.departures) {
            // A repeated request is not resolved again, and neither is one for a different
            // revision.
            resolved if let Some(sent) = sent => {
                let resolved = resolved.ok();
                let step = resolved.as_ref().map(|it| StepAudit::before(world, it)).unwrap_or_default();
                match world.take_request(&sent.request(), &self.departures, RequestLimits::NONE) {
                    Taken::Applied { outcome, repeated: again } => {
                        repeated = again;
                        broken = resolved.filter(|_| !again).map_or_else(Vec::new, |it| step.check(world, &it));
                        Played::Applied(outcome)
                    }
                    Taken::Refused(refusal) => {
                        // A stale request was not checked by the rules, so they have no reasons.
                        let planned = resolved.filter(|_| refusal.reason() != Reason::Stale);
                        Played::Refused(refusal, planned.map(Box::new))
                    }
                    Taken::Unresolved(error) => Played::Unresolved(error),
                }
            }
            Ok(resolved) => {
                let step = StepAudit::before(world, &resolved);
                match world.perform(&resolved) {
                    Ok(outcome) => {
                        broken = step.check(world, &resolved);
                        Played::Applied(outcome)
                    }
                    Err(refusal) => Played::Refused(refusal, Some(Box::new(resolved))),
                }
            }
            Err(error) => match error.refusal() {
                Some(refusal) => Played::Refused(refusal, None),
                None => Played::Unresolved(error),
            },
        };
        if !world.departed().is_empty() {
            self.departures.extend(world.departed().iter().cloned());
        }
        self.report.operations += 1;
        self.applied = matches!(played, Played::Applied(_)) && !repeated;
        if let Some(show) = &mut self.show {
            show(Some(self.file.file.source().slice(line.span)), &self.world);
        }
        let world = &self.world;
        let verb = operation.action.past_verb();
        let finding = check_answer(world, verb, &played, expected);
        if self.detail == ReportDetail::Steps {
            self.tell(line, verb, &played);
        }
        if self.checks && !broken.is_empty() {
            self.fail(line.span, Finding::Law { violations: broken }, Vec::new());
        }
        if finding.is_none() && self.applied {
            let unfit = may_leave_unfit(&operation.action);
            self.audit_step(line.span, unfit);
        }
        if let Some(finding) = finding {
            if !self.checks {
                self.fail(line.span, finding, Vec::new());
                return true;
            }
            let before = self.world_before(self.report.operations - 1);
            let places = containers_of(&before, operation);
            self.fail(line.span, finding, places);
            self.report.failures.iter_mut().for_each(|failure| failure.before = Some(before.clone()));
        }
        false
    }

    fn undo(&mut self, line: &Line<Step>, revision: Option<u64>, expected: &Expected) -> bool {
        if self.report.operations == self.most {
            return true;
        }
        let world = &mut self.world;
        self.before = self.compares.then(|| world.clone());
        let undone = world.undo(revision.unwrap_or(world.revision()));
        (self.report.operations, self.applied) = (self.report.operations + 1, false);
        if let Some(show) = &mut self.show {
            show(Some(self.file.file.source().slice(line.span)), &self.world);
        }
        let world = &self.world;
        let (found, answer) = match undone {
            Ok(()) => {
                let outcome = Outcome::once(world.revision());
                ("undone".to_owned(), Answer::Applied { verb: "undone", outcome })
            }
            Err(refusal) => {
                let because = world.explain(&refusal);
                (refusal_text(world, &refusal), Answer::Refused { refusal, because })
            }
        };
        let as_expected = match (&undone, expected) {
            (Ok(()), expected) => *expected == Expected::Complete,
            (Err(refusal), expected) => is_refused_so(refusal, expected),
        };
        if self.detail == ReportDetail::Steps {
            let (sentence, _) = step_texts(&line.item);
            self.report.steps.push(StepReport { sentence, span: line.span, answer, events: Vec::new() });
        }
        if undone.is_ok() {
            self.audit_step(line.span, true);
        }
        if !as_expected {
            let expected = match expected {
                Expected::Complete => "undone".to_owned(),
                other => other.to_string(),
            };
            self.fail(line.span, Finding::Answer { expected, found, reasons: Vec::new() }, Vec::new());
            return !self.checks;
        }
        false
    }

    fn tell(&mut self, line: &Line<Step>, verb: &'static str, played: &Played) {
        let (sentence, _) = step_texts(&line.item);
        let world = &self.world;
        let answer = match played {
            Played::Applied(outcome) => Answer::Applied { verb, outcome: *outcome },
            Played::Refused(refusal, _) => Answer::Refused { refusal: *refusal, because: world.explain(refusal) },
            Played::Unresolved(error) => Answer::Unresolved(error.to_string()),
        };
        let events = match played {
            // A repeated request is not applied again.
            Played::Applied(_) if self.applied => {
                world.events().iter().map(|event| world.describe_event(event)).collect()
            }
            _ => Vec::new(),
        };
        self.report.steps.push(StepReport { sentence, span: line.span, answer, events });
    }

    /// The world after a number of operations, by running them again.
    fn world_before(&self, played: usize) -> World {
        let mut player = Player::new(self.file, self.scenario, self.body, ReportDetail::Failures);
        player.most = played;
        player.checks = false;
        player.play(self.body);
        // Both worlds resolve the same places.
        player.world.share_handles(&self.world);
        player.world
    }

    fn audit_step(&mut self, span: Span, may_leave_unfit: bool) {
        if may_leave_unfit {
            self.within_limits = false;
        }
        let clean = self.audit(span);
        self.within_limits |= clean;
    }

    /// Audits the world by every law; true if nothing is over a limit. A world that was over a
    /// limit may stay so.
    fn audit(&mut self, span: Span) -> bool {
        if !self.checks {
            return true;
        }
        if self.watch.keeps_the_laws(&self.world) {
            return true;
        }
        let found = audit(&self.file.rules, &self.world.snapshot());
        let clean = found.is_empty();
        let serious = |violation: &Violation| self.within_limits || !Law::is_limit(violation.law());
        let violations: Vec<Violation> = found.into_iter().filter(serious).collect();
        if !violations.is_empty() {
            self.fail(span, Finding::Law { violations }, Vec::new());
        }
        clean
    }

    fn now(&mut self, line: &Line<Step>, check: &'p Check) {
        let holds = self.check(line.span, check);
        if self.detail == ReportDetail::Steps {
            let (sentence, answer) = (line.item.to_string(), Answer::Checked { passed: holds });
            self.report.steps.push(StepReport { sentence, span: line.span, answer, events: Vec::new() });
        }
    }

    /// The world before the first step, if a check compares with it.
    fn start(&self) -> Option<&World> {
        self.snapshots.iter().find(|(name, _)| *name == START).map(|(_, world)| world)
    }

    fn check(&mut self, span: Span, check: &Check) -> bool {
        self.report.checks += 1;
        let finding = match check {
            Check::Events { mode, events } => {
                let expected = events.iter().map(ToString::to_string).collect();
                self.events_finding(*mode, expected)
            }
            Check::UnchangedSince { snapshot } => {
                let known = self.snapshots.iter().find(|(name, _)| *name == snapshot.as_str());
                known.and_then(|(_, then)| worlds_finding(snapshot.as_str(), then, &self.world))
            }
            Check::NothingChanged => {
                self.before.as_ref().and_then(|before| worlds_finding("before", before, &self.world))
            }
            _ => match checks::finding(&self.world, self.start(), check) {
                Ok(finding) => finding,
                Err(error) => Some(Finding::Unresolved(error.to_string())),
            },
        };
        let Some(finding) = finding else { return true };
        if !self.checks {
            self.fail(span, finding, Vec::new());
            return false;
        }
        let world = &self.world;
        let place = check.place().and_then(|path| world.place(path, None).ok());
        let places = match (&finding, place) {
            (Finding::Worlds { differences, .. }, _) => differing_containers(world, differences),
            (_, Some(place)) => containers_at(world, place),
            (_, None) => Vec::new(),
        };
        let before = match self.number {
            0 => Some(self.world_before(0)),
            _ => self.report.operations.checked_sub(1).map(|played| self.world_before(played)),
        };
        self.fail(span, finding, places);
        self.report.failures.iter_mut().for_each(|failure| failure.before = failure.before.take().or(before.clone()));
        false
    }

    fn events_finding(&self, mode: Mode, expected: Vec<String>) -> Option<Finding> {
        let world = &self.world;
        let events = if self.applied { world.events() } else { &[] };
        let found: Vec<String> = events.iter().map(|event| world.describe_event(event)).collect();
        let holds = match mode {
            Mode::Exactly => found == expected,
            Mode::AtLeast => expected.iter().all(|event| found.contains(event)),
        };
        (!holds).then(|| list_finding("events", expected, found))
    }
}

fn is_undo(line: &Line<Step>) -> bool {
    matches!(line.item, Step::Undo { .. })
}

/// Whether any check matches.
fn asks(body: &Body, shared: &SharedLists<'_>, is_so: impl Fn(&Check) -> bool) -> bool {
    let step_asks = |line: &Line<Step>| matches!(&line.item, Step::Now(check) if is_so(check));
    body.end.iter().any(|line| is_so(&line.item)) || body.steps.iter().any(step_asks) || shared.any(step_asks)
}

/// Whether a change may make a stack unfit.
fn may_leave_unfit(action: &NamedAction) -> bool {
    match action {
        NamedAction::Mark { .. }
        | NamedAction::Unmark { .. }
        | NamedAction::Set { .. }
        | NamedAction::Arrive { .. } => true,
        NamedAction::Together { steps } => steps.iter().any(|step| may_leave_unfit(&step.action)),
        _ => false,
    }
}

fn worlds_finding(snapshot: &str, then: &World, now: &World) -> Option<Finding> {
    let differences = diff::differences(then, now);
    (!differences.is_empty()).then(|| Finding::Worlds { snapshot: snapshot.to_owned(), differences })
}

fn differing_containers(world: &World, differences: &[diff::PlaceDifference]) -> Vec<ContainerId> {
    let mut ids: Vec<ContainerId> = Vec::new();
    for id in differences.iter().filter_map(|difference| world.container(&difference.container)) {
        if !ids.contains(&id) {
            ids.push(id);
        }
    }
    ids
}

/// The containers that an operation names.
fn containers_of(world: &World, operation: &NamedOperation) -> Vec<ContainerId> {
    let actor = operation.actor.as_ref().and_then(|name| world.holder(name.as_str()));
    let mut found: Vec<ContainerId> = Vec::new();
    for path in operation.action.places() {
        let containers = world.place(path, actor).map_or_else(|_| Vec::new(), |place| containers_at(world, place));
        found.extend(containers);
    }
    if operation.action.places().count() == 0 {
        found.extend(actor.into_iter().flat_map(|holder| world.carried(holder)));
    }
    let mut seen = Vec::new();
    found.retain(|id| {
        !seen.contains(id) && {
            seen.push(*id);
            true
        }
    });
    found
}

fn containers_at(world: &World, place: Place) -> Vec<ContainerId> {
    match place {
        Place::Slot(id, _) | Place::Container(id) => vec![id],
        Place::Holder(id) | Place::Hand(id) | Place::Shortcut(id, _) => world.carried(id).collect(),
        Place::Ground | Place::OnGround(_) => Vec::new(),
    }
}

impl SentRequest {
    fn request(&self) -> Request {
        let id = self.id.as_ref().and_then(|id| id.as_str().parse().ok());
        Request { id, expects: self.expects, operation: self.operation.clone() }
    }
}
