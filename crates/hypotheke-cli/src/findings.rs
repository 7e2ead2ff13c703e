//! What commands have found, before it is drawn or written.

use std::path::PathBuf;

use hypotheke::Difference;
use hypotheke::explore::{Bound, ExplorationReport, InterleavingReport, Status, Walks};
use hypotheke::save::{Save, SaveChanges};
use hypotheke::save_checks::Breach;

/// A file of claims, and what was found.
pub(crate) struct Searched {
    pub(crate) path: PathBuf,
    pub(crate) found: ExplorationReport,
    /// How it was walked, if it was.
    pub(crate) walks: Option<Walks>,
    /// What came of several holders at once, if that was asked for.
    pub(crate) several: Option<InterleavingReport>,
    /// How many happenings were asked for, if that was said.
    pub(crate) happenings: Option<u64>,
    /// The scenarios that were written.
    pub(crate) written: Vec<PathBuf>,
}

impl Searched {
    pub(crate) fn is_failure(&self) -> bool {
        let tangled = self.several.as_ref().is_some_and(|several| several.broken.is_some());
        let failed = self.found.verdicts.iter().any(|verdict| verdict.status.is_failure());
        self.found.unlawful.is_some() || tangled || failed
    }

    /// Whether it was stopped before all was seen that was asked for, or leaves a claim undecided. What the user bounded on purpose, and
    /// was played in full, was not stopped.
    pub(crate) fn is_cut_short(&self) -> bool {
        let is_undecided = self.found.verdicts.iter().any(|verdict| matches!(verdict.status, Status::Undecided));
        let is_cut = |bound: Option<Bound>| matches!(bound, Some(Bound::Memory(_) | Bound::Time(_) | Bound::Interrupt));
        let several = self.several.as_ref().and_then(|several| several.stopped_by);
        let is_unasked = self.happenings.is_none() && matches!(several, Some(Bound::Worlds(_)));
        is_cut(self.found.stopped_by) || is_cut(several) || is_unasked || is_undecided
    }
}

/// What came of one check.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Came {
    Good,
    Bad,
    NotAsked,
    CutShort,
}

/// One check, with what it has seen.
pub(crate) struct Checked {
    /// A short name, which does not change.
    pub(crate) code: &'static str,
    pub(crate) name: &'static str,
    pub(crate) came: Came,
    /// What was seen, or why nothing was.
    pub(crate) told: Vec<String>,
    pub(crate) figures: Vec<(&'static str, u64)>,
    pub(crate) breach: Option<Breach>,
}

impl Checked {
    pub(crate) fn new(code: &'static str, name: &'static str, breach: Option<Breach>) -> Checked {
        let came = if breach.is_some() { Came::Bad } else { Came::Good };
        Checked { code, name, came, told: Vec::new(), figures: Vec::new(), breach }
    }

    pub(crate) fn not_asked(code: &'static str, name: &'static str, why: &str) -> Checked {
        Checked { came: Came::NotAsked, told: vec![why.to_owned()], ..Checked::new(code, name, None) }
    }
}

/// A save on its way through rulesets.
pub(crate) struct Way {
    pub(crate) path: PathBuf,
    pub(crate) before: Save,
    pub(crate) stages: Vec<Stage>,
    /// None if a ruleset refused it.
    pub(crate) after: Option<Save>,
    /// What differs if it goes to the last ruleset at once; none if nothing does.
    pub(crate) direct: Option<SaveChanges>,
    /// Where it was written.
    pub(crate) written: Option<PathBuf>,
    /// Where the one before is kept.
    pub(crate) kept: Option<PathBuf>,
}

/// Over to one ruleset.
pub(crate) struct Stage {
    pub(crate) title: String,
    pub(crate) version: u32,
    pub(crate) differences: Vec<Difference>,
}
