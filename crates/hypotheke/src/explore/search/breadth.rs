//! Every world within bounds, breadth first.
//!
//! States are expanded in batches. Several threads look up and check each batch; the results are
//! then entered in the order of a single thread. So states have the same numbers on any number of
//! threads, and the report is the same. The size of a batch depends only on the number of
//! operations of the previous batch.

use std::ops::Range;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

use crate::explore::minimize::explain::explain;
use crate::explore::model::claims::{Claim, ClaimKind, Ready};
use crate::explore::model::faults::Wrong;
use crate::explore::model::moves::exactly;
use crate::explore::model::scope::Scope;
use crate::explore::model::sentence::sentence;
use crate::explore::model::tried::{NotSearched, Tried};
use crate::explore::model::vacuity::Occurred;
use crate::explore::report::{Bound, ExplorationReport, Status, Trace, Verdict};
use crate::explore::search::expand::{Expanded, Known, Planned, Reached};
use crate::explore::search::exploration::{Bounds, Progress};
use crate::explore::search::successors::Successors;
use crate::explore::state::store::{NOBODY, Store};
use crate::language::Verb;
use crate::narrow;
use crate::world::World;

/// A claim while it is searched for.
#[derive(Clone, Debug)]
enum Found {
    Nothing,
    /// In a state: the condition is true (possible) or false (always).
    World(u32, Wrong),
    /// By an operation on a world: the nth of that one's.
    Operation(u32, u32),
}

pub(in crate::explore) struct Search<S> {
    claims: Vec<(Claim, Ready)>,
    found: Vec<Found>,
    /// For each recoverable claim: the states that satisfy it.
    goals: Vec<(usize, Vec<u32>)>,
    /// For each expanded state, its successors; stored only for recoverable claims.
    successors: Option<Vec<Vec<u32>>>,
    /// What those take, in bytes.
    edges: u64,
    scope: Scope,
    bounds: Bounds,
    start: World,
    /// One for each thread.
    threads: Vec<S>,
    store: Store,
    /// The first state that violates a law, with the violation.
    law_violation: Option<(u32, Wrong)>,
    /// The first world of each depth.
    levels: Vec<u32>,
    /// States from this number on are one operation deeper.
    level_end: u32,
    done: u32,
    tried: Tried,
    occurred: Occurred,
    stopped_by: Option<Bound>,
    /// Whether sums and indexes are checked in every state.
    recomputed: bool,
}

/// The approximate number of operations of a batch: enough work for threads, and short enough to
/// stop soon.
const OPERATIONS: u64 = 200_000;
/// The maximum number of states of a batch.
const MAX_AT_ONCE: u32 = 8_192;
/// The number of parts of a batch; free threads take the next part.
const PARTS: u32 = 32;

impl<S: Successors> Search<S> {
    pub(in crate::explore) fn new(
        claims: Vec<(Claim, Ready)>,
        scope: Scope,
        start: World,
        bounds: Bounds,
        store: Store,
        threads: Vec<S>,
    ) -> Search<S> {
        let goals = claims.iter().enumerate().filter(|(_, (claim, _))| claim.kind == ClaimKind::Recoverable);
        let goals: Vec<(usize, Vec<u32>)> = goals.map(|(index, _)| (index, Vec::new())).collect();
        let occurred = Occurred::new(&start, &scope, &claims);
        Search {
            found: vec![Found::Nothing; claims.len()],
            successors: (!goals.is_empty()).then(Vec::new),
            edges: 0,
            goals,
            threads,
            claims,
            scope,
            bounds,
            start,
            store,
            law_violation: None,
            levels: vec![0],
            level_end: 1,
            done: 0,
            tried: Tried::default(),
            occurred,
            stopped_by: None,
            recomputed: false,
        }
    }

    /// The same, recomputing sums and indexes at every world.
    pub(in crate::explore) fn recomputing(self, recomputed: bool) -> Search<S> {
        Search { recomputed, ..self }
    }

