//! coverage: which rules the scenarios really test.

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use super::verify::{check_all, load_all};
use super::{Output, Verdict};
use crate::args::{CoverageArgs, Format};
use crate::files::{InputError, load_rules, scenario_paths, threads};
use crate::formats::coverage::CoverageJson;
use crate::render::coverage::draw;
use hypotheke::coverage::{CoverageOptions, Tested, coverage};
use hypotheke::scenario::{ResolvedScenarioFile, RunOptions, run_all};

pub(crate) fn run(output: &mut Output, args: &CoverageArgs) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(&args.rules)?);
    let paths: Vec<PathBuf> = scenario_paths(&args.files, Path::new(&args.rules))?;
    let files = load_all(&paths)?;
    let playable = check_all(&files, &rules)?;
    let threads = threads(args.threads);
    must_hold(&playable, threads)?;
    let options = CoverageOptions { threads, suggest: !args.no_suggestions };
    let told = Mutex::new(&mut *output);
    let found = coverage(&rules, &playable, options, |done, all| {
        if let Ok(mut output) = told.lock() {
            output.progress(&format!("{done} of {all} rules"));
        }
    });
    output.progress("");
    match output.format {
        Format::Json => output.write_json(&CoverageJson::new(&rules, &found))?,
        _ => output.write(&draw(&rules, &found, args.show_changes, options.suggest))?,
    }
    let untested = found.count(Tested::Not) + found.count(Tested::Partly);
    Ok(if untested == 0 { Verdict::Good } else { Verdict::Failed })
}

/// What already fails can't fail because of a change.
fn must_hold(playable: &[ResolvedScenarioFile<'_>], threads: std::num::NonZeroUsize) -> Result<(), InputError> {
    let options = RunOptions { threads, fail_fast: true, ..RunOptions::default() };
    let failed = run_all(playable, |_| true, options).into_iter().find(|(_, report)| !report.passed());
    match failed {
        None => Ok(()),
        Some((_, report)) => {
            let message = format!("the scenario `{}` fails by the rules as they are", report.title());
            Err(InputError::usage(message, Some("`hypotheke verify` tells why; coverage needs scenarios that hold")))
        }
    }
}
