//! Containers and holders that come into the world, and that leave it, with all that they have.
//!
//! A departed entity keeps its memory, out of reach, while its departure can be undone; the memory
//! is then reused.

use std::num::NonZeroU32;

use super::apply::Load;
use super::index::Index;
use super::{Cell, ClassKey, GROUND, Job, NONE, Origin, Presence, Spot, StackClass, StackLocation, World};
use crate::id::{ContainerId, DepartureId, HolderId, KindId, RecipeId, StackId};
use crate::language::Position;
use crate::narrow;
use crate::quantity::Decimal;
use crate::snapshot::{Orphan, orphan};

/// What departs or arrives.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DepartingEntity {
    /// A container without a holder.
    Container(ContainerId),
    /// A holder, with its containers and its hand.
    Holder(HolderId),
}

/// A stack that is placed without an operation, with its contents.
#[derive(Clone, Debug)]
pub(crate) struct LaidStack {
    pub(crate) id: StackId,
    pub(crate) count: u32,
    pub(crate) key: ClassKey,
    /// The number of its class, if that has been found yet.
    pub(crate) class: Option<u32>,
    pub(crate) inside: Option<LaidContainer>,
}

/// A container, or the inside of a pack, with its contents.
#[derive(Clone, Debug)]
pub(crate) struct LaidContainer {
    /// Which of the world's containers it is, or will be.
    pub(crate) index: u32,
    pub(crate) name: Box<str>,
    pub(crate) def: u32,
    pub(crate) slots: u32,
    /// Its owner, if that is not the ruleset's; or `nobody`.
    pub(crate) owner: Option<Box<str>>,
    /// By slot. What it works on comes in the slots that are for that.
    pub(crate) stacks: Vec<(u32, LaidStack)>,
    pub(crate) job: Option<LaidJob>,
}

/// What a container works on.
#[derive(Clone, Copy, Debug)]
pub(crate) struct LaidJob {
    pub(crate) recipe: RecipeId,
    pub(crate) times: u32,
    /// How many ticks are left.
    pub(crate) left: u64,
    pub(crate) yield_number: Option<NonZeroU32>,
}

/// A holder with all that it has.
#[derive(Clone, Debug)]
pub(crate) struct LaidHolder {
    /// Which of the world's holders it is, or will be.
    pub(crate) index: u32,
    pub(crate) name: Box<str>,
    pub(crate) def: u32,
    pub(crate) containers: Vec<LaidContainer>,
    /// Which of the world's containers its hand is, or will be.
    pub(crate) hand_index: u32,
    pub(crate) hand: Option<LaidStack>,
    /// Where what is in its hand came from.
    pub(crate) origin: Option<LaidOrigin>,
    pub(crate) shortcuts: Vec<Option<KindId>>,
    pub(crate) meters: Vec<Decimal>,
}

/// A slot of a container by its name, or inside of a pack.
#[derive(Clone, Debug)]
pub(crate) enum LaidOrigin {
    Container(Box<str>, u32),
    Pack(StackId, u32),
}

/// An arrival with its orphans.
#[derive(Clone, Debug)]
pub(crate) struct Arriving {
    pub(crate) who: Arrival,
    pub(crate) orphans: Vec<Orphan>,
}

#[derive(Clone, Debug)]
pub(crate) enum Arrival {
    Container(LaidContainer),
    Holder(Box<LaidHolder>),
}

impl LaidStack {
    /// Numbers the containers inside, in order of placement; `number` returns one for a definition.
    pub(crate) fn number(&mut self, number: &mut impl FnMut(u32) -> u32) {
        if let Some(inside) = &mut self.inside {
            inside.number(number);
        }
    }

    /// Finds the class of each stack in it, itself first.
    pub(crate) fn classify(&mut self, class_of: &mut impl FnMut(&ClassKey) -> u32) {
        self.class = Some(class_of(&self.key));
        if let Some(inside) = &mut self.inside {
            inside.classify(class_of);
        }
    }

    /// The container and the containers inside it.
    pub(crate) fn all(&self) -> Vec<&LaidStack> {
        let inside = self.inside.iter().flat_map(|inside| &inside.stacks);
        std::iter::once(self).chain(inside.flat_map(|(_, stack)| stack.all())).collect()
    }
}

impl LaidContainer {
    pub(crate) fn number(&mut self, number: &mut impl FnMut(u32) -> u32) {
        self.index = number(self.def);
        self.stacks.iter_mut().for_each(|(_, stack)| stack.number(number));
    }

