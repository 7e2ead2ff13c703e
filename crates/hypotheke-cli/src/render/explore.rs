//! What an exploration found, drawn: a verdict a claim, each trail with the containers before and after its last step.

use std::collections::BTreeSet;

use super::report::counted;
use super::{Page, Tone, clip, container, fold, pad};
use crate::findings::Searched;
use crate::formats::explore::{ExploreJson, ExploredJson, SeveralJson, TrailJson};
use hypotheke::explore::{Bound, ExplorationReport, Status, Trail};
use hypotheke::{ContainerId, World};

pub(crate) fn draw(page: &mut Page, searched: &Searched) {
    let found = &searched.found;
    page.put(Tone::Heading, &clip(&searched.path.display().to_string(), 90)).end();
    for verdict in &found.verdicts {
        let (tone, word) = word(&verdict.status, !verdict.vacuous.is_empty());
        let text = format!("{} {}", verdict.claim.kind().word(), verdict.claim.text());
        for (nth, line) in fold(&text, 80).into_iter().enumerate() {
            page.plain("  ").put(tone, &pad(if nth == 0 { word } else { "" }, 14)).plain(&line).end();
        }
        match &verdict.status {
            Status::Broken(trail) => draw_trail(page, trail, true),
            Status::Reached(trail) => draw_trail(page, trail, false),
            _ => {}
        }
        draw_vacuous(page, &verdict.vacuous);
    }
    if let Some((trail, violations)) = &found.unlawful {
        page.line(Tone::Bad, "  a law is broken, which no rules bring about: this is a fault of the program");
        draw_trail(page, trail, true);
        for violation in violations {
            page.plain("      ").put(Tone::Bad, &clip(&violation.to_string(), 90)).end();
        }
    }
    draw_covered(page, found);
    let file = ExploredJson::new(searched);
    draw_scope(page, &file);
    if let Some(several) = &searched.several {
        draw_several(page, &SeveralJson::new(several), searched.happenings);
    }
    page.blank();
}

/// What came of several holders at once.
fn draw_several(page: &mut Page, several: &SeveralJson, happenings: Option<u64>) {
    let ways = counted(usize::try_from(several.ways).unwrap_or(usize::MAX), "way");
    let text = format!("several at once: {ways} of falling between each other, {} requests received", several.received);
    page.plain("  ").put(Tone::Faint, &text).end();
    let Some(broken) = &several.broken else {
        let what = "nothing is doubled, nothing lost, and each end is that of some order";
        page.plain("  ").put(if several.all { Tone::Good } else { Tone::Notable }, what).end();
        if !several.all {
            let played = happenings.map_or_else(String::new, |most| format!(" than {most} happenings have"));
            let more = format!("there are more ways{played}: `--happenings` with a larger number goes further");
            page.plain("  ").put(Tone::Notable, &more).end();
        }
        return;
    };
    draw_steps(page, broken, true);
}

fn draw_steps(page: &mut Page, trail: &TrailJson, closely: bool) {
    draw_way(page, trail.start.as_deref(), &trail.steps);
    if closely {
        draw_end(page, &trail.message, &trail.why);
    }
}

/// So many places of a start are told.
const MOST_PLACES: usize = 6;

/// What of the start it takes, and the steps from there.
fn draw_way(page: &mut Page, start: Option<&[String]>, steps: &[String]) {
    if start.is_some_and(<[String]>::is_empty) {
        page.plain("    ").put(Tone::Faint, "from ").plain("nothing").end();
    }
    for (nth, line) in start.unwrap_or_default().iter().take(MOST_PLACES).enumerate() {
        let from = if nth == 0 { "from " } else { "     " };
        page.plain("    ").put(Tone::Faint, from).plain(&clip(line, 88)).end();
    }
    let more = start.map_or(0, |start| start.len().saturating_sub(MOST_PLACES));
    if more > 0 {
        page.plain("         ").put(Tone::Faint, &format!("and what lies in {}", counted(more, "more place"))).end();
    }
    for (nth, step) in (1..).zip(steps) {
        page.put(Tone::Faint, &format!("    {nth:>3}  ")).plain(&clip(step, 90)).end();
    }
}

