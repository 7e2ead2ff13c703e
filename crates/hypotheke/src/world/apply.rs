//! The only code that changes where something lies.

use super::forget::{Forgotten, forgets};
use super::index::Index;
use super::{Bearer, Cell, Class, ClassTable, End, Event, GROUND, Inner, NONE, Origin, Spot, World};
use crate::id::KindId;
use crate::language::Position;
use crate::ruleset::Ruleset;

/// What goes from one place to another.
#[derive(Clone, Copy)]
pub(super) struct Load {
    pub(super) kind: KindId,
    pub(super) class: Class,
    pub(super) count: u32,
    pub(super) inner: u32,
}

/// How many items of a kind were created, and how many consumed.
type Made = (u64, u64);

/// What a change adds to, or takes from, each of those that bear it.
#[derive(Clone, Copy)]
struct Change {
    weight: i64,
    before: Cell,
    after: Cell,
}

impl World {
    /// Keeps in step where the stack in a hand came from: it has come into a hand that was empty, or by an exchange.
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

    /// Makes one change. Whoever made the event has made sure that it can be made.
    pub(crate) fn carry_out(&mut self, event: &Event) {
        match *event {
            Event::Transferred { kind, count, from, to, class, inner: Inner(inner) } => {
                let load = Load { kind, class, count, inner };
                if from.exists() {
                    self.lessen(from, load);
                    self.follow_origin(from.spot, to.spot, false);
                } else {
                    self.tallies[kind.index()].0 += u64::from(count);
                    self.whole_weight += self.weight_of_load(load);
                    self.bring(kind, inner);
                }
                if to.exists() {
                    let was_empty = self.cell(to.spot).is_empty();
                    self.add(to, load);
                    self.follow_origin(to.spot, from.spot, was_empty);
                } else {
                    self.put_aside(inner);
                    self.tallies[kind.index()].1 += u64::from(count);
                    self.whole_weight -= self.weight_of_load(load);
                }
            }
            Event::Changed { at, after, .. } => self.change_class(at, after),
            Event::Resized { container, after, .. } => self.resize(container.index, after),
            Event::Bound { holder, shortcut, after, .. } => self.bind(holder.index, shortcut, after),
            Event::Opened { holder, container } => self.set_open(holder.index, container.index, true),
            Event::Closed { holder, container } => self.set_open(holder.index, container.index, false),
            Event::Departed { who, .. } => self.send_off(who),
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
            Event::Transferred { kind, count, from, to, class, inner: Inner(inner) } => {
                let load = Load { kind, class, count, inner };
                if to.exists() {
                    self.lessen(to, load);
                } else {
                    self.fetch_back(inner);
                    self.tallies[kind.index()].1 -= u64::from(count);
                    self.whole_weight += self.weight_of_load(load);
                }
                if from.exists() {
                    self.add(from, load);
                } else {
                    self.tallies[kind.index()].0 -= u64::from(count);
                    self.whole_weight -= self.weight_of_load(load);
                    self.unbring(inner);
                }
            }
            Event::Changed { at, before, .. } => self.change_class(at, before),
            Event::Resized { container, before, .. } => self.resize(container.index, before),
            Event::Bound { holder, shortcut, before, .. } => self.bind(holder.index, shortcut, before),
            Event::Opened { holder, container } => self.set_open(holder.index, container.index, false),
            Event::Closed { holder, container } => self.set_open(holder.index, container.index, true),
            Event::Departed { who, .. } => self.fetch_home(who),
            Event::Arrived { who, departure, .. } => self.send_back(who, departure),
            // An exchange is its own inverse.
            Event::Swapped { .. } => self.carry_out(event),
        }
    }

    /// All slots that a container may ever have are there from the beginning; those beyond its number are empty.
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
    fn lessen(&mut self, end: End, load: Load) {
        let before = self.cell(end.spot);
        debug_assert!(before.count >= load.count && before.class == load.class.0, "taking what is not there");
        let count = before.count - load.count;
        let after = if count == 0 { Cell::default() } else { Cell { count, ..before } };
        let inside = self.weight_inside(load.inner);
        let change = Change { weight: -self.weight_of_load(load) - inside, before, after };
        self.change(end.spot, change, end.position);
        if load.inner != GROUND {
            self.insides.remove(&before.id);
        }
    }

