//! All that can be played from some worlds, by one thread.
//!
//! One world is played: from each world all that can be played is applied, the world that comes of it looked up, and the operation taken
//! back. From one world to the next it goes by taking back to where their ways part, and on from there; so nothing is cloned.

use std::ops::Range;

use hashbrown::HashTable;

use super::claims::{Claim, ClaimKind, Ready};
use super::moves::{Moves, Plan, Step};
use super::packed::{After, GroundChange, Packer, Parts, hash_of};
use super::store::Store;
use crate::audit::Watch;
use crate::ops::{Operation, Reason};
use crate::world::World;

/// What those who expand have in common while they do.
pub(super) struct Known<'s> {
    pub(super) claims: &'s [(Claim, Ready)],
    /// For each claim, whether it may still be decided by what is found.
    pub(super) open: &'s [bool],
    pub(super) plan: &'s Plan,
    pub(super) store: &'s Store,
    /// Whether a claim that something is never done is open.
    pub(super) has_never: bool,
    /// Whether sums and indexes are recounted at every world.
    pub(super) recounts: bool,
    /// Whether a claim asks for the way back, so that what follows each world has to be kept.
    pub(super) keeps_ways: bool,
}

/// What is so of a new world.
#[derive(Default)]
pub(super) struct Judged {
    pub(super) is_unlawful: bool,
    /// The claims that it decides, and how.
    pub(super) decides: Vec<(usize, String)>,
    /// The worlds that such claims want to be reached.
    pub(super) is_goal_of: Vec<usize>,
}

/// A world that was not among those that were known.
pub(super) struct Fresh {
    pub(super) hash: u64,
    /// Where its bytes end.
    pub(super) end: usize,
    pub(super) parent: u32,
    pub(super) nth: u32,
    /// None if there is nothing to tell of it.
    pub(super) judged: Option<Box<Judged>>,
}

/// A world that follows another.
#[derive(Clone, Copy)]
pub(super) enum Reached {
    Known(u32),
    /// By its number among those that are fresh.
    Fresh(u32),
}

/// What came of some worlds.
pub(super) struct Expanded {
    pub(super) bytes: Vec<u8>,
    pub(super) fresh: Vec<Fresh>,
    /// Operations that should never be applied: the claim, the world and which of its operations.
    pub(super) never: Vec<(usize, u32, u32)>,
    pub(super) applied: u64,
    /// By reason, in their order.
    pub(super) refused: [u64; Reason::ALL.len()],
    /// For each world, what follows.
    pub(super) ways: Vec<Vec<Reached>>,
    table: HashTable<u32>,
}

impl Expanded {
    fn new() -> Expanded {
        Expanded {
            bytes: Vec::new(),
            fresh: Vec::new(),
            never: Vec::new(),
            applied: 0,
            refused: [0; Reason::ALL.len()],
            ways: Vec::new(),
            table: HashTable::new(),
        }
    }

    /// The bytes of a fresh world.
    pub(super) fn bytes_of(&self, nth: usize) -> &[u8] {
        let start = nth.checked_sub(1).map_or(0, |before| self.fresh[before].end);
        &self.bytes[start..self.fresh[nth].end]
    }

    fn find(&self, bytes: &[u8], hash: u64) -> Option<u32> {
        self.table.find(hash, |&nth| self.bytes_of(nth as usize) == bytes).copied()
    }

    fn add(&mut self, bytes: &[u8], fresh: Fresh) -> u32 {
        let nth = u32::try_from(self.fresh.len()).unwrap_or(u32::MAX);
        self.bytes.extend_from_slice(bytes);
        let hash = fresh.hash;
        self.fresh.push(Fresh { end: self.bytes.len(), ..fresh });
        let all = &self.fresh;
        self.table.insert_unique(hash, nth, |&nth| all[nth as usize].hash);
        nth
    }
}

/// The world that one thread plays, and where it stands.
pub(super) struct Player {
    world: World,
    /// The worlds on the way from the start to where it stands, without the start.
    way: Vec<u32>,
    packer: Packer,
    watch: Watch,
    /// What can be played where it stands; this and what follows is kept for its room.
    here: Moves,
    packed: Vec<u8>,
    parts: Parts,
    /// For each of what can be played the world to which it leads, if that is plain to see.
    foreseen: Vec<Option<Foreseen>>,
    foreseen_bytes: Vec<u8>,
}

/// The world to which an operation leads.
#[derive(Clone, Debug)]
struct Foreseen {
    /// Where its bytes stand.
    bytes: Range<usize>,
    hash: u64,
    /// Its number, if it was seen.
    seen: Option<u32>,
}