/// What is wrong at the end of a trail, and why its last step was applied.
fn draw_end(page: &mut Page, message: &str, why: &[String]) {
    for line in fold(message, 88) {
        page.plain("      ").put(Tone::Bad, &line).end();
    }
    for why in why {
        for (nth, line) in fold(why, 82).into_iter().enumerate() {
            page.plain("      ").put(Tone::Faint, if nth == 0 { "since " } else { "      " }).plain(&line).end();
        }
    }
}

/// What the parts of a run have found. The worlds are not there to be drawn.
pub(crate) fn draw_gathered(page: &mut Page, whole: &ExploreJson, missing: &[String]) {
    for file in &whole.files {
        page.put(Tone::Heading, &clip(&file.path, 90)).end();
        for claim in &file.claims {
            let tone = match claim.status.as_str() {
                "holds" | "reached" => Tone::Good,
                "broken" | "impossible" => Tone::Bad,
                _ => Tone::Notable,
            };
            let word = if claim.vacuous.is_empty() { claim.status.replace('-', " ") } else { "vacuous".to_owned() };
            for (nth, line) in fold(&format!("{} {}", claim.kind, claim.claim), 80).into_iter().enumerate() {
                page.plain("  ").put(tone, &pad(if nth == 0 { &word } else { "" }, 14)).plain(&line).end();
            }
            let is_broken = claim.status == "broken";
            claim.trail.iter().for_each(|trail| draw_steps(page, trail, is_broken));
            draw_vacuous(page, &claim.vacuous);
        }
        file.unlawful.iter().for_each(|trail| draw_steps(page, trail, true));
        let walked = file.walks.as_ref().map_or(0, |walks| walks.walked);
        let refused = file.refused.values().fold(0_u64, |all, count| all.saturating_add(*count));
        let walks = counted(usize::try_from(walked).unwrap_or(usize::MAX), "walk");
        page.plain("  ").put(Tone::Faint, &format!("{walks}, {} applied, {refused} refused", file.applied)).end();
        draw_scope(page, file);
        page.blank();
    }
    let failed = whole.files.iter().filter(|file| file.is_failure()).count();
    let (tone, what) = if failed > 0 { (Tone::Bad, "something is broken") } else { (Tone::Good, "nothing is broken") };
    page.put(Tone::Heading, "gathered").plain(": ").put(tone, what).end();
    if !missing.is_empty() {
        page.put(Tone::Notable, &clip(&format!("missing  {}", missing.join(", ")), 98)).end();
    }
}

/// What a claim speaks of and what never occurred.
fn draw_vacuous(page: &mut Page, vacuous: &[String]) {
    for what in vacuous {
        page.plain("      ").put(Tone::Notable, &clip(what, 90)).end();
    }
}

/// What was never applied, never entered and not tried.
fn draw_scope(page: &mut Page, file: &ExploredJson) {
    let mut list = |title: &str, items: &[String]| {
        if items.is_empty() {
            return;
        }
        for (nth, line) in fold(&items.join(", "), 80).into_iter().enumerate() {
            page.plain("  ").put(Tone::Faint, &pad(if nth == 0 { title } else { "" }, 15)).plain(&line).end();
        }
    };
    let never = file.verbs.iter().filter(|used| used.applied == 0).map(|used| {
        let most = used.refused.values().max();
        let reason = most.and_then(|most| used.refused.iter().find(|(_, count)| *count == most));
        match reason {
            Some((reason, _)) => format!("{} (refused: {reason})", used.verb),
            None => format!("{} (none tried)", used.verb),
        }
    });
    list("never applied", &never.collect::<Vec<_>>());
    list("never entered", &file.never_entered);
    let groups = [("verbs: ", "verb"), ("containers: ", "container"), ("holders: ", "holder")];
    let of = |is_meant: &dyn Fn(&str) -> bool| -> Vec<String> {
        let named = file.not_tried.iter().filter(|what| is_meant(&what.code));
        named.map(|what| what.text.clone()).collect()
    };
    let mut title = "not tried";
    for (subject, code) in groups {
        let mut named = of(&|it| it == code);
        if let Some(first) = named.first_mut() {
            first.insert_str(0, subject);
            list(std::mem::take(&mut title), &named);
        }
    }
    // Whatever belongs to no group: nothing that was not tried is left out here.
    list(title, &of(&|it| groups.iter().all(|(_, code)| *code != it)));
}

