//! The contents of the model: a tree of plain vectors, searched from the root each time.

use std::collections::{BTreeMap, BTreeSet};

use super::departures::Who;
use super::faults::Fault;
use super::rules::{ContainerSpec, FilterSpec, MeterSpec, Rules};

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Stack {
    pub(crate) id: u64,
    pub(crate) kind: usize,
    pub(crate) marks: BTreeSet<usize>,
    pub(crate) properties: BTreeMap<usize, i64>,
    pub(crate) count: u32,
    /// Its contents, if it is a pack.
    pub(crate) inside: Option<Vec<Option<Stack>>>,
}

/// Where the way into a container begins.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Root {
    Container(usize),
    /// The pack on the ground with this id.
    Landing(u64),
    /// The hand of a holder, as a container of one slot.
    Hand(usize),
    /// Where stacks wait while two sides exchange them.
    Transit,
}

/// A container that can be found again after it moves.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Owner {
    Container(usize),
    /// The pack with this id.
    Pack(u64),
}

/// A container: a root, and the slots of the packs that lead into it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Inside {
    pub(crate) root: Root,
    pub(crate) steps: Vec<usize>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum At {
    Slot(Inside, usize),
    Container(Inside),
    Holder(usize),
    Ground,
    /// The stack with this id, if it is on the ground.
    OnGround(u64),
}

/// A place that holds one stack.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Cell {
    Slot(Inside, usize),
    Ground(u64),
}

/// What a container works on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Job {
    pub(crate) recipe: usize,
    pub(crate) times: u64,
    pub(crate) yield_number: Option<usize>,
    /// The ticks that are left.
    pub(crate) left: u64,
    /// By the slots from which they came.
    pub(crate) held: Vec<(usize, Stack)>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct State {
    pub(crate) clock: u64,
    /// Of each container.
    pub(crate) jobs: Vec<Option<Job>>,
    pub(crate) slots: Vec<Vec<Option<Stack>>>,
    pub(crate) ground: Vec<(Stack, (i64, i64))>,
    pub(crate) hands: Vec<Vec<Option<Stack>>>,
    /// What two sides are exchanging.
    pub(crate) transit: Vec<Option<Stack>>,
    /// Where what is in each hand came from.
    pub(crate) origins: Vec<Option<(Owner, usize)>>,
    /// At which kinds the shortcuts of each holder point.
    pub(crate) bars: Vec<Vec<Option<usize>>>,
    /// The value of each meter of each holder.
    pub(crate) meters: Vec<BTreeMap<usize, i64>>,
    /// Who owns each container of the world.
    pub(crate) owners: Vec<Option<usize>>,
    /// Which holder has opened which container.
    pub(crate) open: BTreeSet<(usize, Owner)>,
    pub(crate) next_id: u64,
    /// How many items of each kind were created and consumed.
    pub(crate) made: Vec<u64>,
    pub(crate) used: Vec<u64>,
    /// How many came and went with what arrived and departed.
    pub(crate) came: Vec<u64>,
    pub(crate) went: Vec<u64>,
    /// The containers without a holder, and the present holders, each in order of arrival. The
    /// number after the last is the container that lends its slots' names.
    pub(crate) standing: Vec<usize>,
    pub(crate) present: Vec<usize>,
    /// The absent containers, on their own or with their holder.
    pub(crate) gone: BTreeSet<usize>,
    /// How often something has departed, and the latest of those departures that has arrived, of
    /// each.
    pub(crate) departures: u64,
    pub(crate) arrivals: BTreeMap<Who, u64>,
}

impl Stack {
    /// Packs are never alike.
    pub(crate) fn can_stack_with(&self, other: &Stack) -> bool {
        let kinds = self.kind == other.kind || Fault::KindsMixed.is_on();
        let marks = self.marks == other.marks || Fault::MarkLostInAMerge.is_on();
        let properties = self.properties == other.properties || Fault::PropertyLostInAMerge.is_on();
        kinds && marks && properties && (self.inside.is_none() || Fault::PacksMerge.is_on())
    }

    /// The stack and all its contents.
    pub(crate) fn all(&self) -> Vec<&Stack> {
        let inside = self.inside.iter().flatten().flatten().flat_map(Stack::all);
        std::iter::once(self).chain(inside).collect()
    }

