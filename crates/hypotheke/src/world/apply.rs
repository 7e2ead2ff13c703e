//! The only code that changes where something lies.

use super::index::Index;
use super::release::{SkippedUpdate, skips};
use super::{
    Cell, ClassTable, ContainerState, Event, GROUND, Goods, NONE, Origin, PackContents, Spot, StackClass,
    StackLocation, World,
};
use crate::id::KindId;
use crate::language::Position;
use crate::quantity::Decimal;
use crate::ruleset::Ruleset;

/// Items that move from one place to another.
#[derive(Clone, Copy)]
pub(super) struct Load {
    pub(super) kind: KindId,
    pub(super) class: StackClass,
    pub(super) count: u32,
    pub(super) inner: u32,
}

/// How many items of a kind were created, and how many consumed.
type Made = (u64, u64);

/// The amounts that a change adds to everything that carries the stack, or removes.
#[derive(Clone, Copy)]
struct Change {
    weight: i64,
    before: Goods,
    after: Goods,
}

impl World {
    /// Keeps in step where the stack in a hand came from: it has come into a hand that was empty,
    /// or by an exchange.
    fn follow_origin(&mut self, hand: Spot, from: Spot, was_empty: bool) {
        if hand.is_ground() || hand == Spot::NOWHERE || !self.is_hand(hand.container) {
            return;
        }
        let holder = self.containers[hand.container as usize].holder;
        if self.cell(hand).is_empty() {
            self.set_origin(holder, None);
        } else if was_empty {
            let slot = from != Spot::NOWHERE && !from.is_ground() && !self.is_hand(from.container);
            let origin = slot.then(|| Origin { container: self.container_id(from.container), slot: from.slot });
            self.set_origin(holder, origin);
        }
    }

    /// Performs one change. The creator of the event has checked that it is possible.
    pub(crate) fn carry_out(&mut self, event: &Event) {
        match *event {
            Event::Moved { kind, count, from, to, class, inner: PackContents(inner) } => {
                let load = Load { kind, class, count, inner };
                if from.exists() {
                    self.lessen(from, load);
                    self.follow_origin(from.spot, to.spot, false);
                } else {
                    self.totals.value(kind.index()).0 += u64::from(count);
                    self.whole_weight += self.weight_of_load(load);
                    self.bring(kind, inner);
                }
                if to.exists() {
                    let was_empty = self.cell(to.spot).is_empty();
                    self.add(to, load);
                    self.follow_origin(to.spot, from.spot, was_empty);
                } else {
                    self.retire(inner);
                    self.totals.value(kind.index()).1 += u64::from(count);
                    self.whole_weight -= self.weight_of_load(load);
                }
            }
            Event::Changed { at, after, .. } => self.change_class(at, after),
            Event::Resized { container, after, .. } => self.resize(container.index, after),
            Event::Bound { holder, shortcut, after, .. } => self.bind(holder.index, shortcut, after),
            Event::Metered { holder, meter, after, .. } => self.set_meter(holder.index, meter, after),
            Event::Waited { after, .. } => self.clock = after,
            Event::Worked { container, after, .. } => self.set_job(container.index, after),
            Event::Opened { holder, container } => self.set_open(holder.index, container.index, true),
            Event::Closed { holder, container } => self.set_open(holder.index, container.index, false),
            Event::Given { container, after, .. } => self.set_owner(container.index, after),
            Event::Departed { who, departure, .. } => self.send_off(who, departure),
            // What it brings is in a document; that is brought with `World::bring_in`.
            Event::Arrived { .. } => {}
            Event::Swapped { one, other } => {
                self.exchange(one, other);
                self.follow_origin(one.spot, other.spot, true);
                self.follow_origin(other.spot, one.spot, true);
            }
        }
    }