    pub(in crate::explore) fn run(&mut self, progress: &mut dyn FnMut(&Progress) -> Option<Bound>) {
        self.begin();
        let mut at_once = 1;
        while (self.done as usize) < self.store.len() {
            if self.done == self.level_end {
                self.levels.push(self.done);
                self.level_end = self.store.count();
            }
            self.stopped_by = self.bound_here(progress);
            if self.stopped_by.is_some() || self.law_violation.is_some() || self.is_decided() {
                return;
            }
            let batch = self.done..self.level_end.min(self.done.saturating_add(at_once));
            let operations = self.go_through(batch);
            if self.stopped_by.is_some() {
                return;
            }
            at_once = match operations {
                few if few < OPERATIONS / 2 => at_once.saturating_mul(2).min(MAX_AT_ONCE),
                many if many > OPERATIONS * 2 => (at_once / 2).max(1),
                _ => at_once,
            };
        }
    }

    /// Enters the start.
    fn begin(&mut self) {
        let Some(mut thread) = self.threads.pop() else { return };
        let (bytes, hash) = thread.pack(&self.start, &self.scope);
        self.threads.push(thread);
        let number = self.store.add(&bytes, hash, NOBODY, 0);
        self.check(number..number + 1, &self.open());
    }

    fn known<'s>(&'s self, open: &'s [bool]) -> Known<'s> {
        let (claims, scope, store) = (&self.claims, &self.scope, &self.store);
        let mut nevers = claims.iter().zip(open).filter(|((claim, _), _)| claim.kind == ClaimKind::Forbidden);
        let has_never = nevers.any(|(_, open)| *open);
        Known {
            claims,
            open,
            scope,
            store,
            has_never,
            recomputed: self.recomputed,
            keeps_ways: self.successors.is_some(),
            occurred: &self.occurred,
        }
    }

    /// For each claim, whether it may still be decided.
    fn open(&self) -> Vec<bool> {
        self.found.iter().map(|found| matches!(found, Found::Nothing)).collect()
    }

    /// The bound that is reached, if one is.
    fn bound_here(&self, progress: &mut dyn FnMut(&Progress) -> Option<Bound>) -> Option<Bound> {
        let depth = narrow::index(self.levels.len() - 1);
        let (states, memory) = (self.store.len() as u64, self.memory());
        if let Some(most) = self.bounds.depth.filter(|most| depth >= *most) {
            return Some(Bound::Depth(most));
        }
        let described = progress(&Progress { states, done: u64::from(self.done), depth, memory });
        described.or_else(|| self.bounds.memory.filter(|most| memory >= *most).map(Bound::Memory))
    }

    /// Whether every claim is decided, so that there is nothing left to be found. The laws have to
    /// be kept everywhere.
    fn is_decided(&self) -> bool {
        !self.found.is_empty() && self.found.iter().all(|found| !matches!(found, Found::Nothing))
    }

    fn memory(&self) -> u64 {
        self.store.memory() + self.edges
    }

    /// Expands some states. Returns the number of operations.
    fn go_through(&mut self, batch: Range<u32>) -> u64 {
        let mut threads = std::mem::take(&mut self.threads);
        let open = self.open();
        let known = self.known(&open);
        let expanded = in_parts(&mut threads, &batch, |thread, part| thread.expand(part, &known));
        self.threads = threads;
        let before = self.tried.total();
        let first = self.store.count();
        for part in expanded {
            self.enter(part);
        }
        self.check(first..self.store.count(), &open);
        if self.stopped_by.is_none() {
            self.done = batch.end;
        }
        self.tried.total() - before
    }

    /// Checks new states.
    fn check(&mut self, numbers: Range<u32>, open: &[bool]) {
        let mut threads = std::mem::take(&mut self.threads);
        let known = self.known(open);
        let checked = in_parts(&mut threads, &numbers, |thread, part| thread.check(part, &known));
        self.threads = threads;
        checked.into_iter().flatten().for_each(|(number, found)| self.note(number, *found));
    }

