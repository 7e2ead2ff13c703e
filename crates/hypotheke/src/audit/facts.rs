//! What a snapshot says, so that it can be walked through in every direction.

use std::collections::{BTreeMap, BTreeSet};

use crate::filter::{Measure, Subject};
use crate::id::{KindId, MarkId, PropertyId, StackId, TagId};
use crate::language::Position;
use crate::quantity::Decimal;
use crate::ruleset::{ContainerDef, HolderDef, PropertyValue, Ruleset};
use crate::snapshot::{InSlot, Snapshot, Stack};

/// Where a stack lies: in which container and slot, or on the ground.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Where {
    In(usize, u32),
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
        };
        facts.read();
        facts
    }

    fn read(&mut self) {
        let snapshot = self.snapshot;
        for container in &snapshot.containers {
            let held = self.held(Bringer::World, &container.name, &container.of, container.slots, &container.opened_by);
            self.add(held, &container.stacks);
        }
        for (index, holder) in snapshot.holders.iter().enumerate() {
            for container in &holder.containers {
                let name = format!("{}.{}", holder.name, container.name);
                let bringer = Bringer::Holder(index);
                let held = self.held(bringer, &name, &container.of, container.slots, &container.opened_by);
                self.add(held, &container.stacks);
            }
            let hand = self.held(Bringer::Hand(index), &format!("{}.hand", holder.name), "", 1, &[]);
            self.containers.push(hand);
            if let Some(stack) = &holder.hand {
                self.lay(stack, Where::In(self.containers.len() - 1, 0));
            }
        }
        for pack in &snapshot.packs {
            let held = Held {
                bringer: Bringer::Pack(pack.pack),
                name: String::new(),
                def: None,
                slots: pack.slots,
                opened_by: &pack.opened_by,
                stacks: Vec::new(),
            };
            self.insides.entry(pack.pack).or_insert(self.containers.len());
            self.add(held, &pack.stacks);
        }
        for landed in &snapshot.ground {
            self.lay(&landed.stack, Where::Ground(landed.at));
        }
        for index in 0..self.containers.len() {
            if let Bringer::Pack(pack) = self.containers[index].bringer {
                let kind = self.by_id.get(&pack).and_then(|&stack| self.stacks[stack].kind);
                self.containers[index].def = kind.and_then(|kind| self.rules.kind(kind).pack());
            }
        }
    }

    fn held(&self, bringer: Bringer, name: &str, of: &str, slots: u32, opened_by: &'s [String]) -> Held<'s> {
        let def = self.rules.containers().iter().find(|def| def.id() == of);
        Held { bringer, name: name.to_owned(), def, slots, opened_by, stacks: Vec::new() }
    }

    fn add(&mut self, held: Held<'s>, stacks: &'s [InSlot]) {
        let container = self.containers.len();
        self.containers.push(held);
        for InSlot { slot, stack } in stacks {
            self.lay(stack, Where::In(container, *slot));
        }
    }

    fn lay(&mut self, stack: &'s Stack, at: Where) {
        let index = self.stacks.len();
        self.stacks.push(Lying { stack, kind: self.rules.find_kind(&stack.kind), at });
        self.by_id.entry(stack.id).or_insert(index);
        if let Where::In(container, _) = at {
            self.containers[container].stacks.push(index);
        }
    }

    pub(super) fn holder_def(&self, holder: usize) -> Option<&'s HolderDef> {
        let of = &self.snapshot.holders[holder].of;
        self.rules.holders().iter().find(|def| def.id() == of)
    }

    pub(super) fn stack_with(&self, id: StackId) -> Option<&Lying<'s>> {
        self.by_id.get(&id).map(|&index| &self.stacks[index])
    }

    /// The container inside of a stack.
    pub(super) fn inside(&self, stack: &Stack) -> Option<usize> {
        self.insides.get(&stack.id).copied()
    }

    // Around and inside of a container. What lies in itself is gone through once.

    /// The container in which the pack lies that brings another.
    fn around(&self, container: usize) -> Option<usize> {
        let Bringer::Pack(pack) = self.containers[container].bringer else { return None };
        match self.stack_with(pack)?.at {
            Where::In(around, _) => Some(around),
            Where::Ground(_) => None,
        }
    }

    /// It and those around it, from the inside out.
    pub(super) fn chain(&self, container: usize) -> Vec<usize> {
        let mut chain = vec![container];
        let mut seen = BTreeSet::from([container]);
        let mut at = container;
        while let Some(around) = self.around(at).filter(|around| seen.insert(*around)) {
            chain.push(around);
            at = around;
        }
        chain
    }

    /// Whether a container lies in itself.
    pub(super) fn is_circular(&self, container: usize) -> bool {
        let outermost = self.chain(container).last().copied();
        outermost.is_some_and(|outermost| self.around(outermost).is_some())
    }

    /// All that lies in a container, at any depth.
    pub(super) fn all_in(&self, container: usize) -> Vec<usize> {
        let mut found = Vec::new();
        let mut seen = BTreeSet::from([container]);
        let mut open = vec![container];
        while let Some(container) = open.pop() {
            for &index in &self.containers[container].stacks {
                found.push(index);
                open.extend(self.inside(self.stacks[index].stack).filter(|inside| seen.insert(*inside)));
            }
        }
        found
    }

    /// The containers that a holder carries, and its hand.
    pub(super) fn borne_by(&self, holder: usize) -> impl Iterator<Item = usize> + '_ {
        let mine = move |index: &usize| matches!(self.containers[*index].bringer, Bringer::Holder(of) | Bringer::Hand(of) if of == holder);
        (0..self.containers.len()).filter(mine)
    }

    // Names.

    pub(super) fn place(&self, lying: &Lying<'_>) -> String {
        match lying.at {
            Where::Ground(_) => format!("ground/{}", lying.stack.id),
            Where::In(container, slot) => self.slot(container, slot),
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
        match self.stack_with(pack).filter(|_| !self.is_circular(container)) {
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
        self.rules.kind(self.kind).has_tag(tag)
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
        self.rules.kind(self.kind).number(measure)
    }

    fn text(&self, property: PropertyId) -> Option<&str> {
        match self.rules.kind(self.kind).property(property)? {
            PropertyValue::Text(text) => Some(text),
            PropertyValue::Number(_) => None,
        }
    }
}
