//! Numbers by hash, in a layout that allows many lookups at once.
//!
//! A search looks up many states for each new one, in more memory than the caches have. An entry is
//! one word, so one memory access usually decides whether a hash is known, and the first entries of
//! many hashes can be requested before the first arrives.

/// A number and half of the hash that it has; 0 is none.
#[derive(Clone, Copy, Debug)]
struct Entry(u64);

impl Entry {
    const NONE: Entry = Entry(0);

    fn new(hash: u64, number: u32) -> Entry {
        Entry((hash & !u64::from(u32::MAX)) | (u64::from(number) + 1))
    }

    fn is_none(self) -> bool {
        self.0 == 0
    }

    /// Its number, if it has that half of a hash.
    #[inline]
    fn of(self, hash: u64) -> Option<u32> {
        let number = (self.0 & u64::from(u32::MAX)).checked_sub(1)?;
        if (self.0 ^ hash) >> 32 == 0 { u32::try_from(number).ok() } else { None }
    }
}

/// The maximum number of entries: each must have a free entry after it.
pub(in crate::explore) const MOST: usize = 3 << 30;

/// The number of entries is a power of two. The upper bits of a hash give its entry, or the next
/// free one.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Table {
    entries: Vec<Entry>,
    /// Which bits of a hash say the place.
    shift: u32,
    count: usize,
}

impl Table {
    pub(in crate::explore) fn new() -> Table {
        Table { entries: vec![Entry::NONE; 16], shift: 60, count: 0 }
    }

    /// The first place for a hash.
    #[inline]
    fn place(&self, hash: u64) -> usize {
        usize::try_from(hash >> self.shift).unwrap_or(0)
    }

    /// Whether the first entry of a hash is taken. The caller need not wait for the result before
    /// the next request.
    #[inline]
    pub(in crate::explore) fn touch(&self, hash: u64) -> bool {
        !self.entries[self.place(hash)].is_none()
    }

    /// The number with that hash that is the right one.
    #[inline]
    pub(in crate::explore) fn find(&self, hash: u64, is_it: impl Fn(u32) -> bool) -> Option<u32> {
        let mut place = self.place(hash);
        loop {
            let entry = self.entries[place];
            if entry.is_none() {
                return None;
            }
            if let Some(number) = entry.of(hash).filter(|number| is_it(*number)) {
                return Some(number);
            }
            place = (place + 1) & (self.entries.len() - 1);
        }
    }

    /// Adds a number that is not there.
    pub(in crate::explore) fn add(&mut self, hash: u64, number: u32) {
        if (self.count + 1) * 4 > self.entries.len() * 3 {
            self.grow();
        }
        self.count += 1;
        self.lay(Entry::new(hash, number));
    }

    fn lay(&mut self, entry: Entry) {
        let mut place = self.place(entry.0);
        while !self.entries[place].is_none() {
            place = (place + 1) & (self.entries.len() - 1);
        }
        self.entries[place] = entry;
    }

    /// The half of each hash that is there says its place as well.
    fn grow(&mut self) {
        let twice = vec![Entry::NONE; self.entries.len() * 2];
        let before = std::mem::replace(&mut self.entries, twice);
        self.shift -= 1;
        before.into_iter().filter(|entry| !entry.is_none()).for_each(|entry| self.lay(entry));
    }

    pub(in crate::explore) fn memory(&self) -> usize {
        self.entries.capacity() * size_of::<Entry>()
    }
}
