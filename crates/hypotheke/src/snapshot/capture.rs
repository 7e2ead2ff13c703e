//! From a world to plain data.

use super::{Container, Holder, InSlot, Landed, Pack, Random, Snapshot, Stack, Tally};
use crate::id::{ContainerId, HolderId};
use crate::language::Path;
use crate::world::{Place, StackView, World};

impl World {
    /// All of the world as plain data by names.
    #[must_use]
    pub fn snapshot(&self) -> Snapshot {
        let standing = self.containers().filter(|&id| self.carrier(id).is_none());
        let tally = |kind: crate::Kind<'_>| {
            let tally = self.tally(kind.handle());
            let told = Tally { created: tally.created, consumed: tally.consumed };
            (told != Tally::default()).then(|| (kind.id().to_owned(), told))
        };
        Snapshot {
            world: self.number,
            revision: self.revision,
            next_stack: self.next_stack,
            random: Random(self.random.clone()),
            containers: standing.map(|id| self.capture_container(id)).collect(),
            holders: self.holders().map(|id| self.capture_holder(id)).collect(),
            packs: self.capture_packs(),
            ground: self.ground().map(|(stack, at)| Landed { at, stack: capture_stack(stack) }).collect(),
            tallies: self.rules.kinds().filter_map(tally).collect(),
        }
    }

    fn capture_container(&self, id: ContainerId) -> Container {
        let name = self.container_name(id);
        let own = name.rsplit_once('.').map_or(name.as_str(), |(_, own)| own).to_owned();
        Container {
            name: own,
            of: self.container_def(id).map_or_else(String::new, |def| def.id().to_owned()),
            slots: self.slot_count(id.index),
            opened_by: self.names_of_openers(id),
            stacks: self.capture_slots(id),
        }
    }

    fn capture_holder(&self, id: HolderId) -> Holder {
        let kind = |kind: crate::KindId| self.rules.kind(kind).id().to_owned();
        Holder {
            name: self.holder_name(id).to_owned(),
            of: self.holder_def(id).map_or_else(String::new, |def| def.id().to_owned()),
            containers: self.carried(id).map(|id| self.capture_container(id)).collect(),
            hand: self.hand(id).map(capture_stack),
            origin: self.hand_origin(id).map(|origin| self.path_of_slot(origin)),
            shortcuts: self.shortcuts(id).map(|bound| bound.map(kind)).collect(),
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
        let mut packs: Vec<Pack> = self
            .packs()
            .map(|(pack, id)| Pack {
                pack,
                slots: self.slot_count(id.index),
                opened_by: self.names_of_openers(id),
                stacks: self.capture_slots(id),
            })
            .collect();
        packs.sort_by_key(|pack| pack.pack);
        packs
    }

    fn names_of_openers(&self, id: ContainerId) -> Vec<String> {
        let openers = self.openers(id.index).map(|holder| self.holder_name(self.holder_id(holder)).to_owned());
        openers.collect()
    }

    fn capture_slots(&self, id: ContainerId) -> Vec<InSlot> {
        self.stacks(id).map(|(slot, stack)| InSlot { slot, stack: capture_stack(stack) }).collect()
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
