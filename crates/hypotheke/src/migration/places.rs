//! Containers and holders that are new or removed, and slots that move or are removed.

use std::collections::{BTreeMap, BTreeSet};

use super::{Carrying, Spilled, items, path_to, slot_of};
use crate::ruleset::{ContainerDef, ContainerSuccessor, Meter, MigrationPolicy, RemovedContents};
use crate::snapshot::{Container, Departed, Departure, Holder, InSlot, Stack};

/// Where the slots of a container are now: those with a name by it, the others in their order.
pub(super) struct SlotsNow {
    before: u32,
    after: u32,
    /// Of the first slots; those beyond have none.
    names_before: Vec<Option<String>>,
    names_after: Vec<Option<String>>,
}

impl SlotsNow {
    fn is_as_before(&self) -> bool {
        let is_named = |names: &[Option<String>]| names.iter().any(Option::is_some);
        let same = self.names_before == self.names_after;
        self.before <= self.after && (same || !is_named(&self.names_before) && !is_named(&self.names_after))
    }

    fn of(&self, slot: u32) -> Option<u32> {
        let at = usize::try_from(slot).ok().filter(|_| slot < self.before)?;
        let small = |index: usize| u32::try_from(index).ok();
        let now = if let Some(Some(name)) = self.names_before.get(at) {
            self.names_after.iter().position(|now| now.as_ref() == Some(name)).and_then(small)
        } else {
            let named_before = self.names_before.iter().take(at).flatten().count();
            let nth = at - named_before;
            let mut unnamed = (0..self.names_after.len()).filter(|&index| self.names_after[index].is_none());
            let among = unnamed.clone().count();
            // Beyond those with rules none has a name.
            if nth < among { unnamed.nth(nth).and_then(small) } else { small(self.names_after.len() + nth - among) }
        };
        now.filter(|now| *now < self.after)
    }
}

