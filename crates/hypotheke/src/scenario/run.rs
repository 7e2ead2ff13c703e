//! Playing scenarios.

use std::collections::BTreeMap;

use super::check::PlayableFile;
use super::report::{Answer, DifferenceRow, Failure, Finding, ScenarioReport, StepReport, Trace};
use super::tree::{Check, Claim, Expected, Line, Mode, Scenario, Step};
use crate::id::ContainerId;
use crate::language::{NamedOperation, NamedPortion, Path};
use crate::ops::{Outcome, Reason, Refusal, ResolveError};
use crate::quantity::Decimal;
use crate::snapshot::Departures;
use crate::text::{Span, Word};
use crate::world::{ClassKey, Place, StackView, World};

impl PlayableFile<'_> {
    /// Plays all scenarios, in order.
    pub fn play(&self, trace: Trace) -> impl Iterator<Item = ScenarioReport> + '_ {
        self.file.scenarios().map(move |scenario| self.play_one(scenario, trace))
    }

    fn play_one(&self, scenario: &Scenario, trace: Trace) -> ScenarioReport {
        let start = scenario.start.as_ref().map(|line| &line.item);
        let (world, fault) = match self.file.start_world(&self.rules, start) {
            Ok(world) => (world, None),
            Err(error) => (World::empty(&self.rules), Some(error)),
        };
        let report = ScenarioReport {
            title: scenario.title.to_string(),
            span: scenario.title.span(),
            played: 0,
            checks: 0,
            steps: Vec::new(),
            failures: Vec::new(),
            end: world,
        };
        let mut player = Player { file: self, trace, report, departures: Departures::new() };
        match fault {
            Some(error) => player.fail(scenario.title.span(), None, Finding::Unresolved(error.to_string()), Vec::new()),
            None => player.play(scenario),
        }
        player.report
    }
}

struct Player<'p> {
    file: &'p PlayableFile<'p>,
    trace: Trace,
    report: ScenarioReport,
    departures: Departures,
}

/// What one operation came to.
enum Played {
    Applied(Outcome),
    Refused(Refusal),
    Unresolved(ResolveError),
}

impl Player<'_> {
    fn play(&mut self, scenario: &Scenario) {
        for (number, step) in scenario.steps.iter().enumerate() {
            match &step.item {
                Step::Operation(operation, expected) => self.play_operation(number + 1, step, operation, expected),
                Step::Now(check) => self.play_now(number + 1, step, check),
            }
            if !self.report.failures.is_empty() {
                return;
            }
        }
        for check in &scenario.end {
            self.check(check.span, None, &check.item);
        }
    }

    fn sentence(&self, span: Span) -> String {
        self.file.file.source().slice(span).to_owned()
    }

    fn fail(&mut self, span: Span, step: Option<usize>, finding: Finding, places: Vec<ContainerId>) {
        let (sentence, world) = (self.sentence(span), self.report.end.clone());
        self.report.failures.push(Failure { sentence, span, step, finding, places, world });
    }

    fn play_operation(&mut self, number: usize, line: &Line<Step>, operation: &NamedOperation, expected: &Expected) {
        let world = &mut self.report.end;
        let places = containers_of(world, operation);
        let played = match operation.resolve_with(world, &self.departures) {
            Ok(resolved) => world.perform(&resolved).map_or_else(Played::Refused, Played::Applied),
            Err(error) => Played::Unresolved(error),
        };
        self.departures.extend(world.departed().iter().cloned());
        self.report.played += 1;
        let world = &self.report.end;
        let verb = operation.action.past_verb();
        let finding = judge_answer(world, verb, &played, expected);
        if self.trace == Trace::Steps {
            let answer = match &played {
                Played::Applied(outcome) => Answer::Applied { verb, outcome: *outcome },
                Played::Refused(refusal) => Answer::Refused { refusal: *refusal, because: world.explain(refusal) },
                Played::Unresolved(error) => Answer::Unresolved(error.to_string()),
            };
            let events = world.events().iter().map(|event| world.describe_event(event)).collect();
            let sentence = operation.to_string();
            self.report.steps.push(StepReport { sentence, span: line.span, answer, events });
        }
        if let Some(finding) = finding {
            self.fail(line.span, Some(number), finding, places);
        }
    }

    fn play_now(&mut self, number: usize, line: &Line<Step>, check: &Check) {
        let holds = self.check(line.span, Some(number), check);
        if self.trace == Trace::Steps {
            let answer = Answer::Checked { holds };
            self.report.steps.push(StepReport {
                sentence: line.item.to_string(),
                span: line.span,
                answer,
                events: Vec::new(),
            });
        }
    }

    fn check(&mut self, span: Span, step: Option<usize>, check: &Check) -> bool {
        self.report.checks += 1;
        let world = &self.report.end;
        let path = match check {
            Check::Contents { place, .. } => Some(place),
            Check::Burden { holder, .. } | Check::Shortcuts { holder, .. } => Some(holder),
            Check::Measure { claim, .. } => claim.place(),
        };
        let place = match path.map(|path| world.place(path, None)).transpose() {
            Ok(place) => place,
            Err(error) => {
                self.fail(span, step, Finding::Unresolved(error.to_string()), Vec::new());
                return false;
            }
        };
        let finding = match check {
            Check::Contents { place: path, mode, contents } => contents_finding(world, path, place, *mode, contents),
            Check::Burden { label, .. } => {
                let found = match place {
                    Some(Place::Holder(id)) => world.burden(id),
                    _ => None,
                };
                let expected = label.as_ref().map(Word::as_str);
                let told = |label: Option<&str>| format!("burden {}", label.unwrap_or("nothing"));
                (found != expected).then(|| Finding::Answer { expected: told(expected), found: told(found) })
            }
            Check::Shortcuts { kinds, .. } => shortcuts_finding(world, place, kinds),
            Check::Measure { claim, comparison, number, .. } => {
                let found = measure(world, claim, place);
                let unit = if matches!(claim, Claim::Weight(_)) {
                    world.rules().weight_unit().to_owned()
                } else {
                    String::new()
                };
                let finding = Finding::Measure {
                    what: claim.to_string(),
                    comparison: *comparison,
                    expected: *number,
                    found,
                    unit,
                };
                (!comparison.holds(&found, number)).then_some(finding)
            }
        };
        let holds = finding.is_none();
        if let Some(finding) = finding {
            let places = place.map_or_else(Vec::new, |place| containers_at(world, place));
            self.fail(span, step, finding, places);
        }
        holds
    }
}

