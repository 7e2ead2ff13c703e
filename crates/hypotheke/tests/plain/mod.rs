//! Every operation that a scope allows in a world, written for clarity alone: all places, all
//! amounts, all actors, whatever the result. It shares nothing with the generator of the library,
//! which is compared with it.

use std::collections::BTreeSet;

use hypotheke::explore::Verb;
use hypotheke::snapshot::Stack;
use hypotheke::{
    Action, Amount, ContainerId, DealSide, Decimal, HolderId, Kind, KindId, Landing, LiftAmount, MarkId, Offered,
    Operation, Pattern, Place, PropertyId, PropertyValue, Recipe, SortKey, StackView, World,
};

/// The scope.
#[derive(Clone, Debug)]
pub(crate) struct Tried {
    pub(crate) verbs: BTreeSet<Verb>,
    pub(crate) actors: Vec<HolderId>,
    pub(crate) game_acts: bool,
    /// Whether operations name whole containers and holders.
    pub(crate) whole_places: bool,
    /// Whether to try every number of items, or only one, half and all.
    pub(crate) every_amount: bool,
    /// Whether operations name hands.
    pub(crate) hands: bool,
    /// Whether a container of the ruleset must be opened or is exclusive.
    pub(crate) doors: bool,
    pub(crate) containers: Vec<ContainerId>,
    pub(crate) marks: Vec<MarkId>,
    pub(crate) unmarks: Vec<MarkId>,
    pub(crate) values: Vec<(PropertyId, Decimal)>,
    pub(crate) created: Vec<(KindId, u64)>,
    pub(crate) consumed: Vec<KindId>,
    /// Whether it tries a wait of one tick.
    pub(crate) each_tick: bool,
}

/// The places of a world that operations name.
#[derive(Clone)]
struct Places {
    containers: Vec<Place>,
    slots: Vec<Place>,
    hands: Vec<Place>,
    holders: Vec<Place>,
    /// The stacks on the ground.
    landed: Vec<Place>,
}

impl Places {
    fn of(world: &World, tried: &Tried) -> Places {
        let mut containers = tried.containers.clone();
        let hands: Vec<Place> = tried.actors.iter().filter(|_| tried.hands).map(|&actor| Place::Hand(actor)).collect();
        let holders = tried.actors.iter().map(|&actor| Place::Holder(actor)).collect();
        let landed: Vec<Place> = world.ground().map(|(stack, _)| Place::OnGround(stack.id())).collect();
        let loose = hands.iter().chain(&landed).flat_map(|&place| world.stacks_in(Some(place)));
        let mut stacks: Vec<_> =
            loose.chain(containers.iter().flat_map(|&at| world.stacks(at).map(|it| it.1))).collect();
        while let Some(stack) = stacks.pop() {
            if let Some(inside) = stack.inside() {
                containers.push(inside);
                stacks.extend(world.stacks(inside).map(|(_, stack)| stack));
            }
        }
        let slots = containers.iter().flat_map(|&at| world.slots(at).map(move |slot| Place::Slot(at, slot.number())));
        let (slots, containers) = (slots.collect(), containers.iter().map(|&at| Place::Container(at)).collect());
        Places { containers, slots, hands, holders, landed }
    }

    fn stacks(&self) -> impl Iterator<Item = Place> + '_ {
        self.slots.iter().chain(&self.landed).chain(&self.hands).copied()
    }
}

/// How many items a place gives, of a kind or of all.
fn count_in(world: &World, place: Place, kind: Option<KindId>) -> u32 {
    let count = match kind {
        // What containers work on is not to be had.
        Some(kind) => {
            let stacks = world.all_stacks_in(Some(place)).into_iter().filter(|stack| stack.kind().handle() == kind);
            stacks.map(|stack| u64::from(stack.count())).sum::<u64>()
        }
        None => world.stacks_in(Some(place)).iter().map(|stack| u64::from(stack.count())).sum(),
    };
    u32::try_from(count).expect("few items")
}

impl Tried {
    /// The amounts of a number of items; `All` is the operation without a number.
    fn amounts(&self, count: u32) -> Vec<Amount> {
        let is_tried = |number: &u32| self.every_amount || [1, count.div_ceil(2), count].contains(number);
        let exact = (1..=count).filter(is_tried).map(Amount::Exactly);
        if count == 0 { Vec::new() } else { exact.chain([Amount::UpTo(count), Amount::All]).collect() }
    }

