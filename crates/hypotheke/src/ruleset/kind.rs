//! Kinds, tags, marks and properties.

use super::falling::Falling;
use super::meters::UseOf;
use super::places::ContainerDef;
use super::view::{KindDef, PropertyDef, Ruleset};
use crate::id::{KindId, PropertyId, TagId};
use crate::narrow;
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

/// A property that at least one kind lists.
#[derive(Clone, Debug)]
pub struct Property {
    pub(super) name: Box<str>,
    pub(super) is_text: bool,
    pub(super) falls: Option<Falling>,
}

/// The value of a property of a kind.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PropertyValue<'r> {
    /// A number; a stack may have a different one.
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

    /// The name that players see.
    #[must_use]
    pub fn name(self) -> &'r str {
        self.rules.arena.get(self.def().name)
    }

    /// A short note; may be empty.
    #[must_use]
    pub fn note(self) -> &'r str {
        self.rules.arena.get(self.def().note)
    }

    /// Its tags and all tags above them, by name.
    pub fn tags(self) -> impl Iterator<Item = &'r str> {
        self.rules.tag_set_of(self.id).iter().map(|&tag| &*self.rules.tag(tag).name)
    }

    /// True if it has the tag or a tag below it.
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

    /// The maximum number of items of a stack: its own limit, else the smallest limit of its tags,
    /// else that of the ruleset, else 1.
    #[must_use]
    pub fn stack_limit(self) -> u32 {
        self.rules.figures[self.id.index()].stack_limit
    }

    /// The maximum number of items in the world, hands and packs included; `None` without a limit.
    #[must_use]
    pub fn max_in_world(self) -> Option<u32> {
        self.def().max_in_world
    }

    /// True if its items cannot be dropped or destroyed.
    #[must_use]
    pub fn is_protected(self) -> bool {
        self.rules.figures[self.id.index()].is_protected
    }

    /// The attributes that a worn item adds to its holder.
    pub fn attributes(self) -> impl Iterator<Item = (&'r str, Decimal)> {
        let grants = &self.rules.grants;
        let start = grants.partition_point(|(kind, ..)| *kind < self.id);
        let own = grants[start..].iter().take_while(move |(kind, ..)| *kind == self.id);
        own.map(|(_, attribute, number)| (&*self.rules.attributes[*attribute], *number))
    }

    fn use_of(self) -> Option<&'r UseOf> {
        self.rules.uses.get(&narrow::index(self.id.index()))
    }

    /// Whether holders can use an item.
    #[must_use]
    pub fn has_use(self) -> bool {
        self.use_of().is_some()
    }

    /// By how much one use lowers each property of the item, which then stays. Without any, the item
    /// is used up.
    #[must_use]
    pub fn lowered(self) -> &'r [(PropertyId, Decimal)] {
        self.use_of().map_or(&[], |use_of| &use_of.lowers)
    }

    /// By how much one use of an item changes each meter of the holder that uses it.
    #[must_use]
    pub fn effects(self) -> impl ExactSizeIterator<Item = (&'r str, Decimal)> {
        let effects = self.use_of().map_or(&[][..], |use_of| &use_of.effects);
        effects.iter().map(|(meter, number)| (&**meter, *number))
    }

    /// The named slots that an item occupies, all of them; empty if it occupies only its own slot.
    pub fn occupied_slots(self) -> impl Iterator<Item = &'r str> {
        let needs = self.rules.needs.get(self.rules.figures[self.id.index()].needs as usize);
        needs.into_iter().flatten().map(|slot| &**slot)
    }

    /// The container inside each item, if the kind is a pack.
    #[must_use]
    pub fn pack(self) -> Option<&'r ContainerDef> {
        self.rules.containers.get(self.rules.figures[self.id.index()].pack as usize)
    }

    /// The limit of the kind itself.
    #[must_use]
    pub fn own_stack_limit(self) -> Option<u32> {
        self.def().own_stack_limit
    }

    /// Its properties with their initial values.
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

    /// The initial value of a property, if the kind lists it.
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

    /// The name that players see; by default its own name.
    #[must_use]
    pub fn label(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.name)
    }

    /// A short note; may be empty.
    #[must_use]
    pub fn note(&self) -> &str {
        &self.note
    }

    /// The stack limit of kinds with this tag that have none of their own.
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

    /// The name that players see; by default its own name.
    #[must_use]
    pub fn label(&self) -> &str {
        self.label.as_deref().unwrap_or(&self.name)
    }

    /// A short note; may be empty.
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

    /// How it falls with time; `None` if it does not.
    #[must_use]
    pub fn falls(&self) -> Option<Falling> {
        self.falls
    }

    /// True if it holds texts, false if numbers.
    #[must_use]
    pub fn is_text(&self) -> bool {
        self.is_text
    }
}
