//! Expands states on one thread.
//!
//! Most operations lead to a known state. If lookahead shows this, the operation is not performed.
//! Any other operation is applied, its state is looked up, and the operation is undone.

use std::ops::Range;

use hashbrown::HashTable;

use crate::explore::model::claims::{Claim, Ready};
use crate::explore::model::faults::Wrong;
use crate::explore::model::moves::{Moves, Step};
use crate::explore::model::scope::Scope;
use crate::explore::model::tried::Tried;
use crate::explore::model::vacuity::{Newly, Occurred};
use crate::explore::search::lookahead::{Lookahead, LookaheadResult, View};
use crate::explore::search::replay::Replay;
use crate::explore::search::successors::Successors;
use crate::explore::state::packed::{After, GroundChange, Packer, Parts};
use crate::explore::state::store::Store;
use crate::narrow;
use crate::ops::Operation;
use crate::world::World;

/// What those who expand have in common while they do.
pub(in crate::explore) struct Known<'s> {
    pub(in crate::explore) claims: &'s [(Claim, Ready)],
    /// For each claim, whether it is still undecided.
    pub(in crate::explore) open: &'s [bool],
    pub(in crate::explore) scope: &'s Scope,
    pub(in crate::explore) store: &'s Store,
    /// Whether a claim that something is never done is open.
    pub(in crate::explore) has_never: bool,
    /// Whether sums and indexes are checked in every state.
    pub(in crate::explore) recomputed: bool,
    /// Whether successors are stored, for recoverable claims.
    pub(in crate::explore) keeps_ways: bool,
    /// What occurred in the states that were seen before.
    pub(in crate::explore) occurred: &'s Occurred,
}

/// The findings of a new state.
#[derive(Default)]
pub(in crate::explore) struct Planned {
    /// Which law it breaks, or what else it is of which it should be no world at all.
    pub(in crate::explore) law_violation: Option<Wrong>,
    /// The claims that it decides, and how.
    pub(in crate::explore) decides: Vec<(usize, Wrong)>,
    /// The states that such claims want to be reached.
    pub(in crate::explore) is_goal_of: Vec<usize>,
    /// What occurs there and did not before.
    pub(in crate::explore) newly: Newly,
}

/// A world that was not among those that were known.
#[derive(Clone, Copy)]
pub(in crate::explore) struct Fresh {
    pub(in crate::explore) hash: u64,
    /// Where its bytes end.
    pub(in crate::explore) end: usize,
    pub(in crate::explore) parent: u32,
    pub(in crate::explore) nth: u32,
}

/// A world that follows another.
#[derive(Clone, Copy)]
pub(in crate::explore) enum Reached {
    Known(u32),
    /// By its number among those that are fresh.
    Fresh(u32),
}

/// The result of expanding some states.
pub(in crate::explore) struct Expanded {
    pub(in crate::explore) bytes: Vec<u8>,
    pub(in crate::explore) fresh: Vec<Fresh>,
    /// Operations that should never be applied: the claim, the world and which of its operations.
    pub(in crate::explore) never: Vec<(usize, u32, u32)>,
    /// What became of the operations.
    pub(in crate::explore) tried: Tried,
    /// The successors of each state.
    pub(in crate::explore) ways: Vec<Vec<Reached>>,
    table: HashTable<u32>,
}

impl Expanded {
    fn new() -> Expanded {
        Expanded {
            bytes: Vec::new(),
            fresh: Vec::new(),
            never: Vec::new(),
            tried: Tried::default(),
            ways: Vec::new(),
            table: HashTable::new(),
        }
    }

    /// The bytes of a fresh world.
    pub(in crate::explore) fn bytes_of(&self, nth: usize) -> &[u8] {
        let start = nth.checked_sub(1).map_or(0, |before| self.fresh[before].end);
        &self.bytes[start..self.fresh[nth].end]
    }

