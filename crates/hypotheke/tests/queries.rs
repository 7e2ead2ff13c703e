//! Questions about contents.

use std::sync::Arc;

use hypotheke::{NamedOperation, Path, Place, Reason, Ruleset, Selector, World};

const RULES: &str = r#"
format = 1
units = { weight = "kg" }
[tag.signal]
[mark.wet]
label = "Soaked"
[kind.flare]
name = "Flare"
note = "Burns for a minute"
tags = ["signal.light"]
weight = 0.5
stack-limit = 6
properties = { range = 3, colour = "red" }
[kind.radio]
tags = ["signal"]
weight = 4
[kind.hood]
tags = ["head"]
weight = 0.5
attributes = { warmth = 2 }
[kind.satchel]
weight = 1
pack = "satchel"
[container.satchel]
slots = 2
[container.depot]
slots = 8
columns = 3
weight-cap = 20
[container.bag]
slots = 2
[container.worn]
worn = true
slot = [{ name = "head", admits = "head" }, { name = "side" }, { name = "light", admits = "signal and not wet" }]
[holder.ann]
carries = ["bag", "worn"]
[start]
depot = ["5 flare", "2 flare (wet, range 5)", "1 satchel"]
"depot/2/" = ["1 radio"]
"ann.bag" = ["1 hood", "3 flare"]
ground = ["1 radio"]
"#;

fn world() -> World {
    World::new(&Arc::new(Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}"))))
}

fn place(world: &World, path: &str) -> Place {
    world.place(&path.parse::<Path>().unwrap(), None).unwrap_or_else(|error| panic!("{error}"))
}

fn what(world: &World, name: &str) -> Selector {
    world.rules().selector(name).unwrap_or_else(|| panic!("{name}"))
}

#[test]
fn items_are_counted_by_kind_tag_and_mark_wherever_they_lie() {
    let world = world();
    let cases = [
        ("flare", None, 10),
        ("flare", Some("depot"), 7),
        ("flare", Some("ann"), 3),
        ("flare", Some("depot/0"), 5),
        ("radio", None, 2),
        ("radio", Some("depot"), 1),
        ("radio", Some("depot/2"), 1),
        ("radio", Some("ground"), 1),
        ("radio", Some("ann"), 0),
        ("signal", None, 12),
        ("signal.light", Some("ann.bag"), 3),
        ("wet", None, 2),
        ("wet", Some("ann"), 0),
    ];
    for (name, at, count) in cases {
        let at = at.map(|at| place(&world, at));
        assert_eq!(world.count(what(&world, name), at), count, "{name} in {at:?}");
        assert_eq!(world.has(what(&world, name), at), count > 0, "{name} in {at:?}");
        assert_eq!(world.find(what(&world, name), at).is_some(), count > 0, "{name} in {at:?}");
    }
    assert_eq!(world.rules().selector("rope"), None);
}

#[test]
fn the_first_that_is_found_lies_outside_of_packs() {
    let world = world();
    let found = |name, at| world.find(what(&world, name), at).map(|found| world.place_name(found));
    assert_eq!(found("flare", Some(place(&world, "depot"))).as_deref(), Some("depot/0"));
    assert_eq!(found("wet", None).as_deref(), Some("depot/1"));
    assert_eq!(found("radio", Some(place(&world, "depot"))).as_deref(), Some("depot/2/0"));
    let on_ground = world.ground().next().unwrap().0.id();
    assert_eq!(world.find(what(&world, "radio"), None), Some(Place::OnGround(on_ground)));
    assert_eq!(world.place_of(on_ground), Some(Place::OnGround(on_ground)));
}

#[test]
fn room_names_its_limit() {
    let world = world();
    let kind = |name| world.rules().find_kind(name).unwrap();
    let described = |name, at| {
        let room = world.room_for(kind(name), place(&world, at));
        (room.items, room.limited_by.map(|cause| cause.reason()))
    };
    assert_eq!(described("radio", "depot"), (2, Some(Reason::WeightCap)));
    assert_eq!(described("flare", "depot/0"), (1, Some(Reason::StackLimit)));
    assert_eq!(described("flare", "depot/2"), (0, Some(Reason::NoRoom)));
    assert_eq!(described("flare", "ann.bag"), (3, Some(Reason::NoRoom)));
    assert_eq!(described("radio", "ann.worn/head"), (0, Some(Reason::NotAdmitted)));
    // As many as are said to fit are created, and one more is refused.
    for (name, at) in [("radio", "depot"), ("flare", "depot/0"), ("flare", "ann.bag"), ("flare", "depot")] {
        let mut tried = world.clone();
        let items = tried.room_for(kind(name), place(&world, at)).items;
        for (count, applied) in [(items, true), (1, false)] {
            let create: NamedOperation = format!("create {count} {name} in {at}").parse().unwrap();
            assert_eq!(tried.perform(&create.resolve(&tried).unwrap()).is_ok(), applied, "{create}");
        }
    }
}

#[test]
fn slots_have_rows_and_columns() {
    let world = world();
    let depot = world.container("depot").unwrap();
    for slot in 0..8 {
        let (row, column) = world.row_column(depot, slot).unwrap();
        assert_eq!((row, column), (slot / 3, slot % 3));
        assert_eq!(world.slot_at(depot, row, column), Some(slot));
    }
    assert_eq!(world.row_column(depot, 8), None);
    for (row, column) in [(2, 2), (0, 3), (u32::MAX, 0), (0, u32::MAX)] {
        assert_eq!(world.slot_at(depot, row, column), None);
    }
}

#[test]
fn a_stack_is_described_for_whoever_reads_of_it() {
    let world = world();
    let wet = world.describe_stack(place(&world, "depot/1")).unwrap();
    assert_eq!(
        serde_json::to_value(&wet).unwrap(),
        serde_json::json!({
            "id": "#2", "kind": "flare", "name": "Flare", "note": "Burns for a minute", "count": 2, "limit": 6,
            "weight": "1", "marks": ["Soaked"], "properties": [["range", "5"], ["colour", "red"]], "attributes": [],
            "worn-in": ["worn/side"],
        })
    );
    let hood = world.describe_stack(place(&world, "ann.bag/0")).unwrap();
    assert_eq!(hood.worn_in, ["worn/head", "worn/side"]);
    assert_eq!(hood.attributes, [("warmth".to_owned(), 2.into())]);
    assert_eq!(world.describe_stack(place(&world, "depot/0")).unwrap().worn_in, ["worn/side", "worn/light"]);
    assert_eq!(world.describe_stack(place(&world, "depot/2")).unwrap().weight.to_string(), "5");
    for nothing in ["depot/7", "depot", "ann", "ground", "ann.hand"] {
        assert_eq!(world.describe_stack(place(&world, nothing)), None, "{nothing}");
    }
}
