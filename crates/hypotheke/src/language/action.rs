//! What an operation asks for: one list of actions, said by names or by handles.
//!
//! All code that reads the parts of an action reads them here: [`Translate`] converts between names
//! and handles, and [`ActionOf::sides`] returns the source and the target.

use std::fmt::Debug;

use serde::{Deserialize, Serialize};

use super::Path;
use super::operation::{Amount, Landing, LiftAmount, SortKey};
use super::terms::{Names, PlainTerms, Role, Terms, Translate};
use super::verb::Verb;
use crate::quantity::Decimal;

/// An operation, by names.
///
/// ```
/// use hypotheke::{NamedAction, NamedOperation};
///
/// let operation: NamedOperation = "surveyor opens depot".parse()?;
/// assert!(matches!(operation.action, NamedAction::Open { at } if at.to_string() == "depot"));
/// # Ok::<(), hypotheke::SentenceError>(())
/// ```
pub type NamedAction = ActionOf<Names>;

/// An operation by names, as it is written: plain data that can be stored and sent.
///
/// ```
/// use hypotheke::NamedOperation;
///
/// let operation: NamedOperation = "surveyor drops 1 flare from sled".parse()?;
/// assert_eq!(operation.actor.as_ref().map(|holder| holder.as_str()), Some("surveyor"));
/// assert_eq!(operation.to_string(), "surveyor drops 1 flare from sled");
/// # Ok::<(), hypotheke::SentenceError>(())
/// ```
pub type NamedOperation = OperationOf<Names>;

/// A request to change the world: [`NamedOperation`] by names, [`Operation`](crate::Operation) by
/// handles.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, bound(serialize = "T: PlainTerms", deserialize = "T: PlainTerms"))]
pub struct OperationOf<T: Terms> {
    /// The holder that acts; the game itself if none is named.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub actor: Option<T::Actor>,
    /// The action.
    pub action: ActionOf<T>,
}

