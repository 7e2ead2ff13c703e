//! The reasons why an amount does not move: the checks that it fails, in order, each made on its
//! own.
//!
//! What is checked is one amount, be it of one stack or of several: each sum is that of exactly
//! these items.

use smallvec::SmallVec;

use super::allowed::Point;
use super::carry::Going;
use super::draft::{Draft, Item};
use super::limits::may_lie_whole;
use super::refusal::{Cause, Reason, Refusal};
use super::target::Target;
use crate::ruleset::Right;
use crate::world::{Bearer, Place, Spot};

/// Items of one stack, or items that are to be created.
#[derive(Clone, Copy, Debug)]
pub(super) struct Portion {
    pub(super) item: Item,
    pub(super) count: u32,
    /// The place of the stack; `None` for created items.
    pub(super) from: Option<Spot>,
}

/// The checks that have failed so far. The first ends the search, unless all are wanted.
pub(super) struct Found {
    all: bool,
    causes: Vec<Cause>,
}

impl Found {
    pub(super) fn new(draft: &Draft<'_>) -> Found {
        Found { all: draft.collects_causes(), causes: Vec::new() }
    }

    /// Notes what has failed.
    ///
    /// # Errors
    /// The first of it, unless all are wanted.
    #[inline]
    pub(super) fn note(&mut self, causes: impl IntoIterator<Item = Cause>) -> Result<(), Refusal> {
        for cause in causes {
            if !self.all {
                return Err(Refusal::new(cause));
            }
            if !self.causes.contains(&cause) {
                self.causes.push(cause);
            }
        }
        Ok(())
    }

    pub(super) fn has(&self, reason: Reason) -> bool {
        self.causes.iter().any(|cause| cause.reason() == reason)
    }

    /// Returns the recorded reasons.
    ///
    /// # Errors
    /// The first of it, if there is any.
    pub(super) fn end(self, draft: &mut Draft<'_>) -> Result<(), Refusal> {
        let first = self.causes.first().copied();
        draft.note_causes(self.causes);
        first.map_or(Ok(()), |cause| Err(Refusal::new(cause)))
    }
}

/// A portion and the container that it would enter, if its target is not the ground.
type Route = (Portion, Option<u32>);

/// The sources and targets of the portions, and everything that would newly carry them.
type Crossing = (Option<u32>, u32, SmallVec<[Bearer; 4]>);

/// Most amounts are of one stack.
type Routes = SmallVec<[Route; 1]>;

