//! Saves: a world in a file, and the same world again.
//!
//! A [`Save`] is a [`Snapshot`] with the facts that a reader checks first: the version of the
//! format, the ruleset of the world, and a checksum. It has two forms of the same data: JSON, for
//! people and version control, and MessagePack, which is small and fast. Both are flat: a stack
//! names its container, and a container its pack, so deep nesting does not deepen the document.

mod binary;
mod changes;
mod error;
mod json;
mod layout;
mod text;
mod words;

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::id::DepartureId;
use crate::migration::{self, Before, Difference, Migrated, MigrationError, Outline};
use crate::ruleset::{Ruleset, fingerprint};
use crate::snapshot::{Departed, Departure, Snapshot};
use crate::world::World;
pub use changes::{ItemChange, SaveChanges};
pub use error::SaveError;

/// The version of the format that is written. Whatever was written before can be read.
pub const FORMAT: u32 = 4;

/// In place of the id of one that has never departed.
const NO_DEPARTURE: DepartureId = DepartureId { world: u32::MAX, number: 0 };

/// A world in a file.
///
/// ```
/// use hypotheke::{Ruleset, World};
/// use hypotheke::save::Save;
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .start("depot", ["4 flare"])
///     .build()?;
/// let rules = rules.into();
/// let world = World::new(&rules);
/// let save = Save::of(&world);
///
/// // Both forms give the same world back.
/// for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
///     let read = Save::read(&bytes).unwrap().world(&rules).unwrap();
///     assert_eq!(read.snapshot(), world.snapshot());
/// }
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Save {
    rules: RulesetInfo,
    outline: Outline,
    /// Which departure it is, if it is no whole world but one that has left.
    departure: Option<DepartureId>,
    /// Its checksum was not that of its contents, and it was taken nevertheless.
    edited: bool,
    snapshot: Snapshot,
}

/// The ruleset under which a world was saved.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct RulesetInfo {
    /// What its designer calls it.
    pub title: String,
    /// The version that its designer gave it.
    pub version: u32,
    /// A digest of what it means: another text of the same meaning has the same.
    pub fingerprint: String,
}

/// How far a save is trusted whose checksum is not that of its contents.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Trust {
    /// A save with a wrong checksum is refused: it is damaged or edited.
    #[default]
    Unchanged,
    /// A JSON save that was edited by hand can be read; before it becomes a world it is audited. A
    /// damaged one in binary form is refused even so.
    AllowEdited,
}

impl Save {
    /// The save of a world as it is now.
    #[must_use]
    pub fn of(world: &World) -> Save {
        Save::of_snapshot(world.rules(), world.snapshot())
    }

    /// The save of a world that is there as plain data.
    #[must_use]
    pub fn of_snapshot(rules: &Ruleset, snapshot: Snapshot) -> Save {
        let outline = Outline::new(rules, &snapshot);
        Save { rules: RulesetInfo::new(rules), outline, departure: None, edited: false, snapshot }
    }

