//! Stores: where saves are kept, so that crashes, services that fail and a second server lose none and double none.
//!
//! A [`Store`] keeps bytes under [keys](Key), such as the save of a player under their name. Each time they are saved they get the next
//! *revision*; whoever saves says from which revision that was made, and one that is made from an older revision is refused. Who plays with a save takes
//! a *lease* first: it has a number that grows with each lease that is given, and nothing is saved under an older one. So a server that takes over shuts
//! out whatever the one before may still send.
//!
//! | store | keeps them |
//! | --- | --- |
//! | [`FolderStore`] | in a folder of plain files |
//! | `SqliteStore` (feature `sqlite`) | in an SQLite database |
//! | [`MemoryStore`] | in memory, for tests |
//! | [`FaultyStore`] | in memory, with the habits of a service far away, for tests |
//!
//! [`Session`] is what a server does with them from the moment a player joins until they have left.
//!
//! ```
//! use hypotheke::store::{Key, MemoryStore, Store, StoreError};
//!
//! let store = MemoryStore::new();
//! let ada = Key::new("Ada")?;
//! let lease = store.lease(&ada, "camp", 0, 10_000)?;
//! let first = store.save(&ada, b"6 flares", lease.revision, lease.number)?;
//!
//! // Whoever goes by what was there before would write over it.
//! assert!(matches!(store.save(&ada, b"9 flares", 0, lease.number), Err(StoreError::Conflict { .. })));
//! // The lease of `camp` runs out, and `pass` gets the next: `camp` comes too late.
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

/// Where saves are kept, each under a key.
///
/// Whatever stands behind it has to give two things, each at once and whole: nothing is saved unless the revision that is kept is the one that the save
/// was made from, and unless the lease under which it is saved is the latest that was given for the key. All else can be made of these; see
/// `save_checks` for what tells whether one does.
pub trait Store {
    /// The latest save that is kept under a key; none if there never was one.
    ///
    /// # Errors
    /// What keeps it from being read. One that is damaged says which earlier one is whole.
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError>;

    /// What is known of a key: its revision and its lease, without what is kept. As the refusals, and unlike what is read, it is never behind.
    ///
    /// # Errors
    /// What keeps it from being read.
    fn status(&self, key: &Key) -> Result<Status, StoreError>;

    /// What is kept under a key, the latest first: it and those before it, as many as the store keeps, which is one before at least. By these a
    /// server that was taken over finds out whether the last that it sent had arrived, so the more are kept, the later it may ask.
    ///
    /// # Errors
    /// What keeps them from being read. One that is damaged is told in its place and keeps the others from nothing.
    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError>;

    /// Keeps bytes under a key. They were made from the revision `expected_revision`, 0 if nothing was there, under the lease of this number, 0 if none was ever
    /// given. Gives the revision that they have now; from then on they survive whatever the store promises to survive.
    ///
    /// # Errors
    /// [`StoreError::Conflict`] if another revision is kept, [`StoreError::LeaseLost`] if another lease was given, or what keeps it from
    /// being written.
    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError>;

    /// Gives `owner` a lease of a key, from `now` until `until`, in milliseconds of a clock that all who share the store go by. It is given if no other
    /// owner has one that has not run out; its number is higher than any before. An owner who has it already gets the same again, so that a
    /// request may come twice. Whatever starts anew, such as another session or a server that comes back and has forgotten, is another owner.
    ///
    /// # Errors
    /// [`StoreError::Held`] if another has one, or what keeps it from being written.
    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError>;

    /// Makes a lease last longer.
    ///
    /// # Errors
    /// [`StoreError::LeaseLost`] if it is not the latest or was given back, or what keeps it from being written.
    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError>;

    /// Gives a lease back before it runs out. To give back what is no longer the latest changes nothing.
    ///
    /// # Errors
    /// What keeps it from being written.
    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError>;

    /// All keys under which something was saved, in the order of their bytes.
    ///
    /// # Errors
    /// What keeps them from being read.
    fn keys(&self) -> Result<Vec<Key>, StoreError>;
}

/// What is kept under a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Stored {
    /// How many times something was saved under the key, with this.
    pub revision: u64,
    /// The number of the lease under which it was saved; 0 if none was given.
    pub lease: u64,
    /// What was saved.
    pub bytes: Vec<u8>,
}

/// One of the saves that are kept under a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Generation {
    /// Which revision it is.
    pub revision: u64,
    /// The number of the lease under which it was saved; 0 if none was given.
    pub lease: u64,
    /// What was saved, or where it is and what is wrong with it.
    pub content: Result<Vec<u8>, String>,
}

/// The right to save under a key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Lease {
    /// Higher than that of any lease before.
    pub number: u64,
    /// The revision that was kept when it was given, 0 for none: what is loaded must not be older.
    pub revision: u64,
    /// When it runs out, in milliseconds.
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
