//! What differs in meaning between two rulesets, however they are written.

use std::collections::BTreeSet;
use std::fmt::Display;

use crate::coverage::{Subject, SubjectKind};
use crate::filter::{Measure, Test, Thought, Value};
use crate::id::KindId;
use crate::quantity::Decimal;
use crate::ruleset::{Cap, ContainerDef, FilterId, HolderDef, Kind, Misfits, PropertyValue, Ruleset, Spent};

/// So many marks are tried in all combinations; of more, each by itself.
const MOST_MARKS: usize = 4;

/// A difference.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RuleDifference {
    /// Of what.
    pub subject: Subject,
    /// What differs: `weight-cap`, `admits`, or nothing if all of it is new or gone.
    pub what: String,
    /// What it was; none if it is new.
    pub old: Option<String>,
    /// What it is; none if it is gone.
    pub new: Option<String>,
    /// Of a filter: what is admitted now and was not.
    pub admitted_now: Vec<String>,
    /// Of a filter: what was admitted and is no longer.
    pub no_longer: Vec<String>,
}

/// Everything that means something else, in the order of the new ruleset; what is gone comes after what is there.
#[must_use]
pub fn compare(old: &Ruleset, new: &Ruleset) -> Vec<RuleDifference> {
    let mut comparison = Comparison { old, new, found: Vec::new() };
    comparison.rulesets();
    comparison.kinds();
    comparison.marks();
    comparison.containers();
    comparison.holders();
    comparison.found
}

struct Comparison<'r> {
    old: &'r Ruleset,
    new: &'r Ruleset,
    found: Vec<RuleDifference>,
}

fn subject(kind: SubjectKind, name: &str) -> Subject {
    Subject { kind, name: name.to_owned() }
}

fn yes_no(rule: bool) -> &'static str {
    if rule { "yes" } else { "no" }
}

fn or_none<T: Display>(value: Option<T>) -> String {
    value.map_or_else(|| "none".to_owned(), |value| value.to_string())
}

fn listed(items: impl Iterator<Item = impl Display>) -> String {
    let told: Vec<String> = items.map(|item| item.to_string()).collect();
    if told.is_empty() { "none".to_owned() } else { told.join(", ") }
}

