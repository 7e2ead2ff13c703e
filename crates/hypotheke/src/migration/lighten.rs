//! What is over a weight cap or a cap by filter gives away what it has last, until it is within.

use super::treat::{ends_of_latest, spill};
use crate::audit::{Law, Violation};
use crate::id::ContainerId;
use crate::language::{Amount, Landing, Path};
use crate::ops::Operation;
use crate::ruleset::Cap;
use crate::world::{Bearer, Cell, Place, World};

/// What there may be only so much of.
#[derive(Clone, Copy)]
enum Measure {
    Weight,
    Items(Cap),
}

/// Gives where it lies now.
pub(super) fn lighten(world: &mut World, violation: &Violation) -> Vec<String> {
    let (mut to, name) = (Vec::new(), violation.place());
    let place = name.parse::<Path>().ok().and_then(|path| world.place(&path, None).ok());
    let (bearer, containers, caps) = match (world.holder(name), place) {
        (Some(holder), _) => {
            let caps = world.caps_of_holder(holder.index).to_vec();
            (Bearer::Holder(holder.index), world.carried(holder).collect(), caps)
        }
        (None, Some(Place::Container(id))) => {
            let caps = world.container_def(id).map_or(Vec::new(), |def| def.caps().to_vec());
            (Bearer::Container(id.index), vec![id], caps)
        }
        _ => return to,
    };
    let measures = match violation.law() {
        Law::WeightCap => vec![Measure::Weight],
        _ => caps.into_iter().map(Measure::Items).collect(),
    };
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
            Some(u32::try_from(items).unwrap_or(u32::MAX).min(cell.count))
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
    match (measure, bearer) {
        (Measure::Items(cap), bearer) => {
            i64::try_from(world.capped(bearer, cap.number)).unwrap_or(i64::MAX) - i64::from(cap.count)
        }
        (Measure::Weight, Bearer::Holder(holder)) => {
            let (weight, cap) = world.holder_weight_and_cap(holder);
            weight.saturating_sub(cap)
        }
        (Measure::Weight, Bearer::Container(container)) => {
            let state = world.state(container);
            state.weight.saturating_sub(state.weight_cap)
        }
    }
}

/// How much one item of a stack comes to, with what lies in it.
fn share(world: &World, measure: Measure, cell: Cell) -> i64 {
    match measure {
        Measure::Weight => {
            let inside = if cell.is_pack() { world.state(cell.inner).weight } else { 0 };
            world.rules.figures[cell.kind as usize].weight.saturating_add(inside)
        }
        Measure::Items(cap) => {
            let inside = if cell.is_pack() { world.capped(Bearer::Container(cell.inner), cap.number) } else { 0 };
            let own = world.classes.admits(&world.rules, cap.of, cell.kind, cell.class);
            i64::try_from(inside).unwrap_or(i64::MAX).saturating_add(i64::from(own))
        }
    }
}
