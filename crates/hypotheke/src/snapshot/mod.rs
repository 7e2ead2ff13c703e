//! A world as plain data by names.
//!
//! A [`Snapshot`] may say anything at all, so that an [`audit`](crate::audit()) can judge it: two stacks in one slot, a pack
//! that lies in itself, kinds that nobody knows. [`World::snapshot`](crate::World::snapshot) makes one,
//! [`World::from_snapshot`](crate::World::from_snapshot) turns one into a world, or says why it can't.

mod departure;
mod error;
pub(crate) mod orphan;
mod outcome;
mod requests;

use std::collections::BTreeMap;

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

/// Counters go on from where a snapshot has them; from there they can't reach the end of their type.
pub(crate) const MAX_COUNTED: u64 = 1 << 62;

/// A world as plain data: what lies where, and the counters that go on from there.
///
/// Two worlds that nothing can tell apart, today or ever, have equal snapshots.
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
    /// The number of the world, which its stacks carry in their ids.
    #[serde(default)]
    pub world: u32,
    /// How many operations were applied.
    #[serde(default)]
    pub revision: u64,
    /// The number of the next stack.
    pub next_stack: u64,
    /// Where its random numbers stand.
    pub random: Random,
    /// The containers that stand in the world.
    #[serde(default)]
    pub containers: Vec<Container>,
    /// The holders with all that they carry.
    #[serde(default)]
    pub holders: Vec<Holder>,
    /// The insides of packs, by the ids of those.
    #[serde(default)]
    pub packs: Vec<Pack>,
    /// What lies on the ground, in order of landing.
    #[serde(default)]
    pub ground: Vec<Landed>,
    /// How many items of each kind came into the world and left it.
    #[serde(default, alias = "tallies")]
    pub totals: BTreeMap<String, KindTotals>,
    /// The lowest number that the next departure may get.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub departures: u64,
    /// The latest departure that has arrived here under each name, by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub arrivals: Vec<PastArrival>,
    /// The latest requests that were applied and had an id, the oldest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub requests: Vec<Answered>,
    /// What an earlier ruleset knew and this one does not.
    #[serde(default, alias = "strays", skip_serializing_if = "Vec::is_empty")]
    pub orphans: Vec<Orphan>,
}

/// What a world remembers of what has arrived, so that nothing arrives twice.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(untagged, deny_unknown_fields)]
pub enum PastArrival {
    /// One departure by itself, as saves of an earlier time list them.
    One(DepartureId),
    /// The latest under a name: nothing arrives under it any more by a departure of this number or a lower one.
    Latest {
        /// What paths call it.
        name: String,
        /// The number of its departure.
        number: u64,
    },
}

#[allow(clippy::trivially_copy_pass_by_ref)] // As serde calls it.
fn is_zero(count: &u64) -> bool {
    *count == 0
}

/// Where random numbers stand. As data it is a text of 64 hexadecimal digits: numbers of that size would be rounded by many readers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Random(pub(crate) rand_xoshiro::Xoshiro256PlusPlus);

/// The four words of the state, as the generator tells them itself.
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

/// A container and what lies in it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Container {
    /// What paths call it; of one that a holder carries without the holder.
    pub name: String,
    /// Which of the ruleset's containers it is.
    #[serde(alias = "of")]
    pub definition: String,
    /// How many slots it has.
    pub slots: u32,
    /// The holders that have opened it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub opened_by: Vec<String>,
    /// What lies in its slots, in slot order.
    #[serde(default)]
    pub stacks: Vec<InSlot>,
}

/// The inside of a pack and what lies in it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Pack {
    /// The stack that is the pack.
    pub pack: StackId,
    /// How many slots it has.
    pub slots: u32,
    /// The holders that have opened it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub opened_by: Vec<String>,
    /// What lies in its slots, in slot order.
    #[serde(default)]
    pub stacks: Vec<InSlot>,
}

/// A holder with all that it carries.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Holder {
    /// What paths call it.
    pub name: String,
    /// Which of the ruleset's holders it is.
    #[serde(alias = "of")]
    pub definition: String,
    /// Its containers, in the order in which they are tried.
    #[serde(default)]
    pub containers: Vec<Container>,
    /// What is in its hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hand: Option<Stack>,
    /// The slot from which that came, such as `sled/3`, or `#12/0` for one inside of the pack with that id.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub origin: Option<Path>,
    /// The kinds at which its shortcuts point.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub shortcuts: Vec<Option<String>>,
}

/// A stack in a slot.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct InSlot {
    /// The slot, from 0.
    pub slot: u32,
    /// What lies there.
    pub stack: Stack,
}

/// A stack on the ground.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Landed {
    /// Where it lies.
    pub at: Position,
    /// What lies there.
    pub stack: Stack,
}

/// Some items of one kind, alike in marks and properties.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Stack {
    /// Its id.
    pub id: StackId,
    /// The kind of its items.
    pub kind: String,
    /// How many they are.
    pub count: u32,
    /// Its marks, in the order of the ruleset.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub marks: Vec<String>,
    /// Those of its properties that differ from the kind's.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub properties: BTreeMap<String, Decimal>,
}

/// How many items of a kind came into the world and left it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct KindTotals {
    /// Created.
    #[serde(default)]
    pub created: u64,
    /// Consumed.
    #[serde(default)]
    pub consumed: u64,
    /// Came with containers and holders that arrived.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub arrived: u64,
    /// Left with containers and holders that departed.
    #[serde(default, skip_serializing_if = "is_zero")]
    pub departed: u64,
}
