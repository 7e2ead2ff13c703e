use crate::id::{ContainerId, DepartureId, HolderId, KindId, StackId};
use crate::language::Position;

use super::{DepartingEntity, GROUND, Spot};

/// One end of what an [`Event`] moved: a place, the stack there, and its position if it is the ground.
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

    /// The stack that lay here before, or that lies here now; none if the place was empty.
    #[must_use]
    pub fn stack(&self) -> Option<StackId> {
        (self.stack.0 != 0).then_some(self.stack)
    }

    /// The position, if this end lies on the ground.
    #[must_use]
    pub fn position(&self) -> Option<Position> {
        self.spot.is_ground().then_some(self.position)
    }
}

/// A notice of one change that was made. Events come in the order in which the changes were made.
///
/// `World::describe_event` puts one into words.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Event {
    /// Items went from one place to another, came into the world, or left it.
    Moved {
        /// Their kind.
        kind: KindId,
        /// How many.
        count: u32,
        /// Where they were; nowhere if they were created.
        from: StackLocation,
        /// Where they are; nowhere if they were consumed.
        to: StackLocation,
        /// What they are alike to.
        class: StackClass,
        /// What moves with them.
        inner: PackContents,
    },
    /// A whole stack got other marks or another property.
    Changed {
        /// Where it lies.
        at: StackLocation,
        /// What it was alike to.
        before: StackClass,
        /// What it is alike to.
        after: StackClass,
    },
    /// Two slots exchanged what lay there.
    Swapped {
        /// One slot, with the stack that lay there before.
        one: StackLocation,
        /// The other slot, with the stack that lay there before.
        other: StackLocation,
    },
    /// A container got another number of slots.
    Resized {
        /// Which one.
        container: ContainerId,
        /// How many it had.
        before: u32,
        /// How many it has.
        after: u32,
    },
    /// A shortcut points at another kind, or at none.
    Bound {
        /// Whose.
        holder: HolderId,
        /// Which one.
        shortcut: u32,
        /// At what it pointed.
        before: Option<KindId>,
        /// At what it points.
        after: Option<KindId>,
    },
    /// A holder opened a container.
    Opened {
        /// The holder.
        holder: HolderId,
        /// The container.
        container: ContainerId,
    },
    /// A holder closed a container, or one of the two has gone.
    Closed {
        /// The holder.
        holder: HolderId,
        /// The container.
        container: ContainerId,
    },
    /// A container or a holder left the world with all that it has.
    Departed {
        /// Which one.
        who: DepartingEntity,
        /// Under which number.
        departure: DepartureId,
        /// The lowest number that it could have got.
        before: u64,
        /// How many items went along.
        count: u64,
    },
    /// A container or a holder came into the world with all that it has.
    Arrived {
        /// Which one.
        who: DepartingEntity,
        /// From which departure; none if it has never been in a world.
        departure: Option<DepartureId>,
        /// The number of the departure that had arrived under its name before.
        before: Option<u64>,
        /// How many items came along.
        count: u64,
    },
}

/// The container inside a pack, if it is one that moved; what lies in it goes with it.
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

/// What makes two stacks alike. Equal classes are alike, as long as neither event is older than the latest operation.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct StackClass(pub(crate) u32);

impl Event {
    /// True if items came into the world.
    #[must_use]
    pub fn is_creation(&self) -> bool {
        matches!(self, Event::Moved { from, .. } if !from.exists())
    }

    /// True if items left the world.
    #[must_use]
    pub fn is_consumption(&self) -> bool {
        matches!(self, Event::Moved { to, .. } if !to.exists())
    }
}
