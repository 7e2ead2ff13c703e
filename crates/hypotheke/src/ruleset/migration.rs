//! The section `[migration]`: how saves of earlier rulesets become worlds of this one.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use toml::Spanned;
use toml::de::DeValue;

use super::read::{Reading, Section};
use super::source::Written;

/// The action for contents that a ruleset no longer allows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum MigrationPolicy {
    /// It stays unchanged. It may improve, but not get worse.
    #[default]
    Stay,
    /// The excess moves to empty slots of the same container; the rest stays.
    Split,
    /// It moves to the first place with room: the same container, the other containers of the
    /// holder in order, the ground.
    Spill,
    /// It moves to the ground.
    Ground,
    /// It is set aside as an orphan, until a ruleset has a place for it again.
    Orphan,
    /// The migration is refused.
    Refuse,
}

/// The section `[migration]` of a ruleset: how a world of a different ruleset is migrated, whether
/// of an earlier version or of a ruleset that is being edited.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MigrationRules {
    /// Stacks over their limit: stay, split, spill or refuse.
    pub over_limit: MigrationPolicy,
    /// Containers and holders over a weight cap or a cap: stay, spill or refuse.
    pub over_cap: MigrationPolicy,
    /// Stacks that their place no longer admits: stay, spill or refuse.
    pub not_admitted: MigrationPolicy,
    /// Stacks in removed slots and containers: spill, ground, orphan or refuse.
    pub removed_places: MigrationPolicy,
    /// Items of removed kinds: orphan or refuse.
    pub unknown_kinds: MigrationPolicy,
    /// The changes of each version, by its number: `[migration.2]` has what became of the names of
    /// version 1.
    pub versions: BTreeMap<u32, VersionChanges>,
}

impl Default for MigrationRules {
    fn default() -> MigrationRules {
        MigrationRules {
            over_limit: MigrationPolicy::Stay,
            over_cap: MigrationPolicy::Stay,
            not_admitted: MigrationPolicy::Stay,
            removed_places: MigrationPolicy::Spill,
            unknown_kinds: MigrationPolicy::Orphan,
            versions: BTreeMap::new(),
        }
    }
}

/// The changes of one version of a ruleset, by the old names.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct VersionChanges {
    /// Renamed definitions.
    pub renamed: Renamed,
    /// Kinds whose items become items of a different kind, which may have existed before.
    pub replaced_by: BTreeMap<String, String>,
    /// Removed containers, and where their contents go.
    pub removed: BTreeMap<String, RemovedContents>,
}

/// Renamed definitions: old name to new name.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Renamed {
    /// Item kinds.
    pub kind: BTreeMap<String, String>,
    /// Containers; for copies, the name of the container and of each copy.
    pub container: BTreeMap<String, String>,
    /// Holders.
    pub holder: BTreeMap<String, String>,
    /// Marks.
    pub mark: BTreeMap<String, String>,
    /// Properties.
    pub property: BTreeMap<String, String>,
    /// Recipes.
    pub recipe: BTreeMap<String, String>,
    /// Meters of holders.
    pub meter: BTreeMap<String, String>,
}

/// Where the contents of a removed container go.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RemovedContents {
    /// Into a different container, as far as they fit; then to the ground.
    Into(String),
    /// To the ground.
    Ground,
    /// They are set aside as orphans.
    Orphan,
}

/// The section as read.
#[derive(Clone, Debug, Default)]
pub(crate) struct MigrationSource {
    pub(crate) rules: MigrationRules,
    pub(crate) names: Vec<NameChange>,
}

