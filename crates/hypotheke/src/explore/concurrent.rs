//! Concurrent requests: holders send requests at the same time, each based on an older world, over
//! a line that duplicates requests and loses answers. Every interleaving is explored, the shorter
//! ones first.
//!
//! In every interleaving the laws must hold and no item may be duplicated or lost. Each final world
//! must equal the result of the same requests in some sequential order, each performed once.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::sync::Arc;

use super::report::Bound;
use crate::audit::audit;
use crate::explore::model::moves::Moves;
use crate::explore::model::scope::Scope;
use crate::explore::model::sentence::sentence;
use crate::explore::search::exploration::Exploration;
use crate::explore::state::packed::Packer;
use crate::id::HolderId;
use crate::ops::Operation;
use crate::replication::{Answer, Request, Server, ToClient, ToServer};
use crate::snapshot::{Departures, Snapshot};
use crate::world::World;

/// A server that owns a world and answers requests.
pub trait ServerUnderTest: Clone {
    /// Takes a request that was made on the world as it was at a revision, and answers it.
    fn receive(&mut self, request: &Request, made_on: u64) -> Answer;

    /// The world as it is.
    fn snapshot(&self) -> Snapshot;
}

impl ServerUnderTest for Server {
    fn receive(&mut self, request: &Request, _: u64) -> Answer {
        let replies = Server::receive(self, &ToServer::Request(Box::new(request.clone())));
        let answers = replies.to_sender.into_iter().filter_map(|message| match message {
            ToClient::Answer { answer, .. } => Some(answer),
            _ => None,
        });
        // A server answers each request to its sender.
        answers.reduce(|_, latest| latest).unwrap_or(Answer::Refused {
            reason: crate::Reason::Unknown,
            figures: None,
            max_amount: 0,
            step: None,
            text: String::new(),
        })
    }

    fn snapshot(&self) -> Snapshot {
        self.world().snapshot()
    }
}

/// Bounds of the interleavings.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ConcurrencyBounds {
    /// The number of requests of each holder.
    pub requests: u32,
    /// The maximum number of times that a request is sent again.
    pub max_resends: u32,
    /// The maximum number of operations that a holder's view may lag behind.
    pub max_lag: u64,
    /// The maximum number of network steps: sending, arrival, sending again.
    pub network_steps: u64,
}

impl Default for ConcurrencyBounds {
    fn default() -> ConcurrencyBounds {
        ConcurrencyBounds { requests: 1, max_resends: 1, max_lag: 2, network_steps: 200_000 }
    }
}

/// The result of a search over interleavings.
#[derive(Clone, Debug)]
pub struct InterleavingReport {
    /// The number of interleavings that were completed.
    pub interleavings: u64,
    /// The number of requests that were received.
    pub received: u64,
    /// A shortest interleaving that fails.
    pub failure: Option<InterleavingFailure>,
    /// The bound that stopped it before every interleaving was completed.
    pub stopped_by: Option<Bound>,
}

/// An interleaving of requests that fails.
#[derive(Clone, Debug)]
pub struct InterleavingFailure {
    /// The network steps, in order.
    pub steps: Vec<String>,
    /// The failure in words.
    pub message: String,
    /// The world of the server at the end.
    pub after: Snapshot,
}

impl fmt::Display for InterleavingFailure {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (nth, step) in (1..).zip(&self.steps) {
            writeln!(f, "{nth:>3}  {step}")?;
        }
        write!(f, "     {}", self.message)
    }
}

/// A request on its way.
#[derive(Clone)]
struct Sent {
    request: Request,
    made_on: u64,
    /// The number of copies that have not arrived yet.
    copies: u32,
    max_resends: u32,
    answered: bool,
    /// When it was applied, or else refused last.
    settled: usize,
    applied: bool,
}

#[derive(Clone)]
struct Asker {
    holder: HolderId,
    /// The revision of the world that it has seen last.
    seen: usize,
    sent: Vec<Sent>,
}

/// What happens next.
enum NetworkStep {
    /// A holder asks for an operation, on the world as it was.
    Ask { who: usize, on: usize, operation: Operation },
    /// A copy arrives; the answer does too, or is lost.
    Arrive { who: usize, request: usize, lost: bool },
    /// A holder has no answer and asks again.
    Again { who: usize },
}

#[derive(Clone)]
struct Scene<S> {
    server: S,
    /// The states that there have been, by revision.
    seen: Vec<Arc<World>>,
    askers: Vec<Asker>,
    /// The senders since the latest arrival. Their order makes no difference until a request
    /// arrives, so the search tries only one order.
    asking: usize,
    /// The latest snapshot of the server.
    latest: Arc<Snapshot>,
    steps: Vec<String>,
}