/// An action. [`NamedAction`] has names, [`Action`](crate::Action) has handles.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(
    rename_all = "kebab-case",
    deny_unknown_fields,
    bound(serialize = "T: PlainTerms", deserialize = "T: PlainTerms")
)]
pub enum ActionOf<T: Terms> {
    /// Items enter the world: `create 3 fuel-drum in depot`.
    Create {
        /// The number; `All` is not valid.
        amount: Amount,
        /// Of which kind.
        kind: T::Kind,
        /// With which marks and properties.
        #[serde(default, skip_serializing_if = "is_default")]
        variant: T::Variant,
        /// Where.
        to: T::Place,
        /// Where on the ground, if it is the ground.
        #[serde(default)]
        landing: Landing,
    },
    /// Items leave the world: `consume 2 ration-box from sled`.
    Consume {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<T::Kind>,
        /// From where.
        from: T::Place,
    },
    /// Items go from a slot or container to a slot or container: `move 3 fuel-drum from depot to
    /// sled`.
    Move {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<T::Kind>,
        /// From a slot or a container.
        from: T::Place,
        /// To a slot or a container.
        to: T::Place,
    },
    /// A part of a stack goes to an empty slot: `split 2 from sled/0 to sled/3`.
    Split {
        /// How many; at least one stays.
        count: u32,
        /// The slot of the stack.
        from: T::Place,
        /// An empty slot, or a container.
        to: T::Place,
    },
    /// A stack goes onto an alike one, up to the limit: `merge sled/0 onto sled/3`, `merge 2 from
    /// sled/0 onto sled/3`.
    Merge {
        /// How many. Without a number, what fits.
        amount: Amount,
        /// The slot of the stack.
        from: T::Place,
        /// The slot of an alike stack.
        onto: T::Place,
    },
    /// Two slots swap their contents; one may be empty: `swap sled/0 with depot/3`.
    Swap {
        /// A slot.
        one: T::Place,
        /// Another slot.
        other: T::Place,
    },
    /// Items go to the ground, where each stack lands as its own: `drop 1 flare from sled at
    /// 2.5,-1`.
    Drop {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<T::Kind>,
        /// A slot, a container or a holder; the holder that acts if no place is named.
        from: T::OwnPlace,
        /// The position on the ground.
        #[serde(default)]
        landing: Landing,
    },
    /// Items go from the ground to a slot, a container or a holder: `pick up 1 flare to sled`.
    PickUp {
        /// How many. Without a number, what fits.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<T::Kind>,
        /// A stack on the ground; all of the ground if none is named.
        from: T::Landed,
        /// A slot, a container or a holder; the holder that acts if no place is named.
        to: T::OwnPlace,
    },
    /// The hand of the holder that acts, which must be empty, takes of a stack: `surveyor lifts 3
    /// from sled/0`, `surveyor lifts half from sled/0`, `surveyor lifts from sled/0`.
    Lift {
        /// How much.
        share: LiftAmount,
        /// The slot of the stack.
        from: T::Place,
    },
    /// What is in the hand goes onto a slot or into a container: `surveyor puts in sled/3`,
    /// `surveyor puts 2 in sled`.
    Put {
        /// How many. Without a number, what fits.
        amount: Amount,
        /// A slot or a container.
        to: T::Place,
    },
    /// What is in the hand goes back to where it came from, else to the holder's containers, else
    /// to the ground: `surveyor returns`, `surveyor returns 2`.
    Return {
        /// How many. Without a number, what fits.
        amount: Amount,
    },
    /// Each stack of the holder that acts of which there is some in a container already goes there,
    /// as far as it fits: `surveyor deposits into depot`.
    Deposit {
        /// A container.
        into: T::Place,
    },
    /// All of these are applied as one, or none is. Caps and weight caps are checked once, for the
    /// world after the last: `together (move 4 fuel-drum from depot to sled; move 2 ice-core from
    /// sled to depot)`.
    Together {
        /// All of them are applied, or none.
        steps: Vec<OperationOf<T>>,
    },
    /// A stack goes into the worn containers of the acting holder; stacks in the way move out:
    /// `surveyor equips from pockets/3`.
    Equip {
        /// How many. Without a number, as many as the slot holds.
        amount: Amount,
        /// The slot of the stack.
        from: T::Place,
    },
    /// A worn item moves to the containers of the acting holder, or to the named place: `surveyor
    /// unequips from harness/back`, `surveyor unequips from harness/back to depot`.
    Unequip {
        /// How many.
        amount: Amount,
        /// The worn slot.
        from: T::Place,
        /// Where to; to the holder's containers if no place is named.
        to: Option<T::Place>,
    },
    /// Alike stacks merge, then the slots that have no rules of their own are put in order: `sort
    /// sled`, `sort sled by weight`.
    Sort {
        /// The container.
        at: T::Place,
        /// By what.
        #[serde(default)]
        by: SortKey,
    },
    /// A container gets a different number of slots, within its bounds: `resize sled to 10`,
    /// `resize sled to 6 with spill`.
    Resize {
        /// The container.
        at: T::Place,
        /// How many slots it is to have.
        slots: u32,
        /// The contents of removed slots move elsewhere.
        #[serde(default)]
        spill: bool,
    },
    /// The holder that acts opens a container: `surveyor opens depot`.
    Open {
        /// The container.
        at: T::Place,
    },
    /// The holder that acts closes a container that it has opened: `surveyor closes depot`.
    Close {
        /// The container.
        at: T::Place,
    },
    /// The acting holder returns the item in their hand, as far as possible, and closes all
    /// containers: `surveyor leaves`.
    Leave,
    /// A shortcut points at a kind that its holder has: `surveyor binds flare to shortcuts/2`.
    Bind {
        /// The kind at which the shortcut is to point.
        kind: T::Kind,
        /// The shortcut.
        at: T::Place,
    },
    /// A shortcut is cleared: `surveyor unbinds shortcuts/2`.
    Unbind {
        /// The shortcut.
        at: T::Place,
    },
    /// A whole stack gets a mark: `mark freezer/0 contaminated`.
    Mark {
        /// The place of the stack.
        at: T::Place,
        /// The mark that it gets.
        mark: T::Mark,
    },
    /// A whole stack loses a mark: `unmark freezer/0 contaminated`.
    Unmark {
        /// The place of the stack.
        at: T::Place,
        /// The mark that it loses.
        mark: T::Mark,
    },
    /// A container in the world gets a different owner, or none: `give depot to surveyor`, `give
    /// depot to nobody`.
    Give {
        /// The container, which no holder carries and which is not inside a pack.
        at: T::Place,
        /// The holder that owns it from then on.
        to: Option<T::Actor>,
    },
    /// The holder that acts buys items at a container: `surveyor buys 2 ration-box at depot`.
    Buy {
        /// How many.
        amount: Amount,
        /// Of which kind.
        kind: T::Kind,
        /// The container at which a deal is made.
        at: T::Place,
    },
    /// The holder that acts sells items at a container: `surveyor sells 1 ice-core at depot`.
    Sell {
        /// How many.
        amount: Amount,
        /// Of which kind.
        kind: T::Kind,
        /// The container at which a deal is made.
        at: T::Place,
    },
    /// Two holders exchange items: `trade 2 flare of surveyor for 1 radio of driver`.
    Trade {
        /// What is traded.
        one: OfferedOf<T>,
        /// For what.
        other: OfferedOf<T>,
    },
    /// A holder uses items, which are used up: `surveyor uses 2 tea from pockets`.
    Use {
        /// How many; `All` is not valid.
        amount: Amount,
        /// Which.
        kind: T::Kind,
        /// The place that has them; without one, the holder that acts.
        from: T::OwnPlace,
    },
    /// Items of a container change into others by a recipe: `surveyor crafts melt-water at stove`,
    /// `surveyor crafts up to 3 melt-water at stove`, `craft search-crate at crate with yield 2`.
    Craft {
        /// How often; `All` is not valid.
        amount: Amount,
        /// By which recipe.
        recipe: T::Recipe,
        /// The container that has the items; without one, the holder that acts.
        at: T::OwnPlace,
        /// Which of its yields, from 1 on. Without one, the world draws one.
        yield_number: Option<u32>,
    },
    /// A container ends a recipe before its time, and gives back what it holds for it: `surveyor
    /// cancels melt-water at stove`.
    Cancel {
        /// The recipe.
        recipe: T::Recipe,
        /// The container that works on it.
        at: T::Place,
    },
    /// Time passes, and what falls due happens: `wait 30`.
    Wait {
        /// The number of ticks.
        ticks: u32,
    },
    /// A property of a whole stack gets another value: `set reading of freezer/0 to 4.1`.
    Set {
        /// The property.
        property: T::Property,
        /// The place of the stack.
        at: T::Place,
        /// The value that it gets.
        value: Decimal,
    },
    /// A container without a holder, or a holder, leaves the world with all contents: `depart
    /// sled`. [`World::departed`](crate::World::departed) returns the transfer record.
    Depart {
        /// A container without a holder, or a holder.
        who: T::Place,
    },
    /// A container or a holder comes into the world with all that it has. The same departure
    /// arrives once: `arrive sled`, `arrive driller as surveyor`.
    Arrive {
        /// What has departed, or a newcomer.
        who: T::Arrival,
    },
}

