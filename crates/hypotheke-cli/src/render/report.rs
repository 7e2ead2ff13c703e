//! The results of scenarios.

use hypotheke::ContainerId;
use hypotheke::scenario::{Answer, DifferenceRow, Failure, Finding, PlaceDifference, ScenarioReport, StepReport};
use hypotheke::text::{Source, Span};

use super::page::WIDTH;
use super::{Page, Tone, clip, container, fold, pad, width};

/// The scenarios of one file. Passed rows of a table share a line, unless their steps are shown.
pub(crate) fn draw_file(page: &mut Page, source: &Source, reports: &[&ScenarioReport]) {
    let same_table = |one: &&ScenarioReport, other: &&ScenarioReport| {
        one.row().is_some() && other.row().is_some() && one.title() == other.title()
    };
    for group in reports.chunk_by(same_table) {
        if group[0].row().is_none() {
            draw(page, source, group[0]);
            continue;
        }
        let is_folded = |report: &&ScenarioReport| report.passed() && report.steps().is_empty();
        let (folded, shown): (Vec<&ScenarioReport>, Vec<&ScenarioReport>) = group.iter().copied().partition(is_folded);
        if !shown.is_empty() {
            page.plain("          ").plain(&clip(group[0].title(), WIDTH - 10)).end();
        }
        shown.iter().for_each(|report| draw(page, source, report));
        if !folded.is_empty() {
            let rows = if shown.is_empty() { counted(folded.len(), "row") } else { format!("{} more", folded.len()) };
            let sum = |count: fn(&ScenarioReport) -> usize| folded.iter().map(|report| count(report)).sum();
            let steps = counted(sum(ScenarioReport::operations), "step");
            let right = format!("{rows}, {steps}, {}", counted(sum(ScenarioReport::checks), "check"));
            let title = if shown.is_empty() { group[0].title() } else { "  the other rows" };
            draw_line_of(page, title, true, &right);
        }
    }
}

/// One line for a file, with its counts.
pub(crate) fn draw_file_line(page: &mut Page, source: &Source, reports: &[&ScenarioReport]) {
    let failed = reports.iter().filter(|report| !report.passed()).count();
    let sum = |count: fn(&ScenarioReport) -> usize| reports.iter().map(|report| count(report)).sum();
    let sizes = format!(
        "{}, {}",
        counted(sum(ScenarioReport::operations), "step"),
        counted(sum(ScenarioReport::checks), "check")
    );
    let passed = counted(reports.len() - failed, "scenario");
    let result =
        if failed == 0 { passed } else { format!("{failed} of {} failed", counted(reports.len(), "scenario")) };
    draw_line_of(page, source.name(), failed == 0, &format!("{result}, {sizes}"));
}

fn draw_line_of(page: &mut Page, title: &str, passed: bool, right: &str) {
    let title = clip(title, WIDTH - 12 - width(right));
    let gap = WIDTH.saturating_sub(10 + width(&title) + width(right));
    let (word, tone) = if passed { ("passed", Tone::Good) } else { ("FAILED", Tone::Bad) };
    page.plain("  ").put(tone, word).plain("  ");
    page.put(if passed { Tone::Plain } else { Tone::Heading }, &title);
    page.plain(&" ".repeat(gap)).put(Tone::Faint, right).end();
}

/// One line for the scenario, then its steps if the report has them, then what failed.
pub(crate) fn draw(page: &mut Page, source: &Source, report: &ScenarioReport) {
    let right = counted(report.operations(), "step") + ", " + &counted(report.checks(), "check");
    let title = report.row().map_or_else(|| report.title().to_owned(), |row| format!("  {row}"));
    draw_line_of(page, &title, report.passed(), &right);
    for step in report.steps() {
        draw_step(page, step);
    }
    for failure in report.failures() {
        draw_failure(page, source, failure);
    }
    draw_places(page, report.failures());
}

/// `1 step`, `3 steps`
pub(crate) fn counted(count: usize, what: &str) -> String {
    if count == 1 { format!("{count} {what}") } else { format!("{count} {what}s") }
}

