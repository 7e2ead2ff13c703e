//! report: everything that can be verified about a ruleset, in one file.

use std::path::Path;
use std::sync::Arc;

use super::compare::changed_scenarios;
use super::explore::{Ready, read_all, search, watch_for_the_end};
use super::saves::audit_of;
use super::verify::{all_or_errors, check_all, load_all};
use super::{Output, Verdict};
use crate::args::{Format, ReportArgs};
use crate::files::{InputError, load_rules, load_save, replace, threads, write_new};
use crate::findings::{Against, Audit, AuditedSave, ClaimCounts, Report, Searched};
use crate::formats::report::ReportJson;
use crate::inputs::{FileKind, Inputs};
use crate::render::report::counted;
use crate::render::{html, markdown, summary};
use hypotheke::coverage::{Coverage, CoverageOptions, coverage};
use hypotheke::explore::Bounds;
use hypotheke::save::SaveError;
use hypotheke::scenario::{ReportDetail, ResolvedScenarioFile, RunOptions, ScenarioReport, run_all};
use hypotheke::text::Source;
use hypotheke::{Ruleset, ScenarioFile, World, compare};

/// What the suffix of the file asks for.
#[derive(Clone, Copy)]
enum Form {
    Page,
    Summary,
}

impl Form {
    fn of(path: &Path) -> Result<Form, InputError> {
        match path.extension().and_then(|suffix| suffix.to_str()) {
            Some("html" | "htm") => Ok(Form::Page),
            Some("md" | "markdown") => Ok(Form::Summary),
            _ => {
                let message = format!("the kind of report of `{}` is unknown", path.display());
                Err(InputError::usage(message, Some("Name a file that ends in `.html` or in `.md`")))
            }
        }
    }
}

pub(crate) fn run(output: &mut Output, args: &ReportArgs) -> Result<Verdict, InputError> {
    let form = Form::of(&args.to)?;
    if args.to.is_dir() {
        let message = format!("`{}` is a folder; nothing was written", args.to.display());
        return Err(InputError::usage(message, Some("Name a file")));
    }
    // Before the work, which may take long.
    if args.to.exists() && !args.force {
        let message = format!("`{}` exists; nothing was written", args.to.display());
        return Err(InputError::usage(message, Some("Add `--force` to replace it, or name a new file")));
    }
    let report = gather(output, args)?;
    let text = match form {
        Form::Page => html::page(&report)?,
        Form::Summary => markdown::summary(&report),
    };
    match args.to.exists() {
        true => replace(&args.to, text.as_bytes())?,
        false => write_new(&args.to, text.as_bytes())?,
    }
    summarize(output, args, &report, text.len())?;
    let is_cut = report.searches.iter().any(Searched::is_incomplete);
    Ok(match (report.is_failure(), is_cut) {
        (true, _) => Verdict::Failed,
        (false, true) => Verdict::Incomplete,
        (false, false) => Verdict::Good,
    })
}

fn gather(output: &mut Output, args: &ReportArgs) -> Result<Report, InputError> {
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Ruleset, false)?;
    let path = inputs.ruleset()?;
    let rules = Arc::new(load_rules(&path)?);
    // A file with errors would be missing without a trace.
    let files = all_or_errors(load_all(&inputs.scenarios))?;
    let resolved = all_or_errors(check_all(&files, &rules))?;
    let ready = all_or_errors(read_all(&rules, &path, &inputs, false)?)?;
    let against = args.against.as_deref().map(|old| against(old, &rules, &files)).transpose()?;
    let saves = inputs.saves.iter().map(|path| audited(path, &rules)).collect::<Result<_, _>>()?;
    watch_for_the_end(args.time);
    output.progress(&format!("running {}", counted(resolved.len(), "file")));
    let options = RunOptions { detail: ReportDetail::Steps, threads: threads(args.threads), ..RunOptions::default() };
    let runs = run_all(&resolved, |_| true, options);
    let runs: Vec<(Source, ScenarioReport)> =
        runs.into_iter().map(|(file, report)| (resolved[file].file().source().clone(), report)).collect();
    let mut searches = Vec::new();
    for one in ready {
        searches.push(searched(output, args, one));
    }
    let coverage = measured(output, args, &rules, &resolved, &runs);
    output.progress("");
    let world = World::new(&rules);
    Ok(Report { path: path.display().to_string(), rules, world, runs, searches, coverage, against, saves })
}

fn searched(output: &mut Output, args: &ReportArgs, ready: Ready) -> Searched {
    let Ready { path, exploration, .. } = ready;
    let bounds = Bounds { memory: Some(args.memory.saturating_mul(1_000_000)), ..Bounds::default() };
    let exploration = exploration.within(bounds).on_threads(threads(args.threads));
    let found = search(output, path.display().to_string(), exploration, args.time);
    Searched { path, found, walks: None, concurrent: None, network_steps: None, written: Vec::new() }
}

/// Why it was not measured, if it can't be.
fn measured(
    output: &mut Output,
    args: &ReportArgs,
    rules: &Arc<Ruleset>,
    resolved: &[ResolvedScenarioFile<'_>],
    runs: &[(Source, ScenarioReport)],
) -> Result<Coverage, String> {
    if runs.is_empty() {
        return Err("There are no scenarios".to_owned());
    }
    if let Some((_, failed)) = runs.iter().find(|(_, report)| !report.passed()) {
        return Err(format!("The scenario `{}` fails, and one that fails detects no change", failed.title()));
    }
    output.progress("measuring coverage");
    let options = CoverageOptions { threads: threads(args.threads), suggest: false };
    Ok(coverage(rules, resolved, options, |_, _| {}))
}

fn against(old: &Path, rules: &Arc<Ruleset>, files: &[ScenarioFile]) -> Result<Against, InputError> {
    let earlier = Arc::new(load_rules(old)?);
    let (scenarios, runs) = changed_scenarios(files, &earlier, rules);
    Ok(Against { path: old.display().to_string(), differences: compare(&earlier, rules), scenarios, runs })
}

fn audited(path: &Path, rules: &Arc<Ruleset>) -> Result<AuditedSave, InputError> {
    let save = load_save(path, false)?;
    let audit = match save.world(rules) {
        Err(error @ SaveError::OtherRuleset { .. }) => Audit::OtherRuleset(error.to_string()),
        _ => Audit::Violations(audit_of(&save, rules).iter().map(ToString::to_string).collect()),
    };
    Ok(AuditedSave { path: path.display().to_string(), audit })
}

fn summarize(output: &mut Output, args: &ReportArgs, report: &Report, bytes: usize) -> Result<(), InputError> {
    let (failed, ClaimCounts { good, failed: failed_claims, open }) = (report.failed_scenarios(), report.claims());
    let coverage = report.coverage.as_ref().ok().map(Coverage::percent);
    if output.format == Format::Json {
        return output.write_json(&ReportJson {
            written: args.to.display().to_string(),
            bytes,
            scenarios_passed: report.runs.len() - failed,
            scenarios_failed: failed,
            claims_good: good,
            claims_failed: failed_claims,
            claims_open: open,
            coverage,
            saves_failed: report.failed_saves(),
        });
    }
    let mut page = output.page();
    page.plain(&format!("wrote  {}", args.to.display())).end();
    for line in summary::lines(report) {
        page.plain("       ").folded(line.0, &line.1);
    }
    output.write(&page.into_text())
}
