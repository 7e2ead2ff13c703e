//! The protocol of a server with a store, from the time a player joins until the player has left.
//!
//! The order matters. The lease precedes the load: from then on no older save can be stored, so the
//! loaded one is the latest. The save precedes the release: the next owner of the lease loads what
//! was saved.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::{Key, Lease, Store, StoreError, Stored};
use crate::migration::MigrationError;
use crate::ops::{Operation, Reason};
use crate::save::{Save, SaveError};
use crate::snapshot::Departure;
use crate::world::World;

/// The next request of a session to the store.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum SessionAction {
    /// Request a lease.
    Lease,
    /// Load the latest save.
    Load,
    /// Save the player.
    Save,
    /// Read the earlier saves, to find out whether the last save was stored before the lease was
    /// lost.
    ConfirmSave,
    /// Release the lease.
    Release,
}

/// The state of a session.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SessionState {
    /// It has no lease yet.
    Joining,
    /// It has a lease and must load the save.
    Loading,
    /// The player is in the world.
    Active,
    /// The player has departed and must be saved.
    Saving,
    /// The lease is lost. The session must find out whether its save was stored before.
    ConfirmingSave,
    /// The player is saved; the lease must be released.
    Releasing,
    /// The session is over.
    Ended,
    /// The lease was lost before the save was stored: the results of this session are lost.
    LeaseLost,
    /// The lease was lost, and too many saves followed to find out whether this one was stored.
    OutcomeUnknown,
}

/// Durations of a session.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct SessionOptions {
    /// The duration of a lease without a renewal, in milliseconds. A server that crashes blocks its
    /// players for this time.
    pub lease: u64,
}

impl Default for SessionOptions {
    /// Leases of one minute.
    fn default() -> SessionOptions {
        SessionOptions { lease: 60_000 }
    }
}

/// How a failed request is repeated: the waiting time doubles after each attempt.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct RetryPolicy {
    /// The maximum number of attempts.
    pub tries: u32,
    /// The time before the second attempt, in milliseconds.
    pub first_wait: u64,
    /// The maximum time between two attempts, in milliseconds.
    pub longest_wait: u64,
}

impl Default for RetryPolicy {
    /// Eight attempts in about ten seconds.
    fn default() -> RetryPolicy {
        RetryPolicy { tries: 8, first_wait: 100, longest_wait: 5_000 }
    }
}

/// One player on one server, step by step, for a thread that waits or for one that does other work
/// in between.
///
/// It can be stored beside the save of the world and continued after a restart of the server:
/// repeated steps are recognised.
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
/// // The clock waits for a number of milliseconds and returns the time.
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
    /// The name of the player in the world.
    name: String,
    state: SessionState,
    /// The number of the lease, 0 before there is one, and the revision that was stored then.
    lease: u64,
    expected_revision: u64,
    /// The known stored revision after the lease is lost.
    latest: u64,
    /// The bytes to save after the player has departed.
    document: Vec<u8>,
}

/// The error of a session.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SessionError {
    /// An error of the store. If [`StoreError::is_retryable`] is true, the same step can be
    /// repeated.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// The stored bytes are not the save of a player.
    #[error("`{key}`, revision {revision}: {error}")]
    Save {
        /// The key.
        key: Key,
        /// The revision.
        revision: u64,
        /// The error.
        error: SaveError,
    },
    /// The save is of a different ruleset and cannot be migrated.
    #[error("`{key}`, revision {revision}: {error}")]
    Migration {
        /// The key.
        key: Key,
        /// The revision.
        revision: u64,
        /// The error.
        error: MigrationError,
    },
    /// The lease is lost, and the results of the session are [lost](SessionState::LeaseLost) or
    /// [may be](SessionState::OutcomeUnknown).
    #[error("`{key}`: the lease went to a different server{}", if *.is_certain { ", so the results of this session are lost" } else { "; it is unknown whether this session was saved" })]
    Void {
        /// The key.
        key: Key,
        /// Whether it is certain that nothing was saved.
        is_certain: bool,
    },
    /// The world refuses the arrival or the departure.
    #[error("`{key}`: {because}")]
    Refused {
        /// The key.
        key: Key,
        /// The reason.
        reason: Reason,
        /// The reason in words.
        because: String,
    },
}

impl SessionError {
    /// Whether the same step may succeed later.
    #[must_use]
    pub fn is_retryable(&self) -> bool {
        matches!(self, SessionError::Store(error) if error.is_retryable())
    }
}

