//! create: items enter the world.

use super::carry::Going;
use super::draft::{Draft, Item};
use super::operation::Variant;
use super::reasons::Portion;
use super::refusal::{Cause, Refusal};
use super::target::Target;
use super::{Done, Judged};
use crate::id::{ContainerId, KindId};
use crate::language::{Amount, Landing};
use crate::query::Room;
use crate::world::{Place, World};

pub(super) fn judge(
    draft: &mut Draft<'_>,
    amount: Amount,
    kind: KindId,
    variant: &Variant,
    to: Place,
    landing: Landing,
) -> Judged {
    let target = draft.target(to)?;
    draft.be_exact(matches!(amount, Amount::Exactly(_)));
    let item = draft.new_item(kind, variant)?;
    let (asked, exact) = match amount {
        Amount::Exactly(count) if count > 0 => (count, true),
        Amount::UpTo(count) if count > 0 => (count, false),
        _ => return Err(Refusal::new(Cause::BadAmount)),
    };
    if target == Target::Ground {
        draft.land_at(landing)?;
    }
    let countable = most_countable(draft, item.weight);
    let whole = if exact { asked } else { 1 };
    if countable < whole {
        let could = draft.fill(item, asked.min(countable), None, target);
        return Err(Refusal::new(Cause::Overflow).could_have(u64::from(could)));
    }
    let given = draft.fill(item, asked.min(countable), None, target);
    if given < whole || given < asked && draft.collects_causes() {
        let laid = std::mem::take(draft.parts());
        let count = if given < whole { whole } else { asked };
        let cause = draft.why_not(&[Portion { item, count, from: None }], Going::To(target));
        if given < whole {
            let full = Cause::NoRoom { at: to, asked: u64::from(whole), room: u64::from(given) };
            return Err(Refusal::new(cause.unwrap_or(full)).could_have(u64::from(given)));
        }
        *draft.parts() = laid;
    }
    draft.lay_parts(item, None);
    Ok(Done { asked: Some(u64::from(asked)), count: u64::from(given) })
}

impl World {
    /// How many plain items of a kind could be created in a container with space for so many, and what binds.
    pub(crate) fn room_in_space(&self, kind: KindId, container: ContainerId, space: u64) -> Room {
        let mut draft = Draft::new(self, self.spare.take());
        let room =
            draft.new_item(kind, &Variant::plain()).map(|item| draft.room_in_space(item, container.index, space));
        self.spare.put_back(draft.into_parts().0);
        room.unwrap_or_else(|refusal| Room { items: 0, binds: Some(refusal.cause()) })
    }
}

impl Draft<'_> {
    fn room_in_space(&self, item: Item, container: u32, space: u64) -> Room {
        let countable = most_countable(self, item.weight);
        let enters = self.may_enter(item, None, container);
        let allowed = if enters { self.allowance(item, None, container) } else { 0 };
        let items = space.min(u64::from(allowed.min(countable)));
        let asked = items + 1;
        if items >= u64::from(u32::MAX) {
            return Room { items, binds: None };
        }
        let full = Cause::NoRoom { at: Place::Container(self.container_id(container)), asked, room: space };
        let binds = if u64::from(countable) < asked {
            Cause::Overflow
        } else if let Some(cause) = self.why_not_admitted(item, None, container) {
            cause
        } else {
            self.why_not_borne(item, asked, None, container).unwrap_or(full)
        };
        Room { items, binds: Some(binds) }
    }
}

/// How many more of a weight the world can hold before its weight is beyond what can be counted. Since every other sum
/// is a part of that one, no other operation can overflow.
fn most_countable(draft: &Draft<'_>, weight: i64) -> u32 {
    if weight == 0 {
        return u32::MAX;
    }
    u32::try_from((i64::MAX - draft.whole_weight()) / weight).unwrap_or(u32::MAX)
}
