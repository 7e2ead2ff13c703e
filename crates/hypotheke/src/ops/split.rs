//! split: 1 to all but one of a stack go to an empty slot, or the first empty one of a container;
//! never onto another stack.

use super::carry::Going;
use super::draft::{Draft, Onto};
use super::reasons::Portion;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, count: u32, from: Place, to: Place) -> Planned {
    let spot = draft.slot(from)?;
    let target = draft.target(to)?;
    if !matches!(to, Place::Slot(..) | Place::Container(_)) {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    let cell = draft.cell(spot);
    if count == 0 || count == cell.count {
        return Err(Refusal::new(Cause::BadAmount));
    }
    if cell.is_empty() {
        return Err(Refusal::new(Cause::EmptySource { at: from, kind: None }));
    }
    let going = Going::To(target);
    let item = draft.item(cell);
    draft.lay_onto(Onto::OneEmpty);
    draft.be_exact(true);
    // At least one stays.
    let wanted = count.min(cell.count - 1);
    let given = if draft.is_stuck(cell, spot, going) { 0 } else { draft.fill(item, wanted, Some(spot), target) };
    if given == count {
        draft.lay_parts(item, Some(spot));
        return Ok(Done { requested: Some(u64::from(count)), count: u64::from(given) });
    }
    draft.parts().clear();
    let missing = Cause::NotEnough { at: from, requested: u64::from(count), there: u64::from(cell.count) };
    let missing = Some(missing).filter(|_| count > cell.count);
    draft.note_causes(missing);
    // What is not there is not looked at.
    let portion = Portion { item, count: count.min(cell.count), from: Some(spot) };
    let cause = missing.filter(|_| !draft.collects_causes()).or_else(|| draft.why_not(&[portion], going));
    let full = Cause::NoRoom { at: to, requested: u64::from(count), room: u64::from(given) };
    Err(Refusal::new(missing.or(cause).unwrap_or(full)).up_to(u64::from(given)))
}
