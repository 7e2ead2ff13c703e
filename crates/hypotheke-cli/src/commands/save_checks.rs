//! test-saves: tests that saves lose and duplicate nothing.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::explore::{end, watch_for_the_end};
use super::verify::{check_all, load_all, parted};
use super::{Output, Verdict, report_errors};
use crate::args::{Format, TestSavesArgs};
use crate::files::{InputError, load_rules, load_save};
use crate::findings::{CheckStatus, Checked};
use crate::formats::save_checks::TestSavesJson;
use crate::inputs::{FileKind, Inputs};
use crate::render::report::counted;
use crate::render::save_checks::draw;
use hypotheke::explore::Bound;
use hypotheke::save::Save;
use hypotheke::save_checks::{
    CheckFailure, CrashReport, HandoverBounds, HandoverReport, MigrationReport, RoundTripReport, check_crashes,
    check_handover, check_migration, check_round_trips, for_each_step,
};
use hypotheke::scenario::ResolvedScenarioFile;
use hypotheke::store::MemoryStore;
use hypotheke::{MigrationPolicy, Ruleset};

/// The number of saves for the crash test. A few suffice: the writer does not depend on their
/// contents.
const SAVES_TO_STOP: usize = 8;

/// States between two progress lines.
const TELL_EVERY: u64 = 1_000;

pub(crate) fn run(output: &mut Output, args: &TestSavesArgs) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(&args.files, args.rules.as_deref(), FileKind::Scenario, false)?;
    inputs.require(FileKind::Scenario)?;
    let rules = Arc::new(load_rules(&inputs.ruleset()?)?);
    let next_rules = args.next_rules.as_deref().map(load_rules).transpose()?.map(Arc::new);
    let (files, unreadable) = load_all(&inputs.scenarios);
    let (resolved, unresolved) = check_all(&files, &rules);
    let (existing, damaged) = load_existing(&inputs);
    let errors: Vec<InputError> = unreadable.into_iter().chain(unresolved).chain(damaged).collect();
    if resolved.is_empty() {
        return Err(InputError::Several(errors));
    }
    watch_for_the_end(args.time);
    let mut checks = Vec::new();
    output.progress("saving at every step");
    let steps = check_round_trips(&resolved);
    let worlds = steps.worlds;
    checks.push(round_trip_check(steps));
    output.progress("crashing the writer at every step");
    checks.push(crash_check(&resolved, worlds));
    checks.push(handover_checks(output, &rules, args));
    checks.push(existing_saves_check(&existing, &rules));
    checks.push(migration_checks(&resolved, next_rules.as_ref()));
    output.progress("");
    if output.format == Format::Json {
        output.write_json(&TestSavesJson::new(&rules, &checks, &errors))?;
    } else {
        let mut page = output.page();
        draw(&mut page, &rules, &checks);
        output.write(&page.into_text())?;
    }
    if !errors.is_empty() {
        return Ok(report_errors(output, &errors));
    }
    let any = |came| checks.iter().any(|check| check.status == came);
    Ok(match (any(CheckStatus::Failed), any(CheckStatus::Incomplete) && !args.accept_partial) {
        (true, _) => Verdict::Failed,
        (false, true) => Verdict::Incomplete,
        (false, false) => Verdict::Good,
    })
}

fn round_trip_check(found: RoundTripReport) -> Checked {
    let RoundTripReport { scenarios, unfinished, worlds, departures, bytes, failure } = found;
    let mut checked = Checked::new("round-trip", "round trip", failure);
    let worlds_text = counted(as_size(worlds), "world");
    let scenarios_text = counted(as_size(scenarios), "scenario");
    let departures_text = counted(as_size(departures), "departure");
    checked
        .summary
        .push(format!("{worlds_text} and {departures_text} of {scenarios_text} saved and loaded in both forms"));
    if let (Some(json), Some(binary)) = (bytes.0.checked_div(worlds), bytes.1.checked_div(worlds)) {
        checked.summary.push(format!("a save has {json} bytes in JSON and {binary} in binary form"));
    }
    if unfinished > 0 {
        let early = counted(as_size(unfinished), "scenario");
        checked.summary.push(format!("{early} stopped early at a failure: `hypotheke verify`"));
    }
    checked.figures = vec![
        ("scenarios", scenarios),
        ("unfinished", unfinished),
        ("worlds", worlds),
        ("departures", departures),
        ("json-bytes", bytes.0),
        ("binary-bytes", bytes.1),
    ];
    checked
}

