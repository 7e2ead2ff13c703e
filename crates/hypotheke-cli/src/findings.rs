//! The results of commands, before they are drawn or written.

use std::path::PathBuf;

use hypotheke::Difference;
use hypotheke::explore::{Bound, ExplorationReport, InterleavingReport, Status, Walks};
use hypotheke::save::{Save, SaveChanges};
use hypotheke::save_checks::CheckFailure;

/// A claims file and its results.
pub(crate) struct Searched {
    pub(crate) path: PathBuf,
    pub(crate) found: ExplorationReport,
    /// The parameters of the random walks, if there were any.
    pub(crate) walks: Option<Walks>,
    /// The result of the search over interleavings, if it was requested.
    pub(crate) concurrent: Option<InterleavingReport>,
    /// The bound on network steps, if the user gave one.
    pub(crate) network_steps: Option<u64>,
    /// The scenario files that were written.
    pub(crate) written: Vec<PathBuf>,
}

impl Searched {
    pub(crate) fn is_failure(&self) -> bool {
        let interleaving = self.concurrent.as_ref().is_some_and(|concurrent| concurrent.failure.is_some());
        let failed = self.found.verdicts.iter().any(|verdict| verdict.status.is_failure());
        self.found.law_violation.is_some() || interleaving || failed
    }

    /// Whether it stopped early or leaves a claim undecided. A bound that the user chose does not
    /// count.
    pub(crate) fn is_incomplete(&self) -> bool {
        let is_undecided = self.found.verdicts.iter().any(|verdict| matches!(verdict.status, Status::Inconclusive));
        let is_cut = |bound: Option<Bound>| matches!(bound, Some(Bound::Memory(_) | Bound::Time(_) | Bound::Interrupt));
        let concurrent = self.concurrent.as_ref().and_then(|concurrent| concurrent.stopped_by);
        let is_unchosen = self.network_steps.is_none() && matches!(concurrent, Some(Bound::States(_)));
        is_cut(self.found.stopped_by) || is_cut(concurrent) || is_unchosen || is_undecided
    }
}

/// The status of one check.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum CheckStatus {
    Passed,
    Failed,
    NotRun,
    Incomplete,
}

/// One check and its result.
pub(crate) struct Checked {
    /// A code that does not change.
    pub(crate) code: &'static str,
    pub(crate) name: &'static str,
    pub(crate) status: CheckStatus,
    /// What the check covered, or why it did not run.
    pub(crate) summary: Vec<String>,
    pub(crate) figures: Vec<(&'static str, u64)>,
    pub(crate) failure: Option<CheckFailure>,
}

impl Checked {
    pub(crate) fn new(code: &'static str, name: &'static str, failure: Option<CheckFailure>) -> Checked {
        let status = if failure.is_some() { CheckStatus::Failed } else { CheckStatus::Passed };
        Checked { code, name, status, summary: Vec::new(), figures: Vec::new(), failure }
    }

    pub(crate) fn not_run(code: &'static str, name: &'static str, why: &str) -> Checked {
        Checked { status: CheckStatus::NotRun, summary: vec![why.to_owned()], ..Checked::new(code, name, None) }
    }
}

/// The migration of a save through one or more rulesets.
pub(crate) struct MigrationRun {
    pub(crate) path: PathBuf,
    pub(crate) before: Save,
    pub(crate) stages: Vec<Stage>,
    /// None if a ruleset refused it.
    pub(crate) after: Option<Save>,
    /// The differences from a direct migration to the last ruleset; `None` if there are none.
    pub(crate) direct: Option<SaveChanges>,
    /// The file that was written.
    pub(crate) written: Option<PathBuf>,
    /// The file with the save before the migration.
    pub(crate) backup: Option<PathBuf>,
}

/// The migration to one ruleset.
pub(crate) struct Stage {
    pub(crate) title: String,
    pub(crate) version: u32,
    pub(crate) differences: Vec<Difference>,
}
