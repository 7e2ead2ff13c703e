//! Worlds and operations as a program uses them.

use std::sync::Arc;

use hypotheke::{
    Action, Amount, ApplyError, Cause, ContainerId, Decimal, Departure, HolderId, KindTotals, Landing, LiftAmount,
    NamedOperation, Operation, Place, Reason, Ruleset, StackId, StepAudit, Unknown, Variant, World, audit,
};

fn world() -> World {
    let rules = Ruleset::builder()
        .weight_unit("kg")
        .mark("wet")
        .kind("rope", |kind| kind.stack_limit(3).weight(Decimal::from_thousandths(3_200)))
        .kind("stone", |kind| kind.stack_limit(u32::MAX).weight(Decimal::MAX))
        .kind("bead", |kind| kind.stack_limit(1_000))
        .container("store", |store| store.slots(4))
        .container("bag", |bag| bag.slots(2).weight_cap(10.into()))
        .holder("ann", ["bag"], |ann| ann)
        .start("store", ["5 rope"])
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    World::new(&Arc::new(rules))
}

fn perform(world: &mut World, sentence: &str) -> Result<hypotheke::Outcome, hypotheke::Refusal> {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    world.perform(&operation)
}

fn applied(world: &mut World, sentence: &str) {
    let outcome = perform(world, sentence);
    assert!(outcome.is_ok_and(hypotheke::Outcome::is_complete), "{sentence}");
}

#[test]
fn worlds_can_be_sent_to_other_threads() {
    fn sendable<T: Send + Sync + 'static>() {}
    sendable::<World>();
    sendable::<Ruleset>();
    sendable::<hypotheke::Refusal>();
}

#[test]
fn a_plan_made_on_another_revision_is_stale() {
    let mut world = world();
    let (store, bag) = (world.container("store").unwrap(), world.container("ann.bag").unwrap());
    let operation = Operation::moving(Amount::Exactly(1), store, bag);
    let (first, second) = (world.plan(&operation).unwrap(), world.plan(&operation).unwrap());
    assert_eq!(world.revision(), 0, "judging changes nothing");
    assert_eq!(world.apply(first).unwrap().revision(), 1);
    assert_eq!(world.apply(second).unwrap_err(), ApplyError::Stale);
    assert_eq!(world.container_weight(bag).to_string(), "3.2");
}

/// Applied after an undo or on a clone, a plan wrote counts below zero and gave ids twice: the
/// revision alone was compared.
#[test]
fn a_plan_belongs_to_one_moment_of_one_world() {
    let sentences = [
        "create 2 rope in store",
        "create 1 bead in ann.bag",
        "move 1 rope from store to ann.bag",
        "move up to 2 rope from ann.bag to store",
        "swap store/0 with store/1",
        "drop rope from store",
        "pick up rope to store",
        "consume up to 3 rope from store",
        "consume up to 3 bead from ann.bag",
    ];
    // A moment that no other world has, and no other time.
    let mut moments = 0;
    let mut next_moment = || {
        moments += 1;
        moments
    };
    let mut start = world();
    start.set_undo_limit(20);
    let rules = Arc::clone(start.rules());
    let mut worlds: Vec<(World, u64)> = (0..3).map(|_| (start.clone(), next_moment())).collect();
    let mut plans: Vec<(hypotheke::Plan, u64)> = Vec::new();
    let mut random = crate::transitions::Random::new(1);
    let (mut applied, mut stale) = (0, 0);
    for _ in 0..100_000 {
        let nth = random.below(worlds.len());
        let (world, moment) = &mut worlds[nth];
        match random.below(16) {
            0..=5 => {
                let sentence: NamedOperation = sentences[random.below(sentences.len())].parse().expect("a sentence");
                let plan = world.plan(&sentence.resolve(world).expect("names"));
                plans.extend(plan.ok().map(|plan| (plan, *moment)));
            }
            6 if perform(world, sentences[random.below(sentences.len())]).is_ok() => *moment = next_moment(),
            7 if world.undo(world.revision()).is_ok() => *moment = next_moment(),
            8 => worlds[(nth + 1) % 3] = (worlds[nth].0.clone(), next_moment()),
            9 if random.below(40) == 0 => {
                assert_eq!(world.reload(&rules).map(|found| found.len()), Ok(0));
                *moment = next_moment();
            }
            10..=15 if !plans.is_empty() => {
                let (plan, made) = plans.swap_remove(random.below(plans.len().min(12)));
                let expected = (made == *moment).then(|| plan.outcome());
                let revision = world.revision();
                match world.apply(plan) {
                    Ok(outcome) => {
                        assert_eq!(Some(outcome), expected);
                        *moment = next_moment();
                        applied += 1;
                    }
                    Err(error) => {
                        assert_eq!((error, expected), (ApplyError::Stale, None));
                        assert_eq!(world.revision(), revision);
                        stale += 1;
                    }
                }
            }
            _ => {}
        }
    }
    assert!(applied > 1_000 && stale > 1_000, "{applied} {stale}");
    for (world, _) in &worlds {
        assert_eq!(world.check_indexes(), vec![]);
    }
}

#[test]
fn a_plan_of_one_world_is_not_applied_to_another() {
    let (one, mut other) = (world(), world().numbered(7, 0));
    let store = one.container("store").unwrap();
    let plan = one.plan(&Operation::dropping(Amount::Exactly(1), store, Landing::default())).unwrap();
    assert_eq!(other.apply(plan).unwrap_err(), ApplyError::Stale);
}

