//! The results of a search or of random walks: first every verdict, then every trace with the
//! containers that its last step changed.

use super::report::counted;
use super::{Page, Tone, differences as changes, pad};
use crate::findings::Searched;
use crate::formats::explore::{ConcurrentJson, ExploreJson, ExploredJson, TraceJson};
use crate::inputs::{Inputs, quoted};
use hypotheke::explore::{Bound, ExplorationReport, Status, Trace};
use hypotheke::scenario::differences;

pub(crate) fn draw(page: &mut Page, all: &[Searched], inputs: &Inputs) {
    for searched in all {
        draw_verdicts(page, searched);
        page.blank();
    }
    for searched in all {
        draw_traces(page, searched);
    }
    draw_summary(page, all, inputs);
}

/// Every verdict of one file, and the coverage of the search.
fn draw_verdicts(page: &mut Page, searched: &Searched) {
    let found = &searched.found;
    page.rest(Tone::Heading, &searched.path.display().to_string()).end();
    for verdict in &found.verdicts {
        let word = word(&verdict.status, !verdict.vacuous.is_empty());
        draw_verdict(page, word, &format!("{} {}", verdict.claim.kind().word(), verdict.claim.text()));
        draw_vacuous(page, &verdict.vacuous);
    }
    if found.law_violation.is_some() {
        page.line(Tone::Bad, "  law violation: this is a defect of hypotheke");
    }
    draw_covered(page, found);
    let file = ExploredJson::new(searched);
    draw_scope(page, &file);
    if let Some(concurrent) = &searched.concurrent {
        draw_concurrent(page, &ConcurrentJson::new(concurrent), searched.network_steps);
    }
}

fn draw_verdict(page: &mut Page, (tone, word): (Tone, &str), claim: &str) {
    page.plain("  ").put(tone, &pad(word, VERDICT)).folded(Tone::Plain, claim);
}

/// The columns of the longest verdict, with a gap.
const VERDICT: usize = 20;

/// Every trace of one file.
fn draw_traces(page: &mut Page, searched: &Searched) {
    let path = searched.path.display().to_string();
    let heading = |page: &mut Page, head: &str, text: &str| {
        page.put(Tone::Heading, head).plain("  ").rest(Tone::Plain, &path).end();
        page.plain("  ").folded(Tone::Plain, text);
    };
    let found = &searched.found;
    for verdict in &found.verdicts {
        let claim = format!("{} {}", verdict.claim.kind().word(), verdict.claim.text());
        match &verdict.status {
            Status::Violated(trace) => {
                heading(page, "counterexample", &claim);
                draw_trace(page, trace, true);
            }
            Status::Reachable(trace) => {
                heading(page, "example", &claim);
                draw_trace(page, trace, false);
                page.blank();
            }
            _ => {}
        }
    }
    if let Some((trace, violations)) = &found.law_violation {
        heading(page, "law violation", "This is a defect of hypotheke");
        draw_trace(page, trace, true);
        for violation in violations {
            page.plain("      ").folded(Tone::Bad, &violation.to_string());
        }
    }
    if let Some(failure) = searched.concurrent.as_ref().and_then(|concurrent| ConcurrentJson::new(concurrent).failure) {
        heading(page, "counterexample", "concurrent requests");
        draw_steps(page, &failure, true);
        page.blank();
    }
}

/// The coverage of the interleavings.
fn draw_concurrent(page: &mut Page, concurrent: &ConcurrentJson, network_steps: Option<u64>) {
    let count = counted(usize::try_from(concurrent.interleavings).unwrap_or(usize::MAX), "interleaving");
    let text = format!("concurrent requests: {count}, {} requests received", concurrent.received);
    page.plain("  ").folded(Tone::Plain, &text);
    if concurrent.failure.is_some() {
        page.line(Tone::Bad, "  the result of an interleaving is wrong");
        return;
    }
    let what = "no item lost or duplicated; every result equals that of a sequential order";
    page.plain("  ").put(if concurrent.complete { Tone::Good } else { Tone::Notable }, what).end();
    if !concurrent.complete {
        let bound = network_steps.map_or_else(String::new, |most| format!(" beyond {most} network steps"));
        page.line(Tone::Notable, &format!("  interleavings remain{bound}: raise `--network-steps`"));
    }
}

fn draw_steps(page: &mut Page, trace: &TraceJson, closely: bool) {
    draw_path(page, trace.start.as_deref(), &trace.steps);
    if closely {
        draw_end(page, &trace.message, &trace.explanation);
    }
}

/// The maximum number of places of a start that are shown.
const MAX_PLACES: usize = 6;

