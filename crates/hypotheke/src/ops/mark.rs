//! mark: a whole stack gets a mark.

use super::Judged;
use super::draft::Draft;
use crate::id::MarkId;
use crate::world::Place;

pub(super) fn judge(draft: &mut Draft<'_>, at: Place, mark: MarkId) -> Judged {
    draft.known_mark(mark)?;
    draft.change_stack(at, |_, key| {
        key.marks.push(mark);
        Ok(())
    })
}
