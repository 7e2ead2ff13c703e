//! pick up: items go from the ground to a place; what does not fit stays as it lies.

use super::Planned;
use super::carry::{Going, Request, WithoutNumber};
use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use crate::id::{KindId, StackId};
use crate::language::Amount;
use crate::world::Place;

pub(super) fn plan(
    draft: &mut Draft<'_>,
    amount: Amount,
    kind: Option<KindId>,
    from: Option<StackId>,
    to: Place,
) -> Planned {
    let target = draft.target(to)?;
    if target == Target::Ground || matches!(to, Place::Hand(_)) {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    let from = from.map_or(Place::Ground, Place::OnGround);
    draft.carry(Request { amount, kind, from, without_number: WithoutNumber::WhatFits }, Going::To(target))
}
