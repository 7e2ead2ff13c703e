use super::bit_list::BitList;
use super::slot_set::Entry;

/// An ordered set of slot numbers with flags, in sorted chunks.
///
/// Chunks that empty are kept and used again.
#[derive(Clone, Debug, Default)]
pub(super) struct Chunks {
    /// The first slot of each chunk; none of them is empty.
    firsts: Vec<u32>,
    #[expect(clippy::vec_box, reason = "chunks change places in the list, which must not copy them")]
    chunks: Vec<Box<Chunk>>,
    /// One bit for each chunk: whether something in it is flagged.
    flagged: BitList,
    #[expect(clippy::vec_box, reason = "they come from the list and go back there")]
    spare: Vec<Box<Chunk>>,
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
        self.chunks.is_empty()
    }

    /// The chunk in which a slot lies or belongs.
    #[inline]
    fn chunk_of(&self, slot: u32) -> usize {
        self.firsts.partition_point(|&first| first <= slot).saturating_sub(1)
    }

    pub(super) fn insert(&mut self, entry: Entry) {
        if self.chunks.is_empty() {
            let mut chunk = self.spare.pop().unwrap_or_default();
            chunk.insert(entry);
            self.firsts.push(entry.slot());
            self.chunks.push(chunk);
            self.flagged.insert(0, false);
            return self.flag(0);
        }
        let mut at = self.chunk_of(entry.slot());
        if self.chunks[at].is_full() {
            self.split(at);
            at = self.chunk_of(entry.slot());
        }
        self.chunks[at].insert(entry);
        self.firsts[at] = self.chunks[at].first();
        self.flag(at);
    }

    #[inline]
    fn flag(&mut self, at: usize) {
        self.flagged.set(at, self.chunks[at].flagged > 0);
    }

    fn split(&mut self, at: usize) {
        let mut upper = self.spare.pop().unwrap_or_default();
        self.chunks[at].move_from(CHUNK / 2, &mut upper);
        self.firsts.insert(at + 1, upper.first());
        self.chunks.insert(at + 1, upper);
        self.flagged.insert(at + 1, false);
        self.flag(at);
        self.flag(at + 1);
    }

    pub(super) fn remove(&mut self, slot: u32) {
        let at = self.chunk_of(slot);
        let Some(chunk) = self.chunks.get_mut(at) else { return };
        chunk.remove(slot);
        if chunk.length == 0 {
            return self.drop_chunk(at);
        }
        let few = (chunk.length as usize) < CHUNK / 8;
        self.firsts[at] = chunk.first();
        self.flag(at);
        if few {
            self.join(at);
        }
    }

    /// Moves the few entries of a chunk to the one before it, where there is room for as many again.
    fn join(&mut self, at: usize) {
        if at == 0 || (self.chunks[at - 1].length + self.chunks[at].length) as usize > CHUNK / 2 {
            return;
        }
        let (lower, upper) = self.chunks.split_at_mut(at);
        upper[0].move_from(0, &mut lower[at - 1]);
        self.flag(at - 1);
        self.drop_chunk(at);
    }

    fn drop_chunk(&mut self, at: usize) {
        self.firsts.remove(at);
        let mut chunk = self.chunks.remove(at);
        *chunk = Chunk::default();
        self.spare.push(chunk);
        self.flagged.remove(at);
    }

    /// The least slot that is not below `from`.
    pub(super) fn next(&self, from: u32) -> Option<u32> {
        let at = self.chunk_of(from);
        let chunk = self.chunks.get(at)?;
        let found = chunk.entries().get(chunk.place_of(from)).map(|held| held.slot());
        found.or_else(|| self.firsts.get(at + 1).copied())
    }

    /// The least flagged slot that is not below `from`.
    pub(super) fn next_flagged(&self, from: u32) -> Option<u32> {
        let at = self.chunk_of(from);
        let chunk = self.chunks.get(at)?;
        let flagged_in = |chunk: &Chunk, place: usize| {
            chunk.entries()[place..].iter().find(|held| held.is_flagged()).map(|held| held.slot())
        };
        let here = if chunk.flagged > 0 { flagged_in(chunk, chunk.place_of(from)) } else { None };
        here.or_else(|| flagged_in(&self.chunks[self.flagged.next(at + 1)?], 0))
    }
}
