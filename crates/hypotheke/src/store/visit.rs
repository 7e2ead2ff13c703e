//! What a server does with a store from the moment a player joins until they have left.
//!
//! The order is what matters. The lease comes before the load: from then on nothing older can be saved any more, so what is loaded is the latest. The save comes
//! before the release: the next one who gets a lease loads what was saved.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::{Key, Lease, Store, StoreError, Stored};
use crate::migration::MigrationError;
use crate::ops::{Operation, Reason};
use crate::save::{Save, SaveError};
use crate::snapshot::Departure;
use crate::world::World;

/// What a visit needs of the store next.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Ask {
    /// A lease.
    Lease,
    /// What was saved last.
    Load,
    /// That what the player has is saved.
    Save,
    /// What was saved before, to see whether this was, before another took over.
    LookBack,
    /// That the lease is given back.
    Release,
}

/// How far a visit is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum VisitState {
    /// It has no lease yet.
    Joining,
    /// It has a lease; what was saved is still to be loaded.
    Loading,
    /// The player is in the world.
    Here,
    /// The player has departed; what they have is still to be saved.
    Saving,
    /// Another server has taken over; whether the save had arrived before is still to be found out.
    LookingBack,
    /// All is saved; the lease is still to be given back.
    Releasing,
    /// It is over.
    Gone,
    /// Another server has taken over before this could be saved: what came of this visit is void.
    Void,
    /// Another server has taken over, and so much was saved since that it can't be told any more whether this was.
    Unclear,
}

/// How long things last.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Terms {
    /// How long a lease lasts unless it is renewed, in milliseconds. A server that does not come back holds its players for as long.
    pub lease: u64,
}

impl Default for Terms {
    /// A lease of a minute.
    fn default() -> Terms {
        Terms { lease: 60_000 }
    }
}

/// How often what went wrong is tried again, and how long is waited before: twice as long each time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Retry {
    /// How often one thing is tried in all.
    pub tries: u32,
    /// How long is waited before the second try, in milliseconds.
    pub first_wait: u64,
    /// No longer than this is waited, in milliseconds.
    pub longest_wait: u64,
}

impl Default for Retry {
    /// Eight tries, over some ten seconds.
    fn default() -> Retry {
        Retry { tries: 8, first_wait: 100, longest_wait: 5_000 }
    }
}

/// One player on one server: what there is to do, step by step, so that it can be done by a thread that waits or one that does other things meanwhile.
///
/// It can be written down beside the save of the world, and gone on with when the server comes back: what is done twice is found out.
///
/// ```
/// use hypotheke::store::{Key, MemoryStore, Retry, Store, Terms, Visit, VisitState};
/// use hypotheke::{Departure, Operation, Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("pockets", |pockets| pockets.slots(2))
///     .holder("surveyor", ["pockets"], |surveyor| surveyor)
///     .build()?
///     .into();
/// let (store, mut camp) = (MemoryStore::new(), World::empty(&rules).numbered(1, 0));
/// let ada = Key::new("Ada").unwrap();
/// // How to wait, and what time it is then.
/// let mut clock = |milliseconds| milliseconds;
///
/// let newcomer = Departure::newcomer(&rules, "surveyor", "ada").unwrap();
/// let mut visit = Visit::new(ada.clone(), "camp", newcomer, Terms::default());
/// visit.run(&store, &mut camp, Retry::default(), &mut clock).unwrap();
/// assert!(camp.holder("ada").is_some());
///
/// visit.leave(&mut camp).unwrap();
/// visit.run(&store, &mut camp, Retry::default(), &mut clock).unwrap();
/// assert_eq!(visit.state(), VisitState::Gone);
/// assert_eq!(store.load(&ada).unwrap().unwrap().revision, 1);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Visit {
    #[serde(with = "key_as_bytes")]
    key: Key,
    owner: String,
    terms: Terms,
    newcomer: Departure,
    /// What the player is called in the world.
    name: String,
    state: VisitState,
    /// The number of the lease, 0 before there is one, and the revision that was kept then.
    lease: u64,
    base: u64,
    /// What is known to be kept by now, once another has taken over.
    latest: u64,
    /// What is to be saved, once the player has departed.
    document: Vec<u8>,
}

