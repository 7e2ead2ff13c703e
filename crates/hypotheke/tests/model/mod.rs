//! A second writing of the operations: plain vectors, linear search, one item at a time. It shares nothing with the
//! library but the words for amounts, so that the two can be held against each other.

use std::collections::BTreeSet;

pub(crate) use hypotheke::Amount;

#[derive(Clone, Debug)]
pub(crate) struct KindSpec {
    pub(crate) weight: i64,
    pub(crate) limit: u32,
    pub(crate) tags: BTreeSet<usize>,
    pub(crate) keep: bool,
}

/// At most so many items that satisfy the filter.
pub(crate) type Caps = Vec<(FilterSpec, u32)>;

#[derive(Clone, Debug)]
pub(crate) enum FilterSpec {
    Tag(usize),
    Mark(usize),
    Kind(usize),
    WeightAtMost(i64),
    Not(Box<FilterSpec>),
    And(Box<FilterSpec>, Box<FilterSpec>),
    Or(Box<FilterSpec>, Box<FilterSpec>),
}

#[derive(Clone, Debug)]
pub(crate) struct SlotSpec {
    pub(crate) filter: Option<FilterSpec>,
    pub(crate) limit: Option<u32>,
}

#[derive(Clone, Debug)]
pub(crate) struct ContainerSpec {
    pub(crate) slots: usize,
    pub(crate) ruled: Vec<SlotSpec>,
    pub(crate) limit: Option<u32>,
    pub(crate) cap: Option<i64>,
    pub(crate) filter: Option<FilterSpec>,
    pub(crate) worn: bool,
    pub(crate) holder: Option<usize>,
    pub(crate) put: bool,
    pub(crate) take: bool,
    pub(crate) caps: Caps,
}

#[derive(Clone, Debug)]
pub(crate) struct Rules {
    pub(crate) kinds: Vec<KindSpec>,
    pub(crate) containers: Vec<ContainerSpec>,
    /// Weight caps and caps by filter of holders.
    pub(crate) holders: Vec<(Option<i64>, Caps)>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Stack {
    pub(crate) id: u64,
    pub(crate) kind: usize,
    pub(crate) marks: BTreeSet<usize>,
    pub(crate) count: u32,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum At {
    Slot(usize, usize),
    Container(usize),
    Holder(usize),
    Ground,
    /// The stack with this id, if it lies on the ground.
    OnGround(u64),
}

#[derive(Clone, Debug)]
pub(crate) enum Request {
    Create(Amount, usize, BTreeSet<usize>, At, (i64, i64)),
    Consume(Amount, Option<usize>, At),
    Move(Amount, Option<usize>, At, At),
    Swap(At, At),
    Split(u32, At, At),
    Merge(Amount, At, At),
    Drop(Amount, Option<usize>, At, (i64, i64)),
    PickUp(Amount, Option<usize>, Option<u64>, At),
}

/// Reason, figures, and how many could go.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct No {
    pub(crate) reason: &'static str,
    pub(crate) figures: Option<(i64, i64)>,
    pub(crate) could: u64,
}

fn no(reason: &'static str) -> No {
    No { reason, figures: None, could: 0 }
}

fn because(reason: &'static str, asked: i64, allowed: i64) -> No {
    No { reason, figures: Some((asked, allowed)), could: 0 }
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct State {
    pub(crate) slots: Vec<Vec<Option<Stack>>>,
    pub(crate) ground: Vec<(Stack, (i64, i64))>,
    pub(crate) next_id: u64,
}

#[derive(Clone, Debug)]
pub(crate) struct Model {
    pub(crate) rules: Rules,
    pub(crate) state: State,
}

/// One place that holds a stack. The index on the ground is that of the moment.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Cell {
    Slot(usize, usize),
    Ground(usize),
}

impl FilterSpec {
    pub(crate) fn admits(&self, rules: &Rules, kind: usize, marks: &BTreeSet<usize>) -> bool {
        match self {
            FilterSpec::Tag(tag) => rules.kinds[kind].tags.contains(tag),
            FilterSpec::Mark(mark) => marks.contains(mark),
            FilterSpec::Kind(named) => kind == *named,
            FilterSpec::WeightAtMost(most) => rules.kinds[kind].weight <= *most,
            FilterSpec::Not(part) => !part.admits(rules, kind, marks),
            FilterSpec::And(a, b) => a.admits(rules, kind, marks) && b.admits(rules, kind, marks),
            FilterSpec::Or(a, b) => a.admits(rules, kind, marks) || b.admits(rules, kind, marks),
        }
    }
}

impl Model {
    pub(crate) fn new(rules: Rules) -> Model {
        let slots = rules.containers.iter().map(|container| vec![None; container.slots]).collect();
        Model { rules, state: State { slots, ground: Vec::new(), next_id: 1 } }
    }

