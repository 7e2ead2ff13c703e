//! The service far away: it has the habits that it is given, and by a seed.

use std::collections::BTreeMap;

use hypotheke::store::{
    FaultProfile, FaultyStore, InjectedFault, MemoryStore, RetryPolicy, Session, SessionOptions, SessionState, Store,
    StoreError,
};
use hypotheke::{Amount, Departure, Operation, World};

use super::{camp, key};

/// What became of many requests.
fn faults(seed: u64, habits: FaultProfile) -> (Vec<&'static str>, u64) {
    let store = FaultyStore::new(seed, habits);
    let ada = key("ada");
    let mut answers = Vec::new();
    for _ in 0..1_000 {
        let expected_revision = store.inside(|store| store.status(&ada)).unwrap().revision;
        answers.push(match store.save(&ada, b"6 flares", expected_revision, 0) {
            Ok(_) => "saved",
            Err(error) => error.code(),
        });
    }
    (answers, store.elapsed())
}

fn counted(answers: &[&'static str]) -> BTreeMap<&'static str, usize> {
    answers.iter().fold(BTreeMap::new(), |mut counted, answer| {
        *counted.entry(*answer).or_default() += 1;
        counted
    })
}

#[test]
fn the_same_seed_gives_the_same_answers() {
    assert_eq!(faults(7, FaultProfile::default()), faults(7, FaultProfile::default()));
    assert_ne!(faults(7, FaultProfile::default()), faults(8, FaultProfile::default()));
}

#[test]
fn it_has_the_given_faults() {
    let never = FaultProfile { answer_lost: 0, request_lost: 0, late: 0, cut: 0, busy: 0, stale: 0, latency: (5, 5) };
    let (answers, took) = faults(0, never);
    assert_eq!((counted(&answers), took), (BTreeMap::from([("saved", 1_000)]), 5_000));
    let (answers, _) = faults(0, FaultProfile { busy: 300, ..never });
    let busy = counted(&answers)["busy"];
    assert!((250..350).contains(&busy), "{busy}");
    let (answers, took) = faults(0, FaultProfile { late: 1_000, ..never });
    assert_eq!((counted(&answers)["no-response"], took), (1_000, 1_000_000));
}

#[test]
fn what_is_late_arrives_when_it_is_let() {
    let (store, ada) = (FaultyStore::new(0, FaultProfile::default()), key("ada"));
    store.inject_next(InjectedFault::Late);
    let error = store.save(&ada, b"6 flares", 0, 0).unwrap_err();
    assert!(matches!(error, StoreError::NoResponse { .. }) && error.is_outcome_unknown() && error.is_retryable());
    assert_eq!(store.late(), 1);
    assert!(store.inside(|store| store.load(&ada)).unwrap().is_none());
    store.deliver(0);
    assert_eq!((store.late(), store.inside(|store| store.load(&ada)).unwrap().unwrap().revision), (0, 1));
    store.deliver(0);
    assert_eq!(store.inside(|store| store.load(&ada)).unwrap().unwrap().revision, 1);
}

#[test]
fn what_is_stale_is_the_save_before() {
    let (store, ada) = (FaultyStore::new(0, FaultProfile::default()), key("ada"));
    store.inside(|store: &MemoryStore| {
        store.save(&ada, b"1", 0, 0).unwrap();
        store.save(&ada, b"2", 1, 0).unwrap();
    });
    for (fate, expected) in [(InjectedFault::Stale, &b"1"[..]), (InjectedFault::None, b"2")] {
        store.inject_next(fate);
        assert_eq!(store.load(&ada).unwrap().unwrap().bytes, expected);
    }
    for fate in [InjectedFault::RequestLost, InjectedFault::Cut, InjectedFault::Busy, InjectedFault::AnswerLost] {
        store.inject_next(fate);
        assert!(store.load(&ada).unwrap_err().is_retryable());
    }
}

/// Whatever the service does, no item is lost or duplicated.
#[test]
fn retries_bring_every_visit_to_its_end() {
    let rules = camp();
    for seed in 0..200 {
        let store = FaultyStore::new(seed, FaultProfile::default());
        let mut now = 0;
        let mut worlds = [1, 2].map(|number| {
            let mut world = World::new(&rules).numbered(number, 0);
            let surveyor = world.holder("surveyor").unwrap();
            let _ = world.perform(&Operation::departing(surveyor)).unwrap();
            world
        });
        for (turn, server) in [0, 1, 0, 1].into_iter().enumerate() {
            let world = &mut worlds[server];
            let newcomer = Departure::newcomer(&rules, "surveyor", "ada").unwrap();
            let mut session =
                Session::new(key("Ada"), ["camp", "pass"][server], newcomer, SessionOptions { lease: 60_000 });
            let mut wait = |milliseconds| {
                now += milliseconds;
                now
            };
            let retry = RetryPolicy { tries: 30, ..RetryPolicy::default() };
            session.run(&store, world, retry, &mut wait).unwrap();
            let (depot, pockets) = (world.container("depot").unwrap(), world.container("ada.pockets").unwrap());
            let (from, to) = if turn < 2 { (depot, pockets) } else { (pockets, depot) };
            assert_eq!(world.perform(&Operation::moving(Amount::UpTo(1), from, to)).unwrap().done(), 1);
            session.leave(world).unwrap();
            session.run(&store, world, retry, &mut wait).unwrap();
            assert_eq!(session.state(), SessionState::Ended);
        }
        let all: u64 = worlds.iter().map(|world| world.count(rules.find_kind("flare").unwrap(), None)).sum();
        assert_eq!(all, 8, "seed {seed}");
    }
}
