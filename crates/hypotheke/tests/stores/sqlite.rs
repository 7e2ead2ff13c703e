//! The SQLite store: what else may be in its file, and who else may have it open.

use std::fs;

use hypotheke::save_checks::{check_store_contract, check_store_races};
use hypotheke::store::{Key, SqliteStore, Store, StoreError};
use proptest::prelude::*;
use rusqlite::Connection;
use tempfile::tempdir;

use super::{THREADS, key};

#[test]
fn it_keeps_its_contract() {
    let folder = tempdir().unwrap();
    assert_eq!(check_store_contract(&SqliteStore::open(folder.path().join("players.sqlite")).unwrap()), None);
    assert_eq!(check_store_races(&SqliteStore::open(folder.path().join("races.sqlite")).unwrap(), THREADS, 50), None);
}

/// Two connections are as two processes to the database.
#[test]
fn of_two_who_save_at_once_one_does() {
    let folder = tempdir().unwrap();
    let path = folder.path().join("players.sqlite");
    let stores = [(); 2].map(|()| SqliteStore::open(&path).unwrap());
    let ada = key("ada");
    for round in 0..30 {
        let won: usize = std::thread::scope(|scope| {
            let started =
                stores.each_ref().map(|store| scope.spawn(|| store.save(&ada, b"6 flares", round, 0).is_ok()));
            started.into_iter().map(|thread| usize::from(thread.join().unwrap())).sum()
        });
        assert_eq!(won, 1, "round {round}");
    }
    assert_eq!(stores[0].load(&ada).unwrap().unwrap().revision, 30);
}

/// Two servers of one machine may start at the same moment.
#[test]
fn many_may_make_a_database_at_once() {
    for round in 0..20 {
        let folder = tempdir().unwrap();
        let path = folder.path().join("players.sqlite");
        std::thread::scope(|scope| {
            let started = [(); 6].map(|()| scope.spawn(|| SqliteStore::open(&path).map(drop)));
            for opened in started {
                opened.join().unwrap().unwrap_or_else(|error| panic!("round {round}: {error}"));
            }
        });
    }
}

#[test]
fn what_one_has_saved_another_finds() {
    let folder = tempdir().unwrap();
    let path = folder.path().join("players.sqlite");
    let (first, second) = (SqliteStore::open(&path).unwrap(), SqliteStore::open(&path).unwrap());
    let ada = key("ada");
    let lease = first.lease(&ada, "camp", 0, 10).unwrap();
    first.save(&ada, b"6 flares", 0, lease.number).unwrap();
    assert_eq!(second.load(&ada).unwrap().unwrap().bytes, b"6 flares");
    assert_eq!(second.lease(&ada, "pass", 9, 20).unwrap_err().code(), "held");
    assert_eq!(second.lease(&ada, "pass", 10, u64::MAX).unwrap().number, 2);
    assert_eq!(first.save(&ada, b"5 flares", 1, lease.number).unwrap_err().code(), "lease-lost");
    assert_eq!(first.lease(&ada, "camp", u64::MAX - 1, u64::MAX).unwrap().number, 3);
}

#[test]
fn as_many_saves_as_are_wanted_are_kept() {
    let folder = tempdir().unwrap();
    let store = SqliteStore::open(folder.path().join("players.sqlite")).unwrap().with_generations(2);
    for expected_revision in 0..5 {
        store.save(&key("ada"), &[u8::try_from(expected_revision).unwrap()], expected_revision, 0).unwrap();
    }
    let kept: Vec<u64> = store.generations(&key("ada")).unwrap().iter().map(|kept| kept.revision).collect();
    assert_eq!(kept, [5, 4]);
}

proptest! {
    #[test]
    fn any_bytes_are_a_key_of_their_own(all in prop::collection::btree_set(prop::collection::vec(any::<u8>(), 1..256), 1..6)) {
        let folder = tempdir().unwrap();
        let store = SqliteStore::open(folder.path().join("players.sqlite")).unwrap();
        let keys: Vec<Key> = all.iter().map(|bytes| Key::new(bytes).unwrap()).collect();
        for key in &keys {
            store.save(key, key.as_bytes(), 0, 0).unwrap();
        }
        prop_assert_eq!(&store.keys().unwrap(), &keys);
        for key in &keys {
            prop_assert_eq!(store.load(key).unwrap().unwrap().bytes, key.as_bytes());
        }
    }
}

#[test]
fn an_invalid_store_is_rejected() {
    let folder = tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    let described = |name: &str| SqliteStore::open(path(name)).unwrap_err();
    fs::create_dir(path("folder")).unwrap();
    assert!(described("folder").to_string().ends_with("the path is a folder"));
    fs::write(
        path("text"),
        "a note that is longer than the head of a database, which is a hundred bytes long; ".repeat(3),
    )
    .unwrap();
    assert_eq!(described("text").code(), "no-store");
    Connection::open(path("other")).unwrap().execute_batch("CREATE TABLE ropes (length)").unwrap();
    assert!(described("other").to_string().ends_with("it is a database of a different program"));
    drop(SqliteStore::open(path("later")).unwrap());
    Connection::open(path("later")).unwrap().execute_batch("PRAGMA user_version = 9").unwrap();
    assert!(described("later").to_string().ends_with("its tables have version 9; this program supports version 1"));
    assert_eq!(described("no/such/folder").code(), "failed");
}

