//! fmt: formats scenario files.

use std::path::PathBuf;

use super::verify::load_all;
use super::{Output, Verdict, report_errors};
use crate::args::Format;
use crate::files::{InputError, is_standard_input, load_scenarios, replace};
use crate::formats::diagnostics::errors_json;
use crate::formats::fmt::FmtJson;
use crate::inputs::{FileKind, Inputs};
use crate::render::Tone;
use crate::render::report::counted;

pub(crate) fn run(output: &mut Output, named: &[String], check: bool) -> Result<Verdict, InputError> {
    let inputs = Inputs::new(named, None, FileKind::Scenario, false)?;
    inputs.require(FileKind::Scenario)?;
    if let [only] = &inputs.scenarios[..]
        && is_standard_input(only)
        && !check
    {
        let text = load_scenarios(only)?.to_string();
        output.write(&text)?;
        return Ok(Verdict::Good);
    }
    let (files, errors) = load_all(&inputs.scenarios);
    let changed: Vec<(PathBuf, String)> = files
        .iter()
        .filter_map(|file| {
            let text = file.to_string();
            (text != file.source().text()).then(|| (PathBuf::from(file.source().name()), text))
        })
        .collect();
    if !check {
        for (path, text) in &changed {
            replace(path, text.as_bytes())?;
        }
    }
    let names: Vec<String> = changed.iter().map(|(path, _)| path.display().to_string()).collect();
    if output.format == Format::Json {
        let (changed, would_change) = if check { (None, Some(names.clone())) } else { (Some(names.clone()), None) };
        let diagnostics = errors_json(&errors).0;
        output.write_json(&FmtJson { files: files.len(), changed, would_change, diagnostics })?;
    } else {
        draw(output, &names, files.len(), check.then(|| inputs.pasted()))?;
    }
    if !errors.is_empty() {
        return Ok(report_errors(output, &errors));
    }
    Ok(if check && !names.is_empty() { Verdict::Failed } else { Verdict::Good })
}

fn draw(output: &mut Output, names: &[String], files: usize, checked: Option<String>) -> Result<(), InputError> {
    let mut page = output.page();
    let head = if checked.is_some() { "would change" } else { "changed" };
    for name in names {
        page.put(Tone::Notable, head).plain("   ").plain(name).end();
    }
    let rest = counted(files - names.len(), "file");
    page.put(Tone::Good, &rest).plain(" already formatted").end();
    if let Some(files) = checked.filter(|_| !names.is_empty()) {
        page.next(&format!("hypotheke fmt{files}"));
    }
    output.write(&page.into_text())
}
