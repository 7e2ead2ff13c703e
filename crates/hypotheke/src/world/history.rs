//! Undo: reverses applied operations, the latest first.

use std::collections::VecDeque;

use rand_xoshiro::Xoshiro256PlusPlus;

use super::{Event, Origin, Spot, World};
use crate::id::ContainerId;
use crate::snapshot::Answered;
use crate::snapshot::Orphan;

/// The latest operations, as many as are to be kept.
#[derive(Clone, Debug, Default)]
pub(crate) struct History {
    most: usize,
    entries: VecDeque<Entry>,
    /// Unused lists of events, for the next entries.
    spare: Vec<Vec<Event>>,
}

/// The maximum number of reused lists.
const MAX_SPARE: usize = 8;

impl History {
    fn recycle(&mut self, mut events: Vec<Event>) {
        if self.spare.len() < MAX_SPARE {
            events.clear();
            self.spare.push(events);
        }
    }
}

/// What was changed, and the counters as they were before.
#[derive(Clone, Debug)]
struct Entry {
    events: Vec<Event>,
    next_stack: u64,
    next_landing: u32,
    random: Xoshiro256PlusPlus,
    /// The origins of hands that were touched, by holder.
    origins: Vec<(u32, Option<Origin>)>,
    /// The request that fell out of the window, if the operation answered one with an id.
    request: Option<Option<Answered>>,
    /// The orphans, if an arrival or departure affected them.
    orphans: Option<Vec<Orphan>>,
}

impl World {
    /// Sets the number of latest operations that can be undone. A new world has 0.
    pub fn set_undo_limit(&mut self, most: usize) {
        self.history.most = most;
        self.clear(most);
    }

    /// How many operations are kept at most.
    pub(crate) fn max_kept(&self) -> usize {
        self.history.most
    }

    /// The number of operations that can be undone now.
    #[must_use]
    pub fn undo_depth(&self) -> usize {
        self.history.entries.len()
    }

    /// Undoes the operation that led to a revision; false if it is not the latest, or not stored.
    pub(crate) fn undo_latest(&mut self, revision: u64) -> bool {
        let latest = if revision == self.revision { self.history.entries.pop_back() } else { None };
        let Some(entry) = latest else { return false };
        for event in entry.events.iter().rev() {
            self.carry_back(event);
        }
        self.release_classes(&entry.events);
        self.follow_ids_of(&entry.events);
        self.next_stack = entry.next_stack;
        self.ground.next_landing = entry.next_landing;
        self.random = entry.random;
        for (holder, origin) in entry.origins {
            self.set_origin(holder, origin);
        }
        if let Some(fell_out) = entry.request {
            self.requests.undo(fell_out);
        }
        if let Some(orphans) = entry.orphans {
            self.orphans = orphans;
        }
        self.revision -= 1;
        self.now.pass();
        if let Some(scratch) = &mut self.scratch {
            scratch.clear();
        }
        self.history.recycle(entry.events);
        true
    }

    #[inline]
    pub(crate) fn keeps_history(&self) -> bool {
        self.history.most > 0
    }

    /// Remembers what is about to be carried out.
    pub(crate) fn remember(&mut self, events: &[Event]) {
        if self.history.most == 0 {
            return;
        }
        self.clear(self.history.most - 1);
        // A class must not be given to others as long as a stack of it may come back.
        events.iter().for_each(|event| self.retain_classes(event));
        let origins = self.origins_touched(events);
        let travels = events.iter().any(|event| matches!(event, Event::Departed { .. } | Event::Arrived { .. }));
        let mut kept = self.history.spare.pop().unwrap_or_default();
        kept.extend_from_slice(events);
        self.history.entries.push_back(Entry {
            origins,
            events: kept,
            next_stack: self.next_stack,
            next_landing: self.ground.next_landing,
            random: self.random.clone(),
            request: None,
            orphans: travels.then(|| self.orphans.clone()),
        });
    }

    /// The latest operation answered a request; for it another fell out of the window.
    pub(crate) fn remember_request(&mut self, fell_out: Option<Answered>) {
        if let Some(latest) = self.history.entries.back_mut() {
            latest.request = Some(fell_out);
        }
    }

