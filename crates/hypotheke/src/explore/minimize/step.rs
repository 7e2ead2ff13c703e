//! A step of a trace, by names, as a scenario writes it.

use std::fmt;

use crate::language::{Amount, NamedAction, NamedOperation};

/// The content of a step.
#[derive(Clone, Debug)]
pub(in crate::explore) enum Step {
    Operation(Box<NamedOperation>),
    SaveThenLoad,
}

/// How a scenario writes that the world is saved and loaded.
pub(in crate::explore) const SAVE_THEN_LOAD: &str = "save then load";

impl fmt::Display for Step {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Step::Operation(operation) => operation.fmt(f),
            Step::SaveThenLoad => f.write_str(SAVE_THEN_LOAD),
        }
    }
}

impl Step {
    /// Reads a written step; `None` if it is not valid.
    pub(in crate::explore) fn read(text: &str) -> Option<Step> {
        if text == SAVE_THEN_LOAD {
            return Some(Step::SaveThenLoad);
        }
        text.parse().ok().map(|operation| Step::Operation(Box::new(operation)))
    }

    pub(in crate::explore) fn operation(&self) -> Option<&NamedOperation> {
        match self {
            Step::Operation(operation) => Some(operation),
            Step::SaveThenLoad => None,
        }
    }

    /// The places that it names.
    pub(in crate::explore) fn places(&self) -> Vec<String> {
        self.operation().map_or_else(Vec::new, |it| it.action.places().map(ToString::to_string).collect())
    }

    /// What is done, one by one.
    pub(in crate::explore) fn actions(&self) -> Vec<&NamedAction> {
        match self.operation().map(|operation| &operation.action) {
            Some(NamedAction::Together { steps }) => steps.iter().map(|step| &step.action).collect(),
            Some(action) => vec![action],
            None => Vec::new(),
        }
    }

    /// The same with one place where it has said another; itself if that can't be said.
    pub(in crate::explore) fn with_place(&self, place: &str, instead: &str) -> Step {
        let text = self.to_string();
        let ends = |letter: char| letter == ' ' || letter == ';' || letter == '(' || letter == ')';
        let words: String = text
            .split_inclusive(ends)
            .map(|word| match word.trim_end_matches(ends) {
                said if said == place => word.replacen(place, instead, 1),
                _ => word.to_owned(),
            })
            .collect();
        Step::read(&words).unwrap_or_else(|| self.clone())
    }

    /// The same step without the id of a stack on the ground; `None` if it names no such id.
    pub(in crate::explore) fn of_any_on_the_ground(&self) -> Option<Step> {
        let mut step = self.clone();
        let Step::Operation(operation) = &mut step else { return None };
        let NamedAction::PickUp { from, kind: Some(_), .. } = &mut operation.action else { return None };
        from.take().map(|_| step)
    }

    /// The same creation in a different place; `None` if the step creates nothing there.
    pub(in crate::explore) fn creating_in(&self, place: &str) -> Option<Step> {
        let mut step = self.clone();
        let Step::Operation(operation) = &mut step else { return None };
        let NamedAction::Create { to, .. } = &mut operation.action else { return None };
        *to = place.parse().ok()?;
        Some(step)
    }

    /// The same step with an exact number instead of `up to`; `None` if it has no `up to`.
    pub(in crate::explore) fn exactly(&self) -> Option<Step> {
        let mut step = self.clone();
        let Step::Operation(operation) = &mut step else { return None };
        let amount = operation.action.amount_mut()?;
        let Amount::UpTo(count) = *amount else { return None };
        *amount = Amount::Exactly(count);
        Some(step)
    }

    /// The requested number, if the step names one.
    pub(in crate::explore) fn count(&self) -> Option<u32> {
        self.operation()?.action.clone().count_mut().copied()
    }

    /// The same step with a different number, if it names one.
    pub(in crate::explore) fn with_count(&self, to: u32) -> Step {
        let mut step = self.clone();
        if let Step::Operation(operation) = &mut step
            && let Some(count) = operation.action.count_mut()
        {
            *count = to;
        }
        step
    }
}
