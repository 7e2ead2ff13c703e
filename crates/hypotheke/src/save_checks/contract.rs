//! What a store promises, tried out on one.

use std::num::NonZeroUsize;

use super::CheckFailure;
use crate::store::{Key, Lease, Store, StoreError, Stored};

/// Names that players may give themselves and that lead astray where they are taken as they stand.
const KEYS: [&[u8]; 13] = [
    b"ada",
    b"Ada",
    b"ADA",
    b"../../x",
    b"/etc/passwd",
    b"con",
    b"a\0b",
    b".",
    b"lock",
    b"'; DROP TABLE saves; --",
    b"\xff\xfe",
    "Nor\u{f0}urlj\u{f3}s".as_bytes(),
    &[b'%'; 255],
];

/// Tests every rule of a store with requests in turn, on an empty store. Returns the first violated
/// rule. Test your own store with this and [`check_store_races`]; what it survives is up to you to
/// test.
///
/// ```
/// use hypotheke::save_checks::check_store_contract;
/// use hypotheke::store::MemoryStore;
///
/// assert_eq!(check_store_contract(&MemoryStore::new()), None);
/// ```
#[must_use]
pub fn check_store_contract(store: &impl Store) -> Option<CheckFailure> {
    let mut trial = Trial { store, trace: Vec::new() };
    let found = trial.all().err()?;
    Some(CheckFailure { trace: trial.trace, found })
}

struct Trial<'s, S> {
    store: &'s S,
    trace: Vec<String>,
}

