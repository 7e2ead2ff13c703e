use super::bit_list::BitList;
use super::slot_set::Entry;

/// An ordered set of slot numbers with flags, in sorted chunks.
///
/// Chunks that empty are kept and used again.
#[derive(Clone, Debug, Default)]
pub(super) struct Chunks {
    /// The chunks in the order of their slots; none of them is empty.
    order: Vec<Head>,
    /// One bit for each of those: whether something in it is flagged.
    flagged: BitList,
    /// All chunks, where they do not change places.
    chunks: Vec<Chunk>,
    /// Those of them that are not in use.
    spare: Vec<u32>,
    /// So many chunks a slot, on average, in parts of 2^32: where a chunk may be looked for first.
    density: u64,
}

/// The first slot of a chunk, and which it is: side by side, so that who has found the one has the other.
#[derive(Clone, Copy, Debug)]
struct Head {
    first: u32,
    chunk: u32,
}

/// Small enough that a search in it touches few lines of the cache.
const CHUNK: usize = 30;

/// Two lines of the cache, which are fetched as one.
#[derive(Clone, Debug)]
#[repr(align(128))]
struct Chunk {
    length: u32,
    flagged: u32,
    entries: [Entry; CHUNK],
}

impl Default for Chunk {
    fn default() -> Chunk {
        Chunk { length: 0, flagged: 0, entries: [Entry::default(); CHUNK] }
    }
}

impl Chunk {
    #[inline]
    fn entries(&self) -> &[Entry] {
        &self.entries[..self.length as usize]
    }

    #[inline]
    fn place_of(&self, slot: u32) -> usize {
        self.entries().partition_point(|held| held.slot() < slot)
    }

    fn first(&self) -> u32 {
        self.entries[0].slot()
    }

    fn is_full(&self) -> bool {
        self.length as usize == CHUNK
    }

    fn insert(&mut self, entry: Entry) {
        let place = self.place_of(entry.slot());
        let length = self.length as usize;
        self.flagged += u32::from(entry.is_flagged());
        if place < length && self.entries[place].slot() == entry.slot() {
            self.flagged -= u32::from(self.entries[place].is_flagged());
            self.entries[place] = entry;
            return;
        }
        self.entries.copy_within(place..length, place + 1);
        self.entries[place] = entry;
        self.length += 1;
    }

    fn remove(&mut self, slot: u32) {
        let place = self.place_of(slot);
        let length = self.length as usize;
        if place < length && self.entries[place].slot() == slot {
            self.flagged -= u32::from(self.entries[place].is_flagged());
            self.entries.copy_within(place + 1..length, place);
            self.length -= 1;
        }
    }

    /// Moves the entries from a place on to the end of another.
    fn move_from(&mut self, place: usize, to: &mut Chunk) {
        for index in place..self.length as usize {
            let entry = self.entries[index];
            to.entries[to.length as usize] = entry;
            to.length += 1;
            to.flagged += u32::from(entry.is_flagged());
            self.flagged -= u32::from(entry.is_flagged());
        }
        self.length = u32::try_from(place).unwrap_or(0);
    }
}

impl Chunks {
    pub(super) fn is_empty(&self) -> bool {
        self.order.is_empty()
    }

    /// The place in the order of the chunk in which a slot lies or belongs. Most often slots are spread so evenly that it is near where they
    /// would be if they were; from there it is looked for in steps that double.
    #[inline]
    fn chunk_of(&self, slot: u32) -> usize {
        let is_before = |head: &Head| head.first <= slot;
        let last = self.order.len().saturating_sub(1);
        let guess = usize::try_from(u64::from(slot).saturating_mul(self.density) >> 32).unwrap_or(last).min(last);
        let (mut low, mut high, mut step) = (guess, guess, 1);
        if self.order.get(guess).is_some_and(is_before) {
            high += 1;
            while self.order.get(high).is_some_and(is_before) {
                low = high;
                high += step;
                step *= 2;
            }
        } else {
            while low > 0 && !is_before(&self.order[low]) {
                high = low;
                low = low.saturating_sub(step);
                step *= 2;
            }
        }
        let between = self.order.get(low + 1..high.min(self.order.len())).unwrap_or_default();
        low + between.partition_point(is_before)
    }

    fn set_density(&mut self) {
        let slots = self.order.last().map_or(1, |head| u64::from(head.first) + 1);
        self.density = ((self.order.len() as u64) << 32) / slots;
    }

