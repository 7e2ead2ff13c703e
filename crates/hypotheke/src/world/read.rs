//! Reading a world.

use std::fmt;
use std::sync::Arc;

use smallvec::SmallVec;

use super::{
    Bearer, Cell, Class, ClassKey, ContainerState, GROUND, HolderState, Inner, NONE, Origin, PerKind, Place, Presence,
    Spot, Tally, World,
};
use crate::id::{ContainerId, HolderId, KindId, MarkId, StackId};
use crate::language::Position;
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{Cap, ContainerDef, FilterId, HolderDef, Kind, PropertyValue, Ruleset};
use crate::snapshot::Stray;

/// A stack as it lies somewhere.
#[derive(Clone, Copy, Debug)]
pub struct StackView<'w> {
    pub(crate) world: &'w World,
    pub(crate) cell: Cell,
}

/// A slot of a container and what lies there.
#[derive(Clone, Copy, Debug)]
pub struct SlotView<'w> {
    world: &'w World,
    spot: Spot,
}

impl World {
    /// The ruleset by which the world is played.
    #[must_use]
    pub fn rules(&self) -> &Arc<Ruleset> {
        &self.rules
    }

    /// How many operations were applied.
    #[must_use]
    pub fn revision(&self) -> u64 {
        self.revision
    }

