//! fmt: scenario files in their usual layout.

use std::path::{Path, PathBuf};

use super::verify::load_all;
use super::{Output, Verdict};
use crate::args::Format;
use crate::files::{InputError, is_standard_input, load_scenarios, replace, scenario_paths};
use crate::formats::fmt::FmtJson;
use crate::render::report::counted;
use crate::render::{Page, Tone, clip};

pub(crate) fn run(output: &mut Output, named: &[PathBuf], check: bool) -> Result<Verdict, InputError> {
    if let [only] = named
        && is_standard_input(only)
        && !check
    {
        let text = load_scenarios(only)?.to_string();
        output.write(&text)?;
        return Ok(Verdict::Good);
    }
    let paths = scenario_paths(named, Path::new(""))?;
    // All of them can be read, or none is changed.
    let files = load_all(&paths)?;
    let changed: Vec<(&PathBuf, String)> = paths
        .iter()
        .zip(&files)
        .filter_map(|(path, file)| {
            let text = file.to_string();
            (text != file.source().text()).then_some((path, text))
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
        output.write_json(&FmtJson { files: paths.len(), changed, would_change })?;
    } else {
        draw(output, &names, paths.len(), check)?;
    }
    Ok(if check && !names.is_empty() { Verdict::Failed } else { Verdict::Good })
}

fn draw(output: &mut Output, names: &[String], files: usize, check: bool) -> Result<(), InputError> {
    let mut page = Page::default();
    let head = if check { "would change" } else { "changed" };
    for name in names {
        page.put(Tone::Notable, head).plain("   ").plain(&clip(name, 80)).end();
    }
    let rest = counted(files - names.len(), "file");
    page.put(Tone::Good, &rest).plain(" as they should be").end();
    if check && !names.is_empty() {
        page.line(Tone::Faint, "next   `hypotheke fmt` changes them");
    }
    output.write(&page.into_text())
}
