//! Checks a world again and again while operations are performed.
//!
//! Little changes in one operation. An [`IncrementalAudit`] remembers the cells of its last check,
//! finds the cells that differ, and checks them and everything that depends on them in their
//! containers. It adds up facts of several containers from the results for each. It reads cells and
//! places. Like the [`audit`](super::audit) it trusts no event, sum or index.

mod place;
#[cfg(test)]
mod tests;
mod whole;

use std::sync::Arc;

use rustc_hash::FxHashSet;

use crate::id::KindId;
use crate::quantity::Decimal;
use crate::ruleset::Ruleset;
use crate::world::{ClassKey, Origin, PerKind, World};
use place::Place;

/// Checks whether a world keeps every law, in time that grows with the changes since the last
/// check.
///
/// The result is the same as whether [`audit`](super::audit) finds nothing in the world's snapshot.
/// The audit then gives the violation.
///
/// ```
/// use hypotheke::{Amount, Operation, Ruleset, IncrementalAudit, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(6))
///     .container("depot", |depot| depot.slots(2))
///     .container("sled", |sled| sled.slots(2))
///     .start("depot", ["4 flare"])
///     .build()?;
/// let mut world = World::new(&rules.into());
/// let (depot, sled) = (world.container("depot").unwrap(), world.container("sled").unwrap());
/// let mut watch = IncrementalAudit::new(&world);
/// assert!(watch.keeps_the_laws(&world));
/// world.perform(&Operation::moving(Amount::Exactly(3), depot, sled)).unwrap();
/// assert!(watch.keeps_the_laws(&world));
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Debug)]
pub struct IncrementalAudit {
    rules: Arc<Ruleset>,
    /// By the numbers that containers have in the world.
    places: Vec<Place>,
    holders: Vec<Bearer>,
    counted: Counted,
    /// What the numbers of classes stand for.
    classes: Vec<Arc<ClassKey>>,
    next_stack: u64,
    /// A reused buffer for the numbers of the places that differ.
    changed: Vec<u32>,
}

/// What is counted of all places together.
#[derive(Debug)]
struct Counted {
    /// How many items of each kind lie anywhere.
    held: PerKind<i128>,
    /// The ids of all stacks.
    ids: FxHashSet<u64>,
}

/// What is compared of a holder.
#[derive(Debug, Default, PartialEq, Eq)]
struct Bearer {
    is_there: bool,
    def: usize,
    hand: u32,
    containers: Vec<u32>,
    shortcuts: Vec<Option<KindId>>,
    meters: Vec<Decimal>,
    origin: Option<Origin>,
}

impl IncrementalAudit {
    /// An audit that has checked nothing so far.
    #[must_use]
    pub fn new(world: &World) -> IncrementalAudit {
        IncrementalAudit {
            rules: Arc::clone(world.rules()),
            places: Vec::new(),
            holders: Vec::new(),
            counted: Counted { held: PerKind::new(world.rules().kinds().len()), ids: FxHashSet::default() },
            classes: Vec::new(),
            next_stack: 0,
            changed: Vec::new(),
        }
    }

    /// Whether the world keeps every law. While a container works on a recipe that takes time, it
    /// costs as much as an audit.
    pub fn keeps_the_laws(&mut self, world: &World) -> bool {
        // What containers work on is for the whole audit to check.
        if world.works() {
            *self = IncrementalAudit::new(world);
            return crate::audit(world.rules(), &world.snapshot()).is_empty();
        }
        if !self.may_go_on(world) {
            *self = IncrementalAudit::new(world);
        }
        self.next_stack = world.next_stack;
        let keeps = self.check(world);
        if !keeps {
            // A partial check is never continued.
            *self = IncrementalAudit::new(world);
        }
        keeps
    }

    /// Whether the previous check still counts: numbers have the same meaning, and no id can be
    /// given again.
    fn may_go_on(&mut self, world: &World) -> bool {
        let known = self.classes.len();
        let classes = world.classes.keys();
        let same = classes.len() >= known && self.classes.iter().zip(classes.clone()).all(|(a, b)| Arc::ptr_eq(a, b));
        if same {
            self.classes.extend(classes.skip(known).map(Arc::clone));
        }
        same && Arc::ptr_eq(&self.rules, world.rules())
            && world.next_stack >= self.next_stack
            && world.container_count() as usize >= self.places.len()
            && world.holder_count() as usize >= self.holders.len()
    }

    fn check(&mut self, world: &World) -> bool {
        if self.classes.is_empty() {
            self.classes.extend(world.classes.keys().map(Arc::clone));
        }
        let frame = self.compare(world);
        let changed = std::mem::take(&mut self.changed);
        // All removals first: moved stacks must not be counted twice.
        for &number in &changed {
            self.places[number as usize].take_out(world, number, &mut self.counted);
        }
        let mut take_in = |&number: &u32| self.places[number as usize].take_in(world, number, &mut self.counted);
        let sound = changed.iter().all(&mut take_in);
        let anything = frame || !changed.is_empty();
        self.changed = changed;
        sound
            && world.accounts_for(&self.counted.held)
            && self.keeps_numbers()
            && keeps_arrivals(world)
            && self.keeps_doors(world)
            && (!frame || self.keeps_names(world))
            && (!anything || self.keeps_as_a_whole(world))
    }

    /// Finds the places that differ; true if containers or holders differ too.
    fn compare(&mut self, world: &World) -> bool {
        self.changed.clear();
        let mut frame = false;
        self.places.resize_with(world.container_count() as usize, Place::default);
        for (number, place) in (0..).zip(&self.places) {
            if place.stands_otherwise(world, number) {
                frame = true;
                self.changed.push(number);
            } else if place.holds_other(world, number) {
                self.changed.push(number);
            }
        }
        self.holders.resize_with(world.holder_count() as usize, Bearer::default);
        for (number, known) in (0..).zip(&mut self.holders) {
            if !known.is_as(world, number) {
                *known = Bearer::new(world, number);
                frame = true;
            }
        }
        frame
    }
}

impl Bearer {
    fn new(world: &World, number: u32) -> Bearer {
        Bearer {
            is_there: world.is_present(number),
            def: world.def_of_holder(number),
            hand: world.hand_of(number),
            containers: world.containers_of(number).to_vec(),
            shortcuts: world.kinds_bound_by(number).to_vec(),
            meters: world.meters_of(number).to_vec(),
            origin: world.origin_of(number),
        }
    }

    fn is_as(&self, world: &World, number: u32) -> bool {
        self.is_there == world.is_present(number)
            && self.def == world.def_of_holder(number)
            && self.hand == world.hand_of(number)
            && self.containers == world.containers_of(number)
            && self.shortcuts == world.kinds_bound_by(number)
            && self.meters == world.meters_of(number)
            && self.origin == world.origin_of(number)
    }
}

/// What has departed from here and arrived again was there to depart.
fn keeps_arrivals(world: &World) -> bool {
    world.arrivals_one_by_one.iter().all(|past| past.world != world.number || past.number < world.departures)
}
