//! From plain data to a world.
//!
//! What can't be at all is a fault: kinds that nobody knows, two stacks in one slot, a pack that lies in itself. What is
//! only beyond a limit is taken as it is, since rules change under worlds; an audit tells of it.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::{Container, Holder, InSlot, Pack, Snapshot, SnapshotError, SnapshotFault, Stack};
use crate::id::{KindId, StackId};
use crate::language::{Path, Position};
use crate::ruleset::{MOST_NESTING, PropertyValue, Ruleset};
use crate::world::{ClassKey, GROUND, Laid, Spot, Tally, World};

impl World {
    /// The world that a snapshot tells of, played by a ruleset.
    ///
    /// # Errors
    /// All that is in the snapshot and that no world of this ruleset can be.
    pub fn from_snapshot(rules: &Arc<Ruleset>, snapshot: &Snapshot) -> Result<World, SnapshotError> {
        let mut restoring = Restoring {
            rules,
            snapshot,
            world: World::bare(rules),
            faults: Vec::new(),
            packs: BTreeMap::new(),
            insides: BTreeMap::new(),
            known: BTreeSet::new(),
            whole_weight: 0,
        };
        restoring.restore();
        if restoring.faults.is_empty() { Ok(restoring.world) } else { Err(SnapshotError::new(restoring.faults)) }
    }
}

/// Counters go on from where a snapshot has them; from here on they can't reach the end of their type.
const MOST_COUNTED: u64 = 1 << 62;

/// So many more stacks may at least be named.
const IDS_LEFT: u64 = 1 << 32;

struct Restoring<'s> {
    rules: &'s Arc<Ruleset>,
    snapshot: &'s Snapshot,
    world: World,
    faults: Vec<SnapshotFault>,
    /// Those whose pack has not been laid anywhere yet.
    packs: BTreeMap<StackId, &'s Pack>,
    /// What is inside of those that have been laid.
    insides: BTreeMap<StackId, u32>,
    known: BTreeSet<StackId>,
    whole_weight: i128,
}

impl<'s> Restoring<'s> {
    fn restore(&mut self) {
        self.read_packs();
        self.bring_places();
        for container in &self.snapshot.containers {
            self.fill_container(&container.name, &container.stacks);
        }
        for holder in &self.snapshot.holders {
            for container in &holder.containers {
                self.fill_container(&format!("{}.{}", holder.name, container.name), &container.stacks);
            }
            if let Some(stack) = &holder.hand {
                self.fill_hand(holder, stack);
            }
        }
        for (landing, landed) in (0..).zip(&self.snapshot.ground) {
            let spot = Spot { container: GROUND, slot: landing };
            self.lay(&format!("ground/{}", landed.stack.id), spot, landed.at, &landed.stack, 1);
        }
        for pack in std::mem::take(&mut self.packs).into_keys() {
            self.fault(pack.to_string(), "this pack lies nowhere");
        }
        self.open_containers();
        self.point_shortcuts();
        self.set_origins();
        self.set_counters();
    }

    fn fault(&mut self, place: impl Into<String>, message: impl Into<String>) {
        self.faults.push(SnapshotFault::new(place, message));
    }

    fn read_packs(&mut self) {
        for pack in &self.snapshot.packs {
            if self.packs.insert(pack.pack, pack).is_some() {
                self.fault(pack.pack.to_string(), "this pack has two insides");
            }
        }
    }

    // Containers and holders.

    fn bring_places(&mut self) {
        for container in &self.snapshot.containers {
            let def = self.rules.containers().iter().position(|def| *def.id() == *container.of);
            let stands = def.filter(|&def| self.rules.containers()[def].instances().any(|name| name == container.name));
            match stands {
                Some(def) => self.bring_container(&container.name, def, container.slots, None),
                None => self.fault(&container.name, format!("the ruleset has no such container `{}`", container.of)),
            }
        }
        for holder in &self.snapshot.holders {
            self.bring_holder(holder);
        }
        self.world.end_of_lasting();
    }

    fn bring_container(&mut self, name: &str, def: usize, slots: u32, holder: Option<u32>) {
        let most = self.rules.containers()[def].slot_bounds().1;
        if slots > most {
            self.fault(name, format!("it has {slots} slots of at most {most}"));
        } else if !self.world.bring_container(name, def, slots, holder) {
            self.fault(name, "two places have this name");
        }
    }