fn draw_step(page: &mut Page, step: &StepReport) {
    page.plain("          ").plain(&clip(&step.sentence, WIDTH - 10)).end();
    let (tone, text) = answer_text(&step.answer);
    page.put(Tone::Faint, "            -> ").put(tone, &clip(&text, WIDTH - 15)).end();
    for event in &step.events {
        page.put(Tone::Faint, &clip(&format!("               {event}"), WIDTH)).end();
    }
}

pub(crate) fn answer_text(answer: &Answer) -> (Tone, String) {
    match answer {
        Answer::Applied { verb, outcome } => {
            (if outcome.is_complete() { Tone::Good } else { Tone::Notable }, outcome.text(verb))
        }
        Answer::Refused { refusal, because } => {
            let could =
                if refusal.max_amount() > 0 { format!("; up to {}", refusal.max_amount()) } else { String::new() };
            (Tone::Notable, format!("refused: {}: {because}{could}", refusal.reason()))
        }
        Answer::Unresolved(why) => (Tone::Notable, format!("refused: unknown: {why}")),
        Answer::Checked { passed: true } => (Tone::Good, "passed".to_owned()),
        Answer::Checked { passed: false } => (Tone::Bad, "FAILED".to_owned()),
    }
}

fn draw_failure(page: &mut Page, source: &Source, failure: &Failure) {
    page.blank();
    let mut place = match failure.step {
        Some(step) => format!("step {step}"),
        None => "at the end".to_owned(),
    };
    if let Some(called) = failure.called_at {
        let line = source.line_column(called.start()).line;
        place.push_str(&format!(", in shared steps, called from line {line}"));
    }
    draw_line(page, source, failure.span, &place);
    match &failure.finding {
        Finding::Answer { expected, found, reasons } => {
            two_lines(page, expected, found);
            reasons.iter().skip(1).for_each(|reason| labelled(page, "also", Tone::Notable, reason));
        }
        Finding::Unresolved(why) => two_lines(page, "an existing place", why),
        Finding::Measure { comparison, expected, found, unit, .. } => {
            two_lines(page, &format!("{} {expected} {unit}", comparison.symbol()), &format!("{found} {unit}"));
        }
        Finding::Contents { place, rows } => draw_difference(page, place, rows),
        Finding::List { what, expected, found } => draw_lists(page, what, expected, found),
        Finding::Worlds { snapshot, differences } => draw_changes(page, snapshot, differences),
        Finding::Law { violations } => {
            two_lines(page, "no law violation", "law violations; this is a defect of hypotheke:");
            violations.iter().for_each(|found| labelled(page, "", Tone::Bad, &found.to_string()));
        }
        other => two_lines(page, "as the line says", &format!("{other:?}")),
    }
}

/// The line in its file, with the sentence underlined.
fn draw_line(page: &mut Page, source: &Source, span: Span, place: &str) {
    let at = source.line_column(span.start());
    let file = clip(source.name(), WIDTH - 30 - width(place));
    page.plain("    ").put(Tone::Faint, &format!("{file}:{}:{}  ", at.line, at.column)).put(Tone::Faint, place).end();
    let line = source.line_span(span.start());
    let text = source.slice(line).trim_end();
    let blank = text.len() - text.trim_start().len();
    let number = at.line.to_string();
    let room = WIDTH - 8 - number.len();
    let shown = clip(text.trim_start(), room);
    page.put(Tone::Faint, &format!("    {number} | ")).put(Tone::Heading, &shown).end();
    let before = source.slice(Span::new(line.start() + blank, span.start().max(line.start() + blank)));
    let part = source.slice(Span::new(span.start(), span.end().min(line.start() + text.len()).max(span.start())));
    let indent = width(before).min(room);
    let carets = "^".repeat(width(part).clamp(1, room.saturating_sub(indent).max(1)));
    page.put(Tone::Faint, &format!("    {} | ", " ".repeat(number.len())));
    page.plain(&" ".repeat(indent)).put(Tone::Bad, &carets).end();
}

