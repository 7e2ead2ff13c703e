//! The facts about the ruleset that a save stores beyond its name, so that it can be migrated
//! without the earlier ruleset.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};

use crate::ruleset::{ContainerDef, Ruleset};
use crate::snapshot::Snapshot;

/// The shape of a ruleset, as far as a save needs it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub(crate) struct Outline {
    /// The containers and holders of the ruleset that are not in the world: they have departed.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    #[serde(alias = "away")]
    pub(crate) departed: Vec<String>,
    /// The names of slots, in order, of the containers that have any.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub(crate) slot_names: BTreeMap<String, Vec<Option<String>>>,
}

impl Outline {
    pub(crate) fn new(rules: &Ruleset, snapshot: &Snapshot) -> Outline {
        let standing = snapshot.containers.iter().map(|container| container.name.as_str());
        let there: BTreeSet<&str> =
            standing.chain(snapshot.holders.iter().map(|holder| holder.name.as_str())).collect();
        let standing = rules.containers().iter().flat_map(ContainerDef::instances);
        let all = standing.chain(rules.holder_names());
        let named = rules.containers().iter().filter(|def| def.ruled.iter().any(|slot| slot.name.is_some()));
        let names = |def: &ContainerDef| {
            def.ruled.iter().map(|slot| slot.name.as_deref().map(str::to_owned)).collect::<Vec<_>>()
        };
        Outline {
            departed: all.filter(|name| !there.contains(name)).map(str::to_owned).collect(),
            slot_names: named.map(|def| (def.id().to_owned(), names(def))).collect(),
        }
    }
}
