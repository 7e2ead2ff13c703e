//! craft: items of a container, or of a holder, change into others by a recipe.
//!
//! The inputs leave, then the outputs come in. At a container the game does that, so that access
//! lists do not count; a holder's own items change as the holder consumes and creates. Caps and
//! weight caps are judged for the world after that.

use std::num::NonZeroU32;

use rustc_hash::FxHashMap;

use super::carry::{Going, Request, Source, WithoutNumber};
use super::create::max_countable;
use super::draft::{Draft, Floors};
use super::operation::{Action, Variant};
use super::reasons::Portion;
use super::refusal::{Cause, Refusal, Unknown};
use super::{Done, Planned};
use crate::id::{ContainerId, HolderId, KindId, RecipeId};
use crate::language::Amount;
use crate::narrow;
use crate::ruleset::{Access, Allocation, Ingredient, Laid, Of, Recipe, Supply, WhenFull};
use crate::world::{Cell, Job, Place, Spot, World};

pub(super) fn plan(
    draft: &mut Draft<'_>,
    amount: Amount,
    (recipe, yield_number): (RecipeId, Option<u32>),
    at: Place,
) -> Planned {
    let mut crafting = Crafting::find(draft, (recipe, yield_number), at)?;
    let (requested, is_exact) = match amount {
        Amount::Exactly(times) if times > 0 => (times, true),
        Amount::UpTo(times) if times > 0 => (times, false),
        _ => return Err(Refusal::new(Cause::BadAmount)),
    };
    let tried = requested.min(crafting.recipe.max_times());
    if is_exact && tried < requested {
        return Err(Refusal::new(Cause::OneAtATime { recipe }));
    }
    if let Some(job) = crafting.job_in_the_way(draft) {
        return Err(Refusal::new(Cause::Working { at, recipe: job.recipe }));
    }
    let done = |times: u64| Done { requested: Some(u64::from(requested)), count: times };
    if yield_number.is_none() {
        crafting.yield_number = crafting.draw(draft);
    }
    let Err(failed) = crafting.attempt(draft, u64::from(tried)) else { return Ok(done(u64::from(tried))) };
    let start = draft.point();
    let could = crafting.most(draft, failed.most.min(u64::from(tried) - 1));
    if !is_exact && could > 0 {
        return Ok(done(could));
    }
    draft.go_back_to(&start);
    // Of up to a number, not even one is possible: that is what is missing.
    let failed = if is_exact { failed } else { crafting.attempt(draft, 1).err().unwrap_or(failed) };
    let first = failed.causes.first().copied().unwrap_or(Cause::BadAmount);
    draft.note_causes(failed.causes);
    Err(Refusal::new(first).up_to(could))
}

impl Draft<'_> {
    /// Starts a recipe that takes time, once, if all that it needs is in a container that works on
    /// nothing.
    pub(super) fn start_once(&mut self, number: RecipeId, container: u32, clock: u64) -> Option<Job> {
        let recipe = self.world.rules.recipe(number)?;
        let (at, source) = (Place::Container(self.container_id(container)), Source::Container(container));
        let crafting = Crafting { recipe, number, at, source, yield_number: None, clock };
        crafting.attempt(self, 1).ok()?;
        self.job(container)
    }
}

/// A recipe, and the items that it is carried out with.
struct Crafting<'r> {
    recipe: &'r Recipe,
    number: RecipeId,
    at: Place,
    /// A container, or a holder.
    source: Source,
    /// Which of its yields it makes.
    yield_number: Option<u32>,
    /// The tick at which it starts.
    clock: u64,
}

/// No position of the pattern of a recipe matches.
struct NotLaid;

/// Why it can't be carried out that number of times.
struct Failed {
    /// The checks that fail, in order.
    causes: Vec<Cause>,
    /// It can't be carried out more often than this, and perhaps only less often.
    most: u64,
}

