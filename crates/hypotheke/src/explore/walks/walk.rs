//! Random walks go far beyond a breadth-first search. Each step is checked, and a violating trace
//! is minimized.
//!
//! A walk depends only on the seed and its own number, so the walks are the same on any number of
//! threads. The reported failure is that of the walk with the lowest number.

use std::collections::BTreeMap;
use std::num::NonZeroUsize;

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::audit::IncrementalAudit;
use crate::explore::minimize::minimize_trace::{self, Aim};
use crate::explore::minimize::step::SAVE_THEN_LOAD;
use crate::explore::model::claims::ClaimKind;
use crate::explore::model::moves::Moves;
use crate::explore::model::scope::Fault;
use crate::explore::model::sentence::sentence;
use crate::explore::model::tried::Tried;
use crate::explore::model::vacuity::Occurred;
use crate::explore::report::{Bound, ExplorationReport, Status, Trace, Verdict};
use crate::explore::search::exploration::Exploration;
use crate::explore::walks::generate::{Generator, below};
use crate::explore::walks::stock::Stock;
use crate::id::KindId;
use crate::ops::Operation;
use crate::save::Save;
use crate::scenario::on_threads;
use crate::snapshot::Departures;
use crate::world::World;

/// The walks to run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Walks {
    /// How many, of all shards together.
    pub count: u64,
    /// How many operations each.
    pub steps: u32,
    /// A different seed gives different walks.
    pub seed: u64,
    /// The part of the walks to run here: (0, 1) is all, (1, 8) the second of eight parts.
    pub shard: (u64, u64),
    /// On how many threads.
    pub threads: NonZeroUsize,
}

impl Default for Walks {
    fn default() -> Walks {
        Walks { count: 1_000, steps: 50, seed: 0, shard: (0, 1), threads: NonZeroUsize::MIN }
    }
}

/// The number of walks between two calls of `progress`.
const BATCH: u64 = 256;

/// Each walk has its own random numbers, so that it does not matter who walks it.
pub(in crate::explore) fn seed_of(seed: u64, number: u64) -> u64 {
    seed ^ number.wrapping_mul(0x9e37_79b9_7f4a_7c15)
}

/// The result of all walks.
struct All {
    occurred: Occurred,
    tried: Tried,
    /// For each aim the walk with the lowest number, and its trace.
    found: BTreeMap<Aim, (u64, Vec<String>)>,
}

/// What a walk has done.
enum Played {
    Operation(Operation),
    /// As text, since later worlds have different handles.
    Said(String),
}

/// A walk on its way.
struct Going {
    world: World,
    watch: IncrementalAudit,
    departures: Departures,
    steps: Vec<Played>,
    moves: Moves,
    stock: Stock,
}

impl Going {
    fn new(start: &World) -> Going {
        let world = start.clone();
        let watch = IncrementalAudit::new(&world);
        Going {
            world,
            watch,
            departures: Departures::new(),
            steps: Vec::new(),
            moves: Moves::default(),
            stock: Stock::default(),
        }
    }
}

/// On average, one step in this number is a fault, if the scope has faults.
const FAULT_EVERY: u64 = 12;
/// The number of random choices before every possible operation is tested.
const DRAWS: u32 = 24;

/// A world after saving and loading; `None` if it is not the same world.
pub(in crate::explore) fn saved_and_loaded(world: &World) -> Option<World> {
    let read = Save::read(&Save::of(world).to_bytes()).ok()?;
    let mut loaded = read.world(world.rules()).ok()?;
    // The scope names places by the handles of the start.
    loaded.share_handles(world);
    (loaded.snapshot() == world.snapshot()).then_some(loaded)
}

/// The result of one walk.
struct Walked {
    tried: Tried,
    occurred: Occurred,
    /// The first trace to each aim.
    found: BTreeMap<Aim, Vec<String>>,
}

