//! Finding slots of one container: empty ones, those with a stack of a kind, those with room for
//! more of a class.

use rustc_hash::FxHashMap;

use super::cell::{Cell, Goods};
use super::slot_set::SlotSet;
use super::taken::Taken;

/// A container of up to this number of slots is scanned; one word marks the taken ones.
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
    /// The slots whose kind has these last bits, so that few other kinds are visited in a search
    /// for one.
    by_kind: [u64; BUCKETS],
}

const BUCKETS: usize = 16;

impl Scan {
    #[inline]
    fn bucket(kind: u32) -> usize {
        kind as usize % BUCKETS
    }

    #[inline(always)]
    pub(super) fn update(&mut self, slot: u32, before: Goods, after: Goods) {
        // No branch, since none of it can be predicted: an empty slot has no bit in any word, and
        // gets none.
        let (bit, has) = (1 << slot, u64::from(!after.is_empty()) << slot);
        self.taken = self.taken & !bit | has;
        self.by_kind[Scan::bucket(before.kind)] &= !bit;
        self.by_kind[Scan::bucket(after.kind)] |= has;
    }
}

#[derive(Clone, Debug)]
pub(super) struct Tree {
    taken: Taken,
    /// Under the number of a kind, which is also that of the class of its plain stacks: all stacks
    /// of the kind, whatever their class; flagged are plain ones with room for more. Under the
    /// number of another class: the stacks with room for more, all flagged.
    by_class: FxHashMap<u32, Stacks>,
    /// How many entries there may be before those that hold nothing are thrown away.
    max_entries: usize,
}

/// The index entry of a kind or a class.
#[derive(Clone, Debug, Default)]
struct Stacks {
    slots: SlotSet,
    /// How many items there are: of the kind, whatever their class, or of the class.
    count: u64,
    /// How many more would fit onto the stacks of the class.
    room: u64,
}

impl Stacks {
    fn is_bare(&self) -> bool {
        self.count == 0 && self.slots.is_bare()
    }

    fn is_empty(&self) -> bool {
        self.count == 0 && self.slots.is_empty()
    }
}

/// What a cell adds to the counts of its class.
#[derive(Clone, Copy, Default)]
struct Share {
    count: u32,
    room: u32,
}

/// The number of entries that are always kept for reuse.
const FEWEST_ENTRIES: usize = 256;

impl Index {
    /// For a container of at most this number of empty slots.
    pub(super) fn new(slots: u32) -> Index {
        if slots <= SCANNED {
            return Index::Scan(Scan::default());
        }
        let tree = Tree { taken: Taken::none_of(slots), by_class: FxHashMap::default(), max_entries: FEWEST_ENTRIES };
        Index::Tree(Box::new(tree))
    }

    /// The number of entries and of flagged entries; `None` if slots are scanned.
    pub(super) fn entered(&self) -> Option<(usize, usize)> {
        let Index::Tree(tree) = self else { return None };
        let lengths = || tree.by_class.values().map(|stacks| stacks.slots.len());
        Some((lengths().map(|(all, _)| all).sum(), lengths().map(|(_, flagged)| flagged).sum()))
    }

    /// The number of items of a kind, or of a class with marks or properties; `None` if it is not
    /// stored.
    pub(super) fn count(&self, class: u32) -> Option<u64> {
        let Index::Tree(tree) = self else { return None };
        Some(tree.by_class.get(&class).map_or(0, |stacks| stacks.count))
    }

    /// The number of items of each kind and of each class with marks or properties, unordered; none
    /// if it is not stored.
    pub(super) fn counts(&self) -> Option<impl Iterator<Item = (u32, u64)> + '_> {
        let Index::Tree(tree) = self else { return None };
        Some(tree.by_class.iter().map(|(&class, stacks)| (class, stacks.count)))
    }

    /// The number of items that still fit onto the stacks of a class; `None` if it is not stored.
    pub(super) fn room(&self, class: u32) -> Option<u64> {
        let Index::Tree(tree) = self else { return None };
        Some(tree.by_class.get(&class).map_or(0, |stacks| stacks.room))
    }

    #[inline]
    pub(super) fn next_empty(&self, slots: u32, from: u32) -> Option<u32> {
        match self {
            Index::Scan(words) => {
                let empty = !words.taken & u64::MAX.checked_shl(from)?;
                Some(empty.trailing_zeros()).filter(|&slot| slot < slots)
            }
            Index::Tree(tree) => tree.taken.next_empty(from).filter(|&slot| slot < slots),
        }
    }

    #[inline]
    pub(super) fn next_taken(&self, from: u32) -> Option<u32> {
        match self {
            Index::Scan(words) => {
                let taken = words.taken & u64::MAX.checked_shl(from)?;
                (taken != 0).then(|| taken.trailing_zeros())
            }
            Index::Tree(tree) => tree.taken.next_taken(from),
        }
    }

    #[inline(always)]
    pub(super) fn next_of_kind(&self, cells: &[Cell], kind: u32, from: u32) -> Option<u32> {
        match self {
            Index::Scan(words) => scan(words.by_kind[Scan::bucket(kind)], from, |slot| cells[slot].kind == kind),
            Index::Tree(tree) => tree.next_of_kind(kind, from),
        }
    }

    #[inline(always)]
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
            Index::Tree(tree) => tree.next_with_room(class, from),
        }
    }
}

