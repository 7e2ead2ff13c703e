//! What the figures in `docs/internals/performance.md` compare with, and how they are taken.

pub mod checked;
pub mod hostile;
mod pairs;
pub mod plain;
pub mod table;
pub mod workload;

pub use pairs::{Pairs, interleaved, rate, timed, timed_runs};
