//! Two sides exchange items: first both give, then the goods are placed, then what is paid for
//! them. Slots that became free are targets on both sides.
//!
//! The result is worked out with stacks that wait where no world has a place. Events can't express
//! that, so they are ordered such that each slot is free when a stack enters it; stacks in each
//! other's way are swapped.

use rustc_hash::{FxHashMap, FxHashSet};
use smallvec::SmallVec;

use super::carry::{Going, lay_all};
use super::draft::{Draft, DraftPoint};
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use crate::id::{KindId, StackId};
use crate::narrow;
use crate::ruleset::Right;
use crate::world::{Event, PackContents, Place, Spot, StackClass, StackLocation};

/// One of the two sides.
#[derive(Clone, Debug)]
pub(super) struct Side {
    /// Who acts while it gives and takes; `None` for the game, which no list keeps away.
    pub(super) actor: Option<u32>,
    /// Kinds and numbers for one lot, in order.
    pub(super) gives: SmallVec<[(KindId, u32); 2]>,
    pub(super) from: Giver,
    pub(super) into: Target,
    /// `nobody` in `put-by` and `take-by` does not keep it away.
    pub(super) passes_nobody: bool,
}

/// Where a side gives from.
#[derive(Clone, Copy, Debug)]
pub(super) enum Giver {
    Container(u32),
    Holder(u32),
}

/// Two sides. The one that gives the goods is placed first.
pub(super) struct Exchange {
    /// They are judged in this order.
    pub(super) sides: [Side; 2],
    /// Which of them gives the goods.
    pub(super) goods: usize,
    pub(super) lots: u64,
}

/// Why an exchange is not made.
pub(super) struct Failed {
    /// The checks that fail, in order.
    pub(super) causes: Vec<Cause>,
    /// No larger number of lots can be made: the other items are stuck, or have no room on the other
    /// side, and would not have more if fewer were exchanged. The number itself may be too large.
    pub(super) most: u64,
}

impl Failed {
    /// The refusal of the first check; the draft notes all.
    pub(super) fn refusal(self, draft: &mut Draft<'_>) -> Refusal {
        let first = self.causes.first().copied().unwrap_or(Cause::BadAmount);
        draft.note_causes(self.causes);
        Refusal::new(first)
    }
}

/// The stacks that a side gives, in the slots of the transit container, and the checks that fail.
struct Taken {
    waiting: [Vec<Spot>; 2],
    /// There is too little.
    missing: Vec<Cause>,
    /// The items may not leave.
    stuck: Vec<Cause>,
    /// As in [`Failed`].
    most: u64,
}

impl Exchange {
    /// How many items of a kind a side has.
    pub(super) fn there(&self, draft: &mut Draft<'_>, side: usize, kind: KindId) -> u64 {
        let side = &self.sides[side];
        act_as(draft, side);
        let there = stacks(draft, side.from, kind).iter().map(|&spot| u64::from(draft.cell(spot).count)).sum();
        draft.pass_nobody(false);
        there
    }

    /// For how many lots a side has enough.
    pub(super) fn lots_there(&self, draft: &mut Draft<'_>, side: usize) -> u64 {
        let gives = self.sides[side].gives.clone().into_iter();
        gives.map(|(kind, each)| self.there(draft, side, kind) / u64::from(each.max(1))).min().unwrap_or(0)
    }

    /// Performs the exchange, or nothing.
    pub(super) fn attempt(&self, draft: &mut Draft<'_>) -> Result<(), Failed> {
        let (actor, noted) = (draft.actor, draft.take_noted());
        let transit = draft.open_transit();
        let start = draft.point();
        let done = self.exchange(draft, transit, &start);
        if done.is_err() {
            draft.go_back_to(&start);
        }
        draft.close_transit();
        draft.pass_nobody(false);
        draft.actor = actor;
        let _ = draft.take_noted();
        draft.note_first(noted);
        done
    }

