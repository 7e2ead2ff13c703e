//! What two states must have in common to be one.
//!
//! A search treats two states as one if no operation, claim or law can distinguish them.
//! [`Canonical`] is the compared part. It is made by destructuring a [`Snapshot`] without omitting
//! a field, so a new field does not compile until its place is decided. Omitted parts are listed
//! here with the reason. The search writes states as bytes, and tests compare both.

use std::collections::BTreeMap;
use std::num::NonZeroU32;

use crate::id::StackId;
use crate::language::{Path, PathRoot, PathStep};
use crate::ruleset::Ruleset;
use crate::snapshot::{Container, Holder, InSlot, Job, Landed, Pack, Snapshot, Stack};

/// A world reduced to what operations, claims and laws depend on.
///
/// ```
/// use hypotheke::explore::Canonical;
/// use hypotheke::{Amount, Operation, Ruleset, World};
///
/// let rules = Ruleset::builder()
///     .kind("flare", |kind| kind.stack_limit(2))
///     .container("depot", |depot| depot.slots(2))
///     .start("depot", ["2 flare"])
///     .build()?
///     .into();
/// let start = World::new(&rules);
/// let depot = start.container("depot").unwrap();
/// let mut world = start.clone();
/// for (from, to) in [(0, 1), (1, 0)] {
///     world.perform(&Operation::moving(Amount::All, (depot, from), (depot, to))).unwrap().done();
/// }
/// assert_ne!(start.snapshot(), world.snapshot(), "the revision differs");
/// assert_eq!(Canonical::of(&rules, &start.snapshot()), Canonical::of(&rules, &world.snapshot()));
/// # Ok::<(), hypotheke::RulesetErrors>(())
/// ```
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Canonical {
    containers: Vec<CanonicalContainer>,
    holders: Vec<CanonicalHolder>,
    ground: Vec<CanonicalStack>,
    /// For each property that falls, in how many ticks it does so next.
    phases: Vec<u64>,
}

#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct CanonicalContainer {
    name: String,
    slots: u32,
    owner: Option<String>,
    opened_by: Vec<String>,
    stacks: Vec<(u32, CanonicalStack)>,
    /// What it works on: the recipe, how often, the ticks that are left, and the yield.
    job: Option<(String, u32, u64, Option<NonZeroU32>)>,
    in_work: Vec<(u32, CanonicalStack)>,
}

#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct CanonicalHolder {
    name: String,
    containers: Vec<CanonicalContainer>,
    hand: Option<CanonicalStack>,
    /// The slot that the items in the hand came from: a container or a place on the ground, then
    /// slots.
    origin: Option<(String, Vec<u32>)>,
    shortcuts: Vec<Option<String>>,
    /// In thousandths.
    meters: Vec<(String, i64)>,
}

#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
struct CanonicalStack {
    kind: String,
    count: u32,
    marks: Vec<String>,
    /// In thousandths.
    properties: Vec<(String, i64)>,
    inside: Option<Box<CanonicalContainer>>,
}

impl Canonical {
    /// The canonical form of a snapshot of a world with these rules.
    #[must_use]
    pub fn of(rules: &Ruleset, snapshot: &Snapshot) -> Canonical {
        let Snapshot {
            // Ids carry it, and ids are left out.
            world: _,
            // Only a request that expects a revision reads it, and a search makes no such requests.
            revision: _,
            // Ids are names: no rule compares them, and ties in sorting go by slot order.
            next_stack: _,
            // Scattered drops and yields read it. A search drops at one position and names each yield.
            random: _,
            // Only the ticks until recipes end and properties fall matter.
            clock,
            containers,
            holders,
            packs,
            ground,
            // Only the audit reads them, against the items that are there: they follow from the
            // start and the state.
            totals: _,
            // Numbers of departures are names too.
            departures: _,
            // A search lets nothing arrive.
            arrivals: _,
            // A server reads it, and a search has none.
            requests: _,
            // Orphans weigh nothing, fill no slot and no operation reaches them.
            orphans: _,
        } = snapshot;
        let reader = Reader::new(snapshot, packs);
        Canonical {
            containers: containers.iter().map(|container| reader.container(container)).collect(),
            holders: holders.iter().map(|holder| reader.holder(holder)).collect(),
            ground: ground
                .iter()
                // No rule reads a position.
                .map(|Landed { at: _, stack }| reader.stack(stack))
                .collect(),
            phases: rules.falling().iter().map(|(_, falling)| falling.ticks_left(*clock)).collect(),
        }
    }
}

struct Reader<'s> {
    packs: BTreeMap<StackId, &'s Pack>,
    /// Where each pack is: in a slot of a container, or at a place on the ground.
    places: BTreeMap<StackId, (String, Vec<u32>)>,
}

