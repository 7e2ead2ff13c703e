//! The contents of one container, checked on their own.

use smallvec::SmallVec;

use super::Counted;
use super::whole::Counts;
use crate::id::StackId;
use crate::ruleset::{ContainerDef, FilterId, Kind, PropertyValue, Ruleset};
use crate::world::{Cell, ClassKey, ClassView, GROUND, World};

/// A container at its last check. A missing one is empty.
#[derive(Debug, Default)]
pub(super) struct Place {
    is_there: bool,
    /// The number of its definition; `None` for the ground and hands.
    def: Option<u32>,
    pub(super) cells: Vec<Cell>,
    /// The weight of its contents in thousandths, without the insides of packs.
    pub(super) weight: i128,
    /// For each of the filters of all caps: how many of its items satisfy it, insides of packs
    /// apart.
    pub(super) capped: Counts,
    /// The insides of the packs in it.
    pub(super) insides: Vec<u32>,
    has_packs: bool,
    /// A reused buffer for the slots with different contents.
    differing: Vec<u32>,
}

impl Place {
    /// Whether the container is a different one, or its size differs.
    pub(super) fn stands_otherwise(&self, world: &World, number: u32) -> bool {
        let is_there = world.is_there(number);
        let slots = if is_there && number != GROUND { world.slot_count(number) as usize } else { self.cells.len() };
        self.is_there != is_there || is_there && self.def != world.def_number(number) || slots != self.cells.len()
    }

    /// Whether its contents differ.
    pub(super) fn holds_other(&self, world: &World, number: u32) -> bool {
        self.is_there
            && if number == GROUND {
                self.cells.len() != world.ground.len() || !world.ground.cells().eq(self.cells.iter().copied())
            } else {
                !Cell::all_equal(&self.cells, world.slots_of(number))
            }
    }

    /// Removes and uncounts the stacks that are no longer there. The id of a stack that stays with
    /// a different count stays counted.
    pub(super) fn take_out(&mut self, world: &World, number: u32, counted: &mut Counted) {
        let now = Now::of(world, number);
        let now = now.cells();
        let as_before = if self.stands_otherwise(world, number) { 0 } else { now.len() };
        self.differing.clear();
        for at in 0..self.cells.len().max(now.len()) {
            let known = self.cells.get(at).copied().unwrap_or_default();
            let found = now.get(at).copied().filter(|_| at < as_before);
            if found == Some(known) {
                continue;
            }
            self.differing.extend(u32::try_from(at));
            if known.is_empty() {
                continue;
            }
            self.count_out(world, known);
            *counted.held.value(known.kind as usize) -= i128::from(known.count);
            let stays = found.is_some_and(|found| !found.is_empty() && found.id == known.id);
            if !stays {
                counted.ids.remove(&known.id);
            }
            self.cells[at] = if stays { Cell { count: 0, ..known } } else { Cell::default() };
        }
        self.is_there = world.is_there(number);
        self.def = world.def_number(number).filter(|_| self.is_there);
        self.cells.resize(now.len(), Cell::default());
    }

    fn count_out(&mut self, world: &World, cell: Cell) {
        let rules = world.rules();
        let kind = rules.known_kind_at(cell.kind);
        self.weight -= i128::from(kind.weight().thousandths()) * i128::from(cell.count);
        let plain = ClassKey::plain(kind.handle());
        let view = ClassView { rules, key: world.classes.key(cell.class).unwrap_or(&plain) };
        for (filter, count) in rules.cap_filters.iter().zip(&mut self.capped) {
            *count -= if rules.filter(*filter).test.admits(&view) { u64::from(cell.count) } else { 0 };
        }
    }

    /// Adds, counts and checks the new contents. Unchanged stacks were checked before; facts around
    /// them that may have changed, the insides of packs and occupied slots, are checked again.
    pub(super) fn take_in(&mut self, world: &World, number: u32, counted: &mut Counted) -> bool {
        self.insides.clear();
        self.capped.resize(world.rules().cap_filters.len(), 0);
        if !self.is_there {
            return true;
        }
        let now = Now::of(world, number);
        let checks = SlotChecks { world, rules: world.rules(), number, def: self.def(world) };
        checks.all(now.cells(), self, counted)
    }

