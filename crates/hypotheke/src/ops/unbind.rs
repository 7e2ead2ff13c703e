//! unbind: makes a shortcut point at nothing.

use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::{Done, Planned};
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, at: Place) -> Planned {
    let (holder, shortcut) = draft.known_shortcut(at)?;
    if draft.shortcut(holder, shortcut).is_none() {
        return Err(Refusal::new(Cause::EmptySource { at, kind: None }));
    }
    draft.point_at(holder, shortcut, None);
    Ok(Done { requested: None, count: 0 })
}
