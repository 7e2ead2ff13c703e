//! The plain yardstick: arrays of optional (kind, count), linear search, no checks.

use crate::workload::{KINDS, LIMITS, Step};

/// Two containers of slots.
#[derive(Clone, Debug)]
pub struct Plain {
    /// The slots of each.
    pub containers: [Vec<Option<(u16, u16)>>; 2],
}

fn limit(kind: u16) -> u16 {
    LIMITS[kind as usize % LIMITS.len()]
}

impl Plain {
    /// Two empty containers with a number of slots.
    #[must_use]
    pub fn new(slots: usize) -> Plain {
        Plain { containers: [vec![None; slots], vec![None; slots]] }
    }

    /// Performs one step; returns the number of items.
    pub fn play(&mut self, step: Step) -> u32 {
        match step {
            Step::Create { container, kind, count } => u32::from(self.create(container, kind, count)),
            Step::Consume { container, kind, count } => u32::from(self.consume(container, kind, count)),
            Step::Transfer { from, to } => self.transfer(from, to),
        }
    }

    /// Plays a step of the filling, which always creates a whole stack in the first slot.
    pub fn play_quickly(&mut self, step: Step) {
        match step {
            Step::Create { container, kind, count } => {
                debug_assert!(self.containers[container][0].is_none() && count == limit(kind));
                self.containers[container][0] = Some((kind, count));
            }
            other => {
                self.play(other);
            }
        }
    }

    fn create(&mut self, container: usize, kind: u16, count: u16) -> u16 {
        debug_assert!(usize::from(kind) < KINDS);
        let most = limit(kind);
        let mut left = count;
        for (there, held) in self.containers[container].iter_mut().flatten() {
            if *there == kind && *held < most {
                let given = left.min(most - *held);
                *held += given;
                left -= given;
                if left == 0 {
                    return count;
                }
            }
        }
        for slot in &mut self.containers[container] {
            if slot.is_none() {
                let given = left.min(most);
                *slot = Some((kind, given));
                left -= given;
                if left == 0 {
                    return count;
                }
            }
        }
        count - left
    }

    fn consume(&mut self, container: usize, kind: u16, count: u16) -> u16 {
        let mut left = count;
        for slot in &mut self.containers[container] {
            if let Some((there, held)) = slot
                && *there == kind
            {
                let taken = left.min(*held);
                *held -= taken;
                left -= taken;
                if *held == 0 {
                    *slot = None;
                }
                if left == 0 {
                    return count;
                }
            }
        }
        count - left
    }

    fn transfer(&mut self, from: (usize, usize), to: (usize, usize)) -> u32 {
        let Some((kind, count)) = self.containers[from.0][from.1] else { return 0 };
        if from == to {
            return 0;
        }
        match self.containers[to.0][to.1] {
            None => {
                self.containers[to.0][to.1] = Some((kind, count));
                self.containers[from.0][from.1] = None;
                u32::from(count)
            }
            Some((there, held)) if there == kind => {
                let given = count.min(limit(kind) - held);
                self.containers[to.0][to.1] = Some((kind, held + given));
                self.containers[from.0][from.1] = Some((kind, count - given)).filter(|(_, count)| *count > 0);
                u32::from(given)
            }
            Some(other) => {
                self.containers[to.0][to.1] = Some((kind, count));
                self.containers[from.0][from.1] = Some(other);
                u32::from(count) + u32::from(other.1)
            }
        }
    }
}