impl Comparison<'_> {
    fn add(&mut self, subject: Subject, what: &str, old: Option<String>, new: Option<String>) {
        let what = what.to_owned();
        self.found.push(RuleDifference { subject, what, old, new, admitted_now: Vec::new(), no_longer: Vec::new() });
    }

    /// Tells a rule if it differs.
    fn rule(&mut self, of: &Subject, what: &str, old: impl Display, new: impl Display) {
        let (old, new) = (old.to_string(), new.to_string());
        if old != new {
            self.add(of.clone(), what, Some(old), Some(new));
        }
    }

    fn rulesets(&mut self) {
        let (old, new) = (self.old, self.new);
        let of = subject(SubjectKind::Ruleset, "");
        self.rule(&of, "unit of weight", format!("`{}`", old.weight_unit()), format!("`{}`", new.weight_unit()));
        self.rule(&of, "nesting", old.nesting(), new.nesting());
        self.rule(&of, "ground-limit", or_none(old.ground_limit()), or_none(new.ground_limit()));
        self.rule(&of, "request-window", old.request_window(), new.request_window());
        for ((key, before), (_, after)) in old.migration().treatments().into_iter().zip(new.migration().treatments()) {
            self.rule(&of, &format!("migration {key}"), before, after);
        }
    }

    fn kinds(&mut self) {
        let (old, new) = (self.old, self.new);
        for kind in new.kinds() {
            let of = subject(SubjectKind::Kind, kind.id());
            match old.find_kind(kind.id()) {
                None => self.add(of, "", None, Some("is new".to_owned())),
                Some(before) => self.kind(&of, old.kind(before), kind),
            }
        }
        for kind in old.kinds().filter(|kind| new.find_kind(kind.id()).is_none()) {
            self.add(subject(SubjectKind::Kind, kind.id()), "", Some("is gone".to_owned()), None);
        }
    }

    fn kind(&mut self, of: &Subject, old: Kind<'_>, new: Kind<'_>) {
        self.rule(of, "stack-limit", old.stack_limit(), new.stack_limit());
        self.rule(of, "weight", old.weight(), new.weight());
        self.rule(of, "value", old.value(), new.value());
        self.rule(of, "keep", yes_no(old.is_kept()), yes_no(new.is_kept()));
        self.rule(of, "tags", listed(sorted(old.tags()).iter()), listed(sorted(new.tags()).iter()));
        self.rule(of, "needs", listed(sorted(old.needs()).iter()), listed(sorted(new.needs()).iter()));
        self.rule(of, "pack", or_none(old.pack().map(ContainerDef::id)), or_none(new.pack().map(ContainerDef::id)));
        let attributes = |kind: Kind<'_>| {
            let told = kind.attributes().map(|(name, number)| format!("{name} {number}"));
            listed(told.collect::<BTreeSet<_>>().iter())
        };
        self.rule(of, "attributes", attributes(old), attributes(new));
        self.rule(of, "properties", properties(self.old, old), properties(self.new, new));
    }

    fn marks(&mut self) {
        let (old, new) = (self.old, self.new);
        let of = |name: &str| subject(SubjectKind::Tag, name);
        for mark in new.marks().iter().filter(|mark| old.find_mark(mark.name()).is_none()) {
            self.add(of(mark.name()), "mark", None, Some("is new".to_owned()));
        }
        for mark in old.marks().iter().filter(|mark| new.find_mark(mark.name()).is_none()) {
            self.add(of(mark.name()), "mark", Some("is gone".to_owned()), None);
        }
    }

    fn containers(&mut self) {
        let (old, new) = (self.old, self.new);
        for def in new.containers() {
            let of = subject(SubjectKind::Container, def.id());
            match old.find_container(def.id()) {
                None => self.add(of, "", None, Some("is new".to_owned())),
                Some(before) => self.container(&of, old.container(before), def),
            }
        }
        for def in old.containers().iter().filter(|def| new.find_container(def.id()).is_none()) {
            self.add(subject(SubjectKind::Container, def.id()), "", Some("is gone".to_owned()), None);
        }
    }

    fn container(&mut self, of: &Subject, old: &ContainerDef, new: &ContainerDef) {
        self.rule(of, "slots", old.slots(), new.slots());
        let bounds = |def: &ContainerDef| format!("{} to {}", def.slot_bounds().0, def.slot_bounds().1);
        self.rule(of, "bounds of its slots", bounds(old), bounds(new));
        self.rule(of, "columns", old.columns(), new.columns());
        self.rule(of, "instances", listed(old.instances()), listed(new.instances()));
        self.rule(of, "worn", yes_no(old.is_worn()), yes_no(new.is_worn()));
        self.rule(of, "stack-limit", or_none(old.stack_limit()), or_none(new.stack_limit()));
        self.rule(of, "weight-cap", or_none(old.weight_cap()), or_none(new.weight_cap()));
        self.rule(of, "put", yes_no(old.may_put()), yes_no(new.may_put()));
        self.rule(of, "take", yes_no(old.may_take()), yes_no(new.may_take()));
        self.rule(of, "deep", yes_no(old.is_deep()), yes_no(new.is_deep()));
        self.rule(of, "reserved-first", yes_no(old.is_reserved_first()), yes_no(new.is_reserved_first()));
        self.rule(of, "must-open", yes_no(old.must_be_opened()), yes_no(new.must_be_opened()));
        self.rule(of, "exclusive", yes_no(old.is_exclusive()), yes_no(new.is_exclusive()));
        let misfits = |def: &ContainerDef| if def.misfits() == Misfits::Leave { "leave" } else { "stay" };
        self.rule(of, "misfits", misfits(old), misfits(new));
        let ways = |def: &ContainerDef| listed(def.on_put().iter().map(|way| format!("{way:?}").to_lowercase()));
        self.rule(of, "on-put", ways(old), ways(new));
        self.filter(of, "admits", old.admits, new.admits);
        self.caps(of, old.caps(), new.caps());
        self.slots(of, old, new);
    }

    /// Named slots are compared by their names, others by their numbers.
    fn slots(&mut self, of: &Subject, old: &ContainerDef, new: &ContainerDef) {
        let label = |def: &ContainerDef, at: usize| {
            let name = def.ruled.get(at).and_then(|slot| slot.name.as_deref());
            name.map_or_else(|| at.to_string(), str::to_owned)
        };
        let find = |def: &ContainerDef, wanted: &str| (0..def.ruled.len()).find(|&at| label(def, at) == wanted);
        let names = (0..new.ruled.len()).map(|at| label(new, at));
        let gone = (0..old.ruled.len()).map(|at| label(old, at)).filter(|name| find(new, name).is_none());
        for name in names.chain(gone).collect::<Vec<_>>() {
            let (before, after) = (find(old, &name), find(new, &name));
            let number = |at: Option<usize>| or_none(at);
            if before.is_none() || after.is_none() {
                self.rule(of, &format!("slot {name}"), number(before), number(after));
            }
            let limit = |def: &ContainerDef, at: Option<usize>| {
                let limit = at.and_then(|at| def.ruled.get(at)).map_or(u32::MAX, |slot| slot.stack_limit);
                or_none((limit != u32::MAX).then_some(limit))
            };
            self.rule(of, &format!("slot {name}: stack-limit"), limit(old, before), limit(new, after));
            let admits = |def: &ContainerDef, at: Option<usize>| at.and_then(|at| def.ruled.get(at)?.admits);
            self.filter(of, &format!("slot {name}: admits"), admits(old, before), admits(new, after));
        }
    }

    fn holders(&mut self) {
        let (old, new) = (self.old, self.new);
        for def in new.holders() {
            let of = subject(SubjectKind::Holder, def.id());
            match old.find_holder(def.id()) {
                None => self.add(of, "", None, Some("is new".to_owned())),
                Some(before) => self.holder(&of, old.holder(before), def),
            }
        }
        for def in old.holders().iter().filter(|def| new.find_holder(def.id()).is_none()) {
            self.add(subject(SubjectKind::Holder, def.id()), "", Some("is gone".to_owned()), None);
        }
    }

    fn holder(&mut self, of: &Subject, old: &HolderDef, new: &HolderDef) {
        let carries = |rules: &Ruleset, def: &HolderDef| {
            listed(def.carries().iter().map(|&id| rules.container(id).id().to_owned()))
        };
        self.rule(of, "carries", carries(self.old, old), carries(self.new, new));
        self.rule(of, "weight-cap", or_none(old.weight_cap()), or_none(new.weight_cap()));
        let burden = |def: &HolderDef| listed(def.burden().map(|(from, label)| format!("{label} from {from}")));
        self.rule(of, "burden", burden(old), burden(new));
        self.rule(of, "shortcuts", old.shortcuts(), new.shortcuts());
        let spent = |def: &HolderDef| if def.spent_shortcuts() == Spent::Keep { "keep" } else { "clear" };
        self.rule(of, "spent shortcuts", spent(old), spent(new));
        self.caps(of, old.caps(), new.caps());
    }

    /// Caps are compared in their order: the filter of each, and its count.
    fn caps(&mut self, of: &Subject, old: &[Cap], new: &[Cap]) {
        for at in 0..old.len().max(new.len()) {
            let (before, after) = (old.get(at), new.get(at));
            let told = |rules: &Ruleset, cap: Option<&Cap>| {
                or_none(cap.map(|cap| format!("{} of `{}`", cap.count, rules.filter(cap.of).written())))
            };
            match (before, after) {
                (Some(before), Some(after)) => {
                    let what = format!("cap of `{}`", self.new.filter(after.of).written());
                    self.rule(of, &what, before.count, after.count);
                    self.filter(of, "cap of", Some(before.of), Some(after.of));
                }
                _ => self.rule(of, "cap", told(self.old, before), told(self.new, after)),
            }
        }
    }

    /// Tells a filter if it says something else of some stack, with what it says otherwise.
    fn filter(&mut self, of: &Subject, what: &str, old: Option<FilterId>, new: Option<FilterId>) {
        let written = |rules: &Ruleset, filter: Option<FilterId>| {
            filter.map_or_else(|| "everything".to_owned(), |filter| format!("`{}`", rules.filter(filter).written()))
        };
        let (mut now, mut no_longer) = (Vec::new(), Vec::new());
        for sample in self.samples(old, new) {
            match (sample.admitted(self.old, old), sample.admitted(self.new, new)) {
                (Some(false), Some(true)) => now.push(sample.text()),
                (Some(true), Some(false)) => no_longer.push(sample.text()),
                _ => {}
            }
        }
        if !now.is_empty() || !no_longer.is_empty() {
            self.found.push(RuleDifference {
                subject: of.clone(),
                what: what.to_owned(),
                old: Some(written(self.old, old)),
                new: Some(written(self.new, new)),
                admitted_now: now,
                no_longer,
            });
        }
    }

    /// Stacks that the filters may tell apart, of each kind that both rulesets have: plain ones, with marks, with other properties.
    fn samples(&self, old: Option<FilterId>, new: Option<FilterId>) -> Vec<Sample> {
        let mut words = Words::default();
        old.into_iter().for_each(|filter| words.collect(self.old, &self.old.filter(filter).test));
        new.into_iter().for_each(|filter| words.collect(self.new, &self.new.filter(filter).test));
        let marks = words.combinations_of_marks();
        let mut samples = Vec::new();
        for kind in self.new.kinds().filter(|kind| self.old.find_kind(kind.id()).is_some()) {
            for marks in &marks {
                samples.push(Sample { kind: kind.id().to_owned(), marks: marks.clone(), property: None });
                for (property, value) in &words.numbers {
                    let property = Some((property.clone(), *value));
                    samples.push(Sample { kind: kind.id().to_owned(), marks: marks.clone(), property });
                }
            }
        }
        samples
    }
}

