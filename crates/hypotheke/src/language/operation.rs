use std::fmt;

use serde::{Deserialize, Serialize};

use crate::quantity::Decimal;

/// How many.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Amount {
    /// All that is there, or nothing.
    #[default]
    All,
    /// This number, or nothing.
    Exactly(u32),
    /// The items that fit, at most this number; refused only if none fits.
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
    /// The weight of the whole stack with its contents, descending.
    Weight,
    /// The value of the whole stack with its contents, descending.
    Value,
    /// How many items the stack has, downwards.
    Count,
}

/// How much of a stack a hand takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LiftAmount {
    /// Everything, a number, or the items that fit, at most a number.
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
