//! Two servers, a store far away, and a player who goes from one to the other before the first has
//! saved.
//!
//! Both servers follow [`Session`]; the store has the faults of a [`FaultyStore`]. Within bounds,
//! every order of events is explored: the player joins, leaves, gives or takes an item; a server
//! sends its next request and gets an answer or none; a request arrives late; a lease expires. In
//! every final state, all items are counted.
//!
//! A server that was taken over stands for one that was dead: it begins again with its world as it
//! was before the session.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::CheckFailure;
use super::item_moves::{Direction, exchange};
use crate::explore::Bound;
use crate::narrow;
use crate::ops::Operation;
use crate::ruleset::Ruleset;
use crate::save::Save;
use crate::snapshot::{Departed, Departure};
use crate::store::{
    FaultyStore, InjectedFault, Key, Request, Session, SessionAction, SessionError, SessionOptions, SessionState,
    Status, Store, StoreError,
};
use crate::world::World;

/// Bounds of the search.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct HandoverBounds {
    /// How often the player joins a server in all.
    pub joins: u32,
    /// How often the player gives or takes something in all.
    pub item_moves: u32,
    /// How often the store does not answer as it should, or late.
    pub faults: u32,
    /// The maximum number of leases that expire before they are released.
    pub lease_expiries: u32,
}

impl Default for HandoverBounds {
    /// Three joins, one item move, one fault and one expired lease.
    fn default() -> HandoverBounds {
        HandoverBounds { joins: 3, item_moves: 1, faults: 1, lease_expiries: 1 }
    }
}

/// What was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HandoverReport {
    /// How many states there were.
    pub states: u64,
    /// In how many of them all had come to rest, and everything was counted.
    pub final_states: u64,
    /// How many things happened on the longest_trace way.
    pub longest_trace: u32,
    /// Whether the player could give and take anything.
    pub exchanged: bool,
    /// The lost or duplicated items, with a shortest trace.
    pub failure: Option<CheckFailure>,
    /// The bound that stopped it early.
    pub stopped_by: Option<Bound>,
}

/// The reason why it can't run.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum HandoverUnavailable {
    /// The rules know nobody who could come and go.
    #[error("no holder of the ruleset can depart")]
    Nobody,
}

const SERVERS: [&str; 2] = ["camp", "pass"];
/// The duration of a lease. Time advances only when a lease expires.
const LEASE: u64 = 1_000;

/// What may happen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Event {
    Join(usize),
    Leave(usize),
    Exchange(usize, Direction),
    SessionAction(usize, InjectedFault),
    Late(usize),
    LeaseExpiry,
}

/// A world, and a number that all worlds like it have.
#[derive(Clone)]
struct Numbered {
    world: Arc<World>,
    number: usize,
}

/// Two servers, the store, and what may happen yet.
struct HandoverState<S> {
    worlds: [Numbered; 2],
    /// Each server's world before the session that is going on.
    before: [Option<Numbered>; 2],
    sessions: [Option<Session>; 2],
    store: FaultyStore<S>,
    now: u64,
    left: HandoverBounds,
}

impl<S: Clone> Clone for HandoverState<S> {
    fn clone(&self) -> HandoverState<S> {
        HandoverState {
            worlds: self.worlds.clone(),
            before: self.before.clone(),
            sessions: self.sessions.clone(),
            store: self.store.clone(),
            now: self.now,
            left: self.left,
        }
    }
}

/// Everything that distinguishes states.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
struct Seen {
    worlds: [usize; 2],
    before: [Option<usize>; 2],
    sessions: [Option<SeenVisit>; 2],
    status: Status,
    saves: Vec<(u64, u64, usize)>,
    late: Vec<Request>,
    now: u64,
    left: [u32; 4],
}

/// State, owner, lease, expected_revision, and the number of the document.
type SeenVisit = (SessionState, String, u64, u64, usize);

