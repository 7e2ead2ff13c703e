//! Typed reading of TOML values, each fault with its place.

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::source::{FilterSource, Written};
use crate::filter::Filter;
use crate::quantity::Decimal;
use crate::text::{Diagnostic, Faults, Location, Source, SourceId, suggestion};

/// The most that a count, such as a stack limit, may be.
const COUNT_RANGE: &str = "a whole number from 1 to 4294967295";

pub(super) type Value<'i> = Spanned<DeValue<'i>>;

/// Keys by the names that they had before the first release, with their present names.
const RENAMED_KEYS: &[(&str, &str)] = &[
    ("keep", "protected"),
    ("needs", "occupies-slots"),
    ("misfits", "when-unfit"), // plain-ok: an old key
    ("burden", "encumbrance"), // plain-ok: an old key
    ("from", "at"),
    ("least-slots", "min-slots"), // plain-ok: an old key
    ("most-slots", "max-slots"),  // plain-ok: an old key
    ("spent-shortcuts", "depleted-shortcuts"),
    ("gone", "removed-places"),
    ("gone", "removed"),
    ("unknown", "unknown-kinds"),
];

/// The present name of a key that was renamed, if it is among `allowed`.
pub(crate) fn renamed_key(name: &str, allowed: &[&'static str]) -> Option<&'static str> {
    let mut renamed = RENAMED_KEYS.iter().filter(|(before, now)| *before == name && allowed.contains(now));
    renamed.next().map(|(_, now)| *now)
}

fn suggested_key(name: &str, allowed: &[&'static str]) -> Option<String> {
    if matches!(name, "put" | "take") && allowed.contains(&"put-by") {
        let what = if name == "put" { "put items in" } else { "take items out" };
        return Some(format!("Write `{name}-by = \"nobody\"` if no holder may {what}"));
    }
    match renamed_key(name, allowed) {
        Some(now) => Some(format!("Write `{now}`: `{name}` was renamed")),
        None => suggestion(name, allowed.iter().copied()),
    }
}

/// A text that is being read, and what is wrong with it so far.
pub(crate) struct Reading<'s> {
    pub(crate) source: &'s Source,
    pub(crate) id: SourceId,
    pub(crate) faults: Faults,
}

/// A table of which all keys are known.
pub(crate) struct Section<'a, 'i> {
    pub(crate) table: &'a DeTable<'i>,
    what: String,
}

impl<'s> Reading<'s> {
    pub(crate) fn new(source: &'s Source, id: SourceId) -> Reading<'s> {
        Reading { source, id, faults: Faults::default() }
    }

    pub(crate) fn at<T>(&self, value: &Spanned<T>) -> Location {
        Location::new(self.id, value.span())
    }

    pub(crate) fn wrong_type(&mut self, value: &Value<'_>, what: &str, wanted: &str) {
        let found = match value.get_ref() {
            DeValue::String(_) => "a text",
            DeValue::Integer(_) | DeValue::Float(_) => "a number",
            DeValue::Boolean(_) => "true or false",
            DeValue::Datetime(_) => "a date",
            DeValue::Array(_) => "a list",
            DeValue::Table(_) => "a table",
        };
        let at = self.at(value);
        self.faults.push(
            Diagnostic::error("wrong-type", at, format!("{what} must be {wanted}, not {found}"))
                .label(format!("this is {found}")),
        );
    }

    /// A table whose keys are all among `allowed`; other keys are faults.
    pub(crate) fn section<'a, 'i>(
        &mut self,
        value: &'a Value<'i>,
        what: impl Into<String>,
        allowed: &[&'static str],
    ) -> Option<Section<'a, 'i>> {
        self.section_with(value, what, allowed, |_| false)
    }

    /// A table whose keys are among `allowed`, or are such others.
    pub(crate) fn section_with<'a, 'i>(
        &mut self,
        value: &'a Value<'i>,
        what: impl Into<String>,
        allowed: &[&'static str],
        other: impl Fn(&str) -> bool,
    ) -> Option<Section<'a, 'i>> {
        let what = what.into();
        let Some(table) = value.get_ref().as_table() else {
            self.wrong_type(value, &what, "a table");
            return None;
        };
        self.check_keys(table, &what, allowed, other);
        Some(Section { table, what })
    }

    pub(crate) fn root<'a, 'i>(&mut self, table: &'a DeTable<'i>, allowed: &[&'static str]) -> Section<'a, 'i> {
        self.check_keys(table, "the ruleset", allowed, |_| false);
        Section { table, what: "the ruleset".to_owned() }
    }

    fn check_keys(&mut self, table: &DeTable<'_>, what: &str, allowed: &[&'static str], other: impl Fn(&str) -> bool) {
        for (key, _) in table {
            let name = key.get_ref().as_ref();
            if !allowed.contains(&name) && !other(name) {
                let help = if self.faults.is_full() { None } else { suggested_key(name, allowed) };
                let fault = Diagnostic::error("unknown-key", self.at(key), format!("{what} has no key `{name}`"));
                self.faults.push(fault.label("unknown key").maybe_help(help));
            }
        }
    }

    /// The entries of a table of tables, such as all of `[kind.*]`.
    pub(crate) fn entries<'a, 'i>(
        &mut self,
        section: &Section<'a, 'i>,
        key: &str,
    ) -> Vec<(Written<String>, &'a Value<'i>)> {
        let Some(value) = section.table.get(key) else { return Vec::new() };
        let Some(table) = value.get_ref().as_table() else {
            self.wrong_type(value, &format!("`{key}`"), "a table");
            return Vec::new();
        };
        self.entries_of(&Section { table, what: String::new() })
    }

    /// All entries of a table.
    pub(crate) fn entries_of<'a, 'i>(&self, section: &Section<'a, 'i>) -> Vec<(Written<String>, &'a Value<'i>)> {
        let written =
            |key: &Spanned<std::borrow::Cow<'_, str>>| Written { value: key.get_ref().to_string(), at: self.at(key) };
        section.table.iter().map(|(key, value)| (written(key), value)).collect()
    }

    /// The target of a removed container's contents is not valid.
    pub(crate) fn bad_removed(&mut self, written: &Written<String>) {
        let shown = crate::language::shortened(&written.value);
        let fault = Diagnostic::error("unknown-choice", written.at, format!("unknown target `{shown}`"));
        self.faults.push(fault.help("Write `into CONTAINER`, `to ground` or `orphan`"));
    }

    pub(crate) fn text(&mut self, section: &Section<'_, '_>, key: &str) -> Option<String> {
        self.written_text(section, key).map(|written| written.value)
    }

    pub(crate) fn written_text(&mut self, section: &Section<'_, '_>, key: &str) -> Option<Written<String>> {
        let value = section.table.get(key)?;
        self.one_text(value, &format!("`{key}` of {}", section.what))
    }

    pub(crate) fn one_text(&mut self, value: &Value<'_>, what: &str) -> Option<Written<String>> {
        let Some(text) = value.get_ref().as_str() else {
            self.wrong_type(value, what, "a text in quotes");
            return None;
        };
        Some(Written { value: text.to_owned(), at: self.at(value) })
    }

    pub(crate) fn texts(&mut self, section: &Section<'_, '_>, key: &str) -> Vec<Written<String>> {
        let Some(value) = section.table.get(key) else { return Vec::new() };
        let what = format!("`{key}` of {}", section.what);
        self.list_of_texts(value, &what)
    }

    /// Reads a key, and notes it if something in it can't be read: it is not missing then.
    pub(crate) fn noting<T>(
        &mut self,
        unread: &mut Vec<&'static str>,
        key: &'static str,
        read: impl FnOnce(&mut Self, &'static str) -> T,
    ) -> T {
        let errors = self.faults.errors();
        let value = read(self, key);
        if self.faults.errors() > errors {
            unread.push(key);
        }
        value
    }

    /// One text, or a list of texts.
    pub(crate) fn word_or_words(&mut self, section: &Section<'_, '_>, key: &str) -> Option<Vec<Written<String>>> {
        let value = section.table.get(key)?;
        let what = format!("`{key}` of {}", section.what);
        match value.get_ref() {
            DeValue::Array(_) => Some(self.list_of_texts(value, &what)),
            DeValue::String(_) => self.one_text(value, &what).map(|text| vec![text]),
            _ => {
                self.wrong_type(value, &what, "a text such as \"owner\", or a list of texts");
                None
            }
        }
    }

    fn list_of_texts(&mut self, value: &Value<'_>, what: &str) -> Vec<Written<String>> {
        let Some(array) = value.get_ref().as_array() else {
            self.wrong_type(value, what, "a list of texts, such as [\"one\", \"two\"]");
            return Vec::new();
        };
        let item = format!("each of {what}");
        array.iter().filter_map(|value| self.one_text(value, &item)).collect()
    }

    /// The values of a list, which `such_as` describes.
    pub(crate) fn list<'a, 'i>(&mut self, section: &Section<'a, 'i>, key: &str, such_as: &str) -> Vec<&'a Value<'i>> {
        let Some(value) = section.table.get(key) else { return Vec::new() };
        let Some(array) = value.get_ref().as_array() else {
            self.wrong_type(value, &format!("`{key}` of {}", section.what), such_as);
            return Vec::new();
        };
        array.iter().collect()
    }

    /// One of a few words, each of which stands for something.
    pub(crate) fn choice<T: Copy>(&mut self, section: &Section<'_, '_>, key: &str, choices: &[(&str, T)]) -> Option<T> {
        let written = self.written_text(section, key)?;
        self.chosen(section, key, choices, &written)
    }

    /// A list of such words; `None` if it is missing.
    pub(crate) fn choices<T: Copy>(
        &mut self,
        section: &Section<'_, '_>,
        key: &str,
        choices: &[(&str, T)],
    ) -> Option<Vec<T>> {
        section.table.get(key)?;
        let written = self.texts(section, key);
        Some(written.iter().filter_map(|written| self.chosen(section, key, choices, written)).collect())
    }

    fn chosen<T: Copy>(
        &mut self,
        section: &Section<'_, '_>,
        key: &str,
        choices: &[(&str, T)],
        written: &Written<String>,
    ) -> Option<T> {
        let chosen = choices.iter().find(|(word, _)| *word == written.value).map(|(_, choice)| *choice);
        if chosen.is_none() {
            let words: Vec<String> = choices.iter().map(|(word, _)| format!("`{word}`")).collect();
            let shown = crate::language::shortened(&written.value);
            let message = format!("unknown value `{shown}` for `{key}` of {}", section.what);
            let help = format!("Use one of {}", words.join(", "));
            self.faults.push(Diagnostic::error("unknown-choice", written.at, message).help(help));
        }
        chosen
    }

    pub(crate) fn flag(&mut self, section: &Section<'_, '_>, key: &str) -> Option<bool> {
        let value = section.table.get(key)?;
        let flag = value.get_ref().as_bool();
        if flag.is_none() {
            self.wrong_type(value, &format!("`{key}` of {}", section.what), "true or false");
        }
        flag
    }

    /// A whole number of at least 1.
    pub(crate) fn count(&mut self, section: &Section<'_, '_>, key: &str) -> Option<Written<u32>> {
        let value = section.table.get(key)?;
        let what = format!("`{key}` of {}", section.what);
        let at = self.at(value);
        let Some(integer) = value.get_ref().as_integer() else {
            if value.get_ref().is_float() {
                self.faults.push(Diagnostic::error("out-of-range", at, format!("{what} must be {COUNT_RANGE}")));
            } else {
                self.wrong_type(value, &what, COUNT_RANGE);
            }
            return None;
        };
        match u32::from_str_radix(integer.as_str(), integer.radix()) {
            Ok(count) if count > 0 => Some(Written { value: count, at }),
            _ => {
                let fault = Diagnostic::error("out-of-range", at, format!("{what} must be {COUNT_RANGE}"));
                self.faults.push(fault.label("out of range"));
                None
            }
        }
    }

    pub(crate) fn decimal(&mut self, section: &Section<'_, '_>, key: &str) -> Option<Written<Decimal>> {
        let value = section.table.get(key)?;
        let what = format!("`{key}` of {}", section.what);
        self.one_decimal(value, &what)
    }

    /// A decimal that is not below 0.
    pub(crate) fn weight(&mut self, section: &Section<'_, '_>, key: &str) -> Option<Written<Decimal>> {
        let decimal = self.decimal(section, key)?;
        if decimal.value.is_negative() {
            let message = format!("`{key}` of {} must not be negative", section.what);
            self.faults.push(Diagnostic::error("out-of-range", decimal.at, message).label("below 0"));
            return None;
        }
        Some(decimal)
    }

    pub(crate) fn one_decimal(&mut self, value: &Value<'_>, what: &str) -> Option<Written<Decimal>> {
        let at = self.at(value);
        let digits = match value.get_ref() {
            DeValue::Float(float) => float.as_str(),
            DeValue::Integer(integer) if integer.radix() == 10 => integer.as_str(),
            DeValue::Integer(_) => "0x",
            _ => {
                self.wrong_type(value, what, "a number");
                return None;
            }
        };
        match digits.trim_start_matches('+').parse() {
            Ok(decimal) => Some(Written { value: decimal, at }),
            Err(error) => {
                let fault = Diagnostic::error("bad-number", at, format!("{what}: {error}"));
                self.faults.push(fault.help("Write a number with at most three decimal places"));
                None
            }
        }
    }

    pub(crate) fn filter(&mut self, section: &Section<'_, '_>, key: &str) -> Option<FilterSource> {
        let value = section.table.get(key)?;
        let written = self.written_text(section, key)?;
        let origin = self.origin(value, &written.value);
        self.filter_in(&written.value, written.at, origin)
    }

    /// A filter in a text, by where the text is and, if it has no escapes, where it starts in the
    /// file.
    pub(crate) fn filter_in(&mut self, text: &str, at: Location, origin: Option<usize>) -> Option<FilterSource> {
        let fault_at = |span: crate::text::Span| match origin {
            Some(origin) => Location::new(at.source, span.shifted(origin)),
            None => at,
        };
        match text.parse::<Filter>() {
            Ok(filter) => Some(FilterSource { filter, at, origin }),
            Err(error) => {
                let help = error.help_text().map(str::to_owned);
                let fault = Diagnostic::error(
                    "bad-filter",
                    fault_at(error.span()),
                    format!("syntax error in a filter: {error}"),
                );
                self.faults.push(fault.maybe_help(help));
                None
            }
        }
    }

    /// The start of a text in the file, if it has no escapes.
    pub(crate) fn origin(&self, value: &Value<'_>, text: &str) -> Option<usize> {
        let span = value.span();
        let written = self.source.text().get(span.clone())?;
        (written.len() == text.len() + 2 && written.get(1..1 + text.len()) == Some(text)).then_some(span.start + 1)
    }
}
