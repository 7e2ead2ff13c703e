//! explore: a search of every reachable state, or random walks, for violations of claims.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use super::combine::{Combined, combine};
use super::verify::parted;
use super::{Output, Verdict, report_errors};
use crate::args::{ExploreArgs, Format};
use crate::files::{InputError, load_claims, load_rules, threads, write_new};
use crate::findings::Searched;
use crate::formats::diagnostics::errors_json;
use crate::formats::explore::{ExploreJson, ExploredJson};
use crate::inputs::{FileKind, Inputs};
use crate::render::chart;
use crate::render::explore::{draw, draw_combined};
use hypotheke::Ruleset;
use hypotheke::explore::{
    Bound, Bounds, ClaimsFile, ConcurrencyBounds, Exploration, ExplorationReport, InterleavingReport, Progress, Walks,
};
use hypotheke::text::system_cause;

/// Flags that end the search early.
static TIME_IS_UP: AtomicBool = AtomicBool::new(false);
static INTERRUPTED: AtomicBool = AtomicBool::new(false);

/// A claims file that is ready to be searched.
pub(super) struct Ready {
    pub(super) path: PathBuf,
    pub(super) file: ClaimsFile,
    pub(super) exploration: Exploration,
}

pub(crate) fn run(output: &mut Output, args: &ExploreArgs) -> Result<Verdict, InputError> {
    if !args.combine.is_empty() {
        return combined(output, args);
    }
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Claims, false)?;
    let path = inputs.ruleset()?;
    let rules = Arc::new(load_rules(&path)?);
    let (ready, errors) = read_all(&rules, &path, &inputs, true)?;
    if ready.is_empty() && !errors.is_empty() {
        return Err(InputError::Several(errors));
    }
    watch_for_the_end(args.time);
    let mut all = Vec::new();
    for one in ready {
        all.push(explore(output, args, one)?);
    }
    let files: Vec<ExploredJson> = all.iter().map(ExploredJson::new).collect();
    let failed = all.iter().any(Searched::is_failure);
    let cut_short = all.iter().any(Searched::is_incomplete);
    let verdict = verdict(failed, cut_short, args);
    if output.format == Format::Json {
        let (title, version) = (rules.title().to_owned(), rules.version());
        let whole = ExploreJson { title, version, files, diagnostics: errors_json(&errors).0 };
        output.write_json(&whole)?;
        chart_of(output, args, &whole.files)?;
    } else {
        let mut page = output.page();
        draw(&mut page, &all, &inputs);
        output.write(&page.into_text())?;
        chart_of(output, args, &files)?;
    }
    Ok(if errors.is_empty() { verdict } else { report_errors(output, &errors) })
}

fn verdict(failed: bool, cut_short: bool, args: &ExploreArgs) -> Verdict {
    match (failed, cut_short && !args.accept_partial) {
        (true, _) => Verdict::Failed,
        (false, true) => Verdict::Incomplete,
        (false, false) => Verdict::Good,
    }
}

/// The claims of the ruleset and of the files, and the errors of files that cannot be searched.
pub(super) fn read_all(
    rules: &Arc<Ruleset>,
    path: &Path,
    inputs: &Inputs,
    needs_claims: bool,
) -> Result<(Vec<Ready>, Vec<InputError>), InputError> {
    let names_claims = inputs.given.iter().any(|word| inputs.claims.iter().any(|path| path == Path::new(word)));
    let own = if names_claims { None } else { ClaimsFile::in_ruleset(rules)? };
    if own.is_none() && needs_claims {
        inputs.require(FileKind::Claims)?;
    }
    let own = own.map(|file| (path.to_owned(), Ok(file)));
    let files = inputs.claims.iter().map(|path| (path.clone(), load_claims(path)));
    let ready = own.into_iter().chain(files).map(|(path, file): (PathBuf, Result<ClaimsFile, InputError>)| {
        let file = file?;
        let exploration = Exploration::new(rules, &file)?;
        Ok(Ready { path, file, exploration })
    });
    Ok(parted(ready.collect()))
}

fn explore(output: &mut Output, args: &ExploreArgs, ready: Ready) -> Result<Searched, InputError> {
    let Ready { path, file, exploration } = ready;
    let bounds = Bounds { depth: args.depth, states: args.states, memory: Some(args.memory.saturating_mul(1_000_000)) };
    let threads = threads(args.threads);
    let exploration = exploration.within(bounds).on_threads(threads);
    let exploration = if args.no_symmetry { exploration.without_symmetry() } else { exploration };
    let name = path.display().to_string();
    let concurrent = args.concurrent_requests.map(|requests| interleave(output, args, &name, &exploration, requests));
    let walks = args.walks.map(|count| {
        let shard = args.shard.unwrap_or((0, 1));
        Walks { count, steps: args.steps, seed: args.seed, shard, threads }
    });
    let found = match walks {
        None => search(output, name, exploration, args.time),
        Some(walks) => exploration.walk(walks, &mut |done| {
            output.progress(&format!("{name}   {done} walks"));
            end(args.time)
        }),
    };
    output.progress("");
    let written = write(args.output.as_deref(), &path, &file, &found)?;
    Ok(Searched { path, found, walks, concurrent, network_steps: args.network_steps, written })
}

