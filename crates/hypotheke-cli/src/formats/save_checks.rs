//! What `saves` writes with `--format json`.

use std::collections::BTreeMap;

use hypotheke::Ruleset;
use schemars::JsonSchema;
use serde::Serialize;

use crate::findings::{Came, Checked};

/// What came of the checks of saves.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SavesJson {
    /// The ruleset.
    title: String,
    /// Its version.
    version: u32,
    /// Always the same five, in this order.
    checks: Vec<SaveCheckJson>,
}

/// One check.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaveCheckJson {
    /// `every-step`, `every-stop`, `two-servers`, `kept-saves` or `mended-rules`.
    check: String,
    /// What came of it.
    verdict: SaveVerdictJson,
    /// What was seen, in words; or why nothing was.
    told: Vec<String>,
    /// What was seen, in numbers.
    figures: BTreeMap<String, u64>,
    /// What is not as it should be.
    breach: Option<BreachJson>,
}

/// What came of a check.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
enum SaveVerdictJson {
    /// Everything was tried, and nothing was found.
    Holds,
    /// Something is not as it should be.
    Broken,
    /// It was not asked for, or there was nothing to try it on.
    NotAsked,
    /// Nothing was found, but time or an interrupt ended it before all was tried.
    CutShort,
}

/// What is not as it should be, and the way to it.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct BreachJson {
    /// What led to it, in order.
    trail: Vec<String>,
    /// What was found.
    found: String,
}

impl SavesJson {
    pub(crate) fn new(rules: &Ruleset, checks: &[Checked]) -> SavesJson {
        let checks = checks.iter().map(|check| SaveCheckJson {
            check: check.code.to_owned(),
            verdict: match check.came {
                Came::Good => SaveVerdictJson::Holds,
                Came::Bad => SaveVerdictJson::Broken,
                Came::NotAsked => SaveVerdictJson::NotAsked,
                Came::CutShort => SaveVerdictJson::CutShort,
            },
            told: check.told.clone(),
            figures: check.figures.iter().map(|(name, figure)| ((*name).to_owned(), *figure)).collect(),
            breach: check
                .breach
                .as_ref()
                .map(|breach| BreachJson { trail: breach.trail.clone(), found: breach.found.clone() }),
        });
        SavesJson { title: rules.title().to_owned(), version: rules.version(), checks: checks.collect() }
    }
}
