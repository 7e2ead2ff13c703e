//! Taking stacks from somewhere and laying them somewhere else: what move, drop, pick up and
//! consume share.

use smallvec::SmallVec;

use super::allowed::{Bar, Point};
use super::draft::{Draft, DraftPoint};
use super::reasons::Portion;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use super::{Done, Planned};
use crate::id::{KindId, StackId};
use crate::language::Amount;
use crate::narrow;
use crate::ruleset::{Border, Right};
use crate::world::{Cell, GROUND, Place, Spot};

/// Where stacks are taken from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Source {
    Spot(Spot),
    Container(u32),
    /// Its containers, in order; those that are worn come last.
    Holder(u32),
}

/// What an operation without a number asks for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum WithoutNumber {
    AllOrNothing,
    WhatFits,
}

/// The target of the taken items.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Going {
    To(Target),
    /// It leaves the world.
    Out,
    /// It stays, and its use lowers its properties.
    Used,
    /// It stays where it is.
    Nowhere,
}

impl Going {
    /// Where it goes, if that is a container or a slot.
    fn point(self) -> Option<Point> {
        match self {
            Going::To(Target::Slot(to)) => Some(to.into()),
            Going::To(Target::Container(to)) => Some(Point::whole(to)),
            Going::To(Target::Holder(_) | Target::Ground) | Going::Out | Going::Used | Going::Nowhere => None,
        }
    }
}

/// What is to be taken.
#[derive(Clone, Copy, Debug)]
pub(super) struct Request {
    pub(super) amount: Amount,
    pub(super) kind: Option<KindId>,
    pub(super) from: Place,
    pub(super) without_number: WithoutNumber,
}

