//! Taking stacks from somewhere and laying them somewhere else: what move, drop, pick up and consume share.

use smallvec::SmallVec;

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use super::{Done, Judged};
use crate::id::{KindId, StackId};
use crate::language::Amount;
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

/// Where what is taken goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Going {
    To(Target),
    /// It leaves the world.
    Out,
    /// It stays where it is.
    Nowhere,
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
            Place::Shortcut(..) => Err(Refusal::new(Cause::Unknown(Unknown::Meaning))),
        }
    }

    /// Whether a stack can't leave where it lies for a target, or the world.
    #[inline]
    pub(super) fn is_stuck(&self, cell: Cell, spot: Spot, going: Going) -> bool {
        let state = self.state(spot.container);
        let free = state.take && !cell.is_pack() && self.around(spot.container).is_none();
        let kept = self.world.rules.figures[cell.kind as usize].keep;
        (!free || kept) && self.why_stuck(cell, spot, going).is_some()
    }

    #[cold]
    pub(super) fn why_stuck(&self, cell: Cell, spot: Spot, going: Going) -> Option<Cause> {
        if going == Going::Nowhere {
            return None;
        }
        if let Some(kept) = self.why_kept(cell, spot, going) {
            return Some(kept);
        }
        if going == Going::Out {
            // The game may always consume, but what lies in a pack must not go with it.
            let full = cell.is_pack() && self.cells_in(cell.inner).next().is_some();
            return full.then(|| Cause::NotEmpty(self.place_of_spot(spot)));
        }
        self.why_not_taken(spot, going)
    }

    /// What is kept does not leave the world and does not come to the ground, alone or in a pack.
    pub(super) fn why_kept(&self, cell: Cell, spot: Spot, going: Going) -> Option<Cause> {
        let kept = |cell: Cell| self.world.rules.figures[cell.kind as usize].keep;
        let to_ground = match going {
            Going::Out => return kept(cell).then_some(Cause::Kept(KindId(cell.kind))),
            Going::To(Target::Ground) => true,
            Going::To(Target::Slot(to)) => self.is_on_ground(to.container),
            Going::To(Target::Container(to)) => self.is_on_ground(to),
            Going::To(Target::Holder(_)) | Going::Nowhere => false,
        };
        if !to_ground || self.is_on_ground(spot.container) {
            return None;
        }
        let inside = || if cell.is_pack() { self.find_within(cell.inner, &kept) } else { None };
        Some(cell).filter(|&cell| kept(cell)).or_else(inside).map(|cell| Cause::Kept(KindId(cell.kind)))
    }

    /// The first container that it would leave and out of which nothing may be taken.
    pub(super) fn why_not_taken(&self, spot: Spot, going: Going) -> Option<Cause> {
        let to = match going {
            Going::To(Target::Slot(to)) => Some(to.container),
            Going::To(Target::Container(to)) => Some(to),
            _ => None,
        };
        let mut at = (!spot.is_ground()).then_some(spot.container);
        while let Some(container) = at.filter(|&at| !to.is_some_and(|to| self.is_within(to, at))) {
            if !self.state(container).take {
                return Some(Cause::NoTake(Place::Container(self.container_id(container))));
            }
            at = self.around(container);
        }
        None
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

    /// Removes all that lies in a place, whatever it is.
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

    /// Where things come from that a holder gives: as it takes them, then the slots of its worn containers.
    fn sources_of(&self, holder: u32) -> SmallVec<[u32; 8]> {
        let mut sources = self.all_sources_of(holder);
        sources.retain(|container| self.is_reachable(*container));
        sources
    }

    /// The same, be they open to the holder that acts or not.
    pub(super) fn all_sources_of(&self, holder: u32) -> SmallVec<[u32; 8]> {
        let worn = self.world.containers_of(holder).iter().copied().filter(|&at| self.world.def_of(at).is_worn());
        let mut sources = self.all_targets_of(holder);
        sources.extend(worn);
        sources
    }

    /// What goes onto itself stays as it is; but it has to be there.
    pub(super) fn stay(&mut self, request: Request) -> Judged {
        self.carry(request, Going::Nowhere)
    }

    /// Takes what is asked for, stack by stack, and lays it where it goes.
    pub(super) fn carry(&mut self, request: Request, going: Going) -> Judged {
        let kind = request.kind.map(|kind| self.kind(kind)).transpose()?;
        let source = self.source(request.from)?;
        if matches!(request.amount, Amount::Exactly(0) | Amount::UpTo(0)) {
            return Err(Refusal::new(Cause::BadAmount));
        }
        let mut carrying = Carrying::new(request);
        carrying.available = self.available(&carrying, &source, kind);
        self.be_exact(carrying.is_exact());
        match source {
            Source::Spot(spot) => {
                let cell = self.cell(spot);
                if !cell.is_empty() && kind.is_none_or(|kind| cell.kind == kind) {
                    carrying.take(self, spot, going);
                }
            }
            Source::Container(container) => carrying.take_from(self, container, kind, going),
            Source::Holder(holder) => {
                for container in self.sources_of(holder) {
                    carrying.take_from(self, container, kind, going);
                }
            }
        }
        carrying.finish(request.from)
    }
}

