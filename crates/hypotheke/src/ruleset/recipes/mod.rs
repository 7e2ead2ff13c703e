//! Recipes: items of a container, or of a holder, that change into others.

mod allocate;
mod pattern;
mod read;
mod yields;

use std::fmt;

pub(crate) use allocate::{Allocation, Laid, Supply};
pub use pattern::Pattern;
pub(crate) use pattern::PatternSource;
pub(super) use read::read;
pub use yields::Yield;
pub(crate) use yields::YieldSource;

use super::access::Access;
use super::source::{AccessSource, FilterSource, Written};
use super::view::{FilterId, Ruleset};
use crate::id::{KindId, RecipeId};
use crate::language::NamedPortion;
use crate::text::Location;

/// A recipe as it is written.
#[derive(Clone, Debug)]
pub(crate) struct RecipeSource {
    pub(crate) id: Written<String>,
    pub(crate) at: Vec<Written<String>>,
    pub(crate) by: Option<AccessSource>,
    pub(crate) inputs: Vec<IngredientSource>,
    pub(crate) tools: Vec<IngredientSource>,
    pub(crate) outputs: Vec<Written<NamedPortion>>,
    pub(crate) pattern: Option<PatternSource>,
    pub(crate) yields: Vec<YieldSource>,
    pub(crate) outputs_to: Option<Written<String>>,
    /// The place of `loot = true`.
    pub(crate) loot: Option<Location>,
    pub(crate) duration: Option<Written<u32>>,
    pub(crate) when_full: Option<Written<WhenFull>>,
    /// The place of `automatic = true`.
    pub(crate) automatic: Option<Location>,
    /// Keys in which something could not be read: that is not missing.
    pub(crate) unread: Vec<&'static str>,
}

impl RecipeSource {
    /// Nothing that it uses up, and it is no loot.
    pub(crate) fn has_no_inputs(&self) -> bool {
        self.inputs.is_empty() && self.loot.is_none()
    }

    /// No outputs, and no yield that has some.
    pub(crate) fn makes_nothing(&self) -> bool {
        let is_unread = self.unread.contains(&"yields");
        self.outputs.is_empty() && !is_unread && self.yields.iter().all(|one| one.outputs.is_empty())
    }
}

/// A number of items that a filter admits, as it is written.
#[derive(Clone, Debug)]
pub(crate) struct IngredientSource {
    pub(crate) at: Location,
    pub(crate) count: u32,
    pub(crate) of: FilterSource,
}

impl IngredientSource {}

/// A recipe: what it uses up, what it needs besides, and what it makes.
///
/// ```
/// use hypotheke::Ruleset;
///
/// let rules = Ruleset::builder()
///     .kind("snow", |snow| snow.stack_limit(10))
///     .kind("water", |water| water.stack_limit(4))
///     .container("stove", |stove| stove.slots(3))
///     .recipe("melt", |recipe| recipe.at(["stove"]).inputs(["2 snow"]).outputs(["1 water"]))
///     .build()?;
/// let melt = rules.recipe(rules.find_recipe("melt").unwrap()).unwrap();
/// assert_eq!((melt.inputs()[0].to_string(), melt.outputs()[0].1), ("2 snow".to_owned(), 1));
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug)]
pub struct Recipe {
    pub(in crate::ruleset) id: Box<str>,
    pub(in crate::ruleset) at: Vec<Box<str>>,
    pub(in crate::ruleset) by: Access,
    pub(in crate::ruleset) inputs: Vec<Ingredient>,
    pub(in crate::ruleset) pattern: Option<Pattern>,
    pub(in crate::ruleset) tools: Vec<Ingredient>,
    pub(in crate::ruleset) outputs: Vec<(KindId, u32)>,
    pub(in crate::ruleset) yields: Vec<Yield>,
    /// What it makes with each of its yields, each kind once; without yields, its outputs alone.
    pub(in crate::ruleset) made: Vec<Vec<(KindId, u32)>>,
    pub(in crate::ruleset) outputs_to: Option<Box<str>>,
    pub(in crate::ruleset) is_loot: bool,
    /// In ticks; 0 if it takes no time.
    pub(in crate::ruleset) duration: u32,
    pub(in crate::ruleset) when_full: WhenFull,
    pub(in crate::ruleset) is_automatic: bool,
}

