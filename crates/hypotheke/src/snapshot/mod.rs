//! A world as plain data, by names.
//!
//! A [`Snapshot`] can contain errors, which an [`audit`](crate::audit()) finds: two stacks in one
//! slot, a pack in itself, unknown kinds. [`World::snapshot`](crate::World::snapshot) creates one.
//! [`World::from_snapshot`](crate::World::from_snapshot) creates a world from it, or returns its
//! errors.

mod departure;
mod error;
pub(crate) mod orphan;
mod outcome;
mod requests;

use std::collections::BTreeMap;
use std::num::NonZeroU32;

use serde::{Deserialize, Serialize};

pub use departure::{Departed, Departure, Departures};
pub use error::{SnapshotError, SnapshotFault};
pub use orphan::Orphan;
pub use outcome::Outcome;
pub(crate) use requests::RequestWindow;
pub use requests::{Answered, RequestId, RequestIdError};

use crate::id::{DepartureId, StackId};
use crate::language::{Path, Position};
use crate::quantity::Decimal;

/// Counters continue from their values in a snapshot. This bound keeps them far from overflow.
pub(crate) const MAX_COUNTED: u64 = 1 << 62;

/// A world as plain data: contents and counters.
///
/// Two worlds with equal snapshots behave equally for ever.
///
/// ```
/// use hypotheke::{Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .start("depot", ["4 flare"])
///     .build()?;
/// let rules = rules.into();
/// let snapshot = World::new(&rules).snapshot();
/// assert_eq!(snapshot.containers[0].stacks[0].stack.count, 4);
/// assert_eq!(World::from_snapshot(&rules, &snapshot).unwrap().snapshot(), snapshot);
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Snapshot {
    /// The number of the world, which is part of the ids of its stacks.
    #[serde(default)]
    pub world: u32,
    /// The number of operations that were applied.
    #[serde(default)]
    pub revision: u64,
    /// The number of the next stack id.
    pub next_stack: u64,
    /// The state of the random numbers.
    pub random: Random,
    /// The number of ticks that have passed.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub clock: u64,
    /// The containers without a holder.
    #[serde(default)]
    pub containers: Vec<Container>,
    /// The holders with their contents.
    #[serde(default)]
    pub holders: Vec<Holder>,
    /// The insides of packs, by the id of the pack.
    #[serde(default)]
    pub packs: Vec<Pack>,
    /// The stacks on the ground, in order of landing.
    #[serde(default)]
    pub ground: Vec<Landed>,
    /// The numbers of items of each kind that entered and left the world.
    #[serde(default, alias = "tallies")]
    pub totals: BTreeMap<String, KindTotals>,
    /// The minimum number of the next departure.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub departures: u64,
    /// The latest arrival of each name, by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub arrivals: Vec<PastArrival>,
    /// The latest applied requests with an id, oldest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub requests: Vec<Answered>,
    /// Contents that an earlier ruleset had and the present ruleset does not know.
    #[serde(default, alias = "strays", skip_serializing_if = "Vec::is_empty")] // plain-ok: format 1
    pub orphans: Vec<Orphan>,
}

/// An arrival that the world remembers, so that no transfer record arrives twice.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(untagged, deny_unknown_fields)]
pub enum PastArrival {
    /// One departure, as in earlier saves.
    One(DepartureId),
    /// The latest departure of a name. No departure of this number or a lower one can arrive.
    Latest {
        /// The name in paths.
        name: String,
        /// The number of its departure.
        number: u64,
    },
}

#[allow(clippy::trivially_copy_pass_by_ref)] // As serde calls it.
pub(crate) fn is_zero(count: &u64) -> bool {
    *count == 0
}

#[allow(clippy::trivially_copy_pass_by_ref)] // As serde calls it.
pub(crate) fn is_false(flag: &bool) -> bool {
    !*flag
}

/// The state of the random numbers, as a text of 64 hexadecimal digits. Many readers would round
/// numbers of that size.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Random(pub(crate) rand_xoshiro::Xoshiro256PlusPlus);

/// The four words of the state, as the generator serializes them.
#[derive(Serialize, Deserialize)]
struct State {
    s: [u64; 4],
}

impl From<Random> for String {
    fn from(random: Random) -> String {
        let state = serde_json::to_value(&random.0).and_then(serde_json::from_value::<State>);
        let words = state.map_or([0; 4], |state| state.s);
        words.iter().map(|word| format!("{word:016x}")).collect()
    }
}