    /// The save of one that has departed, such as of one player.
    ///
    /// ```
    /// use hypotheke::save::Save;
    /// use hypotheke::{Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind.stack_limit(6))
    ///     .container("pockets", |pockets| pockets.slots(2))
    ///     .holder("surveyor", ["pockets"], |surveyor| surveyor)
    ///     .start("surveyor.pockets", ["4 flare"])
    ///     .build()?
    ///     .into();
    /// let mut camp = World::new(&rules).numbered(1, 0);
    /// camp.perform(&Operation::departing(camp.holder("surveyor").unwrap())).unwrap();
    /// let bytes = Save::of_departure(&rules, &camp.departed()[0]).to_bytes();
    ///
    /// let mut pass = World::empty(&rules).numbered(2, 0);
    /// pass.perform(&Operation::departing(pass.holder("surveyor").unwrap())).unwrap();
    /// let departure = Save::read(&bytes).unwrap().departure(&rules).unwrap();
    /// assert_eq!(pass.perform(&Operation::arriving(departure)).unwrap().done(), 4);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn of_departure(rules: &Ruleset, departure: &Departure) -> Save {
        let (containers, holders) = match departure.who.clone() {
            Departed::Container(container) => (vec![container], Vec::new()),
            Departed::Holder(holder) => (Vec::new(), vec![holder]),
        };
        let (packs, orphans) = (departure.packs.clone(), departure.orphans.clone());
        let snapshot = Snapshot { containers, holders, packs, orphans, ..Snapshot::default() };
        let outline = Outline { departed: Vec::new(), ..Outline::new(rules, &snapshot) };
        // A newcomer has no items; any id works.
        let id = departure.id.unwrap_or(NO_DEPARTURE);
        Save { rules: RulesetInfo::new(rules), outline, departure: Some(id), edited: false, snapshot }
    }

    /// Whether it was edited by hand since it was written.
    #[must_use]
    pub fn is_edited(&self) -> bool {
        self.edited
    }

    /// Whether it is that of a whole world, and not of one that has departed.
    #[must_use]
    pub fn is_world(&self) -> bool {
        self.departure.is_none()
    }

    /// The one that has departed, to arrive in a world of the ruleset by which it was saved.
    ///
    /// # Errors
    /// Another ruleset, a save of a whole world, or what can't be under this one.
    pub fn departure(&self, rules: &Ruleset) -> Result<Departure, SaveError> {
        self.check_rules(rules)?;
        let departure = departed(self.departure, &self.snapshot)?;
        departure.check(rules)?;
        Ok(departure)
    }

    /// The ruleset under which the world was saved.
    #[must_use]
    pub fn rules(&self) -> &RulesetInfo {
        &self.rules
    }

    /// The contents and the counters.
    #[must_use]
    pub fn snapshot(&self) -> &Snapshot {
        &self.snapshot
    }

    /// As JSON: a line for each stack, container and holder, always in the same order.
    #[must_use]
    pub fn to_json(&self) -> String {
        json::write(self)
    }

    /// In binary form: MessagePack.
    #[must_use]
    pub fn to_bytes(&self) -> Vec<u8> {
        binary::write(self)
    }

    /// Whether bytes begin as a save does, of either form. A ruleset or a scenario file never does.
    #[must_use]
    pub fn begins(bytes: &[u8]) -> bool {
        bytes.trim_ascii_start().starts_with(b"{") || binary::begins(bytes)
    }

    /// Reads a save in either form.
    ///
    /// # Errors
    /// What it is instead of a save, with the place.
    pub fn read(bytes: &[u8]) -> Result<Save, SaveError> {
        Save::read_with(bytes, Trust::Unchanged)
    }

    /// Reads a save in either form, and trusts it as far as is said.
    ///
    /// # Errors
    /// What it is instead of a save, with the place.
    pub fn read_with(bytes: &[u8], trust: Trust) -> Result<Save, SaveError> {
        let first = bytes.iter().find(|byte| !byte.is_ascii_whitespace());
        match first {
            None => Err(SaveError::Empty),
            Some(b'{') => json::read(bytes, trust),
            Some(_) => binary::read(bytes),
        }
    }

    /// The world, under the ruleset of the save or a different text with the same meaning.
    /// Impossible data is an error. An excess over a limit is accepted; [`audit`](crate::audit())
    /// reports it. An edited save must violate no other law.
    ///
    /// # Errors
    /// Another ruleset, or what can't be under this one.
    pub fn world(&self, rules: &Arc<Ruleset>) -> Result<World, SaveError> {
        self.check_rules(rules)?;
        if self.departure.is_some() {
            return Err(SaveError::inconsistent("departure", "the save is a transfer record, not a world"));
        }
        let world = World::from_snapshot(rules, &self.snapshot)?;
        let broken = if self.edited { crate::audit(rules, &self.snapshot) } else { Vec::new() };
        match broken.into_iter().find(|violation| !violation.law().is_limit()) {
            Some(broken) => {
                Err(SaveError::inconsistent(broken.place(), format!("{}: {}", broken.law(), broken.message())))
            }
            None => Ok(world),
        }
    }

    fn check_rules(&self, rules: &Ruleset) -> Result<(), SaveError> {
        let own = RulesetInfo::new(rules);
        // Rulesets that mean the same may still have exchanged names.
        if own.fingerprint == self.rules.fingerprint && !rules.migration().changes_names(self.rules.version) {
            return Ok(());
        }
        Err(SaveError::OtherRuleset { saved: Box::new(self.rules.clone()), given: Box::new(own) })
    }

    /// Migrates the save to a different ruleset, by its section `[migration]`. The result is of the
    /// same type: a world or a departure. Under a ruleset with the same meaning nothing changes.
    ///
    /// ```
    /// use hypotheke::save::Save;
    /// use hypotheke::{MigrationRules, Ruleset, VersionChanges, World};
    ///
    /// let rules = |kind: &str| Ruleset::builder().kind(kind, |kind| kind).container("depot", |depot| depot.slots(2));
    /// let autumn = rules("fuel-can").start("depot", ["1 fuel-can"]).build()?.into();
    /// let save = Save::of(&World::new(&autumn));
    ///
    /// let mut migration = MigrationRules::default();
    /// let mut changes = VersionChanges::default();
    /// changes.renamed.kind.insert("fuel-can".to_owned(), "canister".to_owned());
    /// migration.versions.insert(2, changes);
    /// let winter = rules("canister").version(2).migration(migration).build()?.into();
    ///
    /// let (save, differences) = save.migrate(&winter).unwrap();
    /// assert_eq!(differences[0].to_string(), "fuel-can: 1 item is renamed to canister");
    /// assert_eq!(save.world(&winter).unwrap().count(winter.find_kind("canister").unwrap(), None), 1);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    ///
    /// # Errors
    /// All that the ruleset says is to be refused.
    pub fn migrate(&self, rules: &Arc<Ruleset>) -> Result<(Save, Vec<Difference>), MigrationError> {
        let (save, differences) = self.carried_over(rules)?;
        // What was edited is no way to bring in what breaks a law.
        let broken = if self.edited && self.is_world() { crate::audit(rules, &save.snapshot) } else { Vec::new() };
        let refused = broken.iter().filter(|violation| !violation.law().is_limit()).map(Difference::refused);
        let refused: Vec<Difference> = refused.collect();
        if refused.is_empty() { Ok((save, differences)) } else { Err(MigrationError::Refused(refused)) }
    }

    fn carried_over(&self, rules: &Arc<Ruleset>) -> Result<(Save, Vec<Difference>), MigrationError> {
        if self.check_rules(rules).is_ok() {
            return Ok((Save { rules: RulesetInfo::new(rules), ..self.clone() }, Vec::new()));
        }
        let before = Before { version: self.rules.version, outline: &self.outline, alone: false };
        let Some(departure) = self.departure else {
            let Migrated { world, differences } = migration::migrate(self.snapshot.clone(), before, &[], rules)?;
            return Ok((Save::of(&world), differences));
        };
        let (departure, differences) = migration::migrate_departure(&self.snapshot, departure, before, rules)?;
        Ok((Save::of_departure(rules, &departure), differences))
    }
}

