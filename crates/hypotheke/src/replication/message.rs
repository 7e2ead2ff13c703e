//! The messages between a server and its clients.

use serde::{Deserialize, Serialize};

use super::RequestId;
use super::offers::Offer;
use super::request::{Answer, Request, as_sentence, from_sentence};
use super::update::Update;
use crate::language::NamedOperation;
use crate::snapshot::Snapshot;

/// The version of the protocol. A server rejects clients with a different version.
pub const PROTOCOL: u32 = 1;

/// From a client to the server.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum ToServer {
    /// The client requests the whole world.
    Join {
        /// The protocol version of the client, [`PROTOCOL`].
        protocol: u32,
    },
    /// The client sends an operation.
    Request(Box<Request>),
    /// The client has missed the updates after a revision.
    Resync {
        /// The revision of its copy.
        since: u64,
        /// The known number of undone operations of the server.
        undone: u64,
    },
    /// The holder of the connection offers a trade to the other holder in it.
    Offer {
        /// The trade.
        #[serde(serialize_with = "as_sentence", deserialize_with = "from_sentence")]
        trade: Box<NamedOperation>,
    },
    /// The holder of the connection accepts an offer.
    Accept {
        /// Its number.
        offer: u64,
    },
    /// The holder of the connection withdraws or declines an offer.
    Withdraw {
        /// Its number.
        offer: u64,
    },
}

/// From the server to a client.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum ToClient {
    /// The result of a request, for its sender.
    Answer {
        /// The number of undone operations of the server at that time.
        undone: u64,
        /// The id of the request.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        id: Option<RequestId>,
        /// The result.
        answer: Answer,
    },
    /// The changes of an operation, for all clients.
    Update {
        /// The number of undone operations of the server at that time.
        undone: u64,
        /// The changes.
        update: Update,
    },
    /// The whole world, for a client that is new or has missed too much, and for all clients after
    /// an undo.
    World(Box<InitialState>),
    /// All open offers, for all clients.
    Offers {
        /// In the order in which they were made.
        offers: Vec<Offer>,
    },
    /// The server rejects the client.
    Rejected {
        /// The reason.
        message: String,
    },
}

/// The whole world, and what a client needs to know.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct InitialState {
    /// The version of the protocol.
    pub protocol: u32,
    /// The fingerprint of the ruleset, [`Ruleset::fingerprint`](crate::Ruleset::fingerprint).
    pub ruleset: String,
    /// The number of undone operations of the server. A copy with fewer continues from here,
    /// whatever its revision.
    pub undone: u64,
    /// The world.
    pub world: Snapshot,
}
