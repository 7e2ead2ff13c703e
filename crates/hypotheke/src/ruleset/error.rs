use std::fmt;

use crate::text::{Diagnostics, Severity};

/// Everything that is wrong with a ruleset, in the order in which it is written; never empty.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RulesetErrors {
    diagnostics: Diagnostics,
}

impl RulesetErrors {
    pub(crate) fn new(diagnostics: Diagnostics) -> RulesetErrors {
        debug_assert!(diagnostics.iter().any(|diagnostic| diagnostic.severity() == Severity::Error));
        RulesetErrors { diagnostics }
    }

    /// Each fault with its place, cause and remedy. Warnings may be among them.
    #[must_use]
    pub fn diagnostics(&self) -> &Diagnostics {
        &self.diagnostics
    }
}

impl fmt::Display for RulesetErrors {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.diagnostics.fmt(f)
    }
}

impl std::error::Error for RulesetErrors {}