    pub(super) fn def<'w>(&self, world: &'w World) -> Option<&'w ContainerDef> {
        self.def.map(|def| &world.rules().containers()[def as usize])
    }
}

/// The present contents slot by slot; on the ground in order of arrival.
enum Now<'w> {
    InSlots(&'w [Cell]),
    OnGround(SmallVec<[Cell; 8]>),
}

impl Now<'_> {
    fn of(world: &World, number: u32) -> Now<'_> {
        match number {
            GROUND => Now::OnGround(world.ground.cells().collect()),
            _ if !world.is_there(number) => Now::InSlots(&[]),
            _ => Now::InSlots(world.slots_of(number)),
        }
    }

    fn cells(&self) -> &[Cell] {
        match self {
            Now::InSlots(cells) => cells,
            Now::OnGround(cells) => cells,
        }
    }
}

struct SlotChecks<'w> {
    world: &'w World,
    rules: &'w Ruleset,
    number: u32,
    def: Option<&'w ContainerDef>,
}

impl SlotChecks<'_> {
    fn all(&self, cells: &[Cell], place: &mut Place, counted: &mut Counted) -> bool {
        let (least, most) = self.def.map_or((0, u32::MAX), ContainerDef::slot_bounds);
        let within = (least as usize..=most as usize).contains(&cells.len());
        let differing = std::mem::take(&mut place.differing);
        let sound = within && differing.iter().all(|&slot| self.differs(slot, cells, place, counted));
        place.differing = differing;
        let has_names = || self.def.is_some_and(|def| def.ruled.iter().any(|rule| rule.name.is_some()));
        sound && (!has_names() || self.needs(cells)) && (!place.has_packs || self.packs(cells, place))
    }

    /// Counts and checks the new contents of a slot; nothing if it is empty.
    fn differs(&self, slot: u32, cells: &[Cell], place: &mut Place, counted: &mut Counted) -> bool {
        let Some(&cell) = cells.get(slot as usize).filter(|cell| !cell.is_empty()) else { return true };
        if cell.kind as usize >= self.rules.kinds().len() {
            return false;
        }
        let kind = self.rules.known_kind_at(cell.kind);
        let known = std::mem::replace(&mut place.cells[slot as usize], cell);
        *counted.held.value(cell.kind as usize) += i128::from(cell.count);
        place.weight += i128::from(kind.weight().thousandths()) * i128::from(cell.count);
        place.has_packs |= cell.is_pack() || kind.pack().is_some();
        (known.id == cell.id || counted.ids.insert(cell.id)) && self.stack(slot, cell, kind, place)
    }

    /// An unchanged stack may have a different inside.
    fn packs(&self, cells: &[Cell], place: &mut Place) -> bool {
        let is_pack = |cell: Cell| cell.is_pack() || self.rules.known_kind_at(cell.kind).pack().is_some();
        let mut packs = cells.iter().filter(|cell| !cell.is_empty() && is_pack(**cell));
        let keeps = packs.all(|&cell| self.pack(cell, self.rules.known_kind_at(cell.kind), place));
        place.has_packs = !place.insides.is_empty();
        keeps
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
            && key.due_change(self.rules).is_none()
            && cell.count <= self.limit(slot, kind)
            && self.admits(self.def.and_then(|def| def.admits), key)
            && self.admits(rule.and_then(|rule| rule.admits), key)
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

    /// A pack is one item with the inside of its kind, which is here; no other stack has an inside.
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

    /// If an item is in one of the slots it occupies, the others are empty and not occupied by a
    /// different item.
    fn needs(&self, cells: &[Cell]) -> bool {
        let Some(def) = self.def else { return true };
        let named = |slot: usize| def.ruled.get(slot).and_then(|rule| rule.name.as_deref());
        let needs = |cell: &Cell| self.rules.known_kind_at(cell.kind).occupied_slots();
        // For each slot, whether its own stack or a stack elsewhere occupies it.
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