    fn whole(&self, places: &[Place]) -> Vec<Place> {
        if self.whole_places { places.to_vec() } else { Vec::new() }
    }

    /// Who does what holders do.
    fn performers(&self) -> Vec<Option<HolderId>> {
        // Where nothing has to be opened it makes no difference who acts, so that the game stands
        // for all.
        let who_matters = self.doors || self.verbs.contains(&Verb::Give);
        let game = (self.game_acts || !who_matters).then_some(None);
        game.into_iter().chain(self.actors.iter().copied().map(Some)).collect()
    }

    /// Who changes the world as the game does.
    fn changers(&self) -> Vec<Option<HolderId>> {
        [None].into_iter().chain(self.actors.iter().copied().map(Some)).collect()
    }

    /// Every operation.
    pub(crate) fn operations(&self, world: &World) -> Vec<Operation> {
        let places = Places::of(world, self);
        let mut found = Vec::new();
        for &verb in &self.verbs {
            let performers = match verb {
                Verb::Move | Verb::Split | Verb::Merge | Verb::Swap | Verb::Drop | Verb::PickUp | Verb::Sort => {
                    self.performers()
                }
                Verb::Give | Verb::Craft | Verb::Cancel => self.performers(),
                Verb::Create | Verb::Consume | Verb::Mark | Verb::Unmark | Verb::Set | Verb::Resize => self.changers(),
                // A bar belongs to one holder, and the game may bind there too.
                Verb::Bind | Verb::Unbind | Verb::Wait => vec![None],
                Verb::Equip
                | Verb::Unequip
                | Verb::Lift
                | Verb::Put
                | Verb::Return
                | Verb::Deposit
                | Verb::Leave
                | Verb::Open
                | Verb::Close
                | Verb::Buy
                | Verb::Sell
                | Verb::Use => self.actors.iter().copied().map(Some).collect(),
                // No search tries these.
                Verb::Together | Verb::Trade | Verb::Depart | Verb::Arrive => Vec::new(),
            };
            for actor in performers {
                // Out of its own hand.
                let is_reached =
                    |hand: &Place| !matches!(verb, Verb::Put | Verb::Return) || Some(*hand) == actor.map(Place::Hand);
                let hands = places.hands.iter().copied().filter(is_reached).collect();
                let actions = self.actions(verb, world, &Places { hands, ..places.clone() });
                found.extend(actions.iter().map(|action| Operation { actor, action: action.clone() }));
            }
        }
        found
    }

    /// The same, and what only walks try: trades.
    pub(crate) fn walked(&self, world: &World) -> Vec<Operation> {
        let mut found = self.operations(world);
        if self.verbs.contains(&Verb::Trade) {
            let offers: Vec<Offered> = self.actors.iter().flat_map(|&of| self.offered(world, of)).collect();
            found.extend(pairs(&offers, &offers).into_iter().map(|(one, other)| Operation::trading(one, other)));
        }
        found
    }

    /// Every number of every kind that a holder has.
    fn offered(&self, world: &World, of: HolderId) -> Vec<Offered> {
        let kinds = world.rules().kinds().map(hypotheke::Kind::handle);
        let counts = |kind| {
            let there = u32::try_from(world.count(kind, Some(of.into()))).expect("a small world");
            (1..=there).map(move |count| Offered { count, kind, of })
        };
        kinds.flat_map(counts).collect()
    }

