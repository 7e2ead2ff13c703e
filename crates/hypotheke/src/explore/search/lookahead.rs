//! The results of simple operations, computed from the bytes of a state alone.
//!
//! Most operations lead to a known state, so it is enough to know their resulting bytes. In a
//! fixed-width state ([`crate::explore::state::fixed_width`]) these depend on the contents of two
//! places, on the rules of the places, and on weight. The result without weight is computed once by
//! the library for each two places with their contents, and remembered. Weight is checked in each
//! state, if there is a cap. Any other operation must be performed. If it is refused for no other
//! cause, that is remembered too.
//!
//! Debug builds, and so all tests, perform each operation and compare.

use std::ops::Range;

use crate::explore::model::moves::{Step, fitting_amounts};
use crate::explore::model::scope::{Amounts, Scope};
use crate::explore::state::fixed_width::{FixedWidth, Framed};
use crate::explore::state::store::Lookup;
use crate::language::Amount;
use crate::language::Verb;
use crate::narrow;
use crate::ops::{Operation, Reason};
use crate::world::{Cell, GROUND, Spot, World};

/// With more place rules and contents than this, the table of results would be too large.
const MAX_STATES: usize = 2_048;
/// In place of the number of a frame where the order makes a difference.
const IN_ORDER: u16 = u16::MAX;

/// A slot that takes part, or a place on the ground.
#[derive(Clone, Copy, Debug)]
struct Place {
    spot: Spot,
    /// Which byte it is.
    at: u16,
    /// Which of the frames, if the order in it makes no difference.
    frame: u16,
    /// The number of its rules when empty; its contents are added.
    class: u32,
}

/// The contents of a place.
#[derive(Clone, Copy, Debug, Default)]
struct Here {
    code: u8,
    /// The number of the rules of the place and of its contents.
    state: u32,
}

/// The result of an operation between two places, without weight.
#[derive(Clone, Copy, Debug)]
struct Lead {
    /// None of an exchange.
    amount: Option<Amount>,
    effect: Effect,
}

#[derive(Clone, Copy, Debug)]
enum Effect {
    /// The contents of both places afterwards, and the added weight of the second.
    Bytes(u8, u8, i64),
    Refused(Reason),
    /// That has to be found out.
    Unknown,
}

/// The known result of an operation.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) enum LookaheadResult {
    /// It is applied and leads to its bytes.
    Applied,
    Refused(Reason),
    /// Unknown: it must be performed.
    Unknown,
}

/// An operation from one place to another.
#[derive(Clone, Copy, Debug)]
struct Next {
    from: u16,
    to: u16,
    lead: u32,
}

/// Buffers with all operations of a state and their results; reused.
#[derive(Debug, Default)]
pub(in crate::explore) struct View {
    /// The contents of each place.
    here: Vec<Here>,
    sources: Vec<u16>,
    targets: Vec<u16>,
    nexts: Vec<Next>,
    /// The stacks that move onto themselves, and the slots that are swapped with themselves, after
    /// all others: both are applied and change nothing.
    to_itself: Vec<(u16, bool)>,
    described: Vec<LookaheadResult>,
    /// The resulting states; without meaning for an operation that is not applied.
    pub(in crate::explore) bytes: Vec<u8>,
    pub(in crate::explore) lookups: Vec<Lookup>,
}

impl View {
    pub(in crate::explore) fn len(&self) -> usize {
        self.nexts.len() + self.to_itself.len()
    }

    /// How many lead from one place to a different one.
    pub(in crate::explore) fn between_places(&self) -> usize {
        self.nexts.len()
    }

    pub(in crate::explore) fn described(&self, nth: usize) -> LookaheadResult {
        self.described[nth]
    }
}

#[derive(Debug)]
pub(in crate::explore) struct Lookahead {
    even: FixedWidth,
    /// A world that answers questions about limits and filters.
    requested: World,
    moves: bool,
    swaps: bool,
    drops: bool,
    picks_up: bool,
    /// Those of the containers that take part, in their order, then those of the ground, and one
    /// more where nothing lands.
    places: Vec<Place>,
    /// How many of them are slots.
    slots: usize,
    ground: Framed,
    /// For each number of rules a spot that has them; the ground is the last.
    classes: Vec<Spot>,
    states: usize,
    /// For each two states where their leads begin, four times, and how many there are, and one
    /// more; 0 is not known.
    known: Vec<u32>,
    leads: Vec<Lead>,
    /// How many values a byte may have.
    codes: u32,
    /// Whether weight must be checked in the world.
    weighs: bool,
}

