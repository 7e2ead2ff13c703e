//! The short way: the most frequent operations between containers in which little can go wrong.
//!
//! Creating, consuming, moving and swapping plain stacks in containers without caps by filter, doors and borders is done
//! here without a draft. Whatever is not as simple, and whatever would be refused, is left to the way that all operations
//! go; what is done here comes to exactly what it would come to there. [`World::judge`] never goes the short way, so each
//! comparison of a plan with the operation compares the two.

use std::cmp::Ordering;

use super::draft::MOST_ON_GROUND;
use super::operation::{Action, Operation};
use super::outcome::Outcome;
use super::refusal::{Cause, Refusal};
use crate::id::{ContainerId, KindId, StackId};
use crate::language::Amount;
use crate::language::Position;
use crate::ruleset::NO_PACK;
use crate::world::{Cell, Class, ContainerState, End, Event, GROUND, Inner, Place, Scratch, Spot, World};

/// What a step would come to, and how much more the container to which something goes would weigh.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Foreseen {
    /// What would lie in both places.
    pub(crate) cells: (Cell, Cell),
    pub(crate) gain: i64,
}

/// What was done the short way: no more than what an outcome has to be made of, so that it comes back in registers.
#[derive(Clone, Copy, Debug)]
pub(super) struct DoneShortly {
    pub(super) asked: Option<u32>,
    pub(super) done: u64,
}

/// How many a move should carry: as asked, whether no fewer will do, and how many of them fit.
struct Wanted {
    asked: u32,
    exact: bool,
    wanted: u32,
}

/// What a move between two slots would carry.
struct Carried {
    mine: Cell,
    there: Cell,
    asked: Option<u32>,
    given: u32,
}

impl World {
    /// Performs an operation if it can be done here and would be applied, or is refused because nothing is there: then it is told where.
    #[inline(always)]
    pub(super) fn perform_shortly(&mut self, operation: &Operation) -> Option<Result<DoneShortly, Place>> {
        if operation.actor.is_some_and(|actor| !self.has_holder(actor)) {
            return None;
        }
        match &operation.action {
            &Action::Move { amount, kind: None, from, to } => {
                let (source, to) = (self.simple_slot(from)?, self.simple_slot(to)?);
                if self.cell(source).is_empty()
                    && source != to
                    && !matches!(amount, Amount::Exactly(0) | Amount::UpTo(0))
                {
                    return Some(Err(from));
                }
                self.move_shortly(amount, source, to).map(Ok)
            }
            &Action::Swap { one, other } => {
                let (here, there) = (self.simple_slot(one)?, self.simple_slot(other)?);
                // Both are looked up before anything hangs on either, so that the processor waits for them together.
                let (mine, yours) = (self.cell(here), self.cell(there));
                if mine.is_empty() & yours.is_empty() {
                    return Some(Err(one));
                }
                self.swap_shortly(here, there).map(Ok)
            }
            Action::Create { amount, kind, variant, to: Place::Container(to), .. } if variant.is_plain() => {
                let to = self.simple(*to, 0)?;
                self.create_shortly(*amount, *kind, to.container).map(Ok)
            }
            &Action::Consume { amount, kind: Some(kind), from: Place::Container(from) } => {
                let spot = self.simple(from, 0)?;
                let found = self.next_of_kind(spot.container, kind.0, 0);
                if found.is_none() && self.weigh_consume(amount, kind).is_some() {
                    return Some(Err(Place::Container(from)));
                }
                self.consume_shortly(amount, kind, spot.container, found).map(Ok)
            }
            _ => None,
        }
    }

    /// A slot, if its container is a simple one.
    #[inline(always)]
    fn simple_slot(&self, place: Place) -> Option<Spot> {
        let Place::Slot(id, slot) = place else { return None };
        self.simple(id, slot)
    }

    #[inline(always)]
    fn simple(&self, id: ContainerId, slot: u32) -> Option<Spot> {
        let spot = Spot { container: id.index, slot };
        let state = self.plain_state(id)?;
        self.is_simple(state, slot).then_some(spot)
    }

    #[inline(always)]
    fn is_simple(&self, state: &ContainerState, slot: u32) -> bool {
        state.is_simple && slot < state.slots && (state.holder == u32::MAX || self.bound() == 0)
    }

