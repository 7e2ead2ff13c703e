//! Taking stacks from somewhere and laying them somewhere else.

use super::allowed::{Right, Said, side_of, side_of_target, whole};
use super::faults::Fault;
use super::reasons::Portion;
use super::state::{At, Cell, Inside, Stack};
use super::{Amount, Going, Model, No, because, no};

impl Model {
    pub(super) fn relocate(&mut self, amount: Amount, kind: Option<usize>, from: &At, to: &At) -> Result<u64, No> {
        let has_slots = |place: &At| matches!(place, At::Slot(..) | At::Container(_));
        if !has_slots(from) || !has_slots(to) {
            return Err(no("unknown"));
        }
        let going = if from == to { Going::Nowhere } else { Going::To(to.clone()) };
        self.carry(amount, kind, from, &going, (0, 0), false)
    }

    /// The ids of the stacks that may be taken, in order.
    pub(super) fn sources(&self, kind: Option<usize>, from: &At, going: &Going) -> Result<Vec<u64>, No> {
        let in_container =
            |at: &Inside| (0..self.state.slots(at).len()).map(|slot| Cell::Slot(at.clone(), slot)).collect::<Vec<_>>();
        let cells: Vec<Cell> = match from {
            At::Slot(at, slot) => vec![Cell::Slot(at.clone(), *slot)],
            At::Container(at) => in_container(at),
            At::Holder(holder) => {
                let carried = self.rules.carried(*holder).into_iter();
                let worn = carried.filter(|&index| self.rules.containers[index].worn).map(Inside::container);
                let worn: Vec<Inside> = worn.filter(|at| self.is_reachable(at)).collect();
                let to = if let Going::To(to) = going { side_of_target(to) } else { None };
                let all = self.targets(from).into_iter().chain(worn);
                all.filter(|at| self.may_leave(&whole(at), &to)).flat_map(|at| in_container(&at)).collect()
            }
            At::Ground => self.state.ground.iter().map(|(stack, _)| Cell::Ground(stack.id)).collect(),
            At::OnGround(id) if self.state.ground.iter().any(|(stack, _)| stack.id == *id) => vec![Cell::Ground(*id)],
            At::OnGround(_) => return Err(no("unknown")),
        };
        let target = match going {
            Going::To(At::Slot(at, slot)) if !matches!(from, At::Slot(..)) => Some(Cell::Slot(at.clone(), *slot)),
            _ => None,
        };
        // Taking by kind passes over slots that are not for the actor.
        let by_kind = matches!(from, At::Container(_) | At::Holder(_));
        let meant = cells.iter().filter(|cell| Some(*cell) != target.as_ref());
        let meant = meant.filter(|cell| !by_kind || !self.is_passed_over(cell, going));
        let stacks = meant.filter_map(|cell| self.state.get(cell));
        Ok(stacks.filter(|stack| kind.is_none_or(|kind| stack.kind == kind)).map(|stack| stack.id).collect())
    }

    fn is_passed_over(&self, cell: &Cell, going: &Going) -> bool {
        let Cell::Slot(at, slot) = cell else { return false };
        let binds_nobody = match going {
            Going::Nowhere => return false,
            Going::Out | Going::Used => self.actor.is_some(),
            Going::To(_) => true,
        };
        match self.slot_said(Right::Take, at, *slot) {
            Said::Yes => false,
            Said::OthersMay => true,
            Said::NobodyMay => binds_nobody && !Fault::BorderForgotten.is_on(),
        }
    }

    /// Why a stack can't leave where it lies.
    pub(super) fn stuck(&self, cell: &Cell, stack: &Stack, going: &Going) -> Option<No> {
        self.all_stuck(cell, stack, going).into_iter().next()
    }

