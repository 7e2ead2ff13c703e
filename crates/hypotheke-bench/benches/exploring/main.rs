//! How fast worlds are searched and walked, beside a checker of states, stateful property testing,
//! and the same model written for speed. `cargo bench -p hypotheke-bench --features peers --bench
//! exploring`

#![expect(clippy::expect_used, reason = "the rules and the claims are our own")]
#![expect(clippy::print_stdout, reason = "figures to be read")]

mod checker;
mod model;
mod raw;
mod stateful;

use std::hint::black_box;
use std::num::NonZeroUsize;
use std::process::Command;
use std::sync::Arc;
use std::time::Duration;

use hypotheke::Ruleset;
use hypotheke::explore::{Bounds, ClaimsFile, Exploration, ExplorationReport, Status, Walks};
use hypotheke::text::Source;
use hypotheke_bench::{interleaved, timed};

const PAIRS: usize = 3;
/// Walks take less long.
const WALKING_PAIRS: usize = 11;
const WALKS: u32 = 2_000;
const STEPS: u32 = 50;

fn exploration(start: [&str; 2]) -> Exploration {
    let rules = Ruleset::builder()
        .ground_limit(3)
        .kind("core", |kind| kind.stack_limit(1))
        .kind("flare", |kind| kind.stack_limit(2))
        .kind("fuel", |kind| kind.stack_limit(4))
        .container("depot", |depot| depot.slots(4))
        .container("sled", |sled| sled.slots(4))
        .build();
    let rules: Arc<Ruleset> = rules.expect("rules").into();
    let text = format!("start\n  depot: {}\n  sled: {}\nalways\n  count of core = 2\n", start[0], start[1]);
    let claims = ClaimsFile::parse(Source::new("model.claims", text)).expect("claims");
    Exploration::new(&rules, &claims).expect("known names")
}

fn ours() -> Exploration {
    exploration(["1 core, 1 core, 1 flare, 1 flare", "4 fuel, 1 fuel"])
}

fn search(threads: usize) -> ExplorationReport {
    ours().without_symmetry().on_threads(NonZeroUsize::new(threads).expect("one at least")).search()
}

/// Many more worlds than fit into a model.
fn many(worlds: u64) -> ExplorationReport {
    let rules = Ruleset::builder()
        .ground_limit(4)
        .kind("core", |kind| kind.stack_limit(2))
        .kind("flare", |kind| kind.stack_limit(3))
        .kind("fuel", |kind| kind.stack_limit(4))
        .container("depot", |depot| depot.slots(5))
        .container("sled", |sled| sled.slots(5))
        .start("depot", ["2 core", "2 core", "3 flare", "4 fuel", "3 fuel"])
        .build();
    let rules: Arc<Ruleset> = rules.expect("rules").into();
    let claims = ClaimsFile::parse(Source::new("many.claims", "always\n  count of core = 4\n")).expect("claims");
    let bounds = Bounds { worlds: Some(worlds), ..Bounds::default() };
    Exploration::new(&rules, &claims).expect("known names").within(bounds).without_symmetry().search()
}

/// What this process has taken of memory at most, in bytes.
fn peak() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).unwrap_or("0");
    line.split_whitespace().next().and_then(|kilobytes| kilobytes.parse::<u64>().ok()).unwrap_or(0) * 1_024
}

/// One part in a process of its own: what it takes at most, less what the process takes anyway.
fn peak_of(part: &str) -> u64 {
    let measured = |part: &str| {
        let here = std::env::current_exe().expect("this program");
        let described = Command::new(here).env("PART", part).output().expect("it runs").stdout;
        String::from_utf8_lossy(&described).trim().parse::<u64>().expect("a number")
    };
    measured(part).saturating_sub(measured("nothing"))
}

fn one_part(part: &str) {
    match part {
        "ours" => drop(search(1)),
        "checker" => assert!(checker::search(1) > 0),
        "raw" => assert!(raw::search().0 > 0),
        "many" => drop(many(10_000_000)),
        _ => {}
    }
    println!("{}", peak());
}

