//! Tests that saves lose nothing: in both forms, through every crash, with two servers, and under
//! new rules.
//!
//! | check | what is shown |
//! | --- | --- |
//! | [`check_round_trips`] | after every step of every scenario, what is saved is read back as the same world |
//! | [`check_crashes`] | after every crash of the writer of a [`FolderStore`](crate::store::FolderStore), and any loss of unsynced changes, the disk has the previous save or the new one, complete |
//! | [`check_handover`] | a player who hops between two servers before the first has saved loses nothing and doubles nothing, in every order within bounds |
//! | [`check_migration`] | every one of those saves migrates to a different ruleset and loses no item |
//! | [`check_store_contract`] | another store gives what [`Store`](crate::store::Store) promises |
//!
//! Each gives numbers of what it has seen, and the first [`CheckFailure`] with the way to it.

mod contract;
mod crashes;
mod handover;
mod item_moves;
mod migration;
mod round_trips;

pub use contract::{check_store_contract, check_store_races};
pub use crashes::{CrashReport, check_crashes, check_crashes_on};
pub use handover::{HandoverBounds, HandoverReport, HandoverUnavailable, check_handover};
pub use migration::{MigrationReport, check_migration};
pub use round_trips::{
    RoundTripReport, SavedStep, StoredSaves, check_round_trips, check_round_trips_through, for_each_step,
};

/// What is not as it should be, and the way to it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct CheckFailure {
    /// What led to it, in order.
    pub trace: Vec<String>,
    /// What was found.
    pub found: String,
}
