//! A snapshot as another ruleset has it: places that have gone or come, and what else it does not know any more.

use std::collections::BTreeMap;

use super::{Difference, ReloadError, Treatment};
use crate::language::{Path, PathRoot, Position};
use crate::ruleset::{ContainerDef, Ruleset};
use crate::snapshot::{Container, Departed, Departure, Holder, InSlot, Landed, Snapshot, Stack, Tally};

/// A stack whose place has gone.
pub(super) struct Spilled {
    pub(super) stack: Stack,
    /// Where it lay.
    pub(super) place: String,
    /// The containers to which it may go, in order, before the ground.
    pub(super) homes: Vec<String>,
}

pub(super) struct Adapted {
    pub(super) snapshot: Snapshot,
    pub(super) differences: Vec<Difference>,
    pub(super) spilled: Vec<Spilled>,
}

struct Adapting<'r> {
    rules: &'r Ruleset,
    differences: Vec<Difference>,
    spilled: Vec<Spilled>,
}

/// Gives the snapshot with what has lost its place on the ground.
pub(super) fn adapt(mut snapshot: Snapshot, before: &Ruleset, rules: &Ruleset) -> Result<Adapted, ReloadError> {
    let mut adapting = Adapting { rules, differences: Vec::new(), spilled: Vec::new() };
    adapting.standing(&mut snapshot, before);
    adapting.new_holders(&mut snapshot, before);
    for holder in &mut snapshot.holders {
        adapting.holder(holder);
    }
    adapting.packs(&mut snapshot);
    adapting.looks(&mut snapshot);
    let names: Vec<String> = snapshot.holders.iter().map(|holder| holder.name.clone()).collect();
    let containers =
        snapshot.containers.iter_mut().chain(snapshot.holders.iter_mut().flat_map(|it| &mut it.containers));
    for opened_by in containers.map(|it| &mut it.opened_by).chain(snapshot.packs.iter_mut().map(|it| &mut it.opened_by))
    {
        opened_by.retain(|opener| names.contains(opener));
    }
    adapting.origins(&mut snapshot);
    snapshot.tallies.retain(|kind, tally| rules.find_kind(kind).is_some() || !is_settled(*tally));
    let refused: Vec<Difference> =
        adapting.differences.iter().filter(|found| found.treatment == Some(Treatment::Refuse)).cloned().collect();
    if !refused.is_empty() {
        return Err(ReloadError::Refused(refused));
    }
    let landed =
        adapting.spilled.iter().map(|spilled| Landed { at: Position::default(), stack: spilled.stack.clone() });
    snapshot.ground.extend(landed);
    Ok(Adapted { snapshot, differences: adapting.differences, spilled: adapting.spilled })
}

/// Whether nothing of a kind is there.
fn is_settled(tally: Tally) -> bool {
    u128::from(tally.created) + u128::from(tally.arrived) == u128::from(tally.consumed) + u128::from(tally.departed)
}

fn items(stack: &Stack) -> String {
    format!("{} {}", stack.count, stack.kind)
}

