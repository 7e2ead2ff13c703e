//! Running many scenarios on several threads.

use std::num::NonZeroUsize;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use super::check::ResolvedScenarioFile;
use super::report::{ReportDetail, ScenarioReport};
use super::tree::Scenario;

/// How scenarios are run.
#[derive(Clone, Copy, Debug)]
pub struct RunOptions {
    /// The detail of the reports.
    pub detail: ReportDetail,
    /// The number of threads.
    pub threads: NonZeroUsize,
    /// Whether to stop at the first failure.
    pub fail_fast: bool,
}

impl Default for RunOptions {
    /// Failures only, all scenarios, one thread.
    fn default() -> RunOptions {
        RunOptions { detail: ReportDetail::Failures, threads: NonZeroUsize::MIN, fail_fast: false }
    }
}

/// Runs all `chosen` scenarios. The reports come in the order of the files and their scenarios,
/// whatever the number of threads. Each has the number of its file.
pub fn run_all(
    files: &[ResolvedScenarioFile<'_>],
    chosen: impl Fn(&Scenario) -> bool,
    options: RunOptions,
) -> Vec<(usize, ScenarioReport)> {
    let all = files.iter().enumerate();
    let all = all.flat_map(|(at, file)| file.file.scenarios().map(move |scenario| (at, file, scenario)));
    let tasks: Vec<(usize, &ResolvedScenarioFile<'_>, &Scenario)> =
        all.filter(|(_, _, scenario)| chosen(scenario)).collect();
    // Scenarios after a failure may have run; their reports are dropped.
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

/// Applies `work` to each item and returns the results in order. Each free thread takes the next
/// item.
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