impl<'r> Crafting<'r> {
    fn find(
        draft: &Draft<'r>,
        (number, yield_number): (RecipeId, Option<u32>),
        at: Place,
    ) -> Result<Crafting<'r>, Refusal> {
        let rules = &draft.world.rules;
        let unknown = |unknown| Refusal::new(Cause::Unknown(unknown));
        let recipe = rules.recipe(number).ok_or(unknown(Unknown::Recipe))?;
        let source = source(draft, at)?;
        if yield_number.is_some() && !recipe.has_yield(yield_number) {
            return Err(unknown(Unknown::Yield));
        }
        let is_here = match source {
            Source::Container(container) => rules.is_station(number, draft.station_name(container)),
            Source::Holder(_) | Source::Spot(_) => recipe.at().len() == 0,
        };
        if !is_here {
            return Err(Refusal::new(Cause::NoRecipe { at, recipe: number }));
        }
        Ok(Crafting { recipe, number, at, source, yield_number, clock: draft.world.clock() })
    }

    /// Draws one of its yields.
    fn draw(&self, draft: &mut Draft<'_>) -> Option<u32> {
        let total = self.recipe.total_weight();
        if total == 0 { None } else { self.recipe.drawn(draft.draw(total)) }
    }

    /// Carries it out a number of times at once, or not at all.
    fn attempt(&self, draft: &mut Draft<'_>, times: u64) -> Result<(), Failed> {
        let (actor, noted) = (draft.actor, draft.take_noted());
        act_at(draft, self.source);
        let start = draft.point();
        draft.nested_lists += 1;
        let done = self.change(draft, times);
        draft.nested_lists -= 1;
        if done.is_err() || self.takes_time() {
            draft.go_back_to(&start);
        }
        if done.is_ok() && self.takes_time() {
            draft.begin_step();
            self.start(draft, times);
        }
        draft.begin_step();
        let _ = draft.take_noted();
        draft.note_first(noted);
        draft.actor = actor;
        done
    }

    fn takes_time(&self) -> bool {
        self.recipe.duration().is_some()
    }

    /// What the container works on already, if the recipe takes time.
    fn job_in_the_way(&self, draft: &Draft<'_>) -> Option<Job> {
        match self.source {
            Source::Container(container) if self.takes_time() => draft.job(container),
            _ => None,
        }
    }

    /// The stacks that are there for it. No container works on a pack.
    fn stacks(&self, draft: &Draft<'_>) -> Vec<Stack> {
        let mut stacks = stacks(draft, self.source);
        if self.takes_time() {
            stacks.iter_mut().for_each(|stack| stack.may_go &= !stack.cell.is_pack());
        }
        stacks
    }

    /// The first position of its pattern that has one of each input. An error if it has a pattern, and
    /// no position matches.
    fn laid(&self, draft: &Draft<'_>, stacks: &[Stack]) -> Result<Option<Laid>, NotLaid> {
        let (Some(pattern), Source::Container(container)) = (self.recipe.pattern(), self.source) else {
            return Ok(None);
        };
        let columns = draft.world.rules.containers()[draft.state(container).def as usize].columns();
        let stack_in = |slot: u32| stacks.binary_search_by_key(&slot, |stack| stack.spot.slot).ok();
        let lies = |(slot, input): (u32, Option<u32>)| match input {
            None => draft.cell(Spot { container, slot }).is_empty().then_some(None),
            Some(input) => {
                let ingredient = &self.recipe.inputs()[input as usize];
                let nth = stack_in(slot).filter(|&nth| stacks[nth].may_go && is_it(draft, ingredient, &stacks[nth]))?;
                Some(Some((nth, input)))
            }
        };
        let mut places = pattern.placed(draft.slots(container), columns);
        let found = places.find_map(|place| place.into_iter().map(lies).collect::<Option<Vec<_>>>());
        found.map(|laid| Some(laid.into_iter().flatten().collect())).ok_or(NotLaid)
    }

    /// How often there is enough for it.
    fn supplied(&self, draft: &Draft<'_>, stacks: &[Stack]) -> u64 {
        let Ok(laid) = self.laid(draft, stacks) else { return 0 };
        self.recipe.supplied(&supplies(stacks), |it, nth| is_it(draft, it, &stacks[nth]), laid.as_ref())
    }

    /// Starts it: it is known that it can be carried out this often.
    fn start(&self, draft: &mut Draft<'_>, times: u64) {
        let (Source::Container(container), Some(duration)) = (self.source, self.recipe.duration()) else { return };
        let stacks = self.stacks(draft);
        let supplies = supplies(&stacks);
        let laid = self.laid(draft, &stacks).ok().flatten();
        let is_it = |it: &Ingredient, nth: usize| is_it(draft, it, &stacks[nth]);
        let used = self.recipe.allocate(times, &supplies, is_it, laid.as_ref()).used;
        let used = stacks.iter().zip(used).filter(|(_, used)| *used > 0);
        let used = used.map(|(stack, used)| (stack.spot, narrow::at_most(used)));
        let due = self.clock.saturating_add(u64::from(duration));
        let yield_number = self.yield_number.and_then(NonZeroU32::new);
        let job = Job { recipe: self.number, times: narrow::at_most(times), due, yield_number };
        draft.start_work(container, job, used);
    }

    fn change(&self, draft: &mut Draft<'_>, times: u64) -> Result<(), Failed> {
        let floors = draft.floors();
        let stacks = self.stacks(draft);
        let supplies = supplies(&stacks);
        let is_it = |it: &Ingredient, nth: usize| is_it(draft, it, &stacks[nth]);
        let laid = self.laid(draft, &stacks);
        let is_laid = laid.is_ok();
        let laid = laid.ok().flatten();
        // If no position matches, the reasons are those for one time.
        let tried = if is_laid { times } else { 1 };
        let Allocation { used, missing } = self.recipe.allocate(tried, &supplies, is_it, laid.as_ref());
        if missing.is_empty() && !is_laid {
            return Err(Failed { causes: vec![Cause::NoPattern { at: self.at, recipe: self.number }], most: 0 });
        }
        if !missing.is_empty() {
            let most = if is_laid { self.recipe.supplied(&supplies, is_it, laid.as_ref()) } else { 0 };
            let cause =
                |(part, required, there)| Cause::Missing { at: self.at, recipe: self.number, part, required, there };
            return Err(Failed { causes: missing.into_iter().map(cause).collect(), most });
        }
        let (mut causes, mut takes_packs) = (Vec::new(), false);
        for (stack, used) in stacks.iter().zip(used).filter(|(_, used)| *used > 0) {
            takes_packs |= stack.cell.is_pack();
            draft.begin_step();
            let amount = Amount::Exactly(narrow::at_most(used));
            let from = draft.place_of_spot(stack.spot);
            let request = Request { amount, kind: None, from, without_number: WithoutNumber::AllOrNothing };
            if let Err(refusal) = draft.carry(request, Going::Out) {
                causes.push(refusal.cause());
                causes.extend(draft.take_noted());
                // The outputs are checked as if it left.
                draft.remove(stack.spot, narrow::at_most(used));
            }
        }
        let emptied = draft.point();
        let holds = self.recipe.when_full() == WhenFull::Hold;
        let (failing, failed) = if holds { (None, self.countable(times)) } else { self.fill_with_any(draft, times) };
        if causes.is_empty() && failed.is_empty() {
            return Ok(());
        }
        let (mut fits, mut too_many) = (0, times);
        // With fewer inputs gone there would not be more room, unless they are packs, which bring some.
        let is_bound = causes.is_empty() && !takes_packs;
        while is_bound && too_many - fits > 1 {
            let between = fits + (too_many - fits) / 2;
            draft.go_back_to(&emptied);
            let failed = if holds { self.countable(between) } else { self.fill_with_any(draft, between).1 };
            match failed.is_empty() {
                true => fits = between,
                false => too_many = between,
            }
        }
        let most = if is_bound { fits } else { times - 1 };
        if !failed.is_empty() && holds {
            causes.extend(failed);
        } else if !failed.is_empty() {
            draft.go_back_to(&emptied);
            causes.extend(self.why_not_filled(draft, times, failing, floors).unwrap_or(failed));
        }
        causes.sort_by_key(Cause::reason);
        Err(Failed { causes, most })
    }

    /// Outputs that no slot could ever count are no reason to wait.
    fn countable(&self, times: u64) -> Vec<Cause> {
        let is_countable = |(_, each): (KindId, u32)| u32::try_from(u64::from(each) * times).is_ok();
        if self.recipe.all_made().all(is_countable) { Vec::new() } else { vec![Cause::Overflow] }
    }

    /// The checks that fail for all outputs together, if it is not that they can't be counted.
    fn why_not_filled(
        &self,
        draft: &mut Draft<'_>,
        times: u64,
        yield_number: Option<u32>,
        floors: Floors,
    ) -> Option<Vec<Cause>> {
        let outputs = self.recipe.made(yield_number).iter().map(|&(kind, each)| {
            let item = draft.new_item(kind, &Variant::default()).ok()?;
            let count =
                u32::try_from(u64::from(each) * times).ok().filter(|&it| it <= max_countable(draft, item.weight));
            Some(Portion { item, count: count?, from: None })
        });
        let portions: Vec<Portion> = outputs.collect::<Option<_>>()?;
        let target = draft.target(draft.place_of_outputs(self.recipe, self.at)?).ok()?;
        draft.begin_step();
        let _ = draft.take_noted();
        draft.allow(floors);
        // Caps are judged here, unless it is a step of a list.
        draft.nested_lists -= 1;
        draft.be_exact(true);
        let first = draft.why_not(&portions, Going::To(target));
        draft.nested_lists += 1;
        let noted = draft.take_noted();
        if noted.is_empty() { first.map(|cause| vec![cause]) } else { Some(noted) }
    }

    /// Puts the outputs in. All yields must fit, so that a refusal says nothing about what is drawn:
    /// of the first one that does not, returns its number and the checks that fail.
    fn fill_with_any(&self, draft: &mut Draft<'_>, times: u64) -> (Option<u32>, Vec<Cause>) {
        let emptied = draft.point();
        for other in self.recipe.yield_numbers().filter(|number| *number != self.yield_number) {
            let failed = self.fill(draft, times, other);
            if !failed.is_empty() {
                return (other, failed);
            }
            draft.go_back_to(&emptied);
        }
        (self.yield_number, self.fill(draft, times, self.yield_number))
    }

    /// Puts the outputs in, and returns the checks that fail.
    fn fill(&self, draft: &mut Draft<'_>, times: u64, yield_number: Option<u32>) -> Vec<Cause> {
        let failed = draft.make((self.recipe, yield_number), times, self.at);
        // In a list it is judged with the steps that follow.
        if failed.is_empty() && draft.nested_lists == 1 { draft.all_over_in_the_end() } else { failed }
    }

    /// Carries it out as often as it can, up to a number.
    fn most(&self, draft: &mut Draft<'_>, mut times: u64) -> u64 {
        while times > 0 {
            let Err(failed) = self.attempt(draft, times) else { break };
            times = failed.most.min(times - 1);
        }
        times
    }
}

