//! A report in short, as Markdown for a pull request or a chat.
//!
//! Texts from files are escaped, so that none of them is a heading, a link, an image, markup or a
//! mention. It stays within [`MAX_BYTES`]: it counts the entries that it leaves out.

use std::fmt::Write;

use hypotheke::coverage::{RuleReport, Tested};
use hypotheke::explore::{Status, Trace};
use hypotheke::scenario::ScenarioReport;
use hypotheke::text::Source;

use super::explore::{how_far, scope_lines, word};
use super::report::counted;
use super::{Page, clip, report, summary};
use crate::clean::clean;
use crate::findings::{Against, AuditedSave, Report, Searched};
use crate::formats::explore::ExploredJson;

/// The bytes of a summary: chats and pull requests take no more.
pub(crate) const MAX_BYTES: usize = 60_000;
/// The columns of one text.
const TEXT: usize = 300;
/// The columns of a failure.
const FAILURE: usize = 100;

pub(crate) fn summary(report: &Report) -> String {
    let title = if report.rules.title().is_empty() { "Untitled ruleset" } else { report.rules.title() };
    let mut text = format!("# {}\n\nVersion {}\n\n", escaped(title), report.rules.version());
    for (_, line) in summary::lines(report) {
        let _ = writeln!(text, "- {}", escaped(&line));
    }
    let sections = [failures(report), claims(report), differences(report), saves(report), untested(report)];
    let mut left_out = 0;
    for (heading, entries) in sections.into_iter().filter(|(_, entries)| !entries.is_empty()) {
        let heading = format!("\n## {heading}\n\n");
        // Room for the note at the end.
        let has_room = |text: &str, more: &str| text.len() + more.len() + 200 <= MAX_BYTES;
        if !has_room(&text, &heading) {
            left_out += entries.len();
            continue;
        }
        text.push_str(&heading);
        for entry in &entries {
            if has_room(&text, entry) { text.push_str(entry) } else { left_out += 1 }
        }
    }
    if left_out > 0 {
        let entries = if left_out == 1 { "entry is" } else { "entries are" };
        let _ = write!(
            text,
            "\n{left_out} more {entries} left out. `hypotheke report --to report.html` has all of them.\n"
        );
    }
    text
}

/// A text in one line, cut, in which no character has a meaning.
fn escaped(text: &str) -> String {
    safe(&clip(text, TEXT))
}

fn safe(text: &str) -> String {
    let mut safe = String::new();
    for c in clean(text).chars() {
        match c {
            '<' => safe.push_str("&lt;"),
            '>' => safe.push_str("&gt;"),
            '&' => safe.push_str("&amp;"),
            // A mention would call someone.
            '@' => safe.push_str("@\u{2060}"),
            '\\' | '`' | '*' | '_' | '{' | '}' | '[' | ']' | '(' | ')' | '#' | '+' | '!' | '|' | '~' | '$' => {
                safe.push('\\');
                safe.push(c);
            }
            c => safe.push(c),
        }
    }
    safe
}

/// Lines as code, in a fence that no line of them ends.
fn fenced(text: &str) -> String {
    let longest = text.split(|c| c != '`').map(str::len).max().unwrap_or(0);
    let fence = "`".repeat(longest.max(2) + 1);
    let lines: Vec<String> = text.trim_end().lines().map(clean).collect();
    format!("{fence}text\n{}\n{fence}\n\n", lines.join("\n"))
}

