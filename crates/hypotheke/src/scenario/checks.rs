//! The checks of scenarios and claims.

use std::collections::BTreeMap;

use super::check::START;
use super::report::{DifferenceRow, Finding};
use super::tree::{Check, Claim, Mode, Operand};
use crate::language::{NOBODY, NamedPortion, Path, times_text};
use crate::quantity::Decimal;
use crate::text::Word;
use crate::world::{ClassKey, Place, StackView, UnknownPlace, World};

/// The finding of a check of a world, and of the start if it compares with that, if it fails.
///
/// # Errors
/// An unknown place.
pub(crate) fn finding(world: &World, start: Option<&World>, check: &Check) -> Result<Option<Finding>, UnknownPlace> {
    if let Some(group) = check.group() {
        for member in world.members(group).collect::<Vec<_>>() {
            if let Some(finding) = finding(world, start, &check.of_member(world.holder_name(member)))? {
                return Ok(Some(finding));
            }
        }
        return Ok(None);
    }
    let place = |path: &Path| world.place(path, None);
    Ok(match check {
        Check::Contents { place: path, mode, contents } => {
            contents_finding(world, &path.to_string(), &world.stacks_in(Some(place(path)?)), *mode, contents)
        }
        Check::LyingAt { position, mode, contents } => {
            let there = world.ground().filter(|(_, at)| at == position).map(|(stack, _)| stack);
            contents_finding(world, &format!("ground at {position}"), &there.collect::<Vec<_>>(), *mode, contents)
        }
        Check::Origin { holder, slot } => {
            let slot = slot.as_ref().map(place).transpose()?;
            origin_finding(world, place(holder)?, slot)
        }
        Check::Encumbrance { holder, label } => encumbrance_finding(world, place(holder)?, label.as_ref()),
        Check::Shortcuts { holder, kinds } => shortcuts_finding(world, Some(place(holder)?), kinds),
        Check::PointsAt { shortcut, kind } => pointing_finding(world, place(shortcut)?, kind.as_ref()),
        Check::Open { container, holder, open } => opening_finding(world, place(container)?, place(holder)?, *open),
        Check::Works { container, job } => working_finding(world, place(container)?, job.as_ref()),
        Check::Owner { container, owner } => owner_finding(world, place(container)?, owner.as_ref()),
        Check::Places { name, places } => places_finding(world, name, places)?,
        Check::Measure { claim, comparison, operand } => {
            let measured = |claim: &Claim| Ok(measure(world, claim, claim.place().map(place).transpose()?));
            let found = measured(claim)?;
            let expected = match operand {
                Operand::Number { number, .. } => *number,
                Operand::Measured(other) => measured(other)?,
                Operand::AtStart(other) => start.map_or(Decimal::ZERO, |start| measure_if_there(start, other)),
            };
            let unit = if matches!(claim, Claim::Weight(_)) { world.rules().weight_unit() } else { "" };
            let finding = || Finding::Measure {
                what: claim.to_string(),
                comparison: *comparison,
                expected,
                expected_of: (!matches!(operand, Operand::Number { .. })).then(|| operand.to_string()),
                found,
                unit: unit.to_owned(),
            };
            (!comparison.holds(&found, &expected)).then(finding)
        }
        // These compare several worlds.
        Check::Events { .. } | Check::UnchangedSince { .. } | Check::NothingChanged => None,
    })
}

impl Check {
    /// The group each member of which it checks.
    pub(crate) fn group(&self) -> Option<&str> {
        match self {
            Check::Measure { claim, .. } => claim.place()?.group(),
            _ => None,
        }
    }

    /// The same of one member of its group.
    pub(crate) fn of_member(&self, holder: &str) -> Check {
        let Check::Measure { claim, comparison, operand } = self else { return self.clone() };
        let operand = match operand {
            Operand::Number { .. } => operand.clone(),
            Operand::Measured(claim) => Operand::Measured(claim.of_member(holder)),
            Operand::AtStart(claim) => Operand::AtStart(claim.of_member(holder)),
        };
        Check::Measure { claim: claim.of_member(holder), comparison: *comparison, operand }
    }

