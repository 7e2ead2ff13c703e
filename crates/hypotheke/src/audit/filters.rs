//! The contents of a container or slot are admitted there; unfit stacks are reported.

use super::facts::{Facts, Lying, Seen, Where};
use super::{Findings, Law};
use crate::ruleset::FilterId;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    for lying in &facts.stacks {
        // What a container works on is in no slot, and has entered the container before.
        let Where::In(container, slot) = lying.at else { continue };
        let def = facts.containers[container].def;
        let of_slot = def.and_then(|def| def.ruled.get(slot as usize)).and_then(|rule| rule.admits);
        check_filter(facts, lying, &facts.place(lying), of_slot, findings);
        for around in facts.chain(container) {
            let Some(def) = facts.containers[around].def else { continue };
            if around == container || def.is_deep() {
                check_filter(facts, lying, &facts.name(around), def.admits, findings);
            }
        }
    }
}

fn check_filter(facts: &Facts<'_>, lying: &Lying<'_>, by: &str, filter: Option<FilterId>, findings: &mut Findings) {
    let (Some(filter), Some(kind)) = (filter, lying.kind) else { return };
    let (filter, stack) = (facts.rules.filter(filter), lying.stack);
    if !filter.test.admits(&Seen { rules: facts.rules, kind, stack }) {
        let message = format!("{by} rejects this {}: it admits `{}`", stack.kind, filter.written());
        findings.add(Law::Admits, facts.place(lying), message);
    }
}
