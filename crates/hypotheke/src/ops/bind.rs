//! bind: a shortcut points at a kind that its holder has. A kind stands once in a bar: bound
//! elsewhere, the two exchange.

use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::{Done, Planned};
use crate::id::KindId;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, kind: KindId, at: Place) -> Planned {
    let (holder, shortcut) = draft.known_shortcut(at)?;
    draft.kind(kind)?;
    if !draft.has_kind(holder.index, kind) {
        return Err(Refusal::new(Cause::EmptySource { at: Place::Holder(holder), kind: Some(kind) }));
    }
    let count = draft.world.shortcut_count(holder.index);
    let bound = (0..count).find(|&other| draft.shortcut(holder, other) == Some(kind));
    if let Some(other) = bound {
        let there = draft.shortcut(holder, shortcut);
        draft.point_at(holder, other, there);
    }
    draft.point_at(holder, shortcut, Some(kind));
    Ok(Done { requested: None, count: 0 })
}
