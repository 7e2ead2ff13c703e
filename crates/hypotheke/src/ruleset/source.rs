//! A ruleset as it is written: nothing has been looked up yet, and everything knows where it
//! stands.

use std::collections::BTreeSet;

use rustc_hash::{FxHashMap, FxHashSet};

use super::access::Right;
use super::changes::ChangeSource;
use super::deals::DealSource;
use super::falling::FallingSource;
use super::meters::{MeterSource, UseSource};
use super::migration::MigrationSource;
use super::places::{DepletedShortcut, PutMode, WhenUnfit};
use super::recipes::RecipeSource;
use crate::filter::Filter;
use crate::language::NamedPortion;
use crate::narrow;
use crate::quantity::Decimal;
use crate::text::{Faults, Location, Source, Span, Word};

/// A value and where it was written.
#[derive(Clone, Debug)]
pub(crate) struct Written<T> {
    pub(crate) value: T,
    pub(crate) at: Location,
}

/// A piece of the arena in which all texts of item kinds lie, one after the other.
#[derive(Clone, Copy, Debug, Default)]
pub(crate) struct Text {
    start: u32,
    length: u32,
}

/// Texts stored end to end, so that a table of many thousand rows needs no allocation for each
/// cell.
#[derive(Clone, Debug, Default)]
pub(crate) struct Arena(String);

impl Arena {
    pub(crate) fn add(&mut self, text: &str) -> Text {
        let start = u32::try_from(self.0.len());
        let (Ok(start), Ok(length)) = (start, u32::try_from(text.len())) else { return Text::default() };
        if start.checked_add(length).is_none() {
            return Text::default();
        }
        self.0.push_str(text);
        Text { start, length }
    }

    pub(crate) fn get(&self, text: Text) -> &str {
        &self.0[text.start as usize..(text.start + text.length) as usize]
    }

    pub(crate) fn reserve(&mut self, bytes: usize) {
        self.0.reserve(bytes);
    }
}

#[derive(Clone, Copy, Debug)]
pub(crate) enum PropertySource {
    Number(Decimal),
    Text(Text),
}

#[derive(Clone, Debug)]
pub(crate) struct KindSource {
    pub(crate) id: Text,
    pub(crate) name: Text,
    pub(crate) note: Text,
    pub(crate) at: KindAt,
    pub(crate) tag_set: u32,
    pub(crate) weight: Decimal,
    pub(crate) value: Decimal,
    pub(crate) stack_limit: Option<u32>,
    pub(crate) is_protected: bool,
    pub(crate) max_in_world: Option<u32>,
}

/// Where a kind was written. For a row only its beginning is kept; the cell is found again when it
/// is spoken of.
#[derive(Clone, Copy, Debug)]
pub(crate) enum KindAt {
    Toml(Location),
    Row { table: u32, byte: u32 },
}

/// The tags of some kinds, as indexes of [`RulesetSource::tag_names`].
pub(crate) type TagSet = Vec<u32>;

#[derive(Clone, Debug)]
pub(crate) struct TagName {
    pub(crate) name: Box<str>,
    /// Where the name was first read.
    pub(crate) at: KindAt,
}

#[derive(Clone, Debug)]
pub(crate) struct TagSource {
    pub(crate) name: Written<String>,
    pub(crate) label: Option<String>,
    pub(crate) note: Option<String>,
    pub(crate) stack_limit: Option<u32>,
}

#[derive(Clone, Debug)]
pub(crate) struct MarkSource {
    pub(crate) name: Written<String>,
    pub(crate) label: Option<String>,
    pub(crate) note: Option<String>,
}

/// A filter whose words carry spans within its text; `origin` maps them to the file where that is
/// possible.
#[derive(Clone, Debug)]
pub(crate) struct FilterSource {
    pub(crate) filter: Filter,
    pub(crate) at: Location,
    /// The start of the filter's text in the file, if it has no escapes.
    pub(crate) origin: Option<usize>,
}

impl FilterSource {
    pub(crate) fn locate(&self, span: Span) -> Location {
        match self.origin {
            Some(origin) => Location::new(self.at.source, span.shifted(origin)),
            None => self.at,
        }
    }
}

/// Those who may do something: one word, or a list of words.
#[derive(Clone, Debug)]
pub(crate) struct AccessSource {
    pub(crate) at: Location,
    pub(crate) words: Vec<Written<String>>,
}

/// The most items that satisfy a filter.
#[derive(Clone, Debug)]
pub(crate) struct CapSource {
    pub(crate) of: FilterSource,
    pub(crate) count: u32,
}

