use crate::id::{ContainerId, DepartureId, HolderId, KindId, StackId};
use crate::language::Position;
use crate::quantity::Decimal;

use super::{DepartingEntity, GROUND, Job, Spot};

/// One end of an [`Event`]: a place, its stack, and its position on the ground.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct StackLocation {
    pub(crate) spot: Spot,
    pub(crate) stack: StackId,
    pub(crate) position: Position,
}

impl StackLocation {
    pub(crate) const NOWHERE: StackLocation = StackLocation {
        spot: Spot::NOWHERE,
        stack: StackId(0),
        position: Position { x: crate::Decimal::ZERO, y: crate::Decimal::ZERO },
    };

    pub(crate) fn exists(&self) -> bool {
        self.spot != Spot::NOWHERE
    }

    /// The stack in this place before or after; `None` if the place was empty.
    #[must_use]
    pub fn stack(&self) -> Option<StackId> {
        (self.stack.0 != 0).then_some(self.stack)
    }

    /// The position, if this end is on the ground.
    #[must_use]
    pub fn position(&self) -> Option<Position> {
        self.spot.is_ground().then_some(self.position)
    }
}

/// One change. Events come in the order of the changes.
///
/// `World::describe_event` gives it in words.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Event {
    /// Items moved from one place to a different one, were created, or were consumed.
    Moved {
        /// Their kind.
        kind: KindId,
        /// Their number.
        count: u32,
        /// The source; nowhere if they were created.
        from: StackLocation,
        /// The target; nowhere if they were consumed.
        to: StackLocation,
        /// Their class: marks and properties.
        class: StackClass,
        /// The contents of a pack.
        inner: PackContents,
    },
    /// The marks or properties of a stack changed.
    Changed {
        /// The place of the stack.
        at: StackLocation,
        /// The old class.
        before: StackClass,
        /// The new class.
        after: StackClass,
    },
    /// Two slots swapped their contents.
    Swapped {
        /// One slot, with its former stack.
        one: StackLocation,
        /// The other slot, with its former stack.
        other: StackLocation,
    },
    /// The number of slots of a container changed.
    Resized {
        /// The container.
        container: ContainerId,
        /// The old number.
        before: u32,
        /// The new number.
        after: u32,
    },
    /// A shortcut changed.
    Bound {
        /// The holder.
        holder: HolderId,
        /// The number of the shortcut.
        shortcut: u32,
        /// The old kind.
        before: Option<KindId>,
        /// The new kind.
        after: Option<KindId>,
    },
    /// The value of a meter changed.
    Metered {
        /// The holder.
        holder: HolderId,
        /// Its number among the meters of the holder.
        meter: u32,
        /// The old value.
        before: Decimal,
        /// The new value.
        after: Decimal,
    },
    /// Time passed.
    Waited {
        /// The old tick.
        before: u64,
        /// The new tick.
        after: u64,
    },
    /// A container began a recipe that takes time, or ended one.
    Worked {
        /// The container.
        container: ContainerId,
        /// What it worked on.
        before: Option<Job>,
        /// What it works on.
        after: Option<Job>,
    },
    /// A holder opened a container.
    Opened {
        /// The holder.
        holder: HolderId,
        /// The container.
        container: ContainerId,
    },
    /// A holder closed a container, or one of the two left the world.
    Closed {
        /// The holder.
        holder: HolderId,
        /// The container.
        container: ContainerId,
    },
    /// A container got a different owner.
    Given {
        /// The container.
        container: ContainerId,
        /// The old owner.
        before: OwnerName,
        /// The new owner.
        after: OwnerName,
    },
    /// A container or a holder departed with its contents.
    Departed {
        /// The container or holder.
        who: DepartingEntity,
        /// The number of the departure.
        departure: DepartureId,
        /// The minimum number that it could have.
        before: u64,
        /// The number of its items.
        count: u64,
    },
    /// A container or a holder arrived with its contents.
    Arrived {
        /// The container or holder.
        who: DepartingEntity,
        /// The departure; `None` for a newcomer.
        departure: Option<DepartureId>,
        /// The number of the previous departure of the same name.
        before: Option<u64>,
        /// The number of its items.
        count: u64,
    },
}

/// The name of an owner, or that there is none. [`World::owner_name`](crate::World::owner_name)
/// returns it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct OwnerName(pub(crate) u32);

/// The container inside a moved pack. Its contents move with it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PackContents(pub(crate) u32);

impl PackContents {
    pub(crate) fn is_pack(self) -> bool {
        self.0 != GROUND
    }

    pub(crate) fn container(self) -> u32 {
        self.0
    }
}

/// The marks and properties of a stack. Two stacks can stack if their kinds and classes are equal.
/// A class is valid until the next operation.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct StackClass(pub(crate) u32);

impl Event {
    /// True if the items were created.
    #[must_use]
    pub fn is_creation(&self) -> bool {
        matches!(self, Event::Moved { from, .. } if !from.exists())
    }

    /// True if the items were consumed.
    #[must_use]
    pub fn is_consumption(&self) -> bool {
        matches!(self, Event::Moved { to, .. } if !to.exists())
    }
}
