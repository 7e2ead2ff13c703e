//! The fast path for creating and consuming plain items in simple containers.

use super::fast_path::{At, end, less};
use super::operation::Operation;
use super::refusal::Refusal;
use crate::id::{ContainerId, KindId, StackId};
use crate::language::Amount;
use crate::ruleset::NO_PACK;
use crate::snapshot::Outcome;
use crate::world::{Cell, GROUND, Place, Spot, StackLocation, World};

impl World {
    #[inline(never)]
    pub(super) fn perform_create(
        &mut self,
        operation: &Operation,
        amount: Amount,
        kind: KindId,
        to: &ContainerId,
    ) -> Result<Outcome, Refusal> {
        let to = self.simple(operation, *to, 0).map(|at| at.spot.container);
        match to.and_then(|to| self.create_fast(amount, kind, to)) {
            Some((requested, given)) => self.done_fast(Some(requested), u64::from(given)),
            None => self.perform_on_draft(operation),
        }
    }

    #[inline(never)]
    pub(super) fn perform_consume(
        &mut self,
        operation: &Operation,
        amount: Amount,
        kind: KindId,
        from: &ContainerId,
    ) -> Result<Outcome, Refusal> {
        let Some(At { spot: Spot { container, .. }, .. }) = self.simple(operation, *from, 0) else {
            return self.perform_on_draft(operation);
        };
        let Some(wanted) = self.weigh_consume(amount, kind) else { return self.perform_on_draft(operation) };
        let Some(first) = self.next_of_kind(container, kind.0, 0) else {
            return self.nothing_there(&Place::Container(*from), Some(kind));
        };
        match self.consume_fast(wanted, kind, Spot { container, slot: first }) {
            Some(given) => self.done_fast(Some(wanted.0), u64::from(given)),
            None => self.perform_on_draft(operation),
        }
    }

    /// The items to create: their stack with a count of 0, the requested number, whether it is
    /// exact, and the number that weight allows.
    #[inline(always)]
    pub(super) fn weigh_create(&self, amount: Amount, kind: KindId, to: u32) -> Option<(Cell, u32, bool, u32)> {
        let figures = *self.rules.figures.get(kind.index()).filter(|_| self.rules.has_kind(kind))?;
        let (requested, exact) = match amount {
            Amount::Exactly(count) => (count, true),
            Amount::UpTo(count) => (count, false),
            Amount::All => return None,
        };
        let countable = figures.weight.checked_mul(i64::from(requested))?.checked_add(self.whole_weight()).is_some();
        let plain = Cell { class: kind.0, kind: kind.0, count: 0, inner: GROUND, id: 0 };
        let admitted = self.state(to).admits.is_none_or(|filter| self.rules.admits_plain(filter, kind.0));
        if requested == 0 || figures.pack != NO_PACK || figures.is_limited || !countable || !admitted {
            return None;
        }
        Some((plain, requested, exact, self.how_many_fit(requested, plain, GROUND, to)))
    }

    /// The requested number and the created number.
    #[inline(always)]
    fn create_fast(&mut self, amount: Amount, kind: KindId, to: u32) -> Option<(u32, u32)> {
        let made = self.made(kind)?;
        let (plain, requested, exact, want) = self.weigh_create(amount, kind, to)?;
        let figures = self.rules.figures[kind.index()];
        let grown = if figures.stack_limit > 1 { self.next_part(plain, want, true, to, 0) } else { None };
        let first = grown.or_else(|| self.next_part(plain, want, false, to, 0))?;
        let given = match first.1 == requested {
            true => {
                let next_stack = self.next_stack;
                self.cleared_scratch().applied = true;
                self.create_part(plain, first, figures.weight);
                self.remember_fast(next_stack);
                requested
            }
            false => self.create_parts(plain, (requested, exact, want), to)?,
        };
        self.add_to_tally(kind, made, i64::from(given));
        Some((requested, given))
    }

    /// Items for several slots, or only a part of them.
    #[inline(never)]
    fn create_parts(&mut self, plain: Cell, (requested, exact, want): (u32, bool, u32), to: u32) -> Option<u32> {
        let figures = self.rules.figures[plain.kind as usize];
        let mut parts = std::mem::take(&mut self.cleared_scratch().parts);
        let given = self.find_parts(plain, want, figures.stack_limit > 1, to, |spot, count| parts.push((spot, count)));
        let enough = given > 0 && !(exact && given < requested);
        if enough {
            let next_stack = self.next_stack;
            parts.iter().for_each(|&part| self.create_part(plain, part, figures.weight));
            // What is plain has no class that could be given to others meanwhile, so this may come
            // after it.
            self.remember_fast(next_stack);
        }
        parts.clear();
        let scratch = self.kept_scratch();
        (scratch.parts, scratch.applied) = (parts, enough);
        enough.then_some(given)
    }

