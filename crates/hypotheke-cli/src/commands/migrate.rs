//! migrate: migrates saves to a different ruleset and lists every difference.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use super::saves::draw_changes;
use super::{Output, Verdict};
use crate::args::{Format, MigrateArgs};
use crate::files::{InputError, keep_and_replace, load_rules, load_save, write_new};
use crate::findings::{MigrationRun, Stage};
use crate::formats::migrate::{MigrateJson, MigratedJson};
use crate::inputs::{FileKind, Inputs, quoted};
use crate::render::report::counted;
use crate::render::{Page, Tone, pad};
use hypotheke::save::Save;
use hypotheke::snapshot::Orphan;
use hypotheke::{Difference, MigrationError, MigrationPolicy, Ruleset};

pub(crate) fn run(output: &mut Output, args: &MigrateArgs) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(&args.files, None, FileKind::Save, false)?;
    inputs.require(FileKind::Save)?;
    if inputs.saves.len() > 1 && args.output.is_some() {
        return Err(InputError::usage(
            "`--output` requires exactly one save",
            Some("Use `--in-place` to replace several saves"),
        ));
    }
    let mut targets: Vec<PathBuf> = inputs.rulesets.iter().chain(&args.rules).cloned().collect();
    if targets.is_empty() {
        targets = inputs.next_ruleset()?;
    }
    let rules: Vec<Arc<Ruleset>> =
        targets.iter().map(|path| Ok(Arc::new(load_rules(path)?))).collect::<Result<_, InputError>>()?;
    // All saves are read before the first is written.
    let saves: Vec<(PathBuf, Save)> = inputs
        .saves
        .iter()
        .map(|path| Ok((path.clone(), load_save(path, args.allow_edited)?)))
        .collect::<Result<_, InputError>>()?;
    let mut runs: Vec<MigrationRun> =
        saves.into_iter().map(|(path, save)| go(path, save, &rules)).collect::<Result<_, InputError>>()?;
    for run in &mut runs {
        write(run, args)?;
    }
    let verdict = if runs.iter().all(|run| run.after.is_some()) { Verdict::Good } else { Verdict::Failed };
    if output.format == Format::Json {
        output.write_json(&MigrateJson { saves: runs.iter().map(MigratedJson::new).collect() })?;
        return Ok(verdict);
    }
    let mut page = output.page();
    runs.iter().for_each(|run| draw(&mut page, run));
    draw_next(&mut page, &runs, args, &inputs);
    output.write(&page.into_text())?;
    Ok(verdict)
}

fn go(path: PathBuf, before: Save, rules: &[Arc<Ruleset>]) -> Result<MigrationRun, InputError> {
    let (mut stages, mut after) = (Vec::new(), Some(before.clone()));
    for rules in rules {
        let Some(save) = after.take() else { break };
        let (title, version) = (rules.title().to_owned(), rules.version());
        let differences = match save.migrate(rules) {
            Ok((save, differences)) => {
                after = Some(save);
                differences
            }
            Err(MigrationError::Refused(differences)) => differences,
            Err(error) => {
                return Err(InputError::usage(
                    format!("cannot migrate `{}`: {error}", path.display()),
                    Some("Check it with its own ruleset: `hypotheke check SAVE --rules FILE`"),
                ));
            }
        };
        stages.push(Stage { title, version, differences });
    }
    let direct = match (&after, rules) {
        (Some(after), [_, .., last]) => before.migrate(last).ok().map(|(direct, _)| after.changes_to(&direct)),
        _ => None,
    };
    let direct = direct.filter(|changes| !changes.by_place.is_empty());
    Ok(MigrationRun { path, before, stages, after, direct, written: None, backup: None })
}

fn write(run: &mut MigrationRun, args: &MigrateArgs) -> Result<(), InputError> {
    let Some(after) = run.after.as_ref().filter(|_| args.in_place || args.output.is_some()) else { return Ok(()) };
    let is_json = std::fs::read(&run.path)?.trim_ascii_start().starts_with(b"{");
    let bytes = if is_json { after.to_json().into_bytes() } else { after.to_bytes() };
    match &args.output {
        Some(to) => {
            write_new(to, &bytes)?;
            run.written = Some(to.clone());
        }
        None if *after == run.before => {}
        None => {
            let kept = backup_path(&run.path, run.before.rules().version);
            keep_and_replace(&run.path, &kept, &bytes)?;
            (run.written, run.backup) = (Some(run.path.clone()), Some(kept));
        }
    }
    Ok(())
}

/// `night.json` of version 1 gets the backup `night.version-1.json`.
fn backup_path(path: &Path, version: u32) -> PathBuf {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let extension = path.extension().map(|it| format!(".{}", it.to_string_lossy())).unwrap_or_default();
    path.with_file_name(format!("{stem}.version-{version}{extension}"))
}

