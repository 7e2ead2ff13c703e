//! What a report says first: what was verified, and what was not.

use super::Tone;
use super::report::counted;
use crate::findings::{Audit, ClaimCounts, Report};

/// What was verified, a line each, with what was not.
pub(crate) fn lines(report: &Report) -> Vec<(Tone, String)> {
    let mut lines = Vec::new();
    let failed = report.failed_scenarios();
    lines.push(match (report.runs.len(), failed) {
        (0, _) => (Tone::Notable, "no scenarios".to_owned()),
        (all, 0) => (Tone::Good, format!("{} passed", counted(all, "scenario"))),
        (all, failed) => (Tone::Bad, format!("{failed} of {} FAILED", counted(all, "scenario"))),
    });
    let ClaimCounts { good, failed, open } = report.claims();
    let claims = counted(good + failed + open, "claim");
    lines.push(match (good + failed + open, failed, open) {
        (0, ..) => (Tone::Notable, "no claims".to_owned()),
        (_, 0, 0) => (Tone::Good, format!("{claims}: all hold within their scope")),
        (_, 0, open) => (Tone::Notable, format!("{claims}: {open} inconclusive or vacuous")),
        (_, failed, 0) => (Tone::Bad, format!("{claims}: {failed} FAILED")),
        (_, failed, open) => (Tone::Bad, format!("{claims}: {failed} FAILED, {open} inconclusive or vacuous")),
    });
    lines.push(match &report.coverage {
        Ok(found) => {
            let not_testable: usize = found.not_testable().iter().map(|it| it.count).sum();
            let others = match not_testable {
                0 => String::new(),
                count => format!("; {} not testable", counted(count, "setting")),
            };
            (Tone::Plain, format!("scenarios test {}% of the rules{others}", found.percent()))
        }
        Err(why) => (Tone::Notable, format!("coverage was not measured. {why}")),
    });
    if !report.saves.is_empty() {
        let others = report.saves.iter().filter(|save| matches!(save.audit, Audit::OtherRuleset(_))).count();
        let saves = counted(report.saves.len() - others, "save");
        let not_audited = match others {
            0 => String::new(),
            others => format!("; {} of a different ruleset not audited", counted(others, "save")),
        };
        lines.push(match report.failed_saves() {
            0 => (Tone::Good, format!("{saves} without a law violation{not_audited}")),
            failed => (Tone::Bad, format!("{failed} of {saves} FAILED the audit{not_audited}")),
        });
    }
    if let Some(against) = &report.against {
        let differences = counted(against.differences.len(), "difference");
        let breaks = against.scenarios.iter().filter(|change| change.is_failure()).count();
        let from = format!("{differences} from {}", against.path);
        lines.push(match breaks {
            0 => (Tone::Plain, from),
            1 => (Tone::Bad, format!("{from}; 1 scenario that passed FAILS now")),
            breaks => (Tone::Bad, format!("{from}; {breaks} scenarios that passed FAIL now")),
        });
    }
    lines
}
