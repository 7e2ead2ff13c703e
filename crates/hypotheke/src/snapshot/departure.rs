//! Containers and holders on their way from world to world.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::{Container, Holder, Orphan, Pack, Stack};
use crate::id::DepartureId;
use crate::ruleset::Ruleset;

/// A container or a holder that has departed, with all that it had: a document that can be stored and sent.
///
/// [`World::departed`](crate::World::departed) gives it, [`Operation::arriving`](crate::Operation::arriving) brings it
/// into a world: into the one that it left or into another, and into none twice.
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
    /// Which departure it was; none for one that comes into a world for the first time, and so brings no items.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<DepartureId>,
    /// Who has departed. It is open to nobody.
    pub who: Departed,
    /// The insides of the packs in it, by the ids of those.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub packs: Vec<Pack>,
    /// What it had under an earlier ruleset and the present one does not know.
    #[serde(default, alias = "strays", skip_serializing_if = "Vec::is_empty")]
    pub orphans: Vec<Orphan>,
}

/// Who has departed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Departed {
    /// A container that stood in the world.
    Container(Container),
    /// A holder.
    Holder(Holder),
}

impl Departure {
    /// One that comes into a world for the first time under a name, as a holder of the ruleset, and brings nothing. None if the
    /// ruleset has no such holder.
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
            ..Holder::default()
        };
        Some(Departure { id: None, who: Departed::Holder(newcomer), packs: Vec::new(), orphans: Vec::new() })
    }

    /// What has departed is open to nobody.
    pub(crate) fn close(&mut self) {
        match &mut self.who {
            Departed::Container(container) => container.opened_by.clear(),
            Departed::Holder(holder) => {
                holder.containers.iter_mut().for_each(|container| container.opened_by.clear());
            }
        }
        self.packs.iter_mut().for_each(|pack| pack.opened_by.clear());
    }

    /// What paths call the one that has departed.
    #[must_use]
    pub fn name(&self) -> &str {
        match &self.who {
            Departed::Container(container) => &container.name,
            Departed::Holder(holder) => &holder.name,
        }
    }

    /// All stacks that it has, those in packs last.
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

/// Documents of what has departed, the latest under each name.
///
/// [`NamedOperation::resolve_with`](crate::NamedOperation::resolve_with) finds here what arrives.
#[derive(Clone, Debug, Default)]
pub struct Departures {
    by_name: BTreeMap<String, Arc<Departure>>,
}

impl Departures {
    /// None yet.
    #[must_use]
    pub fn new() -> Departures {
        Departures::default()
    }

    /// Keeps a document in the place of an earlier one of that name.
    pub fn keep(&mut self, departure: Departure) {
        self.by_name.insert(departure.name().to_owned(), Arc::new(departure));
    }

    /// The latest document of a name.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&Arc<Departure>> {
        self.by_name.get(name)
    }

    /// The names of all that has departed, in order.
    pub fn names(&self) -> impl Iterator<Item = &str> + Clone {
        self.by_name.keys().map(String::as_str)
    }
}

impl Extend<Departure> for Departures {
    fn extend<T: IntoIterator<Item = Departure>>(&mut self, departures: T) {
        departures.into_iter().for_each(|departure| self.keep(departure));
    }
}
