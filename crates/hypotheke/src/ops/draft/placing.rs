//! How things are placed: beginning anew with each operation of a list.

use super::super::allowed::Edge;
use super::super::refusal::{Cause, Refusal};
use super::Draft;
use super::transit::Floors;
use crate::language::{Landing, Position};
use crate::quantity::Decimal;
use crate::ruleset::Right;
use crate::world::Spot;

/// The stacks that items may be placed onto.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(in crate::ops) enum Onto {
    /// Alike stacks, then empty slots.
    #[default]
    Any,
    /// Alike stacks only.
    Alike,
    /// One empty slot, the first.
    OneEmpty,
}

/// How one operation places things. The next one begins with the default.
#[derive(Debug, Default)]
pub(super) struct Placing {
    /// The position of stacks that are placed on the ground.
    pub(super) landing: Landing,
    pub(super) onto: Onto,
    /// Items return to their origin: `put-by` does not apply.
    pub(super) going_back: bool,
    /// A slot that takes no more items.
    pub(super) passed_over: Option<Spot>,
    /// Caps are checked at the end, not now.
    pub(super) caps_later: bool,
    /// `nobody` in `put-by` and `take-by` does not count.
    pub(super) passes_nobody: bool,
    /// What limited containers and holders had before an exchange.
    pub(super) floors: Option<Floors>,
    /// A container that will have this number of slots.
    pub(super) shrinking: Option<(u32, u32)>,
}

impl Draft<'_> {
    /// Sets the position of stacks that are placed on the ground.
    /// What lands from now on lands there.
    pub(in crate::ops) fn be_landing_at(&mut self, at: Position) {
        self.placing.landing = Landing { at, within: None };
    }

    pub(in crate::ops) fn land_at(&mut self, landing: Landing) -> Result<(), Refusal> {
        if landing.within.is_some_and(Decimal::is_negative) {
            return Err(Refusal::new(Cause::BadAmount));
        }
        self.placing.landing = landing;
        Ok(())
    }

    /// Sets the stacks that items may be placed onto.
    pub(in crate::ops) fn lay_onto(&mut self, onto: Onto) {
        self.placing.onto = onto;
    }

    /// Sets whether items return to their origin.
    pub(in crate::ops) fn go_back(&mut self, going_back: bool) {
        self.placing.going_back = going_back;
    }

    /// Lays nothing more into a slot.
    pub(in crate::ops) fn pass_over(&mut self, spot: Spot) {
        self.placing.passed_over = Some(spot);
    }

    #[inline]
    pub(in crate::ops) fn is_passed_over(&self, spot: Spot) -> bool {
        self.placing.passed_over == Some(spot)
    }

    /// The slots that a container loses take no more items.
    pub(in crate::ops) fn shrink_to(&mut self, container: u32, slots: u32) {
        self.placing.shrinking = Some((container, slots));
    }

    pub(in crate::ops) fn end_shrinking(&mut self) {
        self.placing.shrinking = None;
    }

    /// Whether a border lets stacks in that the actor puts there.
    #[inline]
    pub(in crate::ops) fn may_put(&self, edge: Edge) -> bool {
        self.placing.going_back || self.bar_at(Right::Put, edge).is_none()
    }

    #[inline]
    pub(in crate::ops) fn onto(&self) -> Onto {
        self.placing.onto
    }
}
