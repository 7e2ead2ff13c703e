//! The comparison where deals and trades are often made: in a world of any rules hardly anybody can
//! pay, and what is paid has no place.

use proptest::prelude::*;

use super::compare;
use super::generate::{Draw, any_draw};
use super::rules::{any_rules, refit};
use crate::model::{Access, DealSpec, DealTerms, FilterSpec, Rules};

/// Rulesets with deals, in which some holder carries something and most of what could be in the way
/// of a deal is not. Each bit of `which` decides on something.
pub(super) fn trading_rules() -> impl Strategy<Value = Rules> {
    (any_rules(), any::<u64>()).prop_filter_map("nobody trades", |(rules, which)| loosened(rules, which))
}

fn loosened(mut rules: Rules, which: u64) -> Option<Rules> {
    if (0..rules.holders.len()).all(|holder| rules.carried(holder).is_empty()) {
        return None;
    }
    let mut bits = which;
    let mut bit = || {
        bits = bits.rotate_right(1);
        bits & 1 == 1
    };
    // One alone trades with nobody.
    if rules.holders.len() < 2 && bit() {
        return None;
    }
    for container in &mut rules.containers {
        if bit() || bit() {
            (container.filter, container.deep, container.cap) = (None, false, None);
            container.caps.clear();
        }
        if bit() || bit() {
            (container.must_open, container.exclusive) = (false, false);
        }
        if bit() {
            container.slots = container.slots.max(5);
            container.bounds.1 = container.bounds.1.max(container.slots);
        }
    }
    for (cap, caps) in &mut rules.holders {
        if bit() || bit() {
            *cap = None;
            caps.clear();
        }
    }
    for kind in rules.kinds.iter_mut().filter(|kind| kind.pack.is_none() && kind.lowers.is_empty()) {
        if bit() || bit() {
            kind.most = None;
            kind.limit = kind.limit.max(6);
            kind.needs.clear();
        }
    }
    if rules.deals.is_empty() || bit() {
        // One that is sure to have a kind, to buy and to sell.
        let factor = if bit() { 500 } else { 1_500 };
        let [coins, goods] = [0, 1];
        rules.kinds[goods].value = rules.kinds[goods].value.max(2_000);
        rules.containers[0].filter = None;
        rules.containers[0].deep = false;
        rules.containers[0].ruled.clear();
        let (buy, sell) = (Some((factor, true)), Some((factor, false)));
        let terms = DealTerms::Prices { of: FilterSpec::Kind(goods), currency: coins, buy, sell };
        let by = Access::Anyone;
        rules.deals = vec![DealSpec { at: vec![0], by, terms, coins_to: None, use_nobody: bit() }];
    }
    for deal in &mut rules.deals {
        if bit() || bit() {
            deal.by = Access::Anyone;
        }
    }
    refit(&mut rules);
    Some(rules)
}

/// An operation, most often a deal, a trade, or something that is created for one.
pub(super) fn trading_draw() -> impl Strategy<Value = Draw> {
    const DEALS: [u8; 7] = [50, 51, 52, 50, 51, 53, 53];
    (any_draw(), 0usize..9).prop_map(|(mut draw, nth)| {
        draw.verb = DEALS.get(nth).copied().unwrap_or(draw.verb);
        draw
    })
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn engine_and_model_agree_in_trade(
        rules in trading_rules(),
        draws in prop::collection::vec(trading_draw(), 1..120),
    ) {
        compare(&rules, &draws);
    }
}
