//! Why a store did not do what it was requested.

use super::{Key, KeyError};

/// Why a store did not do what it was requested. Unless [`StoreError::is_outcome_unknown`] says otherwise, nothing has changed in it.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum StoreError {
    /// These bytes are no key.
    #[error(transparent)]
    Key(#[from] KeyError),
    /// Someone has saved since: the save was made from an older revision, and would write over theirs.
    #[error("`{key}`: the save expects revision {expected_revision}, but the stored revision is {found}")]
    Conflict {
        /// Which.
        key: Key,
        /// The revision that it was made from.
        expected_revision: u64,
        /// The revision that is kept.
        found: u64,
        /// The number of the lease under which that was saved.
        lease_number: u64,
    },
    /// Another has the lease now: whoever writes under an older one comes too late.
    #[error("`{key}`: lease {number} is lost; the latest lease is {latest}")]
    LeaseLost {
        /// Which.
        key: Key,
        /// The number of the lease under which it was requested.
        number: u64,
        /// The number of the latest.
        latest: u64,
        /// The revision that is kept.
        found: u64,
        /// The number of the lease under which that was saved.
        lease_number: u64,
    },
    /// Another has a lease that has not run out.
    #[error("`{key}`: {owner} has the lease until {expires_at}")]
    Held {
        /// Which.
        key: Key,
        /// Who has it.
        owner: String,
        /// Until when, in milliseconds of the clock that all go by.
        expires_at: u64,
    },
    /// What is kept is not what was written.
    #[error("`{key}`: {place}: {cause}{}", offer(*.earlier))]
    Damaged {
        /// Which.
        key: Key,
        /// The file, or the row.
        place: String,
        /// What is wrong with it.
        cause: String,
        /// The revision of the latest save before that is whole. [`generations`](super::Store::generations) has it.
        earlier: Option<u64>,
    },
    /// Another process has the store open, or is writing in it.
    #[error("{place} is locked by a different process{}", by(.owner))]
    Locked {
        /// The lock.
        place: String,
        /// What the other says of itself.
        owner: String,
    },
    /// What is there is no store, or one of a later version.
    #[error("{place} is not a store: {cause}")]
    NoStore {
        /// The folder or the file.
        place: String,
        /// What it is instead.
        cause: String,
    },
    /// The store itself is damaged, not one save in it.
    #[error("{place} is damaged: {cause}")]
    DamagedStore {
        /// The file.
        place: String,
        /// What is wrong with it.
        cause: String,
    },
    /// Nothing may be written there.
    #[error("{place}: {action}: write access denied")]
    ReadOnly {
        /// The file or folder.
        place: String,
        /// What was to be done.
        action: &'static str,
    },
    /// There is no room for more.
    #[error("{place}: {action}: the disk is full")]
    Full {
        /// The file or folder.
        place: String,
        /// What was to be done.
        action: &'static str,
    },
    /// The system, or the database, max_amount not do it.
    #[error("{place}: {action}: {cause}")]
    Failed {
        /// The file or folder.
        place: String,
        /// What was to be done.
        action: &'static str,
        /// What was answered.
        cause: String,
    },
    /// The service takes no more for now.
    #[error("`{key}`: the service is busy; try again in {wait} ms")]
    Busy {
        /// Which.
        key: Key,
        /// How long to wait, in milliseconds.
        wait: u64,
    },
    /// No answer came. What was requested may have been done, or may yet be.
    #[error("`{key}`: no response: {cause}")]
    NoResponse {
        /// Which.
        key: Key,
        /// What happened instead.
        cause: &'static str,
    },
    /// What was read is older than what is known to be kept.
    #[error("`{key}`: revision {found} was read, but revision {known} is stored")]
    Stale {
        /// Which.
        key: Key,
        /// The revision that was read.
        found: u64,
        /// The revision that is kept.
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
    /// A short name of the cause, which does not change.
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

    /// Whether the same may go well a little later.
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

    /// Whether what was requested may have been done nevertheless, or may yet be.
    #[must_use]
    pub fn is_outcome_unknown(&self) -> bool {
        matches!(self, StoreError::NoResponse { .. })
    }

    /// What the system says, told by what can be done about it.
    pub(crate) fn of_system(place: String, action: &'static str, error: &std::io::Error) -> StoreError {
        use std::io::ErrorKind;
        match error.kind() {
            ErrorKind::PermissionDenied | ErrorKind::ReadOnlyFilesystem => StoreError::ReadOnly { place, action },
            ErrorKind::StorageFull | ErrorKind::QuotaExceeded => StoreError::Full { place, action },
            ErrorKind::NotADirectory => StoreError::NoStore { place, cause: "the path is a file".to_owned() },
            _ => StoreError::Failed { place, action, cause: error.to_string() },
        }
    }
}
