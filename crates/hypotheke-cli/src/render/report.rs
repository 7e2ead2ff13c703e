//! The results of scenarios.

use hypotheke::scenario::{Answer, DifferenceRow, Failure, Finding, ScenarioReport, StepReport, differences};
use hypotheke::text::{Source, Span};
use hypotheke::{ContainerId, World};

use super::{Page, Tone, clip, container, differences as changes, pad, width};

/// The scenarios of one file. The rows of a table share a header; passed rows share a line, unless
/// their steps are shown.
pub(crate) fn draw_file(page: &mut Page, source: &Source, reports: &[&ScenarioReport]) {
    for group in by_scenario(reports) {
        let is_shown = |report: &&&ScenarioReport| !report.passed() || !report.steps().is_empty();
        let shown: Vec<&ScenarioReport> = group.iter().filter(is_shown).copied().collect();
        if group[0].cells().is_empty() {
            draw(page, source, group[0]);
        } else if shown.is_empty() {
            let right = format!("{}, {}", counted(group.len(), "row"), sizes(group));
            draw_line_of(page, group[0].title(), true, &right);
        } else {
            draw_table(page, source, group, &shown);
        }
    }
}

/// The failures of one file. The failed rows of a table share a header.
pub(crate) fn draw_failures(page: &mut Page, source: &Source, reports: &[&ScenarioReport]) {
    for group in by_scenario(reports) {
        let failed: Vec<&ScenarioReport> = group.iter().filter(|report| !report.passed()).copied().collect();
        match failed.first() {
            None => {}
            Some(report) if report.cells().is_empty() => draw(page, source, report),
            Some(_) => draw_table(page, source, group, &failed),
        }
    }
}

/// The reports of each scenario: one, or one for each row of its table.
fn by_scenario<'r, 's>(reports: &'r [&'s ScenarioReport]) -> impl Iterator<Item = &'r [&'s ScenarioReport]> {
    reports.chunk_by(|one, other| !one.cells().is_empty() && !other.cells().is_empty() && one.title() == other.title())
}

/// Some rows of a table under one header. `group` has all of its rows.
fn draw_table(page: &mut Page, source: &Source, group: &[&ScenarioReport], shown: &[&ScenarioReport]) {
    let failed = group.iter().filter(|report| !report.passed()).count();
    let rows = counted(group.len(), "row");
    let result = if failed == 0 { rows } else { format!("{failed} of {rows} failed") };
    draw_line_of(page, group[0].title(), failed == 0, &format!("{result}, {}", sizes(group)));
    let heads = group[0].columns();
    let widths: Vec<usize> = (0..heads.len())
        .map(|column| {
            let cells = shown.iter().map(|report| width(&report.cells()[column]));
            cells.fold(width(&heads[column]), usize::max).min(40)
        })
        .collect();
    let line = |cells: &[String]| {
        let padded = cells.iter().zip(&widths).map(|(cell, &columns)| pad(cell, columns));
        padded.collect::<Vec<_>>().join("  ")
    };
    page.plain(&" ".repeat(WORD)).rest(Tone::Plain, &line(heads)).end();
    for report in shown {
        draw_line_of(page, &line(report.cells()), report.passed(), &sizes(&[report]));
        draw_details(page, source, report);
    }
}

/// The columns of `passed` and `FAILED` with their gaps.
const WORD: usize = 10;

/// `30 steps, 1 check`
fn sizes(reports: &[&ScenarioReport]) -> String {
    let sum = |count: fn(&ScenarioReport) -> usize| reports.iter().map(|report| count(report)).sum();
    format!("{}, {}", counted(sum(ScenarioReport::operations), "step"), counted(sum(ScenarioReport::checks), "check"))
}

/// One line for a file, with its counts.
pub(crate) fn draw_file_line(page: &mut Page, source: &Source, reports: &[&ScenarioReport]) {
    let failed = reports.iter().filter(|report| !report.passed()).count();
    let passed = counted(reports.len() - failed, "scenario");
    let result =
        if failed == 0 { passed } else { format!("{failed} of {} failed", counted(reports.len(), "scenario")) };
    draw_line_of(page, source.name(), failed == 0, &format!("{result}, {}", sizes(reports)));
}

fn draw_line_of(page: &mut Page, title: &str, passed: bool, right: &str) {
    let (word, tone) = if passed { ("passed", Tone::Good) } else { ("FAILED", Tone::Bad) };
    page.plain("  ").put(tone, word).plain("  ");
    let title = clip(title.trim_end(), page.room().saturating_sub(width(right) + 2));
    page.put(if passed { Tone::Plain } else { Tone::Heading }, &title).right(Tone::Plain, right).end();
}

/// One line for the scenario, then its steps if the report has them, then what failed.
pub(crate) fn draw(page: &mut Page, source: &Source, report: &ScenarioReport) {
    draw_line_of(page, report.title(), report.passed(), &sizes(&[report]));
    draw_details(page, source, report);
}

