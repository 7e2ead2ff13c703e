//! A store in a folder of plain files.
//!
//! Each key has its own folder. A save is a file that contains only the saved bytes. Its name has
//! the revision, the number of the lease and a checksum: `7.2.9f3c12ab.save`. A save becomes
//! visible as a whole, when the finished file gets its name.

use std::collections::BTreeMap;
use std::fmt;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};

use serde::{Deserialize, Serialize};

use super::{Disk, Generation, Key, Lease, LeaseStatus, Status, Store, StoreError, Stored, SystemDisk};

const LOCK: &str = "lock";
const LEASE: &str = "lease.json";
const SAVE: &str = ".save";
/// The suffix of unfinished files, which are useless if found.
const PART: &str = ".part";
/// The default number of saves of a key.
const KEPT: usize = 3;

/// A store in a folder of plain files, with the last saves of each key. One process at a time can
/// open it.
///
/// A completed [`save`](Store::save) survives the end of the process and a power cut, if the file
/// system and the disk keep what they sync. It writes a new file, syncs it, renames it and syncs
/// the folder. Leases are written in the same way.
///
/// ```no_run
/// use hypotheke::store::{FolderStore, Key, Store};
///
/// let store = FolderStore::open("players")?.with_generations(5);
/// let ada = Key::new("Ada")?;
/// let lease = store.lease(&ada, "camp", 0, 60_000)?;
/// store.save(&ada, b"...", lease.revision, lease.number)?;
/// # Ok::<(), hypotheke::store::StoreError>(())
/// ```
pub struct FolderStore<D: Disk = SystemDisk> {
    disk: D,
    folder: PathBuf,
    kept: usize,
    known: Mutex<BTreeMap<Key, Known>>,
    _lock: D::Lock,
}

/// The known state of a key. It stays valid, because no other process uses the folder.
#[derive(Default)]
struct Known {
    head: Status,
    /// Latest first.
    saves: Vec<Name>,
    /// Whether its folder certainly exists, even after a power cut.
    has_folder: bool,
    /// The damage of the lease file. Nothing can be saved until it is repaired.
    damage: Option<String>,
}

/// The name of the file of a save.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
struct Name {
    revision: u64,
    lease: u64,
    checksum: u32,
}

/// The file of a lease.
#[derive(Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
struct LeaseFile {
    number: u64,
    owner: String,
    expires_at: u64,
    checksum: String,
}

impl FolderStore {
    /// Opens a store in a folder. A missing folder is created in an existing one.
    ///
    /// # Errors
    /// The path is a file, a different process has the store open, or the system failed.
    pub fn open(folder: impl Into<PathBuf>) -> Result<FolderStore, StoreError> {
        FolderStore::open_on(SystemDisk, folder)
    }
}

impl<D: Disk> FolderStore<D> {
    /// Opens a store in a folder of a disk.
    ///
    /// # Errors
    /// As for [`open`](FolderStore::open).
    pub fn open_on(disk: D, folder: impl Into<PathBuf>) -> Result<FolderStore<D>, StoreError> {
        let folder = folder.into();
        let failed = |action| {
            let place = folder.display().to_string();
            move |error: io::Error| StoreError::of_system(place, action, &error)
        };
        disk.create_folder(&folder).map_err(failed("make the folder"))?;
        let around = match folder.parent() {
            Some(around) if around.as_os_str().is_empty() => Path::new("."),
            Some(around) => around,
            None => &folder,
        };
        disk.sync_folder(around).map_err(failed("sync the folder around"))?;
        let path = folder.join(LOCK);
        let described = format!("process {}", std::process::id());
        let lock = match disk.lock(&path, &described).map_err(failed("lock"))? {
            Ok(lock) => lock,
            Err(owner) => return Err(StoreError::Locked { place: path.display().to_string(), owner }),
        };
        Ok(FolderStore { disk, folder, kept: KEPT, known: Mutex::default(), _lock: lock })
    }

