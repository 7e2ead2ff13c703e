//! The mix of operations for all: 60% create and consume, 40% moves between slots with merge and
//! swap, half of them to the other container. The containers stay about half full.

use std::fmt::Write;
use std::sync::Arc;

use hypotheke::{Amount, ContainerId, Decimal, HolderId, KindId, Operation, Ruleset, World};

use crate::plain::Plain;

/// How many kinds there are.
pub const KINDS: usize = 64;
/// Their stack limits, in turn.
pub const LIMITS: [u16; 8] = [1, 1, 5, 10, 16, 20, 64, 99];

/// The tag of a kind.
#[must_use]
pub fn tag_of(kind: usize) -> &'static str {
    ["food", "fuel", "tool.small", "tool.large"][kind % 4]
}

/// The weight of a kind, in thousandths.
#[must_use]
pub fn weight_of(kind: usize) -> i64 {
    i64::try_from(kind % 9).unwrap_or(0) * 1_000 + 250
}

/// One step of the mix.
#[derive(Clone, Copy, Debug)]
pub enum Step {
    /// At most a number of items of a kind.
    Create {
        /// The container.
        container: usize,
        /// The kind.
        kind: u16,
        /// How many.
        count: u16,
    },
    /// At most a number of items of a kind.
    Consume {
        /// The container.
        container: usize,
        /// The kind.
        kind: u16,
        /// How many.
        count: u16,
    },
    /// The full stack of a slot to another slot: placed, merged or swapped.
    Transfer {
        /// Container and slot.
        from: (usize, usize),
        /// Container and slot.
        to: (usize, usize),
    },
}

/// A small generator of numbers; the same on every machine.
#[derive(Clone, Debug)]
pub struct Numbers(u64);

impl Numbers {
    /// From a seed.
    #[must_use]
    pub fn new(seed: u64) -> Numbers {
        Numbers(seed)
    }

    /// A number below a bound.
    pub fn below(&mut self, bound: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        usize::try_from((mixed ^ (mixed >> 31)) % bound as u64).unwrap_or(0)
    }
}

/// The steps, and those that come before to fill the containers by half.
#[derive(Clone, Debug)]
pub struct Workload {
    /// Slots of each container.
    pub slots: usize,
    /// Not measured.
    pub filling: Vec<Step>,
    /// Measured.
    pub steps: Vec<Step>,
}

impl Workload {
    /// A number of steps on two containers with a number of slots.
    #[must_use]
    pub fn new(slots: usize, steps: usize) -> Workload {
        let mut numbers = Numbers::new(7);
        let mut taken = [0usize; 2];
        let filling = half_full(&mut numbers, slots);
        let mut plain = Plain::new(slots);
        for step in &filling {
            plain.play_quickly(*step);
        }
        for (container, taken) in taken.iter_mut().enumerate() {
            *taken = plain.containers[container].iter().flatten().count();
        }
        let steps = (0..steps)
            .map(|_| {
                let step = next_step(&mut numbers, slots, taken);
                // In large containers a few steps change little, and playing them here would take
                // long.
                if slots <= 1_000 {
                    plain.play(step);
                    for (container, taken) in taken.iter_mut().enumerate() {
                        *taken = plain.containers[container].iter().flatten().count();
                    }
                }
                step
            })
            .collect();
        Workload { slots, filling, steps }
    }
}

/// A full stack in about every second slot, of random kinds: each is created in the first empty
/// slot, then moved to its place.
fn half_full(numbers: &mut Numbers, slots: usize) -> Vec<Step> {
    let mut filling = Vec::new();
    for container in 0..2 {
        // From the last slot to the first, so that the first slot is always free for what is
        // created.
        for slot in (0..slots).rev().filter(|_| numbers.below(2) == 0).collect::<Vec<_>>() {
            let kind = small(numbers.below(KINDS));
            filling.push(Step::Create { container, kind, count: LIMITS[usize::from(kind) % LIMITS.len()] });
            filling.push(Step::Transfer { from: (container, 0), to: (container, slot) });
        }
    }
    filling
}

fn small(number: usize) -> u16 {
    u16::try_from(number).unwrap_or(u16::MAX)
}

