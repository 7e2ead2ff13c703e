//! Pending changes: applied on top of the world, so that later steps see them, and removed again.

use rand_xoshiro::Xoshiro256PlusPlus;

use super::{Draft, Item};
use crate::narrow;
use crate::world::{Bearer, Cell, Event, Overlay, PackContents, Spot, StackLocation};

/// How far a draft has come.
pub(in crate::ops) struct DraftPoint {
    events: usize,
    next_stack: u64,
    next_landing: u32,
    new_packs: usize,
    brought: usize,
    random: Option<Xoshiro256PlusPlus>,
}

impl Draft<'_> {
    /// Those whose sums would change, containers first, each in order.
    pub(in crate::ops) fn changed_bearers(&self) -> Vec<Bearer> {
        let overlay = &self.scratch.overlay;
        let capped = overlay.caps.keys().map(|(bearer, _)| bearer);
        let mut bearers: Vec<Bearer> = overlay.weights.keys().chain(capped).collect();
        // A departed entity is not part of the world to check.
        bearers.retain(|bearer| match bearer {
            Bearer::Container(container) => !self.has_left(*container),
            Bearer::Holder(holder) => !self.holder_has_left(*holder),
        });
        bearers.sort_by_key(|bearer| match bearer {
            Bearer::Container(container) => (self.order_of(*container), *bearer),
            // After all containers.
            Bearer::Holder(holder) => ((3, self.world.order_of_holder(*holder), 0), *bearer),
        });
        bearers.dedup();
        bearers
    }

    /// Orders containers by visible facts only: permanent ones, then the insides of packs by the
    /// ids of the packs.
    pub(in crate::ops) fn order_of(&self, container: u32) -> (u8, u64, u64) {
        if self.world.is_lasting(container) {
            return self.world.order_of(container);
        }
        let parent = self.parent(container);
        (2, if parent == Spot::NOWHERE { 0 } else { self.cell(parent).id }, 0)
    }

    /// By how much the weight of a container or holder would change.
    pub(in crate::ops) fn weight_gain(&self, bearer: Bearer) -> i64 {
        self.scratch.overlay.weights.get(bearer)
    }

    pub(in crate::ops) fn capped_gain(&self, bearer: Bearer, number: u32) -> i64 {
        self.scratch.overlay.caps.get((bearer, number))
    }

    /// Whether the pending changes are applied on top of the world.
    #[inline]
    pub(in crate::ops) fn is_settled(&self) -> bool {
        self.settled > 0
    }

    /// The weight of all that there would be.
    pub(in crate::ops) fn whole_weight(&self) -> i64 {
        let figures = &self.world.rules.figures;
        let change = |event: &Event| match event {
            Event::Moved { kind, count, from, to, .. } => {
                let sign = i64::from(to.exists()) - i64::from(from.exists());
                sign * i64::from(*count) * figures[kind.index()].weight
            }
            _ => 0,
        };
        self.world.whole_weight() + self.travelled + self.scratch.events.iter().map(change).sum::<i64>()
    }

    /// The slot from which the stack in a hand came, if it is still there.
    pub(in crate::ops) fn origin(&self, holder: u32) -> Option<Spot> {
        if let Some((_, origin)) = self.scratch.overlay.origins.iter().find(|(known, _)| *known == holder) {
            return origin.filter(|from| !self.has_left(from.container));
        }
        let origin = self.world.origin_of(holder)?;
        let there = self.has_container(origin.container);
        there.then_some(Spot { container: origin.container.index, slot: origin.slot })
    }

    /// Keeps in step where the stack in a hand came from, as the world does: it has come into a
    /// hand that was empty, or by an exchange.
    pub(in crate::ops) fn follow_origin(&mut self, hand: Spot, from: Spot, was_empty: bool) {
        let is_hand = |spot: Spot| spot.container < self.world.container_count() && self.world.is_hand(spot.container);
        if !is_hand(hand) {
            return;
        }
        let holder = self.state(hand.container).holder;
        let origin = if self.cell(hand).is_empty() {
            None
        } else if was_empty {
            Some(from).filter(|&from| from != Spot::NOWHERE && !from.is_ground() && !is_hand(from))
        } else {
            return;
        };
        let origins = &mut self.scratch.overlay.origins;
        origins.retain(|(known, _)| *known != holder);
        origins.push((holder, origin));
    }

    /// The origin of an item in a hand is cleared when its slot is removed.
    pub(in crate::ops) fn clear_origins_beyond(&mut self, container: u32, slots: u32) {
        for holder in 0..self.world.holder_count() {
            let gone = self.origin(holder).is_some_and(|from| from.container == container && from.slot >= slots);
            if gone {
                let origins = &mut self.scratch.overlay.origins;
                origins.retain(|(known, _)| *known != holder);
                origins.push((holder, None));
            }
        }
    }

    /// A point of the draft, so that later changes can be dropped.
    pub(in crate::ops) fn point(&self) -> DraftPoint {
        DraftPoint {
            events: self.scratch.events.len(),
            next_stack: self.next_stack,
            next_landing: self.next_landing,
            new_packs: self.scratch.overlay.new_packs.len(),
            brought: self.scratch.overlay.brought.len(),
            random: self.scratch.overlay.random.clone(),
        }
    }

    /// Drops the changes since then.
    pub(in crate::ops) fn go_back_to(&mut self, point: &DraftPoint) {
        self.scratch.events.truncate(point.events);
        self.scratch.parts.clear();
        if self.settled > point.events {
            self.scratch.overlay.clear_cells();
            self.settled = 0;
            self.settle();
        }
        self.next_stack = point.next_stack;
        self.next_landing = point.next_landing;
        self.scratch.overlay.new_packs.truncate(point.new_packs);
        self.scratch.overlay.brought.truncate(point.brought);
        self.scratch.overlay.random.clone_from(&point.random);
    }

    /// Reorders the changes since then. The result must stay the same.
    pub(in crate::ops) fn reorder(&mut self, point: &DraftPoint, order: impl FnOnce(&[Event]) -> Vec<Event>) {
        let (next_stack, ordered) = (self.next_stack, order(&self.scratch.events[point.events..]));
        self.go_back_to(point);
        self.scratch.events.extend(ordered);
        self.next_stack = next_stack;
        self.settle();
    }

    /// A stack waits beyond the slots of its container, where nothing looks for it, until its slot
    /// is free again.
    pub(in crate::ops) fn move_to_spare_slot(&mut self, spot: Spot) -> Spot {
        let spare = Spot { container: spot.container, slot: self.slots(spot.container) };
        let cell = self.cell(spot);
        self.scratch.overlay.used = true;
        self.place(spare, Cell::default());
        self.push_transfer(self.item(cell), cell.count, self.end(spot, cell.id), self.end(spare, cell.id));
        self.settle();
        spare
    }

    /// Its contents no longer count for its container.
    pub(in crate::ops) fn take_out_of_sums(&mut self, spot: Spot) {
        let cell = self.cell(spot);
        let (item, weight) = (self.item(cell), self.cell_weight(cell));
        self.add_to_sums(Bearer::Container(spot.container), item, cell.count, weight, -1);
    }

    /// Applies the changes so far on top of the world, so that later steps see them.
    pub(in crate::ops) fn settle(&mut self) {
        for index in self.settled..self.scratch.events.len() {
            let event = self.scratch.events[index];
            // From here on cells, sums and parents include pending changes.
            self.settled = self.settled.max(1);
            match event {
                Event::Moved { count, from, to, .. } => self.settle_transfer(event, count, from, to),
                Event::Changed { at, after, .. } => {
                    let cell = self.cell(at.spot);
                    self.shift(at.spot, cell, -1);
                    self.place(at.spot, Cell { class: after.0, ..cell });
                    self.shift(at.spot, Cell { class: after.0, ..cell }, 1);
                }
                Event::Resized { container, after, .. } => self.clear_origins_beyond(container.index, after),
                Event::Bound { .. }
                | Event::Metered { .. }
                | Event::Waited { .. }
                | Event::Worked { .. }
                | Event::Opened { .. }
                | Event::Closed { .. }
                | Event::Given { .. }
                | Event::Departed { .. }
                | Event::Arrived { .. } => {}
                Event::Swapped { one, other } => {
                    let (here, there) = (self.cell(one.spot), self.cell(other.spot));
                    self.shift(one.spot, here, -1);
                    self.shift(other.spot, there, -1);
                    self.place(one.spot, there);
                    self.place(other.spot, here);
                    self.shift(one.spot, there, 1);
                    self.shift(other.spot, here, 1);
                    self.follow_origin(one.spot, other.spot, true);
                    self.follow_origin(other.spot, one.spot, true);
                }
            }
        }
        self.settled = self.scratch.events.len();
        self.scratch.overlay.used = true;
    }

    pub(in crate::ops) fn settle_transfer(&mut self, event: Event, count: u32, from: StackLocation, to: StackLocation) {
        let Event::Moved { kind, class, inner: PackContents(inner), .. } = event else { return };
        let moved = Cell { class: class.0, kind: kind.0, count, id: to.stack.0, inner };
        if from.exists() {
            let cell = self.cell(from.spot);
            self.shift(from.spot, moved, -1);
            let left = cell.count - count;
            self.place(from.spot, if left == 0 { Cell::default() } else { Cell { count: left, ..cell } });
            self.follow_origin(from.spot, to.spot, false);
        }
        if to.exists() {
            let held = self.cell(to.spot).count;
            self.place(to.spot, Cell { count: held + count, ..moved });
            self.shift(to.spot, moved, 1);
            self.follow_origin(to.spot, from.spot, held == 0);
        }
    }

    /// Adds a stack to the sums of everything that carries a spot, or removes it.
    pub(in crate::ops) fn shift(&mut self, spot: Spot, cell: Cell, sign: i64) {
        if cell.is_empty() {
            return;
        }
        let (item, weight) = (self.item(cell), self.cell_weight(cell));
        let mut at = (!spot.is_ground()).then_some(spot.container);
        let holder = at.and_then(|container| self.holder_of(container));
        while let Some(container) = at {
            self.add_to_sums(Bearer::Container(container), item, cell.count, weight, sign);
            at = self.around(container);
        }
        if let Some(holder) = holder {
            self.add_to_sums(Bearer::Holder(holder), item, cell.count, weight, sign);
        }
    }

    pub(in crate::ops) fn add_to_sums(&mut self, bearer: Bearer, item: Item, count: u32, weight: i64, sign: i64) {
        for number in 0..self.world.rules.cap_filters.len() {
            let number = narrow::index(number);
            let by = self.counted(item, count, number) * sign;
            if by != 0 {
                self.scratch.overlay.caps.add((bearer, number), by);
            }
        }
        if weight != 0 {
            self.scratch.overlay.weights.add(bearer, weight * sign);
        }
    }

    /// Puts a cell in a spot; the contents of a pack move with it.
    pub(in crate::ops) fn place(&mut self, spot: Spot, cell: Cell) {
        if cell.is_pack() {
            let parents = &mut self.scratch.overlay.parents;
            match parents.iter_mut().find(|(inner, _)| *inner == cell.inner) {
                Some((_, parent)) => *parent = spot,
                None => parents.push((cell.inner, spot)),
            }
        }
        let Overlay { pending, new_packs, .. } = &mut self.scratch.overlay;
        pending.set(spot, cell, |spot, kind| match spot.container.checked_sub(self.world.container_count()) {
            None => self.world.limit(spot, kind),
            Some(new) => new_packs[new as usize].limit(&self.world.rules, kind, spot.slot),
        });
    }
}
