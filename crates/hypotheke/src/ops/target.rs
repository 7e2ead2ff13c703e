//! What a target takes of an item, and where; and why it does not take more.

use super::draft::{Draft, Item, Onto};
use super::refusal::{Cause, Refusal, Unknown};
use crate::id::KindId;
use crate::quantity::Decimal;
use crate::ruleset::Cap;
use crate::world::{Bearer, Cell, Place, Spot};

/// Where something is to be laid.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Target {
    Slot(Spot),
    Container(u32),
    /// Its containers, in order, but not those that are worn.
    Holder(u32),
    Ground,
}

impl Draft<'_> {
    /// Looks up a place in which something is to be laid.
    pub(super) fn target(&self, place: Place) -> Result<Target, Refusal> {
        match place {
            Place::Slot(..) => self.slot(place).map(Target::Slot),
            Place::Container(id) if self.world.has_container(id) => Ok(Target::Container(id.index)),
            Place::Holder(id) if self.world.has_holder(id) => Ok(Target::Holder(id.index)),
            Place::Ground => Ok(Target::Ground),
            Place::OnGround(_) => Err(Refusal::new(Cause::Unknown(Unknown::Meaning))),
            Place::Container(_) | Place::Holder(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
        }
    }

    /// Works out where up to `want` items would go, as parts; gives how many that is.
    pub(super) fn fill(&mut self, item: Item, want: u32, source: Option<Spot>, target: Target) -> u32 {
        match target {
            Target::Slot(spot) => self.fill_slot(item, want, source, spot),
            Target::Container(container) => {
                let allowed = self.allowance_in_holder(item, source, container);
                self.fill_container(item, want.min(allowed), source, container)
            }
            Target::Holder(holder) => self.fill_holder(item, want, source, holder),
            Target::Ground => self.fill_ground(item, want, source),
        }
    }

    fn fill_slot(&mut self, item: Item, want: u32, source: Option<Spot>, spot: Spot) -> u32 {
        if !self.container_admits(item, source, spot.container) || !self.slot_admits(item, spot) {
            return 0;
        }
        let allowed =
            self.allowance(item, source, spot.container).min(self.allowance_in_holder(item, source, spot.container));
        if !self.takes_onto(self.cell(spot), item) {
            return 0;
        }
        let room = self.room_for(item, want, source, spot);
        let given = want.min(allowed).min(room);
        if given > 0 {
            self.parts().push((spot, given));
        }
        given
    }

    /// Whether what lies in a slot, or that it is empty, lets items be laid there.
    fn takes_onto(&self, there: Cell, item: Item) -> bool {
        match self.onto() {
            Onto::Any => there.is_empty() || there.class == item.class,
            Onto::Alike => !there.is_empty() && there.class == item.class,
            Onto::OneEmpty => there.is_empty(),
        }
    }

    /// How many more a slot holds that is empty or has an alike stack. A stack that is over its limit already may go
    /// whole to a slot where it is no further over.
    fn room_for(&self, item: Item, want: u32, source: Option<Spot>, spot: Spot) -> u32 {
        let limit = self.world.limit(spot, item.kind);
        let there = self.cell(spot).count;
        let excess = source.filter(|&source| there == 0 && self.cell(source).count == want).map(|source| {
            let limit_there = if source.is_ground() { u32::MAX } else { self.world.limit(source, item.kind) };
            want.saturating_sub(limit_there)
        });
        match excess {
            Some(excess) if excess > 0 && want.saturating_sub(limit) <= excess => want,
            _ => limit.saturating_sub(there),
        }
    }

    fn fill_holder(&mut self, item: Item, want: u32, source: Option<Spot>, holder: u32) -> u32 {
        let world = self.world;
        let mut given = 0;
        let mut want = want;
        for &container in world.containers_of(holder) {
            if world.def_of(container).is_worn() {
                continue;
            }
            if given == 0 {
                want = want.min(self.allowance_in_holder(item, source, container));
            }
            given += self.fill_container(item, want - given, source, container);
        }
        given
    }

    fn fill_container(&mut self, item: Item, want: u32, source: Option<Spot>, container: u32) -> u32 {
        if !self.container_admits(item, source, container) {
            return 0;
        }
        let want = want.min(self.allowance(item, source, container));
        let mut left = want;
        self.each_slot_with_room(item, source, container, |draft, spot, room| {
            let given = left.min(room);
            if given > 0 {
                draft.parts().push((spot, given));
            }
            left -= given;
            left > 0
        });
        want - left
    }

    /// The slots of a container that would take some of an item, in order of placement, and how many each would take.
    /// Goes on as long as `go_on` says so.
    fn each_slot_with_room(
        &mut self,
        item: Item,
        source: Option<Spot>,
        container: u32,
        mut go_on: impl FnMut(&mut Self, Spot, u32) -> bool,
    ) {
        let mut from = 0;
        // Of a kind that does not stack, no stack has room for more.
        let stacks = self.world.rules.figures[item.kind as usize].stack_limit > 1 && self.onto() == Onto::Any;
        while let Some(slot) = if stacks { self.next_with_room(container, item, from) } else { None } {
            from = slot + 1;
            let spot = Spot { container, slot };
            if source == Some(spot) || !self.slot_admits(item, spot) {
                continue;
            }
            let room = self.world.limit(spot, item.kind) - self.cell(spot).count;
            if !go_on(self, spot, room) {
                return;
            }
        }
        let mut from = 0;
        while let Some(slot) = self.next_empty(container, from) {
            from = slot + 1;
            let spot = Spot { container, slot };
            if source == Some(spot) || !self.slot_admits(item, spot) {
                continue;
            }
            let room = self.world.limit(spot, item.kind);
            if !go_on(self, spot, room) || self.onto() == Onto::OneEmpty {
                return;
            }
        }
    }

    /// On the ground each stack lands as its own: a whole one as it is, others in portions within the kind's limit.
    fn fill_ground(&mut self, item: Item, want: u32, source: Option<Spot>) -> u32 {
        let whole = source.is_some_and(|spot| self.cell(spot).count == want);
        let limit = if whole { want } else { self.world.rules.figures[item.kind as usize].stack_limit };
        let mut given = 0;
        for landed in 0..self.ground_room() as usize {
            let portion = limit.min(want - given);
            if portion == 0 {
                break;
            }
            let spot = self.next_landing_spot(landed);
            self.parts().push((spot, portion));
            given += portion;
        }
        given
    }

    /// Moving inside a container is not entering it.
    #[inline]
    fn container_admits(&self, item: Item, source: Option<Spot>, container: u32) -> bool {
        let entering = source.is_none_or(|source| source.container != container);
        let (may_put, _) = self.world.may_put_and_take(container);
        !entering || (may_put || source.is_none()) && self.admits(self.world.filter_of(container), item)
    }

    #[inline]
    pub(super) fn slot_admits(&self, item: Item, spot: Spot) -> bool {
        self.admits(self.world.slot_filter(spot), item)
    }

    /// How many items the caps of a container leave room for.
    #[inline]
    fn allowance(&self, item: Item, source: Option<Spot>, container: u32) -> u32 {
        if source.is_some_and(|source| source.container == container) {
            return u32::MAX;
        }
        let capped = self.world.has_caps(container);
        let by_count = if capped { self.allowance_by_caps(item, Bearer::Container(container)) } else { u32::MAX };
        let (_, cap) = self.world.weight_and_cap(container);
        if cap == i64::MAX { by_count } else { by_count.min(how_many(cap - self.weight_of(container), item.weight)) }
    }

    /// How many items the caps by filter leave room for.
    #[inline]
    fn allowance_by_caps(&self, item: Item, bearer: Bearer) -> u32 {
        let (caps, _) = self.world.caps_of(bearer);
        let counted = caps.iter().enumerate().filter(|(_, cap)| self.admits(Some(cap.of), item));
        let left = |(index, cap): (usize, &Cap)| how_many(i64::from(cap.count) - self.cap_count(bearer, index), 1);
        counted.map(left).min().unwrap_or(u32::MAX)
    }

    /// How many items the caps of a container's holder leave room for.
    #[inline]
    fn allowance_in_holder(&self, item: Item, source: Option<Spot>, container: u32) -> u32 {
        let Some(holder) = self.world.holder_of(container) else { return u32::MAX };
        let (_, cap) = self.world.holder_weight_and_cap(holder);
        let carried_already = source.is_some_and(|source| self.world.holder_of(source.container) == Some(holder));
        if carried_already {
            return u32::MAX;
        }
        let by_count = self.allowance_by_caps(item, Bearer::Holder(holder));
        if cap == i64::MAX {
            by_count
        } else {
            by_count.min(how_many(cap - self.weight_of_holder(holder), item.weight))
        }
    }

    // Why not.

    /// The first check that fails when all of `asked` are to go to the target. To be called only if not all of them can.
    #[cold]
    pub(super) fn why_not(&mut self, item: Item, asked: u64, source: Option<Spot>, target: Target) -> Cause {
        match target {
            Target::Slot(spot) => self.why_not_slot(item, asked, source, spot),
            Target::Container(container) => self.why_not_container(item, asked, source, container),
            Target::Holder(holder) => {
                let world = self.world;
                let tried = || {
                    world.containers_of(holder).iter().copied().filter(|&container| !world.def_of(container).is_worn())
                };
                let admitting = tried().find(|&container| self.why_not_admitted(item, source, container).is_none());
                match admitting.or(tried().next()) {
                    Some(container) => self.why_not_container(item, asked, source, container),
                    None => Cause::NoRoom { at: Place::Holder(world.holder_id(holder)), asked, room: 0 },
                }
            }
            Target::Ground => {
                let limit = self.world.rules.figures[item.kind as usize].stack_limit;
                Cause::NoRoom { at: Place::Ground, asked, room: u64::from(self.ground_room()) * u64::from(limit) }
            }
        }
    }

    fn why_not_slot(&mut self, item: Item, asked: u64, source: Option<Spot>, spot: Spot) -> Cause {
        let world = self.world;
        let id = world.container_id(spot.container);
        let at = Place::Slot(id, spot.slot);
        if let Some(cause) = self.why_not_entering(item, source, spot.container) {
            return cause;
        }
        if !self.slot_admits(item, spot) {
            return Cause::NotAdmitted { by: at, kind: KindId(item.kind) };
        }
        if let Some(cause) = self.why_over_cap(item, asked, source, spot.container) {
            return cause;
        }
        if let Some(cause) = self.why_too_heavy(item, asked, source, spot.container) {
            return cause;
        }
        let there = self.cell(spot);
        let alike = !there.is_empty() && there.class == item.class && self.onto() != Onto::OneEmpty;
        let count = if alike { u64::from(there.count) } else { 0 };
        let limit = world.limit(spot, item.kind);
        if count + asked > u64::from(limit) {
            return Cause::StackLimit { at, would: count + asked, limit };
        }
        let room = if self.takes_onto(there, item) { u64::from(limit).saturating_sub(count) } else { 0 };
        Cause::NoRoom { at, asked, room }
    }

    fn why_not_container(&mut self, item: Item, asked: u64, source: Option<Spot>, container: u32) -> Cause {
        if let Some(cause) = self.why_not_admitted(item, source, container) {
            return cause;
        }
        if let Some(cause) = self.why_over_cap(item, asked, source, container) {
            return cause;
        }
        if let Some(cause) = self.why_too_heavy(item, asked, source, container) {
            return cause;
        }
        let mut room = 0;
        self.each_slot_with_room(item, source, container, |_, _, more| {
            room += u64::from(more);
            room < asked
        });
        Cause::NoRoom { at: Place::Container(self.world.container_id(container)), asked, room }
    }

    /// It would not be admitted even if all slots were empty.
    fn why_not_admitted(&self, item: Item, source: Option<Spot>, container: u32) -> Option<Cause> {
        let kind = KindId(item.kind);
        let id = self.world.container_id(container);
        if let Some(cause) = self.why_not_entering(item, source, container) {
            return Some(cause);
        }
        let def = self.world.def_of(container);
        let all_ruled = def.ruled.len() >= self.world.slot_count(container) as usize;
        let admitting = |filter| self.admits(filter, item);
        let none_admits = all_ruled && !def.ruled.iter().any(|rule| admitting(rule.admits));
        none_admits.then_some(Cause::NotAdmitted { by: Place::Container(id), kind })
    }

    /// Nothing may be put in, or the container's own filter says no.
    fn why_not_entering(&self, item: Item, source: Option<Spot>, container: u32) -> Option<Cause> {
        let of = Place::Container(self.world.container_id(container));
        if source.is_some_and(|source| source.container != container) && !self.world.may_put_and_take(container).0 {
            return Some(Cause::NoPut(of));
        }
        let admitted = self.container_admits(item, source, container);
        (!admitted).then_some(Cause::NotAdmitted { by: of, kind: KindId(item.kind) })
    }

    fn why_over_cap(&self, item: Item, asked: u64, source: Option<Spot>, container: u32) -> Option<Cause> {
        let world = self.world;
        let from = source.map(|source| source.container);
        let inside = from == Some(container);
        let own = (!inside).then_some((Bearer::Container(container), Place::Container(world.container_id(container))));
        let holder =
            world.holder_of(container).filter(|&holder| from.and_then(|from| world.holder_of(from)) != Some(holder));
        let held = holder.map(|holder| (Bearer::Holder(holder), Place::Holder(world.holder_id(holder))));
        for (bearer, of) in [own, held].into_iter().flatten() {
            for (index, cap) in
                world.caps_of(bearer).0.iter().enumerate().filter(|(_, cap)| self.admits(Some(cap.of), item))
            {
                let would = u64::try_from(self.cap_count(bearer, index)).unwrap_or(0).saturating_add(asked);
                if would > u64::from(cap.count) {
                    let number = u32::try_from(index).unwrap_or(u32::MAX);
                    return Some(Cause::Cap { of, cap: number, would, count: cap.count });
                }
            }
        }
        None
    }

    fn why_too_heavy(&self, item: Item, asked: u64, source: Option<Spot>, container: u32) -> Option<Cause> {
        let added = i128::from(item.weight) * i128::from(asked);
        let too_heavy = |of: Place, weight: i64, cap: i64| {
            let would = i128::from(weight) + added;
            let would_be = Decimal::from_thousandths(i64::try_from(would).unwrap_or(i64::MAX));
            let cause = Cause::WeightCap { of, would: would_be, cap: Decimal::from_thousandths(cap) };
            (cap != i64::MAX && added > 0 && would > i128::from(cap)).then_some(cause)
        };
        if source.is_none_or(|source| source.container != container) {
            let (_, cap) = self.world.weight_and_cap(container);
            let of = Place::Container(self.world.container_id(container));
            if let Some(cause) = too_heavy(of, self.weight_of(container), cap) {
                return Some(cause);
            }
        }
        let holder = self.world.holder_of(container)?;
        if source.is_some_and(|source| self.world.holder_of(source.container) == Some(holder)) {
            return None;
        }
        let (_, cap) = self.world.holder_weight_and_cap(holder);
        too_heavy(Place::Holder(self.world.holder_id(holder)), self.weight_of_holder(holder), cap)
    }
}

/// How many items of a weight fit into what a cap leaves.
#[inline]
fn how_many(left: i64, weight: i64) -> u32 {
    if weight == 0 {
        return u32::MAX;
    }
    u32::try_from(left.max(0) / weight).unwrap_or(u32::MAX)
}
