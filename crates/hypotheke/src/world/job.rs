//! The clock, and the recipes that containers work on.
//!
//! What a recipe holds is in the cells of its container after those of its slots: a stack from slot
//! 2 in the second of them. So it counts for every sum, and no index finds it.

use std::num::NonZeroU32;

use super::{Cell, ContainerState, NONE, Spot, StackView, World};
use crate::id::{ContainerId, RecipeId};

/// A recipe that a container works on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Job {
    pub(crate) recipe: RecipeId,
    pub(crate) times: u32,
    pub(crate) due: u64,
    /// Which of the yields of the recipe.
    pub(crate) yield_number: Option<NonZeroU32>,
}

impl Job {
    /// The recipe.
    #[must_use]
    pub fn recipe(self) -> RecipeId {
        self.recipe
    }

    /// How often it is carried out at once.
    #[must_use]
    pub fn times(self) -> u32 {
        self.times
    }

    /// The tick at which it ends. If there is no room for its outputs then, it waits for room.
    #[must_use]
    pub fn due(self) -> u64 {
        self.due
    }

    /// Which of the yields of the recipe it makes, from 1 on. It is drawn at the start.
    #[must_use]
    pub fn yield_number(self) -> Option<u32> {
        self.yield_number.map(NonZeroU32::get)
    }

    /// The number of ticks from a given one until it ends; 0 if it is due.
    #[must_use]
    pub fn left(self, clock: u64) -> u64 {
        self.due.saturating_sub(clock)
    }
}

impl ContainerState {
    /// How many cells a container has: its slots, and as many for what it works on.
    pub(super) fn cell_count(&self, most: u32) -> usize {
        most as usize * if self.work == NONE { 1 } else { 2 }
    }
}

impl World {
    /// The number of ticks that have passed. Only `wait` moves it.
    #[must_use]
    pub fn clock(&self) -> u64 {
        self.clock
    }

    /// The recipe that a container works on.
    #[must_use]
    pub fn job(&self, id: ContainerId) -> Option<Job> {
        self.has_container(id).then(|| self.job_of(id.index)).flatten()
    }

    /// The stacks that a container works on, with the slots from which they came.
    pub fn in_work(&self, id: ContainerId) -> impl Iterator<Item = (u32, StackView<'_>)> {
        let cells = if self.has_container(id) { self.work_cells(id.index) } else { &[] };
        let taken = (0..).zip(cells).filter(|(_, cell)| !cell.is_empty());
        taken.map(|(slot, &cell)| (slot, StackView { world: self, cell }))
    }

    /// Whether any container works on something.
    pub(crate) fn works(&self) -> bool {
        !self.jobs.is_empty()
    }

    pub(crate) fn job_of(&self, container: u32) -> Option<Job> {
        self.jobs.get(&container).copied()
    }

    /// The containers that work on something and when that is due, the earliest first.
    pub(crate) fn jobs_due(&self) -> impl Iterator<Item = (u64, u32)> + '_ {
        self.due.iter().copied()
    }

    /// The cells for what a container works on, by the slots from which that came.
    pub(crate) fn work_cells(&self, container: u32) -> &[Cell] {
        let state = self.state(container);
        if state.work == NONE {
            return &[];
        }
        let from = (state.base + state.work) as usize;
        &self.cells[from..from + state.work as usize]
    }

    /// The spots of what a container works on.
    pub(crate) fn work_spots(&self, container: u32) -> impl Iterator<Item = Spot> + '_ {
        let first = self.state(container).work;
        let taken = (0..).zip(self.work_cells(container)).filter(|(_, cell)| !cell.is_empty());
        taken.map(move |(slot, _): (u32, _)| Spot { container, slot: first + slot })
    }

    /// Whether a spot is for what its container works on.
    #[inline]
    pub(crate) fn is_in_work(&self, spot: Spot) -> bool {
        spot.slot >= self.state(spot.container).work
    }

    pub(super) fn set_job(&mut self, container: u32, job: Option<Job>) {
        if let Some(before) = self.jobs.remove(&container) {
            self.due.remove(&(before.due, container));
        }
        if let Some(job) = job {
            self.jobs.insert(container, job);
            self.due.insert((job.due, container));
        }
    }

    /// A container that leaves takes its work along, and nothing of it falls due here.
    pub(super) fn stop_clock_of(&mut self, container: u32) {
        if let Some(job) = self.job_of(container) {
            self.due.remove(&(job.due, container));
        }
    }

    /// It is back as if it had never left.
    pub(super) fn start_clock_of(&mut self, container: u32) {
        if let Some(job) = self.job_of(container) {
            self.due.insert((job.due, container));
        }
    }
}
