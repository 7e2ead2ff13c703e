//! Classes: what makes two stacks alike, as one number.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::filter::{Measure, Subject};
use crate::id::{KindId, MarkId, PropertyId, TagId};
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{ChangeEffect, FilterId, PropertyValue, Ruleset, StackChange};

/// Kind, marks and those properties that differ from the kind's own; each list in order, nothing
/// twice.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct ClassKey {
    pub(crate) kind: KindId,
    pub(crate) marks: Vec<MarkId>,
    pub(crate) properties: Vec<(PropertyId, Decimal)>,
}

impl ClassKey {
    /// Puts marks and properties in order; the last value given for a property counts, the kind's
    /// own values go.
    pub(crate) fn new(
        rules: &Ruleset,
        kind: KindId,
        marks: &[MarkId],
        properties: &[(PropertyId, Decimal)],
    ) -> ClassKey {
        let mut marks = marks.to_vec();
        marks.sort_unstable();
        marks.dedup();
        let last: BTreeMap<PropertyId, Decimal> = properties.iter().copied().collect();
        let own = |property| rules.known_kind(kind).property(property);
        let differs = |(property, value): &(PropertyId, Decimal)| own(*property) != Some(PropertyValue::Number(*value));
        ClassKey { kind, marks, properties: last.into_iter().filter(differs).collect() }
    }

    /// No marks, and the kind's first values.
    pub(crate) fn plain(kind: KindId) -> ClassKey {
        ClassKey { kind, marks: Vec::new(), properties: Vec::new() }
    }

    pub(crate) fn is_plain(&self) -> bool {
        self.marks.is_empty() && self.properties.is_empty()
    }

    /// The value of a number property.
    pub(crate) fn number(&self, rules: &Ruleset, property: PropertyId) -> Decimal {
        ClassView { rules, key: self }.number(Measure::Property(property)).unwrap_or(Decimal::ZERO)
    }

    /// In how many ticks one of its properties falls next.
    pub(crate) fn next_fall(&self, rules: &Ruleset, clock: u64) -> Option<u64> {
        let kind = rules.known_kind(self.kind);
        let falling = rules.falling().iter().filter(|(property, _)| kind.property(*property).is_some());
        let falls = falling.filter(|(property, falling)| {
            let value = self.number(rules, *property);
            falling.fallen(value) != value
        });
        falls.map(|(_, falling)| falling.ticks_left(clock)).min()
    }

    /// The class after those of its properties have fallen once that fall at a tick; `None` if none
    /// does.
    pub(crate) fn fallen(&self, rules: &Ruleset, tick: u64) -> Option<ClassKey> {
        let kind = rules.known_kind(self.kind);
        let due = rules.falling().iter().filter(|(_, falling)| falling.falls_at(tick));
        let fallen =
            due.filter(|(property, _)| kind.property(*property).is_some()).filter_map(|&(property, falling)| {
                let value = self.number(rules, property);
                let fallen = falling.fallen(value);
                (fallen != value).then_some((property, fallen))
            });
        let fallen: Vec<(PropertyId, Decimal)> = fallen.collect();
        let properties = [&self.properties[..], &fallen].concat();
        (!fallen.is_empty()).then(|| ClassKey::new(rules, self.kind, &self.marks, &properties))
    }

    /// The change of the ruleset that a stack of this class is due for: the first that admits it and
    /// has an effect. Plain classes have none; that is checked when a ruleset is loaded.
    pub(crate) fn due_change<'r>(&self, rules: &'r Ruleset) -> Option<&'r StackChange> {
        let has_effect = |change: &&StackChange| match change.effect() {
            ChangeEffect::Marks(mark) => !self.marks.contains(&mark),
            ChangeEffect::Becomes(_) | ChangeEffect::Removes => true,
        };
        let due = |change: &&StackChange| rules.filter(change.filter()).test.admits(&ClassView { rules, key: self });
        if self.is_plain() { None } else { rules.changes().iter().filter(has_effect).find(due) }
    }

    /// What becomes of a stack of this class by the changes of the ruleset: its class in the end, or
    /// nothing if it is removed. Every chain of changes ends; that is checked when a ruleset is
    /// loaded.
    pub(crate) fn changed(mut self, rules: &Ruleset) -> Option<ClassKey> {
        while let Some(change) = self.due_change(rules) {
            match change.effect() {
                ChangeEffect::Becomes(kind) => self = ClassKey { kind, properties: Vec::new(), ..self },
                ChangeEffect::Marks(mark) => {
                    self.marks.push(mark);
                    self.marks.sort_unstable();
                }
                ChangeEffect::Removes => return None,
            }
        }
        Some(self)
    }
}

#[derive(Clone, Debug)]
struct Entry {
    key: Arc<ClassKey>,
    /// How many stacks are of this class.
    uses: u64,
}

/// Numbers below that of the kinds stand for kinds without marks and with their first properties;
/// the others for entries here.
#[derive(Clone, Debug, Default)]
pub(crate) struct ClassTable {
    kinds: u32,
    entries: Vec<Entry>,
    by_key: BTreeMap<Arc<ClassKey>, u32>,
    /// Entries that no stack has. Their numbers are given again, the lowest first.
    unused: BTreeSet<u32>,
}

