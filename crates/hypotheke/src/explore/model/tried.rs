//! What an exploration tried, and what its scope leaves out: a part of every verdict.

use std::collections::BTreeMap;
use std::fmt;

use crate::explore::model::scope::{Amounts, Fault, Scope};
use crate::language::{InScope, Verb};
use crate::ops::Reason;
use crate::world::World;

/// What became of the operations of a verb.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct VerbUse {
    /// The verb.
    pub verb: Verb,
    /// How many of its operations were applied.
    pub applied: u64,
    /// How many were refused, by reason.
    pub refused: BTreeMap<Reason, u64>,
}

impl VerbUse {
    /// The reason that was given most often, the first of several.
    #[must_use]
    pub fn commonest_reason(&self) -> Option<Reason> {
        let most = self.refused.values().max()?;
        self.refused.iter().find(|(_, count)| *count == most).map(|(reason, _)| *reason)
    }
}

/// Something that a scope leaves out, so that a verdict says nothing of it.
#[derive(Clone, Debug, PartialEq, Eq)]
#[non_exhaustive]
pub enum NotSearched {
    /// A verb.
    Verb(Verb),
    /// Other amounts than one, half, all and as many as fit.
    OtherAmounts,
    /// Operations that name a whole container or holder.
    WholePlaces,
    /// A container, by its name.
    Container(String),
    /// What a holder does, by its name.
    Holder(String),
    /// The game doing what holders do: everything is open to it.
    Game,
    /// Opening containers that need not be opened.
    OtherDoors,
    /// Creating items in hands, since no verb of the scope uses hands.
    CreatedInHands,
    /// Drops at other positions than 0,0.
    Positions,
    /// Ticks between those at which something is due.
    TicksBetween,
    /// That a recipe never makes what is needed: a way back may need luck.
    BadLuck,
    /// Saving and loading in between.
    Saves,
    /// Holders that leave and come back in between.
    Departures,
}

impl NotSearched {
    /// A word for it, the same in every language.
    #[must_use]
    pub fn code(&self) -> &'static str {
        match self {
            NotSearched::Verb(_) => "verb",
            NotSearched::OtherAmounts => "amounts",
            NotSearched::WholePlaces => "whole-places",
            NotSearched::Container(_) => "container",
            NotSearched::Holder(_) => "holder",
            NotSearched::Game => "game",
            NotSearched::OtherDoors => "other-doors",
            NotSearched::CreatedInHands => "created-in-hands",
            NotSearched::Positions => "positions",
            NotSearched::TicksBetween => "ticks-between",
            NotSearched::BadLuck => "bad-luck",
            NotSearched::Saves => "saves",
            NotSearched::Departures => "departures",
        }
    }
}

impl fmt::Display for NotSearched {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            NotSearched::Verb(verb) => f.write_str(verb.word()),
            NotSearched::OtherAmounts => f.write_str("other amounts (`amounts every`)"),
            NotSearched::WholePlaces => f.write_str("whole containers and holders (`places all`)"),
            NotSearched::Container(name) | NotSearched::Holder(name) => f.write_str(name),
            NotSearched::Game => f.write_str("operations without an acting holder (`actors game`)"),
            NotSearched::OtherDoors => f.write_str("opening containers that need not be opened"),
            NotSearched::CreatedInHands => f.write_str("creating items in hands (a verb for hands, such as `put`)"),
            NotSearched::Positions => f.write_str("positions on the ground"),
            NotSearched::TicksBetween => {
                f.write_str("ticks between those at which something is due (`wait each-tick`)")
            }
            NotSearched::BadLuck => f.write_str("bad luck (`recoverable` counts on the best yields)"),
            NotSearched::Saves => f.write_str("saving and loading (`faults save-then-load`)"),
            NotSearched::Departures => f.write_str("departing and arriving again (`faults leave`)"),
        }
    }
}

