//! equip: a stack goes onto an alike one that is worn, else to a worn slot that is free, else to
//! the first that admits it; what is in the way there leaves.

use super::carry::{Going, Request, WithoutNumber};
use super::draft::{Draft, Item};
use super::limits::may_lie_whole;
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Planned};
use crate::id::{HolderId, StackId};
use crate::language::{Amount, Position};
use crate::world::{Cell, Event, Place, Spot, StackLocation};

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, amount: Amount, from: Place) -> Planned {
    let (holder, _) = draft.hand(actor)?;
    let source = draft.slot(from)?;
    let (requested, exact) = match amount {
        Amount::All => (None, false),
        Amount::Exactly(count) => (Some(count), true),
        Amount::UpTo(count) => (Some(count), false),
    };
    let cell = draft.cell(source);
    if requested == Some(0) || cell.is_empty() {
        // Reasons are those of any move.
        let request = Request { amount, kind: None, from, without_number: WithoutNumber::WhatFits };
        return draft.carry(request, Going::Nowhere);
    }
    let equipping = Equipping { holder, source, cell, item: draft.item(cell), from };
    match requested.filter(|&requested| exact && requested > cell.count) {
        None => equipping.equip(draft, amount, requested, exact),
        Some(requested) => {
            let start = draft.point();
            let noted = draft.take_noted();
            let could =
                equipping.equip(draft, Amount::UpTo(requested), Some(requested), false).map_or(0, |done| done.count);
            draft.go_back_to(&start);
            let _ = draft.take_noted();
            draft.note_first(noted);
            let (wanted, there) = (u64::from(requested), u64::from(cell.count));
            let missing = Cause::NotEnough { at: from, requested: wanted, there };
            if draft.collects_causes() {
                draft.note_causes([missing]);
                // The other checks use the items that are present.
                let all = equipping.equip(draft, Amount::Exactly(cell.count), Some(cell.count), true);
                draft.note_causes(all.err().map(|refusal| refusal.cause()));
            }
            Err(Refusal::new(missing).up_to(could))
        }
    }
}

struct Equipping {
    holder: u32,
    source: Spot,
    cell: Cell,
    item: Item,
    from: Place,
}

impl Equipping {
    fn equip(&self, draft: &mut Draft<'_>, amount: Amount, requested: Option<u32>, exact: bool) -> Planned {
        let slots = self.worn_slots(draft);
        let admitting: Vec<Spot> = slots.iter().copied().filter(|&spot| self.may_lie(draft, spot)).collect();
        let fitting: Vec<Spot> =
            admitting.iter().copied().filter(|&spot| draft.occupied(self.item.kind, spot).is_some()).collect();
        let alike = fitting.iter().find(|&&spot| {
            let there = draft.cell(spot);
            there.can_stack_with(self.cell) && there.count < draft.limit(spot, self.cell.kind)
        });
        let free = || fitting.iter().find(|&&spot| self.is_free(draft, spot, requested));
        if let Some(&spot) = alike.or_else(free) {
            let request = Request { amount, kind: None, from: self.from, without_number: WithoutNumber::WhatFits };
            return draft.carry(request, Going::To(Target::Slot(spot)));
        }
        if let Some(&spot) = fitting.first() {
            return self.take_the_place(draft, spot, requested, exact);
        }
        if admitting.is_empty() && self.all_worn(draft).contains(&self.source) {
            // It is worn already, and nothing else would have it.
            let request = Request { amount, kind: None, from: self.from, without_number: WithoutNumber::WhatFits };
            return draft.carry(request, Going::Nowhere);
        }
        let whole = requested.filter(|_| exact).unwrap_or(1);
        let cause = match (admitting.first(), slots.first()) {
            (Some(&spot), _) => Cause::BlockedSlot(draft.place_of_spot(spot)),
            (None, Some(&spot)) => {
                let portion = Portion { item: self.item, count: whole, from: Some(self.source) };
                let full = Cause::NoRoom { at: draft.place_of_spot(spot), requested: u64::from(whole), room: 0 };
                draft.why_not(&[portion], Going::To(Target::Slot(spot))).unwrap_or(full)
            }
            (None, None) => Cause::NoRoom {
                at: Place::Holder(draft.world.holder_id(self.holder)),
                requested: u64::from(whole),
                room: 0,
            },
        };
        Err(Refusal::new(cause))
    }

    /// Those but the one in which it is, and those that are not open to the actor.
    fn worn_slots(&self, draft: &Draft<'_>) -> Vec<Spot> {
        let mut slots = self.all_worn(draft);
        let may = |spot: &Spot| draft.why_not_from_to(self.source.into(), (*spot).into(), false).is_none();
        slots.retain(|spot| *spot != self.source && may(spot));
        slots
    }

