//! Containers and holders on their way between worlds.

use std::sync::Arc;

use hypotheke::save::Save;
use hypotheke::snapshot::{Departed, InSlot, PastArrival};
use hypotheke::{
    Cause, DepartingEntity, Departure, DepartureId, Event, Law, NamedOperation, Operation, Outcome, Reason, Refusal,
    Ruleset, StackId, Unknown, Violation, World, audit,
};

const RULES: &str = r#"
format = 1
units = { weight = "kg" }
[mark.wet]
[kind.flare]
weight = 0.5
stack-limit = 6
properties = { range = 3 }
[kind.satchel]
weight = 1
pack = "satchel"
[kind.stone]
weight = 999999999999.999
stack-limit = 9000
[container.satchel]
slots = 2
max-slots = 4
[container.sled]
slots = 3
max-slots = 5
[container.chest]
slots = 2
copies = ["chest-a", "chest-b"]
[container.bag]
slots = 3
[holder.ann]
carries = ["bag"]
shortcuts = 2
[start]
sled = ["4 flare (wet, range 5)", "1 satchel"]
"sled/1/" = ["2 flare", "1 satchel"]
"ann.bag" = ["3 flare"]
"#;

fn rules() -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", RULES).unwrap_or_else(|errors| panic!("{errors}")))
}

/// A world with a number of its own.
fn world(number: u32) -> World {
    World::new(&rules()).numbered(number, 0)
}

fn perform(world: &mut World, sentence: &str) -> Result<Outcome, Refusal> {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    world.perform(&operation)
}

/// Lets something depart; gives its document.
fn send(world: &mut World, name: &str) -> Departure {
    let outcome = perform(world, &format!("depart {name}")).unwrap_or_else(|refusal| panic!("{}", refusal.reason()));
    assert!(outcome.changed());
    assert_eq!(world.departed().len(), 1);
    world.departed()[0].clone()
}

fn arrive(world: &mut World, departure: &Departure) -> Result<Outcome, Refusal> {
    world.perform(&Operation::arriving(departure.clone()))
}

fn refused(world: &mut World, departure: &Departure) -> Cause {
    let before = world.snapshot();
    let cause = arrive(world, departure).expect_err("refused").cause();
    assert_eq!(world.snapshot(), before);
    assert!(world.events().is_empty() && world.departed().is_empty());
    cause
}

fn is_sound(world: &World) {
    assert_eq!(world.check_indexes(), vec![]);
    assert_eq!(audit(world.rules(), &world.snapshot()), vec![]);
    let back = World::from_snapshot(world.rules(), &world.snapshot()).unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(back.snapshot(), world.snapshot());
}

#[test]
fn a_container_goes_from_world_to_world_with_all_that_it_has() {
    let (mut camp, mut pass) = (world(1), world(2));
    let _ = perform(&mut camp, "resize sled to 5").unwrap();
    let _ = perform(&mut camp, "resize sled/1/ to 4").unwrap();
    send(&mut pass, "sled");
    let before = camp.snapshot();
    let sled = send(&mut camp, "sled");
    is_sound(&camp);
    assert_eq!((sled.name(), sled.id), ("sled", Some(DepartureId { world: 1, number: 0 })));
    assert_eq!(sled.stacks().map(|stack| stack.count).sum::<u32>(), 4 + 1 + 2 + 1);
    assert_eq!(sled.check(&rules()), Ok(()));

    let sent = serde_json::to_string(&sled).unwrap();
    let came: Departure = serde_json::from_str(&sent).unwrap();
    assert_eq!(came, sled);
    assert_eq!(arrive(&mut pass, &came).unwrap().done(), 8);
    is_sound(&pass);
    let there = pass.snapshot();
    assert_eq!(there.containers.last(), before.containers.iter().find(|container| container.name == "sled"));
    assert_eq!(there.packs[..2], before.packs[..2]);
    assert_eq!(there.totals["flare"].arrived, 6);
    assert_eq!(camp.snapshot().totals["flare"].departed, 6);
    assert_eq!(pass.place(&"#1:1".parse().unwrap(), None), pass.place(&"sled/0".parse().unwrap(), None));

    // What is made there has ids of that world.
    let _ = perform(&mut pass, "create 6 flare in sled/1/").unwrap();
    assert!(pass.snapshot().packs[0].stacks.iter().any(|lying| lying.stack.id.world() == 2));
    let back = send(&mut pass, "sled");
    assert_eq!(back.id, Some(DepartureId { world: 2, number: 1 }));
    assert_eq!(arrive(&mut camp, &back).unwrap().done(), 14);
    is_sound(&camp);
}

