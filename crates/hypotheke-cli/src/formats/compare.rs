//! What `compare --format json` writes.

use hypotheke::RuleDifference;
use schemars::JsonSchema;
use serde::Serialize;

/// What differs between two rulesets.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CompareJson<'c> {
    /// Every difference in meaning.
    differences: Vec<DifferenceJson>,
    /// The scenarios whose verdict is another.
    scenarios: &'c [ScenarioChange],
}

/// A difference.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct DifferenceJson {
    /// Of what: `ruleset`, `tag`, `mark`, `property`, `kind`, `container`, `holder` or `start`.
    of: &'static str,
    /// What depends on it: `rule`, `start`, `migration`, `claim`, or `label` if only people read it.
    class: &'static str,
    /// The name of that.
    name: String,
    /// What differs; empty if all of it is new or gone.
    what: String,
    /// What it was.
    old: Option<String>,
    /// What it is.
    new: Option<String>,
    /// Of a filter: what is admitted now and was not.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    admitted_now: Vec<String>,
    /// Of a filter: what was admitted and is no longer.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    no_longer: Vec<String>,
    /// Of a filter: kinds with too many combinations of marks and properties to compare.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    not_compared: Vec<String>,
}

/// A scenario whose verdict is another.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ScenarioChange {
    /// The file.
    pub(crate) file: String,
    /// The scenario.
    pub(crate) title: String,
    /// The row of its table.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) row: Option<String>,
    /// `holds`, `fails` or `can't be played`, by the old ruleset.
    pub(crate) old: String,
    /// The same by the new one.
    pub(crate) new: String,
    /// The line that fails, or why it can't be played.
    pub(crate) why: String,
}

impl<'c> CompareJson<'c> {
    pub(crate) fn new(differences: &[RuleDifference], scenarios: &'c [ScenarioChange]) -> CompareJson<'c> {
        let told = differences.iter().cloned().map(|found| DifferenceJson {
            of: found.subject.kind.word(),
            class: found.class.word(),
            name: found.subject.name,
            what: found.what,
            old: found.old,
            new: found.new,
            admitted_now: found.admitted_now,
            no_longer: found.no_longer,
            not_compared: found.not_compared,
        });
        CompareJson { differences: told.collect(), scenarios }
    }
}
