//! Exploration: whatever can be played, in every order, until something breaks that must hold.
//!
//! [`ClaimsFile`] says what must hold and what is played. [`Exploration::search`] goes through every world that can be reached, the
//! nearest first, so that what it finds is reached by a shortest trail. It says what it covered, and whether that was all.
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
//! let Status::Broken(trail) = &found.verdicts[0].status else { panic!("two flares fit on the sled") };
//! assert_eq!(trail.steps, ["move 2 flare from depot/0 to sled/0"]);
//! # Ok::<(), hypotheke::RulesetErrors>(())
//! ```

mod against;
mod breadth;
mod canonical;
mod claims;
mod draw;
mod even;
mod expand;
mod faults;
mod file;
mod foresight;
mod load;
mod moves;
mod needed;
mod packed;
mod playing;
mod report;
mod scope;
mod search;
mod sentence;
mod several;
mod shorten;
mod shrink;
mod space;
mod step;
mod store;
mod symmetry;
mod table;
#[cfg(test)]
mod tests;
mod tried;
mod vacuity;
mod walk;
mod why;

pub use crate::language::{Effects, SlotOrder, Verb};
pub use against::{Compared, Differs, Mismatch};
pub use canonical::Canonical;
pub use claims::{Claim, ClaimKind};
pub use file::ClaimsFile;
pub use report::{Bound, Explored, Status, Trail, Verdict};
pub use search::{Bounds, Exploration, Progress};
pub use several::{Interleaved, Served, Several, Tangle};
pub use space::StateSpace;
pub use tried::{NotTried, VerbUse};
pub use walk::Walks;
