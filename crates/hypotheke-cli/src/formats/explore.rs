//! What `explore` writes with `--format json`, and reads with `--gather`.

use std::collections::BTreeMap;

use hypotheke::explore::{Bound, InterleavingReport, NotTried, Status, Trail, VerbUse};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::findings::Searched;

/// What was found, by files of claims.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ExploreJson {
    /// The ruleset.
    pub(crate) title: String,
    /// Its version.
    pub(crate) version: u32,
    /// In the order of their paths.
    pub(crate) files: Vec<ExploredJson>,
}

/// What one search found and covered.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct ExploredJson {
    /// The file of claims; the ruleset for the claims that it makes itself.
    pub(crate) path: String,
    /// For each claim, in the order in which they are written.
    pub(crate) claims: Vec<ClaimJson>,
    /// A world that breaks a law: a fault of the program, and no rules.
    pub(crate) unlawful: Option<TrailJson>,
    /// How many worlds were seen.
    pub(crate) worlds: u64,
    /// How many operations were applied.
    pub(crate) applied: u64,
    /// How many were refused, by reason.
    pub(crate) refused: BTreeMap<String, u64>,
    /// How many worlds so many operations from the start.
    pub(crate) by_depth: Vec<u64>,
    /// What became of the operations of each verb in the scope.
    pub(crate) verbs: Vec<VerbJson>,
    /// What the scope leaves out: no verdict says anything of it.
    pub(crate) not_tried: Vec<NotTriedJson>,
    /// The containers of the scope that never contained anything.
    pub(crate) never_entered: Vec<String>,
    /// The walks, if it was no search.
    pub(crate) walks: Option<WalksJson>,
    /// Several holders at once, if that was asked for.
    pub(crate) several: Option<SeveralJson>,
    /// Whether every world was seen that can be reached.
    pub(crate) exhausted: bool,
    /// Else what stopped the search: `depth`, `worlds`, `memory`, `time`, `interrupt`; nothing too where every claim was decided.
    pub(crate) stopped_by: Option<String>,
    /// What the worlds took of memory, in bytes.
    pub(crate) memory: u64,
    /// How much of it was for what is recoverable: which worlds each leads to.
    pub(crate) memory_of_ways: u64,
    /// The scenarios that were written.
    pub(crate) written: Vec<String>,
}

/// What became of the operations of a verb.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct VerbJson {
    /// The verb, as claims write it.
    pub(crate) verb: String,
    /// How many of its operations were applied.
    pub(crate) applied: u64,
    /// How many were refused, by reason.
    pub(crate) refused: BTreeMap<String, u64>,
}

/// Something that a scope leaves out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NotTriedJson {
    /// `verb`, `amounts`, `whole-places`, `container`, `holder`, `game`, `other-doors`, `created-in-hands`, `positions`, `saves` or
    /// `departures`.
    pub(crate) code: String,
    /// Which one, or in words what it is.
    pub(crate) text: String,
}

/// Walks, or a part of them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct WalksJson {
    /// How many were walked.
    pub(crate) walked: u64,
    /// How many there are in all parts together.
    pub(crate) of: u64,
    /// How many operations each has at most.
    pub(crate) steps: u32,
    /// The seed.
    pub(crate) seed: u64,
    /// Which part of all, such as `2/8`; nothing if it is all of them.
    pub(crate) part: Option<String>,
}

/// Several holders at once.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct SeveralJson {
    /// How many ways in which their requests fall between each other were played to their end.
    pub(crate) ways: u64,
    /// How many requests were received.
    pub(crate) received: u64,
    /// Whether every way was played.
    pub(crate) all: bool,
    /// A shortest way after which something is wrong.
    pub(crate) broken: Option<TrailJson>,
}

impl SeveralJson {
    pub(crate) fn new(found: &InterleavingReport) -> SeveralJson {
        let trail = |tangle: &hypotheke::explore::InterleavingFailure| TrailJson {
            steps: tangle.steps.clone(),
            message: tangle.message.clone(),
            why: Vec::new(),
            walk: None,
            start: None,
        };
        SeveralJson {
            ways: found.ways,
            received: found.received,
            all: found.stopped_by.is_none() && found.broken.is_none(),
            broken: found.broken.as_ref().map(trail),
        }
    }
}

