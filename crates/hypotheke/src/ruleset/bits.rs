/// A fixed number of bits.
#[derive(Clone, Debug, Default)]
pub(crate) struct Bits(Vec<u64>);

impl Bits {
    pub(crate) fn new(length: usize) -> Bits {
        Bits(vec![0; length.div_ceil(64)])
    }

    pub(crate) fn set(&mut self, index: usize) {
        self.0[index / 64] |= 1 << (index % 64);
    }

    pub(crate) fn put(&mut self, index: usize, value: bool) {
        let word = &mut self.0[index / 64];
        *word = if value { *word | 1 << (index % 64) } else { *word & !(1 << (index % 64)) };
    }

    /// All of these and all of those.
    pub(crate) fn unite(&mut self, other: &Bits) {
        self.0.iter_mut().zip(&other.0).for_each(|(own, other)| *own |= other);
    }

    /// Those that both have.
    pub(crate) fn intersect(&mut self, other: &Bits) {
        self.0.iter_mut().zip(&other.0).for_each(|(own, other)| *own &= other);
    }

    /// Each of the first `length` that was not set, and no other.
    pub(crate) fn complement(&mut self, length: usize) {
        self.0.iter_mut().for_each(|word| *word = !*word);
        if let Some(last) = self.0.last_mut().filter(|_| !length.is_multiple_of(64)) {
            *last &= (1 << (length % 64)) - 1;
        }
    }

    pub(crate) fn get(&self, index: usize) -> bool {
        self.0.get(index / 64).is_some_and(|word| word >> (index % 64) & 1 == 1)
    }
}
