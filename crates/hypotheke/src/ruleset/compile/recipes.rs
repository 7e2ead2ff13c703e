//! Recipes: names are looked up, and what can't be carried out is a fault.

use rustc_hash::FxHashMap;

use super::{Compiler, small};
use crate::filter::Filter;
use crate::id::{ContainerDefId, KindId, RecipeId};
use crate::language::NamedPortion;
use crate::ruleset::access::Access;
use crate::ruleset::recipes::{
    Ingredient, IngredientSource, Of, Pattern, PatternSource, Recipe, RecipeSource, WhenFull, Yield, YieldSource,
};
use crate::ruleset::source::{FilterSource, Written};
use crate::text::{Diagnostic, Location};

impl Compiler {
    pub(super) fn compile_recipes(&mut self) {
        let sources = std::mem::take(&mut self.source.recipes);
        for source in &sources {
            if let Some(recipe) = self.compile_recipe(source) {
                let number = small(self.rules.recipes.len());
                for container in &recipe.at {
                    let known = self.rules.recipes_at.entry(container.clone()).or_default();
                    if !known.contains(&number) {
                        known.push(number);
                    }
                }
                self.rules.has_access_lists |= !matches!(recipe.by, Access::Anyone);
                self.rules.has_automatic |= recipe.is_automatic;
                self.rules.recipe_index.insert(recipe.id.clone(), RecipeId(number, self.rules.tag));
                self.rules.recipes.push(recipe);
            }
        }
        self.source.recipes = sources;
    }

    fn compile_recipe(&mut self, source: &RecipeSource) -> Option<Recipe> {
        let whose = format!("recipe `{}`", source.id.value);
        let inputs = "what it uses up: `inputs = [\"2 snow\"]`. Set `loot = true` if only the game finds it";
        let keys = [
            (source.has_no_inputs(), "inputs", inputs),
            (source.makes_nothing(), "outputs", "what it makes: `outputs = [\"1 water\"]`"),
        ];
        let is_missing = |&(is_empty, key, _): &(bool, &str, &str)| is_empty && !source.unread.contains(&key);
        for (_, key, help) in keys.into_iter().filter(is_missing) {
            let fault = Diagnostic::error("missing-key", source.id.at, format!("{whose} has no `{key}`"));
            self.fault(fault.help(format!("Name {help}")));
        }
        let at: Vec<Option<ContainerDefId>> = source.at.iter().map(|at| self.station(&whose, at)).collect();
        let by = match &source.by {
            Some(written) => self.compile_access_list(&whose, "by", written)?,
            None if source.loot.is_some() => Access::Nobody,
            None => Access::Anyone,
        };
        self.check_loot(&whose, source);
        let pattern = self.pattern(&whose, source, &at);
        let inputs = self.compile_ingredients(&whose, &source.inputs);
        let tools = self.compile_ingredients(&whose, &source.tools);
        let outputs = self.compile_items(&whose, &source.outputs);
        let yields = self.yields(&whose, source);
        let (inputs, tools, outputs, yields) = (inputs?, tools?, outputs?, yields?);
        let by_chance =
            yields.iter().zip(&source.yields).flat_map(|(one, source)| one.outputs.iter().zip(&source.outputs));
        let made: Vec<(KindId, Location)> = outputs
            .iter()
            .zip(&source.outputs)
            .chain(by_chance)
            .map(|(&(kind, _), written)| (kind, written.at))
            .collect();
        let (filled, help) = match self.outputs_to(&whose, source) {
            None => (at.clone(), "Change its filter, or carry the recipe out elsewhere"),
            Some(container) => (vec![container], "Change its filter, or name a different container in `outputs-to`"),
        };
        for container in filled.into_iter().flatten() {
            for &(kind, written) in &made {
                self.check_admitted(&whose, kind, container, written, help);
            }
        }
        let duration = self.duration(&whose, source);
        let is_automatic = source.automatic.is_some();
        self.check_automatic(&whose, source);
        // Only the contents of its container decide whether it starts.
        let otherwise = if is_automatic { WhenFull::Hold } else { WhenFull::default() };
        let when_full = source.when_full.as_ref().map_or(otherwise, |written| written.value);
        for ContainerDefId(container, _) in at.into_iter().flatten().filter(|_| duration > 0) {
            self.rules.containers[container as usize].works = true;
        }
        let at = source.at.iter().map(|at| at.value.as_str().into()).collect();
        let made = self.made(&whose, source, &outputs, &yields)?;
        let (id, is_loot) = (source.id.value.as_str().into(), source.loot.is_some());
        Some(Recipe {
            id,
            at,
            by,
            inputs,
            pattern,
            tools,
            outputs,
            yields,
            made,
            outputs_to: source.outputs_to.as_ref().map(|name| name.value.as_str().into()),
            is_loot,
            duration,
            when_full,
            is_automatic,
        })
    }

