//! Every world within bounds, breadth first.
//!
//! One world is played: from each world that was found all that can be played is applied, the world that comes of it looked up, and the
//! operation taken back. From one found world to the next it goes by taking back to where their ways part, and on from there; so
//! nothing is cloned, and nothing is kept of a world but its bytes and the step that led to it.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::claims::{Claim, ClaimKind, Ready};
use super::file::{ClaimsFile, ReadyFile};
use super::moves::{Moves, Plan, sentence};
use super::packed::Packer;
use super::report::{Bound, Explored, Status, Trail, Verdict};
use super::shrink::Aim;
use super::store::{NOBODY, Store};
use super::symmetry;
use crate::audit::Watch;
use crate::ops::Operation;
use crate::ruleset::Ruleset;
use crate::scenario::ScenarioErrors;
use crate::world::World;

/// How far a search goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Bounds {
    /// So many operations from the start.
    pub depth: Option<u32>,
    /// So many worlds.
    pub worlds: Option<u64>,
    /// So many bytes for the worlds that were seen.
    pub memory: Option<u64>,
}

/// A ruleset, claims about it, and how far to look.
#[derive(Debug)]
pub struct Exploration {
    pub(super) claims: Vec<(Claim, Ready)>,
    pub(super) plan: Plan,
    pub(super) start: World,
    bounds: Bounds,
    symmetry: bool,
}

impl Exploration {
    /// Looks up the names of the claims in a ruleset.
    ///
    /// # Errors
    /// Every name that is not known, and a start that can't be laid out.
    pub fn new(rules: &Arc<Ruleset>, claims: &ClaimsFile) -> Result<Exploration, ScenarioErrors> {
        let ReadyFile { claims, plan, world } = claims.ready(rules)?;
        Ok(Exploration { claims, plan, start: world, bounds: Bounds::default(), symmetry: true })
    }

    /// The same, going no further than this.
    #[must_use]
    pub fn within(mut self, bounds: Bounds) -> Exploration {
        self.bounds = bounds;
        self
    }

    /// The same, with every world told apart from every other. The verdicts are the same; there are more worlds.
    #[must_use]
    pub fn without_symmetry(mut self) -> Exploration {
        self.symmetry = false;
        self
    }

    /// The same for one claim, or for the laws, alone.
    pub(super) fn only(&self, aim: Aim) -> Option<Exploration> {
        let claims = match aim {
            Aim::Law => Vec::new(),
            Aim::Claim(claim) => vec![self.claims.get(claim)?.clone()],
        };
        let (plan, start) = (self.plan.clone(), self.start.clone());
        Some(Exploration { claims, plan, start, bounds: self.bounds, symmetry: self.symmetry })
    }

    /// The claims that such an operation must never be applied, if it is one.
    pub(super) fn meant(&self, world: &World, operation: &Operation) -> Vec<usize> {
        let never = self.claims.iter().enumerate().filter(|(_, (claim, _))| claim.kind == ClaimKind::Never);
        never.filter(|(_, (_, ready))| ready.is_meant(world, operation)).map(|(index, _)| index).collect()
    }

    pub(super) fn breaks_a_law(&self, world: &World) -> bool {
        self.plan.is_against_the_laws(world)
    }

    /// Goes through the worlds.
    #[must_use]
    pub fn search(self) -> Explored {
        self.search_until(&mut |_| None)
    }

    /// Goes through the worlds, and tells of its progress now and then, until it is answered with what stops it.
    pub fn search_until(self, progress: &mut dyn FnMut(&Progress) -> Option<Bound>) -> Explored {
        let Exploration { claims, mut plan, start, bounds, symmetry } = self;
        if symmetry {
            let ready: Vec<&Ready> = claims.iter().map(|(_, ready)| ready).collect();
            symmetry::find(&start, &mut plan, &ready);
        }
        let mut search = Search::new(claims, plan, start, bounds);
        search.run(progress);
        search.report()
    }
}

/// How far a search is.
#[derive(Clone, Copy, Debug)]
pub struct Progress {
    /// How many worlds were found.
    pub worlds: u64,
    /// Of how many it is known what follows.
    pub done: u64,
    /// So many operations from the start.
    pub depth: u32,
    /// What the worlds take, in bytes.
    pub memory: u64,
}

