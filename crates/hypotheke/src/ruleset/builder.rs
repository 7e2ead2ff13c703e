use std::fmt::{Display, Write};
use std::ops::RangeInclusive;

use super::deals::Rounding;
use super::meters::Beyond;
use super::migration::MigrationRules;
use super::places::PutMode;
use super::recipes::WhenFull;
use crate::quantity::Decimal;

/// Builds a ruleset in code.
///
/// The builder writes the same TOML that a file contains, so it has the same checks and the same
/// messages. [`RulesetBuilder::to_toml`] returns the text.
///
/// ```
/// use hypotheke::Ruleset;
///
/// let rules = Ruleset::builder()
///     .title("Two sleds")
///     .tag("fuel", |tag| tag.stack_limit(4))
///     .kind("fuel-drum", |kind| kind.tags(["fuel"]).weight("46".parse().unwrap()))
///     .container("sled", |sled| sled.slots(6).weight_cap(180.into()))
///     .start("sled", ["2 fuel-drum"])
///     .build()?;
/// assert_eq!(rules.kinds().len(), 1);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, Default)]
#[must_use = "call `build` to get the ruleset"]
pub struct RulesetBuilder {
    head: Section,
    tables: String,
    start: String,
}

/// The keys of one table.
#[derive(Clone, Debug, Default)]
struct Section(String);

impl Section {
    fn line(&mut self, key: &str, value: impl Display) {
        // Writing to a String cannot fail.
        let _ = writeln!(self.0, "{key} = {value}");
    }

    fn caps(&mut self, caps: &[String]) {
        if !caps.is_empty() {
            self.line("caps", format!("[{}]", caps.join(", ")));
        }
    }
}

fn quoted(text: &str) -> String {
    ::toml::Value::from(text).to_string()
}

fn list<'a>(texts: impl IntoIterator<Item = &'a str>) -> String {
    format!("[{}]", texts.into_iter().map(quoted).collect::<Vec<_>>().join(", "))
}

impl RulesetBuilder {
    /// The title of the ruleset.
    pub fn title(mut self, title: &str) -> Self {
        self.head.line("title", quoted(title));
        self
    }

    /// The version of the ruleset, from 1.
    pub fn version(mut self, version: u32) -> Self {
        self.head.line("version", version);
        self
    }

    /// The unit of weights, such as `kg`.
    pub fn weight_unit(mut self, unit: &str) -> Self {
        self.head.line("units", format!("{{ weight = {} }}", quoted(unit)));
        self
    }

    /// The stack limit of kinds that have none from themselves or their tags.
    pub fn stack_limit(mut self, limit: u32) -> Self {
        self.head.line("stack-limit", limit);
        self
    }

    /// The number of applied requests with an id that a world remembers.
    pub fn request_window(mut self, requests: u32) -> Self {
        self.head.line("request-window", requests);
        self
    }

    /// How worlds of different rulesets are migrated.
    #[allow(clippy::needless_pass_by_value)] // As all others take theirs.
    pub fn migration(mut self, rules: MigrationRules) -> Self {
        let _ = writeln!(self.tables, "\n[migration]");
        for (key, word) in rules.actions() {
            let _ = writeln!(self.tables, "{key} = {}", quoted(word));
        }
        for (version, changes) in &rules.versions {
            let _ = writeln!(self.tables, "\n[migration.{version}]");
            for (key, names) in changes.all_names() {
                for (before, after) in names {
                    let _ = writeln!(self.tables, "{key}.{} = {}", quoted(&before), quoted(&after));
                }
            }
        }
        self
    }

    /// The maximum nesting of packs; a pack in no other pack is 1 deep.
    pub fn nesting(mut self, depth: u32) -> Self {
        self.head.line("nesting", depth);
        self
    }

