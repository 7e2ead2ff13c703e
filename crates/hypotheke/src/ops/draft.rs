//! The world as it would be: pending changes laid over the world as it is.

use rand_core::Rng;

use super::Done;
use super::operation::Variant;
use super::outcome::Outcome;
use super::refusal::{Cause, Refusal, Unknown};
use crate::id::{KindId, StackId};
use crate::language::{Landing, Position};
use crate::quantity::Decimal;
use crate::ruleset::{FilterId, PropertyValue};
use crate::world::{Bearer, Cell, Class, ClassKey, EMPTY, End, Event, Place, Scratch, Spot, World};

/// What is being laid somewhere: items of one class.
#[derive(Clone, Copy, Debug)]
pub(super) struct Item {
    pub(super) kind: u32,
    pub(super) class: u32,
    /// The weight of one, in thousandths.
    pub(super) weight: i64,
}

/// Onto what items may be laid.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Onto {
    /// Alike stacks, then empty slots.
    Any,
    /// Alike stacks only.
    Alike,
    /// One empty slot, the first.
    OneEmpty,
}

pub(super) struct Draft<'w> {
    pub(super) world: &'w World,
    scratch: Box<Scratch>,
    next_stack: u64,
    next_landing: u32,
    /// So many events have been laid over the world as pending cells. Most operations need no more than their events.
    settled: usize,
    /// Where the stacks land that are laid on the ground.
    landing: Landing,
    onto: Onto,
}