/// What happens at the start of a recipe that takes time if there is no room for what it makes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
#[non_exhaustive]
pub enum WhenFull {
    /// It does not start.
    #[default]
    Refuse,
    /// It starts, and waits at its end until there is room.
    Hold,
}

impl WhenFull {
    pub(crate) const ALL: &[(&str, WhenFull)] = &[("refuse", WhenFull::Refuse), ("hold", WhenFull::Hold)];

    /// As a ruleset file says it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            WhenFull::Refuse => "refuse",
            WhenFull::Hold => "hold",
        }
    }

    /// The other one.
    pub(crate) fn other(self) -> WhenFull {
        match self {
            WhenFull::Refuse => WhenFull::Hold,
            WhenFull::Hold => WhenFull::Refuse,
        }
    }
}

impl Recipe {
    /// Its name.
    #[must_use]
    pub fn id(&self) -> &str {
        &self.id
    }

    /// The containers at which it is carried out: in the world by name, others by their definition.
    /// Without any, a holder carries it out with the items that it has.
    #[must_use]
    pub fn at(&self) -> impl ExactSizeIterator<Item = &str> {
        self.at.iter().map(|at| &**at)
    }

    /// Who may carry it out.
    #[must_use]
    pub fn by(&self) -> &Access {
        &self.by
    }

    /// What is used up, each time. With a pattern, these are the items in it.
    #[must_use]
    pub fn inputs(&self) -> &[Ingredient] {
        &self.inputs
    }

    /// What must be there besides, and stays.
    #[must_use]
    pub fn tools(&self) -> &[Ingredient] {
        &self.tools
    }

    /// The items that it makes, each time, whatever it [yields](Recipe::yields).
    #[must_use]
    pub fn outputs(&self) -> &[(KindId, u32)] {
        &self.outputs
    }

    /// The container in the world that its outputs enter; `None` if that is the place where it is
    /// carried out.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("snow", |snow| snow.stack_limit(10))
    ///     .kind("water", |water| water.stack_limit(4))
    ///     .container("stove", |stove| stove.slots(1))
    ///     .container("rack", |rack| rack.slots(2).put_by(["nobody"]))
    ///     .recipe("melt", |melt| {
    ///         melt.at(["stove"]).inputs(["2 snow"]).outputs(["1 water"]).outputs_to("rack")
    ///     })
    ///     .start("stove", ["6 snow"])
    ///     .build()?;
    /// let mut world = World::new(&rules.into());
    /// let (stove, melt) = (world.container("stove").unwrap(), world.rules().find_recipe("melt").unwrap());
    /// let _ = world.perform(&Operation::crafting(Amount::Exactly(2), melt, stove)).unwrap();
    /// let (slot, water) = world.stacks(world.container("rack").unwrap()).next().unwrap();
    /// assert_eq!((slot, water.count()), (0, 2));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn outputs_to(&self) -> Option<&str> {
        self.outputs_to.as_deref()
    }

    /// The number of ticks that it takes; `None` if it takes no time.
    #[must_use]
    pub fn duration(&self) -> Option<u32> {
        (self.duration > 0).then_some(self.duration)
    }

    /// Whether it starts as soon as its inputs and tools are in a container that works on nothing.
    ///
    /// ```
    /// use hypotheke::{Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("snow", |snow| snow.stack_limit(10))
    ///     .kind("water", |water| water.stack_limit(4))
    ///     .container("stove", |stove| stove.slots(3))
    ///     .recipe("melt", |melt| {
    ///         melt.at(["stove"]).inputs(["2 snow"]).outputs(["1 water"]).duration(10).automatic()
    ///     })
    ///     .start("stove", ["5 snow"])
    ///     .build()?;
    /// let mut world = World::new(&rules.into());
    /// let stove = world.container("stove").unwrap();
    /// assert_eq!(world.job(stove).unwrap().due(), 10);
    ///
    /// // It starts again at once, and ends at tick 20. Then there is not enough snow.
    /// let _ = world.perform(&Operation::waiting(25)).unwrap();
    /// assert_eq!(world.job(stove), None);
    /// let water = world.rules().find_kind("water").unwrap();
    /// assert_eq!(world.count(water, None), 2);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn is_automatic(&self) -> bool {
        self.is_automatic
    }

    /// What happens at its start if there is no room for its outputs.
    #[must_use]
    pub fn when_full(&self) -> WhenFull {
        self.when_full
    }

    /// One of its inputs or tools.
    #[must_use]
    pub fn part(&self, part: RecipePart) -> Option<&Ingredient> {
        match part {
            RecipePart::Input(number) => self.inputs.get(number as usize),
            RecipePart::Tool(number) => self.tools.get(number as usize),
        }
    }
}

