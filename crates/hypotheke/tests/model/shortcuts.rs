//! Shortcuts.

use super::faults::Fault;
use super::state::{Inside, Stack};
use super::{Model, No, no};

impl Model {
    fn has_kind(&self, holder: usize, kind: usize) -> bool {
        let carried = self.rules.carried(holder).into_iter().map(Inside::container);
        carried.chain([Inside::hand(holder)]).any(|at| {
            let stacks = self.state.slots(&at).iter().flatten().chain(self.state.held(&at));
            stacks.flat_map(Stack::all).any(|stack| stack.kind == kind)
        })
    }

    pub(super) fn bind(&mut self, holder: usize, kind: usize, shortcut: usize) -> Result<u64, No> {
        if shortcut >= self.state.bars[holder].len() {
            return Err(no("unknown"));
        }
        if !self.has_kind(holder, kind) {
            return Err(no("empty-source"));
        }
        let bar = &mut self.state.bars[holder];
        match bar.iter().position(|bound| *bound == Some(kind)) {
            Some(other) => bar.swap(other, shortcut),
            None => bar[shortcut] = Some(kind),
        }
        Ok(0)
    }

    pub(super) fn unbind(&mut self, holder: usize, shortcut: usize) -> Result<u64, No> {
        match self.state.bars[holder].get_mut(shortcut) {
            None => Err(no("unknown")),
            Some(bound) => bound.take().map(|_| 0).ok_or(no("empty-source")),
        }
    }

    /// Nothing is left at which they could point.
    pub(super) fn clear_depleted_shortcuts(&mut self, before: &Model) {
        for holder in 0..self.state.bars.len() {
            self.clear_depleted_shortcuts_of(holder, before);
        }
    }

    pub(super) fn clear_depleted_shortcuts_of(&mut self, holder: usize, before: &Model) {
        for shortcut in 0..self.state.bars[holder].len() {
            let Some(kind) = self.state.bars[holder][shortcut] else { continue };
            let left = !self.has_kind(holder, kind);
            // One that is kept without anything behind it stays; so does one that was so before.
            if left
                && !Fault::SpentShortcutStays.is_on()
                && self.rules.bars[holder].1
                && before.has_kind_or_is_unbound(holder, kind)
            {
                self.state.bars[holder][shortcut] = None;
            }
        }
    }

    fn has_kind_or_is_unbound(&self, holder: usize, kind: usize) -> bool {
        self.has_kind(holder, kind) || !self.state.bars[holder].contains(&Some(kind))
    }
}
