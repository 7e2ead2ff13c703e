//! States as few bytes. Two states become the same bytes if, and only if, their [canonical
//! forms](crate::explore::state::canonical) are equal, but for slots whose order makes no
//! difference, which are sorted.

use std::hash::BuildHasher;
use std::sync::{Arc, Mutex, PoisonError};

use rustc_hash::{FxBuildHasher, FxHashMap};
use smallvec::SmallVec;

use crate::explore::model::moves::Step;
use crate::explore::model::scope::Scope;
use crate::explore::search::lookahead::Lookahead;
use crate::explore::state::fixed_width::FixedWidth;
use crate::language::Verb;
use crate::narrow;
use crate::world::{Cell, ClassKey, GROUND, Spot, World};

/// Writes states as bytes. Indistinguishable states become the same bytes.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Packer {
    /// Every container but the ground and the insides of packs.
    frame: Vec<u32>,
    holders: Vec<u32>,
    kinds: u32,
    /// Each sort of stack that is not plain has a number that stays the same throughout, which
    /// those of a world need not.
    numbers: FxHashMap<ClassKey, u32>,
    /// The same of all copies of this one. Which number a sort gets depends on who sees it first,
    /// and nothing depends on the number.
    shared: Arc<Mutex<FxHashMap<ClassKey, u32>>>,
    /// The plainer way, where that can be gone.
    even: Option<FixedWidth>,
}

type Landed = SmallVec<[Cell; 8]>;

/// A world as bytes, in parts: each container that is always there, the ground, and the rest.
#[derive(Debug, Default)]
pub(in crate::explore) struct Parts {
    bytes: Vec<u8>,
    ends: Vec<usize>,
    ground: Landed,
    /// The arrival numbers of the stacks on the ground, in the same order.
    pub(in crate::explore) landings: SmallVec<[u32; 8]>,
}

impl Parts {
    fn part(&self, nth: usize) -> &[u8] {
        let start = nth.checked_sub(1).map_or(0, |before| self.ends[before]);
        &self.bytes[start..self.ends[nth]]
    }
}

/// What changes in a world.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) struct After {
    /// The contents of two slots afterwards; the same slot twice if only one changes.
    pub(in crate::explore) slots: [(Spot, Cell); 2],
    pub(in crate::explore) ground: Option<GroundChange>,
}

/// What changes on the ground.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) enum GroundChange {
    /// A stack lands after all others.
    Lands(Cell),
    /// The number of items that remain of the nth stack, if any.
    Stays(usize, Cell),
}

/// A variant is written as the number after the last kind, followed by a fixed number of bytes, so
/// that the size of a state does not depend on the numbers.
const NUMBER_BYTES: usize = 4;

/// Seven bits a byte, the lowest first.
fn put(bytes: &mut Vec<u8>, mut number: u64) {
    while number >= 0x80 {
        bytes.push(narrow::low_byte(number) | 0x80);
        number >>= 7;
    }
    bytes.push(narrow::low_byte(number));
}

impl Packer {
    pub(in crate::explore) fn new(world: &World) -> Packer {
        let hands = world.holders().map(|holder| world.hand_of(holder.index));
        Packer {
            frame: world.containers().map(|container| container.index).chain(hands).collect(),
            holders: world.holders().map(|holder| holder.index).collect(),
            kinds: narrow::index(world.rules().kinds().len()),
            numbers: FxHashMap::default(),
            shared: Arc::default(),
            even: None,
        }
    }

    /// A packer for a search that performs only planned operations, with lookahead for fixed-width
    /// states.
    pub(in crate::explore) fn for_search(world: &World, scope: &Scope) -> Packer {
        let is_predictable = |even: &FixedWidth| Lookahead::new(even, world, scope).is_some();
        Packer { even: FixedWidth::new(world, scope).filter(is_predictable), ..Packer::new(world) }
    }

    /// The lookahead, if the states have a fixed width.
    pub(in crate::explore) fn lookahead(&self, world: &World, scope: &Scope) -> Option<Lookahead> {
        self.even.as_ref().and_then(|even| Lookahead::new(even, world, scope))
    }

