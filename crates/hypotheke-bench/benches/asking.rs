//! What it costs to ask: a dry run against the operation, and the whole picture for a stack that is
//! dragged. `cargo bench -p hypotheke-bench --bench asking`

#![expect(clippy::panic, reason = "the rules are our own")]

use std::hint::black_box;
use std::sync::Arc;
use std::time::Duration;

use hypotheke::{Action, Amount, ContainerId, LiftAmount, Operation, Place, Ruleset, World};
use hypotheke_bench::{interleaved, timed};

const PAIRS: usize = 11;
const RUNS: u32 = 20_000;
const PICTURES: usize = 1_000;

/// Ten containers of 60 slots with filters and caps, half full, and a hand that drags from the
/// first.
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
    builder = builder.container("bag", |bag| bag.slots(4)).holder("ann", ["bag"], |ann| ann);
    let rules = builder.build().unwrap_or_else(|errors| panic!("{errors}"));
    let world = World::new(&Arc::new(rules));
    let containers = world.containers().take(10).collect();
    (world, containers)
}

fn main() {
    let (world, containers) = world();
    let from = Place::Slot(containers[0], 3);
    let mut room = Vec::new();
    let mut times: Vec<f64> = (0..PAIRS)
        .map(|_| {
            let time = timed(&mut || {
                for &container in containers.iter().cycle().take(10 * PICTURES) {
                    let _ = black_box(world.room_by_slot(from, None, container, &mut room));
                    black_box(&room);
                }
            });
            time.as_secs_f64() * 1e6 / PICTURES as f64
        })
        .collect();
    times.sort_by(f64::total_cmp);
    println!("the whole picture over 10 containers of 60 slots: {:.1} µs (median of {PAIRS})", times[PAIRS / 2]);

    for (name, there, back) in pairs_of_operations(&world, &containers) {
        let mut played = world.clone();
        let mut requested = world.clone();
        // Each is requested where it would be done: the two worlds go the same way.
        let ask = || {
            let mut time = Duration::ZERO;
            for operation in [&there, &back] {
                time += timed(&mut || {
                    for _ in 0..RUNS {
                        let _ = black_box(requested.dry_run(operation));
                    }
                });
                let _ = requested.perform(operation);
            }
            time
        };
        let act = || {
            timed(&mut || {
                for _ in 0..RUNS {
                    let _ = black_box(played.perform(&there));
                    let _ = black_box(played.perform(&back));
                }
            })
        };
        println!("a dry run takes {:.2} times as long as the operation: {name}", interleaved(PAIRS, ask, act).ratio);
    }
}

/// Operations, each with one that undoes it: the most frequent ones, then such as go the way that
/// all can go.
fn pairs_of_operations(world: &World, containers: &[ContainerId]) -> Vec<(&'static str, Operation, Operation)> {
    let ((one, other), slot) =
        (((containers[0], 3), (containers[1], 55)), |(container, slot)| Place::Slot(container, slot));
    let kind = world.rules().find_kind("k3").unwrap_or_else(|| panic!("a kind"));
    let (create, consume) = (Operation::creating, Operation::consuming);
    let count = Amount::UpTo(5);
    let holder = world.holders().next().unwrap_or_else(|| panic!("a holder"));
    let (lift, put) =
        (Action::Lift { share: LiftAmount::Half, from: slot(one) }, Action::Put { amount: Amount::All, to: slot(one) });
    let by = |action: Action| Operation::from(action).by(holder);
    let step = |from, to| Operation::moving(Amount::All, slot(from), slot(to));
    let into = Operation::moving(Amount::All, slot(one), containers[1]);
    vec![
        ("move", step(one, other), step(other, one)),
        ("swap", Operation::swapping(one, other), Operation::swapping(one, other)),
        ("create, consume", create(count, kind, containers[2]), consume(count, kind, containers[2])),
        ("move into a container", into, Operation::moving(Amount::All, containers[1], slot(one))),
        ("lift, put", by(lift), by(put)),
    ]
}
