//! The single rules of a ruleset, and what each of them could be instead.

use crate::filter::Filter;
use crate::quantity::Decimal;
use crate::ruleset::{CapSource, FilterSource, RulesetSource};
use crate::text::{Location, Word};

/// How a change is told that leaves nothing.
pub(super) const WITHOUT: &str = "without it";

/// What a rule is written for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum SubjectKind {
    /// The ruleset as a whole.
    Ruleset,
    /// A tag.
    Tag,
    /// An item kind.
    Kind,
    /// A container.
    Container,
    /// A holder.
    Holder,
}

/// What a rule is written for, and its name.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Subject {
    /// What it is.
    pub kind: SubjectKind,
    /// Its name; empty for the ruleset.
    pub name: String,
}

/// A rule, where it stands, and what it could be instead.
pub(super) struct Rule {
    pub(super) subject: Subject,
    pub(super) text: String,
    pub(super) at: Location,
    /// Each change in words, and what it is.
    pub(super) changes: Vec<(String, Change)>,
}

/// Where a filter stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum FilterAt {
    Container(usize),
    Slot(usize, usize),
    ContainerCap(usize, usize),
    HolderCap(usize, usize),
}

/// One rule as it is not written.
#[derive(Clone, Debug)]
pub(super) enum Change {
    RulesetLimit(Option<u32>),
    TagLimit(usize, Option<u32>),
    KindLimit(usize, Option<u32>),
    ContainerLimit(usize, Option<u32>),
    SlotLimit(usize, usize, Option<u32>),
    ContainerWeight(usize, Option<Decimal>),
    HolderWeight(usize, Option<Decimal>),
    ContainerCap(usize, usize, Option<u32>),
    HolderCap(usize, usize, Option<u32>),
    Filter(FilterAt, Option<Filter>),
    Keep(usize),
    Need(usize, usize),
    Put(usize),
    Take(usize),
    Reserved(usize),
    Deep(usize),
    MustOpen(usize),
    Exclusive(usize),
    LeastSlots(usize, u32),
    MostSlots(usize, u32),
    Nesting(u32),
    Ground(Option<u32>),
}

impl Change {
    /// Makes the change.
    pub(super) fn apply(&self, source: &mut RulesetSource) {
        match self {
            Change::RulesetLimit(limit) => source.stack_limit = *limit,
            Change::TagLimit(tag, limit) => source.tags[*tag].stack_limit = *limit,
            Change::KindLimit(kind, limit) => source.kinds[*kind].stack_limit = *limit,
            Change::ContainerLimit(container, limit) => source.containers[*container].stack_limit = *limit,
            Change::SlotLimit(container, slot, limit) => source.containers[*container].slot[*slot].stack_limit = *limit,
            Change::ContainerWeight(container, cap) => {
                let written = &mut source.containers[*container].weight_cap;
                match cap {
                    Some(cap) => written.iter_mut().for_each(|written| written.value = *cap),
                    None => *written = None,
                }
            }
            Change::HolderWeight(holder, cap) => source.holders[*holder].weight_cap = *cap,
            Change::ContainerCap(container, cap, count) => {
                change_cap(&mut source.containers[*container].caps, *cap, *count);
            }
            Change::HolderCap(holder, cap, count) => change_cap(&mut source.holders[*holder].caps, *cap, *count),
            Change::Filter(at, filter) => change_filter(source, *at, filter.as_ref()),
            Change::Keep(kind) => source.kinds[*kind].keep = !source.kinds[*kind].keep,
            Change::Need(list, slot) => {
                source.needs[*list].1.remove(*slot);
            }
            Change::Put(container) => flip(&mut source.containers[*container].put),
            Change::Take(container) => flip(&mut source.containers[*container].take),
            Change::Reserved(container) => flip(&mut source.containers[*container].reserved_first),
            Change::Deep(container) => source.containers[*container].deep = None,
            Change::MustOpen(container) => flip(&mut source.containers[*container].must_open),
            Change::Exclusive(container) => flip(&mut source.containers[*container].exclusive),
            Change::LeastSlots(container, slots) => {
                source.containers[*container].least_slots.iter_mut().for_each(|least| least.value = *slots);
            }
            Change::MostSlots(container, slots) => {
                source.containers[*container].most_slots.iter_mut().for_each(|most| most.value = *slots);
            }
            Change::Nesting(depth) => source.nesting.iter_mut().for_each(|nesting| nesting.value = *depth),
            Change::Ground(limit) => source.ground_limit = *limit,
        }
    }
}

