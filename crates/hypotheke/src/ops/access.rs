//! Containers that must be opened, and those that one holder at a time uses.

use smallvec::SmallVec;

use super::draft::Draft;
use super::operation::Action;
use super::refusal::Cause;
use crate::id::{ContainerId, HolderId};
use crate::world::{Event, Place};

/// A place that an operation names, and whether it is a target.
type Named = (Place, Use);

#[derive(Clone, Copy, PartialEq, Eq)]
enum Use {
    Source,
    Target,
}

impl Action {
    /// The places whose containers must be open.
    fn used_places(&self) -> SmallVec<[Named; 2]> {
        let (from, to) = match self {
            // Nobody has to open a container to open it, close it or give it away, a shortcut belongs
            // to its holder, and a holder departs with whatever it has.
            Action::Open { .. }
            | Action::Close { .. }
            | Action::Give { .. }
            | Action::Bind { .. }
            | Action::Unbind { .. }
            | Action::Depart { who: Place::Holder(_) } => (None, None),
            action => action.sides(),
        };
        let (from, to) = (from.copied(), to.copied());
        let sources = from.into_iter().map(|place| (place, Use::Source));
        sources.chain(to.into_iter().map(|place| (place, Use::Target))).collect()
    }
}

impl Draft<'_> {
    /// The reason that keeps the acting holder from a named place: first closed containers, then
    /// other users. Missing places are left to the operation itself.
    #[inline]
    pub(super) fn why_closed(&self, actor: Option<HolderId>, action: &Action) -> Option<Cause> {
        if !self.world.rules.has_doors {
            return None;
        }
        self.why_closed_to(actor?.index, action)
    }

    #[cold]
    fn why_closed_to(&self, actor: u32, action: &Action) -> Option<Cause> {
        self.all_closed_to(actor, action).into_iter().next()
    }

    /// Every reason that keeps the acting holder from a place: first closed containers, then other
    /// users.
    pub(super) fn all_closed(&self, actor: Option<HolderId>, action: &Action) -> Vec<Cause> {
        actor.map_or_else(Vec::new, |actor| self.all_closed_to(actor.index, action))
    }

    fn all_closed_to(&self, actor: u32, action: &Action) -> Vec<Cause> {
        let mut places = action.used_places();
        places.extend(self.till_of_action(action).map(|till| (till, Use::Source)));
        let all = |why: &dyn Fn(u32) -> Vec<Cause>| -> Vec<Cause> {
            places.iter().flat_map(|named| self.all_at(*named, why)).collect()
        };
        let not_open = all(&|container| self.all_not_open(actor, container));
        let in_use = all(&|container| self.all_in_use(actor, container));
        not_open.into_iter().chain(in_use).collect()
    }

    /// Of a holder all containers must be out of reach; else those are passed over.
    fn all_at(&self, (place, used): Named, why: &dyn Fn(u32) -> Vec<Cause>) -> Vec<Cause> {
        match place {
            Place::Slot(id, _) | Place::Container(id) if self.has_container(id) => why(id.index),
            Place::Holder(id) if self.has_holder(id) => {
                let containers =
                    if used == Use::Target { self.all_targets_of(id.index) } else { self.all_sources_of(id.index) };
                let reasons: Vec<Vec<Cause>> = containers.iter().map(|&container| why(container)).collect();
                let are_all_closed = reasons.iter().all(|reasons| !reasons.is_empty());
                reasons.into_iter().next().filter(|_| are_all_closed).unwrap_or_default()
            }
            _ => Vec::new(),
        }
    }

    /// Every obstacle to opening a container: closed containers around it, then other users.
    pub(super) fn all_not_opened(&self, actor: u32, container: u32) -> Vec<Cause> {
        let around = self.around(container).map_or_else(Vec::new, |around| self.all_not_open(actor, around));
        around.into_iter().chain(self.all_in_use(actor, container)).collect()
    }

    /// Whether the holder that acts may use a container; the game may use all.
    pub(super) fn is_reachable(&self, container: u32) -> bool {
        let Some(actor) = self.actor.filter(|_| self.world.rules.has_doors) else { return true };
        self.why_not_open(actor, container).is_none() && self.why_in_use(actor, container).is_none()
    }

    /// The first container on the way from the outside that a holder would have to open.
    pub(super) fn why_not_open(&self, actor: u32, container: u32) -> Option<Cause> {
        self.all_not_open(actor, container).into_iter().next()
    }

    fn all_not_open(&self, actor: u32, container: u32) -> Vec<Cause> {
        let closed = |at: u32| self.state(at).must_open && !self.is_open(actor, at);
        let closed = self.all_on_the_way(actor, container, closed).into_iter();
        closed.map(|at| Cause::NotOpen(self.container_place(at))).collect()
    }

    /// The first container on the way that is exclusive and that another holder has opened.
    pub(super) fn why_in_use(&self, actor: u32, container: u32) -> Option<Cause> {
        self.all_in_use(actor, container).into_iter().next()
    }

    fn all_in_use(&self, actor: u32, container: u32) -> Vec<Cause> {
        let used = self.all_on_the_way(actor, container, |at| self.user_of(actor, at).is_some()).into_iter();
        let cause = |at: u32| {
            let by = self.world.holder_id(self.user_of(actor, at)?);
            Some(Cause::InUse { at: self.container_place(at), by })
        };
        used.filter_map(cause).collect()
    }

    pub(super) fn container_place(&self, container: u32) -> Place {
        Place::Container(self.container_id(container))
    }

    /// Another holder that has opened an exclusive container.
    fn user_of(&self, actor: u32, container: u32) -> Option<u32> {
        if !self.state(container).exclusive {
            return None;
        }
        self.openers(container).into_iter().find(|&holder| holder != actor)
    }

    /// From the outside in. Whatever a holder carries is always open to it.
    fn all_on_the_way(&self, actor: u32, container: u32, wanted: impl Fn(u32) -> bool) -> SmallVec<[u32; 4]> {
        let container = Some(container).filter(|&container| self.holder_of(container) != Some(actor));
        let mut found: SmallVec<[u32; 4]> = self.containers_around(container).filter(|&at| wanted(at)).collect();
        found.reverse();
        found
    }

    /// Whether a holder has opened a container by now.
    pub(super) fn is_open(&self, holder: u32, container: u32) -> bool {
        let described = self.events().iter().rev().find_map(|event| match *event {
            Event::Opened { holder: by, container: at } if (by.index, at.index) == (holder, container) => Some(true),
            Event::Closed { holder: by, container: at } if (by.index, at.index) == (holder, container) => Some(false),
            _ => None,
        });
        described.unwrap_or_else(|| container < self.world.container_count() && self.world.is_open(holder, container))
    }

    /// The holders that have opened a container by now, in order.
    pub(super) fn openers(&self, container: u32) -> SmallVec<[u32; 4]> {
        let is_new = container >= self.world.container_count();
        let mut openers: SmallVec<[u32; 4]> = if is_new { SmallVec::new() } else { self.world.openers(container) };
        for event in self.events() {
            match *event {
                Event::Opened { holder, container: opened } if opened.index == container => openers.push(holder.index),
                Event::Closed { holder, container: closed } if closed.index == container => {
                    openers.retain(|known| *known != holder.index);
                }
                _ => {}
            }
        }
        openers.sort_by_key(|&holder| self.world.order_of_holder(holder));
        openers
    }

    /// The containers that a holder has opened by now: those that last, in order, then the insides
    /// of packs by the ids of those.
    pub(super) fn opened_by(&self, holder: u32) -> Vec<u32> {
        let known = self.world.opened().filter(|(_, opener)| *opener == holder).map(|(container, _)| container);
        let here = self.events().iter().filter_map(|event| match event {
            Event::Opened { container, .. } => Some(container.index),
            _ => None,
        });
        let mut found: Vec<u32> = known.chain(here).filter(|&container| self.is_open(holder, container)).collect();
        found.sort_by_key(|&container| self.order_of(container));
        found.dedup();
        found
    }

    pub(super) fn open(&mut self, holder: HolderId, container: ContainerId) {
        self.push(Event::Opened { holder, container });
    }

    pub(super) fn close(&mut self, holder: HolderId, container: ContainerId) {
        self.push(Event::Closed { holder, container });
    }

    /// What has left the world can't stay open.
    pub(super) fn close_what_has_gone(&mut self) {
        let gone = |event: &Event| match event {
            Event::Moved { to, inner, .. } if !to.exists() && inner.is_pack() => Some(inner.container()),
            _ => None,
        };
        let gone: Vec<u32> = self.events().iter().filter_map(gone).collect();
        for container in gone {
            self.close_to_all(container);
        }
    }

    pub(super) fn close_to_all(&mut self, container: u32) {
        for holder in self.openers(container) {
            self.close(self.world.holder_id(holder), self.container_id(container));
        }
    }
}
