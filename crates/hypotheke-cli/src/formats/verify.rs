//! The JSON that `verify --format json` writes.

use hypotheke::Decimal;
use hypotheke::scenario::{Answer, Failure, Finding, ScenarioReport, StepReport};
use hypotheke::text::Source;
use schemars::JsonSchema;
use serde::Serialize;

use super::diagnostics::errors_json;
use crate::files::InputError;

/// The result of a run of scenarios.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct VerifyJson {
    /// Each scenario, or each row of its table.
    scenarios: Vec<ScenarioJson>,
    /// The number of scenarios that passed.
    passed: usize,
    /// The number of scenarios that failed.
    failed: usize,
    /// The errors of files that could not be run.
    #[schemars(with = "Vec<serde_json::Map<String, serde_json::Value>>")]
    diagnostics: Vec<serde_json::Value>,
}

/// The results of the demo's scenarios.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DemoJson<'d> {
    /// The title of the demo's ruleset.
    pub(crate) title: &'d str,
    /// Each scenario, or each row of its table.
    pub(crate) scenarios: Vec<ScenarioJson>,
}

/// A scenario, or a row of its table.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct ScenarioJson {
    /// The file.
    file: String,
    /// The line of its title, or of the row.
    line: usize,
    /// Its title.
    title: String,
    /// The row of its table, such as `drums 4, taken 3`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    row: Option<String>,
    verdict: VerdictJson,
    /// The number of operations.
    steps: usize,
    /// The number of checks that were made.
    checks: usize,
    /// Each step, with `--steps`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    step_reports: Vec<StepJson>,
    /// Each failure.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    failures: Vec<FailureJson>,
}

/// Whether every answer and every check was as expected.
#[derive(Clone, Copy, Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum VerdictJson {
    /// All were as expected.
    Passed,
    /// At least one was not.
    Failed,
}

/// A step and its result.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct StepJson {
    /// Its line.
    line: usize,
    /// Its text.
    text: String,
    answer: AnswerJson,
    /// The changes, in words.
    events: Vec<String>,
}

/// The result of a step.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum AnswerJson {
    /// It was applied, in full or in part.
    Applied {
        /// The number of items that were moved, created or consumed.
        done: u64,
        /// The number of items that the operation requested, if it named one.
        requested: Option<u64>,
    },
    /// It was refused.
    Refused {
        /// The code of the reason.
        refused: String,
        /// The reason in words.
        explanation: String,
        /// The figures of the reason, if it has any.
        figures: Option<FiguresJson>,
        /// The largest amount that would be applied.
        #[serde(rename = "max-amount")]
        max_amount: u64,
    },
    /// It is a check.
    Checked {
        /// Whether the check passed.
        passed: bool,
    },
}

/// The figures of a refusal.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FiguresJson {
    /// The value that was requested or would result.
    #[schemars(with = "String")]
    value: Decimal,
    /// The limit, or the number present.
    #[schemars(with = "String")]
    limit: Decimal,
}

/// A line that failed.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct FailureJson {
    /// Its line.
    line: usize,
    /// Its column.
    column: usize,
    /// The number of the step, from 1; `null` for a check at the end.
    step: Option<usize>,
    /// For a line of shared steps: the line of the scenario that calls them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    call_line: Option<usize>,
    /// The text of the line.
    text: String,
    #[serde(flatten)]
    finding: FindingJson,
}

/// The difference between expectation and result.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum FindingJson {
    /// An operation had a different result.
    Answer {
        /// The expected result.
        expected: String,
        /// The actual result.
        found: String,
        /// If it was refused: every reason.
        reasons: Vec<String>,
    },
    /// A place has different contents.
    Contents {
        /// The place.
        place: String,
        /// Each sort of item that is expected or present.
        contents: Vec<RowJson>,
    },
    /// A number is different.
    Measure {
        /// The quantity.
        measure: String,
        /// The comparison, such as `<=`.
        comparison: String,
        /// The expected value.
        #[schemars(with = "String")]
        expected: Decimal,
        /// The quantity whose value that is; missing for a number.
        #[serde(skip_serializing_if = "Option::is_none")]
        expected_of: Option<String>,
        /// The actual value.
        #[schemars(with = "String")]
        found: Decimal,
    },
    /// A list is different.
    List {
        /// The name of the list.
        list: String,
        /// The expected entries.
        expected: Vec<String>,
        /// The actual entries.
        found: Vec<String>,
    },
    /// The world differs from a snapshot.
    Worlds {
        /// The snapshot.
        snapshot: String,
        /// Each place that differs.
        differences: Vec<DifferenceJson>,
    },
    /// The world violates a law.
    Law {
        /// The findings of the audit.
        violations: Vec<String>,
    },
    /// A name refers to nothing in the present world.
    Unresolved {
        /// Why.
        found: String,
    },
}

