//! Queries for interfaces and quest scripts.

mod count;
mod room;

use serde::Serialize;

use crate::id::{ContainerId, KindId, MarkId, StackId, TagId};
use crate::quantity::Decimal;
use crate::ruleset::{PropertyValue, Selector};
use crate::world::{Place, StackView, World};

impl From<KindId> for Selector {
    fn from(kind: KindId) -> Selector {
        Selector::Kind(kind)
    }
}

impl From<TagId> for Selector {
    fn from(tag: TagId) -> Selector {
        Selector::Tag(tag)
    }
}

impl From<MarkId> for Selector {
    fn from(mark: MarkId) -> Selector {
        Selector::Mark(mark)
    }
}

/// The facts about a stack that a player reads.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub struct Description {
    /// Its id.
    pub id: StackId,
    /// The id of its kind.
    pub kind: String,
    /// The name of its kind.
    pub name: String,
    /// The note of its kind.
    pub note: String,
    /// The number of its items.
    pub count: u32,
    /// The maximum number of items in its place.
    pub limit: u32,
    /// Its weight, with its contents.
    pub weight: Decimal,
    /// The labels of its marks.
    pub marks: Vec<String>,
    /// Its properties and their values.
    pub properties: Vec<(String, String)>,
    /// The attributes that it adds when worn.
    pub attributes: Vec<(String, Decimal)>,
    /// By how much a use of an item changes meters of the holder; `None` if it has no use.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub use_effects: Option<Vec<(String, Decimal)>>,
    /// The slots in which it may be worn, such as `harness/head`.
    pub worn_in: Vec<String>,
}

