use std::fmt;

use serde::{Deserialize, Serialize};

use crate::id::{HolderId, KindId};
use crate::quantity::Decimal;
use crate::world::Place;

/// Why an operation was refused, without figures; in the order in which the checks run.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Reason {
    /// The world has changed since.
    Stale,
    /// A place, kind or stack that is not there or can't be meant.
    Unknown,
    /// 0, or a number that makes no sense here.
    BadAmount,
    /// A sum would be beyond what can be counted.
    Overflow,
    /// The holder that acts has not opened a container.
    NotOpen,
    /// Another holder has opened a container that one at a time uses.
    InUse,
    /// Nothing of what was requested lies there.
    EmptySource,
    /// Fewer lie there than were requested.
    NotEnough,
    /// It is kept: it can be neither consumed nor brought to the ground.
    Protected,
    /// A pack that has something in it would leave the world.
    NotEmpty,
    /// Nothing may be taken out of there.
    NoTake,
    /// Nothing may be put in there.
    NoPut,
    /// The filter of a container or slot does not admit it.
    NotAdmitted,
    /// A pack would lie in itself.
    InsideItself,
    /// Packs would nest too deep.
    TooDeep,
    /// The slot named is blocked, or a further slot that the item needs is taken, blocked or missing.
    BlockedSlot,
    /// More items would satisfy a filter than a container or holder may have.
    Cap,
    /// A container or holder would weigh more than its cap.
    WeightCap,
    /// The slot named would hold more than its limit.
    StackLimit,
    /// The slot named holds something else, or the slots together have too little space.
    NoRoom,
}

impl Reason {
    /// All reasons, in the order in which the checks run.
    pub const ALL: [Reason; 20] = [
        Reason::Stale,
        Reason::Unknown,
        Reason::BadAmount,
        Reason::Overflow,
        Reason::NotOpen,
        Reason::InUse,
        Reason::EmptySource,
        Reason::NotEnough,
        Reason::Protected,
        Reason::NotEmpty,
        Reason::NoTake,
        Reason::NoPut,
        Reason::NotAdmitted,
        Reason::InsideItself,
        Reason::TooDeep,
        Reason::BlockedSlot,
        Reason::Cap,
        Reason::WeightCap,
        Reason::StackLimit,
        Reason::NoRoom,
    ];

    /// As it is written in scenarios and messages.
    #[must_use]
    pub fn code(self) -> &'static str {
        match self {
            Reason::Stale => "stale",
            Reason::Unknown => "unknown",
            Reason::BadAmount => "bad-amount",
            Reason::Overflow => "overflow",
            Reason::NotOpen => "not-open",
            Reason::InUse => "in-use",
            Reason::EmptySource => "empty-source",
            Reason::NotEnough => "not-enough",
            Reason::Protected => "protected",
            Reason::NotEmpty => "not-empty",
            Reason::NoTake => "no-take",
            Reason::NoPut => "no-put",
            Reason::NotAdmitted => "not-admitted",
            Reason::InsideItself => "inside-itself",
            Reason::TooDeep => "too-deep",
            Reason::BlockedSlot => "blocked-slot",
            Reason::Cap => "cap",
            Reason::WeightCap => "weight-cap",
            Reason::StackLimit => "stack-limit",
            Reason::NoRoom => "no-room",
        }
    }

    /// The reason with a code.
    #[must_use]
    pub fn from_code(code: &str) -> Option<Reason> {
        Reason::ALL.into_iter().find(|reason| reason.code() == code)
    }
}

impl fmt::Display for Reason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.code())
    }
}

/// What is not there or can't be meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Unknown {
    /// A container, holder or slot that is not there, or a handle of another world.
    Place,
    /// A place at which this operation can do nothing, such as a swap with the ground.
    UnsupportedPlace,
    /// A kind of another ruleset.
    Kind,
    /// A mark or property that the ruleset or the kind does not list.
    Variant,
    /// A stack that does not lie on the ground.
    Stack,
    /// The holder that acts; this needs one.
    Actor,
    /// A document of what arrives, which this world can't have given or its ruleset can't mean.
    Document,
    /// A name, or the id of a stack, which arrives and is there already.
    Taken,
}