    fn exchange(&self, draft: &mut Draft<'_>, transit: u32, start: &DraftPoint) -> Result<(), Failed> {
        let begin = draft.events().len();
        let mut taken =
            Taken { waiting: [Vec::new(), Vec::new()], missing: Vec::new(), stuck: Vec::new(), most: self.lots };
        let is_all_there = (0..2).all(|nth| self.take(draft, nth, transit, &mut taken));
        let Taken { waiting, missing, stuck, most } = taken;
        if !is_all_there || !missing.is_empty() && !draft.collects_causes() {
            return Err(Failed { causes: missing.into_iter().take(1).collect(), most });
        }
        let left = draft.events().len();
        let mut failed = Failed { causes: stuck, most };
        // A pack takes its slots away or brings them: with fewer there may be more room.
        let room_shrinks = waiting.iter().flatten().any(|&spot| draft.cell(spot).is_pack());
        for nth in [self.goods, 1 - self.goods] {
            let taker = &self.sides[1 - nth];
            act_as(draft, taker);
            let Err(causes) = place(draft, &waiting[nth], taker.into) else { continue };
            failed.causes.extend(causes);
            if !room_shrinks {
                failed.most = self.lots_with_room(draft, nth, &waiting[nth], failed.most);
            }
        }
        // An earlier check comes first, whatever it is about.
        failed.causes.sort_by_key(Cause::reason);
        failed.causes.splice(0..0, missing);
        if failed.causes.is_empty() {
            let flows = Flows::new(&draft.events()[begin..], left - begin);
            match flows.ordered(draft) {
                Some(order) => draft.reorder(start, |_| order),
                None => {
                    let at = draft.place_of_target(self.sides[1 - self.goods].into);
                    failed.causes.push(Cause::NoRoom { at, requested: 1, room: 0 });
                }
            }
        }
        if failed.causes.is_empty() { Ok(()) } else { Err(failed) }
    }

    /// Takes what a side gives; false if there is nothing of a kind.
    fn take(&self, draft: &mut Draft<'_>, nth: usize, transit: u32, taken: &mut Taken) -> bool {
        let (side, taker) = (&self.sides[nth], &self.sides[1 - nth]);
        for &(kind, each) in &side.gives {
            let wanted = u64::from(each).saturating_mul(self.lots);
            act_as(draft, side);
            let spots = stacks(draft, side.from, kind);
            let there: u64 = spots.iter().map(|&spot| u64::from(draft.cell(spot).count)).sum();
            if there == 0 {
                let shut = match side.from {
                    Giver::Container(container) => draft.shut_slot(Right::Take, container),
                    Giver::Holder(_) => None,
                };
                let empty = Cause::EmptySource { at: giver_place(draft, side.from), kind: Some(kind) };
                taken.missing.push(shut.map_or(empty, Cause::NoTake));
                return false;
            }
            if there < wanted {
                taken.missing.push(Cause::TooFew { at: giver_place(draft, side.from), kind, requested: wanted, there });
            }
            let going = Going::To(Target::Container(transit));
            let goes = |&spot: &Spot| !draft.is_stuck(draft.cell(spot), spot, going);
            let (free, stuck): (Vec<Spot>, Vec<Spot>) = spots.into_iter().partition(goes);
            act_as(draft, taker);
            let admitted = |&spot: &Spot| admits(draft, taker.into, spot);
            let (first, then): (Vec<Spot>, Vec<Spot>) = free.into_iter().partition(admitted);
            act_as(draft, side);
            let could: u64 = first.iter().chain(&then).map(|&spot| u64::from(draft.cell(spot).count)).sum();
            taken.most = taken.most.min(could / u64::from(each.max(1)));
            let mut left = wanted;
            for (spot, is_stuck) in first
                .into_iter()
                .chain(then)
                .map(|spot| (spot, false))
                .chain(stuck.into_iter().map(|spot| (spot, true)))
            {
                let count = narrow::at_most(left).min(draft.cell(spot).count);
                if count == 0 {
                    break;
                }
                if is_stuck {
                    let causes: Vec<Cause> = draft.all_not_taken(spot, going).collect();
                    taken
                        .stuck
                        .extend(causes.into_iter().filter(|cause| !taken.stuck.contains(cause)).collect::<Vec<_>>());
                }
                let slot = narrow::index(taken.waiting.iter().map(Vec::len).sum());
                let to = Spot { container: transit, slot };
                draft.wait_in(to, spot, count);
                taken.waiting[nth].push(to);
                left -= u64::from(count);
            }
        }
        true
    }