impl Draft<'_> {
    /// How many items of its kind there are for a request for up to a number: for a question, which tells what stands in the way of
    /// all that there are, and not of more.
    fn available(&self, carrying: &Carrying, source: &Source, kind: Option<u32>) -> Option<u64> {
        if !self.collects_causes() || carrying.is_exact() {
            return None;
        }
        let kind = kind?;
        let in_container = |container: u32| {
            let next = |from: u32| self.next_stack_in(container, Some(kind), from);
            let slots = std::iter::successors(next(0), |slot| slot.checked_add(1).and_then(next));
            slots.map(|slot| u64::from(self.cell(Spot { container, slot }).count)).sum::<u64>()
        };
        Some(match source {
            Source::Spot(spot) => u64::from(self.cell(*spot).count),
            Source::Container(container) => in_container(*container),
            Source::Holder(holder) => self.sources_of(*holder).into_iter().map(in_container).sum(),
        })
    }
}

struct Carrying {
    request: Request,
    /// How many are still asked for; none if it is all that lies there.
    left: Option<u64>,
    done: u64,
    there: u64,
    /// How many there are in all, where that is asked for.
    available: Option<u64>,
    /// Why the first stack that could not give all that was asked of it could not.
    shortfall: Option<Cause>,
}

impl Carrying {
    fn new(request: Request) -> Carrying {
        let left = match request.amount {
            Amount::All => None,
            Amount::Exactly(count) | Amount::UpTo(count) => Some(u64::from(count)),
        };
        Carrying { request, left, done: 0, there: 0, available: None, shortfall: None }
    }

    fn is_exact(&self) -> bool {
        match self.request.amount {
            Amount::Exactly(_) => true,
            Amount::UpTo(_) => false,
            Amount::All => self.request.without_number == WithoutNumber::AllOrNothing,
        }
    }

    fn take_from(&mut self, draft: &mut Draft<'_>, container: u32, kind: Option<u32>, going: Going) {
        let mut from = Some(0);
        while self.left != Some(0) {
            let Some(slot) = from.and_then(|from| draft.next_stack_in(container, kind, from)) else { return };
            from = slot.checked_add(1);
            let spot = Spot { container, slot };
            // What already lies in the target is not taken.
            if going != Going::To(Target::Slot(spot)) {
                self.take(draft, spot, going);
            }
        }
    }

    /// Takes the most that one stack can give.
    fn take(&mut self, draft: &mut Draft<'_>, spot: Spot, going: Going) {
        if self.there > 0 {
            draft.settle();
        }
        let cell = draft.cell(spot);
        self.there += u64::from(cell.count);
        let asked = self.left.map_or(cell.count, |left| u32::try_from(left).unwrap_or(u32::MAX).min(cell.count));
        let given = match going {
            _ if draft.is_stuck(cell, spot, going) => {
                let shortfall = &mut self.shortfall;
                *shortfall = shortfall.or_else(|| draft.why_stuck(cell, spot, going));
                self.collect_stuck(draft, spot, asked, going);
                0
            }
            Going::Nowhere => asked,
            Going::Out => {
                draft.remove(spot, asked);
                asked
            }
            Going::To(target) => {
                let item = draft.item(cell);
                let given = draft.fill(item, asked, Some(spot), target);
                let told = self.is_exact() || given == 0 || draft.collects_causes();
                if given < asked && self.shortfall.is_none() && told {
                    let all = self.is_exact() || given > 0 || self.done > 0;
                    let whole = if all { self.whole(cell, asked) } else { 1 };
                    self.shortfall = Some(draft.why_not(item, whole, Some(spot), target));
                }
                draft.lay_parts(item, Some(spot));
                given
            }
        };
        self.done += u64::from(given);
        self.left = self.left.map(|left| left - u64::from(given));
    }

    /// How many are looked at together with those of this stack.
    fn whole(&self, cell: Cell, asked: u32) -> u64 {
        if self.is_exact() {
            return self.left.unwrap_or(u64::from(asked));
        }
        let before = self.there - u64::from(cell.count);
        let remaining = self.available.map_or(u64::from(asked), |available| available.saturating_sub(before));
        self.left.map_or(remaining, |left| left.min(remaining))
    }

    /// What stands in the way of a stack that can't leave, beside that.
    fn collect_stuck(&self, draft: &mut Draft<'_>, spot: Spot, asked: u32, going: Going) {
        if !draft.collects_causes() {
            return;
        }
        let cell = draft.cell(spot);
        let not_taken = if going == Going::Out { None } else { draft.why_not_taken(spot, going) };
        draft.note_causes(draft.why_kept(cell, spot, going).into_iter().chain(not_taken).collect::<Vec<_>>());
        if let Going::To(target) = going {
            let item = draft.item(cell);
            let whole = if self.is_exact() { self.left.unwrap_or(u64::from(asked)) } else { 1 };
            if draft.fill(item, asked, Some(spot), target) < asked {
                let _ = draft.why_not(item, whole, Some(spot), target);
            }
            draft.parts().clear();
        }
    }

    fn finish(self, at: Place) -> Judged {
        let asked = match self.request.amount {
            Amount::All => None,
            Amount::Exactly(count) | Amount::UpTo(count) => Some(u64::from(count)),
        };
        let refused = |cause| Err(Refusal::new(cause).could_have(self.done));
        if self.there == 0 {
            return refused(Cause::EmptySource(at));
        }
        if self.is_exact() {
            match (asked, self.shortfall) {
                (Some(asked), _) if self.done < asked && self.there < asked => {
                    return refused(Cause::NotEnough { at, asked, there: self.there });
                }
                (Some(asked), Some(cause)) if self.done < asked => return refused(cause),
                (None, Some(cause)) => return refused(cause),
                _ => {}
            }
        } else if self.done == 0 {
            return refused(self.shortfall.unwrap_or(Cause::EmptySource(at)));
        }
        Ok(Done { asked, count: self.done })
    }
}