/// A claim while it is searched for.
#[derive(Clone, Debug)]
enum Found {
    Nothing,
    /// At a world: that it is so (possible) or not so (always).
    World(u32, String),
    /// By an operation on a world: the nth of that one's.
    Operation(u32, u32),
}

struct Search {
    claims: Vec<(Claim, Ready)>,
    found: Vec<Found>,
    /// For each recoverable claim: the worlds that are so.
    goals: Vec<(usize, Vec<u32>)>,
    /// For each world that was gone through, what follows; kept if a claim asks for the way back.
    successors: Option<Vec<Vec<u32>>>,
    /// What those take, in bytes.
    edges: u64,
    plan: Plan,
    bounds: Bounds,
    start: World,
    player: Player,
    store: Store,
    unlawful: Option<u32>,
    /// The first world of each depth.
    levels: Vec<u32>,
    done: u32,
    applied: u64,
    refused: BTreeMap<crate::Reason, u64>,
    stopped_by: Option<Bound>,
}

/// So many worlds lie between two looks at the clock.
const LOOK_EVERY: u32 = 256;

impl Search {
    fn new(claims: Vec<(Claim, Ready)>, plan: Plan, start: World, bounds: Bounds) -> Search {
        let goals = claims.iter().enumerate().filter(|(_, (claim, _))| claim.kind == ClaimKind::Recoverable);
        let goals: Vec<(usize, Vec<u32>)> = goals.map(|(index, _)| (index, Vec::new())).collect();
        Search {
            found: vec![Found::Nothing; claims.len()],
            successors: (!goals.is_empty()).then(Vec::new),
            edges: 0,
            goals,
            player: Player::new(&start),
            claims,
            plan,
            bounds,
            start,
            store: Store::default(),
            unlawful: None,
            levels: vec![0],
            done: 0,
            applied: 0,
            refused: BTreeMap::new(),
            stopped_by: None,
        }
    }

    fn run(&mut self, progress: &mut dyn FnMut(&Progress) -> Option<Bound>) {
        let mut bytes = Vec::new();
        self.player.pack(&self.plan, &mut bytes);
        self.store.enter(&bytes, NOBODY, 0);
        self.judge(0);
        let mut level_end = 1;
        while (self.done as usize) < self.store.len() {
            if self.done == level_end {
                self.levels.push(self.done);
                level_end = self.store.count();
            }
            let depth = u32::try_from(self.levels.len() - 1).unwrap_or(u32::MAX);
            if let Some(most) = self.bounds.depth.filter(|most| depth >= *most) {
                self.stopped_by = Some(Bound::Depth(most));
                return;
            }
            if self.done.is_multiple_of(LOOK_EVERY) {
                let (worlds, memory) = (self.store.len() as u64, self.memory());
                let told = progress(&Progress { worlds, done: u64::from(self.done), depth, memory });
                self.stopped_by = told.or_else(|| self.bounds.memory.filter(|most| memory >= *most).map(Bound::Memory));
            }
            if self.stopped_by.is_some() || self.unlawful.is_some() || self.is_decided() {
                return;
            }
            self.expand(&mut bytes);
            self.done += 1;
        }
    }

    /// Whether every claim is decided, so that there is nothing left to be found. The laws have to be kept everywhere.
    fn is_decided(&self) -> bool {
        !self.found.is_empty() && self.found.iter().all(|found| !matches!(found, Found::Nothing))
    }

    fn memory(&self) -> u64 {
        self.store.memory() + self.edges
    }

