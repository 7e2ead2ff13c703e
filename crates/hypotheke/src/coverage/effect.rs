//! Changes that alter no judgement at all: another limit shadows the rule, or nothing meets it.
//! Only what can be shown is said; whatever is in doubt has an effect.

use std::collections::BTreeMap;

use super::affected::may_be_admitted;
use super::change::{Change, DealChange, FilterAt};
use crate::filter::{Measure, Outlook, Subject, Test, Value};
use crate::id::{MarkId, PropertyId};
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::SampleStack;
use crate::ruleset::{Cap, ChangeEffect, ContainerDef, DealTerms, FilterId, GroupDef, HolderDef, Kind, Of, Ruleset};

/// The maximum number of marks and comparisons to combine.
const MAX_ATOMS: usize = 10;

/// Why the change alters nothing, if that can be shown.
pub(super) fn without_effect(rules: &Ruleset, changed: &Ruleset, change: &Change) -> Option<String> {
    match change {
        Change::RulesetLimit(_) | Change::TagLimit(..) => {
            let same = |kind: Kind<'_>| kind.stack_limit() == changed.known_kind(kind.handle()).stack_limit();
            rules.kinds().all(same).then(|| "no kind has this stack limit".to_owned())
        }
        Change::ContainerLimit(container, _) | Change::SlotLimit(container, ..) => {
            same_limits(rules, changed, *container).then(|| "other limits are lower".to_owned())
        }
        Change::ContainerWeight(container, cap) => {
            let def = &rules.containers()[*container];
            let most = max_weight(rules, def)?;
            shadowed_weight(rules, most, def.weight_cap(), *cap)
        }
        Change::HolderWeight(holder, cap) => {
            let def = &rules.holders()[*holder];
            let most = max_weight_of_holder(rules, def)?;
            shadowed_weight(rules, most, def.own_weight_cap(), *cap)
        }
        Change::GroupWeight(number, cap) => {
            let group = group_of(rules, *number)?;
            let most: Option<Vec<i128>> = members(rules, group).map(|def| max_weight_of_holder(rules, def)).collect();
            shadowed_weight(rules, most?.into_iter().max()?, group.weight_cap(), *cap)
        }
        Change::ContainerCap(container, cap, count) => {
            let def = &rules.containers()[*container];
            let most = max_items(rules, &[def], def.caps()[*cap].of)?;
            shadowed_cap(most, def.caps()[*cap], *count)
        }
        Change::HolderCap(holder, cap, count) => {
            let def = &rules.holders()[*holder];
            let cap = def.caps()[*cap];
            shadowed_cap_of_holder(rules, cap, *count)
        }
        Change::Deal(deal, change) => same_deal(rules, changed, *deal, change),
        Change::GroupCap(number, cap, count) => {
            shadowed_cap_of_holder(rules, *group_of(rules, *number)?.caps().get(*cap)?, *count)
        }
        Change::Filter(at, filter) => same_filter(rules, changed, *at, filter.is_none()),
        Change::Reserved(container) => {
            let def = &rules.containers()[*container];
            let own = rules.slot_rules(def).filter(|slot| slot.admits().is_some()).count();
            let none = own == 0 || own == def.slot_bounds().1 as usize;
            none.then(|| "no slot has a filter".to_owned())
        }
        Change::Deep(container) => {
            let def = &rules.containers()[*container];
            stricter_within(rules, def).then(|| "it admits every kind that a pack can contain".to_owned())
        }
        Change::MustOpen(_) | Change::Exclusive(_) => {
            rules.holders().is_empty().then(|| "the ruleset has no holder that could open it".to_owned())
        }
        Change::KindLimit(kind, _) => {
            let limit = |rules: &Ruleset| nth_kind(rules, *kind).map(Kind::stack_limit);
            (limit(rules) == limit(changed)).then(|| "its tags or the ruleset set the same value".to_owned())
        }
        Change::KindTag(kind, _) => {
            let kind = nth_kind(rules, *kind)?;
            let alike = same_kind(rules, changed, kind);
            (alike && kind.stack_limit() == changed.known_kind(kind.handle()).stack_limit())
                .then(|| "no filter and no limit depends on it".to_owned())
        }
        Change::Text(of, _) | Change::NoProperty(of)
            if rules.find_property(&of.name).is_some_and(|id| rules.property(id).is_text()) =>
        {
            let kind = nth_kind(rules, of.kind)?;
            same_kind(rules, changed, kind).then(|| "no filter depends on it".to_owned())
        }
        // No holder uses what can't be consumed, unless it stays.
        Change::Effect(of, ..)
            if nth_kind(rules, of.kind).is_some_and(|kind| kind.is_protected() && kind.lowered().is_empty()) =>
        {
            Some("its items are protected, so that none can be used".to_owned())
        }
        // What they decide can be measured, whatever else they do.
        Change::Recipe(..)
        | Change::KindWeight(..)
        | Change::KindValue(..)
        | Change::Number(..)
        | Change::NoProperty(_)
        | Change::Attribute(..)
        | Change::NoUse(_)
        | Change::Effect(..)
        | Change::Lowered(..)
        | Change::Stays(_)
        | Change::Falling(..)
        | Change::Meter(..)
        | Change::Text(..)
        | Change::Pack(_)
        | Change::Slots(..)
        | Change::Columns(..)
        | Change::Copy(..)
        | Change::Worn(_)
        | Change::WhenUnfit(_)
        | Change::OnPut(..)
        | Change::SlotName(..)
        | Change::SlotOrder(..)
        | Change::Carry(..)
        | Change::CarryOrder(..)
        | Change::Threshold(..)
        | Change::ThresholdLabel(..)
        | Change::Shortcuts(..)
        | Change::DepletedShortcut(_)
        | Change::Start(..)
        | Change::StartVariant(..)
        | Change::Need(..)
        | Change::Protected(_)
        | Change::MostInWorld(..)
        | Change::Access(..)
        | Change::SlotAccess(..)
        | Change::Owner(_)
        | Change::Group(..)
        | Change::HolderCopy(..)
        | Change::MinSlots(..)
        | Change::MaxSlots(..)
        | Change::Nesting(_)
        | Change::Ground(_) => None,
    }
}

