//! Hypotheke.
mod filter;
mod id;
mod language;
mod load;
mod ops;
mod quantity;
mod ruleset;
pub mod scenario;
pub mod text;
mod world;

pub use filter::{Comparison, Filter, FilterError, Literal};
pub use id::{ContainerDefId, ContainerId, HolderDefId, HolderId, KindId, MarkId, PropertyId, StackId, TagId};
pub use language::{
    Amount, Landing, NamedAction, NamedOperation, NamedPortion, NamedVariant, Path, PathError, PathRoot, PathStep, Position,
    SentenceError,
};
pub use load::LoadError;
pub use ops::{Action, Cause, Operation, Outcome, Plan, Reason, Refusal, ResolveError, Unknown, Variant};
pub use quantity::{Decimal, DecimalError};
pub use ruleset::{
    ContainerBuilder, ContainerDef, HolderBuilder, HolderDef, Kind, KindBuilder, Mark, Property, PropertyValue, Ruleset,
    RulesetBuilder, RulesetErrors, SlotRule, Tag, TagBuilder,
};
pub use scenario::{ScenarioErrors, ScenarioFile};
pub use world::{Class, End, Event, Place, SlotView, StackView, Tally, UnknownPlace, World};
