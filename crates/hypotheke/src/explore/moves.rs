//! What may be played next: operations that name a slot or a stack each, so that every world has a list of them that is in order.

use crate::id::{ContainerId, HolderId, KindId, MarkId, StackId};
use crate::language::{Amount, Landing, SortKey};
use crate::ops::{Operation, Share};
use crate::ruleset::ContainerDef;
use crate::world::{Cell, GROUND, Spot, World};

/// What holders do, or the game itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Verb {
    /// One, half or all of a stack goes to another slot, empty or with its like.
    Move,
    /// Two stacks that are not alike change places.
    Swap,
    /// One, half or all of a stack goes to the ground.
    Drop,
    /// One, half or all of a stack on the ground goes to a slot.
    PickUp,
    /// A stack is worn.
    Equip,
    /// What is worn is taken off.
    Unequip,
    /// One, half or all of a stack goes into the hand.
    Lift,
    /// One or all of what is in the hand goes to a slot.
    Put,
    /// What is in the hand goes back.
    Return,
    /// A container is opened.
    Open,
    /// A container is closed.
    Close,
    /// A container is sorted.
    Sort,
    /// A shortcut is pointed at a kind.
    Bind,
    /// A shortcut is cleared.
    Unbind,
    /// Whatever a holder has opened is closed.
    Leave,
    /// Some of a stack goes to an empty slot. Walks play it, a search plays the move that does the same.
    Split,
    /// A stack goes onto an alike one. Walks play it, a search plays the move that does the same.
    Merge,
    /// A container gets more or fewer slots.
    Resize,
    /// A stack gets another value of a property. Played by walks only, as all that follow.
    Set,
    /// Several operations as one.
    Together,
    /// A container or a holder leaves the world with all that it has.
    Depart,
    /// What has departed comes back.
    Arrive,
}

impl Verb {
    /// All of them, in the order in which they are tried.
    pub const ALL: [Verb; 22] = [
        Verb::Move,
        Verb::Swap,
        Verb::Drop,
        Verb::PickUp,
        Verb::Equip,
        Verb::Unequip,
        Verb::Lift,
        Verb::Put,
        Verb::Return,
        Verb::Open,
        Verb::Close,
        Verb::Sort,
        Verb::Bind,
        Verb::Unbind,
        Verb::Leave,
        Verb::Split,
        Verb::Merge,
        Verb::Resize,
        Verb::Set,
        Verb::Together,
        Verb::Depart,
        Verb::Arrive,
    ];

    /// As it is written.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Verb::Move => "move",
            Verb::Swap => "swap",
            Verb::Drop => "drop",
            Verb::PickUp => "pick-up",
            Verb::Equip => "equip",
            Verb::Unequip => "unequip",
            Verb::Lift => "lift",
            Verb::Put => "put",
            Verb::Return => "return",
            Verb::Open => "open",
            Verb::Close => "close",
            Verb::Sort => "sort",
            Verb::Bind => "bind",
            Verb::Unbind => "unbind",
            Verb::Leave => "leave",
            Verb::Split => "split",
            Verb::Merge => "merge",
            Verb::Resize => "resize",
            Verb::Set => "set",
            Verb::Together => "together",
            Verb::Depart => "depart",
            Verb::Arrive => "arrive",
        }
    }
}

/// What goes wrong in between, at any step of a walk and at every world of a search.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Fault {
    /// The world is written down and read back.
    SaveThenLoad,
    /// A holder leaves with something in its hand, and comes back.
    Leave,
}

/// What is played.
#[derive(Clone, Debug, Default)]
pub(super) struct Plan {
    pub(super) faults: Vec<Fault>,
    pub(super) verbs: Vec<Verb>,
    /// Whether the verbs were named; else there is no bound to what a comparison plays.
    pub(super) has_verbs: bool,
    /// The containers and the actors, where they were named: what departs and comes back has another handle.
    pub(super) container_names: Option<Vec<String>>,
    pub(super) actor_names: Option<Vec<String>>,
    /// Who acts where that matters; nobody if the game itself does.
    pub(super) actors: Vec<HolderId>,
    /// Somebody has to have opened something somewhere, so that it matters who acts.
    pub(super) has_doors: bool,
    pub(super) containers: Vec<ContainerId>,
    /// Marks that stacks get and lose.
    pub(super) set: Vec<MarkId>,
    pub(super) unset: Vec<MarkId>,
    /// Kinds of which items come into the world, and of how many in all.
    pub(super) created: Vec<(KindId, u64)>,
    pub(super) consumed: Vec<KindId>,
    /// By the numbers of containers: nothing can tell its slots apart.
    pub(super) alike: Vec<bool>,
    /// The same of the insides of packs.
    pub(super) packs_alike: bool,
}