impl Exploration {
    /// Explores every interleaving of the requests of several holders, the shortest first, with any
    /// server. `progress` receives the number of network steps from time to time, and stops the
    /// search by returning a bound.
    pub fn interleave<S: ServerUnderTest>(
        &self,
        several: ConcurrencyBounds,
        serve: impl Fn(&World) -> S,
        stop: &mut dyn FnMut(u64) -> Option<Bound>,
    ) -> InterleavingReport {
        // Each sends what it may, also what another may too.
        let scope = Scope { each_actor: true, ..self.scope.clone() };
        let askers = scope.actors.iter().map(|&holder| Asker { holder, seen: 0, sent: Vec::new() }).collect();
        let (seen, latest) = (vec![Arc::new(self.start.clone())], Arc::new(self.start.snapshot()));
        let scene = Scene { server: serve(&self.start), seen, askers, asking: 0, latest, steps: Vec::new() };
        let mut search = Search {
            played: 0,
            stop,
            scope: &scope,
            start: &self.start,
            several,
            found: nothing(),
            moves: Moves::default(),
        };
        let most = (several.requests * (2 + 2 * several.max_resends)) as usize * scope.actors.len();
        for depth in 1..=most {
            let before = std::mem::replace(&mut search.found, nothing());
            let whole = search.go_on(&scene, depth);
            if search.found.stopped_by.is_some() && search.found.interleavings < before.interleavings {
                // The previous, shallower round reached these already.
                (search.found.interleavings, search.found.received) = (before.interleavings, before.received);
            }
            if search.found.failure.is_some() || search.found.stopped_by.is_some() || whole {
                break;
            }
        }
        search.found
    }

    /// The same with this library's server.
    #[must_use]
    pub fn interleaved(
        &self,
        several: ConcurrencyBounds,
        stop: &mut dyn FnMut(u64) -> Option<Bound>,
    ) -> InterleavingReport {
        self.interleave(several, |world| Server::new(world.clone(), 0), stop)
    }
}

fn nothing() -> InterleavingReport {
    InterleavingReport { interleavings: 0, received: 0, failure: None, stopped_by: None }
}

/// The number of network steps between two calls of `progress`.
const LOOK_EVERY: u64 = 512;

struct Search<'s> {
    /// The number of network steps so far, at all depths.
    played: u64,
    stop: &'s mut dyn FnMut(u64) -> Option<Bound>,
    scope: &'s Scope,
    start: &'s World,
    several: ConcurrencyBounds,
    found: InterleavingReport,
    moves: Moves,
}

