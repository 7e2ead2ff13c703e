//! The results of commands, before they are drawn or written.

use std::path::PathBuf;
use std::sync::Arc;

use hypotheke::coverage::Coverage;
use hypotheke::explore::{Bound, ExplorationReport, InterleavingReport, Status, Walks};
use hypotheke::save::{Save, SaveChanges};
use hypotheke::save_checks::CheckFailure;
use hypotheke::scenario::ScenarioReport;
use hypotheke::text::Source;
use hypotheke::{Difference, RuleDifference, Ruleset, World};
use schemars::JsonSchema;
use serde::Serialize;

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

/// Everything that a report has.
pub(crate) struct Report {
    /// The ruleset file.
    pub(crate) path: String,
    pub(crate) rules: Arc<Ruleset>,
    /// The world as the ruleset says that it begins.
    pub(crate) world: World,
    /// Each scenario with its file.
    pub(crate) runs: Vec<(Source, ScenarioReport)>,
    pub(crate) searches: Vec<Searched>,
    /// Why it was not measured, if it was not.
    pub(crate) coverage: Result<Coverage, String>,
    pub(crate) against: Option<Against>,
    pub(crate) saves: Vec<AuditedSave>,
}

/// The differences from an earlier ruleset.
pub(crate) struct Against {
    pub(crate) path: String,
    pub(crate) differences: Vec<RuleDifference>,
    /// The scenarios with a different verdict.
    pub(crate) scenarios: Vec<ScenarioChange>,
    /// The number of scenarios that ran with both.
    pub(crate) runs: usize,
}

/// A save and its audit.
pub(crate) struct AuditedSave {
    pub(crate) path: String,
    pub(crate) audit: Audit,
}

pub(crate) enum Audit {
    /// The law violations; perhaps none.
    Violations(Vec<String>),
    /// It was written under a different ruleset, and waits to be migrated.
    OtherRuleset(String),
}

impl AuditedSave {
    pub(crate) fn violations(&self) -> &[String] {
        match &self.audit {
            Audit::Violations(found) => found,
            Audit::OtherRuleset(_) => &[],
        }
    }
}

/// What is counted in the summary of a report.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct ClaimCounts {
    pub(crate) good: usize,
    pub(crate) failed: usize,
    pub(crate) open: usize,
}

impl Report {
    pub(crate) fn failed_scenarios(&self) -> usize {
        self.runs.iter().filter(|(_, report)| !report.passed()).count()
    }

    pub(crate) fn failed_saves(&self) -> usize {
        self.saves.iter().filter(|save| !save.violations().is_empty()).count()
    }

    pub(crate) fn claims(&self) -> ClaimCounts {
        let mut counts = ClaimCounts::default();
        for searched in &self.searches {
            counts.failed += usize::from(searched.found.law_violation.is_some());
            for verdict in &searched.found.verdicts {
                match &verdict.status {
                    status if status.is_failure() => counts.failed += 1,
                    // What says nothing of any state is not good either.
                    status if status.is_open() || !verdict.vacuous.is_empty() => counts.open += 1,
                    _ => counts.good += 1,
                }
            }
        }
        counts
    }

    pub(crate) fn is_failure(&self) -> bool {
        let breaks = |against: &Against| against.scenarios.iter().any(ScenarioChange::is_failure);
        self.failed_scenarios() + self.failed_saves() > 0
            || self.searches.iter().any(Searched::is_failure)
            || self.against.as_ref().is_some_and(breaks)
    }
}

/// A scenario with a different verdict.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ScenarioChange {
    /// The file.
    pub(crate) file: String,
    /// The scenario.
    pub(crate) title: String,
    /// The row of its table.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) row: Option<String>,
    /// `passed`, `failed` or `cannot-run` with the old ruleset.
    pub(crate) old: String,
    /// The verdict with the new ruleset.
    pub(crate) new: String,
    /// The line that fails, or why the scenario cannot run.
    pub(crate) explanation: String,
}

impl ScenarioChange {
    /// Whether it passed with the old ruleset, and does no more.
    pub(crate) fn is_failure(&self) -> bool {
        self.old == "passed" && self.new != "passed"
    }
}
