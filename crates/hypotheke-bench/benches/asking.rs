//! What it costs to ask: a dry run against the operation, and the whole picture for a stack that is dragged.
//! `cargo bench -p hypotheke-bench --bench asking`

#![expect(clippy::panic, reason = "the rules are our own")]

use std::hint::black_box;
use std::sync::Arc;

use hypotheke::{Amount, ContainerId, Operation, Place, Ruleset, World};
use hypotheke_bench::{interleaved, timed};

const PAIRS: usize = 11;
const RUNS: u32 = 20_000;
const PICTURES: usize = 1_000;

/// Ten containers of 60 slots with filters and caps, half full, and a hand that drags from the first.
fn world() -> (World, Vec<ContainerId>) {
    let mut builder = Ruleset::builder();
    for kind in 0..64_u32 {
        let limit = [1, 5, 10, 99][kind as usize % 4];
        builder = builder.kind(&format!("k{kind}"), |it| {
            it.stack_limit(limit).weight((kind % 7).into()).tags([["metal", "paper"][kind as usize % 2]])
        });
    }
    for index in 0..10 {
        let start: Vec<String> = (0..30).map(|slot| format!("1 k{}", (slot * 7 + index) % 64)).collect();
        let name = format!("c{index}");
        builder = builder
            .container(&name, |it| it.slots(60).weight_cap(2_000.into()).admits("metal or paper"))
            .start(&name, start.iter().map(String::as_str));
    }
    let rules = builder.build().unwrap_or_else(|errors| panic!("{errors}"));
    let world = World::new(&Arc::new(rules));
    let containers = world.containers().collect();
    (world, containers)
}

fn main() {
    let (world, containers) = world();
    let from = Place::Slot(containers[0], 3);
    let mut offers = Vec::new();
    let mut times: Vec<f64> = (0..PAIRS)
        .map(|_| {
            let time = timed(&mut || {
                for &container in containers.iter().cycle().take(10 * PICTURES) {
                    let _ = black_box(world.offers(from, None, container, &mut offers));
                    black_box(&offers);
                }
            });
            time.as_secs_f64() * 1e6 / PICTURES as f64
        })
        .collect();
    times.sort_by(f64::total_cmp);
    println!("the whole picture over 10 containers of 60 slots: {:.1} µs (median of {PAIRS})", times[PAIRS / 2]);

    let there = Operation::moving(Amount::All, from, (containers[1], 55));
    let back = Operation::moving(Amount::All, (containers[1], 55), from);
    let mut played = world.clone();
    let ask = || {
        timed(&mut || {
            for _ in 0..2 * RUNS {
                let _ = black_box(world.judge(&there));
            }
        })
    };
    let act = || {
        timed(&mut || {
            for _ in 0..RUNS {
                let _ = black_box(played.perform(&there));
                let _ = black_box(played.perform(&back));
            }
        })
    };
    println!("a dry run takes {:.2} times as long as the operation", interleaved(PAIRS, ask, act).ratio);
}
