//! Stack limits, weight caps, caps by filter, the limit of the ground.

use super::conservation::whole;
use super::facts::{Facts, Seen, Where};
use super::{Findings, Law};
use crate::quantity::Decimal;
use crate::ruleset::{Cap, FilterId};

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    check_stacks(facts, findings);
    check_weights(facts, findings);
    check_caps(facts, findings);
    check_numbers(facts, findings);
    let (landed, most) = (facts.snapshot.ground.len(), facts.rules.ground_limit());
    if let Some(most) = most.filter(|&most| landed > most as usize) {
        let figures = (whole(landed as i128), Decimal::from(most));
        findings.add_figures(
            Law::Ground,
            "ground",
            format!("the ground has {landed} stacks; the maximum is {most}"),
            figures,
        );
    }
}

fn check_stacks(facts: &Facts<'_>, findings: &mut Findings) {
    for lying in &facts.stacks {
        let Some(kind) = lying.kind else { continue };
        let mut limit = facts.rules.known_kind(kind).stack_limit();
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

fn check_numbers(facts: &Facts<'_>, findings: &mut Findings) {
    for kind in facts.rules.kinds() {
        let Some(most) = kind.max_in_world() else { continue };
        let stacks = facts.stacks.iter().filter(|lying| lying.kind == Some(kind.handle()));
        let count: i128 = stacks.map(|lying| i128::from(lying.stack.count)).sum();
        if count > i128::from(most) {
            let message = format!("{count} {} of {most}", kind.id());
            findings.add_figures(Law::Cap, "the world", message, (whole(count), Decimal::from(most)));
        }
    }
}

struct Limits<'r> {
    weight_cap: Option<Decimal>,
    caps: &'r [Cap],
}

/// Calls `check` for each container and holder with its name, the containers that it is, and its
/// limits.
fn each_bearer<'f>(facts: &Facts<'f>, mut check: impl FnMut(&str, &[usize], Limits<'f>)) {
    for (index, held) in facts.containers.iter().enumerate() {
        if let Some(def) = held.def {
            check(&facts.name(index), &[index], Limits { weight_cap: def.weight_cap(), caps: def.caps() });
        }
    }
    for (index, holder) in facts.snapshot.holders.iter().enumerate() {
        if let Some(def) = facts.holder_def(index) {
            let limits = Limits { weight_cap: def.weight_cap(), caps: def.caps() };
            check(&holder.name, facts.borne_by(index), limits);
        }
    }
}

fn check_weights(facts: &Facts<'_>, findings: &mut Findings) {
    let weights = facts.sums(|lying| {
        let one = lying.kind.map_or(Decimal::ZERO, |kind| facts.rules.known_kind(kind).weight());
        i128::from(one.thousandths()) * i128::from(lying.stack.count)
    });
    each_bearer(facts, |name, containers, limits| {
        let sum: i128 = containers.iter().map(|&container| weights[container]).sum();
        if let Some(cap) = limits.weight_cap.filter(|cap| sum > i128::from(cap.thousandths())) {
            let sum = Decimal::from_thousandths(i64::try_from(sum).unwrap_or(i64::MAX));
            let message = format!("{} of {}", facts.rules.weight_text(sum), facts.rules.weight_text(cap));
            findings.add_figures(Law::WeightCap, name, message, (sum, cap));
        }
    });
}

fn check_caps(facts: &Facts<'_>, findings: &mut Findings) {
    let count = |&of: &FilterId| {
        let filter = facts.rules.filter(of);
        facts.sums(|lying| {
            let seen = |kind| Seen { rules: facts.rules, kind, stack: lying.stack };
            let counts = lying.kind.is_some_and(|kind| filter.test.admits(&seen(kind)));
            if counts { i128::from(lying.stack.count) } else { 0 }
        })
    };
    let counts: Vec<Vec<i128>> = facts.rules.cap_filters.iter().map(count).collect();
    each_bearer(facts, |name, containers, limits| {
        for cap in limits.caps {
            let count: i128 = containers.iter().map(|&container| counts[cap.number as usize][container]).sum();
            if count > i128::from(cap.count) {
                let message = format!("{count} `{}` of {}", facts.rules.filter(cap.of).written(), cap.count);
                findings.add_figures(Law::Cap, name, message, (whole(count), Decimal::from(cap.count)));
            }
        }
    });
}