/// What lies where after a step, if that is plain to see: a simple one that would be applied.
fn after(world: &World, step: &Step, parts: &Parts) -> Option<After> {
    Some(match *step {
        Step::Move { from, to, count } => {
            let (left, there) = world.foresee_move(count, from, to)?;
            After { slots: [(from, left), (to, there)], ground: None }
        }
        Step::Swap { one, other } => {
            let (here, there) = world.foresee_swap(one, other)?;
            After { slots: [(one, here), (other, there)], ground: None }
        }
        Step::Drop { from, count } => {
            let (left, landed) = world.foresee_drop(count, from, parts.landings.len())?;
            After { slots: [(from, left); 2], ground: Some(GroundChange::Lands(landed)) }
        }
        Step::PickUp { landing, to, count } => {
            let nth = parts.landings.iter().position(|it| *it == landing)?;
            let (rest, there) = world.foresee_pick_up(count, landing, to)?;
            After { slots: [(to, there); 2], ground: Some(GroundChange::Stays(nth, rest)) }
        }
        Step::Other(_) => return None,
    })
}

impl Player {
    pub(super) fn new(start: &World, packer: Packer) -> Player {
        let mut world = start.clone();
        world.keep_history(usize::MAX);
        let watch = Watch::new(&world);
        Player {
            world,
            way: Vec::new(),
            packer,
            watch,
            here: Moves::default(),
            packed: Vec::new(),
            parts: Parts::default(),
            foreseen: Vec::new(),
            foreseen_bytes: Vec::new(),
        }
    }

    /// The world where it stands as bytes, with what is so of it.
    pub(super) fn look(&mut self, known: &Known<'_>) -> (Vec<u8>, Option<Box<Judged>>) {
        self.packer.pack(&self.world, known.plan, &mut self.packed);
        (self.packed.clone(), self.judge(known))
    }

    /// All that can be played from some worlds.
    pub(super) fn expand(&mut self, numbers: Range<u32>, known: &Known<'_>) -> Expanded {
        let mut expanded = Expanded::new();
        for number in numbers {
            self.go_to(number, known);
            self.expand_one(number, known, &mut expanded);
        }
        expanded
    }

    fn expand_one(&mut self, number: u32, known: &Known<'_>, expanded: &mut Expanded) {
        let mut moves = std::mem::take(&mut self.here);
        known.plan.enumerate(&self.world, &mut moves);
        self.foresee(&moves, known);
        let mut ways = Vec::new();
        for (nth, index) in (0..).zip(0..moves.steps.len()) {
            let after = match self.foreseen[index].clone() {
                Some(foreseen) => self.foreseen_one((number, nth), &moves, &foreseen, known, expanded),
                None => self.play((number, nth), &moves, known, expanded),
            };
            if known.keeps_ways {
                ways.extend(after);
            }
        }
        self.here = moves;
        if known.keeps_ways {
            expanded.ways.push(ways);
        }
    }

    /// Works out the worlds to which the simple operations lead, without playing them. Most of them are known, so that most operations
    /// need not be played at all.
    fn foresee(&mut self, moves: &Moves, known: &Known<'_>) {
        let Player { world, packer, parts, foreseen, foreseen_bytes, .. } = self;
        packer.pack_parts(world, known.plan, parts);
        foreseen.clear();
        foreseen_bytes.clear();
        for step in &moves.steps {
            let start = foreseen_bytes.len();
            // Where sums are recounted it is for the sake of what is played.
            let after = if known.recounts { None } else { after(world, step, parts) };
            foreseen.push(after.map(|after| {
                packer.pack_after(world, known.plan, parts, &after, foreseen_bytes);
                let hash = hash_of(&foreseen_bytes[start..]);
                Foreseen { bytes: start..foreseen_bytes.len(), hash, seen: None }
            }));
        }
        // By itself, so that the processor waits for many places in memory at once.
        for foreseen in foreseen.iter_mut().flatten() {
            foreseen.seen = known.store.find(&foreseen_bytes[foreseen.bytes.clone()], foreseen.hash);
        }
    }

    /// An operation of which it is known to what world it leads.
    fn foreseen_one(
        &mut self,
        (number, nth): (u32, u32),
        moves: &Moves,
        foreseen: &Foreseen,
        known: &Known<'_>,
        expanded: &mut Expanded,
    ) -> Option<Reached> {
        let bytes = &self.foreseen_bytes[foreseen.bytes.clone()];
        debug_assert!(self.is_so(nth, moves, bytes, known), "what is foreseen comes about");
        let seen = foreseen.seen.map(Reached::Known);
        let Some(seen) = seen.or_else(|| expanded.find(bytes, foreseen.hash).map(Reached::Fresh)) else {
            return self.play((number, nth), moves, known, expanded);
        };
        expanded.applied += 1;
        if known.has_never
            && let Some(operation) = moves.operation(&self.world, nth as usize)
        {
            let meant = self.meant(&operation, known);
            expanded.never.extend(meant.into_iter().map(|claim| (claim, number, nth)));
        }
        Some(seen)
    }

