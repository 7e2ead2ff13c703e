//! What holds for several places together.

use std::collections::BTreeSet;

use smallvec::SmallVec;

use super::IncrementalAudit;
use crate::id::{HolderDefId, KindId};
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{Cap, DepletedShortcut, FilterId, Meter};
use crate::world::{ClassKey, ClassView, GROUND, NONE, Origin, World};

/// A count for each of the filters of all caps.
pub(super) type Counts = SmallVec<[u64; 6]>;

/// The contents of a place, insides of packs included.
#[derive(Clone, Default)]
struct Sum {
    weight: i128,
    capped: Counts,
}

impl Sum {
    fn add(&mut self, weight: i128, capped: &[u64]) {
        self.weight += weight;
        self.capped.resize(self.capped.len().max(capped.len()), 0);
        self.capped.iter_mut().zip(capped).for_each(|(sum, more)| *sum += more);
    }

    fn is_within(&self, weight_cap: i64, caps: &[Cap]) -> bool {
        let counted = |cap: &Cap| self.capped.get(cap.number as usize).copied().unwrap_or(0);
        self.weight <= i128::from(weight_cap) && caps.iter().all(|cap| counted(cap) <= u64::from(cap.count))
    }
}

/// A walk from the outside in.
struct Walk<'a> {
    watch: &'a IncrementalAudit,
    world: &'a World,
    /// The number of visited containers.
    reached: usize,
    /// Filters of the places around that go deep.
    deep: Vec<FilterId>,
    /// The kinds that some shortcut of the holder at hand points at, as long as nothing of them was
    /// found.
    wanted: Vec<KindId>,
}

impl IncrementalAudit {
    /// Caps and weight caps, nesting, filters that go deep, the limit of the ground, shortcuts and
    /// hands.
    pub(super) fn keeps_as_a_whole(&self, world: &World) -> bool {
        let mut walk = Walk { watch: self, world, reached: 0, deep: Vec::new(), wanted: Vec::new() };
        let there = |&number: &u32| world.is_there(number);
        let count = (0..world.container_count()).filter(there).count();
        let carried = |number: u32| world.state(number).holder != NONE || world.is_hand(number);
        let mut outermost = (0..world.container_count()).filter(there).filter(|&number| world.is_lasting(number));
        outermost.all(|number| carried(number) || walk.sum(number, 0).is_some())
            && (0..world.holder_count()).filter(|&holder| world.is_present(holder)).all(|holder| walk.holder(holder))
            && walk.reached == count
            && self.rules.ground_limit().is_none_or(|most| self.places[GROUND as usize].cells.len() <= most as usize)
    }

    /// The world has no more of a kind than it may.
    pub(super) fn keeps_numbers(&self) -> bool {
        self.rules.limited_kinds().all(|kind| {
            let held = self.counted.held.get(kind.index()).unwrap_or_default();
            self.rules.known_kind(kind).max_in_world().is_none_or(|most| held <= i128::from(most))
        })
    }

    /// A container is open only to present holders, and an exclusive one to one holder.
    pub(super) fn keeps_doors(&self, world: &World) -> bool {
        let mut last = None;
        world.opened().filter(|&(container, _)| world.is_there(container)).all(|(container, holder)| {
            let again = last.replace(container) == Some(container);
            let exclusive = !world.is_hand(container) && world.def_of(container).is_exclusive();
            world.is_present(holder) && !(again && exclusive)
        })
    }

    /// Containers and holders are those of the ruleset, and no two have one name.
    pub(super) fn keeps_names(&self, world: &World) -> bool {
        let mut seen = BTreeSet::new();
        let standing = world.containers().filter(|&id| world.stands(id)).all(|id| {
            let name = world.own_name(id.index);
            world.def_of(id.index).instances().any(|known| known == name) && seen.insert(name)
        });
        let present = (0..world.holder_count()).filter(|&holder| world.is_present(holder));
        standing
            && present.into_iter().all(|holder| {
                let def = self.rules.holder(holder_def(world, holder));
                let name = world.name_of_holder(holder);
                let carried = world.containers_of(holder).iter().map(|&number| world.def_number(number));
                self.rules.why_not_called(name, def.id()).is_none()
                    && seen.insert(name)
                    && carried.eq(def.carries().iter().map(|id| Some(id.0)))
                    && world.containers_of(holder).iter().all(|&number| world.is_there(number))
            })
    }

