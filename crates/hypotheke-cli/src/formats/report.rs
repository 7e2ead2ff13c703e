//! What `report --format json` writes.

use schemars::JsonSchema;
use serde::Serialize;

/// The file that was written, and the verdicts in it.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct ReportJson {
    /// The file.
    pub(crate) written: String,
    /// The number of its bytes.
    pub(crate) bytes: usize,
    /// The number of scenarios that passed.
    pub(crate) scenarios_passed: usize,
    /// The number of scenarios that failed.
    pub(crate) scenarios_failed: usize,
    /// The number of claims that hold, or that an example was found for.
    pub(crate) claims_good: usize,
    /// The number of claims that failed, and of laws that were violated.
    pub(crate) claims_failed: usize,
    /// The number of claims that are not decided.
    pub(crate) claims_open: usize,
    /// The percentage of rules that the scenarios test; null if it was not measured.
    pub(crate) coverage: Option<usize>,
    /// The number of saves that violate a law.
    pub(crate) saves_failed: usize,
}
