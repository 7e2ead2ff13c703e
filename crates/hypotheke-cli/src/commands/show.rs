//! show: containers with their contents, holders, kinds and settings.

use std::sync::Arc;

use super::check::title;
use super::{Output, Verdict};
use crate::args::{Format, Part, SaveArgs};
use crate::files::{InputError, load_rules, load_save, load_world};
use crate::formats::show::{ContainerJson, HolderJson, KindJson, ShowJson, rules_json};
use crate::inputs::{FileKind, Inputs};
use crate::render::container::weight_text;
use crate::render::{Page, Tone, clip, container, kinds};
use hypotheke::{ContainerId, Place, Ruleset, World};

pub(crate) fn run(
    output: &mut Output,
    files: &[String],
    part: Option<Part>,
    saved: &SaveArgs,
) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(files, saved.rules.as_deref(), FileKind::Ruleset, true)?;
    let rules = Arc::new(load_rules(&inputs.ruleset()?)?);
    inputs.check_words(&rules)?;
    let places = &inputs.words[..];
    if part.is_some() && !places.is_empty() {
        return Err(InputError::usage(
            "`--part` cannot be combined with places",
            Some("Remove `--part` or the places"),
        ));
    }
    let from_save = inputs.named_save.is_some();
    let (save, world) = match &inputs.named_save {
        Some(path) => {
            let save = load_save(path, saved.allow_edited)?;
            let world = load_world(path, &save, &rules)?;
            (Some(save), world)
        }
        None => (None, World::new(&rules)),
    };
    // A transfer record has one container or holder.
    let departed = save.as_ref().filter(|save| !save.is_world()).map(|save| {
        let snapshot = save.snapshot();
        let holder = snapshot.holders.first().map(|holder| holder.name.clone());
        holder
            .into_iter()
            .chain(snapshot.containers.first().map(|container| container.name.clone()))
            .collect::<Vec<_>>()
    });
    let chosen = chosen_containers(&world, departed.as_deref().filter(|_| places.is_empty()).unwrap_or(places))?;
    let with_kinds = places.is_empty() && part.map_or(!from_save, |part| part == Part::Kinds);
    let with_containers = part.is_none_or(|part| part == Part::Containers);
    let with_rules = part == Some(Part::Rules);
    if output.format == Format::Json {
        let mut value = ShowJson::new(&rules);
        if with_containers {
            value.containers = Some(chosen.iter().filter_map(|&id| ContainerJson::new(&world, id)).collect());
            if from_save {
                value.add_world(&world);
            }
            value.holders = Some(world.holders().filter_map(|id| HolderJson::new(&world, id)).collect());
        }
        if with_kinds {
            value.kinds = Some(rules.kinds().map(|kind| KindJson::new(&rules, kind)).collect());
        }
        if with_rules {
            value.rules = Some(rules_json(&rules));
        }
        output.write_json(&value)?;
        return Ok(Verdict::Good);
    }
    let mut page = Page::default();
    page.put(Tone::Heading, &clip(title(&rules), 80)).put(Tone::Faint, &format!("   version {}", rules.version()));
    if from_save {
        let saved =
            if departed.is_some() { "departed".to_owned() } else { format!("saved at revision {}", world.revision()) };
        page.put(Tone::Faint, &format!("   {saved}"));
    }
    page.end();
    if with_containers {
        for &id in &chosen {
            page.blank();
            container::draw(&mut page, &world, id);
        }
        if places.is_empty() {
            if from_save {
                container::draw_hands(&mut page, &world);
                page.blank();
                container::draw_ground(&mut page, &world);
                container::draw_orphans(&mut page, &world);
            } else {
                draw_packs(&mut page, &rules);
            }
            draw_holders(&mut page, &world);
        }
    }
    if with_kinds {
        page.blank();
        kinds::draw(&mut page, &rules);
    }
    if with_rules {
        draw_rules(&mut page, &rules);
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

/// Every setting that is not at its default.
fn draw_rules(page: &mut Page, rules: &Ruleset) {
    for (subject, settings) in rules.settings() {
        // The rules of a slot follow the slot.
        let written = settings.iter().filter(|setting| !setting.is_default);
        let mut head = Some(format!("{} {}", subject.kind.word(), subject.name));
        for setting in written {
            if let Some(head) = head.take() {
                page.blank();
                page.line(Tone::Heading, &clip(head.trim_end(), 100));
            }
            page.plain("  ").put(Tone::Faint, &crate::render::pad(&setting.name, 30)).plain(" ");
            page.plain(&clip(&setting.value, 70)).end();
        }
    }
}

/// The kinds with a pack.
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
            def.encumbrance().map(|(from, label)| format!("{label} at {}", world.rules().weight_text(from))).collect();
        if !thresholds.is_empty() {
            let now = world.encumbrance(id).map_or(String::new(), |label| format!("; now {label}"));
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
