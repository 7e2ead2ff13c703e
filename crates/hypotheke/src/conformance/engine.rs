use std::sync::Arc;

use super::{Answer, Implementation};
use crate::language::NamedOperation;
use crate::ruleset::Ruleset;
use crate::snapshot::{Snapshot, SnapshotError};
use crate::world::World;

/// This library's own engine behind the words that all implementations share.
#[derive(Clone, Debug)]
pub struct Engine {
    world: World,
}

impl Engine {
    /// One that plays by a ruleset, in a world in which nothing lies.
    #[must_use]
    pub fn new(rules: &Arc<Ruleset>) -> Engine {
        Engine { world: World::empty(rules) }
    }

    /// The world that it plays.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.world
    }
}

impl Implementation for Engine {
    fn start(&mut self, snapshot: &Snapshot) -> Result<(), SnapshotError> {
        self.world = World::from_snapshot(&Arc::clone(self.world.rules()), snapshot)?;
        Ok(())
    }

    fn perform(&mut self, operation: &NamedOperation) -> Answer {
        match operation.resolve(&self.world) {
            Ok(operation) => self.world.perform(&operation).map_or_else(Answer::from, Answer::from),
            Err(_) => Answer::unknown(),
        }
    }

    fn snapshot(&self) -> Snapshot {
        self.world.snapshot()
    }
}
