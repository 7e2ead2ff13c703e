use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use super::action::{NamedAction, NamedArrival, NamedOperation};
use super::parser::{LineParser, SentenceError};
use super::{Path, lex};
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

/// How much of a stack a hand takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Share {
    /// All of it, or so many, or what fits of so many.
    Amount(Amount),
    /// Half of it, rounded up.
    Half,
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
            NamedAction::Lift { share: Share::Half, from } => write!(f, " half from {from}"),
            NamedAction::Lift { share: Share::Amount(amount), from } | NamedAction::Equip { amount, from } => {
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
            NamedAction::Arrive { who: NamedArrival { name, newcomer } } => {
                write!(f, " {name}")?;
                newcomer.as_ref().map_or(Ok(()), |holder| write!(f, " as {holder}"))
            }
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
