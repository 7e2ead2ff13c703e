//! Costs that grow with the players of a world: wrong names, a different ruleset, a player who
//! leaves and returns, and the ground. `cargo bench -p hypotheke-bench --bench players`

#![expect(clippy::panic, reason = "the rules and the operations are our own")]

use std::hint::black_box;
use std::sync::Arc;

use hypotheke::save::Save;
use hypotheke::{Action, Amount, Departure, KindId, NamedOperation, Operation, Place, Ruleset, World};
use hypotheke_bench::timed;

const PLAYERS: [usize; 3] = [100, 1_000, 10_000];
const ON_GROUND: u32 = 60_000;

fn rules(weight_cap: u32) -> Arc<Ruleset> {
    let rules = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(6).weight(1.into()))
        .container("pockets", move |it| it.slots(10).weight_cap(weight_cap.into()))
        .container("belt", |it| it.slots(4))
        .container("depot", |it| it.slots(ON_GROUND))
        .holder("surveyor", ["pockets", "belt"], |it| it)
        .build();
    rules.unwrap_or_else(|errors| panic!("{errors}")).into()
}

fn perform(world: &mut World, operation: &Operation) -> u64 {
    match world.perform(operation) {
        Ok(outcome) => outcome.done(),
        Err(refusal) => panic!("{}", world.explain(&refusal)),
    }
}

fn flare(world: &World) -> KindId {
    world.rules().find_kind("flare").unwrap_or_else(|| panic!("a kind"))
}

fn join(world: &mut World, name: &str) {
    let newcomer = Departure::newcomer(world.rules(), "surveyor", name).unwrap_or_else(|| panic!("a holder"));
    perform(world, &Operation::arriving(newcomer));
}

fn played_by(players: usize) -> World {
    let mut world = World::empty(&rules(900));
    for number in 0..players {
        join(&mut world, &format!("player-{number}"));
        let pockets = world.container(&format!("player-{number}.pockets")).unwrap_or_else(|| panic!("pockets"));
        let operation = Operation::creating(Amount::Exactly(20), flare(&world), pockets);
        perform(&mut world, &operation);
    }
    world
}

fn leave_and_come_back(world: &mut World, name: &str) {
    let holder = world.holder(name).unwrap_or_else(|| panic!("a holder"));
    perform(world, &Operation::departing(holder));
    let document = world.departed()[0].clone();
    perform(world, &Operation::arriving(document));
}

/// The median in microseconds.
fn median(runs: usize, mut act: impl FnMut()) -> f64 {
    let mut times: Vec<f64> = (0..runs).map(|_| timed(&mut act).as_secs_f64() * 1e6).collect();
    times.sort_by(f64::total_cmp);
    times[runs / 2]
}

fn main() {
    println!("microseconds, medians; by the number of players");
    println!("players   wrong name   same rules again   a cap changed   leaves and comes back");
    for players in PLAYERS {
        let mut world = played_by(players);
        let named: NamedOperation =
            "move 1 flare from playr-7 to depot".parse().unwrap_or_else(|error| panic!("{error}"));
        let wrong = median(101, || assert!(black_box(named.resolve(&world)).is_err()));
        let (same, mut cap) = (rules(900), 900);
        let reload =
            |world: &mut World, rules: &Arc<Ruleset>| assert!(world.reload(rules).is_ok_and(|it| it.is_empty()));
        let again = median(3, || reload(&mut world, &same));
        let changed = median(3, || {
            cap += 1;
            reload(&mut world, &rules(cap));
        });
        let back = median(301, || leave_and_come_back(&mut world, "player-9"));
        println!("{players:7} {wrong:12.1} {again:18.0} {changed:15.0} {back:23.0}");
    }
    let mut world = World::empty(&rules(900));
    join(&mut world, "ada");
    (0..10_000).for_each(|_| leave_and_come_back(&mut world, "ada"));
    let bytes = Save::of_snapshot(world.rules(), world.snapshot()).to_bytes().len();
    println!("a save after one player has come back 10,000 times: {bytes} bytes");
    let mut world = World::empty(&rules(900));
    let kind = flare(&world);
    for _ in 0..ON_GROUND {
        perform(&mut world, &Operation::creating(Amount::Exactly(1), kind, Place::Ground));
    }
    let depot = world.container("depot").unwrap_or_else(|| panic!("a container"));
    let all = Action::PickUp { amount: Amount::All, kind: Some(kind), from: None, to: depot.into() };
    let milliseconds =
        median(3, || assert_eq!(perform(&mut world.clone(), &all.clone().into()), u64::from(ON_GROUND))) / 1e3;
    println!("{ON_GROUND} stacks picked up at once, with a copy of their world: {milliseconds:.0} ms");
}
