//! A copy of the world that follows it by what is sent of each operation.

use hypotheke::replication::{Change, Update, UpdateError};
use hypotheke::{StackId, World};

pub(super) struct Copy {
    world: World,
}

impl Copy {
    pub(super) fn of(world: &World) -> Copy {
        let mut copy = World::from_snapshot(world.rules(), &world.snapshot()).unwrap_or_else(|error| panic!("{error}"));
        if world.contents_hash().is_some() {
            copy.enable_hash();
        }
        Copy { world: copy }
    }

    /// Follows the latest operation, as it is after a journey as text. A damaged update does no
    /// harm.
    pub(super) fn follow(&mut self, world: &World, thorough: bool, damage: u64) {
        let update = world.update().expect("what was applied has an update");
        let sent = serde_json::to_string(&update).expect("JSON");
        let update: Update = serde_json::from_str(&sent).unwrap_or_else(|error| panic!("{error}: {sent}"));
        if thorough {
            self.survive(&damaged(&update, damage));
        }
        self.world.apply_update(&update).unwrap_or_else(|error| panic!("{error}: {sent}"));
        let events = |world: &World| world.events().iter().map(|event| world.describe_event(event)).collect::<Vec<_>>();
        let (described, followed) = (events(world), events(&self.world));
        assert_eq!(described.len(), followed.len(), "{described:?} {followed:?}");
        assert_eq!(self.world.update(), None, "what a copy followed is to be passed on as it came");
        if thorough {
            assert_eq!(self.world.snapshot(), world.snapshot(), "{sent}");
            assert_eq!(self.world.check_indexes(), vec![], "{sent}");
            assert_eq!(self.world.contents_hash(), world.contents_hash());
            let twice = self.world.apply_update(&update);
            assert!(matches!(twice, Err(UpdateError::OutOfOrder { .. })), "{twice:?}");
        }
    }

    /// Follows it on a world like this one: it is carried out whole, or not at all.
    fn survive(&self, update: &Update) {
        let mut world = self.world.clone();
        world.set_undo_limit(2);
        let before = world.snapshot();
        let followed = world.apply_update(update);
        assert_eq!(world.check_indexes(), vec![], "{update:?}: {followed:?}");
        if followed.is_err() {
            assert_eq!(world.snapshot(), before, "{update:?}");
            assert!(world.events().is_empty() && world.update().is_none());
        } else {
            assert_eq!(world.revision(), update.revision);
        }
    }
}

/// The same with something changed that should not be.
fn damaged(update: &Update, how: u64) -> Update {
    let mut update = update.clone();
    let at = usize::try_from(how / 16).unwrap_or(0) % update.changes.len().max(1);
    match how % 8 {
        0 if !update.changes.is_empty() => _ = update.changes.remove(at),
        1 if !update.changes.is_empty() => update.changes.insert(at, update.changes[at].clone()),
        2 => update.changes.reverse(),
        3 => update.next_stack += 1,
        _ => {
            let others = u32::try_from(update.names.len()).unwrap();
            update.names.extend(["ground", "k1", "nobody"].map(str::to_owned));
            if let Some(change) = update.changes.get_mut(at) {
                change_something(change, how / 8, others);
            }
        }
    }
    update
}

/// `others` is the number of `ground`, before `k1`, `nobody` and a name that is not there.
fn change_something(change: &mut Change, how: u64, others: u32) {
    match change {
        Change::Moved { kind, count, from, to, .. } => match (how % 8, from, to) {
            (0, ..) => *count += 1,
            (1, ..) => *count = if *count == 1 { u32::MAX } else { 1 },
            (2, from, _) => *from = None,
            (3, _, to) => *to = None,
            (4, Some(from), Some(to)) => std::mem::swap(from, to),
            (5, _, Some(to)) => to.slot += 1,
            (6, _, Some(to)) => to.stack = Some(StackId::new(0, 1)),
            (_, Some(from), Some(to)) => to.container = from.container,
            _ => *kind = others + 1,
        },
        Change::Swapped { one, other } => match how % 3 {
            0 => std::mem::swap(&mut one.stack, &mut other.stack),
            1 => one.slot += 1,
            _ => other.container = one.container,
        },
        Change::Changed { at, look } => match how % 2 {
            0 => at.slot += 1,
            _ => look.marks.push("nothing-known".to_owned()),
        },
        Change::Resized { slots, .. } => *slots = if how.is_multiple_of(2) { 0 } else { u32::MAX },
        Change::Bound { shortcut, kind, .. } => match how % 2 {
            0 => *shortcut += 1,
            _ => *kind = Some(others + 3),
        },
        Change::Metered { meter, .. } => *meter += 7,
        Change::Opened { container, .. } | Change::Closed { container, .. } => *container = others,
        Change::Departed { name, .. } => *name = others + 2,
        Change::Arrived { document } => document.id = None,
        _ => {}
    }
}
