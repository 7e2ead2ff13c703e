//! For each kind: items in the world are those that were created and arrived without those that
//! were consumed and departed.

use std::collections::BTreeMap;

use super::facts::Facts;
use super::{Findings, Law};
use crate::quantity::Decimal;
use crate::snapshot::KindTotals;

pub(super) fn check(facts: &Facts<'_>, findings: &mut Findings) {
    let mut held: BTreeMap<&str, i128> = BTreeMap::new();
    for lying in &facts.stacks {
        *held.entry(&lying.stack.kind).or_default() += i128::from(lying.stack.count);
    }
    for (kind, totals) in &facts.snapshot.totals {
        if facts.rules.find_kind(kind).is_none() {
            findings.add(Law::Conservation, "the world", format!("totals of an unknown kind `{kind}`"));
        }
        *held.entry(kind).or_default() -= balance(totals);
    }
    for (kind, surplus) in held.into_iter().filter(|(_, surplus)| *surplus != 0) {
        let totals = facts.snapshot.totals.get(kind).copied().unwrap_or_default();
        let should = balance(&totals);
        let is = should + surplus;
        let how = if surplus > 0 { "too many" } else { "lost" };
        let message = format!("the world has {is} {kind}, but its totals say {should}: {} {how}", surplus.abs());
        findings.add_figures(Law::Conservation, "the world", message, (whole(is), whole(should)));
    }
}

fn balance(totals: &KindTotals) -> i128 {
    i128::from(totals.created) - i128::from(totals.consumed) + i128::from(totals.arrived) - i128::from(totals.departed)
}

/// A number of items as a figure.
pub(super) fn whole(count: i128) -> Decimal {
    let thousandths = count.saturating_mul(1_000).clamp(i128::from(i64::MIN), i128::from(i64::MAX));
    Decimal::from_thousandths(i64::try_from(thousandths).unwrap_or(i64::MAX))
}