/// The first taken slot from `from` on that is wanted.
#[inline(always)]
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

// What is called from where containers of a few slots are scanned as well stays out of there.
impl Tree {
    #[inline(never)]
    fn next_of_kind(&self, kind: u32, from: u32) -> Option<u32> {
        self.by_class.get(&kind)?.slots.next(from)
    }

    #[inline(never)]
    fn next_with_room(&self, class: u32, from: u32) -> Option<u32> {
        self.by_class.get(&class)?.slots.next_flagged(from)
    }

    /// Takes note that a slot holds something else, or as much as before. `limit` gives the most of
    /// a kind that the slot holds.
    #[inline(never)]
    pub(super) fn update(&mut self, slot: u32, before: Goods, after: Goods, limit: impl Fn(u32) -> u32) {
        let share = |cell: Goods| Share { count: cell.count, room: limit(cell.kind).saturating_sub(cell.count) };
        match (before.is_empty(), after.is_empty()) {
            (true, true) => {}
            (true, false) => {
                self.taken.set(slot, true);
                self.join(slot, after, share(after));
            }
            (false, true) => {
                self.taken.set(slot, false);
                self.leave(slot, before, share(before), true);
            }
            (false, false) if before.class == after.class => {
                if before.count != after.count {
                    self.grow(slot, after, share(before), share(after));
                }
            }
            (false, false) => {
                self.leave(slot, before, share(before), before.kind != after.kind);
                self.join(slot, after, share(after));
            }
        }
    }

    /// Records that two slots swap their contents, given as before. `limit` gives the maximum
    /// number of a kind in a slot.
    #[inline(never)]
    pub(super) fn exchange(&mut self, one: (u32, Goods), other: (u32, Goods), limit: impl Fn(u32, u32) -> u32) {
        let ((here, mine), (there, yours)) = (one, other);
        if mine.kind == yours.kind && !mine.is_empty() && !yours.is_empty() {
            self.update(here, mine, yours, |kind| limit(here, kind));
            self.update(there, yours, mine, |kind| limit(there, kind));
            return;
        }
        if mine.is_empty() != yours.is_empty() {
            self.taken.set(here, mine.is_empty());
            self.taken.set(there, yours.is_empty());
        }
        self.relocate(mine, (here, limit(here, mine.kind)), (there, limit(there, mine.kind)));
        self.relocate(yours, (there, limit(there, yours.kind)), (here, limit(here, yours.kind)));
    }

    /// A stack is in a new slot that had none of its kind. Each slot has its maximum.
    fn relocate(&mut self, cell: Goods, (from, had): (u32, u32), (to, has): (u32, u32)) {
        if cell.is_empty() {
            return;
        }
        let plain = cell.class == cell.kind;
        let (old, new) = (had.saturating_sub(cell.count), has.saturating_sub(cell.count));
        if let Some(of_kind) = self.by_class.get_mut(&cell.kind) {
            of_kind.slots.relocate(from, to, plain && new > 0);
            if plain {
                of_kind.room = of_kind.room - u64::from(old) + u64::from(new);
            }
        }
        if plain {
            return;
        }
        if let Some(of_class) = self.by_class.get_mut(&cell.class) {
            of_class.room = of_class.room - u64::from(old) + u64::from(new);
            if old > 0 {
                of_class.slots.remove(from);
            }
            if new > 0 {
                of_class.slots.insert(to, true);
            }
        }
    }

