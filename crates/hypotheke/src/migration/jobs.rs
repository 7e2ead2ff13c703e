//! What containers work on. A recipe that is no longer carried out there is stopped, and what it held
//! goes back to its slots.

use std::num::NonZeroU32;

use super::Carrying;
use crate::ruleset::MigrationPolicy;
use crate::snapshot::{Container, InSlot};

impl Carrying<'_> {
    pub(super) fn jobs(&mut self) {
        let mut standing = std::mem::take(&mut self.snapshot.containers);
        for container in &mut standing {
            let (name, station) = (container.name.clone(), container.name.clone());
            self.job(&name, &station, container);
        }
        self.snapshot.containers = standing;
        let mut holders = std::mem::take(&mut self.snapshot.holders);
        for holder in &mut holders {
            for container in &mut holder.containers {
                let (name, station) = (format!("{}.{}", holder.name, container.name), container.definition.clone());
                self.job(&name, &station, container);
            }
        }
        self.snapshot.holders = holders;
    }

    fn job(&mut self, name: &str, station: &str, container: &mut Container) {
        let Some(job) = &container.job else { return };
        let Some(why) = self.why_stopped(station, container) else { return };
        self.tell(name, format!("{} stopped: {why}", job.recipe), Some(MigrationPolicy::Spill));
        container.job = None;
        let held: Vec<InSlot> = container.stacks.extract_if(.., |lying| lying.in_work).collect();
        for InSlot { slot, stack, in_work: _ } in held {
            let found = container.stacks.binary_search_by_key(&slot, |lying| lying.slot);
            // Unknown kinds are set aside next, wherever they are.
            let is_known = self.rules.find_kind(&stack.kind).is_some();
            match found {
                Err(at) => container.stacks.insert(at, InSlot { slot, stack, in_work: false }),
                Ok(at) if !is_known => container.stacks.insert(at, InSlot { slot, stack, in_work: false }),
                Ok(_) => {
                    let homes = self.homes_of(name);
                    self.lose(format!("{name}/{slot}"), "slot taken", stack, (None, &homes));
                }
            }
        }
    }

    fn why_stopped(&self, station: &str, container: &Container) -> Option<String> {
        let rules = self.rules;
        let job = container.job.as_ref()?;
        let Some(recipe) = rules.find_recipe(&job.recipe) else { return Some("an unknown recipe".to_owned()) };
        if !rules.is_station(recipe, station) {
            return Some("it is carried out elsewhere".to_owned());
        }
        if rules.recipe(recipe).is_none_or(|recipe| recipe.duration().is_none()) {
            return Some("it takes no time".to_owned());
        }
        let number = job.yield_number.map(NonZeroU32::get);
        if rules.recipe(recipe).is_none_or(|recipe| !recipe.has_yield(number)) {
            return Some("it yields something else".to_owned());
        }
        let held = || container.stacks.iter().filter(|lying| lying.in_work);
        let known = |kind: &str| rules.find_kind(kind).map(|kind| rules.known_kind(kind));
        if let Some(lying) = held().find(|lying| known(&lying.stack.kind).is_none_or(|kind| kind.pack().is_some())) {
            return Some(format!("it can't hold {}", lying.stack.kind));
        }
        let most = rules.containers().iter().find(|def| def.instances().any(|it| it == station) || def.id() == station);
        let most = most.map_or(0, |def| def.slot_bounds().1);
        held().any(|lying| lying.slot >= most).then(|| "its container has fewer slots".to_owned())
    }
}
