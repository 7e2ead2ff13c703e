//! The compiled ruleset.

use hashbrown::HashTable;
use rustc_hash::{FxBuildHasher, FxHashMap};
use std::collections::BTreeSet;
use std::fmt;
use std::hash::BuildHasher;
use std::sync::OnceLock;

use super::bits::Bits;
use super::changes::StackChange;
use super::deals::Deal;
use super::falling::Falling;
use super::kind::{Kind, Mark, Property, Tag};
use super::meters::UseOf;
use super::migration::MigrationRules;
use super::places::{Cap, ContainerDef, GroupDef, HolderDef, SlotRule};
use super::recipes::Recipe;
use super::source::{Arena, RulesetSource, Text};
use super::start::StartEntry;
use crate::filter::Test;
use crate::id::{ContainerDefId, HolderDefId, KindId, MarkId, PropertyId, RecipeId, RulesetTag, TagId};
use crate::narrow;
use crate::quantity::Decimal;
use crate::text::{Diagnostics, Source};

/// All rules of the designer, checked and ready to use.
///
/// Read a ruleset with [`Ruleset::load`] or [`Ruleset::from_toml`], or build one with
/// [`Ruleset::builder`]. It never changes, and worlds share it.
#[derive(Clone, Default)]
pub struct Ruleset {
    /// The tag that its handles carry.
    pub(crate) tag: RulesetTag,
    pub(crate) title: String,
    pub(crate) version: u32,
    pub(crate) weight_unit: String,
    /// The ruleset as written, without the arena.
    pub(crate) source: RulesetSource,
    pub(crate) warnings: Diagnostics,
    pub(super) arena: Arena,
    pub(super) kinds: Vec<KindDef>,
    pub(crate) figures: Vec<KindFigures>,
    pub(super) kind_index: HashTable<u32>,
    pub(super) kind_properties: Vec<(PropertyId, PropertyDef)>,
    pub(super) tag_sets: Vec<Vec<TagId>>,
    pub(super) tags: Vec<Tag>,
    pub(super) tag_index: FxHashMap<Box<str>, TagId>,
    pub(super) marks: Vec<Mark>,
    pub(super) mark_index: FxHashMap<Box<str>, MarkId>,
    pub(super) properties: Vec<Property>,
    pub(super) property_index: FxHashMap<Box<str>, PropertyId>,
    pub(super) filters: Vec<CompiledFilter>,
    /// The names of all attributes, in the order of first use.
    pub(super) attributes: Vec<Box<str>>,
    /// The attributes of kinds: kind, attribute, number; in the order of the kinds.
    pub(super) grants: Vec<(KindId, usize, Decimal)>,
    /// What one use of an item does, by kind.
    pub(super) uses: FxHashMap<u32, UseOf>,
    /// The named slots that kinds occupy.
    pub(crate) needs: Vec<Vec<Box<str>>>,
    /// The filters of all caps, of containers and of holders.
    pub(crate) cap_filters: Vec<FilterId>,
    pub(super) nesting: u32,
    /// `u32::MAX` without a limit.
    pub(crate) ground_limit: u32,
    pub(crate) request_window: u32,
    pub(crate) migration: MigrationRules,
    /// The kinds that are packs.
    pub(crate) pack_kinds: Vec<u32>,
    /// The kinds with `most-in-world`.
    pub(crate) limited_kinds: Vec<u32>,
    /// Whether a container must be opened or is exclusive.
    pub(crate) has_doors: bool,
    /// Whether it matters who acts even if there is one holder only: a list says who may.
    pub(crate) has_access_lists: bool,
    /// A recipe starts as soon as it has its inputs.
    pub(crate) has_automatic: bool,
    pub(super) containers: Vec<ContainerDef>,
    pub(super) container_index: FxHashMap<Box<str>, ContainerDefId>,
    pub(super) holders: Vec<HolderDef>,
    pub(super) holder_index: FxHashMap<Box<str>, HolderDefId>,
    /// In the order in which holders name them first.
    pub(super) groups: Vec<GroupDef>,
    pub(super) recipes: Vec<Recipe>,
    pub(super) recipe_index: FxHashMap<Box<str>, RecipeId>,
    /// The numbers of the recipes at each container, by its name in the world.
    pub(super) recipes_at: FxHashMap<Box<str>, Vec<u32>>,
    pub(super) changes: Vec<StackChange>,
    /// In the order of the properties.
    pub(super) falling: Vec<(PropertyId, Falling)>,
    /// The kinds that have one of them.
    pub(crate) falling_kinds: Vec<u32>,
    pub(super) deals: Vec<Deal>,
    /// The numbers of the deals at each container, by its name in the world.
    pub(super) deals_at: FxHashMap<Box<str>, Vec<u32>>,
    pub(crate) start: Vec<StartEntry>,
    /// Computed at the first use: every save contains it.
    pub(crate) fingerprint: OnceLock<String>,
}

