//! One who holds a copy of the world, and acts ahead.

use std::collections::VecDeque;
use std::sync::Arc;

use super::following::UpdateError;
use super::message::{PROTOCOL, ToClient, ToServer, Welcome};
use super::request::{Answer, Request};
use super::update::Update;
use super::{RequestId, RequestIdError};
use crate::language::NamedOperation;
use crate::ruleset::Ruleset;
use crate::snapshot::SnapshotError;
use crate::world::World;

/// Why a client can't take what it was given.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ClientError {
    /// Its name makes no ids of requests.
    #[error("the name of a client: {0}")]
    Name(#[from] RequestIdError),
    /// The server speaks another version of the protocol.
    #[error("the server speaks version {0} of the protocol, the client version {PROTOCOL}")]
    Protocol(u32),
    /// The server plays by another ruleset: take that, with [`Client::use_rules`], and join again.
    #[error("the server has a ruleset with the fingerprint {server}, the client one with {client}")]
    OtherRules {
        /// The fingerprint of the server's ruleset.
        server: String,
        /// The fingerprint of the client's.
        client: String,
    },
    /// The server has turned the client away.
    #[error("the server rejects the client: {0}")]
    Rejected(String),
    /// A world that can't be.
    #[error(transparent)]
    Snapshot(#[from] SnapshotError),
    /// An update that can't be followed. Ask for the whole world, with [`Client::join`].
    #[error(transparent)]
    Follow(#[from] UpdateError),
}

/// What came of a message.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[must_use = "send these messages"]
pub struct Received {
    /// To be sent to the server.
    pub send: Vec<ToServer>,
    /// What requests came to that were open until now. What was done ahead for one that is refused has been taken back.
    pub answers: Vec<(RequestId, Answer)>,
}

/// A client of a [`Server`](super::Server): a copy of its world, on which what the client asks for is done at once, and taken
/// back if the server says no.
///
/// Messages may be lost, doubled or late. What is lost is requested again: [`Client::receive`] says when an update is
/// missing, [`Client::resend`] gives all requests that are open. Send them again after a while; the server does not apply
/// one twice, as long as it is in its request window.
#[derive(Clone, Debug)]
pub struct Client {
    name: String,
    next: u64,
    /// Of the next whole world that comes.
    rules: Arc<Ruleset>,
    /// As far as the server has told, and what is done ahead.
    copy: World,
    /// How many operations the server has undone, as far as it has told.
    undone: u64,
    ahead: u32,
    open: VecDeque<Request>,
}

impl Client {
    /// A client with a name that no other has, not even this one before, with the world that the server's welcome tells
    /// of.
    ///
    /// # Errors
    /// If the server speaks another protocol or plays by other rules, if no such world can be, or if the name is too long or has
    /// control characters.
    pub fn new(name: &str, rules: &Arc<Ruleset>, welcome: &Welcome) -> Result<Client, ClientError> {
        format!("{name}/{}", u64::MAX).parse::<RequestId>()?;
        let (copy, rules) = (copy_of(rules, welcome)?, Arc::clone(rules));
        let (name, open) = (name.to_owned(), VecDeque::new());
        Ok(Client { name, next: 0, rules, copy, undone: welcome.undone, ahead: 0, open })
    }

    /// What asks the server for the whole world.
    #[must_use = "send this message to the server"]
    pub fn join() -> ToServer {
        ToServer::Join { protocol: PROTOCOL }
    }

    /// What asks the server for all that the client may have missed. Send it after a while in which nothing came.
    #[must_use = "send this message to the server"]
    pub fn catch_up(&self) -> ToServer {
        ToServer::Missed { since: self.confirmed(), undone: self.undone }
    }

    /// The server is about to go over to an edited ruleset, or has done so: the next whole world that comes is one of that.
    pub fn use_rules(&mut self, rules: &Arc<Ruleset>) {
        self.rules = Arc::clone(rules);
    }

    /// The copy, with what is done ahead.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.copy
    }

    /// The revision up to which the server has told.
    #[must_use]
    pub fn confirmed(&self) -> u64 {
        self.copy.revision() - u64::from(self.ahead)
    }

    /// How many requests are open.
    #[must_use]
    pub fn pending(&self) -> usize {
        self.open.len()
    }

    /// Asks for an operation: does it ahead, if the copy lets it, and gives what is to be sent.
    #[must_use = "send this message to the server"]
    pub fn predict(&mut self, operation: NamedOperation) -> ToServer {
        let id = format!("{}/{}", self.name, self.next).parse().ok();
        self.next += 1;
        let request = Request { id, expects: None, operation };
        self.do_ahead(&request);
        self.open.push_back(request.clone());
        ToServer::Request(Box::new(request))
    }

    /// All requests that are open, to be sent again.
    #[must_use]
    pub fn resend(&self) -> Vec<ToServer> {
        self.open.iter().cloned().map(Box::new).map(ToServer::Request).collect()
    }

    /// Takes a message of the server.
    ///
    /// # Errors
    /// If it tells of what can't be. The copy is then as it was.
    pub fn receive(&mut self, message: &ToClient) -> Result<Received, ClientError> {
        match message {
            ToClient::Update { undone, .. } | ToClient::Answer { undone, .. } if *undone > self.undone => {
                Ok(self.resync())
            }
            // Of a time that the server has taken back.
            ToClient::Update { undone, .. } if *undone < self.undone => Ok(Received::default()),
            ToClient::Update { update, .. } => self.update(update),
            ToClient::Answer { undone, id, answer } => Ok(self.answer(*undone, id.as_ref(), answer)),
            ToClient::World(welcome) => self.replace(welcome),
            ToClient::Rejected { message } => Err(ClientError::Rejected(message.clone())),
        }
    }

    fn do_ahead(&mut self, request: &Request) {
        let operation = request.operation.resolve(&self.copy);
        if operation.is_ok_and(|operation| self.copy.perform(&operation).is_ok()) {
            self.ahead += 1;
        }
    }

    fn undo_all(&mut self) {
        while self.ahead > 0 {
            // Nothing else is kept than what was done ahead.
            let _ = self.copy.undo(self.copy.revision());
            self.ahead -= 1;
        }
    }

    fn do_all_ahead(&mut self) {
        for request in self.open.clone() {
            self.do_ahead(&request);
        }
    }

    fn update(&mut self, update: &Update) -> Result<Received, ClientError> {
        let mut received = Received::default();
        if update.revision <= self.confirmed() {
            return Ok(received);
        }
        if update.revision > self.confirmed() + 1 {
            return Ok(self.resync());
        }
        self.undo_all();
        let followed = self.copy.apply_update(update);
        if followed.is_ok()
            && let Some(answered) = &update.answered
        {
            let answer = Answer::Applied { outcome: answered.outcome, repeated: false };
            received.answers.extend(self.close(&answered.id).map(|id| (id, answer)));
        }
        self.do_all_ahead();
        followed?;
        Ok(received)
    }

    /// A request is not open any more.
    fn close(&mut self, id: &RequestId) -> Option<RequestId> {
        let at = self.open.iter().position(|request| request.id.as_ref() == Some(id))?;
        self.open.remove(at)?.id
    }

    fn resync(&self) -> Received {
        Received { send: vec![self.catch_up()], answers: Vec::new() }
    }

    fn answer(&mut self, undone: u64, id: Option<&RequestId>, answer: &Answer) -> Received {
        let mut received = Received::default();
        let is_ahead = answer.outcome().is_some_and(|outcome| outcome.revision() > self.confirmed());
        if is_ahead && undone == self.undone {
            // The update that tells what it changed is on its way, or lost.
            return self.resync();
        }
        let Some(id) = id else { return received };
        self.undo_all();
        received.answers.extend(self.close(id).map(|id| (id, answer.clone())));
        self.do_all_ahead();
        received
    }

    /// Goes on with the whole world that the server has told, unless that is older than the copy.
    fn replace(&mut self, welcome: &Welcome) -> Result<Received, ClientError> {
        let mut received = Received::default();
        if (welcome.undone, welcome.world.revision) < (self.undone, self.confirmed()) {
            return Ok(received);
        }
        (self.copy, self.undone, self.ahead) = (copy_of(&self.rules, welcome)?, welcome.undone, 0);
        for answered in &welcome.world.requests {
            let answer = Answer::Applied { outcome: answered.outcome, repeated: true };
            received.answers.extend(self.close(&answered.id).map(|id| (id, answer)));
        }
        self.do_all_ahead();
        Ok(received)
    }
}

fn copy_of(rules: &Arc<Ruleset>, welcome: &Welcome) -> Result<World, ClientError> {
    if welcome.protocol != PROTOCOL {
        return Err(ClientError::Protocol(welcome.protocol));
    }
    if welcome.ruleset != rules.fingerprint() {
        return Err(ClientError::OtherRules { server: welcome.ruleset.clone(), client: rules.fingerprint() });
    }
    let mut copy = World::from_snapshot(rules, &welcome.world)?;
    copy.set_undo_limit(usize::MAX);
    Ok(copy)
}
