//! return: what is in the hand goes back to where it came from, then to the holder's containers, then to the ground, as far
//! as each takes it.

use super::carry::Going;
use super::draft::Draft;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Judged};
use crate::id::HolderId;
use crate::language::Amount;
use crate::world::Place;

pub(super) fn judge(draft: &mut Draft<'_>, actor: Option<HolderId>, amount: Amount) -> Judged {
    let (holder, hand) = draft.hand(actor)?;
    let asked = match amount {
        Amount::All => None,
        Amount::Exactly(0) | Amount::UpTo(0) => return Err(Refusal::new(Cause::BadAmount)),
        Amount::Exactly(count) | Amount::UpTo(count) => Some(count),
    };
    let (cell, at) = (draft.cell(hand), draft.place_of_spot(hand));
    if cell.is_empty() {
        return Err(Refusal::new(Cause::EmptySource(at)));
    }
    let item = draft.item(cell);
    let want = asked.map_or(cell.count, |asked| asked.min(cell.count));
    let mut given = 0;
    if let Some(origin) = draft.origin(holder) {
        draft.go_back(true);
        given += draft.fill(item, want, Some(hand), Target::Slot(origin));
        draft.go_back(false);
        // It has taken what it takes.
        draft.pass_over(origin);
    }
    if given < want {
        given += draft.fill(item, want - given, Some(hand), Target::Holder(holder));
    }
    let kept = draft.why_kept(cell, hand, Going::To(Target::Ground));
    let (left, mut landed) = (want - given, 0);
    if left > 0 && kept.is_none() {
        landed = draft.fill(item, left, Some(hand), Target::Ground);
        given += landed;
    }
    let exact = matches!(amount, Amount::Exactly(_));
    let whole = if exact { asked.unwrap_or(1) } else { 1 };
    let refused = |cause| Err(Refusal::new(cause).could_have(u64::from(given)));
    if exact && cell.count < whole {
        return refused(Cause::NotEnough { at, asked: u64::from(whole), there: u64::from(cell.count) });
    }
    if given < whole {
        let asked = u64::from(if exact { left } else { 1 });
        let full = Cause::NoRoom { at: Place::Ground, asked, room: u64::from(landed) };
        return refused(kept.unwrap_or(full));
    }
    draft.lay_parts(item, Some(hand));
    Ok(Done { asked: asked.map(u64::from), count: u64::from(given) })
}