    pub(crate) fn perform(&mut self, request: &Request) -> Result<u64, No> {
        let before = self.state.clone();
        let answer = match request {
            Request::Create(amount, kind, marks, to, at) => self.create(*amount, *kind, marks, *to, *at),
            Request::Consume(amount, kind, from) => self.carry(*amount, *kind, *from, None, (0, 0), false),
            Request::Move(amount, kind, from, to) => self.relocate(*amount, *kind, *from, *to),
            Request::Swap(one, other) => self.swap(*one, *other),
            Request::Split(count, from, to) => self.split(*count, *from, *to),
            Request::Merge(amount, from, onto) => self.merge(*amount, *from, *onto),
            Request::Drop(amount, kind, from, at) => match from {
                At::Ground | At::OnGround(_) => Err(no("unknown")),
                _ => self.carry(*amount, *kind, *from, Some(At::Ground), *at, false),
            },
            Request::PickUp(amount, kind, stack, to) => match to {
                At::Ground | At::OnGround(_) => Err(no("unknown")),
                _ => self.carry(*amount, *kind, stack.map_or(At::Ground, At::OnGround), Some(*to), (0, 0), true),
            },
        };
        if answer.is_err() {
            self.state = before;
        }
        answer
    }

    // Reading.

    fn get(&self, cell: Cell) -> Option<&Stack> {
        match cell {
            Cell::Slot(container, slot) => self.state.slots[container][slot].as_ref(),
            Cell::Ground(index) => self.state.ground.get(index).map(|(stack, _)| stack),
        }
    }

    fn limit(&self, kind: usize, container: usize, slot: usize) -> u32 {
        let spec = &self.rules.containers[container];
        let own = self.rules.kinds[kind].limit.min(spec.limit.unwrap_or(u32::MAX));
        own.min(spec.ruled.get(slot).and_then(|rule| rule.limit).unwrap_or(u32::MAX))
    }

    pub(crate) fn weight(&self, container: usize) -> i64 {
        let stacks = self.state.slots[container].iter().flatten();
        stacks.map(|stack| self.rules.kinds[stack.kind].weight * i64::from(stack.count)).sum()
    }

    pub(crate) fn holder_weight(&self, holder: usize) -> i64 {
        self.carried(holder).into_iter().map(|container| self.weight(container)).sum()
    }

    fn carried(&self, holder: usize) -> Vec<usize> {
        (0..self.rules.containers.len()).filter(|&index| self.rules.containers[index].holder == Some(holder)).collect()
    }

    fn container_admits(&self, container: usize, kind: usize, marks: &BTreeSet<usize>, source: Option<Cell>) -> bool {
        let inside = matches!(source, Some(Cell::Slot(from, _)) if from == container);
        if !inside && source.is_some() && !self.rules.containers[container].put {
            return false;
        }
        let filter = &self.rules.containers[container].filter;
        inside || filter.as_ref().is_none_or(|filter| filter.admits(&self.rules, kind, marks))
    }

    fn slot_admits(&self, container: usize, slot: usize, kind: usize, marks: &BTreeSet<usize>) -> bool {
        let rule = self.rules.containers[container].ruled.get(slot);
        rule.and_then(|rule| rule.filter.as_ref()).is_none_or(|filter| filter.admits(&self.rules, kind, marks))
    }

    /// The caps that would bear what comes from the source: (weight now, cap).
    fn bearers(&self, container: usize, source: Option<Cell>) -> Vec<(i64, i64)> {
        let from = match source {
            Some(Cell::Slot(from, _)) => Some(from),
            _ => None,
        };
        let mut bearers = Vec::new();
        if let Some(cap) = self.rules.containers[container].cap.filter(|_| from != Some(container)) {
            bearers.push((self.weight(container), cap));
        }
        if let Some(holder) = self.rules.containers[container].holder {
            let carried_already = from.is_some_and(|from| self.rules.containers[from].holder == Some(holder));
            if let Some(cap) = self.rules.holders[holder].0.filter(|_| !carried_already) {
                bearers.push((self.holder_weight(holder), cap));
            }
        }
        bearers
    }

