//! The facts of a snapshot, indexed in every direction.

use std::collections::BTreeMap;

use crate::filter::{Measure, Subject};
use crate::id::{KindId, MarkId, PropertyId, StackId, TagId};
use crate::language::{Position, WORK};
use crate::quantity::Decimal;
use crate::ruleset::{ContainerDef, HolderDef, MAX_NESTING, PropertyValue, Ruleset};
use crate::snapshot::{InSlot, Job, Snapshot, Stack};

/// The place of a stack: a container and a slot, or the ground.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Where {
    In(usize, u32),
    /// The container works on it; it came from the slot.
    InWork(usize, u32),
    Ground(Position),
}

pub(super) struct Lying<'s> {
    pub(super) stack: &'s Stack,
    pub(super) kind: Option<KindId>,
    pub(super) at: Where,
}

/// What brings a container.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Bringer {
    World,
    Holder(usize),
    /// It is the hand of this one.
    Hand(usize),
    Pack(StackId),
}

pub(super) struct Held<'s> {
    pub(super) bringer: Bringer,
    /// As paths write it; of the inside of a pack see [`Facts::name`].
    name: String,
    pub(super) def: Option<&'s ContainerDef>,
    pub(super) slots: u32,
    pub(super) opened_by: &'s [String],
    /// Indexes of [`Facts::stacks`].
    pub(super) stacks: Vec<usize>,
    /// The container of the pack that it is inside of.
    around: Option<usize>,
    /// The number of packs around it, its own included.
    pub(super) depth: u32,
    /// Who carries it, be it in a pack.
    pub(super) holder: Option<usize>,
    /// Reachable from the outside; otherwise it contains itself.
    reached: bool,
    /// The recipe that it works on.
    pub(super) job: Option<&'s Job>,
}

pub(super) struct Facts<'s> {
    pub(super) rules: &'s Ruleset,
    pub(super) snapshot: &'s Snapshot,
    pub(super) containers: Vec<Held<'s>>,
    pub(super) stacks: Vec<Lying<'s>>,
    /// The first stack with each id.
    by_id: BTreeMap<StackId, usize>,
    /// The container inside of the pack with each id.
    insides: BTreeMap<StackId, usize>,
    /// All containers that are reached from the outside, from the outside in.
    order: Vec<usize>,
    /// What each holder carries: their containers and their hand.
    borne: Vec<Vec<usize>>,
}

