use std::fmt::{Display, Write};

use super::migration::MigrationRules;
use super::places::PutMode;
use crate::quantity::Decimal;

/// Builds a ruleset in code.
///
/// What is built is the same TOML that a file would hold, and goes in by the same door: the same checks, the same
/// messages. [`RulesetBuilder::to_toml`] shows it.
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
        // Writing to a String can't fail.
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
    /// What the designer calls the ruleset.
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

    /// The stack limit of kinds for which neither they nor their tags state one.
    pub fn stack_limit(mut self, limit: u32) -> Self {
        self.head.line("stack-limit", limit);
        self
    }

    /// So many requests that were applied and had an id are remembered, the latest.
    pub fn request_window(mut self, requests: u32) -> Self {
        self.head.line("request-window", requests);
        self
    }

    /// What becomes of worlds that were played by another ruleset, when they go over to this one.
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

    /// How deep packs may nest; a pack in no other pack is 1 deep.
    pub fn nesting(mut self, depth: u32) -> Self {
        self.head.line("nesting", depth);
        self
    }

    /// What searches verify: lines under `always`, `forbidden`, `possible`, `recoverable` or `explore`, as in a claims file.
    pub fn claims<'a>(mut self, heading: &str, lines: impl IntoIterator<Item = &'a str>) -> Self {
        self.head.line(&format!("claims.{heading}"), list(lines));
        self
    }

    /// How many stacks may lie on the ground.
    pub fn ground_limit(mut self, stacks: u32) -> Self {
        self.head.line("ground-limit", stacks);
        self
    }

    fn table(mut self, group: &str, name: &str, section: &Section) -> Self {
        let _ = writeln!(self.tables, "\n[{group}.{}]\n{}", quoted(name), section.0.trim_end());
        self
    }

    /// A tag with settings of its own. Tags without any need no mention.
    pub fn tag(self, name: &str, settings: impl FnOnce(TagBuilder) -> TagBuilder) -> Self {
        let built = settings(TagBuilder::default());
        self.table("tag", name, &built.0)
    }

    /// A mark that stacks may have.
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

    /// What lies in a place at the start, each as in `2 ration-box` or `1 ice-core (contaminated)`.
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
    /// All that is wrong with it, each with its place in [`RulesetBuilder::to_toml`].
    pub fn build(self) -> Result<super::Ruleset, super::RulesetErrors> {
        super::Ruleset::from_toml("ruleset in code", &self.to_toml())
    }
}

/// Settings of a tag.
#[derive(Clone, Debug, Default)]
#[must_use]
pub struct TagBuilder(Section);

impl TagBuilder {
    /// What players call it.
    pub fn label(mut self, label: &str) -> Self {
        self.0.line("label", quoted(label));
        self
    }

    /// A few words about it.
    pub fn note(mut self, note: &str) -> Self {
        self.0.line("note", quoted(note));
        self
    }

    /// The stack limit of kinds with this tag and none of their own.
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
    /// What players call it.
    pub fn label(mut self, label: &str) -> Self {
        self.0.line("label", quoted(label));
        self
    }

    /// A few words about it.
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
    /// What players call it.
    pub fn name(mut self, name: &str) -> Self {
        self.0.line("name", quoted(name));
        self
    }

    /// A few words about it.
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

    /// The most items of a stack.
    pub fn stack_limit(mut self, limit: u32) -> Self {
        self.0.line("stack-limit", limit);
        self
    }

    /// It can be neither consumed nor brought to the ground.
    pub fn protected(mut self) -> Self {
        self.0.line("protected", true);
        self
    }

    /// Each stack of it is one item and brings an instance of this container along.
    pub fn pack(mut self, container: &str) -> Self {
        self.0.line("pack", quoted(container));
        self
    }

