//! The results of the save tests.

use super::report::counted;
use super::{Page, Tone, pad};
use crate::findings::{CheckStatus, Checked};
use hypotheke::Ruleset;

pub(crate) fn draw(page: &mut Page, rules: &Ruleset, checks: &[Checked]) {
    let title = if rules.title().is_empty() { "Untitled ruleset" } else { rules.title() };
    page.put(Tone::Heading, title).plain(&format!("   version {}", rules.version())).end();
    for check in checks {
        draw_one(page, check);
    }
    draw_summary(page, checks);
}

fn draw_one(page: &mut Page, check: &Checked) {
    let (tone, word) = match check.status {
        CheckStatus::Passed => (Tone::Good, "passed"),
        CheckStatus::Failed => (Tone::Bad, "FAILED"),
        CheckStatus::NotRun => (Tone::Plain, "-"),
        CheckStatus::Incomplete => (Tone::Notable, "partial"),
    };
    for (nth, described) in check.summary.iter().enumerate() {
        let (word, name) = if nth == 0 { (word, check.name) } else { ("", "") };
        page.put(tone, &pad(word, 8)).put(Tone::Heading, &pad(name, 16)).folded(Tone::Plain, described);
    }
    let Some(failure) = &check.failure else { return };
    for (number, step) in (1..).zip(&failure.trace) {
        page.plain(&format!("{number:>11}  ")).folded(Tone::Plain, step);
    }
    page.plain(&" ".repeat(13)).folded(Tone::Bad, &failure.found);
}

fn draw_summary(page: &mut Page, checks: &[Checked]) {
    let count = |came| checks.iter().filter(|check| check.status == came).count();
    let requested = checks.len() - count(CheckStatus::NotRun);
    page.blank();
    match (count(CheckStatus::Failed), count(CheckStatus::Incomplete)) {
        (0, 0) => {
            page.put(Tone::Good, &format!("{} passed", counted(requested, "check")));
            let left = count(CheckStatus::NotRun);
            page.plain(&if left > 0 { format!(", {left} not run") } else { String::new() }).end();
        }
        (0, cut) => page.put(Tone::Notable, &format!("no failure found; {} incomplete", counted(cut, "check"))).end(),
        (bad, _) => page.put(Tone::Bad, &format!("{bad} of {} failed", counted(requested, "check"))).end(),
    }
    let requested = |code| checks.iter().any(|check| check.code == code && check.status != CheckStatus::NotRun);
    let next = match (count(CheckStatus::Failed), requested("migration")) {
        (0, false) => "next: add `--next-rules FILE` to migrate every save to the next ruleset",
        (0, _) => {
            "next: raise `--joins`, `--item-moves`, `--faults` or `--lease-expiries` to search more of the server handover"
        }
        _ => return,
    };
    page.folded(Tone::Plain, next);
}
