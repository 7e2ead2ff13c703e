//! Names of kinds, marks and properties in portions and sentences.

use crate::id::{KindId, PropertyId};
use crate::language::NamedPortion;
use crate::ruleset::kind::PropertyValue;
use crate::ruleset::start::StartPortion;
use crate::ruleset::view::Ruleset;
use crate::text::{Location, Word, suggestion};

/// A name in a portion or sentence that the ruleset does not know.
pub(crate) struct UnknownName<'r> {
    pub(crate) code: &'static str,
    pub(crate) message: String,
    /// Looks for what may have been meant, among all names: only what is printed is worth that.
    pub(crate) help: Box<dyn FnOnce() -> Option<String> + 'r>,
    pub(crate) word: Word,
}

impl Ruleset {
    /// Looks up the names of a portion.
    pub(crate) fn resolve_portion(&self, portion: &NamedPortion) -> Result<StartPortion, UnknownName<'_>> {
        let kind = self.resolve_kind(&portion.kind)?;
        let mut marks = Vec::new();
        for name in &portion.variant.marks {
            let unknown = || UnknownName {
                code: "unknown-mark",
                message: format!("unknown mark `{name}`"),
                help: {
                    let unknown = name.clone();
                    Box::new(move || suggestion(unknown.as_str(), self.marks.iter().map(|mark| &*mark.name)))
                },
                word: name.clone(),
            };
            marks.push(self.find_mark(name.as_str()).ok_or_else(unknown)?);
        }
        let mut properties = Vec::new();
        for (name, value) in &portion.variant.properties {
            properties.push((self.resolve_property(kind, name)?, *value));
        }
        Ok(StartPortion { count: portion.count, kind, marks, properties, at: Location::default() })
    }

    pub(crate) fn resolve_kind(&self, name: &Word) -> Result<KindId, UnknownName<'_>> {
        self.find_kind(name.as_str()).ok_or_else(|| UnknownName {
            code: "unknown-kind",
            message: format!("unknown kind `{}`", crate::language::shortened(name.as_str())),
            help: {
                let unknown = name.clone();
                Box::new(move || suggestion(unknown.as_str(), self.kind_names()))
            },
            word: name.clone(),
        })
    }

    /// A number property that the kind lists.
    fn resolve_property(&self, kind: KindId, name: &Word) -> Result<PropertyId, UnknownName<'_>> {
        let found = self
            .find_property(name.as_str())
            .filter(|&property| matches!(self.known_kind(kind).property(property), Some(PropertyValue::Number(_))));
        found.ok_or_else(|| UnknownName {
            code: "unknown-property",
            message: format!("kind `{}` has no number property `{name}`", self.known_kind(kind).id()),
            help: {
                let unknown = name.clone();
                Box::new(move || {
                    let names = self.known_kind(kind).properties().map(|(property, _)| &*self.property(property).name);
                    suggestion(unknown.as_str(), names.collect::<Vec<_>>())
                        .or_else(|| Some("Add it to the `properties` of the kind, with its initial value".to_owned()))
                })
            },
            word: name.clone(),
        })
    }
}
