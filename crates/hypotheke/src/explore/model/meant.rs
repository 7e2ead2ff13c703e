//! Whether an operation is one that a claim forbids.

use crate::explore::model::claims::{Ready, Subject};
use crate::id::KindId;
use crate::language::{Path, Verb};
use crate::ops::{Action, Operation};
use crate::ruleset::Selector;
use crate::world::{Event, Place, Spot, StackClass, StackLocation, World};

impl Ready {
    /// Whether a claim may forbid an operation, decided before it is performed. If it depends on
    /// the outcome, [`Ready::was_meant`] decides afterwards.
    pub(in crate::explore) fn is_meant(&self, world: &World, operation: &Operation) -> bool {
        let Ready::Operation { pattern, named } = self else { return false };
        if let Action::Together { steps } = &operation.action {
            return steps.iter().any(|step| self.is_meant(world, step));
        }
        let ends = Ends::of(operation);
        if ends.verb != pattern.verb {
            return false;
        }
        let matches = |(from, to): (Option<Place>, Option<Place>)| {
            let is_at = |place: Option<Place>, path: &Path| {
                // If it depends on the outcome, it is decided afterwards.
                let Some(place) = place else { return !ends.is_place_known };
                world.place(path, None).is_ok_and(|wanted| is_within(world, place, wanted))
            };
            pattern.from.as_ref().is_none_or(|path| is_at(from, path))
                && pattern.to.as_ref().is_none_or(|path| is_at(to, path))
        };
        let either_way = matches((ends.from, ends.to)) || ends.is_exchange && matches((ends.to, ends.from));
        either_way && named.is_none_or(|named| is_named(world, operation, &ends, named))
    }

    /// Whether the latest operation was one that the claim forbids, of those that [may
    /// be](Ready::is_meant).
    pub(in crate::explore) fn was_meant(&self, world: &World, operation: &Operation) -> bool {
        let Ready::Operation { pattern, named } = self else { return true };
        if matches!(operation.action, Action::Together { .. }) {
            return self.moved(world, *named);
        }
        let ends = Ends::of(operation);
        if !ends.is_place_known
            && let Some(path) = &pattern.to
        {
            let wanted = world.place(path, None);
            let is_there = |end: &StackLocation| {
                let place = world.place_of_end(end);
                place.zip(wanted.as_ref().ok()).is_some_and(|(place, wanted)| is_within(world, place, *wanted))
            };
            let reached = world.events().iter().any(|event| match event {
                Event::Moved { to, .. } => is_there(to),
                Event::Swapped { one, other } => is_there(one) || is_there(other),
                _ => false,
            });
            if !reached {
                return false;
            }
        }
        let traded = operation.action.traded();
        if !traded.is_empty() {
            return self.was_traded(world, *named, &traded);
        }
        // A slot and a stack are known before; for a whole place the events show what it gave.
        !ends.is_complete || self.moved(world, *named)
    }

    /// Whether a stack that the latest deal or trade names has the mark of the claim, if it has one.
    fn was_traded(&self, world: &World, named: Option<Subject>, traded: &[KindId]) -> bool {
        let Some(Subject::Items(Selector::Mark(mark))) = named else { return true };
        let has_mark = |class: u32| world.classes.key(class).is_some_and(|key| key.marks.contains(&mark));
        let is_it = |spot: Spot| {
            let cell = world.cell(spot);
            traded.contains(&world.rules().kind_id(cell.kind)) && !cell.is_empty() && has_mark(cell.class)
        };
        world.events().iter().any(|event| match event {
            Event::Moved { kind, class, .. } => traded.contains(kind) && has_mark(class.0),
            Event::Swapped { one, other } => is_it(one.spot) || is_it(other.spot),
            _ => false,
        })
    }

    /// Whether the latest operation moved the named items, or named no items.
    fn moved(&self, world: &World, named: Option<Subject>) -> bool {
        let Some(Subject::Items(what)) = named else { return true };
        let is_it = |kind: KindId, class: StackClass| match what {
            Selector::Kind(wanted) => kind == wanted,
            Selector::Tag(tag) => world.rules().known_kind(kind).has_tag(tag),
            Selector::Mark(mark) => world.classes.key(class.0).is_some_and(|key| key.marks.contains(&mark)),
        };
        world.events().iter().any(|event| match event {
            Event::Moved { kind, class, .. } => is_it(*kind, *class),
            // What is exchanged, changed or opened names its slot.
            _ => true,
        }) || world.events().is_empty()
    }
}

