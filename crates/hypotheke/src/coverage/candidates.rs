//! Candidate scenarios for a changed rule: operations at the limit of each rule.

use std::cell::RefCell;
use std::sync::Arc;

use super::change::{Change, FilterAt, IngredientList};
use super::effect::{group_of, members, stacks_that_matter};
use super::needs::Needs;

use super::suggest::{MAX_STEPS, Play};
use crate::filter::Test;
use crate::language::NamedOperation;
use crate::quantity::Decimal;
use crate::ruleset::{Access, ContainerDef, DealSide, HolderDef, Ingredient, Kind, Of, Recipe, Right, Ruleset};
use crate::world::World;

/// The maximum number of loads just at a cap.
const MAX_LOADS: usize = 400;
/// The maximum number of items that a candidate creates on the ground.
const MAX_ON_GROUND: u32 = 1_000;
/// More items than the places of most rulesets hold.
pub(super) const PLENTY: u32 = 9_999;
/// The number of positions of a pattern to try.
const MAX_LAID: usize = 4;
/// The maximum number of kinds for one change.
pub(super) const MAX_KINDS: usize = 40;

/// An empty world to try candidates in; they are undone afterwards.
pub(super) fn trial(rules: &Arc<Ruleset>) -> World {
    let mut world = World::empty(rules);
    world.begin();
    world.set_undo_limit(usize::MAX);
    world
}

pub(super) fn take_all_back(world: &mut World) {
    while world.undo(world.revision()).is_ok() {}
}

pub(super) struct Candidates<'r> {
    pub(super) rules: &'r Arc<Ruleset>,
    trial: RefCell<World>,
}

