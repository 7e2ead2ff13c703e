//! A large table of kinds, and the plain way to read one.

use std::fmt::Write;

use rustc_hash::FxHashMap;
use serde::Deserialize;

use crate::workload::Numbers;

/// A ruleset that names `items.csv` and has two containers with filters.
pub const RULES: &str = r#"
format = 1
tables = ["items.csv"]
[tag.fuel]
stack-limit = 4
[container.depot]
slots = 100
[container.sled]
slots = 24
weight-cap = 180
admits = "tool or food and weight <= 20"
"#;

/// A table of a number of kinds with names, notes, tags, weights, values, limits and a property.
#[must_use]
pub fn table(kinds: usize) -> String {
    let mut numbers = Numbers::new(11);
    let mut text = String::from("id,name,note,tags,weight,value,stack-limit,reach\n");
    let groups = ["food", "fuel", "tool.small", "tool.large", "sample.ice", "signal.flag"];
    for kind in 0..kinds {
        let (tag, other) = (groups[numbers.below(6)], groups[numbers.below(6)]);
        let (weight, value, limit) = (numbers.below(90_000), numbers.below(5_000), 1 + numbers.below(99));
        let reach = numbers.below(400);
        let _ = writeln!(
            text,
            "kind-{kind},Item number {kind},\"Kept dry, used often\",{tag} {other},{}.{:03},{value},{limit},{reach}",
            weight / 1_000,
            weight % 1_000
        );
    }
    text
}

/// One row, as a program that checks nothing would keep it.
#[derive(Debug, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[expect(missing_docs, reason = "the columns of the table")]
pub struct Row {
    pub id: String,
    pub name: String,
    pub note: String,
    pub tags: String,
    pub weight: f64,
    pub value: f64,
    pub stack_limit: u32,
    pub reach: f64,
}

/// Reads a table into rows and a map by id.
///
/// # Panics
/// If the table is not one.
#[must_use]
#[expect(clippy::expect_used, reason = "the table is our own")]
pub fn read_plainly(bytes: &[u8]) -> (Vec<Row>, FxHashMap<String, usize>) {
    let mut rows = Vec::new();
    let mut by_id = FxHashMap::default();
    for row in csv::Reader::from_reader(bytes).deserialize::<Row>() {
        let row = row.expect("a row");
        by_id.insert(row.id.clone(), rows.len());
        rows.push(row);
    }
    (rows, by_id)
}
