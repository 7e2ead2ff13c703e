//! What a server and its clients say to each other.

use serde::{Deserialize, Serialize};

use super::request::{Answer, Request, RequestId};
use super::update::Update;
use crate::snapshot::Snapshot;

/// From a client to the server.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum ToServer {
    /// The client needs the whole world.
    Join,
    /// An operation that the client asks for.
    Request(Box<Request>),
    /// The client has missed what came after a revision.
    Missed {
        /// The revision on which its copy stands.
        since: u64,
    },
}

/// From the server to a client.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum ToClient {
    /// What a request came to; for the one who sent it.
    Answer {
        /// The id of the request.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        id: Option<RequestId>,
        /// What it came to.
        answer: Answer,
    },
    /// What an operation changed; for all.
    Update(Update),
    /// The whole world, for one who comes new or has missed too much.
    World(Box<Snapshot>),
}