/// Whether what an operation takes, changes or creates is what a claim names.
fn is_named(world: &World, operation: &Operation, ends: &Ends, named: Subject) -> bool {
    let what = match (named, &operation.action) {
        (Subject::Property(property), Action::Set { property: set, .. }) => return property == *set,
        (Subject::Property(_), _) => return false,
        // The mark that is set or taken away.
        (
            Subject::Items(Selector::Mark(mark)),
            Action::Mark { mark: changed, .. } | Action::Unmark { mark: changed, .. },
        ) if mark == *changed => {
            return true;
        }
        (Subject::Items(what), _) => what,
    };
    let is_of = |kind: KindId| match what {
        Selector::Kind(wanted) => wanted == kind,
        Selector::Tag(tag) => world.rules().known_kind(kind).has_tag(tag),
        Selector::Mark(_) => false,
    };
    let any_there = |place: Option<Place>| {
        place.is_some_and(|place| world.stacks_in(Some(place)).iter().any(|stack| stack.is(what)))
    };
    match &operation.action {
        Action::Create { kind, variant, .. } => {
            is_of(*kind) || matches!(what, Selector::Mark(mark) if variant.marks().contains(&mark))
        }
        Action::Bind { kind, .. } => is_of(*kind),
        // What it names, not what is paid for it.
        Action::Buy { .. } | Action::Sell { .. } | Action::Trade { .. } => {
            let named = operation.action.traded();
            named.iter().any(|&kind| is_of(kind)) || matches!(what, Selector::Mark(_))
        }
        Action::Unbind { at } => {
            let Place::Shortcut(holder, shortcut) = *at else { return false };
            world.shortcuts(holder).nth(shortcut as usize).flatten().is_some_and(is_of)
        }
        Action::Swap { .. } => any_there(ends.from) || any_there(ends.to),
        _ => any_there(ends.from),
    }
}

/// The verb of an operation and the places between which it goes.
struct Ends {
    verb: Verb,
    from: Option<Place>,
    to: Option<Place>,
    /// Whether the places are known before the operation is performed.
    is_place_known: bool,
    /// It goes both ways.
    is_exchange: bool,
    /// It names a whole container, a holder or the ground, so the outcome decides.
    is_complete: bool,
}

impl Ends {
    fn of(operation: &Operation) -> Ends {
        let verb = operation.action.verb();
        let (from, to) = operation.ends();
        let is_stack = |place: &Place| matches!(place, Place::Slot(..) | Place::OnGround(_) | Place::Hand(_));
        Ends {
            verb,
            from,
            to,
            is_place_known: !matches!(verb, Verb::Equip | Verb::Unequip | Verb::Return | Verb::Leave) || to.is_some(),
            is_exchange: matches!(verb, Verb::Swap | Verb::Trade),
            is_complete: from.is_some_and(|from| !is_stack(&from))
                && !matches!(verb, Verb::Create | Verb::Bind | Verb::Unbind),
        }
    }
}

/// Whether a place is the wanted one, or in it at any depth.
fn is_within(world: &World, place: Place, wanted: Place) -> bool {
    if place == wanted {
        return true;
    }
    let container = match place {
        Place::Slot(container, _) | Place::Container(container) => container,
        Place::OnGround(_) => return wanted == Place::Ground,
        Place::Hand(holder) | Place::Shortcut(holder, _) => return wanted == Place::Holder(holder),
        Place::Holder(_) | Place::Ground => return false,
    };
    let around = around(world, container.index);
    match wanted {
        Place::Container(wanted) => around.contains(&wanted.index),
        Place::Holder(holder) => world.holder_of(container.index) == Some(holder.index),
        Place::Ground => around.last().is_some_and(|&outer| {
            let parent = world.state(outer).parent;
            parent != Spot::NOWHERE && parent.is_ground()
        }),
        _ => false,
    }
}

/// A container and those around it, from the inside out.
pub(in crate::explore) fn around(world: &World, container: u32) -> Vec<u32> {
    let outer = |&container: &u32| {
        let parent = world.state(container).parent;
        (parent != Spot::NOWHERE && !parent.is_ground()).then_some(parent.container)
    };
    std::iter::successors(Some(container), outer).collect()
}
