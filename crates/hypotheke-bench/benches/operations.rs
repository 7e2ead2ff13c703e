//! How fast operations are, held against the plain yardstick. `cargo bench -p hypotheke-bench --bench operations`

use hypotheke_bench::plain::Plain;
use hypotheke_bench::workload::{Library, Workload};
use hypotheke_bench::{interleaved, rate};

const PAIRS: usize = 11;

fn main() {
    println!("slots      plain        library      library / plain (medians of {PAIRS} interleaved pairs, M operations/s)");
    let mut rates = Vec::new();
    for (slots, plain_steps, library_steps) in [(30, 400_000, 400_000), (1_000, 60_000, 200_000), (100_000, 300, 200_000)] {
        let workload = Workload::new(slots, plain_steps.max(library_steps));
        check_agreement(&workload);
        let mut plain = Plain::new(slots);
        let mut library = Library::new(slots);
        for step in &workload.filling {
            plain.play(*step);
            library.play(*step);
        }
        let (mut plain_total, mut library_total) = (0u64, 0u64);
        let pairs = interleaved(
            PAIRS,
            || plain_total += workload.steps[..plain_steps].iter().map(|step| u64::from(plain.play(*step))).sum::<u64>(),
            || library_total += workload.steps[..library_steps].iter().map(|step| u64::from(library.play(*step))).sum::<u64>(),
        );
        assert!(plain_total > 0 && library_total > 0);
        let (plain, library) = (rate(plain_steps, pairs.first), rate(library_steps, pairs.second));
        #[expect(clippy::cast_precision_loss, reason = "a figure to be read")]
        let ratio = pairs.ratio * library_steps as f64 / plain_steps as f64;
        println!("{slots:7}  {plain:10.3}   {library:10.3}   {ratio:10.2}");
        rates.push(library);
    }
    println!("library at 100,000 slots / at 30: {:.2}", rates[2] / rates[0]);
}

/// Both do the same work: what lies where in the end is the same.
fn check_agreement(workload: &Workload) {
    let (mut plain, mut library) = (Plain::new(workload.slots), Library::new(workload.slots));
    for (index, step) in workload.filling.iter().chain(&workload.steps[..workload.steps.len().min(2_000)]).enumerate() {
        let (expected, found) = (plain.play(*step), library.play(*step));
        assert_eq!(found, expected, "step {index}: {step:?}");
    }
}
