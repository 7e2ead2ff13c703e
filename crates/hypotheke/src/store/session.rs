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

/// What a session needs of the store next.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SessionAction {
    /// A lease.
    Lease,
    /// What was saved last.
    Load,
    /// That what the player has is saved.
    Save,
    /// What was saved before, to see whether this was, before another took over.
    ConfirmSave,
    /// That the lease is given back.
    Release,
}

/// How far a session is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SessionState {
    /// It has no lease yet.
    Joining,
    /// It has a lease; what was saved is still to be loaded.
    Loading,
    /// The player is in the world.
    Active,
    /// The player has departed; what they have is still to be saved.
    Saving,
    /// Another server has taken over; whether the save had arrived before is still to be found out.
    ConfirmingSave,
    /// All is saved; the lease is still to be given back.
    Releasing,
    /// It is over.
    Ended,
    /// Another server has taken over before this could be saved: what came of this session is void.
    LeaseLost,
    /// Another server has taken over, and so much was saved since that it can't be told any more whether this was.
    OutcomeUnknown,
}

/// How long things last.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct SessionOptions {
    /// How long a lease lasts unless it is renewed, in milliseconds. A server that does not come back holds its players for as long.
    pub lease: u64,
}

impl Default for SessionOptions {
    /// A lease of a minute.
    fn default() -> SessionOptions {
        SessionOptions { lease: 60_000 }
    }
}

/// How often what went wrong is tried again, and how long is waited before: twice as long each time.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RetryPolicy {
    /// How often one thing is tried in all.
    pub tries: u32,
    /// How long is waited before the second try, in milliseconds.
    pub first_wait: u64,
    /// No longer than this is waited, in milliseconds.
    pub longest_wait: u64,
}

impl Default for RetryPolicy {
    /// Eight tries, over some ten seconds.
    fn default() -> RetryPolicy {
        RetryPolicy { tries: 8, first_wait: 100, longest_wait: 5_000 }
    }
}

/// One player on one server: what there is to do, step by step, so that it can be done by a thread that waits or one that does other things meanwhile.
///
/// It can be written down beside the save of the world, and gone on with when the server comes back: what is done twice is found out.
///
/// ```
/// use hypotheke::store::{Key, MemoryStore, RetryPolicy, Store, SessionOptions, Session, SessionState};
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
/// let mut session = Session::new(ada.clone(), "camp", newcomer, SessionOptions::default());
/// session.run(&store, &mut camp, RetryPolicy::default(), &mut clock).unwrap();
/// assert!(camp.holder("ada").is_some());
///
/// session.leave(&mut camp).unwrap();
/// session.run(&store, &mut camp, RetryPolicy::default(), &mut clock).unwrap();
/// assert_eq!(session.state(), SessionState::Ended);
/// assert_eq!(store.load(&ada).unwrap().unwrap().revision, 1);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Session {
    #[serde(with = "key_as_bytes")]
    key: Key,
    owner: String,
    terms: SessionOptions,
    newcomer: Departure,
    /// What the player is called in the world.
    name: String,
    state: SessionState,
    /// The number of the lease, 0 before there is one, and the revision that was kept then.
    lease: u64,
    expected_revision: u64,
    /// What is known to be kept by now, once another has taken over.
    latest: u64,
    /// What is to be saved, once the player has departed.
    document: Vec<u8>,
}

/// Why a session can't go on.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SessionError {
    /// The store did not do what it was requested. Where [`StoreError::is_retryable`] says so, the same step can be tried again.
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
    /// Another server has taken over, and what came of the session is [void](SessionState::LeaseLost), or [may be](SessionState::OutcomeUnknown).
    #[error("`{key}`: the lease went to a different server{}", if *.is_certain { ", so the results of this session are lost" } else { "; it is unknown whether this session was saved" })]
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

impl SessionError {
    /// Whether the same step may go well a little later.
    #[must_use]
    pub fn is_retryable(&self) -> bool {
        matches!(self, SessionError::Store(error) if error.is_retryable())
    }
}

impl Session {
    /// Of the player whose saves are kept under `key`. If nothing is kept, `newcomer` arrives.
    ///
    /// `owner` is who has the lease: the server and this session, such as `camp 17`. No other session may ever have the same.
    #[must_use]
    pub fn new(key: Key, owner: &str, newcomer: Departure, terms: SessionOptions) -> Session {
        let (owner, state) = (owner.to_owned(), SessionState::Joining);
        let name = newcomer.name().to_owned();
        Session {
            key,
            owner,
            terms,
            newcomer,
            name,
            state,
            lease: 0,
            expected_revision: 0,
            latest: 0,
            document: Vec::new(),
        }
    }

