//! Reading a ruleset file.

use std::borrow::Cow;

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::places::{DepletedShortcut, PutMode, WhenUnfit};
use super::read::{Reading, Section};
use super::source::{
    AccessSource, CapSource, ContainerSource, GroupSource, HolderSource, KindAt, KindSource, MarkSource,
    PropertySource, RulesetSource, SlotSource, StartSource, TagSource, Written,
};
use super::{changes, deals, falling, meters, migration, names, recipes};
use crate::language::{LineParser, NamedPortion, lex};
use crate::narrow;
use crate::quantity::Decimal;
use crate::text::{Diagnostic, Location, Source, SourceId, Span, Word};

const ROOT: &[&str] = &[
    "format",
    "title",
    "version",
    "units",
    "tables",
    "stack-limit",
    "nesting",
    "ground-limit",
    "request-window",
    "migration",
    "claims",
    "tag",
    "mark",
    "property",
    "kind",
    "container",
    "holder",
    "group",
    "deal",
    "recipe",
    "change",
    "start",
];
const CLAIMS: &[&str] = &["explore", "always", "forbidden", "possible", "recoverable"];
const KIND: &[&str] = &[
    "name",
    "note",
    "tags",
    "weight",
    "value",
    "stack-limit",
    "protected",
    "most-in-world",
    "pack",
    "occupies-slots",
    "attributes",
    "properties",
    "use",
];
const TAG: &[&str] = &["label", "note", "stack-limit"];
const MARK: &[&str] = &["label", "note"];
const CONTAINER: &[&str] = &[
    "name",
    "note",
    "slots",
    "columns",
    "stack-limit",
    "weight-cap",
    "admits",
    "slot",
    "worn",
    "copies",
    "caps",
    "put-by",
    "take-by",
    "open-by",
    "owner",
    "deep",
    "when-unfit",
    "reserved-first",
    "on-put",
    "must-open",
    "exclusive",
    "min-slots",
    "max-slots",
];
const WAYS: &[(&str, PutMode)] = &[("place", PutMode::Place), ("merge", PutMode::Merge), ("swap", PutMode::Swap)];
const CAP: &[&str] = &["of", "count"];
const SLOT: &[&str] = &["name", "label", "admits", "stack-limit", "put-by", "take-by"];
const HOLDER: &[&str] = &[
    "name",
    "note",
    "groups",
    "copies",
    "carries",
    "weight-cap",
    "caps",
    "encumbrance",
    "shortcuts",
    "depleted-shortcuts",
    "meters",
];
const GROUP: &[&str] = &["weight-cap", "caps"];
const ENCUMBRANCE: &[&str] = &["at", "label"];

impl RulesetSource {
    /// Reads the ruleset file itself; the tables that it names are read later.
    pub(crate) fn read_toml(&mut self, source: &Source) {
        let id = SourceId(narrow::index(self.sources.len()));
        self.sources.push(source.clone());
        let (root, errors) = DeTable::parse_recoverable(source.text());
        if !errors.is_empty() {
            self.faults.extend(errors.iter().map(|error| syntax_fault(id, source, error)));
            return;
        }
        let mut reading = Reading::new(source, id);
        if root.get_ref().is_empty() {
            let fault = Diagnostic::error("empty", Location::new(id, 0..0), "the ruleset is empty");
            reading.faults.push(fault.help("Start from a small one: `hypotheke new FOLDER`"));
        } else {
            self.read_root(&mut reading, root.get_ref());
        }
        self.faults.append(reading.faults);
    }

