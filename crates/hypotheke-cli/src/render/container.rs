//! Containers, drawn row by row: a ruler with the number or name of each slot, and the contents
//! below.

use hypotheke::snapshot::Orphan;
use hypotheke::{ContainerId, Decimal, SlotView, StackView, World};

use super::page::WIDTH;
use super::{Page, Tone, clip, pad, width};

/// The minimum columns of one slot.
const NARROWEST: usize = 11;
/// The maximum columns of one slot.
const WIDEST: usize = 19;
const INDENT: usize = 2;

pub(crate) fn draw(page: &mut Page, world: &World, id: ContainerId) {
    draw_beside(page, world, id, None);
}

/// Differences from the other world are marked.
pub(crate) fn draw_beside(page: &mut Page, world: &World, id: ContainerId, other: Option<&World>) {
    let Some(def) = world.container_def(id) else { return };
    heading(page, world, id);
    if let Some(filter) = world.rules().admits(def) {
        page.put(Tone::Faint, "  admits ").plain(&clip(filter, WIDTH - 9)).end();
    }
    let mut limits: Vec<String> =
        world.rules().caps(def.caps()).map(|(filter, count)| format!("at most {count} {filter}")).collect();
    if !def.may_put() {
        limits.push("put = false".to_owned());
    }
    if !def.may_take() {
        limits.push("take = false".to_owned());
    }
    if def.is_deep() {
        limits.push("the filter also checks the contents of packs".to_owned());
    }
    if def.must_be_opened() {
        limits.push("must be opened".to_owned());
    }
    if def.is_exclusive() {
        limits.push("exclusive".to_owned());
    }
    let (least, most) = def.slot_bounds();
    if least < most {
        limits.push(format!("resizable from {least} to {most} slots"));
    }
    let openers: Vec<&str> = world
        .holders()
        .filter(|&holder| world.has_opened(holder, id))
        .map(|holder| world.holder_name(holder))
        .collect();
    if !openers.is_empty() {
        limits.push(format!("open to {}", openers.join(", ")));
    }
    if !limits.is_empty() {
        wrap(page, "  ", &limits, "; ");
    }
    let columns = def.columns().max(1) as usize;
    let side_by_side = columns.min((WIDTH - INDENT) / NARROWEST);
    let cell = ((WIDTH - INDENT) / side_by_side).min(WIDEST);
    let slots: Vec<SlotView<'_>> = world.slots(id).collect();
    let mut empty: Option<(u32, u32)> = None;
    for row in slots.chunks(columns).flat_map(|row| row.chunks(side_by_side)) {
        let is_plain = |slot: &SlotView<'_>| slot.stack().is_none() && slot.name().is_none() && !differs(*slot, other);
        if row.iter().all(is_plain) {
            let (first, last) = (row[0].number(), row[row.len() - 1].number());
            empty = Some((empty.map_or(first, |(start, _)| start), last));
            continue;
        }
        draw_empty(page, empty.take());
        draw_row(page, row, cell, other);
    }
    draw_empty(page, empty);
    draw_details(page, world, &slots);
    // The contents of packs come after the container of the pack.
    for inside in slots.iter().filter_map(|slot| slot.stack()?.inside()) {
        page.blank();
        draw_beside(page, world, inside, other);
    }
}

fn heading(page: &mut Page, world: &World, id: ContainerId) {
    let Some(def) = world.container_def(id) else { return };
    let path = world.container_name(id);
    let slots = u32::try_from(world.slots(id).len()).unwrap_or(u32::MAX);
    let mut right =
        format!("{} of {slots} {} taken", slots - world.free_slots(id), if slots == 1 { "slot" } else { "slots" });
    if let Some(limit) = def.stack_limit() {
        right.push_str(&format!(" · stacks of {limit}"));
    }
    right.push_str(" · ");
    right.push_str(&weight_text(world, world.container_weight(id), def.weight_cap()));
    let note = if def.is_worn() { " (worn)" } else { "" };
    let left = clip(&format!("{path}  {}{note}", def.name()), WIDTH.saturating_sub(width(&right) + 2));
    let gap = WIDTH.saturating_sub(width(&left) + width(&right)).max(2);
    // What is cut may end within the path.
    let name_starts = left.char_indices().nth(path.chars().count()).map_or(left.len(), |(at, _)| at);
    page.put(Tone::Heading, &left[..name_starts]).plain(&left[name_starts..]);
    page.plain(&" ".repeat(gap)).put(Tone::Notable, &right).end();
}

