//! Operations: how a request is planned and applied.
//!
//! ```text
//! NamedOperation ──resolve──▶ Operation ──plan(&World)──▶ Plan ──apply(&mut World)──▶ Outcome, events
//!                                            └─ or a Refusal; nothing has been touched
//! ```
//!
//! Each operation has its own file with one function of the same shape: it takes a
//! [`Draft`](draft::Draft), works out the new contents on it, and returns the number of items or
//! the [`Refusal`]. Shared parts are in [`carry`] (taking and placing stacks) and [`target`] (what
//! a target takes, and why not). A new operation is an entry in [`Action`], a file here, and a line
//! in [`plan`].

mod access;
mod allowed;
mod apply;
mod arrive;
mod ask;
mod automatic;
mod bind;
mod blocking;
mod cancel;
mod carry;
mod change;
mod close;
mod consume;
mod craft;
mod create;
mod deal;
mod depart;
mod deposit;
mod describe;
mod draft;
mod drop;
mod equip;
mod exchange;
mod falling;
mod fast_path;
mod fast_stock;
mod give;
mod leave;
mod lift;
mod limits;
mod lookahead;
mod mark;
mod merge;
mod moving;
mod name;
mod open;
mod operation;
mod pick_up;
mod plan;
mod put;
mod quote;
mod reasons;
mod refusal;
mod remedy;
mod resize;
mod resolve;
mod returning;
mod room;
mod set;
mod shortcuts;
mod slot_room;
mod sort;
mod split;
mod start;
mod swap;
mod target;
mod together;
mod trade;
mod unbind;
mod unequip;
mod unmark;
mod using;
mod variant;
mod wait;
mod working;

pub use apply::ApplyError;
pub use ask::Reply;
pub use operation::{Action, Handles, Offered, Operation, Variant};
pub use plan::Plan;
pub use quote::Quote;
pub use slot_room::SlotRoom;

pub use crate::snapshot::Outcome;
pub(crate) use limits::{Limit, Measure};
pub use refusal::{Cause, Reason, Refusal, Unknown};
pub use resolve::ResolveError;
pub use room::Room;
pub(crate) use start::start_faults;

use crate::id::HolderId;
use crate::ruleset::DealSide;
use crate::snapshot::Departure;
use crate::world::{Event, Place, Scratch, World};
use draft::Draft;

/// The result of an operation on its draft: the requested and the moved number.
#[derive(Clone, Copy, Debug)]
struct Done {
    requested: Option<u64>,
    count: u64,
}

type Planned = Result<Done, Refusal>;

/// Plans an operation that is not part of a list, or a step by its own actor or that of its list.
fn plan_on(draft: &mut Draft<'_>, operation: &Operation) -> Planned {
    let actor = operation.actor.or(draft.list_actor);
    draft.act_as(actor)?;
    let action = &operation.action;
    if let Some(unseen) = draft.why_unseen(action) {
        return Err(Refusal::new(unseen));
    }
    let (closed, not_allowed) = (draft.why_closed(actor, action), draft.why_not_allowed(action));
    let Some(first) = closed.or(not_allowed) else { return plan_action(draft, actor, action) };
    let (noted, mut out_of_reach) = (draft.take_noted(), draft.all_closed(actor, action));
    let planned = plan_action(draft, actor, action);
    let others = draft.take_noted();
    let reveals = |refusal: &Refusal| not_allowed.is_some() && draft.would_reveal(action, refusal);
    match planned {
        // Unsupported operations are reported before unreachable places.
        Err(refusal) if refusal.reason() < Reason::NotOpen && !reveals(&refusal) => return Err(refusal),
        // A holder that may not do it learns nothing else.
        Err(refusal) if not_allowed.is_none() => {
            draft.note_causes(others);
            draft.note_causes([refusal.cause()]);
        }
        // An operation that can be done in part is not refused.
        _ => {}
    }
    out_of_reach.extend(not_allowed);
    draft.note_first(noted);
    draft.note_causes(out_of_reach);
    Err(Refusal::new(first))
}

/// Plans an operation and its consequences.
fn plan_whole(draft: &mut Draft<'_>, operation: &Operation) -> Planned {
    let done = plan_on(draft, operation)?;
    draft.change_stacks();
    // A wait has looked at each tick.
    if !matches!(operation.action, Action::Wait { .. }) {
        draft.start_automatic();
    }
    draft.follow_up();
    Ok(done)
}

