//! The operations that a search tries in a state: between slots and stacks or, if the scope allows
//! it, whole containers and holders.
//!
//! Omitted operations are always refused, or a different operation has the same outcome:
//!
//! - a move, a merge or a pick-up onto an unlike stack or without room, a swap of two empty slots;
//! - of a stack that goes between slots, the exact number where `up to` gives the same;
//! - a swap with its sides exchanged;
//! - empty slots of a container whose slot order makes no difference, all but the first.
//!
//! The plain enumerator of the tests leaves nothing out, and the outcomes of both must be equal.

use smallvec::SmallVec;

use crate::explore::model::places::{Places, Source, has_door};
use crate::explore::model::scope::{Amounts, Scope};
use crate::id::{HolderId, KindId, RecipeId, StackId};
use crate::language::LiftAmount;
use crate::language::Verb;
use crate::language::{Amount, Landing, SortKey};
use crate::narrow;
use crate::ops::{Action, Operation};
use crate::ruleset::{ContainerDef, DealSide, Recipe};
use crate::world::{GROUND, Place, Spot, World};

/// An operation to try. Most are between slots, and become operations only when they are performed.
#[derive(Clone, Copy, Debug)]
pub(in crate::explore) enum Step {
    Move {
        from: Spot,
        to: Spot,
        amount: Amount,
    },
    Swap {
        one: Spot,
        other: Spot,
    },
    Drop {
        from: Spot,
        amount: Amount,
    },
    PickUp {
        landing: u32,
        to: Spot,
        amount: Amount,
    },
    /// By its number among the others.
    Other(u32),
}

/// Lists for one world; kept to reuse their memory.
#[derive(Debug, Default)]
pub(in crate::explore) struct Moves {
    pub(in crate::explore) steps: Vec<Step>,
    others: Vec<Operation>,
    places: Places,
}

impl Step {
    /// Its verb; `None` for the variant with its own operation.
    pub(in crate::explore) fn verb(self) -> Option<Verb> {
        match self {
            Step::Move { .. } => Some(Verb::Move),
            Step::Swap { .. } => Some(Verb::Swap),
            Step::Drop { .. } => Some(Verb::Drop),
            Step::PickUp { .. } => Some(Verb::PickUp),
            Step::Other(_) => None,
        }
    }

    /// The operation on a world; `None` for the variant with its own operation.
    pub(in crate::explore) fn operation(self, world: &World) -> Option<Operation> {
        let place = |spot: Spot| (world.container_id(spot.container), spot.slot);
        Some(match self {
            Step::Move { from, to, amount } => Operation::moving(amount, place(from), place(to)),
            Step::Swap { one, other } => Operation::swapping(place(one), place(other)),
            Step::Drop { from, amount } => Operation::dropping(amount, place(from), Landing::default()),
            Step::PickUp { landing, to, amount } => {
                let stack = StackId(world.cell(Spot { container: GROUND, slot: landing }).id);
                Operation::picking_up(amount, stack, place(to))
            }
            Step::Other(_) => return None,
        })
    }
}

impl Moves {
    /// One of them as an operation.
    pub(in crate::explore) fn operation(&self, world: &World, nth: usize) -> Option<Operation> {
        match *self.steps.get(nth)? {
            Step::Other(other) => self.others.get(other as usize).cloned(),
            step => step.operation(world),
        }
    }

    /// All of them as operations.
    pub(in crate::explore) fn operations<'m>(&'m self, world: &'m World) -> impl Iterator<Item = Operation> + 'm {
        (0..self.steps.len()).filter_map(|nth| self.operation(world, nth))
    }

    fn push(&mut self, operation: impl Into<Operation>) {
        self.steps.push(Step::Other(narrow::index(self.others.len())));
        self.others.push(operation.into());
    }