fn sorted<'n>(names: impl Iterator<Item = &'n str>) -> BTreeSet<&'n str> {
    names.collect()
}

fn properties(rules: &Ruleset, kind: Kind<'_>) -> String {
    let told = kind.properties().map(|(id, value)| {
        let name = rules.property(id).name();
        match value {
            PropertyValue::Number(number) => format!("{name} {number}"),
            PropertyValue::Text(text) => format!("{name} {text:?}"),
        }
    });
    listed(told.collect::<BTreeSet<_>>().iter())
}

/// The marks that filters name, and numbers at and around those with which they compare properties.
#[derive(Default)]
struct Words {
    marks: BTreeSet<String>,
    numbers: BTreeSet<(String, Decimal)>,
}

impl Words {
    fn collect(&mut self, rules: &Ruleset, test: &Test) {
        match test {
            Test::Mark(mark) => {
                self.marks.insert(rules.mark(*mark).name().to_owned());
            }
            Test::Compare(Measure::Property(property), _, Value::Number(number)) => {
                let (name, step) = (rules.property(*property).name(), Decimal::from_thousandths(1));
                let near = [number.checked_sub(step), Some(*number), number.checked_add(step)];
                self.numbers.extend(near.into_iter().flatten().map(|number| (name.to_owned(), number)));
            }
            Test::Not(part) => self.collect(rules, part),
            Test::All(parts) | Test::Any(parts) => parts.iter().for_each(|part| self.collect(rules, part)),
            _ => {}
        }
    }

