//! The differences in meaning between two rulesets.
//!
//! Both rulesets become lists of settings by name ([`Ruleset::settings`]), the older one with the
//! names of the newer. Filters are compared by their answers: for each kind of both rulesets,
//! either the two filters are equal once the kind is known, or every combination of the marks and
//! property values that they can distinguish is compared. A filter with too many combinations
//! counts as different.

mod answers;

use std::collections::{BTreeMap, BTreeSet};

use crate::id::KindId;
use crate::ruleset::{Detail, FilterId, Renames, Ruleset, Setting, SettingClass, Subject, SubjectKind, UNNAMED};
use answers::{Answers, Side};

/// A difference between two rulesets.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RuleDifference {
    /// The definition that has the setting.
    pub subject: Subject,
    /// What it affects.
    pub class: SettingClass,
    /// The setting, such as `weight-cap`; empty if the subject itself is new or was removed.
    pub setting: String,
    /// The old value; `None` if it is new.
    pub old: Option<String>,
    /// The new value; `None` if it was removed.
    pub new: Option<String>,
    /// For a filter: the kinds that only the new one admits.
    pub newly_admitted: Vec<String>,
    /// For a filter: the kinds that only the old one admits.
    pub no_longer_admitted: Vec<String>,
    /// For a filter: the kinds that have too many combinations of marks and properties to compare.
    pub not_compared: Vec<String>,
}

/// Every difference, in the order of the new ruleset. Removed definitions come last.
#[must_use]
pub fn compare(old: &Ruleset, new: &Ruleset) -> Vec<RuleDifference> {
    let names = Renames::between(old, new);
    let (before, after) = (old.settings_renamed(names), new.settings());
    let sides = (Side::renamed(old, names), Side::renamed(new, Renames::default()));
    let mut comparison = Comparison { old, new, sides, kinds: Vec::new(), found: Vec::new() };
    comparison.kinds = comparison.shared_kinds();
    let renamed = comparison.renamed(names);
    let known: BTreeMap<&Subject, &Vec<Setting>> =
        before.iter().map(|(subject, settings)| (subject, settings)).collect();
    let there: BTreeSet<&Subject> = after.iter().map(|(subject, _)| subject).collect();
    for order in ORDER {
        comparison.found.extend(
            renamed.iter().filter(|found| found.subject.kind == order && !there.contains(&found.subject)).cloned(),
        );
        for (subject, settings) in after.iter().filter(|(subject, _)| subject.kind == order) {
            comparison.found.extend(renamed.iter().filter(|found| found.subject == *subject).cloned());
            match known.get(subject) {
                Some(before) => comparison.settings(subject, before, settings),
                None if order == SubjectKind::Tag => {}
                None => comparison.whole(subject, settings, true),
            }
        }
        for (subject, settings) in before.iter().filter(|(subject, _)| subject.kind == order) {
            if !there.contains(subject) && order != SubjectKind::Tag {
                comparison.whole(subject, settings, false);
            }
        }
    }
    comparison.found
}

/// Tags that are new or gone are seen in the kinds that have them.
const ORDER: [SubjectKind; 12] = [
    SubjectKind::Ruleset,
    SubjectKind::Kind,
    SubjectKind::Tag,
    SubjectKind::Mark,
    SubjectKind::Property,
    SubjectKind::Container,
    SubjectKind::Holder,
    SubjectKind::Group,
    SubjectKind::Deal,
    SubjectKind::Recipe,
    SubjectKind::Change,
    SubjectKind::Start,
];

struct Comparison<'r> {
    old: &'r Ruleset,
    new: &'r Ruleset,
    sides: (Side<'r>, Side<'r>),
    /// The kinds that both have.
    kinds: Vec<(KindId, KindId)>,
    found: Vec<RuleDifference>,
}

fn difference(subject: &Subject, class: SettingClass, what: &str) -> RuleDifference {
    RuleDifference {
        subject: subject.clone(),
        class,
        setting: what.to_owned(),
        old: None,
        new: None,
        newly_admitted: Vec::new(),
        no_longer_admitted: Vec::new(),
        not_compared: Vec::new(),
    }
}

