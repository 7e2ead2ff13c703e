//! The server: the owner of the world.

use std::collections::VecDeque;
use std::sync::Arc;

use super::message::{InitialState, PROTOCOL, ToClient, ToServer};
use super::offers::Offers;
use super::request::{Answer, Request, RequestLimits};
use super::update::Update;
use crate::language::{NamedAction, NamedOperation};
use crate::migration::{Difference, MigrationError};
use crate::ops::{Operation, Outcome, Reason, Refusal};
use crate::ruleset::Ruleset;
use crate::snapshot::Departures;
use crate::text::{Span, Word};
use crate::world::World;

/// The messages of a server in response to a message.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[must_use = "send these messages to the clients"]
pub struct Replies {
    /// For all clients, the sender included; send them first.
    pub to_all: Option<ToClient>,
    /// For the sender.
    pub to_sender: Vec<ToClient>,
    /// For all clients, after the others: the open offers, if they may have changed.
    pub offers: Option<ToClient>,
}

/// The owner of a world with copies at clients. It receives messages and returns messages; the
/// transport is up to the caller.
///
/// [`Server::receive_from`] takes the messages of a connection that belongs to a holder: access lists
/// are then checked for that holder, whatever a request says.
///
/// ```
/// use hypotheke::replication::{Client, Server, ToClient};
/// use hypotheke::{Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .container("sled", |sled| sled.slots(2))
///     .start("depot", ["4 flare"])
///     .build()?;
/// let rules = rules.into();
/// let mut server = Server::new(World::new(&rules), 100);
/// let ToClient::World(initial) = server.initial_state() else { unreachable!() };
/// let mut ann = Client::new("ann", &rules, &initial).unwrap();
///
/// // The client predicts its operation, and the server confirms it.
/// let sent = ann.predict("move 3 flare from depot to sled".parse().unwrap());
/// assert_eq!((ann.world().revision(), ann.confirmed()), (1, 0));
/// let replies = server.receive(&sent);
/// for message in replies.to_all.iter().chain(&replies.to_sender) {
///     assert!(ann.receive(message).unwrap().send.is_empty());
/// }
/// assert_eq!((ann.world().revision(), ann.confirmed(), ann.pending()), (1, 1, 0));
/// assert_eq!(ann.world().snapshot(), server.world().snapshot());
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug)]
pub struct Server {
    world: World,
    departures: Departures,
    /// The updates of the latest revisions, without a gap.
    updates: VecDeque<Update>,
    max_updates: usize,
    /// The number of undone operations.
    undone: u64,
    limits: RequestLimits,
    pub(super) offers: Offers,
}

impl Replies {
    fn to_sender(to_sender: Vec<ToClient>) -> Replies {
        Replies { to_sender, ..Replies::default() }
    }
}

impl Server {
    /// The owner of a world, which keeps a number of the latest updates for clients that miss some.
    #[must_use]
    pub fn new(world: World, max_updates: usize) -> Server {
        let limits = RequestLimits::default();
        let (updates, offers) = (VecDeque::new(), Offers::default());
        Server { world, departures: Departures::new(), updates, max_updates, undone: 0, limits, offers }
    }

    /// Like [`Server::new`], with limits on the size of requests.
    #[must_use]
    pub fn with_limits(self, limits: RequestLimits) -> Server {
        Server { limits, ..self }
    }

    /// The number of undone operations.
    pub(super) fn undone(&self) -> u64 {
        self.undone
    }

