//! The ruleset file as types, from which its JSON Schema is made. What names mean is checked by the
//! library; the schema knows which keys there are and what they may hold, so that editors can
//! complete and check them.
#![allow(dead_code, reason = "these types are read by the schema only")]

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;

/// A ruleset of Hypotheke.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
#[schemars(rename = "Ruleset")]
pub(crate) struct RulesetFile {
    /// The format of this file.
    #[schemars(range(min = 1, max = 1))]
    format: Option<u32>,
    /// The title of the ruleset.
    title: Option<String>,
    /// The version of the ruleset. Raise it when you rename or remove something.
    #[schemars(range(min = 1))]
    version: Option<u32>,
    /// The units of the figures.
    units: Option<Units>,
    /// CSV tables of kinds. The paths are relative to this file.
    tables: Option<Vec<String>>,
    /// The stack limit of kinds that have none from themselves or their tags.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
    /// The maximum nesting of packs; 8 by default.
    #[schemars(range(min = 1, max = 32))]
    nesting: Option<u32>,
    /// The maximum number of stacks on the ground.
    #[schemars(range(min = 1))]
    ground_limit: Option<u32>,
    /// The number of requests with an id that a world remembers.
    #[schemars(range(min = 1))]
    request_window: Option<u32>,
    /// How saves of earlier rulesets are migrated.
    migration: Option<Migration>,
    /// Claims for `hypotheke explore`.
    claims: Option<Claims>,
    /// Tags, by name.
    tag: Option<BTreeMap<String, Tag>>,
    /// Marks, by name.
    mark: Option<BTreeMap<String, Mark>>,
    /// Properties that fall with time, by name.
    property: Option<BTreeMap<String, Property>>,
    /// Item kinds, by id.
    kind: Option<BTreeMap<String, Kind>>,
    /// Containers, by name.
    container: Option<BTreeMap<String, Container>>,
    /// Holders, by name.
    holder: Option<BTreeMap<String, Holder>>,
    /// What holds for each holder of a group, by the name of the group.
    group: Option<BTreeMap<String, Group>>,
    /// Deals, by name.
    deal: Option<BTreeMap<String, Deal>>,
    /// Recipes, by name.
    recipe: Option<BTreeMap<String, Recipe>>,
    /// Changes of stacks, by name.
    change: Option<BTreeMap<String, Change>>,
    /// The contents of a new world: for each place a list such as `["2 ration-box"]`.
    start: Option<BTreeMap<String, Vec<String>>>,
}

/// The units of the figures.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Units {
    /// The unit of weights, such as `kg`.
    weight: Option<String>,
}

/// Claims, in the sentences of a claims file.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Claims {
    /// The scope of the search, such as `verbs move, swap`; without it, everything.
    explore: Option<Vec<String>>,
    /// Checks that hold in every state.
    always: Option<Vec<String>>,
    /// Operations that are never applied.
    forbidden: Option<Vec<String>>,
    /// Checks that hold in at least one state.
    possible: Option<Vec<String>>,
    /// Checks that can be reached from every state.
    recoverable: Option<Vec<String>>,
}

