//! The JSON that `explore --format json` writes and `--combine` reads.

use std::collections::BTreeMap;

use hypotheke::explore::{Bound, InterleavingReport, NotSearched, Status, Trace, VerbUse};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::findings::Searched;

/// The results of a search or of walks, by claims file.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ExploreJson {
    /// The ruleset.
    pub(crate) title: String,
    /// Its version.
    pub(crate) version: u32,
    /// In the order of their paths.
    pub(crate) files: Vec<ExploredJson>,
    /// The errors of files that could not be searched.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[schemars(with = "Vec<serde_json::Map<String, serde_json::Value>>")]
    pub(crate) diagnostics: Vec<serde_json::Value>,
}

/// The result and the coverage of one search.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct ExploredJson {
    /// The claims file; the ruleset for its own claims.
    pub(crate) path: String,
    /// Each claim, in the order of the file.
    pub(crate) claims: Vec<ClaimJson>,
    /// A trace to a state that violates a law: a defect of the library, not of the ruleset.
    pub(crate) law_violation: Option<TraceJson>,
    /// The number of states that were seen.
    pub(crate) states: u64,
    /// The number of operations that were applied.
    pub(crate) applied: u64,
    /// The number of operations that were refused, by reason.
    pub(crate) refused: BTreeMap<String, u64>,
    /// The number of states at each distance from the start.
    pub(crate) by_depth: Vec<u64>,
    /// The results of the operations, by verb.
    pub(crate) verbs: Vec<VerbJson>,
    /// The parts that the scope leaves out. No verdict covers them.
    pub(crate) not_searched: Vec<NotSearchedJson>,
    /// The containers of the scope that were always empty.
    pub(crate) never_entered: Vec<String>,
    /// The random walks, if it was not a search.
    pub(crate) walks: Option<WalksJson>,
    /// The interleavings of concurrent requests, if they were searched.
    pub(crate) concurrent: Option<ConcurrentJson>,
    /// Whether every reachable state was seen.
    pub(crate) complete: bool,
    /// What stopped the search early: `depth`, `states`, `memory`, `time` or `interrupt`. Null if
    /// it is complete, or if all claims were decided.
    pub(crate) stopped_by: Option<String>,
    /// The memory for the states, in bytes.
    pub(crate) memory_bytes: u64,
    /// The part of it for the edges between states, which `recoverable` claims require.
    pub(crate) edge_memory_bytes: u64,
    /// The scenario files that were written.
    pub(crate) written: Vec<String>,
}

/// The results of the operations of one verb.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct VerbJson {
    /// The verb, as claims write it.
    pub(crate) verb: String,
    /// The number of its operations that were applied.
    pub(crate) applied: u64,
    /// The number of its operations that were refused, by reason.
    pub(crate) refused: BTreeMap<String, u64>,
}

/// A part that a scope leaves out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NotSearchedJson {
    /// `verb`, `amounts`, `whole-places`, `container`, `holder`, `game`, `other-doors`,
    /// `created-in-hands`, `positions`, `saves` or `departures`.
    pub(crate) code: String,
    /// Its name, or a description.
    pub(crate) text: String,
}

/// Random walks, or one part of them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct WalksJson {
    /// The number of walks that were completed.
    pub(crate) completed: u64,
    /// The number of walks in all parts together.
    pub(crate) total_walks: u64,
    /// The maximum number of operations of a walk.
    pub(crate) steps: u32,
    /// The seed.
    pub(crate) seed: u64,
    /// The part, such as `2/8`; null if all walks are in one part.
    pub(crate) part: Option<String>,
}

/// The interleavings of concurrent requests.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct ConcurrentJson {
    /// The number of interleavings that were completed.
    pub(crate) interleavings: u64,
    /// The number of requests that were received.
    pub(crate) received: u64,
    /// Whether every interleaving was completed.
    pub(crate) complete: bool,
    /// The shortest interleaving that fails.
    pub(crate) failure: Option<TraceJson>,
}

impl ConcurrentJson {
    pub(crate) fn new(found: &InterleavingReport) -> ConcurrentJson {
        let trace = |interleaving: &hypotheke::explore::InterleavingFailure| TraceJson {
            steps: interleaving.steps.clone(),
            message: interleaving.message.clone(),
            explanation: Vec::new(),
            walk: None,
            start: None,
        };
        ConcurrentJson {
            interleavings: found.interleavings,
            received: found.received,
            complete: found.stopped_by.is_none() && found.failure.is_none(),
            failure: found.failure.as_ref().map(trace),
        }
    }
}

