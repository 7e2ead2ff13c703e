//! Loads a ruleset and a scenario file, runs the scenarios, and prints the result of each step.
//!
//! ```text
//! cargo run --example run_scenario [RULES.toml FILE.scenario]
//! ```

use std::error::Error;
use std::sync::Arc;

use hypotheke::scenario::{Answer, ReportDetail};
use hypotheke::{Ruleset, ScenarioFile};

fn main() -> Result<(), Box<dyn Error>> {
    let demo = concat!(env!("CARGO_MANIFEST_DIR"), "/../hypotheke-cli/demo");
    let mut arguments = std::env::args().skip(1);
    let rules_path = arguments.next().unwrap_or(format!("{demo}/rules.toml"));
    let scenario_path = arguments.next().unwrap_or(format!("{demo}/scenarios/sled.scenario"));

    let rules = Arc::new(Ruleset::load(rules_path)?);
    let file = ScenarioFile::load(scenario_path)?;
    for report in file.check(&rules)?.run(ReportDetail::Steps) {
        println!("{} {}", if report.passed() { "holds:" } else { "FAILS:" }, report.title());
        for step in report.steps() {
            let answer = match &step.answer {
                Answer::Applied { verb, outcome } => format!("{verb} {}", outcome.done()),
                Answer::Refused { refusal, because } => format!("refused, {}: {because}", refusal.reason()),
                Answer::Unresolved(why) => format!("refused, unknown: {why}"),
                Answer::Checked { passed } => format!("passed: {passed}"),
            };
            println!("    {}\n        {answer}", step.sentence);
        }
    }
    Ok(())
}