fn word(action: Option<MigrationPolicy>) -> (Tone, &'static str) {
    match action {
        None => (Tone::Plain, "changed"),
        Some(MigrationPolicy::Stay) => (Tone::Notable, "stays"),
        Some(MigrationPolicy::Split) => (Tone::Good, "split"),
        Some(MigrationPolicy::Spill) => (Tone::Good, "spilled"),
        Some(MigrationPolicy::Ground) => (Tone::Good, "moved"),
        Some(MigrationPolicy::Orphan) => (Tone::Notable, "orphaned"),
        Some(MigrationPolicy::Refuse) => (Tone::Bad, "refused"),
    }
}

fn draw(page: &mut Page, run: &MigrationRun) {
    page.put(Tone::Heading, &run.path.display().to_string());
    let before = run.before.rules();
    page.rest(Tone::Plain, &format!("   {}   version {}", before.title, before.version)).end();
    for stage in &run.stages {
        let heading = format!("to version {} of {}", stage.version, stage.title);
        page.rest(Tone::Heading, &heading).end();
        if stage.differences.is_empty() {
            page.line(Tone::Good, "  no differences");
        }
        let is_new = |difference: &&Difference| difference.message == "new";
        let (new, others): (Vec<&Difference>, Vec<&Difference>) = stage.differences.iter().partition(is_new);
        others.iter().for_each(|difference| draw_difference(page, difference));
        if !new.is_empty() {
            let names: Vec<&str> = new.iter().map(|difference| difference.place.as_str()).collect();
            page.plain("  ").put(Tone::Good, &pad("new", 12)).items(Tone::Plain, names, ", ");
        }
    }
    if run.after.is_none() {
        page.line(Tone::Bad, "refused; the save is unchanged");
    }
    match &run.direct {
        Some(changes) => {
            page.line(Tone::Notable, "A direct migration to the last version would give different places:");
            draw_changes(page, changes);
        }
        None if run.after.is_some() && run.stages.len() > 1 => {
            page.line(Tone::Good, "A direct migration to the last version gives the same result");
        }
        None => {}
    }
}

fn draw_difference(page: &mut Page, difference: &Difference) {
    let (tone, word) = word(difference.action);
    let to = if difference.to.is_empty() { String::new() } else { format!("; moved to {}", difference.to.join(", ")) };
    let text = format!("{}{to}", difference.message);
    page.plain("  ").put(tone, &pad(word, 12)).plain(&pad(&difference.place, 25)).plain(" ").folded(Tone::Plain, &text);
}

fn draw_next(page: &mut Page, runs: &[MigrationRun], args: &MigrateArgs, inputs: &Inputs) {
    let all: Vec<&Difference> = runs.iter().flat_map(|run| &run.stages).flat_map(|stage| &stage.differences).collect();
    let some = |action: MigrationPolicy, what: &str| {
        let count = all.iter().filter(|described| described.action == Some(action)).count();
        (count > 0).then(|| format!("{count} {what}"))
    };
    let kinds = [
        some(MigrationPolicy::Split, "split"),
        some(MigrationPolicy::Spill, "spilled"),
        some(MigrationPolicy::Ground, "moved"),
        some(MigrationPolicy::Orphan, "orphaned"),
        some(MigrationPolicy::Stay, "unchanged"),
        some(MigrationPolicy::Refuse, "refused"),
    ];
    let kinds: Vec<String> = kinds.into_iter().flatten().collect();
    let of = if kinds.is_empty() { String::new() } else { format!(": {}", kinds.join(", ")) };
    page.put(Tone::Heading, &format!("{}{of}", counted(all.len(), "difference"))).end();
    let orphans = runs.iter().filter_map(|run| run.after.as_ref()).flat_map(|save| &save.snapshot().orphans);
    let orphaned: u64 = orphans.map(Orphan::items).sum();
    if orphaned > 0 {
        let items = counted(usize::try_from(orphaned).unwrap_or(usize::MAX), "item");
        page.plain("       ")
            .folded(Tone::Plain, &format!("{items} set aside as orphans, until a ruleset knows them again"));
    }
    for run in runs {
        if let Some(written) = &run.written {
            let kept = run.backup.as_ref().map_or(String::new(), |kept| format!(", backup as {}", kept.display()));
            page.plain(&format!("wrote  {}{kept}", written.display())).end();
        }
    }
    if !(args.in_place || args.output.is_some()) && runs.iter().any(|run| run.after.is_some()) {
        page.line(Tone::Plain, "nothing was written");
        let rules: Vec<String> =
            args.rules.iter().map(|path| format!(" --rules {}", quoted(&path.display().to_string()))).collect();
        page.next(&format!("hypotheke migrate{}{} --in-place", inputs.pasted(), rules.concat()));
    }
}
