//! What containers work on: a recipe of theirs that takes time, and stacks that it holds.

use std::collections::BTreeSet;

use super::facts::{Bringer, Facts, Where};
use super::{Findings, Law};
use crate::snapshot::Job;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    let working: BTreeSet<usize> = facts
        .stacks
        .iter()
        .filter_map(|lying| if let Where::InWork(container, _) = lying.at { Some(container) } else { None })
        .collect();
    for (index, held) in facts.containers.iter().enumerate() {
        if let Some(job) = held.job {
            check_job(facts, index, job, findings);
            if !working.contains(&index) {
                findings.add(Law::Work, facts.name(index), format!("it holds nothing for `{}`", job.recipe));
            }
        }
    }
    for lying in &facts.stacks {
        let Where::InWork(container, slot) = lying.at else { continue };
        let held = &facts.containers[container];
        let most = held.def.map_or(0, |def| def.slot_bounds().1);
        if held.job.is_none() || slot >= most {
            findings.add(Law::Work, facts.place(lying), "the container works on nothing from this slot");
        }
        if lying.kind.is_some_and(|kind| facts.rules.known_kind(kind).pack().is_some()) {
            findings.add(Law::Work, facts.place(lying), "no container works on a pack");
        }
    }
}

fn check_job(facts: &Facts<'_>, index: usize, job: &Job, findings: &mut Findings) {
    let (held, name) = (&facts.containers[index], facts.name(index));
    let recipe = facts.rules.find_recipe(&job.recipe);
    let Some(recipe) = recipe.and_then(|id| facts.rules.recipe(id)) else {
        return findings.add(Law::Work, name, format!("unknown recipe `{}`", job.recipe));
    };
    let station = match (held.bringer, held.def) {
        (Bringer::Holder(_), Some(def)) => def.id(),
        _ => name.as_str(),
    };
    if recipe.duration().is_none() || !recipe.at().any(|at| at == station) {
        findings.add(Law::Work, &*name, format!("no container works on `{}` here", job.recipe));
    }
    if job.times == 0 {
        findings.add(Law::Work, name, format!("it works on `{}` 0 times", job.recipe));
    }
}
