//! Taking stacks from somewhere and laying them somewhere else: what move, drop, pick up and consume share.

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use super::{Done, Judged};
use crate::id::KindId;
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
            Place::Container(id) if self.world.has_container(id) => Ok(Source::Container(id.index)),
            Place::Holder(id) if self.world.has_holder(id) => Ok(Source::Holder(id.index)),
            Place::Ground => Ok(Source::Container(GROUND)),
            Place::OnGround(stack) => match self.world.ground.landing_of(stack.0) {
                Some(slot) => Ok(Source::Spot(Spot { container: GROUND, slot })),
                None => Err(Refusal::new(Cause::Unknown(Unknown::Stack))),
            },
            Place::Container(_) | Place::Holder(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
        }
    }

    /// Whether a stack can't leave where it lies for a target, or the world.
    #[inline]
    pub(super) fn is_stuck(&self, cell: Cell, spot: Spot, going: Going) -> bool {
        let (_, may_take) = self.world.may_put_and_take(spot.container);
        let free = may_take && !self.world.rules.figures[cell.kind as usize].keep;
        !free && self.why_stuck(cell, spot, going).is_some()
    }

    #[cold]
    pub(super) fn why_stuck(&self, cell: Cell, spot: Spot, going: Going) -> Option<Cause> {
        let keep = self.world.rules.figures[cell.kind as usize].keep;
        if keep && matches!(going, Going::Out | Going::To(Target::Ground)) {
            return Some(Cause::Kept(KindId(cell.kind)));
        }
        // The game may always consume; what stays inside passes no border.
        let leaving = match going {
            Going::Out | Going::Nowhere => false,
            Going::To(Target::Slot(to)) => to.container != spot.container,
            Going::To(Target::Container(to)) => to != spot.container,
            Going::To(Target::Holder(_) | Target::Ground) => true,
        };
        let (_, may_take) = self.world.may_put_and_take(spot.container);
        (leaving && !may_take).then(|| Cause::NoTake(Place::Container(self.world.container_id(spot.container))))
    }

    /// Removes all that lies in a place, whatever it is.
    pub(super) fn remove_all(&mut self, place: Place) {
        let world = self.world;
        let containers = match self.source(place) {
            Ok(Source::Spot(spot)) => {
                let count = self.cell(spot).count;
                if count > 0 {
                    self.remove(spot, count);
                }
                return;
            }
            Ok(Source::Container(container)) => vec![container],
            Ok(Source::Holder(holder)) => world.containers_of(holder).to_vec(),
            Err(_) => return,
        };
        for container in containers {
            let mut from = Some(0);
            while let Some(slot) = from.and_then(|from| world.next_taken(container, from)) {
                let spot = Spot { container, slot };
                self.remove(spot, self.cell(spot).count);
                from = slot.checked_add(1);
            }
        }
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
        match source {
            Source::Spot(spot) => {
                let cell = self.cell(spot);
                if !cell.is_empty() && kind.is_none_or(|kind| cell.kind == kind) {
                    carrying.take(self, spot, going);
                }
            }
            Source::Container(container) => carrying.take_from(self, container, kind, going),
            Source::Holder(holder) => {
                let world = self.world;
                for worn in [false, true] {
                    for &container in world.containers_of(holder) {
                        if world.def_of(container).is_worn() == worn {
                            carrying.take_from(self, container, kind, going);
                        }
                    }
                }
            }
        }
        carrying.finish(request.from)
    }
}

struct Carrying {
    request: Request,
    /// How many are still asked for; none if it is all that lies there.
    left: Option<u64>,
    done: u64,
    there: u64,
    /// Why the first stack that could not give all that was asked of it could not.
    shortfall: Option<Cause>,
}

impl Carrying {
    fn new(request: Request) -> Carrying {
        let left = match request.amount {
            Amount::All => None,
            Amount::Exactly(count) | Amount::UpTo(count) => Some(u64::from(count)),
        };
        Carrying { request, left, done: 0, there: 0, shortfall: None }
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
                if given < asked && self.shortfall.is_none() && (self.is_exact() || given == 0) {
                    let whole = if self.is_exact() { self.left.unwrap_or(u64::from(asked)) } else { 1 };
                    self.shortfall = Some(draft.why_not(item, whole, Some(spot), target));
                }
                draft.lay_parts(item, Some(spot));
                given
            }
        };
        self.done += u64::from(given);
        self.left = self.left.map(|left| left - u64::from(given));
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
