//! Two servers, a store far away, and a player who goes from one to the other before the first has saved.
//!
//! Both servers follow [`Visit`]; the store has the habits of a [`FaultyStore`]. Whatever may happen next is tried, in every order within bounds: the
//! player joins or leaves, gives or takes something, a server asks the store for what it needs next and gets an answer or none, a request arrives late,
//! leases run out. Whenever all have come to rest, everything is counted.
//!
//! A server that was taken over stands for one that was dead: it begins again with its world as it was before the visit.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::Breach;
use super::exchange::{Way, exchange};
use crate::explore::Bound;
use crate::narrow;
use crate::ops::Operation;
use crate::ruleset::Ruleset;
use crate::save::Save;
use crate::snapshot::{Departed, Departure};
use crate::store::{
    Ask, FaultyStore, InjectedFault, Key, Request, Status, Store, StoreError, Terms, Visit, VisitError, VisitState,
};
use crate::world::World;

/// How much is tried.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct HandoverBounds {
    /// How often the player joins a server in all.
    pub joins: u32,
    /// How often the player gives or takes something in all.
    pub exchanges: u32,
    /// How often the store does not answer as it should, or late.
    pub faults: u32,
    /// How often a lease runs out before it was given back.
    pub run_outs: u32,
}

impl Default for HandoverBounds {
    /// Three joins, one exchange, one fault and one lease that runs out.
    fn default() -> HandoverBounds {
        HandoverBounds { joins: 3, exchanges: 1, faults: 1, run_outs: 1 }
    }
}

/// What was found.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct HandoverReport {
    /// How many situations there were.
    pub situations: u64,
    /// In how many of them all had come to rest, and everything was counted.
    pub rests: u64,
    /// How many things happened on the longest way.
    pub longest: u32,
    /// Whether the player could give and take anything.
    pub exchanged: bool,
    /// What was lost or doubled, on a shortest way.
    pub breach: Option<Breach>,
    /// What ended it before all was tried.
    pub stopped_by: Option<Bound>,
}

/// Why it can't be tried.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum HandoverUnavailable {
    /// The rules know nobody who could come and go.
    #[error("no holder of the ruleset can depart")]
    Nobody,
}

const SERVERS: [&str; 2] = ["camp", "pass"];
/// How long a lease lasts. Time goes on only where one is to run out.
const LEASE: u64 = 1_000;

/// What may happen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Event {
    Join(usize),
    Leave(usize),
    Exchange(usize, Way),
    Ask(usize, InjectedFault),
    Late(usize),
    RunOut,
}

/// A world, and a number that all worlds like it have.
#[derive(Clone)]
struct Numbered {
    world: Arc<World>,
    number: usize,
}

/// Two servers, the store, and what may happen yet.
struct Situation<S> {
    worlds: [Numbered; 2],
    /// Each server's world before the visit that is going on.
    before: [Option<Numbered>; 2],
    visits: [Option<Visit>; 2],
    store: FaultyStore<S>,
    now: u64,
    left: HandoverBounds,
}

impl<S: Clone> Clone for Situation<S> {
    fn clone(&self) -> Situation<S> {
        Situation {
            worlds: self.worlds.clone(),
            before: self.before.clone(),
            visits: self.visits.clone(),
            store: self.store.clone(),
            now: self.now,
            left: self.left,
        }
    }
}

/// All that can be told apart about a situation.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
struct Seen {
    worlds: [usize; 2],
    before: [Option<usize>; 2],
    visits: [Option<SeenVisit>; 2],
    status: Status,
    saves: Vec<(u64, u64, usize)>,
    late: Vec<Request>,
    now: u64,
    left: [u32; 4],
}

/// State, owner, lease, base, and the number of the document.
type SeenVisit = (VisitState, String, u64, u64, usize);

