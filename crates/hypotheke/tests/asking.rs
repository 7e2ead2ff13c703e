//! Asking before acting: every reason at once, and what each slot would take.

use std::sync::Arc;

use hypotheke::{NamedOperation, Place, Reason, Ruleset, World};

const RULES: &str = r#"
format = 1
units = { weight = "kg" }
nesting = 1
[mark.wet]
[kind.drum]
tags = ["fuel"]
weight = 40
stack-limit = 4
[kind.journal]
protected = true
[kind.flare]
weight = 1
stack-limit = 6
[kind.satchel]
pack = "satchel"
[container.satchel]
slots = 2
[container.depot]
slots = 12
exclusive = true
[container.sled]
slots = 3
weight-cap = 100
caps = [{ of = "fuel", count = 3 }]
slot = [{ name = "box", admits = "flare" }, {}, { stack-limit = 2 }]
[container.archive]
slots = 2
put-by = "nobody"
take-by = "nobody"
admits = "not fuel"
[container.bag]
slots = 2
[holder.ann]
carries = ["bag"]
weight-cap = 60
[holder.bert]
carries = ["bag"]
[start]
depot = ["9 drum", "6 flare (wet)", "1 satchel"]
"depot/4/" = ["1 journal"]
sled = ["2 flare", "1 drum"]
archive = ["1 journal", "2 flare"]
"ann.bag" = ["1 journal", "5 flare"]
"#;

