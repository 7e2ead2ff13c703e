//! The number of items that still fit, from the remaining space.

use super::create::max_countable;
use super::draft::{Draft, Item};
use super::operation::Variant;
use super::refusal::Cause;
use crate::id::{ContainerId, KindId};
use crate::world::{Place, World};

/// How many more items of a kind would fit somewhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Room {
    /// The number.
    pub items: u64,
    /// The cause that stops the next item; `None` if the room exceeds every possible amount.
    pub limited_by: Option<Cause>,
}

impl World {
    /// The number of plain items of a kind that could be created in a container, given its space,
    /// and the limit.
    pub(crate) fn room_in_space(&self, kind: KindId, container: ContainerId, space: u64) -> Room {
        let mut draft = Draft::new(self, self.spare.take());
        let room =
            draft.new_item(kind, &Variant::plain()).map(|item| draft.room_in_space(item, container.index, space));
        self.spare.put_back(draft.into_parts().0);
        room.unwrap_or_else(|refusal| Room { items: 0, limited_by: Some(refusal.cause()) })
    }
}

impl Draft<'_> {
    fn room_in_space(&self, item: Item, container: u32, space: u64) -> Room {
        let countable = max_countable(self, item.weight);
        let enters = self.may_enter(item, None, container);
        let allowed = if enters { self.allowance(item, None, container) } else { 0 };
        let items = space.min(u64::from(allowed.min(countable)));
        let requested = items + 1;
        if items >= u64::from(u32::MAX) {
            return Room { items, limited_by: None };
        }
        let full = Cause::NoRoom { at: Place::Container(self.container_id(container)), requested, room: space };
        let limited_by = if u64::from(countable) < requested {
            Cause::Overflow
        } else if let Some(cause) = self.why_not_admitted(item, None, container) {
            cause
        } else {
            self.why_not_borne(item, requested, None, container).unwrap_or(full)
        };
        Room { items, limited_by: Some(limited_by) }
    }
}
