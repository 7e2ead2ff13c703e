//! Each scenario with its steps, and what they change.

use hypotheke::World;
use hypotheke::scenario::{PlaceDifference, ScenarioReport, differences};
use hypotheke::text::Source;
use maud::{Markup, html};

use crate::findings::Report;
use crate::render::Page;
use crate::render::report::{answer_text, counted, draw_failures};

/// The scenarios of which the steps are listed.
const MAX_SCENARIOS: usize = 1_500;
/// The places of one table.
const MAX_PLACES: usize = 60;
/// The columns of the text of a failure.
const TEXT: usize = 100;

pub(super) fn section(report: &Report) -> Markup {
    let files = report.runs.chunk_by(|(one, _), (other, _)| one.name() == other.name());
    html! {
        @if report.runs.is_empty() { p { "There are no scenarios." } }
        @let mut left = MAX_SCENARIOS;
        @for file in files {
            @let failed = file.iter().filter(|(_, report)| !report.passed()).count();
            h3 { code { (file[0].0.name()) } }
            p { (counted(file.len(), "scenario")) @if failed > 0 { ", " strong.bad { (failed) " FAILED" } } }
            @for (source, report) in file.iter().take(left) { (scenario(source, report)) }
            (super::and_more(file.len().saturating_sub(left), "scenario", "Run them with `hypotheke verify --steps`."))
            @let () = left = left.saturating_sub(file.len());
        }
    }
}

fn scenario(source: &Source, report: &ScenarioReport) -> Markup {
    let (class, word) = if report.passed() { ("good", "passed") } else { ("bad", "FAILED") };
    let line = source.line_column(report.span().start()).line;
    html! {
        details.scenario open[!report.passed()] {
            summary {
                span class=(class) { (word) } " " (report.title())
                @if let Some(row) = report.row() { " " span.note { (row) } }
            }
            p.note {
                "Line " (line) ": " (counted(report.operations(), "step")) ", " (counted(report.checks(), "check"))
            }
            ol.steps {
                @for step in report.steps() {
                    @let (tone, answer) = answer_text(&step.answer);
                    li {
                        code { (step.sentence.trim()) } " "
                        span class=(super::class(tone)) { (answer) }
                        @if !step.events.is_empty() { ul { @for event in &step.events { li { (event) } } } }
                    }
                }
            }
            @if !report.passed() {
                @let mut page = Page::new(TEXT);
                @let () = draw_failures(&mut page, source, &[&without_steps(report)]);
                pre.failure tabindex="0" role="group" aria-label="The failure" { (page.into_plain_text()) }
            }
            @if let (Some(start), Some(end)) = (report.start(), report.end()) { (changed(start, end)) }
        }
    }
}

/// The failure alone: the steps are listed above it.
fn without_steps(report: &ScenarioReport) -> ScenarioReport {
    report.clone().without_steps()
}

/// The places with different contents, before and after.
pub(super) fn changed(before: &World, after: &World) -> Markup {
    let found = differences(before, after);
    let row = |PlaceDifference { place, before, after, .. }: &PlaceDifference| {
        html! { tr { th scope="row" { (place) } td { (before) } td { (after) } } }
    };
    let table = html! {
        table {
            caption { "What changed" }
            thead { tr { th scope="col" { "Place" } th scope="col" { "Before" } th scope="col" { "After" } } }
            tbody { @for one in found.iter().take(MAX_PLACES) { (row(one)) } }
        }
    };
    html! {
        @if found.is_empty() { p.note { "Nothing changed." } }
        @else { (super::wide("What changed", &table)) }
        (super::and_more(found.len().saturating_sub(MAX_PLACES), "place", ""))
    }
}