impl Scope {
    /// The parts that are not searched, verbs first.
    pub(in crate::explore) fn not_searched(&self, world: &World, is_search: bool) -> Vec<NotSearched> {
        let is_out = |verb: &Verb| match verb {
            verb if verb.row().in_scope == InScope::Walks => is_search || !self.tries(*verb),
            // It has no values to try.
            Verb::Set => self.values.is_empty(),
            verb => !self.tries(*verb),
        };
        let verbs = Verb::ALL.into_iter().filter(is_out).map(NotSearched::Verb);
        let containers = world.containers().filter(|at| !self.containers.contains(at));
        let containers = containers.map(|at| NotSearched::Container(world.container_name(at)));
        let holders = world.holders().filter(|holder| !self.actors.contains(holder));
        let holders = holders.map(|holder| NotSearched::Holder(world.holder_name(holder).to_owned()));
        let others = [
            (self.amounts == Amounts::Some, NotSearched::OtherAmounts),
            (!self.whole_places, NotSearched::WholePlaces),
            (self.actors_matter && !self.game_acts, NotSearched::Game),
            (self.tries(Verb::Open), NotSearched::OtherDoors),
            (self.tries(Verb::Create) && !self.hands, NotSearched::CreatedInHands),
            (self.tries(Verb::Drop), NotSearched::Positions),
            (self.tries(Verb::Wait) && !self.each_tick, NotSearched::TicksBetween),
            (!self.faults.contains(&Fault::SaveThenLoad), NotSearched::Saves),
            (!self.faults.contains(&Fault::Leave) && world.holders().next().is_some(), NotSearched::Departures),
        ];
        let others = others.into_iter().filter(|(is_out, _)| *is_out).map(|(_, what)| what);
        verbs.chain(containers).chain(holders).chain(others).collect()
    }
}

const REASONS: usize = Reason::ALL.len();

/// How many operations of each verb were applied, and refused for each reason.
#[derive(Clone, Debug)]
pub(in crate::explore) struct Tried {
    /// For each verb those that were applied, then by reason those that were refused.
    counts: Vec<[u64; REASONS + 1]>,
}

impl Default for Tried {
    fn default() -> Tried {
        Tried { counts: vec![[0; REASONS + 1]; Verb::ALL.len()] }
    }
}

impl Tried {
    #[inline]
    pub(in crate::explore) fn applied(&mut self, verb: Verb) {
        self.counts[verb as usize][0] += 1;
    }

    #[inline]
    pub(in crate::explore) fn refused(&mut self, verb: Verb, reason: Reason) {
        self.counts[verb as usize][1 + reason as usize] += 1;
    }

    pub(in crate::explore) fn add(&mut self, other: &Tried) {
        let pairs = self.counts.iter_mut().flatten().zip(other.counts.iter().flatten());
        pairs.for_each(|(count, more)| *count += more);
    }

    /// The number of operations tried.
    pub(in crate::explore) fn total(&self) -> u64 {
        self.counts.iter().flatten().sum()
    }

    /// How many were applied.
    pub(in crate::explore) fn total_applied(&self) -> u64 {
        self.counts.iter().map(|counts| counts[0]).sum()
    }

    /// How many were refused, by reason: those that occurred.
    pub(in crate::explore) fn by_reason(&self) -> BTreeMap<Reason, u64> {
        let count = |reason: Reason| self.counts.iter().map(|counts| counts[1 + reason as usize]).sum();
        Reason::ALL.into_iter().map(|reason| (reason, count(reason))).filter(|(_, count)| *count > 0).collect()
    }

    /// The verbs of a scope.
    pub(in crate::explore) fn verbs(&self, scope: &Scope) -> Vec<VerbUse> {
        let of = |&verb: &Verb| {
            let counts = &self.counts[verb as usize];
            let refused = Reason::ALL.into_iter().map(|reason| (reason, counts[1 + reason as usize]));
            VerbUse { verb, applied: counts[0], refused: refused.filter(|(_, count)| *count > 0).collect() }
        };
        scope.verbs.iter().map(of).collect()
    }
}
