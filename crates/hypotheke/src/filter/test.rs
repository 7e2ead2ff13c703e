//! A filter with resolved names, ready for use.

use super::Comparison;
use crate::id::{KindId, MarkId, PropertyId, TagId};
use crate::quantity::Decimal;

/// What a comparison looks at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Measure {
    Weight,
    Value,
    Property(PropertyId),
}

#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Value {
    Number(Decimal),
    Text(Box<str>),
}

/// The input of a filter: the items of one stack, read only.
pub(crate) trait Subject {
    fn kind(&self) -> KindId;
    /// Whether the kind has the tag or one below it.
    fn has_tag(&self, tag: TagId) -> bool;
    fn has_mark(&self, mark: MarkId) -> bool;
    fn number(&self, measure: Measure) -> Option<Decimal>;
    fn text(&self, property: PropertyId) -> Option<&str>;
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Test {
    Tag(TagId),
    Mark(MarkId),
    Kind(KindId),
    Compare(Measure, Comparison, Value),
    Not(Box<Test>),
    All(Vec<Test>),
    Any(Vec<Test>),
}

impl Test {
    pub(crate) fn admits(&self, subject: &impl Subject) -> bool {
        match self {
            Test::Tag(tag) => subject.has_tag(*tag),
            Test::Mark(mark) => subject.has_mark(*mark),
            Test::Kind(kind) => subject.kind() == *kind,
            Test::Compare(measure, comparison, Value::Number(number)) => {
                subject.number(*measure).is_some_and(|found| comparison.holds(&found, number))
            }
            Test::Compare(measure, comparison, Value::Text(text)) => match measure {
                Measure::Property(property) => {
                    subject.text(*property).is_some_and(|found| comparison.holds(&found, &text.as_ref()))
                }
                Measure::Weight | Measure::Value => false,
            },
            Test::Not(part) => !part.admits(subject),
            Test::All(parts) => parts.iter().all(|part| part.admits(subject)),
            Test::Any(parts) => parts.iter().any(|part| part.admits(subject)),
        }
    }
}

/// What a test says of a kind before it is known which marks its stacks will have and what their
/// properties will be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Outlook {
    Always,
    Never,
    Depends,
}

impl Outlook {
    fn of(answer: bool) -> Outlook {
        if answer { Outlook::Always } else { Outlook::Never }
    }
}

impl Test {
    pub(crate) fn outlook(&self, kind: &impl Subject) -> Outlook {
        self.looked_at(kind, false)
    }

    /// The same where the properties are those that the kind gives its stacks.
    pub(crate) fn outlook_of_fresh(&self, kind: &impl Subject) -> Outlook {
        self.looked_at(kind, true)
    }

    /// Whether it compares the weight or the value of a kind.
    pub(crate) fn reads_figures(&self) -> bool {
        match self {
            Test::Compare(measure, ..) => matches!(measure, Measure::Weight | Measure::Value),
            Test::Tag(_) | Test::Mark(_) | Test::Kind(_) => false,
            Test::Not(part) => part.reads_figures(),
            Test::All(parts) | Test::Any(parts) => parts.iter().any(Test::reads_figures),
        }
    }

    fn looked_at(&self, kind: &impl Subject, is_fresh: bool) -> Outlook {
        match self {
            Test::Mark(_) => Outlook::Depends,
            Test::Compare(measure @ Measure::Property(_), _, Value::Number(_))
                if !is_fresh && kind.number(*measure).is_some() =>
            {
                Outlook::Depends
            }
            Test::Tag(_) | Test::Kind(_) | Test::Compare(..) => Outlook::of(self.admits(kind)),
            Test::Not(part) => match part.looked_at(kind, is_fresh) {
                Outlook::Always => Outlook::Never,
                Outlook::Never => Outlook::Always,
                Outlook::Depends => Outlook::Depends,
            },
            Test::All(parts) => joined(parts, kind, is_fresh, (Outlook::Never, Outlook::Always)),
            Test::Any(parts) => joined(parts, kind, is_fresh, (Outlook::Always, Outlook::Never)),
        }
    }
}

/// One part that is `decisive` decides; if all are `neutral`, so is the whole.
fn joined(parts: &[Test], kind: &impl Subject, is_fresh: bool, (decisive, neutral): (Outlook, Outlook)) -> Outlook {
    let mut whole = neutral;
    for part in parts {
        match part.looked_at(kind, is_fresh) {
            outlook if outlook == decisive => return decisive,
            Outlook::Depends => whole = Outlook::Depends,
            _ => {}
        }
    }
    whole
}
