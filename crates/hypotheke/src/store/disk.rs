//! The file system of a folder store.

use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, Read, Write};
use std::path::Path;

/// The operations of a file system for [`FolderStore`](super::FolderStore). After a power cut,
/// unsynced changes may be lost, torn or reordered: the bytes of a file until it is synced, and the
/// names of a folder until it is synced.
pub trait Disk {
    /// A file that is being written.
    type File;
    /// The lock of a file, as long as it is held.
    type Lock;

    /// Locks a file, which is created if necessary, and writes the owner into it. Returns the owner
    /// if a different process has the lock.
    ///
    /// # Errors
    /// The error of the system.
    fn lock(&self, path: &Path, owner: &str) -> io::Result<Result<Self::Lock, String>>;

    /// Creates a folder in an existing one. An existing folder stays as it is.
    ///
    /// # Errors
    /// The error of the system.
    fn create_folder(&self, path: &Path) -> io::Result<()>;

    /// The names in a folder, sorted.
    ///
    /// # Errors
    /// The error of the system.
    fn list(&self, path: &Path) -> io::Result<Vec<String>>;

    /// The bytes of a file.
    ///
    /// # Errors
    /// The error of the system.
    fn read(&self, path: &Path) -> io::Result<Vec<u8>>;

    /// Creates an empty file for writing, or empties an existing one.
    ///
    /// # Errors
    /// The error of the system.
    fn create(&self, path: &Path) -> io::Result<Self::File>;

    /// Appends to a file.
    ///
    /// # Errors
    /// The error of the system.
    fn write(&self, file: &mut Self::File, bytes: &[u8]) -> io::Result<()>;

    /// Returns when all bytes of a file are durable.
    ///
    /// # Errors
    /// The error of the system.
    fn sync(&self, file: &mut Self::File) -> io::Result<()>;

    /// Renames a file, and replaces a file of that name.
    ///
    /// # Errors
    /// The error of the system.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Removes a file.
    ///
    /// # Errors
    /// The error of the system.
    fn remove(&self, path: &Path) -> io::Result<()>;

    /// Returns when the names of a folder are durable.
    ///
    /// # Errors
    /// The error of the system.
    fn sync_folder(&self, path: &Path) -> io::Result<()>;
}

/// The file system of the machine.
#[derive(Clone, Copy, Debug, Default)]
pub struct SystemDisk;

impl Disk for SystemDisk {
    type File = File;
    type Lock = File;

    fn lock(&self, path: &Path, owner: &str) -> io::Result<Result<File, String>> {
        let mut file = OpenOptions::new().read(true).write(true).create(true).truncate(false).open(path)?;
        match file.try_lock() {
            Ok(()) => {
                file.set_len(0)?;
                file.write_all(owner.as_bytes())?;
                Ok(Ok(file))
            }
            Err(TryLockError::WouldBlock) => {
                let mut other = Vec::new();
                // If the owner cannot be read, it is unknown.
                let _ = file.take(200).read_to_end(&mut other);
                Ok(Err(String::from_utf8_lossy(&other).into_owned()))
            }
            Err(TryLockError::Error(error)) => Err(error),
        }
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        match fs::create_dir(path) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                if path.is_dir() {
                    return Ok(());
                }
                Err(io::ErrorKind::NotADirectory.into())
            }
            made => made,
        }
    }

    fn list(&self, path: &Path) -> io::Result<Vec<String>> {
        let mut names = Vec::new();
        for entry in fs::read_dir(path)? {
            // A name that is not text is not from a store.
            names.extend(entry?.file_name().into_string());
        }
        names.sort();
        Ok(names)
    }

    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        fs::read(path)
    }

    fn create(&self, path: &Path) -> io::Result<File> {
        File::create(path)
    }

    fn write(&self, file: &mut File, bytes: &[u8]) -> io::Result<()> {
        file.write_all(bytes)
    }

    fn sync(&self, file: &mut File) -> io::Result<()> {
        file.sync_all()
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::rename(from, to)
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        fs::remove_file(path)
    }

    /// On systems where folders cannot be opened, such as Windows, the system makes them durable.
    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        if cfg!(unix) { File::open(path)?.sync_all() } else { Ok(()) }
    }
}
