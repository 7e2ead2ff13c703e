use smallvec::SmallVec;

use super::chunks::Chunks;

/// An ordered set of slot numbers. A few lie side by side; of many there are sorted chunks.
///
/// Its size grows with the slots held, and a set that has once been as large as it gets allocates no more.
#[derive(Clone, Debug, Default)]
pub(crate) struct SlotSet {
    few: SmallVec<[u32; 4]>,
    many: Option<Box<Chunks>>,
}

/// More than so many slots are held in chunks.
const FEW: usize = 128;

impl SlotSet {
    pub(crate) fn is_empty(&self) -> bool {
        self.few.is_empty() && self.many.as_ref().is_none_or(|many| many.is_empty())
    }

    #[inline]
    pub(crate) fn insert(&mut self, slot: u32) {
        if let Some(many) = &mut self.many {
            many.insert(slot);
            return;
        }
        let place = self.few.partition_point(|&held| held < slot);
        if self.few.get(place) == Some(&slot) {
            return;
        }
        if self.few.len() < FEW {
            self.few.insert(place, slot);
        } else {
            let mut many = Box::new(Chunks::default());
            self.few.drain(..).for_each(|held| many.insert(held));
            many.insert(slot);
            self.many = Some(many);
        }
    }

    #[inline]
    pub(crate) fn remove(&mut self, slot: u32) {
        if let Some(many) = &mut self.many {
            many.remove(slot);
            return;
        }
        let place = self.few.partition_point(|&held| held < slot);
        if self.few.get(place) == Some(&slot) {
            self.few.remove(place);
        }
    }

    /// How many slots are held.
    pub(crate) fn len(&self) -> usize {
        let next = |&last: &u32| self.next(last.checked_add(1)?);
        std::iter::successors(self.next(0), next).count()
    }

    /// The least slot that is not below `from`.
    #[inline]
    pub(crate) fn next(&self, from: u32) -> Option<u32> {
        if let Some(many) = &self.many {
            return many.next(from);
        }
        self.few.get(self.few.partition_point(|&held| held < from)).copied()
    }
}
