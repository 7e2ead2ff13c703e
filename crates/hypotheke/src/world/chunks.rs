use smallvec::SmallVec;

use super::bit_list::BitList;
use super::slot_set::Entry;
use crate::narrow;

/// An ordered set of slot numbers with flags, in sorted chunks.
///
/// Chunks that empty are kept and used again.
#[derive(Clone, Debug, Default)]
pub(super) struct Chunks {
    /// The first slot of a chunk; it ends where the next one begins. No chunk is empty.
    bases: Vec<u32>,
    /// Which chunk it is.
    order: Vec<u32>,
    /// One bit for each of those: whether something in it is flagged.
    flagged: BitList,
    /// All chunks, where they do not change places.
    chunks: Vec<Chunk>,
    /// Those of them that are not in use.
    spare: Vec<u32>,
    /// The average number of chunks per slot, in parts of 2^32: the first guess of a search.
    density: u64,
}

/// The number of bases that are compared at once.
const NEAR: usize = 8;

/// As many as fill a line of the cache, so that a change waits for memory once.
const CHUNK: usize = 31;

/// The maximum number of slots in the range of a chunk.
const REACH: u32 = 1 << 14;

/// The distance of a slot from the base of its chunk and, as the last bit, the flag. Signed, since
/// the minimum and maximum of eight such numbers take one instruction; none is negative.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Near(i16);

impl Near {
    /// Behind all others.
    const NONE: Near = Near(i16::MAX);

    /// None if it is out of reach.
    #[inline]
    fn new(entry: Entry, base: u32) -> Option<Near> {
        let offset = entry.slot().checked_sub(base).filter(|&offset| offset < REACH - 1)?;
        i16::try_from(offset << 1 | u32::from(entry.is_flagged())).ok().map(Near)
    }

    #[inline]
    fn offset(self) -> u32 {
        u32::from(self.0.unsigned_abs() >> 1)
    }

    #[inline]
    fn is_flagged(self) -> bool {
        self.0 & 1 != 0
    }

    #[inline]
    fn entry(self, base: u32) -> Entry {
        Entry::new(base + self.offset(), self.is_flagged())
    }

    /// With the other flag.
    #[inline]
    fn otherwise(self) -> Near {
        Near(self.0 ^ 1)
    }
}

#[derive(Clone, Debug)]
#[repr(align(64))]
struct Chunk {
    /// In order; beyond the length, all are [`Near::NONE`].
    held: [Near; CHUNK],
    length: u8,
    flagged: u8,
}

impl Default for Chunk {
    fn default() -> Chunk {
        Chunk { held: [Near::NONE; CHUNK], length: 0, flagged: 0 }
    }
}

impl Chunk {
    #[inline]
    fn held(&self) -> &[Near] {
        &self.held[..usize::from(self.length)]
    }

    /// The number of smaller entries. All are compared without branches, which is faster than a
    /// search.
    #[inline]
    fn count_before(&self, near: Near) -> usize {
        let before: i16 = self.held.iter().map(|held| i16::from(*held < near)).sum();
        usize::from(before.unsigned_abs())
    }

    fn is_full(&self) -> bool {
        usize::from(self.length) == CHUNK
    }

    /// Whether it may go with the one before it, when one more is taken out.
    fn is_sparse(&self) -> bool {
        usize::from(self.length) <= CHUNK / 8
    }

    /// Whether exactly this entry exists. As above, all are compared.
    #[inline]
    fn holds(&self, near: Near) -> bool {
        self.held.iter().fold(false, |found, held| found | (*held == near))
    }

    /// There is room for it, or it already exists.
    #[inline]
    fn insert(&mut self, near: Near) {
        if self.held.iter().fold(false, |found, held| found | (*held == near) | (*held == near.otherwise())) {
            self.remove(near);
        }
        // What is less stays, what is more goes one further: each is found without knowing where
        // the new one goes.
        let before = self.held;
        self.held[0] = before[0].min(near);
        let pairs = before.iter().zip(&before[1..]);
        for (held, (&lower, &upper)) in self.held[1..].iter_mut().zip(pairs) {
            *held = upper.min(lower.max(near));
        }
        self.length += 1;
        self.flagged += u8::from(near.is_flagged());
    }