    /// Whether it compares with the start.
    pub(crate) fn reads_start(&self) -> bool {
        match self {
            Check::Measure { operand, .. } => matches!(operand, Operand::AtStart(_)),
            Check::UnchangedSince { snapshot } => snapshot.as_str() == START,
            _ => false,
        }
    }

    /// The quantities that it compares.
    pub(crate) fn measured(&self) -> impl Iterator<Item = &Claim> {
        let (claim, other) = match self {
            Check::Measure { claim, operand: Operand::Measured(other) | Operand::AtStart(other), .. } => {
                (Some(claim), Some(other))
            }
            Check::Measure { claim, operand: Operand::Number { .. }, .. } => (Some(claim), None),
            _ => (None, None),
        };
        claim.into_iter().chain(other)
    }

    /// The place of a check.
    pub(super) fn place(&self) -> Option<&Path> {
        match self {
            Check::Contents { place, .. } => Some(place),
            Check::Encumbrance { holder, .. } | Check::Shortcuts { holder, .. } | Check::Origin { holder, .. } => {
                Some(holder)
            }
            Check::PointsAt { shortcut, .. } => Some(shortcut),
            Check::Open { container, .. } | Check::Owner { container, .. } | Check::Works { container, .. } => {
                Some(container)
            }
            Check::Measure { claim, .. } => claim.place(),
            Check::LyingAt { .. }
            | Check::Places { .. }
            | Check::Events { .. }
            | Check::UnchangedSince { .. }
            | Check::NothingChanged => None,
        }
    }
}

fn answer(expected: String, found: String) -> Finding {
    Finding::Answer { expected, found, reasons: Vec::new() }
}

/// The common part of two lists, whatever the order.
pub(super) fn list_finding(what: &str, expected: Vec<String>, found: Vec<String>) -> Finding {
    Finding::List { what: what.to_owned(), expected, found }
}

fn origin_finding(world: &World, holder: Place, slot: Option<Place>) -> Option<Finding> {
    let Place::Holder(holder) = holder else { return None };
    let found = world.hand_origin(holder);
    let described = |slot: Option<Place>| {
        format!("origin {}", slot.map_or_else(|| "nothing".to_owned(), |slot| world.place_name(slot)))
    };
    (found != slot).then(|| answer(described(slot), described(found)))
}

fn encumbrance_finding(world: &World, place: Place, label: Option<&Word>) -> Option<Finding> {
    let Place::Holder(holder) = place else { return None };
    let (found, expected) = (world.encumbrance(holder), label.map(Word::as_str));
    let described = |label: Option<&str>| format!("encumbrance {}", label.unwrap_or("nothing"));
    (found != expected).then(|| answer(described(expected), described(found)))
}

fn pointing_finding(world: &World, place: Place, kind: Option<&Word>) -> Option<Finding> {
    let Place::Shortcut(holder, shortcut) = place else { return None };
    let found =
        world.shortcuts(holder).nth(shortcut as usize).flatten().map(|kind| world.rules().known_kind(kind).id());
    let expected = kind.map(Word::as_str);
    let described = |kind: Option<&str>| format!("points at {}", kind.unwrap_or("nothing"));
    (found != expected).then(|| answer(described(expected), described(found)))
}

fn opening_finding(world: &World, container: Place, holder: Place, open: bool) -> Option<Finding> {
    let (Place::Container(container), Place::Holder(holder)) = (container, holder) else { return None };
    let found = world.has_opened(holder, container);
    let described = |open: bool| format!("{} to {}", if open { "open" } else { "closed" }, world.holder_name(holder));
    (found != open).then(|| answer(described(open), described(found)))
}

fn owner_finding(world: &World, container: Place, owner: Option<&Word>) -> Option<Finding> {
    let Place::Container(container) = container else { return None };
    let (found, expected) = (world.owner(container), owner.map(Word::as_str));
    let described = |owner: Option<&str>| format!("owner {}", owner.unwrap_or(NOBODY));
    (found != expected).then(|| answer(described(expected), described(found)))
}

