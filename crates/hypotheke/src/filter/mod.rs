//! Filters: the expressions of `admits`.
//!
//! ```text
//! sample and not contaminated
//! fuel or weight <= 2.5
//! (food or medicine) and not colour = "red"
//! ```
//!
//! A name is a tag (with all tags below it), a mark or a kind. `weight`, `value` and properties
//! stand only in comparisons. `not` binds before `and`, `and` before `or`. A comparison with a
//! property that a stack lacks is false.

mod parse;
mod print;
mod test;
#[cfg(test)]
mod tests;

use crate::quantity::Decimal;
use crate::text::Word;

pub use parse::FilterError;
pub(crate) use test::{Measure, Outlook, Subject, Test, Value};

/// How a filter compares.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Comparison {
    /// `=`
    Equal,
    /// `!=`
    NotEqual,
    /// `<`
    Less,
    /// `<=`
    AtMost,
    /// `>`
    More,
    /// `>=`
    AtLeast,
}

impl Comparison {
    /// All of them.
    pub const ALL: [Comparison; 6] = [
        Comparison::Equal,
        Comparison::NotEqual,
        Comparison::Less,
        Comparison::AtMost,
        Comparison::More,
        Comparison::AtLeast,
    ];

    /// As it is written.
    #[must_use]
    pub fn symbol(self) -> &'static str {
        match self {
            Comparison::Equal => "=",
            Comparison::NotEqual => "!=",
            Comparison::Less => "<",
            Comparison::AtMost => "<=",
            Comparison::More => ">",
            Comparison::AtLeast => ">=",
        }
    }

    /// Whether the comparison is true of its left and right side.
    pub fn holds<T: Ord>(self, left: &T, right: &T) -> bool {
        match self {
            Comparison::Equal => left == right,
            Comparison::NotEqual => left != right,
            Comparison::Less => left < right,
            Comparison::AtMost => left <= right,
            Comparison::More => left > right,
            Comparison::AtLeast => left >= right,
        }
    }
}

/// What a property is compared with.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Literal {
    /// `2.5`
    Number(Decimal),
    /// `"red"`
    Text(String),
}

/// A filter as it was written. Parse one with [`str::parse`]; its `Display` prints what parses back
/// to the same filter.
///
/// ```
/// use hypotheke::Filter;
///
/// let filter: Filter = "sample and (clean or not contaminated)".parse()?;
/// assert_eq!(filter.to_string(), "sample and (clean or not contaminated)");
/// # Ok::<(), hypotheke::FilterError>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Filter {
    /// A tag, a mark or a kind.
    Name(Word),
    /// A comparison of `weight`, `value` or a property.
    Compare(Word, Comparison, Literal),
    /// What its part does not admit.
    Not(Box<Filter>),
    /// What all parts admit; at least two.
    And(Vec<Filter>),
    /// What one of the parts admits; at least two.
    Or(Vec<Filter>),
}