/// What has departed, from a save that holds it alone.
fn departed(id: Option<DepartureId>, snapshot: &Snapshot) -> Result<Departure, SaveError> {
    let Some(id) = id else {
        return Err(SaveError::inconsistent("departure", "the save is a world, not a transfer record"));
    };
    let who = match (&snapshot.containers[..], &snapshot.holders[..]) {
        ([container], []) => Departed::Container(container.clone()),
        ([], [holder]) => Departed::Holder(holder.clone()),
        _ => return Err(SaveError::inconsistent("departure", "a transfer record has exactly one container or holder")),
    };
    let (packs, orphans) = (snapshot.packs.clone(), snapshot.orphans.clone());
    Ok(Departure { id: (id != NO_DEPARTURE).then_some(id), who, packs, orphans })
}

impl RulesetInfo {
    /// That of a ruleset.
    #[must_use]
    pub fn new(rules: &Ruleset) -> RulesetInfo {
        RulesetInfo { title: rules.title().to_owned(), version: rules.version(), fingerprint: rules.fingerprint() }
    }
}

impl Ruleset {
    /// A digest of what the ruleset means. Two texts of the same meaning have the same, whatever
    /// the order in which they are written, and so on every machine.
    #[must_use]
    pub fn fingerprint(&self) -> String {
        self.fingerprint.get_or_init(|| fingerprint(self)).clone()
    }
}