    /// Takes out a slot, whatever its flag.
    #[inline]
    fn remove(&mut self, near: Near) {
        let (here, otherwise) = (self.holds(near), self.holds(near.otherwise()));
        if here | otherwise {
            self.take_out(if here { near } else { near.otherwise() });
        }
    }

    #[inline]
    fn take_out(&mut self, gone: Near) {
        let before = self.held;
        let pairs = before.iter().zip(&before[1..]);
        for (held, (&lower, &upper)) in self.held.iter_mut().zip(pairs) {
            *held = if lower < gone { lower } else { upper };
        }
        self.held[CHUNK - 1] = Near::NONE;
        self.length -= 1;
        self.flagged -= u8::from(gone.is_flagged());
    }

    /// Takes out all from a place on.
    fn cut(&mut self, place: usize) -> impl Iterator<Item = Near> + use<> {
        let (length, held) = (usize::from(self.length), self.held);
        self.held[place..].fill(Near::NONE);
        self.length = u8::try_from(place).unwrap_or(0);
        let flagged = self.held().iter().filter(|held| held.is_flagged()).count();
        self.flagged = u8::try_from(flagged).unwrap_or(0);
        held.into_iter().take(length).skip(place)
    }
}

impl Chunks {
    pub(super) fn is_empty(&self) -> bool {
        self.order.is_empty()
    }

    #[cfg(test)]
    pub(super) fn chunk_count(&self) -> usize {
        self.order.len()
    }

    /// The position of the chunk of a slot. An interpolation guess is usually close; its neighbours
    /// are compared at once, without branches.
    #[inline]
    fn chunk_of(&self, slot: u32) -> usize {
        let last = self.bases.len().saturating_sub(1);
        // No overflow: there is at most a chunk for each slot, and a slot number has at most 31
        // bits.
        let guess = usize::try_from((u64::from(slot) * self.density) >> 32).unwrap_or(last).min(last);
        let start = guess.saturating_sub(NEAR / 2).min(self.bases.len().saturating_sub(NEAR));
        let near = &self.bases[start..(start + NEAR).min(self.bases.len())];
        let before = match <&[u32; NEAR]>::try_from(near) {
            Ok(near) => count_up_to(near, slot),
            Err(_) => count_up_to(near, slot),
        };
        let is_first = before == 0 && start == 0;
        let is_there = before > 0 && (before < near.len() || start + near.len() == self.bases.len());
        if is_there || is_first { (start + before).saturating_sub(1) } else { self.far_chunk_of(slot, guess) }
    }

    /// The same if slots are spread unevenly: galloping from the guess.
    #[inline(never)]
    fn far_chunk_of(&self, slot: u32, guess: usize) -> usize {
        let is_before = |base: &u32| *base <= slot;
        let (mut low, mut high, mut step) = (guess, guess, 1);
        if self.bases.get(guess).is_some_and(is_before) {
            high += 1;
            while self.bases.get(high).is_some_and(is_before) {
                low = high;
                high += step;
                step *= 2;
            }
        } else {
            while low > 0 && !is_before(&self.bases[low]) {
                high = low;
                low = low.saturating_sub(step);
                step *= 2;
            }
        }
        let between = self.bases.get(low + 1..high.min(self.bases.len())).unwrap_or_default();
        low + between.partition_point(is_before)
    }

    fn set_density(&mut self) {
        let slots = self.bases.last().map_or(1, |base| u64::from(*base) + 1);
        self.density = ((self.bases.len() as u64) << 32) / slots;
    }