/// The ticks left are compared if the check names it.
fn working_finding(world: &World, container: Place, job: Option<&(u32, Word, Option<u32>)>) -> Option<Finding> {
    let Place::Container(id) = container else { return None };
    let found = world.job(id);
    let is_it = match (job, found) {
        (None, None) => true,
        (Some((times, recipe, left)), Some(found)) => {
            let is_left = left.is_none_or(|left| u64::from(left) == found.left(world.clock()));
            let recipe = world.rules().find_recipe(recipe.as_str());
            (*times, recipe) == (found.times(), Some(found.recipe())) && is_left
        }
        _ => false,
    };
    let expected = job.map_or_else(
        || "nothing".to_owned(),
        |(times, recipe, left)| {
            let left = left.map(|left| format!(" for {left}")).unwrap_or_default();
            times_text(*times, recipe.as_str()) + &left
        },
    );
    let found = found.map_or_else(|| "nothing".to_owned(), |job| world.job_text(job));
    (!is_it).then(|| answer(format!("works on {expected}"), format!("works on {found}")))
}

/// Places are compared as a set.
fn places_finding(world: &World, name: &Word, places: &[Path]) -> Result<Option<Finding>, UnknownPlace> {
    let Some(what) = world.rules().selector(name.as_str()) else { return Ok(None) };
    let stacks = world.all_stacks_in(None).into_iter().filter(|stack| stack.is(what));
    let mut found: Vec<String> =
        stacks.filter_map(|stack| world.place_of(stack.id())).map(|place| world.place_name(place)).collect();
    let mut expected = Vec::new();
    for path in places {
        expected.push(world.place_name(world.place(path, None)?));
    }
    let described = (expected.clone(), found.clone());
    found.sort_unstable();
    expected.sort_unstable();
    Ok((found != expected).then(|| list_finding(&format!("places of {name}"), described.0, described.1)))
}

fn shortcuts_finding(world: &World, place: Option<Place>, kinds: &[Option<Word>]) -> Option<Finding> {
    let Some(Place::Holder(holder)) = place else { return None };
    let found: Vec<Option<&str>> =
        world.shortcuts(holder).map(|kind| kind.map(|kind| world.rules().known_kind(kind).id())).collect();
    let mut expected: Vec<Option<&str>> = kinds.iter().map(|kind| kind.as_ref().map(Word::as_str)).collect();
    expected.resize(found.len().max(expected.len()), None);
    let described = |kinds: &[Option<&str>]| {
        let texts: Vec<&str> = kinds.iter().map(|kind| kind.unwrap_or("nothing")).collect();
        format!("shortcuts {}", texts.join(", "))
    };
    (found != expected).then(|| answer(described(&expected), described(&found)))
}

impl Claim {
    /// The same of one member of the group that its place names.
    fn of_member(&self, holder: &str) -> Claim {
        match self {
            Claim::Weight(place) => Claim::Weight(place.of_member(holder)),
            Claim::Value(place) => Claim::Value(place.of_member(holder)),
            Claim::FreeSlots(place) => Claim::FreeSlots(place.of_member(holder)),
            Claim::RoomFor(kind, place) => Claim::RoomFor(kind.clone(), place.of_member(holder)),
            Claim::Attribute(name, place) => Claim::Attribute(name.clone(), place.of_member(holder)),
            Claim::Meter(name, place) => Claim::Meter(name.clone(), place.of_member(holder)),
            Claim::Count(name, place) => {
                Claim::Count(name.clone(), place.as_ref().map(|place| place.of_member(holder)))
            }
        }
    }

    pub(crate) fn place(&self) -> Option<&Path> {
        match self {
            Claim::Weight(place)
            | Claim::Value(place)
            | Claim::FreeSlots(place)
            | Claim::RoomFor(_, place)
            | Claim::Attribute(_, place)
            | Claim::Meter(_, place) => Some(place),
            Claim::Count(_, place) => place.as_ref(),
        }
    }
}

/// Kind, marks and properties in words: `ice-core (contaminated, reading 3.2)`.
pub(crate) fn item_text(stack: StackView<'_>) -> String {
    let marks = stack.marks().map(str::to_owned);
    let properties = stack.changed_properties().map(|(name, value)| format!("{name} {value}"));
    let variant: Vec<String> = marks.chain(properties).collect();
    let kind = stack.kind().id();
    if variant.is_empty() { kind.to_owned() } else { format!("{kind} ({})", variant.join(", ")) }
}

