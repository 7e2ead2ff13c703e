//! The JSON that `migrate --format json` writes.

use hypotheke::Difference;
use schemars::JsonSchema;
use serde::Serialize;

use super::saves::CompareSavesJson;
use crate::findings::{MigrationRun, Stage};

/// The migrated saves.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MigrateJson {
    /// In the order of the command line.
    pub(crate) saves: Vec<MigratedJson>,
}

/// A migrated save.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct MigratedJson {
    /// The file.
    path: String,
    /// The version of the ruleset with which it was saved.
    version: u32,
    /// The migration to each ruleset, in order.
    stages: Vec<StageJson>,
    /// Whether a ruleset refused it.
    refused: bool,
    /// The differences from a direct migration to the last ruleset; null if there are none.
    direct_differences: Option<CompareSavesJson>,
    /// The number of items that are orphans.
    orphans: u64,
    /// The file that was written.
    written: Option<String>,
    /// The file with the save before the migration.
    backup: Option<String>,
}

/// The migration to one ruleset.
#[derive(Debug, Serialize, JsonSchema)]
struct StageJson {
    /// The title of the ruleset.
    title: String,
    /// Its version.
    version: u32,
    /// The differences, in order.
    differences: Vec<DifferenceJson>,
}

/// A difference.
#[derive(Debug, Serialize, JsonSchema)]
struct DifferenceJson {
    /// The place, as paths write it, or the name that was changed.
    place: String,
    /// The difference in words.
    message: String,
    /// The action: `stay`, `split`, `spill`, `ground`, `orphan` or `refuse`; null if there was
    /// none.
    action: Option<&'static str>,
    /// The new places, if items were moved.
    to: Vec<String>,
}

impl MigratedJson {
    pub(crate) fn new(run: &MigrationRun) -> MigratedJson {
        let difference = |difference: &Difference| DifferenceJson {
            place: difference.place.clone(),
            message: difference.message.clone(),
            action: difference.action.map(hypotheke::MigrationPolicy::word),
            to: difference.to.clone(),
        };
        let stage = |stage: &Stage| StageJson {
            title: stage.title.clone(),
            version: stage.version,
            differences: stage.differences.iter().map(difference).collect(),
        };
        let orphans = run.after.iter().flat_map(|save| &save.snapshot().orphans);
        let path = |path: &std::path::PathBuf| path.display().to_string();
        MigratedJson {
            path: path(&run.path),
            version: run.before.rules().version,
            stages: run.stages.iter().map(stage).collect(),
            refused: run.after.is_none(),
            direct_differences: run.direct.as_ref().map(CompareSavesJson::new),
            orphans: orphans.map(hypotheke::snapshot::Orphan::items).sum(),
            written: run.written.as_ref().map(path),
            backup: run.backup.as_ref().map(path),
        }
    }
}
