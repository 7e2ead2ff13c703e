//! From a ruleset as it is written to one that is valid, or to the list of all that is wrong with it.

use std::collections::BTreeMap;

use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use rustc_hash::FxHashMap;

use super::bits::Bits;
use super::error::RulesetErrors;
use super::source::{
    ContainerSource, FilterSource, KindAt, PropertySource, RulesetSource, SlotSource, StartSource, Written,
};
use super::start::{StartEntry, StartPortion};
use super::toml::name_fault;
use super::view::{
    CompiledFilter, ContainerDef, FilterId, HolderDef, KindDef, KindFigures, Mark, NameMeaning, Property, PropertyDef,
    Ruleset, SlotDef, Tag, hash_of,
};
use crate::filter::{Filter, Literal, Measure, Subject, Test, Value};
use crate::id::{ContainerDefId, HolderDefId, KindId, MarkId, PropertyId, TagId};
use crate::language::{NamedPortion, Path};
use crate::quantity::Decimal;
use crate::text::{Diagnostic, Diagnostics, Location, Severity, Word, suggestion};

/// The most slots of one container.
const MOST_SLOTS: u32 = 4_000_000;
/// The most slots of all containers that a world begins with.
const MOST_SLOTS_IN_ALL: u64 = 16_000_000;

/// Checks all of it and compiles it.
pub(crate) fn compile(source: RulesetSource) -> Result<Ruleset, RulesetErrors> {
    let mut compiler = Compiler { rules: Ruleset::default(), faults: Vec::new(), source };
    compiler.compile();
    let Compiler { mut rules, mut faults, mut source } = compiler;
    faults.append(&mut source.faults);
    let bad = faults.iter().any(|fault| fault.severity() == Severity::Error);
    let diagnostics = Diagnostics::new(source.sources.clone(), faults);
    if bad {
        return Err(RulesetErrors::new(diagnostics));
    }
    rules.source = source;
    rules.warnings = diagnostics;
    Ok(rules)
}

struct Compiler {
    source: RulesetSource,
    rules: Ruleset,
    faults: Vec<Diagnostic>,
}

fn small(index: usize) -> u32 {
    u32::try_from(index).unwrap_or(u32::MAX)
}

impl Compiler {
    fn compile(&mut self) {
        self.rules.title = self.source.title.take().unwrap_or_default();
        self.rules.version = self.source.version.max(1);
        self.rules.weight_unit = self.source.weight_unit.take().unwrap_or_default();
        self.rules.arena = std::mem::take(&mut self.source.arena);
        let tag_ids = self.compile_tags();
        self.compile_marks();
        self.compile_kinds();
        self.compile_tag_sets(&tag_ids);
        self.compile_properties();
        self.compile_limits();
        self.check_name_clashes();
        self.compile_containers();
        self.compile_holders();
        self.check_places();
        self.compile_start();
    }

    fn fault(&mut self, fault: Diagnostic) {
        self.faults.push(fault);
    }

    /// Tags in order of their names; the id of each name that a kind carries.
    fn compile_tags(&mut self) -> Vec<TagId> {
        let mut names: BTreeMap<Box<str>, Option<usize>> = BTreeMap::new();
        for used in &self.source.tag_names {
            names.insert(used.name.clone(), None);
        }
        for (index, declared) in self.source.tags.iter().enumerate() {
            names.insert(declared.name.value.as_str().into(), Some(index));
        }
        let parents =
            |name: &str| name.match_indices('.').map(|(dot, _)| name[..dot].into()).collect::<Vec<Box<str>>>();
        for parent in names.keys().flat_map(|name| parents(name)).collect::<Vec<_>>() {
            names.entry(parent).or_insert(None);
        }
        for (name, declared) in names {
            let declared = declared.map(|index| &mut self.source.tags[index]);
            let parent = name.rsplit_once('.').and_then(|(parent, _)| self.rules.tag_index.get(parent).copied());
            let (label, note, stack_limit) =
                declared.map_or((None, None, None), |tag| (tag.label.take(), tag.note.take(), tag.stack_limit));
            self.rules.tag_index.insert(name.clone(), TagId(small(self.rules.tags.len())));
            self.rules.tags.push(Tag { name, parent, label, note: note.unwrap_or_default(), stack_limit });
        }
        for index in 0..self.source.tag_names.len() {
            let used = &self.source.tag_names[index];
            // Tags in the ruleset file were checked where they were read.
            if matches!(used.at, KindAt::Row { .. }) {
                let fault = super::names::fault(&used.name, true)
                    .and_then(|_| name_fault(self.source.locate_tags(used.at), &used.name, "tag", true));
                self.faults.extend(fault);
            }
        }
        self.source.tag_names.iter().map(|used| self.rules.tag_index[&used.name]).collect()
    }

