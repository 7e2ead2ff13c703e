//! A player's session to a server, from the lease to the release.

use hypotheke::save::Save;
use hypotheke::store::{
    FaultProfile, FaultyStore, InjectedFault, MemoryStore, RetryPolicy, Session, SessionAction, SessionError,
    SessionOptions, SessionState, Store, StoreError,
};
use hypotheke::{Amount, Departure, Operation, Reason, Ruleset, World};

use super::{camp, key};

const TERMS: SessionOptions = SessionOptions { lease: 1_000 };

/// A server's world in which nobody is yet.
fn server(rules: &std::sync::Arc<Ruleset>, number: u32) -> World {
    let mut world = World::new(rules).numbered(number, 0);
    let surveyor = world.holder("surveyor").unwrap();
    let _ = world.perform(&Operation::departing(surveyor)).unwrap();
    world
}

fn session(rules: &Ruleset, owner: &str) -> Session {
    let newcomer = Departure::newcomer(rules, "surveyor", "ada").unwrap();
    Session::new(key("Ada"), owner, newcomer, TERMS)
}

fn at_once(_: u64) -> u64 {
    0
}

fn run(session: &mut Session, store: &impl Store, world: &mut World) -> Result<(), SessionError> {
    session.run(store, world, RetryPolicy::default(), &mut at_once)
}

fn give_ada(world: &mut World, count: u32) {
    let (depot, pockets) = (world.container("depot").unwrap(), world.container("ada.pockets").unwrap());
    let taken = world.perform(&Operation::moving(Amount::Exactly(count), depot, pockets)).unwrap();
    assert_eq!(taken.done(), u64::from(count));
}

#[test]
fn what_she_has_goes_along_from_server_to_server() {
    let (rules, store) = (camp(), MemoryStore::new());
    let (mut camp, mut pass) = (server(&rules, 1), server(&rules, 2));

    let mut at_camp = session(&rules, "camp");
    run(&mut at_camp, &store, &mut camp).unwrap();
    assert_eq!((at_camp.state(), at_camp.action(), at_camp.lease()), (SessionState::Active, None, 1));
    give_ada(&mut camp, 3);
    at_camp.leave(&mut camp).unwrap();
    assert_eq!((at_camp.state(), at_camp.action()), (SessionState::Saving, Some(SessionAction::Save)));
    assert!(camp.holder("ada").is_none());
    run(&mut at_camp, &store, &mut camp).unwrap();
    assert_eq!(at_camp.state(), SessionState::Ended);

    let mut at_pass = session(&rules, "pass");
    run(&mut at_pass, &store, &mut pass).unwrap();
    let flare = rules.find_kind("flare").unwrap();
    let pockets = pass.container("ada.pockets").unwrap();
    assert_eq!(pass.count(flare, Some(pockets.into())), 3);
    assert_eq!((at_pass.lease(), at_pass.name()), (2, "ada"));
}

#[test]
fn a_second_server_waits_until_the_first_has_saved() {
    let (rules, store) = (camp(), MemoryStore::new());
    let (mut camp, mut pass) = (server(&rules, 1), server(&rules, 2));
    let mut at_camp = session(&rules, "camp");
    run(&mut at_camp, &store, &mut camp).unwrap();

    let mut at_pass = session(&rules, "pass");
    let mut waited = Vec::new();
    let held =
        at_pass.run(&store, &mut pass, RetryPolicy { tries: 5, first_wait: 100, longest_wait: 500 }, &mut |wait| {
            waited.push(wait);
            0
        });
    assert_eq!(held.unwrap_err().to_string(), "`Ada`: camp has the lease until 1000");
    assert_eq!(waited, [0, 100, 200, 400, 500]);
    assert_eq!(at_pass.state(), SessionState::Joining);

    at_camp.leave(&mut camp).unwrap();
    run(&mut at_camp, &store, &mut camp).unwrap();
    run(&mut at_pass, &store, &mut pass).unwrap();
    assert_eq!(at_pass.state(), SessionState::Active);
}

