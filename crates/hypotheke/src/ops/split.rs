//! split: 1 to all but one of a stack go to an empty slot, or the first empty one of a container; never onto another stack.

use super::carry::Going;
use super::draft::{Draft, Onto};
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Judged};
use crate::world::Place;

pub(super) fn judge(draft: &mut Draft<'_>, count: u32, from: Place, to: Place) -> Judged {
    let spot = draft.slot(from)?;
    let target = draft.target(to)?;
    if !matches!(to, Place::Slot(..) | Place::Container(_)) {
        return Err(Refusal::new(Cause::Unknown(Unknown::Meaning)));
    }
    let cell = draft.cell(spot);
    if count == 0 || count == cell.count {
        return Err(Refusal::new(Cause::BadAmount));
    }
    if cell.is_empty() {
        return Err(Refusal::new(Cause::EmptySource(from)));
    }
    let stuck = draft.why_stuck(cell, spot, Going::To(target));
    let item = draft.item(cell);
    draft.lay_onto(Onto::OneEmpty);
    draft.be_exact(true);
    // At least one stays.
    let asked = count.min(cell.count - 1);
    let given = if stuck.is_some() { 0 } else { draft.fill(item, asked, Some(spot), target) };
    let refused = |cause| Err(Refusal::new(cause).could_have(u64::from(given)));
    if count > cell.count {
        return refused(Cause::NotEnough { at: from, asked: u64::from(count), there: u64::from(cell.count) });
    }
    if let Some(cause) = stuck {
        return refused(cause);
    }
    if given < count {
        return refused(draft.why_not(item, u64::from(count), Some(spot), target));
    }
    draft.lay_parts(item, Some(spot));
    Ok(Done { asked: Some(u64::from(count)), count: u64::from(given) })
}
