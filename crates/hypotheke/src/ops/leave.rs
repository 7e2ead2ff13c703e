//! leave: a holder returns what is in its hand, as far as that goes, and closes all that it has opened.

use super::draft::Draft;
use super::{Done, Judged, returning};
use crate::id::HolderId;
use crate::language::Amount;

pub(super) fn judge(draft: &mut Draft<'_>, actor: Option<HolderId>) -> Judged {
    let holder = draft.acting(actor)?;
    let start = draft.so_far();
    if returning::judge(draft, actor, Amount::All).is_err() {
        // The hand is empty, or what is in it stays there.
        draft.go_back_to(&start);
    }
    draft.settle();
    for container in draft.opened_by(holder.index) {
        draft.close(holder, draft.container_id(container));
    }
    Ok(Done { asked: None, count: 0 })
}
