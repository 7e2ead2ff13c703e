use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use rand_core::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;
use rustc_hash::FxHashMap;

use super::history::History;
use super::index::Index;
use super::stack_ids::KnownIds;
use super::{
    Cell, ClassTable, ContainerState, Counts, GROUND, Ground, HolderNames, HolderState, KindTotals, NONE, Origin,
    PerKind, Presence, Spare, Spot, World,
};
use crate::id::{ContainerDefId, ContainerId, KindId, StackId};
use crate::moment::{Moment, Now};
use crate::narrow;
use crate::ruleset::{Border, ContainerDef, FilterId, Meter, Right, Ruleset, SlotDef};
use crate::snapshot::RequestWindow;

fn small(index: usize) -> u32 {
    narrow::index(index)
}

impl World {
    /// A world with all containers and holders of the ruleset, in which nothing lies.
    #[must_use]
    pub fn empty(rules: &Arc<Ruleset>) -> World {
        let mut world = World::bare(rules);
        for (index, def) in (0..).zip(rules.containers()) {
            for name in def.instances() {
                world.bring_container(world.container_count(), name, index, def.slots, None);
            }
        }
        let holders =
            (0..).zip(rules.holders()).flat_map(|(index, def)| def.instances().map(move |it| (index, def, it)));
        for (holder, (index, def, name)) in (0..).zip(holders) {
            world.bring_holder(holder, name, index);
            for &ContainerDefId(container, _) in def.carries() {
                let carried = rules.container(rules.container_def_id(container));
                let name = format!("{name}.{}", carried.id());
                world.bring_container(world.container_count(), &name, container, carried.slots, Some(holder));
            }
            world.bring_hand(world.container_count(), holder);
        }
        world
    }

    /// An empty world in which each container has as many slots as it may ever have, to look up
    /// names in.
    pub(crate) fn largest(rules: &Arc<Ruleset>) -> World {
        let mut world = World::empty(rules);
        world.stretch();
        world
    }

    /// Gives each container as many slots as it may ever have.
    pub(crate) fn stretch(&mut self) {
        for state in &mut self.containers {
            state.slots = self.rules.containers().get(state.def as usize).map_or(state.slots, |def| def.bounds.1);
        }
    }

    /// A world without any container or holder.
    pub(crate) fn bare(rules: &Arc<Ruleset>) -> World {
        let mut world = World {
            number: 0,
            revision: 0,
            next_stack: 1,
            random: Xoshiro256PlusPlus::seed_from_u64(0),
            cells: Vec::new(),
            containers: Vec::new(),
            standing: BTreeSet::new(),
            waiting: BTreeSet::new(),
            holders: Vec::new(),
            present: BTreeSet::new(),
            waiting_holders: BTreeSet::new(),
            came: 0,
            departures: 0,
            arrived: BTreeMap::new(),
            arrivals_one_by_one: BTreeSet::new(),
            opened: BTreeSet::new(),
            insides: FxHashMap::default(),
            stack_ids: KnownIds::new(),
            clock: 0,
            jobs: BTreeMap::new(),
            due: BTreeSet::new(),
            bound: 0,
            ground: Ground::default(),
            classes: ClassTable::new(rules),
            whole_weight: 0,
            hash: 0,
            hashed: false,
            plain_sums: rules.cap_filters.is_empty(),
            totals: PerKind::new(rules.kinds().len()),
            travelled: BTreeMap::new(),
            scratch: None,
            spare: Spare::default(),
            now: Now::new(),
            history: History::default(),
            requests: RequestWindow::new(rules.request_window),
            orphans: Vec::new(),
            container_names: FxHashMap::default(),
            holder_names: FxHashMap::default(),
            known_holders: HolderNames::default(),
            rules: Arc::clone(rules),
        };
        let ground = world.bring_state(GROUND, NONE, 0);
        (ground.name, ground.presence) = ("ground".into(), Presence::Lasting);
        // It has no border.
        ground.set_borders([Border::Surrounding; 3]);
        world.container_names.insert("ground".into(), GROUND);
        world
    }

