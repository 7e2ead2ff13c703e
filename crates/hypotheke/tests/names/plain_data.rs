//! The state of the model as a snapshot, and the other way round.

use std::collections::{BTreeMap, BTreeSet};

use hypotheke::snapshot::{self, Container, Holder, InSlot, KindTotals, Landed, Pack, PastArrival, Random};
use hypotheke::{Decimal, Position, Snapshot, StackId};

use super::writing;
use crate::model::{At, Fault, Inside, Job, Names, Owner, Rules, Stack, State, Who};

struct Writer<'m> {
    rules: &'m Rules,
    state: &'m State,
    packs: Vec<Pack>,
}

pub(super) fn snapshot(rules: &Rules, state: &State) -> Snapshot {
    let mut writer = Writer { rules, state, packs: Vec::new() };
    // The container whose slots lend their names.
    let lender = rules.names.lender.as_ref().map(|name| {
        let slots = u32::try_from(rules.names.slots.len()).unwrap();
        Container { name: name.clone(), definition: name.clone(), slots, ..Container::default() }
    });
    let standing = |&index: &usize| {
        if index < rules.containers.len() { Some(writer.container(index)) } else { lender.clone() }
    };
    let containers = state.standing.iter().filter_map(standing).collect();
    let holders = state.present.iter().map(|&holder| writer.holder(holder)).collect();
    let ground =
        state.ground.iter().map(|(stack, at)| Landed { at: position(*at), stack: writer.stack(stack) }).collect();
    let totals = |kind: usize| {
        let (created, consumed) = (state.made[kind], state.used[kind]);
        let totals = KindTotals { created, consumed, arrived: state.came[kind], departed: state.went[kind] };
        (totals != KindTotals::default()).then(|| (rules.names.kinds[kind].clone(), totals))
    };
    let totals = (0..rules.kinds.len()).filter_map(totals).collect();
    writer.packs.sort_by_key(|pack| pack.pack);
    Snapshot {
        world: 0,
        revision: 0,
        next_stack: state.next_id,
        random: Random::default(),
        clock: state.clock,
        containers,
        holders,
        packs: writer.packs,
        ground,
        totals,
        departures: state.departures,
        arrivals: arrivals(rules, state),
        requests: Vec::new(),
        orphans: Vec::new(),
    }
}

/// By name.
fn arrivals(rules: &Rules, state: &State) -> Vec<PastArrival> {
    let name = |who: &Who| match who {
        Who::Container(index) => rules.names.containers[*index].clone(),
        Who::Holder(holder) => rules.names.holders[*holder].clone(),
    };
    let latest = state.arrivals.iter().map(|(who, &number)| PastArrival::Latest { name: name(who), number });
    let mut latest: Vec<PastArrival> = latest.collect();
    latest.sort();
    latest
}

fn position((x, y): (i64, i64)) -> Position {
    Position { x: Decimal::from_thousandths(x), y: Decimal::from_thousandths(y) }
}

