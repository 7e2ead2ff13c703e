//! Recipes that can't be carried out.

use std::collections::BTreeMap;

use super::{admits, can_admit};
use crate::id::KindId;
use crate::ruleset::kind::Kind;
use crate::ruleset::places::ContainerDef;
use crate::ruleset::recipes::{Ingredient, Of, Recipe, RecipeSource};
use crate::ruleset::view::Ruleset;
use crate::text::Diagnostic;

/// An input is protected, or none of its containers can have all that it needs.
pub(super) fn never_made(rules: &Ruleset) -> Vec<Diagnostic> {
    let recipes = rules.recipes().iter().zip(&rules.source.recipes);
    let warning = |(recipe, source): (&Recipe, &RecipeSource)| {
        let (cause, help) = why_never(rules, recipe)?;
        let message = format!("recipe `{}` can't be carried out", recipe.id());
        Some(Diagnostic::warning("never-made", source.id.at, message).label(cause).help(help))
    };
    recipes.filter_map(warning).collect()
}

fn why_never(rules: &Ruleset, recipe: &Recipe) -> Option<(String, &'static str)> {
    let kinds = recipe.inputs().iter().filter_map(Ingredient::kind);
    if let Some(kind) = kinds.map(|kind| rules.known_kind(kind)).find(|kind| kind.is_protected()) {
        return Some((format!("`{}` is protected", kind.id()), "Name a kind that may be used up"));
    }
    let is_it = |def: &&ContainerDef, name: &str| def.id() == name || def.instances().any(|it| it == name);
    let def = |name: &str| rules.containers().iter().find(|def| is_it(def, name));
    let causes: Option<Vec<String>> = recipe.at().map(|at| lacks_room(rules, recipe, def(at)?)).collect();
    let cause = causes?.into_iter().next()?;
    Some((cause, "Change the container, or carry the recipe out elsewhere"))
}

/// Why a container can't have all that a recipe needs at the same time.
fn lacks_room(rules: &Ruleset, recipe: &Recipe, def: &ContainerDef) -> Option<String> {
    let ingredients = || recipe.inputs().iter().chain(recipe.tools());
    let may_be = |kind: Kind<'_>, ingredient: &Ingredient| match ingredient.of() {
        Of::Kind(of) => of == kind.handle(),
        Of::Filter(filter) => can_admit(rules, Some(filter), kind),
    };
    let is_missing = |it: &&Ingredient| !rules.kinds().any(|kind| may_be(kind, it) && admits(rules, def, kind));
    if let Some(ingredient) = ingredients().find(is_missing) {
        return Some(format!("`{}` admits no {}", def.id(), ingredient.of_text()));
    }
    // Filters may share slots and admit light items, so that only kinds are counted.
    let mut needs: BTreeMap<KindId, u64> = BTreeMap::new();
    for ingredient in ingredients() {
        if let Some(kind) = ingredient.kind() {
            *needs.entry(kind).or_default() += u64::from(ingredient.count());
        }
    }
    let kinds = || needs.iter().map(|(&kind, &count)| (rules.known_kind(kind), count));
    let slots: u64 =
        kinds().map(|(kind, count)| count.div_ceil(u64::from(kind.stack_limit().min(def.stack_limit)))).sum();
    let most = def.slots.max(def.bounds.1);
    if slots > u64::from(most) {
        return Some(format!("its inputs and tools need {slots} slots; `{}` has {most}", def.id()));
    }
    let weight: i128 = kinds().map(|(kind, count)| i128::from(kind.weight().thousandths()) * i128::from(count)).sum();
    (weight > i128::from(def.weight_cap)).then(|| format!("its inputs and tools weigh more than `{}` may", def.id()))
}
