//! The differences between two saves: gained, lost and moved items.

use std::collections::{BTreeMap, BTreeSet};

use super::Save;
use super::layout::places;
use crate::id::StackId;
use crate::snapshot::{Orphan, Snapshot, Stack};

/// How many items of one look there were and are, in one place or in all.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ItemChange {
    /// The kind, with marks and properties: `ice-core (contaminated, reading 3.2)`.
    pub item: String,
    /// How many there were.
    pub before: u64,
    /// How many there are.
    pub after: u64,
}

/// The differences between two saves, by items with equal names, marks and properties.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SaveChanges {
    /// In all: what was gained or lost.
    pub totals: Vec<ItemChange>,
    /// In each place, in order of their names: containers as `sled` or `surveyor.pockets`, hands as
    /// `surveyor.hand`, the inside of a pack as `#12/ (rucksack)`, and `ground`.
    pub by_place: Vec<(String, Vec<ItemChange>)>,
}

type Counted = BTreeMap<String, u64>;

impl Save {
    /// The number of its items, orphans included.
    #[must_use]
    pub fn items(&self) -> u64 {
        let lying = count(&self.snapshot).into_values().flat_map(BTreeMap::into_values).sum::<u64>();
        lying + self.snapshot.orphans.iter().map(Orphan::items).sum::<u64>()
    }

    /// The differences to a later save, of the same world or of any other.
    #[must_use]
    pub fn changes_to(&self, later: &Save) -> SaveChanges {
        let (before, after) = (count(&self.snapshot), count(&later.snapshot));
        let sum = |places: &BTreeMap<String, Counted>| {
            let mut sum = Counted::new();
            for (item, count) in places.values().flatten() {
                *sum.entry(item.clone()).or_default() += count;
            }
            sum
        };
        let nothing = Counted::new();
        let names: BTreeSet<&String> = before.keys().chain(after.keys()).collect();
        let by_place = names.into_iter().map(|name| {
            let of = |places: &'_ BTreeMap<String, Counted>| places.get(name).unwrap_or(&nothing).clone();
            (name.clone(), changes(&of(&before), &of(&after)))
        });
        SaveChanges {
            totals: changes(&sum(&before), &sum(&after)),
            by_place: by_place.filter(|(_, changes)| !changes.is_empty()).collect(),
        }
    }
}

fn changes(before: &Counted, after: &Counted) -> Vec<ItemChange> {
    let items: BTreeSet<&String> = before.keys().chain(after.keys()).collect();
    let count = |counted: &Counted, item: &String| counted.get(item).copied().unwrap_or(0);
    let changes = items.into_iter().map(|item| ItemChange {
        item: item.clone(),
        before: count(before, item),
        after: count(after, item),
    });
    changes.filter(|change| change.before != change.after).collect()
}

fn count(snapshot: &Snapshot) -> BTreeMap<String, Counted> {
    let mut found: BTreeMap<String, Counted> = BTreeMap::new();
    let mut add = |place: String, stack: &Stack| {
        *found.entry(place).or_default().entry(text(stack)).or_default() += u64::from(stack.count);
    };
    let kinds = kinds_of_packs(snapshot);
    for (place, stacks) in places(snapshot) {
        let name = match kinds.get(&*place.name) {
            Some(kind) => format!("{}/ ({kind})", place.name),
            None => place.name.into_owned(),
        };
        stacks.iter().for_each(|lying| add(name.clone(), &lying.stack));
    }
    for holder in &snapshot.holders {
        holder.hand.iter().for_each(|stack| add(format!("{}.hand", holder.name), stack));
    }
    snapshot.ground.iter().for_each(|landed| add("ground".to_owned(), &landed.stack));
    found
}

/// The kind of each pack, by its id as places have it.
fn kinds_of_packs(snapshot: &Snapshot) -> BTreeMap<String, &str> {
    let ids: BTreeSet<StackId> = snapshot.packs.iter().map(|pack| pack.pack).collect();
    let lying = places(snapshot).into_iter().flat_map(|(_, stacks)| stacks).map(|lying| &lying.stack);
    let hands = snapshot.holders.iter().filter_map(|holder| holder.hand.as_ref());
    let landed = snapshot.ground.iter().map(|landed| &landed.stack);
    let packs = lying.chain(hands).chain(landed).filter(|stack| ids.contains(&stack.id));
    packs.map(|stack| (stack.id.to_string(), stack.kind.as_str())).collect()
}

fn text(stack: &Stack) -> String {
    let properties = stack.properties.iter().map(|(name, value)| format!("{name} {value}"));
    let words: Vec<String> = stack.marks.iter().cloned().chain(properties).collect();
    if words.is_empty() { stack.kind.clone() } else { format!("{} ({})", stack.kind, words.join(", ")) }
}