impl Draft<'_> {
    /// Looks up a place from which something is to be taken.
    pub(super) fn source(&self, place: Place) -> Result<Source, Refusal> {
        match place {
            Place::Slot(..) => self.slot(place).map(Source::Spot),
            Place::Container(id) if self.has_container(id) => Ok(Source::Container(id.index)),
            Place::Holder(id) if self.has_holder(id) => Ok(Source::Holder(id.index)),
            Place::Hand(holder) => Ok(Source::Spot(self.hand(Some(holder))?.1)),
            Place::Ground => Ok(Source::Container(GROUND)),
            Place::OnGround(stack) => match self.landing_of(stack) {
                Some(spot) => Ok(Source::Spot(spot)),
                None => Err(Refusal::new(Cause::Unknown(Unknown::Stack))),
            },
            Place::Container(_) | Place::Holder(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
            Place::Shortcut(..) => Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
        }
    }

    /// Whether a stack can't leave its place for a target, or the world.
    #[inline]
    pub(super) fn is_stuck(&self, cell: Cell, spot: Spot, going: Going) -> bool {
        let state = self.state(spot.container);
        let is_plain = state.borders[Right::Take as usize] == Border::Anyone && !state.has_slot_borders;
        let free = is_plain && !cell.is_pack() && self.around(spot.container).is_none();
        let kept = self.world.rules.figures[cell.kind as usize].is_protected;
        (!free || kept || going == Going::Used) && self.why_stuck(cell, spot, going).is_some()
    }

    #[cold]
    pub(super) fn why_stuck(&self, cell: Cell, spot: Spot, going: Going) -> Option<Cause> {
        match going {
            Going::Nowhere => None,
            // The game may always consume.
            Going::Out => {
                let banned = || self.actor.and_then(|_| self.why_not_taken(spot, going));
                self.why_kept(cell, spot, going).or_else(|| self.why_not_consumed(cell, spot)).or_else(banned)
            }
            Going::Used => self.why_too_low(cell, spot).or_else(|| self.why_not_taken(spot, going)),
            Going::To(_) => self.why_kept(cell, spot, going).or_else(|| self.why_not_taken(spot, going)),
        }
    }

    /// A use lowers no property below 0.
    pub(super) fn why_too_low(&self, cell: Cell, spot: Spot) -> Option<Cause> {
        let rules = &self.world.rules;
        let lowered = rules.known_kind(rules.kind_id(cell.kind)).lowered();
        let key = self.class_key(cell);
        lowered.iter().find_map(|&(property, by)| {
            let value = key.number(rules, property);
            let at = || self.place_of_spot(spot);
            (value < by).then(|| Cause::TooLow { at: at(), property, value, by })
        })
    }

    /// The contents of a pack must not leave the world with it.
    pub(super) fn why_not_consumed(&self, cell: Cell, spot: Spot) -> Option<Cause> {
        let full = cell.is_pack() && self.cells_in(cell.inner).next().is_some();
        full.then(|| Cause::NotEmpty(self.place_of_spot(spot)))
    }

    /// A protected item does not leave the world and never reaches the ground, alone or in a pack.
    pub(super) fn why_kept(&self, cell: Cell, spot: Spot, going: Going) -> Option<Cause> {
        let kept = |cell: Cell| self.world.rules.figures[cell.kind as usize].is_protected;
        let to_ground = match going {
            Going::Out => return kept(cell).then_some(Cause::Protected(self.world.rules.kind_id(cell.kind))),
            Going::To(Target::Ground) => true,
            Going::To(Target::Slot(to)) => self.is_on_ground(to.container),
            Going::To(Target::Container(to)) => self.is_on_ground(to),
            Going::To(Target::Holder(_)) | Going::Used | Going::Nowhere => false,
        };
        if !to_ground || self.is_on_ground(spot.container) {
            return None;
        }
        let inside = || if cell.is_pack() { self.find_within(cell.inner, &kept) } else { None };
        Some(cell)
            .filter(|&cell| kept(cell))
            .or_else(inside)
            .map(|cell| Cause::Protected(self.world.rules.kind_id(cell.kind)))
    }

    /// The first border that it would cross and that keeps it from the actor.
    pub(super) fn why_not_taken(&self, spot: Spot, going: Going) -> Option<Cause> {
        let not_allowed = || self.why_not_leaving(spot.into(), going.point()).filter(|_| !spot.is_ground());
        not_allowed().or_else(|| self.all_not_taken(spot, going).next())
    }

    /// The borders that it would cross and out of which nobody may take anything, from the inside
    /// out.
    pub(super) fn all_not_taken(&self, spot: Spot, going: Going) -> impl Iterator<Item = Cause> {
        let edges = if spot.is_ground() { Default::default() } else { self.crossed(spot.into(), going.point()) };
        let closed = edges.into_iter().filter(|&edge| self.bar_at(Right::Take, edge) == Some(Bar::Nobody));
        closed.map(|edge| Cause::NoTake(self.place_of_edge(edge)))
    }

    /// Whether taking by kind passes over a slot, which is not for the actor.
    pub(super) fn passes_over(&self, spot: Spot, going: Going) -> bool {
        match self.bar_of_slot(Right::Take, spot) {
            None => false,
            Some(Bar::Nobody) => match going {
                Going::Nowhere => false,
                Going::Out | Going::Used => self.actor.is_some(),
                Going::To(_) => true,
            },
            Some(Bar::Others) => going != Going::Nowhere,
        }
    }

    pub(super) fn place_of_spot(&self, spot: Spot) -> Place {
        if spot.is_ground() {
            return Place::OnGround(StackId(self.cell(spot).id));
        }
        if spot.container < self.world.container_count() {
            return self.world.place_of_spot(spot);
        }
        Place::Slot(self.container_id(spot.container), spot.slot)
    }

    /// Removes the contents of a place.
    pub(super) fn remove_all(&mut self, place: Place) {
        let containers = match self.source(place) {
            Ok(Source::Spot(spot)) => return self.remove_with_contents(spot),
            Ok(Source::Container(container)) => vec![container],
            Ok(Source::Holder(holder)) => {
                let hand = self.world.hand_of(holder);
                self.world.containers_of(holder).iter().copied().chain([hand]).collect()
            }
            Err(_) => return,
        };
        containers.into_iter().for_each(|container| self.remove_all_in(container));
    }

    fn remove_all_in(&mut self, container: u32) {
        let world = self.world;
        let mut from = Some(0);
        while let Some(slot) = from.and_then(|from| world.next_taken(container, from)) {
            self.remove_with_contents(Spot { container, slot });
            from = slot.checked_add(1);
        }
    }

    fn remove_with_contents(&mut self, spot: Spot) {
        let cell = self.world.cell(spot);
        if cell.is_pack() {
            self.remove_all_in(cell.inner);
        }
        if !cell.is_empty() {
            self.remove(spot, cell.count);
        }
    }

    /// Where things come from that a holder gives: as it takes them, then the slots of its worn
    /// containers.
    pub(super) fn sources_of(&self, holder: u32, going: Going) -> SmallVec<[u32; 8]> {
        let mut sources = self.all_sources_of(holder);
        sources.retain(|container| {
            self.is_reachable(*container) && self.why_not_leaving(Point::whole(*container), going.point()).is_none()
        });
        sources
    }

    /// The same, be they open to the holder that acts or not.
    pub(super) fn all_sources_of(&self, holder: u32) -> SmallVec<[u32; 8]> {
        let worn = self.world.containers_of(holder).iter().copied().filter(|&at| self.world.def_of(at).is_worn());
        let mut sources = self.all_targets_of(holder);
        sources.extend(worn);
        sources
    }

    /// A stack moved onto itself stays, but it must be present.
    pub(super) fn stay(&mut self, request: Request) -> Planned {
        self.carry(request, Going::Nowhere)
    }

    /// Takes the requested items, stack by stack, and places them at the target.
    pub(super) fn carry(&mut self, request: Request, going: Going) -> Planned {
        let kind = request.kind.map(|kind| self.kind(kind)).transpose()?;
        let source = self.source(request.from)?;
        if matches!(request.amount, Amount::Exactly(0) | Amount::UpTo(0)) {
            return Err(Refusal::new(Cause::BadAmount));
        }
        let mut carrying = Carrying::new(request, source, kind, going);
        self.be_exact(carrying.is_exact());
        let start = self.point();
        carrying.take_all(self);
        if carrying.is_enough() && (carrying.is_complete() || !self.collects_causes()) {
            return Ok(carrying.done());
        }
        carrying.plan_shortfall(self, &start)
    }
}