    /// Takes one change back: exactly what [`World::carry_out`] did, the other way round.
    pub(crate) fn carry_back(&mut self, event: &Event) {
        match *event {
            Event::Moved { kind, count, from, to, class, inner: PackContents(inner) } => {
                let load = Load { kind, class, count, inner };
                if to.exists() {
                    self.lessen(to, load);
                } else {
                    self.fetch_back(inner);
                    self.totals.value(kind.index()).1 -= u64::from(count);
                    self.whole_weight += self.weight_of_load(load);
                }
                if from.exists() {
                    self.add(from, load);
                } else {
                    self.totals.value(kind.index()).0 -= u64::from(count);
                    self.whole_weight -= self.weight_of_load(load);
                    self.unbring(inner);
                }
            }
            Event::Changed { at, before, .. } => self.change_class(at, before),
            Event::Resized { container, before, .. } => self.resize(container.index, before),
            Event::Bound { holder, shortcut, before, .. } => self.bind(holder.index, shortcut, before),
            Event::Metered { holder, meter, before, .. } => self.set_meter(holder.index, meter, before),
            Event::Waited { before, .. } => self.clock = before,
            Event::Worked { container, before, .. } => self.set_job(container.index, before),
            Event::Opened { holder, container } => self.set_open(holder.index, container.index, false),
            Event::Closed { holder, container } => self.set_open(holder.index, container.index, true),
            Event::Given { container, before, .. } => self.set_owner(container.index, before),
            Event::Departed { who, before, .. } => self.fetch_home(who, before),
            Event::Arrived { who, departure, before, .. } => self.send_back(who, departure, before),
            // An exchange is its own inverse.
            Event::Swapped { .. } => self.carry_out(event),
        }
    }

    /// All slots that a container may ever have are there from the beginning; those beyond its
    /// number are empty.
    fn resize(&mut self, container: u32, slots: u32) {
        self.containers[container as usize].slots = slots;
        let gone = |origin: &Origin| origin.container.index == container && origin.slot >= slots;
        for holder in &mut self.holders {
            holder.origin = holder.origin.filter(|origin| !gone(origin));
        }
    }

    pub(crate) fn bind(&mut self, holder: u32, shortcut: u32, kind: Option<KindId>) {
        let before = std::mem::replace(&mut self.holders[holder as usize].shortcuts[shortcut as usize], kind);
        self.bound = self.bound + u32::from(kind.is_some()) - u32::from(before.is_some());
    }

    fn set_meter(&mut self, holder: u32, meter: u32, value: Decimal) {
        self.holders[holder as usize].meters[meter as usize] = value;
    }

    pub(crate) fn set_open(&mut self, holder: u32, container: u32, open: bool) {
        if open {
            self.opened.insert((container, holder));
        } else {
            self.opened.remove(&(container, holder));
        }
    }

    pub(super) fn weight_of_load(&self, load: Load) -> i64 {
        i64::from(load.count) * self.rules.figures[load.kind.index()].weight
    }

    /// Takes a load from where it lies.
    fn lessen(&mut self, end: StackLocation, load: Load) {
        let before = self.cell(end.spot);
        debug_assert!(before.count >= load.count && before.class == load.class.0, "taking missing items");
        let count = before.count - load.count;
        let after = if count == 0 { Cell::default() } else { Cell { count, ..before } };
        let inside = self.weight_inside(load.inner);
        self.change(end.spot, -self.weight_of_load(load) - inside, (before, after), end.position);
        if load.inner != GROUND {
            self.insides.remove(&before.id);
        }
    }

    /// Lays a load where it is empty, or onto an alike stack.
    pub(super) fn add(&mut self, end: StackLocation, Load { kind, class, count, inner }: Load) {
        let before = self.cell(end.spot);
        debug_assert!(before.is_empty() || before.class == class.0, "laying onto what is not alike");
        let after = Cell { class: class.0, kind: kind.0, count: before.count + count, id: end.stack.0, inner };
        let weight = self.weight_of_load(Load { kind, class, count, inner }) + self.weight_inside(inner);
        self.change(end.spot, weight, (before, after), end.position);
        self.set_parent(inner, end.spot);
        if inner != GROUND {
            self.insides.insert(after.id, inner);
        }
    }

    fn change_class(&mut self, at: StackLocation, class: StackClass) {
        let before = self.cell(at.spot);
        self.change(at.spot, 0, (before, Cell { class: class.0, ..before }), at.position);
    }

    fn exchange(&mut self, one: StackLocation, other: StackLocation) {
        let (here, there) = (self.cell(one.spot), self.cell(other.spot));
        let (mine, yours) = (self.cell_weight(here), self.cell_weight(there));
        self.change(one.spot, yours - mine, (here, there), other.position);
        self.set_parent(there.inner, one.spot);
        self.change(other.spot, mine - yours, (there, here), one.position);
        self.set_parent(here.inner, other.spot);
    }

    /// The weight of a stack with its contents.
    #[inline(always)]
    pub(crate) fn cell_weight(&self, cell: Cell) -> i64 {
        if cell.is_empty() {
            return 0;
        }
        i64::from(cell.count) * self.rules.figures[cell.kind as usize].weight + self.weight_inside(cell.inner)
    }

    #[inline]
    pub(crate) fn weight_inside(&self, inner: u32) -> i64 {
        if inner == GROUND { 0 } else { self.containers[inner as usize].weight }
    }