    /// Claims for searches: lines under `always`, `forbidden`, `possible`, `recoverable` or
    /// `explore`, as in a claims file.
    pub fn claims<'a>(mut self, heading: &str, lines: impl IntoIterator<Item = &'a str>) -> Self {
        self.head.line(&format!("claims.{heading}"), list(lines));
        self
    }

    /// The maximum number of stacks on the ground.
    pub fn ground_limit(mut self, stacks: u32) -> Self {
        self.head.line("ground-limit", stacks);
        self
    }

    fn table(mut self, group: &str, name: &str, section: &Section) -> Self {
        let _ = writeln!(self.tables, "\n[{group}.{}]\n{}", quoted(name), section.0.trim_end());
        self
    }

    /// A tag with settings. Tags without settings need no declaration.
    pub fn tag(self, name: &str, settings: impl FnOnce(TagBuilder) -> TagBuilder) -> Self {
        let built = settings(TagBuilder::default());
        self.table("tag", name, &built.0)
    }

    /// A mark.
    pub fn mark(self, name: &str) -> Self {
        self.mark_with(name, |mark| mark)
    }

    /// A mark with a label or a note.
    pub fn mark_with(self, name: &str, settings: impl FnOnce(MarkBuilder) -> MarkBuilder) -> Self {
        let built = settings(MarkBuilder::default());
        self.table("mark", name, &built.0)
    }

    /// An item kind.
    pub fn kind(self, id: &str, settings: impl FnOnce(KindBuilder) -> KindBuilder) -> Self {
        let built = settings(KindBuilder::default());
        self.table("kind", id, &built.0)
    }

    /// A container.
    pub fn container(self, id: &str, settings: impl FnOnce(ContainerBuilder) -> ContainerBuilder) -> Self {
        let ContainerBuilder { mut section, slots, caps } = settings(ContainerBuilder::default());
        section.caps(&caps);
        if !slots.is_empty() {
            section.line("slot", format!("[{}]", slots.join(", ")));
        }
        self.table("container", id, &section)
    }

    /// A holder that carries containers.
    pub fn holder<'a>(
        self,
        id: &str,
        carries: impl IntoIterator<Item = &'a str>,
        settings: impl FnOnce(HolderBuilder) -> HolderBuilder,
    ) -> Self {
        let HolderBuilder { mut section, caps, encumbrance } = settings(HolderBuilder::default());
        section.line("carries", list(carries));
        section.caps(&caps);
        if !encumbrance.is_empty() {
            section.line("encumbrance", format!("[{}]", encumbrance.join(", ")));
        }
        self.table("holder", id, &section)
    }

    /// What holds for each holder of a group.
    pub fn group(self, id: &str, settings: impl FnOnce(GroupBuilder) -> GroupBuilder) -> Self {
        let GroupBuilder { mut section, caps } = settings(GroupBuilder::default());
        section.caps(&caps);
        self.table("group", id, &section)
    }

    /// A deal: lots, or items at a price.
    pub fn deal(self, id: &str, settings: impl FnOnce(DealBuilder) -> DealBuilder) -> Self {
        let DealBuilder { section } = settings(DealBuilder::default());
        self.table("deal", id, &section)
    }

    /// A recipe: items of a container that change into others.
    pub fn recipe(self, id: &str, settings: impl FnOnce(RecipeBuilder) -> RecipeBuilder) -> Self {
        let RecipeBuilder { mut section, yields } = settings(RecipeBuilder::default());
        if !yields.is_empty() {
            section.line("yields", format!("[{}]", yields.join(", ")));
        }
        self.table("recipe", id, &section)
    }

    /// A number property of kinds falls with time, of every stack: by this much at each tick that
    /// `every` divides, until it is at the minimum.
    pub fn falling(self, property: &str, by: Decimal, every: u32, min: Decimal) -> Self {
        let mut section = Section::default();
        section.line("falls", format!("{{ by = {by}, every = {every}, min = {min} }}"));
        self.table("property", property, &section)
    }

    /// A change: stacks that become something else as soon as a filter admits them.
    pub fn change(self, id: &str, settings: impl FnOnce(ChangeBuilder) -> ChangeBuilder) -> Self {
        let ChangeBuilder { section } = settings(ChangeBuilder::default());
        self.table("change", id, &section)
    }

    /// The contents of a place at the start, each as in `2 ration-box` or `1 ice-core
    /// (contaminated)`.
    pub fn start<'a>(mut self, place: &str, contents: impl IntoIterator<Item = &'a str>) -> Self {
        let _ = writeln!(self.start, "{} = {}", quoted(place), list(contents));
        self
    }

    /// The ruleset as the text of a file.
    #[must_use]
    pub fn to_toml(&self) -> String {
        let mut text = format!("format = 1\n{}{}", self.head.0, self.tables);
        if !self.start.is_empty() {
            text.push_str("\n[start]\n");
            text.push_str(&self.start);
        }
        text
    }

    /// Checks and compiles it.
    ///
    /// # Errors
    /// Every error, with its place in [`RulesetBuilder::to_toml`].
    pub fn build(self) -> Result<super::Ruleset, super::RulesetErrors> {
        super::Ruleset::from_toml("ruleset in code", &self.to_toml())
    }
}