    /// Whether the slot exists, as long as its container exists.
    fn has_slot(&self, origin: Origin) -> bool {
        let place = self.places.get(origin.container.index as usize);
        place.is_some_and(|place| (origin.slot as usize) < place.cells.len())
    }
}

impl Walk<'_> {
    /// The contents of a place, if all of it is within its caps and the nesting limit.
    fn sum(&mut self, number: u32, depth: u32) -> Option<Sum> {
        let place = &self.watch.places[number as usize];
        self.reached += 1;
        if depth > self.watch.rules.nesting() {
            return None;
        }
        if !self.wanted.is_empty() {
            self.wanted.retain(|wanted| !place.cells.iter().any(|cell| !cell.is_empty() && cell.kind == wanted.0));
        }
        let def = place.def(self.world);
        if !self.deep.is_empty() && !self.admitted_deep(number) {
            return None;
        }
        let mut sum = Sum { weight: place.weight, capped: place.capped.clone() };
        if !place.insides.is_empty() {
            let deep = def.filter(|def| def.is_deep()).and_then(|def| def.admits);
            self.deep.extend(deep);
            for &inside in &place.insides {
                let inner = self.sum(inside, depth + 1)?;
                sum.add(inner.weight, &inner.capped);
            }
            self.deep.truncate(self.deep.len() - usize::from(deep.is_some()));
        }
        def.is_none_or(|def| sum.is_within(def.weight_cap, &def.caps)).then_some(sum)
    }

    fn admitted_deep(&self, number: u32) -> bool {
        let rules = &self.watch.rules;
        self.watch.places[number as usize].cells.iter().filter(|cell| !cell.is_empty()).all(|cell| {
            let plain = ClassKey::plain(rules.kind_id(cell.kind));
            let key = self.world.classes.key(cell.class).unwrap_or(&plain);
            self.deep.iter().all(|&filter| rules.filter(filter).test.admits(&ClassView { rules, key }))
        })
    }

    fn holder(&mut self, holder: u32) -> bool {
        let known = &self.watch.holders[holder as usize];
        let def = self.watch.rules.holder(holder_def(self.world, holder));
        if known.shortcuts.len() != def.shortcuts() as usize {
            return false;
        }
        let meters = def.meters();
        let is_within = |(meter, value): (&Meter, &Decimal)| (meter.min..=meter.max).contains(value);
        if known.meters.len() != meters.len() || !meters.iter().zip(&known.meters).all(is_within) {
            return false;
        }
        let bound = known.shortcuts.iter().flatten();
        let twice = |(at, kind): (usize, &KindId)| known.shortcuts.iter().flatten().take(at).any(|other| other == kind);
        if bound.clone().enumerate().any(twice) {
            return false;
        }
        self.wanted.clear();
        if def.depleted_shortcuts() == DepletedShortcut::Clear {
            self.wanted.extend(bound.copied());
        }
        let mut sum = Sum::default();
        for &number in known.containers.iter().chain([&known.hand]).filter(|&&number| number != NONE) {
            match self.sum(number, 0) {
                Some(inner) => sum.add(inner.weight, &inner.capped),
                None => return false,
            }
        }
        self.wanted.is_empty() && self.hand(holder) && sum.is_within(def.weight_cap, def.caps())
    }

    /// What is in the hand may have come from a slot that is there.
    fn hand(&self, holder: u32) -> bool {
        let known = &self.watch.holders[holder as usize];
        let holds =
            self.watch.places.get(known.hand as usize).is_some_and(|hand| hand.cells.iter().any(|it| !it.is_empty()));
        let remembered = known.origin.filter(|origin| self.world.has_container(origin.container));
        remembered.is_none_or(|origin| holds && self.watch.has_slot(origin))
    }
}

fn holder_def(world: &World, holder: u32) -> HolderDefId {
    world.rules.holder_def_id(narrow::index(world.def_of_holder(holder)))
}
