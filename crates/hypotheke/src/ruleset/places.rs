//! Definitions of containers, slots and holders.

use serde::{Deserialize, Serialize};

use super::access::{Access, AccessList, Right};
use super::meters::Meter;
use super::view::{FilterId, Ruleset};
use crate::id::ContainerDefId;
use crate::quantity::Decimal;

#[derive(Clone, Debug)]
pub(crate) struct SlotDef {
    pub(crate) name: Option<Box<str>>,
    pub(crate) label: Option<String>,
    pub(crate) admits: Option<FilterId>,
    /// `u32::MAX` without a limit.
    pub(crate) stack_limit: u32,
    /// Who may put in and take out; [`Access::Surrounding`] where the container alone decides.
    pub(crate) access: [Access; 2],
}

impl SlotDef {
    /// A name, a filter, a limit or a border.
    pub(crate) fn has_rules(&self) -> bool {
        self.name.is_some() || self.admits.is_some() || self.stack_limit != u32::MAX || self.has_border()
    }

    /// Whether it says who may put in or take out.
    pub(crate) fn has_border(&self) -> bool {
        self.access != [Access::Surrounding, Access::Surrounding]
    }

    /// Who may do something with it; what is opened is the container.
    pub(crate) fn access(&self, right: Right) -> &Access {
        match right {
            Right::Put => &self.access[0],
            Right::Take => &self.access[1],
            Right::Open => &Access::Surrounding,
        }
    }
}

/// The definition of a container.
#[derive(Clone, Debug)]
pub struct ContainerDef {
    pub(in crate::ruleset) id: Box<str>,
    pub(in crate::ruleset) name: String,
    pub(in crate::ruleset) note: String,
    pub(crate) slots: u32,
    pub(in crate::ruleset) columns: u32,
    /// `u32::MAX` without a limit.
    pub(crate) stack_limit: u32,
    /// In thousandths; `i64::MAX` without a cap.
    pub(crate) weight_cap: i64,
    pub(crate) admits: Option<FilterId>,
    /// Rules of the first slots; the others have none.
    pub(crate) ruled: Vec<SlotDef>,
    pub(crate) caps: Vec<Cap>,
    pub(in crate::ruleset) worn: bool,
    /// Who may put in, take out and open, as [`Right::ALL`].
    pub(crate) access: [Access; 3],
    /// The owner that it begins with.
    pub(in crate::ruleset) owner: Option<Box<str>>,
    pub(in crate::ruleset) copies: Vec<Box<str>>,
    pub(in crate::ruleset) carried: bool,
    /// It is the inside of a pack.
    pub(in crate::ruleset) brought: bool,
    /// Its filter also checks the contents of packs.
    pub(crate) deep: bool,
    /// Empty slots with their own filter are filled first.
    pub(crate) reserved_first: bool,
    pub(crate) when_unfit: WhenUnfit,
    /// What a `put` tries, in order.
    pub(crate) on_put: Vec<PutMode>,
    /// A holder must open it first.
    pub(crate) must_open: bool,
    /// Only one holder at a time can have it open and use it.
    pub(crate) exclusive: bool,
    /// The minimum and the maximum number of slots.
    pub(crate) bounds: (u32, u32),
    /// A recipe that takes time is carried out there.
    pub(crate) works: bool,
}

/// How a `put` places the stack of the hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum PutMode {
    /// Into an empty slot, or into a container.
    Place,
    /// Onto a stack with the same kind, marks and properties.
    Merge,
    /// In exchange for the stack in the slot.
    Swap,
}

impl PutMode {
    /// The default order.
    pub(crate) const ALL: [PutMode; 3] = [PutMode::Place, PutMode::Merge, PutMode::Swap];

    /// As a ruleset writes it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            PutMode::Place => "place",
            PutMode::Merge => "merge",
            PutMode::Swap => "swap",
        }
    }
}

/// What happens to a stack that no longer matches the filter of its container after a change.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum WhenUnfit {
    /// It stays as an unfit stack.
    #[default]
    Stay,
    /// It moves to a different container of the holder, or else to the ground.
    Eject,
}