    fn compile_marks(&mut self) {
        for mark in &mut self.source.marks {
            let name: Box<str> = mark.name.value.as_str().into();
            self.rules.mark_index.insert(name.clone(), MarkId(small(self.rules.marks.len())));
            self.rules.marks.push(Mark { name, label: mark.label.take(), note: mark.note.take().unwrap_or_default() });
        }
    }

    fn compile_kinds(&mut self) {
        let kinds = std::mem::take(&mut self.source.kinds);
        self.rules.kinds = Vec::with_capacity(kinds.len());
        self.rules.kind_index = HashTable::with_capacity(kinds.len());
        for (index, kind) in kinds.iter().enumerate() {
            self.rules.kinds.push(KindDef {
                id: kind.id,
                name: kind.name,
                note: kind.note,
                tag_set: kind.tag_set,
                value: kind.value,
                own_stack_limit: kind.stack_limit,
                properties: (0, 0),
            });
            let weight = kind.weight.thousandths();
            self.rules.figures.push(KindFigures { weight, stack_limit: kind.stack_limit.unwrap_or(0) });
            let (arena, defs) = (&self.rules.arena, &self.rules.kinds);
            let id_of = |index: u32| arena.get(defs[index as usize].id);
            let id = arena.get(kind.id);
            let entry =
                self.rules.kind_index.entry(hash_of(id), |&other| id_of(other) == id, |&other| hash_of(id_of(other)));
            match entry {
                Entry::Vacant(vacant) => {
                    vacant.insert(small(index));
                }
                Entry::Occupied(first) => {
                    let first = self.source.locate_kind(kinds[*first.get() as usize].at);
                    let fault = Diagnostic::error(
                        "duplicate",
                        self.source.locate_kind(kind.at),
                        format!("kind `{id}` is written twice"),
                    );
                    self.faults.push(
                        fault
                            .label("the second one")
                            .related(first, "the first one")
                            .help("rename or remove one of them"),
                    );
                }
            }
        }
        self.source.kinds = kinds;
    }

    fn compile_tag_sets(&mut self, tag_ids: &[TagId]) {
        for set in &self.source.tag_sets {
            let mut tags: Vec<TagId> = Vec::new();
            for &used in set {
                let mut tag = Some(tag_ids[used as usize]);
                while let Some(id) = tag {
                    tags.push(id);
                    tag = self.rules.tags[id.index()].parent;
                }
            }
            tags.sort_unstable();
            tags.dedup();
            self.rules.tag_sets.push(tags);
        }
    }

    fn compile_properties(&mut self) {
        for Written { value: name, .. } in &self.source.property_names {
            self.rules.property_index.insert(name.clone(), PropertyId(small(self.rules.properties.len())));
            self.rules.properties.push(Property { name: name.clone(), is_text: false });
        }
        // Table columns come property by property; a kind wants its own side by side.
        let mut properties = std::mem::take(&mut self.source.properties);
        properties.sort_by_key(|(kind, property, _)| (*kind, *property));
        let mut types: Vec<Option<bool>> = vec![None; self.rules.properties.len()];
        for (kind, property, value) in properties {
            let is_text = matches!(value, PropertySource::Text(_));
            let agreed = *types[property as usize].get_or_insert(is_text);
            self.rules.properties[property as usize].is_text = agreed;
            if agreed != is_text {
                let name = &self.source.property_names[property as usize].value;
                let at = self.source.locate_kind(self.source.kinds[kind as usize].at);
                let message = format!("property `{name}` is a number for some kinds and a text for others");
                let help = "make it one or the other for all, or use two properties";
                self.faults
                    .push(Diagnostic::error("wrong-type", at, message).label("differs from kinds before").help(help));
            }
            let value = match value {
                PropertySource::Number(number) => PropertyDef::Number(number),
                PropertySource::Text(text) => PropertyDef::Text(text),
            };
            let end = small(self.rules.kind_properties.len());
            let range = &mut self.rules.kinds[kind as usize].properties;
            if range.0 == range.1 {
                *range = (end, end);
            }
            range.1 = end + 1;
            self.rules.kind_properties.push((PropertyId(property), value));
        }
    }

