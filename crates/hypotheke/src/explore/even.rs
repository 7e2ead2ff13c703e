//! Worlds of which every slot is one byte: where nothing but plain stacks moves between slots and the ground, and there are few enough
//! sorts and items for each sort of stack of each size to have a number below 256. Every world has as many bytes then, and what changes from
//! one to the next are two of them.

use rustc_hash::FxHashMap;

use super::moves::{Plan, Verb};
use super::packed::{After, GroundChange};
use crate::id::KindId;
use crate::ruleset::NO_PACK;
use crate::world::{Cell, ClassKey, GROUND, Spot, World};

/// More slots than this are too many for a byte each.
const MOST_SLOTS: usize = 512;
/// So many stacks on the ground at most.
const MOST_LANDED: usize = 32;

#[derive(Clone, Debug)]
pub(super) struct Even {
    frame: Vec<Framed>,
    /// Which of the frame a container is, by its number.
    nth: Vec<usize>,
    /// How many slots there are before the ground, and how many stacks may lie there.
    slots: usize,
    landed: usize,
    /// For each kind the number of a plain stack of it with no items.
    plain: Vec<u8>,
    marked: FxHashMap<ClassKey, u8>,
}

#[derive(Clone, Copy, Debug)]
struct Framed {
    container: u32,
    begin: usize,
    end: usize,
    alike: bool,
}

impl Even {
    /// None where worlds can't be written so.
    pub(super) fn new(world: &World, plan: &Plan) -> Option<Even> {
        let by_hand = [Verb::Lift, Verb::Put, Verb::Return, Verb::Bind].iter().any(|verb| plan.plays(*verb));
        let held = world.holders().any(|holder| world.hand(holder).is_some());
        if by_hand || held || plan.has_doors || world.bound() > 0 || !plan.set.is_empty() || !plan.unset.is_empty() {
            return None;
        }
        let frame: Vec<u32> = world.containers().map(|container| container.index).collect();
        let cells: Vec<Cell> = frame.iter().flat_map(|&it| world.slots_of(it)).copied().collect();
        let landed: Vec<Cell> = world.stacks_of(GROUND).map(|(_, cell)| cell).collect();
        let all = || cells.iter().chain(&landed).filter(|cell| !cell.is_empty());
        let brings = |kind: &KindId| world.rules().figures[kind.index()].pack != NO_PACK;
        if all().any(|cell| cell.is_pack()) || plan.created.iter().any(|(kind, _)| brings(kind)) {
            return None;
        }
        let mut even = Even {
            frame: Vec::new(),
            nth: vec![0; world.container_count() as usize],
            slots: 0,
            landed: 0,
            plain: vec![0; world.rules().kinds().len()],
            marked: FxHashMap::default(),
        };
        let most = even.number(world, plan, all())?;
        even.lay_out(world, plan, &frame);
        let drops = plan.plays(Verb::Drop) || !landed.is_empty();
        even.landed = if drops { most.min(world.rules().ground_limit as usize).max(landed.len()) } else { 0 };
        (even.slots <= MOST_SLOTS && even.landed <= MOST_LANDED).then_some(even)
    }

    fn lay_out(&mut self, world: &World, plan: &Plan, frame: &[u32]) {
        for &container in frame {
            let begin = self.slots;
            self.slots += world.slots_of(container).len();
            self.nth[container as usize] = self.frame.len();
            let alike = plan.is_alike(world, container);
            self.frame.push(Framed { container, begin, end: self.slots, alike });
        }
    }