/// What one side of a trade gives.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, bound(serialize = "T: PlainTerms", deserialize = "T: PlainTerms"))]
pub struct OfferedOf<T: Terms> {
    /// How many.
    pub count: u32,
    /// Of which kind.
    pub kind: T::Kind,
    /// The holder that gives it.
    pub of: T::Actor,
}

fn is_default<V: Default + PartialEq>(variant: &V) -> bool {
    *variant == V::default()
}

const DROP_INSTEAD: &str = "use `drop` to put on the ground";

impl<T: Terms> ActionOf<T> {
    /// The action of a verb that names one container and nothing else; `None` for other verbs.
    pub(crate) fn at_container(verb: Verb, at: T::Place) -> Option<ActionOf<T>> {
        match verb {
            Verb::Open => Some(ActionOf::Open { at }),
            Verb::Close => Some(ActionOf::Close { at }),
            Verb::Deposit => Some(ActionOf::Deposit { into: at }),
            Verb::Move
            | Verb::Swap
            | Verb::Drop
            | Verb::PickUp
            | Verb::Equip
            | Verb::Unequip
            | Verb::Lift
            | Verb::Put
            | Verb::Return
            | Verb::Sort
            | Verb::Bind
            | Verb::Unbind
            | Verb::Leave
            | Verb::Give
            | Verb::Buy
            | Verb::Sell
            | Verb::Trade
            | Verb::Craft
            | Verb::Cancel
            | Verb::Wait
            | Verb::Use
            | Verb::Split
            | Verb::Merge
            | Verb::Resize
            | Verb::Set
            | Verb::Mark
            | Verb::Unmark
            | Verb::Create
            | Verb::Consume
            | Verb::Together
            | Verb::Depart
            | Verb::Arrive => None,
        }
    }

