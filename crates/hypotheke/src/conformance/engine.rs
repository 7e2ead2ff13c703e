use std::sync::Arc;

use super::{Answer, Implementation};
use crate::language::NamedOperation;
use crate::ruleset::Ruleset;
use crate::snapshot::{Departures, Snapshot, SnapshotError};
use crate::world::World;

/// This library's own engine behind the words that all implementations share.
#[derive(Clone, Debug)]
pub struct Engine {
    world: World,
    departures: Departures,
}

impl Engine {
    /// An engine with a ruleset and an empty world.
    #[must_use]
    pub fn new(rules: &Arc<Ruleset>) -> Engine {
        Engine { world: World::empty(rules), departures: Departures::new() }
    }

    /// Its world.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.world
    }

    /// The transfer records of departures.
    #[must_use]
    pub fn departures(&self) -> &Departures {
        &self.departures
    }
}

impl Implementation for Engine {
    fn start(&mut self, snapshot: &Snapshot) -> Result<(), SnapshotError> {
        self.world = World::from_snapshot(&Arc::clone(self.world.rules()), snapshot)?;
        self.departures = Departures::new();
        Ok(())
    }

    fn perform(&mut self, operation: &NamedOperation) -> Answer {
        let operation = match operation.resolve_with(&self.world, &self.departures) {
            Ok(operation) => operation,
            Err(error) => return error.refusal().map_or_else(Answer::unknown, Answer::from),
        };
        let answer = self.world.perform(&operation);
        self.departures.extend(self.world.departed().iter().cloned());
        answer.map_or_else(Answer::from, Answer::from)
    }

    fn snapshot(&self) -> Snapshot {
        self.world.snapshot()
    }
}