    fn read_root(&mut self, reading: &mut Reading<'_>, root: &DeTable<'_>) {
        let section = reading.root(root, ROOT);
        if let Some(format) = reading.count(&section, "format").filter(|format| format.value != 1) {
            let message = format!("unknown format {}", format.value);
            reading.faults.push(
                Diagnostic::error("unknown-format", format.at, message)
                    .help("Write `format = 1`, or install a later version of hypotheke"),
            );
        }
        self.title = reading.text(&section, "title");
        self.version = reading.count(&section, "version").map_or(1, |version| version.value);
        self.stack_limit = reading.count(&section, "stack-limit").map(|limit| limit.value);
        self.nesting = reading.count(&section, "nesting");
        self.ground_limit = reading.count(&section, "ground-limit").map(|limit| limit.value);
        self.request_window = reading.count(&section, "request-window").map(|window| window.value);
        self.tables = reading.texts(&section, "tables");
        if let Some(units) = root.get("units").and_then(|units| reading.section(units, "`units`", &["weight"])) {
            self.weight_unit = reading.text(&units, "weight");
        }
        if let Some(value) = root.get("migration") {
            self.migration = migration::read(reading, value);
        }
        if let Some(claims) = root.get("claims").and_then(|value| reading.section(value, "`claims`", CLAIMS)) {
            for &key in CLAIMS {
                let said = reading.texts(&claims, key);
                self.claims.extend(said.into_iter().map(|sentence| (key, sentence)));
            }
        }
        for (name, value) in reading.entries(&section, "tag") {
            self.read_tag(reading, name, value);
        }
        for (name, value) in reading.entries(&section, "mark") {
            self.read_mark(reading, name, value);
        }
        for (name, value) in reading.entries(&section, "property") {
            self.falling.extend(falling::read(reading, name, value));
        }
        for (id, value) in reading.entries(&section, "kind") {
            self.read_kind(reading, &id, value);
        }
        for (id, value) in reading.entries(&section, "container") {
            self.read_container(reading, id, value);
        }
        for (id, value) in reading.entries(&section, "holder") {
            self.read_holder(reading, id, value);
        }
        for (id, value) in reading.entries(&section, "group") {
            self.read_group(reading, id, value);
        }
        for (id, value) in reading.entries(&section, "deal") {
            self.deals.extend(deals::read(reading, id, value));
        }
        for (id, value) in reading.entries(&section, "recipe") {
            self.recipes.extend(recipes::read(reading, id, value));
        }
        for (id, value) in reading.entries(&section, "change") {
            self.changes.extend(changes::read(reading, id, value));
        }
        for (place, value) in reading.entries(&section, "start") {
            self.read_start(reading, &place, value);
        }
    }

    fn read_tag(&mut self, reading: &mut Reading<'_>, name: Written<String>, value: &Spanned<DeValue<'_>>) {
        check_name(reading, &name, "tag", true);
        let Some(section) = reading.section(value, format!("tag `{}`", name.value), TAG) else { return };
        let label = reading.text(&section, "label");
        let note = reading.text(&section, "note");
        let stack_limit = reading.count(&section, "stack-limit").map(|limit| limit.value);
        self.tags.push(TagSource { name, label, note, stack_limit });
    }

    fn read_mark(&mut self, reading: &mut Reading<'_>, name: Written<String>, value: &Spanned<DeValue<'_>>) {
        check_name(reading, &name, "mark", false);
        let Some(section) = reading.section(value, format!("mark `{}`", name.value), MARK) else { return };
        let label = reading.text(&section, "label");
        let note = reading.text(&section, "note");
        self.marks.push(MarkSource { name, label, note });
    }

    fn read_kind(&mut self, reading: &mut Reading<'_>, id: &Written<String>, value: &Spanned<DeValue<'_>>) {
        check_name(reading, id, "kind", false);
        let Some(section) = reading.section(value, format!("kind `{}`", id.value), KIND) else { return };
        let at = KindAt::Toml(id.at);
        let name = reading.text(&section, "name");
        let note = reading.text(&section, "note").unwrap_or_default();
        let tags = reading.texts(&section, "tags");
        for tag in &tags {
            check_name(reading, tag, "tag", true);
        }
        let tags_at = KindAt::Toml(tags.first().map_or(id.at, |tag| tag.at));
        let tags: Vec<&str> = tags.iter().map(|tag| tag.value.as_str()).collect();
        let tag_set = self.tag_set(&tags.join(" "), tags_at);
        let value = reading.decimal(&section, "value");
        if value.is_none() && section.table.contains_key("value") {
            self.unread_values.insert(narrow::index(self.kinds.len()));
        }
        let kind = KindSource {
            id: self.arena.add(&id.value),
            name: self.arena.add(name.as_deref().unwrap_or(&id.value)),
            note: self.arena.add(&note),
            at,
            tag_set,
            weight: reading.weight(&section, "weight").map_or(Decimal::ZERO, |weight| weight.value),
            value: value.map_or(Decimal::ZERO, |value| value.value),
            stack_limit: reading.count(&section, "stack-limit").map(|limit| limit.value),
            is_protected: reading.flag(&section, "protected").unwrap_or(false),
            max_in_world: reading.count(&section, "most-in-world").map(|most| most.value),
        };
        let index = narrow::index(self.kinds.len());
        self.kinds.push(kind);
        self.packs.extend(reading.written_text(&section, "pack").map(|pack| (index, pack)));
        for (attribute, value) in reading.entries(&section, "attributes") {
            check_name(reading, &attribute, "attribute", false);
            if let Some(number) = reading.one_decimal(value, &format!("attribute `{}`", attribute.value)) {
                self.attributes.push((index, attribute, number.value));
            }
        }
        self.uses.extend(meters::read_use(reading, &id.value, &section).map(|use_of| (index, use_of)));
        let needs = reading.texts(&section, "occupies-slots");
        for slot in &needs {
            check_name(reading, slot, "slot", false);
        }
        if !needs.is_empty() {
            self.needs.push((index, needs));
        }
        for (property, value) in reading.entries(&section, "properties") {
            self.read_property(reading, index, &property, value);
        }
    }

