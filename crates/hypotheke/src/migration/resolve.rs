//! Actions on the world itself, by ordinary operations: stacks without a place move to places with
//! room, and an excess over a limit is resolved as the ruleset says.

use super::{Difference, MigrationError};
use super::{Spilled, reduce_weight};
use std::collections::{BTreeMap, BTreeSet};

use crate::audit::{IncrementalAudit, Law, Violation};
use crate::id::{ContainerId, StackId};
use crate::language::{Amount, Landing, Path};
use crate::ops::Operation;
use crate::ruleset::{MigrationPolicy, Ruleset};
use crate::world::{Event, Place, StackView, World};

/// Moves stacks without a place from the ground to places with room. Returns the protected items
/// without room, with their earlier places: they must not stay on the ground.
pub(super) fn lay_what_spilled(
    world: &mut World,
    spilled: &[Spilled],
    differences: &mut [Difference],
) -> BTreeMap<StackId, String> {
    let mut kept = BTreeMap::new();
    for Spilled { stack, place, homes, described } in spilled {
        let mut to = Vec::new();
        for home in homes {
            let home = home.parse::<Path>().ok().and_then(|home| world.place(&home, None).ok());
            if let Some(home) = home.filter(|home| matches!(home, Place::Container(_))) {
                // What does not fit, or is not admitted, stays on the ground.
                let done = world.perform(&Operation::picking_up(Amount::UpTo(u32::MAX), stack.id, home)).is_ok();
                to.extend(done.then(|| ends_of_latest(world)).into_iter().flatten());
            }
        }
        let landed = world.ground().map(|(landed, _)| landed).find(|landed| landed.id() == stack.id);
        let is_protected = landed.is_some_and(has_kept);
        if is_protected {
            kept.insert(stack.id, place.clone());
        } else if landed.is_some() {
            to.push("ground".to_owned());
        }
        if let Some(described) = differences.get_mut(*described) {
            described.to = once_each(to);
            if is_protected {
                described.action = Some(MigrationPolicy::Orphan);
            }
        }
    }
    kept
}

/// Whether it is a protected item, or contains one.
fn has_kept(stack: StackView<'_>) -> bool {
    let inside = stack.inside().map(|inside| stack.world.stacks(inside));
    stack.kind().is_protected() || inside.into_iter().flatten().any(|(_, stack)| has_kept(stack))
}

/// The targets of the latest operation.
pub(super) fn ends_of_latest(world: &World) -> Vec<String> {
    let end = |event: &Event| match event {
        Event::Moved { to, .. } if to.spot.is_ground() => Some("ground".to_owned()),
        Event::Moved { to, .. } => Some(world.spot_name(to.spot)),
        _ => None,
    };
    world.events().iter().filter_map(end).collect()
}

fn once_each(places: Vec<String>) -> Vec<String> {
    let mut seen = BTreeSet::new();
    places.into_iter().filter(|place| seen.insert(place.clone())).collect()
}

/// Resolves an excess over a limit and reports it. An earlier excess is not a difference.
pub(super) fn treat_limits(
    world: &mut World,
    before: &[Violation],
    differences: &mut Vec<Difference>,
) -> Result<(), MigrationError> {
    if IncrementalAudit::new(world).keeps_the_laws(world) {
        return Ok(());
    }
    let rules = std::sync::Arc::clone(&world.rules);
    let found = crate::audit(&rules, &world.snapshot());
    let found: Vec<Violation> = found.into_iter().filter(|violation| !before.contains(violation)).collect();
    let described = |violation: &Violation, action, to| Difference {
        place: violation.place().to_owned(),
        message: format!("{}: {}", violation.law(), violation.message()),
        action: Some(action),
        to,
    };
    let is_refused = |violation: &&Violation| treatment_of(&rules, violation.law()) == MigrationPolicy::Refuse;
    let refused: Vec<Difference> = found
        .iter()
        .filter(is_refused)
        .map(|violation| described(violation, MigrationPolicy::Refuse, Vec::new()))
        .collect();
    if !refused.is_empty() {
        return Err(MigrationError::Refused(refused));
    }
    let went: Vec<Vec<String>> = found.iter().map(|violation| once_each(treat(world, violation))).collect();
    let still = crate::audit(&rules, &world.snapshot());
    fn at(violation: &Violation) -> (Law, &str) {
        (violation.law(), violation.place())
    }
    let still_so: BTreeSet<(Law, &str)> = still.iter().map(at).collect();
    for (violation, to) in found.iter().zip(went) {
        let action = match still_so.contains(&at(violation)) {
            false => treatment_of(&rules, violation.law()),
            true => MigrationPolicy::Stay,
        };
        let to = if action == MigrationPolicy::Stay { Vec::new() } else { to };
        differences.push(described(violation, action, to));
    }
    // A spilled stack may exceed a limit in its new place.
    let described_request: BTreeSet<(Law, &str)> = found.iter().map(at).collect();
    let moved = still.iter().filter(|other| !described_request.contains(&at(other)) && !before.contains(other));
    differences.extend(moved.map(|violation| described(violation, MigrationPolicy::Stay, Vec::new())));
    Ok(())
}

