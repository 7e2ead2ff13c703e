//! Random operations. Numbers are brought into range when the rules and the world are known.

use std::collections::BTreeSet;

use proptest::prelude::*;

use super::rules::{MARKS, PROPERTIES};
use crate::model::{
    Amount, At, DealTerms, FilterSpec, Inside, Look, Model, Owner, Part, RecipeSpec, Request, Root, Rules, SortKey,
    Stack, Who,
};

#[derive(Clone, Debug)]
pub(super) struct Draw {
    pub(super) verb: u8,
    amount: Amount,
    pub(super) kind: usize,
    every_kind: bool,
    pub(super) count: u32,
    marks: BTreeSet<usize>,
    /// Places that suit the operation; else any at all.
    suiting: bool,
    places: [(u8, usize, usize); 2],
    at: (i64, i64),
}

impl Draw {
    /// A number that does not depend on the result of the operation.
    pub(super) fn number(&self) -> u64 {
        let [(sort, one, other), (_, third, _)] = self.places;
        (usize::from(sort) + 12 * (one + 100 * (other + 200 * third))) as u64
    }
}

pub(super) fn any_draw() -> impl Strategy<Value = Draw> {
    let amount = prop_oneof![
        3 => Just(Amount::All),
        4 => (0u32..12).prop_map(Amount::Exactly),
        3 => (0u32..40).prop_map(Amount::UpTo),
        1 => (0u32..400).prop_map(Amount::UpTo),
    ];
    let place = (0u8..12, 0usize..100, 0usize..200);
    let marks = prop_oneof![3 => Just(BTreeSet::new()), 1 => prop::collection::btree_set(0..MARKS, 0..3)];
    let first = (0u8..VERBS, amount, 0usize..100, any::<bool>(), 0u32..5);
    (first, marks, prop::bool::weighted(0.8), [place.clone(), place], (0i64..5, 0i64..5)).prop_map(
        |((verb, amount, kind, every_kind, count), marks, suiting, places, at)| Draw {
            verb,
            amount,
            kind,
            every_kind,
            count,
            marks,
            suiting,
            places,
            at,
        },
    )
}

const VERBS: u8 = 67;
/// From this number on a draw stands for a list.
const LISTS: u8 = 65;

/// Any place at all.
fn place(rules: &Rules, model: &Model, (sort, container, slot): (u8, usize, usize)) -> At {
    match sort {
        4 if !rules.holders.is_empty() => At::Slot(Inside::hand(slot % rules.holders.len()), 0),
        9 if !rules.holders.is_empty() => At::Holder(slot % rules.holders.len()),
        10 => At::Ground,
        11 => At::OnGround(model.state.ground.get(slot % 7).map_or(slot as u64, |(stack, _)| stack.id)),
        5..=8 => At::Container(container_of(model, container)),
        _ => slot_of(model, container, slot),
    }
}

fn container_of(model: &Model, draw: usize) -> Inside {
    let containers = model.state.containers();
    // If nothing is there at all, something is named that is not.
    if containers.is_empty() { Inside::container(0) } else { containers[draw % containers.len()].clone() }
}

fn slot_of(model: &Model, container: usize, slot: usize) -> At {
    let container = container_of(model, container);
    let slots = model.state.slots(&container).len();
    At::Slot(container, slot % slots.min(8))
}

/// One of the slots that hold a stack which is wanted.
fn taken(model: &Model, draw: usize, wanted: impl Fn(&Stack) -> bool) -> Option<At> {
    let mut found = Vec::new();
    for container in model.state.containers() {
        let slots = model.state.slots(&container).iter().enumerate();
        let lies = slots.filter(|(_, stack)| stack.as_ref().is_some_and(&wanted));
        found.extend(lies.map(|(slot, _)| At::Slot(container.clone(), slot)));
    }
    (!found.is_empty()).then(|| found[draw % found.len()].clone())
}

/// A holder with something in its hand.
fn full_hand(model: &Model, draw: usize) -> Option<usize> {
    let full: Vec<usize> =
        (0..model.state.hands.len()).filter(|&holder| model.state.hands[holder][0].is_some()).collect();
    (!full.is_empty()).then(|| full[draw % full.len()])
}