    fn find(&self, bytes: &[u8], hash: u64) -> Option<u32> {
        self.table.find(hash, |&nth| self.bytes_of(nth as usize) == bytes).copied()
    }

    /// The number of a fresh world among them.
    pub(in crate::explore) fn find_or_add(&mut self, bytes: &[u8], fresh: Fresh) -> u32 {
        if let Some(nth) = self.find(bytes, fresh.hash) {
            return nth;
        }
        let nth = narrow::index(self.fresh.len());
        self.bytes.extend_from_slice(bytes);
        let hash = fresh.hash;
        self.fresh.push(Fresh { end: self.bytes.len(), ..fresh });
        let all = &self.fresh;
        self.table.insert_unique(hash, nth, |&nth| all[nth as usize].hash);
        nth
    }
}

/// One thread that expands.
pub(in crate::explore) struct Player {
    replay: Replay,
    /// What tells where operations lead from bytes alone, where states are even.
    lookahead: Option<Lookahead>,
    /// Buffers with the operations of the expanded state; reused.
    view: View,
    here: Moves,
    parts: Parts,
    /// The successor of each operation, if lookahead knows it.
    predicted: Vec<Option<Prediction>>,
    predicted_bytes: Vec<u8>,
}

/// The world to which an operation leads.
#[derive(Clone, Debug)]
struct Prediction {
    /// Where its bytes stand.
    bytes: Range<usize>,
    hash: u64,
    /// Its number, if it was seen.
    seen: Option<u32>,
}

/// The state after a simple operation, if lookahead knows it.
fn after(world: &World, step: &Step, parts: &Parts) -> Option<After> {
    Some(match *step {
        Step::Move { from, to, amount } => {
            let (left, there) = world.look_ahead_move(amount, from, to)?;
            After { slots: [(from, left), (to, there)], ground: None }
        }
        Step::Swap { one, other } => {
            let (here, there) = world.look_ahead_swap(one, other)?;
            After { slots: [(one, here), (other, there)], ground: None }
        }
        Step::Drop { from, amount } => {
            let (left, landed) = world.look_ahead_drop(amount, from, parts.landings.len())?;
            After { slots: [(from, left); 2], ground: Some(GroundChange::Lands(landed)) }
        }
        Step::PickUp { landing, to, amount } => {
            let nth = parts.landings.iter().position(|it| *it == landing)?;
            let (rest, there) = world.look_ahead_pick_up(amount, landing, to)?;
            After { slots: [(to, there); 2], ground: Some(GroundChange::Stays(nth, rest)) }
        }
        Step::Other(_) => return None,
    })
}

impl Player {
    pub(in crate::explore) fn new(start: &World, scope: &Scope, packer: Packer) -> Player {
        Player {
            lookahead: packer.lookahead(start, scope),
            replay: Replay::new(start, packer),
            view: View::default(),
            here: Moves::default(),
            parts: Parts::default(),
            predicted: Vec::new(),
            predicted_bytes: Vec::new(),
        }
    }

    /// The same with every operation performed, for index checks.
    pub(in crate::explore) fn playing_all(self) -> Player {
        Player { lookahead: None, ..self }
    }

