//! What has another name now, by the changes of each version in turn.

use std::collections::BTreeMap;

use super::{Carrying, for_each_stack, path_to, slot_of};
use crate::ruleset::{ContainerSuccessor, MigrationRules, Ruleset};
use crate::snapshot::{KindTotals, Orphan, PastArrival, Snapshot};

/// What names are now, each looked up once.
struct Names<'r> {
    ruleset: &'r Ruleset,
    rules: &'r MigrationRules,
    since: u32,
    kinds: BTreeMap<String, String>,
    /// How many items of each kind before.
    renamed: BTreeMap<String, u64>,
    /// On how many stacks each mark and property before, and what it is now.
    looks: BTreeMap<String, (String, u64)>,
}

impl Names<'_> {
    fn kind(&mut self, kind: &mut String) {
        let now = match self.kinds.get(kind) {
            Some(now) => now,
            None => {
                let now = self.rules.kind_since(self.since, kind);
                self.kinds.entry(kind.clone()).or_insert(now)
            }
        };
        if now != kind {
            kind.clone_from(now);
        }
    }

    fn look<V>(&mut self, marks: &mut [String], properties: &mut BTreeMap<String, V>) {
        for mark in marks {
            let now = self.rules.mark_since(self.since, mark);
            *mark = self.count_look(std::mem::take(mark), now);
        }
        for (before, value) in std::mem::take(properties) {
            let now = self.rules.property_since(self.since, &before);
            properties.insert(self.count_look(before, now), value);
        }
    }

    fn count_look(&mut self, before: String, now: String) -> String {
        if before != now {
            self.looks.entry(before).or_insert_with(|| (now.clone(), 0)).1 += 1;
        }
        now
    }

    /// The name of a container; unchanged if it was removed.
    fn container(&self, name: &str) -> String {
        match self.rules.container_since(self.since, name) {
            ContainerSuccessor::Now(now) => now,
            ContainerSuccessor::Removed(_) => name.to_owned(),
        }
    }

    fn meter(&self, name: &str) -> String {
        self.rules.meter_since(self.since, name)
    }

    /// `sled`, `surveyor.pockets`, `surveyor.hand`, `#12`, `ground`
    fn place(&self, place: &str, holders: &BTreeMap<String, String>) -> String {
        match place.split_once('.') {
            _ if place.starts_with('#') => place.to_owned(),
            Some((holder, own)) => {
                let holder = holders.get(holder).map_or(holder, String::as_str);
                format!("{holder}.{}", self.container(own))
            }
            None => self.container(place),
        }
    }
}