impl<'s> Facts<'s> {
    pub(super) fn new(rules: &'s Ruleset, snapshot: &'s Snapshot) -> Facts<'s> {
        let mut facts = Facts {
            rules,
            snapshot,
            containers: Vec::new(),
            stacks: Vec::new(),
            by_id: BTreeMap::new(),
            insides: BTreeMap::new(),
            order: Vec::new(),
            borne: vec![Vec::new(); snapshot.holders.len()],
        };
        facts.read();
        facts.walk_in();
        facts
    }

    fn read(&mut self) {
        let snapshot = self.snapshot;
        for container in &snapshot.containers {
            let held = self.held(
                Bringer::World,
                &container.name,
                &container.definition,
                container.slots,
                &container.opened_by,
            );
            self.add(Held { job: container.job.as_ref(), ..held }, &container.stacks);
        }
        for (index, holder) in snapshot.holders.iter().enumerate() {
            for container in &holder.containers {
                let name = format!("{}.{}", holder.name, container.name);
                let bringer = Bringer::Holder(index);
                let held = self.held(bringer, &name, &container.definition, container.slots, &container.opened_by);
                self.add(Held { job: container.job.as_ref(), ..held }, &container.stacks);
            }
            let hand = self.held(Bringer::Hand(index), &format!("{}.hand", holder.name), "", 1, &[]);
            self.containers.push(hand);
            if let Some(stack) = &holder.hand {
                self.lay(stack, Where::In(self.containers.len() - 1, 0));
            }
        }
        for pack in &snapshot.packs {
            let held = self.held(Bringer::Pack(pack.pack), "", "", pack.slots, &pack.opened_by);
            self.insides.entry(pack.pack).or_insert(self.containers.len());
            self.add(held, &pack.stacks);
        }
        for landed in &snapshot.ground {
            self.lay(&landed.stack, Where::Ground(landed.at));
        }
        for index in 0..self.containers.len() {
            if let Bringer::Pack(pack) = self.containers[index].bringer {
                let kind = self.by_id.get(&pack).and_then(|&stack| self.stacks[stack].kind);
                self.containers[index].def = kind.and_then(|kind| self.rules.known_kind(kind).pack());
            }
        }
    }

    fn held(&self, bringer: Bringer, name: &str, of: &str, slots: u32, opened_by: &'s [String]) -> Held<'s> {
        let def = self.rules.find_container(of).map(|id| self.rules.container(id));
        let name = name.to_owned();
        Held {
            bringer,
            name,
            def,
            slots,
            opened_by,
            stacks: Vec::new(),
            around: None,
            depth: 0,
            holder: None,
            reached: false,
            job: None,
        }
    }

    fn add(&mut self, held: Held<'s>, stacks: &'s [InSlot]) {
        let container = self.containers.len();
        self.containers.push(held);
        for InSlot { slot, stack, in_work } in stacks {
            let at = if *in_work { Where::InWork(container, *slot) } else { Where::In(container, *slot) };
            self.lay(stack, at);
        }
    }

    /// Visits all containers from the outside in, each once, at any depth.
    fn walk_in(&mut self) {
        let mut inner: Vec<Vec<usize>> = vec![Vec::new(); self.containers.len()];
        for index in 0..self.containers.len() {
            self.containers[index].around = self.find_around(index);
            match self.containers[index].around {
                Some(around) => inner[around].push(index),
                None => self.order.push(index),
            }
            if let Bringer::Holder(holder) | Bringer::Hand(holder) = self.containers[index].bringer {
                self.borne[holder].push(index);
            }
        }
        let mut next = 0;
        while let Some(&index) = self.order.get(next) {
            let around = self.containers[index].around.map(|around| &self.containers[around]);
            let (depth, holder) = around.map_or((0, None), |around| (around.depth, around.holder));
            let held = &mut self.containers[index];
            held.reached = true;
            held.holder = match held.bringer {
                Bringer::Holder(holder) | Bringer::Hand(holder) => Some(holder),
                Bringer::World | Bringer::Pack(_) => holder,
            };
            held.depth = depth + u32::from(matches!(held.bringer, Bringer::Pack(_)));
            self.order.append(&mut inner[index]);
            next += 1;
        }
    }

    fn find_around(&self, container: usize) -> Option<usize> {
        let Bringer::Pack(pack) = self.containers[container].bringer else { return None };
        match self.stack_with(pack)?.at {
            Where::In(around, _) | Where::InWork(around, _) => Some(around),
            Where::Ground(_) => None,
        }
    }

    fn lay(&mut self, stack: &'s Stack, at: Where) {
        let index = self.stacks.len();
        self.stacks.push(Lying { stack, kind: self.rules.find_kind(&stack.kind), at });
        self.by_id.entry(stack.id).or_insert(index);
        if let Where::In(container, _) | Where::InWork(container, _) = at {
            self.containers[container].stacks.push(index);
        }
    }

    pub(super) fn holder_def(&self, holder: usize) -> Option<&'s HolderDef> {
        self.rules.find_holder(&self.snapshot.holders[holder].definition).map(|id| self.rules.holder(id))
    }

    pub(super) fn stack_with(&self, id: StackId) -> Option<&Lying<'s>> {
        self.by_id.get(&id).map(|&index| &self.stacks[index])
    }

    /// The container inside of a stack.
    pub(super) fn inside(&self, stack: &Stack) -> Option<usize> {
        self.insides.get(&stack.id).copied()
    }

    /// A container and those around it, from the inside out, up to the maximum nesting; deeper
    /// packs are reported separately.
    pub(super) fn chain(&self, container: usize) -> impl Iterator<Item = usize> + '_ {
        let around = |&at: &usize| self.containers[at].around.filter(|_| !self.is_circular(at));
        std::iter::successors(Some(container), around).take(MAX_NESTING as usize + 1)
    }

    /// Whether a container contains itself.
    pub(super) fn is_circular(&self, container: usize) -> bool {
        !self.containers[container].reached
    }

    /// For each container the sum of its contents at any depth. A container inside itself counts
    /// nowhere.
    pub(super) fn sums(&self, of_stack: impl Fn(&Lying<'_>) -> i128) -> Vec<i128> {
        let mut sums = vec![0; self.containers.len()];
        for &index in self.order.iter().rev() {
            let held = &self.containers[index];
            sums[index] += held.stacks.iter().map(|&stack| of_stack(&self.stacks[stack])).sum::<i128>();
            let Bringer::Pack(pack) = held.bringer else { continue };
            if let Some(around) = held.around.filter(|_| self.insides.get(&pack) == Some(&index)) {
                sums[around] += sums[index];
            }
        }
        sums
    }

    /// The containers that a holder carries, and its hand.
    pub(super) fn borne_by(&self, holder: usize) -> &[usize] {
        &self.borne[holder]
    }

    // Names.

    pub(super) fn place(&self, lying: &Lying<'_>) -> String {
        match lying.at {
            Where::Ground(_) => format!("ground/{}", lying.stack.id),
            Where::In(container, slot) => self.slot(container, slot),
            Where::InWork(container, _) => format!("{}/{WORK}", self.name(container).trim_end_matches('/')),
        }
    }

    pub(super) fn slot(&self, container: usize, slot: u32) -> String {
        let held = &self.containers[container];
        if let Bringer::Hand(_) = held.bringer {
            return held.name.clone();
        }
        let named = held.def.and_then(|def| def.ruled.get(slot as usize)).and_then(|rule| rule.name.as_deref());
        let slot = named.map_or_else(|| slot.to_string(), str::to_owned);
        format!("{}/{slot}", self.name(container).trim_end_matches('/'))
    }

    /// As paths write it: `sled`, `surveyor.pockets`, `surveyor.harness/back/`.
    pub(super) fn name(&self, container: usize) -> String {
        let Bringer::Pack(pack) = self.containers[container].bringer else {
            return self.containers[container].name.clone();
        };
        // The path to a deeply nested place would fill pages.
        let short = !self.is_circular(container) && self.containers[container].depth <= MAX_NESTING;
        match self.stack_with(pack).filter(|_| short) {
            Some(lying) => format!("{}/", self.place(lying)),
            None => format!("{pack}/"),
        }
    }
}

/// A stack as filters see it.
pub(super) struct Seen<'s> {
    pub(super) rules: &'s Ruleset,
    pub(super) kind: KindId,
    pub(super) stack: &'s Stack,
}

impl Subject for Seen<'_> {
    fn kind(&self) -> KindId {
        self.kind
    }

    fn has_tag(&self, tag: TagId) -> bool {
        self.rules.known_kind(self.kind).has_tag(tag)
    }

    fn has_mark(&self, mark: MarkId) -> bool {
        self.stack.marks.iter().any(|known| self.rules.find_mark(known) == Some(mark))
    }

    fn number(&self, measure: Measure) -> Option<Decimal> {
        if let Measure::Property(property) = measure
            && let Some(value) = self.stack.properties.get(self.rules.property(property).name())
        {
            return Some(*value);
        }
        self.rules.known_kind(self.kind).number(measure)
    }

    fn text(&self, property: PropertyId) -> Option<&str> {
        match self.rules.known_kind(self.kind).property(property)? {
            PropertyValue::Text(text) => Some(text),
            PropertyValue::Number(_) => None,
        }
    }
}