/// A slot with something that a holder wears.
fn worn_slot(rules: &Rules, model: &Model, holder: usize, draw: usize) -> Option<At> {
    let worn = rules.carried(holder).into_iter().filter(|&index| rules.containers[index].worn).map(Inside::container);
    let slots = worn.flat_map(|at| {
        let taken = model.state.slots(&at).iter().enumerate().filter(|(_, stack)| stack.is_some());
        taken.map(|(slot, _)| At::Slot(at.clone(), slot)).collect::<Vec<_>>()
    });
    let slots: Vec<At> = slots.collect();
    (!slots.is_empty()).then(|| slots[draw % slots.len()].clone())
}

/// A place from which something may be taken: most often a slot with a stack, or its container.
fn source(rules: &Rules, model: &Model, drawn: (u8, usize, usize)) -> At {
    let any = || place(rules, model, drawn);
    match (drawn.0, taken(model, drawn.2, |_| true)) {
        (0..=5, Some(slot)) => slot,
        (6..=8, Some(At::Slot(container, _))) => At::Container(container),
        _ => any(),
    }
}

fn target(model: &Model, (sort, container, slot): (u8, usize, usize)) -> At {
    if sort < 6 { slot_of(model, container, slot) } else { At::Container(container_of(model, container)) }
}

/// Whether the next operations form one atomic operation.
pub(super) fn is_list(draw: &Draw) -> bool {
    draw.verb >= LISTS
}

/// Several operations as one. The contents of packs are left out: a step might move a pack that a
/// later one names.
pub(super) fn together(rules: &Rules, model: &Model, draws: &[Draw]) -> Request {
    let single = |draw: &Draw| shallow(request(rules, model, &Draw { verb: draw.verb % LISTS, ..draw.clone() }));
    Request::Together(draws.iter().map(single).collect())
}

/// The same request of the outermost containers.
fn shallow(request: Request) -> Request {
    let outer = |at: At| match at {
        At::Slot(Inside { root: Root::Landing(id), .. }, _) | At::Container(Inside { root: Root::Landing(id), .. }) => {
            At::OnGround(id)
        }
        At::Slot(Inside { root, steps }, slot) => {
            let slot = steps.first().copied().unwrap_or(slot);
            At::Slot(Inside { root, steps: Vec::new() }, slot)
        }
        At::Container(Inside { root: Root::Hand(_), .. }) => At::Ground,
        At::Container(Inside { root, .. }) => At::Container(Inside { root, steps: Vec::new() }),
        at => at,
    };
    match request {
        Request::Create(amount, kind, look, to, at) => Request::Create(amount, kind, look, outer(to), at),
        Request::Consume(amount, kind, from) => Request::Consume(amount, kind, outer(from)),
        Request::Move(amount, kind, from, to) => Request::Move(amount, kind, outer(from), outer(to)),
        Request::Swap(one, other) => Request::Swap(outer(one), outer(other)),
        Request::Split(count, from, to) => Request::Split(count, outer(from), outer(to)),
        Request::Merge(amount, from, onto) => Request::Merge(amount, outer(from), outer(onto)),
        Request::Drop(amount, kind, from, at) => Request::Drop(amount, kind, outer(from), at),
        Request::PickUp(amount, kind, stack, to) => Request::PickUp(amount, kind, stack, outer(to)),
        Request::Mark(at, mark) => Request::Mark(outer(at), mark),
        Request::Unmark(at, mark) => Request::Unmark(outer(at), mark),
        Request::Set(at, property, value) => Request::Set(outer(at), property, value),
        Request::Lift(holder, part, from) => Request::Lift(holder, part, outer(from)),
        Request::Put(holder, amount, to) => Request::Put(holder, amount, outer(to)),
        Request::Equip(holder, amount, from) => Request::Equip(holder, amount, outer(from)),
        Request::Unequip(holder, amount, from, to) => Request::Unequip(holder, amount, outer(from), to.map(outer)),
        Request::Sort(at, by) => Request::Sort(outer(at), by),
        Request::Resize(at, slots, spill) => Request::Resize(outer(at), slots, spill),
        Request::Open(holder, at) => Request::Open(holder, outer(at)),
        Request::Close(holder, at) => Request::Close(holder, outer(at)),
        Request::Deposit(holder, into) => Request::Deposit(holder, outer(into)),
        Request::By(holder, inner) => Request::By(holder, Box::new(shallow(*inner))),
        request @ (Request::Return(..)
        | Request::Together(_)
        | Request::Leave(_)
        | Request::Bind(..)
        | Request::Unbind(..)
        | Request::Arrive(_)
        | Request::Wait(_)
        | Request::Trade(..)) => request,
        Request::Depart(who) => Request::Depart(outer(who)),
        Request::Give(at, to) => Request::Give(outer(at), to),
        Request::Craft(amount, recipe, at) => Request::Craft(amount, recipe, outer(at)),
        Request::Cancel(recipe, at) => Request::Cancel(recipe, outer(at)),
        Request::Buy(holder, amount, kind, at) => Request::Buy(holder, amount, kind, outer(at)),
        Request::Use(holder, amount, kind, from) => Request::Use(holder, amount, kind, outer(from)),
        Request::Sell(holder, amount, kind, at) => Request::Sell(holder, amount, kind, outer(at)),
    }
}

