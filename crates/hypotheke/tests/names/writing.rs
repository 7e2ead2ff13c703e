//! From requests of the model to operations by names.

use hypotheke::{
    Decimal, Landing, LiftAmount, NamedAction, NamedArrival, NamedOperation, NamedVariant, OfferedOf, Path, Position,
};

use crate::model::{At, Inside, Offer, Part, Request, Root, Rules, Who};

fn path(text: &str) -> Path {
    text.parse().unwrap_or_else(|error| panic!("{text}: {error}"))
}

/// What the library calls a container of the model.
fn root_name(rules: &Rules, root: Root) -> String {
    match root {
        Root::Container(index) => rules.container_name(index),
        Root::Hand(holder) => format!("{}.hand", rules.names.holders[holder]),
        Root::Landing(id) => format!("ground/#{id}"),
        Root::Transit => unreachable!("no name leads there"),
    }
}

fn inside_name(rules: &Rules, inside: &Inside) -> String {
    let skipped = usize::from(matches!(inside.root, Root::Hand(_)));
    let steps = inside.steps.iter().skip(skipped).map(|slot| format!("/{slot}"));
    root_name(rules, inside.root) + &steps.collect::<String>()
}

pub(crate) fn place(rules: &Rules, at: &At) -> Path {
    let text = match at {
        At::Slot(inside, _) if inside.is_hand() => root_name(rules, inside.root),
        At::Slot(inside, slot) => format!("{}/{slot}", inside_name(rules, inside)),
        At::Container(inside) if inside.steps.is_empty() && !inside.is_on_ground() => root_name(rules, inside.root),
        At::Container(inside) => format!("{}/", inside_name(rules, inside)),
        At::Holder(holder) => rules.names.holders[*holder].clone(),
        At::Ground => "ground".to_owned(),
        At::OnGround(id) => format!("ground/#{id}"),
    };
    path(&text)
}

fn landing((x, y): (i64, i64)) -> Landing {
    Landing { at: Position { x: Decimal::from_thousandths(x), y: Decimal::from_thousandths(y) }, within: None }
}

