//! Every setting of a ruleset by name, whether it is written or at its default: what `compare` and
//! `show --part rules` read.
//!
//! Definitions are destructured without `..`: a new field does not compile until it is a setting,
//! or is named as irrelevant.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::fmt::Display;

use super::access::{Access, Right};
use super::changes::{ChangeEffect, StackChange};
use super::deals::{Deal, Price, Terms};
use super::kind::{Kind, Mark, PropertyValue, Tag};
use super::meters::Meter;
use super::migration::MigrationRules;
use super::places::{Cap, ContainerDef, DepletedShortcut, GroupDef, HolderDef, SlotDef, WhenUnfit};
use super::recipes::{Ingredient, Pattern, Recipe, Yield};
use super::start::StartPortion;
use super::view::{FilterId, KindDef, KindFigures, Ruleset};
use crate::id::KindId;
use crate::language::ticks_text;
use crate::quantity::Decimal;

/// What a setting or a rule is written for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum SubjectKind {
    /// The ruleset as a whole.
    Ruleset,
    /// A tag.
    Tag,
    /// A mark.
    Mark,
    /// A property.
    Property,
    /// An item kind.
    Kind,
    /// A container.
    Container,
    /// A holder.
    Holder,
    /// A group of holders.
    Group,
    /// A deal.
    Deal,
    /// A recipe.
    Recipe,
    /// A change of stacks.
    Change,
    /// A place with contents at the start.
    Start,
}

impl SubjectKind {
    /// The word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            SubjectKind::Ruleset => "ruleset",
            SubjectKind::Tag => "tag",
            SubjectKind::Mark => "mark",
            SubjectKind::Property => "property",
            SubjectKind::Kind => "kind",
            SubjectKind::Container => "container",
            SubjectKind::Holder => "holder",
            SubjectKind::Group => "group",
            SubjectKind::Deal => "deal",
            SubjectKind::Recipe => "recipe",
            SubjectKind::Change => "change",
            SubjectKind::Start => "start",
        }
    }
}

/// What a setting or a rule is written for, and its name.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Subject {
    /// What it is.
    pub kind: SubjectKind,
    /// Its name; empty for the ruleset.
    pub name: String,
}

impl Subject {
    pub(crate) fn new(kind: SubjectKind, name: impl Into<String>) -> Subject {
        Subject { kind, name: name.into() }
    }

    pub(crate) fn ruleset() -> Subject {
        Subject::new(SubjectKind::Ruleset, "")
    }
}

/// What depends on a setting.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SettingClass {
    /// What operations do.
    Rule,
    /// What a new world contains.
    Start,
    /// What becomes of worlds of other rulesets.
    Migration,
    /// What searches verify.
    Claim,
    /// Only what people read: names, labels, notes, columns.
    Label,
}

impl SettingClass {
    /// The word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            SettingClass::Rule => "rule",
            SettingClass::Start => "start",
            SettingClass::Migration => "migration",
            SettingClass::Claim => "claim",
            SettingClass::Label => "label",
        }
    }
}

/// One setting: `weight-cap` of the container `sled` is `180`.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Setting {
    /// Its name, such as `weight-cap` or `slot head: admits`.
    pub name: String,
    /// What depends on it.
    pub class: SettingClass,
    /// Its value in words.
    pub value: String,
    /// True if it has this value where nothing is written.
    pub is_default: bool,
    pub(crate) detail: Detail,
}

/// What a comparison of two settings needs beyond their values in words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Detail {
    Plain,
    /// One of several settings of this name: it is there or not.
    Member,
    Filter(Option<FilterId>),
    Cap(FilterId, u32),
    /// Names whose order matters.
    Order(Vec<String>),
    /// A slot; settings whose names begin with its own are its rules.
    Slot,
    /// The number of slots, and how many of them have no rules of their own.
    Slots(usize),
}

/// The names that things have in a later ruleset, by the `[migration]` section of that ruleset.
#[derive(Clone, Copy, Default)]
pub(crate) struct Renames<'m> {
    later: Option<(&'m Ruleset, u32)>,
}