    fn actions(&self, verb: Verb, world: &World, places: &Places) -> Vec<Action> {
        let stack_places = || places.slots.iter().copied();
        let containers = || self.whole(&places.containers);
        let kinds: Vec<Option<KindId>> = world.rules().kinds().map(|kind| Some(kind.handle())).collect();
        let mut found = Vec::new();
        match verb {
            Verb::Move => {
                for to in stack_places().chain(containers()) {
                    for from in stack_places() {
                        let amounts = self.amounts(count_in(world, from, None));
                        found.extend(amounts.iter().map(|&amount| Action::Move { amount, kind: None, from, to }));
                    }
                    for (from, kind) in pairs(&containers(), &kinds) {
                        let amounts = self.amounts(count_in(world, from, kind));
                        found.extend(amounts.iter().map(|&amount| Action::Move { amount, kind, from, to }));
                    }
                }
            }
            Verb::Swap => {
                for one in stack_places() {
                    found.extend(stack_places().map(|other| Action::Swap { one, other }));
                }
            }
            Verb::Split => {
                for from in stack_places() {
                    let count = count_in(world, from, None);
                    // All but one at most.
                    let edges = [1, count.div_ceil(2), count.saturating_sub(1)];
                    let whole_edges = [1, count.saturating_sub(1).div_ceil(2), count.saturating_sub(1)];
                    for number in 1..count {
                        let is_edge = |edges: [u32; 3]| self.every_amount || edges.contains(&number);
                        if is_edge(edges) {
                            found.extend(stack_places().map(|to| Action::Split { count: number, from, to }));
                        }
                        if is_edge(whole_edges) {
                            found.extend(containers().into_iter().map(|to| Action::Split { count: number, from, to }));
                        }
                    }
                }
            }
            Verb::Merge => {
                for (from, onto) in stack_places().flat_map(|from| stack_places().map(move |onto| (from, onto))) {
                    let amounts = self.amounts(count_in(world, from, None));
                    found.extend(amounts.iter().map(|&amount| Action::Merge { amount, from, onto }));
                }
            }
            Verb::Drop => {
                let landing = Landing::default();
                for from in stack_places().chain(places.hands.iter().copied()) {
                    let amounts = self.amounts(count_in(world, from, None));
                    found.extend(amounts.iter().map(|&amount| Action::Drop { amount, kind: None, from, landing }));
                }
                for (from, kind) in pairs(&[containers(), self.whole(&places.holders)].concat(), &kinds) {
                    let amounts = self.amounts(count_in(world, from, kind));
                    found.extend(amounts.iter().map(|&amount| Action::Drop { amount, kind, from, landing }));
                }
            }
            Verb::PickUp => {
                for to in stack_places().chain(containers()).chain(self.whole(&places.holders)) {
                    for &landed in &places.landed {
                        let Place::OnGround(stack) = landed else { continue };
                        let amounts = self.amounts(count_in(world, landed, None));
                        let pick_up = |&amount| Action::PickUp { amount, kind: None, from: Some(stack), to };
                        found.extend(amounts.iter().map(pick_up));
                    }
                    for (from, kind) in pairs(&self.whole(&[Place::Ground]), &kinds) {
                        let amounts = self.amounts(count_in(world, from, kind));
                        found.extend(amounts.iter().map(|&amount| Action::PickUp { amount, kind, from: None, to }));
                    }
                }
            }
            Verb::Equip => {
                for from in stack_places() {
                    let amounts = self.amounts(count_in(world, from, None));
                    found.extend(amounts.iter().map(|&amount| Action::Equip { amount, from }));
                }
            }
            Verb::Unequip => {
                for from in stack_places() {
                    let to = stack_places().chain(containers()).map(Some);
                    for to in [None].into_iter().chain(to) {
                        let amounts = self.amounts(count_in(world, from, None));
                        found.extend(amounts.iter().map(|&amount| Action::Unequip { amount, from, to }));
                    }
                }
            }
            Verb::Lift => {
                for from in stack_places() {
                    let amounts = self.amounts(count_in(world, from, None)).into_iter().map(LiftAmount::Amount);
                    found.extend(amounts.chain([LiftAmount::Half]).map(|share| Action::Lift { share, from }));
                }
            }
            Verb::Put => {
                for to in stack_places().chain(containers()) {
                    for &hand in &places.hands {
                        let amounts = self.amounts(count_in(world, hand, None));
                        found.extend(amounts.iter().map(|&amount| Action::Put { amount, to }));
                    }
                }
            }
            Verb::Return => {
                for &hand in &places.hands {
                    let amounts = self.amounts(count_in(world, hand, None));
                    found.extend(amounts.iter().map(|&amount| Action::Return { amount }));
                }
            }
            Verb::Leave => found.push(Action::Leave),
            Verb::Deposit => found.extend(places.containers.iter().map(|&into| Action::Deposit { into })),
            Verb::Open | Verb::Close => {
                let has_door = |place: &&Place| {
                    let Place::Container(container) = place else { return false };
                    world.container_def(*container).is_some_and(|def| def.is_exclusive() || def.must_be_opened())
                };
                for &at in places.containers.iter().filter(has_door) {
                    found.push(if verb == Verb::Open { Action::Open { at } } else { Action::Close { at } });
                }
            }
            Verb::Give => {
                for &at in &places.containers {
                    found.extend(world.holders().map(Some).chain([None]).map(|to| Action::Give { at, to }));
                }
            }
            Verb::Sort => {
                for &at in &places.containers {
                    found.extend(SortKey::ALL.map(|by| Action::Sort { at, by }));
                }
            }
            Verb::Resize => {
                for &at in &places.containers {
                    let Place::Container(container) = at else { continue };
                    let (min, max) = world.container_def(container).expect("a container").slot_bounds();
                    for slots in min..=max {
                        found.extend([false, true].map(|spill| Action::Resize { at, slots, spill }));
                    }
                }
            }
            Verb::Bind => {
                for (at, kind) in pairs(&self.shortcuts(world), &kinds) {
                    found.extend(kind.map(|kind| Action::Bind { kind, at }));
                }
            }
            Verb::Unbind => found.extend(self.shortcuts(world).into_iter().map(|at| Action::Unbind { at })),
            Verb::Mark | Verb::Unmark => {
                for at in places.stacks() {
                    let mark = |&mark| {
                        if verb == Verb::Mark { Action::Mark { at, mark } } else { Action::Unmark { at, mark } }
                    };
                    let marks = if verb == Verb::Mark { &self.marks } else { &self.unmarks };
                    found.extend(marks.iter().map(mark));
                }
            }
            Verb::Set => {
                for at in places.stacks() {
                    found.extend(self.values.iter().map(|&(property, value)| Action::Set { at, property, value }));
                }
            }
            Verb::Create => {
                for &(kind, max) in &self.created {
                    let more = u32::try_from(max.saturating_sub(world.count(kind, None))).expect("few items");
                    let whole = [containers(), self.whole(&places.holders)].concat();
                    let to = stack_places().chain(places.hands.iter().copied()).chain([Place::Ground]).chain(whole);
                    for (to, amount) in to.flat_map(|to| self.amounts(more).into_iter().map(move |amount| (to, amount)))
                    {
                        let (variant, landing) = (hypotheke::Variant::default(), Landing::default());
                        found.push(Action::Create { amount, kind, variant, to, landing });
                    }
                }
            }
            Verb::Consume => {
                for &kind in &self.consumed {
                    let whole = [containers(), self.whole(&places.holders), self.whole(&[Place::Ground])].concat();
                    for from in places.stacks().chain(whole) {
                        let amounts = self.amounts(count_in(world, from, Some(kind)));
                        let consume = |&amount| Action::Consume { amount, kind: Some(kind), from };
                        found.extend(amounts.iter().map(consume));
                    }
                }
            }
            Verb::Use => {
                let usable = world.rules().kinds().filter(|kind| kind.has_use()).map(Kind::handle);
                let whole = [containers(), self.whole(&places.holders), self.whole(&[Place::Ground])].concat();
                let from: Vec<Place> = places.stacks().chain(whole).collect();
                for (kind, from) in usable.flat_map(|kind| from.iter().map(move |from| (kind, *from))) {
                    let amounts = self.amounts(count_in(world, from, Some(kind)));
                    found.extend(amounts.iter().map(|&amount| Action::Use { amount, kind, from }));
                }
            }
            // By each actor, out of what it or the container has; in whole lots.
            Verb::Buy | Verb::Sell => {
                let buys = verb == Verb::Buy;
                for (at, kind) in pairs(&places.containers, &kinds) {
                    let (Place::Container(container), Some(kind)) = (at, kind) else { continue };
                    let name = world.container_name(container);
                    let side = if buys { DealSide::Buy } else { DealSide::Sell };
                    let Some((_, lot)) = world.rules().deal_for(side, kind, &name) else { continue };
                    let most = |place: Place| count_in(world, place, Some(kind)) / lot.size;
                    let from: Vec<Place> =
                        if buys { vec![at] } else { self.actors.iter().map(|&actor| actor.into()).collect() };
                    let lots: BTreeSet<u32> = from.into_iter().map(most).collect();
                    for amount in lots.into_iter().flat_map(|lots| self.amounts(lots)) {
                        let amount = match amount {
                            Amount::Exactly(lots) => Amount::Exactly(lots * lot.size),
                            Amount::UpTo(lots) => Amount::UpTo(lots * lot.size),
                            Amount::All => Amount::All,
                        };
                        found.push(match buys {
                            true => Action::Buy { amount, kind, at },
                            false => Action::Sell { amount, kind, at },
                        });
                    }
                }
            }
            // As often as there are enough inputs beside the tools.
            Verb::Craft => {
                let recipes: Vec<&Recipe> = world.rules().recipes().iter().collect();
                let at: Vec<Place> = places.containers.iter().chain(&places.holders).copied().collect();
                for (at, recipe) in pairs(&at, &recipes) {
                    let handle = world.rules().find_recipe(recipe.id()).expect("a recipe of these rules");
                    let works = matches!(at, Place::Container(at) if world.job(at).is_some());
                    if works && recipe.duration().is_some() {
                        continue;
                    }
                    // What is drawn is drawn for one time, and without inputs there is no other bound.
                    let most = if recipe.yields().is_empty() && !recipe.inputs().is_empty() { u32::MAX } else { 1 };
                    let items = items_at(world, at);
                    let times = match (recipe.pattern(), at) {
                        (Some(pattern), Place::Container(at)) => times_laid(world, recipe, pattern, at).min(most),
                        _ => times_enough(world, recipe, &items, most),
                    };
                    let amounts = self.amounts(times);
                    let count = u32::try_from(recipe.yields().len()).unwrap();
                    // What it yields is drawn, so that it may be any.
                    let yields = if count == 0 { vec![None] } else { (1..=count).map(Some).collect() };
                    for (amount, yield_number) in pairs(&amounts, &yields) {
                        found.push(Action::Craft { amount, recipe: handle, at, yield_number });
                    }
                }
            }
            Verb::Cancel => {
                let recipes = world.rules().recipes().iter();
                let recipes: Vec<_> = recipes.filter_map(|recipe| world.rules().find_recipe(recipe.id())).collect();
                for (at, recipe) in pairs(&places.containers, &recipes) {
                    found.push(Action::Cancel { recipe, at });
                }
            }
            // To the next tick at which something is due, and once more where something is due by now.
            Verb::Wait => {
                let left: BTreeSet<u64> =
                    world.containers().filter_map(|id| world.job(id)).map(|job| job.left(world.clock())).collect();
                let next = left.iter().copied().find(|&left| left > 0).into_iter().chain(next_fall(world)).min();
                let one = left.contains(&0) || self.each_tick && next.is_some();
                let ticks: BTreeSet<u64> = next.into_iter().chain(one.then_some(1)).collect();
                found.extend(ticks.into_iter().map(|ticks| Action::Wait { ticks: u32::try_from(ticks).expect("few") }));
            }
            Verb::Together | Verb::Trade | Verb::Depart | Verb::Arrive => {}
        }
        found
    }

