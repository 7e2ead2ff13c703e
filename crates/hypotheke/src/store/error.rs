//! The errors of a store.

use super::{Key, KeyError};

/// The error of a store. Unless [`StoreError::is_outcome_unknown`] is true, the store is unchanged.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// These bytes are not a valid key.
    #[error(transparent)]
    Key(#[from] KeyError),
    /// The save expects an older revision. It would replace a newer save.
    #[error("`{key}`: the save expects revision {expected_revision}, but the stored revision is {found}")]
    Conflict {
        /// The key.
        key: Key,
        /// The expected revision.
        expected_revision: u64,
        /// The stored revision.
        found: u64,
        /// The number of the lease of the stored save.
        lease_number: u64,
    },
    /// A newer lease exists, so this one can no longer save.
    #[error("`{key}`: lease {number} is lost; the latest lease is {latest}")]
    LeaseLost {
        /// The key.
        key: Key,
        /// The number of the lost lease.
        number: u64,
        /// The number of the latest lease.
        latest: u64,
        /// The stored revision.
        found: u64,
        /// The number of the lease of the stored save.
        lease_number: u64,
    },
    /// A different owner has a lease that has not expired.
    #[error("`{key}`: {owner} has the lease until {expires_at}")]
    Held {
        /// The key.
        key: Key,
        /// The owner.
        owner: String,
        /// The time when it expires, in milliseconds of the shared clock.
        expires_at: u64,
    },
    /// The stored bytes are damaged.
    #[error("`{key}`: {place}: {cause}{}", offer(*.earlier))]
    Damaged {
        /// The key.
        key: Key,
        /// The file or the row.
        place: String,
        /// The damage.
        cause: String,
        /// The revision of the latest earlier save that is intact.
        /// [`generations`](super::Store::generations) returns it.
        earlier: Option<u64>,
    },
    /// A different process has the store open, or is writing.
    #[error("{place} is locked by a different process{}", by(.owner))]
    Locked {
        /// The lock.
        place: String,
        /// The text that the other process left.
        owner: String,
    },
    /// The path is not a store, or it is of a later version.
    #[error("{place} is not a store: {cause}")]
    NoStore {
        /// The folder or the file.
        place: String,
        /// What it is instead.
        cause: String,
    },
    /// The store itself is damaged, not only one save.
    #[error("{place} is damaged: {cause}")]
    DamagedStore {
        /// The file.
        place: String,
        /// The damage.
        cause: String,
    },
    /// Write access is denied.
    #[error("{place}: {action}: write access denied")]
    ReadOnly {
        /// The file or folder.
        place: String,
        /// The action that failed.
        action: &'static str,
    },
    /// The disk is full.
    #[error("{place}: {action}: the disk is full")]
    Full {
        /// The file or folder.
        place: String,
        /// The action that failed.
        action: &'static str,
    },
    /// The system or the database failed.
    #[error("{place}: {action}: {cause}")]
    Failed {
        /// The file or folder.
        place: String,
        /// The action that failed.
        action: &'static str,
        /// The message of the system or the database.
        cause: String,
    },
    /// The service is busy.
    #[error("`{key}`: the service is busy; try again in {wait} ms")]
    Busy {
        /// The key.
        key: Key,
        /// How long to wait, in milliseconds.
        wait: u64,
    },
    /// There was no response. The request may have been applied, or may be applied later.
    #[error("`{key}`: no response: {cause}")]
    NoResponse {
        /// The key.
        key: Key,
        /// What happened instead.
        cause: &'static str,
    },
    /// The loaded save is older than a save that is known to be stored.
    #[error("`{key}`: revision {found} was read, but revision {known} is stored")]
    Stale {
        /// The key.
        key: Key,
        /// The loaded revision.
        found: u64,
        /// The known revision.
        known: u64,
    },
}

fn offer(earlier: Option<u64>) -> String {
    match earlier {
        Some(revision) => format!("; revision {revision} is intact"),
        None => "; no earlier save is intact".to_owned(),
    }
}

fn by(owner: &str) -> String {
    if owner.is_empty() { String::new() } else { format!(" ({owner})") }
}

impl StoreError {
    /// A code that does not change.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            StoreError::Key(_) => "key",
            StoreError::Conflict { .. } => "conflict",
            StoreError::LeaseLost { .. } => "lease-lost",
            StoreError::Held { .. } => "held",
            StoreError::Damaged { .. } => "damaged",
            StoreError::Locked { .. } => "locked",
            StoreError::NoStore { .. } => "no-store",
            StoreError::DamagedStore { .. } => "damaged-store",
            StoreError::ReadOnly { .. } => "read-only",
            StoreError::Full { .. } => "full",
            StoreError::Failed { .. } => "failed",
            StoreError::Busy { .. } => "busy",
            StoreError::NoResponse { .. } => "no-response",
            StoreError::Stale { .. } => "stale",
        }
    }

    /// Whether the same request may succeed later.
    #[must_use]
    pub fn is_retryable(&self) -> bool {
        matches!(
            self,
            StoreError::Held { .. }
                | StoreError::Locked { .. }
                | StoreError::Busy { .. }
                | StoreError::NoResponse { .. }
                | StoreError::Stale { .. }
        )
    }

    /// Whether the request may have been applied, or may be applied later.
    #[must_use]
    pub fn is_outcome_unknown(&self) -> bool {
        matches!(self, StoreError::NoResponse { .. })
    }

    /// The error of the system, sorted by what one can do about it.
    pub(crate) fn of_system(place: String, action: &'static str, error: &std::io::Error) -> StoreError {
        use std::io::ErrorKind;
        match error.kind() {
            ErrorKind::PermissionDenied | ErrorKind::ReadOnlyFilesystem => StoreError::ReadOnly { place, action },
            ErrorKind::StorageFull | ErrorKind::QuotaExceeded => StoreError::Full { place, action },
            ErrorKind::NotADirectory => StoreError::NoStore { place, cause: "the path is a file".to_owned() },
            _ => StoreError::Failed { place, action, cause: crate::text::system_cause(error) },
        }
    }
}