impl<'m> Renames<'m> {
    /// The names that what has a name in `old` has in `new`.
    pub(crate) fn between(old: &Ruleset, new: &'m Ruleset) -> Renames<'m> {
        Renames { later: Some((new, old.version())) }
    }

    fn renamed(self, name: &str, since: impl Fn(&MigrationRules, u32) -> String) -> String {
        self.later.map_or_else(|| name.to_owned(), |(rules, version)| since(rules.migration(), version))
    }

    pub(crate) fn kind(self, name: &str) -> String {
        self.renamed(name, |rules, version| rules.renamed_since(version, name, |renamed| &renamed.kind))
    }

    pub(crate) fn mark(self, name: &str) -> String {
        self.renamed(name, |rules, version| rules.renamed_since(version, name, |renamed| &renamed.mark))
    }

    pub(crate) fn property(self, name: &str) -> String {
        self.renamed(name, |rules, version| rules.renamed_since(version, name, |renamed| &renamed.property))
    }

    pub(crate) fn recipe(self, name: &str) -> String {
        self.renamed(name, |rules, version| rules.recipe_since(version, name))
    }

    fn meter(self, name: &str) -> String {
        self.renamed(name, |rules, version| rules.meter_since(version, name))
    }

    pub(crate) fn container(self, name: &str) -> String {
        self.renamed(name, |rules, version| rules.renamed_since(version, name, |renamed| &renamed.container))
    }

    /// The definition of what the container has become: it may be one of several copies now.
    pub(crate) fn definition(self, name: &str) -> String {
        let now = self.container(name);
        let Some((rules, _)) = self.later.filter(|(rules, _)| rules.find_container(&now).is_none()) else { return now };
        let copied = rules.containers().iter().find(|def| def.instances().any(|copy| copy == now));
        copied.map_or(now, |def| def.id().to_owned())
    }

    pub(crate) fn holder(self, name: &str) -> String {
        self.renamed(name, |rules, version| rules.renamed_since(version, name, |renamed| &renamed.holder))
    }

    /// The definition of what the holder has become: it may be one of several copies now.
    pub(crate) fn holder_definition(self, name: &str) -> String {
        let now = self.holder(name);
        let Some((rules, _)) = self.later.filter(|(rules, _)| rules.find_holder(&now).is_none()) else { return now };
        rules.find_holder_named(&now).map_or(now, |def| def.id().to_owned())
    }

    /// A place as paths write it: `sled/3`, `surveyor.pockets`.
    fn place(self, path: &str) -> String {
        let end = path.find('/').unwrap_or(path.len());
        let (root, rest) = path.split_at(end);
        match root.split_once('.') {
            Some((holder, own)) => format!("{}.{}{rest}", self.holder(holder), self.container(own)),
            None => format!("{}{rest}", self.container(&self.holder(root))),
        }
    }
}

impl Ruleset {
    /// Every setting, subject by subject, in the order of the ruleset. A setting that nobody wrote
    /// has its default.
    ///
    /// ```
    /// use hypotheke::Ruleset;
    ///
    /// let rules = Ruleset::builder().container("sled", |sled| sled.slots(6).weight_cap(180.into())).build()?;
    /// let settings = rules.settings();
    /// let (sled, of_sled) = settings.iter().find(|(subject, _)| subject.name == "sled").unwrap();
    /// assert_eq!(sled.kind.word(), "container");
    /// let written: Vec<_> = of_sled.iter().filter(|setting| !setting.is_default).collect();
    /// assert_eq!((written[0].name.as_str(), written[0].value.as_str()), ("slots", "6"));
    /// assert_eq!((written[1].name.as_str(), written[1].value.as_str()), ("weight-cap", "180"));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn settings(&self) -> Vec<(Subject, Vec<Setting>)> {
        self.settings_renamed(Renames::default())
    }

