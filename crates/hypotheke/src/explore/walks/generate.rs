//! What a walk plays next: drawn at random, and weighted toward the edges, where rules break.
//! Counts at and one beyond what fits, whole stacks, slots where something else lies, containers as
//! well as slots, and what has just come within reach.

use rand_core::Rng;
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::explore::model::places::{Source, fitting, has_door};
use crate::explore::model::scope::{Amounts, Scope};
use crate::explore::walks::stock::Stock;
use crate::id::{ContainerId, HolderId, KindId, MarkId, PropertyId, RecipeId, StackId};
use crate::language::LiftAmount;
use crate::language::Verb;
use crate::language::{Amount, Landing, NamedAction, SortKey};
use crate::narrow;
use crate::ops::{Action, Offered, Operation, Variant};
use crate::quantity::Decimal;
use crate::ruleset::{DealSide, PropertyValue};
use crate::snapshot::Departures;
use crate::world::{Cell, GROUND, Place, Spot, World};

/// Generates operations within a scope.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Generator<'p> {
    scope: &'p Scope,
    /// Each as often as it weighs.
    choices: Vec<Verb>,
    /// No limit for creating and consuming.
    is_free: bool,
}

/// The world of which an operation is drawn.
struct Scene<'w> {
    world: &'w World,
    departures: &'w Departures,
    containers: &'w [ContainerId],
    lasting: usize,
    sources: &'w [Source],
    holders: &'w [HolderId],
    scope: &'w Scope,
    /// Nothing bounds what is drawn.
    is_free: bool,
    random: &'w mut Xoshiro256PlusPlus,
}