impl Search<'_> {
    /// Explores to a depth. True if every interleaving was complete.
    fn go_on<S: ServerUnderTest>(&mut self, scene: &Scene<S>, depth: usize) -> bool {
        let network_steps = self.network_steps(scene);
        if network_steps.is_empty() {
            self.found.interleavings += 1;
            self.check_end(scene);
            return true;
        }
        if depth == 0 {
            return false;
        }
        let mut whole = true;
        for happening in network_steps {
            self.found.stopped_by = self.bound_here();
            if self.found.stopped_by.is_some() {
                return false;
            }
            let mut next = scene.clone();
            self.happen(&mut next, happening);
            whole &= self.found.failure.is_none() && self.go_on(&next, depth - 1);
            if self.found.failure.is_some() || self.found.stopped_by.is_some() {
                return false;
            }
        }
        whole
    }

    fn bound_here(&mut self) -> Option<Bound> {
        self.played += 1;
        if self.played > self.several.network_steps {
            return Some(Bound::States(self.several.network_steps));
        }
        if self.played.is_multiple_of(LOOK_EVERY) { (self.stop)(self.played) } else { None }
    }

    fn network_steps<S: ServerUnderTest>(&mut self, scene: &Scene<S>) -> Vec<NetworkStep> {
        let mut all = Vec::new();
        for (who, asker) in scene.askers.iter().enumerate() {
            for (request, sent) in asker.sent.iter().enumerate().filter(|(_, sent)| sent.copies > 0) {
                all.push(NetworkStep::Arrive { who, request, lost: false });
                if !sent.answered && sent.max_resends < self.several.max_resends {
                    all.push(NetworkStep::Arrive { who, request, lost: true });
                }
            }
            if who < scene.asking {
                continue;
            }
            match asker.sent.last() {
                Some(open) if !open.answered && open.max_resends < self.several.max_resends => {
                    all.push(NetworkStep::Again { who });
                }
                Some(open) if !open.answered => {}
                _ if asker.sent.len() < self.several.requests as usize => self.requests(scene, who, &mut all),
                _ => {}
            }
        }
        all
    }

    /// Whatever a holder may ask for, on each world that it may have before its eyes.
    fn requests<S: ServerUnderTest>(&mut self, scene: &Scene<S>, who: usize, all: &mut Vec<NetworkStep>) {
        let asker = &scene.askers[who];
        let latest = scene.seen.len() - 1;
        let behind = usize::try_from(self.several.max_lag).unwrap_or(usize::MAX);
        for on in asker.seen.max(latest.saturating_sub(behind))..=latest {
            self.scope.enumerate(&scene.seen[on], &mut self.moves);
            for operation in self.moves.operations(&scene.seen[on]) {
                // Every actor sends its own requests.
                if operation.actor.is_none_or(|actor| actor == asker.holder) {
                    let operation = Operation { actor: Some(asker.holder), ..operation };
                    all.push(NetworkStep::Ask { who, on, operation });
                }
            }
        }
    }

    fn happen<S: ServerUnderTest>(&mut self, scene: &mut Scene<S>, happening: NetworkStep) {
        match happening {
            NetworkStep::Ask { who, on, operation } => {
                let world = &scene.seen[on];
                let said = sentence(world, &operation);
                let name = world.holder_name(scene.askers[who].holder).to_owned();
                let (Ok(named), Ok(id)) = (said.parse(), format!("{who}/{}", scene.askers[who].sent.len()).parse())
                else {
                    return;
                };
                let behind = scene.seen.len() - 1 - on;
                let sees =
                    if behind > 0 { format!(" (on the world as it was {behind} before)") } else { String::new() };
                scene.steps.push(format!("{name} sends: {said}{sees}"));
                let made_on = world.revision();
                scene.asking = who;
                let asker = &mut scene.askers[who];
                asker.seen = on;
                let request = Request::new(named).with_id(id);
                asker.sent.push(Sent {
                    request,
                    made_on,
                    copies: 1,
                    max_resends: 0,
                    answered: false,
                    settled: 0,
                    applied: false,
                });
            }
            NetworkStep::Again { who } => {
                let name = self.start.holder_name(scene.askers[who].holder).to_owned();
                scene.asking = who;
                if let Some(open) = scene.askers[who].sent.last_mut() {
                    open.copies += 1;
                    open.max_resends += 1;
                    scene.steps.push(format!("{name} gets no response and sends again"));
                }
            }
            NetworkStep::Arrive { who, request, lost } => self.arrive(scene, who, request, lost),
        }
    }

    fn arrive<S: ServerUnderTest>(&mut self, scene: &mut Scene<S>, who: usize, request: usize, lost: bool) {
        let name = self.start.holder_name(scene.askers[who].holder).to_owned();
        let sent = &mut scene.askers[who].sent[request];
        sent.copies -= 1;
        scene.asking = 0;
        let answer = scene.server.receive(&sent.request, sent.made_on);
        sent.answered |= !lost;
        if !sent.applied {
            (sent.settled, sent.applied) = (scene.steps.len(), answer.outcome().is_some());
        }
        self.found.received += 1;
        let word = match &answer {
            Answer::Applied { repeated: true, .. } => "was applied before",
            Answer::Applied { .. } => "is applied",
            Answer::Refused { .. } => "is refused",
        };
        let lost = if lost { "; the response is lost" } else { "" };
        scene.steps.push(format!("the request of {name} arrives and {word}{lost}"));
        let snapshot = scene.server.snapshot();
        if snapshot == *scene.latest {
            return;
        }
        if let Some(message) = self.wrong(&snapshot) {
            self.found.failure = Some(InterleavingFailure { steps: scene.steps.clone(), message, after: snapshot });
            return;
        }
        if let Ok(mut world) = World::from_snapshot(self.start.rules(), &snapshot)
            && scene.seen.last().is_some_and(|latest| latest.revision() != world.revision())
        {
            world.share_handles(self.start);
            scene.seen.push(Arc::new(world));
        }
        scene.latest = Arc::new(snapshot);
    }

    /// What is wrong with a world, whatever comes.
    fn wrong(&self, snapshot: &Snapshot) -> Option<String> {
        let rules = self.start.rules();
        // Without creating and consuming, the number of items stays the same.
        if self.scope.created.is_empty() && self.scope.consumed.is_empty() {
            let (before, after) = (items(&self.start.snapshot()), items(snapshot));
            let kinds: BTreeSet<&String> = before.keys().chain(after.keys()).collect();
            for kind in kinds {
                let [was, is] = [&before, &after].map(|items| items.get(kind).copied().unwrap_or(0));
                if was != is {
                    return Some(format!("the world has {is} {kind}; it should have {was}"));
                }
            }
        }
        // A mark may make a stack unfit; nothing else may break a limit.
        let marks = !(self.scope.set.is_empty() && self.scope.unset.is_empty());
        let broken = audit(rules, snapshot).into_iter().find(|found| !marks || !found.law().is_limit());
        broken.map(|found| found.to_string())
    }

    /// In a final state, the world equals the result of the requests in some order.
    fn check_end<S: ServerUnderTest>(&mut self, scene: &Scene<S>) {
        if self.found.failure.is_some() {
            return;
        }
        let found = scene.server.snapshot();
        let mut requested: Vec<&Sent> = scene.askers.iter().flat_map(|asker| &asker.sent).collect();
        requested.sort_by_key(|sent| sent.settled);
        let mut ends = BTreeSet::new();
        let mut world = self.start.clone();
        world.set_undo_limit(usize::MAX);
        let mut orders =
            Orders { scope: self.scope, packer: Packer::new(&world), requested: &requested, ends: &mut ends };
        let mut bytes = Vec::new();
        let is_known = World::from_snapshot(self.start.rules(), &found).is_ok_and(|mut end| {
            end.share_handles(self.start);
            orders.packer.for_world(&end).pack(&end, self.scope, &mut bytes);
            // The order in which they were applied, first: of a server that does as it should that
            // is the one.
            orders.play_in_order(world.clone());
            if !orders.ends.contains(&bytes) {
                orders.play(&mut world, &mut vec![false; requested.len()]);
            }
            orders.ends.contains(&bytes)
        });
        if !is_known {
            let message = "no sequential order of the requests has this result".to_owned();
            self.found.failure = Some(InterleavingFailure { steps: scene.steps.clone(), message, after: found });
        }
    }
}