    /// The settings as a later ruleset names them.
    pub(crate) fn settings_renamed(&self, names: Renames<'_>) -> Vec<(Subject, Vec<Setting>)> {
        let mut lister = Lister { rules: self, names, settings: Vec::new() };
        let mut all = Vec::new();
        let mut add = |kind, name: String, settings| all.push((Subject::new(kind, name), settings));
        add(SubjectKind::Ruleset, String::new(), lister.of_ruleset());
        for tag in &self.tags {
            add(SubjectKind::Tag, tag.name().to_owned(), lister.of_tag(tag));
        }
        for mark in &self.marks {
            add(SubjectKind::Mark, names.mark(mark.name()), lister.of_mark(mark));
        }
        for &(id, falling) in self.falling() {
            lister.rule("falls", falling, "no");
            add(SubjectKind::Property, names.property(self.property(id).name()), std::mem::take(&mut lister.settings));
        }
        for kind in self.kinds() {
            add(SubjectKind::Kind, names.kind(kind.id()), lister.of_kind(kind));
        }
        for def in &self.containers {
            add(SubjectKind::Container, names.definition(def.id()), lister.of_container(def));
        }
        for def in &self.holders {
            add(SubjectKind::Holder, names.holder_definition(def.id()), lister.of_holder(def));
        }
        for group in self.groups().iter().filter(|group| group.has_rules()) {
            add(SubjectKind::Group, group.id().to_owned(), lister.of_group(group));
        }
        for deal in self.deals() {
            add(SubjectKind::Deal, deal.id().to_owned(), lister.of_deal(deal));
        }
        for recipe in self.recipes() {
            add(SubjectKind::Recipe, names.recipe(recipe.id()), lister.of_recipe(recipe));
        }
        for change in self.changes() {
            add(SubjectKind::Change, change.id().to_owned(), lister.of_change(change));
        }
        for entry in &self.start {
            let contents = entry.contents.iter().map(|portion| lister.portion(portion));
            let value = contents.collect::<Vec<_>>().join(", ");
            lister.text("contents", SettingClass::Start, value, String::new());
            add(SubjectKind::Start, names.place(&entry.place.to_string()), std::mem::take(&mut lister.settings));
        }
        all
    }
}

/// Stands for a slot without a name in the order of slots; no name has a blank in it.
pub(crate) const UNNAMED: &str = "(no name)";

struct Lister<'r> {
    rules: &'r Ruleset,
    names: Renames<'r>,
    settings: Vec<Setting>,
}

fn yes_no(rule: bool) -> &'static str {
    if rule { "yes" } else { "no" }
}

fn or_none(value: Option<impl Display>) -> String {
    value.map_or_else(|| "none".to_owned(), |value| value.to_string())
}

fn listed(items: impl IntoIterator<Item = impl Display>) -> String {
    let items: Vec<String> = items.into_iter().map(|item| item.to_string()).collect();
    if items.is_empty() { "none".to_owned() } else { items.join(", ") }
}

fn sorted(items: impl Iterator<Item = impl Display>) -> String {
    listed(items.map(|item| item.to_string()).collect::<BTreeSet<_>>())
}

