//! Finding slots of one container: empty ones, those with a stack of a kind, those with room for more of a class.

use super::bit_tree::BitTree;
use super::cell::Cell;
use super::key_set::KeySet;

/// A container of up to so many slots is scanned; one word says which are taken.
const SCANNED: u32 = 64;

#[derive(Clone, Debug)]
pub(super) enum Index {
    Scan { taken: u64 },
    Tree(Box<Tree>),
}

#[derive(Clone, Debug)]
pub(super) struct Tree {
    empty: BitTree,
    taken: BitTree,
    /// Kind and slot of every stack.
    stacks: KeySet,
    /// Class and slot of every stack with room for more.
    room: KeySet,
}

fn key(number: u32, slot: u32) -> u64 {
    u64::from(number) << 32 | u64::from(slot)
}

/// The slot of a key, if it is one of `number`.
fn slot_of(key: u64, number: u32) -> Option<u32> {
    #[expect(clippy::cast_possible_truncation, reason = "the lower half of a key is its slot")]
    (key >> 32 == u64::from(number)).then_some(key as u32)
}

fn empty_tree(slots: u32) -> BitTree {
    let mut tree = BitTree::full(slots);
    for slot in 0..slots {
        tree.remove(slot);
    }
    tree
}

impl Index {
    /// For a container of so many empty slots.
    pub(super) fn new(slots: u32) -> Index {
        if slots <= SCANNED {
            return Index::Scan { taken: 0 };
        }
        let tree = Tree {
            empty: BitTree::full(slots),
            taken: empty_tree(slots),
            stacks: KeySet::default(),
            room: KeySet::default(),
        };
        Index::Tree(Box::new(tree))
    }

    #[inline]
    pub(super) fn next_empty(&self, slots: u32, from: u32) -> Option<u32> {
        match self {
            Index::Scan { taken } => {
                let empty = !taken & u64::MAX.checked_shl(from)?;
                Some(empty.trailing_zeros()).filter(|&slot| slot < slots)
            }
            Index::Tree(tree) => tree.empty.next(from),
        }
    }

    #[inline]
    pub(super) fn next_taken(&self, from: u32) -> Option<u32> {
        match self {
            Index::Scan { taken } => {
                let taken = taken & u64::MAX.checked_shl(from)?;
                (taken != 0).then(|| taken.trailing_zeros())
            }
            Index::Tree(tree) => tree.taken.next(from),
        }
    }

    #[inline]
    pub(super) fn next_of_kind(&self, cells: &[Cell], kind: u32, from: u32) -> Option<u32> {
        match self {
            Index::Scan { taken } => scan(*taken, from, |slot| cells[slot].kind == kind),
            Index::Tree(tree) => tree.stacks.next(key(kind, from)).and_then(|found| slot_of(found, kind)),
        }
    }

    #[inline]
    pub(super) fn next_with_room(
        &self,
        cells: &[Cell],
        class: u32,
        from: u32,
        limit: impl Fn(u32) -> u32,
    ) -> Option<u32> {
        match self {
            #[expect(clippy::cast_possible_truncation, reason = "a slot number below 64")]
            Index::Scan { taken } => {
                scan(*taken, from, |slot| cells[slot].class == class && cells[slot].count < limit(slot as u32))
            }
            Index::Tree(tree) => tree.room.next(key(class, from)).and_then(|found| slot_of(found, class)),
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
        if had && !same_kind {
            self.stacks.remove(key(before.kind, slot));
        }
        if has && !same_kind {
            self.stacks.insert(key(after.kind, slot));
        }
        let had_room = had && before.count < limit(before.kind);
        let has_room = has && after.count < limit(after.kind);
        if had_room && has_room && before.class == after.class {
            return;
        }
        if had_room {
            self.room.remove(key(before.class, slot));
        }
        if has_room {
            self.room.insert(key(after.class, slot));
        }
    }
}
