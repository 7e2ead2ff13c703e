//! close: a holder closes a container that it has opened. What is in its hand stays there.

use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::{Done, Planned};
use crate::id::HolderId;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, at: Place) -> Planned {
    let holder = draft.acting(actor)?;
    let container = draft.container(at)?;
    if !draft.is_open(holder.index, container) {
        let (own, at) = (draft.holder_of(container) == Some(holder.index), draft.container_place(container));
        return Err(Refusal::new(if own { Cause::AlwaysOpen(at) } else { Cause::NotOpen(at) }));
    }
    draft.close(holder, draft.container_id(container));
    Ok(Done { requested: None, count: 0 })
}
