//! Shortcuts: slots that point at a kind instead of holding a stack.

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use crate::id::{HolderId, KindId};
use crate::ruleset::DepletedShortcut;
use crate::world::{Cell, Event, Place, Spot};

impl Draft<'_> {
    /// Looks up a shortcut.
    pub(super) fn known_shortcut(&self, place: Place) -> Result<(HolderId, u32), Refusal> {
        match place {
            Place::Shortcut(holder, shortcut)
                if self.has_holder(holder)
                    && self.actor.is_none_or(|actor| actor == holder.index)
                    && shortcut < self.world.shortcut_count(holder.index) =>
            {
                Ok((holder, shortcut))
            }
            Place::Shortcut(..) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
            _ => Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
        }
    }

    /// At which kind a shortcut points by now.
    pub(super) fn shortcut(&self, holder: HolderId, shortcut: u32) -> Option<KindId> {
        let bound = self.events().iter().rev().find_map(|event| match *event {
            Event::Bound { holder: of, shortcut: number, after, .. } if of == holder && number == shortcut => {
                Some(after)
            }
            _ => None,
        });
        bound.unwrap_or_else(|| self.world.shortcut_of(holder.index, shortcut))
    }

    pub(super) fn point_at(&mut self, holder: HolderId, shortcut: u32, after: Option<KindId>) {
        let before = self.shortcut(holder, shortcut);
        if before != after {
            self.push(Event::Bound { holder, shortcut, before, after });
        }
    }

    /// Whether a holder has something of a kind, in whatever counts for its weight.
    pub(super) fn has_kind(&self, holder: u32, kind: KindId) -> bool {
        let carried = self.world.containers_of(holder).iter().copied();
        carried.chain([self.world.hand_of(holder)]).any(|container| self.lies_within(container, kind))
    }

    fn lies_within(&self, container: u32, kind: KindId) -> bool {
        let is_it = |cell: Cell| cell.kind == kind.0;
        if self.next_stack_in(container, Some(kind.0), 0).is_some() || self.cells_in_work(container).any(is_it) {
            return true;
        }
        self.world.rules.pack_kinds.iter().any(|&pack| {
            let mut from = Some(0);
            while let Some(slot) = from.and_then(|from| self.next_stack_in(container, Some(pack), from)) {
                if self.lies_within(self.cell(Spot { container, slot }).inner, kind) {
                    return true;
                }
                from = slot.checked_add(1);
            }
            false
        })
    }

    /// After the whole operation, and before a holder departs: clears depleted shortcuts, if the
    /// ruleset requires it.
    pub(super) fn clear_depleted_shortcuts_of(&mut self, only: Option<u32>) {
        self.settle();
        let gave = self.holders_that_gave();
        for holder in gave.into_iter().filter(|&holder| only.is_none_or(|only| only == holder)) {
            let id = self.world.holder_id(holder);
            if self.world.rules.holders()[self.world.def_of_holder(holder)].spent == DepletedShortcut::Keep {
                continue;
            }
            for shortcut in 0..self.world.shortcut_count(holder) {
                let kind = self.shortcut(id, shortcut);
                if kind.is_some_and(|kind| !self.has_kind(holder, kind)) {
                    self.point_at(id, shortcut, None);
                }
            }
        }
    }

    /// The holders out of whose containers something went, in order. What left in a pack left with
    /// it.
    fn holders_that_gave(&self) -> Vec<u32> {
        let spots = self.events().iter().flat_map(|event| match event {
            Event::Moved { from, .. } => [from.spot, Spot::NOWHERE],
            Event::Swapped { one, other } => [one.spot, other.spot],
            _ => [Spot::NOWHERE; 2],
        });
        let containers = spots.filter(|&spot| spot != Spot::NOWHERE && !spot.is_ground()).map(|spot| spot.container);
        let mut holders: Vec<u32> = containers.filter_map(|container| self.holder_of(container)).collect();
        holders.retain(|&holder| !self.holder_has_left(holder));
        holders.sort_by_key(|&holder| self.world.order_of_holder(holder));
        holders.dedup();
        holders
    }
}