    fn weight_of_one(&self, kind: u32) -> i64 {
        self.rules.figures[kind as usize].weight
    }

    /// Whether a container and a slot admit what comes from another container, or from nowhere.
    #[inline(always)]
    fn admits_there(&self, cell: Cell, from: u32, to: Spot) -> bool {
        let state = self.state(to.container);
        let admits = |filter: Option<_>| {
            filter.is_none_or(|filter| self.classes.admits(&self.rules, filter, cell.kind, cell.class))
        };
        (from == to.container || admits(state.admits)) && admits(state.slot_filter(&self.rules, to.slot))
    }

    /// How much more weight may come into a container from another, or from nowhere.
    #[inline]
    fn weight_left(&self, from: u32, to: u32) -> i64 {
        if from == to {
            return i64::MAX;
        }
        let state = self.state(to);
        let left = if state.weight_cap == i64::MAX { i64::MAX } else { state.weight_cap - state.weight };
        if state.holder == u32::MAX || from != GROUND && self.state(from).holder == state.holder {
            return left;
        }
        let (weight, cap) = self.holder_weight_and_cap(state.holder);
        left.min(if cap == i64::MAX { i64::MAX } else { cap - weight })
    }

    /// How many of so many.
    #[inline(always)]
    fn how_many_fit(&self, asked: u32, kind: u32, from: u32, to: u32) -> u32 {
        let (left, weight) = (self.weight_left(from, to), self.weight_of_one(kind));
        // A division takes long, and most often all of them fit.
        match weight.checked_mul(i64::from(asked)) {
            Some(whole) if whole <= left || whole == 0 => asked,
            _ => u32::try_from(left.max(0) / weight).unwrap_or(u32::MAX).min(asked),
        }
    }

    /// What an operation would come to, if it can be told here.
    #[inline]
    pub(super) fn weigh_shortly(&self, operation: &Operation) -> Option<Outcome> {
        if operation.actor.is_some_and(|actor| !self.has_holder(actor)) {
            return None;
        }
        let (asked, done) = match &operation.action {
            &Action::Move { amount, kind: None, from, to } => {
                let carried = self.weigh_move(amount, self.simple_slot(from)?, self.simple_slot(to)?)?;
                (carried.asked.map(u64::from), u64::from(carried.given))
            }
            &Action::Swap { one, other } => {
                let (one, other) = (self.simple_slot(one)?, self.simple_slot(other)?);
                self.weigh_swap(one, other)?;
                (None, u64::from(self.cell(one).count) + u64::from(self.cell(other).count))
            }
            Action::Create { amount, kind, variant, to: Place::Container(to), .. } if variant.is_plain() => {
                let to = self.simple(*to, 0)?.container;
                let (plain, asked, exact, want) = self.weigh_create(*amount, *kind, to)?;
                let stacks = self.rules.figures[kind.index()].stack_limit > 1;
                let given = self.find_parts(plain, want, stacks, to, |_, _| {});
                if given == 0 || exact && given < asked {
                    return None;
                }
                (Some(u64::from(asked)), u64::from(given))
            }
            &Action::Consume { amount, kind: Some(kind), from: Place::Container(from) } => {
                let from = self.simple(from, 0)?.container;
                let (asked, exact) = self.weigh_consume(amount, kind)?;
                let first = self.next_of_kind(from, kind.0, 0);
                let given = self.find_taken(kind, from, first, asked, |_, _| {});
                if given == 0 || exact && given < asked {
                    return None;
                }
                (Some(u64::from(asked)), u64::from(given))
            }
            _ => return None,
        };
        Some(Outcome { asked, done, changed: true, revision: self.revision + 1, way: None })
    }

    // Foreseeing: what would lie where, for whoever looks at many operations of which few are played. Where it can't be told here, or
    // the operation would be refused, there is nothing to tell.

    #[inline(always)]
    pub(crate) fn is_simple_spot(&self, spot: Spot) -> bool {
        !spot.is_ground() && self.is_lasting(spot.container) && self.is_simple(self.state(spot.container), spot.slot)
    }

