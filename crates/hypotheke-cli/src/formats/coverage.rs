//! What `coverage --format json` writes.

use hypotheke::Ruleset;
use hypotheke::coverage::{ChangeReport, ChangeVerdict, Coverage, NotTestable, RuleReport, Tested};
use schemars::JsonSchema;
use serde::Serialize;

/// How much of a ruleset its scenarios test.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct CoverageJson {
    /// How many of a hundred rules that have an effect are tested in all their changes.
    percent: usize,
    /// How many rules are tested in all their changes.
    tested: usize,
    /// How many are tested in some.
    in_part: usize,
    /// How many are not.
    untested: usize,
    /// How many have no effect.
    without_effect: usize,
    /// How many can't be changed: the ruleset would not be valid.
    only_choice: usize,
    /// The settings that no scenario can test.
    not_testable: Vec<NotTestableJson>,
    /// How many times a scenario was played.
    plays: u64,
    /// Every rule.
    rules: Vec<RuleJson>,
}

/// Settings that no scenario can test.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct NotTestableJson {
    /// Which.
    setting: String,
    /// The number of settings of this name.
    count: usize,
    /// Why not.
    because: &'static str,
}

/// A rule.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct RuleJson {
    /// What it is written for: `ruleset`, `tag`, `kind`, `container`, `holder` or `start`.
    of: &'static str,
    /// The name of that.
    name: String,
    /// The rule in words.
    rule: String,
    /// The file in which it stands.
    file: String,
    /// Its line there.
    line: usize,
    /// `tested`, `in-part`, `untested`, `without-effect` or `only-choice`.
    verdict: &'static str,
    /// What it could be instead.
    changes: Vec<ChangeJson>,
}

/// What a rule could be instead.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct ChangeJson {
    /// The change in words.
    change: String,
    /// `noticed`, `unnoticed`, `without-effect` or `invalid`.
    verdict: &'static str,
    /// The scenario that notices it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    by: Option<String>,
    /// Why it has no effect.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    because: Option<String>,
    /// A scenario that would notice it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    suggestion: Option<String>,
}

impl CoverageJson {
    pub(crate) fn new(rules: &Ruleset, found: &Coverage) -> CoverageJson {
        CoverageJson {
            percent: found.percent(),
            tested: found.count(Tested::Whole),
            in_part: found.count(Tested::InPart),
            untested: found.count(Tested::Not),
            without_effect: found.count(Tested::WithoutEffect),
            only_choice: found.count(Tested::OnlyChoice),
            not_testable: found.not_testable().iter().cloned().map(not_testable_json).collect(),
            plays: found.plays().0,
            rules: found.rules().iter().map(|rule| rule_json(rules, rule)).collect(),
        }
    }
}

fn not_testable_json(found: NotTestable) -> NotTestableJson {
    NotTestableJson { setting: found.setting, count: found.count, because: found.because }
}

fn rule_json(rules: &Ruleset, rule: &RuleReport) -> RuleJson {
    let source = rules.sources().get(rule.at.source.index());
    RuleJson {
        of: rule.subject.kind.word(),
        name: rule.subject.name.clone(),
        rule: rule.text.clone(),
        file: source.map_or_else(String::new, |source| source.name().to_owned()),
        line: source.map_or(1, |source| source.line_column(rule.at.span.start()).line),
        verdict: match rule.tested() {
            Tested::Whole => "tested",
            Tested::InPart => "in-part",
            Tested::Not => "untested",
            Tested::WithoutEffect => "without-effect",
            Tested::OnlyChoice => "only-choice",
        },
        changes: rule.changes.iter().map(change_json).collect(),
    }
}

fn change_json(change: &ChangeReport) -> ChangeJson {
    let (verdict, by, because, suggestion) = match change.verdict.clone() {
        ChangeVerdict::Noticed { by } => ("noticed", Some(by), None, None),
        ChangeVerdict::Unnoticed { suggestion } => ("unnoticed", None, None, suggestion),
        ChangeVerdict::WithoutEffect { because } => ("without-effect", None, Some(because), None),
        ChangeVerdict::Invalid => ("invalid", None, None, None),
    };
    ChangeJson { change: change.text.clone(), verdict, by, because, suggestion }
}
