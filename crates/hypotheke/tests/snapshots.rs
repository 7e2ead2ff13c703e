//! Worlds as plain data: there and back, what no world can be, and what an audit finds.

use std::sync::Arc;

use hypotheke::snapshot::{Container, InSlot, Pack, Stack};
use hypotheke::{IncrementalAudit, Law, NamedOperation, Path, Ruleset, Snapshot, StackId, Violation, World, audit};

const RULES: &str = r#"
format = 1
units = { weight = "kg" }
nesting = 2
ground-limit = 3
[mark.wet]
[kind.flare]
weight = 0.5
stack-limit = 6
properties = { range = 3 }
[kind.rope]
weight = 3
tags = ["tool"]
stack-limit = 2
[kind.pole]
occupies-slots = ["left", "right"]
[kind.satchel]
weight = 1
pack = "satchel"
[container.satchel]
slots = 2
[container.store]
slots = 4
min-slots = 3
max-slots = 6
weight-cap = 8
caps = [{ of = "wet", count = 2 }]
[container.dry]
slots = 2
admits = "not wet"
exclusive = true
[container.bag]
slots = 3
[container.worn]
worn = true
slot = [{ name = "left" }, { name = "right" }, { name = "back", admits = "satchel", stack-limit = 1 }]
[holder.ann]
carries = ["bag", "worn"]
weight-cap = 12
shortcuts = 2
[holder.bert]
carries = ["bag"]
[start]
store = ["4 flare", "2 rope"]
dry = ["1 flare (range 5)"]
"ann.bag" = ["2 flare", "1 satchel"]
"ann.bag/1/" = ["1 rope", "1 satchel"]
"ann.worn/left" = ["1 pole"]
ground = ["2 rope"]
"#;

fn rules() -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}")))
}

fn play(world: &mut World, sentence: &str) -> Result<u64, String> {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    match world.perform(&operation) {
        Ok(outcome) => Ok(outcome.done()),
        Err(refusal) => Err(format!("{}: {}", refusal.reason(), world.explain(&refusal))),
    }
}

/// A world in which a bit of everything has happened.
fn played() -> World {
    let mut world = World::new(&rules()).numbered(7, 42);
    for sentence in [
        "ann opens dry",
        "bert lifts 2 from store/0",
        "ann binds flare to shortcuts/1",
        "resize store to 6",
        "mark store/0 wet",
        "drop 1 rope from store at 2.5,-1 within 3",
        "together (move 1 flare from ann.bag to bert.bag; consume 1 flare from bert.bag)",
    ] {
        play(&mut world, sentence).unwrap_or_else(|refusal| panic!("{sentence}: {refusal}"));
    }
    world
}

#[test]
fn a_world_is_the_same_after_it_was_plain_data() {
    let world = played();
    let snapshot = world.snapshot();
    let json = serde_json::to_string(&snapshot).expect("plain data");
    let read: Snapshot = serde_json::from_str(&json).expect("the same");
    assert_eq!(read, snapshot);
    let mut back = World::from_snapshot(&rules(), &read).unwrap_or_else(|error| panic!("{error}"));
    assert_eq!((back.snapshot(), back.check_indexes()), (snapshot.clone(), vec![]));
    assert_eq!(audit(&rules(), &snapshot), vec![]);
    // Later operations are the same too: ids, random numbers, origins, open containers.
    let mut world = world;
    for sentence in [
        "drop 1 rope from ann.bag/1/ within 9",
        "create 2 rope in store",
        "bert returns",
        "ann leaves",
        "resize store to 3 with spill",
    ] {
        assert_eq!(play(&mut world, sentence), play(&mut back, sentence), "{sentence}");
        assert_eq!(world.snapshot(), back.snapshot(), "{sentence}");
    }
}

#[test]
fn a_snapshot_is_readable() {
    let json = serde_json::to_value(played().snapshot()).expect("plain data");
    assert_eq!(
        json["holders"][1],
        serde_json::json!({
            "name": "bert", "definition": "bert",
            "containers": [{ "name": "bag", "definition": "bag", "slots": 3, "stacks": [] }],
            "hand": { "id": "#7:10", "kind": "flare", "count": 2 },
            "origin": "store/0",
        })
    );
}

type Change = fn(&mut Snapshot);

fn stack(id: u64, kind: &str, count: u32) -> Stack {
    Stack { id: StackId::new(7, id), kind: kind.to_owned(), count, marks: vec![], properties: [].into() }
}