    #[inline]
    fn chunk(&self, at: usize) -> &Chunk {
        &self.chunks[self.order[at] as usize]
    }

    #[inline]
    fn chunk_mut(&mut self, at: usize) -> &mut Chunk {
        &mut self.chunks[self.order[at] as usize]
    }

    pub(super) fn insert(&mut self, entry: Entry) {
        let at = self.chunk_of(entry.slot());
        let Some(&base) = self.bases.get(at) else { return self.open(0, [entry]) };
        match Near::new(entry, base) {
            Some(near) if !self.chunk(at).is_full() => self.change(at, |chunk| chunk.insert(near)),
            Some(_) => {
                self.split(at);
                self.insert(entry);
            }
            None => {
                let next = if entry.slot() < base { at } else { at + 1 };
                if self.lower(next, entry.slot()).is_some() { self.insert(entry) } else { self.open(next, [entry]) }
            }
        }
    }

    /// Lets a chunk begin with a slot before its base, if it still reaches as far.
    fn lower(&mut self, at: usize, slot: u32) -> Option<()> {
        let base = *self.bases.get(at)?;
        let lowered = |near: Near| Near::new(near.entry(base), slot);
        lowered(*self.chunk(at).held().last()?)?;
        let chunk = self.chunk_mut(at);
        let length = usize::from(chunk.length);
        chunk.held[..length].iter_mut().for_each(|held| *held = lowered(*held).unwrap_or(Near::NONE));
        self.bases[at] = slot;
        self.set_density();
        Some(())
    }

    /// Changes a chunk in which something is left.
    #[inline]
    fn change(&mut self, at: usize, change: impl FnOnce(&mut Chunk)) {
        let chunk = self.chunk_mut(at);
        let was_flagged = chunk.flagged > 0;
        change(chunk);
        let is_flagged = chunk.flagged > 0;
        if was_flagged != is_flagged {
            self.flagged.set(at, is_flagged);
        }
    }

    /// Puts a chunk that was not in use at a place in the order. It holds what is within reach of
    /// the first.
    fn open(&mut self, at: usize, entries: impl IntoIterator<Item = Entry>) {
        let number = self.spare.pop().map_or(self.chunks.len(), |number| number as usize);
        if number == self.chunks.len() {
            // Less than double, the growth of a list: most of a world's memory would be spare.
            if number == self.chunks.capacity() {
                self.chunks.reserve_exact(number / 4 + 2);
            }
            self.chunks.push(Chunk::default());
        }
        let (chunk, mut entries) = (&mut self.chunks[number], entries.into_iter().peekable());
        let base = entries.peek().map_or(0, |first| first.slot());
        entries.filter_map(|entry| Near::new(entry, base)).for_each(|near| chunk.insert(near));
        let is_flagged = chunk.flagged > 0;
        self.bases.insert(at, base);
        self.order.insert(at, narrow::index(number));
        self.flagged.insert(at, is_flagged);
        self.set_density();
    }

    fn split(&mut self, at: usize) {
        let base = self.bases[at];
        let mut upper: SmallVec<[Near; CHUNK]> = SmallVec::new();
        self.change(at, |chunk| upper.extend(chunk.cut(CHUNK / 2)));
        self.open(at + 1, upper.into_iter().map(|near| near.entry(base)));
    }

    pub(super) fn remove(&mut self, slot: u32) {
        let at = self.chunk_of(slot);
        let Some(&base) = self.bases.get(at) else { return };
        let Some(near) = Near::new(Entry::new(slot, false), base) else { return };
        let chunk = self.chunk(at);
        if chunk.length == 1 {
            if chunk.holds(near) || chunk.holds(near.otherwise()) {
                self.close(at);
            }
            return;
        }
        let few = chunk.is_sparse();
        self.change(at, |chunk| chunk.remove(near));
        if few {
            self.join(at);
        }
    }

