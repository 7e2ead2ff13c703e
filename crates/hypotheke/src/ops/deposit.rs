//! deposit: each stack of a holder's own containers whose kind is in the target already moves
//! there, as many items as fit. The hand, worn items, the contents of packs and protected items
//! stay.

use super::allowed::Point;
use super::carry::{Going, lay};
use super::draft::Draft;
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Planned};
use crate::id::HolderId;
use crate::world::{Cell, Place, Spot};

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, into: Place) -> Planned {
    let holder = draft.acting(actor)?;
    let target = draft.container(into)?;
    let going = Going::To(Target::Container(target));
    let stacks = matching(draft, holder.index, target, going);
    let Some(&(first, cell)) = stacks.first() else {
        return Err(Refusal::new(Cause::NothingToDeposit { holder, into }));
    };
    draft.be_exact(false);
    let mut count = 0;
    for &(spot, cell) in &stacks {
        draft.settle();
        count += u64::from(lay(draft, cell, spot, cell.count, going));
    }
    if count > 0 {
        return Ok(Done { requested: None, count });
    }
    // Nothing fits: one item of the first stack shows why.
    let cause = draft.why_not(&[Portion { item: draft.item(cell), count: 1, from: Some(first) }], going);
    let all = stacks.iter().map(|(_, cell)| u64::from(cell.count)).sum();
    let full = Cause::NoRoom { at: draft.container_place(target), requested: all, room: 0 };
    Err(Refusal::new(cause.unwrap_or(full)))
}

/// The stacks in a holder's containers, in order, whose kind is directly in the target. What the actor
/// may not take out is not among them.
fn matching(draft: &Draft<'_>, holder: u32, target: u32, going: Going) -> Vec<(Spot, Cell)> {
    let mut kinds: Vec<u32> = draft.cells_in(target).map(|cell| cell.kind).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let is_meant =
        |kind: u32| kinds.binary_search(&kind).is_ok() && !draft.world.rules.figures[kind as usize].is_protected;
    let carried = draft.world.containers_of(holder).iter().copied();
    let may_leave = |at: u32| draft.why_not_leaving(Point::whole(at), Some(Point::whole(target))).is_none();
    let sources = carried.filter(|&at| at != target && !draft.world.def_of(at).is_worn() && may_leave(at));
    let stacks = sources.flat_map(|container| {
        let next = move |from: u32| draft.next_stack_in(container, None, from);
        let slots = std::iter::successors(next(0), move |slot| slot.checked_add(1).and_then(next));
        slots.map(move |slot| Spot { container, slot })
    });
    let stacks = stacks.filter(|&spot| !draft.passes_over(spot, going));
    stacks.map(|spot| (spot, draft.cell(spot))).filter(|(_, cell)| is_meant(cell.kind)).collect()
}
