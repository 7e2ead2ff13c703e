//! Events carried out on plain data.

use std::collections::BTreeMap;

use hypotheke::{ContainerId, DepartingEntity, Event, Place, StackLocation, StackView, World};

/// Every container by its handle, each slot separately: the contents of a pack are in the pack's
/// container.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Flat {
    slots: BTreeMap<String, BTreeMap<u32, Lying>>,
    ground: Vec<Lying>,
    /// The number of slots where it can change, and other data of containers and holders.
    described: BTreeMap<String, String>,
    /// What each holder carries.
    carried: BTreeMap<String, Vec<String>>,
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
        let mut flat = Flat::default();
        flat.tell("clock".to_owned(), Some(world.clock().to_string()));
        let mut containers: Vec<ContainerId> = world.containers().collect();
        for holder in world.holders() {
            flat.carried.insert(format!("{holder:?}"), world.carried(holder).map(key).collect());
            for (meter, (_, value)) in world.meters(holder).enumerate() {
                flat.tell(format!("{holder:?} meter {meter}"), Some(value.to_string()));
            }
            for (shortcut, kind) in world.shortcuts(holder).enumerate() {
                flat.tell(format!("{holder:?} shortcut {shortcut}"), kind.map(|kind| format!("{kind:?}")));
            }
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
            flat.tell_of(world, id);
            let most = world.container_def(id).expect("a definition").slot_bounds().1;
            for (slot, stack) in world.in_work(id) {
                flat.slots.entry(key(id)).or_default().insert(most + slot, lying(world, stack, None));
            }
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
                Event::Moved { kind, count, from, to, class, inner, .. } => {
                    self.lessen(world, from, *count);
                    let laid = Lying {
                        id: to.stack().map_or(0, hypotheke::StackId::serial),
                        kind: world.rules().kind(*kind).expect("a kind of these rules").id().to_owned(),
                        variant: format!("{:?}", world.variant_of(*class)),
                        count: *count,
                        inside: world.inside_of(*inner).map(key),
                        at: to.position().map(|at| at.to_string()),
                    };
                    self.lay(world, to, laid);
                }
                Event::Changed { at, before, after, .. } => {
                    let [before, after] = [before, after].map(|class| format!("{:?}", world.variant_of(*class)));
                    let there = self.find(world, at).expect("a place");
                    assert_eq!(std::mem::replace(&mut there.variant, after), before);
                }
                Event::Swapped { one, other } => {
                    let [a, b] = [one, other].map(|end| slot_of(world, end).expect("a slot"));
                    let (mine, yours) = (self.take(&a), self.take(&b));
                    self.put(&a, yours);
                    self.put(&b, mine);
                }
                Event::Resized { container, before, after } => {
                    let changed = world.container_def(*container).is_none_or(|def| def.slots() != *after);
                    let described = self.tell(format!("{container:?} slots"), changed.then(|| after.to_string()));
                    assert!(described.is_none_or(|described| described == before.to_string()));
                }
                Event::Bound { holder, shortcut, before, after } => {
                    let text = |kind: hypotheke::KindId| format!("{kind:?}");
                    let described = self.tell(format!("{holder:?} shortcut {shortcut}"), after.map(text));
                    assert_eq!(described, before.map(text));
                }
                Event::Metered { holder, meter, before, after } => {
                    let described = self.tell(format!("{holder:?} meter {meter}"), Some(after.to_string()));
                    assert_eq!(described, Some(before.to_string()));
                }
                Event::Waited { before, after } => {
                    let described = self.tell("clock".to_owned(), Some(after.to_string()));
                    assert_eq!(described, Some(before.to_string()));
                }
                Event::Worked { container, before, after } => {
                    let text = |job: hypotheke::Job| format!("{job:?}");
                    let described = self.tell(format!("{container:?} works on"), after.map(text));
                    assert_eq!(described, before.map(text));
                }
                Event::Opened { holder, container } => {
                    assert_eq!(self.tell(format!("{holder:?} in {container:?}"), Some("open".to_owned())), None);
                }
                Event::Closed { holder, container } => {
                    assert!(self.tell(format!("{holder:?} in {container:?}"), None).is_some());
                    if !world.has_container(*container) {
                        self.tell(format!("{container:?} slots"), None);
                    }
                }
                Event::Given { container, before, after } => {
                    let [before, after] = [before, after].map(|owner| world.owner_name(*owner).map(str::to_owned));
                    assert_eq!(self.tell(format!("{container:?} owner"), after), before);
                }
                Event::Departed { who, .. } => self.remove(*who),
                Event::Arrived { who, .. } => self.bring(*who, &Flat::of(world)),
                _ => panic!("an event that nobody knows"),
            }
        }
        // The size of a removed container does not matter.
        let there = |container: &str| Flat::of(world).described.contains_key(container);
        self.described.retain(|what, _| !what.ends_with(" slots") || there(what));
        self.slots.retain(|_, slots| !slots.is_empty());
        self
    }

    /// One that travels, with all that it has.
    fn group(&self, who: DepartingEntity) -> Vec<String> {
        let mut found = match who {
            DepartingEntity::Container(id) => vec![key(id)],
            DepartingEntity::Holder(id) => {
                let holder = format!("{id:?}");
                self.carried.get(&holder).cloned().unwrap_or_default().into_iter().chain([holder]).collect()
            }
        };
        let mut next = 0;
        while let Some(container) = found.get(next) {
            let inside = self.slots.get(container).into_iter().flat_map(BTreeMap::values);
            let inside: Vec<String> = inside.filter_map(|lying| lying.inside.clone()).collect();
            found.extend(inside);
            next += 1;
        }
        found
    }

    fn remove(&mut self, who: DepartingEntity) {
        for one in self.group(who) {
            self.slots.remove(&one);
            self.carried.remove(&one);
            self.described.retain(|what, _| !what.starts_with(&one) || what.contains(" in "));
        }
    }

    /// No later event names what has arrived, so that it is as it is afterwards.
    fn bring(&mut self, who: DepartingEntity, after: &Flat) {
        for one in after.group(who) {
            self.slots.extend(after.slots.get(&one).map(|slots| (one.clone(), slots.clone())));
            self.carried.extend(after.carried.get(&one).map(|carried| (one.clone(), carried.clone())));
            let described = after.described.iter().filter(|(what, _)| what.starts_with(&one) && !what.contains(" in "));
            self.described.extend(described.map(|(what, is)| (what.clone(), is.clone())));
        }
    }

    /// Notes something, or that it is so no more; gives what was noted.
    fn tell(&mut self, what: String, is: Option<String>) -> Option<String> {
        match is {
            Some(is) => self.described.insert(what, is),
            None => self.described.remove(&what),
        }
    }

    fn tell_of(&mut self, world: &World, id: ContainerId) {
        let (slots, def) = (world.slots(id).len(), world.container_def(id).expect("a definition"));
        self.tell(format!("{id:?} slots"), (slots != def.slots() as usize).then(|| slots.to_string()));
        self.tell(format!("{id:?} works on"), world.job(id).map(|job| format!("{job:?}")));
        let owner = world.owner(id).filter(|_| world.stands(id));
        self.tell(format!("{id:?} owner"), owner.map(str::to_owned));
        for holder in world.holders().filter(|&holder| world.has_opened(holder, id)) {
            self.tell(format!("{holder:?} in {id:?}"), Some("open".to_owned()));
        }
    }

    fn find(&mut self, world: &World, end: &StackLocation) -> Option<&mut Lying> {
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

    fn lessen(&mut self, world: &World, end: &StackLocation, by: u32) {
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

    fn lay(&mut self, world: &World, end: &StackLocation, laid: Lying) {
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

fn slot_of(world: &World, end: &StackLocation) -> Option<(String, u32)> {
    match world.place_of_end(end) {
        Some(Place::Slot(id, slot)) => Some((key(id), slot)),
        Some(Place::Hand(holder)) => Some((format!("{holder:?}"), 0)),
        _ => None,
    }
}
