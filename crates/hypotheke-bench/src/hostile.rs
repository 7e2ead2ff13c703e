//! Saves of about a megabyte that are made to cost as much as they can before they are refused.

use std::collections::BTreeMap;
use std::fmt::Write;

use serde::Serialize;

/// Marks and properties.
type Variant = (Vec<String>, Vec<(String, i64)>);

/// The binary form, key by key, so that anything can be said in it.
#[derive(Default, Serialize)]
struct Body {
    ruleset: Ruleset,
    counters: Counters,
    holders: Vec<u8>,
    containers: Vec<Place>,
    tallies: BTreeMap<String, u8>,
    requests: Vec<u8>,
    kinds: Vec<String>,
    variants: Vec<Variant>,
    lying: Vec<u32>,
    gaps: Vec<u32>,
    positions: Vec<(i64, i64)>,
    ids: Vec<i64>,
    kind: Vec<u32>,
    count: Vec<u32>,
    variant: Vec<u32>,
}

#[derive(Default, Serialize)]
struct Ruleset {
    title: String,
    version: u32,
    fingerprint: String,
}

#[derive(Serialize)]
#[serde(rename_all = "kebab-case")]
struct Counters {
    world: u32,
    revision: u64,
    next_stack: u64,
    random: String,
    departures: u64,
    arrivals: Vec<u8>,
}

impl Default for Counters {
    fn default() -> Counters {
        let random = "0".repeat(64);
        Counters { world: 0, revision: 0, next_stack: 1, random, departures: 0, arrivals: Vec::new() }
    }
}

#[derive(Serialize)]
struct Place {
    name: String,
    definition: String,
    slots: u32,
}

fn binary(body: &Body) -> Vec<u8> {
    behind_head(&rmp_serde::to_vec_named(body).unwrap_or_default())
}

fn behind_head(body: &[u8]) -> Vec<u8> {
    let mut bytes = rmp_serde::to_vec(&("hypotheke-save", 1, crc32fast::hash(body))).unwrap_or_default();
    bytes.extend(body);
    bytes
}

/// A number of stacks with five bytes each.
fn stacks(count: usize) -> Body {
    let store = Place { name: "store".to_owned(), definition: "store".to_owned(), slots: u32::MAX };
    let described = u32::try_from(count).unwrap_or(u32::MAX);
    Body {
        containers: vec![store],
        kinds: vec!["rope".to_owned()],
        lying: vec![described, 0],
        gaps: vec![0; count],
        ids: vec![1; count],
        kind: vec![0; count],
        count: vec![1; count],
        variant: vec![0; count],
        ..Body::default()
    }
}

fn json(middle: &str) -> Vec<u8> {
    let counters = format!(
        "{{\"world\": 0, \"revision\": 0, \"next-stack\": 1, \"random\": \"{}\", \"departures\": 0, \"arrivals\": []}}",
        "0".repeat(64)
    );
    format!(
        "{{\"format\": 1, \"ruleset\": {{\"title\": \"\", \"version\": 1, \"fingerprint\": \"\"}}, \"counters\": {counters}, {middle}"
    )
    .into_bytes()
}

/// Each by what it does.
#[must_use]
pub fn saves() -> Vec<(&'static str, Vec<u8>)> {
    let mut last_kind = stacks(200_000);
    last_kind.kind[199_999] = 7;
    let mut marks = stacks(150_000);
    marks.variants = vec![((0..80_000).map(|_| "m".to_owned()).collect(), Vec::new())];
    marks.variant = vec![1; 150_000];
    let mut packs = String::from("\"holders\": [], \"containers\": [");
    let mut lying = String::new();
    for pack in 1..12_000 {
        let comma = if pack == 1 { "" } else { "," };
        let _ = write!(packs, "{comma}{{\"name\":\"#{pack}\",\"slots\":1}}");
        let _ = write!(
            lying,
            "{comma}{{\"in\":\"#{pack}\",\"slot\":0,\"id\":\"#{}\",\"kind\":\"a\",\"count\":1}}",
            pack + 1
        );
    }
    let packs = format!("{packs}], \"stacks\": [{lying}], \"tallies\": {{}}, \"requests\": []}}");
    let mut holders = String::from("\"holders\": [");
    for holder in 0..30_000 {
        let _ = write!(holders, "{{\"name\":\"h{holder}\",\"of\":\"h\"}},");
    }
    let mut endless = rmp_serde::to_vec_named(&stacks(10)).unwrap_or_default();
    // The last column is said to have 2^32 - 1 entries.
    endless.truncate(endless.len() - 11);
    endless.extend([0xdd, 0xff, 0xff, 0xff, 0xff]);
    endless.resize(1_000_000, 0);
    let endless = behind_head(&endless);
    let mut flipped = binary(&stacks(200_000));
    flipped[500_000] ^= 1;
    vec![
        ("the last of 200,000 stacks is of no kind", binary(&last_kind)),
        ("80,000 marks on each of 150,000 stacks", binary(&marks)),
        ("a bit is flipped in the middle", flipped),
        ("a column without an end", endless),
        ("brackets in brackets", vec![b'['; 1_000_000]),
        ("objects in objects", json(&"{\"a\":".repeat(190_000))),
        ("12,000 packs in each other, without a checksum", json(&packs)),
        ("30,000 holders and no end", json(&holders)),
        ("blanks", vec![b' '; 1_000_000]),
        ("half a letter", [json("\"holders\": [\""), vec![b'a'; 1_000_000], vec![0xc3]].concat()),
    ]
}
