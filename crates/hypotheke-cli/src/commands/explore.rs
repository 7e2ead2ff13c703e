//! explore: whatever can be played, in every order, until something breaks that must hold.

use std::io::IsTerminal;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use super::{Output, Verdict};
use crate::args::{ExploreArgs, Format};
use crate::files::{InputError, claims_paths, load_claims, load_rules, threads, write_new};
use crate::formats::explore::{ExploreJson, ExploredJson};
use crate::render::Page;
use crate::render::explore::{draw, draw_summary};
use hypotheke::explore::{Bound, Bounds, ClaimsFile, Exploration, Explored, Progress, Walks};

/// A file of claims, and what was found.
pub(crate) struct Searched {
    pub(crate) path: PathBuf,
    pub(crate) found: Explored,
    /// The scenarios that were written.
    pub(crate) written: Vec<PathBuf>,
}

impl Searched {
    pub(crate) fn is_failure(&self) -> bool {
        self.found.unlawful.is_some() || self.found.verdicts.iter().any(|verdict| verdict.status.is_failure())
    }

    /// Whether it was stopped before all was seen that was asked for. What the user bounded on purpose, and was played in full, was not.
    pub(crate) fn is_cut_short(&self) -> bool {
        matches!(self.found.stopped_by, Some(Bound::Memory(_) | Bound::Time(_) | Bound::Interrupt))
    }
}

/// What is set while it runs.
static TIME_IS_UP: AtomicBool = AtomicBool::new(false);
static INTERRUPTED: AtomicBool = AtomicBool::new(false);

pub(crate) fn run(output: &mut Output, args: &ExploreArgs) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(&args.rules)?);
    let bounds = Bounds { depth: args.depth, worlds: args.worlds, memory: Some(args.memory.saturating_mul(1_000_000)) };
    let mut ready = Vec::new();
    let mut faults = Vec::new();
    for path in claims_paths(&args.files, &args.rules)? {
        match load_claims(&path).and_then(|file| Ok((Exploration::new(&rules, &file)?, file))) {
            Ok((exploration, file)) => ready.push((path, file, exploration)),
            Err(error) => faults.push(error),
        }
    }
    if !faults.is_empty() {
        return Err(if faults.len() == 1 { faults.remove(0) } else { InputError::Several(faults) });
    }
    watch_for_the_end(args.time);
    let mut all = Vec::new();
    for (path, file, exploration) in ready {
        let exploration = exploration.within(bounds);
        let exploration = if args.no_symmetry { exploration.without_symmetry() } else { exploration };
        let name = path.display().to_string();
        let found = match args.walks {
            None => exploration.search_until(&mut |told| go_on(output, &name, told, args.time)),
            Some(count) => {
                let (shard, threads) = (args.shard.unwrap_or((0, 1)), threads(args.threads));
                let walks = Walks { count, steps: args.steps, seed: args.seed, shard, threads };
                exploration.walk(walks, &mut |done| {
                    output.progress(&format!("{name}   {done} walks"));
                    end(args.time)
                })
            }
        };
        output.progress("");
        let written = write(args.write.as_deref(), &path, &file, &found)?;
        all.push(Searched { path, found, written });
    }
    let failed = all.iter().any(Searched::is_failure);
    let cut_short = all.iter().any(Searched::is_cut_short) && !args.accept_partial;
    let verdict = match (failed, cut_short) {
        (true, _) => Verdict::Failed,
        (false, true) => Verdict::CutShort,
        (false, false) => Verdict::Good,
    };
    if output.format == Format::Json {
        let files = all.iter().map(ExploredJson::new).collect();
        output.write_json(&ExploreJson { title: rules.title().to_owned(), version: rules.version(), files })?;
        return Ok(verdict);
    }
    let mut page = Page::default();
    all.iter().for_each(|searched| draw(&mut page, searched));
    draw_summary(&mut page, &all);
    output.write(&page.into_text())?;
    Ok(verdict)
}

/// Writes each trail that breaks a claim as a scenario of its own. What is there already is not written over.
fn write(folder: Option<&Path>, path: &Path, file: &ClaimsFile, found: &Explored) -> Result<Vec<PathBuf>, InputError> {
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
fn watch_for_the_end(seconds: Option<u64>) {
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

fn go_on(output: &mut Output, name: &str, told: &Progress, seconds: Option<u64>) -> Option<Bound> {
    if told.done.is_multiple_of(8_192) && told.done > 0 && std::io::stderr().is_terminal() {
        let line = format!(
            "{name}   {} worlds, {} gone through, {} deep, {} MB",
            told.worlds,
            told.done,
            told.depth,
            told.memory / 1_000_000
        );
        output.progress(&line);
    }
    end(seconds)
}

fn end(seconds: Option<u64>) -> Option<Bound> {
    if INTERRUPTED.load(Ordering::Relaxed) {
        return Some(Bound::Interrupt);
    }
    TIME_IS_UP.load(Ordering::Relaxed).then(|| Bound::Time(seconds.unwrap_or(0)))
}
