//! A running world migrates to an edited ruleset.

use std::collections::BTreeMap;
use std::sync::Arc;

use hypotheke::replication::{Client, Server, ToClient};
use hypotheke::save::Save;
use hypotheke::snapshot::Snapshot;
use hypotheke::{
    Amount, Decimal, Law, MigrationError, MigrationPolicy, MigrationRules, Operation, Ruleset, RulesetBuilder, World,
    audit,
};
use proptest::prelude::*;

fn ready(builder: RulesetBuilder) -> Arc<Ruleset> {
    Arc::new(builder.build().unwrap_or_else(|errors| panic!("{errors}")))
}

fn kinds() -> RulesetBuilder {
    Ruleset::builder()
        .mark("wet")
        .kind("flare", |kind| kind.stack_limit(6).tags(["signal"]).property("reading", 0.into()))
        .kind("rope", |kind| kind.stack_limit(3))
        .kind("log", hypotheke::KindBuilder::protected)
        .kind("crate", |kind| kind.pack("crate"))
        .container("crate", |inside| inside.slots(2))
}

fn described(world: &mut World, rules: &Arc<Ruleset>) -> Vec<String> {
    let differences = world.reload(rules).unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(world.check_indexes(), vec![]);
    let broken =
        audit(rules, &world.snapshot()).into_iter().filter(|found| !found.law().is_limit()).collect::<Vec<_>>();
    assert_eq!(broken, vec![]);
    differences.iter().map(ToString::to_string).collect()
}

fn lying(world: &World, place: &str) -> Vec<String> {
    let container = world.container(place).unwrap();
    world.stacks(container).map(|(slot, stack)| format!("{slot}: {} {}", stack.count(), stack.kind().id())).collect()
}

fn on_ground(world: &World) -> Vec<String> {
    world.ground().map(|(stack, _)| format!("{} {}", stack.count(), stack.kind().id())).collect()
}

fn perform(world: &mut World, sentence: &str) {
    let operation: hypotheke::NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let answer = world.perform(&operation);
    assert!(answer.is_ok(), "{sentence}: {}", answer.map_or_else(|refusal| world.explain(&refusal), |_| String::new()));
}

#[test]
fn a_reordered_ruleset_has_no_differences() {
    let forth = kinds().container("depot", |depot| depot.slots(4)).container("sled", |sled| sled.slots(2));
    let mut world = World::new(&ready(forth.start("depot", ["9 flare", "1 log"]).holder("ann", ["sled"], |ann| ann)));
    let before = world.snapshot();
    let depot = world.container("depot").unwrap();
    let back = Ruleset::builder()
        .holder("ann", ["sled"], |ann| ann)
        .container("sled", |sled| sled.slots(2))
        .container("depot", |depot| depot.slots(4))
        .container("crate", |inside| inside.slots(2))
        .kind("log", hypotheke::KindBuilder::protected)
        .kind("crate", |kind| kind.pack("crate"))
        .kind("rope", |kind| kind.stack_limit(3))
        .kind("flare", |kind| kind.stack_limit(6).tags(["signal"]).property("reading", 0.into()));
    assert_eq!(described(&mut world, &ready(back)), Vec::<String>::new());
    assert_eq!((world.revision(), &world.snapshot().containers), (before.revision + 1, &before.containers));
    // Handles from before are refused, be they in range or not.
    let log = world.rules().find_kind("log").unwrap();
    let refusal = world.perform(&Operation::creating(Amount::Exactly(1), log, depot)).unwrap_err();
    assert_eq!(refusal.reason(), hypotheke::Reason::Unknown);
    assert!(!world.has_container(depot));
}