/// Plays two servers and a player who hops between them, in every order within bounds, on what a
/// store gives.
///
/// The store must be empty. Clones with equal answers to [`Store`] must behave the same. `stop`
/// receives the number of states so far, and stops the search by returning a bound.
///
/// ```
/// use hypotheke::Ruleset;
/// use hypotheke::save_checks::{HandoverBounds, check_handover};
/// use hypotheke::store::MemoryStore;
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .container("pockets", |pockets| pockets.slots(2))
///     .holder("surveyor", ["pockets"], |surveyor| surveyor)
///     .start("depot", ["2 flare"])
///     .start("surveyor.pockets", ["1 flare"])
///     .build()?
///     .into();
/// let bounds = HandoverBounds { joins: 2, item_moves: 1, faults: 1, lease_expiries: 1 };
/// let found = check_handover(&rules, &MemoryStore::new(), bounds, &mut |_| None).unwrap();
/// assert_eq!((found.failure, found.stopped_by), (None, None));
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
///
/// # Errors
/// The ruleset has no holder that can come and go.
pub fn check_handover<S: Store + Clone>(
    rules: &Arc<Ruleset>,
    store: &S,
    bounds: HandoverBounds,
    stop: &mut dyn FnMut(u64) -> Option<Bound>,
) -> Result<HandoverReport, HandoverUnavailable> {
    let mut search = Search::new(rules, store, bounds)?;
    search.run(stop);
    Ok(search.found)
}

struct Search<S> {
    bounds: HandoverBounds,
    /// A world for steps that change none.
    nowhere: World,
    player: String,
    key: Key,
    newcomer: Departure,
    /// The number of items of each kind in all, and the number created.
    items: Vec<(i128, i128)>,
    worlds: BTreeMap<Vec<u8>, usize>,
    saves: BTreeMap<Vec<u8>, usize>,
    seen: BTreeMap<Seen, u32>,
    /// For each state, that from which it came and how.
    ways: Vec<(u32, String)>,
    /// States without expanded successors.
    next: Vec<(u32, HandoverState<S>)>,
    found: HandoverReport,
}

impl<S: Store + Clone> Search<S> {
    fn new(rules: &Arc<Ruleset>, store: &S, bounds: HandoverBounds) -> Result<Search<S>, HandoverUnavailable> {
        let start = |number| World::new(rules).numbered(number, 0);
        let (mut camp, mut pass) = (start(1), start(2));
        let (player, document) = camp
            .holders()
            .map(|id| camp.holder_name(id).to_owned())
            .collect::<Vec<_>>()
            .into_iter()
            .find_map(|name| Some((name.clone(), depart(&mut camp, &name)?)))
            .ok_or(HandoverUnavailable::Nobody)?;
        depart(&mut pass, &player);
        // Who is forgotten by the store comes anew, with nothing.
        let Departed::Holder(holder) = &document.who else { return Err(HandoverUnavailable::Nobody) };
        let newcomer = Departure::newcomer(rules, &holder.definition, &player).ok_or(HandoverUnavailable::Nobody)?;
        let store = FaultyStore::before(store.clone(), 0, crate::store::FaultProfile::default());
        let key = Key::new(player.as_bytes()).map_err(|_| HandoverUnavailable::Nobody)?;
        let bytes = Save::of_departure(rules, &document).to_bytes();
        // If even this fails, nothing is found at the end, and the report shows it.
        let _ = store.inside(|store| store.save(&key, &bytes, 0, 0));
        let mut state = HandoverState {
            worlds: [camp, pass].map(|world| Numbered { world: Arc::new(world), number: 0 }),
            before: [None, None],
            sessions: [None, None],
            store,
            now: 1,
            left: bounds,
        };
        let found = HandoverReport {
            states: 0,
            final_states: 0,
            longest_trace: 0,
            exchanged: false,
            failure: None,
            stopped_by: None,
        };
        let mut search = Search {
            bounds,
            nowhere: World::empty(rules),
            player,
            key,
            newcomer,
            items: Vec::new(),
            worlds: BTreeMap::new(),
            saves: BTreeMap::new(),
            seen: BTreeMap::new(),
            ways: Vec::new(),
            next: Vec::new(),
            found,
        };
        [0, 1].into_iter().for_each(|server| search.number(&mut state.worlds[server]));
        search.items = search.count(&state);
        let seen = search.seen_of(&state);
        search.seen.insert(seen, 0);
        search.ways.push((0, String::new()));
        search.next.push((0, state));
        Ok(search)
    }

