//! Migrates one departed entity, in an otherwise empty world.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::{Before, Difference, Migrated, MigrationError, migrate};
use crate::id::{DepartureId, StackId};
use crate::ruleset::{MigrationPolicy, Ruleset};
use crate::snapshot::{Departed, Departure, KindTotals, Orphan, Snapshot, Stack};

/// The number of no world: of ids that stacks get on their way from one to another.
const ON_THE_WAY: u32 = 0xff_ffff;

/// Items for the ground become orphans, since there is no ground.
pub(crate) fn migrate_departure(
    snapshot: &Snapshot,
    id: DepartureId,
    before: Before<'_>,
    rules: &Arc<Ruleset>,
) -> Result<(Departure, Vec<Difference>), MigrationError> {
    let mut snapshot = snapshot.clone();
    (snapshot.world, snapshot.next_stack) = (ON_THE_WAY, first_id(&snapshot, id));
    snapshot.totals = totals(&snapshot);
    let Migrated { world, mut differences } = migrate(snapshot, Before { alone: true, ..before }, &[], rules)?;
    let mut snapshot = world.snapshot();
    let (containers, holders) = (snapshot.containers.pop(), snapshot.holders.pop());
    let who = match (containers, holders) {
        (Some(container), None) => Departed::Container(container),
        (None, Some(holder)) => Departed::Holder(holder),
        _ => {
            differences.iter_mut().for_each(|described| described.action = Some(MigrationPolicy::Refuse));
            return Err(MigrationError::Refused(differences));
        }
    };
    let mut departure = Departure { id: Some(id), who, packs: snapshot.packs, orphans: snapshot.orphans };
    let place = match &departure.who {
        Departed::Container(container) => format!("{}/0", container.name),
        Departed::Holder(holder) => format!("{}.hand", holder.name),
    };
    for landed in snapshot.ground {
        orphan(&mut departure, &place, landed.stack);
    }
    for described in &mut differences {
        if described.to.iter().any(|to| to == "ground") {
            described.action = Some(MigrationPolicy::Orphan);
            described.to.retain(|to| to != "ground");
        }
    }
    Ok((departure, differences))
}

/// New ids differ from those of other departures, and from all that it has from an earlier time.
fn first_id(snapshot: &Snapshot, id: DepartureId) -> u64 {
    let own = (u64::from(id.world & 0xffff) << 24) | ((id.number & 0xffff) << 8) | 1;
    let given = stacks(snapshot).map(|stack| stack.id).filter(|id| id.world() == ON_THE_WAY).map(StackId::serial);
    given.map(|serial| serial + 1).chain([own]).max().unwrap_or(own)
}

fn stacks(snapshot: &Snapshot) -> impl Iterator<Item = &Stack> {
    let carried = snapshot.holders.iter().flat_map(|holder| &holder.containers);
    let in_slots = snapshot.containers.iter().chain(carried).flat_map(|container| &container.stacks);
    let in_packs = snapshot.packs.iter().flat_map(|pack| &pack.stacks);
    let hands = snapshot.holders.iter().filter_map(|holder| holder.hand.as_ref());
    in_slots.chain(in_packs).map(|lying| &lying.stack).chain(hands)
}

fn totals(snapshot: &Snapshot) -> BTreeMap<String, KindTotals> {
    let mut totals: BTreeMap<String, KindTotals> = BTreeMap::new();
    for stack in stacks(snapshot) {
        totals.entry(stack.kind.clone()).or_default().arrived += u64::from(stack.count);
    }
    totals
}

fn orphan(departure: &mut Departure, place: &str, stack: Stack) {
    let mut open = vec![(place.to_owned(), stack)];
    while let Some((place, stack)) = open.pop() {
        let inside = departure.packs.iter().position(|pack| pack.pack == stack.id).map(|at| departure.packs.remove(at));
        let (id, slots) = (stack.id, inside.as_ref().map(|pack| pack.slots));
        departure.orphans.push(Orphan::Stack { place, at: None, stack, slots });
        let inner = inside.map(|pack| pack.stacks).unwrap_or_default();
        open.extend(inner.into_iter().rev().map(|lying| (format!("{id}/{}", lying.slot), lying.stack)));
    }
}
