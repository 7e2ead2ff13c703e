//! Limits: the only place that decides whether something may carry more. No operation increases an
//! excess: it may stay or shrink, and only a gain is refused.
//!
//! The audit checks the same from plain data, without any of this code.

use smallvec::SmallVec;

use super::draft::{Draft, Floors, Item};
use super::refusal::Cause;
use crate::id::KindId;
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::Cap;
use crate::world::{Arriving, Bearer, Event, Place, Spot, World};

/// Everything that has limits: the present world, or the world of a draft.
pub(super) trait Bears {
    /// The amount of its contents, packs included.
    fn weight_of(&self, bearer: Bearer) -> i64;
    /// [`i64::MAX`] without a limit.
    fn weight_cap_of(&self, bearer: Bearer) -> i64;
    /// The weight that may stay, whatever the cap is.
    fn weight_floor_of(&self, _bearer: Bearer) -> i64 {
        i64::MIN
    }
    fn caps_of(&self, bearer: Bearer) -> &[Cap];
    /// How many items satisfy the filter of a cap.
    fn capped(&self, bearer: Bearer, number: u32) -> i64;
    /// The number that may stay, whatever the cap is.
    fn capped_floor_of(&self, _bearer: Bearer, _number: u32) -> i64 {
        i64::MIN
    }
}

/// What a limit measures.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Measure {
    /// In thousandths.
    Weight,
    /// Items that satisfy the filter of a cap.
    Count {
        /// Which of the caps of its bearer it is.
        nth: u32,
        /// The number of its filter.
        number: u32,
    },
}

/// A limit, how much there is, and how much there may be.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Limit {
    pub(crate) measure: Measure,
    now: i64,
    most: i64,
    /// So much may stay, even if it is more.
    floor: i64,
}

impl Limit {
    #[inline(always)]
    pub(super) fn of_weight(bears: &impl Bears, bearer: Bearer) -> Limit {
        let (now, most) = (bears.weight_of(bearer), bears.weight_cap_of(bearer));
        Limit { measure: Measure::Weight, now, most, floor: bears.weight_floor_of(bearer) }
    }

    #[inline(always)]
    pub(super) fn of_counts(bears: &impl Bears, bearer: Bearer) -> impl Iterator<Item = Limit> {
        (0..).zip(bears.caps_of(bearer)).map(move |(nth, cap)| {
            let now = bears.capped(bearer, cap.number);
            let floor = bears.capped_floor_of(bearer, cap.number);
            Limit { measure: Measure::Count { nth, number: cap.number }, now, most: i64::from(cap.count), floor }
        })
    }

    /// All limits of a container or holder of a world.
    pub(crate) fn of_world(world: &World, bearer: Bearer) -> impl Iterator<Item = Limit> {
        Limit::of_counts(world, bearer).chain([Limit::of_weight(world, bearer)])
    }

    /// The same before so much was added.
    pub(super) fn before(self, gain: i64) -> Limit {
        Limit { now: self.now - gain, ..self }
    }

    /// By how much it is passed.
    pub(crate) fn excess(self) -> i64 {
        self.now.saturating_sub(self.most).max(0)
    }

    /// The amount that may be added; [`i64::MAX`] without a limit.
    #[inline(always)]
    pub(super) fn left(self) -> i64 {
        if self.most == i64::MAX { i64::MAX } else { (self.most.max(self.floor) - self.now).max(0) }
    }

    /// How many items may be added, of which each adds so much.
    #[inline(always)]
    pub(super) fn how_many(self, each: i64) -> u32 {
        if each == 0 || self.most == i64::MAX {
            return u32::MAX;
        }
        narrow::at_most(self.left() / each)
    }

