//! Deals that nobody can make.

use crate::ruleset::access::{Access, Right};
use crate::ruleset::deals::{Deal, DealSource, Terms};
use crate::ruleset::places::ContainerDef;
use crate::ruleset::view::Ruleset;
use crate::text::Diagnostic;

/// Nobody may make it, nobody may take from its containers or put into them, or it has no goods.
pub(super) fn never_made(rules: &Ruleset) -> Vec<Diagnostic> {
    let deals = rules.deals().iter().zip(&rules.source.deals);
    let warning = |(deal, source): (&Deal, &DealSource)| {
        let (cause, help) = why_never(rules, deal)?;
        let fault = Diagnostic::warning("never-made", source.id.at, format!("nobody can make deal `{}`", deal.id()));
        Some(fault.label(cause).help(help))
    };
    deals.filter_map(warning).collect()
}

fn why_never(rules: &Ruleset, deal: &Deal) -> Option<(String, &'static str)> {
    let has_actor = match deal.by() {
        Access::Anyone | Access::Surrounding => !rules.holders().is_empty(),
        Access::Nobody => false,
        // A container may be given to any holder.
        Access::Listed(_) => true,
    };
    if !has_actor {
        return Some(("no holder may make it".to_owned(), "Name holders in `by`, or add a holder"));
    }
    if let Terms::Prices { of, .. } = deal.terms()
        && !rules.kinds().any(|kind| rules.filter(of.0).admits_plain(kind.handle()))
    {
        return Some(("no kind has a price".to_owned(), "Change the filter `of`"));
    }
    let def = |name: &str| rules.containers().iter().find(|def| def.instances().any(|it| it == name));
    let is_shut = |name: &str, right| def(name).is_some_and(|def: &ContainerDef| *def.access(right) == Access::Nobody);
    if deal.uses_nobody() {
        return None;
    }
    let shut = |at: &str| {
        let till = deal.coins_to().unwrap_or(at);
        let (take, put) = (|name: &str| is_shut(name, Right::Take), |name: &str| is_shut(name, Right::Put));
        let buys = match deal.terms() {
            Terms::Lot { .. } | Terms::Prices { buy: Some(_), .. } => !take(at) && !put(till),
            Terms::Prices { .. } => false,
        };
        let sells = matches!(deal.terms(), Terms::Prices { sell: Some(_), .. }) && !put(at) && !take(till);
        !buys && !sells
    };
    let at = deal.at().next().filter(|_| deal.at().all(shut))?;
    let cause = format!("nobody may take out of `{at}`, or put in");
    Some((cause, "Set `use-nobody = true`, or change `take-by` and `put-by` of the container"))
}
