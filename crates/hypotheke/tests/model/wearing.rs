//! equip and unequip.

use super::reasons::Portion;
use super::state::{At, Cell, Inside, Root, Stack};
use super::{Amount, Going, Model, No, because, no};

impl Model {
    pub(super) fn unequip(
        &mut self,
        holder: Option<usize>,
        amount: Amount,
        from: &At,
        to: Option<&At>,
    ) -> Result<u64, No> {
        let (Some(holder), At::Slot(inside, _)) = (holder, from) else { return Err(no("unknown")) };
        let is_worn = match (inside.root, inside.steps.len()) {
            (Root::Container(index), 0) => {
                self.rules.containers[index].worn && self.rules.containers[index].holder == Some(holder)
            }
            _ => false,
        };
        let is_target = to.is_none_or(|to| matches!(to, At::Slot(..) | At::Container(_)));
        let to = to.cloned().unwrap_or(At::Holder(holder));
        if !is_worn || !is_target {
            return Err(no("unknown"));
        }
        let going = if to == *from { Going::Nowhere } else { Going::To(to) };
        self.carry(amount, None, from, &going, (0, 0), false)
    }

    pub(super) fn equip(&mut self, holder: Option<usize>, amount: Amount, from: &At) -> Result<u64, No> {
        let (Some(holder), At::Slot(inside, slot)) = (holder, from) else { return Err(no("unknown")) };
        let cell = Cell::Slot(inside.clone(), *slot);
        let (asked, exact) = match amount {
            Amount::All => (None, false),
            Amount::Exactly(count) => (Some(count), true),
            Amount::UpTo(count) => (Some(count), false),
        };
        if asked == Some(0) {
            return Err(no("bad-amount"));
        }
        let Some(stack) = self.state.get(&cell).cloned() else { return Err(no("empty-source")) };
        if let Some(asked) = asked.filter(|&asked| exact && asked > stack.count) {
            let before = self.state.clone();
            let could = self.equip(Some(holder), Amount::UpTo(asked), from).unwrap_or(0);
            self.state = before;
            self.list.clear();
            // The other checks look at what is there.
            let all = self.equip(Some(holder), Amount::Exactly(stack.count), from);
            let (asked, there) = (i64::from(asked), i64::from(stack.count));
            let missing = because("not-enough", asked * 1_000, there * 1_000);
            let list = [missing].into_iter().chain(all.err()).chain(std::mem::take(&mut self.list));
            return Err(self.refuse(list.collect(), could));
        }
        let one = Stack { count: 1, ..stack.clone() };
        let worn = self.rules.carried(holder).into_iter().filter(|&index| self.rules.containers[index].worn);
        let mut slots: Vec<(Inside, usize)> = worn
            .map(Inside::container)
            .flat_map(|at| (0..self.state.slots(&at).len()).map(move |slot| (at.clone(), slot)).collect::<Vec<_>>())
            .collect();
        let is_worn = slots.iter().any(|(at, slot)| cell == Cell::Slot(at.clone(), *slot));
        slots.retain(|(at, slot)| cell != Cell::Slot(at.clone(), *slot));
        let admitting: Vec<&(Inside, usize)> =
            slots.iter().filter(|(at, slot)| self.may_lie(&one, &cell, at, *slot)).collect();
        let fitting: Vec<&(Inside, usize)> =
            admitting.iter().copied().filter(|(at, slot)| self.takes_up(stack.kind, at, *slot).is_some()).collect();
        let alike = fitting.iter().copied().find(|(at, slot)| {
            let there = self.state.slots(at)[*slot].as_ref();
            there.is_some_and(|there| {
                stack.is_alike(there) && i64::from(there.count) < self.slot_limit(stack.kind, at, *slot)
            })
        });
        let most = |at: &Inside, slot: usize| {
            let limit = u32::try_from(self.slot_limit(stack.kind, at, slot)).unwrap();
            asked.unwrap_or(stack.count).min(stack.count).min(limit)
        };
        let free = fitting.iter().copied().find(|(at, slot)| {
            let leaving = (most(at, *slot) == stack.count).then(|| cell.clone());
            let blocked = || self.clone().as_if_left(leaving, |model| model.is_blocked(&stack, at, *slot));
            self.state.slots(at)[*slot].is_none() && !blocked()
        });
        let whole = i64::from(asked.filter(|_| exact).unwrap_or(1));
        if is_worn && admitting.is_empty() {
            return self.carry(amount, None, from, &Going::Nowhere, (0, 0), true);
        }
        match (alike.or(free), fitting.first(), admitting.first(), slots.first()) {
            (Some((at, slot)), ..) => {
                let going = Going::To(At::Slot(at.clone(), *slot));
                self.carry(amount, None, from, &going, (0, 0), true)
            }
            (_, Some((at, slot)), ..) => {
                let most = most(at, *slot);
                let (at, slot) = (at.clone(), *slot);
                self.take_the_place(holder, &cell, &stack, (&at, slot), (most, asked, exact))
            }
            (.., Some(_), _) => Err(no("blocked-slot")),
            (.., Some((at, slot))) => {
                let to = At::Slot(at.clone(), *slot);
                let list = self.reasons(&[Portion::of(&stack, &cell, whole)], &Going::To(to));
                Err(self.refuse(list, 0))
            }
            _ => Err(because("no-room", whole * 1_000, 0)),
        }
    }