/// What happens to a shortcut when its holder has no more items of its kind.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum DepletedShortcut {
    /// It is cleared.
    #[default]
    Clear,
    /// It keeps its kind.
    Keep,
}

/// A maximum number of items that match a filter, for a container or a holder.
#[derive(Clone, Copy, Debug)]
pub struct Cap {
    pub(crate) of: FilterId,
    pub(crate) count: u32,
    /// The number of its filter among the filters of all caps.
    pub(crate) number: u32,
    /// The number of the group whose members have it; `None` if it is written for one container
    /// or holder.
    pub(crate) group: Option<u32>,
}

/// A group of holders, and what holds for each of its members.
#[derive(Clone, Debug)]
pub struct GroupDef {
    pub(in crate::ruleset) id: Box<str>,
    /// In thousandths; `i64::MAX` without a cap.
    pub(in crate::ruleset) weight_cap: i64,
    pub(in crate::ruleset) caps: Vec<Cap>,
}

/// The definition of a holder.
#[derive(Clone, Debug)]
pub struct HolderDef {
    pub(in crate::ruleset) id: Box<str>,
    pub(in crate::ruleset) name: String,
    pub(in crate::ruleset) note: String,
    pub(crate) groups: Vec<Box<str>>,
    pub(in crate::ruleset) copies: Vec<Box<str>>,
    pub(in crate::ruleset) carries: Vec<ContainerDefId>,
    /// In thousandths; `i64::MAX` without a cap.
    pub(in crate::ruleset) own_weight_cap: i64,
    /// The lowest of its own and those of its groups.
    pub(crate) weight_cap: i64,
    /// Its own, then those of its groups.
    pub(crate) caps: Vec<Cap>,
    /// The number of shortcuts.
    pub(crate) shortcuts: u32,
    pub(crate) spent: DepletedShortcut,
    /// In rising order.
    pub(in crate::ruleset) encumbrance: Vec<(Decimal, Box<str>)>,
    pub(crate) meters: Vec<Meter>,
}

/// The rules of one slot.
#[derive(Clone, Copy, Debug)]
pub struct SlotRule<'r> {
    pub(super) rules: &'r Ruleset,
    pub(super) def: &'r SlotDef,
}

impl Ruleset {
    /// Whether the only limits on plain stacks in the containers of a definition are filters, stack
    /// limits and caps.
    ///
    /// Every rule is listed here. A new rule does not compile until its effect on simple containers
    /// is decided.
    pub(crate) fn is_simple(&self, container: u32) -> bool {
        let Some(def) = self.containers().get(container as usize) else { return false };
        let ContainerDef {
            access,
            // It matters to named actors only, and those are checked by `World::is_open_to`.
            owner: _,
            must_open,
            exclusive,
            reserved_first,
            // Checked for plain stacks as well.
            slots: _,
            bounds: _,
            stack_limit: _,
            weight_cap: _,
            admits: _,
            caps: _,
            // It concerns the contents of packs. A plain stack has none.
            deep: _,
            // They concern changes of a stack, hands, and operations that name no container.
            when_unfit: _,
            on_put: _,
            worn: _,
            works,
            // Names and places.
            id: _,
            name: _,
            note: _,
            columns: _,
            copies: _,
            carried: _,
            brought: _,
            ruled,
        } = def;
        let may_block = ruled.iter().any(|slot| {
            let SlotDef { name, admits: _, stack_limit: _, label: _, access: _ } = slot;
            let is_occupied = |name: &str| self.needs.iter().flatten().any(|needed| **needed == *name);
            slot.has_border() || name.as_deref().is_some_and(is_occupied)
        });
        let bans_all = access[..2].contains(&Access::Nobody);
        // What it works on is in no slot, but a change of the contents may start it.
        let may_start = *works && self.has_automatic;
        !bans_all && !may_start && !must_open && !exclusive && !reserved_first && !may_block
    }
}

impl ContainerDef {
    /// Its id, such as `sled`.
    #[must_use]
    pub fn id(&self) -> &str {
        &self.id
    }

