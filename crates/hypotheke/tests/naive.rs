//! Searches against a naive one, on random rulesets: the plain enumerator lists the operations, the
//! plain model gives the results, and whole states are compared. Walks are compared with searches.
//!
//! The long form: `RULESETS=10000 SHARD=1/20 cargo test --release -p hypotheke --test main naive --
//! --nocapture`.

use std::collections::BTreeMap;

use hypotheke::conformance::Implementation;
use hypotheke::explore::{Bound, Bounds, Canonical, ClaimKind, StateSpace, Status, Walks};
use hypotheke::{Action, Amount, Snapshot, World};

use crate::names::Plain;
use crate::transitions::{Case, report, seeds};

/// At which depth a claim was decided first, if it was.
type Decided = Vec<Option<usize>>;

/// The naive search within a number of states. Returns the depth to which all was seen.
fn naive(case: &Case, space: &StateSpace, kinds: &[ClaimKind], max_states: usize) -> (Decided, usize, bool) {
    let mut model = Plain::new(case.model.clone().expect("the rules of the model"));
    let mut decided: Decided = vec![None; kinds.len()];
    let mut seen: BTreeMap<Canonical, usize> = BTreeMap::new();
    let mut level: Vec<Snapshot> = Vec::new();
    let mut next = vec![case.start.snapshot()];
    let mut depth = 0;
    loop {
        // Of each level, the states that were not seen before.
        level.clear();
        for snapshot in next.drain(..) {
            if seen.insert(Canonical::of(&case.rules, &snapshot), depth).is_some() {
                continue;
            }
            let world = World::from_snapshot(&case.rules, &snapshot).expect("a state");
            for (nth, is_so) in space.claims(&world).into_iter().enumerate() {
                let is_decided = match kinds[nth] {
                    ClaimKind::Always => !is_so,
                    ClaimKind::Possible => is_so,
                    ClaimKind::Forbidden | ClaimKind::Recoverable => false,
                };
                if is_decided && decided[nth].is_none() {
                    decided[nth] = Some(depth);
                }
            }
            level.push(snapshot);
        }
        if level.is_empty() || seen.len() > max_states {
            return (decided, depth, level.is_empty());
        }
        for snapshot in &level {
            let world = World::from_snapshot(&case.rules, snapshot).expect("a state");
            let mut tried = case.tried.clone();
            tried.rename(&case.start, &world);
            for operation in tried.operations(&world) {
                let Some(named) = world.name_operation(&operation) else {
                    // `create all` is the one operation that has no sentence.
                    assert!(matches!(operation.action, Action::Create { amount: Amount::All, .. }), "{operation:?}");
                    continue;
                };
                model.start(snapshot).expect("a state");
                if model.perform(&named).is_applied() {
                    let after = model.snapshot();
                    if !seen.contains_key(&Canonical::of(&case.rules, &after)) {
                        next.push(after);
                    }
                }
            }
        }
        depth += 1;
    }
}

fn length(status: &Status) -> Option<usize> {
    match status {
        Status::Violated(trace) | Status::Reachable(trace) => Some(trace.steps.len()),
        _ => None,
    }
}

#[test]
fn a_search_says_what_a_naive_search_says() {
    let (mut compared, mut complete, mut decided_later, mut failures) = (0, 0, 0, Vec::new());
    for seed in seeds(40) {
        let case = Case::of_seed(seed);
        let space = case.exploration.clone().without_symmetry().states();
        let kinds: Vec<ClaimKind> = case.kinds();
        let (decided, depth, is_all) = naive(&case, &space, &kinds, 24);
        // The level that is not expanded was judged.
        let bounds = Bounds { depth: (!is_all).then(|| u32::try_from(depth).unwrap()), ..Bounds::default() };
        for symmetric in [true, false] {
            let search = case.exploration.clone().within(bounds);
            let found = if symmetric { search.search() } else { search.without_symmetry().search() };
            let lengths: Vec<Option<usize>> = found.verdicts.iter().map(|it| length(&it.status)).collect();
            let is_closed = found.verdicts.iter().all(|it| length(&it.status).is_some()) || found.complete || !is_all;
            if lengths != decided || !is_closed || found.law_violation.is_some() {
                let what = format!("{lengths:?} and not {decided:?}, within {depth}, all {is_all} {}", found.complete);
                failures.push(format!("seed {seed}, symmetric {symmetric}: {what}\n{}", case.shown(&case.start)));
            }
        }
        (compared, complete) = (compared + 1, complete + usize::from(is_all));
        decided_later += decided.iter().filter(|depth| depth.is_some_and(|depth| depth > 0)).count();
    }
    println!("{compared} rulesets, {complete} of them to their end, {decided_later} claims decided on the way");
    report(&failures);
    assert!(decided_later > 0);
}

#[test]
fn what_a_walk_finds_a_search_finds() {
    let (mut found_by_walks, mut failures) = (0, Vec::new());
    for seed in seeds(60) {
        let case = Case::of_seed(seed);
        let walks = Walks { count: 12, steps: 8, seed, ..Walks::default() };
        let walked = case.exploration.clone().walk(walks, &mut |_| None);
        let lengths: Vec<Option<usize>> = walked.verdicts.iter().map(|it| length(&it.status)).collect();
        let Some(deepest) = lengths.iter().flatten().max() else { continue };
        let bounds =
            Bounds { depth: Some(u32::try_from(*deepest).unwrap()), states: Some(20_000), ..Bounds::default() };
        let searched = case.exploration.clone().within(bounds).search();
        if matches!(searched.stopped_by, Some(Bound::States(_))) {
            continue;
        }
        for (one, other) in walked.verdicts.iter().zip(&searched.verdicts) {
            let Some(length_of_walk) = length(&one.status) else { continue };
            found_by_walks += 1;
            if length(&other.status).is_none_or(|length| length > length_of_walk) {
                failures.push(format!(
                    "seed {seed}: {}: a walk says {:?}, a search {:?}\n{}",
                    one.claim,
                    one.status,
                    other.status,
                    case.shown(&case.start)
                ));
            }
        }
    }
    println!("{found_by_walks} claims decided by walks");
    report(&failures);
    assert!(found_by_walks > 20, "{found_by_walks}");
}
