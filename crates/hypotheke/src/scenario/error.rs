use std::fmt;

use crate::text::Diagnostics;

/// Everything that is wrong with a scenario file, in the order in which it is written; never empty.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ScenarioErrors {
    diagnostics: Diagnostics,
}

impl ScenarioErrors {
    pub(crate) fn new(diagnostics: Diagnostics) -> ScenarioErrors {
        debug_assert!(!diagnostics.is_empty());
        ScenarioErrors { diagnostics }
    }

    /// Each fault with its place, cause and remedy.
    #[must_use]
    pub fn diagnostics(&self) -> &Diagnostics {
        &self.diagnostics
    }
}

impl fmt::Display for ScenarioErrors {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.diagnostics.fmt(f)
    }
}

impl std::error::Error for ScenarioErrors {}
