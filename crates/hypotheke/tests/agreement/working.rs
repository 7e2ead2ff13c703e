//! The comparison where recipes that take time are often started, ended and cancelled.

use proptest::prelude::*;

use super::compare;
use super::generate::{Draw, any_draw};
use super::rules::{any_rules, refit};
use crate::model::{Access, FilterSpec, RecipeSpec, Rules};

/// Rulesets in which every container works on something. Each bit of `which` decides on something.
pub(super) fn working_rules() -> impl Strategy<Value = Rules> {
    (any_rules(), any::<u64>()).prop_map(|(rules, which)| fitted(rules, which))
}

fn fitted(mut rules: Rules, which: u64) -> Rules {
    let mut bits = which;
    let mut bit = || {
        bits = bits.rotate_right(1);
        bits & 1 == 1
    };
    for kind in rules.kinds.iter_mut().take(2) {
        // No container works on packs.
        (kind.pack, kind.most) = (None, kind.most.filter(|_| bit()));
        kind.needs.clear();
    }
    for container in &mut rules.containers {
        if bit() || bit() {
            (container.must_open, container.exclusive) = (false, false);
        }
        if bit() || bit() {
            (container.filter, container.deep) = (None, false);
            container.ruled.retain(|slot| slot.name.is_some());
        }
    }
    let at: Vec<usize> = (0..rules.containers.len()).collect();
    let yields = if bit() { vec![(1, vec![(0, 1)]), (2, vec![(1, 2), (0, 1)]), (1, Vec::new())] } else { Vec::new() };
    let pattern = if bit() && bit() { Some((2, vec![Some(0), None], bit())) } else { None };
    let outputs_to = if bit() && bit() { Some(usize::from(bit())) } else { None };
    let is_automatic = yields.is_empty() && bit();
    let one = |input: usize, output: usize, duration: u32, holds: bool, by: Access| RecipeSpec {
        at: at.clone(),
        in_packs: Vec::new(),
        by,
        inputs: vec![(FilterSpec::Kind(input), 1 + u32::from(duration > 2))],
        tools: Vec::new(),
        outputs: vec![(output, 1 + u32::from(holds))],
        pattern: pattern.clone(),
        yields: yields.clone(),
        outputs_to,
        is_loot: false,
        duration,
        holds: holds || is_automatic,
        is_automatic,
    };
    let some = Access::Listed { owner: true, holders: std::collections::BTreeSet::new(), groups: [0].into() };
    rules.recipes = vec![
        one(0, 1, 1 + u32::from(bit()), bit(), Access::Anyone),
        one(1, 0, 3, bit(), if bit() { Access::Anyone } else { some }),
    ];
    refit(&mut rules);
    rules
}

/// An operation, most often one of recipes and time.
pub(super) fn working_draw() -> impl Strategy<Value = Draw> {
    const WORK: [u8; 8] = [54, 55, 56, 62, 63, 64, 54, 55];
    (any_draw(), 0usize..12).prop_map(|(mut draw, nth)| {
        draw.verb = WORK.get(nth).copied().unwrap_or(draw.verb);
        draw
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn engine_and_model_agree_at_work(
        rules in working_rules(),
        draws in prop::collection::vec(working_draw(), 1..120),
    ) {
        compare(&rules, &draws);
    }
}
