//! open: a holder opens a container, and has it open until it closes it or leaves.

use super::draft::Draft;
use super::reasons::Found;
use super::{Done, Planned};
use crate::id::HolderId;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, at: Place) -> Planned {
    let holder = draft.acting(actor)?;
    let container = draft.container(at)?;
    let nothing = Done { requested: None, count: 0 };
    // What a holder carries is always open to it.
    let is_own = draft.holder_of(container) == Some(holder.index);
    if is_own && draft.why_not_opened_by(container).is_none() || draft.is_open(holder.index, container) {
        return Ok(nothing);
    }
    let mut found = Found::new(draft);
    found.note(draft.all_not_opened(holder.index, container))?;
    found.note(draft.why_not_opened_by(container))?;
    found.end(draft)?;
    draft.open(holder, draft.container_id(container));
    Ok(nothing)
}
