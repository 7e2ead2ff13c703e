//! Every command in the documents is run, and must print what the document shows.
//!
//! A block marked `console` has commands after `$ `, each with its output. A line `...` stands for
//! any lines. `$ cd FOLDER` changes the folder for the rest of the document. `# status N` after a
//! command is its exit status. A block marked `file=NAME` is written to that file first, and one
//! marked `append=NAME` is added to it.

use std::fs;
use std::path::{Path, PathBuf};

use snapbox::IntoData;

use super::hypotheke;

enum Shown {
    Command { command: String, status: i32, output: String },
    File { name: String, text: String, is_added: bool },
}

fn shown(document: &str) -> Vec<Shown> {
    let mut found: Vec<Shown> = Vec::new();
    let mut lines = document.lines();
    while let Some(line) = lines.next() {
        let Some(info) = line.strip_prefix("```").filter(|info| !info.is_empty()) else { continue };
        let block: Vec<&str> = lines.by_ref().take_while(|line| !line.starts_with("```")).collect();
        let file = ["file=", "append="].map(|key| info.split(' ').find_map(|word| word.strip_prefix(key)));
        if let Some(name) = file[0].or(file[1]) {
            let text = block.join("\n") + "\n";
            found.push(Shown::File { name: name.to_owned(), text, is_added: file[1].is_some() });
        }
        for line in block.into_iter().filter(|_| info == "console") {
            if let Some(command) = line.strip_prefix("$ ") {
                let (command, status) = command.split_once("  # status ").unwrap_or((command, "0"));
                let status = status.trim().parse().expect("a status");
                found.push(Shown::Command { command: command.trim().to_owned(), status, output: String::new() });
            } else if let Some(Shown::Command { output, .. }) = found.last_mut() {
                *output += line;
                output.push('\n');
            }
        }
    }
    found
}

/// The words of a command. A part in quotes is one word.
fn words(command: &str) -> Vec<String> {
    let parts = command.split('"').enumerate();
    let words = parts.flat_map(|(index, part)| match index % 2 {
        0 => part.split_whitespace().map(str::to_owned).collect(),
        _ => vec![part.to_owned()],
    });
    words.collect()
}

/// Runs the commands of documents, one after the other in one folder, and returns their number.
fn run(documents: &[PathBuf]) -> usize {
    let root = tempfile::tempdir().expect("a folder");
    let mut count = 0;
    for document in documents {
        let text = fs::read_to_string(document).unwrap_or_else(|error| panic!("{}: {error}", document.display()));
        let mut folder = root.path().to_owned();
        for shown in shown(&text) {
            match shown {
                Shown::File { name, text, is_added } => {
                    let path = folder.join(name);
                    fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
                    let before = if is_added { fs::read_to_string(&path).expect("the file") } else { String::new() };
                    fs::write(path, before + &text).expect("written");
                }
                Shown::Command { command, status, output } => {
                    count += usize::from(run_command(&mut folder, document, &command, status, &output));
                }
            }
        }
    }
    count
}

fn run_command(folder: &mut PathBuf, document: &Path, command: &str, status: i32, output: &str) -> bool {
    let (command, into) = match command.split_once(" > ") {
        Some((command, file)) => (command.to_owned(), Some(file.trim().to_owned())),
        None => (command.to_owned(), None),
    };
    let mut words = words(&command).into_iter();
    match words.next().as_deref() {
        Some("cd") => *folder = folder.join(words.next().expect("a folder")),
        Some("hypotheke") => {
            let found = hypotheke(folder).args(words).assert().code(status).get_output().clone();
            if let Some(file) = into {
                fs::write(folder.join(file), &found.stdout).expect("written");
            }
            // A terminal shows both streams.
            let found =
                String::from_utf8(found.stdout).expect("text") + &String::from_utf8(found.stderr).expect("text");
            if !output.is_empty() {
                let (found, output) = (found.trim_end().to_owned(), output.trim_end().to_owned());
                snapbox::Assert::new().eq(found.into_data(), output.into_data());
            }
            return true;
        }
        // Cargo runs this test; it can't run itself.
        Some("cargo" | "git") => {}
        other => panic!("{}: {other:?} is not a known command", document.display()),
    }
    false
}

fn workspace() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The pages of the book, in its order.
fn pages() -> Vec<PathBuf> {
    let docs = workspace().join("docs");
    let summary = fs::read_to_string(docs.join("SUMMARY.md")).expect("the summary");
    let links = summary.lines().filter_map(|line| line.split_once("](")?.1.split_once(')'));
    links.map(|(link, _)| docs.join(link)).collect()
}

