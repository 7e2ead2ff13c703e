//! What a store knows of a key besides what is kept, and the rules by which it saves and gives leases: the same for every store.

use super::{Key, Lease, StoreError};

/// The latest lease of a key.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct LeaseStatus {
    /// Its number; 0 if none was ever given.
    pub number: u64,
    /// Who has it; nobody if it was given back.
    pub owner: String,
    /// When it runs out, in milliseconds.
    pub until: u64,
}

/// What a store knows of a key besides what is kept.
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub struct Status {
    /// The revision of the latest save, 0 if there is none.
    pub revision: u64,
    /// The number of the lease under which that was saved.
    pub under: u64,
    /// The latest lease.
    pub lease: LeaseStatus,
}

impl Status {
    /// The revision that comes of a save.
    pub(super) fn next(&self, key: &Key, base: u64, number: u64) -> Result<u64, StoreError> {
        self.check_number(key, number)?;
        if self.revision != base {
            return Err(StoreError::Conflict { key: key.clone(), base, found: self.revision, under: self.under });
        }
        after(key, base)
    }

    /// The lease that `owner` gets.
    pub(super) fn grant(&self, key: &Key, owner: &str, now: u64, until: u64) -> Result<LeaseStatus, StoreError> {
        let held = &self.lease;
        if !held.owner.is_empty() && held.owner != owner && held.until > now {
            return Err(StoreError::Held { key: key.clone(), owner: held.owner.clone(), until: held.until });
        }
        // Asked again, since no answer came or the request came twice: it stays the same lease.
        if held.owner == owner {
            return Ok(LeaseStatus { until: held.until.max(until), ..held.clone() });
        }
        Ok(LeaseStatus { number: after(key, held.number)?, owner: owner.to_owned(), until })
    }

    pub(super) fn renewed(&self, key: &Key, number: u64, until: u64) -> Result<LeaseStatus, StoreError> {
        self.check_number(key, number)?;
        if self.lease.owner.is_empty() {
            return Err(self.taken_over(key, number));
        }
        Ok(LeaseStatus { until, ..self.lease.clone() })
    }

    /// The lease when it has been given back; none if nothing changes.
    pub(super) fn released(&self, number: u64) -> Option<LeaseStatus> {
        let is_held = self.lease.number == number && !self.lease.owner.is_empty();
        is_held.then(|| LeaseStatus { number, owner: String::new(), until: 0 })
    }

    /// What is told of the latest lease to whom it was given.
    pub(super) fn told(&self) -> Lease {
        Lease { number: self.lease.number, revision: self.revision, until: self.lease.until }
    }

    fn check_number(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        if number == self.lease.number { Ok(()) } else { Err(self.taken_over(key, number)) }
    }

    fn taken_over(&self, key: &Key, number: u64) -> StoreError {
        let (latest, found, under) = (self.lease.number, self.revision, self.under);
        StoreError::TakenOver { key: key.clone(), number, latest, found, under }
    }
}

/// Numbers stay within what every store can keep.
const HIGHEST: u64 = i64::MAX as u64;

fn after(key: &Key, number: u64) -> Result<u64, StoreError> {
    match number.checked_add(1) {
        Some(next) if next <= HIGHEST => Ok(next),
        _ => Err(StoreError::Failed {
            place: format!("`{key}`"),
            action: "count on",
            cause: format!("no number comes after {number}"),
        }),
    }
}