/// How saves of earlier rulesets are migrated.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct Migration {
    /// Stacks over their stack limit.
    over_limit: Option<OverLimit>,
    /// Containers and holders over a weight cap or a cap.
    over_cap: Option<StaySpillRefuse>,
    /// Stacks in places that no longer admit them.
    not_admitted: Option<StaySpillRefuse>,
    /// Stacks in slots and containers that were removed.
    removed_places: Option<RemovedPlaces>,
    /// Items of kinds that were removed.
    unknown_kinds: Option<UnknownKinds>,
    /// The changes of each version, by its number.
    #[serde(flatten)]
    versions: BTreeMap<String, VersionChanges>,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum OverLimit {
    Stay,
    Split,
    Spill,
    Refuse,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum StaySpillRefuse {
    Stay,
    Spill,
    Refuse,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum RemovedPlaces {
    Spill,
    Ground,
    Orphan,
    Refuse,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum UnknownKinds {
    Orphan,
    Refuse,
}

/// The changes of one version, by the old names.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct VersionChanges {
    /// Renamed definitions.
    renamed: Option<Renamed>,
    /// Kinds whose items become items of a different kind.
    replaced_by: Option<BTreeMap<String, String>>,
    /// Removed containers, and where their contents go: `into CONTAINER`, `to ground` or `orphan`.
    removed: Option<BTreeMap<String, RemovedContents>>,
}

/// Where the contents of a removed container go.
#[derive(Debug, Serialize, JsonSchema)]
struct RemovedContents(#[schemars(regex(pattern = "^(into \\S+|to ground|orphan)$"))] String);

/// Renamed definitions: old name to new name.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Renamed {
    kind: Option<BTreeMap<String, String>>,
    container: Option<BTreeMap<String, String>>,
    holder: Option<BTreeMap<String, String>>,
    mark: Option<BTreeMap<String, String>>,
    property: Option<BTreeMap<String, String>>,
    recipe: Option<BTreeMap<String, String>>,
    meter: Option<BTreeMap<String, String>>,
}

/// A tag of kinds.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Tag {
    /// The name that players see.
    label: Option<String>,
    /// A short note.
    note: Option<String>,
    /// The stack limit of kinds with this tag that have none of their own.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
}

/// A label that a stack can gain or lose.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Mark {
    /// The name that players see.
    label: Option<String>,
    /// A short note.
    note: Option<String>,
}

/// An item kind.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Kind {
    /// The name that players see.
    name: Option<String>,
    /// A short note.
    note: Option<String>,
    /// Its tags, such as `sample.ice`.
    tags: Option<Vec<String>>,
    /// The weight of one item, with at most three decimal places.
    #[schemars(range(min = 0))]
    weight: Option<f64>,
    /// The value of one item.
    value: Option<f64>,
    /// The maximum number of items of a stack.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
    /// Whether items cannot be dropped or destroyed.
    protected: Option<bool>,
    /// The maximum number of items in the world.
    #[schemars(range(min = 1))]
    #[serde(rename = "most-in-world")]
    max_in_world: Option<u32>,
    /// The container inside each item: the kind is a pack.
    pack: Option<String>,
    /// The named slots that an item occupies, all of them.
    occupies_slots: Option<Vec<String>>,
    /// The attributes that a worn item adds to its holder.
    attributes: Option<BTreeMap<String, f64>>,
    /// Its properties with their initial values.
    properties: Option<BTreeMap<String, PropertyValue>>,
    /// Holders can use its items, which are used up.
    #[serde(rename = "use")]
    use_of: Option<Use>,
}

/// What a use of an item does.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Use {
    /// By how much it changes meters of the holder.
    effects: Option<BTreeMap<String, f64>>,
    /// By how much it lowers properties of the item, which then stays.
    lowers: Option<BTreeMap<String, f64>>,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
enum PropertyValue {
    Number(f64),
    Text(String),
}