fn in_slot(slot: u32, stack: Stack) -> InSlot {
    InSlot { slot, stack, in_work: false }
}

fn store(snapshot: &mut Snapshot) -> &mut Container {
    &mut snapshot.containers[0]
}

fn first(snapshot: &mut Snapshot) -> &mut Stack {
    &mut store(snapshot).stacks[0].stack
}

#[test]
fn what_no_world_can_be_is_refused_with_its_place() {
    let cases: &[(Change, &str)] = &[
        (|it| first(it).count = 0, "store/0: a stack has at least 1 item"),
        (|it| first(it).kind = "flair".into(), "store/0: unknown kind `flair`"),
        (|it| first(it).marks = vec!["dry".into()], "store/0: unknown mark `dry`"),
        (
            |it| {
                first(it).properties.insert("length".into(), 3.into());
            },
            "store/0: flare has no property `length` that is a number",
        ),
        (|it| first(it).id = StackId::new(7, 0), "store/0: this stack has no id"),
        (|it| first(it).id = it.ground[0].stack.id, "two stacks have the id"),
        (|it| first(it).id = StackId::new(7, 900), "#7:900: the id is not below the next id, 13"),
        (|it| store(it).stacks[1].slot = 0, "store/0: two stacks are in this slot"),
        (|it| store(it).stacks[0].slot = 6, "store/6: it has 6 slots"),
        (|it| store(it).slots = 7, "store: it has 7 slots; the maximum is 6"),
        (|it| store(it).definition = "shop".into(), "store: unknown container `shop`"),
        (|it| store(it).name = "shop".into(), "shop: unknown container `store`"),
        (|it| it.containers.push(it.containers[0].clone()), "store: two places have this name"),
        (|it| it.holders[0].definition = "anna".into(), "ann: unknown holder `anna`"),
        (
            |it| it.holders[0].containers.reverse(),
            r#"ann: it carries ["worn", "bag"], but the ruleset says ["bag", "worn"]"#,
        ),
        (|it| it.packs[0].pack = StackId::new(7, 899), "ann.bag/1: this satchel has no inside"),
        (|it| it.packs[0].pack = StackId::new(7, 899), "#7:899: this pack is in no place"),
        (|it| it.packs[0].pack = it.ground[0].stack.id, "rope is not a pack"),
        (|it| it.packs.push(it.packs[0].clone()), "this pack has two containers"),
        (|it| it.packs[0].slots = 3, "ann.bag/1: it has 3 slots; the maximum is 2"),
        (|it| it.containers[1].opened_by.push("zoe".into()), "dry: it is open to an unknown holder `zoe`"),
        (|it| it.holders[0].shortcuts.clear(), "ann: it has 0 shortcuts, but the ruleset says 2"),
        (|it| it.holders[0].shortcuts[0] = Some("flair".into()), "ann.shortcuts/0: unknown kind `flair`"),
        (|it| it.holders[1].origin = path("store/9"), "bert.hand: the origin `store/9` is not a slot"),
        (|it| it.holders[0].origin = path("store/0"), "ann.hand: an empty hand has an origin"),
        (|it| it.next_stack = (1 << 40) - 1, "next-stack: almost all of the 2^40 ids are used"),
        (|it| it.next_stack = u64::MAX, "next-stack: almost all of the 2^40 ids are used"),
        (|it| it.revision = u64::MAX, "revision: the number is too large"),
        (
            |it| it.totals.get_mut("flare").expect("its totals").created = u64::MAX,
            "totals: the number of `flare` is too large",
        ),
        (|it| it.world = 1 << 24, "world: the number of a world is below 2^24"),
        (
            |it| {
                it.totals.insert("flair".into(), hypotheke::snapshot::KindTotals::default());
            },
            "totals: unknown kind `flair`",
        ),
    ];
    for (change, message) in cases {
        let mut snapshot = played().snapshot();
        change(&mut snapshot);
        let error = World::from_snapshot(&rules(), &snapshot).err().unwrap_or_else(|| panic!("{message}"));
        assert!(error.to_string().contains(message), "{message}\nbut {error}");
    }
}

fn path(text: &str) -> Option<Path> {
    text.parse().ok()
}