    /// What would lie in two slots after exactly so many items went from the one to the other.
    pub(crate) fn foresee_move(&self, count: u32, from: Spot, to: Spot) -> Option<(Cell, Cell)> {
        let cells = [self.cell(from), self.cell(to)];
        let foreseen = self.foresee_move_of(count, cells, from, to)?;
        (from != to && self.can_gain(foreseen.gain, from.container, to.container)).then_some(foreseen.cells)
    }

    /// The same for what may lie in two slots that are ruled so, in another world, as far as it is not a matter of weight.
    pub(crate) fn foresee_move_of(&self, count: u32, cells: [Cell; 2], from: Spot, to: Spot) -> Option<Foreseen> {
        if !self.is_simple_spot(from) || !self.is_simple_spot(to) {
            return None;
        }
        let (Wanted { wanted, .. }, [mine, there]) = (self.want_move(Amount::Exactly(count), cells, from, to)?, cells);
        let gain = self.weight_of_one(mine.kind).checked_mul(i64::from(count))?;
        let after = (less(mine, count), Cell { count: there.count + count, ..mine });
        (wanted == count).then_some(Foreseen { cells: after, gain })
    }

    /// What would lie in two slots after an exchange.
    pub(crate) fn foresee_swap(&self, one: Spot, other: Spot) -> Option<(Cell, Cell)> {
        let foreseen = self.foresee_swap_of([self.cell(one), self.cell(other)], one, other)?;
        (one != other && self.can_gain(foreseen.gain, one.container, other.container)).then_some(foreseen.cells)
    }

    /// The same for what may lie in two slots that are ruled so, in another world, as far as it is not a matter of weight.
    pub(crate) fn foresee_swap_of(&self, cells: [Cell; 2], one: Spot, other: Spot) -> Option<Foreseen> {
        if !self.is_simple_spot(one) || !self.is_simple_spot(other) {
            return None;
        }
        let gain = self.want_swap(cells, one, other)?;
        Some(Foreseen { cells: (cells[1], cells[0]), gain })
    }

    /// What would stay in a slot after exactly so many items of it were dropped, and what would land where so many stacks lie.
    pub(crate) fn foresee_drop(&self, count: u32, from: Spot, landed: usize) -> Option<(Cell, Cell)> {
        self.foresee_drop_of(count, self.cell(from), from, landed)
    }

    /// The same for what may lie there in another world.
    pub(crate) fn foresee_drop_of(&self, count: u32, mine: Cell, from: Spot, landed: usize) -> Option<(Cell, Cell)> {
        if mine.is_empty() || mine.is_pack() || !self.is_simple_spot(from) {
            return None;
        }
        let kept = self.rules.figures[mine.kind as usize].keep;
        let goes = !kept && (1..=mine.count).contains(&count) && landed < self.most_landed();
        goes.then(|| (less(mine, count), Cell { count, ..mine }))
    }

    /// So many stacks may lie on the ground.
    pub(crate) fn most_landed(&self) -> usize {
        MOST_ON_GROUND.min(self.rules.ground_limit as usize)
    }

    /// What would stay on the ground after exactly so many items were picked up there, and what would lie in the slot.
    pub(crate) fn foresee_pick_up(&self, count: u32, landing: u32, to: Spot) -> Option<(Cell, Cell)> {
        let cells = [self.cell(Spot { container: GROUND, slot: landing }), self.cell(to)];
        let foreseen = self.foresee_pick_up_of(count, cells, to)?;
        self.can_gain(foreseen.gain, GROUND, to.container).then_some(foreseen.cells)
    }

    /// The same for what may lie there in another world, as far as it is not a matter of weight.
    pub(crate) fn foresee_pick_up_of(&self, count: u32, [mine, there]: [Cell; 2], to: Spot) -> Option<Foreseen> {
        if mine.is_empty() || mine.is_pack() || !self.is_simple_spot(to) {
            return None;
        }
        let limit = self.limit(to, mine.kind);
        if !there.is_empty() && !mine.is_alike(there) || mine.count > limit || !self.admits_there(mine, GROUND, to) {
            return None;
        }
        let room = mine.count.min(limit.saturating_sub(there.count));
        let gain = self.weight_of_one(mine.kind).checked_mul(i64::from(count))?;
        let after = (less(mine, count), Cell { count: there.count + count, ..mine });
        (count > 0 && count <= room).then_some(Foreseen { cells: after, gain })
    }