    /// Lets each of those who may perform them perform the operations that were listed last.
    fn perform_by<'p>(
        &mut self,
        world: &World,
        start: usize,
        performers: &'p [Option<HolderId>],
        who: impl Fn(&Operation) -> &'p [Option<HolderId>],
    ) {
        if performers == [None] {
            return;
        }
        let listed = self.steps.split_off(start);
        for step in listed {
            let operation = match step {
                Step::Other(other) => self.others.get(other as usize).cloned(),
                step => step.operation(world),
            };
            let Some(operation) = operation else { continue };
            match who(&operation) {
                [None] => self.steps.push(step),
                performers => {
                    performers.iter().for_each(|&actor| self.push(Operation { actor, ..operation.clone() }));
                }
            }
        }
    }
}

/// One, half and all of a stack, each once.
pub(in crate::explore) fn shares(count: u32) -> impl Iterator<Item = u32> {
    let half = count.div_ceil(2);
    [1, half, count]
        .into_iter()
        .enumerate()
        .filter(move |&(nth, share)| nth == 0 || share > [1, half][nth - 1])
        .map(|it| it.1)
}

/// The amounts of a stack to try, each once, given the number that the target's limits allow.
#[inline]
pub(in crate::explore) fn fitting_amounts(amounts: Amounts, count: u32, fits: u32, mut each: impl FnMut(Amount)) {
    if fits == 0 {
        return;
    }
    let fits = fits.min(count);
    if amounts == Amounts::Every {
        (1..=fits.min(count - 1)).for_each(|count| each(Amount::Exactly(count)));
    } else {
        let half = count.div_ceil(2);
        if 1 < fits {
            each(Amount::Exactly(1));
        }
        if 1 < half && half < fits {
            each(Amount::Exactly(half));
        }
    }
    each(if count == 1 { Amount::Exactly(1) } else { Amount::UpTo(count) });
}

impl Scope {
    /// All operations in their order.
    pub(in crate::explore) fn enumerate(&self, world: &World, moves: &mut Moves) {
        self.with_places(world, moves, |places, moves| {
            self.between_slots(world, places, moves);
            self.with_the_ground(world, places, moves);
            self.onto_itself(places, moves);
            let performers = self.performers();
            moves.perform_by(world, 0, &performers, |it| self.who_matters(world, it, &performers));
            self.others(world, places, moves);
        });
    }

    /// Those that are neither between slots nor between slots and ground.
    pub(in crate::explore) fn enumerate_others(&self, world: &World, moves: &mut Moves) {
        self.with_places(world, moves, |places, moves| self.others(world, places, moves));
    }

    /// Whether there may be such.
    pub(in crate::explore) fn has_others(&self) -> bool {
        let simple = [Verb::Move, Verb::Swap, Verb::Drop, Verb::PickUp];
        self.whole_places || self.hands || self.verbs.iter().any(|verb| !simple.contains(verb))
    }

    /// Clears the lists and finds the places.
    fn with_places(&self, world: &World, moves: &mut Moves, list: impl FnOnce(&Places, &mut Moves)) {
        moves.steps.clear();
        moves.others.clear();
        let mut places = std::mem::take(&mut moves.places);
        places.find(self, world);
        list(&places, moves);
        moves.places = places;
    }

    fn others(&self, world: &World, places: &Places, moves: &mut Moves) {
        let start = moves.steps.len();
        self.dividing(world, places, moves);
        if self.tries(Verb::Drop) {
            for (hand, cell) in places.hands() {
                self.each_amount(cell.count, |amount| {
                    moves.push(Operation::dropping(amount, hand, Landing::default()));
                });
            }
        }
        if self.whole_places {
            self.of_whole_places(world, places, moves);
        }
        self.order(places, moves);
        self.owners(world, places, moves);
        self.crafts(world, places, moves);
        self.cancels(world, places, moves);
        let performers = self.performers();
        moves.perform_by(world, start, &performers, |it| self.who_matters(world, it, &performers));
        self.waits(world, moves);
        let start = moves.steps.len();
        self.variants(world, places, moves);
        self.sizes(world, places, moves);
        self.coming_and_going(world, places, moves);
        let changers = self.changers();
        moves.perform_by(world, start, &changers, |it| self.whose_change_matters(world, it, &changers));
        for &actor in &self.actors {
            self.of_holder(world, actor, places, moves);
        }
    }

