//! What fits where: every kind against every group of slots that are alike.

use std::sync::Arc;

use crate::filter::Outlook;
use crate::id::{ContainerDefId, ContainerId, KindId, RecipeId};
use crate::language::{Amount, Landing};
use crate::narrow;
use crate::ops::{Action, Cause, Operation, Reason, Variant};
use crate::ruleset::{Access, ContainerDef, FilterId, Ingredient, Kind, Of, Right, Ruleset};
use crate::world::{Place, World};

/// Slots of one container that have the same rules.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SlotGroup {
    /// The container: its name in the ruleset, or the name that was requested.
    pub container: String,
    /// The names of the slots, or their numbers where they have none: `radar`, `2, 3`; empty if all
    /// slots of the container are alike.
    pub slots: String,
    /// Who may put items in, if the ruleset lists them for the container or these slots. What fits
    /// does not depend on it.
    pub put_by: Vec<String>,
    first: u32,
}

/// The rule that rejects the kind.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// It is admitted as it is at first, without marks and with its first properties.
    Admitted,
    /// Not as it is at first, but with other marks or properties.
    Depends {
        /// The filter that asks for them.
        filter: String,
    },
    /// The filter of the container rejects it.
    NotInContainer {
        /// The filter.
        filter: String,
    },
    /// The filter of the slot rejects it.
    NotInSlot {
        /// The filter.
        filter: String,
    },
    /// Nothing may be put into the container; only the game can create items there.
    NoPut,
    /// It needs further slots that are not there.
    OccupiesSlots {
        /// Their names.
        slots: String,
    },
}

/// What limited_by first when a container is filled with one kind.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LimitedBy {
    /// The slots and their limits.
    Room,
    /// A weight cap, of the container or of who carries it.
    Weight,
    /// A cap by filter, of the container or of who carries it.
    Cap,
    /// Nothing that an operation could reach.
    Nothing,
}

/// Whether and how far a kind fits into a group of slots.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fit {
    /// Whether it is admitted, and if not, by which rule.
    pub verdict: Verdict,
    /// The most items in one of the slots.
    pub per_slot: u32,
    /// The most items in the container, if it is empty otherwise.
    pub per_container: u64,
    /// The limit that stops the next item.
    pub limited_by: LimitedBy,
    /// The container or holder whose cap or weight cap that is; `None` if slots or nothing bind.
    pub whose: Option<Bearer>,
    /// The recipes of the container that use items of the kind up or need them as tools, perhaps
    /// only with certain marks or properties.
    pub recipes: Vec<RecipeId>,
}

/// Whose cap it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Bearer {
    /// That of the container itself.
    Container,
    /// That of the holder of this name, who carries it.
    Holder(String),
}

/// A name that is no container.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("unknown container `{}`", crate::language::shortened(.0))]
pub struct NoContainer(pub String);

/// What fits where.
#[derive(Clone, Debug)]
pub struct Fits {
    groups: Vec<SlotGroup>,
    /// For each kind, in the order of the ruleset, one for each group.
    rows: Vec<(KindId, Vec<Fit>)>,
}

impl Fits {
    /// Works it out for all containers. Of one that several holders carry, it is that of the first
    /// of them.
    #[must_use]
    pub fn new(rules: &Arc<Ruleset>) -> Fits {
        Fits::of_first(rules, usize::MAX)
    }

    /// The same for a number of kinds, from the first one on.
    #[must_use]
    pub fn of_first(rules: &Arc<Ruleset>, kinds: usize) -> Fits {
        let mut world = World::empty(rules);
        let (mut groups, mut places) = (Vec::new(), Vec::new());
        for def in rules.containers() {
            let Some(place) = instance(&mut world, def) else { continue };
            let own = groups_of(def, def.id());
            places.extend(own.iter().map(|_| (def, place)));
            groups.extend(own);
        }
        Fits::of(rules, &world, groups, &places, kinds)
    }

    /// Works it out for some containers: by their names in the ruleset (`pockets`), as one of
    /// several (`locker-a`), with who carries them (`driver.pockets`), or by the kind of a pack,
    /// whose inside it is.
    ///
    /// # Errors
    /// The first name that is no container.
    pub fn in_containers(rules: &Arc<Ruleset>, names: &[&str]) -> Result<Fits, NoContainer> {
        let mut world = World::empty(rules);
        let mut groups = Vec::new();
        let mut places = Vec::new();
        for &name in names {
            let (def, place) = find(&mut world, name).ok_or_else(|| NoContainer(name.to_owned()))?;
            let def = rules.container(def);
            let own = groups_of(def, name);
            places.extend(own.iter().map(|_| (def, place)));
            groups.extend(own);
        }
        Ok(Fits::of(rules, &world, groups, &places, usize::MAX))
    }

