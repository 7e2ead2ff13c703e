//! Every check that an amount fails, in order, each as if all others passed.

use super::allowed::{side_of, whole};
use super::faults::Fault;
use super::state::{At, Cell, Inside, Stack};
use super::{Bearer, Going, Model, No, because, no};

/// Items of one stack that are checked together with others; without a cell they are to be created.
#[derive(Clone, Debug)]
pub(super) struct Portion {
    pub(super) stack: Stack,
    pub(super) count: i64,
    pub(super) cell: Option<Cell>,
}

impl Portion {
    pub(super) fn of(stack: &Stack, cell: &Cell, count: i64) -> Portion {
        Portion { stack: stack.clone(), count, cell: Some(cell.clone()) }
    }

    fn is_complete(&self) -> bool {
        self.cell.is_some() && self.count >= i64::from(self.stack.count)
    }

    fn one(&self) -> Stack {
        Stack { count: 1, ..self.stack.clone() }
    }
}

const ORDER: [&str; 27] = [
    "stale",
    "unknown",
    "no-recipe",
    "no-use",
    "bad-amount",
    "overflow",
    "not-open",
    "in-use",
    "not-allowed",
    "working",
    "not-working",
    "empty-source",
    "not-enough",
    "no-pattern",
    "protected",
    "not-empty",
    "no-take",
    "no-put",
    "not-admitted",
    "inside-itself",
    "too-deep",
    "blocked-slot",
    "cap",
    "weight-cap",
    "stack-limit",
    "no-room",
    "meter",
];

/// In the order of the checks, each once.
pub(super) fn in_order(mut list: Vec<No>) -> Vec<No> {
    list.sort_by_key(|no| ORDER.iter().position(|reason| *reason == no.reason).expect("a reason"));
    let mut found: Vec<No> = Vec::new();
    for no in list {
        let no = No { max_amount: 0, step: None, ..no };
        if !found.contains(&no) {
            found.push(no);
        }
    }
    found
}

impl Model {
    /// Refuses for the first of some reasons, and remembers all of them.
    pub(super) fn refuse(&mut self, list: Vec<No>, max_amount: u64) -> No {
        self.list = in_order(list);
        // Who may not do it learns nothing else.
        if let Some(last) = self.list.iter().position(|no| no.reason == "not-allowed") {
            self.list.truncate(last + 1);
        }
        let max_amount = if self.list.iter().any(|no| no.reason == "not-allowed") { 0 } else { max_amount };
        No { max_amount, ..self.list.first().expect("a reason").clone() }
    }

    pub(super) fn reasons(&self, portions: &[Portion], going: &Going) -> Vec<No> {
        let mut found: Vec<No> = Vec::new();
        for portion in portions {
            let cell = portion.cell.iter();
            found.extend(cell.flat_map(|cell| self.all_stuck(cell, &portion.stack, going)));
        }
        if let Going::To(to) = going {
            self.reasons_of_target(portions, to, &mut found);
        }
        in_order(found)
    }

    /// The container that a portion enters: of a holder's the first that admits it, or the first.
    fn entered_by(&self, portion: &Portion, to: &At) -> Option<Inside> {
        let mut targets = self.targets(to);
        // A pack itself does not say why.
        if let (At::Holder(_), Some(Cell::Slot(at, slot))) = (to, &portion.cell) {
            targets.retain(|target| *target != at.step(*slot));
        }
        let from = side_of(portion.cell.as_ref());
        if matches!(to, At::Holder(_)) {
            targets.retain(|target| self.may_enter(&from, &whole(target)));
        }
        let admits = |at: &&Inside| self.not_admitted(&portion.stack, portion.cell.as_ref(), at).is_none();
        targets.iter().find(admits).or(targets.first()).cloned()
    }

