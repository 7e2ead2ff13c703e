//! check: errors and likely mistakes of a ruleset.

use std::sync::Arc;

use super::{Output, Verdict, report_diagnostics, saves};
use crate::args::{Format, SaveArgs};
use crate::files::{InputError, load_rules};
use crate::formats::check::CheckJson;
use crate::inputs::{FileKind, Inputs, quoted};
use crate::render::report::counted;
use crate::render::{Page, Tone, clip, width};
use hypotheke::Ruleset;
use hypotheke::explore::{ClaimsFile, Exploration};

pub(crate) fn run(output: &mut Output, files: &[String], saved: &SaveArgs) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(files, saved.rules.as_deref(), FileKind::Ruleset, false)?;
    // A folder is checked by its ruleset; saves in it are named one by one.
    if let Some(path) = &inputs.named_save {
        return saves::check(output, path, &inputs.ruleset()?, saved.allow_edited);
    }
    let path = inputs.ruleset()?;
    let rules = Arc::new(load_rules(&path)?);
    if let Some(claims) = ClaimsFile::in_ruleset(&rules)? {
        Exploration::new(&rules, &claims)?;
    }
    let warnings = rules.lint();
    if output.format == Format::Json {
        let diagnostics = crate::formats::diagnostics::to_json(&warnings);
        output.write_json(&CheckJson {
            title: rules.title(),
            version: rules.version(),
            kinds: rules.kinds().len(),
            containers: rules.containers().len(),
            holders: rules.holders().iter().flat_map(hypotheke::HolderDef::instances).count(),
            diagnostics,
            unlisted: warnings.unlisted(),
        })?;
        return Ok(Verdict::Good);
    }
    if !warnings.is_empty() {
        report_diagnostics(output, &warnings);
    }
    let mut page = output.page();
    page.put(Tone::Good, "ok").plain("     ");
    put_title(&mut page, &rules);
    page.end();
    let sizes = [
        counted(rules.kinds().len(), "kind"),
        counted(rules.tags().len(), "tag"),
        counted(rules.containers().len(), "container"),
        counted(rules.holders().iter().flat_map(hypotheke::HolderDef::instances).count(), "holder"),
    ];
    page.plain(&format!("       {}", sizes.join(", "))).end();
    page.next(&format!("hypotheke verify {}", quoted(&path.display().to_string())));
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}

/// The title and the version of a ruleset.
pub(crate) fn put_title(page: &mut Page, rules: &Ruleset) {
    let title = if rules.title().is_empty() { "Untitled ruleset" } else { rules.title() };
    let version = format!("   version {}", rules.version());
    // Saves have the revision in the same line.
    let title = clip(title, page.room().saturating_sub(width(&version) + 24));
    page.put(Tone::Heading, &title).plain(&version);
}