/// Why an operation was refused, with its figures.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Cause {
    /// The world has changed since.
    Stale,
    /// What has departed has arrived before.
    Arrived,
    /// The world is not on the revision that a request expects.
    Revision {
        /// The one that it expects.
        expected: u64,
        /// The one on which the world is.
        stands: u64,
    },
    /// The id of a request was used for another operation.
    RequestIdTaken,
    /// A request has more steps than the server takes.
    TooManySteps {
        /// How many it has, at every depth.
        steps: u64,
        /// How many it may have.
        most: u32,
    },
    /// A request would make more changes than the server sends to all.
    TooManyChanges {
        /// How many it would make.
        changes: u64,
        /// How many it may make.
        most: u32,
    },
    /// Something is not there or can't be meant.
    Unknown(Unknown),
    /// 0, or a number that makes no sense here.
    BadAmount,
    /// A container can't have so many slots.
    OutOfBounds {
        /// The container.
        of: Place,
        /// How many were requested.
        slots: u32,
        /// At least so many it has.
        least: u32,
        /// At most so many it has.
        most: u32,
    },
    /// A sum would be beyond what can be counted.
    Overflow,
    /// The holder that acts has not opened this container.
    NotOpen(Place),
    /// A container of the holder that acts is always open to it, and can't be closed.
    AlwaysOpen(Place),
    /// Another holder uses a container.
    InUse {
        /// The container.
        at: Place,
        /// Who has opened it.
        by: HolderId,
    },
    /// Nothing of what was requested lies there.
    EmptySource(Place),
    /// Fewer lie there than were requested.
    NotEnough {
        /// Where.
        at: Place,
        /// How many were requested.
        requested: u64,
        /// How many lie there.
        there: u64,
    },
    /// A kept kind would leave the world or come to the ground.
    Protected(KindId),
    /// The pack of this kind that lies here has something in it.
    NotEmpty(Place),
    /// Nothing may be taken out of this container.
    NoTake(Place),
    /// Nothing may be put into this container.
    NoPut(Place),
    /// A pack of this kind would lie in itself.
    InsideItself(KindId),
    /// Packs would nest too deep.
    TooDeep {
        /// So deep.
        would: u32,
        /// So deep they may.
        most: u32,
    },
    /// The slot is blocked, or a further slot that the item needs is taken, blocked or missing.
    BlockedSlot(Place),
    /// More items would satisfy a filter than a container or holder may have.
    Cap {
        /// The container or holder.
        of: Place,
        /// Which of its caps, from 0.
        cap: u32,
        /// How many items would satisfy the filter.
        would: u64,
        /// How many may.
        count: u32,
    },
    /// A filter does not admit it.
    NotAdmitted {
        /// The container or slot whose filter it is.
        by: Place,
        /// The kind of the stack.
        kind: KindId,
    },
    /// A weight cap would be passed.
    WeightCap {
        /// The container or holder.
        of: Place,
        /// What it would weigh.
        would: Decimal,
        /// Its cap.
        cap: Decimal,
    },
    /// The slot named would hold more than its limit.
    StackLimit {
        /// The slot.
        at: Place,
        /// How many it would hold.
        would: u64,
        /// Its limit for this kind.
        limit: u32,
        /// The kind.
        kind: KindId,
    },
    /// There is too little space.
    NoRoom {
        /// The slot or container.
        at: Place,
        /// How many were requested.
        requested: u64,
        /// For how many there is space.
        room: u64,
    },
}