    /// The limit of kinds that state none: the least default of their tags, else the ruleset's, else 1.
    fn compile_limits(&mut self) {
        let least = |set: &Vec<TagId>| set.iter().filter_map(|tag| self.rules.tags[tag.index()].stack_limit).min();
        let fallback = self.source.stack_limit.unwrap_or(1);
        let defaults: Vec<u32> = self.rules.tag_sets.iter().map(|set| least(set).unwrap_or(fallback)).collect();
        for (kind, figures) in self.rules.kinds.iter().zip(&mut self.rules.figures) {
            figures.stack_limit = kind.own_stack_limit.unwrap_or(defaults[kind.tag_set as usize]);
        }
    }

    /// Tags, marks and kinds share one name space.
    fn check_name_clashes(&mut self) {
        let mut clashes = Vec::new();
        let kind_at = |name: &str| {
            let kind = self.rules.find_kind(name)?;
            Some(self.source.locate_kind(self.source.kinds[kind.index()].at))
        };
        for tag in &self.rules.tags {
            if let Some(kind) = kind_at(&tag.name) {
                let declared =
                    self.source.tags.iter().find(|declared| declared.name.value == *tag.name).map(|tag| tag.name.at);
                let used = self.source.tag_names.iter().find(|used| used.name == tag.name).map(|used| used.at);
                let at = declared.or(used.map(|at| self.source.locate_tags(at)));
                clashes.push((kind, at, &tag.name, "a kind and a tag"));
            }
        }
        for mark in &self.source.marks {
            let name = mark.name.value.as_str();
            let tag = self.rules.find_tag(name).is_some();
            if tag || kind_at(name).is_some() {
                let both = if tag { "a tag and a mark" } else { "a kind and a mark" };
                let mark_name = &self.rules.marks[self.rules.mark_index[name].index()].name;
                clashes.push((mark.name.at, kind_at(name), mark_name, both));
            }
        }
        for (at, other, name, both) in clashes {
            let fault = Diagnostic::error("name-clash", at, format!("`{name}` is the name of {both}"));
            let fault = fault.help("kinds, tags and marks share one name space: rename one of them");
            self.faults.push(match other {
                Some(other) => fault.related(other, "the other one"),
                None => fault,
            });
        }
    }

    fn compile_containers(&mut self) {
        let mut slots_in_all = 0;
        for container in std::mem::take(&mut self.source.containers) {
            let id = ContainerDefId(small(self.rules.containers.len()));
            let def = self.compile_container(&container);
            slots_in_all += u64::from(def.slots) * def.copies.len().max(1) as u64;
            if slots_in_all > MOST_SLOTS_IN_ALL {
                let message = format!("the containers have more than {MOST_SLOTS_IN_ALL} slots together");
                self.fault(Diagnostic::error("out-of-range", container.id.at, message));
            }
            self.rules.container_index.insert(def.id.clone(), id);
            self.rules.containers.push(def);
            self.source.containers.push(container);
        }
    }

