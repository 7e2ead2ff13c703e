//! saves: whether saves keep what they should.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::explore::{end, watch_for_the_end};
use super::verify::{all_or_faults, check_all, load_all};
use super::{Output, Verdict};
use crate::args::{Format, SavesArgs};
use crate::files::{InputError, load_rules, load_save, saves_beside, scenario_paths};
use crate::findings::{Came, Checked};
use crate::formats::save_checks::SavesJson;
use crate::render::Page;
use crate::render::report::counted;
use crate::render::save_checks::draw;
use hypotheke::explore::Bound;
use hypotheke::save::Save;
use hypotheke::save_checks::{
    Breach, HandoverBounds, HandoverReport, Mended, Steps, Stops, every_step, every_stop, for_each_step, hopping,
    under_mended_rules,
};
use hypotheke::scenario::ResolvedScenarioFile;
use hypotheke::store::MemoryStore;
use hypotheke::{MigrationPolicy, Ruleset};

/// The writer is stopped while it writes so many saves, and no more: the writer does not look into them.
const SAVES_TO_STOP: usize = 8;

/// So many situations lie between two lines of progress.
const TELL_EVERY: u64 = 1_000;

pub(crate) fn run(output: &mut Output, args: &SavesArgs) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(&args.rules)?);
    let mended = args.mended.as_deref().map(load_rules).transpose()?.map(Arc::new);
    let paths = scenario_paths(&args.files, &args.rules)?;
    let files = load_all(&paths)?;
    let playable = check_all(&files, &rules)?;
    let kept = load_kept(&args.rules)?;
    watch_for_the_end(args.time);
    let mut checks = Vec::new();
    output.progress("saving after every step");
    let steps = every_step(&playable);
    let worlds = steps.worlds;
    checks.push(of_steps(steps));
    output.progress("stopping the writer everywhere");
    checks.push(of_stops(&playable, worlds));
    checks.push(of_hopping(output, &rules, args));
    checks.push(of_kept(&kept, &rules));
    checks.push(of_mended(&playable, mended.as_ref()));
    output.progress("");
    if output.format == Format::Json {
        output.write_json(&SavesJson::new(&rules, &checks))?;
    } else {
        let mut page = Page::default();
        draw(&mut page, &rules, &checks);
        output.write(&page.into_text())?;
    }
    let any = |came| checks.iter().any(|check| check.came == came);
    Ok(match (any(Came::Bad), any(Came::CutShort) && !args.accept_partial) {
        (true, _) => Verdict::Failed,
        (false, true) => Verdict::CutShort,
        (false, false) => Verdict::Good,
    })
}