    /// Whether so much weight may go from one container to the other; what is less than nothing goes back.
    #[inline]
    pub(crate) fn can_gain(&self, gain: i64, from: u32, to: u32) -> bool {
        match gain.cmp(&0) {
            Ordering::Equal => true,
            Ordering::Greater => gain <= self.weight_left(from, to),
            Ordering::Less => -gain <= self.weight_left(to, from),
        }
    }

    /// Whether no weight is too much to go from one container to the other and back, whatever lies there.
    pub(crate) fn bears_anything(&self, from: u32, to: u32) -> bool {
        self.weight_left(from, to) == i64::MAX && (from == GROUND || self.weight_left(to, from) == i64::MAX)
    }

    /// How many of a stack should go and fit, as far as it is not a matter of weight.
    #[inline(always)]
    fn want_move(&self, amount: Amount, [mine, there]: [Cell; 2], from: Spot, to: Spot) -> Option<Wanted> {
        if mine.is_empty() || mine.is_pack() || !(there.is_empty() || mine.is_alike(there)) {
            return None;
        }
        let (asked, exact) = match amount {
            Amount::All => (mine.count, true),
            Amount::Exactly(count) => (count, true),
            Amount::UpTo(count) => (count, false),
        };
        let limit = self.limit(to, mine.kind);
        if asked == 0 || mine.count > limit || !self.admits_there(mine, from.container, to) {
            return None;
        }
        Some(Wanted { asked, exact, wanted: asked.min(mine.count).min(limit.saturating_sub(there.count)) })
    }

    #[inline(always)]
    fn weigh_move(&self, amount: Amount, from: Spot, to: Spot) -> Option<Carried> {
        let (mine, there) = (self.cell(from), self.cell(to));
        let Wanted { asked, exact, wanted } = self.want_move(amount, [mine, there], from, to)?;
        let given = self.how_many_fit(wanted, mine.kind, from.container, to.container);
        if given == 0 || exact && given < asked || from == to {
            return None;
        }
        let asked = (amount != Amount::All).then_some(asked);
        Some(Carried { mine, there, asked, given })
    }

    #[inline]
    fn move_shortly(&mut self, amount: Amount, from: Spot, to: Spot) -> Option<DoneShortly> {
        let Carried { mine, there, asked, given } = self.weigh_move(amount, from, to)?;
        let mut scratch = self.begin_shortly();
        let next_stack = self.next_stack;
        let id = if !there.is_empty() {
            there.id
        } else if given == mine.count {
            mine.id
        } else {
            self.next_stack += 1;
            StackId::new(self.number, next_stack).0
        };
        scratch.events.push(transfer(mine, given, end(from, mine.id), end(to, id)));
        self.remember_shortly(&scratch, next_stack);
        let weight = self.weight_of_one(mine.kind) * i64::from(given);
        let left = Cell { count: mine.count - given, ..mine };
        self.put_cell(from, mine, if left.count == 0 { Cell::default() } else { left }, -weight);
        self.put_cell(to, there, Cell { count: there.count + given, id, ..mine }, weight);
        Some(self.end_shortly(scratch, asked, u64::from(given)))
    }

    /// The gain of the other's container in weight, as far as that is not what matters.
    #[inline(always)]
    fn want_swap(&self, [mine, yours]: [Cell; 2], one: Spot, other: Spot) -> Option<i64> {
        if mine.is_pack() || yours.is_pack() || mine.is_empty() && yours.is_empty() {
            return None;
        }
        let fits = |cell: Cell, from: Spot, to: Spot| {
            cell.is_empty() || cell.count <= self.limit(to, cell.kind) && self.admits_there(cell, from.container, to)
        };
        let both = fits(mine, one, other) && fits(yours, other, one);
        both.then(|| self.cell_weight(mine) - self.cell_weight(yours))
    }

    /// What would be exchanged, and the gain of the other's container in weight.
    #[inline(always)]
    fn weigh_swap(&self, one: Spot, other: Spot) -> Option<(Cell, Cell, i64)> {
        let (mine, yours) = (self.cell(one), self.cell(other));
        let gain = self.want_swap([mine, yours], one, other)?;
        (one != other && self.can_gain(gain, one.container, other.container)).then_some((mine, yours, gain))
    }

