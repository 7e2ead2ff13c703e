//! The worlds that were seen, each once, with the way to it.

use hashbrown::HashTable;

use super::packed::hash_of;

/// In place of the number of a world where there is none.
pub(super) const NOBODY: u32 = u32::MAX;

/// Worlds by their numbers, in the order in which they were found.
#[derive(Debug, Default)]
pub(super) struct Store {
    /// The bytes of all worlds, one after the other.
    bytes: Vec<u8>,
    ends: Vec<usize>,
    /// From which world each was reached, and by which of that one's operations.
    parents: Vec<u32>,
    moves: Vec<u32>,
    table: HashTable<u32>,
}

impl Store {
    pub(super) fn len(&self) -> usize {
        self.parents.len()
    }

    /// How many there are, as the number of the next.
    pub(super) fn count(&self) -> u32 {
        u32::try_from(self.len()).unwrap_or(NOBODY)
    }

    /// Which of the operations of the world before led to one.
    pub(super) fn moves(&self, number: u32) -> u32 {
        self.moves[number as usize]
    }

    pub(super) fn world(&self, number: u32) -> &[u8] {
        let number = number as usize;
        let start = number.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.bytes[start..self.ends[number]]
    }

    /// The number of a world, and whether it is new.
    pub(super) fn enter(&mut self, bytes: &[u8], parent: u32, nth: u32) -> (u32, bool) {
        let hash = hash_of(bytes);
        // Compared whole: a hash alone could take two worlds for one.
        let known = self.table.find(hash, |&number| self.world(number) == bytes);
        if let Some(&number) = known {
            return (number, false);
        }
        let number = u32::try_from(self.len()).unwrap_or(NOBODY);
        self.bytes.extend_from_slice(bytes);
        self.ends.push(self.bytes.len());
        self.parents.push(parent);
        self.moves.push(nth);
        let (all, ends) = (&self.bytes, &self.ends);
        let rehash = |&number: &u32| {
            let number = number as usize;
            let start = number.checked_sub(1).map_or(0, |before| ends[before]);
            hash_of(&all[start..ends[number]])
        };
        self.table.insert_unique(hash, number, rehash);
        (number, true)
    }

    fn parent(&self, number: u32) -> Option<u32> {
        Some(self.parents[number as usize]).filter(|parent| *parent != NOBODY)
    }

    /// The worlds on the way from the start, the start first.
    pub(super) fn way_to(&self, number: u32) -> Vec<u32> {
        let mut way: Vec<u32> = std::iter::successors(Some(number), |&at| self.parent(at)).collect();
        way.reverse();
        way
    }

    /// What all of it takes, in bytes.
    pub(super) fn memory(&self) -> u64 {
        let bytes =
            self.bytes.capacity() + self.ends.capacity() * 8 + (self.parents.capacity() + self.moves.capacity()) * 4;
        (bytes + self.table.allocation_size()) as u64
    }
}
