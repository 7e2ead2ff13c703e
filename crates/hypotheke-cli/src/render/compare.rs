//! The differences between two rulesets, subject by subject.

use hypotheke::{RuleDifference, SettingClass, Subject};

use super::report::counted;
use super::{Page, Tone, pad, width};
use crate::findings::ScenarioChange;

const WHAT: usize = 26;

pub(crate) fn draw(
    mut page: Page,
    differences: &[RuleDifference],
    changes: &[ScenarioChange],
    played: usize,
) -> String {
    let (labels, rules): (Vec<_>, Vec<_>) = differences.iter().partition(|found| found.class == SettingClass::Label);
    draw_differences(&mut page, &rules);
    if !labels.is_empty() {
        page.line(Tone::Plain, "Names and labels: they affect no operation");
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
        "no scenarios ran".to_owned()
    } else {
        let others = changes.iter().filter(|change| change.old != change.new).count();
        format!("{} with a different verdict; {played} ran with both", counted(others, "scenario"))
    };
    page.plain("   ").folded(Tone::Plain, &verdicts);
    page.into_text()
}

fn draw_differences(page: &mut Page, differences: &[&RuleDifference]) {
    let mut last: Option<&Subject> = None;
    for found in differences {
        if last != Some(&found.subject) {
            let head = format!("{} {}", found.subject.kind.word(), found.subject.name);
            page.rest(Tone::Heading, head.trim_end()).end();
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
    let room = page.room();
    match (&found.old, &found.new) {
        (None, Some(new)) => page.folded(Tone::Good, &format!("+ {new}")),
        (Some(old), None) => page.folded(Tone::Bad, &format!("- {old}")),
        (Some(old), Some(new)) if width(old) + width(new) + 4 <= room => {
            page.put(Tone::Bad, old).plain(" -> ").put(Tone::Good, new).end();
        }
        (old, new) => {
            let described = |text: &Option<String>| text.clone().unwrap_or_default();
            page.folded(Tone::Bad, &format!("- {}", described(old)));
            page.plain(&" ".repeat(WHAT + 2)).folded(Tone::Good, &format!("+ {}", described(new)));
        }
    }
    for (head, tone, kinds) in [
        ("+ admits", Tone::Good, &found.newly_admitted),
        ("- rejects", Tone::Bad, &found.no_longer_admitted),
        ("? unknown", Tone::Bad, &found.not_compared),
    ] {
        if !kinds.is_empty() {
            page.plain(&" ".repeat(WHAT + 2)).put(tone, &pad(head, 10));
            page.items(Tone::Plain, kinds.iter().map(String::as_str), ", ");
        }
    }
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
        page.plain("  ").put(tone, &verdict).plain("  ").rest(Tone::Plain, &format!("{}{row}", change.title)).end();
        let file = std::path::Path::new(&change.file).file_name().map_or("", |name| name.to_str().unwrap_or(""));
        page.plain("      ").folded(Tone::Plain, &format!("{file}: {}", change.explanation));
    }
    page.blank();
}