impl Carrying<'_> {
    pub(super) fn names(&mut self) {
        let rules = self.rules.migration();
        if rules.versions.range(self.since.saturating_add(1)..).next().is_none() {
            return;
        }
        let (kinds, renamed, looks) = (BTreeMap::new(), BTreeMap::new(), BTreeMap::new());
        let mut names = Names { ruleset: self.rules, rules, since: self.since, kinds, renamed, looks };
        self.names_of_stacks(&mut names);
        self.names_of_totals(&mut names);
        let holders = self.names_of_places(&names);
        self.names_of_work(&names);
        self.names_of_meters(&names);
        self.names_of_shortcuts(&mut names);
        names_of_orphans(&mut self.snapshot, &mut names, &holders);
        names_of_arrivals(&mut self.snapshot, &names);
    }

    fn names_of_stacks(&mut self, names: &mut Names<'_>) {
        let marks: BTreeMap<&str, usize> =
            self.rules.marks().iter().enumerate().map(|(order, mark)| (mark.name(), order)).collect();
        for_each_stack(&mut self.snapshot, &mut self.packs, &mut |_, stack| {
            let before = stack.kind.clone();
            names.kind(&mut stack.kind);
            if before != stack.kind {
                *names.renamed.entry(before).or_default() += u64::from(stack.count);
            }
            names.look(&mut stack.marks, &mut stack.properties);
            stack.marks.sort_by_key(|mark| marks.get(mark.as_str()).copied());
        });
        for (before, items) in std::mem::take(&mut names.renamed) {
            let now = &names.kinds[&before];
            self.tell(&*before, format!("{} renamed to {now}", many(items, "item is", "items are")), None);
        }
        for (before, (now, stacks)) in std::mem::take(&mut names.looks) {
            self.tell(before, format!("renamed to {now}, on {}", many(stacks, "stack", "stacks")), None);
        }
    }

    fn names_of_totals(&mut self, names: &mut Names<'_>) {
        let mut renamed: BTreeMap<String, KindTotals> = BTreeMap::new();
        for (mut kind, totals) in std::mem::take(&mut self.snapshot.totals) {
            names.kind(&mut kind);
            join(renamed.entry(kind).or_default(), totals);
        }
        self.snapshot.totals = renamed;
    }

    /// Gives the names of holders that have another now.
    fn names_of_places(&mut self, names: &Names<'_>) -> BTreeMap<String, String> {
        let (mut described, mut holders) = (Vec::new(), BTreeMap::new());
        for container in &mut self.snapshot.containers {
            let (name, definition) = (names.container(&container.name), names.container(&container.definition));
            if name != container.name {
                described.push((container.name.clone(), name.clone()));
            }
            (container.name, container.definition) = (name, definition);
        }
        for holder in &mut self.snapshot.holders {
            let name = names.rules.holder_since(names.since, &holder.name);
            // What the ruleset calls so now is what it says. One that came later has a name of its
            // own.
            let now = |name: &str| names.ruleset.find_holder_named(name).map(|def| def.id().to_owned());
            let of = names.rules.holder_since(names.since, &holder.definition);
            let of = now(&name).or_else(|| now(&of)).unwrap_or(of);
            if name != holder.name {
                described.push((holder.name.clone(), name.clone()));
                holders.insert(holder.name.clone(), name.clone());
            }
            (holder.name, holder.definition) = (name, of);
            for container in &mut holder.containers {
                let name = names.container(&container.name);
                if name != container.name {
                    described.push((format!("{}.{}", holder.name, container.name), format!("{}.{name}", holder.name)));
                }
                (container.name, container.definition) = (name.clone(), name);
            }
        }
        for (before, now) in described {
            self.tell(before, format!("renamed to {now}"), None);
        }
        let standing = self.snapshot.containers.iter_mut().map(|it| &mut it.opened_by);
        let carried = self.snapshot.holders.iter_mut().flat_map(|it| &mut it.containers).map(|it| &mut it.opened_by);
        let openers = standing.chain(carried).chain(self.packs.values_mut().map(|it| &mut it.opened_by)).flatten();
        for opener in openers {
            if let Some(now) = holders.get(opener) {
                opener.clone_from(now);
            }
        }
        for owner in self.snapshot.containers.iter_mut().filter_map(|it| it.owner.as_mut()) {
            if let Some(now) = holders.get(owner) {
                owner.clone_from(now);
            }
        }
        for holder in &mut self.snapshot.holders {
            if let Some((container, slot)) = holder.origin.as_ref().and_then(slot_of) {
                holder.origin = Some(path_to(&names.place(&container, &holders), slot));
            }
        }
        holders
    }

    fn names_of_work(&mut self, names: &Names<'_>) {
        let carried = self.snapshot.holders.iter_mut().flat_map(|it| &mut it.containers);
        let jobs = self.snapshot.containers.iter_mut().chain(carried).filter_map(|it| it.job.as_mut());
        let mut described: BTreeMap<(String, String), u64> = BTreeMap::new();
        for job in jobs {
            let now = names.rules.recipe_since(names.since, &job.recipe);
            if now != job.recipe {
                *described.entry((std::mem::replace(&mut job.recipe, now.clone()), now)).or_default() += 1;
            }
        }
        for ((before, now), containers) in described {
            self.tell(before, format!("renamed to {now}, in {}", many(containers, "container", "containers")), None);
        }
    }

    fn names_of_meters(&mut self, names: &Names<'_>) {
        let mut described: BTreeMap<(String, String), u64> = BTreeMap::new();
        for holder in &mut self.snapshot.holders {
            for (before, value) in std::mem::take(&mut holder.meters) {
                let now = names.meter(&before);
                holder.meters.insert(now.clone(), value);
                if now != before {
                    *described.entry((before, now)).or_default() += 1;
                }
            }
        }
        for ((before, now), holders) in described {
            self.tell(before, format!("renamed to {now}, of {}", many(holders, "holder", "holders")), None);
        }
    }

    /// Two shortcuts may point at one kind now: the first does.
    fn names_of_shortcuts(&mut self, names: &mut Names<'_>) {
        let mut lost = Vec::new();
        for holder in &mut self.snapshot.holders {
            let mut seen: Vec<String> = Vec::new();
            for (shortcut, bound) in holder.shortcuts.iter_mut().enumerate() {
                let Some(kind) = bound else { continue };
                names.kind(kind);
                if seen.contains(kind) {
                    lost.push((format!("{}.shortcuts/{shortcut}", holder.name), kind.clone()));
                    *bound = None;
                } else {
                    seen.push(kind.clone());
                }
            }
        }
        for (place, kind) in lost {
            self.tell(place, format!("two shortcuts point at {kind}"), None);
        }
    }
}

