//! A report as one page that needs nothing else: no network, and a script only to sort and search.
//!
//! Every text goes through the template, which escapes it. Characters that steer the reading, such
//! as those that turn its direction, are taken out of the whole page.

mod claims;
mod containers;
mod coverage;
mod differences;
mod fits;
mod kinds;
mod scenarios;
mod source;

use hypotheke::SubjectKind;
use hypotheke::text::Location;
use maud::{DOCTYPE, Markup, PreEscaped, html};

use super::{Tone, steers, summary};
use crate::files::InputError;
use crate::findings::{Audit, Report};

const STYLE: &str = include_str!("style.css");
const SCRIPT: &str = include_str!("script.js");

/// A part of the page: the id of its heading, the heading, and the contents.
struct Section {
    id: &'static str,
    title: &'static str,
    body: Markup,
}

/// The whole page.
pub(crate) fn page(report: &Report) -> Result<String, InputError> {
    let sections = [
        Some(Section { id: "summary", title: "Summary", body: summary_of(report) }),
        Some(Section { id: "claims", title: "Claims", body: claims::section(report)? }),
        Some(Section { id: "scenarios", title: "Scenarios", body: scenarios::section(report) }),
        Some(Section { id: "coverage", title: "Coverage", body: coverage::section(report) }),
        differences::section(report).map(|body| Section { id: "differences", title: "Differences", body }),
        Some(Section { id: "containers", title: "Containers", body: containers::section(report) }),
        Some(Section { id: "kinds", title: "Kinds", body: kinds::section(report) }),
        Some(Section { id: "fits", title: "What fits where", body: fits::section(report) }),
        Some(Section { id: "source", title: "Source", body: source::section(report) }),
    ];
    let sections: Vec<Section> = sections.into_iter().flatten().collect();
    let title = title(report);
    let page = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                title { (title) " — report" }
                style { (PreEscaped(STYLE)) }
            }
            body {
                a.skip href="#summary" { "Skip to the summary" }
                header {
                    h1 { (title) }
                    p { "Version " (report.rules.version()) " of " code { (report.path) } }
                }
                nav aria-label="Contents" {
                    ul { @for section in &sections { li { a href=(format!("#{}", section.id)) { (section.title) } } } }
                }
                main {
                    @for section in &sections {
                        section aria-labelledby=(section.id) {
                            h2 id=(section.id) { (section.title) }
                            (section.body)
                        }
                    }
                }
                footer { p { "Written by hypotheke " (env!("CARGO_PKG_VERSION")) } }
                script { (PreEscaped(SCRIPT)) }
            }
        }
    };
    let text = page.into_string();
    Ok(text.chars().map(|c| if c != '\n' && steers(c) { '\u{fffd}' } else { c }).collect())
}

fn title(report: &Report) -> &str {
    if report.rules.title().is_empty() { "Untitled ruleset" } else { report.rules.title() }
}

fn summary_of(report: &Report) -> Markup {
    let warnings = report.rules.lint();
    html! {
        ul.summary { @for (tone, line) in summary::lines(report) { li class=(class(tone)) { (line) } } }
        @if !report.saves.is_empty() {
            h3 { "Saves" }
            ul {
                @for save in &report.saves {
                    li {
                        code { (save.path) } " "
                        @match &save.audit {
                            Audit::Violations(found) if found.is_empty() => span.good { "no law violation" },
                            Audit::Violations(found) => { span.bad { "FAILED" } ul { @for it in found { li { (it) } } } },
                            Audit::OtherRuleset(why) => { span.notable { "not audited" } ": " (why) },
                        }
                    }
                }
            }
        }
        @if !warnings.is_empty() {
            h3 { "Likely mistakes in the ruleset" }
            ul {
                @for found in warnings.iter() {
                    li {
                        (found.message()) " " (link(report, Some(found.location())))
                        @if let Some(help) = found.help_text() { br; span.note { (help) } }
                    }
                }
            }
        }
    }
}

/// The class of a tone. The words say the same, so that nobody has to see the colour.
fn class(tone: Tone) -> &'static str {
    match tone {
        Tone::Good => "good",
        Tone::Bad | Tone::Error => "bad",
        Tone::Notable => "notable",
        _ => "plain",
    }
}

/// A link to the line where something is written.
fn link(report: &Report, at: Option<Location>) -> Markup {
    let sources = report.rules.sources();
    let Some((at, source)) = at.and_then(|at| Some((at, sources.get(at.source.index())?))) else { return html! {} };
    let line = source.line_column(at.span.start()).line;
    let text = format!("{}:{line}", source.name());
    match source::is_listed(line) {
        true => html! { a.line href=(format!("#{}", source::anchor(at.source.index(), line))) { (text) } },
        false => html! { span.line { (text) } },
    }
}

/// A link to the line where a part of the ruleset is written.
fn link_to(report: &Report, kind: SubjectKind, name: &str) -> Markup {
    link(report, report.rules.location_of(kind, name))
}

/// A table that may be wider than the page. It scrolls, also by the keyboard.
fn wide(label: &str, table: &Markup) -> Markup {
    html! { div.wide tabindex="0" role="group" aria-label=(label) { (table) } }
}

/// `and 12 more`, if some are left out.
fn and_more(left_out: usize, what: &str, where_else: &str) -> Markup {
    html! {
        @if left_out > 0 {
            p.note { "And " (super::report::counted(left_out, &format!("more {what}"))) ". " (where_else) }
        }
    }
}