/// `33.3 of 180 kg`, or `33.3 kg` without a cap.
pub(crate) fn weight_text(world: &World, weight: Decimal, cap: Option<Decimal>) -> String {
    match cap {
        Some(cap) => format!("{weight} of {}", world.rules().weight_text(cap)),
        None => world.rules().weight_text(weight),
    }
}

fn draw_empty(page: &mut Page, range: Option<(u32, u32)>) {
    match range {
        Some((first, last)) if first == last => page.line(Tone::Faint, &format!("  {first} empty")),
        Some((first, last)) => page.line(Tone::Faint, &format!("  {first} to {last} empty")),
        None => {}
    }
}

/// Whether the slot holds something else in the other world.
fn differs(slot: SlotView<'_>, other: Option<&World>) -> bool {
    let Some(other) = other else { return false };
    match (slot.stack(), other.stack(slot.container(), slot.number())) {
        (None, None) => false,
        (Some(one), Some(other)) => one.count() != other.count() || sort_of(one) != sort_of(other),
        _ => true,
    }
}

/// Kind, marks and properties.
fn sort_of(stack: StackView<'_>) -> (&str, Vec<&str>, Vec<(&str, Decimal)>) {
    (stack.kind().id(), stack.marks().collect(), stack.changed_properties().collect())
}

/// Whether a container holds something else in the other world, in packs too.
pub(crate) fn differs_in(world: &World, id: ContainerId, other: &World) -> bool {
    let inside = |slot: SlotView<'_>| slot.stack().and_then(StackView::inside);
    world.slots(id).len() != other.slots(id).len()
        || world.slots(id).any(|slot| {
            differs(slot, Some(other)) || inside(slot).is_some_and(|inside| differs_in(world, inside, other))
        })
}

