//! Cycles of recipes and deals that turn items into more of them.
//!
//! Each recipe and each deal is a conversion: it takes items and gives others. A cycle gains if some
//! numbers of conversions together leave no fewer items of any kind, and more of one. These numbers
//! are a solution of a linear program. The program is solved in floating point, so its solution is
//! only a proposal: a cycle is reported if it gains by whole numbers, added up exactly.

use std::collections::{BTreeMap, BTreeSet};

use microlp::{ComparisonOp, OptimizationDirection, Problem, Variable};

use crate::id::KindId;
use crate::ruleset::access::Access;
use crate::ruleset::deals::{Deal, DealSide, Terms};
use crate::ruleset::kind::Kind;
use crate::ruleset::recipes::{Ingredient, Of, Recipe};
use crate::ruleset::view::Ruleset;
use crate::text::{Diagnostic, Location};

/// More conversions than that are not examined: solving takes too long.
const MAX_CONVERSIONS: usize = 2_000;
/// The largest factor by which a solution is multiplied to make its numbers whole.
const MAX_FACTOR: u32 = 10_000;

/// The first cycle that gains, if there is one.
pub(super) fn gaining(rules: &Ruleset) -> Option<Diagnostic> {
    let conversions = useful(without_mere_goods(conversions(rules)));
    if conversions.is_empty() || conversions.len() > MAX_CONVERSIONS {
        return None;
    }
    let cycle = solve(&conversions)?;
    let gains: Vec<String> = cycle
        .net(&conversions)
        .into_iter()
        .filter(|(_, count)| *count > 0)
        .map(|(kind, count)| format!("{count} {}", rules.known_kind(kind).id()))
        .collect();
    let steps = || cycle.times.iter().zip(&conversions).filter(|(times, _)| **times > 0);
    let described: Vec<String> = steps().map(|(times, conversion)| conversion.text(*times)).collect();
    let at = steps().next()?.1.at;
    let message = format!("a cycle gains {}", gains.join(" and "));
    let help = format!("Its steps: {}. Let one of them take more or give less", described.join("; "));
    Some(Diagnostic::warning("gaining-cycle", at, message).label("part of the cycle").help(help))
}

/// What is taken: a number of items of any of some kinds.
struct Taken {
    kinds: Vec<KindId>,
    count: u32,
}

struct Conversion {
    what: What,
    at: Location,
    takes: Vec<Taken>,
    gives: Vec<(KindId, u32)>,
}

enum What {
    Recipe(Box<str>),
    Deal { side: DealSide, goods: String, at: Box<str>, has_price: bool },
}

impl Conversion {
    /// Of a deal with a price: the goods, the coins for one, and whether the holder buys.
    fn trade(&self) -> Option<(KindId, (KindId, u32), bool)> {
        let What::Deal { side, has_price: true, .. } = self.what else { return None };
        let taken = self.takes.first()?;
        let (taken, given) = ((*taken.kinds.first()?, taken.count), *self.gives.first()?);
        match side {
            DealSide::Buy => Some((given.0, taken, true)),
            DealSide::Sell => Some((taken.0, given, false)),
        }
    }

    /// `3 times recipe melt`, `buy 3 tin at stall`.
    fn text(&self, times: u64) -> String {
        match &self.what {
            What::Recipe(name) if times == 1 => format!("recipe {name}"),
            What::Recipe(name) => format!("{times} times recipe {name}"),
            What::Deal { side, goods, at, .. } if times == 1 => format!("{} {goods} at {at}", side.word()),
            What::Deal { side, goods, at, .. } => format!("{times} times {} {goods} at {at}", side.word()),
        }
    }
}

/// All recipes, and all deals as holders make them.
fn conversions(rules: &Ruleset) -> Vec<Conversion> {
    let recipes = rules.recipes().iter().zip(&rules.source.recipes);
    let mut found: Vec<Conversion> = recipes.map(|(recipe, source)| of_recipe(rules, recipe, source.id.at)).collect();
    for (deal, source) in rules.deals().iter().zip(&rules.source.deals) {
        if *deal.by() != Access::Nobody {
            of_deal(rules, deal, source.id.at, &mut found);
        }
    }
    found
}

