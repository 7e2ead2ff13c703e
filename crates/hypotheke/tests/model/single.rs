//! Operations on single slots.

use super::faults::Fault;
use super::reasons::Portion;
use super::state::{At, Cell, Inside, Stack};
use super::{Amount, Going, Model, No, because, no};

impl Model {
    /// How many of `wanted` items a slot would take, added one by one to `there`.
    fn take_into(&self, stack: &Stack, source: &Cell, (at, slot): (&Inside, usize), there: i64, wanted: i64) -> i64 {
        let one = Stack { count: 1, ..stack.clone() };
        let to = Going::To(At::Slot(at.clone(), slot));
        // All that is requested may leave; what stays may block the slot.
        let blocked = |count: i64| {
            let leaving = (count >= i64::from(stack.count)).then(|| source.clone());
            self.clone().as_if_left(leaving, |model| model.is_blocked(stack, at, slot))
        };
        if self.stuck(source, stack, &to).is_some()
            || self.no_entry(stack, Some(source), at).is_some()
            || self.no_nesting(stack, Some(source), at).is_some()
            || !self.slot_admits(at, slot, stack)
            || !self.slot_lets_in(Some(source), at, slot)
        {
            return 0;
        }
        let limit = self.slot_limit(stack.kind, at, slot);
        let fits = |count: &i64| self.too_much(&one, Some(source), at, *count).is_none() && there + count <= limit;
        let given = (1..=wanted).take_while(fits).last().unwrap_or(0);
        if blocked(given) { 0 } else { given }
    }

    pub(super) fn split(&mut self, count: u32, from: &At, to: &At) -> Result<u64, No> {
        let At::Slot(a, here) = from else { return Err(no("unknown")) };
        let (At::Slot(b, _) | At::Container(b)) = to else { return Err(no("unknown")) };
        self.be_exact(true);
        let source = Cell::Slot(a.clone(), *here);
        let stack = self.state.get(&source).cloned();
        let there = stack.as_ref().map_or(0, |stack| stack.count);
        if count == 0 || count == there && !Fault::SplitAtTheFullCount.is_on() {
            return Err(no("bad-amount"));
        }
        let Some(stack) = stack else { return Err(no("empty-source")) };
        let (requested, wanted) = (i64::from(count), i64::from(count.min(there - u32::from(count != there))));
        let empty = |slot: &usize| self.state.slots(b)[*slot].is_none();
        let target = match to {
            At::Slot(_, slot) => Some(*slot),
            _ => self.order_of_slots(b).into_iter().find(|slot| {
                let fits = empty(slot) && self.slot_admits(b, *slot, &stack) && !self.is_blocked(&stack, b, *slot);
                fits && self.slot_lets_in(Some(&source), b, *slot)
            }),
        };
        let taken = target.filter(|slot| empty(slot));
        let given = taken.map_or(0, |slot| self.take_into(&stack, &source, (b, slot), 0, wanted));
        if given < requested {
            let missing = because("not-enough", requested * 1_000, i64::from(there) * 1_000);
            let mut list: Vec<No> = (count > there).then_some(missing).into_iter().collect();
            let portion = Portion::of(&stack, &source, requested.min(i64::from(there)));
            self.only_empty = true;
            list.extend(self.reasons(&[portion], &Going::To(to.clone())));
            self.only_empty = false;
            return Err(self.refuse(list, u64::try_from(given).unwrap()));
        }
        let id = self.state.new_id();
        self.state.slots_mut(b)[target.expect("a slot")] = Some(Stack { id, count, ..stack });
        self.state.lessen(&source, count);
        Ok(u64::from(count))
    }