/// Now and then a holder asks for what the game may ask for too.
pub(super) fn request(rules: &Rules, model: &Model, draw: &Draw) -> Request {
    let request = requested(rules, model, draw);
    let needs_holder = request.is_of_holder() || matches!(request, Request::Together(_));
    // What departs and arrives is the game's affair.
    let is_departure = matches!(request, Request::Depart(_) | Request::Arrive(_) | Request::Trade(..));
    let rarely = if is_departure { 5 } else { 2 };
    if needs_holder || rules.holders.is_empty() || !draw.count.is_multiple_of(rarely) {
        return request;
    }
    Request::By(draw.kind % rules.holders.len(), Box::new(request))
}

/// The containers, or their insides, that someone has opened.
fn opened(model: &Model, holder: Option<usize>, draw: usize) -> Option<At> {
    let mut open = model.state.open.iter().filter(|(opener, _)| Some(*opener) == holder).map(|(_, owner)| *owner);
    let count = open.clone().count().max(1);
    Some(At::Container(model.state.find_owner(open.nth(draw % count)?)?))
}

/// A kind that needs several slots, in one of them.
fn create_in_the_target_place(rules: &Rules, model: &Model, draw: &Draw, kind: usize) -> Request {
    let kind = (0..rules.kinds.len()).find(|&kind| rules.kinds[kind].needs.len() > 1).unwrap_or(kind);
    let needs = &rules.kinds[kind].needs;
    let mut slots = Vec::new();
    for at in model.state.containers() {
        let ruled = model.state.spec(rules, &at).ruled.iter().enumerate();
        let required = ruled.filter(|(_, rule)| rule.name.is_some_and(|name| needs.contains(&name)));
        slots.extend(required.map(|(slot, _)| At::Slot(at.clone(), slot)));
    }
    let [(_, container, slot), _] = draw.places;
    let count = slots.len().max(1);
    let to = slots.into_iter().nth(slot % count).unwrap_or_else(|| slot_of(model, container, slot));
    Request::Create(Amount::UpTo(1), kind, Look::default(), to, draw.at)
}

/// To a size that removes a slot with a stack.
fn shrink_onto_a_stack(model: &Model, draw: &Draw) -> Option<Request> {
    let found = model.state.containers().into_iter().find_map(|at| {
        let (least, _) = model.state.spec(&model.rules, &at).bounds;
        let last = model.state.slots(&at).iter().rposition(Option::is_some)?;
        (last >= least).then_some((at, last))
    });
    let (at, last) = found.filter(|_| draw.suiting)?;
    Some(Request::Resize(At::Container(at), last, draw.every_kind))
}

/// A container of the world, often by its owner, and often one that is open.
fn give(rules: &Rules, model: &Model, draw: &Draw, at: At) -> Request {
    let (_, by, to) = draw.places[1];
    let standing = rules.standing();
    let is_open = |index: &&usize| model.state.open.iter().any(|(_, owner)| *owner == Owner::Container(**index));
    let open: Vec<usize> = standing.iter().filter(is_open).copied().collect();
    let from = if open.is_empty() || draw.every_kind { &standing } else { &open };
    let chosen = from.get(draw.kind % from.len().max(1)).copied();
    let at = chosen.filter(|_| draw.suiting).map_or(at, |index| At::Container(Inside::container(index)));
    let holders = rules.holders.len();
    let holder = |number: usize| Some(number % (holders + 1)).filter(|&holder| holder < holders);
    let owner = chosen.and_then(|index| model.state.owners[index]).filter(|_| draw.suiting);
    match owner.or(holder(by)) {
        Some(by) => Request::By(by, Box::new(Request::Give(at, holder(to)))),
        None => Request::Give(at, holder(to)),
    }
}

