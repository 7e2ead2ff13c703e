//! equip and unequip.

use super::allowed::slot_of;
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
        let (requested, exact) = match amount {
            Amount::All => (None, false),
            Amount::Exactly(count) => (Some(count), true),
            Amount::UpTo(count) => (Some(count), false),
        };
        if requested == Some(0) {
            return Err(no("bad-amount"));
        }
        let Some(stack) = self.state.get(&cell).cloned() else { return Err(no("empty-source")) };
        if let Some(requested) = requested.filter(|&requested| exact && requested > stack.count) {
            let before = self.state.clone();
            let max_amount = self.equip(Some(holder), Amount::UpTo(requested), from).unwrap_or(0);
            self.state = before;
            self.list.clear();
            // The other checks use the items that are present.
            let all = self.equip(Some(holder), Amount::Exactly(stack.count), from);
            let (requested, there) = (i64::from(requested), i64::from(stack.count));
            let missing = because("not-enough", requested * 1_000, there * 1_000);
            let list = [missing].into_iter().chain(all.err()).chain(std::mem::take(&mut self.list));
            return Err(self.refuse(list.collect(), max_amount));
        }
        let one = Stack { count: 1, ..stack.clone() };
        let worn = self.rules.carried(holder).into_iter().filter(|&index| self.rules.containers[index].worn);
        let mut slots: Vec<(Inside, usize)> = worn
            .map(Inside::container)
            .flat_map(|at| (0..self.state.slots(&at).len()).map(move |slot| (at.clone(), slot)).collect::<Vec<_>>())
            .collect();
        let is_worn = slots.iter().any(|(at, slot)| cell == Cell::Slot(at.clone(), *slot));
        slots.retain(|(at, slot)| cell != Cell::Slot(at.clone(), *slot));
        // Those that the actor may not use are not among the places.
        let here = slot_of(inside, *slot);
        slots.retain(|(at, slot)| self.may_from_to(&here, &slot_of(at, *slot), false));
        let admitting: Vec<&(Inside, usize)> =
            slots.iter().filter(|(at, slot)| self.may_lie(&one, &cell, at, *slot)).collect();
        let fitting: Vec<&(Inside, usize)> =
            admitting.iter().copied().filter(|(at, slot)| self.takes_up(stack.kind, at, *slot).is_some()).collect();
        let alike = fitting.iter().copied().find(|(at, slot)| {
            let there = self.state.slots(at)[*slot].as_ref();
            there.is_some_and(|there| {
                stack.can_stack_with(there) && i64::from(there.count) < self.slot_limit(stack.kind, at, *slot)
            })
        });
        let most = |at: &Inside, slot: usize| {
            let limit = u32::try_from(self.slot_limit(stack.kind, at, slot)).unwrap();
            requested.unwrap_or(stack.count).min(stack.count).min(limit)
        };
        let free = fitting.iter().copied().find(|(at, slot)| {
            let leaving = (most(at, *slot) == stack.count).then(|| cell.clone());
            let blocked = || self.clone().as_if_left(leaving, |model| model.is_blocked(&stack, at, *slot));
            self.state.slots(at)[*slot].is_none() && !blocked()
        });
        let whole = i64::from(requested.filter(|_| exact).unwrap_or(1));
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
                self.take_the_place(holder, &cell, &stack, (&at, slot), (most, requested, exact))
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
            && self.slot_lets_in(Some(cell), at, slot)
    }

    /// One number after the other, from the most down.
    fn take_the_place(
        &mut self,
        holder: usize,
        cell: &Cell,
        stack: &Stack,
        to: (&Inside, usize),
        (most, requested, exact): (u32, Option<u32>, bool),
    ) -> Result<u64, No> {
        let wanted = requested.filter(|_| exact).unwrap_or(most);
        let try_with = |count: u32| {
            let mut copy = self.clone();
            let failed = copy.attempt(holder, cell, stack, to, count, exact);
            if failed.is_empty() { Ok(copy.state) } else { Err(failed) }
        };
        let failed = match try_with(wanted) {
            Ok(state) => {
                self.state = state;
                return Ok(u64::from(wanted));
            }
            Err(failed) => failed,
        };
        let fewer = (1..wanted.min(most + 1)).rev().find_map(|count| Some((count, try_with(count).ok()?)));
        match fewer {
            Some((count, state)) if !exact => {
                self.state = state;
                Ok(u64::from(count))
            }
            fewer => Err(self.refuse(failed, fewer.map_or(0, |(count, _)| u64::from(count)))),
        }
    }

    /// First the item is worn, then what is in the way leaves. Gives every check that fails.
    fn attempt(
        &mut self,
        holder: usize,
        cell: &Cell,
        stack: &Stack,
        (at, slot): (&Inside, usize),
        count: u32,
        exact: bool,
    ) -> Vec<No> {
        let Cell::Slot(from, from_slot) = cell else { unreachable!("a slot") };
        let whole = count == stack.count;
        let before = self.clone();
        let wanted = self.takes_up(stack.kind, at, slot).expect("no slot is missing");
        let in_the_way = |other: &usize| {
            let Some(there) = &self.state.slots(at)[*other] else { return false };
            let taken = self.takes_up(there.kind, at, *other).unwrap_or_else(|| vec![*other]);
            !(whole && *cell == Cell::Slot(at.clone(), *other)) && taken.iter().any(|slot| wanted.contains(slot))
        };
        let mut obstacles: Vec<usize> = (0..self.state.slots(at).len()).filter(in_the_way).collect();
        obstacles.sort_by_key(|other| *other != slot);
        let mut failed = Vec::new();
        if from == at && obstacles.contains(from_slot) {
            failed.push(no("blocked-slot"));
            obstacles.retain(|other| other != from_slot);
        }
        // The item leaves; then the stack from its slot waits in an extra slot, and the item is
        // worn.
        let source = self.state.owner(from);
        self.state.lessen(cell, count);
        let waiting = self.state.slots_mut(at)[slot].take();
        let spare = self.state.slots(at).len();
        self.state.slots_mut(at).push(waiting);
        let id = if whole { stack.id } else { self.state.new_id() };
        self.state.slots_mut(at)[slot] = Some(Stack { id, count, ..stack.clone() });
        let mut without_place = Vec::new();
        for other in obstacles {
            let now = if other == slot { spare } else { other };
            let from = self.state.find_owner(source).expect("an owner");
            let there = self.state.slots(at)[now].clone().expect("a stack");
            if whole && self.fits_back(&there, (at, now, other), (&from, *from_slot)) {
                let back = self.state.slots_mut(at)[now].take();
                self.state.slots_mut(&from)[*from_slot] = back;
                continue;
            }
            // A pack does not go into one that has just come out of it.
            let not_into = Some(at.step(slot)).filter(|_| from.is_within(&at.step(now)));
            if self.displace(holder, &Cell::Slot(at.clone(), now), not_into.as_ref()).is_none() {
                without_place.push(now);
            }
        }
        let stays = !without_place.is_empty();
        for now in without_place {
            // It stays with its holder, and is not worn.
            let there = self.state.slots_mut(at)[now].take();
            self.state.hands[holder].push(there);
        }
        let start = self.list_start.as_ref().map_or(&before.state, |start| start);
        let start = Model { state: start.clone(), ..before.clone() };
        if !(exact && self.lists > 0) {
            failed.extend(self.all_worse(&start));
        }
        let limit = self.slot_limit(stack.kind, at, slot);
        let no_further = whole && before.is_no_further_over(stack, cell, at, slot);
        if i64::from(count) > limit && !no_further {
            failed.push(because("stack-limit", i64::from(count) * 1_000, limit * 1_000));
        }
        if stays {
            failed.push(because("no-room", i64::from(count) * 1_000, 0));
        }
        if failed.is_empty() {
            self.state.slots_mut(at).pop();
        }
        failed
    }

    /// Whether a waiting stack from a different slot may move whole to a slot.
    fn fits_back(&self, there: &Stack, (at, now, other): (&Inside, usize, usize), to: (&Inside, usize)) -> bool {
        let cell = Cell::Slot(at.clone(), now);
        let is_over = i64::from(there.count) > self.slot_limit(there.kind, to.0, to.1);
        self.state.slots(to.0)[to.1].is_none()
            && self.may_lie(there, &cell, to.0, to.1)
            && !self.clone().as_if_left(Some(cell), |model| model.is_blocked(there, to.0, to.1))
            && (!is_over || self.is_no_further_over(there, &Cell::Slot(at.clone(), other), to.0, to.1))
    }

    /// Brings a whole stack where unequip would.
    fn displace(&mut self, holder: usize, there: &Cell, not_into: Option<&Inside>) -> Option<()> {
        let before = self.state.clone();
        let placed = self.place_with(holder, there, not_into);
        if placed.is_none() {
            self.state = before;
        }
        placed
    }

    fn place_with(&mut self, holder: usize, there: &Cell, not_into: Option<&Inside>) -> Option<()> {
        let stack = self.state.get(there)?.clone();
        let to = At::Holder(holder);
        if self.stuck(there, &stack, &Going::To(to.clone())).is_some() {
            return None;
        }
        let one = Stack { count: 1, ..stack.clone() };
        let mut laid = Vec::new();
        for _ in 0..stack.count {
            let place = self.place_for_one(&one, Some(there), &to)?;
            if not_into.is_some_and(|pack| place.0.is_within(pack)) {
                return None;
            }
            self.lay_one(place, &one, &mut laid);
        }
        self.name_parts(&stack, laid, &mut true);
        self.state.lessen(there, stack.count);
        Some(())
    }
}