impl<'r> Candidates<'r> {
    pub(super) fn new(rules: &'r Arc<Ruleset>) -> Candidates<'r> {
        Candidates { rules, trial: RefCell::new(trial(rules)) }
    }

    /// Candidate scenarios, the shortest first.
    pub(super) fn of(&self, change: &Change) -> Vec<Play> {
        let rules = self.rules;
        let steps_alone = |plays: Vec<Vec<String>>| {
            plays.into_iter().map(|steps| Play { steps, ..Play::default() }).collect::<Vec<_>>()
        };
        steps_alone(match change {
            Change::RulesetLimit(_) | Change::TagLimit(..) => rules
                .kinds()
                .filter(|kind| kind.own_stack_limit().is_none())
                .take(MAX_KINDS)
                .flat_map(|kind| self.of_kind(kind))
                .collect(),
            Change::KindLimit(kind, _) => {
                rules.kinds().nth(*kind).into_iter().flat_map(|kind| self.of_kind(kind)).collect()
            }
            Change::MostInWorld(kind, _) => {
                let kind = rules.kinds().nth(*kind).and_then(|kind| Some((kind.id(), kind.max_in_world()?)));
                let few = kind.filter(|(_, most)| *most < MAX_ON_GROUND);
                few.map(|(kind, most)| vec![format!("create up to {} {kind} in ground", most + 2)])
                    .into_iter()
                    .collect()
            }
            Change::Protected(kind) => {
                let described = rules.kinds().nth(*kind).map(|kind| {
                    vec![format!("create 1 {} in ground", kind.id()), format!("consume 1 {} from ground", kind.id())]
                });
                described.into_iter().collect()
            }
            Change::ContainerLimit(container, _) | Change::SlotLimit(container, ..) => self.limits_in(*container),
            Change::ContainerWeight(container, changed) => {
                let def = &rules.containers()[*container];
                let places = self.places_of(def);
                let mut plays: Vec<Vec<String>> =
                    places.iter().flat_map(|(setup, place)| self.loads(setup, place)).collect();
                for (setup, place) in &places {
                    plays.extend(self.exact_loads(setup, place, def.weight_cap(), *changed));
                }
                plays
            }
            Change::ContainerCap(container, cap, _) => {
                let def = &rules.containers()[*container];
                let filter = def.caps().get(*cap).map(|cap| &rules.filter(cap.of).test);
                let places = self.places_of(def);
                places.iter().flat_map(|(setup, place)| self.heaps(setup, place, filter)).collect()
            }
            Change::HolderWeight(holder, changed) => {
                let def = &rules.holders()[*holder];
                self.loads_of_holder(def, def.own_weight_cap(), *changed)
            }
            Change::GroupWeight(group, changed) => {
                let Some(group) = group_of(rules, *group) else { return Vec::new() };
                members(rules, group).flat_map(|def| self.loads_of_holder(def, group.weight_cap(), *changed)).collect()
            }
            Change::GroupCap(group, cap, _) => {
                let Some(group) = group_of(rules, *group) else { return Vec::new() };
                let filter = group.caps().get(*cap).map(|cap| &rules.filter(cap.of).test);
                members(rules, group).flat_map(|def| self.heaps(&[], def.first_name(), filter)).collect()
            }
            Change::HolderCap(holder, cap, _) => {
                let def = &rules.holders()[*holder];
                let filter = def.caps().get(*cap).map(|cap| &rules.filter(cap.of).test);
                self.heaps(&[], def.first_name(), filter)
            }
            Change::Deal(deal, _) | Change::Filter(FilterAt::Deal(deal), _) => self.of_deal(*deal),
            Change::Filter(FilterAt::Ingredient(recipe, list, number), _) => {
                self.of_ingredient(*recipe, *list, *number)
            }
            Change::Filter(at, _) => self.of_filter(*at),
            Change::Access(container, right, _) => self.of_right(*container, *right),
            Change::SlotAccess(container, slot, right) => self.of_right_in_slot(*container, *slot, *right),
            Change::Owner(container) => {
                Right::ALL.into_iter().flat_map(|right| self.of_right(*container, right)).collect()
            }
            Change::Group(..) => {
                let lists_groups = |def: &ContainerDef| {
                    let lists = |right| matches!(def.access(right), Access::Listed(list) if !list.groups.is_empty());
                    Right::ALL.into_iter().any(lists)
                };
                let containers = (0..rules.containers().len()).filter(|&at| lists_groups(&rules.containers()[at]));
                let of_all = |at| Right::ALL.into_iter().flat_map(move |right| self.of_right(at, right));
                containers.flat_map(of_all).collect()
            }
            Change::MustOpen(container) => self.by_holders(*container, |kind, place, holder, _| {
                vec![format!("create 1 {kind} in {place}"), format!("{holder} drops 1 {kind} from {place}")]
            }),
            Change::Exclusive(container) => self.by_holders(*container, |_, place, one, other| {
                vec![format!("{one} opens {place}"), format!("{other} opens {place}")]
            }),
            Change::MinSlots(container, slots) | Change::MaxSlots(container, slots) => {
                let def = &rules.containers()[*container];
                let places = self.places_of(def);
                let bounds = def.slot_bounds();
                let at = slots.unwrap_or(if matches!(change, Change::MinSlots(..)) { bounds.0 } else { bounds.1 });
                let near = [at.saturating_sub(1), at, at.saturating_add(1)];
                let described = places.iter().flat_map(|(setup, place)| {
                    near.iter().map(move |slots| with(setup, [format!("resize {place} to {slots}")]))
                });
                described.collect()
            }
            Change::Need(of, _) => self.of_needs(of.kind),
            Change::Reserved(container) => self.through_the_border(*container, |kind, place| {
                vec![format!("create 1 {kind} in {place}"), format!("create 1 {kind} in {place}/0")]
            }),
            Change::Deep(container) => self.of_depth(*container),
            Change::Nesting(_) => self.of_nesting(),
            Change::Ground(limit) => {
                let most = limit.unwrap_or(1).saturating_add(2);
                rules.kinds().take(1).map(|kind| vec![format!("create up to {most} {} in ground", kind.id())]).collect()
            }
            Change::KindTag(kind, _) => {
                let Some(kind) = rules.kinds().nth(*kind) else { return Vec::new() };
                let places = rules.containers().iter().flat_map(|def| self.places_of(def));
                let entering =
                    places.map(|(setup, place)| with(&setup, [format!("create 1 {} in {place}", kind.id())]));
                entering.chain(self.of_kind(kind)).collect()
            }
            Change::Pack(of) => {
                let Some(pack) = rules.kinds().nth(of.kind) else { return Vec::new() };
                let first = format!("create 1 {} in ground", pack.id());
                self.kinds()
                    .iter()
                    .map(|kind| vec![first.clone(), format!("create 1 {} in ground/#1/", kind.id())])
                    .collect()
            }
            Change::SlotName(container, slot) => {
                let def = &rules.containers()[*container];
                let Some(name) = def.ruled.get(*slot).and_then(|slot| slot.name.as_deref()) else { return Vec::new() };
                let kinds = self.kinds();
                let places = self.places_of(def);
                let named = places.iter().flat_map(|(setup, place)| {
                    let place = format!("{}/{name}", place.trim_end_matches('/'));
                    kinds.iter().map(move |kind| with(setup, [format!("create 1 {} in {place}", kind.id())]))
                });
                named.collect()
            }
            Change::OnPut(container, _) => {
                let places = self.places_of(&rules.containers()[*container]);
                let Some(holder) = rules.holder_names().next() else { return Vec::new() };
                let kinds: Vec<Kind<'_>> = rules.kinds().take(8).collect();
                let pairs = kinds.iter().flat_map(|one| kinds.iter().map(move |other| (one.id(), other.id())));
                let pairs: Vec<(&str, &str)> = pairs.collect();
                let puts = places.iter().flat_map(|(setup, place)| {
                    let place = place.trim_end_matches('/');
                    pairs.iter().map(move |(one, other)| {
                        let steps = [
                            format!("create 1 {one} in {holder}.hand"),
                            format!("create 1 {other} in {place}/0"),
                            format!("{holder} puts to {place}/0"),
                        ];
                        with(setup, steps)
                    })
                });
                puts.collect()
            }
            _ => return self.measured(change),
        })
    }

    /// Where a container of that definition is, and what must be done first to have one.
    pub(super) fn places_of(&self, def: &ContainerDef) -> Vec<(Vec<String>, String)> {
        let rules = self.rules;
        if def.is_brought() {
            let packs = rules.kinds().filter(|kind| kind.pack().is_some_and(|pack| pack.id() == def.id()));
            return packs
                .map(|kind| (vec![format!("create 1 {} in ground", kind.id())], "ground/#1/".to_owned()))
                .collect();
        }
        if def.is_carried() {
            let carriers = rules
                .holders()
                .iter()
                .filter(|holder| holder.carries().iter().any(|&id| rules.container(id).id() == def.id()));
            return carriers.map(|holder| (Vec::new(), format!("{}.{}", holder.first_name(), def.id()))).collect();
        }
        def.instances().take(1).map(|name| (Vec::new(), name.to_owned())).collect()
    }

    fn slot_places(&self, def: &ContainerDef) -> Vec<(Vec<String>, String)> {
        let slots = (def.slot_bounds().0 as usize).min(def.ruled.len() + 1);
        let places = self.places_of(def);
        let named = places.into_iter().flat_map(|(setup, place)| {
            (0..slots).map(move |slot| (setup.clone(), format!("{}/{slot}", place.trim_end_matches('/'))))
        });
        named.collect()
    }

    pub(super) fn kinds(&self) -> Vec<Kind<'_>> {
        self.rules.kinds().take(MAX_KINDS).collect()
    }

