//! explore --combine: joins the parts of a run on several machines into the result of one run.

use std::path::{Path, PathBuf};

use hypotheke::text::system_cause;

use crate::files::InputError;
use crate::formats::explore::{ClaimJson, ExploreJson, ExploredJson, TraceJson, WalksJson};

/// The combined results, and the missing parts.
pub(crate) struct Combined {
    pub(crate) whole: ExploreJson,
    pub(crate) missing: Vec<String>,
}

/// One file, and which part of all it is: (part, parts).
struct Part {
    path: PathBuf,
    found: ExploreJson,
    part: (u64, u64),
}

pub(crate) fn combine(paths: &[PathBuf]) -> Result<Combined, InputError> {
    let mut parts = Vec::new();
    for path in paths {
        parts.push(read(path)?);
    }
    parts.sort_by_key(|part| part.part);
    for pair in parts.windows(2) {
        let (one, other) = (&pair[0], &pair[1]);
        if let Some(difference) = difference(one, other) {
            let message = format!("`{}` and `{}` {difference}", one.path.display(), other.path.display());
            return Err(InputError::usage(message, Some("Combine parts of one run: the same files, walks and seed")));
        }
    }
    let of = parts.first().map_or(1, |part| part.part.1);
    let there: Vec<u64> = parts.iter().map(|part| part.part.0).collect();
    let missing = (1..=of).filter(|part| !there.contains(part)).map(|part| format!("{part}/{of}")).collect();
    let mut found = parts.into_iter().map(|part| part.found);
    let Some(mut whole) = found.next() else {
        return Err(InputError::usage(
            "no file given".to_owned(),
            Some("Name the JSON outputs of the parts after `--combine`"),
        ));
    };
    for part in found {
        for (mine, yours) in whole.files.iter_mut().zip(part.files) {
            add(mine, yours);
        }
    }
    whole.files.iter_mut().filter_map(|file| file.walks.as_mut()).for_each(|walks| walks.part = None);
    Ok(Combined { whole, missing })
}

fn read(path: &Path) -> Result<Part, InputError> {
    let named = path.display();
    if path.exists() && !path.is_file() {
        return Err(InputError::usage(format!("`{named}` is not a file"), Some("Name the JSON output of a part")));
    }
    let bytes = std::fs::read(path).map_err(|error| {
        InputError::usage(
            format!("cannot read `{named}`: {}", system_cause(&error)),
            Some("Name the JSON output of a part"),
        )
    })?;
    let found: ExploreJson = serde_json::from_slice(&bytes).map_err(|error| {
        let message = format!(
            "`{named}` is not an output of `explore --format json`: line {}, column {}",
            error.line(),
            error.column()
        );
        InputError::usage(message, Some("Name the outputs of `explore --walks COUNT --shard 2/8 --format json`"))
    })?;
    let walks: Option<Vec<&WalksJson>> = found.files.iter().map(|file| file.walks.as_ref()).collect();
    let first = walks.as_ref().and_then(|walks| walks.first());
    let Some(walks) = first else {
        let message = format!("`{named}` has no random walks");
        return Err(InputError::usage(message, Some("Run parts with `explore --walks COUNT --shard 2/8`")));
    };
    let part = match &walks.part {
        None => Some((1, 1)),
        Some(text) => text.split_once('/').and_then(|(part, parts)| Some((part.parse().ok()?, parts.parse().ok()?))),
    };
    let Some(part) = part.filter(|(part, parts)| (1..=*parts).contains(part)) else {
        return Err(InputError::usage(format!("`{named}` has no valid part number"), None));
    };
    Ok(Part { path: path.to_owned(), found, part })
}

/// The reason why two parts are not of one run, if they are not.
fn difference(one: &Part, other: &Part) -> Option<&'static str> {
    let sentences = |found: &ExploreJson| -> Vec<Vec<String>> {
        let said = |claim: &ClaimJson| format!("{} {}", claim.kind, claim.claim);
        found.files.iter().map(|file| file.claims.iter().map(said).collect()).collect()
    };
    let paths = |found: &ExploreJson| found.files.iter().map(|file| file.path.clone()).collect::<Vec<_>>();
    let walks = |found: &ExploreJson| -> Vec<Option<(u64, u32, u64)>> {
        found.files.iter().map(|file| file.walks.as_ref().map(|it| (it.total_walks, it.steps, it.seed))).collect()
    };
    let (mine, yours) = (&one.found, &other.found);
    if (&mine.title, mine.version) != (&yours.title, yours.version) {
        Some("are of different rulesets")
    } else if paths(mine) != paths(yours) || sentences(mine) != sentences(yours) {
        Some("have different claims")
    } else if walks(mine) != walks(yours) || one.part.1 != other.part.1 {
        Some("are parts of different walks")
    } else if one.part == other.part {
        Some("are the same part")
    } else {
        None
    }
}

/// Of two traces the one that one run would have found: that of the walk with the lower number.
fn first(one: Option<TraceJson>, other: Option<TraceJson>) -> Option<TraceJson> {
    one.into_iter().chain(other).min_by_key(|trace| trace.walk)
}

fn add(whole: &mut ExploredJson, part: ExploredJson) {
    for (mine, yours) in whole.claims.iter_mut().zip(part.claims) {
        if mine.trace.is_none() && yours.trace.is_some() {
            mine.status.clone_from(&yours.status);
        }
        mine.trace = first(mine.trace.take(), yours.trace);
        // What never occurred in any part; a claim that is broken says something.
        mine.vacuous.retain(|what| mine.trace.is_none() && yours.vacuous.contains(what));
    }
    whole.law_violation = first(whole.law_violation.take(), part.law_violation);
    // Each sum is of numbers that a file may say anything of.
    whole.states = whole.states.saturating_add(part.states);
    whole.applied = whole.applied.saturating_add(part.applied);
    for (reason, count) in part.refused {
        let all = whole.refused.entry(reason).or_default();
        *all = all.saturating_add(count);
    }
    for (mine, yours) in whole.verbs.iter_mut().zip(part.verbs) {
        mine.applied = mine.applied.saturating_add(yours.applied);
        for (reason, count) in yours.refused {
            let all = mine.refused.entry(reason).or_default();
            *all = all.saturating_add(count);
        }
    }
    whole.never_entered.retain(|name| part.never_entered.contains(name));
    if let (Some(mine), Some(yours)) = (&mut whole.walks, part.walks) {
        mine.completed = mine.completed.saturating_add(yours.completed);
    }
    whole.stopped_by = whole.stopped_by.take().or(part.stopped_by);
    whole.written.extend(part.written);
}