    /// The same in other terms.
    ///
    /// # Errors
    /// The first part that can't be said in them.
    pub(crate) fn translate<To: Translate<T>>(&self, to: &To) -> Result<ActionOf<To::Into>, To::Error> {
        let place = |place: &T::Place, role| to.place(place, role);
        let into_slots = |place: &T::Place| to.place(place, Role::Slots(DROP_INSTEAD));
        Ok(match self {
            ActionOf::Create { amount, kind, variant, to: at, landing } => {
                let (kind, variant) = to.created(kind, variant)?;
                let (amount, landing) = (*amount, *landing);
                ActionOf::Create { amount, kind, variant, to: place(at, Role::Lying)?, landing }
            }
            ActionOf::Consume { amount, kind, from } => {
                let kind = to.kind_from(kind.as_ref(), Some(from))?;
                ActionOf::Consume { amount: *amount, kind, from: place(from, Role::Lying)? }
            }
            ActionOf::Move { amount, kind, from, to: at } => {
                let kind = to.kind_from(kind.as_ref(), Some(from))?;
                let from = place(from, Role::Slots("use `pick up` to take from the ground"))?;
                ActionOf::Move { amount: *amount, kind, from, to: into_slots(at)? }
            }
            ActionOf::Split { count, from, to: at } => {
                ActionOf::Split { count: *count, from: place(from, Role::Slot)?, to: into_slots(at)? }
            }
            ActionOf::Merge { amount, from, onto } => {
                ActionOf::Merge { amount: *amount, from: place(from, Role::Slot)?, onto: place(onto, Role::Slot)? }
            }
            ActionOf::Swap { one, other } => {
                ActionOf::Swap { one: place(one, Role::Slot)?, other: place(other, Role::Slot)? }
            }
            ActionOf::Drop { amount, kind, from, landing } => {
                let kind = to.kind_from(kind.as_ref(), T::said(from))?;
                let from = to.own_place(from, self.verb(), "from")?;
                ActionOf::Drop { amount: *amount, kind, from, landing: *landing }
            }
            ActionOf::PickUp { amount, kind, from, to: at } => {
                let kind = to.kind_landed(kind.as_ref(), from)?;
                let from = to.landed(from)?;
                ActionOf::PickUp { amount: *amount, kind, from, to: to.own_place(at, self.verb(), "to")? }
            }
            ActionOf::Lift { share, from } => ActionOf::Lift { share: *share, from: place(from, Role::Slot)? },
            ActionOf::Put { amount, to: at } => ActionOf::Put { amount: *amount, to: into_slots(at)? },
            ActionOf::Return { amount } => ActionOf::Return { amount: *amount },
            ActionOf::Deposit { into } => ActionOf::Deposit { into: place(into, Role::Container)? },
            ActionOf::Together { steps } => {
                let steps = steps.iter().enumerate().map(|(index, step)| to.step(index, step));
                ActionOf::Together { steps: steps.collect::<Result<_, _>>()? }
            }
            ActionOf::Equip { amount, from } => ActionOf::Equip { amount: *amount, from: place(from, Role::Slot)? },
            ActionOf::Unequip { amount, from, to: at } => {
                let at = at.as_ref().map(into_slots).transpose()?;
                ActionOf::Unequip { amount: *amount, from: place(from, Role::Slot)?, to: at }
            }
            ActionOf::Sort { at, by } => ActionOf::Sort { at: place(at, Role::Container)?, by: *by },
            ActionOf::Resize { at, slots, spill } => {
                ActionOf::Resize { at: place(at, Role::Container)?, slots: *slots, spill: *spill }
            }
            ActionOf::Open { at } => ActionOf::Open { at: place(at, Role::Container)? },
            ActionOf::Close { at } => ActionOf::Close { at: place(at, Role::Container)? },
            ActionOf::Leave => ActionOf::Leave,
            ActionOf::Give { at, to: owner } => {
                let owner = owner.as_ref().map(|owner| to.holder(owner)).transpose()?;
                ActionOf::Give { at: place(at, Role::Container)?, to: owner }
            }
            ActionOf::Buy { amount, kind, at } => {
                ActionOf::Buy { amount: *amount, kind: to.kind(kind)?, at: place(at, Role::Container)? }
            }
            ActionOf::Sell { amount, kind, at } => {
                ActionOf::Sell { amount: *amount, kind: to.kind(kind)?, at: place(at, Role::Container)? }
            }
            ActionOf::Trade { one, other } => {
                let side = |it: &OfferedOf<T>| {
                    Ok(OfferedOf { count: it.count, kind: to.kind(&it.kind)?, of: to.holder(&it.of)? })
                };
                ActionOf::Trade { one: side(one)?, other: side(other)? }
            }
            ActionOf::Use { amount, kind, from } => {
                let from = to.own_place(from, self.verb(), "from")?;
                ActionOf::Use { amount: *amount, kind: to.kind(kind)?, from }
            }
            ActionOf::Craft { amount, recipe, at, yield_number } => {
                let at = to.own_place(at, self.verb(), "at")?;
                let (recipe, yield_number) = (to.recipe(recipe)?, *yield_number);
                ActionOf::Craft { amount: *amount, recipe, at, yield_number }
            }
            ActionOf::Cancel { recipe, at } => {
                ActionOf::Cancel { recipe: to.recipe(recipe)?, at: place(at, Role::Container)? }
            }
            ActionOf::Wait { ticks } => ActionOf::Wait { ticks: *ticks },
            ActionOf::Bind { kind, at } => ActionOf::Bind { kind: to.kind(kind)?, at: place(at, Role::Shortcut)? },
            ActionOf::Unbind { at } => ActionOf::Unbind { at: place(at, Role::Shortcut)? },
            ActionOf::Mark { at, mark } => ActionOf::Mark { at: place(at, Role::Stack)?, mark: to.mark(mark)? },
            ActionOf::Unmark { at, mark } => ActionOf::Unmark { at: place(at, Role::Stack)?, mark: to.mark(mark)? },
            ActionOf::Set { property, at, value } => {
                let at = place(at, Role::Stack)?;
                ActionOf::Set { property: to.property(property)?, at, value: *value }
            }
            ActionOf::Depart { who } => ActionOf::Depart { who: place(who, Role::Departing)? },
            ActionOf::Arrive { who } => ActionOf::Arrive { who: to.arrival(who)? },
        })
    }

