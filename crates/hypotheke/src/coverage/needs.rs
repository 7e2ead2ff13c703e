//! What a recipe needs, as the lines of a scenario that create it.

use super::candidates::PLENTY;
use crate::ruleset::{Ingredient, Recipe};

/// An item for each ingredient of a recipe, with marks and properties, and how many.
pub(super) struct Needs {
    tools: Vec<(u32, String)>,
    inputs: Vec<(u32, String)>,
    /// There is as much of the first input as its place takes.
    pub(super) fills: bool,
}

impl Needs {
    pub(super) fn of(recipe: &Recipe, item: impl Fn(&Ingredient) -> Option<String>) -> Option<Needs> {
        let each = |list: &[Ingredient]| {
            list.iter().map(|it| Some((it.count(), item(it)?))).collect::<Option<Vec<(u32, String)>>>()
        };
        Some(Needs { tools: each(recipe.tools())?, inputs: each(recipe.inputs())?, fills: false })
    }

    /// All of it in a place, the first input last.
    pub(super) fn created(&self, place: &str) -> Vec<String> {
        let items = self.tools.iter().chain(self.inputs.iter().rev());
        let mut lines: Vec<String> = items.map(|(count, item)| format!("create {count} {item} in {place}")).collect();
        if let (true, Some((_, first))) = (self.fills, self.inputs.first()) {
            lines.pop();
            lines.push(format!("create up to {PLENTY} {first} in {place}"));
        }
        lines
    }

    /// The inputs in the slots of a pattern, the tools beside them.
    pub(super) fn laid(&self, cells: &[(u32, Option<u32>)], place: &str) -> Vec<String> {
        let of_cell = |&(slot, input): &(u32, Option<u32>)| {
            let (_, item) = self.inputs.get(input? as usize)?;
            let amount = if self.fills { format!("up to {PLENTY}") } else { "1".to_owned() };
            Some(format!("create {amount} {item} in {place}/{slot}"))
        };
        let tools = self.tools.iter().map(|(count, item)| format!("create {count} {item} in {place}"));
        cells.iter().filter_map(of_cell).chain(tools).collect()
    }
}
