//! Cycles of recipes and deals that turn items into more of them.
//!
//! Each recipe, each deal and each change is a conversion: it takes items and gives others. A cycle
//! gains if some numbers of conversions together leave no fewer items of any kind, and more of one.
//! These numbers are a solution of a linear program. What a cycle does not need is left out of it, as
//! far as there is time. The program is solved in floating point, so its solution is only a proposal:
//! a cycle is reported if it gains by whole numbers, added up exactly.

use std::collections::{BTreeMap, BTreeSet};

use microlp::{ComparisonOp, OptimizationDirection, Problem, Variable};

use crate::filter::Outlook;
use crate::id::KindId;
use crate::ruleset::access::Access;
use crate::ruleset::changes::ChangeEffect;
use crate::ruleset::deals::{Deal, DealSide, Terms};
use crate::ruleset::kind::Kind;
use crate::ruleset::recipes::{Ingredient, Of, Recipe, RecipeSource};
use crate::ruleset::view::Ruleset;
use crate::text::{Diagnostic, Location};

/// More conversions than that are not examined: solving takes too long.
const MAX_CONVERSIONS: usize = 400;
/// How many conversions of a cycle, at most, are left out of it on trial: each takes a solution.
const MAX_LEFT_OUT: usize = 100;
/// The largest factor by which a solution is multiplied to make its numbers whole.
const MAX_FACTOR: u32 = 1_000_000;

/// A cycle that gains, if one is found; or that there is too much to look for one.
pub(super) fn gaining(rules: &Ruleset) -> Option<Diagnostic> {
    let conversions = useful(without_mere_goods(conversions(rules)));
    let first = conversions.first()?;
    if conversions.len() > MAX_CONVERSIONS {
        let message = format!("{} recipes and deals lead into each other", conversions.len());
        let fault = Diagnostic::warning("not-examined", first.at, message).label("one of them");
        let help =
            format!("Up to {MAX_CONVERSIONS} are searched for a cycle that gains. Try some with `hypotheke explore`");
        return Some(fault.help(help));
    }
    let members = find(&conversions)?;
    let at = members.first()?.at;
    let steps = |times: &dyn Fn(usize) -> u64| {
        members.iter().enumerate().map(|(nth, it)| it.text(times(nth))).collect::<Vec<_>>().join("; ")
    };
    let Some(cycle) = solve(&members).ok().flatten().and_then(|cycle| cycle.whole(&members)) else {
        let message = "a cycle may gain, by numbers that are too large to be added up";
        let fault = Diagnostic::warning("not-examined", at, message).label("part of the cycle");
        return Some(fault.help(format!("Try it with `hypotheke explore`. Its steps: {}", steps(&|_| 1))));
    };
    let gains = cycle.net(&members).into_iter().filter(|(_, count)| *count > 0);
    let gains: Vec<String> = gains.map(|(kind, count)| format!("{count} {}", rules.known_kind(kind).id())).collect();
    let fault = Diagnostic::warning("gaining-cycle", at, format!("a cycle gains {}", gains.join(" and ")));
    let steps = steps(&|nth| cycle.times[nth]);
    Some(fault.label("part of the cycle").help(format!("Its steps: {steps}. Let one of them take more or give less")))
}

/// What is taken: a number of items of any of some kinds.
struct Taken {
    kinds: Vec<KindId>,
    count: u32,
}

impl Taken {
    fn of_one_kind(&self) -> Option<(KindId, u32)> {
        if let [kind] = *self.kinds { Some((kind, self.count)) } else { None }
    }
}

struct Conversion {
    what: What,
    at: Location,
    takes: Vec<Taken>,
    gives: Vec<(KindId, u32)>,
}

enum What {
    Recipe(Box<str>),
    Change(Box<str>),
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
            What::Change(name) if times == 1 => format!("change {name}"),
            What::Change(name) => format!("{times} times change {name}"),
            What::Deal { side, goods, at, .. } if times == 1 => format!("{} {goods} at {at}", side.word()),
            What::Deal { side, goods, at, .. } => format!("{times} times {} {goods} at {at}", side.word()),
        }
    }
}