fn draw_row(page: &mut Page, row: &[SlotView<'_>], cell: usize, other: Option<&World>) {
    page.plain("  ");
    for slot in row {
        let label = slot.name().map_or_else(|| slot.number().to_string(), str::to_owned);
        let label = clip(&label, cell - 3);
        let ruler = "─".repeat(cell - 2 - width(&label));
        page.put(Tone::Faint, &format!("{label} {ruler} "));
    }
    page.end();
    page.plain("  ");
    for slot in row {
        let set_off = differs(*slot, other);
        match slot.stack() {
            Some(stack) if set_off => {
                let text = clip(&format!("▸{}", stack.kind().id()), cell - 1);
                page.put(Tone::Set, &text).plain(&" ".repeat(cell - width(&text)))
            }
            None if set_off => page.put(Tone::Set, "▸").plain(&pad("·", cell - 1)),
            Some(stack) => page.plain(&pad(stack.kind().id(), cell - 1)).plain(" "),
            None if slot.blocked_by().is_some() => page.put(Tone::Faint, &pad("blocked", cell)),
            None => page.put(Tone::Faint, &pad("·", cell)),
        };
    }
    page.end();
    page.plain("  ");
    for slot in row {
        let Some(stack) = slot.stack() else {
            page.plain(&" ".repeat(cell));
            continue;
        };
        let figures = format!("{} of {}", stack.count(), slot.limit(stack.kind().handle()));
        let flag = match (is_varied(stack), slot.is_unfit()) {
            (true, true) => " *!",
            (true, false) => " *",
            (false, true) => " !",
            (false, false) => "",
        };
        let figures = clip(&figures, cell - 1 - flag.len());
        page.put(Tone::Notable, &figures).plain(&pad(flag, cell - width(&figures)));
    }
    page.end();
}

fn is_varied(stack: StackView<'_>) -> bool {
    stack.marks().next().is_some() || stack.changed_properties().next().is_some()
}

/// Marks and properties of the stacks that have a `*`, and the filters of slots.
fn draw_details(page: &mut Page, world: &World, slots: &[SlotView<'_>]) {
    for slot in slots {
        let Some(stack) = slot.stack().filter(|&stack| is_varied(stack)) else { continue };
        let marks = stack.marks().map(str::to_owned);
        let properties = stack.changed_properties().map(|(name, value)| format!("{name} {value}"));
        let variant: Vec<String> = marks.chain(properties).collect();
        let label = slot.name().map_or_else(|| format!("slot {}", slot.number()), str::to_owned);
        page.plain("  * ").put(Tone::Faint, &label);
        page.plain(&clip(&format!(" {}: {}", stack.kind().id(), variant.join(", ")), WIDTH - 4 - width(&label))).end();
    }
    for slot in slots.iter().filter(|slot| slot.is_unfit()) {
        let label = slot.name().map_or_else(|| format!("slot {}", slot.number()), str::to_owned);
        page.plain("  ! ").put(Tone::Faint, &label).plain(" is unfit").end();
    }
    let Some(def) = slots.first().and_then(|_| container_def_of(world, slots)) else { return };
    let rules: Vec<String> = world
        .rules()
        .slot_rules(def)
        .filter_map(|rule| {
            let admits = rule.admits()?;
            Some(format!("{} admits {admits}", rule.name().unwrap_or("a slot")))
        })
        .collect();
    if !rules.is_empty() {
        wrap(page, "  ", &rules, "; ");
    }
}

fn container_def_of<'w>(world: &'w World, slots: &[SlotView<'w>]) -> Option<&'w hypotheke::ContainerDef> {
    slots.first().and_then(|slot| world.container_def(slot.container()))
}

/// Items one after the other, as many to a line as fit.
pub(crate) fn wrap(page: &mut Page, indent: &str, items: &[String], between: &str) {
    let mut line = String::new();
    for (index, item) in items.iter().enumerate() {
        let item = clip(item, WIDTH - indent.len() - between.len());
        let last = index + 1 == items.len();
        let piece = if last { item } else { format!("{item}{between}") };
        if !line.is_empty() && width(indent) + width(&line) + width(piece.trim_end()) > WIDTH {
            page.line(Tone::Faint, &format!("{indent}{}", line.trim_end()));
            line.clear();
        }
        line.push_str(&piece);
    }
    page.line(Tone::Faint, &format!("{indent}{}", line.trim_end()));
}

/// What is in the hands of holders.
pub(crate) fn draw_hands(page: &mut Page, world: &World) {
    for id in world.holders() {
        let Some(stack) = world.hand(id) else { continue };
        page.blank();
        let text = format!("  {}", described(stack));
        page.put(Tone::Heading, &format!("{}.hand", world.holder_name(id))).plain(&clip(&text, 60)).end();
    }
}

/// A stack in words: `2 ice-core (contaminated, reading 3.2)`.
fn described(stack: StackView<'_>) -> String {
    let properties = stack.changed_properties().map(|(name, value)| format!("{name} {value}"));
    let looks: Vec<String> = stack.marks().map(str::to_owned).chain(properties).collect();
    let looks = if looks.is_empty() { String::new() } else { format!(" ({})", looks.join(", ")) };
    format!("{} {}{looks}", stack.count(), stack.kind().id())
}

/// The orphans.
pub(crate) fn draw_orphans(page: &mut Page, world: &World) {
    let orphans = world.orphans();
    let lines: Vec<(String, String)> = orphans.iter().filter_map(orphan_line).collect();
    if lines.is_empty() {
        return;
    }
    page.blank();
    page.put(Tone::Heading, "orphans").plain("  until a ruleset knows them again").end();
    for (place, what) in lines {
        page.put(Tone::Faint, &format!("  {}  ", pad(&clip(&place, 30), 30))).plain(&clip(&what, 60)).end();
    }
}

fn orphan_line(orphan: &Orphan) -> Option<(String, String)> {
    match orphan {
        Orphan::Stack { place, stack, .. } => {
            let looks: Vec<&str> = stack.marks.iter().map(String::as_str).collect();
            let looks = if looks.is_empty() { String::new() } else { format!(" ({})", looks.join(", ")) };
            Some((place.clone(), format!("{} {}{looks}", stack.count, stack.kind)))
        }
        Orphan::Variant { stack, marks, properties, .. } => {
            let names = marks.iter().map(String::as_str).chain(properties.keys().map(String::as_str));
            Some((stack.to_string(), names.collect::<Vec<_>>().join(", ")))
        }
        Orphan::Shortcut { holder, shortcut, kind } => Some((format!("{holder}.shortcuts/{shortcut}"), kind.clone())),
        Orphan::Totals { .. } => None,
    }
}

/// The stacks on the ground.
pub(crate) fn draw_ground(page: &mut Page, world: &World) {
    page.put(Tone::Heading, "ground").plain(&format!("  {}", world.rules().weight_text(world.ground_weight()))).end();
    for (stack, at) in world.ground() {
        page.put(Tone::Faint, &format!("  {} at {at}  ", stack.id())).plain(&clip(&described(stack), 60)).end();
    }
}
