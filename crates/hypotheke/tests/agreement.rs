//! The engine and the plain model play the same random operations by the same random rules, and must agree on every
//! answer, every figure and every place.
//!
//! A long run: `PROPTEST_CASES=200000 cargo test --release -p hypotheke --test main agreement`

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::sync::Arc;

use hypotheke::{
    Action, Amount, ContainerId, Decimal, Event, Landing, Operation, Place, Position, Ruleset, Variant, World,
};
use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::TestRunner;

use crate::model::{At, Caps, ContainerSpec, FilterSpec, KindSpec, Model, No, Request, Rules, SlotSpec, Stack, State};

const TAGS: usize = 3;
const MARKS: usize = 2;

// Rules.

fn any_filter() -> impl Strategy<Value = FilterSpec> {
    let leaf = prop_oneof![
        (0..TAGS).prop_map(FilterSpec::Tag),
        (0..MARKS).prop_map(FilterSpec::Mark),
        (0usize..2).prop_map(FilterSpec::Kind),
        (0i64..4).prop_map(|steps| FilterSpec::WeightAtMost(steps * 700)),
    ];
    leaf.prop_recursive(2, 6, 2, |part| {
        prop_oneof![
            part.clone().prop_map(|part| FilterSpec::Not(Box::new(part))),
            (part.clone(), part.clone()).prop_map(|(a, b)| FilterSpec::And(Box::new(a), Box::new(b))),
            (part.clone(), part).prop_map(|(a, b)| FilterSpec::Or(Box::new(a), Box::new(b))),
        ]
    })
}

fn sometimes<T: std::fmt::Debug + Clone + 'static>(
    value: impl Strategy<Value = T> + 'static,
) -> impl Strategy<Value = Option<T>> {
    prop_oneof![2 => Just(None), 1 => value.prop_map(Some)]
}

fn any_kind() -> impl Strategy<Value = KindSpec> {
    let weight = prop::sample::select(vec![0, 1, 500, 1_000, 1_400, 2_100]);
    let limit = prop::sample::select(vec![1, 1, 2, 4, 7, 20]);
    (weight, limit, prop::collection::btree_set(0..TAGS, 0..3), prop::bool::weighted(0.15))
        .prop_map(|(weight, limit, tags, keep)| KindSpec { weight, limit, tags, keep })
}

fn any_caps() -> impl Strategy<Value = Caps> {
    prop_oneof![2 => Just(vec![]), 1 => prop::collection::vec((any_filter(), 1u32..9), 1..3)]
}

fn any_container() -> impl Strategy<Value = ContainerSpec> {
    let ruled = (sometimes(any_filter()), sometimes(1u32..6)).prop_map(|(filter, limit)| SlotSpec { filter, limit });
    let slots = prop_oneof![6 => 1usize..6, 1 => 63usize..66, 1 => 100usize..140];
    let rules = (
        prop_oneof![2 => Just(vec![]), 1 => prop::collection::vec(ruled, 1..4)],
        sometimes(1u32..8),
        sometimes(0i64..30_000),
    );
    let border = (any::<bool>(), prop::bool::weighted(0.85), prop::bool::weighted(0.85));
    (slots, rules, sometimes(any_filter()), border, any_caps()).prop_map(
        |(slots, (ruled, limit, cap), filter, (worn, put, take), caps)| {
            let slots = slots.max(ruled.len());
            ContainerSpec { slots, ruled, limit, cap, filter, worn, holder: None, put, take, caps }
        },
    )
}

/// Containers of the world first, then those of each holder, as the library lists them.
fn any_rules() -> impl Strategy<Value = Rules> {
    let kinds = prop::collection::vec(any_kind(), 2..5);
    let holder = ((sometimes(0i64..40_000), any_caps()), prop::collection::vec(any_container(), 0..3));
    let holders = prop::collection::vec(holder, 0..3);
    (kinds, prop::collection::vec(any_container(), 1..4), holders).prop_map(|(kinds, mut containers, holders)| {
        let mut caps = Vec::new();
        for (holder, (cap, carried)) in holders.into_iter().enumerate() {
            caps.push(cap);
            containers.extend(carried.into_iter().map(|container| ContainerSpec { holder: Some(holder), ..container }));
        }
        Rules { kinds, containers, holders: caps }
    })
}

