//! What it costs to write and to read a save of a million stacks, held against the same fields in
//! JSON as serde_json writes them. `cargo bench -p hypotheke-bench --bench saves`

#![expect(clippy::expect_used, reason = "the rules and the saves are our own")]

use std::collections::BTreeMap;
use std::hint::black_box;
use std::sync::Arc;
use std::time::Duration;

use hypotheke::save::Save;
use hypotheke::snapshot::{Container, InSlot, KindTotals, Stack};
use hypotheke::{Ruleset, Snapshot, StackId, World};
use hypotheke_bench::{interleaved, timed};

const STACKS: u32 = 1_000_000;
const CONTAINERS: u32 = 1_000;
const KINDS: u32 = 200;
const PAIRS: usize = 5;
const MARKS: [&str; 3] = ["contaminated", "frozen", "labelled"];

fn rules() -> Arc<Ruleset> {
    let slots = STACKS / CONTAINERS * 5 / 4;
    let mut builder = Ruleset::builder();
    for mark in MARKS {
        builder = builder.mark(mark);
    }
    for kind in 0..KINDS {
        builder = builder.kind(&format!("provision-{kind}"), |it| it.stack_limit(99));
    }
    for container in 0..CONTAINERS {
        builder = builder.container(&format!("store-{container}"), |it| it.slots(slots));
    }
    Arc::new(builder.build().expect("valid"))
}

/// One stack in four has one to three marks; four slots of five are taken.
fn snapshot() -> Snapshot {
    let mut totals: BTreeMap<String, KindTotals> = BTreeMap::new();
    let mut containers = Vec::new();
    let mut serial = 0_u32;
    for container in 0..CONTAINERS {
        let mut stacks = Vec::new();
        for nth in 0..STACKS / CONTAINERS {
            serial += 1;
            let mixed = serial.wrapping_mul(2_654_435_761);
            let kind = format!("provision-{}", (mixed >> 8) % KINDS);
            let count = 1 + (mixed >> 20) % 99;
            let marks = if serial.is_multiple_of(4) { 1 + (mixed >> 4) as usize % 3 } else { 0 };
            totals.entry(kind.clone()).or_default().created += u64::from(count);
            let marks = MARKS.iter().take(marks).map(|mark| (*mark).to_owned()).collect();
            let stack =
                Stack { id: StackId::new(0, u64::from(serial)), kind, count, marks, properties: BTreeMap::new() };
            stacks.push(InSlot { slot: nth * 5 / 4, stack, in_work: false });
        }
        let name = format!("store-{container}");
        containers.push(Container {
            definition: name.clone(),
            name,
            slots: STACKS / CONTAINERS * 5 / 4,
            owner: None,
            opened_by: Vec::new(),
            stacks,
            job: None,
        });
    }
    Snapshot { containers, totals, next_stack: u64::from(serial) + 1, ..Snapshot::default() }
}

fn described(what: &str, plain: Duration, ours: Duration, ratio: f64) {
    println!("{what:28} {:8.0} ms {:8.0} ms {ratio:8.2}", plain.as_secs_f64() * 1e3, ours.as_secs_f64() * 1e3);
}

fn main() {
    let (rules, snapshot) = (rules(), snapshot());
    let save = Save::of_snapshot(&rules, snapshot.clone());
    let plain = serde_json::to_vec(&snapshot).expect("JSON");
    let (json, binary) = (save.to_json(), save.to_bytes());
    let read = |bytes: &[u8]| timed(&mut || drop(black_box(Save::read(bytes).expect("a save"))));
    let write_plain = || timed(&mut || drop(black_box(serde_json::to_vec(&snapshot).expect("JSON"))));
    let read_plain = || timed(&mut || drop(black_box(serde_json::from_slice::<Snapshot>(&plain).expect("JSON"))));
    println!("{STACKS} stacks, medians of {PAIRS} interleaved pairs");
    println!("                              serde_json        save    times as fast");
    let pairs = interleaved(PAIRS, write_plain, || timed(&mut || drop(black_box(save.to_bytes()))));
    described("binary, written", pairs.first, pairs.second, pairs.ratio);
    let pairs = interleaved(PAIRS, read_plain, || read(&binary));
    described("binary, read", pairs.first, pairs.second, pairs.ratio);
    let pairs = interleaved(PAIRS, write_plain, || timed(&mut || drop(black_box(save.to_json()))));
    described("JSON, written", pairs.first, pairs.second, pairs.ratio);
    let pairs = interleaved(PAIRS, read_plain, || read(json.as_bytes()));
    described("JSON, read", pairs.first, pairs.second, pairs.ratio);
    let world = timed(&mut || drop(black_box(World::from_snapshot(&rules, &snapshot).expect("a world"))));
    println!("a world made of it           {:8.0} ms", world.as_secs_f64() * 1e3);
    for (what, bytes) in hypotheke_bench::hostile::saves() {
        let mut runs: Vec<Duration> = (0..PAIRS).map(|_| timed(&mut || drop(black_box(Save::read(&bytes))))).collect();
        runs.sort_unstable();
        println!("hostile, {:7} bytes {:8.1} ms   {what}", bytes.len(), runs[PAIRS / 2].as_secs_f64() * 1e3);
    }
    let (plain, json, binary) = (plain.len(), json.len(), binary.len());
    println!("bytes: serde_json {plain}, JSON {json}, binary {binary}: one in {:.1}", plain as f64 / binary as f64);
}
