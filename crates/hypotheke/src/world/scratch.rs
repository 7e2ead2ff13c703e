//! Buffers that operations work in. The world keeps them, so that steady play allocates nothing.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex};

use rand_xoshiro::Xoshiro256PlusPlus;
use rustc_hash::FxHashMap;

use super::{Arriving, Cell, ClassKey, ContainerState, Event, Spot, Sums};
use crate::snapshot::Departure;

#[derive(Clone, Debug, Default)]
pub(crate) struct Scratch {
    pub(crate) events: Vec<Event>,
    /// Where a stack goes, part by part.
    pub(crate) parts: Vec<(Spot, u32)>,
    /// The documents of what has departed.
    pub(crate) departed: Vec<Departure>,
    /// The insides of packs that have departed, and the ids of those.
    pub(crate) gone_packs: Vec<(u32, u64)>,
    /// True if the events have been carried out.
    pub(crate) applied: bool,
    pub(crate) overlay: Overlay,
}

/// Buffers for queries, so that repeated queries allocate nothing. If a different thread uses them,
/// new ones are created.
#[derive(Default)]
pub(crate) struct Spare(Mutex<Option<Box<Scratch>>>);

impl Spare {
    pub(crate) fn take(&self) -> Box<Scratch> {
        self.0.try_lock().ok().and_then(|mut spare| spare.take()).unwrap_or_default()
    }

    pub(crate) fn put_back(&self, scratch: Box<Scratch>) {
        if let Ok(mut spare) = self.0.try_lock() {
            *spare = Some(scratch);
        }
    }
}

impl Clone for Spare {
    fn clone(&self) -> Spare {
        Spare::default()
    }
}

/// What only some operations need.
#[derive(Clone, Debug, Default)]
pub(crate) struct Overlay {
    /// True if anything here is to be cleared.
    pub(crate) used: bool,
    pub(crate) pending: Pending,
    /// Changes of weight.
    pub(crate) weights: Sums<Bearer>,
    /// Changes of how many items satisfy the filter of a cap, by its number.
    pub(crate) caps: Sums<(Bearer, u32)>,
    /// Where packs would lie, by the containers inside of them.
    pub(crate) parents: Vec<(u32, Spot)>,
    /// Where the stacks in hands would come from, by holder.
    pub(crate) origins: Vec<(u32, Option<Spot>)>,
    /// Containers that packs would bring, beyond those that the world has.
    pub(crate) new_packs: Vec<ContainerState>,
    /// What would arrive.
    pub(crate) arriving: Vec<Arriving>,
    /// The documents of that.
    pub(crate) documents: Vec<Arc<Departure>>,
    /// How many holders would arrive.
    pub(crate) new_holders: usize,
    /// Containers that wait in the world and that would be brought.
    pub(crate) brought: Vec<u32>,
    /// The random numbers after the operation, if it drew any.
    pub(crate) random: Option<Xoshiro256PlusPlus>,
    /// Classes that the operation brings into the world.
    pub(crate) new_classes: Vec<(ClassKey, u32)>,
}

/// What has limits of its own: a container or a holder.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) enum Bearer {
    Container(u32),
    Holder(u32),
}

impl Scratch {
    #[inline(always)]
    pub(crate) fn clear(&mut self) {
        self.events.clear();
        self.parts.clear();
        self.applied = false;
        if self.overlay.used || !self.departed.is_empty() {
            self.clear_rest();
        }
    }

    #[inline(never)]
    fn clear_rest(&mut self) {
        self.departed.clear();
        self.gone_packs.clear();
        self.overlay.clear();
    }
}

impl Overlay {
    /// Forgets the changes on top of the world, but not the new parts of the operation.
    pub(crate) fn clear_cells(&mut self) {
        self.pending.clear();
        self.weights.clear();
        self.caps.clear();
        self.parents.clear();
        self.origins.clear();
    }

    fn clear(&mut self) {
        self.used = false;
        self.clear_cells();
        self.new_packs.clear();
        self.brought.clear();
        self.arriving.clear();
        self.documents.clear();
        self.new_holders = 0;
        self.random = None;
        self.new_classes.clear();
    }
}

/// The cells of a draft, on top of the present world.
#[derive(Clone, Debug, Default)]
pub(crate) struct Pending {
    /// In no order; used as long as there are few.
    few: Vec<(Spot, Cell)>,
    many: Option<Box<Many>>,
}

const FEW: usize = 16;

#[derive(Clone, Debug, Default)]
struct Many {
    cells: FxHashMap<Spot, Cell>,
    taken: BTreeSet<Spot>,
    empty: BTreeSet<Spot>,
    /// Container, class and slot of stacks with room for more.
    room: BTreeSet<(u32, u32, u32)>,
    /// Container and class (or `EMPTY`): below this slot, all that the world would find has been
    /// changed.
    passed: BTreeMap<(u32, u32), u32>,
}

/// A class number that means: empty slots.
pub(crate) const EMPTY: u32 = u32::MAX;

