//! The JSON that `check` and `compare` write for saves.

use hypotheke::Violation;
use hypotheke::save::{ItemChange, Save, SaveChanges};
use schemars::JsonSchema;
use serde::Serialize;

/// The result of an audit of a save.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CheckSaveJson {
    /// The title of the ruleset with which it was saved.
    title: String,
    /// The version of that ruleset.
    version: u32,
    /// The fingerprint of that ruleset.
    fingerprint: String,
    /// The number of operations that were applied.
    revision: u64,
    /// The law violations.
    violations: Vec<ViolationJson>,
}

/// A law violation.
#[derive(Debug, Serialize, JsonSchema)]
struct ViolationJson {
    /// The law.
    law: &'static str,
    /// The place, as paths write it.
    place: String,
    /// The violation in words.
    message: String,
    /// The value and the limit, if the law has figures.
    figures: Option<(String, String)>,
}

impl CheckSaveJson {
    pub(crate) fn new(save: &Save, violations: &[Violation]) -> CheckSaveJson {
        let violation = |violation: &Violation| ViolationJson {
            law: violation.law().code(),
            place: violation.place().to_owned(),
            message: violation.message().to_owned(),
            figures: violation.figures().map(|(is, may)| (is.to_string(), may.to_string())),
        };
        CheckSaveJson {
            title: save.rules().title.clone(),
            version: save.rules().version,
            fingerprint: save.rules().fingerprint.clone(),
            revision: save.snapshot().revision,
            violations: violations.iter().map(violation).collect(),
        }
    }
}

/// The differences between two saves.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct CompareSavesJson {
    /// The items that the whole world gained or lost.
    totals: Vec<ItemJson>,
    /// The items that each place gained or lost.
    places: Vec<PlaceJson>,
}

/// The items that a place gained or lost.
#[derive(Debug, Serialize, JsonSchema)]
struct PlaceJson {
    /// A container, a hand, the inside of a pack by its id, or the ground.
    place: String,
    /// The items, by kind, marks and properties.
    items: Vec<ItemJson>,
}

/// Items of the same kind, marks and properties.
#[derive(Debug, Serialize, JsonSchema)]
struct ItemJson {
    /// The kind, with marks and properties.
    item: String,
    /// The number in the old save.
    before: u64,
    /// The number in the new save.
    after: u64,
}

impl CompareSavesJson {
    pub(crate) fn new(changes: &SaveChanges) -> CompareSavesJson {
        let item =
            |change: &ItemChange| ItemJson { item: change.item.clone(), before: change.before, after: change.after };
        let items = |changes: &[ItemChange]| changes.iter().map(item).collect();
        let place =
            |(place, changes): &(String, Vec<ItemChange>)| PlaceJson { place: place.clone(), items: items(changes) };
        CompareSavesJson { totals: items(&changes.totals), places: changes.by_place.iter().map(place).collect() }
    }
}
