//! sort: merges stacks of the same item onto the earliest, then sorts the slots without their own
//! rules. Stacks over their limit and unfit stacks only change places.

use std::cmp::{Ordering, Reverse};
use std::collections::VecDeque;

use rustc_hash::FxHashMap;

use super::draft::Draft;
use super::{Done, Planned};
use crate::language::SortKey;
use crate::narrow;
use crate::world::{Cell, Place, Spot};

pub(super) fn plan(draft: &mut Draft<'_>, at: Place, by: SortKey) -> Planned {
    let container = draft.container(at)?;
    let loose = Loose::of(draft, container);
    let mut stacks = loose.stacks(draft);
    merge(draft, container, &mut stacks);
    stacks.retain(|(_, cell)| !cell.is_empty());
    let mut keyed: Vec<Keyed> = stacks.into_iter().map(|(slot, cell)| Keyed::new(draft, by, slot, cell)).collect();
    keyed.sort_by(Keyed::compare);
    exchange(draft, &loose, &keyed);
    Ok(Done { requested: None, count: 0 })
}

/// The slots of a container without name, filter and limit: some of those that are listed, and all
/// after them.
struct Loose {
    container: u32,
    listed: Vec<u32>,
    ruled: u32,
}

impl Loose {
    fn of(draft: &Draft<'_>, container: u32) -> Loose {
        let ruled = draft.ruled(container);
        let listed = (0..).zip(ruled).filter(|(_, slot)| !slot.has_rules()).map(|(slot, _)| slot).collect();
        Loose { container, listed, ruled: narrow::index(ruled.len()) }
    }

    fn nth(&self, index: usize) -> u32 {
        let beyond = || self.ruled + narrow::index(index - self.listed.len());
        self.listed.get(index).copied().unwrap_or_else(beyond)
    }

    fn stacks(&self, draft: &Draft<'_>) -> Vec<(u32, Cell)> {
        let mut found = Vec::new();
        let mut from = Some(0);
        while let Some(slot) = from.and_then(|from| draft.next_stack_in(self.container, None, from)) {
            if slot >= self.ruled || self.listed.contains(&slot) {
                found.push((slot, draft.cell(Spot { container: self.container, slot })));
            }
            from = slot.checked_add(1);
        }
        found
    }
}

/// Merges each stack onto the earliest alike ones with room.
fn merge(draft: &mut Draft<'_>, container: u32, stacks: &mut [(u32, Cell)]) {
    let mut with_room: FxHashMap<u32, VecDeque<usize>> = FxHashMap::default();
    for index in 0..stacks.len() {
        let (slot, cell) = stacks[index];
        let spot = Spot { container, slot };
        let limit = draft.limit(spot, cell.kind);
        if cell.is_pack() || cell.count > limit || draft.is_unfit(spot) {
            continue;
        }
        let earlier = with_room.entry(cell.class).or_default();
        let mut left = cell.count;
        while let Some(&onto) = earlier.front().filter(|_| left > 0) {
            let (to, there) = stacks[onto];
            let given = left.min(limit - there.count);
            draft.give(spot, cell, given, Spot { container, slot: to }, there.id);
            stacks[onto].1.count += given;
            left -= given;
            if stacks[onto].1.count == limit {
                earlier.pop_front();
            }
        }
        stacks[index].1.count = left;
        if left > 0 && left < limit {
            earlier.push_back(index);
        }
    }
}

/// A stack and by what it is compared, the most important first.
struct Keyed {
    slot: u32,
    cell: Cell,
    key: Key,
    kind: String,
    marks: Vec<String>,
    properties: Vec<(String, crate::Decimal)>,
}

#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum Key {
    Text(String),
    Number(Reverse<i64>),
}

impl Keyed {
    fn new(draft: &Draft<'_>, by: SortKey, slot: u32, cell: Cell) -> Keyed {
        let rules = &draft.world.rules;
        let kind = rules.known_kind_at(cell.kind);
        let key = match by {
            SortKey::Kind => Key::Text(kind.id().to_owned()),
            SortKey::Name => Key::Text(kind.name().to_owned()),
            SortKey::Weight => Key::Number(Reverse(draft.cell_weight(cell))),
            SortKey::Value => Key::Number(Reverse(draft.value_of(cell))),
            SortKey::Count => Key::Number(Reverse(i64::from(cell.count))),
        };
        let class = draft.class_key(cell);
        let mut marks: Vec<String> = class.marks.iter().map(|&mark| rules.mark(mark).name().to_owned()).collect();
        marks.sort_unstable();
        let mut properties: Vec<(String, crate::Decimal)> = draft.number_properties(&class);
        properties.sort_unstable();
        Keyed { slot, cell, key, kind: kind.id().to_owned(), marks, properties }
    }

    /// Ties go by kind, marks, properties, then the fuller stack first, then by the present slot
    /// order: ids are names, and no rule compares them.
    fn compare(&self, other: &Keyed) -> Ordering {
        let rest = |keyed: &Keyed| (Reverse(keyed.cell.count), keyed.slot);
        self.key
            .cmp(&other.key)
            .then_with(|| self.kind.cmp(&other.kind))
            .then_with(|| self.marks.cmp(&other.marks))
            .then_with(|| self.properties.cmp(&other.properties))
            .then_with(|| rest(self).cmp(&rest(other)))
    }
}

/// Moves each stack to its slot by swapping.
fn exchange(draft: &mut Draft<'_>, loose: &Loose, sorted: &[Keyed]) {
    let mut lies: Vec<u32> = sorted.iter().map(|keyed| keyed.slot).collect();
    let mut occupant: FxHashMap<u32, usize> = lies.iter().enumerate().map(|(index, &slot)| (slot, index)).collect();
    for index in 0..sorted.len() {
        let (from, to) = (lies[index], loose.nth(index));
        if from == to {
            continue;
        }
        let other = occupant.remove(&to);
        let id_of = |index: usize| sorted[index].cell.id;
        let spot = |slot: u32| Spot { container: loose.container, slot };
        draft.push_exchange((spot(from), id_of(index)), (spot(to), other.map_or(0, id_of)));
        occupant.insert(to, index);
        occupant.remove(&from);
        lies[index] = to;
        if let Some(other) = other {
            occupant.insert(from, other);
            lies[other] = from;
        }
    }
}
