//! The names in the section `[migration]` are checked against those of the ruleset.

use super::Compiler;
use crate::ruleset::Fate;
use crate::ruleset::migration::{Changed, MigrationSource, NameChange};
use crate::text::{Diagnostic, suggestion};

impl Compiler {
    pub(super) fn compile_migration(&mut self) {
        let MigrationSource { rules, names } = std::mem::take(&mut self.source.migration);
        self.rules.migration = rules;
        for (nth, change) in names.iter().enumerate() {
            let fault = self.version_fault(change).or_else(|| twice(&names[..nth], change));
            let fault = fault.or_else(|| self.still_there(&names, change)).or_else(|| self.unknown_after(change));
            self.faults.extend(fault);
        }
    }

    fn version_fault(&self, change: &NameChange) -> Option<Diagnostic> {
        let (version, present) = (change.version.value, self.rules.version);
        let message = if version > present {
            format!("this is version {present}, in which version {version} can have changed nothing")
        } else if version < 2 {
            "nothing was before version 1 that could have changed".to_owned()
        } else {
            return None;
        };
        let fault = Diagnostic::error("out-of-range", change.version.at, message);
        Some(fault.help("`[migration.2]` tells what version 2 changed; `version = 2` says that this is it"))
    }

    fn knows(&self, what: Changed, name: &str) -> bool {
        match what {
            Changed::Kind | Changed::Replaced => self.rules.find_kind(name).is_some(),
            Changed::Container | Changed::Gone => {
                // One with copies is there only by their names.
                let is_it = |def: &crate::ContainerDef| match def.instances().next() {
                    Some(_) => def.instances().any(|copy| copy == name),
                    None => def.id() == name,
                };
                self.rules.containers().iter().any(is_it)
            }
            Changed::Holder => self.rules.find_holder(name).is_some(),
            Changed::Mark => self.rules.find_mark(name).is_some(),
            Changed::Property => self.rules.find_property(name).is_some(),
        }
    }

    /// What has another name now can't have the one before too, unless that is the new name of another.
    fn still_there(&self, all: &[NameChange], change: &NameChange) -> Option<Diagnostic> {
        let name = &change.before.value;
        let is_new_name = |other: &NameChange| {
            let after = other.after.as_ref().is_some_and(|after| after.value == *name);
            after && other.what == change.what && other.version.value == change.version.value
        };
        let is_there = change.version.value == self.rules.version && self.knows(change.what, name);
        (is_there && !all.iter().any(is_new_name)).then(|| {
            let message = format!("`{name}` is still there, so nothing can have become of it");
            Diagnostic::error("name-clash", change.before.at, message).help("remove it, or take this line out")
        })
    }

    /// What a name became is there, unless a later version changed it again.
    fn unknown_after(&self, change: &NameChange) -> Option<Diagnostic> {
        let after = change.after.as_ref()?;
        let (version, migration) = (change.version.value, &self.rules.migration);
        let (known, now): (Vec<&str>, Option<String>) = match change.what {
            Changed::Kind | Changed::Replaced => {
                let now = migration.kind_since(version, &after.value);
                (self.rules.kinds().map(crate::Kind::id).collect(), Some(now))
            }
            Changed::Container | Changed::Gone => {
                let now = match migration.container_since(version, &after.value) {
                    Fate::Now(now) => Some(now),
                    Fate::Gone(_) => None,
                };
                (self.rules.containers().iter().flat_map(|def| def.instances().chain([def.id()])).collect(), now)
            }
            Changed::Holder => {
                let now = migration.holder_since(version, &after.value);
                (self.rules.holders().iter().map(crate::HolderDef::id).collect(), Some(now))
            }
            Changed::Mark => {
                let now = migration.mark_since(version, &after.value);
                (self.rules.marks().iter().map(crate::Mark::name).collect(), Some(now))
            }
            Changed::Property => {
                let now = migration.property_since(version, &after.value);
                (self.rules.properties().iter().map(crate::Property::name).collect(), Some(now))
            }
        };
        // A name of an earlier version may have gone since.
        let now = now.filter(|now| version == self.rules.version && !self.knows(change.what, now))?;
        let fault = Diagnostic::error("unknown-name", after.at, format!("there is no `{now}` that it could be now"));
        Some(fault.label("unknown name").maybe_help(suggestion(&now, known)))
    }
}

/// Two can't become one by a new name, and one not two.
fn twice(before: &[NameChange], change: &NameChange) -> Option<Diagnostic> {
    let subject = |what| match what {
        Changed::Replaced => Changed::Kind,
        Changed::Gone => Changed::Container,
        what => what,
    };
    let is_same = |other: &&NameChange| {
        subject(other.what) == subject(change.what) && other.version.value == change.version.value
    };
    let name = &change.before.value;
    if let Some(other) = before.iter().filter(is_same).find(|other| other.before.value == *name) {
        let message = format!("`{name}` can't have become two things at once");
        return Some(Diagnostic::error("duplicate", change.before.at, message).related(other.before.at, "the other"));
    }
    let is_new_name = |what| !matches!(what, Changed::Replaced | Changed::Gone);
    let after = change.after.as_ref().filter(|_| is_new_name(change.what))?;
    let taken = |other: &&NameChange| {
        is_new_name(other.what) && other.after.as_ref().is_some_and(|taken| taken.value == after.value)
    };
    let other = before.iter().filter(is_same).find(taken)?;
    let message = format!("two can't both be called `{}` now", after.value);
    let fault = Diagnostic::error("duplicate", after.at, message).related(other.before.at, "the other");
    Some(if change.what == Changed::Kind {
        fault.help("for kinds whose items become those of another: `replaced-by`")
    } else {
        fault
    })
}