impl Draft<'_> {
    /// Where the outputs of a recipe go that is carried out at a place; `None` if that is away.
    pub(super) fn place_of_outputs(&self, recipe: &Recipe, at: Place) -> Option<Place> {
        let Some(name) = recipe.outputs_to() else { return Some(at) };
        self.world.container(name).filter(|&to| self.has_container(to)).map(Place::Container)
    }
}

/// The place of the items: a container, or a holder.
fn source(draft: &Draft<'_>, at: Place) -> Result<Source, Refusal> {
    match at {
        // Nobody uses up what someone else has.
        Place::Holder(id) if draft.actor.is_some_and(|actor| actor != id.index) => {
            Err(Refusal::new(Cause::Unknown(Unknown::UnsupportedPlace)))
        }
        Place::Holder(id) if draft.has_holder(id) => Ok(Source::Holder(id.index)),
        at => draft.container(at).map(Source::Container),
    }
}

/// At a container, the game acts.
fn act_at(draft: &mut Draft<'_>, source: Source) {
    if let Source::Container(_) = source {
        draft.actor = None;
    }
}

/// The stacks that are there for recipes, in the order in which they are taken.
fn stacks(draft: &Draft<'_>, source: Source) -> Vec<Stack> {
    let containers = match source {
        Source::Container(container) => vec![container],
        Source::Holder(holder) => draft.sources_of(holder, Going::Out).into_vec(),
        Source::Spot(spot) => vec![spot.container],
    };
    let in_container = |container: u32| {
        let next = move |from: u32| draft.next_stack_in(container, None, from);
        let slots = std::iter::successors(next(0), move |slot| slot.checked_add(1).and_then(next));
        slots.map(move |slot| Spot { container, slot })
    };
    let spots = containers.into_iter().flat_map(in_container);
    let stack = |spot: Spot| {
        let cell = draft.cell(spot);
        let is_taken = draft.actor.is_none() || draft.why_not_taken(spot, Going::Out).is_none();
        Stack { spot, cell, may_go: is_taken && draft.why_not_consumed(cell, spot).is_none() }
    };
    spots.filter(|&spot| !draft.passes_over(spot, Going::Out)).map(stack).collect()
}