#[test]
fn the_same_departure_arrives_once() {
    let (mut camp, mut pass) = (world(1), world(2));
    send(&mut pass, "ann");
    let ann = send(&mut camp, "ann");
    let _ = arrive(&mut pass, &ann).unwrap();
    assert_eq!(refused(&mut pass, &ann), Cause::Arrived);
    // It stays known, through saves too, after the arrival has departed again.
    send(&mut pass, "ann");
    let mut back = World::from_snapshot(pass.rules(), &pass.snapshot()).unwrap();
    assert_eq!(refused(&mut back, &ann), Cause::Arrived);
    // Both ways of one list are the same departure.
    let twice = Operation::together([Operation::arriving(ann.clone()), Operation::arriving(ann)]);
    let refusal = world(3).perform(&twice).unwrap_err();
    assert_eq!((refusal.cause(), refusal.step()), (Cause::Unknown(Unknown::Taken), Some(0)));
    let mut empty = world(3);
    send(&mut empty, "ann");
    let refusal = empty.perform(&twice).unwrap_err();
    assert_eq!((refusal.reason(), refusal.step()), (Reason::Stale, Some(1)));
}

#[test]
fn what_arrived_is_remembered_by_name_alone() {
    let (mut camp, mut pass) = (world(1), world(2));
    send(&mut pass, "ann");
    let mut ann = send(&mut camp, "ann");
    let first = ann.clone();
    for _ in 0..20 {
        let _ = arrive(&mut pass, &ann).unwrap();
        ann = send(&mut pass, "ann");
        let _ = arrive(&mut camp, &ann).unwrap();
        ann = send(&mut camp, "ann");
    }
    // Each departure has a higher number than the last arrival, wherever it was, so that no earlier
    // one comes in.
    assert_eq!(camp.snapshot().arrivals, [PastArrival::Latest { name: "ann".to_owned(), number: 39 }]);
    assert_eq!(ann.id.map(|id| id.number), Some(40));
    assert_eq!((refused(&mut pass, &first), refused(&mut camp, &first)), (Cause::Arrived, Cause::Arrived));
    // Within a list too, which is undone as a whole.
    let arriving = Operation::together([Operation::arriving(ann.clone()), Operation::arriving(first)]);
    assert_eq!(pass.perform(&arriving).unwrap_err().reason(), Reason::Stale);
    let before = pass.snapshot();
    pass.set_undo_limit(2);
    let revision = arrive(&mut pass, &ann).unwrap().revision();
    pass.undo(revision).unwrap();
    assert_eq!(pass.snapshot(), before);
    let _ = arrive(&mut pass, &ann).unwrap();
    is_sound(&pass);
}