#[test]
fn what_lay_in_slots_that_have_gone_goes_to_those_that_stay_then_on() {
    let rules = |slots| {
        let rules = kinds().container("bag", move |bag| bag.slots(slots)).container("pouch", |pouch| pouch.slots(1));
        ready(rules.holder("ann", ["bag", "pouch"], |ann| ann))
    };
    let mut world = World::new(&rules(4));
    for sentence in ["create 4 flare in ann.bag/0", "create 5 flare in ann.bag/2", "create 3 rope in ann.bag/3"] {
        perform(&mut world, sentence);
    }
    perform(&mut world, "create 1 crate in ann.bag/1");
    perform(&mut world, "create 2 rope in ann.bag/1/");
    let differences = described(&mut world, &rules(1));
    assert_eq!(
        differences,
        [
            "ann.bag: 1 slot instead of 4",
            "ann.bag/1: slot removed; its 1 crate; moved to ann.pouch/0",
            "ann.bag/2: slot removed; its 5 flare; moved to ann.bag/0, ground",
            "ann.bag/3: slot removed; its 3 rope; moved to ground",
        ]
    );
    // The crate, with what is in it, comes first and takes the pouch; two flares go onto the
    // others.
    assert_eq!(
        (lying(&world, "ann.bag"), lying(&world, "ann.pouch")),
        (vec!["0: 6 flare".to_owned()], vec!["0: 1 crate".to_owned()])
    );
    assert_eq!(on_ground(&world), ["3 flare", "3 rope"]);
    let rope = world.rules().find_kind("rope").unwrap();
    assert_eq!(world.count(rope, None), 5);
}

#[test]
fn a_protected_item_without_a_place_becomes_an_orphan_and_a_refusal_changes_nothing() {
    let rules = |slots, start: &[&str]| {
        ready(kinds().container("depot", move |depot| depot.slots(slots)).start("depot", start.iter().copied()))
    };
    let mut world = World::new(&rules(2, &["6 flare", "1 log"]));
    let before = world.snapshot();
    let mut smaller = world.clone();
    assert_eq!(
        described(&mut smaller, &rules(1, &[])),
        ["depot: 1 slot instead of 2", "depot/1: slot removed; its 1 log; set aside as an orphan",]
    );
    assert_eq!((on_ground(&smaller), smaller.orphans().len()), (Vec::new(), 1));
    // Under the same rules it comes back once there is room for it.
    let mut emptied = smaller.clone();
    perform(&mut emptied, "consume flare from depot");
    assert!(described(&mut emptied, &rules(1, &[])).iter().any(|line| line.contains("1 log restored")));
    assert_eq!((lying(&emptied, "depot"), emptied.orphans().len()), (vec!["0: 1 log".to_owned()], 0));
    assert_eq!(described(&mut smaller, &rules(2, &[])).last().unwrap(), "depot/1: 1 log restored");
    assert_eq!(lying(&smaller, "depot"), ["0: 6 flare", "1: 1 log"]);
    assert_eq!((smaller.orphans().len(), smaller.check_indexes()), (0, vec![]));
    // So is one inside a pack.
    let mut packed = World::new(&rules(2, &["6 flare", "1 crate"]));
    perform(&mut packed, "create 1 log in depot/1/");
    assert_eq!(
        described(&mut packed, &rules(1, &[])).last().unwrap(),
        "depot/1: slot removed; its 1 crate; set aside as an orphan"
    );
    assert_eq!((on_ground(&packed), packed.orphans().len()), (Vec::new(), 2));
    assert!(described(&mut packed, &rules(2, &[])).contains(&"depot/1: 1 crate restored".to_owned()));
    let log = packed.rules().find_kind("log").unwrap();
    assert_eq!((packed.count(log, None), packed.orphans().len(), packed.check_indexes()), (1, 0, vec![]));
    let refusing = MigrationRules { removed_places: MigrationPolicy::Refuse, ..MigrationRules::default() };
    let edited = ready(kinds().container("depot", |depot| depot.slots(1)).migration(refusing));
    let error = world.reload(&edited).unwrap_err();
    assert_eq!(error.to_string(), "depot/1: slot removed; its 1 log; refused");
    assert!(matches!(error, MigrationError::Refused(_)));
    assert_eq!(world.snapshot(), before);
}

fn limited(limit: u32, over_limit: MigrationPolicy) -> Arc<Ruleset> {
    let migration = MigrationRules { over_limit, ..MigrationRules::default() };
    let rules = Ruleset::builder()
        .migration(migration)
        .kind("flare", move |kind| kind.stack_limit(limit))
        .container("bag", |bag| bag.slots(3))
        .container("pouch", |pouch| pouch.slots(1))
        .holder("ann", ["bag", "pouch"], |ann| ann);
    let rules = if limit == 20 { rules.start("ann.bag", ["20 flare"]) } else { rules };
    ready(rules)
}

