//! What a player and the world around them may exchange: one operation that gives, one that takes.

use crate::language::Amount;
use crate::ops::Operation;
use crate::ruleset::Kind;
use crate::world::{Place, World};

/// Which way items go.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Direction {
    Give,
    Take,
}

/// The first operation that takes one item from the player to the world, or back; `None` if no
/// place takes it.
pub(super) fn exchange(world: &World, player: &str, direction: Direction) -> Option<Operation> {
    let holder = world.holder(player)?;
    let own: Vec<Place> = world.carried(holder).map(Place::from).collect();
    let around: Vec<Place> = world.containers().filter(|id| world.carrier(*id).is_none()).map(Place::from).collect();
    let (from, to) = match direction {
        Direction::Give => (&own, &around),
        Direction::Take => (&around, &own),
    };
    let moves = from.iter().flat_map(|from| to.iter().map(|to| Operation::moving(Amount::Exactly(1), *from, *to)));
    // One item of the first kind that goes at all.
    let kinds: Vec<_> = world.rules().kinds().map(Kind::handle).collect();
    let single = moves.flat_map(|operation| kinds.iter().map(move |kind| operation.clone().only(*kind)));
    let mut all = single.filter(|operation| world.dry_run(operation).is_ok());
    all.next()
}
