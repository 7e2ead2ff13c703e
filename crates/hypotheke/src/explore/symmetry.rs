//! Containers whose slots nothing can tell apart: of two worlds that differ only in which slot of such a container holds which stack, one
//! is enough.
//!
//! Slots can be told apart by a filter, a name or a limit of their own, by whatever goes through them in order, and by whoever names one.
//! What is played here names a slot or a stack each time ([`super::moves`]), so that nothing is placed in slot order, but for three things:
//! what is taken off or put back goes to its holder's containers in their order, what no longer fits where it lies after a mark was
//! set does so too, and an operation that is put back looks for the slot from which it came. Where these are played, the containers of
//! holders keep their order, and with a hand all do; so they do where containers are resized, for the last slots go first and what lies there
//! spills in order. Sorting goes through the slots in their order too, but what it comes to has nothing of
//! that order: as many full stacks as there are, and the rest. A claim names a slot by its number; then that container keeps its order.
//!
//! For worlds that are taken for one, every operation of the one is an operation of the other with the slots renamed: operations
//! name slots, limits and filters are those of the container, and weights and counts are sums. So each trail of the one is, renamed, a
//! trail of the other, and a claim that names no slot says the same of both.

use std::collections::BTreeSet;

use super::claims::{Ready, around};
use super::moves::{Plan, Verb};
use crate::ruleset::Misfits;
use crate::world::{GROUND, NONE, Place, World};

/// Sets for each container, by its number, whether nothing can tell its slots apart; for the ground, its order.
pub(super) fn find(world: &World, plan: &mut Plan, claims: &[&Ready]) {
    let hand = plan.plays(Verb::Lift) || plan.plays(Verb::Put) || plan.plays(Verb::Return);
    let resizes = plan.plays(Verb::Resize);
    let leaves = world.rules().containers().iter().any(|def| def.misfits() == Misfits::Leave);
    let marks = !(plan.set.is_empty() && plan.unset.is_empty());
    let in_order = plan.plays(Verb::Unequip) || plan.plays(Verb::Equip) || leaves && marks;
    let Some(named) = containers_with_named_slots(world, claims).filter(|_| !hand && !resizes) else {
        (plan.alike, plan.packs_alike) = (Vec::new(), false);
        return;
    };
    let is_alike = |container: u32| {
        let state = world.state(container);
        let in_order_here = in_order && state.holder != NONE;
        !named.contains(&container) && state.ruled == 0 && !world.is_hand(container) && !in_order_here
    };
    let all = (0..world.container_count()).map(|container| container == GROUND || is_alike(container));
    (plan.alike, plan.packs_alike) = (all.collect(), !in_order && named.is_empty());
}

/// The containers of which a claim names a slot; none if that can't be told.
fn containers_with_named_slots(world: &World, claims: &[&Ready]) -> Option<BTreeSet<u32>> {
    let mut found = BTreeSet::new();
    for path in claims.iter().flat_map(|claim| claim.places()).filter(|path| !path.steps().is_empty()) {
        match world.place(path, None).ok()? {
            Place::Slot(container, _) | Place::Container(container) => found.extend(around(world, container.index)),
            Place::Shortcut(..) => {}
            _ => return None,
        }
    }
    Some(found)
}
