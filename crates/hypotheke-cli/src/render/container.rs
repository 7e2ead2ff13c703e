//! Containers, drawn row by row: a ruler with the number or name of each slot, and the contents
//! below.

use hypotheke::snapshot::Orphan;
use hypotheke::{
    ContainerDef, ContainerId, Decimal, Ingredient, Place, Recipe, Right, Ruleset, SlotView, StackView, World,
};

use super::report::counted;
use super::{Page, Tone, clip, pad, width};

/// The minimum columns of one slot.
const NARROWEST: usize = 11;
/// The maximum columns of one slot.
const WIDEST: usize = 19;
const INDENT: usize = 2;

pub(crate) fn draw(page: &mut Page, world: &World, id: ContainerId) {
    let Some(def) = world.container_def(id) else { return };
    heading(page, world, id);
    draw_rules(page, world, id);
    let columns = def.columns().max(1) as usize;
    let room = page.columns() - INDENT;
    let side_by_side = columns.min(room / NARROWEST);
    let cell = (room / side_by_side).min(WIDEST);
    let slots: Vec<SlotView<'_>> = world.slots(id).collect();
    let mut empty: Option<(u32, u32)> = None;
    for row in slots.chunks(columns).flat_map(|row| row.chunks(side_by_side)) {
        let is_plain = |slot: &SlotView<'_>| slot.stack().is_none() && slot.name().is_none();
        if row.iter().all(is_plain) {
            let (first, last) = (row[0].number(), row[row.len() - 1].number());
            empty = Some((empty.map_or(first, |(start, _)| start), last));
            continue;
        }
        draw_empty(page, empty.take());
        draw_row(page, row, cell);
    }
    draw_empty(page, empty);
    draw_details(page, &slots);
    list(page, &slot_rules(world.rules(), def));
    draw_deals(page, world, id);
    draw_recipes(page, world, id);
    draw_work(page, world, id);
    // The contents of packs come after the container of the pack.
    for inside in slots.iter().filter_map(|slot| slot.stack()?.inside()) {
        page.blank();
        draw(page, world, inside);
    }
}

/// The filters and the access lists of its slots.
pub(crate) fn slot_rules(rules: &Ruleset, def: &ContainerDef) -> Vec<String> {
    let slot_rules = rules.slot_rules(def).flat_map(|rule| {
        let name = rule.name().unwrap_or("a slot");
        let admits = rule.admits().map(|admits| format!("{name} admits {admits}"));
        let rights = [Right::Put, Right::Take].into_iter().map(move |right| (right, rule.access(right).words()));
        let rights = rights.filter(|(_, words)| !words.is_empty());
        admits
            .into_iter()
            .chain(rights.map(move |(right, words)| format!("{name} {} {}", right.key(), words.join(", "))))
    });
    slot_rules.collect()
}

/// The deals of a container, with each price.
fn draw_deals(page: &mut Page, world: &World, id: ContainerId) {
    let rules = world.rules();
    for deal in rules.deals_at(&world.container_name(id)) {
        let by = deal.by().words().join(", ");
        page.plain("  deal ").rest(Tone::Plain, &format!("{} by {by}", deal.id())).end();
        let lots = rules.lots(deal);
        let column = lots.iter().map(|(side, lot)| width(&rules.items_text(lot.named(*side)))).max().unwrap_or(0);
        for (side, lot) in &lots {
            let verb = side.word();
            let (named, price) = (pad(&rules.items_text(lot.named(*side)), column), rules.items_text(lot.price(*side)));
            page.plain(&format!("    {verb:4}  ")).rest(Tone::Plain, &format!("{named}  for {price}")).end();
        }
    }
}

/// The recipes of a container.
fn draw_recipes(page: &mut Page, world: &World, id: ContainerId) {
    let rules = world.rules();
    let recipes = world.station_name(id).into_iter().flat_map(|name| rules.recipes_at(name));
    for recipe in recipes.filter_map(|id| rules.recipe(id)) {
        draw_recipe(page, rules, recipe);
    }
}

/// `1 tick`, `20 ticks`
pub(crate) fn ticks_text(ticks: u64) -> String {
    if ticks == 1 { "1 tick".to_owned() } else { format!("{ticks} ticks") }
}

/// What a container works on, and what it holds for that.
fn draw_work(page: &mut Page, world: &World, id: ContainerId) {
    let Some(job) = world.job(id) else { return };
    let recipe = world.rules().recipe(job.recipe()).map_or("", Recipe::id);
    let what = if job.times() == 1 { recipe.to_owned() } else { format!("{} {recipe}", job.times()) };
    let drawn = job.yield_number().map_or_else(String::new, |number| format!(" with yield {number}"));
    let left = match job.left(world.clock()) {
        0 => "waits for room".to_owned(),
        left => format!("{} left", ticks_text(left)),
    };
    let held = world.in_work(id).map(|(_, stack)| format!("{} {}", stack.count(), stack.kind().id()));
    let held = held.collect::<Vec<_>>().join(", ");
    page.plain("  works on ").rest(Tone::Plain, &format!("{what}{drawn}: {left}, holds {held}")).end();
}