    /// The name that players see; by default its id.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// A short note; may be empty.
    #[must_use]
    pub fn note(&self) -> &str {
        &self.note
    }

    /// The number of slots.
    #[must_use]
    pub fn slots(&self) -> u32 {
        self.slots
    }

    /// The number of columns in drawings.
    #[must_use]
    pub fn columns(&self) -> u32 {
        self.columns
    }

    /// The maximum number of items of any stack in it, if set.
    #[must_use]
    pub fn stack_limit(&self) -> Option<u32> {
        (self.stack_limit != u32::MAX).then_some(self.stack_limit)
    }

    /// The maximum weight of its contents, if set.
    #[must_use]
    pub fn weight_cap(&self) -> Option<Decimal> {
        (self.weight_cap != i64::MAX).then(|| Decimal::from_thousandths(self.weight_cap))
    }

    /// Its caps; [`Ruleset::caps`] returns them as texts.
    #[must_use]
    pub fn caps(&self) -> &[Cap] {
        &self.caps
    }

    /// Who may do something with it.
    #[must_use]
    pub fn access(&self, right: Right) -> &Access {
        &self.access[right as usize]
    }

    /// Who may do it where the ruleset is silent.
    #[must_use]
    pub fn default_access(&self) -> Access {
        match (self.carried, self.brought) {
            (true, _) => Access::Listed(AccessList::OWNER),
            (_, true) => Access::Surrounding,
            _ => Access::Anyone,
        }
    }

    /// The owner that a container in the world begins with, if it has one.
    #[must_use]
    pub fn owner(&self) -> Option<&str> {
        self.owner.as_deref()
    }

    /// True if its contents are worn.
    #[must_use]
    pub fn is_worn(&self) -> bool {
        self.worn
    }

    /// True if its filter also checks the contents of packs.
    #[must_use]
    pub fn is_deep(&self) -> bool {
        self.deep
    }

    /// True if empty slots with their own filter are filled first.
    #[must_use]
    pub fn is_reserved_first(&self) -> bool {
        self.reserved_first
    }

    /// What a `put` tries, in order.
    #[must_use]
    pub fn on_put(&self) -> &[PutMode] {
        &self.on_put
    }

    /// What happens to a stack that no longer matches its filter after a change.
    #[must_use]
    pub fn when_unfit(&self) -> WhenUnfit {
        self.when_unfit
    }

    /// True if a holder must open it before using it.
    #[must_use]
    pub fn must_be_opened(&self) -> bool {
        self.must_open
    }

    /// True if only one holder at a time can have it open and use it.
    #[must_use]
    pub fn is_exclusive(&self) -> bool {
        self.exclusive
    }

    /// The minimum and the maximum number of slots.
    #[must_use]
    pub fn slot_bounds(&self) -> (u32, u32) {
        self.bounds
    }

    /// True if it is the inside of a pack. Each pack has its own instance.
    #[must_use]
    pub fn is_brought(&self) -> bool {
        self.brought
    }

    /// True if holders carry it. Each holder has its own instance.
    #[must_use]
    pub fn is_carried(&self) -> bool {
        self.carried
    }

    /// The names of its instances in the world: its copies, or its own name. Empty for a container
    /// that is carried, or that is the inside of a pack.
    pub fn instances(&self) -> impl Iterator<Item = &str> {
        let own = (self.copies.is_empty() && !self.carried && !self.brought).then_some(&*self.id);
        own.into_iter().chain(self.copies.iter().map(|copy| &**copy))
    }
}

impl HolderDef {
    /// Its id, such as `surveyor`.
    #[must_use]
    pub fn id(&self) -> &str {
        &self.id
    }

    /// The name that players see; by default its id.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// A short note; may be empty.
    #[must_use]
    pub fn note(&self) -> &str {
        &self.note
    }

    /// Its caps, then those of its groups; [`Ruleset::caps`] returns them as texts.
    #[must_use]
    pub fn caps(&self) -> &[Cap] {
        &self.caps
    }

