//! resize: a container gets more or fewer slots, within its bounds. What lies in slots that go is put elsewhere, where that
//! is asked for: into the slots that stay, then into the holder's other containers, then on the ground.

use super::carry::Going;
use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Judged};
use crate::world::{Event, Place, Spot};

pub(super) fn judge(draft: &mut Draft<'_>, at: Place, slots: u32, spill: bool) -> Judged {
    let container = draft.container(at)?;
    let before = draft.slots(container);
    let (least, most) = draft.slot_bounds(container);
    if slots < least || slots > most {
        return Err(Refusal::new(Cause::OutOfBounds { of: at, slots, least, most }));
    }
    let mut count = 0;
    draft.shrink_to(container, slots);
    while let Some(slot) = draft.next_stack_in(container, None, slots) {
        let spot = Spot { container, slot };
        if !spill {
            return Err(Refusal::new(Cause::NotEmpty(draft.place_of_spot(spot))));
        }
        count += spill_out(draft, spot)?;
    }
    draft.end_shrinking();
    if before != slots {
        let container = draft.container_id(container);
        draft.push(Event::Resized { container, before, after: slots });
    }
    Ok(Done { asked: None, count })
}

/// Puts a whole stack elsewhere.
fn spill_out(draft: &mut Draft<'_>, spot: Spot) -> Result<u64, Refusal> {
    let cell = draft.cell(spot);
    let item = draft.item(cell);
    let mut given = draft.fill(item, cell.count, Some(spot), Target::Container(spot.container));
    for other in draft.holder_of(spot.container).map(|holder| draft.all_targets_of(holder)).unwrap_or_default() {
        if !draft.is_within(other, spot.container) && given < cell.count {
            given += draft.fill(item, cell.count - given, Some(spot), Target::Container(other));
        }
    }
    let left = cell.count - given;
    if left > 0 {
        if let Some(kept) = draft.why_kept(cell, spot, Going::To(Target::Ground)) {
            return Err(Refusal::new(kept));
        }
        if draft.fill(item, left, Some(spot), Target::Ground) < left {
            return Err(Refusal::new(draft.why_not(item, u64::from(left), Some(spot), Target::Ground)));
        }
    }
    draft.lay_parts(item, Some(spot));
    draft.settle();
    Ok(u64::from(cell.count))
}
