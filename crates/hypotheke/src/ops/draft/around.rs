//! The surroundings of a place: packs, their containers, and holders.

use super::Draft;
use crate::world::{GROUND, Spot};

impl Draft<'_> {
    #[inline]
    pub(in crate::ops) fn parent(&self, container: u32) -> Spot {
        if self.settled > 0
            && let Some((_, parent)) = self.scratch.overlay.parents.iter().find(|(inner, _)| *inner == container)
        {
            return *parent;
        }
        self.state(container).parent
    }

    /// The container of the pack that this one is the inside of.
    #[inline]
    pub(in crate::ops) fn around(&self, container: u32) -> Option<u32> {
        if self.world.is_lasting(container) {
            return None;
        }
        let around = self.parent(container).container;
        (around != GROUND && around != Spot::NOWHERE.container).then_some(around)
    }

    /// A container and those around it, from the inside out.
    pub(in crate::ops) fn containers_around(&self, container: Option<u32>) -> impl Iterator<Item = u32> {
        std::iter::successors(container, |&at| self.around(at))
    }

    /// Whether a container is a given one, or inside it at any depth.
    #[inline]
    pub(in crate::ops) fn is_within(&self, container: u32, other: u32) -> bool {
        let mut at = container;
        while at != other {
            match self.around(at) {
                Some(around) => at = around,
                None => return false,
            }
        }
        true
    }

    /// The outermost container around one.
    #[inline]
    pub(in crate::ops) fn outermost(&self, container: u32) -> u32 {
        let mut at = container;
        while let Some(around) = self.around(at) {
            at = around;
        }
        at
    }

    #[inline]
    pub(in crate::ops) fn holder_of(&self, container: u32) -> Option<u32> {
        let holder = self.state(self.outermost(container)).holder;
        (holder != u32::MAX).then_some(holder)
    }

    /// Whether a container is the ground, or on it.
    #[inline]
    pub(in crate::ops) fn is_on_ground(&self, container: u32) -> bool {
        if self.world.is_lasting(container) {
            return container == GROUND;
        }
        container == GROUND || self.parent(self.outermost(container)).is_ground()
    }

    /// The number of packs around a container.
    pub(in crate::ops) fn depth(&self, container: u32) -> u32 {
        let mut depth = 0;
        let mut at = container;
        while self.parent(at) != Spot::NOWHERE {
            depth += 1;
            at = self.parent(at).container;
        }
        depth
    }

    /// How deep packs nest in a container that is inside of one, that one counted.
    pub(in crate::ops) fn height(&self, container: u32) -> u32 {
        let inside = self.cells_in(container).filter(|cell| cell.is_pack());
        1 + inside.map(|cell| self.height(cell.inner)).max().unwrap_or(0)
    }
}