    /// Enters the results in order, until there is no room.
    fn enter(&mut self, expanded: Expanded) {
        if self.stopped_by.is_some() {
            return;
        }
        self.tried.add(&expanded.tried);
        for &(claim, number, nth) in &expanded.never {
            if matches!(self.found[claim], Found::Nothing) {
                self.found[claim] = Found::Operation(number, nth);
            }
        }
        let mut numbers = Vec::with_capacity(if expanded.ways.is_empty() { 0 } else { expanded.fresh.len() });
        for nth in 0..expanded.fresh.len() {
            let (bytes, fresh) = (expanded.bytes_of(nth), &expanded.fresh[nth]);
            let number = match self.store.find(bytes, fresh.hash) {
                Some(number) => number,
                None if self.is_full() => {
                    self.stopped_by = Some(Bound::States(self.store.len() as u64));
                    return;
                }
                None => self.store.add(bytes, fresh.hash, fresh.parent, fresh.nth),
            };
            if !expanded.ways.is_empty() {
                numbers.push(number);
            }
        }
        let Some(successors) = &mut self.successors else { return };
        for ways in expanded.ways {
            let number = |reached: Reached| match reached {
                Reached::Known(number) => number,
                Reached::Fresh(nth) => numbers[nth as usize],
            };
            let mut after: Vec<u32> = ways.into_iter().map(number).collect();
            after.sort_unstable();
            after.dedup();
            after.shrink_to_fit();
            self.edges += (after.capacity() * size_of::<u32>() + size_of::<Vec<u32>>()) as u64;
            successors.push(after);
        }
    }

    fn is_full(&self) -> bool {
        self.store.is_full() || self.bounds.states.is_some_and(|most| self.store.len() as u64 >= most)
    }

    /// Records the findings of a new state.
    fn note(&mut self, number: u32, judged: Planned) {
        self.occurred.note(&judged.newly);
        if self.law_violation.is_none() {
            self.law_violation = judged.law_violation.map(|described| (number, described));
        }
        for (claim, wrong) in judged.decides {
            if matches!(self.found[claim], Found::Nothing) {
                self.found[claim] = Found::World(number, wrong);
            }
        }
        for claim in judged.is_goal_of {
            let goal = self.goals.iter_mut().find(|(goal, _)| *goal == claim);
            goal.into_iter().for_each(|(_, states)| states.push(number));
        }
    }

    pub(in crate::explore) fn report(mut self) -> ExplorationReport {
        let all_seen = self.stopped_by.is_none() && self.done as usize == self.store.len();
        self.look_for_dead_ends(all_seen);
        let found = std::mem::take(&mut self.found);
        let claims = std::mem::take(&mut self.claims);
        let goals: Vec<usize> = self.goals.iter().map(|(index, _)| *index).collect();
        let verbs = self.tried.verbs(&self.scope);
        let mut verdicts = Vec::new();
        for (index, ((claim, ready), found)) in claims.into_iter().zip(found).enumerate() {
            let status = match (claim.kind, found) {
                (ClaimKind::Possible, Found::World(number, message)) => {
                    Status::Reachable(self.trace_to(number, message))
                }
                (_, Found::World(number, message)) => Status::Violated(self.trace_to(number, message)),
                (_, Found::Operation(number, nth)) => Status::Violated(self.trace_by(number, nth)),
                (ClaimKind::Recoverable, Found::Nothing) if !all_seen || !goals.contains(&index) => {
                    Status::Inconclusive
                }
                (ClaimKind::Possible, Found::Nothing) if !all_seen => Status::Inconclusive,
                (ClaimKind::Possible, Found::Nothing) => Status::Unreachable,
                (_, Found::Nothing) if all_seen => Status::Holds,
                (_, Found::Nothing) => Status::NoViolationFound,
            };
            verdicts.push(Verdict::new(claim, status, || self.occurred.why_vacuous(index, &ready, &verbs)));
        }
        let law_violation = self.law_violation.take().map(|(number, described)| {
            let mut trace = self.trace_to(number, described);
            let violations = crate::audit(trace.after.rules(), &trace.after.snapshot());
            if let Some(wrong) = trace.after.check_indexes().first() {
                trace.message = wrong.to_string();
            }
            (trace, violations)
        });
        let states = self.store.len() as u64;
        if self.level_end < self.store.count() {
            self.levels.push(self.level_end);
        }
        let ends = self.levels.iter().skip(1).map(|&first| u64::from(first)).chain([states]);
        let by_depth: Vec<u64> = self.levels.iter().zip(ends).map(|(&first, end)| end - u64::from(first)).collect();
        ExplorationReport {
            verdicts,
            law_violation,
            states,
            applied: self.tried.total_applied(),
            refused: self.tried.by_reason(),
            by_depth,
            verbs,
            not_searched: self.not_searched(),
            never_entered: self.occurred.never_entered(),
            stopped_by: self.stopped_by,
            complete: all_seen,
            walks: None,
            memory_bytes: self.memory(),
            edge_memory_bytes: self.edges,
            symmetric: self.scope.alike.count(),
        }
    }