impl Exploration {
    /// Runs random walks. `progress` receives the number of walks after each batch, and stops the
    /// run by returning a bound.
    ///
    /// `always`, `forbidden` and the laws are checked at every step, and `possible` states are
    /// looked for. A `recoverable` claim needs a [search](Exploration::search).
    pub fn walk(self, walks: Walks, progress: &mut dyn FnMut(u64) -> Option<Bound>) -> ExplorationReport {
        let (first, every) = (walks.shard.0, walks.shard.1.max(1));
        let here = walks.count.saturating_sub(first).div_ceil(every);
        let occurred = Occurred::new(&self.start, &self.scope, &self.claims);
        let mut all = All { occurred, tried: Tried::default(), found: BTreeMap::new() };
        let (mut done, mut stopped_by) = (0, None);
        while done < here && stopped_by.is_none() {
            let batch: Vec<u64> = (done..here.min(done.saturating_add(BATCH))).map(|nth| first + nth * every).collect();
            let walked = on_threads(&batch, walks.threads, |_, &number| self.one_walk(number, walks));
            for (one, &number) in walked.into_iter().zip(&batch) {
                all.tried.add(&one.tried);
                all.occurred.add(&one.occurred);
                one.found.into_iter().for_each(|(aim, trace)| _ = all.found.entry(aim).or_insert((number, trace)));
            }
            done += batch.len() as u64;
            stopped_by = progress(done);
        }
        self.report_walks(&all, done, stopped_by)
    }

    fn one_walk(&self, number: u64, walks: Walks) -> Walked {
        let mut random = Xoshiro256PlusPlus::seed_from_u64(seed_of(walks.seed, number));
        let draws = Generator::of(&self.scope).some(&mut random);
        let mut going = Going::new(&self.start);
        let occurred = Occurred::new(&self.start, &self.scope, &self.claims);
        let mut walked = Walked { tried: Tried::default(), occurred, found: BTreeMap::new() };
        for _ in 0..walks.steps {
            self.look(&mut going, &mut walked);
            if !self.step(&draws, &mut going, &mut random, &mut walked) {
                break;
            }
        }
        self.look(&mut going, &mut walked);
        walked
    }

    /// Performs an operation. False if none is possible.
    fn step(
        &self,
        draws: &Generator<'_>,
        going: &mut Going,
        random: &mut Xoshiro256PlusPlus,
        walked: &mut Walked,
    ) -> bool {
        if !self.scope.faults.is_empty() && random.next_u64().is_multiple_of(FAULT_EVERY) {
            let nth = below(random, self.scope.faults.len());
            return self.fault(self.scope.faults[nth], going, walked);
        }
        for _ in 0..DRAWS {
            let drawn = draws.draw(&going.world, &going.departures, &mut going.stock, random);
            let Some(operation) = drawn else { continue };
            if self.play(operation, going, walked) {
                return true;
            }
        }
        if self.scope.changes_handles() {
            return true;
        }
        // The chosen operations are all refused: try every possible one in turn.
        let mut moves = std::mem::take(&mut going.moves);
        self.scope.enumerate(&going.world, &mut moves);
        let mut is_played = false;
        while !is_played && !moves.steps.is_empty() {
            let at = below(random, moves.steps.len());
            let operation = moves.operation(&going.world, at);
            moves.steps.swap_remove(at);
            is_played = operation.is_some_and(|operation| self.play(operation, going, walked));
        }
        going.moves = moves;
        is_played
    }

    /// Whether a replay could give the step different handles: after an arrival.
    fn is_said_at_once(&self) -> bool {
        let rules = self.start.rules();
        let is_pack = |&(kind, _): &(KindId, u64)| rules.known_kind(kind).pack().is_some();
        self.scope.changes_handles() || self.scope.created.iter().any(is_pack)
    }

    /// Whether it is applied.
    fn play(&self, operation: Operation, going: &mut Going, walked: &mut Walked) -> bool {
        let never = self.meant(&going.world, &operation);
        let said = self.is_said_at_once().then(|| sentence(&going.world, &operation));
        if let Err(refusal) = going.world.perform(&operation) {
            walked.tried.refused(operation.action.verb(), refusal.reason());
            return false;
        }
        walked.tried.applied(operation.action.verb());
        going.stock.is_stale();
        let never = self.were_meant(&going.world, &operation, never);
        going.steps.push(said.map_or(Played::Operation(operation), Played::Said));
        going.departures.extend(going.world.departed().iter().cloned());
        for claim in never {
            walked.found.entry(Aim::Claim(claim)).or_insert_with(|| self.sentences(&going.steps));
        }
        true
    }

