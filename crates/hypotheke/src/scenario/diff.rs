//! Whether two worlds have equal visible contents: stacks, hands, shortcuts, and open containers.
//! Ids, the revision and random numbers are ignored.

use std::collections::BTreeMap;

use crate::id::ContainerId;
use crate::world::{StackView, World};

/// A place where two worlds differ.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlaceDifference {
    /// The container in which it is, as the second world calls it; empty for what is in none.
    pub container: String,
    /// The place.
    pub place: String,
    /// The earlier contents; `nothing` if it was empty.
    pub before: String,
    /// The present contents.
    pub after: String,
}

/// Each place with different contents: slots, hands, shortcuts, the ground, and the number of slots
/// of containers. The places of the first world come first, in its order. Ids, the revision and
/// random numbers are ignored.
#[must_use]
pub fn differences(then: &World, now: &World) -> Vec<PlaceDifference> {
    let (before, after) = (Facts::of(then), Facts::of(now));
    let mut found = Vec::new();
    let known: BTreeMap<&str, usize> = before.list.iter().enumerate().map(|(at, fact)| (&*fact.place, at)).collect();
    let later: BTreeMap<&str, usize> = after.list.iter().enumerate().map(|(at, fact)| (&*fact.place, at)).collect();
    for fact in &before.list {
        let other = later.get(&*fact.place).map(|&at| &after.list[at]);
        let text = other.map_or("nothing", |other| &other.text);
        if text != fact.text && (other.is_some() || !fact.is_implied) {
            let container = other.map_or(&fact.container, |other| &other.container).clone();
            found.push(PlaceDifference {
                container,
                place: fact.place.clone(),
                before: fact.text.clone(),
                after: text.to_owned(),
            });
        }
    }
    for fact in after.list.iter().filter(|fact| !fact.is_implied && !known.contains_key(&*fact.place)) {
        found.push(PlaceDifference {
            container: fact.container.clone(),
            place: fact.place.clone(),
            before: "nothing".to_owned(),
            after: fact.text.clone(),
        });
    }
    found
}

/// What a world has in one place.
struct Fact {
    container: String,
    place: String,
    text: String,
    /// The size of a pack, which appears and disappears with the pack.
    is_implied: bool,
}

#[derive(Default)]
struct Facts {
    list: Vec<Fact>,
}

impl Facts {
    fn of(world: &World) -> Facts {
        let mut facts = Facts::default();
        for id in world.containers().filter(|&id| world.place_of_pack(id).is_none()) {
            facts.container(world, id, &world.container_name(id));
        }
        for (index, (stack, at)) in world.ground().enumerate() {
            let place = format!("ground, stack {}", index + 1);
            facts.add("", &place, format!("{} at {at}", stack_text(stack)));
            facts.inside(world, stack, &place);
        }
        for holder in world.holders() {
            let name = world.holder_name(holder);
            if let Some(stack) = world.hand(holder) {
                let place = format!("{name}.hand");
                let origin = world.hand_origin(holder).map(|origin| format!(" from {}", world.place_name(origin)));
                facts.add("", &place, stack_text(stack) + &origin.unwrap_or_default());
                facts.inside(world, stack, &place);
            }
            for (meter, value) in world.meters(holder) {
                facts.add("", &format!("{} of {name}", meter.name()), value.to_string());
            }
            for (index, kind) in world.shortcuts(holder).enumerate() {
                if let Some(kind) = kind {
                    let text = world.rules().known_kind(kind).id().to_owned();
                    facts.add("", &format!("{name}.shortcuts/{index}"), text);
                }
            }
        }
        facts
    }

    fn add(&mut self, container: &str, place: &str, text: String) {
        let (container, place) = (container.to_owned(), place.to_owned());
        self.list.push(Fact { container, place, text, is_implied: false });
    }

    /// A container with the contents of its packs, which are named by place, since ids are ignored.
    fn container(&mut self, world: &World, id: ContainerId, name: &str) {
        let own = world.container_name(id);
        let openers: Vec<&str> =
            world.holders().filter(|&holder| world.has_opened(holder, id)).map(|id| world.holder_name(id)).collect();
        let open = if openers.is_empty() { String::new() } else { format!(", open to {}", openers.join(", ")) };
        let slots = world.slots(id).len();
        let text = format!("{slots} {}{open}", if slots == 1 { "slot" } else { "slots" });
        if let Some(job) = world.job(id) {
            self.add(&own, &format!("{name}/work"), world.job_text(job));
        }
        for (slot, stack) in world.in_work(id) {
            self.add(&own, &format!("{name}/work from {slot}"), stack_text(stack));
        }
        let is_implied = world.place_of_pack(id).is_some();
        self.list.push(Fact { container: own.clone(), place: name.to_owned(), text, is_implied });
        let slash = if name.ends_with('/') { "" } else { "/" };
        for slot in world.slots(id) {
            let Some(stack) = slot.stack() else { continue };
            let label = slot.name().map_or_else(|| slot.number().to_string(), str::to_owned);
            let place = format!("{name}{slash}{label}");
            self.add(&own, &place, stack_text(stack));
            self.inside(world, stack, &place);
        }
    }

    fn inside(&mut self, world: &World, pack: StackView<'_>, place: &str) {
        if let Some(inside) = pack.inside() {
            self.container(world, inside, &format!("{place}/"));
        }
    }
}

fn stack_text(stack: StackView<'_>) -> String {
    format!("{} {}", stack.count(), super::checks::item_text(stack))
}
