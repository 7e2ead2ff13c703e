//! The hand: lift, put, return.

use super::allowed::slot_of;
use super::faults::Fault;
use super::reasons::Portion;
use super::rules::Try;
use super::state::{At, Cell, Inside, Stack};
use super::{Amount, Going, Model, No, Part, because, no};

impl Model {
    /// As carry, but only to a slot that is empty.
    fn carry_to_empty(
        &mut self,
        amount: Amount,
        from: &At,
        (at, slot): (&Inside, usize),
        what_fits: bool,
    ) -> Result<u64, No> {
        let going = Going::To(At::Slot(at.clone(), slot));
        self.only_empty = true;
        let answer = self.carry(amount, None, from, &going, (0, 0), what_fits);
        self.only_empty = false;
        answer
    }

    pub(super) fn lift(&mut self, holder: Option<usize>, part: Part, from: &At) -> Result<u64, No> {
        let (Some(holder), At::Slot(inside, slot)) = (holder, from) else { return Err(no("unknown")) };
        let there = self.state.slots(inside)[*slot].as_ref().map_or(0, |stack| stack.count);
        let amount = match part {
            Part::Amount(amount) => amount,
            Part::Half => Amount::Exactly(there - there / 2 + u32::from(there == 0)),
        };
        let origin = (self.state.owner(inside), *slot);
        let answer = self.carry_to_empty(amount, from, (&Inside::hand(holder), 0), false);
        if answer.is_ok() && !Fault::OriginForgotten.is_on() {
            self.state.origins[holder] = Some(origin);
        }
        answer
    }

    pub(super) fn put(&mut self, holder: Option<usize>, amount: Amount, to: &At) -> Result<u64, No> {
        let (Some(holder), At::Slot(inside, _) | At::Container(inside)) = (holder, to) else {
            return Err(no("unknown"));
        };
        if matches!(amount, Amount::Exactly(0) | Amount::UpTo(0)) {
            return Err(no("bad-amount"));
        }
        let Some(mine) = self.state.hands[holder][0].clone() else { return Err(no("empty-source")) };
        let tries = self.state.spec(&self.rules, inside).on_put.clone();
        let there = match to {
            At::Slot(_, slot) => Some(self.state.slots(inside)[*slot].clone()),
            _ => None,
        };
        let fits = |mode: Try| match (&there, mode) {
            (None, mode) => mode != Try::Swap,
            (Some(None), mode) => mode == Try::Place,
            (Some(Some(yours)), Try::Merge) => mine.can_stack_with(yours),
            (Some(Some(_)), mode) => mode == Try::Swap,
        };
        let nothing_else = there.is_none() && !tries.is_empty();
        let mut refusals: Vec<(bool, No, Vec<No>)> = Vec::new();
        for mode in tries {
            let before = self.state.clone();
            self.list.clear();
            match self.put_one_way(mode, holder, amount, to, &mine) {
                Ok(count) => return Ok(count),
                Err(no) => refusals.push((fits(mode), no, std::mem::take(&mut self.list))),
            }
            self.state = before;
        }
        let Some((_, no, list)) = refusals.iter().find(|(fits, ..)| *fits) else {
            return Err(if nothing_else { no("unknown") } else { self.no_way(holder, amount, to, &mine) });
        };
        self.list = list.clone();
        Err(no.clone())
    }

    /// No mode matches the contents: the checks of any move, and `no-room` at the end.
    fn no_way(&mut self, holder: usize, amount: Amount, to: &At, mine: &Stack) -> No {
        let there = i64::from(mine.count);
        let requested = if let Amount::Exactly(count) = amount { i64::from(count) } else { 1 };
        self.be_exact(matches!(amount, Amount::Exactly(_)));
        let count = requested.min(there);
        let mut list = Vec::new();
        if requested > there {
            list.push(because("not-enough", requested * 1_000, there * 1_000));
        }
        let portion = Portion::of(mine, &Cell::Slot(Inside::hand(holder), 0), count);
        list.extend(self.reasons(&[portion], &Going::To(to.clone())));
        list.push(because("no-room", count * 1_000, 0));
        self.refuse(list, 0)
    }