/// Why a visit can't go on.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum VisitError {
    /// The store did not do what it was asked. Where [`StoreError::may_pass`] says so, the same step can be tried again.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// What is kept is no save of a player.
    #[error("`{key}`, revision {revision}: {error}")]
    Save {
        /// Of whom.
        key: Key,
        /// Which save.
        revision: u64,
        /// What is wrong with it.
        error: SaveError,
    },
    /// What is kept was saved under another ruleset, and this one does not take it over.
    #[error("`{key}`, revision {revision}: {error}")]
    Migration {
        /// Of whom.
        key: Key,
        /// Which save.
        revision: u64,
        /// What stands in the way.
        error: MigrationError,
    },
    /// Another server has taken over, and what came of the visit is [void](VisitState::Void), or [may be](VisitState::Unclear).
    #[error("`{key}`: another server has taken over{}", if *.is_certain { ", and this visit is void" } else { "; whether this visit was saved can't be told any more" })]
    Void {
        /// Who.
        key: Key,
        /// Whether it is certain that nothing was saved.
        is_certain: bool,
    },
    /// The world does not let the player in, or out.
    #[error("`{key}`: {because}")]
    Refused {
        /// Who.
        key: Key,
        /// The reason.
        reason: Reason,
        /// In words.
        because: String,
    },
}

impl VisitError {
    /// Whether the same step may go well a little later.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        matches!(self, VisitError::Store(error) if error.may_pass())
    }
}

impl Visit {
    /// Of the player whose saves are kept under `key`. If nothing is kept, `newcomer` arrives.
    ///
    /// `owner` is who has the lease: the server and this visit, such as `camp 17`. No other visit may ever have the same.
    #[must_use]
    pub fn new(key: Key, owner: &str, newcomer: Departure, terms: Terms) -> Visit {
        let (owner, state) = (owner.to_owned(), VisitState::Joining);
        let name = newcomer.name().to_owned();
        Visit { key, owner, terms, newcomer, name, state, lease: 0, base: 0, latest: 0, document: Vec::new() }
    }

    /// How far it is.
    #[must_use]
    pub fn state(&self) -> VisitState {
        self.state
    }

    /// Under which key the player is kept.
    #[must_use]
    pub fn key(&self) -> &Key {
        &self.key
    }

    /// What the player is called in the world.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Who has the lease.
    #[must_use]
    pub fn owner(&self) -> &str {
        &self.owner
    }

    /// The revision that it goes on from: what was loaded, or saved last.
    #[must_use]
    pub fn base(&self) -> u64 {
        self.base
    }

    /// The number of the lease; 0 before there is one.
    #[must_use]
    pub fn lease(&self) -> u64 {
        self.lease
    }

    /// What the player had when they departed, as it is to be saved. Of a visit that is [void](VisitState::Void) it tells what the game may have to settle.
    #[must_use]
    pub fn document(&self) -> &[u8] {
        &self.document
    }

    /// What it needs of the store next; nothing while the player is here, or when it is over.
    #[must_use]
    pub fn ask(&self) -> Option<Ask> {
        match self.state {
            VisitState::Joining => Some(Ask::Lease),
            VisitState::Loading => Some(Ask::Load),
            VisitState::Saving => Some(Ask::Save),
            VisitState::LookingBack => Some(Ask::LookBack),
            VisitState::Releasing => Some(Ask::Release),
            VisitState::Here | VisitState::Gone | VisitState::Void | VisitState::Unclear => None,
        }
    }

