use std::sync::Arc;

use crate::id::{ContainerId, HolderId, KindId, MarkId, PropertyId, StackId};
use crate::language::{Amount, Landing, SortKey, Verb};
use crate::quantity::Decimal;
use crate::snapshot::Departure;
use crate::world::Place;

/// Marks and properties that a created stack is given. Properties that are not named have the kind's first values.
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

/// What is asked for, by handles.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Action {
    /// Items enter the world.
    Create {
        /// How many; [`Amount::All`] can't be meant.
        amount: Amount,
        /// Of which kind.
        kind: KindId,
        /// With which marks and properties.
        variant: Variant,
        /// Where.
        to: Place,
        /// Where on the ground, if it is the ground.
        landing: Landing,
    },
    /// Items leave the world.
    Consume {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<KindId>,
        /// From where.
        from: Place,
    },
    /// Items go from a slot or container to a slot or container.
    Move {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<KindId>,
        /// A slot or a container.
        from: Place,
        /// A slot or a container.
        to: Place,
    },
    /// A part of a stack goes to an empty slot.
    Split {
        /// How many; at least one stays.
        count: u32,
        /// The slot of the stack.
        from: Place,
        /// An empty slot, or a container: its first empty one.
        to: Place,
    },
    /// A stack goes onto an alike one, up to the limit. [`Amount::All`] means what fits.
    Merge {
        /// How many.
        amount: Amount,
        /// The slot of the stack.
        from: Place,
        /// The slot of an alike stack.
        onto: Place,
    },
    /// Two slots exchange what lies there. One of them may be empty.
    Swap {
        /// A slot.
        one: Place,
        /// Another slot.
        other: Place,
    },
    /// Items go to the ground; each stack lands as its own.
    Drop {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<KindId>,
        /// A slot, a container or a holder.
        from: Place,
        /// Where they land.
        landing: Landing,
    },
    /// Items go from the ground to a slot, a container or a holder. [`Amount::All`] means what fits.
    PickUp {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<KindId>,
        /// A stack on the ground; all of the ground if none is named.
        from: Option<StackId>,
        /// A slot, a container or a holder.
        to: Place,
    },
    /// A whole stack gets a mark.
    Mark {
        /// A slot, or a stack on the ground.
        at: Place,
        /// The mark.
        mark: MarkId,
    },
    /// A whole stack loses a mark.
    Unmark {
        /// A slot, or a stack on the ground.
        at: Place,
        /// The mark.
        mark: MarkId,
    },
    /// The hand of the holder that acts, which must be empty, takes of a stack.
    Lift {
        /// How much.
        share: Share,
        /// The slot of the stack.
        from: Place,
    },
    /// What is in the hand goes onto a slot or into a container. [`Amount::All`] means what fits.
    Put {
        /// How many.
        amount: Amount,
        /// A slot or a container.
        to: Place,
    },
    /// What is in the hand goes back to where it came from, else to the holder's containers, else to the ground.
    /// [`Amount::All`] means what fits.
    Return {
        /// How many.
        amount: Amount,
    },
    /// All of these are applied as one, or none is. Caps and weight caps are judged once, for the world after the last.
    Together {
        /// In this order.
        steps: Vec<Operation>,
    },
    /// A stack goes into the worn containers of the holder that acts; what is in the way leaves. [`Amount::All`] means as
    /// many as the slot holds.
    Equip {
        /// How many.
        amount: Amount,
        /// The slot of the stack.
        from: Place,
    },
    /// What is worn goes to the containers of the holder that acts, or where it is told.
    Unequip {
        /// How many.
        amount: Amount,
        /// A slot of a worn container of the holder.
        from: Place,
        /// A slot or a container; the holder's containers if none is named.
        to: Option<Place>,
    },
    /// Alike stacks merge, then the slots that have no rules of their own are put in order.
    Sort {
        /// A container.
        at: Place,
        /// By what.
        by: SortKey,
    },
    /// A container gets another number of slots, within its bounds.
    Resize {
        /// A container.
        at: Place,
        /// How many slots it is to have.
        slots: u32,
        /// What lies in slots that go is put elsewhere; else they must be empty.
        spill: bool,
    },
    /// The holder that acts opens a container.
    Open {
        /// A container.
        at: Place,
    },
    /// The holder that acts closes a container that it has opened.
    Close {
        /// A container.
        at: Place,
    },
    /// The holder that acts returns what is in its hand, as far as that goes, and closes all that it has opened.
    Leave,
    /// A shortcut points at a kind that its holder has.
    Bind {
        /// The kind.
        kind: KindId,
        /// A shortcut.
        at: Place,
    },
    /// A shortcut points at nothing any more.
    Unbind {
        /// A shortcut.
        at: Place,
    },
    /// A property of a whole stack gets another value.
    Set {
        /// A slot, or a stack on the ground.
        at: Place,
        /// A property that the kind lists as a number.
        property: PropertyId,
        /// Its value from now on.
        value: Decimal,
    },
    /// A container that stands in the world, or a holder, leaves it with all that it has.
    /// [`World::departed`](crate::World::departed) gives its document.
    Depart {
        /// A container or a holder.
        who: Place,
    },
    /// A container or a holder comes into the world with all that it has. The same departure arrives once.
    Arrive {
        /// Its document.
        departure: Arc<Departure>,
    },
}

