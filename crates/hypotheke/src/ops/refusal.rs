use std::fmt;

use serde::{Deserialize, Serialize};

use crate::id::{HolderId, KindId, PropertyId, RecipeId};
use crate::quantity::Decimal;
use crate::ruleset::{RecipePart, Right};
use crate::world::Place;

/// The reason for a refusal, without figures. The order is that of the checks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Reason {
    /// The world has changed in the meantime.
    Stale,
    /// A place, kind or stack that does not exist, or that the operation does not support.
    Unknown,
    /// The recipe is not carried out there.
    NoRecipe,
    /// Items of the kind have no use.
    NoUse,
    /// 0, or a number that is out of bounds.
    BadAmount,
    /// A sum would be too large to count.
    Overflow,
    /// The acting holder has not opened a container.
    NotOpen,
    /// A different holder has opened an exclusive container.
    InUse,
    /// The acting holder may not put items into a container, take items out of it, or open it.
    NotAllowed,
    /// The container works on a recipe already.
    Working,
    /// The container does not work on the recipe.
    NotWorking,
    /// The source contains none of the requested items.
    EmptySource,
    /// The source contains fewer items than requested.
    NotEnough,
    /// The items in a container do not match the pattern of a recipe.
    NoPattern,
    /// The kind is protected: its items cannot be dropped or destroyed.
    Protected,
    /// A pack with contents would leave the world.
    NotEmpty,
    /// The container has `take-by = "nobody"`.
    NoTake,
    /// The container has `put-by = "nobody"`.
    NoPut,
    /// The filter of a container or slot rejects the item.
    NotAdmitted,
    /// A pack would contain itself.
    InsideItself,
    /// Packs would be nested too deeply.
    TooDeep,
    /// The slot is blocked, or a different slot that the item occupies is taken, blocked or
    /// missing.
    BlockedSlot,
    /// A container or holder would exceed a cap.
    Cap,
    /// A container or holder would exceed its weight cap.
    WeightCap,
    /// The slot would exceed its stack limit.
    StackLimit,
    /// The slot is occupied by a different stack, or the container has too little space.
    NoRoom,
    /// A meter would go beyond its bound.
    Meter,
}

impl Reason {
    /// All reasons, in the order in which the checks run.
    pub const ALL: [Reason; 27] = [
        Reason::Stale,
        Reason::Unknown,
        Reason::NoRecipe,
        Reason::NoUse,
        Reason::BadAmount,
        Reason::Overflow,
        Reason::NotOpen,
        Reason::InUse,
        Reason::NotAllowed,
        Reason::Working,
        Reason::NotWorking,
        Reason::EmptySource,
        Reason::NotEnough,
        Reason::NoPattern,
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
        Reason::Meter,
    ];

