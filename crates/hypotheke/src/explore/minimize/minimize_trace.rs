//! Minimizes a trace: removes steps, moves detours together, lowers amounts, runs a bounded search
//! for a shorter trace, and removes unused items of the start.

use crate::explore::minimize::changes::{MAX_REPLAYS, Minimize};
use crate::explore::minimize::explain::explain;
use crate::explore::minimize::minimize_start::minimize_start;
use crate::explore::minimize::step::Step;
use crate::explore::model::claims::ClaimKind;
use crate::explore::model::sentence::sentence;
use crate::explore::report::{ExplorationReport, Status, Trace};
use crate::explore::search::exploration::{Bounds, Exploration};
use crate::explore::walks::walk::saved_and_loaded;
use crate::language::Verb;
use crate::narrow;
use crate::ops::Action;
use crate::snapshot::Departures;
use crate::world::World;

/// What a trace leads to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(in crate::explore) enum Aim {
    /// A world that breaks a law.
    Law,
    /// A claim, by its number, broken or reached.
    Claim(usize),
}

/// The maximum number of states of the final search.
const MAX_WORLDS: u64 = 20_000;

/// Replayed steps, up to the step that reaches the target.
pub(in crate::explore) struct Replay {
    steps: Vec<Step>,
    before: World,
    after: World,
    message: String,
    explanation: Vec<String>,
}

impl Replay {
    pub(in crate::explore) fn said(&self) -> Vec<String> {
        self.steps.iter().map(Step::to_string).collect()
    }

    fn into_trace(self) -> Trace {
        Trace {
            steps: self.said(),
            message: self.message,
            explanation: self.explanation,
            walk: None,
            start: None,
            before: Box::new(self.before),
            after: Box::new(self.after),
        }
    }
}

/// Which steps a replay may have.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(in crate::explore) enum Within {
    /// The operations of the scope: a minimized trace must be one that a search could find.
    Scope,
    /// Any: a smaller start makes other amounts of a stack the half or all of it.
    Anything,
}

/// Replays the steps from a start and skips steps that no longer apply. Stops at the target.
pub(in crate::explore) fn replay(
    exploration: &Exploration,
    aim: Aim,
    start: &World,
    steps: &[Step],
    within: Within,
) -> Option<Replay> {
    let mut world = start.clone();
    let (mut played, mut performed) = (Vec::new(), Vec::new());
    let ended =
        |steps, before, after, message, explanation| Some(Replay { steps, before, after, message, explanation });
    if let Some(message) = exploration.met(aim, start, &world) {
        return ended(played, world.clone(), world, message, Vec::new());
    }
    let mut departures = Departures::new();
    // While a holder is away, only the laws are checked.
    let mut is_away = false;
    for step in steps {
        let Step::Operation(operation) = step else {
            played.push(step.clone());
            match saved_and_loaded(&world) {
                Some(loaded) => world = loaded,
                None if aim == Aim::Law => {
                    let message = "the saved world is different after loading".to_owned();
                    return ended(played, world.clone(), world, message, Vec::new());
                }
                None => return None,
            }
            continue;
        };
        let Ok(operation) = operation.resolve_with(&world, &departures) else { continue };
        if within == Within::Scope && !exploration.scope.tries_form(&world, &operation) {
            continue;
        }
        let meant = exploration.meant(&world, &operation);
        let said = sentence(&world, &operation);
        let before = world.clone();
        if world.perform(&operation).is_err() {
            continue;
        }
        match &operation.action {
            Action::Depart { .. } if !exploration.scope.tries(Verb::Depart) => is_away = true,
            Action::Arrive { .. } => is_away = false,
            _ => {}
        }
        departures.extend(world.departed().iter().cloned());
        played.push(Step::read(&said).unwrap_or_else(|| step.clone()));
        let meant = exploration.were_meant(&world, &operation, meant);
        let is_meant = matches!(aim, Aim::Claim(claim) if meant.contains(&claim));
        performed.push(operation);
        let met = is_meant.then(|| "the last operation is applied".to_owned());
        let met = met.or_else(|| exploration.met(aim, start, &world).filter(|_| aim == Aim::Law || !is_away));
        if let Some(message) = met {
            let explanation = explain(&world, &performed);
            return ended(played, before, world, message, explanation);
        }
    }
    None
}

/// A trace that is being minimized.
struct Shorter<'e> {
    exploration: &'e Exploration,
    aim: Aim,
    best: Replay,
    /// The number of replays that remain.
    left: u32,
}