    fn shortcuts(&self, world: &World) -> Vec<Place> {
        let of = |&actor| (0..).take(world.shortcuts(actor).len()).map(move |nth| Place::Shortcut(actor, nth));
        self.actors.iter().flat_map(of).collect()
    }

    /// The same in a different world of the same ruleset.
    pub(crate) fn rename(&mut self, old: &World, new: &World) {
        let holder = |actor: &HolderId| new.holder(old.holder_name(*actor)).expect("the same holder");
        let container = |at: &ContainerId| new.container(&old.container_name(*at)).expect("the same container");
        self.actors = self.actors.iter().map(holder).collect();
        self.containers = self.containers.iter().map(container).collect();
    }

    /// The scope as a file of claims writes it.
    pub(crate) fn text(&self, world: &World) -> String {
        let rules = world.rules();
        let mark_name = |mark| rules.marks().iter().find(|it| rules.find_mark(it.name()) == Some(mark)).unwrap().name();
        let property_name = |property| {
            let mut all = rules.properties().iter();
            all.find(|it| rules.find_property(it.name()) == Some(property)).unwrap().name()
        };
        let mut lines = Vec::new();
        let named = |verb: &&Verb| !matches!(verb, Verb::Mark | Verb::Unmark | Verb::Create | Verb::Consume);
        let verbs: Vec<&str> = self.verbs.iter().filter(named).map(|verb| verb.word()).collect();
        lines.push(format!("verbs {}", if verbs.is_empty() { "set".to_owned() } else { verbs.join(", ") }));
        let mut actors: Vec<&str> = self.actors.iter().map(|&actor| world.holder_name(actor)).collect();
        actors.extend(self.game_acts.then_some("game"));
        lines.extend((!actors.is_empty()).then(|| format!("actors {}", actors.join(", "))));
        let containers: Vec<String> = self.containers.iter().map(|&at| world.container_name(at)).collect();
        lines.push(format!("containers {}", containers.join(", ")));
        lines.push(format!("places {}", if self.whole_places { "all" } else { "slots" }));
        lines.push(format!("amounts {}", if self.every_amount { "every" } else { "some" }));
        lines.extend(self.marks.iter().map(|&mark| format!("mark {}", mark_name(mark))));
        lines.extend(self.unmarks.iter().map(|&mark| format!("unmark {}", mark_name(mark))));
        lines
            .extend(self.values.iter().map(|&(property, value)| format!("set {} to {value}", property_name(property))));
        lines.extend(self.created.iter().map(|&(kind, max)| {
            format!("create up to {max} {}", rules.kind(kind).expect("a kind of these rules").id())
        }));
        lines.extend(
            self.consumed
                .iter()
                .map(|&kind| format!("consume {}", rules.kind(kind).expect("a kind of these rules").id())),
        );
        lines.extend(self.each_tick.then(|| "wait each-tick".to_owned()));
        format!("explore\n{}", lines.iter().map(|line| format!("  {line}\n")).collect::<String>())
    }
}

