//! Stores: they keep saves through crashes, failing services and a second server, without losing or
//! duplicating any.
//!
//! A [`Store`] keeps bytes under [keys](Key), such as the save of a player under the name of the
//! player. Each save increases the *revision* of its key. A save names the revision that it
//! expects, and a different one is refused. Before a server uses a save, it takes a *lease*, which
//! has a number that increases with each lease. Only the latest lease can save. So a server that
//! takes over a player shuts out all delayed requests of the previous server.
//!
//! | store | storage |
//! | --- | --- |
//! | [`FolderStore`] | a folder of plain files |
//! | `SqliteStore` (feature `sqlite`) | an SQLite database |
//! | [`MemoryStore`] | memory, for tests |
//! | [`FaultyStore`] | memory, with the faults of a remote service, for tests |
//!
//! [`Session`] is the protocol of a server from the time a player joins until the player has left.
//!
//! ```
//! use hypotheke::store::{Key, MemoryStore, Store, StoreError};
//!
//! let store = MemoryStore::new();
//! let ada = Key::new("Ada")?;
//! let lease = store.lease(&ada, "camp", 0, 10_000)?;
//! let first = store.save(&ada, b"6 flares", lease.revision, lease.number)?;
//!
//! // A save that expects the old revision would replace the new one.
//! assert!(matches!(store.save(&ada, b"9 flares", 0, lease.number), Err(StoreError::Conflict { .. })));
//! // The lease of `camp` expires, and `pass` gets the next: `camp` is too late.
//! assert!(matches!(store.lease(&ada, "pass", 9_999, 20_000), Err(StoreError::Held { .. })));
//! let later = store.lease(&ada, "pass", 10_000, 20_000)?;
//! assert!(matches!(store.save(&ada, b"5 flares", first, lease.number), Err(StoreError::LeaseLost { .. })));
//! assert_eq!(store.load(&ada)?.unwrap().bytes, b"6 flares");
//! assert!(later.number > lease.number);
//! # Ok::<(), StoreError>(())
//! ```

mod disk;
mod error;
mod folder;
mod key;
mod memory;
mod record;
mod remote;
mod session;
mod simulated;
#[cfg(feature = "sqlite")]
mod sqlite;

pub use disk::{Disk, SystemDisk};
pub use error::StoreError;
pub use folder::FolderStore;
pub use key::{Key, KeyError};
pub use memory::MemoryStore;
pub use record::{LeaseStatus, Status};
pub(crate) use remote::Request;
pub use remote::{FaultProfile, FaultyStore, InjectedFault};
pub use session::{RetryPolicy, Session, SessionAction, SessionError, SessionOptions, SessionState};
pub(crate) use simulated::PROCESS_HAS_ENDED;
pub use simulated::{Crash, SimulatedDisk};
#[cfg(feature = "sqlite")]
pub use sqlite::SqliteStore;

/// A store of saves, each under a key.
///
/// An implementation must make one change atomic: a save succeeds only if the stored revision is
/// the expected one and the lease is the latest of the key. Everything else can be built from that.
/// `save_checks` tests whether an implementation does it.
pub trait Store {
    /// The latest save of a key; `None` if there never was one.
    ///
    /// # Errors
    /// The reason why it cannot be read. For a damaged save, the error names an earlier intact one.
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError>;

    /// The revision and the lease of a key, without the save. Unlike a load, it is never stale.
    ///
    /// # Errors
    /// The reason why it cannot be read.
    fn status(&self, key: &Key) -> Result<Status, StoreError>;

    /// The saves of a key, latest first: at least the latest two, and as many as the store keeps. A
    /// server that lost its lease finds out here whether its last save was stored. The more saves
    /// the store keeps, the later it can ask.
    ///
    /// # Errors
    /// The reason why they cannot be read. A damaged save is listed with its error and does not
    /// hide the others.
    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError>;

    /// Saves bytes under a key. `expected_revision` is the revision that they were made from, 0 if
    /// there was none. `lease` is the number of the lease, 0 if there never was one. Returns the
    /// new revision. From then on the bytes survive all that the store promises.
    ///
    /// # Errors
    /// [`StoreError::Conflict`] if the stored revision differs, [`StoreError::LeaseLost`] if a
    /// newer lease exists, or the reason why it cannot be written.
    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError>;

    /// Gives `owner` a lease of a key, from `now` until `expires_at`, in milliseconds of a shared
    /// clock. It fails if a different owner has a lease that has not expired. The number is higher
    /// than any before. An owner that already has the lease gets it again, so a request can be
    /// repeated. A new session, or a server that restarts without its state, is a different owner.
    ///
    /// # Errors
    /// [`StoreError::Held`] if a different owner has it, or the reason why it cannot be written.
    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError>;

    /// Extends a lease.
    ///
    /// # Errors
    /// [`StoreError::LeaseLost`] if it is not the latest or was released, or the reason why it
    /// cannot be written.
    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError>;

    /// Releases a lease before it expires. Releasing an old lease has no effect.
    ///
    /// # Errors
    /// The reason why it cannot be written.
    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError>;

    /// All keys with a save, in the order of their bytes.
    ///
    /// # Errors
    /// The reason why they cannot be read.
    fn keys(&self) -> Result<Vec<Key>, StoreError>;
}

/// A stored save.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stored {
    /// Its revision: the number of saves of the key until then.
    pub revision: u64,
    /// The number of its lease; 0 if there was none.
    pub lease: u64,
    /// The bytes.
    pub bytes: Vec<u8>,
}

/// One of the saves of a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Generation {
    /// Its revision.
    pub revision: u64,
    /// The number of its lease; 0 if there was none.
    pub lease: u64,
    /// The bytes, or the error if they are damaged.
    pub content: Result<Vec<u8>, String>,
}

/// The right to save under a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Lease {
    /// It is higher than that of any earlier lease.
    pub number: u64,
    /// The stored revision when the lease was granted, 0 for none. A load must not be older.
    pub revision: u64,
    /// The time when it expires, in milliseconds.
    pub expires_at: u64,
}

impl<S: Store + ?Sized> Store for &S {
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError> {
        (**self).load(key)
    }

    fn status(&self, key: &Key) -> Result<Status, StoreError> {
        (**self).status(key)
    }

    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError> {
        (**self).generations(key)
    }

    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError> {
        (**self).save(key, bytes, expected_revision, lease)
    }

    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError> {
        (**self).lease(key, owner, now, expires_at)
    }

    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError> {
        (**self).renew(key, number, expires_at)
    }

    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        (**self).release(key, number)
    }

    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        (**self).keys()
    }
}