    fn bring_holder(&mut self, holder: &'s Holder) {
        let Some(def) = self.rules.holders().iter().position(|def| *def.id() == *holder.of) else {
            return self.fault(&holder.name, format!("the ruleset has no such holder `{}`", holder.of));
        };
        if holder.name != holder.of {
            return self.fault(&holder.name, format!("this holder is called `{}`", holder.of));
        }
        let Some(index) = self.world.bring_holder(&holder.name, def) else {
            return self.fault(&holder.name, "two places have this name");
        };
        let carries: Vec<&str> =
            self.rules.holders()[def].carries().iter().map(|&id| self.rules.container(id).id()).collect();
        let carried: Vec<&str> = holder.containers.iter().map(|container| container.of.as_str()).collect();
        if carries != carried || holder.containers.iter().any(|container| container.name != container.of) {
            return self.fault(&holder.name, format!("it carries {carried:?}, but the ruleset says {carries:?}"));
        }
        for (container, &def) in holder.containers.iter().zip(self.rules.holders()[def].carries()) {
            let name = format!("{}.{}", holder.name, container.name);
            self.bring_container(&name, def.index(), container.slots, Some(index));
        }
        self.world.bring_hand(index);
    }

    // Stacks.

    fn fill_container(&mut self, name: &str, stacks: &[InSlot]) {
        // One that is not there has been told of.
        if let Some(container) = self.world.container(name) {
            self.fill(name, container.index, stacks, 1);
        }
    }

    fn fill_hand(&mut self, holder: &Holder, stack: &Stack) {
        if let Some(id) = self.world.holder(&holder.name).filter(|id| self.world.has_hand(id.index)) {
            let spot = Spot { container: self.world.hand_of(id.index), slot: 0 };
            self.lay(&format!("{}.hand", holder.name), spot, Position::default(), stack, 1);
        }
    }

    /// `depth` is that of packs which would lie here.
    fn fill(&mut self, name: &str, container: u32, stacks: &[InSlot], depth: u32) {
        let slots = self.world.slot_count(container);
        for InSlot { slot, stack } in stacks {
            let place = format!("{}/{slot}", name.trim_end_matches('/'));
            let spot = Spot { container, slot: *slot };
            if *slot >= slots {
                self.fault(place, format!("it has only {slots} slots"));
            } else if !self.world.cell(spot).is_empty() {
                self.fault(place, "two stacks lie in this slot");
            } else {
                self.lay(&place, spot, Position::default(), stack, depth);
            }
        }
    }

    fn lay(&mut self, place: &str, spot: Spot, at: Position, stack: &Stack, depth: u32) {
        let Some(key) = self.read_stack(place, stack) else { return };
        let figures = self.rules.figures[key.kind.index()];
        let is_pack = self.rules.kind(key.kind).pack().is_some();
        let inside = self.packs.remove(&stack.id);
        self.whole_weight += i128::from(figures.weight) * i128::from(stack.count);
        if self.whole_weight > i128::from(i64::MAX) {
            return self.fault(place, "the world would weigh more than can be counted");
        }
        match inside {
            Some(_) if !is_pack => self.fault(place, format!("{} is no pack", stack.kind)),
            None if is_pack => self.fault(place, format!("this {} has no inside", stack.kind)),
            None => {
                self.world.lay_as_it_was(Laid { spot, at, id: stack.id, count: stack.count, key, slots: None });
            }
            Some(_) if stack.count != 1 => self.fault(place, "a stack of packs is one item"),
            // Deeper than the ruleset says it may be, but not beyond all measure.
            Some(_) if depth > MOST_NESTING => self.fault(place, format!("packs nest at most {MOST_NESTING} deep")),
            Some(pack) => {
                let most = self.rules.kind(key.kind).pack().map_or(0, |def| def.slot_bounds().1);
                if pack.slots > most {
                    return self.fault(place, format!("it has {} slots of at most {most}", pack.slots));
                }
                let slots = Some(pack.slots);
                let laid = Laid { spot, at, id: stack.id, count: stack.count, key, slots };
                let inner = self.world.lay_as_it_was(laid);
                self.insides.insert(stack.id, inner);
                self.fill(place, inner, &pack.stacks, depth + 1);
            }
        }
    }

    fn read_stack(&mut self, place: &str, stack: &Stack) -> Option<ClassKey> {
        let before = self.faults.len();
        if stack.count == 0 {
            self.fault(place, "a stack has at least 1 item");
        }
        if stack.id.serial() == 0 {
            self.fault(place, "this stack has no id");
        } else if !self.known.insert(stack.id) {
            self.fault(place, format!("two stacks have the id {}", stack.id));
        }
        let Some(kind) = self.rules.find_kind(&stack.kind) else {
            self.fault(place, format!("there is no kind `{}`", stack.kind));
            return None;
        };
        let mut marks = Vec::new();
        for mark in &stack.marks {
            match self.rules.find_mark(mark) {
                Some(mark) => marks.push(mark),
                None => self.fault(place, format!("there is no mark `{mark}`")),
            }
        }
        let mut properties = Vec::new();
        for (name, value) in &stack.properties {
            let property = self.rules.find_property(name).filter(|&property| self.is_number(kind, property));
            match property {
                Some(property) => properties.push((property, *value)),
                None => self.fault(place, format!("{} has no property `{name}` that is a number", stack.kind)),
            }
        }
        (self.faults.len() == before).then(|| ClassKey::new(self.rules, kind, &marks, &properties))
    }