impl<'p> Generator<'p> {
    /// What the scope says.
    pub(in crate::explore) fn of(scope: &'p Scope) -> Generator<'p> {
        Generator::new(scope, scope.verbs.clone(), false)
    }

    /// The same, where what the scope does not bound is free.
    pub(in crate::explore) fn unbound(scope: &'p Scope) -> Generator<'p> {
        let verbs = if scope.has_verbs { scope.verbs.clone() } else { Verb::ALL.to_vec() };
        Generator::new(scope, verbs, !scope.has_verbs)
    }

    fn new(scope: &'p Scope, verbs: Vec<Verb>, is_free: bool) -> Generator<'p> {
        let choices = verbs.into_iter().flat_map(|verb| vec![verb; verb.row().draws]).collect();
        Generator { scope, choices, is_free }
    }

    /// Generates about half of all that could be generated: what is done often enough in one walk
    /// meets more of what is rare, and another walk leaves out something else.
    pub(in crate::explore) fn some(&self, random: &mut Xoshiro256PlusPlus) -> Generator<'p> {
        let mut kept: Vec<Verb> = Vec::new();
        let mut left_out: Vec<Verb> = Vec::new();
        for &choice in &self.choices {
            if kept.contains(&choice) || left_out.contains(&choice) {
                continue;
            }
            // No other operation is possible in an empty world.
            let stays = matches!(choice, Verb::Create | Verb::Move) || random.next_u64().is_multiple_of(2);
            if stays { kept.push(choice) } else { left_out.push(choice) }
        }
        let choices = self.choices.iter().copied().filter(|choice| kept.contains(choice)).collect();
        Generator { choices, ..self.clone() }
    }

    /// Generates only what is done in some operations.
    pub(in crate::explore) fn keep_only(&mut self, actions: &[&NamedAction]) {
        let is_said = |choice: &Verb| actions.iter().any(|action| action.verb() == *choice);
        if self.choices.iter().any(is_said) {
            self.choices.retain(is_said);
        }
    }

    /// An operation; `None` if the chosen one is not possible here.
    pub(in crate::explore) fn draw(
        &self,
        world: &World,
        departures: &Departures,
        stock: &mut Stock,
        random: &mut Xoshiro256PlusPlus,
    ) -> Option<Operation> {
        stock.look(self.scope, world);
        let Stock { containers, lasting, sources, holders, .. } = &*stock;
        let (scope, is_free) = (self.scope, self.is_free);
        let mut scene =
            Scene { world, departures, containers, lasting: *lasting, sources, holders, random, scope, is_free };
        let choice = *scene.one_of(&self.choices)?;
        self.chosen(&mut scene, choice)
    }

    fn chosen(&self, scene: &mut Scene<'_>, verb: Verb) -> Option<Operation> {
        let operation = match verb {
            Verb::Together => return self.list(scene),
            Verb::Mark | Verb::Unmark => self.look(scene, verb == Verb::Mark)?,
            Verb::Create => self.create(scene)?,
            Verb::Consume => self.consume(scene)?,
            verb => scene.verb(verb)?,
        };
        if operation.actor.is_some() {
            return Some(operation);
        }
        if !self.is_free {
            let actor = match verb {
                // A shortcut belongs to its holder, and who departs acts by departing.
                Verb::Bind | Verb::Unbind | Verb::Depart | Verb::Arrive | Verb::Trade | Verb::Wait => None,
                Verb::Create | Verb::Consume | Verb::Mark | Verb::Unmark | Verb::Set | Verb::Resize => {
                    let changers = self.scope.changers();
                    *scene.one_of(self.scope.whose_change_matters(scene.world, &operation, &changers))?
                }
                _ => {
                    let performers = self.scope.performers();
                    *scene.one_of(self.scope.who_matters(scene.world, &operation, &performers))?
                }
            };
            return Some(Operation { actor, ..operation });
        }
        // If a container must be opened, the actor matters; otherwise some operations have an
        // actor.
        let acts = if self.scope.actors_matter { 4 } else { 1 };
        if scene.below(5) < acts {
            let actor = scene.holder();
            return Some(Operation { actor, ..operation });
        }
        Some(operation)
    }

    /// Two or three operations as one. Arrivals, departures and the contents of packs are excluded:
    /// all names of a list must exist before it.
    fn list(&self, scene: &mut Scene<'_>) -> Option<Operation> {
        scene.leave_out_packs();
        let is_plain = |verb: &Verb| !matches!(verb, Verb::Together | Verb::Depart | Verb::Arrive | Verb::Wait);
        let choices: Vec<Verb> = self.choices.iter().copied().filter(is_plain).collect();
        let count = 2 + scene.below(2);
        let mut steps = Vec::new();
        for _ in 0..count {
            let choice = *scene.one_of(&choices)?;
            steps.extend(self.chosen(scene, choice));
        }
        (steps.len() > 1).then(|| Operation::together(steps))
    }

    fn look(&self, scene: &mut Scene<'_>, sets: bool) -> Option<Operation> {
        let all: Vec<MarkId> = scene.all_marks();
        let known = if sets { &self.scope.set } else { &self.scope.unset };
        let mark = *scene.one_of(if known.is_empty() && self.is_free { &all } else { known })?;
        let at = scene.stack_anywhere()?;
        Some(if sets { Operation::marking(at, mark) } else { Operation::unmarking(at, mark) })
    }

    fn create(&self, scene: &mut Scene<'_>) -> Option<Operation> {
        let kind = match scene.one_of(&self.scope.created).copied() {
            Some((kind, most)) if scene.world.count(kind, None) < most => kind,
            Some(_) => return None,
            None => scene.any_kind()?,
        };
        if !self.is_free {
            let most = self.scope.created.iter().find(|(created, _)| *created == kind).map_or(0, |(_, most)| *most);
            let more = narrow::at_most(most - scene.world.count(kind, None));
            let amount = scene.amount(more, 0);
            let to = if scene.below(6) == 0 { Place::Ground } else { scene.target_or_hand((kind.0, kind.0))? };
            return Some(Operation::creating(amount, kind, to));
        }
        let limit = scene.world.rules().known_kind(kind).stack_limit();
        let count = match scene.below(4) {
            0 => limit,
            1 => limit.saturating_add(1),
            2 => 1 + u32::try_from(scene.below(limit as usize)).unwrap_or(0),
            _ => 1,
        };
        let amount = if scene.below(4) == 0 { Amount::UpTo(count) } else { Amount::Exactly(count) };
        let to = scene.target(Some((kind.0, kind.0)))?;
        let plain = Operation::creating(amount, kind, to);
        if scene.below(3) > 0 {
            return Some(plain);
        }
        let all: Vec<MarkId> = scene.all_marks();
        let Some(&mark) = scene.one_of(&all) else { return Some(plain) };
        match plain.action {
            Action::Create { amount, kind, to, landing, .. } => {
                let variant = Variant::plain().marked(mark);
                Some(Operation { actor: None, action: Action::Create { amount, kind, variant, to, landing } })
            }
            _ => None,
        }
    }

    fn consume(&self, scene: &mut Scene<'_>) -> Option<Operation> {
        if !self.is_free {
            let from = scene.stack_anywhere()?;
            let (kind, count) = scene.world.stacks_in(Some(from)).first().map(|it| (it.kind().handle(), it.count()))?;
            let amount = scene.amount(count, 0);
            return self.scope.consumed.contains(&kind).then(|| Operation::consuming(amount, kind, from));
        }
        let source = scene.source()?;
        let (from, count) = scene.slot_or_container(source);
        let amount = scene.amount(count, 0);
        Some(Operation::consuming(amount, scene.world.rules().kind_id(source.cell.kind), from))
    }
}

/// A number below a bound, 0 if the bound is 0: the high bits of a product, since a division takes
/// longer than the rest of the choice.
pub(in crate::explore) fn below(random: &mut Xoshiro256PlusPlus, count: usize) -> usize {
    let product = u128::from(random.next_u64()) * count as u128;
    usize::try_from(product >> 64).unwrap_or(0)
}

impl<'w> Scene<'w> {
    fn leave_out_packs(&mut self) {
        // Contents of packs come last.
        let world = self.world;
        self.containers = &self.containers[..self.lasting];
        let outer = self.sources.iter().take_while(|it| world.is_lasting(it.container.index)).count();
        self.sources = &self.sources[..outer];
    }

    fn below(&mut self, count: usize) -> usize {
        below(self.random, count)
    }

    fn one_of<'t, T>(&mut self, list: &'t [T]) -> Option<&'t T> {
        let at = self.below(list.len());
        list.get(at)
    }