    /// The caps that the ruleset writes for it alone.
    pub(crate) fn own_caps(&self) -> &[Cap] {
        let own = self.caps.iter().take_while(|cap| cap.group.is_none()).count();
        &self.caps[..own]
    }

    /// Its encumbrance steps: weight and label, in rising order.
    #[must_use]
    pub fn encumbrance(&self) -> impl ExactSizeIterator<Item = (Decimal, &str)> {
        self.encumbrance.iter().map(|(from, label)| (*from, &**label))
    }

    /// Its meters, such as warmth, in the order of their names.
    #[must_use]
    pub fn meters(&self) -> &[Meter] {
        &self.meters
    }

    /// The number of its shortcuts.
    #[must_use]
    pub fn shortcuts(&self) -> u32 {
        self.shortcuts
    }

    /// What happens to a shortcut when the holder has no more items of its kind.
    #[must_use]
    pub fn depleted_shortcuts(&self) -> DepletedShortcut {
        self.spent
    }

    /// Its groups.
    pub fn groups(&self) -> impl Iterator<Item = &str> {
        self.groups.iter().map(|group| &**group)
    }

    /// The containers that it carries, in the order in which they are filled.
    #[must_use]
    pub fn carries(&self) -> &[ContainerDefId] {
        &self.carries
    }

    /// The maximum weight that it carries, if set: the lowest of its own and those of its groups.
    #[must_use]
    pub fn weight_cap(&self) -> Option<Decimal> {
        (self.weight_cap != i64::MAX).then(|| Decimal::from_thousandths(self.weight_cap))
    }

    /// The weight cap that the ruleset writes for it alone.
    pub(crate) fn own_weight_cap(&self) -> Option<Decimal> {
        (self.own_weight_cap != i64::MAX).then(|| Decimal::from_thousandths(self.own_weight_cap))
    }

    /// The first of its names in the world.
    pub(crate) fn first_name(&self) -> &str {
        self.copies.first().unwrap_or(&self.id)
    }

    /// The names of its instances in the world: its copies, or its own name.
    pub fn instances(&self) -> impl Iterator<Item = &str> {
        let own = self.copies.is_empty().then_some(&*self.id);
        own.into_iter().chain(self.copies.iter().map(|copy| &**copy))
    }
}

impl GroupDef {
    /// Its name, such as `crew`.
    #[must_use]
    pub fn id(&self) -> &str {
        &self.id
    }

    /// The maximum weight that each member carries, if set.
    #[must_use]
    pub fn weight_cap(&self) -> Option<Decimal> {
        (self.weight_cap != i64::MAX).then(|| Decimal::from_thousandths(self.weight_cap))
    }

    /// Whether the ruleset writes anything for it.
    pub(crate) fn has_rules(&self) -> bool {
        self.weight_cap != i64::MAX || !self.caps.is_empty()
    }

    /// The caps of each member; [`Ruleset::caps`] returns them as texts.
    #[must_use]
    pub fn caps(&self) -> &[Cap] {
        &self.caps
    }
}

impl<'r> SlotRule<'r> {
    /// Its name, such as `head`.
    #[must_use]
    pub fn name(self) -> Option<&'r str> {
        self.def.name.as_deref()
    }

    /// The name that players see; by default its name.
    #[must_use]
    pub fn label(self) -> Option<&'r str> {
        self.def.label.as_deref().or(self.name())
    }

    /// Its filter, as the ruleset writes it.
    #[must_use]
    pub fn admits(self) -> Option<&'r str> {
        self.def.admits.map(|filter| self.rules.filter(filter).written())
    }

    /// Who may put items in or take them out, besides what the container says;
    /// [`Access::Surrounding`] where the container alone decides. A slot is not opened.
    #[must_use]
    pub fn access(self, right: Right) -> &'r Access {
        self.def.access(right)
    }

    /// The maximum number of items of a stack in it, if set.
    #[must_use]
    pub fn stack_limit(self) -> Option<u32> {
        (self.def.stack_limit != u32::MAX).then_some(self.def.stack_limit)
    }
}
