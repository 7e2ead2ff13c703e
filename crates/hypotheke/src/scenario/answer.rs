//! Whether an operation was answered as expected.

use super::report::Finding;
use super::tree::{Expected, ListStep};
use crate::ops::{Operation, Outcome, Reason, Refusal, ResolveError};
use crate::world::World;

/// The result of one operation.
pub(super) enum Played {
    Applied(Outcome),
    Refused(Refusal, Option<Box<Operation>>),
    Unresolved(ResolveError),
}

/// What is wrong with an answer, if anything is.
pub(super) fn check_answer(world: &World, verb: &str, played: &Played, expected: &Expected) -> Option<Finding> {
    let as_expected = match (played, expected) {
        (Played::Applied(outcome), Expected::Complete) => outcome.is_complete(),
        (Played::Applied(outcome), Expected::Done { count, requested }) => {
            outcome.done() == *count && (requested.is_none() || outcome.requested() == *requested)
        }
        (Played::Applied(outcome), Expected::Unchanged) => !outcome.changed(),
        (Played::Refused(refusal, _), expected) => is_refused_so(refusal, expected),
        (Played::Unresolved(error), Expected::Refused { reason, figures: None, at, .. }) => {
            reason.is_none_or(|reason| reason == Reason::Unknown) && is_at(*at, error.step())
        }
        _ => false,
    };
    if as_expected {
        return None;
    }
    let expected = match expected {
        Expected::Complete => format!("{verb} in full"),
        Expected::Done { .. } => format!("{verb} {expected}"),
        other => other.to_string(),
    };
    let (found, reasons) = match played {
        Played::Applied(outcome) => (outcome.text(verb), Vec::new()),
        Played::Refused(refusal, operation) => {
            let reasons = operation.as_ref().map_or_else(Vec::new, |operation| all_reasons(world, operation));
            (refusal_text(world, refusal), reasons)
        }
        Played::Unresolved(error) => (format!("refused: unknown: {error}"), Vec::new()),
    };
    Some(Finding::Answer { expected, found, reasons })
}

pub(super) fn is_refused_so(refusal: &Refusal, expected: &Expected) -> bool {
    let Expected::Refused { reason, figures, at, max_amount } = expected else { return false };
    let wanted = figures.as_ref().map(|figures| (figures.requested, figures.allowed));
    reason.is_none_or(|reason| reason == refusal.reason())
        && (wanted.is_none() || wanted == refusal.cause().figures())
        && is_at(*at, refusal.step())
        && max_amount.is_none_or(|amount| amount == refusal.max_amount())
}

/// Steps are counted from 0.
fn is_at(wanted: Option<ListStep>, found: Option<u32>) -> bool {
    match wanted {
        None => true,
        Some(ListStep::End) => found.is_none(),
        Some(ListStep::Step(step)) => found == step.checked_sub(1),
    }
}

pub(super) fn refusal_text(world: &World, refusal: &Refusal) -> String {
    let up_to = if refusal.max_amount() > 0 { format!("; up to {}", refusal.max_amount()) } else { String::new() };
    format!("refused: {}: {}{up_to}", refusal.reason(), world.explain(refusal))
}

/// Every check that fails, with its figures. A refusal has left the world as it was, so it can
/// still be requested.
pub(super) fn all_reasons(world: &World, operation: &Operation) -> Vec<String> {
    let reply = world.ask(operation);
    reply.causes().iter().map(|&cause| format!("{}: {}", cause.reason(), world.explain_cause(cause))).collect()
}