/// A number of items of one kind, or of all that a filter admits: `2 snow`, `1 fuel and not wet`.
#[derive(Clone, Debug)]
pub struct Ingredient {
    pub(in crate::ruleset) count: u32,
    pub(in crate::ruleset) of: Of,
    pub(in crate::ruleset) written: Box<str>,
}

/// Which items.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Of {
    Kind(KindId),
    Filter(FilterId),
}

impl Ingredient {
    /// How many.
    #[must_use]
    pub fn count(&self) -> u32 {
        self.count
    }

    /// Of which kind; `None` if a filter decides.
    #[must_use]
    pub fn kind(&self) -> Option<KindId> {
        match self.of {
            Of::Kind(kind) => Some(kind),
            Of::Filter(_) => None,
        }
    }

    /// The kind or the filter, as it is written.
    #[must_use]
    pub fn of_text(&self) -> &str {
        &self.written
    }

    pub(crate) fn of(&self) -> Of {
        self.of
    }
}

impl fmt::Display for Ingredient {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.count, self.written)
    }
}

/// One of the lists of what a recipe requires, and a number in it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RecipePart {
    /// One of its inputs.
    Input(u32),
    /// One of its tools.
    Tool(u32),
}

impl Ruleset {
    /// All recipes, in the order of the ruleset.
    #[must_use]
    pub fn recipes(&self) -> &[Recipe] {
        &self.recipes
    }

    /// A recipe by its name.
    #[must_use]
    pub fn find_recipe(&self, name: &str) -> Option<RecipeId> {
        self.recipe_index.get(name).copied()
    }

    /// A recipe by its handle.
    #[must_use]
    pub fn recipe(&self, id: RecipeId) -> Option<&Recipe> {
        self.recipes.get(id.index()).filter(|_| id.1 == self.tag)
    }

    /// The recipes that a holder carries out with the items that it has.
    pub fn own_recipes(&self) -> impl Iterator<Item = RecipeId> {
        let own = self.recipes.iter().zip(0..).filter(|(recipe, _)| recipe.at.is_empty());
        own.map(|(_, number)| RecipeId(number, self.tag))
    }

    /// The recipes that start at a container as soon as they have their inputs, by the same name.
    pub(crate) fn automatic_at(&self, container: &str) -> impl Iterator<Item = RecipeId> {
        let is_automatic = |&id: &RecipeId| self.recipe(id).is_some_and(Recipe::is_automatic);
        self.recipes_at(container).filter(is_automatic)
    }

    /// Whether a recipe is carried out at a container, by the same name.
    pub(crate) fn is_station(&self, recipe: RecipeId, container: &str) -> bool {
        // The numbers ascend.
        self.recipes_at.get(container).is_some_and(|numbers| numbers.binary_search(&recipe.0).is_ok())
    }

    /// The recipes that are carried out at a container: by its name in the world, or by the id of its
    /// definition if a holder carries it or it is the inside of a pack.
    pub fn recipes_at(&self, container: &str) -> impl Iterator<Item = RecipeId> {
        self.recipes_at.get(container).into_iter().flatten().map(|&number| RecipeId(number, self.tag))
    }
}