    fn not_searched(&self) -> Vec<NotSearched> {
        let rules = self.start.rules();
        let at_stations = self.scope.containers.iter().filter_map(|&it| self.start.station_name(it));
        let mut recipes = at_stations.flat_map(|name| rules.recipes_at(name)).chain(rules.own_recipes());
        let may_draw = |id| rules.recipe(id).is_some_and(|recipe| recipe.yields().len() > 1);
        let draws = self.scope.tries(Verb::Craft) && recipes.any(may_draw);
        let has_luck = draws && !self.goals.is_empty();
        let found = self.scope.not_searched(&self.start, true);
        found.into_iter().chain(has_luck.then_some(NotSearched::BadLuck)).collect()
    }

    /// States from which no satisfying state can be reached. Valid only after every state was seen.
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
                self.found[*index] =
                    Found::World(stuck, Wrong::now("no state with this property is reachable from here"));
            }
        }
    }

    // Traces.

    fn trace_to(&mut self, number: u32, wrong: Wrong) -> Trace {
        let moves = self.store.path_to(number).into_iter().skip(1).map(|at| self.store.moves(at));
        self.follow(moves.collect(), wrong)
    }

    fn trace_by(&mut self, number: u32, nth: u32) -> Trace {
        let moves = self.store.path_to(number).into_iter().skip(1).map(|at| self.store.moves(at));
        self.follow(moves.chain([nth]).collect(), Wrong::now("the last operation is applied"))
    }

    /// Plays the operations from the start again, and writes them down.
    fn follow(&mut self, moves: Vec<u32>, Wrong { message, once }: Wrong) -> Trace {
        let mut world = self.start.clone();
        let (mut before, mut steps, mut performed) = (world.clone(), Vec::new(), Vec::new());
        for nth in moves {
            let Some(operation) = self.threads[0].operation(&world, &self.scope, nth) else { break };
            let operation = exactly(&world, &operation);
            steps.push(sentence(&world, &operation));
            before = world.clone();
            let applied = world.perform(&operation);
            debug_assert!(applied.is_ok(), "it was applied earlier");
            performed.push(operation);
        }
        if let Some(once) = once {
            before = world.clone();
            once.happen(&mut world, &mut steps);
        }
        let explanation = explain(&world, &performed);
        Trace { steps, message, explanation, walk: None, start: None, before: Box::new(before), after: Box::new(world) }
    }
}

/// The results of the parts of a batch, in order. Free threads take the next part.
fn in_parts<S: Send, T: Send>(
    threads: &mut [S],
    numbers: &Range<u32>,
    work: impl Fn(&mut S, Range<u32>) -> T + Sync,
) -> Vec<T> {
    let size = (numbers.end - numbers.start).div_ceil(PARTS).max(1);
    let starts = (numbers.start..numbers.end).step_by(size as usize);
    let parts: Vec<Range<u32>> = starts.map(|start| start..numbers.end.min(start.saturating_add(size))).collect();
    let (next, done) = (AtomicUsize::new(0), Mutex::new(Vec::with_capacity(parts.len())));
    let take = |thread: &mut S| {
        loop {
            let nth = next.fetch_add(1, Ordering::Relaxed);
            let Some(part) = parts.get(nth) else { return };
            let worked = work(thread, part.clone());
            done.lock().unwrap_or_else(PoisonError::into_inner).push((nth, worked));
        }
    };
    match threads {
        [alone] => take(alone),
        several => std::thread::scope(|scope| {
            for thread in several.iter_mut().take(parts.len()) {
                scope.spawn(|| take(thread));
            }
        }),
    }
    let mut done = done.into_inner().unwrap_or_else(PoisonError::into_inner);
    done.sort_unstable_by_key(|(nth, _)| *nth);
    done.into_iter().map(|(_, worked)| worked).collect()
}
