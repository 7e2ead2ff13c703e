//! Any two implementations held against each other: the same operations by names, the same answers,
//! the same snapshots.

use std::collections::BTreeMap;
use std::sync::Arc;

use hypotheke::conformance::{Engine, Implementation};
use hypotheke::{NamedOperation, Ruleset, Snapshot, World};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;

use super::changing::{changing_draw, changing_rules};
use super::generate::{Draw, any_draw, is_list, request, together};
use super::rules::{any_rules, rules_text};
use crate::model::{Fault, Model, Request, Rules, with_fault};
use crate::names::{Plain, named};

/// A played case: the rules, and the operations as the model that never fails would ask for them.
fn operations(rules: &Rules, draws: &[Draw]) -> (Arc<Ruleset>, Vec<NamedOperation>) {
    let text = rules_text(rules);
    let ruleset =
        Arc::new(Ruleset::from_toml("random.toml", &text).unwrap_or_else(|errors| panic!("{errors}\n{text}")));
    let mut model = Model::new(rules.clone());
    let mut written = Vec::new();
    let mut coming = draws.iter();
    while let Some(draw) = coming.next() {
        let requested = if is_list(draw) {
            let steps: Vec<Draw> = coming.by_ref().take(draw.count as usize).cloned().collect();
            only_resolvable(&model, together(rules, &model, &steps))
        } else {
            request(rules, &model, draw)
        };
        let _ = model.perform(&requested);
        written.push(named(rules, &requested));
    }
    (ruleset, written)
}

/// The names of a list must exist before it, so steps without any meaning are left out.
fn only_resolvable(model: &Model, list: Request) -> Request {
    let Request::Together(steps) = list else { return list };
    let meant = |step: &Request| !model.clone().perform(step).is_err_and(|no| no.reason == "unknown");
    Request::Together(steps.into_iter().filter(meant).collect())
}

/// The first operation at which two implementations differ, and how.
fn difference(
    one: &mut dyn Implementation,
    other: &mut dyn Implementation,
    start: &Snapshot,
    operations: &[NamedOperation],
) -> Option<String> {
    one.start(start).expect("a world");
    other.start(start).expect("a world");
    operations.iter().enumerate().find_map(|(number, operation)| {
        if number % 30 == 29 {
            // A restart from a snapshot changes nothing.
            restart(one);
            restart(other);
        }
        let before = one.snapshot();
        let [mine, yours] = [one.perform(operation), other.perform(operation)];
        if !mine.agrees(&yours, operation) {
            return Some(format!("{number}: {operation}: {mine:?} and {yours:?}"));
        }
        let after = [one.snapshot(), other.snapshot()];
        if !mine.is_applied() && after[0] != before {
            return Some(format!("{number}: {operation}: refused, but something has changed"));
        }
        (after[0] != after[1]).then(|| format!("{number}: {operation}: {:#?}\nand {:#?}", after[0], after[1]))
    })
}

fn restart(implementation: &mut dyn Implementation) {
    let snapshot = implementation.snapshot();
    implementation.start(&snapshot).expect("a world");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, max_shrink_iters: 5_000, ..ProptestConfig::default() })]

    #[test]
    fn engine_and_model_agree_by_names(rules in any_rules(), draws in prop::collection::vec(any_draw(), 1..100)) {
        let (ruleset, operations) = operations(&rules, &draws);
        let start = World::empty(&ruleset).snapshot();
        let (mut engine, mut plain) = (Engine::new(&ruleset), Plain::new(rules));
        let found = difference(&mut engine, &mut plain, &start, &operations);
        prop_assert_eq!(found, None, "{}", ruleset.sources()[0].text());
    }
}

/// What can't find a fault says nothing when it finds none.
#[test]
fn every_fault_is_found() {
    const MAX_CASES: usize = 10_000;
    let mut runner = TestRunner::deterministic();
    let strategy = prop_oneof![
        3 => (any_rules(), prop::collection::vec(any_draw(), 80..81)),
        1 => (changing_rules(), prop::collection::vec(changing_draw(), 80..81)),
    ];
    let mut cases: Vec<(Rules, Arc<Ruleset>, Vec<NamedOperation>)> = Vec::new();
    let mut found: BTreeMap<String, usize> = BTreeMap::new();
    let mut missed = Vec::new();
    for fault in Fault::ALL {
        let finding = (0..MAX_CASES).find(|&index| {
            if index == cases.len() {
                let (rules, draws) = strategy.new_tree(&mut runner).expect("a case").current();
                let (ruleset, operations) = operations(&rules, &draws);
                cases.push((rules, ruleset, operations));
            }
            let (rules, ruleset, operations) = &cases[index];
            let start = World::empty(ruleset).snapshot();
            let (mut engine, mut plain) = (Engine::new(ruleset), Plain::new(rules.clone()));
            // A fault may also make the model stumble over itself.
            let play = || with_fault(Some(fault), || difference(&mut engine, &mut plain, &start, operations).is_some());
            std::panic::catch_unwind(std::panic::AssertUnwindSafe(play)).unwrap_or(true)
        });
        match finding {
            Some(index) => {
                found.insert(format!("{fault:?}"), index + 1);
            }
            None => missed.push(fault),
        }
    }
    for (fault, cases) in &found {
        println!("{fault} is found in case {cases}");
    }
    assert!(missed.is_empty(), "not found: {missed:?}");
}
