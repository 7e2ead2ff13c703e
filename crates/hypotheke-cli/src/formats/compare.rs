//! What `compare --format json` writes.

use hypotheke::RuleDifference;
use schemars::JsonSchema;
use serde::Serialize;

use super::diagnostics::errors_json;
use crate::files::InputError;
use crate::findings::ScenarioChange;

/// The differences between two rulesets.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CompareJson<'c> {
    /// Every difference in meaning.
    differences: Vec<DifferenceJson>,
    /// The scenarios with a different verdict.
    scenarios: &'c [ScenarioChange],
    /// The errors of scenario files that could not be read.
    #[schemars(with = "Vec<serde_json::Map<String, serde_json::Value>>")]
    diagnostics: Vec<serde_json::Value>,
}

/// A difference.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct DifferenceJson {
    /// The type of the subject: `ruleset`, `tag`, `mark`, `property`, `kind`, `container`, `holder`
    /// or `start`.
    subject_type: &'static str,
    /// What it affects: `rule`, `start`, `migration`, `claim`, or `label` if only people read it.
    class: &'static str,
    /// The name of the subject.
    subject: String,
    /// The setting; empty if the subject itself is new or was removed.
    setting: String,
    /// The old value.
    old: Option<String>,
    /// The new value.
    new: Option<String>,
    /// For a filter: the kinds that only the new one admits.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    newly_admitted: Vec<String>,
    /// For a filter: the kinds that only the old one admits.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    no_longer_admitted: Vec<String>,
    /// For a filter: the kinds that have too many combinations of marks and properties to compare.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    not_compared: Vec<String>,
}

impl<'c> CompareJson<'c> {
    pub(crate) fn new(
        differences: &[RuleDifference],
        scenarios: &'c [ScenarioChange],
        errors: &[InputError],
    ) -> CompareJson<'c> {
        let differences = differences.iter().cloned().map(|found| DifferenceJson {
            subject_type: found.subject.kind.word(),
            class: found.class.word(),
            subject: found.subject.name,
            setting: found.setting,
            old: found.old,
            new: found.new,
            newly_admitted: found.newly_admitted,
            no_longer_admitted: found.no_longer_admitted,
            not_compared: found.not_compared,
        });
        CompareJson { differences: differences.collect(), scenarios, diagnostics: errors_json(errors).0 }
    }
}
