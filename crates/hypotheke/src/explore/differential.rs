//! Another implementation of the rules, driven by random walks and held against this library's
//! engine step by step.
//!
//! Both start from the same plain data, take the same operations by names, and must return the same
//! answers and the same plain data after each step. A walk with a mismatch is minimized: few steps,
//! few items, a small start.

use std::collections::BTreeMap;
use std::fmt;
use std::panic::{AssertUnwindSafe, catch_unwind};

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

use super::report::Bound;
use crate::conformance::{Answer, Engine, Implementation};
use crate::explore::minimize::changes::{MAX_REPLAYS, Minimize};
use crate::explore::minimize::step::Step;
use crate::explore::model::moves::Moves;
use crate::explore::model::scope::Scope;
use crate::explore::model::sentence::sentence;
use crate::explore::search::exploration::Exploration;
use crate::explore::walks::generate::Generator;
use crate::explore::walks::stock::Stock;
use crate::explore::walks::walk::{Walks, seed_of};
use crate::language::{Amount, NamedAction};
use crate::ops::{Operation, Reason};
use crate::scenario::on_threads;
use crate::snapshot::Snapshot;
use crate::world::{Place, World};

/// The result of comparing a different implementation with this library's engine.
#[derive(Clone, Debug)]
pub struct ComparisonReport {
    /// How many walks there were.
    pub walks: u64,
    /// The number of operations that both performed, refused ones included.
    pub steps: u64,
    /// How many of them were refused, and why.
    pub refused: BTreeMap<Reason, u64>,
    /// The mismatch of the walk with the lowest number, minimized.
    pub mismatch: Option<Mismatch>,
    /// The bound that stopped it before all walks were completed.
    pub stopped_by: Option<Bound>,
}

/// Steps after which two implementations differ.
#[derive(Clone, Debug)]
pub struct Mismatch {
    /// In which walk it was found.
    pub walk: u64,
    /// From which world both start.
    pub start: Snapshot,
    /// The step, as a scenario writes it. At `save then load`, each implementation restarts from
    /// its own plain data.
    pub steps: Vec<String>,
    /// How they differ after the last step.
    pub differs: MismatchKind,
}

/// How two implementations differ.
#[derive(Clone, Debug, PartialEq)]
pub enum MismatchKind {
    /// In their answers to the last step.
    Answer {
        /// This library's.
        expected: Answer,
        /// The other's.
        found: Answer,
    },
    /// In the contents afterwards, or in the next id.
    World {
        /// This library's.
        expected: Box<Snapshot>,
        /// The other's.
        found: Box<Snapshot>,
    },
    /// The other can't go on from a world that this library can go on from.
    Start(String),
    /// The other has panicked.
    Panicked,
}

impl fmt::Display for MismatchKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            MismatchKind::Answer { expected, found } => write!(f, "the result is {found:?}; expected {expected:?}"),
            MismatchKind::World { expected, found } => {
                let [expected, found] = [expected, found].map(|it| serde_json::to_value(it).unwrap_or_default());
                let (at, expected, found) = first_difference(&expected, &found, String::new());
                write!(f, "{at} is {found}; expected {expected}")
            }
            MismatchKind::Start(error) => write!(f, "it cannot continue from this state: {error}"),
            MismatchKind::Panicked => write!(f, "it panicked"),
        }
    }
}

/// Where two values differ first, and how.
fn first_difference(
    one: &serde_json::Value,
    other: &serde_json::Value,
    at: String,
) -> (String, serde_json::Value, serde_json::Value) {
    use serde_json::Value;
    match (one, other) {
        (Value::Object(mine), Value::Object(yours)) => {
            let keys = mine.keys().chain(yours.keys().filter(|key| !mine.contains_key(*key)));
            let differs = |key: &&String| mine.get(*key) != yours.get(*key);
            if let Some(key) = keys.into_iter().find(differs) {
                let [mine, yours] = [mine, yours].map(|map| map.get(key).unwrap_or(&Value::Null));
                return first_difference(mine, yours, if at.is_empty() { key.clone() } else { format!("{at}.{key}") });
            }
        }
        (Value::Array(mine), Value::Array(yours)) if mine.len() == yours.len() => {
            if let Some(nth) = (0..mine.len()).find(|&nth| mine[nth] != yours[nth]) {
                return first_difference(&mine[nth], &yours[nth], format!("{at}[{nth}]"));
            }
        }
        _ => {}
    }
    (at, one.clone(), other.clone())
}

