//! The report of a scenario, as plain data.

use std::sync::Arc;

use super::diff::PlaceDifference;
use crate::audit::Violation;
use crate::filter::Comparison;
use crate::id::ContainerId;
use crate::ops::{Outcome, Refusal};
use crate::quantity::Decimal;
use crate::text::Span;
use crate::world::World;

/// The detail of a report.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum ReportDetail {
    /// Failures only.
    #[default]
    Failures,
    /// Every step with its result and its events.
    Steps,
}

/// The result of a scenario.
#[derive(Clone, Debug)]
#[must_use = "a scenario may have failed; check `passed`"]
pub struct ScenarioReport {
    pub(super) title: String,
    pub(super) span: Span,
    pub(super) columns: Arc<[String]>,
    pub(super) cells: Vec<String>,
    pub(super) operations: usize,
    pub(super) checks: usize,
    pub(super) steps: Vec<StepReport>,
    pub(super) failures: Vec<Failure>,
    pub(super) start: Option<Box<World>>,
    pub(super) end: Option<Box<World>>,
}

impl ScenarioReport {
    /// The title of the scenario.
    #[must_use]
    pub fn title(&self) -> &str {
        &self.title
    }

    /// The location of its title, or of the row of its table.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }

    /// The names of the columns of the scenario's table; empty without a table.
    #[must_use]
    pub fn columns(&self) -> &[String] {
        &self.columns
    }

    /// The row of the scenario's table: one value for each column; empty without a table.
    #[must_use]
    pub fn cells(&self) -> &[String] {
        &self.cells
    }

    /// The row in words, such as `drums 4, taken 3`.
    #[must_use]
    pub fn row(&self) -> Option<String> {
        (!self.cells.is_empty()).then(|| row_text(self.columns.iter().zip(&self.cells)))
    }

    /// True if every result and every check was as expected.
    #[must_use]
    pub fn passed(&self) -> bool {
        self.failures.is_empty()
    }

    /// The number of operations.
    #[must_use]
    pub fn operations(&self) -> usize {
        self.operations
    }

    /// The number of checks that were made.
    #[must_use]
    pub fn checks(&self) -> usize {
        self.checks
    }

    /// Each step; only with [`ReportDetail::Steps`].
    #[must_use]
    pub fn steps(&self) -> &[StepReport] {
        &self.steps
    }

    /// The failures: one step, which ends the run, or every failed check at the end.
    #[must_use]
    pub fn failures(&self) -> &[Failure] {
        &self.failures
    }

    /// The same without its steps: what failed, alone.
    #[must_use = "it is a new report"]
    pub fn without_steps(self) -> ScenarioReport {
        ScenarioReport { steps: Vec::new(), ..self }
    }

    /// The world at the start; only with [`ReportDetail::Steps`].
    #[must_use]
    pub fn start(&self) -> Option<&World> {
        self.start.as_deref()
    }

    /// The world at the end; only with [`ReportDetail::Steps`].
    #[must_use]
    pub fn end(&self) -> Option<&World> {
        self.end.as_deref()
    }
}

/// `column cell, column cell`
pub(super) fn row_text(pairs: impl Iterator<Item = (impl std::fmt::Display, impl std::fmt::Display)>) -> String {
    pairs.map(|(column, cell)| format!("{column} {cell}")).collect::<Vec<_>>().join(", ")
}

/// A step and its result.
#[derive(Clone, Debug)]
pub struct StepReport {
    /// Its text.
    pub sentence: String,
    /// Its location.
    pub span: Span,
    /// Its result.
    pub answer: Answer,
    /// The changes, in words.
    pub events: Vec<String>,
}

/// The result of a step.
#[derive(Clone, Debug)]
pub enum Answer {
    /// It was applied, in full or in part.
    Applied {
        /// The past form of the verb: `moved`, `picked up`.
        verb: &'static str,
        /// The amount.
        outcome: Outcome,
    },
    /// It was refused.
    Refused {
        /// The refusal.
        refusal: Refusal,
        /// The reason in words.
        because: String,
    },
    /// A name refers to nothing in the present world.
    Unresolved(String),
    /// A `now` line.
    Checked {
        /// Whether the check passed.
        passed: bool,
    },
}

/// An expectation that was not met.
#[derive(Clone, Debug)]
pub struct Failure {
    /// The text of the line.
    pub sentence: String,
    /// Its location.
    pub span: Span,
    /// The number of the step, from 1; `None` at the end.
    pub step: Option<usize>,
    /// For a line of shared steps: the location of the call.
    pub called_at: Option<Span>,
    /// The difference.
    pub finding: Finding,
    /// The containers that the failure is about, for drawing.
    pub places: Vec<ContainerId>,
    /// The world at the time of the failure.
    pub world: World,
    /// The world before the latest step; at the end, the world at the start.
    pub before: Option<World>,
}

/// A difference between expectation and result.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Finding {
    /// An operation had a different result.
    Answer {
        /// The expected result, in words.
        expected: String,
        /// The actual result, in words.
        found: String,
        /// If it was refused: every reason, in words and in order.
        reasons: Vec<String>,
    },
    /// A place has different contents.
    Contents {
        /// The place.
        place: String,
        /// Each sort of item that is expected or present.
        rows: Vec<DifferenceRow>,
    },
    /// A number is different.
    Measure {
        /// The quantity, such as `weight of sled`.
        what: String,
        /// The comparison.
        comparison: Comparison,
        /// The expected value.
        expected: Decimal,
        /// The quantity whose value that is, such as `weight of sled at start`; `None` for a number.
        expected_of: Option<String>,
        /// The actual value.
        found: Decimal,
        /// The unit of both values; may be empty.
        unit: String,
    },
    /// A list is different.
    List {
        /// The name of the list, such as `events`.
        what: String,
        /// The expected entries.
        expected: Vec<String>,
        /// The actual entries.
        found: Vec<String>,
    },
    /// The world differs from a snapshot.
    Worlds {
        /// The name of the snapshot.
        snapshot: String,
        /// Each place that differs.
        differences: Vec<PlaceDifference>,
    },
    /// The world violates a law after the step. No ruleset allows that: it is a defect of the
    /// library.
    Law {
        /// The findings of the audit.
        violations: Vec<Violation>,
    },
    /// A name leads nowhere in the world as it is.
    Unresolved(String),
}

/// One sort of item: the expected number and the actual number.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DifferenceRow {
    /// The kind with its marks and properties.
    pub item: String,
    /// The expected number; `None` if the line does not list it.
    pub expected: Option<u64>,
    /// The actual number.
    pub found: u64,
    /// Whether the number is as expected.
    pub matches: bool,
}