    fn reasons_of_target(&self, portions: &[Portion], to: &At, found: &mut Vec<No>) {
        for portion in portions {
            let Some(at) = self.entered_by(portion, to) else { continue };
            let (stack, cell) = (&portion.stack, portion.cell.as_ref());
            let slot = if let At::Slot(_, slot) = to { Some(*slot) } else { None };
            found.extend(self.all_no_entry(stack, cell, &at, slot));
            match to {
                At::Slot(at, slot) => {
                    found.extend((!self.slot_admits(at, *slot, stack)).then(|| no("not-admitted")));
                    let leaving = portion.cell.clone().filter(|_| portion.is_complete());
                    let blocked = self.clone().as_if_left(leaving, |model| model.is_blocked(stack, at, *slot));
                    found.extend(blocked.then(|| no("blocked-slot")));
                }
                _ => found.extend(self.no_slot_admits(stack, &at)),
            }
            let nested = self.no_nesting(stack, cell, &at);
            // Of packs that nest too deep the first gives the figures.
            found.extend(nested.filter(|no| !found.iter().any(|known| known.reason == no.reason)));
        }
        if !found.iter().any(|no| no.reason == "inside-itself") {
            if !self.caps_later {
                self.reasons_of_bearers(portions, to, found);
                self.reasons_of_the_world(portions, found);
            }
            if let At::Slot(at, slot) = to {
                found.extend(self.over_stack_limit(portions, at, *slot));
            }
        }
        self.reasons_of_room(portions, to, found);
    }

    fn reasons_of_bearers(&self, portions: &[Portion], to: &At, found: &mut Vec<No>) {
        let new = |portion: &Portion| -> Vec<Bearer> {
            let at = self.entered_by(portion, to);
            at.map_or_else(Vec::new, |at| self.new_bearers(portion.cell.as_ref(), &at))
        };
        let mut bearers: Vec<Bearer> = Vec::new();
        for bearer in portions.iter().flat_map(new) {
            if !bearers.contains(&bearer) {
                bearers.push(bearer);
            }
        }
        for bearer in bearers {
            let borne = || portions.iter().filter(|portion| new(portion).contains(&bearer));
            for (filter, most) in self.caps(&bearer) {
                let gain: i64 = borne().map(|portion| portion.one().counted(&self.rules, filter) * portion.count).sum();
                let would = self.counted(&bearer, filter) + gain;
                let kept = i64::from(*most).max(self.counted_earlier(&bearer, filter));
                if gain > 0 && would > kept && !Fault::CapsForgotten.is_on() {
                    found.push(because("cap", would * 1_000, i64::from(*most) * 1_000));
                }
            }
            let gain: i64 = borne().map(|portion| portion.one().weight(&self.rules) * portion.count).sum();
            let (now, cap) = self.weight_and_cap(&bearer);
            let cap = cap.filter(|&cap| gain > 0 && now + gain > cap.max(self.weight_earlier(&bearer)));
            found.extend(cap.map(|cap| because("weight-cap", now + gain, cap)));
        }
    }

    /// What would be created, and is too many for the world.
    fn reasons_of_the_world(&self, portions: &[Portion], found: &mut Vec<No>) {
        let created = portions.iter().filter(|portion| portion.cell.is_none());
        found.extend(created.filter_map(|portion| self.too_many(portion.stack.kind, portion.count)));
    }

    /// Whether a slot takes items as it is, and how many of them it holds.
    fn onto(&self, stack: &Stack, at: &Inside, slot: usize) -> Option<i64> {
        match &self.state.slots(at)[slot] {
            None => (!self.only_alike).then_some(0),
            Some(there) => (stack.can_stack_with(there) && !self.only_empty).then_some(i64::from(there.count)),
        }
    }

