//! RunOptions many scenarios on several cores.

use std::num::NonZeroUsize;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use super::check::ResolvedScenarioFile;
use super::report::{ReportDetail, ScenarioReport};
use super::tree::Scenario;

/// How scenarios are played.
#[derive(Clone, Copy, Debug)]
pub struct RunOptions {
    /// How much is told.
    pub detail: ReportDetail,
    /// On how many threads.
    pub threads: NonZeroUsize,
    /// Nothing is told beyond the first scenario that fails.
    pub fail_fast: bool,
}

impl Default for RunOptions {
    /// Only failures are told, of all scenarios; on one thread.
    fn default() -> RunOptions {
        RunOptions { detail: ReportDetail::Failures, threads: NonZeroUsize::MIN, fail_fast: false }
    }
}

/// Plays all scenarios that are `chosen`. The reports come in the order of the files and of the scenarios in them, each with the
/// number of its file, whatever the number of threads.
pub fn run_all(
    files: &[ResolvedScenarioFile<'_>],
    chosen: impl Fn(&Scenario) -> bool,
    options: RunOptions,
) -> Vec<(usize, ScenarioReport)> {
    let all = files.iter().enumerate();
    let all = all.flat_map(|(at, file)| file.file.scenarios().map(move |scenario| (at, file, scenario)));
    let tasks: Vec<(usize, &ResolvedScenarioFile<'_>, &Scenario)> =
        all.filter(|(_, _, scenario)| chosen(scenario)).collect();
    // What comes after a failure may have been played; it is not told.
    let first_failure = AtomicUsize::new(usize::MAX);
    let mut played = on_threads(&tasks, options.threads, |number, (at, file, scenario)| {
        if options.fail_fast && number > first_failure.load(Ordering::Relaxed) {
            return Vec::new();
        }
        let reports: Vec<(usize, ScenarioReport)> =
            file.run_scenario(scenario, options.detail).map(|report| (*at, report)).collect();
        if reports.iter().any(|(_, report)| !report.passed()) {
            first_failure.fetch_min(number, Ordering::Relaxed);
        }
        reports
    });
    let last = first_failure.into_inner();
    if options.fail_fast && last < played.len() {
        played.truncate(last + 1);
        if let Some(rows) = played.last_mut()
            && let Some(failed) = rows.iter().position(|(_, report)| !report.passed())
        {
            rows.truncate(failed + 1);
        }
    }
    played.into_iter().flatten().collect()
}

/// What `work` makes of each item, in their order. Whichever thread is free takes the next.
pub fn on_threads<'t, T: Sync, R: Send>(
    items: &'t [T],
    threads: NonZeroUsize,
    work: impl Fn(usize, &'t T) -> R + Sync,
) -> Vec<R> {
    let threads = threads.get().min(items.len());
    if threads < 2 {
        return items.iter().enumerate().map(|(number, item)| work(number, item)).collect();
    }
    let next = AtomicUsize::new(0);
    let done = Mutex::new(Vec::with_capacity(items.len()));
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                loop {
                    let number = next.fetch_add(1, Ordering::Relaxed);
                    let Some(item) = items.get(number) else { return };
                    let made = work(number, item);
                    done.lock().unwrap_or_else(std::sync::PoisonError::into_inner).push((number, made));
                }
            });
        }
    });
    let mut done = done.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
    done.sort_by_key(|(number, _)| *number);
    done.into_iter().map(|(_, made)| made).collect()
}
