//! Looking up what an operation names.

use super::super::refusal::{Cause, Refusal, Unknown};
use super::Draft;
use crate::id::{ContainerId, HolderId, KindId};
use crate::world::{DepartingEntity, Place, Spot};

impl Draft<'_> {
    pub(in crate::ops) fn is_hand(&self, container: u32) -> bool {
        container < self.world.container_count() && self.world.is_hand(container)
    }

    /// The spot of one stack: a slot, a hand, or a place on the ground.
    pub(in crate::ops) fn spot_of_one(&self, place: Place) -> Result<Spot, Refusal> {
        match place {
            Place::Slot(..) => self.slot(place),
            Place::Hand(holder) => Ok(self.hand(Some(holder))?.1),
            Place::OnGround(stack) => self.landing_of(stack).ok_or(Refusal::new(Cause::Unknown(Unknown::Stack))),
            _ => Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
        }
    }

    /// Whether a container has departed, on its own or with its surroundings.
    pub(in crate::ops) fn has_left(&self, container: u32) -> bool {
        let outermost = || self.outermost(container);
        self.left.iter().any(|who| match who {
            DepartingEntity::Container(id) => id.index == outermost(),
            DepartingEntity::Holder(id) => self.state(outermost()).holder == id.index,
        })
    }

    pub(in crate::ops) fn holder_has_left(&self, holder: u32) -> bool {
        self.left.iter().any(|who| matches!(who, DepartingEntity::Holder(id) if id.index == holder))
    }

    #[inline]
    pub(in crate::ops) fn has_container(&self, id: ContainerId) -> bool {
        self.world.has_container(id) && (self.left.is_empty() || !self.has_left(id.index))
    }

    #[inline]
    pub(in crate::ops) fn has_holder(&self, id: HolderId) -> bool {
        self.world.has_holder(id) && !self.holder_has_left(id.index)
    }

    /// The handle of a container, be it one that the operation brings.
    pub(in crate::ops) fn container_id(&self, container: u32) -> ContainerId {
        if self.is_new(container) {
            return self.world.container_to_be(container);
        }
        self.world.container_id(container)
    }

    /// Looks up a place that must be a container.
    pub(in crate::ops) fn container(&self, place: Place) -> Result<u32, Refusal> {
        match place {
            Place::Container(id) if self.has_container(id) => Ok(id.index),
            Place::Container(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
            _ => Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
        }
    }

    /// The holder that acts, where one is needed.
    pub(in crate::ops) fn acting(&self, actor: Option<HolderId>) -> Result<HolderId, Refusal> {
        self.hand(actor)?;
        actor.ok_or(Refusal::new(Cause::Unknown(Unknown::Actor)))
    }

    /// The hand of the holder that acts.
    pub(in crate::ops) fn hand(&self, actor: Option<HolderId>) -> Result<(u32, Spot), Refusal> {
        match actor {
            Some(holder) if self.has_holder(holder) => {
                Ok((holder.index, Spot { container: self.world.hand_of(holder.index), slot: 0 }))
            }
            Some(_) => Err(Refusal::new(Cause::Unknown(Unknown::Place))),
            None => Err(Refusal::new(Cause::Unknown(Unknown::Actor))),
        }
    }

    pub(in crate::ops) fn slot(&self, place: Place) -> Result<Spot, Refusal> {
        match place {
            Place::Slot(container, slot) => {
                let there = self.has_container(container) && slot < self.slots(container.index);
                if there {
                    Ok(Spot { container: container.index, slot })
                } else {
                    Err(Refusal::new(Cause::Unknown(Unknown::Place)))
                }
            }
            _ => Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace))),
        }
    }

    pub(in crate::ops) fn kind(&self, kind: KindId) -> Result<u32, Refusal> {
        if self.world.rules.has_kind(kind) { Ok(kind.0) } else { Err(Refusal::new(Cause::Unknown(Unknown::Kind))) }
    }
}