fn decimal(thousandths: i64) -> Decimal {
    Decimal::from_thousandths(thousandths)
}

fn filter_text(filter: &FilterSpec) -> String {
    match filter {
        FilterSpec::Tag(tag) => format!("t{tag}"),
        FilterSpec::Mark(mark) => format!("m{mark}"),
        FilterSpec::Kind(kind) => format!("k{kind}"),
        FilterSpec::WeightAtMost(most) => format!("weight <= {}", decimal(*most)),
        FilterSpec::Not(part) => format!("not ({})", filter_text(part)),
        FilterSpec::And(a, b) => format!("({}) and ({})", filter_text(a), filter_text(b)),
        FilterSpec::Or(a, b) => format!("({}) or ({})", filter_text(a), filter_text(b)),
    }
}

fn rules_text(rules: &Rules) -> String {
    let mut text = String::from("format = 1\n");
    for tag in 0..TAGS {
        let _ = writeln!(text, "[tag.t{tag}]");
    }
    for mark in 0..MARKS {
        let _ = writeln!(text, "[mark.m{mark}]");
    }
    for (index, kind) in rules.kinds.iter().enumerate() {
        let tags: Vec<String> = kind.tags.iter().map(|tag| format!("\"t{tag}\"")).collect();
        let _ = writeln!(
            text,
            "[kind.k{index}]\nweight = {}\nstack-limit = {}\ntags = [{}]\nkeep = {}",
            decimal(kind.weight),
            kind.limit,
            tags.join(", "),
            kind.keep
        );
    }
    for (index, container) in rules.containers.iter().enumerate() {
        let _ = writeln!(text, "[container.c{index}]\nslots = {}\nworn = {}", container.slots, container.worn);
        if let Some(limit) = container.limit {
            let _ = writeln!(text, "stack-limit = {limit}");
        }
        if let Some(cap) = container.cap {
            let _ = writeln!(text, "weight-cap = {}", decimal(cap));
        }
        if let Some(filter) = &container.filter {
            let _ = writeln!(text, "admits = \"{}\"", filter_text(filter));
        }
        let slots: Vec<String> = container.ruled.iter().map(slot_text).collect();
        let _ = writeln!(text, "slot = [{}]\nput = {}\ntake = {}", slots.join(", "), container.put, container.take);
        let _ = writeln!(text, "caps = [{}]", caps_text(&container.caps));
    }
    for (index, (cap, caps)) in rules.holders.iter().enumerate() {
        let carried =
            (0..rules.containers.len()).filter(|&container| rules.containers[container].holder == Some(index));
        let names: Vec<String> = carried.map(|container| format!("\"c{container}\"")).collect();
        let _ = writeln!(text, "[holder.h{index}]\ncarries = [{}]\ncaps = [{}]", names.join(", "), caps_text(caps));
        if let Some(cap) = cap {
            let _ = writeln!(text, "weight-cap = {}", decimal(*cap));
        }
    }
    text
}

