//! Deals: who trades what for what, and where.

use rustc_hash::FxHashMap;

use super::{Compiler, small};
use crate::id::{ContainerDefId, KindId};
use crate::language::NamedPortion;
use crate::ruleset::access::Access;
use crate::ruleset::deals::{Deal, DealSide, DealSource, Price, PriceSource, PricedKinds, Terms};
use crate::ruleset::kind::Kind;
use crate::ruleset::places::ContainerDef;
use crate::ruleset::source::Written;
use crate::text::{Diagnostic, Location, Word};

impl Compiler {
    pub(super) fn compile_deals(&mut self) {
        let sources = std::mem::take(&mut self.source.deals);
        let mut known = FxHashMap::default();
        for source in &sources {
            if let Some(deal) = self.compile_deal(source) {
                self.add_deal(deal, source, &mut known);
            }
        }
        self.source.deals = sources;
    }

    fn compile_deal(&mut self, source: &DealSource) -> Option<Deal> {
        let whose = format!("deal `{}`", source.id.value);
        if source.at.is_empty() && !source.unread.contains(&"at") {
            let fault = Diagnostic::error("missing-key", source.id.at, format!("{whose} has no `at`"));
            self.fault(fault.help("Name the container at which it is made: `at = \"stall\"`"));
        }
        let at: Vec<Option<ContainerDefId>> = source.at.iter().map(|at| self.container_in_world(&whose, at)).collect();
        let coins_to = source.coins_to.as_ref().map(|name| self.container_in_world(&whose, name));
        let by = match &source.by {
            Some(written) => self.compile_access_list(&whose, "by", written)?,
            None => Access::Anyone,
        };
        let terms = self.compile_terms(&whose, source)?;
        // What the holder pays goes into the till, wherever that is.
        let tills: Vec<ContainerDefId> = match coins_to {
            Some(till) => till.into_iter().collect(),
            None => at.into_iter().flatten().collect(),
        };
        for till in tills {
            self.check_till(source, &terms, till);
        }
        Some(Deal {
            id: source.id.value.as_str().into(),
            at: source.at.iter().map(|at| at.value.as_str().into()).collect(),
            by,
            terms,
            coins_to: source.coins_to.as_ref().map(|name| name.value.as_str().into()),
            use_nobody: source.use_nobody,
        })
    }

    /// Only deals and recipes name containers as they are in the world.
    pub(super) fn index_containers_in_world(&mut self) {
        if self.source.deals.is_empty() && self.source.recipes.is_empty() {
            return;
        }
        for (index, def) in self.rules.containers.iter().enumerate() {
            let id = self.rules.container_def_id(small(index));
            for name in def.instances() {
                // A name that occurs twice is a fault of its own.
                self.in_world.entry(name.into()).or_insert(id);
            }
        }
    }

    /// A container in the world, by its name there.
    pub(super) fn container_in_world(&mut self, whose: &str, name: &Written<String>) -> Option<ContainerDefId> {
        if let Some(&found) = self.in_world.get(name.value.as_str()) {
            return Some(found);
        }
        let known = self.rules.find_container(&name.value).map(|id| self.rules.container(id));
        let (code, message, help) = match known {
            Some(def) if def.instances().next().is_some() => {
                let copies: Vec<&str> = def.instances().collect();
                let help = match copies.as_slice() {
                    [first, .., last] if copies.len() > 8 => {
                        format!("Name one of its {} copies, {first} to {last}", copies.len())
                    }
                    few => format!("Name {}", few.join(", ")),
                };
                ("unknown-container", format!("`{}` exists as its copies", name.value), Some(help))
            }
            Some(def) => {
                let where_it_is = if def.carried { "with a holder" } else { "inside a pack" };
                let message = format!("{whose} needs a container in the world; `{}` is {where_it_is}", name.value);
                ("not-supported", message, Some("Name a container in the world".to_owned()))
            }
            None => {
                let names = self.rules.containers.iter().flat_map(ContainerDef::instances);
                let help = self.suggestion(&name.value, names.collect::<Vec<_>>());
                ("unknown-container", format!("unknown container `{}`", name.value), help)
            }
        };
        self.fault(Diagnostic::error(code, name.at, message).maybe_help(help));
        None
    }