    fn all_marks(&self) -> Vec<MarkId> {
        (0..).map(|mark| self.world.rules().mark_id(mark)).take(self.world.rules().marks().len()).collect()
    }

    fn holder(&mut self) -> Option<HolderId> {
        let at = self.below(self.holders.len());
        self.holders.get(at).copied()
    }

    fn container(&mut self) -> Option<ContainerId> {
        // Otherwise the contents of packs would be chosen too rarely.
        if self.below(4) == 0 {
            let packs = self.containers.get(self.lasting..).unwrap_or(&[]);
            if let Some(&pack) = self.one_of(packs) {
                return Some(pack);
            }
        }
        let at = self.below(self.containers.len());
        self.containers.get(at).copied()
    }

    fn source(&mut self) -> Option<Source> {
        let at = self.below(self.sources.len());
        self.sources.get(at).copied()
    }

    fn any_kind(&mut self) -> Option<KindId> {
        let kinds = self.world.rules().kinds().len();
        u32::try_from(self.below(kinds)).ok().filter(|_| kinds > 0).map(|kind| self.world.rules().kind_id(kind))
    }

    /// The contents of the ground.
    fn landed(&mut self) -> Option<Cell> {
        let world = self.world;
        let at = self.below(world.stacks_of(GROUND).count());
        world.stacks_of(GROUND).nth(at).map(|(_, cell)| cell)
    }

    /// A slot, or the whole container, and how many items of the kind it has.
    fn slot_or_container(&mut self, source: Source) -> (Place, u32) {
        if !self.names_whole_places() || self.below(3) > 0 {
            return ((source.container, source.slot).into(), source.cell.count);
        }
        let place = Place::Container(source.container);
        let count = self.world.count_within_reach(self.world.rules().kind_id(source.cell.kind), Some(place));
        (place, narrow::at_most(count))
    }