    /// The largest number of lots, up to one, of which the items that wait have room with the other
    /// side. If all of them have room, so have fewer.
    fn lots_with_room(&self, draft: &mut Draft<'_>, nth: usize, waiting: &[Spot], most: u64) -> u64 {
        let (gives, going) = (&self.sides[nth].gives, Going::To(self.sides[1 - nth].into));
        let start = draft.point();
        let (mut fits, mut too_many) = (0, most.saturating_add(1).min(self.lots));
        while too_many - fits > 1 {
            let lots = fits + (too_many - fits) / 2;
            let mut left: SmallVec<[(u32, u64); 2]> =
                gives.iter().map(|&(kind, each)| (kind.0, u64::from(each).saturating_mul(lots))).collect();
            let mut portions = portions(draft, waiting);
            for portion in &mut portions {
                let Some((_, left)) = left.iter_mut().find(|(kind, _)| *kind == portion.item.kind) else { continue };
                portion.count = portion.count.min(narrow::at_most(*left));
                *left -= u64::from(portion.count);
            }
            let all = count(&portions);
            if lay_all(draft, &portions, going) == all {
                fits = lots;
            } else {
                too_many = lots;
            }
            draft.go_back_to(&start);
            let _ = draft.take_noted();
        }
        fits
    }
}

fn giver_place(draft: &Draft<'_>, from: Giver) -> Place {
    match from {
        Giver::Container(container) => draft.container_place(container),
        Giver::Holder(holder) => Place::Holder(draft.world.holder_id(holder)),
    }
}

fn act_as(draft: &mut Draft<'_>, side: &Side) {
    draft.actor = side.actor;
    draft.pass_nobody(side.passes_nobody);
}

/// The stacks of a kind from which a side gives, in order.
fn stacks(draft: &Draft<'_>, from: Giver, kind: KindId) -> Vec<Spot> {
    let containers = match from {
        Giver::Container(container) => SmallVec::from_elem(container, 1),
        Giver::Holder(holder) => draft.sources_of(holder, Going::Out),
    };
    let in_container = |container: u32| {
        let next = move |from: u32| draft.next_stack_in(container, Some(kind.0), from);
        let slots = std::iter::successors(next(0), move |slot| slot.checked_add(1).and_then(next));
        slots.map(move |slot| Spot { container, slot })
    };
    let is_meant = |&spot: &Spot| !draft.passes_over(spot, Going::To(Target::Ground));
    containers.into_iter().flat_map(in_container).filter(is_meant).collect()
}

/// Whether the other side would admit a stack if it were empty.
fn admits(draft: &Draft<'_>, into: Target, spot: Spot) -> bool {
    let item = draft.item(draft.cell(spot));
    let may = |container: u32| draft.why_not_admitted(item, Some(spot), container).is_none();
    match into {
        Target::Container(container) => may(container),
        Target::Holder(holder) => draft.targets_of(holder).into_iter().any(may),
        Target::Slot(_) | Target::Ground => true,
    }
}

fn portions(draft: &Draft<'_>, waiting: &[Spot]) -> Vec<Portion> {
    let portion = |&spot: &Spot| {
        let cell = draft.cell(spot);
        Portion { item: draft.item(cell), count: cell.count, from: Some(spot) }
    };
    waiting.iter().map(portion).collect()
}

fn count(portions: &[Portion]) -> u64 {
    portions.iter().map(|portion| u64::from(portion.count)).sum()
}