    fn compile_terms(&mut self, whose: &str, source: &DealSource) -> Option<Terms> {
        let DealSource { gives, takes, of, currency, buy, sell, .. } = source;
        let has_lists = !gives.is_empty() || !takes.is_empty();
        let has_prices = of.is_some() || currency.is_some() || buy.is_some() || sell.is_some();
        let fault = |what: &str| Diagnostic::error("missing-key", source.id.at, format!("{whose} has {what}"));
        let is_unread = |keys: &[&str]| source.unread.iter().any(|key| keys.contains(key));
        // What could not be read is not missing.
        let missing = |compiler: &mut Compiler, keys: &[&str], what: &str, help: &str| {
            if !is_unread(keys) {
                compiler.fault(fault(what).help(help));
            }
        };
        let either = "Write `gives` and `takes`, or `of`, `currency` and `buy` or `sell`";
        match (has_lists, has_prices) {
            (true, true) => {
                self.fault(fault("both lists and prices").help(either));
                return None;
            }
            (false, false) => {
                missing(self, &["gives", "takes", "of", "currency", "buy", "sell"], "neither lists nor prices", either);
                return None;
            }
            _ => {}
        }
        if has_lists {
            for (list, key) in [(gives, "gives"), (takes, "takes")] {
                if list.is_empty() {
                    missing(self, &[key], &format!("no `{key}`"), &format!("Write `{key} = [\"25 coin\"]`"));
                }
            }
            return self.compile_lot(whose, gives, takes);
        }
        let of_id = of.as_ref().map(|of| self.compile_filter(of));
        let word = |currency: &Written<String>| Word::new(currency.value.as_str(), currency.at.span);
        let coin = currency.as_ref().map(|currency| self.kind_of_deal(&word(currency), currency.at));
        let (Some(of), Some(currency)) = (of, currency) else {
            let key = if of.is_none() { "of" } else { "currency" };
            missing(self, &[key], &format!("no `{key}`"), "Write `of = \"food\"` and `currency = \"coin\"`");
            return None;
        };
        if buy.is_none() && sell.is_none() {
            let help = "Write `buy = { factor = 1.25, round = \"up\" }`, or `sell`";
            missing(self, &["buy", "sell"], "neither `buy` nor `sell`", help);
            return None;
        }
        let (of_id, coin) = (of_id??, coin??);
        let priced: Vec<KindId> = self.rules.kinds().map(Kind::handle).collect();
        let priced = priced.into_iter().filter(|&kind| self.rules.filter(of_id).admits_plain(kind));
        let priced: Vec<KindId> = priced.collect();
        if priced.contains(&coin) {
            let message = format!("{whose} trades `{}` for itself", currency.value);
            let fault = Diagnostic::error("same-sides", of.at, message);
            self.fault(fault.help(format!("Leave the currency out of `of`: `… and not {}`", currency.value)));
        }
        let price = |source: &PriceSource| Price { factor: source.factor, round: source.round };
        for (source, key) in [(buy, "buy"), (sell, "sell")] {
            let Some(source) = source else { continue };
            let is_known = |kind: &&KindId| !self.source.unread_values.contains(&small(kind.index()));
            let worthless = priced
                .iter()
                .filter(is_known)
                .find(|&&kind| price(source).of(self.rules.known_kind(kind).value()).is_none());
            if let Some(kind) = worthless.map(|&kind| self.rules.known_kind(kind)) {
                let (value, factor) = (kind.value(), source.factor);
                let too_low = price(source).rounds_to_none(value);
                let result =
                    if too_low { "0 coins or less".to_owned() } else { format!("more than {} coins", u32::MAX) };
                let message = format!("the price of `{}` to `{key}` is {result}", kind.id());
                let label = format!("{value} times {factor}, rounded {}", source.round.word());
                let fault = Diagnostic::error("out-of-range", source.at, message).label(label);
                let help = format!("Change the factor, or leave the kind out of `of`: `… and not {}`", kind.id());
                self.fault(fault.help(help));
            }
        }
        let (buy, sell) = (buy.as_ref().map(price), sell.as_ref().map(price));
        Some(Terms::Prices { of: PricedKinds(of_id), currency: coin, buy, sell })
    }

    fn compile_lot(
        &mut self,
        whose: &str,
        gives: &[Written<NamedPortion>],
        takes: &[Written<NamedPortion>],
    ) -> Option<Terms> {
        let mut seen: FxHashMap<KindId, (Location, bool)> = FxHashMap::default();
        let mut sides = [Vec::new(), Vec::new()];
        for (portion, is_taken) in gives.iter().map(|it| (it, false)).chain(takes.iter().map(|it| (it, true))) {
            let kind = self.plain_kind(whose, portion)?;
            if let Some((first, was_taken)) = seen.insert(kind, (portion.at, is_taken)) {
                let (code, message) = match was_taken == is_taken {
                    true => ("duplicate", format!("{whose} names `{}` twice", portion.value.kind)),
                    false => ("same-sides", format!("{whose} gives and takes `{}`", portion.value.kind)),
                };
                let fault = Diagnostic::error(code, portion.at, message).related(first, "the other one");
                self.fault(fault.help("Name each kind once, on one side"));
            }
            sides[usize::from(is_taken)].push((kind, portion.value.count));
        }
        let [gives, takes] = sides;
        (!gives.is_empty() && !takes.is_empty()).then_some(Terms::Lot { gives, takes })
    }