    fn stack_anywhere(&mut self) -> Option<Place> {
        if self.below(4) == 0
            && let Some(cell) = self.landed()
        {
            return Some(Place::OnGround(StackId(cell.id)));
        }
        if self.scope.hands
            && !self.is_free
            && self.below(4) == 0
            && let Some(holder) = self.holder().filter(|&holder| self.world.hand(holder).is_some())
        {
            return Some(Place::Hand(holder));
        }
        self.source().map(|source| (source.container, source.slot).into())
    }

    /// A slot; one where the stack would be merged, if there is one and it is drawn.
    fn slot_for(&mut self, lies: Option<(u32, u32)>) -> Option<(ContainerId, u32)> {
        if let Some((_, class)) = lies
            && self.below(3) == 0
        {
            let sources = self.sources;
            let alike = || sources.iter().filter(|it| it.cell.class == class);
            let at = self.below(alike().count());
            if let Some(found) = alike().nth(at) {
                return Some((found.container, found.slot));
            }
        }
        let container = self.container()?;
        let slots = self.world.slots_of(container.index);
        let slot = match self.below(4) {
            // The last one is forgotten most often.
            0 => slots.len().saturating_sub(1),
            1 => slots.iter().position(|cell| cell.is_empty()).unwrap_or(0),
            _ => self.below(slots.len()),
        };
        Some((container, u32::try_from(slot).ok().filter(|_| !slots.is_empty())?))
    }

    /// A slot or a container.
    fn target(&mut self, lies: Option<(u32, u32)>) -> Option<Place> {
        let whole = self.names_whole_places() && self.below(3) == 0;
        if whole { self.container().map(Place::from) } else { self.slot_for(lies).map(Place::from) }
    }

    fn target_or_hand(&mut self, class: (u32, u32)) -> Option<Place> {
        if self.scope.hands && self.below(6) == 0 {
            return self.holder().map(Place::Hand);
        }
        self.target(Some(class))
    }

    fn names_whole_places(&self) -> bool {
        self.is_free || self.scope.whole_places
    }

    /// An amount that the scope tries.
    fn amount_in_scope(&mut self, count: u32) -> Amount {
        match (self.scope.amounts, self.below(5)) {
            (_, 0) => Amount::UpTo(count),
            (Amounts::Every, _) => Amount::Exactly(1 + u32::try_from(self.below(count as usize)).unwrap_or(0)),
            (Amounts::Some, 1) => Amount::Exactly(count.div_ceil(2)),
            (Amounts::Some, 2) => Amount::Exactly(1),
            (Amounts::Some, _) => Amount::Exactly(count),
        }
    }

    /// At the edges: one, half, all, what fits, and one more than that.
    fn amount(&mut self, count: u32, fits: u32) -> Amount {
        if !self.is_free {
            return self.amount_in_scope(count);
        }
        let some = 1 + u32::try_from(self.below(count as usize)).unwrap_or(0);
        match self.below(12) {
            0 | 1 => Amount::Exactly(1),
            2 => Amount::Exactly(count.div_ceil(2)),
            3 | 4 => Amount::Exactly(count),
            5 => Amount::All,
            6 | 7 if fits > 0 => Amount::Exactly(fits.min(count)),
            8 if fits > 0 => Amount::Exactly(fits.saturating_add(1)),
            9 => Amount::UpTo(count.saturating_add(1)),
            10 => Amount::UpTo(some),
            _ => Amount::Exactly(some),
        }
    }

    fn fits(&self, to: Place, cell: Cell) -> u32 {
        match to {
            Place::Slot(container, slot) => match self.world.slots_of(container.index).get(slot as usize) {
                Some(&there) if there.is_empty() || there.class == cell.class => {
                    fitting(self.world, Spot { container: container.index, slot }, there, cell)
                }
                _ => 0,
            },
            _ => 0,
        }
    }