    /// Expands a state whose bytes give its operations and most results.
    fn expand_even(&mut self, number: u32, known: &Known<'_>, expanded: &mut Expanded, ways: &mut Vec<Reached>) {
        let Player { replay, lookahead: Some(lookahead), view, .. } = self else { return };
        let here = known.store.bytes_of(number);
        if lookahead.weighs() || known.has_never || cfg!(debug_assertions) {
            replay.go_to(number, Some(lookahead), known);
        }
        lookahead.look(here, replay.world(), view);
        known.store.find_all(&view.bytes, &mut view.lookups);
        for (nth, index) in (0..).zip(0..view.between_places()) {
            debug_assert!(is_so(replay, lookahead, view, (here, index), known), "the prediction is right");
            let after = match view.described(index) {
                LookaheadResult::Refused(reason) => {
                    expanded.tried.refused(lookahead.verb(view, index), reason);
                    continue;
                }
                LookaheadResult::Applied => {
                    expanded.tried.applied(lookahead.verb(view, index));
                    if known.has_never {
                        let operation = lookahead.operation(here, replay.world(), view, index);
                        replay.note_never((number, nth), operation, known, expanded);
                    }
                    Some(arrive((number, nth), (view, here.len(), index), expanded))
                }
                LookaheadResult::Unknown => {
                    replay.go_to(number, Some(lookahead), known);
                    let Some(operation) = lookahead.operation(here, replay.world(), view, index) else { continue };
                    let played = replay.play((number, nth), &operation, known, expanded);
                    played.map_err(|reason| lookahead.note_refused(view, index, reason)).ok()
                }
            };
            if known.keeps_ways {
                ways.extend(after);
            }
        }
        for (nth, index) in (view.between_places()..view.len()).map(|index| (narrow::index(index), index)) {
            debug_assert!(is_so(replay, lookahead, view, (here, index), known), "the prediction is right");
            expanded.tried.applied(lookahead.verb(view, index));
            if known.has_never {
                let operation = lookahead.operation(here, replay.world(), view, index);
                replay.note_never((number, nth), operation, known, expanded);
            }
        }
        // What changes nothing leads back to the state itself.
        if known.keeps_ways && view.between_places() < view.len() {
            ways.push(Reached::Known(number));
        }
        if known.scope.has_others() {
            self.expand_others(number, known, expanded, ways);
        }
    }

    /// The other operations.
    fn expand_others(&mut self, number: u32, known: &Known<'_>, expanded: &mut Expanded, ways: &mut Vec<Reached>) {
        let Player { replay, lookahead, view, here, .. } = self;
        replay.go_to(number, lookahead.as_mut(), known);
        known.scope.enumerate_others(replay.world(), here);
        for (nth, index) in (view.len()..).zip(0..here.steps.len()) {
            let Some(operation) = here.operation(replay.world(), index) else { continue };
            let nth = narrow::index(nth);
            let after = replay.play((number, nth), &operation, known, expanded);
            if known.keeps_ways {
                ways.extend(after.ok());
            }
        }
    }

    /// If the result depends on the world.
    fn expand_played(&mut self, number: u32, known: &Known<'_>, expanded: &mut Expanded, ways: &mut Vec<Reached>) {
        self.replay.go_to(number, self.lookahead.as_mut(), known);
        known.scope.enumerate(self.replay.world(), &mut self.here);
        self.look_ahead(known);
        for (nth, index) in (0..).zip(0..self.here.steps.len()) {
            let after = match self.predicted[index].clone() {
                Some(predicted) => Some(self.predicted_one((number, nth), &predicted, known, expanded)),
                None => {
                    let operation = self.here.operation(self.replay.world(), index);
                    operation.and_then(|it| self.replay.play((number, nth), &it, known, expanded).ok())
                }
            };
            if known.keeps_ways {
                ways.extend(after);
            }
        }
    }

    /// Works out the states after simple operations without performing them. Most of them are
    /// known.
    fn look_ahead(&mut self, known: &Known<'_>) {
        let Player { replay, here, parts, predicted, predicted_bytes, .. } = self;
        let (world, packer) = replay.world_and_packer();
        packer.pack_parts(world, known.scope, parts);
        predicted.clear();
        predicted_bytes.clear();
        for step in &here.steps {
            let start = predicted_bytes.len();
            // Index checks need the performed operation.
            let is_predictable = !known.recomputed && packer.can_look_ahead(known.scope, step);
            let after = if is_predictable { after(world, step, parts) } else { None };
            predicted.push(after.map(|after| {
                packer.pack_after(world, known.scope, parts, &after, predicted_bytes);
                let hash = packer.hash(&predicted_bytes[start..]);
                Prediction { bytes: start..predicted_bytes.len(), hash, seen: None }
            }));
        }
        // A separate loop, so that the processor can wait for many memory accesses at once.
        for predicted in predicted.iter_mut().flatten() {
            predicted.seen = known.store.find(&predicted_bytes[predicted.bytes.clone()], predicted.hash);
        }
    }

