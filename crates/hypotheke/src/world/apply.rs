//! The only code that changes where something lies.

use super::index::Index;
use super::{Cell, ClassTable, Event, Spot, World};
use crate::language::Position;
use crate::ruleset::{Cap, Ruleset};

impl World {
    /// Makes one change. Whoever made the event has made sure that it can be made.
    pub(crate) fn carry_out(&mut self, event: &Event) {
        match *event {
            Event::Transferred { kind, count, from, to, class } => {
                let weight = i64::from(count) * self.rules.figures[kind.index()].weight;
                if from.exists() {
                    let before = self.cell(from.spot);
                    debug_assert!(before.count >= count && before.class == class.0, "taking what is not there");
                    let after = if before.count == count {
                        Cell::default()
                    } else {
                        Cell { count: before.count - count, ..before }
                    };
                    self.change(from.spot, before, after, -weight, from.position);
                } else {
                    self.tallies[kind.index()].created += u64::from(count);
                    self.whole_weight += weight;
                }
                if to.exists() {
                    let before = self.cell(to.spot);
                    debug_assert!(before.is_empty() || before.class == class.0, "laying onto what is not alike");
                    let after = Cell { class: class.0, kind: kind.0, count: before.count + count, id: to.stack.0 };
                    self.change(to.spot, before, after, weight, to.position);
                } else {
                    self.tallies[kind.index()].consumed += u64::from(count);
                    self.whole_weight -= weight;
                }
            }
            Event::Swapped { one, other } => {
                let (here, there) = (self.cell(one.spot), self.cell(other.spot));
                let difference = self.cell_weight(there) - self.cell_weight(here);
                self.change(one.spot, here, there, difference, other.position);
                self.change(other.spot, there, here, -difference, one.position);
            }
        }
    }

    /// Takes one change back: exactly what [`World::carry_out`] did, the other way round.
    pub(crate) fn carry_back(&mut self, event: &Event) {
        match *event {
            Event::Transferred { kind, count, from, to, class } => {
                let weight = i64::from(count) * self.rules.figures[kind.index()].weight;
                if to.exists() {
                    let before = self.cell(to.spot);
                    debug_assert!(before.count >= count && before.class == class.0, "taking back what is not there");
                    let count = before.count - count;
                    let after = if count == 0 { Cell::default() } else { Cell { count, ..before } };
                    self.change(to.spot, before, after, -weight, to.position);
                } else {
                    self.tallies[kind.index()].consumed -= u64::from(count);
                    self.whole_weight += weight;
                }
                if from.exists() {
                    let before = self.cell(from.spot);
                    let count = before.count + count;
                    let after = Cell { class: class.0, kind: kind.0, count, id: from.stack.0 };
                    self.change(from.spot, before, after, weight, from.position);
                } else {
                    self.tallies[kind.index()].created -= u64::from(count);
                    self.whole_weight -= weight;
                }
            }
            // An exchange is its own inverse.
            Event::Swapped { .. } => self.carry_out(event),
        }
    }

    #[inline]
    pub(crate) fn cell_weight(&self, cell: Cell) -> i64 {
        if cell.is_empty() { 0 } else { i64::from(cell.count) * self.rules.figures[cell.kind as usize].weight }
    }

    /// Puts `after` where `before` lies, and adds to the weights of container and holder.
    #[inline]
    fn change(&mut self, spot: Spot, before: Cell, after: Cell, weight: i64, position: Position) {
        if before.class != after.class || before.is_empty() != after.is_empty() {
            if !before.is_empty() {
                self.classes.release(before.class);
            }
            if !after.is_empty() {
                self.classes.retain(after.class);
            }
        }
        if spot.is_ground() {
            self.ground.set(spot.slot, after, position);
            self.ground.next_landing = self.ground.next_landing.max(spot.slot + 1);
            self.ground.weight += weight;
            return;
        }
        self.count_for_caps(spot.container, before, after);
        let container = &mut self.containers[spot.container as usize];
        container.taken = container.taken + u32::from(before.is_empty()) - u32::from(after.is_empty());
        container.weight += weight;
        if let Some(holder) = self.holders.get_mut(container.holder as usize) {
            holder.weight += weight;
        }
        self.cells[(container.base + spot.slot) as usize] = after;
        match &mut container.index {
            Index::Scan { taken } => {
                let bit = 1 << spot.slot;
                *taken = if after.is_empty() { *taken & !bit } else { *taken | bit };
            }
            Index::Tree(tree) => {
                let (stack_limit, ruled, def) = (container.stack_limit, container.ruled, container.def);
                let rules: &Ruleset = &self.rules;
                tree.update(spot.slot, before, after, |kind| {
                    slot_limit(rules, stack_limit, ruled, def, kind, spot.slot)
                });
            }
        }
    }
}

impl World {
    /// Keeps in step how many items satisfy each cap of a container and its holder.
    #[inline]
    fn count_for_caps(&mut self, container: u32, before: Cell, after: Cell) {
        let state = &mut self.containers[container as usize];
        let rules: &Ruleset = &self.rules;
        if !state.capped.is_empty() {
            count_all(
                rules,
                &self.classes,
                &rules.containers()[state.def as usize].caps,
                &mut state.capped,
                before,
                after,
            );
        }
        if let Some(holder) = self.holders.get_mut(state.holder as usize).filter(|holder| !holder.capped.is_empty()) {
            count_all(
                rules,
                &self.classes,
                &rules.holders()[holder.def as usize].caps,
                &mut holder.capped,
                before,
                after,
            );
        }
    }
}

fn count_all(rules: &Ruleset, classes: &ClassTable, caps: &[Cap], counts: &mut [u64], before: Cell, after: Cell) {
    for (cap, count) in caps.iter().zip(counts) {
        let counted = |cell: Cell| {
            if cell.is_empty() || !classes.admits(rules, cap.of, cell.kind, cell.class) {
                0
            } else {
                u64::from(cell.count)
            }
        };
        *count = *count + counted(after) - counted(before);
    }
}

/// The most items of a kind in a slot: the least of the limits of kind, container and slot.
#[inline]
pub(super) fn slot_limit(rules: &Ruleset, stack_limit: u32, ruled: u32, def: u32, kind: u32, slot: u32) -> u32 {
    let own = rules.figures[kind as usize].stack_limit.min(stack_limit);
    if slot >= ruled {
        return own;
    }
    own.min(rules.containers()[def as usize].ruled[slot as usize].stack_limit)
}
