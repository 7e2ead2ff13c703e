//! The ids of all stacks, so that an arrival need not be compared with every stack.
//!
//! Most worlds never ask: the ids are collected when something arrives for the first time, and
//! followed from then on.

use std::sync::OnceLock;

use rustc_hash::FxHashMap;

use super::{Event, GROUND, Spot, World};
use crate::id::StackId;

/// Ids in blocks of this many, since a world gives them one after another.
const BLOCK: u64 = 64;

/// The ids of all stacks, a bit each, in the blocks in which there are any.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct StackIds {
    blocks: FxHashMap<u64, u64>,
}

impl StackIds {
    fn contains(&self, id: u64) -> bool {
        self.blocks.get(&(id / BLOCK)).is_some_and(|bits| bits >> (id % BLOCK) & 1 == 1)
    }

    pub(super) fn insert(&mut self, id: u64) {
        *self.blocks.entry(id / BLOCK).or_default() |= 1 << (id % BLOCK);
    }

    pub(super) fn remove(&mut self, id: u64) {
        let std::collections::hash_map::Entry::Occupied(mut block) = self.blocks.entry(id / BLOCK) else { return };
        *block.get_mut() &= !(1 << (id % BLOCK));
        if *block.get() == 0 {
            block.remove();
        }
    }
}

/// Empty until its first use.
pub(super) type KnownIds = OnceLock<StackIds>;

impl World {
    /// Whether one of these stacks is present. The first call visits all stacks.
    pub(crate) fn has_any<'i>(&self, ids: impl IntoIterator<Item = &'i StackId>) -> bool {
        let mut ids = ids.into_iter().peekable();
        if ids.peek().is_none() {
            return false;
        }
        let known = self.stack_ids.get_or_init(|| self.collect_ids());
        ids.any(|id| known.contains(id.0))
    }

    pub(super) fn collect_ids(&self) -> StackIds {
        let mut known = StackIds::default();
        let there = (0..self.container_count()).filter(|&container| self.is_there(container));
        there.flat_map(|container| self.cells_in(container)).for_each(|cell| known.insert(cell.id));
        known
    }

    /// Updates the ids after an operation or an undo. Arrivals and departures are handled there.
    #[inline(always)]
    pub(crate) fn follow_ids(&mut self) {
        if self.stack_ids.get().is_some() {
            self.follow_latest_ids();
        }
    }

    #[inline(never)]
    fn follow_latest_ids(&mut self) {
        let events = self.scratch.as_mut().map(|scratch| std::mem::take(&mut scratch.events));
        self.follow_ids_of(events.as_deref().unwrap_or_default());
        if let (Some(scratch), Some(events)) = (&mut self.scratch, events) {
            scratch.events = events;
        }
    }

    /// A stack that events name ends up where one of them places or leaves it, or nowhere.
    pub(super) fn follow_ids_of(&mut self, events: &[Event]) {
        let Some(mut known) = self.stack_ids.take() else { return };
        // A stack that moves whole to an empty place is still present.
        let stays = |event: &Event| match event {
            Event::Moved { from, to, .. } => from.stack == to.stack && events.len() == 1,
            _ => false,
        };
        for event in events.iter().filter(|event| !stays(event)) {
            if let Event::Moved { from, to, .. } = event {
                known.remove(from.stack.0);
                known.remove(to.stack.0);
            }
        }
        for event in events.iter().filter(|event| !stays(event)) {
            let ends = match event {
                Event::Moved { from, to, .. } => [from.spot, to.spot],
                Event::Swapped { one, other } => [one.spot, other.spot],
                _ => continue,
            };
            for spot in ends.into_iter().filter(|&spot| self.is_spot_there(spot)) {
                let cell = self.cell(spot);
                if !cell.is_empty() {
                    known.insert(cell.id);
                }
            }
        }
        self.stack_ids = known.into();
    }

    fn is_spot_there(&self, spot: Spot) -> bool {
        spot.container == GROUND
            || spot.container < self.container_count()
                && self.is_there(spot.container)
                && (self.has_spot(spot) || self.is_in_work(spot))
    }
}
