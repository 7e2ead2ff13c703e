//! The world as it would be: pending changes laid over the world as it is.

use std::sync::Arc;

use rand_core::Rng;
use rand_xoshiro::Xoshiro256PlusPlus;

use super::Done;
use super::operation::Variant;
use super::refusal::{Cause, Refusal, Unknown};
use crate::id::{ContainerId, HolderId, KindId, StackId};
use crate::language::{Landing, Position};
use crate::quantity::Decimal;
use crate::ruleset::{Cap, FilterId, NO_PACK, PropertyValue, Way};
use crate::snapshot::Departure;
use crate::snapshot::Outcome;
use crate::world::{
    Arrival, Arriving, Bearer, Cell, Class, ClassKey, ContainerState, EMPTY, End, Event, GROUND, Inner, Overlay, Place,
    Scratch, Spot, Traveller, World,
};

/// So many stacks lie on the ground at most: what a request can ask for must not fill the memory.
pub(super) const MOST_ON_GROUND: usize = 1 << 20;

/// What is being laid somewhere: items of one class.
#[derive(Clone, Copy, Debug)]
pub(super) struct Item {
    pub(super) kind: u32,
    pub(super) class: u32,
    /// The weight of one with all that lies in it, in thousandths.
    pub(super) weight: i64,
    /// The container inside, if it is a pack that is there already.
    pub(super) inner: u32,
}

impl Item {
    /// True if it is a pack that is there already, and so may have something inside.
    pub(super) fn is_pack(self) -> bool {
        self.inner != GROUND
    }