impl Carrying<'_> {
    /// The contents of a removed place.
    pub(super) fn lose(
        &mut self,
        place: String,
        what: &str,
        stack: Stack,
        (gone, homes): (Option<&RemovedContents>, &[String]),
    ) {
        let action = match gone {
            None => self.rules.migration().removed_places,
            Some(RemovedContents::Into(_)) => MigrationPolicy::Spill,
            Some(RemovedContents::Ground) => MigrationPolicy::Ground,
            Some(RemovedContents::Orphan) => MigrationPolicy::Orphan,
        };
        self.tell(place.clone(), format!("{what}; its {}", items(&stack)), Some(action));
        match action {
            MigrationPolicy::Orphan => self.orphan_whole(place, None, stack),
            MigrationPolicy::Refuse => {}
            _ => {
                let homes = match (action, gone) {
                    (MigrationPolicy::Ground, _) => Vec::new(),
                    (_, Some(RemovedContents::Into(into))) => vec![self.home_in(&place, into)],
                    _ => homes.to_vec(),
                };
                let described = self.differences.len() - 1;
                self.spilled.push(Spilled { stack, place, homes, described });
            }
        }
    }

    /// The container into which something goes, that of the same holder if it is one that is
    /// carried.
    fn home_in(&self, place: &str, into: &str) -> String {
        let stands = self.rules.containers().iter().any(|def| def.instances().any(|name| name == into));
        match place.split_once('.') {
            Some((holder, _)) if !stands => format!("{holder}.{into}"),
            _ => into.to_owned(),
        }
    }

    /// The decision of the ruleset for a removed container.
    pub(super) fn removal_of(&self, container: &str) -> Option<RemovedContents> {
        match self.rules.migration().container_since(self.since, container) {
            ContainerSuccessor::Removed(gone) => Some(gone),
            ContainerSuccessor::Now(_) => None,
        }
    }

    pub(super) fn container_gone(&mut self, name: &str, own: &str, stacks: Vec<InSlot>, homes: &[String]) {
        let removal = self.removal_of(own);
        if stacks.is_empty() {
            self.tell(name, "removed; it was empty", None);
        }
        for InSlot { slot, stack, .. } in stacks {
            self.lose(format!("{name}/{slot}"), "container removed", stack, (removal.as_ref(), homes));
        }
    }

    /// The containers without a holder are those of the ruleset, except the departed ones.
    pub(super) fn standing(&mut self) {
        let rules = self.rules;
        let defs: BTreeMap<&str, &ContainerDef> =
            rules.containers().iter().flat_map(|def| def.instances().map(move |name| (name, def))).collect();
        for mut container in std::mem::take(&mut self.snapshot.containers) {
            let Some(def) = defs.get(container.name.as_str()) else {
                self.container_gone(&container.name, &container.name, container.stacks, &[]);
                continue;
            };
            let name = container.name.clone();
            let before = std::mem::replace(&mut container.definition, def.id().to_owned());
            self.slots(&name, (&before, def), &mut container.slots, &mut container.stacks, std::slice::from_ref(&name));
            self.snapshot.containers.push(container);
        }
        // What has departed may come back; what the world has never had is new.
        let there: BTreeSet<String> = self.snapshot.containers.iter().map(|it| it.name.clone()).collect();
        for def in rules.containers() {
            let new: Vec<&str> = def.instances().filter(|name| !there.contains(*name) && !self.is_away(name)).collect();
            for name in new {
                self.tell(name, "new", None);
                let (name, definition) = (name.to_owned(), def.id().to_owned());
                self.snapshot.containers.push(Container {
                    name,
                    definition,
                    slots: def.slots(),
                    ..Container::default()
                });
            }
        }
    }

    /// Whether something has departed from the world, by its name now.
    pub(super) fn is_away(&self, name: &str) -> bool {
        let migration = self.rules.migration();
        self.known.alone
            || self.known.outline.departed.iter().any(|departed| {
                let container =
                    migration.container_since(self.since, departed) == ContainerSuccessor::Now(name.to_owned());
                container || migration.holder_since(self.since, departed) == name
            })
    }

    pub(super) fn holders(&mut self) {
        let rules = self.rules;
        for mut holder in std::mem::take(&mut self.snapshot.holders) {
            let is_known = rules.find_holder(&holder.definition).is_some();
            if is_known && rules.why_not_called(&holder.name, &holder.definition).is_none() {
                self.holder(&mut holder);
                self.snapshot.holders.push(holder);
            } else {
                self.holder_gone(holder);
            }
        }
        for def in rules.holders() {
            for name in def.instances() {
                let is_there = self.snapshot.holders.iter().any(|holder| holder.name == name);
                if !is_there && !self.is_away(name) {
                    self.tell(name, "new", None);
                    let newcomer = Departure::newcomer(rules, def.id(), name);
                    if let Some(Departed::Holder(holder)) = newcomer.map(|newcomer| newcomer.who) {
                        self.snapshot.holders.push(holder);
                    }
                }
            }
        }
    }

    fn holder_gone(&mut self, holder: Holder) {
        self.tell(&*holder.name, "removed", None);
        for container in holder.containers {
            let name = format!("{}.{}", holder.name, container.name);
            self.container_gone(&name, &container.name, container.stacks, &[]);
        }
        if let Some(stack) = holder.hand {
            self.lose(format!("{}.hand", holder.name), "holder removed", stack, (None, &[]));
        }
        for (shortcut, kind) in (0..).zip(holder.shortcuts) {
            if let Some(kind) = kind {
                self.orphan_shortcut(&holder.name, shortcut, kind);
            }
        }
        for (meter, value) in holder.meters {
            self.orphan_meter(&holder.name, meter, value);
        }
    }

    fn holder(&mut self, holder: &mut Holder) {
        let rules = self.rules;
        let Some(def) = rules.find_holder(&holder.definition).map(|id| rules.holder(id)) else { return };
        let before = std::mem::take(&mut holder.containers).into_iter();
        let mut before: BTreeMap<String, Container> = before.map(|it| (it.definition.clone(), it)).collect();
        let of_holder = |container: &str| format!("{}.{container}", holder.name);
        let homes: Vec<String> = def.carries().iter().map(|&id| of_holder(rules.container(id).id())).collect();
        for &id in def.carries() {
            let def = rules.container(id);
            let name = of_holder(def.id());
            let container = before.remove(def.id());
            if container.is_none() {
                self.tell(name.clone(), "new", None);
            }
            let (own, definition) = (def.id().to_owned(), def.id().to_owned());
            let mut container = container.unwrap_or_else(|| Container {
                name: own,
                definition,
                slots: def.slots(),
                ..Container::default()
            });
            let others = homes.iter().filter(|home| **home != name).cloned();
            let own_first: Vec<String> = std::iter::once(name.clone()).chain(others).collect();
            self.slots(&name, (def.id(), def), &mut container.slots, &mut container.stacks, &own_first);
            holder.containers.push(container);
        }
        for (own, container) in before {
            self.container_gone(&of_holder(&own), &own, container.stacks, &homes);
        }
        self.shortcuts_of(holder, def.shortcuts());
        self.meters_of(holder, def.meters());
    }

    /// A value beyond a bound that was changed stays.
    fn meters_of(&mut self, holder: &mut Holder, meters: &[Meter]) {
        let mut before = std::mem::take(&mut holder.meters);
        for meter in meters {
            let (name, start) = (meter.name(), meter.start());
            let value = before.remove(name).unwrap_or_else(|| {
                self.tell(&*holder.name, format!("new meter {name}, at its start {start}"), None);
                start
            });
            let (min, max) = (meter.min(), meter.max());
            if !(min..=max).contains(&value) {
                let message = format!("{name} is {value}, not between {min} and {max}");
                self.tell(&*holder.name, message, Some(MigrationPolicy::Stay));
            }
            holder.meters.insert(name.to_owned(), value);
        }
        for (meter, value) in before {
            self.orphan_meter(&holder.name, meter, value);
        }
    }

    fn shortcuts_of(&mut self, holder: &mut Holder, count: u32) {
        let rules = self.rules;
        for (shortcut, kind) in (0..).zip(&mut holder.shortcuts) {
            if let Some(kind) = kind.take_if(|kind| shortcut >= count || rules.find_kind(kind).is_none()) {
                self.orphan_shortcut(&holder.name, shortcut, kind);
            }
        }
        holder.shortcuts.resize(count as usize, None);
    }

    /// Slots with a name are known by it; the others keep their order. A container that could not
    /// be resized, or was not, has as many slots as the ruleset says; else it keeps within the
    /// bounds.
    pub(super) fn slots(
        &mut self,
        name: &str,
        (of, def): (&str, &ContainerDef),
        slots: &mut u32,
        stacks: &mut Vec<InSlot>,
        homes: &[String],
    ) {
        let (least, most) = def.slot_bounds();
        let after = if least == most { most } else { (*slots).clamp(least, most) };
        let now = self.slots_after(of, def, *slots, after);
        if after != *slots {
            let unit = if after == 1 { "slot" } else { "slots" };
            self.tell(name, format!("{after} {unit} instead of {slots}"), None);
        }
        *slots = after;
        if now.is_as_before() {
            return;
        }
        let mut laid: BTreeMap<u32, Stack> = BTreeMap::new();
        let (mut in_work, in_slots): (Vec<InSlot>, Vec<InSlot>) =
            std::mem::take(stacks).into_iter().partition(|lying| lying.in_work);
        for InSlot { slot, stack, .. } in in_slots {
            match now.of(slot).filter(|now| !laid.contains_key(now)) {
                Some(now) => _ = laid.insert(now, stack),
                None => self.lose(format!("{name}/{slot}"), "slot removed", stack, (None, homes)),
            }
        }
        stacks.extend(laid.into_iter().map(|(slot, stack)| InSlot { slot, stack, in_work: false }));
        // A stack in work goes back to its slot under the number that the slot has now.
        let mut taken: BTreeSet<u32> = BTreeSet::new();
        for lying in &mut in_work {
            let own = now.of(lying.slot).filter(|slot| !taken.contains(slot));
            let free = || (0..most).find(|slot| !taken.contains(slot));
            lying.slot = own.or_else(free).unwrap_or(lying.slot);
            taken.insert(lying.slot);
        }
        in_work.sort_by_key(|lying| lying.slot);
        stacks.append(&mut in_work);
        self.slots_now.insert(name.to_owned(), now);
    }

    fn slots_after(&self, of: &str, def: &ContainerDef, before: u32, after: u32) -> SlotsNow {
        let names_before = self.known.outline.slot_names.get(of).or_else(|| {
            // The container itself may have another name now.
            let renamed = |name: &&String| self.rules.migration().container_since(self.since, name);
            let mut known = self.known.outline.slot_names.iter();
            known
                .find(|(name, _)| renamed(name) == ContainerSuccessor::Now(def.id().to_owned()))
                .map(|(_, names)| names)
        });
        let names = |rule: &crate::ruleset::SlotDef| rule.name.as_deref().map(str::to_owned);
        SlotsNow {
            before,
            after,
            names_before: names_before.cloned().unwrap_or_default(),
            names_after: def.ruled.iter().map(names).collect(),
        }
    }

    /// A container is open only to present holders.
    pub(super) fn openers(&mut self) {
        let names: BTreeSet<String> = self.snapshot.holders.iter().map(|holder| holder.name.clone()).collect();
        let standing = self.snapshot.containers.iter_mut().map(|it| &mut it.opened_by);
        let carried = self.snapshot.holders.iter_mut().flat_map(|it| &mut it.containers).map(|it| &mut it.opened_by);
        for opened_by in standing.chain(carried).chain(self.packs.values_mut().map(|it| &mut it.opened_by)) {
            opened_by.retain(|opener| names.contains(opener));
        }
    }

    /// What is in a hand came from a slot that is there, or from nowhere.
    pub(super) fn origins(&mut self) {
        let slots = self.slots_by_name();
        for holder in &mut self.snapshot.holders {
            let now = |container: &str, slot: u32| match self.slots_now.get(container) {
                Some(now) => now.of(slot),
                None => Some(slot).filter(|slot| slots.get(container).is_some_and(|slots| slot < slots)),
            };
            let origin = holder.origin.take().filter(|_| holder.hand.is_some());
            holder.origin = origin
                .as_ref()
                .and_then(slot_of)
                .and_then(|(container, slot)| now(&container, slot).map(|slot| path_to(&container, slot)));
        }
    }

    /// How many slots all containers have.
    pub(super) fn slots_by_name(&self) -> BTreeMap<String, u32> {
        let standing = self.snapshot.containers.iter().map(|it| (it.name.clone(), it.slots));
        let carried = self.snapshot.holders.iter().flat_map(|holder| {
            holder.containers.iter().map(move |it| (format!("{}.{}", holder.name, it.name), it.slots))
        });
        let packs = self.packs.values().map(|pack| (pack.pack.to_string(), pack.slots));
        standing.chain(carried).chain(packs).collect()
    }
}