/// What a slot of a pattern lacks.
fn arranged(rules: &Rules, model: &Model, spec: &RecipeSpec, inside: &Inside, draw: &Draw) -> Option<Request> {
    let slots = model.state.slots(inside);
    let places = Model::places(spec.pattern.as_ref()?, slots.len(), model.state.spec(rules, inside).wide());
    let place = places.get(draw.kind % places.len().clamp(1, 2))?;
    let lacking = |&(slot, input): &(usize, Option<usize>)| Some((slot, input.filter(|_| slots[slot].is_none())?));
    let (slot, input) = place.iter().find_map(lacking)?;
    let of = &spec.inputs[input].0;
    let kind = (0..rules.kinds.len()).find(|&kind| rules.admits(Some(of), &rules.plain(kind)))?;
    let into = At::Slot(inside.clone(), slot);
    Some(Request::Create(Amount::UpTo(1 + draw.count % 3), kind, Look::default(), into, (0, 0)))
}

/// A recipe, often where it is carried out; or what it needs there.
fn craft(rules: &Rules, model: &Model, draw: &Draw, any: At) -> Request {
    let [(_, nth, recipe), (_, from, input)] = draw.places;
    let recipe = recipe % rules.recipes.len();
    let spec = &rules.recipes[recipe];
    let is_own = spec.at.is_empty() && spec.in_packs.is_empty();
    let is_station = |inside: &Inside| match model.state.pack_number(rules, inside) {
        Some(pack) => spec.in_packs.contains(&pack),
        None => matches!(inside.root, Root::Container(index) if inside.steps.is_empty() && spec.at.contains(&index)),
    };
    let all = model.state.all_containers();
    let stations: Vec<Inside> = all.into_iter().filter(is_station).collect();
    let holder = Some(from).filter(|_| is_own && !rules.holders.is_empty()).map(|from| from % rules.holders.len());
    let station = stations.get(from % stations.len().max(1)).map(|at| At::Container(at.clone()));
    let suiting = holder.map(At::Holder).or(station);
    let place = suiting.filter(|_| draw.suiting).unwrap_or(any);
    let carried = holder.map(|holder| rules.carried(holder)).unwrap_or_default();
    let into = match &place {
        At::Container(_) => Some(place.clone()),
        _ => carried.get(draw.kind % carried.len().max(1)).map(|&own| At::Container(Inside::container(own))),
    };
    // What it lacks, of the kinds that suit.
    let number = |of: &FilterSpec| -> u32 {
        let Some(At::Container(inside)) = &into else { return 0 };
        let stacks = model.state.slots(inside).iter().flatten();
        stacks.filter(|stack| rules.admits(Some(of), stack)).map(|stack| stack.count).sum()
    };
    let arranged = match into.as_ref().filter(|_| nth % 3 > 0) {
        Some(At::Container(inside)) => arranged(rules, model, spec, inside, draw),
        _ => None,
    };
    if let Some(request) = arranged {
        return request;
    }
    let items: Vec<&(FilterSpec, u32)> = spec.inputs.iter().chain(&spec.tools).collect();
    let missing = items.iter().find(|(of, count)| number(of) < *count);
    let nothing = &(FilterSpec::Kind(0), 1);
    let (of, count) = missing.or(items.get(input % items.len().max(1))).copied().unwrap_or(nothing);
    let matching: Vec<usize> =
        (0..rules.kinds.len()).filter(|&kind| rules.admits(Some(of), &rules.plain(kind))).collect();
    let kind = matching.get(draw.kind % matching.len().max(1)).copied().unwrap_or(0);
    let is_filled = missing.is_none() || nth % 4 == 0;
    match into.filter(|_| !is_filled || nth % 8 == 1) {
        Some(into) => Request::Create(Amount::UpTo(count * (1 + draw.count % 3)), kind, Look::default(), into, (0, 0)),
        None => {
            let amount = match draw.amount {
                Amount::All => Amount::Exactly(1),
                amount => amount,
            };
            let yields = spec.yields.len();
            let drawn = match draw.suiting {
                true => (yields > 0).then(|| 1 + nth % yields),
                false => (yields > 0 || nth % 4 == 2).then(|| nth % (yields + 2)),
            };
            let request = Request::Craft(amount, (recipe, drawn), place);
            match holder.filter(|_| draw.every_kind) {
                Some(holder) => Request::By(holder, Box::new(request)),
                None => request,
            }
        }
    }
}

