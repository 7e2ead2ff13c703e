//! swap: two slots exchange all that lies there, with what lies in it. One of them may be empty. Alike stacks are
//! exchanged, not merged.

use super::carry::Going;
use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Judged};
use crate::id::KindId;
use crate::quantity::Decimal;
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
    let full = || ways.iter().filter(|way| !way.cell.is_empty());
    let across = here.container != there.container;
    let plain = ways.iter().all(|way| draft.is_plain_border(way.from.container) && !way.cell.is_pack());
    if across && !plain {
        first_of(full().map(|way| draft.why_kept(way.cell, way.from, way.going())))?;
        first_of(full().map(|way| draft.why_not_taken(way.from, way.going())))?;
        first_of(full().map(|way| draft.why_not_put_into(way.from, way.to.container)))?;
    }
    first_of(full().map(|way| why_not_admitted(draft, way)))?;
    if across && !plain {
        first_of(full().map(|way| draft.why_not_nested(draft.item(way.cell), Some(way.from), way.to.container)))?;
    }
    for (way, back) in [(&ways[0], &ways[1]), (&ways[1], &ways[0])] {
        if !way.cell.is_empty() && draft.is_blocked_after_exchange(way.cell, way.to, way.from, back.cell) {
            return Err(Refusal::new(Cause::BlockedSlot(draft.place_of_spot(way.to))));
        }
    }
    draft.be_exact(true);
    if across && !draft.judges_caps_later() {
        check_bearers(draft, &ways)?;
    }
    first_of(full().map(|way| why_over_limit(draft, way)))?;
    draft.exchange(here, there);
    Ok(Done { asked: None, count: u64::from(mine.count) + u64::from(yours.count) })
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

#[inline]
fn first_of(mut causes: impl Iterator<Item = Option<Cause>>) -> Result<(), Refusal> {
    match causes.find_map(|cause| cause) {
        Some(cause) => Err(Refusal::new(cause)),
        None => Ok(()),
    }
}

#[inline]
fn why_not_admitted(draft: &Draft<'_>, way: &Way) -> Option<Cause> {
    let (item, kind) = (draft.item(way.cell), KindId(way.cell.kind));
    let entering = way.from.container != way.to.container;
    if let Some(refusing) = if entering { draft.not_admitting(item, Some(way.from), way.to.container) } else { None } {
        return Some(Cause::NotAdmitted { by: Place::Container(draft.container_id(refusing)), kind });
    }
    (!draft.slot_admits(item, way.to)).then(|| Cause::NotAdmitted { by: draft.place_of_spot(way.to), kind })
}

/// Each cap and each weight cap is judged by what it would bear after both ways: first where the first stack goes.
#[inline]
fn check_bearers(draft: &Draft<'_>, [one, other]: &[Way; 2]) -> Result<(), Refusal> {
    let gains = [(one, other), (other, one)];
    if !draft.world.rules.cap_filters.is_empty() {
        first_of(gains.iter().map(|(way, back)| why_over_cap(draft, way, back)))?;
    }
    first_of(gains.iter().map(|(way, back)| why_too_heavy(draft, way, back)))
}

fn why_over_cap(draft: &Draft<'_>, way: &Way, back: &Way) -> Option<Cause> {
    let counted =
        |cell: Cell, number| if cell.is_empty() { 0 } else { draft.counted(draft.item(cell), cell.count, number) };
    for bearer in draft.new_bearers(Some(way.from.container), way.to.container) {
        for (index, cap) in draft.caps_of(bearer).iter().enumerate() {
            let gain = counted(way.cell, cap.number) - counted(back.cell, cap.number);
            let would = draft.capped(bearer, cap.number) + gain;
            if gain > 0 && would > i64::from(cap.count) {
                let (number, would) = (u32::try_from(index).unwrap_or(u32::MAX), u64::try_from(would).unwrap_or(0));
                return Some(Cause::Cap { of: draft.place_of_bearer(bearer), cap: number, would, count: cap.count });
            }
        }
    }
    None
}

fn why_too_heavy(draft: &Draft<'_>, way: &Way, back: &Way) -> Option<Cause> {
    let gain = draft.cell_weight(way.cell) - draft.cell_weight(back.cell);
    if gain <= 0 {
        return None;
    }
    for bearer in draft.new_bearers(Some(way.from.container), way.to.container) {
        let cap = draft.weight_cap_of(bearer);
        let would = draft.weight_of(bearer).saturating_add(gain);
        if would > cap {
            let (would, cap) = (Decimal::from_thousandths(would), Decimal::from_thousandths(cap));
            return Some(Cause::WeightCap { of: draft.place_of_bearer(bearer), would, cap });
        }
    }
    None
}

/// A stack that is over its limit already may go where it is no further over.
#[inline]
fn why_over_limit(draft: &Draft<'_>, Way { cell, from, to }: &Way) -> Option<Cause> {
    let limit = draft.limit(*to, cell.kind);
    if cell.count <= limit {
        return None;
    }
    let excess = cell.count.saturating_sub(draft.limit(*from, cell.kind));
    let at = draft.place_of_spot(*to);
    (cell.count - limit > excess).then_some(Cause::StackLimit { at, would: u64::from(cell.count), limit })
}