#[test]
fn handles_of_another_world_are_refused_not_mixed_up() {
    let (mut one, other) = (world(), world().numbered(7, 0));
    let (store, theirs) = (one.container("store").unwrap(), other.container("ann.bag").unwrap());
    let refusal = one.perform(&Operation::moving(Amount::All, store, theirs)).unwrap_err();
    assert_eq!(refusal.cause(), Cause::Unknown(Unknown::Place));
    let refusal = one.perform(&Operation::moving(Amount::All, store, (store, 99))).unwrap_err();
    assert_eq!(refusal.cause(), Cause::Unknown(Unknown::Place));
    // So is a holder that acts, whatever it asks for.
    let stranger = other.holder("ann").unwrap();
    let rope = one.rules().find_kind("rope").unwrap();
    for operation in [
        Operation::moving(Amount::All, (store, 0), (store, 2)),
        Operation::creating(Amount::Exactly(1), rope, store),
        Operation::leaving(stranger),
        Operation::together([Operation::moving(Amount::All, store, store).by(stranger)]),
    ] {
        let refusal = one.perform(&operation.by(stranger)).unwrap_err();
        assert_eq!(refusal.cause(), Cause::Unknown(Unknown::Place));
    }
    assert!(!one.has_container(theirs) && one.stack(theirs, 0).is_none() && one.container_name(theirs).is_empty());
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Handle {
    Container(ContainerId),
    Holder(HolderId),
}

impl Handle {
    /// What it means in a world: the name of a container or a holder, the number of a pack.
    fn meaning(self, world: &World) -> Option<String> {
        match self {
            Handle::Holder(id) => world.has_holder(id).then(|| world.holder_name(id).to_owned()),
            Handle::Container(id) if !world.has_container(id) => None,
            Handle::Container(id) if world.container_name(id).is_empty() => {
                Some(world.stacks(id).map(|(_, stack)| stack.count()).sum::<u32>().to_string())
            }
            Handle::Container(id) => Some(world.container_name(id)),
        }
    }
}

/// Containers and holders come and go in worlds of one number, with undo, clones and reloads: a
/// handle means what it meant, or nothing.
#[test]
fn a_handle_never_means_something_else() {
    let rules = |title: &str| {
        Ruleset::builder()
            .title(title)
            .kind("bead", |kind| kind.stack_limit(1_000_000))
            .kind("satchel", |kind| kind.pack("satchel"))
            .container("satchel", |it| it.slots(1))
            .container("pocket", |it| it.slots(2))
            .container("store", |it| it.slots(6))
            .holder("ann", ["pocket"], |ann| ann)
            .build()
    };
    let (rules, relabelled) = (rules("Camp"), rules("Camp, again"));
    let rules: Arc<Ruleset> = rules.expect("rules").into();
    // The same rules in different words: the world migrates to them like to any others.
    let relabelled: Arc<Ruleset> = relabelled.expect("rules").into();
    let mut random = crate::transitions::Random::new(3);
    let mut worlds: Vec<World> = (0..3).map(|_| World::new(&rules)).collect();
    worlds.iter_mut().for_each(|world| world.set_undo_limit(12));
    let mut known: Vec<(Handle, String)> = Vec::new();
    let (mut met, mut refused, mut names) = (0, 0, 0);
    for _ in 0..20_000 {
        let nth = random.below(3);
        let mut fresh: Option<Handle> = None;
        match random.below(12) {
            0 => {
                names += 1;
                let name = format!("guest-{names}");
                let newcomer = Departure::newcomer(&rules, "ann", &name).expect("a holder of these rules");
                if worlds[nth].perform(&Operation::arriving(newcomer)).is_ok() {
                    fresh = worlds[nth].holder(&name).map(Handle::Holder);
                    let pocket = worlds[nth].container(&format!("{name}.pocket")).expect("it carries one");
                    known.push((Handle::Container(pocket), format!("{name}.pocket")));
                }
            }
            1 => {
                let guests: Vec<HolderId> = worlds[nth].holders().collect();
                if guests.len() > 2 {
                    let guest = guests[random.below(guests.len())];
                    let _ = worlds[nth].perform(&Operation::departing(guest)).expect("it exists");
                }
            }
            2..=4 => {
                // Packs are distinguished by the number of beads in them.
                names += 1;
                let world = &mut worlds[nth];
                if perform(world, "create 1 satchel in store").is_ok() {
                    let store = world.container("store").expect("a container");
                    let packs = (0..6).filter_map(|slot| world.stack(store, slot)?.inside());
                    let pack = packs.into_iter().find(|&pack| world.slots(pack).all(|slot| slot.stack().is_none()));
                    let bead = rules.find_kind("bead").expect("a kind");
                    let pack = pack.expect("it was created");
                    let _ =
                        world.perform(&Operation::creating(Amount::Exactly(names), bead, pack)).expect("it is empty");
                    fresh = Some(Handle::Container(pack));
                }
            }
            5 | 6 => {
                let (world, slot) = (&mut worlds[nth], random.below(6));
                let store = world.container("store").expect("a container");
                if world.stack(store, u32::try_from(slot).unwrap_or(0)).is_some() {
                    let _ = perform(world, &format!("consume bead from store/{slot}/"));
                    let _ = perform(world, &format!("consume satchel from store/{slot}"));
                }
            }
            7 | 8 => {
                let revision = worlds[nth].revision();
                let _ = worlds[nth].undo(revision);
            }
            9 if random.below(8) == 0 => worlds[(nth + 1) % 3] = worlds[nth].clone(),
            10 if random.below(400) == 0 => {
                // More often than fits into a byte.
                for times in 0..300 {
                    let next = if times % 30 == 0 { &relabelled } else { &rules };
                    assert_eq!(worlds[nth].reload(next).map(|found| found.len()), Ok(0));
                }
            }
            _ => {}
        }
        if let Some(handle) = fresh {
            known.push((handle, handle.meaning(&worlds[nth]).expect("it exists")));
        }
        for (handle, meant) in &known {
            match handle.meaning(&worlds[nth]) {
                // A pack is empty before its beads arrive and after they leave.
                Some(meaning) => assert!(meaning == *meant || meaning == "0", "{meaning} was {meant}"),
                None => refused += 1,
            }
            met += 1;
        }
        let excess = known.len().saturating_sub(60);
        known.drain(..excess);
    }
    assert!(met > 500_000 && refused > 100_000, "{met} {refused}");
    for world in &worlds {
        assert_eq!(world.check_indexes(), vec![]);
    }
}

/// Handles of a ruleset that has more of everything are unknown here.
#[test]
fn handles_of_a_larger_ruleset_are_unknown() {
    let larger = (0..50).fold(Ruleset::builder(), |rules, number| {
        rules
            .mark(&format!("mark-{number}"))
            .kind(&format!("kind-{number}"), |kind| {
                kind.property(&format!("property-{number}"), 1.into()).tags([&*format!("tag-{number}")])
            })
            .container(&format!("container-{number}"), |it| it.slots(1))
    });
    let larger = larger.build().expect("rules");
    let (kind, mark) = (larger.find_kind("kind-49").unwrap(), larger.find_mark("mark-49").unwrap());
    let (tag, property) = (larger.find_tag("tag-49").unwrap(), larger.find_property("property-49").unwrap());
    let mut world = world();
    let store = world.container("store").unwrap();
    assert!(world.rules().kind(kind).is_none() && Departure::newcomer(world.rules(), "nobody", "ann").is_none());
    assert_eq!((world.totals(kind), world.count(kind, None), world.has(mark, None)), (Default::default(), 0, false));
    assert_eq!((world.count(tag, None), world.find(kind, None), world.room_for(kind, store).items), (0, None, 0));
    let stack = world.stack(store, 0).unwrap();
    assert!(!stack.is(kind) && !stack.is(tag) && !stack.has_mark(mark) && !stack.kind().has_tag(tag));
    assert_eq!((stack.kind().property(property), world.slots(store).next().unwrap().limit(kind)), (None, 0));
    let rope = world.rules().find_kind("rope").unwrap();
    let ann = world.holder("ann").unwrap();
    let created = |variant| {
        let landing = Landing::default();
        let (amount, to) = (Amount::Exactly(1), store.into());
        Operation::from(Action::Create { amount, kind: rope, variant, to, landing })
    };
    for operation in [
        Operation::creating(Amount::Exactly(1), kind, store),
        Operation::consuming(Amount::Exactly(1), kind, store),
        Operation::moving(Amount::All, store, Place::Holder(ann)).only(kind),
        created(Variant::default().marked(mark)),
        created(Variant::default().with(property, 1.into())),
        Operation::marking((store, 0), mark),
        Operation::unmarking((store, 0), mark),
        Operation::setting((store, 0), property, 1.into()),
        Operation::binding(kind, ann, 0),
    ] {
        let refusal = world.perform(&operation).unwrap_err();
        assert_eq!(refusal.reason(), Reason::Unknown, "{operation:?}");
        assert!(!world.explain(&refusal).is_empty());
        assert_eq!(world.ask(&operation).causes().first().map(Cause::reason), Some(Reason::Unknown));
    }
}

/// The inside of a removed pack is reused for the next one; after both are undone it is as before.
#[test]
fn handles_of_the_inside_of_a_pack_come_back_with_an_undo() {
    let rules = Ruleset::builder()
        .kind("bag", |kind| kind.pack("bag"))
        .kind("rope", |kind| kind)
        .container("bag", |it| it.slots(2))
        .container("store", |it| it.slots(2))
        .start("store", ["1 bag"]);
    for history in [2, 4, 100] {
        let mut world = World::new(&Arc::new(rules.clone().build().unwrap()));
        world.set_undo_limit(history);
        let inside = |world: &World| world.place(&"store/0/".parse().unwrap(), None).unwrap();
        let (before, snapshot) = (inside(&world), world.snapshot());
        let rope = world.rules().find_kind("rope").unwrap();
        let into = Operation::creating(Amount::Exactly(1), rope, before);
        // Each pack may get the inside of the previous one.
        for _ in 0..history / 2 {
            applied(&mut world, "consume 1 bag from store");
            applied(&mut world, "create 1 bag in store");
            assert_eq!(world.perform(&into).unwrap_err().cause(), Cause::Unknown(Unknown::Place));
        }
        while world.undo_depth() > 0 {
            world.undo(world.revision()).unwrap();
        }
        assert_eq!((inside(&world), world.snapshot()), (before, snapshot));
        assert_eq!(world.perform(&into).unwrap().done(), 1);
    }
}

/// Kinds elsewhere in the table, or nowhere: an earlier handle means none of them.
#[test]
fn handles_from_before_a_reload_are_unknown() {
    let rules = |first: &str, second: &str| -> Arc<Ruleset> {
        let rules = Ruleset::builder().mark("wet").mark("torn");
        let rules = rules.kind(first, |kind| kind.stack_limit(9)).kind(second, |kind| kind.stack_limit(9));
        let rules = rules.container("store", |it| it.slots(9)).holder("ann", ["store"], |it| it.shortcuts(2));
        rules.build().unwrap_or_else(|errors| panic!("{errors}")).into()
    };
    let first = rules("rope", "tent");
    let mut world = World::new(&first);
    let (rope, wet) = (first.find_kind("rope").unwrap(), first.find_mark("wet").unwrap());
    let store = |world: &World| world.container("ann.store").unwrap();
    let create = |world: &World, kind| Operation::creating(Amount::Exactly(1), kind, store(world));
    assert_eq!(world.perform(&create(&world, rope)).unwrap().done(), 1);
    let _ = world.perform(&Operation::marking((store(&world), 0), wet)).unwrap();
    let _ = world.perform(&Operation::binding(rope, world.holder("ann").unwrap(), 1)).unwrap();
    let mut known = rope;
    for number in 0..100 {
        // Other tables in turn, and the same text again and again.
        let names = if number % 2 == 0 { ["tent", "rope"] } else { ["rope", "tent"] };
        for next in [rules(names[0], names[1]), rules(names[0], names[1]), rules("tent", "rope")] {
            world.reload(&next).unwrap();
            let refusal = world.perform(&create(&world, known)).unwrap_err();
            assert_eq!(refusal.cause(), Cause::Unknown(Unknown::Kind));
            let stack = world.stack(store(&world), 0).unwrap();
            assert!(world.rules().kind(known).is_none() && !stack.is(known) && !stack.has_mark(wet));
            assert_eq!(
                (world.count(known, None), world.totals(known), world.has(wet, None)),
                (0, KindTotals::default(), false)
            );
            assert_eq!((stack.kind().id(), stack.marks().collect::<Vec<_>>()), ("rope", vec!["wet"]));
            known = next.find_kind("rope").unwrap();
            assert_eq!((stack.is(known), world.count(known, None)), (true, 1));
            assert_eq!(world.shortcuts(world.holder("ann").unwrap()).collect::<Vec<_>>(), [None, Some(known)]);
            assert!(world.has(next.find_mark("wet").unwrap(), None) && world.check_indexes().is_empty());
        }
    }
    // What is alike still is, by the handles of the ruleset as it is now.
    let variant = Variant::plain().marked(world.rules().find_mark("wet").unwrap());
    let (amount, to, landing) = (Amount::Exactly(1), store(&world).into(), Landing::default());
    let _ = world.perform(&Action::Create { amount, kind: known, variant, to, landing }.into()).unwrap();
    assert_eq!(world.stack(store(&world), 0).unwrap().count(), 2);
    // A copy of a ruleset knows them; the same text compiled again does not.
    assert!(Ruleset::clone(world.rules()).kind(known).is_some() && rules("tent", "rope").kind(known).is_none());
}

#[test]
fn ids_carry_the_number_of_the_world_and_stay_with_what_stays() {
    let mut world = world().numbered(3, 0);
    applied(&mut world, "create 3 rope in ann.bag");
    let bag = world.container("ann.bag").unwrap();
    let id = world.stack(bag, 0).unwrap().id();
    assert_eq!((id.world(), id.to_string().starts_with("#3:")), (3, true));
    applied(&mut world, "ann drops 1 rope");
    assert_eq!(world.stack(bag, 0).unwrap().id(), id, "what stays keeps the id");
    let dropped: Vec<StackId> = world.ground().map(|(stack, _)| stack.id()).collect();
    assert_ne!(dropped, [id], "a part gets a new one");
    applied(&mut world, "move rope from ann.bag/0 to ann.bag/1");
    assert_eq!(world.stack(bag, 1).unwrap().id(), id, "a stack that moves keeps it");
    applied(&mut world, "pick up 1 rope to ann.bag");
    assert_eq!(world.stack(bag, 1).unwrap().id(), id, "what is merged onto keeps it");
}

#[test]
fn refusals_change_nothing_and_have_no_events() {
    let mut world = world();
    let before = (world.revision(), world.events().len());
    let refusal = perform(&mut world, "move 5 rope from store to ann.bag").unwrap_err();
    assert_eq!((world.revision(), world.events().len()), before);
    assert_eq!((refusal.reason(), refusal.max_amount()), (Reason::WeightCap, 3));
    assert_eq!(world.explain(&refusal), "ann.bag would weigh 16 kg; its cap is 10 kg");
    applied(&mut world, "create 1 rope in ground");
    let next = world.ground().last().unwrap().0.id().serial();
    assert_eq!(next, 3, "a refusal uses up no id");
}

#[test]
fn events_tell_what_changed_in_words() {
    let mut world = world();
    assert!(perform(&mut world, "move 4 rope from store to store/3").is_err());
    applied(&mut world, "move 3 rope from store to store/3");
    let described: Vec<String> = world.events().iter().map(|event| world.describe_event(event)).collect();
    assert_eq!(described, ["3 rope: store/0 to store/3"]);
    applied(&mut world, "swap store/1 with store/3");
    assert_eq!(world.describe_event(&world.events()[0]), "store/1 and store/3 swapped");
    assert!(perform(&mut world, "ann picks up").is_err());
    assert!(world.events().is_empty());
}

#[test]
fn counts_and_weights_at_the_ends_of_their_types_are_refused() {
    let mut world = world();
    for sentence in ["create 4294967295 stone in ground", "create 20000 stone in store"] {
        let refusal = perform(&mut world, sentence).unwrap_err();
        assert_eq!(refusal.reason(), Reason::Overflow, "{sentence}");
    }
    // A world can bear 9,223 of the heaviest things that can be written.
    assert_eq!(perform(&mut world, "create up to 4294967295 stone in store").unwrap().done(), 9_223);
    assert_eq!(perform(&mut world, "create 1 stone in store").unwrap_err().reason(), Reason::Overflow);
    let refusal = perform(&mut world, "create 4294967295 bead in ground").unwrap_err();
    assert_eq!(refusal.reason(), Reason::NoRoom, "the ground does not fill the memory");
}

#[test]
fn operations_that_make_no_sense_at_a_place_are_refused() {
    let mut world = world();
    let (store, ann) = (world.container("store").unwrap(), world.holder("ann").unwrap());
    let rope = world.rules().find_kind("rope").unwrap();
    let wet = world.rules().find_mark("wet").unwrap();
    for action in [
        Action::Move { amount: Amount::All, kind: None, from: Place::Ground, to: store.into() },
        Action::Move { amount: Amount::All, kind: None, from: store.into(), to: ann.into() },
        Action::Swap { one: store.into(), other: (store, 0).into() },
        Action::Drop { amount: Amount::All, kind: None, from: Place::Ground, landing: Landing::default() },
        Action::PickUp { amount: Amount::All, kind: None, from: None, to: Place::Ground },
        Action::PickUp { amount: Amount::All, kind: None, from: Some(StackId::new(0, 99)), to: store.into() },
    ] {
        let refusal = world.perform(&action.clone().into()).unwrap_err();
        assert_eq!(refusal.reason(), Reason::Unknown, "{action:?}");
    }
    let landing = Landing { within: Some(Decimal::from_thousandths(-1)), ..Landing::default() };
    assert_eq!(
        world.perform(&Operation::dropping(Amount::All, store, landing)).unwrap_err().reason(),
        Reason::BadAmount
    );
    let all = Action::Create {
        amount: Amount::All,
        kind: rope,
        variant: Variant::plain().marked(wet),
        to: store.into(),
        landing: Landing::default(),
    };
    assert_eq!(world.perform(&all.into()).unwrap_err().reason(), Reason::BadAmount);
}

#[test]
fn marks_and_properties_set_stacks_apart_and_are_forgotten_with_the_last_of_them() {
    let rules = Ruleset::builder()
        .kind("core", |kind| kind.stack_limit(2).property("reading", 0.into()))
        .container("store", |store| store.slots(70))
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let store = world.container("store").unwrap();
    for round in 0..3_000u32 {
        applied(&mut world, &format!("create 2 core (reading {round}) in store"));
        assert_eq!(world.stack(store, 0).unwrap().property("reading"), Some(round.into()));
        applied(&mut world, "consume core from store");
    }
    applied(&mut world, "create 1 core in store");
    applied(&mut world, "create 1 core (reading 0) in store");
    assert_eq!(world.stack(store, 0).unwrap().count(), 2, "a property with the kind's own value sets nothing apart");
}

#[test]
fn the_random_numbers_of_a_scatter_are_pinned() {
    let mut world = world().numbered(0, 42);
    applied(&mut world, "drop 1 rope from store at 10,20 within 5");
    let (_, at) = world.ground().next().unwrap();
    assert_eq!(at.to_string(), "13.143,18.188");
}

#[test]
fn a_large_container_gives_the_same_answers_as_a_small_one() {
    for slots in [64, 65, 200, 5_000] {
        let rules = Ruleset::builder()
            .kind("rope", |kind| kind.stack_limit(3))
            .kind("bead", |kind| kind.stack_limit(9))
            .container("a", |a| a.slots(slots))
            .container("b", |b| b.slots(slots))
            .build()
            .unwrap_or_else(|errors| panic!("{errors}"));
        let mut world = World::new(&Arc::new(rules));
        for sentence in [
            "create 100 rope in a",
            "create 100 bead in a",
            "consume 2 rope from a",
            "move from a to b",
            "move 7 bead from b to a",
        ] {
            applied(&mut world, sentence);
        }
        let (a, b) = (world.container("a").unwrap(), world.container("b").unwrap());
        assert_eq!((world.stacks(a).count(), world.stacks(b).count()), (1, 33 + 12 - 1 + 1), "{slots}");
    }
}

#[test]
fn debugging_a_world_tells_what_lies_where_on_one_line() {
    let mut world = world();
    applied(&mut world, "drop 1 rope from store");
    assert_eq!(
        format!("{world:?}"),
        "World { number: 0, revision: 1, store: \"2 rope, 2 rope\", ground: \"1 rope\", .. }"
    );
    assert!(
        format!("{:?}", world.rules()).starts_with("Ruleset { title: \"\", version: 1, kinds: 3,"),
        "{:?}",
        world.rules()
    );
}

#[test]
fn a_clone_goes_its_own_way() {
    let mut one = world();
    let mut other = one.clone();
    applied(&mut one, "drop 2 rope from store at 1,1 within 9");
    let store = other.container("store").unwrap();
    assert_eq!((other.revision(), other.stacks(store).count(), other.ground().count()), (0, 2, 0));
    applied(&mut other, "drop 2 rope from store at 1,1 within 9");
    let ground = |world: &World| world.ground().map(|(stack, at)| (stack.id(), at)).collect::<Vec<_>>();
    assert_eq!(ground(&one), ground(&other), "the same operation on the same world gives the same result");
    applied(&mut one, "drop 1 rope from store within 9");
    assert_ne!(ground(&one), ground(&other));
}

#[test]
fn worlds_with_other_seeds_scatter_otherwise() {
    let position = |seed| {
        let mut world = world().numbered(0, seed);
        applied(&mut world, "drop 1 rope from store within 1000");
        world.ground().next().unwrap().1
    };
    assert_ne!(position(1), position(2));
    assert_eq!(position(1), position(1));
}

#[test]
fn a_refused_scatter_draws_no_random_number() {
    let (mut one, mut other) = (world(), world());
    assert!(perform(&mut one, "drop 9 rope from store within 5").is_err());
    for world in [&mut one, &mut other] {
        applied(world, "drop 1 rope from store within 5");
    }
    assert_eq!(one.ground().next().unwrap().1, other.ground().next().unwrap().1);
}

#[test]
fn slots_tell_their_name_limit_and_stack() {
    let rules = Ruleset::builder()
        .kind("rope", |kind| kind.stack_limit(3))
        .container("rack", |rack| rack.slots(3).stack_limit(2).named_slot("top", "rope"))
        .start("rack", ["3 rope"])
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let world = World::new(&Arc::new(rules));
    let (rack, rope) = (world.container("rack").unwrap(), world.rules().find_kind("rope").unwrap());
    let described: Vec<_> = world
        .slots(rack)
        .map(|slot| (slot.number(), slot.name(), slot.limit(rope), slot.stack().map(hypotheke::StackView::count)))
        .collect();
    assert_eq!(described, [(0, Some("top"), 2, Some(2)), (1, None, 2, Some(1)), (2, None, 2, None)]);
    let stacks: Vec<_> = world.stacks(rack).map(|(_, stack)| stack).collect();
    assert!(stacks[0].can_stack_with(stacks[1]) && world.slots(rack).all(|slot| slot.container() == rack));
    assert_eq!(
        (world.free_slots(rack), world.stack(rack, 2).is_none(), world.stack(rack, 99).is_none()),
        (1, true, true)
    );
}

#[test]
fn an_operation_that_finds_nothing_to_change_is_applied_and_says_so() {
    let mut world = world();
    let store = world.container("store").unwrap();
    let outcome = world.perform(&Operation::moving(Amount::All, (store, 0), (store, 0))).unwrap();
    assert_eq!((outcome.changed(), outcome.revision(), world.events().len()), (false, 1, 0));
    let outcome = world.perform(&Operation::swapping((store, 0), (store, 1))).unwrap();
    assert_eq!((outcome.changed(), outcome.done(), outcome.requested(), outcome.revision()), (true, 5, None, 2));
}

#[test]
fn only_the_latest_stored_operation_can_be_undone() {
    let mut world = world();
    applied(&mut world, "drop 1 rope from store");
    assert_eq!(world.undo(1).unwrap_err().reason(), Reason::Stale, "a new world keeps nothing");
    world.set_undo_limit(2);
    for sentence in ["drop 1 rope from store within 9", "create 1 rope in store", "consume 1 rope from store"] {
        applied(&mut world, sentence);
    }
    assert_eq!((world.revision(), world.undo_depth()), (4, 2));
    assert_eq!(world.undo(3).unwrap_err().reason(), Reason::Stale);
    world.undo(4).unwrap();
    world.undo(3).unwrap();
    assert!(world.events().is_empty());
    assert_eq!(world.undo(2).unwrap_err().reason(), Reason::Stale, "the oldest has been forgotten");
    world.set_undo_limit(0);
    applied(&mut world, "create 1 rope in store");
    assert_eq!((world.undo_depth(), world.revision()), (0, 3));
}

#[test]
fn random_numbers_and_ids_are_given_again_after_taking_back() {
    let mut world = world();
    world.set_undo_limit(1);
    let landed = |world: &World| world.ground().map(|(stack, at)| (stack.id(), at)).collect::<Vec<_>>();
    applied(&mut world, "drop 1 rope from store within 9");
    let first = landed(&world);
    world.undo(1).unwrap();
    assert_eq!(landed(&world), []);
    applied(&mut world, "drop 1 rope from store within 9");
    assert_eq!(landed(&world), first);
}

#[test]
fn a_mark_of_an_undone_stack_returns_with_it() {
    let mut world = world();
    world.set_undo_limit(100);
    applied(&mut world, "create 1 rope (wet) in store");
    applied(&mut world, "consume from store");
    for round in 0..20 {
        applied(&mut world, &format!("create 1 bead{} in store", if round % 2 == 0 { " (wet)" } else { "" }));
        applied(&mut world, "consume from store");
    }
    while world.revision() > 1 {
        world.undo(world.revision()).unwrap();
    }
    let store = world.container("store").unwrap();
    let wet: Vec<_> = world.stacks(store).map(|(_, stack)| (stack.kind().id(), stack.marks().count())).collect();
    assert_eq!(wet, [("rope", 0), ("rope", 0), ("rope", 1)]);
}

/// Every answer to an operation out of any range is a refusal, and leaves no trace.
#[test]
fn what_is_out_of_range_is_refused_and_leaves_no_trace() {
    let rules = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(u32::MAX).weight(1.into()))
        .kind("bag", |kind| kind.pack("bag"))
        .container("bag", |bag| bag.slots(2))
        .container("chest", |chest| chest.slots(3))
        .holder("ann", ["chest-of-ann"], |ann| ann)
        .container("chest-of-ann", |chest| chest.slots(2))
        .start("chest", ["5 flare"])
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let (chest, ann) = (world.container("chest").expect("a chest"), world.holder("ann").expect("a holder"));
    let flare = world.rules().find_kind("flare").expect("a kind");
    let beyond = (chest, 3);
    let numbers = [0, 1, 6, u32::MAX - 1, u32::MAX];
    let mut requested = vec![
        Operation::swapping((chest, 0), beyond),
        Operation::together([]),
        Operation::lifting(LiftAmount::Half, beyond, ann),
        Operation::lifting(LiftAmount::Half, (chest, 1), ann),
        Operation::marking(
            chest,
            hypotheke::Ruleset::builder().mark("m").build().expect("rules").find_mark("m").expect("m"),
        ),
    ];
    for number in numbers {
        let exactly = Amount::Exactly(number);
        requested.extend([
            Operation::moving(exactly, beyond, chest),
            Operation::splitting(number.max(5), (chest, 0), chest),
            Operation::merging(exactly, (chest, 0), beyond),
            Operation::consuming(Amount::Exactly(number.max(6)), flare, chest),
            Operation::putting(exactly, chest, ann),
            Operation::returning(exactly, ann),
            Operation::equipping(exactly, (chest, 0), ann),
            Operation::unequipping(exactly, (chest, 0), ann),
        ]);
    }
    let before = (format!("{world:?}"), world.revision());
    for operation in requested {
        assert!(world.plan(&operation).is_err(), "{operation:?}");
        assert!(world.perform(&operation).is_err(), "{operation:?}");
        assert_eq!((format!("{world:?}"), world.revision()), before, "{operation:?}");
        assert!(world.events().is_empty(), "{operation:?}");
    }
}

