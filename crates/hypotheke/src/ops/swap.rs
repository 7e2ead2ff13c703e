//! swap: two slots exchange all that lies there, with what lies in it. One of them may be empty. Alike stacks are
//! exchanged, not merged.

use super::carry::Going;
use super::draft::Draft;
use super::limits::may_lie_whole;
use super::reasons::Found;
use super::refusal::{Cause, Reason, Refusal};
use super::target::Target;
use super::{Done, Judged};
use crate::world::{Cell, Place, Spot};

pub(super) fn judge(draft: &mut Draft<'_>, one: Place, other: Place) -> Judged {
    let (here, there) = (draft.slot(one)?, draft.slot(other)?);
    judge_spots(draft, here, there, one)
}

/// `named` is where the fault is found if both are empty.
pub(super) fn judge_spots(draft: &mut Draft<'_>, here: Spot, there: Spot, named: Place) -> Judged {
    let (mine, yours) = (draft.cell(here), draft.cell(there));
    if mine.is_empty() && yours.is_empty() {
        return Err(Refusal::new(Cause::EmptySource(named)));
    }
    if here == there {
        return Ok(Done { asked: None, count: 0 });
    }
    let ways = [Way { cell: mine, from: here, to: there }, Way { cell: yours, from: there, to: here }];
    draft.be_exact(true);
    let mut found = Found::new(draft);
    check(draft, &ways, &mut found).and_then(|()| found.end(draft))?;
    draft.exchange(here, there);
    Ok(Done { asked: None, count: u64::from(mine.count) + u64::from(yours.count) })
}

/// Each check of both sides, before the next one is made.
fn check(draft: &Draft<'_>, ways: &[Way; 2], found: &mut Found) -> Result<(), Refusal> {
    let full = || ways.iter().filter(|way| !way.cell.is_empty());
    let across = ways[0].from.container != ways[0].to.container;
    let plain = ways.iter().all(|way| draft.is_plain_border(way.from.container) && !way.cell.is_pack());
    if across && !plain {
        found.note(full().filter_map(|way| draft.why_kept(way.cell, way.from, way.going())))?;
        found.note(full().flat_map(|way| draft.all_not_taken(way.from, way.going())))?;
        found.note(full().flat_map(|way| draft.all_not_put_into(way.from, way.to.container)))?;
    }
    found.note(full().flat_map(|way| not_admitted(draft, way)))?;
    if across && !plain {
        let nested =
            full().filter_map(|way| draft.why_not_nested(draft.item(way.cell), Some(way.from), way.to.container));
        let mut nested: Vec<Cause> = nested.collect();
        nested.sort_by_key(Cause::reason);
        found.note(nested)?;
    }
    for (way, back) in [(&ways[0], &ways[1]), (&ways[1], &ways[0])] {
        let blocked = !way.cell.is_empty() && draft.is_blocked_after_exchange(way.cell, way.to, way.from, back.cell);
        found.note(blocked.then(|| Cause::BlockedSlot(draft.place_of_spot(way.to))))?;
    }
    // What a pack inside itself would weigh can't be said.
    if found.has(Reason::InsideItself) {
        return Ok(());
    }
    if across && !draft.judges_caps_later() {
        check_bearers(draft, ways, found)?;
    }
    found.note(full().filter_map(|way| why_over_limit(draft, way)))
}

/// What goes one way; the cell may be empty.
struct Way {
    cell: Cell,
    from: Spot,
    to: Spot,
}

impl Way {
    fn going(&self) -> Going {
        Going::To(Target::Slot(self.to))
    }
}

/// By the filter of a container, and by that of the slot.
#[inline]
fn not_admitted(draft: &Draft<'_>, way: &Way) -> impl Iterator<Item = Cause> {
    let (item, kind) = (draft.item(way.cell), draft.world.rules.kind_id(way.cell.kind));
    let refusing = draft.all_not_admitting(item, Some(way.from), way.to.container);
    let by_container = refusing.map(move |at| Cause::NotAdmitted { by: draft.container_place(at), kind });
    let by_slot =
        (!draft.slot_admits(item, way.to)).then(|| Cause::NotAdmitted { by: draft.place_of_spot(way.to), kind });
    by_container.chain(by_slot)
}

/// Each cap and each weight cap is judged by what it would bear after both ways: first where the first stack goes.
#[inline]
fn check_bearers(draft: &Draft<'_>, [one, other]: &[Way; 2], found: &mut Found) -> Result<(), Refusal> {
    let gains = [(one, other), (other, one)];
    let counted =
        |cell: Cell, number| if cell.is_empty() { 0 } else { draft.counted(draft.item(cell), cell.count, number) };
    if !draft.world.rules.cap_filters.is_empty() {
        for (way, back) in gains {
            for bearer in draft.new_bearers(Some(way.from.container), way.to.container) {
                let gain = |number| i128::from(counted(way.cell, number) - counted(back.cell, number));
                found.note(draft.over_caps(bearer, gain))?;
            }
        }
    }
    for (way, back) in gains {
        let gain = draft.cell_weight(way.cell) - draft.cell_weight(back.cell);
        if gain > 0 {
            let bearers = draft.new_bearers(Some(way.from.container), way.to.container);
            found.note(bearers.into_iter().filter_map(|bearer| draft.too_heavy(bearer, i128::from(gain))))?;
        }
    }
    Ok(())
}

/// A stack that is over its limit already may go where it is no further over.
#[inline]
fn why_over_limit(draft: &Draft<'_>, Way { cell, from, to }: &Way) -> Option<Cause> {
    let limit = draft.limit(*to, cell.kind);
    if may_lie_whole(cell.count, limit, draft.limit(*from, cell.kind)) {
        return None;
    }
    let (at, kind) = (draft.place_of_spot(*to), draft.world.rules.kind_id(cell.kind));
    Some(Cause::StackLimit { at, would: u64::from(cell.count), limit, kind })
}