    pub(super) fn all_stuck(&self, cell: &Cell, stack: &Stack, going: &Going) -> Vec<No> {
        let keeps = |stack: &Stack| self.rules.kinds[stack.kind].is_protected;
        let (kept, other): (bool, Vec<No>) = match going {
            Going::Nowhere => (false, Vec::new()),
            Going::Out => {
                let full = stack.inside.iter().flatten().any(Option::is_some) && !Fault::FullPackConsumed.is_on();
                let said = self.leaving(&side_of(Some(cell)), &None);
                let closed = said.contains(&Said::NobodyMay);
                let no_take = closed && self.actor.is_some() && !Fault::BorderForgotten.is_on();
                let others = said.contains(&Said::OthersMay).then(|| no("not-allowed"));
                let found = [others, full.then(|| no("not-empty")), no_take.then(|| no("no-take"))];
                (keeps(stack), found.into_iter().flatten().collect())
            }
            Going::Used => {
                let low = self.too_low(stack);
                let said = self.leaving(&side_of(Some(cell)), &None);
                let others = said.contains(&Said::OthersMay).then(|| no("not-allowed"));
                let no_take = said.contains(&Said::NobodyMay) && !Fault::BorderForgotten.is_on();
                (false, low.into_iter().chain(others).chain(no_take.then(|| no("no-take"))).collect())
            }
            Going::To(to) => {
                let to_container = match to {
                    At::Slot(at, _) | At::Container(at) => Some(at),
                    _ => None,
                };
                let to_ground = *to == At::Ground || to_container.is_some_and(Inside::is_on_ground);
                let lands = to_ground && !Fault::KeptIsDropped.is_on() && !cell.is_on_ground();
                let said = self.leaving(&side_of(Some(cell)), &side_of_target(to));
                let no_take = said.contains(&Said::NobodyMay) && !Fault::BorderForgotten.is_on();
                let others = said.contains(&Said::OthersMay).then(|| no("not-allowed"));
                let found = others.into_iter().chain(no_take.then(|| no("no-take"))).collect();
                (lands && stack.all().into_iter().any(keeps), found)
            }
        };
        kept.then(|| no("protected")).into_iter().chain(other).collect()
    }

    pub(super) fn carry(
        &mut self,
        amount: Amount,
        kind: Option<usize>,
        from: &At,
        going: &Going,
        at: (i64, i64),
        what_fits: bool,
    ) -> Result<u64, No> {
        let requested = match amount {
            Amount::Exactly(count) | Amount::UpTo(count) => Some(i64::from(count)),
            Amount::All => None,
        };
        let exact = matches!(amount, Amount::Exactly(_)) || amount == Amount::All && !what_fits;
        self.be_exact(exact);
        let sources = self.sources(kind, from, going)?;
        if requested == Some(0) {
            return Err(no("bad-amount"));
        }
        let count = |id: &u64| Some(i64::from(self.state.get(&self.state.find(*id)?)?.count));
        let there: i64 = sources.iter().filter_map(count).sum();
        if sources.is_empty() {
            return Err(no(if self.is_shut_to_all(from) { "no-take" } else { "empty-source" }));
        }
        self.worn.clear();
        let before = self.clone();
        let mut done = 0;
        for id in &sources {
            if requested == Some(done) {
                break;
            }
            let cell = self.state.find(*id).expect("a place");
            let stack = self.state.get(&cell).expect("a stack").clone();
            let wanted =
                requested.map_or(i64::from(stack.count), |requested| (requested - done).min(i64::from(stack.count)));
            let less = i64::from(Fault::UpToTakesOneLess.is_on() && !exact && requested.is_some());
            let wanted = (wanted - less).max(1);
            if self.stuck(&cell, &stack, going).is_none() {
                done += i64::from(self.give(&cell, &stack, u32::try_from(wanted).unwrap(), going, at));
            }
        }
        let max_amount = u64::try_from(done).unwrap();
        if Fault::MoreConsumedThanThere.is_on() && matches!(going, Going::Out) && done == there {
            return Ok(u64::try_from(requested.unwrap_or(done)).unwrap());
        }
        let all = requested.map_or(there, |requested| requested.min(there));
        let is_refused = if exact { done < requested.unwrap_or(there) } else { done == 0 };
        if !is_refused {
            if done < all && requested.is_some() {
                self.list = before.reasons(&before.together_first(&sources, going, all), going);
            }
            return Ok(max_amount);
        }
        if !exact {
            return Err(self.refuse(before.reasons(&before.portions(&sources[..1], 1), going), 0));
        }
        let portions = before.together_first(&sources, going, all);
        let missing = requested.filter(|&requested| there < requested);
        if missing.is_none() {
            let mut copy = before.clone();
            if portions.iter().all(|portion| copy.goes_whole(portion, going, at)) {
                (self.state, self.worn) = (copy.state, copy.worn);
                return Ok(u64::try_from(all).unwrap());
            }
        }
        let missing = missing.map(|requested| because("not-enough", requested * 1_000, there * 1_000));
        let mut list: Vec<No> = missing.into_iter().chain(before.reasons(&portions, going)).collect();
        if list.is_empty() {
            list.push(because("no-room", all * 1_000, done * 1_000));
        }
        Err(self.refuse(list, max_amount))
    }