fn word(status: &Status, is_vacuous: bool) -> (Tone, &'static str) {
    match status {
        Status::Holds | Status::NoViolationFound if is_vacuous => (Tone::Notable, "vacuous"),
        Status::Holds => (Tone::Good, "holds"),
        Status::NoViolationFound => (Tone::Notable, "holds so far"),
        Status::Broken(_) => (Tone::Bad, "broken"),
        Status::Reached(_) => (Tone::Good, "reached"),
        Status::Impossible => (Tone::Bad, "impossible"),
        Status::Undecided => (Tone::Notable, "undecided"),
    }
}

fn draw_trail(page: &mut Page, trail: &Trail, closely: bool) {
    if trail.steps.is_empty() {
        page.plain("      at the start: ").plain(&clip(&trail.message, 78)).end();
        return;
    }
    draw_way(page, trail.start.as_deref(), &trail.steps);
    if !closely {
        return;
    }
    draw_end(page, &trail.message, &trail.why);
    let touched = touched(trail);
    page.blank();
    // A hand is no container that is drawn.
    if touched.is_empty() {
        return;
    }
    for (world, when) in [(&trail.before, "before step"), (&trail.after, "after step")] {
        page.put(Tone::Faint, &format!("{when} {}", trail.steps.len())).end();
        for &id in &touched {
            container::draw(page, world, id);
            page.blank();
        }
    }
}

/// The containers that the last step changed, those around them first.
fn touched(trail: &Trail) -> Vec<ContainerId> {
    let contents = |world: &World, id: ContainerId| -> Vec<(u32, String, u32, Vec<String>)> {
        let stack = |(slot, stack): (u32, hypotheke::StackView<'_>)| {
            (slot, stack.id().to_string(), stack.count(), stack.marks().map(str::to_owned).collect())
        };
        world.stacks(id).map(stack).collect()
    };
    let with_insides = |world: &World| -> Vec<ContainerId> {
        let mut all: Vec<ContainerId> = world.containers().collect();
        let mut next = 0;
        while let Some(&id) = all.get(next) {
            all.extend(world.stacks(id).filter_map(|(_, stack)| stack.inside()));
            next += 1;
        }
        all
    };
    let mut seen = BTreeSet::new();
    let all = with_insides(&trail.before).into_iter().chain(with_insides(&trail.after));
    let changed = all.filter(|&id| {
        let name = trail.before.container_name(id);
        let differs = contents(&trail.before, id) != contents(&trail.after, id);
        differs && !name.contains('/') && seen.insert(name)
    });
    changed.take(4).collect()
}