impl fmt::Display for Mismatch {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (nth, step) in (1..).zip(&self.steps) {
            writeln!(f, "{nth:>3}  {step}")?;
        }
        write!(f, "     {}", self.differs)
    }
}

/// On average, one step in this number is a restart from plain data.
const SAVE_EVERY: u64 = 24;
/// The number of walks between two calls of `progress`.
const BATCH: u64 = 64;
/// The number of short walks that search for a shorter trace at the end.
const SHORT_WALKS: u32 = 6_000;
/// The same for a trace that is already short.
const FEW_WALKS: u32 = 1_000;
const SHORT_ENOUGH: usize = 5;

struct Pair<'i> {
    ours: Engine,
    theirs: &'i mut dyn Implementation,
    refused: Option<Reason>,
}

impl Pair<'_> {
    fn start(&mut self, start: &Snapshot) -> Option<MismatchKind> {
        if self.ours.start(start).is_err() {
            return None;
        }
        match catch_unwind(AssertUnwindSafe(|| self.theirs.start(start))) {
            Ok(Ok(())) => self.same_world(),
            Ok(Err(error)) => Some(MismatchKind::Start(error.to_string())),
            Err(_) => Some(MismatchKind::Panicked),
        }
    }

    fn same_world(&mut self) -> Option<MismatchKind> {
        let expected = self.ours.snapshot();
        let Ok(found) = catch_unwind(AssertUnwindSafe(|| self.theirs.snapshot())) else {
            return Some(MismatchKind::Panicked);
        };
        (expected != found).then(|| MismatchKind::World { expected: Box::new(expected), found: Box::new(found) })
    }

    /// Plays a step on both. Says how they differ, if they do.
    fn play(&mut self, step: &Step) -> Option<MismatchKind> {
        self.refused = None;
        let Step::Operation(operation) = step else {
            let (ours, theirs) = (self.ours.snapshot(), catch_unwind(AssertUnwindSafe(|| self.theirs.snapshot())));
            let Ok(theirs) = theirs else { return Some(MismatchKind::Panicked) };
            let _ = self.ours.start(&ours);
            return match catch_unwind(AssertUnwindSafe(|| self.theirs.start(&theirs))) {
                Ok(Ok(())) => self.same_world(),
                Ok(Err(error)) => Some(MismatchKind::Start(error.to_string())),
                Err(_) => Some(MismatchKind::Panicked),
            };
        };
        let expected = self.ours.perform(operation);
        let Ok(found) = catch_unwind(AssertUnwindSafe(|| self.theirs.perform(operation))) else {
            return Some(MismatchKind::Panicked);
        };
        if let Answer::Refused { reason, .. } = &expected {
            self.refused = Some(*reason);
        }
        if !expected.agrees(&found, operation) {
            return Some(MismatchKind::Answer { expected, found });
        }
        self.same_world()
    }
}

/// The result of one walk.
struct Walked {
    number: u64,
    steps: u64,
    refused: BTreeMap<Reason, u64>,
    found: Option<(Vec<Step>, MismatchKind)>,
}

