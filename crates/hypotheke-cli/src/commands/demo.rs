//! demo: the whole story on data that is built in.

use std::path::Path;
use std::sync::Arc;

use super::verify::{ScenarioCounts, results, summary};
use super::{Output, Verdict};
use crate::args::Format;
use crate::demo_files::{self, DemoFile, FAILING, RULES, SCENARIOS, TABLES};
use crate::files::InputError;
use crate::formats::verify::DemoJson;
use crate::render::report;
use crate::render::{Page, Tone, container};
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

fn play(
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
        let (source, reports) = play(&rules, file, ReportDetail::Failures)?;
        reports.iter().for_each(|report| tally.add(report));
        played.push((source, reports));
    }
    let verdict = if tally.failed == 0 { Verdict::Good } else { Verdict::Failed };
    if output.format == Format::Json {
        let reports = played.iter().flat_map(|(source, reports)| reports.iter().map(move |report| (source, report)));
        output.write_json(&DemoJson { title: rules.title(), scenarios: results(reports) })?;
        return Ok(verdict);
    }
    let mut page = Page::default();
    draw_rules(&mut page, &rules);
    page.line(Tone::Heading, "2  Scenarios say what must come of it. All of these are played now:");
    for (source, reports) in &played {
        report::draw_file(&mut page, source, &reports.iter().collect::<Vec<_>>());
    }
    output.write(&page.into_text())?;
    output.write(&summary(tally))?;
    let mut page = Page::default();
    draw_one_closely(&mut page, &rules)?;
    draw_a_failure(&mut page, &rules)?;
    draw_what_next(&mut page);
    output.write(&page.into_text())?;
    Ok(verdict)
}

fn draw_rules(page: &mut Page, rules: &Arc<Ruleset>) {
    let world = World::new(rules);
    page.put(Tone::Heading, rules.title());
    page.plain(": what the members of a traverse over an ice sheet carry, load, wear and bring home").end();
    page.blank();
    page.line(Tone::Heading, "1  A designer writes the rules down. Two of the containers, as they are understood:");
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
    let (source, reports) = play(rules, file, ReportDetail::Steps)?;
    page.blank();
    page.line(Tone::Heading, "3  One of them, step by step:");
    if let Some(report) = reports.first() {
        report::draw(page, &source, report);
    }
    Ok(())
}

fn draw_a_failure(page: &mut Page, rules: &Arc<Ruleset>) -> Result<(), InputError> {
    let (source, reports) = play(rules, &FAILING, ReportDetail::Failures)?;
    page.blank();
    page.line(Tone::Heading, "4  This is what a failure looks like; this one expects what the rules forbid:");
    if let Some(report) = reports.first() {
        report::draw(page, &source, report);
    }
    Ok(())
}

fn draw_what_next(page: &mut Page) {
    page.line(Tone::Heading, "5  Your turn");
    for (command, what) in [
        ("hypotheke demo --write traverse", "writes these files to a folder, to start from"),
        ("hypotheke check traverse/rules.toml", "finds what is wrong with a ruleset"),
        ("hypotheke show traverse/rules.toml", "draws all of it"),
        ("hypotheke verify --rules traverse/rules.toml", "plays the scenarios beside it"),
    ] {
        page.plain("   ").put(Tone::Notable, &crate::render::pad(command, 46)).put(Tone::Faint, what).end();
    }
}

/// Writes the demo's files: all of them, or none.
pub(crate) fn write(output: &mut Output, folder: &Path) -> Result<Verdict, InputError> {
    let taken = |what: &str| {
        let message = format!("`{}` {what}", folder.display());
        InputError::usage(message, Some("name a folder that is not there yet"))
    };
    if folder.is_file() {
        return Err(taken("is a file"));
    }
    let exists = folder.is_dir();
    if exists && std::fs::read_dir(folder)?.next().is_some() {
        return Err(taken("is not empty; nothing was written"));
    }
    let parent = folder.parent().filter(|parent| !parent.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(parent)?;
    let unfinished = tempfile::Builder::new().prefix(".hypotheke-").tempdir_in(parent)?;
    let root = unfinished.path().join("files");
    for file in demo_files::all() {
        let path = root.join(file.path);
        std::fs::create_dir_all(path.parent().unwrap_or(&root))?;
        std::fs::write(path, file.text)?;
    }
    if exists {
        std::fs::remove_dir(folder)?;
    }
    std::fs::rename(&root, folder)?;
    let mut page = Page::default();
    for file in demo_files::all() {
        page.plain(&format!("wrote  {}", folder.join(file.path).display())).end();
    }
    page.put(Tone::Faint, &format!("next   `hypotheke verify --rules {}`", folder.join(RULES.path).display())).end();
    output.write(&page.into_text())?;
    Ok(Verdict::Good)
}
