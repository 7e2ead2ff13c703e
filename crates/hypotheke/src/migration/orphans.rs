//! Sets unknown parts aside as orphans, and restores those that the ruleset knows again.

use std::collections::{BTreeMap, BTreeSet};

use super::names::join;
use super::{Carrying, Difference, Spilled, for_each_stack, items};
use crate::id::{KindId, StackId};
use crate::language::Position;
use crate::ops::Operation;
use crate::quantity::Decimal;
use crate::ruleset::{MigrationPolicy, PropertyValue, RemovedContents};
use crate::snapshot::{InSlot, KindTotals, Landed, Orphan, Pack, Stack};
use crate::world::World;

impl Carrying<'_> {
    // Aside.

    /// Items of unknown kinds. The contents of such a pack have lost their place.
    pub(super) fn orphan_unknown(&mut self) {
        for (place, at, stack) in self.take_unknown() {
            let action = self.rules.migration().unknown_kinds;
            self.tell(&*place, format!("{}, an unknown kind", items(&stack)), Some(action));
            let pack = self.packs.get(&stack.id).map(|pack| pack.slots);
            let homes = self.homes_of(place.rsplit_once('/').map_or(&*place, |(container, _)| container));
            let id = stack.id;
            self.orphan(place, at, stack, pack);
            for InSlot { slot, stack, .. } in self.packs.remove(&id).map(|pack| pack.stacks).unwrap_or_default() {
                self.lose(format!("{id}/{slot}"), "pack removed", stack, (None, &homes));
            }
        }
    }

    fn take_unknown(&mut self) -> Vec<(String, Option<Position>, Stack)> {
        let rules = self.rules;
        let mut unknown = BTreeMap::new();
        let mut is_unknown =
            |kind: &str| *unknown.entry(kind.to_owned()).or_insert_with(|| rules.find_kind(kind).is_none());
        let mut found = Vec::new();
        let mut take = |name: &str, stacks: &mut Vec<InSlot>, found: &mut Vec<_>| {
            let (gone, kept) = std::mem::take(stacks).into_iter().partition(|lying| is_unknown(&lying.stack.kind));
            *stacks = kept;
            let gone: Vec<InSlot> = gone;
            found.extend(gone.into_iter().map(|lying| (format!("{name}/{}", lying.slot), None, lying.stack)));
        };
        for container in &mut self.snapshot.containers {
            take(&container.name, &mut container.stacks, &mut found);
        }
        for holder in &mut self.snapshot.holders {
            for container in &mut holder.containers {
                take(&format!("{}.{}", holder.name, container.name), &mut container.stacks, &mut found);
            }
            let hand = holder.hand.take_if(|stack| rules.find_kind(&stack.kind).is_none());
            found.extend(hand.map(|stack| (format!("{}.hand", holder.name), None, stack)));
        }
        let (gone, kept): (Vec<_>, Vec<_>) = std::mem::take(&mut self.snapshot.ground)
            .into_iter()
            .partition(|landed| rules.find_kind(&landed.stack.kind).is_none());
        self.snapshot.ground = kept;
        found.extend(gone.into_iter().map(|Landed { at, stack }| ("ground".to_owned(), Some(at), stack)));
        for (id, pack) in &mut self.packs {
            take(&id.to_string(), &mut pack.stacks, &mut found);
        }
        found
    }

    /// Sets a stack aside with its contents.
    pub(super) fn orphan_whole(&mut self, place: String, at: Option<Position>, stack: Stack) {
        let mut open = vec![(place, at, stack)];
        while let Some((place, at, stack)) = open.pop() {
            let (id, pack) = (stack.id, self.packs.remove(&stack.id));
            self.orphan(place, at, stack, pack.as_ref().map(|pack| pack.slots));
            let inner = pack.map(|pack| pack.stacks).unwrap_or_default();
            open.extend(inner.into_iter().rev().map(|lying| (format!("{id}/{}", lying.slot), None, lying.stack)));
        }
    }

    /// Sets stacks on the ground aside, with their earlier places.
    pub(super) fn orphan_landed(&mut self, stacks: &BTreeMap<StackId, String>) {
        let (aside, stay): (Vec<_>, Vec<_>) = std::mem::take(&mut self.snapshot.ground)
            .into_iter()
            .partition(|landed| stacks.contains_key(&landed.stack.id));
        self.snapshot.ground = stay;
        for landed in aside {
            let place = stacks.get(&landed.stack.id).cloned().unwrap_or_default();
            self.orphan_whole(place, None, landed.stack);
        }
    }

    fn orphan(&mut self, place: String, at: Option<Position>, stack: Stack, slots: Option<u32>) {
        let totals = self.snapshot.totals.entry(stack.kind.clone()).or_default();
        totals.departed = totals.departed.saturating_add(u64::from(stack.count));
        self.snapshot.orphans.push(Orphan::Stack { place, at, stack, slots });
    }

    pub(super) fn orphan_meter(&mut self, holder: &str, meter: String, value: Decimal) {
        self.tell(holder, format!("{meter} {value}, an unknown meter"), Some(MigrationPolicy::Orphan));
        self.snapshot.orphans.push(Orphan::Meter { holder: holder.to_owned(), meter, value });
    }

    pub(super) fn orphan_shortcut(&mut self, holder: &str, shortcut: u32, kind: String) {
        let place = format!("{holder}.shortcuts/{shortcut}");
        self.tell(place, format!("shortcut to {kind}, an unknown kind"), Some(MigrationPolicy::Orphan));
        self.snapshot.orphans.push(Orphan::Shortcut { holder: holder.to_owned(), shortcut, kind });
    }

    /// Marks and properties that are not known.
    pub(super) fn looks(&mut self) {
        let rules = self.rules;
        let (mut described, mut orphans) = (Vec::new(), Vec::new());
        let mut check = |place: &dyn Fn() -> String, stack: &mut Stack| {
            if stack.marks.is_empty() && stack.properties.is_empty() {
                return;
            }
            let kind = rules.find_kind(&stack.kind);
            let (kept, marks): (Vec<String>, Vec<String>) =
                std::mem::take(&mut stack.marks).into_iter().partition(|mark| rules.find_mark(mark).is_some());
            stack.marks = kept;
            let is_known = |name: &str| {
                let property =
                    rules.find_property(name).and_then(|property| rules.known_kind(kind?).property(property));
                matches!(property, Some(PropertyValue::Number(_)))
            };
            let (kept, properties): (BTreeMap<_, _>, BTreeMap<String, Decimal>) =
                std::mem::take(&mut stack.properties).into_iter().partition(|(name, _)| is_known(name));
            stack.properties = kept;
            let names = marks.iter().map(|mark| format!("the mark {mark}"));
            for name in names.chain(properties.keys().map(|name| format!("the property {name}"))) {
                described.push((place(), format!("{} with {name}, which is unknown", items(stack))));
            }
            if !(marks.is_empty() && properties.is_empty()) {
                orphans.push(Orphan::Variant { stack: stack.id, count: stack.count, marks, properties });
            }
        };
        for_each_stack(&mut self.snapshot, &mut self.packs, &mut check);
        for spilled in &mut self.spilled {
            check(&|| spilled.place.clone(), &mut spilled.stack);
        }
        for (place, message) in described {
            self.tell(place, message, Some(MigrationPolicy::Orphan));
        }
        self.snapshot.orphans.extend(orphans);
    }

    /// The numbers of kinds that are not known.
    pub(super) fn orphan_totals(&mut self) {
        for (kind, totals) in std::mem::take(&mut self.snapshot.totals) {
            if self.rules.find_kind(&kind).is_some() {
                self.snapshot.totals.insert(kind, totals);
            } else if let Some(known) = self.orphaned_totals(&kind) {
                join(known, totals);
            } else {
                self.snapshot.orphans.push(Orphan::Totals { kind, totals });
            }
        }
    }

    fn orphaned_totals(&mut self, name: &str) -> Option<&mut KindTotals> {
        self.snapshot.orphans.iter_mut().find_map(|orphan| match orphan {
            Orphan::Totals { kind, totals } if kind == name => Some(totals),
            _ => None,
        })
    }

    // Back.

    /// What the ruleset knows again goes back to where it was.
    pub(super) fn give_back(&mut self) {
        let mut there: BTreeSet<String> = self.slots_by_name().into_keys().collect();
        for orphan in std::mem::take(&mut self.snapshot.orphans) {
            let still = match orphan {
                Orphan::Stack { place, at, stack, slots } => {
                    let (id, still) = (stack.id, self.give_stack(&there, place, at, stack, slots));
                    if still.is_none() && slots.is_some() {
                        there.insert(id.to_string());
                    }
                    still
                }
                Orphan::Variant { stack, count, marks, properties } => {
                    self.give_variant(stack, count, marks, properties)
                }
                Orphan::Shortcut { holder, shortcut, kind } => self.give_shortcut(holder, shortcut, kind),
                Orphan::Meter { holder, meter, value } => self.give_meter(holder, meter, value),
                Orphan::Totals { kind, totals } if self.rules.find_kind(&kind).is_some() => {
                    join(self.snapshot.totals.entry(kind).or_default(), totals);
                    None
                }
                totals @ Orphan::Totals { .. } => Some(totals),
            };
            self.snapshot.orphans.extend(still);
        }
    }

    fn give_stack(
        &mut self,
        there: &BTreeSet<String>,
        place: String,
        at: Option<Position>,
        stack: Stack,
        slots: Option<u32>,
    ) -> Option<Orphan> {
        let (container, slot) = match place.rsplit_once('/') {
            Some((container, slot)) => (container.to_owned(), slot.parse().unwrap_or(u32::MAX)),
            None => (place.clone(), 0),
        };
        let own = container.rsplit_once('.').map_or(container.as_str(), |(_, own)| own);
        let removal = self.removal_of(own);
        let is_there = place == "ground" || there.contains(&container) || self.has_hand(&container);
        let stays = match (&removal, is_there) {
            (Some(RemovedContents::Orphan), false) => true,
            (_, true) | (Some(_), false) => false,
            // What was with a holder that is not there waits for it.
            (None, false) => {
                let name = container.split('.').next().unwrap_or_default();
                self.is_away(name) || self.rules.migration().removed_places == MigrationPolicy::Orphan
            }
        };
        if self.rules.find_kind(&stack.kind).is_none() || stays {
            return Some(Orphan::Stack { place, at, stack, slots });
        }
        let totals = self.snapshot.totals.entry(stack.kind.clone()).or_default();
        totals.arrived = totals.arrived.saturating_add(u64::from(stack.count));
        if let Some(slots) = slots {
            self.packs.insert(stack.id, Pack { pack: stack.id, slots, opened_by: Vec::new(), stacks: Vec::new() });
        }
        let message = format!("{} restored", items(&stack));
        if let Some(at) = at {
            self.tell(place, message, None);
            self.snapshot.ground.push(Landed { at, stack });
            return None;
        }
        match self.lay_back(&container, slot, stack) {
            None => self.tell(place, message, None),
            Some(stack) => {
                let homes = self.homes_of(&container);
                self.tell(place.clone(), format!("{message}, but the place has no room"), Some(MigrationPolicy::Spill));
                self.spilled.push(Spilled { stack, place, homes, described: self.differences.len() - 1 });
            }
        }
        None
    }

    fn has_hand(&self, place: &str) -> bool {
        let holder = place.strip_suffix(".hand");
        holder.is_some_and(|holder| self.snapshot.holders.iter().any(|it| it.name == holder))
    }

    /// Lays it where it was, if that is free; else gives it back.
    fn lay_back(&mut self, container: &str, slot: u32, stack: Stack) -> Option<Stack> {
        let (mut standing, mut holders) = (self.snapshot.containers.iter_mut(), self.snapshot.holders.iter_mut());
        let (slots, stacks) = if let Ok(pack) = container.parse::<StackId>() {
            let Some(pack) = self.packs.get_mut(&pack) else { return Some(stack) };
            (pack.slots, &mut pack.stacks)
        } else if let Some((holder, own)) = container.split_once('.') {
            let carried =
                holders.find(|it| it.name == holder).and_then(|it| it.containers.iter_mut().find(|it| it.name == own));
            let Some(carried) = carried else { return Some(stack) };
            (carried.slots, &mut carried.stacks)
        } else {
            let Some(standing) = standing.find(|it| it.name == container) else { return Some(stack) };
            (standing.slots, &mut standing.stacks)
        };
        // What the container works on comes after the contents of its slots.
        let in_slots = stacks.partition_point(|lying| !lying.in_work);
        match stacks[..in_slots].binary_search_by_key(&slot, |lying| lying.slot) {
            Err(at) if slot < slots => {
                stacks.insert(at, InSlot { slot, stack, in_work: false });
                None
            }
            _ => Some(stack),
        }
    }

    /// Where else it may go: into the same container, then into those of the same holder.
    pub(super) fn homes_of(&self, container: &str) -> Vec<String> {
        if container.starts_with('#') {
            return vec![format!("{container}/")];
        }
        let Some((holder, _)) = container.split_once('.') else { return vec![container.to_owned()] };
        let holder = self.snapshot.holders.iter().find(|it| it.name == holder).into_iter();
        let carried = holder.flat_map(|it| it.containers.iter().map(move |own| format!("{}.{}", it.name, own.name)));
        let (mut homes, others): (Vec<_>, Vec<_>) = carried.partition(|name| name == container);
        homes.extend(others);
        homes
    }

    fn give_variant(
        &mut self,
        owner: StackId,
        count: u32,
        marks: Vec<String>,
        properties: BTreeMap<String, Decimal>,
    ) -> Option<Orphan> {
        let rules = self.rules;
        let (mut described, mut still) = (Vec::new(), Some((marks, properties)));
        for_each_stack(&mut self.snapshot, &mut self.packs, &mut |place, stack| {
            if stack.id != owner || stack.count > count {
                return;
            }
            let Some((marks, properties)) = still.take() else { return };
            let kind = rules.find_kind(&stack.kind);
            let (back, unknown): (Vec<_>, Vec<_>) = marks.into_iter().partition(|mark| rules.find_mark(mark).is_some());
            let is_known = |name: &str| {
                let property =
                    rules.find_property(name).and_then(|property| rules.known_kind(kind?).property(property));
                matches!(property, Some(PropertyValue::Number(_))) && !stack.properties.contains_key(name)
            };
            let (values, others): (BTreeMap<_, _>, BTreeMap<_, _>) =
                properties.into_iter().partition(|(name, _)| is_known(name));
            let names = back.iter().map(|mark| format!("the mark {mark}"));
            for name in names.chain(values.keys().map(|name| format!("the property {name}"))) {
                described.push((place(), format!("{} restored with {name}", items(stack))));
            }
            stack.properties.extend(values);
            stack.marks.extend(back);
            stack.marks.sort_by_key(|mark| rules.find_mark(mark));
            stack.marks.dedup();
            still = Some((unknown, others));
        });
        described.into_iter().for_each(|(place, message)| self.tell(place, message, None));
        let (marks, properties) = still.unwrap_or_default();
        let is_left = !(marks.is_empty() && properties.is_empty());
        is_left.then_some(Orphan::Variant { stack: owner, count, marks, properties })
    }

    fn give_meter(&mut self, holder: String, meter: String, value: Decimal) -> Option<Orphan> {
        let there = self.snapshot.holders.iter_mut().find(|it| it.name == holder);
        let Some(known) = there.and_then(|it| it.meters.get_mut(&meter)) else {
            return Some(Orphan::Meter { holder, meter, value });
        };
        *known = value;
        self.tell(holder, format!("meter {meter} restored: {value}"), None);
        None
    }

    fn give_shortcut(&mut self, holder: String, shortcut: u32, kind: String) -> Option<Orphan> {
        let is_known = self.rules.find_kind(&kind).is_some();
        let there = self.snapshot.holders.iter().find(|it| it.name == holder);
        let bound = there.and_then(|it| it.shortcuts.get(shortcut as usize));
        if is_known && bound == Some(&None) {
            self.shortcuts.push((holder, shortcut, kind));
            return None;
        }
        Some(Orphan::Shortcut { holder, shortcut, kind })
    }
}

/// Shortcuts point at their kinds again if the holder has them; otherwise they stay orphans.
pub(super) fn bind_again(world: &mut World, shortcuts: Vec<(String, u32, String)>, differences: &mut Vec<Difference>) {
    for (holder, shortcut, kind) in shortcuts {
        let ids: Option<(KindId, crate::HolderId)> = world.rules.find_kind(&kind).zip(world.holder(&holder));
        let bound = ids.is_some_and(|(kind, holder)| {
            world.shortcuts(holder).all(|bound| bound != Some(kind))
                && world.perform(&Operation::binding(kind, holder, shortcut)).is_ok()
        });
        if bound {
            let (place, message) = (format!("{holder}.shortcuts/{shortcut}"), format!("shortcut to {kind} restored"));
            differences.push(Difference { place, message, action: None, to: Vec::new() });
        } else {
            world.orphans.push(Orphan::Shortcut { holder, shortcut, kind });
        }
    }
}
