//! Two servers and a player who moves between them: no item is lost or duplicated, unless the store
//! breaks its contract.

use hypotheke::Ruleset;
use hypotheke::explore::Bound;
use hypotheke::save_checks::{HandoverBounds, HandoverReport, HandoverUnavailable, check_handover};
use hypotheke::store::MemoryStore;

use super::{Flaw, Flawed, camp};

fn search(flaw: Option<Flaw>, bounds: HandoverBounds) -> HandoverReport {
    let never = &mut |_| None;
    match flaw {
        None => check_handover(&camp(), &MemoryStore::new(), bounds, never).unwrap(),
        Some(flaw) => check_handover(&camp(), &Flawed::new(flaw), bounds, never).unwrap(),
    }
}

#[test]
fn in_every_order_nothing_is_lost_and_nothing_doubled() {
    let found = search(None, HandoverBounds::default());
    println!("{found:?}");
    assert_eq!((&found.failure, found.stopped_by, found.exchanged), (&None, None, true));
    assert!(found.states > 10_000 && found.final_states > 100, "{found:?}");
}

#[test]
#[ignore = "the long form: a minute"]
fn with_more_to_give_and_take_too() {
    let bounds = HandoverBounds { item_moves: 2, ..HandoverBounds::default() };
    let found = search(None, bounds);
    assert_eq!((&found.failure, found.stopped_by), (&None, None));
    println!("{found:?}");
}

#[test]
fn a_store_that_breaks_a_promise_loses_or_doubles_something() {
    for flaw in [Flaw::TakesAll, Flaw::NoLeases, Flaw::NumbersStay, Flaw::LosesSaves] {
        let found = search(Some(flaw), HandoverBounds::default());
        let failure = found.failure.unwrap_or_else(|| panic!("{flaw:?} loses nothing: {}", found.states));
        println!("{flaw:?}\n  {}\n  {}", failure.trace.join("\n  "), failure.found);
        assert!(failure.found.contains("lost") || failure.found.contains("duplicated"), "{flaw:?}: {}", failure.found);
    }
}

#[test]
fn leases_make_up_for_some_flaws() {
    for flaw in [Flaw::NoRevisions, Flaw::NobodyHolds] {
        assert_eq!(search(Some(flaw), HandoverBounds::default()).failure, None, "{flaw:?}");
    }
}

#[test]
fn it_stops_on_request_and_reports_it() {
    let found = check_handover(&camp(), &MemoryStore::new(), HandoverBounds::default(), &mut |states| {
        (states > 100).then_some(Bound::States(100))
    });
    let found = found.unwrap();
    assert_eq!((found.failure, found.stopped_by), (None, Some(Bound::States(100))));
    assert!((101..200).contains(&found.states), "{}", found.states);
}

#[test]
fn rules_without_a_holder_have_nobody_to_hop() {
    let rules = Ruleset::builder().kind("flare", |kind| kind).container("depot", |depot| depot.slots(1)).build();
    let found = check_handover(&rules.unwrap().into(), &MemoryStore::new(), HandoverBounds::default(), &mut |_| None);
    assert_eq!(found, Err(HandoverUnavailable::Nobody));
}
