//! The names in the section `[migration]` are checked against those of the ruleset.

use rustc_hash::{FxHashMap, FxHashSet};

use super::Compiler;
use crate::ruleset::ContainerSuccessor;
use crate::ruleset::migration::{Changed, MigrationSource, NameChange};
use crate::text::{Diagnostic, Location};

impl Compiler {
    pub(super) fn compile_migration(&mut self) {
        let MigrationSource { rules, names } = std::mem::take(&mut self.source.migration);
        self.rules.migration = rules;
        let new_names: FxHashSet<Changing<'_>> = names
            .iter()
            .filter_map(|change| Some((change.version.value, change.what, &*change.after.as_ref()?.value)))
            .collect();
        let mut seen = Seen::default();
        for change in &names {
            let fault = self.version_fault(change).or_else(|| seen.twice(change));
            let fault = fault.or_else(|| self.still_there(&new_names, change)).or_else(|| self.unknown_after(change));
            self.faults.extend(fault);
        }
    }

    fn version_fault(&self, change: &NameChange) -> Option<Diagnostic> {
        let (version, present) = (change.version.value, self.rules.version);
        let (message, help) = if version > present {
            (
                format!("version {version} is later than the version of the ruleset, {present}"),
                format!("Raise `version` to {version}, or move this section to `[migration.{present}]`"),
            )
        } else if version < 2 {
            (
                "version 1 is the first version; it has no earlier names".to_owned(),
                "Write the changes of version 2 in `[migration.2]`".to_owned(),
            )
        } else {
            return None;
        };
        Some(Diagnostic::error("out-of-range", change.version.at, message).help(help))
    }

    fn knows(&self, what: Changed, name: &str) -> bool {
        match what {
            Changed::Kind | Changed::Replaced => self.rules.find_kind(name).is_some(),
            Changed::Container | Changed::Removed => {
                // One with copies is there only by their names.
                let is_it = |def: &crate::ContainerDef| match def.instances().next() {
                    Some(_) => def.instances().any(|copy| copy == name),
                    None => def.id() == name,
                };
                self.rules.containers().iter().any(is_it)
            }
            Changed::Holder => self.rules.find_holder_named(name).is_some(),
            Changed::Mark => self.rules.find_mark(name).is_some(),
            Changed::Property => self.rules.find_property(name).is_some(),
            Changed::Recipe => self.rules.find_recipe(name).is_some(),
            Changed::Meter => self.source.meter_names.contains(name),
        }
    }

    /// A renamed name can't still exist, unless it is the new name of something else.
    fn still_there(&self, new_names: &FxHashSet<Changing<'_>>, change: &NameChange) -> Option<Diagnostic> {
        let name = &change.before.value;
        let is_new_name = new_names.contains(&(change.version.value, change.what, name.as_str()));
        let is_there = change.version.value == self.rules.version && self.knows(change.what, name);
        (is_there && !is_new_name).then(|| {
            let message = format!("`{name}` still exists");
            Diagnostic::error("name-clash", change.before.at, message)
                .help("Remove the definition, or remove this line")
        })
    }

    /// The new name exists, unless a later version changed it again.
    fn unknown_after(&self, change: &NameChange) -> Option<Diagnostic> {
        let after = change.after.as_ref()?;
        let (version, migration) = (change.version.value, &self.rules.migration);
        let now = match change.what {
            Changed::Kind | Changed::Replaced => migration.kind_since(version, &after.value),
            Changed::Container | Changed::Removed => match migration.container_since(version, &after.value) {
                ContainerSuccessor::Now(now) => now,
                ContainerSuccessor::Removed(_) => return None,
            },
            Changed::Holder => migration.holder_since(version, &after.value),
            Changed::Mark => migration.mark_since(version, &after.value),
            Changed::Property => migration.property_since(version, &after.value),
            Changed::Recipe => migration.recipe_since(version, &after.value),
            Changed::Meter => migration.meter_since(version, &after.value),
        };
        // A name of an earlier version may be removed since.
        if version != self.rules.version || self.knows(change.what, &now) {
            return None;
        }
        let rules = &self.rules;
        let known: Vec<&str> = match change.what {
            _ if self.faults.is_full() => Vec::new(),
            Changed::Kind | Changed::Replaced => rules.kinds().map(crate::Kind::id).collect(),
            Changed::Container | Changed::Removed => {
                rules.containers().iter().flat_map(|def| def.instances().chain([def.id()])).collect()
            }
            Changed::Holder => rules.holders().iter().map(crate::HolderDef::id).collect(),
            Changed::Mark => rules.marks().iter().map(crate::Mark::name).collect(),
            Changed::Property => rules.properties().iter().map(crate::Property::name).collect(),
            Changed::Recipe => rules.recipes().iter().map(crate::Recipe::id).collect(),
            Changed::Meter => self.source.meter_names.iter().map(String::as_str).collect(),
        };
        let (code, message) = match change.what {
            Changed::Removed => ("unknown-container", format!("unknown container `{now}`")),
            _ => ("unknown-name", format!("unknown new name `{now}`")),
        };
        let fault = Diagnostic::error(code, after.at, message);
        Some(fault.label("unknown name").maybe_help(self.suggestion(&now, known)))
    }
}

/// A name of something, in the changes of one version.
type Changing<'c> = (u32, Changed, &'c str);

/// The names before and after that have been read.
#[derive(Default)]
struct Seen<'c> {
    before: FxHashMap<Changing<'c>, Location>,
    after: FxHashMap<Changing<'c>, Location>,
}

impl<'c> Seen<'c> {
    /// Two can't become one by a new name, and one not two.
    fn twice(&mut self, change: &'c NameChange) -> Option<Diagnostic> {
        let (version, name) = (change.version.value, change.before.value.as_str());
        let (subject, is_renamed) = match change.what {
            Changed::Replaced => (Changed::Kind, false),
            Changed::Removed => (Changed::Container, false),
            what => (what, true),
        };
        if let Some(first) = self.before.insert((version, subject, name), change.before.at) {
            let message = format!("`{name}` has two new names");
            return Some(Diagnostic::error("duplicate", change.before.at, message).related(first, "the other"));
        }
        let after = change.after.as_ref().filter(|_| is_renamed)?;
        let first = self.after.insert((version, subject, after.value.as_str()), after.at)?;
        let message = format!("two names become `{}`", after.value);
        let fault = Diagnostic::error("duplicate", after.at, message).related(first, "the other");
        Some(if change.what == Changed::Kind {
            fault.help("Use `replaced-by` if the items become items of an existing kind")
        } else {
            fault
        })
    }
}
