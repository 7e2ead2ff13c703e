//! Each claim with its verdict, its counterexample, and what the search left out.

use hypotheke::explore::{Status, Trace, Verdict};
use maud::{Markup, PreEscaped, html};

use crate::files::InputError;
use crate::findings::{Report, Searched};
use crate::formats::explore::ExploredJson;
use crate::render::chart;
use crate::render::explore::{how_far, scope_lines, word};
use crate::render::report::counted;

pub(super) fn section(report: &Report) -> Result<Markup, InputError> {
    let files = report.searches.iter().map(file).collect::<Result<Vec<Markup>, InputError>>()?;
    Ok(html! {
        @if files.is_empty() { p { "There are no claims." } }
        @for file in files { (file) }
    })
}

fn file(searched: &Searched) -> Result<Markup, InputError> {
    let found = &searched.found;
    let json = ExploredJson::new(searched);
    let (tone, seen) = how_far(found);
    let refused: u64 = found.refused.values().sum();
    let states = counted(usize::try_from(found.states).unwrap_or(usize::MAX), "state");
    // Its title is the heading here.
    let drawn = ExploredJson { path: String::new(), ..ExploredJson::new(searched) };
    let svg =
        chart::draw(&[drawn]).map_err(|error| InputError::usage(format!("cannot draw the chart: {error}"), None))?;
    let scope = scope_lines(&json);
    Ok(html! {
        h3 { code { (json.path) } }
        @for verdict in &found.verdicts { (claim(verdict)) }
        @if let Some((trace, violations)) = &found.law_violation {
            p.bad { "A law is violated: this is a defect of hypotheke." }
            (steps(trace, true))
            ul { @for violation in violations { li { (violation) } } }
        }
        p {
            (states) ", " (found.applied) " operations applied, " (refused) " refused. "
            span class=(super::class(tone)) { (seen) } "."
        }
        @if !scope.is_empty() {
            details {
                summary { "Scope of the search" }
                dl {
                    @for (title, items) in &scope {
                        @if !title.is_empty() { dt { (title) } }
                        dd { (items.join(", ")) }
                    }
                }
            }
        }
        details {
            summary { "States by depth, refusals by reason" }
            figure role="img" aria-label=(described(&json)) { (PreEscaped(svg)) }
        }
    })
}

/// The figures of the chart in words.
fn described(json: &ExploredJson) -> String {
    let depths = json.by_depth.iter().enumerate().map(|(depth, states)| format!("{states} at depth {depth}"));
    let reasons = json.refused.iter().map(|(reason, count)| format!("{count} {reason}"));
    let listed = |all: Vec<String>| if all.is_empty() { "none".to_owned() } else { all.join(", ") };
    format!("States: {}. Refusals: {}.", listed(depths.collect()), listed(reasons.collect()))
}

fn claim(verdict: &Verdict) -> Markup {
    let (tone, word) = word(&verdict.status, !verdict.vacuous.is_empty());
    let sentence = format!("{} {}", verdict.claim.kind().word(), verdict.claim.text());
    let trace = match &verdict.status {
        Status::Violated(trace) => Some((trace, "Counterexample", true)),
        Status::Reachable(trace) => Some((trace, "Example", false)),
        _ => None,
    };
    html! {
        div.claim {
            p { strong class=(super::class(tone)) { (word) } " " (sentence) }
            @for what in &verdict.vacuous { p.notable { (what) } }
            @if let Some((trace, title, is_violated)) = trace {
                details open[is_violated] { summary { (title) } (steps(trace, is_violated)) }
            }
        }
    }
}

fn steps(trace: &Trace, closely: bool) -> Markup {
    html! {
        @if let Some(start) = &trace.start {
            p { @if start.is_empty() { "From nothing" } @else { "From this start:" } }
            @if !start.is_empty() { ul { @for line in start { li { code { (line) } } } } }
        }
        @if trace.steps.is_empty() { p { "At the start: " (trace.message) } }
        @else { ol.steps { @for step in &trace.steps { li { code { (step) } } } } }
        @if closely && !trace.steps.is_empty() {
            p.bad { (trace.message) }
            @if !trace.explanation.is_empty() {
                p { "Why the last step was applied:" }
                ul { @for why in &trace.explanation { li { (why) } } }
            }
            (super::scenarios::changed(&trace.before, &trace.after))
        }
    }
}
