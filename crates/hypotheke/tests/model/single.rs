//! Operations on single slots.

use super::faults::Fault;
use super::state::{At, Cell, Inside, Stack};
use super::{Amount, Going, Model, No, because, no};

impl Model {
    /// How many of `wanted` items a slot would take, added one by one to `there`, and why not `asked`.
    fn take_into(
        &self,
        stack: &Stack,
        source: &Cell,
        (at, slot): (&Inside, usize),
        there: i64,
        wanted: i64,
        asked: i64,
    ) -> Result<i64, (i64, No)> {
        let one = Stack { count: 1, ..stack.clone() };
        let to = Going::To(At::Slot(at.clone(), slot));
        let slot_refuses = || (!self.slot_admits(at, slot, stack)).then(|| no("not-admitted"));
        let refused = self.stuck(source, stack, &to).or_else(|| self.no_entry(stack, Some(source), at));
        let refused = refused.or_else(slot_refuses).or_else(|| self.no_nesting(stack, Some(source), at));
        // All that is asked for may leave; what stays may block the slot.
        let blocked = |count: i64| {
            let leaving = (count >= i64::from(stack.count)).then(|| source.clone());
            self.clone().as_if_left(leaving, |model| model.is_blocked(stack, at, slot))
        };
        let refused = refused.or_else(|| blocked(asked).then(|| no("blocked-slot")));
        if let Some(no) = refused {
            return Err((0, no));
        }
        let limit = self.slot_limit(stack.kind, at, slot);
        let too_much = |count: i64| self.too_much(&one, Some(source), at, count);
        let fits = |count: &i64| too_much(*count).is_none() && there + count <= limit;
        let given = (1..=wanted).take_while(fits).last().unwrap_or(0);
        let given = if blocked(given) { 0 } else { given };
        if given >= asked {
            return Ok(given);
        }
        let over = || because("stack-limit", (there + asked) * 1_000, limit * 1_000);
        Err((given, too_much(asked).unwrap_or_else(over)))
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
        let (asked, wanted) = (i64::from(count), i64::from(count.min(there - u32::from(count != there))));
        let empty = |slot: &usize| self.state.slots(b)[*slot].is_none();
        let target = match to {
            At::Slot(_, slot) => Some(*slot),
            _ => self
                .order_of_slots(b)
                .into_iter()
                .find(|slot| empty(slot) && self.slot_admits(b, *slot, &stack) && !self.is_blocked(&stack, b, *slot)),
        };
        let answer = match target {
            Some(slot) if !empty(&slot) => {
                // Nothing can go, but the checks before `no-room` come first.
                let why = self.take_into(&stack, &source, (b, slot), 0, wanted, asked).map_err(|(_, no)| no);
                Err((0, why.err().unwrap_or_else(|| because("no-room", asked * 1_000, 0))))
            }
            None => {
                let one = Stack { count: 1, ..stack.clone() };
                let why = self.stuck(&source, &stack, &Going::To(to.clone()));
                let why = why.or_else(|| self.not_admitted(&stack, Some(&source), b));
                let why = why.or_else(|| self.too_much(&one, Some(&source), b, asked));
                Err((0, why.unwrap_or_else(|| because("no-room", asked * 1_000, 0))))
            }
            Some(slot) => self.take_into(&stack, &source, (b, slot), 0, wanted, asked).map_err(|(given, why)| {
                // Only a slot that is named has a limit to pass; a container has too little room.
                let limit = self.slot_limit(stack.kind, b, slot);
                let named = matches!(to, At::Slot(..)) || why.reason != "stack-limit";
                (given, if named { why } else { because("no-room", asked * 1_000, limit * 1_000) })
            }),
        };
        let could = answer.as_ref().map_or_else(|(given, _)| *given, |given| *given);
        if count > there {
            let no = because("not-enough", asked * 1_000, i64::from(there) * 1_000);
            return Err(No { could: u64::try_from(could).unwrap(), ..no });
        }
        if let Err((given, no)) = answer {
            return Err(No { could: u64::try_from(given).unwrap(), ..no });
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
        let asked = match amount {
            Amount::Exactly(count) | Amount::UpTo(count) => Some(i64::from(count)),
            Amount::All => None,
        };
        if asked == Some(0) {
            return Err(no("bad-amount"));
        }
        self.be_exact(matches!(amount, Amount::Exactly(_)));
        let source = Cell::Slot(a.clone(), *here);
        let Some(stack) = self.state.get(&source).cloned() else { return Err(no("empty-source")) };
        let exact = matches!(amount, Amount::Exactly(_));
        let there = i64::from(stack.count);
        let wanted = asked.map_or(there, |asked| asked.min(there));
        let least = if exact { asked.expect("a number") } else { 1 };
        let target = self.state.slots(b)[*slot].clone();
        let alike = target.as_ref().filter(|target| stack.is_alike(target));
        let lies = alike.map_or(0, |target| i64::from(target.count));
        let answer = match self.take_into(&stack, &source, (b, *slot), lies, wanted, least) {
            Ok(_) if alike.is_none() => Err((0, because("no-room", least * 1_000, 0))),
            Err((_, no)) if alike.is_none() => Err((0, no)),
            other => other,
        };
        let could = u64::try_from(answer.as_ref().map_or_else(|(given, _)| *given, |given| *given)).unwrap();
        if exact && there < least {
            return Err(No { could, ..because("not-enough", least * 1_000, there * 1_000) });
        }
        if let Err((_, no)) = answer {
            return Err(No { could, ..no });
        }
        let given = u32::try_from(could).unwrap();
        self.state.slots_mut(b)[*slot].as_mut().expect("a stack").count += given;
        self.state.lessen(&source, if Fault::MergeLosesTheOverflow.is_on() { stack.count } else { given });
        Ok(could)
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
            found.extend(self.stuck(cell, stack, &Going::To(At::Slot((*to).clone(), *slot))));
            found.extend(self.no_entry(stack, Some(cell), to));
            if Fault::SwapFiltersOneSide.is_on() && *to == a {
                continue;
            }
            found.extend((!self.slot_admits(to, *slot, stack)).then(|| no("not-admitted")));
            if a != b {
                found.extend(self.no_nesting(stack, Some(cell), to));
            }
        }
        // Each reason of both ways before the next one.
        for reason in ["kept", "no-take", "no-put", "not-admitted", "inside-itself", "too-deep"] {
            if let Some(no) = found.iter().find(|no| no.reason == reason) {
                return Err(no.clone());
            }
        }
        let before = self.clone();
        self.state.slots_mut(a)[*here] = None;
        self.state.slots_mut(b)[*there] = None;
        self.state.slots_mut(a)[*here] = yours.clone();
        self.state.slots_mut(b)[*there] = mine.clone();
        for (stack, _, at, slot) in &moving {
            if self.is_blocked(stack, at, *slot) {
                return Err(no("blocked-slot"));
            }
        }
        self.be_exact(true);
        if let Some(no) = if self.caps_later { None } else { self.worse(&before, [(a, b), (b, a)]) } {
            return Err(no);
        }
        for (stack, cell, at, slot) in moving {
            let limit = before.slot_limit(stack.kind, at, slot);
            if !before.is_no_further_over(stack, &cell, at, slot) {
                return Err(because("stack-limit", i64::from(stack.count) * 1_000, limit * 1_000));
            }
        }
        if Fault::SwapDuplicates.is_on() && yours.is_none() {
            self.state.slots_mut(a)[*here] = mine.clone();
        }
        let count = |stack: &Option<Stack>| stack.as_ref().map_or(0, |stack| u64::from(stack.count));
        Ok(count(&mine) + count(&yours))
    }
}
