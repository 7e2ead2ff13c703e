//! give: a container in the world gets a different owner, or none.

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::id::HolderId;
use crate::ruleset::Right;
use crate::world::{Event, NONE, OwnerName, Place};

pub(super) fn plan(draft: &mut Draft<'_>, at: Place, to: Option<HolderId>) -> Planned {
    let container = draft.container(at)?;
    if to.is_some_and(|to| !draft.has_holder(to)) {
        return Err(Refusal::new(Cause::Unknown(Unknown::Place)));
    }
    if !draft.world.stands(draft.container_id(container)) {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    if draft.actor.is_some_and(|actor| !draft.owns(actor, container)) {
        return Err(Refusal::new(Cause::NotOwner(draft.container_place(container))));
    }
    let before = draft.owner(container);
    let after = OwnerName(to.map_or(NONE, |to| draft.world.name_number(to.index)));
    if before != after {
        let id = draft.container_id(container);
        draft.push(Event::Given { container: id, before, after });
        close_to_others(draft, container);
    }
    Ok(Done { requested: None, count: 0 })
}

/// Nobody keeps it open that `open-by` no longer admits.
fn close_to_others(draft: &mut Draft<'_>, container: u32) {
    let (actor, id) = (draft.actor, draft.container_id(container));
    for holder in draft.openers(container) {
        draft.actor = Some(holder);
        if draft.bar(Right::Open, container).is_some() {
            draft.close(draft.world.holder_id(holder), id);
        }
    }
    draft.actor = actor;
}
