//! Operations as sentences, as a scenario writes them.

use crate::ops::Operation;
use crate::world::World;

/// Reads an operation that is valid in this world; `None` if it has an unknown name.
pub(in crate::explore) fn sentence(world: &World, operation: &Operation) -> String {
    world.name_operation(operation).map_or_else(String::new, |named| named.to_string())
}
