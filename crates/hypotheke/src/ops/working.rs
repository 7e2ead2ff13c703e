//! Recipes that take time: their start, their end, and what ends them before that.
//!
//! At the start the inputs leave their slots, and the container holds them. They count for its
//! weight and its caps as before. At the end they leave the world and the outputs come in, or all
//! stays until there is room.

use super::create;
use super::draft::Draft;
use super::operation::Variant;
use super::refusal::{Cause, Unknown};
use super::target::Target;
use crate::id::ContainerId;
use crate::language::{Amount, Landing};
use crate::ruleset::Recipe;
use crate::world::{Bearer, Cell, Event, Job, Place, Spot};

impl Draft<'_> {
    /// What a container works on by now.
    pub(super) fn job(&self, container: u32) -> Option<Job> {
        let changed = self.events().iter().rev().find_map(|event| match *event {
            Event::Worked { container: of, after, .. } if of.index == container => Some(after),
            _ => None,
        });
        changed.unwrap_or_else(|| self.world.job_of(container))
    }

    fn set_job(&mut self, container: u32, before: Option<Job>, after: Option<Job>) {
        let container = self.container_id(container);
        self.push(Event::Worked { container, before, after });
    }

    /// Starts a recipe with some of the stacks of a container, which holds them from now on.
    pub(super) fn start_work(&mut self, container: u32, job: Job, used: impl Iterator<Item = (Spot, u32)>) {
        let first = self.state(container).work;
        for (spot, count) in used {
            let item = self.item(self.cell(spot));
            self.parts().push((Spot { container, slot: first + spot.slot }, count));
            self.lay_parts(item, Some(spot));
        }
        self.set_job(container, None, Some(job));
    }

    /// The spots of what a container works on, by now.
    fn spots_in_work(&self, container: u32) -> Vec<Spot> {
        // At first by the world, since many may end in one wait, and each is an event of the draft.
        if self.world.job_of(container).is_none() && self.job(container).is_none() {
            return Vec::new();
        }
        let first = self.state(container).work;
        let spots = (0..first).map(|slot| Spot { container, slot: first + slot });
        spots.filter(|&spot| !self.cell(spot).is_empty()).collect()
    }

    /// What a container works on, by now.
    pub(super) fn cells_in_work(&self, container: u32) -> impl Iterator<Item = Cell> {
        self.spots_in_work(container).into_iter().map(|spot| self.cell(spot))
    }

    /// Ends a recipe that is due; false if there is no room for what it makes. Caps are judged by the
    /// world that its end leaves, against the one before it.
    pub(super) fn finish_work(&mut self, container: u32, job: Job) -> bool {
        let rules = &self.world.rules;
        let Some(recipe) = rules.recipe(job.recipe) else { return false };
        let at = Place::Container(self.container_id(container));
        let mut bearers = self.new_bearers(None, container);
        if let Some(Place::Container(to)) = self.place_of_outputs(recipe, at).filter(|&to| to != at) {
            bearers.push(Bearer::Container(to.index));
        }
        let (start, before) = (self.point(), self.floors_of(&bearers));
        let earlier = self.events().len();
        self.nested_lists += 1;
        for spot in self.spots_in_work(container) {
            let count = self.cell(spot).count;
            self.remove(spot, count);
        }
        let is_full = !self.make((recipe, job.yield_number()), u64::from(job.times), at).is_empty();
        self.nested_lists -= 1;
        if is_full || !self.all_over_since(&before, &self.events()[earlier..], &bearers).is_empty() {
            self.go_back_to(&start);
            return false;
        }
        self.set_job(container, Some(job), None);
        self.begin_step();
        true
    }

    /// Puts the outputs of a recipe with one of its yields in, a number of times, and returns the checks that fail. Caps are
    /// judged later.
    pub(super) fn make(&mut self, (recipe, yield_number): (&Recipe, Option<u32>), times: u64, at: Place) -> Vec<Cause> {
        let Some(to) = self.place_of_outputs(recipe, at) else { return vec![Cause::Unknown(Unknown::Place)] };
        for &(kind, each) in recipe.made(yield_number) {
            self.begin_step();
            let _ = self.take_noted();
            let Ok(count) = u32::try_from(u64::from(each) * times) else { return vec![Cause::Overflow] };
            let (plain, anywhere) = (Variant::default(), Landing::default());
            if let Err(refusal) = create::plan(self, Amount::Exactly(count), kind, &plain, to, anywhere) {
                let mut causes = vec![refusal.cause()];
                causes.extend(self.take_noted().into_iter().filter(|cause| *cause != refusal.cause()));
                return causes;
            }
        }
        self.begin_step();
        Vec::new()
    }

    /// Gives back what a container works on: each stack to its slot, then to the containers of a
    /// holder, then to the ground. Returns the first cause if that does not take all.
    pub(super) fn give_back(&mut self, container: ContainerId, job: Job, holder: Option<u32>) -> Result<u64, Cause> {
        let (first, mut count) = (self.state(container.index).work, 0);
        // Of all that goes to the ground: how many items, and how many have room there.
        let (mut requested, mut room) = (0, 0);
        for spot in self.spots_in_work(container.index) {
            self.begin_step();
            let cell = self.cell(spot);
            let item = self.item(cell);
            let origin = Spot { container: container.index, slot: spot.slot - first };
            let mut given = 0;
            if origin.slot < self.slots(container.index) {
                self.go_back(true);
                given += self.fill(item, cell.count, Some(spot), Target::Slot(origin));
                self.go_back(false);
                self.pass_over(origin);
            }
            if let Some(holder) = holder.filter(|_| given < cell.count) {
                given += self.fill(item, cell.count - given, Some(spot), Target::Holder(holder));
            }
            if given < cell.count {
                if self.world.rules.figures[cell.kind as usize].is_protected {
                    return Err(Cause::Protected(self.world.rules.kind_id(cell.kind)));
                }
                let left = cell.count - given;
                let landed = self.fill(item, left, Some(spot), Target::Ground);
                requested += u64::from(left);
                room += u64::from(landed);
            }
            count += u64::from(cell.count);
            self.lay_parts(item, Some(spot));
        }
        if room < requested {
            return Err(Cause::NoRoom { at: Place::Ground, requested, room });
        }
        self.set_job(container.index, Some(job), None);
        Ok(count)
    }
}
