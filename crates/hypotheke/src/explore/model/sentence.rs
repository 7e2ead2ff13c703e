//! Operations as sentences, as a scenario writes them.

use crate::ops::Operation;
use crate::world::World;

/// An operation in a sentence that means it in this world; nothing if it names what is not there.
pub(in crate::explore) fn sentence(world: &World, operation: &Operation) -> String {
    world.name_operation(operation).map_or_else(String::new, |named| named.to_string())
}