    /// Exactly one, half and all, or every number, and as many as fit: for operations of which none
    /// can be left out.
    fn each_amount(&self, count: u32, mut each: impl FnMut(Amount)) {
        match self.amounts {
            Amounts::Some => shares(count).for_each(|count| each(Amount::Exactly(count))),
            Amounts::Every => (1..=count).for_each(|count| each(Amount::Exactly(count))),
        }
        each(Amount::UpTo(count));
    }

    fn between_slots(&self, world: &World, places: &Places, moves: &mut Moves) {
        let (moving, swapping) = (self.tries(Verb::Move), self.tries(Verb::Swap));
        if !moving && !swapping {
            return;
        }
        for source in &places.sources {
            let (from, cell) = (source.spot(), source.cell);
            let limit = world.rules().figures[cell.kind as usize].stack_limit;
            for target in places.targets.iter().filter(|target| target.spot() != from) {
                let (to, there) = (target.spot(), target.cell);
                if moving && target.takes(cell) {
                    fitting_amounts(self.amounts, cell.count, target.fits(world, cell, limit), |amount| {
                        moves.steps.push(Step::Move { from, to, amount });
                    });
                }
                if swapping && (there.is_empty() || from < to) {
                    moves.steps.push(Step::Swap { one: from, other: to });
                }
            }
        }
    }

    /// Moves of a stack onto itself and swaps of a slot with itself: both are applied and change
    /// nothing.
    fn onto_itself(&self, places: &Places, moves: &mut Moves) {
        let (moving, swapping) = (self.tries(Verb::Move), self.tries(Verb::Swap));
        for from in places.sources.iter().map(Source::spot) {
            if moving {
                moves.steps.push(Step::Move { from, to: from, amount: Amount::All });
            }
            if swapping {
                moves.steps.push(Step::Swap { one: from, other: from });
            }
        }
    }

    fn with_the_ground(&self, world: &World, places: &Places, moves: &mut Moves) {
        if self.tries(Verb::Drop) {
            for source in &places.sources {
                fitting_amounts(self.amounts, source.cell.count, u32::MAX, |amount| {
                    moves.steps.push(Step::Drop { from: source.spot(), amount });
                });
            }
        }
        if self.tries(Verb::PickUp) {
            for (landed, cell) in world.stacks_of(GROUND) {
                let limit = world.rules().figures[cell.kind as usize].stack_limit;
                for target in places.targets.iter().filter(|target| target.takes(cell)) {
                    let to = target.spot();
                    fitting_amounts(self.amounts, cell.count, target.fits(world, cell, limit), |amount| {
                        moves.steps.push(Step::PickUp { landing: landed.slot, to, amount });
                    });
                }
            }
        }
    }

    /// Splits and merges between slots.
    fn dividing(&self, world: &World, places: &Places, moves: &mut Moves) {
        for source in &places.sources {
            let (at, cell) = (source.at(), source.cell);
            if self.tries(Verb::Split) && cell.count > 1 {
                let counts: Vec<u32> = match self.amounts {
                    Amounts::Some => {
                        shares(cell.count).filter(|count| *count < cell.count).chain([cell.count - 1]).collect()
                    }
                    Amounts::Every => (1..cell.count).collect(),
                };
                for target in places.targets.iter().filter(|target| target.cell.is_empty()) {
                    counts.iter().for_each(|&count| moves.push(Operation::splitting(count, at, target.at())));
                }
            }
            if self.tries(Verb::Merge) {
                let limit = world.rules().figures[cell.kind as usize].stack_limit;
                for target in places.targets.iter().filter(|target| target.cell.class == cell.class) {
                    if target.spot() == source.spot() {
                        moves.push(Operation::merging(Amount::All, at, at));
                        continue;
                    }
                    fitting_amounts(self.amounts, cell.count, target.fits(world, cell, limit), |amount| {
                        moves.push(Operation::merging(amount, at, target.at()));
                    });
                }
            }
        }
    }

