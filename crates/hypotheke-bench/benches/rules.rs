//! What further rules cost: a move by handles to a holder and back, against the same without the
//! rule. `cargo bench -p hypotheke-bench --bench rules`

#![expect(clippy::panic, reason = "the rules and the operations are our own")]

use std::hint::black_box;
use std::sync::Arc;

use hypotheke::{Amount, Operation, Ruleset, World};
use hypotheke_bench::{interleaved, timed};

const ROUNDS: u32 = 100_000;
const PAIRS: usize = 21;

const PLAIN: &str = r#"
format = 1
[kind.flare]
tags = ["fuel"]
stack-limit = 20
[kind.rope]
[container.depot]
slots = 30
[container.pockets]
slots = 10
[container.belt]
slots = 2
slot = [{ name = "left" }, { name = "right" }]
[holder.ann]
carries = ["pockets", "belt"]
[start]
depot = ["20 flare"]
"#;

const FURTHER: [(&str, &str, &str); 4] = [
    ("a cap by filter of the holder", "[holder.ann]", "[holder.ann]\ncaps = [{ of = \"fuel\", count = 30 }]"),
    (
        "a cap by filter of the container",
        "[container.pockets]",
        "[container.pockets]\ncaps = [{ of = \"fuel\", count = 30 }]",
    ),
    ("another kind needs two slots", "[kind.rope]", "[kind.rope]\noccupies-slots = [\"left\", \"right\"]"),
    ("a weight cap of the holder", "[holder.ann]", "[holder.ann]\nweight-cap = 30"),
];

/// A world, and a move to the holder and back.
fn prepared(text: &str) -> (World, [Operation; 2]) {
    let rules = Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}"));
    let world = World::new(&Arc::new(rules));
    let container = |name| world.container(name).unwrap_or_else(|| panic!("{name}"));
    let (depot, pockets) = (container("depot"), container("ann.pockets"));
    let moving = |from, to| Operation::moving(Amount::Exactly(5), (from, 0), (to, 0));
    let moves = [moving(depot, pockets), moving(pockets, depot)];
    (world, moves)
}

fn play((world, moves): &mut (World, [Operation; 2])) {
    for _ in 0..ROUNDS {
        for operation in moves.iter() {
            assert!(black_box(world.perform(operation)).is_ok());
        }
    }
}

fn main() {
    println!("medians of {PAIRS} interleaved pairs; nanoseconds a move");
    println!("{:34} {:>8} {:>8} {:>8}", "", "without", "with", "times");
    for (name, instead_of, rule) in FURTHER {
        let mut with = prepared(&PLAIN.replace(instead_of, rule));
        let mut without = prepared(PLAIN);
        let pairs = interleaved(PAIRS, || timed(&mut || play(&mut with)), || timed(&mut || play(&mut without)));
        let nanoseconds = |time: std::time::Duration| time.as_secs_f64() * 1e9 / f64::from(2 * ROUNDS);
        let (first, second) = (nanoseconds(pairs.first), nanoseconds(pairs.second));
        println!("{name:34} {second:8.1} {first:8.1} {:8.2}", pairs.ratio);
    }
}