    /// The container that its outputs enter, if that is not where it is carried out. `Some(None)` if
    /// there is a fault in it.
    fn outputs_to(&mut self, whose: &str, source: &RecipeSource) -> Option<Option<ContainerDefId>> {
        let name = source.outputs_to.as_ref()?;
        if source.at.is_empty() && !source.unread.contains(&"at") {
            let message = format!("{whose} has `outputs-to` and no `at`: a holder gets what it makes");
            let fault = Diagnostic::error("missing-key", name.at, message).label("needs a container");
            self.fault(fault.help("Name the container where it is carried out: `at = \"stove\"`"));
        }
        Some(self.container_in_world(whose, name))
    }

    /// What only the game finds has no `by`, and takes no time: a container works on what it holds.
    fn check_loot(&mut self, whose: &str, source: &RecipeSource) {
        let Some(loot) = source.loot else { return };
        if let Some(by) = &source.by {
            let message = format!("{whose} is loot, and has `by`");
            let fault = Diagnostic::error("not-supported", by.at, message).label("only the game finds loot");
            self.fault(fault.related(loot, "it is loot").help("Leave out `by` or `loot`"));
        }
        if let Some(duration) = source.duration.as_ref().filter(|_| source.inputs.is_empty()) {
            let message = format!("{whose} takes time, and has no `inputs`");
            let fault = Diagnostic::error("not-supported", duration.at, message).label("nothing to work on");
            self.fault(fault.help("Name what it works on in `inputs`, or leave out `duration`"));
        }
    }

    /// It must end before it starts again, and nobody chooses how it ends.
    fn check_automatic(&mut self, whose: &str, source: &RecipeSource) {
        let Some(automatic) = source.automatic else { return };
        if source.duration.is_none() && !source.unread.contains(&"duration") {
            let message = format!("{whose} is automatic and has no `duration`: it would start again without end");
            let fault = Diagnostic::error("missing-key", automatic, message).label("needs `duration`");
            self.fault(fault.help("Add a `duration` in ticks, or leave out `automatic`"));
        }
        let refuses = source.when_full.as_ref().filter(|written| written.value == WhenFull::Refuse);
        let others = [
            (refuses.map(|written| written.at), "refuses to start without room", "`when-full`"),
            (source.yields.first().map(|one| one.at), "yields by chance", "`yields`"),
            (source.loot, "is loot", "`loot`"),
        ];
        for (other, what, key) in others {
            let Some(other) = other else { continue };
            let message = format!("{whose} is automatic and {what}");
            let fault = Diagnostic::error("not-supported", other, message).related(automatic, "it is automatic");
            self.fault(fault.help(format!("Leave out {key} or `automatic`")));
        }
    }

    /// What it makes by chance.
    fn yields(&mut self, whose: &str, source: &RecipeSource) -> Option<Vec<Yield>> {
        let compiled: Vec<Option<Yield>> = source.yields.iter().map(|one| self.one_yield(whose, one)).collect();
        let total: u64 = compiled.iter().flatten().map(|one| u64::from(one.weight)).sum();
        if let Some(first) = source.yields.first().filter(|_| total > u64::from(u32::MAX)) {
            let message = format!("the weights of the yields of {whose} sum to {total}; the maximum is {}", u32::MAX);
            self.fault(Diagnostic::error("bad-number", first.at, message).help("Divide all of them by a number"));
            return None;
        }
        compiled.into_iter().collect()
    }

    /// What it makes with each of its yields; `None` if that is more than can be counted.
    fn made(
        &mut self,
        whose: &str,
        source: &RecipeSource,
        outputs: &[(KindId, u32)],
        yields: &[Yield],
    ) -> Option<Vec<Vec<(KindId, u32)>>> {
        let mut made = Vec::new();
        for (one, written) in yields.iter().zip(&source.yields) {
            let mut all = outputs.to_vec();
            for &(kind, count) in &one.outputs {
                match all.iter_mut().find(|(known, _)| *known == kind) {
                    None => all.push((kind, count)),
                    Some((_, before)) => match before.checked_add(count) {
                        Some(sum) => *before = sum,
                        None => {
                            let message = format!("{whose} makes more than {} items of one kind", u32::MAX);
                            let fault = Diagnostic::error("out-of-range", written.at, message);
                            self.fault(fault.label("too many").help("Make fewer of them"));
                            return None;
                        }
                    },
                }
            }
            made.push(all);
        }
        Some(if made.is_empty() { vec![outputs.to_vec()] } else { made })
    }

    fn one_yield(&mut self, whose: &str, source: &YieldSource) -> Option<Yield> {
        let whose = format!("a yield of {whose}");
        if source.weight.is_none() && !source.is_unread {
            let message = format!("{whose} has no `weight`");
            let fault = Diagnostic::error("missing-key", source.at, message);
            self.fault(fault.help("Add its share of the draws: `weight = 1`"));
        }
        let outputs = self.compile_items(&whose, &source.outputs)?;
        Some(Yield { weight: source.weight.as_ref()?.value, outputs })
    }

