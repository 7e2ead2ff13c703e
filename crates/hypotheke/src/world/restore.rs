//! From a snapshot to a world.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::from_data::{self, Reader};
use super::{GROUND, KindTotals, LaidContainer, LaidHolder, LaidOrigin, LaidStack, Origin, Spot, World};
use crate::id::StackId;
use crate::ruleset::Ruleset;
use crate::snapshot::{MAX_COUNTED, PastArrival, Snapshot, SnapshotError};

impl World {
    /// The world of a snapshot, under a ruleset.
    ///
    /// # Errors
    /// All that is in the snapshot and that no world of this ruleset can be.
    pub fn from_snapshot(rules: &Arc<Ruleset>, snapshot: &Snapshot) -> Result<World, SnapshotError> {
        let mut reader = Reader::new(rules, &snapshot.packs);
        let mut laid = Laid {
            containers: snapshot.containers.iter().filter_map(|container| reader.standing(container)).collect(),
            holders: snapshot.holders.iter().filter_map(|holder| reader.holder(holder)).collect(),
            ground: Vec::new(),
        };
        for landed in &snapshot.ground {
            let place = format!("ground/{}", landed.stack.id);
            laid.ground.extend(reader.stack(&place, &landed.stack, 1));
        }
        reader.packs_that_lie_nowhere();
        check_openers(&mut reader, snapshot);
        snapshot.holders.iter().for_each(|holder| reader.check_origin(holder));
        let totals = counters(&mut reader, rules, snapshot);
        let faults = reader.into_faults();
        if !faults.is_empty() {
            return Err(SnapshotError::new(faults));
        }
        let mut restoring = Restoring { world: World::bare(rules) };
        restoring.world.clock = snapshot.clock;
        restoring.lay(laid, snapshot);
        restoring.open(snapshot);
        let mut world = restoring.world;
        world.set_counters(snapshot.world, snapshot.revision, snapshot.next_stack, &snapshot.random.0, &totals);
        world.departures = snapshot.departures;
        for past in &snapshot.arrivals {
            match past {
                PastArrival::Latest { name, number } => _ = world.arrived.insert(name.as_str().into(), *number),
                PastArrival::One(id) => _ = world.arrivals_one_by_one.insert(*id),
            }
        }
        snapshot.requests.iter().for_each(|answered| _ = world.requests.push(answered.clone()));
        world.orphans.clone_from(&snapshot.orphans);
        Ok(world)
    }
}

/// All containers with the holders that have opened them: by their names, or by their packs.
fn opened(snapshot: &Snapshot) -> Vec<(Result<String, StackId>, &Vec<String>)> {
    let standing = snapshot.containers.iter().map(|container| (Ok(container.name.clone()), &container.opened_by));
    let carried = snapshot.holders.iter().flat_map(|holder| {
        let name = |own: &str| Ok(format!("{}.{own}", holder.name));
        holder.containers.iter().map(move |container| (name(&container.name), &container.opened_by))
    });
    let packs = snapshot.packs.iter().map(|pack| (Err(pack.pack), &pack.opened_by));
    standing.chain(carried).chain(packs).collect()
}

fn check_openers(reader: &mut Reader<'_>, snapshot: &Snapshot) {
    let holders: BTreeSet<&str> = snapshot.holders.iter().map(|holder| holder.name.as_str()).collect();
    for (container, openers) in opened(snapshot) {
        for opener in openers.iter().filter(|opener| !holders.contains(opener.as_str())) {
            let place = container.clone().unwrap_or_else(|pack| pack.to_string());
            reader.fault(place, format!("it is open to an unknown holder `{opener}`"));
        }
    }
}

fn counters(reader: &mut Reader<'_>, rules: &Ruleset, snapshot: &Snapshot) -> Vec<KindTotals> {
    let mut totals = vec![KindTotals::default(); rules.kinds().len()];
    for (name, described) in &snapshot.totals {
        let crate::snapshot::KindTotals { created, consumed, arrived, departed } = *described;
        match rules.find_kind(name) {
            Some(_) if created.max(consumed).max(arrived).max(departed) > MAX_COUNTED => {
                reader.fault("totals", format!("the number of `{name}` is too large"));
            }
            Some(kind) => totals[kind.index()] = KindTotals { created, consumed, arrived, departed },
            None => reader.fault("totals", format!("unknown kind `{name}`")),
        }
    }
    if snapshot.world > 0xff_ffff {
        reader.fault("world", "the number of a world is below 2^24");
    }
    reader.orphans(&snapshot.orphans);
    let given = |id: &&StackId| id.world() == snapshot.world && id.serial() >= snapshot.next_stack;
    if let Some(id) = reader.ids().iter().find(given).copied() {
        reader.fault(id.to_string(), format!("the id is not below the next id, {}", snapshot.next_stack));
    }
    if snapshot.next_stack > StackId::MAX_NEXT {
        reader.fault("next-stack", "almost all of the 2^40 ids are used");
    }
    if snapshot.revision > MAX_COUNTED {
        reader.fault("revision", "the number is too large");
    }
    if snapshot.clock > MAX_COUNTED {
        reader.fault("clock", "the number is too large");
    }
    if snapshot.departures > MAX_COUNTED {
        reader.fault("departures", "the numbers are too large");
    }
    check_arrivals(reader, snapshot);
    check_requests(reader, snapshot);
    totals
}

