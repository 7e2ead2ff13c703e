//! The laws, each a scenario in `tests/laws` whose title says it, behind one runner.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use hypotheke::scenario::Trace;
use hypotheke::{Ruleset, ScenarioFile};

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/laws")
}

fn files() -> Vec<PathBuf> {
    let mut files: Vec<PathBuf> =
        std::fs::read_dir(folder()).expect("the laws").map(|entry| entry.expect("an entry").path()).collect();
    files.retain(|path| path.extension().is_some_and(|extension| extension == "scenario"));
    files.sort();
    files
}

#[test]
fn every_law_holds() {
    let rules = Arc::new(Ruleset::load(folder().join("rules.toml")).expect("the rules of the laws"));
    let mut broken = Vec::new();
    let mut played = 0;
    for path in files() {
        let file = ScenarioFile::load(&path).unwrap_or_else(|error| panic!("{error}"));
        let playable = file.check(&rules).unwrap_or_else(|error| panic!("{error}"));
        for report in playable.play(Trace::Failures) {
            played += 1;
            for failure in report.failures() {
                broken.push(format!("{}\n  {}\n  {:?}", report.title(), failure.sentence, failure.finding));
            }
        }
    }
    assert!(broken.is_empty(), "{}", broken.join("\n"));
    assert!(played >= 178, "only {played} laws were played");
}

/// A law that nothing could break would be no law: with the limits gone, most of them fail.
#[test]
fn the_laws_notice_rules_that_are_missing() {
    let text = std::fs::read_to_string(folder().join("rules.toml")).expect("the rules of the laws");
    for (what, without) in [("stack-limit = ", "# "), ("weight-cap = ", "# "), ("admits = ", "note = ")] {
        let lines = text.lines().map(|line| {
            if line.starts_with(what) { line.replacen(what, &format!("{without}{what}"), 1) } else { line.to_owned() }
        });
        let lines = lines.map(|line| line.replacen("note = admits = ", "note = ", 1));
        // A filter that is gone can't go deep.
        let lines: Vec<String> = lines.filter(|line| !(what == "admits = " && line == "deep = true")).collect();
        let rules =
            Arc::new(Ruleset::from_toml("rules.toml", &lines.join("\n")).unwrap_or_else(|errors| panic!("{errors}")));
        let noticed = files().iter().any(|path| {
            let file = ScenarioFile::load(path).unwrap_or_else(|error| panic!("{error}"));
            // A start that can't be laid out any more is noticed too.
            file.check(&rules).is_err()
                || file.check(&rules).expect("checked").play(Trace::Failures).any(|report| !report.passed())
        });
        assert!(noticed, "no law notices that `{what}` is gone");
    }
}
