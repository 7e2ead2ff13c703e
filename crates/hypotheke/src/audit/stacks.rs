//! Each stack on its own: slot, kind, marks, properties, count and id.

use std::collections::{BTreeMap, BTreeSet};

use super::facts::{Facts, Lying, Seen, Where};
use super::{Findings, Law};
use crate::id::StackId;
use crate::ruleset::{ChangeEffect, PropertyValue};
use crate::snapshot::PastArrival;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    check_slots(facts, findings);
    check_ids(facts, findings);
    check_arrivals(facts, findings);
    for lying in &facts.stacks {
        if lying.stack.count == 0 {
            findings.add(Law::Stacks, facts.place(lying), format!("a stack of 0 {}", lying.stack.kind));
        }
        check_names(facts, lying, findings);
        check_changes(facts, lying, findings);
    }
}

fn check_changes(facts: &Facts<'_>, lying: &Lying<'_>, findings: &mut Findings) {
    let (rules, stack) = (facts.rules, lying.stack);
    let (Some(kind), false) = (lying.kind, matches!(lying.at, Where::InWork(..))) else { return };
    for change in rules.changes() {
        let has_it = match change.effect() {
            ChangeEffect::Marks(mark) => stack.marks.iter().any(|name| name == rules.mark(mark).name()),
            ChangeEffect::Becomes(_) | ChangeEffect::Removes => false,
        };
        if !has_it && rules.filter(change.filter()).test.admits(&Seen { rules, kind, stack }) {
            let message = format!("this {} is due for the change {}", stack.kind, change.id());
            return findings.add(Law::Change, facts.place(lying), message);
        }
    }
}

fn check_slots(facts: &Facts<'_>, findings: &mut Findings) {
    let mut taken = BTreeSet::new();
    for lying in &facts.stacks {
        let (container, slot, in_work) = match lying.at {
            Where::In(container, slot) => (container, slot, false),
            Where::InWork(container, slot) => (container, slot, true),
            Where::Ground(_) => continue,
        };
        let slots = facts.containers[container].slots;
        if slot >= slots && !in_work {
            findings.add(Law::Stacks, facts.place(lying), format!("the container has only {slots} slots"));
        }
        if !taken.insert((container, slot, in_work)) {
            findings.add(Law::Stacks, facts.place(lying), "two stacks are in this slot");
        }
    }
}

fn check_ids(facts: &Facts<'_>, findings: &mut Findings) {
    let mut seen: BTreeMap<StackId, &Lying<'_>> = BTreeMap::new();
    for lying in &facts.stacks {
        let id = lying.stack.id;
        if id.serial() == 0 {
            findings.add(Law::Identity, facts.place(lying), "this stack has no id");
            continue;
        }
        if id.world() == facts.snapshot.world && id.serial() >= facts.snapshot.next_stack {
            let message = format!("the id {id} is not below the next id, {}", facts.snapshot.next_stack);
            findings.add(Law::Identity, facts.place(lying), message);
        }
        if let Some(first) = seen.get(&id) {
            findings.add(Law::Identity, facts.place(lying), format!("{id} is also in {}", facts.place(first)));
        } else {
            seen.insert(id, lying);
        }
    }
}

/// What has departed arrives once.
fn check_arrivals(facts: &Facts<'_>, findings: &mut Findings) {
    let (snapshot, mut ids, mut names) = (facts.snapshot, BTreeSet::new(), BTreeSet::new());
    for past in &snapshot.arrivals {
        match past {
            PastArrival::One(id) => {
                if id.world == snapshot.world && id.number >= snapshot.departures {
                    let message = format!("{id} is not below the next departure, {}", snapshot.departures);
                    findings.add(Law::Identity, "the world", message);
                }
                if !ids.insert(id) {
                    findings.add(Law::Identity, "the world", format!("{id} has arrived twice"));
                }
            }
            PastArrival::Latest { name, .. } => {
                if !names.insert(name) {
                    findings.add(Law::Identity, "the world", format!("two arrivals have the name {name}"));
                }
            }
        }
    }
}

fn check_names(facts: &Facts<'_>, lying: &Lying<'_>, findings: &mut Findings) {
    let (rules, stack) = (facts.rules, lying.stack);
    let Some(kind) = lying.kind else {
        return findings.add(Law::Stacks, facts.place(lying), format!("unknown kind `{}`", stack.kind));
    };
    for mark in stack.marks.iter().filter(|mark| rules.find_mark(mark).is_none()) {
        findings.add(Law::Stacks, facts.place(lying), format!("unknown mark `{mark}`"));
    }
    let twice = (1..stack.marks.len()).find(|&index| stack.marks[..index].contains(&stack.marks[index]));
    if let Some(index) = twice {
        findings.add(Law::Stacks, facts.place(lying), format!("it has the mark `{}` twice", stack.marks[index]));
    }
    for name in stack.properties.keys() {
        let property = rules.find_property(name).and_then(|property| rules.known_kind(kind).property(property));
        if !matches!(property, Some(PropertyValue::Number(_))) {
            let message = format!("{} has no property `{name}` that is a number", stack.kind);
            findings.add(Law::Stacks, facts.place(lying), message);
        }
    }
}
