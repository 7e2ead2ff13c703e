use std::fmt;

use serde::{Deserialize, Serialize};

use crate::quantity::Decimal;
use crate::text::{Span, Word};

/// What sets a stack apart from others of its kind: its marks, and properties that differ from the
/// kind's own.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NamedVariant {
    /// Marks that are set.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub marks: Vec<Word>,
    /// Properties and their values.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub properties: Vec<(Word, Decimal)>,
}

impl NamedVariant {
    /// True if nothing is given.
    #[must_use]
    pub fn is_plain(&self) -> bool {
        self.marks.is_empty() && self.properties.is_empty()
    }
}

/// Some items of one kind: `2 ration-box`, `1 ice-core (contaminated, reading 3.2)`.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct NamedPortion {
    /// How many.
    pub count: u32,
    /// Of which kind.
    pub kind: Word,
    /// With which marks and properties.
    #[serde(default, skip_serializing_if = "NamedVariant::is_plain")]
    pub variant: NamedVariant,
    #[serde(skip)]
    pub(crate) span: Span,
}

impl PartialEq for NamedPortion {
    fn eq(&self, other: &NamedPortion) -> bool {
        self.count == other.count && self.kind == other.kind && self.variant == other.variant
    }
}

impl Eq for NamedPortion {}

impl NamedPortion {
    /// Its place in the source text.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span
    }
}

impl fmt::Display for NamedVariant {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let marks = self.marks.iter().map(Word::to_string);
        let properties = self.properties.iter().map(|(name, value)| format!("{name} {value}"));
        f.write_str(&marks.chain(properties).collect::<Vec<_>>().join(", "))
    }
}

impl fmt::Display for NamedPortion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.count, self.kind)?;
        if !self.variant.is_plain() {
            write!(f, " ({})", self.variant)?;
        }
        Ok(())
    }
}
