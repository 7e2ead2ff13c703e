//! Contents that a ruleset does not know, set aside until a later ruleset knows them.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};

use super::{KindTotals, Stack};
use crate::id::StackId;
use crate::language::Position;
use crate::quantity::Decimal;

/// Contents that an earlier ruleset had and the present ruleset does not know.
///
/// An orphan has no weight, fills no slot and takes part in no operation. It is saved and loaded
/// unchanged. The first ruleset that knows it again restores it. Until then its items count as
/// departed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum Orphan {
    /// Items of an unknown kind, or of a removed place.
    Stack {
        /// The former place: `sled/3`, `surveyor.pockets/0`, `surveyor.hand`, `#12/1` in the pack
        /// with that id, or `ground`.
        #[serde(rename = "in")]
        place: String,
        /// The position on the ground.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<Position>,
        /// The stack.
        stack: Stack,
        /// For a pack: its number of slots.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        slots: Option<u32>,
    },
    /// Marks and properties of a stack in the world.
    #[serde(alias = "look")]
    Variant {
        /// The stack.
        #[serde(alias = "of")]
        stack: StackId,
        /// The number of its items. A stack that has grown since does not get them back: other
        /// items joined it.
        count: u32,
        /// The marks.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        marks: Vec<String>,
        /// The properties.
        #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
        properties: BTreeMap<String, Decimal>,
    },
    /// A shortcut.
    Shortcut {
        /// The holder.
        holder: String,
        /// The number of the shortcut, from 0.
        shortcut: u32,
        /// The kind of the shortcut.
        kind: String,
    },
    /// A meter of a holder.
    Meter {
        /// The holder.
        holder: String,
        /// The meter.
        meter: String,
        /// Its value.
        value: Decimal,
    },
    /// The numbers of items of a kind that entered and left the world.
    #[serde(alias = "tally")]
    Totals {
        /// The kind.
        kind: String,
        /// The numbers. The items of orphan stacks count as departed.
        #[serde(alias = "tally")]
        totals: KindTotals,
    },
}

impl Orphan {
    /// The number of its items.
    #[must_use]
    pub fn items(&self) -> u64 {
        match self {
            Orphan::Stack { stack, .. } => u64::from(stack.count),
            Orphan::Variant { .. } | Orphan::Shortcut { .. } | Orphan::Meter { .. } | Orphan::Totals { .. } => 0,
        }
    }
}

/// Separates the orphans of a container or holder and of its stacks.
pub(crate) fn part_off(orphans: &[Orphan], name: &str, stacks: &BTreeSet<StackId>) -> (Vec<Orphan>, Vec<Orphan>) {
    let mut packs = stacks.clone();
    orphans.iter().cloned().partition(|orphan| match orphan {
        Orphan::Stack { place, stack, .. } => {
            let goes = match place.split(['.', '/']).next().unwrap_or_default() {
                root if root.starts_with('#') => root.parse().is_ok_and(|pack| packs.contains(&pack)),
                root => root == name,
            };
            if goes {
                // A pack precedes its contents.
                packs.insert(stack.id);
            }
            goes
        }
        Orphan::Variant { stack, .. } => stacks.contains(stack),
        Orphan::Shortcut { holder, .. } | Orphan::Meter { holder, .. } => holder == name,
        Orphan::Totals { .. } => false,
    })
}