/// A line of a version, which is checked when all names are known.
#[derive(Clone, Debug)]
pub(crate) struct NameChange {
    pub(crate) version: Written<u32>,
    pub(crate) what: Changed,
    pub(crate) before: Written<String>,
    /// The new name; `None` if the contents go to the ground or become orphans.
    pub(crate) after: Option<Written<String>>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Changed {
    Kind,
    Replaced,
    Container,
    Removed,
    Holder,
    Mark,
    Property,
    Recipe,
    Meter,
}

const KEYS: &[&str] = &["over-limit", "over-cap", "not-admitted", "removed-places", "unknown-kinds"];
const VERSION: &[&str] = &["renamed", "replaced-by", "removed"];
const RENAMED: &[(&str, Changed)] = &[
    ("kind", Changed::Kind),
    ("container", Changed::Container),
    ("holder", Changed::Holder),
    ("mark", Changed::Mark),
    ("property", Changed::Property),
    ("recipe", Changed::Recipe),
    ("meter", Changed::Meter),
];

const STAY: (&str, MigrationPolicy) = ("stay", MigrationPolicy::Stay);
const SPILL: (&str, MigrationPolicy) = ("spill", MigrationPolicy::Spill);
const ORPHAN: (&str, MigrationPolicy) = ("orphan", MigrationPolicy::Orphan);
const REFUSE: (&str, MigrationPolicy) = ("refuse", MigrationPolicy::Refuse);

/// Reads the section.
pub(crate) fn read(reading: &mut Reading<'_>, value: &Spanned<DeValue<'_>>) -> MigrationSource {
    let is_version = |key: &str| key.parse::<u32>().is_ok();
    let Some(section) = reading.section_with(value, "`migration`", KEYS, is_version) else {
        return MigrationSource::default();
    };
    let standard = MigrationRules::default();
    let rules = MigrationRules {
        over_limit: reading
            .choice(&section, "over-limit", &[STAY, ("split", MigrationPolicy::Split), SPILL, REFUSE])
            .unwrap_or(standard.over_limit),
        over_cap: reading.choice(&section, "over-cap", &[STAY, SPILL, REFUSE]).unwrap_or(standard.over_cap),
        not_admitted: reading.choice(&section, "not-admitted", &[STAY, SPILL, REFUSE]).unwrap_or(standard.not_admitted),
        removed_places: reading
            .choice(&section, "removed-places", &[SPILL, ("ground", MigrationPolicy::Ground), ORPHAN, REFUSE])
            .unwrap_or(standard.removed_places),
        unknown_kinds: reading.choice(&section, "unknown-kinds", &[ORPHAN, REFUSE]).unwrap_or(standard.unknown_kinds),
        versions: BTreeMap::new(),
    };
    let mut source = MigrationSource { rules, names: Vec::new() };
    for (key, value) in reading.entries_of(&section) {
        if let Ok(version) = key.value.parse() {
            source.read_version(reading, &Written { value: version, at: key.at }, value);
        }
    }
    source
}

impl MigrationSource {
    fn read_version(&mut self, reading: &mut Reading<'_>, version: &Written<u32>, value: &Spanned<DeValue<'_>>) {
        let what = format!("`migration.{}`", version.value);
        let Some(section) = reading.section(value, what, VERSION) else { return };
        if let Some(renamed) = section.table.get("renamed") {
            let keys: Vec<&'static str> = RENAMED.iter().map(|(key, _)| *key).collect();
            if let Some(renamed) = reading.section(renamed, "`renamed`", &keys) {
                for &(key, what) in RENAMED {
                    self.read_names(reading, version, &renamed, (key, what));
                }
            }
        }
        self.read_names(reading, version, &section, ("replaced-by", Changed::Replaced));
        self.read_names(reading, version, &section, ("removed", Changed::Removed));
    }

    fn read_names(
        &mut self,
        reading: &mut Reading<'_>,
        version: &Written<u32>,
        section: &Section<'_, '_>,
        (key, what): (&str, Changed),
    ) {
        for (before, value) in reading.entries(section, key) {
            let Some(after) = reading.one_text(value, &format!("`{}` of `{key}`", before.value)) else { continue };
            let changes = self.rules.versions.entry(version.value).or_default();
            let after = if what == Changed::Removed {
                let Some((gone, into)) = read_removed(&after.value) else {
                    reading.bad_removed(&after);
                    continue;
                };
                changes.removed.insert(before.value.clone(), gone);
                into.map(|value| Written { value, at: after.at })
            } else {
                changes.names_of(what).insert(before.value.clone(), after.value.clone());
                Some(after)
            };
            self.names.push(NameChange { version: version.clone(), what, before, after });
        }
    }
}

/// `into depot`, `to ground`, `orphan`.
fn read_removed(text: &str) -> Option<(RemovedContents, Option<String>)> {
    match text.split_ascii_whitespace().collect::<Vec<_>>()[..] {
        ["into", container] => Some((RemovedContents::Into(container.to_owned()), Some(container.to_owned()))),
        ["to", "ground"] => Some((RemovedContents::Ground, None)),
        ["orphan"] => Some((RemovedContents::Orphan, None)),
        _ => None,
    }
}

impl VersionChanges {
    fn names_of(&mut self, what: Changed) -> &mut BTreeMap<String, String> {
        match what {
            Changed::Kind => &mut self.renamed.kind,
            Changed::Container => &mut self.renamed.container,
            Changed::Holder => &mut self.renamed.holder,
            Changed::Mark => &mut self.renamed.mark,
            Changed::Property => &mut self.renamed.property,
            Changed::Recipe => &mut self.renamed.recipe,
            Changed::Meter => &mut self.renamed.meter,
            Changed::Replaced | Changed::Removed => &mut self.replaced_by,
        }
    }
}

impl MigrationPolicy {
    /// As a ruleset writes it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            MigrationPolicy::Stay => "stay",
            MigrationPolicy::Split => "split",
            MigrationPolicy::Spill => "spill",
            MigrationPolicy::Ground => "ground",
            MigrationPolicy::Orphan => "orphan",
            MigrationPolicy::Refuse => "refuse",
        }
    }
}