    /// The chunk of a slot and its entry there; `None` if it is out of range.
    #[inline]
    fn locate(&self, entry: Entry) -> Option<(usize, Near)> {
        let at = self.chunk_of(entry.slot());
        Some((at, Near::new(entry, *self.bases.get(at)?)?))
    }

    // Both changed chunks are tested for joining or splitting before either changes, so that the
    // processor waits for them together.

    /// Takes a slot out and puts another in.
    pub(super) fn relocate(&mut self, from: u32, to: Entry) {
        match (self.locate(Entry::new(from, false)), self.locate(to)) {
            (Some((here, gone)), Some((there, come)))
                if here != there && !(self.chunk(here).is_sparse() | self.chunk(there).is_full()) =>
            {
                self.change(here, |chunk| chunk.remove(gone));
                self.change(there, |chunk| chunk.insert(come));
            }
            _ => {
                self.remove(from);
                self.insert(to);
            }
        }
    }

    /// Takes a slot out and puts one into another set.
    pub(super) fn hand_over(&mut self, from: u32, others: &mut Chunks, to: Entry) {
        match (self.locate(Entry::new(from, false)), others.locate(to)) {
            (Some((here, gone)), Some((there, come)))
                if !(self.chunk(here).is_sparse() | others.chunk(there).is_full()) =>
            {
                self.change(here, |chunk| chunk.remove(gone));
                others.change(there, |chunk| chunk.insert(come));
            }
            _ => {
                self.remove(from);
                others.insert(to);
            }
        }
    }

    /// Moves the few entries of a chunk to the previous one, if that has room for twice as many and
    /// its range allows it.
    fn join(&mut self, at: usize) {
        let Some(before) = at.checked_sub(1) else { return };
        let (below, above) = (self.bases[before], self.bases[at]);
        let (lower, upper) = (self.chunk(before), self.chunk(at));
        let moved: Option<SmallVec<[Near; CHUNK]>> =
            upper.held().iter().map(|near| Near::new(near.entry(above), below)).collect();
        let Some(moved) = moved.filter(|moved| usize::from(lower.length) + moved.len() <= CHUNK / 2) else { return };
        self.change(before, |lower| moved.into_iter().for_each(|near| lower.insert(near)));
        self.close(at);
    }

    fn close(&mut self, at: usize) {
        *self.chunk_mut(at) = Chunk::default();
        self.bases.remove(at);
        self.spare.push(self.order.remove(at));
        self.flagged.remove(at);
        self.set_density();
    }

    /// The least slot that is not below `from`.
    pub(super) fn next(&self, from: u32) -> Option<u32> {
        self.next_where(from, |_| true, |at| (at < self.order.len()).then_some(at))
    }

    /// The least flagged slot that is not below `from`.
    pub(super) fn next_flagged(&self, from: u32) -> Option<u32> {
        self.next_where(from, Near::is_flagged, |at| self.flagged.next(at))
    }

    /// `later` gives the next chunk, from one on, in which there is such a slot.
    #[inline(always)]
    fn next_where(
        &self,
        from: u32,
        wanted: impl Fn(Near) -> bool,
        later: impl Fn(usize) -> Option<usize>,
    ) -> Option<u32> {
        let at = self.chunk_of(from);
        let base = *self.bases.get(at)?;
        let first_in = |at: usize, place: usize| {
            let found = self.chunk(at).held().get(place..)?.iter().find(|held| wanted(**held));
            found.map(|held| self.bases[at] + held.offset())
        };
        let here = match Near::new(Entry::new(from.max(base), false), base) {
            Some(near) if later(at) == Some(at) => first_in(at, self.chunk(at).count_before(near)),
            _ => None,
        };
        here.or_else(|| first_in(later(at + 1)?, 0))
    }
}

#[inline(always)]
fn count_up_to(bases: &[u32], slot: u32) -> usize {
    let count: u32 = bases.iter().map(|base| u32::from(*base <= slot)).sum();
    count as usize
}
