//! A simulated disk that behaves as file systems may behave when the power fails.
//!
//! It records for each file what was synced and what was only written, and for each folder what was
//! synced and what was changed. A change that was not synced may be lost, each independently. An
//! unsynced file may have all, half or none of its bytes, or zeros. [`SimulatedDisk::crashes`]
//! returns every disk that may result.

use std::collections::BTreeMap;
use std::fmt;
use std::io::{self, ErrorKind};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use super::Disk;

/// Up to this number of unsynced changes of a folder, every subset is simulated. With more changes:
/// only one, all but one, all, or all from one on.
const ALL_SUBSETS: usize = 5;

/// The error after the end of a process.
pub(crate) const PROCESS_HAS_ENDED: &str = "the process has ended";

/// A file system in memory that loses, tears and reorders unsynced changes.
///
/// ```
/// use hypotheke::store::{FolderStore, Key, SimulatedDisk, Store};
///
/// let disk = SimulatedDisk::new();
/// let ada = Key::new("Ada").unwrap();
/// let store = FolderStore::open_on(disk.clone(), "players").unwrap();
/// store.save(&ada, b"6 flares", 0, 0).unwrap();
///
/// // After any power cut from now on, the save is intact.
/// for crash in disk.crashes() {
///     let store = FolderStore::open_on(crash.disk, "players").unwrap();
///     assert_eq!(store.load(&ada).unwrap().unwrap().bytes, b"6 flares");
/// }
/// ```
#[derive(Clone, Default)]
pub struct SimulatedDisk {
    state: Arc<Mutex<State>>,
}

/// A disk that may result from a power cut.
#[derive(Clone, Debug)]
pub struct Crash {
    /// The disk.
    pub disk: SimulatedDisk,
    /// The changes that are lost or torn.
    pub lost: Vec<String>,
}

#[derive(Clone, Default)]
struct State {
    files: Vec<Content>,
    folders: BTreeMap<PathBuf, Folder>,
    locked: Vec<PathBuf>,
    /// The steps that were done, in words.
    done: Vec<String>,
    /// The number of steps after which the process ends.
    max_steps: Option<usize>,
    /// The number of a sync that has no effect.
    ignored_sync: Option<usize>,
    syncs: usize,
    /// The number of bytes that can still be written.
    room: Option<usize>,
    is_read_only: bool,
}

#[derive(Clone, Default)]
struct Content {
    synced: Arc<Vec<u8>>,
    now: Arc<Vec<u8>>,
}

/// The target of a name.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Entry {
    Folder,
    /// By its number.
    File(usize),
}

#[derive(Clone, Default)]
struct Folder {
    synced: BTreeMap<String, Entry>,
    /// The changes since, in order.
    changes: Vec<Change>,
}

#[derive(Clone)]
enum Change {
    Added { name: String, entry: Entry },
    Renamed { from: String, to: String, entry: Entry },
    Removed { name: String },
}

impl Folder {
    fn now(&self) -> BTreeMap<String, Entry> {
        self.with(&vec![true; self.changes.len()])
    }

    /// The names that it lists if these changes are applied.
    fn with(&self, kept: &[bool]) -> BTreeMap<String, Entry> {
        let mut entries = self.synced.clone();
        for (change, _) in self.changes.iter().zip(kept).filter(|(_, kept)| **kept) {
            match change {
                Change::Added { name, entry } => drop(entries.insert(name.clone(), *entry)),
                Change::Removed { name } => drop(entries.remove(name)),
                Change::Renamed { from, to, entry } => {
                    if entries.get(from) == Some(entry) {
                        entries.remove(from);
                    }
                    entries.insert(to.clone(), *entry);
                }
            }
        }
        entries
    }
}

impl fmt::Display for Change {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Change::Added { name, entry: Entry::Folder } => write!(f, "make the folder {name}"),
            Change::Added { name, .. } => write!(f, "make {name}"),
            Change::Renamed { from, to, .. } => write!(f, "rename {from} to {to}"),
            Change::Removed { name } => write!(f, "remove {name}"),
        }
    }
}

