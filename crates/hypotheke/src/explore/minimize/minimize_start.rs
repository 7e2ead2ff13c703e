//! What of the start a trace takes. The rest is taken away, a half at a time, then one by one, as
//! long as the same steps lead to the same.

use std::sync::Arc;

use crate::explore::minimize::changes::lower;
use crate::explore::minimize::minimize_trace::{Aim, Within, replay};
use crate::explore::minimize::step::Step;
use crate::explore::search::exploration::Exploration;
use crate::ruleset::Ruleset;
use crate::scenario::ScenarioFile;
use crate::scenario::start_lines::{Lying, lines};
use crate::text::Source;
use crate::world::World;

/// The maximum number of stacks to place while minimizing; beyond it the result is unknown.
const MAX_LAID: usize = 100_000;

/// The world with these contents and no others.
fn laid_out(rules: &Arc<Ruleset>, lying: &[Lying]) -> Option<World> {
    let lines: String = lines(lying).iter().map(|line| format!("  {line}\n")).collect();
    let file = ScenarioFile::parse(Source::new("", format!("start needed\n{lines}scenario from there\n"))).ok()?;
    let start = &file.starts().next()?.start;
    file.world_of(rules, Some(start)).ok()
}

/// What is taken away from the start while the steps still lead where they lead.
struct StartMinimizer<'e> {
    exploration: &'e Exploration,
    aim: Aim,
    steps: Vec<Step>,
    said: &'e [String],
    lying: Vec<Lying>,
    /// The number of stacks that may still be placed; none after the maximum.
    left: Option<usize>,
}

impl StartMinimizer<'_> {
    /// Takes this over if no more is needed.
    fn take(&mut self, lying: Vec<Lying>) -> bool {
        self.left = self.left.and_then(|left| left.checked_sub(lying.len() + 1));
        if self.left.is_none() {
            return false;
        }
        let start = laid_out(self.exploration.start.rules(), &lying);
        let found = start.and_then(|start| replay(self.exploration, self.aim, &start, &self.steps, Within::Anything));
        let is_taken = found.is_some_and(|found| found.said() == self.said);
        if is_taken {
            self.lying = lying;
        }
        is_taken
    }

    /// Removes items until no more can be removed.
    fn take_away(&mut self) {
        let mut run = self.lying.len();
        while run > 1 {
            self.take_runs(run);
            run /= 2;
        }
        let size = |lying: &[Lying]| (lying.len(), lying.iter().map(|it| u64::from(it.count)).sum::<u64>());
        loop {
            let before = size(&self.lying);
            self.take_runs(1);
            for nth in 0..self.lying.len() {
                lower(self.lying[nth].count, |to| {
                    let mut lying = self.lying.clone();
                    lying[nth].count = to;
                    self.take(lying)
                });
            }
            if size(&self.lying) == before {
                break;
            }
        }
    }

    /// In reverse order: the contents of a pack go before the pack.
    fn take_runs(&mut self, run: usize) {
        let mut to = self.lying.len();
        while to > 0 {
            let from = to.saturating_sub(run);
            self.take([&self.lying[..from], &self.lying[to..]].concat());
            to = from;
        }
    }
}

/// The contents of the start that the steps use, as lines of a scenario. None if they are unknown:
/// the steps name ids that a different start changes, the final world alone does not show the
/// result, or there are too many stacks.
pub(in crate::explore) fn minimize_start(exploration: &Exploration, aim: Aim, said: &[String]) -> Option<Vec<String>> {
    let steps: Option<Vec<Step>> = said.iter().map(|said| Step::read(said)).collect();
    let world = &exploration.start;
    let all = world.all_stacks_in(None);
    // The start and its halves are tested in any case.
    if all.len() > MAX_LAID / 4 {
        return None;
    }
    let lying: Option<Vec<Lying>> = all.into_iter().map(|stack| Lying::of(world, stack)).collect();
    let (steps, lying) = (steps.filter(|steps| !steps.is_empty())?, lying?);
    let mut minimizer = StartMinimizer { exploration, aim, steps, said, lying: Vec::new(), left: Some(MAX_LAID) };
    if !minimizer.take(lying) {
        return None;
    }
    minimizer.take_away();
    minimizer.left.map(|_| lines(&minimizer.lying))
}
