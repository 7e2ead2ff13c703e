//! States of which every slot is one byte: where nothing but plain stacks moves between slots and
//! the ground, and there are few enough sorts and items for each sort of stack of each size to have
//! a number below 256. Every world has as many bytes then, and what changes from one to the next
//! are two of them.

use std::ops::Range;

use rustc_hash::FxHashMap;

use crate::explore::model::scope::Scope;
use crate::id::KindId;
use crate::language::Effects;
use crate::narrow;
use crate::ruleset::NO_PACK;
use crate::world::{Cell, ClassKey, GROUND, World};

/// More slots than this are too many for a byte each.
const MAX_SLOTS: usize = 512;
/// The maximum number of stacks on the ground.
const MAX_LANDED: usize = 32;

#[derive(Clone, Debug)]
pub(in crate::explore) struct FixedWidth {
    frame: Vec<Framed>,
    /// The number of slots before the ground, and the maximum number of stacks on the ground.
    slots: usize,
    landed: usize,
    /// Whether the order on the ground makes no difference.
    in_any_order: bool,
    /// For each number the stack that has it, as it would be in the world that was first looked at.
    cells: Vec<Cell>,
    /// For each kind the number of a plain stack of it with no items.
    plain: Vec<u8>,
    marked: FxHashMap<ClassKey, u8>,
    /// For each byte a number for each value of it, of which the sum is the hash of a world. Bytes
    /// whose order makes no difference have the same ones. An empty place has none, so that it adds
    /// nothing.
    keys: Vec<u64>,
}

/// Where a container stands among the bytes.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) struct Framed {
    pub(in crate::explore) container: u32,
    pub(in crate::explore) begin: usize,
    pub(in crate::explore) end: usize,
    pub(in crate::explore) alike: bool,
}

impl Framed {
    pub(in crate::explore) fn range(&self) -> Range<usize> {
        self.begin..self.end
    }
}

impl FixedWidth {
    /// None where states can't be written so.
    pub(in crate::explore) fn new(world: &World, scope: &Scope) -> Option<FixedWidth> {
        // A byte says which stack a slot holds; nothing else may change, and nothing else may
        // matter.
        let takes_time = world.rules().takes_time();
        let changes_more = |it: Effects| {
            it.hand || it.access || it.shortcuts || it.size || it.variants || it.meters || it.time && takes_time
        };
        let acts_otherwise = !scope.game_stands_for_all(world);
        if scope.effects().any(changes_more) || scope.hands || acts_otherwise || scope.has_ids || world.bound() > 0 {
            return None;
        }
        let frame: Vec<u32> = world.containers().map(|container| container.index).collect();
        let cells: Vec<Cell> = frame.iter().flat_map(|&it| world.slots_of(it)).copied().collect();
        let landed: Vec<Cell> = world.stacks_of(GROUND).map(|(_, cell)| cell).collect();
        let all = || cells.iter().chain(&landed).filter(|cell| !cell.is_empty());
        let brings = |kind: &KindId| world.rules().figures[kind.index()].pack != NO_PACK;
        if all().any(|cell| cell.is_pack()) || scope.created.iter().any(|(kind, _)| brings(kind)) {
            return None;
        }
        let mut even = FixedWidth {
            frame: Vec::new(),
            slots: 0,
            landed: 0,
            in_any_order: scope.alike.is_ground_alike(),
            cells: vec![Cell::default()],
            plain: vec![0; world.rules().kinds().len()],
            marked: FxHashMap::default(),
            keys: Vec::new(),
        };
        even.number(world, scope, all())?;
        even.lay_out(world, scope, &frame);
        let (drops, most) = (scope.effects().any(|it| it.lands) || !landed.is_empty(), even.cells.len() - 1);
        even.landed = if drops { most.min(world.max_landed()).max(landed.len()) } else { 0 };
        even.draw_keys();
        (even.slots <= MAX_SLOTS && even.landed <= MAX_LANDED).then_some(even)
    }

    fn lay_out(&mut self, world: &World, scope: &Scope, frame: &[u32]) {
        for &container in frame {
            let begin = self.slots;
            self.slots += world.slots_of(container).len();
            let alike = scope.is_symmetric(world, container);
            self.frame.push(Framed { container, begin, end: self.slots, alike });
        }
    }