/// Settings of a tag.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct TagBuilder(Section);

impl TagBuilder {
    /// The name that players see.
    pub fn label(mut self, label: &str) -> Self {
        self.0.line("label", quoted(label));
        self
    }

    /// A short note.
    pub fn note(mut self, note: &str) -> Self {
        self.0.line("note", quoted(note));
        self
    }

    /// The stack limit of kinds with this tag that have none of their own.
    pub fn stack_limit(mut self, limit: u32) -> Self {
        self.0.line("stack-limit", limit);
        self
    }
}

/// Settings of a mark.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct MarkBuilder(Section);

impl MarkBuilder {
    /// The name that players see.
    pub fn label(mut self, label: &str) -> Self {
        self.0.line("label", quoted(label));
        self
    }

    /// A short note.
    pub fn note(mut self, note: &str) -> Self {
        self.0.line("note", quoted(note));
        self
    }
}

/// Settings of a kind.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct KindBuilder(Section);

impl KindBuilder {
    /// The name that players see.
    pub fn name(mut self, name: &str) -> Self {
        self.0.line("name", quoted(name));
        self
    }

    /// A short note.
    pub fn note(mut self, note: &str) -> Self {
        self.0.line("note", quoted(note));
        self
    }

    /// Its tags.
    pub fn tags<'a>(mut self, tags: impl IntoIterator<Item = &'a str>) -> Self {
        self.0.line("tags", list(tags));
        self
    }

    /// The weight of one item.
    pub fn weight(mut self, weight: Decimal) -> Self {
        self.0.line("weight", weight);
        self
    }

    /// The value of one item.
    pub fn value(mut self, value: Decimal) -> Self {
        self.0.line("value", value);
        self
    }

    /// The maximum number of items of a stack.
    pub fn stack_limit(mut self, limit: u32) -> Self {
        self.0.line("stack-limit", limit);
        self
    }

    /// The maximum number of items in the world, in hands and packs too.
    pub fn max_in_world(mut self, most: u32) -> Self {
        self.0.line("most-in-world", most);
        self
    }

    /// Its items cannot be dropped or destroyed.
    pub fn protected(mut self) -> Self {
        self.0.line("protected", true);
        self
    }

    /// The kind is a pack: each item has an instance of this container inside.
    pub fn pack(mut self, container: &str) -> Self {
        self.0.line("pack", quoted(container));
        self
    }

    /// The named slots that an item occupies, all of them.
    pub fn occupies_slots<'a>(mut self, slots: impl IntoIterator<Item = &'a str>) -> Self {
        self.0.line("occupies-slots", list(slots));
        self
    }

    /// A worn item adds to this attribute of its holder.
    pub fn attribute(mut self, name: &str, each: Decimal) -> Self {
        self.0.line(&format!("attributes.{}", quoted(name)), each);
        self
    }

    /// Holders can use an item: it is used up, and changes their meters by these numbers.
    pub fn use_effects<'a>(mut self, effects: impl IntoIterator<Item = (&'a str, Decimal)>) -> Self {
        self.0.line("use", format!("{{ effects = {} }}", numbers(effects)));
        self
    }

    /// Holders can use an item: it stays, each use lowers its properties by these numbers, and changes
    /// their meters by the others.
    pub fn use_lowers<'a>(
        mut self,
        lowers: impl IntoIterator<Item = (&'a str, Decimal)>,
        effects: impl IntoIterator<Item = (&'a str, Decimal)>,
    ) -> Self {
        let (lowers, effects) = (numbers(lowers), numbers(effects));
        self.0.line("use", format!("{{ lowers = {lowers}, effects = {effects} }}"));
        self
    }

    /// A number property with its initial value.
    pub fn property(mut self, name: &str, value: Decimal) -> Self {
        self.0.line(&format!("properties.{}", quoted(name)), value);
        self
    }

    /// A text property.
    pub fn text_property(mut self, name: &str, value: &str) -> Self {
        self.0.line(&format!("properties.{}", quoted(name)), quoted(value));
        self
    }
}

