//! Finding slots of one container: empty ones, those with a stack of a kind, those with room for more of a class.

use rustc_hash::FxHashMap;

use super::bit_tree::BitTree;
use super::cell::Cell;
use super::slot_set::SlotSet;

/// A container of up to so many slots is scanned; one word says which are taken.
const SCANNED: u32 = 64;

#[derive(Clone, Debug)]
pub(super) enum Index {
    Scan(Scan),
    Tree(Box<Tree>),
}

/// Words of one bit for each slot.
#[derive(Clone, Debug, Default)]
pub(super) struct Scan {
    taken: u64,
    /// The slots whose kind has these last bits, so that few others are looked at where one kind is wanted.
    by_kind: [u64; BUCKETS],
}

const BUCKETS: usize = 16;

impl Scan {
    #[inline]
    fn bucket(kind: u32) -> usize {
        kind as usize % BUCKETS
    }

    #[inline]
    pub(super) fn update(&mut self, slot: u32, before: Cell, after: Cell) {
        let bit = 1 << slot;
        if !before.is_empty() {
            self.taken &= !bit;
            self.by_kind[Scan::bucket(before.kind)] &= !bit;
        }
        if !after.is_empty() {
            self.taken |= bit;
            self.by_kind[Scan::bucket(after.kind)] |= bit;
        }
    }
}

#[derive(Clone, Debug)]
pub(super) struct Tree {
    empty: BitTree,
    taken: BitTree,
    by_class: FxHashMap<u32, Stacks>,
    /// How many entries there may be before those that hold nothing are thrown away.
    most_entries: usize,
}

/// The stacks of one class or kind. The class of plain items has the number of their kind.
#[derive(Clone, Debug, Default)]
struct Stacks {
    /// Of the kind with this number, whatever their class.
    of_kind: SlotSet,
    /// Of the class with this number, if there is room for more.
    with_room: SlotSet,
}

impl Stacks {
    fn is_empty(&self) -> bool {
        self.of_kind.is_empty() && self.with_room.is_empty()
    }
}

/// So many entries are always kept, for those to use again that come back.
const FEWEST_ENTRIES: usize = 256;

fn empty_tree(slots: u32) -> BitTree {
    let mut tree = BitTree::full(slots);
    for slot in 0..slots {
        tree.remove(slot);
    }
    tree
}

impl Index {
    /// For a container of so many empty slots at most.
    pub(super) fn new(slots: u32) -> Index {
        if slots <= SCANNED {
            return Index::Scan(Scan::default());
        }
        let tree = Tree {
            empty: BitTree::full(slots),
            taken: empty_tree(slots),
            by_class: FxHashMap::default(),
            most_entries: FEWEST_ENTRIES,
        };
        Index::Tree(Box::new(tree))
    }

    /// How many slots are entered under kinds, and how many under classes with room for more; none if nothing is entered.
    pub(super) fn entered(&self) -> Option<(usize, usize)> {
        let Index::Tree(tree) = self else { return None };
        let count = |set: fn(&Stacks) -> &SlotSet| tree.by_class.values().map(|stacks| set(stacks).len()).sum();
        Some((count(|stacks| &stacks.of_kind), count(|stacks| &stacks.with_room)))
    }

    #[inline]
    pub(super) fn next_empty(&self, slots: u32, from: u32) -> Option<u32> {
        match self {
            Index::Scan(words) => {
                let empty = !words.taken & u64::MAX.checked_shl(from)?;
                Some(empty.trailing_zeros()).filter(|&slot| slot < slots)
            }
            Index::Tree(tree) => tree.empty.next(from).filter(|&slot| slot < slots),
        }
    }

    #[inline]
    pub(super) fn next_taken(&self, from: u32) -> Option<u32> {
        match self {
            Index::Scan(words) => {
                let taken = words.taken & u64::MAX.checked_shl(from)?;
                (taken != 0).then(|| taken.trailing_zeros())
            }
            Index::Tree(tree) => tree.taken.next(from),
        }
    }

    #[inline]
    pub(super) fn next_of_kind(&self, cells: &[Cell], kind: u32, from: u32) -> Option<u32> {
        match self {
            Index::Scan(words) => scan(words.by_kind[Scan::bucket(kind)], from, |slot| cells[slot].kind == kind),
            Index::Tree(tree) => tree.by_class.get(&kind)?.of_kind.next(from),
        }
    }

    #[inline]
    pub(super) fn next_with_room(
        &self,
        cells: &[Cell],
        (kind, class): (u32, u32),
        from: u32,
        limit: impl Fn(u32) -> u32,
    ) -> Option<u32> {
        match self {
            #[expect(clippy::cast_possible_truncation, reason = "a slot number below 64")]
            Index::Scan(words) => scan(words.by_kind[Scan::bucket(kind)], from, |slot| {
                cells[slot].class == class && cells[slot].count < limit(slot as u32)
            }),
            Index::Tree(tree) => tree.by_class.get(&class)?.with_room.next(from),
        }
    }
}

/// The first taken slot from `from` on that is wanted.
#[inline]
fn scan(taken: u64, from: u32, wanted: impl Fn(usize) -> bool) -> Option<u32> {
    let mut left = taken & u64::MAX.checked_shl(from)?;
    while left != 0 {
        let slot = left.trailing_zeros();
        if wanted(slot as usize) {
            return Some(slot);
        }
        left &= left - 1;
    }
    None
}

impl Tree {
    /// Takes note that a slot holds something else, or as much as before. `limit` gives the most of a kind that the slot
    /// holds.
    pub(super) fn update(&mut self, slot: u32, before: Cell, after: Cell, limit: impl Fn(u32) -> u32) {
        let had = !before.is_empty();
        let has = !after.is_empty();
        if had != has {
            if has {
                self.empty.remove(slot);
                self.taken.insert(slot);
            } else {
                self.taken.remove(slot);
                self.empty.insert(slot);
            }
        }
        let same_kind = had && has && before.kind == after.kind;
        let had_room = had && before.count < limit(before.kind);
        let has_room = has && after.count < limit(after.kind);
        let same_room = had_room == has_room && (!had_room || before.class == after.class);
        if had {
            self.leave(slot, before, !same_kind, had_room && !same_room);
        }
        if has {
            self.join(slot, after, !same_kind, has_room && !same_room);
            if self.by_class.len() > self.most_entries {
                self.tidy();
            }
        }
    }

    fn leave(&mut self, slot: u32, cell: Cell, kind: bool, room: bool) {
        if kind && let Some(stacks) = self.by_class.get_mut(&cell.kind) {
            stacks.of_kind.remove(slot);
            if room && cell.class == cell.kind {
                stacks.with_room.remove(slot);
                return;
            }
        }
        if room && let Some(stacks) = self.by_class.get_mut(&cell.class) {
            stacks.with_room.remove(slot);
        }
    }

    fn join(&mut self, slot: u32, cell: Cell, kind: bool, room: bool) {
        if kind {
            let stacks = self.by_class.entry(cell.kind).or_default();
            stacks.of_kind.insert(slot);
            if room && cell.class == cell.kind {
                stacks.with_room.insert(slot);
                return;
            }
        }
        if room {
            self.by_class.entry(cell.class).or_default().with_room.insert(slot);
        }
    }

    /// Throws away the entries that hold nothing, if they may be many.
    fn tidy(&mut self) {
        self.by_class.retain(|_, stacks| !stacks.is_empty());
        self.most_entries = FEWEST_ENTRIES.max(self.by_class.len() * 2);
    }
}
