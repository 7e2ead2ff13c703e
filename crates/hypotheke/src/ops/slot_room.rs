//! The whole picture for a stack that is dragged: how many of it each slot would take, and why not
//! more.

use super::allowed::Point;
use super::carry::Going;
use super::draft::{Draft, Item};
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use crate::id::{ContainerId, HolderId, KindId};
use crate::world::{Place, Spot, World};

/// What a slot would take of a stack.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SlotRoom {
    /// The slot.
    pub slot: u32,
    /// How many it would take: as many as a move of up to all of them.
    pub takes: u32,
    /// Why it would not take all: the reason for which a move of all would be refused.
    pub why_not_all: Option<Cause>,
}

impl World {
    /// How many items of a stack each slot of a container would take if they were moved there, and
    /// why not more: what an interface needs to tint slots while something is dragged. It is cheap
    /// enough for every frame; `room` is cleared and used again.
    ///
    /// ```
    /// use hypotheke::{Reason, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind.stack_limit(6))
    ///     .kind("rope", |kind| kind)
    ///     .container("depot", |depot| depot.slots(2))
    ///     .container("sled", |sled| sled.slots(3))
    ///     .start("depot", ["5 flare"])
    ///     .start("sled", ["4 flare", "1 rope"])
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let (depot, sled) = (world.container("depot").unwrap(), world.container("sled").unwrap());
    /// let mut room = Vec::new();
    /// world.room_by_slot((depot, 0).into(), None, sled, &mut room).unwrap();
    /// let described: Vec<_> = room.iter().map(|it| (it.takes, it.why_not_all.map(|cause| cause.reason()))).collect();
    /// assert_eq!(described, [(2, Some(Reason::StackLimit)), (0, Some(Reason::NoRoom)), (5, None)]);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    ///
    /// # Errors
    /// None if `from` (a slot, a hand or the place of a stack on the ground) is empty, or the
    /// container does not exist.
    pub fn room_by_slot(
        &self,
        from: Place,
        actor: Option<HolderId>,
        container: ContainerId,
        room: &mut Vec<SlotRoom>,
    ) -> Result<(), Refusal> {
        room.clear();
        let mut draft = Draft::new(self, Box::default());
        draft.act_as(actor)?;
        let spot = draft.spot_of_one(from)?;
        let container = draft.container(Place::Container(container))?;
        let cell = draft.cell(spot);
        if cell.is_empty() {
            return Err(Refusal::new(Cause::EmptySource { at: from, kind: None }));
        }
        draft.offer(draft.item(cell), cell.count, spot, container, room);
        Ok(())
    }
}

/// What the slots of a container without rules of their own have to say.
struct Alike {
    container: ContainerId,
    kind: KindId,
    /// How many an empty one would take.
    empty: u32,
    requested: u32,
    limit: u32,
    /// Whether it would be over its limit, and further over than where it is.
    is_over: bool,
    borne: Option<Cause>,
}

impl Alike {
    /// Why one would take nothing in which something else lies.
    #[inline]
    fn taken(&self, slot: u32) -> Cause {
        let (at, requested) = (Place::Slot(self.container, slot), u64::from(self.requested));
        self.borne.unwrap_or(match self.is_over {
            true => Cause::StackLimit { at, would: requested, limit: self.limit, kind: self.kind },
            false => Cause::NoRoom { at, requested, room: 0 },
        })
    }
}

