//! Containers, slots and holders as the ruleset defines them.

use serde::{Deserialize, Serialize};

use super::view::{FilterId, Ruleset};
use crate::id::ContainerDefId;
use crate::quantity::Decimal;

#[derive(Clone, Debug)]
pub(crate) struct SlotDef {
    pub(crate) name: Option<Box<str>>,
    pub(crate) label: Option<String>,
    pub(crate) admits: Option<FilterId>,
    /// `u32::MAX` where there is none.
    pub(crate) stack_limit: u32,
}

impl SlotDef {
    /// A name, a filter or a limit.
    pub(crate) fn has_rules(&self) -> bool {
        self.name.is_some() || self.admits.is_some() || self.stack_limit != u32::MAX
    }
}

/// A container as the ruleset defines it.
#[derive(Clone, Debug)]
pub struct ContainerDef {
    pub(in crate::ruleset) id: Box<str>,
    pub(in crate::ruleset) name: String,
    pub(in crate::ruleset) note: String,
    pub(crate) slots: u32,
    pub(in crate::ruleset) columns: u32,
    /// `u32::MAX` where there is none.
    pub(crate) stack_limit: u32,
    /// In thousandths; `i64::MAX` where there is none.
    pub(crate) weight_cap: i64,
    pub(crate) admits: Option<FilterId>,
    /// Rules of the first slots; the others have none.
    pub(crate) ruled: Vec<SlotDef>,
    pub(crate) caps: Vec<Cap>,
    pub(in crate::ruleset) worn: bool,
    pub(crate) put: bool,
    pub(crate) take: bool,
    pub(in crate::ruleset) copies: Vec<Box<str>>,
    pub(in crate::ruleset) carried: bool,
    /// A kind brings it along.
    pub(in crate::ruleset) brought: bool,
    /// Its filter is requested of all that comes to lie below it.
    pub(crate) deep: bool,
    /// Empty slots with a filter of their own are filled before the others.
    pub(crate) reserved_first: bool,
    pub(crate) when_unfit: WhenUnfit,
    /// What is tried, in order, when something is put here from a hand.
    pub(crate) on_put: Vec<PutMode>,
    /// A holder must have opened it.
    pub(crate) must_open: bool,
    /// One holder at a time may have opened it, and no other uses it then.
    pub(crate) exclusive: bool,
    /// Between which numbers of slots it may be resized.
    pub(crate) bounds: (u32, u32),
}

/// How something comes to lie where it is put from a hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum PutMode {
    /// Where it is empty, or into a container.
    Place,
    /// Onto an alike stack.
    Merge,
    /// In exchange for what lies there.
    Swap,
}

impl PutMode {
    /// What is tried where nothing is written.
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

/// What becomes of a stack that its container no longer admits, because it got another mark or property.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum WhenUnfit {
    /// It stays as an unfit stack.
    #[default]
    Stay,
    /// It is put elsewhere: into other containers of the holder, else on the ground.
    Eject,
}

/// What becomes of a shortcut when its holder has nothing left of the kind at which it points.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum DepletedShortcut {
    /// It is cleared.
    #[default]
    Clear,
    /// It goes on pointing there.
    Keep,
}

/// The most items of a container or holder that satisfy a filter.
#[derive(Clone, Copy, Debug)]
pub struct Cap {
    pub(crate) of: FilterId,
    pub(crate) count: u32,
    /// Which of the filters of all caps that is.
    pub(crate) number: u32,
}

/// A holder as the ruleset defines it.
#[derive(Clone, Debug)]
pub struct HolderDef {
    pub(in crate::ruleset) id: Box<str>,
    pub(in crate::ruleset) name: String,
    pub(in crate::ruleset) note: String,
    pub(in crate::ruleset) carries: Vec<ContainerDefId>,
    /// In thousandths; `i64::MAX` where there is none.
    pub(crate) weight_cap: i64,
    pub(crate) caps: Vec<Cap>,
    /// How many shortcuts it has.
    pub(crate) shortcuts: u32,
    pub(crate) spent: DepletedShortcut,
    /// In rising order.
    pub(in crate::ruleset) encumbrance: Vec<(Decimal, Box<str>)>,
}

/// The rules of one slot.
#[derive(Clone, Copy, Debug)]
pub struct SlotRule<'r> {
    pub(super) rules: &'r Ruleset,
    pub(super) def: &'r SlotDef,
}

impl Ruleset {
    /// Whether nothing but filters, stack limits and caps can stand in the way of plain stacks in containers of a definition.
    ///
    /// Each rule is named here, so that one that is added does not compile before it is decided what it means for these.
    pub(crate) fn is_simple(&self, container: u32) -> bool {
        let Some(def) = self.containers().get(container as usize) else { return false };
        let ContainerDef {
            put,
            take,
            must_open,
            exclusive,
            reserved_first,
            // What is judged for plain stacks as well.
            slots: _,
            bounds: _,
            stack_limit: _,
            weight_cap: _,
            admits: _,
            caps: _,
            // Asked of what lies below, and a plain stack has nothing below it.
            deep: _,
            // Where a stack changes, where items come from a hand, and where a holder names no container.
            when_unfit: _,
            on_put: _,
            worn: _,
            // What it is called and where it stands.
            id: _,
            name: _,
            note: _,
            columns: _,
            copies: _,
            carried: _,
            brought: _,
            ruled,
        } = def;
        let may_block = ruled.iter().any(|SlotDef { name, admits: _, stack_limit: _, label: _ }| {
            name.as_ref().is_some_and(|name| self.needs.iter().flatten().any(|needed| needed == name))
        });
        *put && *take && !must_open && !exclusive && !reserved_first && !may_block
    }
}