fn of_recipe(rules: &Ruleset, recipe: &Recipe, at: Location) -> Conversion {
    // Whether a filter admits a stack may depend on its marks; here it is enough that it admits a plain one.
    let kinds = |ingredient: &Ingredient| match ingredient.of() {
        Of::Kind(kind) => vec![kind],
        Of::Filter(filter) => {
            rules.kinds().map(Kind::handle).filter(|&kind| rules.filter(filter).admits_plain(kind)).collect()
        }
    };
    let takes = recipe.inputs().iter().map(|input| Taken { kinds: kinds(input), count: input.count() });
    Conversion { what: What::Recipe(recipe.id().into()), at, takes: takes.collect(), gives: recipe.outputs().to_vec() }
}

fn of_deal(rules: &Ruleset, deal: &Deal, at: Location, found: &mut Vec<Conversion>) {
    let place: Box<str> = deal.at().next().unwrap_or_default().into();
    let mut add = |side: DealSide, kind: KindId| {
        let Some(lot) = rules.lot(deal, side, kind) else { return };
        let goods = rules.items_text(lot.named(side));
        let takes = lot.gives.iter().map(|&(kind, count)| Taken { kinds: vec![kind], count }).collect();
        let has_price = matches!(deal.terms(), Terms::Prices { .. });
        let what = What::Deal { side, goods, at: place.clone(), has_price };
        found.push(Conversion { what, at, takes, gives: lot.gets });
    };
    match deal.terms() {
        Terms::Lot { gives, .. } => gives.iter().take(1).for_each(|(kind, _)| add(DealSide::Buy, *kind)),
        Terms::Prices { .. } => {
            for kind in rules.kinds().map(Kind::handle) {
                add(DealSide::Buy, kind);
                add(DealSide::Sell, kind);
            }
        }
    }
}

/// Leaves out goods that are bought and sold for one currency, that nothing else takes or gives, and
/// that nobody pays more for than they cost: most kinds of a shop.
fn without_mere_goods(conversions: Vec<Conversion>) -> Vec<Conversion> {
    /// The least that it costs, the most that is paid for it, the currency, and whether there are
    /// others.
    #[derive(Default)]
    struct Trade {
        cost: Option<u32>,
        paid: Option<u32>,
        currency: Option<KindId>,
        is_mixed: bool,
    }
    let mut trades: BTreeMap<KindId, Trade> = BTreeMap::new();
    for conversion in &conversions {
        let Some((goods, coins, is_bought)) = conversion.trade() else {
            let taken = conversion.takes.iter().flat_map(|taken| &taken.kinds);
            let given = conversion.gives.iter().map(|(kind, _)| kind);
            taken.chain(given).for_each(|kind| trades.entry(*kind).or_default().is_mixed = true);
            continue;
        };
        trades.entry(coins.0).or_default().is_mixed = true;
        let trade = trades.entry(goods).or_default();
        trade.is_mixed |= trade.currency.is_some_and(|currency| currency != coins.0);
        trade.currency = Some(coins.0);
        match is_bought {
            true => trade.cost = Some(trade.cost.map_or(coins.1, |cost| cost.min(coins.1))),
            false => trade.paid = Some(trade.paid.map_or(coins.1, |paid| paid.max(coins.1))),
        }
    }
    let pays = |conversion: &Conversion| {
        let trade = conversion.trade().and_then(|(goods, ..)| trades.get(&goods));
        trade.is_none_or(|it| it.is_mixed || it.cost.is_some_and(|cost| it.paid.is_some_and(|paid| paid > cost)))
    };
    conversions.into_iter().filter(pays).collect()
}

/// Those that may be part of a cycle: another one gives what they take, and takes what they give.
fn useful(mut conversions: Vec<Conversion>) -> Vec<Conversion> {
    loop {
        let given: BTreeSet<KindId> = conversions.iter().flat_map(|it| &it.gives).map(|(kind, _)| *kind).collect();
        let taken: BTreeSet<KindId> =
            conversions.iter().flat_map(|it| &it.takes).flat_map(|taken| &taken.kinds).copied().collect();
        let before = conversions.len();
        for taken in conversions.iter_mut().flat_map(|it| &mut it.takes) {
            taken.kinds.retain(|kind| given.contains(kind));
        }
        conversions.retain(|it| {
            it.takes.iter().all(|taken| !taken.kinds.is_empty())
                && it.gives.iter().any(|(kind, _)| taken.contains(kind))
        });
        if conversions.len() == before {
            return conversions;
        }
    }
}

