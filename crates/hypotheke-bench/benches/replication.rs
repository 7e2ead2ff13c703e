//! What it costs to follow an update on a copy, against the operation on the world.
//! `cargo bench -p hypotheke-bench --bench replication`

#![expect(clippy::panic, reason = "the rules are our own")]

use std::hint::black_box;
use std::sync::Arc;

use hypotheke::replication::{Request, Update};
use hypotheke::{Departures, NamedOperation, Operation, Ruleset, World};
use hypotheke_bench::{interleaved, timed_runs};

const PAIRS: usize = 11;
/// Few enough that the updates are as near as one that has just been received.
const STEPS: usize = 500;
const RUNS: usize = 40;

fn rules() -> Arc<Ruleset> {
    let mut builder = Ruleset::builder().mark("wet");
    for kind in 0..64_u32 {
        let limit = [1, 5, 10, 99][kind as usize % 4];
        builder = builder.kind(&format!("k{kind}"), |it| it.stack_limit(limit).weight((kind % 7).into()));
    }
    let start: Vec<String> = (0..15).map(|slot| format!("1 k{}", slot * 4 + 3)).collect();
    let rules = builder
        .container("store", |it| it.slots(30).weight_cap(90_000.into()))
        .container("shed", |it| it.slots(30))
        .start("store", start.iter().map(String::as_str))
        .build();
    Arc::new(rules.unwrap_or_else(|errors| panic!("{errors}")))
}

/// Sentences in turn, each of which can be applied after those before.
fn sentences(sort: &str) -> Vec<NamedOperation> {
    let of_sort: &[&str] = match sort {
        "move" => &["move from store/0 to shed/9", "move from shed/9 to store/0"],
        "swap" => &["swap store/0 with store/1"],
        "create, consume" => &["create 5 k7 in shed", "consume 5 k7 from shed"],
        "mark, unmark" => &["mark store/0 wet", "unmark store/0 wet"],
        "drop, pick up" => &["drop from store/0", "pick up 1 k3 to store/0"],
        _ => &[
            "together (move from store/0 to shed/0; move from store/1 to shed/1)",
            "together (move from shed/0 to store/0; move from shed/1 to store/1)",
        ],
    };
    let operation = |text: &&str| text.parse().unwrap_or_else(|error| panic!("{text}: {error}"));
    of_sort.iter().map(operation).collect()
}

fn main() {
    for sort in ["move", "swap", "create, consume", "mark, unmark", "drop, pick up", "together"] {
        let sentences = sentences(sort);
        let world = World::new(&rules());
        // The ids of what is created go on, so each round has updates of its own.
        let mut leading = world.clone();
        let mut updates: Vec<Update> = Vec::new();
        for operation in sentences.iter().cycle().take(STEPS) {
            let resolved = operation.resolve(&leading).unwrap_or_else(|error| panic!("{operation}: {error}"));
            if let Err(refusal) = leading.perform(&resolved) {
                panic!("{operation}: {}", leading.explain(&refusal));
            }
            updates.extend(leading.update());
        }
        let by_names = || {
            timed_runs(&world, RUNS, |played| {
                for operation in sentences.iter().cycle().take(STEPS) {
                    let resolved = operation.resolve(played).unwrap_or_else(|error| panic!("{operation}: {error}"));
                    let _ = black_box(played.perform(&resolved));
                }
            })
        };
        let by_handles = || {
            let resolved: Vec<Operation> = sentences.iter().flat_map(|operation| operation.resolve(&world)).collect();
            timed_runs(&world, RUNS, |played| {
                for operation in resolved.iter().cycle().take(STEPS) {
                    let _ = black_box(played.perform(operation));
                }
            })
        };
        let follow = || {
            timed_runs(&world, RUNS, |copy| {
                for update in &updates {
                    let _ = black_box(copy.apply_update(update));
                }
            })
        };
        let names = interleaved(PAIRS, follow, by_names).ratio;
        let handles = interleaved(PAIRS, follow, by_handles).ratio;
        println!("following takes {names:.2} of the operation by names, {handles:.2} of it by handles: {sort}");
    }
    by_names_and_by_request();
}

/// What a server does for each message, against the same by handles.
fn by_names_and_by_request() {
    let (world, sentences, departures) = (World::new(&rules()), sentences("move"), Departures::new());
    let resolved: Vec<Operation> = sentences.iter().flat_map(|operation| operation.resolve(&world)).collect();
    let requests: Vec<Request> = (0..STEPS)
        .map(|number| {
            let id = format!("ann-{number}").parse().unwrap_or_else(|error| panic!("{error}"));
            Request::new(sentences[number % sentences.len()].clone()).with_id(id)
        })
        .collect();
    let by_handles = || {
        timed_runs(&world, RUNS, |played| {
            resolved.iter().cycle().take(STEPS).for_each(|it| _ = black_box(played.perform(it)));
        })
    };
    let by_names = || {
        timed_runs(&world, RUNS, |played| {
            for operation in sentences.iter().cycle().take(STEPS) {
                let resolved = operation.resolve(played).unwrap_or_else(|error| panic!("{operation}: {error}"));
                let _ = black_box(played.perform(&resolved));
            }
        })
    };
    let by_requests = || {
        timed_runs(&world, RUNS, |played| {
            for request in &requests {
                black_box((played.request(request, &departures), played.update()));
            }
        })
    };
    #[expect(clippy::cast_precision_loss, reason = "a figure to be read")]
    let each = |time: std::time::Duration| time.as_secs_f64() * 1e9 / (RUNS * STEPS) as f64;
    let named = interleaved(PAIRS, by_names, by_handles);
    let requested = interleaved(PAIRS, by_requests, by_handles);
    println!("a move by handles {:.0} ns", each(named.second));
    println!("a move by names {:.0} ns, {:.1} times", each(named.first), named.ratio);
    println!("a request with its update {:.0} ns, {:.1} times", each(requested.first), requested.ratio);
}
