//! What a target takes of an item, and where; and why it does not take more.

use smallvec::SmallVec;

use super::allowed::{Bar, Edge, Point};
use super::draft::{Draft, Item, Onto};
use super::limits::may_lie_whole;
use super::refusal::{Cause, Refusal, Unknown};
use crate::ruleset::{Border, FilterId, NO_PACK, PutMode, Right};
use crate::world::{Bearer, Cell, Place, Spot};

/// The target of items.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Target {
    Slot(Spot),
    Container(u32),
    /// Its containers, in order, but not those that are worn.
    Holder(u32),
    Ground,
}

impl Draft<'_> {
    /// Looks up the target of items.
    pub(super) fn target(&self, place: Place) -> Result<Target, Refusal> {
        match place {
            Place::Slot(..) => self.slot(place).map(Target::Slot),
            Place::Container(id) if self.has_container(id) => Ok(Target::Container(id.index)),
            Place::Holder(id) if self.has_holder(id) => Ok(Target::Holder(id.index)),
            Place::Hand(holder) => Ok(Target::Slot(self.hand(Some(holder))?.1)),
            Place::Ground => Ok(Target::Ground),
            Place::OnGround(_) | Place::Shortcut(..) => Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
            Place::Container(_) | Place::Holder(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
        }
    }

    /// Works out the targets of up to `want` items, as parts; returns the number that fits.
    pub(super) fn fill(&mut self, item: Item, want: u32, source: Option<Spot>, target: Target) -> u32 {
        match target {
            Target::Slot(spot) => self.fill_slot(item, want, source, spot),
            Target::Container(container) => self.fill_container(item, want, source, container),
            Target::Holder(holder) => self.fill_holder(item, want, source, holder),
            Target::Ground => self.fill_ground(item, want, source),
        }
    }

    /// What the container of a target tries when something is put there from a hand.
    pub(super) fn ways_into(&self, target: Target) -> Vec<PutMode> {
        let container = match target {
            Target::Slot(spot) => spot.container,
            Target::Container(container) => container,
            Target::Holder(_) | Target::Ground => return PutMode::ALL.to_vec(),
        };
        let def = self.world.rules.containers().get(self.state(container).def as usize);
        def.map_or_else(|| PutMode::ALL.to_vec(), |def| def.on_put.clone())
    }

    pub(super) fn place_of_target(&self, target: Target) -> Place {
        match target {
            Target::Slot(spot) => self.place_of_spot(spot),
            Target::Container(container) => Place::Container(self.container_id(container)),
            Target::Holder(holder) => Place::Holder(self.world.holder_id(holder)),
            Target::Ground => Place::Ground,
        }
    }

    fn fill_slot(&mut self, item: Item, want: u32, source: Option<Spot>, spot: Spot) -> u32 {
        if !self.may_enter(item, source, spot.container)
            || !self.slot_admits(item, spot)
            || !self.slot_lets_in(source, spot)
            || !self.takes_onto(self.cell(spot), item)
            || self.is_blocked(item, spot, source, self.takes_whole(source, want))
        {
            return 0;
        }
        // What may go beyond a limit goes whole; what the caps leave of it is a part, and that is
        // within the limit.
        let allowed = want.min(self.allowance(item, source, spot.container));
        let given = allowed.min(self.room_for(item, allowed, source, spot));
        // What stays behind may block the slot.
        if given == 0 || given < want && self.is_blocked(item, spot, source, false) {
            return 0;
        }
        self.parts().push((spot, given));
        given
    }

    /// Whether a number is the whole source.
    #[inline]
    pub(super) fn takes_whole(&self, source: Option<Spot>, want: u32) -> bool {
        source.is_some_and(|source| self.cell(source).count <= want)
    }

    /// Whether the contents of a slot allow placing items there.
    pub(super) fn takes_onto(&self, there: Cell, item: Item) -> bool {
        let alike = item.can_stack_with(there);
        match self.onto() {
            Onto::Any => there.is_empty() || alike,
            Onto::Alike => alike,
            Onto::OneEmpty => there.is_empty(),
        }
    }

    /// How many more a slot holds that is empty or has an alike stack. A stack that is over its
    /// limit already may go whole to a slot where it is no further over.
    pub(super) fn room_for(&self, item: Item, want: u32, source: Option<Spot>, spot: Spot) -> u32 {
        let limit = self.limit(spot, item.kind);
        let there = self.cell(spot).count;
        let whole = source.filter(|&source| there == 0 && self.cell(source).count == want);
        let lies_whole = |source| may_lie_whole(want, limit, self.limit(source, item.kind));
        if whole.is_some_and(lies_whole) { want } else { limit.saturating_sub(there) }
    }

    fn fill_holder(&mut self, item: Item, want: u32, source: Option<Spot>, holder: u32) -> u32 {
        let mut given = 0;
        for container in self.targets_of(holder) {
            given += self.fill_container(item, want - given, source, container);
            if given == want {
                break;
            }
        }
        given
    }

    /// The targets of items that a holder takes: the holder's containers in order; of worn ones
    /// only the insides of the packs there. Containers that the acting holder can't reach are
    /// skipped.
    pub(super) fn targets_of(&self, holder: u32) -> SmallVec<[u32; 8]> {
        let mut targets = self.all_targets_of(holder);
        targets.retain(|container| self.is_reachable(*container));
        targets
    }

    /// The same, be they open to the holder that acts or not.
    pub(super) fn all_targets_of(&self, holder: u32) -> SmallVec<[u32; 8]> {
        let mut targets = SmallVec::new();
        for &container in self.world.containers_of(holder) {
            if self.world.def_of(container).is_worn() {
                targets.extend(self.cells_in(container).filter(|cell| cell.is_pack()).map(|cell| cell.inner));
            } else {
                targets.push(container);
            }
        }
        targets
    }

    fn fill_container(&mut self, item: Item, want: u32, source: Option<Spot>, container: u32) -> u32 {
        if !self.may_enter(item, source, container) {
            return 0;
        }
        let want = want.min(self.allowance(item, source, container));
        if want == 0 {
            return 0;
        }
        let start = self.laid().len();
        let whole = self.takes_whole(source, want);
        let given = self.lay_in_container(item, want, source, whole, container);
        if whole && given < want && !self.world.rules.needs.is_empty() {
            // What stays behind may block slots.
            self.parts().truncate(start);
            return self.lay_in_container(item, want, source, false, container);
        }
        given
    }

    pub(super) fn lay_in_container(
        &mut self,
        item: Item,
        want: u32,
        source: Option<Spot>,
        whole: bool,
        container: u32,
    ) -> u32 {
        let mut left = want;
        self.each_slot_with_room(item, source, whole, container, |draft, spot, room| {
            let given = left.min(room);
            if given > 0 {
                draft.parts().push((spot, given));
            }
            left -= given;
            left > 0
        });
        want - left
    }

    /// The slots of a container that would take some of an item, in order of placement, with the
    /// number for each. Continues while `go_on` returns true.
    fn each_slot_with_room(
        &mut self,
        item: Item,
        source: Option<Spot>,
        whole: bool,
        container: u32,
        mut go_on: impl FnMut(&mut Self, Spot, u32) -> bool,
    ) {
        let mut from = 0;
        // Of a kind that does not stack, no stack has room for more.
        let stacks = self.world.rules.figures[item.kind as usize].stack_limit > 1 && self.onto() != Onto::OneEmpty;
        while let Some(slot) = if stacks { self.next_with_room(container, item, from) } else { None } {
            from = slot + 1;
            let spot = Spot { container, slot };
            let blocked = |draft: &Self| draft.is_blocked(item, spot, source, whole);
            if source == Some(spot) || !self.is_open_slot(item, source, spot) || blocked(self) {
                continue;
            }
            let room = self.limit(spot, item.kind) - self.cell(spot).count;
            if !go_on(self, spot, room) {
                return;
            }
        }
        if self.onto() == Onto::Alike {
            return;
        }
        let (reserved_first, ruled) = (self.state(container).reserved_first, self.state(container).ruled);
        let is_reserved = |draft: &Self, slot| draft.state(container).slot_filter(&draft.world.rules, slot).is_some();
        // Slots with their own filter come first, if the container requires it.
        let mut reserved = reserved_first;
        let mut from = 0;
        loop {
            let empty = self.next_empty(container, from).filter(|&slot| !reserved || slot < ruled);
            let Some(slot) = empty else {
                if !std::mem::take(&mut reserved) {
                    return;
                }
                from = 0;
                continue;
            };
            from = slot + 1;
            if reserved_first && reserved != is_reserved(self, slot) {
                continue;
            }
            let spot = Spot { container, slot };
            let blocked = |draft: &Self| draft.is_blocked(item, spot, source, whole);
            if source == Some(spot) || !self.is_open_slot(item, source, spot) || blocked(self) {
                continue;
            }
            let room = self.limit(spot, item.kind);
            if !go_on(self, spot, room) || self.onto() == Onto::OneEmpty {
                return;
            }
        }
    }

    /// On the ground each stack lands as its own: a whole one as it is, others in portions within
    /// the kind's limit.
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

    /// Whether a container and the containers around it let items in.
    #[inline]
    pub(super) fn may_enter(&self, item: Item, source: Option<Spot>, container: u32) -> bool {
        if source.is_some_and(|source| source.container == container) {
            return true;
        }
        // Around most containers there is nothing, and most items are no packs.
        if self.world.is_lasting(container) && self.world.rules.figures[item.kind as usize].pack == NO_PACK {
            let state = self.world.state(container);
            let closed = !self.may_put(Edge::Container(container))
                && (source.is_some() || self.actor.is_some())
                && !self.is_inside_already(source, container);
            return !closed && self.admits(state.admits, item);
        }
        self.why_not_put(source, container).is_none()
            && self.not_admitting(item, source, container).is_none()
            && self.why_not_nested(item, source, container).is_none()
    }

    /// The outermost containers around one are those in which the source lies too: of them nothing
    /// passes the border.
    #[inline]
    fn is_inside_already(&self, source: Option<Spot>, container: u32) -> bool {
        source.is_some_and(|source| self.is_within(source.container, container))
    }

    /// The borders that items cross which come into a place, from the inside out. What the game
    /// creates crosses none.
    fn entered(&self, source: Option<Spot>, to: Point) -> SmallVec<[Edge; 4]> {
        let crosses = source.is_some() || self.actor.is_some();
        if crosses { self.crossed(to, source.map(Point::from)) } else { SmallVec::new() }
    }

    /// The first border of a container, or of one around it, that the actor may not cross.
    fn why_not_put(&self, source: Option<Spot>, container: u32) -> Option<Cause> {
        let entered = self.entered(source, Point::whole(container));
        let closed = entered.into_iter().find(|&edge| !self.may_put(edge))?;
        Some(match self.bar_at(Right::Put, closed) {
            Some(Bar::Others) => self.not_allowed(Right::Put, closed),
            _ => Cause::NoPut(self.place_of_edge(closed)),
        })
    }

    /// Whether the actor is one of those who may put items into a container, or nobody may.
    pub(super) fn is_among_places(&self, source: Option<Spot>, container: u32) -> bool {
        !matches!(self.why_not_put(source, container), Some(Cause::NotAllowed { .. }))
            && self.why_not_entering_by(source.map(Point::from), Point::whole(container)).is_none()
    }

    /// The borders that nobody may cross, from the inside out.
    pub(super) fn all_not_put(&self, source: Option<Spot>, to: Point) -> impl Iterator<Item = Cause> {
        let closed = |&edge: &Edge| !self.may_put(edge) && self.bar_at(Right::Put, edge) == Some(Bar::Nobody);
        self.entered(source, to).into_iter().filter(closed).map(|edge| Cause::NoPut(self.place_of_edge(edge)))
    }

    /// Whether a slot's own border lets items in.
    #[inline]
    pub(super) fn slot_lets_in(&self, source: Option<Spot>, spot: Spot) -> bool {
        let crosses = source != Some(spot) && (source.is_some() || self.actor.is_some());
        !crosses || self.may_put(Edge::Slot(spot))
    }

    /// True for a container outside packs that lets everything in and out.
    #[inline]
    pub(super) fn is_plain_border(&self, container: u32) -> bool {
        let state = self.state(container);
        let is_plain = state.borders[..2] == [Border::Anyone; 2] && !state.has_slot_borders;
        self.world.is_lasting(container) && is_plain
    }

    /// The first container whose filter rejects the item: the entered one, then the deep ones
    /// around it.
    pub(super) fn not_admitting(&self, item: Item, source: Option<Spot>, container: u32) -> Option<u32> {
        self.all_not_admitting(item, source, container).next()
    }

    /// All of them.
    pub(super) fn all_not_admitting(
        &self,
        item: Item,
        source: Option<Spot>,
        container: u32,
    ) -> impl Iterator<Item = u32> {
        // Moving inside a container is not entering it.
        let entered = Some(container).filter(|_| source.is_none_or(|source| source.container != container));
        let own = entered.filter(|&at| !self.admits(self.state(at).admits, item));
        let around = self.containers_around(entered).take_while(move |&at| !self.is_inside_already(source, at));
        let deep = around.filter(move |&at| {
            let state = self.state(at);
            state.deep && !self.admits_all(state.admits, item)
        });
        own.into_iter().chain(deep)
    }

    /// Whether a filter admits an item and its contents.
    fn admits_all(&self, filter: Option<FilterId>, item: Item) -> bool {
        let refused = |cell: Cell| !self.admits(filter, self.item(cell));
        self.admits(filter, item) && (!item.is_pack() || self.find_within(item.inner, &refused).is_none())
    }

    /// A pack can't be inside itself, and packs nest up to the limit.
    #[inline]
    pub(super) fn why_not_nested(&self, item: Item, source: Option<Spot>, container: u32) -> Option<Cause> {
        let is_new_pack = source.is_none() && self.world.rules.figures[item.kind as usize].pack != NO_PACK;
        if !item.is_pack() && !is_new_pack {
            return None;
        }
        if item.is_pack() && self.is_within(container, item.inner) {
            return Some(Cause::InsideItself(self.world.rules.kind_id(item.kind)));
        }
        let (depth, most) = (self.depth(container), self.world.rules.nesting());
        if source.is_some_and(|source| depth <= self.depth(source.container)) {
            return None;
        }
        let would = depth + if item.is_pack() { self.height(item.inner) } else { 1 };
        (would > most).then_some(Cause::TooDeep { would, max: most })
    }

    /// Whether placement in a container uses a slot.
    #[inline]
    fn is_open_slot(&self, item: Item, source: Option<Spot>, spot: Spot) -> bool {
        !self.is_passed_over(spot) && self.slot_admits(item, spot) && self.slot_lets_in(source, spot)
    }

    #[inline]
    pub(super) fn slot_admits(&self, item: Item, spot: Spot) -> bool {
        self.admits(self.state(spot.container).slot_filter(&self.world.rules, spot.slot), item)
    }

    // The reason.

    /// It would not be admitted even if all slots were empty.
    pub(super) fn why_not_admitted(&self, item: Item, source: Option<Spot>, container: u32) -> Option<Cause> {
        if let Some(cause) = self.why_not_entering(item, source, container) {
            return Some(cause);
        }
        let by = Place::Container(self.container_id(container));
        (!self.any_slot_admits(item, container))
            .then_some(Cause::NotAdmitted { by, kind: self.world.rules.kind_id(item.kind) })
    }

    /// Whether one of its slots would admit an item if all were empty.
    pub(super) fn any_slot_admits(&self, item: Item, container: u32) -> bool {
        let slots = self.slots(container) as usize;
        let ruled = self.ruled(container);
        ruled.len() < slots || ruled.iter().take(slots).any(|rule| self.admits(rule.admits, item))
    }

    /// Putting in is forbidden, or a container's filter rejects the item.
    pub(super) fn why_not_entering(&self, item: Item, source: Option<Spot>, container: u32) -> Option<Cause> {
        let place = |container| Place::Container(self.container_id(container));
        if let Some(closed) = self.why_not_put(source, container) {
            return Some(closed);
        }
        let refusing = self.not_admitting(item, source, container)?;
        Some(Cause::NotAdmitted { by: place(refusing), kind: self.world.rules.kind_id(item.kind) })
    }

    /// It would nest too deep, or something would carry too much: first by the caps of everything
    /// that would carry it, from the inside out, then by weight.
    pub(super) fn why_not_borne(
        &self,
        item: Item,
        requested: u64,
        source: Option<Spot>,
        container: u32,
    ) -> Option<Cause> {
        if let Some(cause) = self.why_not_nested(item, source, container) {
            return Some(cause);
        }
        if self.checks_caps_later() {
            return None;
        }
        let bearers = self.new_bearers(source.map(|source| source.container), container);
        let of_all = |of_one: i64| i128::from(of_one) * i128::from(requested);
        let over_cap = |bearer| self.over_caps(bearer, |number| of_all(self.counted(item, 1, number))).next();
        let too_heavy = |&bearer: &Bearer| self.too_heavy(bearer, of_all(item.weight));
        bearers.iter().copied().find_map(over_cap).or_else(|| bearers.iter().find_map(too_heavy))
    }
}
