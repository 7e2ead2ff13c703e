//! What `check` and `compare` write of saves with `--format json`.

use hypotheke::Violation;
use hypotheke::save::{ItemChange, Save, SaveChanges};
use schemars::JsonSchema;
use serde::Serialize;

/// What an audit of a save found.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CheckSaveJson {
    /// The ruleset under which it was saved.
    title: String,
    /// The version of that.
    version: u32,
    /// What that means, as a digest.
    fingerprint: String,
    /// How many operations were applied.
    revision: u64,
    /// What breaks a law.
    violations: Vec<ViolationJson>,
}

/// A place where a law is broken.
#[derive(Debug, Serialize, JsonSchema)]
struct ViolationJson {
    /// The law.
    law: &'static str,
    /// The place, as paths write it.
    place: String,
    /// What is wrong there.
    message: String,
    /// What is, and what may be, where the law has figures.
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

/// What differs between two saves.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct CompareSavesJson {
    /// What was gained or lost.
    in_all: Vec<ItemJson>,
    /// What each place has more or less of.
    places: Vec<PlaceJson>,
}

/// What a place has more or less of.
#[derive(Debug, Serialize, JsonSchema)]
struct PlaceJson {
    /// A container, a hand, the inside of a pack by its id, or the ground.
    place: String,
    /// By what looks alike.
    items: Vec<ItemJson>,
}

/// Items that look alike.
#[derive(Debug, Serialize, JsonSchema)]
struct ItemJson {
    /// The kind, with marks and properties.
    item: String,
    /// How many there were.
    before: u64,
    /// How many there are.
    after: u64,
}

impl CompareSavesJson {
    pub(crate) fn new(changes: &SaveChanges) -> CompareSavesJson {
        let item =
            |change: &ItemChange| ItemJson { item: change.item.clone(), before: change.before, after: change.after };
        let items = |changes: &[ItemChange]| changes.iter().map(item).collect();
        let place =
            |(place, changes): &(String, Vec<ItemChange>)| PlaceJson { place: place.clone(), items: items(changes) };
        CompareSavesJson { in_all: items(&changes.in_all), places: changes.by_place.iter().map(place).collect() }
    }
}
