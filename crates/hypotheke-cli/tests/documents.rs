//! Every command that the documents show is run, and prints what they show.
//!
//! A block marked `console` holds commands after `$ `, each with its output. Where `...` stands alone in a line, any lines
//! may stand. `$ cd FOLDER` changes the folder for what follows in the document; `# status N` after a command says that it
//! ends with N.

use std::path::{Path, PathBuf};

use snapbox::IntoData;

use super::hypotheke;

struct Shown {
    command: String,
    status: i32,
    output: String,
}

fn shown(document: &str) -> Vec<Shown> {
    let mut found: Vec<Shown> = Vec::new();
    let mut inside = false;
    for line in document.lines() {
        match line.strip_prefix("$ ").filter(|_| inside) {
            _ if line.starts_with("```") => inside = line == "```console",
            Some(command) => {
                let (command, status) = command.split_once("  # status ").unwrap_or((command, "0"));
                let status = status.trim().parse().expect("a status");
                found.push(Shown { command: command.trim().to_owned(), status, output: String::new() });
            }
            None if inside => {
                let last = found.last_mut().expect("output after a command");
                last.output.push_str(line);
                last.output.push('\n');
            }
            None => {}
        }
    }
    found
}

/// The words of a command; what stands in quotes is one.
fn words(command: &str) -> Vec<String> {
    let parts = command.split('"').enumerate();
    let words = parts.flat_map(|(index, part)| match index % 2 {
        0 => part.split_whitespace().map(str::to_owned).collect(),
        _ => vec![part.to_owned()],
    });
    words.collect()
}

fn run(document: &Path) -> usize {
    let text = std::fs::read_to_string(document).unwrap_or_else(|error| panic!("{}: {error}", document.display()));
    let root = tempfile::tempdir().expect("a folder");
    let mut folder = root.path().to_owned();
    let mut count = 0;
    for Shown { command, status, output } in shown(&text) {
        let (command, into) = match command.split_once(" > ") {
            Some((command, file)) => (command.to_owned(), Some(file.trim().to_owned())),
            None => (command, None),
        };
        let mut words = words(&command).into_iter();
        match words.next().as_deref() {
            Some("cd") => folder = folder.join(words.next().expect("a folder")),
            Some("hypotheke") => {
                // What is told on either stream is shown as a terminal shows it.
                let found = hypotheke(&folder).args(words).assert().code(status).get_output().clone();
                if let Some(file) = into {
                    std::fs::write(folder.join(file), &found.stdout).expect("written");
                }
                let found =
                    String::from_utf8(found.stdout).expect("text") + &String::from_utf8(found.stderr).expect("text");
                if !output.is_empty() {
                    let (found, output) = (found.trim_end().to_owned(), output.trim_end().to_owned());
                    snapbox::Assert::new().eq(found.into_data(), output.into_data());
                }
                count += 1;
            }
            // Cargo runs this test; it can't run itself.
            Some("cargo" | "git") => {}
            other => panic!("{}: nobody runs {other:?}", document.display()),
        }
    }
    count
}

fn workspace() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

#[test]
fn the_readme_shows_what_happens() {
    assert!(run(&workspace().join("README.md")) >= 6);
}

#[test]
fn the_reference_pages_show_what_happens() {
    let mut count = 0;
    for entry in std::fs::read_dir(workspace().join("docs")).expect("docs") {
        let path = entry.expect("an entry").path();
        if path.extension().is_some_and(|extension| extension == "md") {
            count += run(&path);
        }
    }
    assert!(count >= 2);
}

#[test]
fn every_picture_that_a_document_shows_is_there() {
    for document in [
        "README.md",
        "docs/ruleset.md",
        "docs/scenarios.md",
        "docs/asking.md",
        "docs/coverage.md",
        "docs/saves.md",
        "docs/stores.md",
    ] {
        let text = std::fs::read_to_string(workspace().join(document)).expect(document);
        let folder = workspace().join(document).parent().expect("a folder").to_owned();
        for link in text.split("](").skip(1).filter_map(|rest| rest.split(')').next()) {
            let target = link.split('#').next().unwrap_or_default();
            let inside = !target.is_empty() && !target.contains("://");
            assert!(!inside || folder.join(target).exists(), "{document} links to {target}, which is not there");
        }
    }
}

/// The lines that a table under a heading shows, each in its first column; `a`, `b` are two.
fn lines_under(document: &str, heading: &str) -> Vec<String> {
    let section = document.split("\n## ").find(|section| section.starts_with(heading)).expect("the heading");
    let rows = section.lines().filter(|line| line.starts_with("| `"));
    let first_column = rows.map(|row| row.split(" | ").next().expect("a column"));
    first_column.flat_map(|cell| cell.split('`').skip(1).step_by(2).map(str::to_owned).collect::<Vec<_>>()).collect()
}

/// Every line that the page of the scenario language shows can be read, and names what the demo has.
#[test]
fn the_scenario_language_is_as_its_page_says() {
    let page = std::fs::read_to_string(workspace().join("docs/scenarios.md")).expect("the page");
    let folder = super::traverse();
    let reads = |text: &str| {
        let command = hypotheke(&folder.path().join("traverse")).args(["verify", "-"]).stdin(text);
        let output = command.output().expect("run");
        let told = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(matches!(output.status.code(), Some(0 | 1)), "{text}\n{told}");
    };
    let mut count = 0;
    for (heading, before) in [
        ("Operations", "scenario x\n  start as ruleset\n  steps\n    "),
        ("Answers", "scenario x\n  start as ruleset\n  steps\n    move 12 fuel-drum from depot to sled  "),
        (
            "What must hold",
            "scenario x\n  steps\n    snapshot loaded\n    move 1 flare from depot to sled\n  end\n    ",
        ),
    ] {
        for line in lines_under(&page, heading).iter().filter(|line| *line != "nothing" && *line != "start") {
            reads(&format!("{before}{line}\n"));
            count += 1;
        }
    }
    assert!(count >= 70, "{count}");
    // Whole scenarios that it shows.
    let blocks = page.split("```text\n").skip(1).filter_map(|block| block.split("```").next());
    let scenarios: Vec<&str> =
        blocks.filter(|block| block.starts_with("scenario")).filter(|block| !block.contains('…')).collect();
    assert!(scenarios.len() >= 2);
    scenarios.iter().for_each(|text| reads(text));
}