    // Placing.

    /// The containers that a target stands for.
    fn containers_of(&self, to: At) -> Vec<usize> {
        match to {
            At::Slot(container, _) | At::Container(container) => vec![container],
            At::Holder(holder) => {
                self.carried(holder).into_iter().filter(|&container| !self.rules.containers[container].worn).collect()
            }
            At::Ground | At::OnGround(_) => Vec::new(),
        }
    }

    /// Where the next single item would go.
    fn place_for_one(
        &self,
        kind: usize,
        marks: &BTreeSet<usize>,
        source: Option<Cell>,
        to: At,
    ) -> Option<(usize, usize)> {
        for container in self.containers_of(to) {
            let weight = self.rules.kinds[kind].weight;
            let too_heavy = |&(now, cap): &(i64, i64)| weight > 0 && now + weight > cap;
            let over_cap = self.over_cap(container, kind, marks, source, 1).is_some();
            let heavy = self.bearers(container, source).iter().any(too_heavy);
            if over_cap || heavy || !self.container_admits(container, kind, marks, source) {
                continue;
            }
            let lawful = |slot: &usize| {
                let named = !matches!(to, At::Slot(_, only) if only != *slot);
                named && source != Some(Cell::Slot(container, *slot)) && self.slot_admits(container, *slot, kind, marks)
            };
            let slots = || (0..self.rules.containers[container].slots).filter(lawful);
            let onto = slots().find(|&slot| {
                let there = self.state.slots[container][slot].as_ref();
                there.is_some_and(|there| {
                    there.kind == kind && there.marks == *marks && there.count < self.limit(kind, container, slot)
                })
            });
            let empty = slots().find(|&slot| self.state.slots[container][slot].is_none());
            if let Some(slot) = onto.or(empty) {
                return Some((container, slot));
            }
        }
        None
    }

    /// How many items there is space for, not looking at weights; no more than `most` are counted.
    fn room(&self, container: usize, kind: usize, marks: &BTreeSet<usize>, source: Option<Cell>) -> i64 {
        let room_in = |slot: usize| {
            if source == Some(Cell::Slot(container, slot)) || !self.slot_admits(container, slot, kind, marks) {
                return 0;
            }
            let limit = i64::from(self.limit(kind, container, slot));
            match &self.state.slots[container][slot] {
                None => limit,
                Some(there) if there.kind == kind && there.marks == *marks => (limit - i64::from(there.count)).max(0),
                Some(_) => 0,
            }
        };
        (0..self.rules.containers[container].slots).map(room_in).sum()
    }

    /// Every check in order, for `asked` items.
    fn why_not(&self, kind: usize, marks: &BTreeSet<usize>, source: Option<Cell>, to: At, asked: i64) -> No {
        match to {
            At::Ground | At::OnGround(_) => unreachable!("the ground has room"),
            At::Holder(_) => {
                let containers = self.containers_of(to);
                let admitting = containers.iter().find(|&&container| self.could_admit(container, kind, marks, source));
                match admitting.or(containers.first()) {
                    Some(&container) => self.why_not(kind, marks, source, At::Container(container), asked),
                    None => because("no-room", asked * 1_000, 0),
                }
            }
            At::Container(container) => {
                if !self.could_admit(container, kind, marks, source) {
                    return self.no_entry(container, source);
                }
                if let Some(no) = self.over_cap(container, kind, marks, source, asked) {
                    return no;
                }
                if let Some(no) = self.too_heavy(container, kind, source, asked) {
                    return no;
                }
                let room = self.room(container, kind, marks, source);
                because("no-room", asked * 1_000, room * 1_000)
            }
            At::Slot(container, slot) => {
                if !self.container_admits(container, kind, marks, source) {
                    return self.no_entry(container, source);
                }
                if !self.slot_admits(container, slot, kind, marks) {
                    return no("not-admitted");
                }
                if let Some(no) = self.over_cap(container, kind, marks, source, asked) {
                    return no;
                }
                if let Some(no) = self.too_heavy(container, kind, source, asked) {
                    return no;
                }
                let limit = i64::from(self.limit(kind, container, slot));
                let there = self.state.slots[container][slot].as_ref();
                let alike = there.filter(|there| there.kind == kind && there.marks == *marks);
                let count = alike.map_or(0, |there| i64::from(there.count));
                if count + asked > limit {
                    return because("stack-limit", (count + asked) * 1_000, limit * 1_000);
                }
                because(
                    "no-room",
                    asked * 1_000,
                    if there.is_some() && alike.is_none() { 0 } else { (limit - count) * 1_000 },
                )
            }
        }
    }

