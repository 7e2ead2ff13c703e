//! What a world has to draw of.

use crate::explore::model::places::Source;
use crate::explore::model::scope::Scope;
use crate::id::{ContainerId, HolderId};
use crate::world::{GROUND, Spot, World};

/// The contents of a world to choose from; a reused buffer, valid until an operation is applied.
#[derive(Debug, Default)]
pub(in crate::explore) struct Stock {
    pub(in crate::explore) containers: Vec<ContainerId>,
    /// The number of entries without packs, which come first.
    pub(in crate::explore) lasting: usize,
    pub(in crate::explore) sources: Vec<Source>,
    pub(in crate::explore) holders: Vec<HolderId>,
    pub(in crate::explore) is_fresh: bool,
}

impl Stock {
    /// Something was applied: what there is is looked up again.
    pub(in crate::explore) fn is_stale(&mut self) {
        self.is_fresh = false;
    }

    pub(in crate::explore) fn look(&mut self, scope: &Scope, world: &World) {
        if std::mem::replace(&mut self.is_fresh, true) {
            return;
        }
        let Stock { containers, lasting, sources, holders, .. } = self;
        containers.clear();
        sources.clear();
        holders.clear();
        match &scope.container_names {
            Some(names) => containers.extend(names.iter().filter_map(|name| world.container(name))),
            None => containers.extend(world.containers()),
        }
        match &scope.actor_names {
            Some(names) => holders.extend(names.iter().filter_map(|name| world.holder(name))),
            None => holders.extend(world.holders()),
        }
        *lasting = containers.len();
        let hands = holders.iter().filter(|_| scope.hands).map(|holder| world.hand_of(holder.index));
        let held = hands.map(|container| world.cell(Spot { container, slot: 0 }));
        let loose = world.stacks_of(GROUND).map(|(_, cell)| cell).chain(held).filter(|cell| cell.is_pack());
        containers.extend(loose.map(|cell| world.container_id(cell.inner)));
        let mut next = 0;
        while let Some(&container) = containers.get(next) {
            for (slot, &cell) in (0..).zip(world.slots_of(container.index)) {
                if !cell.is_empty() {
                    sources.push(Source { container, slot, cell });
                    if cell.is_pack() {
                        containers.push(world.container_id(cell.inner));
                    }
                }
            }
            next += 1;
        }
    }
}
