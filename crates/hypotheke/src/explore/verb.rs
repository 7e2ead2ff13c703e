//! The verbs that an exploration tries, and what an operation of each reads and writes.

use crate::ops::Action;

/// A verb that an exploration tries.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Verb {
    /// One, half or all of a stack moves to a different slot, or as many as fit.
    Move,
    /// Two slots exchange their contents.
    Swap,
    /// One, half or all of a stack goes to the ground.
    Drop,
    /// A stack on the ground goes to a slot.
    PickUp,
    /// A holder wears items.
    Equip,
    /// A holder takes off what it wears.
    Unequip,
    /// A holder takes items into its hand.
    Lift,
    /// A holder puts items from its hand into a slot.
    Put,
    /// A holder returns the items in its hand.
    Return,
    /// A holder opens a container.
    Open,
    /// A holder closes a container.
    Close,
    /// The stacks of a container are sorted.
    Sort,
    /// A shortcut is bound to a kind.
    Bind,
    /// A shortcut is cleared.
    Unbind,
    /// A holder returns the items in its hand and closes all that it has opened.
    Leave,
    /// A part of a stack goes to an empty slot.
    Split,
    /// A stack goes onto an alike one.
    Merge,
    /// A container gets more or fewer slots.
    Resize,
    /// A property of a stack changes.
    Set,
    /// A stack gets a mark.
    Mark,
    /// A stack loses a mark.
    Unmark,
    /// Items enter the world.
    Create,
    /// Items leave the world.
    Consume,
    /// Several operations as one. Only walks try it, like all that follow.
    Together,
    /// A container or a holder leaves the world with all that it has.
    Depart,
    /// A container or a holder that has departed comes back.
    Arrive,
}

/// The verb of an action.
pub(super) fn verb_of(action: &Action) -> Verb {
    match action {
        Action::Create { .. } => Verb::Create,
        Action::Consume { .. } => Verb::Consume,
        Action::Move { .. } => Verb::Move,
        Action::Split { .. } => Verb::Split,
        Action::Merge { .. } => Verb::Merge,
        Action::Swap { .. } => Verb::Swap,
        Action::Drop { .. } => Verb::Drop,
        Action::PickUp { .. } => Verb::PickUp,
        Action::Mark { .. } => Verb::Mark,
        Action::Unmark { .. } => Verb::Unmark,
        Action::Set { .. } => Verb::Set,
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
        Action::Depart { .. } => Verb::Depart,
        Action::Arrive { .. } => Verb::Arrive,
    }
}

/// Which slot order the outcome of an operation depends on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum SlotOrder {
    /// On none: the operation names each slot, or the order of the slots makes no difference.
    None,
    /// On the order in the containers that holders carry, and in packs: items are placed there in slot order.
    Carried,
    /// The same, but only where an unfit stack leaves its container.
    CarriedIfEjecting,
    /// On the order in any container.
    Any,
}

/// What an operation reads or writes beside the slots and the stacks that it names.
///
/// A reduction applies only where each verb in the scope states that it is compatible, so every field errs on one side:
/// `true`, or a later variant, turns reductions off.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Effects {
    /// The slot order that it reads.
    pub slot_order: SlotOrder,
    /// It reads or writes a hand or the slot that its items came from. Verbs that only *may* name a hand state `false`:
    /// they name hands only in scopes in which a different verb uses them.
    pub hand: bool,
    /// It opens or closes containers.
    pub access: bool,
    /// It changes shortcuts other than by taking the last item of a kind.
    pub shortcuts: bool,
    /// It changes the number of slots.
    pub size: bool,
    /// It changes the marks or the properties of a stack.
    pub variants: bool,
    /// Stacks may land on the ground.
    pub lands: bool,
}

const fn effects(slot_order: SlotOrder, [hand, access, shortcuts, size, variants, lands]: [bool; 6]) -> Effects {
    Effects { slot_order, hand, access, shortcuts, size, variants, lands }
}