    /// Whether two places determine the result of a step. An origin on the ground counts the stacks
    /// before it, and a new stack has a new id.
    pub(in crate::explore) fn can_look_ahead(&self, scope: &Scope, step: &Step) -> bool {
        !(scope.has_ids || scope.hands && matches!(step, Step::PickUp { .. }))
    }

    /// The hash of the bytes of a world.
    pub(in crate::explore) fn hash(&self, bytes: &[u8]) -> u64 {
        self.even.as_ref().map_or_else(|| FxBuildHasher.hash_one(bytes), |even| even.hash(bytes))
    }

    /// How many bytes each world has, if all have as many.
    pub(in crate::explore) fn length(&self) -> Option<usize> {
        self.even.as_ref().map(FixedWidth::len)
    }

    /// One for another world of the same ruleset, of which equal states become the same bytes.
    pub(in crate::explore) fn for_world(&self, world: &World) -> Packer {
        Packer { shared: Arc::clone(&self.shared), ..Packer::new(world) }
    }

    /// The bytes of any world, be it one that no operation of the scope leads to. Only these are to
    /// be compared with each other.
    pub(in crate::explore) fn pack_any(&mut self, world: &World, scope: &Scope, bytes: &mut Vec<u8>) {
        let even = self.even.take_if(|even| !even.knows(world));
        self.pack(world, scope, bytes);
        bytes.push(u8::from(even.is_some()));
        self.even = even.or_else(|| self.even.take());
    }

    pub(in crate::explore) fn pack(&mut self, world: &World, scope: &Scope, bytes: &mut Vec<u8>) {
        bytes.clear();
        if let Some(even) = &self.even {
            return even.pack(world, bytes);
        }
        for nth in 0..self.frame.len() {
            self.framed(world, scope, self.frame[nth], world.slots_of(self.frame[nth]), bytes);
        }
        let landed: Landed = world.stacks_of(GROUND).map(|(_, cell)| cell).collect();
        self.ground(world, scope, &landed, bytes);
        self.rest(world, scope, bytes);
    }

    /// A world in parts, of which those of a world that follows are the same but for the places
    /// where something changes.
    pub(in crate::explore) fn pack_parts(&mut self, world: &World, scope: &Scope, parts: &mut Parts) {
        parts.ends.clear();
        parts.bytes.clear();
        parts.landings = world.stacks_of(GROUND).map(|(spot, _)| spot.slot).collect();
        for nth in 0..self.frame.len() {
            self.framed(world, scope, self.frame[nth], world.slots_of(self.frame[nth]), &mut parts.bytes);
            parts.ends.push(parts.bytes.len());
        }
        parts.ground = world.stacks_of(GROUND).map(|(_, cell)| cell).collect();
        self.ground(world, scope, &parts.ground, &mut parts.bytes);
        parts.ends.push(parts.bytes.len());
        self.rest(world, scope, &mut parts.bytes);
        parts.ends.push(parts.bytes.len());
    }

    /// The bytes of a state after two of its slots change, equal to those of [`Packer::pack`].
    pub(in crate::explore) fn pack_after(
        &mut self,
        world: &World,
        scope: &Scope,
        parts: &Parts,
        after: &After,
        bytes: &mut Vec<u8>,
    ) {
        let frame = self.frame.len();
        for nth in 0..frame {
            let container = self.frame[nth];
            if after.slots.iter().any(|(spot, _)| spot.container == container) {
                let mut cells: SmallVec<[Cell; 16]> = SmallVec::from_slice(world.slots_of(container));
                for (spot, cell) in after.slots.iter().filter(|(spot, _)| spot.container == container) {
                    cells[spot.slot as usize] = *cell;
                }
                self.framed(world, scope, container, &cells, bytes);
            } else {
                bytes.extend_from_slice(parts.part(nth));
            }
        }
        match after.ground {
            None => bytes.extend_from_slice(parts.part(frame)),
            Some(change) => {
                let mut landed: Landed = SmallVec::from_slice(&parts.ground);
                match change {
                    GroundChange::Lands(cell) => landed.push(cell),
                    GroundChange::Stays(nth, rest) if rest.is_empty() => _ = landed.remove(nth),
                    GroundChange::Stays(nth, rest) => landed[nth] = rest,
                }
                self.ground(world, scope, &landed, bytes);
            }
        }
        bytes.extend_from_slice(parts.part(frame + 1));
    }