    /// The handles of all containers: those that stand in the world, then those that holders carry. The insides of packs
    /// are not among them; [`StackView::inside`] gives those.
    pub fn containers(&self) -> impl Iterator<Item = ContainerId> + '_ {
        let carried = self.present.iter().flat_map(|&(_, holder)| &self.holders[holder as usize].containers);
        let standing = self.standing.iter().map(|(_, index)| index);
        standing.chain(carried).map(|&index| self.container_id(index))
    }

    /// The handles of all holders, in the order in which they came.
    pub fn holders(&self) -> impl Iterator<Item = HolderId> + '_ {
        self.present.iter().map(|&(_, index)| self.holder_id(index))
    }

    /// A container by its name: `sled`, `locker-a`, `surveyor.pockets`.
    #[must_use]
    pub fn container(&self, name: &str) -> Option<ContainerId> {
        let index = *self.container_names.get(name)?;
        (index != GROUND).then(|| self.container_id(index))
    }

    /// A holder by its name.
    #[must_use]
    pub fn holder(&self, name: &str) -> Option<HolderId> {
        self.holder_names.get(name).map(|&index| self.holder_id(index))
    }

    pub(crate) fn container_id(&self, index: u32) -> ContainerId {
        ContainerId { index, since: self.containers[index as usize].since }
    }

    pub(crate) fn holder_id(&self, index: u32) -> HolderId {
        HolderId { index, since: self.holders[index as usize].since }
    }

    /// The handle of the next container that is brought under a number.
    pub(crate) fn container_to_be(&self, index: u32) -> ContainerId {
        ContainerId { index, since: self.now.moment() }
    }

    /// The handle of the next holder that is brought under a number.
    pub(crate) fn holder_to_be(&self, index: u32) -> HolderId {
        HolderId { index, since: self.now.moment() }
    }

    /// The container of a name, be it the ground or a hand.
    pub(crate) fn lasting(&self, name: &str) -> Option<u32> {
        let hand = || self.holder(name.strip_suffix(".hand")?).map(|holder| self.hand_of(holder.index));
        self.container_names.get(name).copied().or_else(hand)
    }

    /// Whether there is such a place in a container.
    pub(crate) fn has_spot(&self, spot: Spot) -> bool {
        let state = self.containers.get(spot.container as usize);
        spot.is_ground() || state.is_some_and(|state| spot.slot < state.slots)
    }

    /// Whether a holder has not departed.
    pub(crate) fn is_present(&self, holder: u32) -> bool {
        self.holders[holder as usize].is_there
    }

    /// None for a handle of another world or of a container that has gone.
    #[inline]
    fn container_state(&self, id: ContainerId) -> Option<&ContainerState> {
        let state = self.containers.get(id.index as usize)?;
        let there = state.is_there();
        // The ground and hands have no definition.
        (there && state.def != NONE && state.since == id.since).then_some(state)
    }

    #[inline]
    fn holder_state(&self, id: HolderId) -> Option<&HolderState> {
        let state = self.holders.get(id.index as usize)?;
        (state.is_there && state.since == id.since).then_some(state)
    }

    /// True if the handle belongs to this world and its container is there.
    #[must_use]
    #[inline]
    pub fn has_container(&self, id: ContainerId) -> bool {
        self.container_state(id).is_some()
    }

    /// Whether a handle belongs to a container that is there and is neither a hand nor the inside of a pack.
    #[inline]
    pub(crate) fn has_lasting(&self, id: ContainerId) -> bool {
        self.containers.get(id.index as usize).is_some_and(|state| {
            let there = state.presence == Presence::Lasting && state.since == id.since;
            there && state.def != NONE
        })
    }

    /// True if a container stands in the world: no holder carries it, and it is not the inside of a pack.
    #[must_use]
    pub fn stands(&self, id: ContainerId) -> bool {
        self.has_lasting(id) && self.state(id.index).holder == NONE
    }

    /// The state of a container in which nothing but filters, stack limits and caps can stand in the way of plain
    /// stacks, if it is there and not the inside of a pack.
    #[inline(always)]
    pub(crate) fn plain_state(&self, id: ContainerId) -> Option<&ContainerState> {
        let state = self.containers.get(id.index as usize)?;
        let there = state.is_simple && state.presence == Presence::Lasting;
        (there && state.since == id.since).then_some(state)
    }

    /// True if the handle belongs to this world and its holder is there.
    #[must_use]
    #[inline]
    pub fn has_holder(&self, id: HolderId) -> bool {
        self.holder_state(id).is_some()
    }

    /// What paths call a container: `sled`, `surveyor.pockets`, `surveyor.harness/back/` for the inside of the pack that
    /// lies there; empty for a handle that is not of this world.
    #[must_use]
    pub fn container_name(&self, id: ContainerId) -> String {
        self.container_state(id).map_or_else(String::new, |_| self.name_of(id.index))
    }

    /// What paths call a holder; empty for a handle that is not of this world.
    #[must_use]
    pub fn holder_name(&self, id: HolderId) -> &str {
        self.holder_state(id).map_or("", |state| &state.name)
    }

    /// The definition of a container.
    #[must_use]
    pub fn container_def(&self, id: ContainerId) -> Option<&ContainerDef> {
        self.container_state(id).map(|state| self.rules.container(self.rules.container_def_id(state.def)))
    }

    /// The definition of a holder.
    #[must_use]
    pub fn holder_def(&self, id: HolderId) -> Option<&HolderDef> {
        self.holder_state(id).map(|state| self.rules.holder(self.rules.holder_def_id(state.def)))
    }

    /// The holder that carries a container, or the pack whose inside it is.
    #[must_use]
    pub fn carrier(&self, id: ContainerId) -> Option<HolderId> {
        self.container_state(id)?;
        self.holder_of(id.index).map(|holder| self.holder_id(holder))
    }

    /// Where the pack lies whose inside a container is; none if it is not the inside of a pack.
    #[must_use]
    pub fn place_of_pack(&self, id: ContainerId) -> Option<Place> {
        match self.container_state(id)?.parent {
            Spot::NOWHERE => None,
            spot if spot.is_ground() => Some(Place::OnGround(StackId(self.ground.get(spot.slot).id))),
            spot => Some(self.place_of_spot(spot)),
        }
    }

    /// The containers that a holder carries, in the order in which they are tried.
    pub fn carried(&self, id: HolderId) -> impl Iterator<Item = ContainerId> + '_ {
        let containers = self.holder_state(id).map_or(&[][..], |state| &state.containers);
        containers.iter().map(|&index| self.container_id(index))
    }

    /// The stack in a holder's hand.
    #[must_use]
    pub fn hand(&self, id: HolderId) -> Option<StackView<'_>> {
        let cell = self.cell(Spot { container: self.holder_state(id)?.hand, slot: 0 });
        (!cell.is_empty()).then_some(StackView { world: self, cell })
    }

    /// The slot from which the stack in a holder's hand came, if it came from one that is still there.
    #[must_use]
    pub fn hand_origin(&self, id: HolderId) -> Option<Place> {
        let origin = self.holder_state(id)?.origin?;
        self.has_container(origin.container).then_some(Place::Slot(origin.container, origin.slot))
    }

    /// At which kinds the shortcuts of a holder point, in order.
    #[must_use]
    pub fn shortcuts(&self, id: HolderId) -> impl ExactSizeIterator<Item = Option<KindId>> + '_ {
        self.holder_state(id).map_or(&[][..], |state| &state.shortcuts).iter().copied()
    }

    /// True if a holder has opened a container. Its own containers are always open to it, without that.
    #[must_use]
    pub fn has_opened(&self, holder: HolderId, container: ContainerId) -> bool {
        self.has_holder(holder) && self.has_container(container) && self.is_open(holder.index, container.index)
    }

    /// The weight of all that lies in a container.
    #[must_use]
    pub fn container_weight(&self, id: ContainerId) -> Decimal {
        Decimal::from_thousandths(self.container_state(id).map_or(0, |state| state.weight))
    }

    /// The weight of all that a holder carries.
    #[must_use]
    pub fn holder_weight(&self, id: HolderId) -> Decimal {
        Decimal::from_thousandths(self.holder_state(id).map_or(0, |state| state.weight))
    }

    /// The highest of its thresholds of weight that a holder has reached, such as `laden`.
    #[must_use]
    pub fn burden(&self, id: HolderId) -> Option<&str> {
        let weight = self.holder_weight(id);
        self.holder_def(id)?.burden().take_while(|(from, _)| *from <= weight).last().map(|(_, label)| label)
    }

    /// What a holder has of an attribute: what lies in the slots of its worn containers adds to it, each item by itself.
    #[must_use]
    pub fn attribute(&self, id: HolderId, name: &str) -> Decimal {
        let worn = self.carried(id).filter(|&container| self.def_of(container.index).is_worn());
        let stacks = worn.flat_map(|container| self.stacks(container)).map(|(_, stack)| stack);
        let granted = |stack: StackView<'_>| {
            let own = stack.kind().attributes().find(|(known, _)| *known == name);
            own.map_or(0, |(_, each)| each.thousandths().saturating_mul(i64::from(stack.count())))
        };
        Decimal::from_thousandths(stacks.map(granted).fold(0, i64::saturating_add))
    }

    /// The weight of all that lies on the ground.
    #[must_use]
    pub fn ground_weight(&self) -> Decimal {
        Decimal::from_thousandths(self.ground.weight)
    }

    /// The weight of all that there is, in thousandths.
    pub(crate) fn whole_weight(&self) -> i64 {
        self.whole_weight
    }

    /// How many slots of a container are empty. One that is blocked by an item in another slot is not.
    #[must_use]
    pub fn free_slots(&self, id: ContainerId) -> u32 {
        self.container_state(id).map_or(0, |state| state.slots - state.taken - self.blocked_slots(id))
    }

    /// How many slots without a stack are blocked by items in other slots.
    fn blocked_slots(&self, id: ContainerId) -> u32 {
        let def = self.container_def(id).filter(|_| !self.rules.needs.is_empty());
        let ruled = def.map_or(&[][..], |def| &def.ruled);
        let is_empty = |slot: usize| self.stack_at(id, slot).is_none();
        let blocks = |name: &str, slot: usize| {
            let Some(stack) = self.stack_at(id, slot) else { return false };
            let needs = self.rules.figures[stack.kind().handle().index()].needs;
            let needs = self.rules.needs.get(needs as usize).map_or(&[][..], Vec::as_slice);
            let needed = |name: &str| needs.iter().any(|need| **need == *name);
            // Where it is in a slot that it does not name it takes only that.
            needed(name) && ruled.get(slot).and_then(|rule| rule.name.as_deref()).is_some_and(needed)
        };
        let blocked = ruled.iter().enumerate().filter(|(slot, rule)| {
            let is_blocked = |name: &str| (0..ruled.len()).any(|other| other != *slot && blocks(name, other));
            is_empty(*slot) && rule.name.as_deref().is_some_and(is_blocked)
        });
        u32::try_from(blocked.count()).unwrap_or(0)
    }

    fn stack_at(&self, id: ContainerId, slot: usize) -> Option<StackView<'_>> {
        self.stack(id, u32::try_from(slot).ok()?)
    }

    /// The slots of a container, in order.
    #[must_use]
    pub fn slots(&self, id: ContainerId) -> impl ExactSizeIterator<Item = SlotView<'_>> {
        let slots = self.container_state(id).map_or(0, |state| state.slots);
        (0..slots).map(move |slot| SlotView { world: self, spot: Spot { container: id.index, slot } })
    }

    /// The stack in a slot; none if it is empty or not there.
    #[must_use]
    #[inline]
    pub fn stack(&self, id: ContainerId, slot: u32) -> Option<StackView<'_>> {
        let state = self.container_state(id).filter(|state| slot < state.slots)?;
        let cell = self.cells[(state.base + slot) as usize];
        (!cell.is_empty()).then_some(StackView { world: self, cell })
    }

    /// The stacks in a container, in slot order.
    pub fn stacks(&self, id: ContainerId) -> impl Iterator<Item = (u32, StackView<'_>)> {
        let mut from = self.has_container(id).then_some(0);
        std::iter::from_fn(move || {
            let slot = self.next_taken(id.index, from?)?;
            from = slot.checked_add(1);
            Some((slot, StackView { world: self, cell: self.cell(Spot { container: id.index, slot }) }))
        })
    }

    /// The stacks on the ground and their positions, in order of landing.
    pub fn ground(&self) -> impl Iterator<Item = (StackView<'_>, Position)> {
        let mut from = Some(0);
        std::iter::from_fn(move || {
            let landing = self.ground.next(from?)?;
            from = landing.checked_add(1);
            Some((StackView { world: self, cell: self.ground.get(landing) }, self.ground.position(landing)))
        })
    }

    /// What is kept aside, because an earlier ruleset knew it and this one does not.
    #[must_use]
    pub fn strays(&self) -> &[Stray] {
        &self.strays
    }

    /// How many items of a kind came into the world and left it.
    #[must_use]
    pub fn tally(&self, kind: KindId) -> Tally {
        if !self.rules.has_kind(kind) {
            return Tally::default();
        }
        let (created, consumed) = self.tallies.get(kind.index()).unwrap_or_default();
        let (arrived, departed) = self.travelled.get(&kind).copied().unwrap_or_default();
        Tally { created, consumed, arrived, departed }
    }

    /// The container that an event of the latest operation moved with its pack; none if it was no pack.
    #[must_use]
    pub fn inside_of(&self, inner: Inner) -> Option<ContainerId> {
        let there = inner.0 != GROUND && inner.0 < self.container_count();
        there.then(|| self.container_id(inner.0))
    }

    /// Where one stack may lie: a slot, a hand, or the place of a stack on the ground.
    pub(crate) fn spot_of_place(&self, place: Place) -> Option<Spot> {
        match place {
            Place::Slot(id, slot) => {
                self.container_state(id).filter(|state| slot < state.slots)?;
                Some(Spot { container: id.index, slot })
            }
            Place::Hand(id) => Some(Spot { container: self.holder_state(id)?.hand, slot: 0 }),
            Place::OnGround(stack) => Some(Spot { container: GROUND, slot: self.ground.landing_of(stack.0)? }),
            _ => None,
        }
    }

    // What operations read. Indexes have been checked.

    #[inline]
    pub(crate) fn cell(&self, spot: Spot) -> Cell {
        if spot.is_ground() {
            return self.ground.get(spot.slot);
        }
        self.cell_in(self.state(spot.container), spot.slot)
    }

    /// What lies in a slot of a container that is not the ground.
    #[inline(always)]
    pub(crate) fn cell_in(&self, state: &ContainerState, slot: u32) -> Cell {
        self.cells[(state.base + slot) as usize]
    }

    pub(crate) fn slot_count(&self, container: u32) -> u32 {
        self.containers[container as usize].slots
    }

    /// Whether a container is there, be it the ground or a hand.
    pub(crate) fn is_there(&self, container: u32) -> bool {
        self.state(container).is_there()
    }

    /// Whether a container is not the inside of a pack, so that nothing lies around it.
    #[inline]
    pub(crate) fn is_lasting(&self, container: u32) -> bool {
        self.containers.get(container as usize).is_some_and(|state| state.presence == Presence::Lasting)
    }

    #[inline]
    pub(crate) fn state(&self, container: u32) -> &ContainerState {
        &self.containers[container as usize]
    }

    /// How many containers there are, the ground and those that wait among them.
    pub(crate) fn container_count(&self) -> u32 {
        narrow::index(self.containers.len())
    }

    /// Whether a container waits to be brought.
    pub(crate) fn waits(&self, container: u32) -> bool {
        self.waiting.contains(&(self.state(container).def, container))
    }

    /// The holders that wait to be brought.
    pub(crate) fn waiting_holders(&self) -> impl Iterator<Item = u32> + '_ {
        self.waiting_holders.iter().copied()
    }

    /// The containers of a definition that wait to be brought.
    pub(crate) fn waiting(&self, def: u32) -> impl Iterator<Item = u32> + '_ {
        self.waiting.range((def, 0)..=(def, u32::MAX)).map(|&(_, container)| container)
    }

    #[inline]
    pub(crate) fn def_of(&self, container: u32) -> &ContainerDef {
        &self.rules.containers()[self.containers[container as usize].def as usize]
    }

    #[inline]
    pub(crate) fn holder_of(&self, container: u32) -> Option<u32> {
        let mut state = self.containers.get(container as usize)?;
        if self.is_lasting(container) {
            return (state.holder != NONE).then_some(state.holder);
        }
        while state.parent != Spot::NOWHERE {
            state = &self.containers[state.parent.container as usize];
        }
        (state.holder != NONE).then_some(state.holder)
    }

    /// The hand of a holder, as a container of one slot.
    pub(crate) fn hand_of(&self, holder: u32) -> u32 {
        self.holders[holder as usize].hand
    }

    /// Whether a container is a hand, and so has no definition.
    pub(crate) fn is_hand(&self, container: u32) -> bool {
        container != GROUND && self.containers[container as usize].def == NONE
    }

    /// The kinds at which the shortcuts of a holder point.
    pub(crate) fn shortcuts_of(&self, holder: u32) -> &[Option<KindId>] {
        &self.holders[holder as usize].shortcuts
    }

    /// How many shortcuts a holder has.
    pub(crate) fn shortcut_count(&self, holder: u32) -> u32 {
        narrow::index(self.holders[holder as usize].shortcuts.len())
    }

    pub(crate) fn shortcut_of(&self, holder: u32, shortcut: u32) -> Option<KindId> {
        self.holders[holder as usize].shortcuts[shortcut as usize]
    }

    /// How many shortcuts point at a kind.
    pub(crate) fn bound(&self) -> u32 {
        self.bound
    }

    pub(crate) fn is_open(&self, holder: u32, container: u32) -> bool {
        self.opened.contains(&(container, holder))
    }

    /// The containers that are open, each with a holder that has opened it.
    pub(crate) fn opened(&self) -> impl Iterator<Item = (u32, u32)> + '_ {
        self.opened.iter().copied()
    }

    /// The insides of the packs that are there.
    pub(crate) fn packs(&self) -> impl Iterator<Item = ContainerId> + '_ {
        let brought = (0..self.container_count()).filter(|&index| self.is_there(index) && !self.is_lasting(index));
        brought.map(|index| self.container_id(index))
    }

    /// The inside of the pack with an id.
    pub(crate) fn inside_of_pack(&self, pack: StackId) -> Option<u32> {
        self.insides.get(&pack.0).copied()
    }

    /// The pack whose inside a container is.
    pub(crate) fn pack_around(&self, id: ContainerId) -> Option<StackId> {
        let parent = self.container_state(id)?.parent;
        (parent != Spot::NOWHERE).then(|| StackId(self.cell(parent).id))
    }

    /// The holders that have opened a container, in the order in which they came.
    pub(crate) fn openers(&self, container: u32) -> SmallVec<[u32; 4]> {
        let found = self.opened.range((container, 0)..=(container, u32::MAX)).map(|&(_, holder)| holder);
        let mut found: SmallVec<[u32; 4]> = found.collect();
        found.sort_by_key(|&holder| self.order_of_holder(holder));
        found
    }

    pub(crate) fn origin_of(&self, holder: u32) -> Option<Origin> {
        self.holders[holder as usize].origin
    }

    pub(crate) fn set_origin(&mut self, holder: u32, origin: Option<Origin>) {
        self.holders[holder as usize].origin = origin;
    }

    pub(crate) fn containers_of(&self, holder: u32) -> &[u32] {
        &self.holders[holder as usize].containers
    }

    pub(crate) fn holder_count(&self) -> u32 {
        narrow::index(self.holders.len())
    }

    /// What a container is called by itself, also when it has gone; nothing for the inside of a pack.
    pub(crate) fn own_name(&self, container: u32) -> &str {
        &self.state(container).name
    }

    /// What paths call a holder, be it one that has just departed.
    pub(crate) fn name_of_holder(&self, holder: u32) -> &str {
        &self.holders[holder as usize].name
    }

    /// Which of the ruleset's holders one is.
    pub(crate) fn def_of_holder(&self, holder: u32) -> usize {
        self.holders[holder as usize].def as usize
    }

    /// Weight and cap of a holder, in thousandths.
    pub(crate) fn holder_weight_and_cap(&self, holder: u32) -> (i64, i64) {
        let state = &self.holders[holder as usize];
        (state.weight, self.rules.holder(self.rules.holder_def_id(state.def)).weight_cap)
    }

    /// The most items of a kind in a slot.
    #[inline(always)]
    pub(crate) fn limit(&self, spot: Spot, kind: u32) -> u32 {
        if spot.is_ground() {
            return self.rules.figures[kind as usize].stack_limit;
        }
        self.state(spot.container).limit(&self.rules, kind, spot.slot)
    }

    /// The caps of a container.
    #[inline]
    pub(crate) fn caps_of_container(&self, container: u32) -> &[Cap] {
        self.rules.caps_of_container(self.state(container).def)
    }

    /// The caps of a holder.
    #[inline]
    pub(crate) fn caps_of_holder(&self, holder: u32) -> &[Cap] {
        &self.rules.holders()[self.holders[holder as usize].def as usize].caps
    }

    /// For each of the filters of all caps: how many items satisfy it.
    pub(crate) fn capped(&self, bearer: Bearer, number: u32) -> u64 {
        let capped = match bearer {
            Bearer::Container(container) => &self.containers[container as usize].capped,
            Bearer::Holder(holder) => &self.holders[holder as usize].capped,
        };
        capped.get(number as usize)
    }

    /// All slots of a container, taken or empty.
    pub(crate) fn slots_of(&self, container: u32) -> &[Cell] {
        self.cells_of(self.state(container))
    }

    /// Which of the ruleset's containers one is; none for the ground and for hands.
    pub(crate) fn def_number(&self, container: u32) -> Option<u32> {
        Some(self.state(container).def).filter(|&def| def != NONE)
    }

    /// At which kinds the shortcuts of a holder point, in order, be it one that has departed.
    pub(crate) fn kinds_bound_by(&self, holder: u32) -> &[Option<KindId>] {
        &self.holders[holder as usize].shortcuts
    }

    /// The kinds of which items were created or consumed, and some that never were.
    pub(crate) fn counted_kinds(&self) -> impl Iterator<Item = KindId> + '_ {
        let counted = self.tallies.counted_with(&self.tallies);
        counted.filter_map(|kind| u32::try_from(kind).ok().map(|kind| self.rules.kind_id(kind)))
    }

    /// Whether of each kind so many items are held as came into the world and did not leave it.
    pub(crate) fn accounts_for(&self, held: &PerKind<i128>) -> bool {
        let travelled = self.travelled.keys().map(|kind| kind.index());
        held.counted_with(&self.tallies).chain(travelled).all(|kind| {
            let (created, consumed) = self.tallies.get(kind).unwrap_or_default();
            let (arrived, departed) = match u32::try_from(kind) {
                Ok(kind) if !self.travelled.is_empty() => {
                    self.travelled.get(&self.rules.kind_id(kind)).copied().unwrap_or_default()
                }
                _ => (0, 0),
            };
            let due = i128::from(created) - i128::from(consumed) + i128::from(arrived) - i128::from(departed);
            held.get(kind) == Some(due)
        })
    }

    fn cells_of(&self, container: &ContainerState) -> &[Cell] {
        &self.cells[container.base as usize..(container.base + container.slots) as usize]
    }

    #[inline]
    pub(crate) fn next_empty(&self, container: u32, from: u32) -> Option<u32> {
        let state = &self.containers[container as usize];
        state.index.next_empty(state.slots, from)
    }

    #[inline]
    pub(crate) fn next_taken(&self, container: u32, from: u32) -> Option<u32> {
        if container == GROUND {
            return self.ground.next(from);
        }
        self.containers[container as usize].index.next_taken(from)
    }

    #[inline(always)]
    pub(crate) fn next_of_kind(&self, container: u32, kind: u32, from: u32) -> Option<u32> {
        if container == GROUND {
            return self.ground.next_of_kind(kind, from);
        }
        let state = &self.containers[container as usize];
        state.index.next_of_kind(self.cells_of(state), kind, from)
    }

    /// The next slot with a stack of the class that may still grow.
    #[inline(always)]
    pub(crate) fn next_with_room(&self, container: u32, kind: u32, class: u32, from: u32) -> Option<u32> {
        let state = &self.containers[container as usize];
        let limit = |slot| state.limit(&self.rules, kind, slot);
        state.index.next_with_room(self.cells_of(state), (kind, class), from, limit)
    }
}