fn flip(rule: &mut bool) {
    *rule = !*rule;
}

fn change_cap(caps: &mut Vec<CapSource>, cap: usize, count: Option<u32>) {
    match count {
        Some(count) => caps[cap].count = count,
        None => {
            caps.remove(cap);
        }
    }
}

fn change_filter(source: &mut RulesetSource, at: FilterAt, filter: Option<&Filter>) {
    let written = match at {
        FilterAt::Container(container) => {
            // A filter that is gone can't go deep.
            if filter.is_none() {
                source.containers[container].deep = None;
            }
            &mut source.containers[container].admits
        }
        FilterAt::Slot(container, slot) => &mut source.containers[container].slot[slot].admits,
        FilterAt::ContainerCap(container, cap) => {
            return change_cap_filter(&mut source.containers[container].caps, cap, filter);
        }
        FilterAt::HolderCap(holder, cap) => return change_cap_filter(&mut source.holders[holder].caps, cap, filter),
    };
    match filter {
        Some(filter) => written.iter_mut().for_each(|written| written.filter = filter.clone()),
        None => *written = None,
    }
}

fn change_cap_filter(caps: &mut [CapSource], cap: usize, filter: Option<&Filter>) {
    if let Some(filter) = filter {
        caps[cap].of.filter = filter.clone();
    }
}

/// All rules, in the order of the ruleset: for all, for tags, kinds, containers, holders.
pub(super) fn rules_of(source: &RulesetSource, lightest: impl Fn(&Subject) -> Option<Decimal>) -> Vec<Rule> {
    let mut list = List { source, rules: Vec::new() };
    list.of_the_ruleset();
    list.of_tags();
    list.of_kinds();
    for container in 0..source.containers.len() {
        list.of_container(container, &lightest);
    }
    for holder in 0..source.holders.len() {
        list.of_holder(holder, &lightest);
    }
    list.rules
}

struct List<'s> {
    source: &'s RulesetSource,
    rules: Vec<Rule>,
}