/// The contents that the start needs, and the steps from there.
fn draw_path(page: &mut Page, start: Option<&[String]>, steps: &[String]) {
    if start.is_some_and(<[String]>::is_empty) {
        page.plain("    from nothing").end();
    }
    for (nth, line) in start.unwrap_or_default().iter().take(MAX_PLACES).enumerate() {
        let from = if nth == 0 { "from " } else { "     " };
        page.plain("    ").plain(from).folded(Tone::Plain, line);
    }
    let more = start.map_or(0, |start| start.len().saturating_sub(MAX_PLACES));
    if more > 0 {
        page.plain(&format!("         and the contents of {}", counted(more, "more place"))).end();
    }
    for (nth, step) in (1..).zip(steps) {
        page.plain(&format!("    {nth:>3}  ")).folded(Tone::Heading, step);
    }
}

/// The finding at the end of a trace, and why its last step was applied.
fn draw_end(page: &mut Page, message: &str, why: &[String]) {
    page.plain("      ").folded(Tone::Bad, message);
    for why in why {
        page.plain("      why   ").folded(Tone::Plain, why);
    }
}

/// The combined results of the parts of a run, without drawings of states.
pub(crate) fn draw_combined(page: &mut Page, whole: &ExploreJson, missing: &[String]) {
    for file in &whole.files {
        page.rest(Tone::Heading, &file.path).end();
        for claim in &file.claims {
            let tone = match claim.status.as_str() {
                "holds" | "reachable" => Tone::Good,
                "violated" | "unreachable" => Tone::Bad,
                _ => Tone::Notable,
            };
            let word = if claim.vacuous.is_empty() { claim.status.replace('-', " ") } else { "vacuous".to_owned() };
            draw_verdict(page, (tone, &word), &format!("{} {}", claim.kind, claim.claim));
            let is_violated = claim.status == "violated";
            claim.trace.iter().for_each(|trace| draw_steps(page, trace, is_violated));
            draw_vacuous(page, &claim.vacuous);
        }
        file.law_violation.iter().for_each(|trace| draw_steps(page, trace, true));
        let walked = file.walks.as_ref().map_or(0, |walks| walks.completed);
        let refused = file.refused.values().fold(0_u64, |all, count| all.saturating_add(*count));
        let walks = counted(usize::try_from(walked).unwrap_or(usize::MAX), "walk");
        page.plain(&format!("  {walks}, {} applied, {refused} refused", file.applied)).end();
        draw_scope(page, file);
        page.blank();
    }
    let failed = whole.files.iter().filter(|file| file.is_failure()).count();
    let (tone, what) =
        if failed > 0 { (Tone::Bad, "a claim is violated") } else { (Tone::Good, "no claim is violated") };
    page.put(Tone::Heading, "combined").plain(": ").put(tone, what).end();
    if !missing.is_empty() {
        page.plain("missing  ").items(Tone::Notable, missing.iter().map(String::as_str), ", ");
    }
}

/// The parts of a claim that never occurred.
fn draw_vacuous(page: &mut Page, vacuous: &[String]) {
    for what in vacuous {
        page.plain("      ").folded(Tone::Notable, what);
    }
}

fn draw_scope(page: &mut Page, file: &ExploredJson) {
    for (title, items) in scope_lines(file) {
        page.plain("  ").plain(&pad(title, 15)).items(Tone::Plain, items.iter().map(String::as_str), ", ");
    }
}

/// Refusals by reason, verbs that were never applied, containers that were always empty, and what
/// was not searched, each as a title and a list. A list without a title continues the list above it.
pub(crate) fn scope_lines(file: &ExploredJson) -> Vec<(&'static str, Vec<String>)> {
    let mut lines: Vec<(&'static str, Vec<String>)> = Vec::new();
    let mut list = |title: &'static str, items: Vec<String>| {
        if !items.is_empty() {
            lines.push((title, items));
        }
    };
    let mut refused: Vec<(&String, &u64)> = file.refused.iter().collect();
    refused.sort_by(|one, other| other.1.cmp(one.1).then(one.0.cmp(other.0)));
    list("refused", refused.iter().map(|(reason, count)| format!("{reason} {count}")).collect());
    let never = file.verbs.iter().filter(|used| used.applied == 0).map(|used| {
        let most = used.refused.values().max();
        let reason = most.and_then(|most| used.refused.iter().find(|(_, count)| *count == most));
        match reason {
            Some((reason, _)) => format!("{} (refused: {reason})", used.verb),
            None => format!("{} (never tried)", used.verb),
        }
    });
    list("never applied", never.collect());
    list("always empty", file.never_entered.clone());
    let groups = [("verbs: ", "verb"), ("containers: ", "container"), ("holders: ", "holder")];
    let of = |is_meant: &dyn Fn(&str) -> bool| -> Vec<String> {
        let named = file.not_searched.iter().filter(|what| is_meant(&what.code));
        named.map(|what| what.text.clone()).collect()
    };
    let mut title = "not searched";
    for (subject, code) in groups {
        let mut named = of(&|it| it == code);
        if let Some(first) = named.first_mut() {
            first.insert_str(0, subject);
            list(std::mem::take(&mut title), named);
        }
    }
    // All others, so that the list is complete.
    list(title, of(&|it| groups.iter().all(|(_, code)| *code != it)));
    lines
}

