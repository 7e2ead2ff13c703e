//! The ruleset file as types, from which its JSON Schema is made. What names mean is checked by the library; the schema
//! knows which keys there are and what they may hold, so that editors can complete and check them.
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
    /// What the designer calls the ruleset.
    title: Option<String>,
    /// The version of this ruleset.
    #[schemars(range(min = 1))]
    version: Option<u32>,
    /// Units in which figures are given.
    units: Option<Units>,
    /// Tables of kinds, by their paths from this file.
    tables: Option<Vec<String>>,
    /// The stack limit of kinds that get none from themselves or their tags.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
    /// How deep packs nest; 8 if it is not said.
    #[schemars(range(min = 1, max = 32))]
    nesting: Option<u32>,
    /// How many stacks may lie on the ground.
    #[schemars(range(min = 1))]
    ground_limit: Option<u32>,
    /// How many requests with an id are remembered.
    #[schemars(range(min = 1))]
    request_window: Option<u32>,
    /// What becomes of worlds that were played by another ruleset.
    migration: Option<Migration>,
    /// What is claimed of play, whatever order it has; `hypotheke explore` finds out.
    claims: Option<Claims>,
    /// Tags, by name.
    tag: Option<BTreeMap<String, Tag>>,
    /// Marks, by name.
    mark: Option<BTreeMap<String, Mark>>,
    /// Item kinds, by id.
    kind: Option<BTreeMap<String, Kind>>,
    /// Containers, by name.
    container: Option<BTreeMap<String, Container>>,
    /// Holders, by name.
    holder: Option<BTreeMap<String, Holder>>,
    /// What lies where at the start: for each place a list such as `["2 ration-box"]`.
    start: Option<BTreeMap<String, Vec<String>>>,
}

/// Units in which figures are given.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Units {
    /// Of weights, such as `kg`.
    weight: Option<String>,
}

/// What is claimed of play, in the sentences of a file of claims.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Claims {
    /// What is played, such as `verbs move, swap`; else whatever can be.
    play: Option<Vec<String>>,
    /// What holds of every world.
    always: Option<Vec<String>>,
    /// What is never done.
    never: Option<Vec<String>>,
    /// What some world is like.
    possible: Option<Vec<String>>,
    /// What can be reached again from every world.
    recoverable: Option<Vec<String>>,
}

/// What becomes of worlds that were played by another ruleset.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
struct Migration {
    /// Of stacks over their limit.
    over_limit: Option<OverLimit>,
    /// Of containers and holders over a weight cap or a cap by filter.
    over_cap: Option<StaySpillRefuse>,
    /// Of what is no longer admitted where it lies.
    not_admitted: Option<StaySpillRefuse>,
    /// Of what lies in a container or slot that is gone.
    removed_places: Option<RemovedPlaces>,
    /// Of items of kinds that are not known any more.
    unknown_kinds: Option<UnknownKinds>,
    /// What each version changed, by its number.
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

/// What one version changed, each by its name before.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct VersionChanges {
    /// What has another name now.
    renamed: Option<Renamed>,
    /// Kinds whose items are of another kind now.
    replaced_by: Option<BTreeMap<String, String>>,
    /// Containers that have gone, and where their contents go: `into CONTAINER`, `to ground` or `orphan`.
    removed: Option<BTreeMap<String, RemovedContents>>,
}

/// Where the contents of a container go.
#[derive(Debug, Serialize, JsonSchema)]
struct RemovedContents(#[schemars(regex(pattern = "^(into \\S+|to ground|orphan)$"))] String);

/// What has another name now.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Renamed {
    kind: Option<BTreeMap<String, String>>,
    container: Option<BTreeMap<String, String>>,
    holder: Option<BTreeMap<String, String>>,
    mark: Option<BTreeMap<String, String>>,
    property: Option<BTreeMap<String, String>>,
}

/// A tag of kinds.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Tag {
    /// What players call it.
    label: Option<String>,
    /// A few words about it.
    note: Option<String>,
    /// The stack limit of kinds with this tag and none of their own.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
}

/// A label that a stack may gain or lose.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Mark {
    /// What players call it.
    label: Option<String>,
    /// A few words about it.
    note: Option<String>,
}