    #[inline]
    fn chunk(&self, at: usize) -> &Chunk {
        &self.chunks[self.order[at].chunk as usize]
    }

    #[inline]
    fn chunk_mut(&mut self, at: usize) -> &mut Chunk {
        &mut self.chunks[self.order[at].chunk as usize]
    }

    pub(super) fn insert(&mut self, entry: Entry) {
        if self.order.is_empty() {
            return self.open(0, |chunk| chunk.insert(entry));
        }
        let mut at = self.chunk_of(entry.slot());
        if self.chunk(at).is_full() {
            self.split(at);
            at = self.chunk_of(entry.slot());
        }
        self.change(at, |chunk| chunk.insert(entry));
    }

    /// Changes a chunk in which something is left.
    #[inline]
    fn change(&mut self, at: usize, change: impl FnOnce(&mut Chunk)) {
        let chunk = self.chunk_mut(at);
        let was_flagged = chunk.flagged > 0;
        change(chunk);
        let (first, is_flagged) = (chunk.first(), chunk.flagged > 0);
        self.order[at].first = first;
        if was_flagged != is_flagged {
            self.flagged.set(at, is_flagged);
        }
    }

    /// Puts a chunk that was not in use at a place in the order.
    fn open(&mut self, at: usize, fill: impl FnOnce(&mut Chunk)) {
        let number = self.spare.pop().map_or(self.chunks.len(), |number| number as usize);
        if number == self.chunks.len() {
            // Not twice as many, as a list grows by itself: most of what a world takes would be room.
            if number == self.chunks.capacity() {
                self.chunks.reserve_exact(number / 4 + 2);
            }
            self.chunks.push(Chunk::default());
        }
        let chunk = &mut self.chunks[number];
        fill(chunk);
        let (first, is_flagged) = (chunk.first(), chunk.flagged > 0);
        self.order.insert(at, Head { first, chunk: u32::try_from(number).unwrap_or(u32::MAX) });
        self.flagged.insert(at, is_flagged);
        self.set_density();
    }

    fn split(&mut self, at: usize) {
        let mut upper = Chunk::default();
        self.change(at, |lower| lower.move_from(CHUNK / 2, &mut upper));
        self.open(at + 1, |chunk| *chunk = upper);
    }

    pub(super) fn remove(&mut self, slot: u32) {
        let at = self.chunk_of(slot);
        let Some(head) = self.order.get(at) else { return };
        let chunk = &self.chunks[head.chunk as usize];
        if chunk.length == 1 {
            if chunk.first() == slot {
                self.close(at);
            }
            return;
        }
        let few = chunk.length as usize <= CHUNK / 8;
        self.change(at, |chunk| chunk.remove(slot));
        if few {
            self.join(at);
        }
    }

    /// Moves the few entries of a chunk to the one before it, where there is room for as many again.
    fn join(&mut self, at: usize) {
        if at == 0 || (self.chunk(at - 1).length + self.chunk(at).length) as usize > CHUNK / 2 {
            return;
        }
        let mut upper = std::mem::take(self.chunk_mut(at));
        self.change(at - 1, |lower| upper.move_from(0, lower));
        self.close(at);
    }

    fn close(&mut self, at: usize) {
        *self.chunk_mut(at) = Chunk::default();
        self.spare.push(self.order.remove(at).chunk);
        self.flagged.remove(at);
        self.set_density();
    }

    /// The least slot that is not below `from`.
    pub(super) fn next(&self, from: u32) -> Option<u32> {
        let at = self.chunk_of(from);
        let chunk = &self.chunks[self.order.get(at)?.chunk as usize];
        let found = chunk.entries().get(chunk.place_of(from)).map(|held| held.slot());
        found.or_else(|| self.order.get(at + 1).map(|head| head.first))
    }

    /// The least flagged slot that is not below `from`.
    pub(super) fn next_flagged(&self, from: u32) -> Option<u32> {
        let at = self.chunk_of(from);
        let chunk = &self.chunks[self.order.get(at)?.chunk as usize];
        let flagged_in = |chunk: &Chunk, place: usize| {
            chunk.entries()[place..].iter().find(|held| held.is_flagged()).map(|held| held.slot())
        };
        let here = if chunk.flagged > 0 { flagged_in(chunk, chunk.place_of(from)) } else { None };
        here.or_else(|| flagged_in(self.chunk(self.flagged.next(at + 1)?), 0))
    }
}