    /// Marks and properties of stacks.
    fn variants(&self, world: &World, places: &Places, moves: &mut Moves) {
        for (at, cell) in places.stacks() {
            self.set.iter().for_each(|&mark| moves.push(Operation::marking(at, mark)));
            self.unset.iter().for_each(|&mark| moves.push(Operation::unmarking(at, mark)));
            let kind = world.rules().known_kind_at(cell.kind);
            let listed = self.values.iter().filter(|(property, _)| kind.property(*property).is_some());
            listed.for_each(|&(property, value)| moves.push(Operation::setting(at, property, value)));
        }
    }

    fn order(&self, places: &Places, moves: &mut Moves) {
        if self.tries(Verb::Sort) {
            let sorts = places.containers.iter().flat_map(|&at| SortKey::ALL.map(|by| Operation::sorting(at, by)));
            sorts.for_each(|sort| moves.push(sort));
        }
    }

    /// Every number of slots that a container may have; fewer with and without spilling the
    /// contents of those that go.
    fn sizes(&self, world: &World, places: &Places, moves: &mut Moves) {
        if !self.tries(Verb::Resize) {
            return;
        }
        for &at in &places.containers {
            let (min, max) = world.container_def(at).map_or((0, 0), ContainerDef::slot_bounds);
            let now = world.slots_of(at.index).len();
            for slots in min..=max {
                moves.push(Operation::resizing(at, slots));
                if (slots as usize) < now {
                    moves.push(Operation::resizing_with_spill(at, slots));
                }
            }
        }
    }

    fn coming_and_going(&self, world: &World, places: &Places, moves: &mut Moves) {
        for &(kind, max) in &self.created {
            let Some(more) = max.checked_sub(world.count(kind, None)).filter(|more| *more > 0) else { continue };
            let more = narrow::at_most(more);
            let mut create =
                |to: Place| self.each_amount(more, |amount| moves.push(Operation::creating(amount, kind, to)));
            let into = places.targets.iter().filter(|it| it.cell.is_empty() || it.cell.kind == kind.0);
            into.for_each(|target| create(target.at().into()));
            create(Place::Ground);
            self.actors.iter().filter(|_| self.hands).for_each(|&actor| create(Place::Hand(actor)));
            if self.whole_places {
                places.containers.iter().for_each(|&container| create(container.into()));
                self.actors.iter().for_each(|&actor| create(actor.into()));
            }
        }
        for (at, cell) in places.stacks() {
            let kind = world.rules().kind_id(cell.kind);
            if !self.consumed.contains(&kind) {
                continue;
            }
            self.each_amount(cell.count, |amount| moves.push(Operation::consuming(amount, kind, at)));
        }
        if self.whole_places && !self.consumed.is_empty() {
            self.each_of_whole_places(world, places, true, |from, kind, amount| {
                if self.consumed.contains(&kind) {
                    moves.push(Operation::consuming(amount, kind, from));
                }
            });
        }
    }

    /// Each kind that a container, a holder or the ground gives, with the amounts of it.
    fn each_of_whole_places(
        &self,
        world: &World,
        places: &Places,
        with_ground: bool,
        mut each: impl FnMut(Place, KindId, Amount),
    ) {
        let containers = places.containers.iter().map(|&container| Place::Container(container));
        let holders = self.actors.iter().map(|&actor| Place::Holder(actor));
        let ground = [Place::Ground].into_iter().filter(|_| with_ground);
        for place in containers.chain(holders).chain(ground) {
            let mut kinds: Vec<KindId> =
                world.all_stacks_in(Some(place)).iter().map(|stack| stack.kind().handle()).collect();
            kinds.sort_unstable();
            kinds.dedup();
            for kind in kinds {
                let count = narrow::at_most(world.count_within_reach(kind, Some(place)));
                self.each_amount(count, |amount| each(place, kind, amount));
            }
        }
    }