    fn read_property(
        &mut self,
        reading: &mut Reading<'_>,
        kind: u32,
        name: &Written<String>,
        value: &Spanned<DeValue<'_>>,
    ) {
        check_name(reading, name, "property", false);
        let value = match value.get_ref() {
            DeValue::String(text) => PropertySource::Text(self.arena.add(text)),
            _ => match reading.one_decimal(value, &format!("property `{}`", name.value)) {
                Some(number) => PropertySource::Number(number.value),
                None => return,
            },
        };
        let property = self.property_name(&name.value, name.at);
        self.properties.push((kind, property, value));
    }

    fn read_container(&mut self, reading: &mut Reading<'_>, id: Written<String>, value: &Spanned<DeValue<'_>>) {
        check_name(reading, &id, "container", false);
        let Some(section) = reading.section(value, format!("container `{}`", id.value), CONTAINER) else { return };
        let slots = reading.list(&section, "slot", "a list of tables, such as [{ name = \"head\" }]");
        let container = ContainerSource {
            name: reading.text(&section, "name"),
            note: reading.text(&section, "note"),
            slots: reading.count(&section, "slots"),
            says_slots: section.table.contains_key("slots"),
            columns: reading.count(&section, "columns"),
            stack_limit: reading.count(&section, "stack-limit").map(|limit| limit.value),
            weight_cap: reading.weight(&section, "weight-cap"),
            admits: reading.filter(&section, "admits"),
            slot: slots.into_iter().filter_map(|slot| read_slot(reading, &id.value, slot)).collect(),
            worn: reading.flag(&section, "worn").unwrap_or(false),
            caps: read_caps(reading, &section),
            put_by: read_access(reading, &section, "put-by"),
            take_by: read_access(reading, &section, "take-by"),
            open_by: read_access(reading, &section, "open-by"),
            owner: reading.written_text(&section, "owner"),
            deep: read_deep(reading, &section),
            on_put: reading.choices(&section, "on-put", WAYS),
            must_open: reading.flag(&section, "must-open").unwrap_or(false),
            exclusive: reading.flag(&section, "exclusive").unwrap_or(false),
            min_slots: reading.count(&section, "min-slots"),
            max_slots: reading.count(&section, "max-slots"),
            reserved_first: reading.flag(&section, "reserved-first").unwrap_or(false),
            when_unfit: reading
                .choice(&section, "when-unfit", &[("stay", WhenUnfit::Stay), ("eject", WhenUnfit::Eject)])
                .unwrap_or_default(),
            copies: reading.texts(&section, "copies"),
            id,
        };
        for copy in &container.copies {
            check_name(reading, copy, "copy", false);
        }
        self.containers.push(container);
    }

