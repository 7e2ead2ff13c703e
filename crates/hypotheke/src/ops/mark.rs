//! mark: a whole stack gets a mark.

use super::Planned;
use super::draft::Draft;
use crate::id::MarkId;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, at: Place, mark: MarkId) -> Planned {
    draft.known_mark(mark)?;
    draft.change_stack(at, |_, key| {
        key.marks.push(mark);
        Ok(())
    })
}
