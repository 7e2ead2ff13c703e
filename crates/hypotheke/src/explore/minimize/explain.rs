//! Why an operation was applied: the checks on its way, and their results.

use crate::id::{KindId, RecipeId};
use crate::ops::{Action, Operation};
use crate::quantity::Decimal;
use crate::ruleset::{Access, Cap, ChangeEffect, DealSide, Kind, Right};
use crate::world::{Bearer, Event, GROUND, Place, StackClass, StackLocation, World};

/// The checks of the latest operation of those performed, each as a sentence. If it is a deal or by a
/// recipe, first what that and the earlier ones exchange: together they may gain something.
pub(in crate::explore) fn explain(world: &World, performed: &[Operation]) -> Vec<String> {
    let Some(latest) = performed.last() else { return Vec::new() };
    let mut found = Vec::new();
    if exchanges(world, latest).is_some() {
        found.extend(performed.iter().filter_map(|operation| exchanges(world, operation)));
        if !matches!(latest.action, Action::Craft { .. }) {
            return unique(found);
        }
    }
    let mut gone = None;
    for event in world.events() {
        let before = gone.take();
        match event {
            Event::Moved { kind, to, .. } if !to.exists() => gone = Some(*kind),
            Event::Moved { kind, from, .. } if !from.exists() && changed_into(world, before, *kind).is_some() => {
                found.extend(changed_into(world, before, *kind));
            }
            Event::Moved { kind, to, .. } if to.exists() => requested(world, *kind, to, &mut found),
            Event::Swapped { one, other } => {
                for end in [one, other] {
                    let cell = world.cell(end.spot);
                    if !cell.is_empty() {
                        requested(world, world.rules().kind_id(cell.kind), end, &mut found);
                    }
                }
            }
            Event::Worked { before: Some(job), after: None, .. } if matches!(latest.action, Action::Wait { .. }) => {
                found.extend(recipe_makes(world, job.recipe(), job.yield_number()));
            }
            Event::Worked { after: Some(job), .. } if !matches!(latest.action, Action::Craft { .. }) => {
                found.extend(recipe_makes(world, job.recipe(), job.yield_number()));
            }
            Event::Changed { before, .. } if matches!(latest.action, Action::Wait { .. }) => {
                falls(world, *before, &mut found);
            }
            Event::Changed { before, .. } if matches!(latest.action, Action::Use { .. }) => {
                lowers(world, *before, &mut found);
            }
            Event::Metered { .. } => effects(world, latest, &mut found),
            Event::Changed { at, .. } if at.exists() => {
                let place = world.place_of_end(at).map_or_else(String::new, |place| world.place_name(place));
                found.push(format!(
                    "A mark or property of a stack in {place} can be set, even if {place} then rejects the stack"
                ));
            }
            _ => {}
        }
    }
    unique(found)
}

/// `The change spoiled: what is `fish and freshness <= 0` becomes bait`
fn changed_into(world: &World, before: Option<KindId>, after: KindId) -> Option<String> {
    let rules = world.rules();
    let change = rules.changes_of(before?).find(|change| change.effect() == ChangeEffect::Becomes(after))?;
    Some(format!("The change {}: what is `{}` {}", change.id(), change.when(), rules.effect_text(change)))
}

fn kind_of(world: &World, class: StackClass) -> Kind<'_> {
    let (rules, key) = (world.rules(), world.classes.key(class.0));
    rules.known_kind(key.map_or_else(|| rules.kind_id(class.0), |key| key.kind))
}

/// `freshness falls by 1 every 6 ticks, to 0`
fn falls(world: &World, class: StackClass, found: &mut Vec<String>) {
    let rules = world.rules();
    let kind = kind_of(world, class);
    let falling = rules.falling().iter().filter(|(property, _)| kind.property(*property).is_some());
    found.extend(falling.map(|(property, falling)| format!("{} falls {falling}", rules.property(*property).name())));
}

/// `A use of ice-saw lowers condition by 1`
fn lowers(world: &World, class: StackClass, found: &mut Vec<String>) {
    let rules = world.rules();
    let kind = kind_of(world, class);
    let lowered = kind.lowered().iter().map(|&(property, by)| (rules.property(property).name(), by));
    found.extend(lowered.map(|(property, by)| format!("A use of {} lowers {property} by {by}", kind.id())));
}

/// `A use of tea changes warmth by 8`
fn effects(world: &World, operation: &Operation, found: &mut Vec<String>) {
    let Action::Use { kind, .. } = operation.action else { return };
    let kind = world.rules().known_kind(kind);
    found.extend(kind.effects().map(|(meter, by)| format!("A use of {} changes {meter} by {by}", kind.id())));
}

fn unique(mut lines: Vec<String>) -> Vec<String> {
    let mut seen = std::collections::BTreeSet::new();
    lines.retain(|line| seen.insert(line.clone()));
    lines
}

/// What a deal or a recipe exchanges.
fn exchanges(world: &World, operation: &Operation) -> Option<String> {
    match operation.action {
        Action::Craft { recipe, yield_number, .. } => recipe_makes(world, recipe, yield_number),
        _ => deal_asks(world, operation),
    }
}

