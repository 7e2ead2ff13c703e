//! Deals and trades: the items of both sides wait in transit, and are then placed.

use super::allowed::Right;
use super::faults::Fault;
use super::reasons::{Portion, in_order};
use super::rules::DealTerms;
use super::state::{At, Inside, Root, Stack};
use super::{Amount, Going, Model, No, because, no};

/// One of two sides.
#[derive(Clone, Debug)]
struct Side {
    actor: Option<usize>,
    passes_nobody: bool,
    /// Kinds and numbers.
    gives: Vec<(usize, i64)>,
    from: At,
    into: At,
}

/// What one side of a trade gives: how many, of which kind, and who.
pub(crate) type Offer = (u32, usize, usize);

/// What a holder gets and gives for one lot, and how many items of the named kind are in it.
struct Lot {
    size: i64,
    gets: Vec<(usize, i64)>,
    gives: Vec<(usize, i64)>,
}

impl Model {
    /// The price of one item of a value, at a factor, both in thousandths.
    pub(crate) fn price(value: i64, (factor, up): (i64, bool)) -> i64 {
        let up = up != Fault::PriceRoundedTheOtherWay.is_on();
        let exact = value * factor;
        exact / 1_000_000 + i64::from(up && exact % 1_000_000 > 0)
    }

    /// The deal for a kind at a container, by its number, and one lot of it.
    fn deal_at(&self, buys: bool, kind: usize, container: usize) -> Option<(usize, Lot)> {
        let found = self.rules.deals.iter().enumerate().filter(|(_, deal)| deal.at.contains(&container));
        let counts = |items: &[(usize, u32)]| items.iter().map(|&(kind, count)| (kind, i64::from(count))).collect();
        let mut lots = found.filter_map(|(number, deal)| match &deal.terms {
            DealTerms::Lot { gives, takes } => {
                let (_, size) = gives.iter().find(|(known, _)| *known == kind).filter(|_| buys)?;
                Some((number, Lot { size: i64::from(*size), gets: counts(gives), gives: counts(takes) }))
            }
            DealTerms::Prices { of, currency, buy, sell } => {
                let price = Model::price(self.rules.kinds[kind].value, (if buys { *buy } else { *sell })?);
                self.rules.admits(Some(of), &self.rules.plain(kind)).then(|| {
                    let (goods, coins) = (vec![(kind, 1)], vec![(*currency, price)]);
                    let (gets, gives) = if buys { (goods, coins) } else { (coins, goods) };
                    (number, Lot { size: 1, gets, gives })
                })
            }
        });
        lots.next()
    }

    /// The container that is paid into and out of, if it is not where the deal is made.
    pub(super) fn till_of(&self, buys: bool, kind: usize, at: &At) -> Option<At> {
        let (number, _) = self.deal_at(buys, kind, standing(at)?)?;
        let till = self.rules.deals[number].coins_to?;
        (!self.state.gone.contains(&till)).then(|| At::Container(Inside::container(till)))
    }

    pub(super) fn may_deal(&self, buys: bool, kind: usize, at: &At) -> bool {
        let Some(index) = standing(at).filter(|_| !Fault::AnyoneDeals.is_on()) else { return true };
        let Some((number, _)) = self.deal_at(buys, kind, index) else { return true };
        self.is_among(&self.rules.deals[number].by, &Inside::container(index))
    }

