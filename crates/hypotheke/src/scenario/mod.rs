//! Scenarios: a start, steps and checks.
//!
//! A [`ScenarioFile`] is a syntax tree with comments and locations. [`ScenarioFile::parse`] reads a
//! file, `Display` prints it in the standard layout, and [`ScenarioFile::check`] resolves its names
//! with a ruleset. The resulting [`ResolvedScenarioFile`] runs the scenarios and returns reports as
//! plain data.

mod all;
mod answer;
pub(crate) mod check;
pub(crate) mod checks;
mod diff;
mod error;
pub(crate) mod parse;
mod print;
mod report;
mod run;
pub(crate) mod shared;
pub(crate) mod start_lines;
mod tree;

pub use all::{RunOptions, on_threads, run_all};
pub use check::ResolvedScenarioFile;
pub use diff::{PlaceDifference, differences};
pub use error::ScenarioErrors;
pub use report::{Answer, DifferenceRow, Failure, Finding, ReportDetail, ScenarioReport, StepReport};
pub use start_lines::{contents_text, start_lines};
pub use tree::{
    Body, Check, Claim, Expected, Figures, Line, ListStep, Mode, Operand, Row, Scenario, ScenarioFile, SentRequest,
    SharedStart, SharedSteps, Start, StartBase, StartLine, Step, Together,
};
