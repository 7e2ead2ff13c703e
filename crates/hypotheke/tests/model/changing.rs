//! Other marks and properties, and what is put elsewhere because of them.

use std::collections::{BTreeMap, BTreeSet};

use super::allowed::{slot_of, whole};
use super::faults::Fault;
use super::state::{At, Cell, Inside, Root, Stack};
use super::{ChangeEffect, ChangeSpec, FallSpec, Model, No, no};

impl Model {
    /// `change` says whether it found anything to change.
    pub(super) fn change(&mut self, at: &At, change: impl FnOnce(&mut Stack) -> Result<bool, No>) -> Result<u64, No> {
        let cell = match at {
            At::Slot(inside, slot) => Cell::Slot(inside.clone(), *slot),
            At::OnGround(id) if self.state.ground.iter().any(|(stack, _)| stack.id == *id) => Cell::Ground(*id),
            _ => return Err(no("unknown")),
        };
        let Some(stack) = self.state.get_mut(&cell) else { return Err(no("empty-source")) };
        if !change(stack)? {
            return Ok(0);
        }
        let stack = stack.clone();
        self.put_elsewhere(&cell, &stack);
        Ok(u64::from(stack.count))
    }

    pub(super) fn put_elsewhere(&mut self, cell: &Cell, stack: &Stack) {
        let Cell::Slot(inside, slot) = cell else { return };
        let refuses = |around: &Inside| {
            let spec = self.state.spec(&self.rules, around);
            let direct = around == inside;
            let by_slot = direct && !self.slot_admits(inside, *slot, stack);
            let by_container = (direct || spec.deep) && !self.rules.admits(spec.filter.as_ref(), stack);
            spec.ejects_unfit && !Fault::UnfitAlwaysStays.is_on() && (by_slot || by_container)
        };
        let Some(outermost) = inside.chain().into_iter().rfind(refuses) else { return };
        let holder = self.state.holder(&self.rules, inside);
        let others = holder.map_or_else(Vec::new, |holder| self.all_targets(&At::Holder(holder)));
        let others = others.into_iter().filter(|other| !other.is_within(&outermost));
        let keeps = |stack: &Stack| self.rules.kinds[stack.kind].is_protected;
        let may_land = self.may_leave(&slot_of(inside, *slot), &None)
            && (inside.is_on_ground() || !stack.all().into_iter().any(keeps));
        let one = Stack { count: 1, ..stack.clone() };
        let mut laid = Vec::new();
        let mut left = stack.count;
        for other in others.collect::<Vec<_>>() {
            while left > 0 && self.may_leave(&slot_of(inside, *slot), &whole(&other)) {
                let Some(place) = self.place_for_one(&one, Some(cell), &At::Container(other.clone())) else { break };
                self.lay_one(place, &one, &mut laid);
                left -= 1;
            }
        }
        let landing = if may_land { self.landing_room(stack, left) } else { 0 };
        let gone = stack.count - left + landing;
        let mut id_is_free = gone == stack.count;
        self.name_parts(stack, laid, &mut id_is_free);
        self.state.lessen(cell, gone);
        self.land(stack, landing, &mut id_is_free);
    }

    /// The game changes what is due, wherever it is.
    pub(super) fn change_stacks(&mut self) {
        let actor = self.actor.take();
        let (list, caps_later) = (std::mem::take(&mut self.list), std::mem::take(&mut self.caps_later));
        for id in self.all_ids() {
            self.change_one(id);
        }
        (self.actor, self.list, self.caps_later) = (actor, list, caps_later);
    }

    /// Every property falls that does so at this tick, then what is due changes, and what is unfit is
    /// put elsewhere.
    pub(super) fn fall(&mut self) {
        let due = |clock: u64, every: u64| clock.is_multiple_of(every) || Fault::FallsAtEachTick.is_on();
        let falling = self.rules.falling.clone();
        let falling: Vec<_> = falling.iter().filter(|(_, spec)| due(self.state.clock, spec.every)).collect();
        let mut fallen = Vec::new();
        for id in self.all_ids() {
            let cell = self.state.find(id).expect("a place");
            let stack = self.state.get_mut(&cell).expect("a stack");
            let before = stack.properties.clone();
            for (property, FallSpec { by, min, .. }) in &falling {
                if let Some(value) = stack.properties.get_mut(property) {
                    let min = if Fault::FallsBelowItsMinimum.is_on() { i64::MIN } else { *min };
                    *value = (*value).min((*value - by).max(min));
                }
            }
            if before != stack.properties {
                fallen.push(id);
            }
        }
        for id in fallen {
            if !self.change_one(id) {
                let cell = self.state.find(id).expect("a place");
                let stack = self.state.get(&cell).expect("a stack").clone();
                self.put_elsewhere(&cell, &stack);
            }
        }
    }

