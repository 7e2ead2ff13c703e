//! What is said to help does help: where one reason alone stands against an operation, the rule
//! that its remedy names is changed, and the operation is applied.

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};

use hypotheke::{Action, Cause, HolderId, Kind, Operation, Place, Right, World};

use super::engine::Engine;
use crate::model::{Access, ContainerSpec, Request, Rules};

thread_local! {
    /// The number of times that each remedy was tested.
    static TRIED: RefCell<BTreeMap<&'static str, u32>> = const { RefCell::new(BTreeMap::new()) };
}

pub(super) fn tried() -> BTreeMap<&'static str, u32> {
    TRIED.with_borrow(BTreeMap::clone)
}

/// Follows the remedy of the one reason against a request, if there is one of which the rules are
/// the remedy.
pub(super) fn follow(engine: &Engine, rules: &Rules, request: &Request) {
    let mut acted = request;
    while let Request::By(_, inner) = acted {
        acted = inner;
    }
    // Of an exchange only the first reason is known, of a list only those of one step, and of several
    // stacks that spill only those of the first that has no place.
    if matches!(acted, Request::Equip(..) | Request::Together(_)) || spilled(engine, request) > 1 {
        return;
    }
    let causes = engine.causes(request);
    let [cause] = causes.as_slice() else { return };
    // A container that only merges what is put there has no use for more slots, and a split takes
    // one slot only.
    if matches!((acted, cause), (Request::Put(..) | Request::Split(..), Cause::NoRoom { .. })) {
        return;
    }
    // The remedy is for the first yield that has no room; the next one may need more.
    if matches!(acted, Request::Craft(_, (recipe, _), _) if rules.recipes[*recipe].yields.len() > 1) {
        return;
    }
    let mut changed = rules.clone();
    if change(&engine.world, &mut changed, *cause, engine.actor(request)).is_none() {
        return;
    }
    let mut engine = engine.copied();
    let explained = engine.world.explain_cause(*cause);
    let remedy = engine.world.remedy(*cause);
    let named = operation(&engine.world, *cause, engine.actor(request)).and_then(|it| engine.world.name_operation(&it));
    let working = jobs(&engine);
    engine.reload(&changed);
    if jobs(&engine) != working {
        // An automatic recipe had the same reason against it, and uses the items now.
        return;
    }
    if let Some(first) = named {
        let first = first.resolve(&engine.world).expect("its places exist");
        if engine.world.perform(&first).is_err() {
            // That has reasons of its own.
            return;
        }
    }
    let of_one_slot = matches!(cause, Cause::NoTake(Place::Slot(..)) | Cause::NoPut(Place::Slot(..)));
    if matches!(cause, Cause::NotAllowed { .. }) || of_one_slot {
        // There may be other reasons, and other slots.
        let is_same = |cause: &Cause| engine.world.explain_cause(*cause) == explained;
        assert!(!engine.causes(request).iter().any(is_same), "{explained}: {remedy:?} does not help\n{request:?}");
        TRIED.with_borrow_mut(|tried| *tried.entry(cause.reason().code()).or_insert(0) += 1);
        return;
    }
    let answer = engine.perform(request);
    assert!(answer.is_ok(), "{explained}: {remedy:?} does not help: {answer:?}\n{request:?}");
    TRIED.with_borrow_mut(|tried| *tried.entry(cause.reason().code()).or_insert(0) += 1);
}

fn jobs(engine: &Engine) -> Vec<Option<hypotheke::Job>> {
    engine.world.containers().map(|container| engine.world.job(container)).collect()
}

/// How many stacks would spill.
fn spilled(engine: &Engine, request: &Request) -> usize {
    match engine.operation(request).action {
        Action::Resize { at: Place::Container(container), slots, spill: true } => {
            engine.world.stacks(container).filter(|(slot, _)| *slot >= slots).count()
        }
        _ => 0,
    }
}

/// The rules of the container around a place.
fn container<'r>(world: &World, rules: &'r mut Rules, place: Place) -> Option<&'r mut ContainerSpec> {
    let (Place::Container(id) | Place::Slot(id, _)) = place else { return None };
    let name = world.container_def(id)?.id();
    let number: usize = name[1..].parse().ok()?;
    if name.starts_with('p') { rules.packs.get_mut(number) } else { rules.containers.get_mut(number) }
}

/// Who may do something with a container, or with a slot that has its own border.
fn access<'r>(world: &World, rules: &'r mut Rules, place: Place, right: Right) -> Option<&'r mut Access> {
    let spec = container(world, rules, place)?;
    let (put, take) = match place {
        Place::Slot(_, slot) => {
            let slot = spec.ruled.get_mut(slot as usize)?;
            (&mut slot.put, &mut slot.take)
        }
        _ if right == Right::Open => return Some(&mut spec.open),
        _ => (&mut spec.put, &mut spec.take),
    };
    Some(if right == Right::Put { put } else { take })
}

