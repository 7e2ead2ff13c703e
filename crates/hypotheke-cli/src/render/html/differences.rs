//! The differences from an earlier ruleset.

use hypotheke::RuleDifference;
use maud::{Markup, html};

use crate::findings::{Report, ScenarioChange};
use crate::render::report::counted;

/// `None` without an earlier ruleset.
pub(super) fn section(report: &Report) -> Option<Markup> {
    let against = report.against.as_ref()?;
    let table = html! {
        table.sortable.searchable {
            caption { "Differences in meaning" }
            thead {
                tr {
                    th scope="col" { "Of" }
                    th scope="col" { "Setting" }
                    th scope="col" { "Before" }
                    th scope="col" { "Now" }
                }
            }
            tbody { @for found in &against.differences { (row(found)) } }
        }
    };
    Some(html! {
        p { "Against " code { (against.path) } ": " (counted(against.differences.len(), "difference")) "." }
        @if !against.differences.is_empty() { (super::wide("Differences", &table)) }
        @if against.runs == 0 && against.scenarios.is_empty() {
            p { "No scenario ran with both." }
        } @else if against.scenarios.is_empty() {
            p { (counted(against.runs, "scenario")) " ran with both, each with the same verdict." }
        } @else {
            h3 { "Scenarios with a different verdict" }
            ul { @for change in &against.scenarios { (scenario(change)) } }
        }
    })
}

fn row(found: &RuleDifference) -> Markup {
    let list = |head: &str, kinds: &[String]| {
        html! { @if !kinds.is_empty() { br; span.note { (head) " " (kinds.join(", ")) } } }
    };
    html! {
        tr {
            th scope="row" { (found.subject.kind.word()) " " (found.subject.name) }
            td { (found.setting) }
            td { @match &found.old { Some(old) => (old), None => span.note { "none" } } }
            td {
                @match &found.new { Some(new) => (new), None => span.note { "none" } }
                (list("newly admitted:", &found.newly_admitted))
                (list("no longer admitted:", &found.no_longer_admitted))
                (list("not compared:", &found.not_compared))
            }
        }
    }
}

fn scenario(change: &ScenarioChange) -> Markup {
    let class = if change.is_failure() { "bad" } else { "plain" };
    html! {
        li {
            strong class=(class) { (change.old) " → " (change.new) } " " (change.title)
            @if let Some(row) = &change.row { ": " (row) }
            br; span.note { (change.file) ": " (change.explanation) }
        }
    }
}