impl Lookahead {
    /// None if there would be too much to remember.
    pub(in crate::explore) fn new(even: &FixedWidth, world: &World, scope: &Scope) -> Option<Lookahead> {
        if scope.amounts == Amounts::Every {
            return None;
        }
        let mut lookahead = Lookahead {
            even: even.clone(),
            requested: world.clone(),
            moves: scope.tries(Verb::Move),
            swaps: scope.tries(Verb::Swap),
            drops: scope.tries(Verb::Drop),
            picks_up: scope.tries(Verb::PickUp),
            places: Vec::new(),
            slots: 0,
            ground: even.ground(),
            classes: Vec::new(),
            states: 0,
            known: Vec::new(),
            leads: Vec::new(),
            codes: u32::try_from(even.codes()).ok()?,
            weighs: false,
        };
        for container in &scope.containers {
            lookahead.add_container(container.index)?;
        }
        lookahead.slots = lookahead.places.len();
        lookahead.add_ground()?;
        lookahead.states = lookahead.classes.len() * even.codes();
        if lookahead.states > MAX_STATES {
            return None;
        }
        lookahead.known = vec![0; lookahead.states * lookahead.states];
        let containers = || scope.containers.iter().map(|container| container.index);
        let bears = |from: u32| containers().all(|to| world.bears_anything(from, to));
        lookahead.weighs = !containers().chain([GROUND]).all(bears);
        Some(lookahead)
    }

    fn add_container(&mut self, container: u32) -> Option<()> {
        let nth = self.even.frame().iter().position(|framed| framed.container == container)?;
        let framed = self.even.frame()[nth];
        let frame = if framed.alike { u16::try_from(nth).ok()? } else { IN_ORDER };
        let (ruled, before) = (self.requested.state(container).ruled, self.classes.len());
        for (slot, at) in (0..).zip(framed.range()) {
            let spot = Spot { container, slot };
            if slot <= ruled {
                self.classes.push(spot);
            }
            let class = (before + slot.min(ruled) as usize) * self.even.codes();
            self.places.push(Place { spot, at: u16::try_from(at).ok()?, frame, class: u32::try_from(class).ok()? });
        }
        Some(())
    }

    fn add_ground(&mut self) -> Option<()> {
        let class = u32::try_from(self.classes.len() * self.even.codes()).ok()?;
        self.classes.push(Spot { container: GROUND, slot: 0 });
        for at in self.ground.range().chain([0]) {
            let spot = Spot { container: GROUND, slot: 0 };
            self.places.push(Place { spot, at: u16::try_from(at).ok()?, frame: IN_ORDER, class });
        }
        u16::try_from(self.places.len()).is_ok().then_some(())
    }

    /// Whether the world must be present, to check weight.
    pub(in crate::explore) fn weighs(&self) -> bool {
        self.weighs
    }

    /// All operations of a state with their results. The world is read only for weight.
    pub(in crate::explore) fn look(&mut self, bytes: &[u8], world: &World, view: &mut View) {
        self.list(bytes, view);
        view.bytes.clear();
        view.lookups.clear();
        view.described.clear();
        let hash = self.even.hash(bytes);
        for next in &view.nexts {
            let start = view.bytes.len();
            view.bytes.extend_from_slice(bytes);
            let (described, hash) = match self.leads[next.lead as usize].effect {
                Effect::Bytes(left, there, gain) if self.is_borne(next, gain, world) => {
                    let after = &mut view.bytes[start..];
                    let before = [next.from, next.to].map(|place| view.here[usize::from(place)].code);
                    let hash = self.set(after, hash, next.from, (before[0], left));
                    (LookaheadResult::Applied, self.set(after, hash, next.to, (before[1], there)))
                }
                Effect::Refused(reason) => (LookaheadResult::Refused(reason), 0),
                Effect::Bytes(..) | Effect::Unknown => (LookaheadResult::Unknown, 0),
            };
            view.described.push(described);
            view.lookups.push(Lookup::of(hash));
        }
    }

