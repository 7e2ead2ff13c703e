//! What an applied operation came to.

use serde::{Deserialize, Serialize};

use crate::ruleset::Way;

/// What an applied operation came to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
#[must_use = "an operation may have been applied in part; ask `left` or `is_whole`"]
pub struct Outcome {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) asked: Option<u64>,
    pub(crate) done: u64,
    pub(crate) changed: bool,
    pub(crate) revision: u64,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) way: Option<Way>,
}

impl Outcome {
    /// That of something that is done once and moves nothing by itself, such as an undo.
    pub(crate) fn once(revision: u64) -> Outcome {
        Outcome { asked: None, done: 1, changed: true, revision, way: None }
    }

    /// How many items went.
    #[must_use]
    pub fn done(self) -> u64 {
        self.done
    }

    /// How many were asked for, where a number was named.
    #[must_use]
    pub fn asked(self) -> Option<u64> {
        self.asked
    }

    /// How many of those that were asked for did not go.
    #[must_use]
    pub fn left(self) -> u64 {
        self.asked.map_or(0, |asked| asked.saturating_sub(self.done))
    }

    /// True if all that was asked for went.
    #[must_use]
    pub fn is_whole(self) -> bool {
        self.left() == 0
    }

    /// False if there was nothing to change, such as when a slot is moved onto itself.
    #[must_use]
    pub fn changed(self) -> bool {
        self.changed
    }

    /// How what was in a hand came to lie where it was put; none for other operations.
    #[must_use]
    pub fn way(self) -> Option<Way> {
        self.way
    }

    /// What was done in words, with a verb such as `moved`: `moved 2`, `moved 2 of 5, left 3`, `opened`.
    #[must_use]
    pub fn text(self, verb: &str) -> String {
        match self.asked {
            _ if !self.is_whole() => {
                format!("{verb} {} of {}, left {}", self.done, self.asked.unwrap_or_default(), self.left())
            }
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