/// Settings of a container.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct ContainerBuilder {
    section: Section,
    slots: Vec<String>,
    caps: Vec<String>,
}

impl ContainerBuilder {
    /// The name that players see.
    pub fn name(mut self, name: &str) -> Self {
        self.section.line("name", quoted(name));
        self
    }

    /// A short note.
    pub fn note(mut self, note: &str) -> Self {
        self.section.line("note", quoted(note));
        self
    }

    /// The number of slots.
    pub fn slots(mut self, slots: u32) -> Self {
        self.section.line("slots", slots);
        self
    }

    /// The number of columns in drawings.
    pub fn columns(mut self, columns: u32) -> Self {
        self.section.line("columns", columns);
        self
    }

    /// The maximum number of items of any stack in it.
    pub fn stack_limit(mut self, limit: u32) -> Self {
        self.section.line("stack-limit", limit);
        self
    }

    /// The maximum weight of its contents.
    pub fn weight_cap(mut self, cap: Decimal) -> Self {
        self.section.line("weight-cap", cap);
        self
    }

    /// The filter for its contents.
    pub fn admits(mut self, filter: &str) -> Self {
        self.section.line("admits", quoted(filter));
        self
    }

    /// A maximum number of items that match a filter.
    pub fn cap(mut self, of: &str, count: u32) -> Self {
        self.caps.push(cap(of, count));
        self
    }

