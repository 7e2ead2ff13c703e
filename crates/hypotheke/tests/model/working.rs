//! Recipes that take time, tick by tick: each pass tries all that is due, until none ends.

use super::faults::Fault;
use super::state::{At, Cell, Inside, Job, Root, Stack};
use super::{Amount, Look, Model, No, because, no};

impl Model {
    /// The container that works, if it is one that can.
    pub(super) fn station(&self, at: &At) -> Option<usize> {
        match at {
            At::Container(Inside { root: Root::Container(index), steps }) if steps.is_empty() => Some(*index),
            _ => None,
        }
    }

    /// It holds the inputs from now on.
    pub(super) fn start(
        &mut self,
        (recipe, yield_number): (usize, Option<usize>),
        times: u64,
        used: &[(u64, u32)],
        index: usize,
    ) {
        let mut held = Vec::new();
        for &(id, count) in used.iter().filter(|(_, count)| *count > 0) {
            let cell = self.state.find(id).expect("a place");
            let Cell::Slot(_, slot) = cell else { unreachable!("a slot") };
            let stack = self.state.get(&cell).expect("a stack").clone();
            let id = if stack.count == count { stack.id } else { self.state.new_id() };
            self.state.lessen(&cell, count);
            held.push((slot, Stack { id, count, ..stack }));
        }
        held.sort_by_key(|(slot, _)| *slot);
        let left = u64::from(self.rules.recipes[recipe].duration);
        self.state.jobs[index] = Some(Job { recipe, times, yield_number, left, held });
    }

    /// Containers of the world, then those of each holder, each by arrival.
    fn stations(&self) -> Vec<usize> {
        let standing = self.state.standing.iter().copied().filter(|index| *index < self.rules.containers.len());
        standing.chain(self.state.present.iter().flat_map(|&holder| self.rules.carried(holder))).collect()
    }

    pub(super) fn wait(&mut self, ticks: u32) -> Result<u64, No> {
        if self.lists > 0 {
            return Err(no("unknown"));
        }
        if ticks == 0 {
            return Err(no("bad-amount"));
        }
        self.end_and_start();
        for _ in 0..ticks {
            self.state.clock += 1;
            for job in self.state.jobs.iter_mut().flatten() {
                job.left = job.left.saturating_sub(1 + u64::from(Fault::TimeRunsTwiceAsFast.is_on()));
            }
            self.fall();
            self.end_and_start();
        }
        Ok(u64::from(ticks))
    }

    /// Until nothing changes: what starts may leave room for what another makes.
    fn end_and_start(&mut self) {
        self.end_all();
        while !Fault::StartsAfterTheWait.is_on() && self.start_automatic() {
            self.end_all();
        }
    }

    /// Each container that works on nothing starts the first recipe that can start; false if none
    /// does.
    pub(super) fn start_automatic(&mut self) -> bool {
        let mut starts = false;
        for index in self.stations() {
            let at = At::Container(Inside::container(index));
            for recipe in 0..self.rules.recipes.len() {
                let is_it = self.rules.recipes[recipe].is_automatic && self.is_here(recipe, &at);
                if is_it && self.state.jobs[index].is_none() {
                    starts |= self.craft_times(1, (recipe, None), &at).is_empty();
                }
            }
        }
        starts
    }

    fn end_all(&mut self) {
        let stations = self.stations();
        while stations.iter().any(|&index| self.end(index)) {}
    }

    /// Ends what is due, if there is room for what it makes.
    fn end(&mut self, index: usize) -> bool {
        let Some(job) = self.state.jobs[index].clone().filter(|job| job.left == 0) else { return false };
        let before = self.clone();
        self.lists += 1;
        self.list_start = Some(self.state.clone());
        self.lost = self.absent().into_iter().collect();
        self.state.jobs[index] = None;
        for (_, stack) in &job.held {
            self.state.used[stack.kind] += u64::from(stack.count);
        }
        let spec = self.rules.recipes[job.recipe].clone();
        let to = self.place_of_outputs(&spec, &At::Container(Inside::container(index)));
        let is_made = spec.made(job.yield_number).iter().all(|&(kind, each)| {
            let count = Amount::Exactly(u32::try_from(u64::from(each) * job.times).unwrap());
            to.as_ref().is_some_and(|to| self.create(count, kind, &Look::default(), to, (0, 0)).is_ok())
        });
        let ends = is_made && self.all_worse(&before).is_empty();
        let state = if ends { self.state.clone() } else { before.state.clone() };
        *self = Model { state, ..before };
        ends
    }

    pub(super) fn cancel(&mut self, recipe: usize, at: &At) -> Result<u64, No> {
        let At::Container(_) = at else { return Err(no("unknown")) };
        let index = self.station(at);
        let job = index.and_then(|index| self.state.jobs[index].clone().filter(|job| job.recipe == recipe));
        let (Some(index), Some(job)) = (index, job) else { return Err(no("not-working")) };
        let holder = self.actor.or(self.rules.containers[index].holder);
        let inside = Inside::container(index);
        let (mut count, mut requested, mut room) = (0, 0, 0);
        for (slot, stack) in &job.held {
            // In no slot of it, but in it.
            let cell = Cell::Slot(inside.clone(), usize::MAX);
            let (mut left, mut laid) = (stack.count, Vec::new());
            let origin = Some(At::Slot(inside.clone(), *slot)).filter(|_| *slot < self.state.slots(&inside).len());
            let origin = origin.into_iter().map(|at| (at, true));
            for (to, going_back) in origin.chain(holder.map(|holder| (At::Holder(holder), false))) {
                self.going_back = going_back;
                left = self.lay_there(stack, &cell, &to, left, &mut laid);
                self.going_back = false;
                self.passed_over = Some(Cell::Slot(inside.clone(), *slot));
            }
            self.passed_over = None;
            if left > 0 && self.rules.kinds[stack.kind].is_protected {
                return Err(no("protected"));
            }
            let landing = self.landing_room(stack, left);
            requested += i64::from(left) * 1_000;
            room += i64::from(landing) * 1_000;
            let mut id_is_free = true;
            self.name_parts(stack, laid, &mut id_is_free);
            self.land(stack, landing, &mut id_is_free);
            // Back in its slot, it is no longer held.
            let job = self.state.jobs[index].as_mut().expect("a job");
            job.held.retain(|(_, held)| held.id != stack.id);
            count += u64::from(stack.count);
        }
        if room < requested {
            return Err(because("no-room", requested, room));
        }
        self.state.jobs[index] = None;
        Ok(count)
    }
}
