//! The differences between two rulesets, subject by subject.

use hypotheke::{RuleDifference, SettingClass, Subject};

use super::page::WIDTH;
use super::report::counted;
use super::{Page, Tone, clip, pad, width};
use crate::formats::compare::ScenarioChange;

const WHAT: usize = 26;

pub(crate) fn draw(differences: &[RuleDifference], changes: &[ScenarioChange], played: usize) -> String {
    let mut page = Page::default();
    let (labels, rules): (Vec<_>, Vec<_>) = differences.iter().partition(|found| found.class == SettingClass::Label);
    draw_differences(&mut page, &rules);
    if !labels.is_empty() {
        page.line(Tone::Faint, "Names and labels: they affect no operation");
        draw_differences(&mut page, &labels);
    }
    draw_scenarios(&mut page, changes, played);
    let all = match (rules.len(), labels.len()) {
        (0, 0) => "the rulesets have the same meaning".to_owned(),
        (0, labels) => {
            format!("the rules have the same meaning; {} in names and labels", counted(labels, "difference"))
        }
        (rules, 0) => counted(rules, "difference"),
        (rules, labels) => format!("{}, and {labels} in names and labels", counted(rules, "difference")),
    };
    page.put(Tone::Heading, &all);
    let verdicts = if played == 0 && changes.is_empty() {
        "   no scenarios ran".to_owned()
    } else {
        let others = changes.iter().filter(|change| change.old != change.new).count();
        format!("   {} with a different verdict; {played} ran with both", counted(others, "scenario"))
    };
    page.put(Tone::Faint, &verdicts).end();
    page.into_text()
}

fn draw_differences(page: &mut Page, differences: &[&RuleDifference]) {
    let mut last: Option<&Subject> = None;
    for found in differences {
        if last != Some(&found.subject) {
            let head = format!("{} {}", found.subject.kind.word(), found.subject.name);
            page.line(Tone::Heading, &clip(head.trim_end(), WIDTH));
            last = Some(&found.subject);
        }
        draw_difference(page, found);
    }
    if !differences.is_empty() {
        page.blank();
    }
}

fn draw_difference(page: &mut Page, found: &RuleDifference) {
    page.plain("  ").plain(&pad(&found.setting, WHAT - 1)).plain(" ");
    let room = WIDTH - WHAT - 2;
    match (&found.old, &found.new) {
        (None, Some(new)) => page.put(Tone::Good, &clip(&format!("+ {new}"), room)).end(),
        (Some(old), None) => page.put(Tone::Bad, &clip(&format!("- {old}"), room)).end(),
        (Some(old), Some(new)) if width(old) + width(new) + 4 <= room => {
            page.put(Tone::Bad, old).put(Tone::Faint, " -> ").put(Tone::Good, new).end();
        }
        (old, new) => {
            let described = |text: &Option<String>| text.clone().unwrap_or_default();
            page.put(Tone::Bad, &clip(&format!("- {}", described(old)), room)).end();
            page.plain(&" ".repeat(WHAT + 2)).put(Tone::Good, &clip(&format!("+ {}", described(new)), room)).end();
        }
    }
    for (head, tone, kinds) in [
        ("+ admits", Tone::Good, &found.newly_admitted),
        ("- rejects", Tone::Bad, &found.no_longer_admitted),
        ("? unknown", Tone::Bad, &found.not_compared),
    ] {
        let mut head = head;
        for line in lines_of(kinds, WIDTH - WHAT - 13) {
            page.plain(&" ".repeat(WHAT + 2)).put(tone, &pad(head, 10)).plain(&line).end();
            head = "";
        }
    }
}

/// As many to a line as fit, with commas between them.
fn lines_of(items: &[String], columns: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for (index, item) in items.iter().enumerate() {
        let item = if index + 1 < items.len() { format!("{item},") } else { item.clone() };
        match lines.last_mut() {
            Some(line) if width(line) + 1 + width(&item) <= columns => {
                line.push(' ');
                line.push_str(&item);
            }
            _ => lines.push(clip(&item, columns)),
        }
    }
    lines
}

fn draw_scenarios(page: &mut Page, changes: &[ScenarioChange], played: usize) {
    if changes.is_empty() {
        if played > 0 {
            page.line(Tone::Good, "every scenario has the same verdict");
        }
        return;
    }
    page.line(Tone::Heading, "scenarios");
    for change in changes {
        let is_good = matches!(change.new.as_str(), "passed" | "can-run");
        let tone = if is_good { Tone::Good } else { Tone::Bad };
        let verdict = format!("{} -> {}", change.old, change.new);
        let row = change.row.as_ref().map_or_else(String::new, |row| format!(": {row}"));
        let title = clip(&format!("{}{row}", change.title), WIDTH - 4 - width(&verdict));
        page.plain("  ").put(tone, &verdict).plain("  ").plain(&title).end();
        let file = std::path::Path::new(&change.file).file_name().map_or("", |name| name.to_str().unwrap_or(""));
        page.put(Tone::Faint, &clip(&format!("      {file}: {}", change.explanation), WIDTH)).end();
    }
    page.blank();
}
