//! The scope of an exploration: the operations to try, and the parts left out.

use crate::explore::state::symmetry::Alike;
use crate::id::{ContainerId, HolderId, KindId, MarkId, PropertyId};
use crate::language::Amount;
use crate::language::{Effects, SlotOrder, Verb};
use crate::narrow;
use crate::ops::{Action, Operation, Outcome};
use crate::quantity::Decimal;
use crate::ruleset::DealSide;
use crate::world::{Place, World};

/// Faults between operations, at any step of a walk and in every state of a search.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(in crate::explore) enum Fault {
    /// The world is saved and loaded.
    SaveThenLoad,
    /// A holder leaves with something in its hand, and comes back.
    Leave,
}

/// The amounts of a stack to try.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(in crate::explore) enum Amounts {
    /// One, half rounded up, all, and as many as fit.
    #[default]
    Some,
    /// Every number of items, and as many as fit.
    Every,
}

/// The operations to try.
#[derive(Clone, Debug, Default)]
pub(in crate::explore) struct Scope {
    pub(in crate::explore) faults: Vec<Fault>,
    /// In the order of [`Verb::ALL`].
    pub(in crate::explore) verbs: Vec<Verb>,
    /// Whether the verbs were named; if not, there is no bound to what a comparison tries.
    pub(in crate::explore) has_verbs: bool,
    /// The containers and the actors, where they were named: what departs and comes back has a
    /// different handle.
    pub(in crate::explore) container_names: Option<Vec<String>>,
    pub(in crate::explore) actor_names: Option<Vec<String>>,
    /// The holders that act.
    pub(in crate::explore) actors: Vec<HolderId>,
    /// Whether the game itself does what holders do: everything is open to it.
    pub(in crate::explore) game_acts: bool,
    /// A container of the ruleset must be opened or is exclusive, so that it matters who acts.
    pub(in crate::explore) has_doors: bool,
    /// Whether it matters who acts.
    pub(in crate::explore) actors_matter: bool,
    /// Each actor tries what it may, also what another may too.
    pub(in crate::explore) each_actor: bool,
    /// Operations name whole containers and holders too.
    pub(in crate::explore) whole_places: bool,
    /// Operations name the hands of actors.
    pub(in crate::explore) hands: bool,
    pub(in crate::explore) amounts: Amounts,
    /// The search waits for single ticks, and not only until the next tick at which something is due.
    pub(in crate::explore) each_tick: bool,
    pub(in crate::explore) containers: Vec<ContainerId>,
    /// Marks that stacks get and lose.
    pub(in crate::explore) set: Vec<MarkId>,
    pub(in crate::explore) unset: Vec<MarkId>,
    /// Properties and the values that they get.
    pub(in crate::explore) values: Vec<(PropertyId, Decimal)>,
    /// Kinds of which items come into the world, and how many of each there may be.
    pub(in crate::explore) created: Vec<(KindId, u64)>,
    pub(in crate::explore) consumed: Vec<KindId>,
    /// The world that it starts from is over a limit already, and nothing has to bring that in
    /// order.
    pub(in crate::explore) starts_over_limits: bool,
    /// A claim names a stack by its id, so that ids are a part of the state.
    pub(in crate::explore) has_ids: bool,
    /// The use of a kind lowers a property of its items.
    pub(in crate::explore) lowers: bool,
    /// A property falls with time.
    pub(in crate::explore) falls: bool,
    /// A recipe starts as soon as it has its inputs, whatever the operation.
    pub(in crate::explore) starts: bool,
    /// The containers with interchangeable slots; `None` if symmetry reduction is off.
    pub(in crate::explore) alike: Alike,
}

impl Scope {
    pub(in crate::explore) fn tries(&self, verb: Verb) -> bool {
        self.verbs.contains(&verb)
    }

