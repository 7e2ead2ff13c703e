//! Exploration: tries every operation in every order until a claim or a law is violated.
//!
//! [`ClaimsFile`] has the claims and the scope. [`Exploration::search`] visits every reachable
//! state, the nearest first, so every trace is a shortest one. The report says what was covered,
//! and whether that was everything.
//!
//! ```
//! use hypotheke::Ruleset;
//! use hypotheke::explore::{ClaimsFile, Exploration, Status};
//! use hypotheke::text::Source;
//!
//! let rules = Ruleset::builder()
//!     .kind("flare", |kind| kind.stack_limit(2))
//!     .container("depot", |depot| depot.slots(2))
//!     .container("sled", |sled| sled.slots(1))
//!     .start("depot", ["2 flare"])
//!     .build()?
//!     .into();
//! let claims = ClaimsFile::parse(Source::new("a.claims", "always\n  count of flare in sled <= 1\n")).unwrap();
//! let found = Exploration::new(&rules, &claims).unwrap().search();
//! let Status::Violated(trace) = &found.verdicts[0].status else { panic!("two flares fit on the sled") };
//! assert_eq!(trace.steps, ["move 2 flare from depot/0 to sled/0"]);
//! # Ok::<(), hypotheke::RulesetErrors>(())
//! ```

mod concurrent;
mod differential;
mod minimize;
mod model;
mod report;
mod search;
mod state;
#[cfg(test)]
mod tests;
mod walks;

pub use crate::language::{Effects, SlotOrder, Verb};
pub use concurrent::{ConcurrencyBounds, InterleavingFailure, InterleavingReport, ServerUnderTest};
pub use differential::{ComparisonReport, Mismatch, MismatchKind};
pub use model::claims::{Claim, ClaimKind};
pub use model::file::ClaimsFile;
pub use model::tried::{NotSearched, VerbUse};
pub use report::{Bound, ExplorationReport, Status, Trace, Verdict};
pub use search::exploration::{Bounds, Exploration, Progress};
pub use search::space::StateSpace;
pub use state::canonical::Canonical;
pub use walks::walk::Walks;