/// The same request in the library's words.
pub(crate) fn named(rules: &Rules, request: &Request) -> NamedOperation {
    let at = |at: &At| place(rules, at);
    let names = &rules.names;
    let kind = |kind: &usize| names.kinds[*kind].as_str().into();
    let some_kind = |index: &Option<usize>| index.as_ref().map(kind);
    let mark = |mark: &usize| names.marks[*mark].as_str().into();
    let property = |property: &usize| names.properties[*property].as_str().into();
    let offered =
        |(count, goods, of): Offer| OfferedOf { count, kind: kind(&goods), of: names.holders[of].as_str().into() };
    let shortcut = |holder: &usize, shortcut: &usize| path(&format!("{}.shortcuts/{shortcut}", names.holders[*holder]));
    let mut actor = None;
    let action = match request {
        Request::By(holder, inner) => {
            let inner = named(rules, inner);
            return NamedOperation { actor: Some(names.holders[*holder].as_str().into()), ..inner };
        }
        Request::Create(amount, index, (marks, properties), to, position) => {
            let value = |(id, value): (&usize, &i64)| (property(id), Decimal::from_thousandths(*value));
            let variant = NamedVariant {
                marks: marks.iter().map(mark).collect(),
                properties: properties.iter().map(value).collect(),
            };
            NamedAction::Create { amount: *amount, kind: kind(index), variant, to: at(to), landing: landing(*position) }
        }
        Request::Consume(amount, index, from) => {
            NamedAction::Consume { amount: *amount, kind: some_kind(index), from: at(from) }
        }
        Request::Move(amount, index, from, to) => {
            NamedAction::Move { amount: *amount, kind: some_kind(index), from: at(from), to: at(to) }
        }
        Request::Swap(one, other) => NamedAction::Swap { one: at(one), other: at(other) },
        Request::Split(count, from, to) => NamedAction::Split { count: *count, from: at(from), to: at(to) },
        Request::Merge(amount, from, onto) => NamedAction::Merge { amount: *amount, from: at(from), onto: at(onto) },
        Request::Drop(amount, index, from, position) => NamedAction::Drop {
            amount: *amount,
            kind: some_kind(index),
            from: Some(at(from)),
            landing: landing(*position),
        },
        Request::PickUp(amount, index, stack, to) => NamedAction::PickUp {
            amount: *amount,
            kind: some_kind(index),
            from: stack.map(|id| path(&format!("ground/#{id}"))),
            to: Some(at(to)),
        },
        Request::Mark(place, name) => NamedAction::Mark { at: at(place), mark: mark(name) },
        Request::Unmark(place, name) => NamedAction::Unmark { at: at(place), mark: mark(name) },
        Request::Set(place, name, value) => {
            NamedAction::Set { at: at(place), property: property(name), value: Decimal::from_thousandths(*value) }
        }
        Request::Lift(holder, part, from) => {
            actor = *holder;
            let share = match part {
                Part::Amount(amount) => LiftAmount::Amount(*amount),
                Part::Half => LiftAmount::Half,
            };
            NamedAction::Lift { share, from: at(from) }
        }
        Request::Put(holder, amount, to) => {
            actor = *holder;
            NamedAction::Put { amount: *amount, to: at(to) }
        }
        Request::Return(holder, amount) => {
            actor = *holder;
            NamedAction::Return { amount: *amount }
        }
        Request::Equip(holder, amount, from) => {
            actor = *holder;
            NamedAction::Equip { amount: *amount, from: at(from) }
        }
        Request::Unequip(holder, amount, from, to) => {
            actor = *holder;
            NamedAction::Unequip { amount: *amount, from: at(from), to: to.as_ref().map(at) }
        }
        Request::Together(steps) => {
            NamedAction::Together { steps: steps.iter().map(|step| named(rules, step)).collect() }
        }
        Request::Sort(place, by) => NamedAction::Sort { at: at(place), by: *by },
        Request::Resize(place, slots, spill) => {
            NamedAction::Resize { at: at(place), slots: u32::try_from(*slots).unwrap(), spill: *spill }
        }
        Request::Open(holder, place) => {
            actor = *holder;
            NamedAction::Open { at: at(place) }
        }
        Request::Close(holder, place) => {
            actor = *holder;
            NamedAction::Close { at: at(place) }
        }
        Request::Leave(holder) => {
            actor = *holder;
            NamedAction::Leave
        }
        Request::Deposit(holder, into) => {
            actor = *holder;
            NamedAction::Deposit { into: at(into) }
        }
        Request::Bind(holder, index, number) => NamedAction::Bind { kind: kind(index), at: shortcut(holder, number) },
        Request::Unbind(holder, number) => NamedAction::Unbind { at: shortcut(holder, number) },
        Request::Buy(holder, amount, goods, place) => {
            actor = *holder;
            NamedAction::Buy { amount: *amount, kind: kind(goods), at: at(place) }
        }
        Request::Sell(holder, amount, goods, place) => {
            actor = *holder;
            NamedAction::Sell { amount: *amount, kind: kind(goods), at: at(place) }
        }
        Request::Use(holder, amount, item, place) => {
            actor = *holder;
            NamedAction::Use { amount: *amount, kind: kind(item), from: Some(at(place)) }
        }
        Request::Cancel(recipe, place) => {
            NamedAction::Cancel { recipe: names.recipes[*recipe].as_str().into(), at: at(place) }
        }
        Request::Wait(ticks) => NamedAction::Wait { ticks: *ticks },
        Request::Craft(amount, (recipe, drawn), place) => {
            let yield_number = drawn.map(|number| u32::try_from(number).unwrap());
            let recipe = names.recipes[*recipe].as_str().into();
            NamedAction::Craft { amount: *amount, recipe, at: Some(at(place)), yield_number }
        }
        Request::Trade(one, other) => NamedAction::Trade { one: offered(*one), other: offered(*other) },
        Request::Give(place, to) => {
            let holder = |to: usize| names.holders[to].as_str().into();
            NamedAction::Give { at: at(place), to: to.map(holder) }
        }
        Request::Depart(who) => NamedAction::Depart { who: at(who) },
        Request::Arrive(who) => {
            let who = match who {
                Who::Container(index) => names.containers[*index].clone(),
                Who::Holder(index) => names.holders[*index].clone(),
            };
            NamedAction::Arrive { who: NamedArrival { name: who.as_str().into(), newcomer: None } }
        }
    };
    NamedOperation { actor: actor.map(|holder| names.holders[holder].as_str().into()), action }
}
