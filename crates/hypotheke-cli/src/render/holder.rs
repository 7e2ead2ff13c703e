//! The character sheet of a holder.

use hypotheke::{Beyond, HolderId, Place, World};

use super::container::{caps, described, draw_recipe, label, usage, weight_text};
use super::{Page, Tone, pad};

/// The columns of the heads of lines, with the gap after them.
const HEAD: usize = 13;

/// Weight, encumbrance, attributes, caps, shortcuts, the hand, worn items and containers.
pub(crate) fn draw(page: &mut Page, world: &World, id: HolderId) {
    let Some(def) = world.holder_def(id) else { return };
    let name = world.holder_name(id);
    let weight = weight_text(world, world.holder_weight(id), def.weight_cap());
    page.put(Tone::Heading, name);
    if def.name() != name {
        page.plain("  ").plain(def.name());
    }
    let label = world.encumbrance(id).map_or_else(String::new, |label| format!(", {label}"));
    page.right(Tone::Notable, &format!("{weight}{label}")).end();
    items(page, "groups", def.groups().map(str::to_owned));
    let weight_text = |from| world.rules().weight_text(from);
    let steps = def.encumbrance().map(|(from, label)| format!("{label} at {}", weight_text(from)));
    items(page, "encumbrance", steps);
    let attributes = world.rules().attributes().iter();
    items(page, "attributes", attributes.map(|attribute| format!("{attribute} {}", world.attribute(id, attribute))));
    let meters = world.meters(id).map(|(meter, value)| {
        let refuses = if meter.beyond() == Beyond::Refuse { ", not beyond" } else { "" };
        format!("{} {value} ({} to {}{refuses})", meter.name(), meter.min(), meter.max())
    });
    items(page, "meters", meters);
    items(page, "caps", caps(world, Place::Holder(id)));
    let shortcuts = world.shortcuts(id).enumerate().map(|(number, kind)| {
        let kind = kind.and_then(|kind| world.rules().kind(kind));
        format!("{number}: {}", kind.map_or("empty", |kind| kind.id()))
    });
    items(page, "shortcuts", shortcuts);
    items(page, "hand", world.hand(id).map(described).into_iter());
    draw_worn(page, world, id);
    let carried = world.carried(id).filter_map(|id| {
        let def = world.container_def(id)?;
        Some(format!("{}: {}", def.id(), usage(world, id, def)))
    });
    for (nth, text) in carried.enumerate() {
        page.plain("  ").plain(&pad(if nth == 0 { "carries" } else { "" }, HEAD)).folded(Tone::Plain, &text);
    }
    let rules = world.rules();
    rules.own_recipes().filter_map(|id| rules.recipe(id)).for_each(|recipe| draw_recipe(page, rules, recipe));
}

fn items(page: &mut Page, head: &str, items: impl Iterator<Item = String>) {
    let items: Vec<String> = items.collect();
    if !items.is_empty() {
        page.plain("  ").plain(&pad(head, HEAD)).items(Tone::Plain, items.iter().map(String::as_str), ", ");
    }
}

/// The worn items, each with the attributes that it grants.
fn draw_worn(page: &mut Page, world: &World, id: HolderId) {
    let worn = world.carried(id).filter(|&id| world.container_def(id).is_some_and(hypotheke::ContainerDef::is_worn));
    let mut head = "wears";
    for slot in worn.flat_map(|id| world.slots(id)) {
        let Some(stack) = slot.stack() else { continue };
        let each = stack.kind().attributes().filter_map(|(name, each)| {
            let granted = each.checked_times(stack.count())?;
            Some(format!("{name} {granted}"))
        });
        let granted: Vec<String> = each.collect();
        let granted = if granted.is_empty() { String::new() } else { format!(": {}", granted.join(", ")) };
        let text = format!("{} on {}{granted}", described(stack), label(slot));
        page.plain("  ").plain(&pad(head, HEAD)).folded(Tone::Plain, &text);
        head = "";
    }
}
