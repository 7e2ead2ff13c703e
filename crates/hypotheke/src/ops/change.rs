//! Changes of stacks by the rules: at the end of each operation, as a part of it.
//!
//! Only what an operation has touched can be due. A stack of a new class is in the place where one
//! of the events put it or changed it; in all others there is what was there before, and nothing
//! there was due, since the operation before has ended with this too.

use super::draft::{Draft, Item};
use crate::language::Position;
use crate::world::{Event, Spot, StackLocation, World};

impl Draft<'_> {
    /// Changes what is due, in the order of the world: containers with their insides, slot by slot,
    /// then hands and the ground. The game does that, not the actor.
    pub(super) fn change_stacks(&mut self) {
        if self.world.rules.changes().is_empty() {
            return;
        }
        let (actor, noted) = (self.actor.take(), self.take_noted());
        let mode = self.put_mode;
        self.begin_step();
        let touched = self.events().iter().flat_map(touched).flatten();
        let touched: Vec<(Spot, Position)> = touched.map(|end| (end.spot, end.position)).collect();
        self.in_order(touched, |draft, spot, position| {
            draft.change_stack_at(spot, position);
        });
        let _ = self.take_noted();
        self.note_first(noted);
        (self.actor, self.put_mode) = (actor, mode);
    }

    /// Changes what is due in these places, and ejects what is unfit there.
    pub(super) fn change_or_eject(&mut self, spots: Vec<Spot>) {
        let located = spots.into_iter().map(|spot| (spot, self.end(spot, 0).position)).collect();
        self.in_order(located, |draft, spot, position| {
            if !draft.change_stack_at(spot, position) {
                draft.put_elsewhere(spot);
            }
        });
    }

    /// With the positions of those on the ground: to search for one would cost the events so far.
    fn in_order(&mut self, mut spots: Vec<(Spot, Position)>, mut change: impl FnMut(&mut Self, Spot, Position)) {
        spots.retain(|&(spot, _)| self.may_change(spot));
        spots.sort_by_key(|(spot, _)| (spot.is_ground(), self.order_of(spot.container), spot.slot));
        spots.dedup_by_key(|(spot, _)| *spot);
        for (spot, position) in spots {
            change(self, spot, position);
            self.begin_step();
        }
    }

    /// A stack that is here, and no container works on.
    fn may_change(&self, spot: Spot) -> bool {
        let is_in_work = || spot.slot >= self.state(spot.container).work;
        !self.cell(spot).is_empty() && (spot.is_ground() || !self.has_left(spot.container) && !is_in_work())
    }

    /// Returns whether it was due.
    fn change_stack_at(&mut self, spot: Spot, position: Position) -> bool {
        let cell = self.cell(spot);
        let key = self.class_key(cell);
        let rules = &self.world.rules;
        if key.due_change(rules).is_none() {
            return false;
        }
        let kind = key.kind;
        let Some(key) = key.changed(rules) else {
            self.remove(spot, cell.count);
            return true;
        };
        let (after, class) = (key.kind, self.class_of(key));
        if after == kind {
            self.change_class(spot, class);
            self.begin_step();
            self.put_elsewhere(spot);
            return true;
        }
        self.remove(spot, cell.count);
        self.begin_step();
        let spot = if spot.is_ground() { self.next_landing_spot(0) } else { spot };
        // Where it was, and nowhere around it.
        self.be_landing_at(position);
        let id = self.new_id();
        let end = self.landing_end(spot, id);
        let item = Item::of_class(after, class, &self.world.rules);
        self.push_transfer(item, cell.count, StackLocation::NOWHERE, end);
        self.begin_step();
        self.put_elsewhere(spot);
        true
    }
}

impl World {
    /// Changes all that is due under rules that the world did not have before. Returns the places,
    /// each with the stack there and the change.
    pub(crate) fn change_all_due(&mut self) -> Vec<(String, String)> {
        if self.rules.changes().is_empty() {
            return Vec::new();
        }
        let there = (0..self.container_count()).filter(|&container| self.is_there(container));
        let stacks = there.flat_map(|container| self.stacks_of(container));
        let mut draft = Draft::new(self, Box::default());
        let mut due = Vec::new();
        let mut told = Vec::new();
        for (spot, cell) in stacks.filter(|&(spot, _)| draft.may_change(spot)) {
            if let Some(change) = draft.class_key(cell).due_change(&self.rules) {
                let kind = self.rules.known_kind_at(cell.kind).id();
                told.push((self.spot_name(spot), format!("{} {kind}: the change {}", cell.count, change.id())));
                due.push(spot);
            }
        }
        draft.change_or_eject(due);
        draft.follow_up();
        let (scratch, next_stack) = draft.into_parts();
        self.carry_out_all(scratch, next_stack);
        told
    }
}

/// The places where an event may have put a stack of a new class.
fn touched(event: &Event) -> [Option<StackLocation>; 2] {
    let here = |end: &StackLocation| end.exists().then_some(*end);
    match event {
        Event::Moved { to, .. } => [here(to), None],
        Event::Swapped { one, other } => [here(one), here(other)],
        Event::Changed { at, .. } => [here(at), None],
        _ => [None, None],
    }
}