/// However many packs are laid in each other, and lists in lists, there is an answer.
#[test]
fn what_is_nested_too_deep_is_refused() {
    let rules = Ruleset::builder()
        .kind("bag", |kind| kind.pack("bag"))
        .container("bag", |bag| bag.slots(1))
        .container("chest", |chest| chest.slots(1))
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let bag = world.rules().find_kind("bag").expect("a kind");
    let mut inside = world.container("chest").expect("a chest");
    let mut laid = 0;
    for _ in 0..10_000 {
        match world.perform(&Operation::creating(Amount::Exactly(1), bag, inside)) {
            Ok(_) => laid += 1,
            Err(refusal) => assert_eq!((laid, refusal.reason()), (8, Reason::TooDeep)),
        }
        inside = world.stack(inside, 0).and_then(hypotheke::StackView::inside).unwrap_or(inside);
    }
    let chest = world.container("chest").expect("a chest");
    let innermost = Operation::consuming(Amount::All, bag, inside);
    let deep = (0..200).fold(innermost, |operation, _| Operation::together([operation]));
    assert_eq!(world.perform(&deep).unwrap_err().reason(), Reason::Unknown);
    assert_eq!(world.stacks(chest).count(), 1);
    let sentence = format!("{}consume bag from chest{}", "together (".repeat(5_000), ")".repeat(5_000));
    assert!(sentence.parse::<hypotheke::NamedOperation>().is_err());
}

