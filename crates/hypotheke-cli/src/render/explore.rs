//! What an exploration found, drawn: a verdict a claim, each trace with the containers before and after its last step.

use std::collections::BTreeSet;

use super::report::counted;
use super::{Page, Tone, clip, container, fold, pad};
use crate::findings::Searched;
use crate::formats::explore::{ConcurrentJson, ExploreJson, ExploredJson, TraceJson};
use hypotheke::explore::{Bound, ExplorationReport, Status, Trace};
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
            Status::Violated(trace) => draw_trace(page, trace, true),
            Status::Reachable(trace) => draw_trace(page, trace, false),
            _ => {}
        }
        draw_vacuous(page, &verdict.vacuous);
    }
    if let Some((trace, violations)) = &found.law_violation {
        page.line(Tone::Bad, "  a law is broken, which no rules bring about: this is a fault of the program");
        draw_trace(page, trace, true);
        for violation in violations {
            page.plain("      ").put(Tone::Bad, &clip(&violation.to_string(), 90)).end();
        }
    }
    draw_covered(page, found);
    let file = ExploredJson::new(searched);
    draw_scope(page, &file);
    if let Some(several) = &searched.concurrent {
        draw_several(page, &ConcurrentJson::new(several), searched.network_steps);
    }
    page.blank();
}

/// What came of several holders at once.
fn draw_several(page: &mut Page, several: &ConcurrentJson, network_steps: Option<u64>) {
    let ways = counted(usize::try_from(several.interleavings).unwrap_or(usize::MAX), "way");
    let text = format!("several at once: {ways} of falling between each other, {} requests received", several.received);
    page.plain("  ").put(Tone::Faint, &text).end();
    let Some(broken) = &several.failure else {
        let what = "nothing is doubled, nothing lost, and each end is that of some order";
        page.plain("  ").put(if several.complete { Tone::Good } else { Tone::Notable }, what).end();
        if !several.complete {
            let played = network_steps.map_or_else(String::new, |most| format!(" than {most} network_steps have"));
            let more = format!("there are more ways{played}: `--network_steps` with a larger number goes further");
            page.plain("  ").put(Tone::Notable, &more).end();
        }
        return;
    };
    draw_steps(page, broken, true);
}

fn draw_steps(page: &mut Page, trace: &TraceJson, closely: bool) {
    draw_way(page, trace.start.as_deref(), &trace.steps);
    if closely {
        draw_end(page, &trace.message, &trace.why);
    }
}

/// So many places of a start are told.
const MAX_PLACES: usize = 6;

/// What of the start it takes, and the steps from there.
fn draw_way(page: &mut Page, start: Option<&[String]>, steps: &[String]) {
    if start.is_some_and(<[String]>::is_empty) {
        page.plain("    ").put(Tone::Faint, "from ").plain("nothing").end();
    }
    for (nth, line) in start.unwrap_or_default().iter().take(MAX_PLACES).enumerate() {
        let from = if nth == 0 { "from " } else { "     " };
        page.plain("    ").put(Tone::Faint, from).plain(&clip(line, 88)).end();
    }
    let more = start.map_or(0, |start| start.len().saturating_sub(MAX_PLACES));
    if more > 0 {
        page.plain("         ").put(Tone::Faint, &format!("and what lies in {}", counted(more, "more place"))).end();
    }
    for (nth, step) in (1..).zip(steps) {
        page.put(Tone::Faint, &format!("    {nth:>3}  ")).plain(&clip(step, 90)).end();
    }
}

/// What is wrong at the end of a trace, and why its last step was applied.
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

/// What the parts of a run have found. The states are not there to be drawn.
pub(crate) fn draw_combined(page: &mut Page, whole: &ExploreJson, missing: &[String]) {
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
            claim.trace.iter().for_each(|trace| draw_steps(page, trace, is_broken));
            draw_vacuous(page, &claim.vacuous);
        }
        file.law_violation.iter().for_each(|trace| draw_steps(page, trace, true));
        let walked = file.walks.as_ref().map_or(0, |walks| walks.completed);
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
        let named = file.not_searched.iter().filter(|what| is_meant(&what.code));
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
        Status::Violated(_) => (Tone::Bad, "broken"),
        Status::Reachable(_) => (Tone::Good, "reached"),
        Status::Unreachable => (Tone::Bad, "impossible"),
        Status::Inconclusive => (Tone::Notable, "undecided"),
    }
}

