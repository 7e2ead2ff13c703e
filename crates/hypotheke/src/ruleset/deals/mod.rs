//! Deals: what a holder gives and gets at a container.

mod read;

pub(super) use read::read;

use super::access::Access;
use super::kind::Kind;
use super::source::{AccessSource, FilterSource, Written};
use super::view::{FilterId, Ruleset};
use crate::id::KindId;
use crate::language::NamedPortion;
use crate::quantity::Decimal;
use crate::text::Location;

/// A deal as it is written.
#[derive(Clone, Debug)]
pub(crate) struct DealSource {
    pub(crate) id: Written<String>,
    pub(crate) at: Vec<Written<String>>,
    pub(crate) by: Option<AccessSource>,
    pub(crate) gives: Vec<Written<NamedPortion>>,
    pub(crate) takes: Vec<Written<NamedPortion>>,
    pub(crate) of: Option<FilterSource>,
    pub(crate) currency: Option<Written<String>>,
    pub(crate) buy: Option<PriceSource>,
    pub(crate) sell: Option<PriceSource>,
    pub(crate) coins_to: Option<Written<String>>,
    pub(crate) use_nobody: bool,
    /// The keys in which something could not be read.
    pub(crate) unread: Vec<&'static str>,
}

#[derive(Clone, Debug)]
pub(crate) struct PriceSource {
    pub(crate) at: Location,
    pub(crate) factor: Decimal,
    pub(crate) round: Rounding,
}

/// How a price becomes a whole number of coins.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Rounding {
    /// To the next whole number above.
    Up,
    /// To the next whole number below.
    Down,
}

impl Rounding {
    /// As a ruleset writes it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Rounding::Up => "up",
            Rounding::Down => "down",
        }
    }
}

/// How the price of one item follows from its value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Price {
    /// The value is multiplied by this.
    pub factor: Decimal,
    /// Then it is rounded.
    pub round: Rounding,
}

impl Price {
    /// The price of one item of a value, in coins; `None` if it is no positive count.
    pub(crate) fn of(self, value: Decimal) -> Option<u32> {
        u32::try_from(self.whole(value)).ok().filter(|price| *price > 0)
    }

    /// Whether the price of such an item would not be positive.
    pub(crate) fn rounds_to_none(self, value: Decimal) -> bool {
        self.whole(value) <= 0
    }

    /// Both figures are thousandths.
    fn whole(self, value: Decimal) -> i128 {
        const ONE: i128 = 1_000_000;
        let exact = i128::from(value.thousandths()) * i128::from(self.factor.thousandths());
        exact.div_euclid(ONE) + i128::from(self.round == Rounding::Up && exact.rem_euclid(ONE) > 0)
    }
}

/// What is exchanged for what.
#[derive(Clone, Debug)]
pub enum Terms {
    /// The container gives some items for others.
    Lot {
        /// What the container gives.
        gives: Vec<(KindId, u32)>,
        /// What it takes for them.
        takes: Vec<(KindId, u32)>,
    },
    /// Items of several kinds at a price.
    Prices {
        /// The filter of the kinds.
        of: PricedKinds,
        /// The kind that is paid with.
        currency: KindId,
        /// The price at which a holder buys, if it can.
        buy: Option<Price>,
        /// The price at which a holder sells, if it can.
        sell: Option<Price>,
    },
}

/// The kinds that a deal has prices for.
#[derive(Clone, Copy, Debug)]
pub struct PricedKinds(pub(crate) FilterId);

/// A deal.
#[derive(Clone, Debug)]
pub struct Deal {
    pub(in crate::ruleset) id: Box<str>,
    pub(in crate::ruleset) at: Vec<Box<str>>,
    pub(in crate::ruleset) by: Access,
    pub(in crate::ruleset) terms: Terms,
    pub(in crate::ruleset) coins_to: Option<Box<str>>,
    pub(in crate::ruleset) use_nobody: bool,
}

/// Whether a holder gets or gives what an operation names.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum DealSide {
    /// The holder gets it: `buys`.
    Buy,
    /// The holder gives it: `sells`.
    Sell,
}

impl DealSide {
    /// As a ruleset writes it: `buy` or `sell`.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            DealSide::Buy => "buy",
            DealSide::Sell => "sell",
        }
    }
}

/// A deal for items of one kind: what one lot is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Lot {
    /// The number of items of the kind in it.
    pub size: u32,
    /// What the holder gets.
    pub gets: Vec<(KindId, u32)>,
    /// What the holder gives.
    pub gives: Vec<(KindId, u32)>,
}

impl Lot {
    /// What an operation names: what the holder gets if it buys, and gives if it sells.
    #[must_use]
    pub fn named(&self, side: DealSide) -> &[(KindId, u32)] {
        match side {
            DealSide::Buy => &self.gets,
            DealSide::Sell => &self.gives,
        }
    }