/// Only the name and the sizes: the whole would fill pages.
impl fmt::Debug for Ruleset {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Ruleset")
            .field("title", &self.title)
            .field("version", &self.version)
            .field("kinds", &self.kinds.len())
            .field("containers", &self.containers.len())
            .field("holders", &self.holders.len())
            .finish_non_exhaustive()
    }
}

#[derive(Clone, Debug)]
pub(super) struct KindDef {
    pub(super) id: Text,
    pub(super) name: Text,
    pub(super) note: Text,
    pub(super) tag_set: u32,
    pub(super) value: Decimal,
    pub(super) own_stack_limit: Option<u32>,
    pub(super) max_in_world: Option<u32>,
    pub(super) properties: (u32, u32),
}

/// The facts about a kind that operations read.
#[derive(Clone, Copy, Debug)]
pub(crate) struct KindFigures {
    /// The weight of one item in thousandths.
    pub(crate) weight: i64,
    pub(crate) stack_limit: u32,
    pub(crate) is_protected: bool,
    /// Whether it has `most-in-world`.
    pub(crate) is_limited: bool,
    /// The definition of the container inside, or `NO_PACK`.
    pub(crate) pack: u32,
    /// The number of its list of occupied slots, or `ONE_SLOT`.
    pub(crate) needs: u32,
    /// The first filters that admit plain items of it.
    pub(super) admitted: u64,
}

/// For a kind that occupies one slot.
pub(crate) const ONE_SLOT: u32 = u32::MAX;

/// For a kind that is not a pack.
pub(crate) const NO_PACK: u32 = u32::MAX;

#[derive(Clone, Copy, Debug)]
pub(super) enum PropertyDef {
    Number(Decimal),
    Text(Text),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct FilterId(pub(super) u32);

#[cfg(test)]
impl FilterId {
    /// By its number among all filters.
    pub(crate) fn numbered(number: usize) -> FilterId {
        FilterId(narrow::index(number))
    }
}

/// A filter, and for each plain kind whether it is admitted.
#[derive(Clone, Debug)]
pub(crate) struct CompiledFilter {
    pub(crate) test: Test,
    pub(super) written: String,
    pub(super) plain: Bits,
}

/// A selection of items: a kind, a tag with all tags below it, or a mark. [`Ruleset::selector`] finds
/// it by its name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Selector {
    /// A tag.
    Tag(TagId),
    /// A mark.
    Mark(MarkId),
    /// A kind.
    Kind(KindId),
}

pub(super) fn hash_of(name: &str) -> u64 {
    FxBuildHasher.hash_one(name)
}

impl Ruleset {
    /// The title of the ruleset.
    #[must_use]
    pub fn title(&self) -> &str {
        &self.title
    }

    /// The version of the ruleset.
    #[must_use]
    pub fn version(&self) -> u32 {
        self.version
    }

    /// The unit of weights, such as `kg`; may be empty.
    #[must_use]
    pub fn weight_unit(&self) -> &str {
        &self.weight_unit
    }

    /// A weight with its unit: `46 kg`.
    #[must_use]
    pub fn weight_text(&self, weight: Decimal) -> String {
        match self.weight_unit.as_str() {
            "" => weight.to_string(),
            unit => format!("{weight} {unit}"),
        }
    }

    /// The texts of the ruleset: the file, then its tables.
    #[must_use]
    pub fn sources(&self) -> &[Source] {
        &self.source.sources
    }

    /// Likely mistakes that were found during reading. [`Ruleset::lint`] finds more.
    #[must_use]
    pub fn warnings(&self) -> &Diagnostics {
        &self.warnings
    }