    fn classify(&mut self, class_of: &mut impl FnMut(&ClassKey) -> u32) {
        self.stacks.iter_mut().for_each(|(_, stack)| stack.classify(class_of));
    }

    /// The inside of the pack with an id.
    fn find_inside(&self, pack: StackId) -> Option<&LaidContainer> {
        self.stacks.iter().find_map(|(_, stack)| stack.find_inside(pack))
    }
}

impl LaidStack {
    fn find_inside(&self, pack: StackId) -> Option<&LaidContainer> {
        let inside = self.inside.as_ref()?;
        if self.id == pack { Some(inside) } else { inside.find_inside(pack) }
    }
}

impl LaidHolder {
    /// Numbers its containers, its hand and the insides of packs.
    pub(crate) fn number(&mut self, number: &mut impl FnMut(u32) -> u32) {
        self.containers.iter_mut().for_each(|container| container.number(number));
        self.hand_index = number(NONE);
        self.hand.iter_mut().for_each(|stack| stack.number(number));
    }

    /// The stacks in its containers and its hand.
    pub(crate) fn stacks(&self) -> impl Iterator<Item = &LaidStack> {
        let in_slots = self.containers.iter().flat_map(|container| &container.stacks).map(|(_, stack)| stack);
        in_slots.chain(&self.hand)
    }

    /// The container from which what is in its hand came, if the holder has that itself, and the
    /// slot.
    pub(crate) fn own_origin(&self) -> Option<(&LaidContainer, u32)> {
        let (found, slot) = match self.origin.as_ref()? {
            LaidOrigin::Container(name, slot) => (self.containers.iter().find(|own| own.name == *name), slot),
            LaidOrigin::Pack(pack, slot) => (self.containers.iter().find_map(|own| own.find_inside(*pack)), slot),
        };
        found.map(|container| (container, *slot))
    }
}

impl Arriving {
    /// Numbers its containers, in order of placement.
    pub(crate) fn number(&mut self, number: &mut impl FnMut(u32) -> u32) {
        match &mut self.who {
            Arrival::Container(container) => container.number(number),
            Arrival::Holder(holder) => holder.number(number),
        }
    }

    /// Finds the class of each stack.
    pub(crate) fn classify(&mut self, class_of: &mut impl FnMut(&ClassKey) -> u32) {
        match &mut self.who {
            Arrival::Container(container) => container.classify(class_of),
            Arrival::Holder(holder) => {
                holder.containers.iter_mut().for_each(|container| container.classify(class_of));
                holder.hand.iter_mut().for_each(|stack| stack.classify(class_of));
            }
        }
    }

    /// All stacks, each before its contents.
    pub(crate) fn stacks(&self) -> Vec<&LaidStack> {
        match &self.who {
            Arrival::Container(container) => container.stacks.iter().flat_map(|(_, stack)| stack.all()).collect(),
            Arrival::Holder(holder) => holder.stacks().flat_map(LaidStack::all).collect(),
        }
    }

    /// The number of its items of a kind.
    pub(crate) fn number_of(&self, kind: KindId) -> u64 {
        let of_kind = self.stacks().into_iter().filter(|stack| stack.key.kind == kind);
        of_kind.map(|stack| u64::from(stack.count)).sum()
    }

    pub(crate) fn name(&self) -> &str {
        match &self.who {
            Arrival::Container(container) => &container.name,
            Arrival::Holder(holder) => &holder.name,
        }
    }
}

impl World {
    // Laying.

    /// Adds a container of a holder or of the world, with its contents.
    pub(crate) fn lay_container(&mut self, container: &LaidContainer, holder: Option<u32>) {
        let LaidContainer { index, name, def, slots, .. } = container;
        self.bring_container(*index, name, *def, *slots, holder);
        if let Some(owner) = &container.owner {
            self.take_owner(*index, owner);
        }
        let job = |LaidJob { recipe, times, left, yield_number }| Job {
            recipe,
            times,
            due: self.clock.saturating_add(left),
            yield_number,
        };
        self.set_job(*index, container.job.map(job));
        self.lay_stacks(container);
    }

    pub(crate) fn lay_stacks(&mut self, container: &LaidContainer) {
        for (slot, stack) in &container.stacks {
            self.lay(Spot { container: container.index, slot: *slot }, Position::default(), stack);
        }
    }