/// A kind by its number.
pub(super) fn nth_kind(rules: &Ruleset, number: usize) -> Option<Kind<'_>> {
    (number < rules.kinds().len()).then(|| rules.known_kind(rules.kind_id(narrow::index(number))))
}

/// The kinds that can ever be in a container. An unfit stack was fit when it entered, unless it has
/// become another kind since.
fn kinds_in<'r>(rules: &'r Ruleset, def: &'r ContainerDef) -> impl Iterator<Item = Kind<'r>> {
    rules.kinds().filter(|&kind| may_be_admitted(rules, def.admits, kind.handle()) || is_made(rules, kind))
}

/// Whether a stack may become one of this kind, wherever it is.
fn is_made(rules: &Ruleset, kind: Kind<'_>) -> bool {
    rules.changes().iter().any(|change| change.effect() == ChangeEffect::Becomes(kind.handle()))
}

/// The kinds that can ever be in one of its slots.
fn kinds_in_slot<'r>(rules: &'r Ruleset, def: &'r ContainerDef, slot: usize) -> impl Iterator<Item = Kind<'r>> {
    let own = def.ruled.get(slot).and_then(|slot| slot.admits);
    kinds_in(rules, def).filter(move |&kind| may_be_admitted(rules, own, kind.handle()) || is_made(rules, kind))
}

fn limit_in(def: &ContainerDef, slot: usize, kind: Kind<'_>) -> u32 {
    let own = def.ruled.get(slot).map_or(u32::MAX, |slot| slot.stack_limit);
    kind.stack_limit().min(def.stack_limit).min(own)
}

fn same_limits(rules: &Ruleset, changed: &Ruleset, container: usize) -> bool {
    let (def, other) = (&rules.containers()[container], &changed.containers()[container]);
    // All slots beyond those with rules are alike.
    let slots = (def.slot_bounds().1 as usize).min(def.ruled.len() + 1);
    let same = |slot: usize| {
        kinds_in_slot(rules, def, slot).all(|kind| limit_in(def, slot, kind) == limit_in(other, slot, kind))
    };
    (0..slots).all(same)
}

