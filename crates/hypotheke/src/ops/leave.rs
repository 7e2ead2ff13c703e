//! leave: a holder returns what is in its hand, as far as that goes, and closes all that it has
//! opened.

use super::draft::Draft;
use super::{Done, Planned, returning};
use crate::id::HolderId;
use crate::language::Amount;

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>) -> Planned {
    let holder = draft.acting(actor)?;
    let start = draft.point();
    if returning::plan(draft, actor, Amount::All).is_err() {
        // The hand is empty, or what is in it stays there.
        draft.go_back_to(&start);
    }
    draft.settle();
    for container in draft.opened_by(holder.index) {
        draft.close(holder, draft.container_id(container));
    }
    Ok(Done { requested: None, count: 0 })
}
