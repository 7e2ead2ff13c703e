//! The coverage of a ruleset: a line for each subject, then the untested rules with suggested
//! scenarios.

use std::collections::BTreeSet;

use hypotheke::coverage::{ChangeVerdict, Coverage, MAX_STEPS, RuleReport, Tested};
use hypotheke::{Ruleset, SubjectKind};

use super::report::counted;
use super::{Page, Tone, clip, pad, width};
use crate::inputs::Inputs;

/// The maximum columns of the bar of a subject.
const BAR: usize = 24;
/// The columns of the counts.
const COUNTS: usize = 25;

/// `searched` is true if suggestions for the undetected changes were searched for.
pub(crate) fn draw(
    mut page: Page,
    rules: &Ruleset,
    found: &Coverage,
    all: bool,
    searched: bool,
    inputs: &Inputs,
) -> String {
    draw_subjects(&mut page, found);
    draw_redundant(&mut page, rules, found);
    draw_untested(&mut page, rules, found, searched);
    draw_not_testable(&mut page, found);
    if all {
        draw_detected(&mut page, found);
    }
    draw_summary(&mut page, found, searched, inputs);
    page.into_text()
}

fn draw_subjects(page: &mut Page, found: &Coverage) {
    let columns = name_columns(page);
    page.plain(&pad("  tested rules of", columns + 2)).plain("tested   partly    not").end();
    let mut folded: Vec<(SubjectKind, usize, usize)> = Vec::new();
    // The rules of a subject are adjacent.
    for rules in found.rules().chunk_by(|one, other| one.subject == other.subject) {
        let subject = &rules[0].subject;
        let of = |tested| rules.iter().filter(|rule| rule.tested() == tested).count();
        let (whole, part, not) = (of(Tested::Complete), of(Tested::Partly), of(Tested::Not));
        if whole + part + not == 0 {
            continue;
        }
        if part + not == 0 && is_folded(subject.kind) {
            match folded.iter_mut().find(|(kind, ..)| *kind == subject.kind) {
                Some((_, subjects, rules)) => (*subjects, *rules) = (*subjects + 1, *rules + whole),
                None => folded.push((subject.kind, 1, whole)),
            }
            continue;
        }
        let name = format!("{} {}", subject.kind.word(), subject.name);
        draw_subject(page, name.trim_end(), [whole, part, not]);
    }
    for (kind, subjects, rules) in folded {
        let what = match kind {
            SubjectKind::Start => format!("start of {}", counted(subjects, "place")),
            kind => counted(subjects, kind.word()),
        };
        draw_subject(page, &format!("{what}, all tested"), [rules, 0, 0]);
    }
    page.blank();
}

/// There are many of them: those of which all is tested share a line.
fn is_folded(kind: SubjectKind) -> bool {
    matches!(kind, SubjectKind::Tag | SubjectKind::Kind | SubjectKind::Start)
}

fn draw_subject(page: &mut Page, name: &str, [whole, part, not]: [usize; 3]) {
    let columns = name_columns(page);
    page.plain("  ").plain(&pad(&clip(name, columns - 2), columns));
    let dash = |count: usize| if count == 0 { "-".to_owned() } else { count.to_string() };
    let bad = |count: usize| if count == 0 { Tone::Plain } else { Tone::Bad };
    page.put(Tone::Good, &format!("{:>6}   ", dash(whole)));
    page.put(bad(part), &format!("{:>7}   ", dash(part)));
    page.put(bad(not), &format!("{:>3}   ", dash(not)));
    let [full, half, empty] = bar(whole, part, not, page.room().min(BAR));
    page.put(Tone::Good, &full).put(Tone::Bad, &half).put(Tone::Bad, &empty).end();
}

/// What no scenario can test, and why.
fn draw_not_testable(page: &mut Page, found: &Coverage) {
    let only = found.count(Tested::OnlyChoice);
    if found.not_testable().is_empty() && only == 0 {
        return;
    }
    page.line(Tone::Notable, "Not testable by scenarios");
    let mut reasons: Vec<(&str, Vec<String>)> = Vec::new();
    for settings in found.not_testable() {
        let what = match settings.setting.as_str() {
            "migration" => counted(settings.count, "migration setting"),
            plural if plural.ends_with('s') => format!("{} {plural}", settings.count),
            setting => counted(settings.count, setting),
        };
        match reasons.iter_mut().find(|(because, _)| *because == settings.because) {
            Some((_, settings)) => settings.push(what),
            None => reasons.push((settings.because, vec![what])),
        }
    }
    if only > 0 {
        reasons.push(("every change of it makes the ruleset invalid", vec![counted(only, "rule")]));
    }
    for (because, settings) in reasons {
        page.line(Tone::Plain, &format!("  {because}"));
        page.plain("    ").items(Tone::Plain, settings.iter().map(String::as_str), ", ");
    }
    page.blank();
}

/// The columns of the names of subjects.
fn name_columns(page: &Page) -> usize {
    (page.columns() - COUNTS - 10).min(34)
}