/// Each law is broken on its own; the audit names it, the place and the figures, and no other law.
#[test]
fn an_audit_names_the_law_the_place_and_the_figures() {
    let cases: &[(Change, &[&str])] = &[
        (
            |it| first(it).count = 0,
            &[
                "stacks: store/0: a stack of 0 flare",
                "conservation: the world: the world has 4 flare, but its totals say 6: 2 lost",
            ],
        ),
        (|it| store(it).stacks[0].slot = 6, &["stacks: store/6: the container has only 6 slots"]),
        (
            |it| it.containers[1].stacks.push(in_slot(0, stack(12, "rope", 1))),
            &[
                "stacks: dry/0: two stacks are in this slot",
                "conservation: the world: the world has 6 rope, but its totals say 5: 1 too many",
            ],
        ),
        (|it| first(it).id = StackId::new(7, 0), &["identity: store/0: this stack has no id"]),
        (|it| first(it).id = StackId::new(7, 99), &["identity: store/0: the id #7:99 is not below the next id, 13"]),
        (|it| first(it).id = it.ground[0].stack.id, &["identity: ground/#7:9: #7:9 is also in store/0"]),
        (|it| it.packs[1].slots = 3, &["bounds: ann.bag/1/1/: it has 3 slots; 2 to 2 are allowed"]),
        (|it| store(it).slots = 2, &["bounds: store: it has 2 slots; 3 to 6 are allowed"]),
        (
            |it| it.packs[0].pack = StackId::new(7, 2),
            &["packs: store/1: rope is not a pack", "packs: ann.bag/1: this pack has no container"],
        ),
        (
            |it| it.packs[1].pack = StackId::new(7, 800),
            &["packs: ann.bag/1/1: this pack has no container", "packs: #7:800: this pack is in no place"],
        ),
        (
            |it| it.containers[1].opened_by.push("bert".into()),
            &["holders: dry: it is exclusive, but it is open to ann and bert"],
        ),
        (
            |it| it.holders[0].shortcuts[0] = Some("flare".into()),
            &["holders: ann.shortcuts/1: two shortcuts point at flare"],
        ),
        (|it| it.holders[1].origin = path("store/7"), &["holders: bert.hand: the origin `store/7` is not a slot"]),
        (
            |it| {
                it.holders[0].containers[1].stacks.push(in_slot(1, it.containers[1].stacks.remove(0).stack));
            },
            &["blocked-slot: ann.worn/left: pole also occupies ann.worn/right, which is not free"],
        ),
        (
            |it| it.containers[1].stacks[0].stack.marks = vec!["wet".into()],
            &["admits: dry/0: dry rejects this flare: it admits `not wet`"],
        ),
    ];
    let mut differing = Vec::new();
    for (change, expected) in cases {
        let mut snapshot = played().snapshot();
        change(&mut snapshot);
        let found: Vec<String> = audit(&rules(), &snapshot).iter().map(ToString::to_string).collect();
        let alike = |(found, expected): (&String, &&str)| found == expected;
        if found.len() != expected.len() || !found.iter().zip(*expected).all(alike) {
            differing.push(format!("{expected:#?}\nbut {found:#?}"));
        }
    }
    assert!(differing.is_empty(), "{}", differing.join("\n"));
}

#[test]
fn an_audit_finds_every_excess_over_a_limit() {
    let tight = RULES
        .replace("weight-cap = 8", "weight-cap = 2")
        .replace("weight-cap = 12", "weight-cap = 4.5")
        .replace("stack-limit = 6", "stack-limit = 1")
        .replace("ground-limit = 3", "ground-limit = 1")
        .replace("nesting = 2", "nesting = 1")
        .replace("count = 2", "count = 1")
        .replace("admits = \"not wet\"", "admits = \"rope\"");
    let (start, _) = tight.split_once("[start]").expect("a start");
    let tight = Arc::new(Ruleset::from_toml("rules.toml", start).unwrap_or_else(|errors| panic!("{errors}")));
    let found: Vec<String> = audit(&tight, &played().snapshot()).iter().map(ToString::to_string).collect();
    assert_eq!(
        found,
        [
            "nesting: ann.bag/1/1: packs are nested 2 deep; the maximum is 1",
            "stack-limit: store/0: 2 flare of 1",
            "stack-limit: bert.hand: 2 flare of 1",
            "weight-cap: store: 4 kg of 2 kg",
            "weight-cap: ann: 5.5 kg of 4.5 kg",
            "cap: store: 2 `wet` of 1",
            "admits: dry/0: dry rejects this flare: it admits `rope`",
            "ground: ground: the ground has 2 stacks; the maximum is 1",
        ]
    );
    assert!(audit(&tight, &played().snapshot()).iter().map(Violation::law).all(Law::is_limit));
}

