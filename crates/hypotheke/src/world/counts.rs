//! How many items satisfy each of the filters of all caps.

/// A cap with the number of items that count towards it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CapCount<'w> {
    /// The filter, as the ruleset writes it.
    pub of: &'w str,
    /// The present number of items, packs included.
    pub present: u64,
    /// The maximum number of items.
    pub most: u32,
}

/// A count for each number. Where nothing was ever counted it takes no room.
#[derive(Clone, Debug, Default)]
pub(crate) struct Counts(Vec<u64>);

impl Counts {
    pub(crate) fn get(&self, number: usize) -> u64 {
        self.0.get(number).copied().unwrap_or(0)
    }

    pub(super) fn change(&mut self, number: usize, more: u64, less: u64) {
        if more != less {
            if self.0.len() <= number {
                self.0.resize(number + 1, 0);
            }
            self.0[number] = self.0[number] + more - less;
        }
    }

    pub(super) fn clear(&mut self) {
        self.0.fill(0);
    }
}
