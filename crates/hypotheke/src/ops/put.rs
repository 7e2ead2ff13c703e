//! put: what is in the hand goes onto a slot or into a container, in the first way of those that
//! the container tries that can be gone.

use super::carry::{Going, Request, WithoutNumber};
use super::draft::{Draft, Onto};
use super::reasons::Portion;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use super::{Planned, swap};
use crate::id::HolderId;
use crate::language::Amount;
use crate::ruleset::PutMode;
use crate::world::{Place, Spot};

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, amount: Amount, to: Place) -> Planned {
    let (_, hand) = draft.hand(actor)?;
    if !matches!(to, Place::Slot(..) | Place::Container(_)) {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    let target = draft.target(to)?;
    if matches!(amount, Amount::Exactly(0) | Amount::UpTo(0)) {
        return Err(Refusal::new(Cause::BadAmount));
    }
    if draft.cell(hand).is_empty() {
        return Err(Refusal::new(Cause::EmptySource { at: draft.place_of_spot(hand), kind: None }));
    }
    let ways = draft.ways_into(target);
    let mut reason: Option<Refusal> = None;
    let start = draft.point();
    // Only the reasons of the reported mode count.
    let (before, mut described) = (draft.take_noted(), Vec::new());
    for &way in &ways {
        match go(draft, way, amount, hand, target) {
            Ok(done) => {
                draft.put_mode = Some(way);
                draft.note_first(before);
                return Ok(done);
            }
            Err(refusal) => {
                draft.go_back_to(&start);
                let noted = draft.take_noted();
                if reason.is_none() && fits(draft, way, hand, target) {
                    reason = Some(refusal);
                    described = noted;
                }
            }
        }
    }
    draft.note_first(described);
    draft.note_first(before);
    match reason {
        Some(refusal) => Err(refusal),
        None if !ways.is_empty() && matches!(target, Target::Container(_)) => {
            Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)))
        }
        None => Err(why_no_way(draft, amount, hand, target)),
    }
}

/// No mode of the container matches the contents: the checks run as for a move, and `no-room` comes
/// last.
fn why_no_way(draft: &mut Draft<'_>, amount: Amount, hand: Spot, target: Target) -> Refusal {
    let (cell, at) = (draft.cell(hand), draft.place_of_target(target));
    let (count, missing) = match amount {
        Amount::Exactly(requested) if requested > cell.count => {
            let (at, requested, there) = (draft.place_of_spot(hand), u64::from(requested), u64::from(cell.count));
            (cell.count, Some(Cause::NotEnough { at, requested, there }))
        }
        Amount::Exactly(requested) => (requested, None),
        Amount::All | Amount::UpTo(_) => (1, None),
    };
    draft.be_exact(matches!(amount, Amount::Exactly(_)));
    draft.lay_onto(Onto::Any);
    draft.note_causes(missing);
    let portion = Portion { item: draft.item(cell), count, from: Some(hand) };
    let first = draft.why_not(&[portion], Going::To(target));
    let full = Cause::NoRoom { at, requested: u64::from(count), room: 0 };
    draft.note_causes([full]);
    Refusal::new(missing.or(first).unwrap_or(full))
}

fn go(draft: &mut Draft<'_>, put_mode: PutMode, amount: Amount, hand: Spot, target: Target) -> Planned {
    let request = |draft: &Draft<'_>| Request {
        amount,
        kind: None,
        from: draft.place_of_spot(hand),
        without_number: WithoutNumber::WhatFits,
    };
    match (put_mode, target) {
        (PutMode::Place, Target::Slot(_)) => draft.lay_onto(Onto::OneEmpty),
        (PutMode::Place, _) => draft.lay_onto(Onto::Any),
        (PutMode::Merge, _) => draft.lay_onto(Onto::Alike),
        (PutMode::Swap, Target::Slot(slot)) => return exchange(draft, amount, hand, slot),
        (PutMode::Swap, _) => return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
    }
    let request = request(draft);
    draft.carry(request, Going::To(target))
}

/// Only the whole hand can be exchanged.
fn exchange(draft: &mut Draft<'_>, amount: Amount, hand: Spot, slot: Spot) -> Planned {
    let (mine, there) = (draft.cell(hand), draft.cell(slot));
    let at = draft.place_of_spot(slot);
    if let Some(cause) = draft.why_not_leaving(slot.into(), Some(hand.into())).filter(|_| !there.is_empty()) {
        return Err(Refusal::new(cause));
    }
    let (requested, whole) = match amount {
        Amount::All => (u64::from(mine.count), true),
        Amount::Exactly(count) | Amount::UpTo(count) => (u64::from(count), count >= mine.count),
    };
    let count = u64::from(mine.count);
    if matches!(amount, Amount::Exactly(_)) && requested > count {
        return Err(Refusal::new(Cause::NotEnough { at: draft.place_of_spot(hand), requested, there: count }));
    }
    if !whole || there.is_empty() {
        return Err(Refusal::new(Cause::NoRoom { at, requested, room: 0 }));
    }
    swap::plan_spots(draft, hand, slot, at)?;
    let requested = (amount != Amount::All).then_some(requested);
    Ok(super::Done { requested, count: u64::from(mine.count) })
}

/// Whether a mode matches the contents of the slot.
fn fits(draft: &Draft<'_>, put_mode: PutMode, hand: Spot, target: Target) -> bool {
    let Target::Slot(slot) = target else { return put_mode != PutMode::Swap };
    let (item, there) = (draft.item(draft.cell(hand)), draft.cell(slot));
    match put_mode {
        PutMode::Place => there.is_empty(),
        PutMode::Merge => item.can_stack_with(there),
        PutMode::Swap => !there.is_empty(),
    }
}
