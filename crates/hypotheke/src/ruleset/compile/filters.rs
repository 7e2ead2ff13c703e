//! Filters: names looked up, and for each plain kind decided whether it is admitted.

use super::Compiler;
use crate::filter::{Filter, Literal, Measure, Subject, Test, Value};
use crate::id::{KindId, MarkId, PropertyId, TagId};
use crate::quantity::Decimal;
use crate::ruleset::Ruleset;
use crate::ruleset::bits::Bits;
use crate::ruleset::kind::{Kind, PropertyValue};
use crate::ruleset::source::FilterSource;
use crate::ruleset::view::{CompiledFilter, FilterId, Selector};
use crate::text::{Diagnostic, Faults, Word, suggestion};

use super::small;

impl Compiler {
    pub(super) fn compile_filter(&mut self, source: &FilterSource) -> Option<FilterId> {
        let mut names = FilterNames { rules: &self.rules, faults: Faults::default() };
        let test = names.resolve(&source.filter, source);
        if !names.faults.is_empty() {
            self.faults.append(names.faults);
            return None;
        }
        let plain = self.kinds_admitted(&test);
        let id = FilterId(small(self.rules.filters.len()));
        // Side by side with the other figures of a kind, where operations look anyway.
        if id.0 < u64::BITS {
            for (index, figures) in self.rules.figures.iter_mut().enumerate() {
                figures.admitted |= u64::from(plain.get(index)) << id.0;
            }
        }
        self.rules.filters.push(CompiledFilter { test, written: source.filter.to_string(), plain });
        Some(id)
    }

    /// The kinds whose stacks a filter admits as they are at first: each part is a set of kinds.
    fn kinds_admitted(&mut self, test: &Test) -> Bits {
        let count = self.rules.kinds.len();
        let mut kinds = Bits::new(count);
        match test {
            Test::Tag(tag) => return self.kinds_with_tag(*tag).clone(),
            Test::Mark(_) => {}
            Test::Kind(kind) => kinds.set(kind.index()),
            Test::Compare(..) => {
                for kind in self.rules.kinds().filter(|kind| test.admits(kind)) {
                    kinds.set(kind.handle().index());
                }
            }
            Test::Not(part) => {
                kinds = self.kinds_admitted(part);
                kinds.complement(count);
            }
            Test::All(parts) => {
                kinds.complement(count);
                parts.iter().for_each(|part| kinds.intersect(&self.kinds_admitted(part)));
            }
            Test::Any(parts) => parts.iter().for_each(|part| kinds.unite(&self.kinds_admitted(part))),
        }
        kinds
    }

    fn kinds_with_tag(&mut self, tag: TagId) -> &Bits {
        let rules = &self.rules;
        self.kinds_by_tag.entry(tag).or_insert_with(|| {
            let with_tag: Vec<bool> = rules.tag_sets.iter().map(|set| set.binary_search(&tag).is_ok()).collect();
            let mut kinds = Bits::new(rules.kinds.len());
            for (index, _) in rules.kinds.iter().enumerate().filter(|(_, kind)| with_tag[kind.tag_set as usize]) {
                kinds.set(index);
            }
            kinds
        })
    }
}

/// Looks up the names of a filter.
pub(crate) struct FilterNames<'r> {
    pub(crate) rules: &'r Ruleset,
    pub(crate) faults: Faults,
}

impl FilterNames<'_> {
    /// Looks up the names; what is unknown is a fault and stands for a test that nobody will ask.
    pub(crate) fn resolve(&mut self, filter: &Filter, source: &FilterSource) -> Test {
        match filter {
            Filter::Name(word) => match self.rules.selector(word.as_str()) {
                Some(Selector::Tag(tag)) => Test::Tag(tag),
                Some(Selector::Mark(mark)) => Test::Mark(mark),
                Some(Selector::Kind(kind)) => Test::Kind(kind),
                None => self.unknown_in_filter(word, source),
            },
            Filter::Compare(word, comparison, literal) => match self.measure(word, literal, source) {
                Some(measure) => {
                    let value = match literal {
                        Literal::Number(number) => Value::Number(*number),
                        Literal::Text(text) => Value::Text(text.as_str().into()),
                    };
                    Test::Compare(measure, *comparison, value)
                }
                None => Test::Any(Vec::new()),
            },
            Filter::Not(part) => Test::Not(Box::new(self.resolve(part, source))),
            Filter::And(parts) => Test::All(parts.iter().map(|part| self.resolve(part, source)).collect()),
            Filter::Or(parts) => Test::Any(parts.iter().map(|part| self.resolve(part, source)).collect()),
        }
    }

    fn unknown_in_filter(&mut self, word: &Word, source: &FilterSource) -> Test {
        let at = source.locate(word.span());
        let is_property =
            self.rules.find_property(word.as_str()).is_some() || matches!(word.as_str(), "weight" | "value");
        let fault = if is_property {
            Diagnostic::error("no-comparison", at, format!("`{word}` requires a comparison"))
                .help(format!("Compare it, as in `{word} >= 1`"))
        } else {
            Diagnostic::error("unknown-name", at, format!("unknown tag, mark or kind `{word}`"))
                .label("unknown name")
                .maybe_help(suggestion(word.as_str(), self.rules.item_names()))
        };
        self.faults.push(fault);
        Test::Any(Vec::new())
    }

    fn measure(&mut self, word: &Word, literal: &Literal, source: &FilterSource) -> Option<Measure> {
        let at = source.locate(word.span());
        let (measure, is_text) = match word.as_str() {
            "weight" => (Measure::Weight, false),
            "value" => (Measure::Value, false),
            name => match self.rules.find_property(name) {
                Some(property) => (Measure::Property(property), self.rules.property(property).is_text),
                None => {
                    let names = ["weight", "value"]
                        .into_iter()
                        .chain(self.rules.properties.iter().map(|property| &*property.name));
                    let help = suggestion(name, names);
                    let fault = Diagnostic::error("unknown-property", at, format!("no kind has the property `{name}`"));
                    self.faults.push(fault.label("unknown property").maybe_help(help));
                    return None;
                }
            },
        };
        if is_text != matches!(literal, Literal::Text(_)) {
            let (is, with) = if is_text { ("a text", "a text in quotes") } else { ("a number", "a number") };
            let fault = Diagnostic::error("wrong-type", at, format!("`{word}` is {is}"));
            self.faults.push(fault.help(format!("Compare it with {with}")));
            return None;
        }
        Some(measure)
    }
}

/// A kind as its stacks are at first: without marks, with the first values of its properties.
impl Subject for Kind<'_> {
    fn kind(&self) -> KindId {
        self.handle()
    }

    fn has_tag(&self, tag: TagId) -> bool {
        Kind::has_tag(*self, tag)
    }

    fn has_mark(&self, _mark: MarkId) -> bool {
        false
    }

    fn number(&self, measure: Measure) -> Option<Decimal> {
        match measure {
            Measure::Weight => Some(self.weight()),
            Measure::Value => Some(self.value()),
            Measure::Property(property) => match self.property(property)? {
                PropertyValue::Number(number) => Some(number),
                PropertyValue::Text(_) => None,
            },
        }
    }

    fn text(&self, property: PropertyId) -> Option<&str> {
        match self.property(property)? {
            PropertyValue::Text(text) => Some(text),
            PropertyValue::Number(_) => None,
        }
    }
}