type Entries = (&'static str, Vec<String>);

fn failures(report: &Report) -> Entries {
    let failed = report.runs.iter().filter(|(_, run)| !run.passed());
    ("Scenarios that fail", failed.map(|(source, run)| failure(source, run)).collect())
}

fn failure(source: &Source, run: &ScenarioReport) -> String {
    let mut page = Page::new(FAILURE);
    report::draw_failures(&mut page, source, &[&run.clone().without_steps()]);
    fenced(&page.into_plain_text())
}

fn claims(report: &Report) -> Entries {
    ("Claims", report.searches.iter().flat_map(of_file).collect())
}

fn of_file(searched: &Searched) -> Vec<String> {
    let found = &searched.found;
    let (_, seen) = how_far(found);
    let path = escaped(&searched.path.display().to_string());
    let states = counted(usize::try_from(found.states).unwrap_or(usize::MAX), "state");
    let mut entries = vec![format!("**{path}**: {states}. {}.\n\n", escaped(&seen))];
    // A verdict says nothing about these.
    let scope = scope_lines(&ExploredJson::new(searched));
    let not_searched = scope.iter().skip_while(|(title, _)| *title != "not searched");
    let not_searched: Vec<String> = not_searched.map(|(_, items)| safe(&items.join(", "))).collect();
    if !not_searched.is_empty() {
        entries.push(format!("Not searched: {}\n\n", not_searched.join("; ")));
    }
    for verdict in &found.verdicts {
        let (_, word) = word(&verdict.status, !verdict.vacuous.is_empty());
        let claim = escaped(&format!("{} {}", verdict.claim.kind().word(), verdict.claim.text()));
        entries.push(format!("- **{word}** {claim}\n"));
        if let Status::Violated(trace) = &verdict.status {
            entries.push(format!("\n{}", fenced(&steps(trace))));
        }
    }
    if let Some((trace, _)) = &found.law_violation {
        entries.push(format!("- **law violation**: a defect of hypotheke\n\n{}", fenced(&steps(trace))));
    }
    entries.push("\n".to_owned());
    entries
}

fn steps(trace: &Trace) -> String {
    let mut text = String::new();
    for line in trace.start.iter().flatten() {
        let _ = writeln!(text, "from {line}");
    }
    for (nth, step) in (1..).zip(&trace.steps) {
        let _ = writeln!(text, "{nth:>3}  {step}");
    }
    let _ = writeln!(text, "     {}", trace.message);
    for why in &trace.explanation {
        let _ = writeln!(text, "     why  {why}");
    }
    text
}

fn differences(report: &Report) -> Entries {
    ("Differences", report.against.as_ref().map_or_else(Vec::new, of_earlier))
}

fn of_earlier(against: &Against) -> Vec<String> {
    let value = |value: &Option<String>| value.as_deref().map_or_else(|| "none".to_owned(), escaped);
    let mut entries: Vec<String> = against
        .scenarios
        .iter()
        .map(|change| {
            let row = change.row.as_ref().map_or_else(String::new, |row| format!(": {row}"));
            let title = escaped(&format!("{}{row}", change.title));
            format!("- **{} → {}** {title}: {}\n", change.old, change.new, escaped(&change.explanation))
        })
        .collect();
    entries.extend(against.differences.iter().map(|found| {
        let of = format!("{} {}", found.subject.kind.word(), found.subject.name);
        let of = escaped(format!("{} {}", of.trim_end(), found.setting).trim_end());
        match (&found.old, &found.new) {
            (None, Some(new)) if found.setting.is_empty() => format!("- {of} {}\n", escaped(new)),
            (Some(old), None) if found.setting.is_empty() => format!("- {of} {}\n", escaped(old)),
            (old, new) => format!("- {of}: {} → {}\n", value(old), value(new)),
        }
    }));
    entries
}

fn saves(report: &Report) -> Entries {
    let line = |save: &AuditedSave| {
        let (first, others) = save.violations().split_first()?;
        let more = match others.len() {
            0 => String::new(),
            more => format!(", and {}", counted(more, "more violation")),
        };
        Some(format!("- {}: {}{more}\n", escaped(&save.path), escaped(first)))
    };
    ("Saves that fail the audit", report.saves.iter().filter_map(line).collect())
}

fn untested(report: &Report) -> Entries {
    let rules = report.coverage.as_ref().map_or(&[][..], |found| found.rules());
    let open = rules.iter().filter(|rule| matches!(rule.tested(), Tested::Not | Tested::Partly));
    let line = |rule: &RuleReport| {
        let what = if rule.tested() == Tested::Not { "" } else { " (in part)" };
        let text = format!("{} {}: {}", rule.subject.kind.word(), rule.subject.name, rule.text);
        format!("- {}{what}\n", escaped(&text))
    };
    ("Rules that no scenario tests", open.map(line).collect())
}

#[cfg(test)]
mod tests {
    use super::{escaped, fenced};

    #[test]
    fn no_name_is_markup() {
        assert_eq!(escaped("<b>[x](y) *a* _b_ `c` #1"), r"&lt;b&gt;\[x\]\(y\) \*a\* \_b\_ \`c\` \#1");
        assert_eq!(escaped("a\u{202e}b\nc"), "a\u{fffd}b\u{fffd}c");
        assert!(!escaped("@someone").contains("@s"));
    }

    #[test]
    fn no_line_ends_the_fence() {
        assert_eq!(fenced("a\n```\nb"), "````text\na\n```\nb\n````\n\n");
    }
}
