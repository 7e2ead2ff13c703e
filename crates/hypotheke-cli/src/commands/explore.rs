//! explore: whatever can be played, in every order, until something breaks that must hold.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use super::combine::{Combined, combine};
use super::{Output, Verdict};
use crate::args::{ExploreArgs, Format};
use crate::files::{InputError, claims_paths, load_claims, load_rules, threads, write_new};
use crate::findings::Searched;
use crate::formats::explore::{ExploreJson, ExploredJson};
use crate::render::Page;
use crate::render::chart;
use crate::render::explore::{draw, draw_combined, draw_summary};
use hypotheke::Ruleset;
use hypotheke::explore::{
    Bound, Bounds, ClaimsFile, ConcurrencyBounds, Exploration, ExplorationReport, InterleavingReport, Progress, Walks,
};

/// What is set while it runs.
static TIME_IS_UP: AtomicBool = AtomicBool::new(false);
static INTERRUPTED: AtomicBool = AtomicBool::new(false);

/// A file of claims that is about to be explored.
struct Ready {
    path: PathBuf,
    file: ClaimsFile,
    exploration: Exploration,
}

pub(crate) fn run(output: &mut Output, args: &ExploreArgs) -> Result<Verdict, InputError> {
    if !args.combine.is_empty() {
        return combined(output, args);
    }
    let rules = Arc::new(load_rules(&args.rules)?);
    let ready = read_all(&rules, args)?;
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
        let whole = ExploreJson { title: rules.title().to_owned(), version: rules.version(), files };
        output.write_json(&whole)?;
        chart_of(output, args, &whole.files)?;
        return Ok(verdict);
    }
    let mut page = Page::default();
    all.iter().for_each(|searched| draw(&mut page, searched));
    draw_summary(&mut page, &all);
    output.write(&page.into_text())?;
    chart_of(output, args, &files)?;
    Ok(verdict)
}

fn verdict(failed: bool, cut_short: bool, args: &ExploreArgs) -> Verdict {
    match (failed, cut_short && !args.accept_partial) {
        (true, _) => Verdict::Failed,
        (false, true) => Verdict::Incomplete,
        (false, false) => Verdict::Good,
    }
}

/// The claims of the ruleset itself and of the files; all that is wrong with any of them.
fn read_all(rules: &Arc<Ruleset>, args: &ExploreArgs) -> Result<Vec<Ready>, InputError> {
    let (mut ready, mut faults) = (Vec::new(), Vec::new());
    let own = if args.files.is_empty() { ClaimsFile::in_ruleset(rules)? } else { None };
    let mut read = |path: PathBuf, file: Result<ClaimsFile, InputError>| match file
        .and_then(|file| Ok((Exploration::new(rules, &file)?, file)))
    {
        Ok((exploration, file)) => ready.push(Ready { path, file, exploration }),
        Err(error) => faults.push(error),
    };
    let paths = match (&own, claims_paths(&args.files, &args.rules)) {
        // The claims of the ruleset are enough.
        (Some(_), Err(_)) => Vec::new(),
        (_, paths) => paths?,
    };
    if let Some(own) = own {
        read(args.rules.clone(), Ok(own));
    }
    for path in paths {
        let file = load_claims(&path);
        read(path, file);
    }
    match faults.len() {
        0 => Ok(ready),
        1 => Err(faults.remove(0)),
        _ => Err(InputError::Several(faults)),
    }
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
        None => {
            let mut line = ProgressLine::new(name);
            exploration.search_until(&mut |told| {
                line.tell(output, told);
                end(args.time)
            })
        }
        Some(walks) => exploration.walk(walks, &mut |done| {
            output.progress(&format!("{name}   {done} walks"));
            end(args.time)
        }),
    };
    output.progress("");
    let written = write(args.output.as_deref(), &path, &file, &found)?;
    Ok(Searched { path, found, walks, concurrent, network_steps: args.network_steps, written })
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

/// What the parts of a run have written, as one.
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
    let mut page = Page::default();
    draw_combined(&mut page, &whole, &missing);
    output.write(&page.into_text())?;
    chart_of(output, args, &whole.files)?;
    Ok(verdict)
}

/// Draws the chart, if one is wanted: when all has been told, so that nothing is lost if it can't be written.
fn chart_of(output: &mut Output, args: &ExploreArgs, files: &[ExploredJson]) -> Result<(), InputError> {
    let Some(path) = &args.chart else { return Ok(()) };
    let text =
        chart::draw(files).map_err(|error| InputError::usage(format!("the chart can't be drawn: {error}"), None))?;
    std::fs::write(path, text).map_err(|error| {
        let message = format!("`{}` can't be written: {error}", path.display());
        InputError::usage(message, Some("name a file in a folder that is there"))
    })?;
    if output.format != Format::Json {
        output.write(&format!("wrote  {}\n", path.display()))?;
    }
    Ok(())
}

/// Writes each trace that breaks a claim as a scenario of its own. What is there already is not written over.
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

/// An interrupt, or the time that was given, ends the search and not the command: what was covered is still told.
pub(super) fn watch_for_the_end(seconds: Option<u64>) {
    // Where the signal can't be caught it ends the command, as it does everywhere else.
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

/// How far a search is, told now and then.
struct ProgressLine {
    name: String,
    began: Instant,
    told: Instant,
}

/// So many milliseconds lie between two lines.
const TELL_EVERY: u128 = 100;

#[expect(clippy::disallowed_methods, reason = "how fast it goes is told on the way, and nothing comes of it")]
fn now() -> Instant {
    Instant::now()
}

impl ProgressLine {
    fn new(name: String) -> ProgressLine {
        let began = now();
        ProgressLine { name, began, told: began }
    }

    fn tell(&mut self, output: &mut Output, told: &Progress) {
        if self.told.elapsed().as_millis() < TELL_EVERY {
            return;
        }
        self.told = now();
        let seconds = self.began.elapsed().as_secs_f64();
        let Progress { states, done, depth, memory } = told;
        let rate = *states as f64 / seconds / 1_000.0;
        let memory = *memory as f64 / 1e6;
        output.progress(&format!(
            "{}   {states} states, {rate:.0} thousand a second, {done} gone through, {depth} deep, {memory:.1} MB",
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