    /// Sets the number of saves to keep for each key, at least two.
    #[must_use]
    pub fn with_generations(self, saves: usize) -> FolderStore<D> {
        FolderStore { kept: saves.max(2), ..self }
    }

    fn known(&self) -> MutexGuard<'_, BTreeMap<Key, Known>> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The folder of a key.
    fn folder_of(&self, key: &Key) -> PathBuf {
        self.folder.join(key.names().iter().collect::<PathBuf>())
    }

    /// The known state of a key, read once.
    fn look_up<'k>(&self, all: &'k mut BTreeMap<Key, Known>, key: &Key) -> Result<&'k mut Known, StoreError> {
        // After an error, the state is read again.
        if !all.contains_key(key) {
            all.insert(key.clone(), self.read(key)?);
        }
        Ok(all.entry(key.clone()).or_default())
    }

    fn read(&self, key: &Key) -> Result<Known, StoreError> {
        let folder = self.folder_of(key);
        let names = match self.disk.list(&folder) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Known::default()),
            names => names.map_err(|error| failed(&folder, "list", &error))?,
        };
        // The next process must find what this one has seen, even if the file was not yet synced.
        self.disk.sync_folder(&folder).map_err(|error| failed(&folder, "sync the folder", &error))?;
        let mut saves: Vec<Name> = names.iter().filter_map(|name| Name::parse(name)).collect();
        saves.sort_by(|a, b| b.cmp(a));
        let highest = saves.iter().map(|name| name.lease).max().unwrap_or_default();
        let lost = LeaseStatus { number: highest, ..LeaseStatus::default() };
        let (lease, damage) = match self.read_lease(&folder)? {
            None => (lost, None),
            Some(Ok(lease)) => (lease, None),
            Some(Err(cause)) => (lost, Some(cause)),
        };
        for part in names.iter().filter(|name| name.ends_with(PART)) {
            // It does no harm; the next file replaces it.
            let _ = self.disk.remove(&folder.join(part));
        }
        let (revision, lease_number) = saves.first().map_or((0, 0), |name| (name.revision, name.lease));
        Ok(Known { head: Status { revision, lease_number, lease }, saves, has_folder: false, damage })
    }

    /// The latest lease of a key, or the damage of its file; `None` if there never was a lease.
    fn read_lease(&self, folder: &Path) -> Result<Option<Result<LeaseStatus, String>>, StoreError> {
        let path = folder.join(LEASE);
        let bytes = match self.disk.read(&path) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            bytes => bytes.map_err(|error| failed(&path, "read", &error))?,
        };
        Ok(Some(LeaseFile::parse(&bytes)))
    }

    /// The known state of a key, for writing.
    fn look_up_to_write<'k>(&self, all: &'k mut BTreeMap<Key, Known>, key: &Key) -> Result<&'k mut Known, StoreError> {
        let Some(cause) = self.look_up(all, key)?.damage.clone() else { return self.look_up(all, key) };
        // After a repair, the state is read again.
        all.remove(key);
        let place = self.folder_of(key).join(LEASE).display().to_string();
        Err(StoreError::Damaged { key: key.clone(), place, cause, earlier: None })
    }

    /// Creates the folders of a key and makes them durable.
    fn make_folder(&self, key: &Key) -> Result<(), StoreError> {
        let mut folder = self.folder.clone();
        for name in key.names() {
            let inner = folder.join(name);
            self.disk.create_folder(&inner).map_err(|error| failed(&inner, "make the folder", &error))?;
            self.disk.sync_folder(&folder).map_err(|error| failed(&folder, "sync the folder", &error))?;
            folder = inner;
        }
        Ok(())
    }

    /// Writes a file that is complete under its name when this returns, or not there at all.
    fn write(&self, folder: &Path, name: &str, bytes: &[u8]) -> Result<(), StoreError> {
        let (part, path) = (folder.join(format!("{name}{PART}")), folder.join(name));
        let written = self.write_part(&part, bytes);
        let named = written.and_then(|()| {
            self.disk.rename(&part, &path).map_err(|error| failed(&path, "give the file its name", &error))
        });
        if let Err(error) = named {
            // It is useless, and recognised as unfinished if it stays.
            let _ = self.disk.remove(&part);
            return Err(error);
        }
        self.disk.sync_folder(folder).map_err(|error| failed(folder, "sync the folder", &error))
    }

    fn write_part(&self, part: &Path, bytes: &[u8]) -> Result<(), StoreError> {
        let mut file = self.disk.create(part).map_err(|error| failed(part, "make the file", &error))?;
        self.disk.write(&mut file, bytes).map_err(|error| failed(part, "write", &error))?;
        self.disk.sync(&mut file).map_err(|error| failed(part, "sync", &error))
    }

    fn write_lease(&self, all: &mut BTreeMap<Key, Known>, key: &Key, lease: LeaseStatus) -> Result<Lease, StoreError> {
        let text = LeaseFile::text(&lease);
        self.change(all, key, |folder| self.write(folder, LEASE, text.as_bytes()))?;
        let known = self.look_up(all, key)?;
        known.head.lease = lease;
        Ok(known.head.described())
    }

    /// Runs an action in the folder of a key. After an error, the state is read again.
    fn change(
        &self,
        all: &mut BTreeMap<Key, Known>,
        key: &Key,
        change: impl FnOnce(&Path) -> Result<(), StoreError>,
    ) -> Result<(), StoreError> {
        let known = self.look_up(all, key)?;
        let made = if known.has_folder { Ok(()) } else { self.make_folder(key) };
        known.has_folder = made.is_ok();
        let done = made.and_then(|()| change(&self.folder_of(key)));
        if done.is_err() {
            all.remove(key);
        }
        done
    }

    /// The bytes of a save, or the damage of its file.
    fn content(&self, folder: &Path, name: Name) -> Result<Vec<u8>, String> {
        let bytes = self.disk.read(&folder.join(name.to_string())).map_err(|error| error.to_string())?;
        let counted = crc32fast::hash(&bytes);
        if counted == name.checksum {
            return Ok(bytes);
        }
        Err(format!("checksum mismatch: the file says {:08x}, its contents give {counted:08x}", name.checksum))
    }

    /// All keys in a folder. `around` is the part of the key from the folders above.
    fn keys_in(&self, folder: &Path, around: &mut Vec<String>, keys: &mut Vec<Key>) -> Result<(), StoreError> {
        let names = match self.disk.list(folder) {
            // A file is not a key. A folder may have been removed in the meantime.
            Err(error) if matches!(error.kind(), io::ErrorKind::NotADirectory | io::ErrorKind::NotFound) => Vec::new(),
            names => names.map_err(|error| failed(folder, "list", &error))?,
        };
        let goes_on = around.last().is_none_or(|name| Key::goes_on(name));
        if !goes_on && names.iter().any(|name| Name::parse(name).is_some()) {
            keys.extend(Key::of_names(around));
        }
        for name in names.into_iter().filter(|_| goes_on) {
            let inner = folder.join(&name);
            around.push(name);
            self.keys_in(&inner, around, keys)?;
            around.pop();
        }
        Ok(())
    }
}