    /// As it is written in scenarios and messages.
    #[must_use]
    pub fn code(self) -> &'static str {
        match self {
            Reason::Stale => "stale",
            Reason::Unknown => "unknown",
            Reason::NoRecipe => "no-recipe",
            Reason::NoUse => "no-use",
            Reason::BadAmount => "bad-amount",
            Reason::Overflow => "overflow",
            Reason::NotOpen => "not-open",
            Reason::InUse => "in-use",
            Reason::NotAllowed => "not-allowed",
            Reason::Working => "working",
            Reason::NotWorking => "not-working",
            Reason::EmptySource => "empty-source",
            Reason::NotEnough => "not-enough",
            Reason::NoPattern => "no-pattern",
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
            Reason::Meter => "meter",
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

/// The part of an operation that is unknown or unsupported.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Unknown {
    /// A container, holder or slot that does not exist, or a handle of a different world.
    Place,
    /// A place that the operation does not support, such as a swap with the ground.
    UnsupportedPlace,
    /// A kind of a different ruleset.
    Kind,
    /// A mark or property that the ruleset or the kind does not have.
    Variant,
    /// A stack that is not on the ground.
    Stack,
    /// The acting holder: the operation requires one.
    Actor,
    /// An acting holder, where only the game may act.
    GameOnly,
    /// A transfer record that does not fit the world or its ruleset.
    Document,
    /// A name or a stack id in a transfer record that the world already has.
    Taken,
    /// A deal that is not made there.
    Deal,
    /// A recipe of a different ruleset.
    Recipe,
    /// A yield that the recipe does not have.
    Yield,
    /// An operation that no list may contain.
    NotInList,
    /// A trade of a holder with itself, or of a kind for itself.
    SameSides,
}

/// The reason for a refusal, with its figures.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum Cause {
    /// The world has changed since.
    Stale,
    /// The transfer record has arrived before.
    Arrived,
    /// The world is at a different revision than the request expects.
    Revision {
        /// The expected revision.
        expected: u64,
        /// The present revision.
        stands: u64,
    },
    /// The id of the request belongs to a different operation.
    RequestIdTaken,
    /// The request has more steps than the server accepts.
    TooManySteps {
        /// The number of its steps, at every depth.
        steps: u64,
        /// The maximum.
        max: u32,
    },
    /// The request would make more changes than the server sends.
    TooManyChanges {
        /// The number of changes.
        changes: u64,
        /// The maximum.
        max: u32,
    },
    /// A part of the operation is unknown or unsupported.
    Unknown(Unknown),
    /// 0, or a number that is out of bounds.
    BadAmount,
    /// The recipe draws what it makes, or has no inputs, so that it is carried out once at a time.
    OneAtATime {
        /// The recipe.
        recipe: RecipeId,
    },
    /// The deal is made in lots only.
    NoLot {
        /// The number of items in one.
        size: u32,
    },
    /// The number of slots is out of bounds.
    OutOfBounds {
        /// The container.
        of: Place,
        /// The requested number of slots.
        slots: u32,
        /// The minimum.
        min: u32,
        /// The maximum.
        max: u32,
    },
    /// A sum would be too large to count.
    Overflow,
    /// The acting holder has not opened this container.
    NotOpen(Place),
    /// The container belongs to the acting holder. It is always open and cannot be closed.
    AlwaysOpen(Place),
    /// A different holder has opened an exclusive container.
    InUse {
        /// The container.
        at: Place,
        /// The holder that has opened it.
        by: HolderId,
    },
    /// The acting holder is not among those who may.
    NotAllowed {
        /// The container.
        at: Place,
        /// What it may not do with it.
        right: Right,
    },
    /// The acting holder does not own this container.
    NotOwner(Place),
    /// The acting holder is not among those who may make a deal.
    NotInDeal {
        /// The container.
        at: Place,
        /// Its number among the deals of the ruleset.
        deal: u32,
    },
    /// The recipe is not carried out at this container.
    NoRecipe {
        /// The container.
        at: Place,
        /// The recipe.
        recipe: RecipeId,
    },
    /// Items of this kind have no use.
    NoUse(KindId),
    /// The acting holder is not among those who may carry out a recipe.
    NotInRecipe {
        /// The container.
        at: Place,
        /// The recipe.
        recipe: RecipeId,
    },
    /// The container works on a recipe that takes time.
    Working {
        /// The container.
        at: Place,
        /// The recipe that it works on.
        recipe: RecipeId,
    },
    /// The container does not work on this recipe.
    NotWorking {
        /// The container.
        at: Place,
        /// The recipe.
        recipe: RecipeId,
    },
    /// More falls due within a wait than it may look at.
    TooManyDue {
        /// The number of times that it would look at something that is due.
        due: u64,
        /// The maximum.
        max: u64,
    },
    /// A recipe requires more items than there are for it.
    Missing {
        /// The container, or the holder.
        at: Place,
        /// The recipe.
        recipe: RecipeId,
        /// Which of its inputs or tools.
        part: RecipePart,
        /// The number that it requires.
        required: u64,
        /// The number that is there for it.
        there: u64,
    },
    /// The container has enough inputs of a recipe, but not in its pattern.
    NoPattern {
        /// The container.
        at: Place,
        /// The recipe.
        recipe: RecipeId,
    },
    /// The source contains none of the requested items.
    EmptySource {
        /// The source.
        at: Place,
        /// The requested kind; `None` if the request named no kind.
        kind: Option<KindId>,
    },
    /// No stack of the holder matches a kind in the container.
    NothingToDeposit {
        /// The holder.
        holder: HolderId,
        /// The container.
        into: Place,
    },
    /// The source contains fewer items than requested.
    NotEnough {
        /// The source.
        at: Place,
        /// The requested number.
        requested: u64,
        /// The number that the source contains.
        there: u64,
    },
    /// One side of a deal or a trade has fewer items of a kind than it would give.
    TooFew {
        /// The holder or the container.
        at: Place,
        /// The kind.
        kind: KindId,
        /// The number that it would give.
        requested: u64,
        /// The number that it has.
        there: u64,
    },
    /// A protected item would be dropped or destroyed.
    Protected(KindId),
    /// The pack in this place has contents.
    NotEmpty(Place),
    /// This container has `take-by = "nobody"`.
    NoTake(Place),
    /// This container has `put-by = "nobody"`.
    NoPut(Place),
    /// A pack of this kind would contain itself.
    InsideItself(KindId),
    /// Packs would be nested too deeply.
    TooDeep {
        /// The resulting depth.
        would: u32,
        /// The maximum depth.
        max: u32,
    },
    /// The slot is blocked, or a further slot that the item needs is taken, blocked or missing.
    BlockedSlot(Place),
    /// A container or holder would exceed a cap.
    Cap {
        /// The container or holder.
        of: Place,
        /// The number of the cap, from 0.
        cap: u32,
        /// The resulting number of items that match the filter.
        would: u64,
        /// The cap.
        count: u32,
    },
    /// The world would have more items of a kind than its `most-in-world`.
    MostInWorld {
        /// The kind.
        kind: KindId,
        /// The resulting number of items.
        would: u64,
        /// The maximum number.
        most: u32,
    },
    /// A filter rejects the item.
    NotAdmitted {
        /// The container or slot that has the filter.
        by: Place,
        /// The kind of the stack.
        kind: KindId,
    },
    /// A container or holder would exceed its weight cap.
    WeightCap {
        /// The container or holder.
        of: Place,
        /// The resulting weight.
        would: Decimal,
        /// Its cap.
        cap: Decimal,
    },
    /// The slot named would hold more than its limit.
    StackLimit {
        /// The slot.
        at: Place,
        /// The resulting number of items.
        would: u64,
        /// Its stack limit for this kind.
        limit: u32,
        /// The kind.
        kind: KindId,
    },
    /// The slot is occupied, or the container has too little space.
    NoRoom {
        /// The slot or container.
        at: Place,
        /// The requested number.
        requested: u64,
        /// The number of items that fit.
        room: u64,
    },
    /// A use would lower a property of the item below 0.
    TooLow {
        /// The item.
        at: Place,
        /// The property.
        property: PropertyId,
        /// Its value.
        value: Decimal,
        /// By how much a use lowers it.
        by: Decimal,
    },
    /// A meter of the acting holder would go beyond its bound.
    Meter {
        /// The holder.
        holder: HolderId,
        /// The number of the meter, from 0.
        meter: u32,
        /// The resulting value.
        would: Decimal,
        /// The bound.
        bound: Decimal,
    },
}