#[derive(Clone, Debug)]
pub(crate) struct SlotSource {
    pub(crate) at: Location,
    pub(crate) name: Option<Written<String>>,
    pub(crate) label: Option<String>,
    pub(crate) admits: Option<FilterSource>,
    pub(crate) stack_limit: Option<u32>,
    pub(crate) put_by: Option<AccessSource>,
    pub(crate) take_by: Option<AccessSource>,
}

impl SlotSource {
    /// Who may put in or take out, as it is written; a slot is not opened.
    pub(crate) fn access(&self, right: Right) -> Option<&AccessSource> {
        match right {
            Right::Put => self.put_by.as_ref(),
            Right::Take => self.take_by.as_ref(),
            Right::Open => None,
        }
    }

    /// Whether it differs from the slots that the ruleset does not list.
    pub(crate) fn has_rules(&self) -> bool {
        let SlotSource { at: _, name, label: _, admits, stack_limit, put_by, take_by } = self;
        name.is_some() || admits.is_some() || stack_limit.is_some() || put_by.is_some() || take_by.is_some()
    }
}

#[derive(Clone, Debug)]
pub(crate) struct ContainerSource {
    pub(crate) id: Written<String>,
    pub(crate) name: Option<String>,
    pub(crate) note: Option<String>,
    pub(crate) slots: Option<Written<u32>>,
    /// Whether `slots` is present, valid or not.
    pub(crate) says_slots: bool,
    pub(crate) columns: Option<Written<u32>>,
    pub(crate) stack_limit: Option<u32>,
    pub(crate) weight_cap: Option<Written<Decimal>>,
    pub(crate) admits: Option<FilterSource>,
    pub(crate) caps: Vec<CapSource>,
    pub(crate) slot: Vec<SlotSource>,
    pub(crate) worn: bool,
    pub(crate) put_by: Option<AccessSource>,
    pub(crate) take_by: Option<AccessSource>,
    pub(crate) open_by: Option<AccessSource>,
    pub(crate) owner: Option<Written<String>>,
    pub(crate) deep: Option<Location>,
    pub(crate) reserved_first: bool,
    pub(crate) when_unfit: WhenUnfit,
    pub(crate) on_put: Option<Vec<PutMode>>,
    pub(crate) must_open: bool,
    pub(crate) exclusive: bool,
    pub(crate) min_slots: Option<Written<u32>>,
    pub(crate) max_slots: Option<Written<u32>>,
    pub(crate) copies: Vec<Written<String>>,
}

impl ContainerSource {
    /// Who may do something, as it is written.
    pub(crate) fn access(&self, right: Right) -> Option<&AccessSource> {
        match right {
            Right::Put => self.put_by.as_ref(),
            Right::Take => self.take_by.as_ref(),
            Right::Open => self.open_by.as_ref(),
        }
    }

    pub(crate) fn access_mut(&mut self, right: Right) -> &mut Option<AccessSource> {
        match right {
            Right::Put => &mut self.put_by,
            Right::Take => &mut self.take_by,
            Right::Open => &mut self.open_by,
        }
    }
}

#[derive(Clone, Debug)]
pub(crate) struct HolderSource {
    pub(crate) id: Written<String>,
    pub(crate) name: Option<String>,
    pub(crate) note: Option<String>,
    pub(crate) groups: Vec<Written<String>>,
    pub(crate) copies: Vec<Written<String>>,
    pub(crate) carries: Vec<Written<String>>,
    pub(crate) weight_cap: Option<Decimal>,
    pub(crate) caps: Vec<CapSource>,
    pub(crate) shortcuts: Option<Written<u32>>,
    pub(crate) depleted_shortcuts: DepletedShortcut,
    /// From which weight on, and what it is called then.
    pub(crate) encumbrance: Vec<(Written<Decimal>, Written<String>)>,
    pub(crate) meters: Vec<MeterSource>,
}

/// The rules of a group: they hold for each of its members.
#[derive(Clone, Debug)]
pub(crate) struct GroupSource {
    pub(crate) id: Written<String>,
    pub(crate) weight_cap: Option<Decimal>,
    pub(crate) caps: Vec<CapSource>,
}

/// The start contents of one place.
#[derive(Clone, Debug)]
pub(crate) struct StartSource {
    pub(crate) place: Word,
    pub(crate) place_at: Location,
    pub(crate) contents: Vec<Written<NamedPortion>>,
}