impl Session {
    /// A session of the player with the saves under `key`. If there is no save, `newcomer` arrives.
    ///
    /// `owner` identifies the server and this session, such as `camp 17`. No other session may ever
    /// have the same owner.
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

    /// The state.
    #[must_use]
    pub fn state(&self) -> SessionState {
        self.state
    }

    /// The key of the player.
    #[must_use]
    pub fn key(&self) -> &Key {
        &self.key
    }

    /// The name of the player in the world.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// The owner of the lease.
    #[must_use]
    pub fn owner(&self) -> &str {
        &self.owner
    }

    /// The revision that the next save expects: that of the load, or of the last save.
    #[must_use]
    pub fn expected_revision(&self) -> u64 {
        self.expected_revision
    }

    /// The number of the lease; 0 before there is one.
    #[must_use]
    pub fn lease(&self) -> u64 {
        self.lease
    }

    /// The save of the player after the departure. If the [lease is lost](SessionState::LeaseLost),
    /// it shows what the game may have to settle.
    #[must_use]
    pub fn transfer_record(&self) -> &[u8] {
        &self.document
    }

    /// The next request to the store; none while the player is active, or when the session is over.
    #[must_use]
    pub fn action(&self) -> Option<SessionAction> {
        match self.state {
            SessionState::Joining => Some(SessionAction::Lease),
            SessionState::Loading => Some(SessionAction::Load),
            SessionState::Saving => Some(SessionAction::Save),
            SessionState::ConfirmingSave => Some(SessionAction::ConfirmSave),
            SessionState::Releasing => Some(SessionAction::Release),
            SessionState::Active | SessionState::Ended | SessionState::LeaseLost | SessionState::OutcomeUnknown => None,
        }
    }

    /// Sends the next request to the store, at the time `now`, and handles the response. After a
    /// [retryable](SessionError::is_retryable) error it can be called again. After any other error,
    /// only the release of the lease remains, if anything.
    ///
    /// # Errors
    /// The error of the request.
    pub fn step(&mut self, store: &(impl Store + ?Sized), world: &mut World, now: u64) -> Result<(), SessionError> {
        match self.action() {
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

    /// Loads the save and lets the player arrive.
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

    /// Lets the player depart; the save follows. A player who has not arrived stops joining.
    ///
    /// # Errors
    /// The world refuses the departure; the player stays.
    pub fn leave(&mut self, world: &mut World) -> Result<(), SessionError> {
        match self.state {
            SessionState::Joining => self.state = SessionState::Ended,
            SessionState::Loading => self.state = SessionState::Releasing,
            SessionState::Active => {
                let Some(holder) = world.holder(self.name()) else {
                    // Someone else let the player depart, so there is nothing to save.
                    self.state = SessionState::Releasing;
                    return Ok(());
                };
                self.perform(world, &Operation::departing(holder))?;
                let rules = world.rules();
                self.document =
                    world.departed().first().map(|left| Save::of_departure(rules, left).to_bytes()).unwrap_or_default();
                self.state = SessionState::Saving;
            }
            // The player has already departed.
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
            // It can be repeated when the store is repaired.
            Err(error) => Err(error.into()),
        }
    }

    /// A newer save or a newer lease exists. Only this session saves with its lease, so the stored
    /// lease shows whether its own save was stored.
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

    /// Extends the lease from `now` by its full duration. Call it well before the lease expires.
    ///
    /// # Errors
    /// The error of the store; [`StoreError::LeaseLost`] if a different server has the player.
    pub fn renew(&self, store: &(impl Store + ?Sized), now: u64) -> Result<(), StoreError> {
        store.renew(&self.key, self.lease, now.saturating_add(self.terms.lease))
    }

    /// Takes all remaining steps, and repeats those with retryable errors. `wait` waits for a
    /// number of milliseconds and returns the time; the first call waits 0.
    ///
    /// # Errors
    /// The error that remains after all attempts, or that is not retryable. If the load failed, the
    /// lease is released.
    pub fn run(
        &mut self,
        store: &(impl Store + ?Sized),
        world: &mut World,
        retry: RetryPolicy,
        wait: &mut dyn FnMut(u64) -> u64,
    ) -> Result<(), SessionError> {
        while let Some(ask) = self.action() {
            let tried = self.try_step(store, world, retry, wait);
            if let Err(error) = tried {
                if ask == SessionAction::Load && self.action() == Some(SessionAction::Release) {
                    // The first error is the result, whatever the release returns.
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