    /// What is given in return.
    #[must_use]
    pub fn price(&self, side: DealSide) -> &[(KindId, u32)] {
        match side {
            DealSide::Buy => &self.gives,
            DealSide::Sell => &self.gets,
        }
    }
}

impl Deal {
    /// Its name.
    #[must_use]
    pub fn id(&self) -> &str {
        &self.id
    }

    /// The containers at which it is made.
    #[must_use]
    pub fn at(&self) -> impl ExactSizeIterator<Item = &str> {
        self.at.iter().map(|at| &**at)
    }

    /// Who may make it.
    #[must_use]
    pub fn by(&self) -> &Access {
        &self.by
    }

    /// What is exchanged for what.
    #[must_use]
    pub fn terms(&self) -> &Terms {
        &self.terms
    }

    /// The container that what the holder pays goes into and that pays the holder, if it is not the
    /// one at which the deal is made.
    #[must_use]
    pub fn coins_to(&self) -> Option<&str> {
        self.coins_to.as_deref()
    }

    /// True if it takes from and puts into containers whose `take-by` or `put-by` is `nobody`.
    #[must_use]
    pub fn uses_nobody(&self) -> bool {
        self.use_nobody
    }
}

impl Ruleset {
    /// All deals, in the order of the ruleset.
    #[must_use]
    pub fn deals(&self) -> &[Deal] {
        &self.deals
    }

    /// The filter of the kinds that a deal has prices for, as the ruleset writes it.
    #[must_use]
    pub fn priced_by(&self, deal: &Deal) -> Option<&str> {
        match deal.terms {
            Terms::Prices { of, .. } => Some(self.filter(of.0).written()),
            Terms::Lot { .. } => None,
        }
    }

    /// The deal for a kind at a container, by the container's name in the world, and one lot of it.
    #[must_use]
    pub fn deal_for(&self, side: DealSide, kind: KindId, container: &str) -> Option<(&Deal, Lot)> {
        self.deals_at(container).find_map(|deal| Some((deal, self.lot(deal, side, kind)?)))
    }

    /// The deals that are made at a container, by the container's name in the world.
    pub fn deals_at(&self, container: &str) -> impl Iterator<Item = &Deal> {
        self.deals_at.get(container).into_iter().flatten().map(|&deal| &self.deals[deal as usize])
    }

    /// Every lot of a deal: one of a fixed deal; of a deal by prices one for each kind and side, in
    /// the order of the kinds.
    #[must_use]
    pub fn lots(&self, deal: &Deal) -> Vec<(DealSide, Lot)> {
        match &deal.terms {
            Terms::Lot { gives, takes } => {
                let size = gives.first().map_or(0, |(_, count)| *count);
                vec![(DealSide::Buy, Lot { size, gets: gives.clone(), gives: takes.clone() })]
            }
            Terms::Prices { .. } => {
                let sides = |kind| [DealSide::Buy, DealSide::Sell].map(|side| (side, kind));
                let lots = self.kinds().map(Kind::handle).flat_map(sides);
                lots.filter_map(|(side, kind)| Some((side, self.lot(deal, side, kind)?))).collect()
            }
        }
    }

    /// Items in words: `1 tin and 2 coin`.
    #[must_use]
    pub fn items_text(&self, items: &[(KindId, u32)]) -> String {
        let item = |&(kind, count): &(KindId, u32)| Some(format!("{count} {}", self.kind(kind)?.id()));
        items.iter().filter_map(item).collect::<Vec<_>>().join(" and ")
    }

    /// Whether a deal is one for a kind.
    pub(crate) fn offers(&self, deal: &Deal, side: DealSide, kind: KindId) -> bool {
        match &deal.terms {
            Terms::Lot { gives, .. } => side == DealSide::Buy && gives.iter().any(|(known, _)| *known == kind),
            Terms::Prices { of, buy, sell, .. } => {
                let price = if side == DealSide::Buy { buy } else { sell };
                price.is_some() && self.filter(of.0).admits_plain(kind)
            }
        }
    }

    /// One lot of a deal, if it is one for a kind.
    pub(crate) fn lot(&self, deal: &Deal, side: DealSide, kind: KindId) -> Option<Lot> {
        match &deal.terms {
            Terms::Lot { gives, takes } => {
                let (_, size) = *gives.iter().find(|(known, _)| *known == kind).filter(|_| side == DealSide::Buy)?;
                Some(Lot { size, gets: gives.clone(), gives: takes.clone() })
            }
            Terms::Prices { of, currency, buy, sell } => {
                let price = if side == DealSide::Buy { buy } else { sell };
                let goods = self.known_kind(kind);
                let coins = (*price)?.of(goods.value()).filter(|_| self.filter(of.0).admits_plain(kind))?;
                let (goods, coins) = (vec![(kind, 1)], vec![(*currency, coins)]);
                Some(match side {
                    DealSide::Buy => Lot { size: 1, gets: goods, gives: coins },
                    DealSide::Sell => Lot { size: 1, gets: coins, gives: goods },
                })
            }
        }
    }
}
