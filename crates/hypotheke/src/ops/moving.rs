//! move: from a slot or a container to a slot or a container. Onto an alike stack it merges.

use super::Planned;
use super::carry::{Going, Request, Source, WithoutNumber};
use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use crate::id::KindId;
use crate::language::Amount;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, amount: Amount, kind: Option<KindId>, from: Place, to: Place) -> Planned {
    let place_of_slots = |place| matches!(place, Place::Slot(..) | Place::Container(_));
    if !place_of_slots(from) || !place_of_slots(to) {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    let target = draft.target(to)?;
    let request = Request { amount, kind, from, without_number: WithoutNumber::AllOrNothing };
    let onto_itself = match (draft.source(from)?, target) {
        (Source::Spot(from), Target::Slot(to)) => from == to,
        (Source::Container(from), Target::Container(to)) => from == to,
        _ => false,
    };
    if onto_itself { draft.stay(request) } else { draft.carry(request, Going::To(target)) }
}
