//! What recipes cost: finding those for which a station has enough, carrying one out, looking for a
//! cycle that gains, and waiting. `cargo bench -p hypotheke-bench --bench recipes`

#![expect(clippy::panic, reason = "the rules are our own")]

use std::hint::black_box;
use std::sync::Arc;

use hypotheke::{Amount, ContainerId, Decimal, Operation, Ruleset, World};
use hypotheke_bench::timed;

const RUNS: usize = 11;
const EACH: u32 = 1_000;
const KINDS: u32 = 60;
/// How many recipes end at one tick.
const TOGETHER: u32 = 10;

/// A number of recipes at one station, each of two inputs and a tool; every tenth takes what a
/// filter admits.
fn rules(recipes: u32) -> Ruleset {
    let mut builder = Ruleset::builder();
    for kind in 0..KINDS {
        builder =
            builder.kind(&format!("k{kind}"), |it| it.stack_limit(20).tags([["metal", "paper"][kind as usize % 2]]));
    }
    // What they make is no input of another one, apart from every fifth.
    for recipe in 0..recipes {
        let of = |salt: u32| (recipe * 7 + salt * 22) % KINDS;
        let first = if recipe % 10 == 0 { "2 metal and not paper".to_owned() } else { format!("2 k{}", of(1)) };
        let (second, tool) = (format!("1 k{}", of(2)), format!("1 k{}", of(3)));
        let made = if recipe % 5 == 0 { format!("1 k{}", of(4)) } else { "1 k0".to_owned() };
        builder = builder.recipe(&format!("r{recipe}"), |it| {
            it.at(["bench"]).inputs([first.as_str(), second.as_str()]).tools([tool.as_str()]).outputs([made.as_str()])
        });
    }
    let stacks: Vec<String> = (0..20).map(|nth| format!("9 k{}", (nth * 11) % KINDS)).collect();
    let builder = builder.container("bench", |it| it.slots(60)).start("bench", stacks.iter().map(String::as_str));
    builder.build().unwrap_or_else(|errors| panic!("{errors}"))
}

/// A number of stations, all at work, of which some end at the next tick, as many at the one after
/// it, and so on.
fn at_work(stations: u32, together: u32) -> World {
    let names: Vec<String> = (0..stations).map(|nth| format!("station-{nth}")).collect();
    let rules = Ruleset::builder()
        .kind("peat", |it| it.stack_limit(20))
        .kind("brick", |it| it.stack_limit(20))
        .container("station", |it| it.slots(2).copies(names.iter().map(String::as_str)))
        .recipe("press", |it| {
            it.at(names.iter().map(String::as_str))
                .inputs(["1 peat"])
                .outputs(["1 brick"])
                .duration((stations / together).max(1))
        })
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    world.set_undo_limit(1);
    let (Some(peat), Some(press)) = (world.rules().find_kind("peat"), world.rules().find_recipe("press")) else {
        panic!("no such rules")
    };
    let stations: Vec<ContainerId> = world.containers().collect();
    for (nth, group) in stations.chunks(together as usize).enumerate() {
        let waiting = (nth > 0).then(|| Operation::waiting(1));
        let starting = group.iter().flat_map(|&station| {
            [
                Operation::creating(Amount::Exactly(1), peat, station),
                Operation::crafting(Amount::Exactly(1), press, station),
            ]
        });
        for operation in waiting.into_iter().chain(starting) {
            if let Err(refusal) = world.perform(&operation) {
                panic!("{}", world.explain(&refusal));
            }
        }
    }
    world
}

/// A store with a number of stacks, of which some fall every 5 ticks.
fn with_food(stacks: u32, food: u32) -> World {
    let rules = Ruleset::builder()
        .kind("rock", |it| it)
        .kind("fish", |it| it.property("freshness", Decimal::from(1_000)))
        .container("store", |it| it.slots(stacks))
        .falling("freshness", Decimal::from(1), 5, Decimal::ZERO)
        .start("store", [format!("{} rock", stacks - food).as_str(), format!("{food} fish").as_str()])
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    world.set_undo_limit(1);
    world
}

/// The median over all runs, in microseconds for each.
fn median(mut run: impl FnMut()) -> f64 {
    let mut time = || timed(&mut || (0..EACH).for_each(|_| run())).as_secs_f64() * 1e6 / f64::from(EACH);
    time();
    let mut times: Vec<f64> = (0..RUNS).map(|_| time()).collect();
    times.sort_by(f64::total_cmp);
    times[RUNS / 2]
}

fn main() {
    for recipes in [10, 100, 1_000] {
        let rules = Arc::new(rules(recipes));
        let world = World::new(&rules);
        let Some(bench) = world.container("bench") else { panic!("no bench") };
        let found = world.craftable(bench, None);
        let finding = median(|| _ = black_box(world.craftable(bench, None)));
        let count = found.len();
        println!("{recipes} recipes, {count} with enough: found in {finding:.1} µs (median of {RUNS} runs of {EACH})");
        let Some(&(recipe, _)) = found.first() else { continue };
        let mut played = world.clone();
        played.set_undo_limit(1);
        let operation = Operation::crafting(Amount::Exactly(1), recipe, bench);
        let crafting = median(|| {
            if let Ok(outcome) = played.perform(&operation) {
                let _ = played.undo(outcome.revision());
            }
        });
        let linting = timed(&mut || _ = black_box(rules.lint())).as_secs_f64() * 1e3;
        println!("  one is carried out and undone in {crafting:.1} µs; all warnings are found in {linting:.1} ms");
    }
    for (stacks, food) in [(1_000, 10), (100_000, 10), (1_000_000, 10), (1_000_000, 100_000)] {
        let mut world = with_food(stacks, food);
        let mut wait = |ticks: u32| {
            if let Ok(outcome) = world.perform(&Operation::waiting(ticks)) {
                let _ = world.undo(outcome.revision());
            }
        };
        let idle = median(|| wait(4));
        let falling = if food == TOGETHER { median(|| wait(5)) } else { timed(&mut || wait(5)).as_secs_f64() * 1e6 };
        println!("{stacks} stacks, {food} of them fall: {falling:.1} µs, a wait before that {idle:.2} µs");
    }
    for (stations, together) in [(100, 10), (1_000, 10), (10_000, 10), (100_000, 10), (1_000, 1_000), (10_000, 10_000)]
    {
        let mut world = at_work(stations, together);
        let waiting = Operation::waiting(1);
        let mut ended = 0;
        let mut wait = || {
            if let Ok(outcome) = world.perform(&waiting) {
                ended = world.events().len();
                let _ = world.undo(outcome.revision());
            }
        };
        let time = if together == TOGETHER { median(wait) } else { timed(&mut wait).as_secs_f64() * 1e6 };
        println!(
            "{stations} stations: a wait that ends {together} recipes, undone, takes {time:.1} µs ({ended} events)"
        );
    }
}