    /// Operations that name a whole container or holder, for a kind.
    fn of_whole_places(&self, world: &World, places: &Places, moves: &mut Moves) {
        let containers = || places.containers.iter().map(|&container| Place::Container(container));
        let targets = || places.targets.iter().map(|target| Place::from(target.at()));
        let holders = || self.actors.iter().map(|&actor| Place::Holder(actor));
        if self.tries(Verb::Move) {
            for source in &places.sources {
                for to in containers() {
                    self.each_amount(source.cell.count, |amount| {
                        moves.push(Operation::moving(amount, source.at(), to));
                    });
                }
            }
            self.each_of_whole_places(world, places, false, |from, kind, amount| {
                if matches!(from, Place::Container(_)) {
                    let to = targets().chain(containers());
                    to.for_each(|to| moves.push(Operation::moving(amount, from, to).only(kind)));
                }
            });
        }
        if self.tries(Verb::Split) {
            for source in places.sources.iter().filter(|source| source.cell.count > 1) {
                let most = source.cell.count - 1;
                for to in containers() {
                    self.each_amount(most, |amount| {
                        if let Amount::Exactly(count) = amount {
                            moves.push(Operation::splitting(count, source.at(), to));
                        }
                    });
                }
            }
        }
        if self.tries(Verb::Drop) {
            self.each_of_whole_places(world, places, false, |from, kind, amount| {
                moves.push(Operation::dropping(amount, from, Landing::default()).only(kind));
            });
        }
        if self.tries(Verb::PickUp) {
            let whole = || containers().chain(holders());
            for (stack, cell) in places.loose.iter().filter_map(|(place, cell)| match place {
                Place::OnGround(stack) => Some((*stack, cell)),
                _ => None,
            }) {
                for to in whole() {
                    self.each_amount(cell.count, |amount| moves.push(Operation::picking_up(amount, stack, to)));
                }
            }
            self.each_of_whole_places(world, places, true, |from, kind, amount| {
                if from == Place::Ground {
                    let to = targets().chain(whole());
                    to.for_each(|to| moves.push(Action::PickUp { amount, kind: Some(kind), from: None, to }));
                }
            });
        }
    }

    fn shortcuts(&self, world: &World, actor: HolderId, moves: &mut Moves) {
        let mut kinds: Vec<u32> =
            world.all_stacks_in(Some(actor.into())).iter().map(|stack| stack.kind().handle().0).collect();
        kinds.extend(world.hand(actor).map(|stack| stack.kind().handle().0));
        // The holder has what its containers work on, too.
        let in_work = world.containers_of(actor.index).iter().flat_map(|&container| world.work_cells(container));
        kinds.extend(in_work.filter(|cell| !cell.is_empty()).map(|cell| cell.kind));
        kinds.sort_unstable();
        kinds.dedup();
        for (shortcut, bound) in (0..).zip(world.shortcuts(actor)) {
            if self.tries(Verb::Bind) {
                kinds
                    .iter()
                    .for_each(|&kind| moves.push(Operation::binding(world.rules().kind_id(kind), actor, shortcut)));
            }
            if self.tries(Verb::Unbind) && bound.is_some() {
                moves.push(Operation::unbinding(actor, shortcut));
            }
        }
    }

    fn owners(&self, world: &World, places: &Places, moves: &mut Moves) {
        if !self.tries(Verb::Give) {
            return;
        }
        for &container in places.containers.iter().filter(|&&container| world.stands(container)) {
            for owner in world.holders().map(Some).chain([None]) {
                moves.push(Operation::giving(container, owner));
            }
        }
    }

    /// Recipes for which there are enough inputs.
    fn crafts(&self, world: &World, places: &Places, moves: &mut Moves) {
        if !self.tries(Verb::Craft) {
            return;
        }
        for &at in &places.containers {
            for (recipe, times) in world.craftable(at, None) {
                self.each_amount(narrow::at_most(times), |amount| {
                    push_each_yield(world, recipe, &Operation::crafting(amount, recipe, at), moves);
                });
            }
        }
    }

    fn cancels(&self, world: &World, places: &Places, moves: &mut Moves) {
        if !self.tries(Verb::Cancel) {
            return;
        }
        for &at in &places.containers {
            if let Some(job) = world.job(at) {
                moves.push(Operation::cancelling(job.recipe(), at));
            }
        }
    }