impl ContainerDef {
    /// Its id, such as `sled`.
    #[must_use]
    pub fn id(&self) -> &str {
        &self.id
    }

    /// What players call it; its id where nothing else is given.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// A few words about it; may be empty.
    #[must_use]
    pub fn note(&self) -> &str {
        &self.note
    }

    /// How many slots it has.
    #[must_use]
    pub fn slots(&self) -> u32 {
        self.slots
    }

    /// How many slots stand side by side where it is drawn.
    #[must_use]
    pub fn columns(&self) -> u32 {
        self.columns
    }

    /// The most items of a stack in it, if it says so.
    #[must_use]
    pub fn stack_limit(&self) -> Option<u32> {
        (self.stack_limit != u32::MAX).then_some(self.stack_limit)
    }

    /// The most weight in it, if it says so.
    #[must_use]
    pub fn weight_cap(&self) -> Option<Decimal> {
        (self.weight_cap != i64::MAX).then(|| Decimal::from_thousandths(self.weight_cap))
    }

    /// Its caps by filter; [`Ruleset::caps`] puts them into words.
    #[must_use]
    pub fn caps(&self) -> &[Cap] {
        &self.caps
    }

    /// False if nothing may be put into it but what the game creates there.
    #[must_use]
    pub fn may_put(&self) -> bool {
        self.put
    }

    /// False if nothing may be taken out of it but what the game consumes.
    #[must_use]
    pub fn may_take(&self) -> bool {
        self.take
    }

    /// True if what lies in it counts as worn.
    #[must_use]
    pub fn is_worn(&self) -> bool {
        self.worn
    }

    /// True if its filter is requested of all that comes to lie below it, in packs too.
    #[must_use]
    pub fn is_deep(&self) -> bool {
        self.deep
    }

    /// True if empty slots with a filter of their own are filled before the others.
    #[must_use]
    pub fn is_reserved_first(&self) -> bool {
        self.reserved_first
    }

    /// What is tried, in order, when something is put here from a hand.
    #[must_use]
    pub fn on_put(&self) -> &[PutMode] {
        &self.on_put
    }

    /// What becomes of a stack that it no longer admits.
    #[must_use]
    pub fn when_unfit(&self) -> WhenUnfit {
        self.when_unfit
    }

    /// True if a holder must have opened it before it can use it.
    #[must_use]
    pub fn must_be_opened(&self) -> bool {
        self.must_open
    }

    /// True if one holder at a time may have opened it; no other can use it then.
    #[must_use]
    pub fn is_exclusive(&self) -> bool {
        self.exclusive
    }

    /// Between which numbers of slots it may be resized.
    #[must_use]
    pub fn slot_bounds(&self) -> (u32, u32) {
        self.bounds
    }

    /// True if each stack of some kind brings an instance of its own along.
    #[must_use]
    pub fn is_brought(&self) -> bool {
        self.brought
    }

    /// True if holders carry it, each an instance of its own.
    #[must_use]
    pub fn is_carried(&self) -> bool {
        self.carried
    }

    /// The names of the instances that stand in the world: its copies, or itself. Empty for one that is carried, or
    /// that a kind brings.
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

    /// What players call it; its id where nothing else is given.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// A few words about it; may be empty.
    #[must_use]
    pub fn note(&self) -> &str {
        &self.note
    }

    /// Its caps by filter; [`Ruleset::caps`] puts them into words.
    #[must_use]
    pub fn caps(&self) -> &[Cap] {
        &self.caps
    }

    /// From which weight on it bears which encumbrance, in rising order.
    #[must_use]
    pub fn encumbrance(&self) -> impl ExactSizeIterator<Item = (Decimal, &str)> {
        self.encumbrance.iter().map(|(from, label)| (*from, &**label))
    }

    /// How many shortcuts it has, each of which may point at a kind.
    #[must_use]
    pub fn shortcuts(&self) -> u32 {
        self.shortcuts
    }

    /// What becomes of a shortcut when nothing is left of the kind at which it points.
    #[must_use]
    pub fn depleted_shortcuts(&self) -> DepletedShortcut {
        self.spent
    }

    /// The containers that it carries, in the order in which they are tried.
    #[must_use]
    pub fn carries(&self) -> &[ContainerDefId] {
        &self.carries
    }

    /// The most weight that it may carry, if it says so.
    #[must_use]
    pub fn weight_cap(&self) -> Option<Decimal> {
        (self.weight_cap != i64::MAX).then(|| Decimal::from_thousandths(self.weight_cap))
    }
}

impl<'r> SlotRule<'r> {
    /// Its name, such as `head`.
    #[must_use]
    pub fn name(self) -> Option<&'r str> {
        self.def.name.as_deref()
    }

    /// What players call it; its name where nothing else is given.
    #[must_use]
    pub fn label(self) -> Option<&'r str> {
        self.def.label.as_deref().or(self.name())
    }

    /// Its filter, as it is written.
    #[must_use]
    pub fn admits(self) -> Option<&'r str> {
        self.def.admits.map(|filter| self.rules.filter(filter).written())
    }

    /// The most items of a stack in it, if it says so.
    #[must_use]
    pub fn stack_limit(self) -> Option<u32> {
        (self.def.stack_limit != u32::MAX).then_some(self.def.stack_limit)
    }
}
