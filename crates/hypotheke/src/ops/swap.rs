//! swap: two slots exchange their full contents. One may be empty. Stacks of the same item are
//! swapped, not merged.

use super::carry::Going;
use super::draft::Draft;
use super::limits::may_lie_whole;
use super::reasons::Found;
use super::refusal::{Cause, Reason, Refusal};
use super::target::Target;
use super::{Done, Planned};
use crate::world::{Cell, Place, Spot};

pub(super) fn plan(draft: &mut Draft<'_>, one: Place, other: Place) -> Planned {
    let (here, there) = (draft.slot(one)?, draft.slot(other)?);
    plan_spots(draft, here, there, one)
}

/// `named` is where the fault is found if both are empty.
pub(super) fn plan_spots(draft: &mut Draft<'_>, here: Spot, there: Spot, named: Place) -> Planned {
    let (mine, yours) = (draft.cell(here), draft.cell(there));
    if mine.is_empty() && yours.is_empty() {
        return Err(Refusal::new(Cause::EmptySource { at: named, kind: None }));
    }
    if here == there {
        return Ok(Done { requested: None, count: 0 });
    }
    let sides = [Side { cell: mine, from: here, to: there }, Side { cell: yours, from: there, to: here }];
    draft.be_exact(true);
    let mut found = Found::new(draft);
    check(draft, &sides, &mut found).and_then(|()| found.end(draft))?;
    draft.exchange(here, there);
    Ok(Done { requested: None, count: u64::from(mine.count) + u64::from(yours.count) })
}

/// Each check of both sides, before the next one is made.
fn check(draft: &Draft<'_>, sides: &[Side; 2], found: &mut Found) -> Result<(), Refusal> {
    let full = || sides.iter().filter(|side| !side.cell.is_empty());
    let across = sides[0].from.container != sides[0].to.container;
    let plain = sides.iter().all(|side| draft.is_plain_border(side.from.container) && !side.cell.is_pack());
    let has_slot_borders = sides.iter().any(|side| draft.state(side.from.container).has_slot_borders);
    if (across || has_slot_borders) && !plain {
        found.note(full().filter_map(|side| draft.why_kept(side.cell, side.from, side.going())))?;
        found.note(full().flat_map(|side| draft.all_not_taken(side.from, side.going())))?;
        found.note(full().flat_map(|side| draft.all_not_put(Some(side.from), side.to.into())))?;
    }
    found.note(full().flat_map(|side| not_admitted(draft, side)))?;
    if across && !plain {
        let nested =
            full().filter_map(|side| draft.why_not_nested(draft.item(side.cell), Some(side.from), side.to.container));
        let mut nested: Vec<Cause> = nested.collect();
        nested.sort_by_key(Cause::reason);
        found.note(nested)?;
    }
    for (side, back) in [(&sides[0], &sides[1]), (&sides[1], &sides[0])] {
        let blocked =
            !side.cell.is_empty() && draft.is_blocked_after_exchange(side.cell, side.to, side.from, back.cell);
        found.note(blocked.then(|| Cause::BlockedSlot(draft.place_of_spot(side.to))))?;
    }
    // What a pack inside itself would weigh can't be said.
    if found.has(Reason::InsideItself) {
        return Ok(());
    }
    if across && !draft.checks_caps_later() {
        check_bearers(draft, sides, found)?;
    }
    found.note(full().filter_map(|side| why_over_limit(draft, side)))
}

/// What moves in one direction; the cell may be empty.
struct Side {
    cell: Cell,
    from: Spot,
    to: Spot,
}

impl Side {
    fn going(&self) -> Going {
        Going::To(Target::Slot(self.to))
    }
}

/// By the filter of a container, and by that of the slot.
#[inline]
fn not_admitted(draft: &Draft<'_>, side: &Side) -> impl Iterator<Item = Cause> {
    let (item, kind) = (draft.item(side.cell), draft.world.rules.kind_id(side.cell.kind));
    let refusing = draft.all_not_admitting(item, Some(side.from), side.to.container);
    let by_container = refusing.map(move |at| Cause::NotAdmitted { by: draft.container_place(at), kind });
    let by_slot =
        (!draft.slot_admits(item, side.to)).then(|| Cause::NotAdmitted { by: draft.place_of_spot(side.to), kind });
    by_container.chain(by_slot)
}

/// Each cap and each weight cap is checked for the world after both sides: first at the target of
/// the first stack.
#[inline]
fn check_bearers(draft: &Draft<'_>, [one, other]: &[Side; 2], found: &mut Found) -> Result<(), Refusal> {
    let gains = [(one, other), (other, one)];
    let counted =
        |cell: Cell, number| if cell.is_empty() { 0 } else { draft.counted(draft.item(cell), cell.count, number) };
    if !draft.world.rules.cap_filters.is_empty() {
        for (side, back) in gains {
            for bearer in draft.new_bearers(Some(side.from.container), side.to.container) {
                let gain = |number| i128::from(counted(side.cell, number) - counted(back.cell, number));
                found.note(draft.over_caps(bearer, gain))?;
            }
        }
    }
    for (side, back) in gains {
        let gain = draft.cell_weight(side.cell) - draft.cell_weight(back.cell);
        if gain > 0 {
            let bearers = draft.new_bearers(Some(side.from.container), side.to.container);
            found.note(bearers.into_iter().filter_map(|bearer| draft.too_heavy(bearer, i128::from(gain))))?;
        }
    }
    Ok(())
}

/// A stack that is over its limit already may go where it is no further over.
#[inline]
fn why_over_limit(draft: &Draft<'_>, Side { cell, from, to }: &Side) -> Option<Cause> {
    let limit = draft.limit(*to, cell.kind);
    if may_lie_whole(cell.count, limit, draft.limit(*from, cell.kind)) {
        return None;
    }
    let (at, kind) = (draft.place_of_spot(*to), draft.world.rules.kind_id(cell.kind));
    Some(Cause::StackLimit { at, would: u64::from(cell.count), limit, kind })
}