/// All of it, with every fault that was found while reading.
#[derive(Clone, Debug, Default)]
pub(crate) struct RulesetSource {
    pub(crate) sources: Vec<Source>,
    pub(crate) faults: Faults,
    /// The kinds, by number, whose value could not be read: nothing can be said about their price.
    pub(crate) unread_values: FxHashSet<u32>,
    /// The groups of a holder could not be read.
    pub(crate) has_unread_groups: bool,
    pub(crate) title: Option<String>,
    pub(crate) version: u32,
    pub(crate) weight_unit: Option<String>,
    pub(crate) stack_limit: Option<u32>,
    pub(crate) nesting: Option<Written<u32>>,
    pub(crate) ground_limit: Option<u32>,
    pub(crate) request_window: Option<u32>,
    pub(crate) migration: MigrationSource,
    /// The claims and their scope, each by its key.
    pub(crate) claims: Vec<(&'static str, Written<String>)>,
    pub(crate) tables: Vec<Written<String>>,
    pub(crate) arena: Arena,
    pub(crate) kinds: Vec<KindSource>,
    /// Properties of kinds as (kind, property name, value), in the order of the kinds.
    pub(crate) properties: Vec<(u32, u32, PropertySource)>,
    /// The slots that kinds need at once, by kind.
    pub(crate) needs: Vec<(u32, Vec<Written<String>>)>,
    /// What kinds add to the attributes of who wears them, by kind.
    pub(crate) attributes: Vec<(u32, Written<String>, Decimal)>,
    /// What a use of an item does, by kind.
    pub(crate) uses: Vec<(u32, UseSource)>,
    /// The names of the meters of all holders.
    pub(crate) meter_names: BTreeSet<String>,
    /// The containers that kinds bring along, by kind.
    pub(crate) packs: Vec<(u32, Written<String>)>,
    pub(crate) property_names: Vec<Written<Box<str>>>,
    pub(crate) tag_names: Vec<TagName>,
    pub(crate) tag_sets: Vec<TagSet>,
    pub(crate) tags: Vec<TagSource>,
    pub(crate) marks: Vec<MarkSource>,
    pub(crate) containers: Vec<ContainerSource>,
    pub(crate) holders: Vec<HolderSource>,
    pub(crate) groups: Vec<GroupSource>,
    pub(crate) deals: Vec<DealSource>,
    pub(crate) recipes: Vec<RecipeSource>,
    pub(crate) changes: Vec<ChangeSource>,
    /// The properties that fall with time.
    pub(crate) falling: Vec<FallingSource>,
    pub(crate) start: Vec<StartSource>,
    /// For each text that is a table: which of its columns hold what.
    pub(crate) table_columns: FxHashMap<u32, super::table::Columns>,
    tag_index: FxHashMap<Box<str>, u32>,
    tag_set_index: FxHashMap<Box<str>, u32>,
    property_index: FxHashMap<Box<str>, u32>,
}

impl RulesetSource {
    /// The number of a set of tags, written with blanks between them.
    pub(crate) fn tag_set(&mut self, written: &str, at: KindAt) -> u32 {
        if let Some(&set) = self.tag_set_index.get(written) {
            return set;
        }
        let mut tags: TagSet = written.split_ascii_whitespace().map(|name| self.tag_name(name, at)).collect();
        tags.sort_unstable();
        tags.dedup();
        let set = narrow::index(self.tag_sets.len());
        self.tag_sets.push(tags);
        self.tag_set_index.insert(written.into(), set);
        set
    }

    fn tag_name(&mut self, name: &str, at: KindAt) -> u32 {
        if let Some(&tag) = self.tag_index.get(name) {
            return tag;
        }
        let tag = narrow::index(self.tag_names.len());
        self.tag_names.push(TagName { name: name.into(), at });
        self.tag_index.insert(name.into(), tag);
        tag
    }

    /// The number of a property's name.
    pub(crate) fn property_name(&mut self, name: &str, at: Location) -> u32 {
        if let Some(&property) = self.property_index.get(name) {
            return property;
        }
        let property = narrow::index(self.property_names.len());
        self.property_names.push(Written { value: name.into(), at });
        self.property_index.insert(name.into(), property);
        property
    }

    /// Where a kind's id was written.
    pub(crate) fn locate_kind(&self, at: KindAt) -> Location {
        self.locate_cell(at, |columns| columns.id)
    }

    /// Where a kind's tags were written.
    pub(crate) fn locate_tags(&self, at: KindAt) -> Location {
        self.locate_cell(at, |columns| columns.tags.unwrap_or(columns.id))
    }

    fn locate_cell(&self, at: KindAt, column: impl Fn(&super::table::Columns) -> usize) -> Location {
        match at {
            KindAt::Toml(location) => location,
            KindAt::Row { table, byte } => {
                let source = crate::text::SourceId(table);
                let (Some(columns), Some(text)) = (self.table_columns.get(&table), self.sources.get(table as usize))
                else {
                    return Location::new(source, Span::new(byte as usize, byte as usize));
                };
                let span = super::table::cell_span(text.text(), byte as usize, columns.separator, column(columns));
                Location::new(source, span)
            }
        }
    }
}