    /// Takes note that what is plain, and of two kinds, has changed places between two containers.
    /// `limits` gives the most of a kind that each of the slots holds.
    #[inline(never)]
    pub(super) fn exchange_with(
        &mut self,
        to: &mut Tree,
        (here, mine): (u32, Goods),
        (there, yours): (u32, Goods),
        limits: impl Fn(u32) -> [u32; 2],
    ) {
        if mine.is_empty() != yours.is_empty() {
            self.taken.set(here, mine.is_empty());
            to.taken.set(there, yours.is_empty());
        }
        let shares = |cell: Goods| {
            limits(cell.kind).map(|limit| Share { count: cell.count, room: limit.saturating_sub(cell.count) })
        };
        if !mine.is_empty() {
            let [old, new] = shares(mine);
            self.hand_over(to, mine.kind, (here, old), (there, new));
        }
        if !yours.is_empty() {
            let [new, old] = shares(yours);
            to.hand_over(self, yours.kind, (there, old), (here, new));
        }
    }

    /// A plain stack moves to a different container.
    fn hand_over(&mut self, to: &mut Tree, kind: u32, (here, old): (u32, Share), (there, new): (u32, Share)) {
        let Some(of_kind) = self.by_class.get_mut(&kind) else {
            debug_assert!(false, "a stack of kind {kind} is not in the index");
            return;
        };
        let others = match to.by_class.get_mut(&kind) {
            Some(others) => others,
            None => to.by_class.entry(kind).or_default(),
        };
        of_kind.count -= u64::from(old.count);
        of_kind.room -= u64::from(old.room);
        others.count += u64::from(new.count);
        others.room += u64::from(new.room);
        of_kind.slots.hand_over(here, &mut others.slots, there, new.room > 0);
        if of_kind.is_bare() {
            self.by_class.remove(&kind);
        }
        to.tidy();
    }

    /// A stack has more or fewer items than before.
    fn grow(&mut self, slot: u32, cell: Goods, old: Share, new: Share) {
        let plain = cell.class == cell.kind;
        let of_kind = self.by_class.entry(cell.kind).or_default();
        of_kind.count = of_kind.count - u64::from(old.count) + u64::from(new.count);
        let of_class = if plain {
            of_kind
        } else {
            let of_class = self.by_class.entry(cell.class).or_default();
            of_class.count = of_class.count - u64::from(old.count) + u64::from(new.count);
            of_class
        };
        of_class.room = of_class.room - u64::from(old.room) + u64::from(new.room);
        if (old.room > 0) != (new.room > 0) {
            match new.room > 0 || plain {
                true => of_class.slots.insert(slot, new.room > 0),
                false => of_class.slots.remove(slot),
            }
        }
    }

    /// `kind` says whether the kind changes too.
    fn leave(&mut self, slot: u32, cell: Goods, share: Share, kind: bool) {
        let plain = cell.class == cell.kind;
        self.take(cell.kind, slot, Share { room: if plain { share.room } else { 0 }, ..share }, kind);
        if !plain {
            self.take(cell.class, slot, share, share.room > 0);
        }
    }

    /// An entry that holds nothing, and no buffer that could be used again, goes at once.
    fn take(&mut self, class: u32, slot: u32, share: Share, slot_too: bool) {
        if let Some(stacks) = self.by_class.get_mut(&class) {
            stacks.count -= u64::from(share.count);
            stacks.room -= u64::from(share.room);
            if slot_too {
                stacks.slots.remove(slot);
            }
            if stacks.is_bare() {
                self.by_class.remove(&class);
            }
        }
    }

    fn join(&mut self, slot: u32, cell: Goods, share: Share) {
        self.enter(slot, cell, share);
        self.tidy();
    }

    #[inline(always)]
    fn enter(&mut self, slot: u32, cell: Goods, share: Share) {
        let plain = cell.class == cell.kind;
        // Usually it exists, and a plain lookup is faster.
        let of_kind = match self.by_class.get_mut(&cell.kind) {
            Some(of_kind) => of_kind,
            None => self.by_class.entry(cell.kind).or_default(),
        };
        of_kind.count += u64::from(share.count);
        of_kind.slots.insert(slot, plain && share.room > 0);
        if plain {
            of_kind.room += u64::from(share.room);
            return;
        }
        let of_class = self.by_class.entry(cell.class).or_default();
        of_class.count += u64::from(share.count);
        of_class.room += u64::from(share.room);
        if share.room > 0 {
            of_class.slots.insert(slot, true);
        }
    }

    /// Throws away the entries that hold nothing, if they may be many.
    #[inline]
    fn tidy(&mut self) {
        if self.by_class.len() > self.max_entries {
            self.by_class.retain(|_, stacks| !stacks.is_empty());
            self.max_entries = FEWEST_ENTRIES.max(self.by_class.len() * 2);
        }
    }
}
