//! Saves: both forms give the same world, and an invalid save is refused with its cause.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;

use hypotheke::save::{Save, SaveError, Trust};
use hypotheke::snapshot::Orphan;
use hypotheke::{NamedOperation, Ruleset, Snapshot, StackId, World};
use proptest::prelude::*;

const RULES: &str = r#"
title = "Camp"
version = 3
[mark.wet]
[kind.flare]
stack-limit = 6
weight = 1
[kind.core]
properties = { reading = 0 }
[kind.bag]
pack = "bag"
[container.bag]
slots = 3
[container.depot]
slots = 6
min-slots = 3
max-slots = 8
exclusive = true
[container.pockets]
slots = 2
[holder.ann]
carries = ["pockets"]
shortcuts = 2
[start]
depot = ["6 flare", "2 flare (wet)", "1 bag", "1 core (reading -3.25)"]
"depot/2/" = ["1 bag", "1 core (wet, reading 2)"]
"ann.pockets" = ["4 flare"]
"#;

const STEPS: [&str; 8] = [
    "ann binds flare to shortcuts/1",
    "ann opens depot",
    "ann lifts half from depot/0",
    "drop 1 flare from depot at 1.5,-2 within 3",
    "move 1 flare from depot to depot/2/0/",
    "resize depot to 7",
    "consume 1 flare from ground",
    "move 1 core from depot/3 to depot/6",
];

fn rules() -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}")))
}

fn play(world: &mut World, step: &str) {
    let operation: NamedOperation = step.parse().unwrap_or_else(|error| panic!("{step}: {error}"));
    let resolved = operation.resolve(world).unwrap_or_else(|error| panic!("{step}: {error}"));
    let _ = world.perform(&resolved).unwrap_or_else(|refusal| panic!("{step}: {}", world.explain(&refusal)));
}

fn world() -> World {
    let mut world = World::new(&rules());
    STEPS.iter().for_each(|step| play(&mut world, step));
    world
}

#[test]
fn the_same_world_comes_back_from_both_forms() {
    let rules = rules();
    let mut world = World::new(&rules);
    for step in STEPS {
        play(&mut world, step);
        let save = Save::of(&world);
        let (json, bytes) = (save.to_json(), save.to_bytes());
        for read in [Save::read(json.as_bytes()), Save::read(&bytes)] {
            let read = read.unwrap_or_else(|error| panic!("{step}: {error}"));
            assert_eq!(read, save, "{step}");
            assert_eq!((read.to_json(), read.to_bytes()), (json.clone(), bytes.clone()), "the same bytes again");
            // Later operations have the same results, random numbers and ids included.
            let mut back = read.world(&rules).unwrap_or_else(|error| panic!("{step}: {error}"));
            let mut on = world.clone();
            for next in ["drop 1 flare from ann.pockets within 9", "create 1 core in depot"] {
                play(&mut back, next);
                play(&mut on, next);
            }
            assert_eq!(back.snapshot(), on.snapshot(), "{step}");
        }
    }
}

#[test]
fn a_json_save_has_a_line_for_each_stack() {
    let json = Save::of(&world()).to_json();
    for line in [
        "    {\"in\": \"depot\", \"slot\": 1, \"id\": \"#2\", \"kind\": \"flare\", \"count\": 2, \"marks\": [\"wet\"]},",
        "    {\"in\": \"#3\", \"slot\": 1, \"id\": \"#6\", \"kind\": \"core\", \"count\": 1, \"marks\": [\"wet\"], \"properties\": {\"reading\": \"2\"}},",
        "    {\"in\": \"ann.hand\", \"id\": \"#8\", \"kind\": \"flare\", \"count\": 3}",
        "    {\"name\": \"depot\", \"definition\": \"depot\", \"slots\": 7, \"opened-by\": [\"ann\"]},",
        "    {\"name\": \"ann\", \"definition\": \"ann\", \"origin\": \"depot/0\", \"shortcuts\": [null, \"flare\"]}",
    ] {
        assert!(json.lines().any(|known| known == line), "{line}\n{json}");
    }
    assert!(
        json.ends_with("\"\n}\n")
            && json.lines().rev().nth(1).is_some_and(|line| line.starts_with("  \"checksum\": \""))
    );
}

