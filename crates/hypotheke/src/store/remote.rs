//! A store with the faults of a remote service.

use std::sync::{Mutex, MutexGuard, PoisonError};

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

use super::{Generation, Key, Lease, MemoryStore, Status, Store, StoreError, Stored};

/// The fault of one request to a service.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum InjectedFault {
    /// The request is applied and the response arrives.
    None,
    /// The request is applied, but the response is lost.
    AnswerLost,
    /// The request is lost.
    RequestLost,
    /// The response is lost, and the request is applied later.
    Late,
    /// The connection fails before the request is applied.
    Cut,
    /// The service is busy.
    Busy,
    /// A read returns the state before the latest change. Other requests are applied normally.
    Stale,
}

/// The rates of faults, in a thousand requests; the others succeed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct FaultProfile {
    /// [`InjectedFault::AnswerLost`]
    pub answer_lost: u32,
    /// [`InjectedFault::RequestLost`]
    pub request_lost: u32,
    /// [`InjectedFault::Late`]
    pub late: u32,
    /// [`InjectedFault::Cut`]
    pub cut: u32,
    /// [`InjectedFault::Busy`]
    pub busy: u32,
    /// [`InjectedFault::Stale`]
    pub stale: u32,
    /// The minimum and the maximum time of a response, in milliseconds.
    pub latency: (u64, u64),
}

impl Default for FaultProfile {
    /// The rates of a service on a bad day.
    fn default() -> FaultProfile {
        FaultProfile { answer_lost: 30, request_lost: 30, late: 20, cut: 20, busy: 50, stale: 50, latency: (2, 80) }
    }
}

/// The time to wait for a missing response, in milliseconds.
const PATIENCE: u64 = 1_000;
/// The time that a busy service asks to wait, in milliseconds.
const BUSY_FOR: u64 = 200;
/// The maximum number of requests after which a late request is applied.
const LATEST: u64 = 4;

/// A store with the faults of a remote service: lost responses, late and lost requests, stale
/// reads. It never sleeps; the time is only counted. The same seed and requests give the same
/// results.
///
/// ```
/// use hypotheke::store::{InjectedFault, Key, FaultyStore, Store};
///
/// let service = FaultyStore::new(0, Default::default());
/// let ada = Key::new("Ada").unwrap();
/// service.inject_next(InjectedFault::AnswerLost);
/// assert!(service.save(&ada, b"6 flares", 0, 0).unwrap_err().is_outcome_unknown());
/// service.inject_next(InjectedFault::None);
/// assert_eq!(service.load(&ada).unwrap().unwrap().bytes, b"6 flares");
/// ```
#[derive(Debug)]
pub struct FaultyStore<S = MemoryStore> {
    profile: FaultProfile,
    state: Mutex<State<S>>,
}

#[derive(Clone, Debug)]
struct State<S> {
    store: S,
    random: Xoshiro256PlusPlus,
    /// The fault of the next request, if set.
    next: Option<InjectedFault>,
    late: Vec<(u64, Request)>,
    /// The total time of all requests, in milliseconds.
    took: u64,
}

/// A request that changes the store.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Request {
    Save { key: Key, bytes: Vec<u8>, expected_revision: u64, lease: u64 },
    Lease { key: Key, owner: String, now: u64, expires_at: u64 },
    Renew { key: Key, number: u64, expires_at: u64 },
    Release { key: Key, number: u64 },
}

impl Request {
    pub(crate) fn send_to(&self, store: &impl Store) {
        // Its result is discarded.
        match self {
            Request::Save { key, bytes, expected_revision, lease } => {
                drop(store.save(key, bytes, *expected_revision, *lease));
            }
            Request::Lease { key, owner, now, expires_at } => drop(store.lease(key, owner, *now, *expires_at)),
            Request::Renew { key, number, expires_at } => drop(store.renew(key, *number, *expires_at)),
            Request::Release { key, number } => drop(store.release(key, *number)),
        }
    }
}

impl FaultyStore {
    /// An empty store.
    #[must_use]
    pub fn new(seed: u64, profile: FaultProfile) -> FaultyStore {
        FaultyStore::before(MemoryStore::new(), seed, profile)
    }
}

impl<S: Store> FaultyStore<S> {
    /// A store that keeps its data in a different store.
    #[must_use]
    pub fn before(store: S, seed: u64, profile: FaultProfile) -> FaultyStore<S> {
        let random = Xoshiro256PlusPlus::seed_from_u64(seed);
        FaultyStore { profile, state: Mutex::new(State { store, random, next: None, late: Vec::new(), took: 0 }) }
    }

    fn state(&self) -> MutexGuard<'_, State<S>> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Sets the fault of the next request. A late request then stays late until
    /// [`deliver`](FaultyStore::deliver).
    pub fn inject_next(&self, fault: InjectedFault) {
        self.state().next = Some(fault);
    }

    /// The number of late requests.
    #[must_use]
    pub fn late(&self) -> usize {
        self.state().late.len()
    }

    /// Applies one of the late requests, counted from 0.
    pub fn deliver(&self, number: usize) {
        let mut state = self.state();
        if number < state.late.len() {
            let (_, request) = state.late.remove(number);
            request.send_to(&state.store);
        }
    }

    /// The total time of all requests, in milliseconds.
    #[must_use]
    pub fn elapsed(&self) -> u64 {
        self.state().took
    }

