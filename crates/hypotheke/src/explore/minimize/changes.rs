//! How steps are made fewer and plainer, whatever it is that they lead to.
//!
//! Each change is kept only if the result stays the same, so no single change has to be correct.

use crate::explore::minimize::step::Step;
use crate::language::NamedAction;

/// The maximum number of replays for each kind of change.
pub(in crate::explore) const MAX_REPLAYS: u32 = 3_000;

/// Steps that can be minimized.
pub(in crate::explore) trait Minimize {
    /// The shortest that are known.
    fn steps(&self) -> &[Step];

    /// Takes steps over if they lead to the same and are no more than those that are known.
    fn take(&mut self, steps: &[Step]) -> bool;

    /// How many replays are left.
    fn left(&mut self) -> &mut u32;

    /// Leaves out whatever can be left out.
    fn leave_out(&mut self) {
        *self.left() = MAX_REPLAYS;
        loop {
            let before = self.steps().len();
            self.drop_runs();
            self.rewrite();
            self.leave_out_ways();
            self.create_in_place();
            if self.steps().len() == before || *self.left() == 0 {
                break;
            }
        }
    }

    /// Leaves out runs of steps, then single ones.
    fn drop_runs(&mut self) {
        let mut run = self.steps().len() / 2;
        while run > 0 && *self.left() > 0 {
            let mut from = 0;
            while from < self.steps().len() {
                let to = (from + run).min(self.steps().len());
                let fewer = [&self.steps()[..from], &self.steps()[to..]].concat();
                if !self.take(&fewer) {
                    from += run;
                }
            }
            run /= 2;
        }
    }

    /// A list becomes one of its steps.
    fn rewrite(&mut self) {
        for nth in 0..self.steps().len() {
            let list = self.steps().get(nth).and_then(Step::operation).map(|operation| operation.action.clone());
            let Some(NamedAction::Together { steps }) = list else { continue };
            for single in steps {
                let mut other = self.steps().to_vec();
                other[nth] = Step::Operation(Box::new(single));
                if self.take(&other) {
                    break;
                }
            }
        }
    }

    /// A detour through a place in between is done at one place.
    fn leave_out_ways(&mut self) {
        let mut nth = 0;
        while nth < self.steps().len() && *self.left() > 0 {
            let is_shorter = match self.steps()[nth].places().as_slice() {
                [one, other] => self.at_one_place(&[nth], one, other) || self.at_one_place(&[nth], other, one),
                // To the ground or into a hand, and from there to somewhere else.
                [from] => (nth + 1..self.steps().len()).any(|later| {
                    let to = self.steps().get(later).and_then(|step| step.places().pop());
                    to.is_some_and(|to| self.at_one_place(&[nth, later], from, &to))
                }),
                _ => false,
            };
            if !is_shorter {
                nth += 1;
            }
        }
    }

    /// Items that are created and brought to a place later are created there.
    fn create_in_place(&mut self) {
        let mut nth = 0;
        while nth < self.steps().len() && *self.left() > 0 {
            let places = self.steps()[nth].places();
            let is_shorter = (0..nth).rev().any(|earlier| {
                places.iter().any(|place| {
                    let Some(created) = self.steps()[earlier].creating_in(place) else { return false };
                    let mut steps = self.steps().to_vec();
                    steps[earlier] = created;
                    steps.remove(nth);
                    self.take(&steps)
                })
            });
            if !is_shorter {
                nth += 1;
            }
        }
    }

    /// Leaves out steps, and says one place where the others have said another: those that come
    /// later, or all.
    fn at_one_place(&mut self, without: &[usize], one: &str, other: &str) -> bool {
        let last = without.iter().copied().max().unwrap_or(0);
        let renamed = |is_renamed: &dyn Fn(usize) -> bool| -> Vec<Step> {
            let kept = self.steps().iter().enumerate().filter(|(nth, _)| !without.contains(nth));
            kept.map(|(nth, step)| if is_renamed(nth) { step.with_place(other, one) } else { step.clone() }).collect()
        };
        let (after, everywhere) = (renamed(&|nth| nth > last), renamed(&|_| true));
        self.take(&after) || self.take(&everywhere)
    }

    /// The id of a stack on the ground is named only if it matters, since it is hard to read.
    fn leave_out_ids(&mut self) {
        *self.left() = MAX_REPLAYS;
        for nth in 0..self.steps().len() {
            if let Some(plain) = self.steps().get(nth).and_then(Step::of_any_on_the_ground) {
                let mut steps = self.steps().to_vec();
                steps[nth] = plain;
                self.take(&steps);
            }
        }
    }

    /// As few items as lead there, and an exact number where that is enough.
    fn lower_counts(&mut self) {
        *self.left() = MAX_REPLAYS;
        for nth in 0..self.steps().len() {
            let Some(count) = self.steps().get(nth).and_then(Step::count) else { continue };
            lower(count, |to| {
                let mut steps = self.steps().to_vec();
                let is_there = nth < steps.len();
                is_there && {
                    steps[nth] = steps[nth].with_count(to);
                    self.take(&steps)
                }
            });
            if let Some(exact) = self.steps().get(nth).and_then(Step::exactly) {
                let mut steps = self.steps().to_vec();
                steps[nth] = exact;
                self.take(&steps);
            }
        }
    }
}

/// Tries fewer: one, then about half, and so on, as long as that is taken.
pub(in crate::explore) fn lower(mut count: u32, mut take: impl FnMut(u32) -> bool) {
    let mut less = count.saturating_sub(1);
    while less > 0 {
        if count > less && take(count - less) {
            count -= less;
        } else {
            less /= 2;
        }
    }
}