#[test]
fn who_is_taken_over_can_save_nothing_any_more() {
    let (rules, store) = (camp(), MemoryStore::new());
    let (mut camp, mut pass) = (server(&rules, 1), server(&rules, 2));
    let mut at_camp = session(&rules, "camp");
    run(&mut at_camp, &store, &mut camp).unwrap();
    at_camp.renew(&store, 900).unwrap();
    give_ada(&mut camp, 2);

    // The lease lasts until 1900 now.
    let mut at_pass = session(&rules, "pass");
    assert!(at_pass.step(&store, &mut pass, 1_899).is_err_and(|error| error.is_retryable()));
    at_pass.step(&store, &mut pass, 1_900).unwrap();
    run(&mut at_pass, &store, &mut pass).unwrap();
    assert!(matches!(at_camp.renew(&store, 1_950), Err(StoreError::LeaseLost { number: 1, latest: 2, .. })));

    at_camp.leave(&mut camp).unwrap();
    let error = run(&mut at_camp, &store, &mut camp).unwrap_err();
    assert_eq!(
        error.to_string(),
        "`Ada`: the lease went to a different server, so the results of this session are lost"
    );
    assert_eq!((at_camp.state(), at_camp.action()), (SessionState::LeaseLost, None));
    // Her transfer record is returned, so that the game can decide.
    let left = Save::read(at_camp.transfer_record()).unwrap().departure(&rules).unwrap();
    assert_eq!(left.stacks().map(|stack| stack.count).sum::<u32>(), 2);
    assert!(store.load(&key("Ada")).unwrap().is_none());
}

#[test]
fn a_save_whose_answer_is_lost_is_found_out_to_have_arrived() {
    let (rules, store) = (camp(), FaultyStore::new(0, FaultProfile::default()));
    let mut camp = server(&rules, 1);
    let mut ada = session(&rules, "camp");
    let mut step = |ada: &mut Session, fate: InjectedFault| {
        store.inject_next(fate);
        ada.step(&store, &mut camp, 0)
    };
    assert!(step(&mut ada, InjectedFault::AnswerLost).unwrap_err().is_retryable());
    step(&mut ada, InjectedFault::None).unwrap();
    assert_eq!(ada.lease(), 1);
    step(&mut ada, InjectedFault::None).unwrap();
    assert_eq!(ada.state(), SessionState::Active);
    ada.leave(&mut camp).unwrap();
    let mut step = |ada: &mut Session, fate: InjectedFault| {
        store.inject_next(fate);
        ada.step(&store, &mut camp, 0)
    };
    assert!(step(&mut ada, InjectedFault::AnswerLost).unwrap_err().is_retryable());
    assert_eq!(ada.state(), SessionState::Saving);
    step(&mut ada, InjectedFault::None).unwrap();
    assert_eq!(ada.state(), SessionState::Releasing);
    assert_eq!(store.inside(|store| store.load(&key("Ada"))).unwrap().unwrap().revision, 1);
}

#[test]
fn what_is_too_old_is_not_taken() {
    let (rules, store) = (camp(), FaultyStore::new(0, FaultProfile::default()));
    let mut camp = server(&rules, 1);
    for count in [1, 2] {
        let mut ada = session(&rules, "camp");
        while ada.action().is_some() {
            store.inject_next(InjectedFault::None);
            ada.step(&store, &mut camp, 0).unwrap();
        }
        give_ada(&mut camp, count);
        ada.leave(&mut camp).unwrap();
        while ada.action().is_some() {
            store.inject_next(InjectedFault::None);
            ada.step(&store, &mut camp, 0).unwrap();
        }
    }
    let mut ada = session(&rules, "camp");
    store.inject_next(InjectedFault::None);
    ada.step(&store, &mut camp, 0).unwrap();
    store.inject_next(InjectedFault::Stale);
    let error = ada.step(&store, &mut camp, 0).unwrap_err();
    assert_eq!(error.to_string(), "`Ada`: revision 1 was read, but revision 2 is stored");
    assert!(error.is_retryable());
    store.inject_next(InjectedFault::None);
    ada.step(&store, &mut camp, 0).unwrap();
    let pockets = camp.container("ada.pockets").unwrap();
    assert_eq!(camp.count(rules.find_kind("flare").unwrap(), Some(pockets.into())), 3);
}

