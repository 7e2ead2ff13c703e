//! The folder store: what is in the folder, and what becomes of it when something goes wrong.

use std::fs;
use std::path::Path;

use hypotheke::save_checks::check_crashes_on;
use hypotheke::save_checks::{CrashReport, check_crashes};
use hypotheke::store::{Disk, FolderStore, Key, SimulatedDisk, Store, StoreError, SystemDisk};
use proptest::prelude::*;
use tempfile::tempdir;

use super::{key, saves};

fn names(folder: &Path) -> Vec<String> {
    SystemDisk.list(folder).unwrap()
}

#[test]
fn a_save_is_a_plain_file_with_what_was_saved() {
    let folder = tempdir().unwrap();
    let store = FolderStore::open(folder.path()).unwrap().with_generations(2);
    let ada = key("Ada");
    let lease = store.lease(&ada, "camp", 0, 10).unwrap();
    for revision in 0..3 {
        store.save(&ada, format!("save {revision}").as_bytes(), revision, lease.number).unwrap();
    }
    assert_eq!(names(folder.path()), ["key-%41da", "lock"]);
    let inside = folder.path().join("key-%41da");
    assert_eq!(names(&inside), ["2.1.5c345222.save", "3.1.c53d0398.save", "lease.json"]);
    assert_eq!(fs::read(inside.join("3.1.c53d0398.save")).unwrap(), b"save 2");
    let kept: Vec<u64> = store.generations(&ada).unwrap().iter().map(|kept| kept.revision).collect();
    assert_eq!(kept, [3, 2]);
}

#[test]
fn what_one_process_has_saved_the_next_finds() {
    let folder = tempdir().unwrap();
    let ada = key("ada");
    let first = FolderStore::open(folder.path()).unwrap();
    let lease = first.lease(&ada, "camp", 0, 50).unwrap();
    first.save(&ada, b"6 flares", 0, lease.number).unwrap();
    let error = FolderStore::open(folder.path()).unwrap_err();
    assert_eq!(error.code(), "locked");
    assert!(error.to_string().contains(&format!("(process {})", std::process::id())), "{error}");
    drop(first);

    let second = FolderStore::open(folder.path()).unwrap();
    assert_eq!(second.load(&ada).unwrap().unwrap().bytes, b"6 flares");
    assert_eq!(second.lease(&ada, "pass", 49, 99).unwrap_err().code(), "held");
    let later = second.lease(&ada, "pass", 50, 99).unwrap();
    assert_eq!((later.number, later.revision), (2, 1));
}

#[test]
fn no_key_leaves_the_folder() {
    let around = tempdir().unwrap();
    let store = FolderStore::open(around.path().join("players")).unwrap();
    for text in ["../../x", "/tmp/x", "con", "a\0b", ".", "..", "lock", "x/lease.json", "ADA", "ada", "~", "%2e", "a+b"]
    {
        store.save(&key(text), text.as_bytes(), 0, 0).unwrap();
    }
    assert_eq!(names(around.path()), ["players"]);
    let found = names(&around.path().join("players"));
    assert_eq!(found.len(), 14, "{found:?}");
    assert!(found.iter().all(|name| name == "lock" || name.starts_with("key-")), "{found:?}");
    let lower: std::collections::BTreeSet<String> = found.iter().map(|name| name.to_lowercase()).collect();
    assert_eq!(lower.len(), found.len(), "names that differ in case alone: {found:?}");
}

proptest! {
    #[test]
    fn any_bytes_are_a_key_of_their_own(all in prop::collection::btree_set(prop::collection::vec(any::<u8>(), 1..256), 1..6)) {
        let folder = tempdir().unwrap();
        let store = FolderStore::open(folder.path()).unwrap();
        let keys: Vec<Key> = all.iter().map(|bytes| Key::new(bytes).unwrap()).collect();
        for key in &keys {
            store.save(key, key.as_bytes(), 0, 0).unwrap();
        }
        prop_assert_eq!(&store.keys().unwrap(), &keys);
        drop(store);
        let store = FolderStore::open(folder.path()).unwrap();
        for key in &keys {
            prop_assert_eq!(store.load(key).unwrap().unwrap().bytes, key.as_bytes());
        }
    }
}