fn plan_action(draft: &mut Draft<'_>, actor: Option<HolderId>, action: &Action) -> Planned {
    match action {
        Action::Create { amount, kind, variant, to, landing } => {
            create::plan(draft, *amount, *kind, variant, *to, *landing)
        }
        Action::Consume { amount, kind, from } => consume::plan(draft, *amount, *kind, *from),
        Action::Move { amount, kind, from, to } => moving::plan(draft, *amount, *kind, *from, *to),
        Action::Split { count, from, to } => split::plan(draft, *count, *from, *to),
        Action::Merge { amount, from, onto } => merge::plan(draft, *amount, *from, *onto),
        Action::Swap { one, other } => swap::plan(draft, *one, *other),
        Action::Drop { amount, kind, from, landing } => drop::plan(draft, *amount, *kind, *from, *landing),
        Action::PickUp { amount, kind, from, to } => pick_up::plan(draft, *amount, *kind, *from, *to),
        Action::Lift { share, from } => lift::plan(draft, actor, *share, *from),
        Action::Put { amount, to } => put::plan(draft, actor, *amount, *to),
        Action::Return { amount } => returning::plan(draft, actor, *amount),
        Action::Deposit { into } => deposit::plan(draft, actor, *into),
        Action::Together { steps } => together::plan(draft, actor, steps),
        Action::Equip { amount, from } => equip::plan(draft, actor, *amount, *from),
        Action::Unequip { amount, from, to } => unequip::plan(draft, actor, *amount, *from, *to),
        Action::Mark { at, mark } => mark::plan(draft, *at, *mark),
        Action::Unmark { at, mark } => unmark::plan(draft, *at, *mark),
        Action::Sort { at, by } => sort::plan(draft, *at, *by),
        Action::Resize { at, slots, spill } => resize::plan(draft, *at, *slots, *spill),
        Action::Open { at } => open::plan(draft, actor, *at),
        Action::Close { at } => close::plan(draft, actor, *at),
        Action::Leave => leave::plan(draft, actor),
        Action::Buy { amount, kind, at } => deal::plan(draft, actor, DealSide::Buy, (*amount, *kind), *at),
        Action::Sell { amount, kind, at } => deal::plan(draft, actor, DealSide::Sell, (*amount, *kind), *at),
        Action::Use { amount, kind, from } => using::plan(draft, *amount, *kind, *from),
        Action::Craft { amount, recipe, at, yield_number } => {
            craft::plan(draft, *amount, (*recipe, *yield_number), *at)
        }
        Action::Cancel { recipe, at } => cancel::plan(draft, *recipe, *at),
        Action::Give { at, to } => give::plan(draft, *at, *to),
        Action::Bind { kind, at } => bind::plan(draft, *kind, *at),
        Action::Unbind { at } => unbind::plan(draft, *at),
        Action::Set { at, property, value } => set::plan(draft, *at, *property, *value),
        Action::Depart { .. } | Action::Arrive { .. } | Action::Trade { .. } | Action::Wait { .. }
            if actor.is_some() =>
        {
            Err(Refusal::new(Cause::Unknown(Unknown::GameOnly)))
        }
        Action::Wait { ticks } => wait::plan(draft, *ticks),
        Action::Trade { one, other } => trade::plan(draft, one, other),
        Action::Depart { who } => depart::plan(draft, *who),
        Action::Arrive { who } => arrive::plan(draft, who),
    }
}

impl World {
    /// Returns the result of an operation and changes nothing.
    ///
    /// # Errors
    /// The refusal that [`World::perform`] would give.
    pub fn plan(&self, operation: &Operation) -> Result<Plan, Refusal> {
        let mut draft = Draft::new(self, Box::default());
        let done = plan_whole(&mut draft, operation)?;
        let outcome = draft.outcome(done);
        let (scratch, next_stack) = draft.into_parts();
        Ok(Plan { moment: self.now.moment(), next_stack, scratch, outcome })
    }

    /// Returns the result of an operation without a plan: a dry run that costs no more than the
    /// operation.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind.stack_limit(6))
    ///     .container("depot", |depot| depot.slots(2))
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let (depot, flare) = (world.container("depot").unwrap(), world.rules().find_kind("flare").unwrap());
    /// let outcome = world.dry_run(&Operation::creating(Amount::UpTo(20), flare, depot)).unwrap();
    /// assert_eq!((outcome.done(), world.revision()), (12, 0));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    ///
    /// # Errors
    /// The refusal that [`World::perform`] would give.
    pub fn dry_run(&self, operation: &Operation) -> Result<Outcome, Refusal> {
        match self.weigh_fast(operation) {
            Some(outcome) => Ok(outcome),
            None => {
                let mut draft = Draft::new(self, self.spare.take());
                let planned = plan_whole(&mut draft, operation).map(|done| draft.outcome(done));
                self.spare.put_back(draft.into_parts().0);
                planned
            }
        }
    }