    /// The kind of a portion, which must have no marks and properties.
    pub(super) fn plain_kind(&mut self, whose: &str, portion: &Written<NamedPortion>) -> Option<KindId> {
        let kind = self.kind_of_deal(&portion.value.kind, portion.at)?;
        if portion.value.count == 0 || !portion.value.variant.is_plain() {
            let message = format!("`{}` of {whose} is not a count and a kind", portion.value);
            let fault = Diagnostic::error("bad-portion", portion.at, message);
            self.fault(fault.help("Write a count and a kind alone, such as \"25 coin\""));
            return None;
        }
        Some(kind)
    }

    pub(super) fn kind_of_deal(&mut self, name: &Word, at: Location) -> Option<KindId> {
        let (code, message, help) = match self.rules.resolve_kind(name) {
            Ok(kind) => return Some(kind),
            Err(unknown) => (unknown.code, unknown.message, (unknown.help)()),
        };
        let help = help.filter(|_| !self.faults.is_full());
        self.fault(Diagnostic::error(code, at, message).label("unknown name").maybe_help(help));
        None
    }

    /// What holders pay must be admitted where it goes.
    fn check_till(&mut self, source: &DealSource, terms: &Terms, till: ContainerDefId) {
        let (paid, at) = match terms {
            Terms::Lot { takes, .. } => {
                (takes.iter().map(|(kind, _)| *kind).collect(), source.takes.first().map(|it| it.at))
            }
            Terms::Prices { buy: Some(_), currency, .. } => (vec![*currency], source.currency.as_ref().map(|it| it.at)),
            Terms::Prices { .. } => (Vec::new(), None),
        };
        let at = source.coins_to.as_ref().map(|it| it.at).or(at).unwrap_or(source.id.at);
        let help = "Change its filter, or name a different container in `coins-to`";
        let whose = format!("deal `{}`", source.id.value);
        let _ = paid.into_iter().all(|kind| self.check_admitted(&whose, kind, till, at, help));
    }

    /// Whether a container admits plain items of a kind; if not, it is a fault.
    pub(super) fn check_admitted(
        &mut self,
        whose: &str,
        kind: KindId,
        container: ContainerDefId,
        at: Location,
        help: &str,
    ) -> bool {
        let def = self.rules.container(container);
        let by = |filter| self.rules.filter(filter).admits_plain(kind);
        let by_slot = || {
            let has_further = (def.ruled.len() as u64) < u64::from(def.slots);
            has_further || def.ruled.iter().any(|slot| slot.admits.is_none_or(by))
        };
        if def.admits.is_none_or(by) && by_slot() {
            return true;
        }
        let kind = self.rules.known_kind(kind).id();
        let message = format!("`{kind}` of {whose} is not admitted by `{}`, where it would go", def.id());
        let fault = Diagnostic::error("not-admitted", at, message);
        self.fault(fault.help(help));
        false
    }

    /// Of one kind, verb and container there is one deal.
    fn add_deal(&mut self, deal: Deal, source: &DealSource, known: &mut FxHashMap<Offer, Location>) {
        let number = small(self.rules.deals.len());
        let mut clash = None;
        for container in &deal.at {
            for side in [DealSide::Buy, DealSide::Sell] {
                for kind in self.rules.kinds().map(Kind::handle) {
                    if !self.rules.offers(&deal, side, kind) {
                        continue;
                    }
                    if let Some(&first) = known.get(&(container.clone(), side, kind)) {
                        clash = clash.or(Some((container.clone(), side, kind, first)));
                    }
                    known.insert((container.clone(), side, kind), source.id.at);
                }
            }
            let deals = self.rules.deals_at.entry(container.clone()).or_default();
            if !deals.contains(&number) {
                deals.push(number);
            }
        }
        if let Some((container, side, kind, first)) = clash {
            let kind = self.rules.known_kind(kind).id();
            let message = format!("deal `{}` is the second one to {} `{kind}` at `{container}`", deal.id, side.word());
            let fault = Diagnostic::error("duplicate", source.id.at, message).related(first, "the first one");
            self.fault(fault.help("Leave the kind or the container out of one of them"));
        }
        self.rules.deals.push(deal);
    }
}

/// A container, whether the holder buys or sells, and a kind.
type Offer = (Box<str>, DealSide, KindId);