    /// Gives each sort as many numbers as there may be items of it.
    fn number<'c>(&mut self, world: &World, scope: &Scope, cells: impl Iterator<Item = &'c Cell>) -> Option<()> {
        let plain = |kind: KindId| Cell { class: kind.0, kind: kind.0, inner: GROUND, ..Cell::default() };
        let mut sorts: Vec<(Cell, u64)> = scope.created.iter().map(|(kind, most)| (plain(*kind), *most)).collect();
        for &cell in cells {
            match sorts.iter_mut().find(|(sort, _)| sort.class == cell.class) {
                Some((_, count)) => *count += u64::from(cell.count),
                None => sorts.push((cell, u64::from(cell.count))),
            }
        }
        for (sort, count) in sorts {
            let base = u8::try_from(self.cells.len() - 1).ok()?;
            let count = u8::try_from(count).ok().filter(|count| count.checked_add(base).is_some())?;
            self.cells.extend((1..=count).map(|count| Cell { count: u32::from(count), ..sort }));
            match world.classes.key(sort.class).filter(|_| sort.class as usize >= self.plain.len()) {
                Some(key) => _ = self.marked.insert(key.clone(), base),
                None => self.plain[sort.class as usize] = base,
            }
        }
        Some(())
    }

    fn draw_keys(&mut self) {
        let alike = |at: usize| self.frame.iter().find(|framed| framed.alike && framed.range().contains(&at));
        let first = |at: usize| match alike(at) {
            Some(framed) => framed.begin,
            None if at > self.slots && self.in_any_order => self.slots,
            None => at,
        };
        let codes = self.cells.len();
        let keys = (0..self.len()).flat_map(|at| {
            let first = first(at);
            (0..codes).map(move |code| if code == 0 { 0 } else { scattered((first * codes + code) as u64) })
        });
        self.keys = keys.collect();
    }

    /// How many bytes a world has.
    pub(in crate::explore) fn len(&self) -> usize {
        self.slots + self.landed
    }

    pub(in crate::explore) fn frame(&self) -> &[Framed] {
        &self.frame
    }

    /// The bytes of the ground.
    pub(in crate::explore) fn ground(&self) -> Framed {
        Framed { container: GROUND, begin: self.slots, end: self.len(), alike: self.in_any_order }
    }

    /// How many values a byte may have.
    pub(in crate::explore) fn codes(&self) -> usize {
        self.cells.len()
    }

    /// The stack of a byte, as it would be in the world that was first looked at.
    pub(in crate::explore) fn cell(&self, code: u8) -> Cell {
        self.cells[usize::from(code)]
    }

    /// Whether all contents have a code: every stack can occur in this search.
    pub(in crate::explore) fn knows(&self, world: &World) -> bool {
        let known = |cell: Cell| {
            let described = self.cells.get(usize::from(self.code(world, cell))).copied().unwrap_or_default();
            let is_marked = cell.class as usize >= self.plain.len();
            let is_known = match world.classes.key(cell.class).filter(|_| is_marked) {
                Some(key) => self.marked.contains_key(key),
                None => described.class == cell.class,
            };
            is_known && (described.kind, described.count) == (cell.kind, cell.count)
        };
        let frame = self.frame.iter().flat_map(|framed| world.slots_of(framed.container).iter().copied());
        let stacks = frame.filter(|cell| !cell.is_empty()).chain(world.stacks_of(GROUND).map(|(_, cell)| cell));
        stacks.into_iter().all(known)
    }

    /// The byte of a stack; 0 is none.
    #[inline]
    pub(in crate::explore) fn code(&self, world: &World, cell: Cell) -> u8 {
        if cell.is_empty() {
            return 0;
        }
        let base = match self.plain.get(cell.class as usize) {
            Some(base) => *base,
            None => world.classes.key(cell.class).and_then(|key| self.marked.get(key)).copied().unwrap_or(0),
        };
        base.wrapping_add(narrow::low_byte(u64::from(cell.count)))
    }

    pub(in crate::explore) fn pack(&self, world: &World, bytes: &mut Vec<u8>) {
        for framed in &self.frame {
            bytes.extend(world.slots_of(framed.container).iter().map(|&cell| self.code(world, cell)));
            if framed.alike {
                bytes[framed.range()].sort_unstable();
            }
        }
        bytes.extend(world.stacks_of(GROUND).map(|(_, cell)| self.code(world, cell)));
        bytes.resize(self.len(), 0);
        if self.in_any_order {
            bytes[self.slots..].sort_unstable();
        }
    }

    /// What a byte adds to the hash.
    #[inline]
    pub(in crate::explore) fn key(&self, at: usize, code: u8) -> u64 {
        self.keys[at * self.cells.len() + usize::from(code)]
    }

    /// The hash of a world.
    pub(in crate::explore) fn hash(&self, bytes: &[u8]) -> u64 {
        bytes.iter().enumerate().fold(0, |hash, (at, &code)| hash.wrapping_add(self.key(at, code)))
    }
}

/// A number that looks like no other, the same for the same one. (The finalizer of the generator
/// SplitMix64: Steele, Lea, Flood 2014.)
fn scattered(number: u64) -> u64 {
    let mut mixed = number.wrapping_add(1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    mixed ^ (mixed >> 31)
}
