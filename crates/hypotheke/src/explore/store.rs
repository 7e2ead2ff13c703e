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
    /// Where the bytes of each end; the lower half of the number.
    ends: Vec<u32>,
    /// From which world on the higher half of that is one more.
    wraps: Vec<u32>,
    /// From which world each was reached, and by which of that one's operations.
    parents: Vec<u32>,
    moves: Vec<u32>,
    table: HashTable<u32>,
}

/// Room for one more. An eighth is added and not as much again: of ten million worlds the half would be nothing.
fn push<T>(list: &mut Vec<T>, item: T) {
    make_room(list, 1);
    list.push(item);
}

fn make_room<T>(list: &mut Vec<T>, more: usize) {
    if list.capacity() - list.len() < more {
        list.reserve_exact(more.max(list.len() / 8).max(64));
    }
}

/// Where the bytes of a world begin and end.
fn range(ends: &[u32], wraps: &[u32], number: usize) -> std::ops::Range<usize> {
    let end = |number: usize| {
        let wrapped = wraps.partition_point(|&from| from as usize <= number);
        wrapped << 32 | ends[number] as usize
    };
    number.checked_sub(1).map_or(0, end)..end(number)
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

    /// The number of a world, if it was seen.
    pub(super) fn find(&self, bytes: &[u8], hash: u64) -> Option<u32> {
        // Compared whole: a hash alone could take two worlds for one.
        let is_it = |&number: &u32| &self.bytes[range(&self.ends, &self.wraps, number as usize)] == bytes;
        self.table.find(hash, is_it).copied()
    }

    /// Adds a world that was not seen before.
    pub(super) fn add(&mut self, bytes: &[u8], hash: u64, parent: u32, nth: u32) -> u32 {
        let number = self.count();
        make_room(&mut self.bytes, bytes.len());
        let before = self.bytes.len() as u64;
        self.bytes.extend_from_slice(bytes);
        let after = self.bytes.len() as u64;
        if before >> 32 != after >> 32 {
            self.wraps.push(number);
        }
        push(&mut self.ends, u32::try_from(after & u64::from(u32::MAX)).unwrap_or(0));
        push(&mut self.parents, parent);
        push(&mut self.moves, nth);
        let (all, ends, wraps) = (&self.bytes, &self.ends, &self.wraps);
        let rehash = |&number: &u32| hash_of(&all[range(ends, wraps, number as usize)]);
        self.table.insert_unique(hash, number, rehash);
        number
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
        let lists = self.ends.capacity() + self.wraps.capacity() + self.parents.capacity() + self.moves.capacity();
        (self.bytes.capacity() + lists * size_of::<u32>() + self.table.allocation_size()) as u64
    }
}
