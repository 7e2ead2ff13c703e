//! What `coverage --format json` writes.

use hypotheke::Ruleset;
use hypotheke::coverage::{ChangeReport, ChangeVerdict, Coverage, NotTestable, RuleReport, Tested};
use schemars::JsonSchema;
use serde::Serialize;

/// How well the scenarios test a ruleset.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct CoverageJson {
    /// The percentage of rules with an effect of which every change is detected.
    percent: usize,
    /// The number of rules of which every change is detected.
    tested: usize,
    /// The number of rules of which some changes are detected.
    partly_tested: usize,
    /// The number of rules of which no change is detected.
    untested: usize,
    /// The number of rules on which no behaviour depends.
    redundant: usize,
    /// The number of rules that have no valid change.
    only_choice: usize,
    /// The settings that no scenario can test.
    not_testable: Vec<NotTestableJson>,
    /// The number of scenario runs.
    runs: u64,
    /// Every rule.
    rules: Vec<RuleJson>,
}

/// Settings that no scenario can test.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct NotTestableJson {
    /// The name of the setting.
    setting: String,
    /// The number of settings of this name.
    count: usize,
    /// The explanation.
    explanation: &'static str,
}

/// A rule.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct RuleJson {
    /// The type of its subject: `ruleset`, `tag`, `kind`, `container`, `holder` or `start`.
    subject_type: &'static str,
    /// The name of its subject.
    subject: String,
    /// The rule in words.
    rule: String,
    /// The file that contains it.
    file: String,
    /// Its line there.
    line: usize,
    /// `tested`, `partly-tested`, `untested`, `redundant` or `only-choice`.
    verdict: &'static str,
    /// The changes of the rule.
    changes: Vec<ChangeJson>,
}

/// A change of a rule.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct ChangeJson {
    /// The change in words.
    change: String,
    /// `detected`, `undetected`, `equivalent` or `invalid`.
    verdict: &'static str,
    /// The scenario that detects it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    by: Option<String>,
    /// Why it has no effect.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    explanation: Option<String>,
    /// A scenario that would detect it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    suggestion: Option<String>,
}

impl CoverageJson {
    pub(crate) fn new(rules: &Ruleset, found: &Coverage) -> CoverageJson {
        CoverageJson {
            percent: found.percent(),
            tested: found.count(Tested::Complete),
            partly_tested: found.count(Tested::Partly),
            untested: found.count(Tested::Not),
            redundant: found.count(Tested::Redundant),
            only_choice: found.count(Tested::OnlyChoice),
            not_testable: found.not_testable().iter().cloned().map(not_testable_json).collect(),
            runs: found.runs().0,
            rules: found.rules().iter().map(|rule| rule_json(rules, rule)).collect(),
        }
    }
}

fn not_testable_json(found: NotTestable) -> NotTestableJson {
    NotTestableJson { setting: found.setting, count: found.count, explanation: found.because }
}

fn rule_json(rules: &Ruleset, rule: &RuleReport) -> RuleJson {
    let source = rules.sources().get(rule.at.source.index());
    RuleJson {
        subject_type: rule.subject.kind.word(),
        subject: rule.subject.name.clone(),
        rule: rule.text.clone(),
        file: source.map_or_else(String::new, |source| source.name().to_owned()),
        line: source.map_or(1, |source| source.line_column(rule.at.span.start()).line),
        verdict: match rule.tested() {
            Tested::Complete => "tested",
            Tested::Partly => "partly-tested",
            Tested::Not => "untested",
            Tested::Redundant => "redundant",
            Tested::OnlyChoice => "only-choice",
        },
        changes: rule.changes.iter().map(change_json).collect(),
    }
}

fn change_json(change: &ChangeReport) -> ChangeJson {
    let (verdict, by, explanation, suggestion) = match change.verdict.clone() {
        ChangeVerdict::Detected { by } => ("detected", Some(by), None, None),
        ChangeVerdict::Undetected { suggestion } => ("undetected", None, None, suggestion),
        ChangeVerdict::Equivalent { because } => ("equivalent", None, Some(because), None),
        ChangeVerdict::Invalid => ("invalid", None, None, None),
    };
    ChangeJson { change: change.text.clone(), verdict, by, explanation, suggestion }
}
