use std::sync::Arc;

use rand_core::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;
use rustc_hash::FxHashMap;

use super::history::History;
use super::index::Index;
use super::{Cell, ClassTable, ContainerState, Ground, HolderState, NONE, Tally, World};
use crate::id::ContainerDefId;
use crate::ruleset::Ruleset;

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
            holders: Vec::new(),
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
            world.holder_names.insert(def.id().into(), holder);
            world.holders.push(HolderState {
                name: def.id().into(),
                def: small(index),
                generation: 0,
                containers,
                weight: 0,
                capped: vec![0; def.caps.len()],
            });
        }
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

    fn add_container(&mut self, name: Box<str>, def: u32, slots: u32, holder: u32) -> u32 {
        let index = small(self.containers.len());
        let base = small(self.cells.len());
        self.cells.resize(self.cells.len() + slots as usize, Cell::default());
        let rules = self.rules.containers().get(def as usize);
        // The ground has no definition and no rules.
        let ruled = rules.map_or(0, |def| small(def.ruled.len()));
        let stack_limit = rules.map_or(u32::MAX, |def| def.stack_limit);
        let weight_cap = rules.map_or(i64::MAX, |def| def.weight_cap);
        let admits = rules.and_then(|def| def.admits);
        let capped = vec![0; rules.map_or(0, |def| def.caps.len())];
        let (put, take) = rules.map_or((true, true), |def| (def.put, def.take));
        self.container_names.insert(name.clone(), index);
        self.containers.push(ContainerState {
            name,
            def,
            generation: 0,
            holder,
            base,
            slots,
            taken: 0,
            ruled,
            stack_limit,
            weight_cap,
            admits,
            put,
            take,
            capped,
            weight: 0,
            index: Index::new(slots),
        });
        index
    }
}