fn caps_text(caps: &Caps) -> String {
    let one = |(filter, count): &(FilterSpec, u32)| format!("{{ of = \"{}\", count = {count} }}", filter_text(filter));
    caps.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn slot_text(slot: &SlotSpec) -> String {
    let mut keys = Vec::new();
    if let Some(filter) = &slot.filter {
        keys.push(format!("admits = \"{}\"", filter_text(filter)));
    }
    if let Some(limit) = slot.limit {
        keys.push(format!("stack-limit = {limit}"));
    }
    format!("{{ {} }}", keys.join(", "))
}

// Operations. Numbers are brought into range when the rules are known.

#[derive(Clone, Debug)]
struct Draw {
    verb: u8,
    amount: Amount,
    kind: usize,
    every_kind: bool,
    count: u32,
    marks: BTreeSet<usize>,
    places: [(u8, usize, usize); 2],
    at: (i64, i64),
}

fn any_draw() -> impl Strategy<Value = Draw> {
    let amount = prop_oneof![
        2 => Just(Amount::All),
        4 => (0u32..12).prop_map(Amount::Exactly),
        3 => (0u32..40).prop_map(Amount::UpTo),
        1 => (0u32..400).prop_map(Amount::UpTo),
    ];
    let place = (0u8..12, 0usize..100, 0usize..200);
    let marks = prop_oneof![3 => Just(BTreeSet::new()), 1 => prop::collection::btree_set(0..MARKS, 0..3)];
    let first = (0u8..15, amount, 0usize..100, any::<bool>(), 0u32..5);
    (first, marks, [place.clone(), place], (0i64..5, 0i64..5)).prop_map(
        |((verb, amount, kind, every_kind, count), marks, places, at)| Draw {
            verb,
            amount,
            kind,
            every_kind,
            count,
            marks,
            places,
            at,
        },
    )
}

fn place(rules: &Rules, model: &Model, (sort, container, slot): (u8, usize, usize)) -> At {
    let container = container % rules.containers.len();
    let slots = rules.containers[container].slots;
    match sort {
        0..=4 => At::Slot(container, slot % slots.min(8)),
        9 if !rules.holders.is_empty() => At::Holder(slot % rules.holders.len()),
        10 => At::Ground,
        11 => At::OnGround(model.state.ground.get(slot % 7).map_or(slot as u64, |(stack, _)| stack.id)),
        _ => At::Container(container),
    }
}

/// One of the slots that hold a stack which is wanted.
fn taken(model: &Model, draw: usize, wanted: impl Fn(&Stack) -> bool) -> Option<At> {
    let mut found = Vec::new();
    for (container, slots) in model.state.slots.iter().enumerate() {
        let lies = slots.iter().enumerate().filter(|(_, stack)| stack.as_ref().is_some_and(&wanted));
        found.extend(lies.map(|(slot, _)| At::Slot(container, slot)));
    }
    (!found.is_empty()).then(|| found[draw % found.len()])
}

fn request(rules: &Rules, model: &Model, draw: &Draw) -> Request {
    let kind = draw.kind % rules.kinds.len();
    let chosen = (!draw.every_kind).then_some(kind);
    let [one, other] = draw.places.map(|drawn| place(rules, model, drawn));
    match draw.verb {
        0..=3 => Request::Create(draw.amount, kind, draw.marks.clone(), one, draw.at),
        4 => Request::Consume(draw.amount, chosen, one),
        5 | 6 => Request::Swap(one, other),
        7 => Request::Drop(draw.amount, chosen, one, draw.at),
        8 => {
            let stack = model.state.ground.get(draw.kind % 9).map(|(stack, _)| stack.id);
            Request::PickUp(draw.amount, chosen, stack, one)
        }
        9..=11 => Request::Move(draw.amount, chosen, one, other),
        12 => Request::Split(draw.count, taken(model, draw.kind, |_| true).unwrap_or(one), other),
        _ => {
            let from = taken(model, draw.kind, |_| true).unwrap_or(one);
            let lies = |at: At| match at {
                At::Slot(container, slot) => model.state.slots[container][slot].clone(),
                _ => None,
            };
            let alike =
                |stack: &Stack| lies(from).is_some_and(|mine| mine.kind == stack.kind && mine.marks == stack.marks);
            let onto = if draw.every_kind { taken(model, draw.places[1].2, alike) } else { None };
            Request::Merge(draw.amount, from, onto.unwrap_or(other))
        }
    }
}

// The engine behind the model's words.

struct Engine {
    world: World,
    containers: Vec<ContainerId>,
}

impl Engine {
    fn new(rules: &Rules) -> Engine {
        let text = rules_text(rules);
        let ruleset = Ruleset::from_toml("random.toml", &text).unwrap_or_else(|errors| panic!("{errors}\n{text}"));
        let world = World::new(&Arc::new(ruleset));
        let name = |index: usize| match rules.containers[index].holder {
            Some(holder) => format!("h{holder}.c{index}"),
            None => format!("c{index}"),
        };
        let containers =
            (0..rules.containers.len()).map(|index| world.container(&name(index)).expect("a container")).collect();
        Engine { world, containers }
    }

    fn place(&self, at: At) -> Place {
        match at {
            At::Slot(container, slot) => Place::Slot(self.containers[container], u32::try_from(slot).unwrap()),
            At::Container(container) => Place::Container(self.containers[container]),
            At::Holder(holder) => Place::Holder(self.world.holder(&format!("h{holder}")).expect("a holder")),
            At::Ground => Place::Ground,
            At::OnGround(id) => Place::OnGround(hypotheke::StackId::new(0, id)),
        }
    }

    fn operation(&self, request: &Request) -> Operation {
        let kind = |index: usize| self.world.rules().find_kind(&format!("k{index}")).expect("a kind");
        let landing = |(x, y)| Landing { at: Position { x: decimal(x), y: decimal(y) }, within: None };
        let action = match request {
            Request::Create(amount, index, marks, to, at) => {
                let mark = |mark: &usize| self.world.rules().find_mark(&format!("m{mark}")).expect("a mark");
                let variant = marks.iter().map(mark).fold(Variant::plain(), Variant::marked);
                Action::Create {
                    amount: *amount,
                    kind: kind(*index),
                    variant,
                    to: self.place(*to),
                    landing: landing(*at),
                }
            }
            Request::Consume(amount, index, from) => {
                Action::Consume { amount: *amount, kind: index.map(kind), from: self.place(*from) }
            }
            Request::Move(amount, index, from, to) => {
                Action::Move { amount: *amount, kind: index.map(kind), from: self.place(*from), to: self.place(*to) }
            }
            Request::Swap(one, other) => Action::Swap { one: self.place(*one), other: self.place(*other) },
            Request::Split(count, from, to) => {
                Action::Split { count: *count, from: self.place(*from), to: self.place(*to) }
            }
            Request::Merge(amount, from, onto) => {
                Action::Merge { amount: *amount, from: self.place(*from), onto: self.place(*onto) }
            }
            Request::Drop(amount, index, from, at) => {
                Action::Drop { amount: *amount, kind: index.map(kind), from: self.place(*from), landing: landing(*at) }
            }
            Request::PickUp(amount, index, stack, to) => {
                let from = stack.map(|id| hypotheke::StackId::new(0, id));
                Action::PickUp { amount: *amount, kind: index.map(kind), from, to: self.place(*to) }
            }
        };
        action.into()
    }

    fn perform(&mut self, request: &Request) -> Result<u64, No> {
        let operation = self.operation(request);
        let dry = self.world.judge(&operation).map(|plan| plan.outcome());
        let answer = self.world.perform(&operation);
        assert_eq!(dry, answer, "a dry run says what the operation comes to");
        answer.map(hypotheke::Outcome::done).map_err(|refusal| No {
            reason: refusal.reason().code(),
            figures: refusal.cause().figures().map(|(asked, allowed)| (asked.thousandths(), allowed.thousandths())),
            could: refusal.could(),
        })
    }

    fn stack(stack: hypotheke::StackView<'_>) -> Stack {
        let number = |name: &str| name[1..].parse().expect("a number");
        Stack {
            id: stack.id().serial(),
            kind: number(stack.kind().id()),
            marks: stack.marks().map(number).collect(),
            count: stack.count(),
        }
    }

    fn state(&self, next_id: u64) -> State {
        let slots =
            self.containers.iter().map(|&id| self.world.slots(id).map(|slot| slot.stack().map(Self::stack)).collect());
        let ground =
            self.world.ground().map(|(stack, at)| (Self::stack(stack), (at.x.thousandths(), at.y.thousandths())));
        State { slots: slots.collect(), ground: ground.collect(), next_id }
    }
}

/// Carries out events on plain data.
fn replay(engine: &Engine, before: &State, after: &State) -> State {
    let mut state = before.clone();
    for event in engine.world.events() {
        match event {
            Event::Transferred { count, from, to, .. } => {
                // Marks travel with the stack; where a new one is laid they are read off the world after.
                if let Some(place) = engine.world.place_of_end(from) {
                    lessen(engine, &mut state, place, *count);
                }
                if let Some(place) = engine.world.place_of_end(to) {
                    let id = to.stack().expect("a stack lies there").serial();
                    lay(engine, &mut state, after, place, id, *count, to.position());
                }
            }
            Event::Swapped { one, other } => {
                let slots = [one, other].map(|end| slot_of(engine, engine.world.place_of_end(end)).expect("a slot"));
                let [(a, here), (b, there)] = slots;
                let (mine, yours) = (state.slots[a][here].take(), state.slots[b][there].take());
                (state.slots[a][here], state.slots[b][there]) = (yours, mine);
            }
            _ => panic!("an event that nobody knows"),
        }
    }
    state
}

fn slot_of(engine: &Engine, place: Option<Place>) -> Option<(usize, usize)> {
    match place {
        Some(Place::Slot(id, slot)) => Some((engine.containers.iter().position(|&known| known == id)?, slot as usize)),
        _ => None,
    }
}

fn lessen(engine: &Engine, state: &mut State, place: Place, by: u32) {
    if let Some((container, slot)) = slot_of(engine, Some(place)) {
        let there = state.slots[container][slot].take().expect("a stack is taken from");
        let count = there.count - by;
        state.slots[container][slot] = (count > 0).then_some(Stack { count, ..there });
    } else if let Place::OnGround(id) = place {
        let index = state.ground.iter().position(|(stack, _)| stack.id == id.serial()).expect("a stack on the ground");
        state.ground[index].0.count -= by;
        state.ground.retain(|(stack, _)| stack.count > 0);
    }
}

fn lay(engine: &Engine, state: &mut State, after: &State, place: Place, id: u64, count: u32, at: Option<Position>) {
    let all = after.slots.iter().flatten().flatten().chain(after.ground.iter().map(|(stack, _)| stack));
    let model = all.into_iter().find(|stack| stack.id == id).expect("what was laid lies there after").clone();
    if let Some((container, slot)) = slot_of(engine, Some(place)) {
        let there = state.slots[container][slot].take();
        let before = there.as_ref().map_or(0, |stack| stack.count);
        assert!(there.is_none_or(|stack| stack.id == id), "a merge keeps the id of the stack that is merged onto");
        state.slots[container][slot] = Some(Stack { count: before + count, ..model });
    } else {
        let at = at.expect("a position on the ground");
        state.ground.push((Stack { count, ..model }, (at.x.thousandths(), at.y.thousandths())));
    }
}

/// Plays and compares; gives how often each answer was given.
fn compare(rules: &Rules, draws: &[Draw]) -> BTreeMap<String, u32> {
    let mut model = Model::new(rules.clone());
    let mut engine = Engine::new(rules);
    engine.world.keep_history(usize::MAX);
    let mut answers = BTreeMap::new();
    for draw in draws {
        let request = request(rules, &model, draw);
        let before = model.state.clone();
        let revision = engine.world.revision();
        let expected = model.perform(&request);
        let found = engine.perform(&request);
        assert_eq!(found, expected, "{request:?}\n{}\nbefore: {before:#?}", rules_text(rules));
        let after = engine.state(model.state.next_id);
        assert_eq!(after, model.state, "{request:?}\n{}\nbefore: {before:#?}", rules_text(rules));
        let replayed = State { next_id: model.state.next_id, ..replay(&engine, &before, &after) };
        assert_eq!(replayed, after, "events replayed on what was before give what is after: {request:?}");
        assert_eq!(engine.world.revision(), revision + u64::from(found.is_ok()));
        check_sums(&engine, &model);
        let verb = format!("{request:?}").split('(').next().unwrap_or_default().to_owned();
        if found.is_ok() && draw.kind % 3 == 0 {
            take_back_and_do_again(&mut engine, &request, &before, &model, revision);
        }
        let answer = found.map_or_else(|no| no.reason.to_owned(), |_| "applied".to_owned());
        *answers.entry(format!("{verb} {answer}")).or_insert(0) += 1;
    }
    take_all_back(&mut engine, rules);
    answers
}

/// What is taken back has never been: the world is as it was, and the same operation comes to the same again.
fn take_back_and_do_again(engine: &mut Engine, request: &Request, before: &State, model: &Model, revision: u64) {
    assert!(engine.world.take_back(revision).is_err(), "only the latest can be taken back");
    engine.world.take_back(revision + 1).unwrap_or_else(|_| panic!("the latest can be: {request:?}"));
    assert_eq!(engine.world.revision(), revision);
    assert_eq!(engine.state(before.next_id), *before, "taken back: {request:?}");
    check_sums(engine, &Model { rules: model.rules.clone(), state: before.clone() });
    assert!(engine.perform(request).is_ok());
    assert_eq!(engine.state(model.state.next_id), model.state, "done again: {request:?}");
}

/// All the way back: a world of which everything is taken back is as empty as it began.
fn take_all_back(engine: &mut Engine, rules: &Rules) {
    while engine.world.history_len() > 0 {
        engine.world.take_back(engine.world.revision()).unwrap_or_else(|_| panic!("the latest"));
    }
    assert_eq!((engine.world.revision(), engine.state(1)), (0, Model::new(rules.clone()).state));
    check_sums(engine, &Model::new(rules.clone()));
}

/// Weights, free slots and tallies, which the world keeps by difference, against a recount.
fn check_sums(engine: &Engine, model: &Model) {
    for (index, &id) in engine.containers.iter().enumerate() {
        assert_eq!(engine.world.container_weight(id).thousandths(), model.weight(index));
        let free = model.state.slots[index].iter().filter(|slot| slot.is_none()).count();
        assert_eq!(engine.world.free_slots(id) as usize, free);
    }
    for holder in 0..model.rules.holders.len() {
        let id = engine.world.holder(&format!("h{holder}")).expect("a holder");
        assert_eq!(engine.world.holder_weight(id).thousandths(), model.holder_weight(holder));
    }
    for kind in engine.world.rules().kinds() {
        let everywhere =
            model.state.slots.iter().flatten().flatten().chain(model.state.ground.iter().map(|(stack, _)| stack));
        let held: u64 =
            everywhere.filter(|stack| stack.kind == kind.handle().index()).map(|stack| u64::from(stack.count)).sum();
        let tally = engine.world.tally(kind.handle());
        assert_eq!(tally.created - tally.consumed, held, "items are neither made nor lost: {}", kind.id());
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, max_shrink_iters: 20_000, ..ProptestConfig::default() })]

    #[test]
    fn engine_and_model_agree(rules in any_rules(), draws in prop::collection::vec(any_draw(), 1..120)) {
        compare(&rules, &draws);
    }
}