    #[inline]
    fn swap_shortly(&mut self, one: Spot, other: Spot) -> Option<DoneShortly> {
        let (mine, yours, gain) = self.weigh_swap(one, other)?;
        let mut scratch = self.begin_shortly();
        scratch.events.push(Event::Swapped { one: end(one, mine.id), other: end(other, yours.id) });
        self.remember_shortly(&scratch, self.next_stack);
        self.exchange_cells((one, mine), (other, yours), gain);
        Some(self.end_shortly(scratch, None, u64::from(mine.count) + u64::from(yours.count)))
    }

    /// What would be created: a stack of it with no items, how many were asked for, whether no fewer will do, and how many
    /// would fit as far as weight goes.
    #[inline(always)]
    fn weigh_create(&self, amount: Amount, kind: KindId, to: u32) -> Option<(Cell, u32, bool, u32)> {
        let figures = *self.rules.figures.get(kind.index())?;
        let (asked, exact) = match amount {
            Amount::Exactly(count) => (count, true),
            Amount::UpTo(count) => (count, false),
            Amount::All => return None,
        };
        let countable = figures.weight.checked_mul(i64::from(asked))?.checked_add(self.whole_weight()).is_some();
        let plain = Cell { class: kind.0, kind: kind.0, count: 0, inner: GROUND, id: 0 };
        let admitted = self.state(to).admits.is_none_or(|filter| self.rules.admits_plain(filter, kind.0));
        if asked == 0 || figures.pack != NO_PACK || !countable || !admitted {
            return None;
        }
        Some((plain, asked, exact, self.how_many_fit(asked, kind.0, GROUND, to)))
    }

    #[inline]
    fn create_shortly(&mut self, amount: Amount, kind: KindId, to: u32) -> Option<DoneShortly> {
        let made = self.made(kind)?;
        let (plain, asked, exact, want) = self.weigh_create(amount, kind, to)?;
        let figures = self.rules.figures[kind.index()];
        let mut scratch = self.begin_shortly();
        let parts = &mut scratch.parts;
        let given = self.find_parts(plain, want, figures.stack_limit > 1, to, |spot, count| parts.push((spot, count)));
        if given == 0 || exact && given < asked {
            self.scratch = Some(scratch);
            return None;
        }
        let (parts, next_stack) = (std::mem::take(&mut scratch.parts), self.next_stack);
        for &(spot, count) in &parts {
            let before = self.cell(spot);
            let id = if before.is_empty() { self.new_id_shortly() } else { before.id };
            scratch.events.push(transfer(plain, count, End::NOWHERE, end(spot, id)));
            let after = Cell { count: before.count + count, id, ..plain };
            self.put_cell(spot, before, after, figures.weight * i64::from(count));
        }
        scratch.parts = parts;
        // What is plain has no class that could be given to others meanwhile, so this may come after it.
        self.remember_shortly(&scratch, next_stack);
        self.add_to_tally(kind, made, i64::from(given));
        scratch.parts.clear();
        Some(self.end_shortly(scratch, Some(asked), u64::from(given)))
    }

    fn new_id_shortly(&mut self) -> u64 {
        self.next_stack += 1;
        StackId::new(self.number, self.next_stack - 1).0
    }

    /// Works out which slots of a container take how many: alike stacks first, then empty slots.
    #[inline(always)]
    fn find_parts(&self, cell: Cell, want: u32, stacks: bool, container: u32, mut part: impl FnMut(Spot, u32)) -> u32 {
        let state = self.state(container);
        let mut left = want;
        for growing in [true, false] {
            let mut from = 0;
            while left > 0 && (stacks || !growing) {
                let found = match growing {
                    true => self.next_with_room(container, cell.kind, cell.class, from),
                    false => self.next_empty(container, from),
                };
                let Some(slot) = found else { break };
                from = slot + 1;
                let spot = Spot { container, slot };
                let filter = state.slot_filter(&self.rules, slot);
                if filter.is_some_and(|filter| !self.rules.admits_plain(filter, cell.kind)) {
                    continue;
                }
                let room = self.limit(spot, cell.kind) - if growing { self.cell(spot).count } else { 0 };
                part(spot, left.min(room));
                left -= left.min(room);
            }
        }
        want - left
    }