impl Exploration {
    /// Runs random walks on both implementations until an answer, a figure or the contents differ.
    /// `progress` receives the number of walks after each batch, and stops the run by returning a
    /// bound.
    ///
    /// Without limits in the claims file, every operation is possible: all verbs, and creating and
    /// consuming every kind. Claims are not checked.
    ///
    /// ```
    /// use hypotheke::conformance::Engine;
    /// use hypotheke::explore::{Exploration, Walks};
    /// use hypotheke::Ruleset;
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind.stack_limit(2))
    ///     .container("depot", |depot| depot.slots(3))
    ///     .start("depot", ["2 flare"])
    ///     .build()?
    ///     .into();
    /// let mine = || Engine::new(&rules); // here a game's own
    /// let compared = Exploration::of(&rules).compare(Walks { count: 20, ..Walks::default() }, mine, &mut |_| None);
    /// assert!(compared.mismatch.is_none(), "{}", compared.mismatch.unwrap());
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    pub fn compare<I: Implementation>(
        &self,
        walks: Walks,
        make: impl Fn() -> I + Sync,
        progress: &mut dyn FnMut(u64) -> Option<Bound>,
    ) -> ComparisonReport {
        let (first, every) = (walks.shard.0, walks.shard.1.max(1));
        let here = walks.count.saturating_sub(first).div_ceil(every);
        let mut all =
            ComparisonReport { walks: 0, steps: 0, refused: BTreeMap::new(), mismatch: None, stopped_by: None };
        while all.walks < here && all.stopped_by.is_none() && all.mismatch.is_none() {
            let numbers = all.walks..here.min(all.walks.saturating_add(BATCH));
            let batch: Vec<u64> = numbers.map(|nth| first + nth * every).collect();
            let walked = on_threads(&batch, walks.threads, |_, &number| self.walk_both(number, walks, &make));
            for one in walked {
                all.walks += 1;
                all.steps += one.steps;
                one.refused.into_iter().for_each(|(reason, count)| *all.refused.entry(reason).or_default() += count);
                if let Some((steps, differs)) = one.found {
                    all.mismatch = Some(self.minimize_mismatch(one.number, steps, differs, &make));
                    break;
                }
            }
            all.stopped_by = progress(all.walks);
        }
        all
    }

    fn walk_both<I: Implementation>(&self, number: u64, walks: Walks, make: &impl Fn() -> I) -> Walked {
        let mut random = Xoshiro256PlusPlus::seed_from_u64(seed_of(walks.seed, number));
        let mut walked = Walked { number, steps: 0, refused: BTreeMap::new(), found: None };
        let draws = Generator::unbound(&self.scope).some(&mut random);
        let mut theirs = make();
        let mut pair = Pair { ours: Engine::new(self.start.rules()), theirs: &mut theirs, refused: None };
        if let Some(differs) = pair.start(&self.start.snapshot()) {
            walked.found = Some((Vec::new(), differs));
            return walked;
        }
        let mut steps = Vec::new();
        for _ in 0..walks.steps {
            let Some(step) = draw(&draws, &pair.ours, &mut random) else { continue };
            walked.steps += 1;
            let differs = pair.play(&step);
            steps.push(step);
            if let Some(reason) = pair.refused {
                *walked.refused.entry(reason).or_default() += 1;
            }
            if let Some(differs) = differs {
                walked.found = Some((steps, differs));
                break;
            }
        }
        walked
    }

    fn minimize_mismatch<I: Implementation>(
        &self,
        walk: u64,
        steps: Vec<Step>,
        differs: MismatchKind,
        make: &impl Fn() -> I,
    ) -> Mismatch {
        let mut shorter = Shorter { start: self.start.clone(), steps, differs, left: MAX_REPLAYS, make };
        shorter.minimize(&self.scope);
        let Shorter { start, steps, differs, .. } = shorter;
        let steps = steps.iter().map(Step::to_string).collect();
        Mismatch { walk, start: start.snapshot(), steps, differs }
    }
}

fn draw(draws: &Generator<'_>, ours: &Engine, random: &mut Xoshiro256PlusPlus) -> Option<Step> {
    if random.next_u64().is_multiple_of(SAVE_EVERY) {
        return Some(Step::SaveThenLoad);
    }
    // Choose again a few times if the chosen operation is not possible here.
    let mut stock = Stock::default();
    let drawn = (0..8).find_map(|_| draws.draw(ours.world(), ours.departures(), &mut stock, random))?;
    Step::read(&sentence(ours.world(), &drawn))
}

/// A walk that is being minimized.
struct Shorter<'m, M> {
    start: World,
    steps: Vec<Step>,
    differs: MismatchKind,
    /// The number of replays that remain.
    left: u32,
    make: &'m M,
}

impl<I: Implementation, M: Fn() -> I> Minimize for Shorter<'_, M> {
    fn steps(&self) -> &[Step] {
        &self.steps
    }

    fn take(&mut self, steps: &[Step]) -> bool {
        let start = self.start.clone();
        let found = self.replay(&start, steps).filter(|(found, _)| found.len() <= self.steps.len());
        let is_taken = found.is_some();
        if let Some((steps, differs)) = found {
            (self.steps, self.differs) = (steps, differs);
        }
        is_taken
    }

    fn left(&mut self) -> &mut u32 {
        &mut self.left
    }
}