/// A comparison that never reaches a refusal would say nothing about it.
#[test]
fn every_answer_is_reached_often() {
    let mut runner = TestRunner::deterministic();
    let mut answers: BTreeMap<String, u32> = BTreeMap::new();
    let strategy = (any_rules(), prop::collection::vec(any_draw(), 100..101));
    for _ in 0..400 {
        let (rules, draws) = strategy.new_tree(&mut runner).expect("a case").current();
        for (answer, count) in compare(&rules, &draws) {
            *answers.entry(answer).or_insert(0) += count;
        }
    }
    let summary: Vec<String> = answers.iter().map(|(answer, count)| format!("{count:6} {answer}")).collect();
    println!("{}", summary.join("\n"));
    for verb in ["Create", "Consume", "Move", "Split", "Merge", "Swap", "Drop", "PickUp"] {
        let applied = answers.get(&format!("{verb} applied")).copied().unwrap_or(0);
        assert!(applied >= 100, "{verb} was applied only {applied} times");
    }
    for reason in
        ["unknown", "bad-amount", "empty-source", "not-enough", "not-admitted", "weight-cap", "stack-limit", "no-room"]
    {
        let given: u32 = answers.iter().filter(|(answer, _)| answer.ends_with(reason)).map(|(_, count)| count).sum();
        assert!(given >= 100, "{reason} was given only {given} times");
    }
}
