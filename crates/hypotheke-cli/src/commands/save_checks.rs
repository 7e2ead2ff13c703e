//! saves: whether saves keep what they should.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::explore::{end, watch_for_the_end};
use super::verify::{all_or_faults, check_all, load_all};
use super::{Output, Verdict};
use crate::args::{Format, TestSavesArgs};
use crate::files::{InputError, load_rules, load_save, saves_beside, scenario_paths};
use crate::findings::{CheckStatus, Checked};
use crate::formats::save_checks::TestSavesJson;
use crate::render::Page;
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

/// The writer is stopped while it writes so many saves, and no more: the writer does not look into them.
const SAVES_TO_STOP: usize = 8;

/// So many states lie between two lines of progress.
const TELL_EVERY: u64 = 1_000;

pub(crate) fn run(output: &mut Output, args: &TestSavesArgs) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(&args.rules)?);
    let mended = args.next_rules.as_deref().map(load_rules).transpose()?.map(Arc::new);
    let paths = scenario_paths(&args.files, &args.rules)?;
    let files = load_all(&paths)?;
    let playable = check_all(&files, &rules)?;
    let kept = load_kept(&args.rules)?;
    watch_for_the_end(args.time);
    let mut checks = Vec::new();
    output.progress("saving after every step");
    let steps = check_round_trips(&playable);
    let worlds = steps.worlds;
    checks.push(of_steps(steps));
    output.progress("stopping the writer everywhere");
    checks.push(of_stops(&playable, worlds));
    checks.push(handover_checks(output, &rules, args));
    checks.push(of_kept(&kept, &rules));
    checks.push(migration_checks(&playable, mended.as_ref()));
    output.progress("");
    if output.format == Format::Json {
        output.write_json(&TestSavesJson::new(&rules, &checks))?;
    } else {
        let mut page = Page::default();
        draw(&mut page, &rules, &checks);
        output.write(&page.into_text())?;
    }
    let any = |came| checks.iter().any(|check| check.status == came);
    Ok(match (any(CheckStatus::Failed), any(CheckStatus::Incomplete) && !args.accept_partial) {
        (true, _) => Verdict::Failed,
        (false, true) => Verdict::Incomplete,
        (false, false) => Verdict::Good,
    })
}