impl SimulatedDisk {
    /// An empty disk with unlimited space.
    #[must_use]
    pub fn new() -> SimulatedDisk {
        SimulatedDisk::default()
    }

    fn of(state: State) -> SimulatedDisk {
        SimulatedDisk { state: Arc::new(Mutex::new(state)) }
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// An independent copy, unlocked, on which the process ends after a number of steps.
    #[must_use]
    pub fn stopping_after(&self, steps: usize) -> SimulatedDisk {
        let state = self.state().clone();
        SimulatedDisk::of(State { max_steps: Some(steps), done: Vec::new(), locked: Vec::new(), ..state })
    }

    /// A copy on which one later sync has no effect.
    #[must_use]
    pub fn without_sync(&self, number: usize) -> SimulatedDisk {
        let state = self.state().clone();
        SimulatedDisk::of(State { ignored_sync: Some(number), syncs: 0, locked: Vec::new(), ..state })
    }

    /// A copy with a limited number of free bytes.
    #[must_use]
    pub fn with_room_for(&self, bytes: usize) -> SimulatedDisk {
        SimulatedDisk::of(State { room: Some(bytes), locked: Vec::new(), ..self.state().clone() })
    }

    /// A read-only copy.
    #[must_use]
    pub fn read_only(&self) -> SimulatedDisk {
        SimulatedDisk::of(State { is_read_only: true, locked: Vec::new(), ..self.state().clone() })
    }

    /// The steps, in order. Each can be the last.
    #[must_use]
    pub fn done(&self) -> Vec<String> {
        self.state().done.clone()
    }

    /// The number of syncs.
    #[must_use]
    pub fn syncs(&self) -> usize {
        self.state().syncs
    }

    /// Replaces bytes of a file, as a failing disk does.
    ///
    /// # Errors
    /// No such file.
    pub fn damage(&self, path: &Path, damage: impl FnOnce(&mut Vec<u8>)) -> io::Result<()> {
        let mut state = self.state();
        let file = state.file(path)?;
        damage(Arc::make_mut(&mut state.files[file].now));
        state.files[file].synced = Arc::clone(&state.files[file].now);
        Ok(())
    }

    /// Every disk that may result from a power cut now.
    #[must_use]
    pub fn crashes(&self) -> Vec<Crash> {
        let state = self.state().clone();
        let mut found = vec![(state.fresh(), Vec::new())];
        for (path, folder) in &state.folders {
            let ways = ways(folder.changes.len());
            found =
                found.iter().flat_map(|crash| ways.iter().map(move |kept| lose(crash, path, folder, kept))).collect();
        }
        for (number, content) in state.files.iter().enumerate().filter(|(_, content)| content.now != content.synced) {
            found = found.iter().flat_map(|crash| tear(crash, number, content)).collect();
        }
        found.into_iter().map(|(state, lost)| Crash { disk: SimulatedDisk::of(state.reachable()), lost }).collect()
    }
}

type Found = (State, Vec<String>);

/// The subsets of changes that may be applied.
fn ways(changes: usize) -> Vec<Vec<bool>> {
    if changes <= ALL_SUBSETS {
        let is_in = |subset: usize| (0..changes).map(|change| subset >> change & 1 == 0).collect();
        return (0..1 << changes).map(is_in).collect();
    }
    let mut ways = vec![vec![true; changes]];
    for at in 0..changes {
        ways.push((0..changes).map(|change| change != at).collect());
        ways.push((0..changes).map(|change| change == at).collect());
        ways.push((0..changes).map(|change| change < at).collect());
    }
    ways
}

fn lose((state, lost): &Found, path: &Path, folder: &Folder, kept: &[bool]) -> Found {
    let (mut state, mut lost) = (state.clone(), lost.clone());
    lost.extend(folder.changes.iter().zip(kept).filter(|(_, kept)| !**kept).map(|(change, _)| change.to_string()));
    state.folders.insert(path.to_owned(), Folder { synced: folder.with(kept), changes: Vec::new() });
    (state, lost)
}

/// The possible contents of an unsynced file. A file that no folder lists is skipped.
fn tear((state, lost): &Found, number: usize, content: &Content) -> Vec<Found> {
    let listed = state.folders.values().flat_map(|folder| &folder.synced);
    let name = listed.filter(|(_, entry)| **entry == Entry::File(number)).map(|(name, _)| name.clone()).next();
    let Some(name) = name else { return vec![(state.clone(), lost.clone())] };
    let (synced, now) = (&content.synced, &content.now);
    let half = synced.len().max(now.len() / 2).min(now.len());
    let as_it_may_be = [
        (Arc::clone(now), None),
        (Arc::clone(synced), Some(format!("write {name}"))),
        (Arc::new(now[..half].to_vec()), Some(format!("write the second half of {name}"))),
        (Arc::new(vec![0; now.len()]), Some(format!("write {name} with its length and no bytes"))),
    ];
    let found = as_it_may_be.into_iter().map(|(bytes, what)| {
        let (mut state, mut lost) = (state.clone(), lost.clone());
        state.files[number] = Content { synced: Arc::clone(&bytes), now: bytes };
        lost.extend(what);
        (state, lost)
    });
    found.collect()
}

impl State {
    /// The disk without the state of a process.
    fn fresh(&self) -> State {
        State { files: self.files.clone(), folders: self.folders.clone(), ..State::default() }
    }

