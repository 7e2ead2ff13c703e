//! What no operation may do, whatever the world that it leaves: what one world alone does not show.

use std::collections::BTreeMap;

use super::{Law, Violation};
use crate::ops::{Action, Operation};
use crate::world::{StackView, World};

/// Looks at a world before an operation, and judges by the world after it.
///
/// A kept item comes to the ground by `create` alone, be it alone, in a pack, or into a pack that lies there, and none is consumed.
/// The world itself does not show how it came there; [`audit`](super::audit) has nothing to find.
///
/// ```
/// use hypotheke::{Amount, Operation, Place, Ruleset, StepAudit, World};
///
/// let rules = Ruleset::builder().kind("journal", |kind| kind.keep()).container("depot", |depot| depot.slots(2)).build()?;
/// let mut world = World::new(&rules.into());
/// let journal = world.rules().find_kind("journal").unwrap();
/// let before = StepAudit::before(&world);
/// let created = Operation::creating(Amount::Exactly(1), journal, Place::Ground);
/// world.perform(&created).unwrap();
/// assert!(before.judge(&world, &created).is_empty());
/// // Had anything else brought it there, that would be wrong.
/// let depot = world.container("depot").unwrap();
/// assert_eq!(before.judge(&world, &Operation::moving(Amount::All, depot, depot)).len(), 1);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, Default)]
pub struct StepAudit {
    /// How many kept items of each kind lie on the ground, and how many have been consumed.
    kept: BTreeMap<String, (u64, u64)>,
}

impl StepAudit {
    /// Takes note of the world before. Takes as long as going through what lies on the ground; where no kind is kept, nothing.
    #[must_use]
    pub fn before(world: &World) -> StepAudit {
        let kept_kinds = world.rules().kinds().filter(|kind| kind.is_kept());
        let mut kept: BTreeMap<String, (u64, u64)> =
            kept_kinds.map(|kind| (kind.id().to_owned(), (0, world.tally(kind.handle()).consumed))).collect();
        if !kept.is_empty() {
            world.ground().for_each(|(stack, _)| count(world, stack, &mut kept));
        }
        StepAudit { kept }
    }

    /// What the operation that led from there to a world has broken.
    #[must_use]
    pub fn judge(&self, after: &World, operation: &Operation) -> Vec<Violation> {
        if self.kept.is_empty() {
            return Vec::new();
        }
        let creates = creates(operation);
        let mut found = Vec::new();
        for (kind, (on_ground, consumed)) in StepAudit::before(after).kept {
            let (was_on_ground, was_consumed) = self.kept.get(&kind).copied().unwrap_or_default();
            let mut add =
                |message| found.push(Violation { law: Law::Kept, place: "ground".to_owned(), message, figures: None });
            if on_ground > was_on_ground && !creates {
                add(format!("{} {kind} came to the ground by what is no `create`", on_ground - was_on_ground));
            }
            if consumed > was_consumed {
                add(format!("{} {kind} consumed, which is kept", consumed - was_consumed));
            }
        }
        found
    }
}

fn count(world: &World, stack: StackView<'_>, kept: &mut BTreeMap<String, (u64, u64)>) {
    if let Some((on_ground, _)) = kept.get_mut(stack.kind().id()) {
        *on_ground += u64::from(stack.count());
    }
    let inside = stack.inside().map(|inside| world.stacks(inside));
    inside.into_iter().flatten().for_each(|(_, stack)| count(world, stack, kept));
}

/// Whether an operation, or one in its list, brings items in.
fn creates(operation: &Operation) -> bool {
    match &operation.action {
        Action::Create { .. } => true,
        Action::Together { steps } => steps.iter().any(creates),
        _ => false,
    }
}
