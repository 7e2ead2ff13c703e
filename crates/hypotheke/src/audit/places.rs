//! Containers and holders are those of the ruleset, with as many slots as they may have.

use std::collections::BTreeSet;

use super::facts::{Bringer, Facts};
use super::{Findings, Law};
use crate::quantity::Decimal;
use crate::ruleset::is_owner;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    check_names(facts, findings);
    check_carried(facts, findings);
    for (index, held) in facts.containers.iter().enumerate() {
        let Some(def) = held.def else { continue };
        let (least, most) = def.slot_bounds();
        if held.slots < least || held.slots > most {
            let message = format!("it has {} slots; {least} to {most} are allowed", held.slots);
            let limit = if held.slots < least { least } else { most };
            let figures = (Decimal::from(held.slots), Decimal::from(limit));
            findings.add_figures(Law::Bounds, facts.name(index), message, figures);
        }
    }
}

fn check_names(facts: &Facts<'_>, findings: &mut Findings) {
    let mut seen = BTreeSet::new();
    for container in &facts.snapshot.containers {
        let def = facts.rules.containers().iter().find(|def| def.id() == container.definition);
        if !def.is_some_and(|def| def.instances().any(|name| name == container.name)) {
            findings.add(
                Law::Places,
                &container.name,
                format!("the ruleset has no container `{}` without a holder", container.definition),
            );
        }
        if !seen.insert(container.name.as_str()) {
            findings.add(Law::Places, &container.name, "two places have this name");
        }
        if let Some(owner) = container.owner.as_deref().filter(|owner| !is_owner(owner)) {
            findings.add(Law::Places, &container.name, format!("`{owner}` cannot be an owner"));
        }
    }
    for holder in &facts.snapshot.holders {
        for container in holder.containers.iter().filter(|container| container.owner.is_some()) {
            let place = format!("{}.{}", holder.name, container.name);
            findings.add(Law::Places, place, "a container that a holder carries belongs to it alone");
        }
    }
    for (index, holder) in facts.snapshot.holders.iter().enumerate() {
        if facts.holder_def(index).is_none() {
            findings.add(Law::Places, &holder.name, format!("the ruleset has no holder `{}`", holder.definition));
        } else if let Some(message) = facts.rules.why_not_called(&holder.name, &holder.definition) {
            findings.add(Law::Places, &holder.name, message);
        }
        if !seen.insert(holder.name.as_str()) {
            findings.add(Law::Places, &holder.name, "two places have this name");
        }
    }
}

fn check_carried(facts: &Facts<'_>, findings: &mut Findings) {
    let mut by_holder: Vec<Vec<&str>> = vec![Vec::new(); facts.snapshot.holders.len()];
    for held in &facts.containers {
        if let Bringer::Holder(holder) = held.bringer {
            by_holder[holder].push(held.def.map_or("", crate::ContainerDef::id));
        }
    }
    for (index, holder) in facts.snapshot.holders.iter().enumerate() {
        let Some(def) = facts.holder_def(index) else { continue };
        let carries: Vec<&str> = def.carries().iter().map(|&id| facts.rules.container(id).id()).collect();
        let carried = &by_holder[index];
        if carries != *carried {
            let message = format!("it carries {}; the ruleset says {}", list(carried), list(&carries));
            findings.add(Law::Places, &holder.name, message);
        }
    }
}

fn list(names: &[&str]) -> String {
    if names.is_empty() { "nothing".to_owned() } else { names.join(", ") }
}
