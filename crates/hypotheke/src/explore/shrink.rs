//! A trail is made as short as it can be: runs of steps are left out, then single ones; at the end a bounded search looks for a shorter one.

use super::claims::ClaimKind;
use super::report::{Status, Trail};
use super::search::{Bounds, Exploration};
use super::sentence::sentence;
use super::walk::saved_and_loaded;
use super::why::why;
use crate::language::NamedOperation;
use crate::snapshot::Departures;
use crate::world::World;

/// What a trail leads to.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Aim {
    /// A world that breaks a law.
    Law,
    /// A claim, by its number, broken or reached.
    Claim(usize),
}

/// So many worlds the search at the end may see.
const MOST_WORLDS: u64 = 20_000;

/// Plays the steps from the start; those that can't be applied any more are left out. Ends where the aim is met, if it is.
struct Replay {
    steps: Vec<String>,
    before: World,
    after: World,
    message: String,
    why: Vec<String>,
}

fn replay(exploration: &Exploration, aim: Aim, steps: &[String]) -> Option<Replay> {
    let mut world = exploration.start.clone();
    let mut replay = Replay {
        steps: Vec::new(),
        before: world.clone(),
        after: world.clone(),
        message: String::new(),
        why: Vec::new(),
    };
    if let Some(message) = exploration.met(aim, &world) {
        return Some(Replay { message, ..replay });
    }
    let mut departures = Departures::new();
    for step in steps {
        if step == "save then load" {
            replay.steps.push(step.clone());
            match saved_and_loaded(&world) {
                Some(loaded) => world = loaded,
                None if aim == Aim::Law => {
                    let message = "what was written down is read back otherwise".to_owned();
                    return Some(Replay { before: world.clone(), after: world, message, ..replay });
                }
                None => return None,
            }
            continue;
        }
        let operation = step.parse::<NamedOperation>().ok();
        let operation = operation.and_then(|step| step.resolve_with(&world, &departures).ok());
        let Some(operation) = operation else { continue };
        let meant = exploration.meant(&world, &operation);
        let said = sentence(&world, &operation);
        let before = world.clone();
        if world.perform(&operation).is_err() {
            continue;
        }
        departures.extend(world.departed().iter().cloned());
        replay.steps.push(said);
        let meant = exploration.were_meant(&world, meant);
        let is_meant = matches!(aim, Aim::Claim(claim) if meant.contains(&claim));
        let met = is_meant.then(|| "the last operation is applied".to_owned()).or_else(|| exploration.met(aim, &world));
        if let Some(message) = met {
            return Some(Replay { before, why: why(&world), after: world, message, ..replay });
        }
    }
    None
}

pub(super) fn shorten(exploration: &Exploration, aim: Aim, steps: &[String]) -> Trail {
    let mut best = replay(exploration, aim, steps);
    let mut run = steps.len() / 2;
    while run > 0 {
        let mut from = 0;
        while let Some(known) = best.as_ref().filter(|known| from < known.steps.len()) {
            let to = (from + run).min(known.steps.len());
            let fewer: Vec<String> = known.steps[..from].iter().chain(&known.steps[to..]).cloned().collect();
            match replay(exploration, aim, &fewer).filter(|shorter| shorter.steps.len() < known.steps.len()) {
                Some(shorter) => best = Some(shorter),
                None => from += run,
            }
        }
        let length = best.as_ref().map_or(0, |known| known.steps.len());
        run = if run == 1 { 0 } else { (run / 2).min(length.max(2) / 2).max(1) };
    }
    let best = best.map_or_else(
        || {
            let (before, after) = (Box::new(exploration.start.clone()), Box::new(exploration.start.clone()));
            Trail {
                steps: steps.to_vec(),
                message: "it can't be played again".to_owned(),
                why: Vec::new(),
                walk: None,
                before,
                after,
            }
        },
        |known| Trail {
            steps: known.steps,
            message: known.message,
            why: known.why,
            walk: None,
            before: Box::new(known.before),
            after: Box::new(known.after),
        },
    );
    search_for_a_shorter_one(exploration, aim, best)
}

/// No trail is shorter than what a search finds that goes by breadth, as far as it goes; and where it is as long, its steps are the plainer
/// ones, each between slots.
fn search_for_a_shorter_one(exploration: &Exploration, aim: Aim, best: Trail) -> Trail {
    let depth = u32::try_from(best.steps.len()).unwrap_or(u32::MAX);
    let bounds = Bounds { depth: Some(depth), worlds: Some(MOST_WORLDS), ..Bounds::default() };
    let Some(found) = exploration.only(aim).map(|one| one.within(bounds).search()) else { return best };
    let trail = match (aim, found.verdicts.into_iter().next().map(|verdict| verdict.status), found.unlawful) {
        (Aim::Claim(_), Some(Status::Broken(trail) | Status::Reached(trail)), _) | (Aim::Law, _, Some((trail, _))) => {
            Some(trail)
        }
        _ => None,
    };
    trail.filter(|trail| trail.steps.len() <= best.steps.len()).unwrap_or(best)
}

impl Exploration {
    /// What is so of a world, if it is what was aimed at.
    fn met(&self, aim: Aim, world: &World) -> Option<String> {
        match aim {
            Aim::Law => self.breaks_a_law(world).then(|| "a law is broken".to_owned()),
            Aim::Claim(claim) => {
                let (claim, ready) = &self.claims[claim];
                match claim.kind {
                    ClaimKind::Always => ready.wrong(world),
                    ClaimKind::Possible => ready.wrong(world).is_none().then(|| "it is so".to_owned()),
                    ClaimKind::Never | ClaimKind::Recoverable => None,
                }
            }
        }
    }
}
