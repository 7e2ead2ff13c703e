//! Reading the world as it would be.

use super::super::limits::Bears;
use super::{Draft, Item, MAX_ON_GROUND};
use crate::id::StackId;
use crate::quantity::Decimal;
use crate::ruleset::{FilterId, PropertyValue};
use crate::world::{Bearer, Cell, ClassKey, ContainerState, EMPTY, Event, GROUND, Spot};

impl Draft<'_> {
    /// The place of a stack on the ground.
    pub(in crate::ops) fn landing_of(&self, stack: StackId) -> Option<Spot> {
        let there = |spot: &Spot| self.cell(*spot).id == stack.0 && !self.cell(*spot).is_empty();
        let in_world = self.world.ground.landing_of(stack.0).map(|slot| Spot { container: GROUND, slot });
        let landed = || {
            let mut ends = self.scratch.events.iter().filter_map(|event| match event {
                Event::Moved { to, .. } if to.spot.is_ground() && to.stack == stack => Some(to.spot),
                _ => None,
            });
            ends.next_back().filter(there)
        };
        in_world.filter(there).or_else(landed)
    }

    /// How many slots a container has by now.
    #[inline]
    pub(in crate::ops) fn slots(&self, container: u32) -> u32 {
        if let Some((_, slots)) = self.placing.shrinking.filter(|(shrinking, _)| *shrinking == container) {
            return slots;
        }
        let resized = || {
            self.scratch.events.iter().rev().find_map(|event| match event {
                Event::Resized { container: resized, after, .. } if resized.index == container => Some(*after),
                _ => None,
            })
        };
        let resized = if self.resized { resized() } else { None };
        resized.unwrap_or_else(|| self.state(container).slots)
    }

    /// Between which numbers of slots a container may be resized.
    pub(in crate::ops) fn slot_bounds(&self, container: u32) -> (u32, u32) {
        let state = self.state(container);
        let def = self.world.rules.containers().get(state.def as usize);
        def.map_or((state.slots, state.slots), |def| def.bounds)
    }

    #[inline]
    pub(in crate::ops) fn cell(&self, spot: Spot) -> Cell {
        if self.settled == 0 { self.world.cell(spot) } else { self.pending_cell(spot) }
    }

    pub(in crate::ops) fn pending_cell(&self, spot: Spot) -> Cell {
        self.scratch.overlay.pending.get(spot).unwrap_or_else(|| match spot.container < self.world.container_count() {
            true => self.world.cell(spot),
            false => Cell::default(),
        })
    }

    /// A container, be it one that the operation brings.
    #[inline]
    pub(in crate::ops) fn state(&self, container: u32) -> &ContainerState {
        match container.checked_sub(self.world.container_count()) {
            None => self.world.state(container),
            Some(new) => &self.scratch.overlay.new_packs[new as usize],
        }
    }

    /// Whether the operation itself brings a container.
    #[inline]
    pub(in crate::ops) fn is_new(&self, container: u32) -> bool {
        container >= self.world.container_count()
    }

    /// The most items of a kind in a slot.
    #[inline]
    pub(in crate::ops) fn limit(&self, spot: Spot, kind: u32) -> u32 {
        if spot.is_ground() {
            return self.world.limit(spot, kind);
        }
        self.state(spot.container).limit(&self.world.rules, kind, spot.slot)
    }

    /// The contents of a container.
    pub(in crate::ops) fn cells_in(&self, container: u32) -> impl Iterator<Item = Cell> + '_ {
        let mut from = Some(0);
        std::iter::from_fn(move || {
            let slot = self.next_stack_in(container, None, from?)?;
            from = slot.checked_add(1);
            Some(self.cell(Spot { container, slot }))
        })
    }

    /// The first wanted stack in a container, at any depth.
    pub(in crate::ops) fn find_within(&self, container: u32, wanted: &impl Fn(Cell) -> bool) -> Option<Cell> {
        self.cells_in(container).find_map(|cell| {
            if wanted(cell) {
                return Some(cell);
            }
            if cell.is_pack() { self.find_within(cell.inner, wanted) } else { None }
        })
    }

    /// The next slot with a stack, of one kind if one is given.
    #[inline]
    pub(in crate::ops) fn next_stack_in(&self, container: u32, kind: Option<u32>, from: u32) -> Option<u32> {
        let in_world = |from| match kind {
            _ if self.is_new(container) => None,
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
        // What the container works on is in none of its slots.
        lower(found, pending.next(container, from, wanted)).filter(|&slot| slot < self.state(container).work)
    }

    #[inline]
    pub(in crate::ops) fn next_with_room(&mut self, container: u32, item: Item, from: u32) -> Option<u32> {
        let world = self.world;
        let is_new = self.is_new(container);
        let found = self.next_target(container, item.class, from, |from| {
            if is_new { None } else { world.next_with_room(container, item.kind, item.class, from) }
        });
        match self.placing.shrinking {
            None => found.filter(|&slot| slot < self.state(container).work),
            Some(_) => found.filter(|&slot| slot < self.slots(container)),
        }
    }

    #[inline]
    pub(in crate::ops) fn next_empty(&mut self, container: u32, from: u32) -> Option<u32> {
        let (world, slots) = (self.world, self.slots(container));
        let known = if self.is_new(container) { 0 } else { world.slot_count(container) };
        let found = self.next_target(container, EMPTY, from, |from| {
            let there = if known == 0 { None } else { world.next_empty(container, from) };
            // Slots that the operation brings are empty.
            there.or_else(|| Some(from.max(known)).filter(|&slot| slot < slots))
        });
        found.filter(|&slot| slot < slots)
    }

    #[inline]
    pub(in crate::ops) fn next_target(
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
        // Beyond all slots it was passed, there is nothing to look for.
        let mut found = if passed == u32::MAX { None } else { in_world(from.max(passed)) };
        while let Some(slot) = found.filter(|&slot| pending.get(Spot { container, slot }).is_some()) {
            found = slot.checked_add(1).and_then(&in_world);
        }
        if from <= passed {
            pending.pass(container, class, found.unwrap_or(u32::MAX));
        }
        let state = match container.checked_sub(self.world.container_count()) {
            None => self.world.state(container),
            Some(new) => &self.scratch.overlay.new_packs[new as usize],
        };
        let limit = |spot: Spot, kind| state.limit(&self.world.rules, kind, spot.slot);
        let pending = &self.scratch.overlay.pending;
        lower(found, pending.next_target(container, class, from, limit))
    }

    #[inline]
    pub(in crate::ops) fn admits(&self, filter: Option<FilterId>, item: Item) -> bool {
        let Some(filter) = filter else { return true };
        if let Some(key) = self.new_class(item.class) {
            let view = crate::world::ClassView { rules: &self.world.rules, key };
            return self.world.rules.filter(filter).test.admits(&view);
        }
        self.world.classes.admits(&self.world.rules, filter, item.kind, item.class)
    }

    /// The number of items that match the filter of a cap in `count` items with their contents.
    pub(in crate::ops) fn counted(&self, item: Item, count: u32, number: u32) -> i64 {
        let own = self.admits(Some(self.world.rules.cap_filters[number as usize]), item);
        let inside = if item.is_pack() { self.capped(Bearer::Container(item.inner), number) } else { 0 };
        inside + if own { i64::from(count) } else { 0 }
    }

    #[inline]
    pub(in crate::ops) fn item(&self, cell: Cell) -> Item {
        let weight = self.world.rules.figures[cell.kind as usize].weight + self.weight_inside(cell.inner);
        Item { kind: cell.kind, class: cell.class, weight, inner: cell.inner }
    }

    #[inline]
    pub(in crate::ops) fn weight_inside(&self, inner: u32) -> i64 {
        if inner == GROUND { 0 } else { self.weight_of(Bearer::Container(inner)) }
    }

    /// The value of a stack with its contents, in thousandths.
    pub(in crate::ops) fn value_of(&self, cell: Cell) -> i64 {
        let own = self.world.rules.known_kind_at(cell.kind).value().thousandths().saturating_mul(i64::from(cell.count));
        if !cell.is_pack() {
            return own;
        }
        self.cells_in(cell.inner).map(|cell| self.value_of(cell)).fold(own, i64::saturating_add)
    }

    /// The properties of a stack that are numbers, by name.
    pub(in crate::ops) fn number_properties(&self, class: &ClassKey) -> Vec<(String, Decimal)> {
        let rules = &self.world.rules;
        let changed = |property| class.properties.iter().find(|(known, _)| *known == property).map(|(_, value)| *value);
        let number = |(property, first)| match first {
            PropertyValue::Number(first) => {
                Some((rules.property(property).name().to_owned(), changed(property).unwrap_or(first)))
            }
            PropertyValue::Text(_) => None,
        };
        rules.known_kind(class.kind).properties().filter_map(number).collect()
    }

    /// The weight of a stack with its contents.
    #[inline]
    pub(in crate::ops) fn cell_weight(&self, cell: Cell) -> i64 {
        if cell.is_empty() { 0 } else { self.item(cell).weight * i64::from(cell.count) }
    }

    pub(in crate::ops) fn ground_room(&self) -> u32 {
        let landed = (self.next_landing - self.world.ground.next_landing) as usize;
        let gone = if self.settled == 0 { 0 } else { self.scratch.overlay.pending.emptied(GROUND) };
        let most = MAX_ON_GROUND.min(self.world.rules.ground_limit as usize);
        let room = most.saturating_sub(self.world.ground.len() + landed - gone);
        u32::try_from(room).unwrap_or(0).min(u32::MAX - 1 - self.next_landing)
    }

    pub(in crate::ops) fn next_landing_spot(&self, after: usize) -> Spot {
        let slot = self.next_landing + u32::try_from(after).unwrap_or(0);
        Spot { container: crate::world::GROUND, slot }
    }

    /// The marks and properties of a class that the operation brings.
    #[inline]
    pub(in crate::ops) fn new_class(&self, class: u32) -> Option<&ClassKey> {
        let new = self.scratch.overlay.new_classes.iter().find(|(_, new)| *new == class);
        new.map(|(key, _)| key)
    }

    /// Kind, marks and properties of a stack.
    pub(in crate::ops) fn class_key(&self, cell: Cell) -> ClassKey {
        let known = self.new_class(cell.class).or_else(|| self.world.classes.key(cell.class));
        known.cloned().unwrap_or_else(|| ClassKey::plain(self.world.rules.kind_id(cell.kind)))
    }
}

fn lower(one: Option<u32>, other: Option<u32>) -> Option<u32> {
    match (one, other) {
        (Some(one), Some(other)) => Some(one.min(other)),
        (one, other) => one.or(other),
    }
}