impl Adapting<'_> {
    fn tell(&mut self, place: impl Into<String>, message: impl Into<String>, treatment: Option<Treatment>) {
        self.differences.push(Difference { place: place.into(), message: message.into(), treatment });
    }

    /// What lay in a place that has gone.
    fn spill(&mut self, place: String, what: &str, stack: Stack, homes: Vec<String>) {
        // It can't stay where nothing is.
        let treatment = match self.rules.reload().gone {
            Treatment::Refuse => Treatment::Refuse,
            _ => Treatment::Spill,
        };
        self.tell(place.clone(), format!("{what}, in which lay {}", items(&stack)), Some(treatment));
        self.spilled.push(Spilled { stack, place, homes });
    }

    /// The containers that stand in the world are those of the ruleset, but for those that have departed.
    fn standing(&mut self, snapshot: &mut Snapshot, before: &Ruleset) {
        let rules = self.rules;
        let def_of = |container: &Container| {
            rules.containers().iter().find(|def| def.instances().any(|name| name == container.name))
        };
        for mut container in std::mem::take(&mut snapshot.containers) {
            let Some(def) = def_of(&container) else {
                self.gone(&container.name, &container.stacks, &[]);
                continue;
            };
            def.id().clone_into(&mut container.of);
            let name = container.name.clone();
            let homes = vec![name.clone()];
            self.slots(&name, def, &mut container.slots, &mut container.stacks, &homes);
            snapshot.containers.push(container);
        }
        // What has departed may come back; what the world has never had is new.
        for def in rules.containers() {
            for name in def.instances() {
                let was_known = before.containers().iter().any(|def| def.instances().any(|known| known == name));
                let is_there = snapshot.containers.iter().any(|container| container.name == name);
                if !was_known && !is_there {
                    self.tell(name, "it is new", None);
                    let (name, of) = (name.to_owned(), def.id().to_owned());
                    snapshot.containers.push(Container { name, of, slots: def.slots(), ..Container::default() });
                }
            }
        }
    }

    fn new_holders(&mut self, snapshot: &mut Snapshot, before: &Ruleset) {
        for def in self.rules.holders() {
            let is_there = snapshot.holders.iter().any(|holder| holder.name == def.id());
            if before.find_holder(def.id()).is_none() && !is_there {
                self.tell(def.id(), "it is new", None);
                let newcomer = self.rules.find_holder(def.id()).map(|id| Departure::newcomer(self.rules, id, def.id()));
                if let Some(Departed::Holder(holder)) = newcomer.map(|newcomer| newcomer.who) {
                    snapshot.holders.push(holder);
                }
            }
        }
    }

    fn gone(&mut self, name: &str, stacks: &[InSlot], homes: &[String]) {
        if stacks.is_empty() {
            self.tell(name, "it has gone; it was empty", None);
        }
        for lying in stacks {
            self.spill(format!("{name}/{}", lying.slot), "the container has gone", lying.stack.clone(), homes.to_vec());
        }
    }

    /// A container that could not be resized, or was not, has as many slots as the ruleset says; else it keeps within the
    /// bounds.
    fn slots(&mut self, name: &str, def: &ContainerDef, slots: &mut u32, stacks: &mut Vec<InSlot>, homes: &[String]) {
        let (least, most) = def.slot_bounds();
        let after = if least == most { most } else { (*slots).clamp(least, most) };
        if after == *slots {
            return;
        }
        self.tell(name, format!("it has {after} slots instead of {slots}"), None);
        *slots = after;
        let (stay, go) = std::mem::take(stacks).into_iter().partition(|lying| lying.slot < after);
        *stacks = stay;
        let go: Vec<InSlot> = go;
        for lying in go {
            self.spill(format!("{name}/{}", lying.slot), "the slot has gone", lying.stack, homes.to_vec());
        }
    }

    fn holder(&mut self, holder: &mut Holder) {
        let rules = self.rules;
        // One that the ruleset does not know can't be at all; that is told when the world is made.
        let Some(def) = rules.find_holder(&holder.of).map(|id| rules.holder(id)) else { return };
        let mut before: BTreeMap<String, Container> = std::mem::take(&mut holder.containers)
            .into_iter()
            .map(|container| (container.of.clone(), container))
            .collect();
        let of_holder = |container: &str| format!("{}.{container}", holder.name);
        let homes: Vec<String> = def.carries().iter().map(|&id| of_holder(rules.container(id).id())).collect();
        for &id in def.carries() {
            let def = rules.container(id);
            let container = before.remove(def.id());
            let name = of_holder(def.id());
            if container.is_none() {
                self.tell(name.clone(), "it is new", None);
            }
            let new = || Container {
                name: def.id().to_owned(),
                of: def.id().to_owned(),
                slots: def.slots(),
                ..Container::default()
            };
            let mut container = container.unwrap_or_else(new);
            let own_first =
                homes.iter().filter(|home| **home == name).chain(homes.iter().filter(|home| **home != name));
            self.slots(
                &name,
                def,
                &mut container.slots,
                &mut container.stacks,
                &own_first.cloned().collect::<Vec<_>>(),
            );
            holder.containers.push(container);
        }
        for (name, container) in before {
            self.gone(&of_holder(&name), &container.stacks, &homes);
        }
        for (shortcut, kind) in holder.shortcuts.iter_mut().enumerate() {
            let beyond = shortcut >= def.shortcuts() as usize;
            if let Some(lost) = kind.take_if(|kind| beyond || rules.find_kind(kind).is_none()) {
                self.tell(format!("{}.shortcuts/{shortcut}", holder.name), format!("it pointed at {lost}"), None);
            }
        }
        holder.shortcuts.resize(def.shortcuts() as usize, None);
    }

    /// The insides of packs have slots as their containers say.
    fn packs(&mut self, snapshot: &mut Snapshot) {
        let mut kinds = kinds_by_id(snapshot);
        kinds.extend(self.spilled.iter().map(|spilled| (spilled.stack.id, spilled.stack.kind.clone())));
        for pack in &mut snapshot.packs {
            let kind = kinds.get(&pack.pack).and_then(|kind| self.rules.find_kind(kind));
            let Some(def) = kind.and_then(|kind| self.rules.kind(kind).pack()) else { continue };
            let name = pack.pack.to_string();
            self.slots(&name, def, &mut pack.slots, &mut pack.stacks, &[format!("{name}/")]);
        }
    }

    /// Marks and properties that the ruleset does not know any more are no more.
    fn looks(&mut self, snapshot: &mut Snapshot) {
        let rules = self.rules;
        let mut found = Vec::new();
        let mut check = |place: String, stack: &mut Stack| {
            let kind = rules.find_kind(&stack.kind);
            let lost = |what: &str, name: &str| Difference {
                place: place.clone(),
                message: format!("{} lost the {what} {name}, which is not there any more", items(stack)),
                treatment: None,
            };
            let (kept, gone): (Vec<_>, Vec<_>) =
                stack.marks.iter().cloned().partition(|mark| rules.find_mark(mark).is_some());
            found.extend(gone.iter().map(|mark| lost("mark", mark)));
            let is_known = |name: &str| {
                let property = rules.find_property(name).and_then(|property| rules.kind(kind?).property(property));
                kind.is_none() || matches!(property, Some(crate::ruleset::PropertyValue::Number(_)))
            };
            found.extend(stack.properties.keys().filter(|name| !is_known(name)).map(|name| lost("property", name)));
            stack.marks = kept;
            stack.properties.retain(|name, _| is_known(name));
        };
        for_each_stack(snapshot, &mut check);
        for spilled in &mut self.spilled {
            check(spilled.place.clone(), &mut spilled.stack);
        }
        self.differences.extend(found);
    }

    /// What is in a hand came from a slot that is there, or from nowhere.
    fn origins(&self, snapshot: &mut Snapshot) {
        let slots: BTreeMap<String, u32> = slots_by_name(snapshot);
        for holder in &mut snapshot.holders {
            let is_there =
                |path: &Path| slots.get(&container_of(path)).is_some_and(|slots| slot_of(path) < Some(*slots));
            holder.origin = holder.origin.take().filter(is_there);
        }
    }
}