/// The maximum weight of contents that fit, in thousandths; `None` if packs are allowed, which add
/// room.
fn max_weight(rules: &Ruleset, def: &ContainerDef) -> Option<i128> {
    if kinds_in(rules, def).any(|kind| kind.pack().is_some()) {
        return None;
    }
    let of_slots = |counts: &dyn Fn(Kind<'_>) -> bool| {
        sum_of_slots(def, |slot| {
            let kinds = kinds_in_slot(rules, def, slot).filter(|&kind| counts(kind));
            let weights = kinds.map(|kind| thousandths(kind) * i128::from(limit_in(def, slot, kind)));
            weights.max().unwrap_or(0)
        })
    };
    // Of what a cap always counts there are no more than it says; what else fits comes on top.
    let with_cap = |cap: &Cap| {
        let test = &rules.filter(cap.of).test;
        let counted = |kind: Kind<'_>| test.outlook(&kind) == Outlook::Always;
        let heaviest = kinds_in(rules, def).filter(|&kind| counted(kind)).map(thousandths).max().unwrap_or(0);
        heaviest * i128::from(cap.count) + of_slots(&|kind| !counted(kind))
    };
    let bounds = def.caps().iter().map(with_cap);
    bounds.chain([of_slots(&|_| true)]).min()
}

fn thousandths(kind: Kind<'_>) -> i128 {
    i128::from(kind.weight().thousandths())
}

/// The slots with rules one by one; the others are all alike.
fn sum_of_slots(def: &ContainerDef, of_slot: impl Fn(usize) -> i128) -> i128 {
    let slots = def.slot_bounds().1 as usize;
    let ruled = def.ruled.len().min(slots);
    let rest = i128::try_from(slots - ruled).unwrap_or(i128::MAX);
    (0..ruled).map(&of_slot).sum::<i128>() + if rest > 0 { rest * of_slot(ruled) } else { 0 }
}

fn max_weight_of_holder(rules: &Ruleset, def: &HolderDef) -> Option<i128> {
    if rules.kinds().any(|kind| kind.pack().is_some()) {
        return None;
    }
    let in_hand = rules.kinds().map(|kind| thousandths(kind) * i128::from(kind.stack_limit()));
    let carried: Option<Vec<i128>> = def.carries().iter().map(|&id| max_weight(rules, rules.container(id))).collect();
    Some(carried?.into_iter().sum::<i128>() + in_hand.max().unwrap_or(0))
}

fn shadowed_weight(rules: &Ruleset, most: i128, cap: Option<Decimal>, changed: Option<Decimal>) -> Option<String> {
    let within = |cap: Option<Decimal>| cap.is_none_or(|cap| most <= i128::from(cap.thousandths()));
    let described = Decimal::from_thousandths(i64::try_from(most).ok()?);
    (within(cap) && within(changed)).then(|| format!("all that fits weighs {} at most", rules.weight_text(described)))
}

/// The maximum number of items that match a filter in these containers; `None` if packs are
/// allowed.
fn max_items(rules: &Ruleset, defs: &[&ContainerDef], filter: FilterId) -> Option<u64> {
    let mut sum = 0_i128;
    for def in defs {
        if kinds_in(rules, def).any(|kind| kind.pack().is_some()) {
            return None;
        }
        let counted = |slot: usize| {
            let kinds = kinds_in_slot(rules, def, slot);
            let kinds = kinds.filter(|kind| may_be_admitted(rules, Some(filter), kind.handle()));
            kinds.map(|kind| i128::from(limit_in(def, slot, kind))).max().unwrap_or(0)
        };
        sum += sum_of_slots(def, counted);
    }
    u64::try_from(sum).ok()
}

/// Whether a deal has the same lots for every kind.
fn same_deal(rules: &Ruleset, changed: &Ruleset, deal: usize, change: &DealChange) -> Option<String> {
    let DealChange::Price(side, Some(_)) = change else { return None };
    let (before, after) = (rules.deals().get(deal)?, changed.deals().get(deal)?);
    let mut kinds = rules.kinds().map(Kind::handle);
    let is_same = kinds.all(|kind| rules.lot(before, *side, kind) == changed.lot(after, *side, kind));
    is_same.then(|| "every price stays the same".to_owned())
}

/// The group for which the ruleset writes the rules with a number.
pub(super) fn group_of(rules: &Ruleset, number: usize) -> Option<&GroupDef> {
    rules.source.groups.get(number).and_then(|group| rules.find_group(&group.id.value))
}

