//! Recipes that start as soon as they have their inputs: at the end of each operation, as a part of
//! it.
//!
//! Such a recipe holds its outputs until there is room, so that only the contents of its container
//! decide whether it starts. Where the contents are as before, nothing can start: the operation
//! before has ended with this too. So only the containers that an operation has touched are looked
//! at.

use super::draft::Draft;
use crate::world::{Event, Job, NONE, World};

impl Draft<'_> {
    /// Starts what can start, in the order of the world.
    pub(super) fn start_automatic(&mut self) {
        if !self.world.rules.has_automatic {
            return;
        }
        for container in self.stations_touched_since(0) {
            if self.job(container).is_none() {
                self.start_first_at(container, self.world.clock());
            }
        }
    }

    /// The containers that work and that events from a number on have touched, in the order of the
    /// world.
    pub(super) fn stations_touched_since(&self, first: usize) -> Vec<u32> {
        if !self.world.rules.has_automatic {
            return Vec::new();
        }
        let events = self.events().get(first..).unwrap_or_default();
        let mut touched: Vec<u32> = events.iter().flat_map(touched).flatten().collect();
        touched.sort_unstable();
        touched.dedup();
        touched.retain(|&container| self.is_station(container));
        touched.sort_by_key(|&container| self.order_of(container));
        touched
    }

    fn is_station(&self, container: u32) -> bool {
        !self.is_new(container) && self.world.is_station(container) && !self.has_left(container)
    }

    /// Starts the first recipe of the ruleset that can start at a container that works on nothing,
    /// at a tick.
    pub(super) fn start_first_at(&mut self, container: u32, clock: u64) -> Option<Job> {
        let recipes = self.world.rules.automatic_at(self.world.name_of_station(container));
        let recipes: Vec<_> = recipes.collect();
        let mode = self.put_mode;
        self.begin_step();
        let started = recipes.into_iter().find_map(|recipe| self.start_once(recipe, container, clock));
        self.put_mode = mode;
        started
    }
}

impl World {
    fn is_station(&self, container: u32) -> bool {
        self.is_there(container) && self.state(container).work != NONE
    }

    /// Starts all that can start in a world that no operation has led to. Returns the containers,
    /// each with what it works on.
    pub(crate) fn start_all_automatic(&mut self) -> Vec<(String, String)> {
        if !self.rules.has_automatic {
            return Vec::new();
        }
        let idle = |&container: &u32| self.is_station(container) && self.job_of(container).is_none();
        let mut idle: Vec<u32> = (0..self.container_count()).filter(idle).collect();
        idle.sort_by_key(|&container| self.order_of(container));
        let mut draft = Draft::new(self, Box::default());
        let mut started = Vec::new();
        for container in idle {
            if let Some(job) = draft.start_first_at(container, self.clock()) {
                let recipe = self.rules.recipe(job.recipe).map_or("", |recipe| recipe.id());
                let name = self.container_name(self.container_id(container));
                started.push((name, format!("it starts {recipe}")));
            }
        }
        let (scratch, next_stack) = draft.into_parts();
        self.carry_out_all(scratch, next_stack);
        started
    }
}

/// The containers whose contents an event changes.
fn touched(event: &Event) -> [Option<u32>; 2] {
    match event {
        Event::Moved { from, to, .. } => [from, to].map(|end| end.exists().then_some(end.spot.container)),
        Event::Swapped { one, other } => [one, other].map(|end| Some(end.spot.container)),
        Event::Changed { at, .. } => [Some(at.spot.container), None],
        Event::Resized { container, .. } | Event::Worked { container, .. } => [Some(container.index), None],
        Event::Bound { .. }
        | Event::Metered { .. }
        | Event::Waited { .. }
        | Event::Opened { .. }
        | Event::Closed { .. }
        | Event::Given { .. }
        // What departs has ended with this, and what arrives did so where it comes from.
        | Event::Departed { .. }
        | Event::Arrived { .. } => [None, None],
    }
}
