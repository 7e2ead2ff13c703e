//! Every command in the documents is run, and must print what the document shows.
//!
//! A block marked `console` has commands after `$ `, each with its output. A line `...` stands for
//! any lines. `$ cd FOLDER` changes the folder for the rest of the document. `# status N` after a
//! command is its exit status. A block marked `file=NAME` is written to that file first, and one
//! marked `append=NAME` is added to it. `SNAPSHOTS=overwrite cargo test` accepts what the commands
//! print now, as it does for the golden outputs.

use std::fs;
use std::path::{Path, PathBuf};

use snapbox::IntoData;

use super::hypotheke;

enum Shown {
    /// `at` is the number of the first line of the output.
    Command {
        command: String,
        status: i32,
        output: Vec<String>,
        at: usize,
    },
    File {
        name: String,
        text: String,
        is_added: bool,
    },
}

fn shown(document: &str) -> Vec<Shown> {
    let mut found: Vec<Shown> = Vec::new();
    let mut lines = document.lines().enumerate();
    while let Some((_, line)) = lines.next() {
        let Some(info) = line.strip_prefix("```").filter(|info| !info.is_empty()) else { continue };
        let block: Vec<(usize, &str)> = lines.by_ref().take_while(|(_, line)| !line.starts_with("```")).collect();
        let file = ["file=", "append="].map(|key| info.split(' ').find_map(|word| word.strip_prefix(key)));
        if let Some(name) = file[0].or(file[1]) {
            let text = block.iter().map(|(_, line)| format!("{line}\n")).collect();
            found.push(Shown::File { name: name.to_owned(), text, is_added: file[1].is_some() });
        }
        for (number, line) in block.into_iter().filter(|_| info == "console") {
            if let Some(command) = line.strip_prefix("$ ") {
                let (command, status) = command.split_once("  # status ").unwrap_or((command, "0"));
                let status = status.trim().parse().expect("a status");
                let command = command.trim().to_owned();
                found.push(Shown::Command { command, status, output: Vec::new(), at: number + 1 });
            } else if let Some(Shown::Command { output, .. }) = found.last_mut() {
                output.push(line.to_owned());
            }
        }
    }
    found
}

/// The present output, with `...` where the page has it, and as many lines before and after it.
fn abridged(found: &str, shown: &[String]) -> Vec<String> {
    let found: Vec<String> = found.lines().map(str::to_owned).collect();
    let Some(first) = shown.iter().position(|line| line == "...") else { return found };
    let last = shown.iter().rposition(|line| line == "...").expect("found before");
    let (before, after) = (&found[..first.min(found.len())], shown.len() - last - 1);
    [before, &["...".to_owned()], &found[found.len().saturating_sub(after)..]].concat()
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
    let accepts = std::env::var("SNAPSHOTS").is_ok_and(|value| value == "overwrite");
    let root = tempfile::tempdir().expect("a folder");
    let mut count = 0;
    for document in documents {
        let text = fs::read_to_string(document).unwrap_or_else(|error| panic!("{}: {error}", document.display()));
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let mut moved = 0_isize;
        let mut folder = root.path().to_owned();
        for shown in shown(&text) {
            match shown {
                Shown::File { name, text, is_added } => {
                    let path = folder.join(name);
                    fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
                    let before = if is_added { fs::read_to_string(&path).expect("the file") } else { String::new() };
                    fs::write(path, before + &text).expect("written");
                }
                Shown::Command { command, status, mut output, at } => {
                    let Some(found) = run_command(&mut folder, document, &command, status) else { continue };
                    count += 1;
                    while output.last().is_some_and(|line| line.trim().is_empty()) {
                        output.pop();
                    }
                    if accepts && !output.is_empty() {
                        let new = abridged(found.trim_end(), &output);
                        let from = at.checked_add_signed(moved).expect("a line");
                        let (before, after) = (output.len().cast_signed(), new.len().cast_signed());
                        moved += after - before;
                        lines.splice(from..from + output.len(), new);
                    } else if !output.is_empty() {
                        let shown = output.join("\n");
                        snapbox::Assert::new().eq(found.trim_end().into_data(), shown.into_data());
                    }
                }
            }
        }
        if accepts {
            fs::write(document, lines.join("\n") + "\n").expect("written");
        }
    }
    count
}

/// The output of a command; of both streams, as a terminal shows it.
fn run_command(folder: &mut PathBuf, document: &Path, command: &str, status: i32) -> Option<String> {
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
            let text = |bytes: Vec<u8>| String::from_utf8(bytes).expect("text");
            return Some(text(found.stdout) + &text(found.stderr));
        }
        // Cargo runs this test; it can't run itself.
        Some("cargo" | "git") => {}
        other => panic!("{}: {other:?} is not a known command", document.display()),
    }
    None
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
    let mut folders = vec![workspace().join("docs")];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(folder).expect("docs") {
            let path = entry.expect("an entry").path();
            if path.is_dir() {
                folders.push(path);
                continue;
            }
            let is_page = path.extension().is_some_and(|extension| extension == "md") && !path.ends_with("SUMMARY.md");
            assert!(!is_page || documents.contains(&path), "{} is not in the summary", path.display());
        }
    }
    let pictures = fs::read_to_string(workspace().join("docs/pictures.md")).expect("the pictures");
    for entry in fs::read_dir(workspace().join("docs/screenshots")).expect("the folder") {
        let name = entry.expect("an entry").file_name().into_string().expect("a name");
        assert!(pictures.contains(&format!("(screenshots/{name})")), "{name} is not among the pictures");
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
    let page = fs::read_to_string(workspace().join("docs/reference/scenarios.md")).expect("the page");
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

#[test]
fn the_reference_names_every_command_and_every_schema() {
    let page = |name: &str| fs::read_to_string(workspace().join("docs/reference").join(name)).expect("the page");
    let folder = tempfile::tempdir().expect("a folder");
    let help = super::output(hypotheke(folder.path()).arg("-h"), 0);
    let section = help.split("Commands:\n").nth(1).and_then(|rest| rest.split("\n\n").next()).expect("the commands");
    let is_name = |line: &&str| line.starts_with("  ") && !line.starts_with("   ");
    let commands = section.lines().filter(is_name).filter_map(|line| line.split_whitespace().next());
    let commands: Vec<&str> = commands.filter(|command| *command != "help").collect();
    assert!(commands.len() >= 13, "{commands:?}");
    let known = page("commands.md");
    for command in commands {
        assert!(known.contains(&format!("`{command}`")), "{command} is missing");
    }
    let known = page("json.md");
    for entry in fs::read_dir(workspace().join("docs/schemas")).expect("the schemas") {
        let name = entry.expect("an entry").file_name().into_string().expect("a name");
        assert!(known.contains(&format!("(../schemas/{name})")), "{name} is missing");
    }
}