    #[inline]
    fn place(&self, place: u16) -> &Place {
        &self.places[usize::from(place)]
    }

    fn is_on_ground(&self, place: u16) -> bool {
        usize::from(place) >= self.slots
    }

    fn is_borne(&self, next: &Next, gain: i64, world: &World) -> bool {
        let container = |place: u16| self.place(place).spot.container;
        !self.weighs || gain == 0 || world.can_gain(gain, container(next.from), container(next.to))
    }

    /// All operations.
    pub(in crate::explore) fn list(&mut self, bytes: &[u8], view: &mut View) {
        self.find_places(bytes, view);
        let View { here, sources, targets, nexts, to_itself, .. } = view;
        nexts.clear();
        to_itself.clear();
        if self.moves || self.swaps {
            for &from in &*sources {
                for &to in targets.iter().filter(|to| **to != from) {
                    self.add((from, here[usize::from(from)].state), (to, here[usize::from(to)].state), nexts);
                }
            }
            let itself = |&place: &u16| {
                [(self.moves, false), (self.swaps, true)].map(|(is_tried, swap)| (is_tried, place, swap))
            };
            let tried = sources.iter().flat_map(itself).filter(|(is_tried, ..)| *is_tried);
            to_itself.extend(tried.map(|(_, place, swap)| (place, swap)));
        }
        if self.drops {
            let (ground, state) = self.lands_at(bytes);
            for &from in &*sources {
                self.add((from, here[usize::from(from)].state), (ground, state), nexts);
            }
        }
        if self.picks_up {
            for from in (0..).zip(&*here).skip(self.slots).filter(|(_, here)| here.code > 0).map(|(from, _)| from) {
                for &to in &*targets {
                    self.add((from, here[usize::from(from)].state), (to, here[usize::from(to)].state), nexts);
                }
            }
        }
    }

    /// The contents, and the targets of an operation: of interchangeable empty places, the first is
    /// enough.
    fn find_places(&self, bytes: &[u8], view: &mut View) {
        let View { here, sources, targets, .. } = view;
        here.clear();
        sources.clear();
        targets.clear();
        let mut offered = IN_ORDER;
        for (nth, place) in (0..).zip(&self.places) {
            let is_last = usize::from(nth) + 1 == self.places.len();
            let code = if is_last { 0 } else { bytes[usize::from(place.at)] };
            here.push(Here { code, state: place.class + u32::from(code) });
            if usize::from(nth) >= self.slots {
                continue;
            }
            if code > 0 {
                sources.push(nth);
            } else if place.frame != IN_ORDER && offered == place.frame {
                continue;
            } else {
                offered = place.frame;
            }
            targets.push(nth);
        }
    }

    /// The first place on the ground where nothing lies, with its state. Whether there is room
    /// makes two states of it.
    fn lands_at(&self, bytes: &[u8]) -> (u16, u32) {
        let empty = bytes[self.ground.range()].iter().position(|code| *code == 0);
        let landed = bytes[self.ground.range()].iter().filter(|code| **code > 0).count();
        let empty = empty.filter(|_| landed < self.requested.max_landed());
        let nth = empty.map_or(self.places.len() - 1, |nth| self.slots + nth);
        // There are no more places than have a number.
        (u16::try_from(nth).unwrap_or(u16::MAX), self.places[nth].class + u32::from(empty.is_none()))
    }

    #[inline(always)]
    fn add(&mut self, (from, here): (u16, u32), (to, there): (u16, u32), nexts: &mut Vec<Next>) {
        for lead in self.leads_between(here, there) {
            let is_swap = self.leads[lead as usize].amount.is_none();
            // An exchange is the same from either side; with an empty slot it is listed once
            // anyway.
            if !is_swap || there % self.codes == 0 || self.place(from).spot < self.place(to).spot {
                nexts.push(Next { from, to, lead });
            }
        }
    }

