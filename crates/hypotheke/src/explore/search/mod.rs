//! The search of every state: batches on several threads, the nearest first.

pub(super) mod breadth;
pub(super) mod expand;
pub(super) mod exploration;
pub(super) mod lookahead;
pub(super) mod replay;
pub(super) mod space;
pub(super) mod successors;
