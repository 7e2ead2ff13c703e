//! What `verify --format json` writes.

use hypotheke::Decimal;
use hypotheke::scenario::{Answer, Failure, Finding, ScenarioReport, StepReport};
use hypotheke::text::Source;
use schemars::JsonSchema;
use serde::Serialize;

/// What playing scenarios came to.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct VerifyJson {
    /// Each scenario, or each row of its table.
    scenarios: Vec<ScenarioJson>,
    /// How many hold.
    held: usize,
    /// How many fail.
    failed: usize,
}

/// What the demo's scenarios came to.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DemoJson<'d> {
    /// What the demo's ruleset is called.
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
    /// What it is about.
    title: String,
    /// The row of its table, such as `drums 4, taken 3`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    row: Option<String>,
    verdict: VerdictJson,
    /// How many operations were played.
    steps: usize,
    /// How many things that must hold were looked at.
    checks: usize,
    /// Each step, with `--steps`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    trace: Vec<StepJson>,
    /// What failed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    failures: Vec<FailureJson>,
}

/// Whether all came as it was expected.
#[derive(Clone, Copy, Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum VerdictJson {
    /// It did.
    Holds,
    /// It did not.
    Fails,
}

/// A step and its answer.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct StepJson {
    /// Its line.
    line: usize,
    /// What it says.
    sentence: String,
    answer: AnswerJson,
    /// What changed, in words.
    events: Vec<String>,
}

/// What a step came to.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum AnswerJson {
    /// It was applied, in full or in part.
    Applied {
        /// How many went.
        applied: u64,
        /// How many of those that were asked for did not.
        left: u64,
    },
    /// It was refused.
    Refused {
        /// The reason.
        refused: String,
        /// The reason in words.
        because: String,
        /// What was asked for, or would be, and what is allowed, or there.
        figures: Option<FiguresJson>,
        /// How many could go.
        could: u64,
    },
    /// It says what must hold.
    Checked {
        /// Whether it does.
        holds: bool,
    },
}

/// The figures of a refusal.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FiguresJson {
    /// What was asked for, or would be.
    #[schemars(with = "String")]
    asked: Decimal,
    /// What is allowed, or there.
    #[schemars(with = "String")]
    allowed: Decimal,
}

/// A line that failed.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct FailureJson {
    /// Its line.
    line: usize,
    /// Its column.
    column: usize,
    /// The number of the step, from 1; none at the end.
    step: Option<usize>,
    /// If it belongs to shared steps: the line where the scenario asks for them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    called: Option<usize>,
    /// What the line says.
    sentence: String,
    #[serde(flatten)]
    finding: FindingJson,
}

/// What is wrong.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
pub(crate) enum FindingJson {
    /// An answer is not what the line says.
    Answer {
        /// What the line says.
        expected: String,
        /// What it came to.
        found: String,
        /// If it was refused: every check that fails.
        reasons: Vec<String>,
    },
    /// A place does not hold what the line says.
    Contents {
        /// The place.
        place: String,
        /// Each sort of item that is listed or lies there.
        contents: Vec<RowJson>,
    },
    /// A number is not what the line says.
    Measure {
        /// What was measured.
        measure: String,
        /// How it was compared.
        comparison: String,
        /// With what.
        #[schemars(with = "String")]
        expected: Decimal,
        /// What it is.
        #[schemars(with = "String")]
        found: Decimal,
    },
    /// A list is not what the line says.
    List {
        /// What it is a list of.
        list: String,
        /// What the line says.
        expected: Vec<String>,
        /// What it is.
        found: Vec<String>,
    },
    /// The world is not as it was.
    Worlds {
        /// The moment with which it was compared.
        moment: String,
        /// Each place that differs.
        differences: Vec<DifferenceJson>,
    },
    /// The world breaks a law.
    Law {
        /// What an audit finds.
        violations: Vec<String>,
    },
    /// A name leads nowhere in the world as it is.
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
    /// How many the line lists.
    expected: Option<u64>,
    /// How many lie there.
    found: u64,
    /// Whether that is as it should be.
    holds: bool,
}