    /// Waits to the next tick at which something is due, and by one tick: what is due already is
    /// tried again by any wait, and without anything that is due a wait changes nothing but the clock.
    fn waits(&self, world: &World, moves: &mut Moves) {
        if !self.tries(Verb::Wait) {
            return;
        }
        let clock = world.clock();
        let next = world.ticks_to_due();
        let is_due = world.jobs_due().any(|(due, _)| due <= clock);
        let mut ticks: SmallVec<[u64; 2]> = next.into_iter().collect();
        if (is_due || self.each_tick && next.is_some()) && !ticks.contains(&1) {
            ticks.insert(0, 1);
        }
        ticks.into_iter().for_each(|ticks| moves.push(Operation::waiting(narrow::at_most(ticks))));
    }

    /// Recipes for which a holder has enough; it carries them out, or the game.
    fn own_crafts(&self, world: &World, holder: HolderId, moves: &mut Moves) {
        if !self.tries(Verb::Craft) {
            return;
        }
        let performers = [Some(Some(holder)), self.game_acts.then_some(None)];
        for actor in performers.into_iter().flatten() {
            for (recipe, times) in world.craftable(holder, actor) {
                self.each_amount(narrow::at_most(times), |amount| {
                    let operation = Operation { actor, ..Operation::crafting(amount, recipe, holder) };
                    push_each_yield(world, recipe, &operation, moves);
                });
            }
        }
    }

    /// Items that have a use, from each place.
    fn uses(&self, world: &World, actor: HolderId, places: &Places, moves: &mut Moves) {
        if !self.tries(Verb::Use) {
            return;
        }
        let has_use = |kind: KindId| world.rules().known_kind(kind).has_use();
        for (at, cell) in places.stacks() {
            let kind = world.rules().kind_id(cell.kind);
            if has_use(kind) {
                self.each_amount(cell.count, |amount| moves.push(Operation::using(amount, kind, at, actor)));
            }
        }
        if self.whole_places {
            self.each_of_whole_places(world, places, true, |from, kind, amount| {
                if has_use(kind) {
                    moves.push(Operation::using(amount, kind, from, actor));
                }
            });
        }
    }

    /// Deals for what there is, in whole lots.
    fn deals(&self, world: &World, (actor, side): (HolderId, DealSide), places: &Places, moves: &mut Moves) {
        let verb = if side == DealSide::Buy { Verb::Buy } else { Verb::Sell };
        if !self.tries(verb) || world.rules().deals().is_empty() {
            return;
        }
        for &at in places.containers.iter().filter(|&&container| world.stands(container)) {
            let from = if side == DealSide::Buy { Place::Container(at) } else { Place::Holder(actor) };
            let mut kinds: Vec<KindId> =
                world.all_stacks_in(Some(from)).iter().map(|stack| stack.kind().handle()).collect();
            kinds.sort_unstable();
            kinds.dedup();
            for kind in kinds {
                let Some((_, lot)) = world.rules().deal_for(side, kind, world.own_name(at.index)) else { continue };
                let lots = narrow::at_most(world.count_within_reach(kind, Some(from))) / lot.size;
                if lots == 0 {
                    continue;
                }
                self.each_amount(lots, |amount| {
                    let amount = match amount {
                        Amount::Exactly(lots) => Amount::Exactly(lots * lot.size),
                        Amount::UpTo(lots) => Amount::UpTo(lots * lot.size),
                        Amount::All => Amount::All,
                    };
                    moves.push(match side {
                        DealSide::Buy => Operation::buying(amount, kind, at, actor),
                        DealSide::Sell => Operation::selling(amount, kind, at, actor),
                    });
                });
            }
        }
    }

