//! Properties that fall with time: when that is due.

use rustc_hash::FxHashSet;

use super::{ClassKey, Spot, World};

impl World {
    /// In how many ticks a property of some stack falls next. What a container works on does not
    /// fall.
    fn ticks_to_fall(&self) -> Option<u64> {
        let rules = &self.rules;
        if rules.falling().is_empty() {
            return None;
        }
        let there = (0..self.container_count()).filter(|&container| self.is_there(container));
        let stacks = there.flat_map(|container| {
            rules.falling_kinds.iter().flat_map(move |&kind| {
                let next = move |from: u32| self.next_of_kind(container, kind, from);
                let slots = std::iter::successors(next(0), move |slot| slot.checked_add(1).and_then(next));
                slots.map(move |slot| self.cell(Spot { container, slot }))
            })
        });
        let mut seen = FxHashSet::default();
        let classes = stacks.filter(|cell| seen.insert(cell.class));
        let next = classes.filter_map(|cell| {
            let plain = || ClassKey::plain(rules.kind_id(cell.kind));
            let key = self.classes.key(cell.class).cloned().unwrap_or_else(plain);
            key.next_fall(rules, self.clock())
        });
        next.min()
    }

    /// In how many ticks something falls due next: the end of a recipe, or the fall of a property.
    /// `None` if nothing does. A recipe that is due already and waits for room does not count. The
    /// cost grows with the stacks, if a property falls.
    ///
    /// ```
    /// use hypotheke::{Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("snow", |snow| snow.stack_limit(10))
    ///     .kind("water", |water| water.stack_limit(4))
    ///     .container("stove", |stove| stove.slots(3))
    ///     .recipe("melt", |melt| {
    ///         melt.at(["stove"]).inputs(["2 snow"]).outputs(["1 water"]).duration(10).automatic()
    ///     })
    ///     .start("stove", ["2 snow"])
    ///     .build()?;
    /// assert_eq!(World::new(&rules.into()).ticks_to_due(), Some(10));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn ticks_to_due(&self) -> Option<u64> {
        let clock = self.clock();
        let job = self.jobs_due().map(|(due, _)| due.saturating_sub(clock)).find(|&left| left > 0);
        job.into_iter().chain(self.ticks_to_fall()).min()
    }
}
