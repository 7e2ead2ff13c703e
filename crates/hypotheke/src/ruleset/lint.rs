//! Warnings: what is valid but most likely not meant.

mod access;
mod cycles;
mod deals;
mod recipes;

use rustc_hash::{FxHashMap, FxHashSet};

use super::kind::Kind;
use super::places::{ContainerDef, SlotDef};
use super::source::{ContainerSource, KindAt};
use super::view::{FilterId, Ruleset};
use crate::filter::Outlook;
use crate::text::{Diagnostic, Diagnostics, Location};

pub(crate) fn lint(rules: &Ruleset) -> Diagnostics {
    let mut found = rules.warnings.to_faults();
    found.extend(homeless_kinds(rules));
    found.extend(empty_places(rules));
    found.extend(slipped_tags(rules));
    found.extend(access::never_filled(rules));
    found.extend(access::never_opened(rules));
    found.extend(deals::never_made(rules));
    found.extend(recipes::never_made(rules));
    found.extend(cycles::gaining(rules));
    Diagnostics::new(rules.source.sources.clone(), found)
}

fn can_admit(rules: &Ruleset, filter: Option<FilterId>, kind: Kind<'_>) -> bool {
    filter.is_none_or(|filter| rules.filter(filter).test.outlook(&kind) != Outlook::Never)
}

fn admits(rules: &Ruleset, container: &ContainerDef, kind: Kind<'_>) -> bool {
    let free_slots = container.slots as usize > container.ruled.len();
    can_admit(rules, container.admits, kind)
        && (free_slots || container.ruled.iter().any(|slot| can_admit(rules, slot.admits, kind)))
}

/// Kinds that fit no slot anywhere.
fn homeless_kinds(rules: &Ruleset) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    if rules.containers().is_empty() {
        return found;
    }
    for kind in rules.kinds() {
        let admitting = || rules.containers().iter().filter(|container| admits(rules, container, kind));
        if admitting().any(|container| kind.weight().thousandths() <= container.weight_cap) {
            continue;
        }
        let at = rules.source.locate_kind(rules.source.kinds[kind.handle().index()].at);
        let message = format!("kind `{}` fits no slot anywhere", kind.id());
        let cause = match admitting().max_by_key(|container| container.weight_cap) {
            Some(container) => {
                let cap = rules.weight_text(crate::Decimal::from_thousandths(container.weight_cap));
                format!(
                    "it weighs {}; the weight cap of `{}` is {cap}",
                    rules.weight_text(kind.weight()),
                    container.id()
                )
            }
            None => "no container admits it".to_owned(),
        };
        found.push(Diagnostic::warning("no-place", at, message).label(cause));
    }
    found
}

/// Slots and containers that admit no kind, and weight caps below the lightest kind that is
/// admitted.
fn empty_places(rules: &Ruleset) -> Vec<Diagnostic> {
    let mut found = Vec::new();
    if rules.kinds().len() == 0 {
        return found;
    }
    for (container, source) in rules.containers().iter().zip(&rules.source.containers) {
        match rules.kinds().filter(|&kind| admits(rules, container, kind)).min_by_key(|kind| kind.weight()) {
            Some(lightest) => found.extend(useless_cap(rules, container, source, lightest)),
            None => {
                let at = source.admits.as_ref().map_or(source.id.at, |filter| filter.at);
                found.push(Diagnostic::warning(
                    "admits-nothing",
                    at,
                    format!("container `{}` admits no kind", container.id()),
                ));
                continue;
            }
        }
        for (number, (slot, written)) in container.ruled.iter().zip(&source.slot).enumerate() {
            let reachable =
                |kind: &Kind<'_>| can_admit(rules, container.admits, *kind) && can_admit(rules, slot.admits, *kind);
            if !rules.kinds().any(|kind| reachable(&kind)) {
                let at = written.admits.as_ref().map_or(written.at, |filter| filter.at);
                let message = format!("slot `{}/{}` admits no kind", container.id(), slot_name(slot, number));
                let alone = rules.kinds().any(|kind| can_admit(rules, slot.admits, kind));
                let cause = if alone {
                    "the container rejects every kind that this slot admits"
                } else {
                    "no kind matches this filter"
                };
                found.push(Diagnostic::warning("admits-nothing", at, message).label(cause));
            }
        }
    }
    found
}

