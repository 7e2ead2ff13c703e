//! How fast a large table is loaded and checked, held against the plain way. `cargo bench -p hypotheke-bench --bench loading`

use hypotheke::Ruleset;
use hypotheke_bench::table::{RULES, read_plainly, table};
use hypotheke_bench::{interleaved, timed_runs};

const KINDS: usize = 100_000;
const PAIRS: usize = 11;

fn main() {
    let text = table(KINDS);
    let bytes = text.as_bytes();
    let pairs = interleaved(
        PAIRS,
        || timed_runs(&(), 1, |()| assert_eq!(read_plainly(bytes).0.len(), KINDS)),
        || {
            timed_runs(&(), 1, |()| {
                let table = |name: &str| Ok((name.to_owned(), bytes.to_vec()));
                let rules = Ruleset::from_bytes("rules.toml", RULES.as_bytes().to_vec(), table);
                assert_eq!(rules.map(|rules| rules.kinds().len()), Ok(KINDS));
            })
        },
    );
    println!("{KINDS} kinds from a table of {} KB, medians of {PAIRS} interleaved pairs", bytes.len() / 1_000);
    println!("csv and serde into structs and a map   {:7.1} ms", pairs.first.as_secs_f64() * 1e3);
    println!("loaded and checked by the library      {:7.1} ms", pairs.second.as_secs_f64() * 1e3);
    println!("library as fast as plain, times        {:7.2}", pairs.ratio);
}
