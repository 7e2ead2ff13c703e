//! The world of a draft: pending changes on top of the present world.
//!
//! [`pending`] applies changes, [`reading`] and [`around`] read the result, [`lookup`] finds the
//! named places, [`changing`] works out more changes; [`placing`] decides how, and [`noted`]
//! records reasons.

mod around;
mod changing;
mod lookup;
mod noted;
mod pending;
mod placing;
mod reading;
mod transit;

pub(super) use pending::DraftPoint;
pub(super) use placing::Onto;
use placing::Placing;
pub(super) use transit::Floors;

use super::Done;
use super::refusal::{Cause, Refusal, Unknown};
use crate::id::{HolderId, KindId};
use crate::ruleset::{PutMode, Ruleset};
use crate::snapshot::Outcome;
use crate::world::{Cell, DepartingEntity, Event, GROUND, Scratch, World};

/// The maximum number of stacks on the ground: a request must not fill the memory.
pub(super) const MAX_ON_GROUND: usize = 1 << 20;

/// Items of one class that are being placed.
#[derive(Clone, Copy, Debug)]
pub(super) struct Item {
    pub(super) kind: u32,
    pub(super) class: u32,
    /// The weight of one item with its contents, in thousandths.
    pub(super) weight: i64,
    /// The container inside, if it is a pack that is there already.
    pub(super) inner: u32,
}

impl Item {
    /// A new item that is no pack.
    pub(super) fn of_class(kind: KindId, class: u32, rules: &Ruleset) -> Item {
        Item { kind: kind.0, class, weight: rules.figures[kind.index()].weight, inner: GROUND }
    }

    /// True if it is a pack that is there already, and so may have something inside.
    pub(super) fn is_pack(self) -> bool {
        self.inner != GROUND
    }

    /// Whether a stack is one that it could be merged onto.
    #[inline]
    pub(super) fn can_stack_with(self, there: Cell) -> bool {
        !there.is_empty() && !there.is_pack() && there.class == self.class
    }
}

pub(super) struct Draft<'w> {
    pub(super) world: &'w World,
    scratch: Box<Scratch>,
    next_stack: u64,
    next_landing: u32,
    /// The number of events that are applied as pending cells. Most operations need no pending
    /// cells.
    settled: usize,
    /// Events other than those of stacks have been worked out.
    others: bool,
    /// A container has changed its number of slots.
    resized: bool,
    placing: Placing,
    /// The number of atomic operations around this one.
    pub(super) nested_lists: u32,
    /// The actor of the list around, whose steps it is too.
    pub(super) list_actor: Option<HolderId>,
    /// The acting holder; `None` for the game.
    pub(super) actor: Option<u32>,
    /// The mode by which the item of a hand was put.
    pub(super) put_mode: Option<PutMode>,
    /// The departed entities, and the total weight change by departures and arrivals.
    left: Vec<DepartingEntity>,
    travelled: i64,
    /// The departing items of the kinds with `most-in-world`.
    pub(super) limited_departed: Vec<(u32, u32)>,
    /// Every reason why no more would move, if all are wanted.
    causes: Option<Vec<Cause>>,
}

impl<'w> Draft<'w> {
    pub(super) fn new(world: &'w World, mut scratch: Box<Scratch>) -> Draft<'w> {
        scratch.clear();
        Draft {
            world,
            scratch,
            next_stack: world.next_stack,
            next_landing: world.ground.next_landing,
            settled: 0,
            others: false,
            resized: false,
            placing: Placing::default(),
            nested_lists: 0,
            list_actor: None,
            actor: None,
            put_mode: None,
            left: Vec::new(),
            travelled: 0,
            limited_departed: Vec::new(),
            causes: None,
        }
    }

    #[inline]
    pub(super) fn outcome(&self, done: Done) -> Outcome {
        Outcome {
            requested: done.requested,
            done: done.count,
            changed: !self.scratch.events.is_empty(),
            revision: self.world.revision + 1,
            put_mode: self.put_mode,
        }
    }

    /// Who acts from now on.
    #[inline]
    pub(super) fn act_as(&mut self, actor: Option<HolderId>) -> Result<(), Refusal> {
        if actor.is_some_and(|holder| !self.has_holder(holder)) {
            return Err(Refusal::new(Cause::Unknown(Unknown::Place)));
        }
        self.actor = actor.map(|holder| holder.index);
        Ok(())
    }

    /// Whether it has changes other than those of stacks.
    #[inline]
    pub(super) fn has_other_events(&self) -> bool {
        self.others
    }

    /// Consequences of the changes: depleted shortcuts, removed containers.
    #[inline]
    pub(super) fn follow_up(&mut self) {
        if self.world.bound() > 0 || self.others {
            self.clear_depleted_shortcuts_of(None);
        }
        if self.world.opened().next().is_some() || self.others {
            self.close_what_has_gone();
        }
    }

    #[inline]
    pub(super) fn events(&self) -> &[Event] {
        &self.scratch.events
    }

    pub(super) fn push(&mut self, event: Event) {
        self.others = true;
        self.resized |= matches!(event, Event::Resized { .. });
        self.scratch.events.push(event);
    }

    /// The buffers with the changes, and the serial number of the next stack.
    #[inline]
    pub(super) fn into_parts(self) -> (Box<Scratch>, u64) {
        (self.scratch, self.next_stack)
    }

    /// The next operation works on the result of the previous ones.
    pub(super) fn begin_step(&mut self) {
        self.settle();
        self.placing = Placing::default();
        self.put_mode = None;
    }

    /// An exact operation in an atomic one must keep caps at the end, not on its own.
    #[inline]
    pub(super) fn be_exact(&mut self, exact: bool) {
        self.placing.caps_later = exact && self.nested_lists > 0;
    }

    #[inline]
    pub(super) fn checks_caps_later(&self) -> bool {
        self.placing.caps_later
    }
}