impl TryFrom<String> for Random {
    type Error = &'static str;

    fn try_from(text: String) -> Result<Random, &'static str> {
        const WANTED: &str = "the state of random numbers is 64 hexadecimal digits";
        if text.len() != 64 || !text.bytes().all(|byte| byte.is_ascii_hexdigit()) {
            return Err(WANTED);
        }
        let mut state = State { s: [0; 4] };
        for (nth, word) in state.s.iter_mut().enumerate() {
            *word = u64::from_str_radix(&text[nth * 16..nth * 16 + 16], 16).map_err(|_| WANTED)?;
        }
        let generator = serde_json::to_value(&state).and_then(serde_json::from_value);
        generator.map(Random).map_err(|_| WANTED)
    }
}

impl Default for Random {
    fn default() -> Random {
        Random(rand_core::SeedableRng::seed_from_u64(0))
    }
}

/// A container and its contents.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Container {
    /// The name in paths; for a container of a holder, without the holder.
    pub name: String,
    /// Its definition in the ruleset.
    #[serde(alias = "of")]
    pub definition: String,
    /// The number of its slots.
    pub slots: u32,
    /// Its owner, or `nobody`, if that is not the owner in the ruleset. Only a container that no
    /// holder carries has one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub owner: Option<String>,
    /// The holders that have opened it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub opened_by: Vec<String>,
    /// The contents of its slots, in slot order, then what it works on.
    #[serde(default)]
    pub stacks: Vec<InSlot>,
    /// The recipe that it works on.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub job: Option<Job>,
}

/// A recipe that a container works on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Job {
    /// The recipe.
    pub recipe: String,
    /// How often it is carried out at once.
    pub times: u32,
    /// The number of ticks until it ends; 0 if it waits for room.
    pub left: u64,
    /// Which of the yields of the recipe it makes, from 1 on.
    #[serde(default, rename = "yield", skip_serializing_if = "Option::is_none")]
    pub yield_number: Option<NonZeroU32>,
}

/// The inside of a pack and its contents.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Pack {
    /// The id of the pack.
    pub pack: StackId,
    /// The number of its slots.
    pub slots: u32,
    /// The holders that have opened it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub opened_by: Vec<String>,
    /// The contents of its slots, in slot order.
    #[serde(default)]
    pub stacks: Vec<InSlot>,
}

/// A holder and its contents.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Holder {
    /// The name in paths.
    pub name: String,
    /// Its definition in the ruleset.
    #[serde(alias = "of")]
    pub definition: String,
    /// Its containers, in the order in which they are filled.
    #[serde(default)]
    pub containers: Vec<Container>,
    /// The stack in its hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hand: Option<Stack>,
    /// The slot that the stack in the hand came from, such as `sled/3`, or `#12/0` for a slot in
    /// the pack with that id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub origin: Option<Path>,
    /// The kinds of its shortcuts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub shortcuts: Vec<Option<String>>,
    /// The values of its meters, by name. A missing one is at its start.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub meters: BTreeMap<String, Decimal>,
}

/// A stack in a slot.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct InSlot {
    /// The slot, from 0.
    pub slot: u32,
    /// The stack.
    pub stack: Stack,
    /// The container works on it, and it came from the slot.
    #[serde(default, skip_serializing_if = "is_false")]
    pub in_work: bool,
}

/// A stack on the ground.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Landed {
    /// Its position.
    pub at: Position,
    /// The stack.
    pub stack: Stack,
}

/// Items of one kind with equal marks and properties.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Stack {
    /// Its id.
    pub id: StackId,
    /// The kind of its items.
    pub kind: String,
    /// The number of its items.
    pub count: u32,
    /// Its marks, in the order of the ruleset.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub marks: Vec<String>,
    /// Its properties, if they differ from those of the kind.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub properties: BTreeMap<String, Decimal>,
}

/// The numbers of items of a kind that entered and left the world.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct KindTotals {
    /// Created.
    #[serde(default)]
    pub created: u64,
    /// Consumed.
    #[serde(default)]
    pub consumed: u64,
    /// Arrived with containers and holders.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub arrived: u64,
    /// Departed with containers and holders.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub departed: u64,
}
