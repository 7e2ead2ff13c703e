//! compare: the differences in meaning between two rulesets, and the scenarios that change.

use std::path::PathBuf;
use std::sync::Arc;

use super::verify::load_all;
use super::{Output, Verdict, report_errors};
use crate::args::{CompareArgs, Format};
use crate::files::{InputError, load_rules};
use crate::findings::ScenarioChange;
use crate::formats::compare::CompareJson;
use crate::inputs::{FileKind, Inputs};
use crate::render::compare::draw;
use hypotheke::scenario::{ReportDetail, ResolvedScenarioFile, ScenarioReport};
use hypotheke::{Ruleset, ScenarioFile, compare};

pub(crate) fn run(output: &mut Output, args: &CompareArgs) -> Result<Verdict, InputError> {
    let (old, new) = (Arc::new(load_rules(&args.old)?), Arc::new(load_rules(&args.new)?));
    let differences = compare(&old, &new);
    let (files, errors) = load_all(&scenarios(args)?);
    let (changes, played) = changed_scenarios(&files, &old, &new);
    match output.format {
        Format::Json => output.write_json(&CompareJson::new(&differences, &changes, &errors))?,
        _ => output.write(&draw(output.page(), &differences, &changes, played))?,
    }
    if !errors.is_empty() {
        return Ok(report_errors(output, &errors));
    }
    Ok(if changes.iter().any(ScenarioChange::is_failure) { Verdict::Failed } else { Verdict::Good })
}

/// The scenarios with a different verdict, and how many ran with both rulesets.
pub(super) fn changed_scenarios(
    files: &[ScenarioFile],
    old: &Arc<Ruleset>,
    new: &Arc<Ruleset>,
) -> (Vec<ScenarioChange>, usize) {
    let mut played = 0;
    let changes = files.iter().flat_map(|file| changes_in(file, old, new, &mut played)).collect();
    (changes, played)
}

/// The named scenarios, or those of the new ruleset.
fn scenarios(args: &CompareArgs) -> Result<Vec<PathBuf>, InputError> {
    let own = [args.new.display().to_string()];
    let files = if args.scenarios.is_empty() { &own[..] } else { &args.scenarios };
    Ok(Inputs::new(files, Some(&args.new), FileKind::Scenario, false)?.scenarios)
}

/// The reports of a file with one ruleset, or why it cannot run.
fn verdicts(file: &ScenarioFile, rules: &Arc<Ruleset>) -> Result<Vec<ScenarioReport>, String> {
    let playable: ResolvedScenarioFile<'_> = file.check(rules).map_err(|errors| {
        let first = errors.diagnostics().iter().next().map(|fault| fault.message().to_owned());
        first.unwrap_or_default()
    })?;
    Ok(playable.run(ReportDetail::Failures).collect())
}

fn changes_in(file: &ScenarioFile, old: &Arc<Ruleset>, new: &Arc<Ruleset>, played: &mut usize) -> Vec<ScenarioChange> {
    let change = |title: &str, row: Option<&str>, old: &str, new: &str, explanation: String| ScenarioChange {
        file: file.source().name().to_owned(),
        title: title.to_owned(),
        row: row.map(str::to_owned),
        old: old.to_owned(),
        new: new.to_owned(),
        explanation,
    };
    match (verdicts(file, old), verdicts(file, new)) {
        (Ok(before), Ok(after)) => {
            *played += before.len();
            let pairs = before.iter().zip(&after).filter(|(before, after)| before.passed() != after.passed());
            pairs
                .map(|(before, after)| {
                    let failed = if before.passed() { after } else { before };
                    let why = failed.failures().first().map_or_else(String::new, |failure| {
                        failure.sentence.split_whitespace().collect::<Vec<_>>().join(" ")
                    });
                    change(before.title(), before.row().as_deref(), word(before), word(after), why)
                })
                .collect()
        }
        (Err(_), Err(why)) => vec![change("all scenarios", None, "cannot-run", "cannot-run", why)],
        (Err(why), Ok(_)) => vec![change("all scenarios", None, "cannot-run", "can-run", why)],
        (Ok(before), Err(why)) => {
            let held = if before.iter().all(ScenarioReport::passed) { "passed" } else { "failed" };
            vec![change("all scenarios", None, held, "cannot-run", why)]
        }
    }
}

fn word(report: &ScenarioReport) -> &'static str {
    if report.passed() { "passed" } else { "failed" }
}
