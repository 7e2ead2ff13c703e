//! create: items enter the world.

use super::carry::Going;
use super::draft::Draft;
use super::operation::Variant;
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Planned};
use crate::id::KindId;
use crate::language::{Amount, Landing};
use crate::narrow;
use crate::world::Place;

pub(super) fn plan(
    draft: &mut Draft<'_>,
    amount: Amount,
    kind: KindId,
    variant: &Variant,
    to: Place,
    landing: Landing,
) -> Planned {
    let target = draft.target(to)?;
    draft.be_exact(matches!(amount, Amount::Exactly(_)));
    let item = draft.new_item(kind, variant)?;
    let (requested, exact) = match amount {
        Amount::Exactly(count) if count > 0 => (count, true),
        Amount::UpTo(count) if count > 0 => (count, false),
        _ => return Err(Refusal::new(Cause::BadAmount)),
    };
    if target == Target::Ground {
        draft.land_at(landing)?;
    }
    let countable = max_countable(draft, item.weight);
    let whole = if exact { requested } else { 1 };
    if countable < whole {
        let could = draft.fill(item, requested.min(countable), None, target);
        return Err(Refusal::new(Cause::Overflow).up_to(u64::from(could)));
    }
    let given = draft.fill(item, requested.min(countable).min(draft.left_in_world(kind)), None, target);
    if given < whole || given < requested && draft.collects_causes() {
        let laid = std::mem::take(draft.parts());
        let count = if given < whole { whole } else { requested };
        let cause = draft.why_not(&[Portion { item, count, from: None }], Going::To(target));
        if given < whole {
            let full = Cause::NoRoom { at: to, requested: u64::from(whole), room: u64::from(given) };
            return Err(Refusal::new(cause.unwrap_or(full)).up_to(u64::from(given)));
        }
        *draft.parts() = laid;
    }
    draft.lay_parts(item, None);
    Ok(Done { requested: Some(u64::from(requested)), count: u64::from(given) })
}

/// How many more of a weight the world can hold before its weight is beyond what can be counted.
/// Since every other sum is a part of that one, no other operation can overflow.
pub(super) fn max_countable(draft: &Draft<'_>, weight: i64) -> u32 {
    if weight == 0 {
        return u32::MAX;
    }
    narrow::at_most((i64::MAX - draft.whole_weight()) / weight)
}