/// What is done in few steps took a container where a swap names a slot for its first slot. A dry
/// run and the operation say the same of every sort of place.
#[test]
fn every_type_of_place_is_planned_as_it_is_performed() {
    let rules = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(6))
        .container("store", |store| store.slots(3))
        .container("bag", |bag| bag.slots(2))
        .holder("ann", ["bag"], |ann| ann.shortcuts(1))
        .start("store", ["4 flare"])
        .start("ann.bag", ["1 flare"])
        .start("ground", ["2 flare"])
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let world = World::new(&rules.into());
    let (store, ann) = (world.container("store").expect("a container"), world.holder("ann").expect("a holder"));
    let landed = world.ground().next().expect("a stack").0.id();
    let flare = world.rules().find_kind("flare").expect("a kind");
    let places = [
        Place::Slot(store, 0),
        Place::Slot(store, 1),
        Place::Slot(store, 9),
        Place::Container(store),
        Place::Holder(ann),
        Place::Hand(ann),
        Place::Ground,
        Place::OnGround(landed),
        Place::Shortcut(ann, 0),
        Place::Shortcut(ann, 7),
    ];
    let amounts =
        [Amount::All, Amount::Exactly(0), Amount::Exactly(2), Amount::UpTo(u32::MAX), Amount::Exactly(u32::MAX)];
    let (variant, landing) = (hypotheke::Variant::plain(), hypotheke::Landing::default());
    let mut actions = Vec::new();
    for one in places {
        for amount in amounts {
            actions.push(Action::Create { amount, kind: flare, variant: variant.clone(), to: one, landing });
            actions.push(Action::Consume { amount, kind: Some(flare), from: one });
            actions.push(Action::Put { amount, to: one });
            actions.push(Action::Equip { amount, from: one });
            for to in places {
                actions.push(Action::Move { amount, kind: None, from: one, to });
                actions.push(Action::Merge { amount, from: one, onto: to });
                actions.push(Action::Unequip { amount, from: one, to: Some(to) });
            }
        }
        actions.extend(places.map(|other| Action::Swap { one, other }));
        actions.extend([0, 1, u32::MAX].map(|slots| Action::Resize { at: one, slots, spill: true }));
        actions.extend([
            Action::Sort { at: one, by: hypotheke::SortKey::Kind },
            Action::Open { at: one },
            Action::Close { at: one },
            Action::Bind { kind: flare, at: one },
            Action::Unbind { at: one },
        ]);
    }
    for action in actions {
        for actor in [None, Some(ann)] {
            let operation = Operation { actor, action: action.clone() };
            let mut copy = world.clone();
            let planned = world.plan(&operation).map(|plan| (plan.outcome(), plan.events().to_vec()));
            let done = copy.perform(&operation).map(|outcome| (outcome, copy.events().to_vec()));
            assert_eq!(planned, done, "{operation:?}");
            assert_eq!(copy.check_indexes(), vec![], "{operation:?}");
            if done.is_err() {
                assert_eq!(copy.snapshot(), world.snapshot(), "{operation:?}");
            }
        }
    }
}

