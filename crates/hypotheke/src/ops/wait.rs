//! wait: the clock moves, and what falls due in between happens.
//!
//! At each tick at which something falls due, and first of all at the present one, properties fall,
//! stacks change, and it tries to end all recipes that are due by then in the order of the world,
//! again and again until none ends. Then those start that start as soon as they have their inputs,
//! and it begins again until none ends or starts. So nothing can end or start until something else
//! changes, and a wait in two parts is the same as one.

use std::collections::BTreeMap;

use rustc_hash::FxHashMap;

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::world::{Event, Job};

/// How often one wait may try to end a recipe.
const MAX_LOOKS: u64 = 100_000;
/// At how many ticks of one wait something may fall: each may need classes of its own, and looks
/// through those before it.
const MAX_FALL_TICKS: u64 = 10_000;
/// How many stacks may fall in one wait, each as often as it does.
const MAX_FALLS: u64 = 1_000_000;

/// What says when a recipe is due: the tick, the order of its container, the container.
type Due = (u64, (u8, u64, u64), u32);

pub(super) fn plan(draft: &mut Draft<'_>, ticks: u32) -> Planned {
    if draft.nested_lists > 0 {
        return Err(Refusal::new(Cause::Unknown(Unknown::NotInList)));
    }
    if ticks == 0 {
        return Err(Refusal::new(Cause::BadAmount));
    }
    let start = draft.world.clock();
    let end = start.checked_add(u64::from(ticks)).ok_or(Refusal::new(Cause::Overflow))?;
    let mut coming = BTreeMap::new();
    for (due, container) in draft.world.jobs_due().take_while(|(due, _)| *due <= end) {
        let job = draft.world.job_of(container);
        coming.extend(job.map(|job| ((due.max(start), draft.order_of(container), container), job)));
    }
    if coming.len() as u64 > MAX_LOOKS {
        return Err(too_many(coming.len() as u64, MAX_LOOKS));
    }
    let mut going = Going {
        clock: start,
        coming,
        works: FxHashMap::default(),
        waiting: Vec::new(),
        looks: 0,
        fall_ticks: 0,
        falls: 0,
    };
    while let Some(next) = going.next(draft, end).filter(|&next| next <= end) {
        let earlier = draft.events().len();
        going.advance(draft, next);
        going.fall(draft)?;
        going.end_and_start(draft, earlier)?;
    }
    going.advance(draft, end);
    Ok(Done { requested: None, count: u64::from(ticks) })
}

fn too_many(due: u64, max: u64) -> Refusal {
    Refusal::new(Cause::TooManyDue { due, max })
}

struct Going {
    clock: u64,
    coming: BTreeMap<Due, Job>,
    /// Whether a container works on something, if that has changed.
    works: FxHashMap<u32, bool>,
    /// What is due and has not ended, with the order of its container.
    waiting: Vec<((u8, u64, u64), u32, Job)>,
    looks: u64,
    fall_ticks: u64,
    falls: u64,
}

impl Going {
    /// The next tick up to an end at which something falls due.
    fn next(&mut self, draft: &Draft<'_>, end: u64) -> Option<u64> {
        let falls = draft.next_fall(self.clock, end);
        self.coming.first_key_value().map(|(due, _)| due.0).into_iter().chain(falls).min()
    }

    fn advance(&mut self, draft: &mut Draft<'_>, to: u64) {
        if to > self.clock {
            draft.push(Event::Waited { before: self.clock, after: to });
            self.clock = to;
        }
        while let Some(next) = self.coming.first_entry().filter(|next| next.key().0 <= to) {
            let ((_, order, container), job) = next.remove_entry();
            self.waiting.push((order, container, job));
        }
    }

    /// Lets properties fall that do so at this tick. At the present one they have done so before.
    fn fall(&mut self, draft: &mut Draft<'_>) -> Result<(), Refusal> {
        if self.clock > draft.world.clock() {
            let fallen = draft.fall(self.clock, MAX_FALLS - self.falls).map_err(|due| too_many(due, MAX_FALLS))?;
            self.falls += fallen;
            self.fall_ticks += u64::from(fallen > 0);
            if self.fall_ticks > MAX_FALL_TICKS {
                return Err(too_many(self.fall_ticks, MAX_FALL_TICKS));
            }
        }
        Ok(())
    }

    /// Ends and starts all that can, until nothing changes: where one starts there may be room for what another makes.
    fn end_and_start(&mut self, draft: &mut Draft<'_>, mut earlier: usize) -> Result<(), Refusal> {
        loop {
            self.end_all(draft)?;
            let begin = draft.events().len();
            if !self.start_all(draft, earlier) || self.waiting.is_empty() {
                return Ok(());
            }
            earlier = begin;
        }
    }

    /// Ends all that can end now.
    fn end_all(&mut self, draft: &mut Draft<'_>) -> Result<(), Refusal> {
        self.waiting.sort_unstable_by_key(|(order, ..)| *order);
        while !self.waiting.is_empty() {
            let before = self.waiting.len();
            self.looks += before as u64;
            if self.looks > MAX_LOOKS {
                return Err(too_many(self.looks, MAX_LOOKS));
            }
            self.waiting.retain(|&(_, container, job)| {
                let ends = draft.finish_work(container, job);
                if ends {
                    self.works.insert(container, false);
                }
                !ends
            });
            if self.waiting.len() == before {
                break;
            }
        }
        Ok(())
    }

    /// Starts what can start where something has changed; false if nothing does.
    fn start_all(&mut self, draft: &mut Draft<'_>, earlier: usize) -> bool {
        let mut starts = false;
        for container in draft.stations_touched_since(earlier) {
            let worked = draft.world.job_of(container).is_some();
            if self.works.get(&container).copied().unwrap_or(worked) {
                continue;
            }
            if let Some(job) = draft.start_first_at(container, self.clock) {
                self.works.insert(container, true);
                self.coming.insert((job.due, draft.order_of(container), container), job);
                starts = true;
            }
        }
        starts
    }
}