    /// All that can be played from the next world.
    fn expand(&mut self, bytes: &mut Vec<u8>) {
        let number = self.done;
        self.player.go_to(number, &self.store, &self.plan);
        let mut moves = std::mem::take(&mut self.player.here);
        self.plan.enumerate(&self.player.world, &mut moves);
        let mut after = Vec::new();
        for (nth, operation) in (0..).zip(&moves.list) {
            let meant = self.meant(operation);
            match self.player.world.perform(operation) {
                Ok(_) => self.applied += 1,
                Err(refusal) => {
                    *self.refused.entry(refusal.reason()).or_default() += 1;
                    continue;
                }
            }
            for claim in meant {
                self.found[claim] = Found::Operation(number, nth);
            }
            self.player.pack(&self.plan, bytes);
            let (child, is_new) = self.store.enter(bytes, number, nth);
            if is_new {
                self.judge(child);
            }
            if self.successors.is_some() {
                after.push(child);
            }
            self.player.back();
            if self.bounds.worlds.is_some_and(|most| self.store.len() as u64 >= most) {
                self.stopped_by = self.bounds.worlds.map(Bound::Worlds);
                break;
            }
        }
        self.player.here = moves;
        if let Some(successors) = &mut self.successors {
            after.sort_unstable();
            after.dedup();
            after.shrink_to_fit();
            self.edges += (after.capacity() * size_of::<u32>() + size_of::<Vec<u32>>()) as u64;
            successors.push(after);
        }
    }

    /// The claims that such an operation must never be applied, if it is one.
    fn meant(&self, operation: &Operation) -> Vec<usize> {
        let claims = self.claims.iter().zip(&self.found).enumerate();
        let open =
            claims.filter(|(_, ((claim, _), found))| claim.kind == ClaimKind::Never && matches!(found, Found::Nothing));
        open.filter(|(_, ((_, ready), _))| ready.is_meant(&self.player.world, operation))
            .map(|(index, _)| index)
            .collect()
    }

    /// Judges a new world, which is the one that is being played.
    fn judge(&mut self, number: u32) {
        let world = &self.player.world;
        if !self.player.watch.keeps_the_laws(world) && self.unlawful.is_none() && self.plan.is_against_the_laws(world) {
            self.unlawful = Some(number);
        }
        for (index, (claim, ready)) in self.claims.iter().enumerate() {
            let found = &mut self.found[index];
            match (claim.kind, &found) {
                (ClaimKind::Always, Found::Nothing) => {
                    if let Some(message) = ready.wrong(world) {
                        *found = Found::World(number, message);
                    }
                }
                (ClaimKind::Possible, Found::Nothing) if ready.wrong(world).is_none() => {
                    *found = Found::World(number, "it is so".to_owned());
                }
                (ClaimKind::Recoverable, _) if ready.wrong(world).is_none() => {
                    let goal = self.goals.iter_mut().find(|(goal, _)| *goal == index);
                    goal.into_iter().for_each(|(_, worlds)| worlds.push(number));
                }
                _ => {}
            }
        }
    }

    fn report(mut self) -> Explored {
        let all_seen = self.stopped_by.is_none() && self.done as usize == self.store.len();
        self.look_for_dead_ends(all_seen);
        let found = std::mem::take(&mut self.found);
        let claims = std::mem::take(&mut self.claims);
        let goals: Vec<usize> = self.goals.iter().map(|(index, _)| *index).collect();
        let mut verdicts = Vec::new();
        for (index, ((claim, _), found)) in claims.into_iter().zip(found).enumerate() {
            let status = match (claim.kind, found) {
                (ClaimKind::Possible, Found::World(number, message)) => Status::Reached(self.trail_to(number, message)),
                (_, Found::World(number, message)) => Status::Broken(self.trail_to(number, message)),
                (_, Found::Operation(number, nth)) => Status::Broken(self.trail_by(number, nth)),
                (ClaimKind::Recoverable, Found::Nothing) if !all_seen || !goals.contains(&index) => Status::Undecided,
                (ClaimKind::Possible, Found::Nothing) if !all_seen => Status::Undecided,
                (ClaimKind::Possible, Found::Nothing) => Status::Impossible,
                (_, Found::Nothing) if all_seen => Status::Holds,
                (_, Found::Nothing) => Status::HoldsSoFar,
            };
            verdicts.push(Verdict { claim, status });
        }
        let unlawful = self.unlawful.map(|number| {
            let trail = self.trail_to(number, "a law is broken".to_owned());
            let violations = crate::audit(trail.after.rules(), &trail.after.snapshot());
            (trail, violations)
        });
        let worlds = self.store.len() as u64;
        let ends = self.levels.iter().skip(1).map(|&first| u64::from(first)).chain([worlds]);
        let by_depth: Vec<u64> = self.levels.iter().zip(ends).map(|(&first, end)| end - u64::from(first)).collect();
        Explored {
            verdicts,
            unlawful,
            worlds,
            applied: self.applied,
            refused: std::mem::take(&mut self.refused),
            by_depth,
            stopped_by: self.stopped_by,
            exhausted: all_seen,
            walks: None,
            memory: self.memory(),
            symmetric: self.plan.alike.iter().filter(|alike| **alike).count(),
        }
    }