/// All recipes with each of their yields, all deals as holders make them, and all changes of one kind into another.
fn conversions(rules: &Ruleset) -> Vec<Conversion> {
    let recipes = rules.recipes().iter().zip(&rules.source.recipes);
    let is_for_holders = |(recipe, _): &(&Recipe, &RecipeSource)| !recipe.is_loot();
    let mut found: Vec<Conversion> = recipes
        .filter(is_for_holders)
        .flat_map(|(recipe, source)| recipe.yield_numbers().map(move |number| (recipe, number, source.id.at)))
        .map(|(recipe, number, at)| of_recipe(rules, (recipe, number), at))
        .collect();
    for (deal, source) in rules.deals().iter().zip(&rules.source.deals) {
        if *deal.by() != Access::Nobody {
            of_deal(rules, deal, source.id.at, &mut found);
        }
    }
    for (change, source) in rules.changes().iter().zip(&rules.source.changes) {
        let ChangeEffect::Becomes(other) = change.effect() else { continue };
        let test = &rules.filter(change.filter()).test;
        for kind in rules.kinds().filter(|kind| test.outlook(kind) != Outlook::Never) {
            let takes = vec![Taken { kinds: vec![kind.handle()], count: 1 }];
            let what = What::Change(change.id().into());
            found.push(Conversion { what, at: source.id.at, takes, gives: vec![(other, 1)] });
        }
    }
    found
}

fn of_recipe(rules: &Ruleset, (recipe, number): (&Recipe, Option<u32>), at: Location) -> Conversion {
    // Whether a filter admits a stack may depend on its marks; here it is enough that it admits a plain one.
    let kinds = |ingredient: &Ingredient| match ingredient.of() {
        Of::Kind(kind) => vec![kind],
        Of::Filter(filter) => {
            rules.kinds().map(Kind::handle).filter(|&kind| rules.filter(filter).admits_plain(kind)).collect()
        }
    };
    let takes = recipe.inputs().iter().map(|input| Taken { kinds: kinds(input), count: input.count() });
    let with_yield = number.map_or_else(String::new, |number| format!(" with yield {number}"));
    let what = What::Recipe(format!("{}{with_yield}", recipe.id()).into());
    Conversion { what, at, takes: takes.collect(), gives: recipe.made(number).to_vec() }
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
/// that nobody pays more for than they cost: most kinds of a shop. If more is paid for one of them
/// than it costs, that is a cycle, and only its deals are left.
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
    let goods_of = |conversion: &Conversion| conversion.trade().map(|(goods, ..)| goods);
    let pays = |trade: &Trade| trade.cost.is_some_and(|cost| trade.paid.is_some_and(|paid| paid > cost));
    let paying = trades.iter().find(|(_, trade)| !trade.is_mixed && pays(trade)).map(|(goods, _)| *goods);
    let is_meant = |conversion: &Conversion| match (paying, goods_of(conversion)) {
        (Some(paying), goods) => goods == Some(paying),
        (None, Some(goods)) => trades.get(&goods).is_none_or(|trade| trade.is_mixed),
        (None, None) => true,
    };
    conversions.into_iter().filter(is_meant).collect()
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
struct Cycle<N> {
    times: Vec<N>,
    /// Where it takes items of any of several kinds: the conversion, which of the items that it takes,
    /// their kind, and how many.
    taken: Vec<(usize, usize, KindId, N)>,
}

impl Cycle<u64> {
    /// What there is more or less of, of each kind.
    fn net(&self, members: &[&Conversion]) -> BTreeMap<KindId, i128> {
        let mut net: BTreeMap<KindId, i128> = BTreeMap::new();
        for (times, conversion) in self.times.iter().zip(members) {
            for &(kind, count) in &conversion.gives {
                *net.entry(kind).or_default() += i128::from(*times) * i128::from(count);
            }
            for (kind, count) in conversion.takes.iter().filter_map(Taken::of_one_kind) {
                *net.entry(kind).or_default() -= i128::from(*times) * i128::from(count);
            }
        }
        for &(_, _, kind, count) in &self.taken {
            *net.entry(kind).or_default() -= i128::from(count);
        }
        net
    }

    /// Whether each conversion takes as many items as it must, none is lost, and some are gained.
    fn gains(&self, members: &[&Conversion]) -> bool {
        let mut taken: BTreeMap<(usize, usize), u128> = BTreeMap::new();
        for &(member, number, _, count) in &self.taken {
            *taken.entry((member, number)).or_default() += u128::from(count);
        }
        let is_whole = taken.iter().all(|(&(member, number), count)| {
            u128::from(self.times[member]) * u128::from(members[member].takes[number].count) == *count
        });
        let net = self.net(members);
        is_whole && net.values().all(|count| *count >= 0) && net.values().any(|count| *count > 0)
    }
}

impl Cycle<f64> {
    /// The conversions that are made.
    fn members<'c>(&self, among: &[&'c Conversion]) -> Vec<&'c Conversion> {
        self.times.iter().zip(among).filter(|(times, _)| **times > 1e-6).map(|(_, member)| *member).collect()
    }

    /// The same in whole numbers, if it gains by them.
    fn whole(&self, members: &[&Conversion]) -> Option<Cycle<u64>> {
        let smallest = self.times.iter().copied().reduce(f64::min).filter(|it| *it > 1e-6)?;
        let multiplied = |factor: u32| {
            let scaled = |value: f64| rounded(value / smallest * f64::from(factor));
            let times = self.times.iter().map(|times| scaled(*times)).collect::<Option<_>>()?;
            let taken =
                self.taken.iter().map(|&(member, number, kind, count)| Some((member, number, kind, scaled(count)?)));
            Some(Cycle { times, taken: taken.collect::<Option<_>>()? }).filter(|cycle| cycle.gains(members))
        };
        (1..=MAX_FACTOR).find_map(multiplied)
    }
}