    fn put_one_way(&mut self, mode: Try, holder: usize, amount: Amount, to: &At, mine: &Stack) -> Result<u64, No> {
        let from = At::Slot(Inside::hand(holder), 0);
        match (mode, to) {
            (Try::Place, At::Slot(inside, slot)) => self.carry_to_empty(amount, &from, (inside, *slot), true),
            (Try::Merge, At::Slot(..)) => self.merge(amount, &from, to),
            (Try::Swap, At::Slot(inside, slot)) => {
                let hand = slot_of(&Inside::hand(holder), 0);
                if self.state.slots(inside)[*slot].is_some() && !self.may_leave(&slot_of(inside, *slot), &hand) {
                    return Err(no("not-allowed"));
                }
                let count = i64::from(mine.count);
                let requested = match amount {
                    Amount::All => count,
                    Amount::Exactly(requested) | Amount::UpTo(requested) => i64::from(requested),
                };
                if matches!(amount, Amount::Exactly(_)) && requested > count {
                    return Err(because("not-enough", requested * 1_000, count * 1_000));
                }
                let yours = self.state.slots(inside)[*slot].clone();
                if requested < count || yours.is_none() {
                    return Err(because("no-room", requested * 1_000, 0));
                }
                let origin = (self.state.owner(inside), *slot);
                self.swap(&from, to)?;
                self.state.origins[holder] = Some(origin);
                Ok(u64::from(mine.count))
            }
            (Try::Place, _) => self.carry(amount, None, &from, &Going::To(to.clone()), (0, 0), true),
            (Try::Merge, _) => {
                self.only_alike = true;
                let answer = self.carry(amount, None, &from, &Going::To(to.clone()), (0, 0), true);
                self.only_alike = false;
                answer
            }
            (Try::Swap, _) => Err(no("unknown")),
        }
    }

    pub(super) fn give_back(&mut self, holder: Option<usize>, amount: Amount) -> Result<u64, No> {
        let Some(holder) = holder else { return Err(no("unknown")) };
        let requested = match amount {
            Amount::All => None,
            Amount::Exactly(0) | Amount::UpTo(0) => return Err(no("bad-amount")),
            Amount::Exactly(count) | Amount::UpTo(count) => Some(count),
        };
        self.be_exact(false);
        let Some(stack) = self.state.hands[holder][0].clone() else { return Err(no("empty-source")) };
        let cell = Cell::Slot(Inside::hand(holder), 0);
        let before = self.clone();
        let wanted = requested.map_or(stack.count, |requested| requested.min(stack.count));
        let mut left = wanted;
        let mut laid = Vec::new();
        let origin = self.state.origins[holder];
        let keeps = stack.all().into_iter().any(|stack| self.rules.kinds[stack.kind].is_protected);
        let origin = origin.and_then(|(owner, slot)| Some((self.state.find_owner(owner)?, slot)));
        let origin = origin.filter(|(at, _)| self.is_reachable(at) && !(keeps && at.is_on_ground()));
        let origin = origin.map(|(at, slot)| At::Slot(at, slot));
        for (to, going_back) in origin.into_iter().map(|at| (at, true)).chain([(At::Holder(holder), false)]) {
            self.going_back = going_back;
            left = self.lay_there(&stack, &cell, &to, left, &mut laid);
            self.going_back = false;
        }
        let landing = if keeps { 0 } else { self.landing_room(&stack, left) };
        let given = wanted - left + landing;
        let exact = matches!(amount, Amount::Exactly(_));
        let missing = requested.filter(|&requested| exact && requested > stack.count);
        if missing.is_some() || given < if exact { wanted } else { 1 } {
            let missing = missing
                .map(|requested| because("not-enough", i64::from(requested) * 1_000, i64::from(stack.count) * 1_000));
            let mut list: Vec<No> = missing.into_iter().collect();
            if landing < left {
                // Items without a place would reach the ground.
                let portion = Portion::of(&stack, &cell, i64::from(if exact { left } else { 1 }));
                list.extend(before.reasons(&[portion], &Going::To(At::Ground)));
            }
            return Err(self.refuse(list, u64::from(given)));
        }
        let max_amount = u64::from(given);
        let mut id_is_free = given == stack.count;
        self.name_parts(&stack, laid, &mut id_is_free);
        self.state.lessen(&cell, given);
        self.land(&stack, landing, &mut id_is_free);
        Ok(max_amount)
    }

    /// Brings what finds no other place to the ground: a whole stack as it is, a part in stacks
    /// within the kind's limit.
    pub(super) fn land(&mut self, stack: &Stack, landing: u32, id_is_free: &mut bool) {
        self.land_at(stack, landing, id_is_free, (0, 0));
    }

    /// How many more stacks the ground takes.
    pub(super) fn free_landings(&self) -> i64 {
        let most = self.rules.ground_limit.unwrap_or(1 << 20);
        i64::try_from(most.saturating_sub(self.state.ground.len())).unwrap()
    }

    /// How many items of a stack the ground takes.
    pub(super) fn landing_room(&self, stack: &Stack, wanted: u32) -> u32 {
        let free = u32::try_from(self.free_landings()).unwrap();
        if wanted == stack.count && free > 0 {
            return wanted;
        }
        wanted.min(free.saturating_mul(self.rules.kinds[stack.kind].limit))
    }

    pub(super) fn land_at(&mut self, stack: &Stack, landing: u32, id_is_free: &mut bool, at: (i64, i64)) {
        let portion = if landing == stack.count { landing } else { self.rules.kinds[stack.kind].limit };
        let mut rest = landing;
        while rest > 0 {
            let count = rest.min(portion);
            let id = if std::mem::take(id_is_free) { stack.id } else { self.state.new_id() };
            self.state.ground.push((Stack { id, count, ..stack.clone() }, at));
            rest -= count;
        }
    }
}