/// Time passes, or what a container works on is cancelled.
fn working(rules: &Rules, model: &Model, draw: &Draw, holder: Option<usize>, any: At) -> Request {
    let [_, (_, _, nth)] = draw.places;
    let jobs = model.state.jobs.iter().enumerate();
    let jobs: Vec<(usize, usize)> = jobs.filter_map(|(index, job)| Some((index, job.as_ref()?.recipe))).collect();
    let request = match jobs.get(nth % jobs.len().max(1)).filter(|_| draw.verb == 64) {
        Some(&(index, recipe)) if draw.suiting => Request::Cancel(recipe, At::Container(Inside::container(index))),
        _ if draw.verb == 64 && !draw.suiting && !rules.recipes.is_empty() => {
            Request::Cancel(draw.kind % rules.recipes.len(), any)
        }
        _ => Request::Wait(u32::try_from(draw.kind % 5).unwrap() + draw.count % 3),
    };
    match holder.filter(|_| draw.every_kind && (draw.verb == 64 || !draw.suiting)) {
        Some(holder) => Request::By(holder, Box::new(request)),
        None => request,
    }
}

/// A deal, often one that both sides can make; or what they lack for it.
fn deal(rules: &Rules, draw: &Draw, holder: Option<usize>, any: At) -> Request {
    let [(_, by, nth), (_, from, lots)] = draw.places;
    let kind = draw.kind % rules.kinds.len();
    let made = |buys: bool, amount: Amount, kind: usize, at: At| match buys {
        true => Request::Buy(holder, amount, kind, at),
        false => Request::Sell(holder, amount, kind, at),
    };
    let buys = draw.every_kind;
    let at = |index: usize| At::Container(Inside::container(index));
    let Some(spec) = rules.deals.get(nth % rules.deals.len().max(1)).filter(|_| draw.suiting) else {
        return made(buys, draw.amount, kind, any);
    };
    let place = spec.at[from % spec.at.len()];
    let (kinds, buys, size) = match &spec.terms {
        DealTerms::Lot { gives, .. } => {
            (gives.iter().map(|(kind, _)| *kind).collect(), true, gives[by % gives.len()].1)
        }
        DealTerms::Prices { of, buy, sell, .. } => {
            let kinds = (0..rules.kinds.len()).filter(|&kind| rules.admits(Some(of), &rules.plain(kind)));
            (kinds.collect::<Vec<usize>>(), buys && buy.is_some() || sell.is_none(), 1)
        }
    };
    let Some(&kind) = kinds.get(by % kinds.len().max(1)) else { return made(buys, draw.amount, kind, at(place)) };
    // Now and then one side is given what it would give.
    let pays = match &spec.terms {
        DealTerms::Lot { takes, .. } => takes[lots % takes.len()].0,
        DealTerms::Prices { currency, .. } => *currency,
    };
    let till = spec.coins_to.unwrap_or(place);
    let own = holder.and_then(|holder| rules.carried(holder).first().copied());
    let (of_holder, of_container) = if buys { (pays, (kind, place)) } else { (kind, (pays, till)) };
    let more = Amount::UpTo(2 + draw.count * 3);
    let given = |kind: usize, index: usize| Request::Create(more, kind, Look::default(), at(index), (0, 0));
    match (draw.at.0, own) {
        (0 | 1, Some(own)) => given(of_holder, own),
        (2, _) => given(of_container.0, of_container.1),
        _ => {
            let lots = draw.count + 1;
            let amount = match draw.amount {
                Amount::Exactly(_) if !draw.kind.is_multiple_of(5) => Amount::Exactly(lots * size),
                Amount::UpTo(_) if !draw.kind.is_multiple_of(5) => Amount::UpTo(3 * lots * size),
                amount => amount,
            };
            made(buys, amount, kind, at(place))
        }
    }
}