    fn compile_container(&mut self, source: &ContainerSource) -> ContainerDef {
        let ruled: Vec<SlotDef> = source.slot.iter().map(|slot| self.compile_slot(slot)).collect();
        self.check_slot_names(source);
        let listed = small(ruled.len());
        let slots = match &source.slots {
            Some(slots) if slots.value > MOST_SLOTS => {
                let message = format!("a container has at most {MOST_SLOTS} slots");
                self.fault(Diagnostic::error("out-of-range", slots.at, message).label("too many"));
                listed
            }
            Some(slots) if slots.value < listed => {
                let message = format!("container `{}` has {} slots but lists {listed}", source.id.value, slots.value);
                self.fault(
                    Diagnostic::error("out-of-range", slots.at, message)
                        .help("leave `slots` out: it is then as many as are listed"),
                );
                listed
            }
            Some(slots) => slots.value,
            None if listed == 0 => {
                let message = format!("container `{}` has no slots", source.id.value);
                self.fault(Diagnostic::error("missing-key", source.id.at, message).help("say how many: `slots = 12`"));
                1
            }
            None => listed,
        };
        let known = source.slots.is_some() || listed > 0;
        if let Some(columns) = source.columns.as_ref().filter(|columns| known && columns.value > slots) {
            let message =
                format!("container `{}` has {} columns but only {slots} slots", source.id.value, columns.value);
            self.fault(Diagnostic::error("out-of-range", columns.at, message));
        }
        ContainerDef {
            id: source.id.value.as_str().into(),
            name: source.name.clone().unwrap_or_else(|| source.id.value.clone()),
            note: source.note.clone().unwrap_or_default(),
            slots,
            columns: source.columns.as_ref().map_or(slots.min(8), |columns| columns.value),
            stack_limit: source.stack_limit.unwrap_or(u32::MAX),
            weight_cap: source.weight_cap.as_ref().map_or(i64::MAX, |cap| cap.value.thousandths()),
            admits: source.admits.as_ref().and_then(|filter| self.compile_filter(filter)),
            ruled,
            worn: source.worn,
            copies: source.copies.iter().map(|copy| copy.value.as_str().into()).collect(),
            carried: false,
        }
    }

    fn compile_slot(&mut self, source: &SlotSource) -> SlotDef {
        SlotDef {
            name: source.name.as_ref().map(|name| name.value.as_str().into()),
            label: source.label.clone(),
            admits: source.admits.as_ref().and_then(|filter| self.compile_filter(filter)),
            stack_limit: source.stack_limit.unwrap_or(u32::MAX),
        }
    }

    fn check_slot_names(&mut self, source: &ContainerSource) {
        let mut seen: FxHashMap<&str, Location> = FxHashMap::default();
        for slot in &source.slot {
            let Some(name) = &slot.name else { continue };
            if let Some(first) = seen.insert(&name.value, name.at) {
                let message = format!("container `{}` has two slots named `{}`", source.id.value, name.value);
                self.faults.push(Diagnostic::error("duplicate", name.at, message).related(first, "the first one"));
            }
        }
    }

    fn compile_filter(&mut self, source: &FilterSource) -> Option<FilterId> {
        let faults = self.faults.len();
        let test = self.resolve(&source.filter, source);
        if self.faults.len() > faults {
            return None;
        }
        let mut plain = Bits::new(self.rules.kinds.len());
        if test.depends_on_tags_only() {
            let admits_set = |tags: &Vec<TagId>| test.admits(&TagsOnly(tags));
            let by_set: Vec<bool> = self.rules.tag_sets.iter().map(admits_set).collect();
            for (index, kind) in self.rules.kinds.iter().enumerate().filter(|(_, kind)| by_set[kind.tag_set as usize]) {
                debug_assert!(kind.tag_set < small(by_set.len()));
                plain.set(index);
            }
        } else {
            for kind in self.rules.kinds().filter(|&kind| test.admits(&kind)) {
                plain.set(kind.handle().index());
            }
        }
        let id = FilterId(small(self.rules.filters.len()));
        self.rules.filters.push(CompiledFilter { test, written: source.filter.to_string(), plain });
        Some(id)
    }

