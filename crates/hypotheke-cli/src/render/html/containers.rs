//! Each container as a grid of slots with its contents, and its rules as text.

use std::collections::BTreeMap;

use hypotheke::{ContainerId, SlotView, SubjectKind, World};
use maud::{Markup, html};

use crate::findings::Report;
use crate::render::Page;
use crate::render::container::{described, draw_recipe, label, limits, slot_rules, usage};
use crate::render::report::counted;

/// The containers that are drawn, and the slots of one.
const MAX_CONTAINERS: usize = 600;
const MAX_SLOTS: usize = 240;
/// The columns of the text of a recipe.
const TEXT: usize = 100;

pub(super) fn section(report: &Report) -> Markup {
    let world = &report.world;
    let all: Vec<ContainerId> = world.containers().collect();
    html! {
        p.note { "As the game begins. Those that look the same are drawn once." }
        @for alike in folded(world, &all).into_iter().take(MAX_CONTAINERS) { (container(report, &alike)) }
        (super::and_more(folded(world, &all).len().saturating_sub(MAX_CONTAINERS), "container", "Draw them with `hypotheke show`."))
    }
}

/// Containers of one definition with the same contents, in the order of the first of them.
fn folded(world: &World, all: &[ContainerId]) -> Vec<Vec<ContainerId>> {
    let look = |id: ContainerId| {
        let stacks = world.slots(id).map(|slot| slot.stack().map(described)).collect::<Vec<_>>();
        (world.container_def(id).map(|def| def.id().to_owned()), world.owner(id).map(str::to_owned), stacks)
    };
    let mut numbers = BTreeMap::new();
    let mut groups: Vec<Vec<ContainerId>> = Vec::new();
    for &id in all {
        let number = *numbers.entry(look(id)).or_insert(groups.len());
        if number == groups.len() {
            groups.push(Vec::new());
        }
        groups[number].push(id);
    }
    groups
}

fn container(report: &Report, alike: &[ContainerId]) -> Markup {
    let (world, id) = (&report.world, alike[0]);
    let Some(def) = world.container_def(id) else { return html! {} };
    let slots: Vec<SlotView<'_>> = world.slots(id).collect();
    let names: Vec<String> = alike.iter().take(6).map(|&id| world.container_name(id)).collect();
    let names = names.join(", ");
    let mut rules = limits(world, id);
    rules.extend(slot_rules(&report.rules, def));
    let columns = format!("--columns:{}", def.columns().clamp(1, 12));
    html! {
        article.container {
            h3 {
                code { (names) }
                @if alike.len() > 6 { " and " (alike.len() - 6) " more" }
                @if def.name() != def.id() { " " span.name { (def.name()) } }
            }
            p { (usage(world, id, def)) " " (super::link_to(report, SubjectKind::Container, def.id())) }
            @if !def.note().is_empty() { p.note { (def.note()) } }
            @if !rules.is_empty() { ul.rules { @for rule in &rules { li { (rule) } } } }
            div.wide tabindex="0" role="group" aria-label=(format!("Slots of {names}")) {
                ol.slots style=(columns) { @for slot in slots.iter().take(MAX_SLOTS) { (slot_of(*slot)) } }
            }
            (super::and_more(slots.len().saturating_sub(MAX_SLOTS), "slot", "Draw them with `hypotheke show`."))
            (recipes(report, id))
        }
    }
}

fn slot_of(slot: SlotView<'_>) -> Markup {
    match slot.stack() {
        Some(stack) => {
            let varied = described(stack).split_once(" (").map(|(_, looks)| format!("({looks}"));
            html! {
                li.slot.taken {
                    span.place { (label(slot)) }
                    span.kind { (stack.kind().id()) }
                    span.count { (stack.count()) " of " (slot.limit(stack.kind().handle())) }
                    @if let Some(looks) = varied { span.looks { (looks) } }
                    @if slot.is_unfit() { span.looks.bad { "unfit" } }
                }
            }
        }
        None => {
            let state = if slot.blocked_by().is_some() { "blocked" } else { "empty" };
            html! { li.slot.free { span.place { (label(slot)) } span.count { (state) } } }
        }
    }
}

fn recipes(report: &Report, id: ContainerId) -> Markup {
    let (world, rules) = (&report.world, &report.rules);
    let recipes = world.station_name(id).into_iter().flat_map(|name| rules.recipes_at(name));
    let recipes: Vec<_> = recipes.filter_map(|id| rules.recipe(id)).collect();
    let name = world.container_name(id);
    let deals: Vec<_> = rules.deals_at(&name).collect();
    html! {
        @if !recipes.is_empty() {
            details {
                summary { (counted(recipes.len(), "recipe")) }
                @for recipe in recipes {
                    @let mut page = Page::new(TEXT);
                    @let () = draw_recipe(&mut page, rules, recipe);
                    pre { (page.into_plain_text()) }
                    p { (super::link_to(report, SubjectKind::Recipe, recipe.id())) }
                }
            }
        }
        @if !deals.is_empty() {
            details {
                summary { (counted(deals.len(), "deal")) }
                @for deal in deals {
                    p { code { (deal.id()) } " by " (deal.by().words().join(", ")) " " (super::link_to(report, SubjectKind::Deal, deal.id())) }
                    ul {
                        @for (side, lot) in rules.lots(deal) {
                            li { (side.word()) " " (rules.items_text(lot.named(side))) " for " (rules.items_text(lot.price(side))) }
                        }
                    }
                }
            }
        }
    }
}
