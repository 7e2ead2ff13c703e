//! The result of an operation that was applied.

use serde::{Deserialize, Serialize};

use crate::ruleset::PutMode;

/// The result of an operation that was applied: how many items it moved, created or consumed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
#[must_use = "an operation may have been applied in part; check `is_complete`"]
pub struct Outcome {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) requested: Option<u64>,
    pub(crate) done: u64,
    pub(crate) changed: bool,
    pub(crate) revision: u64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) put_mode: Option<PutMode>,
}

impl Outcome {
    /// The result of an action without an amount, such as an undo.
    pub(crate) fn once(revision: u64) -> Outcome {
        Outcome { requested: None, done: 1, changed: true, revision, put_mode: None }
    }

    /// The number of items that were moved, created or consumed.
    #[must_use]
    pub fn done(self) -> u64 {
        self.done
    }

    /// The number of items that the operation requested; `None` if it named no number.
    #[must_use]
    pub fn requested(self) -> Option<u64> {
        self.requested
    }

    /// True if the operation did all that it requested.
    #[must_use]
    pub fn is_complete(self) -> bool {
        self.requested.is_none_or(|requested| requested <= self.done)
    }

    /// False if the operation had no effect, such as moving a slot onto itself.
    #[must_use]
    pub fn changed(self) -> bool {
        self.changed
    }

    /// How a put placed the stack of the hand; `None` for other operations.
    #[must_use]
    pub fn put_mode(self) -> Option<PutMode> {
        self.put_mode
    }

    /// The result in words, with a verb such as `moved`: `moved 2`, `moved 2 of 5`, `opened`.
    #[must_use]
    pub fn text(self, verb: &str) -> String {
        match self.requested {
            Some(requested) if !self.is_complete() => format!("{verb} {} of {requested}", self.done),
            None if self.done == 0 && self.changed => verb.to_owned(),
            None if self.done == 0 => format!("{verb}, nothing changed"),
            _ => format!("{verb} {}", self.done),
        }
    }

    /// The revision of the world after it.
    #[must_use]
    pub fn revision(self) -> u64 {
        self.revision
    }
}