fn draw_covered(page: &mut Page, found: &ExplorationReport) {
    if let Some(walks) = found.walks {
        let refused: u64 = found.refused.values().sum();
        let walks = counted(usize::try_from(walks).unwrap_or(usize::MAX), "walk");
        page.plain("  ").put(Tone::Faint, &format!("{walks}, {} applied, {refused} refused", found.applied)).end();
        let what = match found.stopped_by {
            None => "all walks were walked; there are other ways",
            Some(_) => "stopped before all walks were walked",
        };
        page.plain("  ").plain(what).end();
        return;
    }
    let depth = found.by_depth.len().saturating_sub(1);
    let refused: u64 = found.refused.values().sum();
    let text = format!(
        "{}, {} applied, {} refused, {} deep, {:.1} MB",
        counted(usize::try_from(found.worlds).unwrap_or(usize::MAX), "world"),
        found.applied,
        refused,
        depth,
        found.memory as f64 / 1e6
    );
    page.plain("  ").put(Tone::Faint, &text);
    if found.memory_of_ways > 0 {
        let share = found.memory_of_ways.saturating_mul(100) / found.memory.max(1);
        page.put(Tone::Faint, &format!(", {share} % of it for what is recoverable"));
    }
    page.end();
    let (tone, what) = match found.stopped_by {
        None if found.exhausted => (Tone::Good, "every world that can be reached was seen".to_owned()),
        None => (Tone::Plain, "every claim was decided before all worlds were seen".to_owned()),
        Some(Bound::Depth(depth)) => {
            (Tone::Plain, format!("every world within {depth} operations was seen; no more were tried (`--depth`)"))
        }
        Some(Bound::Worlds(worlds)) => {
            (Tone::Notable, format!("stopped at {worlds} worlds; there are others (`--worlds`)"))
        }
        Some(Bound::Memory(bytes)) => {
            (Tone::Notable, format!("stopped at {} MB; there are other worlds (`--memory`)", bytes / 1_000_000))
        }
        Some(Bound::Time(seconds)) => {
            (Tone::Notable, format!("stopped after {seconds} s; there are other worlds (`--time`)"))
        }
        Some(Bound::Interrupt) => (Tone::Notable, "interrupted; there are other worlds".to_owned()),
    };
    page.plain("  ").put(tone, &what).end();
}

pub(crate) fn draw_summary(page: &mut Page, all: &[Searched]) {
    let verdicts = || all.iter().flat_map(|searched| &searched.found.verdicts);
    let tangled = all.iter().filter(|searched| searched.several.as_ref().is_some_and(|it| it.broken.is_some()));
    let unlawful = all.iter().filter(|searched| searched.found.unlawful.is_some());
    let failed = verdicts().filter(|verdict| verdict.status.is_failure()).count() + tangled.count() + unlawful.count();
    let cut = all.iter().filter(|searched| searched.several.as_ref().is_some_and(|it| it.stopped_by.is_some())).count();
    let open = verdicts().filter(|verdict| verdict.status.is_open()).count() + cut;
    let vacuous = verdicts().filter(|verdict| !verdict.vacuous.is_empty()).count();
    let (tone, what) = if failed > 0 {
        (Tone::Bad, format!("{failed} broken"))
    } else if open > 0 {
        (Tone::Notable, format!("none broken, {open} open"))
    } else if verdicts().count() == 0 {
        (Tone::Good, "the laws hold".to_owned())
    } else {
        (Tone::Good, "all hold".to_owned())
    };
    page.put(Tone::Heading, &counted(verdicts().count(), "claim")).plain(": ").put(tone, &what);
    if vacuous > 0 {
        page.plain(", ").put(Tone::Notable, &format!("{vacuous} vacuous"));
    }
    page.end();
    let written: Vec<_> = all.iter().flat_map(|searched| &searched.written).collect();
    for path in &written {
        page.plain(&format!("wrote  {}", path.display())).end();
    }
    if failed > 0 && written.is_empty() {
        page.put(
            Tone::Faint,
            "next   `--write FOLDER` keeps the trails as scenarios that fail until the rules are mended",
        )
        .end();
    } else if failed > 0 {
        page.put(Tone::Faint, "next   `hypotheke verify` plays them; they hold when the last step of each is refused")
            .end();
    } else if open > 0 {
        page.put(Tone::Faint, "next   more can be seen: raise the bound that is named, or play less").end();
    }
}
