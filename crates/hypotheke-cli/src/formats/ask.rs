//! What `ask --format json` writes.

use hypotheke::{Cause, NamedOperation, Outcome, Reply, World};
use schemars::JsonSchema;
use serde::Serialize;

/// What would come of an operation, and all that stands in its way.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct AskJson<'a> {
    /// The operation, as a scenario writes it.
    operation: String,
    /// `applied`, `in-part` or `refused`.
    answer: &'static str,
    /// How many could go.
    could: u64,
    /// How many of those that were asked for would not go; nothing if it would be refused.
    left: Option<u64>,
    /// Which step of several together is refused, from 0.
    step: Option<u32>,
    /// What would change.
    changes: &'a [String],
    /// Everything that stands in the way, each as if there were nothing else.
    reasons: Vec<ReasonJson>,
}

/// Something that stands in the way.
#[derive(Debug, Serialize, JsonSchema)]
struct ReasonJson {
    /// Its code: `weight-cap`.
    reason: String,
    /// The reason in words.
    text: String,
    /// Its figures, where it has some.
    figures: Option<FiguresJson>,
    /// What it would take.
    remedy: Option<String>,
}

/// What was asked for, or would be, and what is allowed, or there.
#[derive(Debug, Serialize, JsonSchema)]
struct FiguresJson {
    asked: String,
    allowed: String,
}

impl<'a> AskJson<'a> {
    pub(crate) fn new(world: &World, named: &NamedOperation, reply: &Reply, changes: &'a [String]) -> AskJson<'a> {
        let reason = |&cause: &Cause| ReasonJson {
            reason: cause.reason().to_string(),
            text: world.explain_cause(cause),
            figures: cause
                .figures()
                .map(|(asked, allowed)| FiguresJson { asked: asked.to_string(), allowed: allowed.to_string() }),
            remedy: world.remedy(cause),
        };
        let answer = match reply.answer() {
            Ok(outcome) if outcome.is_whole() => "applied",
            Ok(_) => "in-part",
            Err(_) => "refused",
        };
        AskJson {
            operation: named.to_string(),
            answer,
            could: reply.could(),
            left: reply.answer().ok().map(Outcome::left),
            step: reply.answer().err().and_then(|refusal| refusal.step()),
            changes,
            reasons: reply.causes().iter().map(reason).collect(),
        }
    }
}
