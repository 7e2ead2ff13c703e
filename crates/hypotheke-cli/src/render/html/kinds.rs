//! The table of kinds.

use hypotheke::SubjectKind;
use maud::{Markup, html};

use crate::findings::Report;
use crate::render::kinds::{details, row};

/// The kinds that are listed.
pub(super) const MAX_KINDS: usize = 2_500;

pub(super) fn section(report: &Report) -> Markup {
    let rules = &report.rules;
    let unit = rules.weight_unit();
    let weight = if unit.is_empty() { "Weight".to_owned() } else { format!("Weight ({unit})") };
    let table = html! {
        table.sortable.searchable {
            caption { (crate::render::report::counted(rules.kinds().len(), "kind")) }
            thead {
                tr {
                    th scope="col" { "Kind" }
                    th scope="col" { "Name" }
                    th.figure scope="col" { (weight) }
                    th.figure scope="col" { "Value" }
                    th.figure scope="col" { "Stack" }
                    th scope="col" { "Tags" }
                    th scope="col" { "Details" }
                }
            }
            tbody {
                @for kind in rules.kinds().take(MAX_KINDS) {
                    @let [id, name, weight, value, stack, tags] = row(kind);
                    tr {
                        th scope="row" { (id) }
                        td { (name) }
                        td.figure { (weight) }
                        td.figure { (value) }
                        td.figure { (stack) }
                        td { (tags) }
                        td {
                            (details(rules, kind).join("; "))
                            @if !kind.note().is_empty() { " " span.note { (super::super::clip(kind.note(), 400)) } }
                            " " (super::link_to(report, SubjectKind::Kind, kind.id()))
                        }
                    }
                }
            }
        }
    };
    html! {
        (super::wide("Kinds", &table))
        (super::and_more(rules.kinds().len().saturating_sub(MAX_KINDS), "kind", "List them with `hypotheke show --part kinds`."))
    }
}
