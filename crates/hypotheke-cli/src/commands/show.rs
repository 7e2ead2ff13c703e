//! show: containers with what lies in them at the start, and the table of kinds.

use std::path::Path;
use std::sync::Arc;

use serde_json::{Value, json};

use super::check::title;
use super::{Output, Verdict};
use crate::args::{Format, Part};
use crate::files::{InputError, load_rules};
use crate::render::container::weight_text;
use crate::render::{Page, Tone, clip, container, kinds};
use hypotheke::{ContainerId, HolderId, Kind, Place, Ruleset, StackView, World};

pub(crate) fn run(
    output: &mut Output,
    path: &Path,
    places: &[String],
    part: Option<Part>,
) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(path)?);
    let world = World::new(&rules);
    let chosen = chosen_containers(&world, places)?;
    let with_kinds = places.is_empty() && part != Some(Part::Containers);
    let with_containers = part != Some(Part::Kinds);
    if output.format == Format::Json {
        let mut value =
            json!({ "title": rules.title(), "version": rules.version(), "weight-unit": rules.weight_unit() });
        if with_containers {
            value["containers"] = chosen.iter().map(|&id| container_json(&world, id)).collect();
            value["holders"] = world.holders().map(|id| holder_json(&world, id)).collect();
        }
        if with_kinds {
            value["kinds"] = rules.kinds().map(|kind| kind_json(&rules, kind)).collect();
        }
        output.write_json(&value)?;
        return Ok(Verdict::Good);
    }
    let mut page = Page::default();
    page.put(Tone::Heading, &clip(title(&rules), 80))
        .put(Tone::Faint, &format!("   version {}", rules.version()))
        .end();
    if with_containers {
        for &id in &chosen {
            page.blank();
            container::draw(&mut page, &world, id);
        }
        if places.is_empty() {
            draw_packs(&mut page, &rules);
            draw_holders(&mut page, &world);
        }
    }
    if with_kinds {
        page.blank();
        kinds::draw(&mut page, &rules);
    }
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}

fn chosen_containers(world: &World, places: &[String]) -> Result<Vec<ContainerId>, InputError> {
    if places.is_empty() {
        return Ok(world.containers().collect());
    }
    let mut chosen = Vec::new();
    for name in places {
        let unknown = |message: String, help: Option<&str>| InputError::usage(message, help);
        let path = name.parse().map_err(|error| unknown(format!("`{name}`: {error}"), None))?;
        match world.place(&path, None).map_err(|error| unknown(error.to_string(), error.help_text()))? {
            Place::Slot(id, _) | Place::Container(id) => chosen.push(id),
            Place::Holder(id) => chosen.extend(world.carried(id)),
            _ => return Err(unknown(format!("`{name}` is not a container"), None)),
        }
    }
    Ok(chosen)
}

/// The kinds that bring a container along.
fn draw_packs(page: &mut Page, rules: &Ruleset) {
    let packs: Vec<_> = rules.kinds().filter_map(|kind| Some((kind, kind.pack()?))).collect();
    if packs.is_empty() {
        return;
    }
    page.blank();
    page.line(Tone::Faint, "pack              holds");
    for (kind, def) in packs {
        let mut limits = vec![format!("{} slots", def.slots())];
        limits.extend(def.stack_limit().map(|limit| format!("stacks of {limit}")));
        limits.extend(def.weight_cap().map(|cap| rules.weight_text(cap)));
        limits.extend(rules.admits(def).map(|filter| format!("admits {filter}")));
        limits.extend(rules.caps(def.caps()).map(|(filter, count)| format!("at most {count} {filter}")));
        page.put(Tone::Heading, &crate::render::pad(kind.id(), 16)).plain("  ");
        page.plain(&clip(&limits.join(", "), 80)).end();
    }
}

fn draw_holders(page: &mut Page, world: &World) {
    if world.holders().next().is_none() {
        return;
    }
    page.blank();
    page.line(Tone::Faint, "holder            carries");
    for id in world.holders() {
        let Some(def) = world.holder_def(id) else { continue };
        let carried: Vec<&str> =
            world.carried(id).filter_map(|id| world.container_def(id)).map(hypotheke::ContainerDef::id).collect();
        let weight = weight_text(world, world.holder_weight(id), def.weight_cap());
        page.put(Tone::Heading, &crate::render::pad(def.id(), 16)).plain("  ");
        page.plain(&clip(&carried.join(", "), 58)).put(Tone::Notable, &format!("   {weight}")).end();
        let thresholds: Vec<String> =
            def.burden().map(|(from, label)| format!("{label} from {}", world.rules().weight_text(from))).collect();
        if !thresholds.is_empty() {
            let now = world.burden(id).map_or(String::new(), |label| format!("; now {label}"));
            let text = format!("                  {}{now}", thresholds.join(", "));
            page.put(Tone::Faint, &clip(&text, 100)).end();
        }
        if def.shortcuts() > 0 {
            let text = format!("                  {} shortcuts", def.shortcuts());
            page.put(Tone::Faint, &text).end();
        }
        for (filter, count) in world.rules().caps(def.caps()) {
            page.put(Tone::Faint, &clip(&format!("                  at most {count} {filter}"), 100)).end();
        }
    }
}

