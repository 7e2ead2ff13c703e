//! drop: items go to the ground; each stack lands as its own.

use super::Planned;
use super::carry::{Going, Request, WithoutNumber};
use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use crate::id::KindId;
use crate::language::{Amount, Landing};
use crate::world::Place;

pub(super) fn plan(
    draft: &mut Draft<'_>,
    amount: Amount,
    kind: Option<KindId>,
    from: Place,
    landing: Landing,
) -> Planned {
    if matches!(from, Place::Ground | Place::OnGround(_)) {
        return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
    }
    draft.land_at(landing)?;
    draft.carry(Request { amount, kind, from, without_number: WithoutNumber::AllOrNothing }, Going::To(Target::Ground))
}
