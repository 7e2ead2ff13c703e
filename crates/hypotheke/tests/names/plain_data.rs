//! The state of the model as a snapshot, and the other way round.

use std::collections::{BTreeMap, BTreeSet};

use hypotheke::snapshot::{self, Container, Holder, InSlot, Landed, Pack, Random, Tally};
use hypotheke::{Decimal, DepartureId, Position, Snapshot, StackId};

use super::writing;
use crate::model::{At, Inside, Owner, Rules, Stack, State};

struct Writer<'m> {
    rules: &'m Rules,
    state: &'m State,
    packs: Vec<Pack>,
}

pub(super) fn snapshot(rules: &Rules, state: &State) -> Snapshot {
    let mut writer = Writer { rules, state, packs: Vec::new() };
    // The container whose slots lend their names.
    let names = Container { name: "names".into(), of: "names".into(), slots: 3, ..Container::default() };
    let standing =
        |&index: &usize| if index < rules.containers.len() { writer.container(index) } else { names.clone() };
    let containers = state.standing.iter().map(standing).collect();
    let holders = state.present.iter().map(|&holder| writer.holder(holder)).collect();
    let ground =
        state.ground.iter().map(|(stack, at)| Landed { at: position(*at), stack: writer.stack(stack) }).collect();
    let tally = |kind: usize| {
        let (created, consumed) = (state.made[kind], state.used[kind]);
        let tally = Tally { created, consumed, arrived: state.came[kind], departed: state.went[kind] };
        (tally != Tally::default()).then(|| (format!("k{kind}"), tally))
    };
    let tallies = (0..rules.kinds.len()).filter_map(tally).collect();
    writer.packs.sort_by_key(|pack| pack.pack);
    Snapshot {
        world: 0,
        revision: 0,
        next_stack: state.next_id,
        random: Random::default(),
        containers,
        holders,
        packs: writer.packs,
        ground,
        tallies,
        departures: state.departures,
        arrivals: state.arrivals.iter().map(|&number| DepartureId { world: 0, number }).collect(),
        requests: Vec::new(),
        strays: Vec::new(),
    }
}

fn position((x, y): (i64, i64)) -> Position {
    Position { x: Decimal::from_thousandths(x), y: Decimal::from_thousandths(y) }
}

impl Writer<'_> {
    fn opened_by(&self, owner: Owner) -> Vec<String> {
        let open = self.state.present.iter().filter(|&&holder| self.state.open.contains(&(holder, owner)));
        open.map(|holder| format!("h{holder}")).collect()
    }

    fn container(&mut self, index: usize) -> Container {
        let stacks = self.slots(&self.state.slots[index].clone());
        Container {
            name: format!("c{index}"),
            of: format!("c{index}"),
            slots: u32::try_from(self.state.slots[index].len()).unwrap(),
            opened_by: self.opened_by(Owner::Container(index)),
            stacks,
        }
    }

    fn slots(&mut self, slots: &[Option<Stack>]) -> Vec<InSlot> {
        let taken = (0..).zip(slots).filter_map(|(slot, stack)| Some((slot, stack.as_ref()?)));
        taken.map(|(slot, stack)| InSlot { slot, stack: self.stack(stack) }).collect()
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
        snapshot::Stack {
            id,
            kind: format!("k{}", stack.kind),
            count: stack.count,
            marks: stack.marks.iter().map(|mark| format!("m{mark}")).collect(),
            properties: changed
                .map(|(id, value)| (format!("p{id}-value"), Decimal::from_thousandths(*value)))
                .collect(),
        }
    }

    fn holder(&mut self, holder: usize) -> Holder {
        let hand = self.state.hands[holder][0].clone();
        let origin = self.state.origins[holder].map(|(owner, slot)| match owner {
            Owner::Container(index) => writing::place(self.rules, &At::Slot(Inside::container(index), slot)),
            Owner::Pack(id) => format!("#{id}/{slot}").parse().expect("a path"),
        });
        Holder {
            name: format!("h{holder}"),
            of: format!("h{holder}"),
            containers: self.rules.carried(holder).into_iter().map(|index| self.container(index)).collect(),
            hand: hand.map(|stack| self.stack(&stack)),
            origin,
            shortcuts: self.state.bars[holder].iter().map(|kind| kind.map(|kind| format!("k{kind}"))).collect(),
        }
    }
}

