//! Saves go over to a mended ruleset.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::CheckFailure;
use super::round_trips::{for_each_step, trace};
use crate::audit::{Law, audit};
use crate::ruleset::{MigrationPolicy, Ruleset};
use crate::save::Save;
use crate::scenario::ResolvedScenarioFile;
use crate::snapshot::Orphan;

/// What was found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct MigrationReport {
    /// Saves that were carried over.
    pub saves: u64,
    /// Those in which something is not as it was.
    pub changed: u64,
    /// How often what was done about a difference, in all; what only needed telling is not counted.
    pub actions: BTreeMap<MigrationPolicy, u64>,
    /// Items that are kept aside, in all.
    pub aside: u64,
    /// What was lost, doubled, refused, or breaks a law.
    pub failure: Option<CheckFailure>,
}

/// Plays all scenarios, and carries each world, saved at the start and after every operation, over to another ruleset as its section `[migration]` says. What comes of it
/// has as many items as before, those that are kept aside among them, is saved and read back as the same world, and breaks no law but limits that the section
/// says to leave.
#[must_use]
pub fn check_migration(files: &[ResolvedScenarioFile<'_>], mended: &Arc<Ruleset>) -> MigrationReport {
    let mut found = MigrationReport::default();
    for_each_step(files, &mut |step| {
        let wrong = found.carry_over(&Save::of(step.world), mended).err();
        found.failure = wrong.map(|wrong| CheckFailure { trace: trace(step), found: wrong });
        found.failure.is_none()
    });
    found
}

impl MigrationReport {
    /// Carries a save over, of a world or of one that has departed, and counts what came of it.
    ///
    /// # Errors
    /// What was lost, doubled, refused, or breaks a law.
    pub fn carry_over(&mut self, save: &Save, rules: &Arc<Ruleset>) -> Result<(), String> {
        let (carried, differences) = save.migrate(rules).map_err(|error| error.to_string())?;
        self.saves += 1;
        self.changed += u64::from(!differences.is_empty());
        for action in differences.iter().filter_map(|difference| difference.action) {
            *self.actions.entry(action).or_default() += 1;
        }
        let (before, after) = (save.items(), carried.items());
        if before != after {
            return Err(format!("{before} items were saved; {after} remain after the migration"));
        }
        self.aside += carried.snapshot().orphans.iter().map(Orphan::items).sum::<u64>();
        let read = Save::read(&carried.to_bytes()).map_err(|error| error.to_string())?;
        if !carried.is_world() {
            return read.departure(rules).map(drop).map_err(|error| error.to_string());
        }
        let broken = audit(rules, carried.snapshot());
        if let Some(broken) = broken.iter().find(|violation| !Law::is_limit(violation.law())) {
            return Err(format!("{}: {}", broken.place(), broken.message()));
        }
        let world = read.world(rules).map_err(|error| error.to_string())?;
        super::round_trips::compare(&carried, &Save::of(&world))
    }
}
