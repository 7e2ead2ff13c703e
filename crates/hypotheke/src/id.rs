//! One newtype an id, so that none can be mistaken for another.

use std::fmt;
use std::hash::{Hash, Hasher};
use std::sync::atomic::{AtomicU32, Ordering};

use crate::moment::Moment;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// Which ruleset of this process gave a handle. A copy of a ruleset has the same; no other has.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default)]
pub(crate) struct RulesetTag(u32);

/// The number of compiled rulesets. It affects no output, save, hash or order.
static COMPILED: AtomicU32 = AtomicU32::new(0);

impl RulesetTag {
    pub(crate) fn fresh() -> RulesetTag {
        RulesetTag(COMPILED.fetch_add(1, Ordering::Relaxed).wrapping_add(1))
    }
}

/// The position of an entry in its table in the ruleset.
macro_rules! ruleset_id {
    ($($(#[$doc:meta])* $name:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
        pub struct $name(pub(crate) u32, pub(crate) RulesetTag);

        // Tags differ from run to run; nothing that is written or ordered may depend on them.
        impl fmt::Debug for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.debug_tuple(stringify!($name)).field(&self.0).finish()
            }
        }

        impl Hash for $name {
            fn hash<H: Hasher>(&self, hasher: &mut H) {
                self.0.hash(hasher);
            }
        }

        impl $name {
            /// The position in the ruleset's table, from 0. It may change from one version of a
            /// ruleset to the next; files carry names.
            #[must_use]
            pub fn index(self) -> usize {
                self.0 as usize
            }
        }
    )*};
}

ruleset_id! {
    /// An item kind of a [`Ruleset`](crate::Ruleset). A handle that another ruleset gave, or this
    /// one before it was compiled again, is unknown, and never means another kind.
    KindId;
    /// A tag of a ruleset.
    TagId;
    /// A mark of a ruleset.
    MarkId;
    /// A property that some kind of a ruleset lists.
    PropertyId;
    /// A recipe of a ruleset.
    RecipeId;
    /// A container as the ruleset defines it; a world has instances of it.
    ContainerDefId;
    /// A holder as the ruleset defines it.
    HolderDefId;
}

/// The id of a stack, never used twice in a world's life. It carries the number of the world that
/// gave it.
///
/// Written as `#12`, or `#3:12` for a stack that came from world 3; in JSON too, where a number of
/// 64 bits may lose some.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct StackId(pub(crate) u64);

impl StackId {
    const SERIAL_BITS: u32 = 40;
    /// The largest number within a world.
    pub(crate) const MOST: u64 = (1 << Self::SERIAL_BITS) - 1;
    /// A world whose next stack has at most this number has ids for more stacks than it will ever
    /// see.
    pub(crate) const MAX_NEXT: u64 = Self::MOST - (1 << 32);

    /// The id with a serial number in a world: 24 bits of world, 40 bits of number.
    #[must_use]
    pub fn new(world: u32, serial: u64) -> StackId {
        let world = u64::from(world) & 0xff_ffff;
        StackId(world << Self::SERIAL_BITS | serial & ((1 << Self::SERIAL_BITS) - 1))
    }

    /// The number of the world that gave it.
    #[must_use]
    pub fn world(self) -> u32 {
        (self.0 >> Self::SERIAL_BITS) as u32
    }

    /// The number within that world.
    #[must_use]
    pub fn serial(self) -> u64 {
        self.0 & ((1 << Self::SERIAL_BITS) - 1)
    }
}

impl Serialize for StackId {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for StackId {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<StackId, D::Error> {
        let text = <std::borrow::Cow<'de, str>>::deserialize(deserializer)?;
        text.parse().map_err(serde::de::Error::custom)
    }
}

impl fmt::Display for StackId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.world() {
            0 => write!(f, "#{}", self.serial()),
            world => write!(f, "#{world}:{}", self.serial()),
        }
    }
}

/// Which departure from which world something left by. No world gives one twice. Under one name the
/// numbers grow with each departure, from whichever world: a world lets nothing arrive under a name
/// whose number is not above the last that arrived under it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct DepartureId {
    /// The number of the world that was left.
    pub world: u32,
    /// The number of the departure, from 0: above all that the world has given, and above the last
    /// that arrived there under the name.
    pub number: u64,
}

impl fmt::Display for DepartureId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "departure {} from world {}", self.number, self.world)
    }
}

/// A handle of a container in one world and its clones. A handle of a different world, from before
/// a reload, or of a removed container is refused as unknown, and never means a different
/// container.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ContainerId {
    pub(crate) index: u32,
    pub(crate) since: Moment,
}

/// A handle of a holder in one world and its clones. A handle of a different world, from before a
/// reload, or of a removed holder is refused as unknown, and never means a different holder.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct HolderId {
    pub(crate) index: u32,
    pub(crate) since: Moment,
}
