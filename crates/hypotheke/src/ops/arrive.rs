//! arrive: a container or a holder comes into the world with all that it has, as its document says.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::draft::Draft;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::id::{DepartureId, StackId};
use crate::snapshot::Departure;
use crate::world::from_data;
use crate::world::{Arriving, Event};

pub(super) fn plan(draft: &mut Draft<'_>, departure: &Arc<Departure>) -> Planned {
    if departure.id.is_some_and(|id| draft.has_arrived(departure.name(), id)) {
        return Err(Refusal::new(Cause::Arrived));
    }
    let Ok(arriving) = from_data::departure(&draft.world.rules, departure) else {
        return Err(Refusal::new(Cause::Unknown(Unknown::Document)));
    };
    let stacks = arriving.stacks();
    // It was written under other rules.
    if stacks.iter().any(|stack| stack.key.due_change(&draft.world.rules).is_some()) {
        return Err(Refusal::new(Cause::Unknown(Unknown::Document)));
    }
    let ids: BTreeSet<StackId> = stacks.iter().map(|stack| stack.id).collect();
    if draft.is_still_to_come(departure.id, &ids) {
        return Err(Refusal::new(Cause::Unknown(Unknown::Document)));
    }
    if draft.is_name_taken(arriving.name()) || draft.has_any(&ids) {
        return Err(Refusal::new(Cause::Unknown(Unknown::Taken)));
    }
    let weight_of = |kind: crate::KindId| draft.world.rules.figures[kind.index()].weight;
    // A document that weighs more than can be counted can't be read.
    let weight = stacks.iter().map(|stack| weight_of(stack.key.kind) * i64::from(stack.count)).sum::<i64>();
    if draft.whole_weight().checked_add(weight).is_none() {
        return Err(Refusal::new(Cause::Overflow));
    }
    let count = stacks.iter().map(|stack| u64::from(stack.count)).sum();
    // In a list the world after the last step decides.
    if draft.nested_lists == 0 {
        let brought = draft.world.rules.limited_kinds().map(|kind| (kind, arriving.number_of(kind)));
        let mut brought = brought.filter(|(_, count)| *count > 0);
        if let Some(cause) = brought.find_map(|(kind, count)| draft.why_too_many(kind, count)) {
            return Err(Refusal::new(cause));
        }
    }
    draft.come_in(arriving, departure, count, weight);
    Ok(Done { requested: None, count })
}

impl Draft<'_> {
    fn has_arrived(&self, name: &str, id: DepartureId) -> bool {
        self.world.has_arrived(name, id) || self.latest_arrival(name).is_some_and(|latest| id.number <= latest)
    }

    /// The number of the latest departure that has arrived under a name, by the steps before too.
    pub(super) fn latest_arrival(&self, name: &str) -> Option<u64> {
        let departure = |event: &Event| match event {
            Event::Arrived { departure, .. } => Some(*departure),
            _ => None,
        };
        let in_list = self.arriving().iter().zip(self.events().iter().filter_map(departure));
        let of_name = in_list.filter(|(arriving, _)| arriving.name() == name);
        let latest = of_name.filter_map(|(_, departure)| departure).last();
        latest.map(|departure| departure.number).or_else(|| self.world.arrived.get(name).copied())
    }

    /// Whether this world is said to have given an id, of a departure or of a stack, that it has
    /// not given yet.
    fn is_still_to_come(&self, departure: Option<DepartureId>, ids: &BTreeSet<StackId>) -> bool {
        let world = self.world;
        let departure_to_come =
            departure.is_some_and(|id| id.world == world.number && id.number >= self.next_departure());
        departure_to_come || ids.iter().any(|id| id.world() == world.number && id.serial() >= world.next_stack)
    }

    fn is_name_taken(&self, name: &str) -> bool {
        let container = self.world.container(name).is_some_and(|id| self.has_container(id));
        let holder = self.world.holder(name).is_some_and(|id| self.has_holder(id));
        container || holder || self.arriving().iter().any(|other| other.name() == name)
    }

    fn has_any(&self, ids: &BTreeSet<StackId>) -> bool {
        let in_list = self.arriving().iter().flat_map(Arriving::stacks).any(|stack| ids.contains(&stack.id));
        in_list || self.world.has_any(ids)
    }
}