    fn verb(&mut self, verb: Verb) -> Option<Operation> {
        match verb {
            Verb::Move | Verb::Swap | Verb::Split | Verb::Merge => self.between_slots(verb),
            Verb::Drop if self.scope.hands && !self.is_free && self.below(4) == 0 => {
                let holder = self.holder()?;
                let amount = self.world.hand(holder).map(crate::StackView::count).map(|count| self.amount(count, 0))?;
                Some(Operation::dropping(amount, Place::Hand(holder), Landing::default()))
            }
            Verb::Drop => {
                let source = self.source()?;
                let (from, count) = self.slot_or_container(source);
                let amount = self.amount(count, 0);
                let kind = self.world.rules().kind_id(source.cell.kind);
                Some(Operation::dropping(amount, from, Landing::default()).only(kind))
            }
            Verb::PickUp => self.pick_up(),
            Verb::Equip | Verb::Unequip | Verb::Lift | Verb::Put | Verb::Return => self.by_a_holder(verb),
            Verb::Bind | Verb::Unbind => self.shortcut(verb == Verb::Bind),
            Verb::Open | Verb::Close | Verb::Leave => {
                let holder = self.holder()?;
                let doors: Vec<ContainerId> =
                    self.containers.iter().copied().filter(|&it| has_door(self.world, it)).collect();
                let door = self.one_of(&doors).copied();
                let container = match self.is_free && self.below(3) == 0 {
                    true => self.container(),
                    false => door.or_else(|| self.container().filter(|_| self.is_free)),
                };
                if verb == Verb::Leave {
                    return Some(Operation::leaving(holder));
                }
                let container = container?;
                Some(match verb {
                    Verb::Open => Operation::opening(container, holder),
                    _ => Operation::closing(self.opened_by(holder).unwrap_or(container), holder),
                })
            }
            Verb::Give => {
                // One that is open may have to be closed to others.
                let opener = if self.below(2) == 0 { self.holder() } else { None };
                let open = opener.and_then(|opener| self.opened_by(opener));
                let container = open.or_else(|| self.container())?;
                let owner = if self.below(4) == 0 { None } else { self.holder() };
                Some(Operation::giving(container, owner))
            }
            Verb::Buy => self.deal(DealSide::Buy),
            Verb::Sell => self.deal(DealSide::Sell),
            Verb::Trade => self.trade(),
            Verb::Craft => self.craft(),
            Verb::Cancel => self.cancel(),
            Verb::Wait => self.wait(),
            Verb::Use => self.use_items(),
            Verb::Sort => {
                let (container, by) = (self.container()?, *self.one_of(&SortKey::ALL)?);
                Some(Operation::sorting(container, by))
            }
            Verb::Resize => self.resize(),
            Verb::Set => self.set(),
            Verb::Depart => Some(Operation::departing(self.traveller()?)),
            Verb::Arrive => {
                let names: Vec<&str> = self.departures.names().collect();
                let name = *self.one_of(&names)?;
                Some(Operation::arriving(self.departures.get(name)?.clone()))
            }
            // What names a container and nothing else; the others are drawn elsewhere.
            _ => {
                let (container, holder) = (self.container()?, self.holder()?);
                Action::at_container(verb, container.into()).map(|action| Operation::from(action).by(holder))
            }
        }
    }

    /// A deal at a container, mostly for what there is.
    fn deal(&mut self, side: DealSide) -> Option<Operation> {
        let (world, holder) = (self.world, self.holder()?);
        let rules = world.rules();
        let is_at = |id: &ContainerId| {
            let name = world.own_name(id.index);
            world.stands(*id) && rules.deals().iter().any(|deal| deal.at().any(|at| at == name))
        };
        let places: Vec<ContainerId> = self.containers.iter().copied().filter(is_at).collect();
        let at = *self.one_of(&places)?;
        let from = if side == DealSide::Buy { Place::Container(at) } else { Place::Holder(holder) };
        let lot_of = |kind: KindId| Some((kind, rules.deal_for(side, kind, world.own_name(at.index))?.1));
        let mut there: Vec<KindId> =
            world.all_stacks_in(Some(from)).iter().map(|stack| stack.kind().handle()).collect();
        there.sort_unstable();
        there.dedup();
        let lots: Vec<_> = there.into_iter().filter_map(lot_of).collect();
        let any = if self.below(8) == 0 { self.any_kind().and_then(lot_of) } else { None };
        let (kind, lot) = any.or_else(|| self.one_of(&lots).cloned())?;
        let count = narrow::at_most(world.count_within_reach(kind, Some(from)));
        let amount = match self.amount((count / lot.size).max(1), 0) {
            // Now and then what is no whole number of lots.
            amount if self.is_free && self.below(8) == 0 => amount,
            Amount::Exactly(lots) => Amount::Exactly(lots.saturating_mul(lot.size)),
            Amount::UpTo(lots) => Amount::UpTo(lots.saturating_mul(lot.size)),
            Amount::All => Amount::All,
        };
        Some(match side {
            DealSide::Buy => Operation::buying(amount, kind, at, holder),
            DealSide::Sell => Operation::selling(amount, kind, at, holder),
        })
    }