#[test]
fn what_is_strange_in_the_folder_is_left_alone() {
    let folder = tempdir().unwrap();
    let ada = key("ada");
    FolderStore::open(folder.path()).unwrap().save(&ada, b"6 flares", 0, 0).unwrap();
    let inside = folder.path().join("key-ada");
    let strange = ["notes.txt", "02.0.00000000.save", "x.save", "1.0.zz.save", "0.0.00000000.save", "9.save"];
    for name in strange {
        fs::write(inside.join(name), "?").unwrap();
    }
    fs::create_dir(folder.path().join("key-%zz")).unwrap();
    fs::write(folder.path().join("key-file"), "?").unwrap();
    fs::write(inside.join("2.0.12345678.save.part"), "half").unwrap();
    let store = FolderStore::open(folder.path()).unwrap();
    assert_eq!(store.load(&ada).unwrap().unwrap().revision, 1);
    assert_eq!(store.keys().unwrap(), [ada]);
    assert!(strange.iter().all(|name| inside.join(name).exists()));
    assert!(!inside.join("2.0.12345678.save.part").exists());
    assert_eq!(store.load(&key("file")).unwrap_err().code(), "no-store");
}

#[test]
fn the_save_before_a_damaged_one_is_offered() {
    let folder = tempdir().unwrap();
    let store = FolderStore::open(folder.path()).unwrap();
    let ada = key("ada");
    for revision in 0..3 {
        store.save(&ada, format!("save {revision}").as_bytes(), revision, 0).unwrap();
    }
    let inside = folder.path().join("key-ada");
    let file = |revision: u32| {
        let name = names(&inside).into_iter().find(|name| name.starts_with(&format!("{revision}."))).unwrap();
        inside.join(name)
    };
    fs::write(file(3), "save").unwrap();
    let error = store.load(&ada).unwrap_err();
    let StoreError::Damaged { earlier, place, .. } = &error else { panic!("{error}") };
    assert_eq!((*earlier, place.as_str()), (Some(2), file(3).to_str().unwrap()));
    assert!(error.to_string().ends_with("; revision 2 is intact"), "{error}");

    // It is saved again as the next, and so it is the latest.
    let kept = store.generations(&ada).unwrap();
    assert!(kept[0].content.as_ref().unwrap_err().contains("checksum"));
    store.save(&ada, kept[1].content.as_ref().unwrap(), 3, 0).unwrap();
    assert_eq!(store.load(&ada).unwrap().unwrap().bytes, b"save 1");

    fs::remove_file(file(4)).unwrap();
    fs::write(file(2), "").unwrap();
    let error = store.load(&ada).unwrap_err().to_string();
    assert!(error.ends_with("no earlier save is intact"), "{error}");
}

#[test]
fn a_damaged_lease_stops_whoever_would_save_and_nobody_else() {
    let folder = tempdir().unwrap();
    let ada = key("ada");
    let store = FolderStore::open(folder.path()).unwrap();
    let lease = store.lease(&ada, "camp", 0, 10).unwrap();
    store.save(&ada, b"6 flares", 0, lease.number).unwrap();
    drop(store);
    let path = folder.path().join("key-ada/lease.json");
    let whole = fs::read_to_string(&path).unwrap();
    for damaged in [whole.replace("\"number\":1", "\"number\":0"), "{".to_owned(), String::new()] {
        fs::write(&path, damaged).unwrap();
        let store = FolderStore::open(folder.path()).unwrap();
        assert_eq!(store.load(&ada).unwrap().unwrap().bytes, b"6 flares");
        let error = store.save(&ada, b"7", 1, 1).unwrap_err();
        assert_eq!(error.code(), "damaged");
        assert!(error.to_string().contains("lease.json"), "{error}");
        assert_eq!(store.lease(&ada, "camp", 99, 100).unwrap_err().code(), "damaged");
    }
    // Without the file, the number goes on from the lease under which was saved.
    fs::remove_file(&path).unwrap();
    let store = FolderStore::open(folder.path()).unwrap();
    assert_eq!(store.lease(&ada, "camp", 0, 10).unwrap().number, 2);
}

#[test]
fn numbers_that_are_used_up_are_an_error() {
    let folder = tempdir().unwrap();
    fs::create_dir(folder.path().join("key-ada")).unwrap();
    let last = u64::MAX;
    fs::write(folder.path().join(format!("key-ada/{last}.{last}.00000000.save")), "").unwrap();
    let store = FolderStore::open(folder.path()).unwrap();
    assert_eq!(store.load(&key("ada")).unwrap().unwrap().revision, last);
    assert_eq!(store.save(&key("ada"), b"", last, last).unwrap_err().code(), "failed");
    assert_eq!(store.lease(&key("ada"), "camp", 0, 1).unwrap_err().code(), "failed");
}