fn of_steps(found: RoundTripReport) -> Checked {
    let RoundTripReport { scenarios, unfinished, worlds, departures, bytes, failure } = found;
    let mut checked = Checked::new("every-step", "every step", failure);
    let worlds_told = counted(as_size(worlds), "world");
    let scenarios_told = counted(as_size(scenarios), "scenario");
    let departures_told = counted(as_size(departures), "departure");
    checked
        .summary
        .push(format!("{worlds_told} and {departures_told} of {scenarios_told}, saved and read in both forms"));
    if let (Some(json), Some(binary)) = (bytes.0.checked_div(worlds), bytes.1.checked_div(worlds)) {
        checked.summary.push(format!("a save has {json} bytes in JSON and {binary} in binary form"));
    }
    if unfinished > 0 {
        let early = counted(as_size(unfinished), "scenario");
        checked.summary.push(format!("{early} played no further than where an expectation fails: `hypotheke verify`"));
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

/// Some of the saves after a step, spread over all of them.
fn of_stops(files: &[ResolvedScenarioFile<'_>], worlds: u64) -> Checked {
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
    let mut checked = Checked::new("every-stop", "every stop", failure);
    let told = format!("{saves} of {worlds} saves; the writer was stopped {}, after each of its steps", times(stops));
    checked.summary.push(told);
    if checked.status == CheckStatus::Passed {
        checked.summary.push(format!("a whole save is there on each of {disks} disks that a power cut may leave"));
    }
    checked.figures = vec![("saves", saves), ("of", worlds), ("stops", stops), ("disks", disks)];
    checked
}

fn handover_checks(output: &mut Output, rules: &Arc<Ruleset>, args: &TestSavesArgs) -> Checked {
    let (code, name) = ("two-servers", "two servers");
    let bounds = HandoverBounds {
        joins: args.joins,
        item_moves: args.item_moves,
        faults: args.faults,
        lease_expiries: args.lease_expiries,
    };
    let mut told = 0;
    let found = check_handover(rules, &MemoryStore::new(), bounds, &mut |states| {
        if states >= told {
            output.progress(&format!("hopping between two servers, {states} states so far"));
            told = states + TELL_EVERY;
        }
        let is_enough = states > args.states;
        end(args.time).or_else(|| is_enough.then_some(Bound::States(args.states)))
    });
    let HandoverReport { states, final_states, longest_trace, exchanged, failure, stopped_by } = match found {
        Ok(found) => found,
        Err(nobody) => return Checked::not_run(code, name, &nobody.to_string()),
    };
    let mut checked = Checked::new(code, name, failure);
    let told = counted(as_size(states), "state");
    let steps = counted(longest_trace as usize, "step");
    checked.summary.push(format!("{told}, the longest_trace way has {steps}; at rest, and counted, in {final_states}"));
    let HandoverBounds { joins, item_moves, faults, lease_expiries } = bounds;
    checked.summary.push(format!(
        "within {}, {}, {} of the store, {} that {}",
        counted(joins as usize, "join"),
        counted(item_moves as usize, "exchange"),
        counted(faults as usize, "fault"),
        counted(lease_expiries as usize, "lease"),
        if lease_expiries == 1 { "runs out" } else { "run out" },
    ));
    if !exchanged && item_moves > 0 && stopped_by.is_none() {
        checked
            .summary
            .push("nothing could be given or taken at the start of these rules: little can be lost".to_owned());
    }
    if let (CheckStatus::Passed, Some(bound)) = (checked.status, stopped_by) {
        checked.status = CheckStatus::Incomplete;
        let by = match bound {
            Bound::Interrupt => "an interrupt",
            Bound::States(_) => "`--states`",
            _ => "`--time`",
        };
        checked.summary.push(format!("stopped by {by} before all was tried"));
    }
    checked.figures = vec![
        ("states", states),
        ("final_states", final_states),
        ("longest_trace", longest_trace.into()),
        ("joins", joins.into()),
        ("item_moves", item_moves.into()),
        ("faults", faults.into()),
        ("run-outs", lease_expiries.into()),
    ];
    checked
}

/// The saves beside a ruleset; all that is wrong with any of them.
fn load_kept(rules: &Path) -> Result<Vec<(PathBuf, Save)>, InputError> {
    let loaded = saves_beside(rules)?.into_iter().map(|path| load_save(&path, false).map(|save| (path, save)));
    all_or_faults(loaded.collect())
}

/// Each of them goes over to the ruleset, or is of it already.
fn of_kept(kept: &[(PathBuf, Save)], rules: &Arc<Ruleset>) -> Checked {
    let (code, name) = ("kept-saves", "kept saves");
    if kept.is_empty() {
        return Checked::not_run(code, name, "there is no save in a folder `saves` beside the rules");
    }
    let mut found = MigrationReport::default();
    found.failure = kept.iter().find_map(|(path, save)| carry(&mut found, path, save, rules));
    of_carried(Checked::new(code, name, found.failure.clone()), &found, "these rules")
}

fn carry(found: &mut MigrationReport, path: &Path, save: &Save, rules: &Arc<Ruleset>) -> Option<CheckFailure> {
    let wrong = found.carry_over(save, rules).err()?;
    Some(CheckFailure { trace: vec![path.display().to_string()], found: wrong })
}

fn migration_checks(files: &[ResolvedScenarioFile<'_>], mended: Option<&Arc<Ruleset>>) -> Checked {
    let (code, name) = ("mended-rules", "mended rules");
    let Some(mended) = mended else {
        return Checked::not_run(code, name, "not requested: `--mended FILE` names the rules that are to come");
    };
    let found = check_migration(files, mended);
    of_carried(Checked::new(code, name, found.failure.clone()), &found, &format!("version {}", mended.version()))
}

fn of_carried(mut checked: Checked, found: &MigrationReport, to: &str) -> Checked {
    let MigrationReport { saves, changed, actions, aside, .. } = found;
    let changed_told = if *changed == 0 { "none".to_owned() } else { changed.to_string() };
    checked.summary.push(format!("{} over to {to}, {changed_told} with differences", goes(*saves)));
    let told: Vec<String> =
        actions.iter().map(|(action, often)| format!("{} {}", done(*action), times(*often))).collect();
    if !told.is_empty() {
        checked.summary.push(format!("what was done: {}", told.join(", ")));
    }
    if *aside > 0 {
        checked.summary.push(format!("{} kept aside in all", counted(as_size(*aside), "item")));
    }
    checked.figures = vec![("saves", *saves), ("changed", *changed), ("aside", *aside)];
    checked
}

fn done(action: MigrationPolicy) -> &'static str {
    match action {
        MigrationPolicy::Stay => "left",
        MigrationPolicy::Split => "split",
        MigrationPolicy::Spill => "spilled",
        MigrationPolicy::Ground => "to the ground",
        MigrationPolicy::Orphan => "kept aside",
        MigrationPolicy::Refuse => "refused",
    }
}

fn times(often: u64) -> String {
    if often == 1 { "once".to_owned() } else { format!("{often} times") }
}

fn goes(saves: u64) -> String {
    if saves == 1 { "1 save goes".to_owned() } else { format!("{saves} saves go") }
}

fn as_size(count: u64) -> usize {
    usize::try_from(count).unwrap_or(usize::MAX)
}
