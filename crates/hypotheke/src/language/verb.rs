//! The table of verbs: all that is said of an operation by its verb, in one place.
//!
//! Everything that reads or writes operations, names them in claims and scopes, or depends on what
//! they read and write, uses this table. A row has no defaults, and a verb without a row does not
//! compile.

/// What an operation does.
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
    /// A holder unequips a worn item.
    Unequip,
    /// A holder takes items into its hand.
    Lift,
    /// A holder puts items from its hand into a slot.
    Put,
    /// A holder returns the items in its hand.
    Return,
    /// A holder puts away what a container has some of already.
    Deposit,
    /// A holder opens a container.
    Open,
    /// A holder closes a container.
    Close,
    /// A container in the world gets a different owner.
    Give,
    /// A holder buys items at a container.
    Buy,
    /// A holder sells items at a container.
    Sell,
    /// Items of a container change into others.
    Craft,
    /// A container ends a recipe before its time.
    Cancel,
    /// Time passes, and what is due happens.
    Wait,
    /// A holder uses items.
    Use,
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
    /// Two holders exchange items.
    Trade,
    /// A container or a holder leaves the world with all that it has.
    Depart,
    /// A container or a holder that has departed comes back.
    Arrive,
}

/// Which slot order the outcome of an operation depends on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum SlotOrder {
    /// On none: the operation names each slot, or the order of the slots makes no difference.
    None,
    /// On the order in the containers that holders carry, and in packs: items are placed there in
    /// slot order.
    Carried,
    /// The same, but only where an unfit stack leaves its container.
    CarriedIfEjecting,
    /// On the order in any container.
    Any,
}

/// What an operation reads or writes beside the slots and the stacks that it names.
///
/// A reduction applies only where each verb in the scope states that it is compatible, so every
/// field errs on one side: `true`, or a later variant, turns reductions off.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub struct Effects {
    /// The slot order that it reads.
    pub slot_order: SlotOrder,
    /// It reads or writes a hand or the slot that its items came from. Verbs that only *may* name a
    /// hand state `false`: they name hands only in scopes in which a different verb uses them.
    pub hand: bool,
    /// It opens or closes containers, or changes who may use them.
    pub access: bool,
    /// It changes shortcuts other than by taking the last item of a kind.
    pub shortcuts: bool,
    /// It changes the number of slots.
    pub size: bool,
    /// It changes the marks or the properties of a stack.
    pub variants: bool,
    /// Stacks may land on the ground.
    pub lands: bool,
    /// It reads and changes meters.
    pub meters: bool,
    /// It reads or changes what containers work on, or the clock.
    pub time: bool,
}

/// What may stand after a verb where a claim says that something is never done.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Claimable {
    /// What is done it to: a kind, a tag or a mark, and the places.
    Items,
    /// A place only.
    Place,
    /// No claim names it.
    Never,
}

/// How a scope names a verb.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum InScope {
    /// In the line `verbs`.
    Verbs,
    /// On its own line of the scope, which names the values.
    Own,
    /// In the line `verbs`, and only random walks try it.
    Walks,
}

/// What is to be known of a verb.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Row {
    /// As a sentence begins without a holder that acts: `pick up`.
    pub(crate) plain: &'static str,
    /// After the holder that acts: `picks up`.
    pub(crate) third_person: &'static str,
    /// The word in an answer: `picked up`.
    pub(crate) past: &'static str,
    /// A whole sentence.
    pub(crate) example: &'static str,
    /// Whether a holder has to act.
    pub(crate) needs_actor: bool,
    pub(crate) claimable: Claimable,
    pub(crate) in_scope: InScope,
    /// How often random walks draw it, against the others.
    pub(crate) draws: usize,
    /// What it reads and writes.
    pub(crate) effects: Effects,
}

const fn effects(
    slot_order: SlotOrder,
    [hand, access, shortcuts, size, variants, lands, meters, time]: [bool; 8],
) -> Effects {
    Effects { slot_order, hand, access, shortcuts, size, variants, lands, meters, time }
}

