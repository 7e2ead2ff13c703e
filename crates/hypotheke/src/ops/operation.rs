use std::sync::Arc;

use crate::id::{ContainerId, HolderId, KindId, MarkId, PropertyId, RecipeId, StackId};
use crate::language::{ActionOf, Amount, Landing, LiftAmount, OfferedOf, OperationOf, SortKey, Terms};
use crate::quantity::Decimal;
use crate::snapshot::Departure;
use crate::world::Place;

/// Marks and properties that a created stack is given. Properties that are not named have the
/// kind's first values.
///
/// ```
/// use hypotheke::{Ruleset, Variant};
///
/// let rules = Ruleset::builder().mark("contaminated").build()?;
/// let contaminated = Variant::plain().marked(rules.find_mark("contaminated").unwrap());
/// assert_eq!(contaminated.marks().len(), 1);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
// Boxed, since most stacks are plain and operations are passed around.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Variant(Option<Box<Parts>>);

#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Parts {
    marks: Vec<MarkId>,
    properties: Vec<(PropertyId, Decimal)>,
}

impl Variant {
    /// No marks, and the kind's first values.
    #[must_use]
    pub fn plain() -> Variant {
        Variant::default()
    }

    /// The same, with a mark set.
    #[must_use]
    pub fn marked(mut self, mark: MarkId) -> Variant {
        self.0.get_or_insert_default().marks.push(mark);
        self
    }

    /// The same, with another value of a property that the kind lists as a number.
    #[must_use]
    pub fn with(mut self, property: PropertyId, value: Decimal) -> Variant {
        self.0.get_or_insert_default().properties.push((property, value));
        self
    }

    /// True if it has neither marks nor properties of its own.
    #[must_use]
    pub fn is_plain(&self) -> bool {
        self.0.is_none()
    }

    /// The marks that are set.
    #[must_use]
    pub fn marks(&self) -> &[MarkId] {
        self.0.as_ref().map_or(&[], |parts| &parts.marks)
    }

    /// The properties that have another value than the kind's.
    #[must_use]
    pub fn properties(&self) -> &[(PropertyId, Decimal)] {
        self.0.as_ref().map_or(&[], |parts| &parts.properties)
    }
}

/// By handles: what a program asks of the world that gave them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Handles;

impl Terms for Handles {
    type Actor = HolderId;
    type Kind = KindId;
    type Mark = MarkId;
    type Property = PropertyId;
    type Recipe = RecipeId;
    type Variant = Variant;
    type Place = Place;
    type OwnPlace = Place;
    type Landed = Option<StackId>;
    type Arrival = Arc<Departure>;

    fn said(own: &Place) -> Option<&Place> {
        Some(own)
    }
}

/// What one side of a trade gives, by handles.
pub type Offered = OfferedOf<Handles>;

/// An operation, by handles.
pub type Action = ActionOf<Handles>;

/// A request to change the world, by handles.
pub type Operation = OperationOf<Handles>;

impl From<Action> for Operation {
    fn from(action: Action) -> Operation {
        Operation { actor: None, action }
    }
}

impl From<ContainerId> for Place {
    fn from(container: ContainerId) -> Place {
        Place::Container(container)
    }
}

impl From<HolderId> for Place {
    fn from(holder: HolderId) -> Place {
        Place::Holder(holder)
    }
}

impl From<(ContainerId, u32)> for Place {
    fn from((container, slot): (ContainerId, u32)) -> Place {
        Place::Slot(container, slot)
    }
}

impl Operation {
    /// Creates plain items of a kind.
    #[must_use]
    pub fn creating(amount: Amount, kind: KindId, to: impl Into<Place>) -> Operation {
        let (variant, landing) = (Variant::default(), Landing::default());
        Action::Create { amount, kind, variant, to: to.into(), landing }.into()
    }

    /// Consumes items of a kind.
    #[must_use]
    pub fn consuming(amount: Amount, kind: KindId, from: impl Into<Place>) -> Operation {
        Action::Consume { amount, kind: Some(kind), from: from.into() }.into()
    }

