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

fn lying(stack: StackView<'_>, at: Option<String>) -> Lying {
    let changed: Vec<_> = stack.changed_properties().collect();
    Lying {
        id: stack.id().serial(),
        kind: stack.kind().id().to_owned(),
        variant: format!("{:?} {changed:?}", stack.marks().collect::<Vec<_>>()),
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
                flat.slots.entry(format!("{holder:?}")).or_default().insert(0, lying(stack, None));
                containers.extend(stack.inside());
            }
        }
        for (stack, at) in world.ground() {
            flat.ground.push(lying(stack, Some(at.to_string())));
            containers.extend(stack.inside());
        }
        while let Some(id) = containers.pop() {
            for (slot, stack) in world.stacks(id) {
                flat.slots.entry(key(id)).or_default().insert(slot, lying(stack, None));
                containers.extend(stack.inside());
            }
        }
        flat
    }

    /// Carries out the events of the latest operation.
    pub(super) fn replay(mut self, world: &World, after: &Flat) -> Flat {
        for event in world.events() {
            match event {
                Event::Transferred { count, from, to, .. } => {
                    self.lessen(world, from, *count);
                    self.lay(world, to, *count, after);
                }
                Event::Changed { at, .. } => self.change(world, at, after),
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

    /// What a stack is like is read off the world after.
    fn change(&mut self, world: &World, at: &End, after: &Flat) {
        let id = at.stack().expect("a stack").serial();
        let variant = after.find(id).variant.clone();
        let there = match slot_of(world, at) {
            Some((container, slot)) => self.slots.get_mut(&container).and_then(|slots| slots.get_mut(&slot)),
            None => self.ground.iter_mut().find(|stack| stack.id == id),
        };
        there.expect("it lies there").variant = variant;
    }

    fn find(&self, id: u64) -> &Lying {
        let mut all = self.slots.values().flat_map(BTreeMap::values).chain(&self.ground);
        all.find(|stack| stack.id == id).expect("what was laid lies there after")
    }

    /// Kind and variant travel with the stack; they are read off the world after.
    fn lay(&mut self, world: &World, end: &End, count: u32, after: &Flat) {
        let Some(id) = end.stack().map(hypotheke::StackId::serial).filter(|_| world.place_of_end(end).is_some()) else {
            return;
        };
        let model = after.find(id).clone();
        if let Some(slot) = slot_of(world, end) {
            let there = self.take(&slot);
            let before = there.as_ref().map_or(0, |stack| stack.count);
            assert!(there.is_none_or(|stack| stack.id == id), "a merge keeps the id of the stack that is merged onto");
            self.put(&slot, Some(Lying { count: before + count, at: None, ..model }));
        } else {
            let at = end.position().map(|at| at.to_string());
            self.ground.push(Lying { count, at, ..model });
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
