//! The insides of packs: kinds that become packs or cease to be packs, and insides with different
//! slots.

use std::collections::BTreeMap;

use super::{Carrying, Spilled, for_each_stack};
use crate::id::StackId;
use crate::ruleset::{ContainerDef, MigrationPolicy};
use crate::snapshot::{InSlot, Pack, Stack};

impl<'r> Carrying<'r> {
    pub(super) fn insides(&mut self) {
        self.new_packs();
        let kinds = self.kinds_by_id();
        for (id, mut pack) in std::mem::take(&mut self.packs) {
            let Some(def) = kinds.get(&id).and_then(|kind| self.pack_of(kind)) else {
                let homes = self.homes_around(id);
                for InSlot { slot, stack, .. } in pack.stacks {
                    self.lose(format!("{id}/{slot}"), "pack removed", stack, (None, &homes));
                }
                continue;
            };
            let name = id.to_string();
            self.slots(&name, (def.id(), def), &mut pack.slots, &mut pack.stacks, &[format!("{name}/")]);
            self.packs.insert(id, pack);
        }
    }

    fn pack_of(&self, kind: &str) -> Option<&'r ContainerDef> {
        self.rules.known_kind(self.rules.find_kind(kind)?).pack()
    }

    /// Stacks of a kind that is a pack now have an inside each; where there were several, each is a
    /// stack of its own.
    fn new_packs(&mut self) {
        let (rules, packs) = (self.rules, self.packs.keys().copied().collect::<Vec<_>>());
        let mut found = Vec::new();
        let mut look = |place: &dyn Fn() -> String, stack: &mut Stack| {
            let def = rules.find_kind(&stack.kind).and_then(|kind| rules.known_kind(kind).pack());
            if let Some(def) = def.filter(|_| packs.binary_search(&stack.id).is_err()) {
                found.push((place(), def.slots(), stack.clone()));
                stack.count = 1;
            }
        };
        for_each_stack(&mut self.snapshot, &mut self.packs, &mut look);
        self.spilled.iter_mut().for_each(|spilled| look(&|| spilled.place.clone(), &mut spilled.stack));
        for (place, slots, stack) in found {
            self.tell(place.clone(), format!("{} became a pack", stack.kind), None);
            let inside = |pack| Pack { pack, slots, opened_by: Vec::new(), stacks: Vec::new() };
            self.packs.insert(stack.id, inside(stack.id));
            for _ in 1..stack.count {
                let id = StackId::new(self.snapshot.world, self.snapshot.next_stack);
                self.snapshot.next_stack += 1;
                self.packs.insert(id, inside(id));
                self.tell(
                    place.clone(),
                    format!("one {} became a separate stack", stack.kind),
                    Some(MigrationPolicy::Spill),
                );
                let stack = Stack { id, count: 1, ..stack.clone() };
                let homes = place.rsplit_once('/').map(|(container, _)| container.to_owned()).into_iter().collect();
                self.spilled.push(Spilled {
                    stack,
                    place: place.clone(),
                    homes,
                    described: self.differences.len() - 1,
                });
            }
        }
    }

    fn kinds_by_id(&mut self) -> BTreeMap<StackId, String> {
        let mut kinds = BTreeMap::new();
        for_each_stack(&mut self.snapshot, &mut self.packs, &mut |_, stack| {
            kinds.insert(stack.id, stack.kind.clone());
        });
        kinds.extend(self.spilled.iter().map(|spilled| (spilled.stack.id, spilled.stack.kind.clone())));
        kinds
    }

    /// The targets for the contents of a pack without an inside: its own container, then the others
    /// of the holder.
    pub(super) fn homes_around(&self, pack: StackId) -> Vec<String> {
        let lies_in = |stacks: &[InSlot]| stacks.iter().any(|lying| lying.stack.id == pack);
        if let Some(around) = self.packs.values().find(|around| lies_in(&around.stacks)) {
            return vec![format!("{}/", around.pack)];
        }
        if let Some(container) = self.snapshot.containers.iter().find(|it| lies_in(&it.stacks)) {
            return vec![container.name.clone()];
        }
        for holder in &self.snapshot.holders {
            let in_hand = holder.hand.as_ref().is_some_and(|stack| stack.id == pack);
            if in_hand || holder.containers.iter().any(|it| lies_in(&it.stacks)) {
                let (first, others): (Vec<_>, Vec<_>) = holder.containers.iter().partition(|it| lies_in(&it.stacks));
                let name = |own: &crate::snapshot::Container| format!("{}.{}", holder.name, own.name);
                return first.into_iter().chain(others).map(name).collect();
            }
        }
        Vec::new()
    }
}