    /// The reason why an amount can't be added.
    pub(super) fn why_not(self, of: impl FnOnce() -> Place, gain: i128) -> Option<Cause> {
        let would = i128::from(self.now) + gain;
        if self.most == i64::MAX || gain <= 0 || would <= i128::from(self.most.max(self.floor)) {
            return None;
        }
        Some(match self.measure {
            Measure::Weight => Cause::WeightCap {
                of: of(),
                would: Decimal::from_thousandths(i64::try_from(would).unwrap_or(i64::MAX)),
                cap: Decimal::from_thousandths(self.most),
            },
            Measure::Count { nth, .. } => Cause::Cap {
                of: of(),
                cap: nth,
                would: u64::try_from(would).unwrap_or(u64::MAX),
                count: narrow::at_most(self.most),
            },
        })
    }
}

impl Measure {
    /// The number of its filter; `None` for a weight.
    pub(super) fn number(self) -> Option<u32> {
        match self {
            Measure::Weight => None,
            Measure::Count { number, .. } => Some(number),
        }
    }
}

/// Whether a whole stack may move under a limit from under a different one: within it, or with no
/// larger excess.
#[inline(always)]
pub(super) fn may_lie_whole(count: u32, limit: u32, limit_before: u32) -> bool {
    count <= limit || limit >= limit_before
}

impl Bears for World {
    #[inline(always)]
    fn weight_of(&self, bearer: Bearer) -> i64 {
        match bearer {
            Bearer::Container(container) => self.state(container).weight,
            Bearer::Holder(holder) => self.holder_weight_and_cap(holder).0,
        }
    }

    #[inline(always)]
    fn weight_cap_of(&self, bearer: Bearer) -> i64 {
        match bearer {
            Bearer::Container(container) => self.state(container).weight_cap,
            Bearer::Holder(holder) => self.holder_weight_and_cap(holder).1,
        }
    }

    #[inline(always)]
    fn caps_of(&self, bearer: Bearer) -> &[Cap] {
        match bearer {
            Bearer::Container(container) => self.caps_of_container(container),
            Bearer::Holder(holder) => self.caps_of_holder(holder),
        }
    }

    #[inline(always)]
    fn capped(&self, bearer: Bearer, number: u32) -> i64 {
        i64::try_from(World::capped(self, bearer, number)).unwrap_or(i64::MAX)
    }
}

impl Bears for Draft<'_> {
    #[inline]
    fn weight_of(&self, bearer: Bearer) -> i64 {
        let weight = match bearer {
            Bearer::Container(container) => self.state(container).weight,
            Bearer::Holder(_) => self.world.weight_of(bearer),
        };
        if self.is_settled() { weight + self.weight_gain(bearer) } else { weight }
    }

    #[inline]
    fn weight_cap_of(&self, bearer: Bearer) -> i64 {
        match bearer {
            Bearer::Container(container) => self.state(container).weight_cap,
            Bearer::Holder(_) => self.world.weight_cap_of(bearer),
        }
    }

    #[inline]
    fn weight_floor_of(&self, bearer: Bearer) -> i64 {
        self.weight_floor(bearer).unwrap_or(i64::MIN)
    }

    #[inline]
    fn capped_floor_of(&self, bearer: Bearer, number: u32) -> i64 {
        self.capped_floor(bearer, number).unwrap_or(i64::MIN)
    }

    #[inline]
    fn caps_of(&self, bearer: Bearer) -> &[Cap] {
        match bearer {
            Bearer::Container(container) => self.world.rules.caps_of_container(self.state(container).def),
            Bearer::Holder(holder) => self.world.caps_of_holder(holder),
        }
    }

    fn capped(&self, bearer: Bearer, number: u32) -> i64 {
        let count = match bearer {
            Bearer::Container(container) => self.state(container).capped.get(number as usize),
            Bearer::Holder(_) => self.world.capped(bearer, number),
        };
        i64::try_from(count).unwrap_or(i64::MAX) + self.capped_gain(bearer, number)
    }
}

/// By how many items of a kind some changes let the world grow.
fn entered(kind: KindId, changes: &[Event]) -> i64 {
    let change = |event: &Event| match event {
        Event::Moved { kind: of, count, from, to, .. } if *of == kind => {
            i64::from(*count) * (i64::from(to.exists()) - i64::from(from.exists()))
        }
        _ => 0,
    };
    changes.iter().map(change).sum()
}

