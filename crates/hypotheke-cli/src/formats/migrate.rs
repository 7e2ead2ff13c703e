//! What `migrate` writes with `--format json`.

use hypotheke::Difference;
use schemars::JsonSchema;
use serde::Serialize;

use super::saves::CompareSavesJson;
use crate::findings::{Stage, Way};

/// Saves that were carried over.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MigrateJson {
    /// In the order in which they were named.
    pub(crate) saves: Vec<MigratedJson>,
}

/// A save that was carried over.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MigratedJson {
    /// The file.
    path: String,
    /// The version of the ruleset under which it was saved.
    version: u32,
    /// Over to each ruleset in turn.
    stages: Vec<StageJson>,
    /// Whether a ruleset refused it.
    refused: bool,
    /// What would lie elsewhere if it went to the last ruleset at once; nothing if all would lie as it does.
    direct: Option<CompareSavesJson>,
    /// How many items are kept aside in all.
    aside: u64,
    /// Where it was written.
    written: Option<String>,
    /// Where the one before is kept.
    kept: Option<String>,
}

/// Over to one ruleset.
#[derive(Debug, Serialize, JsonSchema)]
struct StageJson {
    /// What its designer calls it.
    title: String,
    /// Its version.
    version: u32,
    /// What is not as it was.
    differences: Vec<DifferenceJson>,
}

/// Something that is not as it was.
#[derive(Debug, Serialize, JsonSchema)]
struct DifferenceJson {
    /// The place, as paths write it, or the name that has changed.
    place: String,
    /// What is not as it was.
    message: String,
    /// What was done: `leave`, `split`, `spill`, `ground`, `stray`, `refuse`; nothing if it only needed telling.
    treatment: Option<&'static str>,
    /// Where it lies now, if it had to go elsewhere.
    to: Vec<String>,
}

impl MigratedJson {
    pub(crate) fn new(way: &Way) -> MigratedJson {
        let difference = |told: &Difference| DifferenceJson {
            place: told.place.clone(),
            message: told.message.clone(),
            treatment: told.treatment.map(hypotheke::MigrationPolicy::word),
            to: told.to.clone(),
        };
        let stage = |stage: &Stage| StageJson {
            title: stage.title.clone(),
            version: stage.version,
            differences: stage.differences.iter().map(difference).collect(),
        };
        let aside = way.after.iter().flat_map(|save| &save.snapshot().strays);
        let path = |path: &std::path::PathBuf| path.display().to_string();
        MigratedJson {
            path: path(&way.path),
            version: way.before.rules().version,
            stages: way.stages.iter().map(stage).collect(),
            refused: way.after.is_none(),
            direct: way.direct.as_ref().map(CompareSavesJson::new),
            aside: aside.map(hypotheke::snapshot::Stray::items).sum(),
            written: way.written.as_ref().map(path),
            kept: way.kept.as_ref().map(path),
        }
    }
}
