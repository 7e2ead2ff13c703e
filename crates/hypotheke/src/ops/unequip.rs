//! unequip: a worn item moves to the holder's containers, or to the named place.

use super::Planned;
use super::carry::{Going, Request, WithoutNumber};
use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use crate::id::HolderId;
use crate::language::Amount;
use crate::world::Place;

pub(super) fn plan(
    draft: &mut Draft<'_>,
    actor: Option<HolderId>,
    amount: Amount,
    from: Place,
    to: Option<Place>,
) -> Planned {
    let (holder, _) = draft.hand(actor)?;
    let worn = draft.slot(from)?.container;
    let is_worn = draft.world.containers_of(holder).contains(&worn) && draft.world.def_of(worn).is_worn();
    let is_target = |to: Place| matches!(to, Place::Slot(..) | Place::Container(_));
    if !is_worn || !to.is_none_or(is_target) {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    let target = to.map_or(Ok(Target::Holder(holder)), |to| draft.target(to))?;
    let request = Request { amount, kind: None, from, without_number: WithoutNumber::AllOrNothing };
    // Onto itself it stays.
    if to == Some(from) { draft.stay(request) } else { draft.carry(request, Going::To(target)) }
}
