//! Write down how a game's inventories work, and verify that sequences of operations keep the
//! rules.
//!
//! A [`Ruleset`] has all decisions of a designer: item kinds, tags, containers, holders, limits. A
//! [`World`] is the whole state. An [`Operation`] is a request to change it. It is applied,
//! completely or where requested partly, or refused with a [`Refusal`] that has the reason and its
//! figures. A refused one changes nothing.
//!
//! ```
//! use hypotheke::{Amount, Operation, Reason, Ruleset, World};
//!
//! // A sled bears 180 kg, a drum weighs 46.
//! let rules = Ruleset::builder()
//!     .weight_unit("kg")
//!     .kind("fuel-drum", |kind| kind.weight(46.into()).stack_limit(4))
//!     .container("depot", |depot| depot.slots(8))
//!     .container("sled", |sled| sled.slots(4).weight_cap(180.into()))
//!     .start("depot", ["6 fuel-drum"])
//!     .build()?;
//! let mut world = World::new(&rules.into());
//! let (depot, sled) = (world.container("depot").unwrap(), world.container("sled").unwrap());
//!
//! // Exactly four: refused; three would fit.
//! let refusal = world.perform(&Operation::moving(Amount::Exactly(4), depot, sled)).unwrap_err();
//! assert_eq!(refusal.reason(), Reason::WeightCap);
//! assert_eq!(refusal.max_amount(), 3);
//! assert_eq!(world.explain(&refusal), "sled would weigh 184 kg; its cap is 180 kg");
//!
//! // Up to four: three go, one is left, and an event says from where to where.
//! let outcome = world.perform(&Operation::moving(Amount::UpTo(4), depot, sled)).unwrap();
//! assert_eq!((outcome.done(), outcome.requested()), (3, Some(4)));
//! assert_eq!(world.describe_event(&world.events()[0]), "3 fuel-drum: depot/0 to sled/0");
//! # Ok::<(), hypotheke::RulesetErrors>(())
//! ```
//!
//! # Three ways to say an operation
//!
//! - By handles, as above: [`Operation`] with [`ContainerId`], [`KindId`] and so on, which are
//!   looked up once and cheap.
//! - By names, as plain data that can be stored and sent: [`NamedOperation`], which
//!   [`NamedOperation::resolve`] turns into handles.
//! - As a sentence: `"move 3 fuel-drum from depot to sled".parse::<NamedOperation>()`, as files and
//!   messages write it.
//!
//! # Asking before acting
//!
//! [`World::dry_run`] returns the result of an operation. [`World::plan`] also returns a [`Plan`],
//! which [`World::apply`] performs unless the world has changed. [`World::perform`] does both, with
//! the same result.
//!
//! [`World::ask`] returns every reason against an operation, not only the first, and
//! [`World::room_by_slot`] the number of items of a dragged stack that each slot takes.
//! [`World::count`], [`World::has`], [`World::find`] and [`World::room_for`] answer questions about
//! the contents.
//!
//! # Coming and going
//!
//! [`Operation::departing`] lets a container or a holder leave with all that it has, as a
//! [`Departure`] that can be stored and sent; [`Operation::arriving`] brings it into a world, once.
//!
//! # In a game
//!
//! Look handles up once, by the names of the ruleset, and keep them where the game keeps its own
//! things. Perform operations; show [`World::explain`] where one is refused; after each, read
//! [`World::events`] and bring what you draw in step. [`World::stacks`], [`World::ground`] and
//! [`World::describe_stack`] say what to draw. Save [`World::snapshot`] with `serde`, in any form;
//! [`World::from_snapshot`] reads it back.
//!
//! ```
//! use hypotheke::{Amount, Event, Operation, Ruleset, LiftAmount, Snapshot, World};
//!
//! let rules = Ruleset::builder()
//!     .kind("flare", |kind| kind.stack_limit(6))
//!     .container("depot", |depot| depot.slots(4))
//!     .container("pockets", |pockets| pockets.slots(2))
//!     .holder("surveyor", ["pockets"], |surveyor| surveyor)
//!     .start("depot", ["9 flare"])
//!     .build()?;
//! let rules = rules.into();
//! let mut world = World::new(&rules);
//! let (depot, surveyor) = (world.container("depot").unwrap(), world.holder("surveyor").unwrap());
//! let pockets = world.container("surveyor.pockets").unwrap();
//!
//! // A drag: half of a stack into the hand, then onto a slot.
//! world.perform(&Operation::lifting(LiftAmount::Half, (depot, 0), surveyor)).unwrap().done();
//! world.perform(&Operation::putting(Amount::All, (pockets, 1), surveyor)).unwrap().done();
//! for event in world.events() {
//!     if let Event::Moved { to, .. } = event {
//!         assert_eq!(world.place_of_end(to), Some((pockets, 1).into()));
//!     }
//! }
//! let drawn: Vec<String> = world.stacks(depot).map(|(slot, stack)| format!("{slot}: {}", stack.count())).collect();
//! assert_eq!(drawn, ["0: 3", "1: 3"]);
//!
//! let saved: String = serde_json::to_string(&world.snapshot()).unwrap();
//! let read: Snapshot = serde_json::from_str(&saved).unwrap();
//! assert_eq!(World::from_snapshot(&rules, &read).unwrap().snapshot(), world.snapshot());
//! # Ok::<(), hypotheke::RulesetErrors>(())
//! ```
//!
//! [`replication`] is for games on several machines: requests that are applied once however often they
//! come, updates that copies follow, a server and clients that act ahead. [`World::reload`] takes a
//! running world over to an edited ruleset.
//!
//! # Undo
//!
//! [`World::set_undo_limit`] keeps the latest operations, and [`World::undo`] undoes them exactly,
//! the latest first.
//!
//! # Files
//!
//! [`Ruleset::load`] reads a ruleset and the tables beside it, [`ScenarioFile::load`] scenarios;
//! both exist for text in memory too. What is wrong comes as [`text::Diagnostics`]: every fault
//! with its place, its cause and a remedy. [`scenario`] plays scenarios and reports as data.
//!
//! # What costs what
//!
//! Finding slots, adding up weights and deciding filters does not grow with the number of slots or
//! kinds: a container of more than 64 slots keeps ordered indexes of what it holds. An operation
//! costs what it changes. A refusal allocates nothing; it becomes words only in [`World::explain`].
//!
//! # Errors
//!
//! Three things are separate. A [`Refusal`] is an ordinary answer of the rules. An error
//! ([`RulesetErrors`], [`ScenarioErrors`], [`LoadError`], [`ResolveError`], [`SentenceError`]) is
//! wrong input. Neither panics. A handle of a different world, or of a removed container, is
//! refused as [`Reason::Unknown`].
//!
//! The laws that operations keep, the ruleset file and the scenario language have pages of their
//! own in the project's `docs` folder.

