use std::collections::{BTreeMap, BTreeSet};

use proptest::prelude::*;

use super::bit_list::BitList;
use super::bit_tree::BitTree;
use super::slot_set::SlotSet;

type Model = BTreeMap<u32, bool>;

#[derive(Clone, Debug)]
enum Step {
    Insert(u32),
    Remove(u32),
    /// From the next slot in the set, to this one.
    Relocate(u32, u32),
    Next(u32),
}

fn steps(bound: u32) -> impl Strategy<Value = Vec<Step>> {
    let step = prop_oneof![
        3 => (0..bound).prop_map(Step::Insert),
        2 => (0..bound).prop_map(Step::Remove),
        2 => (0..bound, 0..bound).prop_map(|(from, to)| Step::Relocate(from, to)),
        1 => (0..bound + 2).prop_map(Step::Next),
    ];
    prop::collection::vec(step, 0..3_000)
}

/// Slots that lie close together in some places, with much room between those.
fn crowded() -> impl Strategy<Value = Vec<Step>> {
    let apart = |slot: u32| slot / 400 * (slot / 400) * 10_000 + slot % 400;
    steps(2_000).prop_map(move |mut steps| {
        for step in &mut steps {
            match step {
                Step::Insert(slot) | Step::Remove(slot) | Step::Next(slot) => *slot = apart(*slot),
                Step::Relocate(from, to) => (*from, *to) = (apart(*from), apart(*to)),
            }
        }
        steps
    })
}

proptest! {
    #[test]
    fn slot_sets_agree_with_the_standard_ordered_set(steps in prop_oneof![steps(50), steps(2_000), crowded()]) {
        let mut sets: [(SlotSet, Model); 2] = Default::default();
        for (index, step) in steps.into_iter().enumerate() {
            // Sometimes a slot is flagged or unflagged; most often it is first added.
            let (flagged, nth) = (index % 7 < 2, usize::from(index % 5 == 0));
            let [(set, model), (others, other_model)] = match sets.get_disjoint_mut([nth, 1 - nth]) {
                Ok(sets) => sets,
                Err(error) => return Err(TestCaseError::fail(error.to_string())),
            };
            match step {
                Step::Insert(key) => {
                    set.insert(key, flagged);
                    model.insert(key, flagged);
                }
                Step::Remove(key) => {
                    set.remove(key);
                    model.remove(&key);
                }
                Step::Relocate(from, to) => {
                    let Some(from) = set.next(from) else { continue };
                    model.remove(&from);
                    if index % 3 == 0 {
                        set.hand_over(from, others, to, flagged);
                        other_model.insert(to, flagged);
                    } else {
                        set.relocate(from, to, flagged);
                        model.insert(to, flagged);
                    }
                }
                Step::Next(from) => {
                    prop_assert_eq!(set.next(from), model.range(from..).next().map(|(key, _)| *key));
                    let next = model.range(from..).find(|(_, flagged)| **flagged).map(|(key, _)| *key);
                    prop_assert_eq!(set.next_flagged(from), next);
                }
            }
        }
        for (set, model) in &sets {
            let held = std::iter::successors(set.next(0), |last| set.next(last + 1));
            prop_assert!(held.eq(model.keys().copied()));
            let held = std::iter::successors(set.next_flagged(0), |last| set.next_flagged(last + 1));
            prop_assert!(held.eq(model.iter().filter(|(_, flagged)| **flagged).map(|(key, _)| *key)));
            prop_assert_eq!(set.len(), (model.len(), model.values().filter(|flagged| **flagged).count()));
            prop_assert_eq!(set.is_empty(), model.is_empty());
        }
    }

    /// What is put in from the last slot to the first lies as close together as from the first to
    /// the last.
    #[test]
    fn a_slot_set_takes_as_little_room_in_any_order(step in 1u32..40, count in 500u32..2_000) {
        let filled = |slots: &mut dyn Iterator<Item = u32>| {
            let mut set = SlotSet::default();
            slots.for_each(|slot| set.insert(slot, false));
            set.chunk_count()
        };
        let up = filled(&mut (0..count).map(|slot| slot * step));
        let down = filled(&mut (0..count).rev().map(|slot| slot * step));
        prop_assert!(up.max(down) <= count as usize / 15 + 1, "{up} up, {down} down, of {count}");
    }

    #[test]
    fn a_bit_list_agrees_with_a_plain_list(steps in prop::collection::vec((any::<bool>(), any::<bool>(), 0usize..1_000), 0..700)) {
        let (mut list, mut model) = (BitList::default(), Vec::new());
        for (insert, bit, at) in steps {
            if insert || model.is_empty() {
                let at = at % (model.len() + 1);
                list.insert(at, bit);
                model.insert(at, bit);
            } else {
                let at = at % model.len();
                list.remove(at);
                model.remove(at);
            }
            let from = at % 90;
            prop_assert_eq!(list.next(from), (from..model.len()).find(|&at| model[at]));
        }
    }

    #[test]
    fn a_bit_tree_agrees_with_the_standard_ordered_set(bound in 1u32..9_000, steps in steps(9_000)) {
        let (mut tree, mut model) = (BitTree::full(bound), (0..bound).collect::<BTreeSet<u32>>());
        for step in steps {
            match step {
                Step::Insert(number) => {
                    let number = number % bound;
                    tree.insert(number);
                    model.insert(number);
                }
                Step::Remove(number) => {
                    let number = number % bound;
                    tree.remove(number);
                    model.remove(&number);
                }
                Step::Relocate(from, to) => {
                    let (from, to) = (from % bound, to % bound);
                    tree.remove(from);
                    tree.insert(to);
                    model.remove(&from);
                    model.insert(to);
                }
                Step::Next(from) => {
                    prop_assert_eq!(tree.next(from), model.range(from..).next().copied());
                }
            }
        }
    }
}

