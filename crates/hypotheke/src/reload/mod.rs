//! A running world goes over to an edited ruleset.
//!
//! What is not as before is told as [`Difference`]s, each with what was done about it. What can't be taken along at all, such as
//! items of a kind that the ruleset does not know any more, is an error, and the world stays as it was: nothing is lost in
//! silence.

mod adapt;
mod treat;

use std::fmt;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::ruleset::Ruleset;
use crate::snapshot::SnapshotError;
use crate::world::World;

/// What is to be done about what an edited ruleset no longer allows, as its section `[reload]` says.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Treatment {
    /// It stays as it is and may get better, but not worse.
    #[default]
    Leave,
    /// What is over a limit goes to empty slots of the same container; what finds none stays.
    Split,
    /// It goes to where there is room: the same container, the holder's other containers in order, the ground.
    Spill,
    /// The world does not go over to the ruleset.
    Refuse,
}

/// The section `[reload]` of a ruleset: what is to be done when a running world goes over to it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct ReloadRules {
    /// About stacks over their limit.
    pub over_limit: Treatment,
    /// About what lies where it is not admitted any more.
    pub not_admitted: Treatment,
    /// About what lies in slots and containers that are not there any more.
    pub gone: Treatment,
}

impl Default for ReloadRules {
    fn default() -> ReloadRules {
        ReloadRules { over_limit: Treatment::Leave, not_admitted: Treatment::Leave, gone: Treatment::Spill }
    }
}

/// Something that is not as it was under the ruleset before, and what was done about it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct Difference {
    /// Where, as paths write it.
    pub place: String,
    /// What is not as it was.
    pub message: String,
    /// What was done about it; none if it only needed telling.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub treatment: Option<Treatment>,
}

impl fmt::Display for Difference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Difference { place, message, treatment } = self;
        let done = match treatment {
            None => "",
            Some(Treatment::Leave) => "; it stays",
            Some(Treatment::Split) => "; it was split",
            Some(Treatment::Spill) => "; it was spilled",
            Some(Treatment::Refuse) => "; that is refused",
        };
        write!(f, "{place}: {message}{done}")
    }
}

/// Why a world does not go over to a ruleset. It is as it was.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ReloadError {
    /// The ruleset says that this is to be refused, or a kept item would have to go to the ground.
    #[error("{}", .0.iter().map(Difference::to_string).collect::<Vec<_>>().join("\n"))]
    Refused(Vec<Difference>),
    /// What the world has can't be under this ruleset.
    #[error(transparent)]
    CannotBe(#[from] SnapshotError),
}

impl World {
    /// Goes over to an edited ruleset, with all that there is. Tells of everything that is not as it was under the one
    /// before, and what was done about it, as the section `[reload]` of the new one says.
    ///
    /// It counts as a change: the revision grows by one. Handles of containers and holders have to be looked up anew, old
    /// ones are refused; so do those of kinds, tags and marks, which belong to a ruleset. Nothing from before can be taken
    /// back.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Ruleset, World};
    ///
    /// let rules = |slots| {
    ///     let rules = Ruleset::builder().kind("flare", |kind| kind).container("depot", |depot| depot.slots(slots));
    ///     rules.build().unwrap().into()
    /// };
    /// let mut world = World::new(&rules(4));
    /// let (depot, flare) = (world.container("depot").unwrap(), world.rules().find_kind("flare").unwrap());
    /// assert!(world.perform(&Operation::creating(Amount::Exactly(3), flare, depot)).is_ok());
    ///
    /// let differences = world.reload(&rules(2)).unwrap();
    /// assert_eq!(differences[0].to_string(), "depot: it has 2 slots instead of 4");
    /// assert_eq!(differences[1].to_string(), "depot/2: the slot has gone, in which lay 1 flare; it was spilled");
    /// assert_eq!(world.ground().count(), 1);
    /// ```
    ///
    /// # Errors
    /// All that can't be taken along, or that the ruleset says is to be refused. The world is then as it was.
    pub fn reload(&mut self, rules: &Arc<Ruleset>) -> Result<Vec<Difference>, ReloadError> {
        let before = crate::audit(&self.rules, &self.snapshot());
        let adapted = adapt::adapt(self.snapshot(), &self.rules, rules)?;
        let mut world = World::from_snapshot(rules, &adapted.snapshot)?;
        let mut differences = adapted.differences;
        treat::lay_what_spilled(&mut world, &adapted.spilled)?;
        treat::treat_limits(&mut world, &before, &mut differences)?;
        world.succeed(self);
        *self = world;
        Ok(differences)
    }
}