    #[inline(always)]
    fn leads_between(&mut self, from: u32, to: u32) -> Range<u32> {
        let at = from as usize * self.states + to as usize;
        let known = match self.known[at] {
            0 => self.learn(at, from, to),
            known => known,
        };
        let start = (known - 1) >> 3;
        start..start + ((known - 1) & 7)
    }

    /// Computes the operations between two places and their results.
    #[cold]
    fn learn(&mut self, at: usize, from: u32, to: u32) -> u32 {
        let codes = self.even.codes();
        let of = |state: u32| (self.classes[state as usize / codes], narrow::low_byte((state as usize % codes) as u64));
        let ((from, mine), (to, there)) = (of(from), of(to));
        let cells = [mine, there].map(|code| self.even.cell(code));
        let start = self.leads.len();
        let mut amounts: Vec<Option<Amount>> = Vec::new();
        if to.is_ground() {
            fitting_amounts(Amounts::Some, cells[0].count, u32::MAX, |amount| amounts.push(Some(amount)));
        } else {
            let limit = self.requested.limit(to, cells[0].kind);
            let most = limit.saturating_sub(cells[1].count).min(cells[0].count);
            let takes = there == 0 || cells[0].class == cells[1].class;
            let wanted = takes && (from.is_ground() || self.moves);
            let fits = if wanted { most } else { 0 };
            fitting_amounts(Amounts::Some, cells[0].count, fits, |amount| amounts.push(Some(amount)));
            if !from.is_ground() && self.swaps {
                amounts.push(None);
            }
        }
        for amount in amounts {
            let effect = self.ask(amount, cells, from, to, there);
            self.leads.push(Lead { amount, effect });
        }
        let known = 1 + ((start << 3) | (self.leads.len() - start));
        self.known[at] = u32::try_from(known).unwrap_or(0);
        self.known[at]
    }

    /// The result of an operation, without weight. For the ground, whether it is full.
    fn ask(&self, amount: Option<Amount>, cells: [Cell; 2], from: Spot, to: Spot, full: u8) -> Effect {
        let world = &self.requested;
        let predicted = if to.is_ground() {
            let landed = if full > 0 { usize::MAX } else { 0 };
            amount.and_then(|amount| world.look_ahead_drop_of(amount, cells[0], from, landed)).map(|cells| (cells, 0))
        } else {
            let predicted = match (from.is_ground(), amount) {
                (true, Some(amount)) => world.look_ahead_pick_up_of(amount, cells, to),
                (false, Some(amount)) => world.look_ahead_move_of(amount, cells, from, to),
                (_, None) => world.look_ahead_swap_of(cells, from, to),
            };
            predicted.map(|predicted| (predicted.cells, predicted.gain))
        };
        predicted.map_or(Effect::Unknown, |((left, there), gain)| {
            Effect::Bytes(self.even.code(world, left), self.even.code(world, there), gain)
        })
    }

    /// Something else in a place. Says the hash of that.
    #[inline(always)]
    fn set(&self, after: &mut [u8], hash: u64, place: u16, (before, code): (u8, u8)) -> u64 {
        let &Place { at, frame, .. } = self.place(place);
        let at = usize::from(at);
        if self.is_on_ground(place) {
            return self.set_on_ground(after, hash, at, (before, code));
        }
        if frame == IN_ORDER {
            after[at] = code;
        } else {
            exchange(&mut after[self.even.frame()[usize::from(frame)].range()], before, code);
        }
        self.follow(hash, at, before, code)
    }

    #[inline(always)]
    fn follow(&self, hash: u64, at: usize, before: u8, after: u8) -> u64 {
        hash.wrapping_sub(self.even.key(at, before)).wrapping_add(self.even.key(at, after))
    }

    fn set_on_ground(&self, after: &mut [u8], hash: u64, at: usize, (before, code): (u8, u8)) -> u64 {
        if self.ground.alike {
            exchange(&mut after[self.ground.range()], before, code);
            return self.follow(hash, at, before, code);
        }
        if code > 0 {
            after[at] = code;
            return self.follow(hash, at, before, code);
        }
        let mut hash = hash;
        for at in at..self.ground.end {
            let next = if at + 1 < self.ground.end { after[at + 1] } else { 0 };
            hash = self.follow(hash, at, after[at], next);
            after[at] = next;
        }
        hash
    }

