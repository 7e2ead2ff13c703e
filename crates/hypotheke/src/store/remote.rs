//! A store with the habits of a service far away.

use std::sync::{Mutex, MutexGuard, PoisonError};

use rand_core::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

use super::{Generation, Key, Lease, MemoryStore, Status, Store, StoreError, Stored};

/// What becomes of one thing that a service is requested.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum InjectedFault {
    /// It is done, and the answer comes.
    Answered,
    /// It is done, and no answer comes.
    AnswerLost,
    /// It never arrives, and no answer comes.
    RequestLost,
    /// No answer comes, and it is done at some later time.
    Late,
    /// The connection is cut before anything is done.
    Cut,
    /// The service takes no more for now.
    Busy,
    /// What is read is what was there before the latest change. Whatever is not read is done as usual.
    Stale,
}

/// How often a service does what, out of a thousand times; the rest is answered.
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
    /// How long an answer takes, at least and at most, in milliseconds.
    pub latency: (u64, u64),
}

impl Default for FaultProfile {
    /// Those of a service on a bad day.
    fn default() -> FaultProfile {
        FaultProfile { answer_lost: 30, request_lost: 30, late: 20, cut: 20, busy: 50, stale: 50, latency: (2, 80) }
    }
}

/// How long one waits for an answer that does not come, in milliseconds.
const PATIENCE: u64 = 1_000;
/// How long a busy service asks to wait, in milliseconds.
const BUSY_FOR: u64 = 200;
/// What was late is done after so many other requests, at most.
const LATEST: u64 = 4;

/// A store with the habits of a service far away: answers that are lost, requests that arrive late or never, reads of what was there before. It sleeps
/// never; what it would have taken is counted. The same seed and the same requests give the same answers.
///
/// ```
/// use hypotheke::store::{InjectedFault, Key, FaultyStore, Store};
///
/// let service = FaultyStore::new(0, Default::default());
/// let ada = Key::new("Ada").unwrap();
/// service.inject_next(InjectedFault::AnswerLost);
/// assert!(service.save(&ada, b"6 flares", 0, 0).unwrap_err().is_outcome_unknown());
/// service.inject_next(InjectedFault::Answered);
/// assert_eq!(service.load(&ada).unwrap().unwrap().bytes, b"6 flares");
/// ```
#[derive(Debug)]
pub struct FaultyStore<S = MemoryStore> {
    habits: FaultProfile,
    state: Mutex<State<S>>,
}

#[derive(Clone, Debug)]
struct State<S> {
    store: S,
    random: Xoshiro256PlusPlus,
    /// What becomes of the next, if that is said.
    next: Option<InjectedFault>,
    late: Vec<(u64, Request)>,
    /// Milliseconds that all so far would have taken.
    took: u64,
}

/// What is requested of a service and changes something.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Request {
    Save { key: Key, bytes: Vec<u8>, expected_revision: u64, lease: u64 },
    Lease { key: Key, owner: String, now: u64, expires_at: u64 },
    Renew { key: Key, number: u64, expires_at: u64 },
    Release { key: Key, number: u64 },
}

impl Request {
    pub(crate) fn send_to(&self, store: &impl Store) {
        // Nobody waits for what comes of it.
        match self {
            Request::Save { key, bytes, expected_revision, lease } => {
                drop(store.save(key, bytes, *expected_revision, *lease))
            }
            Request::Lease { key, owner, now, expires_at } => drop(store.lease(key, owner, *now, *expires_at)),
            Request::Renew { key, number, expires_at } => drop(store.renew(key, *number, *expires_at)),
            Request::Release { key, number } => drop(store.release(key, *number)),
        }
    }
}

impl FaultyStore {
    /// An empty one.
    #[must_use]
    pub fn new(seed: u64, habits: FaultProfile) -> FaultyStore {
        FaultyStore::before(MemoryStore::new(), seed, habits)
    }
}

impl<S: Store> FaultyStore<S> {
    /// One that keeps all in another store.
    #[must_use]
    pub fn before(store: S, seed: u64, habits: FaultProfile) -> FaultyStore<S> {
        let random = Xoshiro256PlusPlus::seed_from_u64(seed);
        FaultyStore { habits, state: Mutex::new(State { store, random, next: None, late: Vec::new(), took: 0 }) }
    }

    fn state(&self) -> MutexGuard<'_, State<S>> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Says what becomes of the next request. What is late then stays so until [`deliver`](FaultyStore::deliver).
    pub fn inject_next(&self, fate: InjectedFault) {
        self.state().next = Some(fate);
    }

    /// How many requests are on their way.
    #[must_use]
    pub fn late(&self) -> usize {
        self.state().late.len()
    }

    /// Lets one of the requests arrive that are on their way, counted from 0.
    pub fn deliver(&self, number: usize) {
        let mut state = self.state();
        if number < state.late.len() {
            let (_, request) = state.late.remove(number);
            request.send_to(&state.store);
        }
    }

    /// How long all requests so far would have taken, in milliseconds.
    #[must_use]
    pub fn elapsed(&self) -> u64 {
        self.state().took
    }

    /// What is kept, as it is: without the service between.
    pub fn inside<T>(&self, look: impl FnOnce(&S) -> T) -> T {
        look(&self.state().store)
    }

    /// What is on its way.
    pub(crate) fn on_the_way(&self) -> Vec<Request> {
        self.state().late.iter().map(|(_, request)| request.clone()).collect()
    }

    /// Lets a request meet its fate.
    fn ask<T>(
        &self,
        key: &Key,
        request: impl FnOnce() -> Option<Request>,
        done: impl FnOnce(&S, bool) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let mut state = self.state();
        state.let_arrive();
        let fate = state.fate(&self.habits);
        let no_answer = |cause| Err(StoreError::NoResponse { key: key.clone(), cause });
        let (shortest, longest) = self.habits.latency;
        state.took += match fate {
            InjectedFault::AnswerLost | InjectedFault::RequestLost | InjectedFault::Late => PATIENCE,
            _ => state.draw(shortest, longest),
        };
        match fate {
            InjectedFault::Answered => done(&state.store, false),
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

    /// What is late arrives when its time has come, unless somebody else says when.
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

    fn fate(&mut self, habits: &FaultProfile) -> InjectedFault {
        if let Some(fate) = self.next.take() {
            return fate;
        }
        let mut drawn = self.draw(0, 999);
        let faults = [
            (InjectedFault::AnswerLost, habits.answer_lost),
            (InjectedFault::RequestLost, habits.request_lost),
            (InjectedFault::Late, habits.late),
            (InjectedFault::Cut, habits.cut),
            (InjectedFault::Busy, habits.busy),
            (InjectedFault::Stale, habits.stale),
        ];
        for (fate, share) in faults {
            match drawn.checked_sub(share.into()) {
                None => return fate,
                Some(rest) => drawn = rest,
            }
        }
        InjectedFault::Answered
    }
}

impl<S: Clone> Clone for FaultyStore<S> {
    fn clone(&self) -> FaultyStore<S> {
        let state = self.state.lock().unwrap_or_else(PoisonError::into_inner).clone();
        FaultyStore { habits: self.habits, state: Mutex::new(state) }
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

    /// Told without the habits: there is no key that it could be about.
    fn keys(&self) -> Result<Vec<Key>, StoreError> {
        self.state().store.keys()
    }
}
