//! The types for the JSON Schema of a save. The library reads and writes saves.
#![allow(dead_code, reason = "these types are read by the schema only")]

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Deserialize;

/// A save of a world, or a transfer record. It is loaded only if its checksum matches its contents.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
#[schemars(rename = "Save")]
pub(crate) struct SaveFile {
    /// The version of the format.
    #[schemars(range(min = 4, max = 4))]
    format: u32,
    ruleset: RulesetInfo,
    /// The shape of the ruleset, for migrations.
    #[serde(default)]
    outline: Outline,
    /// The departure, for a transfer record.
    departure: Option<Departure>,
    counters: Counters,
    /// Holders, in order of arrival.
    holders: Vec<Bearer>,
    /// The containers of the world, then those of holders, then the insides of packs.
    containers: Vec<Place>,
    /// The stacks, in the order of the containers, then in hands, then on the ground.
    stacks: Vec<Lying>,
    /// The numbers of items of each kind that entered and left the world.
    totals: BTreeMap<String, KindTotals>,
    /// The latest applied requests with an id, and their results.
    requests: Vec<serde_json::Value>,
    /// Contents that the ruleset does not know.
    #[serde(default)]
    orphans: Vec<Orphan>,
    /// The CRC-32 of everything before it, without line ends and blanks around lines, in eight
    /// hexadecimal digits.
    #[schemars(regex(pattern = "^[0-9a-f]{8}$"))]
    checksum: String,
}

/// The ruleset of the save.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct RulesetInfo {
    /// Its title.
    title: String,
    /// Its version.
    version: u32,
    /// Its fingerprint: equal for rulesets of the same meaning.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    fingerprint: String,
}

/// The shape of the ruleset, for migrations.
#[derive(Debug, Default, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Outline {
    /// The containers and holders that have departed.
    #[serde(default)]
    departed: Vec<String>,
    /// The names of slots, in order, of containers that have any.
    #[serde(default)]
    slot_names: BTreeMap<String, Vec<Option<String>>>,
}

/// Contents that the ruleset does not know. They are restored when a ruleset knows them again.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum Orphan {
    /// A stack, and its former place.
    Stack(OrphanStack),
    /// Marks and properties of a stack in the world.
    Variant(OrphanVariant),
    /// A shortcut.
    Shortcut(OrphanShortcut),
    /// A meter of a holder.
    Meter(OrphanMeter),
    /// The totals of a kind.
    Totals(OrphanTotals),
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct OrphanStack {
    /// `sled/3`, `surveyor.hand`, `#12/0` in the pack with that id, `ground`.
    r#in: String,
    /// The position, for a stack on the ground.
    at: Option<Position>,
    stack: BareStack,
    /// For a pack: its number of slots.
    slots: Option<u32>,
}

/// A stack without its place.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct BareStack {
    id: String,
    kind: String,
    count: u32,
    #[serde(default)]
    marks: Vec<String>,
    #[serde(default)]
    properties: BTreeMap<String, String>,
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct OrphanVariant {
    /// The stack.
    stack: String,
    /// Its number of items.
    count: u32,
    #[serde(default)]
    marks: Vec<String>,
    #[serde(default)]
    properties: BTreeMap<String, String>,
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct OrphanShortcut {
    holder: String,
    shortcut: u32,
    kind: String,
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct OrphanMeter {
    holder: String,
    meter: String,
    value: String,
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct OrphanTotals {
    kind: String,
    totals: KindTotals,
}

/// Counters.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Counters {
    /// The number of the world.
    world: u32,
    /// The number of applied operations.
    revision: u64,
    /// The number of the next stack id.
    next_stack: u64,
    /// The state of the random numbers.
    #[schemars(regex(pattern = "^[0-9a-f]{64}$"))]
    random: String,
    /// The number of ticks that have passed.
    #[serde(default)]
    clock: u64,
    /// The minimum number of the next departure.
    departures: u64,
    /// The latest arrival of each name.
    arrivals: Vec<PastArrival>,
}

/// The latest arrival of a name, or one departure, as in earlier saves.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(untagged, deny_unknown_fields)]
enum PastArrival {
    One(Departure),
    Latest { name: String, number: u64 },
}

/// A departure from a world.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Departure {
    world: u32,
    number: u64,
}

/// A holder without its contents.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Bearer {
    /// Its name.
    name: String,
    /// Its definition in the ruleset.
    definition: String,
    /// The slot that the stack in its hand came from.
    origin: Option<String>,
    /// The kinds of its shortcuts.
    #[serde(default)]
    shortcuts: Vec<Option<String>>,
    /// The values of its meters.
    #[serde(default)]
    meters: BTreeMap<String, String>,
}

/// A container without its contents.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Place {
    /// `sled`, `surveyor.pockets`, or the id of a pack for its inside.
    name: String,
    /// Its definition in the ruleset; null for the inside of a pack.
    definition: Option<String>,
    /// The number of its slots.
    slots: u32,
    /// Its owner, or `nobody`, if that is not the owner in the ruleset.
    owner: Option<String>,
    /// The holders that have opened it.
    #[serde(default)]
    opened_by: Vec<String>,
    /// The recipe that it works on.
    job: Option<Job>,
}

/// A recipe that a container works on.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Job {
    /// The recipe.
    recipe: String,
    /// How often it is carried out at once.
    times: u32,
    /// The number of ticks until it ends; 0 if it waits for room.
    left: u64,
    /// Which of the yields of the recipe it makes, from 1 on.
    r#yield: Option<u32>,
}

/// A stack and its place.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Lying {
    /// A container, a hand as `surveyor.hand`, or `ground`.
    r#in: String,
    /// The slot of the container.
    slot: Option<u32>,
    /// The position, for a stack on the ground.
    at: Option<Position>,
    /// Its id.
    id: String,
    /// The kind of its items.
    kind: String,
    /// The number of its items.
    count: u32,
    /// Its marks.
    #[serde(default)]
    marks: Vec<String>,
    /// Its properties, if they differ from those of the kind.
    #[serde(default)]
    properties: BTreeMap<String, String>,
    /// The container works on it, and it came from the slot.
    #[serde(default)]
    in_work: bool,
}

/// A position on the ground.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Position {
    x: String,
    y: String,
}

/// The numbers of items of a kind that entered and left the world.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct KindTotals {
    created: u64,
    consumed: u64,
    #[serde(default)]
    arrived: u64,
    #[serde(default)]
    departed: u64,
}