    /// The store behind the service.
    pub fn inside<T>(&self, look: impl FnOnce(&S) -> T) -> T {
        look(&self.state().store)
    }

    /// The late requests.
    pub(crate) fn on_the_way(&self) -> Vec<Request> {
        self.state().late.iter().map(|(_, request)| request.clone()).collect()
    }

    /// Applies a request with its fault.
    fn ask<T>(
        &self,
        key: &Key,
        request: impl FnOnce() -> Option<Request>,
        done: impl FnOnce(&S, bool) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let mut state = self.state();
        state.let_arrive();
        let fault = state.fault(&self.profile);
        let no_answer = |cause| Err(StoreError::NoResponse { key: key.clone(), cause });
        let (shortest, longest) = self.profile.latency;
        state.took += match fault {
            InjectedFault::AnswerLost | InjectedFault::RequestLost | InjectedFault::Late => PATIENCE,
            _ => state.draw(shortest, longest),
        };
        match fault {
            InjectedFault::None => done(&state.store, false),
            InjectedFault::Stale => done(&state.store, true),
            InjectedFault::AnswerLost => {
                drop(done(&state.store, false));
                no_answer("the service was silent for too long")
            }
            InjectedFault::RequestLost => no_answer("the service was silent for too long"),
            InjectedFault::Cut => no_answer("the connection was cut"),
            InjectedFault::Busy => Err(StoreError::Busy { key: key.clone(), wait: BUSY_FOR }),
            InjectedFault::Late => {
                let after = state.draw(1, LATEST);
                state.late.extend(request().map(|request| (after, request)));
                no_answer("the service was silent for too long")
            }
        }
    }
}

impl<S: Store> State<S> {
    fn draw(&mut self, least: u64, most: u64) -> u64 {
        least + self.random.next_u64() % (most.saturating_sub(least) + 1)
    }

    /// Late requests are applied in time, unless the caller decides when.
    fn let_arrive(&mut self) {
        if self.next.is_some() {
            return;
        }
        let mut later = Vec::new();
        for (after, request) in std::mem::take(&mut self.late) {
            if after == 0 {
                request.send_to(&self.store);
            } else {
                later.push((after - 1, request));
            }
        }
        self.late = later;
    }

    fn fault(&mut self, profile: &FaultProfile) -> InjectedFault {
        if let Some(fault) = self.next.take() {
            return fault;
        }
        let mut drawn = self.draw(0, 999);
        let faults = [
            (InjectedFault::AnswerLost, profile.answer_lost),
            (InjectedFault::RequestLost, profile.request_lost),
            (InjectedFault::Late, profile.late),
            (InjectedFault::Cut, profile.cut),
            (InjectedFault::Busy, profile.busy),
            (InjectedFault::Stale, profile.stale),
        ];
        for (fault, share) in faults {
            match drawn.checked_sub(share.into()) {
                None => return fault,
                Some(rest) => drawn = rest,
            }
        }
        InjectedFault::None
    }
}

impl<S: Clone> Clone for FaultyStore<S> {
    fn clone(&self) -> FaultyStore<S> {
        let state = self.state.lock().unwrap_or_else(PoisonError::into_inner).clone();
        FaultyStore { profile: self.profile, state: Mutex::new(state) }
    }
}

impl<S: Store> Store for FaultyStore<S> {
    fn load(&self, key: &Key) -> Result<Option<Stored>, StoreError> {
        self.ask(
            key,
            || None,
            |store, stale| match stale {
                false => store.load(key),
                true => {
                    let before = store.generations(key)?.into_iter().nth(1);
                    let stored = |before: Generation| {
                        let bytes = before.content.ok()?;
                        Some(Stored { revision: before.revision, lease: before.lease, bytes })
                    };
                    Ok(before.and_then(stored))
                }
            },
        )
    }

    fn status(&self, key: &Key) -> Result<Status, StoreError> {
        self.ask(key, || None, |store, _| store.status(key))
    }

    fn generations(&self, key: &Key) -> Result<Vec<Generation>, StoreError> {
        self.ask(
            key,
            || None,
            |store, stale| {
                let all = store.generations(key)?;
                Ok(all.into_iter().skip(usize::from(stale)).collect())
            },
        )
    }

    fn save(&self, key: &Key, bytes: &[u8], expected_revision: u64, lease: u64) -> Result<u64, StoreError> {
        let request = || Request::Save { key: key.clone(), bytes: bytes.to_vec(), expected_revision, lease };
        self.ask(key, || Some(request()), |store, _| store.save(key, bytes, expected_revision, lease))
    }

    fn lease(&self, key: &Key, owner: &str, now: u64, expires_at: u64) -> Result<Lease, StoreError> {
        let request = || Request::Lease { key: key.clone(), owner: owner.to_owned(), now, expires_at };
        self.ask(key, || Some(request()), |store, _| store.lease(key, owner, now, expires_at))
    }

    fn renew(&self, key: &Key, number: u64, expires_at: u64) -> Result<(), StoreError> {
        let request = || Request::Renew { key: key.clone(), number, expires_at };
        self.ask(key, || Some(request()), |store, _| store.renew(key, number, expires_at))
    }

    fn release(&self, key: &Key, number: u64) -> Result<(), StoreError> {
        let request = || Request::Release { key: key.clone(), number };
        self.ask(key, || Some(request()), |store, _| store.release(key, number))
    }

    /// Without faults: a list of keys concerns no single key.
    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        self.state().store.keys()
    }
}
