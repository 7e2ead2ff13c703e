//! Random operations. Numbers are brought into range when the rules and the world are known.

use std::collections::BTreeSet;

use proptest::prelude::*;

use super::rules::{MARKS, PROPERTIES};
use crate::model::{Amount, At, Inside, Model, Part, Request, Root, Rules, Stack};

#[derive(Clone, Debug)]
pub(super) struct Draw {
    pub(super) verb: u8,
    amount: Amount,
    pub(super) kind: usize,
    every_kind: bool,
    pub(super) count: u32,
    marks: BTreeSet<usize>,
    /// Places that suit the operation; else any at all.
    suiting: bool,
    places: [(u8, usize, usize); 2],
    at: (i64, i64),
}

pub(super) fn any_draw() -> impl Strategy<Value = Draw> {
    let amount = prop_oneof![
        3 => Just(Amount::All),
        4 => (0u32..12).prop_map(Amount::Exactly),
        3 => (0u32..40).prop_map(Amount::UpTo),
        1 => (0u32..400).prop_map(Amount::UpTo),
    ];
    let place = (0u8..12, 0usize..100, 0usize..200);
    let marks = prop_oneof![3 => Just(BTreeSet::new()), 1 => prop::collection::btree_set(0..MARKS, 0..3)];
    let first = (0u8..VERBS, amount, 0usize..100, any::<bool>(), 0u32..5);
    (first, marks, prop::bool::weighted(0.8), [place.clone(), place], (0i64..5, 0i64..5)).prop_map(
        |((verb, amount, kind, every_kind, count), marks, suiting, places, at)| Draw {
            verb,
            amount,
            kind,
            every_kind,
            count,
            marks,
            suiting,
            places,
            at,
        },
    )
}

const VERBS: u8 = 33;

/// Any place at all.
fn place(rules: &Rules, model: &Model, (sort, container, slot): (u8, usize, usize)) -> At {
    match sort {
        4 if !rules.holders.is_empty() => At::Slot(Inside::hand(slot % rules.holders.len()), 0),
        9 if !rules.holders.is_empty() => At::Holder(slot % rules.holders.len()),
        10 => At::Ground,
        11 => At::OnGround(model.state.ground.get(slot % 7).map_or(slot as u64, |(stack, _)| stack.id)),
        5..=8 => At::Container(container_of(model, container)),
        _ => slot_of(model, container, slot),
    }
}

fn container_of(model: &Model, draw: usize) -> Inside {
    let containers = model.state.containers();
    containers[draw % containers.len()].clone()
}

fn slot_of(model: &Model, container: usize, slot: usize) -> At {
    let container = container_of(model, container);
    let slots = model.state.slots(&container).len();
    At::Slot(container, slot % slots.min(8))
}

/// One of the slots that hold a stack which is wanted.
fn taken(model: &Model, draw: usize, wanted: impl Fn(&Stack) -> bool) -> Option<At> {
    let mut found = Vec::new();
    for container in model.state.containers() {
        let slots = model.state.slots(&container).iter().enumerate();
        let lies = slots.filter(|(_, stack)| stack.as_ref().is_some_and(&wanted));
        found.extend(lies.map(|(slot, _)| At::Slot(container.clone(), slot)));
    }
    (!found.is_empty()).then(|| found[draw % found.len()].clone())
}

/// A holder with something in its hand.
fn full_hand(model: &Model, draw: usize) -> Option<usize> {
    let full: Vec<usize> =
        (0..model.state.hands.len()).filter(|&holder| model.state.hands[holder][0].is_some()).collect();
    (!full.is_empty()).then(|| full[draw % full.len()])
}

/// A slot with something that a holder wears.
fn worn_slot(rules: &Rules, model: &Model, holder: usize, draw: usize) -> Option<At> {
    let worn = rules.carried(holder).into_iter().filter(|&index| rules.containers[index].worn).map(Inside::container);
    let slots = worn.flat_map(|at| {
        let taken = model.state.slots(&at).iter().enumerate().filter(|(_, stack)| stack.is_some());
        taken.map(|(slot, _)| At::Slot(at.clone(), slot)).collect::<Vec<_>>()
    });
    let slots: Vec<At> = slots.collect();
    (!slots.is_empty()).then(|| slots[draw % slots.len()].clone())
}