    fn of(
        rules: &Ruleset,
        world: &World,
        groups: Vec<SlotGroup>,
        places: &[(&ContainerDef, ContainerId)],
        kinds: usize,
    ) -> Fits {
        let row = |kind: Kind<'_>| {
            // The groups of one container follow each other.
            let mut last: Option<(ContainerId, Filled, Vec<RecipeId>)> = None;
            let fit = |(group, (def, place)): (&SlotGroup, &(&ContainerDef, ContainerId))| {
                let (filled, recipes) = match last.take() {
                    Some((of, filled, recipes)) if of == *place => (filled, recipes),
                    _ => (filled(world, kind.handle(), *place), recipes_for(world, kind, *place)),
                };
                last = Some((*place, filled.clone(), recipes.clone()));
                let (per_container, limited_by, whose) = filled;
                let verdict = verdict(rules, def, group.first, kind);
                let own = def.ruled.get(group.first as usize).map_or(u32::MAX, |slot| slot.stack_limit);
                let per_slot = kind.stack_limit().min(def.stack_limit).min(own);
                Fit { verdict, per_slot, per_container, limited_by, whose, recipes }
            };
            (kind.handle(), groups.iter().zip(places).map(fit).collect())
        };
        let rows = rules.kinds().take(kinds).map(row).collect();
        Fits { groups, rows }
    }

    /// The groups of slots, in the order of the ruleset.
    #[must_use]
    pub fn groups(&self) -> &[SlotGroup] {
        &self.groups
    }

    /// The kinds, in the order of the ruleset, each with its result for each group.
    pub fn rows(&self) -> impl Iterator<Item = (KindId, &[Fit])> {
        self.rows.iter().map(|(kind, fits)| (*kind, fits.as_slice()))
    }
}

/// The definition and a container of that name.
fn find(world: &mut World, name: &str) -> Option<(ContainerDefId, ContainerId)> {
    let rules = Arc::clone(world.rules());
    if let Some(place) = world.container(name) {
        let def = world.container_def(place)?.id().to_owned();
        return Some((rules.find_container(&def)?, place));
    }
    if let Some((holder, own)) = name.split_once('.') {
        let (def, holder) = (rules.find_container(own)?, world.holder(holder)?);
        let place = world.carried(holder).find(|&id| world.container_def(id).is_some_and(|def| def.id() == own))?;
        return Some((def, place));
    }
    let brought = || rules.find_kind(name).and_then(|kind| rules.known_kind(kind).pack()).map(ContainerDef::id);
    let def = rules.find_container(name).or_else(|| rules.find_container(brought()?))?;
    Some((def, instance(world, rules.container(def))?))
}

/// A container of that definition; of one that a kind brings along, the inside of a stack of that
/// kind.
fn instance(world: &mut World, def: &ContainerDef) -> Option<ContainerId> {
    if def.is_brought() {
        let rules = Arc::clone(world.rules());
        let pack = rules.kinds().find(|kind| kind.pack().is_some_and(|pack| pack.id() == def.id()))?;
        let (kind, variant) = (pack.handle(), Variant::plain());
        let (amount, to, landing) = (Amount::Exactly(1), Place::Ground, Landing::default());
        let create = Operation::from(Action::Create { amount, kind, variant, to, landing });
        let _outcome = world.perform(&create).ok()?;
        return world.ground().last().and_then(|(stack, _)| stack.inside());
    }
    world.containers().find(|&id| world.container_def(id).is_some_and(|other| other.id() == def.id()))
}

/// Slots with the same filter and limit, in the order in which they begin.
fn groups_of(def: &ContainerDef, name: &str) -> Vec<SlotGroup> {
    let slots = def.slots();
    let ruled = narrow::index(def.ruled.len()).min(slots);
    let rules_of = |slot: u32| {
        let rule = def.ruled.get(slot as usize);
        let access = rule.map_or(&Access::Surrounding, |rule| rule.access(Right::Put));
        (rule.and_then(|rule| rule.admits), rule.map_or(u32::MAX, |rule| rule.stack_limit), access)
    };
    let label = |slot: u32| {
        let name = def.ruled.get(slot as usize).and_then(|rule| rule.name.as_deref());
        name.map_or_else(|| slot.to_string(), str::to_owned)
    };
    let mut groups: Vec<(u32, Vec<String>)> = Vec::new();
    for slot in 0..ruled {
        match groups.iter_mut().find(|(first, _)| rules_of(*first) == rules_of(slot)) {
            Some((_, labels)) => labels.push(label(slot)),
            None => groups.push((slot, vec![label(slot)])),
        }
    }
    if ruled < slots {
        let rest = if ruled == 0 { String::new() } else { format!("{ruled} to {}", slots - 1) };
        match groups.iter_mut().find(|(first, _)| rules_of(*first) == rules_of(ruled)) {
            Some((_, labels)) => labels.push(rest),
            None => groups.push((ruled, vec![rest])),
        }
    }
    let container = name.to_owned();
    let described = groups.into_iter();
    described
        .map(|(first, labels)| {
            let (container, slots) = (container.clone(), labels.join(", "));
            SlotGroup { container, slots, put_by: put_by(def, first), first }
        })
        .collect()
}

