//! together: a list of operations that is applied as one, or not at all. Each is worked out on what those before it would
//! leave; caps and weight caps are judged once, for the world after the last.

use super::draft::Draft;
use super::operation::Operation;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Judged, judge_on};
use crate::quantity::Decimal;
use crate::world::Bearer;

/// Lists may be nested so deep.
const MOST_NESTED: u32 = 32;

pub(super) fn judge(draft: &mut Draft<'_>, steps: &[Operation]) -> Judged {
    if steps.is_empty() {
        return Err(Refusal::new(Cause::BadAmount));
    }
    if draft.nested_lists == MOST_NESTED {
        return Err(Refusal::new(Cause::Unknown(Unknown::Meaning)));
    }
    draft.nested_lists += 1;
    let mut count = 0;
    for (index, step) in steps.iter().enumerate() {
        draft.begin_step();
        // What is noted is told of the step that is refused, not of those before it.
        let _ = draft.take_noted();
        let done = judge_on(draft, step).map_err(|refusal| refusal.at_step(index))?;
        count += done.count;
    }
    draft.nested_lists -= 1;
    draft.begin_step();
    let _ = draft.take_noted();
    if draft.nested_lists == 0 {
        let over = draft.all_over_in_the_end();
        if let Some(&first) = over.first() {
            draft.note_causes(over);
            return Err(Refusal::new(first));
        }
    }
    Ok(Done { asked: None, count })
}

impl Draft<'_> {
    /// All that would be over a cap, and further over than it is: first the caps of all that bear more than before, then their
    /// weight caps.
    pub(super) fn all_over_in_the_end(&self) -> Vec<Cause> {
        let bearers = self.changed_bearers();
        let over_caps = bearers.iter().flat_map(|&bearer| self.over_caps_in_the_end(bearer));
        over_caps.chain(bearers.iter().filter_map(|&bearer| self.too_heavy_in_the_end(bearer))).collect()
    }

    fn over_caps_in_the_end(&self, bearer: Bearer) -> impl Iterator<Item = Cause> {
        self.caps_of(bearer).iter().zip(0..).filter_map(move |(cap, index)| {
            let (gain, would) = (self.capped_gain(bearer, cap.number), self.capped(bearer, cap.number));
            (gain > 0 && would > i64::from(cap.count)).then(|| Cause::Cap {
                of: self.place_of_bearer(bearer),
                cap: index,
                would: u64::try_from(would).unwrap_or(0),
                count: cap.count,
            })
        })
    }

    fn too_heavy_in_the_end(&self, bearer: Bearer) -> Option<Cause> {
        let (gain, would) = (self.weight_gain(bearer), self.weight_of(bearer));
        let cap = self.weight_cap_of(bearer);
        if gain <= 0 || would <= cap {
            return None;
        }
        let (would, cap) = (Decimal::from_thousandths(would), Decimal::from_thousandths(cap));
        Some(Cause::WeightCap { of: self.place_of_bearer(bearer), would, cap })
    }
}