/// What a recipe makes, of what, and who may carry it out.
pub(super) fn draw_recipe(page: &mut Page, rules: &Ruleset, recipe: &Recipe) {
    let by = if recipe.is_loot() { "the game".to_owned() } else { recipe.by().words().join(", ") };
    let starts = if recipe.is_automatic() { ", starts as soon as it has its inputs" } else { "" };
    let takes = recipe.duration().map(|ticks| format!(", takes {}", ticks_text(u64::from(ticks))));
    let takes = takes.unwrap_or_default();
    page.plain("  recipe ").rest(Tone::Plain, &format!("{} by {by}{takes}{starts}", recipe.id())).end();
    let listed = |list: &[Ingredient]| list.iter().map(ingredient_text).collect::<Vec<_>>().join(", ");
    let (inputs, tools) = (listed(recipe.inputs()), listed(recipe.tools()));
    let with = if tools.is_empty() { String::new() } else { format!(", with {tools}") };
    let from = if inputs.is_empty() { String::new() } else { format!("  from {inputs}") };
    let outputs = match recipe.outputs() {
        [] => "one of these".to_owned(),
        outputs => rules.items_text(outputs),
    };
    let to = recipe.outputs_to().map(|to| format!("  to {to}")).unwrap_or_default();
    page.plain("    ").rest(Tone::Plain, &format!("{outputs}{to}{from}{with}")).end();
    draw_pattern(page, recipe);
    let total: u64 = recipe.yields().iter().map(|it| u64::from(it.weight())).sum();
    for (number, it) in (1..).zip(recipe.yields()) {
        let made = match (recipe.outputs(), it.outputs()) {
            ([], []) => "nothing".to_owned(),
            (_, []) => "nothing more".to_owned(),
            ([], made) => rules.items_text(made),
            (_, made) => format!("and {}", rules.items_text(made)),
        };
        let text = format!("yield {number}  {} in {total}: {made}", it.weight());
        page.plain("      ").rest(Tone::Plain, &text).end();
    }
}

/// The rows of a pattern, each word as wide as the widest.
fn draw_pattern(page: &mut Page, recipe: &Recipe) {
    let Some(pattern) = recipe.pattern() else { return };
    let word = |input: &Option<u32>| match input.and_then(|input| recipe.inputs().get(input as usize)) {
        None => ".".to_owned(),
        Some(input) if input.of_text().contains(' ') => format!("`{}`", input.of_text()),
        Some(input) => input.of_text().to_owned(),
    };
    let rows: Vec<Vec<String>> = pattern.rows().map(|row| row.iter().map(word).collect()).collect();
    let wide = rows.iter().flatten().map(|word| width(word)).max().unwrap_or(0);
    for (nth, row) in rows.iter().enumerate() {
        let head = if nth == 0 { "      pattern  " } else { "               " };
        let row = row.iter().map(|word| pad(word, wide)).collect::<Vec<_>>().join("  ");
        page.plain(head).rest(Tone::Plain, row.trim_end()).end();
    }
    if pattern.is_mirrored() {
        page.plain("               ").rest(Tone::Plain, "or mirrored").end();
    }
}

/// `2 snow`, or a filter in quotes.
fn ingredient_text(ingredient: &Ingredient) -> String {
    let (count, of) = (ingredient.count(), ingredient.of_text());
    if of.contains(' ') { format!("{count} of `{of}`") } else { format!("{count} {of}") }
}

fn draw_rules(page: &mut Page, world: &World, id: ContainerId) {
    list(page, &limits(world, id));
}

/// The filter and the limits of a container, and the holders that have opened it.
pub(crate) fn limits(world: &World, id: ContainerId) -> Vec<String> {
    let Some(def) = world.container_def(id) else { return Vec::new() };
    let mut limits: Vec<String> =
        world.rules().admits(def).map(|filter| format!("admits {filter}")).into_iter().collect();
    limits.extend(caps(world, Place::Container(id)));
    let standing = world.carrier(id).is_none() && !def.is_brought();
    limits.extend(world.owner(id).filter(|_| standing).map(|owner| format!("owner {owner}")));
    let rights = Right::ALL.into_iter().filter(|&right| *def.access(right) != def.default_access());
    limits.extend(rights.map(|right| format!("{} {}", right.key(), def.access(right).words().join(", "))));
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
    limits
}

/// The caps of a container or holder with the present counts: `3 of at most 8 fuel`.
pub(super) fn caps(world: &World, place: Place) -> impl Iterator<Item = String> {
    world.cap_counts(place).map(|cap| format!("{} of at most {} {}", cap.present, cap.most, cap.of))
}

