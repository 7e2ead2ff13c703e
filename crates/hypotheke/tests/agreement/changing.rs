//! The comparison where stacks often change: tools wear, food spoils, marks and low properties make
//! something else of a stack.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::compare;
use super::generate::{Draw, any_draw};
use super::rules::{any_rules, fitted_changes, refit};
use crate::model::{ChangeEffect, ChangeSpec, FallSpec, FilterSpec, Rules};

/// Rulesets with a tool that wears out and food that spoils. Each bit of `which` decides on
/// something.
pub(super) fn changing_rules() -> impl Strategy<Value = Rules> {
    (any_rules(), any::<u64>()).prop_map(|(rules, which)| fitted(rules, which))
}

fn fitted(mut rules: Rules, which: u64) -> Rules {
    let mut bits = which;
    let mut bit = || {
        bits = bits.rotate_right(1);
        bits & 1 == 1
    };
    // Their prices would be others for other weights and properties.
    rules.deals.clear();
    let last = rules.kinds.len() - 1;
    for (number, kind) in rules.kinds.iter_mut().enumerate().filter(|(number, _)| *number < 1 || *number == last) {
        (kind.pack, kind.most, kind.is_protected) = (None, None, false);
        kind.needs.clear();
        kind.lowers.clear();
        kind.properties = BTreeMap::from([(0, 1_500), (1, 1_000)]);
        (kind.limit, kind.weight) = if number == 0 { (1, 1_000) } else { (2, 500) };
    }
    let tool = &mut rules.kinds[0];
    tool.effects = Some(BTreeMap::new());
    tool.lowers = BTreeMap::from([(0, if bit() { 500 } else { 1_000 })]);
    for container in &mut rules.containers {
        container.ejects_unfit |= bit();
        if bit() || bit() {
            (container.must_open, container.exclusive) = (false, false);
        }
        if bit() {
            (container.filter, container.deep) = (Some(FilterSpec::PropertyAtLeast(0, 1_000)), bit());
        }
    }
    let low = |property, least| FilterSpec::Not(Box::new(FilterSpec::PropertyAtLeast(property, least)));
    let change = |kind, when, effect| (kind, ChangeSpec { when, effect });
    let end = if bit() { ChangeEffect::Becomes(last) } else { ChangeEffect::Removes };
    let changes = vec![
        change(0, low(0, 1_000), if bit() { ChangeEffect::Marks(0) } else { end }),
        change(0, FilterSpec::Mark(0), end),
        change(last, low(1, 500), if bit() { ChangeEffect::Removes } else { ChangeEffect::Marks(1) }),
    ];
    let every = 1 + u64::from(bit()) + u64::from(bit());
    rules.falling = BTreeMap::from([(1, FallSpec { by: 500, every, min: 0 })]);
    if bit() {
        rules.falling.insert(0, FallSpec { by: 700, every: 2, min: if bit() { 500 } else { 0 } });
    }
    rules.changes = fitted_changes(&rules, changes);
    refit(&mut rules);
    rules
}

/// An operation, most often one that changes a stack, or time.
pub(super) fn changing_draw() -> impl Strategy<Value = Draw> {
    const CHANGE: [u8; 7] = [58, 59, 60, 62, 63, 18, 62];
    (any_draw(), 0usize..12).prop_map(|(mut draw, nth)| {
        draw.verb = CHANGE.get(nth).copied().unwrap_or(draw.verb);
        draw
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn engine_and_model_agree_on_changes(
        rules in changing_rules(),
        draws in prop::collection::vec(changing_draw(), 1..120),
    ) {
        compare(&rules, &draws);
    }
}
