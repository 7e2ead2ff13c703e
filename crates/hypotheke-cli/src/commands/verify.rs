//! verify: plays scenarios and says which hold.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::{Output, Verdict};
use crate::args::{Format, VerifyArgs};
use crate::files::{InputError, load_rules, load_scenarios, scenario_paths, threads};
use crate::formats::verify::{VerifyJson, scenario_json};
use crate::render::junit;
use crate::render::report::{self, counted};
use crate::render::{Page, Tone, clip};
use hypotheke::scenario::{
    ReportDetail, ResolvedScenarioFile, RunOptions, Scenario, ScenarioReport, on_threads, run_all,
};
use hypotheke::text::Source;
use hypotheke::{LoadError, Ruleset, ScenarioFile};

/// How much was played.
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
    let rules = Arc::new(load_rules(&args.rules)?);
    let paths = scenario_paths(&args.files, &args.rules)?;
    let files = load_all(&paths)?;
    let playable = check_all(&files, &rules)?;
    check_only(&files, args)?;
    output.progress(&format!("playing {}", counted(files.len(), "file")));
    let options = RunOptions {
        detail: if args.steps { ReportDetail::Steps } else { ReportDetail::Failures },
        threads: threads(args.threads),
        fail_fast: args.fail_fast,
    };
    let reports = run_all(&playable, |scenario| is_chosen(scenario, &args.only), options);
    output.progress("");
    let mut tally = ScenarioCounts::default();
    reports.iter().for_each(|(_, report)| tally.add(report));
    let told = || reports.iter().map(|(file, report)| (files[*file].source(), report));
    match output.format {
        Format::Json => output.write_json(&VerifyJson::new(told()))?,
        Format::Junit => output.write(&junit::text(told())?)?,
        _ => draw(output, told(), tally, args)?,
    }
    Ok(if tally.failed == 0 { Verdict::Good } else { Verdict::Failed })
}

fn is_chosen(scenario: &Scenario, only: &[String]) -> bool {
    let title = scenario.title.as_str().to_lowercase();
    only.is_empty() || only.iter().any(|name| title.contains(&name.to_lowercase()))
}

/// Each name that is requested must be found.
fn check_only(files: &[ScenarioFile], args: &VerifyArgs) -> Result<(), InputError> {
    for name in &args.only {
        let found = files.iter().flat_map(ScenarioFile::scenarios);
        if !found.into_iter().any(|scenario| is_chosen(scenario, std::slice::from_ref(name))) {
            let help = "a part of the title is enough, in upper or lower case";
            return Err(InputError::usage(format!("no scenario is called `{}`", clip(name, 60)), Some(help)));
        }
    }
    Ok(())
}

fn draw<'r>(
    output: &mut Output,
    reports: impl Iterator<Item = (&'r Source, &'r ScenarioReport)>,
    tally: ScenarioCounts,
    args: &VerifyArgs,
) -> Result<(), InputError> {
    let mut page = Page::default();
    let reports: Vec<(&Source, &ScenarioReport)> = reports.collect();
    for of_file in reports.chunk_by(|(one, _), (other, _)| one.name() == other.name()) {
        let source = of_file[0].0;
        page.line(Tone::Heading, &clip(source.name(), 100));
        report::draw_file(&mut page, source, &of_file.iter().map(|(_, report)| *report).collect::<Vec<_>>());
        page.blank();
    }
    output.write(&page.into_text())?;
    output.write(&summary(tally))?;
    if args.fail_fast && tally.failed > 0 {
        let mut page = Page::default();
        page.line(Tone::Faint, "       stopped at the first that fails, as `--stop-at-first` asks");
        output.write(&page.into_text())?;
    }
    Ok(())
}

pub(super) fn summary(tally: ScenarioCounts) -> String {
    let mut page = Page::default();
    let held = tally.scenarios - tally.failed;
    let sizes = format!("{}, {}", counted(tally.steps, "step"), counted(tally.checks, "check"));
    if tally.failed == 0 {
        page.put(Tone::Good, &format!("all {} hold", counted(tally.scenarios, "scenario")));
        page.put(Tone::Faint, &format!("   {sizes}")).end();
    } else {
        page.put(Tone::Bad, &format!("{} of {} failed", tally.failed, counted(tally.scenarios, "scenario")));
        page.put(Tone::Faint, &format!(", {held} held   {sizes}")).end();
        page.line(Tone::Faint, "next   `--steps` tells every step; mend the rules or what the scenario expects");
    }
    page.into_text()
}

/// Reads all files; all that is wrong in any of them is told before giving up.
pub(super) fn load_all(paths: &[PathBuf]) -> Result<Vec<ScenarioFile>, InputError> {
    all_or_faults(on_threads(paths, threads(None), |_, path| load_scenarios(path)))
}

pub(super) fn check_all<'f>(
    files: &'f [ScenarioFile],
    rules: &Arc<Ruleset>,
) -> Result<Vec<ResolvedScenarioFile<'f>>, InputError> {
    let failed = |error| InputError::Load(LoadError::Scenario(error));
    all_or_faults(on_threads(files, threads(None), |_, file| file.check(rules).map_err(failed)))
}

pub(super) fn all_or_faults<T>(results: Vec<Result<T, InputError>>) -> Result<Vec<T>, InputError> {
    let (mut good, mut faults) = (Vec::new(), Vec::new());
    for result in results {
        match result {
            Ok(item) => good.push(item),
            Err(error) => faults.push(error),
        }
    }
    if faults.is_empty() { Ok(good) } else { Err(InputError::Several(faults)) }
}

/// What is looked at while waiting for changes: the ruleset's folder, with its tables, and the scenarios.
pub(crate) fn watched(args: &VerifyArgs) -> Vec<PathBuf> {
    let folder = |path: &Path| match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.to_owned(),
        _ => PathBuf::from("."),
    };
    let mut paths = vec![folder(&args.rules)];
    for named in &args.files {
        paths.push(if named.is_dir() { named.clone() } else { folder(named) });
    }
    paths.sort();
    paths.dedup();
    paths
}

/// The reports as plain data.
pub(super) fn results<'r>(
    reports: impl Iterator<Item = (&'r Source, &'r ScenarioReport)>,
) -> Vec<crate::formats::verify::ScenarioJson> {
    reports.map(|(source, report)| scenario_json(source, report)).collect()
}
