//! Working out changes: each is an event.

use std::sync::Arc;

use rand_core::Rng;

use super::super::operation::Variant;
use super::super::refusal::{Cause, Refusal, Unknown};
use super::{Draft, Item};
use crate::id::{HolderId, KindId, StackId};
use crate::language::{Landing, Position};
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{NO_PACK, PropertyValue};
use crate::snapshot::Departure;
use crate::world::{
    Arrival, Arriving, Cell, ClassKey, ContainerState, DepartingEntity, Event, GROUND, PackContents, Spot, StackClass,
    StackLocation,
};

impl Draft<'_> {
    /// Out of reach from here on.
    pub(in crate::ops) fn take_along(&mut self, who: DepartingEntity, weight: i64) {
        self.left.push(who);
        self.travelled -= weight;
    }

    /// What has arrived so far. No later operation can name it, since names were looked up before.
    pub(in crate::ops) fn arriving(&self) -> &[Arriving] {
        &self.scratch.overlay.arriving
    }

    /// Adds the contents of a transfer record; its parts have their numbers from here on.
    pub(in crate::ops) fn come_in(
        &mut self,
        mut arriving: Arriving,
        document: &Arc<Departure>,
        count: u64,
        weight: i64,
    ) {
        arriving.number(&mut |def| self.new_container(def));
        arriving.classify(&mut |key| self.class_of(key.clone()));
        let who = match &mut arriving.who {
            Arrival::Container(container) => DepartingEntity::Container(self.world.container_to_be(container.index)),
            Arrival::Holder(holder) => {
                let id = self.new_holder();
                holder.index = id.index;
                DepartingEntity::Holder(id)
            }
        };
        let before = self.latest_arrival(document.name());
        self.push(Event::Arrived { who, departure: document.id, before, count });
        self.scratch.overlay.documents.push(Arc::clone(document));
        self.scratch.overlay.arriving.push(arriving);
        self.travelled += weight;
    }

    /// A holder that the operation brings; one that waits, if there is one.
    pub(in crate::ops) fn new_holder(&mut self) -> HolderId {
        let nth = self.scratch.overlay.new_holders;
        self.scratch.overlay.used = true;
        self.scratch.overlay.new_holders += 1;
        let beyond = || {
            let beyond = nth - self.world.waiting_holders().count();
            self.world.holder_count() + narrow::index(beyond)
        };
        self.world.holder_to_be(self.world.waiting_holders().nth(nth).unwrap_or_else(beyond))
    }

    /// What a created stack would be.
    pub(in crate::ops) fn new_item(&mut self, kind: KindId, variant: &Variant) -> Result<Item, Refusal> {
        let number = self.kind(kind)?;
        let rules = &self.world.rules;
        if variant.is_plain() {
            return Ok(Item::of_class(kind, number, rules));
        }
        let known_mark = variant.marks().iter().all(|&mark| rules.has_mark(mark));
        let is_number = |property| matches!(rules.known_kind(kind).property(property), Some(PropertyValue::Number(_)));
        if !known_mark || !variant.properties().iter().all(|(property, _)| is_number(*property)) {
            return Err(Refusal::new(Cause::Unknown(Unknown::Variant)));
        }
        let key = ClassKey::new(rules, kind, variant.marks(), variant.properties());
        let class = self.class_of(key);
        Ok(Item::of_class(kind, class, &self.world.rules))
    }

    /// The number of a class, which is new in the world if necessary.
    pub(in crate::ops) fn class_of(&mut self, key: ClassKey) -> u32 {
        let (classes, overlay) = (&self.world.classes, &mut self.scratch.overlay);
        if let Some((_, class)) = overlay.new_classes.iter().find(|(known, _)| *known == key) {
            return *class;
        }
        let is_given = |class: u32| overlay.new_classes.iter().any(|(_, given)| *given == class);
        let known = classes.find(&key).filter(|&class| !is_given(class));
        if let Some(class) = known.filter(|&class| !classes.is_unused(class)) {
            return class;
        }
        // One that no stack has is taken here, so that its number is not given to another by the
        // same operation.
        let class = known.unwrap_or_else(|| classes.next(&overlay.new_classes));
        overlay.used = true;
        overlay.new_classes.push((key, class));
        class
    }

    /// Makes a whole stack one of another class.
    pub(in crate::ops) fn change_class(&mut self, spot: Spot, class: u32) {
        let cell = self.cell(spot);
        let at = self.end(spot, cell.id);
        self.scratch.events.push(Event::Changed { at, before: StackClass(cell.class), after: StackClass(class) });
    }

    pub(in crate::ops) fn parts(&mut self) -> &mut Vec<(Spot, u32)> {
        &mut self.scratch.parts
    }

    /// The parts that were worked out so far.
    #[inline]
    pub(in crate::ops) fn laid(&self) -> &[(Spot, u32)] {
        &self.scratch.parts
    }

    /// Lays the parts that were worked out, taking them from `source` or creating them.
    pub(in crate::ops) fn lay_parts(&mut self, item: Item, source: Option<Spot>) {
        let parts = std::mem::take(&mut self.scratch.parts);
        let mut source_end = StackLocation::NOWHERE;
        // The remaining part keeps the id; otherwise the first part that reaches an empty place.
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
            let inner = if source.is_some() { item.inner } else { self.new_inner(item.kind) };
            self.push_transfer(Item { inner, ..item }, count, source_end, end);
        }
        self.scratch.parts = parts;
        self.scratch.parts.clear();
    }

    /// Takes items out of the world.
    pub(in crate::ops) fn remove(&mut self, spot: Spot, count: u32) {
        let cell = self.cell(spot);
        let item = self.item(cell);
        let end = self.end(spot, cell.id);
        self.push_transfer(item, count, end, StackLocation::NOWHERE);
    }

    /// Swaps the contents of two slots.
    pub(in crate::ops) fn exchange(&mut self, one: Spot, other: Spot) {
        let (here, there) = (self.cell(one), self.cell(other));
        let event = Event::Swapped { one: self.end(one, here.id), other: self.end(other, there.id) };
        self.scratch.events.push(event);
    }

    /// Swaps the contents of two slots with known stack ids; 0 means empty.
    pub(in crate::ops) fn push_exchange(&mut self, (one, mine): (Spot, u64), (other, yours): (Spot, u64)) {
        let event = Event::Swapped { one: self.end(one, mine), other: self.end(other, yours) };
        self.scratch.events.push(event);
    }

    /// Moves some of a stack onto an alike one.
    pub(in crate::ops) fn give(&mut self, from: Spot, cell: Cell, count: u32, onto: Spot, id: u64) {
        let (from, to) = (self.end(from, cell.id), self.end(onto, id));
        self.push_transfer(self.item(cell), count, from, to);
    }

    #[inline]
    pub(in crate::ops) fn push_transfer(&mut self, item: Item, count: u32, from: StackLocation, to: StackLocation) {
        let (kind, class) = (self.world.rules.kind_id(item.kind), StackClass(item.class));
        self.scratch.events.push(Event::Moved { kind, count, from, to, class, inner: PackContents(item.inner) });
    }

    /// The container that a new stack of a kind brings along.
    pub(in crate::ops) fn new_inner(&mut self, kind: u32) -> u32 {
        let def = self.world.rules.figures[kind as usize].pack;
        if def == NO_PACK { GROUND } else { self.new_container(def) }
    }

    /// A container that the operation brings; one that waits, if there is one.
    pub(in crate::ops) fn new_container(&mut self, def: u32) -> u32 {
        let overlay = &mut self.scratch.overlay;
        overlay.used = true;
        if let Some(waiting) = self.world.waiting(def).find(|waiting| !overlay.brought.contains(waiting)) {
            overlay.brought.push(waiting);
            return waiting;
        }
        let slots = self.world.rules.containers().get(def as usize).map_or(1, |def| def.slots);
        overlay.new_packs.push(ContainerState::new(&self.world.rules, def, slots));
        self.world.container_count() + narrow::index(overlay.new_packs.len() - 1)
    }

    #[inline]
    pub(in crate::ops) fn new_id(&mut self) -> u64 {
        let id = StackId::new(self.world.number, self.next_stack);
        self.next_stack += 1;
        id.0
    }

    #[inline]
    pub(in crate::ops) fn end(&self, spot: Spot, id: u64) -> StackLocation {
        let position = if spot.is_ground() { self.position(spot) } else { Position::default() };
        StackLocation { spot, stack: StackId(id), position }
    }

    /// The place of a stack on the ground, or where an earlier operation of the list dropped it.
    pub(in crate::ops) fn position(&self, spot: Spot) -> Position {
        // Arrival numbers grow and are never used again, so no event placed the earlier stack.
        if spot.slot < self.world.ground.next_landing {
            return self.world.ground.position(spot.slot);
        }
        let landed = self.scratch.events.iter().find_map(|event| match event {
            Event::Moved { to, .. } if to.spot == spot => Some(to.position),
            _ => None,
        });
        landed.unwrap_or_else(|| self.world.ground.position(spot.slot))
    }

    /// The place of new items; on the ground a new arrival, scattered if requested.
    pub(in crate::ops) fn landing_end(&mut self, spot: Spot, id: u64) -> StackLocation {
        if !spot.is_ground() {
            return self.end(spot, id);
        }
        self.next_landing = self.next_landing.max(spot.slot + 1);
        let Landing { at, within } = self.placing.landing;
        let position = match within {
            None => at,
            Some(within) => Position { x: self.scatter(at.x, within), y: self.scatter(at.y, within) },
        };
        StackLocation { spot, stack: StackId(id), position }
    }

    /// A number below another, each as likely as any.
    pub(in crate::ops) fn draw(&mut self, choices: u64) -> u64 {
        self.scratch.overlay.used = true;
        let random = self.scratch.overlay.random.get_or_insert_with(|| self.world.random.clone());
        let draw = (u128::from(random.next_u64()) * u128::from(choices)) >> 64;
        u64::try_from(draw).unwrap_or(0)
    }

    /// A number within a range of another, each thousandth as likely as any.
    pub(in crate::ops) fn scatter(&mut self, around: Decimal, within: Decimal) -> Decimal {
        let draw = self.draw(within.thousandths().unsigned_abs() * 2 + 1);
        let offset = i64::try_from(draw).unwrap_or(0) - within.thousandths();
        Decimal::from_thousandths(around.thousandths().saturating_add(offset))
    }
}