/// Plays two servers and a player who hops between them, in every order within bounds, on what a store gives.
///
/// The store must be empty; where clones of it are alike in all that [`Store`] tells, they must go on alike. `stop` is told how
/// many situations were found so far, and asked whether that is enough.
///
/// ```
/// use hypotheke::Ruleset;
/// use hypotheke::save_checks::{HandoverBounds, hopping};
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
/// let bounds = HandoverBounds { joins: 2, exchanges: 1, faults: 1, run_outs: 1 };
/// let found = hopping(&rules, &MemoryStore::new(), bounds, &mut |_| None).unwrap();
/// assert_eq!((found.breach, found.stopped_by), (None, None));
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
///
/// # Errors
/// The ruleset has no holder that can come and go.
pub fn hopping<S: Store + Clone>(
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
    /// How many items of each kind there were in all, and how many were made.
    items: Vec<(i128, i128)>,
    worlds: BTreeMap<Vec<u8>, usize>,
    saves: BTreeMap<Vec<u8>, usize>,
    seen: BTreeMap<Seen, u32>,
    /// For each situation, that from which it came and how.
    ways: Vec<(u32, String)>,
    /// Those whose successors are still to be tried.
    next: Vec<(u32, Situation<S>)>,
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
        let newcomer = Departure::newcomer(rules, &holder.of, &player).ok_or(HandoverUnavailable::Nobody)?;
        let store = FaultyStore::before(store.clone(), 0, crate::store::FaultProfile::default());
        let key = Key::new(player.as_bytes()).map_err(|_| HandoverUnavailable::Nobody)?;
        let bytes = Save::of_departure(rules, &document).to_bytes();
        // Where even this does not go well, nothing is found at the end, and so it is told.
        let _ = store.inside(|store| store.save(&key, &bytes, 0, 0));
        let mut situation = Situation {
            worlds: [camp, pass].map(|world| Numbered { world: Arc::new(world), number: 0 }),
            before: [None, None],
            visits: [None, None],
            store,
            now: 1,
            left: bounds,
        };
        let found =
            HandoverReport { situations: 0, rests: 0, longest: 0, exchanged: false, breach: None, stopped_by: None };
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
        [0, 1].into_iter().for_each(|server| search.number(&mut situation.worlds[server]));
        search.items = search.count(&situation);
        let seen = search.seen_of(&situation);
        search.seen.insert(seen, 0);
        search.ways.push((0, String::new()));
        search.next.push((0, situation));
        Ok(search)
    }

    /// Breadth first, so that what breaks is found on a shortest way.
    fn run(&mut self, stop: &mut dyn FnMut(u64) -> Option<Bound>) {
        self.found.situations = 1;
        while !self.next.is_empty() {
            for (number, situation) in std::mem::take(&mut self.next) {
                self.found.stopped_by = stop(self.found.situations);
                if self.found.stopped_by.is_some() {
                    return;
                }
                if let Some(found) = self.judge(&situation) {
                    self.found.breach = Some(Breach { trail: self.way_to(number), found });
                    return;
                }
                for event in self.events(&situation) {
                    self.follow(number, &situation, event);
                }
            }
            self.found.longest += u32::from(!self.next.is_empty());
        }
    }

    fn events(&self, situation: &Situation<S>) -> Vec<Event> {
        let mut events = Vec::new();
        let left = situation.left;
        for server in 0..SERVERS.len() {
            let visit = situation.visits[server].as_ref();
            let Some(visit) = visit.filter(|visit| !is_over(visit)) else {
                events.extend((left.joins > 0).then_some(Event::Join(server)));
                continue;
            };
            if visit.state() == VisitState::Here {
                events.push(Event::Leave(server));
                let exchanges = [Way::Give, Way::Take].map(|way| Event::Exchange(server, way));
                events.extend(exchanges.into_iter().filter(|_| left.exchanges > 0));
            }
            if let Some(ask) = visit.ask() {
                events.push(Event::Ask(server, InjectedFault::Answered));
                let faults: &[InjectedFault] = match ask {
                    // Whether an answer is lost or the request makes no difference where nothing is changed.
                    Ask::Load | Ask::LookBack => &[InjectedFault::RequestLost, InjectedFault::Stale],
                    _ => &[InjectedFault::AnswerLost, InjectedFault::RequestLost, InjectedFault::Late],
                };
                events.extend(faults.iter().filter(|_| left.faults > 0).map(|fate| Event::Ask(server, *fate)));
            }
        }
        events.extend((0..situation.store.late()).map(Event::Late));
        events
            .extend((left.run_outs > 0 && self.status(situation).lease.until > situation.now).then_some(Event::RunOut));
        events
    }

    fn status(&self, situation: &Situation<S>) -> Status {
        situation.store.inside(|store| store.status(&self.key)).unwrap_or_default()
    }

    fn follow(&mut self, from: u32, situation: &Situation<S>, event: Event) {
        let mut then = situation.clone();
        let Some(told) = self.happen(&mut then, event) else { return };
        let seen = self.seen_of(&then);
        let number = narrow::index(self.ways.len());
        if let std::collections::btree_map::Entry::Vacant(new) = self.seen.entry(seen) {
            new.insert(number);
            self.ways.push((from, told));
            self.next.push((number, then));
            self.found.situations += 1;
        }
    }

    /// Lets something happen, and says what; nothing if it can't.
    fn happen(&mut self, situation: &mut Situation<S>, event: Event) -> Option<String> {
        let player = self.player.clone();
        match event {
            Event::Join(server) => {
                situation.left.joins -= 1;
                let terms = Terms { lease: LEASE };
                // No two visits are the same owner.
                let owner = format!("{}, visit {}", SERVERS[server], self.bounds.joins - situation.left.joins);
                situation.visits[server] = Some(Visit::new(self.key.clone(), &owner, self.newcomer.clone(), terms));
                situation.before[server] = Some(situation.worlds[server].clone());
                Some(format!("{player} joins {}", SERVERS[server]))
            }
            Event::Leave(server) => {
                let visit = situation.visits[server].as_mut()?;
                let world = &mut situation.worlds[server];
                visit.leave(Arc::make_mut(&mut world.world)).ok()?;
                self.number(world);
                Some(format!("{player} leaves {}", SERVERS[server]))
            }
            Event::Exchange(server, way) => {
                let numbered = &mut situation.worlds[server];
                let operation = exchange(&numbered.world, &player, way)?;
                let world = Arc::make_mut(&mut numbered.world);
                let _ = world.perform(&operation).ok()?;
                situation.left.exchanges -= 1;
                self.found.exchanged = true;
                let told: Vec<String> = world.events().iter().map(|event| world.describe_event(event)).collect();
                self.number(numbered);
                Some(format!("in {}: {}", SERVERS[server], told.join(", ")))
            }
            Event::Ask(server, fate) => self.ask(situation, server, fate),
            Event::Late(number) => {
                let told = told_of(&situation.store.on_the_way()[number]);
                situation.store.deliver(number);
                Some(format!("what was late arrives: {told}"))
            }
            Event::RunOut => {
                situation.left.run_outs -= 1;
                situation.now = self.status(situation).lease.until;
                Some("time passes, and the lease runs out".to_owned())
            }
        }
    }

    fn ask(&mut self, situation: &mut Situation<S>, server: usize, fate: InjectedFault) -> Option<String> {
        let visit = situation.visits[server].as_mut()?;
        let (ask, base) = (visit.ask()?, visit.base());
        situation.store.answer_next(fate);
        situation.left.faults -= u32::from(fate != InjectedFault::Answered);
        let world = &mut situation.worlds[server];
        // Only who arrives changes the world.
        let answer = if ask == Ask::Load {
            let answer = visit.step(&situation.store, Arc::make_mut(&mut world.world), situation.now);
            self.number(world);
            answer
        } else {
            visit.step(&situation.store, &mut self.nowhere, situation.now)
        };
        let told = match (&answer, ask) {
            (Ok(()), Ask::Lease) => format!("gets lease {}", visit.lease()),
            (Ok(()), Ask::Load) => "loads, and they arrive".to_owned(),
            (Ok(()), Ask::Save) => told_how(visit, base).to_owned(),
            (Ok(()), Ask::LookBack) => "looks back, and finds that it had saved".to_owned(),
            (Ok(()), Ask::Release) => "gives the lease back".to_owned(),
            (Err(error), _) => format!("{}: {}", wants(ask), told_why(error, fate)),
        };
        if matches!(visit.state(), VisitState::Void | VisitState::Unclear) {
            // It was as good as dead: it begins again with what it had before.
            situation.worlds[server] = situation.before[server].clone()?;
        }
        if is_over(visit) {
            situation.before[server] = None;
        }
        Some(format!("{} {told}", SERVERS[server]))
    }

    fn seen_of(&mut self, situation: &Situation<S>) -> Seen {
        let worlds = [0, 1].map(|server: usize| situation.worlds[server].number);
        let before = [0, 1].map(|server: usize| situation.before[server].as_ref().map(|before| before.number));
        let mut number = |bytes: &[u8]| {
            let next = self.saves.len();
            match self.saves.get(bytes) {
                Some(number) => *number,
                None => *self.saves.entry(bytes.to_vec()).or_insert(next),
            }
        };
        let visits = [0, 1].map(|server: usize| {
            let visit = situation.visits[server].as_ref().filter(|visit| !is_over(visit))?;
            Some((visit.state(), visit.owner().to_owned(), visit.lease(), visit.base(), number(visit.document())))
        });
        let kept = situation.store.inside(|store| store.generations(&self.key)).unwrap_or_default();
        let saves = kept.iter().map(|kept| {
            let bytes = kept.content.as_ref().map_or(&[][..], Vec::as_slice);
            (kept.revision, kept.lease, number(bytes))
        });
        let saves = saves.collect();
        let HandoverBounds { joins, exchanges, faults, run_outs } = situation.left;
        Seen {
            worlds,
            before,
            visits,
            status: self.status(situation),
            saves,
            late: situation.store.on_the_way(),
            now: situation.now,
            left: [joins, exchanges, faults, run_outs],
        }
    }

    /// Gives a world the number of all worlds like it.
    fn number(&mut self, numbered: &mut Numbered) {
        let bytes = serde_json::to_vec(&numbered.world.snapshot()).unwrap_or_default();
        let next = self.worlds.len();
        numbered.number = *self.worlds.entry(bytes).or_insert(next);
    }

    /// What is wrong, where all have come to rest.
    fn judge(&mut self, situation: &Situation<S>) -> Option<String> {
        let at_rest = situation.visits.iter().flatten().all(is_over) && situation.store.late() == 0;
        if !at_rest {
            return None;
        }
        self.found.rests += 1;
        let kinds = situation.worlds[0].world.rules().kinds();
        for ((kind, (before, made_before)), (counted, made)) in kinds.zip(&self.items).zip(self.count(situation)) {
            let expected = before + made - made_before;
            if counted != expected {
                let what = if counted < expected { "lost" } else { "doubled" };
                let how_many = (counted - expected).abs();
                return Some(format!("{how_many} {} {what}: {expected} in all, and {counted} are counted", kind.id()));
            }
        }
        None
    }

    /// How many items of each kind there are, in both worlds and in the store, and how many more were made than used up.
    fn count(&self, situation: &Situation<S>) -> Vec<(i128, i128)> {
        let rules = situation.worlds[0].world.rules();
        let stored = situation.store.inside(|store| store.load(&self.key)).ok().flatten();
        let saved =
            stored.and_then(|stored| Save::read(&stored.bytes).ok()).and_then(|save| save.departure(rules).ok());
        let of_kind = |kind: crate::ruleset::Kind<'_>| {
            let stacks = saved.iter().flat_map(Departure::stacks).filter(|stack| stack.kind == kind.id());
            let mut count: i128 = stacks.map(|stack| i128::from(stack.count)).sum();
            let mut made = 0;
            for Numbered { world, .. } in &situation.worlds {
                let tally = world.tally(kind.handle());
                count += i128::from(world.count(kind.handle(), None));
                made += i128::from(tally.created) - i128::from(tally.consumed);
            }
            (count, made)
        };
        rules.kinds().map(of_kind).collect()
    }

    fn way_to(&self, number: u32) -> Vec<String> {
        let mut way = Vec::new();
        let mut at = number;
        while at != 0 {
            let (from, told) = &self.ways[at as usize];
            way.push(told.clone());
            at = *from;
        }
        way.reverse();
        way
    }
}

