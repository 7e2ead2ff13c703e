//! Judging a world as plain data, law by law.
//!
//! An audit recomputed everything from the [`Snapshot`] alone. It shares no arithmetic with the
//! operations and trusts none of the sums that a world keeps, so it can judge them; it does not
//! even need a world. What it finds is a [`Violation`].

mod conservation;
mod facts;
mod filters;
mod holders;
mod jobs;
mod limits;
mod packs;
mod places;
mod stacks;
mod step;
mod watch;

use std::fmt;

use crate::quantity::Decimal;
use crate::ruleset::Ruleset;
use crate::snapshot::Snapshot;
use facts::Facts;
pub use step::StepAudit;
pub use watch::IncrementalAudit;

/// A law that a world may break.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum Law {
    /// Containers and holders are those of the ruleset, and no two have one name.
    Places,
    /// A slot is there and has one stack at most; kinds, marks and properties are those of the
    /// ruleset; a stack has at least one item.
    Stacks,
    /// No id is used twice, and none that is still to be given.
    Identity,
    /// Items in the world are those that came in without those that left.
    Conservation,
    /// A pack is one item with an inside; it has a place, which is not inside itself.
    Packs,
    /// Shortcuts point at what there is, hands remember slots that are there, containers are open
    /// to holders.
    Holders,
    /// Packs nest so deep and no deeper.
    Nesting,
    /// A container has as many slots as its bounds allow.
    Bounds,
    /// A stack is within the limits of its kind, container and slot.
    StackLimit,
    /// A container or holder is within its weight cap.
    WeightCap,
    /// A container or holder is within its caps by filter.
    Cap,
    /// The contents of a container or slot are admitted there.
    Admits,
    /// A slot that a different item occupies is empty.
    BlockedSlot,
    /// No stack is due for a change, apart from those that a container works on.
    Change,
    /// A container works on a recipe of its own that takes time, and holds stacks for it alone.
    Work,
    /// A meter is between its bounds.
    Meter,
    /// The maximum number of stacks on the ground.
    Ground,
    /// Only `create` puts a protected item on the ground, and none is consumed. [`StepAudit`]
    /// checks this.
    Protected,
    /// Nothing enters or leaves a container that is not for the actor. [`StepAudit`] checks this.
    Access,
}

impl Law {
    /// As it is written in reports.
    #[must_use]
    pub fn code(self) -> &'static str {
        match self {
            Law::Places => "places",
            Law::Stacks => "stacks",
            Law::Identity => "identity",
            Law::Conservation => "conservation",
            Law::Packs => "packs",
            Law::Holders => "holders",
            Law::Nesting => "nesting",
            Law::Bounds => "bounds",
            Law::StackLimit => "stack-limit",
            Law::WeightCap => "weight-cap",
            Law::Cap => "cap",
            Law::Admits => "admits",
            Law::BlockedSlot => "blocked-slot",
            Law::Change => "change",
            Law::Work => "work",
            Law::Meter => "meter",
            Law::Ground => "ground",
            Law::Protected => "protected",
            Law::Access => "access",
        }
    }

    /// True of a limit over which a world may stand: its rules may have changed, or a mark may have
    /// made a stack unfit. The others no operation breaks, on whatever world.
    #[must_use]
    pub fn is_limit(self) -> bool {
        match self {
            Law::Places
            | Law::Stacks
            | Law::Identity
            | Law::Conservation
            | Law::Packs
            | Law::Holders
            | Law::Change
            | Law::Work
            | Law::Protected
            | Law::Access => false,
            Law::Nesting
            | Law::Bounds
            | Law::StackLimit
            | Law::WeightCap
            | Law::Cap
            | Law::Admits
            | Law::BlockedSlot
            | Law::Meter
            | Law::Ground => true,
        }
    }
}

impl fmt::Display for Law {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(self.code())
    }
}

/// A place where a law is broken.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Violation {
    law: Law,
    place: String,
    message: String,
    figures: Option<(Decimal, Decimal)>,
}

impl Violation {
    /// The law.
    #[must_use]
    pub fn law(&self) -> Law {
        self.law
    }

    /// The place, as paths write it.
    #[must_use]
    pub fn place(&self) -> &str {
        &self.place
    }

    /// What is wrong there.
    #[must_use]
    pub fn message(&self) -> &str {
        &self.message
    }

    /// What is, and what may be, where the law has figures.
    #[must_use]
    pub fn figures(&self) -> Option<(Decimal, Decimal)> {
        self.figures
    }
}

impl fmt::Display for Violation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}: {}: {}", self.law, self.place, self.message)
    }
}

/// What has been found so far.
#[derive(Default)]
struct Findings(Vec<Violation>);

impl Findings {
    fn add(&mut self, law: Law, place: impl Into<String>, message: impl Into<String>) {
        self.0.push(Violation { law, place: place.into(), message: message.into(), figures: None });
    }

    fn add_figures(
        &mut self,
        law: Law,
        place: impl Into<String>,
        message: impl Into<String>,
        (is, may): (Decimal, Decimal),
    ) {
        self.0.push(Violation { law, place: place.into(), message: message.into(), figures: Some((is, may)) });
    }
}

/// Judges a snapshot by every law. The violations come law by law, each in the order of the
/// snapshot.
///
/// ```
/// use hypotheke::{Law, Ruleset, World, audit};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .start("depot", ["4 flare"])
///     .build()?;
/// let rules = rules.into();
/// let mut snapshot = World::new(&rules).snapshot();
/// assert!(audit(&rules, &snapshot).is_empty());
///
/// // One flare too many, out of nowhere.
/// snapshot.containers[0].stacks[0].stack.count = 7;
/// let found = audit(&rules, &snapshot);
/// assert_eq!((found[0].law(), found[1].law()), (Law::Conservation, Law::StackLimit));
/// assert_eq!(found[1].message(), "7 flare of 6");
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[must_use]
pub fn audit(rules: &Ruleset, snapshot: &Snapshot) -> Vec<Violation> {
    let mut findings = Findings::default();
    let facts = Facts::new(rules, snapshot);
    places::check(&facts, &mut findings);
    stacks::check(&facts, &mut findings);
    conservation::check(&facts, &mut findings);
    packs::check(&facts, &mut findings);
    holders::check(&facts, &mut findings);
    jobs::check(&facts, &mut findings);
    limits::check(&facts, &mut findings);
    filters::check(&facts, &mut findings);
    findings.0.sort_by_key(Violation::law);
    findings.0
}