    /// Who may put items in: `anyone`, `owner`, `nobody`, holders or groups.
    pub fn put_by<'a>(mut self, who: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("put-by", list(who));
        self
    }

    /// Who may take items out.
    pub fn take_by<'a>(mut self, who: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("take-by", list(who));
        self
    }

    /// Who may open it, and rearrange its contents.
    pub fn open_by<'a>(mut self, who: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("open-by", list(who));
        self
    }

    /// The holder that owns it at the start.
    pub fn owner(mut self, holder: &str) -> Self {
        self.section.line("owner", quoted(holder));
        self
    }

    /// Holders cannot put items in.
    pub fn no_put(self) -> Self {
        self.put_by(["nobody"])
    }

    /// Holders cannot take items out.
    pub fn no_take(self) -> Self {
        self.take_by(["nobody"])
    }

    /// A named slot with a filter. Named slots come first, in this order.
    pub fn named_slot(mut self, name: &str, admits: &str) -> Self {
        self.slots.push(format!("{{ name = {}, admits = {} }}", quoted(name), quoted(admits)));
        self
    }

    /// A slot with its own rules. Such slots come first, in this order.
    pub fn slot(mut self, settings: impl FnOnce(SlotBuilder) -> SlotBuilder) -> Self {
        let built = settings(SlotBuilder::default());
        self.slots.push(format!("{{ {} }}", built.0.join(", ")));
        self
    }

    /// Its filter also checks the contents of packs.
    pub fn deep(mut self) -> Self {
        self.section.line("deep", true);
        self
    }

    /// A stack that no longer matches the filter after a change is moved out.
    pub fn ejects_unfit(mut self) -> Self {
        self.section.line("when-unfit", quoted("eject"));
        self
    }

    /// What a `put` tries, in order.
    pub fn on_put(mut self, ways: impl IntoIterator<Item = PutMode>) -> Self {
        self.section.line("on-put", list(ways.into_iter().map(PutMode::word)));
        self
    }

    /// Empty slots with their own filter are filled first.
    pub fn reserved_first(mut self) -> Self {
        self.section.line("reserved-first", true);
        self
    }

    /// A holder must open it before using it.
    pub fn must_open(mut self) -> Self {
        self.section.line("must-open", true);
        self
    }

    /// Only one holder at a time can have it open and use it.
    pub fn exclusive(mut self) -> Self {
        self.section.line("exclusive", true);
        self
    }

    /// It can be resized between these numbers of slots.
    pub fn resizable(mut self, least: u32, most: u32) -> Self {
        self.section.line("min-slots", least);
        self.section.line("max-slots", most);
        self
    }

    /// Its contents are worn.
    pub fn worn(mut self) -> Self {
        self.section.line("worn", true);
        self
    }

    /// The names of its copies in the world.
    pub fn copies<'a>(mut self, names: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("copies", list(names));
        self
    }
}

/// Settings of a slot.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct SlotBuilder(Vec<String>);

impl SlotBuilder {
    fn key(mut self, key: &str, value: impl Display) -> Self {
        self.0.push(format!("{key} = {value}"));
        self
    }

    /// Its name in paths.
    pub fn name(self, name: &str) -> Self {
        self.key("name", quoted(name))
    }

    /// The name that players see.
    pub fn label(self, label: &str) -> Self {
        self.key("label", quoted(label))
    }

    /// The filter for its contents.
    pub fn admits(self, filter: &str) -> Self {
        self.key("admits", quoted(filter))
    }

    /// The maximum number of items of a stack in it.
    pub fn stack_limit(self, limit: u32) -> Self {
        self.key("stack-limit", limit)
    }

    /// Who may put items in, besides what the container says.
    pub fn put_by<'a>(self, who: impl IntoIterator<Item = &'a str>) -> Self {
        self.key("put-by", list(who))
    }

    /// Who may take items out, besides what the container says.
    pub fn take_by<'a>(self, who: impl IntoIterator<Item = &'a str>) -> Self {
        self.key("take-by", list(who))
    }
}

fn cap(of: &str, count: u32) -> String {
    format!("{{ of = {}, count = {count} }}", quoted(of))
}

/// Settings of a deal.
///
/// ```
/// use hypotheke::{Rounding, Ruleset};
///
/// let rules = Ruleset::builder()
///     .kind("coin", |coin| coin.stack_limit(50))
///     .kind("tin", |tin| tin.value("2.5".parse().unwrap()))
///     .container("stall", |stall| stall.slots(4))
///     .deal("tins", |deal| deal.at(["stall"]).of("tin").currency("coin").buy("1.25".parse().unwrap(), Rounding::Up))
///     .build()?;
/// let tin = rules.find_kind("tin").unwrap();
/// let (deal, lot) = rules.deal_for(hypotheke::DealSide::Buy, tin, "stall").unwrap();
/// assert_eq!((deal.id(), lot.gives[0].1), ("tins", 4));
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct DealBuilder {
    section: Section,
}

