//! The one who owns the world.

use std::collections::VecDeque;
use std::sync::Arc;

use super::message::{PROTOCOL, ToClient, ToServer, Welcome};
use super::request::{Request, RequestLimits};
use super::update::Update;
use crate::migration::{Difference, MigrationError};
use crate::ops::{Operation, Outcome, Refusal};
use crate::ruleset::Ruleset;
use crate::snapshot::Departures;
use crate::world::World;

/// What a server has to say after a message.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[must_use = "send these messages to the clients"]
pub struct Replies {
    /// For all clients, the sender among them; before what is for the sender alone.
    pub to_all: Option<ToClient>,
    /// For the one who sent the message.
    pub to_sender: Vec<ToClient>,
}

/// The owner of a world of which clients hold copies. It takes messages and gives messages; how they travel is for others.
///
/// Who may act for which holder is for others too: look at the operation of a request before it is handed over.
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
/// let ToClient::World(welcome) = server.initial_state() else { unreachable!() };
/// let mut ann = Client::new("ann", &rules, &welcome).unwrap();
///
/// // The client does at once what it asks for, and the server's word makes it so.
/// let sent = ann.act("move 3 flare from depot to sled".parse().unwrap());
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
    /// Those that led to the latest revisions, without a gap.
    updates: VecDeque<Update>,
    max_updates: usize,
    /// How many operations have been undone.
    undone: u64,
    limits: RequestLimits,
}

impl Server {
    /// The owner of a world, who keeps so many of the latest updates for those who miss some.
    #[must_use]
    pub fn new(world: World, max_updates: usize) -> Server {
        let limits = RequestLimits::default();
        Server { world, departures: Departures::new(), updates: VecDeque::new(), max_updates, undone: 0, limits }
    }

    /// The same with other limits of what a request may ask for.
    #[must_use]
    pub fn with_limits(self, limits: RequestLimits) -> Server {
        Server { limits, ..self }
    }

    /// The world as it is.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.world
    }

    /// The documents of what has departed, for those who store them or hand them to other servers.
    #[must_use]
    pub fn departures(&self) -> &Departures {
        &self.departures
    }

    /// Keeps a document of what departed elsewhere, so that it can arrive here.
    pub fn allow_arrival(&mut self, departure: crate::snapshot::Departure) {
        self.departures.keep(departure);
    }

    /// What a client needs that comes new.
    #[must_use]
    pub fn initial_state(&self) -> ToClient {
        ToClient::World(Box::new(Welcome {
            protocol: PROTOCOL,
            ruleset: self.world.rules().fingerprint(),
            undone: self.undone,
            world: self.world.snapshot(),
        }))
    }

    /// Takes a message of a client.
    pub fn receive(&mut self, message: &ToServer) -> Replies {
        match message {
            ToServer::Join { protocol: PROTOCOL } => Replies { to_all: None, to_sender: vec![self.initial_state()] },
            ToServer::Join { protocol } => {
                let message =
                    format!("the client speaks version {protocol} of the protocol, the server version {PROTOCOL}");
                Replies { to_all: None, to_sender: vec![ToClient::Rejected { message }] }
            }
            ToServer::Request(request) => self.answer(request),
            ToServer::Missed { since, undone } => Replies { to_all: None, to_sender: self.since(*since, *undone) },
        }
    }

    /// Performs an operation of the game's own.
    ///
    /// # Errors
    /// The reason why the rules say no. The world is then as it was.
    pub fn perform(&mut self, operation: &Operation) -> Result<(Outcome, Replies), Refusal> {
        let outcome = self.world.perform(operation)?;
        Ok((outcome, Replies { to_all: self.publish(), to_sender: Vec::new() }))
    }

    /// Undoes the latest operation, be it one of a client, if the world keeps it ([`World::set_undo_limit`]). What is for all is the
    /// whole world as it was before.
    ///
    /// # Errors
    /// [`Cause::Stale`](crate::Cause::Stale) if it is not kept.
    pub fn undo(&mut self) -> Result<Replies, Refusal> {
        self.world.undo(self.world.revision())?;
        self.updates.pop_back();
        self.undone += 1;
        Ok(Replies { to_all: Some(self.initial_state()), to_sender: Vec::new() })
    }

    /// Goes over to an edited ruleset, as [`World::reload`] does. Clients need the ruleset too, see
    /// [`Client::use_rules`](super::Client::use_rules); what is for all is the whole world.
    ///
    /// # Errors
    /// If the world can't go over to it. It is then as it was.
    pub fn reload(&mut self, rules: &Arc<Ruleset>) -> Result<(Vec<Difference>, Replies), MigrationError> {
        let differences = self.world.reload(rules)?;
        self.updates.clear();
        Ok((differences, Replies { to_all: Some(self.initial_state()), to_sender: Vec::new() }))
    }

    fn answer(&mut self, request: &Request) -> Replies {
        let before = self.world.revision();
        let answer = self.world.request_within(request, &self.departures, self.limits);
        let to_all = if self.world.revision() > before { self.publish() } else { None };
        Replies { to_all, to_sender: vec![ToClient::Answer { undone: self.undone, id: request.id.clone(), answer }] }
    }

    /// Keeps what the latest operation changed.
    fn publish(&mut self) -> Option<ToClient> {
        self.departures.extend(self.world.departed().iter().cloned());
        let update = self.world.update()?;
        self.updates.push_back(update.clone());
        if self.updates.len() > self.max_updates {
            self.updates.pop_front();
        }
        Some(ToClient::Update { undone: self.undone, update })
    }

    /// What came after a revision: the updates, or the whole world where they are not all kept.
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