fn container_of(path: &Path) -> String {
    match path.root() {
        PathRoot::Name(name) => name.to_string(),
        PathRoot::Of(holder, own) => format!("{holder}.{own}"),
        PathRoot::Stack(pack) => pack.to_string(),
        PathRoot::Ground => "ground".to_owned(),
    }
}

fn slot_of(path: &Path) -> Option<u32> {
    match path.steps() {
        [crate::language::PathStep::Slot(slot)] => Some(*slot),
        _ => Some(u32::MAX),
    }
}

fn slots_by_name(snapshot: &Snapshot) -> BTreeMap<String, u32> {
    let standing = snapshot.containers.iter().map(|container| (container.name.clone(), container.slots));
    let carried = snapshot.holders.iter().flat_map(|holder| {
        holder.containers.iter().map(move |container| (format!("{}.{}", holder.name, container.name), container.slots))
    });
    let packs = snapshot.packs.iter().map(|pack| (pack.pack.to_string(), pack.slots));
    standing.chain(carried).chain(packs).collect()
}

fn kinds_by_id(snapshot: &mut Snapshot) -> BTreeMap<crate::StackId, String> {
    let mut kinds = BTreeMap::new();
    for_each_stack(snapshot, &mut |_, stack| _ = kinds.insert(stack.id, stack.kind.clone()));
    kinds
}

/// All stacks that lie somewhere, with their places.
fn for_each_stack(snapshot: &mut Snapshot, each: &mut impl FnMut(String, &mut Stack)) {
    let in_slots = |name: &str, stacks: &mut Vec<InSlot>, each: &mut dyn FnMut(String, &mut Stack)| {
        stacks.iter_mut().for_each(|lying| each(format!("{name}/{}", lying.slot), &mut lying.stack));
    };
    for container in &mut snapshot.containers {
        in_slots(&container.name, &mut container.stacks, each);
    }
    for holder in &mut snapshot.holders {
        for container in &mut holder.containers {
            in_slots(&format!("{}.{}", holder.name, container.name), &mut container.stacks, each);
        }
        if let Some(stack) = &mut holder.hand {
            each(format!("{}.hand", holder.name), stack);
        }
    }
    for pack in &mut snapshot.packs {
        in_slots(&pack.pack.to_string(), &mut pack.stacks, each);
    }
    for landed in &mut snapshot.ground {
        each(format!("ground/{}", landed.stack.id), &mut landed.stack);
    }
}