    /// An operation of which it is known to what world it leads.
    fn predicted_one(
        &mut self,
        (number, nth): (u32, u32),
        predicted: &Prediction,
        known: &Known<'_>,
        expanded: &mut Expanded,
    ) -> Reached {
        let Player { replay, here, predicted_bytes, .. } = self;
        let bytes = &predicted_bytes[predicted.bytes.clone()];
        let operation = || here.operation(replay.world(), nth as usize);
        debug_assert!(
            operation().is_some_and(|it| replay.leads_to(&it, known.scope).is_ok_and(|played| played == *bytes)),
            "the prediction is right"
        );
        here.steps[nth as usize].verb().into_iter().for_each(|verb| expanded.tried.applied(verb));
        if known.has_never {
            replay.note_never((number, nth), operation(), known, expanded);
        }
        let fresh = || Fresh { hash: predicted.hash, end: 0, parent: number, nth };
        let seen = predicted.seen.map(Reached::Known);
        seen.unwrap_or_else(|| Reached::Fresh(expanded.find_or_add(bytes, fresh())))
    }
}

impl Successors for Player {
    fn pack(&mut self, world: &World, scope: &Scope) -> (Vec<u8>, u64) {
        self.replay.pack(world, scope)
    }

    fn operation(&mut self, world: &World, scope: &Scope, nth: u32) -> Option<Operation> {
        let (here, _) = self.replay.pack(world, scope);
        self.replay.operation(&here, world, nth, scope, self.lookahead.as_mut())
    }

    fn check(&mut self, numbers: Range<u32>, known: &Known<'_>) -> Vec<(u32, Box<Planned>)> {
        self.replay.check_all(numbers, self.lookahead.as_mut(), known)
    }

    fn expand(&mut self, numbers: Range<u32>, known: &Known<'_>) -> Expanded {
        let mut expanded = Expanded::new();
        for number in numbers {
            let mut ways = Vec::new();
            if self.lookahead.is_some() {
                self.expand_even(number, known, &mut expanded, &mut ways);
            } else {
                self.expand_played(number, known, &mut expanded, &mut ways);
            }
            if known.keeps_ways {
                expanded.ways.push(ways);
            }
        }
        expanded
    }
}

/// The world to which something leads that was predicted.
#[inline]
fn arrive((parent, nth): (u32, u32), (view, length, index): (&View, usize, usize), expanded: &mut Expanded) -> Reached {
    let lookup = &view.lookups[index];
    if let Some(number) = lookup.found {
        return Reached::Known(number);
    }
    let bytes = &view.bytes[index * length..(index + 1) * length];
    Reached::Fresh(expanded.find_or_add(bytes, Fresh { hash: lookup.hash, end: 0, parent, nth }))
}

/// Performs an operation to check its prediction.
fn is_so(
    replay: &Replay,
    lookahead: &Lookahead,
    view: &View,
    (here, index): (&[u8], usize),
    known: &Known<'_>,
) -> bool {
    let Some(operation) = lookahead.operation(here, replay.world(), view, index) else { return false };
    let played = replay.leads_to(&operation, known.scope);
    if index >= view.between_places() {
        return played.is_ok_and(|played| played == here);
    }
    match view.described(index) {
        LookaheadResult::Applied => {
            played.is_ok_and(|played| played == view.bytes[index * here.len()..(index + 1) * here.len()])
        }
        LookaheadResult::Refused(reason) => played == Err(reason),
        LookaheadResult::Unknown => true,
    }
}
