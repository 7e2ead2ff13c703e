//! How fast operations are, held against the plain yardstick. `cargo bench -p hypotheke-bench --bench operations`

use std::hint::black_box;

use hypotheke_bench::plain::Plain;
use hypotheke_bench::workload::{Library, Step, Workload};
use hypotheke_bench::{interleaved, rate, timed, timed_runs};

const PAIRS: usize = 11;

fn main() {
    let only: Option<usize> = std::env::args().skip(1).find_map(|argument| argument.parse().ok());
    println!(
        "slots      plain        library      library / plain (medians of {PAIRS} interleaved pairs, M operations/s)"
    );
    for (slots, steps, compare) in [
        (30, 400_000, from_the_start as fn(&Workload) -> [f64; 3]),
        (1_000, 100_000, from_the_start),
        (100_000, 200_000, in_steady_use),
    ] {
        if only.is_some_and(|only| only != slots) {
            continue;
        }
        let workload = Workload::new(slots, steps);
        check_agreement(&workload);
        let [plain, library, ratio] = compare(&workload);
        println!("{slots:7}  {plain:10.3}   {library:10.3}   {ratio:10.2}");
    }
    if only.is_none() {
        own_rates();
    }
}

/// Rates of both and their ratio. Each run plays all steps and begins with the same half-full containers; making them is
/// not measured.
fn from_the_start(workload: &Workload) -> [f64; 3] {
    let (plain, library) = filled(workload);
    let pairs = interleaved(
        PAIRS,
        || timed_runs(&plain, 1, |plain| play_plain(plain, &workload.steps)),
        || timed_runs(&library, 1, |library| play_library(library, &workload.steps)),
    );
    let count = workload.steps.len();
    [rate(count, pairs.first), rate(count, pairs.second), pairs.ratio]
}

/// The same where the plain writing is so slow that it can play a few steps only, which in the library would measure
/// little but the warming of the caches: there the library plays more of them. Each run goes on from the one before.
fn in_steady_use(workload: &Workload) -> [f64; 3] {
    const FEW: usize = 500;
    let (mut plain, mut library) = filled(workload);
    let mut runs = workload.steps.chunks(FEW);
    let pairs = interleaved(
        PAIRS,
        || {
            let steps = runs.next().unwrap_or_default();
            timed(&mut || play_plain(&mut plain, steps))
        },
        || timed(&mut || play_library(&mut library, &workload.steps)),
    );
    let count = workload.steps.len();
    #[expect(clippy::cast_precision_loss, reason = "small numbers")]
    let more = count as f64 / FEW as f64;
    [rate(FEW, pairs.first), rate(count, pairs.second), pairs.ratio * more]
}

fn play_plain(plain: &mut Plain, steps: &[Step]) {
    for step in steps {
        black_box(plain.play(*step));
    }
}

fn play_library(library: &mut Library, steps: &[Step]) {
    for step in steps {
        black_box(library.play(*step));
    }
}

/// The library alone, on containers that have been in use for a while: what is lost from 30 slots to 100,000.
fn own_rates() {
    const STEPS: usize = 200_000;
    let [small, large] = [30, 100_000].map(|slots| Workload::new(slots, STEPS));
    let (mut few, mut many) = (filled(&small).1, filled(&large).1);
    let play = |library: &mut Library, workload: &Workload| timed(&mut || play_library(library, &workload.steps));
    let pairs = interleaved(PAIRS, || play(&mut few, &small), || play(&mut many, &large));
    let (few, many) = (rate(STEPS, pairs.first), rate(STEPS, pairs.second));
    println!("library in steady use: {few:.3} at 30 slots, {many:.3} at 100,000: {:.2} of it", pairs.ratio);
}

fn filled(workload: &Workload) -> (Plain, Library) {
    let (mut plain, mut library) = (Plain::new(workload.slots), Library::new(workload.slots));
    for step in &workload.filling {
        plain.play_quickly(*step);
        library.play(*step);
    }
    (plain, library)
}

/// Both do the same work: what lies where in the end is the same.
fn check_agreement(workload: &Workload) {
    let (mut plain, mut library) = filled(workload);
    for (index, step) in workload.steps.iter().take(5_000).enumerate() {
        let (expected, found) = (plain.play(*step), library.play(*step));
        assert_eq!(found, expected, "step {index}: {step:?}");
    }
}