    pub(crate) fn lay_holder(&mut self, holder: &LaidHolder) {
        self.bring_holder(holder.index, &holder.name, holder.def);
        for container in &holder.containers {
            self.lay_container(container, Some(holder.index));
        }
        self.bring_hand(holder.hand_index, holder.index);
        if let Some(stack) = &holder.hand {
            self.lay(Spot { container: holder.hand_index, slot: 0 }, Position::default(), stack);
        }
        for (shortcut, kind) in (0..).zip(&holder.shortcuts) {
            self.bind(holder.index, shortcut, *kind);
        }
        self.holders[holder.index as usize].meters.clone_from(&holder.meters);
    }

    /// Lays a stack where nothing lies, whatever the rules say. It counts as arrived.
    pub(crate) fn lay(&mut self, spot: Spot, position: Position, stack: &LaidStack) {
        let class = stack.class.unwrap_or_else(|| self.known_class(&stack.key));
        let (kind, class) = (stack.key.kind, StackClass(class));
        let inner = stack.inside.as_ref().map_or(GROUND, |inside| inside.index);
        let load = Load { kind, class, count: stack.count, inner };
        self.travelled.entry(kind).or_default().0 += u64::from(stack.count);
        self.whole_weight += self.weight_of_load(load);
        if let Some(inside) = &stack.inside {
            self.bring_state(inside.index, inside.def, inside.slots).presence = Presence::Inside;
        }
        self.add(StackLocation { spot, stack: stack.id, position }, load);
        if let Some(known) = self.stack_ids.get_mut() {
            known.insert(stack.id.0);
        }
        if let Some(inside) = &stack.inside {
            self.lay_stacks(inside);
        }
    }

    pub(crate) fn known_class(&mut self, key: &ClassKey) -> u32 {
        self.classes.find(key).unwrap_or_else(|| {
            let class = self.classes.next(&[]);
            self.classes.enter(key, class);
            class
        })
    }

    // Coming and going.

    /// The departing containers, each before those inside it.
    pub(crate) fn containers_of_traveller(&self, who: DepartingEntity) -> Vec<u32> {
        let mut found = match who {
            DepartingEntity::Container(id) => vec![id.index],
            DepartingEntity::Holder(id) => {
                let holder = &self.holders[id.index as usize];
                holder.containers.iter().copied().chain([holder.hand]).collect()
            }
        };
        let mut next = 0;
        while let Some(&container) = found.get(next) {
            found.extend(self.cells_in(container).filter(|cell| cell.is_pack()).map(|cell| cell.inner));
            next += 1;
        }
        found
    }