struct Carrying {
    request: Request,
    source: Source,
    kind: Option<u32>,
    going: Going,
    /// The requested number; `None` for everything.
    requested: Option<u64>,
    count: u64,
    there: u64,
}

impl Carrying {
    fn new(request: Request, source: Source, kind: Option<u32>, going: Going) -> Carrying {
        let requested = match request.amount {
            Amount::All => None,
            Amount::Exactly(count) | Amount::UpTo(count) => Some(u64::from(count)),
        };
        Carrying { request, source, kind, going, requested, count: 0, there: 0 }
    }

    fn is_exact(&self) -> bool {
        match self.request.amount {
            Amount::Exactly(_) => true,
            Amount::UpTo(_) => false,
            Amount::All => self.request.without_number == WithoutNumber::AllOrNothing,
        }
    }

    /// All requested items that are present have been taken.
    fn is_complete(&self) -> bool {
        self.count == self.requested.map_or(self.there, |requested| requested.min(self.there))
    }

    fn is_enough(&self) -> bool {
        match self.requested {
            Some(requested) if self.is_exact() => self.count == requested,
            None if self.is_exact() => self.there > 0 && self.count == self.there,
            _ => self.count > 0,
        }
    }

    fn done(&self) -> Done {
        Done { requested: self.requested, count: self.count }
    }

