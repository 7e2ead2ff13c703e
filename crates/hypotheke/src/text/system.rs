//! Errors of the operating system in plain words.

use std::io::{Error, ErrorKind};

/// The cause of an error of the operating system in plain words, such as `the disk is full`. Rare errors keep the words of the
/// system.
#[must_use]
pub fn system_cause(error: &Error) -> String {
    let known = match error.kind() {
        ErrorKind::NotFound => "it does not exist",
        ErrorKind::PermissionDenied => "access denied",
        ErrorKind::AlreadyExists => "it already exists",
        ErrorKind::NotADirectory => "a part of the path is not a folder",
        ErrorKind::IsADirectory => "it is a folder",
        ErrorKind::StorageFull => "the disk is full",
        ErrorKind::ReadOnlyFilesystem => "the disk is read-only",
        _ => return error.to_string(),
    };
    known.to_owned()
}
