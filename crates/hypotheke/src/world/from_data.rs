//! From plain data to the contents of a world.
//!
//! Impossible data is an error: unknown kinds, two stacks in one slot, a pack inside itself. An
//! excess over a limit is accepted, since rules change; an audit reports it.

use std::collections::{BTreeMap, BTreeSet};
use std::num::NonZeroU32;

use super::departures::LaidJob;
use super::{Arrival, Arriving, ClassKey, LaidContainer, LaidHolder, LaidOrigin, LaidStack};
use crate::id::{KindId, PropertyId, StackId};
use crate::language::{Path, PathRoot, PathStep};
use crate::quantity::Decimal;
use crate::ruleset::{MAX_NESTING, Meter, PropertyValue, Ruleset, is_owner};
use crate::snapshot::{
    Container, Departed, Departure, Holder, InSlot, Job, MAX_COUNTED, Orphan, Pack, SnapshotError, SnapshotFault, Stack,
};

pub(super) struct Reader<'s> {
    rules: &'s Ruleset,
    faults: Vec<SnapshotFault>,
    /// Those whose pack has not been found anywhere yet.
    packs: BTreeMap<StackId, &'s Pack>,
    /// The names of containers and holders.
    names: BTreeSet<String>,
    /// How many slots containers have, by their names.
    slots: BTreeMap<String, u32>,
    /// How many slots packs have that have been found.
    pack_slots: BTreeMap<StackId, u32>,
    ids: BTreeSet<StackId>,
    whole_weight: i128,
}

impl Departure {
    /// Whether it can be at all in a world of a ruleset. Whether it can arrive in a world as it
    /// stands is for the operation to say.
    ///
    /// # Errors
    /// All that can't be.
    pub fn check(&self, rules: &Ruleset) -> Result<(), SnapshotError> {
        departure(rules, self).map(|_| ())
    }
}

/// What a departure brings, or all that can't be.
pub(crate) fn departure(rules: &Ruleset, departure: &Departure) -> Result<Arriving, SnapshotError> {
    let mut reader = Reader::new(rules, &departure.packs);
    let arriving = match &departure.who {
        Departed::Container(container) => {
            reader.is_open_to_nobody(&container.name, &container.opened_by);
            reader.standing(container).map(Arrival::Container)
        }
        Departed::Holder(holder) => {
            for container in &holder.containers {
                reader.is_open_to_nobody(&format!("{}.{}", holder.name, container.name), &container.opened_by);
            }
            reader.holder(holder).map(|holder| Arrival::Holder(Box::new(holder)))
        }
    };
    reader.orphans(&departure.orphans);
    for pack in &departure.packs {
        reader.is_open_to_nobody(&pack.pack.to_string(), &pack.opened_by);
    }
    reader.packs_that_lie_nowhere();
    if let Departed::Holder(holder) = &departure.who {
        reader.check_origin(holder);
    }
    if departure.id.is_some_and(|id| id.number > crate::snapshot::MAX_COUNTED) {
        reader.fault(departure.name(), "the number of its departure is too large");
    }
    if departure.id.is_none() && !reader.ids.is_empty() {
        reader.fault(departure.name(), "a newcomer cannot bring items");
    }
    match arriving.filter(|_| reader.faults.is_empty()) {
        Some(who) => Ok(Arriving { who, orphans: departure.orphans.clone() }),
        None => Err(SnapshotError::new(reader.faults)),
    }
}