struct Reader<'m> {
    rules: &'m Rules,
    packs: BTreeMap<StackId, &'m Pack>,
    open: BTreeSet<(usize, Owner)>,
}

fn number(name: &str) -> usize {
    name[1..].split('-').next().expect("a number").parse().expect("a number")
}

pub(super) fn state(rules: &Rules, snapshot: &Snapshot) -> State {
    let packs = snapshot.packs.iter().map(|pack| (pack.pack, pack)).collect();
    let mut reader = Reader { rules, packs, open: BTreeSet::new() };
    let mut state = State::new(rules);
    let standing = snapshot.containers.iter().filter(|container| container.name != "names");
    let carried = snapshot.holders.iter().flat_map(|holder| &holder.containers);
    for container in standing.chain(carried) {
        let index = number(&container.name);
        state.slots[index] = reader.slots(container.slots, &container.stacks);
        reader.opened(&container.opened_by, Owner::Container(index));
    }
    for holder in &snapshot.holders {
        let index = number(&holder.name);
        state.hands[index][0] = holder.hand.as_ref().map(|stack| reader.stack(stack));
        state.bars[index] = holder.shortcuts.iter().map(|kind| kind.as_deref().map(number)).collect();
        state.origins[index] = holder.origin.as_ref().map(|path| origin(&path.to_string()));
    }
    for landed in &snapshot.ground {
        let at = (landed.at.x.thousandths(), landed.at.y.thousandths());
        state.ground.push((reader.stack(&landed.stack), at));
    }
    for (name, tally) in &snapshot.tallies {
        let kind = number(name);
        (state.made[kind], state.used[kind]) = (tally.created, tally.consumed);
        (state.came[kind], state.went[kind]) = (tally.arrived, tally.departed);
    }
    state.standing = snapshot
        .containers
        .iter()
        .map(|container| if container.name == "names" { rules.containers.len() } else { number(&container.name) })
        .collect();
    state.present = snapshot.holders.iter().map(|holder| number(&holder.name)).collect();
    let carried = state.present.iter().flat_map(|&holder| rules.carried(holder));
    let there: BTreeSet<usize> = state.standing.iter().copied().chain(carried).collect();
    state.gone = (0..rules.containers.len()).filter(|index| !there.contains(index)).collect();
    state.departures = snapshot.departures;
    state.arrivals = snapshot.arrivals.iter().map(|arrival| arrival.number).collect();
    State { open: reader.open, next_id: snapshot.next_stack, ..state }
}

/// `c0/3`, `h0.c1/3`, `#12/0`
fn origin(path: &str) -> (Owner, usize) {
    let (root, slot) = path.split_once('/').expect("a slot");
    let own = root.rsplit('.').next().expect("a name");
    let owner = if let Some(id) = own.strip_prefix('#') {
        Owner::Pack(id.parse().expect("an id"))
    } else {
        Owner::Container(number(own))
    };
    (owner, slot.parse().expect("a slot"))
}

impl Reader<'_> {
    fn opened(&mut self, openers: &[String], owner: Owner) {
        self.open.extend(openers.iter().map(|opener| (number(opener), owner)));
    }

    fn slots(&mut self, slots: u32, stacks: &[InSlot]) -> Vec<Option<Stack>> {
        let mut found = vec![None; slots as usize];
        for InSlot { slot, stack } in stacks {
            found[*slot as usize] = Some(self.stack(stack));
        }
        found
    }

    fn stack(&mut self, stack: &snapshot::Stack) -> Stack {
        let kind = number(&stack.kind);
        let mut properties = self.rules.kinds[kind].properties.clone();
        properties.extend(stack.properties.iter().map(|(name, value)| (number(name), value.thousandths())));
        let inside = self.packs.get(&stack.id).copied().map(|pack| {
            self.opened(&pack.opened_by, Owner::Pack(stack.id.serial()));
            self.slots(pack.slots, &pack.stacks)
        });
        let marks = stack.marks.iter().map(|mark| number(mark)).collect();
        Stack { id: stack.id.serial(), kind, marks, properties, count: stack.count, inside }
    }
}