impl MigrationRules {
    /// The actions as a ruleset writes them, by key.
    pub(crate) fn actions(&self) -> [(&'static str, &'static str); 5] {
        [
            ("over-limit", self.over_limit.word()),
            ("over-cap", self.over_cap.word()),
            ("not-admitted", self.not_admitted.word()),
            ("removed-places", self.removed_places.word()),
            ("unknown-kinds", self.unknown_kinds.word()),
        ]
    }
}

impl VersionChanges {
    /// All old and new names, by key, as a ruleset writes them.
    pub(crate) fn all_names(&self) -> Vec<(&'static str, Vec<(String, String)>)> {
        let pairs = |names: &BTreeMap<String, String>| {
            names.iter().map(|(before, after)| (before.clone(), after.clone())).collect::<Vec<_>>()
        };
        let gone = |gone: &RemovedContents| match gone {
            RemovedContents::Into(container) => format!("into {container}"),
            RemovedContents::Ground => "to ground".to_owned(),
            RemovedContents::Orphan => "orphan".to_owned(),
        };
        vec![
            ("renamed.kind", pairs(&self.renamed.kind)),
            ("renamed.container", pairs(&self.renamed.container)),
            ("renamed.holder", pairs(&self.renamed.holder)),
            ("renamed.mark", pairs(&self.renamed.mark)),
            ("renamed.property", pairs(&self.renamed.property)),
            ("renamed.recipe", pairs(&self.renamed.recipe)),
            ("renamed.meter", pairs(&self.renamed.meter)),
            ("replaced-by", pairs(&self.replaced_by)),
            ("removed", self.removed.iter().map(|(before, after)| (before.clone(), gone(after))).collect()),
        ]
    }
}

/// The result of the changes for a container.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum ContainerSuccessor {
    /// It has this name now.
    Now(String),
    /// It was removed; its contents go there.
    Removed(RemovedContents),
}

/// The present names of a version. The changes of each version apply in order, so that a save that
/// skips versions gets the same names as one that migrates through all of them.
impl MigrationRules {
    fn since(&self, version: u32) -> impl Iterator<Item = &VersionChanges> {
        self.versions.range(version.saturating_add(1)..).map(|(_, changes)| changes)
    }

    fn followed<'r>(
        &'r self,
        version: u32,
        name: &str,
        names: impl Fn(&'r VersionChanges) -> &'r BTreeMap<String, String>,
    ) -> String {
        let step = |name: String, changes| names(changes).get(&name).cloned().unwrap_or(name);
        self.since(version).fold(name.to_owned(), step)
    }

    /// The present name of a definition that was only renamed.
    pub(crate) fn renamed_since<'r>(
        &'r self,
        version: u32,
        name: &str,
        names: impl Fn(&'r Renamed) -> &'r BTreeMap<String, String>,
    ) -> String {
        self.followed(version, name, |changes| names(&changes.renamed))
    }

    /// Whether names changed between two versions.
    pub(crate) fn changes_names(&self, since: u32) -> bool {
        self.since(since).next().is_some()
    }

    pub(crate) fn kind_since(&self, version: u32, name: &str) -> String {
        let step = |name: String, changes: &VersionChanges| {
            let after = changes.renamed.kind.get(&name).or_else(|| changes.replaced_by.get(&name));
            after.cloned().unwrap_or(name)
        };
        self.since(version).fold(name.to_owned(), step)
    }

    pub(crate) fn holder_since(&self, version: u32, name: &str) -> String {
        self.renamed_since(version, name, |renamed| &renamed.holder)
    }

    pub(crate) fn mark_since(&self, version: u32, name: &str) -> String {
        self.renamed_since(version, name, |renamed| &renamed.mark)
    }

    pub(crate) fn property_since(&self, version: u32, name: &str) -> String {
        self.renamed_since(version, name, |renamed| &renamed.property)
    }

    pub(crate) fn recipe_since(&self, version: u32, name: &str) -> String {
        self.renamed_since(version, name, |renamed| &renamed.recipe)
    }

    pub(crate) fn meter_since(&self, version: u32, name: &str) -> String {
        self.renamed_since(version, name, |renamed| &renamed.meter)
    }

    pub(crate) fn container_since(&self, version: u32, name: &str) -> ContainerSuccessor {
        let mut name = name.to_owned();
        for (&version, changes) in self.versions.range(version.saturating_add(1)..) {
            match changes.removed.get(&name) {
                None => name = changes.renamed.container.get(&name).cloned().unwrap_or(name),
                // The target may itself have been renamed or removed since.
                Some(RemovedContents::Into(into)) => {
                    return match self.container_since(version, into) {
                        ContainerSuccessor::Now(into) => ContainerSuccessor::Removed(RemovedContents::Into(into)),
                        gone @ ContainerSuccessor::Removed(_) => gone,
                    };
                }
                Some(gone) => return ContainerSuccessor::Removed(gone.clone()),
            }
        }
        ContainerSuccessor::Now(name)
    }
}