    fn could_admit(&self, container: usize, kind: usize, marks: &BTreeSet<usize>, source: Option<Cell>) -> bool {
        let slots = self.rules.containers[container].slots;
        self.container_admits(container, kind, marks, source)
            && (0..slots).any(|slot| self.slot_admits(container, slot, kind, marks))
    }

    /// Why a container takes nothing of it, whatever lies there.
    fn no_entry(&self, container: usize, source: Option<Cell>) -> No {
        let inside = matches!(source, Some(Cell::Slot(from, _)) if from == container);
        let closed = source.is_some() && !inside && !self.rules.containers[container].put;
        no(if closed { "no-put" } else { "not-admitted" })
    }

    fn counted(&self, containers: &[usize], filter: &FilterSpec) -> i64 {
        let stacks = containers.iter().flat_map(|&container| self.state.slots[container].iter().flatten());
        let wanted = stacks.filter(|stack| filter.admits(&self.rules, stack.kind, &stack.marks));
        wanted.map(|stack| i64::from(stack.count)).sum()
    }

    /// The first cap by filter that `asked` more items would pass: the container's, then its holder's.
    fn over_cap(
        &self,
        container: usize,
        kind: usize,
        marks: &BTreeSet<usize>,
        source: Option<Cell>,
        asked: i64,
    ) -> Option<No> {
        let from = match source {
            Some(Cell::Slot(from, _)) => Some(from),
            _ => None,
        };
        let mut bearers: Vec<(&Caps, Vec<usize>)> = Vec::new();
        if from != Some(container) {
            bearers.push((&self.rules.containers[container].caps, vec![container]));
        }
        let holder_of = |container: usize| self.rules.containers[container].holder;
        if let Some(holder) = holder_of(container).filter(|holder| from.and_then(holder_of) != Some(*holder)) {
            bearers.push((&self.rules.holders[holder].1, self.carried(holder)));
        }
        let caps = bearers.iter().flat_map(|(caps, containers)| caps.iter().map(move |cap| (cap, containers)));
        let counted = caps.filter(|((filter, _), _)| filter.admits(&self.rules, kind, marks));
        counted
            .map(|((filter, most), containers)| (self.counted(containers, filter) + asked, i64::from(*most)))
            .find(|(would, most)| would > most)
            .map(|(would, most)| because("cap", would * 1_000, most * 1_000))
    }

    /// Why a stack can't leave where it lies.
    fn stuck(&self, cell: Cell, kind: usize, to: Option<At>) -> Option<No> {
        if self.rules.kinds[kind].keep && matches!(to, None | Some(At::Ground)) {
            return Some(no("kept"));
        }
        let Cell::Slot(from, _) = cell else { return None };
        let leaving = match to {
            None => false,
            Some(At::Slot(container, _) | At::Container(container)) => container != from,
            Some(_) => true,
        };
        (leaving && !self.rules.containers[from].take).then(|| no("no-take"))
    }

    fn too_heavy(&self, container: usize, kind: usize, source: Option<Cell>, asked: i64) -> Option<No> {
        let added = self.rules.kinds[kind].weight * asked;
        let bearers = self.bearers(container, source).into_iter();
        bearers
            .filter(|(now, cap)| added > 0 && now + added > *cap)
            .map(|(now, cap)| because("weight-cap", now + added, cap))
            .next()
    }

    fn new_id(&mut self) -> u64 {
        self.state.next_id += 1;
        self.state.next_id - 1
    }

    // Operations.