impl ClassTable {
    pub(crate) fn new(rules: &Ruleset) -> ClassTable {
        ClassTable { kinds: narrow::index(rules.kinds().len()), ..ClassTable::default() }
    }

    /// The same classes by the handles of a ruleset of the same text.
    pub(crate) fn go_on_under(&mut self, rules: &Ruleset) {
        self.by_key.clear();
        for (class, entry) in (self.kinds..).zip(&mut self.entries) {
            let ClassKey { kind, marks, properties } = &*entry.key;
            let key = ClassKey {
                kind: rules.kind_id(kind.0),
                marks: marks.iter().map(|mark| rules.mark_id(mark.0)).collect(),
                properties: properties.iter().map(|(id, value)| (rules.property_id(id.0), *value)).collect(),
            };
            entry.key = Arc::new(key);
            self.by_key.insert(Arc::clone(&entry.key), class);
        }
    }

    pub(crate) fn find(&self, key: &ClassKey) -> Option<u32> {
        if key.is_plain() { Some(key.kind.0) } else { self.by_key.get(key).copied() }
    }

    pub(crate) fn key(&self, class: u32) -> Option<&ClassKey> {
        let entry = class.checked_sub(self.kinds)?;
        self.entries.get(entry as usize).map(|entry| &*entry.key)
    }

    /// The number that the next new class will have, after those that `given` have been given to.
    pub(crate) fn next(&self, given: &[(ClassKey, u32)]) -> u32 {
        let fresh = self.kinds + narrow::index(self.entries.len());
        let is_given = |class: u32| given.iter().any(|(_, known)| *known == class);
        let beyond = given.iter().filter(|(_, class)| *class >= fresh).count();
        let fresh = fresh + narrow::index(beyond);
        self.unused.iter().copied().find(|&class| !is_given(class)).unwrap_or(fresh)
    }

    /// Whether no stack has a class, so that its number may be given to another.
    pub(crate) fn is_unused(&self, class: u32) -> bool {
        self.unused.contains(&class)
    }

    /// Enters a class under the number that [`ClassTable::next`] gave, or that it has had.
    pub(crate) fn enter(&mut self, key: &ClassKey, class: u32) {
        let index = (class - self.kinds) as usize;
        let key = Arc::new(key.clone());
        let entry = Entry { key: Arc::clone(&key), uses: 0 };
        if index == self.entries.len() {
            self.entries.push(entry);
        } else {
            self.by_key.remove(&self.entries[index].key);
            self.entries[index] = entry;
        }
        self.unused.insert(class);
        self.by_key.insert(key, class);
    }

    /// Whether a class, and all below it, are those of plain stacks, which nobody counts.
    #[inline]
    pub(crate) fn is_of_kind(&self, class: u32) -> bool {
        class < self.kinds
    }

    pub(crate) fn retain(&mut self, class: u32) {
        if class >= self.kinds {
            let entry = &mut self.entries[(class - self.kinds) as usize];
            entry.uses += 1;
            if entry.uses == 1 {
                self.unused.remove(&class);
            }
        }
    }

    pub(crate) fn release(&mut self, class: u32) {
        if class >= self.kinds {
            let entry = &mut self.entries[(class - self.kinds) as usize];
            entry.uses -= 1;
            if entry.uses == 0 {
                self.unused.insert(class);
            }
        }
    }

    /// What the numbers stand for that are no kinds, in their order. Another key is another
    /// allocation.
    pub(crate) fn keys(&self) -> impl ExactSizeIterator<Item = &Arc<ClassKey>> + Clone + '_ {
        self.entries.iter().map(|entry| &entry.key)
    }

    /// How many stacks are counted for each class that is not plain.
    pub(crate) fn uses(&self) -> impl Iterator<Item = (u32, u64)> + '_ {
        (self.kinds..).zip(&self.entries).map(|(class, entry)| (class, entry.uses))
    }

    /// Whether a filter admits stacks of the class.
    #[inline(always)]
    pub(crate) fn admits(&self, rules: &Ruleset, filter: FilterId, kind: u32, class: u32) -> bool {
        match self.key(class) {
            None => rules.admits_plain(filter, kind),
            Some(key) => rules.filter(filter).test.admits(&ClassView { rules, key }),
        }
    }
}

/// A class as filters see it.
pub(crate) struct ClassView<'a> {
    pub(crate) rules: &'a Ruleset,
    pub(crate) key: &'a ClassKey,
}

impl Subject for ClassView<'_> {
    fn kind(&self) -> KindId {
        self.key.kind
    }

    fn has_tag(&self, tag: TagId) -> bool {
        self.rules.known_kind(self.key.kind).has_tag(tag)
    }

    fn has_mark(&self, mark: MarkId) -> bool {
        self.key.marks.contains(&mark)
    }

    fn number(&self, measure: Measure) -> Option<Decimal> {
        let changed = |(id, _): &&(PropertyId, Decimal)| Measure::Property(*id) == measure;
        if let Some((_, value)) = self.key.properties.iter().find(changed) {
            return Some(*value);
        }
        self.rules.known_kind(self.key.kind).number(measure)
    }

    fn text(&self, property: PropertyId) -> Option<&str> {
        match self.rules.known_kind(self.key.kind).property(property)? {
            PropertyValue::Text(text) => Some(text),
            PropertyValue::Number(_) => None,
        }
    }
}
