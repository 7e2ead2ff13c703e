//! Moments: the state of a world that a plan was made for, and the time since when a container or a
//! holder is unchanged.

use std::sync::atomic::{AtomicU32, Ordering};

/// The histories that have begun in this process. They reach no output, no save, no equality of
/// worlds and no hash.
static BEGUN: AtomicU32 = AtomicU32::new(0);

/// A moment in the history of one world. No other moment of this or any other world of the process
/// is equal to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct Moment {
    history: u32,
    change: u32,
}

/// The present moment of a world. Every change leads to the next, an undo too, and a clone has a
/// separate history.
#[derive(Debug)]
pub(crate) struct Now {
    /// 0 until it is first read after the world was made or cloned.
    history: AtomicU32,
    change: u32,
}

impl Now {
    pub(crate) fn new() -> Now {
        Now { history: AtomicU32::new(0), change: 0 }
    }

    /// Of several threads that ask at once all get the same.
    pub(crate) fn moment(&self) -> Moment {
        let history = match self.history.load(Ordering::Relaxed) {
            0 => {
                let fresh = BEGUN.fetch_add(1, Ordering::Relaxed) + 1;
                let before = self.history.compare_exchange(0, fresh, Ordering::Relaxed, Ordering::Relaxed);
                before.err().unwrap_or(fresh)
            }
            begun => begun,
        };
        Moment { history, change: self.change }
    }

    /// The world has changed.
    #[inline]
    pub(crate) fn pass(&mut self) {
        self.change = self.change.wrapping_add(1);
        if self.change == 0 {
            *self.history.get_mut() = 0;
        }
    }
}

impl Moment {
    /// Belongs to no world.
    pub(crate) const NEVER: Moment = Moment { history: 0, change: 0 };
}

impl Clone for Now {
    fn clone(&self) -> Now {
        Now::new()
    }
}