    fn all_worn(&self, draft: &Draft<'_>) -> Vec<Spot> {
        let world = draft.world;
        let worn = world.containers_of(self.holder).iter().filter(|&&container| world.def_of(container).is_worn());
        let slots = worn.flat_map(|&container| (0..draft.slots(container)).map(move |slot| Spot { container, slot }));
        slots.collect()
    }

    /// Whether it would be admitted to a slot if that, and all around it, were empty.
    fn may_lie(&self, draft: &Draft<'_>, spot: Spot) -> bool {
        let going = Going::To(Target::Slot(spot));
        draft.why_stuck(self.cell, self.source, going).is_none()
            && draft.may_enter(self.item, Some(self.source), spot.container)
            && draft.slot_admits(self.item, spot)
            && draft.slot_lets_in(Some(self.source), spot)
    }

    fn is_free(&self, draft: &Draft<'_>, spot: Spot, requested: Option<u32>) -> bool {
        let count = self.most(draft, spot, requested);
        let whole = count == self.cell.count;
        draft.cell(spot).is_empty() && !draft.is_blocked(self.item, spot, Some(self.source), whole)
    }

    /// The number of items for a slot.
    fn most(&self, draft: &Draft<'_>, spot: Spot, requested: Option<u32>) -> u32 {
        let most = draft.limit(spot, self.cell.kind).min(self.cell.count);
        requested.map_or(most, |requested| requested.min(most))
    }

    /// What is in the way there leaves.
    fn take_the_place(&self, draft: &mut Draft<'_>, spot: Spot, requested: Option<u32>, exact: bool) -> Planned {
        let start = draft.point();
        let most = self.most(draft, spot, requested);
        let wanted = requested.filter(|_| exact).unwrap_or(most);
        let causes = self.attempt(draft, spot, wanted, exact);
        let Some(&first) = causes.first() else {
            return Ok(Done { requested: requested.map(u64::from), count: u64::from(wanted) });
        };
        draft.go_back_to(&start);
        // The most that can: of fewer than all each one more weighs more.
        let (mut least, mut beyond) = (0, wanted.min(most.saturating_add(1)));
        while least + 1 < beyond {
            let middle = least + (beyond - least) / 2;
            let fits = self.attempt(draft, spot, middle, exact).is_empty();
            draft.go_back_to(&start);
            (least, beyond) = if fits { (middle, beyond) } else { (least, middle) };
        }
        if !exact && least > 0 && self.attempt(draft, spot, least, exact).is_empty() {
            return Ok(Done { requested: requested.map(u64::from), count: u64::from(least) });
        }
        draft.note_causes(causes);
        Err(Refusal::new(first).up_to(u64::from(least)))
    }

    /// Equips a number of items and moves the stacks in the way; returns every check that fails.
    ///
    /// The world after the operation is checked: stacks in the way move out after the item is worn,
    /// and may use the room that it left. Until then they wait in a slot that no container has.
    /// Events can't express that, so they are ordered such that each slot is free when a stack
    /// enters it.
    fn attempt(&self, draft: &mut Draft<'_>, spot: Spot, count: u32, exact: bool) -> Vec<Cause> {
        let start = draft.point();
        let (source, whole) = (self.source, count == self.cell.count);
        let mut failed = Vec::new();
        let mut obstacles =
            draft.in_the_way(self.item.kind, spot, &|there| whole && there == source).unwrap_or_default();
        obstacles.sort_by_key(|&there| there != spot);
        if obstacles.contains(&source) {
            // What remains of the stack itself does not leave.
            obstacles.retain(|there| *there != source);
            failed.push(Cause::BlockedSlot(draft.place_of_spot(spot)));
        }
        let spare = (!draft.cell(spot).is_empty()).then(|| draft.move_to_spare_slot(spot));
        draft.parts().push((spot, count));
        draft.lay_parts(self.item, Some(source));
        draft.settle();
        let mut without_place = Vec::new();
        for &there in &obstacles {
            let now = spare.filter(|_| there == spot).unwrap_or(there);
            if whole && self.fits_back(draft, now, there) {
                let cell = draft.cell(now);
                draft.parts().push((source, cell.count));
                draft.lay_parts(draft.item(cell), Some(now));
                draft.settle();
            } else if !self.displace(draft, now) {
                without_place.push(now);
            }
        }
        let checked_later = exact && draft.nested_lists > 0;
        if !checked_later {
            // What has no place stays with its holder, and is not worn.
            for &there in &without_place {
                draft.take_out_of_sums(there);
            }
            failed.extend(draft.all_over_in_the_end());
        }
        let limit = draft.limit(spot, self.cell.kind);
        let may_lie = match whole {
            true => may_lie_whole(count, limit, draft.limit(source, self.cell.kind)),
            false => count <= limit,
        };
        let (at, kind) = (draft.place_of_spot(spot), draft.world.rules.kind_id(self.item.kind));
        if !may_lie {
            failed.push(Cause::StackLimit { at, would: u64::from(count), limit, kind });
        }
        if !without_place.is_empty() {
            failed.push(Cause::NoRoom { at, requested: u64::from(count), room: 0 });
        }
        if let Some(spare) = spare.filter(|_| failed.is_empty()) {
            draft.reorder(&start, |since| self.order(since, spot, spare, whole));
        }
        failed
    }