/// An item kind.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Kind {
    /// What players call it.
    name: Option<String>,
    /// A few words about it.
    note: Option<String>,
    /// Its tags, such as `sample.ice`.
    tags: Option<Vec<String>>,
    /// The weight of one item, with up to three decimal places.
    #[schemars(range(min = 0))]
    weight: Option<f64>,
    /// The value of one item.
    value: Option<f64>,
    /// The most items of a stack.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
    /// Whether it can't be dropped or consumed.
    is_protected: Option<bool>,
    /// The container that each stack brings along.
    pack: Option<String>,
    /// The named slots that it needs at once.
    needs: Option<Vec<String>>,
    /// What it adds to the attributes of who wears it.
    attributes: Option<BTreeMap<String, f64>>,
    /// Its properties with their first values.
    properties: Option<BTreeMap<String, PropertyValue>>,
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
    /// What players call it.
    name: Option<String>,
    /// A few words about it.
    note: Option<String>,
    /// How many slots it has.
    #[schemars(range(min = 1))]
    slots: Option<u32>,
    /// In how many columns it is laid out.
    #[schemars(range(min = 1))]
    columns: Option<u32>,
    /// The most items of any stack in it.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
    /// The most weight in it.
    #[schemars(range(min = 0))]
    weight_cap: Option<f64>,
    /// What may lie in it, such as `sample and not contaminated`.
    admits: Option<String>,
    /// Rules of single slots, in slot order.
    slot: Option<Vec<Slot>>,
    /// Whether what lies in it is worn.
    worn: Option<bool>,
    /// The names of its copies, if there are several.
    copies: Option<Vec<String>>,
    /// The most items of some sort in it.
    caps: Option<Vec<Cap>>,
    /// Whether anything may be put in.
    put: Option<bool>,
    /// Whether anything may be taken out.
    take: Option<bool>,
    /// Whether its filter is requested of what lies in packs too.
    deep: Option<bool>,
    /// What becomes of what is no longer admitted.
    when_unfit: Option<WhenUnfit>,
    /// Whether empty slots with a filter of their own are filled first.
    reserved_first: Option<bool>,
    /// What is tried, in order, when something is put here from a hand.
    on_put: Option<Vec<PutMode>>,
    /// Whether a holder must have opened it.
    must_open: Option<bool>,
    /// Whether one holder at a time has it.
    exclusive: Option<bool>,
    /// The fewest slots to which it may be resized.
    #[schemars(range(min = 1))]
    min_slots: Option<u32>,
    /// The most slots to which it may be resized.
    #[schemars(range(min = 1))]
    max_slots: Option<u32>,
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

/// A slot with a name or rules of its own.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Slot {
    /// Its name in paths.
    name: Option<String>,
    /// What players call it.
    label: Option<String>,
    /// What may lie in it.
    admits: Option<String>,
    /// The most items of a stack in it.
    #[schemars(range(min = 1))]
    stack_limit: Option<u32>,
}

/// The most items of some sort.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Cap {
    /// Which items count.
    of: String,
    /// The most of them.
    #[schemars(range(min = 1))]
    count: u32,
}

/// Who carries containers and acts.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Holder {
    /// What players call it.
    name: Option<String>,
    /// A few words about it.
    note: Option<String>,
    /// The containers that it carries, in the order in which they are filled.
    carries: Option<Vec<String>>,
    /// The most weight that it carries.
    #[schemars(range(min = 0))]
    weight_cap: Option<f64>,
    /// The most items of some sort that it carries.
    caps: Option<Vec<Cap>>,
    /// Thresholds of weight with their names.
    encumbrance: Option<Vec<Encumbrance>>,
    /// How many shortcuts it has.
    #[schemars(range(min = 1))]
    shortcuts: Option<u32>,
    /// What becomes of a shortcut when nothing is left of its kind.
    depleted_shortcuts: Option<DepletedShortcut>,
}

/// From which weight on a holder is called how.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Encumbrance {
    /// From which weight on.
    #[schemars(range(min = 0))]
    at: f64,
    /// What it is called.
    label: String,
}

#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum DepletedShortcut {
    Clear,
    Keep,
}
