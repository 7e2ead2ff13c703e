//! What `explore` writes with `--format json`.

use std::collections::BTreeMap;

use hypotheke::explore::{Bound, Status, Trail};
use schemars::JsonSchema;
use serde::Serialize;

use crate::commands::explore::Searched;

/// What was found, by files of claims.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ExploreJson {
    /// The ruleset.
    pub(crate) title: String,
    /// Its version.
    pub(crate) version: u32,
    /// In the order of their paths.
    pub(crate) files: Vec<ExploredJson>,
}

/// What one search found and covered.
#[derive(Debug, Serialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct ExploredJson {
    /// The file of claims.
    path: String,
    /// For each claim, in the order in which they are written.
    claims: Vec<ClaimJson>,
    /// A world that breaks a law: a fault of the program, and no rules.
    unlawful: Option<TrailJson>,
    /// How many worlds were seen.
    worlds: u64,
    /// How many operations were applied.
    applied: u64,
    /// How many were refused, by reason.
    refused: BTreeMap<&'static str, u64>,
    /// How many worlds so many operations from the start.
    by_depth: Vec<u64>,
    /// How many walks there were, if it was no search.
    walks: Option<u64>,
    /// Whether every world was seen that can be reached.
    exhausted: bool,
    /// Else what stopped the search: `depth`, `worlds`, `memory`, `time`, `interrupt`; nothing too where every claim was decided.
    stopped_by: Option<&'static str>,
    /// What the worlds took of memory, in bytes.
    memory: u64,
    /// The scenarios that were written.
    written: Vec<String>,
}

/// What became of a claim.
#[derive(Debug, Serialize, JsonSchema)]
struct ClaimJson {
    /// `always`, `never`, `possible` or `recoverable`.
    kind: &'static str,
    /// Its sentence.
    claim: String,
    /// `holds`, `holds-so-far`, `broken`, `reached`, `impossible` or `undecided`.
    status: &'static str,
    /// A shortest trail to where it breaks, or is so.
    trail: Option<TrailJson>,
}

/// Operations that lead from the start to a world.
#[derive(Debug, Serialize, JsonSchema)]
struct TrailJson {
    /// As a scenario writes them.
    steps: Vec<String>,
    /// What is so at its end.
    message: String,
}

impl TrailJson {
    fn new(trail: &Trail) -> TrailJson {
        TrailJson { steps: trail.steps.clone(), message: trail.message.clone() }
    }
}

fn status(status: &Status) -> (&'static str, Option<TrailJson>) {
    match status {
        Status::Holds => ("holds", None),
        Status::HoldsSoFar => ("holds-so-far", None),
        Status::Broken(trail) => ("broken", Some(TrailJson::new(trail))),
        Status::Reached(trail) => ("reached", Some(TrailJson::new(trail))),
        Status::Impossible => ("impossible", None),
        Status::Undecided => ("undecided", None),
    }
}

impl ExploredJson {
    pub(crate) fn new(searched: &Searched) -> ExploredJson {
        let found = &searched.found;
        let claims = found.verdicts.iter().map(|verdict| {
            let (status, trail) = status(&verdict.status);
            ClaimJson { kind: verdict.claim.kind().word(), claim: verdict.claim.text().to_owned(), status, trail }
        });
        ExploredJson {
            path: searched.path.display().to_string(),
            claims: claims.collect(),
            unlawful: found.unlawful.as_ref().map(|(trail, _)| TrailJson::new(trail)),
            worlds: found.worlds,
            applied: found.applied,
            refused: found.refused.iter().map(|(reason, count)| (reason.code(), *count)).collect(),
            by_depth: found.by_depth.clone(),
            walks: found.walks,
            exhausted: found.exhausted,
            stopped_by: found.stopped_by.map(|bound| match bound {
                Bound::Depth(_) => "depth",
                Bound::Worlds(_) => "worlds",
                Bound::Memory(_) => "memory",
                Bound::Time(_) => "time",
                Bound::Interrupt => "interrupt",
            }),
            memory: found.memory,
            written: searched.written.iter().map(|path| path.display().to_string()).collect(),
        }
    }
}