impl Verb {
    /// All verbs, in the order in which they are tried.
    pub const ALL: [Verb; 26] = [
        Verb::Move,
        Verb::Swap,
        Verb::Drop,
        Verb::PickUp,
        Verb::Equip,
        Verb::Unequip,
        Verb::Lift,
        Verb::Put,
        Verb::Return,
        Verb::Open,
        Verb::Close,
        Verb::Sort,
        Verb::Bind,
        Verb::Unbind,
        Verb::Leave,
        Verb::Split,
        Verb::Merge,
        Verb::Resize,
        Verb::Set,
        Verb::Mark,
        Verb::Unmark,
        Verb::Create,
        Verb::Consume,
        Verb::Together,
        Verb::Depart,
        Verb::Arrive,
    ];

    /// The verb as files write it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Verb::Move => "move",
            Verb::Swap => "swap",
            Verb::Drop => "drop",
            Verb::PickUp => "pick-up",
            Verb::Equip => "equip",
            Verb::Unequip => "unequip",
            Verb::Lift => "lift",
            Verb::Put => "put",
            Verb::Return => "return",
            Verb::Open => "open",
            Verb::Close => "close",
            Verb::Sort => "sort",
            Verb::Bind => "bind",
            Verb::Unbind => "unbind",
            Verb::Leave => "leave",
            Verb::Split => "split",
            Verb::Merge => "merge",
            Verb::Resize => "resize",
            Verb::Set => "set",
            Verb::Mark => "mark",
            Verb::Unmark => "unmark",
            Verb::Create => "create",
            Verb::Consume => "consume",
            Verb::Together => "together",
            Verb::Depart => "depart",
            Verb::Arrive => "arrive",
        }
    }

    /// The verb of a word.
    pub(super) fn of_word(word: &str) -> Option<Verb> {
        Verb::ALL.into_iter().find(|verb| verb.word() == word)
    }

    /// What its operations read and write.
    #[must_use]
    #[expect(clippy::match_same_arms, reason = "verbs that state the same have reasons of their own")]
    pub const fn effects(self) -> Effects {
        use SlotOrder::{Any, Carried, CarriedIfEjecting, None};
        const NO: bool = false;
        const YES: bool = true;
        match self {
            //                                             hand access shortcuts size variants lands
            Verb::Move | Verb::Swap | Verb::PickUp => effects(None, [NO, NO, NO, NO, NO, NO]),
            Verb::Split | Verb::Merge | Verb::Consume => effects(None, [NO, NO, NO, NO, NO, NO]),
            Verb::Drop | Verb::Create => effects(None, [NO, NO, NO, NO, NO, YES]),
            // What a worn item replaces goes to the holder's containers, as what is taken off does.
            Verb::Equip | Verb::Unequip => effects(Carried, [NO, NO, NO, NO, NO, NO]),
            // A hand remembers the slot that its items came from, so slots are told apart from then on.
            Verb::Lift | Verb::Put => effects(None, [YES, NO, NO, NO, NO, NO]),
            Verb::Return => effects(Any, [YES, NO, NO, NO, NO, YES]),
            Verb::Leave => effects(Any, [YES, YES, NO, NO, NO, YES]),
            Verb::Open | Verb::Close => effects(None, [NO, YES, NO, NO, NO, NO]),
            // Alike stacks within their limit become as many full ones as there are and one for the rest, whatever their
            // order was; the others only change places.
            Verb::Sort => effects(None, [NO, NO, NO, NO, NO, NO]),
            Verb::Bind | Verb::Unbind => effects(None, [NO, NO, YES, NO, NO, NO]),
            // The last slots go first, and what they contain is placed in slot order.
            Verb::Resize => effects(Any, [NO, NO, NO, YES, NO, YES]),
            Verb::Set | Verb::Mark | Verb::Unmark => effects(CarriedIfEjecting, [NO, NO, NO, NO, YES, YES]),
            // A search does not try these. They are stated so that nothing is reduced when it does.
            Verb::Together | Verb::Depart | Verb::Arrive => effects(Any, [YES, YES, YES, YES, YES, YES]),
        }
    }
}
