//! Many holders in an entity component system: ten thousand porters with thirty slots each.
//!
//! Entities carry handles, the world is beside them. One system lets every porter act, each frame;
//! another reads the events of each operation and keeps a component of the entities in step, as a
//! game would for what it draws.
//!
//!     cargo run --release -p hypotheke --example entities          # a few frames
//!     cargo run --release -p hypotheke --example entities -- 500   # more; prints the rate to standard error

#![expect(clippy::disallowed_methods, reason = "a rate needs a clock")]

use std::collections::BTreeMap;
use std::error::Error;
use std::sync::Arc;
use std::time::Instant;

use hypotheke::{Amount, ContainerId, Departure, Event, HolderId, KindId, Operation, Place, Reason, Ruleset, World};

const PORTERS: usize = 10_000;
const SLOTS: u32 = 30;

/// Of an entity that carries things.
struct Porter {
    holder: HolderId,
    basket: ContainerId,
}

/// What a game shows beside a porter; kept by events alone.
#[derive(Default)]
struct Load {
    items: u64,
    changes: u64,
}

struct Kinds {
    flare: KindId,
    ration: KindId,
    drum: KindId,
}

fn rules() -> Result<Ruleset, Box<dyn Error>> {
    Ok(Ruleset::builder()
        .weight_unit("kg")
        .kind("flare", |kind| kind.weight(1.into()).stack_limit(6))
        .kind("ration-box", |kind| kind.weight(10.into()).stack_limit(4))
        .kind("fuel-drum", |kind| kind.weight(46.into()).stack_limit(2))
        .container("basket", |basket| basket.slots(SLOTS).weight_cap(2_000.into()))
        .holder("porter", ["basket"], |porter| porter)
        .build()?)
}

/// Lets the porters come into the world with something to carry, and makes an entity of each.
fn arrive(world: &mut World, entities: &mut hecs::World, kinds: &Kinds) -> Result<(), Box<dyn Error>> {
    for number in 0..PORTERS {
        let name = format!("porter-{number}");
        let newcomer = Departure::newcomer(world.rules(), "porter", &name).ok_or("the porter")?;
        let arrived = world.perform(&Operation::arriving(newcomer)).map_err(|refusal| world.explain(&refusal))?;
        debug_assert_eq!(arrived.done(), 0, "a newcomer brings nothing");
        let holder = world.holder(&name).ok_or("the porter")?;
        let basket = world.carried(holder).next().ok_or("the basket")?;
        let mut load = Load::default();
        for kind in [kinds.flare, kinds.ration, kinds.drum] {
            let start = Operation::creating(Amount::UpTo(10), kind, basket);
            let created = world.perform(&start).map_err(|refusal| world.explain(&refusal))?;
            debug_assert!(created.is_complete(), "the basket is empty");
            notice(world, &mut load);
        }
        entities.spawn((Porter { holder, basket }, load));
    }
    Ok(())
}

/// What a porter does in a frame. Some of it is refused: that is an answer too.
fn wishes(world: &World, porter: &Porter, kinds: &Kinds, turn: u32) -> [Operation; 8] {
    let (basket, slot) = (porter.basket, |slot: u32| (porter.basket, slot % SLOTS));
    let first = world.stacks(basket).next().map_or(0, |(first, _)| first);
    let kind = |turn: u32| [kinds.flare, kinds.ration, kinds.drum][turn as usize % 3];
    [
        Operation::consuming(Amount::UpTo(4), kind(turn), basket),
        Operation::consuming(Amount::UpTo(1), kind(turn + 1), basket),
        Operation::moving(Amount::All, slot(first), slot(turn)),
        Operation::swapping(slot(turn), slot(turn + 1)),
        Operation::creating(Amount::UpTo(1), kind(turn + 1), basket),
        Operation::moving(Amount::All, slot(turn), slot(turn + 17)),
        Operation::swapping(slot(turn + 17), slot(first)),
        Operation::creating(Amount::UpTo(4), kind(turn), basket),
    ]
}

/// The system that reads events: who got or lost how much.
fn notice(world: &World, load: &mut Load) {
    for event in world.events() {
        load.changes += 1;
        if let Event::Moved { count, .. } = event {
            let count = u64::from(*count);
            load.items = match (event.is_creation(), event.is_consumption()) {
                (true, _) => load.items + count,
                (_, true) => load.items - count,
                _ => load.items,
            };
        }
    }
}

/// The system that lets all act, once; gives how many operations were applied.
fn frame(
    world: &mut World,
    entities: &mut hecs::World,
    kinds: &Kinds,
    frame: u32,
    refused: &mut BTreeMap<Reason, u64>,
) -> u64 {
    let mut applied = 0;
    for (number, (porter, load)) in (0..).zip(entities.query_mut::<(&Porter, &mut Load)>()) {
        for operation in wishes(world, porter, kinds, frame * 7 + number) {
            match world.perform(&operation) {
                Ok(_) => {
                    applied += 1;
                    notice(world, load);
                }
                Err(refusal) => *refused.entry(refusal.reason()).or_insert(0) += 1,
            }
        }
    }
    applied
}

fn main() -> Result<(), Box<dyn Error>> {
    let frames: u32 = std::env::args().nth(1).map_or(Ok(3), |frames| frames.parse())?;
    let mut world = World::new(&Arc::new(rules()?));
    let kind = |id: &str| world.rules().find_kind(id).ok_or("a kind");
    let kinds = Kinds { flare: kind("flare")?, ration: kind("ration-box")?, drum: kind("fuel-drum")? };
    let mut entities = hecs::World::new();
    arrive(&mut world, &mut entities, &kinds)?;
    println!("{} porters with {SLOTS} slots each", entities.len());

    let (start, mut applied, mut refused) = (Instant::now(), 0, BTreeMap::new());
    for number in 0..frames {
        applied += frame(&mut world, &mut entities, &kinds, number, &mut refused);
    }
    let (time, operations) = (start.elapsed(), applied + refused.values().sum::<u64>());
    eprintln!("{:.1} million operations a second, events read", operations as f64 / time.as_secs_f64() / 1e6);

    println!("{frames} frames: {operations} operations, {applied} of them applied");
    for (reason, count) in refused {
        println!("  refused: {reason:14} {count:>7}");
    }
    let (mut items, mut changes) = (0, 0);
    for (porter, load) in entities.query_mut::<(&Porter, &Load)>() {
        let carried = world.stacks_in(Some(Place::Holder(porter.holder)));
        let counted: u64 = carried.iter().map(|stack| u64::from(stack.count())).sum();
        assert_eq!(load.items, counted, "events say all that changed");
        (items, changes) = (items + load.items, changes + load.changes);
    }
    println!("{changes} changes noticed; {items} items carried, as the events say and the world has it");
    Ok(())
}