    /// Its verb.
    #[must_use]
    pub fn verb(&self) -> Verb {
        match self {
            ActionOf::Create { .. } => Verb::Create,
            ActionOf::Consume { .. } => Verb::Consume,
            ActionOf::Move { .. } => Verb::Move,
            ActionOf::Split { .. } => Verb::Split,
            ActionOf::Merge { .. } => Verb::Merge,
            ActionOf::Swap { .. } => Verb::Swap,
            ActionOf::Drop { .. } => Verb::Drop,
            ActionOf::PickUp { .. } => Verb::PickUp,
            ActionOf::Lift { .. } => Verb::Lift,
            ActionOf::Put { .. } => Verb::Put,
            ActionOf::Return { .. } => Verb::Return,
            ActionOf::Deposit { .. } => Verb::Deposit,
            ActionOf::Together { .. } => Verb::Together,
            ActionOf::Equip { .. } => Verb::Equip,
            ActionOf::Unequip { .. } => Verb::Unequip,
            ActionOf::Sort { .. } => Verb::Sort,
            ActionOf::Resize { .. } => Verb::Resize,
            ActionOf::Open { .. } => Verb::Open,
            ActionOf::Close { .. } => Verb::Close,
            ActionOf::Leave => Verb::Leave,
            ActionOf::Give { .. } => Verb::Give,
            ActionOf::Buy { .. } => Verb::Buy,
            ActionOf::Sell { .. } => Verb::Sell,
            ActionOf::Trade { .. } => Verb::Trade,
            ActionOf::Craft { .. } => Verb::Craft,
            ActionOf::Cancel { .. } => Verb::Cancel,
            ActionOf::Wait { .. } => Verb::Wait,
            ActionOf::Use { .. } => Verb::Use,
            ActionOf::Bind { .. } => Verb::Bind,
            ActionOf::Unbind { .. } => Verb::Unbind,
            ActionOf::Mark { .. } => Verb::Mark,
            ActionOf::Unmark { .. } => Verb::Unmark,
            ActionOf::Set { .. } => Verb::Set,
            ActionOf::Depart { .. } => Verb::Depart,
            ActionOf::Arrive { .. } => Verb::Arrive,
        }
    }

