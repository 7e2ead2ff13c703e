//! A container that no world has, in which stacks wait while two sides exchange them.

use super::Draft;
use crate::narrow;
use crate::ruleset::Border;
use crate::world::{Bearer, ContainerState, NONE, Spot, Sums};

/// By how much the sums of containers and holders had changed at a point of a draft. Later changes
/// must not make an excess worse, and may leave it.
#[derive(Debug, Default)]
pub(in crate::ops) struct Floors {
    weights: Sums<Bearer>,
    caps: Sums<(Bearer, u32)>,
}

impl Floors {
    pub(in crate::ops) fn weight(&self, bearer: Bearer) -> i64 {
        self.weights.get(bearer)
    }

    pub(in crate::ops) fn capped(&self, bearer: Bearer, number: u32) -> i64 {
        self.caps.get((bearer, number))
    }
}

impl Draft<'_> {
    /// Those of all that has changed by now.
    pub(in crate::ops) fn floors(&mut self) -> Floors {
        self.settle();
        let overlay = &self.scratch.overlay;
        Floors { weights: overlay.weights.clone(), caps: overlay.caps.clone() }
    }

    /// Those of some containers and holders.
    pub(in crate::ops) fn floors_of(&mut self, bearers: &[Bearer]) -> Floors {
        self.settle();
        let mut floors = Floors::default();
        for &bearer in bearers {
            floors.weights.add(bearer, self.weight_gain(bearer));
            for number in self.cap_numbers(bearer) {
                floors.caps.add((bearer, number), self.capped_gain(bearer, number));
            }
        }
        floors
    }

    /// Limits allow what was there then.
    pub(in crate::ops) fn allow(&mut self, floors: Floors) {
        self.placing.floors = Some(floors);
    }

    /// Adds the container. It has no border, and counts for nobody. Nothing looks for its slots, so
    /// any number is one of them.
    pub(in crate::ops) fn open_transit(&mut self) -> u32 {
        let floors = self.floors();
        let overlay = &mut self.scratch.overlay;
        overlay.used = true;
        let mut state = ContainerState::new(&self.world.rules, NONE, 1);
        state.set_borders([Border::Surrounding; 3]);
        overlay.new_packs.push(state);
        let transit = self.world.container_count() + narrow::index(overlay.new_packs.len() - 1);
        self.allow(floors);
        transit
    }

    /// Removes it. It is empty, and nothing else was added since.
    pub(in crate::ops) fn close_transit(&mut self) {
        self.scratch.overlay.new_packs.pop();
        self.placing.floors = None;
    }

    /// Some of a stack waits there. A part of it is a new stack.
    pub(in crate::ops) fn wait_in(&mut self, transit: Spot, from: Spot, count: u32) {
        let cell = self.cell(from);
        let id = if cell.count == count { cell.id } else { self.new_id() };
        let (from, to) = (self.end(from, cell.id), self.end(transit, id));
        self.push_transfer(self.item(cell), count, from, to);
        self.settle();
    }

    pub(in crate::ops) fn weight_floor(&self, bearer: Bearer) -> Option<i64> {
        let floors = self.placing.floors.as_ref()?;
        let before = match bearer {
            Bearer::Container(container) if self.is_new(container) => 0,
            Bearer::Container(container) => self.world.state(container).weight,
            Bearer::Holder(holder) => self.world.holder_weight_and_cap(holder).0,
        };
        Some(before + floors.weight(bearer))
    }

    pub(in crate::ops) fn capped_floor(&self, bearer: Bearer, number: u32) -> Option<i64> {
        let floors = self.placing.floors.as_ref()?;
        let before = match bearer {
            Bearer::Container(container) if self.is_new(container) => 0,
            bearer => i64::try_from(self.world.capped(bearer, number)).unwrap_or(i64::MAX),
        };
        Some(before + floors.capped(bearer, number))
    }

    /// Sets whether `put-by` and `take-by` of `nobody` count.
    pub(in crate::ops) fn pass_nobody(&mut self, passes: bool) {
        self.placing.passes_nobody = passes;
    }

    #[inline]
    pub(in crate::ops) fn passes_nobody(&self) -> bool {
        self.placing.passes_nobody
    }
}
