//! Patterns: the arrangement of the inputs of a recipe in the rows and columns of its container.

use std::collections::BTreeMap;

use super::{IngredientSource, Recipe};
use crate::narrow;
use crate::ruleset::read::{Reading, Section};
use crate::ruleset::source::{FilterSource, Written};
use crate::text::{Diagnostic, Location};

/// The word for a slot that must be empty.
const EMPTY: &str = ".";

/// A pattern as it is written.
#[derive(Clone, Debug)]
pub(crate) struct PatternSource {
    pub(crate) at: Location,
    pub(crate) columns: u32,
    /// Row by row: the number of the input in a slot, or nothing.
    pub(crate) cells: Vec<Option<u32>>,
    /// The place of `mirrored = true`.
    pub(crate) mirrored: Option<Location>,
}

/// The arrangement of the inputs of a recipe: one item in each slot for each time. It can be anywhere in
/// the rows and columns of the container.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pattern {
    pub(in crate::ruleset) columns: u32,
    pub(in crate::ruleset) cells: Vec<Option<u32>>,
    pub(in crate::ruleset) is_mirrored: bool,
}

/// Slots, each with the number of its input, or nothing.
type Placed = Vec<(u32, Option<u32>)>;

impl Pattern {
    /// Its rows, from the top: for each slot the number of its input. A slot with nothing must be
    /// empty.
    #[must_use]
    pub fn rows(&self) -> impl ExactSizeIterator<Item = &[Option<u32>]> {
        self.cells.chunks(self.columns.max(1) as usize)
    }

    /// The number of its columns.
    #[must_use]
    pub fn columns(&self) -> u32 {
        self.columns
    }

    /// It also matches with left and right exchanged.
    #[must_use]
    pub fn is_mirrored(&self) -> bool {
        self.is_mirrored
    }

    /// Each position of the pattern in a container of some slots in columns: from the first slot on, at
    /// each first as it is written, then mirrored.
    pub(crate) fn placed(&self, slots: u32, columns: u32) -> impl Iterator<Item = Placed> + '_ {
        let (rows, own_rows) = (slots.div_ceil(columns.max(1)), narrow::at_most(self.rows().len()));
        let shifts = |most: u32, own: u32| 0..(most + 1).saturating_sub(own);
        let starts =
            shifts(rows, own_rows).flat_map(move |row| shifts(columns, self.columns).map(move |column| (row, column)));
        let ways = if self.is_mirrored { &[false, true][..] } else { &[false] };
        let all = starts.flat_map(move |start| ways.iter().map(move |&mirrored| (start, mirrored)));
        all.map(move |(start, mirrored)| self.at(start, mirrored, columns))
            .filter(move |placed| placed.iter().all(|(slot, _)| *slot < slots))
    }

    fn at(&self, (row, column): (u32, u32), mirrored: bool, columns: u32) -> Placed {
        let cells = (0..).zip(&self.cells).map(|(nth, &input): (u32, &Option<u32>)| {
            let (down, across) = (nth / self.columns, nth % self.columns);
            let across = if mirrored { self.columns - 1 - across } else { across };
            ((row + down) * columns + column + across, input)
        });
        cells.collect()
    }

    /// Row by row: `plank plank / ski .`
    pub(crate) fn text(&self, input: impl Fn(u32) -> String) -> String {
        let cell = |cell: &Option<u32>| cell.map_or_else(|| EMPTY.to_owned(), &input);
        let row = |row: &[Option<u32>]| row.iter().map(cell).collect::<Vec<_>>().join(" ");
        self.rows().map(row).collect::<Vec<_>>().join(" / ")
    }
}