impl<'s> Reader<'s> {
    pub(super) fn new(rules: &'s Ruleset, packs: &'s [Pack]) -> Reader<'s> {
        let mut reader = Reader {
            rules,
            faults: Vec::new(),
            packs: BTreeMap::new(),
            names: BTreeSet::new(),
            slots: BTreeMap::new(),
            pack_slots: BTreeMap::new(),
            ids: BTreeSet::new(),
            whole_weight: 0,
        };
        for pack in packs {
            if reader.packs.insert(pack.pack, pack).is_some() {
                reader.fault(pack.pack.to_string(), "this pack has two containers");
            }
        }
        reader
    }

    pub(super) fn fault(&mut self, place: impl Into<String>, message: impl Into<String>) {
        self.faults.push(SnapshotFault::new(place, message));
    }

    pub(super) fn into_faults(self) -> Vec<SnapshotFault> {
        self.faults
    }

    pub(super) fn ids(&self) -> &BTreeSet<StackId> {
        &self.ids
    }

    pub(super) fn packs_that_lie_nowhere(&mut self) {
        for pack in std::mem::take(&mut self.packs).into_keys() {
            self.fault(pack.to_string(), "this pack is in no place");
        }
    }

    // Containers and holders.

    /// A container without a holder.
    pub(super) fn standing(&mut self, container: &'s Container) -> Option<LaidContainer> {
        let def = (0..).zip(self.rules.containers()).find(|(_, def)| *def.id() == *container.definition);
        match def.filter(|(_, def)| def.instances().any(|name| name == container.name)) {
            Some((def, _)) => {
                if let Some(owner) = container.owner.as_deref().filter(|owner| !is_owner(owner)) {
                    self.fault(&container.name, format!("`{owner}` cannot be an owner"));
                }
                self.container(&container.name, def, container)
            }
            None => {
                self.fault(&container.name, format!("unknown container `{}`", container.definition));
                None
            }
        }
    }

    fn container(&mut self, name: &str, def: u32, container: &'s Container) -> Option<LaidContainer> {
        let most = self.rules.containers()[def as usize].slot_bounds().1;
        if container.slots > most {
            self.fault(name, format!("it has {} slots; the maximum is {most}", container.slots));
            return None;
        }
        if !self.names.insert(name.to_owned()) {
            self.fault(name, "two places have this name");
            return None;
        }
        self.slots.insert(name.to_owned(), container.slots);
        let job = self.job(name, container);
        let works = self.rules.containers()[def as usize].works;
        let first_in_work = job.filter(|_| works).map(|_| most);
        let stacks = self.slots_of(name, container.slots, &container.stacks, (1, first_in_work));
        let owner = container.owner.as_deref().map(Box::from);
        Some(LaidContainer { index: 0, name: name.into(), def, slots: container.slots, owner, stacks, job })
    }

    /// What a container works on. It may be at a recipe that no longer takes time.
    fn job(&mut self, name: &str, container: &Container) -> Option<LaidJob> {
        let Job { recipe, times, left, yield_number } = container.job.as_ref()?;
        let Some(known) = self.rules.find_recipe(recipe) else {
            self.fault(name, format!("unknown recipe `{recipe}`"));
            return None;
        };
        let station = if name.contains('.') { &container.definition } else { &container.name };
        let takes_time = self.rules.recipe(known).is_some_and(|recipe| recipe.duration().is_some());
        if !takes_time || !self.rules.is_station(known, station) {
            self.fault(name, format!("no container works on `{recipe}` here"));
        }
        let number = yield_number.map(NonZeroU32::get);
        if !self.rules.recipe(known).is_some_and(|recipe| recipe.has_yield(number)) {
            let yields = number.map_or_else(|| "no yield".to_owned(), |number| format!("yield {number}"));
            self.fault(name, format!("it works on `{recipe}` with {yields}, which the recipe does not have"));
        }
        if *times == 0 {
            self.fault(name, format!("it works on `{recipe}` 0 times"));
        }
        if !container.stacks.iter().any(|lying| lying.in_work) {
            self.fault(name, format!("it holds nothing for `{recipe}`"));
        }
        if *left > MAX_COUNTED {
            self.fault(name, format!("`{recipe}` would take too long to count"));
        }
        Some(LaidJob { recipe: known, times: *times, left: *left, yield_number: *yield_number })
    }

    pub(super) fn holder(&mut self, holder: &'s Holder) -> Option<LaidHolder> {
        let Some((def, rule)) = (0..).zip(self.rules.holders()).find(|(_, def)| *def.id() == *holder.definition) else {
            self.fault(&holder.name, format!("unknown holder `{}`", holder.definition));
            return None;
        };
        if let Some(message) = self.rules.why_not_called(&holder.name, &holder.definition) {
            self.fault(&holder.name, message);
            return None;
        }
        if !self.names.insert(holder.name.clone()) {
            self.fault(&holder.name, "two places have this name");
            return None;
        }
        let carries: Vec<&str> = rule.carries().iter().map(|&id| self.rules.container(id).id()).collect();
        let carried: Vec<&str> = holder.containers.iter().map(|container| container.definition.as_str()).collect();
        if carries != carried || holder.containers.iter().any(|container| container.name != container.definition) {
            self.fault(&holder.name, format!("it carries {carried:?}, but the ruleset says {carries:?}"));
            return None;
        }
        if let Some(container) = holder.containers.iter().find(|container| container.owner.is_some()) {
            self.fault(format!("{}.{}", holder.name, container.name), "what a holder carries belongs to it");
        }
        let mut containers = Vec::new();
        for (container, &def) in holder.containers.iter().zip(rule.carries()) {
            containers.extend(self.container(&format!("{}.{}", holder.name, container.name), def.0, container));
        }
        let hand = holder.hand.as_ref().and_then(|stack| self.stack(&format!("{}.hand", holder.name), stack, 1));
        Some(LaidHolder {
            index: 0,
            name: holder.name.as_str().into(),
            def,
            containers,
            hand_index: 0,
            hand,
            origin: holder.origin.as_ref().and_then(origin),
            shortcuts: self.shortcuts(holder, rule.shortcuts()),
            meters: self.meters(holder, rule.meters()),
        })
    }

    /// The values of meters. One without a value has just been added: it is at its start. A value may
    /// be beyond a bound that was changed.
    fn meters(&mut self, holder: &Holder, meters: &[Meter]) -> Vec<Decimal> {
        for name in holder.meters.keys().filter(|name| !meters.iter().any(|meter| meter.name() == name.as_str())) {
            self.fault(&holder.name, format!("unknown meter `{name}`"));
        }
        let value = |meter: &Meter| holder.meters.get(meter.name()).copied().unwrap_or(meter.start());
        meters.iter().map(value).collect()
    }

    fn shortcuts(&mut self, holder: &Holder, count: u32) -> Vec<Option<KindId>> {
        let mut found = vec![None; count as usize];
        let named = holder.shortcuts.len();
        if named != found.len() {
            self.fault(&holder.name, format!("it has {named} shortcuts, but the ruleset says {count}"));
            return found;
        }
        for (shortcut, kind) in holder.shortcuts.iter().enumerate() {
            let Some(name) = kind else { continue };
            found[shortcut] = self.rules.find_kind(name);
            if found[shortcut].is_none() {
                self.fault(format!("{}.shortcuts/{shortcut}", holder.name), format!("unknown kind `{name}`"));
            }
        }
        found
    }

    /// What is in a hand came from a slot that is there.
    pub(super) fn check_origin(&mut self, holder: &Holder) {
        let Some(path) = &holder.origin else { return };
        let place = format!("{}.hand", holder.name);
        let slots = match origin(path) {
            Some(LaidOrigin::Container(name, slot)) => self.slots.get(&*name).filter(|&&slots| slot < slots),
            Some(LaidOrigin::Pack(pack, slot)) => self.pack_slots.get(&pack).filter(|&&slots| slot < slots),
            None => None,
        };
        if holder.hand.is_none() {
            self.fault(place, "an empty hand has an origin");
        } else if slots.is_none() {
            self.fault(place, format!("the origin `{path}` is not a slot"));
        }
    }

    fn is_open_to_nobody(&mut self, name: &str, opened_by: &[String]) {
        if !opened_by.is_empty() {
            self.fault(name, "a transfer record cannot be open to a holder");
        }
    }

    /// Orphans take no part in play; but no id is there twice, and counted is only what can be.
    pub(super) fn orphans(&mut self, orphans: &[Orphan]) {
        for orphan in orphans {
            let Orphan::Stack { place, stack, .. } = orphan else { continue };
            if stack.count == 0 {
                self.fault(place, "a stack has at least 1 item");
            }
            if !self.ids.insert(stack.id) {
                self.fault(place, format!("two stacks have the id {}; one of them is an orphan", stack.id));
            }
        }
    }

    // Stacks.

    /// `depth` is that of packs which lie here; the other number is that of the first slot for what
    /// the container works on, if it works on something.
    fn slots_of(
        &mut self,
        name: &str,
        slots: u32,
        stacks: &'s [InSlot],
        (depth, first_in_work): (u32, Option<u32>),
    ) -> Vec<(u32, LaidStack)> {
        let (mut laid, mut taken) = (Vec::with_capacity(stacks.len()), BTreeSet::new());
        for InSlot { slot, stack, in_work } in stacks {
            let place = || format!("{}/{slot}", name.trim_end_matches('/'));
            if *in_work {
                let own = first_in_work.filter(|first| slot < first).map(|first| first + slot);
                match own.filter(|own| taken.insert(*own)) {
                    Some(_) if self.rules.find_kind(&stack.kind).is_some_and(|kind| self.is_pack(kind)) => {
                        self.fault(place(), "no container works on a pack");
                    }
                    Some(own) => laid.extend(self.stack(&place(), stack, depth).map(|stack| (own, stack))),
                    None if own.is_some() => self.fault(place(), "it works on two stacks from this slot"),
                    None => self.fault(place(), "it works on nothing from this slot"),
                }
            } else if *slot >= slots {
                self.fault(place(), format!("it has {slots} slots"));
            } else if !taken.insert(*slot) {
                self.fault(place(), "two stacks are in this slot");
            } else {
                laid.extend(self.stack(&place(), stack, depth).map(|stack| (*slot, stack)));
            }
        }
        laid
    }

    pub(super) fn stack(&mut self, place: &str, stack: &'s Stack, depth: u32) -> Option<LaidStack> {
        let key = self.class_key(place, stack)?;
        let figures = self.rules.figures[key.kind.index()];
        self.whole_weight += i128::from(figures.weight) * i128::from(stack.count);
        if self.whole_weight > i128::from(i64::MAX) {
            self.fault(place, "the total weight would be too large to count");
            return None;
        }
        let def = self.rules.known_kind(key.kind).pack();
        let inside = match (def, self.packs.remove(&stack.id)) {
            (None, None) => None,
            (None, Some(_)) => {
                self.fault(place, format!("{} is not a pack", stack.kind));
                return None;
            }
            (Some(_), None) => {
                self.fault(place, format!("this {} has no inside", stack.kind));
                return None;
            }
            (Some(_), Some(_)) if stack.count != 1 => {
                self.fault(place, "a pack is always a stack of one item");
                return None;
            }
            // Deeper than the ruleset says it may be, but not beyond all measure.
            (Some(_), Some(_)) if depth > MAX_NESTING => {
                self.fault(place, format!("the maximum nesting of packs is {MAX_NESTING}"));
                return None;
            }
            (Some(def), Some(pack)) => Some(self.inside(place, figures.pack, def.slot_bounds().1, pack, depth)?),
        };
        Some(LaidStack { id: stack.id, count: stack.count, key, class: None, inside })
    }

    fn inside(&mut self, place: &str, def: u32, most: u32, pack: &'s Pack, depth: u32) -> Option<LaidContainer> {
        if pack.slots > most {
            self.fault(place, format!("it has {} slots; the maximum is {most}", pack.slots));
            return None;
        }
        self.pack_slots.insert(pack.pack, pack.slots);
        let stacks = self.slots_of(place, pack.slots, &pack.stacks, (depth + 1, None));
        Some(LaidContainer { index: 0, name: "".into(), def, slots: pack.slots, owner: None, stacks, job: None })
    }

    fn class_key(&mut self, place: &str, stack: &Stack) -> Option<ClassKey> {
        let before = self.faults.len();
        if stack.count == 0 {
            self.fault(place, "a stack has at least 1 item");
        }
        if stack.id.serial() == 0 {
            self.fault(place, "this stack has no id");
        } else if !self.ids.insert(stack.id) {
            self.fault(place, format!("two stacks have the id {}", stack.id));
        }
        let Some(kind) = self.rules.find_kind(&stack.kind) else {
            self.fault(place, format!("unknown kind `{}`", stack.kind));
            return None;
        };
        let mut marks = Vec::new();
        for mark in &stack.marks {
            match self.rules.find_mark(mark) {
                Some(mark) => marks.push(mark),
                None => self.fault(place, format!("unknown mark `{mark}`")),
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

    fn is_pack(&self, kind: KindId) -> bool {
        self.rules.known_kind(kind).pack().is_some()
    }

    fn is_number(&self, kind: KindId, property: PropertyId) -> bool {
        matches!(self.rules.known_kind(kind).property(property), Some(PropertyValue::Number(_)))
    }
}

/// `sled/3`, `surveyor.pockets/3`, `#12/0`
pub(super) fn origin(path: &Path) -> Option<LaidOrigin> {
    let [PathStep::Slot(slot)] = path.steps() else { return None };
    match path.root() {
        PathRoot::Name(name) => Some(LaidOrigin::Container(name.clone(), *slot)),
        PathRoot::Of(holder, own) => Some(LaidOrigin::Container(format!("{holder}.{own}").into(), *slot)),
        PathRoot::Stack(pack) => Some(LaidOrigin::Pack(*pack, *slot)),
        PathRoot::Ground => None,
    }
}
