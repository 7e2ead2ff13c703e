//! A save in its JSON form as types, from which its JSON Schema is made. The library reads and writes it.
#![allow(dead_code, reason = "these types are read by the schema only")]

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Deserialize;

/// A world written down. It is read back only if its checksum is that of its contents.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
#[schemars(rename = "Save")]
pub(crate) struct SaveFile {
    /// The version of the format.
    #[schemars(range(min = 1, max = 1))]
    format: u32,
    ruleset: RulesetInfo,
    /// What is told of the shape of that ruleset.
    #[serde(default)]
    outline: Outline,
    /// Which departure it is, if it is no whole world but one that has left.
    departure: Option<Departure>,
    counters: Counters,
    /// Holders, in the order in which they came.
    holders: Vec<Bearer>,
    /// Containers that stand in the world, those that holders carry, the insides of packs.
    containers: Vec<Place>,
    /// What lies where: in the order of the containers, then in hands, then on the ground in order of landing.
    stacks: Vec<Lying>,
    /// How many items of each kind came into the world and left it.
    totals: BTreeMap<String, KindTotals>,
    /// The latest requests with an id that were applied, and their answers.
    requests: Vec<serde_json::Value>,
    /// What an earlier ruleset knew and this one does not.
    #[serde(default)]
    orphans: Vec<Orphan>,
    /// The CRC-32 of all before it, line ends and the blanks at both ends of lines left out, as eight hexadecimal digits.
    #[schemars(regex(pattern = "^[0-9a-f]{8}$"))]
    checksum: String,
}

/// The ruleset under which the world was saved.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct RulesetInfo {
    /// What its designer calls it.
    title: String,
    /// The version that its designer gave it.
    version: u32,
    /// A digest of what it means.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    fingerprint: String,
}

/// The shape of a ruleset, as far as it takes to carry a save over to another.
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

/// What is kept aside until a ruleset knows it again.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum Orphan {
    /// Items, and where they lay.
    Stack(OrphanStack),
    /// Marks and properties of a stack that is there.
    Variant(OrphanVariant),
    /// What a shortcut pointed at.
    Shortcut(OrphanShortcut),
    /// How many items of a kind came and went.
    Totals(OrphanTotals),
}

#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct OrphanStack {
    /// `sled/3`, `surveyor.hand`, `#12/0` in the pack with that id, `ground`.
    r#in: String,
    /// Where on the ground.
    at: Option<Position>,
    stack: BareStack,
    /// Of a pack: how many slots its inside has.
    slots: Option<u32>,
}

/// A stack by itself.
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
    of: String,
    /// How many items it had.
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
struct OrphanTotals {
    kind: String,
    totals: KindTotals,
}

/// Numbers that go on from here.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Counters {
    /// The number of the world.
    world: u32,
    /// How many operations were applied.
    revision: u64,
    /// The number of the next stack.
    next_stack: u64,
    /// Where random numbers stand.
    #[schemars(regex(pattern = "^[0-9a-f]{64}$"))]
    random: String,
    /// The lowest number that the next departure may get.
    departures: u64,
    /// The latest departure that has arrived here under each name.
    arrivals: Vec<PastArrival>,
}

/// The latest departure that has arrived under a name; or one by itself, as saves of an earlier time list them.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(untagged, deny_unknown_fields)]
enum PastArrival {
    One(Departure),
    Latest { name: String, number: u64 },
}

/// Which departure from which world.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Departure {
    world: u32,
    number: u64,
}

/// A holder without what it carries.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Bearer {
    /// What it is called.
    name: String,
    /// Which of the ruleset's holders it is.
    of: String,
    /// The slot from which what is in its hand came.
    origin: Option<String>,
    /// The kinds at which its shortcuts point.
    #[serde(default)]
    shortcuts: Vec<Option<String>>,
}

/// A container without what lies in it.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct Place {
    /// `sled`, `surveyor.pockets`, or the id of the pack whose inside it is.
    name: String,
    /// Which of the ruleset's containers it is; nothing for the inside of a pack.
    of: Option<String>,
    /// How many slots it has.
    slots: u32,
    /// The holders that have opened it.
    #[serde(default)]
    opened_by: Vec<String>,
}

/// A stack and where it lies.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Lying {
    /// A container, a hand as `surveyor.hand`, or `ground`.
    r#in: String,
    /// The slot of the container.
    slot: Option<u32>,
    /// Where on the ground.
    at: Option<Position>,
    /// Its id.
    id: String,
    /// The kind of its items.
    kind: String,
    /// How many they are.
    count: u32,
    /// Its marks.
    #[serde(default)]
    marks: Vec<String>,
    /// Those of its properties that differ from the kind's.
    #[serde(default)]
    properties: BTreeMap<String, String>,
}

/// A place on the ground.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
struct Position {
    x: String,
    y: String,
}

/// How many items of a kind came and went.
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