    fn combinations_of_marks(&self) -> Vec<Vec<String>> {
        let mut sets: Vec<Vec<String>> = vec![Vec::new()];
        for mark in &self.marks {
            let marked: Vec<Vec<String>> = sets.iter().map(|set| set.iter().chain([mark]).cloned().collect()).collect();
            if self.marks.len() <= MOST_MARKS {
                sets.extend(marked);
            } else {
                sets.push(vec![mark.clone()]);
            }
        }
        sets
    }
}

/// A stack that might be, by names.
struct Sample {
    kind: String,
    marks: Vec<String>,
    property: Option<(String, Decimal)>,
}

impl Sample {
    /// Whether a ruleset's filter admits it; none if the ruleset knows no such stack.
    fn admitted(&self, rules: &Ruleset, filter: Option<FilterId>) -> Option<bool> {
        let kind = rules.find_kind(&self.kind)?;
        let marks = self.marks.iter().map(|mark| rules.find_mark(mark)).collect::<Option<Vec<_>>>()?;
        let mut numbers = Vec::new();
        if let Some((name, value)) = &self.property {
            let property = rules.find_property(name)?;
            rules.kind(kind).property(property)?;
            numbers.push((property, *value));
        }
        let thought = Thought { kind: rules.kind(KindId(kind.0)), marks, numbers };
        Some(filter.is_none_or(|filter| rules.filter(filter).test.admits(&thought)))
    }

    fn text(&self) -> String {
        let property = self.property.iter().map(|(name, value)| format!("{name} {value}"));
        let words: Vec<String> = self.marks.iter().cloned().chain(property).collect();
        if words.is_empty() { self.kind.clone() } else { format!("{} ({})", self.kind, words.join(", ")) }
    }
}
