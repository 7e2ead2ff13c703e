use super::bit_tree::BitTree;

/// Which slots of a container are taken: one bit for each, and above those which words have a taken
/// or an empty one.
#[derive(Clone, Debug)]
pub(super) struct Taken {
    words: Vec<u64>,
    /// The words with a bit that is set.
    with_taken: BitTree,
    /// The words with a bit that is not.
    with_empty: BitTree,
}

impl Taken {
    /// A number of slots, all empty.
    pub(super) fn none_of(slots: u32) -> Taken {
        let words = slots.div_ceil(64);
        let mut with_taken = BitTree::full(words);
        (0..words).for_each(|word| with_taken.remove(word));
        Taken { words: vec![0; words as usize], with_taken, with_empty: BitTree::full(words) }
    }

    #[inline]
    pub(super) fn set(&mut self, slot: u32, taken: bool) {
        let (index, bit) = (slot / 64, 1 << (slot % 64));
        let word = &mut self.words[index as usize];
        let before = *word;
        *word = if taken { before | bit } else { before & !bit };
        match (before, *word) {
            (0, after) if after != 0 => self.with_taken.insert(index),
            (before, 0) if before != 0 => self.with_taken.remove(index),
            _ => {}
        }
        match (before, self.words[index as usize]) {
            (u64::MAX, after) if after != u64::MAX => self.with_empty.insert(index),
            (before, u64::MAX) if before != u64::MAX => self.with_empty.remove(index),
            _ => {}
        }
    }

    #[inline]
    pub(super) fn next_taken(&self, from: u32) -> Option<u32> {
        next(&self.words, &self.with_taken, from, |word| word)
    }

    /// It may be beyond the last slot.
    #[inline]
    pub(super) fn next_empty(&self, from: u32) -> Option<u32> {
        next(&self.words, &self.with_empty, from, |word| !word)
    }
}

#[inline]
fn next(words: &[u64], with_any: &BitTree, from: u32, wanted: impl Fn(u64) -> u64) -> Option<u32> {
    let index = from / 64;
    let here = wanted(*words.get(index as usize)?) & (u64::MAX << (from % 64));
    if here != 0 {
        return Some(index * 64 + here.trailing_zeros());
    }
    let later = with_any.next(index + 1)?;
    Some(later * 64 + wanted(words[later as usize]).trailing_zeros())
}