impl Draft<'_> {
    /// The number of items of a kind that the world would have, so far.
    fn number_in_world(&self, kind: KindId) -> i64 {
        let signed = |count: u64| i64::try_from(count).unwrap_or(i64::MAX);
        let arrived = |arriving: &Arriving| -> i64 { signed(arriving.number_of(kind)) };
        self.world.totals(kind).present()
            + entered(kind, self.events())
            + self.arriving().iter().map(arrived).sum::<i64>()
            - signed(self.departed_of(kind))
    }

    /// The number of items of a kind that may still enter the world.
    pub(super) fn left_in_world(&self, kind: KindId) -> u32 {
        if !self.world.rules.figures[kind.index()].is_limited || self.checks_caps_later() {
            return u32::MAX;
        }
        let most = self.world.rules.known_kind(kind).max_in_world().map_or(i64::MAX, i64::from);
        narrow::at_most((most - self.number_in_world(kind)).max(0))
    }

    /// Why a number of items of a kind may not enter the world.
    pub(super) fn why_too_many(&self, kind: KindId, more: u64) -> Option<Cause> {
        let most = self.world.rules.known_kind(kind).max_in_world()?;
        let would = u64::try_from(self.number_in_world(kind)).unwrap_or(0).saturating_add(more);
        let excess = u64::try_from(self.world.totals(kind).present()).unwrap_or(0);
        (would > u64::from(most).max(excess)).then_some(Cause::MostInWorld { kind, would, most })
    }

    /// The kinds of which the world would have too many, and more than it had.
    fn all_too_many_in_the_end(&self) -> impl Iterator<Item = Cause> {
        self.world.rules.limited_kinds().filter_map(|kind| {
            let gains = self.number_in_world(kind) > self.world.totals(kind).present();
            if gains { self.why_too_many(kind, 0) } else { None }
        })
    }

    /// The number of items that the limits of a container, the containers around it and the holder
    /// allow. Items that one of them has already add nothing to it.
    #[inline]
    pub(super) fn allowance(&self, item: Item, source: Option<Spot>, container: u32) -> u32 {
        if self.checks_caps_later() || source.is_some_and(|source| source.container == container) {
            return u32::MAX;
        }
        let bearers = self.new_bearers(source.map(|source| source.container), container);
        bearers.into_iter().map(|bearer| self.allowance_of(item, bearer)).min().unwrap_or(u32::MAX)
    }

    #[inline]
    fn allowance_of(&self, item: Item, bearer: Bearer) -> u32 {
        let mut most = Limit::of_weight(self, bearer).how_many(item.weight);
        if !self.world.rules.cap_filters.is_empty() {
            for limit in Limit::of_counts(self, bearer) {
                let each = limit.measure.number().map_or(0, |number| self.counted(item, 1, number));
                most = most.min(limit.how_many(each));
            }
        }
        if self.laid().is_empty() {
            return most;
        }
        // Items that are placed already count too.
        let laid = self.laid().iter().filter(|(spot, _)| self.bears(bearer, spot.container));
        most.saturating_sub(laid.map(|(_, count)| count).sum())
    }

    /// Whether a container or holder carries the contents of a container.
    fn bears(&self, bearer: Bearer, container: u32) -> bool {
        match bearer {
            Bearer::Container(other) => self.is_within(container, other),
            Bearer::Holder(holder) => self.holder_of(container) == Some(holder),
        }
    }

    /// Everything that newly carries items entering a container: from the inside out, the holder
    /// last.
    #[inline]
    pub(super) fn new_bearers(&self, from: Option<u32>, to: u32) -> SmallVec<[Bearer; 4]> {
        let mut bearers = SmallVec::new();
        let mut at = Some(to);
        while let Some(container) = at {
            if from.is_some_and(|from| self.is_within(from, container)) {
                return bearers;
            }
            bearers.push(Bearer::Container(container));
            at = self.around(container);
        }
        let holder = self.holder_of(to).filter(|_| from.and_then(|from| self.holder_of(from)) != self.holder_of(to));
        bearers.extend(holder.map(Bearer::Holder));
        bearers
    }

    /// The numbers of the filters of their caps.
    pub(super) fn cap_numbers(&self, bearer: Bearer) -> SmallVec<[u32; 4]> {
        self.caps_of(bearer).iter().map(|cap| cap.number).collect()
    }

    pub(super) fn place_of_bearer(&self, bearer: Bearer) -> Place {
        match bearer {
            Bearer::Container(container) => Place::Container(self.container_id(container)),
            Bearer::Holder(holder) => Place::Holder(self.world.holder_id(holder)),
        }
    }

    /// The caps of a container or holder that it would be over, and further over than it is.
    pub(super) fn over_caps(&self, bearer: Bearer, gain: impl Fn(u32) -> i128) -> impl Iterator<Item = Cause> {
        Limit::of_counts(self, bearer).filter_map(move |limit| {
            let gain = limit.measure.number().map_or(0, &gain);
            limit.why_not(|| self.place_of_bearer(bearer), gain)
        })
    }

    /// The weight cap of a container or holder, if it would be over that, and further over than it
    /// is.
    pub(super) fn too_heavy(&self, bearer: Bearer, gain: i128) -> Option<Cause> {
        Limit::of_weight(self, bearer).why_not(|| self.place_of_bearer(bearer), gain)
    }

    /// Everything with an excess that has grown, after all changes: first the caps of everything
    /// that carries more than before, then their weight caps.
    pub(super) fn all_over_in_the_end(&self) -> Vec<Cause> {
        let gain_of = |bearer| self.weight_gain(bearer);
        let counts = |bearer, number| self.capped_gain(bearer, number);
        self.all_over(&self.changed_bearers(), &gain_of, &counts, self.all_too_many_in_the_end())
    }

    /// The same for the latest changes alone, which concern some containers and holders. The cost
    /// grows with these, and not with the changes before.
    pub(super) fn all_over_since(&self, before: &Floors, changes: &[Event], bearers: &[Bearer]) -> Vec<Cause> {
        let too_many = self.world.rules.limited_kinds().filter_map(|kind| {
            let most = self.world.rules.known_kind(kind).max_in_world()?;
            if entered(kind, changes) <= 0 {
                return None;
            }
            let would = u64::try_from(self.number_in_world(kind)).unwrap_or(0);
            (would > u64::from(most)).then_some(Cause::MostInWorld { kind, would, most })
        });
        let weight = |bearer| self.weight_gain(bearer) - before.weight(bearer);
        let counts = |bearer, number| self.capped_gain(bearer, number) - before.capped(bearer, number);
        self.all_over(bearers, &weight, &counts, too_many)
    }

    fn all_over(
        &self,
        bearers: &[Bearer],
        weight_gain: &dyn Fn(Bearer) -> i64,
        capped_gain: &dyn Fn(Bearer, u32) -> i64,
        too_many: impl Iterator<Item = Cause>,
    ) -> Vec<Cause> {
        let why_not = |bearer: Bearer, limit: Limit, gain: i64| {
            limit.before(gain).why_not(|| self.place_of_bearer(bearer), i128::from(gain))
        };
        let by_counts = bearers.iter().flat_map(|&bearer| {
            Limit::of_counts(self, bearer).filter_map(move |limit| {
                let gain = limit.measure.number().map_or(0, |number| capped_gain(bearer, number));
                why_not(bearer, limit, gain)
            })
        });
        let by_weight =
            bearers.iter().filter_map(|&bearer| why_not(bearer, Limit::of_weight(self, bearer), weight_gain(bearer)));
        by_counts.chain(too_many).chain(by_weight).collect()
    }
}