    pub(crate) fn weight(&self, rules: &Rules) -> i64 {
        if Fault::ContentsWeighNothing.is_on() {
            return rules.kinds[self.kind].weight * i64::from(self.count);
        }
        self.all().iter().map(|stack| rules.kinds[stack.kind].weight * i64::from(stack.count)).sum()
    }

    /// The number of its items, contents included, that match a filter.
    pub(crate) fn counted(&self, rules: &Rules, filter: &FilterSpec) -> i64 {
        self.all().iter().filter(|stack| filter.admits(rules, stack)).map(|stack| i64::from(stack.count)).sum()
    }

    /// How deep packs nest in it, itself counted.
    pub(crate) fn height(&self) -> i64 {
        match &self.inside {
            Some(slots) => 1 + slots.iter().flatten().map(Stack::height).max().unwrap_or(0),
            None => 0,
        }
    }
}

impl Inside {
    pub(crate) fn container(index: usize) -> Inside {
        Inside { root: Root::Container(index), steps: Vec::new() }
    }

    pub(crate) fn hand(holder: usize) -> Inside {
        Inside { root: Root::Hand(holder), steps: Vec::new() }
    }

    /// A hand itself, not the inside of a pack in it.
    pub(crate) fn is_hand(&self) -> bool {
        matches!(self.root, Root::Hand(_)) && self.steps.is_empty()
    }

    pub(crate) fn step(&self, slot: usize) -> Inside {
        let steps = self.steps.iter().copied().chain([slot]).collect();
        Inside { root: self.root, steps }
    }

    /// It and those around it, from the inside out.
    pub(crate) fn chain(&self) -> Vec<Inside> {
        (0..=self.steps.len()).rev().map(|end| Inside { root: self.root, steps: self.steps[..end].to_vec() }).collect()
    }

    pub(crate) fn is_within(&self, other: &Inside) -> bool {
        self.chain().contains(other)
    }

    pub(crate) fn is_on_ground(&self) -> bool {
        matches!(self.root, Root::Landing(_))
    }

    /// In how many packs it lies.
    pub(crate) fn depth(&self) -> i64 {
        i64::try_from(self.steps.len()).unwrap() + i64::from(self.is_on_ground())
    }
}

impl Cell {
    pub(crate) fn container(&self) -> Option<&Inside> {
        match self {
            Cell::Slot(inside, _) => Some(inside),
            Cell::Ground(_) => None,
        }
    }

    pub(crate) fn is_on_ground(&self) -> bool {
        self.container().is_none_or(Inside::is_on_ground)
    }
}

/// The first values of meters.
fn at_start(meters: &BTreeMap<usize, MeterSpec>) -> BTreeMap<usize, i64> {
    meters.iter().map(|(meter, spec)| (*meter, spec.start)).collect()
}

impl State {
    pub(crate) fn new(rules: &Rules) -> State {
        let slots = rules.containers.iter().map(|container| vec![None; container.slots]).collect();
        let holders = rules.holders.len();
        State {
            clock: 0,
            jobs: vec![None; rules.containers.len()],
            slots,
            ground: Vec::new(),
            hands: vec![vec![None]; holders],
            transit: Vec::new(),
            origins: vec![None; holders],
            bars: rules.bars.iter().map(|(count, _)| vec![None; *count]).collect(),
            meters: rules.meters.iter().map(at_start).collect(),
            owners: rules.containers.iter().map(|container| container.owner).collect(),
            open: BTreeSet::new(),
            next_id: 1,
            made: vec![0; rules.kinds.len()],
            used: vec![0; rules.kinds.len()],
            came: vec![0; rules.kinds.len()],
            went: vec![0; rules.kinds.len()],
            standing: rules.standing().into_iter().chain([rules.containers.len()]).collect(),
            gone: BTreeSet::new(),
            present: (0..holders).collect(),
            departures: 0,
            arrivals: BTreeMap::new(),
        }
    }