/// The number of an unused variant is given to one other variant only.
#[test]
fn variants_that_come_back_in_one_list_stay_apart() {
    let rules = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(6))
        .mark("damp")
        .mark("spent")
        .container("depot", |depot| depot.slots(4))
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let rules = Arc::new(rules);
    for (one, other) in [("damp", "spent"), ("spent", "damp")] {
        let mut world = World::new(&rules);
        applied(&mut world, "create 1 flare (damp) in depot");
        applied(&mut world, "consume 1 flare from depot");
        let both = format!("together (create 1 flare ({one}) in depot; create 1 flare ({other}) in depot)");
        applied(&mut world, &both);
        let stacks = &world.snapshot().containers[0].stacks;
        let marks: Vec<&str> = stacks.iter().map(|lying| &*lying.stack.marks[0]).collect();
        assert_eq!(marks, [one, other]);
    }
}

#[test]
fn the_hash_tells_apart_worlds_in_which_something_else_lies_somewhere() {
    let mut world = world();
    assert_eq!(world.contents_hash(), None, "as long as it is not kept");
    world.enable_hash();
    world.set_undo_limit(1);
    let start = world.contents_hash();
    // Each is one step from the same start: 3 ropes in the first slot of the store and 2 in the
    // second.
    let sentences = [
        "move 1 rope from store to bag",
        "move 2 rope from store to bag",
        "drop 1 rope from store",
        "drop 2 rope from store",
        "split 1 from store/1 to store/2",
        "split 1 from store/1 to store/3",
        "swap store/0 with store/1",
        "swap store/0 with store/2",
        "mark store/0 wet",
        "mark store/1 wet",
        "create 1 bead in store",
        "create 1 bead in bag",
        "consume 1 rope from store",
        "consume 3 rope from store",
    ];
    let mut hashes = vec![start];
    for sentence in sentences {
        applied(&mut world, sentence);
        hashes.push(world.contents_hash());
        world.undo(1).unwrap();
        assert_eq!(world.contents_hash(), start, "{sentence}, undone");
    }
    let different: std::collections::BTreeSet<_> = hashes.iter().collect();
    assert_eq!(different.len(), hashes.len(), "{hashes:?}");
}

