use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::parser::{LineParser, SentenceError};
use super::verb::Verb;
use super::{NamedVariant, Path, lex};
use crate::quantity::Decimal;
use crate::text::Word;

/// How many.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Amount {
    /// All that is there, or nothing.
    #[default]
    All,
    /// So many, or nothing.
    Exactly(u32),
    /// What fits of so many; nothing only if nothing fits.
    UpTo(u32),
}

/// A place on the ground, in the unit of length that the game uses.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Position {
    /// To the right.
    pub x: Decimal,
    /// Upwards.
    pub y: Decimal,
}

/// Where on the ground something lands.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Landing {
    /// The position, 0,0 where none is given.
    #[serde(default)]
    pub at: Position,
    /// How far from it, to each side, the world's random numbers may scatter it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub within: Option<Decimal>,
}

/// By what a container is sorted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SortKey {
    /// The id of the kind, upwards.
    #[default]
    Kind,
    /// The name of the kind, upwards.
    Name,
    /// The weight of the whole stack with all that lies in it, downwards.
    Weight,
    /// The value of the whole stack with all that lies in it, downwards.
    Value,
    /// How many items the stack has, downwards.
    Count,
}

impl SortKey {
    /// All of them.
    pub const ALL: [SortKey; 5] = [SortKey::Kind, SortKey::Name, SortKey::Weight, SortKey::Value, SortKey::Count];

    /// As it is written.
    #[must_use]
    pub fn code(self) -> &'static str {
        match self {
            SortKey::Kind => "kind",
            SortKey::Name => "name",
            SortKey::Weight => "weight",
            SortKey::Value => "value",
            SortKey::Count => "count",
        }
    }
}