/// A trade of what two holders have.
fn trade(rules: &Rules, model: &Model, draw: &Draw) -> Request {
    let holders = rules.holders.len();
    let [(_, one, kind), (_, other, count)] = draw.places;
    let one = one % holders;
    let other = if draw.suiting { (one + 1) % holders } else { other % holders };
    let has = |holder: usize| -> Vec<(usize, u32)> {
        let own = rules.carried(holder).into_iter().map(Inside::container);
        own.flat_map(|at| model.state.slots(&at).iter().flatten().map(|it| (it.kind, it.count)).collect::<Vec<_>>())
            .collect()
    };
    let offer = |holder: usize, nth: usize, more: usize, other: Option<usize>| {
        let all: Vec<(usize, u32)> = has(holder).into_iter().filter(|(kind, _)| Some(*kind) != other).collect();
        let (kind, most) = match all.get(nth % all.len().max(1)).filter(|_| draw.suiting) {
            Some(&(kind, most)) => (kind, most),
            None => (nth % rules.kinds.len(), 3),
        };
        let some = u32::try_from(more % 4).unwrap();
        let count = match (draw.suiting, more.is_multiple_of(3)) {
            (true, true) => most,
            (true, false) => 1 + some % most,
            (false, _) => some,
        };
        (count, kind, holder)
    };
    let offered = offer(one, kind, count, None);
    Request::Trade(offered, offer(other, count, kind, Some(offered.1)))
}

/// A deposit of what a holder has into a container in which there is some of it.
fn deposit(model: &Model, draw: &Draw) -> Option<Request> {
    let kinds_in =
        |at: &Inside| -> BTreeSet<usize> { model.state.slots(at).iter().flatten().map(|stack| stack.kind).collect() };
    let all = model.state.containers();
    let mut found = Vec::new();
    for &holder in &model.state.present {
        let own = model.rules.carried(holder).into_iter().filter(|&index| !model.rules.containers[index].worn);
        let own: Vec<Inside> = own.map(Inside::container).collect();
        let is_given = |at: &&Inside| {
            let had = own.iter().filter(|from| from != at).flat_map(kinds_in);
            had.filter(|&kind| !model.rules.kinds[kind].is_protected).any(|kind| kinds_in(at).contains(&kind))
        };
        found.extend(all.iter().filter(is_given).map(|at| Request::Deposit(Some(holder), At::Container(at.clone()))));
    }
    if found.is_empty() && draw.suiting {
        // Some of what there is, for the next time.
        let kind = *all.iter().flat_map(kinds_in).collect::<Vec<_>>().get(draw.kind % 3)?;
        let own: Vec<usize> = model.state.present.iter().flat_map(|&holder| model.rules.carried(holder)).collect();
        let to = At::Container(Inside::container(*own.get(draw.count as usize % own.len().max(1))?));
        return Some(Request::Create(Amount::Exactly(1), kind, Look::default(), to, (0, 0)));
    }
    let nth = draw.kind % found.len().max(1);
    found.into_iter().nth(nth).filter(|_| draw.suiting)
}

/// A container with slots, near its number of slots.
fn resize(model: &Model, at: At, draw: &Draw) -> Request {
    let slots = match &at {
        At::Container(inside) if draw.suiting => {
            let (least, most) = model.state.spec(&model.rules, inside).bounds;
            least + draw.kind % (most - least + 1)
        }
        At::Container(inside) => (model.state.slots(inside).len() + draw.kind % 5).saturating_sub(2),
        _ => draw.kind % 7,
    };
    Request::Resize(at, slots, draw.every_kind)
}

/// A container without a holder, or a holder.
fn depart(rules: &Rules, model: &Model, draw: &Draw, any: At) -> Request {
    let there = model.state.standing.iter().filter(|&&index| index < rules.containers.len());
    let containers = there.map(|&index| At::Container(Inside::container(index)));
    let all: Vec<At> = containers.chain(model.state.present.iter().map(|&holder| At::Holder(holder))).collect();
    // Most of the time most of them are present.
    if draw.suiting && !model.absent().is_empty() && !draw.kind.is_multiple_of(4) {
        return arrive(rules, model, draw);
    }
    let suiting = all.get(draw.kind % all.len().max(1)).filter(|_| draw.suiting);
    Request::Depart(suiting.cloned().unwrap_or(any))
}