fn contents_finding(
    world: &World,
    place: &str,
    there: &[StackView<'_>],
    mode: Mode,
    contents: &[NamedPortion],
) -> Option<Finding> {
    // Equal items are counted together. Listed items come first, in order.
    let mut rows: Vec<(ClassKey, String, Option<u64>, u64)> = Vec::new();
    for written in contents {
        let Ok(portion) = world.rules().resolve_portion(written) else { continue };
        let key = ClassKey::new(world.rules(), portion.kind, &portion.marks, &portion.properties);
        let count = u64::from(portion.count);
        match rows.iter_mut().find(|(known, ..)| *known == key) {
            Some((_, _, expected, _)) => *expected = expected.map(|known| known + count),
            None => {
                let plain = NamedPortion { count: 1, ..written.clone() };
                let item = plain.to_string().split_off(2);
                rows.push((key, item, Some(count), 0));
            }
        }
    }
    let mut index: BTreeMap<ClassKey, usize> =
        rows.iter().enumerate().map(|(at, (key, ..))| (key.clone(), at)).collect();
    for &stack in there {
        let key = stack.class_key();
        let at = *index.entry(key.clone()).or_insert_with(|| {
            rows.push((key, item_text(stack), None, 0));
            rows.len() - 1
        });
        rows[at].3 += u64::from(stack.count());
    }
    let holds = |expected: Option<u64>, found: u64| match mode {
        Mode::Exactly => expected.unwrap_or(0) == found,
        Mode::AtLeast => expected.unwrap_or(0) <= found,
    };
    let rows: Vec<DifferenceRow> = rows
        .into_iter()
        .map(|(_, item, expected, found)| DifferenceRow { item, expected, found, matches: holds(expected, found) })
        .collect();
    let all_hold = rows.iter().all(|row| row.matches);
    (!all_hold).then(|| Finding::Contents { place: place.to_owned(), rows })
}

/// The value of a quantity; 0 of a place that is not in the world.
fn measure_if_there(world: &World, claim: &Claim) -> Decimal {
    match claim.place().map(|path| world.place(path, None)).transpose() {
        Ok(place) => measure(world, claim, place),
        Err(_) => Decimal::ZERO,
    }
}

/// The value of a quantity in a world.
pub(crate) fn measure(world: &World, claim: &Claim, place: Option<Place>) -> Decimal {
    match (claim, place) {
        (Claim::FreeSlots(_), Some(Place::Container(id))) => Decimal::from(world.free_slots(id)),
        (Claim::Attribute(name, _), Some(Place::Holder(id))) => world.attribute(id, name.as_str()),
        (Claim::RoomFor(kind, _), Some(place)) => {
            let room = world.rules().find_kind(kind.as_str()).map(|kind| world.room_for(kind, place));
            room.map_or(Decimal::ZERO, |room| whole(room.items))
        }
        (Claim::Meter(name, _), Some(Place::Holder(id))) => world.meter(id, name.as_str()).unwrap_or(Decimal::ZERO),
        (Claim::RoomFor(..) | Claim::FreeSlots(_) | Claim::Attribute(..) | Claim::Meter(..), _) => Decimal::ZERO,
        (Claim::Weight(_), Some(Place::Container(id))) => world.container_weight(id),
        (Claim::Weight(_), Some(Place::Holder(id))) => world.holder_weight(id),
        (Claim::Weight(_), Some(Place::Ground)) => world.ground_weight(),
        (Claim::Weight(_), place) => {
            let weights =
                place.map_or_else(Vec::new, |place| world.stacks_in(Some(place))).into_iter().map(StackView::weight);
            weights.fold(Decimal::ZERO, |sum, weight| sum.checked_add(weight).unwrap_or(sum))
        }
        (Claim::Value(_), place) => world.value_of(place),
        (Claim::Count(name, _), place) => {
            let count = world.rules().selector(name.as_str()).map_or(0, |what| world.count(what, place));
            whole(count)
        }
    }
}

/// A count as a number; a count that is too large becomes the largest number.
pub(crate) fn whole(count: u64) -> Decimal {
    Decimal::from_thousandths(i64::try_from(count).unwrap_or(i64::MAX).saturating_mul(1_000))
}