    /// Lays a load where it is empty, or onto an alike stack.
    pub(super) fn add(&mut self, end: End, Load { kind, class, count, inner }: Load) {
        let before = self.cell(end.spot);
        debug_assert!(before.is_empty() || before.class == class.0, "laying onto what is not alike");
        let after = Cell { class: class.0, kind: kind.0, count: before.count + count, id: end.stack.0, inner };
        let weight = self.weight_of_load(Load { kind, class, count, inner }) + self.weight_inside(inner);
        self.change(end.spot, Change { weight, before, after }, end.position);
        self.set_parent(inner, end.spot);
        if inner != GROUND {
            self.insides.insert(after.id, inner);
        }
    }

    fn change_class(&mut self, at: End, class: Class) {
        let before = self.cell(at.spot);
        let change = Change { weight: 0, before, after: Cell { class: class.0, ..before } };
        self.change(at.spot, change, at.position);
    }

    fn exchange(&mut self, one: End, other: End) {
        let (here, there) = (self.cell(one.spot), self.cell(other.spot));
        let (mine, yours) = (self.cell_weight(here), self.cell_weight(there));
        let change = Change { weight: yours - mine, before: here, after: there };
        self.change(one.spot, change, other.position);
        self.set_parent(there.inner, one.spot);
        let change = Change { weight: mine - yours, before: there, after: here };
        self.change(other.spot, change, one.position);
        self.set_parent(here.inner, other.spot);
    }

    /// The weight of a stack and of all that lies in it.
    #[inline]
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