#[test]
fn the_save_before_a_damaged_one_is_offered() {
    let folder = tempdir().unwrap();
    let path = folder.path().join("players.sqlite");
    let store = SqliteStore::open(&path).unwrap();
    for expected_revision in 0..2 {
        store.save(&key("ada"), b"6 flares", expected_revision, 0).unwrap();
    }
    Connection::open(&path).unwrap().execute("UPDATE saves SET bytes = x'00' WHERE revision = 2", []).unwrap();
    let error = store.load(&key("ada")).unwrap_err();
    assert!(matches!(error, StoreError::Damaged { earlier: Some(1), .. }), "{error}");
    assert!(error.to_string().contains("players.sqlite, revision 2: checksum mismatch"), "{error}");
    let kept = store.generations(&key("ada")).unwrap();
    assert_eq!((kept[0].content.is_err(), kept[1].content.as_deref()), (true, Ok(&b"6 flares"[..])));
}

#[cfg(unix)]
#[test]
fn a_read_only_file_is_reported() {
    use std::os::unix::fs::PermissionsExt;
    let folder = tempdir().unwrap();
    let path = folder.path().join("players.sqlite");
    SqliteStore::open(&path).unwrap().save(&key("ada"), b"6 flares", 0, 0).unwrap();
    let allow = |mode, folder_mode| {
        fs::set_permissions(&path, fs::Permissions::from_mode(mode)).unwrap();
        fs::set_permissions(folder.path(), fs::Permissions::from_mode(folder_mode)).unwrap();
    };
    allow(0o444, 0o555);
    let saved = SqliteStore::open(&path).and_then(|store| store.save(&key("ada"), b"7 flares", 1, 0));
    allow(0o644, 0o755);
    // An administrator may write anywhere.
    let expected: &[u8] = if saved.is_ok() { b"7 flares" } else { b"6 flares" };
    assert!(saved.is_ok() || saved.is_err_and(|error| error.code() == "read-only"));
    assert_eq!(SqliteStore::open(&path).unwrap().load(&key("ada")).unwrap().unwrap().bytes, expected);
}

/// Whatever is damaged: what is loaded is what was saved, or it is an error.
#[test]
fn a_damaged_file_gives_what_was_saved_or_an_error() {
    let folder = tempdir().unwrap();
    let path = folder.path().join("players.sqlite");
    let bytes = {
        let store = SqliteStore::open(&path).unwrap();
        let filled = |number: u8| vec![number; 900];
        for number in 0..60 {
            store.save(&Key::new([number + 1]).unwrap(), &filled(number), 0, 0).unwrap();
        }
        drop(store);
        fs::read(&path).unwrap()
    };
    let mut described = 0;
    for at in (0..bytes.len()).step_by(bytes.len() / 60) {
        let mut damaged = bytes.clone();
        damaged[at..].iter_mut().take(200).for_each(|byte| *byte = !*byte);
        fs::write(&path, damaged).unwrap();
        let Ok(store) = SqliteStore::open(&path) else {
            described += 1;
            continue;
        };
        for number in 0..60 {
            match store.load(&Key::new([number + 1]).unwrap()) {
                Ok(Some(stored)) => assert_eq!(stored.bytes, vec![number; 900], "{at}"),
                Ok(None) => {}
                Err(_) => described += 1,
            }
        }
    }
    assert!(described > 20, "{described}");
}

#[test]
fn a_full_or_closed_file_keeps_what_was_there() {
    let folder = tempdir().unwrap();
    let path = folder.path().join("players.sqlite");
    let store = SqliteStore::open(&path).unwrap();
    store.save(&key("ada"), b"6 flares", 0, 0).unwrap();
    store.limit_pages(4).unwrap();
    let error = store.save(&key("ada"), &[7; 100_000], 1, 0).unwrap_err();
    assert_eq!(error.code(), "full");
    assert_eq!(store.load(&key("ada")).unwrap().unwrap().bytes, b"6 flares");
    store.limit_pages(1_000_000).unwrap();
    assert_eq!(store.save(&key("ada"), &[7; 100_000], 1, 0).unwrap(), 2);
}

#[test]
fn a_writer_blocks_others_until_the_time_out() {
    let folder = tempdir().unwrap();
    let path = folder.path().join("players.sqlite");
    let store = SqliteStore::open(&path).unwrap().with_timeout(std::time::Duration::from_millis(20)).unwrap();
    let other = Connection::open(&path).unwrap();
    other.execute_batch("BEGIN IMMEDIATE").unwrap();
    let error = store.save(&key("ada"), b"6 flares", 0, 0).unwrap_err();
    assert_eq!((error.code(), error.is_retryable()), ("locked", true));
    assert!(store.load(&key("ada")).unwrap().is_none());
    other.execute_batch("ROLLBACK").unwrap();
    assert_eq!(store.save(&key("ada"), b"6 flares", 0, 0).unwrap(), 1);
}
