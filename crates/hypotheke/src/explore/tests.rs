//! A search with index checks finds a missing update of a sum or an index.

use std::sync::Arc;

use super::{Bounds, ClaimsFile, Exploration};
use crate::Ruleset;
use crate::explore::model::vacuity::Occurred;
use crate::explore::search::expand::{Known, Player};
use crate::explore::search::successors::Successors;
use crate::explore::state::packed::Packer;
use crate::explore::state::store::{NOBODY, Store};
use crate::explore::state::table::Table;
use crate::text::Source;
use crate::world::{SkippedUpdate, skipping};

fn exploration() -> Exploration {
    let rules: Arc<Ruleset> = Ruleset::builder()
        .kind("rope", |kind| kind.weight(2u32.into()).stack_limit(2).tags(["gear"]))
        .kind("case", |kind| kind.weight(1u32.into()).pack("case"))
        .container("case", |case| case.slots(1))
        .container("depot", |depot| depot.slots(2).cap("gear", 2))
        .container("pockets", |pockets| pockets.slots(2))
        .holder("surveyor", ["pockets"], |surveyor| surveyor)
        .start("depot", ["2 rope", "1 case"])
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"))
        .into();
    let text = "explore\n  verbs move, swap, drop, pick-up\nalways\n  count of case = 1\n";
    let claims = ClaimsFile::parse(Source::new("a.claims", text)).unwrap_or_else(|errors| panic!("{errors}"));
    let exploration = Exploration::new(&rules, &claims).unwrap_or_else(|errors| panic!("{errors}"));
    exploration.within(Bounds { depth: Some(3), ..Bounds::default() }).with_index_checks()
}

#[test]
fn what_is_forgotten_is_found() {
    for forgotten in SkippedUpdate::ALL {
        let exploration = exploration();
        let found = skipping(forgotten, || exploration.search());
        let Some((trace, _)) = found.law_violation else { panic!("{forgotten:?} is not found") };
        assert!((1..=2).contains(&trace.steps.len()), "{forgotten:?}: {:?}", trace.steps);
        let described = ["recomputed", "after an undo"];
        assert!(
            described.iter().any(|described| trace.message.contains(described)),
            "{forgotten:?}: {}",
            trace.message
        );
    }
}

#[test]
fn nothing_is_found_where_nothing_is_forgotten() {
    let found = exploration().search();
    assert!(found.law_violation.is_none() && found.states > 30, "{} states", found.states);
}

#[test]
fn numbers_are_found_by_hashes_that_are_half_the_same() {
    let mut table = Table::new();
    // Of three hashes each two have one half in common, the upper or the lower.
    let hash = |number: u32| u64::from(number / 3) << 52 | u64::from(number % 3);
    for number in 0..3_000 {
        assert_eq!(table.find(hash(number), |found| found == number), None);
        table.add(hash(number), number);
    }
    for number in 0..3_000 {
        assert!(table.touch(hash(number)));
        assert_eq!(table.find(hash(number), |found| found == number), Some(number));
        assert_eq!(table.find(hash(number), |found| found == number + 3), None);
    }
    assert_eq!(table.memory(), 4_096 * 8);
}

/// Predicted and performed operations share the arithmetic, so only a deliberate fault shows that
/// they are compared.
#[test]
fn a_wrong_prediction_is_reported() {
    let Exploration { claims, scope, start, .. } = exploration();
    let packer = Packer::for_search(&start, &scope);
    let (mut player, mut store) = (Player::new(&start, &scope, packer.clone()), Store::new(packer.length()));
    let (bytes, hash) = player.pack(&start, &scope);
    store.add(&bytes, hash, NOBODY, 0);
    let mut after = start.clone();
    let operation = player.operation(&start, &scope, 0).unwrap_or_else(|| panic!("an operation is possible"));
    assert!(after.perform(&operation).is_ok());
    let (right, hash) = player.pack(&after, &scope);
    store.add(&right, hash, 0, 0);
    // Nothing was performed.
    store.add(&bytes, hash, 0, 0);
    let (store, scope) = (&store, &scope);
    let open = vec![true; claims.len()];
    let occurred = Occurred::new(&start, scope, &claims);
    let known = Known {
        claims: &claims,
        open: &open,
        scope,
        store,
        has_never: false,
        recomputed: false,
        keeps_ways: false,
        occurred: &occurred,
    };
    assert!(player.check(0..2, &known).iter().all(|(_, planned)| planned.law_violation.is_none()));
    let planned = player.check(2..3, &known);
    let described = planned[0].1.law_violation.as_ref().map(|wrong| wrong.message.as_str());
    assert_eq!(described, Some("the last operation has a different result than predicted"));
}