fn draw_details(page: &mut Page, source: &Source, report: &ScenarioReport) {
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
    page.plain("          ").rest(Tone::Plain, &step.sentence).end();
    let (tone, text) = answer_text(&step.answer);
    page.plain("            -> ").rest(tone, &text).end();
    for event in &step.events {
        page.plain("               ").rest(Tone::Plain, event).end();
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
        Finding::Measure { what, comparison, expected, expected_of, found, unit, .. } => {
            let of = expected_of.as_ref().map_or_else(String::new, |of| format!(" ({of})"));
            let expected = format!("{} {}{of}", comparison.symbol(), format!("{expected} {unit}").trim_end());
            let of = if expected_of.is_some() { format!(" ({what})") } else { String::new() };
            two_lines(page, &expected, &format!("{}{of}", format!("{found} {unit}").trim_end()));
        }
        Finding::Contents { place, rows } => draw_difference(page, place, rows),
        Finding::List { what, expected, found } => draw_lists(page, what, expected, found),
        Finding::Worlds { snapshot, differences } => changes::draw(page, [snapshot, "now"], differences),
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
    let position = format!(":{}:{}  {place}", at.line, at.column);
    let file = clip(source.name(), (page.columns() - 4).saturating_sub(width(&position)));
    page.plain("    ").plain(&file).plain(&position).end();
    let line = source.line_span(span.start());
    let text = source.slice(line).trim_end();
    let blank = text.len() - text.trim_start().len();
    let number = at.line.to_string();
    page.plain(&format!("    {number} ")).put(Tone::Faint, "| ");
    let room = page.room();
    page.rest(Tone::Heading, text.trim_start()).end();
    let before = source.slice(Span::new(line.start() + blank, span.start().max(line.start() + blank)));
    let part = source.slice(Span::new(span.start(), span.end().min(line.start() + text.len()).max(span.start())));
    let indent = width(before).min(room);
    let carets = "^".repeat(width(part).clamp(1, room.saturating_sub(indent).max(1)));
    page.plain(&format!("    {} ", " ".repeat(number.len()))).put(Tone::Faint, "| ");
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

fn labelled(page: &mut Page, head: &str, tone: Tone, text: &str) {
    page.plain(&format!("      {head:10}")).folded(tone, text.trim_end());
}

fn two_lines(page: &mut Page, expected: &str, found: &str) {
    labelled(page, "expected", Tone::Good, expected);
    labelled(page, "found", Tone::Bad, found);
}

/// The expected contents of a place beside the actual ones.
fn draw_difference(page: &mut Page, place: &str, rows: &[DifferenceRow]) {
    let most = page.columns() / 2;
    let widest = rows.iter().map(|row| width(&row.item)).fold(width(place), usize::max).min(most);
    page.plain("      ").plain(&pad(place, widest)).plain("   expected   found").end();
    for row in rows {
        let expected = row.expected.map_or_else(|| "-".to_owned(), |count| count.to_string());
        let (tone, note) = if row.matches { (Tone::Plain, "") } else { (Tone::Bad, "   differs") };
        page.plain("      ").plain(&pad(&row.item, widest));
        page.put(tone, &format!("   {expected:>8} {:>7}{note}", row.found)).end();
    }
}

/// The changes of the failed step, or since the start, in the containers that the failures are
/// about. Without changes: their contents.
fn draw_places(page: &mut Page, failures: &[Failure]) {
    // Only the checks at the end fail together, and they see the same world.
    let Some(failure) = failures.last() else { return };
    let mut places: Vec<ContainerId> = Vec::new();
    for &id in failures.iter().flat_map(|failure| &failure.places) {
        if !places.contains(&id) {
            places.push(id);
        }
    }
    let world = &failure.world;
    let names: Vec<String> = places.iter().map(|&id| world.container_name(id)).collect();
    // Items may have moved to a hand or to the ground, which are in no container.
    let is_about = |container: &str| {
        let within = |name: &String| container.strip_prefix(name.as_str()).is_some_and(|rest| rest.starts_with('/'));
        failure.step.is_some() || container.is_empty() || names.iter().any(|name| name == container || within(name))
    };
    let is_drawn = failures.iter().any(|failure| matches!(failure.finding, Finding::Worlds { .. }));
    let mut changed = failure.before.as_ref().map_or_else(Vec::new, |before| differences(before, world));
    changed.retain(|found| is_about(&found.container));
    if !changed.is_empty() && !is_drawn {
        page.blank();
        let heads = match failure.step {
            Some(_) => ["before the step", "after the step"],
            None => ["at the start", "at the end"],
        };
        changes::draw(page, heads, &changed);
    } else if !places.is_empty() && !is_drawn {
        page.blank();
        draw_contents(page, world, &places);
    }
    page.blank();
}

/// The maximum number of containers and of stacks whose contents are listed.
const MAX_CONTAINERS: usize = 4;
const MAX_STACKS: usize = 12;

fn draw_contents(page: &mut Page, world: &World, places: &[ContainerId]) {
    let shown = &places[..places.len().min(MAX_CONTAINERS)];
    for (nth, &id) in shown.iter().enumerate() {
        let Some(def) = world.container_def(id) else { continue };
        let usage = container::usage(world, id, def);
        let head = if nth == 0 { "contents" } else { "" };
        labelled(page, head, Tone::Plain, &format!("{}: {usage}", world.container_name(id)));
        let stacks = world.slots(id).filter_map(|slot| {
            let stack = slot.stack()?;
            Some(format!("{}: {}", container::label(slot), container::described(stack)))
        });
        let mut items: Vec<String> = stacks.collect();
        let more = items.len().saturating_sub(MAX_STACKS);
        if more > 0 {
            items.truncate(MAX_STACKS);
            items.push(format!("and {more} more"));
        }
        if !items.is_empty() {
            page.plain(&" ".repeat(18)).items(Tone::Plain, items.iter().map(String::as_str), ", ");
        }
    }
    if places.len() > shown.len() {
        labelled(page, "", Tone::Plain, &format!("and {}", counted(places.len() - shown.len(), "more container")));
    }
}
