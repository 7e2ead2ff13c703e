//! A watch says what the audit says, of worlds that are spoiled in every way.

use std::sync::Arc;

use super::IncrementalAudit;
use crate::audit::audit;
use crate::language::NamedOperation;
use crate::ruleset::Ruleset;
use crate::world::{Cell, Spot, World};

const RULES: &str = r#"
ground-limit = 3
nesting = 2
[mark.wet]
[mark.cold]
[kind.flare]
stack-limit = 6
weight = 1
tags = ["signal"]
[kind.core]
weight = 3
properties = { reading = 0 }
[kind.pole]
weight = 2
occupies-slots = ["left", "right"]
[kind.bag]
pack = "bag"
[container.bag]
slots = 2
weight-cap = 12
[container.depot]
slots = 4
exclusive = true
caps = [{ of = "signal", count = 9 }]
min-slots = 3
max-slots = 5
[container.dry]
slots = 3
admits = "not wet and not (core and reading > 5)"
deep = true
[container.belt]
worn = true
slot = [{ name = "left" }, { name = "right", stack-limit = 1 }, { name = "back", admits = "bag" }]
[container.pockets]
slots = 2
stack-limit = 4
[holder.ann]
carries = ["pockets", "belt"]
weight-cap = 20
shortcuts = 2
[holder.bob]
carries = ["pockets"]
caps = [{ of = "core", count = 1 }]
[start]
depot = ["6 flare", "2 flare (wet)", "1 bag"]
"depot/2/" = ["1 core (reading 2)"]
dry = ["1 bag"]
"dry/0/" = ["1 core (reading 4)", "1 bag"]
"ann.pockets" = ["4 flare", "1 core"]
"ann.belt/back" = ["1 bag"]
"#;

const STEPS: [&str; 12] = [
    "ann binds flare to shortcuts/0",
    "ann opens depot",
    "ann lifts 2 from depot/0",
    "ann moves 1 flare from depot/0 to belt/back/",
    "drop 1 flare from depot/1",
    "mark dry/0/0 cold",
    "set reading of dry/0/0 to 4.5",
    "swap depot/0 with depot/3",
    "resize depot to 5",
    "create 1 pole in ann.belt/left",
    "ann puts in depot/1",
    "depart bob",
];

fn world() -> World {
    let rules = Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}"));
    World::new(&Arc::new(rules))
}

fn play(world: &mut World, step: &str) {
    let operation: NamedOperation = step.parse().unwrap_or_else(|error| panic!("{step}: {error}"));
    let resolved = operation.resolve(world).unwrap_or_else(|error| panic!("{step}: {error}"));
    let _ = world.perform(&resolved);
}

fn keeps(world: &World) -> bool {
    audit(world.rules(), &world.snapshot()).is_empty()
}

/// Every way in which one cell may be wrong.
fn corrupted(cell: Cell, other: Cell) -> Vec<Cell> {
    let with = |change: &dyn Fn(&mut Cell)| {
        let mut cell = cell;
        change(&mut cell);
        cell
    };
    vec![
        Cell::default(),
        other,
        with(&|cell| cell.count += 1),
        with(&|cell| cell.count = 1),
        with(&|cell| cell.count = u32::MAX),
        with(&|cell| (cell.kind, cell.class) = (other.kind, other.class)),
        // A snapshot can't express a class of a different kind.
        with(&|cell| cell.class = if other.kind == cell.kind { other.class } else { cell.class }),
        with(&|cell| cell.id = other.id),
        with(&|cell| cell.id = 0),
        with(&|cell| cell.id = 1_000),
    ]
}