fn shortcuts_finding(world: &World, place: Option<Place>, kinds: &[Option<Word>]) -> Option<Finding> {
    let Some(Place::Holder(holder)) = place else { return None };
    let found: Vec<Option<&str>> =
        world.shortcuts(holder).map(|kind| kind.map(|kind| world.rules().kind(kind).id())).collect();
    let mut expected: Vec<Option<&str>> = kinds.iter().map(|kind| kind.as_ref().map(Word::as_str)).collect();
    expected.resize(found.len().max(expected.len()), None);
    let told = |kinds: &[Option<&str>]| {
        let texts: Vec<&str> = kinds.iter().map(|kind| kind.unwrap_or("nothing")).collect();
        format!("shortcuts {}", texts.join(", "))
    };
    (found != expected).then(|| Finding::Answer { expected: told(&expected), found: told(&found) })
}

impl Claim {
    fn place(&self) -> Option<&Path> {
        match self {
            Claim::Weight(place) | Claim::FreeSlots(place) | Claim::Attribute(_, place) => Some(place),
            Claim::Count(_, place) => place.as_ref(),
        }
    }
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

/// What is wrong with an answer, if anything is.
fn judge_answer(world: &World, verb: &str, played: &Played, expected: &Expected) -> Option<Finding> {
    let as_expected = match (played, expected) {
        (Played::Applied(outcome), Expected::Whole) => outcome.is_whole(),
        (Played::Applied(outcome), Expected::Count(count)) => outcome.done() == *count,
        (Played::Refused(refusal), Expected::Refused(reason, figures)) => {
            let same_reason = reason.is_none_or(|reason| reason == refusal.reason());
            let wanted = figures.as_ref().map(|figures| (figures.asked, figures.allowed));
            same_reason && (wanted.is_none() || wanted == refusal.cause().figures())
        }
        (Played::Unresolved(_), Expected::Refused(reason, None)) => {
            reason.is_none_or(|reason| reason == Reason::Unknown)
        }
        _ => false,
    };
    if as_expected {
        return None;
    }
    let expected = match expected {
        Expected::Whole => format!("{verb} in full"),
        Expected::Count(count) => format!("{verb} {count}"),
        refused @ Expected::Refused(..) => refused.to_string(),
    };
    Some(Finding::Answer { expected, found: answer_text(world, verb, played) })
}

fn answer_text(world: &World, verb: &str, played: &Played) -> String {
    match played {
        Played::Applied(outcome) => outcome.text(verb),
        Played::Refused(refusal) => {
            let could = if refusal.could() > 0 { format!("; {} could go", refusal.could()) } else { String::new() };
            format!("refused: {}: {}{could}", refusal.reason(), world.explain(refusal))
        }
        Played::Unresolved(error) => format!("refused: unknown: {error}"),
    }
}

/// Kind, marks and properties in words: `ice-core (contaminated, reading 3.2)`.
fn item_text(stack: StackView<'_>) -> String {
    let marks = stack.marks().map(str::to_owned);
    let properties = stack.changed_properties().map(|(name, value)| format!("{name} {value}"));
    let variant: Vec<String> = marks.chain(properties).collect();
    let kind = stack.kind().id();
    if variant.is_empty() { kind.to_owned() } else { format!("{kind} ({})", variant.join(", ")) }
}

fn contents_finding(
    world: &World,
    path: &Path,
    place: Option<Place>,
    mode: Mode,
    contents: &[NamedPortion],
) -> Option<Finding> {
    // Alike items count together. What is listed comes first, in its order.
    let mut rows: Vec<(ClassKey, String, Option<u64>, u64)> = Vec::new();
    for written in contents {
        let Ok(portion) = world.rules().resolve_portion(written) else { continue };
        let key = ClassKey::new(world.rules(), portion.kind, &portion.marks, &portion.properties);
        let count = u64::from(portion.count);
        match rows.iter_mut().find(|(known, ..)| *known == key) {
            Some((_, _, expected, _)) => *expected = expected.map(|known| known + count),
            None => {
                let plain = NamedPortion { count: 1, ..written.clone() };
                let item = plain.to_string().split_off(2);
                rows.push((key, item, Some(count), 0));
            }
        }
    }
    let mut index: BTreeMap<ClassKey, usize> =
        rows.iter().enumerate().map(|(at, (key, ..))| (key.clone(), at)).collect();
    for stack in place.map_or_else(Vec::new, |place| world.stacks_in(Some(place))) {
        let key = stack.class_key();
        let at = *index.entry(key.clone()).or_insert_with(|| {
            rows.push((key, item_text(stack), None, 0));
            rows.len() - 1
        });
        rows[at].3 += u64::from(stack.count());
    }
    let holds = |expected: Option<u64>, found: u64| match mode {
        Mode::Exactly => expected.unwrap_or(0) == found,
        Mode::AtLeast => expected.unwrap_or(0) <= found,
    };
    let rows: Vec<DifferenceRow> = rows
        .into_iter()
        .map(|(_, item, expected, found)| DifferenceRow { item, expected, found, holds: holds(expected, found) })
        .collect();
    let all_hold = rows.iter().all(|row| row.holds);
    (!all_hold).then(|| Finding::Contents { place: path.to_string(), rows })
}

fn measure(world: &World, claim: &Claim, place: Option<Place>) -> Decimal {
    match (claim, place) {
        (Claim::FreeSlots(_), Some(Place::Container(id))) => Decimal::from(world.free_slots(id)),
        (Claim::Attribute(name, _), Some(Place::Holder(id))) => world.attribute(id, name.as_str()),
        (Claim::FreeSlots(_) | Claim::Attribute(..), _) => Decimal::ZERO,
        (Claim::Weight(_), Some(Place::Container(id))) => world.container_weight(id),
        (Claim::Weight(_), Some(Place::Holder(id))) => world.holder_weight(id),
        (Claim::Weight(_), Some(Place::Ground)) => world.ground_weight(),
        (Claim::Weight(_), place) => {
            let weights =
                place.map_or_else(Vec::new, |place| world.stacks_in(Some(place))).into_iter().map(StackView::weight);
            weights.fold(Decimal::ZERO, |sum, weight| sum.checked_add(weight).unwrap_or(sum))
        }
        (Claim::Count(name, _), place) => {
            let count = world.rules().what(name.as_str()).map_or(0, |what| world.count(what, place));
            Decimal::from_thousandths(i64::try_from(count).unwrap_or(i64::MAX).saturating_mul(1_000))
        }
    }
}
