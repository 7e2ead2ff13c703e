//! Kinds, tags, marks and properties, as they are read.

use super::places::ContainerDef;
use super::view::{KindDef, PropertyDef, Ruleset};
use crate::id::{KindId, PropertyId, TagId};
use crate::quantity::Decimal;

/// A tag: a dotted label of kinds.
#[derive(Clone, Debug)]
pub struct Tag {
    pub(super) name: Box<str>,
    pub(super) parent: Option<TagId>,
    pub(super) label: Option<String>,
    pub(super) note: String,
    pub(super) stack_limit: Option<u32>,
}

/// A mark: a label that a stack may gain.
#[derive(Clone, Debug)]
pub struct Mark {
    pub(super) name: Box<str>,
    pub(super) label: Option<String>,
    pub(super) note: String,
}

/// A property that some kind lists.
#[derive(Clone, Debug)]
pub struct Property {
    pub(super) name: Box<str>,
    pub(super) is_text: bool,
}

/// What a property of a kind holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PropertyValue<'r> {
    /// A number; a stack may have another than its kind.
    Number(Decimal),
    /// A text, the same for all stacks of the kind.
    Text(&'r str),
}

/// One item kind of a ruleset.
#[derive(Clone, Copy, Debug)]
pub struct Kind<'r> {
    pub(super) rules: &'r Ruleset,
    pub(super) id: KindId,
}

impl<'r> Kind<'r> {
    fn def(self) -> &'r KindDef {
        &self.rules.kinds[self.id.index()]
    }

    /// Its handle.
    #[must_use]
    pub fn handle(self) -> KindId {
        self.id
    }

    /// Its id, such as `fuel-drum`.
    #[must_use]
    pub fn id(self) -> &'r str {
        self.rules.arena.get(self.def().id)
    }

    /// What players call it.
    #[must_use]
    pub fn name(self) -> &'r str {
        self.rules.arena.get(self.def().name)
    }

    /// A few words about it; may be empty.
    #[must_use]
    pub fn note(self) -> &'r str {
        self.rules.arena.get(self.def().note)
    }

    /// Its tags and all tags above them, by name.
    pub fn tags(self) -> impl Iterator<Item = &'r str> {
        self.rules.tag_set_of(self.id).iter().map(|&tag| &*self.rules.tag(tag).name)
    }

    /// True if it carries the tag or one below it.
    #[must_use]
    pub fn has_tag(self, tag: TagId) -> bool {
        self.rules.tag_set_of(self.id).binary_search(&tag).is_ok()
    }

    /// The weight of one item.
    #[must_use]
    pub fn weight(self) -> Decimal {
        Decimal::from_thousandths(self.rules.figures[self.id.index()].weight)
    }

    /// The value of one item.
    #[must_use]
    pub fn value(self) -> Decimal {
        self.def().value
    }

    /// The most items of a stack: its own limit, else the least default of its tags, else the ruleset's, else 1.
    #[must_use]
    pub fn stack_limit(self) -> u32 {
        self.rules.figures[self.id.index()].stack_limit
    }

    /// True if it can be neither consumed nor brought to the ground.
    #[must_use]
    pub fn is_protected(self) -> bool {
        self.rules.figures[self.id.index()].is_protected
    }

    /// What it adds to the attributes of who wears it.
    pub fn attributes(self) -> impl Iterator<Item = (&'r str, Decimal)> {
        let grants = &self.rules.grants;
        let start = grants.partition_point(|(kind, ..)| *kind < self.id);
        let own = grants[start..].iter().take_while(move |(kind, ..)| *kind == self.id);
        own.map(|(_, attribute, number)| (&*self.rules.attributes[*attribute], *number))
    }

    /// The named slots that it needs at once, where it lies in one of them; empty if it needs only one.
    pub fn occupied_slots(self) -> impl Iterator<Item = &'r str> {
        let needs = self.rules.needs.get(self.rules.figures[self.id.index()].needs as usize);
        needs.into_iter().flatten().map(|slot| &**slot)
    }

    /// The container that each stack of it brings along.
    #[must_use]
    pub fn pack(self) -> Option<&'r ContainerDef> {
        self.rules.containers.get(self.rules.figures[self.id.index()].pack as usize)
    }

    /// The limit that the kind states itself.
    #[must_use]
    pub fn own_stack_limit(self) -> Option<u32> {
        self.def().own_stack_limit
    }

    /// Its properties with their first values.
    pub fn properties(self) -> impl Iterator<Item = (PropertyId, PropertyValue<'r>)> {
        let (start, end) = self.def().properties;
        self.rules.kind_properties[start as usize..end as usize].iter().map(move |(id, value)| {
            let value = match value {
                PropertyDef::Number(number) => PropertyValue::Number(*number),
                PropertyDef::Text(text) => PropertyValue::Text(self.rules.arena.get(*text)),
            };
            (*id, value)
        })
    }

    /// The first value of a property, if the kind lists it.
    #[must_use]
    pub fn property(self, property: PropertyId) -> Option<PropertyValue<'r>> {
        self.properties().find(|(id, _)| *id == property).map(|(_, value)| value)
    }
}

impl Tag {
    /// Its name, such as `sample.ice`.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The tag above it.
    #[must_use]
    pub fn parent(&self) -> Option<TagId> {
        self.parent
    }

    /// What players call it; its name where nothing else is given.
    #[must_use]
    pub fn label(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.name)
    }

    /// A few words about it; may be empty.
    #[must_use]
    pub fn note(&self) -> &str {
        &self.note
    }

    /// The stack limit of kinds with this tag and none of their own.
    #[must_use]
    pub fn stack_limit(&self) -> Option<u32> {
        self.stack_limit
    }
}

impl Mark {
    /// Its name, such as `contaminated`.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// What players call it; its name where nothing else is given.
    #[must_use]
    pub fn label(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.name)
    }

    /// A few words about it; may be empty.
    #[must_use]
    pub fn note(&self) -> &str {
        &self.note
    }
}

impl Property {
    /// Its name, such as `reading`.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// True if it holds texts, false if numbers.
    #[must_use]
    pub fn is_text(&self) -> bool {
        self.is_text
    }
}