/// Places what waits with the other side; or nothing, and gives the checks that fail.
fn place(draft: &mut Draft<'_>, waiting: &[Spot], into: Target) -> Result<(), Vec<Cause>> {
    let start = draft.point();
    let (portions, going) = (portions(draft, waiting), Going::To(into));
    let requested = count(&portions);
    if lay_all(draft, &portions, going) == requested {
        draft.settle();
        return Ok(());
    }
    draft.go_back_to(&start);
    let _ = draft.take_noted();
    let first = draft.why_not(&portions, going);
    let mut causes = draft.take_noted();
    if causes.is_empty() {
        let no_room = || Cause::NoRoom { at: draft.place_of_target(into), requested, room: 0 };
        causes.push(first.unwrap_or_else(no_room));
    }
    Err(causes)
}

/// A stack that leaves, or a part of one.
struct Leaving {
    from: StackLocation,
    transit: Spot,
    kind: KindId,
    class: StackClass,
    inner: PackContents,
    /// As it waits.
    stack: StackId,
    /// How many of it have not reached their place.
    left: u32,
    /// Where a whole stack is by now.
    at: Spot,
    is_whole: bool,
}

impl Leaving {
    /// Where it is by now.
    fn location(&self) -> StackLocation {
        match self.is_whole {
            true => StackLocation { spot: self.at, stack: self.stack, ..self.from },
            false => self.from,
        }
    }
}

/// Some of what leaves, on its way to its place.
struct Entering {
    of: usize,
    to: StackLocation,
    count: u32,
    /// What enters the same slot before it.
    after: Option<usize>,
    /// It brings the whole stack there, with its id.
    keeps_id: bool,
    is_done: bool,
}

/// What leaves, and where it goes.
struct Flows {
    leaving: Vec<Leaving>,
    entering: Vec<Entering>,
    /// The slots of whole stacks that have not left.
    taken: FxHashMap<Spot, usize>,
    ordered: Vec<Event>,
}

impl Flows {
    /// From the events by which stacks leave, and then enter.
    fn new(events: &[Event], left: usize) -> Flows {
        let (leave, enter) = events.split_at(left);
        let leaving = leave.iter().filter_map(|event| match *event {
            Event::Moved { kind, count, from, to, class, inner } => {
                let is_whole = from.stack == to.stack;
                let (transit, stack, at) = (to.spot, to.stack, from.spot);
                Some(Leaving { from, transit, kind, class, inner, stack, left: count, at, is_whole })
            }
            _ => None,
        });
        let leaving: Vec<Leaving> = leaving.collect();
        let numbers: FxHashMap<Spot, usize> = leaving.iter().enumerate().map(|(nth, it)| (it.transit, nth)).collect();
        let mut kept = FxHashSet::default();
        let mut last = FxHashMap::default();
        let enters = enter.iter().filter_map(|event| match *event {
            Event::Moved { count, from, to, .. } => Some((*numbers.get(&from.spot)?, to, count)),
            _ => None,
        });
        let entering = enters.enumerate().map(|(nth, (of, to, count))| {
            let keeps_id = leaving[of].is_whole && leaving[of].stack == to.stack && kept.insert(of);
            Entering { of, to, count, after: last.insert(to.spot, nth), keeps_id, is_done: false }
        });
        let entering = entering.collect();
        let whole = leaving.iter().enumerate().filter(|(_, it)| it.is_whole);
        let taken = whole.map(|(nth, it)| (it.at, nth)).collect();
        Flows { leaving, entering, taken, ordered: Vec::new() }
    }

    /// The events in an order in which each slot is free, or has an alike stack, when something
    /// enters it. `None` if none is found, as where stacks that join would be more than one stack can
    /// count.
    fn ordered(mut self, draft: &Draft<'_>) -> Option<Vec<Event>> {
        loop {
            let mut moved = false;
            for nth in 0..self.entering.len() {
                if self.is_there(nth) {
                    let Entering { of, to, count, .. } = self.entering[nth];
                    self.taken.remove(&to.spot);
                    self.leaving[of].left -= count;
                    self.entering[nth].is_done = true;
                    moved = true;
                }
                if self.is_ready(nth) {
                    self.go(nth);
                    moved = true;
                }
            }
            if self.entering.iter().all(|it| it.is_done) {
                return Some(self.ordered);
            }
            if !moved && !self.swap(draft) && !self.join(draft) {
                return None;
            }
        }
    }

