//! Containers whose slot order makes no difference: of two states that differ only in which slot of
//! such a container holds which stack, one is enough.
//!
//! Two states that are taken for one have the same operations, with the slots renamed. For each
//! container this needs that
//!
//! - its slots have no filter, name or limit of their own;
//! - no verb in the scope reads its slot order ([`Verb::effects`](crate::explore::Verb)):
//!   operations name slots or stacks, and the rest is sums and limits of the whole container;
//! - no hand remembers a slot: hands keep the slot that their items came from;
//! - no claim names one of its slots.
//!
//! So each trace of the one is, renamed, a trace of the other, and a claim that names no slot says
//! the same of both. The ground is treated alike: only an operation that takes a kind from the
//! whole ground reads its order.

use std::collections::BTreeSet;

use crate::explore::model::claims::Ready;
use crate::explore::model::meant::around;
use crate::explore::model::scope::Scope;
use crate::language::{Effects, SlotOrder};
use crate::ruleset::WhenUnfit;
use crate::world::{GROUND, NONE, Place, World};

/// Which containers have slots whose order makes no difference; by default none.
#[derive(Clone, Debug, Default)]
pub(in crate::explore) struct Alike {
    /// By the numbers of containers that last, the ground among them.
    lasting: Vec<bool>,
    packs: bool,
}

impl Alike {
    pub(in crate::explore) fn is_symmetric(&self, world: &World, container: u32) -> bool {
        if world.is_lasting(container) {
            return self.lasting.get(container as usize).copied().unwrap_or(false);
        }
        self.packs && world.state(container).ruled == 0
    }

    /// Whether the order on the ground makes no difference.
    pub(in crate::explore) fn is_ground_alike(&self) -> bool {
        self.lasting.get(GROUND as usize) == Some(&true)
    }

    /// How many containers there are whose slot order makes no difference.
    pub(in crate::explore) fn count(&self) -> usize {
        self.lasting.iter().filter(|alike| **alike).count()
    }
}

/// Finds the containers whose slot order makes no difference.
pub(in crate::explore) fn find(world: &World, scope: &Scope, claims: &[&Ready]) -> Alike {
    let ejects = world.rules().containers().iter().any(|def| def.when_unfit() == WhenUnfit::Eject);
    let any = |is: &dyn Fn(Effects) -> bool| scope.effects().any(is);
    let reads_all = scope.whole_places || scope.hands || scope.has_ids || any(&|it| it.slot_order == SlotOrder::Any);
    if reads_all || any(&|it| it.hand || it.size) {
        return Alike::default();
    }
    let reads_carried = any(&|it| match it.slot_order {
        SlotOrder::None => false,
        SlotOrder::CarriedIfEjecting => ejects,
        SlotOrder::Carried | SlotOrder::Any => true,
    });
    // A stack that a rule changes may be new and unfit at once, whatever the verb.
    if ejects && !world.rules().changes().is_empty() {
        return Alike::default();
    }
    let Some(named) = containers_with_named_slots(world, claims) else { return Alike::default() };
    let is_symmetric = |container: u32| {
        let state = world.state(container);
        let is_read = reads_carried && state.holder != NONE;
        !named.contains(&container) && state.ruled == 0 && !world.is_hand(container) && !is_read
    };
    let lasting = (0..world.container_count()).map(|container| container == GROUND || is_symmetric(container));
    Alike { lasting: lasting.collect(), packs: !reads_carried && named.is_empty() }
}

/// The containers with a slot that a claim names; `None` if that is unknown.
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