    fn create(
        &mut self,
        amount: Amount,
        kind: usize,
        marks: &BTreeSet<usize>,
        to: At,
        at: (i64, i64),
    ) -> Result<u64, No> {
        if matches!(to, At::OnGround(_)) {
            return Err(no("unknown"));
        }
        let (asked, exact) = match amount {
            Amount::Exactly(count) if count > 0 => (count, true),
            Amount::UpTo(count) if count > 0 => (count, false),
            _ => return Err(no("bad-amount")),
        };
        if to == At::Ground {
            let mut left = asked;
            while left > 0 {
                let count = left.min(self.rules.kinds[kind].limit);
                let id = self.new_id();
                self.state.ground.push((Stack { id, kind, marks: marks.clone(), count }, at));
                left -= count;
            }
            return Ok(u64::from(asked));
        }
        let before = self.clone();
        let mut done = 0;
        while done < asked {
            let Some((container, slot)) = self.place_for_one(kind, marks, None, to) else { break };
            match &mut self.state.slots[container][slot] {
                Some(there) => there.count += 1,
                None => {
                    let id = self.new_id();
                    self.state.slots[container][slot] = Some(Stack { id, kind, marks: marks.clone(), count: 1 });
                }
            }
            done += 1;
        }
        let whole = if exact { asked } else { 1 };
        if done < whole {
            return Err(No { could: u64::from(done), ..before.why_not(kind, marks, None, to, i64::from(whole)) });
        }
        Ok(u64::from(done))
    }

    fn relocate(&mut self, amount: Amount, kind: Option<usize>, from: At, to: At) -> Result<u64, No> {
        let has_slots = |place| matches!(place, At::Slot(..) | At::Container(_));
        if !has_slots(from) || !has_slots(to) {
            return Err(no("unknown"));
        }
        if from == to {
            return self.stay(amount, kind, from, false);
        }
        self.carry(amount, kind, from, Some(to), (0, 0), false)
    }

    /// What goes onto itself: as if it were taken where nothing holds it back.
    fn stay(&self, amount: Amount, kind: Option<usize>, from: At, what_fits: bool) -> Result<u64, No> {
        let mut copy = self.clone();
        copy.rules.kinds.iter_mut().for_each(|kind| kind.keep = false);
        copy.carry(amount, kind, from, None, (0, 0), what_fits)
    }

    /// The ids of the stacks that may be taken, in order.
    fn sources(&self, kind: Option<usize>, from: At, to: Option<At>) -> Result<Vec<u64>, No> {
        let of_container =
            |container: usize| (0..self.rules.containers[container].slots).map(move |slot| Cell::Slot(container, slot));
        let cells: Vec<Cell> = match from {
            At::Slot(container, slot) => vec![Cell::Slot(container, slot)],
            At::Container(container) => of_container(container).collect(),
            At::Holder(holder) => {
                let mut carried = self.carried(holder);
                carried.sort_by_key(|&container| self.rules.containers[container].worn);
                carried.into_iter().flat_map(of_container).collect()
            }
            At::Ground => (0..self.state.ground.len()).map(Cell::Ground).collect(),
            At::OnGround(id) => match self.state.ground.iter().position(|(stack, _)| stack.id == id) {
                Some(index) => vec![Cell::Ground(index)],
                None => return Err(no("unknown")),
            },
        };
        let target = match to {
            Some(At::Slot(container, slot)) => Some(Cell::Slot(container, slot)),
            _ => None,
        };
        let wanted = |cell: &Cell| Some(*cell) != target || matches!(from, At::Slot(..));
        let stacks = cells.iter().filter(|cell| wanted(cell)).filter_map(|cell| self.get(*cell));
        Ok(stacks.filter(|stack| kind.is_none_or(|kind| stack.kind == kind)).map(|stack| stack.id).collect())
    }

    fn find(&self, id: u64) -> Option<Cell> {
        let on_ground = self.state.ground.iter().position(|(stack, _)| stack.id == id).map(Cell::Ground);
        on_ground.or_else(|| {
            let mut all = self.state.slots.iter().enumerate().flat_map(|(container, slots)| {
                slots.iter().enumerate().map(move |(slot, stack)| (Cell::Slot(container, slot), stack))
            });
            all.find(|(_, stack)| stack.as_ref().is_some_and(|stack| stack.id == id)).map(|(cell, _)| cell)
        })
    }