/// Seven drums weigh seven; the sled has room for a weight of four, and a stack is three drums by
/// now.
#[test]
fn what_is_over_its_limit_moves_whole_or_in_parts_within_the_limit() {
    let rules = |limit: u32, cap: i64| {
        let rules = Ruleset::builder().kind("drum", move |kind| kind.weight(1.into()).stack_limit(limit));
        let sled = move |sled: hypotheke::ContainerBuilder| sled.slots(2).weight_cap(Decimal::from_thousandths(cap));
        ready(rules.container("depot", |depot| depot.slots(2)).container("sled", sled))
    };
    let mut world = World::new(&rules(7, 4_000));
    perform(&mut world, "create 7 drum in depot/0");
    described(&mut world, &rules(3, 4_000));
    perform(&mut world, "move up to 7 drum from depot/0 to sled/1");
    assert_eq!((lying(&world, "depot"), lying(&world, "sled")), (vec!["0: 4 drum".into()], vec!["1: 3 drum".into()]));
    // From the ground, as from a slot: whole, where it is no further over.
    let mut world = World::new(&rules(7, 9_000));
    perform(&mut world, "create 7 drum in ground");
    described(&mut world, &rules(3, 9_000));
    perform(&mut world, "pick up 7 drum to sled/0");
    assert_eq!((lying(&world, "sled"), on_ground(&world)), (vec!["0: 7 drum".to_owned()], vec![]));
}

#[test]
fn stacks_over_their_limit_are_treated_as_the_ruleset_says() {
    let start = World::new(&limited(20, MigrationPolicy::Stay));
    let bag =
        |counts: &[u32]| (0..).zip(counts).map(|(slot, count)| format!("{slot}: {count} flare")).collect::<Vec<_>>();
    let mut world = start.clone();
    assert_eq!(
        described(&mut world, &limited(4, MigrationPolicy::Stay)),
        ["ann.bag/0: stack-limit: 20 flare of 4; stays"]
    );
    assert_eq!(lying(&world, "ann.bag"), bag(&[20]));
    let mut world = start.clone();
    let split = described(&mut world, &limited(4, MigrationPolicy::Split));
    assert_eq!(split, ["ann.bag/0: stack-limit: 20 flare of 4; stays"], "two slots are too few for all");
    assert_eq!(lying(&world, "ann.bag"), bag(&[12, 4, 4]));
    let mut world = start.clone();
    let split = described(&mut world, &limited(8, MigrationPolicy::Split));
    assert_eq!(
        (split, lying(&world, "ann.bag")),
        (vec!["ann.bag/0: stack-limit: 20 flare of 8; split to ann.bag/1, ann.bag/2".to_owned()], bag(&[8, 8, 4]))
    );
    let mut world = start.clone();
    let spilled = described(&mut world, &limited(4, MigrationPolicy::Spill));
    assert_eq!(spilled, ["ann.bag/0: stack-limit: 20 flare of 4; moved to ann.bag/1, ann.bag/2, ann.pouch/0, ground"]);
    assert_eq!((lying(&world, "ann.bag"), lying(&world, "ann.pouch")), (bag(&[4, 4, 4]), bag(&[4])));
    assert_eq!(on_ground(&world), ["4 flare"]);
    let mut world = start.clone();
    let error = world.reload(&limited(4, MigrationPolicy::Refuse)).unwrap_err();
    assert_eq!(error.to_string(), "ann.bag/0: stack-limit: 20 flare of 4; refused");
    assert_eq!(world.snapshot(), start.snapshot());
    // What was so before is no difference.
    let mut world = start;
    described(&mut world, &limited(4, MigrationPolicy::Stay));
    assert_eq!(described(&mut world, &limited(4, MigrationPolicy::Spill)), Vec::<String>::new());
}