impl Writer<'_> {
    fn opened_by(&self, owner: Owner) -> Vec<String> {
        let open = self.state.present.iter().filter(|&&holder| self.state.open.contains(&(holder, owner)));
        open.map(|&holder| self.rules.names.holders[holder].clone()).collect()
    }

    fn container(&mut self, index: usize) -> Container {
        let mut stacks = self.slots(&self.state.slots[index].clone());
        let job = self.state.jobs[index].clone();
        for (slot, stack) in job.iter().flat_map(|job| &job.held) {
            stacks.push(InSlot { slot: u32::try_from(*slot).unwrap(), stack: self.stack(stack), in_work: true });
        }
        let job = job.map(|job| snapshot::Job {
            recipe: self.rules.names.recipes[job.recipe].clone(),
            times: u32::try_from(job.times).unwrap(),
            left: job.left,
            yield_number: job.yield_number.map(|number| u32::try_from(number).unwrap().try_into().unwrap()),
        });
        let owner = self.state.owners[index];
        let name = || owner.map_or("nobody", |owner| self.rules.names.holders[owner].as_str()).to_owned();
        Container {
            name: self.rules.names.containers[index].clone(),
            definition: self.rules.names.definitions[index].clone(),
            slots: u32::try_from(self.state.slots[index].len()).unwrap(),
            owner: (owner != self.rules.containers[index].owner).then(name),
            opened_by: self.opened_by(Owner::Container(index)),
            stacks,
            job,
        }
    }

    fn slots(&mut self, slots: &[Option<Stack>]) -> Vec<InSlot> {
        let taken = (0..).zip(slots).filter_map(|(slot, stack)| Some((slot, stack.as_ref()?)));
        taken.map(|(slot, stack)| InSlot { slot, stack: self.stack(stack), in_work: false }).collect()
    }

    fn stack(&mut self, stack: &Stack) -> snapshot::Stack {
        let id = StackId::new(0, stack.id);
        if let Some(inside) = &stack.inside {
            let pack = Pack {
                pack: id,
                slots: u32::try_from(inside.len()).unwrap(),
                opened_by: self.opened_by(Owner::Pack(stack.id)),
                stacks: self.slots(inside),
            };
            self.packs.push(pack);
        }
        let first = &self.rules.kinds[stack.kind].properties;
        let changed = stack.properties.iter().filter(|(property, value)| first.get(property) != Some(value));
        let names = &self.rules.names;
        snapshot::Stack {
            id,
            kind: names.kinds[stack.kind].clone(),
            count: stack.count,
            marks: stack.marks.iter().map(|&mark| names.marks[mark].clone()).collect(),
            properties: changed
                .map(|(id, value)| (names.properties[*id].clone(), Decimal::from_thousandths(*value)))
                .collect(),
        }
    }

    fn holder(&mut self, holder: usize) -> Holder {
        let hand = self.state.hands[holder][0].clone();
        let origin = self.state.origins[holder].map(|(owner, slot)| match owner {
            Owner::Container(index) => writing::place(self.rules, &At::Slot(Inside::container(index), slot)),
            Owner::Pack(id) => format!("#{id}/{slot}").parse().expect("a path"),
        });
        let bar = &self.state.bars[holder];
        Holder {
            name: self.rules.names.holders[holder].clone(),
            definition: self.rules.names.holder_definitions[holder].clone(),
            containers: self.rules.carried(holder).into_iter().map(|index| self.container(index)).collect(),
            hand: hand.map(|stack| self.stack(&stack)),
            origin,
            meters: self.state.meters[holder]
                .iter()
                .map(|(meter, value)| (self.rules.names.meters[*meter].clone(), Decimal::from_thousandths(*value)))
                .collect(),
            shortcuts: bar.iter().map(|kind| kind.map(|kind| self.rules.names.kinds[kind].clone())).collect(),
        }
    }
}

struct Reader<'m> {
    rules: &'m Rules,
    packs: BTreeMap<StackId, &'m Pack>,
    open: BTreeSet<(usize, Owner)>,
}

fn known(names: &[String], name: &str) -> usize {
    Names::find(names, name).unwrap_or_else(|| panic!("`{name}` has no number"))
}

pub(super) fn state(rules: &Rules, snapshot: &Snapshot) -> State {
    let packs = snapshot.packs.iter().map(|pack| (pack.pack, pack)).collect();
    let mut reader = Reader { rules, packs, open: BTreeSet::new() };
    let mut state = State::new(rules);
    let names = &rules.names;
    let lends = |name: &String| names.lender.as_ref() == Some(name);
    let standing = snapshot.containers.iter().filter(|container| !lends(&container.name)).map(|it| (None, it));
    let carried = snapshot.holders.iter().flat_map(|holder| {
        let index = known(&names.holders, &holder.name);
        holder.containers.iter().map(move |it| (Some(index), it))
    });
    let number = |holder: Option<usize>, name: &str| rules.find_container(holder, name).expect("a container");
    for (holder, container) in standing.chain(carried) {
        let index = number(holder, &container.name);
        state.slots[index] = reader.slots(container.slots, &container.stacks);
        state.jobs[index] = container.job.as_ref().map(|job| reader.job(job, &container.stacks));
        reader.opened(&container.opened_by, Owner::Container(index));
        if let Some(owner) = container.owner.as_deref().filter(|_| !Fault::OwnerLostInASave.is_on()) {
            state.owners[index] = Names::find(&names.holders, owner);
        }
    }
    for holder in &snapshot.holders {
        let index = known(&names.holders, &holder.name);
        state.hands[index][0] = holder.hand.as_ref().map(|stack| reader.stack(stack));
        state.bars[index] =
            holder.shortcuts.iter().map(|kind| kind.as_deref().map(|kind| known(&names.kinds, kind))).collect();
        state.meters[index] =
            holder.meters.iter().map(|(name, value)| (known(&names.meters, name), value.thousandths())).collect();
        state.origins[index] = holder.origin.as_ref().map(|path| origin(rules, &path.to_string()));
    }
    for landed in &snapshot.ground {
        let at = (landed.at.x.thousandths(), landed.at.y.thousandths());
        state.ground.push((reader.stack(&landed.stack), at));
    }
    for (name, totals) in &snapshot.totals {
        let kind = known(&names.kinds, name);
        (state.made[kind], state.used[kind]) = (totals.created, totals.consumed);
        (state.came[kind], state.went[kind]) = (totals.arrived, totals.departed);
    }
    state.standing = snapshot
        .containers
        .iter()
        .map(|it| if lends(&it.name) { rules.containers.len() } else { number(None, &it.name) })
        .collect();
    state.present = snapshot.holders.iter().map(|holder| known(&names.holders, &holder.name)).collect();
    let carried = state.present.iter().flat_map(|&holder| rules.carried(holder));
    let there: BTreeSet<usize> = state.standing.iter().copied().chain(carried).collect();
    state.gone = (0..rules.containers.len()).filter(|index| !there.contains(index)).collect();
    state.departures = snapshot.departures;
    state.arrivals = snapshot.arrivals.iter().map(|past| arrival(rules, past)).collect();
    State { open: reader.open, next_id: snapshot.next_stack, clock: snapshot.clock, ..state }
}