impl Minimize for Shorter<'_> {
    fn steps(&self) -> &[Step] {
        &self.best.steps
    }

    fn take(&mut self, steps: &[Step]) -> bool {
        let Some(left) = self.left.checked_sub(1) else { return false };
        self.left = left;
        let found = replay(self.exploration, self.aim, &self.exploration.start, steps, Within::Scope);
        let found = found.filter(|found| found.steps.len() <= self.best.steps.len());
        let is_taken = found.is_some();
        found.into_iter().for_each(|found| self.best = found);
        is_taken
    }

    fn left(&mut self) -> &mut u32 {
        &mut self.left
    }
}

pub(in crate::explore) fn minimize(exploration: &Exploration, aim: Aim, said: &[String]) -> Trace {
    let steps: Vec<Step> = said.iter().filter_map(|said| Step::read(said)).collect();
    let Some(best) = replay(exploration, aim, &exploration.start, &steps, Within::Scope) else {
        let start = Box::new(exploration.start.clone());
        let message = "the trace cannot be replayed".to_owned();
        let (before, after) = (start.clone(), start);
        return Trace {
            steps: said.to_vec(),
            message,
            explanation: Vec::new(),
            walk: None,
            start: None,
            before,
            after,
        };
    };
    let mut shorter = Shorter { exploration, aim, best, left: MAX_REPLAYS };
    shorter.leave_out();
    // No trace is shorter than what a search finds that goes by breadth, as far as it goes; and
    // where it is as long, its steps are the plainer ones, each between slots.
    let searched = search_for_a_shorter_one(exploration, aim, shorter.best.steps.len());
    if let Some(steps) = searched {
        shorter.left = MAX_REPLAYS;
        shorter.take(&steps);
    }
    shorter.lower_counts();
    shorter.leave_out_ids();
    let mut trace = shorter.best.into_trace();
    if !exploration.is_wanted(aim) {
        trace.start = minimize_start(exploration, aim, &trace.steps);
    }
    trace
}

fn search_for_a_shorter_one(exploration: &Exploration, aim: Aim, length: usize) -> Option<Vec<Step>> {
    let depth = narrow::index(length);
    let bounds = Bounds { depth: Some(depth), states: Some(MAX_WORLDS), ..Bounds::default() };
    let found = exploration.only(aim)?.within(bounds).search();
    let status = found.verdicts.into_iter().next().map(|verdict| verdict.status);
    let trace = match (aim, status) {
        (Aim::Law, _) => found.law_violation?.0,
        (Aim::Claim(_), Some(Status::Violated(trace) | Status::Reachable(trace))) => trace,
        _ => return None,
    };
    trace.steps.iter().map(|said| Step::read(said)).collect()
}

impl Exploration {
    /// The finding in a world, if it is the target.
    fn met(&self, aim: Aim, start: &World, world: &World) -> Option<String> {
        match aim {
            Aim::Law => self.breaks_a_law(world).then(|| "a law is broken".to_owned()),
            Aim::Claim(claim) => {
                let (claim, ready) = &self.claims[claim];
                match claim.kind {
                    ClaimKind::Always => ready.wrong_since(Some(start), world),
                    ClaimKind::Possible => {
                        ready.wrong_since(Some(start), world).is_none().then(|| "the state is reached".to_owned())
                    }
                    ClaimKind::Forbidden | ClaimKind::Recoverable => None,
                }
            }
        }
    }

    /// Whether the target is a `possible` claim.
    fn is_wanted(&self, aim: Aim) -> bool {
        matches!(aim, Aim::Claim(claim) if self.claims[claim].0.kind == ClaimKind::Possible)
    }

    /// Adds to each trace the part of the start that it uses.
    pub(in crate::explore) fn tell_starts(&self, found: &mut ExplorationReport) {
        for (index, verdict) in found.verdicts.iter_mut().enumerate() {
            if let Status::Violated(trace) = &mut verdict.status {
                self.tell_start(Aim::Claim(index), trace);
            }
        }
        if let Some((trace, _)) = &mut found.law_violation {
            self.tell_start(Aim::Law, trace);
        }
    }

    fn tell_start(&self, aim: Aim, trace: &mut Trace) {
        let steps: Option<Vec<Step>> = trace.steps.iter().map(|said| Step::read(said)).collect();
        let Some(best) = steps.and_then(|steps| replay(self, aim, &self.start, &steps, Within::Scope)) else { return };
        if best.steps.len() == trace.steps.len() {
            let mut shorter = Shorter { exploration: self, aim, best, left: MAX_REPLAYS };
            shorter.leave_out_ids();
            if shorter.best.said() != trace.steps {
                *trace = shorter.best.into_trace();
            }
            trace.start = minimize_start(self, aim, &trace.steps);
        }
    }
}
