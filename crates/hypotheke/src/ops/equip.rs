//! equip: a stack goes onto an alike one that is worn, else to a worn slot that is free, else to the first that admits it;
//! what is in the way there leaves.

use super::carry::{Going, Request, WithoutNumber};
use super::draft::{Draft, Item};
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Judged};
use crate::id::{HolderId, KindId};
use crate::language::Amount;
use crate::world::{Cell, Place, Spot};

pub(super) fn judge(draft: &mut Draft<'_>, actor: Option<HolderId>, amount: Amount, from: Place) -> Judged {
    let (holder, _) = draft.hand(actor)?;
    let source = draft.slot(from)?;
    let (asked, exact) = match amount {
        Amount::All => (None, false),
        Amount::Exactly(count) => (Some(count), true),
        Amount::UpTo(count) => (Some(count), false),
    };
    let cell = draft.cell(source);
    if asked == Some(0) || cell.is_empty() {
        // What is wrong is told as of any carrying.
        let request = Request { amount, kind: None, from, without_number: WithoutNumber::WhatFits };
        return draft.carry(request, Going::Nowhere);
    }
    let equipping = Equipping { holder, source, cell, item: draft.item(cell), from };
    match asked.filter(|&asked| exact && asked > cell.count) {
        None => equipping.equip(draft, amount, asked, exact),
        Some(asked) => {
            let start = draft.so_far();
            let noted = draft.take_noted();
            let could = equipping.equip(draft, Amount::UpTo(asked), Some(asked), false).map_or(0, |done| done.count);
            draft.go_back_to(&start);
            let _ = draft.take_noted();
            draft.note_first(noted);
            let (wanted, there) = (u64::from(asked), u64::from(cell.count));
            let missing = Cause::NotEnough { at: from, asked: wanted, there };
            if draft.collects_causes() {
                draft.note_causes([missing]);
                // The other checks look at what is there.
                let all = equipping.equip(draft, Amount::Exactly(cell.count), Some(cell.count), true);
                draft.note_causes(all.err().map(|refusal| refusal.cause()));
            }
            Err(Refusal::new(missing).could_have(could))
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
    fn equip(&self, draft: &mut Draft<'_>, amount: Amount, asked: Option<u32>, exact: bool) -> Judged {
        let slots = self.worn_slots(draft);
        let admitting: Vec<Spot> = slots.iter().copied().filter(|&spot| self.may_lie(draft, spot)).collect();
        let fitting: Vec<Spot> =
            admitting.iter().copied().filter(|&spot| draft.occupied(self.item.kind, spot).is_some()).collect();
        let alike = fitting.iter().find(|&&spot| {
            let there = draft.cell(spot);
            there.is_alike(self.cell) && there.count < draft.limit(spot, self.cell.kind)
        });
        let free = || fitting.iter().find(|&&spot| self.is_free(draft, spot, asked));
        if let Some(&spot) = alike.or_else(free) {
            let request = Request { amount, kind: None, from: self.from, without_number: WithoutNumber::WhatFits };
            return draft.carry(request, Going::To(Target::Slot(spot)));
        }
        if let Some(&spot) = fitting.first() {
            return self.take_the_place(draft, spot, asked, exact);
        }
        if admitting.is_empty() && slots.len() < self.all_worn(draft).len() {
            // It is worn already, and nothing else would have it.
            let request = Request { amount, kind: None, from: self.from, without_number: WithoutNumber::WhatFits };
            return draft.carry(request, Going::Nowhere);
        }
        let whole = asked.filter(|_| exact).unwrap_or(1);
        let cause = match (admitting.first(), slots.first()) {
            (Some(&spot), _) => Cause::BlockedSlot(draft.place_of_spot(spot)),
            (None, Some(&spot)) => {
                let portion = Portion { item: self.item, count: whole, from: Some(self.source) };
                let full = Cause::NoRoom { at: draft.place_of_spot(spot), asked: u64::from(whole), room: 0 };
                draft.why_not(&[portion], Going::To(Target::Slot(spot))).unwrap_or(full)
            }
            (None, None) => Cause::NoRoom {
                at: Place::Holder(draft.world.holder_id(self.holder)),
                asked: u64::from(whole),
                room: 0,
            },
        };
        Err(Refusal::new(cause))
    }

    /// Those but the one in which it is.
    fn worn_slots(&self, draft: &Draft<'_>) -> Vec<Spot> {
        let mut slots = self.all_worn(draft);
        slots.retain(|&spot| spot != self.source);
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
    }

    fn is_free(&self, draft: &Draft<'_>, spot: Spot, asked: Option<u32>) -> bool {
        let count = self.most(draft, spot, asked);
        let whole = count == self.cell.count;
        draft.cell(spot).is_empty() && !draft.is_blocked(self.item, spot, Some(self.source), whole)
    }

    /// How many there are to lie in a slot.
    fn most(&self, draft: &Draft<'_>, spot: Spot, asked: Option<u32>) -> u32 {
        let most = draft.limit(spot, self.cell.kind).min(self.cell.count);
        asked.map_or(most, |asked| asked.min(most))
    }

    /// What is in the way leaves: to the slot that is left empty, if that admits it, else to the holder's containers.
    fn take_the_place(&self, draft: &mut Draft<'_>, spot: Spot, asked: Option<u32>, exact: bool) -> Judged {
        let start = draft.so_far();
        let most = self.most(draft, spot, asked);
        let limit = draft.limit(spot, self.cell.kind);
        let wanted = asked.filter(|_| exact).unwrap_or(most);
        let mut cause = None;
        if wanted <= limit {
            match self.attempt(draft, spot, wanted, exact) {
                Ok(()) => return Ok(Done { asked: asked.map(u64::from), count: u64::from(wanted) }),
                Err(why) => cause = Some(why),
            }
            draft.go_back_to(&start);
        }
        // The most that can: of fewer than all each one more weighs more.
        let (mut least, mut beyond) = (0, wanted.min(most.saturating_add(1)));
        while least + 1 < beyond {
            let middle = least + (beyond - least) / 2;
            let fits = self.attempt(draft, spot, middle, exact).is_ok();
            draft.go_back_to(&start);
            (least, beyond) = if fits { (middle, beyond) } else { (least, middle) };
        }
        if !exact && least > 0 && self.attempt(draft, spot, least, exact).is_ok() {
            return Ok(Done { asked: asked.map(u64::from), count: u64::from(least) });
        }
        let (at, kind) = (draft.place_of_spot(spot), KindId(self.item.kind));
        let over = Cause::StackLimit { at, would: u64::from(wanted), limit, kind };
        Err(Refusal::new(cause.unwrap_or(over)).could_have(u64::from(least)))
    }

    fn attempt(&self, draft: &mut Draft<'_>, spot: Spot, count: u32, exact: bool) -> Result<(), Cause> {
        let no_room = Cause::NoRoom { at: draft.place_of_spot(spot), asked: u64::from(count), room: 0 };
        let whole = count == self.cell.count;
        let source = self.source;
        let leaving = |there: Spot| whole && there == source;
        let Some(obstacles) = draft.in_the_way(self.item.kind, spot, &leaving) else { return Err(no_room) };
        if obstacles.contains(&source) {
            return Err(no_room);
        }
        let back = obstacles.iter().copied().find(|&there| whole && self.fits_back(draft, there));
        for &there in obstacles.iter().filter(|&&there| Some(there) != back) {
            self.displace(draft, there).ok_or(no_room)?;
        }
        if back == Some(spot) {
            draft.exchange(source, spot);
        } else {
            draft.parts().push((spot, count));
            draft.lay_parts(self.item, Some(source));
        }
        draft.settle();
        if let Some(there) = back.filter(|&there| there != spot) {
            let cell = draft.cell(there);
            draft.parts().push((source, cell.count));
            draft.lay_parts(draft.item(cell), Some(there));
            draft.settle();
        }
        let blocked = |draft: &Draft<'_>, spot: Spot| {
            let cell = draft.cell(spot);
            !cell.is_empty() && draft.is_blocked(draft.item(cell), spot, None, false)
        };
        if blocked(draft, spot) || back.is_some() && blocked(draft, source) {
            return Err(no_room);
        }
        let judged_later = exact && draft.nested_lists > 0;
        match draft.why_over_in_the_end() {
            Some(cause) if !judged_later => Err(cause),
            _ => Ok(()),
        }
    }

    /// Whether what lies in the way may go to the slot that is left empty.
    fn fits_back(&self, draft: &Draft<'_>, there: Spot) -> bool {
        let (cell, to) = (draft.cell(there), self.source);
        let item = draft.item(cell);
        draft.why_stuck(cell, there, Going::To(Target::Slot(to))).is_none()
            && draft.may_enter(item, Some(there), to.container)
            && draft.slot_admits(item, to)
            && cell.count <= draft.limit(to, cell.kind)
    }

    /// Brings a whole stack to the holder's containers.
    fn displace(&self, draft: &mut Draft<'_>, there: Spot) -> Option<()> {
        let cell = draft.cell(there);
        let item = draft.item(cell);
        if draft.why_stuck(cell, there, Going::To(Target::Holder(self.holder))).is_some() {
            return None;
        }
        draft.pass_over(self.source);
        let given = draft.fill(item, cell.count, Some(there), Target::Holder(self.holder));
        if given < cell.count {
            return None;
        }
        draft.lay_parts(item, Some(there));
        draft.settle();
        Some(())
    }
}