    /// Adds a container, with or without a holder.
    pub(crate) fn bring_container(&mut self, index: u32, name: &str, def: u32, slots: u32, holder: Option<u32>) {
        let came = self.next_to_come();
        let holder_has_caps = holder.is_some_and(|holder| !self.caps_of_holder(holder).is_empty());
        let owner = match holder {
            Some(holder) => Some(self.name_number(holder)),
            None => {
                let owner = self.rules.containers().get(def as usize).and_then(ContainerDef::owner);
                owner.map(|owner| self.known_holders.number(owner))
            }
        };
        let state = self.bring_state(index, def, slots);
        (state.name, state.presence, state.came) = (name.into(), Presence::Lasting, came);
        state.belong_to(owner.unwrap_or(NONE));
        state.holder = holder.unwrap_or(NONE);
        state.has_caps |= holder_has_caps;
        self.container_names.insert(name.into(), index);
        match holder {
            Some(holder) => self.holders[holder as usize].containers.push(index),
            None => _ = self.standing.insert((came, index)),
        }
    }

    /// Adds a holder that carries nothing and has no hand yet.
    pub(crate) fn bring_holder(&mut self, index: u32, name: &str, def: u32) {
        let came = self.next_to_come();
        let again = self.holders.get(index as usize).map(|gone| gone.generation + 1);
        let name_number = self.known_holders.number(name);
        let state = HolderState {
            name: name.into(),
            def,
            since: self.now.moment(),
            generation: again.unwrap_or(0),
            is_there: true,
            name_number,
            came,
            containers: Vec::new(),
            hand: NONE,
            origin: None,
            shortcuts: vec![None; self.rules.holders()[def as usize].shortcuts as usize],
            meters: self.rules.holders()[def as usize].meters.iter().map(Meter::start).collect(),
            weight: 0,
            capped: Counts::default(),
        };
        match again {
            None => self.holders.push(state),
            Some(_) => self.holders[index as usize] = state,
        }
        self.waiting_holders.remove(&index);
        self.holder_names.insert(name.into(), index);
        self.present.insert((came, index));
    }

    /// A hand is a container of one slot without any rules, which no path and no filter can name.
    pub(crate) fn bring_hand(&mut self, index: u32, holder: u32) {
        let name = format!("{}.hand", self.holders[holder as usize].name);
        let owner = self.name_number(holder);
        let state = self.bring_state(index, NONE, 1);
        state.set_borders([Border::Owner; 3]);
        state.belong_to(owner);
        (state.name, state.presence, state.holder) = (name.into(), Presence::Lasting, holder);
        self.holders[holder as usize].hand = index;
    }

    /// Adds a container: a new one, or a reused one. All slots that it may ever have exist from the
    /// beginning; those beyond its number are empty.
    pub(super) fn bring_state(&mut self, index: u32, def: u32, slots: u32) -> &mut ContainerState {
        if index == self.container_count() {
            let most = self.rules.containers().get(def as usize).map_or(slots, |def| def.bounds.1);
            let base = small(self.cells.len());
            let state = ContainerState { base, ..ContainerState::new(&self.rules, def, slots) };
            self.cells.resize(self.cells.len() + state.cell_count(most), Cell::default());
            self.containers.push(state);
        } else {
            self.waiting.remove(&(def, index));
            let most = self.max_kept();
            let state = &mut self.containers[index as usize];
            state.generation += 1;
            if most > 0 {
                // An operation brings a container once.
                let known = state.came_before.len();
                state.came_before.drain(..known.saturating_sub(most - 1));
                state.came_before.push(state.since);
            }
        }
        let state = &mut self.containers[index as usize];
        (state.slots, state.since) = (slots, self.now.moment());
        state
    }

    fn next_to_come(&mut self) -> u64 {
        self.came += 1;
        self.came
    }