    /// Asks the store for what is needed next, at the time `now`, and goes on by what it answers. After an error that [may pass](VisitError::may_pass)
    /// it can be called again; after any other there is only the lease to be given back, or nothing.
    ///
    /// # Errors
    /// What stands in the way.
    pub fn step(&mut self, store: &(impl Store + ?Sized), world: &mut World, now: u64) -> Result<(), VisitError> {
        match self.ask() {
            Some(Ask::Lease) => {
                let lease = store.lease(&self.key, &self.owner, now, now.saturating_add(self.terms.lease))?;
                self.has(lease);
                Ok(())
            }
            Some(Ask::Load) => self.load(store, world).inspect_err(|error| {
                if !error.may_pass() {
                    self.state = VisitState::Releasing;
                }
            }),
            Some(Ask::Save) => self.save(store),
            Some(Ask::LookBack) => self.look_back(store),
            Some(Ask::Release) => {
                let released = store.release(&self.key, self.lease);
                if !released.as_ref().is_err_and(StoreError::may_pass) {
                    self.state = VisitState::Gone;
                }
                Ok(released?)
            }
            None => Ok(()),
        }
    }

    fn has(&mut self, lease: Lease) {
        (self.lease, self.base, self.state) = (lease.number, lease.revision, VisitState::Loading);
    }

    /// Loads what is kept and lets the player arrive.
    fn load(&mut self, store: &(impl Store + ?Sized), world: &mut World) -> Result<(), VisitError> {
        let stored = store.load(&self.key)?;
        let found = stored.as_ref().map_or(0, |stored| stored.revision);
        if found < self.base {
            return Err(StoreError::Stale { key: self.key.clone(), found, known: self.base }.into());
        }
        self.base = found;
        let departure = match stored {
            None => self.newcomer.clone(),
            Some(stored) => self.read(&stored, world)?,
        };
        let name = departure.name().to_owned();
        self.perform(world, &Operation::arriving(departure))?;
        self.name = name;
        self.state = VisitState::Here;
        Ok(())
    }

    fn read(&self, stored: &Stored, world: &World) -> Result<Departure, VisitError> {
        let (key, revision) = (|| self.key.clone(), stored.revision);
        let wrong = |error| VisitError::Save { key: key(), revision, error };
        let save = Save::read(&stored.bytes).map_err(wrong)?;
        let rules = Arc::clone(world.rules());
        let (save, _) = save.migrate(&rules).map_err(|error| VisitError::Migration { key: key(), revision, error })?;
        save.departure(&rules).map_err(wrong)
    }

    /// Lets the player depart; what they have is to be saved then. One who has not arrived yet does not, and who is leaving goes on.
    ///
    /// # Errors
    /// The world does not let them go; they are still here.
    pub fn leave(&mut self, world: &mut World) -> Result<(), VisitError> {
        match self.state {
            VisitState::Joining => self.state = VisitState::Gone,
            VisitState::Loading => self.state = VisitState::Releasing,
            VisitState::Here => {
                let Some(holder) = world.holder(self.name()) else {
                    // Somebody else has let them go: there is nothing to be saved that would be theirs.
                    self.state = VisitState::Releasing;
                    return Ok(());
                };
                self.perform(world, &Operation::departing(holder))?;
                let rules = world.rules();
                self.document =
                    world.departed().first().map(|left| Save::of_departure(rules, left).to_bytes()).unwrap_or_default();
                self.state = VisitState::Saving;
            }
            // They have departed before.
            _ => {}
        }
        Ok(())
    }

    fn perform(&self, world: &mut World, operation: &Operation) -> Result<(), VisitError> {
        match world.perform(operation) {
            Ok(_) => Ok(()),
            Err(refusal) => {
                let (reason, because) = (refusal.reason(), world.explain(&refusal));
                Err(VisitError::Refused { key: self.key.clone(), reason, because })
            }
        }
    }

    fn save(&mut self, store: &(impl Store + ?Sized)) -> Result<(), VisitError> {
        match store.save(&self.key, &self.document, self.base, self.lease) {
            Ok(revision) => {
                (self.base, self.state) = (revision, VisitState::Releasing);
                Ok(())
            }
            Err(StoreError::TakenOver { found, under, .. } | StoreError::Conflict { found, under, .. }) => {
                self.late(found, under)
            }
            // It can be tried again, once what is wrong with the store is mended.
            Err(error) => Err(error.into()),
        }
    }

