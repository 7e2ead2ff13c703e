//! A world of which several programs hold copies: requests with ids, updates that copies follow, a server and its clients.
//!
//! Nothing here reads or writes a network. A [`Server`] owns a [`World`](crate::World), takes messages and gives messages; a
//! [`Client`] holds a copy, does ahead what it asks for, and follows what the server says. Messages are plain data for
//! `serde`: send them as JSON, or in whatever form suits.
//!
//! ```text
//! client                                server
//!   act ── ToServer::Request ──▶ World::request ─┐
//!   receive ◀── ToClient::Answer ────────────────┤ applied: World::update
//!   receive ◀── ToClient::Update ── to all ──────┘
//!   receive ── ToServer::Missed ──▶ the updates that are kept, or the whole world
//! ```
//!
//! Each part stands by itself: [`World::request`](crate::World::request) knows a request again by its id,
//! [`World::update`](crate::World::update) says what an operation changed, [`World::follow`](crate::World::follow) carries
//! that out on a copy.

mod client;
mod following;
mod message;
mod request;
mod server;
mod update;
mod writing;

pub use client::{Client, ClientError, Received};
pub use following::UpdateError;
pub use message::{PROTOCOL, ToClient, ToServer, Welcome};
pub(crate) use request::Taken;
pub use request::{Answer, Request, RequestLimits};
pub use server::{Replies, Server};
pub use update::{At, Change, Look, Update};

pub use crate::snapshot::{Answered, RequestId, RequestIdError};