/// A stack that a recipe may take.
struct Stack {
    spot: Spot,
    cell: Cell,
    /// It may be used up, unless it is protected.
    may_go: bool,
}

fn supplies(stacks: &[Stack]) -> Vec<Supply> {
    stacks.iter().map(|stack| (u64::from(stack.cell.count), stack.may_go)).collect()
}

fn is_it(draft: &Draft<'_>, ingredient: &Ingredient, stack: &Stack) -> bool {
    match ingredient.of() {
        Of::Kind(kind) => stack.cell.kind == kind.0,
        Of::Filter(filter) => draft.admits(Some(filter), draft.item(stack.cell)),
    }
}

impl World {
    /// How often a recipe could be carried out, by what it uses up and needs alone.
    pub(crate) fn supplies(&self, recipe: RecipeId, at: Place, actor: Option<HolderId>) -> u64 {
        let mut draft = Draft::new(self, Box::default());
        if draft.act_as(actor).is_err() {
            return 0;
        }
        let Ok(crafting) = Crafting::find(&draft, (recipe, None), at) else { return 0 };
        act_at(&mut draft, crafting.source);
        if crafting.job_in_the_way(&draft).is_some() {
            return 0;
        }
        let stacks = crafting.stacks(&draft);
        crafting.supplied(&draft, &stacks)
    }

