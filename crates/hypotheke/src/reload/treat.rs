//! What is done on the world itself, with operations as any others: what lost its place is laid where there is room, what
//! is over a limit is treated as the ruleset says.

use super::adapt::Spilled;
use super::{Difference, ReloadError, Treatment};
use crate::audit::{Law, Violation};
use crate::id::ContainerId;
use crate::language::{Amount, Landing, Path};
use crate::ops::Operation;
use crate::ruleset::Ruleset;
use crate::world::{Place, World};

/// Brings what lies on the ground, because its place has gone, to where there is room for it.
pub(super) fn lay_what_spilled(world: &mut World, spilled: &[Spilled]) -> Result<(), ReloadError> {
    let mut kept = Vec::new();
    for Spilled { stack, place, homes } in spilled {
        for home in homes {
            let home = home.parse::<Path>().ok().and_then(|home| world.place(&home, None).ok());
            if let Some(home) = home.filter(|home| matches!(home, Place::Container(_))) {
                // What does not fit, or is not admitted, stays on the ground.
                let _ = world.perform(&Operation::picking_up(Amount::UpTo(u32::MAX), stack.id, home));
            }
        }
        let kind = world.rules.find_kind(&stack.kind);
        let is_kept = kind.is_some_and(|kind| world.rules.kind(kind).is_kept());
        if is_kept && world.ground.landing_of(stack.id.0).is_some() {
            let message = format!("{} is kept, and there is no room for it but on the ground", stack.kind);
            kept.push(Difference { place: place.clone(), message, treatment: Some(Treatment::Refuse) });
        }
    }
    if kept.is_empty() { Ok(()) } else { Err(ReloadError::Refused(kept)) }
}

/// Treats what is beyond a limit, and tells of it. What was so before is no difference.
pub(super) fn treat_limits(
    world: &mut World,
    before: &[Violation],
    differences: &mut Vec<Difference>,
) -> Result<(), ReloadError> {
    let rules = std::sync::Arc::clone(&world.rules);
    let found = crate::audit(&rules, &world.snapshot());
    let found: Vec<Violation> = found.into_iter().filter(|violation| !before.contains(violation)).collect();
    let told = |violation: &Violation, treatment| Difference {
        place: violation.place().to_owned(),
        message: format!("{}: {}", violation.law(), violation.message()),
        treatment: Some(treatment),
    };
    let is_refused = |violation: &&Violation| treatment_of(&rules, violation.law()) == Treatment::Refuse;
    let refused: Vec<Difference> =
        found.iter().filter(is_refused).map(|violation| told(violation, Treatment::Refuse)).collect();
    if !refused.is_empty() {
        return Err(ReloadError::Refused(refused));
    }
    for violation in &found {
        treat(world, violation);
    }
    let still = crate::audit(&rules, &world.snapshot());
    for violation in &found {
        let same = |other: &&Violation| other.law() == violation.law() && other.place() == violation.place();
        let treatment = match still.iter().find(same) {
            None => treatment_of(&rules, violation.law()),
            Some(_) => Treatment::Leave,
        };
        differences.push(told(violation, treatment));
    }
    // What was spilled may be beyond a limit where it lies now.
    let is_told =
        |other: &&Violation| found.iter().any(|told| told.law() == other.law() && told.place() == other.place());
    let moved = still.iter().filter(|other| !is_told(other) && !before.contains(other));
    differences.extend(moved.map(|violation| told(violation, Treatment::Leave)));
    Ok(())
}

fn treatment_of(rules: &Ruleset, law: Law) -> Treatment {
    match law {
        Law::StackLimit => rules.reload().over_limit,
        Law::Admits if rules.reload().not_admitted == Treatment::Split => Treatment::Spill,
        Law::Admits => rules.reload().not_admitted,
        _ => Treatment::Leave,
    }
}

fn treat(world: &mut World, violation: &Violation) {
    let treatment = treatment_of(&world.rules, violation.law());
    if !matches!(treatment, Treatment::Split | Treatment::Spill) {
        return;
    }
    let path = violation.place().parse::<Path>().ok();
    let Some(Place::Slot(container, slot)) = path.and_then(|path| world.place(&path, None).ok()) else { return };
    let over = |world: &World| {
        let stack = world.stack(container, slot);
        let (there, limit) = stack.map_or((0, 0), |stack| {
            let spot = crate::world::Spot { container: container.index, slot };
            (stack.count(), world.limit(spot, stack.kind().handle().0))
        });
        if violation.law() == Law::StackLimit { there.saturating_sub(limit) } else { there }
    };
    if violation.law() == Law::StackLimit {
        split(world, (container, slot), &over);
    }
    if treatment == Treatment::Spill {
        spill(world, (container, slot), &over);
    }
}

/// Parts what is over the limit onto empty slots of the same container.
fn split(world: &mut World, from: (ContainerId, u32), over: &dyn Fn(&World) -> u32) {
    let mut slot = world.next_empty(from.0.index, 0);
    while let Some(empty) = slot.filter(|_| over(world) > 0) {
        let kind = world.stack(from.0, from.1).map(|stack| stack.kind().handle().0);
        let spot = crate::world::Spot { container: from.0.index, slot: empty };
        let limit = kind.map_or(0, |kind| world.limit(spot, kind));
        // A slot that does not admit it is passed over.
        let _ = world.perform(&Operation::splitting(over(world).min(limit), from, (from.0, empty)));
        slot = empty.checked_add(1).and_then(|next| world.next_empty(from.0.index, next));
    }
}

/// Brings it to the holder's other containers, then to the ground.
fn spill(world: &mut World, from: (ContainerId, u32), over: &dyn Fn(&World) -> u32) {
    let holder = world.carrier(from.0);
    let others = holder.map(|holder| world.carried(holder).filter(|&other| other != from.0).collect::<Vec<_>>());
    for other in others.unwrap_or_default() {
        if over(world) > 0 {
            let _ = world.perform(&Operation::moving(Amount::UpTo(over(world)), from, other));
        }
    }
    if over(world) > 0 {
        // What is kept stays.
        let _ = world.perform(&Operation::dropping(Amount::UpTo(over(world)), from, Landing::default()));
    }
}
