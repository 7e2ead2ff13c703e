//! wait: the clock moves, and what falls due in between happens.
//!
//! At each tick at which something falls due, and first of all at the present one, it tries all that
//! is due by then in the order of the world, again and again until nothing more ends. So nothing
//! can end until something else changes, and a wait in two parts is the same as one.

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::world::{Event, Job};

/// How often one wait may try to end a recipe.
const MAX_LOOKS: u64 = 100_000;

pub(super) fn plan(draft: &mut Draft<'_>, ticks: u32) -> Planned {
    if draft.nested_lists > 0 {
        return Err(Refusal::new(Cause::Unknown(Unknown::NotInList)));
    }
    if ticks == 0 {
        return Err(Refusal::new(Cause::BadAmount));
    }
    let start = draft.world.clock();
    let end = start.checked_add(u64::from(ticks)).ok_or(Refusal::new(Cause::Overflow))?;
    let mut coming = Vec::new();
    for (due, container) in draft.world.jobs_due().take_while(|(due, _)| *due <= end) {
        let job = draft.world.job_of(container);
        coming.extend(job.map(|job| (due.max(start), draft.order_of(container), container, job)));
    }
    if coming.len() as u64 > MAX_LOOKS {
        return Err(Refusal::new(Cause::TooManyDue { due: coming.len() as u64, max: MAX_LOOKS }));
    }
    // In order of time, so that those of one tick are next to each other.
    coming.sort_unstable_by_key(|(due, order, ..)| (*due, *order));
    let mut going = Going { clock: start, waiting: Vec::new(), looks: 0 };
    let mut coming = coming.into_iter().peekable();
    while let Some((due, order, container, job)) = coming.next() {
        going.waiting.push((order, container, job));
        if coming.peek().is_none_or(|next| next.0 > due) {
            going.advance(draft, due);
            going.end_all(draft)?;
        }
    }
    going.advance(draft, end);
    Ok(Done { requested: None, count: u64::from(ticks) })
}

struct Going {
    clock: u64,
    /// What is due and has not ended, with the order of its container.
    waiting: Vec<((u8, u64, u64), u32, Job)>,
    looks: u64,
}

impl Going {
    fn advance(&mut self, draft: &mut Draft<'_>, to: u64) {
        if to > self.clock {
            draft.push(Event::Waited { before: self.clock, after: to });
            self.clock = to;
        }
    }

    /// Ends all that can end now.
    fn end_all(&mut self, draft: &mut Draft<'_>) -> Result<(), Refusal> {
        self.waiting.sort_unstable_by_key(|(order, ..)| *order);
        loop {
            let before = self.waiting.len();
            self.looks += before as u64;
            if self.looks > MAX_LOOKS {
                return Err(Refusal::new(Cause::TooManyDue { due: self.looks, max: MAX_LOOKS }));
            }
            self.waiting.retain(|&(_, container, job)| !draft.finish_work(container, job));
            if self.waiting.len() == before || self.waiting.is_empty() {
                return Ok(());
            }
        }
    }
}