    /// The verb of an operation to try.
    #[inline]
    pub(in crate::explore) fn verb(&self, view: &View, nth: usize) -> Verb {
        let Some(&Next { from, to, lead }) = view.nexts.get(nth) else {
            let (_, is_swap) = view.to_itself[nth - view.nexts.len()];
            return if is_swap { Verb::Swap } else { Verb::Move };
        };
        match self.leads[lead as usize].amount {
            None => Verb::Swap,
            Some(_) if self.is_on_ground(from) => Verb::PickUp,
            Some(_) if self.is_on_ground(to) => Verb::Drop,
            Some(_) => Verb::Move,
        }
    }

    /// The operation on its world, which is present.
    pub(in crate::explore) fn operation(
        &self,
        bytes: &[u8],
        world: &World,
        view: &View,
        nth: usize,
    ) -> Option<Operation> {
        let Some(&Next { from, to, lead }) = view.nexts.get(nth) else {
            let &(place, is_swap) = view.to_itself.get(nth - view.nexts.len())?;
            let spot = self.spot(bytes, world, place)?;
            let onto_itself = Step::Move { from: spot, to: spot, amount: Amount::All };
            return if is_swap { Step::Swap { one: spot, other: spot } } else { onto_itself }.operation(world);
        };
        let amount = self.leads[lead as usize].amount;
        let spot = |place: u16| self.spot(bytes, world, place);
        let step = match amount {
            None => Step::Swap { one: spot(from)?, other: spot(to)? },
            Some(amount) if self.is_on_ground(from) => {
                Step::PickUp { landing: spot(from)?.slot, to: spot(to)?, amount }
            }
            Some(amount) if self.is_on_ground(to) => Step::Drop { from: spot(from)?, amount },
            Some(amount) => Step::Move { from: spot(from)?, to: spot(to)?, amount },
        };
        step.operation(world)
    }

    /// Where a place is in the world. Where the order makes no difference it is another one: as
    /// many like it come before.
    fn spot(&self, bytes: &[u8], world: &World, place: u16) -> Option<Spot> {
        let on_ground = self.is_on_ground(place);
        let &Place { spot, at, frame, .. } = self.place(place);
        let at = usize::from(at);
        let framed = match frame {
            IN_ORDER if !on_ground => return Some(spot),
            IN_ORDER => self.ground,
            frame => self.even.frame()[usize::from(frame)],
        };
        if on_ground && !framed.alike {
            return world.stacks_of(GROUND).nth(at - framed.begin).map(|(spot, _)| spot);
        }
        let before = bytes[framed.begin..at].iter().filter(|code| **code == bytes[at]).count();
        let is_like = |cell: Cell| self.even.code(world, cell) == bytes[at];
        if on_ground {
            return world.stacks_of(GROUND).filter(|(_, cell)| is_like(*cell)).nth(before).map(|(spot, _)| spot);
        }
        let slots = (0..).zip(world.slots_of(spot.container)).filter(|(_, cell)| is_like(**cell));
        slots.map(|(slot, _)| Spot { slot, ..spot }).nth(before)
    }

    /// Takes note that something was refused, if nothing but the two places can have mattered.
    pub(in crate::explore) fn note_refused(&mut self, view: &View, nth: usize, reason: Reason) {
        let Next { from, to, lead } = view.nexts[nth];
        let [from, to] = [from, to].map(|place| self.place(place).spot);
        let is_plain = |spot: Spot| spot.is_ground() || self.requested.is_simple_spot(spot);
        if is_plain(from)
            && is_plain(to)
            && (to.is_ground() || self.requested.bears_anything(from.container, to.container))
        {
            self.leads[lead as usize].effect = Effect::Refused(reason);
        }
    }
}

/// One number instead of another among numbers in their order.
fn exchange(numbers: &mut [u8], before: u8, after: u8) {
    if let Some(at) = numbers.iter().position(|number| *number == before) {
        numbers[at] = after;
        numbers.sort_unstable();
    }
}
