//! What a world takes of memory, counted by an allocator that counts.

#![allow(clippy::expect_used, reason = "in a test, a panic fails the test")]

use std::fmt::Write;
use std::sync::Arc;

use hypotheke::replication::Request;
use hypotheke::{Amount, Departures, NamedOperation, Operation, Ruleset, World};

#[global_allocator]
static ALLOCATOR: dhat::Alloc = dhat::Alloc;

fn world(slots: u32) -> World {
    let mut text = String::from("format = 1\n");
    for kind in 0..64 {
        let _ = writeln!(text, "[kind.k{kind}]\nweight = 1.5\nstack-limit = 20");
    }
    for name in ["store", "shed"] {
        let _ = writeln!(text, "[container.{name}]\nslots = {slots}\nweight-cap = 900000000\nadmits = \"weight < 9\"");
    }
    World::new(&Arc::new(Ruleset::from_toml("test.toml", &text).expect("rules")))
}

/// Counting is for the whole process, so both are one test.
#[test]
fn a_stack_is_small_and_steady_play_allocates_nothing() {
    let _profiler = dhat::Profiler::builder().testing().build();
    steady_play_allocates_nothing();
    further_rules_allocate_nothing();
    what_comes_by_names_allocates_little();
    a_stack_takes_at_most_64_bytes();
}

fn a_stack_takes_at_most_64_bytes() {
    const STACKS: u32 = 1_000_000;
    let before = dhat::HeapStats::get().curr_bytes;
    let mut world = world(STACKS / 2);
    let kinds: Vec<hypotheke::KindId> = world.rules().kinds().map(hypotheke::Kind::handle).collect();
    for name in ["store", "shed"] {
        let container = world.container(name).expect("a container");
        for slot in 0..STACKS / 2 {
            let kind = kinds[slot as usize * 7 % kinds.len()];
            let create = Operation::creating(Amount::Exactly(10), kind, (container, slot));
            assert!(world.perform(&create).expect("room").is_complete());
        }
    }
    let bytes = dhat::HeapStats::get().curr_bytes - before;
    assert_eq!(world.free_slots(world.container("store").expect("a container")), 0);
    let each = bytes / STACKS as usize;
    println!("{each} bytes a stack");
    assert!(each <= 64, "{each} bytes a stack");
}

fn steady_play_allocates_nothing() {
    for slots in [30, 1_000] {
        let mut world = world(slots);
        let (store, shed) =
            (world.container("store").expect("a container"), world.container("shed").expect("a container"));
        let kinds: Vec<hypotheke::KindId> = world.rules().kinds().map(hypotheke::Kind::handle).collect();
        for slot in (0..slots).step_by(2) {
            let kind = kinds[slot as usize % kinds.len()];
            let create = Operation::creating(Amount::Exactly(10), kind, (store, slot));
            assert!(world.perform(&create).expect("room").is_complete());
        }
        let round = |world: &mut World| {
            for slot in (0..slots).step_by(2) {
                let there = ((slot * 7 + 2) % slots) & !1;
                for operation in [
                    Operation::splitting(3, (store, slot), (store, slot + 1)),
                    Operation::moving(Amount::All, (store, slot + 1), (shed, slot)),
                    Operation::moving(Amount::UpTo(2), (shed, slot), (store, slot)),
                    Operation::merging(Amount::All, (shed, slot), (store, slot)),
                    Operation::swapping((store, slot), (shed, there)),
                    Operation::swapping((shed, there), (store, slot)),
                ] {
                    assert!(world.perform(&operation).is_ok_and(hypotheke::Outcome::is_complete), "{operation:?}");
                }
            }
        };
        // Buffers and indexes grow to the size that they need.
        round(&mut world);
        round(&mut world);
        let before = dhat::HeapStats::get().total_blocks;
        round(&mut world);
        assert_eq!(dhat::HeapStats::get().total_blocks - before, 0, "with {slots} slots");
    }
}

/// Caps by filter, and a kind that occupies two slots of the container into which something is
/// moved.
fn further_rules_allocate_nothing() {
    let rules: Arc<Ruleset> = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(20).tags(["fuel"]))
        .kind("skis", |kind| kind.occupies_slots(["left", "right"]))
        .container("depot", |it| it.slots(30))
        .container("pockets", |it| it.slots(10).cap("fuel", 40))
        .container("belt", |it| it.slots(3).slot(|slot| slot.name("left")).slot(|slot| slot.name("right")))
        .holder("surveyor", ["pockets", "belt"], |it| it.cap("fuel", 30))
        .start("depot", ["20 flare", "1 skis"])
        .build()
        .expect("rules")
        .into();
    let mut world = World::new(&rules);
    let container = |name| world.container(name).expect("a container");
    let depot = container("depot");
    for to in [container("surveyor.pockets"), container("surveyor.belt")] {
        let moving = |from, to| Operation::moving(Amount::Exactly(5), (from, 0), (to, 0));
        let moves = [moving(depot, to), moving(to, depot)];
        let blocks = blocks_of_a_round(&mut || moves.iter().for_each(|it| assert!(world.perform(it).is_ok())));
        assert_eq!(blocks, 0, "for two moves, to and from {}", world.container_name(to));
    }
}

/// The median of what a round allocates: now and then a table grows.
fn blocks_of_a_round(round: &mut dyn FnMut()) -> u64 {
    let mut counts: Vec<u64> = (0..101)
        .map(|_| {
            let before = dhat::HeapStats::get().total_blocks;
            round();
            dhat::HeapStats::get().total_blocks - before
        })
        .collect();
    counts.sort_unstable();
    counts[counts.len() / 2]
}

fn what_comes_by_names_allocates_little() {
    let rules: Arc<Ruleset> = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(6).weight(1.into()))
        .container("depot", |it| it.slots(30))
        .container("pockets", |it| it.slots(10).weight_cap(900.into()))
        .holder("surveyor", ["pockets"], |it| it)
        .start("depot", ["20 flare"])
        .build()
        .expect("rules")
        .into();
    let mut world = World::new(&rules);
    let sentences = ["move 1 from depot/0 to surveyor.pockets/0", "surveyor moves 1 flare from pockets to depot"];
    let named: Vec<NamedOperation> = sentences.iter().map(|it| it.parse().expect("a sentence")).collect();
    let blocks = blocks_of_a_round(&mut || {
        for operation in &named {
            let resolved = operation.resolve(&world).expect("known names");
            assert!(world.perform(&resolved).is_ok());
        }
    });
    assert_eq!(blocks, 0, "for two operations by names");
    let (departures, mut number) = (Departures::new(), 0);
    let blocks = blocks_of_a_round(&mut || {
        for operation in &named {
            number += 1;
            let id = format!("surveyor-{number}").parse().expect("an id");
            let answer = world.request(&Request::new(operation.clone()).with_id(id), &departures);
            assert!(answer.outcome().is_some() && world.update().is_some());
        }
    });
    // Six of each are for the request itself.
    println!("{blocks} allocations for two requests with their updates");
    assert!(blocks <= 2 * (6 + 12), "{blocks} for two requests with their updates");
}