/// Every departure from here had its number, and none appears twice.
fn check_arrivals(reader: &mut Reader<'_>, snapshot: &Snapshot) {
    let (mut ids, mut names) = (BTreeSet::new(), BTreeSet::new());
    for past in &snapshot.arrivals {
        match past {
            PastArrival::One(id) => {
                if id.world == snapshot.world && id.number >= snapshot.departures {
                    reader.fault("arrivals", format!("{id} is not below the next number, {}", snapshot.departures));
                }
                if !ids.insert(id) {
                    reader.fault("arrivals", format!("{id} has arrived twice"));
                }
            }
            PastArrival::Latest { name, number } => {
                if *number > MAX_COUNTED {
                    reader.fault("arrivals", format!("the number of `{name}` is too large"));
                }
                if !names.insert(name) {
                    reader.fault("arrivals", format!("two arrivals have the name `{name}`"));
                }
            }
        }
    }
}

/// Each led to a revision of its own, one after the other.
fn check_requests(reader: &mut Reader<'_>, snapshot: &Snapshot) {
    let (mut seen, mut last) = (BTreeSet::new(), 0);
    for answered in &snapshot.requests {
        let revision = answered.outcome.revision();
        if revision <= last || revision > snapshot.revision {
            reader.fault("requests", format!("revision {revision} of `{}` is impossible", answered.id));
        }
        if !seen.insert(&answered.id) {
            reader.fault("requests", format!("two requests have the id `{}`", answered.id));
        }
        last = revision;
    }
}

/// The contents to place.
struct Laid {
    containers: Vec<LaidContainer>,
    holders: Vec<LaidHolder>,
    ground: Vec<LaidStack>,
}

struct Restoring {
    world: World,
}

impl Restoring {
    fn lay(&mut self, laid: Laid, snapshot: &Snapshot) {
        let mut next = self.world.container_count();
        let mut number = |_: u32| {
            next += 1;
            next - 1
        };
        for mut container in laid.containers {
            container.number(&mut number);
            self.world.lay_container(&container, None);
        }
        for (index, mut holder) in (0..).zip(laid.holders) {
            holder.index = index;
            holder.number(&mut number);
            self.world.lay_holder(&holder);
        }
        for (landing, (landed, mut stack)) in (0..).zip(snapshot.ground.iter().zip(laid.ground)) {
            stack.number(&mut number);
            self.world.lay(Spot { container: GROUND, slot: landing }, landed.at, &stack);
        }
    }

    fn index_of(&self, container: Result<&str, StackId>) -> Option<u32> {
        match container {
            Ok(name) => self.world.container(name).map(|id| id.index),
            Err(pack) => self.world.inside_of_pack(pack),
        }
    }

    /// The data of containers and holders other than contents.
    fn open(&mut self, snapshot: &Snapshot) {
        for (container, openers) in opened(snapshot) {
            let Some(index) = self.index_of(container.as_deref().map_err(|pack| *pack)) else { continue };
            for opener in openers.iter().filter_map(|opener| self.world.holder(opener)).collect::<Vec<_>>() {
                self.world.set_open(opener.index, index, true);
            }
        }
        for holder in &snapshot.holders {
            let Some((id, origin)) =
                self.world.holder(&holder.name).zip(holder.origin.as_ref().and_then(from_data::origin))
            else {
                continue;
            };
            let (container, slot) = match &origin {
                LaidOrigin::Container(name, slot) => (self.index_of(Ok(name)), *slot),
                LaidOrigin::Pack(pack, slot) => (self.index_of(Err(*pack)), *slot),
            };
            let container = container.map(|index| self.world.container_id(index));
            self.world.set_origin(id.index, container.map(|container| Origin { container, slot }));
        }
    }
}
