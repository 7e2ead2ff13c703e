use std::collections::BTreeSet;
use std::sync::Arc;

use rand_core::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;
use rustc_hash::FxHashMap;

use super::apply::slot_limit;
use super::history::History;
use super::index::Index;
use super::{
    Cell, Class, ClassKey, ClassTable, ContainerState, End, Event, GROUND, Ground, HolderState, Inner, NONE, Origin,
    Spot, Tally, World,
};
use crate::id::{ContainerDefId, ContainerId, StackId};
use crate::language::Position;
use crate::ruleset::{ContainerDef, FilterId, Ruleset};

fn small(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

impl World {
    /// A world with all containers and holders of the ruleset, in which nothing lies.
    #[must_use]
    pub fn empty(rules: &Arc<Ruleset>) -> World {
        let mut world = World::bare(rules);
        for (index, def) in rules.containers().iter().enumerate() {
            for name in def.instances() {
                world.bring_container(name, index, def.slots, None);
            }
        }
        for (index, def) in rules.holders().iter().enumerate() {
            let Some(holder) = world.bring_holder(def.id(), index) else { continue };
            for &ContainerDefId(container) in def.carries() {
                let carried = rules.container(ContainerDefId(container));
                let name = format!("{}.{}", def.id(), carried.id());
                world.bring_container(&name, container as usize, carried.slots, Some(holder));
            }
            world.bring_hand(holder);
        }
        world.end_of_lasting();
        world
    }

    /// An empty world in which each container has as many slots as it may ever have, to look up names in.
    pub(crate) fn largest(rules: &Arc<Ruleset>) -> World {
        let mut world = World::empty(rules);
        for state in &mut world.containers {
            state.slots = rules.containers().get(state.def as usize).map_or(state.slots, |def| def.bounds.1);
        }
        world
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
            lasting: 0,
            waiting: BTreeSet::new(),
            holders: Vec::new(),
            opened: BTreeSet::new(),
            bound: 0,
            ground: Ground::default(),
            classes: ClassTable::new(rules),
            whole_weight: 0,
            tallies: vec![Tally::default(); rules.kinds().len()],
            scratch: None,
            history: History::default(),
            container_names: FxHashMap::default(),
            holder_names: FxHashMap::default(),
            rules: Arc::clone(rules),
        };
        world.add_container("ground".into(), NONE, 0, NONE);
        world
    }

    /// Adds a container that stands in the world, or that a holder carries; false if there is a place of that name.
    pub(crate) fn bring_container(&mut self, name: &str, def: usize, slots: u32, holder: Option<u32>) -> bool {
        if self.container_names.contains_key(name) || self.holder_names.contains_key(name) {
            return false;
        }
        let container = self.add_container(name.into(), small(def), slots, holder.unwrap_or(NONE));
        if let Some(holder) = holder {
            self.holders[holder as usize].containers.push(container);
        }
        true
    }

    /// Adds a holder that carries nothing and has no hand yet; none if there is a place of that name.
    pub(crate) fn bring_holder(&mut self, name: &str, def: usize) -> Option<u32> {
        if self.container_names.contains_key(name) || self.holder_names.contains_key(name) {
            return None;
        }
        let holder = small(self.holders.len());
        self.holder_names.insert(name.into(), holder);
        self.holders.push(HolderState {
            name: name.into(),
            def: small(def),
            generation: 0,
            containers: Vec::new(),
            hand: NONE,
            origin: None,
            shortcuts: vec![None; self.rules.holders()[def].shortcuts as usize],
            weight: 0,
            capped: vec![0; self.rules.cap_filters.len()],
        });
        Some(holder)
    }

    pub(crate) fn bring_hand(&mut self, holder: u32) {
        let name = format!("{}.hand", self.holders[holder as usize].name);
        self.holders[holder as usize].hand = small(self.containers.len());
        self.add_hand(name.into(), holder);
    }

    /// What is brought from now on are the insides of packs.
    pub(crate) fn end_of_lasting(&mut self) {
        self.lasting = small(self.containers.len());
    }

    /// Lays a stack where nothing lies, whatever the rules say; gives the container inside of it.
    pub(crate) fn lay_as_it_was(&mut self, laid: Laid) -> u32 {
        let Laid { spot, at, id, count, key, slots } = laid;
        let class = self.classes.find(&key).unwrap_or_else(|| {
            let class = self.classes.next(&[]);
            self.classes.enter(&key, class);
            class
        });
        let inner = if slots.is_some() { self.container_count() } else { GROUND };
        let to = End { spot, stack: id, position: at };
        self.carry_out(&Event::Transferred {
            kind: key.kind,
            count,
            from: End::NOWHERE,
            to,
            class: Class(class),
            inner: Inner(inner),
        });
        if let Some(slots) = slots {
            self.containers[inner as usize].slots = slots;
        }
        inner
    }

    pub(crate) fn set_counters(
        &mut self,
        number: u32,
        revision: u64,
        next_stack: u64,
        random: &Xoshiro256PlusPlus,
        tallies: Vec<Tally>,
    ) {
        (self.number, self.revision, self.next_stack) = (number, revision, next_stack);
        self.random = random.clone();
        self.tallies = tallies;
        // Handles carry the number of their world.
        for holder in &mut self.holders {
            holder.origin = holder
                .origin
                .map(|origin| Origin { container: ContainerId { world: number, ..origin.container }, ..origin });
        }
    }

    /// The same world with another number and another start of its random numbers.
    ///
    /// The number, below 2²⁴, becomes part of the ids of its stacks: worlds that may exchange stacks need different ones.
    #[must_use]
    pub fn numbered(mut self, number: u32, seed: u64) -> World {
        self.number = number & 0xff_ffff;
        self.random = Xoshiro256PlusPlus::seed_from_u64(seed);
        self
    }

    /// A hand is a container of one slot without any rules, which no path and no filter can name.
    fn add_hand(&mut self, name: Box<str>, holder: u32) {
        let base = small(self.cells.len());
        self.cells.push(Cell::default());
        let state = ContainerState { name, holder, base, ..ContainerState::new(&self.rules, NONE, 1) };
        self.containers.push(state);
    }

    fn add_container(&mut self, name: Box<str>, def: u32, slots: u32, holder: u32) -> u32 {
        let index = small(self.containers.len());
        let base = small(self.cells.len());
        let reserved = self.rules.containers().get(def as usize).map_or(slots, |def| def.bounds.1);
        self.cells.resize(self.cells.len() + reserved as usize, Cell::default());
        self.container_names.insert(name.clone(), index);
        let state = ContainerState { name, holder, base, ..ContainerState::new(&self.rules, def, slots) };
        self.containers.push(state);
        index
    }
}