impl<'s> Reader<'s> {
    fn new(snapshot: &'s Snapshot, packs: &'s [Pack]) -> Reader<'s> {
        let packs: BTreeMap<StackId, &Pack> = packs.iter().map(|pack| (pack.pack, pack)).collect();
        let mut places = BTreeMap::new();
        let carried = snapshot.holders.iter().flat_map(|holder| {
            holder.containers.iter().map(|container| (format!("{}.{}", holder.name, container.name), container))
        });
        let standing = snapshot.containers.iter().map(|container| (container.name.clone(), container));
        for (name, container) in standing.chain(carried) {
            for InSlot { slot, stack, .. } in &container.stacks {
                places.insert(stack.id, (name.clone(), vec![*slot]));
            }
        }
        for (nth, Landed { stack, .. }) in (0..).zip(&snapshot.ground) {
            places.insert(stack.id, ("ground".to_owned(), vec![nth]));
        }
        for holder in &snapshot.holders {
            if let Some(stack) = &holder.hand {
                places.insert(stack.id, (format!("{}.hand", holder.name), vec![0]));
            }
        }
        // Packs in packs, from the outside in.
        for _ in 0..packs.len() {
            for (id, pack) in &packs {
                let Some((name, slots)) = places.get(id).cloned() else { continue };
                for InSlot { slot, stack, .. } in &pack.stacks {
                    places.insert(stack.id, (name.clone(), slots.iter().copied().chain([*slot]).collect()));
                }
            }
        }
        Reader { packs, places }
    }

    fn container(&self, container: &Container) -> CanonicalContainer {
        let Container {
            name,
            // The same for all states: it follows from the name.
            definition: _,
            slots,
            owner,
            opened_by,
            stacks,
            job,
        } = container;
        let job = job
            .as_ref()
            .map(|Job { recipe, times, left, yield_number }| (recipe.clone(), *times, *left, *yield_number));
        CanonicalContainer { owner: owner.clone(), job, ..self.inside(name.clone(), *slots, opened_by, stacks) }
    }

    fn inside(&self, name: String, slots: u32, opened_by: &[String], stacks: &[InSlot]) -> CanonicalContainer {
        let of = |wanted: bool| {
            let stacks = stacks.iter().filter(move |lying| lying.in_work == wanted);
            stacks.map(|InSlot { slot, stack, in_work: _ }| (*slot, self.stack(stack))).collect()
        };
        let (stacks, in_work) = (of(false), of(true));
        CanonicalContainer { name, slots, owner: None, opened_by: opened_by.to_vec(), stacks, job: None, in_work }
    }

    fn holder(&self, holder: &Holder) -> CanonicalHolder {
        let Holder {
            name,
            // The same for all states: it follows from the name.
            definition: _,
            containers,
            hand,
            origin,
            shortcuts,
            meters,
        } = holder;
        CanonicalHolder {
            name: name.clone(),
            containers: containers.iter().map(|container| self.container(container)).collect(),
            hand: hand.as_ref().map(|stack| self.stack(stack)),
            origin: origin.as_ref().map(|origin| self.origin(origin)),
            shortcuts: shortcuts.clone(),
            meters: meters.iter().map(|(name, value)| (name.clone(), value.thousandths())).collect(),
        }
    }

    /// An origin names a slot of a container, or one inside of the pack with an id.
    fn origin(&self, path: &Path) -> (String, Vec<u32>) {
        let slots = path.steps().iter().filter_map(|step| match step {
            PathStep::Slot(slot) => Some(*slot),
            _ => None,
        });
        match path.root() {
            PathRoot::Stack(id) => {
                let (name, outer) = self.places.get(id).cloned().unwrap_or_default();
                (name, outer.into_iter().chain(slots).collect())
            }
            _ => {
                let text = path.to_string();
                let name = text.split(['/', '@']).next().unwrap_or_default().to_owned();
                (name, slots.collect())
            }
        }
    }

    fn stack(&self, stack: &Stack) -> CanonicalStack {
        let Stack {
            // A name: no rule compares ids.
            id,
            kind,
            count,
            marks,
            properties,
        } = stack;
        let inside = self.packs.get(id).map(|pack| {
            let Pack {
                // The id of the stack around it.
                pack: _,
                slots,
                opened_by,
                stacks,
            } = pack;
            Box::new(self.inside(String::new(), *slots, opened_by, stacks))
        });
        let properties = properties.iter().map(|(name, value)| (name.clone(), value.thousandths())).collect();
        CanonicalStack { kind: kind.clone(), count: *count, marks: marks.clone(), properties, inside }
    }
}