    fn fault(&self, fault: Fault, going: &mut Going, walked: &mut Walked) -> bool {
        match fault {
            Fault::SaveThenLoad => {
                let loaded = saved_and_loaded(&going.world);
                going.stock.is_stale();
                going.steps.push(Played::Said(SAVE_THEN_LOAD.to_owned()));
                match loaded {
                    Some(world) => (going.world, going.watch) = (world.clone(), IncrementalAudit::new(&world)),
                    None => {
                        walked.found.entry(Aim::Law).or_insert_with(|| self.sentences(&going.steps));
                    }
                }
                true
            }
            Fault::Leave => {
                let Some(holder) = going.world.holders().find(|&holder| going.world.hand(holder).is_some()) else {
                    return true;
                };
                let name = going.world.holder_name(holder).to_owned();
                if self.play(Operation::departing(holder), going, walked)
                    && let Some(departure) = going.departures.get(&name).cloned()
                {
                    // Claims are about the world in which the holder is back.
                    self.look_at_the_laws(going, walked);
                    self.play(Operation::arriving(departure), going, walked);
                }
                true
            }
        }
    }

    /// The step, as a scenario writes it.
    fn sentences(&self, steps: &[Played]) -> Vec<String> {
        let mut world = self.start.clone();
        let mut said = Vec::new();
        for step in steps {
            match step {
                Played::Operation(operation) => {
                    said.push(sentence(&world, operation));
                    let applied = world.perform(operation);
                    debug_assert!(applied.is_ok(), "it was applied earlier");
                }
                Played::Said(text) => said.push(text.clone()),
            }
        }
        said
    }

    /// Checks the world of a walk by the laws alone.
    fn look_at_the_laws(&self, going: &mut Going, walked: &mut Walked) {
        let Going { world, watch, steps, .. } = going;
        if !walked.found.contains_key(&Aim::Law) && !watch.keeps_the_laws(world) && self.breaks_a_law(world) {
            walked.found.insert(Aim::Law, self.sentences(steps));
        }
    }

    /// Checks the world of a walk.
    fn look(&self, going: &mut Going, walked: &mut Walked) {
        self.look_at_the_laws(going, walked);
        let Going { world, steps, .. } = going;
        let world: &World = world;
        let newly = walked.occurred.newly(world, &self.claims);
        walked.occurred.note(&newly);
        for (index, (claim, ready)) in self.claims.iter().enumerate() {
            let aim = Aim::Claim(index);
            let is_found = match claim.kind {
                _ if walked.found.contains_key(&aim) => false,
                ClaimKind::Always => ready.wrong(world).is_some(),
                ClaimKind::Possible => ready.wrong(world).is_none(),
                ClaimKind::Forbidden | ClaimKind::Recoverable => false,
            };
            if is_found {
                walked.found.insert(aim, self.sentences(steps));
            }
        }
    }

    fn report_walks(self, all: &All, walks: u64, stopped_by: Option<Bound>) -> ExplorationReport {
        let mut traces: BTreeMap<Aim, Trace> = BTreeMap::new();
        for (aim, (number, steps)) in &all.found {
            let trace = minimize_trace::minimize(&self, *aim, steps);
            traces.insert(*aim, Trace { walk: Some(*number), ..trace });
        }
        let verbs = all.tried.verbs(&self.scope);
        let verdicts = self.claims.iter().enumerate().map(|(index, (claim, ready))| {
            let trace = traces.remove(&Aim::Claim(index));
            let status = match (claim.kind, trace) {
                (ClaimKind::Possible, Some(trace)) => Status::Reachable(trace),
                (_, Some(trace)) => Status::Violated(trace),
                (ClaimKind::Possible | ClaimKind::Recoverable, None) => Status::Inconclusive,
                (_, None) => Status::NoViolationFound,
            };
            Verdict::new(claim.clone(), status, || all.occurred.why_vacuous(index, ready, &verbs))
        });
        let verdicts = verdicts.collect();
        let law_violation = traces.remove(&Aim::Law).map(|trace| {
            let violations = crate::audit(trace.after.rules(), &trace.after.snapshot());
            (trace, violations)
        });
        ExplorationReport {
            verdicts,
            law_violation,
            states: all.tried.total_applied() + walks,
            applied: all.tried.total_applied(),
            refused: all.tried.by_reason(),
            by_depth: Vec::new(),
            not_searched: self.scope.not_searched(&self.start, false),
            never_entered: all.occurred.never_entered(),
            verbs,
            stopped_by,
            complete: false,
            walks: Some(walks),
            memory_bytes: 0,
            edge_memory_bytes: 0,
            symmetric: 0,
        }
    }
}