    /// A container that is always there, and for a hand where that came from.
    fn framed(&mut self, world: &World, scope: &Scope, container: u32, cells: &[Cell], bytes: &mut Vec<u8>) {
        self.cells(world, scope, container, cells, bytes);
        if !world.is_hand(container) || cells.iter().all(|cell| cell.is_empty()) {
            return;
        }
        // Another pack may have taken the place of the one from which it came.
        let origin = world.origin_of(world.state(container).holder).filter(|it| world.has_container(it.container));
        put(bytes, u64::from(origin.is_some()));
        if let Some(origin) = origin {
            self.path_to(world, origin.container.index, bytes);
            put(bytes, u64::from(origin.slot));
        }
    }

    fn ground(&mut self, world: &World, scope: &Scope, landed: &[Cell], bytes: &mut Vec<u8>) {
        if scope.alike.is_ground_alike() {
            self.in_any_order(world, scope, landed, bytes);
        } else {
            put(bytes, landed.len() as u64);
            landed.iter().for_each(|&cell| self.stack(world, scope, cell, bytes));
        }
    }

    /// Who owns containers in the world, what is open, and where shortcuts point.
    fn rest(&mut self, world: &World, scope: &Scope, bytes: &mut Vec<u8>) {
        if scope.has_doors {
            for nth in 0..self.frame.len() {
                openers(world, self.frame[nth], bytes);
            }
        }
        if scope.tries(Verb::Give) {
            for &container in &self.frame {
                put(bytes, u64::from(world.state(container).owner));
            }
        }
        if scope.has_ids {
            put(bytes, world.next_stack);
        }
        if scope.effects().any(|effects| effects.meters) {
            for &holder in &self.holders {
                world.meters_of(holder).iter().for_each(|value| put(bytes, value.thousandths().cast_unsigned()));
            }
        }
        if world.rules().takes_time() && scope.effects().any(|effects| effects.time) {
            for nth in 0..self.frame.len() {
                self.work(world, scope, self.frame[nth], bytes);
            }
            for (_, falling) in world.rules().falling() {
                put(bytes, falling.ticks_left(world.clock()));
            }
        }
        for nth in 0..self.holders.len() {
            for kind in world.shortcuts_of(self.holders[nth]) {
                put(bytes, kind.map_or(0, |kind| u64::from(kind.0) + 1));
            }
        }
    }

    /// What a container works on: how much is left, not when it is due, since no operation reads the
    /// clock.
    fn work(&mut self, world: &World, scope: &Scope, container: u32, bytes: &mut Vec<u8>) {
        let Some(job) = world.job_of(container) else { return put(bytes, 0) };
        put(bytes, u64::from(job.recipe().0) + 1);
        put(bytes, u64::from(job.times()));
        put(bytes, u64::from(job.yield_number().unwrap_or(0)));
        put(bytes, job.left(world.clock()));
        let (first, spots) = (world.state(container).work, world.work_spots(container));
        let held: SmallVec<[(u32, Cell); 8]> = spots.map(|spot| (spot.slot - first, world.cell(spot))).collect();
        put(bytes, held.len() as u64);
        for (slot, cell) in held {
            put(bytes, u64::from(slot));
            self.stack(world, scope, cell, bytes);
        }
    }

    /// Where a container is: the slots of the packs around it from the inside out, each as one more
    /// than it is, then the outermost.
    fn path_to(&self, world: &World, container: u32, bytes: &mut Vec<u8>) {
        let mut at = container;
        loop {
            if let Some(nth) = self.frame.iter().position(|&outer| outer == at) {
                put(bytes, 0);
                return put(bytes, nth as u64);
            }
            let parent = world.state(at).parent;
            if parent == Spot::NOWHERE || parent.is_ground() {
                put(bytes, 0);
                let before = world.stacks_of(GROUND).take_while(|(spot, _)| spot.slot < parent.slot).count();
                return put(bytes, (self.frame.len() + before) as u64);
            }
            put(bytes, u64::from(parent.slot) + 1);
            at = parent.container;
        }
    }