impl Lister<'_> {
    fn put(&mut self, name: impl Into<String>, class: SettingClass, value: String, is_default: bool, detail: Detail) {
        self.settings.push(Setting { name: name.into(), class, value, is_default, detail });
    }

    fn text(&mut self, name: &str, class: SettingClass, value: impl Display, default: impl Display) {
        let value = value.to_string();
        let is_default = value == default.to_string();
        self.put(name, class, value, is_default, Detail::Plain);
    }

    fn rule(&mut self, name: &str, value: impl Display, default: impl Display) {
        self.text(name, SettingClass::Rule, value, default);
    }

    fn limit(&mut self, name: &str, limit: Option<impl Display>) {
        self.rule(name, or_none(limit), "none");
    }

    fn label(&mut self, name: &str, value: &str, default: &str) {
        self.text(name, SettingClass::Label, value, default);
    }

    fn filter(&mut self, name: impl Into<String>, filter: Option<FilterId>) {
        let written = filter.map(|filter| format!("`{}`", self.rules.filter(filter).written()));
        let value = written.unwrap_or_else(|| "everything".to_owned());
        self.put(name, SettingClass::Rule, value, filter.is_none(), Detail::Filter(filter));
    }

    fn caps(&mut self, caps: &[Cap]) {
        // The number of a cap is that of its filter among the filters of all caps.
        for &Cap { of, count, number: _, group: _ } in caps {
            let value = format!("{count} of `{}`", self.rules.filter(of).written());
            self.put("cap", SettingClass::Rule, value, false, Detail::Cap(of, count));
        }
    }

    fn of_ruleset(&mut self) -> Vec<Setting> {
        let Ruleset {
            // Which ruleset of the process it is says nothing of what it means.
            tag: _,
            title,
            version,
            weight_unit,
            source,
            nesting,
            ground_limit: _,
            request_window,
            migration,
            // The subjects of their own.
            kinds: _,
            tags: _,
            marks: _,
            properties: _,
            containers: _,
            holders: _,
            groups: _,
            deals: _,
            deals_at: _,
            changes: _,
            falling: _,
            falling_kinds: _,
            recipes: _,
            recipe_index: _,
            recipes_at: _,
            start: _,
            // Written in the settings of kinds, containers and holders.
            arena: _,
            figures: _,
            kind_properties: _,
            tag_sets: _,
            filters: _,
            attributes: _,
            grants: _,
            uses: _,
            needs: _,
            cap_filters: _,
            pack_kinds: _,
            limited_kinds: _,
            has_doors: _,
            has_access_lists: _,
            has_automatic: _,
            // Found from the others.
            warnings: _,
            kind_index: _,
            tag_index: _,
            mark_index: _,
            property_index: _,
            container_index: _,
            holder_index: _,
            fingerprint: _,
        } = self.rules;
        self.label("title", title, "");
        self.label("units.weight", weight_unit, "");
        self.rule("nesting", nesting, super::compile::DEFAULT_NESTING);
        self.limit("ground-limit", self.rules.ground_limit());
        self.rule("request-window", request_window, super::compile::DEFAULT_REQUEST_WINDOW);
        self.text("version", SettingClass::Migration, version, 1);
        self.of_migration(migration);
        for (key, claim) in &source.claims {
            self.put(*key, SettingClass::Claim, claim.value.clone(), false, Detail::Member);
        }
        std::mem::take(&mut self.settings)
    }

    fn of_migration(&mut self, migration: &MigrationRules) {
        let standard = MigrationRules::default();
        for ((key, word), (_, default)) in migration.actions().into_iter().zip(standard.actions()) {
            self.text(&format!("migration {key}"), SettingClass::Migration, word, default);
        }
        for (version, changes) in &migration.versions {
            for (key, names) in changes.all_names() {
                for (before, after) in names {
                    let name = format!("migration.{version}.{key}");
                    let value = format!("{before} -> {after}");
                    self.put(name, SettingClass::Migration, value, false, Detail::Member);
                }
            }
        }
    }

    /// The stack limit of a tag is part of those of its kinds.
    fn of_tag(&mut self, tag: &Tag) -> Vec<Setting> {
        let Tag { name, parent: _, label: _, note, stack_limit: _ } = tag;
        self.label("label", tag.label(), name);
        self.label("note", note, "");
        std::mem::take(&mut self.settings)
    }

    fn of_mark(&mut self, mark: &Mark) -> Vec<Setting> {
        let Mark { name, label: _, note } = mark;
        self.label("label", mark.label(), name);
        self.label("note", note, "");
        std::mem::take(&mut self.settings)
    }

    fn of_kind(&mut self, kind: Kind<'_>) -> Vec<Setting> {
        let index = kind.handle().index();
        let KindDef { id: _, name: _, note: _, tag_set: _, value, own_stack_limit: _, max_in_world, properties: _ } =
            &self.rules.kinds[index];
        let KindFigures { weight: _, stack_limit, is_protected, is_limited: _, pack: _, needs: _, admitted: _ } =
            &self.rules.figures[index];
        self.rule("stack-limit", stack_limit, 1);
        self.rule("weight", kind.weight(), 0);
        self.rule("value", value, 0);
        self.rule("protected", yes_no(*is_protected), "no");
        self.rule("most-in-world", or_none(*max_in_world), "none");
        self.rule("tags", sorted(kind.tags()), "none");
        self.rule("occupies-slots", sorted(kind.occupied_slots()), "none");
        self.rule("pack", or_none(kind.pack().map(|def| self.names.definition(def.id()))), "none");
        let attributes = kind.attributes().map(|(name, number)| format!("{name} {number}"));
        self.rule("attributes", sorted(attributes), "none");
        let effects = kind.effects().map(|(meter, number)| format!("{} {number}", self.names.meter(meter)));
        let property = |id| self.names.property(self.rules.property(id).name());
        let lowers = kind.lowered().iter().map(|&(id, by)| format!("lowers {} by {by}", property(id)));
        let parts: Vec<String> = effects.chain(lowers).collect();
        let use_of = match parts.len() {
            _ if !kind.has_use() => "none".to_owned(),
            0 => "without effects".to_owned(),
            _ => sorted(parts.into_iter()),
        };
        self.rule("use", use_of, "none");
        let properties = kind.properties().map(|(id, value)| {
            let name = self.names.property(self.rules.property(id).name());
            match value {
                PropertyValue::Number(number) => format!("{name} {number}"),
                PropertyValue::Text(text) => format!("{name} {text:?}"),
            }
        });
        self.rule("properties", sorted(properties), "none");
        self.label("name", kind.name(), kind.id());
        self.label("note", kind.note(), "");
        std::mem::take(&mut self.settings)
    }

    fn of_container(&mut self, def: &ContainerDef) -> Vec<Setting> {
        let ContainerDef {
            id,
            name,
            note,
            slots,
            columns,
            stack_limit: _,
            weight_cap: _,
            admits,
            ruled,
            caps,
            worn,
            access: _,
            owner,
            copies: _,
            // Part of the settings of the holder or the kind.
            carried: _,
            brought: _,
            deep,
            reserved_first,
            when_unfit,
            on_put: _,
            must_open,
            exclusive,
            bounds: (least, most),
            // Part of the settings of recipes.
            works: _,
        } = def;
        let plain = (*slots as usize).saturating_sub(ruled.iter().filter(|slot| slot.has_rules()).count());
        let is_default = *slots as usize == ruled.len();
        self.put("slots", SettingClass::Rule, slots.to_string(), is_default, Detail::Slots(plain));
        self.rule("min-slots", least, slots);
        self.rule("max-slots", most, slots);
        let instances: Vec<String> = def.instances().map(|name| self.names.container(name)).collect();
        let own = if instances.is_empty() { "none".to_owned() } else { self.names.container(id) };
        self.rule("copies", listed(instances), own);
        self.rule("worn", yes_no(*worn), "no");
        self.limit("stack-limit", def.stack_limit());
        self.limit("weight-cap", def.weight_cap());
        for right in Right::ALL {
            let (access, default) = (def.access(right), def.default_access());
            self.rule(right.key(), self.access_words(access), self.access_words(&default));
        }
        self.rule("owner", or_none(owner.as_deref().map(|owner| self.names.holder(owner))), "none");
        self.rule("deep", yes_no(*deep), "no");
        self.rule("reserved-first", yes_no(*reserved_first), "no");
        self.rule("must-open", yes_no(*must_open), "no");
        self.rule("exclusive", yes_no(*exclusive), "no");
        self.rule("when-unfit", if *when_unfit == WhenUnfit::Eject { "eject" } else { "stay" }, "stay");
        self.rule("on-put", listed(def.on_put().iter().map(|way| way.word())), "place, merge, swap");
        self.filter("admits", *admits);
        self.caps(caps);
        self.of_slots(ruled);
        let mut recipes = def.instances().chain([def.id()]).flat_map(|name| self.rules.recipes_at(name));
        let has_pattern = recipes.any(|id| self.rules.recipe(id).is_some_and(|recipe| recipe.pattern().is_some()));
        let (columns, by_default) = (columns.to_string(), slots.min(&8).to_string());
        match has_pattern {
            true => self.rule("columns", columns, &by_default),
            false => self.label("columns", &columns, &by_default),
        }
        self.label("name", name, id);
        self.label("note", note, "");
        std::mem::take(&mut self.settings)
    }

    fn access_words(&self, access: &Access) -> String {
        match access {
            Access::Surrounding => "as around it".to_owned(),
            access => listed(access.words().into_iter().map(|word| self.names.holder(word)).collect::<Vec<_>>()),
        }
    }

    fn of_slots(&mut self, ruled: &[SlotDef]) {
        // Where a slot stands among those without a name matters too.
        let name = |slot: &SlotDef| slot.name.as_deref().unwrap_or(UNNAMED).to_owned();
        let named = ruled.iter().rposition(|slot| slot.name.is_some()).map_or(0, |last| last + 1);
        let order: Vec<String> = ruled[..named].iter().map(name).collect();
        for (number, slot) in ruled.iter().enumerate().filter(|(_, slot)| slot.has_rules()) {
            let SlotDef { name, label, admits, stack_limit, access } = slot;
            let place = format!("slot {}", name.as_deref().map_or_else(|| number.to_string(), str::to_owned));
            let admitted = admits.map(|filter| format!("admits `{}`", self.rules.filter(filter).written()));
            let limit = (*stack_limit != u32::MAX).then_some(*stack_limit);
            let borders =
                [Right::Put, Right::Take].into_iter().zip(access).filter(|(_, access)| **access != Access::Surrounding);
            let borders = borders.map(|(right, access)| format!("{} {}", right.key(), self.access_words(access)));
            let borders: Vec<String> = borders.collect();
            let rules = admitted.into_iter().chain(limit.map(|limit| format!("stack-limit {limit}")));
            let rules = rules.chain(borders);
            let value = rules.collect::<Vec<_>>().join(", ");
            let value = if value.is_empty() { "no further rules".to_owned() } else { value };
            self.put(place.clone(), SettingClass::Rule, value, false, Detail::Slot);
            self.filter(format!("{place}: admits"), *admits);
            self.limit(&format!("{place}: stack-limit"), limit);
            for (right, access) in [Right::Put, Right::Take].into_iter().zip(access) {
                let default = self.access_words(&Access::Surrounding);
                self.rule(&format!("{place}: {}", right.key()), self.access_words(access), default);
            }
            if let Some(name) = name {
                self.label(&format!("{place}: label"), label.as_deref().unwrap_or(name), name);
            }
        }
        if !order.is_empty() {
            self.put("order of slots", SettingClass::Rule, listed(&order), false, Detail::Order(order));
        }
    }

    fn of_holder(&mut self, def: &HolderDef) -> Vec<Setting> {
        let HolderDef {
            id,
            name,
            note,
            groups,
            copies: _,
            carries,
            own_weight_cap: _,
            weight_cap: _,
            caps: _,
            shortcuts,
            spent,
            encumbrance,
            meters,
        } = def;
        let instances = def.instances().map(|name| self.names.holder(name)).collect::<Vec<_>>();
        let own = listed(vec![self.names.holder(id)]);
        self.rule("copies", listed(instances), own);
        let carried = carries.iter().map(|&id| self.names.definition(self.rules.container(id).id()));
        self.rule("carries", listed(carried.collect::<Vec<_>>()), "none");
        self.rule("groups", sorted(groups.iter().map(|group| &**group)), "none");
        self.limit("weight-cap", def.own_weight_cap());
        self.rule("encumbrance", listed(encumbrance.iter().map(|(from, label)| format!("{label} at {from}"))), "none");
        for Meter { name, start, min, max, beyond } in meters {
            let value = format!("{start} of {min} to {max}, beyond: {}", beyond.word());
            self.rule(&format!("meter {}", self.names.meter(name)), value, "none");
        }
        self.rule("shortcuts", shortcuts, 0);
        self.rule("depleted-shortcuts", if *spent == DepletedShortcut::Keep { "keep" } else { "clear" }, "clear");
        self.caps(def.own_caps());
        self.label("name", name, id);
        self.label("note", note, "");
        std::mem::take(&mut self.settings)
    }

    fn of_group(&mut self, group: &GroupDef) -> Vec<Setting> {
        self.limit("weight-cap", group.weight_cap());
        self.caps(group.caps());
        std::mem::take(&mut self.settings)
    }

    fn of_deal(&mut self, deal: &Deal) -> Vec<Setting> {
        let Deal { id: _, at, by, terms, coins_to, use_nobody } = deal;
        self.rule("at", sorted(at.iter().map(|at| self.names.container(at))), "none");
        self.rule("by", self.access_words(by), "anyone");
        match terms {
            Terms::Lot { gives, takes } => {
                self.rule("gives", self.items(gives), "none");
                self.rule("takes", self.items(takes), "none");
            }
            Terms::Prices { of, currency, buy, sell } => {
                self.filter("of", Some(of.0));
                self.rule("currency", self.names.kind(self.rules.known_kind(*currency).id()), "none");
                let price = |price: &Price| format!("value times {}, rounded {}", price.factor, price.round.word());
                self.rule("buy", or_none(buy.as_ref().map(price)), "none");
                self.rule("sell", or_none(sell.as_ref().map(price)), "none");
            }
        }
        self.rule("coins-to", or_none(coins_to.as_deref().map(|till| self.names.container(till))), "none");
        self.rule("use-nobody", yes_no(*use_nobody), "no");
        std::mem::take(&mut self.settings)
    }

    fn of_recipe(&mut self, recipe: &Recipe) -> Vec<Setting> {
        let Recipe {
            id: _,
            at,
            by,
            inputs,
            pattern,
            tools,
            outputs,
            yields,
            made: _,
            outputs_to,
            is_loot,
            duration: _,
            when_full,
            is_automatic,
        } = recipe;
        self.rule("at", sorted(at.iter().map(|at| self.names.container(at))), "none");
        // It follows from loot.
        let by = if *is_loot { "anyone".to_owned() } else { self.access_words(by) };
        self.rule("by", by, "anyone");
        // The pattern has them too.
        let inputs = if pattern.is_none() { self.ingredients(inputs) } else { "none".to_owned() };
        self.rule("inputs", inputs, "none");
        let input = |number: u32| self.ingredient(&recipe.inputs()[number as usize]);
        let lies = pattern.as_ref().map(|pattern| pattern.text(input));
        self.rule("pattern", or_none(lies), "none");
        self.rule("mirrored", yes_no(pattern.as_ref().is_some_and(Pattern::is_mirrored)), "no");
        self.rule("tools", self.ingredients(tools), "none");
        self.rule("outputs", self.items(outputs), "none");
        let made = yields.iter().map(|one| format!("[{}]", self.items(one.outputs())));
        self.rule("yields", listed(made.collect::<Vec<_>>()), "none");
        self.rule("yield-weights", listed(yields.iter().map(Yield::weight)), "none");
        self.rule("outputs-to", or_none(outputs_to.as_deref().map(|to| self.names.container(to))), "none");
        self.rule("loot", yes_no(*is_loot), "no");
        let duration = recipe.duration();
        self.rule("duration", or_none(duration.map(|ticks| ticks_text(u64::from(ticks)))), "none");
        self.rule("when-full", or_none(duration.map(|_| when_full.word())), "none");
        self.rule("automatic", yes_no(*is_automatic), "no");
        std::mem::take(&mut self.settings)
    }

    fn of_change(&mut self, change: &StackChange) -> Vec<Setting> {
        let StackChange { id: _, when, written: _, effect } = change;
        self.filter("when", Some(*when));
        let effect = match *effect {
            ChangeEffect::Becomes(kind) => {
                format!("becomes {}", self.names.kind(self.rules.known_kind(kind).id()))
            }
            ChangeEffect::Marks(mark) => format!("gets the mark {}", self.names.mark(self.rules.mark(mark).name())),
            ChangeEffect::Removes => "is removed".to_owned(),
        };
        self.rule("effect", effect, "none");
        std::mem::take(&mut self.settings)
    }

    /// The kind, or the filter in quotes.
    fn ingredient(&self, it: &Ingredient) -> String {
        match it.kind() {
            Some(kind) => self.names.kind(self.rules.known_kind(kind).id()),
            None if it.of_text().contains(' ') => format!("`{}`", it.of_text()),
            None => it.of_text().to_owned(),
        }
    }

    fn ingredients(&self, ingredients: &[Ingredient]) -> String {
        let text = |it: &Ingredient| match it.kind() {
            Some(kind) => format!("{} {}", it.count(), self.names.kind(self.rules.known_kind(kind).id())),
            None => it.to_string(),
        };
        listed(ingredients.iter().map(text).collect::<Vec<_>>())
    }

    fn items(&self, items: &[(KindId, u32)]) -> String {
        let kind = |id| self.names.kind(self.rules.known_kind(id).id());
        listed(items.iter().map(|&(id, count)| format!("{count} {}", kind(id))).collect::<Vec<_>>())
    }

    fn portion(&self, portion: &StartPortion) -> String {
        let StartPortion { count, kind, marks, properties, at: _ } = portion;
        let kind = self.names.kind(self.rules.known_kind(*kind).id());
        let marks = marks.iter().map(|&mark| self.names.mark(self.rules.mark(mark).name()));
        let value =
            |(id, value): &(_, Decimal)| format!("{} {value}", self.names.property(self.rules.property(*id).name()));
        let variant: Vec<String> = marks.chain(properties.iter().map(value)).collect();
        let variant: Cow<'_, str> =
            if variant.is_empty() { "".into() } else { format!(" ({})", variant.join(", ")).into() };
        format!("{count} {kind}{variant}")
    }
}
