//! The changes of an operation, as plain data by names.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::Answered;
use crate::id::{DepartureId, StackId};
use crate::language::Position;
use crate::quantity::Decimal;
use crate::snapshot::{Departure, Job, Random, is_false};

/// All changes of one operation, by names, for a copy of the world.
///
/// [`World::update`](crate::World::update) returns that of the latest operation, and
/// [`World::apply_update`](crate::World::apply_update) applies it to a copy.
///
/// ```
/// use hypotheke::replication::Update;
/// use hypotheke::{Amount, Operation, Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .container("sled", |sled| sled.slots(2))
///     .start("depot", ["4 flare"])
///     .build()?;
/// let rules = rules.into();
/// let mut world = World::new(&rules);
/// let mut copy = World::from_snapshot(&rules, &world.snapshot()).unwrap();
///
/// let (depot, sled) = (world.container("depot").unwrap(), world.container("sled").unwrap());
/// let outcome = world.perform(&Operation::moving(Amount::Exactly(3), depot, sled)).unwrap();
/// assert!(outcome.is_complete());
///
/// let sent: String = serde_json::to_string(&world.update().unwrap()).unwrap();
/// let update: Update = serde_json::from_str(&sent).unwrap();
/// copy.apply_update(&update).unwrap();
/// assert_eq!(copy.snapshot(), world.snapshot());
/// assert!(copy.apply_update(&update).is_err(), "twice");
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Update {
    /// The revision of the world after it.
    pub revision: u64,
    /// The number of the next stack id after it.
    pub next_stack: u64,
    /// The state of the random numbers after it, if it used any.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub random: Option<Random>,
    /// The request that it applied, if that had an id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub answered: Option<Answered>,
    /// The names of containers, holders and kinds, which the changes refer to by number, from 0.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    /// The changes, in order.
    #[serde(default)]
    pub changes: Vec<Change>,
}

impl Update {
    /// A name by its number; empty if there is none.
    #[must_use]
    pub fn name(&self, number: u32) -> &str {
        self.names.get(number as usize).map_or("", String::as_str)
    }
}

/// A place of one stack, and the stack there.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct At {
    /// The number of the container's name: a path, `ground`, `surveyor.hand`, or `#12` for the
    /// inside of the pack with that id.
    pub container: u32,
    /// The slot, from 0; 0 on the ground.
    #[serde(default)]
    pub slot: u32,
    /// The container works on the stack, and it came from the slot or goes back there.
    #[serde(default, skip_serializing_if = "is_false")]
    pub in_work: bool,
    /// The stack before or after; `None` if the place was empty.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stack: Option<StackId>,
    /// The position on the ground.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub position: Option<Position>,
}

/// The marks and properties of a stack.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Look {
    /// Its marks, in the order of the ruleset.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub marks: Vec<String>,
    /// Its properties, if they differ from those of the kind.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub properties: BTreeMap<String, Decimal>,
}

impl Look {
    fn is_plain(&self) -> bool {
        self.marks.is_empty() && self.properties.is_empty()
    }
}

/// One change, by names: an [`Event`](crate::Event) without handles.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
#[non_exhaustive]
pub enum Change {
    /// Items moved from one place to a different one, were created, or were consumed.
    Moved {
        /// The number of the name of their kind.
        kind: u32,
        /// Their number.
        count: u32,
        /// Their marks and properties.
        #[serde(default, skip_serializing_if = "Look::is_plain")]
        look: Look,
        /// The source; `None` if they were created.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        from: Option<At>,
        /// The target; `None` if they were consumed.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        to: Option<At>,
    },
    /// The marks or properties of a stack changed.
    Changed {
        /// The place of the stack.
        at: At,
        /// Its present marks and properties.
        look: Look,
    },
    /// Two places swapped their contents.
    Swapped {
        /// One place, with its former stack.
        one: At,
        /// The other place, with its former stack.
        other: At,
    },
    /// The number of slots of a container changed.
    Resized {
        /// The number of its name.
        container: u32,
        /// The present number.
        slots: u32,
    },
    /// A shortcut changed.
    Bound {
        /// The number of the name of its holder.
        holder: u32,
        /// The number of the shortcut, from 0.
        shortcut: u32,
        /// The number of the name of its kind.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        kind: Option<u32>,
    },
    /// The value of a meter changed.
    Metered {
        /// The number of the name of its holder.
        holder: u32,
        /// Its number among the meters of the holder, from 0.
        meter: u32,
        /// The new value.
        value: Decimal,
    },
    /// Time passed.
    Waited {
        /// The new tick.
        clock: u64,
    },
    /// A container began a recipe that takes time, or ended one.
    Worked {
        /// The number of its name.
        container: u32,
        /// What it works on.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        job: Option<Job>,
    },
    /// A holder opened a container.
    Opened {
        /// The number of the name of the holder.
        holder: u32,
        /// The number of the name of the container.
        container: u32,
    },
    /// A holder closed a container, or one of the two left the world.
    Closed {
        /// The number of the name of the holder.
        holder: u32,
        /// The number of the name of the container.
        container: u32,
    },
    /// A container got a different owner.
    Given {
        /// The number of its name.
        container: u32,
        /// The number of the name of the owner; absent if there is none.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        owner: Option<u32>,
    },
    /// A container or a holder departed with its contents.
    Departed {
        /// The number of its name in paths.
        name: u32,
        /// The number of the departure.
        departure: DepartureId,
    },
    /// A container or a holder arrived with its contents.
    Arrived {
        /// The transfer record.
        document: Box<Departure>,
    },
}