fn pairs<A: Clone, B: Clone>(ones: &[A], others: &[B]) -> Vec<(A, B)> {
    ones.iter().flat_map(|one| others.iter().map(|other| (one.clone(), other.clone()))).collect()
}

/// What a claim can see of an operation: its verb, the places between which it goes, and what it
/// takes there.
pub(crate) fn label(world: &World, operation: &Operation, place: &dyn Fn(Place) -> String) -> String {
    let items = |at: Place| -> String {
        let of: BTreeSet<String> = world
            .stacks_in(Some(at))
            .iter()
            .map(|stack| format!("{}{:?}", stack.kind().id(), stack.marks().collect::<Vec<_>>()))
            .collect();
        format!("{of:?}")
    };
    let is_stack = |at: Place| matches!(at, Place::Slot(..) | Place::OnGround(_) | Place::Hand(_));
    let kind = |kind: &Option<KindId>, at: Place| match kind {
        Some(_) if is_stack(at) => items(at),
        Some(kind) => world.rules().kind(*kind).expect("a kind of these rules").id().to_owned(),
        None => items(at),
    };
    let hand = || operation.actor.map(|actor| items(Place::Hand(actor))).unwrap_or_default();
    match &operation.action {
        Action::Move { kind: of, from, to, .. } => format!("move {} {} {}", kind(of, *from), place(*from), place(*to)),
        Action::Split { from, to, .. } => format!("split {} {} {}", items(*from), place(*from), place(*to)),
        Action::Merge { from, onto, .. } => format!("merge {} {} {}", items(*from), place(*from), place(*onto)),
        Action::Swap { one, other } => {
            let sides = BTreeSet::from([(place(*one), items(*one)), (place(*other), items(*other))]);
            format!("swap {sides:?}")
        }
        Action::Drop { kind: of, from, .. } => format!("drop {} {}", kind(of, *from), place(*from)),
        Action::PickUp { kind: of, from, to, .. } => {
            let from = from.map_or(Place::Ground, Place::OnGround);
            format!("pick up {} {} {}", kind(of, from), place(from), place(*to))
        }
        Action::Equip { from, .. } => format!("equip {} {}", items(*from), place(*from)),
        Action::Unequip { from, to, .. } => {
            format!("unequip {} {} {}", items(*from), place(*from), to.map(place).unwrap_or_default())
        }
        Action::Lift { from, .. } => format!("lift {} {}", items(*from), place(*from)),
        Action::Put { to, .. } => format!("put {} {}", hand(), place(*to)),
        Action::Return { .. } => format!("return {}", hand()),
        Action::Leave => format!("leave {}", hand()),
        Action::Deposit { into } => {
            format!("deposit {} {}", operation.actor.map(|actor| items(actor.into())).unwrap_or_default(), place(*into))
        }
        Action::Open { at } => format!("open {}", place(*at)),
        Action::Close { at } => format!("close {}", place(*at)),
        Action::Give { at, .. } => format!("give {}", place(*at)),
        Action::Sort { at, .. } => format!("sort {}", place(*at)),
        Action::Resize { at, .. } => format!("resize {}", place(*at)),
        Action::Mark { at, mark } => format!("mark {mark:?} {} {}", items(*at), place(*at)),
        Action::Unmark { at, mark } => format!("unmark {mark:?} {} {}", items(*at), place(*at)),
        Action::Set { at, property, .. } => format!("set {property:?} {} {}", items(*at), place(*at)),
        Action::Create { kind: of, to, .. } => {
            format!("create {} {}", world.rules().kind(*of).expect("a kind of these rules").id(), place(*to))
        }
        Action::Consume { kind: of, from, .. } => {
            format!("consume {} {}", kind(of, *from), place(*from))
        }
        Action::Bind { kind: of, at } => {
            format!("bind {} {}", world.rules().kind(*of).expect("a kind of these rules").id(), place(*at))
        }
        Action::Unbind { at } => format!("unbind {}", place(*at)),
        Action::Buy { kind: of, at, .. } | Action::Sell { kind: of, at, .. } => {
            let name = if matches!(operation.action, Action::Buy { .. }) { "buy" } else { "sell" };
            format!("{name} {} {}", world.rules().kind(*of).expect("a kind of these rules").id(), place(*at))
        }
        Action::Use { kind, from, .. } => format!("use {kind:?} {}", place(*from)),
        Action::Craft { recipe, at, yield_number, .. } => format!("craft {recipe:?} {yield_number:?} {}", place(*at)),
        Action::Cancel { recipe, at } => format!("cancel {recipe:?} {}", place(*at)),
        Action::Wait { ticks } => format!("wait {ticks}"),
        Action::Trade { one, other } => format!("trade {:?} {:?}", one.kind, other.kind),
        Action::Together { .. } | Action::Depart { .. } | Action::Arrive { .. } => {
            panic!("no search tries that")
        }
    }
}

