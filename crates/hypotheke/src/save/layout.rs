//! What both forms of a save have in common: containers, holders and stacks as flat lists, and back
//! to a snapshot.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use rustc_hash::{FxHashMap, FxHashSet};
use serde::{Deserialize, Serialize};

use super::SaveError;
use crate::id::StackId;
use crate::language::Path;
use crate::quantity::Decimal;
use crate::snapshot::{
    Container, Holder, InSlot, Job, KindTotals, Pack, PastArrival, Random, Snapshot, Stack, is_zero,
};

/// A container without its contents.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Place<'s> {
    /// As stacks name it: `sled`, `surveyor.pockets`, or `#12` for the inside of a pack.
    #[serde(borrow)]
    pub(super) name: Cow<'s, str>,
    /// Which of the ruleset's containers it is; nothing for the inside of a pack.
    #[serde(borrow, default, alias = "of", skip_serializing_if = "str::is_empty")]
    pub(super) definition: Cow<'s, str>,
    pub(super) slots: u32,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) owner: Option<String>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) opened_by: Vec<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) job: Option<Job>,
}

/// A holder without what it carries.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Bearer<'s> {
    #[serde(borrow)]
    pub(super) name: Cow<'s, str>,
    #[serde(borrow, alias = "of")]
    pub(super) definition: Cow<'s, str>,
    /// Where the stack in its hand came from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) origin: Option<Path>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) shortcuts: Vec<Option<String>>,
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) meters: BTreeMap<String, Decimal>,
}

/// Everything except the contents.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(super) struct Counters {
    pub(super) world: u32,
    pub(super) revision: u64,
    pub(super) next_stack: u64,
    pub(super) random: Random,
    #[serde(default, skip_serializing_if = "is_zero")]
    pub(super) clock: u64,
    pub(super) departures: u64,
    pub(super) arrivals: Vec<PastArrival>,
}

impl Counters {
    pub(super) fn of(snapshot: &Snapshot) -> Counters {
        Counters {
            world: snapshot.world,
            revision: snapshot.revision,
            next_stack: snapshot.next_stack,
            random: snapshot.random.clone(),
            clock: snapshot.clock,
            departures: snapshot.departures,
            arrivals: snapshot.arrivals.clone(),
        }
    }

    /// A snapshot in which nothing lies yet.
    pub(super) fn snapshot(self) -> Snapshot {
        Snapshot {
            world: self.world,
            revision: self.revision,
            next_stack: self.next_stack,
            random: self.random,
            clock: self.clock,
            departures: self.departures,
            arrivals: self.arrivals,
            ..Snapshot::default()
        }
    }
}

/// The containers in order: those without a holder, those of each holder, the insides of packs.
pub(super) fn places(snapshot: &Snapshot) -> Vec<(Place<'_>, &[InSlot])> {
    fn place<'s>(name: Cow<'s, str>, container: &'s Container) -> (Place<'s>, &'s [InSlot]) {
        let (definition, opened_by) = (Cow::Borrowed(container.definition.as_str()), container.opened_by.clone());
        let owner = container.owner.clone();
        let job = container.job.clone();
        (Place { name, definition, slots: container.slots, owner, opened_by, job }, &container.stacks)
    }
    let standing = snapshot.containers.iter().map(|container| place(Cow::Borrowed(&container.name), container));
    let carried = snapshot.holders.iter().flat_map(|holder| {
        let name = |own: &str| Cow::Owned(format!("{}.{own}", holder.name));
        holder.containers.iter().map(move |container| place(name(&container.name), container))
    });
    let insides = snapshot.packs.iter().map(|pack| {
        let (name, opened_by) = (Cow::Owned(pack.pack.to_string()), pack.opened_by.clone());
        let (definition, owner) = (Cow::Borrowed(""), None);
        (Place { name, definition, slots: pack.slots, owner, opened_by, job: None }, pack.stacks.as_slice())
    });
    standing.chain(carried).chain(insides).collect()
}

pub(super) fn bearers(snapshot: &Snapshot) -> Vec<Bearer<'_>> {
    let bearers = snapshot.holders.iter().map(|holder| Bearer {
        name: Cow::Borrowed(holder.name.as_str()),
        definition: Cow::Borrowed(holder.definition.as_str()),
        origin: holder.origin.clone(),
        shortcuts: holder.shortcuts.clone(),
        meters: holder.meters.clone(),
    });
    bearers.collect()
}

/// Where a container of a list is in the snapshot.
#[derive(Clone, Copy)]
pub(super) enum Home {
    Standing(usize),
    Carried(usize, usize),
    Inside(usize),
}