    // The insides of packs come with them and wait for the next one when they have gone.

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
        // One that was made when it was brought has never been anything else: it was the last to be made.
        let state = &mut self.containers[inner as usize];
        if state.generation == 0 {
            let base = state.base as usize;
            self.containers.pop();
            self.cells.truncate(base);
        } else {
            state.generation -= 1;
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

    fn put_aside(&mut self, inner: u32) {
        if inner != GROUND {
            self.containers[inner as usize].parent = Spot::NOWHERE;
            let state = &self.containers[inner as usize];
            // As long as it may be taken back, one that was resized is not as a new one would be.
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

    /// Puts a plain stack, or none, where another or none lies in a slot of a container. The change of weight is that of the
    /// container.
    #[inline]
    pub(crate) fn put_cell(&mut self, spot: Spot, before: Cell, after: Cell, weight: i64) {
        let change = Change { weight, before, after };
        self.change_class_uses(change);
        if self.plain_sums {
            let state = &mut self.containers[spot.container as usize];
            if weight > 0 || !forgets(Forgotten::Weight) {
                state.weight += weight;
            }
            if state.holder != NONE && (weight > 0 || !forgets(Forgotten::HolderWeight)) {
                self.holders[state.holder as usize].weight += weight;
            }
        } else {
            self.add_to_bearers(spot, change);
        }
        self.put(spot, before, after);
    }

    /// Exchanges two plain stacks, or one and none. The gain is that of the other's container in weight.
    #[inline]
    pub(crate) fn exchange_cells(&mut self, (one, mine): (Spot, Cell), (other, yours): (Spot, Cell), gain: i64) {
        if one.container == other.container {
            // No sum but the hash has changed.
            if self.hashed {
                self.follow_hash(one, mine, yours);
                self.follow_hash(other, yours, mine);
            }
            self.exchange_within(one.container, (one.slot, mine), (other.slot, yours));
        } else {
            self.put_cell(one, mine, yours, -gain);
            self.put_cell(other, yours, mine, gain);
        }
    }

    /// How many items of a kind were created and consumed. Read early, it is there when it is needed, however many kinds
    /// there are.
    #[inline]
    pub(crate) fn made(&self, kind: KindId) -> Option<Made> {
        self.tallies.get(kind.index()).copied()
    }

    /// Takes note of items that came into the world, or left it.
    #[inline]
    pub(crate) fn add_to_tally(&mut self, kind: KindId, (created, consumed): Made, count: i64) {
        self.tallies[kind.index()] = match count > 0 {
            true => (created + count.unsigned_abs(), consumed),
            false => (created, consumed + count.unsigned_abs()),
        };
        self.whole_weight += self.rules.figures[kind.index()].weight * count;
    }

    /// Puts a cell where another lies, and adds to the sums of all that bear it.
    #[inline]
    fn change(&mut self, spot: Spot, change: Change, position: Position) {
        let Change { before, after, .. } = change;
        self.change_class_uses(change);
        self.add_to_bearers(spot, change);
        if spot.is_ground() {
            self.ground.set(spot.slot, after, position);
            self.ground.next_landing = self.ground.next_landing.max(spot.slot + 1);
            return;
        }
        self.put(spot, before, after);
    }

    #[inline]
    fn change_class_uses(&mut self, Change { before, after, .. }: Change) {
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
    #[inline]
    fn put(&mut self, spot: Spot, before: Cell, after: Cell) {
        let container = &mut self.containers[spot.container as usize];
        if !forgets(Forgotten::Taken) {
            container.taken = container.taken + u32::from(before.is_empty()) - u32::from(after.is_empty());
        }
        self.cells[(container.base + spot.slot) as usize] = after;
        if forgets(Forgotten::Slot) {
            return;
        }
        match &mut container.index {
            Index::Scan(words) => words.update(spot.slot, before, after),
            Index::Tree(tree) => {
                let (stack_limit, ruled, def) = (container.stack_limit, container.ruled, container.def);
                let rules: &Ruleset = &self.rules;
                tree.update(spot.slot, before, after, |kind| {
                    slot_limit(rules, stack_limit, ruled, def, kind, spot.slot)
                });
            }
        }
    }

    /// Two cells of a container change places, and are entered in the index there. As many slots are taken as before.
    #[inline]
    fn exchange_within(&mut self, container: u32, one: (u32, Cell), other: (u32, Cell)) {
        let container = &mut self.containers[container as usize];
        let ((here, mine), (there, yours)) = (one, other);
        self.cells[(container.base + here) as usize] = yours;
        self.cells[(container.base + there) as usize] = mine;
        if forgets(Forgotten::Slot) {
            return;
        }
        match &mut container.index {
            Index::Scan(words) => {
                words.update(here, mine, yours);
                words.update(there, yours, mine);
            }
            Index::Tree(tree) => {
                let (stack_limit, ruled, def) = (container.stack_limit, container.ruled, container.def);
                let rules: &Ruleset = &self.rules;
                tree.exchange(one, other, |slot, kind| slot_limit(rules, stack_limit, ruled, def, kind, slot));
            }
        }
    }

    /// The container in which something changed, those around it, and the holder or the ground.
    #[inline]
    fn add_to_bearers(&mut self, spot: Spot, change: Change) {
        if self.hashed {
            self.follow_hash(spot, change.before, change.after);
        }
        let counts = !self.rules.cap_filters.is_empty();
        let mut at = spot.container;
        loop {
            if counts {
                self.count_for_caps(Bearer::Container(at), change);
            }
            if at == GROUND {
                if !forgets(Forgotten::GroundWeight) {
                    self.ground.weight += change.weight;
                }
                return;
            }
            let state = &mut self.containers[at as usize];
            if change.weight > 0 || !forgets(Forgotten::Weight) {
                state.weight += change.weight;
            }
            if state.parent == Spot::NOWHERE {
                let holder = state.holder;
                if holder != NONE {
                    if change.weight > 0 || !forgets(Forgotten::HolderWeight) {
                        self.holders[holder as usize].weight += change.weight;
                    }
                    if counts {
                        self.count_for_caps(Bearer::Holder(holder), change);
                    }
                }
                return;
            }
            at = state.parent.container;
        }
    }

    /// Keeps in step how many items satisfy each cap.
    fn count_for_caps(&mut self, bearer: Bearer, change: Change) {
        for number in 0..self.rules.cap_filters.len() {
            let (less, more) = (self.counted(change.before, number), self.counted(change.after, number));
            if more < less && forgets(Forgotten::Cap) {
                continue;
            }
            let capped = match bearer {
                Bearer::Container(container) => &mut self.containers[container as usize].capped,
                Bearer::Holder(holder) => &mut self.holders[holder as usize].capped,
            };
            capped.change(number, more, less);
        }
    }

    /// How many items of a stack, and of all that lies in it, satisfy the filter of a cap.
    pub(crate) fn counted(&self, cell: Cell, number: usize) -> u64 {
        if cell.is_empty() {
            return 0;
        }
        let filter = self.rules.cap_filters[number];
        let own = ClassTable::admits(&self.classes, &self.rules, filter, cell.kind, cell.class);
        let inside = if cell.is_pack() { self.containers[cell.inner as usize].capped.get(number) } else { 0 };
        inside + if own { u64::from(cell.count) } else { 0 }
    }
}

/// The most items of a kind in a slot: the least of the limits of kind, container and slot.
#[inline]
pub(super) fn slot_limit(rules: &Ruleset, stack_limit: u32, ruled: u32, def: u32, kind: u32, slot: u32) -> u32 {
    let own = rules.figures[kind as usize].stack_limit.min(stack_limit);
    if slot >= ruled {
        return own;
    }
    own.min(rules.containers()[def as usize].ruled[slot as usize].stack_limit)
}