/// The items of a container, or those that a holder uses, each with its stack.
fn items_at(world: &World, at: Place) -> Vec<StackView<'_>> {
    let containers = match at {
        Place::Container(at) => vec![at],
        Place::Holder(holder) => {
            let is_worn = |at: &ContainerId| world.container_def(*at).expect("a definition").is_worn();
            let insides = |at: ContainerId| world.stacks(at).filter_map(|(_, stack)| stack.inside()).collect();
            let carried: Vec<ContainerId> = world.carried(holder).collect();
            let own = carried.iter().flat_map(|&at| if is_worn(&at) { insides(at) } else { vec![at] });
            own.chain(carried.iter().copied().filter(is_worn)).collect()
        }
        _ => Vec::new(),
    };
    let stacks = containers.into_iter().flat_map(|at| world.stacks(at)).map(|(_, stack)| stack);
    stacks.flat_map(|stack| (0..stack.count()).map(move |_| stack)).collect()
}

/// How often a recipe could be carried out, item by item: tools keep the last ones that suit them,
/// then each input takes the first ones.
fn times_enough(world: &World, recipe: &Recipe, items: &[StackView<'_>], most: u32) -> u32 {
    // What takes time uses up no packs.
    let takes_time = recipe.duration().is_some();
    let is_full = |stack: &StackView<'_>| {
        stack.inside().is_some_and(|inside| takes_time || world.stacks(inside).next().is_some())
    };
    let is_enough = |times: &u32| {
        let mut left = items.to_vec();
        let tools = recipe.tools().iter().flat_map(|tool| (0..tool.count()).map(move |_| tool)).all(|tool| {
            let last = left.iter().rposition(|stack| stack.is_ingredient(tool));
            last.map(|last| left.remove(last)).is_some()
        });
        let inputs = recipe.inputs().iter().flat_map(|input| (0..input.count() * times).map(move |_| input));
        let inputs = inputs.into_iter().all(|input| {
            let first = left.iter().position(|stack| stack.is_ingredient(input) && !is_full(stack));
            first.map(|first| left.remove(first)).is_some()
        });
        tools && inputs
    };
    (1..=most).take_while(is_enough).last().unwrap_or(0)
}