#[test]
fn departures_that_an_earlier_save_lists_one_by_one_do_not_arrive_again() {
    let mut camp = world(1);
    let ann = send(&mut camp, "ann");
    let mut snapshot = world(2).snapshot();
    snapshot.arrivals = serde_json::from_str(r#"[{"world": 1, "number": 0}]"#).unwrap();
    let mut pass = World::from_snapshot(camp.rules(), &snapshot).unwrap();
    assert_eq!(pass.snapshot(), snapshot);
    send(&mut pass, "ann");
    assert_eq!(refused(&mut pass, &ann), Cause::Arrived);
    for form in [Save::of_snapshot(pass.rules(), pass.snapshot()).to_bytes(), Save::of(&pass).to_json().into_bytes()] {
        assert_eq!(Save::read(&form).unwrap().snapshot().arrivals, snapshot.arrivals);
    }
}

#[test]
fn a_departure_beyond_what_can_be_counted_is_no_document() {
    let mut camp = world(1);
    let mut ann = send(&mut camp, "ann");
    ann.id = Some(DepartureId { world: 7, number: u64::MAX });
    assert!(ann.check(camp.rules()).is_err());
    assert_eq!(refused(&mut camp, &ann), Cause::Unknown(Unknown::Document));
}

#[test]
fn departures_and_arrivals_are_undone() {
    let (mut camp, mut pass) = (world(1), world(2));
    let ann = send(&mut pass, "ann");
    camp.set_undo_limit(10);
    let (before, sled) = (camp.snapshot(), camp.container("sled").unwrap());
    send(&mut camp, "ann");
    send(&mut camp, "sled");
    assert!(!camp.has_container(sled));
    let _ = arrive(&mut camp, &ann).unwrap();
    let _ = perform(&mut camp, "ann drops 2 flare").unwrap();
    for revision in (1..=4).rev() {
        camp.undo(revision).unwrap();
        is_sound(&camp);
    }
    assert_eq!(camp.snapshot(), before);
    assert!(camp.has_container(sled), "the handle is good again");
    // An undone arrival has not arrived.
    send(&mut camp, "ann");
    let _ = arrive(&mut camp, &ann).unwrap();
}

#[test]
fn handles_end_with_a_departure() {
    let mut camp = world(1);
    let (ann, bag) = (camp.holder("ann").unwrap(), camp.container("ann.bag").unwrap());
    let document = send(&mut camp, "ann");
    assert!(!camp.has_holder(ann) && !camp.has_container(bag));
    assert_eq!((camp.holder_name(ann), camp.container_name(bag).as_str(), camp.hand(ann).is_none()), ("", "", true));
    assert_eq!((camp.holders().count(), camp.carried(ann).count(), camp.stacks(bag).count()), (0, 0, 0));
    let _ = arrive(&mut camp, &document).unwrap();
    assert!(!camp.has_holder(ann) && camp.holder("ann") != Some(ann));
    let Event::Arrived { who: DepartingEntity::Holder(again), count: 3, .. } = camp.events()[0] else {
        panic!("an arrival")
    };
    assert_eq!(camp.holder("ann"), Some(again));
    let refusal = camp.perform(&Operation::departing(ann)).unwrap_err();
    assert_eq!(refusal.cause(), Cause::Unknown(Unknown::Place));
    assert_eq!(
        camp.describe_event(&camp.events().first().copied().unwrap_or(Event::Departed {
            who: DepartingEntity::Holder(again),
            departure: DepartureId { world: 1, number: 0 },
            before: 0,
            count: 1,
        })),
        "ann departed with 1 item"
    );
}

#[test]
fn newcomers_come_under_any_free_name() {
    let mut camp = world(1);
    for number in 0..200 {
        let newcomer = Departure::newcomer(camp.rules(), "ann", &format!("player-{number}")).unwrap();
        assert_eq!(arrive(&mut camp, &newcomer).unwrap().done(), 0);
        let _ = perform(&mut camp, &format!("create 2 flare in player-{number}")).unwrap();
    }
    assert_eq!(camp.holders().count(), 201);
    // A name that is not known is compared with a few that may be meant, not with those of all
    // players.
    for (name, help) in [
        ("player-7.bog", Some("Did you mean `player-7.bag`?")),
        ("sledd", Some("Did you mean `sled`?")),
        ("playr-7.bag", None),
        (
            "bag",
            Some(
                "Name one of them: `ann.bag`, `player-0.bag`, `player-1.bag`, `player-2.bag`, `player-3.bag`, `player-4.bag`, \
                 `player-5.bag`, `player-6.bag`, `player-7.bag`, `player-8.bag`, `player-9.bag`, `player-10.bag`, others",
            ),
        ),
    ] {
        let named: hypotheke::NamedOperation = format!("move flare from {name} to sled").parse().unwrap();
        assert_eq!(named.resolve(&camp).unwrap_err().help_text(), help, "{name}");
    }
    is_sound(&camp);
    let _ = perform(&mut camp, "player-7 lifts from player-7.bag/0").unwrap();
    assert_eq!(send(&mut camp, "player-7").stacks().count(), 1);
    for name in ["ann", "player-9", "sled", "chest", "chest-a", "satchel", "ground", "hand", "Two words", "", "a.b"] {
        let newcomer = Departure::newcomer(camp.rules(), "ann", name).unwrap();
        let taken = ["ann", "player-9"].contains(&name);
        let unknown = if taken { Unknown::Taken } else { Unknown::Document };
        assert_eq!(refused(&mut camp, &newcomer), Cause::Unknown(unknown), "{name}");
    }
}

/// What can't arrive, and why.
#[test]
fn documents_that_can_t_be_meant_are_refused() {
    type Change = fn(&mut Departure);
    fn stacks(it: &mut Departure) -> &mut Vec<InSlot> {
        match &mut it.who {
            Departed::Container(container) => &mut container.stacks,
            Departed::Holder(holder) => &mut holder.containers[0].stacks,
        }
    }
    fn named(it: &mut Departure, name: &str) {
        let Departed::Container(container) = &mut it.who else { panic!("a container") };
        name.clone_into(&mut container.name);
    }
    let cases: &[(Change, &str)] = &[
        (|it| it.id = None, "sled: a newcomer cannot bring items"),
        (|it| stacks(it)[0].stack.kind = "torch".into(), "sled/0: unknown kind `torch`"),
        (|it| stacks(it)[0].stack.count = 0, "sled/0: a stack has at least 1 item"),
        (|it| stacks(it)[0].slot = 1, "sled/1: two stacks are in this slot"),
        (|it| stacks(it)[0].slot = 9, "sled/9: it has 3 slots"),
        (|it| stacks(it)[0].stack.id = StackId::new(1, 2), "two stacks have the id #1:2"),
        (|it| it.packs.clear(), "sled/1: this satchel has no inside"),
        (|it| it.packs[0].slots = 99, "sled/1: it has 99 slots; the maximum is 4"),
        (|it| it.packs[0].opened_by.push("ann".into()), "#1:2: a transfer record cannot be open to a holder"),
        (|it| named(it, "ann"), "ann: unknown container `sled`"),
        (|it| named(it, "chest-a"), "chest-a: unknown container `sled`"),
    ];
    let (mut camp, mut pass) = (world(1), world(2));
    send(&mut pass, "sled");
    let sled = send(&mut camp, "sled");
    for (change, message) in cases {
        let mut changed = sled.clone();
        change(&mut changed);
        let error = changed.check(&rules()).expect_err(message).to_string();
        assert!(error.contains(message), "{message}\nbut {error}");
        assert_eq!(refused(&mut pass, &changed), Cause::Unknown(Unknown::Document), "{message}");
    }
    let _ = arrive(&mut pass, &sled).unwrap();
}

#[test]
fn a_world_knows_what_it_can_t_have_given() {
    let (mut camp, mut pass) = (world(1), world(2));
    let sled = send(&mut camp, "sled");
    // A departure, or a stack, that this world has not given yet.
    let to_come = Departure { id: Some(DepartureId { world: 1, number: 1 }), ..sled.clone() };
    assert_eq!(refused(&mut camp, &to_come), Cause::Unknown(Unknown::Document));
    let mut new_stack = sled.clone();
    let Departed::Container(container) = &mut new_stack.who else { panic!("a container") };
    container.stacks[0].stack.id = StackId::new(1, 900);
    assert_eq!(refused(&mut camp, &new_stack), Cause::Unknown(Unknown::Document));
    // A stack that is here already.
    send(&mut pass, "sled");
    let mut doubled = sled.clone();
    let Departed::Container(container) = &mut doubled.who else { panic!("a container") };
    let here = pass.snapshot().holders[0].containers[0].stacks[0].stack.id;
    container.stacks[0].stack.id = here;
    assert_eq!(refused(&mut pass, &doubled), Cause::Unknown(Unknown::Taken));
    // A name that is here already.
    let chest = send(&mut pass, "chest-a");
    assert_eq!(refused(&mut camp, &chest), Cause::Unknown(Unknown::Taken));
}

#[test]
fn weight_beyond_counting_does_not_arrive() {
    let (mut camp, mut pass) = (world(1), world(2));
    let _ = perform(&mut camp, "create 9000 stone in chest-b").unwrap();
    let chest = send(&mut camp, "chest-b");
    send(&mut pass, "chest-b");
    let _ = perform(&mut pass, "create 9000 stone in chest-a").unwrap();
    assert_eq!(refused(&mut pass, &chest), Cause::Overflow);
    // With the others gone it may.
    let depart: NamedOperation = "depart chest-a".parse().unwrap();
    let steps = [depart.resolve(&pass).unwrap(), Operation::arriving(chest)];
    assert_eq!(pass.perform(&Operation::together(steps)).unwrap().done(), 18_000);
    assert_eq!(pass.departed().len(), 1);
    is_sound(&pass);
}

#[test]
fn an_audit_tells_of_arrivals_that_can_t_be() {
    let camp = world(1);
    let mut snapshot = camp.snapshot();
    let past = r#"[{"world": 1, "number": 0}, {"world": 2, "number": 5}, {"world": 2, "number": 5},
        {"name": "ann", "number": 5}, {"name": "ann", "number": 6}]"#;
    snapshot.arrivals = serde_json::from_str(past).unwrap();
    snapshot.holders[0].name = "sled".into();
    let found: Vec<Violation> = audit(camp.rules(), &snapshot);
    let described: Vec<String> = found.iter().map(ToString::to_string).collect();
    assert_eq!(
        described,
        [
            "places: sled: the name belongs to something other than a `ann`",
            "places: sled: two places have this name",
            "identity: the world: departure 0 from world 1 is not below the next departure, 0",
            "identity: the world: departure 5 from world 2 has arrived twice",
            "identity: the world: two arrivals have the name ann",
        ]
    );
    assert!(found.iter().all(|violation| matches!(violation.law(), Law::Places | Law::Identity)));
    let error = World::from_snapshot(camp.rules(), &snapshot).unwrap_err().to_string();
    for message in
        ["the name belongs to something", "is not below the next number", "has arrived twice", "have the name `ann`"]
    {
        assert!(error.contains(message), "{message}\nbut {error}");
    }
}

