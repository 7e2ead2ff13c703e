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

    pub(crate) fn get(&self, index: usize) -> bool {
        self.0.get(index / 64).is_some_and(|word| word >> (index % 64) & 1 == 1)
    }
}
