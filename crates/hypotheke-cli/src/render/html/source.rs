//! The files of the ruleset, line by line, for the links to them.

use maud::{Markup, html};

use crate::findings::Report;

/// The lines of a file that are listed.
const MAX_LINES: usize = 12_000;

pub(super) fn anchor(source: usize, line: usize) -> String {
    format!("l{source}-{line}")
}

pub(super) fn is_listed(line: usize) -> bool {
    line <= MAX_LINES
}

pub(super) fn section(report: &Report) -> Markup {
    let sources = report.rules.sources().iter().enumerate();
    html! {
        @for (number, source) in sources {
            @let lines = source.text().lines().count();
            details open[number == 0] {
                summary { code { (source.name()) } }
                pre.source tabindex="0" role="group" aria-label=(source.name()) {
                    @for (nth, line) in (1..).zip(source.text().lines().take(MAX_LINES)) {
                        span id=(anchor(number, nth)) { span.number { (nth) } (line) "\n" }
                    }
                }
                (super::and_more(lines.saturating_sub(MAX_LINES), "line", "They are in the file."))
            }
        }
    }
}