fn of_steps(found: Steps) -> Checked {
    let Steps { scenarios, unfinished, worlds, departures, bytes, breach } = found;
    let mut checked = Checked::new("every-step", "every step", breach);
    let worlds_told = counted(as_size(worlds), "world");
    let scenarios_told = counted(as_size(scenarios), "scenario");
    let departures_told = counted(as_size(departures), "departure");
    checked.told.push(format!("{worlds_told} and {departures_told} of {scenarios_told}, saved and read in both forms"));
    if let (Some(json), Some(binary)) = (bytes.0.checked_div(worlds), bytes.1.checked_div(worlds)) {
        checked.told.push(format!("a save has {json} bytes in JSON and {binary} in binary form"));
    }
    if unfinished > 0 {
        let early = counted(as_size(unfinished), "scenario");
        checked.told.push(format!("{early} played no further than where an expectation fails: `hypotheke verify`"));
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
    let Stops { saves, stops, disks, breach } = every_stop(&chosen);
    let mut checked = Checked::new("every-stop", "every stop", breach);
    let told = format!("{saves} of {worlds} saves; the writer was stopped {}, after each of its steps", times(stops));
    checked.told.push(told);
    if checked.came == Came::Good {
        checked.told.push(format!("a whole save is there on each of {disks} disks that a power cut may leave"));
    }
    checked.figures = vec![("saves", saves), ("of", worlds), ("stops", stops), ("disks", disks)];
    checked
}

fn of_hopping(output: &mut Output, rules: &Arc<Ruleset>, args: &SavesArgs) -> Checked {
    let (code, name) = ("two-servers", "two servers");
    let bounds =
        HandoverBounds { joins: args.joins, exchanges: args.exchanges, faults: args.faults, run_outs: args.run_outs };
    let mut told = 0;
    let found = hopping(rules, &MemoryStore::new(), bounds, &mut |situations| {
        if situations >= told {
            output.progress(&format!("hopping between two servers, {situations} situations so far"));
            told = situations + TELL_EVERY;
        }
        let is_enough = situations > args.situations;
        end(args.time).or_else(|| is_enough.then_some(Bound::Worlds(args.situations)))
    });
    let HandoverReport { situations, rests, longest, exchanged, breach, stopped_by } = match found {
        Ok(found) => found,
        Err(nobody) => return Checked::not_asked(code, name, &nobody.to_string()),
    };
    let mut checked = Checked::new(code, name, breach);
    let told = counted(as_size(situations), "situation");
    let steps = counted(longest as usize, "step");
    checked.told.push(format!("{told}, the longest way has {steps}; at rest, and counted, in {rests}"));
    let HandoverBounds { joins, exchanges, faults, run_outs } = bounds;
    checked.told.push(format!(
        "within {}, {}, {} of the store, {} that {}",
        counted(joins as usize, "join"),
        counted(exchanges as usize, "exchange"),
        counted(faults as usize, "fault"),
        counted(run_outs as usize, "lease"),
        if run_outs == 1 { "runs out" } else { "run out" },
    ));
    if !exchanged && exchanges > 0 && stopped_by.is_none() {
        checked.told.push("nothing could be given or taken at the start of these rules: little can be lost".to_owned());
    }
    if let (Came::Good, Some(bound)) = (checked.came, stopped_by) {
        checked.came = Came::CutShort;
        let by = match bound {
            Bound::Interrupt => "an interrupt",
            Bound::Worlds(_) => "`--situations`",
            _ => "`--time`",
        };
        checked.told.push(format!("stopped by {by} before all was tried"));
    }
    checked.figures = vec![
        ("situations", situations),
        ("rests", rests),
        ("longest", longest.into()),
        ("joins", joins.into()),
        ("exchanges", exchanges.into()),
        ("faults", faults.into()),
        ("run-outs", run_outs.into()),
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
        return Checked::not_asked(code, name, "there is no save in a folder `saves` beside the rules");
    }
    let mut found = Mended::default();
    found.breach = kept.iter().find_map(|(path, save)| carry(&mut found, path, save, rules));
    of_carried(Checked::new(code, name, found.breach.clone()), &found, "these rules")
}

fn carry(found: &mut Mended, path: &Path, save: &Save, rules: &Arc<Ruleset>) -> Option<Breach> {
    let wrong = found.carry_over(save, rules).err()?;
    Some(Breach { trail: vec![path.display().to_string()], found: wrong })
}

fn of_mended(files: &[ResolvedScenarioFile<'_>], mended: Option<&Arc<Ruleset>>) -> Checked {
    let (code, name) = ("mended-rules", "mended rules");
    let Some(mended) = mended else {
        return Checked::not_asked(code, name, "not asked for: `--mended FILE` names the rules that are to come");
    };
    let found = under_mended_rules(files, mended);
    of_carried(Checked::new(code, name, found.breach.clone()), &found, &format!("version {}", mended.version()))
}

fn of_carried(mut checked: Checked, found: &Mended, to: &str) -> Checked {
    let Mended { saves, changed, treatments, aside, .. } = found;
    let changed_told = if *changed == 0 { "none".to_owned() } else { changed.to_string() };
    checked.told.push(format!("{} over to {to}, {changed_told} with differences", goes(*saves)));
    let told: Vec<String> =
        treatments.iter().map(|(treatment, often)| format!("{} {}", done(*treatment), times(*often))).collect();
    if !told.is_empty() {
        checked.told.push(format!("what was done: {}", told.join(", ")));
    }
    if *aside > 0 {
        checked.told.push(format!("{} kept aside in all", counted(as_size(*aside), "item")));
    }
    checked.figures = vec![("saves", *saves), ("changed", *changed), ("aside", *aside)];
    checked
}

fn done(treatment: MigrationPolicy) -> &'static str {
    match treatment {
        MigrationPolicy::Leave => "left",
        MigrationPolicy::Split => "split",
        MigrationPolicy::Spill => "spilled",
        MigrationPolicy::Ground => "to the ground",
        MigrationPolicy::Stray => "kept aside",
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
