use std::collections::{BTreeMap, BTreeSet};

use rustc_hash::FxHashMap;

use crate::language::Position;

use super::cell::Cell;

/// The stacks on the ground in order of arrival. An arrival number is never used again in a world.
#[derive(Clone, Debug, Default)]
pub(crate) struct Ground {
    pub(crate) next_landing: u32,
    stacks: BTreeMap<u32, (Cell, Position)>,
    by_kind: BTreeSet<(u32, u32)>,
    by_id: FxHashMap<u64, u32>,
    pub(crate) weight: i64,
}

impl Ground {
    pub(crate) fn get(&self, landing: u32) -> Cell {
        self.stacks.get(&landing).map_or(Cell::default(), |(cell, _)| *cell)
    }

    pub(crate) fn position(&self, landing: u32) -> Position {
        self.stacks.get(&landing).map_or(Position::default(), |(_, position)| *position)
    }

    /// Puts a cell at a place on the ground, taken or not; an empty cell removes the stack.
    pub(crate) fn set(&mut self, landing: u32, cell: Cell, position: Position) {
        let before = match cell.is_empty() {
            true => self.stacks.remove(&landing),
            false => self.stacks.insert(landing, (cell, position)),
        };
        if let Some((before, _)) = before {
            self.by_kind.remove(&(before.kind, landing));
            self.by_id.remove(&before.id);
        }
        if !cell.is_empty() {
            self.by_kind.insert((cell.kind, landing));
            self.by_id.insert(cell.id, landing);
        }
    }

    /// Gives stacks other ids.
    pub(crate) fn rename(&mut self, renamed: impl Fn(u64) -> u64) {
        for (cell, _) in self.stacks.values_mut() {
            cell.id = renamed(cell.id);
        }
        self.by_id = self.stacks.iter().map(|(&landing, (cell, _))| (cell.id, landing)).collect();
    }

    /// How many stacks are entered by kind and by id.
    pub(crate) fn entered(&self) -> (usize, usize) {
        (self.by_kind.len(), self.by_id.len())
    }

    /// The stacks, in order of arrival.
    pub(crate) fn cells(&self) -> impl Iterator<Item = Cell> + '_ {
        self.stacks.values().map(|(cell, _)| *cell)
    }

    pub(crate) fn len(&self) -> usize {
        self.stacks.len()
    }

    pub(crate) fn landing_of(&self, id: u64) -> Option<u32> {
        self.by_id.get(&id).copied()
    }

    pub(crate) fn next(&self, from: u32) -> Option<u32> {
        self.stacks.range(from..).next().map(|(&landing, _)| landing)
    }

    pub(crate) fn next_of_kind(&self, kind: u32, from: u32) -> Option<u32> {
        self.by_kind.range((kind, from)..=(kind, u32::MAX)).next().map(|&(_, landing)| landing)
    }
}