fn holder(world: &World, place: Place) -> Option<usize> {
    let Place::Holder(id) = place else { return None };
    world.holder_name(id)[1..].parse().ok()
}

/// Its stacks are always of one item.
fn stays_alone(kind: Kind<'_>) -> bool {
    kind.pack().is_some() || !kind.lowered().is_empty()
}

/// Does as the remedy says; `None` if it says something else than to change a rule.
fn change(world: &World, rules: &mut Rules, cause: Cause, actor: Option<HolderId>) -> Option<()> {
    let small = |count: u64| u32::try_from(count).expect("few");
    match cause {
        Cause::WeightCap { of, would, .. } => {
            let cap = match holder(world, of) {
                Some(holder) => &mut rules.holders[holder].0,
                None => &mut container(world, rules, of)?.cap,
            };
            *cap = Some(would.thousandths());
        }
        Cause::Cap { of, cap, would, .. } => {
            let caps = match holder(world, of) {
                Some(holder) => &mut rules.holders[holder].1,
                None => &mut container(world, rules, of)?.caps,
            };
            caps[cap as usize].1 = small(would);
        }
        Cause::StackLimit { kind, .. } if world.rules().kind(kind).is_some_and(stays_alone) => {
            return None;
        }
        Cause::StackLimit { at, would, .. } => {
            let would = small(would);
            let kinds = rules.kinds.iter_mut().filter(|kind| kind.pack.is_none() && kind.lowers.is_empty());
            kinds.for_each(|kind| kind.limit = kind.limit.max(would));
            let slot = if let Place::Slot(_, slot) = at { slot as usize } else { 0 };
            if let Some(spec) = container(world, rules, at) {
                spec.limit = spec.limit.map(|limit| limit.max(would));
                spec.ruled.get_mut(slot).into_iter().for_each(|rule| rule.limit = rule.limit.map(|it| it.max(would)));
            }
        }
        Cause::NoPut(at) => *access(world, rules, at, Right::Put)? = Access::Anyone,
        Cause::NoTake(at) => *access(world, rules, at, Right::Take)? = Access::Anyone,
        Cause::NotAllowed { at, right } => {
            let actor: usize = world.holder_name(actor?)[1..].parse().ok()?;
            match access(world, rules, at, right)? {
                Access::Listed { holders, .. } => _ = holders.insert(actor),
                who => {
                    let (holders, groups) = (BTreeSet::from([actor]), BTreeSet::new());
                    *who = Access::Listed { owner: false, holders, groups };
                }
            }
        }
        Cause::NotOpen(_) | Cause::InUse { .. } => {}
        Cause::TooDeep { would, .. } => rules.nesting = i64::from(would),
        Cause::MostInWorld { would, .. } => {
            let most = rules.kinds.iter_mut().filter_map(|kind| kind.most.as_mut());
            most.for_each(|most| *most = (*most).max(small(would)));
        }
        Cause::Protected(_) => rules.kinds.iter_mut().for_each(|kind| kind.is_protected = false),
        Cause::NotAdmitted { by: by @ Place::Container(_), .. } => {
            let spec = container(world, rules, by)?;
            (spec.filter, spec.deep) = (None, false);
        }
        Cause::NotAdmitted { by: by @ Place::Slot(_, slot), .. } => {
            container(world, rules, by)?.ruled.get_mut(slot as usize)?.filter = None;
        }
        Cause::NoRoom { at: Place::Ground, requested, room } => {
            // It may be over its limit already.
            let limit = rules.ground_limit.as_mut()?;
            *limit = small(requested - room) as usize + world.ground().count().max(*limit);
        }
        // A container that has been resized has more than that already.
        Cause::NoRoom { at: at @ Place::Container(_), requested, room } => {
            container(world, rules, at)?.bounds.1 += small(requested - room) as usize;
        }
        _ => return None,
    }
    Some(())
}

/// What has to be done first, as the remedy says.
fn operation(world: &World, cause: Cause, actor: Option<HolderId>) -> Option<Operation> {
    match cause {
        Cause::NotOpen(at) => Some(Operation { actor, action: Action::Open { at } }),
        Cause::InUse { at, by } => Some(Operation { actor: Some(by), action: Action::Close { at } }),
        Cause::NoRoom { at: at @ Place::Container(container), requested, room } => {
            let slots = u32::try_from(world.slots(container).count() as u64 + requested - room).expect("few");
            Some(Action::Resize { at, slots, spill: false }.into())
        }
        _ => None,
    }
}