impl Pending {
    fn clear(&mut self) {
        self.few.clear();
        self.many = None;
    }

    #[inline]
    pub(crate) fn get(&self, spot: Spot) -> Option<Cell> {
        match &self.many {
            None => self.few.iter().find(|(changed, _)| *changed == spot).map(|(_, cell)| *cell),
            Some(many) => many.cells.get(&spot).copied(),
        }
    }

    /// `limit` gives the most of a kind that the spot holds.
    pub(crate) fn set(&mut self, spot: Spot, cell: Cell, limit: impl Fn(Spot, u32) -> u32) {
        if let Some(many) = &mut self.many {
            many.set(spot, cell, limit);
        } else if let Some((_, known)) = self.few.iter_mut().find(|(changed, _)| *changed == spot) {
            *known = cell;
        } else if self.few.len() < FEW {
            self.few.push((spot, cell));
        } else {
            let mut many = Box::new(Many::default());
            for (spot, cell) in self.few.drain(..) {
                many.set(spot, cell, &limit);
            }
            many.set(spot, cell, limit);
            self.many = Some(many);
        }
    }

    /// How many of the changed slots of a container are empty.
    pub(crate) fn emptied(&self, container: u32) -> usize {
        match &self.many {
            None => self.few.iter().filter(|(spot, cell)| spot.container == container && cell.is_empty()).count(),
            Some(many) => {
                let range = Spot { container, slot: 0 }..=Spot { container, slot: u32::MAX };
                many.empty.range(range).count()
            }
        }
    }

    /// The next changed slot of a container that holds a stack which is wanted.
    pub(crate) fn next(&self, container: u32, from: u32, wanted: impl Fn(Cell) -> bool) -> Option<u32> {
        let inside = |spot: &Spot| spot.container == container && spot.slot >= from;
        match &self.many {
            None => {
                self.few.iter().filter(|(spot, cell)| inside(spot) && wanted(*cell)).map(|(spot, _)| spot.slot).min()
            }
            Some(many) => {
                let range = Spot { container, slot: from }..=Spot { container, slot: u32::MAX };
                many.taken
                    .range(range)
                    .find(|spot| many.cells.get(spot).is_some_and(|cell| wanted(*cell)))
                    .map(|spot| spot.slot)
            }
        }
    }

    /// The next changed slot that is empty (`class` is `EMPTY`), or has a stack of the class with
    /// room for more.
    pub(crate) fn next_target(
        &self,
        container: u32,
        class: u32,
        from: u32,
        limit: impl Fn(Spot, u32) -> u32,
    ) -> Option<u32> {
        match &self.many {
            None => {
                let wanted = |spot: Spot, cell: Cell| match class {
                    EMPTY => cell.is_empty(),
                    _ => cell.class == class && !cell.is_empty() && cell.count < limit(spot, cell.kind),
                };
                let inside = |spot: &Spot| spot.container == container && spot.slot >= from;
                self.few
                    .iter()
                    .filter(|(spot, cell)| inside(spot) && wanted(*spot, *cell))
                    .map(|(spot, _)| spot.slot)
                    .min()
            }
            Some(many) if class == EMPTY => {
                let range = Spot { container, slot: from }..=Spot { container, slot: u32::MAX };
                many.empty.range(range).next().map(|spot| spot.slot)
            }
            Some(many) => {
                let range = (container, class, from)..=(container, class, u32::MAX);
                many.room.range(range).next().map(|&(_, _, slot)| slot)
            }
        }
    }

    /// From where on the world's own answer is worth asking for.
    pub(crate) fn passed(&self, container: u32, class: u32) -> u32 {
        self.many.as_ref().and_then(|many| many.passed.get(&(container, class)).copied()).unwrap_or(0)
    }

    /// Takes note that all that the world would find below `slot` has been changed.
    pub(crate) fn pass(&mut self, container: u32, class: u32, slot: u32) {
        if let Some(many) = &mut self.many {
            many.passed.insert((container, class), slot);
        }
    }
}

impl Many {
    fn set(&mut self, spot: Spot, cell: Cell, limit: impl Fn(Spot, u32) -> u32) {
        let has_room = |cell: Cell| !cell.is_empty() && cell.count < limit(spot, cell.kind);
        let before = self.cells.insert(spot, cell);
        // Most often a stack has only grown: then no order changes.
        if before.map(Cell::is_empty) != Some(cell.is_empty()) {
            let (left, entered) = match cell.is_empty() {
                true => (&mut self.taken, &mut self.empty),
                false => (&mut self.empty, &mut self.taken),
            };
            left.remove(&spot);
            entered.insert(spot);
        }
        let room = |cell: Cell| has_room(cell).then_some((spot.container, cell.class, spot.slot));
        let (before, after) = (before.and_then(room), room(cell));
        if before != after {
            before.iter().for_each(|entry| _ = self.room.remove(entry));
            self.room.extend(after);
        }
    }
}
