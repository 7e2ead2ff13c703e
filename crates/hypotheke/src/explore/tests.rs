//! What this library may forget to keep in step is found by a search that recounts.

use std::sync::Arc;

use super::{Bounds, ClaimsFile, Exploration};
use crate::Ruleset;
use crate::text::Source;
use crate::world::{Forgotten, forgetting};

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
    let text = "play\n  verbs move, swap, drop, pick-up\nalways\n  count of case = 1\n";
    let claims = ClaimsFile::parse(Source::new("a.claims", text)).unwrap_or_else(|errors| panic!("{errors}"));
    let exploration = Exploration::new(&rules, &claims).unwrap_or_else(|errors| panic!("{errors}"));
    exploration.within(Bounds { depth: Some(3), ..Bounds::default() }).recounted()
}

#[test]
fn what_is_forgotten_is_found() {
    for forgotten in Forgotten::ALL {
        let exploration = exploration();
        let found = forgetting(forgotten, || exploration.search());
        let Some((trail, _)) = found.unlawful else { panic!("{forgotten:?} is not found") };
        assert!((1..=2).contains(&trail.steps.len()), "{forgotten:?}: {:?}", trail.steps);
        let told = ["a recount gives", "where operations were taken back before"];
        assert!(told.iter().any(|told| trail.message.contains(told)), "{forgotten:?}: {}", trail.message);
    }
}

#[test]
fn nothing_is_found_where_nothing_is_forgotten() {
    let found = exploration().search();
    assert!(found.unlawful.is_none() && found.worlds > 30, "{} worlds", found.worlds);
}