/// What is asked for, by names.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub enum NamedAction {
    /// `create 3 fuel-drum in depot`
    Create {
        /// How many; `All` can't be meant.
        amount: Amount,
        /// Of which kind.
        kind: Word,
        /// With which marks and properties.
        #[serde(default, skip_serializing_if = "NamedVariant::is_plain")]
        variant: NamedVariant,
        /// Where.
        to: Path,
        /// Where on the ground, if it is the ground.
        #[serde(default)]
        landing: Landing,
    },
    /// `consume 2 ration-box from sled`
    Consume {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<Word>,
        /// From where.
        from: Path,
    },
    /// `move 3 fuel-drum from depot to sled`
    Move {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<Word>,
        /// From a slot or a container.
        from: Path,
        /// To a slot or a container.
        to: Path,
    },
    /// `split 2 from sled/0 to sled/3`
    Split {
        /// How many; at least one stays.
        count: u32,
        /// The slot of the stack.
        from: Path,
        /// An empty slot, or a container.
        to: Path,
    },
    /// `merge sled/0 onto sled/3`, `merge 2 from sled/0 onto sled/3`
    Merge {
        /// How many. Without a number, what fits.
        amount: Amount,
        /// The slot of the stack.
        from: Path,
        /// The slot of an alike stack.
        onto: Path,
    },
    /// `swap sled/0 with depot/3`
    Swap {
        /// A slot.
        one: Path,
        /// Another slot.
        other: Path,
    },
    /// `drop 1 flare from sled at 2.5,-1`
    Drop {
        /// How many.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<Word>,
        /// From where; from the acting holder if no place is named.
        from: Option<Path>,
        /// Where it lands.
        #[serde(default)]
        landing: Landing,
    },
    /// `pick up 1 flare to sled`
    PickUp {
        /// How many. Without a number, what fits.
        amount: Amount,
        /// Of which kind; every kind if none is named.
        kind: Option<Word>,
        /// A stack on the ground; all of the ground if none is named.
        from: Option<Path>,
        /// Where to; to the acting holder if no place is named.
        to: Option<Path>,
    },
    /// `surveyor lifts 3 from sled/0`, `surveyor lifts half from sled/0`, `surveyor lifts from sled/0`
    Lift {
        /// How many; half of the stack, rounded up, if none is given and `half` is set.
        amount: Amount,
        /// Half of the stack is meant.
        #[serde(default)]
        half: bool,
        /// The slot of the stack.
        from: Path,
    },
    /// `surveyor puts in sled/3`, `surveyor puts 2 in sled`
    Put {
        /// How many. Without a number, what fits.
        amount: Amount,
        /// A slot or a container.
        to: Path,
    },
    /// `surveyor returns`, `surveyor returns 2`
    Return {
        /// How many. Without a number, what fits.
        amount: Amount,
    },
    /// `together (move 4 fuel-drum from depot to sled; move 2 ice-core from sled to depot)`
    Together {
        /// All of them are applied, or none.
        steps: Vec<NamedOperation>,
    },
    /// `surveyor equips from pockets/3`
    Equip {
        /// How many. Without a number, as many as the slot holds.
        amount: Amount,
        /// The slot of the stack.
        from: Path,
    },
    /// `surveyor unequips from harness/back`, `surveyor unequips from harness/back to depot`
    Unequip {
        /// How many.
        amount: Amount,
        /// The worn slot.
        from: Path,
        /// Where to; to the holder's containers if no place is named.
        to: Option<Path>,
    },
    /// `sort sled`, `sort sled by weight`
    Sort {
        /// The container.
        at: Path,
        /// By what.
        #[serde(default)]
        by: SortKey,
    },
    /// `resize sled to 10`, `resize sled to 6 with spill`
    Resize {
        /// The container.
        at: Path,
        /// How many slots it is to have.
        slots: u32,
        /// What lies in slots that go is put elsewhere.
        #[serde(default)]
        spill: bool,
    },
    /// `surveyor opens depot`
    Open {
        /// The container.
        at: Path,
    },
    /// `surveyor closes depot`
    Close {
        /// The container.
        at: Path,
    },
    /// `surveyor leaves`
    Leave,
    /// `surveyor binds flare to shortcuts/2`
    Bind {
        /// The kind at which the shortcut is to point.
        kind: Word,
        /// The shortcut.
        at: Path,
    },
    /// `surveyor unbinds shortcuts/2`
    Unbind {
        /// The shortcut.
        at: Path,
    },
    /// `mark freezer/0 contaminated`
    Mark {
        /// The place of the stack.
        at: Path,
        /// The mark that it gets.
        mark: Word,
    },
    /// `unmark freezer/0 contaminated`
    Unmark {
        /// The place of the stack.
        at: Path,
        /// The mark that it loses.
        mark: Word,
    },
    /// `set reading of freezer/0 to 4.1`
    Set {
        /// The property.
        property: Word,
        /// The place of the stack.
        at: Path,
        /// The value that it gets.
        value: Decimal,
    },
    /// `depart sled`
    Depart {
        /// A container that stands in the world, or a holder.
        who: Path,
    },
    /// `arrive sled`, `arrive driller as surveyor`
    Arrive {
        /// What has departed under this name; a newcomer gets it.
        who: Word,
        /// Which of the ruleset's holders a newcomer is.
        #[serde(default, rename = "as", skip_serializing_if = "Option::is_none")]
        newcomer: Option<Word>,
    },
}

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
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NamedOperation {
    /// The holder that acts; the game itself if none is named.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub actor: Option<Word>,
    /// What is asked for.
    pub action: NamedAction,
}

impl FromStr for NamedOperation {
    type Err = SentenceError;

    fn from_str(text: &str) -> Result<NamedOperation, SentenceError> {
        let mut tokens = Vec::new();
        lex(text, 0, &mut tokens);
        let mut line = LineParser::new(&tokens, crate::text::Span::new(0, text.len()));
        let operation = line.operation()?;
        line.end()?;
        Ok(operation)
    }
}

impl NamedAction {
    /// Its verb.
    #[must_use]
    pub fn verb(&self) -> Verb {
        match self {
            NamedAction::Create { .. } => Verb::Create,
            NamedAction::Consume { .. } => Verb::Consume,
            NamedAction::Move { .. } => Verb::Move,
            NamedAction::Split { .. } => Verb::Split,
            NamedAction::Merge { .. } => Verb::Merge,
            NamedAction::Swap { .. } => Verb::Swap,
            NamedAction::Drop { .. } => Verb::Drop,
            NamedAction::PickUp { .. } => Verb::PickUp,
            NamedAction::Lift { .. } => Verb::Lift,
            NamedAction::Put { .. } => Verb::Put,
            NamedAction::Return { .. } => Verb::Return,
            NamedAction::Together { .. } => Verb::Together,
            NamedAction::Equip { .. } => Verb::Equip,
            NamedAction::Unequip { .. } => Verb::Unequip,
            NamedAction::Sort { .. } => Verb::Sort,
            NamedAction::Resize { .. } => Verb::Resize,
            NamedAction::Open { .. } => Verb::Open,
            NamedAction::Close { .. } => Verb::Close,
            NamedAction::Leave => Verb::Leave,
            NamedAction::Bind { .. } => Verb::Bind,
            NamedAction::Unbind { .. } => Verb::Unbind,
            NamedAction::Mark { .. } => Verb::Mark,
            NamedAction::Unmark { .. } => Verb::Unmark,
            NamedAction::Set { .. } => Verb::Set,
            NamedAction::Depart { .. } => Verb::Depart,
            NamedAction::Arrive { .. } => Verb::Arrive,
        }
    }