#[test]
fn the_order_of_the_ruleset_changes_nothing() {
    let world = world();
    let save = Save::of(&world);
    let turned = RULES
        .replace("[kind.flare]\nstack-limit = 6\nweight = 1\n[kind.core]\nproperties = { reading = 0 }\n", "")
        .replace("[start]", "[kind.core]\nproperties = { reading = 0.0 } # the same\n[kind.flare]\nweight = 1.0\nstack-limit = 6\n[start]");
    let turned = Arc::new(Ruleset::from_toml("rules.toml", &turned).expect("valid"));
    assert_eq!(turned.fingerprint(), world.rules().fingerprint());
    assert_ne!(turned.find_kind("flare"), world.rules().find_kind("flare"), "a different number");
    let back = save.world(&turned).expect("the same meaning");
    assert_eq!(back.snapshot(), world.snapshot());
}

#[test]
fn each_rule_changes_the_fingerprint() {
    let own = rules().fingerprint();
    let mut seen = BTreeMap::from([(own, "as it is")]);
    for (from, to) in [
        ("stack-limit = 6", "stack-limit = 7"),
        ("weight = 1", "weight = 1.001"),
        ("reading = 0", "reading = 1"),
        ("slots = 3\n", "slots = 4\n"),
        ("exclusive = true", "exclusive = false"),
        ("max-slots = 8", "max-slots = 9"),
        ("shortcuts = 2", "shortcuts = 3"),
        ("[mark.wet]", "[mark.wet]\n[mark.dry]"),
        ("[holder.ann]", "[holder.ann]\nweight-cap = 90"),
        ("[container.pockets]", "[container.pockets]\nadmits = \"not wet\""),
        ("[container.pockets]", "[container.pockets]\ncaps = [{ of = \"wet\", count = 3 }]"),
        ("[container.pockets]", "[container.pockets]\nslot = [{ name = \"left\" }]"),
        ("[kind.flare]", "[kind.flare]\ntags = [\"signal\"]"),
        ("[kind.flare]", "[kind.flare]\nprotected = true"),
    ] {
        let text = RULES.replacen(from, to, 1);
        assert_ne!(text, RULES, "{from}");
        let changed = Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}"));
        assert_eq!(seen.insert(changed.fingerprint(), to), None, "{to}");
    }
    for (from, to) in [
        ("title = \"Camp\"", "title = \"Hut\""),
        ("version = 3", "version = 4"),
        ("[mark.wet]", "[mark.wet]\nlabel = \"Wet\""),
    ] {
        let changed = Ruleset::from_toml("rules.toml", &RULES.replacen(from, to, 1)).expect("valid");
        assert!(seen.contains_key(&changed.fingerprint()), "{to} changes no rule");
    }
}

#[test]
fn a_different_ruleset_is_reported() {
    let save = Save::of(&world());
    let other = Ruleset::from_toml(
        "rules.toml",
        &RULES.replace("stack-limit = 6", "stack-limit = 9").replace("version = 3", "version = 4"),
    );
    let error = save.world(&Arc::new(other.expect("valid"))).expect_err("another ruleset");
    assert_eq!(error.code(), "other-ruleset");
    assert!(error.to_string().starts_with("the save is of the ruleset `Camp` version 3 ("), "{error}");
}

#[test]
fn what_is_cut_off_is_refused() {
    let save = Save::of(&world());
    for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
        // A line end at the end says nothing.
        let whole = if bytes.ends_with(b"\n") { bytes.len() - 1 } else { bytes.len() };
        for length in 0..whole {
            let read = Save::read(&bytes[..length]);
            assert!(read.is_err(), "{length} of {} bytes: {read:?}", bytes.len());
        }
        assert_eq!(Save::read(&bytes[..whole]).as_ref(), Ok(&save));
    }
}