fn next_step(numbers: &mut Numbers, slots: usize, taken: [usize; 2]) -> Step {
    let container = numbers.below(2);
    if numbers.below(10) < 6 {
        let kind = small(numbers.below(KINDS));
        let count = small(numbers.below(usize::from(LIMITS[usize::from(kind) % LIMITS.len()])) + 1);
        // The fuller, the more is consumed.
        let create = numbers.below(slots) >= taken[container];
        return if create { Step::Create { container, kind, count } } else { Step::Consume { container, kind, count } };
    }
    let other = if numbers.below(2) == 0 { container } else { 1 - container };
    Step::Transfer { from: (container, numbers.below(slots)), to: (other, numbers.below(slots)) }
}

/// The library, with stack limits, weight caps and filters on.
#[derive(Clone, Debug)]
pub struct Library {
    world: World,
    containers: [ContainerId; 2],
    kinds: Vec<KindId>,
    actor: Option<HolderId>,
}

/// Who owns both containers, and who may use them.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Owned {
    /// They have no owner.
    Not,
    /// They have one, and are for anyone.
    ForAnyone,
    /// They are their owner's alone, who performs every operation.
    ForItsOwner,
}

/// Two containers with a weight cap and a filter, and the kinds.
#[must_use]
pub fn ruleset_text(slots: usize, owned: Owned) -> String {
    let mut text = String::from("format = 1\n");
    for kind in 0..KINDS {
        let limit = LIMITS[kind % LIMITS.len()];
        let (tag, weight) = (tag_of(kind), Decimal::from_thousandths(weight_of(kind)));
        let _ = writeln!(text, "[kind.k{kind}]\ntags = [\"{tag}\"]\nweight = {weight}\nstack-limit = {limit}");
    }
    for name in ["a", "b"] {
        let _ = writeln!(
            text,
            "[container.{name}]\nslots = {slots}\nweight-cap = {}\nadmits = \"food or fuel or tool and weight <= 50\"",
            slots * 1_000
        );
        text.push_str(match owned {
            Owned::Not => "",
            Owned::ForAnyone => "owner = \"mara\"\n",
            Owned::ForItsOwner => "owner = \"mara\"\nput-by = \"owner\"\ntake-by = \"owner\"\nopen-by = \"owner\"\n",
        });
    }
    if owned != Owned::Not {
        text.push_str("[container.pouch]\nslots = 1\n[holder.mara]\ncarries = [\"pouch\"]\n");
    }
    text
}

impl Library {
    /// Two empty containers with a number of slots.
    ///
    /// # Panics
    /// If the ruleset of the bench were wrong.
    #[must_use]
    #[expect(clippy::expect_used, reason = "the ruleset is our own")]
    pub fn new(slots: usize, owned: Owned) -> Library {
        let rules = Ruleset::from_toml("bench.toml", &ruleset_text(slots, owned)).expect("a valid ruleset");
        let world = World::new(&Arc::new(rules));
        let containers = ["a", "b"].map(|name| world.container(name).expect("a container"));
        let kinds = world.rules().kinds().map(hypotheke::Kind::handle).collect();
        let actor = world.holder("mara").filter(|_| owned == Owned::ForItsOwner);
        Library { world, containers, kinds, actor }
    }

    /// Performs one step; returns the number of items.
    pub fn play(&mut self, step: Step) -> u32 {
        match step {
            Step::Create { container, kind, count } => {
                let amount = Amount::UpTo(u32::from(count));
                self.perform(Operation::creating(amount, self.kinds[usize::from(kind)], self.containers[container]))
            }
            Step::Consume { container, kind, count } => {
                let amount = Amount::UpTo(u32::from(count));
                self.perform(Operation::consuming(amount, self.kinds[usize::from(kind)], self.containers[container]))
            }
            Step::Transfer { from, to } => {
                let place = |(container, slot): (usize, usize)| {
                    (self.containers[container], u32::try_from(slot).unwrap_or(u32::MAX))
                };
                let (from, to) = (place(from), place(to));
                let Some(stack) = self.world.stack(from.0, from.1) else { return 0 };
                match self.world.stack(to.0, to.1) {
                    Some(there) if !there.can_stack_with(stack) => self.perform(Operation::swapping(from, to)),
                    _ if from == to => 0,
                    _ => self.perform(Operation::moving(Amount::UpTo(stack.count()), from, to)),
                }
            }
        }
    }

    // Inlined, so that the operation is not copied.
    #[inline(always)]
    fn perform(&mut self, mut operation: Operation) -> u32 {
        operation.actor = self.actor;
        self.world.perform(&operation).map_or(0, |outcome| u32::try_from(outcome.done()).unwrap_or(u32::MAX))
    }
}
