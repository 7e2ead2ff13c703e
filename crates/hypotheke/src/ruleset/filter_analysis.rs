//! Stacks that might be, to ask filters about.

use super::Kind;
use crate::filter::{Measure, Subject};
use crate::id::{KindId, MarkId, PropertyId, TagId};
use crate::quantity::Decimal;

/// A stack that might be.
#[derive(Clone, Debug)]
pub(crate) struct SampleStack<'r> {
    pub(crate) kind: Kind<'r>,
    pub(crate) marks: Vec<MarkId>,
    pub(crate) numbers: Vec<(PropertyId, Decimal)>,
}

impl Subject for SampleStack<'_> {
    fn kind(&self) -> KindId {
        self.kind.handle()
    }

    fn has_tag(&self, tag: TagId) -> bool {
        self.kind.has_tag(tag)
    }

    fn has_mark(&self, mark: MarkId) -> bool {
        self.marks.contains(&mark)
    }

    fn number(&self, measure: Measure) -> Option<Decimal> {
        let own = match measure {
            Measure::Property(property) => self.numbers.iter().find(|(id, _)| *id == property).map(|(_, value)| *value),
            Measure::Weight | Measure::Value => None,
        };
        own.or_else(|| self.kind.number(measure))
    }

    fn text(&self, property: PropertyId) -> Option<&str> {
        Subject::text(&self.kind, property)
    }
}
