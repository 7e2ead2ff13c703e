//! Reading a world.

use std::fmt;
use std::sync::Arc;

use super::{
    Bearer, CapCount, ContainerState, GROUND, HolderState, KindTotals, NONE, PackContents, Place, Presence, Spot, World,
};
use super::{SlotView, StackView};
use crate::id::{ContainerId, HolderId, KindId, StackId};
use crate::language::Position;
use crate::quantity::Decimal;
use crate::ruleset::{ContainerDef, HolderDef, Meter, Ruleset};
use crate::snapshot::Orphan;

impl World {
    /// The ruleset of the world.
    #[must_use]
    pub fn rules(&self) -> &Arc<Ruleset> {
        &self.rules
    }

    /// The number of operations that were applied.
    #[must_use]
    pub fn revision(&self) -> u64 {
        self.revision
    }

    /// The handles of all containers: those without a holder, then those of holders. The insides of
    /// packs are not included; [`StackView::inside`] returns those.
    pub fn containers(&self) -> impl Iterator<Item = ContainerId> + '_ {
        let carried = self.present.iter().flat_map(|&(_, holder)| &self.holders[holder as usize].containers);
        let standing = self.standing.iter().map(|(_, index)| index);
        standing.chain(carried).map(|&index| self.container_id(index))
    }

    /// The handles of all holders, in order of arrival.
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

    /// The handle of the next container with this index.
    pub(crate) fn container_to_be(&self, index: u32) -> ContainerId {
        ContainerId { index, since: self.now.moment() }
    }

    /// The handle of the next holder with this index.
    pub(crate) fn holder_to_be(&self, index: u32) -> HolderId {
        HolderId { index, since: self.now.moment() }
    }

    /// The container with a name, including the ground and hands.
    pub(crate) fn lasting(&self, name: &str) -> Option<u32> {
        let hand = || self.holder(name.strip_suffix(".hand")?).map(|holder| self.hand_of(holder.index));
        self.container_names.get(name).copied().or_else(hand)
    }

    /// Whether a container has this slot.
    pub(crate) fn has_spot(&self, spot: Spot) -> bool {
        let state = self.containers.get(spot.container as usize);
        spot.is_ground() || state.is_some_and(|state| spot.slot < state.slots)
    }

    /// Whether a holder is in the world.
    pub(crate) fn is_present(&self, holder: u32) -> bool {
        self.holders[holder as usize].is_there
    }

    /// None for a handle of a different world or of a removed container.
    #[inline]
    pub(super) fn container_state(&self, id: ContainerId) -> Option<&ContainerState> {
        let state = self.containers.get(id.index as usize)?;
        let there = state.is_there();
        // The ground and hands have no definition.
        (there && state.def != NONE && state.since == id.since).then_some(state)
    }

    #[inline]
    pub(super) fn holder_state(&self, id: HolderId) -> Option<&HolderState> {
        let state = self.holders.get(id.index as usize)?;
        (state.is_there && state.since == id.since).then_some(state)
    }

    /// True if the handle belongs to this world and the container exists.
    #[must_use]
    #[inline]
    pub fn has_container(&self, id: ContainerId) -> bool {
        self.container_state(id).is_some()
    }

    /// Whether a handle belongs to an existing container that is neither a hand nor the inside of a
    /// pack.
    #[inline]
    pub(crate) fn has_lasting(&self, id: ContainerId) -> bool {
        self.containers.get(id.index as usize).is_some_and(|state| {
            let there = state.presence == Presence::Lasting && state.since == id.since;
            there && state.def != NONE
        })
    }

    /// True for a container that no holder carries and that is not the inside of a pack.
    #[must_use]
    pub fn stands(&self, id: ContainerId) -> bool {
        self.has_lasting(id) && self.state(id.index).holder == NONE
    }

    /// The state of a container whose only limits on plain stacks are filters, stack limits and
    /// caps, if it exists and is not the inside of a pack.
    #[inline(always)]
    pub(crate) fn plain_state(&self, id: ContainerId) -> Option<&ContainerState> {
        let state = self.containers.get(id.index as usize)?;
        let there = state.is_simple && state.presence == Presence::Lasting;
        (there && state.since == id.since).then_some(state)
    }

    /// True if the handle belongs to this world and the holder exists.
    #[must_use]
    #[inline]
    pub fn has_holder(&self, id: HolderId) -> bool {
        self.holder_state(id).is_some()
    }

    /// The name of a container in paths: `sled`, `surveyor.pockets`, `surveyor.harness/back/` for
    /// the inside of the pack in that slot. Empty for a handle of a different world.
    #[must_use]
    pub fn container_name(&self, id: ContainerId) -> String {
        self.container_state(id).map_or_else(String::new, |_| self.name_of(id.index))
    }

    /// The name of a holder in paths. Empty for a handle of a different world.
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

    /// The place of the pack that contains a container; `None` if the container is not inside a
    /// pack.
    #[must_use]
    pub fn place_of_pack(&self, id: ContainerId) -> Option<Place> {
        match self.container_state(id)?.parent {
            Spot::NOWHERE => None,
            spot if spot.is_ground() => Some(Place::OnGround(StackId(self.ground.get(spot.slot).id))),
            spot => Some(self.place_of_spot(spot)),
        }
    }

    /// The containers that a holder carries, in the order in which they are filled.
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

    /// The slot that the stack in a holder's hand came from, if that slot still exists.
    #[must_use]
    pub fn hand_origin(&self, id: HolderId) -> Option<Place> {
        let origin = self.holder_state(id)?.origin?;
        self.has_container(origin.container).then_some(Place::Slot(origin.container, origin.slot))
    }

    /// The kinds of the shortcuts of a holder, in order.
    #[must_use]
    pub fn shortcuts(&self, id: HolderId) -> impl ExactSizeIterator<Item = Option<KindId>> + '_ {
        self.holder_state(id).map_or(&[][..], |state| &state.shortcuts).iter().copied()
    }

    /// The meters of a holder with their values, in the order of their names.
    pub fn meters(&self, id: HolderId) -> impl ExactSizeIterator<Item = (&Meter, Decimal)> {
        let meters = self.holder_def(id).map_or(&[][..], HolderDef::meters);
        let values = self.holder_state(id).map_or(&[][..], |state| &state.meters);
        meters.iter().zip(values.iter().copied())
    }

    /// The value of a meter of a holder; `None` if it has no such meter.
    #[must_use]
    pub fn meter(&self, id: HolderId, name: &str) -> Option<Decimal> {
        self.meters(id).find(|(meter, _)| meter.name() == name).map(|(_, value)| value)
    }

    /// True if a holder has opened a container. The containers of a holder are always open to it.
    #[must_use]
    pub fn has_opened(&self, holder: HolderId, container: ContainerId) -> bool {
        self.has_holder(holder) && self.has_container(container) && self.is_open(holder.index, container.index)
    }

    /// The weight of the contents of a container.
    #[must_use]
    pub fn container_weight(&self, id: ContainerId) -> Decimal {
        Decimal::from_thousandths(self.container_state(id).map_or(0, |state| state.weight))
    }

    /// The weight of everything that a holder carries.
    #[must_use]
    pub fn holder_weight(&self, id: HolderId) -> Decimal {
        Decimal::from_thousandths(self.holder_state(id).map_or(0, |state| state.weight))
    }

    /// The caps of a container or holder, in the order of the ruleset, each with the number of
    /// items that count towards it. Other places have none.
    pub fn cap_counts(&self, place: impl Into<Place>) -> impl Iterator<Item = CapCount<'_>> {
        let bearer = match place.into() {
            Place::Container(id) if self.has_container(id) => Some(Bearer::Container(id.index)),
            Place::Holder(id) if self.has_holder(id) => Some(Bearer::Holder(id.index)),
            _ => None,
        };
        bearer.into_iter().flat_map(move |bearer| {
            let caps = match bearer {
                Bearer::Container(container) => self.caps_of_container(container),
                Bearer::Holder(holder) => self.caps_of_holder(holder),
            };
            let filters = self.rules.caps(caps).map(|(of, _)| of);
            caps.iter().zip(filters).map(move |(cap, of)| CapCount {
                of,
                present: self.capped(bearer, cap.number),
                most: cap.count,
            })
        })
    }

    /// The label of the highest encumbrance step that a holder has reached, such as `laden`.
    #[must_use]
    pub fn encumbrance(&self, id: HolderId) -> Option<&str> {
        let weight = self.holder_weight(id);
        self.holder_def(id)?.encumbrance().take_while(|(from, _)| *from <= weight).last().map(|(_, label)| label)
    }

    /// The value of an attribute of a holder: the sum over all worn items.
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

    /// The weight of all stacks on the ground.
    #[must_use]
    pub fn ground_weight(&self) -> Decimal {
        Decimal::from_thousandths(self.ground.weight)
    }

    /// The total weight, in thousandths.
    pub(crate) fn whole_weight(&self) -> i64 {
        self.whole_weight
    }

    /// The number of empty slots of a container. Blocked slots are not empty.
    #[must_use]
    pub fn free_slots(&self, id: ContainerId) -> u32 {
        self.container_state(id).map_or(0, |state| state.slots - state.taken - self.blocked_slots(id))
    }

    /// The number of slots without a stack that items in other slots block.
    fn blocked_slots(&self, id: ContainerId) -> u32 {
        let def = self.container_def(id).filter(|_| !self.rules.needs.is_empty());
        let ruled = def.map_or(&[][..], |def| &def.ruled);
        let is_empty = |slot: usize| self.stack_at(id, slot).is_none();
        let blocks = |name: &str, slot: usize| {
            let Some(stack) = self.stack_at(id, slot) else { return false };
            let needs = self.rules.figures[stack.kind().handle().index()].needs;
            let needs = self.rules.needs.get(needs as usize).map_or(&[][..], Vec::as_slice);
            let required = |name: &str| needs.iter().any(|need| **need == *name);
            // An item in a slot that it does not list occupies only that slot.
            required(name) && ruled.get(slot).and_then(|rule| rule.name.as_deref()).is_some_and(required)
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

    /// The stack in a slot; `None` if the slot is empty or does not exist.
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

    /// Contents that an earlier ruleset had and the present ruleset does not know.
    #[must_use]
    pub fn orphans(&self) -> &[Orphan] {
        &self.orphans
    }

    /// The numbers of items of a kind that entered and left the world.
    #[must_use]
    pub fn totals(&self, kind: KindId) -> KindTotals {
        if !self.rules.has_kind(kind) {
            return KindTotals::default();
        }
        let (created, consumed) = self.totals.get(kind.index()).unwrap_or_default();
        let (arrived, departed) = self.travelled.get(&kind).copied().unwrap_or_default();
        KindTotals { created, consumed, arrived, departed }
    }

    /// The container inside the pack that an event of the latest operation moved; `None` if it was
    /// not a pack.
    #[must_use]
    pub fn inside_of(&self, inner: PackContents) -> Option<ContainerId> {
        let there = inner.0 != GROUND && inner.0 < self.container_count();
        there.then(|| self.container_id(inner.0))
    }

    // Reading for operations. Indexes are checked before.
}

/// The contents by names: `depot: 4 flare, 1 rope`.
impl fmt::Debug for World {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let text = |stacks: &mut dyn Iterator<Item = StackView<'_>>| {
            stacks.map(|stack| format!("{} {}", stack.count(), stack.kind().id())).collect::<Vec<_>>().join(", ")
        };
        let mut described = f.debug_struct("World");
        described.field("number", &self.number).field("revision", &self.revision);
        for id in self.containers().filter(|&id| self.free_slots(id) < self.slot_count(id.index)) {
            described.field(&self.container_name(id), &text(&mut self.stacks(id).map(|(_, stack)| stack)));
        }
        described.field("ground", &text(&mut self.ground().map(|(stack, _)| stack))).finish_non_exhaustive()
    }
}
