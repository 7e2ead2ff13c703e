//! swap: two slots exchange all that lies there. One of them may be empty. Alike stacks are exchanged, not merged.

use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::{Done, Judged};
use crate::id::KindId;
use crate::quantity::Decimal;
use crate::world::{Cell, Place, Spot};

pub(super) fn judge(draft: &mut Draft<'_>, one: Place, other: Place) -> Judged {
    let (here, there) = (draft.slot(one)?, draft.slot(other)?);
    let (mine, yours) = (draft.cell(here), draft.cell(there));
    if mine.is_empty() && yours.is_empty() {
        return Err(Refusal::new(Cause::EmptySource(one)));
    }
    if here != there {
        let ways = [Way { cell: mine, from: here, to: there }, Way { cell: yours, from: there, to: here }];
        check_filters(draft, ways)?;
        check_weights(draft, ways)?;
        check_limits(draft, ways)?;
        draft.exchange(here, there);
    }
    Ok(Done { asked: None, count: if here == there { 0 } else { u64::from(mine.count) + u64::from(yours.count) } })
}

/// What goes one way.
#[derive(Clone, Copy)]
struct Way {
    cell: Cell,
    from: Spot,
    to: Spot,
}

fn check_filters(draft: &Draft<'_>, ways: [Way; 2]) -> Result<(), Refusal> {
    for Way { cell, from, to } in ways.into_iter().filter(|way| !way.cell.is_empty()) {
        let item = draft.item(cell);
        let id = draft.world.container_id(to.container);
        let kind = KindId(cell.kind);
        if from.container != to.container && !draft.admits(draft.world.def_of(to.container).admits, item) {
            return Err(Refusal::new(Cause::NotAdmitted { by: Place::Container(id), kind }));
        }
        if !draft.slot_admits(item, to) {
            return Err(Refusal::new(Cause::NotAdmitted { by: Place::Slot(id, to.slot), kind }));
        }
    }
    Ok(())
}

/// Each cap is judged by what it would bear after both ways.
fn check_weights(draft: &Draft<'_>, ways: [Way; 2]) -> Result<(), Refusal> {
    let world = draft.world;
    let [one, other] = ways;
    if one.from.container == one.to.container {
        return Ok(());
    }
    let difference = world.cell_weight(other.cell) - world.cell_weight(one.cell);
    // Each container, then its holder, as seen from the slot that is named second: that is where the first stack goes.
    for (container, gain) in [(one.to.container, -difference), (other.to.container, difference)] {
        let (_, cap) = world.weight_and_cap(container);
        too_heavy(Place::Container(world.container_id(container)), draft.weight_of(container), gain, cap)?;
        let holder = world.holder_of(container);
        if let Some(holder) = holder.filter(|_| world.holder_of(one.from.container) != world.holder_of(one.to.container)) {
            let (_, cap) = world.holder_weight_and_cap(holder);
            too_heavy(Place::Holder(world.holder_id(holder)), draft.weight_of_holder(holder), gain, cap)?;
        }
    }
    Ok(())
}

fn too_heavy(of: Place, weight: i64, gain: i64, cap: i64) -> Result<(), Refusal> {
    let would = weight.saturating_add(gain);
    if gain <= 0 || would <= cap {
        return Ok(());
    }
    let (would, cap) = (Decimal::from_thousandths(would), Decimal::from_thousandths(cap));
    Err(Refusal::new(Cause::WeightCap { of, would, cap }))
}

/// A stack that is over its limit already may go where it is no further over.
fn check_limits(draft: &Draft<'_>, ways: [Way; 2]) -> Result<(), Refusal> {
    for Way { cell, from, to } in ways.into_iter().filter(|way| !way.cell.is_empty()) {
        let limit = draft.world.limit(to, cell.kind);
        let excess = cell.count.saturating_sub(draft.world.limit(from, cell.kind));
        if cell.count.saturating_sub(limit) > excess {
            let at = Place::Slot(draft.world.container_id(to.container), to.slot);
            return Err(Refusal::new(Cause::StackLimit { at, would: u64::from(cell.count), limit }));
        }
    }
    Ok(())
}