/// A search, with its progress, until the time is up.
pub(super) fn search(
    output: &mut Output,
    name: String,
    exploration: Exploration,
    time: Option<u64>,
) -> ExplorationReport {
    let mut line = ProgressLine::new(name);
    exploration.search_until(&mut |described| {
        line.tell(output, described);
        end(time)
    })
}

fn interleave(
    output: &mut Output,
    args: &ExploreArgs,
    name: &str,
    exploration: &Exploration,
    requests: u32,
) -> InterleavingReport {
    let usual = ConcurrencyBounds::default();
    let bounds =
        ConcurrencyBounds { requests, network_steps: args.network_steps.unwrap_or(usual.network_steps), ..usual };
    let found = exploration.interleaved(bounds, &mut |network_steps| {
        output.progress(&format!("{name}   concurrent requests: {network_steps} network steps"));
        end(args.time)
    });
    output.progress("");
    found
}

/// The combined results of the parts of a run.
fn combined(output: &mut Output, args: &ExploreArgs) -> Result<Verdict, InputError> {
    let Combined { whole, missing } = combine(&args.combine)?;
    let failed = whole.files.iter().any(ExploredJson::is_failure);
    let is_undecided = |file: &ExploredJson| file.claims.iter().any(|claim| claim.status == "inconclusive");
    let stopped = |file: &ExploredJson| file.stopped_by.is_some() || is_undecided(file);
    let verdict = verdict(failed, !missing.is_empty() || whole.files.iter().any(stopped), args);
    if output.format == Format::Json {
        output.write_json(&whole)?;
        chart_of(output, args, &whole.files)?;
        return Ok(verdict);
    }
    let mut page = output.page();
    draw_combined(&mut page, &whole, &missing);
    output.write(&page.into_text())?;
    chart_of(output, args, &whole.files)?;
    Ok(verdict)
}

/// Draws the chart, if requested. It comes last, so that a failure loses no results.
fn chart_of(output: &mut Output, args: &ExploreArgs, files: &[ExploredJson]) -> Result<(), InputError> {
    let Some(path) = &args.chart else { return Ok(()) };
    let text =
        chart::draw(files).map_err(|error| InputError::usage(format!("cannot draw the chart: {error}"), None))?;
    std::fs::write(path, text).map_err(|error| {
        let message = format!("cannot write `{}`: {}", path.display(), system_cause(&error));
        InputError::usage(message, Some("Name a file in an existing folder"))
    })?;
    if output.format != Format::Json {
        output.write(&format!("wrote  {}\n", path.display()))?;
    }
    Ok(())
}

/// Writes each counterexample as a separate scenario. Existing files are not replaced.
fn write(
    folder: Option<&Path>,
    path: &Path,
    file: &ClaimsFile,
    found: &ExplorationReport,
) -> Result<Vec<PathBuf>, InputError> {
    let Some(folder) = folder else { return Ok(Vec::new()) };
    std::fs::create_dir_all(folder)?;
    let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let mut written = Vec::new();
    for (nth, verdict) in (1..).zip(&found.verdicts) {
        if let Some(text) = file.scenario_of(verdict) {
            let to = folder.join(format!("{stem}-{nth}.scenario"));
            write_new(&to, text.as_bytes())?;
            written.push(to);
        }
    }
    Ok(written)
}

/// An interrupt or the end of the time ends the search, not the command: the results until then are
/// reported.
pub(super) fn watch_for_the_end(seconds: Option<u64>) {
    // If the signal cannot be caught, it ends the command.
    let _ = ctrlc::set_handler(|| {
        if INTERRUPTED.swap(true, Ordering::Relaxed) {
            std::process::exit(130);
        }
    });
    if let Some(seconds) = seconds {
        std::thread::spawn(move || {
            std::thread::sleep(Duration::from_secs(seconds));
            TIME_IS_UP.store(true, Ordering::Relaxed);
        });
    }
}

/// The progress line of a search.
struct ProgressLine {
    name: String,
    began: Instant,
    described: Instant,
}

/// Milliseconds between two progress lines.
const TELL_EVERY: u128 = 100;

#[expect(clippy::disallowed_methods, reason = "the rate is only shown as progress")]
fn now() -> Instant {
    Instant::now()
}

impl ProgressLine {
    fn new(name: String) -> ProgressLine {
        let began = now();
        ProgressLine { name, began, described: began }
    }

    fn tell(&mut self, output: &mut Output, described: &Progress) {
        if self.described.elapsed().as_millis() < TELL_EVERY {
            return;
        }
        self.described = now();
        let seconds = self.began.elapsed().as_secs_f64();
        let Progress { states, done, depth, memory } = described;
        let rate = *states as f64 / seconds / 1_000.0;
        let memory = *memory as f64 / 1e6;
        output.progress(&format!(
            "{}   {states} states, {rate:.0} thousand a second, {done} expanded, depth {depth}, {memory:.1} MB",
            self.name
        ));
    }
}

pub(super) fn end(seconds: Option<u64>) -> Option<Bound> {
    if INTERRUPTED.load(Ordering::Relaxed) {
        return Some(Bound::Interrupt);
    }
    TIME_IS_UP.load(Ordering::Relaxed).then(|| Bound::Time(seconds.unwrap_or(0)))
}