    /// Whether an operation leads to the world that was foreseen, found out by playing it.
    fn is_so(&self, nth: u32, moves: &Moves, bytes: &[u8], known: &Known<'_>) -> bool {
        let mut world = self.world.clone();
        let applied = moves.operation(&world, nth as usize).is_some_and(|operation| world.perform(&operation).is_ok());
        let mut played = Vec::new();
        self.packer.clone().pack(&world, known.plan, &mut played);
        applied && played == bytes
    }

    /// Plays an operation, looks up the world to which it leads, and takes it back.
    fn play(
        &mut self,
        (number, nth): (u32, u32),
        moves: &Moves,
        known: &Known<'_>,
        expanded: &mut Expanded,
    ) -> Option<Reached> {
        let operation = moves.operation(&self.world, nth as usize)?;
        let meant = if known.has_never { self.meant(&operation, known) } else { Vec::new() };
        if let Err(refusal) = self.world.perform(&operation) {
            expanded.refused[refusal.reason() as usize] += 1;
            return None;
        }
        expanded.applied += 1;
        expanded.never.extend(meant.into_iter().map(|claim| (claim, number, nth)));
        let reached = self.arrive(number, nth, known, expanded);
        self.back();
        Some(reached)
    }

    /// Looks up the world that an operation has led to.
    fn arrive(&mut self, parent: u32, nth: u32, known: &Known<'_>, expanded: &mut Expanded) -> Reached {
        self.packer.pack(&self.world, known.plan, &mut self.packed);
        let hash = hash_of(&self.packed);
        if let Some(number) = known.store.find(&self.packed, hash) {
            return Reached::Known(number);
        }
        if let Some(nth) = expanded.find(&self.packed, hash) {
            return Reached::Fresh(nth);
        }
        let judged = self.judge(known);
        Reached::Fresh(expanded.add(&self.packed, Fresh { hash, end: 0, parent, nth, judged }))
    }

    /// The claims that such an operation must never be applied, if it is one.
    fn meant(&self, operation: &Operation, known: &Known<'_>) -> Vec<usize> {
        let claims = known.claims.iter().zip(known.open).enumerate();
        let never = claims.filter(|(_, ((claim, _), open))| **open && claim.kind == ClaimKind::Never);
        never.filter(|(_, ((_, ready), _))| ready.is_meant(&self.world, operation)).map(|(index, _)| index).collect()
    }

    fn judge(&mut self, known: &Known<'_>) -> Option<Box<Judged>> {
        let world = &self.world;
        let is_unlawful = !self.watch.keeps_the_laws(world) && known.plan.is_against_the_laws(world)
            || known.recounts && !world.recount().is_empty();
        let mut judged = Judged { is_unlawful, ..Judged::default() };
        for (index, ((claim, ready), open)) in known.claims.iter().zip(known.open).enumerate() {
            match claim.kind {
                ClaimKind::Always if *open => judged.decides.extend(ready.wrong(world).map(|told| (index, told))),
                ClaimKind::Possible if *open && ready.wrong(world).is_none() => {
                    judged.decides.push((index, "it is so".to_owned()));
                }
                ClaimKind::Recoverable if ready.wrong(world).is_none() => judged.is_goal_of.push(index),
                _ => {}
            }
        }
        let is_told = judged.is_unlawful || !judged.decides.is_empty() || !judged.is_goal_of.is_empty();
        is_told.then(|| Box::new(judged))
    }

    fn back(&mut self) {
        let taken_back = self.world.take_back(self.world.revision());
        debug_assert!(taken_back.is_ok(), "all of it is kept");
    }

    /// Back to where the ways part, and on from there.
    fn go_to(&mut self, number: u32, known: &Known<'_>) {
        let way = &known.store.way_to(number)[1..];
        let common = self.way.iter().zip(way).take_while(|(here, there)| here == there).count();
        while self.way.len() > common {
            self.way.pop();
            self.back();
        }
        for &next in &way[common..] {
            known.plan.enumerate(&self.world, &mut self.here);
            if let Some(operation) = self.here.operation(&self.world, known.store.moves(next) as usize) {
                let applied = self.world.perform(&operation);
                debug_assert!(applied.is_ok(), "it was applied before");
            }
            self.way.push(next);
        }
    }
}