/// The crash test on some of the saves, spread evenly.
fn crash_check(files: &[ResolvedScenarioFile<'_>], worlds: u64) -> Checked {
    let apart = as_size(worlds).div_ceil(SAVES_TO_STOP).max(1);
    let (mut chosen, mut number) = (Vec::new(), 0);
    let _ = for_each_step(files, &mut |step| {
        if number % apart == 0 {
            chosen.push(Save::of(step.world).to_bytes());
        }
        number += 1;
        chosen.len() < SAVES_TO_STOP
    });
    let CrashReport { saves, stops, disks, failure } = check_crashes(&chosen);
    let mut checked = Checked::new("crash-safety", "crash safety", failure);
    let described =
        format!("{saves} of {worlds} saves; the writer crashed {}, once after each of its steps", times(stops));
    checked.summary.push(described);
    if checked.status == CheckStatus::Passed {
        checked.summary.push(format!("each of {disks} disks after a power cut has an intact save"));
    }
    checked.figures = vec![("saves", saves), ("total-saves", worlds), ("crashes", stops), ("disks", disks)];
    checked
}

fn handover_checks(output: &mut Output, rules: &Arc<Ruleset>, args: &TestSavesArgs) -> Checked {
    let (code, name) = ("server-handover", "server handover");
    let bounds = HandoverBounds {
        joins: args.joins,
        item_moves: args.item_moves,
        faults: args.faults,
        lease_expiries: args.lease_expiries,
    };
    let mut described = 0;
    let found = check_handover(rules, &MemoryStore::new(), bounds, &mut |states| {
        if states >= described {
            output.progress(&format!("server handover, {states} states"));
            described = states + TELL_EVERY;
        }
        let is_enough = states > args.states;
        end(args.time).or_else(|| is_enough.then_some(Bound::States(args.states)))
    });
    let HandoverReport { states, final_states, longest_trace, exchanged, failure, stopped_by } = match found {
        Ok(found) => found,
        Err(nobody) => return Checked::not_run(code, name, &nobody.to_string()),
    };
    let mut checked = Checked::new(code, name, failure);
    let described = counted(as_size(states), "state");
    let steps = counted(longest_trace as usize, "step");
    checked
        .summary
        .push(format!("{described}; the longest trace has {steps}; items counted in {final_states} final states"));
    let HandoverBounds { joins, item_moves, faults, lease_expiries } = bounds;
    checked.summary.push(format!(
        "bounds: {}, {}, {} of the store, {}",
        counted(joins as usize, "join"),
        counted(item_moves as usize, "item move"),
        counted(faults as usize, "fault"),
        if lease_expiries == 1 { "1 lease expiry".to_owned() } else { format!("{lease_expiries} lease expiries") },
    ));
    if !exchanged && item_moves > 0 && stopped_by.is_none() {
        checked.summary.push("no item can be moved at the start of these rules, so this check is weak".to_owned());
    }
    if let (CheckStatus::Passed, Some(bound)) = (checked.status, stopped_by) {
        checked.status = CheckStatus::Incomplete;
        let by = match bound {
            Bound::Interrupt => "an interrupt",
            Bound::States(_) => "`--states`",
            _ => "`--time`",
        };
        checked.summary.push(format!("stopped early by {by}"));
    }
    checked.figures = vec![
        ("states", states),
        ("final-states", final_states),
        ("longest-trace", longest_trace.into()),
        ("joins", joins.into()),
        ("item-moves", item_moves.into()),
        ("faults", faults.into()),
        ("lease-expiries", lease_expiries.into()),
    ];
    checked
}

/// The saves among the inputs, and the errors of those that cannot be read.
fn load_existing(inputs: &Inputs) -> (Vec<(PathBuf, Save)>, Vec<InputError>) {
    parted(inputs.saves.iter().map(|path| load_save(path, false).map(|save| (path.clone(), save))).collect())
}

/// Each save is of the ruleset, or it migrates to it.
fn existing_saves_check(kept: &[(PathBuf, Save)], rules: &Arc<Ruleset>) -> Checked {
    let (code, name) = ("existing-saves", "existing saves");
    if kept.is_empty() {
        return Checked::not_run(code, name, "no saves among the files");
    }
    let mut found = MigrationReport::default();
    found.failure = kept.iter().find_map(|(path, save)| migrate(&mut found, path, save, rules));
    migration_summary(Checked::new(code, name, found.failure.clone()), &found, "the ruleset")
}

fn migrate(found: &mut MigrationReport, path: &Path, save: &Save, rules: &Arc<Ruleset>) -> Option<CheckFailure> {
    let wrong = found.migrate(save, rules).err()?;
    Some(CheckFailure { trace: vec![path.display().to_string()], found: wrong })
}

fn migration_checks(files: &[ResolvedScenarioFile<'_>], next_rules: Option<&Arc<Ruleset>>) -> Checked {
    let (code, name) = ("migration", "migration");
    let Some(next_rules) = next_rules else {
        return Checked::not_run(code, name, "not run: name the next ruleset with `--next-rules FILE`");
    };
    let found = check_migration(files, next_rules);
    migration_summary(
        Checked::new(code, name, found.failure.clone()),
        &found,
        &format!("version {}", next_rules.version()),
    )
}

fn migration_summary(mut checked: Checked, found: &MigrationReport, to: &str) -> Checked {
    let MigrationReport { saves, changed, actions, orphans, .. } = found;
    let changed_text = if *changed == 0 { "none".to_owned() } else { changed.to_string() };
    checked
        .summary
        .push(format!("{} migrated to {to}, {changed_text} with differences", counted(as_size(*saves), "save")));
    let described: Vec<String> =
        actions.iter().map(|(action, often)| format!("{} {}", done(*action), times(*often))).collect();
    if !described.is_empty() {
        checked.summary.push(format!("actions: {}", described.join(", ")));
    }
    if *orphans > 0 {
        checked.summary.push(format!("{} set aside as orphans", counted(as_size(*orphans), "item")));
    }
    checked.figures = vec![("saves", *saves), ("changed", *changed), ("orphans", *orphans)];
    checked
}

fn done(action: MigrationPolicy) -> &'static str {
    match action {
        MigrationPolicy::Stay => "stayed",
        MigrationPolicy::Split => "split",
        MigrationPolicy::Spill => "spilled",
        MigrationPolicy::Ground => "dropped",
        MigrationPolicy::Orphan => "orphaned",
        MigrationPolicy::Refuse => "refused",
    }
}

fn times(often: u64) -> String {
    if often == 1 { "once".to_owned() } else { format!("{often} times") }
}

fn as_size(count: u64) -> usize {
    usize::try_from(count).unwrap_or(usize::MAX)
}
