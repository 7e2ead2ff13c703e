//! Stores keep what they promise, and where they can't they say why.

mod checks;
mod distributed;
mod folder;
mod handover;
mod remote;
mod sessions;
#[cfg(feature = "sqlite")]
mod sqlite;

use std::num::NonZeroUsize;
use std::sync::Arc;

use hypotheke::save_checks::{CheckFailure, check_store_contract, check_store_races};
use hypotheke::store::{
    FolderStore, Generation, Key, KeyError, Lease, MemoryStore, SimulatedDisk, Status, Store, StoreError, Stored,
};
use hypotheke::{Ruleset, World};
use tempfile::tempdir;

const THREADS: NonZeroUsize = NonZeroUsize::new(4).unwrap();

fn key(text: &str) -> Key {
    Key::new(text).unwrap()
}

/// A camp with a depot, and a surveyor who may come and go.
fn camp() -> Arc<Ruleset> {
    let rules = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(6))
        .kind("rope", |kind| kind)
        .container("depot", |depot| depot.slots(3))
        .container("pockets", |pockets| pockets.slots(2))
        .holder("surveyor", ["pockets"], |surveyor| surveyor)
        .start("depot", ["4 flare", "1 rope"])
        .start("surveyor.pockets", ["2 flare"]);
    rules.build().unwrap().into()
}

/// Worlds that differ, as saves.
fn saves(count: u32) -> Vec<Vec<u8>> {
    let rules = camp();
    let mut world = World::new(&rules);
    let (depot, pockets) = (world.container("depot").unwrap(), world.container("surveyor.pockets").unwrap());
    let save = |number: u32| {
        if number > 0 {
            let move_one = hypotheke::Operation::moving(hypotheke::Amount::Exactly(1), depot, pockets);
            assert_eq!(world.perform(&move_one).unwrap().done(), 1);
        }
        hypotheke::save::Save::of(&world).to_bytes()
    };
    (0..count).map(save).collect()
}

#[test]
fn every_store_keeps_its_contract() {
    let folder = tempdir().unwrap();
    let stores: [(&str, Box<dyn Store>); 3] = [
        ("memory", Box::new(MemoryStore::new())),
        ("folder", Box::new(FolderStore::open(folder.path().join("players")).unwrap())),
        ("simulated", Box::new(FolderStore::open_on(SimulatedDisk::new(), "players").unwrap())),
    ];
    for (name, store) in stores {
        assert_eq!(check_store_contract(&&*store), None, "{name}");
    }
}

#[test]
fn of_many_who_save_at_once_one_does() {
    let folder = tempdir().unwrap();
    assert_eq!(check_store_races(&MemoryStore::new(), THREADS, 200), None);
    assert_eq!(check_store_races(&FolderStore::open(folder.path()).unwrap(), THREADS, 50), None);
}

#[test]
fn a_key_is_any_name_but_none_and_no_endless_one() {
    assert_eq!(Key::new(""), Err(KeyError::Empty));
    assert_eq!(Key::new([b'a'; 10_000]), Err(KeyError::TooLong(10_000)));
    assert!(Key::new([0; 255]).is_ok());
    let described = |bytes: &[u8]| Key::new(bytes).unwrap().to_string();
    assert_eq!(described(b"../../x"), "../../x");
    assert_eq!(described(b"a\0b\x1b[2J"), r"a\0b\u{1b}[2J");
    assert_eq!(described(b"\xffx"), r"\xffx");
}

/// A store that breaks one promise.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Flaw {
    /// Saves whatever the revision was.
    NoRevisions,
    /// Saves under any lease.
    NoLeases,
    /// Gives everybody a lease.
    NobodyHolds,
    /// Gives each the same number.
    NumbersStay,
    /// Takes `Ada` and `ada` for one.
    NoCase,
    /// Looks at the revision first and saves later.
    NotAtOnce,
    /// Saves whatever the revision and the lease.
    TakesAll,
    /// Says that it has saved, and has not.
    LosesSaves,
}

#[derive(Clone, Debug)]
struct Flawed {
    store: MemoryStore,
    flaw: Flaw,
}