#[test]
fn what_is_not_admitted_any_more_stays_or_goes() {
    let rules = |not_admitted, filter: &str| {
        let migration = MigrationRules { not_admitted, ..MigrationRules::default() };
        let rules = kinds()
            .migration(migration)
            .container("box", |it| it.slots(3).admits(filter))
            .container("shelf", |it| it.slots(3));
        let wide = filter.contains("rope");
        ready(if wide { rules.start("box", ["4 flare", "1 rope", "1 log"]) } else { rules })
    };
    let start = World::new(&rules(MigrationPolicy::Stay, "signal or rope or log"));
    let mut world = start.clone();
    let differences = described(&mut world, &rules(MigrationPolicy::Stay, "signal"));
    assert!(
        differences.iter().all(|described| described.starts_with("box/") && described.ends_with("; stays")),
        "{differences:?}"
    );
    assert_eq!((differences.len(), on_ground(&world).len()), (2, 0));
    let mut world = start.clone();
    let differences = described(&mut world, &rules(MigrationPolicy::Spill, "signal"));
    assert!(differences[0].ends_with("; moved to ground"), "{differences:?}");
    assert!(differences[1].ends_with("; stays"), "protected items stay: {differences:?}");
    assert_eq!(on_ground(&world), ["1 rope"]);
    let mut world = start;
    assert!(
        matches!(world.reload(&rules(MigrationPolicy::Refuse, "signal")), Err(MigrationError::Refused(described)) if described.len() == 2)
    );
}

#[test]
fn unknown_parts_become_orphans_or_are_refused() {
    let mut world = World::new(&ready(
        kinds()
            .kind("lamp", |kind| kind)
            .container("depot", |depot| depot.slots(4))
            .container("old", |old| old.slots(2))
            .holder("ann", ["depot"], |ann| ann.shortcuts(2)),
    ));
    for sentence in [
        "create 2 flare (wet, reading 3) in ann.depot",
        "create 3 rope in old",
        "create 1 rope in ground",
        "bind flare to ann.shortcuts/1",
    ] {
        perform(&mut world, sentence);
    }
    perform(&mut world, "create 1 lamp in old");
    let before = world.snapshot();
    let edited = |builder: RulesetBuilder| {
        let rules = builder.kind("rope", |kind| kind.stack_limit(3)).container("depot", |depot| depot.slots(4));
        ready(rules.container("new", |new| new.slots(1)).holder("ann", ["depot"], |ann| ann.shortcuts(1)).holder(
            "ben",
            ["new"],
            |ben| ben,
        ))
    };
    let without_lamp = edited(Ruleset::builder().kind("flare", |kind| kind.stack_limit(6)));
    let strict = edited(
        Ruleset::builder()
            .kind("flare", |kind| kind.stack_limit(6))
            .migration(MigrationRules { unknown_kinds: MigrationPolicy::Refuse, ..MigrationRules::default() }),
    );
    let error = world.reload(&strict).unwrap_err();
    assert_eq!(error.to_string(), "old/1: 1 lamp, an unknown kind; refused");
    assert_eq!(world.snapshot(), before);
    assert_eq!(
        described(&mut world, &without_lamp),
        [
            "old/1: 1 lamp, an unknown kind; set aside as an orphan",
            "old/0: container removed; its 3 rope; moved to ground",
            "ann.shortcuts/1: shortcut to flare, an unknown kind; set aside as an orphan",
            "ben: new",
            "ann.depot/0: 2 flare with the mark wet, which is unknown; set aside as an orphan",
            "ann.depot/0: 2 flare with the property reading, which is unknown; set aside as an orphan",
        ]
    );
    assert_eq!(
        (on_ground(&world), lying(&world, "ann.depot")),
        (vec!["1 rope".to_owned(), "3 rope".to_owned()], vec!["0: 2 flare".to_owned()])
    );
    assert!(world.container("ben.new").is_some() && world.container("old").is_none());
}

#[test]
fn what_has_departed_does_not_come_back_by_a_new_ruleset() {
    let rules = |slots| {
        ready(kinds().container("sled", move |sled| sled.slots(slots)).container("depot", |depot| depot.slots(1)))
    };
    let mut world = World::new(&rules(2));
    perform(&mut world, "depart sled");
    let document = world.departed()[0].clone();
    assert_eq!(described(&mut world, &rules(3)), Vec::<String>::new());
    assert_eq!(world.container("sled"), None);
    assert!(world.perform(&Operation::arriving(document)).is_ok());
}