/// All results of the requests in any order, each performed once.
struct Orders<'o> {
    scope: &'o Scope,
    packer: Packer,
    requested: &'o [&'o Sent],
    ends: &'o mut BTreeSet<Vec<u8>>,
}

impl Orders<'_> {
    fn play_in_order(&mut self, mut world: World) {
        for sent in self.requested {
            if let Ok(operation) = sent.request.operation.resolve_with(&world, &Departures::new()) {
                // What is refused changes nothing.
                let _ = world.perform(&operation);
            }
        }
        let mut bytes = Vec::new();
        self.packer.pack(&world, self.scope, &mut bytes);
        self.ends.insert(bytes);
    }

    fn play(&mut self, world: &mut World, played: &mut Vec<bool>) {
        if played.iter().all(|it| *it) {
            let mut bytes = Vec::new();
            self.packer.pack(world, self.scope, &mut bytes);
            self.ends.insert(bytes);
            return;
        }
        for nth in 0..self.requested.len() {
            if std::mem::replace(&mut played[nth], true) {
                continue;
            }
            // By names, as a server receives it: a removed place is not found.
            let operation = self.requested[nth].request.operation.resolve_with(world, &Departures::new());
            let applied = operation.ok().and_then(|operation| world.perform(&operation).ok());
            self.play(world, played);
            if let Some(outcome) = applied {
                let undone = world.undo(outcome.revision());
                debug_assert!(undone.is_ok(), "all of it is kept");
            }
            played[nth] = false;
        }
    }
}

/// How many items of each kind there are.
fn items(snapshot: &Snapshot) -> BTreeMap<String, u64> {
    let carried = snapshot.holders.iter().flat_map(|holder| &holder.containers);
    let in_slots = snapshot.containers.iter().chain(carried).flat_map(|container| &container.stacks);
    let in_packs = snapshot.packs.iter().flat_map(|pack| &pack.stacks);
    let lying = in_slots.chain(in_packs).map(|lying| &lying.stack);
    let landed = snapshot.ground.iter().map(|landed| &landed.stack);
    let hands = snapshot.holders.iter().filter_map(|holder| holder.hand.as_ref());
    let mut counts = BTreeMap::new();
    for stack in lying.chain(landed).chain(hands) {
        *counts.entry(stack.kind.clone()).or_default() += u64::from(stack.count);
    }
    counts
}