    fn read_holder(&mut self, reading: &mut Reading<'_>, id: Written<String>, value: &Spanned<DeValue<'_>>) {
        check_name(reading, &id, "holder", false);
        let Some(section) = reading.section(value, format!("holder `{}`", id.value), HOLDER) else { return };
        let errors = reading.faults.errors();
        let groups = reading.texts(&section, "groups");
        self.has_unread_groups |= reading.faults.errors() > errors;
        for group in &groups {
            check_name(reading, group, "group", false);
        }
        let copies = reading.texts(&section, "copies");
        for copy in &copies {
            check_name(reading, copy, "copy", false);
        }
        self.holders.push(HolderSource {
            groups,
            copies,
            name: reading.text(&section, "name"),
            note: reading.text(&section, "note"),
            carries: reading.texts(&section, "carries"),
            weight_cap: reading.weight(&section, "weight-cap").map(|cap| cap.value),
            caps: read_caps(reading, &section),
            encumbrance: read_encumbrance(reading, &section),
            meters: meters::read_meters(reading, &section, &mut self.meter_names),
            shortcuts: reading.count(&section, "shortcuts"),
            depleted_shortcuts: reading
                .choice(
                    &section,
                    "depleted-shortcuts",
                    &[("clear", DepletedShortcut::Clear), ("keep", DepletedShortcut::Keep)],
                )
                .unwrap_or_default(),
            id,
        });
    }

    fn read_group(&mut self, reading: &mut Reading<'_>, id: Written<String>, value: &Spanned<DeValue<'_>>) {
        check_name(reading, &id, "group", false);
        let Some(section) = reading.section(value, format!("group `{}`", id.value), GROUP) else { return };
        let weight_cap = reading.weight(&section, "weight-cap").map(|cap| cap.value);
        self.groups.push(GroupSource { weight_cap, caps: read_caps(reading, &section), id });
    }

    fn read_start(&mut self, reading: &mut Reading<'_>, place: &Written<String>, value: &Spanned<DeValue<'_>>) {
        let what = format!("the start of `{}`", place.value);
        let DeValue::Array(array) = value.get_ref() else {
            reading.wrong_type(value, &what, "a list of texts, such as [\"2 ration-box\"]");
            return;
        };
        let mut contents = Vec::new();
        for value in array {
            match value.get_ref().as_str() {
                Some(text) => contents.extend(read_portion(reading, value, text)),
                None => reading.wrong_type(value, &format!("each of {what}"), "a text, such as \"2 ration-box\""),
            }
        }
        self.start.push(StartSource {
            place: Word::new(place.value.as_str(), place.at.span),
            place_at: place.at,
            contents,
        });
    }
}

/// One word, such as `"owner"`, or a list of words.
pub(super) fn read_access(reading: &mut Reading<'_>, section: &Section<'_, '_>, key: &str) -> Option<AccessSource> {
    let at = reading.at(section.table.get(key)?);
    Some(AccessSource { at, words: reading.word_or_words(section, key)? })
}

/// Where `deep = true` stands.
fn read_deep(reading: &mut Reading<'_>, section: &Section<'_, '_>) -> Option<Location> {
    let deep = reading.flag(section, "deep")?;
    section.table.get("deep").filter(|_| deep).map(|value| reading.at(value))
}

/// Reports each of the keys that is missing.
pub(super) fn require_keys(
    reading: &mut Reading<'_>,
    value: &Spanned<DeValue<'_>>,
    section: &Section<'_, '_>,
    what: &str,
    keys: &[&str],
    example: &str,
) {
    for key in keys.iter().filter(|key| section.table.get(**key).is_none()) {
        let fault = Diagnostic::error("missing-key", reading.at(value), format!("{what} has no `{key}`"));
        reading.faults.push(fault.help(format!("Write it such as `{example}`")));
    }
}

const CAP_EXAMPLE: &str = "{ of = \"fuel\", count = 8 }";
const ENCUMBRANCE_EXAMPLE: &str = "{ at = 25, label = \"laden\" }";

fn read_caps(reading: &mut Reading<'_>, section: &Section<'_, '_>) -> Vec<CapSource> {
    let mut caps = Vec::new();
    for value in reading.list(section, "caps", &format!("a list of tables, such as [{CAP_EXAMPLE}]")) {
        let Some(section) = reading.section(value, "a cap", CAP) else { continue };
        let (of, count) = (reading.filter(&section, "of"), reading.count(&section, "count"));
        require_keys(reading, value, &section, "this cap", CAP, CAP_EXAMPLE);
        if let (Some(of), Some(count)) = (of, count) {
            caps.push(CapSource { of, count: count.value });
        }
    }
    caps
}