impl Comparison<'_> {
    fn shared_kinds(&self) -> Vec<(KindId, KindId)> {
        let kinds = self.new.kinds();
        kinds.filter_map(|kind| Some((self.sides.0.kind(kind.id())?, kind.handle()))).collect()
    }

    /// What has a different name now, one line each.
    fn renamed(&self, names: Renames<'_>) -> Vec<RuleDifference> {
        let mut found = Vec::new();
        let mut add = |kind: SubjectKind, before: &str, after: String| {
            if before != after {
                let subject = match kind {
                    SubjectKind::Container => names.definition(before),
                    SubjectKind::Holder => names.holder_definition(before),
                    _ => after.clone(),
                };
                let line = difference(&Subject::new(kind, subject), SettingClass::Rule, "renamed");
                found.push(RuleDifference { old: Some(before.to_owned()), new: Some(after), ..line });
            }
        };
        let old = self.old;
        old.kinds().for_each(|kind| add(SubjectKind::Kind, kind.id(), names.kind(kind.id())));
        old.marks().iter().for_each(|mark| add(SubjectKind::Mark, mark.name(), names.mark(mark.name())));
        let properties = old.properties().iter();
        properties.for_each(|it| add(SubjectKind::Property, it.name(), names.property(it.name())));
        old.recipes().iter().for_each(|it| add(SubjectKind::Recipe, it.id(), names.recipe(it.id())));
        old.containers().iter().for_each(|def| add(SubjectKind::Container, def.id(), names.container(def.id())));
        old.holders().iter().for_each(|def| add(SubjectKind::Holder, def.id(), names.holder(def.id())));
        found
    }

    fn whole(&mut self, subject: &Subject, settings: &[Setting], is_new: bool) {
        let class = settings.first().map_or(SettingClass::Rule, |setting| match setting.class {
            SettingClass::Start => SettingClass::Start,
            _ => SettingClass::Rule,
        });
        let mut found = difference(subject, class, "");
        let text = match (class, settings.first()) {
            (SettingClass::Start, Some(setting)) => setting.value.clone(),
            _ if is_new => "is new".to_owned(),
            _ => "is gone".to_owned(),
        };
        *(if is_new { &mut found.new } else { &mut found.old }) = Some(text);
        self.found.push(found);
    }

    fn settings(&mut self, subject: &Subject, old: &[Setting], new: &[Setting]) {
        self.members(subject, old, new);
        self.caps(subject, old, new);
        let single = |setting: &&Setting| !matches!(setting.detail, Detail::Member | Detail::Cap(..));
        let find = |list: &[Setting], name: &str| list.iter().filter(single).find(|it| it.name == name).cloned();
        for setting in new.iter().filter(single) {
            match find(old, &setting.name) {
                Some(before) => self.setting(subject, &before, setting),
                None => self.alone(subject, setting, old, true),
            }
        }
        for setting in old.iter().filter(single).filter(|it| find(new, &it.name).is_none()) {
            self.alone(subject, setting, new, false);
        }
    }

    /// A setting that only one of the rulesets has: a slot, or what belongs to one.
    fn alone(&mut self, subject: &Subject, setting: &Setting, others: &[Setting], is_new: bool) {
        let of_slot = setting.name.split_once(": ").map(|(slot, _)| slot);
        let has_slot = of_slot.is_none_or(|slot| others.iter().any(|other| other.name == slot));
        if setting.detail == Detail::Slot || has_slot && !matches!(setting.detail, Detail::Order(_)) {
            let mut found = difference(subject, setting.class, &setting.name);
            *(if is_new { &mut found.new } else { &mut found.old }) = Some(setting.value.clone());
            self.found.push(found);
        }
    }

    fn setting(&mut self, subject: &Subject, old: &Setting, new: &Setting) {
        match (&old.detail, &new.detail) {
            (Detail::Slot, Detail::Slot) => {}
            (Detail::Filter(before), Detail::Filter(after)) => self.filter(subject, &new.name, *before, *after),
            (Detail::Order(before), Detail::Order(after)) => {
                let shared = |names: &[String], others: &[String]| {
                    let stays = |name: &&String| *name == UNNAMED || others.contains(name);
                    names.iter().filter(stays).cloned().collect::<Vec<_>>().join(", ")
                };
                self.values(subject, new, &shared(before, after), &shared(after, before));
            }
            // A slot with rules of its own that is new or gone has a line of its own.
            (Detail::Slots(before), Detail::Slots(after)) if old.is_default && new.is_default && before == after => {}
            (Detail::Slots(_), Detail::Slots(_)) => self.values(subject, new, &old.value, &new.value),
            // A default that differs follows from something else that does.
            _ if old.is_default && new.is_default => {}
            _ => self.values(subject, new, &old.value, &new.value),
        }
    }

    fn values(&mut self, subject: &Subject, setting: &Setting, old: &str, new: &str) {
        if old != new {
            let found = difference(subject, setting.class, &setting.name);
            let written = |value: &str| Some(value.to_owned()).filter(|value| !value.is_empty());
            self.found.push(RuleDifference { old: written(old), new: written(new), ..found });
        }
    }

    /// Settings of which there may be several: each is there or not.
    fn members(&mut self, subject: &Subject, old: &[Setting], new: &[Setting]) {
        let has = |list: &[Setting], wanted: &Setting| {
            list.iter().any(|it| it.detail == Detail::Member && it.name == wanted.name && it.value == wanted.value)
        };
        // Declared renames are listed with the renamed subject.
        let described = |setting: &Setting| {
            let version = setting.name.strip_prefix("migration.").and_then(|rest| rest.split_once(".renamed."));
            let is_later = |version: &str| version.parse().is_ok_and(|version: u32| version > self.old.version());
            // A meter is no subject of its own.
            version.is_some_and(|(version, what)| what != "meter" && is_later(version))
        };
        let members = |list: &[Setting], others: &[Setting]| {
            let alone = list.iter().filter(|it| it.detail == Detail::Member && !has(others, it) && !described(it));
            alone.cloned().collect::<Vec<_>>()
        };
        let (gone, added) = (members(old, new), members(new, old));
        for (setting, is_new) in added.iter().map(|it| (it, true)).chain(gone.iter().map(|it| (it, false))) {
            let mut found = difference(subject, setting.class, &setting.name);
            *(if is_new { &mut found.new } else { &mut found.old }) = Some(setting.value.clone());
            self.found.push(found);
        }
    }

    /// Caps whose filters answer alike belong together; of the others, those that are left, in
    /// order.
    fn caps(&mut self, subject: &Subject, old: &[Setting], new: &[Setting]) {
        let caps = |list: &[Setting]| {
            let caps = list.iter().filter_map(|it| match it.detail {
                Detail::Cap(of, count) => Some((of, count, it.value.clone())),
                _ => None,
            });
            caps.collect::<Vec<_>>()
        };
        let (mut before, mut after) = (caps(old), caps(new));
        let mut pairs = Vec::new();
        after.retain(|cap| {
            let same = before.iter().position(|other| self.answers(Some(other.0), Some(cap.0)).is_same());
            same.map(|at| pairs.push((before.remove(at), cap.clone()))).is_none()
        });
        let both = before.len().min(after.len());
        pairs.extend(before.drain(..both).zip(after.drain(..both)));
        for ((of, count, _), (new_of, new_count, _)) in pairs {
            let what = format!("cap of `{}`", self.new.filter(new_of).written());
            if count != new_count {
                let found = difference(subject, SettingClass::Rule, &what);
                let (old, new) = (Some(count.to_string()), Some(new_count.to_string()));
                self.found.push(RuleDifference { old, new, ..found });
            }
            self.filter(subject, "cap of", Some(of), Some(new_of));
        }
        for (_, _, value) in after {
            self.found.push(RuleDifference { new: Some(value), ..difference(subject, SettingClass::Rule, "cap") });
        }
        for (_, _, value) in before {
            self.found.push(RuleDifference { old: Some(value), ..difference(subject, SettingClass::Rule, "cap") });
        }
    }

    fn answers(&self, old: Option<FilterId>, new: Option<FilterId>) -> Answers {
        answers::compare(&self.sides, &self.kinds, old, new)
    }

    /// Lists a filter if it answers differently for some stack.
    fn filter(&mut self, subject: &Subject, what: &str, old: Option<FilterId>, new: Option<FilterId>) {
        let answers = self.answers(old, new);
        if answers.is_same() {
            return;
        }
        let written = |rules: &Ruleset, filter: Option<FilterId>| {
            filter.map_or_else(|| "everything".to_owned(), |filter| format!("`{}`", rules.filter(filter).written()))
        };
        self.found.push(RuleDifference {
            old: Some(written(self.old, old)),
            new: Some(written(self.new, new)),
            newly_admitted: answers.newly_admitted,
            no_longer_admitted: answers.no_longer_admitted,
            not_compared: answers.not_compared,
            ..difference(subject, SettingClass::Rule, what)
        });
    }
}