/// The time to find and minimize a violation at least five steps away, for twenty seeds.
fn shortening() {
    let mut builder = Ruleset::builder().kind("flare", |kind| kind).container("sled", |sled| sled.slots(6));
    for name in ["box-a", "box-b", "box-c", "box-d", "box-e"] {
        builder = builder.container(name, |it| it.slots(1)).start(name, ["1 flare"]);
    }
    let rules: Arc<Ruleset> = builder.build().expect("rules").into();
    let text = "explore\n  places all\nalways\n  count of flare in sled <= 4\n";
    let claims = ClaimsFile::parse(Source::new("five.claims", text)).expect("claims");
    let (mut lengths, mut slowest) = (Vec::new(), Duration::ZERO);
    for seed in 0..20 {
        let exploration = Exploration::new(&rules, &claims).expect("known names");
        let walks = Walks { count: 200, seed, ..Walks::default() };
        let mut found = None;
        let exploration = std::cell::Cell::new(Some(exploration));
        let time = timed(&mut || found = exploration.take().map(|it| it.walk(walks, &mut |_| None)));
        let Some(Status::Violated(trace)) = found.map(|found| found.verdicts[0].status.clone()) else { continue };
        lengths.push(trace.steps.len());
        slowest = slowest.max(time);
    }
    lengths.sort_unstable();
    println!(
        "20 seeds: {} to {} steps, found and minimized in at most {slowest:?}",
        lengths[0],
        lengths[lengths.len() - 1]
    );
}

fn main() {
    if let Ok(part) = std::env::var("PART") {
        return one_part(&part);
    }
    let found = search(1);
    let (worlds, steps) = raw::search();
    assert!(found.complete && found.states == worlds as u64 && found.applied == steps, "the raw one finds the same");
    assert_eq!(checker::search(2), worlds, "the checker finds the same");
    println!(
        "{worlds} worlds, {steps} operations, {} deep; by symmetry {}",
        found.by_depth.len() - 1,
        ours().search().worlds
    );
    let time = |run: &mut dyn FnMut()| timed(&mut || run());
    let beside_checker =
        interleaved(PAIRS, || time(&mut || drop(search(1))), || time(&mut || _ = black_box(checker::search(1))));
    println!(
        "one thread: {:?}, checker {:?}: {:.2} times its rate",
        beside_checker.first,
        beside_checker.second,
        1.0 / beside_checker.ratio
    );
    let beside_raw =
        interleaved(PAIRS, || time(&mut || drop(search(1))), || time(&mut || _ = black_box(raw::search())));
    println!(
        "one thread: {:?}, raw {:?}: {:.3} times its rate",
        beside_raw.first,
        beside_raw.second,
        1.0 / beside_raw.ratio
    );
    let threads = interleaved(PAIRS, || time(&mut || drop(search(1))), || time(&mut || drop(search(2))));
    println!("two threads: {:?}, {:.2} times one", threads.second, threads.ratio);
    let walks = Walks { count: u64::from(WALKS), steps: STEPS, ..Walks::default() };
    let walking = interleaved(
        WALKING_PAIRS,
        || time(&mut || drop(ours().walk(walks, &mut |_| None))),
        || time(&mut || stateful::walk(WALKS, STEPS as usize)),
    );
    println!("walks: {:?}, stateful {:?}: {:.1} times its rate", walking.first, walking.second, 1.0 / walking.ratio);
    shortening();
    for part in ["ours", "checker", "raw"] {
        println!("{part}: {} bytes a world at most", peak_of(part) / worlds as u64);
    }
    let (few, lots) = (time(&mut || drop(many(100_000))), time(&mut || drop(many(10_000_000))));
    println!(
        "10,000,000 worlds: {lots:?}, {:.2} of the rate of 100,000 ({few:?}), {} MB",
        100.0 * few.as_secs_f64() / lots.as_secs_f64(),
        peak_of("many") / 1_000_000
    );
}
