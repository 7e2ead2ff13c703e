//! What no operation may do, whatever the world that it leaves: what one world alone does not show.

use std::collections::BTreeMap;

use super::{Law, Violation};
use crate::id::KindId;
use crate::ops::{Action, Operation};
use crate::world::{StackView, World};

/// Reads a world, and checks it again after an operation.
///
/// Only `create` may put a protected item on the ground: alone, in a pack, or into a pack on the
/// ground. No protected item may be consumed. A world does not show how an item reached its place,
/// so [`audit`](super::audit) can't check this.
///
/// ```
/// use hypotheke::{Amount, Operation, Place, Ruleset, StepAudit, World};
///
/// let rules = Ruleset::builder().kind("journal", |kind| kind.protected()).container("depot", |depot| depot.slots(2)).build()?;
/// let mut world = World::new(&rules.into());
/// let journal = world.rules().find_kind("journal").unwrap();
/// let before = StepAudit::before(&world);
/// let created = Operation::creating(Amount::Exactly(1), journal, Place::Ground);
/// world.perform(&created).unwrap();
/// assert!(before.check(&world, &created).is_empty());
/// // Had anything else brought it there, that would be wrong.
/// let depot = world.container("depot").unwrap();
/// assert_eq!(before.check(&world, &Operation::moving(Amount::All, depot, depot)).len(), 1);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct StepAudit {
    /// For each protected kind: how many items are on the ground, and how many have been consumed.
    protected: BTreeMap<KindId, (u64, u64)>,
}

impl StepAudit {
    /// Counts the protected items of the world. The cost grows with the stacks on the ground and
    /// the kinds in play.
    #[must_use]
    pub fn before(world: &World) -> StepAudit {
        let in_play = world.counted_kinds().filter(|&kind| world.rules().known_kind(kind).is_protected());
        let mut protected = in_play.map(|kind| (kind, (0, world.totals(kind).consumed))).collect();
        world.ground().for_each(|(stack, _)| count(world, stack, &mut protected));
        StepAudit { protected }
    }

    /// What the operation that led from there to a world has broken.
    #[must_use]
    pub fn check(&self, after: &World, operation: &Operation) -> Vec<Violation> {
        let creates = creates(operation);
        let mut found = Vec::new();
        for (kind, (on_ground, consumed)) in StepAudit::before(after).protected {
            let (was_on_ground, was_consumed) = self.protected.get(&kind).copied().unwrap_or_default();
            let kind = after.rules().known_kind(kind).id().to_owned();
            let mut add = |message| {
                found.push(Violation { law: Law::Protected, place: "ground".to_owned(), message, figures: None });
            };
            if on_ground > was_on_ground && !creates {
                add(format!("{} {kind} were dropped, but they are protected", on_ground - was_on_ground));
            }
            if consumed > was_consumed {
                add(format!("{} {kind} consumed, but they are protected", consumed - was_consumed));
            }
        }
        found
    }
}

fn count(world: &World, stack: StackView<'_>, protected: &mut BTreeMap<KindId, (u64, u64)>) {
    if stack.kind().is_protected() {
        protected.entry(stack.kind().handle()).or_default().0 += u64::from(stack.count());
    }
    let inside = stack.inside().map(|inside| world.stacks(inside));
    inside.into_iter().flatten().for_each(|(_, stack)| count(world, stack, protected));
}

/// Whether an operation, or one in its list, brings items in.
fn creates(operation: &Operation) -> bool {
    match &operation.action {
        Action::Create { .. } => true,
        Action::Together { steps } => steps.iter().any(creates),
        _ => false,
    }
}