/// A place from which something may be taken: most often a slot with a stack, or its container.
fn source(rules: &Rules, model: &Model, drawn: (u8, usize, usize)) -> At {
    let any = || place(rules, model, drawn);
    match (drawn.0, taken(model, drawn.2, |_| true)) {
        (0..=5, Some(slot)) => slot,
        (6..=8, Some(At::Slot(container, _))) => At::Container(container),
        _ => any(),
    }
}

fn target(model: &Model, (sort, container, slot): (u8, usize, usize)) -> At {
    if sort < 6 { slot_of(model, container, slot) } else { At::Container(container_of(model, container)) }
}

/// Whether several that come after are to be asked for as one.
pub(super) fn is_list(draw: &Draw) -> bool {
    draw.verb >= 31
}

/// Several as one. What lies in packs is left out: a step might take the pack elsewhere that a later one names.
pub(super) fn together(rules: &Rules, model: &Model, draws: &[Draw]) -> Request {
    let single = |draw: &Draw| shallow(request(rules, model, &Draw { verb: draw.verb % 31, ..draw.clone() }));
    Request::Together(draws.iter().map(single).collect())
}

/// The same request of the outermost containers.
fn shallow(request: Request) -> Request {
    let outer = |at: At| match at {
        At::Slot(Inside { root: Root::Landing(id), .. }, _) | At::Container(Inside { root: Root::Landing(id), .. }) => {
            At::OnGround(id)
        }
        At::Slot(Inside { root, steps }, slot) => {
            let slot = steps.first().copied().unwrap_or(slot);
            At::Slot(Inside { root, steps: Vec::new() }, slot)
        }
        At::Container(Inside { root: Root::Hand(_), .. }) => At::Ground,
        At::Container(Inside { root, .. }) => At::Container(Inside { root, steps: Vec::new() }),
        at => at,
    };
    match request {
        Request::Create(amount, kind, marks, to, at) => Request::Create(amount, kind, marks, outer(to), at),
        Request::Consume(amount, kind, from) => Request::Consume(amount, kind, outer(from)),
        Request::Move(amount, kind, from, to) => Request::Move(amount, kind, outer(from), outer(to)),
        Request::Swap(one, other) => Request::Swap(outer(one), outer(other)),
        Request::Split(count, from, to) => Request::Split(count, outer(from), outer(to)),
        Request::Merge(amount, from, onto) => Request::Merge(amount, outer(from), outer(onto)),
        Request::Drop(amount, kind, from, at) => Request::Drop(amount, kind, outer(from), at),
        Request::PickUp(amount, kind, stack, to) => Request::PickUp(amount, kind, stack, outer(to)),
        Request::Mark(at, mark) => Request::Mark(outer(at), mark),
        Request::Unmark(at, mark) => Request::Unmark(outer(at), mark),
        Request::Set(at, property, value) => Request::Set(outer(at), property, value),
        Request::Lift(holder, part, from) => Request::Lift(holder, part, outer(from)),
        Request::Put(holder, amount, to) => Request::Put(holder, amount, outer(to)),
        Request::Equip(holder, amount, from) => Request::Equip(holder, amount, outer(from)),
        Request::Unequip(holder, amount, from, to) => Request::Unequip(holder, amount, outer(from), to.map(outer)),
        request @ (Request::Return(..) | Request::Together(_)) => request,
    }
}

