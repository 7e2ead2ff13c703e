//! Scenarios that would detect a change: short ones with a different result under the changed
//! rules.

use std::sync::Arc;

use super::candidates::{Candidates, take_all_back, trial};
use super::change::Change;
use super::rule::WITHOUT;
use crate::language::{NamedOperation, Path};
use crate::ops::{Outcome, Refusal};
use crate::ruleset::{Ruleset, Subject, SubjectKind};
use crate::scenario::checks::{item_text, measure};
use crate::scenario::{Claim, ReportDetail, ResolvedScenarioFile, ScenarioFile};
use crate::text::Source;
use crate::world::{Place, World};

/// The maximum number of steps of a scenario.
pub const MAX_STEPS: usize = 6;

/// What has to differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Differing {
    /// Whether it is applied, and the number of items.
    Amounts,
    /// That, or the reason of a refusal.
    Reasons,
}

/// A scenario that passes now and fails under the changed rules; it was run both ways.
pub(super) fn suggest(
    rules: &Arc<Ruleset>,
    changed: &Arc<Ruleset>,
    subject: &Subject,
    rule: &str,
    (described, change): (&str, &Change),
    differing_in: Differing,
) -> Option<String> {
    let title = title(subject, rule, described);
    let (mut world, mut other) = (trial(rules), trial(changed));
    Candidates::new(rules).of(change).into_iter().find_map(|play| {
        let written = if play.as_ruleset {
            tell(&mut World::new(rules), &mut World::new(changed), &play, differing_in)
        } else {
            let written = tell(&mut world, &mut other, &play, differing_in);
            take_all_back(&mut world);
            take_all_back(&mut other);
            written
        };
        let (steps, end) = written?;
        let text = |steps: &[String]| {
            let start = if play.as_ruleset { "start as ruleset" } else { "start" };
            let block = |name: &str, lines: &[String]| match lines.join("\n    ") {
                lines if lines.is_empty() => String::new(),
                lines => format!("  {name}\n    {lines}\n"),
            };
            format!("scenario {title}\n  {start}\n{}{}", block("steps", steps), block("end", &end))
        };
        let plain: Vec<String> = steps.iter().map(|step| one_too_many(step)).collect();
        [text(&plain), text(&steps)].into_iter().find(|text| differs(rules, changed, text))
    })
}

/// With `up to` one more than go, where it requested very many: that reads better.
fn one_too_many(step: &str) -> String {
    let plain = || {
        let (before, requested) = step.split_once("create up to ")?;
        let (requested, rest) = requested.split_once(' ')?;
        let (operation, answer) = rest.split_once("  -> created ")?;
        let done: u64 = answer.split_once(" of ")?.0.parse().ok()?;
        (requested.len() > 4 && before.is_empty())
            .then(|| format!("create up to {} {operation}  -> created {done} of {}", done + 1, done + 1))
    };
    plain().unwrap_or_else(|| step.to_owned())
}

fn title(subject: &Subject, rule: &str, change: &str) -> String {
    let name = match subject.kind {
        SubjectKind::Ruleset => "The ruleset",
        SubjectKind::Start => &format!("The start of {}", subject.name),
        _ => &subject.name,
    };
    let instead = if change == WITHOUT { String::new() } else { format!(", not {change}") };
    format!("{name} has {rule}{instead}").replace('`', "")
}

/// Whether the scenario holds by the one and fails by the other.
fn differs(rules: &Arc<Ruleset>, changed: &Arc<Ruleset>, text: &str) -> bool {
    let Ok(file) = ScenarioFile::parse(Source::new("suggested", text)) else { return false };
    let holds = |file: &ResolvedScenarioFile<'_>| file.run(ReportDetail::Failures).all(|report| report.passed());
    file.check(rules).is_ok_and(|playable| holds(&playable))
        && !file.check(changed).is_ok_and(|playable| holds(&playable))
}

