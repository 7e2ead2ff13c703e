//! Operations that are worked out and not done.

use crate::moment::Moment;
use crate::snapshot::Outcome;
use crate::world::{Event, Scratch};

/// What an operation would do, worked out but not done. It holds for the world on which it was
/// made, as long as that is as it was: any change makes it stale, and on a clone it always is.
#[derive(Clone, Debug)]
#[must_use = "a plan changes nothing until `World::apply` carries it out"]
pub struct Plan {
    pub(super) moment: Moment,
    pub(super) next_stack: u64,
    pub(super) scratch: Box<Scratch>,
    pub(super) outcome: Outcome,
}

impl Plan {
    /// The result of applying it.
    pub fn outcome(&self) -> Outcome {
        self.outcome
    }

    /// What it would change.
    #[must_use]
    pub fn events(&self) -> &[Event] {
        &self.scratch.events
    }
}