fn world() -> World {
    World::new(&Arc::new(Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}"))))
}

/// The result, the largest amount, and every reason in words.
fn ask(world: &World, sentence: &str) -> (bool, u64, Vec<String>) {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let before = world.snapshot();
    let reply = world.ask(&operation);
    assert_eq!(world.snapshot(), before);
    let planned = world.plan(&operation).map(|plan| plan.outcome());
    assert_eq!(reply.answer(), planned, "{sentence}");
    let described = |&cause| format!("{}: {}", hypotheke::Cause::reason(&cause), world.explain_cause(cause));
    (reply.answer().is_ok(), reply.max_amount(), reply.causes().iter().map(described).collect())
}

#[test]
fn every_reason_is_listed_on_its_own() {
    let world = world();
    let cases: &[(&str, bool, u64, &[&str])] = &[
        ("move 1 drum from depot to sled", true, 1, &[]),
        (
            "move 9 drum from depot to sled",
            false,
            1,
            &[
                "cap: sled would contain 10 fuel; its cap is 3",
                "weight-cap: sled would weigh 402 kg; its cap is 100 kg",
                "no-room: sled has room for 5 of 9",
            ],
        ),
        (
            "move up to 9 drum from depot to sled",
            true,
            1,
            &[
                "cap: sled would contain 10 fuel; its cap is 3",
                "weight-cap: sled would weigh 402 kg; its cap is 100 kg",
                "no-room: sled has room for 5 of 9",
            ],
        ),
        (
            // No more than there are: what does not exist weighs nothing.
            "move up to 9999 drum from depot to sled",
            true,
            1,
            &[
                "cap: sled would contain 10 fuel; its cap is 3",
                "weight-cap: sled would weigh 402 kg; its cap is 100 kg",
                "no-room: sled has room for 5 of 9",
            ],
        ),
        (
            "move 4 drum from depot/0 to sled/0",
            false,
            0,
            &[
                "not-admitted: sled/box rejects this drum: it admits `flare`",
                "cap: sled would contain 5 fuel; its cap is 3",
                "weight-cap: sled would weigh 202 kg; its cap is 100 kg",
                "no-room: sled/box is occupied by flare",
            ],
        ),
        (
            "move 1 drum from depot to archive",
            false,
            0,
            &[
                "no-put: nobody may put items into archive",
                "not-admitted: archive rejects this drum: it admits `not fuel`",
                "no-room: archive has room for 0 of 1",
            ],
        ),
        (
            "drop journal from archive",
            false,
            0,
            &["protected: journal is protected", "no-take: nobody may take items out of archive"],
        ),
        (
            "ann moves 2 drum from sled to bag",
            false,
            0,
            &[
                // The one that is there would not be too heavy.
                "not-enough: sled contains 1; 2 were requested",
                "no-room: ann.bag has room for 0 of 1",
            ],
        ),
        (
            "create 30 drum in ann.bag",
            false,
            0,
            &["weight-cap: ann would weigh 1205 kg; its cap is 60 kg", "no-room: ann.bag has room for 0 of 30"],
        ),
        ("drop satchel from depot", false, 0, &["protected: journal is protected"]),
        (
            // A filter is listed once, whatever number of kinds it refuses.
            "move from depot to sled/0",
            false,
            0,
            &[
                "not-admitted: sled/box rejects this drum: it admits `flare`",
                "cap: sled would contain 10 fuel; its cap is 3",
                "weight-cap: sled would weigh 408 kg; its cap is 100 kg",
                "stack-limit: sled/box would contain 9; its stack limit is 4",
                "no-room: sled/box is occupied by flare",
            ],
        ),
    ];
    for (sentence, applied, max_amount, reasons) in cases {
        let reasons: Vec<String> = reasons.iter().map(|&reason| reason.to_owned()).collect();
        assert_eq!(ask(&world, sentence), (*applied, *max_amount, reasons), "{sentence}");
    }
}

#[test]
fn every_obstacle_behind_a_closed_container_is_listed() {
    let mut world = world();
    let open: NamedOperation = "bert opens depot".parse().unwrap();
    let _ = world.perform(&open.resolve(&world).unwrap()).unwrap();
    let (applied, _, reasons) = ask(&world, "ann moves 2 drum from depot to bag");
    assert!(!applied);
    assert_eq!(
        reasons,
        [
            "in-use: depot is in use by bert",
            "weight-cap: ann would weigh 85 kg; its cap is 60 kg",
            "no-room: ann.bag has room for 0 of 2",
        ]
    );
}

#[test]
fn remedies_name_what_it_would_take() {
    let world = world();
    let operation: NamedOperation = "move 4 drum from depot to sled".parse().unwrap();
    let reply = world.ask(&operation.resolve(&world).unwrap());
    let described: Vec<Option<String>> = reply.causes().iter().map(|&cause| world.remedy(cause)).collect();
    assert_eq!(
        described,
        [
            Some("Raise this cap of sled to 5, or remove 2 fuel from sled first".to_owned()),
            Some("Raise the weight cap of sled to 202 kg, or remove 102 kg from sled first".to_owned()),
        ]
    );
}

#[test]
fn each_slot_says_how_many_it_would_take() {
    let world = world();
    let (depot, sled) = (world.container("depot").unwrap(), world.container("sled").unwrap());
    let ann = world.holder("ann").unwrap();
    let bag = world.container("ann.bag").unwrap();
    let described = |from: Place, actor, to| {
        let mut room = Vec::new();
        world.room_by_slot(from, actor, to, &mut room).unwrap();
        let described = room.iter().map(|slot| (slot.takes, slot.why_not_all.map(|cause| cause.reason())));
        described.collect::<Vec<_>>()
    };
    assert_eq!(
        described((depot, 0).into(), None, sled),
        [(0, Some(Reason::NotAdmitted)), (1, Some(Reason::Cap)), (1, Some(Reason::Cap))]
    );
    // Plain flares are not alike to wet ones.
    assert_eq!(
        described((bag, 1).into(), Some(ann), sled),
        [(4, Some(Reason::StackLimit)), (0, Some(Reason::NoRoom)), (2, Some(Reason::StackLimit))]
    );
    // Where it lies it stays.
    assert_eq!(described((sled, 0).into(), None, sled)[0], (2, None));
    let mut room = Vec::new();
    let empty = world.room_by_slot((depot, 11).into(), None, sled, &mut room).unwrap_err();
    assert_eq!(empty.reason(), Reason::EmptySource);
    assert!(room.is_empty());
    let nowhere = world.room_by_slot(Place::Ground, None, sled, &mut room).unwrap_err();
    assert_eq!(nowhere.reason(), Reason::Unknown);
}

#[test]
fn of_all_ways_to_put_something_only_that_one_counts_which_fits_what_lies_there() {
    let rules = Ruleset::builder()
        .kind("lamp", |kind| kind.tags(["tool"]))
        .kind("biscuit", |kind| kind.stack_limit(4))
        .container("shelf", |shelf| shelf.slots(2))
        .container("tin", |tin| tin.slots(2).admits("not tool"))
        .holder("ann", ["shelf"], |ann| ann)
        .start("ann.shelf", ["1 lamp"])
        .start("tin", ["4 biscuit"])
        .build();
    let mut world = World::new(&Arc::new(rules.unwrap_or_else(|errors| panic!("{errors}"))));
    let lift = "ann lifts all from ann.shelf/0".parse::<NamedOperation>().unwrap().resolve(&world).unwrap();
    assert!(world.perform(&lift).is_ok());
    // An empty slot gives no reason about merging or swapping.
    let not_admitted = "not-admitted: tin rejects this lamp: it admits `not tool`".to_owned();
    assert_eq!(ask(&world, "ann puts in tin/1"), (false, 0, vec![not_admitted.clone()]));
    // Where something else lies, the exchange is what is judged.
    assert_eq!(ask(&world, "ann puts in tin/0"), (false, 0, vec![not_admitted]));
}

/// Boxes in boxes: each closed one is reported, from the outside in, and the user of one of them.
#[test]
fn every_reason_against_opening_is_listed() {
    let rules = r#"
        format = 1
        nesting = 2
        [kind.box]
        pack = "box"
        [container.box]
        slots = 1
        must-open = true
        [container.store]
        slots = 1
        must-open = true
        exclusive = true
        [holder.ann]
        [holder.bert]
        [start]
        store = ["1 box"]
        "store/0/" = ["1 box"]
    "#;
    let rules = Ruleset::from_toml("rules.toml", rules).unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let outer = "not-open: store is not open".to_owned();
    let inner = "not-open: store/0/ is not open".to_owned();
    assert_eq!(ask(&world, "ann opens store/0/0/"), (false, 0, vec![outer.clone(), inner.clone()]));
    let opened: NamedOperation = "bert opens store".parse().expect("a sentence");
    assert!(world.perform(&opened.resolve(&world).expect("its places exist")).is_ok());
    let used = "in-use: store is in use by bert".to_owned();
    assert_eq!(ask(&world, "ann opens store/0/0/"), (false, 0, vec![outer, inner, used]));
}