impl DealBuilder {
    /// The containers in the world at which it is made.
    pub fn at<'a>(mut self, containers: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("at", list(containers));
        self
    }

    /// Who may make it.
    pub fn by<'a>(mut self, who: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("by", list(who));
        self
    }

    /// What the container gives, as in `2 tin`.
    pub fn gives<'a>(mut self, items: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("gives", list(items));
        self
    }

    /// What the container takes for that.
    pub fn takes<'a>(mut self, items: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("takes", list(items));
        self
    }

    /// The kinds that have a price.
    pub fn of(mut self, filter: &str) -> Self {
        self.section.line("of", quoted(filter));
        self
    }

    /// The kind that is paid with.
    pub fn currency(mut self, kind: &str) -> Self {
        self.section.line("currency", quoted(kind));
        self
    }

    /// The price at which holders buy: the value times a factor.
    pub fn buy(mut self, factor: Decimal, round: Rounding) -> Self {
        self.section.line("buy", price(factor, round));
        self
    }

    /// The price at which holders sell.
    pub fn sell(mut self, factor: Decimal, round: Rounding) -> Self {
        self.section.line("sell", price(factor, round));
        self
    }

    /// The container that is paid into and out of.
    pub fn coins_to(mut self, container: &str) -> Self {
        self.section.line("coins-to", quoted(container));
        self
    }

    /// It takes from and puts into containers that nobody may take from or put into.
    pub fn use_nobody(mut self) -> Self {
        self.section.line("use-nobody", true);
        self
    }
}

/// Settings of a recipe.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct RecipeBuilder {
    section: Section,
    yields: Vec<String>,
}

impl RecipeBuilder {
    /// The containers in the world at which it is carried out.
    pub fn at<'a>(mut self, containers: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("at", list(containers));
        self
    }

    /// Who may carry it out.
    pub fn by<'a>(mut self, who: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("by", list(who));
        self
    }

    /// What is used up, as in `2 snow`.
    pub fn inputs<'a>(mut self, items: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("inputs", list(items));
        self
    }

    /// Rows of slots, from the top: kinds, tags, words of the legend, `.` for an empty slot.
    pub fn pattern<'a>(mut self, rows: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("pattern", list(rows));
        self
    }

    /// A word of the pattern, and the filter that it stands for.
    pub fn legend(mut self, word: &str, filter: &str) -> Self {
        self.section.line(&format!("legend.{}", quoted(word)), quoted(filter));
        self
    }

    /// The pattern also matches with left and right exchanged.
    pub fn mirrored(mut self) -> Self {
        self.section.line("mirrored", true);
        self
    }

    /// What must be there besides, and stays.
    pub fn tools<'a>(mut self, items: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("tools", list(items));
        self
    }

    /// The items that enter the container, or that of [`outputs_to`](RecipeBuilder::outputs_to).
    pub fn outputs<'a>(mut self, items: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("outputs", list(items));
        self
    }

    /// One of the things that it may make besides its outputs, and its share of the draws. One of
    /// all that are named is drawn each time.
    pub fn possible_yield<'a>(mut self, weight: u32, items: impl IntoIterator<Item = &'a str>) -> Self {
        self.yields.push(format!("{{ weight = {weight}, outputs = {} }}", list(items)));
        self
    }

    /// Another container in the world, which the outputs enter.
    pub fn outputs_to(mut self, container: &str) -> Self {
        self.section.line("outputs-to", quoted(container));
        self
    }

    /// It may have no inputs, and only the game carries it out.
    pub fn loot(mut self) -> Self {
        self.section.line("loot", true);
        self
    }

    /// The number of ticks that it takes.
    pub fn duration(mut self, ticks: u32) -> Self {
        self.section.line("duration", ticks);
        self
    }

    /// It starts as soon as it has its inputs and tools, and holds its outputs until there is room.
    pub fn automatic(mut self) -> Self {
        self.section.line("automatic", true);
        self
    }

    /// What happens at its start if there is no room for its outputs.
    pub fn when_full(mut self, when_full: WhenFull) -> Self {
        self.section.line("when-full", quoted(when_full.word()));
        self
    }
}

/// Settings of a change.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct ChangeBuilder {
    section: Section,
}