    pub(super) fn merge(&mut self, amount: Amount, from: &At, onto: &At) -> Result<u64, No> {
        let (At::Slot(a, here), At::Slot(b, slot)) = (from, onto) else { return Err(no("unknown")) };
        if from == onto {
            return self.carry(amount, None, from, &Going::Nowhere, (0, 0), true);
        }
        let requested = match amount {
            Amount::Exactly(count) | Amount::UpTo(count) => Some(i64::from(count)),
            Amount::All => None,
        };
        if requested == Some(0) {
            return Err(no("bad-amount"));
        }
        self.be_exact(matches!(amount, Amount::Exactly(_)));
        let source = Cell::Slot(a.clone(), *here);
        let Some(stack) = self.state.get(&source).cloned() else { return Err(no("empty-source")) };
        let exact = matches!(amount, Amount::Exactly(_));
        let there = i64::from(stack.count);
        let wanted = requested.map_or(there, |requested| requested.min(there));
        let min = if exact { requested.expect("a number") } else { 1 };
        let target = self.state.slots(b)[*slot].clone();
        let alike = target.as_ref().filter(|target| stack.can_stack_with(target));
        let lies = alike.map_or(0, |target| i64::from(target.count));
        let given = alike.map_or(0, |_| self.take_into(&stack, &source, (b, *slot), lies, wanted));
        let max_amount = u64::try_from(given).unwrap();
        let all = if exact { min } else { wanted };
        if given < all {
            let is_refused = given < min;
            let missing = because("not-enough", min * 1_000, there * 1_000);
            let mut list: Vec<No> = (exact && there < min).then_some(missing).into_iter().collect();
            let count = if exact || !is_refused { all.min(there) } else { 1 };
            self.only_alike = true;
            list.extend(self.reasons(&[Portion::of(&stack, &source, count)], &Going::To(onto.clone())));
            self.only_alike = false;
            if is_refused {
                return Err(self.refuse(list, max_amount));
            }
            self.list = if requested.is_some() { list } else { Vec::new() };
        }
        let given = u32::try_from(max_amount).unwrap();
        self.state.slots_mut(b)[*slot].as_mut().expect("a stack").count += given;
        self.state.lessen(&source, if Fault::MergeLosesTheOverflow.is_on() { stack.count } else { given });
        Ok(max_amount)
    }

    pub(super) fn swap(&mut self, one: &At, other: &At) -> Result<u64, No> {
        let (At::Slot(a, here), At::Slot(b, there)) = (one, other) else { return Err(no("unknown")) };
        let (mine, yours) = (self.state.slots(a)[*here].clone(), self.state.slots(b)[*there].clone());
        if mine.is_none() && yours.is_none() {
            return Err(no("empty-source"));
        }
        if one == other {
            return Ok(0);
        }
        let ways = [(&mine, a, here, b, there), (&yours, b, there, a, here)];
        let moving: Vec<(&Stack, Cell, &Inside, usize)> = ways
            .into_iter()
            .filter_map(|(stack, from, at, to, slot)| Some((stack.as_ref()?, Cell::Slot(from.clone(), *at), to, *slot)))
            .collect();
        let mut found: Vec<No> = Vec::new();
        for (stack, cell, to, slot) in &moving {
            found.extend(self.all_stuck(cell, stack, &Going::To(At::Slot((*to).clone(), *slot))));
            found.extend(self.all_no_entry(stack, Some(cell), to, Some(*slot)));
            if Fault::SwapFiltersOneSide.is_on() && *to == a {
                continue;
            }
            found.extend((!self.slot_admits(to, *slot, stack)).then(|| no("not-admitted")));
            if a != b {
                found.extend(self.no_nesting(stack, Some(cell), to));
            }
        }
        let before = self.clone();
        let inside_itself = found.iter().any(|no| no.reason == "inside-itself");
        if inside_itself {
            // There is no such world; what blocks a slot can be said all the same.
            for (stack, _, at, slot) in &moving {
                found.extend(before.is_blocked(stack, at, *slot).then(|| no("blocked-slot")));
            }
            return Err(self.refuse(found, 0));
        }
        self.state.slots_mut(a)[*here] = None;
        self.state.slots_mut(b)[*there] = None;
        self.state.slots_mut(a)[*here] = yours.clone();
        self.state.slots_mut(b)[*there] = mine.clone();
        for (stack, _, at, slot) in &moving {
            found.extend(self.is_blocked(stack, at, *slot).then(|| no("blocked-slot")));
        }
        self.be_exact(true);
        if !self.caps_later {
            found.extend(self.worse(&before, [(a, b), (b, a)]));
        }
        for (stack, cell, at, slot) in moving {
            let limit = before.slot_limit(stack.kind, at, slot);
            let over = !before.is_no_further_over(stack, &cell, at, slot);
            found.extend(over.then(|| because("stack-limit", i64::from(stack.count) * 1_000, limit * 1_000)));
        }
        if !found.is_empty() {
            return Err(self.refuse(found, 0));
        }
        if Fault::SwapDuplicates.is_on() && yours.is_none() {
            self.state.slots_mut(a)[*here] = mine.clone();
        }
        let count = |stack: &Option<Stack>| stack.as_ref().map_or(0, |stack| u64::from(stack.count));
        Ok(count(&mine) + count(&yours))
    }
}
