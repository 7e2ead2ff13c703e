//! What playing scenarios came to.

use hypotheke::scenario::{Answer, DifferenceRow, Failure, Finding, ScenarioReport, StepReport};
use hypotheke::text::Source;

use super::page::WIDTH;
use super::{Page, Tone, clip, container, fold, pad, width};

/// One line for the scenario, then its steps if the report has them, then what failed.
pub(crate) fn draw(page: &mut Page, source: &Source, report: &ScenarioReport) {
    let right = counted(report.played(), "step") + ", " + &counted(report.checks(), "check");
    let title = clip(report.title(), WIDTH - 12 - width(&right));
    let gap = WIDTH.saturating_sub(10 + width(&title) + width(&right));
    let (word, tone) = if report.passed() { ("holds", Tone::Good) } else { ("FAILS", Tone::Bad) };
    page.plain("  ").put(tone, word).plain("   ");
    page.put(if report.passed() { Tone::Plain } else { Tone::Heading }, &title);
    page.plain(&" ".repeat(gap)).put(Tone::Faint, &right).end();
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
            (if outcome.is_whole() { Tone::Good } else { Tone::Notable }, outcome.text(verb))
        }
        Answer::Refused { refusal, because } => {
            let could = if refusal.could() > 0 { format!("; {} could go", refusal.could()) } else { String::new() };
            (Tone::Notable, format!("refused: {}: {because}{could}", refusal.reason()))
        }
        Answer::Unresolved(why) => (Tone::Notable, format!("refused: unknown: {why}")),
        Answer::Checked { holds: true } => (Tone::Good, "holds".to_owned()),
        Answer::Checked { holds: false } => (Tone::Bad, "does not hold".to_owned()),
    }
}

fn draw_failure(page: &mut Page, source: &Source, failure: &Failure) {
    let line = source.line_column(failure.span.start()).line;
    let place = match failure.step {
        Some(step) => format!("line {line}, step {step}"),
        None => format!("line {line}, at the end"),
    };
    page.blank();
    let sentence = failure.sentence.split_whitespace().collect::<Vec<_>>().join(" ");
    page.plain("    ")
        .put(Tone::Faint, &format!("{place}: "))
        .put(Tone::Heading, &clip(&sentence, WIDTH - 6 - width(&place)))
        .end();
    match &failure.finding {
        Finding::Answer { expected, found } => two_lines(page, expected, found),
        Finding::Unresolved(why) => two_lines(page, "a place that is there", why),
        Finding::Measure { comparison, expected, found, unit, .. } => {
            two_lines(page, &format!("{} {expected} {unit}", comparison.symbol()), &format!("{found} {unit}"));
        }
        Finding::Contents { place, rows } => draw_difference(page, place, rows),
        other => two_lines(page, "what the line says", &format!("{other:?}")),
    }
}

fn two_lines(page: &mut Page, expected: &str, found: &str) {
    for (head, tone, text) in [("expected", Tone::Good, expected), ("found", Tone::Bad, found)] {
        let mut head = head;
        for line in fold(text.trim_end(), WIDTH - 16) {
            page.put(Tone::Faint, &format!("      {head:10}")).put(tone, &line).end();
            head = "";
        }
    }
}

/// What should lie in a place beside what does.
fn draw_difference(page: &mut Page, place: &str, rows: &[DifferenceRow]) {
    let widest = rows.iter().map(|row| width(&row.item)).max().unwrap_or(0).max(width(place)).min(60);
    page.plain("      ").plain(&pad(place, widest)).put(Tone::Faint, "   expected   found").end();
    for row in rows {
        let expected = row.expected.map_or_else(|| "-".to_owned(), |count| count.to_string());
        let (tone, note) = if row.holds { (Tone::Plain, "") } else { (Tone::Bad, "   differs") };
        page.plain("      ").plain(&pad(&row.item, widest));
        page.put(tone, &format!("   {expected:>8} {:>7}{note}", row.found)).end();
    }
}

/// The containers that the failures have to do with, as they were then.
fn draw_places(page: &mut Page, failures: &[Failure]) {
    let Some(last) = failures.last() else { return };
    let mut drawn = Vec::new();
    for id in failures.iter().flat_map(|failure| &failure.places) {
        if !drawn.contains(id) {
            drawn.push(*id);
            page.blank();
            container::draw(page, &last.world, *id);
        }
    }
    container::draw_hands(page, &last.world);
    if last.world.ground().next().is_some() {
        page.blank();
        container::draw_ground(page, &last.world);
    }
    page.blank();
}