/// `The recipe splint makes 1 splint from 1 ski and 2 strap`
fn recipe_makes(world: &World, recipe: RecipeId, yield_number: Option<u32>) -> Option<String> {
    let rules = world.rules();
    let recipe = rules.recipe(recipe)?;
    let made = match recipe.made(yield_number) {
        [] => "nothing".to_owned(),
        made => rules.items_text(made),
    };
    let inputs = recipe.inputs().iter().map(ToString::to_string).collect::<Vec<_>>().join(" and ");
    let from = if inputs.is_empty() { String::new() } else { format!(" from {inputs}") };
    let drawn = yield_number.map_or_else(String::new, |number| format!(" with yield {number}"));
    Some(format!("The recipe {}{drawn} makes {made}{from}", recipe.id()))
}

/// `The deal supplies pays 5 chit for 1 cocoa-tin`
fn deal_asks(world: &World, operation: &Operation) -> Option<String> {
    let (side, kind, at) = match &operation.action {
        Action::Buy { kind, at: Place::Container(at), .. } => (DealSide::Buy, *kind, *at),
        Action::Sell { kind, at: Place::Container(at), .. } => (DealSide::Sell, *kind, *at),
        _ => return None,
    };
    let rules = world.rules();
    let (deal, lot) = rules.deal_for(side, kind, &world.container_name(at))?;
    let (gets, gives) = (rules.items_text(&lot.gets), rules.items_text(&lot.gives));
    Some(match side {
        DealSide::Buy => format!("The deal {} sells {gets} for {gives}", deal.id()),
        DealSide::Sell => format!("The deal {} pays {gets} for {gives}", deal.id()),
    })
}

/// The rules of a place for an arriving stack.
fn requested(world: &World, kind: KindId, to: &StackLocation, found: &mut Vec<String>) {
    let rules = world.rules();
    let kind_name = rules.known_kind(kind).id();
    if to.spot.is_ground() {
        found.push(format!("The ground has no filter, and {kind_name} can be dropped"));
        return;
    }
    let before = found.len();
    if let Some(limit) = slot_asks(world, kind, to) {
        found.push(limit);
    }
    let mut at = to.spot.container;
    loop {
        container_asks(world, at, kind_name, to, found);
        let state = world.state(at);
        if state.parent == crate::world::Spot::NOWHERE || state.parent.is_ground() {
            break;
        }
        at = state.parent.container;
    }
    if let Some(holder) = world.holder_of(at) {
        holder_asks(world, holder, found);
    }
    if found.len() == before {
        let name = world.container_name(world.container_id(to.spot.container));
        found.push(format!("{name} has no filter or cap that limits {kind_name}"));
    }
}

fn slot_asks(world: &World, kind: KindId, to: &StackLocation) -> Option<String> {
    let (rules, cell) = (world.rules(), world.cell(to.spot));
    let filter = world.state(to.spot.container).slot_filter(rules, to.spot.slot)?;
    let place = world.place_of_end(to).map_or_else(String::new, |place| world.place_name(place));
    let written = rules.filter(filter).written();
    Some(format!("{place} admits `{written}`: {} is that, of {} a slot", rules.known_kind(kind).id(), cell.count))
}

fn container_asks(world: &World, container: u32, kind: &str, to: &StackLocation, found: &mut Vec<String>) {
    let rules = world.rules();
    let state = world.state(container);
    let name = world.container_name(world.container_id(container));
    let Some(def) = world.container_def(world.container_id(container)) else { return };
    if let Some(filter) = state.admits {
        let written = rules.filter(filter).written();
        let is_within = container != to.spot.container;
        if !is_within {
            let inside = if world.cell(to.spot).inner == GROUND {
                String::new()
            } else if def.is_deep() {
                " and all its contents".to_owned()
            } else {
                ". It does not check the contents; `deep = true` checks them".to_owned()
            };
            found.push(format!("The filter of {name}, `{written}`, admits {kind}{inside}"));
        } else if !def.is_deep() {
            found.push(format!(
                "The filter of {name}, `{written}`, does not check the contents of packs; `deep = true` checks them"
            ));
        }
    }
    if *def.access(Right::Take) == Access::Nobody {
        found.push(format!("{name} has `take-by = \"nobody\"`, so no stack can be removed"));
    }
    if let Some(cap) = def.weight_cap() {
        found.push(weighs(world, &name, world.container_weight(world.container_id(container)), cap));
    }
    caps_ask(world, &name, def.caps(), Bearer::Container(container), found);
}

fn holder_asks(world: &World, holder: u32, found: &mut Vec<String>) {
    let id = world.holder_id(holder);
    let Some(def) = world.holder_def(id) else { return };
    let name = world.holder_name(id).to_owned();
    if let Some(cap) = def.weight_cap() {
        found.push(weighs(world, &name, world.holder_weight(id), cap));
    }
    caps_ask(world, &name, def.caps(), Bearer::Holder(holder), found);
}

fn weighs(world: &World, name: &str, weight: Decimal, cap: Decimal) -> String {
    let text = |weight| world.rules().weight_text(weight);
    format!("{name} weighs {}; its cap is {}", text(weight), text(cap))
}

fn caps_ask(world: &World, name: &str, caps: &[Cap], bearer: Bearer, found: &mut Vec<String>) {
    for cap in caps {
        let of = world.rules().filter(cap.of).written();
        found.push(format!("{name} has {} of {} `{of}`", world.capped(bearer, cap.number), cap.count));
    }
}