/// The contents by names: `depot: 4 flare, 1 rope`.
impl fmt::Debug for World {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = |stacks: &mut dyn Iterator<Item = StackView<'_>>| {
            stacks.map(|stack| format!("{} {}", stack.count(), stack.kind().id())).collect::<Vec<_>>().join(", ")
        };
        let mut told = f.debug_struct("World");
        told.field("number", &self.number).field("revision", &self.revision);
        for id in self.containers().filter(|&id| self.free_slots(id) < self.slot_count(id.index)) {
            told.field(&self.container_name(id), &text(&mut self.stacks(id).map(|(_, stack)| stack)));
        }
        told.field("ground", &text(&mut self.ground().map(|(stack, _)| stack))).finish_non_exhaustive()
    }
}

impl<'w> SlotView<'w> {
    /// Its number, from 0.
    #[must_use]
    pub fn number(self) -> u32 {
        self.spot.slot
    }

    /// The container that it belongs to.
    #[must_use]
    pub fn container(self) -> ContainerId {
        self.world.container_id(self.spot.container)
    }

    /// Its name, if it has one.
    #[must_use]
    pub fn name(self) -> Option<&'w str> {
        let rule = self.world.def_of(self.spot.container).ruled.get(self.spot.slot as usize)?;
        rule.name.as_deref()
    }

    /// True if what lies there would not be admitted there now, because a mark or property of it has changed.
    #[must_use]
    pub fn is_misfit(self) -> bool {
        let cell = self.world.cell(self.spot);
        let (world, mut at) = (self.world, self.spot.container);
        let refuses = |filter: Option<FilterId>| {
            filter.is_some_and(|filter| !world.classes.admits(&world.rules, filter, cell.kind, cell.class))
        };
        let state = world.state(at);
        let mut misfit = refuses(state.slot_filter(&world.rules, self.spot.slot)) || refuses(state.admits);
        while world.state(at).parent != Spot::NOWHERE {
            at = world.state(at).parent.container;
            misfit |= world.state(at).deep && refuses(world.state(at).admits);
        }
        misfit && !cell.is_empty()
    }

    /// The stack in another slot because of which nothing can lie here: its kind needs this slot too.
    #[must_use]
    pub fn blocked_by(self) -> Option<StackView<'w>> {
        let name = self.name()?;
        let others = self.world.slots(self.container()).take(self.world.def_of(self.spot.container).ruled.len());
        let needs = |kind: Kind<'_>, slot: &str| kind.needs().any(|need| need == slot);
        let mut blocking = others.filter(|other| other.spot != self.spot).filter_map(|other| {
            let (own, stack) = (other.name()?, other.stack()?);
            (needs(stack.kind(), own) && needs(stack.kind(), name)).then_some(stack)
        });
        blocking.next()
    }

    /// The stack that lies there.
    #[must_use]
    pub fn stack(self) -> Option<StackView<'w>> {
        let cell = self.world.cell(self.spot);
        (!cell.is_empty()).then_some(StackView { world: self.world, cell })
    }

    /// The most items of a kind that it may hold, without asking its filter; 0 for a kind that the ruleset does not have.
    #[must_use]
    pub fn limit(self, kind: KindId) -> u32 {
        if self.world.rules.has_kind(kind) { self.world.limit(self.spot, kind.0) } else { 0 }
    }
}