    /// As many of a kind as go into any slot of any container.
    fn of_kind(&self, kind: Kind<'_>) -> Vec<Vec<String>> {
        let amount = u64::from(kind.stack_limit()) + 2;
        let amount = amount.min(u64::from(u32::MAX));
        let places = self.rules.containers().iter().flat_map(|def| self.slot_places(def));
        let mut plays: Vec<Vec<String>> = places
            .map(|(setup, place)| with(&setup, [format!("create up to {amount} {} in {place}", kind.id())]))
            .collect();
        let holders = self.rules.holders().iter().take(1);
        plays.extend(holders.map(|holder| {
            let place = format!("{}.hand", holder.first_name());
            vec![format!("create up to {amount} {} in {place}", kind.id())]
        }));
        plays
    }

    fn limits_in(&self, container: usize) -> Vec<Vec<String>> {
        let mut plays = Vec::new();
        for (setup, place) in self.slot_places(&self.rules.containers()[container]) {
            for kind in self.kinds() {
                let amount = kind.stack_limit();
                plays.push(with(&setup, [format!("create up to {amount} {} in {place}", kind.id())]));
            }
        }
        plays
    }

    /// Fills a place with the heaviest that goes there, then with lighter ones.
    pub(super) fn loads(&self, setup: &[String], place: &str) -> Vec<Vec<String>> {
        let mut kinds: Vec<Kind<'_>> = self.rules.kinds().filter(|kind| kind.weight() > Decimal::ZERO).collect();
        kinds.sort_by_key(|kind| std::cmp::Reverse(kind.weight()));
        let starts = (0..kinds.len().min(MAX_KINDS)).map(|first| self.fill(setup, place, &kinds[first..]));
        starts.filter(|steps| steps.len() > setup.len()).collect()
    }