impl Cause {
    /// The reason without figures.
    #[must_use]
    pub fn reason(&self) -> Reason {
        match self {
            Cause::Stale | Cause::Arrived | Cause::Revision { .. } | Cause::RequestIdTaken => Reason::Stale,
            Cause::Unknown(_) => Reason::Unknown,
            Cause::NoRecipe { .. } => Reason::NoRecipe,
            Cause::NoUse(_) => Reason::NoUse,
            Cause::BadAmount
            | Cause::NoLot { .. }
            | Cause::OneAtATime { .. }
            | Cause::OutOfBounds { .. }
            | Cause::TooManySteps { .. }
            | Cause::TooManyDue { .. }
            | Cause::TooManyChanges { .. } => Reason::BadAmount,
            Cause::Overflow => Reason::Overflow,
            Cause::NotOpen(_) | Cause::AlwaysOpen(_) => Reason::NotOpen,
            Cause::InUse { .. } => Reason::InUse,
            Cause::NotAllowed { .. } | Cause::NotOwner(_) | Cause::NotInDeal { .. } | Cause::NotInRecipe { .. } => {
                Reason::NotAllowed
            }
            Cause::Working { .. } => Reason::Working,
            Cause::NoPattern { .. } => Reason::NoPattern,
            Cause::NotWorking { .. } => Reason::NotWorking,
            Cause::EmptySource { .. } | Cause::NothingToDeposit { .. } => Reason::EmptySource,
            Cause::NotEnough { .. } | Cause::TooFew { .. } | Cause::Missing { .. } | Cause::TooLow { .. } => {
                Reason::NotEnough
            }
            Cause::Protected(_) => Reason::Protected,
            Cause::NotEmpty(_) => Reason::NotEmpty,
            Cause::NoTake(_) => Reason::NoTake,
            Cause::NoPut(_) => Reason::NoPut,
            Cause::InsideItself(_) => Reason::InsideItself,
            Cause::TooDeep { .. } => Reason::TooDeep,
            Cause::BlockedSlot(_) => Reason::BlockedSlot,
            Cause::Cap { .. } | Cause::MostInWorld { .. } => Reason::Cap,
            Cause::NotAdmitted { .. } => Reason::NotAdmitted,
            Cause::WeightCap { .. } => Reason::WeightCap,
            Cause::StackLimit { .. } => Reason::StackLimit,
            Cause::NoRoom { .. } => Reason::NoRoom,
            Cause::Meter { .. } => Reason::Meter,
        }
    }

