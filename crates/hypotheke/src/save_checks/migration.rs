//! Migration of saves to the next ruleset.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::CheckFailure;
use super::round_trips::{for_each_step, trace};
use crate::audit::{Law, audit};
use crate::ruleset::{MigrationPolicy, Ruleset};
use crate::save::Save;
use crate::scenario::ResolvedScenarioFile;
use crate::snapshot::Orphan;

/// The result of a migration test.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct MigrationReport {
    /// The number of saves that were migrated.
    pub saves: u64,
    /// The number of saves with differences.
    pub changed: u64,
    /// The number of differences for each action.
    pub actions: BTreeMap<MigrationPolicy, u64>,
    /// Items that are kept orphans, in all.
    pub orphans: u64,
    /// The first failure: a lost or duplicated item, a refusal, or a law violation.
    pub failure: Option<CheckFailure>,
}

/// Runs all scenarios. The world at the start and after every operation is saved and migrated to
/// the next ruleset. Each result must have the same number of items, orphans included, must load
/// again as the same world, and must violate no law except limits.
#[must_use]
pub fn check_migration(files: &[ResolvedScenarioFile<'_>], next: &Arc<Ruleset>) -> MigrationReport {
    let mut found = MigrationReport::default();
    for_each_step(files, &mut |step| {
        let wrong = found.migrate(&Save::of(step.world), next).err();
        found.failure = wrong.map(|wrong| CheckFailure { trace: trace(step), found: wrong });
        found.failure.is_none()
    });
    found
}

impl MigrationReport {
    /// Migrates a save of a world or a transfer record, and adds it to the report.
    ///
    /// # Errors
    /// A lost or duplicated item, a refusal, or a law violation.
    pub fn migrate(&mut self, save: &Save, rules: &Arc<Ruleset>) -> Result<(), String> {
        let (migrated, differences) = save.migrate(rules).map_err(|error| error.to_string())?;
        self.saves += 1;
        self.changed += u64::from(!differences.is_empty());
        for action in differences.iter().filter_map(|difference| difference.action) {
            *self.actions.entry(action).or_default() += 1;
        }
        let (before, after) = (save.items(), migrated.items());
        if before != after {
            return Err(format!("{before} items were saved; {after} remain after the migration"));
        }
        self.orphans += migrated.snapshot().orphans.iter().map(Orphan::items).sum::<u64>();
        let read = Save::read(&migrated.to_bytes()).map_err(|error| error.to_string())?;
        if !migrated.is_world() {
            return read.departure(rules).map(drop).map_err(|error| error.to_string());
        }
        let broken = audit(rules, migrated.snapshot());
        if let Some(broken) = broken.iter().find(|violation| !Law::is_limit(violation.law())) {
            return Err(format!("{}: {}", broken.place(), broken.message()));
        }
        let world = read.world(rules).map_err(|error| error.to_string())?;
        super::round_trips::compare(&migrated, &Save::of(&world))
    }
}