    fn is_number(&self, kind: KindId, property: crate::PropertyId) -> bool {
        matches!(self.rules.kind(kind).property(property), Some(PropertyValue::Number(_)))
    }

    // What is told of containers and holders.

    fn open_containers(&mut self) {
        let snapshot = self.snapshot;
        let opened = |container: &'s Container, name: String| (name, &container.opened_by);
        let standing = snapshot.containers.iter().map(|container| opened(container, container.name.clone()));
        let carried = snapshot.holders.iter().flat_map(|holder| {
            holder
                .containers
                .iter()
                .map(move |container| opened(container, format!("{}.{}", holder.name, container.name)))
        });
        let lasting: Vec<(String, &Vec<String>)> = standing.chain(carried).collect();
        for (name, opened_by) in lasting {
            if let Some(id) = self.world.container(&name) {
                self.open(&name, id.index, opened_by);
            }
        }
        for pack in &snapshot.packs {
            if let Some(&inside) = self.insides.get(&pack.pack) {
                self.open(&pack.pack.to_string(), inside, &pack.opened_by);
            }
        }
    }

    fn open(&mut self, name: &str, container: u32, opened_by: &[String]) {
        for opener in opened_by {
            match self.world.holder(opener) {
                Some(holder) => self.world.set_open(holder.index, container, true),
                None => self.fault(name, format!("there is no holder `{opener}` that could have opened it")),
            }
        }
    }

    fn point_shortcuts(&mut self) {
        for holder in &self.snapshot.holders {
            let Some(id) = self.world.holder(&holder.name) else { continue };
            let (named, count) = (holder.shortcuts.len(), self.world.shortcut_count(id.index) as usize);
            if named != count {
                self.fault(&holder.name, format!("it has {named} shortcuts, but the ruleset says {count}"));
                continue;
            }
            for (shortcut, kind) in (0..).zip(&holder.shortcuts) {
                let Some(name) = kind else { continue };
                match self.rules.find_kind(name) {
                    Some(kind) => self.world.bind(id.index, shortcut, Some(kind)),
                    None => self
                        .fault(format!("{}.shortcuts/{shortcut}", holder.name), format!("there is no kind `{name}`")),
                }
            }
        }
    }

    fn set_origins(&mut self) {
        for holder in &self.snapshot.holders {
            let Some((id, path)) = self.world.holder(&holder.name).zip(holder.origin.as_ref()) else { continue };
            let place = format!("{}.hand", holder.name);
            if holder.hand.is_none() {
                self.fault(place, "nothing is in it that could have come from anywhere");
            } else if !self.set_origin(id.index, path) {
                self.fault(place, format!("there is no slot `{path}` from which it could have come"));
            }
        }
    }

    fn set_origin(&mut self, holder: u32, path: &Path) -> bool {
        match self.world.place(path, None) {
            Ok(crate::Place::Slot(container, slot)) => {
                self.world.set_origin(holder, Some(crate::world::Origin { container, slot }));
                true
            }
            _ => false,
        }
    }

    fn set_counters(&mut self) {
        let snapshot = self.snapshot;
        let mut tallies = vec![Tally::default(); self.rules.kinds().len()];
        for (name, tally) in &snapshot.tallies {
            match self.rules.find_kind(name) {
                Some(_) if tally.created.max(tally.consumed) > MOST_COUNTED => {
                    self.fault("tallies", format!("the items of `{name}` are beyond what can be counted"));
                }
                Some(kind) => {
                    tallies[kind.index()] = Tally { created: tally.created, consumed: tally.consumed };
                }
                None => self.fault("tallies", format!("there is no kind `{name}`")),
            }
        }
        if snapshot.world > 0xff_ffff {
            self.fault("world", "the number of a world is below 2^24");
        }
        let given = |id: &&StackId| id.world() == snapshot.world && id.serial() >= snapshot.next_stack;
        if let Some(id) = self.known.iter().find(given).copied() {
            self.fault(id.to_string(), format!("this id is still to be given: the next is {}", snapshot.next_stack));
        }
        if snapshot.next_stack > StackId::MOST - IDS_LEFT {
            self.fault("next-stack", "hardly an id is left: there are 2^40");
        }
        if snapshot.revision > MOST_COUNTED {
            self.fault("revision", "it is beyond what can be counted");
        }
        self.world.set_counters(snapshot.world, snapshot.revision, snapshot.next_stack, &snapshot.random.0, tallies);
    }
}