impl<D: Disk> Store for FolderStore<D> {
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError> {
        let mut all = self.known();
        let saves = self.look_up(&mut all, key)?.saves.clone();
        let Some(&name) = saves.first() else { return Ok(None) };
        let folder = self.folder_of(key);
        match self.content(&folder, name) {
            Ok(bytes) => Ok(Some(Stored { revision: name.revision, lease: name.lease, bytes })),
            Err(cause) => {
                let earlier = saves[1..].iter().find(|name| self.content(&folder, **name).is_ok());
                let place = folder.join(name.to_string()).display().to_string();
                let earlier = earlier.map(|name| name.revision);
                Err(StoreError::Damaged { key: key.clone(), place, cause, earlier })
            }
        }
    }

    fn status(&self, key: &Key) -> Result<Status, StoreError> {
        Ok(self.look_up_to_write(&mut self.known(), key)?.head.clone())
    }

    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError> {
        let mut all = self.known();
        let folder = self.folder_of(key);
        let described = |name: &Name| {
            let damaged = |cause| format!("{}: {cause}", folder.join(name.to_string()).display());
            let content = self.content(&folder, *name).map_err(damaged);
            Generation { revision: name.revision, lease: name.lease, content }
        };
        Ok(self.look_up(&mut all, key)?.saves.iter().map(described).collect())
    }

    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError> {
        let mut all = self.known();
        let revision = self.look_up_to_write(&mut all, key)?.head.next(key, expected_revision, lease)?;
        let name = Name { revision, lease, checksum: crc32fast::hash(bytes) };
        self.change(&mut all, key, |folder| self.write(folder, &name.to_string(), bytes))?;
        let known = self.look_up(&mut all, key)?;
        (known.head.revision, known.head.lease_number) = (revision, lease);
        known.saves.insert(0, name);
        let folder = self.folder_of(key);
        for old in known.saves.split_off(self.kept.min(known.saves.len())) {
            // A file that stays is one more earlier save.
            let _ = self.disk.remove(&folder.join(old.to_string()));
        }
        Ok(revision)
    }

    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError> {
        let mut all = self.known();
        let lease = self.look_up_to_write(&mut all, key)?.head.grant(key, owner, now, expires_at)?;
        self.write_lease(&mut all, key, lease)
    }

    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError> {
        let mut all = self.known();
        let lease = self.look_up_to_write(&mut all, key)?.head.renewed(key, number, expires_at)?;
        self.write_lease(&mut all, key, lease).map(drop)
    }

    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        let mut all = self.known();
        match self.look_up_to_write(&mut all, key)?.head.released(number) {
            Some(lease) => self.write_lease(&mut all, key, lease).map(drop),
            None => Ok(()),
        }
    }

    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        let mut keys = Vec::new();
        self.keys_in(&self.folder, &mut Vec::new(), &mut keys)?;
        keys.sort();
        Ok(keys)
    }
}

