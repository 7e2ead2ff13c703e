//! Whether two filters of two rulesets answer alike for every stack that both rulesets know.

use std::collections::BTreeMap;

use crate::filter::{Comparison, Measure, Subject, Test, Value};
use crate::id::{KindId, MarkId, PropertyId};
use crate::quantity::Decimal;
use crate::ruleset::SampleStack;
use crate::ruleset::{FilterId, Kind, PropertyValue, Renames, Ruleset};

/// The maximum number of combinations of marks and property values for one kind.
const MAX_STACKS: usize = 4096;

/// A ruleset, and its things by the names of the newer one.
pub(super) struct Side<'r> {
    rules: &'r Ruleset,
    kinds: BTreeMap<String, KindId>,
    marks: BTreeMap<String, MarkId>,
    properties: BTreeMap<String, PropertyId>,
    mark_names: Vec<String>,
    property_names: Vec<String>,
}

/// What two filters answer differently.
#[derive(Default)]
pub(super) struct Answers {
    pub(super) newly_admitted: Vec<String>,
    pub(super) no_longer_admitted: Vec<String>,
    pub(super) not_compared: Vec<String>,
}

impl Answers {
    pub(super) fn is_same(&self) -> bool {
        self.newly_admitted.is_empty() && self.no_longer_admitted.is_empty() && self.not_compared.is_empty()
    }
}

impl<'r> Side<'r> {
    pub(super) fn renamed(rules: &'r Ruleset, names: Renames<'_>) -> Side<'r> {
        let mark_names: Vec<String> = rules.marks().iter().map(|mark| names.mark(mark.name())).collect();
        let property_names: Vec<String> = rules.properties().iter().map(|it| names.property(it.name())).collect();
        Side {
            rules,
            kinds: rules.kinds().map(|kind| (names.kind(kind.id()), kind.handle())).collect(),
            marks: mark_names.iter().cloned().zip((0..).map(|mark| rules.mark_id(mark))).collect(),
            properties: property_names.iter().cloned().zip((0..).map(|property| rules.property_id(property))).collect(),
            mark_names,
            property_names,
        }
    }

    pub(super) fn kind(&self, name: &str) -> Option<KindId> {
        self.kinds.get(name).copied()
    }

    fn test(&self, filter: Option<FilterId>) -> Option<&'r Test> {
        filter.map(|filter| &self.rules.filter(filter).test)
    }

    fn number(&self, kind: Kind<'_>, property: &str) -> Option<PropertyId> {
        let id = self.properties.get(property).copied()?;
        matches!(kind.property(id), Some(PropertyValue::Number(_))).then_some(id)
    }

    /// What a stack of these marks and numbers is in this ruleset; `None` if it knows no such
    /// stack.
    fn thought(&self, kind: KindId, marks: &[&str], numbers: &[(&str, Decimal)]) -> Option<SampleStack<'r>> {
        let kind = self.rules.known_kind(kind);
        let marks = marks.iter().map(|&mark| self.marks.get(mark).copied()).collect::<Option<Vec<_>>>()?;
        let known = numbers.iter().map(|&(name, value)| Some((self.number(kind, name)?, value)));
        Some(SampleStack { kind, marks, numbers: known.collect::<Option<Vec<_>>>()? })
    }
}

/// The rest of a filter once the kind is known, by the names of the newer ruleset.
#[derive(PartialEq, Eq)]
enum Rest {
    Always,
    Never,
    Mark(String),
    Compare(String, Comparison, Decimal),
    Not(Box<Rest>),
    All(Vec<Rest>),
    Any(Vec<Rest>),
}

impl Rest {
    fn known(answer: bool) -> Rest {
        if answer { Rest::Always } else { Rest::Never }
    }

    fn of(side: &Side<'_>, test: &Test, kind: Kind<'_>) -> Rest {
        match test {
            Test::Mark(mark) => Rest::Mark(side.mark_names[mark.index()].clone()),
            Test::Compare(measure @ Measure::Property(property), comparison, Value::Number(number))
                if kind.number(*measure).is_some() =>
            {
                Rest::Compare(side.property_names[property.index()].clone(), *comparison, *number)
            }
            Test::Tag(_) | Test::Kind(_) | Test::Compare(..) => Rest::known(test.admits(&kind)),
            Test::Not(part) => match Rest::of(side, part, kind) {
                Rest::Always => Rest::Never,
                Rest::Never => Rest::Always,
                rest => Rest::Not(Box::new(rest)),
            },
            Test::All(parts) => joined(parts.iter().map(|part| Rest::of(side, part, kind)), true),
            Test::Any(parts) => joined(parts.iter().map(|part| Rest::of(side, part, kind)), false),
        }
    }

    fn collect<'a>(&'a self, marks: &mut Vec<&'a str>, numbers: &mut BTreeMap<&'a str, Vec<Decimal>>) {
        match self {
            Rest::Always | Rest::Never => {}
            Rest::Mark(mark) => {
                if !marks.contains(&mark.as_str()) {
                    marks.push(mark);
                }
            }
            Rest::Compare(property, _, number) => {
                let step = Decimal::from_thousandths(1);
                let near = [number.checked_sub(step), Some(*number), number.checked_add(step)];
                let known = numbers.entry(property).or_default();
                near.into_iter().flatten().for_each(|number| {
                    if !known.contains(&number) {
                        known.push(number);
                    }
                });
            }
            Rest::Not(part) => part.collect(marks, numbers),
            Rest::All(parts) | Rest::Any(parts) => parts.iter().for_each(|part| part.collect(marks, numbers)),
        }
    }
}

