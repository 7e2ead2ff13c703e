//! check: everything that is wrong with a ruleset, and what is probably not meant.

use std::path::Path;
use std::sync::Arc;

use super::{Output, Verdict, report_diagnostics};
use crate::args::Format;
use crate::files::{InputError, load_rules};
use crate::formats::check::CheckJson;
use crate::render::report::counted;
use crate::render::{Page, Tone, clip};
use hypotheke::Ruleset;
use hypotheke::explore::{ClaimsFile, Exploration};

pub(crate) fn run(output: &mut Output, path: &Path) -> Result<Verdict, InputError> {
    let rules = Arc::new(load_rules(path)?);
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
            holders: rules.holders().len(),
            diagnostics,
            unlisted: warnings.unlisted(),
        })?;
        return Ok(Verdict::Good);
    }
    if !warnings.is_empty() {
        report_diagnostics(output, &warnings);
    }
    let mut page = Page::default();
    page.put(Tone::Good, "good").plain("   ").put(Tone::Heading, &clip(title(&rules), 80));
    page.put(Tone::Faint, &format!("   version {}", rules.version())).end();
    let sizes = [
        counted(rules.kinds().len(), "kind"),
        counted(rules.tags().len(), "tag"),
        counted(rules.containers().len(), "container"),
        counted(rules.holders().len(), "holder"),
    ];
    page.plain(&format!("       {}", sizes.join(", "))).end();
    page.put(Tone::Faint, "next   `hypotheke show` draws it, `hypotheke verify` plays scenarios").end();
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}

pub(crate) fn title(rules: &Ruleset) -> &str {
    if rules.title().is_empty() { "A ruleset without a title" } else { rules.title() }
}