    /// Whether a whole stack in the way, now in `now` and earlier in `there`, may move to the
    /// emptied slot.
    fn fits_back(&self, draft: &Draft<'_>, now: Spot, there: Spot) -> bool {
        let (cell, to) = (draft.cell(now), self.source);
        let item = draft.item(cell);
        let limit = draft.limit(to, cell.kind);
        draft.cell(to).is_empty()
            && draft.why_stuck(cell, now, Going::To(Target::Slot(to))).is_none()
            && draft.may_enter(item, Some(now), to.container)
            && draft.slot_admits(item, to)
            && draft.slot_lets_in(Some(now), to)
            && !draft.is_blocked(item, to, Some(now), true)
            && may_lie_whole(cell.count, limit, draft.limit(there, cell.kind))
    }

    /// Brings a whole stack where `unequip` would.
    fn displace(&self, draft: &mut Draft<'_>, there: Spot) -> bool {
        let cell = draft.cell(there);
        let item = draft.item(cell);
        let target = Target::Holder(self.holder);
        // A pack does not go into one that has just come out of it: there is no order in which both
        // could move.
        let came_out_of_it =
            cell.is_pack() && self.item.is_pack() && draft.is_within(self.source.container, cell.inner);
        let goes = draft.why_stuck(cell, there, Going::To(target)).is_none()
            && draft.fill(item, cell.count, Some(there), target) == cell.count
            && !(came_out_of_it && draft.laid().iter().any(|(to, _)| draft.is_within(to.container, self.item.inner)));
        if goes {
            draft.lay_parts(item, Some(there));
            draft.settle();
        } else {
            draft.parts().clear();
        }
        goes
    }

    /// Orders the events so that nothing enters a taken slot. They begin with the stack in the way
    /// and the item that takes its slot.
    fn order(&self, since: &[Event], spot: Spot, spare: Spot, whole: bool) -> Vec<Event> {
        let [waits, worn, rest @ ..] = since else { return since.to_vec() };
        let Event::Moved { from: there, .. } = *waits else { return since.to_vec() };
        let is_from_spare = |event: &Event| matches!(event, Event::Moved { from, .. } if from.spot == spare);
        let (mut leaving, others): (Vec<Event>, Vec<Event>) = rest.iter().copied().partition(is_from_spare);
        for event in &mut leaving {
            if let Event::Moved { from, .. } = event {
                from.spot = spot;
            }
        }
        let goes = |event: &Event, wanted: &dyn Fn(StackLocation) -> bool| match event {
            Event::Moved { to, .. } => wanted(*to),
            _ => false,
        };
        let back = leaving.iter().position(|event| whole && goes(event, &|to| to.spot == self.source));
        let back = back.map(|back| leaving.remove(back));
        let Some(Event::Moved { kind, count, to: back, class, inner, .. }) = back else {
            return leaving.into_iter().chain([*worn]).chain(others).collect();
        };
        // It changes places with the item. If a part that went elsewhere keeps the id, it changes
        // places with that first.
        let kept = leaving.iter().position(|event| goes(event, &|to| to.stack == there.stack));
        let kept = kept.map(|kept| leaving.remove(kept));
        let mut events = leaving;
        if let Some(Event::Moved { to: kept, .. }) = kept {
            let to = StackLocation { stack: back.stack, ..kept };
            events.push(Event::Moved { kind, count, from: there, to, class, inner });
            events.push(Event::Swapped { one: to, other: there });
        }
        let item = StackLocation { spot: self.source, stack: StackId(self.cell.id), position: Position::default() };
        events.push(Event::Swapped { one: item, other: StackLocation { stack: back.stack, ..there } });
        events.extend(others);
        events
    }
}
