//! trade: two holders exchange items.

use smallvec::SmallVec;

use super::draft::Draft;
use super::exchange::{Exchange, Giver, Side};
use super::operation::Offered;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use super::{Done, Planned};

pub(super) fn plan(draft: &mut Draft<'_>, one: &Offered, other: &Offered) -> Planned {
    let sides = [side(draft, one)?, side(draft, other)?];
    if one.of == other.of || one.kind == other.kind {
        return Err(Refusal::new(Cause::Unknown(Unknown::SameSides)));
    }
    if one.count == 0 || other.count == 0 {
        return Err(Refusal::new(Cause::BadAmount));
    }
    draft.be_exact(true);
    match (Exchange { sides, goods: 0, lots: 1 }).attempt(draft) {
        Ok(()) => Ok(Done { requested: None, count: u64::from(one.count) }),
        Err(failed) => Err(failed.refusal(draft)),
    }
}

/// The game acts for both.
fn side(draft: &Draft<'_>, offered: &Offered) -> Result<Side, Refusal> {
    if !draft.has_holder(offered.of) {
        return Err(Refusal::new(Cause::Unknown(Unknown::Place)));
    }
    draft.kind(offered.kind)?;
    let holder = offered.of.index;
    Ok(Side {
        actor: None,
        gives: SmallVec::from_elem((offered.kind, offered.count), 1),
        from: Giver::Holder(holder),
        into: Target::Holder(holder),
        passes_nobody: false,
    })
}