    /// Somebody has saved since, or another has the lease. Nobody but this visit has saved under its lease, so that tells whether what it
    /// once sent has arrived.
    fn late(&mut self, found: u64, under: u64) -> Result<(), VisitError> {
        self.state = match found.checked_sub(self.base) {
            Some(1) if under == self.lease => VisitState::Releasing,
            Some(0 | 1) | None => return self.is_void(),
            Some(_) => {
                self.latest = found;
                VisitState::LookingBack
            }
        };
        Ok(())
    }

    fn look_back(&mut self, store: &(impl Store + ?Sized)) -> Result<(), VisitError> {
        let kept = store.generations(&self.key)?;
        let (found, known) = (kept.first().map_or(0, |latest| latest.revision), self.latest);
        if found < known {
            return Err(StoreError::Stale { key: self.key.clone(), found, known }.into());
        }
        match kept.iter().find(|kept| kept.revision == self.base + 1) {
            Some(kept) if kept.lease == self.lease => {
                self.state = VisitState::Releasing;
                Ok(())
            }
            Some(_) => self.is_void(),
            None => {
                self.state = VisitState::Unclear;
                Err(VisitError::Void { key: self.key.clone(), is_certain: false })
            }
        }
    }

    fn is_void(&mut self) -> Result<(), VisitError> {
        self.state = VisitState::Void;
        Err(VisitError::Void { key: self.key.clone(), is_certain: true })
    }

    /// Makes the lease last from `now` on as long as it did at first. To be called well before it runs out.
    ///
    /// # Errors
    /// What the store says; [`StoreError::TakenOver`] if another server has the player.
    pub fn renew(&self, store: &(impl Store + ?Sized), now: u64) -> Result<(), StoreError> {
        store.renew(&self.key, self.lease, now.saturating_add(self.terms.lease))
    }

    /// Takes all steps that there are, and tries those again that may pass. `wait` waits for so many milliseconds and says what time it is
    /// then; it is asked to wait 0 for the first.
    ///
    /// # Errors
    /// What did not pass, however often it was tried, or can't. If it was the load, the lease is given back.
    pub fn run(
        &mut self,
        store: &(impl Store + ?Sized),
        world: &mut World,
        retry: Retry,
        wait: &mut dyn FnMut(u64) -> u64,
    ) -> Result<(), VisitError> {
        while let Some(ask) = self.ask() {
            let tried = self.try_step(store, world, retry, wait);
            if let Err(error) = tried {
                if ask == Ask::Load && self.ask() == Some(Ask::Release) {
                    // What stood in the way is the answer, whatever comes of this.
                    let _ = self.try_step(store, world, retry, wait);
                }
                return Err(error);
            }
        }
        Ok(())
    }

    fn try_step(
        &mut self,
        store: &(impl Store + ?Sized),
        world: &mut World,
        retry: Retry,
        wait: &mut dyn FnMut(u64) -> u64,
    ) -> Result<(), VisitError> {
        let mut pause = retry.first_wait;
        let mut now = wait(0);
        for _ in 1..retry.tries.max(1) {
            match self.step(store, world, now) {
                Err(error) if error.may_pass() => {
                    let asked = if let VisitError::Store(StoreError::Busy { wait, .. }) = error { wait } else { 0 };
                    now = wait(pause.max(asked).min(retry.longest_wait));
                    pause = pause.saturating_mul(2);
                }
                done => return done,
            }
        }
        self.step(store, world, now)
    }
}

/// A key as the list of its bytes.
mod key_as_bytes {
    use serde::{Deserialize, Deserializer, Serializer};

    use super::Key;

    pub(super) fn serialize<S: Serializer>(key: &Key, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(key.as_bytes())
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Key, D::Error> {
        Key::new(Vec::<u8>::deserialize(deserializer)?).map_err(serde::de::Error::custom)
    }
}
