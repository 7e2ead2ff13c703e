//! The report of a search or of random walks.

use std::collections::BTreeMap;

use crate::audit::Violation;
use crate::explore::model::claims::Claim;
use crate::explore::model::tried::{NotSearched, VerbUse};
use crate::ops::Reason;
use crate::world::World;

/// The result and the coverage of a search or of random walks.
#[derive(Clone, Debug)]
pub struct ExplorationReport {
    /// The verdict of each claim, in the order of the file.
    pub verdicts: Vec<Verdict>,
    /// A trace to a state that violates a law. No ruleset allows that: it is a defect of the
    /// library.
    pub law_violation: Option<(Trace, Vec<Violation>)>,
    /// The number of states that were seen, including the start.
    pub states: u64,
    /// The number of operations that were applied.
    pub applied: u64,
    /// The number of operations that were refused, by reason.
    pub refused: BTreeMap<Reason, u64>,
    /// The number of states at each distance from the start. The first entry is the start itself.
    pub by_depth: Vec<u64>,
    /// The results of the operations in the scope, by verb.
    pub verbs: Vec<VerbUse>,
    /// The parts that the scope leaves out. No verdict covers them.
    pub not_searched: Vec<NotSearched>,
    /// The containers of the scope that were always empty.
    pub never_entered: Vec<String>,
    /// The bound that stopped the search early.
    pub stopped_by: Option<Bound>,
    /// Whether every reachable state was seen. A search also ends when all claims are decided.
    pub complete: bool,
    /// The number of completed walks; `None` for a search.
    pub walks: Option<u64>,
    /// The memory for the states, in bytes.
    pub memory_bytes: u64,
    /// The part of it for the edges between states, which `recoverable` claims require.
    pub edge_memory_bytes: u64,
    /// The number of containers with interchangeable slots. The ground may be one of them.
    pub symmetric: usize,
}

/// A claim and its verdict.
#[derive(Clone, Debug)]
pub struct Verdict {
    /// The claim.
    pub claim: Claim,
    /// Its verdict.
    pub status: Status,
    /// The parts of the claim that never occurred. If there are any, the claim holds vacuously.
    pub vacuous: Vec<String>,
}

impl Verdict {
    pub(super) fn new(claim: Claim, status: Status, why_vacuous: impl FnOnce() -> Vec<String>) -> Verdict {
        let holds = matches!(status, Status::Holds | Status::NoViolationFound);
        Verdict { vacuous: if holds { why_vacuous() } else { Vec::new() }, claim, status }
    }
}

/// The verdict of a claim.
#[derive(Clone, Debug)]
pub enum Status {
    /// The claim holds in every reachable state of the scope.
    Holds,
    /// The claim holds in every state that was seen, but not all states were seen.
    NoViolationFound,
    /// The claim is violated. The trace is a shortest counterexample.
    Violated(Trace),
    /// A state with the property is reachable. The trace is a shortest one.
    Reachable(Trace),
    /// No state of the scope has the property.
    Unreachable,
    /// No state that was seen has the property, or not every return path was searched.
    Inconclusive,
}

impl Status {
    /// Whether the verification fails.
    #[must_use]
    pub fn is_failure(&self) -> bool {
        matches!(self, Status::Violated(_) | Status::Unreachable)
    }

    /// Whether a longer search could change it.
    #[must_use]
    pub fn is_open(&self) -> bool {
        matches!(self, Status::NoViolationFound | Status::Inconclusive)
    }
}

/// The operations that lead from the start to a state.
#[derive(Clone, Debug)]
pub struct Trace {
    /// The operations, as a scenario writes them.
    pub steps: Vec<String>,
    /// The finding at its end.
    pub message: String,
    /// Why the last step was applied: each limit and filter that it passed.
    pub explanation: Vec<String>,
    /// The number of the walk; `None` for a search.
    pub walk: Option<u64>,
    /// The contents that the start needs, in the lines of a scenario: with these alone, the same
    /// steps have the same result. None if they are unknown, as for `recoverable` claims.
    pub start: Option<Vec<String>>,
    /// The world before the last step.
    pub before: Box<World>,
    /// The world at its end.
    pub after: Box<World>,
}

/// A bound that stops a search.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bound {
    /// A number of operations from the start.
    Depth(u32),
    /// A number of states.
    States(u64),
    /// A number of bytes.
    Memory(u64),
    /// A number of seconds.
    Time(u64),
    /// An interrupt.
    Interrupt,
}
