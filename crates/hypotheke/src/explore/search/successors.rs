//! What a search asks of each of its threads. A search of anything else, or elsewhere, is another
//! implementation of this, not another search: numbering states, batches, bounds, verdicts and
//! traces are the same.

use std::ops::Range;

use crate::explore::model::scope::Scope;
use crate::explore::search::expand::{Expanded, Known, Planned};
use crate::ops::Operation;
use crate::world::World;

/// Finds the successors of states, given by number and bytes.
///
/// The same questions have the same answers on every thread and in every order. That is why a
/// search finds the same on any number of threads.
pub(in crate::explore) trait Successors: Send {
    /// A world as the bytes of its state, with their hash.
    fn pack(&mut self, world: &World, scope: &Scope) -> (Vec<u8>, u64);

    /// All states that follow some, each with the first state and operation that leads there.
    fn expand(&mut self, numbers: Range<u32>, known: &Known<'_>) -> Expanded;

    /// The findings of some states, if any.
    fn check(&mut self, numbers: Range<u32>, known: &Known<'_>) -> Vec<(u32, Box<Planned>)>;

    /// The nth operation of a state that a world is in.
    fn operation(&mut self, world: &World, scope: &Scope, nth: u32) -> Option<Operation>;
}