/// A container.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Container {
    /// The name that players see.
    name: Option<String>,
    /// A short note.
    note: Option<String>,
    /// The number of slots.
    #[schemars(range(min = 1))]
    slots: Option<u32>,
    /// The number of columns in drawings.
    #[schemars(range(min = 1))]
    columns: Option<u32>,
    /// The maximum number of items of any stack in it.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
    /// The maximum weight of its contents.
    #[schemars(range(min = 0))]
    weight_cap: Option<f64>,
    /// The filter for its contents, such as `sample and not contaminated`.
    admits: Option<String>,
    /// Rules of single slots, in slot order.
    slot: Option<Vec<Slot>>,
    /// Whether its contents are worn by the holder.
    worn: Option<bool>,
    /// The names of its copies.
    copies: Option<Vec<String>>,
    /// Maximum numbers of items that match a filter.
    caps: Option<Vec<Cap>>,
    /// Who may put items in: `anyone`, `owner`, `nobody`, a holder, a group, or a list of them.
    put_by: Option<Who>,
    /// Who may take items out.
    take_by: Option<Who>,
    /// Who may open it, and rearrange its contents.
    open_by: Option<Who>,
    /// The holder that owns it at the start.
    owner: Option<String>,
    /// Whether its filter also checks the contents of packs.
    deep: Option<bool>,
    /// What happens to a stack that no longer matches the filter after a change.
    when_unfit: Option<WhenUnfit>,
    /// Whether empty slots with their own filter are filled first.
    reserved_first: Option<bool>,
    /// What a `put` tries, in order.
    on_put: Option<Vec<PutMode>>,
    /// Whether a holder must open it first.
    must_open: Option<bool>,
    /// Whether only one holder at a time can have it open.
    exclusive: Option<bool>,
    /// The minimum number of slots after a resize.
    #[schemars(range(min = 1))]
    min_slots: Option<u32>,
    /// The maximum number of slots after a resize.
    #[schemars(range(min = 1))]
    max_slots: Option<u32>,
}

/// One word, or a list of words.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(untagged)]
enum Who {
    One(String),
    Several(Vec<String>),
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum WhenUnfit {
    Stay,
    Eject,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum PutMode {
    Place,
    Merge,
    Swap,
}

/// A slot with a name or with its own rules.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Slot {
    /// Its name in paths.
    name: Option<String>,
    /// The name that players see.
    label: Option<String>,
    /// The filter for its contents.
    admits: Option<String>,
    /// The maximum number of items of a stack in it.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
    /// Who may put items in, besides what the container says.
    put_by: Option<Who>,
    /// Who may take items out, besides what the container says.
    take_by: Option<Who>,
}

/// A maximum number of items that match a filter.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Cap {
    /// The filter.
    of: String,
    /// The maximum number.
    #[schemars(range(min = 1))]
    count: u32,
}

/// A holder: it carries containers and acts.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Holder {
    /// The name that players see.
    name: Option<String>,
    /// A short note.
    note: Option<String>,
    /// The groups that it is in.
    groups: Option<Vec<String>>,
    /// The names of the holders that the world begins with, instead of its own.
    copies: Option<Vec<String>>,
    /// The containers that it carries, in the order in which they are filled.
    carries: Option<Vec<String>>,
    /// The maximum weight that it carries.
    #[schemars(range(min = 0))]
    weight_cap: Option<f64>,
    /// Maximum numbers of items that match a filter.
    caps: Option<Vec<Cap>>,
    /// Encumbrance steps: from a weight on, a label.
    encumbrance: Option<Vec<Encumbrance>>,
    /// The number of shortcuts.
    #[schemars(range(min = 1))]
    shortcuts: Option<u32>,
    /// What happens to a shortcut when the holder has no more items of its kind.
    depleted_shortcuts: Option<DepletedShortcut>,
    /// Numbers that each holder has, such as warmth, which uses of items change.
    meters: Option<BTreeMap<String, Meter>>,
}

/// A number between two bounds.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Meter {
    /// The value that a new holder has.
    start: f64,
    /// The minimum.
    min: f64,
    /// The maximum.
    max: f64,
    /// What happens where a use would bring it beyond a bound.
    beyond: Option<Beyond>,
}

/// What happens at a bound.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum Beyond {
    /// The meter stops there.
    Stop,
    /// The use is refused.
    Refuse,
}

/// What holds for each holder of a group, besides its own rules.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Group {
    /// The maximum weight that each member carries.
    #[schemars(range(min = 0))]
    weight_cap: Option<f64>,
    /// Maximum numbers of items that match a filter, for each member.
    caps: Option<Vec<Cap>>,
}