/// A claim and its verdict.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ClaimJson {
    /// `always`, `forbidden`, `possible` or `recoverable`.
    pub(crate) kind: String,
    /// Its sentence.
    pub(crate) claim: String,
    /// `holds`, `no-violation-found`, `violated`, `reachable`, `unreachable` or `inconclusive`.
    pub(crate) status: String,
    /// The parts of the claim that never occurred. If there are any, the claim holds vacuously.
    pub(crate) vacuous: Vec<String>,
    /// A shortest trace to a violation, or to a state that the claim says is possible.
    pub(crate) trace: Option<TraceJson>,
}

/// The operations that lead from the start to a state.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TraceJson {
    /// The operations, as a scenario writes them.
    pub(crate) steps: Vec<String>,
    /// The result at its end.
    pub(crate) message: String,
    /// Why the last step was applied.
    pub(crate) explanation: Vec<String>,
    /// The number of the walk that found it.
    pub(crate) walk: Option<u64>,
    /// The contents that the start needs, in the lines of a scenario; null if unknown.
    pub(crate) start: Option<Vec<String>>,
}

impl TraceJson {
    fn new(trace: &Trace) -> TraceJson {
        let Trace { steps, message, explanation, walk, start, .. } = trace.clone();
        TraceJson { steps, message, explanation, walk, start }
    }
}

impl VerbJson {
    fn new(used: &VerbUse) -> VerbJson {
        let refused = used.refused.iter().map(|(reason, count)| (reason.code().to_owned(), *count)).collect();
        VerbJson { verb: used.verb.word().to_owned(), applied: used.applied, refused }
    }
}

impl NotSearchedJson {
    fn new(what: &NotSearched) -> NotSearchedJson {
        NotSearchedJson { code: what.code().to_owned(), text: what.to_string() }
    }
}

fn status(status: &Status) -> (&'static str, Option<TraceJson>) {
    match status {
        Status::Holds => ("holds", None),
        Status::NoViolationFound => ("no-violation-found", None),
        Status::Violated(trace) => ("violated", Some(TraceJson::new(trace))),
        Status::Reachable(trace) => ("reachable", Some(TraceJson::new(trace))),
        Status::Unreachable => ("unreachable", None),
        Status::Inconclusive => ("inconclusive", None),
    }
}

impl ExploredJson {
    pub(crate) fn new(searched: &Searched) -> ExploredJson {
        let found = &searched.found;
        let claims = found.verdicts.iter().map(|verdict| {
            let (status, trace) = status(&verdict.status);
            let (kind, claim) = (verdict.claim.kind().word().to_owned(), verdict.claim.text().to_owned());
            ClaimJson { kind, claim, status: status.to_owned(), vacuous: verdict.vacuous.clone(), trace }
        });
        let stopped_by = found.stopped_by.map(|bound| match bound {
            Bound::Depth(_) => "depth",
            Bound::States(_) => "states",
            Bound::Memory(_) => "memory",
            Bound::Time(_) => "time",
            Bound::Interrupt => "interrupt",
        });
        let walks = searched.walks.map(|walks| WalksJson {
            completed: found.walks.unwrap_or(0),
            total_walks: walks.count,
            steps: walks.steps,
            seed: walks.seed,
            part: (walks.shard != (0, 1)).then(|| format!("{}/{}", walks.shard.0 + 1, walks.shard.1)),
        });
        ExploredJson {
            path: searched.path.display().to_string(),
            claims: claims.collect(),
            law_violation: found.law_violation.as_ref().map(|(trace, _)| TraceJson::new(trace)),
            states: found.states,
            applied: found.applied,
            refused: found.refused.iter().map(|(reason, count)| (reason.code().to_owned(), *count)).collect(),
            by_depth: found.by_depth.clone(),
            verbs: found.verbs.iter().map(VerbJson::new).collect(),
            not_searched: found.not_searched.iter().map(NotSearchedJson::new).collect(),
            never_entered: found.never_entered.clone(),
            walks,
            concurrent: searched.concurrent.as_ref().map(ConcurrentJson::new),
            complete: found.complete,
            stopped_by: stopped_by.map(str::to_owned),
            memory_bytes: found.memory_bytes,
            edge_memory_bytes: found.edge_memory_bytes,
            written: searched.written.iter().map(|path| path.display().to_string()).collect(),
        }
    }

    /// Whether a claim or a law is violated, or an interleaving fails.
    pub(crate) fn is_failure(&self) -> bool {
        let failed = |claim: &ClaimJson| claim.status == "violated" || claim.status == "unreachable";
        let interleaving = self.concurrent.as_ref().is_some_and(|concurrent| concurrent.failure.is_some());
        self.law_violation.is_some() || interleaving || self.claims.iter().any(failed)
    }
}