    /// A holder puts away what a container has some of.
    pub(super) fn deposit(&mut self, holder: Option<usize>, into: &At) -> Result<u64, No> {
        let (Some(holder), At::Container(target)) = (holder, into) else { return Err(no("unknown")) };
        let kinds: Vec<usize> = self.state.slots(target).iter().flatten().map(|stack| stack.kind).collect();
        let carried = self.rules.carried(holder).into_iter().filter(|&index| !self.rules.containers[index].worn);
        let sources = carried.map(Inside::container).filter(|at| at != target);
        let sources = sources.filter(|at| self.may_leave(&whole(at), &whole(target)));
        let going = Going::To(into.clone());
        let lying = |at: Inside| {
            let slots = (0..self.state.slots(&at).len()).map(|slot| Cell::Slot(at.clone(), slot));
            let meant = slots.filter(|cell| !self.is_passed_over(cell, &going));
            meant.filter_map(|cell| self.state.get(&cell).cloned()).collect::<Vec<_>>()
        };
        let stacks: Vec<Stack> = sources.flat_map(lying).collect();
        let is_meant = |stack: &&Stack| kinds.contains(&stack.kind) && !self.rules.kinds[stack.kind].is_protected;
        let stacks: Vec<Stack> = stacks.iter().filter(is_meant).cloned().collect();
        let Some(first) = stacks.first() else { return Err(no("empty-source")) };
        self.be_exact(false);
        let before = self.clone();
        let mut done = 0;
        for stack in &stacks {
            let cell = self.state.find(stack.id).expect("a place");
            if self.stuck(&cell, stack, &going).is_none() {
                done += u64::from(self.give(&cell, stack, stack.count, &going, (0, 0)));
            }
        }
        if done == 0 {
            let mut list = before.reasons(&before.portions(&[first.id], 1), &going);
            if list.is_empty() {
                let all: i64 = stacks.iter().map(|stack| i64::from(stack.count)).sum();
                list.push(because("no-room", all * 1_000, 0));
            }
            return Err(self.refuse(list, 0));
        }
        Ok(done)
    }

    /// A number of items of stacks, in this order.
    fn portions(&self, sources: &[u64], wanted: i64) -> Vec<Portion> {
        let mut left = wanted;
        let mut portions = Vec::new();
        for id in sources {
            let cell = self.state.find(*id).expect("a place");
            let stack = self.state.get(&cell).expect("a stack");
            let count = left.min(i64::from(stack.count));
            left -= count;
            if count > 0 {
                portions.push(Portion::of(stack, &cell, count));
            }
        }
        portions
    }

    /// First of the stacks of which one item could go alone, then of the others.
    fn together_first(&self, sources: &[u64], going: &Going, wanted: i64) -> Vec<Portion> {
        let could_go = |id: &u64| {
            let cell = self.state.find(*id).expect("a place");
            let stack = self.state.get(&cell).expect("a stack").clone();
            let mut copy = self.clone();
            self.stuck(&cell, &stack, going).is_none() && copy.give(&cell, &stack, 1, going, (0, 0)) > 0
        };
        let (mut order, rest): (Vec<u64>, Vec<u64>) = sources.iter().partition(|id| could_go(id));
        order.extend(rest);
        self.portions(&order, wanted)
    }

    pub(super) fn goes_whole(&mut self, portion: &Portion, going: &Going, at: (i64, i64)) -> bool {
        let Some(cell) = self.state.find(portion.stack.id) else { return false };
        let stack = self.state.get(&cell).expect("a stack").clone();
        let count = u32::try_from(portion.count).unwrap();
        self.stuck(&cell, &stack, going).is_none() && self.give(&cell, &stack, count, going, at) == count
    }