/// One verb.
const fn row(
    [plain, third_person, past]: [&'static str; 3],
    example: &'static str,
    (needs_actor, claimable, in_scope, draws): (bool, Claimable, InScope, usize),
    effects: Effects,
) -> Row {
    Row { plain, third_person, past, example, needs_actor, claimable, in_scope, draws, effects }
}

impl Verb {
    /// All verbs, in the order of a search.
    pub const ALL: [Verb; 35] = [
        Verb::Move,
        Verb::Swap,
        Verb::Drop,
        Verb::PickUp,
        Verb::Equip,
        Verb::Unequip,
        Verb::Lift,
        Verb::Put,
        Verb::Return,
        Verb::Deposit,
        Verb::Open,
        Verb::Close,
        Verb::Give,
        Verb::Buy,
        Verb::Sell,
        Verb::Craft,
        Verb::Cancel,
        Verb::Wait,
        Verb::Use,
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
        Verb::Trade,
        Verb::Depart,
        Verb::Arrive,
    ];

    /// Its row in the table.
    pub(crate) const fn row(self) -> Row {
        use Claimable::{Items, Never, Place};
        use InScope::{Own, Verbs, Walks};
        use SlotOrder::{Any, Carried, CarriedIfEjecting, None};
        const HOLDER: bool = true;
        const ANYONE: bool = false;
        const NO: bool = false;
        const YES: bool = true;
        // In a row: who acts, what claims say, how a scope names it, how often it is drawn; then
        // the slot order that it reads, then hand, access, shortcuts, size, variants, lands, meters, time.
        match self {
            Verb::Move => row(
                ["move", "moves", "moved"],
                "move 3 fuel-drum from depot to sled",
                (ANYONE, Items, Verbs, 5),
                effects(None, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Swap => row(
                ["swap", "swaps", "swapped"],
                "swap sled/0 with depot/3",
                (ANYONE, Items, Verbs, 3),
                effects(None, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Drop => row(
                ["drop", "drops", "dropped"],
                "drop 1 flare from sled at 2.5,-1",
                (ANYONE, Items, Verbs, 2),
                effects(None, [NO, NO, NO, NO, NO, YES, NO, NO]),
            ),
            Verb::PickUp => row(
                ["pick up", "picks up", "picked up"],
                "pick up 1 flare to sled",
                (ANYONE, Items, Verbs, 3),
                effects(None, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            // A replaced item goes to the holder's containers, as an unequipped one does.
            Verb::Equip => row(
                ["equip", "equips", "equipped"],
                "surveyor equips from pockets/3",
                (HOLDER, Items, Verbs, 2),
                effects(Carried, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Unequip => row(
                ["unequip", "unequips", "unequipped"],
                "surveyor unequips from harness/back",
                (HOLDER, Items, Verbs, 2),
                effects(Carried, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            // A hand remembers the slot of its items, so slots are distinguishable from then on.
            Verb::Lift => row(
                ["lift", "lifts", "lifted"],
                "surveyor lifts 3 from sled/0",
                (HOLDER, Items, Verbs, 2),
                effects(None, [YES, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Put => row(
                ["put", "puts", "put"],
                "surveyor puts in sled/3",
                (HOLDER, Items, Verbs, 3),
                effects(None, [YES, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Return => row(
                ["return", "returns", "returned"],
                "surveyor returns",
                (HOLDER, Items, Verbs, 1),
                effects(Any, [YES, NO, NO, NO, NO, YES, NO, NO]),
            ),
            // It takes and places in slot order, so the order decides what remains.
            Verb::Deposit => row(
                ["deposit", "deposits", "deposited"],
                "surveyor deposits into depot",
                (HOLDER, Items, Verbs, 2),
                effects(Any, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Open => row(
                ["open", "opens", "opened"],
                "surveyor opens depot",
                (HOLDER, Place, Verbs, 2),
                effects(None, [NO, YES, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Close => row(
                ["close", "closes", "closed"],
                "surveyor closes depot",
                (HOLDER, Place, Verbs, 1),
                effects(None, [NO, YES, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Give => row(
                ["give", "gives", "given"],
                "give depot to surveyor",
                (ANYONE, Place, Verbs, 1),
                effects(None, [NO, YES, NO, NO, NO, NO, NO, NO]),
            ),
            // Both sides give and take in slot order.
            Verb::Buy => row(
                ["buy", "buys", "bought"],
                "surveyor buys 2 ration-box at depot",
                (HOLDER, Items, Verbs, 3),
                effects(Any, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Sell => row(
                ["sell", "sells", "sold"],
                "surveyor sells 1 ice-core at depot",
                (HOLDER, Items, Verbs, 3),
                effects(Any, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            // Inputs leave and outputs are placed in slot order.
            Verb::Craft => row(
                ["craft", "crafts", "crafted"],
                "surveyor crafts melt-water at stove",
                (ANYONE, Place, Verbs, 3),
                effects(Any, [NO, NO, NO, NO, NO, NO, NO, YES]),
            ),
            // What a container holds goes back to its slots, or is placed in slot order.
            Verb::Cancel => row(
                ["cancel", "cancels", "cancelled"],
                "surveyor cancels melt-water at stove",
                (ANYONE, Place, Verbs, 2),
                effects(Any, [NO, NO, NO, NO, NO, YES, NO, YES]),
            ),
            // Outputs are placed in slot order.
            Verb::Wait => row(
                ["wait", "waits", "waited"],
                "wait 30",
                (ANYONE, Never, Verbs, 3),
                // Properties fall, and what is unfit then may be ejected.
                effects(Any, [NO, NO, NO, NO, YES, YES, NO, YES]),
            ),
            Verb::Use => row(
                ["use", "uses", "used"],
                "surveyor uses tea from pockets",
                (HOLDER, Items, Verbs, 3),
                // It may lower a property, and so make a stack unfit for its place. A stack of one item
                // merges with no other, so that it makes no difference where it goes.
                effects(None, [NO, NO, NO, NO, YES, YES, YES, NO]),
            ),
            // Alike stacks within their limit become as many full ones as there are and one for the
            // rest, whatever their order was; the others only change places.
            Verb::Sort => row(
                ["sort", "sorts", "sorted"],
                "sort sled by weight",
                (ANYONE, Place, Verbs, 2),
                effects(None, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Bind => row(
                ["bind", "binds", "bound"],
                "surveyor binds flare to shortcuts/2",
                (ANYONE, Items, Verbs, 1),
                effects(None, [NO, NO, YES, NO, NO, NO, NO, NO]),
            ),
            Verb::Unbind => row(
                ["unbind", "unbinds", "unbound"],
                "surveyor unbinds shortcuts/2",
                (ANYONE, Place, Verbs, 1),
                effects(None, [NO, NO, YES, NO, NO, NO, NO, NO]),
            ),
            Verb::Leave => row(
                ["leave", "leaves", "left"],
                "surveyor leaves",
                (HOLDER, Items, Verbs, 1),
                effects(Any, [YES, YES, NO, NO, NO, YES, NO, NO]),
            ),
            Verb::Split => row(
                ["split", "splits", "split"],
                "split 2 from sled/0 to sled/3",
                (ANYONE, Items, Verbs, 2),
                effects(None, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Merge => row(
                ["merge", "merges", "merged"],
                "merge sled/0 onto sled/3",
                (ANYONE, Items, Verbs, 2),
                effects(None, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            // The last slots go first, and what they contain is placed in slot order.
            Verb::Resize => row(
                ["resize", "resizes", "resized"],
                "resize sled to 10",
                (ANYONE, Place, Verbs, 1),
                effects(Any, [NO, NO, NO, YES, NO, YES, NO, NO]),
            ),
            Verb::Set => row(
                ["set", "sets", "set"],
                "set reading of freezer/0 to 4.1",
                (ANYONE, Items, Verbs, 1),
                effects(CarriedIfEjecting, [NO, NO, NO, NO, YES, YES, NO, NO]),
            ),
            Verb::Mark => row(
                ["mark", "marks", "marked"],
                "mark freezer/0 contaminated",
                (ANYONE, Items, Own, 2),
                effects(CarriedIfEjecting, [NO, NO, NO, NO, YES, YES, NO, NO]),
            ),
            Verb::Unmark => row(
                ["unmark", "unmarks", "unmarked"],
                "unmark freezer/0 contaminated",
                (ANYONE, Items, Own, 1),
                effects(CarriedIfEjecting, [NO, NO, NO, NO, YES, YES, NO, NO]),
            ),
            Verb::Create => row(
                ["create", "creates", "created"],
                "create 3 fuel-drum in depot",
                (ANYONE, Items, Own, 4),
                effects(None, [NO, NO, NO, NO, NO, YES, NO, NO]),
            ),
            Verb::Consume => row(
                ["consume", "consumes", "consumed"],
                "consume 2 ration-box from sled",
                (ANYONE, Items, Own, 1),
                effects(None, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            // A search does not try these. They are stated so that nothing is reduced when it does.
            Verb::Together => row(
                ["together", "together", "done"],
                "together (move 1 flare from sled to depot; move 1 rope-coil from depot to sled)",
                (ANYONE, Never, Walks, 2),
                effects(Any, [YES, YES, YES, YES, YES, YES, YES, YES]),
            ),
            Verb::Trade => row(
                ["trade", "trades", "traded"],
                "trade 2 flare of surveyor for 1 radio of driver",
                (ANYONE, Items, Walks, 2),
                effects(Carried, [NO, NO, NO, NO, NO, NO, NO, NO]),
            ),
            Verb::Depart => row(
                ["depart", "departs", "departed"],
                "depart sled",
                (ANYONE, Items, Walks, 1),
                effects(Any, [YES, YES, YES, YES, YES, YES, YES, YES]),
            ),
            Verb::Arrive => row(
                ["arrive", "arrives", "arrived"],
                "arrive sled",
                (ANYONE, Items, Walks, 2),
                effects(Any, [YES, YES, YES, YES, YES, YES, YES, YES]),
            ),
        }
    }

    /// As files name it: `pick-up`.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Verb::PickUp => "pick-up",
            verb => verb.row().plain,
        }
    }

    /// What its operations read and write.
    #[must_use]
    pub const fn effects(self) -> Effects {
        self.row().effects
    }

    /// The verb of a word.
    pub(crate) fn of_word(word: &str) -> Option<Verb> {
        Verb::ALL.into_iter().find(|verb| verb.word() == word)
    }
}

impl Row {
    /// The word with which a sentence begins, without or with a holder that acts.
    pub(crate) fn first_word(&self, with_actor: bool) -> &'static str {
        first_word(if with_actor { self.third_person } else { self.plain })
    }

    /// Whether a word is the one with which a sentence begins.
    pub(crate) fn begins_with(&self, with_actor: bool, word: &str) -> bool {
        let words = if with_actor { self.third_person } else { self.plain };
        words.strip_prefix(word).is_some_and(|rest| rest.is_empty() || rest.starts_with(' '))
    }

    /// The word with which an answer begins.
    pub(crate) fn first_word_of_answer(&self) -> &'static str {
        first_word(self.past)
    }
}

fn first_word(words: &'static str) -> &'static str {
    words.split_once(' ').map_or(words, |(first, _)| first)
}