/// The words of the slot's list, or else of its container's.
fn put_by(def: &ContainerDef, slot: u32) -> Vec<String> {
    let own = def.ruled.get(slot as usize).map(|rule| rule.access(Right::Put));
    let listed = |access: &&Access| matches!(access, Access::Listed(_)) && **access != def.default_access();
    let access = own.filter(listed).or(Some(def.access(Right::Put)).filter(listed));
    access.map_or_else(Vec::new, |access| access.words().into_iter().map(str::to_owned).collect())
}

/// How many of a kind go into a container, why not more, and whose cap that is.
type Filled = (u64, LimitedBy, Option<Bearer>);

fn filled(world: &World, kind: KindId, place: ContainerId) -> Filled {
    let room = world.room_for(kind, place);
    let whose = match room.limited_by {
        Some(Cause::Cap { of, .. } | Cause::WeightCap { of, .. }) => match of {
            Place::Holder(holder) => Some(Bearer::Holder(world.holder_name(holder).to_owned())),
            _ => Some(Bearer::Container),
        },
        _ => None,
    };
    let limited_by = match room.limited_by.map(|cause| cause.reason()) {
        Some(Reason::WeightCap) => LimitedBy::Weight,
        Some(Reason::Cap) => LimitedBy::Cap,
        Some(_) => LimitedBy::Room,
        None => LimitedBy::Nothing,
    };
    (room.items, limited_by, whose)
}

/// The recipes of a container that may take items of a kind.
fn recipes_for(world: &World, kind: Kind<'_>, place: ContainerId) -> Vec<RecipeId> {
    let rules = world.rules();
    rules.recipes_at(world.name_of_station(place.index)).filter(|&id| takes(rules, id, kind)).collect()
}

/// Whether a recipe may take items of a kind.
fn takes(rules: &Ruleset, recipe: RecipeId, kind: Kind<'_>) -> bool {
    let may_be = |it: &Ingredient| match it.of() {
        Of::Kind(of) => of == kind.handle(),
        Of::Filter(filter) => rules.filter(filter).test.outlook(&kind) != Outlook::Never,
    };
    rules.recipe(recipe).is_some_and(|recipe| recipe.inputs().iter().chain(recipe.tools()).any(may_be))
}

fn verdict(rules: &Ruleset, def: &ContainerDef, slot: u32, kind: Kind<'_>) -> Verdict {
    let own = def.ruled.get(slot as usize).and_then(|rule| rule.admits);
    let outlook = |filter: FilterId| rules.filter(filter).test.outlook(&kind);
    let written = |filter: FilterId| rules.filter(filter).written().to_owned();
    if let Some(filter) = def.admits.filter(|&filter| outlook(filter) == Outlook::Never) {
        return Verdict::NotInContainer { filter: written(filter) };
    }
    if let Some(filter) = own.filter(|&filter| outlook(filter) == Outlook::Never) {
        return Verdict::NotInSlot { filter: written(filter) };
    }
    let slot_is_shut = def.ruled.get(slot as usize).is_some_and(|rule| *rule.access(Right::Put) == Access::Nobody);
    if *def.access(Right::Put) == Access::Nobody || slot_is_shut {
        return Verdict::NoPut;
    }
    let mut requested = [def.admits, own].into_iter().flatten();
    if let Some(filter) = requested.find(|&filter| !rules.admits_plain(filter, kind.handle().0)) {
        return Verdict::Depends { filter: written(filter) };
    }
    let has = |name: &str| def.ruled.iter().any(|slot| slot.name.as_deref() == Some(name));
    let named = def.ruled.get(slot as usize).and_then(|rule| rule.name.as_deref());
    if named.is_some_and(|named| kind.occupied_slots().any(|need| need == named)) && !kind.occupied_slots().all(has) {
        return Verdict::OccupiesSlots { slots: kind.occupied_slots().collect::<Vec<_>>().join(", ") };
    }
    Verdict::Admitted
}