#[test]
fn an_audit_counts_the_items_of_a_kind_in_the_world() {
    let rules = |most: u32| {
        let text = format!("[kind.seal]\nmost-in-world = {most}\nstack-limit = 9\n[container.store]\nslots = 3\n");
        Arc::new(Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}")))
    };
    let mut before = World::empty(&rules(5));
    play(&mut before, "create 3 seal in store").expect("room");
    play(&mut before, "create 2 seal in ground").expect("room");
    assert_eq!(audit(before.rules(), &before.snapshot()), []);
    let world = World::from_snapshot(&rules(4), &before.snapshot()).unwrap_or_else(|error| panic!("{error}"));
    let found = audit(world.rules(), &world.snapshot());
    assert_eq!(found.iter().map(ToString::to_string).collect::<Vec<_>>(), ["cap: the world: 5 seal of 4"]);
    assert!(IncrementalAudit::new(&before).keeps_the_laws(&before));
    assert!(!IncrementalAudit::new(&world).keeps_the_laws(&world));
}

/// The rules have become tighter under a world: what is over a limit may get better, not worse.
#[test]
fn a_world_over_a_limit_gets_better_or_stays() {
    let loose = "format = 1\n[kind.flare]\nweight = 2\nstack-limit = 9\n[kind.rope]\nweight = 2\nstack-limit = 9\n\
                 [container.store]\nslots = 3\n[container.shed]\nslots = 3\n[container.wide]\nslots = 4\n";
    let tight = loose
        .replace(
            "[container.store]\nslots = 3",
            "[container.store]\nslots = 3\nstack-limit = 4\nweight-cap = 10\ncaps = [{ of = \"flare\", count = 2 }]",
        )
        .replace("[container.shed]\nslots = 3", "[container.shed]\nslots = 3\nstack-limit = 5");
    let read =
        |text: &str| Arc::new(Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}")));
    let mut before = World::empty(&read(loose));
    for sentence in ["create 8 flare in store/0", "create 7 rope in shed/0"] {
        play(&mut before, sentence).expect("room");
    }
    let mut world = World::from_snapshot(&read(&tight), &before.snapshot()).unwrap_or_else(|error| panic!("{error}"));
    let laws: Vec<Law> = audit(world.rules(), &world.snapshot()).iter().map(Violation::law).collect();
    assert_eq!(laws, [Law::StackLimit, Law::StackLimit, Law::WeightCap, Law::Cap]);
    for (sentence, answer) in [
        // Worse: more of what there is too much of.
        ("create 1 flare in store", Err("cap")),
        ("move 1 rope from shed to store", Err("weight-cap")),
        ("split 5 from store/0 to store/1", Err("stack-limit")),
        // No worse: about in the container, whole, to a slot where it is no further over.
        ("move 8 flare from store/0 to store/2", Ok(8)),
        ("swap store/2 with store/1", Ok(8)),
        ("move 7 rope from shed/0 to store/0", Err("weight-cap")),
        ("move 8 flare from store/1 to shed/1", Ok(8)),
        // Better: some of it leaves, in portions within the limit.
        ("move 7 rope from shed/0 to wide", Ok(7)),
        ("move 8 flare from shed/1 to wide", Ok(8)),
    ] {
        let found = play(&mut world, sentence).map_err(|refusal| refusal.split(':').next().unwrap_or("").to_owned());
        assert_eq!(found, answer.map_err(str::to_owned), "{sentence}");
    }
    assert_eq!(audit(world.rules(), &world.snapshot()), vec![]);
}

#[test]
fn the_ground_takes_as_many_stacks_as_the_ruleset_says() {
    let mut world = World::new(&rules());
    assert_eq!(play(&mut world, "drop 1 rope from store"), Ok(1));
    assert_eq!(play(&mut world, "drop 4 flare from store at 1,1"), Ok(4));
    let full = Err("no-room: ground has room for 0 of 1".to_owned());
    assert_eq!(play(&mut world, "drop 1 flare from ann.bag"), full);
    assert_eq!(play(&mut world, "create 1 flare in ground"), full);
    // In a list the place that one step has made free is free for the next.
    assert_eq!(play(&mut world, "together (pick up 4 flare to store; drop 1 flare from ann.bag)"), Ok(5));
    assert_eq!(play(&mut world, "bert lifts from store/0"), Ok(4));
    assert_eq!(
        play(&mut world, "create up to 9 rope in ground"),
        full.map_err(|_| "no-room: ground has room for 0 of 1".to_owned())
    );
}