#[test]
fn every_bit_that_flips_is_noticed_or_says_nothing() {
    let save = Save::of(&world());
    for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
        let mut harmless = 0;
        for at in 0..bytes.len() * 8 {
            let mut flipped = bytes.clone();
            flipped[at / 8] ^= 1 << (at % 8);
            match Save::read(&flipped) {
                Ok(read) => {
                    assert_eq!(read, save, "bit {at}");
                    harmless += 1;
                }
                Err(error) => assert!(!error.to_string().is_empty()),
            }
        }
        // Only blanks that became other blanks.
        assert!(harmless * 100 < bytes.len() * 8, "{harmless}");
    }
}

#[test]
fn an_edited_save_is_detected_and_can_be_allowed() {
    let rules = rules();
    let json = Save::of(&world()).to_json();
    let line = json.lines().find(|line| line.contains("\"count\": 3")).expect("three flares");
    let edited = json.replace(line, &line.replace("\"count\": 3", "\"count\": 2"));
    let error = Save::read(edited.as_bytes()).expect_err("edited");
    assert_eq!(error.code(), "edited");
    let taken = Save::read_with(edited.as_bytes(), Trust::AllowEdited).expect("taken");
    let found = hypotheke::audit(&rules, taken.snapshot());
    assert_eq!(found[0].to_string(), "conservation: the world: the world has 10 flare, but its totals say 11: 1 lost");
    // Other line ends and indents are no edit, and nothing may stand after the checksum.
    let blank = json.replace('\n', " \r\n\t");
    assert!(Save::read(blank.as_bytes()).is_ok());
    let (body, end) = json.rsplit_once(",\n").expect("the checksum");
    let moved = format!("{body}, {}, \"format\": 1}}", end.trim_end().trim_end_matches('}'));
    assert_eq!(Save::read(moved.as_bytes()).expect_err("twice").code(), "bad-json");
    // What is damaged in binary form is not taken, whatever is said.
    let mut bytes = Save::of(&world()).to_bytes();
    *bytes.last_mut().expect("a byte") ^= 1;
    assert_eq!(Save::read_with(&bytes, Trust::AllowEdited).expect_err("damaged").code(), "damaged");
}

/// Each of these is refused with its cause.
#[test]
fn an_invalid_save_is_rejected_with_its_cause() {
    let json = Save::of(&world()).to_json();
    let edited = |from: &str, to: &str| {
        assert!(json.contains(from), "{from}");
        json.replacen(from, to, 1).into_bytes()
    };
    let with_world = |read: Result<Save, SaveError>| read.and_then(|save| save.world(&rules()).map(|_| ()));
    for (bytes, code, described) in [
        (Vec::new(), "empty", "the file is empty"),
        (b" \n\t".to_vec(), "empty", "the file is empty"),
        (b"{}".to_vec(), "bad-json", "line 1, column 2: the key `format` is missing"),
        (b"rules".to_vec(), "bad-binary", ""),
        (vec![0xdd, 0xff, 0xff, 0xff, 0xff], "bad-binary", ""),
        (vec![0x93, 0xdb, 0xff, 0xff, 0xff, 0xff], "bad-binary", ""),
        (b"{\"format\": 1, \xff}".to_vec(), "bad-json", "line 1, column 15: the file is not UTF-8 text"),
        (
            edited("\"format\": 4", "\"format\": 5"),
            "newer-format",
            "unknown format 5: this version reads formats up to 4",
        ),
        (
            b"{\"format\": 7, \"else\": []}".to_vec(),
            "newer-format",
            "unknown format 7: this version reads formats up to 4",
        ),
        (edited("\"format\": 4", "\"format\": 0"), "inconsistent", "format: there is no format 0"),
        (edited("\"count\": 3", "\"count\": \"3\""), "bad-json", ""),
        (edited("\"count\": 3", "\"count\": 99999999999"), "bad-json", ""),
        (edited("\"count\": 3", "\"count\": -1"), "bad-json", ""),
        (edited("\"count\": 3", "\"cuont\": 3"), "bad-json", ""),
        (edited("\"in\": \"ann.hand\"", "\"in\": \"bob.hand\""), "inconsistent", "bob.hand: #8 cannot be there"),
        (edited("\"in\": \"#3\"", "\"in\": \"#99\""), "inconsistent", "#99: unknown container"),
        (
            edited("\"name\": \"depot\"", "\"name\": \"ann.pockets\""),
            "inconsistent",
            "ann.pockets: two containers have this name",
        ),
        (edited("\"id\": \"#2\"", "\"id\": \"#1\""), "cannot-be", ""),
        (edited("\"slot\": 1", "\"slot\": 4000000000"), "cannot-be", ""),
        (edited("\"kind\": \"core\"", "\"kind\": \"tent\""), "cannot-be", ""),
    ] {
        let error = with_world(Save::read_with(&bytes, Trust::AllowEdited)).expect_err(code);
        assert_eq!(error.code(), code, "{error}");
        assert!(described.is_empty() || error.to_string() == described, "{error}");
    }
}