/// Expected and actual contents, item by item; differences are marked.
fn draw_lists(page: &mut Page, what: &str, expected: &[String], found: &[String]) {
    for (head, items, others) in [("expected", expected, found), ("found", found, expected)] {
        if items.is_empty() {
            labelled(page, head, Tone::Plain, &format!("no {what}"));
        }
        let mut head = head;
        for item in items {
            let (tone, text) =
                if others.contains(item) { (Tone::Plain, item.clone()) } else { (Tone::Bad, format!("▸{item}")) };
            labelled(page, head, tone, &text);
            head = "";
        }
    }
}

fn draw_changes(page: &mut Page, snapshot: &str, differences: &[PlaceDifference]) {
    let widest = |text: fn(&PlaceDifference) -> &str, least: usize| {
        differences.iter().map(|found| width(text(found))).max().unwrap_or(0).clamp(least, 30)
    };
    let (place, then) = (widest(|found| &found.place, 5), widest(|found| &found.before, width(snapshot)));
    let heads = format!("      {}  {}  now", pad("place", place), pad(snapshot, then));
    page.line(Tone::Faint, &heads);
    for found in differences {
        page.plain("      ").plain(&pad(&found.place, place)).plain("  ").plain(&pad(&found.before, then));
        page.plain("  ").put(Tone::Bad, &clip(&found.after, WIDTH - 10 - place - then)).end();
    }
}

fn labelled(page: &mut Page, head: &str, tone: Tone, text: &str) {
    let mut head = head;
    for line in fold(text.trim_end(), WIDTH - 16) {
        page.put(Tone::Faint, &format!("      {head:10}")).put(tone, &line).end();
        head = "";
    }
}

fn two_lines(page: &mut Page, expected: &str, found: &str) {
    labelled(page, "expected", Tone::Good, expected);
    labelled(page, "found", Tone::Bad, found);
}

/// The expected contents of a place beside the actual ones.
fn draw_difference(page: &mut Page, place: &str, rows: &[DifferenceRow]) {
    let widest = rows.iter().map(|row| width(&row.item)).max().unwrap_or(0).max(width(place)).min(60);
    page.plain("      ").plain(&pad(place, widest)).put(Tone::Faint, "   expected   found").end();
    for row in rows {
        let expected = row.expected.map_or_else(|| "-".to_owned(), |count| count.to_string());
        let (tone, note) = if row.matches { (Tone::Plain, "") } else { (Tone::Bad, "   differs") };
        page.plain("      ").plain(&pad(&row.item, widest));
        page.put(tone, &format!("   {expected:>8} {:>7}{note}", row.found)).end();
    }
}

/// The containers that the failures have to do with, as they were then; before and after if that is
/// not the same.
fn draw_places(page: &mut Page, failures: &[Failure]) {
    let Some(last) = failures.last() else { return };
    let mut drawn = Vec::new();
    for failure in failures {
        for &id in &failure.places {
            if !drawn.contains(&id) {
                drawn.push(id);
                draw_place(page, failure, id);
            }
        }
    }
    container::draw_hands(page, &last.world);
    if last.world.ground().next().is_some() {
        page.blank();
        container::draw_ground(page, &last.world);
    }
    page.blank();
}

fn draw_place(page: &mut Page, failure: &Failure, id: ContainerId) {
    let world = &failure.world;
    let differing =
        failure.before.as_ref().filter(|before| before.has_container(id) && container::differs_in(world, id, before));
    let Some(before) = differing else {
        page.blank();
        return container::draw(page, world, id);
    };
    let heads = if failure.step.is_some() { ["before the step", "after it"] } else { ["at the start", "at the end"] };
    for (head, world, other) in [(heads[0], before, world), (heads[1], world, before)] {
        page.blank();
        page.line(Tone::Faint, &format!("{head}; ▸ marks differences"));
        container::draw_beside(page, world, id, Some(other));
    }
}
