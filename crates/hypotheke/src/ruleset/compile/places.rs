//! Containers and holders.

use rustc_hash::{FxHashMap, FxHashSet};

use super::{Compiler, small};
use crate::id::{ContainerDefId, HolderDefId, PropertyId};
use crate::quantity::Decimal;
use crate::ruleset::meters::{MeterSource, UseOf};
use crate::ruleset::places::{Cap, ContainerDef, GroupDef, HolderDef, PutMode, SlotDef};
use crate::ruleset::source::{CapSource, ContainerSource, HolderSource, SlotSource, Written};
use crate::ruleset::{Access, PropertyValue};
use crate::text::{Diagnostic, Location, suggestion};

/// The most slots of one container.
const MAX_SLOTS: u32 = 4_000_000;
/// The most slots of all containers that a world begins with.
const MAX_SLOTS_IN_ALL: u64 = 16_000_000;

impl Compiler {
    /// A name that may have been meant; of a fault that is not listed nobody reads it.
    pub(super) fn suggestion<'a>(
        &self,
        unknown: &str,
        known: impl IntoIterator<Item = &'a str> + Clone,
    ) -> Option<String> {
        if self.faults.is_full() { None } else { suggestion(unknown, known) }
    }

    pub(super) fn compile_containers(&mut self) {
        let mut slots_in_all = 0;
        for container in std::mem::take(&mut self.source.containers) {
            let id = ContainerDefId(small(self.rules.containers.len()), self.rules.tag);
            let def = self.compile_container(&container);
            slots_in_all += u64::from(def.bounds.1) * def.copies.len().max(1) as u64;
            if slots_in_all > MAX_SLOTS_IN_ALL {
                let message = format!("the containers have more than {MAX_SLOTS_IN_ALL} slots in total");
                self.fault(Diagnostic::error("out-of-range", container.id.at, message));
            }
            self.rules.container_index.insert(def.id.clone(), id);
            self.rules.containers.push(def);
            self.source.containers.push(container);
        }
    }

    fn compile_container(&mut self, source: &ContainerSource) -> ContainerDef {
        let ruled: Vec<SlotDef> = source.slot.iter().map(|slot| self.compile_slot(slot)).collect();
        self.check_slot_names(source);
        let listed = small(ruled.len());
        let slots = match &source.slots {
            Some(slots) if slots.value > MAX_SLOTS => {
                let message = format!("a container has at most {MAX_SLOTS} slots");
                self.fault(Diagnostic::error("out-of-range", slots.at, message).label("too many"));
                listed
            }
            Some(slots) if slots.value < listed => {
                let message = format!("container `{}` has {} slots but lists {listed}", source.id.value, slots.value);
                self.fault(
                    Diagnostic::error("out-of-range", slots.at, message)
                        .help("Remove `slots`; the list then sets the number"),
                );
                listed
            }
            Some(slots) => slots.value,
            // Unreadable values were reported before.
            None if source.says_slots => listed.max(1),
            None if listed == 0 => {
                let message = format!("container `{}` has no slots", source.id.value);
                self.fault(
                    Diagnostic::error("missing-key", source.id.at, message)
                        .help("Write the number of slots: `slots = 12`"),
                );
                1
            }
            None => listed,
        };
        let known = source.slots.is_some() || listed > 0;
        if let Some(columns) = source.columns.as_ref().filter(|columns| known && columns.value > slots) {
            let message =
                format!("container `{}` has {} columns but only {slots} slots", source.id.value, columns.value);
            self.fault(Diagnostic::error("out-of-range", columns.at, message));
        }
        let bounds = self.compile_bounds(source, slots, &ruled);
        self.rules.has_doors |= source.must_open || source.exclusive;
        ContainerDef {
            id: source.id.value.as_str().into(),
            name: source.name.clone().unwrap_or_else(|| source.id.value.clone()),
            note: source.note.clone().unwrap_or_default(),
            slots,
            columns: source.columns.as_ref().map_or(slots.min(8), |columns| columns.value),
            stack_limit: source.stack_limit.unwrap_or(u32::MAX),
            weight_cap: source.weight_cap.as_ref().map_or(i64::MAX, |cap| cap.value.thousandths()),
            admits: source.admits.as_ref().and_then(|filter| self.compile_filter(filter)),
            ruled,
            caps: self.compile_caps(&source.caps, None),
            worn: source.worn,
            access: Default::default(),
            owner: None,
            copies: source.copies.iter().map(|copy| copy.value.as_str().into()).collect(),
            carried: false,
            brought: false,
            deep: source.deep.is_some(),
            reserved_first: source.reserved_first,
            when_unfit: source.when_unfit,
            must_open: source.must_open,
            exclusive: source.exclusive,
            bounds,
            works: false,
            on_put: source.on_put.clone().unwrap_or_else(|| PutMode::ALL.to_vec()),
        }
    }

    /// Between which numbers of slots a container may be resized; slots with rules of their own
    /// never go.
    fn compile_bounds(&mut self, source: &ContainerSource, slots: u32, ruled: &[SlotDef]) -> (u32, u32) {
        let staying = small(ruled.iter().rposition(SlotDef::has_rules).map_or(0, |last| last + 1)).max(1);
        let id = &source.id.value;
        let min = source.min_slots.as_ref().map_or(slots, |min| min.value);
        let most = source.max_slots.as_ref().map_or(slots, |most| most.value);
        if let Some(written) = source.min_slots.as_ref().filter(|min| min.value > slots) {
            let message = format!("container `{id}` has {slots} slots, fewer than `min-slots = {min}`");
            self.fault(Diagnostic::error("out-of-range", written.at, message));
        } else if let Some(written) = source.min_slots.as_ref().filter(|min| min.value < staying) {
            let message = format!("container `{id}` lists {staying} slots, which a resize cannot remove");
            self.fault(
                Diagnostic::error("out-of-range", written.at, message)
                    .help(format!("Set `min-slots` to at least {staying}")),
            );
        }
        if let Some(written) = source.max_slots.as_ref().filter(|most| most.value < slots) {
            let message = format!("container `{id}` has {slots} slots, more than `max-slots = {most}`");
            self.fault(Diagnostic::error("out-of-range", written.at, message));
        } else if let Some(written) = source.max_slots.as_ref().filter(|most| most.value > MAX_SLOTS) {
            let message = format!("a container has at most {MAX_SLOTS} slots");
            self.fault(Diagnostic::error("out-of-range", written.at, message).label("too many"));
        }
        (min.min(slots), most.clamp(slots, MAX_SLOTS.max(slots)))
    }

    /// Each stack of a pack is one item with a container inside.
    pub(super) fn compile_packs(&mut self) {
        for (kind, name) in std::mem::take(&mut self.source.packs) {
            let Some(container) = self.rules.find_container(&name.value) else {
                let help = self.suggestion(&name.value, self.rules.containers.iter().map(|container| &*container.id));
                let message = format!("unknown container `{}`", name.value);
                let fault = Diagnostic::error("unknown-container", name.at, message);
                self.fault(fault.label("unknown container").maybe_help(help));
                continue;
            };
            let def = &mut self.rules.containers[container.index()];
            def.brought = true;
            let (container_id, worn) = (def.id.clone(), def.worn);
            let figures = &mut self.rules.figures[kind as usize];
            figures.pack = container.0;
            figures.stack_limit = 1;
            if worn {
                let message = format!("container `{container_id}` is the inside of a pack, so it cannot be worn");
                self.fault(Diagnostic::error("two-uses", name.at, message));
            }
            if self.rules.kinds[kind as usize].own_stack_limit.is_some_and(|limit| limit > 1) {
                let at = self.source.locate_kind(self.source.kinds[kind as usize].at);
                let fault = Diagnostic::error("out-of-range", at, "a kind with a `pack` cannot have a `stack-limit`");
                self.fault(fault.help("Remove the `stack-limit`"));
            }
        }
    }

    /// The slots that a kind needs at once; there must be a container that has one of them.
    pub(super) fn compile_needs(&mut self) {
        let all = self.rules.containers.iter().flat_map(|container| &container.ruled);
        let named: FxHashSet<Box<str>> = all.filter_map(|slot| slot.name.clone()).collect();
        for (kind, slots) in std::mem::take(&mut self.source.needs) {
            let mut seen: FxHashSet<String> = FxHashSet::default();
            let mut needs: Vec<Box<str>> = Vec::new();
            let mut faults = Vec::new();
            for slot in slots {
                if !named.contains(slot.value.as_str()) {
                    let all = self.rules.containers.iter().flat_map(|container| &container.ruled);
                    let help = self.suggestion(&slot.value, all.filter_map(|slot| slot.name.as_deref()));
                    let message = format!("unknown slot `{}`", slot.value);
                    faults.push(Diagnostic::error("unknown-slot", slot.at, message).maybe_help(help));
                }
                if seen.insert(slot.value.clone()) {
                    needs.push(slot.value.into());
                }
            }
            self.faults.extend(faults);
            self.rules.figures[kind as usize].needs = small(self.rules.needs.len());
            self.rules.needs.push(needs);
        }
    }

    pub(super) fn compile_attributes(&mut self) {
        let mut known: FxHashMap<String, usize> = FxHashMap::default();
        for (kind, name, number) in std::mem::take(&mut self.source.attributes) {
            let attribute = *known.entry(name.value).or_insert_with_key(|name| {
                self.rules.attributes.push(name.as_str().into());
                self.rules.attributes.len() - 1
            });
            self.rules.grants.push((self.rules.kind_id(kind), attribute, number));
        }
        self.rules.grants.sort_by_key(|(kind, attribute, _)| (*kind, *attribute));
    }

    /// What uses do. An effect on a meter that no holder has is a fault.
    pub(super) fn compile_uses(&mut self) {
        for (kind, source) in std::mem::take(&mut self.source.uses) {
            let mut effects: Vec<(Box<str>, Decimal)> = Vec::new();
            for (meter, number) in source.effects {
                if !self.source.meter_names.contains(&meter.value) {
                    let known = self.source.meter_names.iter().map(String::as_str);
                    let help = suggestion(&meter.value, known);
                    let message = format!("no holder has the meter `{}`", meter.value);
                    let fault = Diagnostic::error("unknown-meter", meter.at, message).label("unknown meter");
                    let help = help.unwrap_or_else(|| {
                        format!("Add it to a holder: `meters.{} = {{ start = 10, min = 0, max = 10 }}`", meter.value)
                    });
                    self.fault(fault.help(help));
                }
                effects.push((meter.value.as_str().into(), number));
            }
            effects.sort();
            let lowers = self.compile_lowered(kind, source.lowers);
            self.rules.uses.insert(kind, UseOf { effects, lowers });
        }
    }

    /// What a use lowers belongs to one item: a stack has one value for all of its items.
    fn compile_lowered(&mut self, kind: u32, lowers: Vec<(Written<String>, Decimal)>) -> Vec<(PropertyId, Decimal)> {
        let mut lowered = Vec::new();
        for (property, number) in lowers {
            let known = self.rules.find_property(&property.value);
            let kind = self.rules.known_kind(self.rules.kind_id(kind));
            let value = known.and_then(|id| kind.property(id));
            let (code, message, help) = match (known, value) {
                (Some(id), Some(PropertyValue::Number(_))) if kind.stack_limit() == 1 => {
                    lowered.push((id, number));
                    continue;
                }
                (Some(_), Some(PropertyValue::Number(_))) => (
                    "not-supported",
                    format!(
                        "a use lowers `{}` of one `{}`, and stacks hold up to {}",
                        property.value,
                        kind.id(),
                        kind.stack_limit()
                    ),
                    "Set `stack-limit = 1` for the kind".to_owned(),
                ),
                _ => (
                    "unknown-property",
                    format!("`{}` has no property `{}` that is a number", kind.id(), property.value),
                    format!("Add it to the kind: `properties.{} = 10`", property.value),
                ),
            };
            self.fault(Diagnostic::error(code, property.at, message).help(help));
        }
        lowered.sort_by_key(|(property, _)| *property);
        lowered
    }

    /// Thresholds in rising order; each has a weight and a name of its own.
    fn compile_encumbrance(
        &mut self,
        holder: &str,
        encumbrance: &[(Written<Decimal>, Written<String>)],
    ) -> Vec<(Decimal, Box<str>)> {
        let mut compiled: Vec<(Decimal, Box<str>)> = Vec::new();
        for (from, label) in encumbrance {
            if compiled.iter().any(|(known, name)| *known == from.value || **name == *label.value) {
                let message = format!("holder `{holder}` has two encumbrance steps with this label or weight");
                self.fault(Diagnostic::error("duplicate", label.at, message));
            }
            compiled.push((from.value, label.value.as_str().into()));
        }
        compiled.sort_by_key(|(from, _)| *from);
        compiled
    }

    fn compile_caps(&mut self, caps: &[CapSource], group: Option<u32>) -> Vec<Cap> {
        let mut compiled = Vec::new();
        for cap in caps {
            let Some(of) = self.compile_filter(&cap.of) else { continue };
            let number = small(self.rules.cap_filters.len());
            compiled.push(Cap { of, count: cap.count, number, group });
            self.rules.cap_filters.push(of);
        }
        compiled
    }

    fn compile_slot(&mut self, source: &SlotSource) -> SlotDef {
        SlotDef {
            name: source.name.as_ref().map(|name| name.value.as_str().into()),
            label: source.label.clone(),
            admits: source.admits.as_ref().and_then(|filter| self.compile_filter(filter)),
            stack_limit: source.stack_limit.unwrap_or(u32::MAX),
            access: [Access::Surrounding, Access::Surrounding],
        }
    }

    fn check_slot_names(&mut self, source: &ContainerSource) {
        let mut seen: FxHashMap<&str, Location> = FxHashMap::default();
        for slot in &source.slot {
            let Some(name) = &slot.name else { continue };
            if let Some(first) = seen.insert(&name.value, name.at) {
                let message = format!("container `{}` has two slots named `{}`", source.id.value, name.value);
                self.faults.push(Diagnostic::error("duplicate", name.at, message).related(first, "the first one"));
            }
        }
    }

    /// The groups that holders name, with the rules that are written for them.
    fn compile_groups(&mut self) {
        for group in self.source.holders.iter().flat_map(|holder| &holder.groups) {
            if self.rules.find_group(&group.value).is_none() {
                let id = group.value.as_str().into();
                self.rules.groups.push(GroupDef { id, weight_cap: i64::MAX, caps: Vec::new() });
            }
        }
        for source in std::mem::take(&mut self.source.groups) {
            let number = self.rules.groups.iter().position(|group| *group.id == *source.id.value);
            match number {
                Some(number) => {
                    let caps = self.compile_caps(&source.caps, Some(small(number)));
                    let group = &mut self.rules.groups[number];
                    (group.weight_cap, group.caps) = (source.weight_cap.map_or(i64::MAX, Decimal::thousandths), caps);
                }
                None if self.source.has_unread_groups => {}
                None => {
                    let help = self.suggestion(&source.id.value, self.rules.groups.iter().map(GroupDef::id));
                    let message = format!("no holder is in group `{}`", source.id.value);
                    let fault = Diagnostic::error("unknown-group", source.id.at, message);
                    let help = help.unwrap_or_else(|| "Write it in the `groups` of a holder, or remove it".to_owned());
                    self.fault(fault.label("unknown group").help(help));
                }
            }
            self.source.groups.push(source);
        }
    }

    pub(super) fn compile_holders(&mut self) {
        self.compile_groups();
        let mut carried_slots = 0;
        for holder in std::mem::take(&mut self.source.holders) {
            let (mut carries, mut seen) = (Vec::new(), FxHashSet::default());
            for name in &holder.carries {
                match self.rules.find_container(&name.value) {
                    Some(container) if !seen.insert(container) => {
                        let message = format!("holder `{}` carries `{}` twice", holder.id.value, name.value);
                        self.fault(Diagnostic::error("duplicate", name.at, message));
                    }
                    Some(container) => carries.push(container),
                    None => {
                        let names = self.rules.containers.iter().map(|container| &*container.id);
                        let help = self.suggestion(&name.value, names);
                        let fault = Diagnostic::error(
                            "unknown-container",
                            name.at,
                            format!("unknown container `{}`", name.value),
                        );
                        self.fault(fault.label("unknown container").maybe_help(help));
                    }
                }
            }
            for container in &carries {
                let def = &mut self.rules.containers[container.index()];
                def.carried = true;
                carried_slots += u64::from(def.bounds.1) * holder.copies.len().max(1) as u64;
            }
            if carried_slots > MAX_SLOTS_IN_ALL {
                let message = format!("all holders together carry more than {MAX_SLOTS_IN_ALL} slots");
                self.fault(Diagnostic::error("out-of-range", holder.id.at, message));
            }
            let shortcuts = self.compile_shortcuts(&holder);
            let own_weight_cap = holder.weight_cap.map_or(i64::MAX, Decimal::thousandths);
            let mut caps = self.compile_caps(&holder.caps, None);
            let of = |group: &Written<String>| self.rules.find_group(&group.value);
            let groups: Vec<&GroupDef> = holder.groups.iter().filter_map(of).collect();
            caps.extend(groups.iter().flat_map(|group| &group.caps).copied());
            let weight_cap = groups.iter().map(|group| group.weight_cap).fold(own_weight_cap, i64::min);
            let def = HolderDef {
                id: holder.id.value.as_str().into(),
                name: holder.name.clone().unwrap_or_else(|| holder.id.value.clone()),
                note: holder.note.clone().unwrap_or_default(),
                groups: holder.groups.iter().map(|group| group.value.as_str().into()).collect(),
                carries,
                copies: holder.copies.iter().map(|copy| copy.value.as_str().into()).collect(),
                own_weight_cap,
                weight_cap,
                caps,
                shortcuts,
                spent: holder.depleted_shortcuts,
                encumbrance: self.compile_encumbrance(&holder.id.value, &holder.encumbrance),
                meters: holder.meters.iter().map(MeterSource::compiled).collect(),
            };
            self.rules
                .holder_index
                .insert(def.id.clone(), HolderDefId(small(self.rules.holders.len()), self.rules.tag));
            self.rules.holders.push(def);
            self.source.holders.push(holder);
        }
    }

    fn compile_shortcuts(&mut self, holder: &HolderSource) -> u32 {
        const MAX_SHORTCUTS: u32 = 256;
        let Some(shortcuts) = &holder.shortcuts else { return 0 };
        if shortcuts.value > MAX_SHORTCUTS {
            let message = format!("a holder has at most {MAX_SHORTCUTS} shortcuts");
            self.fault(Diagnostic::error("out-of-range", shortcuts.at, message).label("too many"));
        }
        shortcuts.value.min(MAX_SHORTCUTS)
    }

    /// Containers, copies and holders share one name space, since places are written with them.
    pub(super) fn check_places(&mut self) {
        let mut seen: FxHashMap<&str, Location> = FxHashMap::default();
        let mut faults = Vec::new();
        let containers =
            self.source.containers.iter().flat_map(|container| std::iter::once(&container.id).chain(&container.copies));
        let holders = self.source.holders.iter().flat_map(|holder| std::iter::once(&holder.id).chain(&holder.copies));
        for name in containers.chain(holders) {
            if name.value == "ground" {
                faults.push(Diagnostic::error("bad-name", name.at, "`ground` is reserved for dropped stacks"));
            }
            if let Some(first) = seen.insert(&name.value, name.at) {
                let fault =
                    Diagnostic::error("duplicate", name.at, format!("`{}` is the name of two places", name.value));
                faults.push(
                    fault
                        .related(first, "the other one")
                        .help("Rename one of them: containers, copies and holders share one namespace"),
                );
            }
        }
        for (source, def) in self.source.containers.iter().zip(&self.rules.containers) {
            if let Some(deep) = source.deep.filter(|_| source.admits.is_none()) {
                let message = format!("container `{}` has `deep` without `admits`", def.id);
                faults.push(Diagnostic::error("missing-key", deep, message));
            }
            if def.carried && def.brought {
                let message = format!("container `{}` is both carried by a holder and the inside of a pack", def.id);
                let fault = Diagnostic::error("two-uses", source.id.at, message);
                faults.push(fault.help("Write a second container for one of the two"));
            }
            if let Some(copy) = source.copies.first().filter(|_| def.carried || def.brought) {
                let by = if def.carried { "carried by holders" } else { "the inside of a pack" };
                let message = format!("container `{}` is {by}, so it cannot have copies", def.id);
                faults.push(
                    Diagnostic::error("two-uses", copy.at, message).help("Write a second container for one of the two"),
                );
            }
        }
        self.faults.extend(faults);
    }
}
