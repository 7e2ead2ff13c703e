//! One who holds a copy of the world, and acts ahead.

use std::collections::VecDeque;
use std::sync::Arc;

use super::following::FollowError;
use super::message::{ToClient, ToServer};
use super::request::{Answer, Request, RequestId, RequestIdError};
use super::update::Update;
use crate::language::NamedOperation;
use crate::ruleset::Ruleset;
use crate::snapshot::{Snapshot, SnapshotError};
use crate::world::World;

/// Why a client can't take what it was given.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ClientError {
    /// Its name makes no ids of requests.
    #[error("the name of a client: {0}")]
    Name(#[from] RequestIdError),
    /// A world that can't be.
    #[error(transparent)]
    Snapshot(#[from] SnapshotError),
    /// An update that can't be followed. Ask for the whole world, with [`ToServer::Join`].
    #[error(transparent)]
    Follow(#[from] FollowError),
}

/// What came of a message.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
#[must_use = "what is to be sent must be sent"]
pub struct Received {
    /// To be sent to the server.
    pub send: Vec<ToServer>,
    /// What requests came to that were open until now. What was done ahead for one that is refused has been taken back.
    pub answers: Vec<(RequestId, Answer)>,
}

/// A client of a [`Server`](super::Server): a copy of its world, on which what the client asks for is done at once, and taken
/// back if the server says no.
///
/// Messages may be lost, doubled or late. What is lost is asked for again: [`Client::receive`] says when an update is
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
    ahead: u32,
    open: VecDeque<Request>,
}

impl Client {
    /// A client with a name that no other has, not even this one before, with the world that the server's welcome tells
    /// of.
    ///
    /// # Errors
    /// If no such world can be, or the name is too long or has control characters.
    pub fn new(name: &str, rules: &Arc<Ruleset>, snapshot: &Snapshot) -> Result<Client, ClientError> {
        format!("{name}/{}", u64::MAX).parse::<RequestId>()?;
        let mut copy = World::from_snapshot(rules, snapshot)?;
        copy.keep_history(usize::MAX);
        Ok(Client { name: name.to_owned(), next: 0, rules: Arc::clone(rules), copy, ahead: 0, open: VecDeque::new() })
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
    pub fn unanswered(&self) -> usize {
        self.open.len()
    }

    /// Asks for an operation: does it ahead, if the copy lets it, and gives what is to be sent.
    #[must_use = "what is not sent is not done"]
    pub fn act(&mut self, operation: NamedOperation) -> ToServer {
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
            ToClient::Update(update) => self.update(update),
            ToClient::Answer { id, answer } => Ok(self.answer(id.as_ref(), answer)),
            ToClient::World(snapshot) => self.replace(snapshot),
        }
    }

    fn do_ahead(&mut self, request: &Request) {
        let operation = request.operation.resolve(&self.copy);
        if operation.is_ok_and(|operation| self.copy.perform(&operation).is_ok()) {
            self.ahead += 1;
        }
    }

    fn take_back_all(&mut self) {
        while self.ahead > 0 {
            // Nothing else is kept than what was done ahead.
            let _ = self.copy.take_back(self.copy.revision());
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
            received.send.push(ToServer::Missed { since: self.confirmed() });
            return Ok(received);
        }
        self.take_back_all();
        let followed = self.copy.follow(update);
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

    fn answer(&mut self, id: Option<&RequestId>, answer: &Answer) -> Received {
        let mut received = Received::default();
        if answer.outcome().is_some_and(|outcome| outcome.revision() > self.confirmed()) {
            // The update that tells what it changed is on its way, or lost.
            received.send.push(ToServer::Missed { since: self.confirmed() });
            return received;
        }
        let Some(id) = id else { return received };
        self.take_back_all();
        received.answers.extend(self.close(id).map(|id| (id, answer.clone())));
        self.do_all_ahead();
        received
    }

    /// Goes on with the whole world that the server has told, unless that is older than the copy.
    fn replace(&mut self, snapshot: &Snapshot) -> Result<Received, ClientError> {
        let mut received = Received::default();
        if snapshot.revision < self.confirmed() {
            return Ok(received);
        }
        let mut copy = World::from_snapshot(&self.rules, snapshot)?;
        copy.keep_history(usize::MAX);
        (self.copy, self.ahead) = (copy, 0);
        for answered in &snapshot.requests {
            let answer = Answer::Applied { outcome: answered.outcome, repeated: true };
            received.answers.extend(self.close(&answered.id).map(|id| (id, answer)));
        }
        self.do_all_ahead();
        Ok(received)
    }
}