impl World {
    /// The stacks in a place, or outside of packs anywhere. The contents of packs are not included.
    #[must_use]
    pub fn stacks_in(&self, place: Option<Place>) -> Vec<StackView<'_>> {
        match place {
            None => {
                let places = self.containers().map(Place::Container).chain(self.holders().map(Place::Hand));
                places.chain([Place::Ground]).flat_map(|place| self.stacks_in(Some(place))).collect()
            }
            Some(Place::Slot(id, slot)) => self.stack(id, slot).into_iter().collect(),
            Some(Place::Container(id)) => self.stacks(id).map(|(_, stack)| stack).collect(),
            Some(Place::Holder(id)) => {
                let carried: Vec<ContainerId> = self.carried(id).collect();
                let in_slots = carried.into_iter().flat_map(|id| self.stacks(id)).map(|(_, stack)| stack);
                in_slots.chain(self.hand(id)).collect()
            }
            Some(Place::Hand(id)) => self.hand(id).into_iter().collect(),
            Some(Place::Shortcut(..)) => Vec::new(),
            Some(Place::Ground) => self.ground().map(|(stack, _)| stack).collect(),
            Some(Place::OnGround(id)) => {
                self.ground().map(|(stack, _)| stack).filter(|stack| stack.id() == id).collect()
            }
        }
    }

    /// The stacks in a place with all their contents, at any depth.
    #[must_use]
    pub fn all_stacks_in(&self, place: Option<Place>) -> Vec<StackView<'_>> {
        let mut stacks = self.stacks_in(place);
        let mut next = 0;
        while let Some(stack) = stacks.get(next) {
            stacks.extend(stack.inside().into_iter().flat_map(|inside| self.stacks(inside)).map(|(_, stack)| stack));
            next += 1;
        }
        stacks
    }

    /// What the containers of a place work on, or all that work.
    fn stacks_in_work(&self, place: Option<Place>) -> impl Iterator<Item = StackView<'_>> {
        let containers: Vec<ContainerId> = match place {
            _ if !self.works() => Vec::new(),
            None => self.containers().collect(),
            Some(Place::Container(id)) => vec![id],
            Some(Place::Holder(id)) => self.carried(id).collect(),
            Some(_) => Vec::new(),
        };
        containers.into_iter().flat_map(|id| self.in_work(id)).map(|(_, stack)| stack)
    }

    /// The value of all items in a place or anywhere, packs and what containers work on included. A
    /// sum that is too large becomes the largest [`Decimal`].
    #[must_use]
    pub fn value_of(&self, place: Option<Place>) -> Decimal {
        let values = self.all_stacks_in(place).into_iter().chain(self.stacks_in_work(place));
        let values = values.map(|stack| i128::from(stack.kind().value().thousandths()) * i128::from(stack.count()));
        let sum = values.sum::<i128>().clamp(i64::MIN.into(), i64::MAX.into());
        Decimal::from_thousandths(i64::try_from(sum).unwrap_or(i64::MAX))
    }

    /// Whether a place, or the whole world, has items of a kind, tag or mark, packs included.
    #[must_use]
    pub fn has(&self, what: impl Into<Selector>, place: Option<Place>) -> bool {
        let what = what.into();
        self.count(what, place) > 0
    }

    /// The place of the first stack of a kind, tag or mark, in a place or anywhere. Stacks outside
    /// of packs come before stacks in packs.
    #[must_use]
    pub fn find(&self, what: impl Into<Selector>, place: Option<Place>) -> Option<Place> {
        let what = what.into();
        let found = self.all_stacks_in(place).into_iter().find(|stack| stack.is(what))?;
        self.place_of(found.id())
    }

    /// The place of the stack with an id.
    #[must_use]
    pub fn place_of(&self, stack: StackId) -> Option<Place> {
        self.place(&crate::Path::of_stack(stack), None).ok()
    }

    /// Row and column of a slot, both from 0; `None` if the slot does not exist.
    #[must_use]
    pub fn row_column(&self, container: ContainerId, slot: u32) -> Option<(u32, u32)> {
        let columns = self.container_def(container)?.columns();
        (slot < self.slot_count(container.index)).then(|| (slot / columns, slot % columns))
    }

    /// The slot in a row and a column, both from 0; `None` if it does not exist.
    #[must_use]
    pub fn slot_at(&self, container: ContainerId, row: u32, column: u32) -> Option<u32> {
        let columns = self.container_def(container)?.columns();
        let slot = row.checked_mul(columns)?.checked_add(column)?;
        (column < columns && slot < self.slot_count(container.index)).then_some(slot)
    }

    /// The facts about a stack that a player reads; `None` if the place is empty or can have
    /// several stacks.
    #[must_use]
    pub fn describe_stack(&self, place: Place) -> Option<Description> {
        let spot = self.spot_of_place(place)?;
        let stack = self.stacks_in(Some(place)).into_iter().next()?;
        let (rules, kind) = (self.rules(), stack.kind());
        let value = |(property, first): (crate::PropertyId, PropertyValue<'_>)| {
            let name = rules.property(property).name().to_owned();
            let value = match first {
                PropertyValue::Number(first) => stack.property(&name).unwrap_or(first).to_string(),
                PropertyValue::Text(text) => text.to_owned(),
            };
            (name, value)
        };
        let label = |mark: &str| rules.find_mark(mark).map_or(mark, |mark| rules.mark(mark).label()).to_owned();
        Some(Description {
            id: stack.id(),
            kind: kind.id().to_owned(),
            name: kind.name().to_owned(),
            note: kind.note().to_owned(),
            count: stack.count(),
            limit: self.limit(spot, kind.handle().0),
            weight: stack.weight(),
            marks: stack.marks().map(label).collect(),
            properties: kind.properties().map(value).collect(),
            attributes: kind.attributes().map(|(name, each)| (name.to_owned(), each)).collect(),
            use_effects: kind.has_use().then(|| kind.effects().map(|(name, each)| (name.to_owned(), each)).collect()),
            worn_in: self.worn_slots(stack),
        })
    }

    /// The named slots of worn containers that admit a stack.
    fn worn_slots(&self, stack: StackView<'_>) -> Vec<String> {
        let rules = self.rules();
        let admits = |filter: Option<crate::ruleset::FilterId>| {
            let (kind, class) = (stack.kind().handle().0, stack.class().0);
            filter.is_none_or(|filter| self.classes.admits(rules, filter, kind, class))
        };
        let worn = rules.containers().iter().filter(|def| def.is_worn() && admits(def.admits));
        let slots = worn.flat_map(|def| def.ruled.iter().map(move |rule| (def, rule)));
        let named = slots.filter(|(_, rule)| admits(rule.admits));
        named.filter_map(|(def, rule)| Some(format!("{}/{}", def.id(), rule.name.as_deref()?))).collect()
    }
}

impl StackView<'_> {
    /// Whether it is of a kind, or has a tag or a mark.
    #[must_use]
    pub fn is(self, what: impl Into<Selector>) -> bool {
        match what.into() {
            Selector::Kind(kind) => self.kind().handle() == kind,
            Selector::Tag(tag) => self.kind().has_tag(tag),
            Selector::Mark(mark) => self.has_mark(mark),
        }
    }
}
