//! swap: two slots exchange all that lies there. One of them may be empty. Alike stacks are exchanged, not merged.

use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::{Done, Judged};
use crate::id::KindId;
use crate::quantity::Decimal;
use crate::world::{Bearer, Cell, Place, Spot};

pub(super) fn judge(draft: &mut Draft<'_>, one: Place, other: Place) -> Judged {
    let (here, there) = (draft.slot(one)?, draft.slot(other)?);
    let (mine, yours) = (draft.cell(here), draft.cell(there));
    if mine.is_empty() && yours.is_empty() {
        return Err(Refusal::new(Cause::EmptySource(one)));
    }
    if here == there {
        return Ok(Done { asked: None, count: 0 });
    }
    let ways = [Way { cell: mine, from: here, to: there }, Way { cell: yours, from: there, to: here }];
    if here.container != there.container {
        let world = draft.world;
        let open = |container| world.may_put_and_take(container) == (true, true);
        if !open(here.container) || !open(there.container) {
            ways.iter().try_for_each(|way| check_border(draft, way, Border::Take))?;
            ways.iter().try_for_each(|way| check_border(draft, way, Border::Put))?;
        }
    }
    ways.iter().try_for_each(|way| check_filters(draft, way))?;
    if here.container != there.container {
        if draft.world.counts_for_caps(here.container) || draft.world.counts_for_caps(there.container) {
            check_caps(draft, &ways)?;
        }
        check_weights(draft, &ways)?;
    }
    ways.iter().try_for_each(|way| check_limit(draft, way))?;
    draft.exchange(here, there);
    Ok(Done { asked: None, count: u64::from(mine.count) + u64::from(yours.count) })
}

/// What goes one way; the cell may be empty.
struct Way {
    cell: Cell,
    from: Spot,
    to: Spot,
}

#[inline]
fn check_filters(draft: &Draft<'_>, way: &Way) -> Result<(), Refusal> {
    if way.cell.is_empty() {
        return Ok(());
    }
    let (item, to) = (draft.item(way.cell), way.to);
    let by = if way.from.container != to.container && !draft.admits(draft.world.filter_of(to.container), item) {
        Place::Container(draft.world.container_id(to.container))
    } else if !draft.slot_admits(item, to) {
        Place::Slot(draft.world.container_id(to.container), to.slot)
    } else {
        return Ok(());
    };
    Err(Refusal::new(Cause::NotAdmitted { by, kind: KindId(item.kind) }))
}

#[derive(Clone, Copy)]
enum Border {
    Take,
    Put,
}

fn check_border(draft: &Draft<'_>, way: &Way, border: Border) -> Result<(), Refusal> {
    let world = draft.world;
    let place = |container| Place::Container(world.container_id(container));
    match border {
        _ if way.cell.is_empty() => Ok(()),
        Border::Take if !world.may_put_and_take(way.from.container).1 => {
            Err(Refusal::new(Cause::NoTake(place(way.from.container))))
        }
        Border::Put if !world.may_put_and_take(way.to.container).0 => {
            Err(Refusal::new(Cause::NoPut(place(way.to.container))))
        }
        _ => Ok(()),
    }
}

/// Each cap by filter is judged by how many it would have after both ways.
fn check_caps(draft: &Draft<'_>, [one, other]: &[Way; 2]) -> Result<(), Refusal> {
    let world = draft.world;
    let holders = [world.holder_of(one.to.container), world.holder_of(other.to.container)];
    for (way, back, holder) in [(one, other, holders[0]), (other, one, holders[1])] {
        let container = way.to.container;
        let own = Some((Bearer::Container(container), Place::Container(world.container_id(container))));
        let holder = holder.filter(|_| holders[0] != holders[1]);
        let held = holder.map(|holder| (Bearer::Holder(holder), Place::Holder(world.holder_id(holder))));
        for (bearer, of) in [own, held].into_iter().flatten() {
            for (index, cap) in world.caps_of(bearer).0.iter().enumerate() {
                let counted = |cell: Cell| {
                    if cell.is_empty() || !draft.admits(Some(cap.of), draft.item(cell)) {
                        0
                    } else {
                        i64::from(cell.count)
                    }
                };
                let gain = counted(way.cell) - counted(back.cell);
                let would = draft.cap_count(bearer, index) + gain;
                if gain > 0 && would > i64::from(cap.count) {
                    let (cap_number, would) =
                        (u32::try_from(index).unwrap_or(u32::MAX), u64::try_from(would).unwrap_or(0));
                    return Err(Refusal::new(Cause::Cap { of, cap: cap_number, would, count: cap.count }));
                }
            }
        }
    }
    Ok(())
}

/// Each cap is judged by what it would bear after both ways: first where the first stack goes, container then holder.
fn check_weights(draft: &Draft<'_>, [one, other]: &[Way; 2]) -> Result<(), Refusal> {
    let world = draft.world;
    let difference = world.cell_weight(one.cell) - world.cell_weight(other.cell);
    let holders = [world.holder_of(one.to.container), world.holder_of(other.to.container)];
    for (container, holder, gain) in
        [(one.to.container, holders[0], difference), (other.to.container, holders[1], -difference)]
    {
        let (_, cap) = world.weight_and_cap(container);
        let container_id = || Place::Container(world.container_id(container));
        too_heavy(container_id, draft.weight_of(container), gain, cap)?;
        if let Some(holder) = holder.filter(|_| holders[0] != holders[1]) {
            let (_, cap) = world.holder_weight_and_cap(holder);
            too_heavy(|| Place::Holder(world.holder_id(holder)), draft.weight_of_holder(holder), gain, cap)?;
        }
    }
    Ok(())
}

fn too_heavy(of: impl Fn() -> Place, weight: i64, gain: i64, cap: i64) -> Result<(), Refusal> {
    let would = weight.saturating_add(gain);
    if gain <= 0 || would <= cap {
        return Ok(());
    }
    let (would, cap) = (Decimal::from_thousandths(would), Decimal::from_thousandths(cap));
    Err(Refusal::new(Cause::WeightCap { of: of(), would, cap }))
}

/// A stack that is over its limit already may go where it is no further over.
#[inline]
fn check_limit(draft: &Draft<'_>, Way { cell, from, to }: &Way) -> Result<(), Refusal> {
    if cell.is_empty() {
        return Ok(());
    }
    let limit = draft.world.limit(*to, cell.kind);
    if cell.count <= limit {
        return Ok(());
    }
    let excess = cell.count.saturating_sub(draft.world.limit(*from, cell.kind));
    if cell.count - limit <= excess {
        return Ok(());
    }
    let at = Place::Slot(draft.world.container_id(to.container), to.slot);
    Err(Refusal::new(Cause::StackLimit { at, would: u64::from(cell.count), limit }))
}