    /// A recipe at a container or a holder's own one, mostly for what there is.
    fn craft(&mut self) -> Option<Operation> {
        type At = (Place, Option<HolderId>);
        let world = self.world;
        let at_containers = self.containers.iter().map(|&at| (Place::Container(at), None));
        let own = self.scope.actors.iter().map(|&holder| (Place::Holder(holder), Some(holder)));
        let places: Vec<At> = at_containers.chain(own).collect();
        let of_place = |&(at, actor): &At| world.craftable(at, actor).into_iter().map(move |it| (it, at, actor));
        let supplied: Vec<((RecipeId, u64), Place, Option<HolderId>)> = places.iter().flat_map(of_place).collect();
        let any = if self.below(8) == 0 { self.any_recipe(&places) } else { None };
        let ((recipe, times), at, actor) = any.or_else(|| self.one_of(&supplied).copied())?;
        let times = narrow::at_most(times).max(1);
        let amount = match self.amount(times, 0) {
            Amount::All => Amount::UpTo(times),
            amount => amount,
        };
        let operation = Operation { actor, ..Operation::crafting(amount, recipe, at) };
        let yields = world.rules().recipe(recipe).map_or(0, |recipe| recipe.yields().len());
        if yields == 0 {
            return Some(operation);
        }
        let drawn = 1 + narrow::at_most(self.below(yields));
        Some(operation.with_yield(drawn))
    }

    /// What a container works on is cancelled; now and then something else is.
    fn cancel(&mut self) -> Option<Operation> {
        let world = self.world;
        let working = self.containers.iter().filter_map(|&at| Some((world.job(at)?.recipe(), at)));
        let working: Vec<(RecipeId, ContainerId)> = working.collect();
        if self.below(8) == 0 {
            let at = self.container()?;
            let recipes: Vec<RecipeId> = world.rules().recipes_at(world.name_of_station(at.index)).collect();
            return self.one_of(&recipes).map(|&recipe| Operation::cancelling(recipe, at));
        }
        self.one_of(&working).map(|&(recipe, at)| Operation::cancelling(recipe, at))
    }

    /// To the next tick at which something is due, or one tick; if all is free, also a bit more.
    fn wait(&mut self) -> Option<Operation> {
        let (world, clock) = (self.world, self.world.clock());
        let next = world.ticks_to_due();
        let is_due = world.jobs_due().next().is_some_and(|(due, _)| due <= clock);
        if !self.is_free {
            let one = is_due || self.scope.each_tick && next.is_some();
            let ticks = if one && self.below(2) == 0 { Some(1) } else { next.or(one.then_some(1)) };
            return ticks.map(|ticks| Operation::waiting(narrow::at_most(ticks)));
        }
        let more = self.below(4) as u64;
        let ticks = match self.below(3) {
            0 => more,
            1 => next.unwrap_or(1),
            _ => next.unwrap_or(1).saturating_add(more),
        };
        Some(Operation::waiting(narrow::at_most(ticks)))
    }

    /// Items that a holder uses, mostly such that have a use.
    fn use_items(&mut self) -> Option<Operation> {
        let actor = self.holder()?;
        let world = self.world;
        for _ in 0..4 {
            let from = self.stack_anywhere()?;
            let Some(stack) = world.stacks_in(Some(from)).first().copied() else { continue };
            if !stack.kind().has_use() && self.below(8) > 0 {
                continue;
            }
            let amount = match self.amount(stack.count(), 0) {
                Amount::All => Amount::Exactly(1),
                amount => amount,
            };
            return Some(Operation::using(amount, stack.kind().handle(), from, actor));
        }
        None
    }

