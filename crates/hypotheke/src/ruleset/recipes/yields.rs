//! What recipes make by chance.

use toml::Spanned;
use toml::de::DeValue;

use super::Recipe;
use crate::id::KindId;
use crate::language::NamedPortion;
use crate::narrow;
use crate::ruleset::read::{Reading, Section};
use crate::ruleset::source::Written;
use crate::ruleset::toml::{read_counts, read_portion};
use crate::text::Location;

const YIELD: &[&str] = &["weight", "outputs"];
const LIKE: &str = "a list of tables, such as [{ weight = 3, outputs = [\"1 water\"] }]";

/// A yield as it is written.
#[derive(Clone, Debug)]
pub(crate) struct YieldSource {
    pub(crate) at: Location,
    /// `None` if it is missing or could not be read.
    pub(crate) weight: Option<Written<u32>>,
    pub(crate) outputs: Vec<Written<NamedPortion>>,
    /// The weight is there and could not be read.
    pub(crate) is_unread: bool,
}

/// One of the things that a recipe may make besides its outputs. One of them is drawn each time.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Yield {
    pub(in crate::ruleset) weight: u32,
    pub(in crate::ruleset) outputs: Vec<(KindId, u32)>,
}

impl Yield {
    /// Its share of the draws: a yield of weight 3 beside one of weight 1 is drawn three times out of
    /// four.
    #[must_use]
    pub fn weight(&self) -> u32 {
        self.weight
    }

    /// The items that it makes; perhaps none.
    #[must_use]
    pub fn outputs(&self) -> &[(KindId, u32)] {
        &self.outputs
    }
}

impl Recipe {
    /// What it makes by chance besides its outputs. One of them is drawn each time; without any,
    /// nothing is drawn.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("rope", |rope| rope)
    ///     .kind("flare", |flare| flare)
    ///     .container("crate", |container| container.slots(2))
    ///     .recipe("search", |recipe| {
    ///         recipe.at(["crate"]).loot().possible_yield(3, ["1 rope"]).possible_yield(1, ["1 flare"])
    ///     })
    ///     .build()?;
    /// let search = rules.find_recipe("search").unwrap();
    /// assert_eq!(rules.recipe(search).unwrap().yields()[0].weight(), 3);
    ///
    /// let mut world = World::new(&rules.into());
    /// let at = world.container("crate").unwrap();
    /// // The world draws a yield from its random numbers; a test names the one that it looks at.
    /// let searching = Operation::crafting(Amount::Exactly(1), search, at);
    /// assert!(world.dry_run(&searching).is_ok());
    /// world.perform(&searching.with_yield(2)).unwrap();
    /// assert_eq!(world.stacks(at).next().unwrap().1.kind().id(), "flare");
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn yields(&self) -> &[Yield] {
        &self.yields
    }

    /// It may have no inputs, and only the game carries it out: what is found somewhere.
    #[must_use]
    pub fn is_loot(&self) -> bool {
        self.is_loot
    }

    /// The numbers of its yields, from 1 on; without yields, `None` alone.
    pub(crate) fn yield_numbers(&self) -> impl Iterator<Item = Option<u32>> + use<> {
        let count = narrow::at_most(self.yields.len());
        (count == 0).then_some(None).into_iter().chain((1..=count).map(Some))
    }

    /// Whether one of its yields has such a number; without yields, whether there is none.
    pub(crate) fn has_yield(&self, number: Option<u32>) -> bool {
        match number {
            None => self.yields.is_empty(),
            Some(number) => self.numbered(number).is_some(),
        }
    }

    /// The yield with a number, from 1 on.
    fn numbered(&self, number: u32) -> Option<&Yield> {
        self.yields.get(number.checked_sub(1)? as usize)
    }

    /// What it makes each time with one of its yields: its outputs, then those of the yield, each kind
    /// once.
    pub(crate) fn made(&self, number: Option<u32>) -> &[(KindId, u32)] {
        let nth = number.map_or(Some(0), |number| number.checked_sub(1));
        nth.and_then(|nth| self.made.get(nth as usize)).map_or(&[], Vec::as_slice)
    }

    /// All that it may make.
    pub(crate) fn all_made(&self) -> impl Iterator<Item = (KindId, u32)> + '_ {
        self.made.iter().flatten().copied()
    }

    /// How often it can be carried out at once: what is drawn is drawn for one time, and without
    /// inputs there is no other bound.
    pub(crate) fn max_times(&self) -> u32 {
        if self.yields.is_empty() && !self.inputs.is_empty() { u32::MAX } else { 1 }
    }

    /// The sum of the weights of its yields.
    pub(crate) fn total_weight(&self) -> u64 {
        self.yields.iter().map(|one| u64::from(one.weight)).sum()
    }

    /// The number of the yield that a number below the sum of all weights draws.
    pub(crate) fn drawn(&self, mut below: u64) -> Option<u32> {
        let found = self.yields.iter().position(|one| match below.checked_sub(u64::from(one.weight)) {
            Some(rest) => {
                below = rest;
                false
            }
            None => true,
        });
        found.map(|nth| narrow::index(nth) + 1)
    }
}

/// The yields of a recipe.
pub(super) fn read_yields(reading: &mut Reading<'_>, section: &Section<'_, '_>, whose: &str) -> Vec<YieldSource> {
    let values: Vec<&Spanned<DeValue<'_>>> = reading.list(section, "yields", LIKE);
    let one = |value: &Spanned<DeValue<'_>>| {
        let section = reading.section(value, format!("a yield of {whose}"), YIELD)?;
        let weight = reading.count(&section, "weight");
        let is_unread = weight.is_none() && section.table.contains_key("weight");
        let outputs = read_counts(reading, &section, "outputs", read_portion);
        Some(YieldSource { at: reading.at(value), weight, outputs, is_unread })
    };
    values.into_iter().filter_map(one).collect()
}
