//! The state of a key besides its saves, and the rules for saves and leases, which all stores
//! share.

use super::{Key, Lease, StoreError};

/// The latest lease of a key.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct LeaseStatus {
    /// Its number; 0 if none was ever given.
    pub number: u64,
    /// The owner; empty if it was released.
    pub owner: String,
    /// The time when it expires, in milliseconds.
    pub expires_at: u64,
}

/// The state of a key besides its saves.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Status {
    /// The revision of the latest save, 0 if there is none.
    pub revision: u64,
    /// The number of the lease of that save.
    pub lease_number: u64,
    /// The latest lease.
    pub lease: LeaseStatus,
}

impl Status {
    /// The revision of the next save.
    pub(super) fn next(&self, key: &Key, expected_revision: u64, number: u64) -> Result<u64, StoreError> {
        self.check_number(key, number)?;
        if self.revision != expected_revision {
            return Err(StoreError::Conflict {
                key: key.clone(),
                expected_revision,
                found: self.revision,
                lease_number: self.lease_number,
            });
        }
        after(key, expected_revision)
    }

    /// The lease that `owner` gets.
    pub(super) fn grant(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<LeaseStatus, StoreError> {
        let held = &self.lease;
        if !held.owner.is_empty() && held.owner != owner && held.expires_at > now {
            return Err(StoreError::Held { key: key.clone(), owner: held.owner.clone(), expires_at: held.expires_at });
        }
        // A repeated request, or one whose response was lost, gets the same lease.
        if held.owner == owner {
            return Ok(LeaseStatus { expires_at: held.expires_at.max(expires_at), ..held.clone() });
        }
        Ok(LeaseStatus { number: after(key, held.number)?, owner: owner.to_owned(), expires_at })
    }

    pub(super) fn renewed(&self, key: &Key, number: u64, expires_at: u64) -> Result<LeaseStatus, StoreError> {
        self.check_number(key, number)?;
        if self.lease.owner.is_empty() {
            return Err(self.taken_over(key, number));
        }
        Ok(LeaseStatus { expires_at, ..self.lease.clone() })
    }

    /// The released lease; `None` if there is no change.
    pub(super) fn released(&self, number: u64) -> Option<LeaseStatus> {
        let is_held = self.lease.number == number && !self.lease.owner.is_empty();
        is_held.then(|| LeaseStatus { number, owner: String::new(), expires_at: 0 })
    }

    /// The latest lease as its owner sees it.
    pub(super) fn described(&self) -> Lease {
        Lease { number: self.lease.number, revision: self.revision, expires_at: self.lease.expires_at }
    }

    fn check_number(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        if number == self.lease.number { Ok(()) } else { Err(self.taken_over(key, number)) }
    }

    fn taken_over(&self, key: &Key, number: u64) -> StoreError {
        let (latest, found, lease_number) = (self.lease.number, self.revision, self.lease_number);
        StoreError::LeaseLost { key: key.clone(), number, latest, found, lease_number }
    }
}

/// Numbers stay in the range that every store can keep.
const HIGHEST: u64 = i64::MAX as u64;

fn after(key: &Key, number: u64) -> Result<u64, StoreError> {
    match number.checked_add(1) {
        Some(next) if next <= HIGHEST => Ok(next),
        _ => Err(StoreError::Failed {
            place: format!("`{key}`"),
            action: "count on",
            cause: format!("{number} is the last number"),
        }),
    }
}