impl<I: Implementation, M: Fn() -> I> Shorter<'_, M> {
    /// Plays steps from a start; gives those up to where the two differ, and how.
    fn replay(&mut self, start: &World, steps: &[Step]) -> Option<(Vec<Step>, MismatchKind)> {
        self.left = self.left.checked_sub(1)?;
        let mut theirs = (self.make)();
        let mut pair = Pair { ours: Engine::new(start.rules()), theirs: &mut theirs, refused: None };
        if let Some(differs) = pair.start(&start.snapshot()) {
            return Some((Vec::new(), differs));
        }
        let found = steps.iter().enumerate().find_map(|(nth, step)| Some((nth, pair.play(step)?)));
        found.map(|(nth, differs)| (steps[..=nth].to_vec(), differs))
    }

    fn minimize(&mut self, scope: &Scope) {
        self.leave_out();
        self.walk_fast(scope);
        self.leave_out();
        self.left = MAX_REPLAYS;
        self.search(scope);
        self.lower_counts();
        self.leave_out_ids();
        self.left = MAX_REPLAYS;
        self.take_from_the_start();
    }

    /// Short walks with the verbs of the finding: there is often a shorter trace that removing
    /// steps does not reach.
    fn walk_fast(&mut self, scope: &Scope) {
        let mut draws = Generator::unbound(scope);
        let said: Vec<&NamedAction> = self.steps.iter().flat_map(Step::actions).collect();
        draws.keep_only(&said);
        let mut random = Xoshiro256PlusPlus::seed_from_u64(self.steps.len() as u64);
        let start = self.start.snapshot();
        for nth in 0..SHORT_WALKS {
            let most = self.steps.len().saturating_sub(1);
            if most < 2 || nth >= FEW_WALKS && self.steps.len() <= SHORT_ENOUGH {
                return;
            }
            let mut theirs = (self.make)();
            let mut pair = Pair { ours: Engine::new(self.start.rules()), theirs: &mut theirs, refused: None };
            if pair.start(&start).is_some() {
                return;
            }
            let mut steps = Vec::new();
            while steps.len() < most {
                let Some(step) = draw(&draws, &pair.ours, &mut random) else { break };
                let differs = pair.play(&step);
                if differs.is_none() && pair.refused.is_some() {
                    continue;
                }
                steps.push(step);
                if let Some(differs) = differs {
                    (self.steps, self.differs) = (steps, differs);
                    break;
                }
            }
        }
    }

    /// Removes unused items from the start.
    fn take_from_the_start(&mut self) {
        let places: Vec<Place> =
            self.start.all_stacks_in(None).iter().filter_map(|stack| self.start.place_of(stack.id())).collect();
        for place in places {
            let mut fewer = self.start.clone();
            let Some(kind) = fewer.stacks_in(Some(place)).first().map(|stack| stack.kind().handle()) else { continue };
            if fewer.perform(&Operation::consuming(Amount::All, kind, place)).is_err() {
                continue;
            }
            let steps = self.steps.clone();
            if let Some((steps, differs)) = self.replay(&fewer, &steps).filter(|(found, _)| found.len() == steps.len())
            {
                (self.start, self.steps, self.differs) = (fewer, steps, differs);
            }
        }
    }

    /// From each world on the way, an operation of a search that leads to a difference sooner.
    fn search(&mut self, scope: &Scope) {
        let mut ours = Engine::new(self.start.rules());
        if ours.start(&self.start.snapshot()).is_err() {
            return;
        }
        let mut moves = Moves::default();
        for nth in 0..self.steps.len().saturating_sub(1) {
            scope.enumerate(ours.world(), &mut moves);
            for operation in moves.operations(ours.world()) {
                let Some(next) = Step::read(&sentence(ours.world(), &operation)) else { continue };
                let steps: Vec<Step> = self.steps[..nth].iter().cloned().chain([next]).collect();
                if self.take(&steps) {
                    return;
                }
            }
            if let Step::Operation(operation) = &self.steps[nth] {
                ours.perform(operation);
            }
        }
    }
}