/// A taken slot.
#[derive(Clone, Copy, Debug)]
pub(super) struct Source {
    pub(super) container: ContainerId,
    pub(super) slot: u32,
    pub(super) cell: Cell,
}

/// Something that can be played. Most of it is between slots, and is an operation when it is played.
#[derive(Clone, Copy, Debug)]
pub(super) enum Step {
    Move {
        from: Spot,
        to: Spot,
        count: u32,
    },
    Swap {
        one: Spot,
        other: Spot,
    },
    Drop {
        from: Spot,
        count: u32,
    },
    PickUp {
        landing: u32,
        to: Spot,
        count: u32,
    },
    /// By its number among the others.
    Other(u32),
}

/// Lists for one world; kept for their room.
#[derive(Debug, Default)]
pub(super) struct Moves {
    pub(super) steps: Vec<Step>,
    others: Vec<Operation>,
    containers: Vec<ContainerId>,
    sources: Vec<Source>,
    targets: Vec<Target>,
}

/// A slot that something may go to.
#[derive(Clone, Copy, Debug)]
struct Target {
    container: ContainerId,
    slot: u32,
    cell: Cell,
    /// The limit of the container; none where the slot has one of its own.
    limit: Option<u32>,
}

impl Target {
    #[inline]
    fn spot(&self) -> Spot {
        Spot { container: self.container.index, slot: self.slot }
    }

    /// How many of a stack it would take, being empty or holding its like.
    #[inline]
    fn fits(&self, world: &World, cell: Cell, limit: u32) -> u32 {
        let limit = self.limit.map_or_else(|| world.limit(self.spot(), cell.kind), |own| own.min(limit));
        limit.saturating_sub(self.cell.count).min(cell.count)
    }
}

impl Step {
    /// As an operation on a world; none of what is among the others.
    pub(super) fn operation(self, world: &World) -> Option<Operation> {
        let place = |spot: Spot| (world.container_id(spot.container), spot.slot);
        Some(match self {
            Step::Move { from, to, count } => Operation::moving(Amount::Exactly(count), place(from), place(to)),
            Step::Swap { one, other } => Operation::swapping(place(one), place(other)),
            Step::Drop { from, count } => Operation::dropping(Amount::Exactly(count), place(from), Landing::default()),
            Step::PickUp { landing, to, count } => {
                let stack = StackId(world.cell(Spot { container: GROUND, slot: landing }).id);
                Operation::picking_up(Amount::Exactly(count), stack, place(to))
            }
            Step::Other(_) => return None,
        })
    }
}

impl Moves {
    /// One of them as an operation.
    pub(super) fn operation(&self, world: &World, nth: usize) -> Option<Operation> {
        match *self.steps.get(nth)? {
            Step::Other(other) => self.others.get(other as usize).cloned(),
            step => step.operation(world),
        }
    }

    /// All of them as operations.
    pub(super) fn operations<'m>(&'m self, world: &'m World) -> impl Iterator<Item = Operation> + 'm {
        (0..self.steps.len()).filter_map(|nth| self.operation(world, nth))
    }

    fn push(&mut self, operation: Operation) {
        self.steps.push(Step::Other(u32::try_from(self.others.len()).unwrap_or(u32::MAX)));
        self.others.push(operation);
    }
}

/// One, half and all of a stack, each once.
pub(super) fn shares(count: u32) -> impl Iterator<Item = u32> {
    let half = count.div_ceil(2);
    [1, half, count]
        .into_iter()
        .enumerate()
        .filter(move |&(nth, share)| nth == 0 || share > [1, half][nth - 1])
        .map(|it| it.1)
}

