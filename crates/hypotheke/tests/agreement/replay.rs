//! Events carried out on plain data.

use std::collections::BTreeMap;

use hypotheke::{ContainerId, End, Event, Place, StackView, World};

/// Every container by its handle, each slot by itself: what lies in a pack lies in the pack's container.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Flat {
    slots: BTreeMap<String, BTreeMap<u32, Lying>>,
    ground: Vec<Lying>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct Lying {
    id: u64,
    kind: String,
    variant: String,
    count: u32,
    inside: Option<String>,
    at: Option<String>,
}

fn key(id: ContainerId) -> String {
    format!("{id:?}")
}

fn lying(world: &World, stack: StackView<'_>, at: Option<String>) -> Lying {
    Lying {
        id: stack.id().serial(),
        kind: stack.kind().id().to_owned(),
        variant: format!("{:?}", world.variant_of(stack.class())),
        count: stack.count(),
        inside: stack.inside().map(key),
        at,
    }
}

impl Flat {
    pub(super) fn of(world: &World) -> Flat {
        let mut flat = Flat { slots: BTreeMap::new(), ground: Vec::new() };
        let mut containers: Vec<ContainerId> = world.containers().collect();
        for holder in world.holders() {
            if let Some(stack) = world.hand(holder) {
                flat.slots.entry(format!("{holder:?}")).or_default().insert(0, lying(world, stack, None));
                containers.extend(stack.inside());
            }
        }
        for (stack, at) in world.ground() {
            flat.ground.push(lying(world, stack, Some(at.to_string())));
            containers.extend(stack.inside());
        }
        while let Some(id) = containers.pop() {
            for (slot, stack) in world.stacks(id) {
                flat.slots.entry(key(id)).or_default().insert(slot, lying(world, stack, None));
                containers.extend(stack.inside());
            }
        }
        flat
    }

    /// Carries out the events of the latest operation.
    pub(super) fn replay(mut self, world: &World) -> Flat {
        for event in world.events() {
            match event {
                Event::Transferred { kind, count, from, to, class, inner, .. } => {
                    self.lessen(world, from, *count);
                    let laid = Lying {
                        id: to.stack().map_or(0, hypotheke::StackId::serial),
                        kind: world.rules().kind(*kind).id().to_owned(),
                        variant: format!("{:?}", world.variant_of(*class)),
                        count: *count,
                        inside: world.inside_of(*inner).map(key),
                        at: to.position().map(|at| at.to_string()),
                    };
                    self.lay(world, to, laid);
                }
                Event::Changed { at, before, after, .. } => {
                    let [before, after] = [before, after].map(|class| format!("{:?}", world.variant_of(*class)));
                    let there = self.find(world, at).expect("it lies there");
                    assert_eq!(std::mem::replace(&mut there.variant, after), before);
                }
                Event::Swapped { one, other } => {
                    let [a, b] = [one, other].map(|end| slot_of(world, end).expect("a slot"));
                    let (mine, yours) = (self.take(&a), self.take(&b));
                    self.put(&a, yours);
                    self.put(&b, mine);
                }
                _ => panic!("an event that nobody knows"),
            }
        }
        self.slots.retain(|_, slots| !slots.is_empty());
        self
    }

    fn find(&mut self, world: &World, end: &End) -> Option<&mut Lying> {
        match slot_of(world, end) {
            Some((container, slot)) => self.slots.get_mut(&container)?.get_mut(&slot),
            None => self.ground.iter_mut().find(|stack| Some(stack.id) == end.stack().map(hypotheke::StackId::serial)),
        }
    }

    fn take(&mut self, (container, slot): &(String, u32)) -> Option<Lying> {
        self.slots.entry(container.clone()).or_default().remove(slot)
    }

    fn put(&mut self, (container, slot): &(String, u32), stack: Option<Lying>) {
        let slots = self.slots.entry(container.clone()).or_default();
        stack.map(|stack| slots.insert(*slot, stack));
    }

    fn lessen(&mut self, world: &World, end: &End, by: u32) {
        if let Some(slot) = slot_of(world, end) {
            let there = self.take(&slot).expect("a stack is taken from");
            let count = there.count - by;
            self.put(&slot, Some(Lying { count, ..there }).filter(|_| count > 0));
        } else if let Some(id) = end.stack() {
            let index = self.ground.iter().position(|stack| stack.id == id.serial()).expect("a stack on the ground");
            self.ground[index].count -= by;
            self.ground.retain(|stack| stack.count > 0);
        }
    }

    fn lay(&mut self, world: &World, end: &End, laid: Lying) {
        if let Some(slot) = slot_of(world, end) {
            let there = self.take(&slot);
            let count = laid.count + there.as_ref().map_or(0, |stack| stack.count);
            let keeps_its_id = there.is_none_or(|there| Lying { count, ..there } == Lying { count, ..laid.clone() });
            assert!(keeps_its_id, "a merge is onto an alike stack, which keeps its id");
            self.put(&slot, Some(Lying { count, ..laid }));
        } else if laid.at.is_some() {
            self.ground.push(laid);
        }
    }
}

fn slot_of(world: &World, end: &End) -> Option<(String, u32)> {
    match world.place_of_end(end) {
        Some(Place::Slot(id, slot)) => Some((key(id), slot)),
        Some(Place::Hand(holder)) => Some((format!("{holder:?}"), 0)),
        _ => None,
    }
}
