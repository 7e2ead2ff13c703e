//! together: a list of operations that is applied as one, or not at all. Each is planned on the
//! result of those before it. A step without an actor has that of the list. Caps and weight caps are checked once, for the world after the last.

use super::draft::Draft;
use super::operation::Operation;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned, plan_on};
use crate::id::HolderId;

/// Lists may be nested so deep.
const MAX_NESTED: u32 = 32;

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, steps: &[Operation]) -> Planned {
    if steps.is_empty() {
        return Err(Refusal::new(Cause::BadAmount));
    }
    if draft.nested_lists == MAX_NESTED {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    draft.nested_lists += 1;
    let around = std::mem::replace(&mut draft.list_actor, actor);
    let mut count = 0;
    for (index, step) in steps.iter().enumerate() {
        draft.begin_step();
        // The recorded reasons are those of the refused step, not of earlier ones.
        let _ = draft.take_noted();
        let done = plan_on(draft, step).map_err(|refusal| refusal.at_step(index))?;
        count += done.count;
    }
    draft.nested_lists -= 1;
    draft.list_actor = around;
    draft.begin_step();
    let _ = draft.take_noted();
    if draft.nested_lists == 0 {
        let over = draft.all_over_in_the_end();
        if let Some(&first) = over.first() {
            draft.note_causes(over);
            return Err(Refusal::new(first));
        }
    }
    Ok(Done { requested: None, count })
}