/// A stack that is laid without any operation.
pub(crate) struct Laid {
    pub(crate) spot: Spot,
    pub(crate) at: Position,
    pub(crate) id: StackId,
    pub(crate) count: u32,
    pub(crate) key: ClassKey,
    /// How many slots it has inside, if it is a pack.
    pub(crate) slots: Option<u32>,
}

impl ContainerState {
    /// The most items of a kind in a slot: the least of the limits of kind, container and slot.
    #[inline]
    pub(crate) fn limit(&self, rules: &Ruleset, kind: u32, slot: u32) -> u32 {
        slot_limit(rules, self.stack_limit, self.ruled, self.def, kind, slot)
    }

    /// The filter of a slot.
    #[inline]
    pub(crate) fn slot_filter(&self, rules: &Ruleset, slot: u32) -> Option<FilterId> {
        if slot >= self.ruled { None } else { rules.containers()[self.def as usize].ruled[slot as usize].admits }
    }

    /// An empty one that lies nowhere.
    pub(crate) fn new(rules: &Ruleset, def: u32, slots: u32) -> ContainerState {
        // The ground has no definition and no rules.
        let rule = rules.containers().get(def as usize);
        ContainerState {
            name: "".into(),
            def,
            generation: 0,
            holder: NONE,
            parent: Spot::NOWHERE,
            base: 0,
            slots,
            taken: 0,
            ruled: rule.map_or(0, |def| small(def.ruled.len())),
            stack_limit: rule.map_or(u32::MAX, |def| def.stack_limit),
            weight_cap: rule.map_or(i64::MAX, |def| def.weight_cap),
            admits: rule.and_then(|def| def.admits),
            put: rule.is_none_or(|def| def.put),
            take: rule.is_none_or(|def| def.take),
            must_open: rule.is_some_and(|def| def.must_open),
            exclusive: rule.is_some_and(|def| def.exclusive),
            reserved_first: rule.is_some_and(|def| def.reserved_first),
            is_simple: rule.is_some_and(ContainerDef::is_simple),
            deep: rule.is_some_and(|def| def.deep),
            capped: vec![0; rules.cap_filters.len()],
            weight: 0,
            index: Index::new(rule.map_or(slots, |def| def.bounds.1)),
        }
    }
}