#[test]
fn a_watch_says_what_the_audit_says() {
    let mut world = world();
    let mut watch = IncrementalAudit::new(&world);
    assert!(keeps(&world) && watch.keeps_the_laws(&world));
    let (mut kept, mut broken) = (0, 0);
    for step in STEPS {
        play(&mut world, step);
        assert_eq!(watch.keeps_the_laws(&world), keeps(&world), "{step}");
        for spot in world.all_spots() {
            for other in world.all_spots() {
                for cell in corrupted(world.cell(spot), world.cell(other)) {
                    let before = world.corrupt(spot, cell);
                    // A snapshot can't express a pack without an inside.
                    if !before.is_pack() && !cell.is_pack() {
                        let expected = keeps(&world);
                        assert_eq!(watch.keeps_the_laws(&world), expected, "{step}: {spot:?}: {before:?} is {cell:?}");
                        assert_eq!(IncrementalAudit::new(&world).keeps_the_laws(&world), expected);
                        (kept, broken) = if expected { (kept + 1, broken) } else { (kept, broken + 1) };
                    }
                    world.corrupt(spot, before);
                    assert!(watch.keeps_the_laws(&world));
                }
            }
        }
    }
    assert!(kept > 500 && broken > 10_000, "{kept} kept, {broken} broken");
}

/// Ways in which two cells may be wrong that are right one by one: exchanged, with each other's
/// ids, with what the other has lost.
fn exchanged(one: Cell, other: Cell) -> [(Cell, Cell); 4] {
    [
        (other, one),
        (Cell { id: other.id, ..one }, Cell { id: one.id, ..other }),
        (Cell { count: one.count.saturating_sub(1), ..one }, Cell { count: other.count.saturating_add(1), ..other }),
        (Cell { id: 999, ..one }, Cell { id: 999, ..other }),
    ]
}

#[test]
fn a_watch_says_what_the_audit_says_of_two_cells_at_once() {
    let mut world = world();
    let mut watch = IncrementalAudit::new(&world);
    let (mut kept, mut broken) = (0, 0);
    for step in STEPS {
        play(&mut world, step);
        let spots = world.all_spots();
        for (nth, &spot) in spots.iter().enumerate() {
            for &other in &spots[nth + 1..] {
                for (one, two) in exchanged(world.cell(spot), world.cell(other)) {
                    let before = [world.corrupt(spot, one), world.corrupt(other, two)];
                    if before.iter().chain([&one, &two]).all(|cell| !cell.is_pack()) {
                        let expected = keeps(&world);
                        assert_eq!(
                            watch.keeps_the_laws(&world),
                            expected,
                            "{step}: {spot:?} {one:?}, {other:?} {two:?}"
                        );
                        (kept, broken) = if expected { (kept + 1, broken) } else { (kept, broken + 1) };
                    }
                    world.corrupt(spot, before[0]);
                    world.corrupt(other, before[1]);
                    assert!(watch.keeps_the_laws(&world));
                }
            }
        }
    }
    assert!(kept > 500 && broken > 5_000, "{kept} kept, {broken} broken");
}

#[test]
fn a_pack_that_is_lost_or_doubled_is_noticed() {
    let mut world = world();
    let mut watch = IncrementalAudit::new(&world);
    assert!(watch.keeps_the_laws(&world));
    let packs: Vec<Spot> = world.all_spots().into_iter().filter(|&spot| world.cell(spot).is_pack()).collect();
    assert_eq!(packs.len(), 4);
    for &spot in &packs {
        for cell in [Cell::default(), Cell { count: 2, ..world.cell(spot) }, Cell { inner: 0, ..world.cell(spot) }] {
            let before = world.corrupt(spot, cell);
            assert!(!watch.keeps_the_laws(&world), "{before:?} is {cell:?}");
            world.corrupt(spot, before);
            assert!(watch.keeps_the_laws(&world));
        }
        for &other in packs.iter().filter(|&&other| other != spot) {
            let before = world.corrupt(spot, world.cell(other));
            assert!(!watch.keeps_the_laws(&world), "{spot:?} as {other:?}");
            world.corrupt(spot, before);
        }
    }
}

#[test]
fn a_class_number_with_a_new_meaning_is_found() {
    let mut world = world();
    let mut watch = IncrementalAudit::new(&world);
    play(&mut world, "mark dry/0/0 cold");
    assert!(watch.keeps_the_laws(&world));
    // The stack keeps its number, under which there is something else now.
    play(&mut world, "together (unmark dry/0/0 cold; mark dry/0/0 wet)");
    assert!(!keeps(&world));
    assert!(!watch.keeps_the_laws(&world));
}