    /// How many items it asks for, if it may ask for all and for up to a number.
    pub(crate) fn amount_mut(&mut self) -> Option<&mut Amount> {
        match self {
            ActionOf::Create { amount, .. }
            | ActionOf::Consume { amount, .. }
            | ActionOf::Move { amount, .. }
            | ActionOf::Merge { amount, .. }
            | ActionOf::Drop { amount, .. }
            | ActionOf::PickUp { amount, .. }
            | ActionOf::Lift { share: LiftAmount::Amount(amount), .. }
            | ActionOf::Put { amount, .. }
            | ActionOf::Return { amount }
            | ActionOf::Buy { amount, .. }
            | ActionOf::Sell { amount, .. }
            | ActionOf::Craft { amount, .. }
            | ActionOf::Use { amount, .. }
            | ActionOf::Equip { amount, .. }
            | ActionOf::Unequip { amount, .. } => Some(amount),
            ActionOf::Split { .. }
            | ActionOf::Swap { .. }
            | ActionOf::Lift { share: LiftAmount::Half, .. }
            | ActionOf::Deposit { .. }
            | ActionOf::Together { .. }
            | ActionOf::Sort { .. }
            | ActionOf::Resize { .. }
            | ActionOf::Open { .. }
            | ActionOf::Close { .. }
            | ActionOf::Leave
            | ActionOf::Give { .. }
            | ActionOf::Trade { .. }
            | ActionOf::Cancel { .. }
            | ActionOf::Wait { .. }
            | ActionOf::Bind { .. }
            | ActionOf::Unbind { .. }
            | ActionOf::Mark { .. }
            | ActionOf::Unmark { .. }
            | ActionOf::Set { .. }
            | ActionOf::Depart { .. }
            | ActionOf::Arrive { .. } => None,
        }
    }

    /// The same, to be read.
    pub(crate) fn amount(&self) -> Option<Amount> {
        self.clone().amount_mut().copied()
    }

    /// The number of items that it names, if it names one.
    pub(crate) fn count_mut(&mut self) -> Option<&mut u32> {
        if let ActionOf::Split { count, .. } | ActionOf::Wait { ticks: count } = self {
            return Some(count);
        }
        match self.amount_mut()? {
            Amount::Exactly(count) | Amount::UpTo(count) => Some(count),
            Amount::All => None,
        }
    }

