//! Items that need several named slots at once.

use super::Model;
use super::faults::Fault;
use super::state::{Cell, Inside, Stack};

impl Model {
    /// The slots that a stack occupies from one of them; `None` if one does not exist.
    pub(super) fn takes_up(&self, kind: usize, at: &Inside, slot: usize) -> Option<Vec<usize>> {
        let ruled = &self.state.spec(&self.rules, at).ruled;
        let needs = &self.rules.kinds[kind].needs;
        match ruled.get(slot).and_then(|rule| rule.name).filter(|name| needs.contains(name)) {
            _ if Fault::FurtherSlotsNotBlocked.is_on() => Some(vec![slot]),
            None => Some(vec![slot]),
            Some(_) => needs.iter().map(|need| ruled.iter().position(|rule| rule.name == Some(*need))).collect(),
        }
    }

    /// Whether a slot, or one that would be needed with it, is missing or taken up by another
    /// stack.
    pub(super) fn is_blocked(&self, stack: &Stack, at: &Inside, slot: usize) -> bool {
        let Some(wanted) = self.takes_up(stack.kind, at, slot) else { return true };
        let others = self.state.slots(at).iter().enumerate().filter(|(other, there)| {
            *other != slot && there.is_some() && self.leaving != Some(Cell::Slot(at.clone(), *other))
        });
        let mut taken = others.flat_map(|(other, there)| {
            let kind = there.as_ref().expect("a stack").kind;
            self.takes_up(kind, at, other).unwrap_or_else(|| vec![other])
        });
        taken.any(|slot| wanted.contains(&slot))
    }

    /// Whether a stack in another slot takes up a slot.
    pub(crate) fn is_taken_up(&self, at: &Inside, slot: usize) -> bool {
        self.state.slots(at).iter().enumerate().any(|(other, there)| {
            let kind = there.as_ref().map(|there| there.kind);
            other != slot && kind.and_then(|kind| self.takes_up(kind, at, other)).is_some_and(|it| it.contains(&slot))
        })
    }

    /// What leaves whole is no obstacle; it is one if it does not.
    pub(super) fn as_if_left<T>(&mut self, leaving: Option<Cell>, run: impl FnOnce(&mut Model) -> T) -> T {
        let before = std::mem::replace(&mut self.leaving, leaving);
        let result = run(self);
        self.leaving = before;
        result
    }
}
