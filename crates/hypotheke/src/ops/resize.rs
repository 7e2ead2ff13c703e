//! resize: changes the number of slots of a container within its bounds. With spill, the contents
//! of removed slots move to the remaining slots, the holder's other containers, then the ground.

use super::allowed::Point;
use super::carry::Going;
use super::draft::Draft;
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Planned};
use crate::world::{Event, Place, Spot};

pub(super) fn plan(draft: &mut Draft<'_>, at: Place, slots: u32, spill: bool) -> Planned {
    let container = draft.container(at)?;
    let before = draft.slots(container);
    let (min, max) = draft.slot_bounds(container);
    if slots < min || slots > max {
        return Err(Refusal::new(Cause::OutOfBounds { of: at, slots, min, max }));
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
    Ok(Done { requested: None, count })
}

/// Puts a whole stack elsewhere.
fn spill_out(draft: &mut Draft<'_>, spot: Spot) -> Result<u64, Refusal> {
    let cell = draft.cell(spot);
    let item = draft.item(cell);
    let mut given = draft.fill(item, cell.count, Some(spot), Target::Container(spot.container));
    for other in draft.holder_of(spot.container).map(|holder| draft.all_targets_of(holder)).unwrap_or_default() {
        let may_leave = draft.why_not_leaving(spot.into(), Some(Point::whole(other))).is_none();
        if may_leave && !draft.is_within(other, spot.container) && given < cell.count {
            given += draft.fill(item, cell.count - given, Some(spot), Target::Container(other));
        }
    }
    let count = cell.count - given;
    if count > 0 {
        if let Some(cause) = draft.why_not_leaving(spot.into(), None) {
            draft.parts().clear();
            return Err(Refusal::new(cause));
        }
        let to_ground = Going::To(Target::Ground);
        let kept = draft.why_kept(cell, spot, to_ground).is_some();
        if kept || draft.fill(item, count, Some(spot), Target::Ground) < count {
            draft.parts().clear();
            let cause = draft.why_not(&[Portion { item, count, from: Some(spot) }], to_ground);
            return Err(Refusal::new(cause.unwrap_or(Cause::NotEmpty(draft.place_of_spot(spot)))));
        }
    }
    draft.lay_parts(item, Some(spot));
    draft.settle();
    Ok(u64::from(cell.count))
}