    /// A holder buys or sells.
    pub(super) fn deal(
        &mut self,
        holder: Option<usize>,
        buys: bool,
        (amount, kind): (Amount, usize),
        at: &At,
    ) -> Result<u64, No> {
        let (Some(holder), Some(index)) = (holder, standing(at)) else { return Err(no("unknown")) };
        let lot = self.deal_at(buys, kind, index).filter(|_| self.rules.containers[index].holder.is_none());
        let Some((number, lot)) = lot else { return Err(no("unknown")) };
        let deal = self.rules.deals[number].clone();
        let till = deal.coins_to.unwrap_or(index);
        if self.state.gone.contains(&till) {
            return Err(no("unknown"));
        }
        let container = |index: usize| At::Container(Inside::container(index));
        let (from, into) = if buys { (index, till) } else { (till, index) };
        let times =
            |items: &[(usize, i64)], lots: i64| items.iter().map(|&(kind, count)| (kind, count * lots)).collect();
        let sides = |lots: i64| {
            let (own, actor) = (At::Holder(holder), Some(holder));
            [
                Side { actor, passes_nobody: false, gives: times(&lot.gives, lots), from: own.clone(), into: own },
                Side {
                    actor: None,
                    passes_nobody: deal.use_nobody,
                    gives: times(&lot.gets, lots),
                    from: container(from),
                    into: container(into),
                },
            ]
        };
        let goods = usize::from(buys);
        let there = |model: &Model, side: &Side, kind: usize| -> i64 {
            let model = &mut model.clone();
            model.act_as(side);
            model.lying(side, kind).iter().map(|stack| i64::from(stack.count)).sum()
        };
        let (requested, exact) = match amount {
            Amount::Exactly(count) => (i64::from(count), true),
            Amount::UpTo(count) => (i64::from(count), false),
            Amount::All => match there(self, &sides(1)[goods], kind) {
                0 => (lot.size, true),
                all => (all, true),
            },
        };
        if requested == 0 || requested % lot.size != 0 {
            return Err(no("bad-amount"));
        }
        let lots = requested / lot.size;
        self.be_exact(exact);
        let mut list = Vec::new();
        if exact {
            list = self.exchange(&sides(lots), goods);
            if list.is_empty() {
                return Ok(u64::try_from(requested).unwrap());
            }
            self.be_exact(false);
        }
        // More than there is was never made.
        let one = sides(1);
        let paid = one.iter().flat_map(|side| side.gives.iter().map(move |item| (side, item)));
        let bound = paid.map(|(side, &(kind, each))| there(self, side, kind) / each).min().unwrap_or(0);
        let most = bound.min(if exact { lots - 1 } else { lots });
        let made = (1..=most).rev().find_map(|lots| {
            let mut copy = self.clone();
            copy.exchange(&sides(lots), goods).is_empty().then_some((lots, copy.state))
        });
        match made {
            Some((made, state)) if !exact => {
                self.state = state;
                Ok(u64::try_from(made * lot.size).unwrap())
            }
            made => {
                let list = if exact { list } else { self.exchange(&sides(1), goods) };
                let could = made.map_or(0, |(made, _)| made * lot.size);
                Err(self.refuse_exchange(list, u64::try_from(could).unwrap()))
            }
        }
    }

    /// Two holders exchange items; the game acts for both.
    pub(super) fn trade(&mut self, one: Offer, other: Offer) -> Result<u64, No> {
        if one.2 == other.2 || one.1 == other.1 {
            return Err(no("unknown"));
        }
        if one.0 == 0 || other.0 == 0 {
            return Err(no("bad-amount"));
        }
        self.be_exact(true);
        let side = |(count, kind, holder): Offer| Side {
            actor: None,
            passes_nobody: false,
            gives: vec![(kind, i64::from(count))],
            from: At::Holder(holder),
            into: At::Holder(holder),
        };
        let list = self.exchange(&[side(one), side(other)], 0);
        if list.is_empty() { Ok(u64::from(one.0)) } else { Err(self.refuse_exchange(list, 0)) }
    }

    /// What is missing comes first, and the other side's after it.
    fn refuse_exchange(&mut self, list: Vec<No>, could: u64) -> No {
        let first = list.first().expect("a reason").clone();
        self.list = in_order(list);
        No { max_amount: could, ..first }
    }

    fn act_as(&mut self, side: &Side) {
        self.actor = side.actor;
        self.passes_nobody = side.passes_nobody;
    }

    fn lying(&self, side: &Side, kind: usize) -> Vec<Stack> {
        let going = Going::To(At::Container(transit()));
        let ids = self.sources(Some(kind), &side.from, &going).unwrap_or_default();
        ids.iter().filter_map(|id| self.state.get(&self.state.find(*id)?).cloned()).collect()
    }

    /// Every check that fails; if none does, the state after the exchange.
    fn exchange(&mut self, sides: &[Side; 2], goods: usize) -> Vec<No> {
        let before = self.clone();
        self.earlier = Some(Box::new(before.clone()));
        let (mut missing, mut failed) = (Vec::new(), Vec::new());
        let mut apart: [Vec<u64>; 2] = Default::default();
        let is_all_there = (0..2).all(|nth| self.take_apart(sides, nth, &mut apart[nth], (&mut missing, &mut failed)));
        if !is_all_there {
            missing.truncate(1);
            failed.clear();
        } else {
            for nth in [goods, 1 - goods] {
                if Fault::DealHalfDone.is_on() && nth != goods {
                    break;
                }
                self.act_as(&sides[1 - nth]);
                failed.extend(self.lay_apart(&apart[nth], &sides[1 - nth].into));
            }
        }
        self.state.transit.clear();
        let list: Vec<No> = missing.into_iter().chain(in_order(failed)).collect();
        let state = if list.is_empty() { self.state.clone() } else { before.state.clone() };
        *self = Model { state, ..before };
        list
    }

