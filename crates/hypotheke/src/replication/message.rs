//! What a server and its clients say to each other.

use serde::{Deserialize, Serialize};

use super::RequestId;
use super::request::{Answer, Request};
use super::update::Update;
use crate::snapshot::Snapshot;

/// The version of what is said here. A server turns away whoever speaks another one.
pub const PROTOCOL: u32 = 1;

/// From a client to the server.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum ToServer {
    /// The client needs the whole world.
    Join {
        /// The version that the client speaks, [`PROTOCOL`].
        protocol: u32,
    },
    /// An operation that the client asks for.
    Request(Box<Request>),
    /// The client has missed what came after a revision.
    Missed {
        /// The revision on which its copy stands.
        since: u64,
        /// How many operations the server has undone, as far as the client knows.
        undone: u64,
    },
}

/// From the server to a client.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum ToClient {
    /// What a request came to; for the one who sent it.
    Answer {
        /// How many operations the server had undone by then.
        undone: u64,
        /// The id of the request.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        id: Option<RequestId>,
        /// What it came to.
        answer: Answer,
    },
    /// What an operation changed; for all.
    Update {
        /// How many operations the server had undone by then.
        undone: u64,
        /// What it changed.
        update: Update,
    },
    /// The whole world, for one who comes new or has missed too much; for all where an operation was undone.
    World(Box<Welcome>),
    /// The client can't take part.
    Rejected {
        /// Why not.
        message: String,
    },
}

/// The whole world, and what a client has to know to follow it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Welcome {
    /// The version of what is said.
    pub protocol: u32,
    /// The fingerprint of the ruleset by which the world is played, [`Ruleset::fingerprint`](crate::Ruleset::fingerprint).
    pub ruleset: String,
    /// How many operations the server has undone: a copy with fewer goes on from here, whatever its revision.
    pub undone: u64,
    /// The world.
    pub world: Snapshot,
}
