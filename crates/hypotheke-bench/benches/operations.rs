//! How fast operations are, held against the plain yardstick. `cargo bench -p hypotheke-bench --bench operations`

use hypotheke_bench::plain::Plain;
use hypotheke_bench::workload::{Library, Workload};
use hypotheke_bench::{interleaved, rate, timed, timed_runs};

const PAIRS: usize = 11;

fn main() {
    let only: Option<usize> = std::env::args().skip(1).find_map(|argument| argument.parse().ok());
    println!(
        "slots      plain        library      library / plain (medians of {PAIRS} interleaved pairs, M operations/s)"
    );
    for (slots, steps, runs) in [(30, 400_000, 1), (1_000, 100_000, 1), (100_000, 400, 40)] {
        if only.is_some_and(|only| only != slots) {
            continue;
        }
        let workload = Workload::new(slots, steps);
        check_agreement(&workload);
        let (plain, library) = filled(&workload);
        // Each run begins with the same half-full containers; making them is not measured.
        let mut total = 0;
        let pairs = interleaved(
            PAIRS,
            || {
                timed_runs(&plain, runs, |plain| {
                    workload.steps.iter().for_each(|step| total += u64::from(plain.play(*step)));
                })
            },
            || {
                timed_runs(&library, runs, |library| {
                    workload.steps.iter().for_each(|step| {
                        std::hint::black_box(library.play(*step));
                    });
                })
            },
        );
        assert!(total > 0);
        let (plain, library) = (rate(steps * runs, pairs.first), rate(steps * runs, pairs.second));
        println!("{slots:7}  {plain:10.3}   {library:10.3}   {:10.2}", pairs.ratio);
    }
    if only.is_none() {
        own_rates();
    }
}

/// The library alone, on containers that have been in use for a while: what is lost from 30 slots to 100,000.
fn own_rates() {
    const STEPS: usize = 200_000;
    let [small, large] = [30, 100_000].map(|slots| Workload::new(slots, STEPS));
    let (mut few, mut many) = (filled(&small).1, filled(&large).1);
    let play = |library: &mut Library, workload: &Workload| {
        timed(&mut || {
            workload.steps.iter().for_each(|step| {
                std::hint::black_box(library.play(*step));
            });
        })
    };
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