fn slot_name(slot: &SlotDef, number: usize) -> String {
    slot.name.as_ref().map_or_else(|| number.to_string(), ToString::to_string)
}

fn useless_cap(
    rules: &Ruleset,
    container: &ContainerDef,
    source: &ContainerSource,
    lightest: Kind<'_>,
) -> Option<Diagnostic> {
    let cap = source.weight_cap.as_ref().filter(|cap| cap.value < lightest.weight())?;
    let message = format!(
        "`{}` is always empty: its weight cap is below the weight of the lightest kind that it admits",
        container.id()
    );
    let label = format!("`{}` weighs {}", lightest.id(), rules.weight_text(lightest.weight()));
    Some(Diagnostic::warning("useless-cap", cap.at, message).label(label))
}

/// Tags that a single kind carries, that nothing else mentions, and that differ from another tag in
/// a letter.
fn slipped_tags(rules: &Ruleset) -> Vec<Diagnostic> {
    let mut carriers = vec![0u32; rules.source.tag_names.len()];
    for kind in &rules.source.kinds {
        for &tag in &rules.source.tag_sets[kind.tag_set as usize] {
            carriers[tag as usize] += 1;
        }
    }
    let mentioned = rules.mentioned_tags();
    let declared: FxHashSet<&str> = rules.source.tags.iter().map(|tag| tag.name.value.as_str()).collect();
    let alike = Alike::new(rules.tags().iter().map(super::Tag::name));
    let mut found = Vec::new();
    for (used, count) in rules.source.tag_names.iter().zip(carriers) {
        if count != 1 || declared.contains(&*used.name) || mentioned.contains(&*used.name) {
            continue;
        }
        if let Some(meant) = alike.slip_of(&used.name) {
            let message = format!("only one kind has the tag `{}`, which is similar to `{meant}`", used.name);
            let fault = Diagnostic::warning("slipped-tag", tag_location(rules, used.at), message);
            found.push(fault.help(format!("Write `{meant}`, or declare the tag: `[tag.{}]`", used.name)));
        }
    }
    found
}

/// Names by their variants with one letter removed: names that differ by one slip share such a
/// variant. So a name is not compared with all others.
struct Alike<'r> {
    names: Vec<&'r str>,
    by_rest: FxHashMap<String, Vec<u32>>,
}

/// The maximum number of names compared for each variant.
const MAX_ALIKE: usize = 8;

impl<'r> Alike<'r> {
    fn new(names: impl Iterator<Item = &'r str>) -> Alike<'r> {
        let names: Vec<&str> = names.collect();
        let mut by_rest: FxHashMap<String, Vec<u32>> = FxHashMap::default();
        for (number, name) in (0..).zip(&names) {
            for rest in final_states(name) {
                let alike = by_rest.entry(rest).or_default();
                if alike.len() < MAX_ALIKE {
                    alike.push(number);
                }
            }
        }
        Alike { names, by_rest }
    }

    /// The first name of which this one is a slip.
    fn slip_of(&self, name: &str) -> Option<&'r str> {
        let numbers = final_states(name).filter_map(|rest| self.by_rest.get(&rest)).flatten();
        let slips = numbers.filter(|&&number| {
            let other = self.names[number as usize];
            other != name && is_slip(name, other)
        });
        slips.min().map(|&number| self.names[number as usize])
    }
}

/// The name, and the name without each of its letters.
fn final_states(name: &str) -> impl Iterator<Item = String> {
    let shorter = name.char_indices().map(|(at, letter)| format!("{}{}", &name[..at], &name[at + letter.len_utf8()..]));
    shorter.chain([name.to_owned()])
}

/// Whether one part of the dotted name is a slip of the same part of the other: one letter differs,
/// is missing, is too many, or has changed places with its neighbour.
fn is_slip(tag: &str, other: &str) -> bool {
    if tag.split('.').count() != other.split('.').count() {
        return false;
    }
    let differing: Vec<(&str, &str)> = tag.split('.').zip(other.split('.')).filter(|(a, b)| a != b).collect();
    matches!(differing[..], [(a, b)] if a.len() >= 4 && b.len() >= 4 && strsim::osa_distance(a, b) == 1)
}

fn tag_location(rules: &Ruleset, at: KindAt) -> Location {
    rules.source.locate_tags(at)
}