    #[inline]
    fn set_parent(&mut self, inner: u32, parent: Spot) {
        if inner != GROUND {
            self.containers[inner as usize].parent = parent;
        }
    }

    // The insides of packs move with them, and are reused after the pack is removed.

    fn bring(&mut self, kind: KindId, inner: u32) {
        if inner != GROUND {
            let def = self.rules.figures[kind.index()].pack;
            self.bring_state(inner, def, self.rules.containers()[def as usize].slots);
        }
    }

    /// What was brought last goes first.
    pub(super) fn unbring(&mut self, inner: u32) {
        if inner == GROUND {
            return;
        }
        // One that was made when it was brought has never been anything else: it was the last to be
        // made.
        let state = &mut self.containers[inner as usize];
        if state.generation == 0 {
            let base = state.base as usize;
            self.containers.pop();
            self.cells.truncate(base);
        } else {
            state.generation -= 1;
            state.since = state.came_before.pop().unwrap_or(state.since);
            self.set_waiting(inner);
        }
    }

    /// A container in which nothing lies waits to be brought, as a new one would be.
    pub(super) fn set_waiting(&mut self, container: u32) {
        let state = &mut self.containers[container as usize];
        state.parent = Spot::NOWHERE;
        state.slots = self.rules.containers().get(state.def as usize).map_or(1, |def| def.slots);
        self.waiting.insert((state.def, container));
    }

    fn retire(&mut self, inner: u32) {
        if inner != GROUND {
            self.containers[inner as usize].parent = Spot::NOWHERE;
            let state = &self.containers[inner as usize];
            // While a resize can be undone, the container is not like a new one.
            if !self.keeps_history() || state.slots == self.rules.containers()[state.def as usize].slots {
                self.set_waiting(inner);
            }
        }
    }

    fn fetch_back(&mut self, inner: u32) {
        if inner != GROUND {
            let def = self.containers[inner as usize].def;
            self.waiting.remove(&(def, inner));
        }
    }

    /// Replaces the plain stack, or nothing, in a slot of a container by a plain stack or nothing.
    /// The weight change is that of the container.
    #[inline(always)]
    pub(crate) fn put_cell(&mut self, spot: Spot, before: Cell, after: Cell, weight: i64) {
        if self.changes_plain_sums(before, after) {
            self.add_weight(spot.container, weight);
            self.put(spot, before.goods(), after);
        } else {
            self.put_slowly(spot, weight, before.goods(), after.goods(), after.id);
        }
    }

    /// Whether replacing one stack by the other changes no counts except weights.
    #[inline(always)]
    fn changes_plain_sums(&self, before: Cell, after: Cell) -> bool {
        // What is empty has the class of the first kind.
        self.plain_sums && self.classes.is_of_kind(before.class.max(after.class))
    }

    #[inline(always)]
    fn add_weight(&mut self, container: u32, weight: i64) {
        let state = &mut self.containers[container as usize];
        if weight > 0 || !skips(SkippedUpdate::Weight) {
            state.weight += weight;
        }
        if state.holder != NONE && (weight > 0 || !skips(SkippedUpdate::HolderWeight)) {
            self.holders[state.holder as usize].weight += weight;
        }
    }

    #[inline(never)]
    fn put_slowly(&mut self, spot: Spot, weight: i64, before: Goods, after: Goods, id: u64) {
        self.count_class_uses(before, after);
        self.add_to_bearers(spot, Change { weight, before, after });
        self.put(spot, before, after.with_id(id));
    }

    /// Exchanges two plain stacks, or one and none. The gain is that of the other's container in
    /// weight.
    #[inline(always)]
    pub(crate) fn exchange_cells(&mut self, (one, mine): (Spot, Cell), (other, yours): (Spot, Cell), gain: i64) {
        if one.container == other.container {
            // No sum but the hash has changed.
            if self.hashed {
                self.follow_hash(one, mine.goods(), yours.goods());
                self.follow_hash(other, yours.goods(), mine.goods());
            }
            self.exchange_within(one.container, (one.slot, mine), (other.slot, yours));
        } else if self.changes_plain_sums(mine, yours) {
            self.add_weight(one.container, -gain);
            self.add_weight(other.container, gain);
            self.set_cell(one, mine.goods(), yours);
            self.set_cell(other, yours.goods(), mine);
            self.enter_exchange((one, mine.goods()), (other, yours.goods()));
        } else {
            self.put_cell(one, mine, yours, -gain);
            self.put_cell(other, yours, mine, gain);
        }
    }

