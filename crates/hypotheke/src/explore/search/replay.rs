//! The world of one thread, and its present state.
//!
//! From one state to the next it undoes to their common ancestor and performs the rest; nothing is
//! cloned.

use std::ops::Range;

use crate::audit::IncrementalAudit;
use crate::explore::model::claims::ClaimKind;
use crate::explore::model::faults::{self, Wrong};
use crate::explore::model::moves::Moves;
use crate::explore::model::scope::Scope;
use crate::explore::search::expand::{Expanded, Fresh, Known, Planned, Reached};
use crate::explore::search::lookahead::{Lookahead, View};
use crate::explore::state::packed::Packer;
use crate::ops::{Operation, Reason};
use crate::world::World;

pub(in crate::explore) struct Replay {
    world: World,
    /// The states on the way from the start to where it stands, without the start.
    path: Vec<u32>,
    packer: Packer,
    watch: IncrementalAudit,
    packed: Vec<u8>,
    /// The operations of a state on the path, and the state.
    lists: Lists,
    listed: Option<u32>,
}

/// Buffers with all operations of a state; reused.
#[derive(Debug, Default)]
pub(in crate::explore) struct Lists {
    view: View,
    moves: Moves,
}

impl Lists {
    pub(in crate::explore) fn list(
        &mut self,
        (here, world): (&[u8], &World),
        scope: &Scope,
        lookahead: Option<&mut Lookahead>,
    ) {
        match lookahead {
            None => scope.enumerate(world, &mut self.moves),
            Some(lookahead) => {
                lookahead.list(here, &mut self.view);
                if scope.has_others() {
                    scope.enumerate_others(world, &mut self.moves);
                }
            }
        }
    }

    pub(in crate::explore) fn operation(
        &self,
        (here, world): (&[u8], &World),
        nth: usize,
        lookahead: Option<&Lookahead>,
    ) -> Option<Operation> {
        let Some(lookahead) = lookahead else { return self.moves.operation(world, nth) };
        match nth.checked_sub(self.view.len()) {
            None => lookahead.operation(here, world, &self.view, nth),
            Some(nth) => self.moves.operation(world, nth),
        }
    }
}

impl Replay {
    pub(in crate::explore) fn new(start: &World, packer: Packer) -> Replay {
        let mut world = start.clone();
        world.set_undo_limit(usize::MAX);
        let watch = IncrementalAudit::new(&world);
        Replay { world, path: Vec::new(), packer, watch, packed: Vec::new(), lists: Lists::default(), listed: None }
    }

    pub(in crate::explore) fn world(&self) -> &World {
        &self.world
    }

    pub(in crate::explore) fn world_and_packer(&mut self) -> (&World, &mut Packer) {
        (&self.world, &mut self.packer)
    }

    /// A world as bytes, with their hash.
    pub(in crate::explore) fn pack(&mut self, world: &World, scope: &Scope) -> (Vec<u8>, u64) {
        let mut packed = Vec::new();
        self.packer.pack(world, scope, &mut packed);
        let hash = self.packer.hash(&packed);
        (packed, hash)
    }

    /// The nth operation of a world of which that are the bytes.
    pub(in crate::explore) fn operation(
        &mut self,
        here: &[u8],
        world: &World,
        nth: u32,
        scope: &Scope,
        mut lookahead: Option<&mut Lookahead>,
    ) -> Option<Operation> {
        self.listed = None;
        self.lists.list((here, world), scope, lookahead.as_deref_mut());
        self.lists.operation((here, world), nth as usize, lookahead.as_deref())
    }

    /// The bytes to which an operation leads, or why it is refused.
    pub(in crate::explore) fn leads_to(&self, operation: &Operation, scope: &Scope) -> Result<Vec<u8>, Reason> {
        let mut world = self.world.clone();
        let _ = world.perform(operation).map_err(|refusal| refusal.reason())?;
        let mut played = Vec::new();
        self.packer.clone().pack(&world, scope, &mut played);
        Ok(played)
    }

    /// Plays an operation, looks up the world to which it leads, and takes it back. Else why it is
    /// refused.
    pub(in crate::explore) fn play(
        &mut self,
        (number, nth): (u32, u32),
        operation: &Operation,
        known: &Known<'_>,
        expanded: &mut Expanded,
    ) -> Result<Reached, Reason> {
        let meant = if known.has_never { self.meant(operation, known) } else { Vec::new() };
        if let Err(refusal) = self.world.perform(operation) {
            expanded.tried.refused(operation.action.verb(), refusal.reason());
            return Err(refusal.reason());
        }
        expanded.tried.applied(operation.action.verb());
        let was_meant = |claim: &usize| known.claims[*claim].1.was_meant(&self.world, operation);
        expanded.never.extend(meant.into_iter().filter(was_meant).map(|claim| (claim, number, nth)));
        let reached = self.arrive(number, nth, known, expanded);
        self.back();
        Ok(reached)
    }