impl Name {
    fn parse(name: &str) -> Option<Name> {
        let mut parts = name.strip_suffix(SAVE)?.split('.');
        let (revision, lease, checksum) = (parts.next()?, parts.next()?, parts.next()?);
        let checksum = u32::from_str_radix(checksum, 16).ok()?;
        let read = Name { revision: revision.parse().ok()?, lease: lease.parse().ok()?, checksum };
        // Other spellings were not written by a store.
        (read.revision > 0 && read.to_string() == name).then_some(read)
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}.{:08x}{SAVE}", self.revision, self.lease, self.checksum)
    }
}

impl LeaseFile {
    fn text(lease: &LeaseStatus) -> String {
        let LeaseStatus { number, owner, expires_at } = lease;
        let checksum = LeaseFile::checksum(lease);
        serde_json::json!(LeaseFile { number: *number, owner: owner.clone(), expires_at: *expires_at, checksum })
            .to_string()
    }

    fn parse(bytes: &[u8]) -> Result<LeaseStatus, String> {
        let file: LeaseFile = serde_json::from_slice(bytes).map_err(|error| error.to_string())?;
        let lease = LeaseStatus { number: file.number, owner: file.owner, expires_at: file.expires_at };
        let counted = LeaseFile::checksum(&lease);
        if counted == file.checksum {
            return Ok(lease);
        }
        Err(format!("checksum mismatch: the file says {}, its contents give {counted}", file.checksum))
    }

    fn checksum(lease: &LeaseStatus) -> String {
        let described = format!("{} {} {}", lease.number, lease.expires_at, lease.owner);
        format!("{:08x}", crc32fast::hash(described.as_bytes()))
    }
}

fn failed(path: &Path, action: &'static str, error: &io::Error) -> StoreError {
    StoreError::of_system(path.display().to_string(), action, error)
}

impl<D: Disk> fmt::Debug for FolderStore<D> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("FolderStore").field("folder", &self.folder).field("kept", &self.kept).finish_non_exhaustive()
    }
}
