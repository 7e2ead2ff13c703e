//! What `check --format json` writes, and what every command writes if its input is bad.

use schemars::JsonSchema;
use serde::Serialize;

use super::diagnostics::JsonDiagnostic;

/// What a ruleset is made of, and what is probably not meant.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CheckJson<'c> {
    /// What the designer calls it.
    pub(crate) title: &'c str,
    /// Its version.
    pub(crate) version: u32,
    /// How many kinds it has.
    pub(crate) kinds: usize,
    /// How many containers.
    pub(crate) containers: usize,
    /// How many holders.
    pub(crate) holders: usize,
    /// What is probably not meant.
    pub(crate) faults: Vec<JsonDiagnostic<'c>>,
    /// The number of faults beyond those that are listed.
    pub(crate) unlisted: usize,
}