    /// Each stack in turn gives the most that it can.
    fn take_all(&mut self, draft: &mut Draft<'_>) {
        (self.count, self.there) = (0, 0);
        let (source, kind) = (self.source, self.kind);
        match source {
            Source::Spot(spot) => {
                let cell = draft.cell(spot);
                if !cell.is_empty() && kind.is_none_or(|kind| cell.kind == kind) {
                    self.take(draft, spot);
                }
            }
            Source::Container(container) => self.take_from(draft, container),
            Source::Holder(holder) => {
                for container in draft.sources_of(holder, self.going) {
                    self.take_from(draft, container);
                }
            }
        }
    }

    fn take_from(&mut self, draft: &mut Draft<'_>, container: u32) {
        let mut from = Some(0);
        while self.requested != Some(self.count) {
            let next = from.and_then(|from| draft.next_stack_in(container, self.kind, from));
            let Some(slot) = next else { return };
            from = slot.checked_add(1);
            let spot = Spot { container, slot };
            // The stack in the target is not taken.
            if self.going != Going::To(Target::Slot(spot)) && !draft.passes_over(spot, self.going) {
                self.take(draft, spot);
            }
        }
    }

    /// Takes the most that one stack can give.
    fn take(&mut self, draft: &mut Draft<'_>, spot: Spot) {
        if self.there > 0 {
            draft.settle();
        }
        let cell = draft.cell(spot);
        self.there += u64::from(cell.count);
        let left = self.requested.map(|requested| requested - self.count);
        let wanted = left.map_or(cell.count, |left| narrow::at_most(left).min(cell.count));
        self.count += u64::from(lay(draft, cell, spot, wanted, self.going));
    }

    /// The stacks that would give, in order.
    fn stacks(&self, draft: &Draft<'_>) -> SmallVec<[Spot; 4]> {
        let containers = match self.source {
            Source::Spot(spot) => return SmallVec::from_elem(spot, 1),
            Source::Container(container) => SmallVec::from_elem(container, 1),
            Source::Holder(holder) => draft.sources_of(holder, self.going),
        };
        let in_container = |container: u32| {
            let next = move |from: u32| draft.next_stack_in(container, self.kind, from);
            let slots = std::iter::successors(next(0), move |slot| slot.checked_add(1).and_then(next));
            slots.map(move |slot| Spot { container, slot })
        };
        let stacks = containers.into_iter().flat_map(in_container);
        let is_meant =
            |&spot: &Spot| self.going != Going::To(Target::Slot(spot)) && !draft.passes_over(spot, self.going);
        stacks.filter(is_meant).collect()
    }

    /// The items that are checked together, if `wanted` items come from several stacks: first the
    /// stacks of which a single item could move, then the others. Also returns whether that is
    /// their present order.
    fn portions(&self, draft: &mut Draft<'_>, wanted: u64) -> (SmallVec<[Portion; 1]>, bool) {
        let stacks = self.stacks(draft);
        let several = stacks.len() > 1;
        let mut could_go = |&spot: &Spot| {
            let cell = draft.cell(spot);
            let goes = !draft.is_stuck(cell, spot, self.going)
                && match self.going {
                    Going::To(target) => draft.fill(draft.item(cell), 1, Some(spot), target) > 0,
                    Going::Out | Going::Used | Going::Nowhere => true,
                };
            draft.parts().clear();
            goes
        };
        type Spots = SmallVec<[Spot; 4]>;
        let (first, rest): (Spots, Spots) = stacks.iter().copied().partition(|spot| several && could_go(spot));
        let order = first.into_iter().chain(rest);
        let (mut left, mut in_order) = (wanted, true);
        let mut portions = SmallVec::new();
        for (spot, in_place) in order.zip(&stacks) {
            let cell = draft.cell(spot);
            let count = narrow::at_most(left).min(cell.count);
            if count == 0 {
                break;
            }
            left -= u64::from(count);
            in_order &= spot == *in_place;
            portions.push(Portion { item: draft.item(cell), count, from: Some(spot) });
        }
        (portions, in_order)
    }

