//! The states that were seen, each once, with the way to it.

use crate::explore::state::table::{MOST, Table};

/// The number that stands for no state.
pub(in crate::explore) const NOBODY: u32 = u32::MAX;

/// States by their numbers, in the order in which they were found.
#[derive(Debug)]
pub(in crate::explore) struct Store {
    /// The bytes of all states, one after the other.
    bytes: Vec<u8>,
    places: Places,
    /// From which world each was reached, and by which of that one's operations.
    parents: Vec<u32>,
    moves: Vec<u32>,
    table: Table,
}

/// A world that is looked up with others.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) struct Lookup {
    pub(in crate::explore) hash: u64,
    is_there: bool,
    /// The first bytes of the world that is found.
    begins: [u8; 8],
    pub(in crate::explore) found: Option<u32>,
}

impl Lookup {
    pub(in crate::explore) fn of(hash: u64) -> Lookup {
        Lookup { hash, is_there: false, begins: [0; 8], found: None }
    }
}

/// Room for one more. An eighth is added and not as much again: of ten million states the half
/// would be nothing.
fn push<T>(list: &mut Vec<T>, item: T) {
    make_room(list, 1);
    list.push(item);
}

fn make_room<T>(list: &mut Vec<T>, more: usize) {
    if list.capacity() - list.len() < more {
        list.reserve_exact(more.max(list.len() / 8).max(64));
    }
}

/// Whether two states are the same. Most have few bytes, for which a call to compare memory would
/// take longer than to compare it.
#[inline]
fn is_same(one: &[u8], other: &[u8]) -> bool {
    let ends = |bytes: &[u8]| Some((*bytes.first_chunk::<8>()?, *bytes.last_chunk::<8>()?));
    match (one.len() == other.len(), one.len()) {
        (false, _) => false,
        (true, 8..=16) => ends(one) == ends(other),
        (true, _) => one == other,
    }
}

/// Where the bytes of states stand.
#[derive(Debug)]
enum Places {
    /// The number of bytes of each state.
    Fixed(usize),
    /// Where those of each end, the lower half of the number; and from which world on the higher
    /// half of that is one more.
    Ends { ends: Vec<u32>, wraps: Vec<u32> },
}

impl Default for Places {
    fn default() -> Places {
        Places::Ends { ends: Vec::new(), wraps: Vec::new() }
    }
}

impl Places {
    #[inline]
    fn range(&self, number: usize) -> std::ops::Range<usize> {
        match self {
            Places::Fixed(length) => number * length..(number + 1) * length,
            Places::Ends { ends, wraps } => {
                let end = |number: usize| {
                    // Where addresses have 32 bits there are never more bytes than one of them can
                    // count.
                    let wrapped = wraps.partition_point(|&from| from as usize <= number) as u64;
                    usize::try_from(wrapped << 32 | u64::from(ends[number])).unwrap_or(usize::MAX)
                };
                number.checked_sub(1).map_or(0, end)..end(number)
            }
        }
    }

    /// Takes note of another world.
    fn add(&mut self, number: u32, before: u64, after: u64) {
        let Places::Ends { ends, wraps } = self else { return };
        if before >> 32 != after >> 32 {
            wraps.push(number);
        }
        push(ends, u32::try_from(after & u64::from(u32::MAX)).unwrap_or(0));
    }

    fn memory(&self) -> usize {
        match self {
            Places::Fixed(_) => 0,
            Places::Ends { ends, wraps } => (ends.capacity() + wraps.capacity()) * size_of::<u32>(),
        }
    }
}

impl Store {
    /// For states with this number of bytes, if it is fixed.
    pub(in crate::explore) fn new(length: Option<usize>) -> Store {
        Store {
            bytes: Vec::new(),
            places: length.map_or_else(Places::default, Places::Fixed),
            parents: Vec::new(),
            moves: Vec::new(),
            table: Table::new(),
        }
    }

    pub(in crate::explore) fn len(&self) -> usize {
        self.parents.len()
    }

    /// How many there are, as the number of the next.
    pub(in crate::explore) fn count(&self) -> u32 {
        u32::try_from(self.len()).unwrap_or(NOBODY)
    }

    /// The number of the operation that leads from the parent to the state.
    pub(in crate::explore) fn moves(&self, number: u32) -> u32 {
        self.moves[number as usize]
    }

    /// The bytes of a world.
    #[inline]
    pub(in crate::explore) fn bytes_of(&self, number: u32) -> &[u8] {
        &self.bytes[self.places.range(number as usize)]
    }

    /// The number of a world, if it was seen.
    pub(in crate::explore) fn find(&self, bytes: &[u8], hash: u64) -> Option<u32> {
        // ComparisonReport whole: a hash alone could take two states for one.
        self.table.find(hash, |number| is_same(self.bytes_of(number), bytes))
    }

    /// Looks up many states with equal numbers of bytes. All memory accesses start before the first
    /// result is awaited.
    pub(in crate::explore) fn find_all(&self, bytes: &[u8], lookups: &mut [Lookup]) {
        for lookup in &mut *lookups {
            lookup.is_there = self.table.touch(lookup.hash);
        }
        // Half of a hash is nearly always enough to find the right one.
        for lookup in &mut *lookups {
            lookup.found = if lookup.is_there { self.table.find(lookup.hash, |_| true) } else { None };
            let begins = lookup.found.and_then(|number| self.bytes_of(number).first_chunk::<8>());
            lookup.begins = begins.copied().unwrap_or_default();
        }
        let length = bytes.len() / lookups.len().max(1);
        for (lookup, bytes) in lookups.iter_mut().zip(bytes.chunks_exact(length.max(1))) {
            let Some(number) = lookup.found else { continue };
            let begins_so = bytes.first_chunk::<8>().is_none_or(|begins| *begins == lookup.begins);
            if !begins_so || !is_same(self.bytes_of(number), bytes) {
                lookup.found = self.find(bytes, lookup.hash);
            }
        }
    }

    /// Whether there are as many states as can be kept.
    pub(in crate::explore) fn is_full(&self) -> bool {
        self.len() >= MOST
    }

    /// Adds a world that was not seen before.
    pub(in crate::explore) fn add(&mut self, bytes: &[u8], hash: u64, parent: u32, nth: u32) -> u32 {
        let number = self.count();
        make_room(&mut self.bytes, bytes.len());
        let before = self.bytes.len() as u64;
        self.bytes.extend_from_slice(bytes);
        self.places.add(number, before, self.bytes.len() as u64);
        push(&mut self.parents, parent);
        push(&mut self.moves, nth);
        self.table.add(hash, number);
        number
    }

    fn parent(&self, number: u32) -> Option<u32> {
        Some(self.parents[number as usize]).filter(|parent| *parent != NOBODY)
    }

    /// The states on the way from the start, the start first.
    pub(in crate::explore) fn path_to(&self, number: u32) -> Vec<u32> {
        let mut path: Vec<u32> = std::iter::successors(Some(number), |&at| self.parent(at)).collect();
        path.reverse();
        path
    }

    /// What all of it takes, in bytes.
    pub(in crate::explore) fn memory(&self) -> u64 {
        let lists = (self.parents.capacity() + self.moves.capacity()) * size_of::<u32>();
        (self.bytes.capacity() + self.places.memory() + lists + self.table.memory()) as u64
    }
}
