//! Counting items from totals, without visiting every stack.

use crate::id::{ContainerId, KindId};
use crate::ruleset::Selector;
use crate::world::{Cell, Place, Spot, World};

impl World {
    /// The number of items of a kind, tag or mark in a place or anywhere, packs and what containers
    /// work on included.
    ///
    /// The cost does not depend on the number of slots. For a kind it grows with the packs in the
    /// place, for a tag or a mark with the kinds and variants. On the ground every stack is
    /// visited.
    ///
    /// ```
    /// use hypotheke::{Place, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind.tags(["signal"]).stack_limit(6))
    ///     .kind("radio", |kind| kind.tags(["signal"]))
    ///     .container("depot", |depot| depot.slots(4))
    ///     .container("sled", |sled| sled.slots(4))
    ///     .start("depot", ["8 flare", "1 radio"])
    ///     .start("sled", ["1 flare"])
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let depot = Place::from(world.container("depot").unwrap());
    /// let (flare, signal) = (world.rules().find_kind("flare").unwrap(), world.rules().find_tag("signal").unwrap());
    /// assert_eq!((world.count(flare, Some(depot)), world.count(flare, None)), (8, 9));
    /// assert_eq!(world.count(signal, Some(depot)), 9);
    /// assert!(!world.has(world.rules().find_kind("radio").unwrap(), world.container("sled").map(Place::from)));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn count(&self, what: impl Into<Selector>, place: Option<Place>) -> u64 {
        let what = what.into();
        let within_reach = self.count_within_reach(what, place);
        if place.is_none() && !matches!(what, Selector::Mark(_)) {
            // The totals of kinds have the rest already.
            return within_reach;
        }
        let in_work = self.stacks_in_work(place).filter(|stack| self.cell_is(stack.cell, what));
        within_reach + in_work.map(|stack| u64::from(stack.count())).sum::<u64>()
    }

    /// The same without what containers work on, which no operation can name.
    pub(crate) fn count_within_reach(&self, what: impl Into<Selector>, place: Option<Place>) -> u64 {
        let what = what.into();
        if matches!(what, Selector::Kind(kind) if !self.rules.has_kind(kind)) {
            return 0;
        }
        match place {
            None => self.count_anywhere(what),
            Some(Place::Container(id)) if self.has_container(id) => self.count_in(what, id.index),
            Some(Place::Holder(id)) if self.has_holder(id) => {
                let carried: u64 = self.carried(id).map(|ContainerId { index, .. }| self.count_in(what, index)).sum();
                carried + self.count_in(what, self.hand_of(id.index))
            }
            place => {
                let stacks = self.all_stacks_in(place).into_iter().filter(|stack| stack.is(what));
                stacks.map(|stack| u64::from(stack.count())).sum()
            }
        }
    }

    fn count_anywhere(&self, what: Selector) -> u64 {
        let there = |kind: KindId| {
            let totals = self.totals(kind);
            (totals.created + totals.arrived) - (totals.consumed + totals.departed)
        };
        match what {
            Selector::Kind(kind) => there(kind),
            Selector::Tag(tag) => {
                let kinds = self.rules.kinds().filter(|kind| kind.has_tag(tag));
                kinds.map(|kind| there(kind.handle())).sum()
            }
            Selector::Mark(_) => {
                let outermost = (0..self.container_count()).filter(|&container| self.is_lasting(container));
                outermost.map(|container| self.count_in(what, container)).sum()
            }
        }
    }

    /// In a container and in the packs in it.
    fn count_in(&self, what: Selector, container: u32) -> u64 {
        self.count_beside(what, container)
            + self.packs_in(container).map(|inner| self.count_in(what, inner)).sum::<u64>()
    }

    /// In a container without the packs in it.
    fn count_beside(&self, what: Selector, container: u32) -> u64 {
        let state = self.state(container);
        if let Selector::Kind(kind) = what
            && let Some(count) = state.kept_count(kind)
        {
            return count;
        }
        if let Some(counts) = state.kept_counts() {
            let satisfies = |(class, _): &(u32, u64)| self.class_counts_as(what, *class);
            return counts.filter(satisfies).map(|(_, count)| count).sum();
        }
        let in_slots = self.stacks_of(container).filter(|(spot, _)| !self.is_in_work(*spot)).map(|(_, cell)| cell);
        in_slots.filter(|cell| self.cell_is(*cell, what)).map(|cell| u64::from(cell.count)).sum()
    }

    /// Whether the items of a kind, or of a class that is not plain, match. Items of a class are
    /// also counted under their kind. So only one of the two counts.
    fn class_counts_as(&self, what: Selector, class: u32) -> bool {
        match (what, self.classes.key(class)) {
            (Selector::Tag(tag), None) => self.rules.known_kind_at(class).has_tag(tag),
            (Selector::Mark(mark), Some(key)) => key.marks.contains(&mark),
            (Selector::Kind(kind), None) => class == kind.0,
            _ => false,
        }
    }

    fn cell_is(&self, cell: Cell, what: Selector) -> bool {
        match what {
            Selector::Kind(kind) => cell.kind == kind.0,
            Selector::Tag(tag) => self.rules.known_kind_at(cell.kind).has_tag(tag),
            Selector::Mark(mark) => self.classes.key(cell.class).is_some_and(|key| key.marks.contains(&mark)),
        }
    }

    /// The insides of the packs in a container.
    fn packs_in(&self, container: u32) -> impl Iterator<Item = u32> + '_ {
        self.rules.pack_kinds.iter().flat_map(move |&kind| {
            let next = move |slot: &u32| self.next_of_kind(container, kind, slot.checked_add(1)?);
            let slots = std::iter::successors(self.next_of_kind(container, kind, 0), next);
            slots.map(move |slot| self.cell(Spot { container, slot }).inner)
        })
    }
}