    /// Without folders that no folder lists.
    fn reachable(mut self) -> State {
        let listed: Vec<PathBuf> = self.folders.keys().filter(|path| self.is_listed(path)).cloned().collect();
        self.folders.retain(|path, _| listed.contains(path));
        self
    }

    fn is_listed(&self, path: &Path) -> bool {
        let (Some(around), Some(name)) = (path.parent(), path.file_name().and_then(|name| name.to_str())) else {
            return true;
        };
        let is_in = |folder: &Folder| folder.now().get(name) == Some(&Entry::Folder);
        // A path without a parent folder existed from the beginning.
        self.folders.get(around).map_or(around.as_os_str().is_empty(), is_in) && self.is_listed(around)
    }

    /// Counts a step; an error if the process has ended.
    fn step(&mut self, what: impl FnOnce() -> String) -> io::Result<()> {
        if self.max_steps.is_some_and(|most| self.done.len() >= most) {
            return Err(io::Error::other(PROCESS_HAS_ENDED));
        }
        if self.is_read_only {
            return Err(ErrorKind::ReadOnlyFilesystem.into());
        }
        self.done.push(what());
        Ok(())
    }

    fn folder(&mut self, path: &Path) -> io::Result<&mut Folder> {
        let path = if path == Path::new(".") { Path::new("") } else { path };
        self.folders.get_mut(path).ok_or_else(|| ErrorKind::NotFound.into())
    }

    fn entry(&self, path: &Path) -> io::Result<Entry> {
        let (around, name) = split(path)?;
        let folder = self.folders.get(around).ok_or(ErrorKind::NotFound)?;
        folder.now().get(name).copied().ok_or_else(|| ErrorKind::NotFound.into())
    }

    fn file(&self, path: &Path) -> io::Result<usize> {
        match self.entry(path)? {
            Entry::File(number) => Ok(number),
            Entry::Folder => Err(ErrorKind::IsADirectory.into()),
        }
    }

    fn change(&mut self, around: &Path, change: Change) -> io::Result<()> {
        self.folder(around)?.changes.push(change);
        Ok(())
    }

    /// Whether a sync has its effect.
    fn syncs(&mut self) -> bool {
        self.syncs += 1;
        self.ignored_sync != Some(self.syncs - 1)
    }
}

fn split(path: &Path) -> io::Result<(&Path, &str)> {
    let name = path.file_name().and_then(|name| name.to_str());
    path.parent().zip(name).ok_or_else(|| ErrorKind::InvalidInput.into())
}

fn name_of(path: &Path) -> String {
    path.file_name().unwrap_or(path.as_os_str()).to_string_lossy().into_owned()
}

impl Disk for SimulatedDisk {
    type File = (usize, String);
    type Lock = Locked;

