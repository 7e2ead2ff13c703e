//! consume: items leave the world.

use super::Planned;
use super::carry::{Going, Request, WithoutNumber};
use super::draft::Draft;
use crate::id::KindId;
use crate::language::Amount;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, amount: Amount, kind: Option<KindId>, from: Place) -> Planned {
    draft.carry(Request { amount, kind, from, without_number: WithoutNumber::AllOrNothing }, Going::Out)
}
