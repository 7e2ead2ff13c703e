//! The terms of an operation, names or handles, and the conversion between them.

use super::action::OperationOf;
use super::verb::Verb;
use super::{NamedVariant, Path};
use crate::text::Word;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use std::fmt::Debug;

/// In what terms an operation is said: by names ([`Names`]), as files and messages do, or by
/// [handles](crate::Handles).
pub trait Terms: Clone + Debug + PartialEq + Eq {
    /// A holder that acts.
    type Actor: Clone + Debug + PartialEq + Eq;
    /// A kind of item.
    type Kind: Clone + Debug + PartialEq + Eq;
    /// A mark.
    type Mark: Clone + Debug + PartialEq + Eq;
    /// A property.
    type Property: Clone + Debug + PartialEq + Eq;
    /// A recipe.
    type Recipe: Clone + Debug + PartialEq + Eq;
    /// Marks and properties of created items.
    type Variant: Clone + Debug + Default + PartialEq + Eq;
    /// A place.
    type Place: Clone + Debug + PartialEq + Eq;
    /// A place for which the holder that acts may stand.
    type OwnPlace: Clone + Debug + PartialEq + Eq;
    /// A stack on the ground, or all of it.
    type Landed: Clone + Debug + PartialEq + Eq;
    /// What arrives.
    type Arrival: Clone + Debug + PartialEq + Eq;

    /// The place that is meant, if it is said.
    fn said(own: &Self::OwnPlace) -> Option<&Self::Place>;
}

/// By names: what is stored and sent.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Names;

/// Terms that can be stored and sent.
pub trait PlainTerms:
    Terms<
        Actor: Serialize + DeserializeOwned,
        Kind: Serialize + DeserializeOwned,
        Mark: Serialize + DeserializeOwned,
        Property: Serialize + DeserializeOwned,
        Recipe: Serialize + DeserializeOwned,
        Variant: Serialize + DeserializeOwned,
        Place: Serialize + DeserializeOwned,
        OwnPlace: Serialize + DeserializeOwned,
        Landed: Serialize + DeserializeOwned,
        Arrival: Serialize + DeserializeOwned,
    >
{
}

impl PlainTerms for Names {}

impl Terms for Names {
    type Actor = Word;
    type Kind = Word;
    type Mark = Word;
    type Property = Word;
    type Recipe = Word;
    type Variant = NamedVariant;
    type Place = Path;
    type OwnPlace = Option<Path>;
    type Landed = Option<Path>;
    type Arrival = NamedArrival;

    fn said(own: &Option<Path>) -> Option<&Path> {
        own.as_ref()
    }
}

/// What arrives, by name.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NamedArrival {
    /// What has departed under this name; a newcomer gets it.
    pub name: Word,
    /// Which of the ruleset's holders a newcomer is.
    #[serde(default, rename = "as", skip_serializing_if = "Option::is_none")]
    pub newcomer: Option<Word>,
}

/// What to make of a place: what may be meant there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    /// Any place of a stack.
    Lying,
    /// A slot or a container, with what helps where the ground is named.
    Slots(&'static str),
    Slot,
    /// The place of one stack.
    Stack,
    Container,
    Shortcut,
    /// A container without a holder, or a holder.
    Departing,
}

/// Goes from one kind of terms to another.
pub(crate) trait Translate<T: Terms> {
    type Into: Terms;
    type Error;

    /// A kind together with marks and properties.
    fn created(&self, kind: &T::Kind, variant: &T::Variant) -> Result<Created<Self::Into>, Self::Error>;
    fn kind(&self, kind: &T::Kind) -> Result<<Self::Into as Terms>::Kind, Self::Error>;
    /// The kind of the items taken from a place, if it is named.
    fn kind_from(&self, kind: Option<&T::Kind>, from: Option<&T::Place>) -> MaybeKind<Self::Into, Self::Error>;
    fn kind_landed(&self, kind: Option<&T::Kind>, from: &T::Landed) -> MaybeKind<Self::Into, Self::Error>;
    fn holder(&self, holder: &T::Actor) -> Result<<Self::Into as Terms>::Actor, Self::Error>;
    fn mark(&self, mark: &T::Mark) -> Result<<Self::Into as Terms>::Mark, Self::Error>;
    fn property(&self, property: &T::Property) -> Result<<Self::Into as Terms>::Property, Self::Error>;
    fn recipe(&self, recipe: &T::Recipe) -> Result<<Self::Into as Terms>::Recipe, Self::Error>;
    fn place(&self, place: &T::Place, role: Role) -> Result<<Self::Into as Terms>::Place, Self::Error>;
    /// A place for which the holder that acts may stand, in an operation with such a verb, after a
    /// word.
    fn own_place(
        &self,
        place: &T::OwnPlace,
        verb: Verb,
        after: &str,
    ) -> Result<<Self::Into as Terms>::OwnPlace, Self::Error>;
    fn landed(&self, from: &T::Landed) -> Result<<Self::Into as Terms>::Landed, Self::Error>;
    fn arrival(&self, who: &T::Arrival) -> Result<<Self::Into as Terms>::Arrival, Self::Error>;
    /// One operation of a list, by its number.
    fn step(&self, index: usize, step: &OperationOf<T>) -> Result<OperationOf<Self::Into>, Self::Error>;
}

type Created<T> = (<T as Terms>::Kind, <T as Terms>::Variant);

type MaybeKind<T, E> = Result<Option<<T as Terms>::Kind>, E>;
