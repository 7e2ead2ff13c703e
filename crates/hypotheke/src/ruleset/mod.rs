//! Rulesets: all that the designer decides.
//!
//! A ruleset is read from TOML and CSV ([`toml`](self::toml), [`table`]) or made in code
//! ([`RulesetBuilder`]) into a [`RulesetSource`], which knows the place of each part. [`compile`]
//! checks all of it, lists every fault, and returns a [`Ruleset`]. There is no other way to make
//! one, so every [`Ruleset`] is valid.

mod access;
mod bits;
mod builder;
mod changes;
mod compile;
mod deals;
mod error;
mod falling;
mod filter_analysis;
mod fingerprint;
mod kind;
mod lint;
mod locate;
mod meters;
mod migration;
mod names;
mod patch;
mod places;
mod read;
mod recipes;
mod settings;
mod source;
mod start;
mod table;
mod toml;
mod view;

pub(crate) use access::Border;
pub use access::{Access, AccessList, Right};
pub use builder::{
    ChangeBuilder, ContainerBuilder, DealBuilder, GroupBuilder, HolderBuilder, KindBuilder, MarkBuilder, RecipeBuilder,
    RulesetBuilder, SlotBuilder, TagBuilder,
};
pub use changes::{ChangeEffect, StackChange};
pub(crate) use compile::{FilterNames, MAX_NESTING, UnknownName, compile, compile_changed};
pub(crate) use deals::DealSource;
pub use deals::{Deal, DealSide, Lot, Price, PricedKinds, Rounding, Terms as DealTerms};
pub use error::RulesetErrors;
pub use falling::Falling;
pub(crate) use falling::FallingSource;
pub(crate) use filter_analysis::SampleStack;
pub(crate) use fingerprint::{differ_in_caps_only, fingerprint};
pub use kind::{Kind, Mark, Property, PropertyValue, Tag};
pub(crate) use lint::lint;
pub use meters::{Beyond, Meter};
pub(crate) use migration::ContainerSuccessor;
pub use migration::{MigrationPolicy, MigrationRules, RemovedContents, Renamed, VersionChanges};
pub(crate) use names::is_owner;
pub(crate) use patch::KindPatch;
pub(crate) use places::SlotDef;
pub use places::{Cap, ContainerDef, DepletedShortcut, GroupDef, HolderDef, PutMode, SlotRule, WhenUnfit};
pub(crate) use recipes::RecipeSource;
pub(crate) use recipes::{Allocation, IngredientSource, Laid, Of, Supply};
pub use recipes::{Ingredient, Pattern, Recipe, RecipePart, WhenFull, Yield};
pub(crate) use settings::{Detail, Renames, UNNAMED};
pub use settings::{Setting, SettingClass, Subject, SubjectKind};
pub(crate) use source::{CapSource, FilterSource, HolderSource, PropertySource, RulesetSource, Written};
pub(crate) use start::{StartEntry, StartPortion};
pub(crate) use view::{FilterId, NO_PACK, ONE_SLOT};
pub use view::{Ruleset, Selector};
