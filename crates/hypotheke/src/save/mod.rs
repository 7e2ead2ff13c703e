//! Saves: a world written down, and read back as the same world.
//!
//! A [`Save`] is a [`Snapshot`] with what a reader has to know before it trusts it: the version of the format, the ruleset
//! under which the world was played, and a checksum. It has two forms of the same data: JSON, which people and version control read, and
//! MessagePack, which is small and quick. Both are flat: a stack names the container in which it lies, a container the pack that
//! brings it, so that no depth of nesting costs depth of reading.

mod binary;
mod changes;
mod error;
mod fingerprint;
mod json;
mod layout;
mod text;

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::ruleset::Ruleset;
use crate::snapshot::Snapshot;
use crate::world::World;
pub use changes::{ItemChange, SaveChanges};
pub use error::SaveError;

/// The version of the format that is written. Whatever was written before can be read.
pub const FORMAT: u32 = 1;

/// A world written down.
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
    rules: SavedUnder,
    snapshot: Snapshot,
}

/// The ruleset under which a world was saved.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct SavedUnder {
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
    /// It is refused: it is damaged, or somebody has edited it.
    #[default]
    Unchanged,
    /// A JSON save that was edited by hand is taken as it is; a damaged one in binary form never is.
    Edited,
}

impl Save {
    /// The save of a world as it is now.
    #[must_use]
    pub fn of(world: &World) -> Save {
        Save { rules: SavedUnder::new(world.rules()), snapshot: world.snapshot() }
    }

    /// The save of a world that is there as plain data.
    #[must_use]
    pub fn of_snapshot(rules: &Ruleset, snapshot: Snapshot) -> Save {
        Save { rules: SavedUnder::new(rules), snapshot }
    }

    /// The ruleset under which the world was saved.
    #[must_use]
    pub fn rules(&self) -> &SavedUnder {
        &self.rules
    }

    /// What lies where, and the counters.
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

    /// The world, under the ruleset by which it was saved, or another text of the same meaning. What no world can be is refused; what is
    /// over a limit is taken as it is, for [`audit`](crate::audit()) to tell.
    ///
    /// # Errors
    /// Another ruleset, or what can't be under this one.
    pub fn world(&self, rules: &Arc<Ruleset>) -> Result<World, SaveError> {
        let own = SavedUnder::new(rules);
        if own.fingerprint != self.rules.fingerprint {
            return Err(SaveError::OtherRuleset { saved: Box::new(self.rules.clone()), given: Box::new(own) });
        }
        Ok(World::from_snapshot(rules, &self.snapshot)?)
    }
}

impl SavedUnder {
    /// That of a ruleset.
    #[must_use]
    pub fn new(rules: &Ruleset) -> SavedUnder {
        SavedUnder { title: rules.title().to_owned(), version: rules.version(), fingerprint: fingerprint::of(rules) }
    }
}

impl Ruleset {
    /// A digest of what the ruleset means. Two texts of the same meaning have the same, whatever the order in which they are written, and
    /// so on every machine.
    #[must_use]
    pub fn fingerprint(&self) -> String {
        fingerprint::of(self)
    }
}