/// Items of a container that change into others.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Recipe {
    /// The containers at which it is carried out: one, or a list of them. Without it, with what a
    /// holder has.
    at: Option<Who>,
    /// Who may carry it out: `anyone`, `owner`, `nobody`, a holder, a group, or a list of them.
    by: Option<Who>,
    /// What is used up each time, such as `["2 snow"]`. Only loot may have none.
    inputs: Option<Vec<String>>,
    /// Instead of `inputs`, rows of slots: kinds, tags, words of `legend`, and `.` for an empty slot.
    pattern: Option<Vec<String>>,
    /// Words of the pattern, and the filters that they stand for.
    legend: Option<BTreeMap<String, String>>,
    /// The pattern also matches with left and right exchanged.
    mirrored: Option<bool>,
    /// What must be there besides, and stays.
    tools: Option<Vec<String>>,
    /// The items that enter the container each time, such as `["1 water"]`.
    outputs: Option<Vec<String>>,
    /// What it may make besides. One of them is drawn each time.
    yields: Option<Vec<Yield>>,
    /// Another container in the world, which the outputs enter. Its access lists do not count.
    outputs_to: Option<String>,
    /// Only the game carries it out, and it may have no inputs.
    loot: Option<bool>,
    /// The number of ticks that it takes.
    #[schemars(range(min = 1))]
    duration: Option<u32>,
    /// What happens at its start if there is no room for the outputs.
    when_full: Option<WhenFull>,
    /// It starts as soon as its inputs and tools are in the container.
    automatic: Option<bool>,
}

/// What a recipe makes by chance.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Yield {
    /// Its share of the draws.
    #[schemars(range(min = 1))]
    weight: u32,
    /// The items that it makes, such as `["1 rope"]`.
    outputs: Option<Vec<String>>,
}

/// What a recipe that takes time does without room for its outputs.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum WhenFull {
    /// It does not start.
    Refuse,
    /// It starts, and waits at its end until there is room.
    Hold,
}

/// A property of kinds.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Property {
    /// How it falls with time, of every stack.
    falls: Falls,
}

/// How a property falls with time.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Falls {
    /// By how much it falls each time.
    by: f64,
    /// It falls at each tick that this divides.
    #[schemars(range(min = 1))]
    every: u32,
    /// It stops here; by default at 0.
    min: Option<f64>,
}

/// What becomes of a stack as soon as a filter admits it: one of `becomes`, `mark` and `remove`.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Change {
    /// The filter.
    when: String,
    /// As many items of this kind take its place.
    becomes: Option<String>,
    /// It gets this mark.
    mark: Option<String>,
    /// It is removed.
    remove: Option<bool>,
}

/// A deal: either `gives` and `takes`, or `of`, `currency` and `buy` or `sell`.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Deal {
    /// The containers in the world at which it is made: one, or a list of them.
    at: Who,
    /// Who may make it: `anyone`, `owner`, `nobody`, a holder, a group, or a list of them.
    by: Option<Who>,
    /// What the container gives, such as `["2 ration-box"]`.
    gives: Option<Vec<String>>,
    /// What the container takes for that, such as `["25 coin"]`.
    takes: Option<Vec<String>>,
    /// The kinds that have a price, as a filter.
    of: Option<String>,
    /// The kind that is paid with.
    currency: Option<String>,
    /// The price at which holders buy.
    buy: Option<Price>,
    /// The price at which holders sell.
    sell: Option<Price>,
    /// The container that is paid into and out of; by default the one at which the deal is made.
    coins_to: Option<String>,
    /// Whether it takes from and puts into containers that nobody may take from or put into.
    use_nobody: Option<bool>,
}

/// The price of one item: its value times a factor, in whole coins.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Price {
    /// With up to three decimals.
    factor: f64,
    /// By default `up` to buy, `down` to sell.
    round: Option<Rounding>,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum Rounding {
    Up,
    Down,
}

/// An encumbrance step.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Encumbrance {
    /// The weight from which it applies.
    #[schemars(range(min = 0))]
    at: f64,
    /// Its label.
    label: String,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum DepletedShortcut {
    Clear,
    Keep,
}