fn draw_trace(page: &mut Page, trace: &Trace, closely: bool) {
    if trace.steps.is_empty() {
        page.plain("      at the start: ").plain(&clip(&trace.message, 78)).end();
        return;
    }
    draw_way(page, trace.start.as_deref(), &trace.steps);
    if !closely {
        return;
    }
    draw_end(page, &trace.message, &trace.why);
    let touched = touched(trace);
    page.blank();
    // A hand is no container that is drawn.
    if touched.is_empty() {
        return;
    }
    for (world, when) in [(&trace.before, "before step"), (&trace.after, "after step")] {
        page.put(Tone::Faint, &format!("{when} {}", trace.steps.len())).end();
        for &id in &touched {
            container::draw(page, world, id);
            page.blank();
        }
    }
}

/// The containers that the last step changed, those around them first.
fn touched(trace: &Trace) -> Vec<ContainerId> {
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
    let all = with_insides(&trace.before).into_iter().chain(with_insides(&trace.after));
    let changed = all.filter(|&id| {
        let name = trace.before.container_name(id);
        let differs = contents(&trace.before, id) != contents(&trace.after, id);
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
        counted(usize::try_from(found.states).unwrap_or(usize::MAX), "world"),
        found.applied,
        refused,
        depth,
        found.memory_bytes as f64 / 1e6
    );
    page.plain("  ").put(Tone::Faint, &text);
    if found.edge_memory_bytes > 0 {
        let share = found.edge_memory_bytes.saturating_mul(100) / found.memory_bytes.max(1);
        page.put(Tone::Faint, &format!(", {share} % of it for what is recoverable"));
    }
    page.end();
    let (tone, what) = match found.stopped_by {
        None if found.complete => (Tone::Good, "every world that can be reached was seen".to_owned()),
        None => (Tone::Plain, "every claim was decided before all states were seen".to_owned()),
        Some(Bound::Depth(depth)) => {
            (Tone::Plain, format!("every world within {depth} operations was seen; no more were tried (`--depth`)"))
        }
        Some(Bound::States(states)) => {
            (Tone::Notable, format!("stopped at {states} states; there are others (`--states`)"))
        }
        Some(Bound::Memory(bytes)) => {
            (Tone::Notable, format!("stopped at {} MB; there are other states (`--memory`)", bytes / 1_000_000))
        }
        Some(Bound::Time(seconds)) => {
            (Tone::Notable, format!("stopped after {seconds} s; there are other states (`--time`)"))
        }
        Some(Bound::Interrupt) => (Tone::Notable, "interrupted; there are other states".to_owned()),
    };
    page.plain("  ").put(tone, &what).end();
}

pub(crate) fn draw_summary(page: &mut Page, all: &[Searched]) {
    let verdicts = || all.iter().flat_map(|searched| &searched.found.verdicts);
    let interleaving =
        all.iter().filter(|searched| searched.concurrent.as_ref().is_some_and(|it| it.failure.is_some()));
    let law_violation = all.iter().filter(|searched| searched.found.law_violation.is_some());
    let failed =
        verdicts().filter(|verdict| verdict.status.is_failure()).count() + interleaving.count() + law_violation.count();
    let cut =
        all.iter().filter(|searched| searched.concurrent.as_ref().is_some_and(|it| it.stopped_by.is_some())).count();
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
            "next   `--write FOLDER` keeps the traces as scenarios that fail until the rules are mended",
        )
        .end();
    } else if failed > 0 {
        page.put(Tone::Faint, "next   `hypotheke verify` plays them; they hold when the last step of each is refused")
            .end();
    } else if open > 0 {
        page.put(Tone::Faint, "next   more can be seen: raise the bound that is named, or play less").end();
    }
}