    pub(crate) fn set_counters(
        &mut self,
        number: u32,
        revision: u64,
        next_stack: u64,
        random: &Xoshiro256PlusPlus,
        totals: &[KindTotals],
    ) {
        (self.revision, self.next_stack) = (revision, next_stack);
        self.number = number;
        self.random = random.clone();
        self.totals = PerKind::new(self.rules.kinds().len());
        for (kind, totals) in
            totals.iter().enumerate().filter(|(_, totals)| (totals.created, totals.consumed) != (0, 0))
        {
            *self.totals.value(kind) = (totals.created, totals.consumed);
        }
        let kinds = (0..)
            .map(|kind| self.rules.kind_id(kind))
            .zip(totals.iter().map(|totals| (totals.arrived, totals.departed)));
        self.travelled = kinds.filter(|(_, travelled)| *travelled != (0, 0)).collect();
    }

    /// The same world with a different number and different random numbers. Earlier operations
    /// can't be undone.
    ///
    /// The number, below 2²⁴, becomes part of the ids of its stacks, of those too that it has given
    /// up to now: worlds that may exchange stacks need different ones.
    #[must_use]
    pub fn numbered(mut self, number: u32, seed: u64) -> World {
        let (before, number) = (self.number, number & 0xff_ffff);
        let renamed = |id: u64| match StackId(id) {
            id if id.world() == before => StackId::new(number, id.serial()).0,
            id => id.0,
        };
        self.clear(0);
        self.scratch = None;
        self.now.pass();
        self.number = number;
        self.random = Xoshiro256PlusPlus::seed_from_u64(seed);
        for cell in self.cells.iter_mut().filter(|cell| !cell.is_empty()) {
            cell.id = renamed(cell.id);
        }
        self.ground.rename(renamed);
        self.insides = self.insides.iter().map(|(&pack, &inner)| (renamed(pack), inner)).collect();
        self.stack_ids = KnownIds::new();
        self
    }

    /// Continues from a world that was migrated to a different ruleset.
    pub(crate) fn succeed(&mut self, before: &World) {
        self.set_undo_limit(before.max_kept());
        if before.hashed {
            self.enable_hash();
        }
    }

    /// Goes on under a ruleset of the same text: all numbers mean the same. Handles from before are
    /// refused.
    pub(crate) fn go_on_under(&mut self, rules: &Arc<Ruleset>) {
        self.clear(0);
        self.scratch = None;
        self.rules = Arc::clone(rules);
        self.revision += 1;
        self.now.pass();
        let anew = |kind: KindId| rules.kind_id(kind.0);
        for holder in &mut self.holders {
            holder.shortcuts.iter_mut().for_each(|bound| *bound = bound.map(anew));
        }
        self.travelled = std::mem::take(&mut self.travelled).into_iter().map(|(kind, it)| (anew(kind), it)).collect();
        self.classes.go_on_under(rules);
        for job in self.jobs.values_mut() {
            job.recipe = rules.recipe_id(job.recipe.0);
        }
        let since = self.now.moment();
        self.holders.iter_mut().for_each(|holder| holder.since = since);
        self.give_handles(&|_, _| since);
    }

    /// The same under a ruleset that differs only in the values of caps.
    pub(crate) fn go_on_under_other_caps(&mut self, rules: &Arc<Ruleset>) {
        self.go_on_under(rules);
        for state in &mut self.containers {
            // The ground has no definition.
            if let Some(def) = rules.containers().get(state.def as usize) {
                state.weight_cap = def.weight_cap;
            }
        }
    }

    /// What another world has too, of the same ruleset, has the handles that it has there: a
    /// container under the same number and name, or in the same pack, and a holder of the same
    /// name.
    pub(crate) fn share_handles(&mut self, other: &World) {
        for (holder, theirs) in self.holders.iter_mut().zip(&other.holders) {
            if (&holder.name, holder.def) == (&theirs.name, theirs.def) {
                holder.since = theirs.since;
            }
        }
        self.give_handles(&|world, index| {
            let own = &world.containers[index as usize];
            let pack = |world: &World| {
                let parent = world.containers[index as usize].parent;
                (parent != Spot::NOWHERE).then(|| world.cell(parent).id)
            };
            let same = |theirs: &&ContainerState| {
                (&own.name, own.def, own.presence) == (&theirs.name, theirs.def, theirs.presence)
                    && pack(world) == pack(other)
            };
            other.containers.get(index as usize).filter(same).unwrap_or(own).since
        });
    }