fn stack_json(world: &World, stack: StackView<'_>, slot: u32) -> Value {
    let mut value =
        json!({ "slot": slot, "id": stack.id().to_string(), "kind": stack.kind().id(), "count": stack.count() });
    let marks: Vec<&str> = stack.marks().collect();
    if !marks.is_empty() {
        value["marks"] = json!(marks);
    }
    for (name, number) in stack.changed_properties() {
        value["properties"][name] = json!(number);
    }
    if let Some(inside) = stack.inside() {
        value["inside"] = stacks_json(world, inside);
    }
    value
}

fn stacks_json(world: &World, id: ContainerId) -> Value {
    world.stacks(id).map(|(slot, stack)| stack_json(world, stack, slot)).collect()
}

fn container_json(world: &World, id: ContainerId) -> Value {
    let rules = world.rules();
    let Some(def) = world.container_def(id) else { return Value::Null };
    let slots: Vec<Value> = rules
        .slot_rules(def)
        .map(|rule| json!({ "name": rule.name(), "admits": rule.admits(), "stack-limit": rule.stack_limit() }))
        .collect();
    json!({
        "path": world.container_name(id),
        "name": def.name(),
        "slots": world.slots(id).len(),
        "columns": def.columns(),
        "free-slots": world.free_slots(id),
        "weight": world.container_weight(id),
        "weight-cap": def.weight_cap(),
        "stack-limit": def.stack_limit(),
        "admits": rules.admits(def),
        "worn": def.is_worn(),
        "put": def.may_put(),
        "take": def.may_take(),
        "caps": caps_json(rules, def.caps()),
        "slot": slots,
        "deep": def.is_deep(),
        "must-open": def.must_be_opened(),
        "exclusive": def.is_exclusive(),
        "slot-bounds": def.slot_bounds(),
        "stacks": stacks_json(world, id),
    })
}

fn holder_json(world: &World, id: HolderId) -> Value {
    let Some(def) = world.holder_def(id) else { return Value::Null };
    json!({
        "id": def.id(),
        "name": def.name(),
        "carries": world.carried(id).map(|id| world.container_name(id)).collect::<Vec<_>>(),
        "weight": world.holder_weight(id),
        "weight-cap": def.weight_cap(),
        "burden": world.burden(id),
        "shortcuts": world.shortcuts(id).map(|kind| kind.map(|kind| world.rules().kind(kind).id())).collect::<Vec<_>>(),
        "attributes": attributes_json(world, id),
        "caps": caps_json(world.rules(), def.caps()),
    })
}

fn attributes_json(world: &World, id: HolderId) -> Value {
    let names = world.rules().attributes().iter();
    names.map(|name| (name.to_string(), json!(world.attribute(id, name)))).collect::<serde_json::Map<_, _>>().into()
}

fn caps_json(rules: &Ruleset, caps: &[hypotheke::Cap]) -> Value {
    rules.caps(caps).map(|(of, count)| json!({ "of": of, "count": count })).collect()
}

fn kind_json(rules: &Ruleset, kind: Kind<'_>) -> Value {
    let mut value = json!({
        "id": kind.id(),
        "name": kind.name(),
        "tags": kind.tags().collect::<Vec<_>>(),
        "weight": kind.weight(),
        "value": kind.value(),
        "stack-limit": kind.stack_limit(),
        "keep": kind.is_kept(),
        "needs": kind.needs().collect::<Vec<_>>(),
        "attributes": kind.attributes().map(|(name, each)| (name.to_owned(), json!(each))).collect::<serde_json::Map<_, _>>(),
        "pack": kind.pack().map(hypotheke::ContainerDef::id),
    });
    if !kind.note().is_empty() {
        value["note"] = json!(kind.note());
    }
    for (property, first) in kind.properties() {
        value["properties"][rules.properties()[property.index()].name()] = match first {
            hypotheke::PropertyValue::Number(number) => json!(number),
            hypotheke::PropertyValue::Text(text) => json!(text),
        };
    }
    value
}