pub(crate) fn word(status: &Status, is_vacuous: bool) -> (Tone, &'static str) {
    match status {
        Status::Holds | Status::NoViolationFound if is_vacuous => (Tone::Notable, "vacuous"),
        Status::Holds => (Tone::Good, "holds"),
        Status::NoViolationFound => (Tone::Notable, "no violation found"),
        Status::Violated(_) => (Tone::Bad, "VIOLATED"),
        Status::Reachable(_) => (Tone::Good, "reachable"),
        Status::Unreachable => (Tone::Bad, "UNREACHABLE"),
        Status::Inconclusive => (Tone::Notable, "inconclusive"),
    }
}

fn draw_trace(page: &mut Page, trace: &Trace, closely: bool) {
    if trace.steps.is_empty() {
        page.plain("      at the start: ").folded(Tone::Plain, &trace.message);
        return;
    }
    draw_path(page, trace.start.as_deref(), &trace.steps);
    if !closely {
        return;
    }
    draw_end(page, &trace.message, &trace.explanation);
    let changed = differences(&trace.before, &trace.after);
    if !changed.is_empty() {
        let step = trace.steps.len();
        page.blank();
        changes::draw(page, [&format!("before step {step}"), &format!("after step {step}")], &changed);
    }
    page.blank();
}

fn draw_covered(page: &mut Page, found: &ExplorationReport) {
    if let Some(walks) = found.walks {
        let refused: u64 = found.refused.values().sum();
        let walks = counted(usize::try_from(walks).unwrap_or(usize::MAX), "walk");
        page.plain(&format!("  {walks}, {} applied, {refused} refused", found.applied)).end();
        let what = match found.stopped_by {
            None => "All walks completed; other traces remain",
            Some(_) => "Stopped early: not all walks were completed",
        };
        page.plain("  ").plain(what).end();
        return;
    }
    let depth = found.by_depth.len().saturating_sub(1);
    let refused: u64 = found.refused.values().sum();
    let mut text = format!(
        "{}, {} applied, {} refused, depth {}, {:.1} MB",
        counted(usize::try_from(found.states).unwrap_or(usize::MAX), "state"),
        found.applied,
        refused,
        depth,
        found.memory_bytes as f64 / 1e6
    );
    if found.edge_memory_bytes > 0 {
        let share = found.edge_memory_bytes.saturating_mul(100) / found.memory_bytes.max(1);
        text.push_str(&format!(", {share}% of it for `recoverable` claims"));
    }
    page.plain("  ").folded(Tone::Plain, &text);
    let (tone, what) = how_far(found);
    page.plain("  ").put(tone, &what).end();
}

/// How much of all that can be reached a search has seen.
pub(crate) fn how_far(found: &ExplorationReport) -> (Tone, String) {
    match found.stopped_by {
        None if found.complete => (Tone::Good, "All reachable states were seen".to_owned()),
        None => (Tone::Plain, "All claims were decided; the search stopped early".to_owned()),
        Some(Bound::Depth(depth)) => (
            Tone::Plain,
            format!(
                "All states within {} were seen (`--depth`)",
                counted(usize::try_from(depth).unwrap_or(usize::MAX), "operation")
            ),
        ),
        Some(Bound::States(states)) => {
            (Tone::Notable, format!("Stopped at {states} states (`--states`); states remain"))
        }
        Some(Bound::Memory(bytes)) => {
            (Tone::Notable, format!("Stopped at {} MB (`--memory`); states remain", bytes / 1_000_000))
        }
        Some(Bound::Time(seconds)) => (Tone::Notable, format!("Stopped by `--time {seconds}`; states remain")),
        Some(Bound::Interrupt) => (Tone::Notable, "Interrupted; states remain".to_owned()),
    }
}

fn draw_summary(page: &mut Page, all: &[Searched], inputs: &Inputs) {
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
        (Tone::Bad, format!("{failed} FAILED"))
    } else if open > 0 {
        (Tone::Notable, format!("no violation found; {open} inconclusive"))
    } else if verdicts().count() == 0 {
        (Tone::Good, "no law violation".to_owned())
    } else {
        (Tone::Good, if verdicts().count() == 1 { "holds" } else { "all hold" }.to_owned())
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
        page.next(&format!("hypotheke explore{} --output counterexamples", inputs.pasted()));
    } else if failed > 0 {
        let files: Vec<String> = written.iter().map(|path| quoted(&path.display().to_string())).collect();
        page.next(&format!("hypotheke verify {}", files.join(" ")));
    } else if open > 0 {
        page.line(Tone::Plain, "next: raise the bound that stopped the search, or narrow the scope under `explore`");
    }
}
