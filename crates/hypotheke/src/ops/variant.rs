//! Other marks and properties of a whole stack, and what becomes of it where it is no longer
//! admitted.

use super::allowed::Point;
use super::carry::{Going, Source};
use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::target::Target;
use super::{Done, Planned};
use crate::id::MarkId;
use crate::ruleset::{Ruleset, WhenUnfit};
use crate::world::{Cell, ClassKey, Place, Spot};

impl Draft<'_> {
    pub(super) fn known_mark(&self, mark: MarkId) -> Result<(), Refusal> {
        let known = self.world.rules.has_mark(mark);
        if known { Ok(()) } else { Err(Refusal::new(Cause::Unknown(Unknown::Variant))) }
    }

    /// Changes marks or properties of a stack. Neither a filter nor a cap refuses that.
    pub(super) fn change_stack(
        &mut self,
        at: Place,
        change: impl FnOnce(&Ruleset, &mut ClassKey) -> Result<(), Refusal>,
    ) -> Planned {
        let Source::Spot(spot) = self.source(at)? else {
            return Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)));
        };
        let cell = self.cell(spot);
        if cell.is_empty() {
            return Err(Refusal::new(Cause::EmptySource { at, kind: None }));
        }
        let mut key = self.class_key(cell);
        change(&self.world.rules, &mut key)?;
        let key = ClassKey::new(&self.world.rules, key.kind, &key.marks, &key.properties);
        let class = self.class_of(key);
        if class == cell.class {
            return Ok(Done { requested: None, count: 0 });
        }
        self.change_class(spot, class);
        self.settle();
        self.put_elsewhere(spot);
        Ok(Done { requested: None, count: u64::from(cell.count) })
    }

    /// Ejects a stack from containers that no longer admit it, if the ruleset requires it: to the other
    /// containers of the holder in order, then to the ground, as far as each takes it.
    pub(super) fn put_elsewhere(&mut self, spot: Spot) {
        let left = self.containers_to_leave(spot);
        let Some(&outermost) = left.last() else { return };
        let (cell, holder) = (self.cell(spot), self.holder_of(spot.container));
        let item = self.item(cell);
        let mut given = 0;
        for container in holder.map(|holder| self.all_targets_of(holder)).unwrap_or_default() {
            let may_leave = self.why_not_leaving(spot.into(), Some(Point::whole(container))).is_none();
            if may_leave && !self.is_within(container, outermost) && given < cell.count {
                given += self.fill(item, cell.count - given, Some(spot), Target::Container(container));
            }
        }
        let may_land = self.why_not_leaving(spot.into(), None).is_none()
            && self.why_kept(cell, spot, Going::To(Target::Ground)).is_none();
        if given < cell.count && may_land {
            self.fill(item, cell.count - given, Some(spot), Target::Ground);
        }
        self.lay_parts(item, Some(spot));
    }

    /// The containers whose filter, or whose slot's filter, now rejects the stack, and that eject
    /// unfit stacks.
    fn containers_to_leave(&self, spot: Spot) -> Vec<u32> {
        let mut found = Vec::new();
        let mut at = (!spot.is_ground()).then_some(spot.container);
        while let Some(container) = at {
            let def = self.state(container).def;
            let leaves =
                self.world.rules.containers().get(def as usize).is_some_and(|def| def.when_unfit == WhenUnfit::Eject);
            if leaves && self.is_unfit_of(container, spot, self.cell(spot)) {
                found.push(container);
            }
            at = self.around(container);
        }
        found
    }

    /// Whether a stack is unfit for its place.
    pub(super) fn is_unfit(&self, spot: Spot) -> bool {
        let cell = self.cell(spot);
        let mut at = (!spot.is_ground()).then_some(spot.container);
        while let Some(container) = at {
            if self.is_unfit_of(container, spot, cell) {
                return true;
            }
            at = self.around(container);
        }
        false
    }

    fn is_unfit_of(&self, container: u32, spot: Spot, cell: Cell) -> bool {
        let (item, state) = (self.item(cell), self.state(container));
        let requested = container == spot.container || state.deep;
        let by_slot = container == spot.container && !self.slot_admits(item, spot);
        by_slot || requested && !self.admits(state.admits, item)
    }
}
