//! What recipes cost: finding those for which a station has enough, carrying one out, and looking
//! for a cycle that gains. `cargo bench -p hypotheke-bench --bench recipes`

#![expect(clippy::panic, reason = "the rules are our own")]

use std::hint::black_box;
use std::sync::Arc;

use hypotheke::{Amount, Operation, Ruleset, World};
use hypotheke_bench::timed;

const RUNS: usize = 11;
const EACH: u32 = 1_000;
const KINDS: u32 = 60;

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
}