    /// Whether a stack is one that it could be merged onto.
    #[inline]
    pub(super) fn is_alike(self, there: Cell) -> bool {
        !there.is_empty() && !there.is_pack() && there.class == self.class
    }
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

/// How far a draft has come.
pub(super) struct SoFar {
    events: usize,
    next_stack: u64,
    next_landing: u32,
    random: Option<Xoshiro256PlusPlus>,
}

pub(super) struct Draft<'w> {
    pub(super) world: &'w World,
    scratch: Box<Scratch>,
    next_stack: u64,
    next_landing: u32,
    /// So many events have been laid over the world as pending cells. Most operations need no more than their events.
    settled: usize,
    /// Events other than those of stacks have been worked out.
    others: bool,
    /// Where the stacks land that are laid on the ground.
    landing: Landing,
    onto: Onto,
    /// What is laid goes back to where it came from: no border holds it up.
    going_back: bool,
    /// A slot into which nothing more is laid.
    passed_over: Option<Spot>,
    /// In so many lists of operations that are applied as one the operation stands.
    pub(super) nested_lists: u32,
    /// Caps are judged in the end, not now.
    caps_later: bool,
    /// The holder that acts; none if the game does.
    pub(super) actor: Option<u32>,
    /// A container that is about to have so many slots.
    shrinking: Option<(u32, u32)>,
    /// How what was in a hand was put where it is.
    pub(super) way: Option<Way>,
    /// What has departed, and what that and what has arrived adds to the weight of all.
    left: Vec<Traveller>,
    travelled: i64,
    /// Every reason why not more would go, where that is asked.
    causes: Option<Vec<Cause>>,
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
            others: false,
            landing: Landing::default(),
            onto: Onto::Any,
            going_back: false,
            passed_over: None,
            nested_lists: 0,
            caps_later: false,
            actor: None,
            shrinking: None,
            way: None,
            left: Vec::new(),
            travelled: 0,
            causes: None,
        }
    }

    #[inline]
    pub(super) fn outcome(&self, done: Done) -> Outcome {
        Outcome {
            asked: done.asked,
            done: done.count,
            changed: !self.scratch.events.is_empty(),
            revision: self.world.revision + 1,
            way: self.way,
        }
    }

    /// Who acts from now on.
    #[inline]
    pub(super) fn act_as(&mut self, actor: Option<HolderId>) -> Result<(), Refusal> {
        if actor.is_some_and(|holder| !self.has_holder(holder)) {
            return Err(Refusal::new(Cause::Unknown(Unknown::Place)));
        }
        self.actor = actor.map(|holder| holder.index);
        Ok(())
    }

    /// What follows from all that was worked out: shortcuts of which nothing is left, containers that have gone.
    #[inline]
    pub(super) fn follow_up(&mut self) {
        if self.world.bound() > 0 || self.others {
            self.clear_spent_shortcuts_of(None);
        }
        if self.world.opened().next().is_some() || self.others {
            self.close_what_has_gone();
        }
    }

    #[inline]
    pub(super) fn events(&self) -> &[Event] {
        &self.scratch.events
    }

    pub(super) fn push(&mut self, event: Event) {
        self.others = true;
        self.scratch.events.push(event);
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

    /// Whether what is laid from now on goes back to where it came from.
    pub(super) fn go_back(&mut self, going_back: bool) {
        self.going_back = going_back;
    }

    /// From here on every reason is noted, not the first only.
    pub(super) fn collect_causes(&mut self) {
        self.causes = Some(Vec::new());
    }

    #[inline]
    pub(super) fn collects_causes(&self) -> bool {
        self.causes.is_some()
    }

    pub(super) fn note_causes(&mut self, found: impl IntoIterator<Item = Cause>) {
        if let Some(causes) = &mut self.causes {
            causes.extend(found);
        }
    }

    /// What was noted so far is put aside, so that it can be noted again.
    pub(super) fn take_noted(&mut self) -> Vec<Cause> {
        self.causes.as_mut().map(std::mem::take).unwrap_or_default()
    }

    /// Notes it before what has been noted since.
    pub(super) fn note_first(&mut self, noted: Vec<Cause>) {
        if let Some(causes) = &mut self.causes {
            causes.splice(0..0, noted);
        }
    }

    pub(super) fn take_causes(&mut self) -> Vec<Cause> {
        self.causes.take().unwrap_or_default()
    }

    pub(super) fn is_hand(&self, container: u32) -> bool {
        container < self.world.container_count() && self.world.is_hand(container)
    }

    /// The spot of one stack: a slot, a hand, or a place on the ground.
    pub(super) fn spot_of_one(&self, place: Place) -> Result<Spot, Refusal> {
        match place {
            Place::Slot(..) => self.slot(place),
            Place::Hand(holder) => Ok(self.hand(Some(holder))?.1),
            Place::OnGround(stack) => self.landing_of(stack).ok_or(Refusal::new(Cause::Unknown(Unknown::Stack))),
            _ => Err(Refusal::new(Cause::Unknown(Unknown::Meaning))),
        }
    }

    /// What comes is another operation, on what those before it would leave.
    pub(super) fn begin_step(&mut self) {
        self.settle();
        self.landing = Landing::default();
        self.onto = Onto::Any;
        self.going_back = false;
        self.passed_over = None;
        self.caps_later = false;
        self.way = None;
    }

    /// An exact operation among several that are applied as one keeps within caps in the end, not by itself.
    #[inline]
    pub(super) fn be_exact(&mut self, exact: bool) {
        self.caps_later = exact && self.nested_lists > 0;
    }

    #[inline]
    pub(super) fn judges_caps_later(&self) -> bool {
        self.caps_later
    }

    /// Those whose sums would change, containers first, each in order.
    pub(super) fn changed_bearers(&self) -> Vec<Bearer> {
        let overlay = &self.scratch.overlay;
        let changed = overlay.weights.iter().map(|(bearer, _)| *bearer);
        let mut bearers: Vec<Bearer> = changed.chain(overlay.caps.iter().map(|((bearer, _), _)| *bearer)).collect();
        // What has departed is not in the world that is judged.
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

    /// Puts containers in an order in which nothing counts but what can be told of the world: those that last, then the
    /// insides of packs by the ids of those.
    pub(super) fn order_of(&self, container: u32) -> (u8, u64, u64) {
        if self.world.is_lasting(container) {
            return self.world.order_of(container);
        }
        let parent = self.parent(container);
        (2, if parent == Spot::NOWHERE { 0 } else { self.cell(parent).id }, 0)
    }

    /// By how much the weight of a container or holder would change.
    pub(super) fn weight_gain(&self, bearer: Bearer) -> i64 {
        let changes = self.scratch.overlay.weights.iter().filter(|(changed, _)| *changed == bearer);
        changes.map(|(_, by)| by).sum()
    }

    pub(super) fn capped_gain(&self, bearer: Bearer, number: u32) -> i64 {
        let changes = self.scratch.overlay.caps.iter().filter(|(changed, _)| *changed == (bearer, number));
        changes.map(|(_, by)| by).sum()
    }

    /// The weight of all that there would be.
    pub(super) fn whole_weight(&self) -> i64 {
        let figures = &self.world.rules.figures;
        let change = |event: &Event| match event {
            Event::Transferred { kind, count, from, to, .. } => {
                let sign = i64::from(to.exists()) - i64::from(from.exists());
                sign * i64::from(*count) * figures[kind.index()].weight
            }
            _ => 0,
        };
        self.world.whole_weight() + self.travelled + self.scratch.events.iter().map(change).sum::<i64>()
    }

    /// Where a stack on the ground lies.
    pub(super) fn landing_of(&self, stack: StackId) -> Option<Spot> {
        let there = |spot: &Spot| self.cell(*spot).id == stack.0 && !self.cell(*spot).is_empty();
        let in_world = self.world.ground.landing_of(stack.0).map(|slot| Spot { container: GROUND, slot });
        let landed = || {
            let mut ends = self.scratch.events.iter().filter_map(|event| match event {
                Event::Transferred { to, .. } if to.spot.is_ground() && to.stack == stack => Some(to.spot),
                _ => None,
            });
            ends.next_back().filter(there)
        };
        in_world.filter(there).or_else(landed)
    }

    /// Lays nothing more into a slot.
    pub(super) fn pass_over(&mut self, spot: Spot) {
        self.passed_over = Some(spot);
    }

    #[inline]
    pub(super) fn is_passed_over(&self, spot: Spot) -> bool {
        self.passed_over == Some(spot)
    }

    /// The slot from which the stack in a hand came, if it is still there.
    pub(super) fn origin(&self, holder: u32) -> Option<Spot> {
        if let Some((_, origin)) = self.scratch.overlay.origins.iter().find(|(known, _)| *known == holder) {
            return origin.filter(|from| !self.has_left(from.container));
        }
        let origin = self.world.origin_of(holder)?;
        let there = self.has_container(origin.container);
        there.then_some(Spot { container: origin.container.index, slot: origin.slot })
    }

    /// Keeps in step where the stack in a hand came from, as the world does: it has come into a hand that was empty, or by an
    /// exchange.
    fn follow_origin(&mut self, hand: Spot, from: Spot, was_empty: bool) {
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

    /// What came into a hand from a slot that goes comes from nowhere then.
    fn forget_origins_beyond(&mut self, container: u32, slots: u32) {
        for holder in 0..self.world.holder_count() {
            let gone = self.origin(holder).is_some_and(|from| from.container == container && from.slot >= slots);
            if gone {
                let origins = &mut self.scratch.overlay.origins;
                origins.retain(|(known, _)| *known != holder);
                origins.push((holder, None));
            }
        }
    }

    /// How far the draft has come, so that what follows can be tried and forgotten. No pack may be created in between.
    pub(super) fn so_far(&self) -> SoFar {
        SoFar {
            events: self.scratch.events.len(),
            next_stack: self.next_stack,
            next_landing: self.next_landing,
            random: self.scratch.overlay.random.clone(),
        }
    }

    /// Forgets what was worked out since.
    pub(super) fn go_back_to(&mut self, so_far: &SoFar) {
        self.scratch.events.truncate(so_far.events);
        self.scratch.parts.clear();
        if self.settled > so_far.events {
            self.scratch.overlay.clear_cells();
            self.settled = 0;
            self.settle();
        }
        self.next_stack = so_far.next_stack;
        self.next_landing = so_far.next_landing;
        self.scratch.overlay.random.clone_from(&so_far.random);
    }

    /// Puts what was worked out since into another order. It must come to the same.
    pub(super) fn reorder(&mut self, so_far: &SoFar, order: impl FnOnce(&[Event]) -> Vec<Event>) {
        let (next_stack, ordered) = (self.next_stack, order(&self.scratch.events[so_far.events..]));
        self.go_back_to(so_far);
        self.scratch.events.extend(ordered);
        self.next_stack = next_stack;
        self.settle();
    }

    /// A stack waits beyond the slots of its container, where nothing looks for it, until its slot is free again.
    pub(super) fn put_aside(&mut self, spot: Spot) -> Spot {
        let aside = Spot { container: spot.container, slot: self.slots(spot.container) };
        let cell = self.cell(spot);
        self.scratch.overlay.used = true;
        self.place(aside, Cell::default());
        self.push_transfer(self.item(cell), cell.count, self.end(spot, cell.id), self.end(aside, cell.id));
        self.settle();
        aside
    }

    /// What lies there is no burden to its container any more.
    pub(super) fn take_out_of_sums(&mut self, spot: Spot) {
        let cell = self.cell(spot);
        let (item, weight) = (self.item(cell), self.cell_weight(cell));
        self.add_to_sums(Bearer::Container(spot.container), item, cell.count, weight, -1);
    }

    /// How many slots a container has by now.
    #[inline]
    pub(super) fn slots(&self, container: u32) -> u32 {
        if let Some((_, slots)) = self.shrinking.filter(|(shrinking, _)| *shrinking == container) {
            return slots;
        }
        let resized = || {
            self.scratch.events.iter().rev().find_map(|event| match event {
                Event::Resized { container: resized, after, .. } if resized.index == container => Some(*after),
                _ => None,
            })
        };
        let resized = if self.others { resized() } else { None };
        resized.unwrap_or_else(|| self.state(container).slots)
    }

    /// Nothing more is laid into the slots of a container that are to go.
    pub(super) fn shrink_to(&mut self, container: u32, slots: u32) {
        self.shrinking = Some((container, slots));
    }

    pub(super) fn end_shrinking(&mut self) {
        self.shrinking = None;
    }

    /// Between which numbers of slots a container may be resized.
    pub(super) fn slot_bounds(&self, container: u32) -> (u32, u32) {
        let state = self.state(container);
        let def = self.world.rules.containers().get(state.def as usize);
        def.map_or((state.slots, state.slots), |def| def.bounds)
    }

    /// Whether a container lets stacks in.
    #[inline]
    pub(super) fn may_put(&self, container: u32) -> bool {
        self.going_back || self.state(container).put
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
        self.scratch.overlay.pending.get(spot).unwrap_or_else(|| match spot.container < self.world.container_count() {
            true => self.world.cell(spot),
            false => Cell::default(),
        })
    }

    /// A container, be it one that the operation brings.
    #[inline]
    pub(super) fn state(&self, container: u32) -> &ContainerState {
        match container.checked_sub(self.world.container_count()) {
            None => self.world.state(container),
            Some(new) => &self.scratch.overlay.new_packs[new as usize],
        }
    }

    /// Whether the operation itself brings a container.
    #[inline]
    fn is_new(&self, container: u32) -> bool {
        container >= self.world.container_count()
    }

    /// The most items of a kind in a slot.
    #[inline]
    pub(super) fn limit(&self, spot: Spot, kind: u32) -> u32 {
        if spot.is_ground() {
            return self.world.limit(spot, kind);
        }
        self.state(spot.container).limit(&self.world.rules, kind, spot.slot)
    }

    // What lies around what.

    #[inline]
    pub(super) fn parent(&self, container: u32) -> Spot {
        if self.settled > 0
            && let Some((_, parent)) = self.scratch.overlay.parents.iter().find(|(inner, _)| *inner == container)
        {
            return *parent;
        }
        self.state(container).parent
    }

    /// The container in which the pack lies whose inside this one is.
    #[inline]
    pub(super) fn around(&self, container: u32) -> Option<u32> {
        if self.world.is_lasting(container) {
            return None;
        }
        let around = self.parent(container).container;
        (around != GROUND && around != Spot::NOWHERE.container).then_some(around)
    }

    /// A container and those around it, from the inside out.
    pub(super) fn containers_around(&self, container: Option<u32>) -> impl Iterator<Item = u32> {
        std::iter::successors(container, |&at| self.around(at))
    }

    /// Whether a container is another, or lies in it at any depth.
    #[inline]
    pub(super) fn is_within(&self, container: u32, other: u32) -> bool {
        let mut at = container;
        while at != other {
            match self.around(at) {
                Some(around) => at = around,
                None => return false,
            }
        }
        true
    }

    /// The outermost container around one.
    #[inline]
    pub(super) fn outermost(&self, container: u32) -> u32 {
        let mut at = container;
        while let Some(around) = self.around(at) {
            at = around;
        }
        at
    }

    #[inline]
    pub(super) fn holder_of(&self, container: u32) -> Option<u32> {
        let holder = self.state(self.outermost(container)).holder;
        (holder != u32::MAX).then_some(holder)
    }

    /// Whether a container lies on the ground, or is it.
    #[inline]
    pub(super) fn is_on_ground(&self, container: u32) -> bool {
        if self.world.is_lasting(container) {
            return container == GROUND;
        }
        container == GROUND || self.parent(self.outermost(container)).is_ground()
    }

    /// In how many packs a container lies.
    pub(super) fn depth(&self, container: u32) -> u32 {
        let mut depth = 0;
        let mut at = container;
        while self.parent(at) != Spot::NOWHERE {
            depth += 1;
            at = self.parent(at).container;
        }
        depth
    }

    /// How deep packs nest in a container that is inside of one, that one counted.
    pub(super) fn height(&self, container: u32) -> u32 {
        let inside = self.cells_in(container).filter(|cell| cell.is_pack());
        1 + inside.map(|cell| self.height(cell.inner)).max().unwrap_or(0)
    }

    /// What lies in a container.
    pub(super) fn cells_in(&self, container: u32) -> impl Iterator<Item = Cell> + '_ {
        let mut from = Some(0);
        std::iter::from_fn(move || {
            let slot = self.next_stack_in(container, None, from?)?;
            from = slot.checked_add(1);
            Some(self.cell(Spot { container, slot }))
        })
    }

    /// The first of all that lies in a container, at any depth, that is wanted.
    pub(super) fn find_within(&self, container: u32, wanted: &impl Fn(Cell) -> bool) -> Option<Cell> {
        self.cells_in(container).find_map(|cell| {
            if wanted(cell) {
                return Some(cell);
            }
            if cell.is_pack() { self.find_within(cell.inner, wanted) } else { None }
        })
    }

    /// The next slot with a stack, of one kind if one is given.
    #[inline]
    pub(super) fn next_stack_in(&self, container: u32, kind: Option<u32>, from: u32) -> Option<u32> {
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
        least(found, pending.next(container, from, wanted))
    }

    #[inline]
    pub(super) fn next_with_room(&mut self, container: u32, item: Item, from: u32) -> Option<u32> {
        let world = self.world;
        let is_new = self.is_new(container);
        let found = self.next_target(container, item.class, from, |from| {
            if is_new { None } else { world.next_with_room(container, item.kind, item.class, from) }
        });
        match self.shrinking {
            None => found,
            Some(_) => found.filter(|&slot| slot < self.slots(container)),
        }
    }

    #[inline]
    pub(super) fn next_empty(&mut self, container: u32, from: u32) -> Option<u32> {
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
        let state = match container.checked_sub(self.world.container_count()) {
            None => self.world.state(container),
            Some(new) => &self.scratch.overlay.new_packs[new as usize],
        };
        let limit = |spot: Spot, kind| state.limit(&self.world.rules, kind, spot.slot);
        let pending = &self.scratch.overlay.pending;
        least(found, pending.next_target(container, class, from, limit))
    }

    #[inline]
    pub(super) fn admits(&self, filter: Option<FilterId>, item: Item) -> bool {
        let Some(filter) = filter else { return true };
        if let Some(key) = self.new_class(item.class) {
            let view = crate::world::ClassView { rules: &self.world.rules, key };
            return self.world.rules.filter(filter).test.admits(&view);
        }
        self.world.classes.admits(&self.world.rules, filter, item.kind, item.class)
    }

    /// The weight that a container or holder would have so far.
    #[inline]
    pub(super) fn weight_of(&self, bearer: Bearer) -> i64 {
        let weight = match bearer {
            Bearer::Container(container) => self.state(container).weight,
            Bearer::Holder(holder) => self.world.holder_weight_and_cap(holder).0,
        };
        if self.settled == 0 {
            return weight;
        }
        let changes = self.scratch.overlay.weights.iter().filter(|(changed, _)| *changed == bearer);
        weight + changes.map(|(_, by)| by).sum::<i64>()
    }

    /// The caps by filter of a container or holder.
    #[inline]
    pub(super) fn caps_of(&self, bearer: Bearer) -> &'w [Cap] {
        match bearer {
            Bearer::Container(container) => {
                let def = self.state(container).def;
                self.world.rules.containers().get(def as usize).map_or(&[], |def| &def.caps)
            }
            Bearer::Holder(holder) => self.world.caps_of_holder(holder),
        }
    }

    /// How many items in a container or holder would satisfy the filter of a cap so far.
    pub(super) fn capped(&self, bearer: Bearer, number: u32) -> i64 {
        let count = match bearer {
            Bearer::Container(container) => self.state(container).capped.get(number as usize),
            Bearer::Holder(_) => self.world.capped(bearer, number),
        };
        let changes = self.scratch.overlay.caps.iter().filter(|(changed, _)| *changed == (bearer, number));
        i64::try_from(count).unwrap_or(i64::MAX) + changes.map(|(_, by)| by).sum::<i64>()
    }

    /// How many items satisfy the filter of a cap in `count` items with all that lies in them.
    pub(super) fn counted(&self, item: Item, count: u32, number: u32) -> i64 {
        let own = self.admits(Some(self.world.rules.cap_filters[number as usize]), item);
        let inside = if item.is_pack() { self.capped(Bearer::Container(item.inner), number) } else { 0 };
        inside + if own { i64::from(count) } else { 0 }
    }

    #[inline]
    pub(super) fn item(&self, cell: Cell) -> Item {
        let weight = self.world.rules.figures[cell.kind as usize].weight + self.weight_inside(cell.inner);
        Item { kind: cell.kind, class: cell.class, weight, inner: cell.inner }
    }

    #[inline]
    fn weight_inside(&self, inner: u32) -> i64 {
        if inner == GROUND { 0 } else { self.weight_of(Bearer::Container(inner)) }
    }

    /// The value of a stack and of all that lies in it, in thousandths.
    pub(super) fn value_of(&self, cell: Cell) -> i64 {
        let own = self.world.rules.known_kind_at(cell.kind).value().thousandths().saturating_mul(i64::from(cell.count));
        if !cell.is_pack() {
            return own;
        }
        self.cells_in(cell.inner).map(|cell| self.value_of(cell)).fold(own, i64::saturating_add)
    }

    /// The properties of a stack that are numbers, by name.
    pub(super) fn number_properties(&self, class: &ClassKey) -> Vec<(String, Decimal)> {
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

    /// The weight of a stack and of all that lies in it.
    #[inline]
    pub(super) fn cell_weight(&self, cell: Cell) -> i64 {
        if cell.is_empty() { 0 } else { self.item(cell).weight * i64::from(cell.count) }
    }

    pub(super) fn ground_room(&self) -> u32 {
        let landed = (self.next_landing - self.world.ground.next_landing) as usize;
        let gone = if self.settled == 0 { 0 } else { self.scratch.overlay.pending.emptied(GROUND) };
        let most = MOST_ON_GROUND.min(self.world.rules.ground_limit as usize);
        let room = most.saturating_sub(self.world.ground.len() + landed - gone);
        u32::try_from(room).unwrap_or(0).min(u32::MAX - 1 - self.next_landing)
    }

    pub(super) fn next_landing_spot(&self, after: usize) -> Spot {
        let slot = self.next_landing + u32::try_from(after).unwrap_or(0);
        Spot { container: crate::world::GROUND, slot }
    }

    // What comes into the world and leaves it.

    /// Whether a container has departed, by itself or with what it is in.
    fn has_left(&self, container: u32) -> bool {
        let outermost = || self.outermost(container);
        self.left.iter().any(|who| match who {
            Traveller::Container(id) => id.index == outermost(),
            Traveller::Holder(id) => self.state(outermost()).holder == id.index,
        })
    }

    pub(super) fn holder_has_left(&self, holder: u32) -> bool {
        self.left.iter().any(|who| matches!(who, Traveller::Holder(id) if id.index == holder))
    }

    #[inline]
    pub(super) fn has_container(&self, id: ContainerId) -> bool {
        self.world.has_container(id) && (self.left.is_empty() || !self.has_left(id.index))
    }

    #[inline]
    pub(super) fn has_holder(&self, id: HolderId) -> bool {
        self.world.has_holder(id) && !self.holder_has_left(id.index)
    }

    /// Out of reach from here on.
    pub(super) fn take_along(&mut self, who: Traveller, weight: i64) {
        self.left.push(who);
        self.travelled -= weight;
    }

    /// What has arrived so far. No later operation can name it, since names were looked up before.
    pub(super) fn arriving(&self) -> &[Arriving] {
        &self.scratch.overlay.arriving
    }

    /// Brings what a document says; what it is made of has its numbers from here on.
    pub(super) fn come_in(&mut self, mut arriving: Arriving, document: &Arc<Departure>, count: u64, weight: i64) {
        arriving.number(&mut |def| self.new_container(def));
        arriving.classify(&mut |key| self.class_of(key.clone()));
        let who = match &mut arriving.who {
            Arrival::Container(container) => Traveller::Container(self.world.container_to_be(container.index)),
            Arrival::Holder(holder) => {
                let id = self.new_holder();
                holder.index = id.index;
                Traveller::Holder(id)
            }
        };
        let before = self.latest_arrival(document.name());
        self.push(Event::Arrived { who, departure: document.id, before, count });
        self.scratch.overlay.documents.push(Arc::clone(document));
        self.scratch.overlay.arriving.push(arriving);
        self.travelled += weight;
    }

    /// A holder that the operation brings; one that waits, if there is one.
    fn new_holder(&mut self) -> HolderId {
        let nth = self.scratch.overlay.new_holders;
        self.scratch.overlay.used = true;
        self.scratch.overlay.new_holders += 1;
        let beyond = || {
            let beyond = nth - self.world.waiting_holders().count();
            self.world.holder_count() + u32::try_from(beyond).unwrap_or(u32::MAX)
        };
        self.world.holder_to_be(self.world.waiting_holders().nth(nth).unwrap_or_else(beyond))
    }

    // Looking up places.

    /// The handle of a container, be it one that the operation brings.
    pub(super) fn container_id(&self, container: u32) -> ContainerId {
        if self.is_new(container) {
            return self.world.container_to_be(container);
        }
        self.world.container_id(container)
    }

    /// Looks up a place that must be a container.
    pub(super) fn container(&self, place: Place) -> Result<u32, Refusal> {
        match place {
            Place::Container(id) if self.has_container(id) => Ok(id.index),
            Place::Container(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
            _ => Err(Refusal::new(Cause::Unknown(Unknown::Meaning))),
        }
    }

    /// The holder that acts, where one is needed.
    pub(super) fn acting(&self, actor: Option<HolderId>) -> Result<HolderId, Refusal> {
        self.hand(actor)?;
        actor.ok_or(Refusal::new(Cause::Unknown(Unknown::Actor)))
    }

    /// The hand of the holder that acts.
    pub(super) fn hand(&self, actor: Option<HolderId>) -> Result<(u32, Spot), Refusal> {
        match actor {
            Some(holder) if self.has_holder(holder) => {
                Ok((holder.index, Spot { container: self.world.hand_of(holder.index), slot: 0 }))
            }
            Some(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
            None => Err(Refusal::new(Cause::Unknown(Unknown::Actor))),
        }
    }

    pub(super) fn slot(&self, place: Place) -> Result<Spot, Refusal> {
        match place {
            Place::Slot(container, slot) => {
                let there = self.has_container(container) && slot < self.slots(container.index);
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
        if self.world.rules.has_kind(kind) { Ok(kind.0) } else { Err(Refusal::new(Cause::Unknown(Unknown::Kind))) }
    }

    /// What a created stack would be.
    pub(super) fn new_item(&mut self, kind: KindId, variant: &Variant) -> Result<Item, Refusal> {
        let number = self.kind(kind)?;
        let rules = &self.world.rules;
        let weight = rules.figures[kind.index()].weight;
        if variant.is_plain() {
            return Ok(Item { kind: number, class: number, weight, inner: GROUND });
        }
        let known_mark = variant.marks().iter().all(|&mark| rules.has_mark(mark));
        let is_number = |property| matches!(rules.known_kind(kind).property(property), Some(PropertyValue::Number(_)));
        if !known_mark || !variant.properties().iter().all(|(property, _)| is_number(*property)) {
            return Err(Refusal::new(Cause::Unknown(Unknown::Variant)));
        }
        let key = ClassKey::new(rules, kind, variant.marks(), variant.properties());
        let class = self.class_of(key);
        Ok(Item { kind: number, class, weight, inner: GROUND })
    }

    /// The number of a class, which the operation brings into the world if it is not there.
    pub(super) fn class_of(&mut self, key: ClassKey) -> u32 {
        let (classes, overlay) = (&self.world.classes, &mut self.scratch.overlay);
        if let Some((_, class)) = overlay.new_classes.iter().find(|(known, _)| *known == key) {
            return *class;
        }
        let is_given = |class: u32| overlay.new_classes.iter().any(|(_, given)| *given == class);
        let known = classes.find(&key).filter(|&class| !is_given(class));
        if let Some(class) = known.filter(|&class| !classes.is_unused(class)) {
            return class;
        }
        // One that no stack has is taken here, so that its number is not given to another by the same operation.
        let class = known.unwrap_or_else(|| classes.next(&overlay.new_classes));
        overlay.used = true;
        overlay.new_classes.push((key, class));
        class
    }

    /// The marks and properties of a class that the operation brings.
    #[inline]
    fn new_class(&self, class: u32) -> Option<&ClassKey> {
        let new = self.scratch.overlay.new_classes.iter().find(|(_, new)| *new == class);
        new.map(|(key, _)| key)
    }

    /// Kind, marks and properties of a stack.
    pub(super) fn class_key(&self, cell: Cell) -> ClassKey {
        let known = self.new_class(cell.class).or_else(|| self.world.classes.key(cell.class));
        known.cloned().unwrap_or_else(|| ClassKey::plain(self.world.rules.kind_id(cell.kind)))
    }

    // Changing.

    /// Makes a whole stack one of another class.
    pub(super) fn change_class(&mut self, spot: Spot, class: u32) {
        let cell = self.cell(spot);
        let at = self.end(spot, cell.id);
        self.scratch.events.push(Event::Changed { at, before: Class(cell.class), after: Class(class) });
    }

    pub(super) fn parts(&mut self) -> &mut Vec<(Spot, u32)> {
        &mut self.scratch.parts
    }

    /// The parts that were worked out so far.
    #[inline]
    pub(super) fn laid(&self) -> &[(Spot, u32)] {
        &self.scratch.parts
    }

    /// Lays what was done so far over the world, so that what follows sees it.
    pub(super) fn settle(&mut self) {
        for index in self.settled..self.scratch.events.len() {
            let event = self.scratch.events[index];
            // From here on cells, sums and parents are read with what is pending.
            self.settled = self.settled.max(1);
            match event {
                Event::Transferred { count, from, to, .. } => self.settle_transfer(event, count, from, to),
                Event::Changed { at, after, .. } => {
                    let cell = self.cell(at.spot);
                    self.shift(at.spot, cell, -1);
                    self.place(at.spot, Cell { class: after.0, ..cell });
                    self.shift(at.spot, Cell { class: after.0, ..cell }, 1);
                }
                Event::Resized { container, after, .. } => self.forget_origins_beyond(container.index, after),
                Event::Bound { .. }
                | Event::Opened { .. }
                | Event::Closed { .. }
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

    fn settle_transfer(&mut self, event: Event, count: u32, from: End, to: End) {
        let Event::Transferred { kind, class, inner: Inner(inner), .. } = event else { return };
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

    /// Adds a stack to the sums of all that bear what lies in a spot, or takes it from them.
    fn shift(&mut self, spot: Spot, cell: Cell, sign: i64) {
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

    fn add_to_sums(&mut self, bearer: Bearer, item: Item, count: u32, weight: i64, sign: i64) {
        for number in 0..self.world.rules.cap_filters.len() {
            let number = u32::try_from(number).unwrap_or(u32::MAX);
            let by = self.counted(item, count, number) * sign;
            if by != 0 {
                add(&mut self.scratch.overlay.caps, (bearer, number), by);
            }
        }
        if weight != 0 {
            add(&mut self.scratch.overlay.weights, bearer, weight * sign);
        }
    }

    /// Puts a cell in a spot; what lies in a pack goes with it.
    fn place(&mut self, spot: Spot, cell: Cell) {
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
            let inner = if source.is_some() { item.inner } else { self.new_inner(item.kind) };
            self.push_transfer(Item { inner, ..item }, count, source_end, end);
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

    /// Exchanges what lies in two slots, of which it is known which stacks those are; 0 stands for none.
    pub(super) fn push_exchange(&mut self, (one, mine): (Spot, u64), (other, yours): (Spot, u64)) {
        let event = Event::Swapped { one: self.end(one, mine), other: self.end(other, yours) };
        self.scratch.events.push(event);
    }

    /// Moves some of a stack onto an alike one.
    pub(super) fn give(&mut self, from: Spot, cell: Cell, count: u32, onto: Spot, id: u64) {
        let (from, to) = (self.end(from, cell.id), self.end(onto, id));
        self.push_transfer(self.item(cell), count, from, to);
    }

    #[inline]
    fn push_transfer(&mut self, item: Item, count: u32, from: End, to: End) {
        let (kind, class) = (self.world.rules.kind_id(item.kind), Class(item.class));
        self.scratch.events.push(Event::Transferred { kind, count, from, to, class, inner: Inner(item.inner) });
    }

    /// The container that a new stack of a kind brings along.
    fn new_inner(&mut self, kind: u32) -> u32 {
        let def = self.world.rules.figures[kind as usize].pack;
        if def == NO_PACK { GROUND } else { self.new_container(def) }
    }

    /// A container that the operation brings; one that waits, if there is one.
    fn new_container(&mut self, def: u32) -> u32 {
        let overlay = &mut self.scratch.overlay;
        overlay.used = true;
        if let Some(waiting) = self.world.waiting(def).find(|waiting| !overlay.brought.contains(waiting)) {
            overlay.brought.push(waiting);
            return waiting;
        }
        let slots = self.world.rules.containers().get(def as usize).map_or(1, |def| def.slots);
        overlay.new_packs.push(ContainerState::new(&self.world.rules, def, slots));
        self.world.container_count() + u32::try_from(overlay.new_packs.len() - 1).unwrap_or(u32::MAX)
    }

    #[inline]
    fn new_id(&mut self) -> u64 {
        let id = StackId::new(self.world.number, self.next_stack);
        self.next_stack += 1;
        id.0
    }

    #[inline]
    fn end(&self, spot: Spot, id: u64) -> End {
        let position = if spot.is_ground() { self.position(spot) } else { Position::default() };
        End { spot, stack: StackId(id), position }
    }

    /// Where on the ground something lies, or has landed in an operation before in the list.
    fn position(&self, spot: Spot) -> Position {
        // Landings have rising numbers, and none is used again: what lay there before has been laid by no event.
        if spot.slot < self.world.ground.next_landing {
            return self.world.ground.position(spot.slot);
        }
        let landed = self.scratch.events.iter().find_map(|event| match event {
            Event::Transferred { to, .. } if to.spot == spot => Some(to.position),
            _ => None,
        });
        landed.unwrap_or_else(|| self.world.ground.position(spot.slot))
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

/// Adds to the sum under a key.
fn add<K: PartialEq>(sums: &mut Vec<(K, i64)>, key: K, by: i64) {
    match sums.iter_mut().find(|(known, _)| *known == key) {
        Some((_, sum)) => *sum += by,
        None => sums.push((key, by)),
    }
}

fn least(one: Option<u32>, other: Option<u32>) -> Option<u32> {
    match (one, other) {
        (Some(one), Some(other)) => Some(one.min(other)),
        (one, other) => one.or(other),
    }
}