    fn give_handles(&mut self, since: &dyn Fn(&World, u32) -> Moment) {
        let moments: Vec<Moment> = (0..self.container_count()).map(|index| since(self, index)).collect();
        for holder in 0..self.holders.len() {
            // An origin in a removed container must not refer to a new container.
            let origin = self.holders[holder].origin.filter(|origin| self.has_container(origin.container));
            let anew = |Origin { container: ContainerId { index, .. }, slot }| {
                let since = moments[index as usize];
                Origin { container: ContainerId { index, since }, slot }
            };
            self.holders[holder].origin = origin.map(anew);
        }
        for (state, since) in self.containers.iter_mut().zip(moments) {
            state.since = since;
        }
    }

    /// Continues from a world of a different ruleset.
    pub(crate) fn go_on_from(&mut self, revision: u64, random: crate::snapshot::Random) {
        (self.revision, self.random, self.scratch) = (revision, random.0, None);
        self.now.pass();
    }
}

impl ContainerState {
    /// The most items of a kind in a slot: the least of the limits of kind, container and slot.
    #[inline(always)]
    pub(crate) fn limit(&self, rules: &Ruleset, kind: u32, slot: u32) -> u32 {
        self.limits().of(rules, slot, kind)
    }

    /// The number of its items of a kind; `None` if it is not stored.
    pub(crate) fn kept_count(&self, kind: KindId) -> Option<u64> {
        self.index.count(kind.0)
    }

    /// The number of its items of each kind and of each class with marks or properties, unordered;
    /// none if it is not stored.
    pub(crate) fn kept_counts(&self) -> Option<impl Iterator<Item = (u32, u64)> + '_> {
        self.index.counts()
    }

    /// The number of plain items of a kind that still fit onto its stacks; `None` if it is not
    /// stored.
    pub(crate) fn kept_room(&self, kind: u32) -> Option<u64> {
        self.index.room(kind)
    }

    /// The filter of a slot.
    #[inline(always)]
    pub(crate) fn slot_filter(&self, rules: &Ruleset, slot: u32) -> Option<FilterId> {
        if slot >= self.ruled { None } else { ruled_filter(rules, self.def, slot) }
    }

    /// An empty one that lies nowhere.
    pub(crate) fn new(rules: &Ruleset, def: u32, slots: u32) -> ContainerState {
        // The ground has no definition and no rules.
        let rule = rules.containers().get(def as usize);
        let mut state = ContainerState {
            name: "".into(),
            def,
            since: Moment::NEVER,
            generation: 0,
            came_before: Vec::new(),
            presence: Presence::Inside,
            came: 0,
            holder: NONE,
            parent: Spot::NOWHERE,
            base: 0,
            work: rule.filter(|def| def.works).map_or(NONE, |def| def.bounds.1),
            slots,
            taken: 0,
            ruled: rule.map_or(0, |def| small(def.ruled.len())),
            stack_limit: rule.map_or(u32::MAX, |def| def.stack_limit),
            weight_cap: rule.map_or(i64::MAX, |def| def.weight_cap),
            admits: rule.and_then(|def| def.admits),
            borders: [Border::Anyone; 3],
            has_slot_borders: rule.is_some_and(|def| def.ruled.iter().any(SlotDef::has_border)),
            for_anyone: true,
            for_owner: true,
            owner: NONE,
            must_open: rule.is_some_and(|def| def.must_open),
            exclusive: rule.is_some_and(|def| def.exclusive),
            reserved_first: rule.is_some_and(|def| def.reserved_first),
            is_simple: rules.is_simple(def),
            has_caps: rule.is_some_and(|def| !def.caps.is_empty()),
            deep: rule.is_some_and(|def| def.deep),
            capped: Counts::default(),
            weight: 0,
            hash: 0,
            index: Index::new(rule.map_or(slots, |def| def.bounds.1)),
        };
        if let Some(def) = rule {
            state.set_borders(Right::ALL.map(|right| def.access(right).border()));
        }
        state
    }
}

#[inline(never)]
fn ruled_filter(rules: &Ruleset, def: u32, slot: u32) -> Option<FilterId> {
    rules.containers().get(def as usize)?.ruled.get(slot as usize)?.admits
}