    /// A recipe, whether there is enough for it or not.
    fn any_recipe(
        &mut self,
        places: &[(Place, Option<HolderId>)],
    ) -> Option<((RecipeId, u64), Place, Option<HolderId>)> {
        let rules = self.world.rules();
        let (at, actor) = *self.one_of(places)?;
        let recipes: Vec<RecipeId> = match at {
            Place::Container(at) => rules.recipes_at(self.world.name_of_station(at.index)).collect(),
            _ => rules.own_recipes().collect(),
        };
        Some(((*self.one_of(&recipes)?, 0), at, actor))
    }

    /// Some of what one holder has for some of what another has.
    fn trade(&mut self) -> Option<Operation> {
        let mut side = || {
            let of = self.holder()?;
            let stacks: Vec<(KindId, u32)> = self
                .world
                .all_stacks_in(Some(of.into()))
                .iter()
                .map(|stack| (stack.kind().handle(), stack.count()))
                .collect();
            let (kind, there) = *self.one_of(&stacks)?;
            let count = if self.below(2) == 0 { there } else { 1 + u32::try_from(self.below(there as usize)).ok()? };
            Some(Offered { count, kind, of })
        };
        Some(Operation::trading(side()?, side()?))
    }

    fn between_slots(&mut self, verb: Verb) -> Option<Operation> {
        let source = self.source()?;
        let (cell, at) = (source.cell, (source.container, source.slot));
        match verb {
            Verb::Swap => {
                let other = self.slot_for(None)?;
                Some(Operation::swapping(at, other))
            }
            Verb::Split => {
                let to = self.target(None)?;
                let amount = match self.below(3) {
                    0 if cell.count > 1 => Amount::Exactly(cell.count - 1),
                    _ => self.amount(cell.count, 0),
                };
                let (Amount::Exactly(count) | Amount::UpTo(count)) = amount else { return None };
                Some(Operation::splitting(count, at, to))
            }
            Verb::Merge => {
                let onto = self.slot_for(Some((cell.kind, cell.class)))?;
                let fits = self.fits(onto.into(), cell);
                Some(Operation::merging(self.amount(cell.count, fits), at, onto))
            }
            _ => {
                let to = self.target(Some((cell.kind, cell.class)))?;
                let fits = self.fits(to, cell);
                let (from, count) = self.slot_or_container(source);
                let amount = self.amount(count, fits);
                Some(Operation::moving(amount, from, to).only(self.world.rules().kind_id(cell.kind)))
            }
        }
    }

    fn pick_up(&mut self) -> Option<Operation> {
        let cell = self.landed()?;
        let to = match self.below(4) {
            0 if self.names_whole_places() => self.holder().map(Place::Holder)?,
            _ => self.target(Some((cell.kind, cell.class)))?,
        };
        let fits = self.fits(to, cell);
        let amount = self.amount(cell.count, fits);
        Some(Operation::picking_up(amount, StackId(cell.id), to))
    }

