//! What playing a scenario came to, as plain data.

use super::diff::PlaceDifference;
use crate::audit::Violation;
use crate::filter::Comparison;
use crate::id::ContainerId;
use crate::ops::{Outcome, Refusal};
use crate::quantity::Decimal;
use crate::text::Span;
use crate::world::World;

/// How much a report tells.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Trace {
    /// Only what failed.
    #[default]
    Failures,
    /// Every step with its answer and its events.
    Steps,
}

/// What playing a scenario came to.
#[derive(Clone, Debug)]
#[must_use = "a scenario may have failed; ask `passed`"]
pub struct ScenarioReport {
    pub(super) title: String,
    pub(super) span: Span,
    pub(super) row: Option<String>,
    pub(super) played: usize,
    pub(super) checks: usize,
    pub(super) steps: Vec<StepReport>,
    pub(super) failures: Vec<Failure>,
    pub(super) end: Option<Box<World>>,
}

impl ScenarioReport {
    /// What the scenario is about.
    #[must_use]
    pub fn title(&self) -> &str {
        &self.title
    }

    /// Where its title stands, or the row of its table.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }

    /// The row of the scenario's table for which it was played, such as `drums 4, taken 3`.
    #[must_use]
    pub fn row(&self) -> Option<&str> {
        self.row.as_deref()
    }

    /// True if all came as it was expected.
    #[must_use]
    pub fn passed(&self) -> bool {
        self.failures.is_empty()
    }

    /// How many operations were played.
    #[must_use]
    pub fn played(&self) -> usize {
        self.played
    }

    /// How many things that must hold were looked at.
    #[must_use]
    pub fn checks(&self) -> usize {
        self.checks
    }

    /// Each step, if they were asked for with [`Trace::Steps`].
    #[must_use]
    pub fn steps(&self) -> &[StepReport] {
        &self.steps
    }

    /// What failed: one step, after which nothing more was played, or all that does not hold at the end.
    #[must_use]
    pub fn failures(&self) -> &[Failure] {
        &self.failures
    }

    /// The world in which it ended; only with [`Trace::Steps`].
    #[must_use]
    pub fn end(&self) -> Option<&World> {
        self.end.as_deref()
    }
}

/// One step and its answer.
#[derive(Clone, Debug)]
pub struct StepReport {
    /// As it is written.
    pub sentence: String,
    /// Where.
    pub span: Span,
    /// What it came to.
    pub answer: Answer,
    /// What changed, in words.
    pub events: Vec<String>,
}

/// What a step came to.
#[derive(Clone, Debug)]
pub enum Answer {
    /// It was applied, in full or in part.
    Applied {
        /// What was done: `moved`, `picked up`.
        verb: &'static str,
        /// How much.
        outcome: Outcome,
    },
    /// It was refused.
    Refused {
        /// Why.
        refusal: Refusal,
        /// Why, in words.
        because: String,
    },
    /// A name in it leads nowhere in the world as it is.
    Unresolved(String),
    /// A `now` line.
    Checked {
        /// Whether it holds.
        holds: bool,
    },
}

/// What was expected beside what was.
#[derive(Clone, Debug)]
pub struct Failure {
    /// The line that failed, as it is written.
    pub sentence: String,
    /// Where it stands.
    pub span: Span,
    /// The number of the step, from 1; none at the end.
    pub step: Option<usize>,
    /// If the line belongs to shared steps: where the scenario asks for them.
    pub called: Option<Span>,
    /// What is wrong.
    pub finding: Finding,
    /// The containers that have to do with it, to be drawn as they were at that moment.
    pub places: Vec<ContainerId>,
    /// The world at that moment.
    pub world: World,
    /// The world before the latest step; at the end, the world at the start.
    pub before: Option<World>,
}

/// What is wrong.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Finding {
    /// A step did not come to what its line says.
    Answer {
        /// What its line says, in words.
        expected: String,
        /// What it came to, in words.
        found: String,
        /// If it was refused: every check that fails, in words, the first of them first.
        reasons: Vec<String>,
    },
    /// A place does not hold what the line says.
    Contents {
        /// The place.
        place: String,
        /// Each sort of item that is listed or lies there.
        rows: Vec<DifferenceRow>,
    },
    /// A number is not what the line says.
    Measure {
        /// What was measured, such as `weight of sled`.
        what: String,
        /// How it was compared.
        comparison: Comparison,
        /// With what.
        expected: Decimal,
        /// What it is.
        found: Decimal,
        /// The unit of both; may be empty.
        unit: String,
    },
    /// A list is not what the line says.
    List {
        /// What the list is of, such as `events`.
        what: String,
        /// What the line says, item by item.
        expected: Vec<String>,
        /// What it is, item by item.
        found: Vec<String>,
    },
    /// Two worlds that should be the same differ.
    Worlds {
        /// The moment with which the world was compared.
        moment: String,
        /// Each place that differs.
        differences: Vec<PlaceDifference>,
    },
    /// The world breaks a law after the step. No rules bring that about: it is a fault of the program.
    Law {
        /// What an audit finds.
        violations: Vec<Violation>,
    },
    /// A name leads nowhere in the world as it is.
    Unresolved(String),
}

/// One sort of item: how many should lie there, and how many do.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DifferenceRow {
    /// The kind with its marks and properties.
    pub item: String,
    /// How many the line lists; none if it does not.
    pub expected: Option<u64>,
    /// How many lie there.
    pub found: u64,
    /// Whether this row is as it should be.
    pub holds: bool,
}