#[test]
fn a_server_takes_its_clients_along() {
    let rules = |slots, start: &[&str]| {
        ready(kinds().container("depot", move |depot| depot.slots(slots)).start("depot", start.iter().copied()))
    };
    let mut server = Server::new(World::new(&rules(4, &["9 flare"])), 10);
    let ToClient::World(snapshot) = server.initial_state() else { panic!("no world") };
    let theirs = Client::new("ann", &rules(3, &[]), &snapshot);
    assert!(matches!(theirs, Err(hypotheke::replication::ClientError::OtherRules { .. })), "the start is a rule");
    let mut ann = Client::new("ann", &rules(4, &[]), &snapshot).unwrap();
    let waiting = ann.predict("consume 1 flare from depot".parse().unwrap());
    let (differences, replies) = server.reload(&rules(1, &[])).unwrap();
    assert_eq!(differences.len(), 2);
    let news = replies.to_all.as_ref().expect("the whole world");
    assert!(
        ann.receive(news)
            .is_err_and(|error| error.to_string().starts_with("the server has a ruleset with the fingerprint"))
    );
    ann.use_rules(&rules(1, &[]));
    assert!(ann.receive(&replies.to_all.unwrap()).unwrap().send.is_empty());
    // An earlier request is performed on the present world.
    assert_eq!((ann.confirmed(), ann.pending()), (1, 1));
    let news = server.receive(&waiting).to_all.expect("it was applied");
    assert_eq!(ann.receive(&news).unwrap().answers.len(), 1);
    assert_eq!(ann.world().snapshot(), server.world().snapshot());
}

proptest! {
    #[test]
    fn no_item_is_lost_whatever_changes(
        counts in prop::collection::vec((0..3usize, 1..9u32), 0..14),
        (slots, limit, admits) in (1..6u32, 1..9u32, 0..3usize),
        actions in prop::array::uniform2(0..3usize),
        packed in any::<bool>(),
    ) {
        let filters = ["signal or tool", "signal", "tool"];
        let action = |index: usize| [MigrationPolicy::Stay, MigrationPolicy::Spill, MigrationPolicy::Split][index];
        let placed = |index: usize| [MigrationPolicy::Stay, MigrationPolicy::Spill, MigrationPolicy::Stay][index];
        let rules = |slots, limit, filter: &str, [over, misplaced]: [usize; 2]| {
            let migration = MigrationRules { over_limit: action(over), not_admitted: placed(misplaced), removed_places: MigrationPolicy::Spill, ..MigrationRules::default() };
            ready(Ruleset::builder()
                .migration(migration)
                .kind("flare", move |kind| kind.stack_limit(limit).tags(["signal"]))
                .kind("rope", |kind| kind.stack_limit(8).tags(["tool"]))
                .kind("crate", |kind| kind.pack("crate").tags(["tool"]))
                .container("crate", move |inside| inside.slots(slots))
                .container("bag", move |bag| bag.slots(slots).admits(filter))
                .container("pouch", |pouch| pouch.slots(2))
                .holder("ann", ["bag", "pouch"], |ann| ann))
        };
        let mut world = World::new(&rules(6, 8, filters[0], [0, 0]));
        if packed {
            perform(&mut world, "create 1 crate in ann.bag/5");
        }
        for (index, (kind, count)) in counts.into_iter().enumerate() {
            let kind = world.rules().find_kind(["flare", "rope", "crate"][kind]).unwrap();
            let to = if packed && index % 3 == 0 { "ann.bag/5/" } else { "ann.bag" };
            let place = world.place(&to.parse().unwrap(), None).unwrap();
            let _ = world.perform(&Operation::creating(Amount::UpTo(count), kind, place));
        }
        let count = |world: &World| -> BTreeMap<String, u64> {
            world.rules().kinds().map(|kind| (kind.id().to_owned(), world.all_stacks_in(None).iter()
                .filter(|stack| stack.is(kind.handle())).map(|stack| u64::from(stack.count())).sum())).collect()
        };
        let before = count(&world);
        let edited = rules(slots, limit, filters[admits], actions);
        let differences = world.reload(&edited).unwrap_or_else(|error| panic!("{error}"));
        prop_assert_eq!(count(&world), before);
        prop_assert_eq!(world.check_indexes(), vec![]);
        let found = audit(&edited, &world.snapshot());
        for violation in &found {
            prop_assert!(violation.law().is_limit(), "{violation}");
            let left = differences.iter().any(|described| described.action == Some(MigrationPolicy::Stay) && described.place == violation.place());
            prop_assert!(left, "{violation} is reported: {differences:?}");
            if violation.law() == Law::StackLimit {
                let on_ground = violation.place().starts_with("ground/");
                prop_assert!(on_ground || actions[0] != 1, "what was to be spilled is within its limit: {violation}");
            }
        }
    }
}