    /// Breadth first, so that what breaks is found on a shortest way.
    fn run(&mut self, stop: &mut dyn FnMut(u64) -> Option<Bound>) {
        self.found.states = 1;
        while !self.next.is_empty() {
            for (number, state) in std::mem::take(&mut self.next) {
                self.found.stopped_by = stop(self.found.states);
                if self.found.stopped_by.is_some() {
                    return;
                }
                if let Some(found) = self.check(&state) {
                    self.found.failure = Some(CheckFailure { trace: self.path_to(number), found });
                    return;
                }
                for event in self.events(&state) {
                    self.follow(number, &state, event);
                }
            }
            self.found.longest_trace += u32::from(!self.next.is_empty());
        }
    }

    fn events(&self, state: &HandoverState<S>) -> Vec<Event> {
        let mut events = Vec::new();
        let left = state.left;
        for server in 0..SERVERS.len() {
            let session = state.sessions[server].as_ref();
            let Some(session) = session.filter(|session| !is_over(session)) else {
                events.extend((left.joins > 0).then_some(Event::Join(server)));
                continue;
            };
            if session.state() == SessionState::Active {
                events.push(Event::Leave(server));
                let exchanges = [Direction::Give, Direction::Take].map(|way| Event::Exchange(server, way));
                events.extend(exchanges.into_iter().filter(|_| left.item_moves > 0));
            }
            if let Some(ask) = session.action() {
                events.push(Event::SessionAction(server, InjectedFault::None));
                let faults: &[InjectedFault] = match ask {
                    // Whether an answer is lost or the request makes no difference where nothing is
                    // changed.
                    SessionAction::Load | SessionAction::ConfirmSave => {
                        &[InjectedFault::RequestLost, InjectedFault::Stale]
                    }
                    _ => &[InjectedFault::AnswerLost, InjectedFault::RequestLost, InjectedFault::Late],
                };
                events
                    .extend(faults.iter().filter(|_| left.faults > 0).map(|fate| Event::SessionAction(server, *fate)));
            }
        }
        events.extend((0..state.store.late()).map(Event::Late));
        events.extend(
            (left.lease_expiries > 0 && self.status(state).lease.expires_at > state.now).then_some(Event::LeaseExpiry),
        );
        events
    }

    fn status(&self, state: &HandoverState<S>) -> Status {
        state.store.inside(|store| store.status(&self.key)).unwrap_or_default()
    }

    fn follow(&mut self, from: u32, state: &HandoverState<S>, event: Event) {
        let mut then = state.clone();
        let Some(described) = self.happen(&mut then, event) else { return };
        let seen = self.seen_of(&then);
        let number = narrow::index(self.ways.len());
        if let std::collections::btree_map::Entry::Vacant(new) = self.seen.entry(seen) {
            new.insert(number);
            self.ways.push((from, described));
            self.next.push((number, then));
            self.found.states += 1;
        }
    }

    /// Lets something happen, and says what; nothing if it can't.
    fn happen(&mut self, state: &mut HandoverState<S>, event: Event) -> Option<String> {
        let player = self.player.clone();
        match event {
            Event::Join(server) => {
                state.left.joins -= 1;
                let terms = SessionOptions { lease: LEASE };
                // No two sessions are the same owner.
                let owner = format!("{}, session {}", SERVERS[server], self.bounds.joins - state.left.joins);
                state.sessions[server] = Some(Session::new(self.key.clone(), &owner, self.newcomer.clone(), terms));
                state.before[server] = Some(state.worlds[server].clone());
                Some(format!("{player} joins {}", SERVERS[server]))
            }
            Event::Leave(server) => {
                let session = state.sessions[server].as_mut()?;
                let world = &mut state.worlds[server];
                session.leave(Arc::make_mut(&mut world.world)).ok()?;
                self.number(world);
                Some(format!("{player} leaves {}", SERVERS[server]))
            }
            Event::Exchange(server, way) => {
                let numbered = &mut state.worlds[server];
                let operation = exchange(&numbered.world, &player, way)?;
                let world = Arc::make_mut(&mut numbered.world);
                let _ = world.perform(&operation).ok()?;
                state.left.item_moves -= 1;
                self.found.exchanged = true;
                let described: Vec<String> = world.events().iter().map(|event| world.describe_event(event)).collect();
                self.number(numbered);
                Some(format!("in {}: {}", SERVERS[server], described.join(", ")))
            }
            Event::SessionAction(server, fate) => self.ask(state, server, fate),
            Event::Late(number) => {
                let described = described_request(&state.store.on_the_way()[number]);
                state.store.deliver(number);
                Some(format!("a delayed request arrives: {described}"))
            }
            Event::LeaseExpiry => {
                state.left.lease_expiries -= 1;
                state.now = self.status(state).lease.expires_at;
                Some("the lease expires".to_owned())
            }
        }
    }

