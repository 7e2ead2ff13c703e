//! The places of a world that the operations of a search name.

use crate::explore::model::scope::Scope;
use crate::id::{ContainerId, StackId};
use crate::world::{Cell, GROUND, Place, Spot, World};

/// A taken slot.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) struct Source {
    pub(in crate::explore) container: ContainerId,
    pub(in crate::explore) slot: u32,
    pub(in crate::explore) cell: Cell,
}

/// The places of a world that operations name.
#[derive(Debug, Default)]
pub(in crate::explore) struct Places {
    /// The containers of the scope, then the insides of packs in them, on the ground and in hands,
    /// at any depth.
    pub(in crate::explore) containers: Vec<ContainerId>,
    /// The taken slots.
    pub(in crate::explore) sources: Vec<Source>,
    /// The slots that items may go to.
    pub(in crate::explore) targets: Vec<Target>,
    /// The stacks on the ground and in hands.
    pub(in crate::explore) loose: Vec<(Place, Cell)>,
}

/// A slot that something may go to.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) struct Target {
    pub(in crate::explore) container: ContainerId,
    pub(in crate::explore) slot: u32,
    pub(in crate::explore) cell: Cell,
    /// The limit of the container; `None` for a slot with its own limit.
    pub(in crate::explore) limit: Option<u32>,
}

impl Source {
    pub(in crate::explore) fn spot(&self) -> Spot {
        Spot { container: self.container.index, slot: self.slot }
    }

    pub(in crate::explore) fn at(&self) -> (ContainerId, u32) {
        (self.container, self.slot)
    }
}

impl Target {
    #[inline]
    pub(in crate::explore) fn spot(&self) -> Spot {
        Spot { container: self.container.index, slot: self.slot }
    }

    pub(in crate::explore) fn at(&self) -> (ContainerId, u32) {
        (self.container, self.slot)
    }

    pub(in crate::explore) fn takes(&self, cell: Cell) -> bool {
        self.cell.is_empty() || self.cell.class == cell.class
    }

    /// How many of a stack it would take, being empty or holding an alike one.
    #[inline]
    pub(in crate::explore) fn fits(&self, world: &World, cell: Cell, limit: u32) -> u32 {
        let limit = self.limit.map_or_else(|| world.limit(self.spot(), cell.kind), |own| own.min(limit));
        limit.saturating_sub(self.cell.count).min(cell.count)
    }
}

impl Places {
    pub(in crate::explore) fn find(&mut self, scope: &Scope, world: &World) {
        let Places { containers, sources, targets, loose } = self;
        containers.clone_from(&scope.containers);
        sources.clear();
        targets.clear();
        loose.clear();
        let on_ground = world.stacks_of(GROUND).map(|(_, cell)| (Place::OnGround(StackId(cell.id)), cell));
        loose.extend(on_ground);
        for &actor in scope.actors.iter().filter(|_| scope.hands) {
            let hand = Spot { container: world.hand_of(actor.index), slot: 0 };
            loose.extend(Some((Place::Hand(actor), world.cell(hand))).filter(|(_, cell)| !cell.is_empty()));
        }
        let packs = loose.iter().filter(|(_, cell)| cell.is_pack());
        containers.extend(packs.map(|(_, cell)| world.container_id(cell.inner)));
        let mut next = 0;
        while let Some(&container) = containers.get(next) {
            let (alike, mut offered) = (scope.is_symmetric(world, container.index), false);
            let state = world.state(container.index);
            let (limit, ruled) = (state.stack_limit, state.ruled);
            for (slot, &cell) in (0..).zip(world.slots_of(container.index)) {
                if !cell.is_empty() {
                    sources.push(Source { container, slot, cell });
                    if cell.is_pack() {
                        containers.push(world.container_id(cell.inner));
                    }
                }
                if !cell.is_empty() || !alike || !offered {
                    targets.push(Target { container, slot, cell, limit: (slot >= ruled).then_some(limit) });
                }
                offered |= cell.is_empty();
            }
            next += 1;
        }
    }

    /// All stacks: in slots, on the ground, in hands.
    pub(in crate::explore) fn stacks(&self) -> impl Iterator<Item = (Place, Cell)> + '_ {
        let in_slots = self.sources.iter().map(|source| (source.at().into(), source.cell));
        in_slots.chain(self.loose.iter().copied())
    }

    pub(in crate::explore) fn hands(&self) -> impl Iterator<Item = (Place, Cell)> + '_ {
        self.loose.iter().copied().filter(|(place, _)| matches!(place, Place::Hand(_)))
    }
}

/// Whether it matters who has opened a container.
pub(in crate::explore) fn has_door(world: &World, container: ContainerId) -> bool {
    let state = world.state(container.index);
    state.must_open || state.exclusive
}

/// How many of a stack a slot with room for it would take.
pub(in crate::explore) fn fitting(world: &World, to: Spot, there: Cell, cell: Cell) -> u32 {
    world.limit(to, cell.kind).saturating_sub(there.count).min(cell.count)
}