fn read_encumbrance(reading: &mut Reading<'_>, section: &Section<'_, '_>) -> Vec<(Written<Decimal>, Written<String>)> {
    let mut encumbrance = Vec::new();
    for value in reading.list(section, "encumbrance", &format!("a list of tables, such as [{ENCUMBRANCE_EXAMPLE}]")) {
        let Some(section) = reading.section(value, "an encumbrance step", ENCUMBRANCE) else { continue };
        let (at, label) = (reading.weight(&section, "at"), reading.written_text(&section, "label"));
        require_keys(reading, value, &section, "this encumbrance step", ENCUMBRANCE, ENCUMBRANCE_EXAMPLE);
        if let (Some(at), Some(label)) = (at, label) {
            check_name(reading, &label, "encumbrance", false);
            encumbrance.push((at, label));
        }
    }
    encumbrance
}

fn read_slot(reading: &mut Reading<'_>, container: &str, value: &Spanned<DeValue<'_>>) -> Option<SlotSource> {
    let section = reading.section(value, format!("a slot of container `{container}`"), SLOT)?;
    let name = reading.written_text(&section, "name");
    if let Some(name) = &name {
        check_name(reading, name, "slot", false);
    }
    Some(SlotSource {
        at: reading.at(value),
        name,
        label: reading.text(&section, "label"),
        admits: reading.filter(&section, "admits"),
        stack_limit: reading.count(&section, "stack-limit").map(|limit| limit.value),
        put_by: read_access(reading, &section, "put-by"),
        take_by: read_access(reading, &section, "take-by"),
    })
}

pub(super) fn read_portion(
    reading: &mut Reading<'_>,
    value: &Spanned<DeValue<'_>>,
    text: &str,
) -> Option<Written<NamedPortion>> {
    let at = reading.at(value);
    // If the text has no escapes in the file, the word is underlined; else the whole text.
    let origin = reading.origin(value, text);
    let offset = origin.unwrap_or(0);
    let mut tokens = Vec::new();
    lex(text, offset, &mut tokens);
    let mut line = LineParser::new(&tokens, Span::new(offset, offset + text.len()));
    match line.portion().and_then(|portion| line.end().map(|()| portion)) {
        Ok(portion) => Some(Written { value: portion, at }),
        Err(error) => {
            let place = origin.map_or(at, |_| Location::new(reading.id, error.span()));
            let help = error.help_text().unwrap_or("Write a count and a kind, such as \"2 ration-box\"").to_owned();
            reading.faults.push(Diagnostic::error("bad-portion", place, error.to_string()).help(help));
            None
        }
    }
}

/// Reports a name that can't be one.
pub(super) fn check_name(reading: &mut Reading<'_>, name: &Written<String>, what: &str, dots: bool) {
    reading.faults.extend(name_fault(name.at, &name.value, what, dots));
}

pub(super) fn name_fault(at: Location, name: &str, what: &str, dots: bool) -> Option<Diagnostic> {
    let fault = names::fault(name, dots)?;
    let help = names::lawful_form(name, dots).map(|form| format!("Write `{form}`"));
    let shown = crate::language::shortened(name);
    Some(Diagnostic::error("bad-name", at, format!("invalid name `{shown}` of a {what}: {fault}")).maybe_help(help))
}

fn syntax_fault(id: SourceId, source: &Source, error: &toml::de::Error) -> Diagnostic {
    let end = source.text().len();
    let span = error.span().unwrap_or(end..end);
    let line_end = source.line_span(span.start).end();
    let span = span.start..span.end.min(line_end.max(span.start));
    let message: Cow<'_, str> = error.message().trim().replace('\n', "; ").into();
    let fault = Diagnostic::error("syntax", Location::new(id, span), format!("syntax error in TOML: {message}"));
    fault.label("here")
}

/// A list of texts that begin with a count.
pub(super) fn read_counts<T>(
    reading: &mut Reading<'_>,
    section: &Section<'_, '_>,
    key: &str,
    read: impl Fn(&mut Reading<'_>, &Spanned<DeValue<'_>>, &str) -> Option<T>,
) -> Vec<T> {
    let mut found = Vec::new();
    for value in reading.list(section, key, "a list of texts, such as [\"2 ration-box\"]") {
        match value.get_ref().as_str() {
            Some(text) => found.extend(read(reading, value, text)),
            None => reading.wrong_type(value, &format!("each of `{key}`"), "a text, such as \"2 ration-box\""),
        }
    }
    found
}