impl Flawed {
    fn new(flaw: Flaw) -> Flawed {
        Flawed { store: MemoryStore::new(), flaw }
    }

    fn key(&self, key: &Key) -> Key {
        let as_it_is = key.as_bytes();
        Key::new(if self.flaw == Flaw::NoCase { as_it_is.to_ascii_lowercase() } else { as_it_is.to_vec() }).unwrap()
    }
}

impl Store for Flawed {
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError> {
        self.store.load(&self.key(key))
    }

    fn status(&self, key: &Key) -> Result<Status, StoreError> {
        self.store.status(&self.key(key))
    }

    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError> {
        self.store.generations(&self.key(key))
    }

    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError> {
        let key = self.key(key);
        let status = self.store.status(&key)?;
        match self.flaw {
            Flaw::NoRevisions if lease == status.lease.number => self.store.save(&key, bytes, status.revision, lease),
            Flaw::NoLeases => self.store.save(&key, bytes, expected_revision, status.lease.number),
            Flaw::TakesAll => self.store.save(&key, bytes, status.revision, status.lease.number),
            Flaw::LosesSaves if expected_revision > 0 => Ok(expected_revision + 1),
            Flaw::NotAtOnce if expected_revision == status.revision => {
                std::thread::yield_now();
                let latest = self.store.status(&key)?.revision;
                self.store.save(&key, bytes, latest, lease).map(|_| expected_revision + 1)
            }
            _ => self.store.save(&key, bytes, expected_revision, lease),
        }
    }

    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError> {
        let key = self.key(key);
        let held = self.store.status(&key)?;
        match self.flaw {
            Flaw::NobodyHolds => {
                self.store.release(&key, held.lease.number)?;
                self.store.lease(&key, owner, now, expires_at)
            }
            Flaw::NumbersStay if held.lease.number > 0 && held.lease.expires_at <= now => {
                let Status { revision, lease, .. } = held;
                Ok(Lease { number: lease.number, revision, expires_at })
            }
            _ => self.store.lease(&key, owner, now, expires_at),
        }
    }

    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError> {
        self.store.renew(&self.key(key), number, expires_at)
    }

    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        self.store.release(&self.key(key), number)
    }

    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        self.store.keys()
    }
}

#[test]
fn the_violated_rule_of_a_store_is_named() {
    let found = |flaw| {
        check_store_contract(&Flawed::new(flaw)).map(|CheckFailure { trace, found }| (trace.last().cloned(), found))
    };
    let expected = [
        (
            Flaw::NoRevisions,
            "`ada`: save from revision 0 under lease 0, which must be refused",
            "the save was accepted as revision 2",
        ),
        (
            Flaw::NoLeases,
            "`ada`: save from revision 1 under lease 0, which must be refused",
            "the save was accepted as revision 2",
        ),
        (Flaw::NobodyHolds, "`ada`: pass requests a lease at 99, which must be refused", "Lease"),
        (Flaw::NumbersStay, "`ada`: pass requests a lease from 200 until 300", "lease 1 follows lease 1"),
        (
            Flaw::TakesAll,
            "`ada`: save from revision 0 under lease 0, which must be refused",
            "the save was accepted as revision 2",
        ),
        (
            Flaw::LosesSaves,
            "`ada`: save from revision 2 under lease 0, which must be refused",
            "the save was accepted as revision 3",
        ),
        (Flaw::NoCase, "`ada`: load", "`Ada`: a new key already has a save"),
    ];
    for (flaw, last, wrong) in expected {
        let (step, described) = found(flaw).unwrap_or_else(|| panic!("{flaw:?} is not found"));
        assert_eq!(step.as_deref(), Some(last), "{flaw:?}: {described}");
        assert!(described.contains(wrong), "{flaw:?}: {described}");
    }
}

#[test]
fn a_store_that_looks_first_and_saves_later_loses_a_race() {
    let failure =
        check_store_races(&Flawed::new(Flaw::NotAtOnce), THREADS, 2_000).expect("two must have saved at once");
    assert!(failure.found.ends_with("of the saves were accepted"), "{}", failure.found);
}