    /// How far it is.
    #[must_use]
    pub fn state(&self) -> SessionState {
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
    pub fn expected_revision(&self) -> u64 {
        self.expected_revision
    }

    /// The number of the lease; 0 before there is one.
    #[must_use]
    pub fn lease(&self) -> u64 {
        self.lease
    }

    /// What the player had when they departed, as it is to be saved. Of a session that is [void](SessionState::LeaseLost) it tells what the game may have to settle.
    #[must_use]
    pub fn document(&self) -> &[u8] {
        &self.document
    }

    /// What it needs of the store next; nothing while the player is here, or when it is over.
    #[must_use]
    pub fn ask(&self) -> Option<SessionAction> {
        match self.state {
            SessionState::Joining => Some(SessionAction::Lease),
            SessionState::Loading => Some(SessionAction::Load),
            SessionState::Saving => Some(SessionAction::Save),
            SessionState::ConfirmingSave => Some(SessionAction::ConfirmSave),
            SessionState::Releasing => Some(SessionAction::Release),
            SessionState::Active | SessionState::Ended | SessionState::LeaseLost | SessionState::OutcomeUnknown => None,
        }
    }

    /// Asks the store for what is needed next, at the time `now`, and goes on by what it answers. After an error that [may pass](SessionError::is_retryable)
    /// it can be called again; after any other there is only the lease to be given back, or nothing.
    ///
    /// # Errors
    /// What stands in the way.
    pub fn step(&mut self, store: &(impl Store + ?Sized), world: &mut World, now: u64) -> Result<(), SessionError> {
        match self.ask() {
            Some(SessionAction::Lease) => {
                let lease = store.lease(&self.key, &self.owner, now, now.saturating_add(self.terms.lease))?;
                self.has(lease);
                Ok(())
            }
            Some(SessionAction::Load) => self.load(store, world).inspect_err(|error| {
                if !error.is_retryable() {
                    self.state = SessionState::Releasing;
                }
            }),
            Some(SessionAction::Save) => self.save(store),
            Some(SessionAction::ConfirmSave) => self.look_back(store),
            Some(SessionAction::Release) => {
                let released = store.release(&self.key, self.lease);
                if !released.as_ref().is_err_and(StoreError::is_retryable) {
                    self.state = SessionState::Ended;
                }
                Ok(released?)
            }
            None => Ok(()),
        }
    }

    fn has(&mut self, lease: Lease) {
        (self.lease, self.expected_revision, self.state) = (lease.number, lease.revision, SessionState::Loading);
    }

    /// Loads what is kept and lets the player arrive.
    fn load(&mut self, store: &(impl Store + ?Sized), world: &mut World) -> Result<(), SessionError> {
        let stored = store.load(&self.key)?;
        let found = stored.as_ref().map_or(0, |stored| stored.revision);
        if found < self.expected_revision {
            return Err(StoreError::Stale { key: self.key.clone(), found, known: self.expected_revision }.into());
        }
        self.expected_revision = found;
        let departure = match stored {
            None => self.newcomer.clone(),
            Some(stored) => self.read(&stored, world)?,
        };
        let name = departure.name().to_owned();
        self.perform(world, &Operation::arriving(departure))?;
        self.name = name;
        self.state = SessionState::Active;
        Ok(())
    }

    fn read(&self, stored: &Stored, world: &World) -> Result<Departure, SessionError> {
        let (key, revision) = (|| self.key.clone(), stored.revision);
        let wrong = |error| SessionError::Save { key: key(), revision, error };
        let save = Save::read(&stored.bytes).map_err(wrong)?;
        let rules = Arc::clone(world.rules());
        let (save, _) =
            save.migrate(&rules).map_err(|error| SessionError::Migration { key: key(), revision, error })?;
        save.departure(&rules).map_err(wrong)
    }

    /// Lets the player depart; what they have is to be saved then. One who has not arrived yet does not, and who is leaving goes on.
    ///
    /// # Errors
    /// The world does not let them go; they are still here.
    pub fn leave(&mut self, world: &mut World) -> Result<(), SessionError> {
        match self.state {
            SessionState::Joining => self.state = SessionState::Ended,
            SessionState::Loading => self.state = SessionState::Releasing,
            SessionState::Active => {
                let Some(holder) = world.holder(self.name()) else {
                    // Somebody else has let them go: there is nothing to be saved that would be theirs.
                    self.state = SessionState::Releasing;
                    return Ok(());
                };
                self.perform(world, &Operation::departing(holder))?;
                let rules = world.rules();
                self.document =
                    world.departed().first().map(|left| Save::of_departure(rules, left).to_bytes()).unwrap_or_default();
                self.state = SessionState::Saving;
            }
            // They have departed before.
            _ => {}
        }
        Ok(())
    }

    fn perform(&self, world: &mut World, operation: &Operation) -> Result<(), SessionError> {
        match world.perform(operation) {
            Ok(_) => Ok(()),
            Err(refusal) => {
                let (reason, because) = (refusal.reason(), world.explain(&refusal));
                Err(SessionError::Refused { key: self.key.clone(), reason, because })
            }
        }
    }

    fn save(&mut self, store: &(impl Store + ?Sized)) -> Result<(), SessionError> {
        match store.save(&self.key, &self.document, self.expected_revision, self.lease) {
            Ok(revision) => {
                (self.expected_revision, self.state) = (revision, SessionState::Releasing);
                Ok(())
            }
            Err(
                StoreError::LeaseLost { found, lease_number, .. } | StoreError::Conflict { found, lease_number, .. },
            ) => self.late(found, lease_number),
            // It can be tried again, once what is wrong with the store is mended.
            Err(error) => Err(error.into()),
        }
    }

    /// Somebody has saved since, or another has the lease. Nobody but this session has saved under its lease, so that tells whether what it
    /// once sent has arrived.
    fn late(&mut self, found: u64, lease_number: u64) -> Result<(), SessionError> {
        self.state = match found.checked_sub(self.expected_revision) {
            Some(1) if lease_number == self.lease => SessionState::Releasing,
            Some(0 | 1) | None => return self.is_void(),
            Some(_) => {
                self.latest = found;
                SessionState::ConfirmingSave
            }
        };
        Ok(())
    }

    fn look_back(&mut self, store: &(impl Store + ?Sized)) -> Result<(), SessionError> {
        let kept = store.generations(&self.key)?;
        let (found, known) = (kept.first().map_or(0, |latest| latest.revision), self.latest);
        if found < known {
            return Err(StoreError::Stale { key: self.key.clone(), found, known }.into());
        }
        match kept.iter().find(|kept| kept.revision == self.expected_revision + 1) {
            Some(kept) if kept.lease == self.lease => {
                self.state = SessionState::Releasing;
                Ok(())
            }
            Some(_) => self.is_void(),
            None => {
                self.state = SessionState::OutcomeUnknown;
                Err(SessionError::Void { key: self.key.clone(), is_certain: false })
            }
        }
    }

    fn is_void(&mut self) -> Result<(), SessionError> {
        self.state = SessionState::LeaseLost;
        Err(SessionError::Void { key: self.key.clone(), is_certain: true })
    }

    /// Makes the lease last from `now` on as long as it did at first. To be called well before it runs out.
    ///
    /// # Errors
    /// What the store says; [`StoreError::LeaseLost`] if another server has the player.
    pub fn renew(&self, store: &(impl Store + ?Sized), now: u64) -> Result<(), StoreError> {
        store.renew(&self.key, self.lease, now.saturating_add(self.terms.lease))
    }

    /// Takes all steps that there are, and tries those again that may pass. `wait` waits for so many milliseconds and says what time it is
    /// then; it is requested to wait 0 for the first.
    ///
    /// # Errors
    /// What did not pass, however often it was tried, or can't. If it was the load, the lease is given back.
    pub fn run(
        &mut self,
        store: &(impl Store + ?Sized),
        world: &mut World,
        retry: RetryPolicy,
        wait: &mut dyn FnMut(u64) -> u64,
    ) -> Result<(), SessionError> {
        while let Some(ask) = self.ask() {
            let tried = self.try_step(store, world, retry, wait);
            if let Err(error) = tried {
                if ask == SessionAction::Load && self.ask() == Some(SessionAction::Release) {
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
        retry: RetryPolicy,
        wait: &mut dyn FnMut(u64) -> u64,
    ) -> Result<(), SessionError> {
        let mut pause = retry.first_wait;
        let mut now = wait(0);
        for _ in 1..retry.tries.max(1) {
            match self.step(store, world, now) {
                Err(error) if error.is_retryable() => {
                    let requested =
                        if let SessionError::Store(StoreError::Busy { wait, .. }) = error { wait } else { 0 };
                    now = wait(pause.max(requested).min(retry.longest_wait));
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