    /// Looks up the world that an operation has led to.
    fn arrive(&mut self, parent: u32, nth: u32, known: &Known<'_>, expanded: &mut Expanded) -> Reached {
        self.packer.pack(&self.world, known.scope, &mut self.packed);
        let hash = self.packer.hash(&self.packed);
        match known.store.find(&self.packed, hash) {
            Some(number) => Reached::Known(number),
            None => Reached::Fresh(expanded.find_or_add(&self.packed, Fresh { hash, end: 0, parent, nth })),
        }
    }

    /// Checks some states by replaying each.
    pub(in crate::explore) fn check_all(
        &mut self,
        numbers: Range<u32>,
        mut lookahead: Option<&mut Lookahead>,
        known: &Known<'_>,
    ) -> Vec<(u32, Box<Planned>)> {
        let mut found = Vec::new();
        for number in numbers {
            self.go_to(number, lookahead.as_deref_mut(), known);
            self.packer.pack(&self.world, known.scope, &mut self.packed);
            let is_as_predicted = self.packed == known.store.bytes_of(number);
            found.extend(self.check(is_as_predicted, known).map(|judged| (number, judged)));
        }
        found
    }

    /// Takes note that an operation would be applied where a claim says that it must not be.
    pub(in crate::explore) fn note_never(
        &self,
        (number, nth): (u32, u32),
        operation: Option<Operation>,
        known: &Known<'_>,
        expanded: &mut Expanded,
    ) {
        let meant = operation.map(|operation| self.meant(&operation, known)).unwrap_or_default();
        expanded.never.extend(meant.into_iter().map(|claim| (claim, number, nth)));
    }

    /// The claims that such an operation must never be applied, if it is one.
    fn meant(&self, operation: &Operation, known: &Known<'_>) -> Vec<usize> {
        let claims = known.claims.iter().zip(known.open).enumerate();
        let never = claims.filter(|(_, ((claim, _), open))| **open && claim.kind == ClaimKind::Forbidden);
        never.filter(|(_, ((_, ready), _))| ready.is_meant(&self.world, operation)).map(|(index, _)| index).collect()
    }

    fn check(&mut self, is_as_predicted: bool, known: &Known<'_>) -> Option<Box<Planned>> {
        let world = &self.world;
        let law_violation = if !self.watch.keeps_the_laws(world) && known.scope.is_against_the_laws(world) {
            Some(Wrong::now("a law is broken"))
        } else if known.recomputed && !world.check_indexes().is_empty() {
            // Played from the start it may be as it should be.
            Some(Wrong::now("a total or an index is wrong after an undo"))
        } else {
            (!is_as_predicted).then(|| Wrong::now("the last operation has a different result than predicted"))
        };
        let newly = known.occurred.newly(world, known.claims);
        let mut judged = Planned { law_violation, newly, ..Planned::default() };
        for (index, ((claim, ready), open)) in known.claims.iter().zip(known.open).enumerate() {
            match claim.kind {
                ClaimKind::Always if *open => {
                    judged.decides.extend(ready.wrong(world).map(|described| (index, Wrong::now(described))));
                }
                ClaimKind::Possible if *open && ready.wrong(world).is_none() => {
                    judged.decides.push((index, Wrong::now("the state is reached")));
                }
                ClaimKind::Recoverable if ready.wrong(world).is_none() => judged.is_goal_of.push(index),
                _ => {}
            }
        }
        faults::try_all(world, known, &mut judged);
        let decides = !judged.decides.is_empty() || !judged.is_goal_of.is_empty();
        let is_reported = judged.law_violation.is_some() || decides || !judged.newly.is_empty();
        is_reported.then(|| Box::new(judged))
    }

    fn back(&mut self) {
        let undone = self.world.undo(self.world.revision());
        debug_assert!(undone.is_ok(), "all of it is kept");
    }

    /// Back to where the ways part, and on from there.
    pub(in crate::explore) fn go_to(&mut self, number: u32, mut lookahead: Option<&mut Lookahead>, known: &Known<'_>) {
        if self.path.last().copied().unwrap_or(0) == number {
            return;
        }
        let way = known.store.path_to(number);
        let common = self.path.iter().zip(&way[1..]).take_while(|(here, there)| here == there).count();
        while self.path.len() > common {
            self.path.pop();
            self.back();
        }
        for pair in way[common..].windows(2) {
            let (here, nth) = (known.store.bytes_of(pair[0]), known.store.moves(pair[1]) as usize);
            let here = (here, &self.world);
            // States with a common parent are neighbours.
            if self.listed.replace(pair[0]) != Some(pair[0]) {
                self.lists.list(here, known.scope, lookahead.as_deref_mut());
            }
            let operation = self.lists.operation(here, nth, lookahead.as_deref());
            if let Some(operation) = operation {
                let applied = self.world.perform(&operation);
                debug_assert!(applied.is_ok(), "it was applied earlier");
            }
            self.path.push(pair[1]);
        }
    }
}
