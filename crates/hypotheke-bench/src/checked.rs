//! The checked yardstick: the plain one with the checks as they are usually written. The weight is
//! added up slot by slot, tags are compared as strings, and the whole state is copied to roll back
//! to.

use crate::plain::Plain;
use crate::workload::{KINDS, Step, tag_of, weight_of};

/// Two containers of slots, and the data of the kinds.
#[derive(Clone, Debug)]
pub struct Checked {
    plain: Plain,
    tags: Vec<String>,
    weights: Vec<i64>,
    cap: i64,
}

impl Checked {
    /// Two empty containers with a number of slots.
    #[must_use]
    pub fn new(slots: usize) -> Checked {
        let tags = (0..KINDS).map(|kind| tag_of(kind).to_owned()).collect();
        let weights = (0..KINDS).map(weight_of).collect();
        let cap = i64::try_from(slots).unwrap_or(i64::MAX) * 1_000_000;
        Checked { plain: Plain::new(slots), tags, weights, cap }
    }

    /// Performs one step; returns the number of items, or `None` if a rule refuses it.
    pub fn play(&mut self, step: Step) -> u32 {
        let before = self.plain.clone();
        let done = self.plain.play(step);
        let touched = match step {
            Step::Create { container, .. } | Step::Consume { container, .. } => [container, container],
            Step::Transfer { from, to } => [from.0, to.0],
        };
        if touched.into_iter().all(|container| self.is_lawful(container, step)) {
            return done;
        }
        self.plain = before;
        0
    }

    /// Plays a step of the filling.
    pub fn play_quickly(&mut self, step: Step) {
        self.plain.play_quickly(step);
    }

    fn is_lawful(&self, container: usize, step: Step) -> bool {
        let stacks = self.plain.containers[container].iter().flatten();
        let weight: i64 = stacks.map(|(kind, count)| self.weights[usize::from(*kind)] * i64::from(*count)).sum();
        let kind = match step {
            Step::Create { kind, .. } | Step::Consume { kind, .. } => Some(kind),
            Step::Transfer { to, .. } => self.plain.containers[to.0][to.1].map(|(kind, _)| kind),
        };
        weight <= self.cap && kind.is_none_or(|kind| self.is_admitted(kind))
    }

    /// `food or fuel or tool and weight <= 50`
    fn is_admitted(&self, kind: u16) -> bool {
        let tag = &self.tags[usize::from(kind)];
        let is = |wanted: &str| tag == wanted || tag.strip_prefix(wanted).is_some_and(|rest| rest.starts_with('.'));
        is("food") || is("fuel") || is("tool") && self.weights[usize::from(kind)] <= 50_000
    }
}
