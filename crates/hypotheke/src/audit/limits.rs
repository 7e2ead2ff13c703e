//! Stack limits, weight caps, caps by filter, the limit of the ground.

use super::conservation::whole;
use super::facts::{Facts, Seen, Where};
use super::{Findings, Law};
use crate::quantity::Decimal;
use crate::ruleset::Cap;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    check_stacks(facts, findings);
    for index in 0..facts.containers.len() {
        let Some(def) = facts.containers[index].def else { continue };
        let stacks = facts.all_in(index);
        check_weight(facts, &facts.name(index), def.weight_cap(), &stacks, findings);
        check_caps(facts, &facts.name(index), def.caps(), &stacks, findings);
    }
    for index in 0..facts.snapshot.holders.len() {
        let Some(def) = facts.holder_def(index) else { continue };
        let stacks: Vec<usize> = facts.borne_by(index).flat_map(|container| facts.all_in(container)).collect();
        let name = &facts.snapshot.holders[index].name;
        check_weight(facts, name, def.weight_cap(), &stacks, findings);
        check_caps(facts, name, def.caps(), &stacks, findings);
    }
    let (landed, most) = (facts.snapshot.ground.len(), facts.rules.ground_limit());
    if let Some(most) = most.filter(|&most| landed > most as usize) {
        let figures = (whole(landed as i128), Decimal::from(most));
        findings.add_figures(Law::Ground, "ground", format!("{landed} stacks of {most}"), figures);
    }
}

fn check_stacks(facts: &Facts<'_>, findings: &mut Findings) {
    for lying in &facts.stacks {
        let Some(kind) = lying.kind else { continue };
        let mut limit = facts.rules.kind(kind).stack_limit();
        if let Where::In(container, slot) = lying.at
            && let Some(def) = facts.containers[container].def
        {
            let own = def.ruled.get(slot as usize).map_or(u32::MAX, |rule| rule.stack_limit);
            limit = limit.min(def.stack_limit().unwrap_or(u32::MAX)).min(own);
        }
        if lying.stack.count > limit {
            let message = format!("{} {} of {limit}", lying.stack.count, lying.stack.kind);
            let figures = (Decimal::from(lying.stack.count), Decimal::from(limit));
            findings.add_figures(Law::StackLimit, facts.place(lying), message, figures);
        }
    }
}

fn check_weight(facts: &Facts<'_>, name: &str, cap: Option<Decimal>, stacks: &[usize], findings: &mut Findings) {
    let weight = |&index: &usize| {
        let lying = &facts.stacks[index];
        let one = lying.kind.map_or(Decimal::ZERO, |kind| facts.rules.kind(kind).weight());
        i128::from(one.thousandths()) * i128::from(lying.stack.count)
    };
    let sum: i128 = stacks.iter().map(weight).sum();
    if let Some(cap) = cap.filter(|cap| sum > i128::from(cap.thousandths())) {
        let sum = Decimal::from_thousandths(i64::try_from(sum).unwrap_or(i64::MAX));
        let message = format!("{} of {}", facts.rules.weight_text(sum), facts.rules.weight_text(cap));
        findings.add_figures(Law::WeightCap, name, message, (sum, cap));
    }
}

fn check_caps(facts: &Facts<'_>, name: &str, caps: &[Cap], stacks: &[usize], findings: &mut Findings) {
    for cap in caps {
        let filter = facts.rules.filter(cap.of);
        let counted = |&&index: &&usize| {
            let lying = &facts.stacks[index];
            let seen = |kind| Seen { rules: facts.rules, kind, stack: lying.stack };
            lying.kind.is_some_and(|kind| filter.test.admits(&seen(kind)))
        };
        let count: i128 = stacks.iter().filter(counted).map(|&index| i128::from(facts.stacks[index].stack.count)).sum();
        if count > i128::from(cap.count) {
            let message = format!("{count} `{}` of {}", filter.written(), cap.count);
            findings.add_figures(Law::Cap, name, message, (whole(count), Decimal::from(cap.count)));
        }
    }
}