/// A plan for a world in which something lies otherwise than it must is not applied, and nothing is
/// written.
#[test]
fn a_plan_for_a_corrupted_world_is_not_applied() {
    use std::sync::Arc;

    use super::{Cell, Event, Place, Spot, World};
    use crate::ops::ApplyError;
    use crate::{NamedOperation, Ruleset};

    let rules = Ruleset::builder()
        .kind("rope", |kind| kind.stack_limit(9))
        .kind("flare", |kind| kind.stack_limit(4))
        .mark("wet")
        .container("store", |it| it.slots(4))
        .container("sled", |it| it.slots(4))
        .start("store", ["5 rope", "2 flare"])
        .start("sled", ["1 rope", "3 flare"])
        .build();
    let world = World::new(&Arc::new(rules.unwrap_or_else(|errors| panic!("{errors}"))));
    let mut found = 0;
    for sentence in [
        "move rope from store/0 to sled/0",
        "move 2 rope from store to sled/3",
        "swap store/0 with sled/1",
        "consume 4 rope from store",
        "mark store/1 wet",
        "together (move flare from store to sled; move 1 rope from sled to store; consume 1 rope from store/0)",
    ] {
        let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
        let operation = operation.resolve(&world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
        let events = world.plan(&operation).unwrap_or_else(|_| panic!("{sentence}")).events().to_vec();
        let ends = events.iter().flat_map(|event| match *event {
            Event::Moved { from, to, .. } => [from.spot, to.spot],
            Event::Swapped { one, other } => [one.spot, other.spot],
            Event::Changed { at, .. } => [at.spot; 2],
            _ => [Spot::NOWHERE; 2],
        });
        for spot in ends.filter(|&spot| spot != Spot::NOWHERE) {
            for change in [
                |cell: Cell| Cell { id: cell.id + 90, ..cell },
                |cell: Cell| Cell { count: cell.count.wrapping_sub(4), ..cell },
                |cell: Cell| Cell { kind: 1 - cell.kind, class: 1 - cell.class, ..cell },
                |_| Cell::default(),
            ] {
                let mut corrupted = world.clone();
                let before = corrupted.cell(spot);
                let plan = corrupted.plan(&operation).unwrap_or_else(|_| panic!("{sentence}"));
                corrupted.corrupt(spot, change(before));
                let (kept, revision) = (format!("{:?}", corrupted.snapshot()), corrupted.revision());
                // What is still as the plan has to find it is carried out, or else nothing is.
                if let Err(error) = corrupted.apply(plan) {
                    assert!(
                        matches!(error, ApplyError::Corrupted { at: Some(Place::Slot(..)) }),
                        "{sentence}: {error}"
                    );
                    assert_eq!((format!("{:?}", corrupted.snapshot()), corrupted.revision()), (kept, revision));
                    found += 1;
                }
            }
        }
    }
    assert!(found > 30, "{found}");
}