    /// How many items of a kind were created and consumed. Read early, it is there when it is
    /// needed, however many kinds there are.
    #[inline]
    pub(crate) fn made(&self, kind: KindId) -> Option<Made> {
        self.totals.get(kind.index())
    }

    /// Takes note of items that came into the world, or left it.
    #[inline]
    pub(crate) fn add_to_tally(&mut self, kind: KindId, (created, consumed): Made, count: i64) {
        *self.totals.value(kind.index()) = match count > 0 {
            true => (created + count.unsigned_abs(), consumed),
            false => (created, consumed + count.unsigned_abs()),
        };
        self.whole_weight += self.rules.figures[kind.index()].weight * count;
    }

    /// Replaces a cell, and adds the difference to the sums of everything that carries it.
    #[inline]
    fn change(&mut self, spot: Spot, weight: i64, (before, after): (Cell, Cell), position: Position) {
        self.count_class_uses(before.goods(), after.goods());
        self.add_to_bearers(spot, Change { weight, before: before.goods(), after: after.goods() });
        if spot.is_ground() {
            self.ground.set(spot.slot, after, position);
            self.ground.next_landing = self.ground.next_landing.max(spot.slot + 1);
            return;
        }
        if self.is_in_work(spot) {
            let first = self.state(spot.container).base;
            self.cells[(first + spot.slot) as usize] = after;
            return;
        }
        self.put(spot, before.goods(), after);
    }

    fn count_class_uses(&mut self, before: Goods, after: Goods) {
        if before.class != after.class || before.is_empty() != after.is_empty() {
            if !before.is_empty() {
                self.classes.release(before.class);
            }
            if !after.is_empty() {
                self.classes.retain(after.class);
            }
        }
    }

    /// Puts a cell in a slot of a container, and enters it in the index.
    #[inline(always)]
    fn put(&mut self, spot: Spot, before: Goods, after: Cell) {
        self.set_cell(spot, before, after);
        self.enter(spot, before, after.goods());
    }

    /// Puts a cell in a slot of a container.
    #[inline(always)]
    fn set_cell(&mut self, spot: Spot, before: Goods, after: Cell) {
        let container = &mut self.containers[spot.container as usize];
        if !skips(SkippedUpdate::Taken) {
            container.taken = container.taken + u32::from(before.is_empty()) - u32::from(after.is_empty());
        }
        self.cells[(container.base + spot.slot) as usize] = after;
    }

    /// Adds the contents of a slot to the index.
    #[inline(always)]
    fn enter(&mut self, spot: Spot, before: Goods, after: Goods) {
        if skips(SkippedUpdate::Slot) {
            return;
        }
        let container = &mut self.containers[spot.container as usize];
        let limits = container.limits();
        match &mut container.index {
            Index::Scan(words) => words.update(spot.slot, before, after),
            Index::Tree(tree) => tree.update(spot.slot, before, after, |kind| limits.of(&self.rules, spot.slot, kind)),
        }
    }

    /// Enters in the indexes of two containers what has changed places between them.
    #[inline(always)]
    fn enter_exchange(&mut self, (one, mine): (Spot, Goods), (other, yours): (Spot, Goods)) {
        let is_large = |spot: Spot| matches!(self.state(spot.container).index, Index::Tree(_));
        let are_alike = mine.kind == yours.kind && !mine.is_empty() && !yours.is_empty();
        if is_large(one) && is_large(other) && !are_alike && !skips(SkippedUpdate::Slot) {
            self.enter_large_exchange((one, mine), (other, yours));
        } else {
            self.enter(one, mine, yours);
            self.enter(other, yours, mine);
        }
    }

    #[inline(never)]
    fn enter_large_exchange(&mut self, (one, mine): (Spot, Goods), (other, yours): (Spot, Goods)) {
        let limits = [one, other].map(|spot| (self.state(spot.container).limits(), spot.slot));
        let both = self.containers.get_disjoint_mut([one.container as usize, other.container as usize]);
        let Ok([ContainerState { index: Index::Tree(here), .. }, ContainerState { index: Index::Tree(there), .. }]) =
            both
        else {
            return;
        };
        let limits = |kind| limits.map(|(limits, slot)| limits.of(&self.rules, slot, kind));
        here.exchange_with(there, (one.slot, mine), (other.slot, yours), limits);
    }

