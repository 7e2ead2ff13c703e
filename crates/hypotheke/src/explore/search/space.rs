//! The states of an exploration one by one, for programs that go through them on their own.

use rand_core::SeedableRng;
use rand_xoshiro::Xoshiro256PlusPlus;

use crate::explore::model::claims::Ready;
use crate::explore::model::scope::Scope;
use crate::explore::search::exploration::Exploration;
use crate::explore::search::lookahead::Lookahead;
use crate::explore::search::replay::Lists;
use crate::explore::state::packed::Packer;
use crate::explore::state::symmetry;
use crate::explore::walks::generate::Generator;
use crate::explore::walks::stock::Stock;
use crate::ops::Operation;
use crate::snapshot::Departures;
use crate::world::World;

/// What a search tries in a state, and which states it takes for one state.
///
/// ```
/// use hypotheke::Ruleset;
/// use hypotheke::explore::Exploration;
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(2))
///     .container("depot", |depot| depot.slots(2))
///     .start("depot", ["1 flare"])
///     .build()?
///     .into();
/// let exploration = Exploration::of(&rules);
/// let mut space = exploration.states();
/// let start = exploration.start().clone();
/// let key = space.key(&start);
/// for operation in space.operations(&start) {
///     let mut world = start.clone();
///     if world.perform(&operation).is_ok() {
///         // The slots of the depot are interchangeable.
///         let on_ground = world.ground().count() == 1;
///         assert_eq!(space.key(&world) == key, !on_ground);
///     }
/// }
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Debug)]
pub struct StateSpace {
    scope: Scope,
    packer: Packer,
    lookahead: Option<Lookahead>,
    lists: Lists,
    claims: Vec<Ready>,
}

impl Exploration {
    /// The states of this exploration.
    #[must_use]
    pub fn states(&self) -> StateSpace {
        let scope = self.reduced_scope();
        let packer = Packer::for_search(&self.start, &scope);
        let lookahead = packer.lookahead(&self.start, &scope);
        let claims = self.claims.iter().map(|(_, ready)| ready.clone()).collect();
        StateSpace { scope, packer, lookahead, lists: Lists::default(), claims }
    }

    /// The world from which it starts.
    #[must_use]
    pub fn start(&self) -> &World {
        &self.start
    }

    /// The scope with the reductions that it allows.
    pub(in crate::explore) fn reduced_scope(&self) -> Scope {
        let mut scope = self.scope.clone();
        if self.has_symmetry() {
            let ready: Vec<&Ready> = self.claims.iter().map(|(_, ready)| ready).collect();
            scope.alike = symmetry::find(&self.start, &scope, &ready);
        }
        scope
    }
}

impl StateSpace {
    /// The operations that a search tries in a world, in its order. The world must be one that
    /// these operations lead to from the start. Some of them are refused.
    pub fn operations(&mut self, world: &World) -> Vec<Operation> {
        let bytes = self.key(world);
        let here = (&bytes[..], world);
        self.lists.list(here, &self.scope, self.lookahead.as_mut());
        (0..).map_while(|nth| self.lists.operation(here, nth, self.lookahead.as_ref())).collect()
    }

    /// An operation as a random walk chooses it, which may be refused; `None` if there is none.
    pub fn random_operation(&mut self, world: &World, seed: u64) -> Option<Operation> {
        let mut random = Xoshiro256PlusPlus::seed_from_u64(seed);
        Generator::of(&self.scope).draw(world, &Departures::new(), &mut Stock::default(), &mut random)
    }

    /// For each claim about a state whether it is so there; true for a claim about operations.
    #[must_use]
    pub fn claims(&self, world: &World) -> Vec<bool> {
        self.claims.iter().map(|claim| claim.wrong(world).is_none()).collect()
    }

    /// Whether a container has slots whose order makes no difference.
    #[must_use]
    pub fn is_symmetric(&self) -> bool {
        self.scope.alike.count() > 0
    }

    /// Bytes that two states have in common if a search takes them for one state. Keys of different
    /// spaces are unrelated.
    pub fn key(&mut self, world: &World) -> Vec<u8> {
        let mut bytes = Vec::new();
        self.packer.pack_any(world, &self.scope, &mut bytes);
        bytes
    }
}
