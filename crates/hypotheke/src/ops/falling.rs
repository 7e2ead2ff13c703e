//! Properties that fall with time, in a wait.

use rustc_hash::{FxHashMap, FxHashSet};

use super::draft::Draft;
use crate::world::Spot;

impl Draft<'_> {
    /// The next tick after one, up to an end, at which a property of some stack falls. Only where
    /// one could fall until then it looks for such a stack.
    pub(super) fn next_fall(&self, clock: u64, end: u64) -> Option<u64> {
        let rules = &self.world.rules;
        let first = rules.falling().iter().map(|(_, falling)| falling.ticks_left(clock)).min()?;
        if clock.saturating_add(first) > end {
            return None;
        }
        let mut seen = FxHashSet::default();
        let cells = self.falling_spots().map(|spot| self.cell(spot)).filter(|cell| seen.insert(cell.class));
        let left = cells.filter_map(|cell| self.class_key(cell).next_fall(rules, clock)).min()?;
        clock.checked_add(left)
    }

    /// Lets all properties fall that do so at a tick. What then is due for a change changes, and what
    /// is unfit is ejected, in the order of the world. Returns how many stacks fell.
    ///
    /// # Errors
    /// How many would, if that is more than `most`. Then nothing has changed.
    pub(super) fn fall(&mut self, tick: u64, most: u64) -> Result<u64, u64> {
        let world = self.world;
        if !world.rules.falling().iter().any(|(_, falling)| falling.falls_at(tick)) {
            return Ok(0);
        }
        self.begin_step();
        let all: Vec<Spot> = self.falling_spots().collect();
        let mut after: FxHashMap<u32, Option<u32>> = FxHashMap::default();
        let mut fallen = Vec::new();
        for spot in all {
            let cell = self.cell(spot);
            let class = match after.get(&cell.class) {
                Some(known) => *known,
                None => {
                    let key = self.class_key(cell).fallen(&world.rules, tick);
                    let class = key.map(|key| self.class_of(key));
                    after.insert(cell.class, class);
                    class
                }
            };
            fallen.extend(class.map(|class| (spot, class)));
        }
        let count = fallen.len() as u64;
        if count > most {
            return Err(count);
        }
        for &(spot, class) in &fallen {
            self.change_class(spot, class);
        }
        self.begin_step();
        self.change_or_eject(fallen.into_iter().map(|(spot, _)| spot).collect());
        Ok(count)
    }

    /// The places of all stacks that may fall. What containers work on is not among them.
    fn falling_spots(&self) -> impl Iterator<Item = Spot> + '_ {
        let there = (0..self.world.container_count()).filter(|&container| self.world.is_there(container));
        there.flat_map(move |container| {
            self.world.rules.falling_kinds.iter().flat_map(move |&kind| {
                let next = move |from: u32| self.next_stack_in(container, Some(kind), from);
                let slots = std::iter::successors(next(0), move |slot| slot.checked_add(1).and_then(next));
                slots.map(move |slot| Spot { container, slot })
            })
        })
    }
}