/// The definitions of the holders that are in a group.
pub(super) fn members<'r>(rules: &'r Ruleset, group: &GroupDef) -> impl Iterator<Item = &'r HolderDef> {
    rules.holders().iter().filter(|def| def.groups().any(|name| name == group.id()))
}

/// What is in the hand counts too, and anything can be.
fn shadowed_cap_of_holder(rules: &Ruleset, cap: Cap, changed: Option<u32>) -> Option<String> {
    let admits = |kind: Kind<'_>| may_be_admitted(rules, Some(cap.of), kind.handle());
    if !rules.kinds().any(admits) { shadowed_cap(0, cap, changed) } else { None }
}

fn shadowed_cap(most: u64, cap: Cap, changed: Option<u32>) -> Option<String> {
    let within = |count: Option<u32>| count.is_none_or(|count| most <= u64::from(count));
    (within(Some(cap.count)) && within(changed)).then(|| match most {
        0 => "no kind that it counts fits there".to_owned(),
        most => format!("at most {most} of it fit"),
    })
}

/// Whether every pack refuses of itself whatever the filter of the container does.
fn stricter_within(rules: &Ruleset, def: &ContainerDef) -> bool {
    let Some(around) = def.admits.map(|filter| &rules.filter(filter).test) else { return true };
    let admitted_anyway = |pack: &ContainerDef| {
        let within = pack.admits.map(|filter| &rules.filter(filter).test);
        // A stack that became unfit in its place was not checked there.
        if depends_on_stack(around) || within.is_some_and(depends_on_stack) {
            return false;
        }
        let never_within =
            |kind: &Kind<'_>| within.is_some_and(|within| !within.admits(kind)) && !is_made(rules, *kind);
        rules.kinds().all(|kind| never_within(&kind) || around.admits(&kind))
    };
    rules.kinds().filter_map(Kind::pack).all(admitted_anyway)
}

fn test_at(rules: &Ruleset, at: FilterAt) -> Option<&Test> {
    let filter = match at {
        FilterAt::Container(container) => rules.containers()[container].admits,
        FilterAt::Slot(container, slot) => rules.containers()[container].ruled.get(slot)?.admits,
        FilterAt::ContainerCap(container, cap) => Some(rules.containers()[container].caps().get(cap)?.of),
        FilterAt::HolderCap(holder, cap) => Some(rules.holders()[holder].caps().get(cap)?.of),
        FilterAt::GroupCap(group, cap) => Some(group_of(rules, group)?.caps().get(cap)?.of),
        FilterAt::Change(change) => Some(rules.changes().get(change)?.filter()),
        FilterAt::Deal(deal) => match rules.deals().get(deal)?.terms() {
            DealTerms::Prices { of, .. } => Some(of.0),
            DealTerms::Lot { .. } => None,
        },
        FilterAt::Ingredient(recipe, list, number) => match list.of(rules.recipes().get(recipe)?).get(number)?.of() {
            Of::Filter(filter) => Some(filter),
            Of::Kind(_) => None,
        },
    };
    filter.map(|filter| &rules.filter(filter).test)
}

/// Whether both filters give the same answer for every stack that they may check.
fn same_filter(rules: &Ruleset, changed: &Ruleset, at: FilterAt, is_gone: bool) -> Option<String> {
    let around = match at {
        FilterAt::Slot(container, slot) => {
            let def = &rules.containers()[container];
            // A slot without a filter is no longer reserved, and one without any rules is sorted.
            let is_named = def.ruled.get(slot).is_some_and(|slot| slot.name.is_some());
            if is_gone && (def.reserved_first || !is_named) {
                return None;
            }
            // An item that can't enter the container can't enter its slot, unless it becomes so
            // inside.
            def.admits.map(|filter| &rules.filter(filter).test).filter(|test| !depends_on_stack(test))
        }
        FilterAt::ContainerCap(container, _) => {
            let admits = rules.containers()[container].admits.map(|filter| &rules.filter(filter).test);
            let packs = kinds_in(rules, &rules.containers()[container]).any(|kind| kind.pack().is_some());
            admits.filter(|test| !depends_on_stack(test) && !packs)
        }
        // A kind is no filter that could be compared.
        FilterAt::Ingredient(..) => match (test_at(rules, at), test_at(changed, at)) {
            (Some(_), Some(_)) => None,
            _ => return None,
        },
        FilterAt::Container(_)
        | FilterAt::HolderCap(..)
        | FilterAt::GroupCap(..)
        | FilterAt::Deal(_)
        | FilterAt::Change(_) => None,
    };
    let (one, other) = (test_at(rules, at), test_at(changed, at));
    let never_there = |kind: Kind<'_>| around.is_some_and(|around| !around.admits(&kind)) && !is_made(rules, kind);
    let same = rules.kinds().all(|kind| never_there(kind) || agree(kind, one, other));
    same.then(|| "it has the same result for every kind".to_owned())
}

