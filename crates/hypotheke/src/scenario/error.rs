use std::fmt;

use crate::text::Diagnostics;

/// Every error of a scenario file, in order; never empty.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ScenarioErrors {
    diagnostics: Diagnostics,
}

impl ScenarioErrors {
    pub(crate) fn new(diagnostics: Diagnostics) -> ScenarioErrors {
        debug_assert!(!diagnostics.is_empty());
        ScenarioErrors { diagnostics }
    }

    /// Each error with its location, cause and remedy.
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