/// Packs in packs in packs: what is deeper than anything may be is refused in bounded time, and no
/// stack overflows.
#[test]
fn ten_thousand_nested_packs_are_refused() {
    const DEEP: u64 = 10_000;
    let mut snapshot = World::empty(&rules()).snapshot();
    store(&mut snapshot).stacks.push(in_slot(0, Stack { id: StackId::new(0, 1), ..stack(1, "satchel", 1) }));
    for id in 1..=DEEP {
        let inner = in_slot(0, Stack { id: StackId::new(0, id + 1), ..stack(1, "satchel", 1) });
        let stacks = if id < DEEP { vec![inner] } else { vec![] };
        snapshot.packs.push(Pack { pack: StackId::new(0, id), slots: 2, opened_by: vec![], stacks });
    }
    snapshot.next_stack = DEEP + 2;
    let error = World::from_snapshot(&rules(), &snapshot).expect_err("too deep").to_string();
    assert!(error.contains("the maximum nesting of packs is 32"), "{error:.200}");
    // An audit reports each pack that is too deep, by its id if the path to it would fill pages.
    let found = audit(&rules(), &snapshot);
    let too_deep: Vec<&Violation> = found.iter().filter(|violation| violation.law() == Law::Nesting).collect();
    assert_eq!(too_deep.len() as u64, DEEP - 2);
    assert_eq!(too_deep[0].to_string(), "nesting: store/0/0/0: packs are nested 3 deep; the maximum is 2");
    assert_eq!(too_deep[9_000].figures(), Some((9_003.into(), 2.into())));
    assert!(too_deep[9_000].place().len() < 200, "{:.300}", too_deep[9_000].place());
}

#[test]
fn a_pack_in_itself_is_found() {
    let mut snapshot = World::empty(&rules()).snapshot();
    let satchel = Stack { id: StackId::new(0, 1), ..stack(1, "satchel", 1) };
    snapshot.packs.push(Pack { pack: satchel.id, slots: 2, opened_by: vec![], stacks: vec![in_slot(0, satchel)] });
    snapshot.next_stack = 2;
    assert!(
        World::from_snapshot(&rules(), &snapshot)
            .expect_err("nowhere")
            .to_string()
            .contains("this pack is in no place")
    );
    let found: Vec<String> = audit(&rules(), &snapshot).iter().map(ToString::to_string).collect();
    assert_eq!(
        found,
        [
            "conservation: the world: the world has 1 satchel, but its totals say 0: 1 too many",
            "packs: #1: this pack contains itself"
        ]
    );
}

#[test]
fn a_holder_with_a_thousand_containers() {
    use std::fmt::Write;
    let mut text = "format = 1\n[kind.flare]\nstack-limit = 2\n".to_owned();
    for index in 0..1_000 {
        let _ = writeln!(text, "[container.bag{index}]\nslots = 1");
    }
    let carries: Vec<String> = (0..1_000).map(|index| format!("\"bag{index}\"")).collect();
    let _ = writeln!(text, "[holder.ann]\ncarries = [{}]", carries.join(", "));
    let rules = Arc::new(Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}")));
    let mut world = World::empty(&rules);
    assert_eq!(play(&mut world, "create up to 3000 flare in ann"), Ok(2_000));
    assert_eq!(play(&mut world, "drop 1999 flare from ann"), Ok(1_999));
    assert_eq!((audit(&rules, &world.snapshot()), world.check_indexes()), (vec![], vec![]));
}

#[test]
fn text_that_is_no_snapshot_is_refused_with_its_cause() {
    let whole = serde_json::to_string(&played().snapshot()).expect("plain data");
    for (text, cause) in [
        (String::new(), "EOF while parsing"),
        ("3".to_owned(), "invalid type: integer `3`"),
        ("{}".to_owned(), "missing field `next-stack`"),
        (whole[..whole.len() / 2].to_owned(), "EOF while parsing"),
        (whole.replacen("\"count\":2", "\"count\":-2", 1), "invalid value: integer `-2`"),
        (whole.replacen("\"count\":2", "\"count\":99999999999", 1), "invalid value: integer `99999999999`"),
        (whole.replacen("\"kind\"", "\"kin\"", 1), "unknown field `kin`"),
        (whole.replacen("\"#7:10\"", "\"7:10\"", 1), "a place has lower-case letters"),
    ] {
        let error = serde_json::from_str::<Snapshot>(&text).expect_err(cause).to_string();
        assert!(error.contains(cause) && error.contains("line 1 column"), "{cause}\nbut {error}");
    }
}
