//! From a ruleset as it is written to one that is valid, or to the list of all that is wrong with
//! it.

mod access;
mod changes;
mod deals;
mod filters;
mod migration;
mod places;
mod portions;
mod recipes;

use std::collections::BTreeMap;

use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use rustc_hash::FxHashMap;

use crate::id::{ContainerDefId, MarkId, PropertyId, RulesetTag, TagId};
use crate::language::{NamedPortion, Path};
use crate::narrow;
use crate::ruleset::bits::Bits;
use crate::ruleset::error::RulesetErrors;
use crate::ruleset::falling::FallingSource;
use crate::ruleset::kind::{Kind, Mark, Property, Tag};
use crate::ruleset::source::{KindAt, PropertySource, RulesetSource, StartSource, Written};
use crate::ruleset::start::{StartEntry, StartPortion};
use crate::ruleset::toml::name_fault;
use crate::ruleset::view::{KindDef, KindFigures, NO_PACK, ONE_SLOT, PropertyDef, Ruleset, hash_of};
use crate::text::{Diagnostic, Diagnostics, Faults, Location};

pub(crate) use filters::FilterNames;
pub(crate) use portions::UnknownName;

/// Checks all of it and compiles it.
pub(crate) fn compile(source: RulesetSource) -> Result<Ruleset, RulesetErrors> {
    compile_as(source, RulesetTag::fresh())
}

/// Compiles the source of a ruleset with changes that leave all names where they stand: the handles
/// of one mean the same in the other.
pub(crate) fn compile_changed(source: RulesetSource, original: &Ruleset) -> Result<Ruleset, RulesetErrors> {
    compile_as(source, original.tag)
}

fn compile_as(source: RulesetSource, tag: RulesetTag) -> Result<Ruleset, RulesetErrors> {
    let rules = Ruleset { tag, ..Ruleset::default() };
    let mut compiler = Compiler {
        source,
        rules,
        faults: Faults::default(),
        kinds_by_tag: FxHashMap::default(),
        in_world: FxHashMap::default(),
    };
    compiler.compile();
    let Compiler { mut rules, mut faults, mut source, .. } = compiler;
    faults.append(std::mem::take(&mut source.faults));
    let bad = faults.has_errors();
    let diagnostics = Diagnostics::new(source.sources.clone(), faults);
    if bad {
        return Err(RulesetErrors::new(diagnostics));
    }
    rules.source = source;
    rules.warnings = diagnostics;
    Ok(rules)
}

/// So deep packs nest where the ruleset says nothing else.
pub(crate) const DEFAULT_NESTING: u32 = 8;

/// The default number of remembered requests.
pub(crate) const DEFAULT_REQUEST_WINDOW: u32 = 256;

/// The maximum nesting: every change visits the packs around a place.
pub(crate) const MAX_NESTING: u32 = 32;

struct Compiler {
    source: RulesetSource,
    rules: Ruleset,
    faults: Faults,
    /// The kinds of each tag that occurs in a filter.
    kinds_by_tag: FxHashMap<TagId, Bits>,
    /// The definition of each container in the world by its name there, for deals and recipes.
    in_world: FxHashMap<Box<str>, ContainerDefId>,
}

/// The stack limit of a kind that states none.
pub(crate) fn limit_by_default(tags: &[Tag], set: &[TagId], of_ruleset: Option<u32>) -> u32 {
    let of_tags = set.iter().filter_map(|tag| tags[tag.index()].stack_limit).min();
    of_tags.or(of_ruleset).unwrap_or(1)
}

fn small(index: usize) -> u32 {
    narrow::index(index)
}

impl Compiler {
    fn compile(&mut self) {
        self.rules.title = self.source.title.take().unwrap_or_default();
        self.rules.version = self.source.version.max(1);
        self.compile_nesting();
        self.rules.ground_limit = self.source.ground_limit.unwrap_or(u32::MAX);
        self.rules.request_window = self.source.request_window.unwrap_or(DEFAULT_REQUEST_WINDOW);
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
        self.compile_packs();
        let packs = self.rules.figures.iter().enumerate().filter(|(_, figures)| figures.pack != NO_PACK);
        self.rules.pack_kinds = packs.map(|(kind, _)| small(kind)).collect();
        self.compile_needs();
        self.compile_attributes();
        self.compile_holders();
        self.compile_uses();
        self.check_places();
        self.compile_access();
        self.index_containers_in_world();
        self.compile_deals();
        self.compile_recipes();
        self.compile_changes();
        self.compile_migration();
        self.compile_start();
    }

    fn fault(&mut self, fault: Diagnostic) {
        self.faults.push(fault);
    }

    fn compile_nesting(&mut self) {
        let written = self.source.nesting.as_ref();
        self.rules.nesting = written.map_or(DEFAULT_NESTING, |nesting| nesting.value);
        if let Some(nesting) = written.filter(|nesting| nesting.value > MAX_NESTING) {
            let message = format!("the maximum nesting of packs is {MAX_NESTING}");
            let fault = Diagnostic::error("out-of-range", nesting.at, message).label("too deep");
            self.fault(fault);
        }
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
        // A name that is too long is a fault, and is not taken apart.
        let lawful = names.keys().filter(|name| name.len() <= crate::ruleset::names::MAX_LENGTH);
        for parent in lawful.flat_map(|name| parents(name)).collect::<Vec<_>>() {
            names.entry(parent).or_insert(None);
        }
        for (name, declared) in names {
            let declared = declared.map(|index| &mut self.source.tags[index]);
            let parent = name.rsplit_once('.').and_then(|(parent, _)| self.rules.tag_index.get(parent).copied());
            let (label, note, stack_limit) =
                declared.map_or((None, None, None), |tag| (tag.label.take(), tag.note.take(), tag.stack_limit));
            self.rules.tag_index.insert(name.clone(), TagId(small(self.rules.tags.len()), self.rules.tag));
            self.rules.tags.push(Tag { name, parent, label, note: note.unwrap_or_default(), stack_limit });
        }
        for index in 0..self.source.tag_names.len() {
            let used = &self.source.tag_names[index];
            // Tags in the ruleset file were checked where they were read.
            if matches!(used.at, KindAt::Row { .. }) {
                let fault = crate::ruleset::names::fault(&used.name, true)
                    .and_then(|_| name_fault(self.source.locate_tags(used.at), &used.name, "tag", true));
                self.faults.extend(fault);
            }
        }
        self.source.tag_names.iter().map(|used| self.rules.tag_index[&used.name]).collect()
    }