/// What has departed, or now and then what has not.
fn arrive(rules: &Rules, model: &Model, draw: &Draw) -> Request {
    let absent = model.absent();
    let suiting = absent.get(draw.kind % absent.len().max(1)).filter(|_| draw.suiting).copied();
    let (container, holders) = (draw.kind % rules.containers.len(), rules.holders.len());
    let any = match rules.containers[container].holder {
        Some(holder) => Who::Holder(holder),
        None if holders > 0 && draw.every_kind => Who::Holder(draw.kind % holders),
        None => Who::Container(container),
    };
    Request::Arrive(suiting.unwrap_or(any))
}

impl Draw {
    /// Marks, and now and then another value of a property, of one that the kind does not list too.
    fn look(&self) -> Look {
        let (value, which) = self.at;
        let changed = (which < 2 && self.every_kind).then_some((usize::from(which == 1), value * 500));
        (self.marks.clone(), changed.into_iter().collect())
    }
}

fn requested(rules: &Rules, model: &Model, draw: &Draw) -> Request {
    let [one, other] = draw.places;
    let from = if draw.suiting { source(rules, model, one) } else { place(rules, model, one) };
    let to = if draw.suiting { target(model, other) } else { place(rules, model, other) };
    let lying = match &from {
        At::Slot(container, slot) => model.state.slots(container)[*slot].clone(),
        _ => None,
    };
    // The kind in the place, for an operation that should find it.
    let kind = draw.kind % rules.kinds.len();
    let there = lying.as_ref().filter(|_| draw.suiting).map_or(kind, |stack| stack.kind);
    let chosen = (!draw.every_kind).then_some(there);
    let into = if draw.suiting && one.0 < 11 { target(model, one) } else { place(rules, model, one) };
    let slot = |at: At| if draw.suiting && !matches!(at, At::Slot(..)) { slot_of(model, other.1, other.2) } else { at };
    let ground = model.state.ground.get(other.1 % 7).map(|(stack, _)| At::OnGround(stack.id));
    let container = |at: At| match at {
        At::Slot(inside, _) if draw.suiting => At::Container(inside),
        at => at,
    };
    let stack_at = |at: At| match at {
        At::Slot(..) => at,
        at if !draw.suiting => at,
        _ => ground.clone().unwrap_or_else(|| slot_of(model, other.1, other.2)),
    };
    let acting = draw.suiting || !draw.kind.is_multiple_of(4);
    let holder = Some(other.1 % rules.holders.len().max(1)).filter(|_| acting && !rules.holders.is_empty());
    match draw.verb {
        0..=4 => Request::Create(draw.amount, kind, draw.look(), into, draw.at),
        5 => {
            let full = |stack: &Stack| stack.inside.iter().flatten().any(Option::is_some);
            let pack = taken(model, one.2, full).filter(|_| draw.suiting && draw.kind.is_multiple_of(2));
            Request::Consume(draw.amount, chosen.filter(|_| pack.is_none()), pack.unwrap_or(from))
        }
        6..=8 => Request::Swap(slot(from), slot(to)),
        9 => Request::Drop(draw.amount, chosen, from, draw.at),
        10 | 11 => {
            let stack = model.state.ground.get(draw.kind % 9).map(|(stack, _)| stack.id);
            let to = if one.0 < 4 && !rules.holders.is_empty() { At::Holder(one.1 % rules.holders.len()) } else { to };
            Request::PickUp(draw.amount, chosen.filter(|_| stack.is_none()), stack, to)
        }
        12..=14 => Request::Move(draw.amount, chosen, from, to),
        15 | 16 => {
            let parted = taken(model, one.2, |stack| stack.count > 1).filter(|_| draw.suiting);
            Request::Split(draw.count, parted.unwrap_or_else(|| slot(from)), to)
        }
        21 | 22 => {
            let part = if draw.every_kind { Part::Half } else { Part::Amount(draw.amount) };
            Request::Lift(holder, part, slot(from))
        }
        23..=25 => Request::Put(full_hand(model, other.1).filter(|_| draw.suiting).or(holder), draw.amount, to),
        26 => Request::Return(full_hand(model, other.1).filter(|_| draw.suiting).or(holder), draw.amount),
        27 | 28 => Request::Equip(holder, draw.amount, slot(from)),
        29 | 30 => {
            let worn = holder.and_then(|holder| worn_slot(rules, model, holder, other.2)).filter(|_| draw.suiting);
            let to = (!draw.every_kind).then_some(to);
            match worn {
                Some(worn) => Request::Unequip(holder, draw.amount, worn, to),
                None if draw.suiting => Request::Equip(holder, draw.amount, slot(from)),
                None => Request::Unequip(holder, draw.amount, slot(from), to),
            }
        }
        31 | 32 => Request::Sort(container(to), SortKey::ALL[draw.kind % 5]),
        33 => resize(model, container(to), draw),
        34 => shrink_onto_a_stack(model, draw).unwrap_or_else(|| resize(model, container(to), draw)),
        35 | 36 => Request::Open(holder, container(to)),
        37 => Request::Close(holder, opened(model, holder, other.2).filter(|_| draw.suiting).unwrap_or(container(to))),
        39..=41 if !rules.holders.is_empty() => {
            let holder = other.1 % rules.holders.len();
            let shortcut = draw.count as usize % (rules.bars[holder].0 + usize::from(!draw.suiting)).max(1);
            let had = taken(model, other.2, |_| true).filter(|_| draw.suiting);
            let had = had.and_then(|at| model.state.get_at(&at).map(|stack| stack.kind));
            Request::Bind(holder, had.unwrap_or(there), shortcut)
        }
        42 if !rules.holders.is_empty() => {
            let holder = other.1 % rules.holders.len();
            let bound = model.state.bars[holder].iter().position(Option::is_some).filter(|_| draw.suiting);
            Request::Unbind(holder, bound.unwrap_or(draw.count as usize))
        }
        38..=42 => Request::Leave(holder),
        49 if draw.kind.is_multiple_of(2) => give(rules, model, draw, container(to)),
        50..=52 => deal(rules, draw, holder, container(to)),
        53 | 57 if !rules.holders.is_empty() => trade(rules, model, draw),
        54..=56 | 61 if !rules.recipes.is_empty() => craft(rules, model, draw, container(to)),
        58..=60 => {
            let usable = |stack: &Stack| rules.kinds[stack.kind].effects.is_some();
            let usable = taken(model, other.2, usable).filter(|_| draw.suiting);
            let missing = (0..rules.kinds.len()).find(|&kind| rules.kinds[kind].effects.is_some());
            if let (None, true, Some(missing)) = (&usable, draw.suiting, missing) {
                return Request::Create(draw.amount, missing, draw.look(), into, draw.at);
            }
            let kind = usable.as_ref().and_then(|at| model.state.get_at(at)).map_or(there, |stack| stack.kind);
            let amount = if draw.suiting && draw.amount == Amount::All { Amount::Exactly(1) } else { draw.amount };
            Request::Use(holder, amount, kind, usable.filter(|_| !draw.every_kind).unwrap_or(from))
        }
        62..=64 if rules.recipes.iter().any(|recipe| recipe.duration > 0) || !rules.falling.is_empty() => {
            working(rules, model, draw, holder, container(to))
        }
        47..=49 => deposit(model, draw).unwrap_or(Request::Deposit(holder, container(to))),
        45 => depart(rules, model, draw, to),
        46 => arrive(rules, model, draw),
        43 | 44 => create_in_the_target_place(rules, model, draw, kind),
        18 => Request::Mark(stack_at(from), draw.kind % MARKS),
        19 => Request::Unmark(stack_at(from), draw.kind % MARKS),
        20 => Request::Set(stack_at(from), draw.kind % PROPERTIES, i64::from(draw.count) * 500),
        _ => {
            let alike = |stack: &Stack| lying.as_ref().is_some_and(|mine| mine.can_stack_with(stack));
            let onto = if draw.every_kind { taken(model, other.2, alike) } else { None };
            Request::Merge(draw.amount, slot(from), onto.unwrap_or(slot(to)))
        }
    }
}
