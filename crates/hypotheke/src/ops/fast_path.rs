//! The fast path: the most frequent operations between simple containers.
//!
//! It creates, consumes, moves and swaps plain stacks without a draft. Everything else, and every
//! operation that would be refused, takes the path of all operations; the result is the same.
//! [`World::plan`] never takes the fast path, so each test that compares a plan with the operation
//! compares the two paths.

use super::limits::Limit;
use super::operation::{Action, Operation};
use super::refusal::{Cause, Refusal};
use crate::id::{ContainerId, KindId, StackId};
use crate::language::Amount;
use crate::language::Position;
use crate::narrow;
use crate::snapshot::Outcome;
use crate::world::{
    Bearer, Cell, ContainerState, Event, GROUND, PackContents, Place, Scratch, Spot, StackClass, StackLocation, World,
};

/// How many a move should carry: as requested, whether no fewer will do, and how many of them fit.
pub(super) struct Wanted {
    pub(super) requested: u32,
    pub(super) exact: bool,
    pub(super) wanted: u32,
}

/// A slot of a simple container, with what was looked up to find it.
#[derive(Clone, Copy)]
pub(super) struct At<'w> {
    pub(super) spot: Spot,
    pub(super) state: &'w ContainerState,
}

impl At<'_> {
    /// The most of a stack that may lie here.
    #[inline(always)]
    fn limit(self, world: &World, stack: Cell) -> u32 {
        self.state.limit(&world.rules, stack.kind, self.spot.slot)
    }

    #[inline(always)]
    fn is_beside(self, other: At<'_>) -> bool {
        self.spot.container == other.spot.container
    }
}

/// A move between two slots: the requested number, if one was named, and the number that would
/// move.
struct Carried {
    requested: Option<u32>,
    given: u32,
}

impl World {
    /// Performs an operation if the fast path supports it and it succeeds, or refuses it if the
    /// source is empty.
    // Each in its own function that ends with a call, so that none keeps the frame of another.
    #[inline(always)]
    pub(super) fn perform_fast(&mut self, operation: &Operation) -> Result<Outcome, Refusal> {
        if operation.actor.is_some_and(|actor| !self.has_holder(actor)) {
            return self.perform_on_draft(operation);
        }
        match &operation.action {
            Action::Move { amount, kind: None, from, to } => self.perform_move(operation, *amount, from, to),
            Action::Swap { one, other } => self.perform_swap(operation, one, other),
            Action::Create { amount, kind, variant, to: Place::Container(to), .. } if variant.is_plain() => {
                self.perform_create(operation, *amount, *kind, to)
            }
            Action::Consume { amount, kind: Some(kind), from: Place::Container(from) } => {
                self.perform_consume(operation, *amount, *kind, from)
            }
            _ => self.perform_on_draft(operation),
        }
    }

    #[inline(never)]
    fn perform_move(
        &mut self,
        operation: &Operation,
        amount: Amount,
        from: &Place,
        to: &Place,
    ) -> Result<Outcome, Refusal> {
        let (Some(here), Some(there)) = (self.simple_slot(operation, from), self.simple_slot(operation, to)) else {
            return self.perform_on_draft(operation);
        };
        // Both are looked up before anything hangs on either, so that the processor waits for them
        // together.
        let (mine, onto) = (self.cell_at(here), self.cell_at(there));
        let (source, target) = (here.spot, there.spot);
        let none = matches!(amount, Amount::Exactly(0) | Amount::UpTo(0));
        if mine.is_empty() && source != target && !none {
            return self.nothing_there(from, None);
        }
        match self.weigh_move(amount, [mine, onto], here, there) {
            Some(carried) => self.move_fast(&carried, (source, mine), (target, onto)),
            None => self.perform_on_draft(operation),
        }
    }

    #[inline(never)]
    fn perform_swap(&mut self, operation: &Operation, one: &Place, other: &Place) -> Result<Outcome, Refusal> {
        let (Some(here), Some(there)) = (self.simple_slot(operation, one), self.simple_slot(operation, other)) else {
            return self.perform_on_draft(operation);
        };
        let (mine, yours) = (self.cell_at(here), self.cell_at(there));
        if mine.is_empty() & yours.is_empty() {
            return self.nothing_there(one, None);
        }
        let (here_spot, there_spot) = (here.spot, there.spot);
        match self.weigh_swap([mine, yours], here, there) {
            Some(gain) => self.swap_fast((here_spot, mine), (there_spot, yours), gain),
            None => self.perform_on_draft(operation),
        }
    }

