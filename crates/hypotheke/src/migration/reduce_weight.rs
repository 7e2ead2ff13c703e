//! A container or holder over a weight cap or a cap by filter gives away its last items, until it
//! is within.

use super::resolve::{ends_of_latest, spill};
use crate::audit::{Law, Violation};
use crate::id::ContainerId;
use crate::language::{Amount, Landing, Path};
use crate::narrow;
use crate::ops::{Limit, Measure, Operation};
use crate::world::{Bearer, Cell, Place, World};

/// Returns the new places.
pub(super) fn reduce_weight(world: &mut World, violation: &Violation) -> Vec<String> {
    let (mut to, name) = (Vec::new(), violation.place());
    let place = name.parse::<Path>().ok().and_then(|path| world.place(&path, None).ok());
    let (bearer, containers): (_, Vec<ContainerId>) = match (world.holder(name), place) {
        (Some(holder), _) => (Bearer::Holder(holder.index), world.carried(holder).collect()),
        (None, Some(Place::Container(id))) => (Bearer::Container(id.index), vec![id]),
        _ => return to,
    };
    let measures: Vec<Measure> = Limit::of_world(world, bearer).map(|limit| limit.measure).collect();
    let is_meant = |measure: &Measure| (*measure == Measure::Weight) == (violation.law() == Law::WeightCap);
    let measures = measures.into_iter().filter(is_meant);
    for measure in measures {
        for &container in containers.iter().rev() {
            give_away(world, (bearer, measure), container, &mut to);
        }
    }
    to
}

fn give_away(world: &mut World, (bearer, measure): (Bearer, Measure), from: ContainerId, to: &mut Vec<String>) {
    for slot in (0..world.slot_count(from.index)).rev() {
        let items = |world: &World| {
            let cell = world.slots_of(from.index).get(slot as usize).copied().filter(|cell| !cell.is_empty())?;
            let (over, share) = (over(world, bearer, measure), share(world, measure, cell));
            let items = if over > 0 && share > 0 { over.saturating_add(share - 1) / share } else { 0 };
            Some(narrow::at_most(items).min(cell.count))
        };
        let items = |world: &World| items(world).unwrap_or(0);
        match bearer {
            Bearer::Container(_) => spill(world, (from, slot), &items, to),
            // The holder's other containers would not help.
            Bearer::Holder(_) => {
                let drop = |count| Operation::dropping(Amount::UpTo(count), (from, slot), Landing::default());
                let count = items(world);
                if count > 0 && world.perform(&drop(count)).is_ok() {
                    to.extend(ends_of_latest(world));
                }
            }
        }
    }
}

/// By how much it is over.
fn over(world: &World, bearer: Bearer, measure: Measure) -> i64 {
    Limit::of_world(world, bearer).find(|limit| limit.measure == measure).map_or(0, Limit::excess)
}

/// The amount of one item of a stack with its contents.
fn share(world: &World, measure: Measure, cell: Cell) -> i64 {
    match measure {
        Measure::Weight => {
            let inside = if cell.is_pack() { world.state(cell.inner).weight } else { 0 };
            world.rules.figures[cell.kind as usize].weight.saturating_add(inside)
        }
        Measure::Count { number, .. } => {
            let inside = if cell.is_pack() { world.capped(Bearer::Container(cell.inner), number) } else { 0 };
            let filter = world.rules.cap_filters[number as usize];
            let own = world.classes.admits(&world.rules, filter, cell.kind, cell.class);
            i64::try_from(inside).unwrap_or(i64::MAX).saturating_add(i64::from(own))
        }
    }
}