    /// The figures: the value that was requested or would result, and the limit or the number
    /// present. None if the reason has no figures.
    #[must_use]
    pub fn figures(&self) -> Option<(Decimal, Decimal)> {
        let whole =
            |count: u64| Decimal::from_thousandths(i64::try_from(count).unwrap_or(i64::MAX).saturating_mul(1_000));
        match *self {
            Cause::Revision { expected, stands } => Some((whole(expected), whole(stands))),
            Cause::TooManySteps { steps: count, max } | Cause::TooManyChanges { changes: count, max } => {
                Some((whole(count), whole(u64::from(max))))
            }
            Cause::NotEnough { requested, there, .. } | Cause::TooFew { requested, there, .. } => {
                Some((whole(requested), whole(there)))
            }
            Cause::TooManyDue { due, max } => Some((whole(due), whole(max))),
            Cause::Missing { required, there, .. } => Some((whole(required), whole(there))),
            Cause::WeightCap { would, cap, .. } => Some((would, cap)),
            Cause::TooLow { value, by, .. } => Some((by, value)),
            Cause::Meter { would, bound, .. } => Some((would, bound)),
            Cause::OutOfBounds { slots, min, max, .. } => {
                Some((Decimal::from(slots), Decimal::from(if slots < min { min } else { max })))
            }
            Cause::TooDeep { would, max } => Some((Decimal::from(would), Decimal::from(max))),
            Cause::Cap { would, count: most, .. } | Cause::MostInWorld { would, most, .. } => {
                Some((whole(would), Decimal::from(most)))
            }
            Cause::StackLimit { would, limit, .. } => Some((whole(would), Decimal::from(limit))),
            Cause::NoRoom { requested, room, .. } => Some((whole(requested), whole(room))),
            _ => None,
        }
    }
}

/// A refused operation and its reason. The world is unchanged.
///
/// [`World::explain`](crate::World::explain) gives it in words.
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

    /// For a `together` operation: the refused step, from 0; `None` if the result of all steps is
    /// refused.
    #[must_use]
    pub fn step(&self) -> Option<u32> {
        self.step
    }

    pub(super) fn up_to(self, max_amount: u64) -> Refusal {
        Refusal { max_amount, ..self }
    }

    /// The reason without figures.
    #[must_use]
    pub fn reason(&self) -> Reason {
        self.cause.reason()
    }

    /// The reason with its figures.
    #[must_use]
    pub fn cause(&self) -> Cause {
        self.cause
    }

    /// The largest amount that would be applied, as with [`Amount::UpTo`](crate::Amount::UpTo).
    #[must_use]
    pub fn max_amount(&self) -> u64 {
        self.max_amount
    }
}
