//! Replication: requests with ids, updates for copies of a world, a server and its clients.
//!
//! Nothing here reads or writes a network. A [`Server`] owns a [`World`](crate::World) and
//! exchanges messages. A [`Client`] has a copy, predicts its own operations, and follows the
//! server. Messages are plain data for `serde`: send them as JSON or in any other form.
//!
//! ```text
//! client                                server
//!   predict ── ToServer::Request ──▶ World::request ─┐
//!   receive ◀── ToClient::Answer ────────────────────┤ applied: World::update
//!   receive ◀── ToClient::Update ── to all ──────────┘
//!   receive ── ToServer::Resync ──▶ the missed updates, or the whole world
//! ```
//!
//! Each part can be used alone: [`World::request`](crate::World::request) recognises a repeated
//! request by its id, [`World::update`](crate::World::update) returns the changes of an operation,
//! and [`World::apply_update`](crate::World::apply_update) applies them to a copy.

mod client;
mod following;
mod message;
mod offers;
mod request;
mod server;
mod update;
mod writing;

pub use client::{Client, ClientError, Received};
pub use following::UpdateError;
pub use message::{InitialState, PROTOCOL, ToClient, ToServer};
pub use offers::Offer;
pub(crate) use request::Taken;
pub use request::{Answer, Request, RequestLimits};
pub use server::{Replies, Server};
pub use update::{At, Change, Look, Update};

pub use crate::snapshot::{Answered, RequestId, RequestIdError};
