//! What a folder store needs of a file system, and the system's own.

use std::fs::{self, File, OpenOptions, TryLockError};
use std::io::{self, Read, Write};
use std::path::Path;

/// What a [`FolderStore`](super::FolderStore) needs of a file system. What is not synced may be lost, torn or done in another order when the power fails:
/// the bytes of a file until it is synced, what a folder lists until that is.
pub trait Disk {
    /// A file that is being written.
    type File;
    /// What is held as long as a file is locked.
    type Lock;

    /// Locks a file, which is made if need be, and writes into it who has locked it. If another process has, what that wrote.
    ///
    /// # Errors
    /// What the system says.
    fn lock(&self, path: &Path, owner: &str) -> io::Result<Result<Self::Lock, String>>;

    /// Makes a folder in one that is there. One that is there already is left as it is.
    ///
    /// # Errors
    /// What the system says.
    fn create_folder(&self, path: &Path) -> io::Result<()>;

    /// The names of what is in a folder, in their order.
    ///
    /// # Errors
    /// What the system says.
    fn list(&self, path: &Path) -> io::Result<Vec<String>>;

    /// What is in a file.
    ///
    /// # Errors
    /// What the system says.
    fn read(&self, path: &Path) -> io::Result<Vec<u8>>;

    /// Makes a file, or empties one that is there, to be written.
    ///
    /// # Errors
    /// What the system says.
    fn create(&self, path: &Path) -> io::Result<Self::File>;

    /// Writes at the end of a file.
    ///
    /// # Errors
    /// What the system says.
    fn write(&self, file: &mut Self::File, bytes: &[u8]) -> io::Result<()>;

    /// Returns when all that was written to a file is safe.
    ///
    /// # Errors
    /// What the system says.
    fn sync(&self, file: &mut Self::File) -> io::Result<()>;

    /// Gives a file another name, in place of any that has it.
    ///
    /// # Errors
    /// What the system says.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;

    /// Takes a file away.
    ///
    /// # Errors
    /// What the system says.
    fn remove(&self, path: &Path) -> io::Result<()>;

    /// Returns when all that a folder lists is safe.
    ///
    /// # Errors
    /// What the system says.
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
                // Where it can't be read nothing is known of the other, and it is there all the same.
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
            // A name that is no text is none that a store gives.
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

    /// Where folders can't be opened as files, as on Windows, the system keeps them safe by itself.
    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        if cfg!(unix) { File::open(path)?.sync_all() } else { Ok(()) }
    }
}
