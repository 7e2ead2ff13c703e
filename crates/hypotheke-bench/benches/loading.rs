//! How fast a large table is loaded and checked, held against the plain way. `cargo bench -p
//! hypotheke-bench --bench loading`

use hypotheke::Ruleset;
use hypotheke_bench::table::{RULES, read_plainly, table};
use hypotheke_bench::{interleaved, timed};

const KINDS: usize = 100_000;
const PAIRS: usize = 11;

fn main() -> std::io::Result<()> {
    let folder = std::env::temp_dir().join(format!("hypotheke-loading-{}", std::process::id()));
    std::fs::create_dir_all(&folder)?;
    let (rules, items) = (folder.join("rules.toml"), folder.join("items.csv"));
    std::fs::write(&rules, RULES)?;
    std::fs::write(&items, table(KINDS))?;
    // Both read the file, so that neither is given what the other has to fetch.
    let pairs = interleaved(
        PAIRS,
        || {
            timed(&mut || {
                let bytes = std::fs::read(&items).unwrap_or_default();
                assert_eq!(std::hint::black_box(read_plainly(&bytes)).0.len(), KINDS);
            })
        },
        || timed(&mut || assert_eq!(Ruleset::load(&rules).map_or(0, |rules| rules.kinds().len()), KINDS)),
    );
    let size = std::fs::metadata(&items)?.len();
    std::fs::remove_dir_all(&folder)?;
    println!("{KINDS} kinds from a table of {} KB, medians of {PAIRS} interleaved pairs", size / 1_000);
    println!("csv and serde into structs and a map   {:7.1} ms", pairs.first.as_secs_f64() * 1e3);
    println!("loaded and checked by the library      {:7.1} ms", pairs.second.as_secs_f64() * 1e3);
    println!("library as fast as plain, times        {:7.2}", pairs.ratio);
    Ok(())
}
