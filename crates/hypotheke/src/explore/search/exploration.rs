//! What is explored: a ruleset, claims, and how far to look.

use std::num::NonZeroUsize;
use std::sync::Arc;

use crate::explore::search::breadth::Search;
use crate::explore::search::expand::Player;
use crate::explore::state::packed::Packer;
use crate::explore::state::store::Store;

use crate::explore::minimize::minimize_trace::Aim;
use crate::explore::model::claims::{Claim, ClaimKind, Ready};
use crate::explore::model::file::{ClaimsFile, ReadyFile};
use crate::explore::model::scope::Scope;
use crate::explore::report::{Bound, ExplorationReport};
use crate::id::{ContainerId, HolderId};
use crate::ops::Operation;
use crate::ruleset::Ruleset;
use crate::scenario::ScenarioErrors;
use crate::world::World;

/// How far a search goes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Bounds {
    /// The maximum number of operations from the start.
    pub depth: Option<u32>,
    /// The maximum number of states.
    pub states: Option<u64>,
    /// The maximum number of bytes for the states.
    pub memory: Option<u64>,
}

/// A ruleset, claims about it, and how far to look.
#[derive(Clone, Debug)]
pub struct Exploration {
    pub(in crate::explore) claims: Vec<(Claim, Ready)>,
    pub(in crate::explore) scope: Scope,
    pub(in crate::explore) start: World,
    bounds: Bounds,
    symmetry: bool,
    threads: NonZeroUsize,
    recomputed: bool,
}

impl From<ReadyFile> for Exploration {
    fn from(ReadyFile { claims, scope, world }: ReadyFile) -> Exploration {
        Exploration {
            claims,
            scope,
            start: world,
            bounds: Bounds::default(),
            symmetry: true,
            threads: NonZeroUsize::MIN,
            recomputed: false,
        }
    }
}

impl Exploration {
    /// Looks up the names of the claims in a ruleset.
    ///
    /// # Errors
    /// Every unknown name, and an invalid start.
    pub fn new(rules: &Arc<Ruleset>, claims: &ClaimsFile) -> Result<Exploration, ScenarioErrors> {
        claims.ready(rules).map(Exploration::from)
    }

    /// Everything that is possible from the start of a ruleset, without claims. The laws are always
    /// checked.
    #[must_use]
    pub fn of(rules: &Arc<Ruleset>) -> Exploration {
        ClaimsFile::of_ruleset(rules).into()
    }

    /// The same, going no further than this.
    #[must_use]
    pub fn within(mut self, bounds: Bounds) -> Exploration {
        self.bounds = bounds;
        self
    }

    /// The same from a different start, a world of the same ruleset. Containers and actors of the
    /// scope that it does not have are left out.
    #[must_use]
    pub fn starting_at(mut self, start: World) -> Exploration {
        let container = |at: &ContainerId| start.container(&self.start.container_name(*at));
        let actor = |holder: &HolderId| start.holder(self.start.holder_name(*holder));
        self.scope.containers = self.scope.containers.iter().filter_map(container).collect();
        self.scope.actors = self.scope.actors.iter().filter_map(actor).collect();
        self.scope = self.scope.complete(&start);
        self.start = start;
        self
    }

    /// The same without symmetry reduction: the same verdicts, more states.
    #[must_use]
    pub fn without_symmetry(mut self) -> Exploration {
        self.symmetry = false;
        self
    }

    /// The same, with the sums and indexes of this library checked in every state. It takes many
    /// times as long, and a finding is a bug in this library.
    #[must_use]
    pub fn with_index_checks(mut self) -> Exploration {
        self.recomputed = true;
        self
    }

    pub(in crate::explore) fn has_symmetry(&self) -> bool {
        self.symmetry
    }

    /// The same on a number of threads. The result is the same, byte for byte.
    #[must_use]
    pub fn on_threads(mut self, threads: NonZeroUsize) -> Exploration {
        self.threads = threads;
        self
    }

    /// The same for one claim, or for the laws, alone.
    pub(in crate::explore) fn only(&self, aim: Aim) -> Option<Exploration> {
        let claims = match aim {
            Aim::Law => Vec::new(),
            Aim::Claim(claim) => vec![self.claims.get(claim)?.clone()],
        };
        let (scope, start) = (self.scope.clone(), self.start.clone());
        Some(Exploration { claims, scope, start, threads: NonZeroUsize::MIN, ..*self })
    }

    /// The claims that such an operation must never be applied, if it is one.
    pub(in crate::explore) fn meant(&self, world: &World, operation: &Operation) -> Vec<usize> {
        let never = self.claims.iter().enumerate().filter(|(_, (claim, _))| claim.kind == ClaimKind::Forbidden);
        never.filter(|(_, (_, ready))| ready.is_meant(world, operation)).map(|(index, _)| index).collect()
    }

    /// Those of them of which the latest operation was one.
    pub(in crate::explore) fn were_meant(
        &self,
        world: &World,
        operation: &Operation,
        mut meant: Vec<usize>,
    ) -> Vec<usize> {
        meant.retain(|&claim| self.claims[claim].1.was_meant(world, operation));
        meant
    }

    pub(in crate::explore) fn breaks_a_law(&self, world: &World) -> bool {
        self.scope.is_against_the_laws(world)
    }

    /// Goes through the states.
    #[must_use]
    pub fn search(self) -> ExplorationReport {
        self.search_until(&mut |_| None)
    }

    /// Searches the states. `progress` is called from time to time, and stops the search by
    /// returning a bound.
    pub fn search_until(self, progress: &mut dyn FnMut(&Progress) -> Option<Bound>) -> ExplorationReport {
        let scope = self.reduced_scope();
        let Exploration { claims, start, bounds, threads, recomputed, .. } = self.clone();
        let packer = Packer::for_search(&start, &scope);
        let player = |_| {
            let player = Player::new(&start, &scope, packer.clone());
            if recomputed { player.playing_all() } else { player }
        };
        let players: Vec<Player> = (0..threads.get()).map(player).collect();
        let store = Store::new(packer.length());
        let mut search = Search::new(claims, scope, start, bounds, store, players).recomputing(recomputed);
        search.run(progress);
        let mut found = search.report();
        self.tell_starts(&mut found);
        found
    }
}

/// How far a search is.
#[derive(Clone, Copy, Debug)]
pub struct Progress {
    /// How many states were found.
    pub states: u64,
    /// The number of expanded states.
    pub done: u64,
    /// The number of operations from the start.
    pub depth: u32,
    /// What the states take, in bytes.
    pub memory: u64,
}
