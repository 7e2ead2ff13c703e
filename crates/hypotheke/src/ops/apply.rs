//! Applies a plan: only to the state it was made for, and only if its sources are unchanged.

use super::Plan;
use crate::snapshot::Outcome;
use crate::world::{Cell, Event, PackContents, Place, Spot, World};
use rustc_hash::FxHashSet;

/// Why a plan was not applied. Nothing has been changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ApplyError {
    /// The world has changed since, be it by an undo, or it is a different one, be it a clone.
    #[error("the plan is for a different world, or the world has changed in the meantime")]
    Stale,
    /// Something does not lie as it must at this moment: memory was overwritten, or this library
    /// has a fault.
    #[error("the world is corrupted: a place has different contents than the plan")]
    Corrupted {
        /// The first such place; `None` if its container does not exist.
        at: Option<Place>,
    },
}

impl World {
    /// Performs a plan completely. The cost is that of its changes.
    ///
    /// # Errors
    /// [`ApplyError::Stale`] if the world has changed since the plan was made, or is a different
    /// one; [`ApplyError::Corrupted`] if at one end of a change the stack is not the one that the
    /// plan expects. The world is then as it was.
    pub fn apply(&mut self, plan: Plan) -> Result<Outcome, ApplyError> {
        if self.now.moment() != plan.moment {
            return Err(ApplyError::Stale);
        }
        if let Some(at) = self.first_mismatch(&plan.scratch.events) {
            return Err(ApplyError::Corrupted { at });
        }
        self.carry_out_all(plan.scratch, plan.next_stack);
        Ok(plan.outcome)
    }

    /// The first place whose contents differ from those that the changes expect. If several changes
    /// affect one place, only the first is compared: later ones build on it.
    fn first_mismatch(&self, events: &[Event]) -> Option<Option<Place>> {
        let mut met: FxHashSet<Spot> = FxHashSet::default();
        let known = self.container_count();
        let mut differs = |spot: Spot, as_planned: &dyn Fn(Cell) -> bool| {
            // What the plan itself brings is not there yet, and neither is what will land.
            if spot.container >= known || !met.insert(spot) {
                return None;
            }
            if !self.has_spot(spot) {
                return Some(None);
            }
            (!as_planned(self.cell(spot))).then(|| Some(self.place_of_spot(spot)))
        };
        events.iter().find_map(|event| match *event {
            Event::Moved { kind, count, from, to, class, inner: PackContents(inner) } => {
                let can_stack_with = |cell: Cell| cell.kind == kind.0 && cell.class == class.0;
                let gives = |cell: Cell| {
                    cell.id == from.stack.0 && cell.count >= count && cell.inner == inner && can_stack_with(cell)
                };
                let takes = |cell: Cell| {
                    let is_onto = || cell.id == to.stack.0 && can_stack_with(cell) && !cell.is_pack();
                    cell.is_empty() || is_onto() && cell.count.checked_add(count).is_some()
                };
                let source = if from.exists() { differs(from.spot, &gives) } else { None };
                source.or_else(|| if to.exists() { differs(to.spot, &takes) } else { None })
            }
            Event::Swapped { one, other } => {
                let first = differs(one.spot, &|cell| cell.id == one.stack.0);
                first.or_else(|| differs(other.spot, &|cell| cell.id == other.stack.0))
            }
            Event::Changed { at, before, .. } => {
                differs(at.spot, &|cell| cell.id == at.stack.0 && cell.class == before.0)
            }
            _ => None,
        })
    }
}