    /// In ticks; 0 if it takes no time. What takes time needs a container that works on it, and a
    /// pack is none.
    fn duration(&mut self, whose: &str, source: &RecipeSource) -> u32 {
        let Some(duration) = &source.duration else {
            if let Some(when_full) = &source.when_full {
                let message = format!("{whose} has `when-full` and no `duration`");
                let fault = Diagnostic::error("missing-key", when_full.at, message).label("needs `duration`");
                self.fault(fault.help("Add a `duration` in ticks, or leave out `when-full`"));
            }
            return 0;
        };
        if source.at.is_empty() {
            let message = format!("{whose} takes time and has no `at`");
            let fault = Diagnostic::error("missing-key", duration.at, message).label("needs a container");
            self.fault(fault.help("Name a container that works on it: `at = \"stove\"`"));
        }
        for at in &source.at {
            let brought = |id| self.rules.container(id).brought;
            if self.rules.find_container(&at.value).is_some_and(brought) {
                let message = format!("{whose} takes time, and `{}` is the inside of a pack", at.value);
                let fault = Diagnostic::error("not-supported", at.at, message).label("a pack can't work on it");
                self.fault(fault.help("Name a container in the world or one that a holder carries"));
            }
        }
        duration.value
    }

    /// A container in the world by its name there, and any other by its definition.
    fn station(&mut self, whose: &str, name: &Written<String>) -> Option<ContainerDefId> {
        let known = self.rules.find_container(&name.value);
        let is_elsewhere = |id: &ContainerDefId| {
            let def = self.rules.container(*id);
            def.carried || def.brought
        };
        known.filter(is_elsewhere).or_else(|| self.container_in_world(whose, name))
    }

    /// Each kind once; what filters admit may overlap.
    fn compile_ingredients(&mut self, whose: &str, written: &[IngredientSource]) -> Option<Vec<Ingredient>> {
        let mut seen = FxHashMap::default();
        let compiled: Vec<Option<Ingredient>> =
            written.iter().map(|source| self.compile_ingredient(whose, source, &mut seen)).collect();
        compiled.into_iter().collect()
    }

    fn compile_ingredient(
        &mut self,
        whose: &str,
        source: &IngredientSource,
        seen: &mut FxHashMap<KindId, Location>,
    ) -> Option<Ingredient> {
        let of = self.compile_of(&source.of)?;
        let kind = if let Of::Kind(kind) = of { Some(kind) } else { None };
        if let Some(first) = kind.and_then(|kind| seen.insert(kind, source.at)) {
            self.named_twice(whose, source.of.filter.to_string().as_str(), source.at, first);
        }
        Some(Ingredient { count: source.count, of, written: source.of.filter.to_string().into() })
    }

    /// A kind by its name, or what a filter admits.
    fn compile_of(&mut self, source: &FilterSource) -> Option<Of> {
        let kind = match &source.filter {
            Filter::Name(name) => self.rules.find_kind(name.as_str()),
            _ => None,
        };
        kind.map(Of::Kind).or_else(|| self.compile_filter(source).map(Of::Filter))
    }

    /// Its pattern, which has a position in each of its containers.
    fn pattern(&mut self, whose: &str, source: &RecipeSource, at: &[Option<ContainerDefId>]) -> Option<Pattern> {
        let PatternSource { at: place, columns, cells, mirrored } = source.pattern.clone()?;
        if source.at.is_empty() {
            let fault = Diagnostic::error("missing-key", place, format!("{whose} has a pattern and no `at`"));
            self.fault(fault.label("needs a container").help("Name the container: `at = \"bench\"`"));
        }
        let pattern = Pattern { columns, cells, is_mirrored: mirrored.is_some() };
        for (id, name) in at.iter().zip(&source.at) {
            let Some(def) = id.map(|id| self.rules.container(id)) else { continue };
            let (slots, columns) = (def.slots.max(def.bounds.1), def.columns);
            if pattern.placed(slots, columns).next().is_none() {
                let (own, own_rows) = (pattern.columns, pattern.rows().len());
                let there = format!("`{}` has {slots} slots in {columns} columns", name.value);
                let message = format!("the pattern of {whose} has {own_rows} rows of {own}; {there}");
                let fault = Diagnostic::error("out-of-range", place, message).related(name.at, "carried out here");
                self.fault(fault.help("Set `columns` and `slots` of the container, or make the pattern smaller"));
            }
        }
        Some(pattern)
    }

    fn named_twice(&mut self, whose: &str, kind: &str, at: Location, first: Location) {
        let message = format!("{whose} names `{kind}` twice");
        let fault = Diagnostic::error("duplicate", at, message).related(first, "the first one");
        self.fault(fault.help("Name each kind once in a list"));
    }

    /// Counts and kinds, each kind once.
    fn compile_items(&mut self, whose: &str, portions: &[Written<NamedPortion>]) -> Option<Vec<(KindId, u32)>> {
        let mut seen: FxHashMap<KindId, Location> = FxHashMap::default();
        let mut items = Vec::new();
        for portion in portions {
            let kind = self.plain_kind(whose, portion)?;
            if let Some(first) = seen.insert(kind, portion.at) {
                self.named_twice(whose, portion.value.kind.as_str(), portion.at, first);
            }
            items.push((kind, portion.value.count));
        }
        Some(items)
    }
}