/// What became of a claim.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ClaimJson {
    /// `always`, `never`, `possible` or `recoverable`.
    pub(crate) kind: String,
    /// Its sentence.
    pub(crate) claim: String,
    /// `holds`, `holds-so-far`, `broken`, `reached`, `impossible` or `undecided`.
    pub(crate) status: String,
    /// What the claim speaks of and what never occurred: if there is any, it holds vacuously.
    pub(crate) vacuous: Vec<String>,
    /// A shortest trail to where it breaks, or is so.
    pub(crate) trail: Option<TrailJson>,
}

/// Operations that lead from the start to a world.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TrailJson {
    /// As a scenario writes them.
    pub(crate) steps: Vec<String>,
    /// What is so at its end.
    pub(crate) message: String,
    /// Why the last step was applied.
    pub(crate) why: Vec<String>,
    /// In which walk it was found.
    pub(crate) walk: Option<u64>,
    /// What has to lie where at the start, in the lines of a scenario; nothing where that is not known.
    pub(crate) start: Option<Vec<String>>,
}

impl TrailJson {
    fn new(trail: &Trail) -> TrailJson {
        let Trail { steps, message, why, walk, start, .. } = trail.clone();
        TrailJson { steps, message, why, walk, start }
    }
}

impl VerbJson {
    fn new(used: &VerbUse) -> VerbJson {
        let refused = used.refused.iter().map(|(reason, count)| (reason.code().to_owned(), *count)).collect();
        VerbJson { verb: used.verb.word().to_owned(), applied: used.applied, refused }
    }
}

impl NotTriedJson {
    fn new(what: &NotTried) -> NotTriedJson {
        NotTriedJson { code: what.code().to_owned(), text: what.to_string() }
    }
}

fn status(status: &Status) -> (&'static str, Option<TrailJson>) {
    match status {
        Status::Holds => ("holds", None),
        Status::NoViolationFound => ("holds-so-far", None),
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
            let (kind, claim) = (verdict.claim.kind().word().to_owned(), verdict.claim.text().to_owned());
            ClaimJson { kind, claim, status: status.to_owned(), vacuous: verdict.vacuous.clone(), trail }
        });
        let stopped_by = found.stopped_by.map(|bound| match bound {
            Bound::Depth(_) => "depth",
            Bound::Worlds(_) => "worlds",
            Bound::Memory(_) => "memory",
            Bound::Time(_) => "time",
            Bound::Interrupt => "interrupt",
        });
        let walks = searched.walks.map(|walks| WalksJson {
            walked: found.walks.unwrap_or(0),
            of: walks.count,
            steps: walks.steps,
            seed: walks.seed,
            part: (walks.shard != (0, 1)).then(|| format!("{}/{}", walks.shard.0 + 1, walks.shard.1)),
        });
        ExploredJson {
            path: searched.path.display().to_string(),
            claims: claims.collect(),
            unlawful: found.unlawful.as_ref().map(|(trail, _)| TrailJson::new(trail)),
            worlds: found.worlds,
            applied: found.applied,
            refused: found.refused.iter().map(|(reason, count)| (reason.code().to_owned(), *count)).collect(),
            by_depth: found.by_depth.clone(),
            verbs: found.verbs.iter().map(VerbJson::new).collect(),
            not_tried: found.not_tried.iter().map(NotTriedJson::new).collect(),
            never_entered: found.never_entered.clone(),
            walks,
            several: searched.several.as_ref().map(SeveralJson::new),
            exhausted: found.exhausted,
            stopped_by: stopped_by.map(str::to_owned),
            memory: found.memory,
            memory_of_ways: found.memory_of_ways,
            written: searched.written.iter().map(|path| path.display().to_string()).collect(),
        }
    }

    /// Whether something was found that must not be.
    pub(crate) fn is_failure(&self) -> bool {
        let failed = |claim: &ClaimJson| claim.status == "broken" || claim.status == "impossible";
        let tangled = self.several.as_ref().is_some_and(|several| several.broken.is_some());
        self.unlawful.is_some() || tangled || self.claims.iter().any(failed)
    }
}
