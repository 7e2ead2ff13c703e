//! sort and resize.

use std::cmp::Reverse;

use hypotheke::SortKey;

use super::allowed::{slot_of, whole};
use super::faults::Fault;
use super::reasons::Portion;
use super::state::{At, Cell, Inside, Stack};
use super::{Going, Model, No, because, no};

impl Model {
    fn is_unfit(&self, at: &Inside, stack: &Stack) -> bool {
        at.chain().iter().enumerate().any(|(out, around)| {
            let spec = self.state.spec(&self.rules, around);
            (out == 0 || spec.deep) && !self.rules.admits(spec.filter.as_ref(), stack)
        })
    }

    pub(super) fn sort(&mut self, at: &At, by: SortKey) -> Result<u64, No> {
        let At::Container(at) = at else { return Err(no("unknown")) };
        let spec = self.state.spec(&self.rules, at).clone();
        let is_loose = |slot: &usize| {
            let rule = spec.ruled.get(*slot);
            rule.is_none_or(|rule| !rule.has_rules())
        };
        let loose: Vec<usize> = (0..self.state.slots(at).len()).filter(is_loose).collect();
        for (done, &from) in loose.iter().enumerate() {
            for &onto in &loose[..done] {
                let (Some(mine), Some(there)) = (&self.state.slots(at)[from], &self.state.slots(at)[onto]) else {
                    continue;
                };
                let limit = self.slot_limit(mine.kind, at, onto);
                let over = i64::from(mine.count) > limit || i64::from(there.count) >= limit;
                if !mine.can_stack_with(there) || over || self.is_unfit(at, mine) {
                    continue;
                }
                let limit = if Fault::SortMergesPastTheLimit.is_on() { limit + 1 } else { limit };
                let given = u32::try_from(limit).unwrap().saturating_sub(there.count).min(mine.count);
                self.state.slots_mut(at)[onto].as_mut().expect("a stack").count += given;
                self.state.lessen(&Cell::Slot(at.clone(), from), given);
            }
        }
        let mut stacks: Vec<Stack> = loose.iter().filter_map(|&slot| self.state.slots_mut(at)[slot].take()).collect();
        // A stable sort: ties stay in slot order.
        stacks.sort_by_key(|stack| {
            let upwards = match by {
                SortKey::Kind => self.rules.names.kinds[stack.kind].as_str(),
                SortKey::Name => &self.rules.names.labels[stack.kind],
                _ => "",
            };
            let downwards = match by {
                SortKey::Weight => stack.weight(&self.rules),
                SortKey::Value => {
                    stack.all().iter().map(|one| self.rules.kinds[one.kind].value * i64::from(one.count)).sum()
                }
                SortKey::Count => i64::from(stack.count),
                _ => 0,
            };
            let marks: Vec<usize> = stack.marks.iter().copied().collect();
            let properties: Vec<i64> = stack.properties.values().copied().collect();
            (upwards.to_owned(), Reverse(downwards), stack.kind, marks, properties, Reverse(stack.count))
        });
        for (slot, stack) in loose.into_iter().zip(stacks) {
            self.state.slots_mut(at)[slot] = Some(stack);
        }
        Ok(0)
    }

    pub(super) fn resize(&mut self, at: &At, slots: usize, spill: bool) -> Result<u64, No> {
        let At::Container(at) = at else { return Err(no("unknown")) };
        let (least, most) = self.state.spec(&self.rules, at).bounds;
        if slots < least || slots > most {
            let limit = i64::try_from(if slots < least { least } else { most }).unwrap();
            return Err(because("bad-amount", i64::try_from(slots).unwrap() * 1_000, limit * 1_000));
        }
        let mut count = 0;
        for slot in slots..self.state.slots(at).len() {
            let Some(stack) = self.state.slots(at)[slot].clone() else { continue };
            if !spill {
                return Err(no("not-empty"));
            }
            if Fault::SpillIsLost.is_on() {
                continue;
            }
            self.staying = Some((at.clone(), slots));
            let spilled = self.spill(at, slot, &stack);
            self.staying = None;
            spilled?;
            count += u64::from(stack.count);
        }
        self.state.slots_mut(at).resize(slots, None);
        let owner = self.state.owner(at);
        for origin in &mut self.state.origins {
            *origin = origin.filter(|(of, slot)| *of != owner || *slot < slots);
        }
        Ok(count)
    }

    /// To the slots that stay, to the holder's other containers, to the ground; all of it must find
    /// a place.
    fn spill(&mut self, at: &Inside, slot: usize, stack: &Stack) -> Result<(), No> {
        let cell = Cell::Slot(at.clone(), slot);
        let one = Stack { count: 1, ..stack.clone() };
        let holder = self.state.holder(&self.rules, at);
        let others = holder.map_or_else(Vec::new, |holder| self.all_targets(&At::Holder(holder)));
        let others = others.into_iter().filter(|other| !other.is_within(at));
        let places: Vec<Inside> = std::iter::once(at.clone()).chain(others).collect();
        let mut laid = Vec::new();
        let mut left = stack.count;
        for place in places {
            while left > 0 && self.may_leave(&slot_of(at, slot), &whole(&place)) {
                let Some(place) = self.place_for_one(&one, Some(&cell), &At::Container(place.clone())) else { break };
                self.lay_one(place, &one, &mut laid);
                left -= 1;
            }
        }
        if left > 0 && !self.may_leave(&slot_of(at, slot), &None) {
            return Err(no("not-allowed"));
        }
        let keeps = stack.all().into_iter().any(|stack| self.rules.kinds[stack.kind].is_protected);
        let landing = self.landing_room(stack, left);
        if left > 0 && keeps && !at.is_on_ground() || landing < left {
            let list = self.reasons(&[Portion::of(stack, &cell, i64::from(left))], &Going::To(At::Ground));
            return Err(self.refuse(list, 0));
        }
        let mut id_is_free = true;
        self.name_parts(stack, laid, &mut id_is_free);
        self.state.lessen(&cell, stack.count);
        self.land(stack, landing, &mut id_is_free);
        Ok(())
    }
}
