use std::fmt;

/// Every error that prevents a snapshot from becoming a world.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub struct SnapshotError {
    faults: Vec<SnapshotFault>,
}

/// One error of a snapshot.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SnapshotFault {
    place: String,
    message: String,
}

impl SnapshotError {
    pub(crate) fn new(faults: Vec<SnapshotFault>) -> SnapshotError {
        SnapshotError { faults }
    }

    /// The errors, in the order of the snapshot.
    #[must_use]
    pub fn faults(&self) -> &[SnapshotFault] {
        &self.faults
    }
}

impl fmt::Display for SnapshotError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, fault) in self.faults.iter().enumerate() {
            write!(f, "{}{fault}", if index == 0 { "" } else { "\n" })?;
        }
        Ok(())
    }
}

impl SnapshotFault {
    pub(crate) fn new(place: impl Into<String>, message: impl Into<String>) -> SnapshotFault {
        SnapshotFault { place: place.into(), message: message.into() }
    }

    /// The place, as paths write it.
    #[must_use]
    pub fn place(&self) -> &str {
        &self.place
    }

    /// The error in words.
    #[must_use]
    pub fn message(&self) -> &str {
        &self.message
    }
}

impl fmt::Display for SnapshotFault {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}", self.place, self.message)
    }
}