    pub(crate) fn slots(&self, at: &Inside) -> &Vec<Option<Stack>> {
        let mut slots = match at.root {
            Root::Container(index) => &self.slots[index],
            Root::Hand(holder) => &self.hands[holder],
            Root::Transit => &self.transit,
            Root::Landing(id) => self.on_ground(id).expect("on the ground").inside.as_ref().expect("a pack"),
        };
        for &step in &at.steps {
            slots = slots[step].as_ref().and_then(|stack| stack.inside.as_ref()).expect("a pack");
        }
        slots
    }

    pub(crate) fn slots_mut(&mut self, at: &Inside) -> &mut Vec<Option<Stack>> {
        let mut slots = match at.root {
            Root::Container(index) => &mut self.slots[index],
            Root::Hand(holder) => &mut self.hands[holder],
            Root::Transit => &mut self.transit,
            Root::Landing(id) => {
                let landed = self.ground.iter_mut().find(|(stack, _)| stack.id == id).expect("on the ground");
                landed.0.inside.as_mut().expect("a pack")
            }
        };
        for &step in &at.steps {
            slots = slots[step].as_mut().and_then(|stack| stack.inside.as_mut()).expect("a pack");
        }
        slots
    }

    fn on_ground(&self, id: u64) -> Option<&Stack> {
        self.ground.iter().map(|(stack, _)| stack).find(|stack| stack.id == id)
    }

    pub(crate) fn get(&self, cell: &Cell) -> Option<&Stack> {
        match cell {
            Cell::Slot(inside, slot) => self.slots(inside)[*slot].as_ref(),
            Cell::Ground(id) => self.on_ground(*id),
        }
    }

    pub(crate) fn get_mut(&mut self, cell: &Cell) -> Option<&mut Stack> {
        match cell {
            Cell::Slot(inside, slot) => self.slots_mut(inside)[*slot].as_mut(),
            Cell::Ground(id) => self.ground.iter_mut().map(|(stack, _)| stack).find(|stack| stack.id == *id),
        }
    }

    /// Every container there is but the hands.
    pub(crate) fn containers(&self) -> Vec<Inside> {
        let hand = |inside: &Inside| matches!(inside.root, Root::Hand(_) | Root::Transit) && inside.steps.is_empty();
        self.all_containers().into_iter().filter(|inside| !hand(inside)).collect()
    }

    /// Every container, packs after the containers they are in.
    pub(crate) fn all_containers(&self) -> Vec<Inside> {
        let there = (0..self.slots.len()).filter(|index| !self.gone.contains(index));
        let mut found: Vec<Inside> = there.map(Inside::container).collect();
        found.extend((0..self.hands.len()).map(Inside::hand));
        found.push(Inside { root: Root::Transit, steps: Vec::new() });
        let packs = self.ground.iter().filter(|(stack, _)| stack.inside.is_some());
        found.extend(packs.map(|(stack, _)| Inside { root: Root::Landing(stack.id), steps: Vec::new() }));
        let mut next = 0;
        while next < found.len() {
            let inside = found[next].clone();
            let packs = self.slots(&inside).iter().enumerate();
            let packs: Vec<usize> = packs
                .filter(|(_, stack)| stack.as_ref().is_some_and(|stack| stack.inside.is_some()))
                .map(|(slot, _)| slot)
                .collect();
            found.extend(packs.into_iter().map(|slot| inside.step(slot)));
            next += 1;
        }
        found
    }

    /// The stack in a slot.
    pub(crate) fn get_at(&self, at: &At) -> Option<&Stack> {
        match at {
            At::Slot(inside, slot) => self.slots(inside)[*slot].as_ref(),
            _ => None,
        }
    }

    /// Where the stack with an id lies.
    pub(crate) fn find(&self, id: u64) -> Option<Cell> {
        if self.on_ground(id).is_some() {
            return Some(Cell::Ground(id));
        }
        self.all_containers().into_iter().find_map(|inside| {
            let slot =
                self.slots(&inside).iter().position(|stack| stack.as_ref().is_some_and(|stack| stack.id == id))?;
            Some(Cell::Slot(inside, slot))
        })
    }