    /// The recipes for which a container, or a holder, has enough inputs and tools, and how often.
    /// Whether there is room for what they make, and whether the actor may, a
    /// [dry run](World::dry_run) finds out. With a holder's own items, the holder acts, or the game
    /// (`None`); at a container it makes no difference who acts. The cost grows with the stacks there
    /// and with the recipes of the place.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("snow", |snow| snow.stack_limit(10))
    ///     .kind("water", |water| water.stack_limit(4))
    ///     .container("stove", |stove| stove.slots(3))
    ///     .recipe("melt", |recipe| recipe.at(["stove"]).inputs(["2 snow"]).outputs(["1 water"]))
    ///     .start("stove", ["7 snow"])
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let stove = world.container("stove").unwrap();
    /// let (melt, times) = world.craftable(stove, None)[0];
    /// assert_eq!(times, 3);
    /// assert!(world.dry_run(&Operation::crafting(Amount::UpTo(3), melt, stove)).is_ok());
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn craftable(&self, at: impl Into<Place>, actor: Option<HolderId>) -> Vec<(RecipeId, u64)> {
        let (mut draft, at) = (Draft::new(self, Box::default()), at.into());
        let acting = draft.act_as(actor);
        let Ok(source) = acting.and_then(|()| source(&draft, at)) else { return Vec::new() };
        act_at(&mut draft, source);
        let stacks = stacks(&draft, source);
        let supplies = supplies(&stacks);
        let mut counts: FxHashMap<u32, u64> = FxHashMap::default();
        for stack in &stacks {
            *counts.entry(stack.cell.kind).or_default() += u64::from(stack.cell.count);
        }
        // Most recipes name kinds alone, and most stacks may be used up: then counting them will do.
        let all_may_go = stacks.iter().all(|stack| stack.may_go);
        let by_kinds = |recipe: &Recipe| {
            let there = |kind: KindId| counts.get(&kind.0).copied().unwrap_or(0);
            recipe.supplied_by_kinds(there).filter(|_| all_may_go)
        };
        // Where a filter decides, most recipes lack a kind, which is found out fast.
        let has = |ingredient: &Ingredient| match ingredient.of() {
            Of::Kind(kind) => counts.get(&kind.0).is_some_and(|&count| count >= u64::from(ingredient.count())),
            Of::Filter(_) => true,
        };
        let by_stacks = |recipe: &Recipe| match recipe.inputs().iter().chain(recipe.tools()).all(has) {
            true => recipe.supplied(&supplies, |it, nth| is_it(&draft, it, &stacks[nth]), None),
            false => 0,
        };
        let works = match source {
            Source::Container(container) => self.job_of(container).is_some(),
            Source::Holder(_) | Source::Spot(_) => false,
        };
        let has_packs = stacks.iter().any(|stack| stack.cell.is_pack());
        let times = |id: RecipeId| {
            let recipe = self.rules.recipe(id)?;
            if recipe.pattern().is_some() || recipe.duration().is_some() && (works || has_packs) {
                let times = self.supplies(id, at, actor);
                return (times > 0).then_some((id, times));
            }
            let times = by_kinds(recipe).unwrap_or_else(|| by_stacks(recipe));
            (times > 0).then_some((id, times))
        };
        match source {
            Source::Container(container) => {
                self.rules.recipes_at(draft.station_name(container)).filter_map(times).collect()
            }
            Source::Holder(_) | Source::Spot(_) => self.rules.own_recipes().filter_map(times).collect(),
        }
    }

