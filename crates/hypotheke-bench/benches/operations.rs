//! How fast operations are, held against the plain yardstick. `cargo bench -p hypotheke-bench
//! --bench operations`

use std::hint::black_box;

use hypotheke_bench::checked::Checked;
use hypotheke_bench::plain::Plain;
use hypotheke_bench::workload::{Library, Owned, Step, Workload};
use hypotheke_bench::{interleaved, rate, timed, timed_runs};

const PAIRS: usize = 11;

fn main() {
    let only: Option<usize> = std::env::args().skip(1).find_map(|argument| argument.parse().ok());
    println!("medians of {PAIRS} interleaved pairs; rates in M operations/s");
    println!("slots           plain      library    as fast as plain      checked   as fast as checked");
    for (slots, steps, few) in [(30, 400_000, 400_000), (1_000, 100_000, 20_000), (100_000, 200_000, 300)] {
        if only.is_some_and(|only| only != slots) {
            continue;
        }
        let workload = Workload::new(slots, steps);
        check_agreement(&workload);
        let small = slots <= 1_000;
        let [plain, library, ratio] =
            if small { against_plain(&workload) } else { in_steady_use(&workload, 500, plain) };
        let [checked, _, checked_ratio] = in_steady_use(&workload, few, checked);
        println!("{slots:7}    {plain:10.4}   {library:10.3}   {ratio:13.2}     {checked:12.5}   {checked_ratio:13.2}");
    }
    if only.is_none() {
        own_rates();
        with_an_owner();
    }
}

/// Rates of both and their ratio. Each run plays all steps and begins with the same half-full
/// containers; making them is not measured.
fn against_plain(workload: &Workload) -> [f64; 3] {
    let (plain, library) = (filled_plain(workload), filled(workload));
    let pairs = interleaved(
        PAIRS,
        || timed_runs(&plain, 1, |plain| play_plain(plain, &workload.steps)),
        || timed_runs(&library, 1, |library| play_library(library, &workload.steps)),
    );
    let count = workload.steps.len();
    [rate(count, pairs.first), rate(count, pairs.second), pairs.ratio]
}

type Playing = Box<dyn FnMut(&[Step])>;

/// The same for a slow program that can perform only a few steps; for the library these would
/// mostly measure the warm-up of the caches, so it performs more. Each run continues from the
/// previous one.
fn in_steady_use(workload: &Workload, few: usize, yardstick: fn(&Workload) -> Playing) -> [f64; 3] {
    let (mut slow, mut library) = (yardstick(workload), filled(workload));
    let mut runs = workload.steps.chunks(few).cycle();
    let pairs = interleaved(
        PAIRS,
        || {
            let steps = runs.next().unwrap_or_default();
            timed(&mut || slow(steps))
        },
        || timed(&mut || play_library(&mut library, &workload.steps)),
    );
    let count = workload.steps.len();
    #[expect(clippy::cast_precision_loss, reason = "small numbers")]
    let more = count as f64 / few as f64;
    [rate(few, pairs.first), rate(count, pairs.second), pairs.ratio * more]
}

fn plain(workload: &Workload) -> Playing {
    let mut plain = filled_plain(workload);
    Box::new(move |steps| play_plain(&mut plain, steps))
}

fn checked(workload: &Workload) -> Playing {
    let mut checked = Checked::new(workload.slots);
    workload.filling.iter().for_each(|step| checked.play_quickly(*step));
    Box::new(move |steps| {
        for step in steps {
            black_box(checked.play(*step));
        }
    })
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

/// The library alone, on containers that have been in use for a while: what is lost from 30 slots
/// to 100,000.
fn own_rates() {
    const STEPS: usize = 200_000;
    let [small, large] = [30, 100_000].map(|slots| Workload::new(slots, STEPS));
    let (mut few, mut many) = (filled(&small), filled(&large));
    let play = |library: &mut Library, workload: &Workload| timed(&mut || play_library(library, &workload.steps));
    let pairs = interleaved(PAIRS, || play(&mut few, &small), || play(&mut many, &large));
    let (few, many) = (rate(STEPS, pairs.first), rate(STEPS, pairs.second));
    println!("library in steady use: {few:.3} at 30 slots, {many:.3} at 100,000: {:.2} of it", pairs.ratio);
}

/// The library with an owner of both containers: what remains of the rate without.
fn with_an_owner() {
    let workload = Workload::new(30, 400_000);
    let play = |library: &mut Library| timed(&mut || play_library(library, &workload.steps));
    for (owned, what) in [(Owned::ForAnyone, "for anyone"), (Owned::ForItsOwner, "for its owner alone")] {
        let (mut without, mut with) = (filled(&workload), filled_as(&workload, owned));
        let pairs = interleaved(PAIRS, || play(&mut without), || play(&mut with));
        println!("an owner on every container, {what}: {:.2} of the rate without", pairs.ratio);
    }
}

fn filled_plain(workload: &Workload) -> Plain {
    let mut plain = Plain::new(workload.slots);
    workload.filling.iter().for_each(|step| plain.play_quickly(*step));
    plain
}

fn filled(workload: &Workload) -> Library {
    filled_as(workload, Owned::Not)
}

fn filled_as(workload: &Workload, owned: Owned) -> Library {
    let mut library = Library::new(workload.slots, owned);
    for step in &workload.filling {
        library.play(*step);
    }
    library
}

/// All do the same work: the final contents are equal.
fn check_agreement(workload: &Workload) {
    let (mut plain, mut library) = (filled_plain(workload), filled(workload));
    let mut checked = Checked::new(workload.slots);
    workload.filling.iter().for_each(|step| checked.play_quickly(*step));
    let some = if workload.slots > 1_000 { 100 } else { 5_000 };
    for (index, step) in workload.steps.iter().take(5_000).enumerate() {
        let (expected, found) = (plain.play(*step), library.play(*step));
        assert_eq!(found, expected, "step {index}: {step:?}");
        if index < some {
            assert_eq!(checked.play(*step), expected, "step {index}: {step:?}");
        }
    }
}