/// As often as there are enough items where the inputs lie, beside the tools.
fn times_laid(world: &World, recipe: &Recipe, pattern: &Pattern, at: ContainerId) -> u32 {
    let slots = u32::try_from(world.slots(at).len()).unwrap();
    let wide = world.container_def(at).expect("a container").columns();
    let takes_time = recipe.duration().is_some();
    let is_full = |stack: &StackView<'_>| {
        stack.inside().is_some_and(|inside| takes_time || world.stacks(inside).next().is_some())
    };
    let rows: Vec<&[Option<u32>]> = pattern.rows().collect();
    let ways: &[bool] = if pattern.is_mirrored() { &[false, true] } else { &[false] };
    let starts = (0..slots).flat_map(|slot| ways.iter().map(move |&way| (slot, way)));
    let place = |(first, way): (u32, bool)| -> Option<Vec<u32>> {
        let mut laid = Vec::new();
        for (down, row) in (0..).zip(&rows) {
            for (nth, &input) in (0..).zip(*row) {
                let across = if way { pattern.columns() - 1 - nth } else { nth };
                let (row, column) = (first / wide + down, first % wide + across);
                let slot = Some(row * wide + column).filter(|&slot| column < wide && slot < slots)?;
                let lies = world.stacks(at).find(|(of, _)| *of == slot).map(|(_, stack)| stack);
                match (input, lies) {
                    (None, None) => {}
                    (Some(input), Some(stack)) => {
                        let input = &recipe.inputs()[input as usize];
                        let suits = stack.is_ingredient(input) && !is_full(&stack) && !stack.kind().is_protected();
                        suits.then_some(())?;
                        laid.push(slot);
                    }
                    _ => return None,
                }
            }
        }
        Some(laid)
    };
    let Some(laid) = starts.into_iter().find_map(place) else { return 0 };
    let is_enough = |times: &u32| {
        let left = world.stacks(at).map(|(slot, stack)| {
            let taken = if laid.contains(&slot) { *times } else { 0 };
            (stack.count().checked_sub(taken), stack)
        });
        let mut left: Vec<(Option<u32>, StackView<'_>)> = left.collect();
        left.iter().all(|(count, _)| count.is_some())
            && recipe.tools().iter().flat_map(|tool| (0..tool.count()).map(move |_| tool)).all(|tool| {
                let last = left.iter().rposition(|(count, stack)| *count > Some(0) && stack.is_ingredient(tool));
                last.map(|last| left[last].0 = left[last].0.map(|count| count - 1)).is_some()
            })
    };
    (1..).take_while(is_enough).last().unwrap_or(0)
}

