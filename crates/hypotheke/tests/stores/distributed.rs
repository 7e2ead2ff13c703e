//! A store on a system of another sort needs two things of it and no more: that one record changes
//! at once, and only if it is as it was read.
//!
//! Two such systems, each as little as it has to be, with a store on top: rows that are changed
//! where a condition holds, as a database has them, and objects that are put if they still have
//! their tag, as object stores have them. Without the condition, both are found out.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use hypotheke::save_checks::{HandoverBounds, check_handover, check_store_contract, check_store_races};
use hypotheke::store::{Generation, Key, Lease, LeaseStatus, Status, Store, StoreError, Stored};
use serde::{Deserialize, Serialize};

use super::{THREADS, camp};

/// All that is kept under a key.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
struct Record {
    revision: u64,
    /// The lease under which was saved.
    lease_number: u64,
    bytes: Vec<u8>,
    lease: u64,
    owner: String,
    expires_at: u64,
    /// Revision, lease and bytes of saves before, the latest first.
    earlier: Vec<(u64, u64, Vec<u8>)>,
}

impl Record {
    fn status(&self) -> Status {
        let lease = LeaseStatus { number: self.lease, owner: self.owner.clone(), expires_at: self.expires_at };
        Status { revision: self.revision, lease_number: self.lease_number, lease }
    }

    fn stored(self) -> Option<Stored> {
        (self.revision > 0).then_some(Stored { revision: self.revision, lease: self.lease_number, bytes: self.bytes })
    }
}

/// A system that keeps records. `change` is one request: what it does is done at once, or not at
/// all.
trait System {
    fn read(&self, key: &Key) -> Record;
    /// Changes a record if the condition holds when it is changed; the record then, or as it is
    /// instead.
    fn change(
        &self,
        key: &Key,
        holds: &dyn Fn(&Record) -> bool,
        change: &dyn Fn(&mut Record),
    ) -> Result<Record, Record>;
    fn names(&self) -> Vec<Key>;
}

/// `UPDATE … SET … WHERE key = … AND …`: the row is locked, looked at, and changed.
#[derive(Debug, Default)]
struct Rows {
    rows: Mutex<BTreeMap<Key, Record>>,
    /// The condition is checked earlier, in a separate statement.
    looks_before: bool,
}

impl System for Rows {
    fn read(&self, key: &Key) -> Record {
        self.rows.lock().unwrap().get(key).cloned().unwrap_or_default()
    }

    fn change(
        &self,
        key: &Key,
        holds: &dyn Fn(&Record) -> bool,
        change: &dyn Fn(&mut Record),
    ) -> Result<Record, Record> {
        let mut rows = self.rows.lock().unwrap();
        if !holds(rows.entry(key.clone()).or_default()) {
            return Err(rows[key].clone());
        }
        if self.looks_before {
            drop(rows);
            std::thread::yield_now();
            rows = self.rows.lock().unwrap();
        }
        let row = rows.entry(key.clone()).or_default();
        change(row);
        Ok(row.clone())
    }

    fn names(&self) -> Vec<Key> {
        self.rows.lock().unwrap().keys().cloned().collect()
    }
}

/// A tag, and bytes.
type Object = (u64, Arc<[u8]>);

/// Objects with tags: `put` with `If-Match`, or `If-None-Match` where there is none yet.
#[derive(Debug, Default)]
struct Objects {
    objects: Mutex<BTreeMap<Key, Object>>,
    /// It puts whatever the tag is.
    ignores_tags: bool,
}

impl Objects {
    fn get(&self, key: &Key) -> (u64, Record) {
        match self.objects.lock().unwrap().get(key) {
            None => (0, Record::default()),
            Some((tag, bytes)) => (*tag, serde_json::from_slice(bytes).unwrap()),
        }
    }

    fn put(&self, key: &Key, record: &Record, tag: u64) -> bool {
        let bytes = serde_json::to_vec(record).unwrap().into();
        let mut objects = self.objects.lock().unwrap();
        let found = objects.get(key).map_or(0, |(tag, _)| *tag);
        if found != tag && !self.ignores_tags {
            return false;
        }
        objects.insert(key.clone(), (found + 1, bytes));
        true
    }
}

impl System for Objects {
    fn read(&self, key: &Key) -> Record {
        self.get(key).1
    }

    fn change(
        &self,
        key: &Key,
        holds: &dyn Fn(&Record) -> bool,
        change: &dyn Fn(&mut Record),
    ) -> Result<Record, Record> {
        loop {
            let (tag, mut record) = self.get(key);
            if !holds(&record) {
                return Err(record);
            }
            change(&mut record);
            if self.put(key, &record, tag) {
                return Ok(record);
            }
        }
    }

    fn names(&self) -> Vec<Key> {
        self.objects.lock().unwrap().keys().cloned().collect()
    }
}

