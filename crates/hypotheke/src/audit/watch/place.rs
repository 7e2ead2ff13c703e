//! What one container holds, judged by itself.

use super::cells_at;
use super::whole::Counts;
use crate::id::{KindId, StackId};
use crate::ruleset::{ContainerDef, FilterId, Kind, PropertyValue, Ruleset};
use crate::world::{Cell, ClassKey, ClassView, GROUND, World};

/// A container as it was judged last. Of one that is not there all is empty.
#[derive(Debug, Default)]
pub(super) struct Place {
    is_there: bool,
    /// Its definition, by number; none of the ground and of hands.
    def: Option<u32>,
    pub(super) cells: Vec<Cell>,
    /// What lies in it weighs so much, in thousandths, insides of packs apart.
    pub(super) weight: i128,
    /// For each of the filters of all caps: how many of its items satisfy it, insides of packs apart.
    pub(super) capped: Counts,
    /// The insides of the packs that lie in it.
    pub(super) insides: Vec<u32>,
}

impl Place {
    /// Whether something else is there, or of another size.
    pub(super) fn stands_otherwise(&self, world: &World, number: u32) -> bool {
        let is_there = world.is_there(number);
        let slots = if is_there && number != GROUND { world.slot_count(number) as usize } else { self.cells.len() };
        self.is_there != is_there || is_there && self.def != world.def_number(number) || slots != self.cells.len()
    }

    /// Whether something else lies in it.
    pub(super) fn holds_other(&self, world: &World, number: u32) -> bool {
        self.is_there
            && if number == GROUND {
                self.cells.len() != world.ground.len() || !world.ground.cells().eq(self.cells.iter().copied())
            } else {
                !Cell::all_equal(&self.cells, world.slots_of(number))
            }
    }

    /// Takes over what lies there and judges it.
    pub(super) fn set(&mut self, world: &World, number: u32) -> bool {
        self.is_there = world.is_there(number);
        self.def = world.def_number(number).filter(|_| self.is_there);
        self.cells.clear();
        self.insides.clear();
        self.weight = 0;
        self.capped.clear();
        self.capped.resize(world.rules().cap_filters.len(), 0);
        if !self.is_there {
            return true;
        }
        self.cells.extend(cells_at(world, number));
        let cells = std::mem::take(&mut self.cells);
        let keeps = Judge { world, rules: world.rules(), number, def: self.def(world) }.all(&cells, self);
        self.cells = cells;
        keeps
    }

    pub(super) fn def<'w>(&self, world: &'w World) -> Option<&'w ContainerDef> {
        self.def.map(|def| &world.rules().containers()[def as usize])
    }
}

struct Judge<'w> {
    world: &'w World,
    rules: &'w Ruleset,
    number: u32,
    def: Option<&'w ContainerDef>,
}

impl Judge<'_> {
    fn all(&self, cells: &[Cell], place: &mut Place) -> bool {
        let (least, most) = self.def.map_or((0, u32::MAX), ContainerDef::slot_bounds);
        let within = (least as usize..=most as usize).contains(&cells.len());
        let mut needs = false;
        let stacks = (0..).zip(cells).filter(|(_, cell)| !cell.is_empty());
        within
            && stacks.into_iter().all(|(slot, &cell)| {
                if cell.kind as usize >= self.rules.kinds().len() {
                    return false;
                }
                let kind = self.rules.kind(KindId(cell.kind));
                needs |= kind.needs().next().is_some();
                place.weight += i128::from(kind.weight().thousandths()) * i128::from(cell.count);
                self.stack(slot, cell, kind, place)
            })
            && (!needs || self.needs(cells))
    }

    fn stack(&self, slot: u32, cell: Cell, kind: Kind<'_>, place: &mut Place) -> bool {
        let plain = ClassKey::plain(kind.handle());
        let key = match self.world.classes.key(cell.class) {
            None if cell.class == cell.kind => &plain,
            Some(key) if key.kind == kind.handle() && is_in_order(kind, key) => key,
            _ => return false,
        };
        for (filter, count) in self.rules.cap_filters.iter().zip(&mut place.capped) {
            *count += if self.admits(Some(*filter), key) { u64::from(cell.count) } else { 0 };
        }
        let rule = self.def.and_then(|def| def.ruled.get(slot as usize));
        self.keeps_id(cell)
            && cell.count <= self.limit(slot, kind)
            && self.admits(self.def.and_then(|def| def.admits), key)
            && self.admits(rule.and_then(|rule| rule.admits), key)
            && self.pack(cell, kind, place)
    }

    /// It has an id that has been given.
    fn keeps_id(&self, cell: Cell) -> bool {
        let id = StackId(cell.id);
        id.serial() != 0 && (id.world() != self.world.number || id.serial() < self.world.next_stack)
    }

    fn limit(&self, slot: u32, kind: Kind<'_>) -> u32 {
        let of_container = self.def.and_then(ContainerDef::stack_limit).unwrap_or(u32::MAX);
        let of_slot = self.def.and_then(|def| def.ruled.get(slot as usize)).map_or(u32::MAX, |rule| rule.stack_limit);
        kind.stack_limit().min(of_container).min(of_slot)
    }

    fn admits(&self, filter: Option<FilterId>, key: &ClassKey) -> bool {
        let view = ClassView { rules: self.rules, key };
        filter.is_none_or(|filter| self.rules.filter(filter).test.admits(&view))
    }

    /// A pack is one item with the inside of its kind, which lies here; nothing else has an inside.
    fn pack(&self, cell: Cell, kind: Kind<'_>, place: &mut Place) -> bool {
        let Some(pack) = kind.pack() else { return !cell.is_pack() };
        if !cell.is_pack() || cell.inner >= self.world.container_count() || cell.count != 1 {
            return false;
        }
        place.insides.push(cell.inner);
        let state = self.world.state(cell.inner);
        let here = state.parent.container == self.number && self.world.cell(state.parent).id == cell.id;
        here && !self.world.is_lasting(cell.inner) && std::ptr::eq(self.world.def_of(cell.inner), pack)
    }

    /// Where an item lies in one of the slots that it needs, the others are empty and needed by nothing else.
    fn needs(&self, cells: &[Cell]) -> bool {
        let Some(def) = self.def else { return true };
        let named = |slot: usize| def.ruled.get(slot).and_then(|rule| rule.name.as_deref());
        let needs = |cell: &Cell| self.rules.kind(KindId(cell.kind)).needs();
        // Of each slot, whether what lies there, or lies elsewhere and needs it, takes it.
        let mut taken: Vec<bool> = cells.iter().map(|cell| !cell.is_empty()).collect();
        for (slot, cell) in cells.iter().enumerate().filter(|(_, cell)| !cell.is_empty()) {
            let Some(own) = named(slot).filter(|own| needs(cell).any(|need| need == *own)) else { continue };
            for need in needs(cell).filter(|need| *need != own) {
                let Some(further) = (0..cells.len()).find(|&slot| named(slot) == Some(need)) else { return false };
                if std::mem::replace(&mut taken[further], true) {
                    return false;
                }
            }
        }
        true
    }
}

/// Marks stand once each, and properties are numbers that the kind has.
fn is_in_order(kind: Kind<'_>, key: &ClassKey) -> bool {
    key.marks.is_sorted_by(|a, b| a < b)
        && key.properties.iter().all(|(id, _)| matches!(kind.property(*id), Some(PropertyValue::Number(_))))
}