    /// Three kinds that together weigh just so much that one cap admits them and the other does
    /// not.
    pub(super) fn exact_loads(
        &self,
        setup: &[String],
        place: &str,
        cap: Option<Decimal>,
        changed: Option<Decimal>,
    ) -> Vec<Vec<String>> {
        let (Some(cap), Some(changed)) = (cap, changed) else { return Vec::new() };
        let (less, more) = (cap.min(changed).thousandths(), cap.max(changed).thousandths());
        let fits = |kind: &Kind<'_>| {
            if kind.pack().is_some() || kind.weight() <= Decimal::ZERO {
                return false;
            }
            let world = &mut self.trial.borrow_mut();
            setup.iter().for_each(|step| {
                play(world, step);
            });
            let fits = play(world, &format!("create 1 {} in {place}", kind.id()));
            take_all_back(world);
            fits
        };
        let mut kinds: Vec<Kind<'_>> = self.rules.kinds().filter(fits).collect();
        kinds.sort_by_key(|kind| std::cmp::Reverse(kind.weight()));
        kinds.truncate(MAX_KINDS);
        let mut plays = Vec::new();
        for (first, heavy) in kinds.iter().enumerate() {
            let weight = heavy.weight().thousandths();
            for many in (1..=less / weight).rev().take(4) {
                let rest = more - many * weight;
                for (second, middle) in kinds.iter().enumerate().skip(first + 1) {
                    for some in (0..=rest / middle.weight().thousandths()).take(12) {
                        let rest = rest - some * middle.weight().thousandths();
                        for light in kinds.iter().skip(second + 1) {
                            let few = rest / light.weight().thousandths();
                            let load = more - rest + few * light.weight().thousandths();
                            if few == 0 || load <= less || few > i64::from(light.stack_limit()) {
                                continue;
                            }
                            let counts = [(many, heavy), (some, middle), (few, light)];
                            let described = counts.iter().filter(|(count, _)| *count > 0);
                            plays.push(with(
                                setup,
                                described.map(|(count, kind)| format!("create {count} {} in {place}", kind.id())),
                            ));
                            if plays.len() == MAX_LOADS {
                                return plays;
                            }
                        }
                    }
                }
            }
        }
        plays
    }

    /// One lot of a deal at each of its containers, by each holder in turn, with what both sides need
    /// for it.
    fn of_deal(&self, number: usize) -> Vec<Vec<String>> {
        let rules = self.rules;
        let Some(deal) = rules.deals().get(number) else { return Vec::new() };
        let id = |kind: &crate::KindId| rules.known_kind(*kind).id();
        let mut plays = Vec::new();
        let sides = [(DealSide::Buy, "buys"), (DealSide::Sell, "sells")];
        for (side, verb) in sides {
            let kinds = rules.kinds().filter_map(|kind| Some((kind, rules.lot(deal, side, kind.handle())?)));
            for (kind, lot) in kinds.take(MAX_KINDS) {
                for at in deal.at() {
                    let till = deal.coins_to().unwrap_or(at);
                    let from = if side == DealSide::Buy { at } else { till };
                    for holder in rules.holder_names().take(MAX_KINDS) {
                        let has = |items: &[(crate::KindId, u32)], at: &str| -> Vec<String> {
                            items.iter().map(|(of, count)| format!("create {count} {} in {at}", id(of))).collect()
                        };
                        let mut steps = has(&lot.gives, holder);
                        steps.extend(has(&lot.gets, from));
                        steps.push(format!("{holder} {verb} {} {} at {at}", lot.size, kind.id()));
                        plays.push(steps);
                    }
                }
            }
        }
        plays
    }

    /// A recipe once at each of its places, by the game and by each holder in turn, with just what it
    /// needs.
    pub(super) fn of_recipe(&self, number: usize) -> Vec<Vec<String>> {
        let Some(recipe) = self.rules.recipes().get(number) else { return Vec::new() };
        let Some(mut needs) = Needs::of(recipe, |it| self.matching(it).next()) else { return Vec::new() };
        let mut plays = self.crafts(recipe, &needs);
        // The same in a place that the first input fills.
        needs.fills = true;
        plays.extend(self.crafts(recipe, &needs));
        plays
    }

    /// The recipes with patterns of a container.
    pub(super) fn of_grid(&self, container: usize) -> Vec<Play> {
        let def = &self.rules.containers()[container];
        let names: Vec<&str> = def.instances().chain([def.id()]).collect();
        let has_pattern = |recipe: &Recipe| recipe.pattern().is_some() && recipe.at().any(|at| names.contains(&at));
        let recipes = self.rules.recipes().iter().enumerate().filter(|(_, recipe)| has_pattern(recipe));
        let plays = recipes.flat_map(|(number, _)| self.of_recipe(number));
        plays.map(|steps| Play { steps, ..Play::default() }).collect()
    }

    /// The same with each stack in turn that the filter of one ingredient may tell apart.
    fn of_ingredient(&self, number: usize, list: IngredientList, nth: usize) -> Vec<Vec<String>> {
        let rules = self.rules;
        let Some(recipe) = rules.recipes().get(number) else { return Vec::new() };
        let Some(changed) = list.of(recipe).get(nth) else { return Vec::new() };
        let with_one = |item: String| {
            let needs = Needs::of(recipe, |it: &Ingredient| match std::ptr::eq(it, changed) {
                true => Some(item.clone()),
                false => self.matching(it).next(),
            });
            needs.map_or_else(Vec::new, |needs| self.crafts(recipe, &needs))
        };
        self.variants_of(changed).flat_map(|(item, _)| with_one(item)).collect()
    }

    /// The stacks that an ingredient admits.
    fn matching<'a>(&'a self, ingredient: &'a Ingredient) -> impl Iterator<Item = String> + 'a {
        self.variants_of(ingredient).filter(|(_, admitted)| *admitted).map(|(item, _)| item)
    }

    /// The stacks that an ingredient may tell apart, and whether it admits them.
    fn variants_of<'a>(&'a self, ingredient: &'a Ingredient) -> impl Iterator<Item = (String, bool)> + 'a {
        let rules = self.rules;
        let test = match ingredient.of() {
            Of::Kind(_) => None,
            Of::Filter(filter) => Some(&rules.filter(filter).test),
        };
        let of_kind = move |kind: Kind<'a>| match test {
            None => vec![(kind.id().to_owned(), ingredient.kind() == Some(kind.handle()))],
            Some(test) => {
                let stacks = stacks_that_matter(kind, &[test]).unwrap_or_default().into_iter();
                stacks.map(|stack| (self.item(&stack), test.admits(&stack))).collect()
            }
        };
        rules.kinds().flat_map(of_kind)
    }

    /// A recipe at each of its places, with these items there.
    fn crafts(&self, recipe: &Recipe, needs: &Needs) -> Vec<Vec<String>> {
        let rules = self.rules;
        let holders = || rules.holder_names().take(MAX_KINDS);
        let create = |place: &str| needs.created(place);
        let id = recipe.id();
        let suffix = |number: Option<u32>| number.map_or_else(String::new, |number| format!(" with yield {number}"));
        let yields: Vec<String> = recipe.yield_numbers().map(suffix).collect();
        if recipe.at().len() == 0 {
            let own = holders().filter_map(|holder| Some((holder, self.own_place(holder)?)));
            let plays = own.flat_map(|(holder, place)| {
                let play = |step: String| with(&create(&place), [step]);
                let of_yield = move |suffix: &String| {
                    [play(format!("craft {id} at {holder}{suffix}")), play(format!("{holder} crafts {id}{suffix}"))]
                };
                yields.iter().flat_map(of_yield).collect::<Vec<_>>()
            });
            return plays.collect();
        }
        // What takes time is also tried until just before it ends, and until it ends.
        let ticks: Vec<u32> = recipe.duration().map_or_else(Vec::new, |ticks| vec![ticks - 1, ticks]);
        let of_yield = |((setup, place, must_open), yields): ((Vec<String>, String, bool), &String)| {
            let by_game = with(&setup, [format!("craft {id} at {place}{yields}")]);
            let waiting = ticks.iter().filter(|ticks| **ticks > 0).map(|ticks| format!("wait {ticks}"));
            let waiting: Vec<Vec<String>> = waiting.map(|wait| with(&by_game, [wait])).collect();
            let by_holder = holders().map(move |holder| {
                let opening = must_open.then(|| format!("{holder} opens {place}"));
                with(&setup, opening.into_iter().chain([format!("{holder} crafts {id} at {place}{yields}")]))
            });
            std::iter::once(by_game).chain(waiting).chain(by_holder).collect::<Vec<_>>()
        };
        // A pattern at each of its first positions.
        let laid = |at: &str, (setup, place, must_open): (Vec<String>, String, bool)| {
            let ways = match recipe.pattern() {
                None => vec![create(&place)],
                Some(pattern) => {
                    let is_it = |def: &&ContainerDef| def.id() == at || def.instances().any(|it| it == at);
                    let grid = rules.containers().iter().find(is_it).map(|def| (def.slots(), def.columns()));
                    let places = grid.into_iter().flat_map(|(slots, columns)| pattern.placed(slots, columns));
                    places.take(MAX_LAID).map(|cells| needs.laid(&cells, &place)).collect()
                }
            };
            ways.into_iter().map(move |lines| (with(&setup, lines), place.clone(), must_open)).collect::<Vec<_>>()
        };
        let stations = recipe
            .at()
            .flat_map(|at| self.stations(at).into_iter().flat_map(move |it| laid(at, it)).collect::<Vec<_>>());
        stations.flat_map(|station| yields.iter().map(move |it| (station.clone(), it))).flat_map(of_yield).collect()
    }

    /// What brings a station, its place, and whether it must be opened.
    fn stations(&self, name: &str) -> Vec<(Vec<String>, String, bool)> {
        let found = self.rules.containers().iter().find(|def| def.instances().any(|instance| instance == name));
        if let Some(def) = found {
            return vec![(Vec::new(), name.to_owned(), def.must_open)];
        }
        let def = self.rules.containers().iter().find(|def| def.id() == name);
        let places = def.into_iter().flat_map(|def| self.places_of(def).into_iter().map(|at| (at, def.must_open)));
        places.map(|((setup, place), must_open)| (setup, place, must_open)).collect()
    }

    /// The first container of a holder that it does not wear.
    pub(super) fn own_place(&self, holder: &str) -> Option<String> {
        let def = self.rules.holders().iter().find(|def| def.instances().any(|name| name == holder))?;
        let carried = def.carries().iter().map(|&id| self.rules.container(id)).find(|def| !def.is_worn())?;
        Some(format!("{holder}.{}", carried.id()))
    }

    /// As much as a holder can carry, and just as much as a cap and the changed one allow.
    fn loads_of_holder(&self, def: &HolderDef, cap: Option<Decimal>, changed: Option<Decimal>) -> Vec<Vec<String>> {
        let name = def.first_name();
        let mut plays = self.loads(&[], name);
        plays.extend(self.exact_loads(&[], name, cap, changed));
        plays.extend(def.carries().iter().flat_map(|&id| {
            let place = format!("{name}.{}", self.rules.container(id).id());
            self.loads_over(def, &place)
        }));
        plays
    }

    /// The same for what a holder carries apart from one container, and then that.
    fn loads_over(&self, holder: &HolderDef, place: &str) -> Vec<Vec<String>> {
        let hand = format!("{}.hand", holder.first_name());
        let kinds = self.kinds();
        let plays = kinds.iter().flat_map(|kind| {
            let setup = vec![format!("create up to 1000000 {} in {hand}", kind.id())];
            self.loads(&setup, place).into_iter().take(6)
        });
        plays.take(400).collect()
    }

    /// Of each kind in turn as much as goes; what does not go at all is passed over.
    fn fill(&self, setup: &[String], place: &str, kinds: &[Kind<'_>]) -> Vec<String> {
        let world = &mut self.trial.borrow_mut();
        let mut steps = setup.to_vec();
        for step in setup {
            play(world, step);
        }
        for kind in kinds {
            let step = format!("create up to 1000000 {} in {place}", kind.id());
            if play(world, &step) {
                steps.push(step);
            }
            if steps.len() == MAX_STEPS {
                break;
            }
        }
        take_all_back(world);
        steps
    }

    /// As many of one kind that a cap counts as go.
    fn heaps(&self, setup: &[String], place: &str, filter: Option<&Test>) -> Vec<Vec<String>> {
        let mut plays = Vec::new();
        for kind in self.rules.kinds() {
            let stacks = filter.and_then(|test| stacks_that_matter(kind, &[test])).unwrap_or_default();
            let counted = stacks.into_iter().filter(|stack| filter.is_none_or(|test| test.admits(stack)));
            for stack in counted.take(2) {
                plays.push(with(setup, [format!("create up to 1000000 {} in {place}", self.item(&stack))]));
            }
        }
        let (first, others) = (plays.clone(), plays.clone());
        for play in first.iter().take(8) {
            plays.extend(others.iter().take(8).map(|other| with(play, other.last().cloned())));
        }
        plays
    }

    pub(super) fn item(&self, stack: &crate::ruleset::SampleStack<'_>) -> String {
        let marks = stack.marks.iter().map(|&mark| self.rules.mark(mark).name().to_owned());
        let numbers = stack.numbers.iter().map(|&(id, value)| format!("{} {value}", self.rules.property(id).name()));
        let words: Vec<String> = marks.chain(numbers).collect();
        let kind = stack.kind.id();
        if words.is_empty() { kind.to_owned() } else { format!("{kind} ({})", words.join(", ")) }
    }

    /// One of everything that a filter may tell apart.
    fn of_filter(&self, at: FilterAt) -> Vec<Vec<String>> {
        let rules = self.rules;
        let (places, filter) = match at {
            FilterAt::Container(container) => {
                let def = &rules.containers()[container];
                (self.places_of(def), def.admits)
            }
            FilterAt::Slot(container, slot) => {
                let def = &rules.containers()[container];
                let places = self.places_of(def).into_iter();
                let places = places.map(|(setup, place)| (setup, format!("{}/{slot}", place.trim_end_matches('/'))));
                (places.collect(), def.ruled.get(slot).and_then(|slot| slot.admits))
            }
            FilterAt::ContainerCap(container, cap) => {
                let def = &rules.containers()[container];
                return self.over_caps(&self.places_of(def), def.caps().get(cap).map(|cap| cap.of));
            }
            FilterAt::Deal(deal) => return self.of_deal(deal),
            // It is no reason of any refusal.
            FilterAt::Change(_) => return Vec::new(),
            FilterAt::Ingredient(recipe, list, number) => return self.of_ingredient(recipe, list, number),
            FilterAt::GroupCap(group, cap) => {
                let Some(group) = group_of(rules, group) else { return Vec::new() };
                let places = members(rules, group).map(|def| (Vec::new(), def.first_name().to_owned()));
                return self.over_caps(&places.collect::<Vec<_>>(), group.caps().get(cap).map(|cap| cap.of));
            }
            FilterAt::HolderCap(holder, cap) => {
                let def = &rules.holders()[holder];
                return self
                    .over_caps(&[(Vec::new(), def.first_name().to_owned())], def.caps().get(cap).map(|cap| cap.of));
            }
        };
        let test = filter.map(|filter| &rules.filter(filter).test);
        let mut plays = Vec::new();
        for (setup, place) in &places {
            for kind in rules.kinds() {
                let stacks = test.and_then(|test| stacks_that_matter(kind, &[test])).unwrap_or_default();
                plays.extend(
                    stacks.iter().map(|stack| with(setup, [format!("create 1 {} in {place}", self.item(stack))])),
                );
            }
        }
        plays
    }

    /// More than a cap allows, of what it counts and of what it does not.
    fn over_caps(
        &self,
        places: &[(Vec<String>, String)],
        filter: Option<crate::ruleset::FilterId>,
    ) -> Vec<Vec<String>> {
        let test = filter.map(|filter| &self.rules.filter(filter).test);
        let mut plays = Vec::new();
        for (setup, place) in places {
            for kind in self.rules.kinds() {
                let stacks = test.and_then(|test| stacks_that_matter(kind, &[test])).unwrap_or_default();
                plays.extend(
                    stacks
                        .iter()
                        .map(|stack| with(setup, [format!("create up to 1000000 {} in {place}", self.item(stack))])),
                );
            }
        }
        plays
    }

    fn through_the_border(&self, container: usize, steps: impl Fn(&str, &str) -> Vec<String>) -> Vec<Vec<String>> {
        let places = self.places_of(&self.rules.containers()[container]);
        let described = places.iter().flat_map(|(setup, place)| {
            let kinds = self.rules.kinds().filter(|kind| kind.pack().is_none());
            kinds.map(|kind| with(setup, steps(kind.id(), place))).collect::<Vec<_>>()
        });
        described.collect()
    }

    /// The same with one slot.
    fn of_right_in_slot(&self, container: usize, slot: usize, right: Right) -> Vec<Vec<String>> {
        let holders = self.rules.holder_names().map(Some).take(MAX_KINDS);
        let plays = [None].into_iter().chain(holders).flat_map(|holder| {
            self.through_the_border(container, |kind, place| {
                let place = format!("{}/{slot}", place.trim_end_matches('/'));
                let does = |plain: &str, third_person: &str| match holder {
                    Some(holder) => format!("{holder} {third_person}"),
                    None => plain.to_owned(),
                };
                match right {
                    Right::Put => {
                        vec![
                            format!("create 1 {kind} in ground"),
                            format!("{} 1 {kind} to {place}", does("pick up", "picks up")),
                        ]
                    }
                    Right::Take | Right::Open => {
                        vec![
                            format!("create 1 {kind} in {place}"),
                            format!("{} 1 {kind} from {place}", does("drop", "drops")),
                        ]
                    }
                }
            })
        });
        plays.collect()
    }

    /// Something that needs a right, by the game and by holders.
    fn of_right(&self, container: usize, right: Right) -> Vec<Vec<String>> {
        let game = self.through_the_border(container, |kind, place| match right {
            Right::Put => vec![format!("create 1 {kind} in ground"), format!("pick up 1 {kind} to {place}")],
            Right::Take => vec![format!("create 1 {kind} in {place}"), format!("drop 1 {kind} from {place}")],
            Right::Open => Vec::new(),
        });
        let holders = self.rules.holder_names().take(MAX_KINDS);
        let by_holders = holders.flat_map(|holder| {
            self.through_the_border(container, |kind, place| match right {
                Right::Put => {
                    vec![format!("create 1 {kind} in ground"), format!("{holder} picks up 1 {kind} to {place}")]
                }
                Right::Take => {
                    vec![format!("create 1 {kind} in {place}"), format!("{holder} drops 1 {kind} from {place}")]
                }
                Right::Open => vec![format!("{holder} opens {}", place.trim_end_matches('/'))],
            })
        });
        game.into_iter().chain(by_holders).filter(|steps| !steps.is_empty()).collect()
    }

    fn by_holders(&self, container: usize, steps: impl Fn(&str, &str, &str, &str) -> Vec<String>) -> Vec<Vec<String>> {
        let names: Vec<&str> = self.rules.holder_names().collect();
        let pairs = names.iter().zip(names.iter().cycle().skip(1)).take(3);
        pairs
            .flat_map(|(one, other)| self.through_the_border(container, |kind, place| steps(kind, place, one, other)))
            .collect()
    }

    /// An item that needs several slots, after another has been put into one of them.
    fn of_needs(&self, kind: usize) -> Vec<Vec<String>> {
        let mut plays = Vec::new();
        let Some(kind) = self.rules.kinds().nth(kind) else { return plays };
        let slots: Vec<&str> = kind.occupied_slots().collect();
        for def in self.rules.containers() {
            for (setup, place) in self.places_of(def) {
                for at in &slots {
                    for taken in slots.iter().filter(|taken| *taken != at) {
                        for other in self.kinds() {
                            let (place, id) = (place.trim_end_matches('/'), kind.id());
                            plays.push(with(
                                &setup,
                                [
                                    format!("create 1 {} in {place}/{taken}", other.id()),
                                    format!("create 1 {id} in {place}/{at}"),
                                ],
                            ));
                        }
                    }
                }
            }
        }
        plays
    }

    /// An item in a pack, which only a deep filter rejects.
    fn of_depth(&self, container: usize) -> Vec<Vec<String>> {
        let mut plays = Vec::new();
        for (setup, place) in self.places_of(&self.rules.containers()[container]) {
            for pack in self.rules.kinds().filter(|kind| kind.pack().is_some()) {
                for kind in self.kinds() {
                    let inside = format!("{}/0/", place.trim_end_matches('/'));
                    plays.push(with(
                        &setup,
                        [format!("create 1 {} in {place}", pack.id()), format!("create 1 {} in {inside}", kind.id())],
                    ));
                }
            }
        }
        plays
    }

    /// Packs in packs, until no more go.
    fn of_nesting(&self) -> Vec<Vec<String>> {
        let packs = self.rules.kinds().filter(|kind| kind.pack().is_some());
        packs
            .map(|kind| {
                let mut place = "ground".to_owned();
                let mut steps = Vec::new();
                for depth in 0..MAX_STEPS {
                    steps.push(format!("create 1 {} in {place}", kind.id()));
                    place = if depth == 0 { "ground/#1/".to_owned() } else { format!("{place}0/") };
                }
                steps
            })
            .collect()
    }
}

pub(super) fn with(setup: &[String], steps: impl IntoIterator<Item = String>) -> Vec<String> {
    setup.iter().cloned().chain(steps).collect()
}

/// Performs a step; false if it is refused or not valid.
fn play(world: &mut World, step: &str) -> bool {
    let operation = step.parse::<NamedOperation>().ok();
    let resolved = operation.and_then(|operation| operation.resolve(world).ok());
    resolved.is_some_and(|operation| world.perform(&operation).is_ok())
}