    fn cells(&mut self, world: &World, scope: &Scope, container: u32, cells: &[Cell], bytes: &mut Vec<u8>) {
        let def = world.state(container).def;
        let is_resizable = world.rules().containers().get(def as usize).is_some_and(|def| {
            let (min, max) = def.slot_bounds();
            min < max
        });
        if is_resizable {
            put(bytes, cells.len() as u64);
        }
        if scope.is_symmetric(world, container) {
            let taken: SmallVec<[Cell; 16]> = cells.iter().copied().filter(|cell| !cell.is_empty()).collect();
            self.in_any_order(world, scope, &taken, bytes);
            return;
        }
        let mut empty = 0_u64;
        for &cell in cells {
            if cell.is_empty() {
                empty += 1;
                continue;
            }
            skip(bytes, &mut empty);
            self.stack(world, scope, cell, bytes);
        }
        skip(bytes, &mut empty);
    }

    /// The same bytes in whatever order the stacks are.
    fn in_any_order(&mut self, world: &World, scope: &Scope, cells: &[Cell], bytes: &mut Vec<u8>) {
        put(bytes, cells.len() as u64);
        if cells.iter().any(|cell| cell.is_pack()) {
            let mut parts: Vec<Vec<u8>> = Vec::with_capacity(cells.len());
            for &cell in cells {
                let mut part = Vec::new();
                self.stack(world, scope, cell, &mut part);
                parts.push(part);
            }
            parts.sort_unstable();
            parts.iter().for_each(|part| bytes.extend(part));
            return;
        }
        let mut sorted: SmallVec<[u64; 16]> =
            cells.iter().map(|cell| u64::from(self.number(world, *cell)) << 32 | u64::from(cell.count)).collect();
        sorted.sort_unstable();
        for stack in sorted {
            self.put_number(bytes, stack >> 32);
            put(bytes, stack & 0xffff_ffff);
        }
    }

    fn stack(&mut self, world: &World, scope: &Scope, cell: Cell, bytes: &mut Vec<u8>) {
        let number = self.number(world, cell);
        self.put_number(bytes, u64::from(number));
        put(bytes, u64::from(cell.count));
        if cell.is_pack() {
            self.cells(world, scope, cell.inner, world.slots_of(cell.inner), bytes);
            if scope.has_doors {
                openers(world, cell.inner, bytes);
            }
        }
        if scope.has_ids {
            put(bytes, cell.id);
        }
    }

    fn put_number(&self, bytes: &mut Vec<u8>, number: u64) {
        let kinds = u64::from(self.kinds);
        put(bytes, number.min(kinds) + 1);
        if number >= kinds {
            bytes.extend_from_slice(&(number - kinds).to_le_bytes()[..NUMBER_BYTES]);
        }
    }

    fn number(&mut self, world: &World, cell: Cell) -> u32 {
        if cell.class < self.kinds {
            return cell.class;
        }
        let Some(key) = world.classes.key(cell.class) else { return cell.class };
        if let Some(&number) = self.numbers.get(key) {
            return number;
        }
        let mut shared = self.shared.lock().unwrap_or_else(PoisonError::into_inner);
        let next = self.kinds + narrow::index(shared.len());
        let number = *shared.entry(key.clone()).or_insert(next);
        self.numbers.insert(key.clone(), number);
        number
    }
}

/// The holders that have opened a container.
fn openers(world: &World, container: u32, bytes: &mut Vec<u8>) {
    let openers = world.openers(container);
    put(bytes, openers.len() as u64);
    openers.iter().for_each(|&holder| put(bytes, u64::from(holder)));
}

/// A number of empty slots.
fn skip(bytes: &mut Vec<u8>, empty: &mut u64) {
    if *empty > 0 {
        bytes.push(0);
        put(bytes, std::mem::take(empty));
    }
}