    /// What was done: `moved`, `picked up`.
    #[must_use]
    pub fn past_verb(&self) -> &'static str {
        self.verb().row().past
    }

    /// The number of items that it names, if it names one.
    pub(crate) fn count_mut(&mut self) -> Option<&mut u32> {
        let amount = match self {
            NamedAction::Create { amount, .. }
            | NamedAction::Consume { amount, .. }
            | NamedAction::Move { amount, .. }
            | NamedAction::Merge { amount, .. }
            | NamedAction::Drop { amount, .. }
            | NamedAction::PickUp { amount, .. }
            | NamedAction::Lift { amount, .. }
            | NamedAction::Put { amount, .. }
            | NamedAction::Return { amount }
            | NamedAction::Equip { amount, .. }
            | NamedAction::Unequip { amount, .. } => amount,
            NamedAction::Split { count, .. } => return Some(count),
            NamedAction::Swap { .. }
            | NamedAction::Together { .. }
            | NamedAction::Sort { .. }
            | NamedAction::Resize { .. }
            | NamedAction::Open { .. }
            | NamedAction::Close { .. }
            | NamedAction::Leave
            | NamedAction::Bind { .. }
            | NamedAction::Unbind { .. }
            | NamedAction::Mark { .. }
            | NamedAction::Unmark { .. }
            | NamedAction::Set { .. }
            | NamedAction::Depart { .. }
            | NamedAction::Arrive { .. } => return None,
        };
        match amount {
            Amount::Exactly(count) | Amount::UpTo(count) => Some(count),
            Amount::All => None,
        }
    }

    /// The places that it names, in the order of the sentence.
    pub fn places(&self) -> impl Iterator<Item = &Path> {
        let mut places = Vec::new();
        self.add_places(&mut places);
        places.into_iter()
    }

    fn add_places<'s>(&'s self, places: &mut Vec<&'s Path>) {
        let (one, other) = match self {
            NamedAction::Together { steps } => {
                steps.iter().for_each(|step| step.action.add_places(places));
                (None, None)
            }
            NamedAction::Create { to, .. } | NamedAction::Put { to, .. } => (Some(to), None),
            NamedAction::Consume { from, .. } | NamedAction::Lift { from, .. } | NamedAction::Equip { from, .. } => {
                (Some(from), None)
            }
            NamedAction::Unequip { from, to, .. } => (Some(from), to.as_ref()),
            NamedAction::Move { from, to, .. } | NamedAction::Split { from, to, .. } => (Some(from), Some(to)),
            NamedAction::Merge { from, onto, .. } => (Some(from), Some(onto)),
            NamedAction::Swap { one, other } => (Some(one), Some(other)),
            NamedAction::Drop { from, .. } => (from.as_ref(), None),
            NamedAction::Return { .. } | NamedAction::Leave | NamedAction::Arrive { .. } => (None, None),
            NamedAction::Depart { who } => (Some(who), None),
            NamedAction::PickUp { from, to, .. } => (from.as_ref(), to.as_ref()),
            NamedAction::Mark { at, .. }
            | NamedAction::Unmark { at, .. }
            | NamedAction::Set { at, .. }
            | NamedAction::Sort { at, .. }
            | NamedAction::Resize { at, .. }
            | NamedAction::Open { at }
            | NamedAction::Close { at }
            | NamedAction::Bind { at, .. }
            | NamedAction::Unbind { at } => (Some(at), None),
        };
        places.extend(one.into_iter().chain(other));
    }
}

impl fmt::Display for Amount {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Amount::All => f.write_str("all"),
            Amount::Exactly(count) => write!(f, "{count}"),
            Amount::UpTo(count) => write!(f, "up to {count}"),
        }
    }
}

