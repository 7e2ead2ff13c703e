//! The JSON that `fmt --format json` writes.

use schemars::JsonSchema;
use serde::Serialize;

/// The scenario files that differed from the standard layout.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct FmtJson {
    /// The number of files that were read.
    pub(crate) files: usize,
    /// The files that were changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) changed: Option<Vec<String>>,
    /// With `--check`: the files that would be changed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) would_change: Option<Vec<String>>,
    /// The errors of files that could not be read.
    #[schemars(with = "Vec<serde_json::Map<String, serde_json::Value>>")]
    pub(crate) diagnostics: Vec<serde_json::Value>,
}