impl Cause {
    /// Without the figures.
    #[must_use]
    pub fn reason(&self) -> Reason {
        match self {
            Cause::Stale | Cause::Arrived | Cause::Revision { .. } | Cause::RequestIdTaken => Reason::Stale,
            Cause::Unknown(_) => Reason::Unknown,
            Cause::BadAmount
            | Cause::OutOfBounds { .. }
            | Cause::TooManySteps { .. }
            | Cause::TooManyChanges { .. } => Reason::BadAmount,
            Cause::Overflow => Reason::Overflow,
            Cause::NotOpen(_) | Cause::AlwaysOpen(_) => Reason::NotOpen,
            Cause::InUse { .. } => Reason::InUse,
            Cause::EmptySource(_) => Reason::EmptySource,
            Cause::NotEnough { .. } => Reason::NotEnough,
            Cause::Protected(_) => Reason::Protected,
            Cause::NotEmpty(_) => Reason::NotEmpty,
            Cause::NoTake(_) => Reason::NoTake,
            Cause::NoPut(_) => Reason::NoPut,
            Cause::InsideItself(_) => Reason::InsideItself,
            Cause::TooDeep { .. } => Reason::TooDeep,
            Cause::BlockedSlot(_) => Reason::BlockedSlot,
            Cause::Cap { .. } => Reason::Cap,
            Cause::NotAdmitted { .. } => Reason::NotAdmitted,
            Cause::WeightCap { .. } => Reason::WeightCap,
            Cause::StackLimit { .. } => Reason::StackLimit,
            Cause::NoRoom { .. } => Reason::NoRoom,
        }
    }

    /// What was requested (or would be) and what is allowed (or there), where the reason has figures.
    #[must_use]
    pub fn figures(&self) -> Option<(Decimal, Decimal)> {
        let whole =
            |count: u64| Decimal::from_thousandths(i64::try_from(count).unwrap_or(i64::MAX).saturating_mul(1_000));
        match *self {
            Cause::Revision { expected, stands } => Some((whole(expected), whole(stands))),
            Cause::TooManySteps { steps: count, most } | Cause::TooManyChanges { changes: count, most } => {
                Some((whole(count), whole(u64::from(most))))
            }
            Cause::NotEnough { requested, there, .. } => Some((whole(requested), whole(there))),
            Cause::WeightCap { would, cap, .. } => Some((would, cap)),
            Cause::OutOfBounds { slots, least, most, .. } => {
                Some((Decimal::from(slots), Decimal::from(if slots < least { least } else { most })))
            }
            Cause::TooDeep { would, most } => Some((Decimal::from(would), Decimal::from(most))),
            Cause::Cap { would, count, .. } => Some((whole(would), Decimal::from(count))),
            Cause::StackLimit { would, limit, .. } => Some((whole(would), Decimal::from(limit))),
            Cause::NoRoom { requested, room, .. } => Some((whole(requested), whole(room))),
            _ => None,
        }
    }
}

/// An ordinary answer of the rules: no, and why. The world is as it was.
///
/// [`World::explain`](crate::World::explain) puts it into words.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Refusal {
    cause: Cause,
    max_amount: u64,
    step: Option<u32>,
}

impl Refusal {
    pub(crate) fn new(cause: Cause) -> Refusal {
        Refusal { cause, max_amount: 0, step: None }
    }

    pub(super) fn at_step(self, step: usize) -> Refusal {
        Refusal { step: u32::try_from(step).ok(), ..self }
    }

    /// Of several operations as one: which of them is refused, from 0; none if it is what all of them would come to.
    #[must_use]
    pub fn step(&self) -> Option<u32> {
        self.step
    }

    pub(super) fn up_to(self, max_amount: u64) -> Refusal {
        Refusal { max_amount, ..self }
    }

    /// Without the figures.
    #[must_use]
    pub fn reason(&self) -> Reason {
        self.cause.reason()
    }

    /// With the figures.
    #[must_use]
    pub fn cause(&self) -> Cause {
        self.cause
    }

    /// How many could go: as many as would with [`Amount::UpTo`](crate::Amount::UpTo).
    #[must_use]
    pub fn max_amount(&self) -> u64 {
        self.max_amount
    }
}