#[test]
fn packs_in_packs_without_end_are_refused() {
    let rules = rules();
    let mut snapshot = world().snapshot();
    let bag = |id: u64| hypotheke::snapshot::Stack {
        id: StackId::new(0, id),
        kind: "bag".to_owned(),
        count: 1,
        marks: Vec::new(),
        properties: BTreeMap::new(),
    };
    for id in 100..100_100 {
        let stacks = vec![hypotheke::snapshot::InSlot { slot: 0, stack: bag(id + 1), in_work: false }];
        snapshot.packs.push(hypotheke::snapshot::Pack {
            pack: StackId::new(0, id),
            slots: 3,
            opened_by: Vec::new(),
            stacks,
        });
    }
    snapshot.next_stack = 200_000;
    let save = Save::of_snapshot(&rules, snapshot);
    for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
        let read = Save::read(&bytes).expect("a save");
        assert_eq!(read.world(&rules).expect_err("too deep").code(), "cannot-be");
    }
}

/// Any snapshot at all comes back as it was, lawful or not.
fn any_snapshot() -> impl Strategy<Value = Snapshot> {
    let changes = prop::collection::vec((any::<u32>(), any::<u32>(), any::<u64>(), 0..6_usize), 0..30);
    changes.prop_map(|changes| {
        let mut snapshot = world().snapshot();
        for (one, other, id, what) in changes {
            let stacks = &mut snapshot.containers[0].stacks;
            let at = one as usize % stacks.len().max(1);
            match what {
                0 => stacks.iter_mut().skip(at).take(1).for_each(|it| it.slot = other),
                1 => stacks.iter_mut().skip(at).take(1).for_each(|it| it.stack.count = other),
                2 => stacks.iter_mut().skip(at).take(1).for_each(|it| it.stack.id = StackId::new(other, id)),
                3 => stacks.iter_mut().skip(at).take(1).for_each(|it| it.stack.kind = format!("k{}", other % 5)),
                4 => stacks.extend(stacks.get(at).cloned()),
                _ => snapshot.next_stack = id,
            }
        }
        snapshot
    })
}

proptest! {
    #[test]
    fn any_snapshot_comes_back(snapshot in any_snapshot()) {
        let save = Save::of_snapshot(&rules(), snapshot);
        prop_assert_eq!(Save::read(save.to_json().as_bytes()), Ok(save.clone()));
        prop_assert_eq!(Save::read(&save.to_bytes()), Ok(save.clone()));
    }

    #[test]
    fn no_bytes_make_it_panic(bytes in prop::collection::vec(any::<u8>(), 0..400), at in any::<prop::sample::Index>()) {
        prop_assert!(Save::read(&bytes).is_err());
        let whole = Save::of(&world()).to_bytes();
        let mut mixed = whole[..at.index(whole.len())].to_vec();
        mixed.extend(bytes);
        let _ = Save::read(&mixed);
    }
}

