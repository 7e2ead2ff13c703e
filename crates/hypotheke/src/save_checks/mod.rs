//! Whether saves keep what they should: in both forms, through every crash, with two servers, and under mended rules.
//!
//! | check | what is shown |
//! | --- | --- |
//! | [`every_step`] | after every step of every scenario, what is saved is read back as the same world |
//! | [`every_stop`] | wherever the writer of a [`FolderStore`](crate::store::FolderStore) is stopped, and whatever of it a failing file system loses, the save before or the save after is there, whole |
//! | [`hopping`] | a player who hops between two servers before the first has saved loses nothing and doubles nothing, in every order within bounds |
//! | [`under_mended_rules`] | every one of those saves goes over to another ruleset and loses no item |
//! | [`promises`] | another store gives what [`Store`](crate::store::Store) promises |
//!
//! Each gives numbers of what it has seen, and the first [`Breach`] with the way to it.

mod exchange;
mod hopping;
mod mended;
mod promises;
mod steps;
mod stops;

pub use hopping::{HandoverBounds, HandoverReport, HandoverUnavailable, hopping};
pub use mended::{Mended, under_mended_rules};
pub use promises::{promises, races};
pub use steps::{Kept, SavedStep, Steps, every_step, every_step_through, for_each_step};
pub use stops::{Stops, every_stop, every_stop_on};

/// What is not as it should be, and the way to it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Breach {
    /// What led to it, in order.
    pub trail: Vec<String>,
    /// What was found.
    pub found: String,
}
