//! How many more items fit, from totals, without visiting every slot.

use crate::id::KindId;
use crate::language::Amount;
use crate::ops::{Operation, Outcome, Room};
use crate::world::{Place, Spot, World};

impl World {
    /// The number of plain items of a kind that could be created in a place, and the limit that is
    /// reached first.
    ///
    /// For a container the cost does not depend on the number of slots, unless a kind occupies
    /// several slots.
    ///
    /// ```
    /// use hypotheke::{Reason, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("drum", |kind| kind.weight(46.into()).stack_limit(4))
    ///     .container("sled", |sled| sled.slots(4).weight_cap(180.into()))
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let room = world.room_for(world.rules().find_kind("drum").unwrap(), world.container("sled").unwrap());
    /// assert_eq!((room.items, room.limited_by.map(|cause| cause.reason())), (3, Some(Reason::WeightCap)));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn room_for(&self, kind: KindId, place: impl Into<Place>) -> Room {
        let place = place.into();
        if let Place::Container(id) = place
            && self.has_container(id)
            && self.rules.has_kind(kind)
            && self.rules.needs.is_empty()
        {
            let space = self.space_for(kind, id.index);
            return self.room_in_space(kind, id, space);
        }
        let create = |amount| self.dry_run(&Operation::creating(amount, kind, place)).map(Outcome::done);
        let items = create(Amount::UpTo(u32::MAX)).unwrap_or(0);
        let more = u32::try_from(items).ok().and_then(|items| items.checked_add(1));
        let limited_by = more.and_then(|more| create(Amount::Exactly(more)).err()).map(|refusal| refusal.cause());
        Room { items, limited_by }
    }

    /// The number of plain items of a kind that the slots of a container have space for, without
    /// other limits.
    fn space_for(&self, kind: KindId, container: u32) -> u64 {
        let (state, stack_limit) = (self.state(container), self.rules.figures[kind.index()].stack_limit);
        let ruled = state.ruled.min(state.slots);
        let (mut space, mut ruled_room, mut ruled_empty) = (0, 0, 0);
        for slot in 0..ruled {
            let (cell, limit) = (self.cell(Spot { container, slot }), state.limit(&self.rules, kind.0, slot));
            let filter = state.slot_filter(&self.rules, slot);
            let admitted = filter.is_none_or(|filter| self.rules.admits_plain(filter, kind.0));
            let can_stack_with = !cell.is_empty() && !cell.is_pack() && cell.class == kind.0;
            let room = if can_stack_with { u64::from(limit.saturating_sub(cell.count)) } else { 0 };
            ruled_room += room;
            ruled_empty += u32::from(cell.is_empty());
            space += match (admitted, cell.is_empty()) {
                (false, _) => 0,
                (true, true) => u64::from(limit),
                (true, false) => room,
            };
        }
        let empty = u64::from(state.slots - state.taken - ruled_empty);
        let on_stacks = match state.kept_room(kind.0) {
            Some(room) => room - ruled_room,
            None => self.room_on_stacks(kind, container, ruled),
        };
        let stacks = if stack_limit > 1 { on_stacks } else { 0 };
        space + stacks + empty * u64::from(state.limit(&self.rules, kind.0, u32::MAX))
    }

    fn room_on_stacks(&self, kind: KindId, container: u32, first: u32) -> u64 {
        let next = |slot: u32| self.next_with_room(container, kind.0, kind.0, slot);
        let slots = std::iter::successors(next(first), |slot| next(slot.checked_add(1)?));
        let room = |slot| {
            let spot = Spot { container, slot };
            u64::from(self.limit(spot, kind.0).saturating_sub(self.cell(spot).count))
        };
        slots.map(room).sum()
    }
}
