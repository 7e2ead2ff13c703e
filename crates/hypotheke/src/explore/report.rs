//! What an exploration found.

use std::collections::BTreeMap;

use crate::audit::Violation;
use crate::explore::model::claims::Claim;
use crate::explore::model::tried::{NotTried, VerbUse};
use crate::ops::Reason;
use crate::world::World;

/// What was found, and what was covered.
#[derive(Clone, Debug)]
pub struct ExplorationReport {
    /// For each claim, in the order in which they are written.
    pub verdicts: Vec<Verdict>,
    /// A world that breaks a law, and how it is reached. No rules bring that about: it is a fault of the program.
    pub unlawful: Option<(Trail, Vec<Violation>)>,
    /// How many worlds were seen, the start among them.
    pub worlds: u64,
    /// How many operations were applied.
    pub applied: u64,
    /// How many were refused, and why.
    pub refused: BTreeMap<Reason, u64>,
    /// How many worlds so many operations from the start; the start alone is the first.
    pub by_depth: Vec<u64>,
    /// What became of the operations of each verb in the scope.
    pub verbs: Vec<VerbUse>,
    /// What the scope leaves out: no verdict says anything of it.
    pub not_tried: Vec<NotTried>,
    /// The containers of the scope that never contained anything.
    pub never_entered: Vec<String>,
    /// What stopped the search before it was at its end.
    pub stopped_by: Option<Bound>,
    /// Whether every world was seen that can be reached. Where every claim was decided before, the search ends without.
    pub exhausted: bool,
    /// How many walks there were; none if it was a search.
    pub walks: Option<u64>,
    /// What the worlds took of memory, in bytes.
    pub memory: u64,
    /// How much of it was for what is recoverable: which worlds each leads to.
    pub memory_of_ways: u64,
    /// How many containers, the ground among them, have slots that nothing can tell apart.
    pub symmetric: usize,
}

/// What became of a claim.
#[derive(Clone, Debug)]
pub struct Verdict {
    /// The claim.
    pub claim: Claim,
    /// What became of it.
    pub status: Status,
    /// What the claim speaks of and what never occurred. If there is any, the claim holds vacuously, whatever the rules are.
    pub vacuous: Vec<String>,
}

impl Verdict {
    pub(super) fn new(claim: Claim, status: Status, why_vacuous: impl FnOnce() -> Vec<String>) -> Verdict {
        let holds = matches!(status, Status::Holds | Status::NoViolationFound);
        Verdict { vacuous: if holds { why_vacuous() } else { Vec::new() }, claim, status }
    }
}

/// What became of a claim.
#[derive(Clone, Debug)]
pub enum Status {
    /// It holds of every world that can be reached.
    Holds,
    /// It holds of every world that was seen; there are others.
    NoViolationFound,
    /// It does not hold: a shortest trail to where it breaks.
    Broken(Trail),
    /// It is possible: a shortest trail to where it is so.
    Reached(Trail),
    /// No world is so.
    Impossible,
    /// No world that was seen is so, or the way back was not searched to its end.
    Undecided,
}

impl Status {
    /// Whether a verification fails by it.
    #[must_use]
    pub fn is_failure(&self) -> bool {
        matches!(self, Status::Broken(_) | Status::Impossible)
    }

    /// Whether more would have to be seen to tell.
    #[must_use]
    pub fn is_open(&self) -> bool {
        matches!(self, Status::NoViolationFound | Status::Undecided)
    }
}

/// Operations that lead from the start to a world.
#[derive(Clone, Debug)]
pub struct Trail {
    /// As a scenario writes them.
    pub steps: Vec<String>,
    /// What is so at its end.
    pub message: String,
    /// Why the last step was applied: what was asked where something went, and what was found.
    pub why: Vec<String>,
    /// In which walk it was found, if it was one.
    pub walk: Option<u64>,
    /// What has to lie where at the start, in the lines of a scenario: the same steps lead to the same if nothing else lies there. None where
    /// that is not known, as for what is recoverable or where nothing is broken.
    pub start: Option<Vec<String>>,
    /// The world before the last step.
    pub before: Box<World>,
    /// The world at its end.
    pub after: Box<World>,
}

/// What stops a search.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bound {
    /// So many operations from the start.
    Depth(u32),
    /// So many worlds.
    Worlds(u64),
    /// So many bytes.
    Memory(u64),
    /// So many seconds.
    Time(u64),
    /// Somebody has interrupted it.
    Interrupt,
}
