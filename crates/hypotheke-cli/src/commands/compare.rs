//! compare: what differs in meaning between two rulesets, and which scenarios come out otherwise.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::verify::load_all;
use super::{Output, Verdict};
use crate::args::{CompareArgs, Format};
use crate::files::{InputError, load_rules, scenario_paths};
use crate::formats::compare::{CompareJson, ScenarioChange};
use crate::render::compare::draw;
use hypotheke::scenario::{ReportDetail, ResolvedScenarioFile, ScenarioReport};
use hypotheke::{Ruleset, ScenarioFile, compare};

pub(crate) fn run(output: &mut Output, args: &CompareArgs) -> Result<Verdict, InputError> {
    let (old, new) = (Arc::new(load_rules(&args.old)?), Arc::new(load_rules(&args.new)?));
    let differences = compare(&old, &new);
    let paths = paths(args)?;
    let mut changes = Vec::new();
    let mut played = 0;
    for file in &load_all(&paths)? {
        changes.extend(changes_in(file, &old, &new, &mut played));
    }
    match output.format {
        Format::Json => output.write_json(&CompareJson::new(&differences, &changes))?,
        _ => output.write(&draw(&differences, &changes, played))?,
    }
    let broken = changes.iter().any(|change| change.old == "holds" && change.new != "holds");
    Ok(if broken { Verdict::Failed } else { Verdict::Good })
}

/// The scenarios that are named, or those beside the new ruleset, if there are any.
fn paths(args: &CompareArgs) -> Result<Vec<PathBuf>, InputError> {
    let beside = args.new.parent().unwrap_or(Path::new("")).join("scenarios");
    if args.scenarios.is_empty() && !beside.is_dir() {
        return Ok(Vec::new());
    }
    scenario_paths(&args.scenarios, &args.new)
}

/// The verdict of each scenario or row by one ruleset; why the file can't be played if it can't.
fn verdicts(file: &ScenarioFile, rules: &Arc<Ruleset>) -> Result<Vec<ScenarioReport>, String> {
    let playable: ResolvedScenarioFile<'_> = file.check(rules).map_err(|errors| {
        let first = errors.diagnostics().iter().next().map(|fault| fault.message().to_owned());
        first.unwrap_or_default()
    })?;
    Ok(playable.run(ReportDetail::Failures).collect())
}

fn changes_in(file: &ScenarioFile, old: &Arc<Ruleset>, new: &Arc<Ruleset>, played: &mut usize) -> Vec<ScenarioChange> {
    let change = |title: &str, row: Option<&str>, old: &str, new: &str, why: String| ScenarioChange {
        file: file.source().name().to_owned(),
        title: title.to_owned(),
        row: row.map(str::to_owned),
        old: old.to_owned(),
        new: new.to_owned(),
        explanation: why,
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
                    change(before.title(), before.row(), word(before), word(after), why)
                })
                .collect()
        }
        (Err(_), Err(why)) => vec![change("all of it", None, "can't be played", "can't be played", why)],
        (Err(why), Ok(_)) => vec![change("all of it", None, "can't be played", "can be played", why)],
        (Ok(before), Err(why)) => {
            let held = if before.iter().all(ScenarioReport::passed) { "holds" } else { "fails" };
            vec![change("all of it", None, held, "can't be played", why)]
        }
    }
}

fn word(report: &ScenarioReport) -> &'static str {
    if report.passed() { "holds" } else { "fails" }
}