fn arrival(rules: &Rules, past: &PastArrival) -> (Who, u64) {
    let PastArrival::Latest { name, number } = past else { panic!("the model writes no other") };
    let holder = Names::find(&rules.names.holders, name).map(Who::Holder);
    let container = || rules.find_container(None, name).map(Who::Container);
    (holder.or_else(container).expect("a name"), *number)
}

/// `c0/3`, `h0.c1/3`, `#12/0`
fn origin(rules: &Rules, path: &str) -> (Owner, usize) {
    let (root, slot) = path.split_once('/').expect("a slot");
    let owner = if let Some(id) = root.strip_prefix('#') {
        Owner::Pack(id.parse().expect("an id"))
    } else {
        let (holder, own) = root.split_once('.').map_or((None, root), |(holder, own)| (Some(holder), own));
        let holder = holder.map(|holder| known(&rules.names.holders, holder));
        Owner::Container(rules.find_container(holder, own).expect("a container"))
    };
    (owner, slot.parse().expect("a slot"))
}

impl Reader<'_> {
    fn opened(&mut self, openers: &[String], owner: Owner) {
        self.open.extend(openers.iter().map(|opener| (known(&self.rules.names.holders, opener), owner)));
    }

    fn slots(&mut self, slots: u32, stacks: &[InSlot]) -> Vec<Option<Stack>> {
        let mut found = vec![None; slots as usize];
        for InSlot { slot, stack, .. } in stacks.iter().filter(|lying| !lying.in_work) {
            found[*slot as usize] = Some(self.stack(stack));
        }
        found
    }

    fn job(&mut self, job: &snapshot::Job, stacks: &[InSlot]) -> Job {
        let recipe = known(&self.rules.names.recipes, &job.recipe);
        let duration = u64::from(self.rules.recipes[recipe].duration);
        let left = if Fault::TimerRestartsOnLoad.is_on() { duration } else { job.left };
        let held = stacks.iter().filter(|lying| lying.in_work);
        let held = held.map(|lying| (lying.slot as usize, self.stack(&lying.stack))).collect();
        let yield_number = job.yield_number.map(|number| number.get() as usize);
        Job { recipe, times: u64::from(job.times), yield_number, left, held }
    }

    fn stack(&mut self, stack: &snapshot::Stack) -> Stack {
        let names = &self.rules.names;
        let kind = known(&names.kinds, &stack.kind);
        let mut properties = self.rules.kinds[kind].properties.clone();
        properties
            .extend(stack.properties.iter().map(|(name, value)| (known(&names.properties, name), value.thousandths())));
        let inside = self.packs.get(&stack.id).copied().map(|pack| {
            self.opened(&pack.opened_by, Owner::Pack(stack.id.serial()));
            self.slots(pack.slots, &pack.stacks)
        });
        let marks = stack.marks.iter().map(|mark| known(&names.marks, mark)).collect();
        Stack { id: stack.id.serial(), kind, marks, properties, count: stack.count, inside }
    }
}