/// Files of each format are kept for ever. Those of the present format are written as they are.
#[test]
fn saves_of_every_format_can_be_read() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/saves");
    let save = Save::of(&world());
    let written = [("json", save.to_json().into_bytes()), ("bin", save.to_bytes())];
    for (format, (suffix, bytes)) in
        [1, 2, 3, 4].into_iter().flat_map(|format| written.iter().map(move |it| (format, it)))
    {
        let name = format!("format-{format}.{suffix}");
        let path = folder.join(&name);
        if std::env::var_os("SNAPSHOTS").is_some_and(|action| action == "overwrite") && !path.exists() {
            std::fs::write(&path, bytes).expect("written");
        }
        let stored = std::fs::read(&path).expect(&name);
        assert_eq!(Save::read(&stored).as_ref(), Ok(&save), "{name}");
        assert_eq!(format == hypotheke::save::FORMAT, stored == *bytes, "{name}");
    }
}

#[test]
fn many_marks_on_many_stacks_come_back_and_few_bytes_can_t_ask_for_them() {
    let marks: Vec<String> = (0..40).map(|mark| format!("m{mark:02}")).collect();
    let rules = marks.iter().fold(Ruleset::builder().kind("rope", |kind| kind), |rules, mark| rules.mark(mark));
    let rules = Arc::new(rules.container("depot", |depot| depot.slots(200)).build().unwrap());
    let mut world = World::new(&rules);
    let looks = marks.join(", ");
    for _ in 0..100 {
        let create: NamedOperation = format!("create 1 rope ({looks}) in depot").parse().unwrap();
        assert!(world.perform(&create.resolve(&world).unwrap()).is_ok());
    }
    let save = Save::of(&world);
    let bytes = save.to_bytes();
    assert_eq!(Save::read(&bytes), Ok(save));
    assert!(bytes.len() > 100 * 40 * 3, "they are stored one by one: {}", bytes.len());
}

/// Format 1 had other names for these; the transfer records of that time had them too.
#[test]
fn orphans_and_transfer_records_of_format_1_can_be_read() {
    let orphans = [
        (
            r##"{"look":{"of":"#3","count":1,"marks":["wet"]}}"##,
            r##"{"variant":{"stack":"#3","count":1,"marks":["wet"]}}"##,
        ),
        (
            r#"{"shortcut":{"holder":"ann","shortcut":0,"kind":"rocket"}}"#,
            r#"{"shortcut":{"holder":"ann","shortcut":0,"kind":"rocket"}}"#,
        ),
        (
            r#"{"tally":{"kind":"rocket","tally":{"created":3,"consumed":1,"arrived":2,"departed":1}}}"#,
            r#"{"totals":{"kind":"rocket","totals":{"created":3,"consumed":1,"arrived":2,"departed":1}}}"#,
        ),
    ];
    for (before, now) in orphans {
        let orphan: Orphan = serde_json::from_str(before).unwrap_or_else(|error| panic!("{before}: {error}"));
        assert_eq!(serde_json::to_string(&orphan).unwrap(), now);
        assert_eq!(serde_json::from_str::<Orphan>(now).unwrap(), orphan);
    }
    let before = r#"{"who":{"container":{"name":"store","of":"depot","slots":2,"stacks":[]}},"strays":[{"tally":{"kind":"rocket","tally":{}}}]}"#;
    let record: hypotheke::snapshot::Departure = serde_json::from_str(before).unwrap();
    let now = r#"{"who":{"container":{"name":"store","definition":"depot","slots":2,"stacks":[]}},"orphans":[{"totals":{"kind":"rocket","totals":{"created":0,"consumed":0}}}]}"#;
    assert_eq!(serde_json::to_string(&record).unwrap(), now);
}