    /// The present world.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.world
    }

    /// The transfer records of departures, to store or to send to other servers.
    #[must_use]
    pub fn departures(&self) -> &Departures {
        &self.departures
    }

    /// Accepts a transfer record from elsewhere, so that it can arrive here.
    pub fn allow_arrival(&mut self, departure: crate::snapshot::Departure) {
        self.departures.keep(departure);
    }

    /// The message for a new client.
    #[must_use]
    pub fn initial_state(&self) -> ToClient {
        ToClient::World(Box::new(InitialState {
            protocol: PROTOCOL,
            ruleset: self.world.rules().fingerprint(),
            undone: self.undone,
            world: self.world.snapshot(),
        }))
    }

    /// Handles a message of a client.
    pub fn receive(&mut self, message: &ToServer) -> Replies {
        match message {
            ToServer::Join { protocol: PROTOCOL } => {
                let offers = self.offers().next().map(|_| self.open_offers());
                Replies::to_sender([self.initial_state()].into_iter().chain(offers).collect())
            }
            ToServer::Join { protocol } => {
                let message =
                    format!("the client speaks version {protocol} of the protocol, the server version {PROTOCOL}");
                Replies::to_sender(vec![ToClient::Rejected { message }])
            }
            ToServer::Request(request) => self.answer(request),
            ToServer::Resync { since, undone } => Replies::to_sender(self.since(*since, *undone)),
            // Without a holder there is nobody to offer or to accept.
            ToServer::Offer { .. } | ToServer::Accept { .. } | ToServer::Withdraw { .. } => Replies::default(),
        }
    }

    /// Handles a message of a connection that acts for a holder. Its requests are performed by that
    /// holder, at every depth of a list. A request that names a different actor is refused
    /// ([`Reason::NotAllowed`]), and so is one that names a yield: the world draws it.
    pub fn receive_from(&mut self, holder: &str, message: &ToServer) -> Replies {
        let request = match message {
            ToServer::Request(request) => request,
            ToServer::Offer { trade } => return self.receive_offer(holder, Ok(trade)),
            ToServer::Accept { offer } => return self.receive_offer(holder, Err(*offer)),
            ToServer::Withdraw { offer } => {
                let closed = self.withdraw(holder, *offer);
                return Replies { offers: closed.then(|| self.open_offers()), ..Replies::default() };
            }
            message => return self.receive(message),
        };
        let refused = match other_actor(&request.operation, holder) {
            Some(other) => Some((Reason::NotAllowed, format!("this connection acts for {holder}, not for {other}"))),
            // Else a client would choose what is drawn.
            None if names_yield(&request.operation) => {
                let text = "a request of a client names no yield: the world draws it";
                Some((Reason::NotAllowed, text.to_owned()))
            }
            None => None,
        };
        if let Some((reason, text)) = refused {
            let answer = Answer::Refused { reason, figures: None, max_amount: 0, step: None, text };
            let id = request.id.clone();
            return Replies::to_sender(vec![ToClient::Answer { undone: self.undone, id, answer }]);
        }
        let mut request = Request::clone(request);
        request.operation.actor = Some(Word::new(holder, Span::default()));
        self.answer(&request)
    }

    /// Performs an operation of the game itself.
    ///
    /// # Errors
    /// The refusal. The world is unchanged.
    pub fn perform(&mut self, operation: &Operation) -> Result<(Outcome, Replies), Refusal> {
        let outcome = self.world.perform(operation)?;
        Ok((outcome, Replies { to_all: self.publish(), ..Replies::default() }))
    }

    /// Undoes the latest operation, also one of a client, if the world keeps it
    /// ([`World::set_undo_limit`]). The message for all is the whole world.
    ///
    /// # Errors
    /// [`Cause::Stale`](crate::Cause::Stale) if it is not kept.
    pub fn undo(&mut self) -> Result<Replies, Refusal> {
        self.world.undo(self.world.revision())?;
        self.updates.pop_back();
        self.undone += 1;
        Ok(Replies { to_all: Some(self.initial_state()), ..Replies::default() })
    }

    /// Changes to an edited ruleset, as [`World::reload`] does. Clients need the ruleset too, see
    /// [`Client::use_rules`](super::Client::use_rules). The message for all is the whole world.
    ///
    /// # Errors
    /// The migration is refused. The world is unchanged.
    pub fn reload(&mut self, rules: &Arc<Ruleset>) -> Result<(Vec<Difference>, Replies), MigrationError> {
        let differences = self.world.reload(rules)?;
        self.updates.clear();
        Ok((differences, Replies { to_all: Some(self.initial_state()), ..Replies::default() }))
    }

    fn answer(&mut self, request: &Request) -> Replies {
        let before = self.world.revision();
        let answer = self.world.request_within(request, &self.departures, self.limits);
        let to_all = if self.world.revision() > before { self.publish() } else { None };
        let to_sender = vec![ToClient::Answer { undone: self.undone, id: request.id.clone(), answer }];
        Replies { to_all, to_sender, offers: None }
    }

    /// Keeps the update of the latest operation.
    fn publish(&mut self) -> Option<ToClient> {
        self.departures.extend(self.world.departed().iter().cloned());
        let update = self.world.update()?;
        self.updates.push_back(update.clone());
        if self.updates.len() > self.max_updates {
            self.updates.pop_front();
        }
        Some(ToClient::Update { undone: self.undone, update })
    }

    /// The updates after a revision, or the whole world if not all of them are kept.
    fn since(&self, revision: u64, undone: u64) -> Vec<ToClient> {
        let missing = self.world.revision().checked_sub(revision).filter(|_| undone == self.undone);
        match missing.and_then(|missing| usize::try_from(missing).ok()) {
            Some(missing) if missing <= self.updates.len() => {
                let kept = self.updates.iter().skip(self.updates.len() - missing);
                kept.cloned().map(|update| ToClient::Update { undone, update }).collect()
            }
            _ => vec![self.initial_state()],
        }
    }
}

/// Whether an operation names a yield, at any depth.
fn names_yield(operation: &NamedOperation) -> bool {
    match &operation.action {
        NamedAction::Together { steps } => steps.iter().any(names_yield),
        NamedAction::Craft { yield_number, .. } => yield_number.is_some(),
        _ => false,
    }
}

/// An actor in an operation, at any depth, other than the holder.
fn other_actor<'o>(operation: &'o NamedOperation, holder: &str) -> Option<&'o str> {
    let own = operation.actor.as_ref().map(Word::as_str).filter(|actor| *actor != holder);
    own.or_else(|| match &operation.action {
        NamedAction::Together { steps } => steps.iter().find_map(|step| other_actor(step, holder)),
        _ => None,
    })
}