#[test]
fn what_is_no_folder_is_no_store() {
    let around = tempdir().unwrap();
    let file = around.path().join("players");
    fs::write(&file, "").unwrap();
    let error = FolderStore::open(&file).unwrap_err();
    assert_eq!(error.code(), "no-store");
    assert!(error.to_string().contains("players is not a store: the path is a file"), "{error}");
    assert_eq!(FolderStore::open(around.path().join("no/such/players")).unwrap_err().code(), "failed");
}

#[cfg(unix)]
#[test]
fn a_read_only_folder_is_reported() {
    use std::os::unix::fs::PermissionsExt;
    let around = tempdir().unwrap();
    let folder = around.path().join("players");
    let store = FolderStore::open(&folder).unwrap();
    store.save(&key("ada"), b"6 flares", 0, 0).unwrap();
    let allow = |mode| fs::set_permissions(folder.join("key-ada"), fs::Permissions::from_mode(mode)).unwrap();
    allow(0o555);
    let saved = store.save(&key("ada"), b"7 flares", 1, 0);
    allow(0o755);
    // An administrator may write anywhere.
    if let Err(error) = saved {
        assert_eq!(error.code(), "read-only");
        assert_eq!(store.load(&key("ada")).unwrap().unwrap().bytes, b"6 flares");
    }
    assert_eq!(store.save(&key("bo"), b"1", 0, 0).unwrap(), 1);
}

#[test]
fn a_read_only_store_is_reported() {
    let disk = SimulatedDisk::new();
    FolderStore::open_on(disk.clone(), "players").unwrap().save(&key("ada"), b"6 flares", 0, 0).unwrap();
    let error = FolderStore::open_on(disk.read_only(), "others").unwrap_err();
    assert_eq!(error.to_string(), "others: make the folder: write access denied");
    assert_eq!(FolderStore::open_on(disk.read_only(), "players").unwrap_err().code(), "read-only");
}

#[test]
fn a_full_disk_keeps_what_was_there() {
    let disk = SimulatedDisk::new();
    let ada = key("ada");
    let store = FolderStore::open_on(disk.clone(), "players").unwrap();
    store.save(&ada, b"6 flares", 0, 0).unwrap();
    let disk = disk.with_room_for(4);
    let store = FolderStore::open_on(disk.clone(), "players").unwrap();
    let error = store.save(&ada, b"7 flares", 1, 0).unwrap_err();
    assert_eq!(error.code(), "full");
    assert!(error.to_string().ends_with(".save.part: write: the disk is full"), "{error}");
    assert_eq!(store.load(&ada).unwrap().unwrap().bytes, b"6 flares");
    assert_eq!(store.lease(&ada, "camp", 0, 1).unwrap_err().code(), "full");
    let left: Vec<String> = disk.list(Path::new("players/key-ada")).unwrap();
    assert!(left.iter().all(|name| !name.ends_with(".part")), "{left:?}");
}

#[test]
fn wherever_the_writer_stops_a_whole_save_is_there() {
    let CrashReport { saves, stops, disks, failure } = check_crashes(&saves(4));
    assert_eq!(failure, None);
    assert_eq!(saves, 4);
    // A lease and four saves with their folder are some thirty steps, each followed by another
    // process.
    assert!(stops > 300 && disks > 2_000, "{stops} stops, {disks} disks");
}

#[test]
fn without_any_one_of_its_syncs_something_is_lost() {
    let saves = saves(3);
    let whole = SimulatedDisk::new();
    let store = FolderStore::open_on(whole.clone(), "players").unwrap();
    let lease = store.lease(&key("ada"), "camp", 0, 1).unwrap();
    for (expected_revision, save) in (0..).zip(&saves) {
        store.save(&key("ada"), save, expected_revision, lease.number).unwrap();
    }
    let syncs = whole.syncs();
    assert!(syncs >= 9, "{syncs}");
    for sync in 0..syncs {
        let failure = check_crashes_on(&SimulatedDisk::new().without_sync(sync), &saves).failure;
        let failure = failure.unwrap_or_else(|| panic!("sync {sync} of {syncs} is not missed"));
        assert!(failure.trace.iter().any(|step| step.starts_with("lost: ")), "{failure:?}");
    }
}