    fn carry_out_all(&mut self, mut scratch: Box<Scratch>, next_stack: u64) {
        for (key, class) in &scratch.overlay.new_classes {
            self.classes.enter(key, *class);
        }
        self.remember(&scratch.events);
        let mut arriving = scratch.overlay.arriving.iter();
        for event in &scratch.events {
            match event {
                Event::Departed { who, departure, .. } => {
                    scratch.departed.push(self.capture_departure(*who, *departure));
                    scratch.gone_packs.extend(self.packs_with(*who));
                    self.carry_out(event);
                }
                Event::Arrived { departure, .. } => {
                    arriving.next().into_iter().for_each(|arriving| self.bring_in(arriving, *departure));
                }
                event => self.carry_out(event),
            }
        }
        if let Some(random) = &scratch.overlay.random {
            self.random = random.clone();
        }
        self.next_stack = next_stack;
        self.revision += 1;
        self.now.pass();
        scratch.applied = true;
        self.scratch = Some(scratch);
        self.follow_ids();
    }

    /// Judges an operation and, unless it is refused, applies it.
    ///
    /// ```
    /// use hypotheke::{Action, Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("flare", |kind| kind.stack_limit(6))
    ///     .container("depot", |depot| depot.slots(4))
    ///     .container("sled", |sled| sled.slots(1))
    ///     .start("depot", ["8 flare"])
    ///     .build()?;
    /// let mut world = World::new(&rules.into());
    /// let (depot, sled) = (world.container("depot").unwrap(), world.container("sled").unwrap());
    ///
    /// let eight = Operation::moving(Amount::Exactly(8), depot, sled);
    /// let refusal = world.perform(&eight).unwrap_err();
    /// assert_eq!(refusal.max_amount(), 6);
    ///
    /// let outcome = world.perform(&Operation::moving(Amount::UpTo(8), depot, sled)).unwrap();
    /// assert_eq!((outcome.done(), outcome.requested()), (6, Some(8)));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    ///
    /// # Errors
    /// The reason of the refusal. The world is unchanged.
    pub fn perform(&mut self, operation: &Operation) -> Result<Outcome, Refusal> {
        self.perform_fast(operation)
    }

    /// The same, unless it would make more changes.
    pub(crate) fn perform_within(&mut self, operation: &Operation, most: u32) -> Result<Outcome, Refusal> {
        match &operation.action {
            // Between two slots there is one change.
            Action::Move { from: Place::Slot(..), to: Place::Slot(..), .. } | Action::Swap { .. } => {
                self.perform(operation)
            }
            _ => self.perform_on_draft_within(operation, most),
        }
    }

    fn perform_on_draft(&mut self, operation: &Operation) -> Result<Outcome, Refusal> {
        self.perform_on_draft_within(operation, u32::MAX)
    }

    // Not inlined, so that the fast path does not pay for its large frame.
    #[inline(never)]
    fn perform_on_draft_within(&mut self, operation: &Operation, most: u32) -> Result<Outcome, Refusal> {
        let scratch = self.scratch.take().unwrap_or_default();
        let mut draft = Draft::new(self, scratch);
        let planned = plan_whole(&mut draft, operation).and_then(|done| {
            let changes = draft.events().len() as u64;
            let is_within = changes <= u64::from(most);
            if is_within { Ok(done) } else { Err(Refusal::new(Cause::TooManyChanges { changes, max: most })) }
        });
        match planned {
            Ok(done) => {
                let outcome = draft.outcome(done);
                let (scratch, next_stack) = draft.into_parts();
                self.carry_out_all(scratch, next_stack);
                Ok(outcome)
            }
            Err(refusal) => {
                let (mut scratch, _) = draft.into_parts();
                scratch.events.clear();
                scratch.departed.clear();
                self.scratch = Some(scratch);
                Err(refusal)
            }
        }
    }

    /// Undoes the operation that led to a revision. The world is then exactly as if it had never
    /// been performed; its ids may be given again. Several can be undone in a row, the latest
    /// first.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder().kind("flare", |kind| kind).container("depot", |depot| depot.slots(2)).build()?;
    /// let mut world = World::new(&rules.into());
    /// world.set_undo_limit(10);
    /// let (depot, flare) = (world.container("depot").unwrap(), world.rules().find_kind("flare").unwrap());
    ///
    /// let outcome = world.perform(&Operation::creating(Amount::Exactly(2), flare, depot)).unwrap();
    /// world.undo(outcome.revision()).unwrap();
    /// assert_eq!((world.free_slots(depot), world.revision()), (2, 0));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    ///
    /// # Errors
    /// [`Cause::Stale`] if it is not the latest operation, or is beyond the undo limit.
    pub fn undo(&mut self, revision: u64) -> Result<(), Refusal> {
        if self.undo_latest(revision) { Ok(()) } else { Err(Refusal::new(Cause::Stale)) }
    }

    /// The transfer records of the latest operation, in order; none after a refusal. Keep them: a
    /// lost record is a lost holder or container.
    #[must_use]
    pub fn departed(&self) -> &[Departure] {
        self.scratch.as_ref().map_or(&[], |scratch| &scratch.departed)
    }

    /// What the latest operation changed, in order; nothing after a refusal.
    #[must_use]
    pub fn events(&self) -> &[Event] {
        self.scratch.as_ref().map_or(&[], |scratch| &scratch.events)
    }
}
