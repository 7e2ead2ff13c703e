use smallvec::SmallVec;

use super::chunks::Chunks;

/// An ordered set of slot numbers, some of which are flagged. A few lie side by side; of many there
/// are sorted chunks.
///
/// Its size grows with the slots held, and a set that has once been as large as it gets allocates
/// no more.
#[derive(Clone, Debug, Default)]
pub(crate) struct SlotSet {
    few: SmallVec<[Entry; 4]>,
    many: Option<Box<Chunks>>,
}

/// A slot number and, as its last bit, the flag.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Entry(u32);

impl Entry {
    pub(super) fn new(slot: u32, flagged: bool) -> Entry {
        debug_assert!(slot < 1 << 31, "a container has at most some millions of slots");
        Entry(slot << 1 | u32::from(flagged))
    }

    #[inline]
    pub(super) fn slot(self) -> u32 {
        self.0 >> 1
    }

    #[inline]
    pub(super) fn is_flagged(self) -> bool {
        self.0 & 1 != 0
    }
}

/// More slots than this are stored in chunks.
const FEW: usize = 64;

impl SlotSet {
    pub(crate) fn is_empty(&self) -> bool {
        self.few.is_empty() && self.many.as_ref().is_none_or(|many| many.is_empty())
    }

    /// Whether the set is empty and has no spare buffer.
    pub(crate) fn is_bare(&self) -> bool {
        self.few.is_empty() && !self.few.spilled() && self.many.is_none()
    }

    fn place_of(&self, slot: u32) -> usize {
        self.few.partition_point(|held| held.slot() < slot)
    }

    /// Adds a slot, flagged or not, new or present.
    #[inline]
    pub(crate) fn insert(&mut self, slot: u32, flagged: bool) {
        let entry = Entry::new(slot, flagged);
        if let Some(many) = &mut self.many {
            many.insert(entry);
            return;
        }
        let place = self.place_of(slot);
        if let Some(held) = self.few.get_mut(place).filter(|held| held.slot() == slot) {
            *held = entry;
        } else if self.few.len() < FEW {
            self.few.insert(place, entry);
        } else {
            let mut many = Box::new(Chunks::default());
            self.few.drain(..).for_each(|held| many.insert(held));
            many.insert(entry);
            self.many = Some(many);
        }
    }

    #[inline]
    pub(crate) fn remove(&mut self, slot: u32) {
        if let Some(many) = &mut self.many {
            many.remove(slot);
            return;
        }
        let place = self.place_of(slot);
        if self.few.get(place).is_some_and(|held| held.slot() == slot) {
            self.few.remove(place);
        }
    }

    /// Removes a slot of the set, and adds a different one.
    #[inline]
    pub(crate) fn relocate(&mut self, from: u32, to: u32, flagged: bool) {
        if let Some(many) = &mut self.many {
            many.relocate(from, Entry::new(to, flagged));
        } else {
            self.remove(from);
            self.insert(to, flagged);
        }
    }

    /// Removes a slot of the set, and adds one to a different set.
    #[inline]
    pub(crate) fn hand_over(&mut self, from: u32, others: &mut SlotSet, to: u32, flagged: bool) {
        if let (Some(many), Some(others)) = (&mut self.many, &mut others.many) {
            many.hand_over(from, others, Entry::new(to, flagged));
        } else {
            self.remove(from);
            others.insert(to, flagged);
        }
    }

    /// How many slots are held, and how many of them are flagged.
    pub(crate) fn len(&self) -> (usize, usize) {
        let walk = |next: &dyn Fn(u32) -> Option<u32>| {
            std::iter::successors(next(0), |&last: &u32| next(last.checked_add(1)?)).count()
        };
        (walk(&|from| self.next(from)), walk(&|from| self.next_flagged(from)))
    }

    #[cfg(test)]
    pub(crate) fn chunk_count(&self) -> usize {
        self.many.as_ref().map_or(0, |many| many.chunk_count())
    }

    /// The least slot that is not below `from`.
    #[inline]
    pub(crate) fn next(&self, from: u32) -> Option<u32> {
        if let Some(many) = &self.many {
            return many.next(from);
        }
        self.few.get(self.place_of(from)).map(|held| held.slot())
    }

    /// The least flagged slot that is not below `from`.
    #[inline]
    pub(crate) fn next_flagged(&self, from: u32) -> Option<u32> {
        if let Some(many) = &self.many {
            return many.next_flagged(from);
        }
        self.few[self.place_of(from)..].iter().find(|held| held.is_flagged()).map(|held| held.slot())
    }
}