/// How often each conversion is made, and which items it takes.
struct Cycle {
    times: Vec<u64>,
    /// The conversion, which of the items that it takes, their kind, and how many.
    taken: Vec<(usize, usize, KindId, u64)>,
}

impl Cycle {
    /// What there is more or less of, of each kind.
    fn net(&self, conversions: &[Conversion]) -> BTreeMap<KindId, i128> {
        let mut net: BTreeMap<KindId, i128> = BTreeMap::new();
        for (times, conversion) in self.times.iter().zip(conversions) {
            for &(kind, count) in &conversion.gives {
                *net.entry(kind).or_default() += i128::from(*times) * i128::from(count);
            }
        }
        for &(_, _, kind, count) in &self.taken {
            *net.entry(kind).or_default() -= i128::from(count);
        }
        net
    }

    /// Whether each conversion takes as many items as it must, none is lost, and some are gained.
    fn gains(&self, conversions: &[Conversion]) -> bool {
        let mut taken: BTreeMap<(usize, usize), u128> = BTreeMap::new();
        for &(conversion, number, _, count) in &self.taken {
            *taken.entry((conversion, number)).or_default() += u128::from(count);
        }
        let is_whole = taken.iter().all(|(&(conversion, number), count)| {
            u128::from(self.times[conversion]) * u128::from(conversions[conversion].takes[number].count) == *count
        });
        let net = self.net(conversions);
        is_whole && net.values().all(|count| *count >= 0) && net.values().any(|count| *count > 0)
    }
}

/// A cycle in whole numbers that gains, if the program has a solution that is one.
fn solve(conversions: &[Conversion]) -> Option<Cycle> {
    let mut problem = Problem::new(OptimizationDirection::Maximize);
    let any = (0.0, f64::INFINITY);
    let mut net: BTreeMap<KindId, Vec<(Variable, f64)>> = BTreeMap::new();
    let mut times = Vec::new();
    let mut choices: Vec<(Variable, (usize, usize, KindId))> = Vec::new();
    for (index, conversion) in conversions.iter().enumerate() {
        let given: f64 = conversion.gives.iter().map(|(_, count)| f64::from(*count)).sum();
        let made = problem.add_var(given, any);
        times.push(made);
        for &(kind, count) in &conversion.gives {
            net.entry(kind).or_default().push((made, f64::from(count)));
        }
        for (number, taken) in conversion.takes.iter().enumerate() {
            // The items of all its kinds together are as many as it takes.
            let of_each: Vec<Variable> = taken.kinds.iter().map(|_| problem.add_var(-1.0, any)).collect();
            let all = of_each.iter().map(|&variable| (variable, 1.0)).chain([(made, -f64::from(taken.count))]);
            problem.add_constraint(all, ComparisonOp::Eq, 0.0);
            for (&variable, &kind) in of_each.iter().zip(&taken.kinds) {
                net.entry(kind).or_default().push((variable, -1.0));
                choices.push((variable, (index, number, kind)));
            }
        }
    }
    for terms in net.into_values() {
        problem.add_constraint(terms, ComparisonOp::Ge, 0.0);
    }
    problem.add_constraint(times.iter().map(|&made| (made, 1.0)), ComparisonOp::Le, 1.0);
    let solution = problem.solve().ok()?.into_solution().ok()?;
    let value = |variable: Variable| solution.var_value(variable);
    let smallest = times.iter().map(|&made| value(made)).filter(|it| *it > 1e-6).reduce(f64::min)?;
    let whole = |factor: u32| {
        let scaled = |variable: Variable| rounded(value(variable) / smallest * f64::from(factor));
        let times = times.iter().map(|&made| scaled(made)).collect::<Option<_>>()?;
        let taken =
            choices.iter().map(|&(variable, (index, number, kind))| Some((index, number, kind, scaled(variable)?)));
        Some(Cycle { times, taken: taken.collect::<Option<_>>()? }).filter(|cycle| cycle.gains(conversions))
    };
    (1..=MAX_FACTOR).find_map(whole)
}

/// The whole number that is meant, if the value is near to one.
fn rounded(value: f64) -> Option<u64> {
    let whole = value.round();
    let is_near = (value - whole).abs() < 1e-3 && (0.0..1e12).contains(&whole);
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it is whole and within the bounds")]
    is_near.then_some(whole as u64)
}
