use super::{FORMAT, RulesetInfo};
use crate::snapshot::SnapshotError;

/// The reason why bytes are not a save, or a save is not a world. Nothing has changed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum SaveError {
    /// There is nothing.
    #[error("the file is empty")]
    Empty,
    /// It can't be read as JSON of the shape that saves have.
    #[error("line {line}, column {column}: {message}")]
    Json {
        /// From 1.
        line: usize,
        /// From 1.
        column: usize,
        /// What is wrong there.
        message: String,
    },
    /// It can't be read as MessagePack of the shape that saves have.
    #[error("the file is not a save: {message}")]
    Binary {
        /// What is wrong.
        message: String,
    },
    /// It was written by a later version of this library.
    #[error("unknown format {found}: this version reads formats up to {FORMAT}")]
    Newer {
        /// The version of its format.
        found: u32,
    },
    /// Something in it is not as it was written.
    #[error("checksum mismatch: the file says {found}, its contents give {counted}")]
    Damaged {
        /// What it says.
        found: String,
        /// The checksum of the contents.
        counted: String,
    },
    /// The checksum does not match, but the rest can be read: the save was edited by hand, or is
    /// damaged.
    #[error("checksum mismatch: the file says {found}, its contents give {counted}")]
    Edited {
        /// What it says.
        found: String,
        /// The checksum of the contents.
        counted: String,
    },
    /// Something in it does not fit to something else in it.
    #[error("{place}: {message}")]
    Inconsistent {
        /// Where.
        place: String,
        /// What does not fit.
        message: String,
    },
    /// It was saved under another ruleset.
    #[error("the save is of the ruleset `{}` version {} ({}), not of `{}` version {} ({})", .saved.title, .saved.version, .saved.fingerprint, .given.title, .given.version, .given.fingerprint)]
    OtherRuleset {
        /// Under which it was saved.
        saved: Box<RulesetInfo>,
        /// The one that was given.
        given: Box<RulesetInfo>,
    },
    /// No world of the ruleset has this state.
    #[error(transparent)]
    CannotBe(#[from] SnapshotError),
}

impl SaveError {
    /// A short name of the cause, which does not change.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            SaveError::Empty => "empty",
            SaveError::Json { .. } => "bad-json",
            SaveError::Binary { .. } => "bad-binary",
            SaveError::Newer { .. } => "newer-format",
            SaveError::Damaged { .. } => "damaged",
            SaveError::Edited { .. } => "edited",
            SaveError::Inconsistent { .. } => "inconsistent",
            SaveError::OtherRuleset { .. } => "other-ruleset",
            SaveError::CannotBe(_) => "cannot-be",
        }
    }

    pub(super) fn inconsistent(place: impl Into<String>, message: impl Into<String>) -> SaveError {
        SaveError::Inconsistent { place: place.into(), message: message.into() }
    }
}
