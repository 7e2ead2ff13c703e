//! verify: runs scenarios and reports which pass.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::{Output, Verdict, report_errors};
use crate::args::{Format, VerifyArgs};
use crate::files::{InputError, load_rules, load_scenarios, threads};
use crate::formats::verify::{VerifyJson, scenario_json};
use crate::inputs::{FileKind, Inputs, quoted};
use crate::render::junit;
use crate::render::report::{self, counted};
use crate::render::{Page, Tone, clip};
use hypotheke::scenario::{
    ReportDetail, ResolvedScenarioFile, RunOptions, Scenario, ScenarioReport, on_threads, run_all,
};
use hypotheke::text::Source;
use hypotheke::{LoadError, Ruleset, ScenarioFile};

/// The counts of a run.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct ScenarioCounts {
    pub(super) scenarios: usize,
    pub(super) failed: usize,
    steps: usize,
    checks: usize,
}

impl ScenarioCounts {
    pub(super) fn add(&mut self, report: &ScenarioReport) {
        self.scenarios += 1;
        self.failed += usize::from(!report.passed());
        self.steps += report.operations();
        self.checks += report.checks();
    }
}

pub(crate) fn run(output: &mut Output, args: &VerifyArgs) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Scenario, false)?;
    inputs.require(FileKind::Scenario)?;
    let rules = Arc::new(load_rules(&inputs.ruleset()?)?);
    let (files, unreadable) = load_all(&inputs.scenarios);
    let (resolved, unresolved) = check_all(&files, &rules);
    let errors: Vec<InputError> = unreadable.into_iter().chain(unresolved).collect();
    if resolved.is_empty() {
        return Err(InputError::Several(errors));
    }
    check_only(&files, args)?;
    output.progress(&format!("running {}", counted(resolved.len(), "file")));
    let options = RunOptions {
        detail: if args.steps { ReportDetail::Steps } else { ReportDetail::Failures },
        threads: threads(args.threads),
        fail_fast: args.fail_fast,
    };
    let reports = run_all(&resolved, |scenario| is_chosen(scenario, &args.only), options);
    output.progress("");
    let mut tally = ScenarioCounts::default();
    reports.iter().for_each(|(_, report)| tally.add(report));
    let all = || reports.iter().map(|(file, report)| (resolved[*file].file().source(), report));
    match output.format {
        Format::Json => output.write_json(&VerifyJson::new(all(), &errors))?,
        Format::Junit => output.write(&junit::text(all(), &errors)?)?,
        _ => draw(output, all(), tally, args, &inputs)?,
    }
    Ok(match (errors.is_empty(), tally.failed) {
        (false, _) => report_errors(output, &errors),
        (true, 0) => Verdict::Good,
        (true, _) => Verdict::Failed,
    })
}

fn is_chosen(scenario: &Scenario, only: &[String]) -> bool {
    let title = scenario.title.as_str().to_lowercase();
    only.is_empty() || only.iter().any(|name| title.contains(&name.to_lowercase()))
}

/// Each text of `--only` must occur in a title.
fn check_only(files: &[ScenarioFile], args: &VerifyArgs) -> Result<(), InputError> {
    for name in &args.only {
        let found = files.iter().flat_map(ScenarioFile::scenarios);
        if !found.into_iter().any(|scenario| is_chosen(scenario, std::slice::from_ref(name))) {
            let help = "Write a part of the title; case does not matter";
            return Err(InputError::usage(format!("no scenario has `{}` in its title", clip(name, 60)), Some(help)));
        }
    }
    Ok(())
}

