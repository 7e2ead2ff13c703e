//! Transfer records: containers and holders on their way from world to world.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::{Container, Holder, Orphan, Pack, Stack};
use crate::id::DepartureId;
use crate::ruleset::Ruleset;

/// A transfer record: a container or a holder that has departed, with all its contents. It can be
/// stored and sent.
///
/// [`World::departed`](crate::World::departed) returns it.
/// [`Operation::arriving`](crate::Operation::arriving) brings it into the same world or a different
/// one, but never twice.
///
/// ```
/// use hypotheke::{Departure, Operation, Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("sled", |sled| sled.slots(2))
///     .start("sled", ["4 flare"])
///     .build()?;
/// let rules = rules.into();
/// let mut camp = World::new(&rules).numbered(1, 0);
/// let sled = camp.container("sled").unwrap();
/// assert_eq!(camp.perform(&Operation::departing(sled)).unwrap().done(), 4);
/// assert!(!camp.has_container(sled));
///
/// let on_its_way: String = serde_json::to_string(&camp.departed()[0]).unwrap();
/// let there: Departure = serde_json::from_str(&on_its_way).unwrap();
/// let arriving = Operation::arriving(there);
/// let mut pass = World::empty(&rules).numbered(2, 0);
/// pass.perform(&Operation::departing(pass.container("sled").unwrap())).unwrap();
/// pass.perform(&arriving).unwrap();
/// assert_eq!(pass.stack(pass.container("sled").unwrap(), 0).unwrap().count(), 4);
/// assert!(pass.perform(&arriving).is_err());
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Departure {
    /// The departure; `None` for a newcomer, which has never been in a world and has no items.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<DepartureId>,
    /// The container or holder. It is open to nobody.
    pub who: Departed,
    /// The insides of the packs in it, by the id of the pack.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub packs: Vec<Pack>,
    /// Contents that an earlier ruleset had and the present ruleset does not know.
    #[serde(default, alias = "strays", skip_serializing_if = "Vec::is_empty")] // plain-ok: format 1
    pub orphans: Vec<Orphan>,
}

/// The container or holder of a transfer record.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Departed {
    /// A container without a holder.
    Container(Container),
    /// A holder.
    Holder(Holder),
}

impl Departure {
    /// A newcomer: a holder of the ruleset under a name, without items. None if the ruleset does
    /// not define the holder.
    #[must_use]
    pub fn newcomer(rules: &Ruleset, holder: &str, name: &str) -> Option<Departure> {
        let def = rules.holder(rules.find_holder(holder)?);
        let container = |&carried| {
            let carried = rules.container(carried);
            Container {
                name: carried.id().to_owned(),
                definition: carried.id().to_owned(),
                slots: carried.slots(),
                ..Container::default()
            }
        };
        let newcomer = Holder {
            name: name.to_owned(),
            definition: def.id().to_owned(),
            containers: def.carries().iter().map(container).collect(),
            shortcuts: vec![None; def.shortcuts() as usize],
            meters: def.meters().iter().map(|meter| (meter.name().to_owned(), meter.start())).collect(),
            ..Holder::default()
        };
        Some(Departure { id: None, who: Departed::Holder(newcomer), packs: Vec::new(), orphans: Vec::new() })
    }

    /// A transfer record is open to nobody.
    pub(crate) fn close(&mut self) {
        match &mut self.who {
            Departed::Container(container) => container.opened_by.clear(),
            Departed::Holder(holder) => {
                holder.containers.iter_mut().for_each(|container| container.opened_by.clear());
            }
        }
        self.packs.iter_mut().for_each(|pack| pack.opened_by.clear());
    }

    /// The name in paths.
    #[must_use]
    pub fn name(&self) -> &str {
        match &self.who {
            Departed::Container(container) => &container.name,
            Departed::Holder(holder) => &holder.name,
        }
    }

    /// All its stacks; those in packs come last.
    pub fn stacks(&self) -> impl Iterator<Item = &Stack> {
        let (containers, hand) = match &self.who {
            Departed::Container(container) => (std::slice::from_ref(container), None),
            Departed::Holder(holder) => (&holder.containers[..], holder.hand.as_ref()),
        };
        let in_slots = containers.iter().flat_map(|container| &container.stacks);
        let in_packs = self.packs.iter().flat_map(|pack| &pack.stacks);
        in_slots.map(|lying| &lying.stack).chain(hand).chain(in_packs.map(|lying| &lying.stack))
    }
}

/// Transfer records, the latest of each name.
///
/// [`NamedOperation::resolve_with`](crate::NamedOperation::resolve_with) finds the record of an
/// arrival here.
#[derive(Clone, Debug, Default)]
pub struct Departures {
    by_name: BTreeMap<String, Arc<Departure>>,
}

impl Departures {
    /// An empty collection.
    #[must_use]
    pub fn new() -> Departures {
        Departures::default()
    }

    /// Adds a record. It replaces an earlier one of the same name.
    pub fn keep(&mut self, departure: Departure) {
        self.by_name.insert(departure.name().to_owned(), Arc::new(departure));
    }

    /// The latest record of a name.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&Arc<Departure>> {
        self.by_name.get(name)
    }

    /// The names of all records, in order.
    pub fn names(&self) -> impl Iterator<Item = &str> + Clone {
        self.by_name.keys().map(String::as_str)
    }
}

impl Extend<Departure> for Departures {
    fn extend<T: IntoIterator<Item = Departure>>(&mut self, departures: T) {
        departures.into_iter().for_each(|departure| self.keep(departure));
    }
}