impl<S: Store> Trial<'_, S> {
    fn all(&mut self) -> Result<(), String> {
        for (number, bytes) in KEYS.iter().enumerate() {
            let key = Key::new(bytes).map_err(|error| error.to_string())?;
            self.one_key(&key, number)?;
        }
        let mut expected: Vec<Key> = KEYS.iter().filter_map(|bytes| Key::new(bytes).ok()).collect();
        expected.sort();
        let keys = self.store.keys().map_err(|error| error.to_string())?;
        holds(keys == expected, || format!("the list of keys is {keys:?}"))?;
        // No two keys share anything.
        for (number, bytes) in KEYS.iter().enumerate() {
            let key = Key::new(bytes).map_err(|error| error.to_string())?;
            self.loads(&key, 3, &contents(number, 3))?;
        }
        Ok(())
    }

    fn one_key(&mut self, key: &Key, number: usize) -> Result<(), String> {
        let nothing = self.store.load(key).map_err(|error| error.to_string())?;
        holds(nothing.is_none(), || format!("`{key}`: a new key already has a save"))?;
        self.saves(key, &contents(number, 1), 0, 0)?;
        self.refuses(key, 0, 0, "conflict")?;
        self.refuses(key, 2, 0, "conflict")?;

        let camp = self.leases(key, "camp", 0, 100)?;
        holds(camp.revision == 1, || {
            format!("`{key}`: a lease has revision {}; the stored revision is 1", camp.revision)
        })?;
        self.refuses(key, 1, 0, "lease-lost")?;
        self.refuses(key, 1, camp.number + 1, "lease-lost")?;
        self.is_held(key, "pass", 99)?;
        self.saves(key, &contents(number, 2), 1, camp.number)?;
        self.does("renew", key, camp.number, |store| store.renew(key, camp.number, 200))?;
        self.is_held(key, "pass", 199)?;

        let pass = self.leases(key, "pass", 200, 300)?;
        holds(pass.number > camp.number, || format!("`{key}`: lease {} follows lease {}", pass.number, camp.number))?;
        self.refuses(key, 2, camp.number, "lease-lost")?;
        let late = self.store.renew(key, camp.number, 900);
        holds(is(&late, "lease-lost"), || format!("`{key}`: an old lease is renewed: {late:?}"))?;
        self.does("give back late", key, camp.number, |store| store.release(key, camp.number))?;
        self.is_held(key, "camp", 299)?;
        self.saves(key, &contents(number, 3), 2, pass.number)?;
        self.does("give back", key, pass.number, |store| store.release(key, pass.number))?;
        let again = self.store.renew(key, pass.number, 900);
        holds(is(&again, "lease-lost"), || format!("`{key}`: a released lease is renewed: {again:?}"))?;

        let last = self.leases(key, "camp", 201, 300)?;
        holds(last.number > pass.number && last.revision == 3, || format!("`{key}`: the next lease is {last:?}"))?;
        let again = self.leases(key, "camp", 202, 400)?;
        holds(again.number == last.number, || format!("`{key}`: a repeated request gets lease {}", again.number))?;
        self.is_held(key, "pass", 399)?;
        self.does("give back", key, last.number, |store| store.release(key, last.number))?;
        self.remembers(key, number)
    }

    /// Earlier saves are available too, with their data.
    fn remembers(&mut self, key: &Key, number: usize) -> Result<(), String> {
        self.loads(key, 3, &contents(number, 3))?;
        let kept = self.store.generations(key).map_err(|error| error.to_string())?;
        for (kept, revision) in kept.iter().zip([3, 2, 1]) {
            let same = kept.revision == revision && kept.content.as_ref() == Ok(&contents(number, revision));
            holds(same, || format!("`{key}`: the list of saves is {kept:?}; expected revision {revision}"))?;
        }
        // A server that was taken over has to find out whether the last that it sent had arrived
        // before.
        holds(kept.len() > 1, || format!("`{key}`: the previous save is missing"))?;
        let status = self.store.status(key).map_err(|error| error.to_string())?;
        let free = status.lease.owner.is_empty();
        holds(status.revision == 3 && free, || format!("`{key}`: the status is {status:?}"))
    }

    fn loads(&mut self, key: &Key, revision: u64, bytes: &[u8]) -> Result<(), String> {
        self.trace.push(format!("`{key}`: load"));
        let found = self.store.load(key).map_err(|error| error.to_string())?;
        let same = found.as_ref().is_some_and(|found: &Stored| found.revision == revision && found.bytes == bytes);
        holds(same, || format!("`{key}`: {found:?} is loaded; expected revision {revision}"))
    }

    fn saves(&mut self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<(), String> {
        self.trace.push(format!("`{key}`: save from revision {expected_revision} under lease {lease}"));
        let saved = self.store.save(key, bytes, expected_revision, lease).map_err(|error| error.to_string())?;
        holds(saved == expected_revision + 1, || {
            format!("`{key}`: revision {saved} follows revision {expected_revision}")
        })
    }

    fn refuses(&mut self, key: &Key, expected_revision: u64, lease: u64, code: &str) -> Result<(), String> {
        self.trace.push(format!(
            "`{key}`: save from revision {expected_revision} under lease {lease}, which must be refused"
        ));
        let saved = self.store.save(key, b"too late", expected_revision, lease);
        holds(is(&saved, code), || match saved {
            Ok(revision) => format!("`{key}`: the save was accepted as revision {revision}"),
            Err(error) => format!("`{key}`: the error is {}; expected {code}: {error}", error.code()),
        })
    }

    fn leases(&mut self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, String> {
        self.trace.push(format!("`{key}`: {owner} requests a lease from {now} until {expires_at}"));
        self.store.lease(key, owner, now, expires_at).map_err(|error| error.to_string())
    }

    fn is_held(&mut self, key: &Key, owner: &str, now: u64) -> Result<(), String> {
        self.trace.push(format!("`{key}`: {owner} requests a lease at {now}, which must be refused"));
        let lease = self.store.lease(key, owner, now, now + 100);
        holds(is(&lease, "held"), || format!("`{key}`: the result is {lease:?}"))
    }

    fn does(
        &mut self,
        what: &str,
        key: &Key,
        number: u64,
        ask: impl FnOnce(&S) -> Result<(), StoreError>,
    ) -> Result<(), String> {
        self.trace.push(format!("`{key}`: {what} lease {number}"));
        ask(self.store).map_err(|error| error.to_string())
    }
}

/// What a key has in a revision.
fn contents(key: usize, revision: u64) -> Vec<u8> {
    format!("save {revision} of key {key}").into_bytes()
}

fn is<T>(answer: &Result<T, StoreError>, code: &str) -> bool {
    answer.as_ref().is_err_and(|error| error.code() == code)
}

fn holds(so: bool, otherwise: impl FnOnce() -> String) -> Result<(), String> {
    if so { Ok(()) } else { Err(otherwise()) }
}

/// Several threads save from the same revision and request leases at the same time, many times.
/// Exactly one must succeed each time, and the others must be refused.
#[must_use]
pub fn check_store_races<S: Store + Sync>(store: &S, threads: NonZeroUsize, rounds: u64) -> Option<CheckFailure> {
    let key = Key::new("raced for").ok()?;
    let mut trace = Vec::new();
    for round in 0..rounds {
        let saved = at_once(threads, |thread| store.save(&key, format!("{round} {thread}").as_bytes(), round, 0));
        trace.push(format!("{threads} threads save from revision {round}"));
        let won = saved.iter().filter(|saved| saved.is_ok()).count();
        let described = saved.iter().flatten().all(|revision| *revision == round + 1);
        if won != 1 || !described {
            return Some(CheckFailure { trace, found: format!("{won} of the saves were accepted") });
        }
    }
    let leases = at_once(threads, |thread| store.lease(&key, &format!("server {thread}"), 0, 100));
    trace.push(format!("{threads} owners request a lease"));
    let won = leases.iter().filter(|lease| lease.is_ok()).count();
    (won != 1).then(|| CheckFailure { trace, found: format!("{won} of them got one") })
}

fn at_once<T: Send>(threads: NonZeroUsize, work: impl Fn(usize) -> T + Sync) -> Vec<T> {
    let start = std::sync::Barrier::new(threads.get());
    std::thread::scope(|scope| {
        let started: Vec<_> = (0..threads.get())
            .map(|thread| {
                let (start, work) = (&start, &work);
                scope.spawn(move || {
                    start.wait();
                    work(thread)
                })
            })
            .collect();
        started.into_iter().filter_map(|thread| thread.join().ok()).collect()
    })
}