    /// A slot, if its container is a simple one.
    #[inline(always)]
    fn simple_slot(&self, operation: &Operation, place: &Place) -> Option<At<'_>> {
        let &Place::Slot(id, slot) = place else { return None };
        self.simple(operation, id, slot)
    }

    #[inline(always)]
    pub(super) fn simple(&self, operation: &Operation, id: ContainerId, slot: u32) -> Option<At<'_>> {
        let state = self.plain_state(id)?;
        (self.is_simple(state, slot) && (state.for_anyone || self.is_plainly_open(operation.actor, state)))
            .then_some(At { spot: Spot { container: id.index, slot }, state })
    }

    #[inline(always)]
    pub(super) fn at(&self, spot: Spot) -> At<'_> {
        At { spot, state: self.state(spot.container) }
    }

    #[inline(always)]
    pub(super) fn cell_at(&self, at: At<'_>) -> Cell {
        self.cell_in(at.state, at.spot.slot)
    }

    #[inline(always)]
    pub(super) fn is_simple(&self, state: &ContainerState, slot: u32) -> bool {
        state.is_simple && slot < state.slots && (state.holder == u32::MAX || self.bound() == 0)
    }

    #[inline(always)]
    pub(super) fn weight_of_one(&self, kind: u32) -> i64 {
        self.rules.figures[kind as usize].weight
    }

    /// Whether a container and a slot admit items from a different container, or new items.
    #[inline(always)]
    pub(super) fn admits_there(&self, cell: Cell, from: u32, to: At<'_>) -> bool {
        let admits = |filter: Option<_>| {
            filter.is_none_or(|filter| self.classes.admits(&self.rules, filter, cell.kind, cell.class))
        };
        (from == to.spot.container || admits(to.state.admits))
            && admits(to.state.slot_filter(&self.rules, to.spot.slot))
    }

    /// The holder that would newly carry the contents of a container.
    #[inline(always)]
    fn new_holder(&self, from: u32, to: u32) -> Option<u32> {
        let holder = self.state(to).holder;
        (holder != u32::MAX && (from == GROUND || self.state(from).holder != holder)).then_some(holder)
    }

    /// How much more weight may come into a container from another, or from nowhere.
    #[inline(always)]
    pub(super) fn weight_left(&self, from: u32, to: u32) -> i64 {
        if from == to {
            return i64::MAX;
        }
        let left = Limit::of_weight(self, Bearer::Container(to)).left();
        match self.new_holder(from, to) {
            Some(holder) => left.min(Limit::of_weight(self, Bearer::Holder(holder)).left()),
            None => left,
        }
    }

    /// The amount of a given number.
    #[inline(always)]
    pub(super) fn how_many_fit(&self, requested: u32, cell: Cell, from: u32, to: u32) -> u32 {
        let (left, weight) = (self.weight_left(from, to), self.weight_of_one(cell.kind));
        // A division takes long, and most often all of them fit.
        let by_weight = match weight.checked_mul(i64::from(requested)) {
            Some(whole) if whole <= left => requested,
            _ => narrow::at_most(left / weight).min(requested),
        };
        if self.state(to).has_caps && from != to { by_weight.min(self.left_by_caps(cell, from, to)) } else { by_weight }
    }

    /// How many more the caps by filter of a container and its holder let in from another
    /// container, or from nowhere.
    #[inline(never)]
    fn left_by_caps(&self, cell: Cell, from: u32, to: u32) -> u32 {
        let counts = |limit: &Limit| {
            limit.measure.number().is_some_and(|number| {
                let filter = self.rules.cap_filters[number as usize];
                self.classes.admits(&self.rules, filter, cell.kind, cell.class)
            })
        };
        let bearers = [Some(Bearer::Container(to)), self.new_holder(from, to).map(Bearer::Holder)];
        let limits = bearers.into_iter().flatten().flat_map(|bearer| Limit::of_counts(self, bearer));
        limits.filter(counts).map(|limit| limit.how_many(1)).min().unwrap_or(u32::MAX)
    }

    /// The result of an operation, if the fast path supports it.
    #[inline]
    pub(super) fn weigh_fast(&self, operation: &Operation) -> Option<Outcome> {
        if operation.actor.is_some_and(|actor| !self.has_holder(actor)) {
            return None;
        }
        let (requested, done) = match &operation.action {
            &Action::Move { amount, kind: None, from, to } => {
                let (here, there) = (self.simple_slot(operation, &from)?, self.simple_slot(operation, &to)?);
                let carried = self.weigh_move(amount, [self.cell_at(here), self.cell_at(there)], here, there)?;
                (carried.requested.map(u64::from), u64::from(carried.given))
            }
            &Action::Swap { one, other } => {
                let (one, other) = (self.simple_slot(operation, &one)?, self.simple_slot(operation, &other)?);
                let (mine, yours) = (self.cell_at(one), self.cell_at(other));
                self.weigh_swap([mine, yours], one, other)?;
                (None, u64::from(mine.count) + u64::from(yours.count))
            }
            Action::Create { amount, kind, variant, to: Place::Container(to), .. } if variant.is_plain() => {
                let to = self.simple(operation, *to, 0)?.spot.container;
                let (plain, requested, exact, want) = self.weigh_create(*amount, *kind, to)?;
                let stacks = self.rules.figures[kind.index()].stack_limit > 1;
                let given = self.find_parts(plain, want, stacks, to, |_, _| {});
                if given == 0 || exact && given < requested {
                    return None;
                }
                (Some(u64::from(requested)), u64::from(given))
            }
            &Action::Consume { amount, kind: Some(kind), from: Place::Container(from) } => {
                let from = self.simple(operation, from, 0)?.spot.container;
                let (requested, exact) = self.weigh_consume(amount, kind)?;
                let first = self.next_of_kind(from, kind.0, 0);
                let given = self.find_taken(kind, from, first, requested, |_, _| {});
                if given == 0 || exact && given < requested {
                    return None;
                }
                (Some(u64::from(requested)), u64::from(given))
            }
            _ => return None,
        };
        Some(Outcome { requested, done, changed: true, revision: self.revision + 1, put_mode: None })
    }

    /// Whether so much weight may go from one container to the other; what is less than nothing
    /// goes back.
    #[inline(always)]
    pub(crate) fn can_gain(&self, gain: i64, from: u32, to: u32) -> bool {
        // There is no branch on which of them gains: it is as often the one as the other.
        (gain <= self.weight_left(from, to)) & (from == GROUND || -gain <= self.weight_left(to, from))
    }

    /// How many of a stack should go and fit, as far as it is not a matter of weight.
    #[inline(always)]
    pub(super) fn want_move(&self, amount: Amount, [mine, there]: [Cell; 2], from: u32, to: At<'_>) -> Option<Wanted> {
        if mine.is_empty() || mine.is_pack() || !(there.is_empty() || mine.can_stack_with(there)) {
            return None;
        }
        let (requested, exact) = match amount {
            Amount::All => (mine.count, true),
            Amount::Exactly(count) => (count, true),
            Amount::UpTo(count) => (count, false),
        };
        let limit = to.limit(self, mine);
        if requested == 0 || mine.count > limit || !self.admits_there(mine, from, to) {
            return None;
        }
        Some(Wanted { requested, exact, wanted: requested.min(mine.count).min(limit.saturating_sub(there.count)) })
    }

    #[inline(always)]
    fn weigh_move(&self, amount: Amount, cells: [Cell; 2], from: At<'_>, to: At<'_>) -> Option<Carried> {
        let Wanted { requested, exact, wanted } = self.want_move(amount, cells, from.spot.container, to)?;
        let given = self.how_many_fit(wanted, cells[0], from.spot.container, to.spot.container);
        if given == 0 || exact && given < requested || from.spot == to.spot {
            return None;
        }
        Some(Carried { requested: (amount != Amount::All).then_some(requested), given })
    }

    #[inline(always)]
    fn move_fast(
        &mut self,
        &Carried { requested, given }: &Carried,
        (from, mine): (Spot, Cell),
        (to, there): (Spot, Cell),
    ) -> Result<Outcome, Refusal> {
        let next_stack = self.next_stack;
        let id = if !there.is_empty() {
            there.id
        } else if given == mine.count {
            mine.id
        } else {
            self.next_stack += 1;
            StackId::new(self.number, next_stack).0
        };
        let event = self.transfer(mine, given, end(from, mine.id), end(to, id));
        self.note_fast(event, next_stack);
        let weight = self.weight_of_one(mine.kind) * i64::from(given);
        if there.is_empty() && given == mine.count {
            self.exchange_cells((from, mine), (to, there), weight);
        } else {
            self.put_cell(from, mine, less(mine, given), -weight);
            self.put_cell(to, there, Cell { count: there.count + given, id, ..mine }, weight);
        }
        self.done_fast(requested, u64::from(given))
    }

    /// The gain of the other's container in weight, as far as that is not what matters. What is
    /// empty is light and fits everywhere.
    #[inline(always)]
    pub(super) fn want_swap(&self, [mine, yours]: [Cell; 2], one: At<'_>, other: At<'_>) -> Option<i64> {
        if mine.is_pack() || yours.is_pack() || mine.is_empty() && yours.is_empty() {
            return None;
        }
        let (here, there) = (one.spot.container, other.spot.container);
        let max_there = other.limit(self, mine);
        let max_here = one.limit(self, yours);
        let weight = |cell: Cell| self.weight_of_one(cell.kind) * i64::from(cell.count);
        let gain = weight(mine) - weight(yours);
        let fit = (mine.count <= max_there) & (yours.count <= max_here);
        let fits = fit
            && (mine.is_empty() || self.admits_there(mine, here, other))
            && (yours.is_empty() || self.admits_there(yours, there, one));
        fits.then_some(gain)
    }

    /// The gain of the other's container in weight.
    #[inline(always)]
    fn weigh_swap(&self, cells: [Cell; 2], one: At<'_>, other: At<'_>) -> Option<i64> {
        let gain = self.want_swap(cells, one, other)?;
        let (here, there) = (one.spot.container, other.spot.container);
        if one.is_beside(other) {
            return (one.spot.slot != other.spot.slot).then_some(gain);
        }
        // What caps count is both lost and gained.
        let may = !one.state.has_caps & !other.state.has_caps && self.can_gain(gain, here, there);
        may.then_some(gain)
    }

    #[inline(always)]
    fn swap_fast(
        &mut self,
        (one, mine): (Spot, Cell),
        (other, yours): (Spot, Cell),
        gain: i64,
    ) -> Result<Outcome, Refusal> {
        self.note_fast(Event::Swapped { one: end(one, mine.id), other: end(other, yours.id) }, self.next_stack);
        self.exchange_cells((one, mine), (other, yours), gain);
        self.done_fast(None, u64::from(mine.count) + u64::from(yours.count))
    }

    #[inline(always)]
    pub(super) fn transfer(&self, cell: Cell, count: u32, from: StackLocation, to: StackLocation) -> Event {
        let (kind, class) = (self.rules.kind_id(cell.kind), StackClass(cell.class));
        Event::Moved { kind, count, from, to, class, inner: PackContents(GROUND) }
    }

    // Beginning and end.

    /// A refusal, after which there are no events.
    #[inline(always)]
    pub(super) fn nothing_there(&mut self, place: &Place, kind: Option<KindId>) -> Result<Outcome, Refusal> {
        self.cleared_scratch();
        Err(Refusal::new(Cause::EmptySource { at: *place, kind }))
    }

    #[inline(always)]
    pub(super) fn kept_scratch(&mut self) -> &mut Scratch {
        self.scratch.get_or_insert_with(new_scratch)
    }

    #[inline(always)]
    pub(super) fn cleared_scratch(&mut self) -> &mut Scratch {
        let scratch = self.kept_scratch();
        scratch.clear();
        scratch
    }

    /// The only change, which is about to be made, with the counter as it was before.
    #[inline(always)]
    pub(super) fn note_fast(&mut self, event: Event, next_stack: u64) {
        let scratch = self.cleared_scratch();
        scratch.events.push(event);
        scratch.applied = true;
        self.remember_fast(next_stack);
    }

    /// Takes note of what is about to be done, with the counter as it was before.
    #[inline(always)]
    pub(super) fn remember_fast(&mut self, next_stack: u64) {
        if self.keeps_history() {
            self.remember_events(next_stack);
        }
    }

    #[inline(never)]
    fn remember_events(&mut self, next_stack: u64) {
        let after = std::mem::replace(&mut self.next_stack, next_stack);
        let scratch = self.scratch.take().unwrap_or_default();
        self.remember(&scratch.events);
        self.scratch = Some(scratch);
        self.next_stack = after;
    }

    #[inline(always)]
    pub(super) fn done_fast(&mut self, requested: Option<u32>, done: u64) -> Result<Outcome, Refusal> {
        self.revision += 1;
        self.now.pass();
        self.follow_ids();
        Ok(Outcome {
            requested: requested.map(u64::from),
            done,
            changed: true,
            revision: self.revision,
            put_mode: None,
        })
    }
}

// A world makes it once.
#[inline(never)]
fn new_scratch() -> Box<Scratch> {
    Box::default()
}

/// The rest of a stack.
#[inline(always)]
pub(super) fn less(cell: Cell, count: u32) -> Cell {
    if cell.count == count { Cell::default() } else { Cell { count: cell.count - count, ..cell } }
}

#[inline(always)]
pub(super) fn end(spot: Spot, id: u64) -> StackLocation {
    StackLocation { spot, stack: StackId(id), position: Position::default() }
}
