//! How fast scenarios are read, played and audited, and which rules they test. `cargo bench -p
//! hypotheke-bench --bench scenarios`

#![expect(clippy::expect_used, reason = "the rules and the scenarios are our own")]

use std::num::NonZeroUsize;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use hypotheke::coverage::{CoverageOptions, coverage};
use hypotheke::scenario::{ReportDetail, ResolvedScenarioFile, RunOptions, on_threads, run_all};
use hypotheke::text::Source;
use hypotheke::{Ruleset, ScenarioFile};
use hypotheke_bench::timed;

const RUNS: usize = 9;
/// The number of files, scenarios of a file, and rounds of steps of a scenario.
const FILES: usize = 8;
const SCENARIOS: usize = 25;
const ROUNDS: usize = 100;

fn main() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../hypotheke-cli/demo");
    let rules = Arc::new(Ruleset::load(folder.join("rules.toml")).expect("the demo's rules"));
    reading_and_playing(&rules);
    coverage_of_the_demo(&rules, &folder);
    coverage_of_many_rules();
}

fn median(mut times: Vec<Duration>) -> f64 {
    times.sort();
    times[times.len() / 2].as_secs_f64()
}

/// A round of ten steps of all sorts, which leaves the world as it was.
fn text() -> String {
    let round = "    move 2 fuel-drum from depot to sled\n    surveyor moves 1 flare from pockets to depot\n    \
                 move up to 3 ration-box from depot to sled\n    swap sled/0 with sled/5\n    swap sled/5 with sled/0\n    \
                 move 2 fuel-drum from sled to depot\n    move 8 fuel-drum from depot to sled  -> refused: weight-cap\n    \
                 surveyor moves 1 flare from depot to pockets\n    move 3 ration-box from sled to depot\n    \
                 now count of fuel in sled = 0\n";
    let scenario = |n: usize| format!("scenario Round {n}\n  start as ruleset\n  steps\n{}", round.repeat(ROUNDS));
    (0..SCENARIOS).map(scenario).collect()
}

fn reading_and_playing(rules: &Arc<Ruleset>) {
    let sources: Vec<Source> = (0..FILES).map(|file| Source::new(format!("{file}.scenario"), text())).collect();
    let lines: usize = sources.iter().map(|source| source.text().lines().count()).sum();
    let steps = FILES * SCENARIOS * ROUNDS * 10;
    let parse = |source: &Source| ScenarioFile::parse(source.clone()).expect("a scenario file");
    let whole = |threads: usize| {
        let threads = NonZeroUsize::new(threads).expect("at least one");
        let files = on_threads(&sources, threads, |_, source| parse(source));
        let playable = on_threads(&files, threads, |_, file| file.check(rules).expect("known names"));
        let options = RunOptions { detail: ReportDetail::Failures, threads, fail_fast: false };
        let reports = run_all(&playable, |_| true, options);
        assert!(reports.iter().all(|(_, report)| report.passed()));
    };
    let (mut reading, mut one, mut two) = (Vec::new(), Vec::new(), Vec::new());
    for _ in 0..RUNS {
        reading.push(timed(&mut || {
            std::hint::black_box(sources.iter().map(&parse).collect::<Vec<_>>());
        }));
        one.push(timed(&mut || whole(1)));
        two.push(timed(&mut || whole(2)));
    }
    let (reading, one, two) = (median(reading), median(one), median(two));
    println!("{lines} lines, {steps} steps, medians of {RUNS} interleaved runs");
    println!("read                                     {:9.0} lines a second", lines as f64 / reading);
    println!("read, played, audited on one thread      {:9.0} steps a second", steps as f64 / one);
    println!(
        "read, played, audited on two threads     {:9.0} steps a second, {:.2} times",
        steps as f64 / two,
        one / two
    );
}

fn coverage_of_the_demo(rules: &Arc<Ruleset>, folder: &Path) {
    let mut paths: Vec<_> = std::fs::read_dir(folder.join("scenarios"))
        .expect("the demo's scenarios")
        .map(|entry| entry.expect("an entry").path())
        .collect();
    paths.sort();
    let files: Vec<ScenarioFile> = paths.iter().map(|path| ScenarioFile::load(path).expect("scenarios")).collect();
    let playable: Vec<ResolvedScenarioFile<'_>> =
        files.iter().map(|file| file.check(rules).expect("known names")).collect();
    look("coverage of the demo", rules, &playable);
}

/// 500 containers with a weight cap, a filter and a cap each and 500 kinds with a limit; a scenario
/// for each container.
fn coverage_of_many_rules() {
    let mut rules = String::new();
    let mut scenarios = String::new();
    for n in 0..500 {
        rules.push_str(&format!(
            "[kind.k{n}]\nstack-limit = 5\nweight = 2\ntags = [\"t{n}\"]\n[container.c{n}]\nslots = 9\nweight-cap = 60\n\
             admits = \"t{n}\"\ncaps = [{{ of = \"k{n}\", count = 20 }}]\n"
        ));
        scenarios.push_str(&format!(
            "scenario s{n}\n  start\n  steps\n    create 6 k{n} in c{n}/0  -> refused: stack-limit\n    create 5 k{n} in c{n}/0\n    \
             create up to 99 k{n} in c{n}  -> created 15 of 99\n"
        ));
    }
    let rules = Arc::new(Ruleset::from_toml("rules.toml", &rules).expect("valid"));
    let file = ScenarioFile::parse(Source::new("many.scenario", scenarios.as_str())).expect("scenarios");
    let playable = [file.check(&rules).expect("known names")];
    look("coverage of 2,500 rules by 500 scenarios", &rules, &playable);
}

fn look(what: &str, rules: &Arc<Ruleset>, playable: &[ResolvedScenarioFile<'_>]) {
    let options = CoverageOptions { threads: NonZeroUsize::new(2).expect("two"), suggest: true };
    let mut found = None;
    let taken = timed(&mut || found = Some(coverage(rules, playable, options, |_, _| {})));
    let Some(found) = found else { return };
    let (plays, all) = found.runs();
    println!(
        "{what:40} {:9.2} s, {} rules, {}%, {plays} of {all} runs, {:.0} times fewer",
        taken.as_secs_f64(),
        found.rules().len(),
        found.percent(),
        all as f64 / plays.max(1) as f64
    );
}