/// Coming and going for a long time takes no more room than one coming and going.
#[test]
fn the_room_of_what_has_departed_is_given_to_what_comes() {
    for kept in [0, 2] {
        let mut camp = world(1);
        camp.set_undo_limit(kept);
        for _ in 0..300 {
            for name in ["ann", "sled"] {
                let document = send(&mut camp, name);
                let _ = arrive(&mut camp, &document).unwrap();
            }
        }
        is_sound(&camp);
        let sled = format!("{:?}", camp.container("sled").unwrap());
        let index: usize =
            sled.split(|c: char| !c.is_ascii_digit()).find(|part| !part.is_empty()).unwrap().parse().unwrap();
        assert!(index < 60, "{sled}");
    }
}

#[test]
fn a_renumbered_world_has_ids_of_its_own() {
    let (one, other) = (world(1), world(2));
    let ids = |world: &World| -> Vec<StackId> {
        let snapshot = world.snapshot();
        let stacks = snapshot.containers.iter().flat_map(|container| container.stacks.clone());
        stacks.map(|lying| lying.stack.id).collect()
    };
    assert!(ids(&one).iter().all(|id| id.world() == 1) && ids(&other).iter().all(|id| id.world() == 2));
    is_sound(&one);
}

#[test]
fn unreadable_transfer_records_are_reported() {
    let sled = send(&mut world(1), "sled");
    let whole = serde_json::to_string(&sled).unwrap();
    assert_eq!(serde_json::from_str::<Departure>(&whole).unwrap(), sled);
    let cases = [
        (String::new(), "EOF"),
        (whole[..whole.len() / 2].to_owned(), "EOF"),
        (whole.replacen("\"slots\":3", "\"slots\":99999999999", 1), "u32"),
        (whole.replacen("\"count\":4", "\"count\":-1", 1), "u32"),
        (whole.replacen("\"packs\":", "\"sacks\":", 1), "unknown field `sacks`"),
        (whole.replacen("\"container\":", "\"cart\":", 1), "unknown variant `cart`"),
        (whole.replacen("\"number\":0", "\"number\":\"0\"", 1), "u64"),
    ];
    for (text, cause) in cases {
        let error = serde_json::from_str::<Departure>(&text).unwrap_err().to_string();
        assert!(error.contains(cause) && error.contains("line 1 column"), "{cause}\nbut {error}");
    }
}
