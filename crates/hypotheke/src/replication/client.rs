//! A client with a copy of the world, which predicts its own operations.

use std::collections::VecDeque;
use std::sync::Arc;

use super::following::UpdateError;
use super::message::{InitialState, PROTOCOL, ToClient, ToServer};
use super::offers::Offer;
use super::request::{Answer, Request};
use super::update::Update;
use super::{RequestId, RequestIdError};
use crate::language::NamedOperation;
use crate::ruleset::Ruleset;
use crate::snapshot::SnapshotError;
use crate::world::World;

/// The error of a client.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ClientError {
    /// The name is not valid in request ids.
    #[error("the name of a client: {0}")]
    Name(#[from] RequestIdError),
    /// The server has a different version of the protocol.
    #[error("the server speaks version {0} of the protocol, the client version {PROTOCOL}")]
    Protocol(u32),
    /// The server has a different ruleset. Load it with [`Client::use_rules`], and join again.
    #[error("the server has a ruleset with the fingerprint {server}, the client one with {client}")]
    OtherRules {
        /// The fingerprint of the server's ruleset.
        server: String,
        /// The fingerprint of the client's.
        client: String,
    },
    /// The server rejects the client.
    #[error("the server rejects the client: {0}")]
    Rejected(String),
    /// The world of the server is not valid.
    #[error(transparent)]
    Snapshot(#[from] SnapshotError),
    /// An update cannot be applied. Request the whole world with [`Client::join`].
    #[error(transparent)]
    Follow(#[from] UpdateError),
}

/// The result of a received message.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[must_use = "send these messages"]
pub struct Received {
    /// A message to send to the server.
    pub send: Vec<ToServer>,
    /// The results of pending requests. Predictions that the server refused are rolled back.
    pub answers: Vec<(RequestId, Answer)>,
}

/// A client of a [`Server`](super::Server). It has a copy of the world, predicts its own operations
/// on it, and rolls back what the server refuses.
///
/// Messages may be lost, duplicated or delayed. [`Client::receive`] detects a missing update, and
/// [`Client::resend`] returns all pending requests. Send them again after a while. The server does
/// not apply a request twice while it is in its request window.
#[derive(Clone, Debug)]
pub struct Client {
    name: String,
    next: u64,
    /// The ruleset of the next whole world.
    rules: Arc<Ruleset>,
    /// The confirmed state, and the predictions.
    copy: World,
    /// The known number of undone operations of the server.
    undone: u64,
    ahead: u32,
    open: VecDeque<Request>,
    offers: Vec<Offer>,
}

impl Client {
    /// A client with a unique name, which no earlier client may have had, and the initial state of
    /// the server's world.
    ///
    /// # Errors
    /// The server has a different protocol or ruleset, the world is not valid, or the name is too
    /// long or has control characters.
    pub fn new(name: &str, rules: &Arc<Ruleset>, initial: &InitialState) -> Result<Client, ClientError> {
        format!("{name}/{}", u64::MAX).parse::<RequestId>()?;
        let (copy, rules) = (copy_of(rules, initial)?, Arc::clone(rules));
        let (name, open) = (name.to_owned(), VecDeque::new());
        Ok(Client { name, next: 0, rules, copy, undone: initial.undone, ahead: 0, open, offers: Vec::new() })
    }

    /// The request for the whole world.
    #[must_use = "send this message to the server"]
    pub fn join() -> ToServer {
        ToServer::Join { protocol: PROTOCOL }
    }

    /// The request for everything that the client may have missed. Send it after a silence.
    #[must_use = "send this message to the server"]
    pub fn resync(&self) -> ToServer {
        ToServer::Resync { since: self.confirmed(), undone: self.undone }
    }

    /// Announces an edited ruleset: the next whole world of the server is of this ruleset.
    pub fn use_rules(&mut self, rules: &Arc<Ruleset>) {
        self.rules = Arc::clone(rules);
    }

    /// The copy, with predictions.
    #[must_use]
    pub fn world(&self) -> &World {
        &self.copy
    }

    /// The confirmed revision.
    #[must_use]
    pub fn confirmed(&self) -> u64 {
        self.copy.revision() - u64::from(self.ahead)
    }

    /// The number of pending requests.
    #[must_use]
    pub fn pending(&self) -> usize {
        self.open.len()
    }

    /// Sends an operation: predicts it if the copy allows it, and returns the message.
    #[must_use = "send this message to the server"]
    pub fn predict(&mut self, operation: NamedOperation) -> ToServer {
        let id = format!("{}/{}", self.name, self.next).parse().ok();
        self.next += 1;
        let request = Request { id, expects: None, operation };
        self.do_ahead(&request);
        self.open.push_back(request.clone());
        ToServer::Request(Box::new(request))
    }

    /// The open offers of trades, as the server last listed them.
    #[must_use]
    pub fn offers(&self) -> &[Offer] {
        &self.offers
    }

    /// All pending requests, to be sent again.
    #[must_use]
    pub fn resend(&self) -> Vec<ToServer> {
        self.open.iter().cloned().map(Box::new).map(ToServer::Request).collect()
    }

    /// Handles a message of the server.
    ///
    /// # Errors
    /// The message is not valid. The copy is unchanged.
    pub fn receive(&mut self, message: &ToClient) -> Result<Received, ClientError> {
        match message {
            ToClient::Update { undone, .. } | ToClient::Answer { undone, .. } if *undone > self.undone => {
                Ok(self.request_resync())
            }
            // From before an undo of the server.
            ToClient::Update { undone, .. } if *undone < self.undone => Ok(Received::default()),
            ToClient::Update { update, .. } => self.update(update),
            ToClient::Answer { undone, id, answer } => Ok(self.answer(*undone, id.as_ref(), answer)),
            ToClient::World(initial) => self.replace(initial),
            ToClient::Offers { offers } => {
                self.offers.clone_from(offers);
                Ok(Received::default())
            }
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
            // The history contains only predictions.
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
            return Ok(self.request_resync());
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

    /// Ends a pending request.
    fn close(&mut self, id: &RequestId) -> Option<RequestId> {
        let at = self.open.iter().position(|request| request.id.as_ref() == Some(id))?;
        self.open.remove(at)?.id
    }

    fn request_resync(&self) -> Received {
        Received { send: vec![self.resync()], answers: Vec::new() }
    }

    fn answer(&mut self, undone: u64, id: Option<&RequestId>, answer: &Answer) -> Received {
        let mut received = Received::default();
        let is_ahead = answer.outcome().is_some_and(|outcome| outcome.revision() > self.confirmed());
        if is_ahead && undone == self.undone {
            // The update is on its way or lost.
            return self.request_resync();
        }
        let Some(id) = id else { return received };
        self.undo_all();
        received.answers.extend(self.close(id).map(|id| (id, answer.clone())));
        self.do_all_ahead();
        received
    }

    /// Continues with the whole world of the server, unless the copy is newer.
    fn replace(&mut self, initial: &InitialState) -> Result<Received, ClientError> {
        let mut received = Received::default();
        if (initial.undone, initial.world.revision) < (self.undone, self.confirmed()) {
            return Ok(received);
        }
        (self.copy, self.undone, self.ahead) = (copy_of(&self.rules, initial)?, initial.undone, 0);
        for answered in &initial.world.requests {
            let answer = Answer::Applied { outcome: answered.outcome, repeated: true };
            received.answers.extend(self.close(&answered.id).map(|id| (id, answer)));
        }
        self.do_all_ahead();
        Ok(received)
    }
}

fn copy_of(rules: &Arc<Ruleset>, initial: &InitialState) -> Result<World, ClientError> {
    if initial.protocol != PROTOCOL {
        return Err(ClientError::Protocol(initial.protocol));
    }
    if initial.ruleset != rules.fingerprint() {
        return Err(ClientError::OtherRules { server: initial.ruleset.clone(), client: rules.fingerprint() });
    }
    let mut copy = World::from_snapshot(rules, &initial.world)?;
    copy.set_undo_limit(usize::MAX);
    Ok(copy)
}
