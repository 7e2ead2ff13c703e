//! return: what is in the hand goes back to where it came from, then to the holder's containers,
//! then to the ground, as far as each takes it.

use super::carry::Going;
use super::draft::Draft;
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Planned};
use crate::id::HolderId;
use crate::language::Amount;
use crate::world::{Place, Spot};

pub(super) fn plan(draft: &mut Draft<'_>, actor: Option<HolderId>, amount: Amount) -> Planned {
    let (holder, hand) = draft.hand(actor)?;
    let requested = match amount {
        Amount::All => None,
        Amount::Exactly(0) | Amount::UpTo(0) => return Err(Refusal::new(Cause::BadAmount)),
        Amount::Exactly(count) | Amount::UpTo(count) => Some(count),
    };
    let cell = draft.cell(hand);
    if cell.is_empty() {
        return Err(Refusal::new(Cause::EmptySource { at: draft.place_of_spot(hand), kind: None }));
    }
    let item = draft.item(cell);
    let want = requested.map_or(cell.count, |requested| requested.min(cell.count));
    let mut given = 0;
    if let Some(origin) = draft.origin(holder).filter(|&origin| is_available(draft, hand, origin)) {
        draft.go_back(true);
        given += draft.fill(item, want, Some(hand), Target::Slot(origin));
        draft.go_back(false);
        // It has taken all that fits.
        draft.pass_over(origin);
    }
    if given < want {
        given += draft.fill(item, want - given, Some(hand), Target::Holder(holder));
    }
    let to_ground = Going::To(Target::Ground);
    let left = want - given;
    let landed = match draft.is_stuck(cell, hand, to_ground) {
        true => 0,
        false => draft.fill(item, left, Some(hand), Target::Ground),
    };
    given += landed;
    let exact = matches!(amount, Amount::Exactly(_));
    let missing = requested.filter(|&requested| exact && requested > cell.count);
    if missing.is_none() && given >= if exact { want } else { 1 } {
        draft.lay_parts(item, Some(hand));
        return Ok(Done { requested: requested.map(u64::from), count: u64::from(given) });
    }
    draft.parts().clear();
    let (at, there) = (draft.place_of_spot(hand), u64::from(cell.count));
    let missing = missing.map(|requested| Cause::NotEnough { at, requested: u64::from(requested), there });
    draft.note_causes(missing);
    // Items without a place would reach the ground.
    let count = if exact { left } else { 1 };
    let landing = [Portion { item, count, from: Some(hand) }];
    let grounds = if landed < left { draft.why_not(&landing, to_ground) } else { None };
    let full = Cause::NoRoom { at: Place::Ground, requested: u64::from(count), room: u64::from(landed) };
    Err(Refusal::new(missing.or(grounds).unwrap_or(full)).up_to(u64::from(given)))
}

/// Whether the original slot is reachable, and no protected item would reach the ground with it.
fn is_available(draft: &Draft<'_>, hand: Spot, origin: Spot) -> bool {
    let to_origin = Going::To(Target::Slot(origin));
    draft.is_reachable(origin.container) && draft.why_kept(draft.cell(hand), hand, to_origin).is_none()
}