/// A store on such a system, which keeps the latest three saves of each key.
#[derive(Debug, Default)]
struct On<S>(S);

impl<S: System> Store for On<S> {
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError> {
        Ok(self.0.read(key).stored())
    }

    fn status(&self, key: &Key) -> Result<Status, StoreError> {
        Ok(self.0.read(key).status())
    }

    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError> {
        let record = self.0.read(key);
        let described = |(revision, lease, bytes)| Generation { revision, lease, content: Ok(bytes) };
        let earlier: Vec<Generation> = record.earlier.iter().cloned().map(described).collect();
        let latest = record.stored().map(|stored| described((stored.revision, stored.lease, stored.bytes)));
        Ok(latest.into_iter().chain(earlier).collect())
    }

    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError> {
        let is_so = |record: &Record| record.revision == expected_revision && record.lease == lease;
        let saved = self.0.change(key, &is_so, &|record| {
            let before = (record.revision, record.lease_number, std::mem::take(&mut record.bytes));
            record.earlier.insert(0, before);
            record.earlier.retain(|(revision, ..)| *revision > 0 && expected_revision < revision + 2);
            (record.revision, record.lease_number, record.bytes) = (expected_revision + 1, lease, bytes.to_vec());
        });
        match saved {
            Ok(record) => Ok(record.revision),
            Err(record) => Err(refused(key, &record, expected_revision, lease)),
        }
    }

    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError> {
        let is_free = |record: &Record| record.owner.is_empty() || record.owner == owner || record.expires_at <= now;
        let given = self.0.change(key, &is_free, &|record| {
            record.lease += u64::from(record.owner != owner);
            (record.owner, record.expires_at) = (owner.to_owned(), expires_at);
        });
        match given {
            Ok(Record { lease: number, revision, expires_at, .. }) => Ok(Lease { number, revision, expires_at }),
            Err(Record { owner, expires_at, .. }) => Err(StoreError::Held { key: key.clone(), owner, expires_at }),
        }
    }

    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError> {
        let is_so = |record: &Record| record.lease == number && !record.owner.is_empty();
        let renewed = self.0.change(key, &is_so, &|record| record.expires_at = expires_at);
        renewed.map(drop).map_err(|record| refused(key, &record, record.revision, number))
    }

    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        let is_so = |record: &Record| record.lease == number;
        let _ = self.0.change(key, &is_so, &|record| (record.owner, record.expires_at) = (String::new(), 0));
        Ok(())
    }

    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        Ok(self.0.names().into_iter().filter(|key| self.0.read(key).revision > 0).collect())
    }
}

fn refused(key: &Key, record: &Record, expected_revision: u64, number: u64) -> StoreError {
    let (key, found, lease_number) = (key.clone(), record.revision, record.lease_number);
    if record.lease == number && record.revision != expected_revision {
        return StoreError::Conflict { key, expected_revision, found, lease_number };
    }
    StoreError::LeaseLost { key, number, latest: record.lease, found, lease_number }
}

impl Clone for On<Rows> {
    fn clone(&self) -> On<Rows> {
        let rows = Mutex::new(self.0.rows.lock().unwrap().clone());
        On(Rows { rows, looks_before: self.0.looks_before })
    }
}

impl Clone for On<Objects> {
    fn clone(&self) -> On<Objects> {
        let objects = Mutex::new(self.0.objects.lock().unwrap().clone());
        On(Objects { objects, ignores_tags: self.0.ignores_tags })
    }
}

#[test]
fn a_condition_on_one_record_is_enough() {
    let (rows, objects) = (On::<Rows>::default(), On::<Objects>::default());
    assert_eq!((check_store_contract(&rows), check_store_contract(&objects)), (None, None));
    assert_eq!((check_store_races(&rows, THREADS, 300), check_store_races(&objects, THREADS, 300)), (None, None));
    let bounds = HandoverBounds { joins: 2, ..HandoverBounds::default() };
    for found in [
        check_handover(&camp(), &On::<Rows>::default(), bounds, &mut |_| None).unwrap(),
        check_handover(&camp(), &On::<Objects>::default(), bounds, &mut |_| None).unwrap(),
    ] {
        assert_eq!((found.failure, found.stopped_by), (None, None));
    }
}

#[test]
fn without_it_two_save_at_once() {
    let rows = On(Rows { looks_before: true, ..Rows::default() });
    let objects = On(Objects { ignores_tags: true, ..Objects::default() });
    for failure in [check_store_races(&rows, THREADS, 5_000), check_store_races(&objects, THREADS, 5_000)] {
        let failure = failure.expect("two must have saved at once");
        assert!(failure.found.ends_with("of the saves were accepted"), "{}", failure.found);
    }
}
