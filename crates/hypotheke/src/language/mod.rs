//! The sentences in which everything is written: portions (`2 ration-box`), places (`sled/3`) and
//! operations (`move 3 flare from depot to sled`). One parser and one printer serve files, the
//! command line and messages.
//!
//! All of it is plain data by names; nothing here knows a ruleset or a world.

mod action;
mod event;
mod lexer;
mod operation;
mod parser;
mod place;
mod portion;
mod sentences;
mod terms;
#[cfg(test)]
mod tests;
mod verb;

pub use action::{ActionOf, NamedAction, NamedOperation, OfferedOf, OperationOf};
pub use event::{NamedEvent, NamedLocation};
pub(crate) use event::{items_text, pass_text, ticks_text, times_text};
pub(crate) use lexer::{Token, TokenKind, lex};
pub use operation::{Amount, Landing, LiftAmount, Position, SortKey};
pub use parser::SentenceError;
pub(crate) use parser::{LineParser, shortened};
pub use place::{Path, PathError, PathRoot, PathStep};
pub use portion::{NamedPortion, NamedVariant};
pub(crate) use sentences::{NOBODY, owner_text};
pub use terms::{NamedArrival, Names, PlainTerms, Terms};
pub(crate) use terms::{Role, Translate};
pub(crate) use verb::{Claimable, InScope, Row};
pub use verb::{Effects, SlotOrder, Verb};

/// As a slot is named that holds what its container works on.
pub(crate) const WORK: &str = "work";

/// Before `of` these begin checks of scenarios, so that no meter has such a name.
pub(crate) const MEASURED_OF: &[&str] = &["encumbrance", "origin", "owner", "places", "shortcuts"];

/// Words that no kind, tag, mark, container, holder or slot may be called, since sentences need
/// them. In order.
pub(crate) const RESERVED: &[&str] = &[
    "all",
    "and",
    "any",
    "anyone",
    "as",
    "at",
    "attribute",
    "by",
    "count",
    "do",
    "done",
    "encumbrance",
    "end",
    "events",
    "free",
    "from",
    "half",
    "hand",
    "has",
    "in",
    "inside",
    "no",
    "nobody",
    "not",
    "nothing",
    "now",
    "of",
    "onto",
    "or",
    "owner",
    "refused",
    "ruleset",
    "scenario",
    "shortcuts",
    "slots",
    "snapshot",
    "start",
    "steps",
    "table",
    "to",
    "unchanged",
    "up",
    "value",
    "weight",
    "with",
    "within",
    "work",
];