    /// Worlds from which none can be reached that is so. Told only where every world was seen.
    fn look_for_dead_ends(&mut self, all_seen: bool) {
        let Some(successors) = self.successors.as_ref().filter(|_| all_seen) else { return };
        let mut before: Vec<Vec<u32>> = vec![Vec::new(); self.store.len()];
        for (from, after) in (0..).zip(successors) {
            after.iter().for_each(|&to| before[to as usize].push(from));
        }
        for (index, goals) in &self.goals {
            let mut reaches = vec![false; self.store.len()];
            let mut open = goals.clone();
            open.iter().for_each(|&world| reaches[world as usize] = true);
            while let Some(world) = open.pop() {
                for &from in &before[world as usize] {
                    if !std::mem::replace(&mut reaches[from as usize], true) {
                        open.push(from);
                    }
                }
            }
            if let Some(stuck) = (0..).zip(&reaches).find(|(_, reaches)| !**reaches).map(|(world, _)| world) {
                self.found[*index] = Found::World(stuck, "from here no such world can be reached".to_owned());
            }
        }
    }

    // Trails.

    fn trail_to(&self, number: u32, message: String) -> Trail {
        let moves = self.store.way_to(number).into_iter().skip(1).map(|at| self.store.moves(at));
        self.follow(moves.collect(), message)
    }

    fn trail_by(&self, number: u32, nth: u32) -> Trail {
        let moves = self.store.way_to(number).into_iter().skip(1).map(|at| self.store.moves(at));
        self.follow(moves.chain([nth]).collect(), "the last operation is applied".to_owned())
    }

    /// Plays the operations from the start again, and writes them down.
    fn follow(&self, moves: Vec<u32>, message: String) -> Trail {
        let mut world = self.start.clone();
        let (mut before, mut steps, mut list) = (world.clone(), Vec::new(), Moves::default());
        for nth in moves {
            self.plan.enumerate(&world, &mut list);
            let Some(operation) = list.list.get(nth as usize) else { break };
            steps.push(sentence(&world, operation));
            before = world.clone();
            let applied = world.perform(operation);
            debug_assert!(applied.is_ok(), "it was applied before");
        }
        Trail { steps, message, before: Box::new(before), after: Box::new(world) }
    }
}

/// The world that is played, and where it stands.
struct Player {
    world: World,
    /// The worlds on the way from the start to where it stands, without the start.
    way: Vec<u32>,
    packer: Packer,
    watch: Watch,
    /// What can be played where it stands; kept for its room.
    here: Moves,
}

impl Player {
    fn new(start: &World) -> Player {
        let mut world = start.clone();
        world.keep_history(usize::MAX);
        let (packer, watch) = (Packer::new(&world), Watch::new(&world));
        Player { world, way: Vec::new(), packer, watch, here: Moves::default() }
    }

    fn pack(&mut self, plan: &Plan, bytes: &mut Vec<u8>) {
        self.packer.pack(&self.world, plan, bytes);
    }

    fn back(&mut self) {
        let taken_back = self.world.take_back(self.world.revision());
        debug_assert!(taken_back.is_ok(), "all of it is kept");
    }

    /// Back to where the ways part, and on from there.
    fn go_to(&mut self, number: u32, store: &Store, plan: &Plan) {
        let way = &store.way_to(number)[1..];
        let common = self.way.iter().zip(way).take_while(|(here, there)| here == there).count();
        while self.way.len() > common {
            self.way.pop();
            self.back();
        }
        for &next in &way[common..] {
            plan.enumerate(&self.world, &mut self.here);
            if let Some(operation) = self.here.list.get(store.moves(next) as usize) {
                let applied = self.world.perform(operation);
                debug_assert!(applied.is_ok(), "it was applied before");
            }
            self.way.push(next);
        }
    }
}
