//! verify: plays scenarios and says which hold.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde_json::{Value, json};

use super::{Output, Verdict};
use crate::args::Format;
use crate::files::{InputError, load_rules, load_scenarios, scenario_paths};
use crate::render::report::{self, counted};
use crate::render::{Page, Tone, clip};
use hypotheke::scenario::{Answer, Failure, Finding, PlayableFile, ScenarioReport, Trace};
use hypotheke::text::Source;
use hypotheke::{LoadError, Ruleset, ScenarioFile};

/// How much was played.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Tally {
    pub(super) scenarios: usize,
    pub(super) failed: usize,
    steps: usize,
    checks: usize,
}

impl Tally {
    pub(super) fn add(&mut self, report: &ScenarioReport) {
        self.scenarios += 1;
        self.failed += usize::from(!report.passed());
        self.steps += report.played();
        self.checks += report.checks();
    }
}

pub(crate) fn run(
    output: &mut Output,
    named: &[PathBuf],
    rules_path: &Path,
    steps: bool,
) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(rules_path)?);
    let paths = scenario_paths(named, rules_path)?;
    let files = load_all(&paths)?;
    let playable = check_all(&files, &rules)?;
    let trace = if steps { Trace::Steps } else { Trace::Failures };
    let mut tally = Tally::default();
    let mut results = Vec::new();
    for (file, playable) in files.iter().zip(&playable) {
        output.progress(&format!(
            "{} played: {}",
            counted(tally.scenarios, "scenario"),
            clip(file.source().name(), 60)
        ));
        let mut page = Page::default();
        page.line(Tone::Heading, &clip(file.source().name(), 100));
        for report in playable.play(trace) {
            tally.add(&report);
            match output.format {
                Format::Text => report::draw(&mut page, file.source(), &report),
                Format::Json => results.push(report_json(file.source(), &report)),
            }
        }
        output.progress("");
        if output.format == Format::Text {
            page.blank();
            output.write(&page.into_text())?;
        }
    }
    match output.format {
        Format::Text => output.write(&summary(tally))?,
        Format::Json => output.write_json(&json!({
            "scenarios": results,
            "held": tally.scenarios - tally.failed,
            "failed": tally.failed,
        }))?,
    }
    Ok(if tally.failed == 0 { Verdict::Good } else { Verdict::Failed })
}

pub(super) fn summary(tally: Tally) -> String {
    let mut page = Page::default();
    let held = tally.scenarios - tally.failed;
    let sizes = format!("{}, {}", counted(tally.steps, "step"), counted(tally.checks, "check"));
    if tally.failed == 0 {
        page.put(Tone::Good, &format!("all {} hold", counted(tally.scenarios, "scenario")));
        page.put(Tone::Faint, &format!("   {sizes}")).end();
    } else {
        page.put(Tone::Bad, &format!("{} of {} failed", tally.failed, counted(tally.scenarios, "scenario")));
        page.put(Tone::Faint, &format!(", {held} held   {sizes}")).end();
        page.line(Tone::Faint, "next   `--steps` tells every step; mend the rules or what the scenario expects");
    }
    page.into_text()
}

/// Reads all files; all that is wrong in any of them is told before giving up.
fn load_all(paths: &[PathBuf]) -> Result<Vec<ScenarioFile>, InputError> {
    let mut files = Vec::new();
    let mut faults = Vec::new();
    for path in paths {
        match load_scenarios(path) {
            Ok(file) => files.push(file),
            Err(error) => faults.push(error),
        }
    }
    none_of(faults)?;
    Ok(files)
}

fn check_all<'f>(files: &'f [ScenarioFile], rules: &Arc<Ruleset>) -> Result<Vec<PlayableFile<'f>>, InputError> {
    let mut playable = Vec::new();
    let mut faults = Vec::new();
    for file in files {
        match file.check(rules) {
            Ok(checked) => playable.push(checked),
            Err(error) => faults.push(InputError::Load(LoadError::Scenario(error))),
        }
    }
    none_of(faults)?;
    Ok(playable)
}

fn none_of(faults: Vec<InputError>) -> Result<(), InputError> {
    if faults.is_empty() { Ok(()) } else { Err(InputError::Several(faults)) }
}

pub(super) fn report_json(source: &Source, report: &ScenarioReport) -> Value {
    let mut value = json!({
        "file": source.name(),
        "line": source.line_column(report.span().start()).line,
        "title": report.title(),
        "verdict": if report.passed() { "holds" } else { "fails" },
        "steps": report.played(),
        "checks": report.checks(),
    });
    if !report.steps().is_empty() {
        let step_json = |step: &hypotheke::scenario::StepReport| {
            let line = source.line_column(step.span.start()).line;
            json!({ "line": line, "sentence": step.sentence, "answer": answer_json(&step.answer), "events": step.events })
        };
        value["trace"] = report.steps().iter().map(step_json).collect();
    }
    if !report.passed() {
        value["failures"] = report.failures().iter().map(|failure| failure_json(source, failure)).collect();
    }
    value
}

fn answer_json(answer: &Answer) -> Value {
    match answer {
        Answer::Applied { outcome, .. } => json!({ "applied": outcome.done(), "left": outcome.left() }),
        Answer::Refused { refusal, because } => {
            let figures =
                refusal.cause().figures().map(|(asked, allowed)| json!({ "asked": asked, "allowed": allowed }));
            json!({ "refused": refusal.reason(), "because": because, "figures": figures, "could": refusal.could() })
        }
        Answer::Unresolved(why) => json!({ "refused": "unknown", "because": why }),
        Answer::Checked { holds } => json!({ "holds": holds }),
    }
}

fn failure_json(source: &Source, failure: &Failure) -> Value {
    let mut value = json!({
        "line": source.line_column(failure.span.start()).line,
        "step": failure.step,
        "sentence": failure.sentence,
    });
    match &failure.finding {
        Finding::Answer { expected, found } => {
            value["expected"] = json!(expected);
            value["found"] = json!(found);
        }
        Finding::Contents { place, rows } => {
            value["place"] = json!(place);
            let row_json = |row: &hypotheke::scenario::DifferenceRow| json!({ "item": row.item, "expected": row.expected, "found": row.found, "holds": row.holds });
            value["contents"] = rows.iter().map(row_json).collect();
        }
        Finding::Measure { what, comparison, expected, found, .. } => {
            value["measure"] = json!(what);
            value["comparison"] = json!(comparison.symbol());
            value["expected"] = json!(expected);
            value["found"] = json!(found);
        }
        Finding::Unresolved(why) => value["found"] = json!(why),
        other => value["found"] = json!(format!("{other:?}")),
    }
    value
}
