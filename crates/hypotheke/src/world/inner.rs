//! Reading for the crate, by numbers: cells, states, and data of holders.

use super::{Bearer, Cell, ContainerState, GROUND, NONE, Origin, PerKind, Place, Presence, Spot, World};
use crate::id::{ContainerId, HolderId, KindId, StackId};
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{Cap, ContainerDef};
use smallvec::SmallVec;

impl World {
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

    #[inline]
    pub(crate) fn cell(&self, spot: Spot) -> Cell {
        if spot.is_ground() {
            return self.ground.get(spot.slot);
        }
        self.cell_in(self.state(spot.container), spot.slot)
    }

    /// The contents of a slot of a container other than the ground.
    #[inline(always)]
    pub(crate) fn cell_in(&self, state: &ContainerState, slot: u32) -> Cell {
        self.cells[(state.base + slot) as usize]
    }

    pub(crate) fn slot_count(&self, container: u32) -> u32 {
        self.containers[container as usize].slots
    }

    /// Whether a container exists, the ground and hands included.
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

    /// The values of the meters of a holder, be it one that has departed.
    pub(crate) fn meters_of(&self, holder: u32) -> &[Decimal] {
        &self.holders[holder as usize].meters
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

    /// The own name of a container, also after its removal; `None` for the inside of a pack.
    pub(crate) fn own_name(&self, container: u32) -> &str {
        &self.state(container).name
    }

    /// What paths call a holder, be it one that has just departed.
    pub(crate) fn name_of_holder(&self, holder: u32) -> &str {
        &self.holders[holder as usize].name
    }

    /// The holders in the world that are in a group, in order.
    pub(crate) fn members(&self, group: &str) -> impl Iterator<Item = HolderId> {
        self.holders().filter(move |id| self.groups_of(id.index).iter().any(|name| **name == *group))
    }

    /// The groups of a holder.
    pub(crate) fn groups_of(&self, holder: u32) -> &[Box<str>] {
        self.rules.holders().get(self.def_of_holder(holder)).map_or(&[], |def| &def.groups)
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

    /// The definition of a container in the ruleset; `None` for the ground and hands.
    pub(crate) fn def_number(&self, container: u32) -> Option<u32> {
        Some(self.state(container).def).filter(|&def| def != NONE)
    }

    /// At which kinds the shortcuts of a holder point, in order, be it one that has departed.
    pub(crate) fn kinds_bound_by(&self, holder: u32) -> &[Option<KindId>] {
        &self.holders[holder as usize].shortcuts
    }

    /// The kinds of which items were created or consumed, and some that never were.
    pub(crate) fn counted_kinds(&self) -> impl Iterator<Item = KindId> + '_ {
        let counted = self.totals.counted_with(&self.totals);
        counted.filter_map(|kind| u32::try_from(kind).ok().map(|kind| self.rules.kind_id(kind)))
    }

    /// Whether the number of items of each kind equals those that entered the world less those that
    /// left.
    pub(crate) fn accounts_for(&self, held: &PerKind<i128>) -> bool {
        let travelled = self.travelled.keys().map(|kind| kind.index());
        held.counted_with(&self.totals).chain(travelled).all(|kind| {
            let (created, consumed) = self.totals.get(kind).unwrap_or_default();
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

    pub(super) fn cells_of(&self, container: &ContainerState) -> &[Cell] {
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