impl Draft<'_> {
    /// The first check that fails for all portions; if every reason is wanted, all of them are
    /// recorded.
    #[cold]
    pub(super) fn why_not(&mut self, portions: &[Portion], going: Going) -> Option<Cause> {
        let mut found = Found::new(self);
        let checked = self.check(portions, going, &mut found);
        checked.and_then(|()| found.end(self)).err().map(|refusal| refusal.cause())
    }

    fn check(&mut self, portions: &[Portion], going: Going, found: &mut Found) -> Result<(), Refusal> {
        self.check_leaving(portions, going, found)?;
        let Going::To(target) = going else { return Ok(()) };
        let routes: Routes = portions.iter().map(|portion| (*portion, self.route(portion, target))).collect();
        self.check_entering(&routes, target, found)?;
        if let Target::Slot(spot) = target {
            let blocked = portions.iter().any(|&Portion { item, count, from }| {
                let whole = self.takes_whole(from, count);
                self.is_blocked(item, spot, from, whole)
            });
            found.note(blocked.then(|| Cause::BlockedSlot(self.place_of_spot(spot))))?;
        }
        // What a pack inside itself would weigh can't be said.
        if !found.has(Reason::InsideItself) {
            if !self.checks_caps_later() {
                self.check_bearers(&routes, found)?;
            }
            if let Target::Slot(spot) = target {
                found.note(self.why_over_stack_limit(portions, spot))?;
            }
        }
        self.check_room((portions, &routes), target, found)
    }

    /// What keeps the portions where they are.
    fn check_leaving(&self, portions: &[Portion], going: Going, found: &mut Found) -> Result<(), Refusal> {
        let here = || portions.iter().filter_map(|portion| Some((self.cell(portion.from?), portion.from?)));
        found.note(here().find_map(|(cell, spot)| self.why_kept(cell, spot, going)))?;
        match going {
            Going::Out => {
                found.note(here().find_map(|(cell, spot)| self.why_not_consumed(cell, spot)))?;
                let banned = |_| here().flat_map(|(_, spot)| self.all_not_taken(spot, going)).collect::<Vec<_>>();
                found.note(self.actor.map(banned).into_iter().flatten())
            }
            Going::Used => {
                found.note(here().find_map(|(cell, spot)| self.why_too_low(cell, spot)))?;
                found.note(here().flat_map(|(_, spot)| self.all_not_taken(spot, going)))
            }
            Going::To(_) => found.note(here().flat_map(|(_, spot)| self.all_not_taken(spot, going))),
            Going::Nowhere => Ok(()),
        }
    }

    /// The container that a portion would enter. Of a holder's it is the first that would admit it,
    /// or else the first.
    fn route(&self, portion: &Portion, target: Target) -> Option<u32> {
        match target {
            Target::Slot(spot) => Some(spot.container),
            Target::Container(container) => Some(container),
            Target::Holder(holder) => {
                // A pack does not go into itself, and so does not say why.
                let mut targets = self.targets_of(holder);
                targets.retain(|at| self.is_among_places(portion.from, *at));
                targets.retain(|at| !portion.item.is_pack() || *at != portion.item.inner);
                let admits = |&&at: &&u32| self.why_not_admitted(portion.item, portion.from, at).is_none();
                targets.iter().find(admits).or(targets.first()).copied()
            }
            Target::Ground => None,
        }
    }

    /// Borders, filters and nesting.
    fn check_entering(&self, routes: &[Route], target: Target, found: &mut Found) -> Result<(), Refusal> {
        let entering = || routes.iter().filter_map(|(portion, into)| Some((portion.item, portion.from, (*into)?)));
        let point = |into: u32| if let Target::Slot(spot) = target { spot.into() } else { Point::whole(into) };
        found.note(entering().flat_map(|(_, from, into)| self.all_not_put(from, point(into))))?;
        if !matches!(target, Target::Slot(_)) {
            let bound = entering().filter(|(_, from, _)| from.is_some() || self.actor.is_some());
            found.note(bound.filter_map(|(_, _, into)| self.shut_slot(Right::Put, into).map(Cause::NoPut)))?;
        }
        // Each filter that refuses is listed once, with the first kind that it refuses.
        let mut refusing: SmallVec<[(u32, Item); 2]> = SmallVec::new();
        for (item, from, into) in entering() {
            for by in self.all_not_admitting(item, from, into) {
                if !refusing.iter().any(|(known, _)| *known == by) {
                    refusing.push((by, item));
                }
            }
        }
        found.note(refusing.into_iter().map(|(by, item)| self.refused_by(self.container_place(by), item)))?;
        match target {
            Target::Slot(spot) => {
                let refused =
                    routes.iter().map(|(portion, _)| portion.item).find(|&item| !self.slot_admits(item, spot));
                found.note(refused.map(|item| self.refused_by(self.place_of_spot(spot), item)))?;
            }
            _ => {
                let is_refused =
                    |into: u32| found.causes.iter().any(|it| is_refused_by(it, self.container_place(into)));
                let refused =
                    entering().find(|(item, _, into)| !is_refused(*into) && !self.any_slot_admits(*item, *into));
                found.note(refused.map(|(item, _, into)| self.refused_by(self.container_place(into), item)))?;
            }
        }
        let nested = |inside: bool| {
            let mut causes = entering().filter_map(|(item, from, into)| self.why_not_nested(item, from, into));
            causes.find(|cause| (cause.reason() == Reason::InsideItself) == inside)
        };
        found.note(nested(true))?;
        found.note(nested(false))
    }

    /// Everything that would newly carry the portions: first by caps, from the inside out, then by
    /// weight.
    fn check_bearers(&self, routes: &[Route], found: &mut Found) -> Result<(), Refusal> {
        // Most portions come from one container and go to one.
        let mut crossings: SmallVec<[Crossing; 1]> = SmallVec::new();
        let mut bearers: SmallVec<[Bearer; 4]> = SmallVec::new();
        for (portion, into) in routes {
            let (from, Some(into)) = (portion.from.map(|from| from.container), *into) else { continue };
            if !crossings.iter().any(|(a, b, _)| (*a, *b) == (from, into)) {
                let new = self.new_bearers(from, into);
                for &bearer in &new {
                    if !bearers.contains(&bearer) {
                        bearers.push(bearer);
                    }
                }
                crossings.push((from, into, new));
            }
        }
        let gain = |bearer: Bearer, of_one: &dyn Fn(Item) -> i64| -> i128 {
            let gained = routes.iter().filter(|(portion, into)| {
                let from = portion.from.map(|from| from.container);
                crossings.iter().any(|(a, b, new)| *a == from && Some(*b) == *into && new.contains(&bearer))
            });
            gained.map(|(portion, _)| i128::from(of_one(portion.item)) * i128::from(portion.count)).sum()
        };
        for &bearer in &bearers {
            found.note(self.over_caps(bearer, |number| gain(bearer, &|item| self.counted(item, 1, number))))?;
        }
        let created = routes.iter().map(|(portion, _)| portion).filter(|portion| portion.from.is_none());
        found.note(created.filter_map(|portion| {
            self.why_too_many(self.world.rules.kind_id(portion.item.kind), u64::from(portion.count))
        }))?;
        bearers.iter().try_for_each(|&bearer| found.note(self.too_heavy(bearer, gain(bearer, &|item| item.weight))))
    }

    /// Of several stacks those that are alike to the first that a slot would take.
    fn taken_first<'p>(&self, portions: &'p [Portion], spot: Spot) -> impl Iterator<Item = &'p Portion> + use<'p> {
        let there = self.cell(spot);
        let onto = portions.iter().find(|portion| self.takes_onto(there, portion.item)).or(portions.first());
        let class = onto.map(|portion| portion.item.class);
        portions.iter().filter(move |portion| Some(portion.item.class) == class)
    }

    /// The number of present items of the kind that a slot would take.
    fn held(&self, item: Item, spot: Spot) -> u64 {
        let there = self.cell(spot);
        if !there.is_empty() && self.takes_onto(there, item) { u64::from(there.count) } else { 0 }
    }

    fn why_over_stack_limit(&self, portions: &[Portion], spot: Spot) -> Option<Cause> {
        let item = self.taken_first(portions, spot).next()?.item;
        let count: u64 = self.taken_first(portions, spot).map(|portion| u64::from(portion.count)).sum();
        let limit = self.limit(spot, item.kind);
        let would = self.held(item, spot) + count;
        // A whole stack that is over its limit already may go where it is no further over.
        let is_no_further_over = match *portions {
            [Portion { count, from: Some(from), .. }] if self.held(item, spot) == 0 => {
                self.cell(from).count == count && may_lie_whole(count, limit, self.limit(from, item.kind))
            }
            _ => false,
        };
        let (at, kind) = (self.place_of_spot(spot), self.world.rules.kind_id(item.kind));
        (would > u64::from(limit) && !is_no_further_over).then_some(Cause::StackLimit { at, would, limit, kind })
    }

    fn check_room(
        &mut self,
        (portions, routes): (&[Portion], &[Route]),
        target: Target,
        found: &mut Found,
    ) -> Result<(), Refusal> {
        let total = |routes: &[Route]| routes.iter().map(|(portion, _)| u64::from(portion.count)).sum::<u64>();
        let requested = total(routes);
        match target {
            Target::Slot(spot) => found.note(self.why_slot_taken(portions, requested, spot)),
            Target::Ground => {
                let room = self.room_on_ground(routes);
                found.note((room < requested).then_some(Cause::NoRoom { at: Place::Ground, requested, room }))
            }
            Target::Container(_) | Target::Holder(_) => {
                let mut containers: SmallVec<[Option<u32>; 4]> = SmallVec::new();
                for (_, into) in routes {
                    if !containers.contains(into) {
                        containers.push(*into);
                    }
                }
                for into in containers {
                    let there: Routes = routes.iter().filter(|(_, other)| *other == into).copied().collect();
                    let requested = total(&there);
                    let room = into.map_or(0, |into| self.space(&there, into));
                    let at = into.map_or_else(|| self.place_of_target(target), |into| self.container_place(into));
                    found.note((room < requested).then_some(Cause::NoRoom { at, requested, room }))?;
                }
                Ok(())
            }
        }
    }

    /// What a slot may hold, and what it holds.
    pub(super) fn why_not_in_slot(&self, portion: Portion, spot: Spot) -> Option<Cause> {
        let portions = [portion];
        let taken = || self.why_slot_taken(&portions, u64::from(portion.count), spot);
        self.why_over_stack_limit(&portions, spot).or_else(taken)
    }

    /// Something else is in the slot, or would be.
    fn why_slot_taken(&self, portions: &[Portion], requested: u64, spot: Spot) -> Option<Cause> {
        let first = self.taken_first(portions, spot).next()?;
        let fits_onto = self.takes_onto(self.cell(spot), first.item);
        let alike: u64 = self.taken_first(portions, spot).map(|portion| u64::from(portion.count)).sum();
        if fits_onto && alike == requested && (portions.len() == 1 || !first.item.is_pack()) {
            return None;
        }
        let left = u64::from(self.limit(spot, first.item.kind)).saturating_sub(self.held(first.item, spot));
        let room = if fits_onto { left.min(alike) } else { 0 };
        Some(Cause::NoRoom { at: self.place_of_spot(spot), requested, room })
    }

    /// How many items the ground takes: whole stacks as they are, parts within the limit of their
    /// kind.
    fn room_on_ground(&self, routes: &[Route]) -> u64 {
        let (mut free, mut room) = (u64::from(self.ground_room()), 0);
        for (Portion { item, count, from }, _) in routes {
            let whole = from.is_some_and(|from| self.cell(from).count == *count);
            let portion = if whole { *count } else { self.world.rules.figures[item.kind as usize].stack_limit };
            let (count, portion) = (u64::from(*count), u64::from(portion.max(1)));
            room += count.min(free * portion);
            free = free.saturating_sub(count.div_ceil(portion));
        }
        room
    }

    /// For how many of the items the slots of a container have space, whatever they weigh.
    fn space(&mut self, routes: &[Route], container: u32) -> u64 {
        if let [(Portion { item, count, from }, _)] = *routes {
            let whole = self.takes_whole(from, count);
            let given = self.lay_in_container(item, count, from, whole, container);
            self.parts().clear();
            return u64::from(given);
        }
        let start = self.point();
        let mut space = 0;
        for &(Portion { item, count, from }, _) in routes {
            let is_inside_itself = item.is_pack() && self.is_within(container, item.inner);
            if is_inside_itself {
                continue;
            }
            let whole = self.takes_whole(from, count);
            space += u64::from(self.lay_in_container(item, count, from, whole, container));
            self.lay_parts(item, from);
            self.settle();
        }
        self.go_back_to(&start);
        space
    }
}

fn is_refused_by(cause: &Cause, place: Place) -> bool {
    matches!(cause, Cause::NotAdmitted { by, .. } if *by == place)
}

impl Draft<'_> {
    fn refused_by(&self, by: Place, item: Item) -> Cause {
        Cause::NotAdmitted { by, kind: self.world.rules.kind_id(item.kind) }
    }
}
