//! From a world to plain data.

use super::{DepartingEntity, Place, StackView, World};
use crate::id::{ContainerId, DepartureId, HolderId};
use crate::language::Path;
use crate::snapshot::{
    Container, Departed, Departure, Holder, InSlot, Job, KindTotals, Landed, Pack, PastArrival, Random, Snapshot, Stack,
};

impl World {
    /// All of the world as plain data by names.
    #[must_use]
    pub fn snapshot(&self) -> Snapshot {
        let standing = self.containers().filter(|&id| self.carrier(id).is_none());
        let totals = |kind: crate::Kind<'_>| {
            let totals = self.totals(kind.handle());
            let crate::KindTotals { created, consumed, arrived, departed } = totals;
            let described = KindTotals { created, consumed, arrived, departed };
            (described != KindTotals::default()).then(|| (kind.id().to_owned(), described))
        };
        Snapshot {
            world: self.number,
            revision: self.revision,
            next_stack: self.next_stack,
            random: Random(self.random.clone()),
            clock: self.clock,
            containers: standing.map(|id| self.capture_container(id)).collect(),
            holders: self.holders().map(|id| self.capture_holder(id)).collect(),
            packs: self.capture_packs(),
            ground: self.ground().map(|(stack, at)| Landed { at, stack: capture_stack(stack) }).collect(),
            totals: self.rules.kinds().filter_map(totals).collect(),
            departures: self.departures,
            arrivals: self.past_arrivals(),
            requests: self.requests.iter().cloned().collect(),
            orphans: self.orphans.clone(),
        }
    }

    fn past_arrivals(&self) -> Vec<PastArrival> {
        let latest = self.arrived.iter();
        let latest = latest.map(|(name, &number)| PastArrival::Latest { name: name.to_string(), number });
        self.arrivals_one_by_one.iter().copied().map(PastArrival::One).chain(latest).collect()
    }

    /// The document of one that is about to depart.
    pub(crate) fn capture_departure(&self, who: DepartingEntity, id: DepartureId) -> Departure {
        let departed = match who {
            DepartingEntity::Container(id) => Departed::Container(self.capture_container(id)),
            DepartingEntity::Holder(id) => {
                let mut holder = self.capture_holder(id);
                // An origin outside the departing entity is cleared.
                let own = |place| matches!(place, Place::Slot(container, _) if self.carrier(container) == Some(id));
                holder.origin = holder.origin.filter(|_| self.hand_origin(id).is_some_and(own));
                Departed::Holder(holder)
            }
        };
        let inside = self.containers_of_traveller(who).into_iter().filter(|&index| !self.is_lasting(index));
        let mut packs: Vec<Pack> = inside.filter_map(|index| self.capture_pack(self.container_id(index))).collect();
        packs.sort_by_key(|pack| pack.pack);
        let orphans = self.orphans_with(who);
        let mut departure = Departure { id: Some(id), who: departed, packs, orphans };
        departure.close();
        departure
    }

    fn capture_container(&self, id: ContainerId) -> Container {
        let name = self.container_name(id);
        let own = name.rsplit_once('.').map_or(name.as_str(), |(_, own)| own).to_owned();
        Container {
            name: own,
            definition: self.container_def(id).map_or_else(String::new, |def| def.id().to_owned()),
            slots: self.slot_count(id.index),
            owner: self.owner_unlike_rules(id),
            opened_by: self.names_of_openers(id),
            stacks: self.capture_slots(id),
            job: self.job_of(id.index).map(|job| self.capture_job(job, self.clock)),
        }
    }

    /// With the ticks that are left at a tick.
    pub(crate) fn capture_job(&self, job: super::Job, clock: u64) -> Job {
        let recipe = self.rules.recipe(job.recipe).map_or_else(String::new, |recipe| recipe.id().to_owned());
        Job { recipe, times: job.times, left: job.left(clock), yield_number: job.yield_number }
    }

    fn capture_holder(&self, id: HolderId) -> Holder {
        let kind = |kind: crate::KindId| self.rules.known_kind(kind).id().to_owned();
        Holder {
            name: self.holder_name(id).to_owned(),
            definition: self.holder_def(id).map_or_else(String::new, |def| def.id().to_owned()),
            containers: self.carried(id).map(|id| self.capture_container(id)).collect(),
            hand: self.hand(id).map(capture_stack),
            origin: self.hand_origin(id).map(|origin| self.path_of_slot(origin)),
            shortcuts: self.shortcuts(id).map(|bound| bound.map(kind)).collect(),
            meters: self.meters(id).map(|(meter, value)| (meter.name().to_owned(), value)).collect(),
        }
    }

    /// A slot as it can be found again: by the id of the pack that it is in, wherever that lies.
    fn path_of_slot(&self, place: Place) -> Path {
        let Place::Slot(id, slot) = place else { return Path::default() };
        match self.pack_around(id) {
            Some(pack) => Path::inside_of(pack, slot),
            None => Path::slot_of(&self.container_name(id), slot),
        }
    }

    fn capture_packs(&self) -> Vec<Pack> {
        let mut packs: Vec<Pack> = self.packs().filter_map(|id| self.capture_pack(id)).collect();
        packs.sort_by_key(|pack| pack.pack);
        packs
    }

    fn capture_pack(&self, id: ContainerId) -> Option<Pack> {
        let pack = self.pack_around(id)?;
        let (slots, opened_by) = (self.slot_count(id.index), self.names_of_openers(id));
        Some(Pack { pack, slots, opened_by, stacks: self.capture_slots(id) })
    }

    fn names_of_openers(&self, id: ContainerId) -> Vec<String> {
        self.openers(id.index).into_iter().map(|holder| self.name_of_holder(holder).to_owned()).collect()
    }

    /// Slot by slot: an index that is wrong would hide what an audit has to see.
    fn capture_slots(&self, id: ContainerId) -> Vec<InSlot> {
        let slots = (0..).zip(self.slots_of(id.index)).filter(|(_, cell)| !cell.is_empty());
        let in_work = (0..).zip(self.work_cells(id.index)).filter(|(_, cell)| !cell.is_empty());
        let all = slots.map(|it| (it, false)).chain(in_work.map(|it| (it, true)));
        let stack = |cell| capture_stack(StackView { world: self, cell });
        all.map(|((slot, &cell), in_work)| InSlot { slot, stack: stack(cell), in_work }).collect()
    }
}

fn capture_stack(stack: StackView<'_>) -> Stack {
    Stack {
        id: stack.id(),
        kind: stack.kind().id().to_owned(),
        count: stack.count(),
        marks: stack.marks().map(str::to_owned).collect(),
        properties: stack.changed_properties().map(|(name, value)| (name.to_owned(), value)).collect(),
    }
}