impl Draft<'_> {
    /// What is the same for all slots is found out once.
    fn offer(&mut self, item: Item, count: u32, source: Spot, container: u32, room: &mut Vec<SlotRoom>) {
        let borders = |at: u32| self.state(at).has_slot_borders;
        let has_slot_borders = borders(container) || !source.is_ground() && borders(source.container);
        let closed = self.actor.and_then(|actor| {
            let from = (!source.is_ground()).then_some(source.container).filter(|&from| !self.is_hand(from));
            let places = [from, Some(container)];
            let first = |why: &dyn Fn(u32) -> Option<Cause>| places.iter().flatten().find_map(|&at| why(at));
            let from_to = || self.why_not_from_to(source.into(), Point::whole(container), false);
            first(&|at| self.why_hidden(self.around(at)))
                .or_else(|| first(&|at| self.why_not_open(actor, at)))
                .or_else(|| first(&|at| self.why_in_use(actor, at)))
                .or_else(|| if has_slot_borders { None } else { from_to() })
        });
        if has_slot_borders {
            // Each slot decides for itself.
            for slot in 0..self.slots(container) {
                let (takes, why_not_all) = match closed {
                    Some(cause) => (0, Some(cause)),
                    None => self.offer_across_borders(item, (source, count), Spot { container, slot }),
                };
                room.push(SlotRoom { slot, takes, why_not_all });
            }
            return;
        }
        let stuck = closed.or_else(|| {
            let cell = self.cell(source);
            self.why_stuck(cell, source, Going::To(Target::Container(container)))
        });
        let entering = stuck.or_else(|| self.why_not_entering(item, Some(source), container));
        let nested = self.why_not_nested(item, Some(source), container);
        let (allowed, borne) = match (entering, nested) {
            (None, None) => {
                let borne = self.why_not_borne(item, u64::from(count), Some(source), container);
                (self.allowance(item, Some(source), container), borne)
            }
            _ => (0, nested),
        };
        let ruled = if self.world.rules.needs.is_empty() { self.state(container).ruled } else { u32::MAX };
        let alike = self.offers_of_alike_slots(item, (source, count), container, (allowed, borne));
        room.reserve(self.slots(container) as usize);
        for slot in 0..self.slots(container) {
            let spot = Spot { container, slot };
            if slot >= ruled && entering.is_none() && nested.is_none() && spot != source {
                let there = self.cell(spot);
                let (takes, why_not_all) = match there.is_empty() {
                    true if alike.empty == count => (count, None),
                    false if !item.can_stack_with(there) => (0, Some(alike.taken(slot))),
                    _ => self.offer_of_slot(item, (source, count), spot, (nested, allowed, borne)),
                };
                room.push(SlotRoom { slot, takes, why_not_all });
                continue;
            }
            let (takes, why_not_all) = match entering {
                _ if spot == source && stuck.is_none() => (count, None),
                Some(cause) => (0, Some(cause)),
                None => self.offer_of_slot(item, (source, count), spot, (nested, allowed, borne)),
            };
            room.push(SlotRoom { slot, takes, why_not_all });
        }
    }

    /// What a slot has to say where slots have borders, worked out as a move is.
    fn offer_across_borders(&mut self, item: Item, (source, count): (Spot, u32), spot: Spot) -> (u32, Option<Cause>) {
        let barred = self.actor.and_then(|_| self.why_not_from_to(source.into(), spot.into(), false));
        if barred.is_some() || spot == source {
            return (if barred.is_some() { 0 } else { count }, barred);
        }
        let (cell, going) = (self.cell(source), Going::To(Target::Slot(spot)));
        let stuck = self.is_stuck(cell, source, going);
        let takes = if stuck { 0 } else { self.fill(item, count, Some(source), Target::Slot(spot)) };
        self.parts().clear();
        if takes == count {
            return (takes, None);
        }
        let full = Cause::NoRoom { at: self.place_of_spot(spot), requested: u64::from(count), room: u64::from(takes) };
        let cause = self.why_not(&[Portion { item, count, from: Some(source) }], going);
        (takes, Some(cause.unwrap_or(full)))
    }

    /// What all slots without rules of their own have to say, empty or taken by something else.
    fn offers_of_alike_slots(
        &self,
        item: Item,
        (source, count): (Spot, u32),
        container: u32,
        (allowed, borne): (u32, Option<Cause>),
    ) -> Alike {
        let state = self.state(container);
        let beyond = Spot { container, slot: state.ruled };
        let limit = self.limit(beyond, item.kind);
        let limit_there = self.limit(source, item.kind);
        // A stack over its limit moves whole to a slot where its excess is no larger; each slot
        // decides on its own.
        let room = if count > limit_there { 0 } else { limit };
        Alike {
            container: self.container_id(container),
            kind: self.world.rules.kind_id(item.kind),
            empty: count.min(allowed).min(room),
            requested: count,
            limit,
            is_over: count > limit && (count <= limit_there || limit < limit_there),
            borne,
        }
    }

    fn offer_of_slot(
        &self,
        item: Item,
        (source, count): (Spot, u32),
        spot: Spot,
        (nested, allowed, borne): (Option<Cause>, u32, Option<Cause>),
    ) -> (u32, Option<Cause>) {
        let at = || self.place_of_spot(spot);
        if !self.slot_admits(item, spot) {
            return (0, Some(Cause::NotAdmitted { by: at(), kind: self.world.rules.kind_id(item.kind) }));
        }
        if nested.is_some() {
            return (0, nested);
        }
        if self.is_blocked(item, spot, Some(source), true) {
            return (0, Some(Cause::BlockedSlot(at())));
        }
        let there = self.cell(spot);
        let fits_onto = self.takes_onto(there, item);
        // As for placed items: only a whole stack may exceed a limit.
        let allowed = count.min(allowed);
        let room = if fits_onto { self.room_for(item, allowed, Some(source), spot) } else { 0 };
        let takes = allowed.min(room);
        if takes == count {
            return (takes, None);
        }
        let blocked = takes > 0 && self.is_blocked(item, spot, Some(source), false);
        let cause = borne.unwrap_or_else(|| {
            let full = Cause::NoRoom { at: at(), requested: u64::from(count), room: u64::from(takes) };
            self.why_not_in_slot(Portion { item, count, from: Some(source) }, spot).unwrap_or(full)
        });
        (if blocked { 0 } else { takes }, Some(cause))
    }
}