    fn carry(
        &mut self,
        amount: Amount,
        kind: Option<usize>,
        from: At,
        to: Option<At>,
        at: (i64, i64),
        what_fits: bool,
    ) -> Result<u64, No> {
        let asked = match amount {
            Amount::Exactly(count) | Amount::UpTo(count) => Some(i64::from(count)),
            Amount::All => None,
        };
        let exact = matches!(amount, Amount::Exactly(_)) || amount == Amount::All && !what_fits;
        let sources = self.sources(kind, from, to)?;
        if asked == Some(0) {
            return Err(no("bad-amount"));
        }
        let there: i64 =
            sources.iter().filter_map(|&id| self.get(self.find(id)?)).map(|stack| i64::from(stack.count)).sum();
        if sources.is_empty() {
            return Err(no("empty-source"));
        }
        let mut done = 0;
        let mut first_shortfall = None;
        for id in sources {
            if asked == Some(done) {
                break;
            }
            let cell = self.find(id).expect("it lay there");
            let stack = self.get(cell).expect("a stack").clone();
            let wanted = asked.map_or(i64::from(stack.count), |asked| (asked - done).min(i64::from(stack.count)));
            let before = self.clone();
            if let Some(stuck) = self.stuck(cell, stack.kind, to) {
                first_shortfall = first_shortfall.or(Some(stuck));
                continue;
            }
            let given = self.give(cell, &stack, u32::try_from(wanted).unwrap(), to, at);
            if i64::from(given) < wanted && first_shortfall.is_none() && (exact || given == 0) {
                let whole = if exact { asked.map_or(wanted, |asked| asked - done) } else { 1 };
                let to = to.expect("consuming takes all");
                first_shortfall = Some(before.why_not(stack.kind, &stack.marks, Some(cell), to, whole));
            }
            done += i64::from(given);
        }
        let could = u64::try_from(done).unwrap();
        match (exact, asked, first_shortfall) {
            (true, Some(asked), _) if done < asked && there < asked => {
                Err(No { could, ..because("not-enough", asked * 1_000, there * 1_000) })
            }
            (true, _, Some(no)) if asked.is_none_or(|asked| done < asked) => Err(No { could, ..no }),
            (false, _, Some(no)) if done == 0 => Err(No { could, ..no }),
            _ => Ok(could),
        }
    }

    /// Gives up to `wanted` items of a stack, one after the other, then settles who keeps the id.
    fn give(&mut self, cell: Cell, stack: &Stack, wanted: u32, to: Option<At>, at: (i64, i64)) -> u32 {
        let mut given = 0;
        let mut laid: Vec<(usize, usize)> = Vec::new();
        match to {
            None | Some(At::Ground) => given = wanted,
            Some(to) => {
                while given < wanted {
                    let Some((container, slot)) = self.place_for_one(stack.kind, &stack.marks, Some(cell), to) else {
                        break;
                    };
                    match &mut self.state.slots[container][slot] {
                        Some(there) => there.count += 1,
                        None => {
                            laid.push((container, slot));
                            self.state.slots[container][slot] = Some(Stack { id: 0, count: 1, ..stack.clone() });
                        }
                    }
                    given += 1;
                }
            }
        }
        let mut id_is_free = given == stack.count;
        for (container, slot) in laid {
            let id = if std::mem::take(&mut id_is_free) { stack.id } else { self.new_id() };
            self.state.slots[container][slot].as_mut().expect("just laid").id = id;
        }
        if to == Some(At::Ground) {
            let id = if given == stack.count { stack.id } else { self.new_id() };
            self.state.ground.push((Stack { id, count: given, ..stack.clone() }, at));
        }
        self.lessen(cell, given);
        given
    }

    fn lessen(&mut self, cell: Cell, by: u32) {
        match cell {
            Cell::Slot(container, slot) => {
                let there = &mut self.state.slots[container][slot];
                let count = there.as_ref().map_or(0, |stack| stack.count) - by;
                *there = there.take().filter(|_| count > 0).map(|stack| Stack { count, ..stack });
            }
            Cell::Ground(index) => {
                self.state.ground[index].0.count -= by;
                if self.state.ground[index].0.count == 0 {
                    self.state.ground.remove(index);
                }
            }
        }
    }