impl<'w> Draft<'w> {
    pub(super) fn new(world: &'w World, mut scratch: Box<Scratch>) -> Draft<'w> {
        scratch.clear();
        Draft {
            world,
            scratch,
            next_stack: world.next_stack,
            next_landing: world.ground.next_landing,
            settled: 0,
            landing: Landing::default(),
            onto: Onto::Any,
        }
    }

    #[inline]
    pub(super) fn outcome(&self, done: Done) -> Outcome {
        Outcome {
            asked: done.asked,
            done: done.count,
            changed: !self.scratch.events.is_empty(),
            revision: self.world.revision + 1,
        }
    }

    /// The buffers with what was worked out, and the serial number of the next stack.
    #[inline]
    pub(super) fn into_parts(self) -> (Box<Scratch>, u64) {
        (self.scratch, self.next_stack)
    }

    /// Where the stacks land that are laid on the ground from now on.
    pub(super) fn land_at(&mut self, landing: Landing) -> Result<(), Refusal> {
        if landing.within.is_some_and(Decimal::is_negative) {
            return Err(Refusal::new(Cause::BadAmount));
        }
        self.landing = landing;
        Ok(())
    }

    /// Onto what items may be laid from now on.
    pub(super) fn lay_onto(&mut self, onto: Onto) {
        self.onto = onto;
    }

    #[inline]
    pub(super) fn onto(&self) -> Onto {
        self.onto
    }

    // Reading.

    #[inline]
    pub(super) fn cell(&self, spot: Spot) -> Cell {
        if self.settled == 0 { self.world.cell(spot) } else { self.pending_cell(spot) }
    }

    fn pending_cell(&self, spot: Spot) -> Cell {
        self.scratch.overlay.pending.get(spot).unwrap_or_else(|| self.world.cell(spot))
    }

    /// The next slot with a stack, of one kind if one is given.
    #[inline]
    pub(super) fn next_stack_in(&self, container: u32, kind: Option<u32>, from: u32) -> Option<u32> {
        let in_world = |from| match kind {
            Some(kind) => self.world.next_of_kind(container, kind, from),
            None => self.world.next_taken(container, from),
        };
        let mut found = in_world(from);
        if self.settled == 0 {
            return found;
        }
        let pending = &self.scratch.overlay.pending;
        while let Some(slot) = found.filter(|&slot| pending.get(Spot { container, slot }).is_some()) {
            found = slot.checked_add(1).and_then(in_world);
        }
        let wanted = |cell: Cell| !cell.is_empty() && kind.is_none_or(|kind| cell.kind == kind);
        least(found, pending.next(container, from, wanted))
    }

    #[inline]
    pub(super) fn next_with_room(&mut self, container: u32, item: Item, from: u32) -> Option<u32> {
        let world = self.world;
        self.next_target(container, item.class, from, |from| {
            world.next_with_room(container, item.kind, item.class, from)
        })
    }

    #[inline]
    pub(super) fn next_empty(&mut self, container: u32, from: u32) -> Option<u32> {
        let world = self.world;
        self.next_target(container, EMPTY, from, |from| world.next_empty(container, from))
    }

    #[inline]
    fn next_target(
        &mut self,
        container: u32,
        class: u32,
        from: u32,
        in_world: impl Fn(u32) -> Option<u32>,
    ) -> Option<u32> {
        if self.settled == 0 {
            return in_world(from);
        }
        let pending = &mut self.scratch.overlay.pending;
        let passed = pending.passed(container, class);
        let mut found = in_world(from.max(passed));
        while let Some(slot) = found.filter(|&slot| pending.get(Spot { container, slot }).is_some()) {
            found = slot.checked_add(1).and_then(&in_world);
        }
        if from <= passed {
            pending.pass(container, class, found.unwrap_or(u32::MAX));
        }
        let limit = |spot, kind| self.world.limit(spot, kind);
        least(found, pending.next_target(container, class, from, limit))
    }

    #[inline]
    pub(super) fn admits(&self, filter: Option<FilterId>, item: Item) -> bool {
        let Some(filter) = filter else { return true };
        if let Some((key, class)) = &self.scratch.overlay.new_class
            && *class == item.class
        {
            let view = crate::world::ClassView { rules: &self.world.rules, key };
            return self.world.rules.filter(filter).test.admits(&view);
        }
        self.world.classes.admits(&self.world.rules, filter, item.kind, item.class)
    }

    /// The weight that a container would have so far.
    #[inline]
    pub(super) fn weight_of(&self, container: u32) -> i64 {
        let (weight, _) = self.world.weight_and_cap(container);
        if self.settled == 0 {
            return weight;
        }
        weight
            + self
                .scratch
                .overlay
                .weights
                .iter()
                .filter(|(changed, _)| *changed == container)
                .map(|(_, by)| by)
                .sum::<i64>()
    }

    /// The weight that a holder would have so far.
    #[inline]
    pub(super) fn weight_of_holder(&self, holder: u32) -> i64 {
        let (weight, _) = self.world.holder_weight_and_cap(holder);
        if self.settled == 0 {
            return weight;
        }
        let carried = |container: u32| self.world.holder_of(container) == Some(holder);
        weight
            + self
                .scratch
                .overlay
                .weights
                .iter()
                .filter(|(changed, _)| carried(*changed))
                .map(|(_, by)| by)
                .sum::<i64>()
    }

    /// How many items would satisfy a cap so far.
    pub(super) fn cap_count(&self, bearer: Bearer, index: usize) -> i64 {
        let count = i64::try_from(self.world.caps_of(bearer).1[index]).unwrap_or(i64::MAX);
        let changes = self.scratch.overlay.caps.iter().filter(|(changed, _)| *changed == (bearer, index));
        count + changes.map(|(_, by)| by).sum::<i64>()
    }

    #[inline]
    pub(super) fn item(&self, cell: Cell) -> Item {
        let weight = self.world.rules.figures[cell.kind as usize].weight;
        Item { kind: cell.kind, class: cell.class, weight }
    }

    pub(super) fn ground_room(&self) -> u32 {
        /// So many stacks lie on the ground at most: what a request can ask for must not fill the memory.
        const MOST_ON_GROUND: usize = 1 << 20;
        let landed = (self.next_landing - self.world.ground.next_landing) as usize;
        let room = MOST_ON_GROUND.saturating_sub(self.world.ground.len() + landed);
        u32::try_from(room).unwrap_or(0).min(u32::MAX - 1 - self.next_landing)
    }

    pub(super) fn next_landing_spot(&self, after: usize) -> Spot {
        let slot = self.next_landing + u32::try_from(after).unwrap_or(0);
        Spot { container: crate::world::GROUND, slot }
    }

    // Looking up places.

    pub(super) fn slot(&self, place: Place) -> Result<Spot, Refusal> {
        match place {
            Place::Slot(container, slot) => {
                let there = self.world.has_container(container) && slot < self.world.slot_count(container.index);
                if there {
                    Ok(Spot { container: container.index, slot })
                } else {
                    Err(Refusal::new(Cause::Unknown(Unknown::Place)))
                }
            }
            _ => Err(Refusal::new(Cause::Unknown(Unknown::Meaning))),
        }
    }

    pub(super) fn kind(&self, kind: KindId) -> Result<u32, Refusal> {
        if kind.index() < self.world.rules.figures.len() {
            Ok(kind.0)
        } else {
            Err(Refusal::new(Cause::Unknown(Unknown::Kind)))
        }
    }

    /// What a created stack would be.
    pub(super) fn new_item(&mut self, kind: KindId, variant: &Variant) -> Result<Item, Refusal> {
        let number = self.kind(kind)?;
        let rules = &self.world.rules;
        let weight = rules.figures[kind.index()].weight;
        if variant.is_plain() {
            return Ok(Item { kind: number, class: number, weight });
        }
        let known_mark = variant.marks().iter().all(|mark| mark.index() < rules.marks().len());
        let is_number = |property| matches!(rules.kind(kind).property(property), Some(PropertyValue::Number(_)));
        if !known_mark || !variant.properties().iter().all(|(property, _)| is_number(*property)) {
            return Err(Refusal::new(Cause::Unknown(Unknown::Variant)));
        }
        let key = ClassKey::new(rules, kind, variant.marks(), variant.properties());
        let class = self.world.classes.find(&key).unwrap_or_else(|| {
            let class = self.world.classes.next();
            self.scratch.overlay.used = true;
            self.scratch.overlay.new_class = Some((key, class));
            class
        });
        Ok(Item { kind: number, class, weight })
    }

    // Changing.

    pub(super) fn parts(&mut self) -> &mut Vec<(Spot, u32)> {
        &mut self.scratch.parts
    }

    /// Lays what was done so far over the world, so that what follows sees it.
    pub(super) fn settle(&mut self) {
        for index in self.settled..self.scratch.events.len() {
            match self.scratch.events[index] {
                Event::Transferred { kind, count, from, to, class } => {
                    let weight = self.world.rules.figures[kind.index()].weight * i64::from(count);
                    if from.exists() {
                        let cell = self.cell(from.spot);
                        self.shift_caps(from.spot, cell, -i64::from(count));
                        self.set(from.spot, Cell { count: cell.count - count, ..cell });
                        self.add_weight(from.spot, -weight);
                    }
                    if to.exists() {
                        let after = Cell {
                            class: class.0,
                            kind: kind.0,
                            count: self.cell(to.spot).count + count,
                            id: to.stack.0,
                        };
                        self.shift_caps(to.spot, after, i64::from(count));
                        self.set(to.spot, after);
                        self.add_weight(to.spot, weight);
                    }
                }
                Event::Swapped { one, other } => {
                    let (here, there) = (self.cell(one.spot), self.cell(other.spot));
                    let difference = self.world.cell_weight(there) - self.world.cell_weight(here);
                    for (spot, cell, sign) in
                        [(one.spot, here, -1), (one.spot, there, 1), (other.spot, there, -1), (other.spot, here, 1)]
                    {
                        self.shift_caps(spot, cell, sign * i64::from(cell.count));
                    }
                    self.set(one.spot, there);
                    self.set(other.spot, here);
                    self.add_weight(one.spot, difference);
                    self.add_weight(other.spot, -difference);
                }
            }
        }
        self.settled = self.scratch.events.len();
        self.scratch.overlay.used = true;
    }

    fn shift_caps(&mut self, spot: Spot, cell: Cell, by: i64) {
        if spot.is_ground() || by == 0 {
            return;
        }
        let holder = self.world.holder_of(spot.container).map(Bearer::Holder);
        for bearer in [Some(Bearer::Container(spot.container)), holder].into_iter().flatten() {
            for index in 0..self.world.caps_of(bearer).0.len() {
                if self.admits(Some(self.world.caps_of(bearer).0[index].of), self.item(cell)) {
                    self.scratch.overlay.caps.push(((bearer, index), by));
                }
            }
        }
    }

    /// Lays the parts that were worked out, taking them from `source` or creating them.
    pub(super) fn lay_parts(&mut self, item: Item, source: Option<Spot>) {
        let parts = std::mem::take(&mut self.scratch.parts);
        let mut source_end = End::NOWHERE;
        // What stays keeps the id; if nothing stays, the first part that comes to lie in an empty place has it.
        let mut free_id = None;
        if let Some(spot) = source {
            let from = self.cell(spot);
            let total: u32 = parts.iter().map(|(_, count)| count).sum();
            free_id = (from.count == total).then_some(from.id);
            source_end = self.end(spot, from.id);
        }
        for &(spot, count) in &parts {
            let before = self.cell(spot);
            let id = if before.is_empty() { free_id.take().unwrap_or_else(|| self.new_id()) } else { before.id };
            let end = self.landing_end(spot, id);
            self.push_transfer(item, count, source_end, end);
        }
        self.scratch.parts = parts;
        self.scratch.parts.clear();
    }

    /// Takes items out of the world.
    pub(super) fn remove(&mut self, spot: Spot, count: u32) {
        let cell = self.cell(spot);
        let item = self.item(cell);
        let end = self.end(spot, cell.id);
        self.push_transfer(item, count, end, End::NOWHERE);
    }

    /// Exchanges what lies in two slots.
    pub(super) fn exchange(&mut self, one: Spot, other: Spot) {
        let (here, there) = (self.cell(one), self.cell(other));
        let event = Event::Swapped { one: self.end(one, here.id), other: self.end(other, there.id) };
        self.scratch.events.push(event);
    }

    #[inline]
    fn push_transfer(&mut self, item: Item, count: u32, from: End, to: End) {
        let (kind, class) = (KindId(item.kind), Class(item.class));
        self.scratch.events.push(Event::Transferred { kind, count, from, to, class });
    }

    fn set(&mut self, spot: Spot, cell: Cell) {
        let cell = if cell.is_empty() { Cell::default() } else { cell };
        self.scratch.overlay.pending.set(spot, cell, |spot, kind| self.world.limit(spot, kind));
    }

    fn add_weight(&mut self, spot: Spot, by: i64) {
        if spot.is_ground() || by == 0 {
            return;
        }
        match self.scratch.overlay.weights.iter_mut().find(|(container, _)| *container == spot.container) {
            Some((_, known)) => *known += by,
            None => self.scratch.overlay.weights.push((spot.container, by)),
        }
    }

    #[inline]
    fn new_id(&mut self) -> u64 {
        let id = StackId::new(self.world.number, self.next_stack);
        self.next_stack += 1;
        id.0
    }

    #[inline]
    fn end(&self, spot: Spot, id: u64) -> End {
        let position = if spot.is_ground() { self.world.ground.position(spot.slot) } else { Position::default() };
        End { spot, stack: StackId(id), position }
    }

    /// The end at which something is laid; on the ground that is a new landing, scattered where the request says so.
    fn landing_end(&mut self, spot: Spot, id: u64) -> End {
        if !spot.is_ground() {
            return self.end(spot, id);
        }
        self.next_landing = self.next_landing.max(spot.slot + 1);
        let Landing { at, within } = self.landing;
        let position = match within {
            None => at,
            Some(within) => Position { x: self.scatter(at.x, within), y: self.scatter(at.y, within) },
        };
        End { spot, stack: StackId(id), position }
    }

    /// A number within a range of another, each thousandth as likely as any.
    fn scatter(&mut self, around: Decimal, within: Decimal) -> Decimal {
        self.scratch.overlay.used = true;
        let random = self.scratch.overlay.random.get_or_insert_with(|| self.world.random.clone());
        let choices = within.thousandths().unsigned_abs() * 2 + 1;
        let draw = (u128::from(random.next_u64()) * u128::from(choices)) >> 64;
        let offset = i64::try_from(draw).unwrap_or(0) - within.thousandths();
        Decimal::from_thousandths(around.thousandths().saturating_add(offset))
    }
}

fn least(one: Option<u32>, other: Option<u32>) -> Option<u32> {
    match (one, other) {
        (Some(one), Some(other)) => Some(one.min(other)),
        (one, other) => one.or(other),
    }
}
