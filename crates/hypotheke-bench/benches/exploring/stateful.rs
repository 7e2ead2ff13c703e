//! The model given to stateful property testing: random steps, each judged.

use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use proptest_state_machine::{ReferenceStateMachine, StateMachineTest};

use crate::model::{Model, Step};

struct Reference;

impl ReferenceStateMachine for Reference {
    type State = Model;
    type Transition = Step;

    fn init_state() -> BoxedStrategy<Model> {
        Just(Model::start()).boxed()
    }

    fn transitions(state: &Model) -> BoxedStrategy<Step> {
        let mut steps = Vec::new();
        state.steps(&mut steps);
        steps.retain(|step| state.after(*step).is_some());
        prop::sample::select(steps).boxed()
    }

    fn apply(state: Model, step: &Step) -> Model {
        state.after(*step).unwrap_or(state)
    }

    fn preconditions(state: &Model, step: &Step) -> bool {
        let mut steps = Vec::new();
        state.steps(&mut steps);
        steps.contains(step)
    }
}

struct Tested;

impl StateMachineTest for Tested {
    type SystemUnderTest = Model;
    type Reference = Reference;

    fn init_test(start: &Model) -> Model {
        start.clone()
    }

    fn apply(state: Model, expected: &Model, step: Step) -> Model {
        let after = state.after(step).unwrap_or(state);
        assert_eq!(&after, expected);
        after
    }

    fn check_invariants(state: &Model, _: &Model) {
        assert!(state.is_lawful());
    }
}

/// Runs a number of walks with a number of steps.
pub(crate) fn walk(walks: u32, steps: usize) {
    let config = Config { cases: walks, failure_persistence: None, ..Config::default() };
    let mut runner = TestRunner::new(config.clone());
    let walked = runner.run(&Reference::sequential_strategy(steps), |(start, steps, seen)| {
        Tested::test_sequential(config.clone(), start, steps, seen);
        Ok(())
    });
    assert!(walked.is_ok());
}
