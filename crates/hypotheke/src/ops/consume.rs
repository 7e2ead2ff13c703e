//! consume: items leave the world.

use super::Judged;
use super::carry::{Going, Request, WithoutNumber};
use super::draft::Draft;
use crate::id::KindId;
use crate::language::Amount;
use crate::world::Place;

pub(super) fn judge(draft: &mut Draft<'_>, amount: Amount, kind: Option<KindId>, from: Place) -> Judged {
    draft.carry(Request { amount, kind, from, without_number: WithoutNumber::AllOrNothing }, Going::Out)
}