fn draw<'r>(
    output: &mut Output,
    reports: impl Iterator<Item = (&'r Source, &'r ScenarioReport)>,
    tally: ScenarioCounts,
    args: &VerifyArgs,
    inputs: &Inputs,
) -> Result<(), InputError> {
    let mut page = output.page();
    let reports: Vec<(&Source, &ScenarioReport)> = reports.collect();
    for of_file in reports.chunk_by(|(one, _), (other, _)| one.name() == other.name()) {
        let source = of_file[0].0;
        let of_file: Vec<&ScenarioReport> = of_file.iter().map(|(_, report)| *report).collect();
        if args.list || args.steps {
            page.rest(Tone::Heading, source.name()).end();
            report::draw_file(&mut page, source, &of_file);
            page.blank();
        } else {
            let has_failed = of_file.iter().any(|report| !report.passed());
            if has_failed || !args.quiet {
                report::draw_file_line(&mut page, source, &of_file);
            }
            report::draw_failures(&mut page, source, &of_file);
        }
    }
    draw_summary(&mut page, tally);
    if args.fail_fast && tally.failed > 0 {
        page.line(Tone::Plain, "stopped at the first failure (`--fail-fast`)");
    }
    let failed = reports.iter().find(|(_, report)| !report.passed()).filter(|_| !args.steps);
    if let Some((_, report)) = failed {
        page.next(&format!("hypotheke verify{} --steps --only {}", inputs.pasted(), quoted(report.title())));
    }
    output.write(&page.into_text())
}

pub(super) fn draw_summary(page: &mut Page, tally: ScenarioCounts) {
    let passed = tally.scenarios - tally.failed;
    let sizes = format!("{}, {}", counted(tally.steps, "step"), counted(tally.checks, "check"));
    if tally.failed == 0 {
        page.put(Tone::Good, &format!("{} passed", counted(tally.scenarios, "scenario")));
    } else {
        page.put(Tone::Bad, &format!("{} of {} FAILED", tally.failed, counted(tally.scenarios, "scenario")));
        page.put(Tone::Plain, &format!(", {passed} passed"));
    }
    page.plain(&format!("   {sizes}")).end();
}

/// Reads all files. Files with errors do not stop the others.
pub(super) fn load_all(paths: &[PathBuf]) -> (Vec<ScenarioFile>, Vec<InputError>) {
    parted(on_threads(paths, threads(None), |_, path| load_scenarios(path)))
}

/// Resolves the names of all files. Files with errors do not stop the others.
pub(super) fn check_all<'f>(
    files: &'f [ScenarioFile],
    rules: &Arc<Ruleset>,
) -> (Vec<ResolvedScenarioFile<'f>>, Vec<InputError>) {
    let failed = |error| InputError::Load(LoadError::Scenario(error));
    parted(on_threads(files, threads(None), |_, file| file.check(rules).map_err(failed)))
}

/// The results and the errors, each in order.
pub(super) fn parted<T>(results: Vec<Result<T, InputError>>) -> (Vec<T>, Vec<InputError>) {
    let (mut good, mut errors) = (Vec::new(), Vec::new());
    for result in results {
        match result {
            Ok(item) => good.push(item),
            Err(error) => errors.push(error),
        }
    }
    (good, errors)
}

/// All results, or every error.
pub(super) fn all_or_errors<T>((good, errors): (Vec<T>, Vec<InputError>)) -> Result<Vec<T>, InputError> {
    if errors.is_empty() { Ok(good) } else { Err(InputError::Several(errors)) }
}

/// The folders to watch for changes: those of the ruleset with its tables, and of the scenarios.
pub(crate) fn watched(args: &VerifyArgs) -> Result<Vec<PathBuf>, InputError> {
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Scenario, false)?;
    let folder = |path: &Path| match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    };
    let mut paths = vec![folder(&inputs.ruleset()?)];
    paths.extend(inputs.scenarios.iter().map(|path| folder(path)));
    paths.extend(args.files.iter().map(PathBuf::from).filter(|path| path.is_dir()));
    paths.sort();
    paths.dedup();
    Ok(paths)
}

/// The reports as plain data.
pub(super) fn results<'r>(
    reports: impl Iterator<Item = (&'r Source, &'r ScenarioReport)>,
) -> Vec<crate::formats::verify::ScenarioJson> {
    reports.map(|(source, report)| scenario_json(source, report)).collect()
}