/// How much of a stack a hand takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Share {
    /// All of it, or so many, or what fits of so many.
    Amount(Amount),
    /// Half of it, rounded up.
    Half,
}

/// A request to change the world.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Operation {
    /// The holder that acts; the game itself if none is named.
    pub actor: Option<HolderId>,
    /// What is asked for.
    pub action: Action,
}

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

impl Action {
    /// How many items it asks for, if it may ask for all and for up to a number.
    pub(crate) fn amount_mut(&mut self) -> Option<&mut Amount> {
        match self {
            Action::Create { amount, .. }
            | Action::Consume { amount, .. }
            | Action::Move { amount, .. }
            | Action::Merge { amount, .. }
            | Action::Drop { amount, .. }
            | Action::PickUp { amount, .. }
            | Action::Lift { share: Share::Amount(amount), .. }
            | Action::Put { amount, .. }
            | Action::Return { amount }
            | Action::Equip { amount, .. }
            | Action::Unequip { amount, .. } => Some(amount),
            Action::Split { .. }
            | Action::Swap { .. }
            | Action::Mark { .. }
            | Action::Unmark { .. }
            | Action::Set { .. }
            | Action::Lift { share: Share::Half, .. }
            | Action::Together { .. }
            | Action::Sort { .. }
            | Action::Resize { .. }
            | Action::Open { .. }
            | Action::Close { .. }
            | Action::Leave
            | Action::Bind { .. }
            | Action::Unbind { .. }
            | Action::Depart { .. }
            | Action::Arrive { .. } => None,
        }
    }

