//! Views of stacks and slots.

use super::{Cell, ClassKey, Spot, StackClass, World};
use crate::id::{ContainerId, KindId, MarkId, StackId};
use crate::quantity::Decimal;
use crate::ruleset::{FilterId, Ingredient, Kind, Of, PropertyValue};

/// A stack in its place.
#[derive(Clone, Copy, Debug)]
pub struct StackView<'w> {
    pub(crate) world: &'w World,
    pub(crate) cell: Cell,
}

/// A slot of a container, with its stack.
#[derive(Clone, Copy, Debug)]
pub struct SlotView<'w> {
    pub(super) world: &'w World,
    pub(super) spot: Spot,
}

impl<'w> SlotView<'w> {
    /// Its number, from 0.
    #[must_use]
    pub fn number(self) -> u32 {
        self.spot.slot
    }

    /// The container that it belongs to.
    #[must_use]
    pub fn container(self) -> ContainerId {
        self.world.container_id(self.spot.container)
    }

    /// Its name, if it has one.
    #[must_use]
    pub fn name(self) -> Option<&'w str> {
        let rule = self.world.def_of(self.spot.container).ruled.get(self.spot.slot as usize)?;
        rule.name.as_deref()
    }

    /// True if the slot no longer admits its stack, because a mark or property changed.
    #[must_use]
    pub fn is_unfit(self) -> bool {
        let cell = self.world.cell(self.spot);
        let (world, mut at) = (self.world, self.spot.container);
        let refuses = |filter: Option<FilterId>| {
            filter.is_some_and(|filter| !world.classes.admits(&world.rules, filter, cell.kind, cell.class))
        };
        let state = world.state(at);
        let mut unfit = refuses(state.slot_filter(&world.rules, self.spot.slot)) || refuses(state.admits);
        while world.state(at).parent != Spot::NOWHERE {
            at = world.state(at).parent.container;
            unfit |= world.state(at).deep && refuses(world.state(at).admits);
        }
        unfit && !cell.is_empty()
    }

    /// The stack in a different slot that blocks this slot: its kind occupies this slot too.
    #[must_use]
    pub fn blocked_by(self) -> Option<StackView<'w>> {
        let name = self.name()?;
        let others = self.world.slots(self.container()).take(self.world.def_of(self.spot.container).ruled.len());
        let needs = |kind: Kind<'_>, slot: &str| kind.occupied_slots().any(|need| need == slot);
        let mut blocking = others.filter(|other| other.spot != self.spot).filter_map(|other| {
            let (own, stack) = (other.name()?, other.stack()?);
            (needs(stack.kind(), own) && needs(stack.kind(), name)).then_some(stack)
        });
        blocking.next()
    }

    /// The stack in the slot.
    #[must_use]
    pub fn stack(self) -> Option<StackView<'w>> {
        let cell = self.world.cell(self.spot);
        (!cell.is_empty()).then_some(StackView { world: self.world, cell })
    }

    /// The maximum number of items of a kind, without its filter; 0 for a kind that the ruleset
    /// does not have.
    #[must_use]
    pub fn limit(self, kind: KindId) -> u32 {
        if self.world.rules.has_kind(kind) { self.world.limit(self.spot, kind.0) } else { 0 }
    }
}

impl<'w> StackView<'w> {
    /// Its id.
    #[must_use]
    pub fn id(self) -> StackId {
        StackId(self.cell.id)
    }

    /// The kind of its items.
    #[must_use]
    pub fn kind(self) -> Kind<'w> {
        self.world.rules.known_kind_at(self.cell.kind)
    }

    /// The number of its items.
    #[must_use]
    #[inline]
    pub fn count(self) -> u32 {
        self.cell.count
    }

    /// Its class: marks and properties.
    #[must_use]
    pub fn class(self) -> StackClass {
        StackClass(self.cell.class)
    }

    /// Its kind and its class, as numbers.
    pub(crate) fn cell_class(self) -> (u32, u32) {
        (self.cell.kind, self.cell.class)
    }

    /// The container inside, if it is a pack.
    #[must_use]
    pub fn inside(self) -> Option<ContainerId> {
        self.cell.is_pack().then(|| self.world.container_id(self.cell.inner))
    }

    /// Its weight, with its contents.
    #[must_use]
    pub fn weight(self) -> Decimal {
        Decimal::from_thousandths(self.world.cell_weight(self.cell))
    }

    /// Whether it has a mark.
    #[must_use]
    pub fn has_mark(self, mark: MarkId) -> bool {
        self.world.classes.key(self.cell.class).is_some_and(|key| key.marks.contains(&mark))
    }

    /// Whether a recipe may use it as one of its inputs or tools.
    #[must_use]
    pub fn is_ingredient(self, ingredient: &Ingredient) -> bool {
        let (kind, class) = self.cell_class();
        match ingredient.of() {
            Of::Kind(of) => of.0 == kind,
            Of::Filter(filter) => self.world.classes.admits(&self.world.rules, filter, kind, class),
        }
    }

    /// Its marks, by name.
    pub fn marks(self) -> impl Iterator<Item = &'w str> {
        let marks = self.world.classes.key(self.cell.class).map_or(&[][..], |key| &key.marks);
        marks.iter().map(move |&mark| self.world.rules.mark(mark).name())
    }

    /// Its properties that differ from those of its kind, by name.
    pub fn changed_properties(self) -> impl Iterator<Item = (&'w str, Decimal)> {
        let properties = self.world.classes.key(self.cell.class).map_or(&[][..], |key| &key.properties);
        properties.iter().map(move |&(property, value)| (self.world.rules.property(property).name(), value))
    }

    /// The value of a number property.
    #[must_use]
    pub fn property(self, name: &str) -> Option<Decimal> {
        let changed = self.changed_properties().find(|(changed, _)| *changed == name);
        changed.map(|(_, value)| value).or_else(|| {
            match self.kind().property(self.world.rules.find_property(name)?)? {
                PropertyValue::Number(number) => Some(number),
                PropertyValue::Text(_) => None,
            }
        })
    }

    /// True if both have the same kind, marks and properties, so that they can stack. Packs never
    /// stack.
    #[must_use]
    #[inline]
    pub fn can_stack_with(self, other: StackView<'_>) -> bool {
        self.cell.can_stack_with(other.cell)
    }

    pub(crate) fn class_key(self) -> ClassKey {
        let plain = || ClassKey::new(&self.world.rules, self.world.rules.kind_id(self.cell.kind), &[], &[]);
        self.world.classes.key(self.cell.class).cloned().unwrap_or_else(plain)
    }
}