fn list(page: &mut Page, items: &[String]) {
    if !items.is_empty() {
        page.plain("  ").items(Tone::Plain, items.iter().map(String::as_str), "; ");
    }
}

fn heading(page: &mut Page, world: &World, id: ContainerId) {
    let Some(def) = world.container_def(id) else { return };
    let right = usage(world, id, def);
    let path = world.container_name(id);
    let note = if def.is_worn() { " (worn)" } else { "" };
    let room = page.room().saturating_sub(width(&right) + 2);
    let path = clip(&path, room);
    page.put(Tone::Heading, &path).plain(&clip(&format!("  {}{note}", def.name()), room - width(&path)));
    page.right(Tone::Notable, &right).end();
}

/// `2 of 6 slots taken, stacks of 4, 149 of 180 kg`
pub(crate) fn usage(world: &World, id: ContainerId, def: &ContainerDef) -> String {
    let slots = world.slots(id).len();
    let taken = slots - world.free_slots(id) as usize;
    let mut text = format!("{taken} of {} taken", counted(slots, "slot"));
    if let Some(limit) = def.stack_limit() {
        text.push_str(&format!(", stacks of {limit}"));
    }
    let weight = weight_text(world, world.container_weight(id), def.weight_cap());
    if weight.is_empty() { text } else { text + ", " + &weight }
}

/// `33.3 of 180 kg`, or `33.3 kg` without a cap. Nothing, where no unit says that weights matter.
pub(crate) fn weight_text(world: &World, weight: Decimal, cap: Option<Decimal>) -> String {
    match cap {
        Some(cap) => format!("{weight} of {}", world.rules().weight_text(cap)),
        None if weight == Decimal::ZERO && world.rules().weight_unit().is_empty() => String::new(),
        None => world.rules().weight_text(weight),
    }
}

fn draw_empty(page: &mut Page, range: Option<(u32, u32)>) {
    match range {
        Some((first, last)) if first == last => page.line(Tone::Plain, &format!("  {first} empty")),
        Some((first, last)) => page.line(Tone::Plain, &format!("  {first} to {last} empty")),
        None => {}
    }
}

fn draw_row(page: &mut Page, row: &[SlotView<'_>], cell: usize) {
    page.plain("  ");
    for slot in row {
        let label = clip(&label(*slot), cell - 3);
        let ruler = "─".repeat(cell - 2 - width(&label));
        page.plain(&label).plain(" ").put(Tone::Faint, &ruler).plain(" ");
    }
    page.end();
    page.plain("  ");
    for slot in row {
        match slot.stack() {
            Some(stack) => page.put(Tone::Heading, &pad(stack.kind().id(), cell - 1)).plain(" "),
            None if slot.blocked_by().is_some() => page.plain(&pad("blocked", cell)),
            None => page.put(Tone::Faint, &pad("·", cell)),
        };
    }
    page.end();
    if row.iter().all(|slot| slot.stack().is_none()) {
        return;
    }
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

/// The name of a slot, or its number.
pub(crate) fn label(slot: SlotView<'_>) -> String {
    slot.name().map_or_else(|| slot.number().to_string(), str::to_owned)
}

fn is_varied(stack: StackView<'_>) -> bool {
    stack.marks().next().is_some() || stack.changed_properties().next().is_some()
}

/// Marks and properties of the stacks that have a `*`.
fn draw_details(page: &mut Page, slots: &[SlotView<'_>]) {
    for slot in slots {
        let Some(stack) = slot.stack().filter(|&stack| is_varied(stack)) else { continue };
        page.plain("  * ").rest(Tone::Plain, &format!("{}: {}", label(*slot), described(stack))).end();
    }
    for slot in slots.iter().filter(|slot| slot.is_unfit()) {
        page.plain("  ! ").rest(Tone::Plain, &format!("{} is unfit", label(*slot))).end();
    }
}

/// A stack in words: `2 ice-core (contaminated, reading 3.2)`.
pub(crate) fn described(stack: StackView<'_>) -> String {
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
        page.plain(&format!("  {}  ", pad(&place, 30))).rest(Tone::Plain, &what).end();
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
        Orphan::Meter { holder, meter, value } => Some((holder.clone(), format!("{meter} {value}"))),
        Orphan::Totals { .. } => None,
    }
}

/// The stacks on the ground.
pub(crate) fn draw_ground(page: &mut Page, world: &World) {
    page.put(Tone::Heading, "ground").plain(&format!("  {}", world.rules().weight_text(world.ground_weight()))).end();
    for (stack, at) in world.ground() {
        page.plain(&format!("  {} at {at}  ", stack.id())).rest(Tone::Plain, &described(stack)).end();
    }
}