#[test]
fn the_commands_of_the_readme_print_what_it_shows() {
    let readme = workspace().join("README.md");
    assert!(run(std::slice::from_ref(&readme)) >= 5);
    let text = fs::read_to_string(readme).expect("the README");
    let scenario = text.split("```text\n").nth(1).and_then(|rest| rest.split("```").next()).expect("a scenario");
    let folder = super::traverse();
    hypotheke(&folder.path().join("traverse")).args(["verify", "-"]).stdin(scenario).assert().success();
}

#[test]
fn the_commands_of_each_page_print_what_it_shows() {
    let mut count = 0;
    for page in pages().into_iter().filter(|page| !page.parent().is_some_and(|folder| folder.ends_with("start"))) {
        count += run(&[page]);
    }
    assert!(count >= 40, "{count}");
}

/// The tour begins in an empty folder and goes from page to page.
#[test]
fn the_tour_prints_what_its_pages_show() {
    let mut tour = pages();
    tour.retain(|page| page.parent().is_some_and(|folder| folder.ends_with("start")));
    assert!(run(&tour) >= 14);
}

#[test]
fn every_page_is_in_the_book_and_every_link_leads_somewhere() {
    let mut documents = pages();
    for folder in ["docs", "docs/start"] {
        for entry in fs::read_dir(workspace().join(folder)).expect("docs") {
            let path = entry.expect("an entry").path();
            let is_page = path.extension().is_some_and(|extension| extension == "md") && !path.ends_with("SUMMARY.md");
            assert!(!is_page || documents.contains(&path), "{} is not in the summary", path.display());
        }
    }
    documents.extend(["README.md", "ARCHITECTURE.md", "docs/SUMMARY.md"].map(|name| workspace().join(name)));
    for document in documents {
        let text = fs::read_to_string(&document).expect("a page");
        let folder = document.parent().expect("a folder");
        for link in text.split("](").skip(1).filter_map(|rest| rest.split(')').next()) {
            let target = link.split('#').next().unwrap_or_default();
            let is_file = !target.is_empty() && !target.contains("://");
            let at = document.display();
            assert!(!is_file || folder.join(target).exists(), "{at} links to {target}, which does not exist");
        }
    }
}

/// The code in the first column of a table under a heading.
fn lines_under(document: &str, heading: &str) -> Vec<String> {
    let section = document.split("\n## ").find(|section| section.starts_with(heading)).expect("the heading");
    let rows = section.lines().filter(|line| line.starts_with("| `"));
    let first_column = rows.map(|row| row.split(" | ").next().expect("a column"));
    first_column.flat_map(|cell| cell.split('`').skip(1).step_by(2).map(str::to_owned).collect::<Vec<_>>()).collect()
}

/// Every line on the page of the scenario language can be read, and has names of the demo.
#[test]
fn the_scenario_language_is_as_its_page_says() {
    let page = fs::read_to_string(workspace().join("docs/scenarios.md")).expect("the page");
    let folder = super::traverse();
    let reads = |text: &str| {
        let command = hypotheke(&folder.path().join("traverse")).args(["verify", "-"]).stdin(text);
        let output = command.output().expect("run");
        let described = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(matches!(output.status.code(), Some(0 | 1)), "{text}\n{described}");
    };
    let mut count = 0;
    for (heading, before) in [
        ("Operations", "scenario x\n  start as ruleset\n  steps\n    "),
        ("Answers", "scenario x\n  start as ruleset\n  steps\n    move 12 fuel-drum from depot to sled  "),
        ("Checks", "scenario x\n  steps\n    snapshot loaded\n    move 1 flare from depot to sled\n  end\n    "),
    ] {
        for line in lines_under(&page, heading).iter().filter(|line| *line != "nothing" && *line != "start") {
            reads(&format!("{before}{line}\n"));
            count += 1;
        }
    }
    assert!(count >= 70, "{count}");
    // Complete scenarios.
    let blocks = page.split("```text\n").skip(1).filter_map(|block| block.split("```").next());
    let scenarios: Vec<&str> =
        blocks.filter(|block| block.starts_with("scenario")).filter(|block| !block.contains('…')).collect();
    assert!(scenarios.len() >= 2);
    scenarios.iter().for_each(|text| reads(text));
}
