//! cancel: a container ends a recipe that takes time, and gives back what it holds for it.

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::id::RecipeId;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, recipe: RecipeId, at: Place) -> Planned {
    if draft.world.rules.recipe(recipe).is_none() {
        return Err(Refusal::new(Cause::Unknown(Unknown::Recipe)));
    }
    let container = draft.container(at)?;
    let Some(job) = draft.job(container).filter(|job| job.recipe == recipe) else {
        return Err(Refusal::new(Cause::NotWorking { at, recipe }));
    };
    let holder = draft.actor.or_else(|| draft.holder_of(container));
    let id = draft.container_id(container);
    match draft.give_back(id, job, holder) {
        Ok(count) => Ok(Done { requested: None, count }),
        Err(cause) => {
            draft.parts().clear();
            Err(Refusal::new(cause))
        }
    }
}
