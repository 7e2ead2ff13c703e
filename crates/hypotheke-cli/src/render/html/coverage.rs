//! Which rules the scenarios test.

use hypotheke::coverage::{ChangeVerdict, RuleReport, Tested};
use maud::{Markup, html};

use crate::findings::Report;
use crate::render::report::counted;

/// The rules that are listed.
const MAX_RULES: usize = 2_000;

pub(super) fn section(report: &Report) -> Markup {
    let found = match &report.coverage {
        Ok(found) => found,
        Err(why) => return html! { p.notable { "Not measured. " (why) "." } },
    };
    let is_open = |rule: &&RuleReport| matches!(rule.tested(), Tested::Not | Tested::Partly);
    let open: Vec<&RuleReport> = found.rules().iter().filter(is_open).collect();
    let table = html! {
        table.sortable.searchable {
            caption { "Rules that no scenario tests, or not in full" }
            thead {
                tr {
                    th scope="col" { "Of" }
                    th scope="col" { "Rule" }
                    th scope="col" { "Changes that no scenario detects" }
                    th scope="col" { "Line" }
                }
            }
            tbody { @for rule in open.iter().take(MAX_RULES) { (row(report, rule)) } }
        }
    };
    html! {
        p {
            strong { (found.percent()) "%" } " of the rules are tested: "
            (found.count(Tested::Complete)) " in full, " (found.count(Tested::Partly)) " partly, "
            (found.count(Tested::Not)) " not. " (counted(found.count(Tested::Redundant), "rule")) " redundant. "
            "Each rule was changed, and the scenarios ran again."
        }
        @if !found.not_testable().is_empty() {
            details {
                summary { "Settings that no scenario can test" }
                ul { @for it in found.not_testable() { li { (it.setting) " (" (it.count) "): " (it.because) } } }
            }
        }
        @if !open.is_empty() { (super::wide("Untested rules", &table)) }
        (super::and_more(open.len().saturating_sub(MAX_RULES), "rule", "List them with `hypotheke coverage`."))
    }
}

fn row(report: &Report, rule: &RuleReport) -> Markup {
    let is_undetected = |verdict: &ChangeVerdict| matches!(verdict, ChangeVerdict::Undetected { .. });
    let undetected = rule.changes.iter().filter(|change| is_undetected(&change.verdict));
    let undetected: Vec<&str> = undetected.map(|change| change.text.as_str()).collect();
    html! {
        tr {
            th scope="row" { (rule.subject.kind.word()) " " (rule.subject.name) }
            td { (rule.text) }
            td { (undetected.join(", ")) }
            td { (super::link(report, Some(rule.at))) }
        }
    }
}