/// A world does not show how a protected item reached the ground: the step does.
#[test]
fn a_protected_item_on_the_ground_is_found() {
    let rules = Ruleset::builder()
        .kind("journal", hypotheke::KindBuilder::protected)
        .kind("rope", |kind| kind)
        .kind("satchel", |kind| kind.pack("satchel"))
        .container("satchel", |it| it.slots(1))
        .container("store", |it| it.slots(4))
        .start("store", ["1 journal", "1 satchel", "1 rope"])
        .build();
    let mut world = World::new(&Arc::new(rules.expect("rules")));
    let store = world.container("store").unwrap();
    let nothing = Operation::moving(Amount::All, store, store);
    let before = StepAudit::before(&world, &nothing);
    applied(&mut world, "drop satchel from store/1");
    assert_eq!(before.check(&world, &nothing), vec![], "no kept item is in it");
    // Written into a snapshot, one is, as no operation could have brought it there.
    let mut snapshot = world.snapshot();
    let journal = snapshot.containers[0].stacks.remove(0);
    snapshot.packs[0].stacks.push(hypotheke::snapshot::InSlot { slot: 0, stack: journal.stack, in_work: false });
    let corrupted = World::from_snapshot(world.rules(), &snapshot).unwrap();
    assert_eq!(audit(world.rules(), &snapshot), vec![], "the world itself keeps every law");
    let found = before.check(&corrupted, &nothing);
    assert_eq!(found.len(), 1);
    assert_eq!(found[0].to_string(), "protected: ground: 1 journal were dropped, but they are protected");
    let kind = world.rules().find_kind("journal").unwrap();
    let create = Operation::creating(Amount::Exactly(1), kind, Place::Ground);
    assert_eq!(before.check(&corrupted, &Operation::together([nothing.clone(), create])), vec![]);
    // Nor is one consumed.
    let totals = snapshot.totals.get_mut("journal").unwrap();
    totals.consumed += 1;
    snapshot.packs[0].stacks.clear();
    let consumed = World::from_snapshot(world.rules(), &snapshot).unwrap();
    assert_eq!(before.check(&consumed, &nothing)[0].message(), "1 journal consumed, but they are protected");
}

