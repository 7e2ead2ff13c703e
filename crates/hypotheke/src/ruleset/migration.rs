//! The section `[migration]`: what becomes of worlds from before this ruleset.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use toml::Spanned;
use toml::de::DeValue;

use super::read::{Reading, Section};
use super::source::Written;

/// What is done about something that a ruleset no longer allows.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum MigrationPolicy {
    /// It stays as it is and may get better, but not worse.
    #[default]
    Stay,
    /// What is over a limit goes to empty slots of the same container; what finds none stays.
    Split,
    /// It goes to where there is room: the same container, the holder's other containers in order, the ground.
    Spill,
    /// It goes to the ground.
    Ground,
    /// It is kept aside, out of play, until a ruleset has a place for it again.
    Orphan,
    /// The world does not go over to the ruleset.
    Refuse,
}

/// The section `[migration]` of a ruleset: what becomes of a world that was played by another ruleset, be it an earlier
/// version or one that is being edited.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct MigrationRules {
    /// About stacks over their limit: leave, split, spill or refuse.
    pub over_limit: MigrationPolicy,
    /// About containers and holders over a weight cap or a cap by filter: leave, spill or refuse.
    pub over_cap: MigrationPolicy,
    /// About what lies where it is not admitted any more: leave, spill or refuse.
    pub not_admitted: MigrationPolicy,
    /// About what lies in slots and containers that are not there any more: spill, ground, orphan or refuse.
    pub removed_places: MigrationPolicy,
    /// About items of kinds that are not known any more: orphan or refuse.
    pub unknown_kinds: MigrationPolicy,
    /// Changed each version of the ruleset changed, by its number: the section `[migration.2]` tells what became of the names of version 1.
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

/// Changed one version of a ruleset changed, each by its name before.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct VersionChanges {
    /// Changed has another name now.
    pub renamed: Renamed,
    /// Kinds whose items are of another kind now, which may have been there before.
    pub replaced_by: BTreeMap<String, String>,
    /// Containers that are not there any more, and where their contents go.
    pub removed: BTreeMap<String, RemovedContents>,
}

/// Changed has another name now.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Renamed {
    /// Item kinds.
    pub kind: BTreeMap<String, String>,
    /// Containers, those with copies by the name of the container and of each copy.
    pub container: BTreeMap<String, String>,
    /// Holders.
    pub holder: BTreeMap<String, String>,
    /// Marks.
    pub mark: BTreeMap<String, String>,
    /// Properties.
    pub property: BTreeMap<String, String>,
}

/// Where the contents of a container go that is not there any more.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum RemovedContents {
    /// Into another container, as far as they fit; then to the ground.
    Into(String),
    /// To the ground.
    Ground,
    /// They are kept aside.
    Orphan,
}

/// The section as it is written.
#[derive(Clone, Debug, Default)]
pub(crate) struct MigrationSource {
    pub(crate) rules: MigrationRules,
    pub(crate) names: Vec<NameChange>,
}

/// A line of a version, to be checked when the names of the ruleset are known.
#[derive(Clone, Debug)]
pub(crate) struct NameChange {
    pub(crate) version: Written<u32>,
    pub(crate) what: Changed,
    pub(crate) before: Written<String>,
    /// The name that follows; none if the contents go to the ground or are kept aside.
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
}

const KEYS: &[&str] = &["over-limit", "over-cap", "not-admitted", "removed-places", "unknown-kinds"];
const VERSION: &[&str] = &["renamed", "replaced-by", "removed"];
const RENAMED: &[(&str, Changed)] = &[
    ("kind", Changed::Kind),
    ("container", Changed::Container),
    ("holder", Changed::Holder),
    ("mark", Changed::Mark),
    ("property", Changed::Property),
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
    /// The actions as a ruleset writes them, by their keys.
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
    /// All names before and after, by their keys, as a ruleset writes them.
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
            ("replaced-by", pairs(&self.replaced_by)),
            ("removed", self.removed.iter().map(|(before, after)| (before.clone(), gone(after))).collect()),
        ]
    }
}

/// What became of a container.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum ContainerSuccessor {
    /// It is called so now.
    Now(String),
    /// It has gone; its contents go there.
    Removed(RemovedContents),
}

/// What names of a version are now. Each version's changes are made in turn, so that a world which skips some comes to the same
/// names as one that went through all.
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

    /// The name that something has by now, if it was only renamed since.
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

    pub(crate) fn container_since(&self, version: u32, name: &str) -> ContainerSuccessor {
        let mut name = name.to_owned();
        for (&version, changes) in self.versions.range(version.saturating_add(1)..) {
            match changes.removed.get(&name) {
                None => name = changes.renamed.container.get(&name).cloned().unwrap_or(name),
                // Where the contents went may itself have another name since, or have gone.
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