    /// All kinds, in the order of the ruleset.
    #[must_use]
    pub fn kinds(&self) -> impl ExactSizeIterator<Item = Kind<'_>> {
        (0..self.kinds.len()).map(|index| self.known_kind(self.kind_id(narrow::index(index))))
    }

    /// A kind by its handle. None for a handle of a different ruleset.
    #[must_use]
    pub fn kind(&self, id: KindId) -> Option<Kind<'_>> {
        self.has_kind(id).then(|| self.known_kind(id))
    }

    /// Whether a handle of a kind belongs to this ruleset.
    #[inline(always)]
    pub(crate) fn has_kind(&self, id: KindId) -> bool {
        id.1 == self.tag && id.index() < self.kinds.len()
    }

    pub(crate) fn has_mark(&self, id: MarkId) -> bool {
        id.1 == self.tag && id.index() < self.marks.len()
    }

    pub(crate) fn has_property(&self, id: PropertyId) -> bool {
        id.1 == self.tag && id.index() < self.properties.len()
    }

    /// The kinds with `most-in-world`.
    pub(crate) fn limited_kinds(&self) -> impl Iterator<Item = KindId> {
        self.limited_kinds.iter().map(|&kind| self.kind_id(kind))
    }

    #[inline(always)]
    pub(crate) fn kind_id(&self, index: u32) -> KindId {
        KindId(index, self.tag)
    }

    pub(crate) fn recipe_id(&self, index: u32) -> RecipeId {
        RecipeId(index, self.tag)
    }

    pub(crate) fn mark_id(&self, index: u32) -> MarkId {
        MarkId(index, self.tag)
    }

    pub(crate) fn property_id(&self, index: u32) -> PropertyId {
        PropertyId(index, self.tag)
    }

    pub(crate) fn container_def_id(&self, index: u32) -> ContainerDefId {
        ContainerDefId(index, self.tag)
    }

    pub(crate) fn holder_def_id(&self, index: u32) -> HolderDefId {
        HolderDefId(index, self.tag)
    }

    /// A kind by a handle that is known to belong to this ruleset.
    pub(crate) fn known_kind(&self, id: KindId) -> Kind<'_> {
        debug_assert!(self.has_kind(id), "a kind of another ruleset");
        Kind { rules: self, id }
    }

    /// A kind by its position.
    pub(crate) fn known_kind_at(&self, index: u32) -> Kind<'_> {
        self.known_kind(self.kind_id(index))
    }

    /// A kind by its id, such as `fuel-drum`.
    #[must_use]
    pub fn find_kind(&self, id: &str) -> Option<KindId> {
        let same = |&index: &u32| self.arena.get(self.kinds[index as usize].id) == id;
        self.kind_index.find(hash_of(id), same).map(|&index| self.kind_id(index))
    }

    /// A tag by its name.
    #[must_use]
    pub fn find_tag(&self, name: &str) -> Option<TagId> {
        self.tag_index.get(name).copied()
    }

    /// A mark by its name.
    #[must_use]
    pub fn find_mark(&self, name: &str) -> Option<MarkId> {
        self.mark_index.get(name).copied()
    }

    /// A property by its name.
    #[must_use]
    pub fn find_property(&self, name: &str) -> Option<PropertyId> {
        self.property_index.get(name).copied()
    }

    /// The definition of a container by its name.
    #[must_use]
    pub fn find_container(&self, name: &str) -> Option<ContainerDefId> {
        self.container_index.get(name).copied()
    }

    /// The definition of a holder by its name.
    #[must_use]
    pub fn find_holder(&self, name: &str) -> Option<HolderDefId> {
        self.holder_index.get(name).copied()
    }

    /// The definition of the holder that has a name in a new world.
    pub(crate) fn find_holder_named(&self, name: &str) -> Option<&HolderDef> {
        self.holders.iter().find(|def| def.instances().any(|it| it == name))
    }

    /// The names of all holders in a new world.
    pub(crate) fn holder_names(&self) -> impl Iterator<Item = &str> {
        self.holders.iter().flat_map(HolderDef::instances)
    }

    /// A group by its name.
    #[must_use]
    pub fn find_group(&self, name: &str) -> Option<&GroupDef> {
        self.groups.iter().find(|group| *group.id == *name)
    }

    /// All groups, in the order in which the holders of the ruleset name them.
    #[must_use]
    pub fn groups(&self) -> &[GroupDef] {
        &self.groups
    }

    /// All tags, by name.
    #[must_use]
    pub fn tags(&self) -> &[Tag] {
        &self.tags
    }

    /// All marks, in the order of the ruleset.
    #[must_use]
    pub fn marks(&self) -> &[Mark] {
        &self.marks
    }

    /// All properties, in the order of first use.
    #[must_use]
    pub fn properties(&self) -> &[Property] {
        &self.properties
    }

    /// All containers, in the order of the ruleset.
    #[must_use]
    pub fn containers(&self) -> &[ContainerDef] {
        &self.containers
    }

    /// The caps of a container by the number of its definition; empty without a definition.
    pub(crate) fn caps_of_container(&self, def: u32) -> &[Cap] {
        self.containers.get(def as usize).map_or(&[], |def| &def.caps)
    }

    /// The names of all attributes that worn kinds add to.
    #[must_use]
    pub fn attributes(&self) -> &[Box<str>] {
        &self.attributes
    }

    /// The maximum nesting of packs: a pack in no other pack is 1 deep.
    #[must_use]
    pub fn nesting(&self) -> u32 {
        self.nesting
    }

    /// How worlds of different rulesets are migrated.
    #[must_use]
    pub fn migration(&self) -> &MigrationRules {
        &self.migration
    }

    /// The number of applied requests with an id that a world remembers.
    #[must_use]
    pub fn request_window(&self) -> u32 {
        self.request_window
    }

    /// The maximum number of stacks on the ground, if set.
    #[must_use]
    pub fn ground_limit(&self) -> Option<u32> {
        (self.ground_limit != u32::MAX).then_some(self.ground_limit)
    }

    /// All holders, in the order of the ruleset.
    #[must_use]
    pub fn holders(&self) -> &[HolderDef] {
        &self.holders
    }

    /// The rules of the first slots of a container, in slot order; the slots after them have none.
    #[must_use]
    pub fn slot_rules<'r>(&'r self, container: &'r ContainerDef) -> impl ExactSizeIterator<Item = SlotRule<'r>> {
        container.ruled.iter().map(|def| SlotRule { rules: self, def })
    }

    /// The filter of a container, as the ruleset writes it.
    #[must_use]
    pub fn admits<'r>(&'r self, container: &ContainerDef) -> Option<&'r str> {
        container.admits.map(|filter| self.filter(filter).written.as_str())
    }

    /// The caps of a container or holder: a filter as the ruleset writes it, and the maximum number
    /// of items.
    #[must_use]
    pub fn caps<'r>(&'r self, caps: &'r [Cap]) -> impl ExactSizeIterator<Item = (&'r str, u32)> {
        caps.iter().map(|cap| (self.filter(cap.of).written.as_str(), cap.count))
    }

    pub(crate) fn filter(&self, id: FilterId) -> &CompiledFilter {
        &self.filters[id.0 as usize]
    }

    /// All filters, in the order of the ruleset.
    pub(crate) fn all_filters(&self) -> impl ExactSizeIterator<Item = &CompiledFilter> {
        self.filters.iter()
    }

    /// Whether a filter admits plain items of a kind.
    #[inline]
    pub(crate) fn admits_plain(&self, filter: FilterId, kind: u32) -> bool {
        if filter.0 < u64::BITS {
            return self.figures[kind as usize].admitted >> filter.0 & 1 == 1;
        }
        self.filters[filter.0 as usize].plain.get(kind as usize)
    }

    /// The tags that filters use.
    pub(super) fn mentioned_tags(&self) -> BTreeSet<&str> {
        let mut found = BTreeSet::new();
        let mut tests: Vec<&Test> = self.filters.iter().map(|filter| &filter.test).collect();
        while let Some(test) = tests.pop() {
            match test {
                Test::Tag(tag) => {
                    found.insert(&*self.tag(*tag).name);
                }
                Test::Not(part) => tests.push(part),
                Test::All(parts) | Test::Any(parts) => tests.extend(parts),
                Test::Mark(_) | Test::Kind(_) | Test::Compare(..) => {}
            }
        }
        found
    }

    /// The tag, mark or kind of a name. They share one namespace.
    #[must_use]
    pub fn selector(&self, name: &str) -> Option<Selector> {
        let tag = || self.find_tag(name).map(Selector::Tag);
        let mark = || self.find_mark(name).map(Selector::Mark);
        tag().or_else(mark).or_else(|| self.find_kind(name).map(Selector::Kind))
    }

    /// Names of tags, marks and kinds, for suggestions.
    pub(crate) fn item_names(&self) -> impl Iterator<Item = &str> + Clone {
        let tags = self.tags.iter().map(|tag| &*tag.name);
        let marks = self.marks.iter().map(|mark| &*mark.name);
        tags.chain(marks).chain(self.kinds.iter().map(|kind| self.arena.get(kind.id)))
    }

    /// Ids of kinds, for suggestions.
    pub(crate) fn kind_names(&self) -> impl Iterator<Item = &str> + Clone {
        self.kinds.iter().map(|kind| self.arena.get(kind.id))
    }

    pub(crate) fn tag_set_of(&self, kind: KindId) -> &[TagId] {
        &self.tag_sets[self.kinds[kind.index()].tag_set as usize]
    }

    pub(crate) fn tag(&self, id: TagId) -> &Tag {
        &self.tags[id.index()]
    }

    pub(crate) fn mark(&self, id: MarkId) -> &Mark {
        &self.marks[id.index()]
    }

    pub(crate) fn property(&self, id: PropertyId) -> &Property {
        &self.properties[id.index()]
    }

    pub(crate) fn container(&self, id: ContainerDefId) -> &ContainerDef {
        &self.containers[id.index()]
    }

    pub(crate) fn holder(&self, id: HolderDefId) -> &HolderDef {
        &self.holders[id.index()]
    }
}

impl CompiledFilter {
    /// Whether it admits the stacks of a kind as they are at first.
    pub(crate) fn admits_plain(&self, kind: KindId) -> bool {
        self.plain.get(kind.index())
    }

    pub(crate) fn written(&self) -> &str {
        &self.written
    }
}
