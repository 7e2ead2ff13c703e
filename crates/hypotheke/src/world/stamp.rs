//! Which moment of which world a plan was made for.

use std::sync::atomic::{AtomicU64, Ordering};

/// The stamps that were given in this process. They reach no output, no save, no equality and no hash.
static GIVEN: AtomicU64 = AtomicU64::new(0);

/// The stamp of a world as it is now. It is given when the first plan is made, and no other moment of this or any other world
/// ever gets it: every change takes it away, an undo too, and a clone begins without one.
#[derive(Debug, Default)]
pub(crate) struct Stamp(AtomicU64);

impl Stamp {
    /// The stamp of now, for a plan. Of several threads that ask at once all get the same.
    pub(crate) fn get(&self) -> u64 {
        match self.0.load(Ordering::Relaxed) {
            0 => {
                let fresh = GIVEN.fetch_add(1, Ordering::Relaxed) + 1;
                let before = self.0.compare_exchange(0, fresh, Ordering::Relaxed, Ordering::Relaxed);
                before.err().unwrap_or(fresh)
            }
            given => given,
        }
    }

    pub(crate) fn is(&self, stamp: u64) -> bool {
        self.0.load(Ordering::Relaxed) == stamp
    }

    /// What was planned before holds no more.
    #[inline]
    pub(crate) fn expire(&mut self) {
        *self.0.get_mut() = 0;
    }
}

impl Clone for Stamp {
    fn clone(&self) -> Stamp {
        Stamp::default()
    }
}