/// Parts that decide nothing are left out; one that decides is the whole.
fn joined(parts: impl Iterator<Item = Rest>, is_and: bool) -> Rest {
    let (decisive, neutral) = (Rest::known(!is_and), Rest::known(is_and));
    let mut rest: Vec<Rest> = parts.filter(|part| *part != neutral).collect();
    if rest.contains(&decisive) {
        return decisive;
    }
    match rest.len() {
        0 => neutral,
        1 => rest.swap_remove(0),
        _ if is_and => Rest::All(rest),
        _ => Rest::Any(rest),
    }
}

pub(super) fn compare(
    sides: &(Side<'_>, Side<'_>),
    kinds: &[(KindId, KindId)],
    old: Option<FilterId>,
    new: Option<FilterId>,
) -> Answers {
    let mut found = Answers::default();
    let (before, after) = (sides.0.test(old), sides.1.test(new));
    for &(old_kind, new_kind) in kinds {
        let rest = |side: &Side<'_>, test: Option<&Test>, kind| {
            test.map_or(Rest::Always, |test| Rest::of(side, test, side.rules.known_kind(kind)))
        };
        let (one, other) = (rest(&sides.0, before, old_kind), rest(&sides.1, after, new_kind));
        if one == other {
            continue;
        }
        let (mut marks, mut numbers) = (Vec::new(), BTreeMap::new());
        one.collect(&mut marks, &mut numbers);
        other.collect(&mut marks, &mut numbers);
        let name = sides.1.rules.known_kind(new_kind).id();
        let Some(stacks) = stacks(&marks, &numbers) else {
            found.not_compared.push(name.to_owned());
            continue;
        };
        let (mut now, mut no_longer_admitted) = (Vec::new(), Vec::new());
        for stack in &stacks {
            let admits = |side: &Side<'_>, test: Option<&Test>, kind| {
                let thought = side.thought(kind, &stack.marks, &stack.numbers)?;
                Some(test.is_none_or(|test| test.admits(&thought)))
            };
            match (admits(&sides.0, before, old_kind), admits(&sides.1, after, new_kind)) {
                (Some(false), Some(true)) => add_least(&mut now, stack),
                (Some(true), Some(false)) => add_least(&mut no_longer_admitted, stack),
                _ => {}
            }
        }
        found.newly_admitted.extend(now.iter().map(|stack| stack.text(name)));
        found.no_longer_admitted.extend(no_longer_admitted.iter().map(|stack| stack.text(name)));
    }
    found
}

/// A stack that might be, by names.
struct Sample<'a> {
    marks: Vec<&'a str>,
    numbers: Vec<(&'a str, Decimal)>,
}

impl Sample<'_> {
    fn text(&self, kind: &str) -> String {
        let numbers = self.numbers.iter().map(|(name, value)| format!("{name} {value}"));
        let words: Vec<String> = self.marks.iter().map(|&mark| mark.to_owned()).chain(numbers).collect();
        if words.is_empty() { kind.to_owned() } else { format!("{kind} ({})", words.join(", ")) }
    }
}

/// Only the simplest cases: a case that another one covers is left out.
fn add_least<'s, 'a>(found: &mut Vec<&'s Sample<'a>>, stack: &'s Sample<'a>) {
    let says_less = |other: &&Sample<'_>| {
        other.marks.iter().all(|mark| stack.marks.contains(mark))
            && other.numbers.iter().all(|number| stack.numbers.contains(number))
    };
    if !found.iter().any(says_less) {
        found.push(stack);
    }
}

/// Every combination of the marks, and of the numbers or none of each property, those with the
/// fewest first.
fn stacks<'a>(marks: &[&'a str], numbers: &BTreeMap<&'a str, Vec<Decimal>>) -> Option<Vec<Sample<'a>>> {
    let sizes = numbers.values().map(|values| values.len() + 1);
    let all = sizes.chain(marks.iter().map(|_| 2)).try_fold(1_usize, usize::checked_mul)?;
    if all > MAX_STACKS {
        return None;
    }
    let mut stacks = vec![Sample { marks: Vec::new(), numbers: Vec::new() }];
    for &mark in marks {
        let marked: Vec<Sample<'a>> = stacks
            .iter()
            .map(|stack| Sample { marks: stack.marks.iter().copied().chain([mark]).collect(), numbers: Vec::new() })
            .collect();
        stacks.extend(marked);
    }
    for (&property, values) in numbers {
        let valued: Vec<Sample<'a>> = stacks
            .iter()
            .flat_map(|stack| {
                values.iter().map(|&value| Sample {
                    marks: stack.marks.clone(),
                    numbers: stack.numbers.iter().copied().chain([(property, value)]).collect(),
                })
            })
            .collect();
        stacks.extend(valued);
    }
    stacks.sort_by_key(|stack| stack.marks.len() + stack.numbers.len());
    Some(stacks)
}
