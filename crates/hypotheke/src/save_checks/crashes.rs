//! The writer of a folder store is stopped at every step, and the power fails.

use super::CheckFailure;
use crate::store::{Crash, FolderStore, Key, PROCESS_HAS_ENDED, SimulatedDisk, Store, StoreError};

/// The number of saves that one process writes in turn.
const SAVES_IN_A_ROW: usize = 4;
const FOLDER: &str = "players";
/// The processes that request leases, with the times: the earlier one has always expired.
const PROCESSES: [(&str, u64); 3] = [("camp, the first time", 0), ("camp, the second time", 10), ("who looks", 20)];

/// What was found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct CrashReport {
    /// Saves that were written.
    pub saves: u64,
    /// Writes, syncs, renames and what else a process was stopped after.
    pub stops: u64,
    /// Disks that a power cut may leave there, each of which was read.
    pub disks: u64,
    /// What was lost.
    pub failure: Option<CheckFailure>,
}

/// Writes saves to a folder store on a [`SimulatedDisk`], stops the process after every single
/// step, and simulates a power cut: at once, and again while the next process continues. Every
/// possible disk must have the previous save or the new one, complete; the new one, if the store
/// had reported success; and no lease number may be given twice.
#[must_use]
pub fn check_crashes(saves: &[Vec<u8>]) -> CrashReport {
    check_crashes_on(&SimulatedDisk::new(), saves)
}

/// The same, on a disk that may have faults of its own.
#[must_use]
pub fn check_crashes_on(disk: &SimulatedDisk, saves: &[Vec<u8>]) -> CrashReport {
    let mut found = CrashReport::default();
    let Ok(key) = Key::new("ada") else { return found };
    for saves in saves.chunks(SAVES_IN_A_ROW) {
        let mut run = WriterRun { key: &key, saves, found: &mut found };
        let lost = run.from(disk, &Known::default(), 0);
        found.saves += saves.len() as u64;
        if lost.is_some() {
            found.failure = lost;
            return found;
        }
    }
    found
}

/// What a process knows to be safe, or to be on its way.
#[derive(Clone, Debug, Default)]
struct Known {
    /// How many of the saves are there for certain.
    safe: usize,
    /// How many may be there.
    begun: usize,
    /// The highest lease that was given.
    lease: u64,
}

struct WriterRun<'a> {
    key: &'a Key,
    saves: &'a [Vec<u8>],
    found: &'a mut CrashReport,
}

impl WriterRun<'_> {
    /// Lets a process go on from a disk as it is and stops it after each of its steps.
    fn from(&mut self, disk: &SimulatedDisk, known: &Known, process: usize) -> Option<CheckFailure> {
        for steps in 0.. {
            let disk = disk.stopping_after(steps);
            let mut known = known.clone();
            let ended = match self.play(&disk, &mut known, process) {
                Ok(ended) => ended,
                Err(wrong) => return Some(CheckFailure { trace: disk.done(), found: wrong }),
            };
            self.found.stops += 1;
            for crash in disk.crashes() {
                self.found.disks += 1;
                if let Err(wrong) = self.look(&crash, &known) {
                    return Some(failure(&disk, &crash, wrong));
                }
            }
            if process == 0 && !ended {
                // The process is gone, the machine goes on: the next finds what was done, and what
                // that one has seen must stay.
                let lost = self.next_process(&disk, &known);
                if lost.is_some() {
                    return lost;
                }
            }
            if ended {
                return None;
            }
        }
        None
    }

    /// Writes the remaining saves; false if the process was stopped. An error is an unexpected
    /// result.
    fn play(&mut self, disk: &SimulatedDisk, known: &mut Known, process: usize) -> Result<bool, String> {
        match self.write(disk, known, process) {
            Ok(()) => Ok(true),
            Err(error) if is_stopped(&error) => Ok(false),
            Err(error) => Err(error.to_string()),
        }
    }

    fn write(&mut self, disk: &SimulatedDisk, known: &mut Known, process: usize) -> Result<(), StoreError> {
        let (owner, now) = PROCESSES[process];
        let store = FolderStore::open_on(disk.clone(), FOLDER)?.with_generations(2);
        let lease = store.lease(self.key, owner, now, now + 10)?;
        known.lease = lease.number;
        // What it finds it may show to a player.
        let mut expected_revision = lease.revision;
        let there = usize::try_from(expected_revision).unwrap_or(usize::MAX);
        (known.safe, known.begun) = (there, there.max(known.begun));
        for save in self.saves.iter().skip(there) {
            known.begun = known.begun.max(known.safe + 1);
            expected_revision = store.save(self.key, save, expected_revision, lease.number)?;
            known.safe += 1;
        }
        Ok(())
    }

    fn next_process(&mut self, disk: &SimulatedDisk, known: &Known) -> Option<CheckFailure> {
        self.from(disk, known, 1).map(|failure| {
            let ended = "the process ends, and the next begins".to_owned();
            CheckFailure { trace: disk.done().into_iter().chain([ended]).chain(failure.trace).collect(), ..failure }
        })
    }

    /// What is found after a power cut, against what was known.
    fn look(&self, crash: &Crash, known: &Known) -> Result<(), String> {
        let store = FolderStore::open_on(crash.disk.clone(), FOLDER).map_err(|error| error.to_string())?;
        let stored = store.load(self.key).map_err(|error| error.to_string())?;
        let found = stored.as_ref().map_or(0, |stored| stored.revision);
        let number = usize::try_from(found).unwrap_or(usize::MAX);
        if !(known.safe..=known.begun).contains(&number) {
            return Err(format!("save {} was confirmed, but save {found} is loaded", known.safe));
        }
        let is_complete = stored.is_none_or(|stored| self.saves.get(number - 1) == Some(&stored.bytes));
        if !is_complete {
            return Err(format!("save {found} is loaded with different bytes"));
        }
        let (owner, now) = PROCESSES[2];
        let next = store.lease(self.key, owner, now, now + 10).map_err(|error| error.to_string())?.number;
        if next <= known.lease {
            return Err(format!("lease {} was granted, and lease {next} is granted again", known.lease));
        }
        Ok(())
    }
}

fn is_stopped(error: &StoreError) -> bool {
    matches!(error, StoreError::Failed { cause, .. } if cause == PROCESS_HAS_ENDED)
}

fn failure(disk: &SimulatedDisk, crash: &Crash, found: String) -> CheckFailure {
    let mut trace = disk.done();
    trace.push("the power fails".to_owned());
    trace.extend(crash.lost.iter().map(|lost| format!("lost: {lost}")));
    CheckFailure { trace, found }
}