impl List<'_> {
    fn add(&mut self, subject: &Subject, text: String, at: Location, changes: Vec<(String, Change)>) {
        if !changes.is_empty() {
            self.rules.push(Rule { subject: subject.clone(), text, at, changes });
        }
    }

    fn of_the_ruleset(&mut self) {
        let subject = Subject { kind: SubjectKind::Ruleset, name: String::new() };
        let source = self.source;
        if let Some(limit) = source.stack_limit {
            self.add(
                &subject,
                format!("stack-limit {limit}"),
                Location::default(),
                limits(limit, Change::RulesetLimit),
            );
        }
        if let Some(nesting) = &source.nesting {
            let depth = nesting.value;
            let near = [depth.checked_sub(1), Some(depth + 1)].into_iter().flatten();
            let changes = near.filter(|&near| near > 0 && near <= crate::ruleset::MOST_NESTING);
            let changes = changes.map(|near| (format!("{near}"), Change::Nesting(near))).collect();
            self.add(&subject, format!("nesting {depth}"), nesting.at, changes);
        }
        if let Some(limit) = source.ground_limit {
            self.add(&subject, format!("ground-limit {limit}"), Location::default(), limits(limit, Change::Ground));
        }
    }

    fn of_tags(&mut self) {
        for (index, tag) in self.source.tags.iter().enumerate() {
            let Some(limit) = tag.stack_limit else { continue };
            let subject = Subject { kind: SubjectKind::Tag, name: tag.name.value.clone() };
            self.add(
                &subject,
                format!("stack-limit {limit}"),
                tag.name.at,
                limits(limit, |limit| Change::TagLimit(index, limit)),
            );
        }
    }

    fn of_kinds(&mut self) {
        let source = self.source;
        for (index, kind) in source.kinds.iter().enumerate() {
            let subject = Subject { kind: SubjectKind::Kind, name: source.arena.get(kind.id).to_owned() };
            let at = source.locate_kind(kind.at);
            if let Some(limit) = kind.stack_limit {
                let changes = limits(limit, |limit| Change::KindLimit(index, limit));
                self.add(&subject, format!("stack-limit {limit}"), at, changes);
            }
            if kind.keep {
                self.add(&subject, "keep".to_owned(), at, vec![("not kept".to_owned(), Change::Keep(index))]);
            }
            for (list, (_, slots)) in source.needs.iter().enumerate().filter(|(_, (of, _))| *of as usize == index) {
                for (slot, name) in slots.iter().enumerate() {
                    let changes = vec![("not needed".to_owned(), Change::Need(list, slot))];
                    self.add(&subject, format!("needs {}", name.value), name.at, changes);
                }
            }
        }
    }

    fn of_container(&mut self, index: usize, lightest: &impl Fn(&Subject) -> Option<Decimal>) {
        let def = &self.source.containers[index];
        let subject = Subject { kind: SubjectKind::Container, name: def.id.value.clone() };
        let at = def.id.at;
        if let Some(limit) = def.stack_limit {
            let changes = limits(limit, |limit| Change::ContainerLimit(index, limit));
            self.add(&subject, format!("stack-limit {limit}"), at, changes);
        }
        if let Some(cap) = &def.weight_cap {
            let changes = weights(cap.value, lightest(&subject), |cap| Change::ContainerWeight(index, cap));
            self.add(&subject, format!("weight-cap {}", cap.value), cap.at, changes);
        }
        if let Some(filter) = &def.admits {
            self.of_filter(&subject, "admits", filter, FilterAt::Container(index));
        }
        for (number, cap) in def.caps.iter().enumerate() {
            let changes = limits(cap.count, |count| Change::ContainerCap(index, number, count));
            self.add(&subject, format!("cap {} of `{}`", cap.count, cap.of.filter), cap.of.at, changes);
            self.of_filter(&subject, "cap of", &cap.of, FilterAt::ContainerCap(index, number));
        }
        for (number, slot) in def.slot.iter().enumerate() {
            let label = slot.name.as_ref().map_or_else(|| number.to_string(), |name| name.value.clone());
            if let Some(limit) = slot.stack_limit {
                let changes = limits(limit, |limit| Change::SlotLimit(index, number, limit));
                self.add(&subject, format!("slot {label}: stack-limit {limit}"), slot.at, changes);
            }
            if let Some(filter) = &slot.admits {
                self.of_filter(&subject, &format!("slot {label}: admits"), filter, FilterAt::Slot(index, number));
            }
        }
        self.of_bans(index, &subject, at);
        self.of_bounds(index, &subject);
    }

    fn of_bans(&mut self, index: usize, subject: &Subject, at: Location) {
        let def = &self.source.containers[index];
        for (written, text, instead, change) in [
            (!def.put, "put = false", "may be put into", Change::Put(index)),
            (!def.take, "take = false", "may be taken from", Change::Take(index)),
            (def.reserved_first, "reserved-first", "slots in order", Change::Reserved(index)),
            (def.deep.is_some(), "deep", "not deep", Change::Deep(index)),
            (def.must_open, "must-open", "always open", Change::MustOpen(index)),
            (def.exclusive, "exclusive", "for several at once", Change::Exclusive(index)),
        ] {
            if written {
                self.add(subject, text.to_owned(), at, vec![(instead.to_owned(), change)]);
            }
        }
    }

    fn of_bounds(&mut self, index: usize, subject: &Subject) {
        let def = &self.source.containers[index];
        let slots = def.slots.as_ref().map(|slots| slots.value);
        if let Some(least) = &def.least_slots {
            let fits = |near: &u32| *near > 0 && slots.is_none_or(|slots| *near <= slots);
            let near = [least.value.checked_sub(1), least.value.checked_add(1)].into_iter().flatten().filter(fits);
            let changes = near.map(|near| (near.to_string(), Change::LeastSlots(index, near))).collect();
            self.add(subject, format!("least-slots {}", least.value), least.at, changes);
        }
        if let Some(most) = &def.most_slots {
            let fits = |near: &u32| slots.is_none_or(|slots| *near >= slots);
            let near = [most.value.checked_sub(1), most.value.checked_add(1)].into_iter().flatten().filter(fits);
            let changes = near.map(|near| (near.to_string(), Change::MostSlots(index, near))).collect();
            self.add(subject, format!("most-slots {}", most.value), most.at, changes);
        }
    }

    fn of_holder(&mut self, index: usize, lightest: &impl Fn(&Subject) -> Option<Decimal>) {
        let def = &self.source.holders[index];
        let subject = Subject { kind: SubjectKind::Holder, name: def.id.value.clone() };
        if let Some(cap) = def.weight_cap {
            let changes = weights(cap, lightest(&subject), |cap| Change::HolderWeight(index, cap));
            self.add(&subject, format!("weight-cap {cap}"), def.id.at, changes);
        }
        for (number, cap) in def.caps.iter().enumerate() {
            let changes = limits(cap.count, |count| Change::HolderCap(index, number, count));
            self.add(&subject, format!("cap {} of `{}`", cap.count, cap.of.filter), cap.of.at, changes);
            self.of_filter(&subject, "cap of", &cap.of, FilterAt::HolderCap(index, number));
        }
    }

    /// The filter as a whole, each of its terms, each of its conjunctions.
    fn of_filter(&mut self, subject: &Subject, head: &str, written: &FilterSource, at: FilterAt) {
        let filter = &written.filter;
        let is_cap = matches!(at, FilterAt::ContainerCap(..) | FilterAt::HolderCap(..));
        if !is_cap {
            let changes = vec![(WITHOUT.to_owned(), Change::Filter(at, None))];
            self.add(subject, format!("{head} `{filter}`"), written.at, changes);
        }
        for (part, span, instead, whole) in variants(filter) {
            let place = span.map_or(written.at, |word| written.locate(word.span()));
            let changes = vec![(format!("`{instead}`"), Change::Filter(at, Some(whole)))];
            self.add(subject, format!("{head}: {part}"), place, changes);
        }
    }
}