    /// Moves items of every kind; [`Operation::only`] names one.
    #[must_use]
    pub fn moving(amount: Amount, from: impl Into<Place>, to: impl Into<Place>) -> Operation {
        Action::Move { amount, kind: None, from: from.into(), to: to.into() }.into()
    }

    /// Makes a container without a holder, or a holder, depart with all contents.
    #[must_use]
    pub fn departing(who: impl Into<Place>) -> Operation {
        Action::Depart { who: who.into() }.into()
    }

    /// Brings a container or a holder into the world.
    #[must_use]
    pub fn arriving(departure: impl Into<Arc<Departure>>) -> Operation {
        Action::Arrive { who: departure.into() }.into()
    }

    /// Parts a stack.
    #[must_use]
    pub fn splitting(count: u32, from: (ContainerId, u32), to: impl Into<Place>) -> Operation {
        Action::Split { count, from: from.into(), to: to.into() }.into()
    }

    /// Merges a stack onto an alike one.
    #[must_use]
    pub fn merging(amount: Amount, from: (ContainerId, u32), onto: (ContainerId, u32)) -> Operation {
        Action::Merge { amount, from: from.into(), onto: onto.into() }.into()
    }

    /// Swaps the contents of two slots.
    #[must_use]
    pub fn swapping(one: (ContainerId, u32), other: (ContainerId, u32)) -> Operation {
        Action::Swap { one: one.into(), other: other.into() }.into()
    }

    /// Drops items of every kind; [`Operation::only`] names one.
    #[must_use]
    pub fn dropping(amount: Amount, from: impl Into<Place>, landing: Landing) -> Operation {
        Action::Drop { amount, kind: None, from: from.into(), landing }.into()
    }

    /// Picks up a stack from the ground.
    #[must_use]
    pub fn picking_up(amount: Amount, stack: StackId, to: impl Into<Place>) -> Operation {
        Action::PickUp { amount, kind: None, from: Some(stack), to: to.into() }.into()
    }

    /// The holder that acts takes of a stack into its hand.
    #[must_use]
    pub fn lifting(share: LiftAmount, from: (ContainerId, u32), actor: HolderId) -> Operation {
        Operation::from(Action::Lift { share, from: from.into() }).by(actor)
    }

    /// The holder that acts puts what is in its hand onto a slot or into a container.
    #[must_use]
    pub fn putting(amount: Amount, to: impl Into<Place>, actor: HolderId) -> Operation {
        Operation::from(Action::Put { amount, to: to.into() }).by(actor)
    }

    /// The holder that acts puts back what is in its hand.
    #[must_use]
    pub fn returning(amount: Amount, actor: HolderId) -> Operation {
        Operation::from(Action::Return { amount }).by(actor)
    }

    /// The holder that acts puts away what a container has some of already.
    #[must_use]
    pub fn depositing(into: ContainerId, actor: HolderId) -> Operation {
        Operation::from(Action::Deposit { into: into.into() }).by(actor)
    }

    /// Several operations as one, such as a trade.
    #[must_use]
    pub fn together(steps: impl IntoIterator<Item = Operation>) -> Operation {
        Action::Together { steps: steps.into_iter().collect() }.into()
    }

    /// The holder that acts wears a stack.
    #[must_use]
    pub fn equipping(amount: Amount, from: (ContainerId, u32), actor: HolderId) -> Operation {
        Operation::from(Action::Equip { amount, from: from.into() }).by(actor)
    }

    /// The holder that acts takes off what it wears.
    #[must_use]
    pub fn unequipping(amount: Amount, from: (ContainerId, u32), actor: HolderId) -> Operation {
        Operation::from(Action::Unequip { amount, from: from.into(), to: None }).by(actor)
    }

    /// Gives a whole stack a mark.
    #[must_use]
    pub fn marking(at: impl Into<Place>, mark: MarkId) -> Operation {
        Action::Mark { at: at.into(), mark }.into()
    }