/// A place that differs.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DifferenceJson {
    /// The place.
    place: String,
    /// What was there.
    then: String,
    /// What is there.
    now: String,
}

impl VerifyJson {
    pub(crate) fn new<'r>(reports: impl Iterator<Item = (&'r Source, &'r ScenarioReport)>) -> VerifyJson {
        let (mut scenarios, mut failed) = (Vec::new(), 0);
        for (source, report) in reports {
            failed += usize::from(!report.passed());
            scenarios.push(scenario_json(source, report));
        }
        VerifyJson { held: scenarios.len() - failed, scenarios, failed }
    }
}

pub(crate) fn scenario_json(source: &Source, report: &ScenarioReport) -> ScenarioJson {
    ScenarioJson {
        file: source.name().to_owned(),
        line: source.line_column(report.span().start()).line,
        title: report.title().to_owned(),
        row: report.row().map(str::to_owned),
        verdict: if report.passed() { VerdictJson::Holds } else { VerdictJson::Fails },
        steps: report.played(),
        checks: report.checks(),
        trace: report.steps().iter().map(|step| step_json(source, step)).collect(),
        failures: report.failures().iter().map(|failure| failure_json(source, failure)).collect(),
    }
}

fn step_json(source: &Source, step: &StepReport) -> StepJson {
    let answer = match &step.answer {
        Answer::Applied { outcome, .. } => AnswerJson::Applied { applied: outcome.done(), left: outcome.left() },
        Answer::Refused { refusal, because } => AnswerJson::Refused {
            refused: refusal.reason().code().to_owned(),
            because: because.clone(),
            figures: refusal.cause().figures().map(|(asked, allowed)| FiguresJson { asked, allowed }),
            could: refusal.could(),
        },
        Answer::Unresolved(why) => {
            AnswerJson::Refused { refused: "unknown".to_owned(), because: why.clone(), figures: None, could: 0 }
        }
        Answer::Checked { holds } => AnswerJson::Checked { holds: *holds },
    };
    let line = source.line_column(step.span.start()).line;
    StepJson { line, sentence: step.sentence.clone(), answer, events: step.events.clone() }
}

fn failure_json(source: &Source, failure: &Failure) -> FailureJson {
    let at = source.line_column(failure.span.start());
    FailureJson {
        line: at.line,
        column: at.column,
        step: failure.step,
        called: failure.called.map(|span| source.line_column(span.start()).line),
        sentence: failure.sentence.clone(),
        finding: finding_json(&failure.finding),
    }
}

fn finding_json(finding: &Finding) -> FindingJson {
    match finding.clone() {
        Finding::Answer { expected, found, reasons } => FindingJson::Answer { expected, found, reasons },
        Finding::Contents { place, rows } => {
            let rows = rows.into_iter();
            let contents =
                rows.map(|row| RowJson { item: row.item, expected: row.expected, found: row.found, holds: row.holds });
            FindingJson::Contents { place, contents: contents.collect() }
        }
        Finding::Measure { what, comparison, expected, found, .. } => {
            FindingJson::Measure { measure: what, comparison: comparison.symbol().to_owned(), expected, found }
        }
        Finding::List { what, expected, found } => FindingJson::List { list: what, expected, found },
        Finding::Worlds { moment, differences } => {
            let told = differences.into_iter();
            let told = told.map(|found| DifferenceJson { place: found.place, then: found.then, now: found.now });
            FindingJson::Worlds { moment, differences: told.collect() }
        }
        Finding::Law { violations } => {
            FindingJson::Law { violations: violations.iter().map(ToString::to_string).collect() }
        }
        Finding::Unresolved(found) => FindingJson::Unresolved { found },
        other => FindingJson::Unresolved { found: format!("{other:?}") },
    }
}
