//! Texts as they were written, places in them, and what is wrong there.
//!
//! A [`Diagnostic`] is data: it never prints itself in colour or draws an underline. Whoever shows it has the
//! [`Source`] and the [`Span`] to do so.

mod diagnostic;
mod faults;
mod nearest;
mod source;
#[cfg(test)]
mod tests;
mod word;

pub use diagnostic::{Diagnostic, Diagnostics, Severity};
pub(crate) use faults::{Faults, MAX_LISTED};
pub(crate) use nearest::{nearest, suggestion};
pub use source::{LineColumn, Location, Source, SourceId, Span};
pub use word::Word;