impl ChangeBuilder {
    /// The filter of the stacks that it changes.
    pub fn when(mut self, filter: &str) -> Self {
        self.section.line("when", quoted(filter));
        self
    }

    /// They become items of this kind.
    pub fn becomes(mut self, kind: &str) -> Self {
        self.section.line("becomes", quoted(kind));
        self
    }

    /// They get this mark.
    pub fn mark(mut self, mark: &str) -> Self {
        self.section.line("mark", quoted(mark));
        self
    }

    /// They are removed.
    pub fn remove(mut self) -> Self {
        self.section.line("remove", true);
        self
    }
}

/// An inline table of numbers by name.
fn numbers<'a>(numbers: impl IntoIterator<Item = (&'a str, Decimal)>) -> String {
    let written = numbers.into_iter().map(|(name, number)| format!("{} = {number}", quoted(name)));
    format!("{{ {} }}", written.collect::<Vec<_>>().join(", "))
}

fn price(factor: Decimal, round: Rounding) -> String {
    format!("{{ factor = {factor}, round = {} }}", quoted(round.word()))
}

/// Settings of a group of holders.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct GroupBuilder {
    section: Section,
    caps: Vec<String>,
}

impl GroupBuilder {
    /// A maximum number of items that match a filter, for each member.
    pub fn cap(mut self, of: &str, count: u32) -> Self {
        self.caps.push(cap(of, count));
        self
    }

    /// The maximum weight that each member carries.
    pub fn weight_cap(mut self, cap: Decimal) -> Self {
        self.section.line("weight-cap", cap);
        self
    }
}

/// Settings of a holder.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct HolderBuilder {
    section: Section,
    caps: Vec<String>,
    encumbrance: Vec<String>,
}

impl HolderBuilder {
    /// The name that players see.
    pub fn name(mut self, name: &str) -> Self {
        self.section.line("name", quoted(name));
        self
    }

    /// A short note.
    pub fn note(mut self, note: &str) -> Self {
        self.section.line("note", quoted(note));
        self
    }

    /// A maximum number of items that match a filter.
    pub fn cap(mut self, of: &str, count: u32) -> Self {
        self.caps.push(cap(of, count));
        self
    }

    /// An encumbrance step: from this weight on, the label.
    pub fn encumbrance(mut self, from: Decimal, label: &str) -> Self {
        self.encumbrance.push(format!("{{ at = {from}, label = {} }}", quoted(label)));
        self
    }

    /// A number that each holder has, such as warmth: its start, its minimum and its maximum, and
    /// what happens where a use would bring it beyond them.
    pub fn meter(mut self, name: &str, start: Decimal, bounds: RangeInclusive<Decimal>, beyond: Beyond) -> Self {
        let (min, max, beyond) = (bounds.start(), bounds.end(), quoted(beyond.word()));
        let value = format!("{{ start = {start}, min = {min}, max = {max}, beyond = {beyond} }}");
        self.section.line(&format!("meters.{}", quoted(name)), value);
        self
    }

    /// The names of the holders that the world begins with, instead of its own.
    pub fn copies<'a>(mut self, names: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("copies", list(names));
        self
    }

    /// The groups that it is in.
    pub fn groups<'a>(mut self, names: impl IntoIterator<Item = &'a str>) -> Self {
        self.section.line("groups", list(names));
        self
    }

    /// The number of shortcuts.
    pub fn shortcuts(mut self, shortcuts: u32) -> Self {
        self.section.line("shortcuts", shortcuts);
        self
    }

    /// A shortcut keeps its kind when the holder has no more items of it.
    pub fn keep_depleted_shortcuts(mut self) -> Self {
        self.section.line("depleted-shortcuts", quoted("keep"));
        self
    }

    /// The maximum weight that it carries.
    pub fn weight_cap(mut self, cap: Decimal) -> Self {
        self.section.line("weight-cap", cap);
        self
    }
}
