//! Questions about an operation: its result, and every reason against it.

use super::draft::Draft;
use super::operation::Operation;
use super::plan_whole;
use super::refusal::{Cause, Refusal};
use crate::snapshot::Outcome;
use crate::world::World;

/// The result of an operation, and every reason why not more would move.
///
/// [`World::ask`] gives it. An outcome that would be whole has no reasons; one in part has those
/// for which all of it would be refused.
#[derive(Clone, Debug, PartialEq, Eq)]
#[must_use = "asking changes nothing; only the answer counts"]
pub struct Reply {
    answer: Result<Outcome, Refusal>,
    causes: Vec<Cause>,
}

impl Reply {
    /// The answer that the operation would get.
    ///
    /// # Errors
    /// The refusal that it would get.
    pub fn answer(&self) -> Result<Outcome, Refusal> {
        self.answer
    }

    /// The number of items that would move, or the largest amount that fits.
    #[must_use]
    pub fn max_amount(&self) -> u64 {
        self.answer.map_or_else(|refusal| refusal.max_amount(), Outcome::done)
    }

    /// Every check that fails for the whole amount, in order, each made on its own. The first is
    /// the reason of the refusal.
    #[must_use]
    pub fn causes(&self) -> &[Cause] {
        &self.causes
    }
}

/// The reply to what is refused whatever the world holds, for that one reason.
impl From<Refusal> for Reply {
    fn from(refusal: Refusal) -> Reply {
        Reply { answer: Err(refusal), causes: vec![refusal.cause()] }
    }
}

impl World {
    /// Returns the result of an operation and every reason against it. Changes nothing.
    ///
    /// ```
    /// use hypotheke::{Amount, Operation, Reason, Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .weight_unit("kg")
    ///     .kind("fuel-drum", |kind| kind.weight(46.into()).stack_limit(4))
    ///     .container("depot", |depot| depot.slots(8))
    ///     .container("sled", |sled| sled.slots(1).weight_cap(180.into()))
    ///     .start("depot", ["6 fuel-drum"])
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let (depot, sled) = (world.container("depot").unwrap(), world.container("sled").unwrap());
    /// let reply = world.ask(&Operation::moving(Amount::Exactly(5), depot, sled));
    /// assert_eq!(reply.max_amount(), 3);
    /// let described: Vec<String> = reply.causes().iter().map(|&cause| world.explain_cause(cause)).collect();
    /// assert_eq!(described, ["sled would weigh 230 kg; its cap is 180 kg", "sled has room for 4 of 5"]);
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    pub fn ask(&self, operation: &Operation) -> Reply {
        let mut draft = Draft::new(self, Box::default());
        draft.collect_causes();
        let planned = plan_whole(&mut draft, operation);
        let answer = planned.map(|done| draft.outcome(done));
        let mut causes = draft.take_causes();
        match answer {
            Ok(outcome) if outcome.is_complete() => causes.clear(),
            Ok(_) => {}
            Err(refusal) => {
                causes.retain(|cause| cause.reason() >= refusal.reason() && *cause != refusal.cause());
                causes.insert(0, refusal.cause());
            }
        }
        causes.sort_by_key(super::refusal::Cause::reason);
        let mut described: Vec<Cause> = Vec::new();
        causes.retain(|cause| {
            !described.contains(cause) && {
                described.push(*cause);
                true
            }
        });
        Reply { answer, causes }
    }
}