/// Whether every filter answers for a kind as before.
fn same_kind(rules: &Ruleset, changed: &Ruleset, kind: Kind<'_>) -> bool {
    let other = changed.known_kind(kind.handle());
    let filters = rules.all_filters().zip(changed.all_filters());
    filters.into_iter().all(|(one, changed)| {
        let Some(stacks) = stacks_that_matter(kind, &[&one.test]) else { return false };
        stacks
            .into_iter()
            .all(|stack| one.test.admits(&stack) == changed.test.admits(&SampleStack { kind: other, ..stack }))
    })
}

/// Whether the answer may be another for two stacks of one kind.
fn depends_on_stack(test: &Test) -> bool {
    match test {
        Test::Mark(_) | Test::Compare(Measure::Property(_), _, Value::Number(_)) => true,
        Test::Tag(_) | Test::Kind(_) | Test::Compare(..) => false,
        Test::Not(part) => depends_on_stack(part),
        Test::All(parts) | Test::Any(parts) => parts.iter().any(depends_on_stack),
    }
}

/// Marks and numbers with which properties are compared.
#[derive(Default)]
struct Atoms {
    marks: Vec<MarkId>,
    numbers: BTreeMap<PropertyId, Vec<Decimal>>,
}

impl Atoms {
    fn collect(&mut self, test: &Test) {
        match test {
            Test::Mark(mark) if !self.marks.contains(mark) => self.marks.push(*mark),
            Test::Compare(Measure::Property(property), _, Value::Number(number)) => {
                self.numbers.entry(*property).or_default().push(*number);
            }
            Test::Not(part) => self.collect(part),
            Test::All(parts) | Test::Any(parts) => parts.iter().for_each(|part| self.collect(part)),
            _ => {}
        }
    }
}

/// Stacks of one kind with every combination of the marks that matter, and with property values on
/// both sides of each number with which they are compared.
pub(super) fn stacks_that_matter<'r>(kind: Kind<'r>, tests: &[&Test]) -> Option<Vec<SampleStack<'r>>> {
    let mut atoms = Atoms::default();
    tests.iter().for_each(|test| atoms.collect(test));
    let step = Decimal::from_thousandths(1);
    let mut stacks = vec![SampleStack { kind, marks: Vec::new(), numbers: Vec::new() }];
    let sizes = atoms.marks.len() + atoms.numbers.values().map(Vec::len).sum::<usize>();
    if sizes > MAX_ATOMS {
        return None;
    }
    for mark in atoms.marks {
        let marked = stacks.clone().into_iter().map(|mut stack| {
            stack.marks.push(mark);
            stack
        });
        stacks.extend(marked.collect::<Vec<_>>());
    }
    for (property, numbers) in atoms.numbers {
        if kind.number(Measure::Property(property)).is_none() {
            continue;
        }
        let near =
            numbers.iter().flat_map(|&number| [number.checked_sub(step), Some(number), number.checked_add(step)]);
        let near: Vec<Decimal> = near.flatten().collect();
        stacks = stacks
            .into_iter()
            .flat_map(|stack| {
                let valued = near.iter().map(|&value| {
                    let mut stack = stack.clone();
                    stack.numbers.push((property, value));
                    stack
                });
                valued.collect::<Vec<_>>()
            })
            .collect();
    }
    Some(stacks)
}

fn agree(kind: Kind<'_>, one: Option<&Test>, other: Option<&Test>) -> bool {
    let tests: Vec<&Test> = one.into_iter().chain(other).collect();
    let Some(stacks) = stacks_that_matter(kind, &tests) else { return false };
    let admits = |test: Option<&Test>, stack: &SampleStack<'_>| test.is_none_or(|test| test.admits(stack));
    stacks.iter().all(|stack| admits(one, stack) == admits(other, stack))
}