    /// Whether an event may change where the stack in a hand came from.
    pub(crate) fn touches_hand(&self, event: &Event) -> bool {
        let is_hand = |spot: Spot| spot.container < self.container_count() && self.is_hand(spot.container);
        match event {
            Event::Moved { from, to, .. } => is_hand(from.spot) || is_hand(to.spot),
            Event::Swapped { one, other } => is_hand(one.spot) || is_hand(other.spot),
            Event::Changed { at, .. } => is_hand(at.spot),
            Event::Resized { .. } => true,
            _ => false,
        }
    }

    pub(crate) fn origins_touched(&self, events: &[Event]) -> Vec<(u32, Option<Origin>)> {
        let spots = events.iter().flat_map(|event| match event {
            Event::Moved { from, to, .. } => [from.spot, to.spot],
            Event::Swapped { one, other } => [one.spot, other.spot],
            Event::Changed { at, .. } => [at.spot, Spot::NOWHERE],
            _ => [Spot::NOWHERE; 2],
        });
        // A container that the operation itself brings is no hand.
        let hands = spots.filter(|spot| spot.container < self.container_count() && self.is_hand(spot.container));
        let holders = hands.map(|spot| self.state(spot.container).holder);
        let resized = |event: &Event| match event {
            Event::Resized { container, before, after } if after < before => Some(*container),
            _ => None,
        };
        // An origin in a removed slot is cleared.
        let from_resized =
            events.iter().filter_map(resized).flat_map(|container| self.holders_with_origin_in(container));
        holders.chain(from_resized).map(|holder| (holder, self.origin_of(holder))).collect()
    }

    fn holders_with_origin_in(&self, container: ContainerId) -> impl Iterator<Item = u32> + '_ {
        let of_holder = |holder: u32| self.origin_of(holder);
        self.present
            .iter()
            .map(|&(_, holder)| holder)
            .filter(move |&holder| of_holder(holder).is_some_and(|origin| origin.container == container))
    }

    /// Forgets the oldest, so that no more than `most` are kept.
    pub(crate) fn clear(&mut self, most: usize) {
        while self.history.entries.len() > most {
            if let Some(entry) = self.history.entries.pop_front() {
                self.release_classes(&entry.events);
                entry.events.iter().for_each(|event| self.give_up(event));
                self.history.recycle(entry.events);
            }
        }
    }

    /// From now on removed parts can be restored, as with an undo limit; returns the limit.
    pub(crate) fn keep_all_until_settled(&mut self) -> usize {
        let most = self.history.most;
        self.history.most = usize::MAX;
        most
    }

    /// Later operations can no longer be undone, or already were.
    pub(crate) fn settle(&mut self, most: usize, events: &[Event]) {
        self.history.most = most;
        for event in events {
            self.give_up(event);
            match *event {
                Event::Moved { from, inner, .. } if !from.exists() && inner.is_pack() => {
                    self.containers[inner.container() as usize].came_before.clear();
                }
                Event::Arrived { who, .. } => {
                    for container in self.containers_of_traveller(who) {
                        self.containers[container as usize].came_before.clear();
                    }
                }
                _ => {}
            }
            if let Event::Moved { to, inner, .. } = event
                && !to.exists()
                && inner.is_pack()
                && !self.is_there(inner.container())
                && !self.waits(inner.container())
            {
                self.set_waiting(inner.container());
            }
        }
    }

    /// An event that can no longer be undone frees the memory of its removed entities.
    fn give_up(&mut self, event: &Event) {
        if let Event::Departed { who, .. } = event {
            self.clear_away(*who);
        }
    }

    /// How often the operations that are kept name a class.
    pub(crate) fn remembered(&self, class: u32) -> u64 {
        let named = self.history.entries.iter().flat_map(|entry| &entry.events).flat_map(classes);
        named.filter(|named| *named == class).count() as u64
    }

    pub(crate) fn retain_classes(&mut self, event: &Event) {
        classes(event).for_each(|class| self.classes.retain(class));
    }

    pub(crate) fn release_classes(&mut self, events: &[Event]) {
        for class in events.iter().flat_map(classes) {
            self.classes.release(class);
        }
    }
}

/// The classes that an event names.
fn classes(event: &Event) -> impl Iterator<Item = u32> {
    let (one, other) = match event {
        Event::Moved { class, .. } => (Some(class.0), None),
        Event::Changed { before, after, .. } => (Some(before.0), Some(after.0)),
        _ => (None, None),
    };
    one.into_iter().chain(other)
}
