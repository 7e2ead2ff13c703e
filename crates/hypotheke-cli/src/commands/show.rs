//! show: containers with their contents, holders, kinds and settings.

use std::sync::Arc;

use super::check::put_title;
use super::{Output, Verdict};
use crate::args::{Format, Part, WorldArgs};
use crate::files::{InputError, load_rules, load_save, load_start};
use crate::formats::show::{ContainerJson, HolderJson, KindJson, ShowJson, rules_json};
use crate::inputs::{FileKind, Inputs};
use crate::render::{Page, Tone, container, holder, kinds, pad};
use hypotheke::{ContainerId, HolderId, Place, Ruleset, World};

pub(crate) fn run(
    output: &mut Output,
    files: &[String],
    part: Option<Part>,
    saved: &WorldArgs,
) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(files, saved.save.rules.as_deref(), FileKind::Ruleset, true)?;
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
    let save = match &inputs.named_save {
        Some(path) => Some((path.as_path(), load_save(path, saved.save.allow_edited)?)),
        None => None,
    };
    let save = save.as_ref().map(|(path, save)| (*path, save));
    let world = load_start(save, saved.away, &rules)?;
    // A transfer record has one container or holder.
    let departed = save.map(|(_, save)| save).filter(|save| !save.is_world()).map(|save| {
        let snapshot = save.snapshot();
        let holder = snapshot.holders.first().map(|holder| holder.name.clone());
        holder
            .into_iter()
            .chain(snapshot.containers.first().map(|container| container.name.clone()))
            .collect::<Vec<_>>()
    });
    let chosen = Chosen::new(&world, departed.as_deref().filter(|_| places.is_empty()).unwrap_or(places))?;
    let with_kinds = places.is_empty() && part.map_or(!from_save, |part| part == Part::Kinds);
    let with_containers = part.is_none_or(|part| part == Part::Containers);
    let with_rules = part == Some(Part::Rules);
    if output.format == Format::Json {
        let mut value = ShowJson::new(&rules);
        if with_containers {
            value.containers =
                Some(chosen.containers.iter().filter_map(|&id| ContainerJson::new(&world, id)).collect());
            if from_save {
                value.add_world(&world);
            }
            let holders = if places.is_empty() { world.holders().collect() } else { chosen.holders.clone() };
            value.holders = Some(holders.into_iter().filter_map(|id| HolderJson::new(&world, id)).collect());
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
    let mut page = output.page();
    put_title(&mut page, &rules);
    if let Some((_, save)) = save {
        let at = match saved.away {
            _ if departed.is_some() => "departed".to_owned(),
            None => format!("saved at revision {}", world.revision()),
            Some(ticks) => {
                let ticks = container::ticks_text(u64::from(ticks));
                format!("{ticks} after revision {}", save.snapshot().revision)
            }
        };
        page.plain(&format!("   {at}"));
    }
    page.end();
    if with_containers {
        let is_whole = places.is_empty();
        let (first, last) =
            if is_whole { (Vec::new(), world.holders().collect()) } else { (chosen.holders, Vec::new()) };
        draw_holders(&mut page, &world, &first);
        for &id in &chosen.containers {
            page.blank();
            container::draw(&mut page, &world, id);
        }
        if is_whole && from_save {
            page.blank();
            container::draw_ground(&mut page, &world);
            container::draw_orphans(&mut page, &world);
        }
        draw_holders(&mut page, &world, &last);
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

/// The requested places: holders, and containers with those of the holders.
#[derive(Default)]
struct Chosen {
    holders: Vec<HolderId>,
    containers: Vec<ContainerId>,
}

impl Chosen {
    fn new(world: &World, places: &[String]) -> Result<Chosen, InputError> {
        if places.is_empty() {
            return Ok(Chosen { containers: world.containers().collect(), ..Chosen::default() });
        }
        let mut chosen = Chosen::default();
        for name in places {
            let unknown = |message: String, help: Option<&str>| InputError::usage(message, help);
            let path = name.parse().map_err(|error| unknown(format!("`{name}`: {error}"), None))?;
            match world.place(&path, None).map_err(|error| unknown(error.to_string(), error.help_text()))? {
                Place::Slot(id, _) | Place::Container(id) => chosen.add(id),
                Place::Holder(id) => {
                    if !chosen.holders.contains(&id) {
                        chosen.holders.push(id);
                    }
                    world.carried(id).for_each(|id| chosen.add(id));
                }
                _ => return Err(unknown(format!("`{name}` is not a container or holder"), None)),
            }
        }
        Ok(chosen)
    }

    fn add(&mut self, id: ContainerId) {
        if !self.containers.contains(&id) {
            self.containers.push(id);
        }
    }
}

fn draw_holders(page: &mut Page, world: &World, holders: &[HolderId]) {
    for &id in holders {
        page.blank();
        holder::draw(page, world, id);
    }
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
                page.rest(Tone::Heading, head.trim_end()).end();
            }
            page.plain("  ").plain(&pad(&setting.name, 30)).plain(" ").folded(Tone::Plain, &setting.value);
        }
    }
}
