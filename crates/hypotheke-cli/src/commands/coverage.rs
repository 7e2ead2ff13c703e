//! coverage: how well the scenarios test the rules.

use std::sync::{Arc, Mutex};

use super::verify::{all_or_errors, check_all, load_all};
use super::{Output, Verdict};
use crate::args::{CoverageArgs, Format};
use crate::files::{InputError, load_rules, threads};
use crate::formats::coverage::CoverageJson;
use crate::inputs::{FileKind, Inputs};
use crate::render::coverage::draw;
use hypotheke::coverage::{CoverageOptions, Tested, coverage};
use hypotheke::scenario::{ResolvedScenarioFile, RunOptions, run_all};

pub(crate) fn run(output: &mut Output, args: &CoverageArgs) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Scenario, false)?;
    inputs.require(FileKind::Scenario)?;
    let rules = Arc::new(load_rules(&inputs.ruleset()?)?);
    // A file with errors tests nothing: the result would be of a different suite.
    let files = all_or_errors(load_all(&inputs.scenarios))?;
    let resolved = all_or_errors(check_all(&files, &rules))?;
    let threads = threads(args.threads);
    must_pass(&resolved, threads)?;
    let options = CoverageOptions { threads, suggest: !args.no_suggestions };
    let shared = Mutex::new(&mut *output);
    let found = coverage(&rules, &resolved, options, |done, all| {
        if let Ok(mut output) = shared.lock() {
            output.progress(&format!("{done} of {all} rules"));
        }
    });
    output.progress("");
    match output.format {
        Format::Json => output.write_json(&CoverageJson::new(&rules, &found))?,
        _ => output.write(&draw(output.page(), &rules, &found, args.show_changes, options.suggest, &inputs))?,
    }
    let untested = found.count(Tested::Not) + found.count(Tested::Partly);
    Ok(if untested == 0 { Verdict::Good } else { Verdict::Failed })
}

/// A scenario that already fails cannot detect a change.
fn must_pass(resolved: &[ResolvedScenarioFile<'_>], threads: std::num::NonZeroUsize) -> Result<(), InputError> {
    let options = RunOptions { threads, fail_fast: true, ..RunOptions::default() };
    let failed = run_all(resolved, |_| true, options).into_iter().find(|(_, report)| !report.passed());
    match failed {
        None => Ok(()),
        Some((_, report)) => {
            let message = format!("the scenario `{}` fails with the present rules", report.title());
            Err(InputError::usage(
                message,
                Some("Fix it first: `hypotheke verify` shows the failure. Coverage requires scenarios that pass"),
            ))
        }
    }
}
