//! The model given to an explicit-state model checker.

use stateright::{Checker, Model as Checked, Property};

use crate::model::{Model, Step};

pub(crate) struct Searched;

impl Checked for Searched {
    type State = Model;
    type Action = Step;

    fn init_states(&self) -> Vec<Model> {
        vec![Model::start()]
    }

    fn actions(&self, state: &Model, actions: &mut Vec<Step>) {
        state.steps(actions);
    }

    fn next_state(&self, state: &Model, action: Step) -> Option<Model> {
        state.after(action)
    }

    fn properties(&self) -> Vec<Property<Searched>> {
        vec![Property::always("nothing is lost or duplicated", |_, state: &Model| state.is_lawful())]
    }
}

/// How many worlds it finds.
pub(crate) fn search(threads: usize) -> usize {
    let checked = Searched.checker().threads(threads).spawn_bfs().join();
    assert!(checked.discoveries().is_empty());
    checked.unique_state_count()
}