    /// Gives each sort as many numbers as there may be items of it. Says how many items there may be in all.
    fn number<'c>(&mut self, world: &World, plan: &Plan, cells: impl Iterator<Item = &'c Cell>) -> Option<usize> {
        let mut counts: Vec<(u32, u64)> = Vec::new();
        for (kind, most) in &plan.created {
            counts.push((kind.0, *most));
        }
        for cell in cells {
            match counts.iter_mut().find(|(class, _)| *class == cell.class) {
                Some((_, count)) => *count += u64::from(cell.count),
                None => counts.push((cell.class, u64::from(cell.count))),
            }
        }
        let mut next: u64 = 0;
        for (class, count) in &counts {
            let base = u8::try_from(next).ok()?;
            next += count;
            if next > u64::from(u8::MAX) {
                return None;
            }
            match world.classes.key(*class).filter(|_| *class as usize >= self.plain.len()) {
                Some(key) => _ = self.marked.insert(key.clone(), base),
                None => self.plain[*class as usize] = base,
            }
        }
        usize::try_from(counts.iter().map(|(_, count)| count).sum::<u64>()).ok()
    }

    /// How many bytes a world has.
    pub(super) fn len(&self) -> usize {
        self.slots + self.landed
    }

    /// The byte of a stack; 0 is none.
    #[inline]
    fn code(&self, world: &World, cell: Cell) -> u8 {
        if cell.is_empty() {
            return 0;
        }
        let base = match self.plain.get(cell.class as usize) {
            Some(base) => *base,
            None => world.classes.key(cell.class).and_then(|key| self.marked.get(key)).copied().unwrap_or(0),
        };
        base.wrapping_add(cell.count.to_le_bytes()[0])
    }

    pub(super) fn pack(&self, world: &World, plan: &Plan, bytes: &mut Vec<u8>) {
        for framed in &self.frame {
            bytes.extend(world.slots_of(framed.container).iter().map(|&cell| self.code(world, cell)));
            if framed.alike {
                bytes[framed.begin..framed.end].sort_unstable();
            }
        }
        bytes.extend(world.stacks_of(GROUND).map(|(_, cell)| self.code(world, cell)));
        bytes.resize(self.len(), 0);
        if is_any_order(plan) {
            bytes[self.slots..].sort_unstable();
        }
    }

    /// What a world becomes where something else lies in two slots of it.
    #[inline]
    pub(super) fn pack_after(
        &self,
        world: &World,
        plan: &Plan,
        (before, landings): (&[u8], &[u32]),
        after: &After,
        bytes: &mut Vec<u8>,
    ) {
        let start = bytes.len();
        bytes.extend_from_slice(before);
        let next = &mut bytes[start..];
        let slots = if after.slots[0].0 == after.slots[1].0 { &after.slots[..1] } else { &after.slots };
        for &(spot, cell) in slots {
            let framed = self.frame[self.nth[spot.container as usize]];
            let code = self.code(world, cell);
            if framed.alike {
                exchange(&mut next[framed.begin..framed.end], self.code(world, world.cell(spot)), code);
            } else {
                next[framed.begin + spot.slot as usize] = code;
            }
        }
        let ground = &mut next[self.slots..];
        match after.ground {
            None => {}
            Some(GroundChange::Lands(cell)) if is_any_order(plan) => exchange(ground, 0, self.code(world, cell)),
            Some(GroundChange::Lands(cell)) => ground[landings.len()] = self.code(world, cell),
            Some(GroundChange::Stays(nth, rest)) if is_any_order(plan) => {
                let slot = landings[nth];
                let before = world.cell(Spot { container: GROUND, slot });
                exchange(ground, self.code(world, before), self.code(world, rest));
            }
            Some(GroundChange::Stays(nth, rest)) if rest.is_empty() => {
                ground.copy_within(nth + 1.., nth);
                ground[landings.len() - 1] = 0;
            }
            Some(GroundChange::Stays(nth, rest)) => ground[nth] = self.code(world, rest),
        }
    }
}

/// Whether the order on the ground makes no difference.
fn is_any_order(plan: &Plan) -> bool {
    plan.alike.get(GROUND as usize) == Some(&true)
}

/// One number instead of another among numbers in their order.
fn exchange(numbers: &mut [u8], before: u8, after: u8) {
    if let Some(at) = numbers.iter().position(|number| *number == before) {
        numbers[at] = after;
        numbers.sort_unstable();
    }
}
