//! Whether what a world keeps beside its cells says the same as they do.

use std::collections::BTreeMap;
use std::fmt;

use super::{Bearer, Cell, ClassTable, GROUND, NONE, Spot, World};
use crate::narrow;

/// A sum or an index that differs from the recomputed one: a bug in this library.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Discrepancy {
    what: String,
    kept: String,
    counted: String,
}

impl fmt::Display for Discrepancy {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: stored {}, recomputed {}", self.what, self.kept, self.counted)
    }
}

impl World {
    /// Recomputes the sums and indexes of a world and compares them. A difference is a bug in this
    /// library. The cost is that of reading the whole world several times.
    #[must_use]
    pub fn check_indexes(&self) -> Vec<Discrepancy> {
        let mut recount = Recompute { world: self, found: Vec::new() };
        for container in 1..self.container_count() {
            recount.sums_of(container);
            recount.index_of(container);
            recount.parent_of(container);
        }
        recount.holders();
        recount.ground();
        recount.whole();
        recount.jobs();
        recount.insides();
        recount.classes();
        recount.found
    }
}

struct Recompute<'w> {
    world: &'w World,
    found: Vec<Discrepancy>,
}

impl Recompute<'_> {
    fn compare<T: PartialEq + fmt::Debug>(&mut self, what: impl FnOnce() -> String, kept: &T, counted: &T) {
        if kept != counted {
            self.found.push(Discrepancy { what: what(), kept: format!("{kept:?}"), counted: format!("{counted:?}") });
        }
    }

    fn name(&self, container: u32) -> String {
        if container == GROUND { "ground".to_owned() } else { self.world.name_of(container) }
    }

    /// The stacks of a container, by going through all of its cells.
    fn cells(&self, container: u32) -> Vec<(u32, Cell)> {
        if container == GROUND {
            let landings = std::iter::successors(self.world.ground.next(0), |&last| self.world.ground.next(last + 1));
            return landings.map(|landing| (landing, self.world.ground.get(landing))).collect();
        }
        let slots = 0..self.world.slot_count(container);
        let cells = slots.map(|slot| (slot, self.world.cell(Spot { container, slot })));
        cells.filter(|(_, cell)| !cell.is_empty()).collect()
    }

    /// The same, then those that it works on.
    fn all_cells(&self, container: u32) -> Vec<(u32, Cell)> {
        let in_work = self.world.work_spots(container).map(|spot| (spot.slot, self.world.cell(spot)));
        self.cells(container).into_iter().chain(in_work).collect()
    }

    fn weight(&self, container: u32) -> i64 {
        let weight_of = |cell: Cell| {
            let own = i64::from(cell.count) * self.world.rules.figures[cell.kind as usize].weight;
            own + if cell.is_pack() { self.weight(cell.inner) } else { 0 }
        };
        self.all_cells(container).into_iter().map(|(_, cell)| weight_of(cell)).sum()
    }

    fn capped(&self, container: u32, number: usize) -> u64 {
        let filter = self.world.rules.cap_filters[number];
        let counted = |cell: Cell| {
            let own = ClassTable::admits(&self.world.classes, &self.world.rules, filter, cell.kind, cell.class);
            let inside = if cell.is_pack() { self.capped(cell.inner, number) } else { 0 };
            inside + if own { u64::from(cell.count) } else { 0 }
        };
        self.all_cells(container).into_iter().map(|(_, cell)| counted(cell)).sum()
    }

    fn sums_of(&mut self, container: u32) {
        let (state, name) = (self.world.state(container), self.name(container));
        let taken = narrow::index(self.cells(container).len());
        self.compare(|| format!("stacks in {name}"), &state.taken, &taken);
        self.compare(|| format!("weight of {name}"), &state.weight, &self.weight(container));
        for number in 0..self.world.rules.cap_filters.len() {
            let counted = self.capped(container, number);
            self.compare(|| format!("items of cap {number} in {name}"), &state.capped.get(number), &counted);
        }
    }

    /// The index, slot by slot, equals the contents.
    fn index_of(&mut self, container: u32) {
        let (world, name, cells) = (self.world, self.name(container), self.cells(container));
        let walk = |next: &dyn Fn(u32) -> Option<u32>| {
            std::iter::successors(next(0), |&last| next(last.checked_add(1)?)).collect::<Vec<u32>>()
        };
        let slots_where = |wanted: &dyn Fn(u32, Cell) -> bool| -> Vec<u32> {
            cells.iter().filter(|(slot, cell)| wanted(*slot, *cell)).map(|(slot, _)| *slot).collect()
        };
        let taken = slots_where(&|_, _| true);
        self.compare(|| format!("taken slots of {name}"), &walk(&|from| world.next_taken(container, from)), &taken);
        let empty: Vec<u32> =
            (0..world.slot_count(container)).filter(|slot| taken.binary_search(slot).is_err()).collect();
        self.compare(|| format!("empty slots of {name}"), &walk(&|from| world.next_empty(container, from)), &empty);
        let classes: BTreeMap<u32, u32> = cells.iter().map(|(_, cell)| (cell.class, cell.kind)).collect();
        let (mut entries, mut with_room) = (0, 0);
        for &kind in &cells.iter().map(|(_, cell)| cell.kind).collect::<std::collections::BTreeSet<u32>>() {
            let counted = slots_where(&|_, cell| cell.kind == kind);
            entries += counted.len();
            let kept = walk(&|from| world.next_of_kind(container, kind, from));
            self.compare(|| format!("slots with kind {kind} in {name}"), &kept, &counted);
        }
        for (&class, &kind) in &classes {
            let room = |slot: u32, cell: Cell| cell.count < world.limit(Spot { container, slot }, kind);
            let counted = slots_where(&|slot, cell| cell.class == class && room(slot, cell));
            with_room += counted.len();
            // Those that are not plain are entered once more.
            entries += if class == kind { 0 } else { counted.len() };
            let kept = walk(&|from| world.next_with_room(container, kind, class, from));
            self.compare(|| format!("slots with room for class {class} in {name}"), &kept, &counted);
        }
        self.counts_of(container, &cells);
        if let Some(entered) = world.state(container).index.entered() {
            self.compare(|| format!("entries of the index of {name}"), &entered, &(entries, with_room));
        }
    }

    /// How many items of each kind and class there are, and how many more would fit onto them.
    fn counts_of(&mut self, container: u32, cells: &[(u32, Cell)]) {
        let (world, name) = (self.world, self.name(container));
        let Some(kept) = world.state(container).index.counts() else { return };
        let kept: BTreeMap<u32, u64> = kept.filter(|(_, count)| *count > 0).collect();
        let (mut counted, mut room): (BTreeMap<u32, u64>, BTreeMap<u32, u64>) = Default::default();
        for &(slot, cell) in cells {
            for class in [cell.kind, cell.class].into_iter().take(if cell.kind == cell.class { 1 } else { 2 }) {
                *counted.entry(class).or_default() += u64::from(cell.count);
            }
            let limit = world.limit(Spot { container, slot }, cell.kind);
            *room.entry(cell.class).or_default() += u64::from(limit.saturating_sub(cell.count));
        }
        self.compare(|| format!("items by kind and class in {name}"), &kept, &counted);
        for (class, counted) in room {
            let kept = world.state(container).index.room(class);
            self.compare(|| format!("room on stacks of class {class} in {name}"), &kept, &Some(counted));
        }
    }

    /// A container in a pack is where the pack says; one that waits for reuse is empty.
    fn parent_of(&mut self, container: u32) {
        let (world, name) = (self.world, self.name(container));
        for (slot, cell) in self.cells(container).into_iter().filter(|(_, cell)| cell.is_pack()) {
            let parent = world.state(cell.inner).parent;
            self.compare(|| format!("place of the container of {name}/{slot}"), &parent, &Spot { container, slot });
            // What has departed may have arrived again, as another container.
            if world.is_there(cell.inner) {
                let found = world.insides.get(&cell.id);
                self.compare(|| format!("container of #{}", cell.id), &found, &Some(&cell.inner));
            }
        }
        let parent = world.state(container).parent;
        if parent != Spot::NOWHERE {
            self.compare(|| format!("pack of {name}"), &world.cell(parent).inner, &container);
        } else if world.waits(container) {
            self.compare(|| format!("stacks in unused container {container}"), &self.all_cells(container).len(), &0);
        }
    }

    fn holders(&mut self) {
        let world = self.world;
        let mut bound = 0;
        for (index, holder) in (0..).zip(&world.holders).filter(|(_, holder)| holder.is_there) {
            let borne: Vec<u32> =
                holder.containers.iter().copied().chain([holder.hand]).filter(|&at| at != NONE).collect();
            let weight: i64 = borne.iter().map(|&container| self.weight(container)).sum();
            self.compare(|| format!("weight of {}", holder.name), &holder.weight, &weight);
            for number in 0..self.world.rules.cap_filters.len() {
                let counted: u64 = borne.iter().map(|&container| self.capped(container, number)).sum();
                let kept = world.capped(Bearer::Holder(index), narrow::index(number));
                self.compare(|| format!("items of cap {number} on {}", holder.name), &kept, &counted);
            }
            bound += holder.shortcuts.iter().flatten().count();
        }
        self.compare(|| "shortcuts that point at a kind".to_owned(), &(world.bound as usize), &bound);
    }

    fn ground(&mut self) {
        let (world, cells) = (self.world, self.cells(GROUND));
        self.compare(|| "weight of ground".to_owned(), &world.ground.weight, &self.weight(GROUND));
        let counted = (cells.len(), cells.len());
        self.compare(|| "stacks on the ground by kind and id".to_owned(), &world.ground.entered(), &counted);
        for (landing, cell) in cells {
            let found = world.ground.landing_of(cell.id);
            self.compare(|| format!("where #{} has landed", cell.id), &found, &Some(landing));
        }
    }

    /// What containers work on is due at its tick, unless they have departed.
    fn jobs(&mut self) {
        let world = self.world;
        let there = world.jobs.iter().filter(|(container, _)| world.is_there(**container));
        let counted = there.map(|(container, job)| (job.due, *container)).collect();
        self.compare(|| "what is due".to_owned(), &world.due, &counted);
        for container in (0..world.container_count()).filter(|container| !world.jobs.contains_key(container)) {
            let (held, name) = (world.work_spots(container).count(), self.name(container));
            self.compare(|| format!("stacks in work of idle {name}"), &held, &0);
        }
    }

    fn insides(&mut self) {
        let (kept, counted) = (self.world.insides.len(), self.world.packs().count());
        self.compare(|| "containers of packs by id".to_owned(), &kept, &counted);
        if let Some(known) = self.world.stack_ids.get() {
            self.compare(|| "ids of all stacks".to_owned(), &(*known == self.world.collect_ids()), &true);
        }
    }

    fn whole(&mut self) {
        let outermost = (0..self.world.container_count()).filter(|&at| self.world.is_lasting(at));
        let weight: i64 = outermost.map(|container| self.weight(container)).sum();
        self.compare(|| "total weight".to_owned(), &self.world.whole_weight, &weight);
        if let Some(hash) = self.world.contents_hash() {
            self.compare(|| "hash of the contents".to_owned(), &hash, &self.world.counted_hash());
        }
    }

    fn classes(&mut self) {
        let world = self.world;
        let mut counted: BTreeMap<u32, u64> = BTreeMap::new();
        for container in 0..world.container_count() {
            for (_, cell) in self.all_cells(container) {
                *counted.entry(cell.class).or_default() += 1;
            }
        }
        for (class, uses) in world.classes.uses() {
            let counted = counted.get(&class).copied().unwrap_or(0) + world.remembered(class);
            self.compare(|| format!("stacks of class {class}"), &uses, &counted);
        }
    }
}