/// Puts the lists together again.
pub(super) struct Rebuilding {
    pub(super) snapshot: Snapshot,
    /// By their places in the list.
    pub(super) homes: Vec<Home>,
}

impl Rebuilding {
    pub(super) fn new(counters: Counters, totals: BTreeMap<String, KindTotals>) -> Rebuilding {
        Rebuilding { snapshot: Snapshot { totals, ..counters.snapshot() }, homes: Vec::new() }
    }

    pub(super) fn holders(&mut self, bearers: Vec<Bearer<'_>>) -> Result<(), SaveError> {
        let mut names = BTreeSet::new();
        if let Some(twice) = bearers.iter().find(|bearer| !names.insert(&*bearer.name)) {
            return Err(SaveError::inconsistent(twice.name.to_string(), "two holders have this name"));
        }
        self.snapshot.holders = bearers
            .into_iter()
            .map(|bearer| Holder {
                name: bearer.name.into_owned(),
                definition: bearer.definition.into_owned(),
                origin: bearer.origin,
                shortcuts: bearer.shortcuts,
                meters: bearer.meters,
                ..Holder::default()
            })
            .collect();
        Ok(())
    }

    /// Adds the containers; what they are called says whose they are.
    pub(super) fn places(&mut self, places: Vec<Place<'_>>) -> Result<(), SaveError> {
        let names = self.snapshot.holders.iter().enumerate().map(|(at, holder)| (holder.name.clone(), at));
        let holders: FxHashMap<String, usize> = names.collect();
        let mut seen = FxHashSet::default();
        if let Some(twice) = places.iter().find(|place| !seen.insert(&*place.name)) {
            return Err(SaveError::inconsistent(twice.name.to_string(), "two containers have this name"));
        }
        for place in places {
            let Place { name, definition, slots, owner, opened_by, job } = place;
            if name == "ground" || name.ends_with(".hand") {
                return Err(SaveError::inconsistent(name.to_string(), "this name is reserved"));
            }
            let home = if name.starts_with('#') {
                let pack: StackId = name
                    .parse()
                    .map_err(|_| SaveError::inconsistent(name.to_string(), "this is not the id of a pack"))?;
                if owner.is_some() {
                    return Err(SaveError::inconsistent(name.to_string(), "the inside of a pack has no owner"));
                }
                if job.is_some() {
                    return Err(SaveError::inconsistent(name.to_string(), "the inside of a pack works on nothing"));
                }
                self.snapshot.packs.push(Pack { pack, slots, opened_by, stacks: Vec::new() });
                Home::Inside(self.snapshot.packs.len() - 1)
            } else if let Some((holder, own)) = name.split_once('.') {
                let Some(&at) = holders.get(holder) else {
                    return Err(SaveError::inconsistent(name.to_string(), format!("unknown holder `{holder}`")));
                };
                let container = Container {
                    name: own.to_owned(),
                    definition: definition.into_owned(),
                    slots,
                    owner,
                    opened_by,
                    stacks: Vec::new(),
                    job,
                };
                self.snapshot.holders[at].containers.push(container);
                Home::Carried(at, self.snapshot.holders[at].containers.len() - 1)
            } else {
                let container = Container {
                    name: name.into_owned(),
                    definition: definition.into_owned(),
                    slots,
                    owner,
                    opened_by,
                    stacks: Vec::new(),
                    job,
                };
                self.snapshot.containers.push(container);
                Home::Standing(self.snapshot.containers.len() - 1)
            };
            self.homes.push(home);
        }
        Ok(())
    }

    /// The stacks of a container of the list.
    pub(super) fn stacks(&mut self, place: usize) -> &mut Vec<InSlot> {
        match self.homes[place] {
            Home::Standing(at) => &mut self.snapshot.containers[at].stacks,
            Home::Carried(holder, at) => &mut self.snapshot.holders[holder].containers[at].stacks,
            Home::Inside(at) => &mut self.snapshot.packs[at].stacks,
        }
    }

    /// Lays a stack into the hand of a holder, which has to be empty.
    pub(super) fn hand(&mut self, holder: usize, stack: Stack) -> Result<(), SaveError> {
        let holder = &mut self.snapshot.holders[holder];
        if holder.hand.is_some() {
            let message = format!("the hand has two stacks; one is {}", stack.id);
            return Err(SaveError::inconsistent(format!("{}.hand", holder.name), message));
        }
        holder.hand = Some(stack);
        Ok(())
    }
}