    /// What rules call a container at which recipes are carried out: its name in the world, or its
    /// definition if a holder carries it or it is the inside of a pack.
    #[must_use]
    pub fn station_name(&self, id: ContainerId) -> Option<&str> {
        self.has_container(id).then(|| self.name_of_station(id.index))
    }

    pub(crate) fn name_of_station(&self, container: u32) -> &str {
        match self.stands(self.container_id(container)) {
            true => self.own_name(container),
            false => self.def_of(container).id(),
        }
    }
}

impl Draft<'_> {
    fn station_name(&self, container: u32) -> &str {
        match self.is_new(container) {
            true => self.world.rules.containers()[self.state(container).def as usize].id(),
            false => self.world.name_of_station(container),
        }
    }

    /// Why the actor may not carry out the recipe that it names.
    pub(super) fn why_not_in_recipe(&self, action: &Action) -> Option<Cause> {
        let (recipe, at, yield_number) = match *action {
            Action::Craft { recipe, at, yield_number, .. } => (recipe, at, yield_number),
            Action::Cancel { recipe, at } => (recipe, at, None),
            _ => return None,
        };
        let actor = self.actor?;
        let Crafting { recipe: known, source, .. } = Crafting::find(self, (recipe, yield_number), at).ok()?;
        let may = match (known.by(), source) {
            (Access::Anyone | Access::Surrounding, _) => true,
            (Access::Nobody, _) => false,
            (Access::Listed(list), Source::Container(container)) => self.is_on(list, actor, container),
            // A holder owns what it has.
            (Access::Listed(list), _) => {
                list.owner || list.names(self.world.name_of_holder(actor), self.world.groups_of(actor))
            }
        };
        (!may).then_some(Cause::NotInRecipe { at, recipe })
    }
}
