//! depart: a container without a holder, or a holder, leaves the world with all contents.

use super::draft::Draft;
use super::limits::Bears;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::id::{DepartureId, KindId};
use crate::world::{Bearer, Cell, DepartingEntity, Event, Place};

pub(super) fn plan(draft: &mut Draft<'_>, who: Place) -> Planned {
    // What is due happens here, not where it arrives.
    draft.change_stacks();
    draft.start_automatic();
    let traveller = draft.traveller(who)?;
    draft.settle();
    if let DepartingEntity::Holder(holder) = traveller {
        draft.clear_depleted_shortcuts_of(Some(holder.index));
    }
    let containers = draft.own_containers(traveller);
    let count = containers.iter().map(|&container| draft.items_within(container)).sum();
    let weight = containers.iter().map(|&container| draft.weight_of(Bearer::Container(container))).sum::<i64>();
    draft.leave_world(traveller, count, weight);
    let containers = draft.containers_within(containers);
    draft.note_departed(&containers);
    for container in containers {
        draft.close_to_all(container);
    }
    if let DepartingEntity::Holder(holder) = traveller {
        for container in draft.opened_by(holder.index) {
            draft.close(holder, draft.container_id(container));
        }
    }
    Ok(Done { requested: None, count })
}

impl Draft<'_> {
    /// Looks up the departing entity.
    fn traveller(&self, who: Place) -> Result<DepartingEntity, Refusal> {
        match who {
            Place::Container(id) if self.has_container(id) => {
                let meant = self.world.stands(id).then_some(DepartingEntity::Container(id));
                meant.ok_or(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)))
            }
            Place::Holder(id) if self.has_holder(id) => Ok(DepartingEntity::Holder(id)),
            Place::Container(_) | Place::Holder(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
            _ => Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
        }
    }

    fn own_containers(&self, who: DepartingEntity) -> Vec<u32> {
        match who {
            DepartingEntity::Container(id) => vec![id.index],
            DepartingEntity::Holder(id) => {
                let hand = self.world.hand_of(id.index);
                self.world.containers_of(id.index).iter().copied().chain([hand]).collect()
            }
        }
    }

    /// Some containers and the containers inside them.
    fn containers_within(&self, mut containers: Vec<u32>) -> Vec<u32> {
        let mut next = 0;
        while let Some(&container) = containers.get(next) {
            containers.extend(self.cells_in(container).filter(|cell| cell.is_pack()).map(|cell| cell.inner));
            next += 1;
        }
        containers
    }

    /// Keeps the number of items that depart, of the kinds with `most-in-world`.
    fn note_departed(&mut self, containers: &[u32]) {
        if self.world.rules.limited_kinds.is_empty() {
            return;
        }
        let all = |&container: &u32| self.cells_in(container).chain(self.cells_in_work(container));
        let cells = containers.iter().flat_map(all);
        let limited = cells.filter(|cell| self.world.rules.figures[cell.kind as usize].is_limited);
        let items: Vec<(u32, u32)> = limited.map(|cell| (cell.kind, cell.count)).collect();
        self.limited_departed.extend(items);
    }

    /// The number of items of such a kind that depart.
    pub(super) fn departed_of(&self, kind: KindId) -> u64 {
        let of_kind = self.limited_departed.iter().filter(|(departed, _)| *departed == kind.0);
        of_kind.map(|(_, count)| u64::from(*count)).sum()
    }

    /// The number of items in a container at any depth.
    fn items_within(&self, container: u32) -> u64 {
        let items = |cell: Cell| u64::from(cell.count) + if cell.is_pack() { self.items_within(cell.inner) } else { 0 };
        self.cells_in(container).chain(self.cells_in_work(container)).map(items).sum()
    }

    /// The lowest number that the next departure may get.
    pub(super) fn next_departure(&self) -> u64 {
        let number = |event: &Event| match event {
            Event::Departed { departure, .. } => Some(departure.number + 1),
            _ => None,
        };
        self.events().iter().rev().find_map(number).unwrap_or(self.world.departures)
    }

    fn leave_world(&mut self, who: DepartingEntity, count: u64, weight: i64) {
        let before = self.next_departure();
        let latest = self.latest_arrival(&self.world.name_of_traveller(who));
        let number = latest.map_or(before, |latest| before.max(latest + 1));
        let departure = DepartureId { world: self.world.number, number };
        self.push(Event::Departed { who, departure, before, count });
        self.take_along(who, weight);
    }
}
