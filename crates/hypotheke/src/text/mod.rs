//! Texts as they were written, places in them, and what is wrong there.
//!
//! A [`Diagnostic`] is data: it has no colours and draws no underline. Its reader uses the
//! [`Source`] and the [`Span`] for that.

mod diagnostic;
mod faults;
mod nearest;
mod source;
mod system;
#[cfg(test)]
mod tests;
mod word;

pub use diagnostic::{Diagnostic, Diagnostics, Severity};
pub(crate) use faults::{Faults, MAX_LISTED};
pub(crate) use nearest::{nearest, suggestion};
pub use source::{LineColumn, Location, Source, SourceId, Span};
pub use system::system_cause;
pub use word::Word;