    fn ask(&mut self, state: &mut HandoverState<S>, server: usize, fate: InjectedFault) -> Option<String> {
        let session = state.sessions[server].as_mut()?;
        let (ask, expected_revision) = (session.action()?, session.expected_revision());
        state.store.inject_next(fate);
        state.left.faults -= u32::from(fate != InjectedFault::None);
        let world = &mut state.worlds[server];
        // Only who arrives changes the world.
        let answer = if ask == SessionAction::Load {
            let answer = session.step(&state.store, Arc::make_mut(&mut world.world), state.now);
            self.number(world);
            answer
        } else {
            session.step(&state.store, &mut self.nowhere, state.now)
        };
        let described = match (&answer, ask) {
            (Ok(()), SessionAction::Lease) => format!("gets lease {}", session.lease()),
            (Ok(()), SessionAction::Load) => "loads, and they arrive".to_owned(),
            (Ok(()), SessionAction::Save) => described_step(session, expected_revision).to_owned(),
            (Ok(()), SessionAction::ConfirmSave) => "confirms that its save was stored".to_owned(),
            (Ok(()), SessionAction::Release) => "releases the lease".to_owned(),
            (Err(error), _) => format!("{}: {}", wants(ask), described_error(error, fate)),
        };
        if matches!(session.state(), SessionState::LeaseLost | SessionState::OutcomeUnknown) {
            // It counts as crashed: it restarts from its earlier world.
            state.worlds[server] = state.before[server].clone()?;
        }
        if is_over(session) {
            state.before[server] = None;
        }
        Some(format!("{} {described}", SERVERS[server]))
    }

    fn seen_of(&mut self, state: &HandoverState<S>) -> Seen {
        let worlds = [0, 1].map(|server: usize| state.worlds[server].number);
        let before = [0, 1].map(|server: usize| state.before[server].as_ref().map(|before| before.number));
        let mut number = |bytes: &[u8]| {
            let next = self.saves.len();
            match self.saves.get(bytes) {
                Some(number) => *number,
                None => *self.saves.entry(bytes.to_vec()).or_insert(next),
            }
        };
        let sessions = [0, 1].map(|server: usize| {
            let session = state.sessions[server].as_ref().filter(|session| !is_over(session))?;
            Some((
                session.state(),
                session.owner().to_owned(),
                session.lease(),
                session.expected_revision(),
                number(session.transfer_record()),
            ))
        });
        let kept = state.store.inside(|store| store.generations(&self.key)).unwrap_or_default();
        let saves = kept.iter().map(|kept| {
            let bytes = kept.content.as_ref().map_or(&[][..], Vec::as_slice);
            (kept.revision, kept.lease, number(bytes))
        });
        let saves = saves.collect();
        let HandoverBounds { joins, item_moves, faults, lease_expiries } = state.left;
        Seen {
            worlds,
            before,
            sessions,
            status: self.status(state),
            saves,
            late: state.store.on_the_way(),
            now: state.now,
            left: [joins, item_moves, faults, lease_expiries],
        }
    }

    /// Gives a world the number of all worlds like it.
    fn number(&mut self, numbered: &mut Numbered) {
        let bytes = serde_json::to_vec(&numbered.world.snapshot()).unwrap_or_default();
        let next = self.worlds.len();
        numbered.number = *self.worlds.entry(bytes).or_insert(next);
    }

