//! Which stacks a recipe uses up.

use super::{Ingredient, Recipe, RecipePart};
use crate::id::KindId;

/// The items that are there: how many of each stack, and whether they may be used up.
pub(crate) type Supply = (u64, bool);

/// What is used up of each stack, and what is missing for it.
#[derive(Clone, Debug, Default)]
pub(crate) struct Allocation {
    pub(crate) used: Vec<u64>,
    /// The number that a part of the recipe requires, and the number that is there for it.
    pub(crate) missing: Vec<(RecipePart, u64, u64)>,
}

/// A position of a pattern: each of its stacks, with the number of the input.
pub(crate) type Laid = Vec<(usize, u32)>;

impl Recipe {
    /// Allocates stacks for a number of times. First the tools reserve theirs, each from the last
    /// stack on; then the inputs take theirs, each from the first stack on. Each ingredient has what
    /// those before it leave. The inputs of a pattern take theirs first, from its stacks.
    pub(crate) fn allocate(
        &self,
        times: u64,
        stacks: &[Supply],
        is_it: impl Fn(&Ingredient, usize) -> bool,
        laid: Option<&Laid>,
    ) -> Allocation {
        let mut left: Vec<u64> = stacks.iter().map(|(count, _)| *count).collect();
        let (mut used, mut missing) = (vec![0; stacks.len()], Vec::new());
        let mut there = vec![0; self.inputs.len()];
        for &(nth, input) in laid.into_iter().flatten() {
            let taken = times.min(left[nth]);
            left[nth] -= taken;
            used[nth] += taken;
            there[input as usize] += taken;
        }
        let mut take = |required: u64, order: &mut dyn Iterator<Item = usize>, used: &mut [u64]| {
            let mut missing = required;
            for nth in order {
                let taken = missing.min(left[nth]);
                left[nth] -= taken;
                used[nth] += taken;
                missing -= taken;
            }
            (missing > 0).then(|| required - missing)
        };
        let mut tools = Vec::new();
        for (number, tool) in (0..).zip(&self.tools) {
            let mut order = (0..stacks.len()).rev().filter(|&nth| is_it(tool, nth));
            let (required, mut kept) = (u64::from(tool.count), vec![0; stacks.len()]);
            let short = take(required, &mut order, &mut kept);
            tools.extend(short.map(|there| (RecipePart::Tool(number), required, there)));
        }
        for (number, input) in (0..).zip(&self.inputs) {
            let mut order = (0..stacks.len()).filter(|&nth| stacks[nth].1 && is_it(input, nth));
            let required = u64::from(input.count).saturating_mul(times);
            let short = match laid {
                Some(_) => Some(there[number as usize]).filter(|there| *there < required),
                None => take(required, &mut order, &mut used),
            };
            missing.extend(short.map(|there| (RecipePart::Input(number), required, there)));
        }
        missing.extend(tools);
        Allocation { used, missing }
    }

    /// The number of times for which there is enough. Fewer times are then possible too: each
    /// input takes the first stacks that are left, so of fewer it leaves at least what it leaves of
    /// more, and the next input has at least as much.
    pub(crate) fn supplied(
        &self,
        stacks: &[Supply],
        is_it: impl Fn(&Ingredient, usize) -> bool + Copy,
        laid: Option<&Laid>,
    ) -> u64 {
        let all = |input: &Ingredient| -> u64 {
            let those = (0..stacks.len()).filter(|&nth| stacks[nth].1 && is_it(input, nth));
            those.map(|nth| stacks[nth].0).sum()
        };
        let is_enough = |times: u64| self.allocate(times, stacks, is_it, laid).missing.is_empty();
        let inputs = self.inputs.iter().map(|input| all(input) / u64::from(input.count.max(1)));
        let bound = inputs.chain([u64::from(self.max_times())]).min().unwrap_or(0);
        let (mut enough, mut too_many) = (0, bound + 1);
        if is_enough(too_many - 1) {
            return too_many - 1;
        }
        while too_many - enough > 1 {
            let between = enough + (too_many - enough) / 2;
            match is_enough(between) {
                true => enough = between,
                false => too_many = between,
            }
        }
        enough
    }
    /// The same number by what there is of each kind, all of which may be used up; `None` if a filter
    /// decides. A list names each kind once.
    pub(crate) fn supplied_by_kinds(&self, there: impl Fn(KindId) -> u64) -> Option<u64> {
        let number = |it: &Ingredient| Some((it.kind()?, u64::from(it.count)));
        let mut times = u64::from(self.max_times());
        for tool in &self.tools {
            let (kind, count) = number(tool)?;
            times = if there(kind) < count { 0 } else { times };
        }
        for input in &self.inputs {
            let (kind, count) = number(input)?;
            let kept = self.tools.iter().filter(|tool| tool.kind() == Some(kind));
            let free = there(kind).saturating_sub(kept.map(|tool| u64::from(tool.count)).sum());
            times = times.min(free / count.max(1));
        }
        Some(times)
    }
}
