//! What an applied operation changed, as plain data by names.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use super::Answered;
use crate::id::{DepartureId, StackId};
use crate::language::Position;
use crate::quantity::Decimal;
use crate::snapshot::{Departure, Random};

/// All that one applied operation changed, by names: what a copy of the world needs to follow.
///
/// [`World::update`](crate::World::update) gives that of the latest operation, [`World::follow`](crate::World::follow)
/// carries it out on a copy.
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
    /// The number of the next stack after it.
    pub next_stack: u64,
    /// Where random numbers stand after it, if it drew any.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub random: Option<Random>,
    /// The request that it answered, if that had an id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub answered: Option<Answered>,
    /// The names of containers, holders and kinds that the changes give by their numbers, from 0: each stands here once.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub names: Vec<String>,
    /// What changed, in order.
    #[serde(default)]
    pub changes: Vec<Change>,
}

impl Update {
    /// The name that a change gives by its number; empty if there is none.
    #[must_use]
    pub fn name(&self, number: u32) -> &str {
        self.names.get(number as usize).map_or("", String::as_str)
    }
}

/// A place of one stack, and the stack there.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct At {
    /// The number of the container's name: as paths call it, `ground`, `surveyor.hand`, or `#12` for the inside of the pack with
    /// that id.
    pub container: u32,
    /// The slot, from 0; 0 on the ground.
    #[serde(default)]
    pub slot: u32,
    /// The stack that lay there before, or that lies there now; none if the place was empty.
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
    /// Those of its properties that differ from the kind's.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub properties: BTreeMap<String, Decimal>,
}

impl Look {
    fn is_plain(&self) -> bool {
        self.marks.is_empty() && self.properties.is_empty()
    }
}

/// A notice of one change that was made, by names. The same as an [`Event`](crate::Event), which has handles.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
#[non_exhaustive]
pub enum Change {
    /// Items went from one place to another, came into the world, or left it.
    Moved {
        /// The number of their kind's name.
        kind: u32,
        /// How many.
        count: u32,
        /// Their marks and properties.
        #[serde(default, skip_serializing_if = "Look::is_plain")]
        look: Look,
        /// Where they were; nowhere if they were created.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        from: Option<At>,
        /// Where they are; nowhere if they were consumed.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        to: Option<At>,
    },
    /// A whole stack got other marks or other properties.
    Changed {
        /// Where it lies.
        at: At,
        /// Its marks and properties now.
        look: Look,
    },
    /// Two places exchanged what lay there.
    Swapped {
        /// One place, with the stack that lay there before.
        one: At,
        /// The other place, with the stack that lay there before.
        other: At,
    },
    /// A container got another number of slots.
    Resized {
        /// The number of its name.
        container: u32,
        /// How many it has.
        slots: u32,
    },
    /// A shortcut points at another kind, or at none.
    Bound {
        /// The number of its holder's name.
        holder: u32,
        /// Which one, from 0.
        shortcut: u32,
        /// The number of the name of the kind at which it points.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        kind: Option<u32>,
    },
    /// A holder opened a container.
    Opened {
        /// The number of the holder's name.
        holder: u32,
        /// The number of the container's name.
        container: u32,
    },
    /// A holder closed a container, or one of the two has gone.
    Closed {
        /// The number of the holder's name.
        holder: u32,
        /// The number of the container's name.
        container: u32,
    },
    /// A container or a holder left the world with all that it has.
    Departed {
        /// The number of what paths called it.
        name: u32,
        /// Under which number.
        departure: DepartureId,
    },
    /// A container or a holder came into the world with all that it has.
    Arrived {
        /// What it brought.
        document: Box<Departure>,
    },
}