/// One sort of item.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RowJson {
    /// The kind with its marks and properties.
    item: String,
    /// The expected number.
    expected: Option<u64>,
    /// The actual number.
    found: u64,
    /// Whether the number is as expected.
    matches: bool,
}

/// A place that differs.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DifferenceJson {
    /// The place.
    place: String,
    /// Its contents in the snapshot.
    before: String,
    /// Its present contents.
    after: String,
}

impl VerifyJson {
    pub(crate) fn new<'r>(
        reports: impl Iterator<Item = (&'r Source, &'r ScenarioReport)>,
        errors: &[InputError],
    ) -> VerifyJson {
        let (mut scenarios, mut failed) = (Vec::new(), 0);
        for (source, report) in reports {
            failed += usize::from(!report.passed());
            scenarios.push(scenario_json(source, report));
        }
        VerifyJson { passed: scenarios.len() - failed, scenarios, failed, diagnostics: errors_json(errors).0 }
    }
}

pub(crate) fn scenario_json(source: &Source, report: &ScenarioReport) -> ScenarioJson {
    ScenarioJson {
        file: source.name().to_owned(),
        line: source.line_column(report.span().start()).line,
        title: report.title().to_owned(),
        row: report.row(),
        verdict: if report.passed() { VerdictJson::Passed } else { VerdictJson::Failed },
        steps: report.operations(),
        checks: report.checks(),
        step_reports: report.steps().iter().map(|step| step_json(source, step)).collect(),
        failures: report.failures().iter().map(|failure| failure_json(source, failure)).collect(),
    }
}

fn step_json(source: &Source, step: &StepReport) -> StepJson {
    let answer = match &step.answer {
        Answer::Applied { outcome, .. } => AnswerJson::Applied { done: outcome.done(), requested: outcome.requested() },
        Answer::Refused { refusal, because } => AnswerJson::Refused {
            refused: refusal.reason().code().to_owned(),
            explanation: because.clone(),
            figures: refusal.cause().figures().map(|(value, limit)| FiguresJson { value, limit }),
            max_amount: refusal.max_amount(),
        },
        Answer::Unresolved(why) => AnswerJson::Refused {
            refused: "unknown".to_owned(),
            explanation: why.clone(),
            figures: None,
            max_amount: 0,
        },
        Answer::Checked { passed } => AnswerJson::Checked { passed: *passed },
    };
    let line = source.line_column(step.span.start()).line;
    StepJson { line, text: step.sentence.clone(), answer, events: step.events.clone() }
}

fn failure_json(source: &Source, failure: &Failure) -> FailureJson {
    let at = source.line_column(failure.span.start());
    FailureJson {
        line: at.line,
        column: at.column,
        step: failure.step,
        call_line: failure.called_at.map(|span| source.line_column(span.start()).line),
        text: failure.sentence.clone(),
        finding: finding_json(&failure.finding),
    }
}

fn finding_json(finding: &Finding) -> FindingJson {
    match finding.clone() {
        Finding::Answer { expected, found, reasons } => FindingJson::Answer { expected, found, reasons },
        Finding::Contents { place, rows } => {
            let rows = rows.into_iter();
            let contents = rows.map(|row| RowJson {
                item: row.item,
                expected: row.expected,
                found: row.found,
                matches: row.matches,
            });
            FindingJson::Contents { place, contents: contents.collect() }
        }
        Finding::Measure { what, comparison, expected, expected_of, found, .. } => {
            let comparison = comparison.symbol().to_owned();
            FindingJson::Measure { measure: what, comparison, expected, expected_of, found }
        }
        Finding::List { what, expected, found } => FindingJson::List { list: what, expected, found },
        Finding::Worlds { snapshot, differences } => {
            let differences = differences.into_iter().map(|found| DifferenceJson {
                place: found.place,
                before: found.before,
                after: found.after,
            });
            FindingJson::Worlds { snapshot, differences: differences.collect() }
        }
        Finding::Law { violations } => {
            FindingJson::Law { violations: violations.iter().map(ToString::to_string).collect() }
        }
        Finding::Unresolved(found) => FindingJson::Unresolved { found },
        other => FindingJson::Unresolved { found: format!("{other:?}") },
    }
}