    /// A swap has brought the whole stack to its place.
    fn is_there(&self, nth: usize) -> bool {
        let entering = &self.entering[nth];
        !entering.is_done && entering.keeps_id && self.leaving[entering.of].at == entering.to.spot
    }

    fn is_ready(&self, nth: usize) -> bool {
        let entering = &self.entering[nth];
        let is_first = entering.after.is_none_or(|before| self.entering[before].is_done);
        !entering.is_done && !self.taken.contains_key(&entering.to.spot) && is_first
    }

    /// Some of a stack goes to its place; with its id, all of it goes, and the rest goes on from
    /// there.
    fn go(&mut self, nth: usize) {
        let Entering { of, to, count, keeps_id, .. } = self.entering[nth];
        let leaving = &mut self.leaving[of];
        let from = leaving.location();
        let moved = if keeps_id { leaving.left } else { count };
        leaving.left -= count;
        let Leaving { kind, class, inner, .. } = *leaving;
        self.ordered.push(Event::Moved { kind, count: moved, from, to, class, inner });
        if keeps_id || leaving.left == 0 {
            if self.taken.get(&leaving.at) == Some(&of) {
                self.taken.remove(&leaving.at);
            }
            leaving.at = to.spot;
        }
        self.entering[nth].is_done = true;
    }

    /// Whole stacks whose places are taken by others that leave swap with them.
    fn swap(&mut self, draft: &Draft<'_>) -> bool {
        let inside = |it: &Leaving, other: &Leaving| {
            other.inner.is_pack() && draft.is_within(it.at.container, other.inner.container())
        };
        let mut swapped = false;
        for nth in 0..self.entering.len() {
            let Entering { of, to, count, keeps_id, is_done, .. } = self.entering[nth];
            let Some(&other) = self.taken.get(&to.spot).filter(|&&other| keeps_id && !is_done && other != of) else {
                continue;
            };
            let (mine, its) = (&self.leaving[of], &self.leaving[other]);
            if inside(mine, its) || inside(its, mine) {
                continue;
            }
            let here = StackLocation { spot: mine.at, stack: mine.stack, ..to };
            let there = StackLocation { stack: its.stack, ..to };
            self.ordered.push(Event::Swapped { one: here, other: there });
            self.taken.remove(&to.spot);
            self.taken.insert(here.spot, other);
            self.leaving[other].at = here.spot;
            (self.leaving[of].at, self.leaving[of].left) = (to.spot, self.leaving[of].left - count);
            self.entering[nth].is_done = true;
            swapped = true;
        }
        swapped
    }

    /// A whole stack that ends in stacks of others is in the way: it joins the one that is first to
    /// enter where some of it goes, and goes on with that one. They are alike, since they end in one
    /// stack. Only such stacks are in the way when nothing can swap, and each time there is one less.
    fn join(&mut self, draft: &Draft<'_>) -> bool {
        // What does not leave stays at the place of a part, and counts there too.
        let rest = |it: &Leaving| if it.is_whole { 0 } else { draft.cell(it.from.spot).count };
        let has_room = |it: &Leaving, count: u32| {
            it.left.checked_add(count).is_some_and(|both| both.checked_add(rest(it)).is_some())
        };
        let found = self.entering.iter().find_map(|it| {
            let mine = &self.leaving[it.of];
            if it.is_done || self.taken.get(&mine.at) != Some(&it.of) {
                return None;
            }
            let first = self.entering.iter().find(|other| !other.is_done && other.to.spot == it.to.spot)?;
            (first.of != it.of && has_room(&self.leaving[first.of], mine.left)).then_some((it.of, first.of))
        });
        let Some((of, onto)) = found else { return false };
        let (from, to) = (self.leaving[of].location(), self.leaving[onto].location());
        let Leaving { kind, class, inner, left: count, at, .. } = self.leaving[of];
        self.ordered.push(Event::Moved { kind, count, from, to, class, inner });
        self.taken.remove(&at);
        self.leaving[of].left = 0;
        self.leaving[onto].left += count;
        self.entering.iter_mut().filter(|it| !it.is_done && it.of == of).for_each(|it| it.of = onto);
        true
    }
}