/// Full for tested, half for partly tested, empty for untested.
fn bar(whole: usize, part: usize, not: usize, room: usize) -> [String; 3] {
    let all = whole + part + not;
    let columns = |count: usize| if all <= room { count } else { count * room / all };
    let (full, half) = (columns(whole), columns(part));
    let empty = columns(all).saturating_sub(full + half);
    ["█".repeat(full), "▒".repeat(half), "·".repeat(empty)]
}

fn place(rules: &Ruleset, rule: &RuleReport) -> String {
    let Some(source) = rules.sources().get(rule.at.source.index()) else { return String::new() };
    format!("{}:{}", source.name(), source.line_column(rule.at.span.start()).line)
}

fn heading(page: &mut Page, rules: &Ruleset, rule: &RuleReport) {
    let subject = format!("{} {}", rule.subject.kind.word(), rule.subject.name);
    let at = place(rules, rule);
    let room = page.columns().saturating_sub(4 + width(&at));
    let left = clip(&format!("{}: {}", subject.trim_end(), rule.text), room);
    page.plain("  ").put(Tone::Heading, &left).right(Tone::Plain, &at).end();
}

fn draw_redundant(page: &mut Page, rules: &Ruleset, found: &Coverage) {
    let shadowed = |rule: &&RuleReport| {
        rule.changes.iter().any(|change| matches!(change.verdict, ChangeVerdict::Equivalent { .. }))
    };
    let mut described = found.rules().iter().filter(shadowed).peekable();
    if described.peek().is_none() {
        return;
    }
    page.line(Tone::Notable, "Redundant: no behaviour depends on this rule");
    for rule in described {
        heading(page, rules, rule);
        let reasons = rule.changes.iter().filter_map(|change| match &change.verdict {
            ChangeVerdict::Equivalent { because } => Some((change.text.as_str(), because.as_str())),
            _ => None,
        });
        let reasons: Vec<(&str, &str)> = reasons.collect();
        let mut left = reasons.as_slice();
        while let Some((_, because)) = left.first() {
            let alike = left.iter().take_while(|(_, other)| other == because).count();
            let changes: Vec<&str> = left[..alike].iter().map(|(text, _)| *text).collect();
            page.plain("    ").folded(Tone::Plain, &format!("{}: {because}", changes.join(", ")));
            left = &left[alike..];
        }
    }
    page.blank();
}

fn draw_untested(page: &mut Page, rules: &Ruleset, found: &Coverage, searched: bool) {
    let mut described =
        found.rules().iter().filter(|rule| matches!(rule.tested(), Tested::Not | Tested::Partly)).peekable();
    if described.peek().is_none() {
        return;
    }
    page.line(Tone::Bad, "Untested: no scenario fails when this rule changes");
    // One scenario may detect several changes.
    let mut suggested = BTreeSet::new();
    for rule in described {
        heading(page, rules, rule);
        for change in &rule.changes {
            let ChangeVerdict::Undetected { suggestion } = &change.verdict else { continue };
            page.plain("    ").rest(Tone::Bad, &change.text);
            match suggestion {
                None if !searched => page.end(),
                None => {
                    let text = format!("   no scenario of at most {MAX_STEPS} steps was found");
                    page.plain(&text).end();
                }
                Some(text) if suggested.contains(body(text)) => {
                    page.put(Tone::Plain, "   the scenario above detects it too").end();
                }
                Some(text) => {
                    page.put(Tone::Plain, "   this scenario would detect it:").end();
                    text.lines().for_each(|line| page.plain("      ").plain(line).end());
                    suggested.insert(body(text));
                }
            }
        }
    }
    page.blank();
}

/// All but the title.
fn body(scenario: &str) -> &str {
    scenario.split_once('\n').map_or(scenario, |(_, body)| body)
}

fn draw_detected(page: &mut Page, found: &Coverage) {
    page.line(Tone::Heading, "Tested: the scenario that detects each change");
    for rule in found.rules() {
        for change in &rule.changes {
            if let ChangeVerdict::Detected { by } = &change.verdict {
                let what =
                    format!("{} {}: {} -> {}", rule.subject.kind.word(), rule.subject.name, rule.text, change.text);
                let columns = page.columns() * 11 / 20;
                page.plain("  ").plain(&pad(&what, columns)).plain("  ").rest(Tone::Plain, by).end();
            }
        }
    }
    page.blank();
}

fn draw_summary(page: &mut Page, found: &Coverage, searched: bool, inputs: &Inputs) {
    let (whole, part, not) = (found.count(Tested::Complete), found.count(Tested::Partly), found.count(Tested::Not));
    let tone = if part + not == 0 { Tone::Good } else { Tone::Bad };
    page.put(tone, &format!("{}% of {} tested", found.percent(), counted(whole + part + not, "rule")));
    let (plays, all) = found.runs();
    let rest = format!("{part} partly, {not} not, {} redundant; {plays} of {all} runs", found.count(Tested::Redundant));
    page.plain("   ").folded(Tone::Plain, &rest);
    if part + not == 0 {
        page.next(&format!("hypotheke coverage{} --show-changes", inputs.pasted()));
    } else if searched {
        page.line(Tone::Plain, "next: add scenarios for the untested rules; the suggestions above can be pasted");
    } else {
        page.line(Tone::Plain, "next: run it without `--no-suggestions`, for scenarios that can be pasted");
    }
}