    /// The stacks in its slots, then those that it works on.
    pub(crate) fn stacks_of(&self, container: u32) -> impl Iterator<Item = (Spot, Cell)> + '_ {
        let next = move |slot: &u32| self.next_taken(container, slot.checked_add(1)?);
        let slots = std::iter::successors(self.next_taken(container, 0), next);
        let spots = slots.map(move |slot| Spot { container, slot }).chain(self.work_spots(container));
        spots.map(|spot| (spot, self.cell(spot)))
    }

    pub(crate) fn cells_in(&self, container: u32) -> impl Iterator<Item = Cell> + '_ {
        self.stacks_of(container).map(|(_, cell)| cell)
    }

    /// The number of items of each kind in a group of containers.
    fn items_of(&self, group: &[u32]) -> Vec<(KindId, u32)> {
        let cells = group.iter().flat_map(|&container| self.cells_in(container));
        cells.map(|cell| (self.rules.kind_id(cell.kind), cell.count)).collect()
    }

    /// The number of items that would depart.
    pub(crate) fn items_with(&self, who: DepartingEntity) -> u64 {
        self.items_of(&self.containers_of_traveller(who)).iter().map(|(_, count)| u64::from(*count)).sum()
    }

    /// The insides of the packs that would depart, and the ids of the packs.
    pub(crate) fn packs_with(&self, who: DepartingEntity) -> Vec<(u32, u64)> {
        let group = self.containers_of_traveller(who).into_iter();
        let parents = group.map(|inner| (inner, self.state(inner).parent));
        parents.filter(|(_, parent)| *parent != Spot::NOWHERE).map(|(inner, at)| (inner, self.cell(at).id)).collect()
    }

    /// The orphans of a departing entity.
    pub(crate) fn orphans_with(&self, who: DepartingEntity) -> Vec<Orphan> {
        if self.orphans.is_empty() { Vec::new() } else { self.part_orphans(who).0 }
    }

    pub(crate) fn name_of_traveller(&self, who: DepartingEntity) -> String {
        match who {
            DepartingEntity::Container(id) => self.container_name(id),
            DepartingEntity::Holder(id) => self.holder_name(id).to_owned(),
        }
    }

    /// Whether a departure has arrived here before, or a later one under that name.
    pub(crate) fn has_arrived(&self, name: &str, departure: DepartureId) -> bool {
        self.arrived.get(name).is_some_and(|&latest| departure.number <= latest)
            || self.arrivals_one_by_one.contains(&departure)
    }

    /// The parts that depart and the parts that stay.
    fn part_orphans(&self, who: DepartingEntity) -> (Vec<Orphan>, Vec<Orphan>) {
        let name = self.name_of_traveller(who);
        let group = self.containers_of_traveller(who);
        let stacks = group.iter().flat_map(|&container| self.cells_in(container)).map(|cell| StackId(cell.id));
        orphan::part_off(&self.orphans, &name, &stacks.collect())
    }

    /// Takes note of items that came or left with a group.
    fn tally_group(&mut self, group: &[u32], sign: i64, change: impl Fn(&mut (u64, u64), u64)) {
        for (kind, count) in self.items_of(group) {
            change(self.travelled.entry(kind).or_default(), u64::from(count));
            self.whole_weight += self.rules.figures[kind.index()].weight * i64::from(count) * sign;
        }
        if self.hashed {
            self.follow_hash_of_group(group, sign);
        }
        self.enter_packs(group, sign > 0);
        if let Some(mut known) = self.stack_ids.take() {
            let ids = group.iter().flat_map(|&container| self.cells_in(container)).map(|cell| cell.id);
            ids.for_each(|id| if sign > 0 { known.insert(id) } else { known.remove(id) });
            self.stack_ids = known.into();
        }
    }

    /// Registers the insides of packs in a group by the ids of the packs, or unregisters them.
    fn enter_packs(&mut self, group: &[u32], there: bool) {
        for &inner in group {
            let parent = self.state(inner).parent;
            if parent == Spot::NOWHERE {
                continue;
            }
            let pack = self.cell(parent).id;
            if there {
                self.insides.insert(pack, inner);
            } else {
                self.insides.remove(&pack);
            }
        }
    }

    /// Out of reach, with all that it has.
    pub(super) fn send_off(&mut self, who: DepartingEntity, departure: DepartureId) {
        let group = self.containers_of_traveller(who);
        if !self.orphans.is_empty() {
            self.orphans = self.part_orphans(who).1;
        }
        self.tally_group(&group, -1, |(_, departed), count| *departed += count);
        for container in group {
            self.containers[container as usize].presence = Presence::Away;
            self.stop_clock_of(container);
        }
        self.strike_off(who);
        self.departures = departure.number + 1;
        if !self.keeps_history() {
            self.clear_away(who);
        }
    }

    /// The departed entity is present again, as if it had never departed.
    pub(super) fn fetch_home(&mut self, who: DepartingEntity, departures: u64) {
        self.departures = departures;
        let group = self.containers_of_traveller(who);
        for &container in &group {
            let state = &mut self.containers[container as usize];
            let in_pack = state.parent != Spot::NOWHERE;
            state.presence = if in_pack { Presence::Inside } else { Presence::Lasting };
            self.start_clock_of(container);
        }
        self.tally_group(&group, 1, |(_, departed), count| *departed -= count);
        self.enlist(who);
    }

    /// Brings what a document says.
    pub(crate) fn bring_in(&mut self, arriving: &Arriving, departure: Option<DepartureId>) {
        self.orphans.extend(arriving.orphans.iter().cloned());
        match &arriving.who {
            Arrival::Container(container) => self.lay_container(container, None),
            Arrival::Holder(holder) => {
                self.lay_holder(holder);
                let origin = holder.own_origin();
                let container = |laid: &LaidContainer| self.container_id(laid.index);
                let origin = origin.map(|(laid, slot)| Origin { container: container(laid), slot });
                self.set_origin(holder.index, origin);
            }
        }
        if let Some(departure) = departure {
            self.arrived.insert(arriving.name().into(), departure.number);
        }
    }

    /// What was brought in has never been.
    pub(super) fn send_back(&mut self, who: DepartingEntity, departure: Option<DepartureId>, before: Option<u64>) {
        if departure.is_some() {
            let name = self.name_of_traveller(who);
            match before {
                Some(number) => _ = self.arrived.insert(name.into(), number),
                None => _ = self.arrived.remove(name.as_str()),
            }
        }
        let mut group = self.containers_of_traveller(who);
        self.tally_group(&group, -1, |(arrived, _), count| *arrived -= count);
        self.strike_off(who);
        group.sort_unstable();
        for container in group.into_iter().rev() {
            self.empty_out(container);
            let state = &mut self.containers[container as usize];
            if state.presence == Presence::Lasting {
                state.presence = Presence::Away;
            }
            self.unbring(container);
        }
        let DepartingEntity::Holder(id) = who else { return };
        let state = &mut self.holders[id.index as usize];
        if state.generation == 0 {
            self.holders.pop();
        } else {
            state.generation -= 1;
            self.waiting_holders.insert(id.index);
        }
    }

    /// What has departed never comes back as it was: its room is there for others.
    pub(super) fn clear_away(&mut self, who: DepartingEntity) {
        for container in self.containers_of_traveller(who) {
            self.empty_out(container);
            self.set_waiting(container);
        }
        if let DepartingEntity::Holder(id) = who {
            self.waiting_holders.insert(id.index);
        }
    }

    /// Removes the contents of a container and of those inside it.
    fn empty_out(&mut self, container: u32) {
        let cells: Vec<Cell> = self.cells_in(container).collect();
        for cell in cells {
            self.classes.release(cell.class);
        }
        self.set_job(container, None);
        let state = &mut self.containers[container as usize];
        // Those for its work are the last ones, and others may be beyond its number of slots.
        let most = self.rules.containers().get(state.def as usize).map_or(state.slots, |def| def.bounds.1);
        let slots = state.base as usize..state.base as usize + state.cell_count(most);
        if state.parent != Spot::NOWHERE {
            state.presence = Presence::Inside;
        }
        (state.taken, state.weight, state.hash, state.parent) = (0, 0, 0, Spot::NOWHERE);
        state.capped.clear();
        state.index = Index::new(self.rules.containers().get(state.def as usize).map_or(1, |def| def.bounds.1));
        self.cells[slots].fill(Cell::default());
    }

    /// Removes its name.
    fn strike_off(&mut self, who: DepartingEntity) {
        match who {
            DepartingEntity::Container(ContainerId { index, .. }) => {
                let state = &self.containers[index as usize];
                self.container_names.remove(&state.name);
                self.standing.remove(&(state.came, index));
            }
            DepartingEntity::Holder(HolderId { index, .. }) => {
                let state = &mut self.holders[index as usize];
                state.is_there = false;
                self.holder_names.remove(&state.name);
                self.present.remove(&(state.came, index));
                for &container in &state.containers {
                    self.container_names.remove(&self.containers[container as usize].name);
                }
                self.bound -= self.shortcuts_bound(index);
            }
        }
    }

    fn enlist(&mut self, who: DepartingEntity) {
        match who {
            DepartingEntity::Container(ContainerId { index, .. }) => {
                let state = &self.containers[index as usize];
                self.container_names.insert(state.name.clone(), index);
                self.standing.insert((state.came, index));
            }
            DepartingEntity::Holder(HolderId { index, .. }) => {
                let state = &mut self.holders[index as usize];
                state.is_there = true;
                self.holder_names.insert(state.name.clone(), index);
                self.present.insert((state.came, index));
                for &container in &state.containers {
                    self.container_names.insert(self.containers[container as usize].name.clone(), container);
                }
                self.bound += self.shortcuts_bound(index);
            }
        }
    }

    fn shortcuts_bound(&self, holder: u32) -> u32 {
        let bound = self.holders[holder as usize].shortcuts.iter().flatten().count();
        narrow::index(bound)
    }

    /// Orders containers that are not inside packs: those of the world, then those of holders, each
    /// by arrival. A world from a snapshot has the same order.
    pub(crate) fn order_of(&self, container: u32) -> (u8, u64, u64) {
        let state = self.state(container);
        match state.holder {
            NONE => (0, state.came, 0),
            holder if self.is_hand(container) => (1, self.order_of_holder(holder), u64::MAX),
            holder => (1, self.order_of_holder(holder), state.came),
        }
    }

    pub(crate) fn order_of_holder(&self, holder: u32) -> u64 {
        self.holders[holder as usize].came
    }
}
