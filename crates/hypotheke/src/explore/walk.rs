//! Random walks: far from the start, where no search by breadth gets. Each is judged at every step; what breaks is made short.
//!
//! A walk depends on the seed and on its own number alone, so that the same walks are walked on however many threads, and what is told is
//! the failure of the walk with the lowest number.

use std::collections::BTreeMap;
use std::num::NonZeroUsize;

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

use super::claims::ClaimKind;
use super::moves::{Moves, sentence};
use super::report::{Bound, Explored, Status, Trail, Verdict};
use super::search::Exploration;
use super::shrink::{self, Aim};
use crate::audit::Watch;
use crate::scenario::on_threads;
use crate::world::World;

/// Which walks are walked.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Walks {
    /// How many, of all shards together.
    pub count: u64,
    /// How many operations each.
    pub steps: u32,
    /// Another seed gives other walks.
    pub seed: u64,
    /// Every so many walks one is walked here, from this one on: (0, 1) walks all, (1, 8) the second of eight parts.
    pub shard: (u64, u64),
    /// On how many threads.
    pub threads: NonZeroUsize,
}

impl Default for Walks {
    fn default() -> Walks {
        Walks { count: 1_000, steps: 50, seed: 0, shard: (0, 1), threads: NonZeroUsize::MIN }
    }
}

/// So many walks lie between two looks at what stops them.
const BATCH: u64 = 256;

/// What one walk came to.
#[derive(Default)]
struct Walked {
    steps: u64,
    refused: BTreeMap<crate::Reason, u64>,
    /// The first trail to each aim.
    found: BTreeMap<Aim, Vec<String>>,
}

impl Exploration {
    /// Walks at random, and tells after each batch how many walks there were, until it is answered with what stops it.
    ///
    /// What is `always`, `never` and lawful is judged at every step, and what is `possible` looked for; what is `recoverable` takes a
    /// [search](Exploration::search).
    pub fn walk(self, walks: Walks, progress: &mut dyn FnMut(u64) -> Option<Bound>) -> Explored {
        let (first, every) = (walks.shard.0, walks.shard.1.max(1));
        let here = walks.count.saturating_sub(first).div_ceil(every);
        let (mut all, mut done, mut stopped_by) = (Walked::default(), 0, None);
        while done < here && stopped_by.is_none() {
            let batch: Vec<u64> = (done..here.min(done.saturating_add(BATCH))).map(|nth| first + nth * every).collect();
            let walked = on_threads(&batch, walks.threads, |_, &number| self.one_walk(number, walks));
            for one in walked {
                all.steps += one.steps;
                one.refused.into_iter().for_each(|(reason, count)| *all.refused.entry(reason).or_default() += count);
                one.found.into_iter().for_each(|(aim, trail)| _ = all.found.entry(aim).or_insert(trail));
            }
            done += batch.len() as u64;
            stopped_by = progress(done);
        }
        self.report_walks(all, done, stopped_by)
    }

    fn one_walk(&self, number: u64, walks: Walks) -> Walked {
        let mut world = self.start.clone();
        let mut random = Xoshiro256PlusPlus::seed_from_u64(walks.seed ^ number.wrapping_mul(0x9e37_79b9_7f4a_7c15));
        let (mut watch, mut moves, mut steps) = (Watch::new(&world), Moves::default(), Vec::new());
        let mut walked = Walked::default();
        let mut is_stuck = false;
        for _ in 0..walks.steps {
            self.look(&world, &mut watch, &steps, &mut walked);
            if is_stuck {
                break;
            }
            self.plan.enumerate(&world, &mut moves);
            is_stuck = true;
            while !moves.list.is_empty() {
                let at = usize::try_from(random.next_u64() % moves.list.len() as u64).unwrap_or(0);
                let operation = moves.list.swap_remove(at);
                let never = self.meant(&world, &operation);
                let said = sentence(&world, &operation);
                match world.perform(&operation) {
                    Ok(_) => {
                        steps.push(said);
                        walked.steps += 1;
                        for claim in never {
                            walked.found.entry(Aim::Claim(claim)).or_insert_with(|| steps.clone());
                        }
                        is_stuck = false;
                        break;
                    }
                    Err(refusal) => *walked.refused.entry(refusal.reason()).or_default() += 1,
                }
            }
        }
        self.look(&world, &mut watch, &steps, &mut walked);
        walked
    }

    /// Judges the world that a walk has come to.
    fn look(&self, world: &World, watch: &mut Watch, steps: &[String], walked: &mut Walked) {
        if !walked.found.contains_key(&Aim::Law) && !watch.keeps_the_laws(world) && self.breaks_a_law(world) {
            walked.found.insert(Aim::Law, steps.to_vec());
        }
        for (index, (claim, ready)) in self.claims.iter().enumerate() {
            let aim = Aim::Claim(index);
            let is_found = match claim.kind {
                _ if walked.found.contains_key(&aim) => false,
                ClaimKind::Always => ready.wrong(world).is_some(),
                ClaimKind::Possible => ready.wrong(world).is_none(),
                ClaimKind::Never | ClaimKind::Recoverable => false,
            };
            if is_found {
                walked.found.insert(aim, steps.to_vec());
            }
        }
    }

    fn report_walks(self, all: Walked, walks: u64, stopped_by: Option<Bound>) -> Explored {
        let mut trails: BTreeMap<Aim, Trail> = BTreeMap::new();
        for (aim, steps) in &all.found {
            trails.insert(*aim, shrink::shorten(&self, *aim, steps));
        }
        let verdicts = self.claims.iter().enumerate().map(|(index, (claim, _))| {
            let trail = trails.remove(&Aim::Claim(index));
            let status = match (claim.kind, trail) {
                (ClaimKind::Possible, Some(trail)) => Status::Reached(trail),
                (_, Some(trail)) => Status::Broken(trail),
                (ClaimKind::Possible | ClaimKind::Recoverable, None) => Status::Undecided,
                (_, None) => Status::HoldsSoFar,
            };
            Verdict { claim: claim.clone(), status }
        });
        let verdicts = verdicts.collect();
        let unlawful = trails.remove(&Aim::Law).map(|trail| {
            let violations = crate::audit(trail.after.rules(), &trail.after.snapshot());
            (trail, violations)
        });
        Explored {
            verdicts,
            unlawful,
            worlds: all.steps + walks,
            applied: all.steps,
            refused: all.refused,
            by_depth: Vec::new(),
            stopped_by,
            exhausted: false,
            walks: Some(walks),
            memory: 0,
            symmetric: 0,
        }
    }
}