    /// Looks up the names; what is unknown is a fault and stands for a test that nobody will ask.
    fn resolve(&mut self, filter: &Filter, source: &FilterSource) -> Test {
        match filter {
            Filter::Name(word) => match self.rules.meaning(word.as_str()) {
                Some(NameMeaning::Tag(tag)) => Test::Tag(tag),
                Some(NameMeaning::Mark(mark)) => Test::Mark(mark),
                Some(NameMeaning::Kind(kind)) => Test::Kind(kind),
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
            Diagnostic::error("unknown-name", at, format!("`{word}` stands here without a comparison"))
                .help(format!("compare it, as in `{word} >= 1`"))
        } else {
            Diagnostic::error("unknown-name", at, format!("there is no tag, mark or kind `{word}`"))
                .label("unknown name")
                .maybe_help(suggestion(word.as_str(), self.rules.item_names()))
        };
        self.fault(fault);
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
                    let fault = Diagnostic::error("unknown-name", at, format!("no kind has a property `{name}`"));
                    self.fault(fault.label("unknown property").maybe_help(help));
                    return None;
                }
            },
        };
        if is_text != matches!(literal, Literal::Text(_)) {
            let (is, with) = if is_text { ("a text", "a text in quotes") } else { ("a number", "a number") };
            let fault =
                Diagnostic::error("wrong-type", at, format!("`{word}` is {is}, but is compared with something else"));
            self.fault(fault.help(format!("compare it with {with}")));
            return None;
        }
        Some(measure)
    }

    fn compile_holders(&mut self) {
        for holder in std::mem::take(&mut self.source.holders) {
            let mut carries = Vec::new();
            for name in &holder.carries {
                match self.rules.find_container(&name.value) {
                    Some(container) if carries.contains(&container) => {
                        let message = format!("holder `{}` carries `{}` twice", holder.id.value, name.value);
                        self.fault(Diagnostic::error("duplicate", name.at, message));
                    }
                    Some(container) => carries.push(container),
                    None => {
                        let names = self.rules.containers.iter().map(|container| &*container.id);
                        let help = suggestion(&name.value, names);
                        let fault = Diagnostic::error(
                            "unknown-name",
                            name.at,
                            format!("there is no container `{}`", name.value),
                        );
                        self.fault(fault.label("unknown container").maybe_help(help));
                    }
                }
            }
            for container in &carries {
                self.rules.containers[container.index()].carried = true;
            }
            let def = HolderDef {
                id: holder.id.value.as_str().into(),
                name: holder.name.clone().unwrap_or_else(|| holder.id.value.clone()),
                note: holder.note.clone().unwrap_or_default(),
                carries,
                weight_cap: holder.weight_cap.map_or(i64::MAX, Decimal::thousandths),
            };
            self.rules.holder_index.insert(def.id.clone(), HolderDefId(small(self.rules.holders.len())));
            self.rules.holders.push(def);
            self.source.holders.push(holder);
        }
    }

    /// Containers, copies and holders share one name space, since places are written with them.
    fn check_places(&mut self) {
        let mut seen: FxHashMap<&str, Location> = FxHashMap::default();
        let mut faults = Vec::new();
        let containers =
            self.source.containers.iter().flat_map(|container| std::iter::once(&container.id).chain(&container.copies));
        for name in containers.chain(self.source.holders.iter().map(|holder| &holder.id)) {
            if name.value == "ground" {
                faults.push(Diagnostic::error(
                    "bad-name",
                    name.at,
                    "`ground` is where dropped stacks lie; it can't be a name",
                ));
            }
            if let Some(first) = seen.insert(&name.value, name.at) {
                let fault =
                    Diagnostic::error("duplicate", name.at, format!("`{}` is the name of two places", name.value));
                faults.push(
                    fault
                        .related(first, "the other one")
                        .help("containers, their copies and holders share one name space"),
                );
            }
        }
        for (source, def) in self.source.containers.iter().zip(&self.rules.containers) {
            if let Some(copy) = source.copies.first().filter(|_| def.carried) {
                let message =
                    format!("container `{}` is carried by holders, so it can't have copies in the world", def.id);
                faults.push(
                    Diagnostic::error("two-uses", copy.at, message).help("write a second container for one of the two"),
                );
            }
        }
        self.faults.append(&mut faults);
    }

    fn compile_start(&mut self) {
        for StartSource { place, place_at, contents } in std::mem::take(&mut self.source.start) {
            let path = match Path::try_from(&place) {
                Ok(path) => path,
                Err(error) => {
                    let fault = Diagnostic::error("bad-place", place_at, format!("`{place}`: {error}"));
                    self.fault(fault.help("a place is written such as `sled`, `sled/3` or `surveyor.pockets`"));
                    continue;
                }
            };
            let contents = contents.iter().filter_map(|portion| self.compile_portion(portion)).collect();
            self.rules.start.push(StartEntry { place: path, at: place_at, contents });
        }
    }

    fn compile_portion(&mut self, written: &Written<NamedPortion>) -> Option<StartPortion> {
        match self.rules.resolve_portion(&written.value) {
            Ok(resolved) => Some(StartPortion { at: written.at, ..resolved }),
            Err(unknown) => {
                let (whole, word) = (written.at.span, unknown.word.span());
                let inside = whole.start() <= word.start() && word.end() <= whole.end();
                let at = if inside { Location::new(written.at.source, word) } else { written.at };
                let fault = Diagnostic::error("unknown-name", at, unknown.message);
                self.fault(fault.label("unknown name").maybe_help(unknown.help));
                None
            }
        }
    }
}