    /// How many of `wanted` items a slot would take, added one by one to `there`, and why not `asked`.
    fn take_into(
        &self,
        stack: &Stack,
        from: usize,
        to: (usize, usize),
        there: i64,
        wanted: i64,
        asked: i64,
    ) -> Result<i64, (i64, No)> {
        let (container, slot) = to;
        let source = Some(Cell::Slot(from, 0));
        let (kind, marks) = (stack.kind, &stack.marks);
        if let Some(no) = self.stuck(Cell::Slot(from, 0), kind, Some(At::Slot(container, slot))) {
            return Err((0, no));
        }
        if !self.container_admits(container, kind, marks, source) {
            return Err((0, self.no_entry(container, source)));
        }
        if !self.slot_admits(container, slot, kind, marks) {
            return Err((0, no("not-admitted")));
        }
        let limit = i64::from(self.limit(kind, container, slot));
        let capped = |count: i64| self.over_cap(container, kind, marks, source, count);
        let fits = |count: &i64| {
            capped(*count).is_none()
                && self.too_heavy(container, kind, source, *count).is_none()
                && there + count <= limit
        };
        let given = (1..=wanted).take_while(fits).last().unwrap_or(0);
        if given >= asked {
            return Ok(given);
        }
        let too_many = || because("stack-limit", (there + asked) * 1_000, limit * 1_000);
        let heavy = || self.too_heavy(container, kind, source, asked);
        Err((given, capped(asked).or_else(heavy).unwrap_or_else(too_many)))
    }

    fn split(&mut self, count: u32, from: At, to: At) -> Result<u64, No> {
        let At::Slot(a, here) = from else { return Err(no("unknown")) };
        if !matches!(to, At::Slot(..) | At::Container(_)) {
            return Err(no("unknown"));
        }
        let stack = self.state.slots[a][here].clone();
        let there = stack.as_ref().map_or(0, |stack| stack.count);
        if count == 0 || count == there {
            return Err(no("bad-amount"));
        }
        let Some(stack) = stack else { return Err(no("empty-source")) };
        let (asked, wanted) = (i64::from(count), i64::from(count.min(there)));
        let taken = |slot: &(usize, usize)| self.state.slots[slot.0][slot.1].is_some();
        let target = match to {
            At::Slot(b, slot) => Some((b, slot)),
            At::Container(b) => (0..self.rules.containers[b].slots)
                .map(|slot| (b, slot))
                .find(|slot| !taken(slot) && self.slot_admits(b, slot.1, stack.kind, &stack.marks)),
            _ => None,
        };
        let source = Some(Cell::Slot(a, here));
        let answer = match (to, target) {
            (At::Slot(b, _), Some(slot)) if taken(&slot) => {
                // Nothing can go, but the checks before `no-room` come first.
                match self.take_into(&stack, a, slot, 0, wanted, asked) {
                    Err((_, no)) => Err((0, no)),
                    Ok(_) => Err((0, because("no-room", asked * 1_000, 0))),
                }
                .map(|given: i64| given + i64::try_from(b).unwrap())
            }
            (At::Container(b), None) => {
                let admitted = self.could_admit(b, stack.kind, &stack.marks, source);
                let full = because("no-room", asked * 1_000, 0);
                let entry = (!admitted).then(|| self.no_entry(b, source));
                let why = self.stuck(Cell::Slot(a, here), stack.kind, Some(to)).or(entry);
                let over = || self.over_cap(b, stack.kind, &stack.marks, source, asked);
                let heavy = || self.too_heavy(b, stack.kind, source, asked);
                Err((0, why.or_else(over).or_else(heavy).unwrap_or(full)))
            }
            (_, Some(slot)) => self.take_into(&stack, a, slot, 0, wanted, asked).map_err(|(given, why)| {
                // Only a slot that is named has a limit to pass; a container has too little room.
                let limit = i64::from(self.limit(stack.kind, slot.0, slot.1));
                let named = matches!(to, At::Slot(..)) || why.reason != "stack-limit";
                (given, if named { why } else { because("no-room", asked * 1_000, limit * 1_000) })
            }),
            _ => unreachable!("a slot or a container"),
        };
        let could = answer.as_ref().map_or_else(|(given, _)| *given, |given| *given);
        if count > there {
            let no = because("not-enough", asked * 1_000, i64::from(there) * 1_000);
            return Err(No { could: u64::try_from(could).unwrap(), ..no });
        }
        if let Err((given, no)) = answer {
            return Err(No { could: u64::try_from(given).unwrap(), ..no });
        }
        let (b, slot) = target.expect("a slot");
        let id = self.new_id();
        self.state.slots[b][slot] = Some(Stack { id, count, ..stack });
        self.lessen(Cell::Slot(a, here), count);
        Ok(u64::from(count))
    }