impl fmt::Display for Position {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{},{}", self.x, self.y)
    }
}

impl fmt::Display for Landing {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.at != Position::default() || self.within.is_some() {
            write!(f, " at {}", self.at)?;
        }
        self.within.map_or(Ok(()), |within| write!(f, " within {within}"))
    }
}

/// ` 3 fuel-drum`, ` fuel-drum`, ` up to 9`, or nothing where all of every kind is meant.
fn print_selection(amount: Amount, kind: Option<&Word>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    if amount != Amount::All {
        write!(f, " {amount}")?;
    }
    kind.map_or(Ok(()), |kind| write!(f, " {kind}"))
}

fn print_place(preposition: &str, place: Option<&Path>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
    place.map_or(Ok(()), |place| write!(f, " {preposition} {place}"))
}

impl fmt::Display for NamedOperation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some(actor) = &self.actor {
            write!(f, "{actor} ")?;
        }
        let verb = self.action.verb().row();
        f.write_str(if self.actor.is_some() { verb.third_person } else { verb.plain })?;
        match &self.action {
            NamedAction::Create { amount, kind, variant, to, landing } => {
                write!(f, " {amount} {kind}")?;
                if !variant.is_plain() {
                    write!(f, " ({variant})")?;
                }
                write!(f, " in {to}{landing}")
            }
            NamedAction::Consume { amount, kind, from } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", Some(from), f)
            }
            NamedAction::Move { amount, kind, from, to } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", Some(from), f)?;
                print_place("to", Some(to), f)
            }
            NamedAction::Split { count, from, to } => write!(f, " {count} from {from} to {to}"),
            NamedAction::Merge { amount: Amount::All, from, onto } => write!(f, " {from} onto {onto}"),
            NamedAction::Merge { amount, from, onto } => write!(f, " {amount} from {from} onto {onto}"),
            NamedAction::Swap { one, other } => write!(f, " {one} with {other}"),
            NamedAction::Lift { half: true, from, .. } => write!(f, " half from {from}"),
            NamedAction::Lift { amount, from, .. } | NamedAction::Equip { amount, from } => {
                print_selection(*amount, None, f)?;
                print_place("from", Some(from), f)
            }
            NamedAction::Put { amount, to } => {
                print_selection(*amount, None, f)?;
                print_place("in", Some(to), f)
            }
            NamedAction::Together { steps } => {
                f.write_str(" (")?;
                for (index, step) in steps.iter().enumerate() {
                    write!(f, "{}{step}", if index == 0 { "" } else { "; " })?;
                }
                f.write_str(")")
            }
            NamedAction::Unequip { amount, from, to } => {
                print_selection(*amount, None, f)?;
                print_place("from", Some(from), f)?;
                print_place("to", to.as_ref(), f)
            }
            NamedAction::Resize { at, slots, spill } => {
                write!(f, " {at} to {slots}{}", if *spill { " with spill" } else { "" })
            }
            NamedAction::Open { at }
            | NamedAction::Close { at }
            | NamedAction::Unbind { at }
            | NamedAction::Sort { at, by: SortKey::Kind } => write!(f, " {at}"),
            NamedAction::Sort { at, by } => write!(f, " {at} by {}", by.code()),
            NamedAction::Leave => Ok(()),
            NamedAction::Depart { who } => write!(f, " {who}"),
            NamedAction::Arrive { who, newcomer: None } => write!(f, " {who}"),
            NamedAction::Arrive { who, newcomer: Some(holder) } => write!(f, " {who} as {holder}"),
            NamedAction::Bind { kind, at } => write!(f, " {kind} to {at}"),
            NamedAction::Return { amount } => print_selection(*amount, None, f),
            NamedAction::Mark { at, mark } | NamedAction::Unmark { at, mark } => write!(f, " {at} {mark}"),
            NamedAction::Set { property, at, value } => write!(f, " {property} of {at} to {value}"),
            NamedAction::Drop { amount, kind, from, landing } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", from.as_ref(), f)?;
                write!(f, "{landing}")
            }
            NamedAction::PickUp { amount, kind, from, to } => {
                print_selection(*amount, kind.as_ref(), f)?;
                print_place("from", from.as_ref(), f)?;
                print_place("to", to.as_ref(), f)
            }
        }
    }
}