    fn may_lie(&self, one: &Stack, cell: &Cell, at: &Inside, slot: usize) -> bool {
        self.stuck(cell, one, &Going::To(At::Slot(at.clone(), slot))).is_none()
            && self.no_entry(one, Some(cell), at).is_none()
            && self.no_nesting(one, Some(cell), at).is_none()
            && self.slot_admits(at, slot, one)
    }

    /// One number after the other, from the most down.
    fn take_the_place(
        &mut self,
        holder: usize,
        cell: &Cell,
        stack: &Stack,
        to: (&Inside, usize),
        (most, asked, exact): (u32, Option<u32>, bool),
    ) -> Result<u64, No> {
        let limit = self.slot_limit(stack.kind, to.0, to.1);
        let wanted = asked.filter(|_| exact).unwrap_or(most);
        let try_with = |count: u32| {
            let mut copy = self.clone();
            copy.attempt(holder, cell, stack, to, count, exact).map(|()| copy.state)
        };
        let why = if i64::from(wanted) <= limit {
            match try_with(wanted) {
                Ok(state) => {
                    self.state = state;
                    return Ok(u64::from(wanted));
                }
                Err(why) => why,
            }
        } else {
            because("stack-limit", i64::from(wanted) * 1_000, limit * 1_000)
        };
        let fewer = (1..wanted.min(most + 1)).rev().find_map(|count| Some((count, try_with(count).ok()?)));
        match fewer {
            Some((count, state)) if !exact => {
                self.state = state;
                Ok(u64::from(count))
            }
            fewer => Err(No { could: fewer.map_or(0, |(count, _)| u64::from(count)), ..why }),
        }
    }

    fn attempt(
        &mut self,
        holder: usize,
        cell: &Cell,
        stack: &Stack,
        (at, slot): (&Inside, usize),
        count: u32,
        exact: bool,
    ) -> Result<(), No> {
        let Cell::Slot(from, from_slot) = cell else { unreachable!("a slot") };
        let no_room = because("no-room", i64::from(count) * 1_000, 0);
        let whole = count == stack.count;
        let before = self.clone();
        let wanted = self.takes_up(stack.kind, at, slot).expect("no slot is missing");
        let in_the_way = |other: &usize| {
            let Some(there) = &self.state.slots(at)[*other] else { return false };
            let taken = self.takes_up(there.kind, at, *other).unwrap_or_else(|| vec![*other]);
            !(whole && *cell == Cell::Slot(at.clone(), *other)) && taken.iter().any(|slot| wanted.contains(slot))
        };
        let obstacles: Vec<usize> = (0..self.state.slots(at).len()).filter(in_the_way).collect();
        if from == at && obstacles.contains(from_slot) {
            return Err(no_room);
        }
        let fits_back = |other: &usize| {
            let there = self.state.slots(at)[*other].clone().expect("a stack");
            let one = Stack { count: 1, ..there.clone() };
            let limit = self.slot_limit(there.kind, from, *from_slot);
            whole
                && self.may_lie(&one, &Cell::Slot(at.clone(), *other), from, *from_slot)
                && i64::from(there.count) <= limit
        };
        let back = obstacles.iter().copied().find(fits_back);
        for other in obstacles.into_iter().filter(|other| Some(*other) != back) {
            self.displace(holder, &Cell::Slot(at.clone(), other), cell).ok_or_else(|| no_room.clone())?;
        }
        // What had to leave may be the pack out of which the stack comes.
        let Some(Cell::Slot(from, from_slot)) = self.state.find(stack.id) else { unreachable!("it lay there") };
        let cell = &Cell::Slot(from.clone(), from_slot);
        // And what had to leave may lie in it by now.
        let stack = &self.state.get(cell).expect("it lay there").clone();
        let going_back = back.and_then(|other| self.state.slots_mut(at)[other].take());
        self.state.lessen(cell, count);
        let id = if whole { stack.id } else { self.state.new_id() };
        self.state.slots_mut(at)[slot] = Some(Stack { id, count, ..stack.clone() });
        let came_back = going_back.is_some();
        if came_back {
            self.state.slots_mut(&from)[from_slot] = going_back;
        }
        let blocked = |model: &Model, at: &Inside, slot: usize| {
            model.state.slots(at)[slot].as_ref().is_some_and(|stack| model.is_blocked(stack, at, slot))
        };
        if blocked(self, at, slot) || came_back && blocked(self, &from, from_slot) {
            return Err(no_room);
        }
        let judged_later = exact && self.lists > 0;
        let start = self.list_start.as_ref().map_or(&before.state, |start| start);
        let start = Model { state: start.clone(), ..before.clone() };
        match self.worse_anywhere(&start) {
            Some(no) if !judged_later => Err(no),
            _ => Ok(()),
        }
    }

    /// Brings a whole stack to the holder's containers.
    fn displace(&mut self, holder: usize, there: &Cell, source: &Cell) -> Option<()> {
        let stack = self.state.get(there)?.clone();
        let to = At::Holder(holder);
        if self.stuck(there, &stack, &Going::To(to.clone())).is_some() {
            return None;
        }
        let one = Stack { count: 1, ..stack.clone() };
        let mut laid = Vec::new();
        self.passed_over = Some(source.clone());
        for _ in 0..stack.count {
            let place = self.place_for_one(&one, Some(there), &to)?;
            self.lay_one(place, &one, &mut laid);
        }
        self.passed_over = None;
        self.name_parts(&stack, laid, &mut true);
        self.state.lessen(there, stack.count);
        Some(())
    }
}