    /// Takes a mark from a whole stack.
    #[must_use]
    pub fn unmarking(at: impl Into<Place>, mark: MarkId) -> Operation {
        Action::Unmark { at: at.into(), mark }.into()
    }

    /// Changes a property of a whole stack.
    #[must_use]
    pub fn setting(at: impl Into<Place>, property: PropertyId, value: Decimal) -> Operation {
        Action::Set { at: at.into(), property, value }.into()
    }

    /// Puts a container in order.
    #[must_use]
    pub fn sorting(container: ContainerId, by: SortKey) -> Operation {
        Action::Sort { at: container.into(), by }.into()
    }

    /// Changes the number of slots of a container; removed slots must be empty.
    #[must_use]
    pub fn resizing(container: ContainerId, slots: u32) -> Operation {
        Action::Resize { at: container.into(), slots, spill: false }.into()
    }

    /// Changes the number of slots of a container; the contents of removed slots move elsewhere.
    #[must_use]
    pub fn resizing_with_spill(container: ContainerId, slots: u32) -> Operation {
        Action::Resize { at: container.into(), slots, spill: true }.into()
    }

    /// The holder that acts opens a container.
    #[must_use]
    pub fn opening(container: ContainerId, actor: HolderId) -> Operation {
        Operation::from(Action::Open { at: container.into() }).by(actor)
    }

    /// The holder that acts closes a container.
    #[must_use]
    pub fn closing(container: ContainerId, actor: HolderId) -> Operation {
        Operation::from(Action::Close { at: container.into() }).by(actor)
    }

    /// A container in the world gets a different owner, or none. The game acts, or the holder that
    /// [`Operation::by`] names.
    #[must_use]
    pub fn giving(container: ContainerId, to: Option<HolderId>) -> Operation {
        Action::Give { at: container.into(), to }.into()
    }

    /// The holder that acts buys items of a kind at a container.
    #[must_use]
    pub fn buying(amount: Amount, kind: KindId, at: ContainerId, actor: HolderId) -> Operation {
        Operation::from(Action::Buy { amount, kind, at: at.into() }).by(actor)
    }

    /// The holder that acts sells items of a kind at a container.
    #[must_use]
    pub fn selling(amount: Amount, kind: KindId, at: ContainerId, actor: HolderId) -> Operation {
        Operation::from(Action::Sell { amount, kind, at: at.into() }).by(actor)
    }

    /// Two holders exchange items.
    #[must_use]
    pub fn trading(one: Offered, other: Offered) -> Operation {
        Action::Trade { one, other }.into()
    }

    /// Items of a container change into others by a recipe, a number of times. The game acts, or the
    /// holder that [`Operation::by`] names.
    #[must_use]
    pub fn crafting(amount: Amount, recipe: RecipeId, at: impl Into<Place>) -> Operation {
        Action::Craft { amount, recipe, at: at.into(), yield_number: None }.into()
    }

    /// The same, but with one of the yields of its recipe, from 1 on, instead of one that the world
    /// draws: for tests, and for a game with random numbers of its own.
    #[must_use]
    pub fn with_yield(mut self, number: u32) -> Operation {
        if let Action::Craft { yield_number, .. } = &mut self.action {
            *yield_number = Some(number);
        }
        self
    }

    /// A container ends a recipe before its time. The game acts, or the holder that
    /// [`Operation::by`] names.
    #[must_use]
    pub fn cancelling(recipe: RecipeId, at: impl Into<Place>) -> Operation {
        Action::Cancel { recipe, at: at.into() }.into()
    }

    /// A number of ticks pass, and what falls due happens.
    #[must_use]
    pub fn waiting(ticks: u32) -> Operation {
        Action::Wait { ticks }.into()
    }

    /// The holder that acts uses items of a kind.
    #[must_use]
    pub fn using(amount: Amount, kind: KindId, from: impl Into<Place>, actor: HolderId) -> Operation {
        Operation::from(Action::Use { amount, kind, from: from.into() }).by(actor)
    }

    /// The holder that acts closes all that it has opened and returns what is in its hand.
    #[must_use]
    pub fn leaving(actor: HolderId) -> Operation {
        Operation::from(Action::Leave).by(actor)
    }

