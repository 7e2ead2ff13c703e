//! What `ask --format json` writes.

use hypotheke::{Cause, KindId, NamedOperation, Outcome, Quote, Reply, World};
use schemars::JsonSchema;
use serde::Serialize;

use super::show::ItemsJson;

/// The result that an operation would have, and every reason against it.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct AskJson<'a> {
    /// The operation, as a scenario writes it.
    operation: String,
    /// `applied`, `partial` or `refused`.
    answer: &'static str,
    /// The largest amount that would be applied.
    max_amount: u64,
    /// The number of items that the operation requests; null if it names no number or would be
    /// refused.
    requested: Option<u64>,
    /// The number of items that would be moved, created or consumed; null if it would be refused.
    done: Option<u64>,
    /// In a `together` operation: the step that would be refused, from 0.
    step: Option<u32>,
    /// The changes, in order.
    changes: &'a [String],
    /// For `buys` and `sells`: the price.
    #[serde(skip_serializing_if = "Option::is_none")]
    price: Option<PriceJson>,
    /// Every reason against it. Each is checked on its own.
    reasons: Vec<ReasonJson>,
}

/// What a deal exchanges for what.
#[derive(Debug, Serialize, JsonSchema)]
struct PriceJson {
    /// What the holder gets.
    gets: Vec<ItemsJson>,
    /// What the holder gives.
    gives: Vec<ItemsJson>,
    /// The number of items of the named kind for which the holder has enough to give.
    affordable: u64,
}

/// Items of a kind.
/// A reason against an operation.
#[derive(Debug, Serialize, JsonSchema)]
struct ReasonJson {
    /// The code of the reason, such as `weight-cap`.
    reason: String,
    /// The reason in words.
    text: String,
    /// The figures of the reason, if it has any.
    figures: Option<FiguresJson>,
    /// A change that makes the operation succeed.
    remedy: Option<String>,
}

/// The value that was requested or would result, and the limit or the number present.
#[derive(Debug, Serialize, JsonSchema)]
struct FiguresJson {
    value: String,
    limit: String,
}

impl<'a> AskJson<'a> {
    pub(crate) fn new(
        world: &World,
        named: &NamedOperation,
        reply: &Reply,
        (changes, quote): (&'a [String], Option<&Quote>),
    ) -> AskJson<'a> {
        let items = |items: &[(KindId, u64)]| ItemsJson::all(world.rules(), items.iter().copied());
        let price = quote.map(|quote| PriceJson {
            gets: items(&quote.gets),
            gives: items(&quote.gives),
            affordable: quote.affordable,
        });
        let reason = |&cause: &Cause| ReasonJson {
            reason: cause.reason().to_string(),
            text: world.explain_cause(cause),
            figures: cause
                .figures()
                .map(|(value, limit)| FiguresJson { value: value.to_string(), limit: limit.to_string() }),
            remedy: world.remedy(cause),
        };
        let answer = match reply.answer() {
            Ok(outcome) if outcome.is_complete() => "applied",
            Ok(_) => "partial",
            Err(_) => "refused",
        };
        AskJson {
            operation: named.to_string(),
            answer,
            max_amount: reply.max_amount(),
            requested: reply.answer().ok().and_then(Outcome::requested),
            done: reply.answer().ok().map(Outcome::done),
            step: reply.answer().err().and_then(|refusal| refusal.step()),
            changes,
            price,
            reasons: reply.causes().iter().map(reason).collect(),
        }
    }
}
