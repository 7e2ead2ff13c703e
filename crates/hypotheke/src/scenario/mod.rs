//! Scenarios: a start, steps, and what must hold.
//!
//! A [`ScenarioFile`] is a syntax tree that keeps comments and the place of every part. [`ScenarioFile::parse`] reads one,
//! `Display` prints it in canonical layout, [`ScenarioFile::check`] looks up its names in a ruleset and
//! gives a [`PlayableFile`], which plays the scenarios and reports as plain data.

mod check;
mod error;
mod parse;
mod print;
mod report;
mod run;
mod tree;

pub use check::PlayableFile;
pub use error::ScenarioErrors;
pub use report::{Answer, DifferenceRow, Failure, Finding, ScenarioReport, StepReport, Trace};
pub use tree::{
    Check, Claim, Expected, Figures, Line, Mode, Scenario, ScenarioFile, SharedStart, Start, StartBase, StartLine, Step,
};