    fn merge(&mut self, amount: Amount, from: At, onto: At) -> Result<u64, No> {
        let (At::Slot(a, here), At::Slot(b, slot)) = (from, onto) else { return Err(no("unknown")) };
        if from == onto {
            return self.stay(amount, None, from, true);
        }
        let asked = match amount {
            Amount::Exactly(count) | Amount::UpTo(count) => Some(i64::from(count)),
            Amount::All => None,
        };
        if asked == Some(0) {
            return Err(no("bad-amount"));
        }
        let Some(stack) = self.state.slots[a][here].clone() else { return Err(no("empty-source")) };
        let exact = matches!(amount, Amount::Exactly(_));
        let there = i64::from(stack.count);
        let wanted = asked.map_or(there, |asked| asked.min(there));
        let least = if exact { asked.expect("a number") } else { 1 };
        let target = self.state.slots[b][slot].clone();
        let alike = target.as_ref().filter(|target| target.kind == stack.kind && target.marks == stack.marks);
        let lies = alike.map_or(0, |target| i64::from(target.count));
        let answer = match self.take_into(&stack, a, (b, slot), lies, wanted, least) {
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
        self.state.slots[b][slot].as_mut().expect("a stack").count += given;
        self.lessen(Cell::Slot(a, here), given);
        Ok(could)
    }

    fn swap(&mut self, one: At, other: At) -> Result<u64, No> {
        let (At::Slot(a, here), At::Slot(b, there)) = (one, other) else { return Err(no("unknown")) };
        let (mine, yours) = (self.state.slots[a][here].clone(), self.state.slots[b][there].clone());
        if mine.is_none() && yours.is_none() {
            return Err(no("empty-source"));
        }
        if one == other {
            return Ok(0);
        }
        let ways = [(&mine, a, b, there), (&yours, b, a, here)];
        let moving = || ways.iter().filter_map(|(stack, from, to, slot)| Some((stack.as_ref()?, *from, *to, *slot)));
        if a != b && moving().any(|(_, from, ..)| !self.rules.containers[from].take) {
            return Err(no("no-take"));
        }
        if a != b && moving().any(|(_, _, to, _)| !self.rules.containers[to].put) {
            return Err(no("no-put"));
        }
        let admitted = |(stack, from, to, slot): (&Stack, usize, usize, usize)| {
            self.container_admits(to, stack.kind, &stack.marks, Some(Cell::Slot(from, 0)))
                && self.slot_admits(to, slot, stack.kind, &stack.marks)
        };
        if !moving().all(admitted) {
            return Err(no("not-admitted"));
        }
        let before = self.clone();
        self.state.slots[a][here] = yours.clone();
        self.state.slots[b][there] = mine.clone();
        for container in [b, a] {
            let holder = self.rules.containers[container].holder;
            let own = (&self.rules.containers[container].caps, vec![container]);
            let held = holder.map(|holder| (&self.rules.holders[holder].1, self.carried(holder)));
            for (caps, containers) in [Some(own), held].into_iter().flatten() {
                for (filter, most) in caps {
                    let (was, is) = (before.counted(&containers, filter), self.counted(&containers, filter));
                    if is > was && is > i64::from(*most) {
                        return Err(because("cap", is * 1_000, i64::from(*most) * 1_000));
                    }
                }
            }
        }
        for container in [b, a] {
            let spec = &self.rules.containers[container];
            let worse = |was: i64, is: i64, cap: Option<i64>| {
                cap.filter(|&cap| is > cap && is > was).map(|cap| because("weight-cap", is, cap))
            };
            let alone = worse(before.weight(container), self.weight(container), spec.cap);
            let held = spec.holder.and_then(|holder| {
                worse(before.holder_weight(holder), self.holder_weight(holder), self.rules.holders[holder].0)
            });
            if let Some(no) = alone.or(held) {
                return Err(no);
            }
        }
        for (stack, _, container, slot) in ways {
            if let Some(stack) = stack {
                let limit = self.limit(stack.kind, container, slot);
                if stack.count > limit {
                    return Err(because("stack-limit", i64::from(stack.count) * 1_000, i64::from(limit) * 1_000));
                }
            }
        }
        let count = |stack: &Option<Stack>| stack.as_ref().map_or(0, |stack| u64::from(stack.count));
        Ok(count(&mine) + count(&yours))
    }
}