    fn by_a_holder(&mut self, verb: Verb) -> Option<Operation> {
        let holder = self.holder()?;
        let held = self.world.hand(holder).map(|stack| (stack.count(), stack.cell_class()));
        match (verb, held) {
            (Verb::Put, Some((count, class))) => {
                let (to, amount) = (self.target(Some(class))?, self.amount(count, 0));
                Some(Operation::putting(amount, to, holder))
            }
            (Verb::Return, Some((count, _))) => Some(Operation::returning(self.amount(count, 0), holder)),
            (Verb::Put | Verb::Return, None) => None,
            (Verb::Lift, _) => {
                let source = self.source()?;
                let amount = LiftAmount::Amount(self.amount(source.cell.count, 0));
                let share = if self.is_free && self.below(3) == 0 { LiftAmount::Half } else { amount };
                Some(Operation::lifting(share, (source.container, source.slot), holder))
            }
            (Verb::Equip, _) => {
                let source = self.source()?;
                let one = self.below(2) == 0;
                let amount = if one { Amount::Exactly(1) } else { self.amount(source.cell.count, 0) };
                Some(Operation::equipping(amount, (source.container, source.slot), holder))
            }
            _ => {
                let is_worn = |it: &&Source| {
                    let worn = self.world.container_def(it.container).is_some_and(crate::ContainerDef::is_worn);
                    worn && self.world.carrier(it.container) == Some(holder)
                };
                let worn: Vec<Source> = self.sources.iter().filter(is_worn).copied().collect();
                let source = *self.one_of(&worn)?;
                let amount = if self.below(2) == 0 { Amount::All } else { self.amount(source.cell.count, 0) };
                let mut operation = Operation::unequipping(amount, (source.container, source.slot), holder);
                if self.below(2) == 0 {
                    let target = self.target(None);
                    if let Action::Unequip { to, .. } = &mut operation.action {
                        *to = target;
                    }
                }
                Some(operation)
            }
        }
    }

    fn shortcut(&mut self, binds: bool) -> Option<Operation> {
        let holder = self.holder()?;
        let shortcuts = self.world.shortcuts(holder).len();
        let shortcut = u32::try_from(self.below(shortcuts)).ok().filter(|_| shortcuts > 0)?;
        if !binds {
            return Some(Operation::unbinding(holder, shortcut));
        }
        let mut kind = self.source().map(|source| self.world.rules().kind_id(source.cell.kind))?;
        if !self.is_free {
            let had: Vec<KindId> =
                self.world.all_stacks_in(Some(holder.into())).iter().map(|stack| stack.kind().handle()).collect();
            kind = *self.one_of(&had)?;
        }
        Some(Operation::binding(kind, holder, shortcut))
    }

    fn opened_by(&mut self, holder: HolderId) -> Option<ContainerId> {
        let open: Vec<ContainerId> =
            self.containers.iter().copied().filter(|&it| self.world.has_opened(holder, it)).collect();
        self.one_of(&open).copied()
    }

    /// Usually a size that removes a slot with contents.
    fn resize(&mut self) -> Option<Operation> {
        let container = self.container()?;
        let (least, most) = self.world.container_def(container)?.slot_bounds();
        let last = self.world.slots_of(container.index).iter().rposition(|cell| !cell.is_empty());
        let slots = match last.and_then(|last| u32::try_from(last).ok()).filter(|last| *last >= least) {
            Some(last) if self.below(2) == 0 => last,
            _ => least + u32::try_from(self.below((most - least + 1) as usize)).unwrap_or(0),
        };
        let spills = self.below(2) == 0;
        Some(if spills {
            Operation::resizing_with_spill(container, slots)
        } else {
            Operation::resizing(container, slots)
        })
    }

    fn set(&mut self) -> Option<Operation> {
        let at = self.stack_anywhere()?;
        let kind = self.world.stacks_in(Some(at)).first().map(|stack| stack.kind())?;
        let number = |(property, value): (PropertyId, PropertyValue<'_>)| match value {
            PropertyValue::Number(number) => Some((property, number)),
            PropertyValue::Text(_) => None,
        };
        let known: Vec<(PropertyId, Decimal)> = kind.properties().filter_map(number).collect();
        let &(property, first) = self.one_of(&known)?;
        if !self.is_free {
            let &(property, value) = self.one_of(&self.scope.values)?;
            return kind.property(property).map(|_| Operation::setting(at, property, value));
        }
        let value = match self.below(3) {
            0 => first,
            1 => Decimal::from(0u32),
            _ => Decimal::from_thousandths(500 * i64::try_from(self.below(4)).unwrap_or(0)),
        };
        Some(Operation::setting(at, property, value))
    }

    /// A container without a holder, or a holder.
    fn traveller(&mut self) -> Option<Place> {
        let standing = self.containers.iter().copied().filter(|&it| self.world.stands(it)).map(Place::Container);
        let all: Vec<Place> = standing.chain(self.holders.iter().copied().map(Place::Holder)).collect();
        self.one_of(&all).copied()
    }
}
