//! What `fmt --format json` writes.

use schemars::JsonSchema;
use serde::Serialize;

/// Which scenario files were not in their usual layout.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct FmtJson {
    /// How many files were looked at.
    pub(crate) files: usize,
    /// The files that were brought into it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) changed: Option<Vec<String>>,
    /// With `--check`: the files that would be.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) would_change: Option<Vec<String>>,
}