mod audit;
mod compare;
pub mod conformance;
pub mod coverage;
pub mod explore;
mod filter;
pub mod fits;
mod id;
mod language;
mod load;
mod migration;
mod moment;
mod narrow;
mod ops;
mod quantity;
mod query;
pub mod replication;
mod ruleset;
pub mod save;
pub mod save_checks;
pub mod scenario;
pub mod snapshot;
pub mod store;
pub mod text;
mod world;

pub use audit::{IncrementalAudit, Law, StepAudit, Violation, audit};
pub use compare::{RuleDifference, compare};
pub use filter::{Comparison, Filter, FilterError, Literal};
pub use id::{
    ContainerDefId, ContainerId, DepartureId, HolderDefId, HolderId, KindId, MarkId, PropertyId, RecipeId, StackId,
    TagId,
};
pub use language::{
    ActionOf, Amount, Landing, LiftAmount, NamedAction, NamedArrival, NamedEvent, NamedLocation, NamedOperation,
    NamedPortion, NamedVariant, Names, OfferedOf, OperationOf, Path, PathError, PathRoot, PathStep, PlainTerms,
    Position, SentenceError, SortKey, Terms,
};
pub use load::LoadError;
pub use migration::{Difference, Migrated, MigrationError};
pub use ops::{
    Action, ApplyError, Cause, Handles, Offered, Operation, Outcome, Plan, Quote, Reason, Refusal, Reply, ResolveError,
    Room, SlotRoom, Unknown, Variant,
};
pub use quantity::{Decimal, DecimalError};
pub use query::Description;
pub use ruleset::{
    Access, AccessList, Beyond, Cap, ChangeBuilder, ChangeEffect, ContainerBuilder, ContainerDef, Deal, DealBuilder,
    DealSide, DealTerms, DepletedShortcut, Falling, GroupBuilder, GroupDef, HolderBuilder, HolderDef, Ingredient, Kind,
    KindBuilder, Lot, Mark, MarkBuilder, Meter, MigrationPolicy, MigrationRules, Pattern, Price, PricedKinds, Property,
    PropertyValue, PutMode, Recipe, RecipeBuilder, RecipePart, RemovedContents, Renamed, Right, Rounding, Ruleset,
    RulesetBuilder, RulesetErrors, Selector, Setting, SettingClass, SlotBuilder, SlotRule, StackChange, Subject,
    SubjectKind, Tag, TagBuilder, VersionChanges, WhenFull, WhenUnfit, Yield,
};
pub use scenario::{ScenarioErrors, ScenarioFile};
pub use snapshot::{Departure, Departures, Snapshot, SnapshotError};
pub use world::{
    CapCount, DepartingEntity, Discrepancy, Event, Job, KindTotals, OwnerName, PackContents, Place, SlotView,
    StackClass, StackLocation, StackView, UnknownPlace, World,
};

/// The examples of the README and of these pages are tests.
#[cfg(doctest)]
mod documents {
    #[doc = include_str!("../../../README.md")]
    struct Readme;
    #[doc = include_str!("../../../docs/programmer/embed.md")]
    struct Embed;
    #[doc = include_str!("../../../docs/programmer/drag-and-drop.md")]
    struct DragAndDrop;
}
