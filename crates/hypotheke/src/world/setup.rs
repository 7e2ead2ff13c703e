use std::collections::BTreeSet;
use std::sync::Arc;

use rand_core::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;
use rustc_hash::FxHashMap;

use super::apply::slot_limit;
use super::history::History;
use super::index::Index;
use super::{Cell, ClassTable, ContainerState, Ground, HolderState, NONE, Spot, Tally, World};
use crate::id::ContainerDefId;
use crate::ruleset::{FilterId, Ruleset};

fn small(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

impl World {
    /// A world with all containers and holders of the ruleset, in which nothing lies.
    #[must_use]
    pub fn empty(rules: &Arc<Ruleset>) -> World {
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
        let rules = Arc::clone(rules);
        for (index, def) in rules.containers().iter().enumerate() {
            for name in def.instances() {
                world.add_container(name.into(), small(index), def.slots, NONE);
            }
        }
        for (index, def) in rules.holders().iter().enumerate() {
            let holder = small(world.holders.len());
            let mut containers = Vec::new();
            for &ContainerDefId(container) in def.carries() {
                let carried = rules.container(ContainerDefId(container));
                let name = format!("{}.{}", def.id(), carried.id());
                containers.push(world.add_container(name.into(), container, carried.slots, holder));
            }
            let hand = small(world.containers.len());
            world.add_hand(format!("{}.hand", def.id()).into(), holder);
            world.holder_names.insert(def.id().into(), holder);
            world.holders.push(HolderState {
                name: def.id().into(),
                def: small(index),
                generation: 0,
                containers,
                hand,
                origin: None,
                shortcuts: vec![None; def.shortcuts as usize],
                weight: 0,
                capped: vec![0; rules.cap_filters.len()],
            });
        }
        world.lasting = small(world.containers.len());
        world
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
            deep: rule.is_some_and(|def| def.deep),
            capped: vec![0; rules.cap_filters.len()],
            weight: 0,
            index: Index::new(rule.map_or(slots, |def| def.bounds.1)),
        }
    }
}