    /// How many were asked for, and whether no fewer will do.
    #[inline(always)]
    fn weigh_consume(&self, amount: Amount, kind: KindId) -> Option<(u32, bool)> {
        let figures = self.rules.figures.get(kind.index())?;
        let (asked, exact) = match amount {
            Amount::Exactly(count) => (count, true),
            Amount::UpTo(count) => (count, false),
            Amount::All => return None,
        };
        (asked > 0 && figures.pack == NO_PACK && !figures.keep).then_some((asked, exact))
    }

    /// Works out from which slots of a container how many are taken, from the first slot with a stack of the kind on.
    #[inline(always)]
    fn find_taken(
        &self,
        kind: KindId,
        container: u32,
        first: Option<u32>,
        want: u32,
        mut part: impl FnMut(Spot, u32),
    ) -> u32 {
        let (mut left, mut found) = (want, first);
        while let Some(slot) = found.filter(|_| left > 0) {
            let spot = Spot { container, slot };
            let given = left.min(self.cell(spot).count);
            part(spot, given);
            left -= given;
            found = if left > 0 { self.next_of_kind(container, kind.0, slot + 1) } else { None };
        }
        want - left
    }

    /// Of which `first` is the first slot with a stack of the kind.
    fn consume_shortly(&mut self, amount: Amount, kind: KindId, from: u32, first: Option<u32>) -> Option<DoneShortly> {
        let made = self.made(kind)?;
        let (asked, exact) = self.weigh_consume(amount, kind)?;
        let figures = self.rules.figures[kind.index()];
        let mut scratch = self.begin_shortly();
        let events = &mut scratch.events;
        let done = self.find_taken(kind, from, first, asked, |spot, given| {
            let cell = self.cell(spot);
            events.push(transfer(cell, given, end(spot, cell.id), End::NOWHERE));
        });
        if done == 0 || exact && done < asked {
            scratch.events.clear();
            self.scratch = Some(scratch);
            return None;
        }
        self.remember_shortly(&scratch, self.next_stack);
        for event in &scratch.events {
            let Event::Transferred { count, from, .. } = *event else { continue };
            let cell = self.cell(from.spot);
            let after = Cell { count: cell.count - count, ..cell };
            let weight = -figures.weight * i64::from(count);
            self.put_cell(from.spot, cell, if after.count == 0 { Cell::default() } else { after }, weight);
        }
        self.add_to_tally(kind, made, -i64::from(done));
        Some(self.end_shortly(scratch, Some(asked), u64::from(done)))
    }

    // Beginning and end.

    /// A refusal, after which there are no events.
    #[inline(never)]
    pub(super) fn nothing_there(&mut self, place: Place) -> Refusal {
        let scratch = self.begin_shortly();
        self.scratch = Some(scratch);
        Refusal::new(Cause::EmptySource(place))
    }

    #[inline(always)]
    fn begin_shortly(&mut self) -> Box<Scratch> {
        let mut scratch = self.scratch.take().unwrap_or_default();
        scratch.clear();
        scratch
    }

    /// Takes note of what is about to be done, with the counter as it was before.
    #[inline(always)]
    fn remember_shortly(&mut self, scratch: &Scratch, next_stack: u64) {
        if self.keeps_history() {
            let after = std::mem::replace(&mut self.next_stack, next_stack);
            self.remember(&scratch.events);
            self.next_stack = after;
        }
    }

    #[inline(always)]
    fn end_shortly(&mut self, mut scratch: Box<Scratch>, asked: Option<u32>, done: u64) -> DoneShortly {
        scratch.applied = true;
        self.scratch = Some(scratch);
        self.revision += 1;
        DoneShortly { asked, done }
    }
}

/// What is left of a stack.
#[inline]
fn less(cell: Cell, count: u32) -> Cell {
    if cell.count == count { Cell::default() } else { Cell { count: cell.count - count, ..cell } }
}

#[inline]
fn end(spot: Spot, id: u64) -> End {
    End { spot, stack: StackId(id), position: Position::default() }
}

#[inline]
fn transfer(cell: Cell, count: u32, from: End, to: End) -> Event {
    let (kind, class) = (KindId(cell.kind), Class(cell.class));
    Event::Transferred { kind, count, from, to, class, inner: Inner(GROUND) }
}