    /// Gives up to `wanted` items of a stack, one after the other, then settles who keeps the id.
    fn give(&mut self, cell: &Cell, stack: &Stack, wanted: u32, going: &Going, at: (i64, i64)) -> u32 {
        let to = match going {
            Going::Nowhere => return wanted,
            Going::Out => {
                self.state.lessen(cell, wanted);
                self.state.used[stack.kind] += u64::from(wanted);
                return wanted;
            }
            Going::Used => {
                self.wear(cell);
                return wanted;
            }
            Going::To(At::Ground) => {
                let given = self.landing_room(stack, wanted);
                self.state.lessen(cell, given);
                if Fault::DropLandsNothing.is_on() {
                    return given;
                }
                self.land_at(stack, given, &mut (given == stack.count), at);
                return given;
            }
            Going::To(to) => to,
        };
        // If all of it can move, it no longer blocks anything; otherwise it does.
        let before = self.state.clone();
        let leaving = (wanted == stack.count).then(|| cell.clone());
        if let (Some(leaving), At::Slot(at, slot)) = (leaving.clone(), to)
            && self.as_if_left(Some(leaving), |model| model.takes_all(stack, cell, at, *slot))
        {
            self.state.lessen(cell, wanted);
            self.state.slots_mut(at)[*slot] = Some(stack.clone());
            return wanted;
        }
        let (mut given, mut laid) = self.as_if_left(leaving, |model| model.lay_up_to(wanted, stack, cell, to));
        if given < wanted {
            self.state = before;
            (given, laid) = self.lay_up_to(wanted, stack, cell, to);
        }
        self.name_parts(stack, laid, &mut (given == stack.count));
        let forgotten = Fault::PickUpLosesTheRest.is_on() && cell.is_on_ground() && given > 0;
        self.state.lessen(cell, if forgotten { stack.count } else { given });
        given
    }

    /// Whether a slot that is empty takes a whole stack that is over its limit.
    pub(super) fn takes_all(&self, stack: &Stack, cell: &Cell, at: &Inside, slot: usize) -> bool {
        let count = i64::from(stack.count);
        let is_over = count > self.slot_limit(stack.kind, at, slot);
        let one = Stack { count: 1, ..stack.clone() };
        is_over
            && !self.only_alike
            && *cell != Cell::Slot(at.clone(), slot)
            && self.state.slots(at)[slot].is_none()
            && self.is_no_further_over(stack, cell, at, slot)
            && self.slot_admits(at, slot, stack)
            && self.slot_lets_in(Some(cell), at, slot)
            && self.no_entry(stack, Some(cell), at).is_none()
            && self.no_nesting(stack, Some(cell), at).is_none()
            && !self.is_blocked(stack, at, slot)
            && self.too_much(&one, Some(cell), at, count).is_none()
    }

    fn lay_up_to(&mut self, wanted: u32, stack: &Stack, cell: &Cell, to: &At) -> (u32, Vec<(Inside, usize)>) {
        let one = Stack { count: 1, ..stack.clone() };
        let mut laid = Vec::new();
        let mut given = 0;
        while given < wanted {
            let Some(place) = self.place_for_one(&one, Some(cell), to) else { break };
            self.lay_one(place, &one, &mut laid);
            given += 1;
        }
        (given, laid)
    }

    /// Places one item; an item in an empty slot has no id yet.
    pub(super) fn lay_one(&mut self, (at, slot): (Inside, usize), one: &Stack, laid: &mut Vec<(Inside, usize)>) {
        match &mut self.state.slots_mut(&at)[slot] {
            Some(there) => there.count += 1,
            empty => {
                *empty = Some(Stack { id: u64::MAX, ..one.clone() });
                laid.push((at, slot));
            }
        }
    }

    /// A stack, or as many of its items as there is room for, goes to a place one by one. Returns how
    /// many are left. A slot is taken as one that is named: a stack that is over its limit goes
    /// there whole.
    pub(super) fn lay_there(
        &mut self,
        stack: &Stack,
        from: &Cell,
        to: &At,
        mut left: u32,
        laid: &mut Vec<(Inside, usize)>,
    ) -> u32 {
        if let At::Slot(at, slot) = to
            && left == stack.count
            && self.takes_all(stack, from, at, *slot)
        {
            self.state.slots_mut(at)[*slot] = Some(Stack { id: u64::MAX, ..stack.clone() });
            laid.push((at.clone(), *slot));
            return 0;
        }
        let one = Stack { count: 1, ..stack.clone() };
        while left > 0 {
            let Some(place) = self.place_for_one(&one, Some(from), to) else { break };
            self.lay_one(place, &one, laid);
            left -= 1;
        }
        left
    }

    /// The first part has the id if nothing stays, the others get new ones.
    pub(super) fn name_parts(&mut self, stack: &Stack, laid: Vec<(Inside, usize)>, id_is_free: &mut bool) {
        for (at, slot) in laid {
            let id = if std::mem::take(id_is_free) { stack.id } else { self.state.new_id() };
            self.state.slots_mut(&at)[slot].as_mut().expect("just laid").id = id;
        }
    }
}
