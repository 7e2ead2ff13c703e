//! The JSON that `check --format json` writes, and that every command writes if its input has
//! errors.

use schemars::JsonSchema;
use serde::Serialize;

use super::diagnostics::JsonDiagnostic;

/// The size of a ruleset and its warnings.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CheckJson<'c> {
    /// Its title.
    pub(crate) title: &'c str,
    /// Its version.
    pub(crate) version: u32,
    /// The number of kinds.
    pub(crate) kinds: usize,
    /// The number of containers.
    pub(crate) containers: usize,
    /// The number of holders.
    pub(crate) holders: usize,
    /// The warnings.
    pub(crate) diagnostics: Vec<JsonDiagnostic<'c>>,
    /// The number of diagnostics that are not listed.
    pub(crate) unlisted: usize,
}
