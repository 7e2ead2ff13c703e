//! Lookahead: the result of an operation without performing it, for searches that perform few of
//! many. None if it is unknown or the operation would be refused.

use super::draft::MAX_ON_GROUND;
use super::fast_path::{Wanted, less};
use crate::language::Amount;
use crate::world::{Cell, GROUND, Spot, World};

/// The result of a step, and the added weight of the target container.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Prediction {
    /// The contents of both places afterwards.
    pub(crate) cells: (Cell, Cell),
    pub(crate) gain: i64,
}

impl World {
    #[inline(always)]
    pub(crate) fn is_simple_spot(&self, spot: Spot) -> bool {
        if spot.is_ground() || !self.is_lasting(spot.container) {
            return false;
        }
        let state = self.state(spot.container);
        self.is_simple(state, spot.slot) && !state.has_caps
    }

    /// What would be in two slots after an amount of the one went to the other.
    pub(crate) fn look_ahead_move(&self, amount: Amount, from: Spot, to: Spot) -> Option<(Cell, Cell)> {
        let cells = [self.cell(from), self.cell(to)];
        let predicted = self.look_ahead_move_of(amount, cells, from, to)?;
        (from != to && self.can_gain(predicted.gain, from.container, to.container)).then_some(predicted.cells)
    }

    /// The same for slots with these rules in any world, without weight.
    pub(crate) fn look_ahead_move_of(
        &self,
        amount: Amount,
        cells: [Cell; 2],
        from: Spot,
        to: Spot,
    ) -> Option<Prediction> {
        let simple = self.is_simple_spot(from) && self.is_simple_spot(to);
        if simple { self.look_ahead_coming(amount, cells, from.container, to) } else { None }
    }

    /// The contents of two slots after a swap.
    pub(crate) fn look_ahead_swap(&self, one: Spot, other: Spot) -> Option<(Cell, Cell)> {
        let predicted = self.look_ahead_swap_of([self.cell(one), self.cell(other)], one, other)?;
        (one != other && self.can_gain(predicted.gain, one.container, other.container)).then_some(predicted.cells)
    }

    /// The same for slots with these rules in any world, without weight.
    pub(crate) fn look_ahead_swap_of(&self, cells: [Cell; 2], one: Spot, other: Spot) -> Option<Prediction> {
        if !self.is_simple_spot(one) || !self.is_simple_spot(other) {
            return None;
        }
        let gain = self.want_swap(cells, self.at(one), self.at(other))?;
        Some(Prediction { cells: (cells[1], cells[0]), gain })
    }

    /// The remaining contents of a slot after a drop, and the dropped stack, given the number of
    /// stacks on the ground.
    pub(crate) fn look_ahead_drop(&self, amount: Amount, from: Spot, landed: usize) -> Option<(Cell, Cell)> {
        self.look_ahead_drop_of(amount, self.cell(from), from, landed)
    }

    /// The same for a stack of a different world.
    pub(crate) fn look_ahead_drop_of(
        &self,
        amount: Amount,
        mine: Cell,
        from: Spot,
        landed: usize,
    ) -> Option<(Cell, Cell)> {
        if mine.is_empty() || mine.is_pack() || !self.is_simple_spot(from) {
            return None;
        }
        let figures = self.rules.figures[mine.kind as usize];
        let count = wanted_of(amount, mine.count)?;
        // A part is a new stack; a whole one may be over its limit.
        let is_allowed = count == mine.count || count <= figures.stack_limit;
        let goes = !figures.is_protected && is_allowed && landed < self.max_landed();
        goes.then(|| (less(mine, count), Cell { count, ..mine }))
    }

    /// The maximum number of stacks on the ground.
    pub(crate) fn max_landed(&self) -> usize {
        MAX_ON_GROUND.min(self.rules.ground_limit as usize)
    }

    /// What would stay on the ground after an amount was picked up there, and what would be in the
    /// slot.
    pub(crate) fn look_ahead_pick_up(&self, amount: Amount, landing: u32, to: Spot) -> Option<(Cell, Cell)> {
        let cells = [self.cell(Spot { container: GROUND, slot: landing }), self.cell(to)];
        let predicted = self.look_ahead_pick_up_of(amount, cells, to)?;
        self.can_gain(predicted.gain, GROUND, to.container).then_some(predicted.cells)
    }

    /// The same in any world, without weight.
    pub(crate) fn look_ahead_pick_up_of(&self, amount: Amount, cells: [Cell; 2], to: Spot) -> Option<Prediction> {
        if self.is_simple_spot(to) { self.look_ahead_coming(amount, cells, GROUND, to) } else { None }
    }

    /// What would be in two places after an amount of the one went to the other, which is a slot of
    /// a simple container.
    fn look_ahead_coming(&self, amount: Amount, cells: [Cell; 2], from: u32, to: Spot) -> Option<Prediction> {
        let ([mine, there], to) = (cells, self.at(to));
        let Wanted { requested, exact, wanted } = self.want_move(amount, cells, from, to)?;
        let gain = self.weight_of_one(mine.kind).checked_mul(i64::from(wanted))?;
        let after = (less(mine, wanted), Cell { count: there.count + wanted, ..mine });
        (wanted > 0 && (wanted == requested || !exact)).then_some(Prediction { cells: after, gain })
    }

    /// Whether weight never prevents a move between two containers, in either direction, with any
    /// contents.
    pub(crate) fn bears_anything(&self, from: u32, to: u32) -> bool {
        self.weight_left(from, to) == i64::MAX && (from == GROUND || self.weight_left(to, from) == i64::MAX)
    }
}

/// The number of items of a stack for an amount without other limits; `None` if it is refused.
fn wanted_of(amount: Amount, there: u32) -> Option<u32> {
    let (wanted, exact) = match amount {
        Amount::All => (there, true),
        Amount::Exactly(count) => (count, true),
        Amount::UpTo(count) => (count, false),
    };
    (wanted > 0 && (!exact || wanted <= there)).then_some(wanted.min(there))
}