/// What no operation does, told apart by who is said to have done it.
#[test]
fn a_step_audit_notices_what_crosses_a_border_that_is_not_for_the_actor() {
    let rules = Ruleset::builder()
        .kind("letter", |kind| kind.stack_limit(5))
        .container("mailbox", |it| it.slots(2).owner("ines").take_by(["owner"]))
        .container("sealed", |it| it.slots(2).put_by(["nobody"]).take_by(["nobody"]))
        .container("store", |it| it.slots(2))
        .holder("ines", ["bag"], |holder| holder)
        .holder("mara", ["bag"], |holder| holder.groups(["crew"]))
        .container("bag", |it| it.slots(2))
        .start("mailbox", ["3 letter"])
        .start("sealed", ["2 letter"])
        .build();
    let world = World::new(&Arc::new(rules.expect("rules")));
    let found = |sentence: &str, done: &str| -> Vec<String> {
        let operation = |text: &str| -> Operation {
            let named: NamedOperation = text.parse().expect("a sentence");
            named.resolve(&world).expect("its names")
        };
        let mut after = world.clone();
        let audit = StepAudit::before(&world, &operation(sentence));
        let _outcome =
            after.perform(&operation(done)).unwrap_or_else(|refusal| panic!("{done}: {}", world.explain(&refusal)));
        audit.check(&after, &operation(sentence)).iter().map(ToString::to_string).collect()
    };
    let take = "move 1 letter from mailbox to store";
    assert_eq!(found(take, take), Vec::<String>::new());
    assert_eq!(found("ines drops 1 letter from mailbox", take), Vec::<String>::new());
    assert_eq!(
        found("mara drops 1 letter from mailbox", take),
        ["access: mailbox: 1 letter crossed a border against `take-by`"]
    );
    let put = "move 2 letter from mailbox to ines.bag";
    assert_eq!(
        found("mara together (move 1 letter from store to ines.bag)", put),
        [
            "access: mailbox: 2 letter crossed a border against `take-by`",
            "access: ines.bag: 2 letter crossed a border against `put-by`"
        ]
    );
    let create = "create 1 letter in sealed";
    assert_eq!(found(create, create), Vec::<String>::new());
    assert_eq!(found(take, create), ["access: sealed: 1 letter crossed a border against `put-by`"]);
    assert_eq!(
        found(take, "consume 1 letter from sealed"),
        ["access: sealed: 1 letter crossed a border against `take-by`"]
    );
}