    /// What is wrong, where all have come to rest.
    fn check(&mut self, state: &HandoverState<S>) -> Option<String> {
        let at_rest = state.sessions.iter().flatten().all(is_over) && state.store.late() == 0;
        if !at_rest {
            return None;
        }
        self.found.final_states += 1;
        let kinds = state.worlds[0].world.rules().kinds();
        for ((kind, (before, made_before)), (counted, made)) in kinds.zip(&self.items).zip(self.count(state)) {
            let expected = before + made - made_before;
            if counted != expected {
                let what = if counted < expected { "lost" } else { "duplicated" };
                let how_many = (counted - expected).abs();
                return Some(format!("{how_many} {} {what}: {expected} expected, {counted} found", kind.id()));
            }
        }
        None
    }

    /// How many items of each kind there are, in both worlds and in the store, and how many more
    /// were made than used up.
    fn count(&self, state: &HandoverState<S>) -> Vec<(i128, i128)> {
        let rules = state.worlds[0].world.rules();
        let stored = state.store.inside(|store| store.load(&self.key)).ok().flatten();
        let saved =
            stored.and_then(|stored| Save::read(&stored.bytes).ok()).and_then(|save| save.departure(rules).ok());
        let of_kind = |kind: crate::ruleset::Kind<'_>| {
            let stacks = saved.iter().flat_map(Departure::stacks).filter(|stack| stack.kind == kind.id());
            let mut count: i128 = stacks.map(|stack| i128::from(stack.count)).sum();
            let mut made = 0;
            for Numbered { world, .. } in &state.worlds {
                let totals = world.totals(kind.handle());
                count += i128::from(world.count(kind.handle(), None));
                made += i128::from(totals.created) - i128::from(totals.consumed);
            }
            (count, made)
        };
        rules.kinds().map(of_kind).collect()
    }

    fn path_to(&self, number: u32) -> Vec<String> {
        let mut way = Vec::new();
        let mut at = number;
        while at != 0 {
            let (from, described) = &self.ways[at as usize];
            way.push(described.clone());
            at = *from;
        }
        way.reverse();
        way
    }
}

/// Makes a holder depart; `None` if the world refuses it.
fn depart(world: &mut World, name: &str) -> Option<Departure> {
    let holder = world.holder(name)?;
    let _ = world.perform(&Operation::departing(holder)).ok()?;
    world.departed().first().cloned()
}

fn is_over(session: &Session) -> bool {
    matches!(session.state(), SessionState::Ended | SessionState::LeaseLost | SessionState::OutcomeUnknown)
}

fn wants(ask: SessionAction) -> &'static str {
    match ask {
        SessionAction::Lease => "requests a lease",
        SessionAction::Load => "requests the latest save",
        SessionAction::Save => "saves",
        SessionAction::ConfirmSave => "requests the earlier saves",
        SessionAction::Release => "requests to release the lease",
    }
}

/// How a save went well, made from a revision.
fn described_step(session: &Session, expected_revision: u64) -> &'static str {
    match session.state() {
        SessionState::ConfirmingSave => "saves: refused, too late",
        _ if session.expected_revision() == expected_revision => "saves: already stored",
        _ => "saves",
    }
}

fn described_error(error: &SessionError, fate: InjectedFault) -> String {
    let error = match error {
        SessionError::Store(error) => error,
        SessionError::Void { is_certain: true, .. } => {
            return "its session lost the lease; it restarts from the stored state".to_owned();
        }
        SessionError::Void { .. } => {
            return "the outcome is unknown; it restarts from the stored state".to_owned();
        }
        other => return other.to_string(),
    };
    match (error, fate) {
        (StoreError::NoResponse { .. }, InjectedFault::AnswerLost) => "it is done, but the response is lost".to_owned(),
        (StoreError::NoResponse { .. }, InjectedFault::Late) => "it is delayed, and the response is lost".to_owned(),
        (StoreError::NoResponse { .. }, _) => "it is lost".to_owned(),
        (StoreError::Held { owner, .. }, _) => format!("refused: {owner} has the lease"),
        (StoreError::Stale { found, .. }, _) => format!("revision {found} is loaded, which is too old"),
        _ => error.to_string(),
    }
}

fn described_request(request: &Request) -> String {
    match request {
        Request::Save { expected_revision, lease, .. } => {
            format!("a save from revision {expected_revision} with lease {lease}")
        }
        Request::Lease { owner, .. } => format!("the request of {owner} for a lease"),
        Request::Renew { number, .. } => format!("the renewal of lease {number}"),
        Request::Release { number, .. } => format!("the release of lease {number}"),
    }
}
