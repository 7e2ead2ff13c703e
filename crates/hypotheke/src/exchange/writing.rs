//! From the events of the latest operation to an update.

use super::update::{At, Change, Look, Update};
use crate::id::StackId;
use crate::snapshot::Random;
use crate::world::{Class, End, Event, Scratch, Spot, Traveller, World};

impl World {
    /// What the latest operation changed, by names, for copies to follow; none if the latest was refused or taken back, there was
    /// none, or the world followed an update: that one says it.
    #[must_use]
    pub fn update(&self) -> Option<Update> {
        let scratch = self.scratch.as_deref().filter(|scratch| scratch.applied)?;
        let mut documents = scratch.overlay.documents.iter();
        let writer = Writer { world: self, scratch };
        let changes = scratch.events.iter().filter_map(|event| match event {
            Event::Arrived { .. } => {
                documents.next().map(|document| Change::Arrived { document: Box::new((**document).clone()) })
            }
            event => writer.change(event),
        });
        Some(Update {
            revision: self.revision,
            next_stack: self.next_stack,
            random: scratch.overlay.random.clone().map(Random),
            answered: self.requests.iter().last().filter(|last| last.outcome.revision() == self.revision).cloned(),
            changes: changes.collect(),
        })
    }

    fn look_of(&self, class: Class) -> Look {
        let Some(key) = self.classes.key(class.0) else { return Look::default() };
        let (marks, properties) = (key.marks.iter(), key.properties.iter());
        Look {
            marks: marks.map(|&mark| self.rules.mark(mark).name().to_owned()).collect(),
            properties: properties.map(|&(id, value)| (self.rules.property(id).name().to_owned(), value)).collect(),
        }
    }
}

struct Writer<'w> {
    world: &'w World,
    scratch: &'w Scratch,
}

impl Writer<'_> {
    /// None for what follows from another change by itself.
    fn change(&self, event: &Event) -> Option<Change> {
        let (world, rules) = (self.world, self.world.rules());
        Some(match *event {
            Event::Transferred { kind, count, from, to, class, .. } => Change::Transferred {
                kind: rules.known_kind(kind).id().to_owned(),
                count,
                look: world.look_of(class),
                from: from.exists().then(|| self.at(&from)),
                to: to.exists().then(|| self.at(&to)),
            },
            Event::Changed { at, after, .. } => Change::Changed { at: self.at(&at), look: world.look_of(after) },
            Event::Swapped { one, other } => Change::Swapped { one: self.at(&one), other: self.at(&other) },
            Event::Resized { container, after, .. } => {
                Change::Resized { container: self.container(container.index), slots: after }
            }
            Event::Bound { holder, shortcut, after, .. } => Change::Bound {
                holder: world.name_of_holder(holder.index).to_owned(),
                shortcut,
                kind: after.map(|kind| rules.known_kind(kind).id().to_owned()),
            },
            Event::Opened { holder, container } => Change::Opened {
                holder: world.name_of_holder(holder.index).to_owned(),
                container: self.container(container.index),
            },
            Event::Closed { holder, container } => {
                // What has gone is closed with its going.
                if !world.is_there(container.index) || !world.has_holder(holder) {
                    return None;
                }
                let container = self.container(container.index);
                Change::Closed { holder: world.name_of_holder(holder.index).to_owned(), container }
            }
            Event::Departed { who, departure, .. } => {
                let name = match who {
                    Traveller::Container(id) => world.own_name(id.index),
                    Traveller::Holder(id) => world.name_of_holder(id.index),
                };
                Change::Departed { name: name.to_owned(), departure }
            }
            Event::Arrived { .. } => return None,
        })
    }

    fn at(&self, end: &End) -> At {
        let slot = if end.spot.is_ground() { 0 } else { end.spot.slot };
        At { container: self.container(end.spot.container), slot, stack: end.stack(), position: end.position() }
    }

    /// What an update calls a container: as paths do, or by the pack whose inside it is.
    fn container(&self, container: u32) -> String {
        let name = self.world.own_name(container);
        if !name.is_empty() {
            return name.to_owned();
        }
        let lies = Some(self.world.state(container).parent).filter(|&parent| parent != Spot::NOWHERE);
        let of_lying = lies.map(|parent| self.world.cell(parent).id);
        // It was in something that has departed, or has left the world by itself.
        let of_departed = || self.scratch.gone_packs.iter().find(|(inner, _)| *inner == container).map(|(_, id)| *id);
        let of_moved = || self.scratch.events.iter().find_map(|event| pack_moved(event, container)).map(|id| id.0);
        let pack = of_lying.or_else(of_departed).or_else(of_moved).unwrap_or(0);
        StackId(pack).to_string()
    }
}

/// The pack that an event moves, if its inside is a certain container.
fn pack_moved(event: &Event, inside: u32) -> Option<StackId> {
    match event {
        Event::Transferred { from, to, inner, .. } if inner.is_pack() && inner.container() == inside => {
            from.stack().or(to.stack())
        }
        _ => None,
    }
}
