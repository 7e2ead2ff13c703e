//! A store in memory.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::{Generation, Key, Lease, LeaseStatus, Status, Store, StoreError, Stored};

/// The number of saves of a key.
const KEPT: usize = 3;

/// A store in memory. It has every property of a store except durability. A clone is an independent
/// store with the same contents.
#[derive(Debug, Default)]
pub struct MemoryStore {
    all: Mutex<BTreeMap<Key, Kept>>,
}

/// The saves and the lease of a key.
#[derive(Clone, Debug, Default)]
struct Kept {
    lease: LeaseStatus,
    /// Latest first.
    saves: Vec<Arc<Stored>>,
}

impl Kept {
    fn head(&self) -> Status {
        let (revision, lease_number) = self.saves.first().map_or((0, 0), |stored| (stored.revision, stored.lease));
        Status { revision, lease_number, lease: self.lease.clone() }
    }
}

impl MemoryStore {
    /// An empty store.
    #[must_use]
    pub fn new() -> MemoryStore {
        MemoryStore::default()
    }

    fn all(&self) -> MutexGuard<'_, BTreeMap<Key, Kept>> {
        self.all.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn kept(&self, key: &Key) -> Kept {
        self.all().get(key).cloned().unwrap_or_default()
    }
}

impl Clone for MemoryStore {
    fn clone(&self) -> MemoryStore {
        MemoryStore { all: Mutex::new(self.all().clone()) }
    }
}

impl Store for MemoryStore {
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError> {
        Ok(self.kept(key).saves.first().map(|stored| Stored::clone(stored)))
    }

    fn status(&self, key: &Key) -> Result<Status, StoreError> {
        Ok(self.kept(key).head())
    }

    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError> {
        let described = |stored: &Arc<Stored>| {
            let Stored { revision, lease, bytes } = Stored::clone(stored);
            Generation { revision, lease, content: Ok(bytes) }
        };
        Ok(self.kept(key).saves.iter().map(described).collect())
    }

    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError> {
        let mut all = self.all();
        let head = all.get(key).map(Kept::head).unwrap_or_default();
        let revision = head.next(key, expected_revision, lease)?;
        let saves = &mut all.entry(key.clone()).or_default().saves;
        saves.insert(0, Arc::new(Stored { revision, lease, bytes: bytes.to_vec() }));
        saves.truncate(KEPT);
        Ok(revision)
    }

    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError> {
        let mut all = self.all();
        let head = all.get(key).map(Kept::head).unwrap_or_default();
        let kept = all.entry(key.clone()).or_default();
        kept.lease = head.grant(key, owner, now, expires_at)?;
        Ok(kept.head().described())
    }

    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError> {
        let mut all = self.all();
        let kept = all.entry(key.clone()).or_default();
        kept.lease = kept.head().renewed(key, number, expires_at)?;
        Ok(())
    }

    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        let mut all = self.all();
        if let Some(kept) = all.get_mut(key)
            && let Some(lease) = kept.head().released(number)
        {
            kept.lease = lease;
        }
        Ok(())
    }

    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        let all = self.all();
        Ok(all.iter().filter(|(_, kept)| !kept.saves.is_empty()).map(|(key, _)| key.clone()).collect())
    }
}