fn treatment_of(rules: &Ruleset, law: Law) -> MigrationPolicy {
    match law {
        Law::StackLimit => rules.migration().over_limit,
        Law::WeightCap | Law::Cap => rules.migration().over_cap,
        Law::Admits => rules.migration().not_admitted,
        _ => MigrationPolicy::Stay,
    }
}

/// Returns the new places of the excess.
fn treat(world: &mut World, violation: &Violation) -> Vec<String> {
    let action = treatment_of(&world.rules, violation.law());
    if !matches!(action, MigrationPolicy::Split | MigrationPolicy::Spill) {
        return Vec::new();
    }
    if matches!(violation.law(), Law::WeightCap | Law::Cap) {
        return reduce_weight::reduce_weight(world, violation);
    }
    let path = violation.place().parse::<Path>().ok();
    let Some(Place::Slot(container, slot)) = path.and_then(|path| world.place(&path, None).ok()) else {
        return Vec::new();
    };
    let over = |world: &World| {
        let stack = world.stack(container, slot);
        let (there, limit) = stack.map_or((0, 0), |stack| {
            let spot = crate::world::Spot { container: container.index, slot };
            (stack.count(), world.limit(spot, stack.kind().handle().0))
        });
        if violation.law() == Law::StackLimit { there.saturating_sub(limit) } else { there }
    };
    let mut to = Vec::new();
    if violation.law() == Law::StackLimit {
        split(world, (container, slot), &over, &mut to);
    }
    if action == MigrationPolicy::Spill {
        spill(world, (container, slot), &over, &mut to);
    }
    to
}

/// Splits the excess onto empty slots of the same container.
fn split(world: &mut World, from: (ContainerId, u32), over: &dyn Fn(&World) -> u32, to: &mut Vec<String>) {
    let mut slot = world.next_empty(from.0.index, 0);
    while let Some(empty) = slot.filter(|_| over(world) > 0) {
        let kind = world.stack(from.0, from.1).map(|stack| stack.kind().handle().0);
        let spot = crate::world::Spot { container: from.0.index, slot: empty };
        let limit = kind.map_or(0, |kind| world.limit(spot, kind));
        // A slot that does not admit it is passed over.
        if world.perform(&Operation::splitting(over(world).min(limit), from, (from.0, empty))).is_ok() {
            to.extend(ends_of_latest(world));
        }
        slot = empty.checked_add(1).and_then(|next| world.next_empty(from.0.index, next));
    }
}

/// Brings it to the holder's other containers, then to the ground.
pub(super) fn spill(world: &mut World, from: (ContainerId, u32), over: &dyn Fn(&World) -> u32, to: &mut Vec<String>) {
    let holder = world.carrier(from.0);
    let others = holder.map(|holder| world.carried(holder).filter(|&other| other != from.0).collect::<Vec<_>>());
    for other in others.unwrap_or_default() {
        let more = over(world);
        if more > 0 && world.perform(&Operation::moving(Amount::UpTo(more), from, other)).is_ok() {
            to.extend(ends_of_latest(world));
        }
    }
    let more = over(world);
    // Protected items stay.
    if more > 0 && world.perform(&Operation::dropping(Amount::UpTo(more), from, Landing::default())).is_ok() {
        to.extend(ends_of_latest(world));
    }
}
