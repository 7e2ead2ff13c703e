//! The only code that changes where something lies.

use super::{Cell, Event, Spot, World};
use crate::language::Position;
use crate::ruleset::Ruleset;

impl World {
    /// Makes one change. Whoever made the event has made sure that it can be made.
    pub(crate) fn carry_out(&mut self, event: &Event) {
        match *event {
            Event::Transferred { kind, count, from, to, class } => {
                let weight = i64::from(count) * self.rules.figures[kind.index()].weight;
                if from.exists() {
                    let mut cell = self.cell(from.spot);
                    debug_assert!(cell.count >= count && cell.class == class.0, "taking what is not there");
                    cell.count -= count;
                    self.set_cell(from.spot, cell, from.position);
                } else {
                    self.tallies[kind.index()].created += u64::from(count);
                    self.whole_weight += weight;
                }
                if to.exists() {
                    let before = self.cell(to.spot);
                    debug_assert!(before.is_empty() || before.class == class.0, "laying onto what is not alike");
                    let cell = Cell { class: class.0, kind: kind.0, count: before.count + count, id: to.stack.0 };
                    self.set_cell(to.spot, cell, to.position);
                } else {
                    self.tallies[kind.index()].consumed += u64::from(count);
                    self.whole_weight -= weight;
                }
                self.shift_weight(from.spot, to.spot, weight);
            }
            Event::Swapped { one, other } => {
                let (here, there) = (self.cell(one.spot), self.cell(other.spot));
                self.set_cell(one.spot, there, other.position);
                self.set_cell(other.spot, here, one.position);
                self.shift_weight(one.spot, other.spot, self.cell_weight(here));
                self.shift_weight(other.spot, one.spot, self.cell_weight(there));
            }
        }
    }

    pub(crate) fn cell_weight(&self, cell: Cell) -> i64 {
        if cell.is_empty() { 0 } else { i64::from(cell.count) * self.rules.figures[cell.kind as usize].weight }
    }

    fn shift_weight(&mut self, from: Spot, to: Spot, weight: i64) {
        if from.container != to.container {
            self.add_weight(from, -weight);
            self.add_weight(to, weight);
        }
    }

    fn add_weight(&mut self, spot: Spot, weight: i64) {
        if spot == Spot::NOWHERE {
            return;
        }
        if spot.is_ground() {
            self.ground.weight += weight;
            return;
        }
        let container = &mut self.containers[spot.container as usize];
        container.weight += weight;
        if let Some(holder) = self.holders.get_mut(container.holder as usize) {
            holder.weight += weight;
        }
    }

    fn set_cell(&mut self, spot: Spot, after: Cell, position: Position) {
        let after = if after.is_empty() { Cell::default() } else { after };
        let before = self.cell(spot);
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
            return;
        }
        let container = &mut self.containers[spot.container as usize];
        container.taken = container.taken + u32::from(before.is_empty()) - u32::from(after.is_empty());
        self.cells[(container.base + spot.slot) as usize] = after;
        let rules: &Ruleset = &self.rules;
        let def = &rules.containers()[container.def as usize];
        container.index.update(spot.slot, before, after, |kind| slot_limit(rules, def, kind, spot.slot));
    }
}

/// The most items of a kind in a slot: the least of the limits of kind, container and slot.
#[inline]
pub(crate) fn slot_limit(rules: &Ruleset, def: &crate::ContainerDef, kind: u32, slot: u32) -> u32 {
    let own = rules.figures[kind as usize].stack_limit.min(def.stack_limit);
    def.ruled.get(slot as usize).map_or(own, |rule| own.min(rule.stack_limit))
}
