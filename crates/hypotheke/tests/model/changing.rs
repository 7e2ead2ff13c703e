//! Other marks and properties, and what is put elsewhere because of them.

use super::allowed::{slot_of, whole};
use super::faults::Fault;
use super::state::{At, Cell, Inside, Stack};
use super::{Model, No, no};

impl Model {
    /// `change` says whether it found anything to change.
    pub(super) fn change(&mut self, at: &At, change: impl FnOnce(&mut Stack) -> Result<bool, No>) -> Result<u64, No> {
        let cell = match at {
            At::Slot(inside, slot) => Cell::Slot(inside.clone(), *slot),
            At::OnGround(id) if self.state.ground.iter().any(|(stack, _)| stack.id == *id) => Cell::Ground(*id),
            _ => return Err(no("unknown")),
        };
        let there = match &cell {
            Cell::Slot(inside, slot) => self.state.slots_mut(inside)[*slot].as_mut(),
            Cell::Ground(id) => self.state.ground.iter_mut().map(|(stack, _)| stack).find(|stack| stack.id == *id),
        };
        let Some(stack) = there else { return Err(no("empty-source")) };
        if !change(stack)? {
            return Ok(0);
        }
        let stack = stack.clone();
        if let Cell::Slot(inside, _) = &cell {
            self.put_elsewhere(&cell, inside, &stack);
        }
        Ok(u64::from(stack.count))
    }

    fn put_elsewhere(&mut self, cell: &Cell, inside: &Inside, stack: &Stack) {
        let Cell::Slot(_, slot) = cell else { return };
        let refuses = |around: &Inside| {
            let spec = self.state.spec(&self.rules, around);
            let direct = around == inside;
            let by_slot = direct && !self.slot_admits(inside, *slot, stack);
            let by_container = (direct || spec.deep) && !self.rules.admits(spec.filter.as_ref(), stack);
            spec.ejects_unfit && !Fault::UnfitAlwaysStays.is_on() && (by_slot || by_container)
        };
        let Some(outermost) = inside.chain().into_iter().rfind(refuses) else { return };
        let holder = self.state.holder(&self.rules, inside);
        let others = holder.map_or_else(Vec::new, |holder| self.all_targets(&At::Holder(holder)));
        let others = others.into_iter().filter(|other| !other.is_within(&outermost));
        let keeps = |stack: &Stack| self.rules.kinds[stack.kind].is_protected;
        let may_land = self.may_leave(&slot_of(inside, *slot), &None)
            && (inside.is_on_ground() || !stack.all().into_iter().any(keeps));
        let one = Stack { count: 1, ..stack.clone() };
        let mut laid = Vec::new();
        let mut left = stack.count;
        for other in others.collect::<Vec<_>>() {
            while left > 0 && self.may_leave(&slot_of(inside, *slot), &whole(&other)) {
                let Some(place) = self.place_for_one(&one, Some(cell), &At::Container(other.clone())) else { break };
                self.lay_one(place, &one, &mut laid);
                left -= 1;
            }
        }
        let landing = if may_land { self.landing_room(stack, left) } else { 0 };
        let gone = stack.count - left + landing;
        let mut id_is_free = gone == stack.count;
        self.name_parts(stack, laid, &mut id_is_free);
        self.state.lessen(cell, gone);
        self.land(stack, landing, &mut id_is_free);
    }
}