    /// The named slots that it needs at once, where it lies in one of them.
    pub fn occupies_slots<'a>(mut self, slots: impl IntoIterator<Item = &'a str>) -> Self {
        self.0.line("occupies-slots", list(slots));
        self
    }

    /// It adds to an attribute of who wears it.
    pub fn attribute(mut self, name: &str, each: Decimal) -> Self {
        self.0.line(&format!("attributes.{}", quoted(name)), each);
        self
    }

    /// A number property with its first value.
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
    /// What players call it.
    pub fn name(mut self, name: &str) -> Self {
        self.section.line("name", quoted(name));
        self
    }

    /// A few words about it.
    pub fn note(mut self, note: &str) -> Self {
        self.section.line("note", quoted(note));
        self
    }

    /// How many slots it has.
    pub fn slots(mut self, slots: u32) -> Self {
        self.section.line("slots", slots);
        self
    }

    /// How many slots stand side by side where it is drawn.
    pub fn columns(mut self, columns: u32) -> Self {
        self.section.line("columns", columns);
        self
    }

    /// The most items of a stack in it.
    pub fn stack_limit(mut self, limit: u32) -> Self {
        self.section.line("stack-limit", limit);
        self
    }

    /// The most weight in it.
    pub fn weight_cap(mut self, cap: Decimal) -> Self {
        self.section.line("weight-cap", cap);
        self
    }

    /// What may enter it.
    pub fn admits(mut self, filter: &str) -> Self {
        self.section.line("admits", quoted(filter));
        self
    }

    /// At most so many items that satisfy a filter.
    pub fn cap(mut self, of: &str, count: u32) -> Self {
        self.caps.push(cap(of, count));
        self
    }

    /// Nothing may be put into it but what the game creates there.
    pub fn no_put(mut self) -> Self {
        self.section.line("put", false);
        self
    }

    /// Nothing may be taken out of it but what the game consumes.
    pub fn no_take(mut self) -> Self {
        self.section.line("take", false);
        self
    }

    /// A named slot with a filter of its own. Named slots come first, in this order.
    pub fn named_slot(mut self, name: &str, admits: &str) -> Self {
        self.slots.push(format!("{{ name = {}, admits = {} }}", quoted(name), quoted(admits)));
        self
    }

    /// A slot with rules of its own. Such slots come first, in this order.
    pub fn slot(mut self, settings: impl FnOnce(SlotBuilder) -> SlotBuilder) -> Self {
        let built = settings(SlotBuilder::default());
        self.slots.push(format!("{{ {} }}", built.0.join(", ")));
        self
    }

    /// Its filter is requested of all that comes to lie below it, in packs too.
    pub fn deep(mut self) -> Self {
        self.section.line("deep", true);
        self
    }

    /// What it no longer admits, because a mark or property has changed, is put elsewhere.
    pub fn ejects_unfit(mut self) -> Self {
        self.section.line("when-unfit", quoted("leave"));
        self
    }

    /// What is tried, in order, when something is put here from a hand.
    pub fn on_put(mut self, ways: impl IntoIterator<Item = PutMode>) -> Self {
        self.section.line("on-put", list(ways.into_iter().map(PutMode::word)));
        self
    }

    /// Empty slots with a filter of their own are filled before the others.
    pub fn reserved_first(mut self) -> Self {
        self.section.line("reserved-first", true);
        self
    }

    /// A holder must have opened it before it can use it.
    pub fn must_open(mut self) -> Self {
        self.section.line("must-open", true);
        self
    }

    /// One holder at a time may have opened it; no other can use it then.
    pub fn exclusive(mut self) -> Self {
        self.section.line("exclusive", true);
        self
    }

    /// It may be resized between these numbers of slots.
    pub fn resizable(mut self, least: u32, most: u32) -> Self {
        self.section.line("min-slots", least);
        self.section.line("max-slots", most);
        self
    }

    /// What lies in it counts as worn.
    pub fn worn(mut self) -> Self {
        self.section.line("worn", true);
        self
    }

    /// Several alike stand in the world, under these names.
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

    /// The name by which paths know it.
    pub fn name(self, name: &str) -> Self {
        self.key("name", quoted(name))
    }

    /// What players call it.
    pub fn label(self, label: &str) -> Self {
        self.key("label", quoted(label))
    }

    /// What may enter it.
    pub fn admits(self, filter: &str) -> Self {
        self.key("admits", quoted(filter))
    }

    /// The most items of a stack in it.
    pub fn stack_limit(self, limit: u32) -> Self {
        self.key("stack-limit", limit)
    }
}

fn cap(of: &str, count: u32) -> String {
    format!("{{ of = {}, count = {count} }}", quoted(of))
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
    /// What players call it.
    pub fn name(mut self, name: &str) -> Self {
        self.section.line("name", quoted(name));
        self
    }

    /// A few words about it.
    pub fn note(mut self, note: &str) -> Self {
        self.section.line("note", quoted(note));
        self
    }

    /// At most so many items that satisfy a filter.
    pub fn cap(mut self, of: &str, count: u32) -> Self {
        self.caps.push(cap(of, count));
        self
    }

    /// From which weight on it counts as what.
    pub fn encumbrance(mut self, from: Decimal, label: &str) -> Self {
        self.encumbrance.push(format!("{{ at = {from}, label = {} }}", quoted(label)));
        self
    }

    /// How many shortcuts it has.
    pub fn shortcuts(mut self, shortcuts: u32) -> Self {
        self.section.line("shortcuts", shortcuts);
        self
    }

    /// A shortcut of which nothing is left goes on pointing at its kind.
    pub fn keep_depleted_shortcuts(mut self) -> Self {
        self.section.line("depleted-shortcuts", quoted("keep"));
        self
    }

    /// The most weight that it may carry.
    pub fn weight_cap(mut self, cap: Decimal) -> Self {
        self.section.line("weight-cap", cap);
        self
    }
}