/// The steps with their present answers, up to the first with a different answer under the changed
/// rules; or all of them, with the differing check at the end.
fn tell(
    world: &mut World,
    other: &mut World,
    play: &Play,
    differing_in: Differing,
) -> Option<(Vec<String>, Vec<String>)> {
    let mut described = Vec::new();
    for step in play.steps.iter().take(MAX_STEPS) {
        let operation: NamedOperation = step.parse().ok()?;
        let resolved = operation.resolve(world).ok()?;
        let elsewhere = operation.resolve(other).ok();
        let answer = world.perform(&resolved);
        described.push(sentence(world, &operation, &answer));
        let differing = elsewhere.map(|operation| other.perform(&operation));
        if differing.is_none_or(|differing| !same_answer(&answer, &differing, differing_in)) {
            return Some((described, Vec::new()));
        }
    }
    let probe = play.probes.iter().find(|probe| probe.line(world) != probe.line(other))?;
    Some((described, vec![probe.line(world)?]))
}

fn same_answer(one: &Result<Outcome, Refusal>, other: &Result<Outcome, Refusal>, also: Differing) -> bool {
    match (one, other) {
        (Ok(one), Ok(other)) => one.done() == other.done() && one.is_complete() == other.is_complete(),
        (Err(one), Err(other)) => also == Differing::Amounts || one.reason() == other.reason(),
        _ => false,
    }
}

fn sentence(world: &World, operation: &NamedOperation, answer: &Result<Outcome, Refusal>) -> String {
    match answer {
        Ok(outcome) if outcome.is_complete() => operation.to_string(),
        Ok(outcome) => {
            format!("{operation}  -> {}", outcome.text(operation.action.past_verb()))
        }
        Err(refusal) => {
            let figures = refusal.cause().figures().map_or_else(String::new, |(requested, allowed)| {
                if refusal.reason() == crate::ops::Reason::WeightCap {
                    let rules = world.rules();
                    format!(", {} of {}", rules.weight_text(requested), rules.weight_text(allowed))
                } else {
                    format!(", {requested} of {allowed}")
                }
            });
            format!("{operation}  -> refused: {}{figures}", refusal.reason())
        }
    }
}

/// A candidate scenario.
#[derive(Default)]
pub(super) struct Play {
    /// It begins as the ruleset does, not with nothing.
    pub(super) as_ruleset: bool,
    pub(super) steps: Vec<String>,
    pub(super) probes: Vec<Probe>,
}

/// The check after all steps.
#[derive(Clone)]
pub(super) enum Probe {
    Measure(Claim),
    Contents(Path),
    Encumbrance(Path),
    Shortcuts(Path),
}

impl Probe {
    pub(super) fn at(place: &str, probe: impl FnOnce(Path) -> Probe) -> Option<Probe> {
        place.parse().ok().map(probe)
    }

    /// The check of a scenario that is true in this world.
    fn line(&self, world: &World) -> Option<String> {
        match self {
            Probe::Measure(claim) => {
                let place = claim.place().map(|path| world.place(path, None)).transpose().ok()?;
                Some(format!("{claim} = {}", measure(world, claim, place)))
            }
            Probe::Contents(path) => {
                let stacks = world.stacks_in(Some(world.place(path, None).ok()?));
                let items: Vec<String> =
                    stacks.into_iter().map(|stack| format!("{} {}", stack.count(), item_text(stack))).collect();
                Some(format!("{path}: {}", if items.is_empty() { "nothing".to_owned() } else { items.join(", ") }))
            }
            Probe::Encumbrance(path) => match world.place(path, None).ok()? {
                Place::Holder(holder) => {
                    Some(format!("encumbrance of {path}: {}", world.encumbrance(holder).unwrap_or("nothing")))
                }
                _ => None,
            },
            Probe::Shortcuts(path) => match world.place(path, None).ok()? {
                Place::Holder(holder) => {
                    let kinds = world.shortcuts(holder);
                    let kinds =
                        kinds.map(|kind| kind.map_or("nothing", |kind| world.rules().known_kind(kind).id()).to_owned());
                    Some(format!("shortcuts of {path}: {}", kinds.collect::<Vec<_>>().join(", ")))
                }
                _ => None,
            },
        }
    }
}