    /// What the verbs read and write.
    pub(in crate::explore) fn effects(&self) -> impl Iterator<Item = Effects> + '_ {
        // It takes its inputs in slot order, and a container works from then on.
        let starts = self.starts.then_some(Effects { slot_order: SlotOrder::Any, ..Verb::Cancel.effects() });
        let of_verbs = self.verbs.iter().map(|verb| match verb.effects() {
            // Where nothing stays that is used, a use changes no stack, and no wait does where nothing
            // falls.
            effects if *verb == Verb::Use && !self.lowers || *verb == Verb::Wait && !self.falls => {
                Effects { variants: false, lands: false, ..effects }
            }
            effects => effects,
        });
        of_verbs.chain(starts)
    }

    /// Completes derived settings: whether hands take part.
    pub(in crate::explore) fn complete(mut self, world: &World) -> Scope {
        self.falls = !world.rules().falling().is_empty();
        self.starts = world.rules().has_automatic;
        self.lowers = world.rules().kinds().any(|kind| !kind.lowered().is_empty());
        for (verb, is_tried) in [
            (Verb::Mark, !self.set.is_empty()),
            (Verb::Unmark, !self.unset.is_empty()),
            (Verb::Create, !self.created.is_empty()),
            (Verb::Consume, !self.consumed.is_empty()),
            (Verb::Set, !self.values.is_empty()),
            (Verb::Wait, self.each_tick),
        ] {
            if is_tried {
                self.verbs.push(verb);
            }
        }
        self.verbs.sort_unstable();
        self.verbs.dedup();
        let held = world.holders().any(|holder| world.hand(holder).is_some());
        self.hands = held || self.effects().any(|effects| effects.hand);
        self.starts_over_limits =
            crate::audit(world.rules(), &world.snapshot()).iter().any(|found| found.law().is_limit());
        self
    }

    /// Whether handles may change when an operation is applied.
    pub(in crate::explore) fn changes_handles(&self) -> bool {
        !self.faults.is_empty() || self.tries(Verb::Depart) || self.tries(Verb::Arrive)
    }

    pub(in crate::explore) fn is_symmetric(&self, world: &World, container: u32) -> bool {
        self.alike.is_symmetric(world, container)
    }

    /// Whether a world breaks a law. A mark may make a stack unfit where it is, so that it is over
    /// a limit, and so may the start; nothing else may.
    pub(in crate::explore) fn is_against_the_laws(&self, world: &World) -> bool {
        let may_be_over = self.starts_over_limits || self.effects().any(|effects| effects.variants);
        crate::audit(world.rules(), &world.snapshot()).iter().any(|found| !may_be_over || !found.law().is_limit())
    }

    /// Who performs operations that holders and the game perform alike. The game alone stands for
    /// everybody where nothing has to be opened and nothing is kept from anyone: who acts makes no
    /// difference then.
    pub(in crate::explore) fn performers(&self) -> Vec<Option<HolderId>> {
        if !self.actors_matter {
            return vec![None];
        }
        let holders = self.actors.iter().copied().map(Some);
        self.game_acts.then_some(None).into_iter().chain(holders).collect()
    }

    /// Of some who may perform an operation, those of whom it may matter which one does. For what
    /// everybody may do the game stands for all. Else if one of them may do everything with the
    /// places, the others can do no more.
    pub(in crate::explore) fn who_matters<'p>(
        &self,
        world: &World,
        operation: &Operation,
        performers: &'p [Option<HolderId>],
    ) -> &'p [Option<HolderId>] {
        // Only the owner and the game may give a container away, even if it is for anyone, and a recipe
        // says itself who may.
        if matches!(operation.action.verb(), Verb::Give | Verb::Craft | Verb::Cancel) {
            return performers;
        }
        let reduced = self.whose_change_matters(world, operation, performers);
        if self.has_doors || self.each_actor || reduced.len() == 1 {
            return reduced;
        }
        let may_all = |actor: Option<HolderId>, place: &Place| match place {
            Place::Slot(id, _) | Place::Container(id) => world.may_all(actor, id.index),
            Place::Ground | Place::OnGround(_) => true,
            Place::Holder(_) | Place::Hand(_) | Place::Shortcut(..) => false,
        };
        let (from, to) = operation.action.sides();
        let one = performers.iter().position(|&actor| from.into_iter().chain(to).all(|place| may_all(actor, place)));
        one.map_or(performers, |one| &performers[one..=one])
    }

    /// The same for changes of the game, which may differ in what leaves a place because of them.
    pub(in crate::explore) fn whose_change_matters<'p>(
        &self,
        world: &World,
        operation: &Operation,
        changers: &'p [Option<HolderId>],
    ) -> &'p [Option<HolderId>] {
        let is_for_everyone = |place: &Place| match place {
            Place::Slot(id, _) | Place::Container(id) => world.is_for_everyone(id.index),
            Place::Ground | Place::OnGround(_) => true,
            Place::Holder(_) | Place::Hand(_) | Place::Shortcut(..) => false,
        };
        let (from, to) = operation.action.sides();
        let all = !self.has_doors && from.into_iter().chain(to).all(is_for_everyone);
        if all { &[None] } else { changers }
    }

    /// Whether what the game does between the slots of the scope's containers is what those who act
    /// can do there.
    pub(in crate::explore) fn game_stands_for_all(&self, world: &World) -> bool {
        let may_all = |actor: &HolderId| self.containers.iter().all(|it| world.may_all(Some(*actor), it.index));
        !self.actors_matter || !self.has_doors && (self.game_acts || self.actors.iter().any(may_all))
    }

    /// The actor of the game's changes: create, consume, marks, properties and sizes.
    pub(in crate::explore) fn changers(&self) -> Vec<Option<HolderId>> {
        let holders = self.actors.iter().copied().map(Some).filter(|_| self.actors_matter);
        [None].into_iter().chain(holders).collect()
    }

    /// Whether a search of this scope tries an operation with such places and such an amount, or
    /// one with the same outcome. Of a stack on the ground it may be left out which one it is.
    pub(in crate::explore) fn tries_form(&self, world: &World, operation: &Operation) -> bool {
        self.tries_places(operation) && self.tries_amount(world, operation)
    }

    fn tries_places(&self, operation: &Operation) -> bool {
        let has_amount = operation.action.amount().is_some() || matches!(operation.action, Action::Split { .. });
        if !has_amount || matches!(operation.action, Action::Buy { .. } | Action::Sell { .. } | Action::Craft { .. }) {
            return true;
        }
        let (from, to) = operation.action.sides();
        [from, to].into_iter().flatten().all(|place| match place {
            Place::Container(_) | Place::Holder(_) => self.whole_places,
            Place::Hand(_) => self.hands,
            _ => true,
        })
    }

    /// Whether a search of this scope tries an operation with such an amount, or one with the same
    /// outcome.
    fn tries_amount(&self, world: &World, operation: &Operation) -> bool {
        if let Action::Split { count, from, .. } = &operation.action {
            let there = count_in(world, *from, None);
            let edges = [1, there.div_ceil(2), there.saturating_sub(1), there.saturating_sub(1).div_ceil(2)];
            return self.amounts == Amounts::Every || edges.contains(&u64::from(*count));
        }
        if operation.action.amount().is_none() {
            return true;
        }
        let from = match &operation.action {
            Action::Create { .. } => None,
            Action::Return { .. } => operation.actor.map(Place::Hand),
            _ => operation.ends().0,
        };
        let kind = operation.action.kind().copied();
        let all = match (from, kind) {
            _ if let &Action::Craft { recipe, at, .. } = &operation.action => {
                world.supplies(recipe, at, operation.actor)
            }
            (Some(from), kind) => count_in(world, from, kind),
            (None, Some(kind)) => {
                let bound = self.created.iter().find(|(created, _)| *created == kind);
                bound.map_or(0, |(_, max)| max.saturating_sub(world.count(kind, None)))
            }
            (None, None) => return true,
        };
        // Deals are made in lots.
        let size = match &operation.action {
            Action::Buy { kind, at, .. } => lot_size(world, DealSide::Buy, *kind, *at),
            Action::Sell { kind, at, .. } => lot_size(world, DealSide::Sell, *kind, *at),
            _ => 1,
        };
        let all = all / size * size;
        let done = |operation: &Operation| world.clone().perform(operation).map(Outcome::done).ok();
        let Some(count) = done(operation) else { return true };
        let is_edge = [size, (all / size).div_ceil(2) * size, all].contains(&count);
        let as_many_as_fit = || {
            let most = Amount::UpTo(narrow::at_most(all));
            let mut up_to = operation.clone();
            up_to.action.amount_mut().into_iter().for_each(|amount| *amount = most);
            done(&up_to) == Some(count)
        };
        count <= all && (self.amounts == Amounts::Every || is_edge || as_many_as_fit())
    }
}

/// The number of items of a kind in one lot of the deal for it; 1 without a deal.
pub(in crate::explore) fn lot_size(world: &World, side: DealSide, kind: KindId, at: Place) -> u64 {
    let Place::Container(at) = at else { return 1 };
    let deal = world.rules().deal_for(side, kind, world.own_name(at.index));
    deal.map_or(1, |(_, lot)| u64::from(lot.size))
}

/// How many items a place gives, of a kind or of all.
fn count_in(world: &World, place: Place, kind: Option<KindId>) -> u64 {
    match kind {
        Some(kind) => world.count_within_reach(kind, Some(place)),
        None => world.stacks_in(Some(place)).iter().map(|stack| u64::from(stack.count())).sum(),
    }
}
