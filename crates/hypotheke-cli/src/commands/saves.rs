//! The audit of a save, and the differences between two saves.

use std::path::Path;
use std::sync::Arc;

use super::{Output, Verdict};
use crate::args::{CompareArgs, Format};
use crate::files::{InputError, is_save, load_rules, load_save, load_world};
use crate::formats::saves::{CheckSaveJson, CompareSavesJson};
use crate::inputs::quoted;
use crate::render::report::counted;
use crate::render::{Page, Tone, pad};
use hypotheke::save::{ItemChange, Save, SaveChanges};
use hypotheke::snapshot::Orphan;
use hypotheke::{Law, Ruleset, Violation, audit};

pub(crate) fn check(output: &mut Output, path: &Path, rules: &Path, allow_edited: bool) -> Result<Verdict, InputError> {
    let save = load_save(path, allow_edited)?;
    let rules = Arc::new(load_rules(rules)?);
    let violations = audit_of(&save, &rules);
    // The violations of an edited save are reported below.
    if violations.is_empty() || !save.is_edited() {
        load_world(path, &save, &rules)?;
    }
    let verdict = if violations.is_empty() { Verdict::Good } else { Verdict::Failed };
    if output.format == Format::Json {
        output.write_json(&CheckSaveJson::new(&save, &violations))?;
        return Ok(verdict);
    }
    let mut page = output.page();
    let described = save.rules();
    let (tone, word) = if violations.is_empty() { (Tone::Good, "ok") } else { (Tone::Bad, "FAILED") };
    page.put(tone, &pad(word, 7)).put(Tone::Heading, &path.display().to_string());
    page.rest(Tone::Plain, &format!("   {}   version {}", described.title, described.version)).end();
    let snapshot = save.snapshot();
    let of_holders = snapshot.holders.iter().flat_map(|holder| &holder.containers);
    let carried: usize = snapshot.holders.iter().map(|holder| holder.containers.len()).sum();
    let containers = snapshot.containers.iter().chain(of_holders).map(|container| container.stacks.len());
    let stacks = containers.chain(snapshot.packs.iter().map(|pack| pack.stacks.len())).sum::<usize>()
        + snapshot.ground.len()
        + snapshot.holders.iter().filter(|holder| holder.hand.is_some()).count();
    let sizes = [
        if save.is_world() { format!("revision {}", snapshot.revision) } else { "departed".to_owned() },
        counted(stacks, "stack"),
        counted(snapshot.containers.len() + carried, "container"),
        counted(snapshot.holders.len(), "holder"),
    ];
    page.plain(&format!("       {}", sizes.join(", "))).end();
    let orphans: u64 = snapshot.orphans.iter().map(Orphan::items).sum();
    if orphans > 0 {
        let orphaned = counted(usize::try_from(orphans).unwrap_or(usize::MAX), "item");
        let text = format!("{orphaned} set aside as orphans, until a ruleset knows them again");
        page.plain("       ").folded(Tone::Notable, &text);
    }
    for violation in &violations {
        let text = format!("{}: {}", violation.place(), violation.message());
        page.plain("  ").put(Tone::Bad, &pad(violation.law().code(), 16)).folded(Tone::Plain, &text);
    }
    if violations.is_empty() {
        page.next(&format!("hypotheke show {}", quoted(&path.display().to_string())));
    } else {
        page.put(Tone::Bad, &counted(violations.len(), "violation")).end();
    }
    output.write(&page.into_text())?;
    Ok(verdict)
}

/// The law violations of a save. A transfer record has no totals, so conservation and identity are
/// not checked.
pub(super) fn audit_of(save: &Save, rules: &Ruleset) -> Vec<Violation> {
    let found = audit(rules, save.snapshot());
    let of_world = |violation: &Violation| matches!(violation.law(), Law::Conservation | Law::Identity);
    found.into_iter().filter(|violation| save.is_world() || !of_world(violation)).collect()
}

pub(crate) fn compare(output: &mut Output, args: &CompareArgs) -> Result<Verdict, InputError> {
    for path in [&args.old, &args.new] {
        if !is_save(path) {
            let message = format!("`{}` is not a save, but the other file is", path.display());
            return Err(InputError::usage(message, Some("Compare two saves or two rulesets")));
        }
    }
    let (before, after) = (load_save(&args.old, args.allow_edited)?, load_save(&args.new, args.allow_edited)?);
    let changes = before.changes_to(&after);
    match output.format {
        Format::Json => output.write_json(&CompareSavesJson::new(&changes))?,
        _ => output.write(&draw(output.page(), &changes, &before, &after))?,
    }
    Ok(Verdict::Good)
}

fn draw(mut page: Page, changes: &SaveChanges, before: &Save, after: &Save) -> String {
    draw_changes(&mut page, changes);
    if !changes.by_place.is_empty() {
        page.blank();
    }
    page.put(Tone::Heading, "in total").end();
    changes.totals.iter().for_each(|change| draw_change(&mut page, change));
    if changes.totals.is_empty() {
        page.line(Tone::Good, "  no item gained or lost");
    }
    let revisions = format!("   revision {} to {}", before.snapshot().revision, after.snapshot().revision);
    page.put(Tone::Heading, &counted(changes.by_place.len(), "place")).plain(" with different contents");
    page.plain(&revisions).end();
    page.into_text()
}

/// The items that each place gained or lost.
pub(super) fn draw_changes(page: &mut Page, changes: &SaveChanges) {
    for (place, items) in &changes.by_place {
        page.rest(Tone::Heading, place).end();
        items.iter().for_each(|change| draw_change(page, change));
    }
}

fn draw_change(page: &mut Page, change: &ItemChange) {
    let (tone, sign, by) = match change.after.checked_sub(change.before) {
        Some(more) => (Tone::Good, '+', more),
        None => (Tone::Bad, '-', change.before - change.after),
    };
    page.plain("  ").put(tone, &format!("{sign}{by:<6}")).plain(&pad(&change.item, 40));
    page.plain(&format!("  {} -> {}", change.before, change.after)).end();
}