    fn of_holder(&self, world: &World, actor: HolderId, places: &Places, moves: &mut Moves) {
        self.own_crafts(world, actor, moves);
        self.uses(world, actor, places, moves);
        let is_worn = |source: &&Source| {
            let worn = world.container_def(source.container).is_some_and(ContainerDef::is_worn);
            worn && world.carrier(source.container) == Some(actor)
        };
        if self.tries(Verb::Equip) {
            for source in &places.sources {
                self.each_amount(source.cell.count, |amount| {
                    moves.push(Operation::equipping(amount, source.at(), actor));
                });
            }
        }
        if self.tries(Verb::Unequip) {
            let containers = places.containers.iter().map(|&container| Place::Container(container));
            let targets = places.targets.iter().map(|target| Place::from(target.at()));
            let to: Vec<Option<Place>> = [None]
                .into_iter()
                .chain(targets.map(Some))
                .chain(containers.map(Some).filter(|_| self.whole_places))
                .collect();
            for source in places.sources.iter().filter(is_worn) {
                for &to in &to {
                    self.each_amount(source.cell.count, |amount| {
                        let from = source.at().into();
                        moves.push(Operation { actor: Some(actor), action: Action::Unequip { amount, from, to } });
                    });
                }
            }
        }
        self.by_hand(world, actor, places, moves);
        if self.tries(Verb::Bind) || self.tries(Verb::Unbind) {
            self.shortcuts(world, actor, moves);
        }
        if self.tries(Verb::Leave) {
            moves.push(Operation::leaving(actor));
        }
        for side in [DealSide::Buy, DealSide::Sell] {
            self.deals(world, (actor, side), places, moves);
        }
        let of_containers = |verb: &Verb| Action::at_container(*verb, Place::Ground).is_some();
        let verbs: SmallVec<[Verb; 4]> = self.verbs.iter().copied().filter(of_containers).collect();
        for &container in &places.containers {
            for &verb in &verbs {
                let may_apply = match verb {
                    Verb::Open => has_door(world, container),
                    Verb::Close => has_door(world, container) && world.has_opened(actor, container),
                    _ => true,
                };
                let action = Action::at_container(verb, container.into()).filter(|_| may_apply);
                action.into_iter().for_each(|action| moves.push(Operation::from(action).by(actor)));
            }
        }
    }

    fn by_hand(&self, world: &World, actor: HolderId, places: &Places, moves: &mut Moves) {
        match world.hand(actor).map(crate::StackView::count) {
            None if self.tries(Verb::Lift) => {
                for source in &places.sources {
                    self.each_amount(source.cell.count, |amount| {
                        moves.push(Operation::lifting(LiftAmount::Amount(amount), source.at(), actor));
                    });
                }
            }
            Some(held) => {
                if self.tries(Verb::Put) {
                    let targets = places.targets.iter().map(|target| Place::from(target.at()));
                    let whole = places.containers.iter().map(|&at| Place::Container(at)).filter(|_| self.whole_places);
                    for to in targets.chain(whole) {
                        self.each_amount(held, |amount| moves.push(Operation::putting(amount, to, actor)));
                    }
                }
                if self.tries(Verb::Return) {
                    self.each_amount(held, |amount| moves.push(Operation::returning(amount, actor)));
                }
            }
            None => {}
        }
    }
}

/// An operation by a recipe with each yield that it may draw.
fn push_each_yield(world: &World, recipe: RecipeId, operation: &Operation, moves: &mut Moves) {
    let known = world.rules().recipe(recipe);
    for number in known.into_iter().flat_map(Recipe::yield_numbers) {
        let operation = operation.clone();
        moves.push(match number {
            Some(number) => operation.with_yield(number),
            None => operation,
        });
    }
}

/// The same operation with the number of items that moved instead of `up to` a number, where that
/// has the same outcome: a trace is easier to read so.
pub(in crate::explore) fn exactly(world: &World, operation: &Operation) -> Operation {
    let mut plain = operation.clone();
    let Some(amount) = plain.action.amount_mut() else { return plain };
    if !matches!(amount, Amount::UpTo(_) | Amount::All) {
        return plain;
    }
    let mut after = world.clone();
    let Ok(outcome) = after.perform(operation) else { return operation.clone() };
    let Ok(done) = u32::try_from(outcome.done()) else { return operation.clone() };
    *amount = Amount::Exactly(done);
    let mut exact = world.clone();
    let is_same = exact.perform(&plain).is_ok() && exact.snapshot() == after.snapshot();
    if is_same { plain } else { operation.clone() }
}
