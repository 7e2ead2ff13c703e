//! What a ruleset no longer knows, kept aside until a later one knows it again.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};

use super::{KindTotals, Stack};
use crate::id::StackId;
use crate::language::Position;
use crate::quantity::Decimal;

/// Something that a world had under an earlier ruleset, and that the present one does not know.
///
/// An orphan weighs nothing, fills no slot and takes no part in play. It is saved and read back untouched, and given back by
/// the first ruleset that knows it again. Its items count as departed until then.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", deny_unknown_fields)]
pub enum Orphan {
    /// Items of a kind that is not known, or from a place that is not there any more.
    Stack {
        /// Where it lay: `sled/3`, `surveyor.pockets/0`, `surveyor.hand`, `#12/1` in the pack with that id, `ground`.
        #[serde(rename = "in")]
        place: String,
        /// Where on the ground.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<Position>,
        /// What lay there.
        stack: Stack,
        /// Of a pack: how many slots its inside has.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        slots: Option<u32>,
    },
    /// Marks and properties of a stack that is still there.
    #[serde(alias = "look")]
    Variant {
        /// The stack.
        #[serde(alias = "of")]
        stack: StackId,
        /// How many items it had. If it has grown since, others have joined them, and it does not get them back.
        count: u32,
        /// The marks.
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        marks: Vec<String>,
        /// The properties.
        #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
        properties: BTreeMap<String, Decimal>,
    },
    /// What a shortcut pointed at.
    Shortcut {
        /// The holder.
        holder: String,
        /// Which of its shortcuts, from 0.
        shortcut: u32,
        /// The kind at which it pointed.
        kind: String,
    },
    /// How many items of a kind came into the world and left it.
    #[serde(alias = "tally")]
    Totals {
        /// The kind.
        kind: String,
        /// The numbers, those of orphan stacks among the departed.
        #[serde(alias = "tally")]
        totals: KindTotals,
    },
}

impl Orphan {
    /// How many items it is.
    #[must_use]
    pub fn items(&self) -> u64 {
        match self {
            Orphan::Stack { stack, .. } => u64::from(stack.count),
            Orphan::Variant { .. } | Orphan::Shortcut { .. } | Orphan::Totals { .. } => 0,
        }
    }
}

/// Parts off what belongs to a container or holder by its name, and to the stacks that it has.
pub(crate) fn part_off(orphans: &[Orphan], name: &str, stacks: &BTreeSet<StackId>) -> (Vec<Orphan>, Vec<Orphan>) {
    let mut packs = stacks.clone();
    orphans.iter().cloned().partition(|orphan| match orphan {
        Orphan::Stack { place, stack, .. } => {
            let goes = match place.split(['.', '/']).next().unwrap_or_default() {
                root if root.starts_with('#') => root.parse().is_ok_and(|pack| packs.contains(&pack)),
                root => root == name,
            };
            if goes {
                // A pack comes before what lay in it.
                packs.insert(stack.id);
            }
            goes
        }
        Orphan::Variant { stack, .. } => stacks.contains(stack),
        Orphan::Shortcut { holder, .. } => holder == name,
        Orphan::Totals { .. } => false,
    })
}
