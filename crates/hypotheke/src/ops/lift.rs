//! lift: the hand, which must be empty, takes all, half or some of a stack.

use super::Planned;
use super::carry::{Going, Request, WithoutNumber};
use super::draft::{Draft, Onto};
use super::target::Target;
use crate::id::HolderId;
use crate::language::Amount;
use crate::language::LiftAmount;
use crate::world::Place;

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, share: LiftAmount, from: Place) -> Planned {
    let (_, hand) = draft.hand(actor)?;
    let source = draft.slot(from)?;
    let amount = match share {
        LiftAmount::Amount(amount) => amount,
        // From an empty slot one item is requested, which is missing.
        LiftAmount::Half => Amount::Exactly(draft.cell(source).count.div_ceil(2).max(1)),
    };
    draft.lay_onto(Onto::OneEmpty);
    draft.carry(
        Request { amount, kind: None, from, without_number: WithoutNumber::AllOrNothing },
        Going::To(Target::Slot(hand)),
    )
}
