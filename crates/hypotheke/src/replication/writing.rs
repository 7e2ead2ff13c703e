//! From the events of the latest operation to an update.

use rustc_hash::FxHashMap;

use super::update::{At, Change, Look, Update};
use crate::id::StackId;
use crate::narrow;
use crate::snapshot::Random;
use crate::world::{DepartingEntity, Event, Scratch, Spot, StackClass, StackLocation, World};

impl World {
    /// The update of the latest operation, for copies. None if that was refused or undone, if there
    /// was none, or if the world itself applied an update.
    #[must_use]
    pub fn update(&self) -> Option<Update> {
        let scratch = self.scratch.as_deref().filter(|scratch| scratch.applied)?;
        let mut documents = scratch.overlay.documents.iter();
        let first_tick = scratch.events.iter().find_map(|event| match *event {
            Event::Waited { before, .. } => Some(before),
            _ => None,
        });
        let clock = first_tick.unwrap_or(self.clock());
        let mut writer = Writer { world: self, scratch, names: Names::default(), packs: None, clock };
        let changes = scratch.events.iter().filter_map(|event| match event {
            Event::Arrived { .. } => {
                documents.next().map(|document| Change::Arrived { document: Box::new((**document).clone()) })
            }
            event => writer.change(event),
        });
        let changes = changes.collect();
        Some(Update {
            revision: self.revision,
            next_stack: self.next_stack,
            random: scratch.overlay.random.clone().map(Random),
            answered: self.requests.iter().last().filter(|last| last.outcome.revision() == self.revision).cloned(),
            names: writer.names.listed,
            changes,
        })
    }

    fn look_of(&self, class: StackClass) -> Look {
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
    names: Names,
    /// The packs that were moved, by their insides; computed at the first use.
    packs: Option<FxHashMap<u32, StackId>>,
    /// The tick of the event: one wait has several.
    clock: u64,
}

/// Names by number. A few names are searched in order.
#[derive(Default)]
struct Names {
    listed: Vec<String>,
    many: FxHashMap<String, u32>,
}

const FEW: usize = 16;

impl Names {
    fn number(&mut self, name: &str) -> u32 {
        let known = match self.listed.len() {
            ..=FEW => self.listed.iter().position(|listed| listed == name).map(small),
            _ => self.many.get(name).copied(),
        };
        known.unwrap_or_else(|| {
            let number = small(self.listed.len());
            self.listed.push(name.to_owned());
            if self.listed.len() > FEW {
                let unlisted = self.many.len()..self.listed.len();
                self.many.extend(unlisted.map(|number| (self.listed[number].clone(), small(number))));
            }
            number
        })
    }
}

fn small(length: usize) -> u32 {
    narrow::index(length)
}

impl Writer<'_> {
    /// `None` for a consequence of a different change.
    fn change(&mut self, event: &Event) -> Option<Change> {
        let (world, rules) = (self.world, self.world.rules());
        Some(match *event {
            Event::Moved { kind, count, from, to, class, .. } => Change::Moved {
                kind: self.names.number(rules.known_kind(kind).id()),
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
                holder: self.names.number(world.name_of_holder(holder.index)),
                shortcut,
                kind: after.map(|kind| self.names.number(rules.known_kind(kind).id())),
            },
            Event::Metered { holder, meter, after, .. } => {
                let holder = self.names.number(world.name_of_holder(holder.index));
                Change::Metered { holder, meter, value: after }
            }
            Event::Waited { after, .. } => {
                self.clock = after;
                Change::Waited { clock: after }
            }
            Event::Worked { container, after, .. } => {
                let job = after.map(|job| world.capture_job(job, self.clock));
                Change::Worked { container: self.container(container.index), job }
            }
            Event::Opened { holder, container } => Change::Opened {
                holder: self.names.number(world.name_of_holder(holder.index)),
                container: self.container(container.index),
            },
            Event::Closed { holder, container } => {
                // A removed container closes automatically.
                if !world.is_there(container.index) || !world.has_holder(holder) {
                    return None;
                }
                let container = self.container(container.index);
                Change::Closed { holder: self.names.number(world.name_of_holder(holder.index)), container }
            }
            Event::Given { container, after, .. } => Change::Given {
                container: self.container(container.index),
                owner: world.owner_name(after).map(|owner| self.names.number(owner)),
            },
            Event::Departed { who, departure, .. } => {
                let name = match who {
                    DepartingEntity::Container(id) => world.own_name(id.index),
                    DepartingEntity::Holder(id) => world.name_of_holder(id.index),
                };
                Change::Departed { name: self.names.number(name), departure }
            }
            Event::Arrived { .. } => return None,
        })
    }

    fn at(&mut self, end: &StackLocation) -> At {
        let in_work = self.world.is_in_work(end.spot);
        let slot = match end.spot {
            spot if spot.is_ground() => 0,
            spot if in_work => spot.slot - self.world.state(spot.container).work,
            spot => spot.slot,
        };
        let container = self.container(end.spot.container);
        At { container, slot, in_work, stack: end.stack(), position: end.position() }
    }

    /// What an update calls a container: as paths do, or by the pack whose inside it is.
    fn container(&mut self, container: u32) -> u32 {
        let name = self.world.own_name(container);
        if !name.is_empty() {
            return self.names.number(name);
        }
        let lies = Some(self.world.state(container).parent).filter(|&parent| parent != Spot::NOWHERE);
        let pack = match lies {
            Some(parent) => StackId(self.world.cell(parent).id),
            // It was in a departed container, or has left the world on its own.
            None => *self.packs.get_or_insert_with(|| packs_of(self.scratch)).get(&container).unwrap_or(&StackId(0)),
        };
        self.names.number(&pack.to_string())
    }
}

/// The packs that an operation moved or that have departed by it, by their insides.
fn packs_of(scratch: &Scratch) -> FxHashMap<u32, StackId> {
    let moved = scratch.events.iter().rev().filter_map(|event| match event {
        Event::Moved { from, to, inner, .. } if inner.is_pack() => {
            Some((inner.container(), from.stack().or(to.stack())?))
        }
        _ => None,
    });
    moved.chain(scratch.gone_packs.iter().map(|&(inner, id)| (inner, StackId(id)))).collect()
}
