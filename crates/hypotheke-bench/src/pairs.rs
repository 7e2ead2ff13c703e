//! InterleavingReport pairs: machines drift, so two things are measured in turn and compared pair
//! by pair.

use std::time::{Duration, Instant};

/// Medians over all pairs.
#[derive(Clone, Copy, Debug)]
pub struct Pairs {
    /// Of the first.
    pub first: Duration,
    /// Of the second.
    pub second: Duration,
    /// Of how many times as fast the second was, pair by pair.
    pub ratio: f64,
}

/// The time of several runs, each on a copy of its own; making the copies is not measured.
pub fn timed_runs<T: Clone>(start: &T, runs: usize, mut run: impl FnMut(&mut T)) -> Duration {
    let mut time = Duration::ZERO;
    let mut copy = start.clone();
    for _ in 0..runs {
        copy.clone_from(start);
        time += timed(&mut || run(&mut copy));
    }
    time
}

/// Takes the times of both in turn, `count` times, after one run of each that does not count.
pub fn interleaved(count: usize, mut first: impl FnMut() -> Duration, mut second: impl FnMut() -> Duration) -> Pairs {
    first();
    second();
    let (mut firsts, mut seconds, mut ratios) = (Vec::new(), Vec::new(), Vec::new());
    for _ in 0..count {
        let (a, b) = (first(), second());
        firsts.push(a);
        seconds.push(b);
        ratios.push(a.as_secs_f64() / b.as_secs_f64());
    }
    ratios.sort_by(f64::total_cmp);
    Pairs { first: median(firsts), second: median(seconds), ratio: ratios[ratios.len() / 2] }
}

/// How long it takes.
#[expect(clippy::disallowed_methods, reason = "measuring is what this crate is for")]
pub fn timed(run: &mut impl FnMut()) -> Duration {
    let start = Instant::now();
    run();
    start.elapsed()
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}

/// Millions of operations a second.
#[must_use]
pub fn rate(operations: usize, time: Duration) -> f64 {
    #[expect(clippy::cast_precision_loss, reason = "a figure to be read")]
    let operations = operations as f64;
    operations / time.as_secs_f64() / 1e6
}