    /// Two cells of a container change places, and are entered in the index there. As many slots
    /// are taken as before.
    #[inline(always)]
    fn exchange_within(&mut self, container: u32, (here, mine): (u32, Cell), (there, yours): (u32, Cell)) {
        let container = &mut self.containers[container as usize];
        self.cells[(container.base + here) as usize] = yours;
        self.cells[(container.base + there) as usize] = mine;
        if skips(SkippedUpdate::Slot) {
            return;
        }
        let limits = container.limits();
        match &mut container.index {
            Index::Scan(words) => {
                words.update(here, mine.goods(), yours.goods());
                words.update(there, yours.goods(), mine.goods());
            }
            Index::Tree(tree) => {
                let (one, other) = ((here, mine.goods()), (there, yours.goods()));
                tree.exchange(one, other, |slot, kind| limits.of(&self.rules, slot, kind));
            }
        }
    }

    /// The container in which something changed, those around it, and the holder or the ground.
    #[inline(never)]
    fn add_to_bearers(&mut self, spot: Spot, change: Change) {
        if self.hashed {
            self.follow_hash(spot, change.before, change.after);
        }
        if !self.rules.cap_filters.is_empty() {
            self.count_for_caps(spot.container, change);
        }
        let mut at = spot.container;
        loop {
            if at == GROUND {
                if !skips(SkippedUpdate::GroundWeight) {
                    self.ground.weight += change.weight;
                }
                return;
            }
            let state = &mut self.containers[at as usize];
            if change.weight > 0 || !skips(SkippedUpdate::Weight) {
                state.weight += change.weight;
            }
            if state.parent == Spot::NOWHERE {
                let holder = state.holder;
                if holder != NONE && (change.weight > 0 || !skips(SkippedUpdate::HolderWeight)) {
                    self.holders[holder as usize].weight += change.weight;
                }
                return;
            }
            at = state.parent.container;
        }
    }

    /// Keeps in step how many items satisfy each cap, in a container, in those around it and with
    /// the holder.
    fn count_for_caps(&mut self, container: u32, change: Change) {
        for number in 0..self.rules.cap_filters.len() {
            let (less, more) = self.counted_before_and_after(change, number);
            if less == more || more < less && skips(SkippedUpdate::Cap) {
                continue;
            }
            let mut at = container;
            loop {
                let state = &mut self.containers[at as usize];
                state.capped.change(number, more, less);
                if at == GROUND || state.parent == Spot::NOWHERE {
                    break;
                }
                at = state.parent.container;
            }
            let holder = self.containers[at as usize].holder;
            if holder != NONE {
                self.holders[holder as usize].capped.change(number, more, less);
            }
        }
    }

    #[inline(always)]
    fn counted_before_and_after(&self, Change { before, after, .. }: Change, number: usize) -> (u64, u64) {
        let are_alike = before.class == after.class || before.is_empty() || after.is_empty();
        if !are_alike || before.is_pack() || after.is_pack() {
            return (self.counted(before, number), self.counted(after, number));
        }
        // Looked up once for both.
        let there = if after.is_empty() { before } else { after };
        let admits = self.classes.admits(&self.rules, self.rules.cap_filters[number], there.kind, there.class);
        if admits { (u64::from(before.count), u64::from(after.count)) } else { (0, 0) }
    }

    /// The number of items of a stack and its contents that match the filter of a cap.
    fn counted(&self, cell: Goods, number: usize) -> u64 {
        if cell.is_empty() {
            return 0;
        }
        let filter = self.rules.cap_filters[number];
        let own = ClassTable::admits(&self.classes, &self.rules, filter, cell.kind, cell.class);
        let inside = if cell.is_pack() { self.containers[cell.inner as usize].capped.get(number) } else { 0 };
        inside + if own { u64::from(cell.count) } else { 0 }
    }
}

/// What a container, and its slots that have rules of their own, hold at most.
#[derive(Clone, Copy)]
pub(super) struct Limits {
    stack_limit: u32,
    ruled: u32,
    def: u32,
}

impl ContainerState {
    #[inline(always)]
    pub(super) fn limits(&self) -> Limits {
        Limits { stack_limit: self.stack_limit, ruled: self.ruled, def: self.def }
    }
}

impl Limits {
    /// The most items of a kind in a slot: the least of the limits of kind, container and slot.
    #[inline(always)]
    pub(super) fn of(self, rules: &Ruleset, slot: u32, kind: u32) -> u32 {
        let own = rules.figures[kind as usize].stack_limit.min(self.stack_limit);
        if slot >= self.ruled { own } else { own.min(ruled_limit(rules, self.def, slot)) }
    }
}

#[inline(never)]
fn ruled_limit(rules: &Ruleset, def: u32, slot: u32) -> u32 {
    let rule = rules.containers().get(def as usize).and_then(|def| def.ruled.get(slot as usize));
    rule.map_or(u32::MAX, |rule| rule.stack_limit)
}