impl Recipe {
    /// The arrangement of its inputs; `None` if any will do.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .kind("ski", |ski| ski)
    ///     .kind("plank", |plank| plank)
    ///     .kind("sled", |sled| sled)
    ///     .container("bench", |bench| bench.slots(6).columns(3))
    ///     .recipe("sled", |sled| sled.at(["bench"]).pattern(["plank plank", "ski ski"]).outputs(["1 sled"]))
    ///     .start("bench/1", ["1 plank"])
    ///     .start("bench/2", ["1 plank"])
    ///     .start("bench/4", ["1 ski"])
    ///     .build()?;
    /// let sled = rules.find_recipe("sled").unwrap();
    /// let pattern = rules.recipe(sled).unwrap().pattern().unwrap();
    /// assert_eq!((pattern.columns(), pattern.rows().len()), (2, 2));
    ///
    /// let mut world = World::new(&rules.into());
    /// let bench = world.container("bench").unwrap();
    /// let operation = Operation::crafting(Amount::Exactly(1), sled, bench);
    /// assert!(world.dry_run(&operation).is_err());
    /// let ski = world.rules().find_kind("ski").unwrap();
    /// world.perform(&Operation::creating(Amount::Exactly(1), ski, (bench, 5))).unwrap();
    /// assert!(world.perform(&operation).unwrap().is_complete());
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn pattern(&self) -> Option<&Pattern> {
        self.pattern.as_ref()
    }
}

/// The pattern of a recipe, and its inputs: by the legend, or kinds and tags.
pub(super) fn read_pattern(
    reading: &mut Reading<'_>,
    section: &Section<'_, '_>,
    whose: &str,
) -> Option<(PatternSource, Vec<IngredientSource>)> {
    let errors = reading.faults.errors();
    // Without a filter, if that could not be read.
    let mut legend: BTreeMap<String, Option<FilterSource>> = BTreeMap::new();
    for (word, value) in reading.entries(section, "legend") {
        let Some(text) = reading.one_text(value, &format!("`{}` of `legend`", word.value)) else { continue };
        let origin = reading.origin(value, &text.value);
        legend.insert(word.value, reading.filter_in(&text.value, text.at, origin));
    }
    let is_mirrored = reading.flag(section, "mirrored").unwrap_or(false);
    let mirrored = section.table.get("mirrored").filter(|_| is_mirrored).map(|value| reading.at(value));
    let value = section.table.get("pattern")?;
    let at = reading.at(value);
    let mut known: Vec<String> = Vec::new();
    let (mut inputs, mut rows): (Vec<IngredientSource>, Vec<Vec<Option<u32>>>) = (Vec::new(), Vec::new());
    for row in reading.list(section, "pattern", "a list of rows, such as [\"plank plank\", \"ski .\"]") {
        let Some(Written { value: text, at }) = reading.one_text(row, "each of `pattern`") else { continue };
        let start = reading.origin(row, &text);
        let mut cells = Vec::new();
        for word in text.split_whitespace() {
            let offset = word.as_ptr().addr() - text.as_ptr().addr();
            let input = known.iter().position(|it| it == word);
            cells.push(match input {
                _ if word == EMPTY => None,
                Some(input) => {
                    inputs[input].count += 1;
                    Some(narrow::at_most(input))
                }
                None => {
                    let of = match legend.get(word) {
                        Some(known) => known.clone(),
                        None => reading.filter_in(word, at, start.map(|start| start + offset)),
                    };
                    let Some(of) = of else { continue };
                    known.push(word.to_owned());
                    inputs.push(IngredientSource { at: of.at, count: 1, of });
                    Some(narrow::at_most(inputs.len() - 1))
                }
            });
        }
        rows.push(cells);
    }
    // What could not be read is not missing.
    if reading.faults.errors() > errors {
        return None;
    }
    let columns = rows.first().map_or(0, Vec::len);
    let message = match () {
        () if inputs.is_empty() => format!("the pattern of {whose} has no inputs"),
        () if rows.iter().any(|row| row.len() != columns) => {
            format!("the rows of the pattern of {whose} differ in length")
        }
        () => {
            let cells = rows.into_iter().flatten().collect();
            return Some((PatternSource { at, columns: narrow::at_most(columns), cells, mirrored }, inputs));
        }
    };
    let help = "Write rows of as many words: kinds, tags, words of `legend`, and `.` for an empty slot";
    reading.faults.push(Diagnostic::error("bad-pattern", at, message).help(help));
    None
}