    #[inline(always)]
    fn create_part(&mut self, plain: Cell, (spot, count): (Spot, u32), weight: i64) {
        let before = self.cell(spot);
        let id = if before.is_empty() { self.new_id_fast() } else { before.id };
        let event = self.transfer(plain, count, StackLocation::NOWHERE, end(spot, id));
        self.kept_scratch().events.push(event);
        let after = Cell { count: before.count + count, id, ..plain };
        self.put_cell(spot, before, after, weight * i64::from(count));
    }

    fn new_id_fast(&mut self) -> u64 {
        self.next_stack += 1;
        StackId::new(self.number, self.next_stack - 1).0
    }

    /// Works out which slots of a container take how many: alike stacks first, then empty slots.
    #[inline(always)]
    pub(super) fn find_parts(
        &self,
        cell: Cell,
        want: u32,
        stacks: bool,
        container: u32,
        mut part: impl FnMut(Spot, u32),
    ) -> u32 {
        let mut left = want;
        for growing in [true, false] {
            let mut from = 0;
            while left > 0 && (stacks || !growing) {
                let Some((spot, count)) = self.next_part(cell, left, growing, container, from) else { break };
                part(spot, count);
                left -= count;
                from = spot.slot + 1;
            }
        }
        want - left
    }

    /// The next slot with a stack of the same item and room, or the next empty one, and the number
    /// it takes.
    #[inline(always)]
    fn next_part(&self, cell: Cell, want: u32, growing: bool, container: u32, from: u32) -> Option<(Spot, u32)> {
        let state = self.state(container);
        let mut from = from;
        loop {
            let slot = match growing {
                true => self.next_with_room(container, cell.kind, cell.class, from),
                false => self.next_empty(container, from),
            }?;
            let spot = Spot { container, slot };
            let filter = state.slot_filter(&self.rules, slot);
            if filter.is_none_or(|filter| self.rules.admits_plain(filter, cell.kind)) {
                let room = self.limit(spot, cell.kind) - if growing { self.cell(spot).count } else { 0 };
                return Some((spot, want.min(room)));
            }
            from = slot + 1;
        }
    }

    /// The requested number, and whether it is exact.
    #[inline(always)]
    pub(super) fn weigh_consume(&self, amount: Amount, kind: KindId) -> Option<(u32, bool)> {
        let figures = self.rules.figures.get(kind.index()).filter(|_| self.rules.has_kind(kind))?;
        let (requested, exact) = match amount {
            Amount::Exactly(count) => (count, true),
            Amount::UpTo(count) => (count, false),
            Amount::All => return None,
        };
        (requested > 0 && figures.pack == NO_PACK && !figures.is_protected).then_some((requested, exact))
    }

    /// Works out from which slots of a container how many are taken, from the first slot with a
    /// stack of the kind on.
    #[inline(always)]
    pub(super) fn find_taken(
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

    /// The number of consumed items, the first of which are in a slot.
    #[inline(always)]
    fn consume_fast(&mut self, (requested, exact): (u32, bool), kind: KindId, first: Spot) -> Option<u32> {
        let made = self.made(kind)?;
        let weight = self.weight_of_one(kind.0);
        let cell = self.cell_at(self.at(first));
        let is_last = || self.next_of_kind(first.container, kind.0, first.slot + 1).is_none();
        let given = match requested <= cell.count || !exact && is_last() {
            true => {
                let given = requested.min(cell.count);
                let event = self.transfer(cell, given, end(first, cell.id), StackLocation::NOWHERE);
                self.note_fast(event, self.next_stack);
                self.put_cell(first, cell, less(cell, given), -weight * i64::from(given));
                given
            }
            false => self.consume_parts(kind, (requested, exact), first.container, Some(first.slot))?,
        };
        self.add_to_tally(kind, made, -i64::from(given));
        Some(given)
    }

    /// Items in several slots, or possibly fewer than requested.
    #[inline(never)]
    fn consume_parts(
        &mut self,
        kind: KindId,
        (requested, exact): (u32, bool),
        from: u32,
        first: Option<u32>,
    ) -> Option<u32> {
        let weight = self.rules.figures[kind.index()].weight;
        let mut parts = std::mem::take(&mut self.cleared_scratch().parts);
        let done = self.find_taken(kind, from, first, requested, |spot, given| parts.push((spot, given)));
        let enough = done > 0 && !(exact && done < requested);
        if enough {
            for &(spot, count) in &parts {
                let cell = self.cell(spot);
                let event = self.transfer(cell, count, end(spot, cell.id), StackLocation::NOWHERE);
                self.kept_scratch().events.push(event);
            }
            self.remember_fast(self.next_stack);
            for &(spot, count) in &parts {
                let cell = self.cell(spot);
                self.put_cell(spot, cell, less(cell, count), -weight * i64::from(count));
            }
        }
        parts.clear();
        let scratch = self.kept_scratch();
        (scratch.parts, scratch.applied) = (parts, enough);
        enough.then_some(done)
    }
}