#[test]
fn an_invalid_player_is_reported_and_the_lease_released() {
    let (rules, store) = (camp(), MemoryStore::new());
    let mut camp = server(&rules, 1);
    let whole_world = Save::of(&camp).to_bytes();
    for (expected_revision, (bytes, code)) in (0..).zip([(&b"?"[..], "save"), (&whole_world, "save")]) {
        let lease = store.status(&key("Ada")).unwrap().lease.number;
        store.save(&key("Ada"), bytes, expected_revision, lease).unwrap();
        let mut ada = session(&rules, "camp");
        let error = run(&mut ada, &store, &mut camp).unwrap_err();
        assert!(
            matches!(&error, SessionError::Save { revision, .. } if *revision == expected_revision + 1),
            "{code}: {error}"
        );
        assert_eq!(ada.state(), SessionState::Ended);
        assert_eq!(store.status(&key("Ada")).unwrap().lease.owner, "");
    }
}

#[test]
fn one_who_is_there_already_can_not_come_in() {
    let (rules, store) = (camp(), MemoryStore::new());
    let mut camp = server(&rules, 1);
    let mut ada = session(&rules, "camp");
    run(&mut ada, &store, &mut camp).unwrap();
    let newcomer = Departure::newcomer(&rules, "surveyor", "ada").unwrap();
    let mut other = Session::new(key("another Ada"), "camp", newcomer, TERMS);
    let error = run(&mut other, &store, &mut camp).unwrap_err();
    assert!(matches!(error, SessionError::Refused { reason: Reason::Unknown, .. }), "{error}");
    assert_eq!(other.state(), SessionState::Ended);
}

#[test]
fn who_leaves_before_they_have_come_gives_the_lease_back() {
    let (rules, store) = (camp(), MemoryStore::new());
    let mut camp = server(&rules, 1);
    let mut early = session(&rules, "camp");
    early.leave(&mut camp).unwrap();
    assert_eq!(early.state(), SessionState::Ended);
    let mut later = session(&rules, "camp");
    later.step(&store, &mut camp, 0).unwrap();
    later.leave(&mut camp).unwrap();
    run(&mut later, &store, &mut camp).unwrap();
    assert_eq!(later.state(), SessionState::Ended);
    assert_eq!(store.status(&key("Ada")).unwrap().lease.owner, "");
    assert!(store.load(&key("Ada")).unwrap().is_none());
}

#[test]
fn a_visit_goes_on_after_its_server_has_come_back() {
    let (rules, store) = (camp(), MemoryStore::new());
    let mut world = server(&rules, 1);
    let mut ada = session(&rules, "camp");
    run(&mut ada, &store, &mut world).unwrap();
    give_ada(&mut world, 2);
    // Stored together, in one save of the server's own.
    let (written, saved) = (serde_json::to_string(&ada).unwrap(), Save::of(&world).to_bytes());
    drop((ada, world));

    let mut world = Save::read(&saved).unwrap().world(&rules).unwrap();
    let mut ada: Session = serde_json::from_str(&written).unwrap();
    ada.renew(&store, 500).unwrap();
    ada.leave(&mut world).unwrap();
    run(&mut ada, &store, &mut world).unwrap();
    let stored = store.load(&key("Ada")).unwrap().unwrap();
    assert_eq!((stored.revision, stored.lease), (1, 1));
    assert_eq!(Save::read(&stored.bytes).unwrap().items(), 2);
}

#[test]
fn a_player_of_earlier_rules_comes_along() {
    let (rules, store) = (camp(), MemoryStore::new());
    let mut world = server(&rules, 1);
    let mut ada = session(&rules, "camp");
    run(&mut ada, &store, &mut world).unwrap();
    give_ada(&mut world, 4);
    ada.leave(&mut world).unwrap();
    run(&mut ada, &store, &mut world).unwrap();

    let later: std::sync::Arc<Ruleset> = Ruleset::builder()
        .version(2)
        .kind("flare", |kind| kind.stack_limit(3))
        .container("pockets", |pockets| pockets.slots(2))
        .holder("surveyor", ["pockets"], |surveyor| surveyor)
        .migration(hypotheke::MigrationRules { over_limit: hypotheke::MigrationPolicy::Split, ..Default::default() })
        .build()
        .unwrap()
        .into();
    let mut world = World::empty(&later).numbered(2, 0);
    let mut ada = session(&later, "pass");
    run(&mut ada, &store, &mut world).unwrap();
    let pockets = world.container("ada.pockets").unwrap();
    let stacks: Vec<u32> = world.stacks(pockets).map(|(_, stack)| stack.count()).collect();
    assert_eq!(stacks, [3, 1]);
}