    fn first_item(&self, draft: &Draft<'_>) -> SmallVec<[Portion; 1]> {
        let first = self.stacks(draft).into_iter().next();
        let portion = |spot| Portion { item: draft.item(draft.cell(spot)), count: 1, from: Some(spot) };
        first.map(portion).into_iter().collect()
    }

    /// The reason why fewer items move than requested. An exact amount from several stacks is
    /// checked as one.
    #[cold]
    fn plan_shortfall(mut self, draft: &mut Draft<'_>, start: &DraftPoint) -> Planned {
        let could = self.count;
        let refused = |cause| Err(Refusal::new(cause).up_to(could));
        let at = self.request.from;
        let empty = Cause::EmptySource { at, kind: self.kind.map(|kind| draft.world.rules.kind_id(kind)) };
        if self.there == 0 {
            let shut = match self.source {
                Source::Container(container) => draft.shut_slot(Right::Take, container),
                _ => None,
            };
            return refused(shut.map_or(empty, Cause::NoTake));
        }
        draft.go_back_to(start);
        let is_refused = !self.is_enough();
        let all = self.requested.map_or(self.there, |requested| requested.min(self.there));
        if !self.is_exact() {
            // If a part could move, the check uses all items that are present; otherwise a single
            // item.
            let portions = if is_refused { self.first_item(draft) } else { self.portions(draft, all).0 };
            let cause = draft.why_not(&portions, self.going);
            if !is_refused {
                self.take_all(draft);
                return Ok(self.done());
            }
            return refused(cause.unwrap_or(empty));
        }
        let (portions, in_order) = self.portions(draft, all);
        let missing = self.requested.filter(|&requested| self.there < requested);
        if missing.is_none() && !in_order && lay_all(draft, &portions, self.going) == all {
            self.count = all;
            return Ok(self.done());
        }
        draft.go_back_to(start);
        let cause = match missing {
            None => draft.why_not(&portions, self.going),
            Some(requested) => {
                let missing = Cause::NotEnough { at, requested, there: self.there };
                if draft.collects_causes() {
                    draft.note_causes([missing]);
                    let _ = draft.why_not(&portions, self.going);
                }
                Some(missing)
            }
        };
        let none = || match self.going {
            Going::To(target) => draft.place_of_target(target),
            Going::Out | Going::Used | Going::Nowhere => at,
        };
        refused(cause.unwrap_or_else(|| Cause::NoRoom { at: none(), requested: all, room: could }))
    }
}

/// Places up to a number of items of a stack at the target; returns the number.
pub(super) fn lay(draft: &mut Draft<'_>, cell: Cell, spot: Spot, wanted: u32, going: Going) -> u32 {
    if draft.is_stuck(cell, spot, going) {
        return 0;
    }
    match going {
        Going::Nowhere => wanted,
        Going::Out => {
            draft.remove(spot, wanted);
            wanted
        }
        Going::Used => {
            draft.lower(spot);
            wanted
        }
        Going::To(target) => {
            let item = draft.item(cell);
            let given = draft.fill(item, wanted, Some(spot), target);
            draft.lay_parts(item, Some(spot));
            given
        }
    }
}

/// Lays portions where they go, one after the other, until one of them does not go in full; returns
/// the number of items.
pub(super) fn lay_all(draft: &mut Draft<'_>, portions: &[Portion], going: Going) -> u64 {
    let mut laid = 0;
    for portion in portions {
        draft.settle();
        let Some(spot) = portion.from else { break };
        let given = lay(draft, draft.cell(spot), spot, portion.count, going);
        laid += u64::from(given);
        if given < portion.count {
            break;
        }
    }
    laid
}