    /// Its verb.
    #[must_use]
    pub fn verb(&self) -> Verb {
        match self {
            Action::Create { .. } => Verb::Create,
            Action::Consume { .. } => Verb::Consume,
            Action::Move { .. } => Verb::Move,
            Action::Split { .. } => Verb::Split,
            Action::Merge { .. } => Verb::Merge,
            Action::Swap { .. } => Verb::Swap,
            Action::Drop { .. } => Verb::Drop,
            Action::PickUp { .. } => Verb::PickUp,
            Action::Lift { .. } => Verb::Lift,
            Action::Put { .. } => Verb::Put,
            Action::Return { .. } => Verb::Return,
            Action::Together { .. } => Verb::Together,
            Action::Equip { .. } => Verb::Equip,
            Action::Unequip { .. } => Verb::Unequip,
            Action::Sort { .. } => Verb::Sort,
            Action::Resize { .. } => Verb::Resize,
            Action::Open { .. } => Verb::Open,
            Action::Close { .. } => Verb::Close,
            Action::Leave => Verb::Leave,
            Action::Bind { .. } => Verb::Bind,
            Action::Unbind { .. } => Verb::Unbind,
            Action::Mark { .. } => Verb::Mark,
            Action::Unmark { .. } => Verb::Unmark,
            Action::Set { .. } => Verb::Set,
            Action::Depart { .. } => Verb::Depart,
            Action::Arrive { .. } => Verb::Arrive,
        }
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

    /// Lets a container that stands in the world, or a holder, leave it with all that it has.
    #[must_use]
    pub fn departing(who: impl Into<Place>) -> Operation {
        Action::Depart { who: who.into() }.into()
    }

    /// Brings a container or a holder into the world.
    #[must_use]
    pub fn arriving(departure: impl Into<Arc<Departure>>) -> Operation {
        Action::Arrive { departure: departure.into() }.into()
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

    /// Exchanges what lies in two slots.
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
    pub fn lifting(share: Share, from: (ContainerId, u32), actor: HolderId) -> Operation {
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

    /// Gives a container another number of slots; those that go must be empty.
    #[must_use]
    pub fn resizing(container: ContainerId, slots: u32) -> Operation {
        Action::Resize { at: container.into(), slots, spill: false }.into()
    }

    /// Gives a container another number of slots; what lies in those that go is put elsewhere.
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

    /// A shortcut of a holder points at nothing any more.
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
            Action::Create { kind, .. } => *kind = only,
            // These are asked of a stack, of whatever kind.
            Action::Swap { .. }
            | Action::Split { .. }
            | Action::Merge { .. }
            | Action::Mark { .. }
            | Action::Unmark { .. }
            | Action::Lift { .. }
            | Action::Equip { .. }
            | Action::Unequip { .. }
            | Action::Together { .. }
            | Action::Put { .. }
            | Action::Sort { .. }
            | Action::Resize { .. }
            | Action::Open { .. }
            | Action::Close { .. }
            | Action::Leave
            | Action::Bind { .. }
            | Action::Unbind { .. }
            | Action::Return { .. }
            | Action::Depart { .. }
            | Action::Arrive { .. }
            | Action::Set { .. } => {}
        }
        self
    }

    /// From where to where items go, as far as it says so. What happens in one place happens from there and to there.
    pub(crate) fn ends(&self) -> (Option<Place>, Option<Place>) {
        let hand = self.actor.map(Place::Hand);
        match &self.action {
            Action::Move { from, to, .. } | Action::Split { from, to, .. } => (Some(*from), Some(*to)),
            Action::Merge { from, onto, .. } => (Some(*from), Some(*onto)),
            Action::Swap { one, other } => (Some(*one), Some(*other)),
            Action::Drop { from, .. } => (Some(*from), Some(Place::Ground)),
            Action::PickUp { from, to, .. } => (Some(from.map_or(Place::Ground, Place::OnGround)), Some(*to)),
            Action::Equip { from, .. } => (Some(*from), None),
            Action::Unequip { from, to, .. } => (Some(*from), *to),
            Action::Lift { from, .. } => (Some(*from), hand),
            Action::Put { to, .. } => (hand, Some(*to)),
            Action::Return { .. } | Action::Leave => (hand, None),
            Action::Open { at: place }
            | Action::Close { at: place }
            | Action::Sort { at: place, .. }
            | Action::Resize { at: place, .. }
            | Action::Mark { at: place, .. }
            | Action::Unmark { at: place, .. }
            | Action::Set { at: place, .. }
            | Action::Create { to: place, .. }
            | Action::Consume { from: place, .. }
            | Action::Bind { at: place, .. }
            | Action::Unbind { at: place }
            | Action::Depart { who: place } => (Some(*place), Some(*place)),
            Action::Arrive { .. } | Action::Together { .. } => (None, None),
        }
    }

    /// The same, but a holder acts.
    #[must_use]
    pub fn by(mut self, actor: HolderId) -> Operation {
        self.actor = Some(actor);
        self
    }
}