impl<'w> StackView<'w> {
    /// Its id.
    #[must_use]
    pub fn id(self) -> StackId {
        StackId(self.cell.id)
    }

    /// The kind of its items.
    #[must_use]
    pub fn kind(self) -> Kind<'w> {
        self.world.rules.known_kind_at(self.cell.kind)
    }

    /// How many items it has.
    #[must_use]
    #[inline]
    pub fn count(self) -> u32 {
        self.cell.count
    }

    /// What it is alike to.
    #[must_use]
    pub fn class(self) -> Class {
        Class(self.cell.class)
    }

    /// Its kind and its class, as numbers.
    pub(crate) fn cell_class(self) -> (u32, u32) {
        (self.cell.kind, self.cell.class)
    }

    /// The container inside, if it is a pack.
    #[must_use]
    pub fn inside(self) -> Option<ContainerId> {
        self.cell.is_pack().then(|| self.world.container_id(self.cell.inner))
    }

    /// What it weighs, with all that lies in it.
    #[must_use]
    pub fn weight(self) -> Decimal {
        Decimal::from_thousandths(self.world.cell_weight(self.cell))
    }

    /// Whether it has a mark.
    #[must_use]
    pub fn has_mark(self, mark: MarkId) -> bool {
        self.world.classes.key(self.cell.class).is_some_and(|key| key.marks.contains(&mark))
    }

    /// Its marks, by name.
    pub fn marks(self) -> impl Iterator<Item = &'w str> {
        let marks = self.world.classes.key(self.cell.class).map_or(&[][..], |key| &key.marks);
        marks.iter().map(move |&mark| self.world.rules.mark(mark).name())
    }

    /// Those of its properties that differ from its kind's, by name.
    pub fn changed_properties(self) -> impl Iterator<Item = (&'w str, Decimal)> {
        let properties = self.world.classes.key(self.cell.class).map_or(&[][..], |key| &key.properties);
        properties.iter().map(move |&(property, value)| (self.world.rules.property(property).name(), value))
    }

    /// The number that a property has.
    #[must_use]
    pub fn property(self, name: &str) -> Option<Decimal> {
        let changed = self.changed_properties().find(|(changed, _)| *changed == name);
        changed.map(|(_, value)| value).or_else(|| {
            match self.kind().property(self.world.rules.find_property(name)?)? {
                PropertyValue::Number(number) => Some(number),
                PropertyValue::Text(_) => None,
            }
        })
    }

    /// True if both have the same kind, marks and properties, so that they could be merged. Packs are never alike.
    #[must_use]
    #[inline]
    pub fn is_alike(self, other: StackView<'_>) -> bool {
        self.cell.is_alike(other.cell)
    }

    pub(crate) fn class_key(self) -> ClassKey {
        let plain = || ClassKey::new(&self.world.rules, self.world.rules.kind_id(self.cell.kind), &[], &[]);
        self.world.classes.key(self.cell.class).cloned().unwrap_or_else(plain)
    }
}
