//! Shortcuts, hands, and what is open to whom.

use std::collections::BTreeSet;

use super::facts::{Bringer, Facts, Lying, Where};
use super::{Findings, Law};
use crate::language::{Path, PathRoot, PathStep};
use crate::ruleset::DepletedShortcut;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    let had = kinds_had(facts);
    for index in 0..facts.snapshot.holders.len() {
        check_shortcuts(facts, index, &had, findings);
        check_meters(facts, index, findings);
        check_hand(facts, index, findings);
    }
    check_open(facts, findings);
}

/// Which holder has something of which kind, in whatever counts for its weight.
fn kinds_had<'s>(facts: &Facts<'s>) -> BTreeSet<(usize, &'s str)> {
    let had = |lying: &Lying<'s>| match lying.at {
        Where::In(container, _) | Where::InWork(container, _) => {
            Some((facts.containers[container].holder?, lying.stack.kind.as_str()))
        }
        Where::Ground(_) => None,
    };
    facts.stacks.iter().filter_map(had).collect()
}

fn check_shortcuts(facts: &Facts<'_>, index: usize, had: &BTreeSet<(usize, &str)>, findings: &mut Findings) {
    let holder = &facts.snapshot.holders[index];
    let Some(def) = facts.holder_def(index) else { return };
    if holder.shortcuts.len() != def.shortcuts() as usize {
        let message = format!("{} shortcuts of {}", holder.shortcuts.len(), def.shortcuts());
        findings.add(Law::Holders, &holder.name, message);
    }
    for (shortcut, kind) in holder.shortcuts.iter().enumerate() {
        let Some(kind) = kind else { continue };
        let place = format!("{}.shortcuts/{shortcut}", holder.name);
        if facts.rules.find_kind(kind).is_none() {
            findings.add(Law::Holders, place, format!("unknown kind `{kind}`"));
        } else if holder.shortcuts[..shortcut].contains(&Some(kind.clone())) {
            findings.add(Law::Holders, place, format!("two shortcuts point at {kind}"));
        } else if def.depleted_shortcuts() == DepletedShortcut::Clear && !had.contains(&(index, kind.as_str())) {
            findings.add(Law::Holders, place, format!("{} has no {kind}", holder.name));
        }
    }
}

fn check_meters(facts: &Facts<'_>, index: usize, findings: &mut Findings) {
    let holder = &facts.snapshot.holders[index];
    let Some(def) = facts.holder_def(index) else { return };
    for (name, value) in &holder.meters {
        match def.meters().iter().find(|meter| meter.name() == name) {
            None => findings.add(Law::Holders, &holder.name, format!("unknown meter `{name}`")),
            Some(meter) => {
                let bound = (*value).clamp(meter.min, meter.max);
                if bound != *value {
                    let message = format!("{name} is {value}, not between {} and {}", meter.min, meter.max);
                    findings.add_figures(Law::Meter, &holder.name, message, (*value, bound));
                }
            }
        }
    }
}

fn check_hand(facts: &Facts<'_>, index: usize, findings: &mut Findings) {
    let holder = &facts.snapshot.holders[index];
    let Some(origin) = &holder.origin else { return };
    let place = format!("{}.hand", holder.name);
    if holder.hand.is_none() {
        findings.add(Law::Holders, place, "an empty hand has an origin");
    } else if !is_slot(facts, origin) {
        findings.add(Law::Holders, place, format!("the origin `{origin}` is not a slot"));
    }
}

fn is_slot(facts: &Facts<'_>, path: &Path) -> bool {
    let [PathStep::Slot(slot)] = path.steps() else { return false };
    let found = (0..facts.containers.len()).find(|&index| match (path.root(), facts.containers[index].bringer) {
        (PathRoot::Stack(id), Bringer::Pack(pack)) => *id == pack,
        (PathRoot::Name(name), Bringer::World) => facts.name(index) == **name,
        (PathRoot::Of(holder, own), Bringer::Holder(_)) => facts.name(index) == format!("{holder}.{own}"),
        _ => false,
    });
    found.is_some_and(|index| *slot < facts.containers[index].slots)
}

fn check_open(facts: &Facts<'_>, findings: &mut Findings) {
    for (index, held) in facts.containers.iter().enumerate() {
        for (nth, opener) in held.opened_by.iter().enumerate() {
            if !facts.snapshot.holders.iter().any(|holder| holder.name == *opener) {
                findings.add(
                    Law::Holders,
                    facts.name(index),
                    format!("it is open to `{opener}`, which is not in the world"),
                );
            } else if held.opened_by[..nth].contains(opener) {
                findings.add(Law::Holders, facts.name(index), format!("it is open to {opener} twice"));
            }
        }
        let exclusive = held.def.is_some_and(crate::ContainerDef::is_exclusive);
        if exclusive && held.opened_by.len() > 1 {
            let message = format!("it is exclusive, but it is open to {}", held.opened_by.join(" and "));
            findings.add(Law::Holders, facts.name(index), message);
        }
    }
}
