//! The JSON that `test-saves --format json` writes.

use std::collections::BTreeMap;

use hypotheke::Ruleset;
use schemars::JsonSchema;
use serde::Serialize;

use super::diagnostics::errors_json;
use crate::files::InputError;
use crate::findings::{CheckStatus, Checked};

/// The results of the save tests.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TestSavesJson {
    /// The ruleset.
    title: String,
    /// Its version.
    version: u32,
    /// Always the same five checks, in this order.
    checks: Vec<SaveCheckJson>,
    /// The errors of files that could not be read.
    #[schemars(with = "Vec<serde_json::Map<String, serde_json::Value>>")]
    diagnostics: Vec<serde_json::Value>,
}

/// One check.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaveCheckJson {
    /// `round-trip`, `crash-safety`, `server-handover`, `existing-saves` or `migration`.
    check: String,
    /// Its verdict.
    verdict: SaveVerdictJson,
    /// A summary in words.
    summary: Vec<String>,
    /// The numbers of the summary.
    figures: BTreeMap<String, u64>,
    /// The failure, if the check failed.
    failure: Option<FailureJson>,
}

/// The verdict of a check.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum SaveVerdictJson {
    /// The check is complete and found no failure.
    Passed,
    /// The check found a failure.
    Failed,
    /// The check was not requested, or it had no input.
    NotRun,
    /// Time or an interrupt stopped the check. It found no failure until then.
    Incomplete,
}

/// A failure and the trace to it.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FailureJson {
    /// The steps that lead to it.
    trace: Vec<String>,
    /// The failure in words.
    found: String,
}

impl TestSavesJson {
    pub(crate) fn new(rules: &Ruleset, checks: &[Checked], errors: &[InputError]) -> TestSavesJson {
        let checks = checks.iter().map(|check| SaveCheckJson {
            check: check.code.to_owned(),
            verdict: match check.status {
                CheckStatus::Passed => SaveVerdictJson::Passed,
                CheckStatus::Failed => SaveVerdictJson::Failed,
                CheckStatus::NotRun => SaveVerdictJson::NotRun,
                CheckStatus::Incomplete => SaveVerdictJson::Incomplete,
            },
            summary: check.summary.clone(),
            figures: check.figures.iter().map(|(name, figure)| ((*name).to_owned(), *figure)).collect(),
            failure: check
                .failure
                .as_ref()
                .map(|failure| FailureJson { trace: failure.trace.clone(), found: failure.found.clone() }),
        });
        TestSavesJson {
            title: rules.title().to_owned(),
            version: rules.version(),
            checks: checks.collect(),
            diagnostics: errors_json(errors).0,
        }
    }
}