/// The conversions of a cycle that gains. If there are not too many, it could do without none of them.
fn find(conversions: &[Conversion]) -> Option<Vec<&Conversion>> {
    let all: Vec<&Conversion> = conversions.iter().collect();
    // Without a solution all of them may be part of a cycle.
    let Ok(solution) = solve(&all) else { return Some(all) };
    let mut members = solution?.members(&all);
    // What can't be left out of a cycle can't be left out of a part of it.
    let mut necessary = 0;
    for _ in 0..MAX_LEFT_OUT {
        if necessary >= members.len() {
            break;
        }
        let mut others = members.clone();
        others.remove(necessary);
        match solve(&others) {
            Ok(Some(cycle)) => members = cycle.members(&others),
            Ok(None) | Err(_) => necessary += 1,
        }
    }
    Some(members)
}

/// The cycle that gains most for its number of conversions, if one gains.
fn solve(conversions: &[&Conversion]) -> Result<Option<Cycle<f64>>, microlp::Error> {
    let mut problem = Problem::new(OptimizationDirection::Maximize);
    let any = (0.0, f64::INFINITY);
    let mut net: BTreeMap<KindId, Vec<(Variable, f64)>> = BTreeMap::new();
    let mut times = Vec::new();
    let mut taken: Vec<(usize, usize, KindId, Variable)> = Vec::new();
    for (index, conversion) in conversions.iter().enumerate() {
        let mut changes: BTreeMap<KindId, f64> = BTreeMap::new();
        for &(kind, count) in &conversion.gives {
            *changes.entry(kind).or_default() += f64::from(count);
        }
        for (kind, count) in conversion.takes.iter().filter_map(Taken::of_one_kind) {
            *changes.entry(kind).or_default() -= f64::from(count);
        }
        let made = problem.add_var(changes.values().sum(), any);
        times.push(made);
        for (kind, count) in changes {
            net.entry(kind).or_default().push((made, count));
        }
        let several = conversion.takes.iter().enumerate().filter(|(_, takes)| takes.kinds.len() > 1);
        for (number, takes) in several {
            // The items of all its kinds together are as many as it takes.
            let of_each: Vec<Variable> = takes.kinds.iter().map(|_| problem.add_var(-1.0, any)).collect();
            let all = of_each.iter().map(|&variable| (variable, 1.0)).chain([(made, -f64::from(takes.count))]);
            problem.add_constraint(all, ComparisonOp::Eq, 0.0);
            for (&variable, &kind) in of_each.iter().zip(&takes.kinds) {
                net.entry(kind).or_default().push((variable, -1.0));
                taken.push((index, number, kind, variable));
            }
        }
    }
    for terms in net.into_values() {
        problem.add_constraint(terms, ComparisonOp::Ge, 0.0);
    }
    problem.add_constraint(times.iter().map(|&made| (made, 1.0)), ComparisonOp::Le, 1.0);
    // A gain that is small beside the numbers may be one of rounding.
    let most = conversions.iter().flat_map(|it| it.gives.iter().map(|(_, count)| *count)).max();
    let tolerance = f64::from(most.unwrap_or_default()) * 1e-6;
    // It is interrupted only where there is a limit of time.
    let Ok(solution) = problem.solve()?.into_solution() else { return Ok(None) };
    if solution.objective() <= tolerance {
        return Ok(None);
    }
    let value = |variable: Variable| solution.var_value(variable);
    let taken = taken.into_iter().map(|(member, number, kind, variable)| (member, number, kind, value(variable)));
    Ok(Some(Cycle { times: times.iter().map(|&made| value(made)).collect(), taken: taken.collect() }))
}

/// The whole number that is meant, if the value is near to one.
fn rounded(value: f64) -> Option<u64> {
    let whole = value.round();
    let is_near = (value - whole).abs() < 1e-3 && (0.0..1e12).contains(&whole);
    #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "it is whole and within the bounds")]
    is_near.then_some(whole as u64)
}
