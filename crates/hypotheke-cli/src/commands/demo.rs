//! demo: an overview with built-in data.

use std::path::Path;
use std::sync::Arc;

use super::verify::{ScenarioCounts, draw_summary, results};
use super::{Output, Verdict};
use crate::args::Format;
use crate::demo_files::{self, DemoFile, FAILING, RULES, SCENARIOS, TABLES};
use crate::files::InputError;
use crate::formats::verify::DemoJson;
use crate::inputs::quoted;
use crate::render::report;
use crate::render::{Page, Tone, container, pad};
use hypotheke::scenario::{ReportDetail, ScenarioReport};
use hypotheke::text::Source;
use hypotheke::{LoadError, Ruleset, ScenarioFile, World};

pub(crate) fn rules() -> Result<Arc<Ruleset>, InputError> {
    let table = |name: &str| {
        let file = TABLES.iter().find(|file| file.path == name).ok_or("there is no such file")?;
        Ok((name.to_owned(), file.text.as_bytes().to_vec()))
    };
    Ok(Arc::new(Ruleset::from_bytes(RULES.path, RULES.text.as_bytes().to_vec(), table)?))
}

fn run_file(
    rules: &Arc<Ruleset>,
    file: &DemoFile,
    detail: ReportDetail,
) -> Result<(Source, Vec<ScenarioReport>), InputError> {
    let scenarios = ScenarioFile::parse(Source::new(file.path, file.text)).map_err(LoadError::from)?;
    let reports = scenarios.check(rules).map_err(LoadError::from)?.run(detail).collect();
    Ok((scenarios.source().clone(), reports))
}

pub(crate) fn run(output: &mut Output) -> Result<Verdict, InputError> {
    let rules = rules()?;
    let mut tally = ScenarioCounts::default();
    let mut played = Vec::new();
    for file in SCENARIOS {
        let (source, reports) = run_file(&rules, file, ReportDetail::Failures)?;
        reports.iter().for_each(|report| tally.add(report));
        played.push((source, reports));
    }
    let verdict = if tally.failed == 0 { Verdict::Good } else { Verdict::Failed };
    if output.format == Format::Json {
        let reports = played.iter().flat_map(|(source, reports)| reports.iter().map(move |report| (source, report)));
        output.write_json(&DemoJson { title: rules.title(), scenarios: results(reports) })?;
        return Ok(verdict);
    }
    let mut page = output.page();
    draw_rules(&mut page, &rules);
    page.folded(Tone::Heading, "2  Scenarios state the expected results. All of these run now:");
    for (source, reports) in &played {
        report::draw_file_line(&mut page, source, &reports.iter().collect::<Vec<_>>());
    }
    draw_summary(&mut page, tally);
    draw_one_closely(&mut page, &rules)?;
    draw_a_failure(&mut page, &rules)?;
    draw_what_next(&mut page);
    output.write(&page.into_text())?;
    Ok(verdict)
}

fn draw_rules(page: &mut Page, rules: &Arc<Ruleset>) {
    let world = World::new(rules);
    page.put(Tone::Heading, rules.title());
    page.plain(": ").folded(Tone::Plain, "the stores of a scientific traverse over an ice sheet");
    page.blank();
    page.line(Tone::Heading, "1  A designer writes the rules. Two of the containers:");
    page.blank();
    for name in ["sled", "freezer"] {
        if let Some(id) = world.container(name) {
            container::draw(page, &world, id);
            page.blank();
        }
    }
}

/// The first scenario of the sled, step by step.
fn draw_one_closely(page: &mut Page, rules: &Arc<Ruleset>) -> Result<(), InputError> {
    let Some(file) = SCENARIOS.iter().find(|file| file.path.ends_with("sled.scenario")) else { return Ok(()) };
    let (source, reports) = run_file(rules, file, ReportDetail::Steps)?;
    page.blank();
    page.line(Tone::Heading, "3  One scenario, step by step:");
    if let Some(report) = reports.first() {
        report::draw(page, &source, report);
    }
    Ok(())
}

fn draw_a_failure(page: &mut Page, rules: &Arc<Ruleset>) -> Result<(), InputError> {
    let (source, reports) = run_file(rules, &FAILING, ReportDetail::Failures)?;
    page.blank();
    page.folded(Tone::Heading, "4  A scenario that fails: it expects a result that the rules forbid");
    if let Some(report) = reports.first() {
        report::draw(page, &source, report);
    }
    Ok(())
}

fn draw_what_next(page: &mut Page) {
    page.line(Tone::Heading, "5  Next steps");
    for (command, what) in [
        ("hypotheke demo --output traverse", "write these files to a folder"),
        ("hypotheke check traverse/rules.toml", "check the ruleset"),
        ("hypotheke show traverse/rules.toml", "draw the containers"),
        ("hypotheke verify traverse", "run the scenarios"),
        ("hypotheke explore traverse/canteen", "find a trade that makes money"),
        ("hypotheke show traverse/workshop", "draw a workshop with recipes"),
    ] {
        page.plain("   ").put(Tone::Notable, &pad(command, 40)).rest(Tone::Plain, what).end();
    }
}

/// Writes the files of the demo: all of them, or none.
pub(crate) fn write(output: &mut Output, folder: &Path) -> Result<Verdict, InputError> {
    let files: Vec<(&str, &str)> = demo_files::all().map(|file| (file.path, file.text)).collect();
    write_folder(folder, &files)?;
    let mut page = output.page();
    for (path, _) in files {
        page.plain(&format!("wrote  {}", folder.join(path).display())).end();
    }
    page.next(&format!("hypotheke verify {}", quoted(&folder.display().to_string())));
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}

/// Writes files to a new or empty folder: all of them, or none.
pub(super) fn write_folder(folder: &Path, files: &[(&str, &str)]) -> Result<(), InputError> {
    let taken = |what: &str| {
        let message = format!("`{}` {what}; nothing was written", folder.display());
        InputError::usage(message, Some("Name a new folder"))
    };
    if folder.is_file() {
        return Err(taken("is a file"));
    }
    let exists = folder.is_dir();
    if exists && std::fs::read_dir(folder)?.next().is_some() {
        return Err(taken("is not empty"));
    }
    let parent = folder.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(parent)?;
    let unfinished = tempfile::Builder::new().prefix(".hypotheke-").tempdir_in(parent)?;
    let root = unfinished.path().join("files");
    for (path, text) in files {
        let path = root.join(path);
        std::fs::create_dir_all(path.parent().unwrap_or(&root))?;
        std::fs::write(path, text)?;
    }
    if exists {
        std::fs::remove_dir(folder)?;
    }
    std::fs::rename(&root, folder)?;
    Ok(())
}