    /// Of several stacks those alike to the first that the slot takes.
    fn first_alike<'p>(&self, portions: &'p [Portion], at: &Inside, slot: usize) -> Vec<&'p Portion> {
        let takes = |portion: &&Portion| self.onto(&portion.stack, at, slot).is_some();
        let Some(first) = portions.iter().find(takes).or(portions.first()) else { return Vec::new() };
        let class = |stack: &Stack| (stack.kind, stack.marks.clone(), stack.properties.clone());
        let alike = |portion: &&Portion| class(&portion.stack) == class(&first.stack);
        portions.iter().filter(alike).collect()
    }

    fn over_stack_limit(&self, portions: &[Portion], at: &Inside, slot: usize) -> Option<No> {
        let first = self.first_alike(portions, at, slot);
        let stack = &first.first()?.stack;
        let held = self.onto(stack, at, slot).unwrap_or(0);
        let limit = self.slot_limit(stack.kind, at, slot);
        let would = held + first.iter().map(|portion| portion.count).sum::<i64>();
        let no_further = match portions {
            [Portion { stack, count, cell: Some(cell) }] if held == 0 && *count == i64::from(stack.count) => {
                let is_over = match cell {
                    Cell::Slot(at, slot) => *count > self.slot_limit(stack.kind, at, *slot),
                    Cell::Ground(_) => *count > i64::from(self.rules.kinds[stack.kind].limit),
                };
                is_over && self.is_no_further_over(stack, cell, at, slot)
            }
            _ => false,
        };
        (would > limit && !no_further).then(|| because("stack-limit", would * 1_000, limit * 1_000))
    }

    fn reasons_of_room(&self, portions: &[Portion], to: &At, found: &mut Vec<No>) {
        let total: i64 = portions.iter().map(|portion| portion.count).sum();
        match to {
            At::Ground | At::OnGround(_) => {
                let (mut free, mut room) = (self.free_landings(), 0);
                for portion in portions {
                    let limit = i64::from(self.rules.kinds[portion.stack.kind].limit);
                    let each = if portion.cell.is_some() && portion.count == i64::from(portion.stack.count) {
                        portion.count
                    } else {
                        limit
                    };
                    let mut left = portion.count;
                    while left > 0 && free > 0 {
                        room += left.min(each);
                        left -= left.min(each);
                        free -= 1;
                    }
                }
                found.extend((room < total).then(|| because("no-room", total * 1_000, room * 1_000)));
            }
            At::Slot(at, slot) => {
                let first = self.first_alike(portions, at, *slot);
                let Some(stack) = first.first().map(|portion| &portion.stack) else { return };
                let alike: i64 = first.iter().map(|portion| portion.count).sum();
                let held = self.onto(stack, at, *slot);
                let is_one_stack = alike == total && (portions.len() == 1 || stack.inside.is_none());
                if held.is_none() || !is_one_stack {
                    let left = held.map_or(0, |held| (self.slot_limit(stack.kind, at, *slot) - held).max(0));
                    found.push(because("no-room", total * 1_000, left.min(alike) * 1_000));
                }
            }
            At::Container(_) | At::Holder(_) => {
                let mut seen: Vec<Option<Inside>> = Vec::new();
                for portion in portions {
                    let at = self.entered_by(portion, to);
                    if seen.contains(&at) {
                        continue;
                    }
                    let there: Vec<&Portion> =
                        portions.iter().filter(|other| self.entered_by(other, to) == at).collect();
                    let requested: i64 = there.iter().map(|portion| portion.count).sum();
                    let room = at.as_ref().map_or(0, |at| self.space(&there, at));
                    found.extend((room < requested).then(|| because("no-room", requested * 1_000, room * 1_000)));
                    seen.push(at);
                }
            }
        }
    }

    /// For how many items the slots have space, whatever they weigh: they are laid one by one.
    fn space(&self, portions: &[&Portion], at: &Inside) -> i64 {
        let mut copy = self.clone();
        let mut space = 0;
        for portion in portions {
            let inside = self.no_nesting(&portion.stack, portion.cell.as_ref(), at);
            if portions.len() > 1 && inside.is_some_and(|no| no.reason == "inside-itself") {
                continue;
            }
            // A moved pack is found by its id, and so are its contents.
            let cell = portion.cell.as_ref().and_then(|_| copy.state.find(portion.stack.id));
            let leaving = cell.clone().filter(|_| portion.is_complete());
            let one = portion.one();
            let (mut laid, mut slots) = (0, Vec::new());
            while laid < portion.count {
                let slot = copy.as_if_left(leaving.clone(), |copy| copy.slot_for_one(&one, cell.as_ref(), at, None));
                let Some(slot) = slot else { break };
                slots.push(slot);
                copy.lay_one((at.clone(), slot), &one, &mut Vec::new());
                laid += 1;
            }
            space += laid;
            if let Some(cell) = cell.filter(|_| portions.len() > 1 && laid > 0) {
                let there = copy.state.get(&cell).expect("a stack").clone();
                copy.state.lessen(&cell, u32::try_from(laid).unwrap());
                if there.inside.is_some() {
                    copy.state.slots_mut(at)[slots[0]] = Some(there);
                }
            }
        }
        space
    }
}