/// A name in a portion or sentence that the ruleset does not know.
pub(crate) struct UnknownName {
    pub(crate) message: String,
    pub(crate) help: Option<String>,
    pub(crate) word: Word,
}

impl Ruleset {
    /// Looks up the names of a portion.
    pub(crate) fn resolve_portion(&self, portion: &NamedPortion) -> Result<StartPortion, UnknownName> {
        let kind = self.resolve_kind(&portion.kind)?;
        let mut marks = Vec::new();
        for name in &portion.variant.marks {
            let unknown = || UnknownName {
                message: format!("there is no mark `{name}`"),
                help: suggestion(name.as_str(), self.marks.iter().map(|mark| &*mark.name)),
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

    pub(crate) fn resolve_kind(&self, name: &Word) -> Result<KindId, UnknownName> {
        self.find_kind(name.as_str()).ok_or_else(|| UnknownName {
            message: format!("there is no kind `{}`", crate::language::shortened(name.as_str())),
            help: suggestion(name.as_str(), self.kind_names()),
            word: name.clone(),
        })
    }

    /// A number property that the kind lists.
    fn resolve_property(&self, kind: KindId, name: &Word) -> Result<PropertyId, UnknownName> {
        let found = self
            .find_property(name.as_str())
            .filter(|&property| matches!(self.kind(kind).property(property), Some(super::PropertyValue::Number(_))));
        found.ok_or_else(|| {
            let names =
                self.kind(kind).properties().map(|(property, _)| &*self.property(property).name).collect::<Vec<_>>();
            UnknownName {
                message: format!("kind `{}` has no number property `{name}`", self.kind(kind).id()),
                help: suggestion(name.as_str(), names.iter().copied())
                    .or_else(|| Some("list it among the kind's `properties` with its first value".to_owned())),
                word: name.clone(),
            }
        })
    }
}

/// All kinds of which only the tags are known.
struct TagsOnly<'r>(&'r [TagId]);

impl Subject for TagsOnly<'_> {
    fn kind(&self) -> KindId {
        KindId(u32::MAX)
    }

    fn has_tag(&self, tag: TagId) -> bool {
        self.0.binary_search(&tag).is_ok()
    }

    fn has_mark(&self, _mark: MarkId) -> bool {
        false
    }

    fn number(&self, _measure: Measure) -> Option<Decimal> {
        None
    }

    fn text(&self, _property: PropertyId) -> Option<&str> {
        None
    }
}

/// A kind as its stacks are at first: without marks, with the first values of its properties.
impl Subject for super::Kind<'_> {
    fn kind(&self) -> KindId {
        self.handle()
    }

    fn has_tag(&self, tag: TagId) -> bool {
        super::Kind::has_tag(*self, tag)
    }

    fn has_mark(&self, _mark: MarkId) -> bool {
        false
    }

    fn number(&self, measure: Measure) -> Option<Decimal> {
        match measure {
            Measure::Weight => Some(self.weight()),
            Measure::Value => Some(self.value()),
            Measure::Property(property) => match self.property(property)? {
                super::PropertyValue::Number(number) => Some(number),
                super::PropertyValue::Text(_) => None,
            },
        }
    }

    fn text(&self, property: PropertyId) -> Option<&str> {
        match self.property(property)? {
            super::PropertyValue::Text(text) => Some(text),
            super::PropertyValue::Number(_) => None,
        }
    }
}