    /// A shortcut of a holder points at a kind.
    #[must_use]
    pub fn binding(kind: KindId, holder: HolderId, shortcut: u32) -> Operation {
        Action::Bind { kind, at: Place::Shortcut(holder, shortcut) }.into()
    }

    /// Makes a shortcut point at nothing.
    #[must_use]
    pub fn unbinding(holder: HolderId, shortcut: u32) -> Operation {
        Action::Unbind { at: Place::Shortcut(holder, shortcut) }.into()
    }

    /// The same, but only of one kind.
    #[must_use]
    pub fn only(mut self, only: KindId) -> Operation {
        match &mut self.action {
            Action::Consume { kind, .. }
            | Action::Move { kind, .. }
            | Action::Drop { kind, .. }
            | Action::PickUp { kind, .. } => {
                *kind = Some(only);
            }
            Action::Create { kind, .. }
            | Action::Use { kind, .. }
            | Action::Buy { kind, .. }
            | Action::Sell { kind, .. } => *kind = only,
            // These act on a stack of any kind.
            Action::Swap { .. }
            | Action::Split { .. }
            | Action::Merge { .. }
            | Action::Mark { .. }
            | Action::Unmark { .. }
            | Action::Lift { .. }
            | Action::Equip { .. }
            | Action::Unequip { .. }
            | Action::Deposit { .. }
            | Action::Together { .. }
            | Action::Put { .. }
            | Action::Sort { .. }
            | Action::Resize { .. }
            | Action::Open { .. }
            | Action::Close { .. }
            | Action::Leave
            | Action::Give { .. }
            | Action::Trade { .. }
            | Action::Craft { .. }
            | Action::Cancel { .. }
            | Action::Wait { .. }
            | Action::Bind { .. }
            | Action::Unbind { .. }
            | Action::Return { .. }
            | Action::Depart { .. }
            | Action::Arrive { .. }
            | Action::Set { .. } => {}
        }
        self
    }

    /// The source and the target of the items, if known. An operation in one place has it as both.
    pub(crate) fn ends(&self) -> (Option<Place>, Option<Place>) {
        let hand = self.actor.map(Place::Hand);
        let (from, to) = self.action.sides();
        let (from, to) = (from.copied(), to.copied());
        match &self.action {
            Action::Drop { .. } => (from, Some(Place::Ground)),
            Action::PickUp { from, .. } => (Some(from.map_or(Place::Ground, Place::OnGround)), to),
            Action::Lift { .. } => (from, hand),
            Action::Put { .. } => (hand, to),
            Action::Return { .. } | Action::Leave => (hand, None),
            Action::Deposit { .. } => (self.actor.map(Place::Holder), to),
            Action::Buy { .. } => (from, self.actor.map(Place::Holder)),
            Action::Sell { .. } => (self.actor.map(Place::Holder), from),
            Action::Trade { one, other } => (Some(Place::Holder(one.of)), Some(Place::Holder(other.of))),
            Action::Move { .. }
            | Action::Split { .. }
            | Action::Merge { .. }
            | Action::Swap { .. }
            | Action::Equip { .. }
            | Action::Unequip { .. }
            | Action::Arrive { .. }
            | Action::Together { .. } => (from, to),
            Action::Create { .. }
            | Action::Consume { .. }
            | Action::Use { .. }
            | Action::Sort { .. }
            | Action::Resize { .. }
            | Action::Open { .. }
            | Action::Close { .. }
            | Action::Give { .. }
            | Action::Craft { .. }
            | Action::Cancel { .. }
            | Action::Wait { .. }
            | Action::Bind { .. }
            | Action::Unbind { .. }
            | Action::Mark { .. }
            | Action::Unmark { .. }
            | Action::Set { .. }
            | Action::Depart { .. } => (from.or(to), from.or(to)),
        }
    }

    /// The same, but a holder acts.
    #[must_use]
    pub fn by(mut self, actor: HolderId) -> Operation {
        self.actor = Some(actor);
        self
    }
}
