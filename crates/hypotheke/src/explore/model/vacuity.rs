//! Whether a claim holds only because its subject never occurs.

use crate::explore::model::claims::{Claim, Ready};
use crate::explore::model::scope::Scope;
use crate::explore::model::tried::VerbUse;
use crate::id::ContainerId;
use crate::world::World;

/// What occurred in the states that were seen.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Occurred {
    /// The containers of the scope, and whether each contained something. A world that was loaded
    /// has other handles.
    containers: Vec<(String, ContainerId, bool)>,
    /// For each claim which of the things that it [speaks of](Ready::occurs) occurred.
    claims: Vec<u8>,
}

/// What occurs in a state and did not before.
#[derive(Clone, Debug, Default)]
pub(in crate::explore) struct Newly {
    containers: Vec<usize>,
    claims: Vec<(usize, u8)>,
}

impl Newly {
    pub(in crate::explore) fn is_empty(&self) -> bool {
        self.containers.is_empty() && self.claims.is_empty()
    }
}

impl Occurred {
    pub(in crate::explore) fn new(start: &World, scope: &Scope, claims: &[(Claim, Ready)]) -> Occurred {
        let container = |&container: &ContainerId| (start.container_name(container), container, false);
        Occurred { containers: scope.containers.iter().map(container).collect(), claims: vec![0; claims.len()] }
    }

    /// What occurs in a world and did not before.
    pub(in crate::explore) fn newly(&self, world: &World, claims: &[(Claim, Ready)]) -> Newly {
        let mut newly = Newly::default();
        for (nth, (name, container, _)) in self.containers.iter().enumerate().filter(|(_, (.., entered))| !entered) {
            let container = Some(*container).filter(|it| world.has_container(*it)).or_else(|| world.container(name));
            if container.is_some_and(|container| world.stacks(container).next().is_some()) {
                newly.containers.push(nth);
            }
        }
        for (nth, ((_, ready), &known)) in claims.iter().zip(&self.claims).enumerate() {
            if known != ready.speaks_of() {
                let now = ready.occurs(world) & !known;
                newly.claims.extend((now != 0).then_some((nth, now)));
            }
        }
        newly
    }

    pub(in crate::explore) fn note(&mut self, newly: &Newly) {
        newly.containers.iter().for_each(|&nth| self.containers[nth].2 = true);
        newly.claims.iter().for_each(|&(nth, what)| self.claims[nth] |= what);
    }

    pub(in crate::explore) fn add(&mut self, other: &Occurred) {
        self.containers.iter_mut().zip(&other.containers).for_each(|(mine, theirs)| mine.2 |= theirs.2);
        self.claims.iter_mut().zip(&other.claims).for_each(|(mine, theirs)| *mine |= theirs);
    }

    /// The containers of the scope that never contained anything.
    pub(in crate::explore) fn never_entered(&self) -> Vec<String> {
        let empty = self.containers.iter().filter(|(.., entered)| !entered);
        empty.map(|(name, ..)| name.clone()).collect()
    }

    /// What a claim that was not violated speaks of and what never occurred; nothing if it says
    /// something.
    pub(in crate::explore) fn why_vacuous(&self, nth: usize, ready: &Ready, verbs: &[VerbUse]) -> Vec<String> {
        ready.why_vacuous(self.claims[nth], verbs)
    }
}
