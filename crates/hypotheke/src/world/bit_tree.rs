/// A set of numbers below a fixed bound that finds the next one in a few steps, however many are
/// missing between.
///
/// Each word of a level says which words of the level below it are not 0.
#[derive(Clone, Debug)]
pub(crate) struct BitTree {
    levels: Vec<Vec<u64>>,
}

impl BitTree {
    /// All numbers below `bound`.
    pub(crate) fn full(bound: u32) -> BitTree {
        let mut levels = Vec::new();
        let mut bits = bound as usize;
        loop {
            let mut words = vec![u64::MAX; bits.div_ceil(64)];
            if let Some(last) = words.last_mut().filter(|_| !bits.is_multiple_of(64)) {
                *last = (1 << (bits % 64)) - 1;
            }
            bits = words.len();
            levels.push(words);
            if bits <= 1 {
                return BitTree { levels };
            }
        }
    }

    pub(crate) fn insert(&mut self, number: u32) {
        let mut at = number as usize;
        for level in &mut self.levels {
            let word = &mut level[at / 64];
            let was_empty = *word == 0;
            *word |= 1 << (at % 64);
            if !was_empty {
                return;
            }
            at /= 64;
        }
    }

    pub(crate) fn remove(&mut self, number: u32) {
        let mut at = number as usize;
        for level in &mut self.levels {
            let word = &mut level[at / 64];
            *word &= !(1 << (at % 64));
            if *word != 0 {
                return;
            }
            at /= 64;
        }
    }

    /// The least number that is not below `from`.
    pub(crate) fn next(&self, from: u32) -> Option<u32> {
        let mut at = from as usize;
        for (height, level) in self.levels.iter().enumerate() {
            let word = level.get(at / 64).copied().unwrap_or(0) & (u64::MAX << (at % 64));
            if word != 0 {
                let mut found = at / 64 * 64 + word.trailing_zeros() as usize;
                for lower in self.levels[..height].iter().rev() {
                    found = found * 64 + lower[found].trailing_zeros() as usize;
                }
                return u32::try_from(found).ok();
            }
            at = at / 64 + 1;
        }
        None
    }
}