    pub(crate) fn spec<'r>(&self, rules: &'r Rules, at: &Inside) -> &'r ContainerSpec {
        match at.root {
            Root::Container(index) if at.steps.is_empty() => &rules.containers[index],
            Root::Hand(_) | Root::Transit if at.steps.is_empty() => &rules.hand,
            _ => &rules.packs[self.pack_number(rules, at).expect("the inside of a pack")],
        }
    }

    /// Which of the containers that packs bring it is, if it is the inside of one.
    pub(crate) fn pack_number(&self, rules: &Rules, at: &Inside) -> Option<usize> {
        let pack = match (at.root, at.steps.split_last()) {
            (Root::Landing(id), None) => self.on_ground(id),
            (_, None) => None,
            (root, Some((slot, around))) => {
                let around = Inside { root, steps: around.to_vec() };
                self.slots(&around)[*slot].as_ref()
            }
        };
        rules.kinds[pack?.kind].pack
    }

    pub(crate) fn holder(&self, rules: &Rules, at: &Inside) -> Option<usize> {
        match at.root {
            Root::Container(index) => rules.containers[index].holder,
            Root::Hand(holder) => Some(holder),
            Root::Landing(_) | Root::Transit => None,
        }
    }

    /// What a container is called that may go elsewhere.
    pub(crate) fn owner(&self, at: &Inside) -> Owner {
        match (at.root, at.steps.split_last()) {
            (Root::Container(index), None) => Owner::Container(index),
            (Root::Landing(id), None) => Owner::Pack(id),
            (Root::Hand(_) | Root::Transit, None) => unreachable!("nothing comes from a hand into a hand"),
            (root, Some((slot, around))) => {
                let around = Inside { root, steps: around.to_vec() };
                Owner::Pack(self.slots(&around)[*slot].as_ref().expect("a pack").id)
            }
        }
    }

    /// Its new place.
    pub(crate) fn find_owner(&self, owner: Owner) -> Option<Inside> {
        match owner {
            Owner::Container(index) => Some(Inside::container(index)).filter(|_| !self.gone.contains(&index)),
            Owner::Pack(id) => match self.find(id)? {
                Cell::Slot(around, slot) => Some(around.step(slot)),
                Cell::Ground(id) => Some(Inside { root: Root::Landing(id), steps: Vec::new() }),
            },
        }
    }

    pub(crate) fn weight(&self, rules: &Rules, at: &Inside) -> i64 {
        let held = self.held(at).filter(|_| !Fault::WorkWeighsNothing.is_on());
        self.slots(at).iter().flatten().chain(held).map(|stack| stack.weight(rules)).sum()
    }

    pub(crate) fn counted(&self, rules: &Rules, at: &Inside, filter: &FilterSpec) -> i64 {
        self.slots(at).iter().flatten().chain(self.held(at)).map(|stack| stack.counted(rules, filter)).sum()
    }

    /// What a container works on.
    pub(crate) fn held(&self, at: &Inside) -> impl Iterator<Item = &Stack> {
        let job = match at.root {
            Root::Container(index) if at.steps.is_empty() => self.jobs[index].as_ref(),
            _ => None,
        };
        job.into_iter().flat_map(|job| &job.held).map(|(_, stack)| stack)
    }

    /// What all containers work on.
    pub(crate) fn all_held(&self) -> impl Iterator<Item = &Stack> {
        self.jobs.iter().flatten().flat_map(|job| &job.held).map(|(_, stack)| stack)
    }

    pub(crate) fn new_id(&mut self) -> u64 {
        if !Fault::IdUsedTwice.is_on() || !self.next_id.is_multiple_of(3) {
            self.next_id += 1;
        }
        self.next_id - 1
    }

    /// Takes items from a stack; the rest of a pack keeps its contents.
    pub(crate) fn lessen(&mut self, cell: &Cell, by: u32) {
        match cell {
            Cell::Slot(inside, slot) => {
                let there = &mut self.slots_mut(inside)[*slot];
                let count = there.as_ref().map_or(0, |stack| stack.count) - by;
                *there = there
                    .take()
                    .filter(|_| count > 0 || Fault::StackOfNothingLeft.is_on())
                    .map(|stack| Stack { count, ..stack });
            }
            Cell::Ground(id) => {
                let index = self.ground.iter().position(|(stack, _)| stack.id == *id).expect("on the ground");
                self.ground[index].0.count -= by;
                if self.ground[index].0.count == 0 {
                    self.ground.remove(index);
                }
            }
        }
    }
}