/// Lets somebody depart; none if the world does not let them go.
fn depart(world: &mut World, name: &str) -> Option<Departure> {
    let holder = world.holder(name)?;
    let _ = world.perform(&Operation::departing(holder)).ok()?;
    world.departed().first().cloned()
}

fn is_over(visit: &Visit) -> bool {
    matches!(visit.state(), VisitState::Gone | VisitState::Void | VisitState::Unclear)
}

fn wants(ask: Ask) -> &'static str {
    match ask {
        Ask::Lease => "asks for a lease",
        Ask::Load => "asks for what was saved",
        Ask::Save => "asks to save",
        Ask::LookBack => "looks back at what was saved",
        Ask::Release => "asks to give the lease back",
    }
}

/// How a save went well, made from a revision.
fn told_how(visit: &Visit, base: u64) -> &'static str {
    match visit.state() {
        VisitState::LookingBack => "asks to save: refused, it comes late",
        _ if visit.base() == base => "asks to save: it had arrived before",
        _ => "saves",
    }
}

fn told_why(error: &VisitError, fate: InjectedFault) -> String {
    let error = match error {
        VisitError::Store(error) => error,
        VisitError::Void { is_certain: true, .. } => {
            return "its visit is void, and it begins again as it was before".to_owned();
        }
        VisitError::Void { .. } => return "it can't be told any more, and it begins again as it was before".to_owned(),
        other => return other.to_string(),
    };
    match (error, fate) {
        (StoreError::NoAnswer { .. }, InjectedFault::AnswerLost) => "it is done, but no answer comes".to_owned(),
        (StoreError::NoAnswer { .. }, InjectedFault::Late) => {
            "it is on its way for long, and no answer comes".to_owned()
        }
        (StoreError::NoAnswer { .. }, _) => "it never arrives".to_owned(),
        (StoreError::Held { owner, .. }, _) => format!("refused, for {owner} has it"),
        (StoreError::Stale { found, .. }, _) => format!("revision {found} comes, which is too old"),
        _ => error.to_string(),
    }
}

fn told_of(request: &Request) -> String {
    match request {
        Request::Save { base, lease, .. } => format!("a save made from revision {base}, under lease {lease}"),
        Request::Lease { owner, .. } => format!("that {owner} asks for a lease"),
        Request::Renew { number, .. } => format!("lease {number} is to last longer"),
        Request::Release { number, .. } => format!("lease {number} is given back"),
    }
}
