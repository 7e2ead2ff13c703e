//! Implementations of the laws that can replace each other: this library's own, a game's, a slow
//! and plain one.
//!
//! Whatever starts from a [`Snapshot`], takes operations by names and gives plain answers and
//! snapshots back can be verified in the place of this library's engine, or held against it.

mod engine;

use serde::{Deserialize, Serialize};

pub use engine::Engine;

use crate::language::{NamedAction, NamedOperation};
use crate::ops::{Outcome, Reason, Refusal};
use crate::quantity::Decimal;
use crate::snapshot::{Snapshot, SnapshotError};

/// An implementation of the laws.
///
/// ```
/// use hypotheke::conformance::{Answer, Engine, Implementation};
/// use hypotheke::{NamedOperation, Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .start("depot", ["4 flare"])
///     .build()?;
/// let rules = rules.into();
/// let mut engine = Engine::new(&rules);
/// engine.start(&World::new(&rules).snapshot()).unwrap();
///
/// let consume: NamedOperation = "consume 1 flare from depot".parse().unwrap();
/// assert_eq!(engine.perform(&consume), Answer::Applied { done: 1 });
/// assert_eq!(engine.snapshot().containers[0].stacks[0].stack.count, 3);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
pub trait Implementation {
    /// Goes on from a world as plain data, whatever was before.
    ///
    /// # Errors
    /// If there can be no such world.
    fn start(&mut self, snapshot: &Snapshot) -> Result<(), SnapshotError>;

    /// Judges an operation and, unless it is refused, applies it. The documents of what departs are
    /// kept, so that `arrive` can bring back the latest under each name.
    fn perform(&mut self, operation: &NamedOperation) -> Answer;

    /// The world as it is now, as plain data.
    fn snapshot(&self) -> Snapshot;
}

/// The result of an operation, as plain data.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub enum Answer {
    /// It was applied, in full or in part.
    Applied {
        /// How many items went.
        done: u64,
    },
    /// It was refused, and nothing has changed.
    Refused {
        /// Why.
        reason: Reason,
        /// The value that was requested or would result, and the limit or the number present.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        figures: Option<(Decimal, Decimal)>,
        /// The largest amount that fits.
        #[serde(default)]
        max_amount: u64,
        /// Of several operations as one: which of them, from 0.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        step: Option<u32>,
    },
}

impl Answer {
    /// A refusal because of an unknown or unsupported name.
    #[must_use]
    pub fn unknown() -> Answer {
        Answer::Refused { reason: Reason::Unknown, figures: None, max_amount: 0, step: None }
    }

    /// Whether two implementations may give these answers to one operation. They have to be equal,
    /// but that of several limits which a list breaks in its end any may be named.
    #[must_use]
    pub fn agrees(&self, other: &Answer, operation: &NamedOperation) -> bool {
        let is_list = matches!(operation.action, NamedAction::Together { .. });
        match (self, other) {
            (
                Answer::Refused { reason, max_amount, step: None, .. },
                Answer::Refused { reason: other_reason, max_amount: other_amount, step: None, .. },
            ) if is_list => (reason, max_amount) == (other_reason, other_amount),
            _ => self == other,
        }
    }

    /// True if it was applied.
    #[must_use]
    pub fn is_applied(&self) -> bool {
        matches!(self, Answer::Applied { .. })
    }
}

impl From<Outcome> for Answer {
    fn from(outcome: Outcome) -> Answer {
        Answer::Applied { done: outcome.done() }
    }
}

impl From<Refusal> for Answer {
    fn from(refusal: Refusal) -> Answer {
        Answer::Refused {
            reason: refusal.reason(),
            figures: refusal.cause().figures(),
            max_amount: refusal.max_amount(),
            step: refusal.step(),
        }
    }
}