fn names_of_orphans(snapshot: &mut Snapshot, names: &mut Names<'_>, holders: &BTreeMap<String, String>) {
    let renamed = |holder: &mut String| {
        if let Some(now) = holders.get(holder) {
            holder.clone_from(now);
        }
    };
    for orphan in &mut snapshot.orphans {
        match orphan {
            Orphan::Stack { place, stack, .. } => {
                names.kind(&mut stack.kind);
                names.look(&mut stack.marks, &mut stack.properties);
                *place = match place.rsplit_once('/') {
                    Some((container, slot)) => format!("{}/{slot}", names.place(container, holders)),
                    None => names.place(place, holders),
                };
            }
            Orphan::Variant { marks, properties, .. } => names.look(marks, properties),
            Orphan::Shortcut { holder, kind, .. } => {
                names.kind(kind);
                renamed(holder);
            }
            Orphan::Meter { holder, meter, .. } => {
                *meter = names.meter(meter);
                renamed(holder);
            }
            Orphan::Totals { kind, .. } => names.kind(kind),
        }
    }
}

/// Containers and holders share one name space. Of two that have one name now, the later departure
/// counts.
fn names_of_arrivals(snapshot: &mut Snapshot, names: &Names<'_>) {
    let (mut latest, mut others) = (BTreeMap::<String, u64>::new(), Vec::new());
    for past in std::mem::take(&mut snapshot.arrivals) {
        match past {
            PastArrival::Latest { name, number } => {
                let now = names.rules.holder_since(names.since, &names.container(&name));
                let known = latest.entry(now).or_default();
                *known = number.max(*known);
            }
            one @ PastArrival::One(_) => others.push(one),
        }
    }
    let latest = latest.into_iter().map(|(name, number)| PastArrival::Latest { name, number });
    snapshot.arrivals = others.into_iter().chain(latest).collect();
}

fn many(count: u64, one: &str, several: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { several })
}

/// The totals of two kinds that become one.
pub(super) fn join(totals: &mut KindTotals, other: KindTotals) {
    totals.created = totals.created.saturating_add(other.created);
    totals.consumed = totals.consumed.saturating_add(other.consumed);
    totals.arrived = totals.arrived.saturating_add(other.arrived);
    totals.departed = totals.departed.saturating_add(other.departed);
}
