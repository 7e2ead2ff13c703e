//! deposit: what a holder has of the kinds that lie in a container already goes there, stack by stack, as much as fits. What is in
//! its hand, worn or in packs stays, and so does what is kept.

use super::carry::{Going, lay};
use super::draft::Draft;
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Judged};
use crate::id::HolderId;
use crate::world::{Cell, Place, Spot};

pub(super) fn judge(draft: &mut Draft<'_>, actor: Option<HolderId>, into: Place) -> Judged {
    let holder = draft.acting(actor)?;
    let target = draft.container(into)?;
    let stacks = matching(draft, holder.index, target);
    if stacks.is_empty() {
        return Err(Refusal::new(Cause::EmptySource(holder.into())));
    }
    let going = Going::To(Target::Container(target));
    draft.be_exact(false);
    let start = draft.so_far();
    let count = lay_each(draft, &stacks, going);
    let all: u64 = stacks.iter().map(|(_, cell)| u64::from(cell.count)).sum();
    if count > 0 && (count == all || !draft.collects_causes()) {
        return Ok(Done { asked: None, count });
    }
    draft.go_back_to(&start);
    let portion =
        |&(spot, cell): &(Spot, Cell)| Portion { item: draft.item(cell), count: cell.count, from: Some(spot) };
    let mut portions: Vec<Portion> = stacks.iter().map(portion).collect();
    if count > 0 {
        // Why not all of it goes is told, though it is no refusal.
        let _ = draft.why_not(&portions, going);
        return Ok(Done { asked: None, count: lay_each(draft, &stacks, going) });
    }
    portions.truncate(1);
    portions.iter_mut().for_each(|portion| portion.count = 1);
    let cause = draft.why_not(&portions, going);
    let full = Cause::NoRoom { at: draft.container_place(target), asked: all, room: 0 };
    Err(Refusal::new(cause.unwrap_or(full)))
}

/// The stacks of a holder, in the order of its containers, of whose kinds there is something in a container.
fn matching(draft: &Draft<'_>, holder: u32, target: u32) -> Vec<(Spot, Cell)> {
    let mut kinds: Vec<u32> = draft.cells_in(target).map(|cell| cell.kind).collect();
    kinds.sort_unstable();
    kinds.dedup();
    let is_meant = |kind: u32| kinds.binary_search(&kind).is_ok() && !draft.world.rules.figures[kind as usize].keep;
    let carried = draft.world.containers_of(holder).iter().copied();
    let sources = carried.filter(|&at| at != target && !draft.world.def_of(at).is_worn() && draft.is_reachable(at));
    let stacks = sources.flat_map(|container| {
        let next = move |from: u32| draft.next_stack_in(container, None, from);
        let slots = std::iter::successors(next(0), move |slot| slot.checked_add(1).and_then(next));
        slots.map(move |slot| Spot { container, slot })
    });
    stacks.map(|spot| (spot, draft.cell(spot))).filter(|(_, cell)| is_meant(cell.kind)).collect()
}

fn lay_each(draft: &mut Draft<'_>, stacks: &[(Spot, Cell)], going: Going) -> u64 {
    let mut count = 0;
    for &(spot, cell) in stacks {
        draft.settle();
        count += u64::from(lay(draft, cell, spot, cell.count, going));
    }
    count
}