    /// What one side gives goes apart; false if there is nothing of a kind.
    fn take_apart(
        &mut self,
        sides: &[Side; 2],
        nth: usize,
        apart: &mut Vec<u64>,
        (missing, failed): (&mut Vec<No>, &mut Vec<No>),
    ) -> bool {
        let (side, taker) = (&sides[nth], &sides[1 - nth]);
        let going = Going::To(At::Container(transit()));
        for &(kind, wanted) in &side.gives {
            self.act_as(side);
            let stacks = self.lying(side, kind);
            let there: i64 = stacks.iter().map(|stack| i64::from(stack.count)).sum();
            if there == 0 {
                missing.push(no(if self.is_shut_to_all(&side.from) { "no-take" } else { "empty-source" }));
                return false;
            }
            if there < wanted {
                missing.push(because("not-enough", wanted * 1_000, there * 1_000));
            }
            let rank = |model: &mut Model, stack: &Stack| {
                let cell = model.state.find(stack.id).expect("a place");
                model.act_as(side);
                let stuck = model.stuck(&cell, stack, &going).is_some();
                model.act_as(taker);
                let mut into = model.targets(&taker.into).into_iter();
                let admitted = into.any(|at| model.not_admitted(stack, Some(&cell), &at).is_none());
                if stuck { 2 } else { i64::from(!admitted) }
            };
            let mut ranked: Vec<(i64, Stack)> = stacks.into_iter().map(|stack| (rank(self, &stack), stack)).collect();
            ranked.sort_by_key(|(rank, _)| *rank);
            self.act_as(side);
            let mut left = wanted;
            for (_, stack) in ranked {
                let count = left.min(i64::from(stack.count));
                if count == 0 {
                    break;
                }
                let cell = self.state.find(stack.id).expect("a place");
                // Some of its contents may be in transit.
                let stack = self.state.get(&cell).expect("a stack").clone();
                failed.extend(self.all_stuck(&cell, &stack, &going).into_iter().filter(|no| no.reason == "no-take"));
                let count = u32::try_from(count).unwrap();
                let id = if count == stack.count { stack.id } else { self.state.new_id() };
                self.state.lessen(&cell, count);
                self.state.transit.push(Some(Stack { id, count, ..stack }));
                apart.push(id);
                left -= i64::from(count);
            }
        }
        true
    }

    /// The items in transit go to the other side, or the checks that fail.
    fn lay_apart(&mut self, apart: &[u64], into: &At) -> Vec<No> {
        let portion = |id: &u64| {
            let cell = self.state.find(*id).expect("it is in transit");
            let stack = self.state.get(&cell).expect("a stack");
            Portion::of(stack, &cell, i64::from(stack.count))
        };
        let portions: Vec<Portion> = apart.iter().map(portion).collect();
        let going = Going::To(into.clone());
        let mut copy = self.clone();
        if portions.iter().all(|portion| copy.goes_whole(portion, &going, (0, 0))) {
            self.state = copy.state;
            return Vec::new();
        }
        let mut list = self.reasons(&portions, &going);
        if list.is_empty() {
            let all: i64 = portions.iter().map(|portion| portion.count).sum();
            list.push(because("no-room", all * 1_000, 0));
        }
        list
    }

    /// Nobody may take anything out of any slot.
    pub(super) fn is_shut_to_all(&self, from: &At) -> bool {
        let At::Container(at) = from else { return false };
        let slots = self.state.slots(at).len();
        slots > 0 && (0..slots).all(|slot| self.slot_said(Right::Take, at, slot) == super::allowed::Said::NobodyMay)
    }
}

fn transit() -> Inside {
    Inside { root: Root::Transit, steps: Vec::new() }
}

/// A container of the world itself.
fn standing(at: &At) -> Option<usize> {
    match at {
        At::Container(Inside { root: Root::Container(index), steps }) if steps.is_empty() => Some(*index),
        _ => None,
    }
}
