/// A list of bits in which some may be put in between and taken out, so that those after them have
/// other numbers.
#[derive(Clone, Debug, Default)]
pub(super) struct BitList {
    words: Vec<u64>,
    length: usize,
}

impl BitList {
    #[inline]
    pub(super) fn set(&mut self, at: usize, bit: bool) {
        let (word, mask) = (&mut self.words[at / 64], 1 << (at % 64));
        *word = if bit { *word | mask } else { *word & !mask };
    }

    pub(super) fn insert(&mut self, at: usize, bit: bool) {
        if self.length.is_multiple_of(64) {
            self.words.push(0);
        }
        self.length += 1;
        let below = (1 << (at % 64)) - 1;
        let word = &mut self.words[at / 64];
        let mut carried = *word >> 63;
        *word = *word & below | (*word & !below) << 1;
        for word in &mut self.words[at / 64 + 1..] {
            let next = *word >> 63;
            *word = *word << 1 | carried;
            carried = next;
        }
        self.set(at, bit);
    }

    pub(super) fn remove(&mut self, at: usize) {
        let below = (1 << (at % 64)) - 1;
        let mut carried = 0;
        for word in self.words[at / 64 + 1..].iter_mut().rev() {
            let next = *word & 1;
            *word = *word >> 1 | carried << 63;
            carried = next;
        }
        let word = &mut self.words[at / 64];
        *word = *word & below | (*word >> 1) & !below | carried << 63;
        self.length -= 1;
        self.words.truncate(self.length.div_ceil(64));
    }

    /// The next bit that is set.
    #[inline]
    pub(super) fn next(&self, from: usize) -> Option<usize> {
        let first = self.words.get(from / 64)? & (u64::MAX << (from % 64));
        if first != 0 {
            return Some(from / 64 * 64 + first.trailing_zeros() as usize);
        }
        let later = self.words.iter().enumerate().skip(from / 64 + 1).find(|(_, word)| **word != 0);
        later.map(|(index, word)| index * 64 + word.trailing_zeros() as usize)
    }
}