/// Numbers with their first values that kinds list.
pub(crate) fn number_properties(world: &World) -> BTreeSet<PropertyId> {
    let kinds = world.rules().kinds();
    let numbers = kinds.flat_map(|kind| {
        let listed: Vec<PropertyId> = kind
            .properties()
            .filter(|(_, value)| matches!(value, PropertyValue::Number(_)))
            .map(|(property, _)| property)
            .collect();
        listed
    });
    numbers.collect()
}

/// In how many ticks a property of some stack falls next: of a stack that no container works on.
fn next_fall(world: &World) -> Option<u64> {
    let snapshot = world.snapshot();
    let standing = snapshot.containers.iter().chain(snapshot.holders.iter().flat_map(|holder| &holder.containers));
    let in_slots = standing.flat_map(|it| &it.stacks).chain(snapshot.packs.iter().flat_map(|it| &it.stacks));
    let in_slots = in_slots.filter(|in_slot| !in_slot.in_work);
    let hands = snapshot.holders.iter().filter_map(|holder| holder.hand.as_ref());
    let landed = snapshot.ground.iter().map(|landed| &landed.stack);
    let stacks: Vec<_> = in_slots.map(|in_slot| &in_slot.stack).chain(hands).chain(landed).collect();
    let rules = world.rules();
    let falls = rules.properties().iter().filter_map(|property| Some((property.name(), property.falls()?)));
    let next = falls.filter_map(|(name, falling)| {
        let value = |stack: &Stack| {
            let kind = rules.kind(rules.find_kind(&stack.kind)?)?;
            let first = match kind.property(rules.find_property(name)?)? {
                PropertyValue::Number(number) => number,
                PropertyValue::Text(_) => return None,
            };
            Some(stack.properties.get(name).copied().unwrap_or(first))
        };
        let every = u64::from(falling.every());
        let is_above = stacks.iter().filter_map(|stack| value(stack)).any(|value| value > falling.min());
        is_above.then(|| every - snapshot.clock % every)
    });
    next.min()
}