    /// The kind that it names.
    pub(crate) fn kind(&self) -> Option<&T::Kind> {
        match self {
            ActionOf::Create { kind, .. }
            | ActionOf::Use { kind, .. }
            | ActionOf::Bind { kind, .. }
            | ActionOf::Buy { kind, .. }
            | ActionOf::Sell { kind, .. } => Some(kind),
            ActionOf::Consume { kind, .. }
            | ActionOf::Move { kind, .. }
            | ActionOf::Drop { kind, .. }
            | ActionOf::PickUp { kind, .. } => kind.as_ref(),
            ActionOf::Split { .. }
            | ActionOf::Merge { .. }
            | ActionOf::Swap { .. }
            | ActionOf::Lift { .. }
            | ActionOf::Put { .. }
            | ActionOf::Return { .. }
            | ActionOf::Deposit { .. }
            | ActionOf::Together { .. }
            | ActionOf::Equip { .. }
            | ActionOf::Unequip { .. }
            | ActionOf::Sort { .. }
            | ActionOf::Resize { .. }
            | ActionOf::Open { .. }
            | ActionOf::Close { .. }
            | ActionOf::Leave
            | ActionOf::Give { .. }
            | ActionOf::Trade { .. }
            | ActionOf::Craft { .. }
            | ActionOf::Cancel { .. }
            | ActionOf::Wait { .. }
            | ActionOf::Unbind { .. }
            | ActionOf::Mark { .. }
            | ActionOf::Unmark { .. }
            | ActionOf::Set { .. }
            | ActionOf::Depart { .. }
            | ActionOf::Arrive { .. } => None,
        }
    }

    /// The places that it names, apart from stacks on the ground: the source or the subject, and
    /// the target.
    pub(crate) fn sides(&self) -> (Option<&T::Place>, Option<&T::Place>) {
        match self {
            ActionOf::Create { to, .. } | ActionOf::Put { to, .. } | ActionOf::Deposit { into: to } => (None, Some(to)),
            ActionOf::PickUp { to, .. } => (None, T::said(to)),
            ActionOf::Drop { from, .. } | ActionOf::Use { from, .. } => (T::said(from), None),
            ActionOf::Craft { at, .. } => (T::said(at), None),
            ActionOf::Consume { from, .. } | ActionOf::Lift { from, .. } | ActionOf::Equip { from, .. } => {
                (Some(from), None)
            }
            ActionOf::Move { from, to, .. } | ActionOf::Split { from, to, .. } => (Some(from), Some(to)),
            ActionOf::Merge { from, onto, .. } => (Some(from), Some(onto)),
            ActionOf::Swap { one, other } => (Some(one), Some(other)),
            ActionOf::Unequip { from, to, .. } => (Some(from), to.as_ref()),
            ActionOf::Sort { at, .. }
            | ActionOf::Resize { at, .. }
            | ActionOf::Open { at }
            | ActionOf::Close { at }
            | ActionOf::Give { at, .. }
            | ActionOf::Cancel { at, .. }
            | ActionOf::Buy { at, .. }
            | ActionOf::Sell { at, .. }
            | ActionOf::Bind { at, .. }
            | ActionOf::Unbind { at }
            | ActionOf::Mark { at, .. }
            | ActionOf::Unmark { at, .. }
            | ActionOf::Set { at, .. }
            | ActionOf::Depart { who: at } => (Some(at), None),
            ActionOf::Return { .. }
            | ActionOf::Leave
            | ActionOf::Trade { .. }
            | ActionOf::Wait { .. }
            | ActionOf::Arrive { .. }
            | ActionOf::Together { .. } => (None, None),
        }
    }
}

impl NamedAction {
    /// What was done: `moved`, `picked up`.
    #[must_use]
    pub fn past_verb(&self) -> &'static str {
        self.verb().row().past
    }

    /// The places that it names, in the order of the sentence.
    pub fn places(&self) -> impl Iterator<Item = &Path> {
        let mut places = Vec::new();
        self.add_places(&mut places);
        places.into_iter()
    }

    fn add_places<'s>(&'s self, places: &mut Vec<&'s Path>) {
        match self {
            NamedAction::Together { steps } => steps.iter().for_each(|step| step.action.add_places(places)),
            NamedAction::PickUp { from, .. } => places.extend(from),
            _ => {}
        }
        let (from, to) = self.sides();
        places.extend(from.into_iter().chain(to));
    }
}
