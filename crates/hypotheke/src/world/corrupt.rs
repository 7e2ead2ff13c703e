//! Worlds that are wrong on purpose, for the tests of what has to notice it.

use super::{Cell, GROUND, Spot, World};

impl World {
    /// Replaces the contents of a slot, or of a taken place on the ground, without updating indexes
    /// or sums. Returns the old contents.
    pub(crate) fn corrupt(&mut self, spot: Spot, cell: Cell) -> Cell {
        let before = self.cell(spot);
        if spot.is_ground() {
            let position = self.ground.position(spot.slot);
            self.ground.set(spot.slot, cell, position);
        } else {
            let base = self.containers[spot.container as usize].base;
            self.cells[(base + spot.slot) as usize] = cell;
        }
        before
    }

    /// All slots of all containers that are there, and all landings where something lies.
    pub(crate) fn all_spots(&self) -> Vec<Spot> {
        let landings = std::iter::successors(self.ground.next(0), |&last| self.ground.next(last + 1));
        let mut spots: Vec<Spot> = landings.map(|slot| Spot { container: GROUND, slot }).collect();
        for container in (1..self.container_count()).filter(|&container| self.is_there(container)) {
            spots.extend((0..self.slot_count(container)).map(|slot| Spot { container, slot }));
        }
        spots
    }
}