    /// The containers of the world, those of each holder with its hand, packs by their number, and
    /// the ground.
    fn all_ids(&self) -> Vec<u64> {
        let mut ids = Vec::new();
        let mut packs = BTreeMap::new();
        let mut take = |slots: &Vec<Option<Stack>>, packs: &mut BTreeMap<u64, Vec<Option<Stack>>>| {
            for stack in slots.iter().flatten() {
                ids.push(stack.id);
                packs.extend(stack.inside.clone().map(|inside| (stack.id, inside)));
            }
        };
        let standing = self.state.standing.iter().copied().filter(|index| *index < self.rules.containers.len());
        for index in standing {
            take(&self.state.slots[index], &mut packs);
        }
        for &holder in &self.state.present {
            for index in self.rules.carried(holder) {
                take(&self.state.slots[index], &mut packs);
            }
            take(&self.state.hands[holder], &mut packs);
        }
        let ground: Vec<Option<Stack>> = self.state.ground.iter().map(|(stack, _)| Some(stack.clone())).collect();
        let mut on_ground = BTreeMap::new();
        let mut last = Vec::new();
        for stack in ground.iter().flatten() {
            last.push(stack.id);
            on_ground.extend(stack.inside.clone().map(|inside| (stack.id, inside)));
        }
        packs.append(&mut on_ground);
        let mut seen = BTreeSet::new();
        // The insides of packs by the numbers of the packs, at every depth.
        let mut found: BTreeMap<u64, Vec<u64>> = BTreeMap::new();
        while let Some((pack, inside)) = packs.pop_first() {
            if seen.insert(pack) {
                let of_pack = found.entry(pack).or_default();
                for stack in inside.iter().flatten() {
                    of_pack.push(stack.id);
                    packs.extend(stack.inside.clone().map(|inside| (stack.id, inside)));
                }
            }
        }
        ids.into_iter().chain(found.into_values().flatten()).chain(last).collect()
    }

    fn due_change(&self, stack: &Stack) -> Option<ChangeEffect> {
        let is_due = |change: &&ChangeSpec| {
            let has_it = matches!(change.effect, ChangeEffect::Marks(mark) if stack.marks.contains(&mark));
            !has_it && self.rules.admits(Some(&change.when), stack)
        };
        self.rules.changes.iter().find(is_due).map(|change| change.effect)
    }

    /// Returns whether it was due.
    fn change_one(&mut self, id: u64) -> bool {
        let Some(cell) = self.state.find(id) else { return false };
        let before = self.state.get(&cell).expect("a stack").clone();
        let mut after = before.clone();
        let mut is_removed = false;
        while let Some(effect) = self.due_change(&after) {
            match effect {
                ChangeEffect::Becomes(kind) => {
                    let properties = match Fault::ChangeKeepsTheProperties.is_on() {
                        true => after.properties.clone(),
                        false => self.rules.plain(kind).properties,
                    };
                    after = Stack { kind, properties, ..after };
                    if Fault::ChangeKeepsTheProperties.is_on() {
                        break;
                    }
                }
                ChangeEffect::Marks(mark) => _ = after.marks.insert(mark),
                ChangeEffect::Removes => {
                    is_removed = true;
                    break;
                }
            }
            if Fault::OneChangeOfAChain.is_on() {
                break;
            }
        }
        let look = |stack: &Stack| (stack.kind, stack.marks.clone(), stack.properties.clone());
        if !is_removed && look(&after) == look(&before) {
            return false;
        }
        if is_removed || after.kind != before.kind {
            let landed = self.state.ground.iter().find(|(stack, _)| stack.id == id).map(|(_, at)| *at);
            self.state.used[before.kind] += u64::from(before.count);
            self.state.lessen(&cell, before.count);
            if is_removed {
                return true;
            }
            after.id = self.state.new_id();
            self.state.made[after.kind] += u64::from(after.count);
            match (&cell, landed) {
                (Cell::Slot(inside, slot), _) => {
                    if let Root::Hand(holder) = inside.root
                        && inside.steps.is_empty()
                    {
                        self.state.origins[holder] = None;
                    }
                    self.state.slots_mut(inside)[*slot] = Some(after.clone());
                }
                (Cell::Ground(_), at) => self.state.ground.push((after.clone(), at.expect("a position"))),
            }
        } else {
            *self.state.get_mut(&cell).expect("a stack") = after.clone();
        }
        if let Some(cell) = self.state.find(after.id) {
            self.put_elsewhere(&cell, &after);
        }
        true
    }
}
