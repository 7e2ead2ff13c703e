//! Scenarios: a start, steps, and what must hold.
//!
//! A [`ScenarioFile`] is a syntax tree that keeps comments and the place of every part. [`ScenarioFile::parse`] reads one,
//! `Display` prints it in canonical layout, [`ScenarioFile::check`] looks up its names in a ruleset and
//! gives a [`ResolvedScenarioFile`], which plays the scenarios and reports as plain data.

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
mod tree;

pub use all::{RunOptions, on_threads, run_all};
pub use check::ResolvedScenarioFile;
pub use diff::PlaceDifference;
pub use error::ScenarioErrors;
pub use report::{Answer, DifferenceRow, Failure, Finding, ReportDetail, ScenarioReport, StepReport};
pub use tree::{
    Body, Check, Claim, Expected, Figures, Line, ListStep, Mode, Row, Scenario, ScenarioFile, SentRequest, SharedStart,
    SharedSteps, Start, StartBase, StartLine, Step, Together,
};