impl Plan {
    pub(super) fn plays(&self, verb: Verb) -> bool {
        self.verbs.contains(&verb)
    }

    /// What is planned and is played by walks only.
    pub(super) fn walked_only(&self) -> Vec<&'static str> {
        let is_unplayed = |verb: &&Verb| match verb {
            Verb::Set | Verb::Together | Verb::Depart | Verb::Arrive => true,
            // A move does the same.
            Verb::Split | Verb::Merge => !self.plays(Verb::Move),
            _ => false,
        };
        self.verbs.iter().filter(is_unplayed).map(|verb| verb.word()).collect()
    }

    /// Whether handles may be others after something was played.
    pub(super) fn changes_handles(&self) -> bool {
        !self.faults.is_empty() || self.plays(Verb::Depart) || self.plays(Verb::Arrive)
    }

    pub(super) fn is_alike(&self, world: &World, container: u32) -> bool {
        if world.is_lasting(container) {
            return self.alike.get(container as usize).copied().unwrap_or(false);
        }
        self.packs_alike && world.state(container).ruled == 0
    }

    /// A mark may make a stack unfit where it lies, so that it is beyond a limit; nothing else may.
    pub(super) fn is_against_the_laws(&self, world: &World) -> bool {
        let marks = !(self.set.is_empty() && self.unset.is_empty());
        crate::audit(world.rules(), &world.snapshot()).iter().any(|found| !marks || !found.law().is_limit())
    }

    /// All operations in their order. A container whose slots nothing can tell apart is offered its first empty slot only.
    pub(super) fn enumerate(&self, world: &World, moves: &mut Moves) {
        self.with_places(world, moves, |sources, targets, moves| {
            self.between_slots(world, sources, targets, moves);
            self.with_the_ground(world, sources, targets, moves);
            self.others(world, (sources, targets), moves);
        });
    }

    /// Those that are neither between slots nor between slots and ground.
    pub(super) fn enumerate_others(&self, world: &World, moves: &mut Moves) {
        self.with_places(world, moves, |sources, targets, moves| self.others(world, (sources, targets), moves));
    }

    /// Whether there may be such.
    pub(super) fn has_others(&self) -> bool {
        let simple = [Verb::Move, Verb::Swap, Verb::Drop, Verb::PickUp, Verb::Split, Verb::Merge];
        let brings = !(self.created.is_empty() && self.consumed.is_empty());
        brings || self.verbs.iter().any(|verb| !simple.contains(verb))
    }

    fn others(&self, world: &World, places: (&[Source], &[Target]), moves: &mut Moves) {
        self.looks(world, places.0, moves);
        self.order(moves);
        self.sizes(world, moves);
        self.through_doors(world, moves);
        for &actor in &self.actors {
            self.of_holder(world, actor, places, moves);
        }
        self.coming_and_going(world, places.0, places.1, moves);
    }

    /// Clears the lists and finds what lies where.
    fn with_places(&self, world: &World, moves: &mut Moves, list: impl FnOnce(&[Source], &[Target], &mut Moves)) {
        moves.steps.clear();
        moves.others.clear();
        let mut containers = std::mem::take(&mut moves.containers);
        let mut sources = std::mem::take(&mut moves.sources);
        let mut targets = std::mem::take(&mut moves.targets);
        containers.clone_from(&self.containers);
        sources.clear();
        targets.clear();
        let mut next = 0;
        while let Some(&container) = containers.get(next) {
            let (alike, mut offered) = (self.is_alike(world, container.index), false);
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
        list(&sources, &targets, moves);
        (moves.containers, moves.sources, moves.targets) = (containers, sources, targets);
    }

    /// What is the same whoever does it, as each actor does it: where there are doors it matters.
    fn through_doors(&self, world: &World, moves: &mut Moves) {
        if !self.has_doors || self.actors.is_empty() {
            return;
        }
        let all: Vec<Operation> = moves.operations(world).collect();
        moves.steps.clear();
        moves.others.clear();
        for &actor in &self.actors {
            all.iter().for_each(|operation| moves.push(operation.clone().by(actor)));
        }
    }

    fn between_slots(&self, world: &World, sources: &[Source], targets: &[Target], moves: &mut Moves) {
        let (moving, swapping) = (self.plays(Verb::Move), self.plays(Verb::Swap));
        for &Source { container, slot, cell } in sources {
            let from = Spot { container: container.index, slot };
            let limit = world.rules().figures[cell.kind as usize].stack_limit;
            for target in targets {
                let (to, there) = (target.spot(), target.cell);
                if to == from {
                    continue;
                }
                if there.is_empty() || there.class == cell.class {
                    if moving {
                        each_count(cell.count, target.fits(world, cell, limit), |count| {
                            moves.steps.push(Step::Move { from, to, count });
                        });
                    }
                } else if swapping && (from.container, slot) < (to.container, to.slot) {
                    moves.steps.push(Step::Swap { one: from, other: to });
                }
            }
        }
    }

    fn with_the_ground(&self, world: &World, sources: &[Source], targets: &[Target], moves: &mut Moves) {
        if self.plays(Verb::Drop) {
            for source in sources {
                let from = Spot { container: source.container.index, slot: source.slot };
                moves.steps.extend(shares(source.cell.count).map(|count| Step::Drop { from, count }));
            }
        }
        if self.plays(Verb::PickUp) {
            for (landed, cell) in world.stacks_of(GROUND) {
                let limit = world.rules().figures[cell.kind as usize].stack_limit;
                let landing = landed.slot;
                for target in targets.iter().filter(|it| it.cell.is_empty() || it.cell.class == cell.class) {
                    let to = target.spot();
                    each_count(cell.count, target.fits(world, cell, limit), |count| {
                        moves.steps.push(Step::PickUp { landing, to, count });
                    });
                }
            }
        }
    }

    fn looks(&self, world: &World, sources: &[Source], moves: &mut Moves) {
        for source in sources {
            let at = (source.container, source.slot);
            let has = |mark: MarkId| world.stack(at.0, at.1).is_some_and(|stack| stack.has_mark(mark));
            let set = self.set.iter().filter(|&&mark| !has(mark));
            set.for_each(|&mark| moves.push(Operation::marking(at, mark)));
            let unset = self.unset.iter().filter(|&&mark| has(mark));
            unset.for_each(|&mark| moves.push(Operation::unmarking(at, mark)));
        }
    }

    fn order(&self, moves: &mut Moves) {
        if self.plays(Verb::Sort) {
            let sorts = self.containers.iter().flat_map(|&at| SortKey::ALL.map(|by| Operation::sorting(at, by)));
            sorts.for_each(|sort| moves.push(sort));
        }
    }

    /// Every other number of slots that a container may have; fewer also where what lies in those that go has to spill.
    fn sizes(&self, world: &World, moves: &mut Moves) {
        if !self.plays(Verb::Resize) {
            return;
        }
        let bounds = |at: ContainerId| world.container_def(at).map_or((0, 0), ContainerDef::slot_bounds);
        for (&at, (least, most)) in self.containers.iter().map(|at| (at, bounds(*at))).filter(|(_, it)| it.0 < it.1) {
            let now = world.slots_of(at.index).len();
            for slots in (least..=most).filter(|slots| *slots as usize != now) {
                moves.push(Operation::resizing(at, slots));
                if (slots as usize) < now {
                    moves.push(Operation::resizing_with_spill(at, slots));
                }
            }
        }
    }

    fn shortcuts(&self, world: &World, actor: HolderId, sources: &[Source], moves: &mut Moves) {
        let mut kinds: Vec<u32> = sources.iter().map(|source| source.cell.kind).collect();
        kinds.sort_unstable();
        kinds.dedup();
        for (shortcut, bound) in (0..).zip(world.shortcuts(actor)) {
            if self.plays(Verb::Bind) {
                let others = kinds.iter().map(|&kind| KindId(kind)).filter(|kind| Some(*kind) != bound);
                others.for_each(|kind| moves.push(Operation::binding(kind, actor, shortcut)));
            }
            if self.plays(Verb::Unbind) && bound.is_some() {
                moves.push(Operation::unbinding(actor, shortcut));
            }
        }
    }

    fn of_holder(&self, world: &World, actor: HolderId, (sources, targets): (&[Source], &[Target]), moves: &mut Moves) {
        let is_worn = |source: &&Source| {
            let worn = world.container_def(source.container).is_some_and(ContainerDef::is_worn);
            worn && world.carrier(source.container) == Some(actor)
        };
        let at = |source: &Source| (source.container, source.slot);
        if self.plays(Verb::Equip) {
            let loose = sources.iter().filter(|source| !is_worn(source));
            loose.for_each(|source| moves.push(Operation::equipping(Amount::Exactly(1), at(source), actor)));
        }
        if self.plays(Verb::Unequip) {
            let worn = sources.iter().filter(is_worn);
            worn.for_each(|it| moves.push(Operation::unequipping(Amount::Exactly(it.cell.count), at(it), actor)));
        }
        self.by_hand(world, actor, (sources, targets), moves);
        if self.plays(Verb::Bind) || self.plays(Verb::Unbind) {
            self.shortcuts(world, actor, sources, moves);
        }
        if self.plays(Verb::Leave) && world.opened().any(|(holder, _)| holder == actor.index) {
            moves.push(Operation::leaving(actor));
        }
        for &container in self.containers.iter().filter(|it| has_door(world, **it)) {
            let is_open = world.has_opened(actor, container);
            if self.plays(Verb::Open) && !is_open {
                moves.push(Operation::opening(container, actor));
            }
            if self.plays(Verb::Close) && is_open {
                moves.push(Operation::closing(container, actor));
            }
        }
    }

    fn by_hand(&self, world: &World, actor: HolderId, (sources, targets): (&[Source], &[Target]), moves: &mut Moves) {
        match world.hand(actor).map(crate::StackView::count) {
            None if self.plays(Verb::Lift) => {
                for source in sources {
                    let from = (source.container, source.slot);
                    let lift = |count| Operation::lifting(Share::Amount(Amount::Exactly(count)), from, actor);
                    shares(source.cell.count).for_each(|count| moves.push(lift(count)));
                }
            }
            Some(held) => {
                if self.plays(Verb::Put) {
                    for target in targets {
                        let to = (target.container, target.slot);
                        let counts = [1, held].into_iter().take(held.min(2) as usize);
                        let put = |count| Operation::putting(Amount::Exactly(count), to, actor);
                        counts.for_each(|count| moves.push(put(count)));
                    }
                }
                if self.plays(Verb::Return) {
                    moves.push(Operation::returning(Amount::All, actor));
                }
            }
            None => {}
        }
    }

    fn coming_and_going(&self, world: &World, sources: &[Source], targets: &[Target], moves: &mut Moves) {
        for &(kind, most) in &self.created {
            if world.count(kind, None) < most {
                let into = targets.iter().filter(|it| it.cell.is_empty() || it.cell.kind == kind.0);
                let create = |to: &Target| Operation::creating(Amount::Exactly(1), kind, (to.container, to.slot));
                into.for_each(|to| moves.push(create(to)));
            }
        }
        for source in sources.iter().filter(|source| self.consumed.contains(&KindId(source.cell.kind))) {
            let kind = KindId(source.cell.kind);
            moves.push(Operation::consuming(Amount::Exactly(1), kind, (source.container, source.slot)));
        }
    }
}

/// Whether it matters who has opened a container.
pub(super) fn has_door(world: &World, container: ContainerId) -> bool {
    let state = world.state(container.index);
    state.must_open || state.exclusive
}

/// How many of a stack a slot with room for it would take.
pub(super) fn fitting(world: &World, to: Spot, there: Cell, cell: Cell) -> u32 {
    world.limit(to, cell.kind).saturating_sub(there.count).min(cell.count)
}

/// One, half and all of a stack, as far as they fit, and as many as do.
#[inline]
pub(super) fn each_count(count: u32, most: u32, mut each: impl FnMut(u32)) {
    let half = count.div_ceil(2);
    if 1 < most {
        each(1);
    }
    if 1 < half && half < most {
        each(half);
    }
    if most > 0 {
        each(most);
    }
}