proptest! {
    /// If only caps change, a running world is migrated without plain data; a save of it is
    /// migrated through plain data.
    #[test]
    fn other_caps_do_to_a_running_world_what_they_do_to_its_save(
        counts in prop::collection::vec((0..3usize, 1..9u32), 0..14),
        before in prop::array::uniform4(1..30u32),
        after in prop::array::uniform4(1..30u32),
        action in 0..3usize,
    ) {
        let over_cap = [MigrationPolicy::Stay, MigrationPolicy::Spill, MigrationPolicy::Refuse][action];
        let rules = |[of_bag, of_ann, signals, tools]: [u32; 4], over_cap| {
            ready(Ruleset::builder()
                .migration(MigrationRules { over_cap, ..MigrationRules::default() })
                .kind("flare", |kind| kind.weight(1.into()).stack_limit(4).tags(["signal"]))
                .kind("rope", |kind| kind.weight(2.into()).stack_limit(8).tags(["tool"]))
                .kind("crate", |kind| kind.pack("crate").tags(["tool"]))
                .container("crate", move |inside| inside.slots(3).cap("signal", signals))
                .container("bag", move |bag| bag.slots(6).weight_cap(of_bag.into()))
                .holder("ann", ["bag"], move |ann| ann.weight_cap(of_ann.into()).cap("tool", tools))
                .holder("bert", ["bag"], |bert| bert))
        };
        let mut world = World::new(&rules(before, over_cap));
        let _ = world.perform(&Operation::creating(Amount::Exactly(1), world.rules().find_kind("crate").unwrap(), world.container("ann.bag").unwrap()));
        for (index, (kind, count)) in counts.into_iter().enumerate() {
            let kind = world.rules().find_kind(["flare", "rope", "crate"][kind]).unwrap();
            let to = ["ann.bag/0/", "ann.bag", "bert.bag"][index % 3];
            let Ok(place) = world.place(&to.parse().unwrap(), None) else { continue };
            let _ = world.perform(&Operation::creating(Amount::UpTo(count), kind, place));
        }
        let (edited, kept, bag) = (rules(after, over_cap), world.snapshot(), world.container("ann.bag").unwrap());
        match Save::of(&world).migrate(&edited) {
            Ok((save, differences)) => {
                let described = world.reload(&edited);
                prop_assert_eq!(described.expect("as its save"), differences);
                // A save under rules that mean the same stays as it is; a reload counts as a
                // change.
                let expected = Snapshot { revision: kept.revision + 1, ..save.snapshot().clone() };
                prop_assert_eq!(world.snapshot(), expected);
                prop_assert_eq!(world.check_indexes(), vec![]);
                prop_assert!(!world.has_container(bag), "handles are looked up anew");
                let left = |world: &World| {
                    let (kinds, bag) = (world.rules().kinds(), world.container("ann.bag").unwrap());
                    kinds.map(|kind| world.room_for(kind.handle(), bag).items).collect::<Vec<_>>()
                };
                prop_assert_eq!(left(&world), left(&save.world(&edited).unwrap()), "by the new caps");
            }
            Err(refused) => {
                let described = world.reload(&edited).expect_err("as its save").to_string();
                prop_assert_eq!(described, refused.to_string());
                prop_assert_eq!(world.snapshot(), kept);
            }
        }
    }
}

#[test]
fn a_treatment_that_makes_no_sense_is_a_fault_of_the_ruleset() {
    for (key, value) in [
        ("over-limit", "burn"),
        ("not-admitted", "split"),
        ("removed-places", "stay"),
        ("unknown-kinds", "stay"),
        ("lost", "leave"),
    ] {
        let text = format!(
            "format = 1\ntitle = \"x\"\n[migration]\n{key} = \"{value}\"\n[kind.rope]\n[container.box]\nslots = 1\n"
        );
        let errors = Ruleset::from_toml("rules.toml", &text).unwrap_err().to_string();
        assert!(errors.starts_with("rules.toml:4:"), "{errors}");
    }
}