    fn lock(&self, path: &Path, _: &str) -> io::Result<Result<Locked, String>> {
        let mut state = self.state();
        if state.locked.iter().any(|locked| locked == path) {
            return Ok(Err("the same process".to_owned()));
        }
        state.locked.push(path.to_owned());
        Ok(Ok(Locked { disk: self.clone(), path: path.to_owned() }))
    }

    fn create_folder(&self, path: &Path) -> io::Result<()> {
        let mut state = self.state();
        if state.folders.contains_key(path) {
            return Ok(());
        }
        state.step(|| format!("make the folder {}", name_of(path)))?;
        let (around, name) = split(path)?;
        if around.as_os_str().is_empty() {
            state.folders.entry(around.to_owned()).or_default();
        }
        state.change(around, Change::Added { name: name.to_owned(), entry: Entry::Folder })?;
        state.folders.insert(path.to_owned(), Folder::default());
        Ok(())
    }

    fn list(&self, path: &Path) -> io::Result<Vec<String>> {
        Ok(self.state().folder(path)?.now().into_keys().collect())
    }

    fn read(&self, path: &Path) -> io::Result<Vec<u8>> {
        let state = self.state();
        let file = state.file(path)?;
        Ok(state.files[file].now.to_vec())
    }

    fn create(&self, path: &Path) -> io::Result<(usize, String)> {
        let mut state = self.state();
        state.step(|| format!("make {}", name_of(path)))?;
        let (around, name) = split(path)?;
        let number = state.files.len();
        state.files.push(Content::default());
        state.change(around, Change::Added { name: name.to_owned(), entry: Entry::File(number) })?;
        Ok((number, name.to_owned()))
    }

    fn write(&self, (number, name): &mut (usize, String), bytes: &[u8]) -> io::Result<()> {
        let mut state = self.state();
        state.step(|| format!("write {name}"))?;
        let fits = state.room.unwrap_or(bytes.len()).min(bytes.len());
        Arc::make_mut(&mut state.files[*number].now).extend_from_slice(&bytes[..fits]);
        state.room = state.room.map(|room| room - fits);
        if fits < bytes.len() { Err(ErrorKind::StorageFull.into()) } else { Ok(()) }
    }

    fn sync(&self, (number, name): &mut (usize, String)) -> io::Result<()> {
        let mut state = self.state();
        state.step(|| format!("sync {name}"))?;
        if state.syncs() {
            state.files[*number].synced = Arc::clone(&state.files[*number].now);
        }
        Ok(())
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        let mut state = self.state();
        let entry = state.entry(from)?;
        state.step(|| format!("rename {} to {}", name_of(from), name_of(to)))?;
        let ((around, from), (_, to)) = (split(from)?, split(to)?);
        state.change(around, Change::Renamed { from: from.to_owned(), to: to.to_owned(), entry })
    }

    fn remove(&self, path: &Path) -> io::Result<()> {
        let mut state = self.state();
        state.file(path)?;
        state.step(|| format!("remove {}", name_of(path)))?;
        let (around, name) = split(path)?;
        state.change(around, Change::Removed { name: name.to_owned() })
    }

    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        let mut state = self.state();
        state.step(|| format!("sync the folder {}", name_of(path)))?;
        if state.syncs() {
            let folder = state.folder(path)?;
            *folder = Folder { synced: folder.now(), changes: Vec::new() };
        }
        Ok(())
    }
}

/// A file of a simulated disk that is locked.
#[derive(Debug)]
pub struct Locked {
    disk: SimulatedDisk,
    path: PathBuf,
}

impl Drop for Locked {
    fn drop(&mut self) {
        self.disk.state().locked.retain(|locked| *locked != self.path);
    }
}

impl fmt::Debug for SimulatedDisk {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let state = self.state();
        f.debug_struct("SimulatedDisk").field("done", &state.done).field("syncs", &state.syncs).finish_non_exhaustive()
    }
}