pub(super) fn request(rules: &Rules, model: &Model, draw: &Draw) -> Request {
    let [one, other] = draw.places;
    let from = if draw.suiting { source(rules, model, one) } else { place(rules, model, one) };
    let to = if draw.suiting { target(model, other) } else { place(rules, model, other) };
    let lying = match &from {
        At::Slot(container, slot) => model.state.slots(container)[*slot].clone(),
        _ => None,
    };
    // The kind of what lies there, if one is to be named that may be found.
    let kind = draw.kind % rules.kinds.len();
    let there = lying.as_ref().filter(|_| draw.suiting).map_or(kind, |stack| stack.kind);
    let chosen = (!draw.every_kind).then_some(there);
    let into = if draw.suiting && one.0 < 11 { target(model, one) } else { place(rules, model, one) };
    let slot = |at: At| if draw.suiting && !matches!(at, At::Slot(..)) { slot_of(model, other.1, other.2) } else { at };
    let ground = model.state.ground.get(other.1 % 7).map(|(stack, _)| At::OnGround(stack.id));
    let stack_at = |at: At| match at {
        At::Slot(..) => at,
        at if !draw.suiting => at,
        _ => ground.clone().unwrap_or_else(|| slot_of(model, other.1, other.2)),
    };
    let acting = draw.suiting || !draw.kind.is_multiple_of(4);
    let holder = Some(other.1 % rules.holders.len().max(1)).filter(|_| acting && !rules.holders.is_empty());
    match draw.verb {
        0..=4 => Request::Create(draw.amount, kind, draw.marks.clone(), into, draw.at),
        5 => {
            let full = |stack: &Stack| stack.inside.iter().flatten().any(Option::is_some);
            let pack = taken(model, one.2, full).filter(|_| draw.suiting && draw.kind.is_multiple_of(3));
            Request::Consume(draw.amount, chosen.filter(|_| pack.is_none()), pack.unwrap_or(from))
        }
        6..=8 => Request::Swap(slot(from), slot(to)),
        9 => Request::Drop(draw.amount, chosen, from, draw.at),
        10 | 11 => {
            let stack = model.state.ground.get(draw.kind % 9).map(|(stack, _)| stack.id);
            let to = if one.0 < 4 && !rules.holders.is_empty() { At::Holder(one.1 % rules.holders.len()) } else { to };
            Request::PickUp(draw.amount, chosen.filter(|_| stack.is_none()), stack, to)
        }
        12..=14 => Request::Move(draw.amount, chosen, from, to),
        15 | 16 => {
            let parted = taken(model, one.2, |stack| stack.count > 1).filter(|_| draw.suiting);
            Request::Split(draw.count, parted.unwrap_or_else(|| slot(from)), to)
        }
        21 | 22 => {
            let part = if draw.every_kind { Part::Half } else { Part::Amount(draw.amount) };
            Request::Lift(holder, part, slot(from))
        }
        23..=25 => Request::Put(full_hand(model, other.1).filter(|_| draw.suiting).or(holder), draw.amount, to),
        26 => Request::Return(full_hand(model, other.1).filter(|_| draw.suiting).or(holder), draw.amount),
        27 | 28 => Request::Equip(holder, draw.amount, slot(from)),
        29 | 30 => {
            let worn = holder.and_then(|holder| worn_slot(rules, model, holder, other.2)).filter(|_| draw.suiting);
            let to = (!draw.every_kind).then_some(to);
            match worn {
                Some(worn) => Request::Unequip(holder, draw.amount, worn, to),
                None if draw.suiting => Request::Equip(holder, draw.amount, slot(from)),
                None => Request::Unequip(holder, draw.amount, slot(from), to),
            }
        }
        18 => Request::Mark(stack_at(from), draw.kind % MARKS),
        19 => Request::Unmark(stack_at(from), draw.kind % MARKS),
        20 => Request::Set(stack_at(from), draw.kind % PROPERTIES, i64::from(draw.count) * 500),
        _ => {
            let alike = |stack: &Stack| lying.as_ref().is_some_and(|mine| mine.is_alike(stack));
            let onto = if draw.every_kind { taken(model, other.2, alike) } else { None };
            Request::Merge(draw.amount, slot(from), onto.unwrap_or(slot(to)))
        }
    }
}