    fn compile_marks(&mut self) {
        for mark in &mut self.source.marks {
            let name: Box<str> = mark.name.value.as_str().into();
            self.rules.mark_index.insert(name.clone(), MarkId(small(self.rules.marks.len()), self.rules.tag));
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
                max_in_world: kind.max_in_world,
                properties: (0, 0),
            });
            if kind.max_in_world.is_some() {
                self.rules.limited_kinds.push(small(index));
            }
            let weight = kind.weight.thousandths();
            self.rules.figures.push(KindFigures {
                weight,
                stack_limit: kind.stack_limit.unwrap_or(0),
                is_protected: kind.is_protected,
                is_limited: kind.max_in_world.is_some(),
                pack: NO_PACK,
                needs: ONE_SLOT,
                admitted: 0,
            });
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
                        format!("kind `{id}` is defined twice"),
                    );
                    self.faults.push(
                        fault
                            .label("the second one")
                            .related(first, "the first one")
                            .help("Rename or remove one of them"),
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
            self.rules
                .property_index
                .insert(name.clone(), PropertyId(small(self.rules.properties.len()), self.rules.tag));
            self.rules.properties.push(Property { name: name.clone(), is_text: false, falls: None });
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
                let help = "Use one type for all kinds, or two properties";
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
            self.rules.kind_properties.push((PropertyId(property, self.rules.tag), value));
        }
        self.compile_falling();
    }

    fn compile_falling(&mut self) {
        for FallingSource { property: Written { value: name, at }, falling } in std::mem::take(&mut self.source.falling)
        {
            match self.rules.find_property(&name).map(|id| (id, self.rules.property(id).is_text)) {
                Some((id, false)) => {
                    self.rules.properties[id.index()].falls = Some(falling);
                    self.rules.falling.push((id, falling));
                }
                Some((_, true)) => {
                    let fault = Diagnostic::error("wrong-type", at, format!("property `{name}` is a text"));
                    self.fault(fault.help("Only numbers fall"));
                }
                None => {
                    let names = self.rules.properties.iter().map(|property| &*property.name);
                    let help = self.suggestion(&name, names.collect::<Vec<_>>());
                    let fault = Diagnostic::error("unknown-property", at, format!("no kind has the property `{name}`"));
                    self.fault(fault.label("unknown property").maybe_help(help));
                }
            }
            self.source.falling.push(FallingSource { property: Written { value: name, at }, falling });
        }
        self.rules.falling.sort_by_key(|(property, _)| *property);
        let falls = |kind: &Kind<'_>| kind.properties().any(|(id, _)| self.rules.property(id).falls.is_some());
        let falling_kinds = self.rules.kinds().filter(falls).map(|kind| small(kind.handle().index())).collect();
        self.rules.falling_kinds = falling_kinds;
    }

    /// The limit of kinds that state none: the least default of their tags, else the ruleset's,
    /// else 1.
    fn compile_limits(&mut self) {
        let by_default = |set: &Vec<TagId>| limit_by_default(&self.rules.tags, set, self.source.stack_limit);
        let defaults: Vec<u32> = self.rules.tag_sets.iter().map(by_default).collect();
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
            let fault = fault.help("Rename one of them: kinds, tags and marks share one namespace");
            self.faults.push(match other {
                Some(other) => fault.related(other, "the other one"),
                None => fault,
            });
        }
    }

    fn compile_start(&mut self) {
        for StartSource { place, place_at, contents } in std::mem::take(&mut self.source.start) {
            let path = match Path::try_from(&place) {
                Ok(path) => path,
                Err(error) => {
                    let fault = Diagnostic::error("bad-place", place_at, format!("`{place}`: {error}"));
                    self.fault(fault.help("Write a place such as `sled`, `sled/3` or `surveyor.pockets`"));
                    continue;
                }
            };
            let contents = contents.iter().filter_map(|portion| self.compile_portion(portion)).collect();
            self.rules.start.push(StartEntry { place: path, at: place_at, contents });
        }
    }

    fn compile_portion(&mut self, written: &Written<NamedPortion>) -> Option<StartPortion> {
        let resolved = self.rules.resolve_portion(&written.value);
        match resolved {
            Ok(resolved) => Some(StartPortion { at: written.at, ..resolved }),
            Err(unknown) => {
                let (whole, word) = (written.at.span, unknown.word.span());
                let inside = whole.start() <= word.start() && word.end() <= whole.end();
                let at = if inside { Location::new(written.at.source, word) } else { written.at };
                let fault = Diagnostic::error(unknown.code, at, unknown.message);
                let help = if self.faults.is_full() { None } else { (unknown.help)() };
                self.faults.push(fault.label("unknown name").maybe_help(help));
                None
            }
        }
    }
}