/// One less, one more, and none at all.
fn limits(limit: u32, change: impl Fn(Option<u32>) -> Change) -> Vec<(String, Change)> {
    let near = [limit.checked_sub(1).filter(|&less| less > 0), limit.checked_add(1)];
    let near = near.into_iter().flatten().map(|near| (near.to_string(), change(Some(near))));
    near.chain([(WITHOUT.to_owned(), change(None))]).collect()
}

/// Less and more by the weight of one item of the lightest kind, and none at all.
fn weights(
    cap: Decimal,
    lightest: Option<Decimal>,
    change: impl Fn(Option<Decimal>) -> Change,
) -> Vec<(String, Change)> {
    let mut changes = Vec::new();
    if let Some(step) = lightest.filter(|step| *step > Decimal::ZERO) {
        let less = cap.checked_sub(step).filter(|less| *less >= Decimal::ZERO);
        let near = [less, cap.checked_add(step)].into_iter().flatten();
        changes.extend(near.map(|near| (near.to_string(), change(Some(near)))));
    }
    changes.push((WITHOUT.to_owned(), change(None)));
    changes
}

/// What is changed, the word at which it stands, what stands there instead, and the filter with that change.
type Variant<'f> = (String, Option<&'f Word>, String, Filter);

/// The filter with each term negated, and with `or` for each `and` and the other way round.
fn variants(filter: &Filter) -> Vec<Variant<'_>> {
    let mut found = Vec::new();
    collect(filter, &|part| part, &mut found);
    found
}

fn collect<'f>(part: &'f Filter, within: &dyn Fn(Filter) -> Filter, found: &mut Vec<Variant<'f>>) {
    match part {
        Filter::Name(word) | Filter::Compare(word, ..) => {
            let negated = Filter::Not(Box::new(part.clone()));
            found.push((format!("term `{part}`"), Some(word), negated.to_string(), within(negated)));
        }
        Filter::Not(inner) if matches!(**inner, Filter::Name(_) | Filter::Compare(..)) => {
            found.push((format!("term `{part}`"), first_word(part), inner.to_string(), within((**inner).clone())));
        }
        Filter::Not(inner) => collect(inner, &|part| within(Filter::Not(Box::new(part))), found),
        Filter::And(parts) | Filter::Or(parts) => {
            let is_and = matches!(part, Filter::And(_));
            let rejoin = |parts: Vec<Filter>| if is_and { Filter::And(parts) } else { Filter::Or(parts) };
            let other = if is_and { Filter::Or(parts.clone()) } else { Filter::And(parts.clone()) };
            let word = if is_and { "`and`" } else { "`or`" };
            found.push((format!("{word} in `{part}`"), first_word(part), other.to_string(), within(other)));
            for (index, inner) in parts.iter().enumerate() {
                let put_back = |changed: Filter| {
                    let mut parts = parts.clone();
                    parts[index] = changed;
                    within(rejoin(parts))
                };
                collect(inner, &put_back, found);
            }
        }
    }
}

fn first_word(part: &Filter) -> Option<&Word> {
    match part {
        Filter::Name(word) | Filter::Compare(word, ..) => Some(word),
        Filter::Not(inner) => first_word(inner),
        Filter::And(parts) | Filter::Or(parts) => parts.first().and_then(first_word),
    }
}
